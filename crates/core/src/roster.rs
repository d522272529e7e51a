//! A list of people as it is pasted: names alone, or columns of a spreadsheet.

use chrono::{Datelike, NaiveDate};
use serde::{Deserialize, Serialize};
use strsim::damerau_levenshtein;

use crate::{
    error::{Code, InputError},
    group,
    person::{Sex, check_born},
    text,
    units::{BodyMass, Height, Units},
};

/// The most lines of a list.
pub const LINES_MAX: usize = 500;

/// One person of a list, cell by cell as it was typed.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Cells {
    pub name: String,
    /// Birth date.
    #[serde(default)]
    pub born: String,
    #[serde(default)]
    pub sex: String,
    #[serde(default)]
    pub height: String,
    /// Body mass.
    #[serde(default)]
    pub mass: String,
    /// In a group: front, back; team A.
    #[serde(default)]
    pub playing_group: String,
    /// In a group: on the shirt.
    #[serde(default)]
    pub number: String,
}

/// One person of a list, read.
#[derive(Debug, Clone, PartialEq)]
pub struct Entry {
    pub name: String,
    pub born: NaiveDate,
    pub sex: Option<Sex>,
    /// With what was typed.
    pub height: Option<(Height, String)>,
    /// Body mass, with what was typed.
    pub mass: Option<(BodyMass, String)>,
    pub playing_group: Option<String>,
    pub number: Option<u16>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Column {
    Name,
    FirstName,
    LastName,
    Born,
    Sex,
    Height,
    Mass,
    PlayingGroup,
    Number,
    Other,
}

impl Column {
    /// The order where the list does not begin with the names of its columns.
    const PLAIN: [Self; 5] = [Self::Name, Self::Born, Self::Sex, Self::Height, Self::Mass];
    /// The same of a squad, where a line has more cells than that.
    const SQUAD: [Self; 7] = [Self::Name, Self::Born, Self::Sex, Self::PlayingGroup, Self::Number, Self::Height, Self::Mass];

