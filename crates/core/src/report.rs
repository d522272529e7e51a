//! A result said to a coach and to a client: what was found, how, compared with whom, and how sure.

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::{Citation, Protocol},
    comparability,
    estimate::Working,
    inputs::{Inputs, Value},
    norms::{Bound, Standing, Tick},
    person::{Facts, Sex},
    pulse, quantity,
    range::{self, Range},
    reading,
    run::event::Conditions,
    self_report,
    test_record::{Flag, Outcome, Pass, TestRecord},
    typical_error::{Own, TypicalError},
    units::{Units, rounded},
};

/// Everything the result page says of one quantity.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct QuantityReport {
    /// The value is a bound: no attempt was missed, so there may be more.
    #[serde(default)]
    pub at_least: bool,
    /// Public key.
    pub key: String,
    /// What it is called.
    pub label: String,
    /// Unrounded; absent where it could not be computed.
    pub value: Option<f64>,
    /// As shown, without the unit.
    pub shown: String,
    pub unit: String,
    /// The method's name.
    pub method: String,
    /// Whether it is an estimate of something not measured.
    pub is_estimate: bool,
    /// Standard error of estimate as published, in the unit.
    pub see: Option<f64>,
    /// How far an estimate of VO2max may be off.
    #[serde(default)]
    pub range: Option<RangeReport>,
    /// Why it could not be computed.
    pub refused: Option<String>,
    /// The equation with the numbers in it.
    pub working: Option<Working>,
    /// What one beat of the count is worth here.
    pub resolution: Option<String>,
    /// Compared with whom.
    pub norms: Vec<NormReport>,
    /// The mark, where one holds.
    pub pass: Option<PassReport>,
    /// The measurement error of this measure.
    pub typical_error: Option<TypicalError>,
    /// For people over 60: the level under which living independently becomes hard, in the unit.
    pub independence: Option<f64>,
}

impl QuantityReport {
    /// Whether it is said aloud: what the test is about, and what stands not only in detail.
    pub fn is_heard(&self, protocol: &Protocol) -> bool {
        self.value.is_some() && (self.key == protocol.headline() || !protocol.scored(&self.key).is_some_and(|s| s.in_detail))
    }
}

/// How far an estimate of VO2max may be from what a laboratory would measure.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct RangeReport {
    /// Both ends of the 95 % range, mL/kg/min.
    pub low: f64,
    pub high: f64,
    /// In words: `95 % range 24 to 36 mL/kg/min`.
    pub sentence: String,
    /// What it is made of, the largest first.
    pub parts: Vec<RangePart>,
    /// Said where the range is too wide to be of use.
    pub warning: Option<String>,
}

/// One thing that an estimate may be off by.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct RangePart {
    pub words: String,
    /// One standard deviation, as shown with its unit.
    pub adds: String,
    pub source: Citation,
}

impl From<Range> for RangeReport {
    fn from(range: Range) -> Self {
        let unit = quantity::unit(range::QUANTITY);
        let part = |p: range::Part| RangePart { words: p.words.to_owned(), adds: format!("{:.1} {unit}", p.sd), source: p.source };
        Self {
            low: range.low,
            high: range.high,
            sentence: range::sentence(range.low, range.high),
            parts: range.parts.into_iter().map(part).collect(),
            warning: range::warning(range.low, range.high),
        }
    }
}

/// The VO2max under which living independently becomes hard, for someone over 60. Source: Shephard 2009; recalled.
fn independence(key: &str, facts: &Facts) -> Option<f64> {
    let over_60 = facts.age.is_some_and(|a| a.value() > 60.0);
    match (key, facts.sex) {
        ("vo2max", Some(Sex::Male)) if over_60 => Some(18.0),
        ("vo2max", Some(Sex::Female)) if over_60 => Some(15.0),
        _ => None,
    }
}

/// A value on a printed table's rule.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct NormReport {
    /// The table's id.
    pub table: String,
    /// The standing in a sentence.
    pub sentence: String,
    /// Whom the table describes.
    pub population: String,
    /// Said aloud where the table was made from other people.
    pub mismatch: Option<String>,
    /// The printed points.
    pub ticks: Vec<Tick>,
    /// Whether a smaller value is better.
    pub lower_is_better: bool,
    /// Author, title, year.
    pub source: String,
    /// Published, recalled.
    pub status: String,
}

