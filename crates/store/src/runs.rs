//! Runs and their events.

use chrono::{DateTime, Utc};
use impulso_core::{
    catalogue::Protocol,
    run::{Event, Setup},
};

use crate::{
    CoachId, PersonId, Result, ResultId, RunId, Scope,
    error::{Conflict, read, write},
};

/// A run as it was set up.
#[derive(Debug, Clone)]
pub struct Run {
    /// Key.
    pub id: RunId,
    /// Who is tested.
    pub person: PersonId,
    /// The client's name.
    pub person_name: String,
    /// The protocol as it was on the day.
    pub protocol: Protocol,
    /// What was settled before the clock.
    pub setup: Setup,
    /// Why the coach chose this test although another suited better.
    pub overrule_reason: Option<String>,
    /// When it was set up.
    pub created_at: DateTime<Utc>,
    /// When it was closed.
    pub closed_at: Option<DateTime<Utc>>,
    /// The result, once closed.
    pub result: Option<ResultId>,
}

/// A run about to be set up.
#[derive(Debug)]
pub struct NewRun<'a> {
    /// Made by the screen: the same id twice is one run.
    pub id: RunId,
    /// Who is tested.
    pub person: PersonId,
    /// The protocol.
    pub protocol: &'a Protocol,
    /// What was settled.
    pub setup: &'a Setup,
    /// Why the coach chose this test although another suited better.
    pub overrule_reason: Option<&'a str>,
}

/// A run that is open, for Today.
#[derive(Debug, Clone)]
pub struct Open {
    /// Key.
    pub id: RunId,
    /// Who.
    pub person: PersonId,
    /// Name.
    pub person_name: String,
    /// Which protocol.
    pub protocol_id: String,
    /// Since when.
    pub created_at: DateTime<Utc>,
}

/// What became of events that were handed in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
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
        "insert into runs (id, practice_id, person_id, protocol_id, protocol, setup, overrule_reason, created_by)
         values ($1, $2, $3, $4, $5, $6, $7, $8) on conflict (id) do nothing",
        run.id.0,
        practice,
        run.person.0,
        run.protocol.id,
        write("protocol", run.protocol)?,
        write("setup", run.setup)?,
        run.overrule_reason,
        coach.0
    )
    .execute(scope.db())
    .await?;
    let new = done.rows_affected() == 1;
    if !new && get(scope, run.id).await.is_err() {
        return Err(Conflict::IdTaken.into());
    }
    Ok(new)
}

/// One run.
pub async fn get(scope: &mut Scope, id: RunId) -> Result<Run> {
    let row = sqlx::query!(
        r#"select r.id, r.person_id, p.name as person_name, r.protocol, r.setup, r.overrule_reason, r.created_at, r.closed_at, x.id as "result_id?"
           from runs r join people p on p.id = r.person_id left join results x on x.run_id = r.id where r.id = $1"#,
        id.0
    )
    .fetch_one(scope.db())
    .await?;
    Ok(Run {
        id: RunId(row.id),
        person: PersonId(row.person_id),
        person_name: row.person_name,
        protocol: read("protocol", row.protocol)?,
        setup: read("setup", row.setup)?,
        overrule_reason: row.overrule_reason,
        created_at: row.created_at,
        closed_at: row.closed_at,
        result: row.result_id.map(ResultId),
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

/// Stores events of a locked run, each once, in the sequence of their screen.
///
/// # Errors
/// [`Conflict::SequenceGap`] where an earlier event of that screen is missing; nothing is stored then.
pub async fn append(scope: &mut Scope, coach: CoachId, run: &Run, events: &[Event]) -> Result<Appended> {
    let practice = scope.practice_id();
    let mut done = Appended { stored: 0, known: 0, late: 0 };
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
            coach.0
        )
        .execute(scope.db())
        .await?;
        match (stored.rows_affected(), late) {
            (0, _) => done.known += 1,
            (_, true) => done.late += 1,
            (_, false) => done.stored += 1,
        }
    }
    Ok(done)
}

/// Closes a run.
pub async fn close(scope: &mut Scope, id: RunId, at: DateTime<Utc>) -> Result<()> {
    sqlx::query!("update runs set closed_at = $2 where id = $1 and closed_at is null", id.0, at).execute(scope.db()).await?;
    Ok(())
}

/// Runs that were begun and not closed, the latest first.
pub async fn open(scope: &mut Scope) -> Result<Vec<Open>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select r.id, r.person_id, p.name, r.protocol_id, r.created_at from runs r join people p on p.id = r.person_id
         where r.practice_id = $1 and r.closed_at is null order by r.created_at desc limit 20",
        practice
    )
    .fetch_all(scope.db())
    .await?;
    Ok(rows
        .into_iter()
        .map(|r| Open {
            id: RunId(r.id),
            person: PersonId(r.person_id),
            person_name: r.name,
            protocol_id: r.protocol_id,
            created_at: r.created_at,
        })
        .collect())
}
