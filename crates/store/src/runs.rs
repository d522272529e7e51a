//! Runs, their performers and their events.

use std::collections::{HashMap, HashSet};

use chrono::{DateTime, Utc};
use impulso_core::{
    catalogue::Protocol,
    run::{Event, Setup},
};
use serde::{Serialize, de::DeserializeOwned};
use sqlx::postgres::PgListener;
use uuid::Uuid;

use crate::{
    CoachId, PATIENCE, PersonId, PracticeId, Result, ResultId, RunId, Scope, Store,
    error::{Conflict, Error, read, write},
};

/// The channel on which server processes tell each other that a run has changed.
const CHANNEL: &str = "impulso_run";
/// And the one on which the database tells them that a session has ended.
const SESSIONS: &str = "impulso_session";
/// And the one on which they hear that a person was erased.
const ERASED: &str = "impulso_erased";

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
    /// The visit it belongs to, and its place in the battery.
    pub visit: Option<(Uuid, usize)>,
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
pub async fn create(scope: &mut Scope, coach: CoachId, run: &NewRun<'_>) -> Result<bool> {
    let practice = scope.practice_id();
    let done = sqlx::query!(
        "insert into runs (id, practice_id, protocol_id, protocol, overrule_reason, rehearsal, join_code, created_by)
         values ($1, $2, $3, $4, $5, $6, $7, $8) on conflict (practice_id, id) do nothing",
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
        return Ok(false);
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
    let row = sqlx::query!(
        "select id, protocol, overrule_reason, rehearsal, join_code, visit_id, visit_place, created_at, closed_at from runs where id = $1",
        id.0
    )
    .fetch_one(scope.db())
    .await?;
    let performers = sqlx::query!(
        r#"select f.slot, f.person_id, f.name, f.setup, x.id as "result_id?"
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
                })
            })
            .collect::<Result<_>>()?,
        overrule_reason: row.overrule_reason,
        rehearsal: row.rehearsal,
        join_code: row.join_code,
        visit: row.visit_id.zip(row.visit_place.map(|p| usize::from(p.unsigned_abs()))),
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

/// What is known of a run's events: those that count, in the order they arrived, and how far each screen has counted.
#[derive(Debug, Clone, Default)]
pub struct Log {
    events: Vec<Event>,
    ids: HashSet<Uuid>,
    /// The partner's events: by whom each was sent.
    partners: HashMap<Uuid, Partner>,
    last_seq: HashMap<Uuid, u32>,
    position: i64,
}

/// A partner without an account: the hash of what the browser holds.
pub type Partner = [u8; 32];

impl Log {
    /// The events that count.
    pub fn events(&self) -> &[Event] {
        &self.events
    }

    /// The sequence number of a screen's last event; 0 where it has sent none.
    pub fn last_seq(&self, device: Uuid) -> u32 {
        self.last_seq.get(&device).copied().unwrap_or_default()
    }

    /// How many events the run holds, those that came after its close among them.
    pub fn held(&self) -> usize {
        self.ids.len()
    }

    /// Whether an event is one of this run's.
    pub fn holds(&self, id: Uuid) -> bool {
        self.ids.contains(&id)
    }

    /// The partner who sent an event; nothing for a coach's.
    pub fn partner(&self, id: Uuid) -> Option<&Partner> {
        self.partners.get(&id)
    }

    /// Those that are not held yet, in the sequence of their screens.
    fn new_among<'e>(&self, events: &'e [Event]) -> Result<Vec<&'e Event>> {
        let mut expected: HashMap<Uuid, u32> = HashMap::new();
        let mut new: Vec<&Event> = Vec::with_capacity(events.len());
        for event in events {
            let next = expected.entry(event.device).or_insert_with(|| self.last_seq(event.device) + 1);
            if event.seq > *next {
                return Err(Conflict::SequenceGap { expected: *next }.into());
            }
            if event.seq == *next {
                *next += 1;
                if self.holds(event.id) {
                    return Err(Conflict::EventElsewhere.into());
                }
                new.push(event);
            }
        }
        Ok(new)
    }

    /// Takes up what was stored of these events, each with its place in the order of arrival.
    fn keep(&mut self, sender: Sender, late: bool, events: &[Event], stored: &[(Uuid, i64)]) -> Appended {
        let (_, partner) = sender.columns();
        let partner: Option<Partner> = partner.and_then(|hash| hash.try_into().ok());
        for (id, position) in stored {
            if let Some(event) = events.iter().find(|e| e.id == *id) {
                self.add(*position, late, partner, event.clone());
            }
        }
        let count = stored.len() as u32;
        let (stored, late) = if late { (0, count) } else { (count, 0) };
        Appended { stored, known: events.len() as u32 - count, late }
    }

    fn add(&mut self, position: i64, late: bool, partner: Option<Partner>, event: Event) {
        self.position = self.position.max(position);
        self.ids.insert(event.id);
        self.partners.extend(partner.map(|p| (event.id, p)));
        let last = self.last_seq.entry(event.device).or_default();
        *last = event.seq.max(*last);
        if !late {
            self.events.push(event);
        }
    }
}

