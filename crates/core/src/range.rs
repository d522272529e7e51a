//! How far an estimate of VO2max may lie from what a laboratory would measure on the same day.
//!
//! Where a standard error of the estimate was published it stands alone: it holds the readings and the people already, so nothing is
//! added to it. Otherwise the range is built from its parts, each carried through the equation, as the root of the sum of their
//! squares. Shares of the estimate make it lopsided: the upper half is the wider one. This is another question than how much a
//! repeat differs ([`crate::typical_error`]): what is a person's own is the same both times and cancels in a change.

use std::sync::LazyLock;

use serde::Deserialize;

use crate::{
    catalogue::{Citation, Equation},
    estimate::{StageLine, cycle::least_squares},
    measurement_error::{citation, propagated, rows},
    person::Sex,
    trial::{HUMAN_VO2MAX, Outcome, Trial},
    units::Age,
};

/// The quantity that has a range.
pub const QUANTITY: &str = "vo2max";
/// 95 of 100 lie within so many standard deviations.
const Z95: f64 = 1.959_963_985;
/// From this age on a person counts as an adult here.
const ADULT: f64 = 19.0;

/// What an estimate may be off by.
#[derive(Debug, Clone, PartialEq)]
pub struct Range {
    /// 95 of 100 people with this estimate have a true value from here, mL/kg/min ...
    pub low: f64,
    /// ... to here, mL/kg/min.
    pub high: f64,
    /// What it is made of, the largest first.
    pub parts: Vec<Part>,
}

/// One thing that an estimate may be off by.
#[derive(Debug, Clone, PartialEq)]
pub struct Part {
    /// A stable key: `published`, `hr_max`, `day`, `reading`, `scatter`, `economy`, `load`, `readings`, `share`.
    pub key: &'static str,
    /// In words.
    pub words: &'static str,
    /// One standard deviation, mL/kg/min.
    pub sd: f64,
    /// Whether it is a share of the estimate.
    is_share: bool,
    pub source: Citation,
}

impl Range {
    /// The range around an estimate, mL/kg/min, from its parts.
    pub fn around(value: f64, mut parts: Vec<Part>) -> Self {
        parts.sort_by(|a, b| b.sd.total_cmp(&a.sd));
        let (low, high) = bounds(value, &parts, Z95);
        Self { low, high, parts }
    }

    /// The same for another share of people: `z` standard deviations to either side of the estimate, mL/kg/min.
    pub fn bounds(&self, value: f64, z: f64) -> (f64, f64) {
        bounds(value, &self.parts, z)
    }

    /// Whether it reaches beyond what a human can have, so that the estimate is of little use.
    pub fn is_of_little_use(&self) -> bool {
        !HUMAN_VO2MAX.contains(&self.low) || !HUMAN_VO2MAX.contains(&self.high)
    }
}

impl Part {
    /// How far this part alone moves the estimate by `z` standard deviations, mL/kg/min.
    fn reach(&self, value: f64, z: f64) -> f64 {
        if self.is_share { value * ((z * self.sd / value).exp() - 1.0) } else { z * self.sd }
    }
}

fn bounds(value: f64, parts: &[Part], z: f64) -> (f64, f64) {
    let side = |z: f64| parts.iter().map(|p| p.reach(value, z).powi(2)).sum::<f64>().sqrt();
    (value - side(-z), value + side(z))
}

#[derive(Debug, Deserialize)]
struct Published {
    protocol: String,
    whom: String,
    basis: String,
    value: f64,
    source: String,
}

#[derive(Debug, Deserialize)]
struct Row {
    protocol: String,
    part: String,
    words: String,
    basis: String,
    value: Option<f64>,
    source: String,
}

static PUBLISHED: LazyLock<Vec<Published>> = LazyLock::new(|| rows(include_str!("../data/range/published.csv")));
static PARTS: LazyLock<Vec<Row>> = LazyLock::new(|| rows(include_str!("../data/range/parts.csv")));

/// How far the VO2max of a test may be off; nothing where it is no estimate or nothing is known.
pub fn of(trial: &Trial, outcome: &Outcome) -> Option<Range> {
    let estimate = outcome.result(QUANTITY)?;
    if estimate.equation == Equation::AsMeasured || estimate.value <= 0.0 {
        return None;
    }
    let parts = match published(trial, estimate.value) {
        Some(part) => vec![part],
        None => built(trial, outcome, estimate.value),
    };
    (!parts.is_empty()).then(|| Range::around(estimate.value, parts))
}

