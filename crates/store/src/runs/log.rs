//! The events of a run: those that count, in the order they arrived, and how more of them are stored.

use std::{
    cmp::Ordering,
    collections::{HashMap, HashSet},
};

use chrono::{DateTime, Utc};
use impulso_core::run::Event;
use uuid::Uuid;

use crate::{
    CoachId, PATIENCE, PracticeId, Result, RunId, Scope, Store,
    error::{Conflict, Error, read, write},
};

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

/// What is known of a run's events: those that count, in the order they arrived, and how far each screen has counted.
#[derive(Debug, Clone, Default)]
pub struct Log {
    events: Vec<Event>,
    /// Those that came after the close: they change nothing, and are known all the same.
    late: Vec<Event>,
    /// Sender of each event.
    senders: HashMap<Uuid, Option<Sender>>,
    screens: HashMap<Uuid, Screen>,
    position: i64,
}

/// A screen that has written in a run.
#[derive(Debug, Clone, Copy)]
struct Screen {
    /// Whoever wrote with it first: nobody else writes with it as long as the run lasts. Unknown where the sender was erased.
    owner: Option<Sender>,
    last_seq: u32,
}

/// A partner without an account: the hash of what the browser holds.
pub type Partner = [u8; 32];

impl Log {
    /// The events that count.
    pub fn events(&self) -> &[Event] {
        &self.events
    }

    /// The sequence number of a screen's last event; 0 where it has sent none.
    fn last_seq(&self, device: Uuid) -> u32 {
        self.screens.get(&device).map_or(0, |s| s.last_seq)
    }

    /// How many events the run holds, those that came after its close among them.
    pub fn held(&self) -> usize {
        self.senders.len()
    }

    /// Whether an event is one of this run's.
    pub fn holds(&self, id: Uuid) -> bool {
        self.senders.contains_key(&id)
    }

    /// An event that counts, as it is stored.
    pub fn event(&self, id: Uuid) -> Option<&Event> {
        self.events.iter().rev().find(|e| e.id == id)
    }

    /// True if an event was sent by this one.
    pub fn is_from(&self, id: Uuid, sender: Sender) -> bool {
        self.senders.get(&id) == Some(&Some(sender))
    }

    /// The partner who sent an event; nothing for a coach's.
    pub fn partner(&self, id: Uuid) -> Option<&Partner> {
        match self.senders.get(&id)? {
            Some(Sender::Partner(partner)) => Some(partner),
            _ => None,
        }
    }

    /// Those that are not held yet, in the sequence of their screens. An event is known only where the one that is held is the same one.
    ///
    /// # Errors
    /// [`Conflict::ScreenElsewhere`] where somebody else writes with that screen, [`Conflict::EventElsewhere`] where the id stands for an
    /// event with other content, [`Conflict::SequenceTaken`] where another event has the number, [`Conflict::SequenceGap`] where an
    /// earlier one is missing.
    pub fn new_among<'e>(&self, sender: Sender, events: &'e [Event]) -> Result<Vec<&'e Event>> {
        let mut expected: HashMap<Uuid, u32> = HashMap::new();
        let mut new: Vec<&Event> = Vec::with_capacity(events.len());
        for event in events {
            if self.screens.get(&event.device).and_then(|s| s.owner).is_some_and(|owner| owner != sender) {
                return Err(Conflict::ScreenElsewhere.into());
            }
            let held = self.holds(event.id).then(|| self.find(event.id));
            if let Some(held) = held.or_else(|| new.iter().copied().find(|e| e.id == event.id).map(Some)) {
                if held.is_some_and(|held| held.is_same(event)) {
                    continue;
                }
                return Err(Conflict::EventElsewhere.into());
            }
            let next = expected.entry(event.device).or_insert_with(|| self.last_seq(event.device) + 1);
            match event.seq.cmp(next) {
                Ordering::Less => return Err(Conflict::SequenceTaken { expected: *next }.into()),
                Ordering::Greater => return Err(Conflict::SequenceGap { expected: *next }.into()),
                Ordering::Equal => {
                    *next += 1;
                    new.push(event);
                }
            }
        }
        Ok(new)
    }

    /// An event that is held, whether or not it counts.
    fn find(&self, id: Uuid) -> Option<&Event> {
        self.event(id).or_else(|| self.late.iter().rev().find(|e| e.id == id))
    }

    /// Takes up what was stored of these events, each with its place in the order of arrival.
    fn keep(&mut self, sender: Sender, late: bool, events: &[Event], stored: &[(Uuid, i64)]) -> Appended {
        for (id, position) in stored {
            if let Some(event) = events.iter().find(|e| e.id == *id) {
                self.add(*position, late, Some(sender), event.clone());
            }
        }
        let count = stored.len() as u32;
        let (stored, late) = if late { (0, count) } else { (count, 0) };
        Appended { stored, known: events.len() as u32 - count, late }
    }

    fn add(&mut self, position: i64, late: bool, sender: Option<Sender>, event: Event) {
        self.position = self.position.max(position);
        self.senders.insert(event.id, sender);
        let screen = self.screens.entry(event.device).or_insert(Screen { owner: sender, last_seq: 0 });
        screen.last_seq = event.seq.max(screen.last_seq);
        let events = if late { &mut self.late } else { &mut self.events };
        events.push(event);
    }
}

/// Locks the run for this transaction, so that whoever comes next waits, and brings what is known of its events up to date.
/// Appending and closing go through here. Says when the run was closed, if it was.
pub async fn lock(scope: &mut Scope, id: RunId, known: &mut Log) -> Result<Option<DateTime<Utc>>> {
    let rows = sqlx::query!(
        r#"select closed_at, position as "position?", late as "late?", coach_id as "coach?", partner, body as "body?" from run_take($1, $2)"#,
        id.0,
        known.position
    )
    .fetch_all(scope.db())
    .await?;
    let closed_at = rows.first().ok_or(Error::NotFound)?.closed_at;
    for row in rows {
        if let (Some(position), Some(body)) = (row.position, row.body) {
            known.add(position, row.late.unwrap_or_default(), Sender::of(row.coach, row.partner), read("event", body)?);
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

/// The ids of those that a partner has sent.
pub async fn sent_by(scope: &mut Scope, id: RunId, partner: Partner) -> Result<HashSet<Uuid>> {
    let ids = sqlx::query_scalar!("select id from run_events where run_id = $1 and partner = $2", id.0, partner.as_slice())
        .fetch_all(scope.db())
        .await?;
    Ok(ids.into_iter().collect())
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
    /// As the two columns of an event say it.
    fn of(coach: Option<Uuid>, partner: Option<Vec<u8>>) -> Option<Self> {
        let partner = || partner.and_then(|hash| hash.try_into().ok()).map(Self::Partner);
        coach.map(|id| Self::Coach(CoachId(id))).or_else(partner)
    }

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
/// As [`Log::new_among`]; nothing is stored then.
pub async fn append(scope: &mut Scope, sender: Sender, id: RunId, late: bool, known: &mut Log, events: &[Event]) -> Result<Appended> {
    let new = known.new_among(sender, events)?;
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
    let Ok(new) = known.new_among(sender, events) else { return Ok(None) };
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
