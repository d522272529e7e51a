//! Compared with whom: the printed tables.
//!
//! The tables are the CSV files of `data/norms/`, which the build collects. Each describes itself: its header says what it
//! is about, who says so and whom it describes, its columns say how it is to be read. A percentile is linear between
//! printed points and never extrapolated; beyond the outermost point the answer is a [`Bound`]. To add a table, add its
//! file.
//!
//! | header | |
//! |---|---|
//! | `source`, `status`, `population` | author, title, year; published or not, recalled or read; whom it describes |
//! | `better: lower` | a smaller value is the better performance; behind a part's name for that part alone |
//! | `below: poor` | the category beyond the last limit |
//! | `words: act calls for action` | what a category is called where its key says too little |
//! | `limits: exclusive` | a value at the limit of a category no longer belongs to it |
//! | `factor: walk-6min 0.9144` | what a printed value of a part is multiplied with to be in the measure's unit |
//! | `ages: 17-25` | whom a table without age bands is about |
//! | `column: hr` | which column of each sex is read, where there are several |
//!
//! | columns | shape |
//! |---|---|
//! | `percentile`, one a sex | percentiles, a row each |
//! | `p90`, `p10`… | percentiles of a sex and age band |
//! | `low`, `high` | the middle half |
//! | `male_mean`, `male_sd`… | means, with or without standard deviation |
//! | anything else | categories with their limits, best first |
//!
//! Columns in front of `sex` and the ages name a part: such a file is several tables, `older-adult-ranges/walk-6min`.

use std::{collections::BTreeMap, sync::LazyLock};

use serde::{Deserialize, Serialize};

use crate::person::{Facts, Sex};

// Of every file of `data/norms/` its name, its head and its rows, as the build found them: `NORMS`.
include!(concat!(env!("OUT_DIR"), "/norms.rs"));

/// How a table is to be read.
#[derive(Debug, Clone, PartialEq)]
enum Shape {
    /// Performance by percentile; where the ages are given the table is about them as a whole.
    Percentiles { ages: Option<(f64, f64)> },
    /// Limits of categories.
    Categories { below_last: String, exclusive: bool },
    /// The middle half of performance; what a printed value is multiplied with to be in the measure's unit.
    Range { factor: f64 },
    /// Mean and standard deviation.
    Mean,
}

/// One printed table.
#[derive(Debug, Clone)]
pub struct Table {
    /// Stable id: the file's name.
    pub id: &'static str,
    /// Whom it describes, in words.
    pub population: String,
    /// Author, title, year.
    pub source: String,
    /// Published or common practice, recalled or read.
    pub status: String,
    /// What a category is called, where its key says too little.
    pub words: BTreeMap<&'static str, &'static str>,
    lower_is_better: bool,
    shape: Shape,
    strata: Vec<Stratum>,
}

/// One sex and age band of a table.
#[derive(Debug, Clone)]
struct Stratum {
    /// One of them, or both.
    sex: Option<Sex>,
    ages: Option<(f64, f64)>,
    /// Performance in rising percentile order: (percentile, value); for categories (rank, limit); for a mean (50, mean).
    points: Vec<(f64, f64)>,
    labels: Vec<String>,
    sd: Option<f64>,
}

impl Stratum {
    fn holds(&self, age: f64) -> bool {
        self.ages.is_none_or(|(from, to)| (from..to + 1.0).contains(&age))
    }
}

/// Beyond the outermost printed percentile.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Bound {
    /// Better than the highest printed percentile.
    Above(u32),
    /// Worse than the lowest printed percentile.
    Below(u32),
}

impl std::fmt::Display for Bound {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Above(p) => write!(f, "above_{p}"),
            Self::Below(p) => write!(f, "below_{p}"),
        }
    }
}

/// The mean of people like this one.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Mean {
    /// In the measure's unit.
    pub value: f64,
    /// Standard deviation, where it is printed.
    pub sd: Option<f64>,
    /// How many standard deviations above the mean.
    pub z: Option<f64>,
}

