//! Scoring tables: points for a raw score, by sex and age band where the coach wants, and levels by their total. A table has a
//! version and a day; raw scores are what is kept, and points are worked out from them whenever they are shown.

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};

use crate::{
    catalogue::Protocol,
    error::{Code, InputError},
    person::{Facts, Sex},
    quantity, text,
};

/// The most rows of a table, and the most steps of a row.
const ROWS_MAX: usize = 200;
const STEPS_MAX: usize = 40;
/// The oldest a band reaches, years.
const AGE_MAX: u8 = 110;

/// A table of a battery.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ScoringTable {
    /// Counts up; a newer one takes the place of the older from its day on.
    #[serde(default)]
    pub version: u32,
    /// From this day on.
    pub from: NaiveDate,
    /// Points for raw scores.
    pub rows: Vec<PointRow>,
    /// Levels by the total, the lowest first.
    #[serde(default)]
    pub levels: Vec<PointLevel>,
}

/// Points of one test for one group of people.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PointRow {
    /// The test it belongs to, by its name in the battery, so that points stay with it wherever it stands.
    #[serde(default)]
    pub test: String,
    /// Its place in the battery as it is now, from 0.
    pub place: usize,
    /// For one sex; for everybody where absent.
    pub sex: Option<Sex>,
    /// From this age on, completed years; for every age where absent.
    pub age_from: Option<u8>,
    pub age_to: Option<u8>,
    /// What a raw score at least (or, where less is better, at most) brings.
    pub steps: Vec<PointStep>,
}

/// A raw score and its points.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PointStep {
    /// The raw score, in the measure's unit.
    pub raw: f64,
    /// What it brings.
    pub points: f64,
}

/// A named band of the total.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PointLevel {
    /// From this total on.
    pub from: f64,
    /// What it is called.
    pub name: String,
}

impl PointRow {
    fn holds_for(&self, facts: &Facts) -> bool {
        let aged = match (self.age_from, self.age_to) {
            (None, None) => true,
            (from, to) => facts.age.is_some_and(|a| {
                let years = a.value().floor();
                years >= f64::from(from.unwrap_or(0)) && years <= f64::from(to.unwrap_or(AGE_MAX))
            }),
        };
        aged && self.sex.is_none_or(|s| facts.sex == Some(s))
    }

    fn ages(&self) -> (u8, u8) {
        (self.age_from.unwrap_or(0), self.age_to.unwrap_or(AGE_MAX))
    }

    /// The points of a raw score; nothing under the first step is 0.
    pub fn points(&self, raw: f64, lower_is_better: bool) -> f64 {
        let met = |s: &&PointStep| if lower_is_better { raw <= s.raw } else { raw >= s.raw };
        self.steps.iter().filter(met).map(|s| s.points).fold(0.0, f64::max)
    }

    /// The most it can bring.
    pub fn most(&self) -> f64 {
        self.steps.iter().map(|s| s.points).fold(0.0, f64::max)
    }
}

impl ScoringTable {
    /// The table with each row at the place where its test stands now; rows of tests that stand there no more are left out. A row that
    /// names no test yet is named after the one at its place.
    #[must_use]
    pub fn placed_in(mut self, tests: &[&str]) -> Self {
        self.rows.retain_mut(|row| {
            if row.test.is_empty() {
                row.test = tests.get(row.place).map(|t| (*t).to_owned()).unwrap_or_default();
                return true;
            }
            let place = tests.iter().position(|t| *t == row.test);
            row.place = place.unwrap_or(row.place);
            place.is_some()
        });
        self
    }

    /// The row of a place for a person; nothing where the table has none.
    pub fn row(&self, place: usize, facts: &Facts) -> Option<&PointRow> {
        self.rows.iter().find(|r| r.place == place && r.holds_for(facts))
    }

    /// The level of a total; nothing under the lowest.
    pub fn level(&self, total: f64) -> Option<&str> {
        self.levels.iter().rfind(|l| total >= l.from).map(|l| l.name.as_str())
    }

