//! Links by which people send what they tested themselves, and what they sent. The token itself is kept nowhere.

use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{conditions::Conditions, self_entry::Fate};
use serde::{Serialize, de::DeserializeOwned};
use uuid::Uuid;

use crate::{
    CoachId, Error, PracticeId, Result, Scope, Store,
    error::{Conflict, read, write},
};

/// A link as it is kept.
#[derive(Debug, Clone)]
pub struct SelfLink {
    pub id: Uuid,
    /// The visit whose tests are sent.
    pub visit: Uuid,
    /// What differs for this person, as their group has it.
    pub set_up: Conditions,
    pub created_at: DateTime<Utc>,
    /// Until when it opens.
    pub expires_at: DateTime<Utc>,
    pub withdrawn_at: Option<DateTime<Utc>>,
}

/// Something that was sent: `T` is what was typed.
#[derive(Debug, Clone)]
pub struct SelfEntry<T> {
    /// Made by the screen that sent it.
    pub id: Uuid,
    pub link: Uuid,
    pub visit: Uuid,
    /// The place of its test in the visit's battery.
    pub place: usize,
    /// The day it was done.
    pub on: NaiveDate,
    pub typed: T,
    pub sent_at: DateTime<Utc>,
    pub fate: Fate,
    /// Why it was refused.
    pub reason: Option<String>,
}

/// Keeps a link; `token` is a SHA-256 of what is handed out.
pub async fn add_link(scope: &mut Scope, coach: CoachId, link: &SelfLink, token: &[u8; 32]) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into self_links (practice_id, id, visit_id, token_hash, set_up, created_by, created_at, expires_at)
         values ($1, $2, $3, $4, $5, $6, $7, $8)",
        practice,
        link.id,
        link.visit,
        token.as_slice(),
        write("set-up", &link.set_up)?,
        coach.0,
        link.created_at,
        link.expires_at
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// The links of a visit, the latest first.
pub async fn links(scope: &mut Scope, visit: Uuid) -> Result<Vec<SelfLink>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select id, visit_id, set_up, created_at, expires_at, withdrawn_at from self_links where practice_id = $1 and visit_id = $2
         order by created_at desc",
        practice,
        visit
    )
    .fetch_all(scope.db())
    .await?;
    let link = |(id, visit, set_up, created_at, expires_at, withdrawn_at)| {
        Ok(SelfLink { id, visit, set_up: read("set-up", set_up)?, created_at, expires_at, withdrawn_at })
    };
    rows.into_iter().map(|r| link((r.id, r.visit_id, r.set_up, r.created_at, r.expires_at, r.withdrawn_at))).collect()
}

/// Withdraws a link; from now on it opens nothing.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn withdraw(scope: &mut Scope, id: Uuid) -> Result<()> {
    let practice = scope.practice_id();
    let done =
        sqlx::query!("update self_links set withdrawn_at = coalesce(withdrawn_at, now()) where practice_id = $1 and id = $2", practice, id)
            .execute(scope.db())
            .await?;
    if done.rows_affected() == 0 { Err(Error::NotFound) } else { Ok(()) }
}

/// What a token opens, while its link holds.
pub async fn open(store: &Store, token: &[u8; 32]) -> Result<Option<(PracticeId, SelfLink)>> {
    let found = store
        .soon(
            sqlx::query!(
                r#"select practice_id as "practice_id!", id as "id!", visit_id as "visit_id!", set_up as "set_up!",
                          created_at as "created_at!", expires_at as "expires_at!"
                   from self_link_lookup($1)"#,
                token.as_slice()
            )
            .fetch_optional(store.pool()),
        )
        .await?;
    found
        .map(|f| {
            let link = SelfLink {
                id: f.id,
                visit: f.visit_id,
                set_up: read("set-up", f.set_up)?,
                created_at: f.created_at,
                expires_at: f.expires_at,
                withdrawn_at: None,
            };
            Ok((PracticeId(f.practice_id), link))
        })
        .transpose()
}

struct Row {
    id: Uuid,
    link_id: Uuid,
    visit_id: Uuid,
    place: i16,
    on_date: NaiveDate,
    typed: serde_json::Value,
    sent_at: DateTime<Utc>,
    fate: String,
    reason: Option<String>,
}

impl Row {
    fn read<T: DeserializeOwned>(self) -> Result<SelfEntry<T>> {
        Ok(SelfEntry {
            id: self.id,
            link: self.link_id,
            visit: self.visit_id,
            place: usize::try_from(self.place).unwrap_or_default(),
            on: self.on_date,
            typed: read("self entry", self.typed)?,
            sent_at: self.sent_at,
            fate: read("fate", serde_json::Value::String(self.fate))?,
            reason: self.reason,
        })
    }
}

