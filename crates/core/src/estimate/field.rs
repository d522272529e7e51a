//! What was covered: the distance of laps, the speed and the distance of a schedule's levels.

use super::input;
use crate::{
    catalogue::{Schedule, ScheduleScore},
    error::{Code, InputError},
    performed::TestRecord,
    units::rounded,
};

/// The distance, m: given, or laps of a measured loop and the part lap.
pub(super) fn lap_distance(record: &TestRecord) -> Result<f64, InputError> {
    let given = record.inputs.get("distance_m");
    let counted = record.inputs.get("laps").map(|laps| {
        let lap = input(record, "lap_m")?;
        Ok(laps * lap + record.inputs.get("extra_m").unwrap_or(0.0))
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
        (None, None) => input(record, "distance_m"),
    }
}

fn schedule<'a>(record: &'a TestRecord) -> Result<&'a Schedule, InputError> {
    let missing = || InputError::new(Code::NotApplicable, "protocol", format!("{} has no schedule of levels.", record.protocol.name));
    record.protocol.schedule().ok_or_else(missing)
}

/// The speed of the last completed level, km/h: given, or from the schedule.
pub(super) fn shuttle_speed(record: &TestRecord) -> Result<f64, InputError> {
    if let Some(speed) = record.inputs.get("speed_kmh") {
        return Ok(speed);
    }
    let schedule = schedule(record)?;
    if schedule.score == ScheduleScore::Speed && record.protocol.input("level").is_none() {
        return input(record, "speed_kmh");
    }
    let (level, shuttle) = (input(record, "level")?, input(record, "shuttle")?);
    Ok(schedule.place(level, shuttle)?.speed_kmh)
}

/// The distance covered, m: given, or from the schedule.
pub(super) fn shuttle_distance(record: &TestRecord) -> Result<f64, InputError> {
    match record.inputs.get("distance_m") {
        Some(given) => Ok(given),
        None if record.inputs.get("level").is_none() => input(record, "distance_m"),
        None => Ok(schedule(record)?.place(input(record, "level")?, input(record, "shuttle")?)?.distance_m),
    }
}
