//! Points of a visit: which scoring table holds for it, and what its best tries bring.

use chrono::NaiveDate;
use impulso_core::{
    battery::Battery,
    person::Facts,
    points::{ScoringTable, in_force},
};
use impulso_store::{Scope, scoring_tables, visits};
use serde::Serialize;
use utoipa::ToSchema;

use crate::ApiResult;

/// The total of a visit.
#[derive(Debug, Clone, Serialize, ToSchema)]
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
    /// The place.
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
    /// Those of the practice, after the one the battery ships with.
    pub async fn of(scope: &mut Scope, battery: &Battery) -> ApiResult<Self> {
        let own = scoring_tables::of_battery(scope, &battery.id).await?;
        let for_past = own.iter().find(|(_, past)| *past).map(|(t, _)| t.version);
        // Rows from before they named their tests were made for the battery as it is now.
        let unnamed = own.iter().any(|(table, _)| table.rows.iter().any(|row| row.test.is_empty()));
        let made_for = if unnamed { visits::own_batteries(scope).await?.into_iter().find(|b| b.id == battery.id) } else { None };
        let named = |table: ScoringTable| match &made_for {
            Some(now) => table.placed_in(&now.test_names()),
            None => table,
        };
        let mut all: Vec<ScoringTable> = battery.scoring.clone().into_iter().collect();
        all.extend(own.into_iter().map(|(table, _)| named(table).placed_in(&battery.test_names())));
        Ok(Self { all, for_past })
    }

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
        let places: std::collections::BTreeSet<usize> = table.rows.iter().map(|r| r.place).collect();
        let most = places.iter().filter_map(|p| table.row(*p, facts)).map(impulso_core::points::PointRow::most).sum();
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
