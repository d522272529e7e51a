//! An attempt at counting.

use serde::{Deserialize, Serialize};

use crate::pulse::Taps;

/// The counts after the work.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CountedState {
    /// Attempts at counting, the standing one last.
    pub readings: Vec<Reading>,
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