/// Takes the run for this transaction, so that whoever comes next waits, and brings what is known of its events up to date.
/// Appending and closing go through here. Says when the run was closed, if it was.
pub async fn take(scope: &mut Scope, id: RunId, known: &mut Log) -> Result<Option<DateTime<Utc>>> {
    let rows = sqlx::query!(
        r#"select closed_at, position as "position?", late as "late?", partner, body as "body?" from run_take($1, $2)"#,
        id.0,
        known.position
    )
    .fetch_all(scope.db())
    .await?;
    let closed_at = rows.first().ok_or(Error::NotFound)?.closed_at;
    for row in rows {
        if let (Some(position), Some(body)) = (row.position, row.body) {
            let partner = row.partner.and_then(|hash| hash.try_into().ok());
            known.add(position, row.late.unwrap_or_default(), partner, read("event", body)?);
        }
    }
    Ok(closed_at)
}

/// The events that count, in the order they arrived.
pub async fn events(scope: &mut Scope, id: RunId) -> Result<Vec<Event>> {
    let rows =
        sqlx::query!("select body from run_events where run_id = $1 and not late order by position", id.0).fetch_all(scope.db()).await?;
    rows.into_iter().map(|r| read("event", r.body)).collect()
}

/// Who sent events.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sender {
    /// A coach of the practice.
    Coach(CoachId),
    /// A partner who joined by the code.
    Partner(Partner),
}

impl Sender {
    /// The coach's key, or the hash of what the partner holds.
    fn columns(&self) -> (Option<Uuid>, Option<&[u8]>) {
        match self {
            Self::Coach(coach) => (Some(coach.0), None),
            Self::Partner(partner) => (None, Some(partner.as_slice())),
        }
    }
}

/// Stores events of a run that was taken, each once, in the sequence of their screen. `late` where the run had been closed.
///
/// # Errors
/// [`Conflict::SequenceGap`] where an earlier event of that screen is missing, [`Conflict::EventElsewhere`] where an event's
/// id stands for another event; nothing is stored then.
pub async fn append(scope: &mut Scope, sender: Sender, id: RunId, late: bool, known: &mut Log, events: &[Event]) -> Result<Appended> {
    let new = known.new_among(events)?;
    if new.is_empty() {
        return Ok(Appended { known: events.len() as u32, ..Appended::default() });
    }
    let (columns, (coach, partner)) = (Columns::of(&new)?, sender.columns());
    let stored = sqlx::query!(
        "insert into run_events (id, practice_id, run_id, device, seq, mono_ms, wall, body, late, coach_id, partner)
         select e.id, $1, $2, e.device, e.seq, e.mono_ms, e.wall, e.body, $3, $4, $11
         from unnest($5::uuid[], $6::uuid[], $7::int[], $8::float8[], $9::timestamptz[], $10::jsonb[]) with ordinality
              as e (id, device, seq, mono_ms, wall, body, nth)
         order by e.nth
         on conflict (practice_id, id) do nothing
         returning id, position",
        scope.practice_id(),
        id.0,
        late,
        coach,
        &columns.ids,
        &columns.devices,
        &columns.seqs,
        &columns.monos,
        &columns.walls,
        &columns.bodies,
        partner
    )
    .fetch_all(scope.db())
    .await?;
    // Not of this run, and taken all the same: it stands for an event of another run.
    if stored.len() < new.len() {
        return Err(Conflict::EventElsewhere.into());
    }
    let stored: Vec<(Uuid, i64)> = stored.into_iter().map(|r| (r.id, r.position)).collect();
    Ok(known.keep(sender, late, events, &stored))
}

/// The same in one trip, transaction and all, for an open run to which nobody has added since `known`; nothing where that is not so
/// or an event is not new, and then nothing is stored.
pub async fn append_at_once(
    store: &Store,
    practice: PracticeId,
    sender: Sender,
    id: RunId,
    known: &mut Log,
    events: &[Event],
) -> Result<Option<Appended>> {
    let Ok(new) = known.new_among(events) else { return Ok(None) };
    if new.is_empty() || new.len() < events.len() {
        return Ok(None);
    }
    let (columns, (coach, partner)) = (Columns::of(&new)?, sender.columns());
    let _turn = store.turn(practice).await?;
    let append = sqlx::query!(
        r#"select id as "id!", position as "position!" from run_append($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)"#,
        practice.0,
        id.0,
        known.position,
        &columns.ids,
        &columns.devices,
        &columns.seqs,
        &columns.monos,
        &columns.walls,
        &columns.bodies,
        coach,
        partner
    )
    .fetch_all(store.pool());
    let stored = tokio::time::timeout(PATIENCE, append).await.map_err(|late| Error::Unavailable(late.into()))?;
    match stored {
        Ok(stored) if stored.len() == new.len() => {
            let stored: Vec<(Uuid, i64)> = stored.into_iter().map(|r| (r.id, r.position)).collect();
            Ok(Some(known.keep(sender, false, events, &stored)))
        }
        Ok(_) => Ok(None),
        // An id that stands for another event: said by the one who looks closer.
        Err(sqlx::Error::Database(refused)) if refused.is_unique_violation() => Ok(None),
        Err(away) => Err(away.into()),
    }
}

