//! Tests in attempts: a hold from taking the position to losing it, with what is marked on the way.

use serde::{Deserialize, Serialize};

use super::{
    decision::{Decision, DecisionCode},
    event::{Answer, Event, Kind, Setup},
    fold::{State, Status},
    sheet::SheetState,
    timeline::timeline,
};
use crate::{
    attempts::{Mark, Take},
    catalogue::{PhaseKind, Protocol},
    quantity,
    trial::Inputs,
};

/// A hand on a key is no faster than this: a hold is written to a tenth of a second. Source: common practice.
const TENTHS: f64 = 10.0;

/// A hold as it goes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct HoldState {
    /// When the hold began, ms of the run's clock.
    pub start_ms: f64,
    /// When the position was lost, ms of the run's clock.
    pub end_ms: Option<f64>,
    /// When it is over at the latest, ms of the run's clock, where it is capped.
    pub limit_ms: Option<f64>,
    /// The position could not be taken: a score of nothing.
    pub is_zero: bool,
    /// What is marked on the way.
    pub marks: Vec<MarkState>,
    /// What ends it, as the key that ends it says.
    pub ends: String,
    /// What a score of nothing means.
    pub zero: String,
    /// How it was last time, in words.
    pub last_time: Option<String>,
    /// The same, s, for the drawing.
    pub last_s: Option<f64>,
}

/// A moment that is marked.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct MarkState {
    /// Which.
    pub mark: Mark,
    /// When it was seen, ms of the run's clock.
    pub at_ms: Option<f64>,
}

impl HoldState {
    /// When the hold was over, ms of the run's clock: when the position was lost, or at its cap.
    pub fn over_ms(&self) -> Option<f64> {
        match (self.end_ms, self.limit_ms) {
            (Some(end), Some(limit)) => Some(end.min(limit)),
            (end, _) => end,
        }
    }

    /// How long it lasted, s.
    fn seconds(&self) -> Option<f64> {
        if self.is_zero {
            return Some(0.0);
        }
        self.over_ms().map(|end| self.since_start(end))
    }

    fn since_start(&self, at_ms: f64) -> f64 {
        ((at_ms - self.start_ms).max(0.0) / 1000.0 * TENTHS).round() / TENTHS
    }
}

/// The engine of the family: a hold alone has a floor of its own, everything else is taken on a sheet.
#[derive(Debug)]
pub(super) struct Attempts<'a> {
    protocol: &'a Protocol,
    setup: &'a Setup,
}

impl<'a> Attempts<'a> {
    /// The engine, and a state that knows what is taken.
    pub(super) fn new(protocol: &'a Protocol, setup: &'a Setup, state: &mut State) -> Self {
        let leg = protocol.attempts.iter().flat_map(|a| &a.legs).next();
        if let Some(Take::Hold { marks, limit, ends, zero, .. }) = leg.map(|l| &l.take) {
            let start_ms = state.timeline.phase(PhaseKind::Work).map_or(0.0, |w| w.start_ms);
            let cap = limit.as_ref().and_then(|key| setup.conditions.get(key)).and_then(number);
            state.hold = Some(HoldState {
                start_ms,
                end_ms: None,
                limit_ms: cap.map(|s| start_ms + s * 1000.0),
                is_zero: false,
                marks: marks.iter().map(|m| MarkState { mark: m.clone(), at_ms: None }).collect(),
                ends: ends.clone(),
                zero: zero.clone(),
                last_time: setup.last_value.map(|v| format!("Last time: {}.", quantity::with_unit(protocol.headline(), v))),
                last_s: setup.last_value,
            });
        } else {
            state.sheet = Some(SheetState::begin(protocol, setup, state));
        }
        Self { protocol, setup }
    }

