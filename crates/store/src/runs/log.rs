//! The events of a run: those that count, in the order they arrived, and how more of them are stored.

use std::collections::{HashMap, HashSet};

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

    /// An event that counts, as it is stored.
    pub fn event(&self, id: Uuid) -> Option<&Event> {
        self.events.iter().rev().find(|e| e.id == id)
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

/// Locks the run for this transaction, so that whoever comes next waits, and brings what is known of its events up to date.
/// Appending and closing go through here. Says when the run was closed, if it was.
pub async fn lock(scope: &mut Scope, id: RunId, known: &mut Log) -> Result<Option<DateTime<Utc>>> {
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
