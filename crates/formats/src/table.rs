//! Tables as CSV, line by line.

use impulso_core::{Code, InputError};

/// The fields of every line, the first line included.
///
/// # Errors
/// [`Code::BadValue`] naming the line that cannot be read.
pub fn records(text: &str) -> Result<Vec<Vec<String>>, InputError> {
    let mut reader =
        csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(text.trim_start_matches('\u{feff}').as_bytes());
    let line = |(k, record): (usize, csv::Result<csv::StringRecord>)| {
        let bad = |_| InputError::new(Code::BadValue, "csv", format!("Line {} cannot be read as CSV.", k + 1));
        record.map(|r| r.iter().map(str::to_owned).collect()).map_err(bad)
    };
    reader.records().enumerate().map(line).collect()
}

/// Lines as CSV.
pub fn write(lines: impl Iterator<Item = Vec<String>>) -> String {
    let mut writer = csv::Writer::from_writer(Vec::new());
    for line in lines {
        // Into memory nothing fails but a line of another length, and all have one.
        let _ = writer.write_record(&line);
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
    }
}
