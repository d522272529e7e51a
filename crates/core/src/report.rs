//! A result said to a coach and to a client: what was found, how, compared with whom, and how sure.

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};

use crate::{
    alike::{self, Point, Unlike},
    catalogue::{Citation, Protocol},
    change::{self, Comparison},
    estimate::Working,
    inputs::{Inputs, Value},
    norms::{Bound, Standing, Tick},
    person::{Facts, Sex},
    pulse, quantity,
    run::event::Conditions,
    trial::{Flag, Outcome, Pass, Trial},
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
    /// Its unit.
    pub unit: String,
    /// The method's name.
    pub method: String,
    /// Whether it is an estimate of something not measured.
    pub is_estimate: bool,
    /// Standard error of estimate as published, in the unit.
    pub see: Option<f64>,
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
    /// The wobble of this measure.
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
    /// In a sentence.
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
pub fn report(trial: &Trial, conditions: &Conditions, outcome: &Outcome<'_>, own: &dyn Fn(&str) -> Own, units: Units) -> ResultReport {
    let protocol = trial.protocol;
    let mut quantities: Vec<QuantityReport> =
        protocol.scoring.iter().rev().map(|s| quantity_report(trial, &s.quantity, outcome, &own(&s.quantity), units)).collect();
    // What was not taken and is not needed is not there.
    quantities.retain(|q| q.value.is_some() || q.refused.is_some() || !protocol.scored(&q.key).is_some_and(|s| s.optional));
    quantities.sort_by_key(|q| (q.value.is_none(), protocol.scored(&q.key).is_some_and(|s| s.in_detail)));
    let failed = failed_points(protocol, trial.inputs);
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
        .map(|c| ConditionReport { label: c.label.clone(), value: alike::answer_in(c, conditions.get(&c.key), units) })
        .collect()
}

fn quantity_report(trial: &Trial, key: &str, outcome: &Outcome, own: &Own, units: Units) -> QuantityReport {
    let (protocol, facts, inputs) = (trial.protocol, &trial.facts, trial.inputs);
    let scored = protocol.scored(key);
    let equation = outcome.equation(key).or_else(|| scored.map(|s| s.equation));
    let value = outcome.result(key).map(|e| e.value);
    let window = inputs.get("pulse_window_s").or_else(|| protocol.count().map(|c| f64::from(c.window_s)));
    QuantityReport {
        key: key.to_owned(),
        label: quantity::label(key).into_owned(),
        value,
        shown: value.map(|v| quantity::shown_in(key, v, units)).unwrap_or_default(),
        at_least: quantity::is_bound(key, inputs),
        unit: quantity::in_units(key, 0.0, units).1.to_owned(),
        method: scored.map(|s| s.method_by(equation.unwrap_or(s.equation)).to_owned()).unwrap_or_default(),
        is_estimate: scored.is_some_and(|s| s.is_estimate_by(equation.unwrap_or(s.equation))),
        see: outcome.result(key).and_then(|e| e.see).map(|see| quantity::in_units(key, see, units).0),
        refused: outcome.refused.iter().find(|(q, _)| *q == key).map(|(_, e)| e.message.clone()),
        working: equation.and_then(|e| e.working(key, trial, outcome)),
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
        typical_error: TypicalError::best(trial, key, value, own),
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
        ("sex", _) => "No sex is on record, so no standing can be given.".to_owned(),
        (_, Some(age)) if standing.percentile.is_some() || standing.bound.is_some() => {
            format!("Made from people of {}; this client is {}. Read it as a rough guide only.", table.population, rounded(age.value(), 0))
        }
        (_, Some(age)) => format!("The table has no row for someone of {}.", rounded(age.value(), 0)),
        (_, None) => "No age is on record, so no standing can be given.".to_owned(),
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
/// Said where a table gives no standing.
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

pub(crate) fn ordinal(n: u32) -> String {
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
    let value = |q: &QuantityReport| format!("{} {} {}", crate::text::capital(&q.label), q.shown, q.unit).trim_end().to_owned();
    let mut sentences = vec![match first.norms.iter().find(|n| n.sentence != NO_STANDING) {
        Some(norm) => {
            format!("{}: {} among {}.", value(first), norm.sentence, norm.population.split(';').next().unwrap_or(&norm.population))
        }
        None => format!("{}.", value(first)),
    }];
    sentences.extend(found.map(|q| format!("{}.", value(q))));
    sentences.join(" ")
}

/// The result before this one and the first of all, compared with it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Progress {
    /// Since the last result that can be compared, else since the last one with the reasons why not.
    pub since_last: Option<Comparison>,
    /// Since the first result that can be compared; absent where that is the same as `since_last`.
    pub since_first: Option<Comparison>,
}

/// Compares a result with those before it. `earlier` in order of date.
pub fn progress(protocol: &Protocol, key: &str, earlier: &[Point], now: &Point, typical_error: Option<&TypicalError>) -> Progress {
    if protocol.change_rule(key).is_some_and(|rule| !rule.follows(&now.conditions)) {
        return Progress { since_last: None, since_first: None };
    }
    let earlier: Vec<&Point> = earlier.iter().filter(|p| alike::is_of_series(protocol, &p.conditions, &now.conditions)).collect();
    let alike: Vec<&Point> = earlier.iter().copied().filter(|p| alike::unlike(protocol, p, now).is_empty()).collect();
    let with = |then: &Point| change::compare(protocol, key, then, now, typical_error);
    let last = alike.last().copied().or_else(|| earlier.last().copied());
    let first = alike.first().copied().filter(|f| last.is_some_and(|l| l.on != f.on));
    Progress { since_last: last.map(with), since_first: first.map(with) }
}

/// What is the same and what is different from last time, for set-up.
pub fn since_last_setup(protocol: &Protocol, then: &Conditions, now: &Conditions, units: Units) -> Vec<Unlike> {
    let point = |conditions: &Conditions| Point {
        on: chrono::NaiveDate::default(),
        value: 0.0,
        method: String::new(),
        conditions: conditions.clone(),
        ..Point::default()
    };
    alike::unlike_in(protocol, &point(then), &point(now), units).into_iter().filter(|u| now.contains_key(&u.key)).collect()
}

/// One row of the change ladder: a measure from first to now, in steps of what the test can detect.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Rung {
    /// The protocol.
    pub protocol: String,
    /// Its display name.
    pub name: String,
    /// The quantity, in words.
    pub label: String,
    /// From first to now.
    pub change: Comparison,
    /// The first value as shown.
    pub first_shown: String,
    /// Today's value as shown.
    pub now_shown: String,
    /// The unit.
    pub unit: String,
    /// Whether it is the quantity that the test is heard through first.
    pub is_headline: bool,
}

/// A row of the ladder for a change.
pub fn rung(protocol: &Protocol, key: &str, change: Comparison) -> Rung {
    Rung {
        protocol: protocol.id.clone(),
        name: protocol.name.clone(),
        label: quantity::label(key).into_owned(),
        first_shown: quantity::shown(key, change.from),
        now_shown: quantity::shown(key, change.to),
        unit: quantity::unit_shown(key).to_owned(),
        is_headline: protocol.headline() == key,
        change,
    }
}

/// Opens a client's page: what happened since the first tests, in plain words. `today` dates the first test; each test
/// speaks once, through the quantity a client hears first.
pub fn story(rungs: &[Rung], tests: usize, today: NaiveDate) -> String {
    use change::Verdict as V;
    let spoken: Vec<&Rung> = rungs.iter().filter(|r| r.is_headline).collect();
    match (tests, spoken.iter().map(|r| r.change.from_on).min()) {
        (0, _) => "No test yet. Start with readiness, then choose a test.".to_owned(),
        (1, _) | (_, None) => "One test so far. The next one, under the same conditions, will show the change.".to_owned(),
        _ if spoken.iter().all(|r| r.change.verdict == V::NotComparable) => {
            "The tests so far were done differently from each other, so no change is claimed.".to_owned()
        }
        (_, Some(first)) => {
            let alike = |r: &Rung| spoken.iter().filter(|o| o.label == r.label).count() > 1;
            // What nothing is known of is said only where there is nothing else to say.
            let is_judged = |r: &&&Rung| r.change.verdict != V::NoVerdict;
            let judged = spoken.iter().any(|r| is_judged(&r) && r.change.verdict != V::NotComparable);
            let counted = |r: &&&Rung| (!judged || is_judged(r)) && r.change.verdict != V::NotComparable;
            let first = spoken.iter().filter(counted).map(|r| r.change.from_on).min().unwrap_or(first);
            let weeks = |from: NaiveDate| ((today - from).num_days() / 7).max(1);
            // Each comparison says its own length where it is not the whole one.
            let own_length = |r: &Rung| Some(weeks(r.change.from_on)).filter(|w| *w != weeks(first));
            let heard = spoken.iter().filter(|r| !judged || is_judged(r));
            let said: Vec<String> = heard.filter_map(|r| spoken_change(r, alike(r), own_length(r))).collect();
            let weeks = weeks(first);
            format!("Since the first test, {} ago: {}.", crate::text::plural(weeks, "week"), crate::text::list(&said))
        }
    }
}

/// One measure's change as part of the story; nothing where the two are not compared. `weeks`: over how many, where it is not as long
/// as the story.
fn spoken_change(rung: &Rung, by_test: bool, weeks: Option<i64>) -> Option<String> {
    use change::Verdict as V;
    let verb = match rung.change.verdict {
        V::ClearGain => "clearly improved",
        V::PossibleGain => "may have improved",
        V::ClearChange => "clearly changed",
        V::PossibleChange => "may have changed",
        V::ClearLoss => "clearly got worse",
        V::PossibleLoss => "may have got worse",
        V::WithinNoise => "did not change by more than measurement error",
        V::NoVerdict => "changed, by how much for real is not known",
        V::NotComparable => return None,
    };
    let what = match (quantity::is_generic(&rung.change.quantity), by_test) {
        (true, _) => match rung.change.quantity.split_once('.') {
            Some((_, side)) => format!("{}, {side},", rung.name),
            None => rung.name.clone(),
        },
        (false, true) => format!("{} by the {}", rung.label, rung.name),
        (false, false) => rung.label.clone(),
    };
    let now = quantity::beside(&rung.now_shown, &rung.unit);
    let length = weeks.map(|w| format!(", in {}", crate::text::plural(w, "week"))).unwrap_or_default();
    Some(format!("{what} {verb} ({} → {}{length})", rung.first_shown, now))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::catalogue;
    use crate::{
        run::event::Answer,
        trial::{Circumstances, Options, compute},
        units::Age,
    };
    use test_case::test_case;

    fn report_of(id: &str, sex: Option<Sex>, age: f64, pairs: &[(&str, f64)]) -> ResultReport {
        let protocol = catalogue::find(id).unwrap();
        let facts = Facts { sex, age: Some(Age::new(age).unwrap()), ..Facts::default() };
        let inputs: crate::trial::Inputs = pairs.iter().map(|(k, v)| ((*k).to_owned(), *v)).collect();
        let trial = Trial { protocol, facts, inputs: &inputs, options: Options::default(), circumstances: Circumstances::default() };
        let outcome = compute(&trial).unwrap();
        report(&trial, &Conditions::new(), &outcome, &|_| Own::default(), Units::Metric)
    }

    #[test]
    fn a_mark_is_passed_by_the_worse_of_two_sides() {
        let stance = catalogue::find("one-leg-stance").unwrap();
        let judged = |seconds: serde_json::Value| {
            let inputs = serde_json::from_value(serde_json::json!({ "seconds": seconds, "eyes": "open" })).unwrap();
            let outcome = crate::trial::compute(&Trial::of(stance, Facts::default(), &inputs)).unwrap();
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

    fn point(on: &str, value: f64, bench: f64) -> Point {
        let conditions = Conditions::from([("bench_cm".to_owned(), Answer::Number(bench))]);
        Point { on: on.parse().unwrap(), value, method: "m".into(), conditions, ..Point::default() }
    }

    #[test]
    fn several_styles_in_one_go_are_told_by_their_parts() {
        let push_up = catalogue::find("push-up").unwrap();
        let point = |on: &str, style: &str, quantity: &str, value: f64| Point {
            on: on.parse().unwrap(),
            value,
            method: "push-up/1".into(),
            conditions: [("style".to_owned(), Answer::Text(style.into()))].into(),
            quantity: quantity.into(),
            ..Point::default()
        };
        // 12 + 8 + 3, then 15 + 8: the total is the same, and the client got better.
        let total =
            progress(push_up, "reps", &[point("2026-03-01", "mixed", "reps", 23.0)], &point("2026-04-01", "mixed", "reps", 23.0), None);
        assert_eq!(total.since_last, None);
        let toes = |reps| point(if reps < 14.0 { "2026-03-01" } else { "2026-04-01" }, "mixed", "reps_toes", reps);
        assert_eq!(progress(push_up, "reps_toes", &[toes(12.0)], &toes(15.0), None).since_last.unwrap().difference, 3.0);
        // In one style it is the repetitions, once.
        let one = |q: &str| progress(push_up, q, &[point("2026-03-01", "toes", q, 20.0)], &point("2026-04-01", "toes", q, 22.0), None);
        assert!(one("reps").since_last.is_some() && one("reps_toes").since_last.is_none());
    }

    #[test]
    fn a_lift_without_a_spotter_is_compared_all_the_same() {
        let lift = catalogue::find("one-rm").unwrap();
        let point = |on: &str, value: f64, spotter: bool| Point {
            on: on.parse().unwrap(),
            value,
            method: "one-rm/1".into(),
            conditions: [("spotter".to_owned(), Answer::YesNo(spotter))].into(),
            quantity: "one_rm_kg".into(),
            ..Point::default()
        };
        let told = progress(lift, "one_rm_kg", &[point("2026-05-10", 95.0, true)], &point("2026-11-10", 100.0, false), None);
        assert_eq!(told.since_last.unwrap().difference, 5.0);
    }

    #[test]
    fn a_hold_that_was_capped_is_compared_by_its_shake_and_its_form() {
        let plank = catalogue::find("plank").unwrap();
        let changed = |limit: &str, quantity: &str, from: f64, to: f64| {
            let point = |on: &str, value: f64| Point {
                on: on.parse().unwrap(),
                value,
                method: "plank/1".into(),
                conditions: [("limit_s".to_owned(), Answer::Text(limit.into()))].into(),
                quantity: quantity.into(),
                ..Point::default()
            };
            progress(plank, quantity, &[point("2026-03-01", from)], &point("2026-06-01", to), None).since_last.map(|c| c.difference)
        };
        assert_eq!((changed("30", "seconds", 30.0, 30.0), changed("30", "shake_s", 11.0, 13.0)), (None, Some(2.0)));
        assert_eq!((changed("30", "break_s", 16.0, 21.0), changed("to_failure", "seconds", 88.0, 95.0)), (Some(5.0), Some(7.0)));
    }

    #[test]
    fn progress_skips_what_cannot_be_compared() {
        let protocol = catalogue::find("bench-step-3min").unwrap();
        let earlier = [point("2026-01-05", 150.0, 41.3), point("2026-04-05", 146.0, 41.3), point("2026-08-05", 120.0, 36.0)];
        let now = point("2026-11-05", 132.0, 41.3);
        let te = TypicalError::from_publication(protocol, "recovery_hr", &Facts { sex: Some(Sex::Male), ..Facts::default() }, None);
        let progress = progress(protocol, "recovery_hr", &earlier, &now, te.as_ref());
        assert_eq!(progress.since_last.unwrap().from, 146.0);
        assert_eq!(progress.since_first.unwrap().verdict, change::Verdict::ClearGain);
    }

    #[test]
    fn with_nothing_alike_the_last_test_is_named_with_its_reasons() {
        let protocol = catalogue::find("bench-step-3min").unwrap();
        let progress = progress(protocol, "recovery_hr", &[point("2026-08-05", 120.0, 36.0)], &point("2026-11-05", 132.0, 41.3), None);
        assert_eq!(progress.since_last.unwrap().unlike[0].key, "bench_cm");
        assert_eq!(progress.since_first, None);
    }

    #[test]
    fn the_story_is_told_even_before_there_is_one() {
        assert!(story(&[], 0, NaiveDate::default()).starts_with("No test yet"));
        assert!(story(&[], 1, NaiveDate::default()).starts_with("One test so far"));
    }

    #[test]
    fn the_story_speaks_of_each_test_once() {
        let protocol = catalogue::find("bench-step-3min").unwrap();
        let te = |q| TypicalError::from_publication(protocol, q, &Facts { sex: Some(Sex::Male), ..Facts::default() }, None);
        let rungs: Vec<Rung> = [("recovery_hr", 156.0, 132.0), ("vo2max", 45.8, 55.9)]
            .map(|(q, from, to)| {
                rung(
                    protocol,
                    q,
                    change::compare(protocol, q, &point("2026-01-05", from, 41.3), &point("2026-06-05", to, 41.3), te(q).as_ref()),
                )
            })
            .into();
        assert_eq!(
            story(&rungs, 2, "2026-11-23".parse().unwrap()),
            "Since the first test, 46 weeks ago: VO₂max clearly improved (45.8 → 55.9 mL/kg/min)."
        );
        // A comparison over four weeks does not stand under the forty-six of another.
        let mut later = rungs[1].clone();
        later.label = "distance".into();
        later.change.from_on = "2026-10-26".parse().unwrap();
        let both = story(&[rungs[1].clone(), later], 4, "2026-11-23".parse().unwrap());
        assert!(both.contains("46 weeks ago") && both.contains("distance clearly improved (45.8 → 55.9 mL/kg/min, in 4 weeks)"), "{both}");
    }
}
