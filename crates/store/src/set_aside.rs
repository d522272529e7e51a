//! What is stored and cannot be read any more: named for the practice, and passed over everywhere else.

use chrono::{DateTime, Utc};

use crate::{Result, Scope, protocols, visits};

/// Something that cannot be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SetAside {
    /// What it is: a test, a battery, a result.
    pub kind: String,
    pub key: String,
    /// Why it cannot be read.
    pub why: String,
    /// Since when that is known.
    pub found_at: DateTime<Utc>,
}

/// A text that is no longer than its column.
fn short(text: &str, most: usize) -> String {
    text.chars().take(most).collect()
}

/// Names something that cannot be read.
pub async fn name(scope: &mut Scope, kind: &str, key: &str, why: &str) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into set_aside (practice_id, kind, key, why) values ($1, $2, $3, $4)
         on conflict (practice_id, kind, key) do update set why = excluded.why",
        practice,
        kind,
        short(key, 200),
        short(why, 500)
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Looks at the practice's own tests and batteries, and names those that cannot be read; what can be read again is named no more.
/// Returns how many there are.
pub async fn look(scope: &mut Scope) -> Result<usize> {
    forget(scope, &["test", "battery"]).await?;
    let mut found: Vec<(&str, String, String)> = Vec::new();
    for (id, read) in protocols::own_each(scope).await? {
        found.extend(read.err().map(|why| ("test", id, why.to_string())));
    }
    for (id, read) in visits::batteries_each(scope).await? {
        found.extend(read.err().map(|why| ("battery", id, why.to_string())));
    }
    for (kind, key, why) in &found {
        tracing::error!(practice = %scope.practice(), %key, %why, "a stored {kind} is set aside");
        name(scope, kind, key, why).await?;
    }
    Ok(found.len())
}

/// Names nothing of these kinds any more.
pub async fn forget(scope: &mut Scope, kinds: &[&str]) -> Result<()> {
    let practice = scope.practice_id();
    let kinds: Vec<String> = kinds.iter().map(|k| (*k).to_owned()).collect();
    sqlx::query!("delete from set_aside where practice_id = $1 and kind = any ($2)", practice, &kinds).execute(scope.db()).await?;
    Ok(())
}

/// Everything of the practice that is set aside; at most `limit`.
pub async fn all(scope: &mut Scope, limit: i64) -> Result<Vec<SetAside>> {
    let practice = scope.practice_id();
    Ok(sqlx::query_as!(
        SetAside,
        "select kind, key, why, found_at from set_aside where practice_id = $1 order by kind, key limit $2",
        practice,
        limit
    )
    .fetch_all(scope.db())
    .await?)
}
