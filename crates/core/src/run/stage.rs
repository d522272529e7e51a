//! What a stage is: its load, what was read in it, which heart rates count and which are doubted.

use super::{
    setup::Setup,
    state::{Band, StageState, StagedState, State, Status},
};
use crate::{
    catalogue::{Goal, Protocol, StageRule},
    hr_max,
    inputs::{StageInput, minute_key},
    test_record::Inputs,
    units::rounded,
};

/// A reading may arrive this long before its minute is full: two clocks are never quite alike, ms.
pub(super) const EARLY_MS: f64 = 2_000.0;
/// Two minutes further apart than this are questioned, bpm. Ours, common practice.
const UNLIKELY_JUMP: f64 = 30.0;
/// Under a heavier load the heart rate does not fall by more than this, bpm. Ours, common practice.
const UNLIKELY_FALL: f64 = 15.0;
/// A first reading under work below this is questioned, bpm. Ours, common practice.
const UNLIKELY_LOW: f64 = 50.0;
/// So far above the predicted maximum a reading is questioned, bpm. Ours, common practice.
const UNLIKELY_OVER_MAX: f64 = 15.0;

/// Whether a stage still runs.
pub(super) fn is_open(state: &State, stage: &StageState) -> bool {
    stage.end_ms.is_none() && state.over_ms.is_none() && state.status == Status::Running
}

/// Whether a heart rate at the end of this minute is one of the protocol's readings.
pub(super) fn is_read(protocol: &Protocol, minute: u8) -> bool {
    minute_key(minute).is_some_and(|key| protocol.records_stages() || protocol.input(key).is_some())
}

/// The end of a minute after the start of its stage, ms.
pub(super) fn minute_ms(minute: u8) -> f64 {
    f64::from(minute) * 60_000.0
}

/// Why a heart rate is doubted before anything is decided by it; nothing where it is likely. `hr_max`: the predicted maximum.
pub(super) fn doubt(stages: &[StageState], minute: u8, bpm: f64, hr_max: Option<f64>) -> Option<String> {
    let stage = stages.last()?;
    let shown = rounded(bpm, 0);
    let earlier = stage.readings.iter().rev().find(|r| r.minute < minute).map(|r| r.bpm);
    if let Some(before) = earlier {
        let apart = bpm - before;
        let direction = if apart < 0.0 { "lower" } else { "higher" };
        return (apart.abs() > UNLIKELY_JUMP)
            .then(|| format!("{shown} is {} {direction} than the {} before it.", rounded(apart.abs(), 0), rounded(before, 0)));
    }
    if let Some(before) = stages.iter().rev().skip(1).find_map(|s| s.bpm)
        && bpm < before - UNLIKELY_FALL
    {
        return Some(format!("{shown} is {} lower than stage {} ended with.", rounded(before - bpm, 0), stage.number - 1));
    }
    if bpm < UNLIKELY_LOW {
        return Some(format!("{shown} is very low for someone at work."));
    }
    let max = hr_max?;
    (bpm > max + UNLIKELY_OVER_MAX).then(|| format!("{shown} is far above the predicted maximum of {}.", rounded(max, 0)))
}

/// The heart rates that count under a rule.
pub(super) fn band(protocol: &Protocol, rule: &StageRule, setup: &Setup) -> Option<Band> {
    match rule.goal {
        Goal::Band { low, high } => Some(Band { low, high, because: "where the estimate holds".into() }),
        Goal::Line { from_bpm, .. } => {
            let ceiling = hr_max::ceiling(&setup.facts(), setup.hr_max_method(protocol), setup.ceiling).ok()?;
            Some(Band { low: from_bpm, high: ceiling.bpm, because: ceiling.because })
        }
    }
}

/// A stage as the computation takes it.
pub(super) fn stage_input(stage: &StageState) -> StageInput {
    StageInput { load_kgm_min: stage.load.map_or(0.0, |l| l.kgm_min), readings: stage.readings.iter().map(|r| (r.minute, r.bpm)).collect() }
}

/// The readings of a closed run: all stages where they make a line, else the last that was judged.
pub(super) fn inputs(of: &StagedState, protocol: &Protocol) -> Inputs {
    let mut inputs = Inputs::new();
    if protocol.records_stages() {
        inputs.stages = of.stages.iter().filter(|s| !s.readings.is_empty()).map(stage_input).collect();
    } else if let Some(stage) = of.stages.iter().rev().find(|s| s.bpm.is_some()) {
        for reading in &stage.readings {
            if let Some(key) = minute_key(reading.minute).filter(|key| protocol.input(key).is_some()) {
                inputs.insert(key, reading.bpm);
            }
        }
        if let Some(load) = stage.load {
            inputs.insert("load_kgm_min", load.kgm_min);
        }
    }
    inputs
}
