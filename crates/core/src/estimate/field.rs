//! What was covered: the distance of laps, the speed and the distance of a schedule's levels.

use super::input;
use crate::{
    catalogue::{Schedule, ScheduleScore},
    error::{Code, InputError},
    performed::Trial,
    units::rounded,
};

/// The distance, m: given, or laps of a measured loop and the part lap.
pub(super) fn lap_distance(trial: &Trial) -> Result<f64, InputError> {
    let given = trial.inputs.get("distance_m");
    let counted = trial.inputs.get("laps").map(|laps| {
        let lap = input(trial, "lap_m")?;
        Ok(laps * lap + trial.inputs.get("extra_m").unwrap_or(0.0))
    });
    match (given, counted.transpose()?) {
        (Some(given), Some(counted)) if (given - counted).abs() > 0.5 => Err(InputError::new(
            Code::OutOfRange,
            "distance_m",
            format!("The laps give {} m, but {} m was typed as well. Give only one of the two.", rounded(counted, 1), rounded(given, 1)),
        )),
        (_, Some(counted)) if counted > 0.0 => Ok(counted),
        (_, Some(_)) => Err(InputError::new(Code::OutOfRange, "laps", "No distance was given: type the laps or the metres.")),
        (Some(given), None) => Ok(given),
        (None, None) => input(trial, "distance_m"),
    }
}

fn schedule<'a>(trial: &'a Trial) -> Result<&'a Schedule, InputError> {
    let missing = || InputError::new(Code::NotApplicable, "protocol", format!("{} has no schedule of levels.", trial.protocol.name));
    trial.protocol.schedule().ok_or_else(missing)
}

/// The speed of the last completed level, km/h: given, or from the schedule.
pub(super) fn shuttle_speed(trial: &Trial) -> Result<f64, InputError> {
    if let Some(speed) = trial.inputs.get("speed_kmh") {
        return Ok(speed);
    }
    let schedule = schedule(trial)?;
    if schedule.score == ScheduleScore::Speed && trial.protocol.input("level").is_none() {
        return input(trial, "speed_kmh");
    }
    let (level, shuttle) = (input(trial, "level")?, input(trial, "shuttle")?);
    Ok(schedule.place(level, shuttle)?.speed_kmh)
}

/// The distance covered, m: given, or from the schedule.
pub(super) fn shuttle_distance(trial: &Trial) -> Result<f64, InputError> {
    match trial.inputs.get("distance_m") {
        Some(given) => Ok(given),
        None if trial.inputs.get("level").is_none() => input(trial, "distance_m"),
        None => Ok(schedule(trial)?.place(input(trial, "level")?, input(trial, "shuttle")?)?.distance_m),
    }
}
