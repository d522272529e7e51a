//! Signing in and founding a practice: what happens before a practice is known.

use chrono::{DateTime, Utc};
use uuid::Uuid;

use crate::{CoachId, PracticeId, Result, Scope, Store};

/// What signing in needs.
#[derive(Debug, Clone)]
pub struct Credentials {
    /// Who.
    pub coach: CoachId,
    pub practice: PracticeId,
    /// The stored hash, in PHC form.
    pub password_hash: String,
}

/// A practice about to be founded, with its first coach.
#[derive(Debug, Clone)]
pub struct NewPractice {
    pub name: String,
    /// IANA time zone, such as `Europe/Lisbon`.
    pub time_zone: String,
    pub is_demo: bool,
    /// The first coach.
    pub coach: NewCoach,
}

/// A coach about to be added.
#[derive(Debug, Clone)]
pub struct NewCoach {
    /// Name as shown.
    pub name: String,
    /// Email address, signs in.
    pub email: String,
    /// Password hash in PHC form.
    pub password_hash: String,
}

#[derive(Debug, Clone)]
pub struct Coach {
    pub id: CoachId,
    /// Name as shown.
    pub name: String,
    /// Email address.
    pub email: String,
    /// Whether this coach founded the practice.
    pub is_founder: bool,
    /// When the coach was removed; what was done until then stays.
    pub removed_at: Option<DateTime<Utc>>,
}

/// The credentials stored for an email address.
pub async fn credentials(store: &Store, email: &str) -> Result<Option<Credentials>> {
    let row = store.soon(sqlx::query!(
        r#"select coach_id as "coach_id!", practice_id as "practice_id!", password_hash as "password_hash!" from sign_in_lookup($1)"#,
        email
    )
    .fetch_optional(store.pool())).await?;
    Ok(row.map(|r| Credentials { coach: CoachId(r.coach_id), practice: PracticeId(r.practice_id), password_hash: r.password_hash }))
}

/// The demo coach's address, where the demo is loaded.
pub async fn demo_email(store: &Store) -> Result<Option<String>> {
    store.soon(sqlx::query_scalar!("select demo_email()").fetch_one(store.pool())).await
}

/// Founds a practice.
///
/// # Errors
/// [`crate::error::Conflict::EmailTaken`].
pub async fn found(store: &Store, new: &NewPractice) -> Result<(PracticeId, CoachId)> {
    let (practice, coach) = (PracticeId::new(), CoachId::new());
    store
        .soon(
            sqlx::query!(
                "select found_practice($1, $2, $3, $4, $5, $6, $7, $8)",
                practice.0,
                new.name,
                new.time_zone,
                new.is_demo,
                coach.0,
                new.coach.name,
                new.coach.email,
                new.coach.password_hash
            )
            .execute(store.pool()),
        )
        .await?;
    Ok((practice, coach))
}

/// Adds a coach to the practice.
///
/// # Errors
/// [`crate::error::Conflict::EmailTaken`].
pub async fn add_coach(scope: &mut Scope, new: &NewCoach) -> Result<CoachId> {
    let (id, practice) = (CoachId::new(), scope.practice_id());
    sqlx::query!(
        "insert into coaches (id, practice_id, name, email, password_hash) values ($1, $2, $3, lower($4), $5)",
        id.0,
        practice,
        new.name,
        new.email,
        new.password_hash
    )
    .execute(scope.db())
    .await?;
    Ok(id)
}

/// The practice's coaches, by name; those who were removed are not among them.
pub async fn coaches(scope: &mut Scope) -> Result<Vec<Coach>> {
    let rows = sqlx::query!("select id, name, email, is_founder, removed_at from coaches where removed_at is null order by name, id")
        .fetch_all(scope.db())
        .await?;
    Ok(rows
        .into_iter()
        .map(|r| Coach { id: CoachId(r.id), name: r.name, email: r.email, is_founder: r.is_founder, removed_at: r.removed_at })
        .collect())
}

/// One coach of the practice, still there or removed.
pub async fn coach(scope: &mut Scope, id: CoachId) -> Result<Coach> {
    let r = sqlx::query!("select id, name, email, is_founder, removed_at from coaches where id = $1", id.0).fetch_one(scope.db()).await?;
    Ok(Coach { id: CoachId(r.id), name: r.name, email: r.email, is_founder: r.is_founder, removed_at: r.removed_at })
}

/// Gives a coach another password.
pub async fn set_password(scope: &mut Scope, id: CoachId, hash: &str) -> Result<()> {
    sqlx::query!("update coaches set password_hash = $2 where id = $1", id.0, hash).execute(scope.db()).await?;
    Ok(())
}

/// Removes a coach: the address no longer signs in, every session ends, the history keeps the name.
///
/// # Errors
/// [`crate::Error::NotFound`] where there is no such coach, or only one who was removed before.
pub async fn remove(scope: &mut Scope, id: CoachId) -> Result<()> {
    let done = sqlx::query!("update coaches set removed_at = now() where id = $1 and removed_at is null", id.0).execute(scope.db()).await?;
    if done.rows_affected() == 0 {
        return Err(crate::Error::NotFound);
    }
    end_sessions(scope, id, None).await
}

/// Ends every session of a coach, or every other than the one named, on every server process.
pub async fn end_sessions(scope: &mut Scope, id: CoachId, but_not: Option<Uuid>) -> Result<()> {
    sqlx::query!("select sessions_end($1, $2)", id.0, but_not).execute(scope.db()).await?;
    Ok(())
}