    fn named(cell: &str) -> Self {
        let key = text::search_key(cell);
        // A unit behind the word says nothing that the cells do not.
        match key.split(['(', ',']).next().unwrap_or_default().trim() {
            "name" | "full name" | "client" | "person" | "athlete" | "pupil" | "student" => Self::Name,
            "first name" | "forename" | "given name" | "first" => Self::FirstName,
            "last name" | "surname" | "family name" | "last" => Self::LastName,
            "birth date" | "birthdate" | "date of birth" | "dob" | "born" | "birthday" => Self::Born,
            "sex" | "gender" => Self::Sex,
            "height" | "stature" => Self::Height,
            "mass" | "body mass" | "weight" | "body weight" => Self::Mass,
            "playing group" | "group" | "team" | "line" | "position" => Self::PlayingGroup,
            "number" | "no" | "no." | "nr" | "nr." | "#" | "shirt" | "shirt number" => Self::Number,
            _ => Self::Other,
        }
    }
}

/// Splits a pasted text into lines and cells. Columns are separated by tabs, semicolons or commas; a first line that names its
/// columns says what they are.
///
/// # Errors
/// [`Code::OutOfRange`] where the list has too many lines, [`Code::BadJson`] where its columns cannot be told apart.
pub fn split(pasted: &str) -> Result<Vec<Cells>, InputError> {
    let separator = separator(pasted);
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(separator)
        .trim(csv::Trim::All)
        .from_reader(pasted.as_bytes());
    let mut rows = Vec::new();
    for record in reader.records() {
        let record = record.map_err(|e| InputError::new(Code::BadJson, "text", format!("This list cannot be read: {e}")))?;
        let cells: Vec<String> = record.iter().map(str::to_owned).collect();
        if cells.iter().any(|c| !c.is_empty()) {
            rows.push(cells);
        }
    }
    let columns: Vec<Column> = rows.first().map(|cells| cells.iter().map(|c| Column::named(c)).collect()).unwrap_or_default();
    let is_named = columns.iter().any(|c| matches!(c, Column::Name | Column::LastName | Column::FirstName));
    let is_wide = rows.iter().any(|cells| cells.len() > Column::PLAIN.len());
    let plain = if is_wide { Column::SQUAD.to_vec() } else { Column::PLAIN.to_vec() };
    let (columns, rows) = if is_named { (columns, &rows[1..]) } else { (plain, &rows[..]) };
    check_length(rows.len())?;
    Ok(rows.iter().map(|cells| line(cells, &columns)).collect())
}

/// Holds a list to the most lines one has.
///
/// # Errors
/// [`Code::OutOfRange`] on `text`.
pub fn check_length(lines: usize) -> Result<(), InputError> {
    if lines > LINES_MAX {
        let message = format!("This list has {lines} lines; {LINES_MAX} is the most. Paste it in parts.");
        return Err(InputError::new(Code::OutOfRange, "text", message));
    }
    Ok(())
}

/// What stands between the cells. A comma only where what follows it is no part of a name.
fn separator(pasted: &str) -> u8 {
    if pasted.contains('\t') {
        return b'\t';
    }
    if pasted.contains(';') {
        return b';';
    }
    let lines: Vec<&str> = pasted.lines().filter(|l| !l.trim().is_empty()).collect();
    let has_figures = |l: &&&str| l.split(',').skip(1).any(|cell| cell.chars().any(|c| c.is_ascii_digit()));
    if lines.iter().filter(has_figures).count() * 2 > lines.len() || lines.first().is_some_and(|l| l.matches(',').count() > 1) {
        return b',';
    }
    b'\t'
}

fn line(cells: &[String], columns: &[Column]) -> Cells {
    let mut line = Cells::default();
    let mut first = "";
    for (cell, column) in cells.iter().zip(columns) {
        match column {
            Column::Name | Column::LastName => line.name.clone_from(cell),
            Column::FirstName => first = cell,
            Column::Born => line.born.clone_from(cell),
            Column::Sex => line.sex.clone_from(cell),
            Column::Height => line.height.clone_from(cell),
            Column::Mass => line.mass.clone_from(cell),
            Column::PlayingGroup => line.playing_group.clone_from(cell),
            Column::Number => line.number.clone_from(cell),
            Column::Other => {}
        }
    }
    Cells { name: format!("{first} {}", line.name).trim().to_owned(), ..line }
}

/// Reads the cells of a line; what is wrong is said for each of them.
///
/// # Errors
/// One for each cell that cannot be read, on `name`, `born`, `sex`, `height`, `mass`, `playing_group` or `number`.
pub fn read(line: &Cells, month_first: bool, units: Units, today: NaiveDate) -> Result<Entry, Vec<InputError>> {
    let mut faults = Vec::new();
    let name = text::name(&line.name, "name").map_err(|e| faults.push(e)).ok();
    let born = born(&line.born, month_first, today).map_err(|e| faults.push(e)).ok();
    let sex = sex(&line.sex).map_err(|e| faults.push(e)).ok();
    let given = |text: &str| (!text.trim().is_empty()).then(|| text.trim().to_owned());
    let height = given(&line.height).map(|t| Height::parse_entry(&t, units == Units::Imperial).map(|h| (h, t))).transpose();
    let height = height.map_err(|e| faults.push(e.at("height"))).ok();
    let mass = given(&line.mass).map(|t| BodyMass::parse_entry(&t, units == Units::Imperial).map(|m| (m, t))).transpose();
    let mass = mass.map_err(|e| faults.push(e.at("mass"))).ok();
    let playing_group = group::playing_group(&line.playing_group).map_err(|e| faults.push(e)).ok();
    let number = group::number(&line.number).map_err(|e| faults.push(e)).ok();
    match (name, born, sex, height, mass, playing_group, number) {
        (Some(name), Some(born), Some(sex), Some(height), Some(mass), Some(playing_group), Some(number)) => {
            Ok(Entry { name, born, sex, height, mass, playing_group, number })
        }
        _ => Err(faults),
    }
}

fn born(cell: &str, month_first: bool, today: NaiveDate) -> Result<NaiveDate, InputError> {
    let example = if month_first { "4/2/1990" } else { "2/4/1990" };
    if cell.trim().is_empty() {
        return Err(InputError::new(Code::MissingInput, "born", format!("Type the birth date, such as {example}.")));
    }
    let day = day(cell, month_first, today).ok_or_else(|| {
        InputError::new(Code::OutOfRange, "born", format!("“{cell}” isn’t a date. Type it like {example} or 2 Apr 1990."))
    })?;
    check_born(day, today).map(|()| day)
}

/// A day as people type it: `2/4/1990`, `2.4.90`, `2 Apr 1990`, `1990-04-02`. With full stops the day comes first wherever it is typed. A year of two digits is the latest one that is not ahead.
pub fn day(cell: &str, month_first: bool, today: NaiveDate) -> Option<NaiveDate> {
    let parts: Vec<&str> = cell.split(|c: char| c.is_whitespace() || "./,-".contains(c)).filter(|p| !p.is_empty()).collect();
    let plain = cell.trim();
    let parts = match parts.as_slice() {
        // 02041990, without anything between.
        [_] if matches!(plain.len(), 6 | 8) && plain.bytes().all(|b| b.is_ascii_digit()) => vec![&plain[..2], &plain[2..4], &plain[4..]],
        _ => parts,
    };
    let [a, b, c] = parts.as_slice() else { return None };
    let month_of =
        |word: &str| (word.len() >= 3 && word.chars().all(char::is_alphabetic)).then(|| word.parse::<chrono::Month>().ok()).flatten();
    let number = |part: &str| part.parse::<u32>().ok();
    let (year, month, day) = if a.len() == 4 {
        (*a, number(b)?, number(c)?)
    } else if let Some(month) = month_of(a) {
        (*c, month.number_from_month(), number(b)?)
    } else if let Some(month) = month_of(b) {
        (*c, month.number_from_month(), number(a)?)
    } else if month_first && !cell.contains('.') {
        (*c, number(a)?, number(b)?)
    } else {
        (*c, number(b)?, number(a)?)
    };
    let digits = year.parse::<i32>().ok()?;
    let year = match year.len() {
        4 => digits,
        2 => {
            let this_century = today.year() - today.year() % 100 + digits;
            if this_century > today.year() { this_century - 100 } else { this_century }
        }
        _ => return None,
    };
    NaiveDate::from_ymd_opt(year, month, day)
}

fn sex(cell: &str) -> Result<Option<Sex>, InputError> {
    match text::search_key(cell).trim_end_matches(['.', '’', '\'']).trim_end_matches("'s").trim_end_matches("’s") {
        "" | "-" | "–" | "none" => Ok(None),
        "f" | "w" | "female" | "woman" | "women" | "girl" => Ok(Some(Sex::Female)),
        "m" | "male" | "man" | "men" | "boy" => Ok(Some(Sex::Male)),
        _ => Err(InputError::new(Code::OutOfRange, "sex", "Type f or m, or leave it empty.")),
    }
}

/// Whether two names may be one person's: the same but for case, marks and the order of the words, or one letter apart.
pub fn is_near(a: &str, b: &str) -> bool {
    let words = |name: &str| {
        let key: String = text::search_key(name).chars().map(|c| if c.is_alphanumeric() { c } else { ' ' }).collect();
        let mut words: Vec<String> = key.split_whitespace().map(str::to_owned).collect();
        words.sort();
        words.join(" ")
    };
    let (a, b) = (words(a), words(b));
    a == b || (a.chars().count() > 3 && damerau_levenshtein(&a, &b) <= 1)
}

#[cfg(test)]
mod tests {
    use super::*;
    use test_case::test_case;

