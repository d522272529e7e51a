//! The practice itself.

use crate::{PracticeId, Result, Scope, Store};

#[derive(Debug, Clone)]
pub struct Practice {
    pub name: String,
    /// IANA time zone: decides which day it is.
    pub time_zone: String,
    /// After how many weeks the body mass is asked for again.
    pub mass_weeks: i16,
    /// Whether a date is typed with its month first.
    pub month_first: bool,
    /// True if every coach needs a second factor.
    pub second_factor_required: bool,
    /// True if a client has to agree before a test or a photograph.
    pub consent_required: bool,
}

/// The practice of this scope; read once in a transaction.
pub async fn get(scope: &mut Scope) -> Result<Practice> {
    if let Some(known) = &scope.settings {
        return Ok(known.clone());
    }
    let id = scope.practice_id();
    let practice = sqlx::query_as!(
        Practice,
        "select name, time_zone, mass_weeks, month_first, second_factor_required, consent_required from practices where id = $1",
        id
    );
    let practice = practice.fetch_one(scope.db()).await?;
    scope.settings = Some(practice.clone());
    Ok(practice)
}

/// Renames the practice or changes how it works.
pub async fn update(scope: &mut Scope, practice: &Practice) -> Result<()> {
    let id = scope.practice_id();
    sqlx::query!(
        "update practices set name = $2, time_zone = $3, mass_weeks = $4, month_first = $5, second_factor_required = $6, consent_required = $7
         where id = $1",
        id,
        practice.name,
        practice.time_zone,
        practice.mass_weeks,
        practice.month_first,
        practice.second_factor_required,
        practice.consent_required
    )
    .execute(scope.db())
    .await?;
    scope.settings = Some(practice.clone());
    Ok(())
}

/// Every practice; asked as the role that owns the database.
pub async fn all(store: &Store) -> Result<Vec<PracticeId>> {
    let ids = sqlx::query_scalar!("select id from practices order by id").fetch_all(store.pool()).await?;
    Ok(ids.into_iter().map(PracticeId).collect())
}

/// Practices whose own repeats were never counted from their results; asked as the role that owns the database.
pub async fn without_repeats(store: &Store) -> Result<Vec<PracticeId>> {
    let ids = sqlx::query_scalar!("select id from practices where repeats_counted_at is null").fetch_all(store.pool()).await?;
    Ok(ids.into_iter().map(PracticeId).collect())
}