/// Events as the table takes them, column by column.
struct Columns {
    ids: Vec<Uuid>,
    devices: Vec<Uuid>,
    seqs: Vec<i32>,
    monos: Vec<f64>,
    walls: Vec<DateTime<Utc>>,
    bodies: Vec<serde_json::Value>,
}

impl Columns {
    fn of(events: &[&Event]) -> Result<Self> {
        Ok(Self {
            ids: events.iter().map(|e| e.id).collect(),
            devices: events.iter().map(|e| e.device).collect(),
            seqs: events.iter().map(|e| i32::try_from(e.seq).unwrap_or(i32::MAX)).collect(),
            monos: events.iter().map(|e| e.mono_ms).collect(),
            walls: events.iter().map(|e| e.wall).collect(),
            bodies: events.iter().map(|e| write("event", e)).collect::<Result<_>>()?,
        })
    }
}

/// Tells every server process that a run has changed, once this transaction is kept.
async fn announce(scope: &mut Scope, id: RunId) -> Result<()> {
    let notice = format!("{} {} {}", scope.practice_id(), id.0, scope.process);
    sqlx::query!("select pg_notify($1, $2)", CHANNEL, notice).fetch_one(scope.db()).await?;
    Ok(())
}

/// Tells every server process, once this transaction is kept, that a person of some runs is erased.
pub(crate) async fn announce_erased(scope: &mut Scope) -> Result<()> {
    let practice = scope.practice_id().to_string();
    sqlx::query!("select pg_notify($1, $2)", ERASED, practice).fetch_one(scope.db()).await?;
    Ok(())
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

/// The open run that a partner's code leads to, and its practice.
pub async fn by_code(store: &Store, code: &str) -> Result<Option<(PracticeId, RunId)>> {
    let found = store
        .soon(
            sqlx::query!(r#"select practice_id as "practice_id!", run_id as "run_id!" from join_lookup($1)"#, code)
                .fetch_optional(store.pool()),
        )
        .await?;
    Ok(found.map(|f| (PracticeId(f.practice_id), RunId(f.run_id))))
}

/// What changes in other processes.
#[derive(Debug)]
pub struct Changes {
    listener: PgListener,
    process: Uuid,
}

/// One change, told by another process.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Change {
    /// This run has changed.
    Of(PracticeId, RunId),
    /// The session with this name has ended, in whichever process.
    SessionEnded(Uuid),
    /// A person was erased, in whichever process: what is remembered of runs may hold the name.
    Erased,
    /// The connection was lost for a while: any run may have changed.
    Unknown,
}

/// Tells the other server processes that runs have changed. Not in the transaction of the change: the database hands such words
/// out one commit at a time, and every other commit would wait for it.
pub async fn tell_others(store: &Store, changed: &[(PracticeId, RunId)]) -> Result<()> {
    let notices: Vec<String> = changed.iter().map(|(practice, run)| format!("{} {} {}", practice.0, run.0, store.process)).collect();
    store.soon(sqlx::query!("select pg_notify($1, n) from unnest($2::text[]) n", CHANNEL, &notices).fetch_all(store.pool())).await?;
    Ok(())
}

/// Listens for changes of runs that other server processes made.
pub async fn changes(store: &Store) -> Result<Changes> {
    let mut listener = PgListener::connect_with(store.pool()).await?;
    listener.listen_all([CHANNEL, SESSIONS, ERASED]).await?;
    Ok(Changes { listener, process: store.process })
}

impl Changes {
    /// Waits for the next change.
    pub async fn next(&mut self) -> Result<Change> {
        loop {
            let Some(notice) = self.listener.try_recv().await? else { return Ok(Change::Unknown) };
            if notice.channel() == SESSIONS {
                if let Ok(sid) = notice.payload().parse() {
                    return Ok(Change::SessionEnded(sid));
                }
                continue;
            }
            if notice.channel() == ERASED {
                return Ok(Change::Erased);
            }
            let mut parts = notice.payload().split(' ').filter_map(|p| p.parse::<Uuid>().ok());
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
