//! The state that events lead to.

use std::collections::HashSet;

use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::{
    event::{Answer, Conditions, Event, Kind, Setup, StopReason, in_order},
    timeline::{Timeline, timeline},
};
use crate::{
    catalogue::{CountRule, PhaseKind, Protocol},
    error::InputError,
    pulse::{self, Taps},
    trial::Inputs,
    units::rounded,
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

/// A pulse reading: one attempt at counting.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Reading {
    /// 1 for the count of the protocol, 2 and more for recounts.
    pub attempt: u32,
    /// Window on the run's clock, ms.
    pub start_ms: f64,
    /// End of the window, ms.
    pub end_ms: f64,
    /// Seconds from stopping to the start of the window.
    pub delay_s: f64,
    /// Beats typed.
    pub typed: Option<f64>,
    /// What the taps say.
    pub taps: Option<Taps>,
    /// Heart rate of the count (typed, else tapped), bpm.
    pub bpm: Option<f64>,
}

/// What the engine decided, and why.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "code", rename_all = "snake_case")]
pub enum Decision {
    /// The reading holds.
    ReadingHolds {
        /// One line with the reason.
        because: String,
    },
    /// Count and taps disagree: count again.
    RecountAsked {
        /// One line with the reason.
        because: String,
        /// Until when a recount may start, ms of the run's clock; none where the protocol allows no second count.
        until_ms: Option<f64>,
    },
    /// The assessor decided against the recount.
    RecountWaived {
        /// One line with the reason.
        because: String,
    },
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
    /// The latest decision.
    pub decision: Option<Decision>,
    /// When it was stopped early, ms of the run's clock.
    pub stopped_ms: Option<f64>,
    /// Why.
    pub stop_reason: Option<StopReason>,
    /// What was added about stopping.
    pub stop_note: Option<String>,
    /// Times the cadence was lost, ms.
    pub cadence_lost_ms: Vec<f64>,
    /// Remarks.
    pub notes: Vec<String>,
    /// The event that undo would take back.
    pub undoable: Option<Undoable>,
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
    /// The standing attempt at counting.
    pub fn reading(&self) -> Option<&Reading> {
        self.readings.last()
    }

    /// Whether nothing more can change the result.
    pub const fn is_closed(&self) -> bool {
        matches!(self.status, Status::Finished | Status::FinishedEarly)
    }

    /// The readings for [`crate::trial::compute`], with the bench where the protocol records it; empty where the run
    /// ended without a reading.
    pub fn inputs(&self, protocol: &Protocol, setup: &Setup) -> Inputs {
        let mut inputs = Inputs::new();
        let (Some(rule), Some(reading)) = (&protocol.count, self.reading()) else { return inputs };
        let count = reading.typed.or_else(|| reading.taps.map(|t| f64::from(t.count)));
        if let (Status::Finished, Some(count)) = (self.status, count) {
            inputs.insert(rule.input.clone(), count);
            if protocol.input("pulse_window_s").is_some() {
                inputs.insert("pulse_window_s".into(), f64::from(rule.window_s));
            }
            if let (Some(Answer::Number(bench)), true) = (setup.conditions.get("bench_cm"), protocol.input("bench_cm").is_some()) {
                inputs.insert("bench_cm".into(), *bench);
            }
        }
        inputs
    }

    /// The conditions of the result: those of set-up and those the run recorded.
    pub fn conditions(&self, protocol: &Protocol, setup: &Setup) -> Conditions {
        let mut conditions = setup.conditions.clone();
        let mut record = |key: &str, answer: Option<f64>| {
            if let (Some(answer), true) = (answer, protocol.condition(key).is_some()) {
                conditions.insert(key.to_owned(), Answer::Number(answer));
            }
        };
        record("cadence", setup.cadence.map(crate::units::Cadence::value));
        record("count_delay_s", self.reading().filter(|r| r.bpm.is_some()).map(|r| (r.delay_s * 10.0).round() / 10.0));
        conditions
    }
}

/// Whether a typed count is possible at all, checked before the event is stored.
///
/// # Errors
/// As [`pulse::rate`].
pub fn check_kind(protocol: &Protocol, kind: &Kind) -> Result<(), InputError> {
    match kind {
        Kind::CountTyped { count } => {
            let window = protocol.count.as_ref().map_or(60, |c| c.window_s);
            pulse::rate(*count, f64::from(window)).map(|_| ()).map_err(|e| e.at("count"))
        }
        Kind::Noted { text } => crate::text::note(text, "text").map(|_| ()),
        Kind::StopExplained { note: Some(text), .. } | Kind::RecountWaived { reason: Some(text) } => {
            crate::text::note(text, "note").map(|_| ())
        }
        _ => Ok(()),
    }
}

