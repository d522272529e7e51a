//! Ways in besides a password that is known: links that set a new one, the second factor, and who founded the practice.

use chrono::{DateTime, Utc};
use uuid::Uuid;

use crate::{CoachId, Error, PracticeId, Result, Scope, Store};

/// A link that sets a new password.
#[derive(Debug, Clone, Copy)]
pub struct PasswordLink {
    pub practice: PracticeId,
    pub id: Uuid,
    /// Whose password it sets.
    pub coach: CoachId,
}

/// Keeps a link; `token` is a SHA-256 of what is handed out. `by`: the coach who made it, nobody where it was made on the machine. Links
/// that were made before for the same coach end.
pub async fn add_password_link(
    scope: &mut Scope,
    coach: CoachId,
    by: Option<CoachId>,
    token: &[u8; 32],
    until: DateTime<Utc>,
) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "update password_links set used_at = now() where practice_id = $1 and coach_id = $2 and used_at is null",
        practice,
        coach.0
    )
    .execute(scope.db())
    .await?;
    sqlx::query!(
        "insert into password_links (practice_id, id, coach_id, token_hash, made_by, expires_at) values ($1, $2, $3, $4, $5, $6)",
        practice,
        Uuid::now_v7(),
        coach.0,
        token.as_slice(),
        by.map(|b| b.0),
        until
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Finds the link of a token, while it is valid.
pub async fn password_link(store: &Store, token: &[u8; 32]) -> Result<Option<PasswordLink>> {
    let found = store
        .soon(
            sqlx::query!(
                r#"select practice_id as "practice_id!", id as "id!", coach_id as "coach_id!" from password_link_lookup($1)"#,
                token.as_slice()
            )
            .fetch_optional(store.pool()),
        )
        .await?;
    Ok(found.map(|f| PasswordLink { practice: PracticeId(f.practice_id), id: f.id, coach: CoachId(f.coach_id) }))
}

/// Uses a link up.
///
/// # Errors
/// [`Error::NotFound`] where it was used meanwhile.
pub async fn use_password_link(scope: &mut Scope, id: Uuid) -> Result<()> {
    let practice = scope.practice_id();
    let done =
        sqlx::query!("update password_links set used_at = now() where practice_id = $1 and id = $2 and used_at is null", practice, id)
            .execute(scope.db())
            .await?;
    if done.rows_affected() == 0 { Err(Error::NotFound) } else { Ok(()) }
}

/// A coach's second factor.
#[derive(Debug, Clone, Default)]
pub struct SecondFactor {
    /// A secret that is shown and not confirmed by a code yet.
    pub pending: Option<Vec<u8>>,
    /// The secret whose codes are asked for at sign-in.
    pub secret: Option<Vec<u8>>,
    /// The last step of 30 s whose code was used.
    pub step: i64,
    /// Hashes of the recovery codes that are left.
    pub recovery: Vec<Vec<u8>>,
}

/// The second factor of a coach, locked: of two who use one code at once the second finds it used.
pub async fn second_factor(scope: &mut Scope, coach: CoachId) -> Result<SecondFactor> {
    let r = sqlx::query!("select totp_pending, totp_secret, totp_step, recovery_hashes from coaches where id = $1 for update", coach.0)
        .fetch_one(scope.db())
        .await?;
    Ok(SecondFactor { pending: r.totp_pending, secret: r.totp_secret, step: r.totp_step, recovery: r.recovery_hashes })
}

/// Keeps a coach's second factor as it is now.
pub async fn keep_second_factor(scope: &mut Scope, coach: CoachId, factor: &SecondFactor) -> Result<()> {
    sqlx::query!(
        "update coaches set totp_pending = $2, totp_secret = $3, totp_step = $4, recovery_hashes = $5 where id = $1",
        coach.0,
        factor.pending.as_deref(),
        factor.secret.as_deref(),
        factor.step,
        &factor.recovery
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// The coaches who have a second factor.
pub async fn with_second_factor(scope: &mut Scope) -> Result<Vec<CoachId>> {
    let practice = scope.practice_id();
    let ids =
        sqlx::query_scalar!("select id from coaches where practice_id = $1 and totp_secret is not null and removed_at is null", practice);
    Ok(ids.fetch_all(scope.db()).await?.into_iter().map(CoachId).collect())
}

/// Hands the practice over: this coach is its founder from now on, and nobody else.
///
/// # Errors
/// [`Error::NotFound`] where there is no such coach any more.
pub async fn hand_over(scope: &mut Scope, to: CoachId) -> Result<()> {
    let practice = scope.practice_id();
    let done = sqlx::query!(
        "update coaches set is_founder = (id = $2) where practice_id = $1 and (is_founder or id = $2)
         and exists (select from coaches c where c.practice_id = $1 and c.id = $2 and c.removed_at is null)",
        practice,
        to.0
    )
    .execute(scope.db())
    .await?;
    if done.rows_affected() == 0 { Err(Error::NotFound) } else { Ok(()) }
}
