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
/// Characters after which a spreadsheet may begin another cell. In some countries it separates cells by semicolons, and a quote in the
/// middle of a line then does not hold a text together.
const APART: [char; 5] = [';', '\t', '|', '\n', '\r'];
/// Characters before a formula that a spreadsheet skips.
const BEFORE: [char; 3] = [' ', '"', '\u{a0}'];

/// A text as a spreadsheet shows it and works out nothing, wherever it begins a cell: with an apostrophe before what would begin a formula.
/// A number stays one.
fn harmless(text: &str) -> String {
    if text.parse::<f64>().is_ok_and(f64::is_finite) {
        return text.to_owned();
    }
    // One that has an apostrophe there of its own gets a second, so that reading gives it back.
    at_beginnings(text, |rest| rest.trim_start_matches('\'').starts_with(FORMULA), |rest| ("\'".to_owned(), rest))
}

/// A field as it was before it was made harmless.
fn as_typed(field: &str) -> String {
    let is_marked = |rest: &str| rest.strip_prefix('\'').is_some_and(|rest| rest.trim_start_matches('\'').starts_with(FORMULA));
    at_beginnings(field, is_marked, |rest| (String::new(), rest.strip_prefix('\'').unwrap_or(rest)))
}

/// Rewrites a text where a cell may begin and `is_meant` holds: `change` gives what goes there, and what follows.
fn at_beginnings<'t>(text: &'t str, is_meant: impl Fn(&str) -> bool, change: impl Fn(&'t str) -> (String, &'t str)) -> String {
    let mut written = String::with_capacity(text.len() + 1);
    let (mut rest, mut begins, mut is_first) = (text, true, true);
    while let Some(next) = rest.chars().next() {
        if begins && is_meant(rest) {
            let (put, after) = change(rest);
            written.push_str(&put);
            rest = after;
            // The apostrophes and the sign itself, as they are.
            let marks = rest.len() - rest.trim_start_matches('\'').len();
            let sign = rest[marks..].chars().next().map_or(0, char::len_utf8);
            written.push_str(&rest[..marks + sign]);
            begins = rest[marks..].starts_with(APART);
            rest = &rest[marks + sign..];
        } else {
            written.push(next);
            begins = APART.contains(&next) || begins && !is_first && BEFORE.contains(&next);
            rest = &rest[next.len_utf8()..];
        }
        is_first = false;
    }
    written
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
    use proptest::prelude::*;

    /// The cells of a line as a spreadsheet reads it that sets them apart by `apart`: a quote holds a cell together only where it begins it.
    fn cells(text: &str, apart: u8) -> Vec<String> {
        let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).delimiter(apart).from_reader(text.as_bytes());
        reader.records().flat_map(|r| r.unwrap().iter().map(str::to_owned).collect::<Vec<_>>()).collect()
    }

    proptest! {
        #[test]
        fn whatever_sets_cells_apart_none_begins_a_formula_and_all_come_back(line in prop::collection::vec("[a1=+@'; \t\n\"|,-]{0,8}", 1..4)) {
            let text = write(std::iter::once(line.clone()));
            for apart in *b",;\t|" {
                for cell in cells(&text, apart) {
                    // A number stays one, and whatever else of the line stands behind it there.
                    let is_number = cell.split(',').next().is_some_and(|n| n.parse::<f64>().is_ok());
                    prop_assert!(!cell.starts_with(FORMULA) || is_number, "{:?} in {:?}", cell, text);
                }
            }
            let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(text.as_bytes());
            let read: Vec<Vec<String>> = reader.records().map(|r| r.unwrap().iter().map(as_typed).collect()).collect();
            if line.iter().any(|field| !field.is_empty()) || line.len() > 1 {
                prop_assert_eq!(read, [line]);
            }
        }
    }

    #[test]
    fn a_formula_after_a_semicolon_is_none() {
        let name = "Teo;=HYPERLINK(1)";
        let text = write(std::iter::once(vec!["1".to_owned(), name.to_owned(), "x\n=1+1".to_owned()]));
        assert_eq!(text, "1,Teo;'=HYPERLINK(1),\"x\n'=1+1\"\n");
        assert_eq!(cells(&text, b';')[1], "'=HYPERLINK(1),\"x");
    }

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
