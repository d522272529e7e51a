//! How a person's measures have gone: since last time, since the first time, and over all tests.

mod ladder;
mod series;

use std::{borrow::Cow, collections::BTreeMap};

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::{
    catalogue::{Condition, ConditionKind, Protocol, Scoring},
    change::{self, Comparison},
    comparability::{self, Point, Unlike, unlike},
    conditions::Conditions,
    done::Done,
    life_event::LifeEvent,
    quantity, range,
    report::ResultReport,
    text,
    typical_error::{Own, Repeats, TypicalError},
    units::Units,
};

pub use self::{
    ladder::{Rung, ladder, rung, story},
    series::{series, series_name, series_title},
};

/// What a practice knows by itself of its measures: its own repeats and what it typed in, by protocol and measure.
pub type Known = BTreeMap<String, BTreeMap<String, Own>>;

/// What a sentence to a person takes into account.
#[derive(Debug, Clone, Default)]
pub struct Audience {
    /// Events in the client’s life.
    pub noted: Vec<LifeEvent>,
    /// The units it is said in.
    pub units: Units,
}

impl Audience {
    /// Words a change for the person.
    pub fn word(&self, change: Comparison) -> Comparison {
        let mut worded = change.in_units(self.units);
        worded.remember(&self.noted);
        worded
    }
}

/// How much a measure of a test moves by itself, by the best that is known; `own`: what the practice knows of the protocol.
pub fn typical_error(protocol: &Protocol, done: &Done, quantity: &str, own: Option<&BTreeMap<String, Own>>) -> Option<TypicalError> {
    let own = own.and_then(|of| of.get(quantity)).cloned().unwrap_or_default();
    TypicalError::best(&done.record(protocol), quantity, done.value(quantity), &own)
}

/// A measure's repeats among the tests of one person, in the order they were taken.
pub fn repeats<'r>(protocol: &Protocol, tests: impl IntoIterator<Item = &'r Done>, quantity: &str) -> Repeats {
    let points: Vec<_> = tests.into_iter().filter_map(|r| r.point(quantity)).collect();
    Repeats::among(protocol, &points)
}

/// How a measure of a test stands against the same person's earlier ones; `history`: theirs, oldest first, of any test.
pub fn of_test<'r>(
    protocol: &Protocol,
    done: &Done,
    history: impl IntoIterator<Item = &'r Done>,
    quantity: &str,
    typical_error: Option<&TypicalError>,
    audience: &Audience,
) -> Option<Progress> {
    let (now, earlier) = points(done, history, quantity)?;
    let Progress { since_last, since_first } = progress(protocol, quantity, &earlier, &now, typical_error);
    Some(Progress { since_last: since_last.map(|c| audience.word(c)), since_first: since_first.map(|c| audience.word(c)) })
}

/// How a measure of a test compares with the last time alone, judged and with no sentence yet: for where many are looked at. As [`of_test`].
pub fn since_last<'r>(
    protocol: &Protocol,
    done: &Done,
    history: impl IntoIterator<Item = &'r Done>,
    quantity: &str,
    typical_error: Option<&TypicalError>,
) -> Option<Comparison> {
    let (now, earlier) = points(done, history, quantity)?;
    let last = last_and_first(protocol, quantity, &earlier, &now).0?;
    Some(change::judged(protocol, quantity, last, &now, typical_error))
}

/// A measure of a test as comparison sees it, and of those before it.
fn points<'p, 'r: 'p>(
    done: &'p Done,
    history: impl IntoIterator<Item = &'r Done>,
    quantity: &'p str,
) -> Option<(Point<'p>, Vec<Point<'p>>)> {
    let now = done.point(quantity)?;
    Some((now, history.into_iter().filter(|r| r.is_earlier(done)).filter_map(|r| r.point(quantity)).collect()))
}

/// The changes of a test, measure by measure.
#[derive(Debug, Clone, Default)]
pub struct Changes {
    /// Since the last comparable time.
    pub since_last: Vec<Comparison>,
    pub since_first: Vec<Comparison>,
}

/// Every followed measure of a test compared with the last time and with the first.
pub fn changes<'r>(
    protocol: &Protocol,
    done: &Done,
    history: impl IntoIterator<Item = &'r Done> + Clone,
    report: &ResultReport,
    audience: &Audience,
) -> Changes {
    let mut changes = Changes::default();
    for q in report.quantities.iter().filter(|q| q.value.is_some() && protocol.change_rule(&q.key).is_some()) {
        if let Some(progress) = of_test(protocol, done, history.clone(), &q.key, q.typical_error.as_ref(), audience) {
            changes.since_last.extend(progress.since_last);
            changes.since_first.extend(progress.since_first);
        }
    }
    changes
}

