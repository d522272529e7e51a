//! Cycling: the heart rate at a known load, read at one steady stage or along a line through several.

use serde::{Deserialize, Serialize};

pub use super::line::{LinePoint, StageLine};
use super::{Found, Nothing, age, flag, input, mass, sex};
use crate::{
    catalogue::Goal,
    error::{Code, InputError},
    hr_max::{self, HrMaxMethod},
    inputs::StageInput,
    performed::{FlagCode, TestRecord},
    person::{Facts, Sex},
    units::rounded,
};

pub const WATTS_PER_KGM_MIN: f64 = 0.1634;
/// Metres of flywheel travel a revolution on a friction ergometer. Common practice.
const METRES_PER_REVOLUTION: f64 = 6.0;

/// The nomogram's own scale: load, kgm/min, and oxygen uptake, L/min.
/// Source: Åstrand & Ryhming 1954; recalled.
const NOMOGRAM: [(f64, f64); 8] =
    [(300.0, 0.9), (450.0, 1.2), (600.0, 1.5), (750.0, 1.8), (900.0, 2.1), (1050.0, 2.45), (1200.0, 2.8), (1500.0, 3.5)];

/// Age and the factor for it. Source: Åstrand 1960; recalled.
const AGE_FACTORS: [(f64, f64); 9] =
    [(15.0, 1.10), (25.0, 1.00), (35.0, 0.87), (40.0, 0.83), (45.0, 0.78), (50.0, 0.75), (55.0, 0.71), (60.0, 0.68), (65.0, 0.65)];

/// Standard error as a share of the estimate: trained, untrained. Source: Åstrand 1960; recalled.
const SINGLE_STAGE_SEE: (f64, f64) = (0.10, 0.15);

/// A line carried on for more than this many times the heart rates it was read over is a long way from them. Common
/// practice has no figure; this one is ours.
const WIDE: f64 = 3.0;

/// A cycle load with all three names it goes by.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Load {
    /// Load, kgm/min.
    pub kgm_min: f64,
    /// Resistance on a friction ergometer at the protocol's pedalling rate, kp.
    pub kp: f64,
    /// Power, W.
    pub watts: f64,
}

impl Load {
    /// A load at a pedalling rate: 6 m a revolution, so 300 kgm/min a kp at 50 rpm.
    pub fn at(kgm_min: f64, rpm: f64) -> Self {
        Self { kgm_min, kp: kgm_min / (METRES_PER_REVOLUTION * rpm), watts: kgm_min * WATTS_PER_KGM_MIN }
    }

    /// All three together: `450 kgm/min · 1.5 kp · 74 W`.
    pub fn words(self) -> String {
        format!("{} kgm/min · {} kp · {} W", rounded(self.kgm_min, 0), rounded(self.kp, 2), rounded(self.watts, 0))
    }
}

/// Oxygen uptake at a load, L/min, linear between the nomogram's points and along its last stretch beyond them; the
/// second value says whether the load lies within the scale.
pub fn nomogram_vo2(kgm_min: f64) -> (f64, bool) {
    let within = (NOMOGRAM[0].0..=NOMOGRAM[NOMOGRAM.len() - 1].0).contains(&kgm_min);
    (along(&NOMOGRAM, kgm_min), within)
}

/// The factor for age, linear between the printed ages and held at the outermost; the second value says whether the age
/// lies within them.
pub fn age_factor(age: f64) -> (f64, bool) {
    let (first, last) = (AGE_FACTORS[0].0, AGE_FACTORS[AGE_FACTORS.len() - 1].0);
    (along(&AGE_FACTORS, age.clamp(first, last)), (first..=last).contains(&age))
}

/// The maximal and the resting heart rate the nomogram takes for a sex, bpm. Source: Åstrand & Ryhming 1954; recalled.
pub(crate) const fn nomogram_rates(sex: Sex) -> (f64, f64) {
    match sex {
        Sex::Male => (195.0, 61.0),
        Sex::Female => (198.0, 72.0),
    }
}

/// VO2max before the factor for age, L/min, from an oxygen uptake and the steady heart rate at it.
/// Source: Åstrand & Ryhming 1954; recalled.
pub fn nomogram_vo2max(sex: Sex, vo2_l_min: f64, bpm: f64) -> f64 {
    let (max, rest) = nomogram_rates(sex);
    vo2_l_min * (max - rest) / (bpm - rest)
}

