//! The stages of a staged test.

use serde::{Deserialize, Serialize};

use crate::{
    estimate::{StageLine, cycle::Load},
    run::decision::Taken,
};

/// A staged test as it goes.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StagedState {
    /// Stages done and running.
    pub stages: Vec<StageState>,
    /// The heart rates that count.
    pub band: Option<Band>,
    /// The load that is to be set next.
    pub load_due: Option<LoadDue>,
    /// One step more than the running load, for an assessor who wants to go on.
    pub heavier: Option<Load>,
    /// The extrapolation as it forms.
    pub line: Option<StageLine>,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StageState {
    /// From 1.
    pub number: u8,
    /// The load, where one is set.
    pub load: Option<Load>,
    /// When it began, ms of the run's clock.
    pub start_ms: f64,
    /// When the next began or the work was over.
    pub end_ms: Option<f64>,
    /// The end of the last minute it is planned to have.
    pub planned_end_ms: f64,
    /// What was read, by minute.
    pub readings: Vec<MinuteReading>,
    /// Whether it settled; nothing while that is open.
    pub steady: Option<bool>,
    pub counts: bool,
    /// Its heart rate once judged, bpm.
    pub bpm: Option<f64>,
}

/// A heart rate at the end of a minute.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct MinuteReading {
    /// Minute of the stage, from 1.
    pub minute: u8,
    /// When the minute was full, ms of the run's clock.
    pub at_ms: f64,
    pub bpm: f64,
    /// How it was taken.
    pub taken: Taken,
    /// Why it is doubted, until it is typed again or confirmed.
    pub question: Option<String>,
}

/// The heart rates that count, with where the upper one comes from.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Band {
    /// bpm.
    pub low: f64,
    /// bpm.
    pub high: f64,
    /// In a few words.
    pub because: String,
}

/// A load that is to be set.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LoadDue {
    pub stage: u8,
    /// The load decided upon.
    pub decided: Load,
    /// Loads to choose from, lightest first.
    pub choices: Vec<Load>,
    /// Whether the assessor may as well leave it and keep what is there.
    pub optional: bool,
}
