//! The state that events lead to.

use std::collections::HashSet;

use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::{
    attempts::{self, Attempts, HoldState},
    counted::{self, Counted, Reading},
    decision::{Decision, Due, Taken},
    effort::{Effort, EffortState},
    event::{Answer, Conditions, Event, Kind, Setup, StopReason, in_order},
    sheet::SheetState,
    stage::{self, Band, LoadDue, StageState},
    staged::Staged,
    timeline::{self, Timeline, timeline},
};
use crate::{
    catalogue::{Family, Protocol},
    estimate::cycle::{Load, StageLine},
    strap::{StrapState, Trace},
    trial::Inputs,
};

/// Where a run stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Status {
    /// Set up, the clock not started.
    Ready,
    /// The clock runs.
    Running,
    /// Stopped early, not yet closed.
    Stopped,
    /// Closed with a reading.
    Finished,
    /// Closed without one.
    FinishedEarly,
}

/// Everything a screen needs to know of a run, apart from the time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct State {
    /// Where it stands.
    pub status: Status,
    /// When the clock started.
    pub started_at: Option<DateTime<Utc>>,
    /// When it was closed.
    pub finished_at: Option<DateTime<Utc>>,
    /// What the clock runs through.
    pub timeline: Timeline,
    /// Attempts at counting, the standing one last.
    pub readings: Vec<Reading>,
    /// Stages done and running.
    pub stages: Vec<StageState>,
    /// The heart rates that count.
    pub band: Option<Band>,
    /// The load that is to be set next.
    pub load_due: Option<LoadDue>,
    /// One step more than the running load, for an assessor who wants to go on.
    pub heavier: Option<Load>,
    /// The extrapolation as it forms.
    pub line: Option<StageLine>,
    /// The effort against the clock.
    pub effort: Option<EffortState>,
    /// A hold.
    pub hold: Option<HoldState>,
    /// The sheet of a test in attempts.
    pub sheet: Option<SheetState>,
    /// Numbers that are due or will be, in order.
    pub dues: Vec<Due>,
    /// Numbers that will be due if the running stage is prolonged: a screen that has lost its line may ask for them.
    pub later: Vec<Due>,
    /// The chest strap, where one is heard.
    pub strap: Option<StrapState>,
    /// The latest decision.
    pub decision: Option<Decision>,
    /// Every decision, oldest first, with what was decided instead.
    pub decisions: Vec<Decision>,
    /// Whether everything a result needs is in.
    pub can_finish: bool,
    /// When the work was over, ms of the run's clock, where the work does not end with the clock.
    pub over_ms: Option<f64>,
    /// When it was stopped early, ms of the run's clock.
    pub stopped_ms: Option<f64>,
    /// Why.
    pub stop_reason: Option<StopReason>,
    /// What was added about stopping.
    pub stop_note: Option<String>,
    /// Spells off the beat.
    pub off_beat: Vec<OffBeat>,
    /// Remarks.
    pub notes: Vec<String>,
    /// The event that undo would take back.
    pub undoable: Option<Undoable>,
    #[serde(skip)]
    history: Vec<Undoable>,
}

/// A spell off the beat.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct OffBeat {
    /// From, ms of the run's clock.
    pub from_ms: f64,
    /// Until, ms of the run's clock; nothing while it lasts.
    pub until_ms: Option<f64>,
}

/// What undo would take back.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Undoable {
    /// The event.
    pub event: Uuid,
    /// What it was, in words.
    pub what: String,
}

impl State {
    fn new(protocol: &Protocol, setup: &Setup) -> Self {
        Self {
            status: Status::Ready,
            started_at: None,
            finished_at: None,
            timeline: timeline(protocol, setup),
            readings: Vec::new(),
            stages: Vec::new(),
            band: None,
            load_due: None,
            heavier: None,
            line: None,
            effort: None,
            hold: None,
            sheet: None,
            dues: Vec::new(),
            later: Vec::new(),
            strap: None,
            decision: None,
            decisions: Vec::new(),
            can_finish: false,
            over_ms: None,
            stopped_ms: None,
            stop_reason: None,
            stop_note: None,
            off_beat: Vec::new(),
            notes: Vec::new(),
            undoable: None,
            history: Vec::new(),
        }
    }

    pub(super) fn can_undo(&mut self, event: &Event, what: &str) {
        self.history.push(Undoable { event: event.id, what: what.to_owned() });
    }

    /// The standing attempt at counting.
    pub fn reading(&self) -> Option<&Reading> {
        self.readings.last()
    }

    /// Whether every heart rate that stands is the strap's.
    fn is_all_by_strap(&self) -> bool {
        let staged = self.stages.iter().flat_map(|s| s.readings.iter().map(|r| r.taken));
        let mut taken = staged.chain(self.effort.iter().filter_map(|e| e.heart_rate_taken)).peekable();
        taken.peek().is_some() && taken.all(|t| t == Taken::Strap)
    }