/// A mark that is passed or not.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PassReport {
    /// Whether it is passed.
    pub met: bool,
    pub sentence: String,
    /// Who says so.
    pub source: Citation,
}

/// A condition as the page shows it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ConditionReport {
    /// Heading.
    pub label: String,
    /// Value with unit.
    pub value: String,
}

/// A result in words and numbers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ResultReport {
    /// One sentence: what was found.
    pub headline: String,
    /// Quantities, the one to hear first in front.
    pub quantities: Vec<QuantityReport>,
    /// What to keep in mind.
    pub flags: Vec<Flag>,
    /// Points that were not met.
    pub failed: Vec<FailedPoint>,
    /// The work that is commonly given for them.
    pub work: Option<String>,
    /// The circumstances.
    pub conditions: Vec<ConditionReport>,
}

/// A point of performance that was not met.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FailedPoint {
    /// What should have been, and on which side.
    pub point: String,
    /// What it is often behind.
    pub often: Option<String>,
}

/// The work that is commonly given. Source: rule of thumb of the trade.
const COMMON_WORK: &str = "Commonly given: exercises for it, three sets of ten after training, three times a week, then looked at again. \
                           “Often” is a rule of thumb, not a finding: pain or doubt goes to whoever treats it.";

/// The points that were not met, in the protocol's order, side by side.
pub fn failed_points(protocol: &Protocol, inputs: &Inputs) -> Vec<FailedPoint> {
    let mut failed = Vec::new();
    for input in protocol.inputs.iter().filter(|i| !i.points.is_empty()) {
        let sides = if input.sides.is_empty() { vec![None] } else { input.sides.iter().map(|s| Some(s.as_str())).collect() };
        for side in sides {
            let Some(Value::Points(points)) = inputs.value(&input.key).and_then(|v| v.of_side(side)) else { continue };
            let missed = input.points.iter().filter(|(key, _)| points.get(key) == Some(&false));
            failed.extend(missed.map(|(key, label)| FailedPoint {
                point: side.map_or_else(|| label.clone(), |side| format!("{label}, {side}")),
                often: input.often.get(key).cloned(),
            }));
        }
    }
    failed
}

/// Writes the report of a computed result in the units a person thinks in. `own` gives what the practice knows of a quantity.
pub fn report(
    record: &TestRecord,
    conditions: &Conditions,
    outcome: &Outcome<'_>,
    own: &dyn Fn(&str) -> Own,
    units: Units,
) -> ResultReport {
    let protocol = record.protocol;
    let mut quantities: Vec<QuantityReport> = protocol
        .scoring
        .iter()
        .rev()
        .map(|s| quantity_report(record, conditions, &s.quantity, outcome, &own(&s.quantity), units))
        .collect();
    // What was not taken and is not needed is not there.
    quantities.retain(|q| q.value.is_some() || q.refused.is_some() || !protocol.scored(&q.key).is_some_and(|s| s.optional));
    quantities.sort_by_key(|q| (q.value.is_none(), protocol.scored(&q.key).is_some_and(|s| s.in_detail)));
    let failed = failed_points(protocol, record.inputs);
    ResultReport {
        headline: headline(&quantities, protocol),
        quantities,
        flags: outcome.flags.clone(),
        work: (!failed.is_empty()).then(|| COMMON_WORK.to_owned()),
        failed,
        conditions: condition_reports(protocol, conditions, units),
    }
}

/// The conditions as shown.
pub fn condition_reports(protocol: &Protocol, conditions: &Conditions, units: Units) -> Vec<ConditionReport> {
    protocol
        .conditions
        .iter()
        .filter(|c| conditions.contains_key(&c.key))
        .map(|c| ConditionReport { label: c.label.clone(), value: comparability::answer_in(c, conditions.get(&c.key), units) })
        .chain(self_report::words(conditions).map(|words| ConditionReport { label: self_report::LABEL.into(), value: words.into() }))
        .collect()
}

