//! Rowing 2000 m: time to VO2max, and a known VO2max to the time it suggests.

use super::{input, mass, sex};
use crate::{
    error::{Code, InputError},
    performed::TestRecord,
    person::Sex,
};

/// Body mass, kg, at which the women's trained line changes. Source: Hagerman 1984; recalled.
const WOMEN_SPLIT_KG: f64 = 61.36;
/// And the men's.
const MEN_SPLIT_KG: f64 = 75.0;

/// The line `intercept − slope × minutes`, L/min, for a rower. Source: Hagerman 1984; recalled.
pub fn line(sex: Sex, mass_kg: f64, trained: bool) -> (f64, f64) {
    match (trained, sex) {
        (true, Sex::Male) if mass_kg <= MEN_SPLIT_KG => (15.1, 1.5),
        (true, Sex::Male) => (15.7, 1.5),
        (true, Sex::Female) if mass_kg <= WOMEN_SPLIT_KG => (14.6, 1.5),
        (true, Sex::Female) => (14.9, 1.5),
        (false, Sex::Male) => (10.7, 0.9),
        (false, Sex::Female) => (10.26, 0.93),
    }
}

pub(crate) fn line_of(record: &TestRecord) -> Result<((f64, f64), f64), InputError> {
    let (sex, mass) = (sex(&record.facts)?, mass(&record.facts)?);
    Ok((line(sex, mass, input(record, "trained")? > 0.0), mass))
}

/// VO2max, mL/kg/min, from the time for 2000 m, s.
pub(super) fn vo2max(record: &TestRecord, time_s: f64) -> Result<f64, InputError> {
    let ((intercept, slope), mass) = line_of(record)?;
    let litres = intercept - slope * time_s / 60.0;
    if litres <= 0.0 {
        return Err(InputError::new(Code::OutOfRange, "time_s", "The equation gives no VO₂max for a time this slow. Check the time."));
    }
    Ok(litres * 1000.0 / mass)
}

/// The time for 2000 m, s: as rowed, or what the VO2max given in its place suggests.
pub(super) fn time_s(record: &TestRecord) -> Result<f64, InputError> {
    let Some(known) = record.inputs.get("vo2max").filter(|_| record.inputs.get("time_s").is_none()) else {
        return input(record, "time_s");
    };
    let ((intercept, slope), mass) = line_of(record)?;
    let minutes = (intercept - known * mass / 1000.0) / slope;
    if minutes <= 4.0 {
        return Err(InputError::new(Code::OutOfRange, "vo2max", "No 2000 m time fits a VO₂max this high. Check the number."));
    }
    Ok(minutes * 60.0)
}
