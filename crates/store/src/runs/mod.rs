//! Runs, their performers and their events.

mod log;
mod notify;

use chrono::{DateTime, Utc};
use impulso_core::{catalogue::Protocol, run::Setup};
use serde::{Serialize, de::DeserializeOwned};
use uuid::Uuid;

pub use log::{Appended, Log, Partner, Sender, append, append_at_once, events, lock, sent_by};
use notify::announce;
pub(crate) use notify::announce_erased;
pub use notify::{Change, Changes, changes, tell_others};

use crate::{
    CoachId, PersonId, PracticeId, Result, ResultId, RunId, Scope, Store,
    error::{Error, read, write},
};

/// A run as it was set up.
#[derive(Debug, Clone)]
pub struct Run {
    pub id: RunId,
    /// The protocol as it was on the day.
    pub protocol: Protocol,
    /// Who is tested, by slot.
    pub performers: Vec<Performer>,
    /// Why the coach chose this test although another suited better.
    pub overrule_reason: Option<String>,
    /// The simulated client, for a rehearsal.
    pub rehearsal: Option<serde_json::Value>,
    /// By which partners join.
    pub join_code: Option<String>,
    /// The visit it belongs to, and its place in the battery.
    pub visit: Option<(Uuid, usize)>,
    /// The group visit it belongs to.
    pub group_visit: Option<Uuid>,
    /// When it was set up.
    pub created_at: DateTime<Utc>,
    /// When it was closed.
    pub closed_at: Option<DateTime<Utc>>,
}

/// One of those who are tested.
#[derive(Debug, Clone)]
pub struct Performer {
    /// From 0.
    pub slot: u16,
    /// The record; nobody for a rehearsal.
    pub person: Option<PersonId>,
    /// Name as it was on the day.
    pub name: String,
    /// What was settled before the clock.
    pub setup: Setup,
    /// The result, once there is one.
    pub result: Option<ResultId>,
    /// Of many: their own visit, and the place in it that this fills.
    pub visit: Option<(Uuid, usize)>,
}

/// A run about to be set up.
#[derive(Debug)]
pub struct NewRun<'a> {
    /// Made by the screen: the same id twice is one run.
    pub id: RunId,
    pub protocol: &'a Protocol,
    /// Who is tested; slots count from 0.
    pub performers: &'a [NewPerformer],
    /// Why the coach chose this test although another suited better.
    pub overrule_reason: Option<&'a str>,
    /// The simulated client, for a rehearsal.
    pub rehearsal: Option<&'a serde_json::Value>,
    /// By which partners join.
    pub join_code: Option<&'a str>,
    /// When it was set up: the zero of its clock.
    pub set_up_at: DateTime<Utc>,
}

/// A performer about to be set up.
#[derive(Debug, Clone)]
pub struct NewPerformer {
    /// The record; nobody for a rehearsal.
    pub person: Option<PersonId>,
    pub name: String,
    /// What was settled before the clock.
    pub setup: Setup,
    /// Of many: their own visit, and the place in it that this fills.
    pub visit: Option<(Uuid, usize)>,
}

/// A run that is open, for Today.
#[derive(Debug, Clone)]
pub struct Open {
    pub id: RunId,
    /// The first performer's name.
    pub name: String,
    /// How many are tested.
    pub performers: i64,
    /// Which protocol, by its name on the day.
    pub protocol: String,
    /// Since when.
    pub created_at: DateTime<Utc>,
}

/// Sets a run up. Returns whether it is new.
pub async fn create(scope: &mut Scope, coach: CoachId, run: &NewRun<'_>) -> Result<bool> {
    let practice = scope.practice_id();
    let done = sqlx::query!(
        "insert into runs (id, practice_id, protocol_id, protocol, overrule_reason, rehearsal, join_code, created_by, created_at)
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict (practice_id, id) do nothing",
        run.id.0,
        practice,
        run.protocol.id,
        write("protocol", run.protocol)?,
        run.overrule_reason,
        run.rehearsal,
        run.join_code,
        coach.0,
        run.set_up_at
    )
    .execute(scope.db())
    .await?;
    if done.rows_affected() == 0 {
        return Ok(false);
    }
    for (slot, performer) in run.performers.iter().enumerate() {
        sqlx::query!(
            "insert into run_performers (run_id, practice_id, slot, person_id, name, setup, visit_id, visit_place)
             values ($1, $2, $3, $4, $5, $6, $7, $8)",
            run.id.0,
            practice,
            i16::try_from(slot).unwrap_or(i16::MAX),
            performer.person.map(|p| p.0),
            performer.name,
            write("setup", &performer.setup)?,
            performer.visit.map(|(visit, _)| visit),
            performer.visit.map(|(_, place)| i16::try_from(place).unwrap_or(i16::MAX))
        )
        .execute(scope.db())
        .await?;
    }
    Ok(true)
}

