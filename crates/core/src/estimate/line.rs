//! The line through the stages of a multistage test, as it is shown.

use serde::{Deserialize, Serialize};

use crate::hr_max::HrMaxMethod;

/// A stage on the line: heart rate against oxygen uptake.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LinePoint {
    /// Load, kgm/min.
    pub kgm_min: f64,
    /// Oxygen uptake at it, mL/kg/min.
    pub vo2: f64,
    /// The stage's heart rate, bpm.
    pub bpm: f64,
    /// Whether it enters the line.
    pub counts: bool,
}

/// The extrapolation of a multistage test.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StageLine {
    /// Every stage.
    pub points: Vec<LinePoint>,
    /// From here on stages count, bpm.
    pub from_bpm: f64,
    /// Up to here, bpm.
    pub ceiling_bpm: f64,
    /// The maximal heart rate the line is carried to, bpm.
    pub hr_max: f64,
    /// How that is known.
    pub hr_max_method: HrMaxMethod,
    /// Slope, mL/kg/min per bpm; absent with fewer than two stages that count.
    pub slope: Option<f64>,
    /// Oxygen uptake at zero bpm, mL/kg/min.
    pub intercept: Option<f64>,
    /// The estimate, mL/kg/min.
    pub vo2max: Option<f64>,
    /// How far the estimate moves when the maximum is one prediction error off, mL/kg/min; nothing for a measured one.
    pub spread: Option<f64>,
}
