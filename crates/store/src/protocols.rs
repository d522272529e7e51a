//! A practice's own protocols, beside those that ship.

use impulso_core::catalogue::Protocol;

use crate::{
    CoachId, Result, Scope,
    error::{read, write},
};

/// The practice's own, oldest first.
pub async fn own(scope: &mut Scope) -> Result<Vec<Protocol>> {
    let practice = scope.practice_id();
    let rows = sqlx::query_scalar!("select body from protocols where practice_id = $1 order by created_at, id", practice)
        .fetch_all(scope.db())
        .await?;
    rows.into_iter().map(|b| read("protocol", b)).collect()
}

/// Keeps a protocol of the practice's own. Returns whether the id was free.
pub async fn add(scope: &mut Scope, coach: CoachId, protocol: &Protocol) -> Result<bool> {
    let practice = scope.practice_id();
    let done = sqlx::query!(
        "insert into protocols (practice_id, id, body, created_by) values ($1, $2, $3, $4) on conflict do nothing",
        practice,
        protocol.id,
        write("protocol", protocol)?,
        coach.0
    )
    .execute(scope.db())
    .await?;
    Ok(done.rows_affected() == 1)
}