/// The middle half of people like this one, in the table's own unit.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Range {
    /// The 25th percentile of performance.
    pub low: f64,
    /// The 75th.
    pub high: f64,
    /// Where the value lies.
    pub place: Band,
}

/// Where a value lies to a range, by performance.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Band {
    /// Under the 25th percentile.
    Below,
    /// In the middle half, its ends included.
    Within,
    /// Over the 75th percentile.
    Above,
}

impl Band {
    /// In words; of a time, where less is better, as slower and faster: 7.9 s is no number below 5 to 7 s.
    pub const fn words(self, lower_is_better: bool) -> &'static str {
        match (self, lower_is_better) {
            (Self::Within, _) => "in the usual range",
            (Self::Below, false) => "below the usual range",
            (Self::Above, false) => "above the usual range",
            (Self::Below, true) => "slower than the usual range",
            (Self::Above, true) => "faster than the usual range",
        }
    }
}

/// Where a value stands in a table.
#[derive(Debug, Clone, PartialEq)]
pub struct Standing {
    pub table: &'static Table,
    /// Percentile, linear between printed points.
    pub percentile: Option<f64>,
    /// Beyond the printed points.
    pub bound: Option<Bound>,
    /// Category, for tables of categories.
    pub category: Option<String>,
    /// For tables of means.
    pub mean: Option<Mean>,
    /// For tables of ranges.
    pub range: Option<Range>,
    /// The fact of the client that the table does not cover: `age_years` or `sex`.
    pub mismatch: Option<&'static str>,
}

impl PartialEq for Table {
    fn eq(&self, other: &Self) -> bool {
        self.id == other.id
    }
}

/// A table's stratum as ticks for a drawing: the printed points.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Tick {
    /// What stands at the tick: a percentile or a category's name.
    pub label: String,
    /// The printed value.
    pub value: f64,
}

static TABLES: LazyLock<BTreeMap<String, Table>> =
    LazyLock::new(|| NORMS.iter().flat_map(|(id, head, rows)| read(id, head, rows)).collect());

/// The table with this id: a file's name, and behind a stroke the part of it where it has parts.
pub fn table(id: &str) -> Option<&'static Table> {
    TABLES.get(id)
}

/// Every table that ships.
pub fn tables() -> impl Iterator<Item = &'static Table> {
    TABLES.values()
}

impl Table {
    /// Where `value` stands for a person with these facts.
    pub fn standing(&'static self, value: f64, facts: &Facts) -> Standing {
        let mut standing = Standing { table: self, percentile: None, bound: None, category: None, mean: None, range: None, mismatch: None };
        let stratum = match self.stratum(facts) {
            Ok(stratum) => stratum,
            Err(field) => {
                standing.mismatch = Some(field);
                return standing;
            }
        };
        match &self.shape {
            Shape::Percentiles { ages } => {
                let fits = ages.is_none_or(|(from, to)| facts.age.is_some_and(|a| (from..=to).contains(&a.value())));
                standing.mismatch = (!fits).then_some("age_years");
                place(value, stratum, self.lower_is_better, &mut standing);
            }
            Shape::Categories { below_last, exclusive } => {
                let met = stratum.points.iter().position(|(_, limit)| match (self.lower_is_better, exclusive) {
                    (true, false) => value <= *limit,
                    (true, true) => value < *limit,
                    (false, false) => value >= *limit,
                    (false, true) => value > *limit,
                });
                standing.category = Some(met.map_or_else(|| below_last.clone(), |k| stratum.labels[k].clone()));
            }
            Shape::Range { factor } => {
                if let [(_, low), (_, high)] = stratum.points[..] {
                    let merit = |v: f64| if self.lower_is_better { -v } else { v };
                    let place = match merit(value) {
                        v if v < merit(low) => Band::Below,
                        v if v > merit(high) => Band::Above,
                        _ => Band::Within,
                    };
                    standing.range = Some(Range { low: low / factor, high: high / factor, place });
                }
            }
            Shape::Mean => {
                standing.mean = stratum.points.first().map(|(_, mean)| Mean {
                    value: *mean,
                    sd: stratum.sd,
                    z: stratum.sd.map(|sd| (value - mean) / sd),
                });
            }
        }
        standing
    }

