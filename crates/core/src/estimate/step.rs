//! Stepping: the recovery heart rate after a fixed time on a bench, and the oxygen a stepper uses.

use super::{Found, Nothing, cycle, input, mass, sex};
use crate::{
    catalogue::Protocol,
    error::{Code, InputError},
    inputs::Inputs,
    performed::TestRecord,
    person::Sex,
    pulse,
    units::Bpm,
};

/// How a line `intercept − slope × HR` is printed for a sex: VO2max from recovery heart rate.
/// Source: McArdle et al. 1972; recalled.
pub(crate) const fn bench_step_line(sex: Sex) -> (f64, f64) {
    match sex {
        Sex::Male => (111.33, 0.42),
        Sex::Female => (65.81, 0.1847),
    }
}

/// VO2max, mL/kg/min, from the recovery heart rate after the 3-minute bench step.
/// Source: McArdle et al. 1972; recalled.
pub fn bench_step_vo2max(sex: Sex, recovery_hr: Bpm) -> f64 {
    let (intercept, slope) = bench_step_line(sex);
    intercept - slope * recovery_hr.value()
}

/// Oxygen uptake of stepping, mL/kg/min: `steps_a_minute` up-and-down cycles on a bench `height_m` metres high.
/// Source: ACSM's Guidelines for Exercise Testing and Prescription, metabolic equations, 2018; recalled.
pub fn stepping_vo2(steps_a_minute: f64, height_m: f64) -> f64 {
    0.2 * steps_a_minute + 1.33 * 1.8 * height_m * steps_a_minute + 3.5
}

/// The heart rate of a counted recovery: from a count, or given.
///
/// # Errors
/// [`Code::MissingInput`] where there is neither; [`Code::OutOfRange`] where the count is no heart rate or contradicts one
/// given beside it.
pub fn recovery_hr(protocol: &Protocol, inputs: &Inputs) -> Result<Bpm, InputError> {
    let window = inputs.get("pulse_window_s").or_else(|| protocol.count().map(|c| f64::from(c.window_s))).unwrap_or(60.0);
    let counted = inputs.get("pulse_count").map(|count| pulse::rate(count, window)).transpose()?;
    let given = inputs.get("recovery_hr").map(|hr| Bpm::new(hr).map_err(|e| e.at("recovery_hr"))).transpose()?;
    match (counted, given) {
        (Some(counted), Some(given)) if (counted.value() - given.value()).abs() > 0.5 => Err(InputError::new(
            Code::OutOfRange,
            "recovery_hr",
            format!("The count gives {counted}, but {given} was typed as well. Give only one of the two."),
        )),
        (Some(counted), _) => Ok(counted),
        (None, Some(given)) => Ok(given),
        (None, None) => {
            let key = protocol.count().map_or("recovery_hr", |c| c.input.as_str());
            Err(InputError::new(Code::MissingInput, key, format!("{} needs “{key}”.", protocol.name)))
        }
    }
}

/// Up-and-down cycles a minute of a protocol's beat: four beats a cycle.
pub fn steps_a_minute(protocol: &Protocol, sex: Option<Sex>) -> Option<f64> {
    let rule = protocol.cadence.as_ref()?;
    Some(rule.for_sex(sex)? / rule.places.len().max(1) as f64)
}

/// VO2max from one stage of stepping: the oxygen cost of the step, then as from one cycle load.
pub(super) fn single_stage(quantity: &str, record: &TestRecord) -> Result<Found, Nothing> {
    let bench = input(record, "bench_cm")?;
    let sex = sex(&record.facts)?;
    let steps = steps_a_minute(record.protocol, Some(sex)).unwrap_or_default();
    let vo2_l_min = stepping_vo2(steps, bench / 100.0) * mass(&record.facts)? / 1000.0;
    cycle::from_steady_rate(quantity, record, vo2_l_min)
}

#[cfg(test)]
mod tests {
    use super::*;
    use test_case::test_case;

    #[test_case(Sex::Male, 140.0, 52.53; "man at 140")]
    #[test_case(Sex::Male, 112.0, 64.29; "man at 112")]
    #[test_case(Sex::Male, 92.0, 72.69; "man at 92")]
    #[test_case(Sex::Female, 148.0, 38.4744; "woman at 148")]
    fn bench_step(sex: Sex, bpm: f64, vo2max: f64) {
        assert!((bench_step_vo2max(sex, Bpm::new(bpm).unwrap()) - vo2max).abs() < 1e-9);
    }
}
