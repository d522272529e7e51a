//! How much a measure moves when nothing has changed, where nobody's own repeats say it: a publication
//! (`data/measurement-error/`), or the error of the raw readings carried through the equation.
//!
//! First-order propagation: TE² = Σ (∂f/∂x × w)², each slope taken numerically on the equation itself. In a test with several
//! heart rates the day shifts all of them together; only the reading itself scatters from one to the next.

use crate::{
    catalogue::{Citation, Protocol, ReadingError, SourceKind},
    inputs::{Inputs, Value},
    norms,
    person::Facts,
    quantity,
    test_record::{TestRecord, compute},
    units::rounded,
};

/// From day to day, bpm. Source: Lamberts et al. 2004, in `data/measurement-error/typical-error.csv`; recalled.
const HEART_RATE_DAY: f64 = 4.0;
/// From one reading to the next of a day, bpm. Source: common practice.
const HEART_RATE_READING: f64 = 1.0;
/// Of a count, beats. Source: arithmetic.
const HALF_A_BEAT: f64 = 0.5;
/// Of a stopwatch held by hand, s. Source: common practice.
const STOPWATCH_S: f64 = 0.1;
/// Of the distance of a paced effort, as a share; over a fixed distance the time goes with it. Source: common practice.
const PACED: f64 = 0.02;

/// A row of the file: what is known of a measure.
#[derive(Debug)]
struct Row {
    protocol: &'static str,
    measure: &'static str,
    basis: &'static str,
    value: &'static str,
    source: &'static str,
}

// Every table of typical errors, as the build found it: `MEASUREMENT_ERRORS`.
include!(concat!(env!("OUT_DIR"), "/measurement_errors.rs"));

fn row(protocol: &Protocol, measure: &str, basis: &[&str]) -> Option<&'static Row> {
    let of = |key: &str| MEASUREMENT_ERRORS.iter().find(|r| r.protocol == protocol.id && r.measure == key && basis.contains(&r.basis));
    of(measure).or_else(|| of(quantity::base(measure)))
}

/// Who says so, as a table names it: a publication written down from memory, or nobody.
pub(crate) fn citation(source: &str) -> Citation {
    let practice = matches!(source, "common practice" | "arithmetic" | "simulated clients" | "as reported");
    Citation {
        citation: source.to_owned(),
        kind: if practice { SourceKind::CommonPractice } else { SourceKind::Published },
        recalled: !practice,
    }
}

/// A typical error, how it came about, and who says so.
pub(crate) struct Known {
    pub(crate) value: f64,
    pub(crate) basis: String,
    pub(crate) source: Citation,
}

/// What is published of a measure: in its unit, in per cent of the value, or as a correlation with the spread of people like
/// this one.
pub(crate) fn published(protocol: &Protocol, measure: &str, facts: &Facts, value: Option<f64>) -> Option<Known> {
    let row = row(protocol, measure, &["te", "cv", "icc"])?;
    let figure: f64 = row.value.parse().ok()?;
    let unit = quantity::unit(measure);
    let (found, basis) = match row.basis {
        "te" => (figure, format!("a typical error of {} {unit}", rounded(figure, 2))),
        "cv" => {
            let found = figure / 100.0 * value?.abs();
            (found, format!("a typical error of {} %, here {} {unit}", rounded(figure, 1), rounded(found, 2)))
        }
        _ => {
            let base = quantity::base(measure);
            let tables = protocol.norms.iter().filter(|n| n.quantity == base).filter_map(|n| norms::table(&n.table));
            let sd = tables.into_iter().find_map(|t| t.implied_sd(facts))?;
            let found = sd * (1.0 - figure).sqrt();
            let basis = format!(
                "SD {} {unit} among people of the same sex and age and a test-retest correlation of {figure}: {} × √(1 − {figure}) = {} {unit}",
                rounded(sd, 1),
                rounded(sd, 1),
                rounded(found, 2)
            );
            (found, basis)
        }
    };
    // A difference of two sides has the error of both.
    let both = measure.ends_with(".difference");
    let value = if both { found * std::f64::consts::SQRT_2 } else { found };
    let basis = if both { format!("{basis}; × √2 for a difference of two sides") } else { basis };
    Some(Known { value, basis: basis.trim_end().to_owned(), source: citation(row.source) })
}

/// The smallest change that is known to matter to people, in the measure's unit.
pub(crate) fn important(protocol: &Protocol, measure: &str) -> Option<(f64, Citation)> {
    let row = row(protocol, measure, &["mic"])?;
    Some((row.value.parse().ok()?, citation(row.source)))
}

