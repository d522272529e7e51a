//! What is told at the end of a rehearsal, line by line.

use serde::{Deserialize, Serialize};

/// A reading beside the truth.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ReadAgainstTruth {
    /// Which reading.
    pub label: String,
    /// When, and how: `at 3:04, typed`.
    pub when: String,
    /// As read, bpm or a count.
    pub read: f64,
    /// As it was.
    pub truth: f64,
}

/// A fault and whether it was noticed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FaultReport {
    /// What went wrong, and when, in a sentence.
    pub what: String,
    /// Whether something was done about it in time.
    pub noticed: bool,
    /// What was done, or what would have been right.
    pub then: String,
}