/// Folds events into a state. Order of arrival, batching and duplicates do not matter; nothing after the first
/// `Finished` that closes the run changes anything.
pub fn fold(protocol: &Protocol, setup: &Setup, events: &[Event]) -> State {
    let ordered = in_order(events);
    // Each `Finished` sees the undos before it; one with nothing to finish closes nothing, and the run goes on.
    let ends = ordered.iter().enumerate().filter(|(_, e)| e.kind == Kind::Finished).map(|(k, _)| k + 1);
    ends.map(|end| fold_ordered(protocol, setup, &ordered[..end]))
        .find(State::is_closed)
        .unwrap_or_else(|| fold_ordered(protocol, setup, &ordered))
}

fn fold_ordered(protocol: &Protocol, setup: &Setup, ordered: &[&Event]) -> State {
    let undone: HashSet<Uuid> =
        ordered.iter().filter_map(|e| if let Kind::Undone { event } = &e.kind { Some(*event) } else { None }).collect();
    let mut run = Fold::new(protocol, setup);
    for event in ordered.iter().filter(|e| !undone.contains(&e.id)) {
        run.apply(event);
    }
    run.finish()
}

/// The assessor's word that the first count stands.
struct Waiver {
    reason: Option<String>,
}

struct Fold<'a> {
    rule: Option<&'a CountRule>,
    state: State,
    /// Each open attempt's taps, ms of the run's clock.
    taps_ms: Vec<f64>,
    /// Wall and monotonic time of the first tap of each screen, so that taps keep the monotonic clock's precision.
    tap_anchor: Option<(Uuid, f64, f64)>,
    waived: Option<Waiver>,
    history: Vec<Undoable>,
}

impl<'a> Fold<'a> {
    fn new(protocol: &'a Protocol, setup: &Setup) -> Self {
        let state = State {
            status: Status::Ready,
            started_at: None,
            finished_at: None,
            timeline: timeline(protocol, setup),
            readings: Vec::new(),
            decision: None,
            stopped_ms: None,
            stop_reason: None,
            stop_note: None,
            cadence_lost_ms: Vec::new(),
            notes: Vec::new(),
            undoable: None,
        };
        Self { rule: protocol.count.as_ref(), state, taps_ms: Vec::new(), tap_anchor: None, waived: None, history: Vec::new() }
    }

    fn apply(&mut self, event: &Event) {
        let at = self.state.started_at.map(|t| (event.wall - t).num_microseconds().unwrap_or(0) as f64 / 1000.0);
        match (&event.kind, at) {
            (Kind::ClockStarted, None) => {
                self.state.started_at = Some(event.wall);
                self.state.status = Status::Running;
                self.open_reading();
            }
            (Kind::Noted { text }, _) => {
                self.state.notes.push(text.clone());
                self.can_undo(event, "the note");
            }
            (Kind::Tap, Some(at)) => self.tap(event, at),
            (Kind::CountTyped { count }, Some(_)) if self.state.status == Status::Running => {
                if let Some(reading) = self.state.readings.last_mut() {
                    reading.typed = Some(*count);
                    self.can_undo(event, &format!("the count of {}", rounded(*count, 1)));
                }
            }
            (Kind::RecountStarted, Some(at)) if self.state.status == Status::Running => self.recount(event, at),
            (Kind::RecountWaived { reason }, Some(_)) => {
                self.waived = Some(Waiver { reason: reason.clone() });
                self.can_undo(event, "keeping the first count");
            }
            (Kind::Stopped, at) if matches!(self.state.status, Status::Running | Status::Ready) => {
                self.state.status = Status::Stopped;
                self.state.stopped_ms = Some(at.unwrap_or(0.0));
                self.can_undo(event, "the stop");
            }
            (Kind::StopExplained { reason, note }, _) if self.state.status == Status::Stopped => {
                self.state.stop_reason = Some(*reason);
                self.state.stop_note.clone_from(note);
            }
            (Kind::CadenceLost, Some(at)) => {
                self.state.cadence_lost_ms.push(at);
                self.can_undo(event, "the lost beat");
            }
            (Kind::Finished, _) => self.close(event),
            _ => {}
        }
    }

    fn can_undo(&mut self, event: &Event, what: &str) {
        self.history.push(Undoable { event: event.id, what: what.to_owned() });
    }

    fn open_reading(&mut self) {
        let Some(span) = self.state.timeline.phase(PhaseKind::Count) else { return };
        let stop = self.state.timeline.phase(PhaseKind::Work).and_then(|w| w.end_ms).unwrap_or(span.start_ms);
        let (start_ms, end_ms) = (span.start_ms, span.end_ms.unwrap_or(span.start_ms));
        self.state.readings.push(Reading {
            attempt: 1,
            start_ms,
            end_ms,
            delay_s: (start_ms - stop) / 1000.0,
            typed: None,
            taps: None,
            bpm: None,
        });
    }