    pub(super) fn apply(&self, state: &mut State, event: &Event, at: f64) {
        if let Some(mut sheet) = state.sheet.take() {
            sheet.apply(self.protocol, state, event, at);
            state.sheet = Some(sheet);
            return;
        }
        if state.status != Status::Running {
            return;
        }
        let Some(mut hold) = state.hold.take() else { return };
        let is_held = at >= hold.start_ms && hold.over_ms().is_none() && !hold.is_zero && hold.limit_ms.is_none_or(|limit| at <= limit);
        match &event.kind {
            Kind::Marked { mark } if is_held => {
                if let Some(found) = hold.marks.iter_mut().find(|m| m.mark.input == *mark && m.at_ms.is_none()) {
                    found.at_ms = Some(at);
                    let what = format!("“{}”", found.mark.label);
                    state.can_undo(event, &what);
                }
            }
            Kind::PositionLost if at >= hold.start_ms && hold.end_ms.is_none() && !hold.is_zero => {
                hold.end_ms = Some(at);
                state.can_undo(event, "the end of the hold");
            }
            Kind::PositionNotTaken if hold.end_ms.is_none() && !hold.is_zero => {
                hold.is_zero = true;
                state.can_undo(event, "the zero");
            }
            _ => {}
        }
        state.hold = Some(hold);
    }

    /// Closes a hold that ran to its cap by an event after it, and says what was held.
    pub(super) fn settle(&self, state: &mut State, now_ms: Option<f64>) {
        if let Some(mut sheet) = state.sheet.take() {
            state.timeline = timeline(self.protocol, self.setup);
            sheet.settle(self.protocol, self.setup, state, now_ms);
            state.sheet = Some(sheet);
            return;
        }
        let Some(hold) = &mut state.hold else { return };
        if let (Some(limit), Some(now), None) = (hold.limit_ms, now_ms, hold.end_ms)
            && now >= limit
            && !hold.is_zero
        {
            hold.end_ms = Some(limit);
        }
        state.over_ms = hold.over_ms();
        let said = match (hold.is_zero, hold.seconds()) {
            (true, _) => Some(format!("{}: 0 seconds, which is a score.", hold.zero)),
            (false, Some(seconds)) => Some(format!("Held {}.", quantity::with_unit("seconds", seconds))),
            (false, None) => None,
        };
        let at = hold.over_ms().unwrap_or(hold.start_ms);
        state.decision = said.map(|because| Decision::new(DecisionCode::ReadingHolds, at, because));
        state.can_finish = self.has_result(state);
    }

    pub(super) fn has_result(&self, state: &State) -> bool {
        if let Some(sheet) = &state.sheet {
            return sheet.has_result(self.protocol, self.setup, state);
        }
        let Some(hold) = &state.hold else { return false };
        // A stop before the position was lost is no end of the hold: it says nothing of how long it could have been held.
        let was_done = state.stopped_ms.is_none_or(|stopped| hold.is_zero || hold.over_ms().is_some_and(|end| end <= stopped));
        was_done && hold.seconds().is_some()
    }
}

/// A number as set-up asks for it: typed, or one of a few choices.
fn number(answer: &Answer) -> Option<f64> {
    match answer {
        Answer::Number(n) => Some(*n),
        Answer::Text(t) => t.parse().ok(),
        Answer::YesNo(_) => None,
    }
}

/// The readings of a closed run.
pub(super) fn inputs(state: &State, protocol: &Protocol) -> Inputs {
    if let Some(sheet) = &state.sheet {
        return sheet.inputs();
    }
    let mut inputs = Inputs::new();
    let Some(hold) = &state.hold else { return inputs };
    for leg in protocol.attempts.iter().flat_map(|a| &a.legs) {
        if let (Take::Hold { input, .. }, Some(seconds)) = (&leg.take, hold.seconds()) {
            inputs.insert(input.clone(), seconds);
        }
    }
    let over = hold.over_ms();
    for mark in hold.marks.iter().filter(|_| !hold.is_zero) {
        if let Some(at) = mark.at_ms.filter(|at| over.is_none_or(|over| *at <= over)) {
            inputs.insert(mark.mark.input.clone(), hold.since_start(at));
        }
    }
    inputs
}