    fn today() -> NaiveDate {
        "2026-11-29".parse().unwrap()
    }

    fn names(pasted: &str) -> Vec<String> {
        split(pasted).unwrap().into_iter().map(|l| l.name).collect()
    }

    #[test]
    fn names_alone_are_one_a_line_also_with_the_surname_first() {
        assert_eq!(names("Maud Ellery\n\n  Dane, Rurik \r\nNoor"), ["Maud Ellery", "Dane, Rurik", "Noor"]);
        assert_eq!(names(""), Vec::<String>::new());
    }

    #[test_case("Maud Ellery\t2/4/1990\tf\t172\t64"; "tabs")]
    #[test_case("Maud Ellery;2/4/1990;f;172;64"; "semicolons")]
    #[test_case("Maud Ellery, 2/4/1990, f, 172, 64"; "commas")]
    #[test_case("Weight (kg)\tSurname\tFirst name\tColour\tDOB\tSex\tHeight\n64\tEllery\tMaud\tblue\t2/4/1990\tf\t172"; "named columns in any order")]
    #[test_case("\"Maud Ellery\",2/4/1990,f,172,64"; "quoted")]
    fn columns_are_told_by_what_separates_them(pasted: &str) {
        let want = Cells {
            name: "Maud Ellery".into(),
            born: "2/4/1990".into(),
            sex: "f".into(),
            height: "172".into(),
            mass: "64".into(),
            ..Cells::default()
        };
        assert_eq!(split(pasted).unwrap(), [want]);
    }