/// One run.
pub async fn get(scope: &mut Scope, id: RunId) -> Result<Run> {
    let row = sqlx::query!(
        "select r.id, r.protocol, r.overrule_reason, r.rehearsal, coalesce(r.join_code, v.join_code) as join_code, r.visit_id, r.visit_place,
                r.group_visit_id, r.created_at, r.closed_at
         from runs r left join group_visits v on v.practice_id = r.practice_id and v.id = r.group_visit_id
         where r.id = $1",
        id.0
    )
    .fetch_one(scope.db())
    .await?;
    let performers = sqlx::query!(
        r#"select f.slot, f.person_id, f.name, f.setup, f.visit_id, f.visit_place, x.id as "result_id?"
           from run_performers f
           left join results x on x.practice_id = f.practice_id and x.run_id = f.run_id and x.person_id = f.person_id
           where f.run_id = $1 order by f.slot"#,
        id.0
    )
    .fetch_all(scope.db())
    .await?;
    Ok(Run {
        id: RunId(row.id),
        protocol: crate::protocols::stored(row.protocol)?,
        performers: performers
            .into_iter()
            .map(|f| {
                Ok(Performer {
                    slot: f.slot.unsigned_abs(),
                    person: f.person_id.map(PersonId),
                    name: f.name,
                    setup: read("setup", f.setup)?,
                    result: f.result_id.map(ResultId),
                    visit: f.visit_id.zip(f.visit_place.map(|p| usize::from(p.unsigned_abs()))),
                })
            })
            .collect::<Result<_>>()?,
        overrule_reason: row.overrule_reason,
        rehearsal: row.rehearsal,
        join_code: row.join_code,
        visit: row.visit_id.zip(row.visit_place.map(|p| usize::from(p.unsigned_abs()))),
        group_visit: row.group_visit_id,
        created_at: row.created_at,
        closed_at: row.closed_at,
    })
}

/// One run; nothing where it cannot be read any more.
///
/// # Errors
/// As [`get`], but for [`Error::Unreadable`].
pub async fn readable(scope: &mut Scope, id: RunId) -> Result<Option<Run>> {
    match get(scope, id).await {
        Err(error @ Error::Unreadable { .. }) => {
            tracing::error!(key = %id, %error, "a stored run is set aside");
            Ok(None)
        }
        other => other.map(Some),
    }
}

/// The reason for going on that was given with an earlier test of a visit.
pub async fn reason_in_visit(scope: &mut Scope, visit: Uuid) -> Result<Option<String>> {
    let practice = scope.practice_id();
    let reason = sqlx::query_scalar!(
        r#"select overrule_reason as "reason!" from runs
           where practice_id = $1 and visit_id = $2 and overrule_reason is not null order by created_at desc limit 1"#,
        practice,
        visit
    )
    .fetch_optional(scope.db())
    .await?;
    Ok(reason)
}

/// Closes a run.
pub async fn close(scope: &mut Scope, id: RunId, at: DateTime<Utc>) -> Result<()> {
    sqlx::query!("update runs set closed_at = $2 where id = $1 and closed_at is null", id.0, at).execute(scope.db()).await?;
    announce(scope, id).await
}

/// Real runs that were begun and not closed, the latest first; at most `limit`.
pub async fn open(scope: &mut Scope, limit: i64) -> Result<Vec<Open>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select r.id, f.name, r.protocol->>'name' as "protocol!", r.created_at,
                  (select count(*) from run_performers a where a.practice_id = r.practice_id and a.run_id = r.id) as "performers!"
           from runs r join run_performers f on f.practice_id = r.practice_id and f.run_id = r.id and f.slot = 0
           where r.practice_id = $1 and r.closed_at is null and r.rehearsal is null order by r.created_at desc limit $2"#,
        practice,
        limit
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows
        .into_iter()
        .map(|r| Open { id: RunId(r.id), name: r.name, performers: r.performers, protocol: r.protocol, created_at: r.created_at })
        .collect())
}

/// What a code of partners leads to.
#[derive(Debug, Clone)]
pub struct ByCode {
    pub practice: PracticeId,
    /// The open run; of a group visit all of its open ones, the newest first.
    pub runs: Vec<RunId>,
}

/// The open runs that the code of a run, or of a group visit under way, leads to, whatever the practice.
pub async fn by_code(store: &Store, code: &str) -> Result<Option<ByCode>> {
    let found = store
        .soon(sqlx::query!(r#"select practice_id as "practice_id!", run_id from join_lookup($1)"#, code).fetch_all(store.pool()))
        .await?;
    let Some(first) = found.first() else { return Ok(None) };
    Ok(Some(ByCode { practice: PracticeId(first.practice_id), runs: found.iter().filter_map(|f| f.run_id.map(RunId)).collect() }))
}

/// One of many in a run.
#[derive(Debug, Clone)]
pub struct InRun {
    pub run: RunId,
    pub group_visit: Option<Uuid>,
    pub person: Option<PersonId>,
    pub name: String,
}

/// Who is tested in these runs, the newest run first.
pub async fn people_in(scope: &mut Scope, runs: &[RunId]) -> Result<Vec<InRun>> {
    let keys: Vec<Uuid> = runs.iter().map(|r| r.0).collect();
    let found = sqlx::query!(
        "select f.run_id, r.group_visit_id, f.person_id, f.name
         from run_performers f join runs r on r.practice_id = f.practice_id and r.id = f.run_id
         where f.run_id = any($1) order by r.created_at desc, f.slot",
        &keys
    )
    .fetch_all(scope.db())
    .await?;
    Ok(found
        .into_iter()
        .map(|f| InRun { run: RunId(f.run_id), group_visit: f.group_visit_id, person: f.person_id.map(PersonId), name: f.name })
        .collect())
}

/// The simulated client of a rehearsal as its type.
pub fn rehearsal<T: DeserializeOwned>(run: &Run) -> Result<Option<T>> {
    run.rehearsal.clone().map(|r| read("rehearsal", r)).transpose()
}

/// A simulated client as it is kept.
pub fn keep_rehearsal<T: Serialize>(client: &T) -> Result<serde_json::Value> {
    write("rehearsal", client)
}
