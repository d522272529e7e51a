//! How far an estimate of VO2max may lie from what a laboratory would measure on the same day.
//!
//! Where a standard error of the estimate was published it is the range: it holds the readings and the people it was found in already.
//! Beside it stand only parts that it cannot hold: people unlike those, and two published rules that disagree. Where none was published
//! the range is built from parts, each carried through the equation. Parts are combined as the root of the sum of their squares, for
//! the lower and the upper side apart: shares of the estimate make it lopsided, and a part may pull one way only. This is another
//! question than how much a repeat differs ([`crate::typical_error`]): what is a person's own is the same both times and cancels in a
//! change.

pub mod coverage;

use std::{collections::BTreeMap, sync::LazyLock};

use crate::{
    catalogue::{Citation, Equation},
    estimate::{StageLine, compute::named, cycle::least_squares},
    formula::Formula,
    inputs::Value,
    measurement_error::{citation, propagated},
    person::Sex,
    quantity,
    test_record::{self, HUMAN_VO2MAX, Outcome, TestRecord},
    units::{Age, rounded},
};

/// The quantity that has a range.
pub const QUANTITY: &str = "vo2max";
/// 95 of 100 lie within so many standard deviations.
pub const Z95: f64 = 1.959_963_985;
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
    /// What is the same in every test of the person, by name: one standard deviation, mL/kg/min. It lies within the parts.
    pub shared: BTreeMap<String, f64>,
}

/// One thing that an estimate may be off by.
#[derive(Debug, Clone, PartialEq)]
pub struct Part {
    /// A stable key: `published`, `own`, `usual`, `hr_max`, `day`, `reading`, `scatter`, `economy`, `load`, `readings`, `share`, `cost`, `age`,
    /// `young`, `slow`, `others`.
    pub key: &'static str,
    /// In words.
    pub words: &'static str,
    /// One standard deviation, mL/kg/min.
    pub sd: f64,
    /// Whether it is a share of the estimate.
    is_share: bool,
    pub side: Side,
    pub source: Citation,
}

/// Which way a part may pull the truth away from the estimate.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    Both,
    Down,
    Up,
}

impl Range {
    /// The range around an estimate, mL/kg/min, from its parts.
    pub fn around(value: f64, mut parts: Vec<Part>) -> Self {
        parts.sort_by(|a, b| b.sd.total_cmp(&a.sd));
        let (low, high) = bounds(value, &parts, Z95);
        Self { low, high, parts, shared: BTreeMap::new() }
    }

    /// The same for another share of people: `z` standard deviations to either side of the estimate, mL/kg/min.
    pub fn bounds(&self, value: f64, z: f64) -> (f64, f64) {
        bounds(value, &self.parts, z)
    }

    /// The same range about another value, each part divided by what `shrink` says of its key: the mean of several tests.
    #[must_use]
    pub fn about(&self, value: f64, other: f64, shrink: impl Fn(&str) -> f64) -> Self {
        let scale = |p: &Part| if p.is_share { other / value } else { 1.0 };
        let parts = self.parts.iter().map(|p| Part { sd: p.sd * scale(p) / shrink(p.key), ..p.clone() }).collect();
        Self { shared: self.shared.clone(), ..Self::around(other, parts) }
    }
}

/// What is said of a range that reaches beyond what a human can have, both ends in mL/kg/min; nothing of any other.
pub fn warning(low: f64, high: f64) -> Option<String> {
    (!HUMAN_VO2MAX.contains(&low) || !HUMAN_VO2MAX.contains(&high))
        .then(|| "The range reaches beyond what a person can have: this estimate is of little use. Repeat the test.".to_owned())
}

impl Part {
    /// A part that is no share of the estimate, without a source.
    #[cfg(test)]
    pub(crate) fn plain(key: &'static str, sd: f64, side: Side) -> Self {
        Self { key, words: "", sd, is_share: false, side, source: citation("common practice") }
    }

    /// How far this part alone moves the estimate by `z` standard deviations, mL/kg/min; a negative `z` is downwards.
    fn reach(&self, value: f64, z: f64) -> f64 {
        match self.side {
            Side::Down if z > 0.0 => 0.0,
            Side::Up if z < 0.0 => 0.0,
            _ if self.is_share => value * (libm::exp(z * self.sd / value) - 1.0),
            _ => z * self.sd,
        }
    }
}

fn bounds(value: f64, parts: &[Part], z: f64) -> (f64, f64) {
    let side = |z: f64| parts.iter().map(|p| p.reach(value, z).powi(2)).sum::<f64>().sqrt();
    (value - side(-z), value + side(z))
}

struct Published {
    protocol: &'static str,
    whom: &'static str,
    basis: &'static str,
    value: f64,
    source: &'static str,
}

