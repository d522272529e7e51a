//! Counted recovery: fixed work to a beat, then a pulse counted in a window.

use super::{
    decision::{Decision, DecisionCode},
    engine::Engine,
    event::{Event, Kind},
    state::{CountedState, FamilyState, Reading, State, Status},
    taps::TapTrain,
};
use crate::{
    catalogue::{CountRule, PhaseKind, Protocol},
    pulse::{self},
    strap::Trace,
    test_record::Inputs,
    units::{Bpm, rounded},
};

/// The assessor's word that the first count stands.
struct Waiver {
    reason: Option<String>,
}

/// The engine of the family.
pub(super) struct Counted<'a> {
    rule: &'a CountRule,
    taps: TapTrain,
    waived: Option<Waiver>,
    of: CountedState,
}

impl<'a> Counted<'a> {
    pub(super) fn new(rule: &'a CountRule) -> Self {
        Self { rule, taps: TapTrain::default(), waived: None, of: CountedState::default() }
    }

    /// A second count is as long as the first and starts when its event says; too late, and it is not a count.
    fn recount(&mut self, state: &mut State, event: &Event, at: f64) {
        let (Some(until), Some(last)) = (self.recount_until(state), self.of.readings.last()) else { return };
        if at > until || at < last.end_ms {
            return;
        }
        let length = last.end_ms - last.start_ms;
        let attempt = last.attempt + 1;
        let stop = last.start_ms - last.delay_s * 1000.0;
        let delay_s = (at - stop) / 1000.0;
        self.of.readings.push(Reading { attempt, start_ms: at, end_ms: at + length, delay_s, typed: None, taps: None, bpm: None });
        state.can_undo(event, "the recount");
    }

    fn recount_until(&self, state: &State) -> Option<f64> {
        let end_ms = state.timeline.phase(PhaseKind::Work)?.end_ms?;
        let within_s = self.rule.recount_starts_within_s;
        (within_s > 0).then(|| end_ms + f64::from(within_s) * 1000.0)
    }
}

impl Engine for Counted<'_> {
    /// The clock starts: the window of the first attempt is known.
    fn begin(&mut self, state: &mut State) {
        let Some(span) = state.timeline.phase(PhaseKind::Count) else { return };
        let stop = state.timeline.phase(PhaseKind::Work).and_then(|w| w.end_ms).unwrap_or(span.start_ms);
        let (start_ms, end_ms) = (span.start_ms, span.end_ms.unwrap_or(span.start_ms));
        let delay_s = (start_ms - stop) / 1000.0;
        self.of.readings.push(Reading { attempt: 1, start_ms, end_ms, delay_s, typed: None, taps: None, bpm: None });
    }

    fn apply(&mut self, state: &mut State, event: &Event, at: f64, _: &Trace) {
        match &event.kind {
            Kind::Tap => self.taps.tap(event, at),
            Kind::CountTyped { count } if state.status == Status::Running => {
                if let Some(reading) = self.of.readings.last_mut() {
                    reading.typed = Some(*count);
                    state.can_undo(event, &format!("the count of {}", rounded(*count, 1)));
                }
            }
            Kind::RecountStarted if state.status == Status::Running => self.recount(state, event, at),
            Kind::RecountWaived { reason } => {
                self.waived = Some(Waiver { reason: reason.clone() });
                state.can_undo(event, "keeping the first count");
            }
            _ => {}
        }
    }

    /// Reads taps and rates into the attempts and decides on the last one.
    fn settle(&mut self, state: &mut State, _: Option<f64>) {
        for reading in &mut self.of.readings {
            reading.taps = self.taps.within(reading.start_ms, reading.end_ms);
            let count = reading.typed.or_else(|| reading.taps.map(|t| f64::from(t.count)));
            reading.bpm = count.and_then(|c| pulse::rate(c, f64::from(self.rule.window_s)).ok()).map(Bpm::value);
        }
        let until = self.recount_until(state);
        state.decision = self.of.readings.last().and_then(|reading| decide(self.rule, reading, until, self.waived.as_ref()));
        state.can_finish = self.has_result(state);
    }

    /// A stop after the work's end does not undo the work.
    fn has_result(&self, state: &State) -> bool {
        let end = state.timeline.phase(PhaseKind::Work).and_then(|w| w.end_ms);
        let work_was_done = state.stopped_ms.is_none_or(|stopped| end.is_some_and(|end| stopped >= end));
        work_was_done && self.of.readings.last().is_some_and(|r| r.bpm.is_some())
    }

    fn hand_over(self: Box<Self>) -> FamilyState {
        FamilyState::Counted(self.of)
    }
}

/// The readings of a closed run.
pub(super) fn inputs(of: &CountedState, protocol: &Protocol) -> Inputs {
    let mut inputs = Inputs::new();
    let (Some(rule), Some(reading)) = (protocol.count(), of.readings.last()) else { return inputs };
    if let Some(count) = reading.typed.or_else(|| reading.taps.map(|t| f64::from(t.count))) {
        inputs.insert(rule.input.clone(), count);
        if protocol.input("pulse_window_s").is_some() {
            inputs.insert("pulse_window_s", f64::from(rule.window_s));
        }
    }
    inputs
}

/// Holds the count against the taps.
fn decide(rule: &CountRule, reading: &Reading, until_ms: Option<f64>, waived: Option<&Waiver>) -> Option<Decision> {
    let said = |code, because: String| Some(Decision::new(code, 0.0, because));
    let bpm = reading.bpm?;
    let counted = rounded(bpm, 0);
    let Some(tapped) = reading.taps.and_then(|t| t.bpm) else {
        let one = rounded(pulse::resolution(f64::from(rule.window_s)), 0);
        return said(DecisionCode::ReadingHolds, format!("{counted} bpm, counted. One beat more or less is {one} bpm."));
    };
    // To a tenth of a beat: a tapped rate is no more precise than that.
    let apart = ((bpm - tapped).abs() * 10.0).round() / 10.0;
    let tapped = rounded(tapped, 0);
    if apart <= rule.agree_within_bpm {
        return said(DecisionCode::ReadingHolds, format!("{counted} bpm counted, {tapped} tapped: they agree."));
    }
    let because = format!("{counted} bpm counted, {tapped} tapped: more than {} apart.", rounded(rule.agree_within_bpm, 0));
    if let Some(Waiver { reason }) = waived {
        let kept = reason.as_ref().map_or_else(|| "Kept by the assessor.".to_owned(), |r| format!("Kept by the assessor: {r}"));
        said(DecisionCode::RecountWaived, format!("{because} {kept}"))
    } else {
        let until_ms = until_ms.filter(|until| reading.end_ms < *until);
        Some(Decision { until_ms, ..Decision::new(DecisionCode::RecountAsked, 0.0, because) })
    }
}
