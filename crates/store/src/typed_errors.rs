//! Typical errors that a practice typed in, each with its source.

use impulso_core::typical_error::TypedError;

use crate::{Result, Scope};

/// What was typed for the measures of these protocols: protocol, measure, figure.
pub async fn of_protocols(scope: &mut Scope, ids: &[String]) -> Result<Vec<(String, String, TypedError)>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select protocol_id, quantity, value, source from typed_errors where practice_id = $1 and protocol_id = any($2)",
        practice,
        ids
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows.into_iter().map(|r| (r.protocol_id, r.quantity, TypedError { value: r.value, source: r.source })).collect())
}

/// Keeps a figure in the place of what stood there.
pub async fn set(scope: &mut Scope, protocol_id: &str, quantity: &str, typed: &TypedError) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into typed_errors (practice_id, protocol_id, quantity, value, source) values ($1, $2, $3, $4, $5)
         on conflict (practice_id, protocol_id, quantity) do update set value = excluded.value, source = excluded.source",
        practice,
        protocol_id,
        quantity,
        typed.value,
        typed.source
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Takes a figure away.
pub async fn clear(scope: &mut Scope, protocol_id: &str, quantity: &str) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!("delete from typed_errors where practice_id = $1 and protocol_id = $2 and quantity = $3", practice, protocol_id, quantity)
        .execute(scope.db())
        .await?;
    Ok(())
}
