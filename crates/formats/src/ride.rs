//! The recording of a ride as CSV: `time_s,power_w,hr_bpm,cadence_rpm`, one line a reading.
//!
//! Columns may stand in any order and others may stand beside them; an empty field is a dropout. Comma or semicolon.

use csv::{ReaderBuilder, StringRecord, Trim};
use impulso_core::{
    Code, InputError,
    clamped::{SAMPLES_MAX, Sample, check_series},
};

const COLUMNS: [&str; 4] = ["time_s", "power_w", "hr_bpm", "cadence_rpm"];

/// Reads a recording.
///
/// # Errors
/// [`Code::MissingInput`] where a column or every line is missing, [`Code::OutOfRange`] where a line cannot be; both on
/// `series`, with the line as a text editor counts it.
pub fn parse(text: &str) -> Result<Vec<Sample>, InputError> {
    let text = text.trim_start_matches('\u{feff}');
    let head = text.lines().next().unwrap_or_default();
    let delimiter = if head.contains(';') { b';' } else { b',' };
    let mut reader = ReaderBuilder::new().delimiter(delimiter).trim(Trim::All).flexible(true).from_reader(text.as_bytes());
    let headers = reader.headers().cloned().unwrap_or_default();
    let at = columns(&headers)?;
    let mut series = Vec::new();
    for record in reader.records() {
        let record = record.map_err(|e| refuse(format!("The file could not be read: {e}.")))?;
        let line = record.position().map_or(0, csv::Position::line);
        if series.len() == SAMPLES_MAX {
            return Err(refuse(format!("The file has more than {SAMPLES_MAX} lines. Keep one a second.")));
        }
        let field = |k: usize| number(record.get(at[k]).unwrap_or_default(), COLUMNS[k], line);
        let time_s = field(0)?.ok_or_else(|| refuse(format!("Line {line} of the file has no time_s.")))?;
        series.push(Sample { time_s, power_w: field(1)?, hr_bpm: field(2)?, cadence_rpm: field(3)? });
    }
    if series.is_empty() {
        return Err(InputError::new(Code::MissingInput, "series", "The file has no lines under its heading."));
    }
    check_series(&series)?;
    Ok(series)
}

/// Where each column stands.
fn columns(headers: &StringRecord) -> Result<[usize; 4], InputError> {
    let mut at = [0; 4];
    for (k, name) in COLUMNS.iter().enumerate() {
        at[k] = headers.iter().position(|h| h.eq_ignore_ascii_case(name)).ok_or_else(|| {
            let message = format!("The file’s first line must name its columns: {}. “{name}” is not among them.", COLUMNS.join(","));
            InputError::new(Code::MissingInput, "series", message)
        })?;
    }
    Ok(at)
}

fn number(text: &str, column: &str, line: u64) -> Result<Option<f64>, InputError> {
    if text.is_empty() {
        return Ok(None);
    }
    let shown: String = text.chars().take(20).collect();
    let parsed = text.replace(',', ".").parse();
    parsed.map(Some).map_err(|_| refuse(format!("Line {line} of the file: {column} is “{shown}”, which is no number.")))
}

fn refuse(message: String) -> InputError {
    InputError::new(Code::OutOfRange, "series", message)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::fmt::Write;
    use test_case::test_case;

    #[test]
    fn columns_in_any_order_dropouts_and_decimal_commas() {
        let text = "\u{feff}Cadence_rpm; hr_bpm ;lap;time_s;power_w\n90;120;1;0;150,5\n;;1;1;\n88;121;1;2;149\n";
        let read = parse(text).unwrap();
        assert_eq!(read[0], Sample { time_s: 0.0, power_w: Some(150.5), hr_bpm: Some(120.0), cadence_rpm: Some(90.0) });
        assert_eq!(read[1], Sample { time_s: 1.0, ..Sample::default() });
        assert_eq!(read.len(), 3);
    }

    #[test_case("", "must name its columns"; "nothing")]
    #[test_case("time_s,power_w,hr_bpm\n1,2,3\n", "“cadence_rpm” is not among them"; "a column is missing")]
    #[test_case("time_s,power_w,hr_bpm,cadence_rpm\n", "no lines under its heading"; "a heading alone")]
    #[test_case("time_s,power_w,hr_bpm,cadence_rpm\n0,100,90,80\n1,fast,90,80\n", "Line 3 of the file: power_w is “fast”"; "a word")]
    #[test_case("time_s,power_w,hr_bpm,cadence_rpm\n,100,90,80\n", "Line 2 of the file has no time_s"; "no time")]
    #[test_case("time_s,power_w,hr_bpm,cadence_rpm\n5,100,90,80\n4,100,90,80\n", "must go up from line to line"; "backwards")]
    #[test_case("time_s,power_w,hr_bpm,cadence_rpm\n5,100,0,80\n", "where the strap was silent"; "a dropout written as 0")]
    fn a_file_that_cannot_be_read_says_where(text: &str, words: &str) {
        let error = parse(text).unwrap_err();
        assert!(error.message.contains(words), "{}", error.message);
        assert_eq!(error.field.as_deref(), Some("series"));
    }

    #[test]
    fn a_file_without_end_is_refused() {
        let mut text = COLUMNS.join(",");
        (0..=SAMPLES_MAX).for_each(|t| write!(text, "\n{t},100,120,90").unwrap());
        assert!(parse(&text).unwrap_err().message.contains("more than 14400 lines"));
    }

    proptest! {
        #[test]
        fn what_is_written_is_read(rows in proptest::collection::vec((0.1..5.0f64, proptest::option::of(0.0..900.0f64), proptest::option::of(30.0..220.0f64)), 1..40)) {
            let mut at = 0.0;
            let series: Vec<Sample> = rows.iter().map(|(step, power_w, hr_bpm)| {
                at += step;
                Sample { time_s: at, power_w: *power_w, hr_bpm: *hr_bpm, cadence_rpm: power_w.map(|_| 90.0) }
            }).collect();
            let cell = |v: Option<f64>| v.map(|v| v.to_string()).unwrap_or_default();
            let mut text = COLUMNS.join(",");
            for s in &series {
                write!(text, "\n{},{},{},{}", s.time_s, cell(s.power_w), cell(s.hr_bpm), cell(s.cadence_rpm)).unwrap();
            }
            prop_assert_eq!(parse(&text).unwrap(), series);
        }
    }
}
