//! What the engine decided, in one line with the reason.

use serde::{Deserialize, Serialize};

/// What was decided. The snake-case name is part of the public interface.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum DecisionCode {
    /// The reading holds.
    ReadingHolds,
    /// Count and taps disagree: count again.
    RecountAsked,
    /// The assessor decided against the recount.
    RecountWaived,
    /// The reading is unlikely: type it again or keep it.
    ReadingQuestioned,
    /// The first of two readings is in.
    ReadingNoted,
    /// Not steady yet: one more minute.
    OneMoreMinute,
    /// Steady, and the stage counts.
    StageCounts,
    /// Steady, but below the heart rate from which stages count.
    StageTooLow,
    /// Not steady by the last minute: kept and flagged.
    NoSteadyState,
    /// Steady below the band: a heavier load is offered.
    HeavierOffered,
    /// Steady above the band: stop.
    TooHigh,
    /// The ceiling is reached: the test ends.
    CeilingReached,
    /// Everything that is needed is in.
    Complete,
    /// A key came too soon after the one before and was set aside.
    SetAside,
}

/// One decision.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Decision {
    /// What.
    pub code: DecisionCode,
    /// When, ms of the run's clock; 0 for a decision about a count as a whole.
    pub at_ms: f64,
    /// One line with the reason.
    pub because: String,
    /// Until when it can be acted upon, ms of the run's clock.
    pub until_ms: Option<f64>,
    /// What the assessor decided instead, and why.
    pub overruled: Option<String>,
}

impl Decision {
    /// A decision that nobody has overruled.
    pub fn new(code: DecisionCode, at_ms: f64, because: impl Into<String>) -> Self {
        Self { code, at_ms, because: because.into(), until_ms: None, overruled: None }
    }
}

/// A number that is due, or will be.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Due {
    /// The stage it belongs to; 0 outside stages.
    pub stage: u8,
    /// The minute of the stage; 0 outside stages.
    pub minute: u8,
    /// The input's key.
    pub key: String,
    /// What is asked for: `Heart rate, minute 3`.
    pub label: String,
    /// Its unit.
    pub unit: String,
    /// When it may be typed, ms of the run's clock.
    pub from_ms: f64,
    /// When it is due, ms of the run's clock.
    pub at_ms: f64,
    /// What was read.
    pub value: Option<f64>,
    /// A number to start from, where one was counted on the way.
    pub suggested: Option<f64>,
    /// Why the number is questioned.
    pub question: Option<String>,
}