fn quantity_report(record: &TestRecord, conditions: &Conditions, key: &str, outcome: &Outcome, own: &Own, units: Units) -> QuantityReport {
    let (protocol, facts, inputs) = (record.protocol, &record.facts, record.inputs);
    let scored = protocol.scored(key);
    let equation = outcome.equation(key).or_else(|| scored.map(|s| s.equation));
    let value = outcome.result(key).map(|e| e.value);
    let window = inputs.get("pulse_window_s").or_else(|| protocol.count().map(|c| f64::from(c.window_s)));
    QuantityReport {
        key: key.to_owned(),
        label: quantity::label(key).into_owned(),
        value,
        shown: value.map(|v| reading::shown(protocol, conditions, key, v, units)).unwrap_or_default(),
        at_least: quantity::is_bound(key, inputs),
        unit: quantity::in_units(key, 0.0, units).1.to_owned(),
        method: scored.map(|s| s.method_by(equation.unwrap_or(s.equation)).to_owned()).unwrap_or_default(),
        is_estimate: scored.is_some_and(|s| s.is_estimate_by(equation.unwrap_or(s.equation))),
        see: outcome.result(key).and_then(|e| e.see).map(|see| quantity::in_units(key, see, units).0),
        range: (key == range::QUANTITY).then(|| range::of(record, outcome)).flatten().map(RangeReport::from),
        refused: outcome.refused.iter().find(|(q, _)| *q == key).map(|(_, e)| e.message.clone()),
        working: equation.and_then(|e| e.working(key, record, outcome)),
        resolution: value.and(equation).and_then(|e| {
            let window = window?;
            let beat = pulse::resolution(window);
            // A rate is the same for both; an estimate exists only where the sex is on record.
            let worth = e.moves_by(beat, facts.sex.unwrap_or(Sex::Male))?;
            let digits = usize::from(e.is_estimate());
            Some(format!("± {} {} for one beat in {} s", rounded(worth, digits), quantity::unit(key), rounded(window, 0)))
        }),
        norms: outcome.norms.iter().filter(|(q, _)| *q == key).map(|(_, s)| norm_report(s, facts)).collect(),
        pass: outcome.passes.iter().find(|(q, _)| *q == key).and_then(|(_, p)| pass_report(protocol, key, *p, units)),
        typical_error: TypicalError::best(record, key, value, own),
        independence: independence(key, facts),
    }
}

/// The mark of a whole test: of two sides the worse one decides, and a side that was not done has not reached it.
pub fn pass_of_test(protocol: &Protocol, outcome: &Outcome, units: Units) -> Option<PassReport> {
    let (first, _) = outcome.passes.first()?;
    let of = quantity::base(first);
    let judged: Vec<&(&str, Pass)> = outcome.passes.iter().filter(|(q, _)| quantity::base(q) == of).collect();
    let whole = pass_report(protocol, first, judged[0].1, units)?;
    let sides: Vec<&str> = protocol
        .scoring
        .iter()
        .filter_map(|s| s.quantity.split_once('.'))
        .filter(|(q, side)| *q == of && *side != "difference")
        .map(|(_, side)| side)
        .collect();
    if sides.is_empty() {
        return Some(whole);
    }
    let met = |side: &str| judged.iter().any(|(q, pass)| q.split_once('.').is_some_and(|(_, s)| s == side) && pass.met);
    let open: Vec<&str> = sides.into_iter().filter(|side| !met(side)).collect();
    let mark = quantity::said(first, judged[0].1.mark, units);
    let sentence = match open.as_slice() {
        [] => format!("Target {mark} on each side: reached."),
        [one] => format!("Target {mark} on each side: not reached on the {one}."),
        _ => format!("Target {mark} on each side: not reached."),
    };
    Some(PassReport { met: open.is_empty(), sentence, ..whole })
}

/// A mark in words, in the units a person thinks in; nothing where the protocol has none for the quantity.
pub fn pass_report(protocol: &Protocol, key: &str, pass: Pass, units: Units) -> Option<PassReport> {
    let rule = protocol.pass.iter().find(|p| p.quantity == key || quantity::base(key) == p.quantity)?;
    let verdict = if pass.met { "reached" } else { "not reached" };
    let sentence = format!("Target {}: {verdict}.", quantity::said(key, pass.mark, units));
    Some(PassReport { met: pass.met, sentence, source: rule.source.clone() })
}

fn norm_report(standing: &Standing, facts: &Facts) -> NormReport {
    let table = standing.table;
    let mismatch = standing.mismatch.map(|field| match (field, facts.age) {
        ("sex", _) => "No sex is on record, so the table can’t be used.".to_owned(),
        (_, Some(age)) if standing.percentile.is_some() || standing.bound.is_some() => {
            format!("Made from people of {}; this client is {}. Read it as a rough guide only.", table.population, rounded(age.value(), 0))
        }
        (_, Some(age)) => format!("The table has no row for someone of {}.", rounded(age.value(), 0)),
        (_, None) => "No age is on record, so the table can’t be used.".to_owned(),
    });
    NormReport {
        table: table.id.to_owned(),
        sentence: standing_words(standing),
        population: table.population_for(facts),
        mismatch,
        ticks: table.ticks(facts),
        lower_is_better: table.lower_is_better(),
        source: table.source.clone(),
        status: table.status.clone(),
    }
}

