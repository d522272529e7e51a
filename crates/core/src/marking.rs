//! What the tests of a visit bring in points: by the table that is asked for, by the one that holds for the past, or by that of the day.

use std::collections::BTreeSet;

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};

use crate::{
    person::Facts,
    points::{PointRow, ScoringTable, in_force},
};

/// The total of a visit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Total {
    /// Points of all tests that have any.
    pub points: f64,
    /// The most they could bring.
    pub most: f64,
    /// The level the total reaches.
    pub level: Option<String>,
    /// The table's version.
    pub version: u32,
    /// By which table, in words.
    pub by: String,
    /// The table that held on the day, where another is shown.
    pub instead_of: Option<String>,
    /// Every version there is, oldest first.
    pub versions: Vec<u32>,
}

/// Points of one place.
#[derive(Debug, Clone, Copy)]
pub struct Mark {
    pub place: usize,
    /// What its best try brings.
    pub points: f64,
    /// The most it can bring.
    pub of: f64,
}

/// A visit with its points.
#[derive(Debug, Clone)]
pub struct Marked {
    /// Place by place.
    pub marks: Vec<Mark>,
    /// All of it.
    pub total: Total,
}

/// The tables of a battery.
#[derive(Debug, Clone, Default)]
pub struct Tables {
    /// Oldest first.
    pub all: Vec<ScoringTable>,
    /// The one that is applied to the past too.
    pub for_past: Option<u32>,
}

impl Tables {
    /// The table for a visit: the one asked for, else the one for the past, else the one of its day; and the one of its day.
    fn choose(&self, on: NaiveDate, asked: Option<u32>) -> Option<(&ScoringTable, Option<&ScoringTable>)> {
        let by_version = |v: u32| self.all.iter().find(|t| t.version == v);
        let of_day = in_force(&self.all, on);
        let chosen = asked.and_then(by_version).or_else(|| self.for_past.and_then(by_version)).or(of_day)?;
        Some((chosen, of_day.filter(|d| d.version != chosen.version)))
    }

    /// The points of each place, and the total. `raws`: each place with its best raw score and whether less is better.
    pub fn mark(&self, on: NaiveDate, asked: Option<u32>, facts: &Facts, raws: &[(usize, f64, bool)]) -> Option<Marked> {
        let (table, of_day) = self.choose(on, asked)?;
        let of = |(place, raw, lower): &(usize, f64, bool)| {
            let row = table.row(*place, facts)?;
            Some(Mark { place: *place, points: row.points(*raw, *lower), of: row.most() })
        };
        let marks: Vec<Mark> = raws.iter().filter_map(of).collect();
        // The sum of nothing is −0.0.
        let total = marks.iter().map(|m| m.points).sum::<f64>() + 0.0;
        let places: BTreeSet<usize> = table.rows.iter().map(|r| r.place).collect();
        let most = places.iter().filter_map(|p| table.row(*p, facts)).map(PointRow::most).sum();
        let words = |t: &ScoringTable| format!("table {} of {}", t.version, t.from.format("%-d %B %Y"));
        let total = Total {
            points: total,
            most,
            level: table.level(total).map(str::to_owned),
            version: table.version,
            by: words(table),
            instead_of: of_day.map(words),
            versions: self.all.iter().map(|t| t.version).collect(),
        };
        Some(Marked { marks, total })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::points::{PointLevel, PointStep};

    fn day(on: &str) -> NaiveDate {
        on.parse().unwrap()
    }

    /// One test at place 0: 1 point from `one` on, 5 from `five` on.
    fn table(version: u32, from: &str, one: f64, five: f64) -> ScoringTable {
        let steps = [(one, 1.0), (five, 5.0)].map(|(raw, points)| PointStep { raw, points }).to_vec();
        let row = PointRow { test: "push-up".into(), place: 0, sex: None, age_from: None, age_to: None, steps };
        let levels = vec![PointLevel { from: 0.0, name: "first".into() }, PointLevel { from: 5.0, name: "second".into() }];
        ScoringTable { version, from: day(from), rows: vec![row], levels }
    }

    fn two() -> Tables {
        Tables { all: vec![table(1, "2026-01-01", 10.0, 20.0), table(2, "2026-06-01", 20.0, 40.0)], for_past: None }
    }

    #[test]
    fn a_visit_is_marked_by_the_table_of_its_day() {
        let of = |on: &str| two().mark(day(on), None, &Facts::default(), &[(0, 24.0, false)]).unwrap().total;
        assert_eq!((of("2026-03-01").points, of("2026-03-01").level.as_deref()), (5.0, Some("second")));
        assert_eq!((of("2026-07-01").points, of("2026-07-01").level.as_deref()), (1.0, Some("first")));
        assert_eq!(of("2026-03-01").instead_of, None);
        assert_eq!(of("2026-07-01").most, 5.0);
    }

    #[test]
    fn before_the_first_table_there_are_no_points() {
        assert!(two().mark(day("2025-12-31"), None, &Facts::default(), &[(0, 24.0, false)]).is_none());
    }

    #[test]
    fn another_table_is_shown_on_request_or_for_the_past_and_says_which_it_stands_for() {
        let asked = two().mark(day("2026-03-01"), Some(2), &Facts::default(), &[(0, 24.0, false)]).unwrap().total;
        assert_eq!((asked.points, asked.instead_of.as_deref()), (1.0, Some("table 1 of 1 January 2026")));
        let past = Tables { for_past: Some(2), ..two() };
        assert_eq!(past.mark(day("2026-03-01"), None, &Facts::default(), &[(0, 24.0, false)]).unwrap().total.version, 2);
        assert_eq!(past.mark(day("2026-03-01"), Some(1), &Facts::default(), &[(0, 24.0, false)]).unwrap().total.version, 1);
    }

    #[test]
    fn what_was_not_done_brings_nothing_and_counts_in_the_most() {
        let none = two().mark(day("2026-03-01"), None, &Facts::default(), &[]).unwrap();
        assert!(none.marks.is_empty());
        assert_eq!((none.total.points.to_string(), none.total.most), ("0".to_owned(), 5.0));
    }
}