    fn is_off_beat(&self) -> bool {
        self.off_beat.last().is_some_and(|o| o.until_ms.is_none())
    }

    /// Whether nothing more can change the result.
    pub const fn is_closed(&self) -> bool {
        matches!(self.status, Status::Finished | Status::FinishedEarly)
    }

    /// The readings for [`crate::trial::compute`], with those that a condition records; empty where the run ended
    /// without a result.
    pub fn inputs(&self, protocol: &Protocol, setup: &Setup) -> Inputs {
        if self.status != Status::Finished {
            return Inputs::new();
        }
        let mut inputs = match protocol.family {
            Family::CountedRecovery => counted::inputs(self, protocol, setup),
            Family::StagedSteadyState => stage::inputs(self, protocol),
            Family::TimedEffort | Family::DistanceEffort => super::effort::inputs(self, protocol),
            Family::Attempts => attempts::inputs(self, protocol),
            Family::AudioPaced | Family::ClampedHeartRate => Inputs::new(),
        };
        setup.fill(protocol, &mut inputs);
        inputs
    }

    /// The conditions of the result: those of set-up and those the run recorded.
    pub fn conditions(&self, protocol: &Protocol, setup: &Setup) -> Conditions {
        let mut conditions = setup.recorded(protocol);
        let mut record = |key: &str, answer: Option<Answer>| {
            if let (Some(answer), true) = (answer, protocol.condition(key).is_some()) {
                conditions.insert(key.to_owned(), answer);
            }
        };
        let delay = self.reading().filter(|r| r.bpm.is_some()).map(|r| (r.delay_s * 10.0).round() / 10.0);
        record("count_delay_s", delay.map(Answer::Number));
        record("load_kgm_min", self.stages.last().and_then(|s| s.load).map(|l| Answer::Number(l.kgm_min)));
        if self.is_all_by_strap() {
            record("hr_source", Some(Answer::Text("strap".into())));
        }
        conditions
    }
}

/// So many ends with nothing to finish are judged. A run has one end, or two where a hand slips; each costs a look at the
/// whole run, and without a bound a list of them would cost the square of its length.
const ENDS_JUDGED_MAX: usize = 64;

/// Folds events into a state. Order of arrival, batching and duplicates do not matter; nothing after the first
/// `Finished` that closes the run changes anything. The cost is linear in the number of events.
pub fn fold<'e>(protocol: &Protocol, setup: &Setup, events: impl IntoIterator<Item = &'e Event>) -> State {
    fold_ordered(protocol, setup, &in_order(events))
}

/// The same for one of many performers: what happened to all, and what happened to this one.
pub fn fold_slot<'e>(protocol: &Protocol, setup: &Setup, events: impl IntoIterator<Item = &'e Event>, slot: u16) -> State {
    fold(protocol, setup, events.into_iter().filter(|e| e.slot.is_none_or(|s| s == slot)))
}

/// Applies events in order, each once. An event that was applied and is taken back later makes what was folded stale: it
/// is folded anew where an end of the run is to be judged, and at the end. Each `Finished` thus sees the undos before it and
/// none after; one with nothing to finish closes nothing, and the run goes on.
fn fold_ordered(protocol: &Protocol, setup: &Setup, ordered: &[&Event]) -> State {
    let mut run = Fold::new(protocol, setup);
    let mut undone = HashSet::new();
    let mut applied = HashSet::with_capacity(ordered.len());
    let (mut stale, mut judged) = (false, 0);
    for (k, event) in ordered.iter().enumerate() {
        if let Kind::Undone { event: what } = &event.kind {
            undone.insert(*what);
            stale |= applied.contains(what);
        }
        if undone.contains(&event.id) {
            continue;
        }
        if event.kind == Kind::Finished {
            if judged == ENDS_JUDGED_MAX {
                continue;
            }
            judged += 1;
            if stale {
                run = Fold::of(protocol, setup, &ordered[..k], &undone);
                stale = false;
            }
        }
        run.apply(event);
        applied.insert(event.id);
        if run.state.is_closed() {
            return run.finish();
        }
    }
    if stale {
        run = Fold::of(protocol, setup, ordered, &undone);
    }
    run.finish()
}