/// Whether a row of a published error is about this person.
fn is_about(whom: &str, trial: &Trial) -> bool {
    let is_adult = trial.facts.age.map(Age::value).is_none_or(|age| age >= ADULT);
    match whom {
        "male" => trial.facts.sex == Some(Sex::Male),
        "female" => trial.facts.sex == Some(Sex::Female),
        "trained" => trial.circumstances.conditioned == Some(true),
        "untrained" => trial.circumstances.conditioned != Some(true),
        "adult" => is_adult,
        "under_19" => !is_adult,
        _ => true,
    }
}

fn published(trial: &Trial, value: f64) -> Option<Part> {
    let row = PUBLISHED.iter().find(|r| r.protocol == trial.protocol.id && is_about(&r.whom, trial))?;
    let is_share = row.basis == "percent";
    let sd = if is_share { value * row.value / 100.0 } else { row.value };
    let words = "the published standard error: readings and differences between people included";
    Some(Part { key: "published", words, sd, is_share, source: citation(&row.source) })
}

fn built(trial: &Trial, outcome: &Outcome, value: f64) -> Vec<Part> {
    let line = outcome.line.as_ref();
    let part = |row: &'static Row| {
        let (key, words) = (row.part.as_str(), row.words.as_str());
        let (key, sd) = match (row.basis.as_str(), row.value, line) {
            ("percent", Some(percent), _) => (key, value * percent / 100.0),
            ("bpm", Some(bpm), Some(line)) if key.strip_prefix("hr_max_") == Some(line.hr_max_method.name()) => {
                ("hr_max", line.slope? * bpm)
            }
            ("day", Some(bpm), Some(line)) => (key, line.slope? * bpm),
            ("reading", Some(bpm), Some(line)) => (key, each_reading(line, bpm)?),
            ("scatter", _, Some(line)) => (key, scatter(line)?),
            ("carried", ..) => (key, propagated(trial, QUANTITY)?),
            _ => return None,
        };
        let is_share = row.basis == "percent";
        (sd > 0.0).then(|| Part { key, words, sd, is_share, source: citation(&row.source) })
    };
    let mut parts: Vec<Part> = PARTS.iter().filter(|r| r.protocol == trial.protocol.id).filter_map(part).collect();
    // The scatter of the stages holds what each reading adds.
    let sd = |key: &str| parts.iter().find(|p| p.key == key).map(|p| p.sd);
    if let (Some(scatter), Some(reading)) = (sd("scatter"), sd("reading")) {
        let smaller = if scatter > reading { "reading" } else { "scatter" };
        parts.retain(|p| p.key != smaller);
    }
    parts
}

fn counting(line: &StageLine) -> Vec<(f64, f64)> {
    line.points.iter().filter(|p| p.counts).map(|p| (p.bpm, p.vo2)).collect()
}

/// What one bpm more or less at each stage adds, mL/kg/min.
fn each_reading(line: &StageLine, bpm: f64) -> Option<f64> {
    let points = counting(line);
    let at_max = |points: &[(f64, f64)]| least_squares(points).map(|(slope, zero)| zero + slope * line.hr_max);
    let mut squares = 0.0;
    for k in 0..points.len() {
        let moved = |by: f64| {
            let mut moved = points.clone();
            moved[k].0 += by;
            at_max(&moved)
        };
        // A tenth of a beat: small enough for a slope.
        squares += ((moved(0.1)? - moved(-0.1)?) / 0.2 * bpm).powi(2);
    }
    Some(squares.sqrt())
}

