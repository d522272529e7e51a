//! How events lead to a state: what every family has in common; the rest is its [`Engine`]'s.

use std::collections::{HashMap, HashSet};

use uuid::Uuid;

use super::{
    beeps::{self, ToBeeps},
    counted::{self, Counted},
    effort::{self, Effort},
    engine::Engine,
    event::{Answer, Conditions, Event, Kind, in_order},
    hold::{self, Hold},
    setup::Setup,
    sheet::Sheet,
    stage,
    staged::Staged,
    state::{BeepState, EstimateNow, FamilyState, OffBeat, State, Status, UNDOABLE_MAX},
    timeline::{self, timeline},
};
use crate::{
    catalogue::{Procedure, Protocol},
    quantity, range,
    strap::Trace,
    test_record::{self, Inputs, TestRecord},
};

impl State {
    /// The readings for [`crate::test_record::compute`], with those that a condition records. Of a run that was stopped: what was
    /// read until then, which is no score.
    pub fn inputs(&self, protocol: &Protocol, setup: &Setup) -> Inputs {
        if !matches!(self.status, Status::Finished | Status::FinishedEarly) {
            return Inputs::new();
        }
        let mut inputs = self.read(protocol);
        if self.status == Status::Finished {
            setup.fill(protocol, &mut inputs);
        }
        inputs
    }

    /// What has been read so far.
    pub(super) fn read(&self, protocol: &Protocol) -> Inputs {
        match &self.of {
            FamilyState::Counted(of) => counted::inputs(of, protocol),
            FamilyState::Staged(of) => stage::inputs(of, protocol),
            FamilyState::Effort(of) => effort::inputs(of, protocol),
            FamilyState::Held(of) => hold::inputs(of, protocol),
            FamilyState::Sheet(of) => of.inputs(),
            FamilyState::Beeps(of) => beeps::inputs(of),
            FamilyState::Entered => Inputs::new(),
        }
    }

    /// The VO2max that the readings so far give, with how far it may be off; nothing for what is no estimate of it.
    fn estimate_now(&self, protocol: &Protocol, setup: &Setup) -> Option<EstimateNow> {
        let scoring = protocol.scored(range::QUANTITY)?;
        if self.status == Status::FinishedEarly || !scoring.is_estimate_by(scoring.equation) {
            return None;
        }
        let mut inputs = self.read(protocol);
        setup.fill(protocol, &mut inputs);
        let record = TestRecord::under(protocol, setup.facts(), &inputs, &setup.recorded(protocol));
        let outcome = test_record::compute(&record).ok()?;
        let range = range::of(&record, &outcome)?;
        let shown = quantity::shown(range::QUANTITY, outcome.result(range::QUANTITY)?.value);
        Some(EstimateNow { shown, range: range::sentence(range.low, range.high), low: range.low, high: range.high })
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
        record("load_kgm_min", self.stages().last().and_then(|s| s.load).map(|l| Answer::Number(l.kgm_min)));
        for (key, answer) in self.beeps().map(BeepState::conditions).unwrap_or_default() {
            record(key, Some(answer));
        }
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
/// end that closes the run changes anything. The cost is linear in the number of events.
pub fn fold<'e>(protocol: &Protocol, setup: &Setup, events: impl IntoIterator<Item = &'e Event>) -> State {
    fold_ordered(protocol, setup, &in_order(events))
}

/// The same for one of many performers: what happened to all, and what happened to this one.
pub fn fold_slot<'e>(protocol: &Protocol, setup: &Setup, events: impl IntoIterator<Item = &'e Event>, slot: u16) -> State {
    fold(protocol, setup, events.into_iter().filter(|e| e.slot.is_none_or(|s| s == slot)))
}

