//! An effort against the clock.

use serde::{Deserialize, Serialize};

use std::collections::BTreeMap;

use crate::run::decision::Taken;

/// An effort as it goes.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct EffortState {
    /// When the work began, ms of the run's clock.
    pub start_ms: f64,
    /// When it was over, ms of the run's clock.
    pub end_ms: Option<f64>,
    /// What one key counts: `lap`; nothing where nothing is counted.
    pub counts: Option<String>,
    /// Laps or repetitions, ms of the run's clock.
    pub tallies_ms: Vec<f64>,
    /// Distance of the whole laps, m.
    pub distance_m: Option<f64>,
    /// Length of a lap, m.
    pub lap_m: Option<f64>,
    /// The whole distance, m, for a measured effort.
    pub of_m: Option<f64>,
    /// Each lap in words, with the pace against last time.
    pub laps: Vec<String>,
    /// Numbers typed after the effort.
    pub values: BTreeMap<String, f64>,
    /// How it was last time, in words.
    pub last_time: Option<String>,
    /// Whether a heart rate is taken at the end, so that a strap is of use.
    pub takes_heart_rate: bool,
    /// How it was taken.
    pub heart_rate_taken: Option<Taken>,
}
