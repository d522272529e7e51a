//! A run to beeps.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::run::event::StopReason;

/// A run to beeps, as far as it is run.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct BeepState {
    /// The speed of the first stage, km/h, where it is not the protocol's.
    pub from_kmh: Option<f64>,
    /// The pieces of the schedule that were run, in order: a pause ends one, the next begins with a level.
    pub pieces: Vec<Piece>,
    /// Since when it is paused, ms of the run's clock.
    pub paused_ms: Option<f64>,
    /// How often it was paused.
    pub pauses: u16,
    /// The judged beeps that count as missed, ascending.
    pub misses: Vec<u32>,
    /// A line that is made clears a miss before it.
    pub clears: bool,
    /// The first judged beep of a runner who started late.
    pub joined: Option<u32>,
    /// From which judged beep on this is further than last time.
    pub past: Option<u32>,
    /// How a runner's test ended; nothing while they run.
    pub ended: Option<Ended>,
}

/// A piece of the schedule as it is run.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Piece {
    /// When it begins, ms of the run's clock.
    pub from_ms: f64,
    /// Where in the schedule that is, s.
    pub at_s: f64,
    /// When it was paused, ms of the run's clock.
    pub until_ms: Option<f64>,
}

/// How a runner's test ended.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Ended {
    /// When, ms of the run's clock.
    pub at_ms: f64,
    /// Why they left; nothing where missed lines ended it, or the schedule.
    pub left: Option<StopReason>,
    /// The last judged beep that counts; 0 where nothing was completed.
    pub beep: u32,
    /// Speed of the last that was completed, km/h.
    pub speed_kmh: f64,
    /// Distance up to there, m.
    pub distance_m: f64,
    /// As it would be typed.
    pub values: BTreeMap<String, f64>,
}
