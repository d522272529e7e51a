//! What a test of a visit starts from, which of its tries counts, and what keeps it closed.

use std::collections::BTreeSet;

use uuid::Uuid;

use super::{PlaceState, VisitState};
use crate::{
    battery::{Battery, Slot},
    catalogue::Protocol,
    comparability,
    conditions::{Answer, Conditions},
    done::{Done, best},
    person::Sex,
    suitability,
};

/// What a test starts from: what was said now, what the visit's battery has fixed (`given`) and what all its tests share (`shared`), last
/// time's answers, what is usual. What is asked anew each time, as the weather, is not taken over from last time.
pub fn conditions(
    protocol: &Protocol,
    sex: Option<Sex>,
    last: Option<&Conditions>,
    in_visit: Option<(&Slot, &Conditions)>,
    said: &Conditions,
) -> Conditions {
    let asked = protocol.conditions.iter().filter(|c| !c.recorded_by_run);
    let answer = |condition: &crate::catalogue::Condition| {
        let key = &condition.key;
        let of_visit = in_visit.and_then(|(place, shared)| place.given.get(key).or_else(|| shared.get(key)));
        let before = || last.and_then(|l| l.get(key)).filter(|_| condition.is_lasting());
        let usual = || condition.expected_for(sex).map(Answer::Number);
        said.get(key).or(of_visit).or_else(before).cloned().or_else(usual)
    };
    asked.filter_map(|c| Some((c.key.clone(), answer(c)?))).collect()
}

/// A test's name with the variant the battery has of it.
pub fn variant_name(protocol: Option<&Protocol>, place: &Slot) -> String {
    let Some(protocol) = protocol else { return place.protocol.clone() };
    let words: Vec<String> =
        protocol.conditions.iter().filter_map(|c| Some(comparability::answer(c, Some(place.given.get(&c.key)?)))).collect();
    if words.is_empty() { protocol.name.clone() } else { format!("{}: {}", protocol.name, words.join(", ")) }
}

/// Why a test cannot be done yet. `passed`: tests of which every point was met.
pub fn waits_for(protocol: &Protocol, passed: &BTreeSet<String>) -> Option<String> {
    suitability::waits_for(protocol, passed).map(|first| format!("Opens when every point of the {} is met.", first.name))
}

/// The last time a test was done as the battery has it, with a score: one hold's time is no last time of another. `history`: oldest first.
pub fn last_as_here<'r>(place: &Slot, history: impl DoubleEndedIterator<Item = &'r Done>) -> Option<&'r Done> {
    let is_variant = |r: &&Done| place.given.iter().all(|(key, answer)| r.conditions.get(key) == Some(answer));
    history.rev().filter(|r| r.protocol_id == place.protocol && r.is_scored()).find(is_variant)
}

/// What makes a place of one visit the same as a place of another: the test, its variant, and which of several alike it is.
#[derive(Debug, PartialEq)]
pub struct Same {
    protocol: String,
    given: Conditions,
    nth: usize,
}

impl Same {
    /// That of a place of a battery.
    pub fn of(battery: &Battery, place: usize) -> Self {
        let test = &battery.tests[place];
        let alike = |t: &&Slot| t.protocol == test.protocol && t.given == test.given;
        Self { protocol: test.protocol.clone(), given: test.given.clone(), nth: battery.tests[..place].iter().filter(alike).count() }
    }
}