    /// The printed points of the person's stratum, for a drawing; empty where the table does not cover the person.
    pub fn ticks(&self, facts: &Facts) -> Vec<Tick> {
        let Ok(stratum) = self.stratum(facts) else { return Vec::new() };
        stratum.points.iter().zip(&stratum.labels).map(|((_, value), label)| Tick { label: label.clone(), value: *value }).collect()
    }

    /// Whether the table was made of people of a person's age, and of their sex where it tells them apart.
    pub fn is_for_age_of(&self, facts: &Facts) -> bool {
        let Ok(stratum) = self.stratum(facts) else { return false };
        let within = |(from, to): (f64, f64)| facts.age.is_some_and(|a| (from..=to).contains(&a.value()));
        match &self.shape {
            Shape::Percentiles { ages: Some(ages) } => within(*ages),
            _ => stratum.ages.is_some(),
        }
    }

    /// The population in words, with the person's own stratum where the table has strata.
    pub fn population_for(&self, facts: &Facts) -> String {
        let Ok(stratum) = self.stratum(facts) else { return self.population.clone() };
        let people = stratum.sex.map_or("people", Sex::plural);
        let aged = match stratum.ages {
            None => return if stratum.sex.is_some() { format!("{people}, {}", self.population) } else { self.population.clone() },
            Some((from, to)) if to >= 110.0 => format!("{people} of {from} and over"),
            Some((from, to)) => format!("{people} of {from} to {to}"),
        };
        match &self.shape {
            Shape::Categories { .. } => aged,
            Shape::Range { .. } => format!("{aged} living at home"),
            Shape::Percentiles { .. } | Shape::Mean => format!("{aged}, {}", self.population),
        }
    }

    /// The between-person standard deviation that the table implies for a person: as printed; half the distance between the
    /// 16th and the 84th percentile; a middle half is 1.349 of it wide. `None` for other tables and where a point lies beyond
    /// the printed ones.
    pub fn implied_sd(&self, facts: &Facts) -> Option<f64> {
        let stratum = self.stratum(facts).ok()?;
        match &self.shape {
            Shape::Percentiles { .. } => Some((value_at(&stratum.points, 84.0)? - value_at(&stratum.points, 16.0)?).abs() / 2.0),
            Shape::Range { .. } => match stratum.points[..] {
                [(_, low), (_, high)] => Some((high - low).abs() / 1.349),
                _ => None,
            },
            Shape::Mean => stratum.sd,
            Shape::Categories { .. } => None,
        }
    }

    /// Whether a smaller value is the better performance.
    pub const fn lower_is_better(&self) -> bool {
        self.lower_is_better
    }

    fn stratum(&self, facts: &Facts) -> Result<&Stratum, &'static str> {
        let of_sex = || self.strata.iter().filter(|s| s.sex.is_none() || s.sex == facts.sex);
        let first = of_sex().next().ok_or("sex")?;
        if first.ages.is_none() {
            return Ok(first);
        }
        let age = facts.age.ok_or("age_years")?.value();
        of_sex().find(|s| s.holds(age)).ok_or("age_years")
    }
}

/// Puts percentile or bound into `standing`.
fn place(value: f64, stratum: &Stratum, lower_is_better: bool, standing: &mut Standing) {
    let merit = |v: f64| if lower_is_better { -v } else { v };
    let (Some(&lowest), Some(&highest)) = (stratum.points.first(), stratum.points.last()) else { return };
    if merit(value) < merit(lowest.1) {
        standing.bound = Some(Bound::Below(lowest.0 as u32));
    } else if merit(value) >= merit(highest.1) {
        if highest.0 >= 100.0 || value == highest.1 {
            standing.percentile = Some(highest.0);
        } else {
            standing.bound = Some(Bound::Above(highest.0 as u32));
        }
    } else {
        standing.percentile = stratum.points.windows(2).find(|w| merit(value) < merit(w[1].1)).map(|w| {
            let share = (value - w[0].1) / (w[1].1 - w[0].1);
            w[0].0 + share * (w[1].0 - w[0].0)
        });
    }
}

