//! Were two tests done alike? Two results are compared only where the circumstances were the same; where not, every difference is
//! named with why it matters.

use std::{borrow::Cow, collections::BTreeMap};

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};

use crate::{
    catalogue::{Condition, ConditionKind, Protocol},
    quantity,
    run::event::{Answer, Conditions},
    self_report,
    units::{Units, rounded},
};

/// One result as comparison sees it.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Point<'a> {
    /// The test day.
    pub on: NaiveDate,
    /// The quantity's value.
    pub value: f64,
    /// Protocol, version and equation.
    pub method: Cow<'a, str>,
    /// The circumstances.
    pub conditions: Cow<'a, Conditions>,
    pub quantity: Cow<'a, str>,
    /// Everything the result gave, by quantity.
    pub beside: Cow<'a, BTreeMap<String, f64>>,
    /// The value is a bound: there may have been more.
    pub at_least: bool,
}

/// A circumstance that was different, and why that matters.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Unlike {
    /// The condition's key, or `method`.
    pub key: String,
    /// Its heading.
    pub label: String,
    /// How it was then.
    pub then: String,
    /// How it is now.
    pub now: String,
    /// Why it matters, as the end of a sentence.
    pub why: String,
}

/// Every circumstance in which two results differ.
pub fn unlike(protocol: &Protocol, from: &Point<'_>, to: &Point<'_>) -> Vec<Unlike> {
    unlike_in(protocol, from, to, Units::Metric)
}

/// Whether two results are of one series: of the same lift, hold or distance.
pub fn is_of_series(protocol: &Protocol, then: &Conditions, now: &Conditions) -> bool {
    protocol.conditions.iter().filter(|c| c.is_series).all(|c| !differs(c, then.get(&c.key), now.get(&c.key)))
}

/// The same, worded in the units somebody thinks in.
pub fn unlike_in(protocol: &Protocol, from: &Point<'_>, to: &Point<'_>, units: Units) -> Vec<Unlike> {
    let mut found: Vec<Unlike> = protocol
        .conditions
        .iter()
        .filter(|condition| !condition.note)
        .filter_map(|condition| {
            let (then, now) = (from.conditions.get(&condition.key), to.conditions.get(&condition.key));
            differs(condition, then, now).then(|| Unlike {
                key: condition.key.clone(),
                label: condition.label.clone(),
                then: answer_in(condition, then, units),
                now: answer_in(condition, now, units),
                why: condition.why.clone(),
            })
        })
        .collect();
    found.extend(mixed(&from.conditions, &to.conditions));
    let rank = protocol.change_rule(&to.quantity).and_then(|r| r.alike_in.as_deref()).filter(|_| from.quantity == to.quantity);
    if let Some(rank) = rank {
        let (then, now) = (from.beside.get(rank), to.beside.get(rank));
        if then != now {
            let shown = |value: Option<&f64>| value.map_or_else(|| "not recorded".to_owned(), |v| quantity::with_unit(rank, *v));
            found.push(Unlike {
                key: rank.to_owned(),
                label: crate::text::capital(&quantity::label(rank)),
                then: shown(then),
                now: shown(now),
                why: format!(
                    "{} is compared first, and {} only where it is the same",
                    quantity::label(rank),
                    quantity::label(&to.quantity)
                ),
            });
        }
    }
    if from.method != to.method {
        found.push(Unlike {
            key: "method".into(),
            label: "Method".into(),
            then: from.method.to_string(),
            now: to.method.to_string(),
            why: "different equations and versions disagree by several units on the same day".into(),
        });
    }
    found
}

/// That one of two results was measured, and the other is self-reported and stands apart.
fn mixed(then: &Conditions, now: &Conditions) -> Option<Unlike> {
    let word = |conditions: &Conditions| if self_report::is_self_reported(conditions) { "self-reported" } else { "measured" };
    let is_mixed = self_report::is_self_reported(then) != self_report::is_self_reported(now);
    (is_mixed && (self_report::is_apart(then) || self_report::is_apart(now))).then(|| Unlike {
        key: self_report::KEY.to_owned(),
        label: self_report::LABEL.to_owned(),
        then: word(then).to_owned(),
        now: word(now).to_owned(),
        why: "nobody else saw how a self-reported test was done".to_owned(),
    })
}