/// The standard error of the line at the maximal heart rate, mL/kg/min; nothing with two stages, which any line goes through.
/// Source: arithmetic, any textbook of regression.
fn scatter(line: &StageLine) -> Option<f64> {
    let points = counting(line);
    let (slope, zero) = least_squares(&points)?;
    let n = points.len() as f64;
    if points.len() < 3 {
        return None;
    }
    let mean = points.iter().map(|p| p.0).sum::<f64>() / n;
    let sxx: f64 = points.iter().map(|p| (p.0 - mean).powi(2)).sum();
    let residual: f64 = points.iter().map(|(x, y)| (y - zero - slope * x).powi(2)).sum();
    Some((residual / (n - 2.0)).sqrt() * (1.0 / n + (line.hr_max - mean).powi(2) / sxx).sqrt())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{
        catalogue,
        hr_max::HrMaxMethod,
        inputs::{Inputs, StageInput},
        performed::{Circumstances, Options},
        person::Facts,
        trial::compute_as_given,
        units::{BodyMass, Bpm},
    };
    use proptest::prelude::*;
    use test_case::test_case;

    fn man(age: f64) -> Facts {
        Facts { sex: Some(Sex::Male), age: Age::new(age).ok(), mass: BodyMass::new(80.0).ok(), ..Facts::default() }
    }

    fn range(protocol: &str, facts: Facts, inputs: &Inputs, conditioned: bool) -> (f64, Option<Range>) {
        let circumstances = Circumstances { conditioned: Some(conditioned), ..Circumstances::default() };
        let trial = Trial { circumstances, ..Trial::of(catalogue::find(protocol).unwrap(), facts, inputs) };
        let outcome = compute_as_given(&trial).unwrap();
        (outcome.result(QUANTITY).unwrap().value, of(&trial, &outcome))
    }

    fn ride(stages: &[(f64, f64)]) -> Inputs {
        let stage = |(kgm_min, bpm): &(f64, f64)| StageInput { load_kgm_min: *kgm_min, readings: vec![(2, *bpm), (3, *bpm)] };
        let mut inputs = Inputs::new();
        inputs.stages = stages.iter().map(stage).collect();
        inputs
    }

    fn sd(range: &Range, key: &str) -> Option<f64> {
        range.parts.iter().find(|p| p.key == key).map(|p| p.sd)
    }

    /// Two stages at 40 years, by hand. 450 and 750 kgm/min at 80 kg cost 17.125 and 23.875 mL/kg/min (1.8 × load / mass + 7), read at 118
    /// and 140 bpm: slope 6.75 / 22 = 0.306818; at 208 − 0.7 × 40 = 180 bpm: 17.125 + 0.306818 × 62 = 36.1477. The maximum:
    /// 0.306818 × 10 = 3.068. The day: × 4 = 1.227. Each reading: slope × (62/22 − 1) = 0.5578 and slope × 62/22 = 0.8647, together 1.0290.
    /// Economy 4 % = 1.4459, load 2 % = 0.7230. What is not a share: √(3.068² + 1.227² + 1.029²) = 3.4612, × 1.96 = 6.7838. The shares upwards:
    /// 36.1477 × (e^0.0784 − 1) = 2.9480 and × (e^0.0392 − 1) = 1.4450; downwards 2.7257 and 1.3894.
    #[test]
    fn a_ride_of_two_stages_by_hand() {
        let facts = Facts { resting_hr: None, ..man(40.0) };
        let trial_inputs = ride(&[(450.0, 118.0), (750.0, 140.0)]);
        let protocol = catalogue::find("multistage-cycle").unwrap();
        let options = Options { hr_max_method: Some(HrMaxMethod::Tanaka), ..Options::default() };
        let trial = Trial { options, ..Trial::of(protocol, facts, &trial_inputs) };
        let outcome = compute_as_given(&trial).unwrap();
        let value = outcome.result(QUANTITY).unwrap().value;
        assert!((value - 36.1477).abs() < 1e-3, "{value}");
        let range = of(&trial, &outcome).unwrap();
        for (key, want) in [("hr_max", 3.0682), ("day", 1.2273), ("reading", 1.0290), ("economy", 1.4459), ("load", 0.7230)] {
            let found = sd(&range, key).unwrap();
            assert!((found - want).abs() < 2e-3, "{key}: {found}");
        }
        assert_eq!(range.parts.len(), 5);
        assert_eq!(range.parts[0].key, "hr_max");
        let (down, up) = (
            (6.7838f64.powi(2) + 2.7257f64.powi(2) + 1.3894f64.powi(2)).sqrt(),
            (6.7838f64.powi(2) + 2.9480f64.powi(2) + 1.4450f64.powi(2)).sqrt(),
        );
        assert!((value - range.low - down).abs() < 0.01 && (range.high - value - up).abs() < 0.01, "{range:?}");
    }

    #[test]
    fn a_measured_maximum_takes_its_part_away_and_stages_beside_their_line_add_one() {
        let measured = Facts { hr_max: Bpm::new(180.0).ok(), ..man(40.0) };
        let (_, two) = range("multistage-cycle", measured, &ride(&[(450.0, 118.0), (750.0, 140.0)]), false);
        assert_eq!(sd(two.as_ref().unwrap(), "hr_max"), None);
        let (_, three) = range("multistage-cycle", measured, &ride(&[(450.0, 118.0), (600.0, 133.0), (750.0, 140.0)]), false);
        let three = three.unwrap();
        assert!(sd(&three, "scatter").is_some() && sd(&three, "reading").is_none(), "{three:?}");
    }

    /// Kline 1987: 5.0 mL/kg/min, so 1.96 × 5.0 = 9.8 to either side.
    #[test]
    fn a_mile_walk_has_the_published_error_alone() {
        let (value, found) = range("mile-walk", man(45.0), &Inputs::from_iter([("time_s", 860.0), ("hr_end", 128.0)]), false);
        let found = found.unwrap();
        assert!((value - found.low - 9.8).abs() < 0.01 && (found.high - value - 9.8).abs() < 0.01, "{found:?}");
        assert_eq!(found.parts.len(), 1);
    }

    /// Åstrand 1960: 10 % for the trained, 15 % for others; × e^±0.196 and × e^±0.294.
    #[test_case(true, 0.8220, 1.2165)]
    #[test_case(false, 0.7453, 1.3418)]
    fn a_share_of_the_estimate_is_lopsided(conditioned: bool, low: f64, high: f64) {
        let inputs = Inputs::from_iter([("load_kgm_min", 600.0), ("hr_5", 140.0), ("hr_6", 141.0)]);
        let (value, found) = range("single-stage-cycle", man(30.0), &inputs, conditioned);
        let found = found.unwrap();
        assert!((found.low / value - low).abs() < 1e-3 && (found.high / value - high).abs() < 1e-3, "{value} {found:?}");
    }

    #[test]
    fn what_is_reported_or_rowed_backwards_is_no_estimate() {
        assert_eq!(range("reported-vo2max", man(45.0), &Inputs::from_iter([("vo2max", 41.0)]), false).1, None);
    }

    #[test]
    fn every_estimate_of_the_catalogue_has_a_range() {
        for protocol in catalogue::all() {
            let Some(scoring) = protocol.scored(QUANTITY).filter(|s| s.equation != Equation::AsMeasured && s.is_estimate_by(s.equation))
            else {
                continue;
            };
            let known = PUBLISHED.iter().any(|r| r.protocol == protocol.id) || PARTS.iter().any(|r| r.protocol == protocol.id);
            assert!(known, "{} estimates {} and has no range", protocol.id, scoring.quantity);
        }
        for row in PUBLISHED.iter().map(|r| &r.protocol).chain(PARTS.iter().map(|r| &r.protocol)) {
            assert!(catalogue::find(row).is_ok(), "{row}");
        }
        assert_eq!((PUBLISHED.len(), PARTS.len()), (13, 14), "a row that cannot be read is left out in silence");
    }

    #[test]
    fn a_range_beyond_what_a_human_can_have_says_so() {
        let part = |sd: f64| Part { key: "share", words: "", sd, is_share: false, source: citation("common practice") };
        assert!(Range::around(20.0, vec![part(8.0)]).is_of_little_use());
        assert!(!Range::around(20.0, vec![part(7.0)]).is_of_little_use());
    }

    proptest! {
        #[test]
        fn a_part_that_grows_never_narrows_a_range_and_their_order_does_not_matter(
            value in 10.0..80.0f64, sds in proptest::collection::vec((0.01..8.0f64, any::<bool>()), 1..6), grown in 0usize..6, by in 0.0..5.0f64
        ) {
            let part = |(sd, is_share): &(f64, bool)| Part { key: "share", words: "", sd: *sd, is_share: *is_share, source: citation("common practice") };
            let parts: Vec<Part> = sds.iter().map(part).collect();
            let mut more = parts.clone();
            let k = grown % more.len();
            more[k].sd += by;
            let (range, wider) = (Range::around(value, parts.clone()), Range::around(value, more));
            prop_assert!(wider.low <= range.low + 1e-9 && wider.high >= range.high - 1e-9);
            prop_assert!(range.low <= value && value <= range.high);
            let turned = Range::around(value, parts.into_iter().rev().collect());
            prop_assert!((turned.low - range.low).abs() < 1e-9 && (turned.high - range.high).abs() < 1e-9);
        }
    }
}