struct PartRow {
    protocol: &'static str,
    part: &'static str,
    whom: &'static str,
    side: &'static str,
    shared: &'static str,
    words: &'static str,
    basis: &'static str,
    value: &'static str,
    source: &'static str,
}

struct SharedRow {
    protocol: &'static str,
    whom: &'static str,
    shared: &'static str,
    value: &'static str,
    /// Of the share alone: what is told of a range names the source of the whole.
    #[cfg_attr(not(test), expect(dead_code))]
    source: &'static str,
}

// The tables, as the build found them: `PUBLISHED`, `PARTS` and `SHARED`.
include!(concat!(env!("OUT_DIR"), "/published.rs"));
include!(concat!(env!("OUT_DIR"), "/parts.rs"));
include!(concat!(env!("OUT_DIR"), "/shared.rs"));

/// A 95 % range in words, mL/kg/min.
pub fn sentence(low: f64, high: f64) -> String {
    format!("95 % range {} to {} {}", rounded(low.round(), 0), rounded(high.round(), 0), quantity::unit(QUANTITY))
}

/// How far the VO2max of a test may be off; nothing where it is no estimate or nothing is known.
pub fn of(record: &TestRecord, outcome: &Outcome) -> Option<Range> {
    let estimate = outcome.result(QUANTITY)?;
    if estimate.equation == Equation::AsMeasured || estimate.value <= 0.0 {
        return None;
    }
    let mut parts: Vec<Part> = published(record, estimate.value).into_iter().collect();
    let mut shared: BTreeMap<String, f64> = shared_of_published(record, outcome).filter(|_| !parts.is_empty()).collect();
    for (row, part) in built(record, outcome, estimate.value) {
        if !row.shared.is_empty() {
            shared.insert(row.shared.to_owned(), part.sd);
        }
        parts.push(part);
    }
    (!parts.is_empty()).then(|| Range { shared, ..Range::around(estimate.value, parts) })
}

/// The same of a record alone: worked out and looked at.
pub fn of_record(record: &TestRecord) -> Option<Range> {
    of(record, &test_record::compute(record).ok()?)
}

/// Whether a row is about this person.
fn is_about(whom: &str, record: &TestRecord) -> bool {
    let is_adult = record.facts.age.map(Age::value).is_none_or(|age| age >= ADULT);
    match whom {
        "male" => record.facts.sex == Some(Sex::Male),
        "female" => record.facts.sex == Some(Sex::Female),
        "trained" => record.circumstances.conditioned == Some(true),
        "untrained" => record.circumstances.conditioned != Some(true),
        "adult" => is_adult,
        "under_19" => !is_adult,
        "laboratory" | "watch" | "machine" => given_by(record) == Some(whom),
        "unknown" => given_by(record).is_none(),
        _ => true,
    }
}

/// What gave a reported value.
fn given_by<'r>(record: &'r TestRecord) -> Option<&'r str> {
    match record.inputs.value("given_by") {
        Some(Value::Words(kind)) => Some(kind),
        _ => None,
    }
}

fn published(record: &TestRecord, value: f64) -> Option<Part> {
    let row = PUBLISHED.iter().find(|r| r.protocol == record.protocol.id && is_about(r.whom, record))?;
    let is_share = row.basis == "percent";
    let sd = if is_share { value * row.value / 100.0 } else { row.value };
    let words = "the published standard error: readings and differences between people included";
    Some(Part { key: "published", words, sd, is_share, side: Side::Both, source: citation(row.source) })
}

fn shared_of_published<'r>(record: &'r TestRecord, outcome: &'r Outcome) -> impl Iterator<Item = (String, f64)> + 'r {
    let own = SHARED.iter().filter(|r| r.protocol == record.protocol.id && is_about(r.whom, record));
    own.filter_map(|row| Some((row.shared.to_owned(), by_formula(row.value, record, outcome)?)))
}

/// Every formula of the tables, read once.
static FORMULAS: LazyLock<BTreeMap<&'static str, Formula>> = LazyLock::new(|| {
    let of_parts = PARTS.iter().filter(|r| r.basis == "formula").map(|r| r.value);
    of_parts.chain(SHARED.iter().map(|r| r.value)).filter_map(|text| Some((text, Formula::read(text).ok()?))).collect()
});

/// A formula of the readings, the person and what was computed.
fn by_formula(text: &str, record: &TestRecord, outcome: &Outcome) -> Option<f64> {
    let formula = FORMULAS.get(text)?;
    formula.value(&|name| named(name, None, record, &outcome.results)).ok()
}

