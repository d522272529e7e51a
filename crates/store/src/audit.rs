//! Who did what, and when. Only ever added to.

use chrono::{DateTime, Utc};
use uuid::Uuid;

use crate::{CoachId, Result, Scope};

/// One line of the audit.
#[derive(Debug, Clone)]
pub struct Entry {
    /// When.
    pub at: DateTime<Utc>,
    /// Who, by name.
    pub coach: Option<String>,
    /// What was done, such as `person.added`.
    pub action: String,
    /// To what kind of thing.
    pub subject_kind: String,
    /// To which one.
    pub subject_id: Uuid,
}

/// Adds a line, in the same transaction as what it tells of.
pub async fn record(scope: &mut Scope, coach: CoachId, action: &str, subject: (&str, Uuid), detail: serde_json::Value) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into audit (id, practice_id, coach_id, action, subject_kind, subject_id, detail) values ($1, $2, $3, $4, $5, $6, $7)",
        Uuid::now_v7(),
        practice,
        coach.0,
        action,
        subject.0,
        subject.1,
        detail
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// The latest lines.
pub async fn latest(scope: &mut Scope, limit: i64) -> Result<Vec<Entry>> {
    Ok(sqlx::query_as!(
        Entry,
        r#"select a.at, c.name as "coach?", a.action, a.subject_kind, a.subject_id
           from audit a left join coaches c on c.id = a.coach_id order by a.at desc, a.id desc limit $1"#,
        limit
    )
    .fetch_all(scope.db())
    .await?)
}