    /// Holds a table together: every row has rising points in the direction that is better, and the age bands of a test neither
    /// overlap nor leave a hole. `tests`: the battery's tests by their place; nothing where the practice has no such test any more.
    ///
    /// # Errors
    /// [`Code::OutOfRange`] or [`Code::MissingInput`] naming the row, in words.
    pub fn check(&self, tests: &[Option<&Protocol>]) -> Result<(), InputError> {
        let bad = |code: Code, field: &str, message: String| Err(InputError::new(code, field, message));
        if self.rows.is_empty() {
            return bad(Code::MissingInput, "rows", "A scoring table has points for at least one test.".into());
        }
        if self.rows.len() > ROWS_MAX {
            return bad(Code::OutOfRange, "rows", format!("{ROWS_MAX} rows are the most."));
        }
        for (k, row) in self.rows.iter().enumerate() {
            let field = format!("rows.{k}");
            let Some(test) = tests.get(row.place) else {
                return bad(Code::OutOfRange, &field, format!("Row {}: this battery has no test number {}.", k + 1, row.place + 1));
            };
            let Some(protocol) = test else { continue };
            let name = &protocol.name;
            let lower = lower_is_better(protocol);
            if row.steps.is_empty() || row.steps.len() > STEPS_MAX {
                return bad(Code::MissingInput, &field, format!("{name}: give raw scores for its points, {STEPS_MAX} at the most."));
            }
            if row.steps.iter().any(|s| !s.raw.is_finite() || !s.points.is_finite() || s.points.abs() > 10_000.0) {
                return bad(Code::OutOfRange, &field, format!("{name}: raw scores and points are numbers."));
            }
            let falls =
                row.steps.windows(2).any(|w| w[0].points >= w[1].points || if lower { w[0].raw <= w[1].raw } else { w[0].raw >= w[1].raw });
            if falls {
                let (better, way) = if lower { ("less", "falling") } else { ("more", "rising") };
                let message = format!("{name}: {better} is better, so the points rise with {way} raw scores. Put the steps in order.");
                return bad(Code::OutOfRange, &field, message);
            }
            if row.ages().0 > row.ages().1 {
                return bad(
                    Code::OutOfRange,
                    &field,
                    format!("{name}: the ages {} to {} are the wrong way round.", row.ages().0, row.ages().1),
                );
            }
        }
        for (place, test) in tests.iter().enumerate() {
            for sex in [Sex::Male, Sex::Female] {
                self.check_bands(place, sex, test.map_or("", |p| &p.name))?;
            }
        }
        let rising = self.levels.windows(2).all(|w| w[0].from < w[1].from);
        if !rising || self.levels.iter().any(|l| !l.from.is_finite() || l.name.trim().is_empty() || l.name.len() > 60) {
            return bad(
                Code::OutOfRange,
                "levels",
                "Levels have a name each, and each begins at a higher total than the one before.".into(),
            );
        }
        Ok(())
    }

    /// The age bands of one test for one sex.
    fn check_bands(&self, place: usize, sex: Sex, name: &str) -> Result<(), InputError> {
        let mut bands: Vec<(usize, (u8, u8))> = self
            .rows
            .iter()
            .enumerate()
            .filter(|(_, r)| r.place == place && r.sex.is_none_or(|s| s == sex))
            .map(|(k, r)| (k, r.ages()))
            .collect();
        bands.sort_by_key(|(_, ages)| *ages);
        for pair in bands.windows(2) {
            let ((_, (_, to)), (k, (from, _))) = (pair[0], pair[1]);
            let field = format!("rows.{k}");
            if from <= to {
                let message = format!("{name}: two rows hold for {} of {from}. Each person has one.", sex.plural());
                return Err(InputError::new(Code::OutOfRange, &field, message));
            }
            if from > to + 1 {
                let message = format!("{name}: there is a hole for {} of {} to {}.", sex.plural(), to + 1, from - 1);
                return Err(InputError::new(Code::OutOfRange, &field, message));
            }
        }
        Ok(())
    }
}

/// Whether less of a test's first measure is better.
pub fn lower_is_better(protocol: &Protocol) -> bool {
    quantity::lower_is_better(protocol.headline())
}

/// The table that holds on a day: the newest one from that day or before.
pub fn in_force(tables: &[ScoringTable], on: NaiveDate) -> Option<&ScoringTable> {
    tables.iter().filter(|t| t.from <= on).max_by_key(|t| (t.from, t.version))
}

/// A table line by line: a line for each row, a column for each number of points, under a line of what they are.
pub fn lines(table: &ScoringTable, name: &dyn Fn(usize) -> String) -> Vec<Vec<String>> {
    let mut columns: Vec<f64> = table.rows.iter().flat_map(|r| r.steps.iter().map(|s| s.points)).collect();
    columns.sort_by(f64::total_cmp);
    columns.dedup();
    let head = HEAD.map(str::to_owned).into_iter().chain(columns.iter().map(f64::to_string)).collect();
    let line = |row: &PointRow| {
        let sex = match row.sex {
            Some(Sex::Male) => "male",
            Some(Sex::Female) => "female",
            None => "",
        };
        let age = |a: Option<u8>| a.map_or_else(String::new, |a| a.to_string());
        let raw = |points: &f64| row.steps.iter().find(|s| s.points == *points).map_or_else(String::new, |s| s.raw.to_string());
        let first = [(row.place + 1).to_string(), name(row.place), sex.to_owned(), age(row.age_from), age(row.age_to)];
        first.into_iter().chain(columns.iter().map(raw)).collect()
    };
    std::iter::once(head).chain(table.rows.iter().map(line)).collect()
}

