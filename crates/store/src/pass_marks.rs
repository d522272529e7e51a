//! Marks that a practice holds its clients to, each with who says so.

use crate::{Result, Scope};

/// A mark of a practice's own.
#[derive(Debug, Clone, PartialEq)]
pub struct OwnMark {
    pub protocol: String,
    /// Its measure.
    pub quantity: String,
    /// In the measure's unit.
    pub mark: f64,
    /// Who says so, in the practice's words.
    pub source: String,
}

/// Every mark of the practice.
pub async fn all(scope: &mut Scope) -> Result<Vec<OwnMark>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!("select protocol_id, quantity, mark, source from pass_marks where practice_id = $1", practice)
        .fetch_all(scope.db())
        .await?;
    Ok(rows.into_iter().map(|r| OwnMark { protocol: r.protocol_id, quantity: r.quantity, mark: r.mark, source: r.source }).collect())
}

/// Keeps a mark in the place of what stood there.
pub async fn set(scope: &mut Scope, own: &OwnMark) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into pass_marks (practice_id, protocol_id, quantity, mark, source) values ($1, $2, $3, $4, $5)
         on conflict (practice_id, protocol_id, quantity) do update set mark = excluded.mark, source = excluded.source",
        practice,
        own.protocol,
        own.quantity,
        own.mark,
        own.source
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Takes a mark away: the usual one holds again.
pub async fn clear(scope: &mut Scope, protocol: &str, quantity: &str) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!("delete from pass_marks where practice_id = $1 and protocol_id = $2 and quantity = $3", practice, protocol, quantity)
        .execute(scope.db())
        .await?;
    Ok(())
}