    fn tap(&mut self, event: &Event, at: f64) {
        let precise = match self.tap_anchor {
            Some((device, mono, anchored_at)) if device == event.device => anchored_at + (event.mono_ms - mono),
            _ => at,
        };
        self.tap_anchor = Some((event.device, event.mono_ms, precise));
        self.taps_ms.push(precise);
    }

    /// A second count is as long as the first and starts when its event says; too late, and it is not a count.
    fn recount(&mut self, event: &Event, at: f64) {
        let (Some(until), Some(last)) = (self.recount_until(), self.state.readings.last()) else { return };
        if at > until || at < last.end_ms {
            return;
        }
        let length = last.end_ms - last.start_ms;
        let attempt = last.attempt + 1;
        let stop = last.start_ms - last.delay_s * 1000.0;
        self.state.readings.push(Reading {
            attempt,
            start_ms: at,
            end_ms: at + length,
            delay_s: (at - stop) / 1000.0,
            typed: None,
            taps: None,
            bpm: None,
        });
        self.can_undo(event, "the recount");
    }

    fn recount_until(&self) -> Option<f64> {
        let rule = self.rule.filter(|r| r.recount_starts_within_s > 0)?;
        let work = self.state.timeline.phase(PhaseKind::Work)?;
        Some(work.end_ms? + f64::from(rule.recount_starts_within_s) * 1000.0)
    }

    /// Closes the run if there is something to close it with.
    fn close(&mut self, event: &Event) {
        self.read();
        let has_reading = self.state.reading().is_some_and(|r| r.bpm.is_some());
        self.state.status = match self.state.status {
            Status::Running | Status::Stopped if has_reading && self.work_was_done() => Status::Finished,
            Status::Stopped => Status::FinishedEarly,
            other => other,
        };
        if self.state.is_closed() {
            self.state.finished_at = Some(event.wall);
        }
    }

    /// A stop after the work's end does not undo the work.
    fn work_was_done(&self) -> bool {
        let end = self.state.timeline.phase(PhaseKind::Work).and_then(|w| w.end_ms);
        self.state.stopped_ms.is_none_or(|stopped| end.is_some_and(|end| stopped >= end))
    }

    /// Reads taps and rates into the attempts and decides on the last one.
    fn read(&mut self) {
        let Some(rule) = self.rule else { return };
        for reading in &mut self.state.readings {
            let relative: Vec<f64> = self.taps_ms.iter().map(|t| t - reading.start_ms).collect();
            reading.taps = pulse::taps(&relative, reading.end_ms - reading.start_ms);
            let count = reading.typed.or_else(|| reading.taps.map(|t| f64::from(t.count)));
            reading.bpm = count.and_then(|c| pulse::rate(c, f64::from(rule.window_s)).ok()).map(crate::units::Bpm::value);
        }
        self.state.decision =
            self.state.readings.last().and_then(|reading| decide(rule, reading, self.recount_until(), self.waived.as_ref()));
    }

    fn finish(mut self) -> State {
        self.read();
        if !self.state.is_closed() {
            self.state.undoable = self.history.pop();
        }
        self.state
    }
}

/// Holds the count against the taps.
fn decide(rule: &CountRule, reading: &Reading, until_ms: Option<f64>, waived: Option<&Waiver>) -> Option<Decision> {
    let bpm = reading.bpm?;
    let counted = rounded(bpm, 0);
    let Some(tapped) = reading.taps.and_then(|t| t.bpm) else {
        let one = rounded(pulse::resolution(f64::from(rule.window_s)), 0);
        return Some(Decision::ReadingHolds { because: format!("{counted} bpm, counted. One beat more or less is {one} bpm.") });
    };
    // To a tenth of a beat: a tapped rate is no more precise than that.
    let apart = ((bpm - tapped).abs() * 10.0).round() / 10.0;
    let tapped = rounded(tapped, 0);
    if apart <= rule.agree_within_bpm {
        return Some(Decision::ReadingHolds { because: format!("{counted} bpm counted, {tapped} tapped: they agree.") });
    }
    let because = format!("{counted} bpm counted, {tapped} tapped: more than {} apart.", rounded(rule.agree_within_bpm, 0));
    match waived {
        Some(Waiver { reason: Some(reason) }) => {
            Some(Decision::RecountWaived { because: format!("{because} Kept by the assessor: {reason}") })
        }
        Some(Waiver { reason: None }) => Some(Decision::RecountWaived { because: format!("{because} Kept by the assessor.") }),
        None => {
            let until = until_ms.filter(|until| reading.end_ms < *until);
            Some(Decision::RecountAsked { because, until_ms: until })
        }
    }
}
