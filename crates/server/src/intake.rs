//! Events come in: checked, stored once, folded, the run closed where they finish it, and every screen on it told.

use actix_web::{http::StatusCode, web};
use chrono::{DateTime, TimeDelta, Utc};
use impulso_core::{
    Code, InputError,
    run::{
        Event, Kind, State, Status, StopReason,
        check::{self, BATCH_MAX, DECISIONS_AT_ONCE},
        fold,
    },
};
use impulso_store::{
    CoachId, PracticeId, RunId, Scope, Store,
    audit::{self, Action, Subject},
    runs::{self, Log, Partner, Run, Sender},
};

use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;

use crate::{
    ApiError, ApiResult,
    live::Hub,
    recording,
    run_cache::{CachedRun, RunCache},
    settings::{ClockRate, limits},
    view::{RunView, clock_rate, facts, view_after},
};

/// Runs longer than this many events are folded aside, so that nobody else's request waits for it.
const FOLDED_ASIDE: usize = 1_000;

/// Events to add.
#[derive(Deserialize, ToSchema)]
pub struct Batch {
    /// In the sequence of their screen; 500 at the most.
    pub events: Vec<Event>,
    /// The screen's clock as it sends them, so that one that is far off does no harm.
    pub sent_at: Option<DateTime<Utc>>,
}

/// What became of them.
#[derive(Serialize, ToSchema)]
pub struct Appended {
    /// Stored now.
    pub stored: u32,
    /// Known already.
    pub known: u32,
    /// Kept for the record, but the run had been closed.
    pub late: u32,
    /// They themselves, as they are stored.
    pub events: Vec<Event>,
    /// Whose result became another one, by name: what happened before the end of a closed run arrived after it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub changed: Vec<String>,
    /// The run after them.
    pub view: RunView,
}

/// What taking events in needs beside the database.
#[derive(Debug, Clone)]
pub struct Intake {
    /// Who watches.
    pub hub: Hub,
    /// What this process knows of open runs.
    pub cache: RunCache,
    /// How fast a run's clock passes.
    pub rate: ClockRate,
}

/// A run, what is known of its events, and what came in for it.
struct Work {
    run: Run,
    log: Log,
    events: Vec<Event>,
}

impl Intake {
    /// Remembers a run that was set up just now, so that the start of its clock is as quick as every later event.
    pub fn is_set_up(&self, practice: PracticeId, run: Run) {
        self.cache.put(CachedRun { practice, run, log: Log::default(), states: Vec::new() });
    }

    /// Takes events in on behalf of a coach, or of a partner who has no account, in one transaction, and shows the run as it
    /// is then to everyone who watches it.
    ///
    /// # Errors
    /// What [`check`] refuses, and a gap in a screen's sequence; nothing is stored then.
    pub async fn accept(&self, store: &Store, practice: PracticeId, sender: Sender, id: RunId, batch: Batch) -> ApiResult<Appended> {
        let Batch { mut events, sent_at } = batch;
        if events.len() > BATCH_MAX {
            let message = format!("{} entries at once; {BATCH_MAX} is the most. Send them in parts.", events.len());
            return Err(InputError::new(Code::OutOfRange, "events", message).into());
        }
        events.iter_mut().for_each(Event::hear);
        let may_close = |e: &Event| e.kind.is_end() || matches!(e.kind, Kind::Undone { .. });
        let mut remembered = self.cache.take(practice, id);
        if let Some(known) = remembered.take_if(|_| !events.iter().any(may_close)) {
            match self.at_once(store, sender, known, events.clone(), sent_at).await? {
                AtOnce::Done(appended) => return Ok(*appended),
                AtOnce::LookCloser(known) => remembered = Some(*known),
            }
        }
        let mut scope = store.scope(practice).await?;
        let CachedRun { run, mut log, .. } = match remembered {
            Some(remembered) => remembered,
            None => CachedRun { practice, run: runs::get(&mut scope, id).await?, log: Log::default(), states: Vec::new() },
        };
        let closed_at = runs::lock(&mut scope, id, &mut log).await?;
        let now = run_clock(&run, self.rate);
        move_onto_clock(&mut events, sent_at, now)?;
        let rate = self.rate;
        // A run has its end where its events put it, by its own clock.
        let (work, ended_at) = match closed_at {
            Some(_) => {
                aside(Work { run, log, events }, move |work| facts(&work.run, rate).map(|of| ended_at(&of.states(work.log.events()))))
                    .await?
            }
            None => (Work { run, log, events }, Ok(None)),
        };
        let over = ended_at?.or(closed_at);
        let (work, judged) = aside(work, move |work| judge(work, sender, over, now, rate)).await?;
        let Work { mut run, mut log, events } = work;
        judged?;
        let in_time = |e: &Event| over.is_some_and(|over| e.wall < over) && !log.holds(e.id);
        let reopener = match sender {
            Sender::Coach(coach) if events.iter().any(in_time) => Some(coach),
            _ => None,
        };
        let is_late = closed_at.is_some() && reopener.is_none();
        let done = runs::append(&mut scope, sender, id, is_late, &mut log, &events).await?;
        let mut changed = Vec::new();
        if let Some(coach) = reopener {
            // As it is stored: what is remembered may be from before another process closed it.
            run = runs::get(&mut scope, id).await?;
            changed = recording::reread(&mut scope, coach, &run, &facts(&run, rate)?.states(log.events())).await?;
        }
        // A partner's entry closes nothing: the result is the coach's to keep.
        if let (None, Sender::Coach(coach)) = (closed_at, sender)
            && events.iter().any(may_close)
        {
            close(&mut scope, coach, &run, log.events(), rate).await?;
            run = runs::get(&mut scope, id).await?;
        } else if closed_at.is_some() {
            run = runs::get(&mut scope, id).await?;
        }
        let (Work { run, log, events }, shown) =
            aside(Work { run, log, events }, move |work| view_after(&work.run, work.log.events(), Vec::new(), &work.events, rate)).await?;
        let (states, view) = shown?;
        scope.commit().await?;
        Ok(Appended { changed, ..self.show(CachedRun { practice, run, log, states }, done, sender, &events, view) })
    }