/// What a line begins with.
const HEAD: [&str; 5] = ["place", "test", "sex", "age_from", "age_to"];

/// Reads the rows as [`lines`] writes them; the test's name is for people and is not read.
///
/// # Errors
/// [`Code::BadValue`] naming the line.
pub fn read(records: impl Iterator<Item = Vec<String>>) -> Result<Vec<PointRow>, InputError> {
    let bad = |message: String| InputError::new(Code::BadValue, "csv", message);
    let mut records = records.enumerate();
    let head = records.next().map(|(_, h)| h).unwrap_or_default();
    if head.len() <= HEAD.len() || HEAD.iter().zip(&head).any(|(wanted, given)| given.trim() != *wanted) {
        return Err(bad("The first line is place, test, sex, age_from, age_to, and then a column for each number of points.".into()));
    }
    let points: Vec<f64> = head[5..]
        .iter()
        .map(|c| number(c.trim()).ok_or_else(|| bad(format!("The first line: “{}” isn’t a number of points.", text::capital(c.trim())))))
        .collect::<Result<_, _>>()?;
    records
        .filter(|(_, fields)| fields.iter().any(|f| !f.trim().is_empty()))
        .map(|(k, fields)| {
            let line = k + 1;
            let field = |n: usize| fields.get(n).map_or("", |f| f.trim());
            let wrong = |n: usize, what: &str| bad(format!("Line {line}: “{}” is no {what}.", field(n)));
            let place: usize = field(0).parse().ok().filter(|p| *p > 0).ok_or_else(|| wrong(0, "place of the battery"))?;
            let sex = match field(2).to_lowercase().as_str() {
                "" => None,
                "male" | "men" | "m" => Some(Sex::Male),
                "female" | "women" | "f" => Some(Sex::Female),
                _ => return Err(wrong(2, "sex: male, female or nothing")),
            };
            let age = |n: usize| match field(n) {
                "" => Ok(None),
                years => years.parse().map(Some).map_err(|_| wrong(n, "age in years")),
            };
            let mut steps = Vec::new();
            for (n, points) in points.iter().enumerate().filter(|(n, _)| !field(5 + n).is_empty()) {
                let raw = number(field(5 + n)).ok_or_else(|| wrong(5 + n, "raw score"))?;
                steps.push(PointStep { raw, points: *points });
            }
            Ok(PointRow { test: String::new(), place: place - 1, sex, age_from: age(3)?, age_to: age(4)?, steps })
        })
        .collect()
}

