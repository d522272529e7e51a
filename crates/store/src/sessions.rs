//! Session state, reached by the hash of the cookie's token. The token itself is never stored.

use chrono::{DateTime, Utc};

use crate::{Result, Store};

/// The state of a session that has not expired, which lives on with the look until a time.
pub async fn look(store: &Store, token_hash: &[u8], until: DateTime<Utc>) -> Result<Option<serde_json::Value>> {
    store.soon(sqlx::query_scalar!("select session_look($1, $2)", token_hash, until).fetch_one(store.pool())).await
}

/// Keeps a session's state until a time.
pub async fn save(store: &Store, token_hash: &[u8], state: &serde_json::Value, until: DateTime<Utc>) -> Result<()> {
    store.soon(sqlx::query!("select session_save($1, $2, $3)", token_hash, state, until).execute(store.pool())).await?;
    Ok(())
}

/// Ends a session, and clears away expired ones.
pub async fn delete(store: &Store, token_hash: &[u8]) -> Result<()> {
    store.soon(sqlx::query!("select session_delete($1)", token_hash).execute(store.pool())).await?;
    Ok(())
}
