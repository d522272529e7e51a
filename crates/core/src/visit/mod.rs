//! A visit: the tests of a battery on one day, `state = fold(events)`, so that a crash, a reload and a second device are safe.
//! What a test of it starts from ([`start`]), what it came to ([`row`]) and what the visit taught ([`learned`]).

pub mod learned;
pub mod row;
pub mod start;

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::{battery::Battery, catalogue::Protocol};
pub use learned::{Judged, Learned, learned};
pub use row::{Row, Seen};
pub use start::{Same, conditions, counted, variant_name, waits_for};

/// Something that happened in a visit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum VisitEvent {
    /// A test was begun on the floor.
    Begun {
        /// Its place in the battery, from 0.
        place: usize,
        run: Uuid,
    },
    /// A test is done.
    Done { place: usize, result: Uuid },
    /// A run was closed without a result: the test is still to come.
    Ended { place: usize },
    /// A test is left out.
    Skipped {
        place: usize,
        /// Why.
        reason: Option<String>,
    },
    /// A test that was left out is done after all.
    TakenUp { place: usize },
    /// A test that was done is done once more: both results stay, the later one counts unless another is chosen.
    Again { place: usize },
    /// Which of several results of a test counts.
    Counts { place: usize, result: Uuid },
    /// A result was made void or given to somebody else: it is no more of this visit.
    Withdrawn { place: usize, result: Uuid },
    /// A result that was withdrawn is of this visit again.
    Returned { place: usize, result: Uuid },
    /// A test is done next, before its turn.
    Moved { place: usize },
    /// The window of the visit begins: its clock runs from here.
    WindowBegun,
    /// The visit is over.
    Closed,
}

impl VisitEvent {
    /// The place it is about.
    pub const fn place(&self) -> Option<usize> {
        match self {
            Self::Begun { place, .. }
            | Self::Done { place, .. }
            | Self::Ended { place }
            | Self::Skipped { place, .. }
            | Self::TakenUp { place }
            | Self::Again { place }
            | Self::Counts { place, .. }
            | Self::Withdrawn { place, .. }
            | Self::Returned { place, .. }
            | Self::Moved { place } => Some(*place),
            Self::WindowBegun | Self::Closed => None,
        }
    }
}

/// Where a test of the visit stands.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Stand {
    #[default]
    ToCome,
    /// On the floor.
    Running,
    Done,
    /// Left out.
    Skipped,
}

/// A test of the visit.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PlaceState {
    /// Where it stands.
    pub stand: Stand,
    /// Its latest run.
    pub run: Option<Uuid>,
    pub result: Option<Uuid>,
    /// The result of each time it was done, the first first.
    #[serde(default)]
    pub tries: Vec<Uuid>,
    /// Why it was left out.
    pub reason: Option<String>,
}

/// Where a visit stands.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct VisitState {
    /// Every test, by its place in the battery.
    pub places: Vec<PlaceState>,
    /// The places in the order in which they are done.
    pub order: Vec<usize>,
    /// Whether it is over.
    pub closed: bool,
}

/// Folds what happened. What is said twice happens once; what is about no test of the battery, or comes after the end,
/// changes nothing. After the end only a test that was running comes to its end, and a correction takes a result out or back.
pub fn fold<'e>(battery: &Battery, events: impl IntoIterator<Item = &'e VisitEvent>) -> VisitState {
    fold_places(&battery.either(), battery.window_min.is_some(), events)
}

