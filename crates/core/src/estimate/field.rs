//! Walking, running and shuttles: distance, time and speed to VO2max.

use super::{Found, Nothing, age, input, mass, sex};
use crate::{
    catalogue::{Schedule, ScheduleScore},
    error::{Code, InputError},
    performed::Trial,
    person::Sex,
    units::{KG_PER_LB, rounded},
};

/// VO2max, mL/kg/min, from a mile walked: mass in kg, time in s, heart rate at the end in bpm.
/// Source: Kline et al. 1987; recalled.
pub fn mile_walk_vo2max(sex: Sex, age: f64, mass_kg: f64, time_s: f64, hr_end: f64) -> f64 {
    let of_sex = if sex == Sex::Male { 6.315 } else { 0.0 };
    132.853 - 0.0769 * (mass_kg / KG_PER_LB) - 0.3877 * age + of_sex - MILE_WALK_A_MINUTE * (time_s / 60.0) - 0.1565 * hr_end
}

/// What each minute of the walk costs the estimate, mL/kg/min.
const MILE_WALK_A_MINUTE: f64 = 3.2649;

/// The other way round: the time, s, of a mile that a VO2max suggests.
pub fn mile_walk_time(sex: Sex, age: f64, mass_kg: f64, vo2max: f64, hr_end: f64) -> f64 {
    60.0 * (mile_walk_vo2max(sex, age, mass_kg, 0.0, hr_end) - vo2max) / MILE_WALK_A_MINUTE
}

/// Standard error of the mile walk, mL/kg/min. Source: Kline et al. 1987; recalled.
pub const MILE_WALK_SEE: f64 = 5.0;

pub(super) fn mile_walk(trial: &Trial) -> Result<Found, Nothing> {
    let (time, hr) = (input(trial, "time_s")?, input(trial, "hr_end")?);
    let value = mile_walk_vo2max(sex(&trial.facts)?, age(&trial.facts)?, mass(&trial.facts)?, time, hr);
    Ok(Found { see: Some(MILE_WALK_SEE), ..Found::from(value) })
}

/// VO2max, mL/kg/min, from the distance run in 12 minutes, m. Source: Cooper 1968; recalled.
pub fn twelve_minute_run(distance_m: f64) -> f64 {
    (distance_m - 504.9) / 44.73
}

/// The other way round: the distance, m, that a VO2max suggests.
pub fn twelve_minute_distance(vo2max: f64) -> f64 {
    44.73 * vo2max + 504.9
}

/// VO2max, mL/kg/min, from 2414 m for time, s. Source: ACSM's Guidelines for Exercise Testing and Prescription, 2018;
/// recalled.
pub fn mile_and_a_half_run(time_s: f64) -> f64 {
    3.5 + 483.0 / (time_s / 60.0)
}

/// The other way round: the time, s, of 2414 m that a VO2max suggests.
pub fn mile_and_a_half_time(vo2max: f64) -> f64 {
    60.0 * 483.0 / (vo2max - 3.5)
}

/// VO2max, mL/kg/min, from the speed of the last shuttle, km/h; the age counts up to 18.
/// Source: Léger et al. 1988; recalled.
pub fn shuttle_20m(speed_kmh: f64, age: f64) -> f64 {
    let age = age.min(18.0);
    31.025 + 3.238 * speed_kmh - 3.248 * age + 0.1536 * speed_kmh * age
}

/// VO2max, mL/kg/min, from the distance of intermittent shuttles, level 1, m. Source: Bangsbo et al. 2008; recalled.
pub fn shuttle_recovery_1(distance_m: f64) -> f64 {
    0.0084 * distance_m + 36.4
}

/// VO2max, mL/kg/min, from the distance of intermittent shuttles, level 2, m. Source: Bangsbo et al. 2008; recalled.
pub fn shuttle_recovery_2(distance_m: f64) -> f64 {
    0.0136 * distance_m + 45.3
}

/// VO2max, mL/kg/min, from the speed of the last completed stage of 30 s runs and 15 s walks, km/h.
/// Source: Buchheit 2008; recalled.
pub fn interval_30_15_vo2max(sex: Sex, age: f64, mass_kg: f64, speed_kmh: f64) -> f64 {
    let g = if sex == Sex::Male { 1.0 } else { 2.0 };
    28.3 - 2.15 * g - 0.741 * age - 0.0357 * mass_kg + 0.0586 * age * speed_kmh + 1.03 * speed_kmh
}

pub(super) fn interval_30_15(trial: &Trial, speed_kmh: f64) -> Result<f64, InputError> {
    Ok(interval_30_15_vo2max(sex(&trial.facts)?, age(&trial.facts)?, mass(&trial.facts)?, speed_kmh))
}

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
            format!("The laps give {} m, but {} m was given beside them. Give one of the two.", rounded(counted, 1), rounded(given, 1)),
        )),
        (_, Some(counted)) if counted > 0.0 => Ok(counted),
        (_, Some(_)) => Err(InputError::new(Code::OutOfRange, "laps", "No lap and no part of one: type how far the client came.")),
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