/// Oxygen uptake of leg cycling, mL/kg/min. Source: ACSM's Guidelines for Exercise Testing and Prescription, metabolic
/// equations, 2018; recalled.
pub fn cycling_vo2(kgm_min: f64, mass_kg: f64) -> f64 {
    1.8 * kgm_min / mass_kg + 7.0
}

fn along(points: &[(f64, f64)], x: f64) -> f64 {
    let k = points.iter().position(|p| x < p.0).unwrap_or(points.len() - 1).clamp(1, points.len() - 1);
    let ((x0, y0), (x1, y1)) = (points[k - 1], points[k]);
    y0 + (x - x0) / (x1 - x0) * (y1 - y0)
}

/// The steady heart rate of minute readings: the mean of the first two consecutive ones that agree, else of the last two.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Steady {
    pub bpm: f64,
    /// The two minutes it rests on.
    pub minutes: (u8, u8),
    /// The two readings.
    pub pair: (f64, f64),
    /// Whether they agree.
    pub is_steady: bool,
}

/// Reads a steady heart rate. `None` with fewer than two consecutive minutes. Source: Åstrand & Ryhming 1954 (within
/// 5 bpm); recalled.
pub fn steady(readings: &[(u8, f64)], within_bpm: f64) -> Option<Steady> {
    let mut pairs = readings.windows(2).filter(|w| w[0].0 + 1 == w[1].0).map(|w| Steady {
        bpm: f64::midpoint(w[0].1, w[1].1),
        minutes: (w[0].0, w[1].0),
        pair: (w[0].1, w[1].1),
        is_steady: (w[1].1 - w[0].1).abs() <= within_bpm,
    });
    let mut last = None;
    pairs
        .find(|p| {
            last = Some(*p);
            p.is_steady
        })
        .or(last)
}

pub(super) fn single_stage(quantity: &str, record: &TestRecord) -> Result<Found, Nothing> {
    let load = input(record, "load_kgm_min")?;
    let (vo2, within) = nomogram_vo2(load);
    let mut found = from_steady_rate(quantity, record, vo2)?;
    if !within {
        let message = format!("{} kgm/min lies outside the nomogram’s 300 to 1500: its scale was carried on.", rounded(load, 0));
        found.flags.push(flag(FlagCode::WideExtrapolation, "load_kgm_min", message));
    }
    Ok(found)
}

/// VO2max from the steady heart rate at a known oxygen uptake: L/min, or for the quantity `vo2max` per kilogram.
pub(super) fn from_steady_rate(quantity: &str, record: &TestRecord, vo2_l_min: f64) -> Result<Found, Nothing> {
    let readings = record.inputs.minutes();
    for minute in [5, 6] {
        input(record, crate::inputs::minute_key(minute).unwrap_or_default())?;
    }
    let stages = record.protocol.stages();
    let within = stages.map_or(5.0, |s| s.agree_within_bpm);
    let Some(steady) = steady(&readings, within) else { return Err(input(record, "hr_6").err().unwrap_or_else(too_few).into()) };
    let sex = sex(&record.facts)?;
    let (factor, age_fits) = age_factor(age(&record.facts)?);
    if steady.bpm <= nomogram_rates(sex).1 {
        let message = format!("{} bpm is no heart rate under load. Check the readings.", rounded(steady.bpm, 1));
        return Err(InputError::new(Code::OutOfRange, "hr_6", message).into());
    }
    let litres = nomogram_vo2max(sex, vo2_l_min, steady.bpm) * factor;
    let value = if quantity == "vo2max" { litres * 1000.0 / mass(&record.facts)? } else { litres };
    let mut flags = Vec::new();
    if !steady.is_steady {
        let (a, b) = (rounded(steady.pair.0, 0), rounded(steady.pair.1, 0));
        let message = format!("{a}, then {b}: never within {} bpm. The estimate rests on the last two.", rounded(within, 0));
        flags.push(flag(FlagCode::NoSteadyState, "hr_6", message));
    }
    if let Some(Goal::Band { low, high }) = stages.map(|s| &s.goal) {
        let mean = rounded(steady.bpm, 1);
        if steady.bpm < *low {
            let message = format!("{mean} bpm is under {}: the load was too light for a good estimate.", rounded(*low, 0));
            flags.push(flag(FlagCode::HrBelowBand, "hr_6", message));
        } else if steady.bpm > *high {
            let message = format!("{mean} bpm is over {}: the load was too heavy for a good estimate.", rounded(*high, 0));
            flags.push(flag(FlagCode::HrAboveBand, "hr_6", message));
        }
    }
    if !age_fits {
        let message = "The factor for age exists for ages 15 to 65; the nearest one was used.";
        flags.push(flag(FlagCode::AgeClamped, "age_years", message));
    }
    let share = match record.circumstances.conditioned {
        Some(true) => SINGLE_STAGE_SEE.0,
        _ => SINGLE_STAGE_SEE.1,
    };
    Ok(Found { see: Some(share * value), flags, ..Found::from(value) })
}