/// The same of tests of which nothing is known but with which others one is enough ([`crate::battery::Slot::either`]). `free`: in a window
/// a test is tried as often as one likes.
pub fn fold_places<'e>(either: &[Option<&str>], free: bool, events: impl IntoIterator<Item = &'e VisitEvent>) -> VisitState {
    let tests = either.len();
    let mut state = VisitState { places: vec![PlaceState::default(); tests], order: (0..tests).collect(), closed: false };
    let mut wanted = vec![false; tests];
    for event in events {
        if event.place().is_some_and(|p| p >= state.places.len()) || state.closed && !state.takes_after_its_end(event) {
            continue;
        }
        if let VisitEvent::Begun { place, .. } | VisitEvent::TakenUp { place } | VisitEvent::Moved { place } = event {
            wanted[*place] = true;
        }
        match event {
            VisitEvent::Begun { place, run } => {
                let at = &mut state.places[*place];
                if at.stand != Stand::Done || free {
                    let (result, tries) = (at.result, std::mem::take(&mut at.tries));
                    *at = PlaceState { stand: Stand::Running, run: Some(*run), result, tries, reason: None };
                }
            }
            VisitEvent::Done { place, result } => {
                let at = &mut state.places[*place];
                let mut tries = std::mem::take(&mut at.tries);
                if !tries.contains(result) {
                    tries.push(*result);
                }
                *at = PlaceState { stand: Stand::Done, result: Some(*result), tries, run: at.run, reason: None };
            }
            VisitEvent::Ended { place } | VisitEvent::TakenUp { place } => {
                let at = &mut state.places[*place];
                if at.stand != Stand::Done {
                    // A try that came to nothing leaves those before it.
                    let tries = std::mem::take(&mut at.tries);
                    let stand = if tries.is_empty() { Stand::ToCome } else { Stand::Done };
                    *at = PlaceState { stand, result: tries.last().copied(), tries, ..PlaceState::default() };
                }
            }
            VisitEvent::Skipped { place, reason } => {
                let at = &mut state.places[*place];
                if at.stand != Stand::Done && at.tries.is_empty() {
                    *at = PlaceState { stand: Stand::Skipped, reason: reason.clone(), ..PlaceState::default() };
                } else if at.stand == Stand::ToCome {
                    // Not done once more after all.
                    at.stand = Stand::Done;
                }
            }
            VisitEvent::Again { place } => {
                let at = &mut state.places[*place];
                if at.stand == Stand::Done && !free {
                    at.stand = Stand::ToCome;
                }
            }
            VisitEvent::Counts { place, result } => {
                let at = &mut state.places[*place];
                if at.tries.contains(result) {
                    at.result = Some(*result);
                }
            }
            VisitEvent::Withdrawn { place, result } => {
                let at = &mut state.places[*place];
                at.tries.retain(|tried| tried != result);
                if at.result == Some(*result) {
                    at.result = at.tries.last().copied();
                }
                if at.tries.is_empty() && at.stand == Stand::Done {
                    *at = PlaceState::default();
                }
            }
            VisitEvent::Returned { place, result } => {
                let at = &mut state.places[*place];
                if !at.tries.contains(result) {
                    at.tries.push(*result);
                    at.result = Some(*result);
                }
                if at.stand != Stand::Running {
                    at.stand = Stand::Done;
                }
            }
            VisitEvent::Moved { place } => {
                // Next: before the first that is still to come.
                let before = state.order.iter().position(|p| p != place && state.places[*p].stand == Stand::ToCome);
                if state.places[*place].stand == Stand::ToCome {
                    let from = state.order.iter().position(|p| p == place).unwrap_or(0);
                    if let Some(to) = before.filter(|to| *to < from) {
                        state.order.remove(from);
                        state.order.insert(to, *place);
                    }
                }
            }
            VisitEvent::WindowBegun => {}
            VisitEvent::Closed => state.closed = true,
        }
    }
    state.leave_out(either, &wanted);
    state
}

impl VisitState {
    /// Leaves out what another test stands in for that was done. `wanted`: what was asked for all the same.
    fn leave_out(&mut self, either: &[Option<&str>], wanted: &[bool]) {
        let needless: Vec<usize> = (0..self.places.len())
            .filter(|k| self.places[*k].stand == Stand::ToCome && self.places[*k].tries.is_empty() && !wanted[*k])
            .filter(|k| self.stands_in(either, *k).is_some())
            .collect();
        for k in needless {
            self.places[k].stand = Stand::Skipped;
        }
    }

