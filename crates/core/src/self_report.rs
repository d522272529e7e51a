//! The mark of a result that people took of themselves, away from their coach.

use crate::conditions::{Answer, Conditions};

/// The mark among a result's circumstances: it stays for good, whatever is corrected.
pub const KEY: &str = "self_reported";
/// What it is called where it is shown.
pub const LABEL: &str = "Self-reported";
/// Held against other self-reported results alone.
const APART: &str = "apart";
/// The coach said that it may be held against measured ones.
const COMPARED: &str = "compared";

/// Marks the circumstances of a result as self-reported. `compared`: the coach has it held against measured ones all the same.
pub fn mark(conditions: &mut Conditions, compared: bool) {
    let word = if compared { COMPARED } else { APART };
    conditions.insert(KEY.to_owned(), Answer::Text(word.to_owned()));
}

/// Whether a result was taken by the person themselves.
pub fn is_self_reported(conditions: &Conditions) -> bool {
    conditions.contains_key(KEY)
}

/// Whether it stands apart from those that were measured: compared with none of them, among no norms, no reason to call a goal reached.
pub fn is_apart(conditions: &Conditions) -> bool {
    matches!(conditions.get(KEY), Some(Answer::Text(word)) if word == APART)
}

/// The mark in words; nothing for a measured result.
pub fn words(conditions: &Conditions) -> Option<&'static str> {
    let compared = "compared with measured results, as the coach decided";
    is_self_reported(conditions).then_some(if is_apart(conditions) { "not compared with measured results" } else { compared })
}

#[cfg(test)]
mod tests {
    use std::borrow::Cow;

    use super::*;
    use crate::{
        catalogue,
        change::{self, Verdict},
        comparability::{self, Point},
        report::condition_reports,
        typical_error::Repeats,
        units::Units,
    };

    fn marked(compared: Option<bool>) -> Conditions {
        let mut conditions = Conditions::new();
        if let Some(compared) = compared {
            mark(&mut conditions, compared);
        }
        conditions
    }

    fn jump(day: u32, value: f64, compared: Option<bool>) -> Point<'static> {
        let on = chrono::NaiveDate::from_ymd_opt(2026, 3, day).unwrap();
        let quantity = catalogue::find("vertical-jump").unwrap().headline().to_owned();
        Point {
            on,
            value,
            method: "vertical-jump/1".into(),
            conditions: Cow::Owned(marked(compared)),
            quantity: quantity.into(),
            ..Point::default()
        }
    }

    #[test]
    fn a_self_reported_result_is_held_against_no_measured_one_unless_the_coach_says_so() {
        let protocol = catalogue::find("vertical-jump").unwrap();
        let differs = |then, now| comparability::unlike(protocol, &jump(1, 30.0, then), &jump(2, 31.0, now)).first().map(|u| u.key.clone());
        assert_eq!(differs(None, Some(false)).as_deref(), Some(KEY));
        assert_eq!(differs(Some(false), None).as_deref(), Some(KEY));
        assert_eq!(differs(Some(false), Some(false)), None, "both self-reported");
        assert_eq!(differs(None, Some(true)), None, "the coach said so");
        assert_eq!(differs(Some(true), Some(false)), None, "both self-reported");
        let change = change::compare(protocol, protocol.headline(), &jump(1, 30.0, None), &jump(2, 60.0, Some(false)), None);
        assert_eq!(change.verdict, Verdict::NotComparable);
        assert!(change.sentence.contains("self-reported"), "{}", change.sentence);
    }

    #[test]
    fn what_stands_apart_says_nothing_of_the_practices_own_measuring() {
        let protocol = catalogue::find("vertical-jump").unwrap();
        let pairs = |compared| Repeats::among(protocol, &[jump(1, 30.0, compared), jump(2, 31.0, compared)]).pairs;
        assert_eq!([pairs(None), pairs(Some(true)), pairs(Some(false))], [1, 1, 0]);
    }

    #[test]
    fn the_mark_is_shown_and_says_whether_it_is_compared() {
        let jump = catalogue::find("vertical-jump").unwrap();
        let last = |compared| condition_reports(jump, &marked(compared), Units::Metric).pop().map(|r| format!("{}: {}", r.label, r.value));
        assert_eq!(last(None), None);
        assert_eq!(last(Some(false)).as_deref(), Some("Self-reported: not compared with measured results"));
        assert!(last(Some(true)).unwrap().starts_with("Self-reported: compared"));
    }
}