fn too_few() -> InputError {
    InputError::new(Code::MissingInput, "hr_6", "Two readings a minute apart are needed.")
}

/// Least squares: slope and intercept of y on x. `None` where x does not vary.
pub fn least_squares(points: &[(f64, f64)]) -> Option<(f64, f64)> {
    let n = points.len() as f64;
    let (mean_x, mean_y) = (points.iter().map(|p| p.0).sum::<f64>() / n, points.iter().map(|p| p.1).sum::<f64>() / n);
    let sxx: f64 = points.iter().map(|p| (p.0 - mean_x).powi(2)).sum();
    let sxy: f64 = points.iter().map(|p| (p.0 - mean_x) * (p.1 - mean_y)).sum();
    let slope = sxy / sxx;
    slope.is_finite().then_some((slope, mean_y - slope * mean_x))
}

/// Draws the line through stages. `from_bpm` and `ceiling_bpm` bound the heart rates that count; both bounds count.
///
/// # Errors
/// [`Code::NeedsMass`] without a body mass, and as [`HrMaxMethod::of`].
pub fn stage_line(
    stages: &[StageInput],
    facts: &Facts,
    method: HrMaxMethod,
    from_bpm: f64,
    ceiling_bpm: f64,
) -> Result<StageLine, InputError> {
    let (mass, hr_max) = (mass(facts)?, method.of(facts)?);
    let points: Vec<LinePoint> = stages
        .iter()
        .filter_map(|s| {
            let bpm = s.last()?;
            let counts = (from_bpm..=ceiling_bpm).contains(&bpm);
            Some(LinePoint { kgm_min: s.load_kgm_min, vo2: cycling_vo2(s.load_kgm_min, mass), bpm, counts })
        })
        .collect();
    let counting: Vec<(f64, f64)> = points.iter().filter(|p| p.counts).map(|p| (p.bpm, p.vo2)).collect();
    // A line that does not rise says nothing about the maximum.
    let line = (counting.len() >= 2).then(|| least_squares(&counting)).flatten().filter(|(slope, _)| *slope > 0.0);
    Ok(StageLine {
        points,
        from_bpm,
        ceiling_bpm,
        hr_max,
        hr_max_method: method,
        slope: line.map(|l| l.0),
        intercept: line.map(|l| l.1),
        vo2max: line.map(|(slope, intercept)| intercept + slope * hr_max),
        spread: line.filter(|_| method != HrMaxMethod::Measured).map(|(slope, _)| slope * method.prediction_sd()),
    })
}

/// The line of a record, for its method, its ceiling and its band.
///
/// # Errors
/// As [`stage_line`] and [`hr_max::ceiling`].
pub fn line_of(record: &TestRecord) -> Result<StageLine, InputError> {
    let method = record.hr_max_method();
    let ceiling = hr_max::ceiling_bpm(&record.facts, method, record.options.ceiling)?;
    let from = match record.protocol.stages().map(|s| &s.goal) {
        Some(Goal::Line { from_bpm, .. }) => *from_bpm,
        _ => 110.0,
    };
    stage_line(&record.inputs.stages, &record.facts, method, from, ceiling)
}