/// Applies events in order, each once. An event that was applied and is taken back later makes what was folded stale: it
/// is folded anew where an end of the run is to be judged, and at the end. Each end thus sees the undos before it and
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
        if event.kind.is_end() {
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

/// The engine of the protocol's family; nothing for what is not run live. A hold alone has a floor of its own, every other
/// attempt is taken on a sheet.
fn engine<'a>(protocol: &'a Protocol, setup: &'a Setup, state: &State) -> Option<Box<dyn Engine + 'a>> {
    Some(match &protocol.procedure {
        Procedure::CountedRecovery(rule) => Box::new(Counted::new(rule)),
        Procedure::StagedSteadyState(rule) => Box::new(Staged::new(rule, protocol, setup)),
        Procedure::TimedEffort(course) | Procedure::DistanceEffort(course) => Box::new(Effort::new(course, protocol, setup, state)),
        Procedure::Attempts(attempts) => match attempts.legs.first().and_then(|leg| Hold::new(leg, protocol, setup, state)) {
            Some(hold) => Box::new(hold),
            None => Box::new(Sheet::new(protocol, setup, state)),
        },
        Procedure::AudioPaced(schedule) => Box::new(ToBeeps::new(schedule, setup, state)?),
        Procedure::ClampedHeartRate(_) => return None,
    })
}

struct Fold<'a> {
    protocol: &'a Protocol,
    setup: &'a Setup,
    engine: Option<Box<dyn Engine + 'a>>,
    state: State,
    trace: Trace,
    /// The latest moment that is known, ms of the run's clock.
    now_ms: Option<f64>,
    /// Times without a name, ms of the run's clock.
    keyed: HashMap<Uuid, f64>,
}

impl<'a> Fold<'a> {
    fn new(protocol: &'a Protocol, setup: &'a Setup) -> Self {
        let state = State::new(timeline(protocol, setup));
        let engine = engine(protocol, setup, &state);
        Self { protocol, setup, engine, state, trace: Trace::default(), now_ms: None, keyed: HashMap::new() }
    }

    /// Everything that was not taken back, up to what closes the run.
    fn of(protocol: &'a Protocol, setup: &'a Setup, ordered: &[&Event], undone: &HashSet<Uuid>) -> Self {
        let mut run = Self::new(protocol, setup);
        for event in ordered.iter().filter(|e| !undone.contains(&e.id) && !e.kind.is_end()) {
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
                if let Some(engine) = &mut self.engine {
                    engine.begin(&mut self.state);
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
            (Kind::Discarded, _) if self.state.status == Status::Stopped => {
                self.state.status = Status::Discarded;
                self.state.finished_at = Some(event.wall);
            }
            (Kind::TimeKeyed, Some(at)) => {
                self.keyed.insert(event.id, at);
            }
            (Kind::Named { time }, _) => {
                let Some(at) = self.keyed.get(time).copied() else { return };
                let crossed = Event { kind: Kind::Crossed, ..event.clone() };
                if let Some(engine) = &mut self.engine {
                    engine.apply(&mut self.state, &crossed, at, &self.trace);
                }
            }
            (kind, Some(at)) => {
                if *kind == Kind::SetOff && self.state.status == Status::Running && self.state.set_off_ms.is_none() {
                    self.state.set_off_ms = Some(at);
                    self.state.can_undo(event, "the start");
                }
                if let Kind::StrapHeard { heard: Some(heard), .. } = kind {
                    self.trace.hear(at, heard);
                }
                if let Some(engine) = &mut self.engine {
                    engine.apply(&mut self.state, event, at, &self.trace);
                }
            }
            _ => {}
        }
    }

    /// Closes the run if there is something to close it with.
    fn close(&mut self, event: &Event) {
        self.settle();
        let has_result = self.engine.as_ref().is_some_and(|e| e.has_result(&self.state));
        self.state.status = match self.state.status {
            Status::Running if has_result => Status::Finished,
            // Nothing that was stopped is a score, whatever was read.
            Status::Stopped => Status::FinishedEarly,
            other => other,
        };
        if self.state.is_closed() {
            self.state.finished_at = Some(event.wall);
        }
    }

    fn settle(&mut self) {
        if let Some(engine) = &mut self.engine {
            engine.settle(&mut self.state, self.now_ms);
        }
    }

    fn finish(mut self) -> State {
        self.settle();
        self.state.strap = self.trace.state();
        timeline::call_off_beat(self.protocol, &mut self.state);
        timeline::remind(&mut self.state);
        let hidden = if self.state.is_closed() { usize::MAX } else { self.state.undoable.len().saturating_sub(UNDOABLE_MAX) };
        self.state.undoable.drain(..hidden.min(self.state.undoable.len()));
        self.state.of = self.engine.map_or(FamilyState::Entered, Engine::hand_over);
        self.state.estimate = self.state.estimate_now(self.protocol, self.setup);
        self.state
    }
}
