//! Efforts against the clock, and many performers on one clock.

use crate::screen::Screen;
use impulso_core::{
    catalogue::{self, Protocol},
    person::Sex,
    rehearse,
    run::{DecisionCode, Kind, Setup, State, Status, check_event, event::Answer, fold, fold_slot},
    simulate::Client,
    test_record::{Circumstances, Options, TestRecord, compute},
    units::{Age, BodyMass, Cadence},
};

/// The count-in of every effort.
const START: f64 = 5_000.0;

fn protocol(id: &str) -> &'static Protocol {
    catalogue::find(id).unwrap()
}

fn setup(lap_m: f64) -> Setup {
    Setup {
        conditions: [("lap_m".to_owned(), Answer::Number(lap_m)), ("trained".to_owned(), Answer::YesNo(true))].into(),
        sex: Some(Sex::Male),
        age: Some(Age::new(35.0).unwrap()),
        mass: Some(BodyMass::new(80.0).unwrap()),
        ..Setup::default()
    }
}

fn value(protocol: &Protocol, setup: &Setup, state: &State, quantity: &str) -> f64 {
    let inputs = state.inputs(protocol, setup);
    let record = TestRecord {
        protocol,
        facts: setup.facts(),
        inputs: &inputs,
        options: Options::default(),
        circumstances: Circumstances::default(),
    };
    compute(&record).unwrap().result(quantity).unwrap().value
}

fn twelve_minutes(last: Option<f64>) -> (Screen, Setup) {
    let mut screen = Screen::new(5);
    screen.at(0.0, Kind::ClockStarted);
    for lap in 1..=6 {
        screen.at(START + f64::from(lap) * 112_000.0, Kind::Tallied);
    }
    (screen, Setup { last_value: last, ..setup(400.0) })
}

#[test]
fn six_laps_and_a_hundred_and_twenty_metres() {
    let (mut screen, setup) = twelve_minutes(Some(2400.0));
    let run = protocol("run-12min");
    let state = fold(run, &setup, &screen.events);
    let effort = state.effort().cloned().unwrap();
    assert_eq!((effort.distance_m, effort.tallies_ms.len()), (Some(2400.0), 6));
    assert_eq!(effort.laps[0], "Lap 1: 400 m at 1:52, 1:52 for it, 27 m ahead of last time’s even pace");
    assert!(!state.can_finish, "the part of the lap is still due");
    screen.at(START + 724_000.0, Kind::ValueTyped { key: "extra_m".into(), value: 120.0 });
    screen.at(START + 726_000.0, Kind::Finished);
    let state = fold(run, &setup, &screen.events);
    assert_eq!(state.status, Status::Finished);
    assert_eq!(value(run, &setup, &state, "distance_m"), 2520.0);
    assert!((value(run, &setup, &state, "vo2max") - 45.05).abs() < 0.005);
}

#[test]
fn the_part_of_the_last_lap_counts_at_once_and_is_held_to_the_length_of_a_lap() {
    let (mut screen, setup) = twelve_minutes(None);
    let run = protocol("run-12min");
    let part = |value: f64| Kind::ValueTyped { key: "extra_m".into(), value };
    let state = fold(run, &setup, &screen.events);
    let due = state.dues.iter().find(|d| d.key == "extra_m").unwrap();
    assert_eq!(due.usual.unwrap().to, 400.0, "more than a lap is asked about");
    let mut slip = Screen::new(9);
    slip.at(START + 724_000.0, part(1200.0));
    assert!(check_event(run, &state, &slip.events[0]).unwrap_err().message.contains("longer than two laps"));
    screen.at(START + 724_000.0, part(120.0));
    assert_eq!(fold(run, &setup, &screen.events).effort().unwrap().distance_m, Some(2520.0));
}

#[test]
fn what_was_set_aside_is_said_until_the_next_lap() {
    let (run, setup) = (protocol("run-12min"), setup(400.0));
    let mut screen = Screen::new(1);
    screen.at(0.0, Kind::ClockStarted);
    screen.at(START + 112_000.0, Kind::Tallied);
    screen.at(START + 112_600.0, Kind::Tallied);
    assert!(fold(run, &setup, &screen.events).decision.is_some());
    screen.at(START + 224_000.0, Kind::Tallied);
    let state = fold(run, &setup, &screen.events);
    assert_eq!((state.effort().unwrap().tallies_ms.len(), state.decision), (2, None));
}

#[test]
fn a_lap_key_hit_twice_in_a_second_counts_once_and_says_so() {
    let (mut screen, setup) = twelve_minutes(None);
    screen.at(START + 672_600.0, Kind::Tallied);
    let state = fold(protocol("run-12min"), &setup, &screen.events);
    assert_eq!(state.effort().cloned().unwrap().tallies_ms.len(), 6);
    let decision = state.decision.unwrap();
    assert_eq!(decision.code, DecisionCode::SetAside);
    assert!(decision.because.contains("stays at 6"), "{}", decision.because);
}

#[test]
fn a_lap_after_the_time_does_not_count_and_a_run_without_a_lap_has_no_result() {
    let (mut screen, setup) = twelve_minutes(None);
    screen.at(START + 721_000.0, Kind::Tallied);
    assert_eq!(fold(protocol("run-12min"), &setup, &screen.events).effort().cloned().unwrap().tallies_ms.len(), 6);

    let mut screen = Screen::new(5);
    screen.at(0.0, Kind::ClockStarted);
    screen.at(START + 721_000.0, Kind::ValueTyped { key: "extra_m".into(), value: 0.0 });
    screen.at(START + 722_000.0, Kind::Finished);
    let state = fold(protocol("run-12min"), &setup, &screen.events);
    assert_eq!((state.status, state.can_finish), (Status::Running, false), "no lap and no metre is no distance");
}