/// A number as a spreadsheet writes it, with a point or a comma; what is none, or without an end, is nothing.
fn number(text: &str) -> Option<f64> {
    text.replace(',', ".").parse().ok().filter(|n: &f64| n.is_finite())
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::{catalogue, units::Age};

    fn tests() -> [Option<&'static Protocol>; 2] {
        ["plank", "sprint"].map(|id| catalogue::find(id).ok())
    }

    fn row(place: usize, ages: Option<(u8, u8)>, steps: &[(f64, f64)]) -> PointRow {
        let steps = steps.iter().map(|(raw, points)| PointStep { raw: *raw, points: *points }).collect();
        PointRow { test: String::new(), place, sex: None, age_from: ages.map(|a| a.0), age_to: ages.map(|a| a.1), steps }
    }

    fn table(rows: Vec<PointRow>) -> ScoringTable {
        let levels = vec![PointLevel { from: 2.0, name: "steady".into() }, PointLevel { from: 8.0, name: "strong".into() }];
        ScoringTable { version: 1, from: NaiveDate::from_ymd_opt(2026, 1, 1).unwrap(), rows, levels }
    }

    fn check(rows: Vec<PointRow>) -> Result<(), String> {
        table(rows).check(&tests()).map_err(|e| e.message)
    }

    #[test]
    fn more_of_a_hold_and_less_of_a_sprint_bring_more() {
        let table = table(vec![row(0, None, &[(30.0, 1.0), (60.0, 3.0), (120.0, 5.0)]), row(1, None, &[(8.0, 1.0), (6.0, 5.0)])]);
        table.check(&tests()).unwrap();
        let of = |place: usize, raw: f64| table.row(place, &Facts::default()).unwrap().points(raw, place == 1);
        assert_eq!([of(0, 29.9), of(0, 30.0), of(0, 119.0), of(0, 500.0)], [0.0, 1.0, 3.0, 5.0]);
        assert_eq!([of(1, 8.1), of(1, 8.0), of(1, 5.5)], [0.0, 1.0, 5.0]);
        assert_eq!([1.0, 2.0, 7.9, 10.0].map(|t| table.level(t).unwrap_or("none")), ["none", "steady", "steady", "strong"]);
    }

    #[test]
    fn a_hole_an_overlap_and_falling_points_are_named() {
        let steps = [(30.0, 1.0), (60.0, 2.0)];
        assert!(check(vec![row(0, Some((18, 29)), &steps), row(0, Some((30, 39)), &steps)]).is_ok());
        assert!(
            check(vec![row(0, Some((18, 29)), &steps), row(0, Some((35, 39)), &steps)]).unwrap_err().contains("hole for men of 30 to 34")
        );
        assert!(
            check(vec![row(0, Some((18, 30)), &steps), row(0, Some((30, 39)), &steps)])
                .unwrap_err()
                .contains("two rows hold for men of 30")
        );
        assert!(check(vec![row(0, None, &[(60.0, 1.0), (30.0, 2.0)])]).unwrap_err().contains("more is better"));
        assert!(check(vec![row(1, None, &[(6.0, 1.0), (8.0, 2.0)])]).unwrap_err().contains("less is better"));
        assert!(check(vec![row(0, None, &[])]).unwrap_err().contains("give raw scores"));
        assert!(check(vec![row(7, None, &steps)]).unwrap_err().contains("no test number 8"));
        assert!(check(vec![]).is_err());
    }

    #[test]
    fn a_person_without_an_age_has_no_row_of_an_age_band() {
        let table = table(vec![row(0, Some((18, 29)), &[(30.0, 1.0)])]);
        assert!(table.row(0, &Facts::default()).is_none());
        assert!(table.row(0, &Facts { age: Age::new(29.9).ok(), ..Facts::default() }).is_some(), "29 until the birthday");
    }

    #[test]
    fn the_newest_table_of_the_day_holds() {
        let day = |m: u32| NaiveDate::from_ymd_opt(2026, m, 1).unwrap();
        let of = |version: u32, from: NaiveDate| ScoringTable { version, from, ..table(vec![]) };
        let all = [of(1, day(1)), of(2, day(6)), of(3, day(6))];
        assert_eq!(in_force(&all, day(3)).unwrap().version, 1);
        assert_eq!(in_force(&all, day(6)).unwrap().version, 3);
        assert!(in_force(&all, NaiveDate::from_ymd_opt(2025, 1, 1).unwrap()).is_none());
    }

    fn typed(csv: &str) -> Result<Vec<PointRow>, InputError> {
        read(csv.lines().map(|l| l.split(',').map(str::to_owned).collect()))
    }

    #[test]
    fn a_bad_cell_names_its_line() {
        let head = "place,test,sex,age_from,age_to,1,2\n";
        assert!(typed(&format!("{head}1,Plank,,,,30,sixty\n")).unwrap_err().message.contains("Line 2: “sixty” is no raw score"));
        for no_number in ["NaN", "inf", "-infinity"] {
            assert!(typed(&format!("{head}1,Plank,,,,30,{no_number}\n")).unwrap_err().message.contains("raw score"));
            assert!(typed(&format!("place,test,sex,age_from,age_to,{no_number}\n")).unwrap_err().message.contains("number of points"));
        }
        assert!(typed(&format!("{head}1,Plank,,,,30,60\n0,,,,,1,2\n")).unwrap_err().message.contains("Line 3"));
        assert!(typed("a,b\n").unwrap_err().message.contains("first line"));
    }

    proptest! {
        #[test]
        fn what_is_written_is_read_back(raws in prop::collection::vec(1.0..500.0f64, 1..8), age in prop::option::of(18u8..60)) {
            let mut raws: Vec<f64> = raws.iter().map(|r| (r * 10.0).round() / 10.0).collect();
            raws.sort_by(f64::total_cmp);
            raws.dedup();
            let steps: Vec<(f64, f64)> = raws.iter().enumerate().map(|(k, r)| (*r, k as f64 + 1.0)).collect();
            let table = table(vec![row(0, age.map(|a| (a, a + 9)), &steps)]);
            prop_assert_eq!(read(lines(&table, &|_| "Plank".into()).into_iter()).unwrap(), table.rows);
        }
    }
}