pub(super) fn multistage(record: &TestRecord) -> Result<Found, Nothing> {
    if record.inputs.stages.is_empty() {
        return Err(InputError::new(Code::MissingInput, "stages", format!("{} needs “stages”.", record.protocol.name)).into());
    }
    let line = line_of(record)?;
    let counting = line.points.iter().filter(|p| p.counts).count();
    let Some(vo2max) = line.vo2max else {
        let band = format!("{} and {} bpm", rounded(line.from_bpm, 0), rounded(line.ceiling_bpm, 0));
        let message = match counting {
            0 | 1 => format!("{counting} stage between {band}; a line needs two. Readings are kept, no estimate is given."),
            _ => format!("Between {band} the heart rate did not rise with the load, so no line can be drawn. No estimate is given."),
        };
        let code = if counting < 2 { FlagCode::TooFewStages } else { FlagCode::WideExtrapolation };
        return Err(Nothing::Withheld(flag(code, "stages", message)));
    };
    let mut flags = Vec::new();
    let within = record.protocol.stages().map_or(5.0, |s| s.agree_within_bpm);
    for (k, stage) in record.inputs.stages.iter().enumerate() {
        let counts = stage.last().is_some_and(|bpm| (line.from_bpm..=line.ceiling_bpm).contains(&bpm));
        if counts && stage.drift().is_some_and(|d| d > within) {
            let message = format!("Stage {} never settled within {} bpm; its last reading was used.", k + 1, rounded(within, 0));
            flags.push(flag(FlagCode::NoSteadyState, "stages", message));
        }
    }
    let rates: Vec<f64> = line.points.iter().filter(|p| p.counts).map(|p| p.bpm).collect();
    let (low, high) = (rates.iter().copied().fold(f64::MAX, f64::min), rates.iter().copied().fold(f64::MIN, f64::max));
    if line.hr_max - high > WIDE * (high - low) {
        let message = format!(
            "The line was read from {} to {} bpm and carried on to {}: small errors in the readings grow large.",
            rounded(low, 0),
            rounded(high, 0),
            rounded(line.hr_max, 0)
        );
        flags.push(flag(FlagCode::WideExtrapolation, "stages", message));
    }
    Ok(Found { flags, line: Some(line), ..Found::from(vo2max) })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use test_case::test_case;

    #[test_case(450.0, "450 kgm/min · 1.5 kp · 74 W"; "one and a half kp at 50 rpm")]
    #[test_case(150.0, "150 kgm/min · 0.5 kp · 25 W"; "half a kp")]
    #[test_case(600.0, "600 kgm/min · 2 kp · 98 W"; "two kp")]
    fn a_load_has_three_names(kgm_min: f64, words: &str) {
        assert_eq!(Load::at(kgm_min, 50.0).words(), words);
    }

    #[test_case(&[(5, 128.0), (6, 131.0)], 129.5, true; "the first two agree")]
    #[test_case(&[(5, 124.0), (6, 130.0), (7, 132.0)], 131.0, true; "the third agrees with the second")]
    #[test_case(&[(5, 124.0), (6, 129.0)], 126.5, true; "five apart agrees")]
    #[test_case(&[(5, 120.0), (6, 127.0), (7, 134.0), (8, 141.0)], 137.5, false; "never steady")]
    fn steady_state(readings: &[(u8, f64)], bpm: f64, is_steady: bool) {
        let found = steady(readings, 5.0).unwrap();
        assert_eq!((found.bpm, found.is_steady), (bpm, is_steady));
    }

    #[test]
    fn a_minute_that_was_left_out_makes_no_pair() {
        assert_eq!(steady(&[(5, 120.0), (7, 121.0)], 5.0), None);
    }

    proptest! {
        #[test]
        fn a_line_through_points_of_a_line_is_that_line(slope in 0.05..0.6f64, intercept in -40.0..10.0f64, xs in proptest::collection::btree_set(100u8..200, 2..6)) {
            let points: Vec<(f64, f64)> = xs.into_iter().map(|x| (f64::from(x), intercept + slope * f64::from(x))).collect();
            let (found, at_zero) = least_squares(&points).unwrap();
            prop_assert!((found - slope).abs() < 1e-9 && (at_zero - intercept).abs() < 1e-6);
        }

        #[test]
        fn a_higher_heart_rate_at_the_same_load_never_gives_a_higher_estimate(low in 100.0..160.0f64, more in 0.5..30.0f64) {
            prop_assert!(nomogram_vo2max(Sex::Female, 1.5, low + more) < nomogram_vo2max(Sex::Female, 1.5, low));
        }
    }
}