/// What is said where a table covers nobody like this client.
pub const NO_STANDING: &str = "no standing";

/// A standing in words: `82nd percentile`, `above the 95th percentile`, `good`.
pub fn standing_words(standing: &Standing) -> String {
    if let Some(range) = standing.range {
        return range.place.words(standing.table.lower_is_better()).to_owned();
    }
    if let Some(mean) = standing.mean {
        return match mean.z {
            Some(z) if z.abs() < 0.05 => "at the mean".to_owned(),
            Some(z) => {
                format!("{} SD {} the mean of {}", rounded(z.abs(), 1), if z < 0.0 { "below" } else { "above" }, rounded(mean.value, 1))
            }
            None => format!("the mean is {}", rounded(mean.value, 1)),
        };
    }
    match (&standing.category, standing.percentile, standing.bound) {
        (Some(category), ..) => {
            standing.table.words.get(category.as_str()).map_or_else(|| category.replace('_', " "), |words| (*words).to_owned())
        }
        (_, Some(p), _) => format!("{} percentile", ordinal(p.round() as u32)),
        (_, _, Some(Bound::Above(p))) => format!("above the {} percentile", ordinal(p)),
        (_, _, Some(Bound::Below(p))) => format!("below the {} percentile", ordinal(p)),
        _ => NO_STANDING.to_owned(),
    }
}

fn ordinal(n: u32) -> String {
    let suffix = match (n % 10, n % 100) {
        (_, 11..=13) => "th",
        (1, _) => "st",
        (2, _) => "nd",
        (3, _) => "rd",
        _ => "th",
    };
    format!("{n}{suffix}")
}

/// Each value that stands not only in detail in a sentence of its own, the first with its standing.
fn headline(quantities: &[QuantityReport], protocol: &Protocol) -> String {
    let mut found = quantities.iter().filter(|q| q.is_heard(protocol));
    let Some(first) = found.next() else { return String::new() };
    let value = |q: &QuantityReport| {
        let bound = if q.at_least { "at least " } else { "" };
        let unit = if says_unit(&q.label, &q.unit) { "" } else { &q.unit };
        format!("{} {bound}{} {unit}", crate::text::capital(&q.label), q.shown).trim_end().to_owned()
    };
    let mut sentences = vec![match first.norms.iter().find(|n| n.sentence != NO_STANDING) {
        Some(norm) => {
            format!("{}: {} among {}.", value(first), norm.sentence, norm.population.split(';').next().unwrap_or(&norm.population))
        }
        None => format!("{}.", value(first)),
    }];
    sentences.extend(found.map(|q| format!("{}.", value(q))));
    sentences.join(" ")
}