/// What was sent for a visit, the oldest first.
pub async fn of_visit<T: DeserializeOwned>(scope: &mut Scope, visit: Uuid) -> Result<Vec<SelfEntry<T>>> {
    let practice = scope.practice_id();
    sqlx::query_as!(
        Row,
        "select id, link_id, visit_id, place, on_date, typed, sent_at, fate, reason from self_entries
         where practice_id = $1 and visit_id = $2 order by sent_at, id",
        practice,
        visit
    )
    .fetch_all(scope.db())
    .await?
    .into_iter()
    .map(Row::read)
    .collect()
}

/// What waits for a coach, the oldest first, so many at the most.
pub async fn waiting<T: DeserializeOwned>(scope: &mut Scope, most: i64) -> Result<Vec<SelfEntry<T>>> {
    let practice = scope.practice_id();
    sqlx::query_as!(
        Row,
        "select id, link_id, visit_id, place, on_date, typed, sent_at, fate, reason from self_entries
         where practice_id = $1 and fate = 'waiting' order by sent_at, id limit $2",
        practice,
        most
    )
    .fetch_all(scope.db())
    .await?
    .into_iter()
    .map(Row::read)
    .collect()
}

/// How many wait for a coach; counted no further than `most`.
pub async fn count_waiting(scope: &mut Scope, most: i64) -> Result<i64> {
    let practice = scope.practice_id();
    Ok(sqlx::query_scalar!(
        r#"select count(*) as "n!" from (select 1 from self_entries where practice_id = $1 and fate = 'waiting' limit $2) w"#,
        practice,
        most
    )
    .fetch_one(scope.db())
    .await?)
}

/// The visit for which something was sent.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn visit_of(scope: &mut Scope, id: Uuid) -> Result<Uuid> {
    let practice = scope.practice_id();
    Ok(sqlx::query_scalar!("select visit_id from self_entries where practice_id = $1 and id = $2", practice, id)
        .fetch_one(scope.db())
        .await?)
}

/// One that was sent; whoever comes next waits until it is decided.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn lock<T: DeserializeOwned>(scope: &mut Scope, id: Uuid) -> Result<SelfEntry<T>> {
    let practice = scope.practice_id();
    sqlx::query_as!(
        Row,
        "select id, link_id, visit_id, place, on_date, typed, sent_at, fate, reason from self_entries
         where practice_id = $1 and id = $2 for update",
        practice,
        id
    )
    .fetch_one(scope.db())
    .await?
    .read()
}

/// Keeps what was sent, in the place of what waits for the same test.
pub async fn send<T: Serialize + Sync>(scope: &mut Scope, entry: &SelfEntry<T>) -> Result<()> {
    let practice = scope.practice_id();
    let place = i16::try_from(entry.place).unwrap_or(i16::MAX);
    sqlx::query!(
        "update self_entries set fate = 'replaced', decided_at = now()
         where practice_id = $1 and visit_id = $2 and place = $3 and fate = 'waiting'",
        practice,
        entry.visit,
        place
    )
    .execute(scope.db())
    .await?;
    sqlx::query!(
        "insert into self_entries (practice_id, id, link_id, visit_id, place, on_date, typed, sent_at) values ($1, $2, $3, $4, $5, $6, $7, $8)",
        practice,
        entry.id,
        entry.link,
        entry.visit,
        place,
        entry.on,
        write("self entry", &entry.typed)?,
        entry.sent_at
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// A coach decides: taken in, or refused with a reason.
///
/// # Errors
/// [`Conflict::ChangedElsewhere`] where it does not wait any more.
pub async fn decide(scope: &mut Scope, coach: CoachId, id: Uuid, reason: Option<&str>) -> Result<()> {
    let practice = scope.practice_id();
    let fate = if reason.is_some() { "refused" } else { "taken" };
    let done = sqlx::query!(
        "update self_entries set fate = $3, reason = $4, decided_by = $5, decided_at = now()
         where practice_id = $1 and id = $2 and fate = 'waiting'",
        practice,
        id,
        fate,
        reason,
        coach.0
    )
    .execute(scope.db())
    .await?;
    if done.rows_affected() == 0 { Err(Error::Conflict(Conflict::ChangedElsewhere)) } else { Ok(()) }
}
