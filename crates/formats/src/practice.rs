//! A practice's file: its rows by table, read as a stream, so that a file of any size needs the memory of one row.

use std::{
    cell::{Cell, RefCell},
    fmt,
    io::{self, BufReader, Read},
};

use serde::{
    Deserializer as _,
    de::{DeserializeSeed, IgnoredAny, MapAccess, SeqAccess, Visitor},
};
use serde_json::value::RawValue;

/// What a file says it is.
pub const FORMAT: &str = "impulso practice, 2";
/// And what one of the first release says, which is one text with a checksum and the pictures in it.
pub const FIRST_FORMAT: &str = "impulso practice, 1";

/// The longest row, bytes.
pub const ROW_BYTES: usize = 2 * 1024 * 1024;
/// The longest row that holds a photograph, as the first release wrote them, bytes.
pub const PHOTO_ROW_BYTES: usize = 9 * 1024 * 1024;
/// The longest name of a table, and whatever stands between rows, bytes.
const BETWEEN_BYTES: usize = 4 * 1024;

/// Something in the file that does not fit.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Fault {
    /// The table, or the file.
    pub table: String,
    /// The row, from 1; 0 where it is about the whole.
    pub row: usize,
    pub field: Option<String>,
    /// What is wrong with it.
    pub why: String,
}

impl Fault {
    /// A fault of the whole file.
    pub fn whole(file: &str, why: impl Into<String>) -> Self {
        Self { table: file.to_owned(), row: 0, field: None, why: why.into() }
    }

    /// A fault of a row.
    pub fn of_row(table: &str, row: usize, field: &str, why: impl Into<String>) -> Self {
        Self { table: table.to_owned(), row, field: Some(field.to_owned()).filter(|f| !f.is_empty()), why: why.into() }
    }
}

impl fmt::Display for Fault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.row, &self.field) {
            (0, _) => write!(f, "{}: {}", self.table, self.why),
            (row, None) => write!(f, "{}, row {row}: {}", self.table, self.why),
            (row, Some(field)) => write!(f, "{}, row {row}, {field}: {}", self.table, self.why),
        }
    }
}

/// What stands before and behind the tables.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Head {
    /// What the file says it is.
    pub format: String,
    /// The checksum of its tables, where it brings one.
    pub checksum: Option<String>,
}

/// Counts what is read of a row, and ends the reading where it is too much.
struct Bounded<'b, R> {
    inner: R,
    left: &'b Cell<usize>,
}

impl<R: Read> Read for Bounded<'_, R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.inner.read(buffer)?;
        match self.left.get().checked_sub(read) {
            Some(left) => self.left.set(left),
            None => return Err(io::Error::other("too long")),
        }
        Ok(read)
    }
}

/// Reads a file and hands out each row: its table, its place from 1, its text.
///
/// # Errors
/// The first [`Fault`] of the file itself, or what `each` refuses.
pub fn read(reader: impl Read, each: &mut dyn FnMut(&str, usize, &RawValue) -> Result<(), Fault>) -> Result<Head, Fault> {
    let left = Cell::new(BETWEEN_BYTES);
    let reading =
        Reading { left: &left, at: RefCell::new(("practice.json".to_owned(), 0)), each: RefCell::new(each), refused: RefCell::new(None) };
    let mut json = serde_json::Deserializer::from_reader(Bounded { inner: BufReader::with_capacity(64 * 1024, reader), left: &left });
    let head = json.deserialize_map(Whole(&reading)).and_then(|head| json.end().map(|()| head));
    head.map_err(|error| {
        if let Some(refused) = reading.refused.take() {
            return refused;
        }
        let (table, row) = reading.at.borrow().clone();
        let why = if error.is_io() && left.get() == 0 || error.to_string().contains("too long") {
            "this is longer than a row can be".to_owned()
        } else {
            format!("this can't be read as JSON: {error}")
        };
        Fault { table, row, field: None, why }
    })
}

type Each<'e> = dyn FnMut(&str, usize, &RawValue) -> Result<(), Fault> + 'e;

struct Reading<'r> {
    left: &'r Cell<usize>,
    /// The table and the row that is being read.
    at: RefCell<(String, usize)>,
    each: RefCell<&'r mut Each<'r>>,
    refused: RefCell<Option<Fault>>,
}

struct Whole<'r>(&'r Reading<'r>);
struct Tables<'r>(&'r Reading<'r>);
struct Rows<'r>(&'r Reading<'r>, String);

impl<'de> Visitor<'de> for Whole<'_> {
    type Value = Head;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a practice's file")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Head, A::Error> {
        let mut head = Head::default();
        loop {
            self.0.left.set(BETWEEN_BYTES);
            let Some(key) = map.next_key::<String>()? else { return Ok(head) };
            match key.as_str() {
                "format" => head.format = map.next_value()?,
                "checksum" => head.checksum = Some(map.next_value()?),
                "tables" => map.next_value_seed(Tables(self.0))?,
                _ => {
                    map.next_value::<IgnoredAny>()?;
                }
            }
        }
    }
}