    /// Takes in what closes nothing, in one trip to the database, where the run is as it is remembered. Whatever is out of the
    /// ordinary is left to the one who looks closer, and nothing is stored.
    async fn at_once(
        &self,
        store: &Store,
        sender: Sender,
        known: CachedRun,
        mut events: Vec<Event>,
        sent_at: Option<DateTime<Utc>>,
    ) -> ApiResult<AtOnce> {
        let CachedRun { practice, run, log, states } = known;
        let rate = self.rate;
        let now = run_clock(&run, self.rate);
        let moved = move_onto_clock(&mut events, sent_at, now);
        let (work, judged) = aside(Work { run, log, events }, move |work| judge(work, sender, None, now, rate)).await?;
        let Work { run, mut log, events } = work;
        let id = run.id;
        let appended = match (moved, judged) {
            (Ok(()), Ok(())) => runs::append_at_once(store, practice, sender, id, &mut log, &events).await?,
            _ => None,
        };
        let Some(done) = appended else { return Ok(AtOnce::LookCloser(Box::new(CachedRun { practice, run, log, states: Vec::new() }))) };
        let (Work { run, log, events }, shown) =
            aside(Work { run, log, events }, move |work| view_after(&work.run, work.log.events(), states, &work.events, rate)).await?;
        let (states, view) = shown?;
        Ok(AtOnce::Done(Box::new(self.show(CachedRun { practice, run, log, states }, done, sender, &events, view))))
    }

    /// Shows the run as it is now to everyone who watches it, and remembers it.
    fn show(&self, now: CachedRun, done: runs::Appended, sender: Sender, sent: &[Event], view: RunView) -> Appended {
        // What was known already stands as it came the first time.
        let events: Vec<Event> = sent.iter().filter_map(|e| now.log.event(e.id)).cloned().collect();
        let own: Vec<Event> = events.iter().filter(|e| now.log.is_from(e.id, sender)).cloned().collect();
        self.hub.took_in(now.practice, &view, &own, sender);
        self.cache.put(now);
        Appended { stored: done.stored, known: done.known, late: done.late, events, changed: Vec::new(), view }
    }
}

/// What became of events that were to go in at once.
enum AtOnce {
    Done(Box<Appended>),
    LookCloser(Box<CachedRun>),
}

/// Works on a run; on a thread of its own where there is much of it.
async fn aside<T: Send + 'static>(work: Work, act: impl FnOnce(&Work) -> T + Send + 'static) -> ApiResult<(Work, T)> {
    if work.log.events().len() < FOLDED_ASIDE {
        let done = act(&work);
        return Ok((work, done));
    }
    let run = move || {
        let done = act(&work);
        (work, done)
    };
    web::block(run).await.map_err(|_| ApiError::unavailable())
}