fn built(record: &TestRecord, outcome: &Outcome, value: f64) -> Vec<(&'static PartRow, Part)> {
    let line = outcome.line.as_ref();
    let part = |row: &'static PartRow| {
        let slope = || line?.slope;
        let number = || row.value.parse::<f64>().ok();
        let mut source = citation(row.source);
        let sd = match row.basis {
            "percent" => value * number()? / 100.0,
            "hr_max" => {
                let method = line?.hr_max_method;
                source = citation(method.prediction_source());
                slope()? * method.prediction_sd()
            }
            "day" => slope()? * number()?,
            "reading" => each_reading(line?, number()?)?,
            "scatter" => scatter(line?)?,
            "carried" => propagated(record, QUANTITY)?,
            _ => by_formula(row.value, record, outcome)?,
        };
        let side = match row.side {
            "down" => Side::Down,
            "up" => Side::Up,
            _ => Side::Both,
        };
        let part = Part { key: row.part, words: row.words, sd, is_share: row.basis == "percent", side, source };
        (sd > 0.0).then_some((row, part))
    };
    let own = PARTS.iter().filter(|r| r.protocol == record.protocol.id && is_about(r.whom, record));
    let mut parts: Vec<(&PartRow, Part)> = own.filter_map(part).collect();
    // An error that came with the value stands for the usual one.
    if parts.iter().any(|(_, p)| p.key == "own") {
        parts.retain(|(_, p)| p.key != "usual");
    }
    // The scatter of the stages holds what each reading adds.
    let sd = |key: &str| parts.iter().find(|(_, p)| p.key == key).map(|(_, p)| p.sd);
    if let (Some(scatter), Some(reading)) = (sd("scatter"), sd("reading")) {
        let smaller = if scatter > reading { "reading" } else { "scatter" };
        parts.retain(|(_, p)| p.key != smaller);
    }
    parts
}