/// One way in which a record could have come out otherwise: readings changed by `step`, and how many such steps its error is.
struct Shift {
    inputs: (Inputs, Inputs),
    steps: f64,
}

/// The error of the readings carried through the equation. Nothing where no reading of the test has a known error, or where
/// the quantity does not rest on one that is.
pub fn propagated(record: &TestRecord, measure: &str) -> Option<f64> {
    let value = |inputs: &Inputs| compute(&TestRecord { inputs, ..record.clone() }).ok()?.result(measure).map(|e| e.value);
    value(record.inputs)?;
    let mut squares = 0.0;
    for shift in shifts(record)? {
        let (more, less) = (value(&shift.inputs.0)?, value(&shift.inputs.1)?);
        squares += ((more - less) / 2.0 * shift.steps).powi(2);
    }
    (squares > 0.0).then(|| squares.sqrt())
}

fn shifts(record: &TestRecord) -> Option<Vec<Shift>> {
    let (protocol, inputs) = (record.protocol, record.inputs);
    let mut found = Vec::new();
    let by = |change: &dyn Fn(&mut Inputs, f64), step: f64, steps: f64| {
        let moved = |by: f64| {
            let mut moved = inputs.clone();
            change(&mut moved, by);
            moved
        };
        Shift { inputs: (moved(step), moved(-step)), steps }
    };
    // A tenth of a beat: small enough for a slope, and no stage enters or leaves the line for it.
    let small = 0.1;
    let rates: Vec<String> = protocol
        .inputs
        .iter()
        .filter(|i| i.error == Some(ReadingError::HeartRate) && inputs.get(&i.key).is_some())
        .map(|i| i.key.clone())
        .collect();
    if !rates.is_empty() || !inputs.stages.is_empty() {
        let all = |moved: &mut Inputs, by: f64| {
            for key in &rates {
                add(moved, key, by);
            }
            moved.stages.iter_mut().flat_map(|s| &mut s.readings).for_each(|(_, bpm)| *bpm += by);
        };
        found.push(by(&all, small, HEART_RATE_DAY / small));
        for key in rates.iter().filter(|_| rates.len() > 1) {
            found.push(by(&|moved, by| add(moved, key, by), small, HEART_RATE_READING / small));
        }
        for k in 0..inputs.stages.len() {
            let of_stage = |moved: &mut Inputs, by: f64| {
                if let Some((_, bpm)) = moved.stages.get_mut(k).and_then(|s| s.readings.last_mut()) {
                    *bpm += by;
                }
            };
            found.push(by(&of_stage, small, HEART_RATE_READING / small));
        }
    }
    for input in &protocol.inputs {
        let Some(error) = input.error else { continue };
        let key = input.key.as_str();
        let numbers = inputs.value(key).map(Value::numbers).unwrap_or_default();
        match error {
            ReadingError::Count if !numbers.is_empty() => {
                let window = inputs.get("pulse_window_s").or_else(|| protocol.count().map(|c| f64::from(c.window_s)))?;
                let day = HEART_RATE_DAY * window / 60.0;
                found.push(by(&|moved, by| add(moved, key, by), 1.0, libm::hypot(day, HALF_A_BEAT)));
            }
            ReadingError::Stopwatch | ReadingError::Paced => {
                for (k, n) in numbers.iter().enumerate().filter(|(_, n)| !n.is_nan()) {
                    let hand = if input.unit == "s" { STOPWATCH_S } else { 0.0 };
                    let error = if error == ReadingError::Paced { libm::hypot(PACED * n, hand) } else { STOPWATCH_S };
                    found.push(by(&|moved, by| add_to_try(moved, key, k, by), error * small, 1.0 / small));
                }
            }
            ReadingError::Level if !numbers.is_empty() => {
                let speed = |inputs: &Inputs| compute(&TestRecord { inputs, ..record.clone() }).ok()?.result("speed_kmh").map(|e| e.value);
                let shift = by(&|moved, by| add(moved, key, by), 1.0, 1.0);
                let (now, more, less) = (speed(inputs)?, speed(&shift.inputs.0)?, speed(&shift.inputs.1)?);
                found.push(Shift { steps: PACED * now / ((more - less) / 2.0), ..shift });
            }
            // Read as it is, its own error moves it and leaves the rest alone.
            ReadingError::Published if !numbers.is_empty() => {
                let error = published(protocol, key, &record.facts, Some(numbers[0]))?.value;
                // What is published is the measure as it is taken, however often: all its tries move together.
                let all = |moved: &mut Inputs, by: f64| (0..numbers.len()).for_each(|k| add_to_try(moved, key, k, by));
                found.push(by(&all, error * small, 1.0 / small));
            }
            ReadingError::Published => {
                let Some(measured) = compute(record).ok()?.result(key).map(|e| e.value) else { continue };
                let error = published(protocol, key, &record.facts, Some(measured))?.value;
                // As if the measure itself had been typed in: whatever else it was made of is left out.
                let typed = |by: f64| {
                    let mut typed = Inputs::new();
                    let others = inputs.iter().filter(|(k, _)| protocol.input(k).is_some_and(|i| i.required && i.with.is_none()));
                    others.for_each(|(k, v)| typed.insert(k.clone(), v.clone()));
                    typed.insert(key, measured + by);
                    typed
                };
                found.push(Shift { inputs: (typed(error * small), typed(-error * small)), steps: 1.0 / small });
            }
            ReadingError::HeartRate | ReadingError::Count | ReadingError::Level => {}
        }
    }
    Some(found)
}