/// Whether a label says its unit already: repetitions, in reps.
pub(crate) fn says_unit(label: &str, unit: &str) -> bool {
    unit.len() > 2 && label.starts_with(unit.trim_end_matches('s'))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::catalogue;
    use crate::{
        test_record::{Circumstances, Options, compute},
        units::Age,
    };
    use test_case::test_case;

    fn report_of(id: &str, sex: Option<Sex>, age: f64, pairs: &[(&str, f64)]) -> ResultReport {
        let protocol = catalogue::find(id).unwrap();
        let facts = Facts { sex, age: Some(Age::new(age).unwrap()), ..Facts::default() };
        let inputs: crate::test_record::Inputs = pairs.iter().map(|(k, v)| ((*k).to_owned(), *v)).collect();
        let record = TestRecord { protocol, facts, inputs: &inputs, options: Options::default(), circumstances: Circumstances::default() };
        let outcome = compute(&record).unwrap();
        report(&record, &Conditions::new(), &outcome, &|_| Own::default(), Units::Metric)
    }

    #[test]
    fn repetitions_are_not_said_to_be_reps() {
        let headline = |id: &str, pairs: &[(&str, f64)]| report_of(id, Some(Sex::Female), 70.0, pairs).headline;
        assert_eq!(headline("crunch-1min", &[("reps", 24.0)]), "Repetitions 24.");
        assert_eq!(headline("up-and-go", &[("time_s", 7.9)]).split(':').next(), Some("Time 7.9 s"));
    }

    /// 52.53 with 8.2 %: × e^±0.1607 is 44.7 to 61.7.
    #[test]
    fn an_estimate_says_how_far_it_may_be_off_and_a_reading_does_not() {
        let report = report_of("bench-step-3min", Some(Sex::Male), 22.0, &[("pulse_count", 35.0)]);
        let range = report.quantities[0].range.clone().unwrap();
        assert_eq!(range.sentence, "95 % range 45 to 62 mL/kg/min");
        assert_eq!((range.parts.len(), range.parts[0].adds.as_str(), range.warning), (1, "4.3 mL/kg/min", None));
        assert_eq!(report.quantities[1].range, None);
    }

    #[test]
    fn a_mark_is_passed_by_the_worse_of_two_sides() {
        let stance = catalogue::find("one-leg-stance").unwrap();
        let judged = |seconds: serde_json::Value| {
            let inputs = serde_json::from_value(serde_json::json!({ "seconds": seconds, "eyes": "open" })).unwrap();
            let outcome = crate::test_record::compute(&TestRecord::of(stance, Facts::default(), &inputs)).unwrap();
            let pass = pass_of_test(stance, &outcome, Units::Metric).unwrap();
            (pass.met, pass.sentence)
        };
        assert_eq!(
            judged(serde_json::json!({ "left": [9.0], "right": [12.0] })),
            (false, "Target 10 s on each side: not reached on the left.".into())
        );
        assert_eq!(
            judged(serde_json::json!({ "left": [12.0], "right": [9.0] })),
            (false, "Target 10 s on each side: not reached on the right.".into())
        );
        assert!(judged(serde_json::json!({ "left": [10.0], "right": [12.0] })).0);
    }

    #[test]
    fn a_number_is_never_alone() {
        let report = report_of("bench-step-3min", Some(Sex::Male), 52.0, &[("pulse_count", 35.0)]);
        let vo2 = &report.quantities[0];
        assert_eq!((vo2.key.as_str(), vo2.shown.as_str(), vo2.unit.as_str()), ("vo2max", "52.5", "mL/kg/min"));
        assert_eq!(vo2.resolution.as_deref(), Some("± 1.7 mL/kg/min for one beat in 15 s"));
        assert_eq!(report.quantities[1].resolution.as_deref(), Some("± 4 bpm for one beat in 15 s"));
        assert!(vo2.working.is_some() && vo2.typical_error.is_some());
        assert_eq!(vo2.norms[0].sentence, "above the 95th percentile");
        assert!(
            report.headline.contains("VO₂max 52.5 mL/kg/min: above the 95th percentile among men of 50 to 59, measured on a treadmill. Recovery heart rate 140 bpm."),
            "{}",
            report.headline
        );
    }

    #[test]
    fn a_college_table_for_a_man_of_52_says_so() {
        let report = report_of("bench-step-3min", Some(Sex::Male), 52.0, &[("pulse_count", 35.0)]);
        let college = &report.quantities[1].norms[0];
        assert_eq!(college.sentence, "80th percentile");
        assert!(college.mismatch.as_deref().unwrap().contains("this client is 52"));
    }

    #[test]
    fn without_sex_the_estimate_says_why_it_is_missing() {
        let report = report_of("bench-step-3min", None, 30.0, &[("pulse_count", 35.0)]);
        assert_eq!(report.quantities[0].key, "recovery_hr");
        assert!(report.quantities[1].refused.as_deref().unwrap().contains("men and women"));
        assert_eq!(report.headline, "Recovery heart rate 140 bpm.");
    }

    #[test]
    fn a_category_is_said_in_words() {
        let report = report_of("low-step-3min", Some(Sex::Female), 70.0, &[("recovery_hr", 110.0)]);
        assert!(
            report.headline.starts_with("Recovery heart rate 110 bpm: above average among women of 66 and over"),
            "{}",
            report.headline
        );
    }

    #[test_case(1, "1st"; "first")]
    #[test_case(42, "42nd"; "second")]
    #[test_case(13, "13th"; "thirteenth")]
    fn ordinals(n: u32, text: &str) {
        assert_eq!(ordinal(n), text);
    }
}