/// The measures of a test that are followed over its dates as it was done last: what it is about, else what stands in its details, as
/// the shake of a plank that ends at 30 seconds.
pub fn followed<'p>(protocol: &'p Protocol, latest: Option<&Done>) -> Vec<&'p Scoring> {
    let follows = |s: &&Scoring| {
        let rule = protocol.change_rule(&s.quantity);
        rule.is_some_and(|rule| latest.is_none_or(|r| rule.follows(&r.conditions)))
    };
    let of = |in_detail: bool| protocol.scoring.iter().rev().filter(|s| s.in_detail == in_detail).filter(follows).collect::<Vec<_>>();
    let about = of(false);
    if about.is_empty() { of(true) } else { about }
}

/// The earlier tests that were done alike, the latest first. What is done in attempts has variants and names: only one of the same is
/// last time. `conditions`: those of the test that is to come; `history`: of this protocol, oldest first.
pub fn last_comparable<'r>(
    protocol: &Protocol,
    conditions: &Conditions,
    history: impl DoubleEndedIterator<Item = &'r Done>,
) -> Vec<&'r Done> {
    let tells_apart =
        |c: &&Condition| c.is_series || c.kind == ConditionKind::Choice && !c.note || c.kind == ConditionKind::Text && c.required;
    let told_apart = protocol.conditions.iter().filter(tells_apart);
    let is_alike = |r: &&Done| {
        protocol.legs().is_empty()
            || told_apart.clone().all(|c| !comparability::differs(c, r.conditions.get(&c.key), conditions.get(&c.key)))
    };
    history.rev().filter(is_alike).collect()
}

/// Both ends of a range, in the measure's unit.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Bounds {
    pub low: f64,
    pub high: f64,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TrendPoint {
    pub result: Uuid,
    /// The day.
    pub on: NaiveDate,
    /// The value; absent for a test without a reading.
    pub value: Option<f64>,
    pub shown: String,
    /// The 95 % range of an estimate of VO2max.
    #[serde(default)]
    pub range: Option<Bounds>,
    /// Where it cannot be compared with the latest: how it was different.
    pub unlike: Vec<Unlike>,
    /// How it ended early, where it did.
    pub stopped: Option<String>,
}

/// How far the VO2max of a test may be off.
fn range_of(protocol: &Protocol, done: &Done) -> Option<Bounds> {
    range::of_record(&done.record(protocol)).map(|r| Bounds { low: r.low, high: r.high })
}

/// A measure over time, in the units a person thinks in. `history`: the tests of one protocol, oldest first.
pub fn trend<'r>(
    protocol: &Protocol,
    key: &str,
    history: impl DoubleEndedIterator<Item = &'r Done> + Clone,
    units: Units,
) -> Vec<TrendPoint> {
    let now = history.clone().rev().find_map(|r| r.point(key));
    let point = |r: &Done| {
        let point = r.point(key);
        TrendPoint {
            result: r.id,
            on: r.on,
            value: point.as_ref().map(|p| quantity::in_units(key, p.value, units).0),
            shown: point.as_ref().map(|p| quantity::shown_in(key, p.value, units)).unwrap_or_default(),
            range: (key == range::QUANTITY && r.is_scored()).then(|| range_of(protocol, r)).flatten(),
            unlike: point.zip(now.as_ref()).map(|(p, n)| unlike(protocol, &p, n)).unwrap_or_default(),
            stopped: r.stopped.as_ref().map(crate::done::Stop::sentence),
        }
    };
    history.map(point).collect()
}

/// What a measure of a test is looked for by, and what says it closer: “Waist” of “Body measures”, “Plank” and its “time held”.
fn titled(protocol: &Protocol, key: &str) -> (String, String) {
    let label = quantity::label(key);
    if !quantity::is_generic(key) {
        return (text::capital(&label), protocol.name.clone());
    }
    let title = quantity::side(key).map_or_else(|| protocol.name.clone(), |side| format!("{}, {side}", protocol.name));
    (title, quantity::label(quantity::base(key)).into_owned())
}

