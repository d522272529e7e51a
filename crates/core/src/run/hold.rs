//! A hold, from taking the position to losing it, with what is marked on the way.

use super::{
    decision::{Decision, DecisionCode},
    engine::Engine,
    event::{Answer, Event, Kind},
    setup::Setup,
    state::{FamilyState, HoldState, MarkState, State, Status},
};
use crate::{
    attempts::{Mark, Take},
    catalogue::{Leg, PhaseKind, Protocol},
    quantity,
    strap::Trace,
    test_record::Inputs,
    text,
};

/// The engine of a hold.
#[derive(Debug)]
pub(super) struct Hold {
    of: HoldState,
}

impl Hold {
    /// The engine of a leg that is held; nothing for any other.
    pub(super) fn new(leg: &Leg, protocol: &Protocol, setup: &Setup, state: &State) -> Option<Self> {
        let Take::Hold { marks, limit, ends, zero, .. } = &leg.take else { return None };
        let start_ms = state.timeline.phase(PhaseKind::Work).map_or(0.0, |w| w.start_ms);
        let cap = limit.as_ref().and_then(|key| setup.conditions.get(key)).and_then(number);
        let of = HoldState {
            start_ms,
            end_ms: None,
            limit_ms: cap.map(|s| start_ms + s * 1000.0),
            is_zero: false,
            marks: marks.iter().map(|m| MarkState { mark: m.clone(), at_ms: None }).collect(),
            ends: ends.clone(),
            zero: zero.clone(),
            last_time: setup.last_value.map(|held| last_time(marks, protocol, setup, held)),
            last_s: setup.last_value,
        };
        Some(Self { of })
    }
}

/// What was held last time, with what was marked on the way.
fn last_time(marks: &[Mark], protocol: &Protocol, setup: &Setup, held: f64) -> String {
    let mark = |m: &Mark| {
        let at = setup.last_values.get(&m.input)?;
        Some(format!(", {} at {}", text::small(&m.label), quantity::said(&m.input, *at, setup.units)))
    };
    format!("Last time: {}{}.", quantity::said(protocol.headline(), held, setup.units), marks.iter().filter_map(mark).collect::<String>())
}

impl Engine for Hold {
    fn apply(&mut self, state: &mut State, event: &Event, at: f64, _: &Trace) {
        if state.status != Status::Running {
            return;
        }
        let hold = &mut self.of;
        let is_held = at >= hold.start_ms && hold.over_ms().is_none() && !hold.is_zero && hold.limit_ms.is_none_or(|limit| at <= limit);
        match &event.kind {
            Kind::Marked { mark } if is_held => {
                if let Some(found) = hold.marks.iter_mut().find(|m| m.mark.input == *mark && m.at_ms.is_none()) {
                    found.at_ms = Some(at);
                    state.can_undo(event, &format!("“{}”", found.mark.label));
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
    }

    /// Closes a hold that ran to its cap by an event after it, and says what was held.
    fn settle(&mut self, state: &mut State, now_ms: Option<f64>) {
        let hold = &mut self.of;
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

    fn has_result(&self, state: &State) -> bool {
        let hold = &self.of;
        // A stop before the position was lost is no end of the hold: it says nothing of how long it could have been held.
        let was_done = state.stopped_ms.is_none_or(|stopped| hold.is_zero || hold.over_ms().is_some_and(|end| end <= stopped));
        was_done && hold.seconds().is_some()
    }

    fn hand_over(self: Box<Self>) -> FamilyState {
        FamilyState::Held(self.of)
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
pub(super) fn inputs(hold: &HoldState, protocol: &Protocol) -> Inputs {
    let mut inputs = Inputs::new();
    for leg in protocol.legs() {
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