/// What was noted of both and was different: said beside a comparison, which it does not hinder. In words such as `17 °C then, 6 °C now`.
pub fn noted(protocol: &Protocol, from: &Point<'_>, to: &Point<'_>) -> Vec<String> {
    let notes = protocol.conditions.iter().filter(|c| c.note);
    notes
        .filter_map(|condition| {
            let (then, now) = (from.conditions.get(&condition.key)?, to.conditions.get(&condition.key)?);
            let (was, is) = (answer(condition, Some(then)), answer(condition, Some(now)));
            differs(condition, Some(then), Some(now)).then(|| format!("{} {was} then, {is} now", condition.label.to_lowercase()))
        })
        .collect()
}

/// Words as they are compared: case, and how many spaces there are between them, say nothing.
fn words(text: &str) -> Vec<String> {
    text.split_whitespace().map(str::to_lowercase).collect()
}

pub(crate) fn differs(condition: &Condition, then: Option<&Answer>, now: Option<&Answer>) -> bool {
    let spoils = |answer: Option<&Answer>| match answer {
        Some(Answer::YesNo(held)) => (condition.must_hold && !held) || (condition.must_not_hold && *held),
        _ => false,
    };
    if spoils(then) || spoils(now) {
        return true;
    }
    match (then, now) {
        (Some(Answer::Number(a)), Some(Answer::Number(b))) => (a - b).abs() > condition.tolerance.unwrap_or(0.0),
        (Some(Answer::Text(a)), Some(Answer::Text(b))) => a != b && words(a) != words(b),
        (Some(a), Some(b)) => a != b,
        (None, None) => false,
        _ => condition.required,
    }
}

/// An answer as it is shown.
pub fn answer(condition: &Condition, given: Option<&Answer>) -> String {
    answer_in(condition, given, Units::Metric)
}

/// The same in the units somebody thinks in.
pub fn answer_in(condition: &Condition, given: Option<&Answer>, units: Units) -> String {
    match given {
        None => "not recorded".to_owned(),
        Some(Answer::YesNo(yes)) => if *yes { "yes" } else { "no" }.to_owned(),
        Some(Answer::Number(n)) => {
            let (n, unit) = quantity::as_typed(*n, condition.unit.as_deref().unwrap_or_default(), units);
            format!("{} {unit}", rounded(n, if units == Units::Imperial { 2 } else { 1 })).trim_end().to_owned()
        }
        Some(Answer::Text(t)) if condition.kind == ConditionKind::Choice => {
            condition.choices.iter().find(|(key, _)| key == t).map_or_else(|| t.clone(), |(_, words)| words.clone())
        }
        Some(Answer::Text(t)) => t.clone(),
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::catalogue;

    pub(crate) fn bench_step() -> &'static Protocol {
        catalogue::find("bench-step-3min").unwrap()
    }

    /// A bench step of a day, with these answers instead of the usual ones.
    pub(crate) fn point(value: f64, changes: &[(&str, Answer)]) -> Point<'static> {
        let mut conditions = Conditions::from([
            ("bench_cm".to_owned(), Answer::Number(41.3)),
            ("warm_up".to_owned(), Answer::YesNo(true)),
            ("pulse_site".to_owned(), Answer::Text("wrist".into())),
            ("count_delay_s".to_owned(), Answer::Number(5.0)),
            ("heart_rate_drug".to_owned(), Answer::YesNo(false)),
        ]);
        for (key, answer) in changes {
            conditions.insert((*key).to_owned(), answer.clone());
        }
        Point {
            on: "2026-03-12".parse().unwrap(),
            value,
            method: "bench-step-3min/1".into(),
            conditions: Cow::Owned(conditions),
            ..Point::default()
        }
    }

    #[test]
    fn half_a_centimetre_of_bench_is_the_same_bench() {
        assert!(unlike(bench_step(), &point(1.0, &[]), &point(1.0, &[("bench_cm", Answer::Number(41.0))])).is_empty());
    }

    #[test]
    fn another_version_of_the_method_is_another_method() {
        let newer = Point { method: "bench-step-3min/2".into(), ..point(120.0, &[]) };
        assert_eq!(unlike(bench_step(), &point(148.0, &[]), &newer)[0].key, "method");
    }
}
