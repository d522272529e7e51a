//! A practice's own repeats of each measure, kept where results are written, so that a page costs the same at fifty people
//! and at fifty thousand.

use impulso_core::typical_error::Repeats;

use crate::{Result, Scope};

/// The repeats of every measure of these protocols: protocol, measure, repeats.
pub async fn of_protocols(scope: &mut Scope, ids: &[String]) -> Result<Vec<(String, String, Repeats)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select protocol_id, quantity, pairs, sum, sum_of_squares from repeats where practice_id = $1 and protocol_id = any($2)",
        practice,
        ids
    )
    .fetch_all(scope.db())
    .await?;
    let repeats = |pairs, sum, sum_of_squares| Repeats { pairs, sum, sum_of_squares };
    Ok(rows.into_iter().map(|r| (r.protocol_id, r.quantity, repeats(r.pairs, r.sum, r.sum_of_squares))).collect())
}

/// Adds to the repeats of a measure.
pub async fn add(scope: &mut Scope, protocol_id: &str, quantity: &str, more: Repeats) -> Result<()> {
    if more == Repeats::default() {
        return Ok(());
    }
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into repeats (practice_id, protocol_id, quantity, pairs, sum, sum_of_squares) values ($1, $2, $3, $4, $5, $6)
         on conflict (practice_id, protocol_id, quantity) do update
         set pairs = repeats.pairs + excluded.pairs, sum = repeats.sum + excluded.sum, sum_of_squares = repeats.sum_of_squares + excluded.sum_of_squares",
        practice,
        protocol_id,
        quantity,
        more.pairs,
        more.sum,
        more.sum_of_squares
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Forgets them all, and marks them as counted anew.
pub async fn clear(scope: &mut Scope) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!("delete from repeats where practice_id = $1", practice).execute(scope.db()).await?;
    sqlx::query!("update practices set repeats_counted_at = now() where id = $1", practice).execute(scope.db()).await?;
    Ok(())
}