/// What each place of a visit came to: in a window the best of its tries; else the one that counts, which is the later one unless
/// another was chosen. `find`: a protocol by its id; `result`: a result by its key.
pub fn counted<'r>(
    battery: &Battery,
    state: &VisitState,
    find: &dyn Fn(&str) -> Option<&'r Protocol>,
    result: &dyn Fn(Uuid) -> Option<&'r Done>,
) -> Vec<Option<&'r Done>> {
    let came_to = |(place, at): (usize, &PlaceState)| {
        if battery.window_min.is_none() {
            return at.result.and_then(result);
        }
        best(find(&battery.tests[place].protocol)?, at.tries.iter().filter_map(|id| result(*id)))
    };
    state.places.iter().enumerate().map(came_to).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{
        catalogue,
        done::tests::done,
        visit::{self, VisitEvent},
    };
    use serde_json::json;

    fn text(word: &str) -> Answer {
        Answer::Text(word.into())
    }

    #[test]
    fn what_was_said_now_comes_before_the_battery_the_visit_and_last_time() {
        let protocol = catalogue::find("plank").unwrap();
        let key = "limit_s".to_owned();
        let of = |word: &str| Conditions::from([(key.clone(), text(word))]);
        let place = Slot { given: of("30"), ..Slot::of("plank") };
        let (shared, last, said) = (of("to_failure"), of("to_failure"), of("to_failure"));
        let start = |in_visit, said: &Conditions| conditions(protocol, None, Some(&last), in_visit, said).get(&key).cloned();
        assert_eq!(start(None, &Conditions::new()), Some(text("to_failure")), "last time");
        assert_eq!(start(Some((&place, &shared)), &Conditions::new()), Some(text("30")), "the battery's variant");
        assert_eq!(start(Some((&place, &shared)), &said), Some(text("to_failure")), "what was said");
    }

    #[test]
    fn what_must_hold_is_asked_anew() {
        let protocol = catalogue::all().iter().find(|p| p.conditions.iter().any(|c| c.must_hold)).unwrap();
        let held = protocol.conditions.iter().find(|c| c.must_hold).unwrap();
        let last = Conditions::from([(held.key.clone(), Answer::YesNo(true))]);
        assert!(!conditions(protocol, None, Some(&last), None, &Conditions::new()).contains_key(&held.key), "{}", protocol.id);
        let run = catalogue::find("run-12min").unwrap();
        let before = Conditions::from([("temperature_c".to_owned(), Answer::Number(6.0)), ("surface".to_owned(), text("gravel"))]);
        let start = conditions(run, None, Some(&before), None, &Conditions::new());
        assert_eq!(start.get("surface"), Some(&text("gravel")));
        assert_eq!(start.get("temperature_c"), None, "today's weather is not last month's");
    }

    #[test]
    fn in_a_window_the_best_try_counts_and_with_an_order_the_later_one() {
        let plank = catalogue::find("plank").unwrap();
        let held = |on: &str, seconds: f64| done("plank", on, &json!({ "seconds": seconds, "support": "forearm" }));
        let (long, short) = (held("2026-03-01", 90.0), held("2026-03-02", 60.0));
        let order = Battery { tests: vec![Slot::of("plank")], ..Battery::of_one(plank) };
        let window = Battery { window_min: Some(30), ..order.clone() };
        let happened: Vec<VisitEvent> = [&long, &short].map(|r| VisitEvent::Done { place: 0, result: r.id }).into();
        let result = |id: Uuid| [&long, &short].into_iter().find(|r| r.id == id);
        let of = |battery: &Battery| {
            let state = visit::fold(battery, &happened);
            counted(battery, &state, &|id| catalogue::find(id).ok(), &result)[0].map(|r| r.id)
        };
        assert_eq!((of(&window), of(&order)), (Some(long.id), Some(short.id)));
    }

    #[test]
    fn a_place_is_the_same_by_its_test_and_variant_wherever_it_stands() {
        let left = Slot { given: Conditions::from([("side".to_owned(), text("left"))]), ..Slot::of("plank") };
        let before = Battery {
            tests: vec![Slot::of("plank"), left.clone(), Slot::of("push-up")],
            ..Battery::of_one(catalogue::find("plank").unwrap())
        };
        let after = Battery { tests: vec![Slot::of("push-up"), left, Slot::of("plank"), Slot::of("plank")], ..before.clone() };
        assert_eq!(Same::of(&before, 0), Same::of(&after, 2));
        assert_eq!(Same::of(&before, 1), Same::of(&after, 1));
        assert_ne!(Same::of(&after, 2), Same::of(&after, 3), "the second of two alike");
    }
}
