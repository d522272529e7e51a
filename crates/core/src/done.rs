//! A test that was done: what was read, how, of whom on that day; and what it scores.

use std::{borrow::Cow, collections::BTreeMap};

use chrono::{DateTime, NaiveDate, Utc};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::{
    catalogue::Protocol,
    comparability::Point,
    conditions::Conditions,
    error::{Code, InputError},
    inputs::Inputs,
    person::Facts,
    points, quantity,
    report::{self, ResultReport},
    run::StopReason,
    self_report,
    test_record::{self, Outcome, TestRecord},
    typical_error::Own,
    units::Units,
};

/// How and why a test ended early.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Stop {
    /// Seconds of the run's clock.
    pub at_s: f64,
    /// Why.
    pub reason: Option<StopReason>,
    /// Anything added.
    pub note: Option<String>,
}

impl Stop {
    /// In a sentence: "Stopped at 2:10: symptoms."
    pub fn sentence(&self) -> String {
        let at = format!("{}:{:02}", self.at_s as u64 / 60, self.at_s as u64 % 60);
        match self.reason {
            Some(reason) => format!("Stopped at {at}: {}.", reason.words()),
            None => format!("Stopped at {at}."),
        }
    }
}

/// A test that was done. The readings are the truth; what it scores is worked out from them.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Done {
    pub id: Uuid,
    pub protocol_id: String,
    /// Protocol and version.
    pub method: String,
    /// The test day in the practice's time zone.
    pub on: NaiveDate,
    /// The moment.
    pub taken_at: DateTime<Utc>,
    /// Raw readings.
    pub inputs: Inputs,
    /// Circumstances.
    pub conditions: Conditions,
    /// The person on the day.
    pub facts: Facts,
    /// How it ended early, where it did.
    pub stopped: Option<Stop>,
    /// Made void: it stays to be seen and counts nowhere.
    pub voided: bool,
    /// What was remarked while it was done.
    pub remarks: Vec<String>,
    /// Quantity to value, as computed.
    pub computed: BTreeMap<String, f64>,
}

impl Facts {
    /// The person as a test takes them. One that weighs takes no mass from the record: on a day on which nobody was weighed it has none.
    #[must_use]
    pub fn as_measured_by(self, protocol: &Protocol) -> Self {
        if protocol.input("mass_kg").is_some() { Self { mass: None, ..self } } else { self }
    }
}

impl Done {
    /// Whether it may be a score: it came to its end and is not void.
    pub const fn may_score(&self) -> bool {
        self.stopped.is_none() && !self.voided
    }

    /// Whether a goal can be reached by it: not by one that stands apart from what was measured.
    pub fn may_reach(&self) -> bool {
        self.is_scored() && !self_report::is_apart(&self.conditions)
    }

    /// Whether it has a score.
    pub fn is_scored(&self) -> bool {
        !self.computed.is_empty()
    }

    /// What it scored of a measure.
    pub fn value(&self, quantity: &str) -> Option<f64> {
        self.computed.get(quantity).copied()
    }

    /// Whether it was done before another of the same test.
    pub fn is_earlier(&self, than: &Self) -> bool {
        self.protocol_id == than.protocol_id && (self.taken_at, self.id) < (than.taken_at, than.id)
    }

    /// One of its measures as comparison sees it.
    pub fn point<'a>(&'a self, quantity: &'a str) -> Option<Point<'a>> {
        Some(Point {
            on: self.on,
            value: self.value(quantity)?,
            method: Cow::Borrowed(&self.method),
            conditions: Cow::Borrowed(&self.conditions),
            quantity: Cow::Borrowed(quantity),
            beside: Cow::Borrowed(&self.computed),
            at_least: quantity::is_bound(quantity, &self.inputs),
        })
    }

    /// As the computation takes it: the method of the maximal heart rate, the ceiling and the circumstances are among its conditions.
    pub fn record<'a>(&'a self, protocol: &'a Protocol) -> TestRecord<'a> {
        TestRecord::under(protocol, self.facts, &self.inputs, &self.conditions)
    }

