//! Compared with whom: the printed tables.
//!
//! The tables are the CSV files of `data/norms/`, each with its quantity, source and status in its header. A percentile
//! is linear between printed points and never extrapolated; beyond the outermost point the answer is a [`Bound`].
//! To add a table, add its file and a line to `FILES`.

use std::{collections::BTreeMap, sync::LazyLock};

use serde::{Deserialize, Serialize};

use crate::person::{Facts, Sex};

/// How a file's columns are to be read.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Shape {
    /// A row per percentile, a column per sex and quantity; the population has an age range but the table does not.
    PercentileRows { age_min: u32, age_max: u32, lower_is_better: bool },
    /// A row per sex and age band, a column per percentile.
    PercentileColumns,
    /// A row per sex and age band, a column per category with its limit.
    Categories { below_last: &'static str, lower_is_better: bool },
    /// A row per protocol, sex and age band with the middle half of performance; `unit` of the table in the quantity's.
    Ranges { protocol: &'static str, unit: f64 },
}

/// id, shape, the population in words, the file.
const FILES: [(&str, Shape, &str, &str); 7] = [
    (
        "bench-step-percentiles",
        Shape::PercentileRows { age_min: 17, age_max: 25, lower_is_better: true },
        "college age, about 17 to 25 years",
        include_str!("../data/norms/bench-step-percentiles.csv"),
    ),
    (
        "older-adult-ranges/march-2min",
        Shape::Ranges { protocol: "march-2min", unit: 1.0 },
        "older adults living at home, of the same sex and age group",
        include_str!("../data/norms/older-adult-ranges.csv"),
    ),
    (
        "older-adult-ranges/walk-6min",
        // Printed in yards.
        Shape::Ranges { protocol: "walk-6min", unit: 0.9144 },
        "older adults living at home, of the same sex and age group",
        include_str!("../data/norms/older-adult-ranges.csv"),
    ),
    (
        "plank-percentiles",
        Shape::PercentileColumns,
        "college students of 18 to 25, forearm plank to failure",
        include_str!("../data/norms/plank-percentiles.csv"),
    ),
    (
        "run-12min-categories",
        Shape::Categories { below_last: "poor", lower_is_better: false },
        "adults of the same sex and age group",
        include_str!("../data/norms/run-12min-categories.csv"),
    ),
    (
        "low-step-categories",
        Shape::Categories { below_last: "very_poor", lower_is_better: true },
        "adults of the same sex and age group",
        include_str!("../data/norms/low-step-categories.csv"),
    ),
    (
        "vo2max-percentiles-treadmill",
        Shape::PercentileColumns,
        "measured on a treadmill; men and women without known cardiovascular disease, United States",
        include_str!("../data/norms/vo2max-percentiles-treadmill.csv"),
    ),
];

/// One printed table.
#[derive(Debug, Clone)]
pub struct Table {
    /// Stable id.
    pub id: &'static str,
    /// Whom it describes, in words.
    pub population: &'static str,
    /// Author, title, year.
    pub source: String,
    /// Published or common practice, recalled or read.
    pub status: String,
    shape: Shape,
    strata: Vec<Stratum>,
}

/// One sex and age band of a table.
#[derive(Debug, Clone)]
struct Stratum {
    sex: Sex,
    ages: (u32, u32),
    /// Performance in rising percentile order: (percentile, value); for categories (rank, limit).
    points: Vec<(f64, f64)>,
    labels: Vec<String>,
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

/// Where a value stands in a table.
#[derive(Debug, Clone, PartialEq)]
pub struct Standing {
    /// The table.
    pub table: &'static Table,
    /// Percentile, linear between printed points.
    pub percentile: Option<f64>,
    /// Beyond the printed points.
    pub bound: Option<Bound>,
    /// Category, for tables of categories.
    pub category: Option<String>,
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

static TABLES: LazyLock<BTreeMap<&'static str, Table>> = LazyLock::new(|| {
    FILES.iter().map(|&(key, shape, population, text)| (key, read(key.split('/').next().unwrap_or(key), shape, population, text))).collect()
});

/// The table with this id.
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
        let mut standing = Standing { table: self, percentile: None, bound: None, category: None, mismatch: None };
        let stratum = match self.stratum(facts) {
            Ok(stratum) => stratum,
            Err(field) => {
                standing.mismatch = Some(field);
                return standing;
            }
        };
        match self.shape {
            Shape::PercentileRows { age_min, age_max, .. } => {
                let fits = facts.age.is_some_and(|a| (f64::from(age_min)..=f64::from(age_max)).contains(&a.value()));
                standing.mismatch = (!fits).then_some("age_years");
                place(value, stratum, self.lower_is_better(), &mut standing);
            }
            Shape::PercentileColumns => place(value, stratum, false, &mut standing),
            Shape::Categories { below_last, lower_is_better } => {
                let met = stratum.points.iter().position(|(_, limit)| if lower_is_better { value <= *limit } else { value >= *limit });
                standing.category = Some(met.map_or_else(|| below_last.to_owned(), |k| stratum.labels[k].clone()));
            }
            Shape::Ranges { .. } => {
                let beyond = stratum.points.iter().filter(|(_, limit)| value >= *limit).count();
                // The upper figure still belongs to the middle half.
                let at_top = stratum.points.last().is_some_and(|(_, high)| value == *high);
                standing.category = Some(RANGES[if at_top { 1 } else { beyond.min(2) }].to_owned());
            }
        }
        standing
    }

    /// The printed points of the person's stratum, for a drawing; empty where the table does not cover the person.
    pub fn ticks(&self, facts: &Facts) -> Vec<Tick> {
        let Ok(stratum) = self.stratum(facts) else { return Vec::new() };
        stratum.points.iter().zip(&stratum.labels).map(|((_, value), label)| Tick { label: label.clone(), value: *value }).collect()
    }

    /// The population in words, with the person's own stratum where the table has strata.
    pub fn population_for(&self, facts: &Facts) -> String {
        match (self.shape, self.stratum(facts)) {
            (Shape::PercentileRows { .. }, Ok(s)) => format!("{}, {}", s.sex.plural(), self.population),
            (Shape::Categories { .. }, Ok(s)) if s.ages.1 >= 110 => format!("{} of {} and over", s.sex.plural(), s.ages.0),
            (Shape::Ranges { .. }, Ok(s)) => format!("{} of {} to {} living at home", s.sex.plural(), s.ages.0, s.ages.1),
            (Shape::Categories { .. }, Ok(s)) => format!("{} of {} to {}", s.sex.plural(), s.ages.0, s.ages.1),
            (_, Ok(s)) if s.ages.1 >= 110 => format!("{} of {} and over, {}", s.sex.plural(), s.ages.0, self.population),
            (_, Ok(s)) => format!("{} of {} to {}, {}", s.sex.plural(), s.ages.0, s.ages.1, self.population),
            (_, Err(_)) => self.population.to_owned(),
        }
    }

    /// Half the distance between the 16th and the 84th percentile: the between-person SD the table implies for a sex.
    /// `None` for tables without percentiles or where either point lies beyond the printed ones.
    pub fn implied_sd(&self, sex: Sex) -> Option<f64> {
        if !matches!(self.shape, Shape::PercentileRows { .. }) {
            return None;
        }
        let stratum = self.strata.iter().find(|s| s.sex == sex)?;
        Some((value_at(&stratum.points, 84.0)? - value_at(&stratum.points, 16.0)?).abs() / 2.0)
    }

    /// Whether a smaller value is the better performance.
    pub const fn lower_is_better(&self) -> bool {
        match self.shape {
            Shape::PercentileRows { lower_is_better, .. } | Shape::Categories { lower_is_better, .. } => lower_is_better,
            Shape::PercentileColumns | Shape::Ranges { .. } => false,
        }
    }

    fn stratum(&self, facts: &Facts) -> Result<&Stratum, &'static str> {
        let sex = facts.sex.ok_or("sex")?;
        let of_sex = || self.strata.iter().filter(move |s| s.sex == sex);
        if matches!(self.shape, Shape::PercentileRows { .. }) {
            return of_sex().next().ok_or("sex");
        }
        let age = facts.age.ok_or("age_years")?.value();
        of_sex().find(|s| (f64::from(s.ages.0)..f64::from(s.ages.1) + 1.0).contains(&age)).ok_or("age_years")
    }
}