/// What the oxygen of a cycle load is taken to be off by, as a share: economy and ergometer together.
pub fn load_error() -> f64 {
    let percents =
        PARTS.iter().filter(|r| r.protocol == "multistage-cycle" && r.basis == "percent").filter_map(|r| r.value.parse::<f64>().ok());
    percents.map(|percent| (percent / 100.0).powi(2)).sum::<f64>().sqrt()
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
        test_record::compute_as_given,
        units::{BodyMass, Bpm},
    };
    use proptest::prelude::*;
    use test_case::test_case;

    fn man(age: f64) -> Facts {
        Facts { sex: Some(Sex::Male), age: Age::new(age).ok(), mass: BodyMass::new(80.0).ok(), ..Facts::default() }
    }

    fn range(protocol: &str, facts: Facts, inputs: &Inputs, conditioned: bool) -> (f64, Option<Range>) {
        let circumstances = Circumstances { conditioned: Some(conditioned), ..Circumstances::default() };
        let record = TestRecord { circumstances, ..TestRecord::of(catalogue::find(protocol).unwrap(), facts, inputs) };
        let outcome = compute_as_given(&record).unwrap();
        (outcome.result(QUANTITY).unwrap().value, of(&record, &outcome))
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
        let ridden = ride(&[(450.0, 118.0), (750.0, 140.0)]);
        let protocol = catalogue::find("multistage-cycle").unwrap();
        let options = Options { hr_max_method: Some(HrMaxMethod::Tanaka), ..Options::default() };
        let record = TestRecord { options, ..TestRecord::of(protocol, facts, &ridden) };
        let outcome = compute_as_given(&record).unwrap();
        let value = outcome.result(QUANTITY).unwrap().value;
        assert!((value - 36.1477).abs() < 1e-3, "{value}");
        let range = of(&record, &outcome).unwrap();
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
        let inputs = Inputs::from_iter([("bench_cm", 33.0), ("hr_5", 140.0), ("hr_6", 141.0)]);
        let (value, found) = range("single-stage-step", man(30.0), &inputs, conditioned);
        let found = found.unwrap();
        assert!((found.low / value - low).abs() < 1e-3 && (found.high / value - high).abs() < 1e-3, "{value} {found:?}");
    }

    /// 41 from a laboratory, 5.6 % a day: SD 2.296, so × e^±0.1098; with an error of its own of 1.5: ± 2.94.
    #[test]
    fn a_reported_value_has_its_own_error_or_the_usual_one_of_its_source() {
        let reported = |more: &[(&str, Value)]| {
            let mut inputs = Inputs::from_iter([("vo2max", 41.0)]);
            for (key, value) in more {
                inputs.insert(*key, value.clone());
            }
            range("reported-vo2max", man(45.0), &inputs, false).1.unwrap()
        };
        let laboratory = reported(&[("given_by", Value::Words("laboratory".into()))]);
        assert!((laboratory.low / 41.0 - 0.8960).abs() < 1e-3 && (laboratory.high / 41.0 - 1.1160).abs() < 1e-3, "{laboratory:?}");
        let own = reported(&[("given_by", Value::Words("laboratory".into())), ("standard_error", Value::Number(1.5))]);
        assert!((own.high - 41.0 - 2.94).abs() < 0.01 && own.parts.len() == 1, "{own:?}");
        let watch = reported(&[("given_by", Value::Words("watch".into()))]);
        let unknown = reported(&[]);
        assert!(laboratory.high < watch.high && watch.high < unknown.high);
    }

    /// 80 kg at 600 kgm/min: the chart gives 1.5 L/min, 1.8 × 600 + 7 × 80 = 1.64 L/min: 9.33 % more. At 45 years 20 × 0.5 % = 10 %.
    #[test]
    fn where_two_published_rules_disagree_the_range_reaches_further_one_way() {
        let inputs = Inputs::from_iter([("load_kgm_min", 600.0), ("hr_5", 140.0), ("hr_6", 141.0)]);
        let (value, found) = range("single-stage-cycle", man(45.0), &inputs, true);
        let found = found.unwrap();
        assert!((sd(&found, "load").unwrap() / value - 0.0933).abs() < 1e-4 && (sd(&found, "age").unwrap() / value - 0.1).abs() < 1e-9);
        assert!((found.low / value - 0.8220).abs() < 1e-3, "downwards the published error alone: {found:?}");
        assert!(found.high - value > 1.5 * (value - found.low), "{found:?}");
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
        for row in PUBLISHED.iter().map(|r| r.protocol).chain(PARTS.iter().map(|r| r.protocol)).chain(SHARED.iter().map(|r| r.protocol)) {
            assert!(catalogue::find(row).is_ok(), "{row}");
        }
        let lines = |text: &str| text.lines().filter(|l| !l.starts_with('#')).count() - 1;
        let files = [
            include_str!("../../data/range/published.csv"),
            include_str!("../../data/range/parts.csv"),
            include_str!("../../data/range/shared.csv"),
        ];
        assert_eq!(files.map(lines), [PUBLISHED.len(), PARTS.len(), SHARED.len()], "a row that cannot be read is left out in silence");
        assert!(SHARED.iter().all(|row| !row.source.is_empty()), "every share says where it is from");
        for text in PARTS.iter().filter(|r| r.basis == "formula").map(|r| r.value).chain(SHARED.iter().map(|r| r.value)) {
            Formula::read(text).unwrap_or_else(|e| panic!("{e}"));
        }
    }

    #[test]
    fn a_range_beyond_what_a_human_can_have_says_so() {
        let part = |sd: f64| Part::plain("share", sd, Side::Both);
        let said = |sd: f64| {
            let range = Range::around(20.0, vec![part(sd)]);
            warning(range.low, range.high)
        };
        assert!(said(8.0).is_some() && said(7.0).is_none());
    }

    proptest! {
        /// Typed in pounds, in kilograms, in watts or kgm/min: the range of the same ride is the same.
        #[test]
        fn units_do_not_matter(pounds in 100.0..280.0f64, watts in 50.0..120.0f64, bpm in 112.0..125.0f64, rise in 8.0..25.0f64) {
            let of = |mass: BodyMass, loads: [f64; 2]| {
                let facts = Facts { mass: Some(mass), ..man(40.0) };
                range("multistage-cycle", facts, &ride(&[(loads[0], bpm), (loads[1], bpm + rise)]), false).1.unwrap()
            };
            let kgm = |watts: f64| watts / crate::estimate::cycle::WATTS_PER_KGM_MIN;
            let typed = BodyMass::parse_entry(&format!("{pounds} lb"), true).unwrap();
            let metric = BodyMass::parse_entry(&format!("{} kg", pounds * 0.453_592_37), false).unwrap();
            let loads = [kgm(watts), kgm(watts + 30.0)];
            let (a, b) = (of(typed, loads), of(metric, [watts, watts + 30.0].map(|w| w / crate::estimate::cycle::WATTS_PER_KGM_MIN)));
            prop_assert!((a.low - b.low).abs() < 1e-6 && (a.high - b.high).abs() < 1e-6);
        }

        #[test]
        fn a_part_that_grows_never_narrows_a_range_and_their_order_does_not_matter(
            value in 10.0..80.0f64, sds in proptest::collection::vec((0.01..8.0f64, any::<bool>()), 1..6), grown in 0usize..6, by in 0.0..5.0f64
        ) {
            let part = |(sd, is_share): &(f64, bool)| Part { key: "share", words: "", sd: *sd, is_share: *is_share, side: Side::Both, source: citation("common practice") };
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
