//! Tables as CSV, line by line.

use impulso_core::{Code, InputError};

/// The fields of every line, the first line included. A spreadsheet's list may be set apart by semicolons: what the first line has
/// more of holds for all.
///
/// # Errors
/// [`Code::BadValue`] naming the line that cannot be read.
pub fn records(text: &str) -> Result<Vec<Vec<String>>, InputError> {
    let text = text.trim_start_matches('\u{feff}');
    let first = text.lines().next().unwrap_or_default();
    let apart = [b',', b';', b'\t'].into_iter().max_by_key(|by| (first.bytes().filter(|b| b == by).count(), *by == b',')).unwrap_or(b',');
    let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).delimiter(apart).from_reader(text.as_bytes());
    let line = |(k, record): (usize, csv::Result<csv::StringRecord>)| {
        let bad = |_| InputError::new(Code::BadValue, "csv", format!("Line {} cannot be read as CSV.", k + 1));
        record.map(|r| r.iter().map(as_typed).collect()).map_err(bad)
    };
    reader.records().enumerate().map(line).collect()
}

/// What a spreadsheet takes for a formula, and would work out.
const FORMULA: [char; 6] = ['=', '+', '-', '@', '\t', '\r'];

/// A text as a spreadsheet shows it and works out nothing: with an apostrophe before what would begin a formula. A number stays one.
fn harmless(text: &str) -> String {
    let is_formula = text.starts_with(FORMULA) && text.parse::<f64>().is_err();
    // One that has an apostrophe there of its own gets a second, so that reading gives it back.
    let looks_like_it = text.strip_prefix('\'').is_some_and(|rest| rest.trim_start_matches('\'').starts_with(FORMULA));
    if is_formula || looks_like_it { format!("'{text}") } else { text.to_owned() }
}

/// A field as it was before it was made harmless.
fn as_typed(field: &str) -> String {
    match field.strip_prefix('\'') {
        Some(rest) if rest.trim_start_matches('\'').starts_with(FORMULA) => rest.to_owned(),
        _ => field.to_owned(),
    }
}

/// Lines as CSV, every text harmless in a spreadsheet; [`records`] reads them back as they were.
pub fn write(lines: impl Iterator<Item = Vec<String>>) -> String {
    let mut writer = csv::Writer::from_writer(Vec::new());
    for line in lines {
        // Into memory nothing fails but a line of another length, and all have one.
        let _ = writer.write_record(line.iter().map(|field| harmless(field)));
    }
    writer.into_inner().ok().and_then(|bytes| String::from_utf8(bytes).ok()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn quotes_and_a_byte_order_mark_are_read_as_they_are_meant() {
        let read = records("\u{feff}a,\"b, c\"\n\"say \"\"go\"\"\",2\n").unwrap();
        assert_eq!(read, [vec!["a", "b, c"], vec!["say \"go\"", "2"]]);
        assert_eq!(records("place;points\n1;2,5\n").unwrap(), [vec!["place", "points"], vec!["1", "2,5"]]);
    }

    #[test]
    fn nothing_is_worked_out_by_a_spreadsheet_and_it_comes_back_as_it_was() {
        let line =
            ["=1+1", "+49 431", "-cmd", "@sum", "\tx", "\rx", "'=x", "''@", "'tis", "-3.5", "+2", "plain", ""].map(str::to_owned).to_vec();
        let text = write(std::iter::once(line.clone()));
        for field in csv::ReaderBuilder::new()
            .has_headers(false)
            .from_reader(text.as_bytes())
            .records()
            .flat_map(|r| r.unwrap().iter().map(str::to_owned).collect::<Vec<_>>())
        {
            assert!(!field.starts_with(FORMULA) || field.parse::<f64>().is_ok(), "{field:?}");
        }
        assert_eq!(records(&text).unwrap(), [line]);
    }
}
