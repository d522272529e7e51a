//! The scoring tables of a battery, fetched.

use impulso_core::{battery::Battery, marking::Tables, points::ScoringTable};
use impulso_store::{Scope, scoring_tables, visits};

use crate::ApiResult;

/// Those of the practice, after the one the battery ships with.
pub async fn tables(scope: &mut Scope, battery: &Battery) -> ApiResult<Tables> {
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
    Ok(Tables { all, for_past })
}
