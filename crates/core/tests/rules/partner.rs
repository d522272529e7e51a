//! What a partner's phone is told, and what it works out of it.

use crate::anything::{any_run, dealt, facts, live};
use crate::screen::{Screen, t0};
use chrono::TimeDelta;
use impulso_core::{
    catalogue,
    conditions::Answer,
    run::{Beside, Event, Kind, Setup, StopReason, board::TileStand, partner},
    units::Age,
};
use proptest::prelude::*;
use uuid::Uuid;

const PEOPLE: u16 = 3;

/// Another name for a screen, one for each.
fn stand_in(event: &Event) -> Uuid {
    Uuid::from_u128(!event.device.as_u128())
}

/// What the server says of the one in this slot, and what the phone beside them works out.
fn both(protocol: &catalogue::Protocol, setup: &Setup, events: &[Event], slot: u16) -> (Beside, Beside) {
    let facts = facts(protocol, setup, PEOPLE);
    let said = facts.view(events, t0() + TimeDelta::minutes(30)).for_partners().beside(Some(slot)).beside.unwrap();
    let (told, _) = partner::told(events, slot, |e| Some(stand_in(e)));
    (said, facts.for_partner(slot).unwrap().beside(&told, slot).unwrap())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn a_phone_comes_to_what_the_server_says_without_a_fact_about_anybody((which, events) in any_run(), slot in 0..PEOPLE) {
        let (protocol, setup) = live(which);
        prop_assume!(protocol.board_kind().is_some() || protocol.suits_grid() || protocol.is_done_in_pairs());
        let events = dealt(events, PEOPLE);
        let (said, worked_out) = both(protocol, &setup, &events, slot);
        prop_assert_eq!(Beside { decision: None, ..said }, worked_out);
    }

    #[test]
    fn a_phone_is_told_that_something_happened_to_others_and_nothing_else((which, events) in any_run(), slot in 0..PEOPLE) {
        let (_, events) = (which, dealt(events, PEOPLE));
        let (told, hidden) = partner::told(&events, slot, |e| Some(stand_in(e)));
        prop_assert!(told.iter().all(|e| e.slot.is_none_or(|s| s == slot)));
        prop_assert!(told.iter().all(|e| e.seq == 0 && events.iter().all(|other| other.device != e.device)), "no screen but by another name");
        prop_assert_eq!(told.len() + hidden.len(), events.len());
    }
}

#[test]
fn three_missed_beats_end_the_count_on_the_phone_too() {
    let protocol = catalogue::find("push-up").unwrap();
    let conditions = [("rule", "cadence_20"), ("style", "toes"), ("depth", "elbows_90")];
    let conditions = conditions.into_iter().map(|(k, a)| (k.to_owned(), Answer::Text(a.into()))).collect();
    let setup = Setup { conditions, together: true, ..Setup::default() };
    let mut screen = Screen::new(7);
    screen.at(0.0, Kind::ClockStarted);
    for k in 0..4 {
        screen.of_slot(8_000.0 + 3_000.0 * f64::from(k), Some(1), Kind::Counted { input: "reps_toes".into(), side: None, by: 1 });
        screen.of_slot(8_100.0 + 3_000.0 * f64::from(k), Some(2), Kind::Counted { input: "reps_toes".into(), side: None, by: 1 });
    }
    for k in 0..3 {
        screen.of_slot(20_000.0 + 3_000.0 * f64::from(k), Some(1), Kind::BeatMissed);
    }
    let (said, worked_out) = both(protocol, &setup, &screen.events, 1);
    assert_eq!(said, worked_out);
    assert_eq!(
        (worked_out.stand, worked_out.done, worked_out.note.as_deref()),
        (Some(TileStand::Done), 4, Some("3 missed in a row: over"))
    );
    assert_eq!(both(protocol, &setup, &screen.events, 2).1.stand, Some(TileStand::Going));
}

#[test]
fn a_phone_is_told_nothing_of_who_somebody_is_and_why_they_left() {
    let protocol = catalogue::find("shuttle-20m").unwrap();
    let setup = Setup { age: Age::new(15.0).ok(), last_value: Some(44.0), together: true, ..Setup::default() };
    let facts = facts(protocol, &setup, PEOPLE);
    let own = facts.for_partner(1).unwrap();
    assert_eq!((own.performers.len(), own.performers[0].person), (1, None));
    assert_eq!((own.performers[0].setup.age, own.performers[0].setup.last_value), (None, None));
    let mut screen = Screen::new(7);
    screen.at(0.0, Kind::ClockStarted);
    screen.of_slot(30_000.0, Some(1), Kind::LeftRun { reason: StopReason::Symptoms });
    let (told, _) = partner::told(&screen.events, 1, |e| Some(stand_in(e)));
    assert_eq!(told[1].kind, Kind::LeftRun { reason: StopReason::Volitional });
    let (said, worked_out) = both(protocol, &setup, &screen.events, 1);
    assert_eq!((said.note, worked_out.note), (None, None));
}
