//! A group visit: the battery of a group on one day. Who is here, who owes it, and who goes with whom.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::{
    error::{Code, InputError},
    text,
};

/// What the roll call says of somebody.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Presence {
    /// Here, and to be tested.
    Here,
    /// Not here: they owe the battery.
    Absent,
    /// Here but not tested today.
    NotTesting,
}

impl Presence {
    /// As it is stored.
    pub const fn key(self) -> &'static str {
        match self {
            Self::Here => "here",
            Self::Absent => "absent",
            Self::NotTesting => "not_testing",
        }
    }

    /// What is stored, read again.
    pub fn of(key: &str) -> Option<Self> {
        [Self::Here, Self::Absent, Self::NotTesting].into_iter().find(|p| p.key() == key)
    }

    /// Whether somebody owes the battery still. `made_up`: whether a visit of theirs has taken its place.
    pub const fn owes(self, made_up: bool) -> bool {
        matches!(self, Self::Absent) && !made_up
    }
}

/// Reads the reason of somebody who is not tested.
///
/// # Errors
/// [`Code::MissingInput`] on `reason` where somebody is here and not tested without one.
pub fn reason(presence: Presence, name: &str, typed: &str) -> Result<Option<String>, InputError> {
    match (presence, text::note(typed, "reason")?) {
        (Presence::Here, _) => Ok(None),
        (Presence::NotTesting, None) => {
            Err(InputError::new(Code::MissingInput, "reason", format!("Say why {name} is not tested today. It is saved with the visit.")))
        }
        (_, reason) => Ok(reason),
    }
}

/// By what people are put into heats.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum HeatsBy {
    /// By the number on the shirt.
    Number,
    /// Those with like results last time, or like targets, together; the best first.
    Alike,
    /// As even as can be: each heat has some of the best and some of the others.
    Mixed,
}

/// Somebody who is put into a heat.
#[derive(Debug, Clone, PartialEq)]
pub struct Runner {
    pub person: Uuid,
    pub number: Option<u16>,
    /// Last time's result or the target, larger is better; nothing where there is none.
    pub worth: Option<f64>,
}

/// Puts everybody into heats of at most `size`, as even as they come out: the person and the number of the heat, from 1.
///
/// # Errors
/// [`Code::OutOfRange`] on `size` where a heat would be empty.
pub fn heats(runners: &[Runner], by: HeatsBy, size: usize) -> Result<Vec<(Uuid, u16)>, InputError> {
    if size == 0 {
        return Err(InputError::new(Code::OutOfRange, "size", "A heat has at least one person."));
    }
    let mut order: Vec<&Runner> = runners.iter().collect();
    match by {
        HeatsBy::Number => order.sort_by_key(|r| r.number.map_or(u32::MAX, u32::from)),
        // Who has no result yet goes last, in the order of the list.
        HeatsBy::Alike | HeatsBy::Mixed => {
            order.sort_by(|a, b| b.worth.unwrap_or(f64::NEG_INFINITY).total_cmp(&a.worth.unwrap_or(f64::NEG_INFINITY)));
        }
    }
    let count = order.len().div_ceil(size);
    let heat = |k: usize| match by {
        // There and back again, so that nobody has all the best.
        HeatsBy::Mixed if (k / count) % 2 == 1 => count - 1 - k % count,
        HeatsBy::Mixed => k % count,
        // The first heats take one more where it does not come out even.
        _ => (0..count).find(|h| k < (h + 1) * (order.len() / count) + (order.len() % count).min(h + 1)).unwrap_or(count - 1),
    };
    Ok(order.iter().enumerate().map(|(k, r)| (r.person, u16::try_from(heat(k) + 1).unwrap_or(u16::MAX))).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeMap;

    fn runner(k: u128, number: Option<u16>, worth: Option<f64>) -> Runner {
        Runner { person: Uuid::from_u128(k), number, worth }
    }

    fn of(heats: &[(Uuid, u16)]) -> Vec<(u128, u16)> {
        heats.iter().map(|(p, h)| (p.as_u128(), *h)).collect()
    }

    #[test]
    fn who_is_not_here_owes_the_battery_until_a_visit_takes_its_place() {
        assert!(Presence::Absent.owes(false));
        assert!(!Presence::Absent.owes(true) && !Presence::Here.owes(false) && !Presence::NotTesting.owes(false));
    }

    #[test]
    fn who_is_here_and_not_tested_has_a_reason() {
        let asked = reason(Presence::NotTesting, "Odd Varga", " ").unwrap_err();
        assert_eq!((asked.field.as_deref(), asked.code), (Some("reason"), Code::MissingInput));
        assert!(asked.message.contains("Odd Varga"));
        assert_eq!(reason(Presence::NotTesting, "", "sore calf").unwrap().as_deref(), Some("sore calf"));
        assert_eq!(reason(Presence::Absent, "", "").unwrap(), None);
        assert_eq!(reason(Presence::Here, "", "left over").unwrap(), None);
    }

    #[test]
    fn heats_go_by_number_with_the_unnumbered_last() {
        let all =
            [runner(1, Some(9), None), runner(2, None, None), runner(3, Some(2), None), runner(4, Some(5), None), runner(5, None, None)];
        assert_eq!(of(&heats(&all, HeatsBy::Number, 2).unwrap()), [(3, 1), (4, 1), (1, 2), (2, 2), (5, 3)]);
        assert_eq!(heats(&all, HeatsBy::Number, 0).unwrap_err().field.as_deref(), Some("size"));
    }

    #[test]
    fn heats_take_the_best_together_or_share_them_out() {
        let all: Vec<Runner> = (1..=6).map(|k| runner(k, None, (k > 1).then_some(f64::from(k as u32)))).collect();
        assert_eq!(of(&heats(&all, HeatsBy::Alike, 3).unwrap()), [(6, 1), (5, 1), (4, 1), (3, 2), (2, 2), (1, 2)]);
        assert_eq!(of(&heats(&all, HeatsBy::Mixed, 3).unwrap()), [(6, 1), (5, 2), (4, 2), (3, 1), (2, 1), (1, 2)]);
    }

    proptest! {
        #[test]
        fn everybody_is_in_one_heat_and_no_two_heats_differ_by_more_than_one(n in 0u128..60, size in 1usize..12, by in 0usize..3) {
            let all: Vec<Runner> = (0..n).map(|k| runner(k, Some((k * 7 % 61) as u16), Some((k * 13 % 17) as f64))).collect();
            let by = [HeatsBy::Number, HeatsBy::Alike, HeatsBy::Mixed][by];
            let found = heats(&all, by, size).unwrap();
            let mut people: Vec<Uuid> = found.iter().map(|(p, _)| *p).collect();
            people.sort_unstable();
            people.dedup();
            prop_assert_eq!(people.len(), all.len());
            let mut sizes: BTreeMap<u16, usize> = BTreeMap::new();
            for (_, heat) in &found {
                *sizes.entry(*heat).or_default() += 1;
            }
            prop_assert_eq!(sizes.len(), all.len().div_ceil(size));
            prop_assert!(sizes.values().all(|s| *s <= size));
            prop_assert!(sizes.values().max().unwrap_or(&0) - sizes.values().min().unwrap_or(&0) <= 1);
        }
    }
}