fn value_at(points: &[(f64, f64)], percentile: f64) -> Option<f64> {
    points.windows(2).find(|w| (w[0].0..=w[1].0).contains(&percentile)).map(|w| {
        let share = (percentile - w[0].0) / (w[1].0 - w[0].0);
        w[0].1 + share * (w[1].1 - w[0].1)
    })
}

/// A file of tables, being read.
struct File {
    header: BTreeMap<&'static str, &'static str>,
    columns: Vec<&'static str>,
    rows: Vec<Row>,
}

/// The cells of a row.
type Row = Vec<&'static str>;

impl File {
    fn column(&self, name: &str) -> Option<usize> {
        self.columns.iter().position(|c| *c == name)
    }

    fn cell(&self, row: &[&'static str], name: &str) -> Option<&'static str> {
        row.get(self.column(name)?).copied()
    }

    fn number(&self, row: &[&'static str], name: &str) -> Option<f64> {
        self.cell(row, name)?.parse().ok()
    }

    /// What the header says of a part: `walk-6min 0.9144; …`, or of all: `lower`.
    fn of_part(&self, key: &str, part: &str) -> Option<&str> {
        let said = self.header.get(key)?;
        said.split("; ").find_map(|each| match each.split_once(' ') {
            Some((name, value)) => (name == part).then_some(value),
            None => Some(each),
        })
    }

    fn ages(&self, row: &[&'static str]) -> Option<(f64, f64)> {
        Some((self.number(row, "age_min")?, self.number(row, "age_max")?))
    }

    /// Where the columns that name a part end.
    fn parts(&self) -> usize {
        let values = ["sex", "age_min", "percentile", "male_mean", "female_mean"];
        let first = self.columns.iter().position(|c| values.contains(c)).unwrap_or(0);
        // A table without sex and ages begins with its values.
        if self.column("sex").is_none() && self.column("age_min").is_none() && self.column("male_mean").is_none() { 0 } else { first }
    }
}

/// Reads a file: one table, or one for each part of it.
fn read(id: &'static str, head: &'static str, rows: &'static str) -> Vec<(String, Table)> {
    let header = head.lines().filter_map(|l| l.split_once(": ")).collect();
    let mut lines = rows.lines().map(|line| line.split('\t').collect::<Row>());
    let columns = lines.next().unwrap_or_default();
    let rows = lines.collect();
    let file = File { header, columns, rows };
    let named = |row: &Row| row[..file.parts()].iter().filter(|c| !c.is_empty()).copied().collect::<Vec<_>>().join("/");
    let mut parts: Vec<String> = file.rows.iter().map(named).collect();
    parts.sort_unstable();
    parts.dedup();
    parts
        .into_iter()
        .map(|part| {
            let rows: Vec<&Row> = file.rows.iter().filter(|r| named(r) == part).collect();
            let (shape, strata) = shaped(&file, &part, &rows);
            let said = |key: &str| file.header.get(key).copied().unwrap_or_default().to_owned();
            let table = Table {
                id,
                population: said("population"),
                source: said("source"),
                status: said("status"),
                words: file.header.get("words").into_iter().flat_map(|w| w.split("; ")).filter_map(|w| w.split_once(' ')).collect(),
                lower_is_better: file.of_part("better", &part) == Some("lower"),
                shape,
                strata,
            };
            (if part.is_empty() { id.to_owned() } else { format!("{id}/{part}") }, table)
        })
        .collect()
}

const SEXES: [(Sex, &str); 2] = [(Sex::Male, "male"), (Sex::Female, "female")];

/// The shape of a part, by its columns.
fn shaped(file: &File, part: &str, rows: &[&Row]) -> (Shape, Vec<Stratum>) {
    let strata = |each: &dyn Fn(&Row) -> Option<Stratum>| rows.iter().filter_map(|row| each(row)).collect();
    let sex = |row: &[&'static str]| file.cell(row, "sex").map(|s| if s == "male" { Sex::Male } else { Sex::Female });
    if file.column("percentile").is_some() {
        let column = file.header.get("column").copied().unwrap_or_default();
        let ages = file.header.get("ages").and_then(|a| a.split_once('-')).and_then(|(a, b)| Some((a.parse().ok()?, b.parse().ok()?)));
        let of_sex = |(sex, name): (Sex, &str)| {
            let value = |row: &&Row| Some((file.number(row, "percentile")?, file.number(row, &format!("{name}_{column}"))?));
            let mut points: Vec<(f64, f64)> = rows.iter().filter_map(value).collect();
            points.sort_by(|a, b| a.0.total_cmp(&b.0));
            let labels = points.iter().map(|(p, _)| format!("{p}")).collect();
            Stratum { sex: Some(sex), ages: None, points, labels, sd: None }
        };
        return (Shape::Percentiles { ages }, SEXES.map(of_sex).into());
    }
    if file.column("low").is_some() {
        let factor = file.of_part("factor", part).and_then(|f| f.parse().ok()).unwrap_or(1.0);
        let each = |row: &Row| {
            let (low, high) = (file.number(row, "low")?, file.number(row, "high")?);
            let points = vec![(25.0, low * factor), (75.0, high * factor)];
            Some(Stratum { sex: sex(row), ages: file.ages(row), points, labels: vec!["25".into(), "75".into()], sd: None })
        };
        return (Shape::Range { factor }, strata(&each));
    }
    if file.column("male_mean").is_some() {
        let each = |(sex, name): (Sex, &str), row: &Row| {
            let mean = file.number(row, &format!("{name}_mean"))?;
            let sd = file.number(row, &format!("{name}_sd"));
            Some(Stratum { sex: Some(sex), ages: file.ages(row), points: vec![(50.0, mean)], labels: vec!["mean".into()], sd })
        };
        return (Shape::Mean, rows.iter().flat_map(|row| SEXES.iter().filter_map(|of| each(*of, row)).collect::<Vec<_>>()).collect());
    }
    let percentile = |column: &str| column.strip_prefix('p').and_then(|p| p.parse::<f64>().ok());
    let values: Vec<usize> =
        (0..file.columns.len()).filter(|k| *k >= file.parts() && !["sex", "age_min", "age_max"].contains(&file.columns[*k])).collect();
    let each = |row: &Row| {
        let mut points: Vec<((f64, f64), String)> = values
            .iter()
            .enumerate()
            .filter_map(|(rank, k)| {
                let percent = percentile(file.columns[*k]);
                let label = percent.map_or_else(|| file.columns[*k].to_owned(), |p| format!("{p}"));
                Some(((percent.unwrap_or(rank as f64), row.get(*k)?.parse().ok()?), label))
            })
            .collect();
        // Percentiles rise, whichever way they are printed; categories stay in their order.
        points.sort_by(|a, b| a.0.0.total_cmp(&b.0.0));
        let (points, labels) = points.into_iter().unzip();
        Some(Stratum { sex: sex(row), ages: file.ages(row), points, labels, sd: None })
    };
    let shape = if values.first().is_some_and(|k| percentile(file.columns[*k]).is_some()) {
        Shape::Percentiles { ages: None }
    } else {
        let below_last = file.header.get("below").copied().unwrap_or("below").to_owned();
        Shape::Categories { below_last, exclusive: file.header.get("limits") == Some(&"exclusive") }
    };
    (shape, strata(&each))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::units::Age;
    use proptest::prelude::*;
    use test_case::test_case;

    fn facts(sex: Sex, age: f64) -> Facts {
        Facts { sex: Some(sex), age: Some(Age::new(age).unwrap()), ..Facts::default() }
    }

    #[test_case("bench-step-percentiles", Sex::Male, 20.0, 140.0, Some(80.0), None; "a printed point")]
    #[test_case("bench-step-percentiles", Sex::Male, 20.0, 138.0, Some(82.5), None; "between two")]
    #[test_case("bench-step-percentiles", Sex::Male, 20.0, 112.0, Some(100.0), None; "beyond a printed hundredth")]
    #[test_case("bench-step-percentiles", Sex::Male, 20.0, 185.0, None, Some("below_5"); "beyond the fifth")]
    #[test_case("vo2max-percentiles-treadmill", Sex::Male, 36.0, 64.29, None, Some("above_95"); "above a printed ninety-fifth")]
    #[test_case("vo2max-percentiles-treadmill", Sex::Female, 45.0, 26.7, Some(50.0), None; "the median")]
    #[test_case("vo2max-percentiles-treadmill", Sex::Female, 45.0, 41.7, Some(95.0), None; "exactly the last point")]
    #[test_case("vo2max-percentiles-treadmill", Sex::Female, 45.0, 10.0, None, Some("below_5"); "below the first")]
    fn percentiles(id: &str, sex: Sex, age: f64, value: f64, percentile: Option<f64>, bound: Option<&str>) {
        let standing = table(id).unwrap().standing(value, &facts(sex, age));
        assert_eq!((standing.percentile, standing.bound.map(|b| b.to_string()).as_deref()), (percentile, bound));
    }

    #[test_case(Sex::Male, 40.0, 76.0, "excellent"; "the last rate of a category belongs to it")]
    #[test_case(Sex::Male, 40.0, 77.0, "good"; "one more is the next")]
    #[test_case(Sex::Female, 70.0, 134.0, "very_poor"; "above the last")]
    fn categories(sex: Sex, age: f64, hr: f64, category: &str) {
        let standing = table("low-step-categories").unwrap().standing(hr, &facts(sex, age));
        assert_eq!(standing.category.as_deref(), Some(category));
    }

    #[test]
    fn a_population_that_does_not_fit_says_so() {
        let step = table("bench-step-percentiles").unwrap();
        let of_52 = step.standing(140.0, &facts(Sex::Male, 52.0));
        assert_eq!((of_52.percentile, of_52.mismatch), (Some(80.0), Some("age_years")));
        let treadmill = table("vo2max-percentiles-treadmill").unwrap();
        let of_17 = treadmill.standing(40.0, &facts(Sex::Male, 17.0));
        assert_eq!((of_17.percentile, of_17.bound, of_17.mismatch), (None, None, Some("age_years")));
        assert_eq!(step.standing(140.0, &Facts::default()).mismatch, Some("sex"));
        assert_eq!(
            treadmill.population_for(&facts(Sex::Female, 45.0)),
            "women of 40 to 49, measured on a treadmill; men and women without known cardiovascular disease, United States"
        );
    }

    #[test]
    fn the_bench_step_table_implies_a_spread() {
        let step = table("bench-step-percentiles").unwrap();
        assert!((step.implied_sd(&facts(Sex::Male, 20.0)).unwrap() - 19.2).abs() < 1e-9);
        assert!((step.implied_sd(&facts(Sex::Female, 20.0)).unwrap() - 14.4).abs() < 1e-9);
    }

    #[test]
    fn every_table_names_its_source() {
        for t in tables() {
            assert!(t.source.len() > 20 && t.status.contains("published"), "{}", t.id);
        }
    }

    proptest! {
        #[test]
        fn better_is_never_a_lower_percentile(hr in 80.0..200.0f64, less in 0.0..60.0f64, female: bool) {
            let who = facts(if female { Sex::Female } else { Sex::Male }, 20.0);
            let rank = |hr: f64| {
                let s = table("bench-step-percentiles").unwrap().standing(hr, &who);
                s.percentile.unwrap_or(match s.bound { Some(Bound::Above(_)) => 101.0, _ => -1.0 })
            };
            prop_assert!(rank(hr - less) >= rank(hr));
        }

        #[test]
        fn treadmill_percentiles_rise_with_vo2max(vo2 in 8.0..70.0f64, more in 0.0..30.0f64, age in 20.0..79.0f64, female: bool) {
            let who = facts(if female { Sex::Female } else { Sex::Male }, age.floor());
            let rank = |v: f64| {
                let s = table("vo2max-percentiles-treadmill").unwrap().standing(v, &who);
                s.percentile.unwrap_or(match s.bound { Some(Bound::Above(_)) => 101.0, _ => -1.0 })
            };
            prop_assert!(rank(vo2 + more) >= rank(vo2));
        }
    }
}