    /// What it scores, measure by measure; nothing where a reading is missing, or where it is no score.
    ///
    /// # Errors
    /// As [`test_record::compute`], but for a missing reading.
    pub fn scores(&self, protocol: &Protocol) -> Result<BTreeMap<String, f64>, InputError> {
        let scored = |outcome: Outcome| outcome.results.into_iter().map(|(q, e)| (q.to_owned(), e.value)).collect();
        Ok(self.outcome(protocol)?.map(scored).unwrap_or_default())
    }

    /// What it computes to and its report, by what the practice knows of each measure; nothing for one that is no score.
    ///
    /// # Errors
    /// As [`Self::scores`].
    pub fn report<'a>(
        &'a self,
        protocol: &'a Protocol,
        own: &BTreeMap<String, Own>,
        units: Units,
    ) -> Result<Option<(Outcome<'a>, ResultReport)>, InputError> {
        let own = |quantity: &str| own.get(quantity).cloned().unwrap_or_default();
        Ok(self.outcome(protocol)?.map(|mut outcome| {
            test_record::hold_to_protocol(&mut outcome, protocol, &self.conditions, &self.facts);
            let report = report::report(&self.record(protocol), &self.conditions, &outcome, &own, units);
            (outcome, report)
        }))
    }

    fn outcome<'a>(&'a self, protocol: &'a Protocol) -> Result<Option<Outcome<'a>>, InputError> {
        if !self.may_score() {
            return Ok(None);
        }
        match test_record::compute(&self.record(protocol)) {
            Ok(outcome) => Ok(Some(outcome)),
            Err(error) if error.code == Code::MissingInput => Ok(None),
            Err(error) => Err(error),
        }
    }

    /// What the test is about; of two sides the weaker one.
    pub fn headline(&self, protocol: &Protocol) -> Option<f64> {
        let key = protocol.headline();
        let stem = quantity::base(key);
        let weaker_of = if points::lower_is_better(protocol) { f64::max } else { f64::min };
        let is_side = |k: &&String| *k != key && quantity::base(k) == stem && !k.ends_with(".difference");
        self.computed.iter().filter(|(k, _)| *k == key || is_side(k)).map(|(_, v)| *v).reduce(weaker_of)
    }
}

/// The best of several tries by what the test is about; the earlier one of two that are alike.
pub fn best<'r>(protocol: &Protocol, tries: impl Iterator<Item = &'r Done>) -> Option<&'r Done> {
    let lower = points::lower_is_better(protocol);
    let merit = |r: &Done| r.headline(protocol).map_or(f64::NEG_INFINITY, |v| if lower { -v } else { v });
    tries.reduce(|best, other| if merit(best) >= merit(other) { best } else { other })
}

/// The last time a test was done that gave a score. `history`: oldest first.
pub fn last_scored<'r>(history: impl DoubleEndedIterator<Item = &'r Done>, protocol: &str) -> Option<&'r Done> {
    history.rev().find(|r| r.protocol_id == protocol && r.is_scored())
}

/// The tests of which every point was met the last time. `history`: oldest first.
pub fn passed<'r>(history: impl IntoIterator<Item = &'r Done>) -> std::collections::BTreeSet<String> {
    let mut passed = std::collections::BTreeSet::new();
    for result in history.into_iter().filter(|r| r.is_scored()) {
        if result.value("points_met").is_some_and(|met| Some(met) == result.value("points_of")) {
            passed.insert(result.protocol_id.clone());
        } else {
            passed.remove(&result.protocol_id);
        }
    }
    passed
}