/// A measure over all times it was taken, in short.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct MeasureSummary {
    pub protocol: String,
    pub quantity: String,
    /// What it is looked for by.
    pub title: String,
    /// What says it closer.
    pub detail: String,
    pub unit: String,
    /// How often it was taken.
    pub times: usize,
    /// The first time, where there were several.
    pub first: Option<ValueOn>,
    /// The best time, where one way is better and there were several.
    pub best: Option<ValueOn>,
    /// The last time.
    pub last: ValueOn,
}

/// A value of a day.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ValueOn {
    pub result: Uuid,
    /// The day.
    pub on: NaiveDate,
    /// As shown, without the unit.
    pub shown: String,
}

/// The measures of these tests, the one that was taken last in front. `history`: everything that was done, oldest first.
pub fn summaries<'p>(protocols: impl IntoIterator<Item = &'p Protocol>, history: &[&Done], units: Units) -> Vec<MeasureSummary> {
    let mut found = Vec::new();
    for protocol in protocols {
        let of_protocol = history.iter().copied().filter(|r| r.protocol_id == protocol.id && r.is_scored());
        let all = series(protocol, of_protocol);
        let measures = all.iter().flat_map(|of| followed(protocol, of.last().copied()).into_iter().map(move |scored| (of, scored)));
        for (of_series, scored) in measures {
            let key = &scored.quantity;
            if quantity::side(key) == Some("difference") {
                continue;
            }
            let times: Vec<(&Done, f64)> = of_series.iter().filter_map(|r| Some((*r, r.value(key)?))).collect();
            let (Some(first), Some(last)) = (times.first(), times.last()) else { continue };
            let taken =
                |(done, value): &(&Done, f64)| ValueOn { result: done.id, on: done.on, shown: quantity::shown_in(key, *value, units) };
            let merit = |value: f64| if quantity::lower_is_better(key) { -value } else { value };
            let better = |a: &&(&Done, f64), b: &&(&Done, f64)| merit(a.1).total_cmp(&merit(b.1));
            let several = times.len() > 1;
            let (title, mut detail) = titled(protocol, key);
            if let Some(name) = series_name(protocol, &last.0.conditions) {
                detail = format!("{detail}, {name}");
            }
            found.push(MeasureSummary {
                protocol: protocol.id.clone(),
                quantity: key.clone(),
                title,
                detail,
                unit: quantity::in_units(key, 0.0, units).1.to_owned(),
                times: times.len(),
                first: several.then(|| taken(first)),
                best: times.iter().max_by(better).filter(|_| several && quantity::better(key).is_some()).map(taken),
                last: taken(last),
            });
        }
    }
    found.sort_by_key(|one| std::cmp::Reverse(one.last.on));
    found
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

impl Progress {
    /// The same as a page shows it, in the units a person thinks in.
    #[must_use]
    pub fn shown_in(self, units: Units) -> Self {
        let shown = |change: Option<Comparison>| change.map(|c| c.shown_in(units));
        Self { since_last: shown(self.since_last), since_first: shown(self.since_first) }
    }
}

/// Compares a result with those before it. `earlier` in order of date.
pub fn progress(protocol: &Protocol, key: &str, earlier: &[Point<'_>], now: &Point<'_>, typical_error: Option<&TypicalError>) -> Progress {
    let with = |then: &Point<'_>| change::compare(protocol, key, then, now, typical_error);
    let (last, first) = last_and_first(protocol, key, earlier, now);
    Progress { since_last: last.map(with), since_first: first.map(with) }
}

/// What a result is compared with: the last one that was done alike, or the last at all; and the first that was done alike, on another day.
fn last_and_first<'p>(
    protocol: &Protocol,
    key: &str,
    earlier: &'p [Point<'p>],
    now: &Point<'_>,
) -> (Option<&'p Point<'p>>, Option<&'p Point<'p>>) {
    if protocol.change_rule(key).is_some_and(|rule| !rule.follows(&now.conditions)) {
        return (None, None);
    }
    let earlier: Vec<&Point<'_>> =
        earlier.iter().filter(|p| comparability::is_of_series(protocol, &p.conditions, &now.conditions)).collect();
    let comparable: Vec<&Point<'_>> = earlier.iter().copied().filter(|p| comparability::unlike(protocol, p, now).is_empty()).collect();
    let last = comparable.last().copied().or_else(|| earlier.last().copied());
    let first = comparable.first().copied().filter(|f| last.is_some_and(|l| l.on != f.on));
    (last, first)
}