impl<'de> DeserializeSeed<'de> for Tables<'_> {
    type Value = ();

    fn deserialize<D: serde::Deserializer<'de>>(self, json: D) -> Result<(), D::Error> {
        json.deserialize_map(self)
    }
}

impl<'de> Visitor<'de> for Tables<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("tables by their names")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<(), A::Error> {
        let mut seen: Vec<String> = Vec::new();
        loop {
            self.0.left.set(BETWEEN_BYTES);
            let Some(table) = map.next_key::<String>()? else { return Ok(()) };
            if seen.contains(&table) || seen.len() > 100 {
                self.0.refused.replace(Some(Fault::whole(&table, "this table is in the file twice")));
                return Err(serde::de::Error::custom("refused"));
            }
            seen.push(table.clone());
            map.next_value_seed(Rows(self.0, table))?;
        }
    }
}

impl<'de> DeserializeSeed<'de> for Rows<'_> {
    type Value = ();

    fn deserialize<D: serde::Deserializer<'de>>(self, json: D) -> Result<(), D::Error> {
        self.0.at.replace((self.1.clone(), 0));
        json.deserialize_seq(self)
    }
}

impl<'de> Visitor<'de> for Rows<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a list of rows")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut rows: A) -> Result<(), A::Error> {
        let Self(reading, table) = self;
        let most = if table == "photos" { PHOTO_ROW_BYTES } else { ROW_BYTES };
        let mut row = 0;
        loop {
            row += 1;
            reading.at.replace((table.clone(), row));
            reading.left.set(most);
            let Some(text) = rows.next_element::<Box<RawValue>>()? else {
                reading.at.replace(("practice.json".to_owned(), 0));
                return Ok(());
            };
            if let Err(fault) = (reading.each.borrow_mut())(&table, row, &text) {
                reading.refused.replace(Some(fault));
                return Err(serde::de::Error::custom("refused"));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rows(text: &str) -> Result<(Head, Vec<String>), Fault> {
        let mut all = Vec::new();
        let head = read(text.as_bytes(), &mut |table, row, text| {
            all.push(format!("{table} {row} {text}"));
            Ok(())
        })?;
        Ok((head, all))
    }

    #[test]
    fn each_row_comes_with_its_table_and_its_place() {
        let text = r#"{"format":"impulso practice, 2","tables":{"people":[{"a":1},{"a": [2]}],"runs":[]},"more":[{}]}"#;
        let (head, all) = rows(text).unwrap();
        assert_eq!((head.format.as_str(), head.checksum), (FORMAT, None));
        assert_eq!(all, [r#"people 1 {"a":1}"#, r#"people 2 {"a": [2]}"#]);
    }

    #[test]
    fn what_is_no_such_file_is_named_by_its_place() {
        let fault = |text: &str| rows(text).unwrap_err().to_string();
        assert!(fault("[]").starts_with("practice.json: this can't be read"));
        assert!(fault(r#"{"tables":{"people":7}}"#).contains("a list of rows"));
        assert!(fault(r#"{"tables":{"people":[{},{"#).starts_with("people, row 2:"));
        assert!(fault(r#"{"tables":{"people":[],"people":[]}}"#).contains("twice"));
        assert!(fault(r#"{"tables":{"people":[]}} and more"#).contains("can't be read"));
    }

    #[test]
    fn a_row_a_name_or_a_number_without_an_end_takes_no_more_than_a_row() {
        /// A text that goes on without an end; says how much of it was taken.
        struct Endless<'e>(&'e [u8], &'e Cell<usize>);
        impl Read for Endless<'_> {
            fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
                if self.0.is_empty() {
                    buffer.fill(b'7');
                    self.1.set(self.1.get() + buffer.len());
                    return Ok(buffer.len());
                }
                let n = self.0.len().min(buffer.len());
                buffer[..n].copy_from_slice(&self.0[..n]);
                self.0 = &self.0[n..];
                Ok(n)
            }
        }
        for begin in [r#"{"tables":{"people":[{"name":""#, r#"{"tables":{"people":["#, r#"{"tables":{""#, r#"{"more":""#, "{\""] {
            let taken = Cell::new(0);
            let fault = read(Endless(begin.as_bytes(), &taken), &mut |_, _, _| Ok(())).unwrap_err();
            assert!(fault.why.contains("longer than a row"), "{begin}: {fault}");
            assert!(taken.get() < ROW_BYTES + 256 * 1024, "{begin}: {}", taken.get());
        }
    }
}