/// The run's clock now.
fn run_clock(run: &Run, rate: ClockRate) -> DateTime<Utc> {
    let passed = (Utc::now() - run.created_at).num_milliseconds() as f64 * clock_rate(run, rate);
    run.created_at + TimeDelta::milliseconds(passed as i64)
}

/// How far a screen's clock is behind; nothing where it is about right, or did not say what it shows.
pub fn clock_off(sent_at: Option<DateTime<Utc>>, now: DateTime<Utc>) -> Option<TimeDelta> {
    sent_at.map(|sent| now.signed_duration_since(sent)).filter(|off| off.num_seconds().abs() > limits::CLOCK_OFF_S)
}

/// A screen says what its clock shows as it sends. Where that is far from the run's clock, what it saw is moved by as much:
/// a device may be wrong by days and its intervals are right all the same.
fn move_onto_clock(events: &mut [Event], sent_at: Option<DateTime<Utc>>, now: DateTime<Utc>) -> Result<(), InputError> {
    let Some(off) = clock_off(sent_at, now) else { return Ok(()) };
    for event in events {
        event.wall = event
            .wall
            .checked_add_signed(off)
            .ok_or_else(|| InputError::new(Code::OutOfRange, "wall", "The clock of this device is far off. Set its date and time."))?;
    }
    Ok(())
}

/// When a run ended; nothing where it has not.
fn ended_at(states: &[State]) -> Option<DateTime<Utc>> {
    states.iter().filter(|s| s.is_closed()).filter_map(|s| s.finished_at).min()
}

/// Holds each new event to what any event must be, to who sent it, and to the state it happened in, where that is not past the end of the
/// run. `over`: that end, of a run that is closed.
fn judge(work: &Work, sender: Sender, over: Option<DateTime<Utc>>, now: DateTime<Utc>, rate: ClockRate) -> ApiResult<()> {
    let Work { run, log, events } = work;
    let facts = facts(run, rate)?;
    if let (Sender::Partner(_), Some(first)) = (sender, run.performers.first()) {
        let shared = fold(&run.protocol, &first.setup, log.events().iter().filter(|e| e.slot.is_none()));
        if !counting_is_open(run, &shared, now) {
            return Err(not_a_partners("The counting is over. Tell whoever leads the run what you counted."));
        }
    }
    let mut known: Vec<&Event> = Vec::new();
    let mut decisions = 0;
    for event in log.new_among(sender, events)? {
        if event.slot.is_some_and(|slot| !run.performers.iter().any(|p| p.slot == slot)) {
            return Err(ApiError::not_found());
        }
        facts.check_alone(log.held() + known.len(), event, now)?;
        if let Sender::Partner(partner) = sender {
            partners_may(run, log, &known, &partner, event, now)?;
        }
        if over.is_none_or(|over| event.wall < over) && check::depends_on_state(&event.kind) {
            decisions += 1;
            if decisions > DECISIONS_AT_ONCE {
                let message = format!("More than {DECISIONS_AT_ONCE} readings and decisions at once. Send them in parts.");
                return Err(InputError::new(Code::OutOfRange, "events", message).into());
            }
            // What came after it, on a run that is closed, was not known where it happened.
            let so_far = log.events().iter().chain(known.iter().copied()).filter(|e| over.is_none() || e.wall <= event.wall);
            facts.check_after(so_far, event)?;
        }
        known.push(event);
    }
    Ok(())
}

fn not_a_partners(message: impl Into<String>) -> ApiError {
    ApiError::new(StatusCode::FORBIDDEN, "not_a_partners", message)
}