/// The engine of the protocol's family.
enum Engine<'a> {
    Counted(Counted<'a>),
    Staged(Staged<'a>),
    Effort(Effort<'a>),
    Attempts(Attempts<'a>),
    None,
}

struct Fold<'a> {
    protocol: &'a Protocol,
    engine: Engine<'a>,
    state: State,
    trace: Trace,
    /// The latest moment that is known, ms of the run's clock.
    now_ms: Option<f64>,
}

impl<'a> Fold<'a> {
    fn new(protocol: &'a Protocol, setup: &'a Setup) -> Self {
        let mut state = State::new(protocol, setup);
        let engine = match protocol.family {
            Family::CountedRecovery => Engine::Counted(Counted::new(protocol)),
            Family::StagedSteadyState => Engine::Staged(Staged::new(protocol, setup, &mut state)),
            Family::TimedEffort | Family::DistanceEffort => Engine::Effort(Effort::new(protocol, setup, &mut state)),
            Family::Attempts => Engine::Attempts(Attempts::new(protocol, setup, &mut state)),
            Family::AudioPaced | Family::ClampedHeartRate => Engine::None,
        };
        Self { protocol, engine, state, trace: Trace::default(), now_ms: None }
    }

    /// Everything that was not taken back, up to what closes the run.
    fn of(protocol: &'a Protocol, setup: &'a Setup, ordered: &[&Event], undone: &HashSet<Uuid>) -> Self {
        let mut run = Self::new(protocol, setup);
        for event in ordered.iter().filter(|e| !undone.contains(&e.id) && e.kind != Kind::Finished) {
            run.apply(event);
        }
        run
    }

    fn apply(&mut self, event: &Event) {
        let at = self.state.started_at.map(|t| (event.wall - t).num_microseconds().unwrap_or(0) as f64 / 1000.0);
        self.now_ms = at.or(self.now_ms);
        match (&event.kind, at) {
            (Kind::ClockStarted, None) => {
                self.state.started_at = Some(event.wall);
                self.state.status = Status::Running;
                match &mut self.engine {
                    Engine::Counted(_) => Counted::begin(&mut self.state),
                    Engine::Staged(engine) => engine.begin(&mut self.state),
                    Engine::Effort(_) | Engine::Attempts(_) | Engine::None => {}
                }
            }
            (Kind::Noted { text }, _) => {
                self.state.notes.push(text.clone());
                self.state.can_undo(event, "the note");
            }
            (Kind::Stopped, at) if matches!(self.state.status, Status::Running | Status::Ready) => {
                self.state.status = Status::Stopped;
                self.state.stopped_ms = Some(at.unwrap_or(0.0));
                self.state.can_undo(event, "the stop");
            }
            (Kind::StopExplained { reason, note }, _) if self.state.status == Status::Stopped => {
                self.state.stop_reason = Some(*reason);
                self.state.stop_note.clone_from(note);
            }
            (Kind::CadenceLost, Some(at)) if !self.state.is_off_beat() => {
                self.state.off_beat.push(OffBeat { from_ms: at, until_ms: None });
                self.state.can_undo(event, "the lost beat");
            }
            (Kind::CadenceRegained, Some(at)) => {
                if let Some(open) = self.state.off_beat.last_mut().filter(|o| o.until_ms.is_none()) {
                    open.until_ms = Some(at);
                    self.state.can_undo(event, "back on the beat");
                }
            }
            (Kind::Finished, _) => self.close(event),
            (kind, Some(at)) => {
                if let Kind::StrapHeard { heard: Some(heard), .. } = kind {
                    self.trace.hear(at, heard);
                }
                match &mut self.engine {
                    Engine::Counted(engine) => engine.apply(&mut self.state, event, at),
                    Engine::Staged(engine) => engine.apply(&mut self.state, event, at, &self.trace),
                    Engine::Effort(engine) => engine.apply(&mut self.state, event, at, &self.trace),
                    Engine::Attempts(engine) => engine.apply(&mut self.state, event, at),
                    Engine::None => {}
                }
            }
            _ => {}
        }
    }

    /// Closes the run if there is something to close it with.
    fn close(&mut self, event: &Event) {
        self.settle();
        let has_result = match &self.engine {
            Engine::Counted(_) => Counted::has_result(&self.state),
            Engine::Staged(_) => Staged::has_result(&self.state),
            Engine::Effort(engine) => engine.has_result(&self.state),
            Engine::Attempts(engine) => engine.has_result(&self.state),
            Engine::None => false,
        };
        self.state.status = match self.state.status {
            Status::Running | Status::Stopped if has_result => Status::Finished,
            Status::Stopped => Status::FinishedEarly,
            other => other,
        };
        if self.state.is_closed() {
            self.state.finished_at = Some(event.wall);
        }
    }

    fn settle(&mut self) {
        match &mut self.engine {
            Engine::Counted(engine) => {
                engine.settle(&mut self.state);
                self.state.can_finish = Counted::has_result(&self.state);
            }
            Engine::Staged(engine) => engine.settle(&mut self.state),
            Engine::Effort(engine) => engine.settle(&mut self.state),
            Engine::Attempts(engine) => engine.settle(&mut self.state, self.now_ms),
            Engine::None => {}
        }
    }

    fn finish(mut self) -> State {
        self.settle();
        self.state.strap = self.trace.state();
        timeline::call_off_beat(self.protocol, &mut self.state);
        timeline::remind(&mut self.state);
        if !self.state.is_closed() {
            self.state.undoable = self.state.history.pop();
        }
        self.state
    }
}