    /// The test that was done and makes this one needless.
    pub fn stands_in(&self, either: &[Option<&str>], place: usize) -> Option<usize> {
        let word = either.get(place).copied().flatten()?;
        (0..self.places.len()).find(|k| {
            *k != place && either[*k] == Some(word) && (self.places[*k].stand == Stand::Done || !self.places[*k].tries.is_empty())
        })
    }

    /// Whether an event counts although the visit is over.
    fn takes_after_its_end(&self, event: &VisitEvent) -> bool {
        match event {
            VisitEvent::Done { place, .. } | VisitEvent::Ended { place } => self.places[*place].stand == Stand::Running,
            VisitEvent::Counts { .. } | VisitEvent::Withdrawn { .. } | VisitEvent::Returned { .. } => true,
            _ => false,
        }
    }

    /// The test that is on the floor, else the first that is to come and open. `opens`: whether a place is open.
    pub fn next(&self, opens: &dyn Fn(usize) -> bool) -> Option<usize> {
        if self.closed {
            return None;
        }
        let running = self.order.iter().find(|p| self.places[**p].stand == Stand::Running);
        running.or_else(|| self.order.iter().find(|p| self.places[**p].stand == Stand::ToCome && opens(**p))).copied()
    }

    /// How many are done.
    pub fn done(&self) -> usize {
        self.places.iter().filter(|p| p.stand == Stand::Done).count()
    }
}