fn add(inputs: &mut Inputs, key: &str, by: f64) {
    add_to_try(inputs, key, 0, by);
}

fn add_to_try(inputs: &mut Inputs, key: &str, attempt: usize, by: f64) {
    let moved = match inputs.value(key) {
        Some(Value::Tries(tries)) => {
            Value::Tries(tries.iter().enumerate().map(|(k, t)| t.map(|t| if k == attempt { t + by } else { t })).collect())
        }
        Some(value) => match value.number() {
            Some(n) => Value::Number(n + by),
            None => return,
        },
        None => return,
    };
    inputs.insert(key, moved);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{
        catalogue::{self, find},
        estimate::cycle,
        person::Sex,
        units::{Age, BodyMass},
    };
    use rand::{RngExt, SeedableRng, rngs::StdRng};

    fn man() -> Facts {
        Facts { sex: Some(Sex::Male), age: Age::new(40.0).ok(), mass: BodyMass::new(80.0).ok(), ..Facts::default() }
    }

    fn of(id: &str, inputs: serde_json::Value, measure: &str) -> f64 {
        let inputs: Inputs = serde_json::from_value(inputs).unwrap();
        propagated(&TestRecord::of(find(id).unwrap(), man(), &inputs), measure).unwrap()
    }

    /// A normal draw, by the polar method.
    fn normal(rng: &mut StdRng) -> f64 {
        loop {
            let (u, v): (f64, f64) = (rng.random_range(-1.0..1.0), rng.random_range(-1.0..1.0));
            let s = u * u + v * v;
            if s > 0.0 && s < 1.0 {
                return u * (-2.0 * s.ln() / s).sqrt();
            }
        }
    }

    /// The spread of a million tests of one client, within two per cent of what is carried through the equation.
    #[track_caller]
    fn as_simulated(carried: f64, one: impl Fn(&mut StdRng) -> f64) {
        let mut rng = StdRng::seed_from_u64(11);
        let n = 1_000_000;
        let (mut sum, mut squares) = (0.0, 0.0);
        for _ in 0..n {
            let value = one(&mut rng);
            sum += value;
            squares += value * value;
        }
        let mean = sum / f64::from(n);
        let sd = (squares / f64::from(n) - mean * mean).sqrt();
        assert!((carried / sd - 1.0).abs() < 0.02, "{carried} carried, {sd} simulated");
    }

    #[test]
    fn the_mile_walk_against_a_simulated_million() {
        let carried = of("mile-walk", serde_json::json!({"time_s": 840, "hr_end": 140}), "vo2max");
        as_simulated(carried, |rng| {
            let time = 840.0 + (0.02 * 840.0_f64).hypot(0.1) * normal(rng);
            // Kline et al. 1987: what a minute and a beat cost, mL/kg/min.
            -3.2649 * time / 60.0 - 0.1565 * (140.0 + 4.0 * normal(rng))
        });
    }

    #[test]
    fn the_single_stage_cycle_against_a_simulated_million() {
        let carried = of("single-stage-cycle", serde_json::json!({"load_kgm_min": 600, "hr_5": 140, "hr_6": 142}), "vo2max_l_min");
        let (vo2, factor) = (cycle::nomogram_vo2(600.0).0, cycle::age_factor(40.0).0);
        as_simulated(carried, |rng| {
            let day = 4.0 * normal(rng);
            let hr = f64::midpoint(140.0 + day + normal(rng), 142.0 + day + normal(rng));
            vo2 * (195.0 - 61.0) / (hr - 61.0) * factor
        });
    }

    #[test]
    fn the_line_through_stages_against_a_simulated_million() {
        let stages = serde_json::json!([{"load_kgm_min": 450, "hr_2": 113, "hr_3": 115}, {"load_kgm_min": 750, "hr_2": 143, "hr_3": 145}]);
        let carried = of("multistage-cycle", serde_json::json!({ "stages": stages }), "vo2max");
        let vo2 = |load: f64| 1.8 * load / 80.0 + 7.0;
        // Two points: the line goes through both. Stages only 15 bpm apart scatter some three per cent more than first order says.
        as_simulated(carried, |rng| {
            let day = 4.0 * normal(rng);
            let (a, b) = (115.0 + day + normal(rng), 145.0 + day + normal(rng));
            vo2(450.0) + (vo2(750.0) - vo2(450.0)) / (b - a) * (180.0 - a)
        });
    }

    #[test]
    fn every_estimate_of_the_aerobic_tests_has_an_error_by_its_readings_or_a_publication() {
        for protocol in catalogue::all().iter().filter(|p| p.section == "aerobic" && p.clamp().is_none() && p.legs().is_empty()) {
            let example = protocol.example.as_ref().unwrap();
            let facts = Facts { age: Age::new(example.age_years).ok(), mass: BodyMass::new(example.mass_kg).ok(), ..man() };
            let record = TestRecord::of(protocol, facts, &example.inputs);
            for rule in &protocol.change {
                let known = published(protocol, &rule.quantity, &facts, compute(&record).unwrap().result(&rule.quantity).map(|e| e.value));
                let carried = propagated(&record, &rule.quantity);
                assert!(known.is_some() || carried.is_some() || rule.reliability.is_some(), "{} {}", protocol.id, rule.quantity);
            }
        }
    }

    #[test]
    fn every_row_of_the_file_is_read_and_is_about_a_measure_of_its_protocol() {
        assert!(MEASUREMENT_ERRORS.len() > 30);
        for row in MEASUREMENT_ERRORS.iter().filter(|r| r.protocol != "*") {
            let protocol = find(row.protocol).unwrap();
            assert!(protocol.scoring.iter().any(|s| quantity::base(&s.quantity) == row.measure), "{row:?}");
            assert!(row.value.parse::<f64>().is_ok() && !row.source.is_empty(), "{row:?}");
        }
    }

    #[test]
    fn a_correlation_needs_the_spread_of_people_alike_and_a_percentage_the_value() {
        let old = Facts { age: Age::new(72.0).ok(), ..man() };
        let stands = find("chair-stand-30s").unwrap();
        // Rikli & Jones 1999: men of 70 to 74 stand 12 to 17 times; Jones et al. 1999: 0.89.
        let te = published(stands, "reps", &old, None).unwrap();
        assert!((te.value - 5.0 / 1.349 * 0.11_f64.sqrt()).abs() < 1e-9 && te.source.recalled, "{}", te.basis);
        assert!(published(stands, "reps", &man(), None).is_none(), "at 40 there is no such row");
        assert_eq!(important(stands, "reps").unwrap().0, 2.0);
        let lift = published(find("one-rm").unwrap(), "one_rm_kg", &man(), Some(100.0)).unwrap();
        assert!((lift.value - 4.2).abs() < 1e-9);
        let reach = find("shoulder-reach").unwrap();
        let (side, difference) = (published(reach, "gap_cm.left", &man(), None), published(reach, "gap_cm.difference", &man(), None));
        assert!((difference.unwrap().value / side.unwrap().value - 2.0_f64.sqrt()).abs() < 1e-9);
    }

    #[test]
    fn a_ratio_and_an_estimate_have_the_error_that_is_published_of_the_measure_they_are_made_of() {
        let lifts = serde_json::json!({"lift": "bench_press", "load_kg": [80, 100], "made": [true, true]});
        assert!((of("one-rm", lifts, "ratio") - 0.042 * 100.0 / 80.0).abs() < 1e-6);
        let girths = serde_json::json!({"waist_cm": 90, "neck_cm": 38});
        let tall = Facts { height: crate::units::Height::new(180.0).ok(), ..man() };
        let girths: Inputs = serde_json::from_value(girths).unwrap();
        let waist = propagated(&TestRecord::of(find("body").unwrap(), tall, &girths), "waist_height").unwrap();
        assert!((waist - 1.0 / 180.0).abs() < 1e-9, "a centimetre of the waist");
        assert!((of("shuttle-recovery-1", serde_json::json!({"distance_m": 1000}), "vo2max") - 0.0084 * 49.0).abs() < 1e-6);
    }
}
