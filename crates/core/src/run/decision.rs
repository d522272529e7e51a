//! What the engine decided, in one line with the reason.

use serde::{Deserialize, Serialize};

use crate::{catalogue::Usual, pulse::Taps, strap::WINDOW_S, units::rounded};

/// What was decided. The snake-case name is part of the public interface.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum DecisionCode {
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
    pub unit: String,
    /// When it may be typed, ms of the run's clock.
    pub from_ms: f64,
    /// When it is due, ms of the run's clock.
    pub at_ms: f64,
    /// What was read.
    pub value: Option<f64>,
    /// A number to start from, where one was counted on the way.
    pub suggested: Option<f64>,
    /// From which to which value is usual.
    #[serde(default)]
    pub usual: Option<Usual>,
    /// Why the number is questioned.
    pub question: Option<String>,
    /// For a heart rate: the window in which a pulse is counted for it.
    pub window: Option<Window>,
    /// For a heart rate: what was tapped along.
    pub tapped: Option<Taps>,
}

/// A window in which a pulse is counted.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Window {
    /// ms of the run's clock.
    pub from_ms: f64,
    /// ms of the run's clock.
    pub until_ms: f64,
    /// Its length, s.
    pub seconds: f64,
}

impl Window {
    /// The usual window from a moment on.
    pub const fn beginning(from_ms: f64) -> Self {
        Self { from_ms, until_ms: from_ms + WINDOW_S * 1000.0, seconds: WINDOW_S }
    }
}

/// How a heart rate was taken.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "by", rename_all = "snake_case")]
pub enum Taken {
    /// Typed as a rate.
    Typed,
    /// Counted in a window.
    Counted {
        /// Beats.
        count: f64,
        window_s: f64,
    },
    /// Tapped along.
    Tapped,
    /// The strap's mean.
    Strap,
}

/// A count further than this from what was tapped along is counted again, bpm. Source: common practice.
const AGREE_WITHIN: f64 = 4.0;

/// What a count and the taps beside it say where they disagree.
pub(super) fn disagreement(counted: f64, tapped: Option<&Taps>) -> Option<String> {
    let tapped = tapped?.bpm?;
    (((counted - tapped).abs() * 10.0).round() / 10.0 > AGREE_WITHIN).then(|| {
        let (counted, tapped) = (rounded(counted, 0), rounded(tapped, 0));
        format!("{counted} counted, {tapped} tapped: more than {} apart.", rounded(AGREE_WITHIN, 0))
    })
}