/// What is the same and what is different from last time, for set-up.
pub fn since_last_setup(protocol: &Protocol, then: &Conditions, now: &Conditions, units: Units) -> Vec<Unlike> {
    let point = |conditions| Point { conditions: Cow::Borrowed(conditions), ..Point::default() };
    comparability::unlike_in(protocol, &point(then), &point(now), units).into_iter().filter(|u| now.contains_key(&u.key)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{
        catalogue,
        conditions::Answer,
        done::tests::done,
        person::{Facts, Sex},
    };
    use serde_json::json;

    pub(super) fn hold(on: &str, seconds: f64, limit: &str) -> Done {
        let mut held = done("plank", on, &json!({ "seconds": seconds, "support": "forearm" }));
        held.conditions.insert("limit_s".into(), Answer::Text(limit.into()));
        held
    }

    #[test]
    fn a_measure_is_told_by_its_first_its_best_and_its_last_time() {
        let tests =
            [hold("2026-01-05", 60.0, "to_failure"), hold("2026-03-05", 95.0, "to_failure"), hold("2026-06-05", 80.0, "to_failure")];
        let waist = |on: &str, cm: f64| done("body", on, &json!({ "waist_cm": cm, "neck_cm": 40 }));
        let (before, after) = (waist("2026-02-01", 101.0), waist("2026-07-01", 98.5));
        let all: Vec<&Done> = tests.iter().chain([&before, &after]).collect();
        let told = summaries(catalogue::all(), &all, Units::Metric);
        let of = |quantity: &str| told.iter().find(|m| m.quantity == quantity).unwrap();
        let plank = of("seconds");
        assert_eq!((plank.title.as_str(), plank.times), ("Plank", 3));
        let shown = |t: &Option<ValueOn>| t.as_ref().unwrap().shown.clone();
        assert_eq!((shown(&plank.first), shown(&plank.best), plank.last.shown.as_str()), ("1:00".into(), "1:35".into(), "1:20"));
        assert_eq!(of("waist_cm").title, "Waist");
        assert_eq!(of("waist_cm").detail, "Body measures");
        assert_eq!(told[0].last.on.to_string(), "2026-07-01", "what was taken last is in front");
        let once = summaries(catalogue::all(), &[&before], Units::Metric);
        assert!(once.iter().all(|m| m.first.is_none() && m.best.is_none() && m.times == 1));
    }

    #[test]
    fn a_test_is_held_against_what_was_done_before_it_and_not_after() {
        let plank = catalogue::find("plank").unwrap();
        let tests =
            [hold("2026-01-05", 60.0, "to_failure"), hold("2026-03-05", 90.0, "to_failure"), hold("2026-06-05", 80.0, "to_failure")];
        let of = |k: usize| of_test(plank, &tests[k], &tests, "seconds", None, &Audience::default()).unwrap();
        assert_eq!(of(0), Progress { since_last: None, since_first: None });
        assert_eq!(of(1).since_last.map(|c| (c.from, c.to)), Some((60.0, 90.0)));
        assert_eq!(of(2).since_last.map(|c| c.from), Some(90.0));
        assert_eq!(of(2).since_first.map(|c| c.from), Some(60.0));
    }

    #[test]
    fn a_capped_hold_is_followed_by_what_stands_in_its_details() {
        let plank = catalogue::find("plank").unwrap();
        let names =
            |limit: &str| followed(plank, Some(&hold("2026-01-05", 30.0, limit))).iter().map(|s| s.quantity.clone()).collect::<Vec<_>>();
        assert!(names("to_failure").contains(&"seconds".to_owned()));
        assert!(!names("30").contains(&"seconds".to_owned()) && names("30").contains(&"shake_s".to_owned()), "{:?}", names("30"));
    }

    #[test]
    fn last_time_is_of_the_same_variant() {
        let named = catalogue::find("hold").unwrap();
        let hold = |on: &str, name: &str| {
            let mut held = done("hold", on, &json!({ "seconds": 20 }));
            held.conditions.insert("what".into(), Answer::Text(name.into()));
            held
        };
        let tests = [hold("2026-01-05", "L-sit"), hold("2026-02-05", "bar hang"), hold("2026-03-05", "L-sit")];
        let now = Conditions::from([("what".to_owned(), Answer::Text("l-sit ".into()))]);
        let days: Vec<String> = last_comparable(named, &now, tests.iter()).iter().map(|r| r.on.to_string()).collect();
        assert_eq!(days, ["2026-03-05", "2026-01-05"], "the latest first");
    }

    #[test]
    fn an_estimate_has_its_range_at_each_point_and_a_reading_has_none() {
        let bench = catalogue::find("bench-step-3min").unwrap();
        let mut tests = [
            done("bench-step-3min", "2026-01-05", &json!({ "pulse_count": 35 })),
            done("bench-step-3min", "2026-06-05", &json!({ "pulse_count": 33 })),
        ];
        for test in &mut tests {
            test.facts.sex = Some(Sex::Male);
        }
        let ranges = |key: &str| trend(bench, key, tests.iter(), Units::Metric).into_iter().map(|p| p.range.is_some()).collect::<Vec<_>>();
        assert_eq!((ranges("vo2max"), ranges("recovery_hr")), (vec![true, true], vec![false, false]));
    }

    #[test]
    fn a_trend_says_why_a_point_cannot_be_compared_with_the_latest() {
        let step = |on: &str, bench: f64| {
            let mut stepped = done("bench-step-3min", on, &json!({ "pulse_count": 35, "pulse_window_s": 15 }));
            stepped.conditions.insert("bench_cm".into(), Answer::Number(bench));
            stepped
        };
        let protocol = catalogue::find("bench-step-3min").unwrap();
        let tests = [step("2026-01-05", 41.3), step("2026-03-05", 30.0), step("2026-06-05", 41.3)];
        let points = trend(protocol, "recovery_hr", tests.iter(), Units::Metric);
        assert_eq!(points.iter().map(|p| p.unlike.len()).collect::<Vec<_>>(), [0, 1, 0]);
        assert!(points.iter().all(|p| p.value == Some(140.0)));
    }

    pub(super) fn point(on: &str, value: f64, bench: f64) -> Point<'static> {
        let conditions = Conditions::from([("bench_cm".to_owned(), Answer::Number(bench))]);
        Point { on: on.parse().unwrap(), value, method: "m".into(), conditions: Cow::Owned(conditions), ..Point::default() }
    }

    #[test]
    fn several_styles_in_one_go_are_told_by_their_parts() {
        let push_up = catalogue::find("push-up").unwrap();
        let point = |on: &str, style: &str, quantity: &str, value: f64| Point {
            on: on.parse().unwrap(),
            value,
            method: "push-up/1".into(),
            conditions: Cow::Owned([("style".to_owned(), Answer::Text(style.into()))].into()),
            quantity: quantity.to_owned().into(),
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
            conditions: Cow::Owned([("spotter".to_owned(), Answer::YesNo(spotter))].into()),
            quantity: "one_rm_kg".into(),
            ..Point::default()
        };
        let told = progress(lift, "one_rm_kg", &[point("2026-05-10", 95.0, true)], &point("2026-11-10", 100.0, false), None);
        assert_eq!(told.since_last.unwrap().difference, 5.0);
    }

    #[test]
    fn a_page_says_the_measurement_error_in_the_units_of_the_change() {
        let lift = catalogue::find("one-rm").unwrap();
        let lifted = |on: &str, kg: f64| done("one-rm", on, &json!({ "lift": "bench_press", "load_kg": [kg], "made": [true] }));
        let tests = [lifted("2026-05-10", 95.0), lifted("2026-11-10", 95.25)];
        let error = typical_error(lift, &tests[1], "one_rm_kg", None);
        let pounds = Audience { units: Units::Imperial, ..Audience::default() };
        let of = of_test(lift, &tests[1], &tests, "one_rm_kg", error.as_ref(), &pounds).unwrap();
        let detectable = |p: Progress| p.since_last.map(|c| (c.unit, c.typical_error.unwrap().detectable)).unwrap();
        let (unit, kg) = detectable(of.clone());
        let (shown, lb) = detectable(of.shown_in(Units::Imperial));
        assert_eq!((unit.as_str(), shown.as_str()), ("kg", "lb"));
        assert!((lb - kg / 0.453_592_37).abs() < 1e-9, "{lb} lb for {kg} kg");
    }

    #[test]
    fn a_hold_that_was_capped_is_compared_by_its_shake_and_its_form() {
        let plank = catalogue::find("plank").unwrap();
        let changed = |limit: &str, quantity: &str, from: f64, to: f64| {
            let point = |on: &str, value: f64| Point {
                on: on.parse().unwrap(),
                value,
                method: "plank/1".into(),
                conditions: Cow::Owned([("limit_s".to_owned(), Answer::Text(limit.into()))].into()),
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
}