/// What doing a test before its turn costs; nothing where it costs nothing.
pub fn cost_of_moving(moved: &Protocol, before: &Protocol) -> Option<String> {
    let rank = |p: &Protocol| crate::catalogue::section(&p.section).map_or(0, |s| s.rank);
    (rank(moved) > rank(before))
        .then(|| format!("After the {} the result of the {} may be lower; compare only visits in the same order.", moved.name, before.name))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::catalogue;
    use proptest::prelude::*;

    fn three() -> Battery {
        let tests = ["air-squat", "plank", "push-up"].map(crate::battery::Slot::of).to_vec();
        Battery { tests, ..Battery::of_one(catalogue::find("plank").unwrap()) }
    }

    #[test]
    fn of_two_of_which_one_is_enough_the_other_is_left_out_unless_it_is_taken_up() {
        let mut battery = three();
        for test in &mut battery.tests[..2] {
            test.either = Some("endurance".into());
        }
        let done = VisitEvent::Done { place: 1, result: Uuid::from_u128(2) };
        let stands = |events: &[VisitEvent]| fold(&battery, events).places.iter().map(|p| p.stand).collect::<Vec<_>>();
        assert_eq!(stands(&[]), [Stand::ToCome; 3]);
        assert_eq!(stands(std::slice::from_ref(&done)), [Stand::Skipped, Stand::Done, Stand::ToCome]);
        let state = fold(&battery, [&done]);
        assert_eq!((state.next(&|_| true), state.stands_in(&battery.either(), 0)), (Some(2), Some(1)));
        assert_eq!(stands(&[done.clone(), VisitEvent::TakenUp { place: 0 }]), [Stand::ToCome, Stand::Done, Stand::ToCome]);
        let void = VisitEvent::Withdrawn { place: 1, result: Uuid::from_u128(2) };
        assert_eq!(stands(&[done, void]), [Stand::ToCome; 3], "what stood in for it does not count any more");
    }

    #[test]
    fn one_test_after_another_and_a_run_without_a_result_comes_again() {
        let (run, result) = (Uuid::from_u128(1), Uuid::from_u128(2));
        let battery = three();
        let open = |_: usize| true;
        let at = |events: &[VisitEvent]| fold(&battery, events);
        assert_eq!(at(&[]).next(&open), Some(0));
        let begun = VisitEvent::Begun { place: 0, run };
        assert_eq!(at(std::slice::from_ref(&begun)).next(&open), Some(0));
        assert_eq!(at(&[begun.clone(), VisitEvent::Ended { place: 0 }]).next(&open), Some(0));
        let done = [begun, VisitEvent::Done { place: 0, result }];
        assert_eq!((at(&done).next(&open), at(&done).done()), (Some(1), 1));
        // The gate keeps a place back, and nothing is begun again that is done.
        assert_eq!(at(&done).next(&|p| p != 1), Some(2));
        let again = [done.as_slice(), &[VisitEvent::Skipped { place: 0, reason: None }, VisitEvent::Begun { place: 0, run }]].concat();
        assert_eq!(at(&again).places[0].stand, Stand::Done);
    }

    #[test]
    fn done_once_more_both_stay_and_the_later_counts_until_another_is_chosen() {
        let (first, second) = (Uuid::from_u128(1), Uuid::from_u128(2));
        let battery = three();
        let mut events = vec![VisitEvent::Done { place: 0, result: first }, VisitEvent::Again { place: 0 }];
        let at = |events: &[VisitEvent]| fold(&battery, events);
        assert_eq!(at(&events).next(&|_| true), Some(0), "it is next");
        // Not done once more after all: what was done stays.
        let left = [events.as_slice(), &[VisitEvent::Skipped { place: 0, reason: None }]].concat();
        assert_eq!((at(&left).places[0].stand, at(&left).places[0].result), (Stand::Done, Some(first)));
        events.extend([VisitEvent::Begun { place: 0, run: Uuid::from_u128(9) }, VisitEvent::Done { place: 0, result: second }]);
        let state = at(&events);
        assert_eq!((state.places[0].tries.as_slice(), state.places[0].result), ([first, second].as_slice(), Some(second)));
        events.extend([VisitEvent::Closed, VisitEvent::Counts { place: 0, result: first }]);
        assert_eq!(at(&events).places[0].result, Some(first), "also after the visit");
        events.push(VisitEvent::Counts { place: 0, result: Uuid::from_u128(77) });
        assert_eq!(at(&events).places[0].result, Some(first), "a result of another test does not count here");
        assert_eq!(at(&[VisitEvent::Again { place: 1 }]).places[1].stand, Stand::ToCome);
    }

    #[test]
    fn a_result_that_is_withdrawn_leaves_its_place_open_and_comes_back() {
        let (first, second) = (Uuid::from_u128(1), Uuid::from_u128(2));
        let battery = three();
        let done = [VisitEvent::Done { place: 0, result: first }, VisitEvent::Closed];
        let out = [done.as_slice(), &[VisitEvent::Withdrawn { place: 0, result: first }]].concat();
        assert_eq!(fold(&battery, &out).places[0], PlaceState::default());
        let back = [out.as_slice(), &[VisitEvent::Returned { place: 0, result: first }]].concat();
        assert_eq!((fold(&battery, &back).done(), fold(&battery, &back).places[0].result), (1, Some(first)));
        // Of two the other one counts then.
        let twice = [
            VisitEvent::Done { place: 0, result: first },
            VisitEvent::Again { place: 0 },
            VisitEvent::Done { place: 0, result: second },
            VisitEvent::Withdrawn { place: 0, result: second },
        ];
        assert_eq!(fold(&battery, &twice).places[0].result, Some(first));
    }

    #[test]
    fn a_test_can_be_done_before_its_turn_and_one_left_out_taken_up_again() {
        let battery = three();
        let moved = fold(&battery, &[VisitEvent::Moved { place: 2 }]);
        assert_eq!(moved.order, [2, 0, 1]);
        let skipped = [VisitEvent::Skipped { place: 0, reason: Some("sore knee".into()) }];
        assert_eq!(fold(&battery, &skipped).next(&|_| true), Some(1));
        let back = [skipped[0].clone(), VisitEvent::TakenUp { place: 0 }];
        assert_eq!(fold(&battery, &back).next(&|_| true), Some(0));
        assert_eq!(fold(&battery, &[VisitEvent::Closed]).next(&|_| true), None);
        let cost = cost_of_moving(catalogue::find("push-up").unwrap(), catalogue::find("air-squat").unwrap());
        assert!(cost.unwrap().contains("may be lower"));
    }

    #[test]
    fn in_a_window_a_test_is_tried_again_and_every_try_is_kept() {
        let battery = Battery { window_min: Some(30), ..three() };
        let (run, a, b) = (Uuid::from_u128(1), Uuid::from_u128(2), Uuid::from_u128(3));
        let begun = VisitEvent::Begun { place: 0, run };
        let done = |result: Uuid| VisitEvent::Done { place: 0, result };
        let twice = [VisitEvent::WindowBegun, begun.clone(), done(a), begun.clone(), done(b)];
        assert_eq!(fold(&battery, &twice).places[0].tries, [a, b]);
        let broken = fold(&battery, &[begun.clone(), done(a), begun, VisitEvent::Ended { place: 0 }]);
        assert_eq!((broken.places[0].stand, broken.places[0].result), (Stand::Done, Some(a)));
    }

    fn any_event() -> impl Strategy<Value = VisitEvent> {
        (0usize..5, 0u8..7).prop_map(|(place, what)| match what {
            0 => VisitEvent::Begun { place, run: Uuid::from_u128(7) },
            1 => VisitEvent::Done { place, result: Uuid::from_u128(8) },
            2 => VisitEvent::Ended { place },
            3 => VisitEvent::Skipped { place, reason: None },
            4 => VisitEvent::TakenUp { place },
            5 => VisitEvent::Moved { place },
            _ => VisitEvent::Closed,
        })
    }

    proptest! {
        #[test]
        fn no_test_is_lost_and_what_is_done_stays_done(events in prop::collection::vec(any_event(), 0..40)) {
            let battery = three();
            let state = fold(&battery, &events);
            let mut order = state.order.clone();
            order.sort_unstable();
            prop_assert_eq!(order, vec![0, 1, 2]);
            let before = events.iter().position(|e| *e == VisitEvent::Closed).unwrap_or(events.len());
            for (k, place) in state.places.iter().enumerate() {
                let is_done = |e: &VisitEvent| matches!(e, VisitEvent::Done { place, .. } if *place == k);
                let was_running = fold(&battery, &events[..before]).places[k].stand == Stand::Running;
                let ends_late = events[before..].iter().find(|e| matches!(e, VisitEvent::Done { place, .. } | VisitEvent::Ended { place } if *place == k));
                let was_done = events[..before].iter().any(is_done) || was_running && ends_late.is_some_and(is_done);
                prop_assert_eq!(was_done, place.stand == Stand::Done);
            }
            if let Some(next) = state.next(&|_| true) {
                prop_assert!(matches!(state.places[next].stand, Stand::ToCome | Stand::Running));
            }
        }
    }

    #[test]
    fn a_test_that_ran_when_the_visit_was_closed_still_comes_to_its_end() {
        let battery = three();
        let run = Uuid::from_u128(7);
        let result = Uuid::from_u128(8);
        let mut events = vec![VisitEvent::Begun { place: 1, run }, VisitEvent::Closed];
        assert_eq!(fold(&battery, &events).places[1].stand, Stand::Running);
        events.extend([
            VisitEvent::Done { place: 1, result },
            VisitEvent::Done { place: 0, result },
            VisitEvent::Skipped { place: 2, reason: None },
        ]);
        let state = fold(&battery, &events);
        assert_eq!((state.places[1].stand, state.places[1].result), (Stand::Done, Some(result)));
        assert_eq!((state.places[0].stand, state.places[2].stand), (Stand::ToCome, Stand::ToCome), "nothing else happens after the end");
    }
}