#[cfg(test)]
pub(crate) mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::catalogue;

    /// A test done at noon of a day, scored.
    pub fn done(protocol: &str, on: &str, inputs: &serde_json::Value) -> Done {
        let protocol = catalogue::find(protocol).unwrap();
        let on: NaiveDate = on.parse().unwrap();
        let mut done = Done {
            id: Uuid::from_u128(on.signed_duration_since(NaiveDate::default()).num_days() as u128),
            protocol_id: protocol.id.clone(),
            method: protocol.method_version(),
            on,
            taken_at: on.and_hms_opt(12, 0, 0).unwrap().and_utc(),
            inputs: serde_json::from_value(inputs.clone()).unwrap(),
            conditions: Conditions::new(),
            facts: Facts::default(),
            stopped: None,
            voided: false,
            remarks: Vec::new(),
            computed: BTreeMap::new(),
        };
        done.computed = done.scores(protocol).unwrap();
        done
    }

    fn stance(on: &str, left: f64, right: f64) -> Done {
        done("one-leg-stance", on, &serde_json::json!({ "seconds": { "left": [left], "right": [right] }, "eyes": "open" }))
    }

    #[test]
    fn a_test_of_two_sides_is_about_the_weaker_one() {
        let protocol = catalogue::find("one-leg-stance").unwrap();
        assert_eq!(stance("2026-03-01", 9.0, 12.0).headline(protocol), Some(9.0));
        // Where less is better, the weaker side is the slower one.
        let agility = catalogue::find("up-and-go").unwrap();
        assert!(points::lower_is_better(agility));
        let go = done("up-and-go", "2026-03-01", &serde_json::json!({ "time_s": [7.9, 7.1] }));
        assert_eq!(go.headline(agility), Some(7.1));
    }

    #[test]
    fn what_was_stopped_or_is_void_has_no_score() {
        let protocol = catalogue::find("one-leg-stance").unwrap();
        let kept = stance("2026-03-01", 9.0, 12.0);
        let stop = Stop { at_s: 130.0, reason: Some(StopReason::Symptoms), note: None };
        assert!(stop.sentence().starts_with("Stopped at 2:10: "));
        let stopped = Done { stopped: Some(stop), ..kept.clone() };
        let void = Done { voided: true, ..kept.clone() };
        assert!(!kept.scores(protocol).unwrap().is_empty());
        assert!(stopped.scores(protocol).unwrap().is_empty() && void.report(protocol, &BTreeMap::new(), Units::Metric).unwrap().is_none());
    }

    #[test]
    fn a_test_is_passed_while_its_last_time_met_every_point() {
        let squat = |on: &str, met: [bool; 5]| {
            let protocol = catalogue::find("air-squat").unwrap();
            let points: BTreeMap<&String, bool> = protocol.inputs[0].points.iter().map(|(key, _)| key).zip(met).collect();
            done("air-squat", on, &serde_json::json!({ "points": points }))
        };
        let (all, four) = (squat("2026-03-01", [true; 5]), squat("2026-04-01", [true, true, true, true, false]));
        assert!(passed([&four, &all]).contains("air-squat"));
        assert!(passed([&all, &four]).is_empty(), "the last time decides");
    }

    #[test]
    fn the_best_try_is_the_one_whose_weaker_side_is_better() {
        let protocol = catalogue::find("one-leg-stance").unwrap();
        let tries = [stance("2026-03-01", 20.0, 4.0), stance("2026-03-02", 9.0, 10.0), stance("2026-03-03", 9.0, 30.0)];
        assert_eq!(best(protocol, tries.iter()).unwrap().on, tries[1].on);
        assert!(best(protocol, [].iter()).is_none());
    }

    proptest! {
        #[test]
        fn of_two_tests_one_is_the_earlier_and_a_score_is_what_its_readings_give(left in 1.0..60.0f64, right in 1.0..60.0f64) {
            let (a, b) = (stance("2026-03-01", left, right), stance("2026-04-01", right, left));
            prop_assert!(a.is_earlier(&b) && !b.is_earlier(&a) && !a.is_earlier(&a));
            prop_assert_eq!(a.headline(catalogue::find("one-leg-stance").unwrap()), b.headline(catalogue::find("one-leg-stance").unwrap()));
        }
    }
}