#[test]
fn the_part_of_the_lap_is_not_asked_for_while_the_clock_runs() {
    let (screen, setup) = twelve_minutes(None);
    let state = fold(protocol("run-12min"), &setup, &screen.events);
    let mut early = Screen::new(8);
    early.at(START + 300_000.0, Kind::ValueTyped { key: "extra_m".into(), value: 120.0 });
    assert!(check_event(protocol("run-12min"), &state, &early.events[0]).unwrap_err().message.contains("due when the effort is over"));
}

#[test]
fn the_mile_walk_takes_the_time_at_the_line_and_the_heart_rate_at_once() {
    let (walk, setup) = (protocol("mile-walk"), setup(400.0));
    let mut screen = Screen::new(5);
    screen.at(0.0, Kind::ClockStarted);
    screen.at(START + 45_000.0, Kind::Crossed);
    let state = fold(walk, &setup, &screen.events);
    assert_eq!(state.effort().unwrap().end_ms, None, "a finish after 45 seconds is a slip");
    assert!(state.decision.unwrap().because.contains("nobody covers 1609 m that fast"));
    screen.at(START + 870_000.0, Kind::Crossed);
    let state = fold(walk, &setup, &screen.events);
    assert_eq!((state.dues[0].key.as_str(), state.dues[0].value), ("hr_end", None));
    screen.at(START + 880_000.0, Kind::ValueTyped { key: "hr_end".into(), value: 132.0 });
    screen.at(START + 884_000.0, Kind::Finished);
    let state = fold(walk, &setup, &screen.events);
    let inputs = state.inputs(walk, &setup);
    assert_eq!((inputs["time_s"], inputs["hr_end"]), (870.0, 132.0));
}

#[test]
fn the_march_counts_the_key_and_the_number_typed_stands() {
    let (march, setup) = (protocol("march-2min"), setup(1.0));
    let mut screen = Screen::new(5);
    screen.at(0.0, Kind::ClockStarted);
    for lift in 1..=90 {
        screen.at(START + f64::from(lift) * 1_300.0, Kind::Tallied);
    }
    let state = fold(march, &setup, &screen.events);
    assert_eq!(state.dues[0].suggested, Some(90.0));
    screen.at(START + 125_000.0, Kind::ValueTyped { key: "reps".into(), value: 92.0 });
    screen.at(START + 126_000.0, Kind::Finished);
    let state = fold(march, &setup, &screen.events);
    assert_eq!(value(march, &setup, &state, "reps"), 92.0);
}

#[test]
fn two_thousand_metres_of_rowing_end_with_the_finish_key() {
    let (row, setup) = (protocol("row-2000m"), setup(1.0));
    let mut screen = Screen::new(5);
    screen.at(0.0, Kind::ClockStarted);
    screen.at(START + 422_000.0, Kind::Crossed);
    screen.at(START + 425_000.0, Kind::Finished);
    let state = fold(row, &setup, &screen.events);
    assert_eq!(state.status, Status::Finished);
    assert!((value(row, &setup, &state, "vo2max") - 64.375).abs() < 1e-9);
}

#[test]
fn stopping_before_the_time_leaves_no_estimate() {
    let (mut screen, setup) = twelve_minutes(None);
    screen.events.truncate(4);
    screen.at(START + 400_000.0, Kind::Stopped);
    screen.at(START + 401_000.0, Kind::Finished);
    let state = fold(protocol("run-12min"), &setup, &screen.events);
    assert_eq!(state.status, Status::FinishedEarly);
    let read = state.inputs(protocol("run-12min"), &setup);
    assert!(compute(&TestRecord::of(protocol("run-12min"), setup.facts(), &read)).is_err(), "{read:?}");
}

#[test]
fn one_clock_serves_forty_performers_each_with_a_count_of_their_own() {
    let class = protocol("class-step-3min");
    let setup = Setup { cadence: Cadence::new(96.0).ok(), ..setup(1.0) };
    let mut teacher = Screen::new(1);
    teacher.at(0.0, Kind::ClockStarted);
    let mut events = teacher.events.clone();
    for slot in 0..39u16 {
        let mut partner = Screen::new(100 + u128::from(slot));
        partner.of_slot(202_000.0 + f64::from(slot) * 50.0, Some(slot), Kind::CountTyped { count: 18.0 + f64::from(slot % 7) });
        events.extend(partner.events);
    }
    teacher.at(230_000.0, Kind::Finished);
    events.push(teacher.events[1].clone());
    for slot in 0..39u16 {
        let state = fold_slot(class, &setup, &events, slot);
        assert_eq!((state.status, state.reading().unwrap().bpm), (Status::Finished, Some(6.0 * (18.0 + f64::from(slot % 7)))));
    }
    let missing = fold_slot(class, &setup, &events, 39);
    assert_eq!((missing.status, missing.reading().unwrap().bpm), (Status::Running, None), "the fortieth is still missing");
}

#[test]
fn a_lap_that_no_loop_has_is_refused_at_set_up() {
    for id in ["run-12min", "walk-6min"] {
        let protocol = catalogue::find(id).unwrap();
        for (lap, fits) in [(400.0, true), (0.0, false), (-5.0, false), (1e308, false), (f64::NAN, false)] {
            let mut setup = rehearse::setup(protocol, &Client::from_seed(3));
            setup.conditions.insert("lap_m".into(), Answer::Number(lap));
            let checked = setup.check(protocol);
            assert_eq!(checked.is_ok(), fits, "{id}: {lap}: {checked:?}");
            assert!(checked.err().is_none_or(|e| e.field.as_deref() == Some("lap_m")));
        }
    }
}
