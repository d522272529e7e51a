//! A hold as a screen sees it.

use serde::{Deserialize, Serialize};

use crate::attempts::Mark;

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

impl HoldState {
    /// When the hold was over, ms of the run's clock: when the position was lost, or at its cap.
    pub fn over_ms(&self) -> Option<f64> {
        match (self.end_ms, self.limit_ms) {
            (Some(end), Some(limit)) => Some(end.min(limit)),
            (end, _) => end,
        }
    }

    /// How long it lasted, s.
    pub(crate) fn seconds(&self) -> Option<f64> {
        if self.is_zero {
            return Some(0.0);
        }
        self.over_ms().map(|end| self.since_start(end))
    }

    pub(crate) fn since_start(&self, at_ms: f64) -> f64 {
        ((at_ms - self.start_ms).max(0.0) / 1000.0 * TENTHS).round() / TENTHS
    }
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
