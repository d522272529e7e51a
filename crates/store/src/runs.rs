//! Runs, their performers and their events.

use chrono::{DateTime, Utc};
use impulso_core::{
    catalogue::Protocol,
    run::{Event, Setup},
};
use serde::{Serialize, de::DeserializeOwned};
use sqlx::postgres::PgListener;

use crate::{
    CoachId, PersonId, PracticeId, Result, ResultId, RunId, Scope, Store,
    error::{Conflict, read, write},
};

/// The channel on which server processes tell each other that a run has changed.
const CHANNEL: &str = "impulso_run";

/// A run as it was set up.
#[derive(Debug, Clone)]
pub struct Run {
    /// Key.
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
}

/// A run about to be set up.
#[derive(Debug)]
pub struct NewRun<'a> {
    /// Made by the screen: the same id twice is one run.
    pub id: RunId,
    /// The protocol.
    pub protocol: &'a Protocol,
    /// Who is tested; slots count from 0.
    pub performers: &'a [NewPerformer],
    /// Why the coach chose this test although another suited better.
    pub overrule_reason: Option<&'a str>,
    /// The simulated client, for a rehearsal.
    pub rehearsal: Option<&'a serde_json::Value>,
    /// By which partners join.
    pub join_code: Option<&'a str>,
}

/// A performer about to be set up.
#[derive(Debug, Clone)]
pub struct NewPerformer {
    /// The record; nobody for a rehearsal.
    pub person: Option<PersonId>,
    /// Name.
    pub name: String,
    /// What was settled before the clock.
    pub setup: Setup,
}

/// A run that is open, for Today.
#[derive(Debug, Clone)]
pub struct Open {
    /// Key.
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

/// What became of events that were handed in.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Appended {
    /// Stored now.
    pub stored: u32,
    /// Known already.
    pub known: u32,
    /// Stored, but after the run was closed: without effect.
    pub late: u32,
}

/// Sets a run up. Returns whether it is new.
///
/// # Errors
/// [`Conflict::IdTaken`] where the id is another practice's.
pub async fn create(scope: &mut Scope, coach: CoachId, run: &NewRun<'_>) -> Result<bool> {
    let practice = scope.practice_id();
    let done = sqlx::query!(
        "insert into runs (id, practice_id, protocol_id, protocol, overrule_reason, rehearsal, join_code, created_by)
         values ($1, $2, $3, $4, $5, $6, $7, $8) on conflict (id) do nothing",
        run.id.0,
        practice,
        run.protocol.id,
        write("protocol", run.protocol)?,
        run.overrule_reason,
        run.rehearsal,
        run.join_code,
        coach.0
    )
    .execute(scope.db())
    .await?;
    if done.rows_affected() == 0 {
        return get(scope, run.id).await.map(|_| false).map_err(|_| Conflict::IdTaken.into());
    }
    for (slot, performer) in run.performers.iter().enumerate() {
        sqlx::query!(
            "insert into run_performers (run_id, practice_id, slot, person_id, name, setup) values ($1, $2, $3, $4, $5, $6)",
            run.id.0,
            practice,
            i16::try_from(slot).unwrap_or(i16::MAX),
            performer.person.map(|p| p.0),
            performer.name,
            write("setup", &performer.setup)?
        )
        .execute(scope.db())
        .await?;
    }
    Ok(true)
}

/// One run.
pub async fn get(scope: &mut Scope, id: RunId) -> Result<Run> {
    let row =
        sqlx::query!("select id, protocol, overrule_reason, rehearsal, join_code, created_at, closed_at from runs where id = $1", id.0)
            .fetch_one(scope.db())
            .await?;
    let performers = sqlx::query!(
        r#"select f.slot, f.person_id, f.name, f.setup, x.id as "result_id?"
           from run_performers f left join results x on x.run_id = f.run_id and x.person_id = f.person_id
           where f.run_id = $1 order by f.slot"#,
        id.0
    )
    .fetch_all(scope.db())
    .await?;
    Ok(Run {
        id: RunId(row.id),
        protocol: read("protocol", row.protocol)?,
        performers: performers
            .into_iter()
            .map(|f| {
                Ok(Performer {
                    slot: f.slot.unsigned_abs(),
                    person: f.person_id.map(PersonId),
                    name: f.name,
                    setup: read("setup", f.setup)?,
                    result: f.result_id.map(ResultId),
                })
            })
            .collect::<Result<_>>()?,
        overrule_reason: row.overrule_reason,
        rehearsal: row.rehearsal,
        join_code: row.join_code,
        created_at: row.created_at,
        closed_at: row.closed_at,
    })
}

/// Takes the run for this transaction: whoever comes next waits. Appending and closing go through here.
pub async fn lock(scope: &mut Scope, id: RunId) -> Result<Run> {
    sqlx::query!("select id from runs where id = $1 for update", id.0).fetch_one(scope.db()).await?;
    get(scope, id).await
}

/// The events that count, in the order they arrived.
pub async fn events(scope: &mut Scope, id: RunId) -> Result<Vec<Event>> {
    let rows =
        sqlx::query!("select body from run_events where run_id = $1 and not late order by position", id.0).fetch_all(scope.db()).await?;
    rows.into_iter().map(|r| read("event", r.body)).collect()
}