/// What a partner may: taps and counts of the performer this phone counts for, and what it sent itself taken back.
fn partners_may(run: &Run, log: &Log, known: &[&Event], me: &Partner, event: &Event, now: DateTime<Utc>) -> ApiResult<()> {
    let refuse = |message: String| Err(not_a_partners(message));
    let is_partners = matches!(
        event.kind,
        Kind::Tap
            | Kind::CountTyped { .. }
            | Kind::RecountStarted
            | Kind::RecountWaived { .. }
            | Kind::Undone { .. }
            | Kind::Counted { .. }
            | Kind::BeatMissed
            | Kind::LineMissed
            | Kind::Taken { attempt: None, .. }
            | Kind::Marked { .. }
            | Kind::PositionLost
            | Kind::Tallied
            | Kind::Crossed
    );
    let Some(slot) = event.slot.filter(|_| is_partners) else {
        return refuse("A partner can send only taps and counts of one performer. The coach who leads the run does the rest.".into());
    };
    let sent_by_me = |id| log.partner(id) == Some(me) || known.iter().any(|e| e.id == id);
    if let Kind::Undone { event: what } = &event.kind
        && !sent_by_me(*what)
    {
        return refuse("A partner takes back what this phone has sent, nothing else.".into());
    }
    let name = run.performers.iter().find(|p| p.slot == slot).map_or("", |p| p.name.as_str());
    let undone = |id| log.events().iter().any(|e| matches!(e.kind, Kind::Undone { event } if event == id));
    let of_slot = || log.events().iter().rev().filter(|e| e.slot == Some(slot));
    let by_other = |e: &&Event| log.partner(e.id) != Some(me);
    // A count that somebody else has typed stands: theirs or the coach's to change.
    if of_slot().filter(by_other).any(|e| matches!(e.kind, Kind::CountTyped { .. }) && !undone(e.id)) {
        return refuse(format!("{name} has been counted already. Whoever leads the run can change it."));
    }
    // A phone stands beside one performer.
    let mine = |e: &&Event| e.slot.is_some_and(|s| s != slot) && log.partner(e.id) == Some(me);
    let elsewhere = log.events().iter().rev().filter(mine).chain(known.iter().copied().filter(|e| e.slot.is_some_and(|s| s != slot)));
    for other in elsewhere {
        let has_counted = matches!(other.kind, Kind::CountTyped { .. }) && !undone(other.id);
        let is_counting =
            !matches!(other.kind, Kind::Undone { .. }) && !undone(other.id) && (now - other.wall).num_seconds() < limits::PARTNER_SILENT_S;
        if has_counted || is_counting {
            let name = run.performers.iter().find(|p| Some(p.slot) == other.slot).map_or("somebody else", |p| p.name.as_str());
            return refuse(format!("This phone counts for {name}. Another phone counts for the next one."));
        }
    }
    let busy = of_slot().filter(|e| log.partner(e.id).is_some()).find(by_other);
    if busy.is_some_and(|e| (now - e.wall).num_seconds() < limits::PARTNER_SILENT_S) {
        return refuse(format!("Another phone is counting for {name}. Choose the performer you stand beside."));
    }
    Ok(())
}

/// Whether partners may still count: until the run is stopped or some minutes after its counting should be over.
pub fn counting_is_open(run: &Run, shared: &State, now: DateTime<Utc>) -> bool {
    if run.closed_at.is_some() || shared.stopped_ms.is_some() || shared.is_closed() {
        return false;
    }
    // In a group visit until the test is closed: the next one has a floor of its own.
    if run.group_visit.is_some() {
        return true;
    }
    let counted_ms = shared.timeline.phases.iter().filter_map(|p| p.end_ms).fold(0.0, f64::max);
    let open_for = TimeDelta::minutes(limits::COUNT_OPEN_MIN);
    match shared.started_at {
        Some(start) => now <= start + TimeDelta::milliseconds(counted_ms as i64) + open_for,
        // Set up and not begun: the length of a lesson.
        None => now <= run.created_at + TimeDelta::hours(check::BEFORE_SETUP_H),
    }
}

/// Whether partners may still count on a run as it is shown.
pub fn view_is_open(run: &Run, view: &RunView, rate: ClockRate) -> bool {
    counting_is_open(run, &view.state, run_clock(run, rate))
}

/// Closes the run where the events finish it, with a result for everyone who has one.
async fn close(scope: &mut Scope, coach: CoachId, run: &Run, events: &[Event], rate: ClockRate) -> ApiResult<()> {
    let states = facts(run, rate)?.states(events);
    let Some(finished_at) = ended_at(&states) else { return Ok(()) };
    for (performer, state) in recording::each_in_order(run, &states) {
        recording::close(scope, coach, run, performer, state).await?;
        if let (Status::Discarded, None, Some(person)) = (state.status, &run.rehearsal, performer.person) {
            let why = json!({ "protocol": run.protocol.id, "reason": state.stop_reason.map(StopReason::words), "note": state.stop_note });
            audit::record(scope, coach, Action::RunDiscarded, Subject::of("run", run.id.0, person), why).await?;
        }
    }
    runs::close(scope, run.id, finished_at.min(Utc::now())).await?;
    Ok(())
}
