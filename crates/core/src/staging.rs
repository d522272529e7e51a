//! The rules of a staged test as data: how long a stage is, when the heart rate is read, when it counts, and what the
//! next load is.

use serde::{Deserialize, Serialize};

use crate::person::Sex;

/// The rules of a staged test.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct StageRule {
    /// Minutes at whose end the heart rate is read, ascending; the last is the stage's planned end.
    pub read_at: Vec<u8>,
    /// The last minute a stage may be prolonged to.
    pub until_minute: u8,
    /// Two consecutive readings this close are steady, bpm.
    pub agree_within_bpm: f64,
    /// What the test is after.
    pub goal: Goal,
    /// How loads are chosen; absent where the work is fixed.
    pub load: Option<LoadRule>,
}

/// What a staged test is after.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Goal {
    /// One stage with the steady heart rate in a band.
    Band {
        /// bpm.
        low: f64,
        /// bpm.
        high: f64,
    },
    /// Consecutive steady stages between a lower bound and the ceiling, for a line.
    Line {
        /// Below this the stroke volume still rises and a stage does not count, bpm.
        from_bpm: f64,
        /// How many in a row end the test.
        stages: u8,
    },
}

/// How loads are chosen.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct LoadRule {
    /// Pedalling rate, revolutions a minute.
    pub rpm: f64,
    /// The first load, by sex and condition; the first entry that fits counts.
    pub first: Vec<FirstLoad>,
    /// The second by the heart rate at the end of the first.
    #[serde(default)]
    pub by_heart_rate: Vec<NextLoad>,
    /// Every later one is this much more, kgm/min.
    pub step_kgm_min: f64,
}

/// First loads for some clients.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct FirstLoad {
    /// For this sex; for everyone where absent.
    pub sex: Option<Sex>,
    /// For the conditioned or the unconditioned; for both where absent.
    pub conditioned: Option<bool>,
    /// Loads to choose from, kgm/min, the usual one first.
    pub kgm_min: Vec<f64>,
}

/// A load for a heart rate.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct NextLoad {
    /// Up to and with this heart rate, bpm; any higher one where absent.
    pub up_to_bpm: Option<f64>,
    /// The load, kgm/min.
    pub kgm_min: f64,
    /// The rule in words, to follow the heart rate: `is under 80`.
    pub because: String,
}

impl LoadRule {
    /// First loads for a client, the usual one first. Without a sex on record, the lighter of all choices first.
    pub fn first_for(&self, sex: Option<Sex>, conditioned: Option<bool>) -> Vec<f64> {
        let fits = |f: &&FirstLoad| {
            (f.sex.is_none() || f.sex == sex) && (f.conditioned.is_none() || f.conditioned == Some(conditioned.unwrap_or(false)))
        };
        if let Some(found) = self.first.iter().find(fits) {
            return found.kgm_min.clone();
        }
        let mut all: Vec<f64> = self.first.iter().flat_map(|f| f.kgm_min.iter().copied()).collect();
        all.sort_by(f64::total_cmp);
        all.dedup();
        all
    }

    /// The load that follows a stage: by heart rate after the first where the rule has a table, else one step more.
    pub fn next(&self, stage: usize, kgm_min: f64, bpm: f64) -> (f64, String) {
        let by_rate = self.by_heart_rate.iter().find(|n| n.up_to_bpm.is_none_or(|limit| bpm.round() <= limit));
        match by_rate {
            Some(next) if stage == 1 => (next.kgm_min, next.because.clone()),
            _ => (kgm_min + self.step_kgm_min, String::new()),
        }
    }
}