    /// A squad's list: a playing group and a number, in the order of the plain columns or by their names.
    #[test_case("Maud Ellery;2/4/1990;f;blue;7;172;64"; "plain")]
    #[test_case("Team;No.;Name;Born;Sex;Height;Mass\nblue;7;Maud Ellery;2/4/1990;f;172;64"; "named")]
    fn a_squad_has_playing_groups_and_numbers(pasted: &str) {
        let [line] = split(pasted).unwrap().try_into().unwrap();
        assert_eq!(
            (line.playing_group.as_str(), line.number.as_str(), line.height.as_str(), line.mass.as_str()),
            ("blue", "7", "172", "64")
        );
        let read = read(&line, false, Units::Metric, today()).unwrap();
        assert_eq!((read.playing_group.as_deref(), read.number), (Some("blue"), Some(7)));
    }

    #[test]
    fn each_cell_that_is_wrong_is_named() {
        let line = Cells {
            name: " ".into(),
            born: "31/2/1990".into(),
            sex: "x".into(),
            height: "tall".into(),
            mass: "12 furlongs".into(),
            ..Cells::default()
        };
        let fields: Vec<String> = read(&line, false, Units::Metric, today()).unwrap_err().into_iter().filter_map(|e| e.field).collect();
        assert_eq!(fields, ["name", "born", "sex", "height", "mass"]);
        let read =
            read(&Cells { name: "Noor".into(), born: "2 apr 90".into(), ..Cells::default() }, false, Units::Metric, today()).unwrap();
        assert_eq!((read.born.to_string().as_str(), read.sex, read.height, read.mass), ("1990-04-02", None, None, None));
    }

    #[test_case("2/4/1990", false, Some("1990-04-02"))]
    #[test_case("4/2/1990", true, Some("1990-04-02"))]
    #[test_case("2.4.90", false, Some("1990-04-02"))]
    #[test_case("2.4.90", true, Some("1990-04-02"); "full stops have the day first everywhere")]
    #[test_case("1990-04-02", true, Some("1990-04-02"))]
    #[test_case("Apr 2, 1990", false, Some("1990-04-02"))]
    #[test_case("2 september 2016", false, Some("2016-09-02"))]
    #[test_case("2/4/26", false, Some("2026-04-02"))]
    #[test_case("2/4/27", false, Some("1927-04-02"))]
    #[test_case("02041990", false, Some("1990-04-02"))]
    #[test_case("040290", true, Some("1990-04-02"))]
    #[test_case("13/13/1990", false, None)]
    #[test_case("1990", false, None)]
    fn days(cell: &str, month_first: bool, want: Option<&str>) {
        assert_eq!(day(cell, month_first, today()), want.map(|d| d.parse().unwrap()));
    }

    #[test_case("Maud Ellery", "ellery, maud", true; "order of the words")]
    #[test_case("Zoë Brandt", "Zoe Brandt", true; "marks")]
    #[test_case("Rurik Dane", "Rurick Dane", true; "a letter more")]
    #[test_case("Rurik Dane", "Ruirk Dane", true; "two letters turned round")]
    #[test_case("Rurik Dane", "Rurik Dale Dane", false; "a word more")]
    #[test_case("Noor", "Moor", true; "one letter")]
    #[test_case("Ada", "Ida", false; "too short to tell")]
    fn near_names(a: &str, b: &str, near: bool) {
        assert_eq!(is_near(a, b), near);
        assert_eq!(is_near(b, a), near);
    }

    #[test]
    fn a_list_has_an_end() {
        assert_eq!(split(&"Noor\n".repeat(LINES_MAX + 1)).unwrap_err().code, Code::OutOfRange);
    }
}