/// Stores events of a locked run, each once, in the sequence of their screen, and tells every server process. `coach` is
/// nobody where a partner without an account sent them.
///
/// # Errors
/// [`Conflict::SequenceGap`] where an earlier event of that screen is missing; nothing is stored then.
pub async fn append(scope: &mut Scope, coach: Option<CoachId>, run: &Run, events: &[Event]) -> Result<Appended> {
    let practice = scope.practice_id();
    let mut done = Appended::default();
    for event in events {
        let last = sqlx::query_scalar!(
            r#"select coalesce(max(seq), 0) as "seq!" from run_events where run_id = $1 and device = $2"#,
            run.id.0,
            event.device
        )
        .fetch_one(scope.db())
        .await?;
        let expected = last.unsigned_abs() + 1;
        if event.seq < expected {
            done.known += 1;
            continue;
        }
        if event.seq > expected {
            return Err(Conflict::SequenceGap { expected }.into());
        }
        let late = run.closed_at.is_some();
        let stored = sqlx::query!(
            "insert into run_events (id, practice_id, run_id, device, seq, mono_ms, wall, body, late, coach_id)
             values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) on conflict (id) do nothing",
            event.id,
            practice,
            run.id.0,
            event.device,
            i32::try_from(event.seq).unwrap_or(i32::MAX),
            event.mono_ms,
            event.wall,
            write("event", event)?,
            late,
            coach.map(|c| c.0)
        )
        .execute(scope.db())
        .await?;
        match (stored.rows_affected(), late) {
            (0, _) => done.known += 1,
            (_, true) => done.late += 1,
            (_, false) => done.stored += 1,
        }
    }
    if done.stored > 0 {
        announce(scope, run.id).await?;
    }
    Ok(done)
}

/// Tells every server process that a run has changed, once this transaction is kept.
async fn announce(scope: &mut Scope, id: RunId) -> Result<()> {
    let notice = format!("{} {} {}", scope.practice_id(), id.0, scope.process);
    sqlx::query!("select pg_notify($1, $2)", CHANNEL, notice).fetch_one(scope.db()).await?;
    Ok(())
}

/// Closes a run.
pub async fn close(scope: &mut Scope, id: RunId, at: DateTime<Utc>) -> Result<()> {
    sqlx::query!("update runs set closed_at = $2 where id = $1 and closed_at is null", id.0, at).execute(scope.db()).await?;
    announce(scope, id).await
}

/// Real runs that were begun and not closed, the latest first.
pub async fn open(scope: &mut Scope) -> Result<Vec<Open>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        r#"select r.id, f.name, r.protocol->>'name' as "protocol!", r.created_at,
                  (select count(*) from run_performers a where a.run_id = r.id) as "performers!"
           from runs r join run_performers f on f.run_id = r.id and f.slot = 0
           where r.practice_id = $1 and r.closed_at is null and r.rehearsal is null order by r.created_at desc limit 20"#,
        practice
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows
        .into_iter()
        .map(|r| Open { id: RunId(r.id), name: r.name, performers: r.performers, protocol: r.protocol, created_at: r.created_at })
        .collect())
}

/// The open run that a partner's code leads to, and its practice.
pub async fn by_code(store: &Store, code: &str) -> Result<Option<(PracticeId, RunId)>> {
    let found = sqlx::query!(r#"select practice_id as "practice_id!", run_id as "run_id!" from join_lookup($1)"#, code)
        .fetch_optional(store.pool())
        .await?;
    Ok(found.map(|f| (PracticeId(f.practice_id), RunId(f.run_id))))
}

/// What changes in other processes.
#[derive(Debug)]
pub struct Changes {
    listener: PgListener,
    process: uuid::Uuid,
}

/// One change, told by another process.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Change {
    /// This run has changed.
    Of(PracticeId, RunId),
    /// The connection was lost for a while: any run may have changed.
    Unknown,
}

/// Listens for changes of runs that other server processes made.
pub async fn changes(store: &Store) -> Result<Changes> {
    let mut listener = PgListener::connect_with(store.pool()).await?;
    listener.listen(CHANNEL).await?;
    Ok(Changes { listener, process: store.process })
}

impl Changes {
    /// Waits for the next change.
    pub async fn next(&mut self) -> Result<Change> {
        loop {
            let Some(notice) = self.listener.try_recv().await? else { return Ok(Change::Unknown) };
            let mut parts = notice.payload().split(' ').filter_map(|p| p.parse::<uuid::Uuid>().ok());
            match (parts.next(), parts.next(), parts.next()) {
                (Some(practice), Some(run), Some(process)) if process != self.process => {
                    return Ok(Change::Of(PracticeId(practice), RunId(run)));
                }
                _ => {}
            }
        }
    }
}

/// The simulated client of a rehearsal as its type.
pub fn rehearsal<T: DeserializeOwned>(run: &Run) -> Result<Option<T>> {
    run.rehearsal.clone().map(|r| read("rehearsal", r)).transpose()
}

/// A simulated client as it is kept.
pub fn keep_rehearsal<T: Serialize>(client: &T) -> Result<serde_json::Value> {
    write("rehearsal", client)
}
