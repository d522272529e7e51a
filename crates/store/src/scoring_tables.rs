//! Scoring tables of a practice's own, by battery and version.

use impulso_core::points::ScoringTable;

use crate::{
    CoachId, Result, Scope,
    error::{read, readable, write},
};

/// A battery's tables, oldest first, each with whether it is applied to the past too.
pub async fn of_battery(scope: &mut Scope, battery: &str) -> Result<Vec<(ScoringTable, bool)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select version, body, for_past from scoring_tables where practice_id = $1 and battery_id = $2 order by version",
        practice,
        battery
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows
        .into_iter()
        .filter_map(|r| {
            let table: ScoringTable = readable("scoring table", r.version, read("scoring table", r.body))?;
            Some((ScoringTable { version: r.version.unsigned_abs(), ..table }, r.for_past))
        })
        .collect())
}

/// Keeps a table under its version.
pub async fn add(scope: &mut Scope, coach: CoachId, battery: &str, table: &ScoringTable) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into scoring_tables (practice_id, battery_id, version, body, created_by) values ($1, $2, $3, $4, $5)",
        practice,
        battery,
        i32::try_from(table.version).unwrap_or(i32::MAX),
        write("scoring table", table)?,
        coach.0
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Applies one version to the past too, and no other; none where nothing is said.
pub async fn apply_to_past(scope: &mut Scope, battery: &str, version: Option<i32>) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "update scoring_tables set for_past = coalesce(version = $3, false) where practice_id = $1 and battery_id = $2",
        practice,
        battery,
        version
    )
    .execute(scope.db())
    .await?;
    Ok(())
}