/// The categories of a table of ranges, worst first.
const RANGES: [&str; 3] = ["below_the_usual_range", "in_the_usual_range", "above_the_usual_range"];

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

fn read(id: &'static str, shape: Shape, population: &'static str, text: &str) -> Table {
    let header = |key: &str| {
        let mark = format!("# {key}: ");
        text.lines().find_map(|l| l.strip_prefix(&mark)).unwrap_or_default().to_owned()
    };
    let mut reader = csv::ReaderBuilder::new().comment(Some(b'#')).from_reader(text.as_bytes());
    let columns: Vec<String> = reader.headers().map(|h| h.iter().map(str::to_owned).collect()).unwrap_or_default();
    let rows: Vec<Vec<String>> = reader.records().filter_map(Result::ok).map(|r| r.iter().map(str::to_owned).collect()).collect();
    let strata = match shape {
        Shape::PercentileRows { .. } => by_column(&columns, &rows),
        Shape::PercentileColumns | Shape::Categories { .. } => by_row(&columns, &rows),
        Shape::Ranges { protocol, unit } => ranges(protocol, unit, &rows),
    };
    Table { id, population, source: header("source"), status: header("status"), shape, strata }
}

fn by_column(columns: &[String], rows: &[Vec<String>]) -> Vec<Stratum> {
    [(Sex::Male, "male_hr"), (Sex::Female, "female_hr")]
        .into_iter()
        .filter_map(|(sex, column)| {
            let k = columns.iter().position(|c| c == column)?;
            let mut points: Vec<(f64, f64)> = rows.iter().filter_map(|r| Some((r[0].parse().ok()?, r[k].parse().ok()?))).collect();
            points.sort_by(|a, b| a.0.total_cmp(&b.0));
            let labels = points.iter().map(|(p, _)| format!("{p}")).collect();
            Some(Stratum { sex, ages: (0, 200), points, labels })
        })
        .collect()
}

