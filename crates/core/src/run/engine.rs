//! What a family does with the events of its tests.

use super::{
    event::Event,
    state::{FamilyState, State},
};
use crate::strap::Trace;

/// The engine of a family. What all runs share it writes into the [`State`]; what only its own floor shows it keeps and hands over.
pub(super) trait Engine {
    /// The clock starts.
    fn begin(&mut self, _state: &mut State) {}
    /// Something happened at this moment of the run's clock, ms. `trace`: what a chest strap said so far.
    fn apply(&mut self, state: &mut State, event: &Event, at: f64, trace: &Trace);
    /// Judges what stands. `now_ms`: the latest moment that is known, ms of the run's clock. Judging twice changes nothing.
    fn settle(&mut self, state: &mut State, now_ms: Option<f64>);
    /// Whether a result can be made of what stands.
    fn has_result(&self, state: &State) -> bool;
    /// What its floor shows.
    fn hand_over(self: Box<Self>) -> FamilyState;
}
