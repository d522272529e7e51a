//! A ride at clamped heart rates: the means of its stages and the recovery after it.
//!
//! Source: Lamberts et al. 2011; recalled.

use super::{Found, Nothing, flag};
use crate::{
    catalogue::ClampRule,
    error::{Code, InputError},
    performed::{Flag, FlagCode, TestRecord},
    units::rounded,
};

/// The mean that a key such as `mean_power_2` names, with a flag where the heart rate was not held at its target.
pub(super) fn stage_mean(quantity: &str, record: &TestRecord) -> Result<Found, Nothing> {
    let rule = rule(record)?;
    let (measure, stage) = named(quantity).ok_or_else(|| unknown(quantity))?;
    let means = rule.means(stage, &record.inputs.series)?;
    Ok(match measure {
        "power" => means.power_w.into(),
        "cadence" => means.cadence_rpm.into(),
        _ => Found { flags: missed_target(rule, record, quantity, stage, means.hr_bpm)?, ..means.hr_bpm.into() },
    })
}

/// The drop of the heart rate in the minute after, bpm.
pub(super) fn recovery(record: &TestRecord) -> Result<Found, Nothing> {
    Ok(rule(record)?.hrr60(&record.inputs.series)?.into())
}

fn rule<'a>(record: &TestRecord<'a>) -> Result<&'a ClampRule, InputError> {
    if record.inputs.series.is_empty() {
        let message = "The recording of the ride is missing: time_s, power_w, hr_bpm and cadence_rpm, one line a second (“series”).";
        return Err(InputError::new(Code::MissingInput, "series", message));
    }
    record.protocol.clamp().ok_or_else(|| unknown("series"))
}

/// `mean_power_2` is the power of stage 2.
fn named(quantity: &str) -> Option<(&str, u8)> {
    let (measure, stage) = quantity.strip_prefix("mean_")?.rsplit_once('_')?;
    Some((measure, stage.parse().ok()?))
}

fn unknown(quantity: &str) -> InputError {
    InputError::new(Code::NotApplicable, quantity, format!("A ride at clamped heart rates gives no “{quantity}”."))
}

fn missed_target(rule: &ClampRule, record: &TestRecord, quantity: &str, stage: u8, bpm: f64) -> Result<Vec<Flag>, InputError> {
    let Some(target) = rule.target(stage, record.hr_max_method().of(&record.facts)?) else { return Ok(Vec::new()) };
    let off = bpm - target;
    if off.abs() <= rule.target_within_bpm {
        return Ok(Vec::new());
    }
    let (code, side) = if off < 0.0 { (FlagCode::HrBelowBand, "under") } else { (FlagCode::HrAboveBand, "over") };
    let message = format!(
        "Stage {stage} was ridden at {}, {} {side} its target of {}: its power does not compare well.",
        rounded(bpm, 0),
        rounded(off.abs(), 0),
        rounded(target, 0)
    );
    Ok(vec![flag(code, quantity, message)])
}