fn by_row(columns: &[String], rows: &[Vec<String>]) -> Vec<Stratum> {
    rows.iter()
        .filter_map(|row| {
            let sex = if row[0] == "male" { Sex::Male } else { Sex::Female };
            let ages = (row[1].parse().ok()?, row[2].parse().ok()?);
            let percentile = |column: &str| column.strip_prefix('p').and_then(|p| p.parse::<f64>().ok());
            let mut points: Vec<((f64, f64), String)> = columns[3..]
                .iter()
                .zip(&row[3..])
                .enumerate()
                .filter_map(|(k, (column, cell))| {
                    let rank = percentile(column);
                    let label = rank.map_or_else(|| column.clone(), |p| format!("{p}"));
                    Some(((rank.unwrap_or(k as f64), cell.parse().ok()?), label))
                })
                .collect();
            // Percentiles rise, whichever way they are printed; categories stay in their order.
            points.sort_by(|a, b| a.0.0.total_cmp(&b.0.0));
            let (points, labels) = points.into_iter().unzip();
            Some(Stratum { sex, ages, points, labels })
        })
        .collect()
}

fn ranges(protocol: &str, unit: f64, rows: &[Vec<String>]) -> Vec<Stratum> {
    let rows = rows.iter().filter(|r| r[0] == protocol);
    rows.filter_map(|row| {
        let sex = if row[1] == "male" { Sex::Male } else { Sex::Female };
        let (low, high): (f64, f64) = (row[4].parse().ok()?, row[5].parse().ok()?);
        Some(Stratum {
            sex,
            ages: (row[2].parse().ok()?, row[3].parse().ok()?),
            points: vec![(25.0, low * unit), (75.0, high * unit)],
            labels: vec!["25".into(), "75".into()],
        })
    })
    .collect()
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
        assert!((step.implied_sd(Sex::Male).unwrap() - 19.2).abs() < 1e-9);
        assert!((step.implied_sd(Sex::Female).unwrap() - 14.4).abs() < 1e-9);
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
