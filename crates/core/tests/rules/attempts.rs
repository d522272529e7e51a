//! Holds: from taking the position to losing it, with what is marked on the way.

use crate::screen::Screen;
use impulso_core::{
    Code,
    catalogue::{self, Protocol, parse},
    comparability::{Point, unlike},
    inputs::{Inputs, Value},
    person::{Facts, Sex},
    run::{Kind, Setup, State, Status, check_event, event::Answer, fold},
    test_record::{TestRecord, compute},
    units::Age,
};

/// The count-in of the hold.
const START: f64 = 5_000.0;

fn plank() -> &'static Protocol {
    catalogue::find("plank").unwrap()
}

fn setup(support: &str, limit: &str) -> Setup {
    let answer = |text: &str| Answer::Text(text.into());
    let conditions = [("support".to_owned(), answer(support)), ("limit_s".to_owned(), answer(limit))].into();
    Setup { conditions, sex: Some(Sex::Female), age: Age::new(21.0).ok(), ..Setup::default() }
}

fn mark(input: &str) -> Kind {
    Kind::Marked { mark: input.into() }
}

/// A hold with both its marks; gives the state and the readings.
fn held(limit: &str, end_ms: f64) -> (State, Inputs) {
    let setup = setup("forearm", limit);
    setup.check(plank()).unwrap();
    let mut screen = Screen::new(7);
    screen.at(0.0, Kind::ClockStarted);
    screen.at(START + 41_040.0, mark("shake_s"));
    screen.at(START + 88_000.0, mark("break_s"));
    screen.at(START + end_ms, Kind::PositionLost);
    screen.at(START + end_ms + 2_000.0, Kind::Finished);
    let state = fold(plank(), &setup, &screen.events);
    let inputs = state.inputs(plank(), &setup);
    (state, inputs)
}

#[test]
fn a_hold_is_its_seconds_with_the_shake_and_the_break() {
    let (state, inputs) = held("to_failure", 95_260.0);
    assert_eq!((state.status, inputs["seconds"], inputs["shake_s"], inputs["break_s"]), (Status::Finished, 95.3, 41.0, 88.0));
    assert_eq!((inputs.value("support"), inputs.value("limit_s")), (Some(&Value::Words("forearm".into())), None));
    let facts = Facts { sex: Some(Sex::Female), age: Age::new(21.0).ok(), ..Facts::default() };
    let outcome = compute(&TestRecord::of(plank(), facts, &inputs)).unwrap();
    // Strand et al. 2014: women's 70th percentile is 95 s, the 80th 108 s.
    assert!((outcome.norms[0].1.percentile.unwrap() - (70.0 + 10.0 * 0.3 / 13.0)).abs() < 1e-9);
    assert!(!outcome.passes[0].1.met, "two minutes is the mark");
}

#[test]
fn a_capped_hold_ends_at_its_cap_and_has_neither_norm_nor_mark() {
    let (state, inputs) = held("30", 95_000.0);
    assert_eq!((state.status, inputs["seconds"], inputs["limit_s"]), (Status::Finished, 30.0, 30.0));
    assert!(inputs.value("shake_s").is_none(), "after the cap nothing is marked");
    let outcome = compute(&TestRecord::of(plank(), Facts::default(), &inputs)).unwrap();
    assert!(outcome.norms.is_empty() && outcome.passes.is_empty() && outcome.flags.is_empty());
    // Nobody presses a key: it is over all the same.
    let setup = setup("forearm", "30");
    let mut screen = Screen::new(7);
    screen.at(0.0, Kind::ClockStarted);
    screen.at(START + 31_000.0, Kind::Finished);
    let state = fold(plank(), &setup, &screen.events);
    assert_eq!((state.status, state.inputs(plank(), &setup)["seconds"]), (Status::Finished, 30.0));
}

#[test]
fn a_position_that_cannot_be_taken_is_a_score_of_nothing() {
    let setup = setup("straight_arm", "to_failure");
    let mut screen = Screen::new(7);
    screen.at(0.0, Kind::ClockStarted);
    screen.at(START + 3_000.0, Kind::PositionNotTaken);
    screen.at(START + 5_000.0, Kind::Finished);
    let state = fold(plank(), &setup, &screen.events);
    let inputs = state.inputs(plank(), &setup);
    assert_eq!((state.status, inputs["seconds"]), (Status::Finished, 0.0));
    assert_eq!(compute(&TestRecord::of(plank(), Facts::default(), &inputs)).unwrap().result("seconds").unwrap().value, 0.0);
}

#[test]
fn a_slip_is_undone_and_a_stop_before_the_end_leaves_no_time() {
    let setup = setup("forearm", "to_failure");
    let mut screen = Screen::new(7);
    screen.at(0.0, Kind::ClockStarted);
    let slip = screen.at(START + 20_000.0, Kind::PositionLost);
    let state = fold(plank(), &setup, &screen.events);
    assert!(state.can_finish && state.undoable.last().is_some_and(|u| u.event == slip));
    screen.at(START + 21_000.0, Kind::Undone { event: slip });
    assert!(!fold(plank(), &setup, &screen.events).can_finish);
    screen.at(START + 40_000.0, Kind::Stopped);
    screen.at(START + 44_000.0, Kind::Finished);
    let state = fold(plank(), &setup, &screen.events);
    assert_eq!(state.status, Status::FinishedEarly);
    assert!(state.inputs(plank(), &setup).is_empty());
}

#[test]
fn a_hold_that_was_over_before_a_stop_is_kept_as_read_and_is_no_score() {
    let setup = setup("forearm", "to_failure");
    let mut screen = Screen::new(7);
    screen.at(0.0, Kind::ClockStarted);
    screen.at(START + 61_000.0, Kind::PositionLost);
    screen.at(START + 63_000.0, Kind::Stopped);
    screen.at(START + 64_000.0, Kind::Tap);
    screen.at(START + 65_000.0, mark("shake_s"));
    screen.at(START + 66_000.0, Kind::Finished);
    let state = fold(plank(), &setup, &screen.events);
    assert_eq!((state.status, state.inputs(plank(), &setup)["seconds"]), (Status::FinishedEarly, 61.0));
    assert!(state.hold().is_some_and(|h| h.marks[0].at_ms.is_none()), "nothing is marked after it");
}

#[test]
fn what_cannot_be_marked_is_told() {
    let setup = setup("forearm", "to_failure");
    let mut screen = Screen::new(7);
    screen.at(0.0, Kind::ClockStarted);
    screen.at(2_000.0, mark("shake_s"));
    screen.at(START + 1_000.0, mark("hips"));
    let state = fold(plank(), &setup, &screen.events[..1]);
    let refused = |k: usize| check_event(plank(), &state, &screen.events[k]).unwrap_err();
    assert_eq!((refused(1).code, refused(2).code), (Code::OutOfRange, Code::UnknownField));
    let bench = catalogue::find("bench-step-3min").unwrap();
    let state = fold(bench, &Setup::default(), &[]);
    assert!(check_event(bench, &state, &screen.events[2]).is_err(), "no other test knows marks");
}

#[test]
fn another_support_or_a_cap_is_another_test() {
    let point = |support: &str, limit: &str| Point {
        on: chrono::NaiveDate::default(),
        value: 60.0,
        method: plank().method_version().into(),
        conditions: std::borrow::Cow::Owned(setup(support, limit).recorded(plank())),
        ..Point::default()
    };
    let keys = |a: &Point, b: &Point| unlike(plank(), a, b).into_iter().map(|u| u.key).collect::<Vec<_>>();
    let usual = point("forearm", "to_failure");
    assert!(keys(&usual, &usual).is_empty());
    assert_eq!(keys(&usual, &point("straight_arm", "to_failure")), ["support"]);
    assert_eq!(keys(&usual, &point("forearm", "30")), ["limit_s"]);
}

/// A protocol of a shape that is known comes in as data alone: here as a text, while the program runs.
#[test]
fn a_hold_that_nobody_wrote_rust_for_runs_and_is_scored() {
    let text = r#"
        id = "lock-gate-lean"
        version = 1
        name = "Lean against the lock gate"
        section = "endurance"
        summary = "Leaning against a beam with straight arms for as long as it can be held."
        tells = "Whether the gate will open."
        effort = "light_to_moderate"
        uses_heart_rate = false
        minutes = 3
        phases = [
          { id = "count_in", kind = "count_in", label = "Hands on", seconds = 3, cue = "Hands on the beam." },
          { id = "work", kind = "work", label = "Lean", cue = "Straight arms." },
        ]
        inputs = [
          { key = "seconds", label = "Time", unit = "s", min = 0.0, max = 600.0, step = 0.1, required = true },
          { key = "beam_cm", label = "Height of the beam", unit = "cm", min = 60.0, max = 160.0, step = 1.0 },
        ]
        scoring = [{ quantity = "lean_index", formula = "seconds * beam_cm / 100" }]
        conditions = []
        equipment = []
        cautions = []
        procedure.family = "attempts"
        [[procedure.legs]]
        id = "lean"
        take = { kind = "hold", input = "seconds", ends = "Arms bent", zero = "Could not lean" }
        [[sources]]
        of = "everything"
        citation = "Made up for a check"
        kind = "common_practice"
    "#;
    let lean = parse(text).unwrap();
    let mut screen = Screen::new(7);
    screen.at(0.0, Kind::ClockStarted);
    screen.at(3_000.0 + 12_000.0, Kind::PositionLost);
    screen.at(20_000.0, Kind::Finished);
    let setup = Setup::default();
    let mut inputs = fold(&lean, &setup, &screen.events).inputs(&lean, &setup);
    let missing = compute(&TestRecord::of(&lean, Facts::default(), &inputs)).unwrap_err();
    assert_eq!((missing.code, missing.field.as_deref()), (Code::MissingInput, Some("beam_cm")), "an absent reading is an error, never 0");
    inputs.insert("beam_cm", 120.0);
    assert_eq!(compute(&TestRecord::of(&lean, Facts::default(), &inputs)).unwrap().result("lean_index").unwrap().value, 14.4);
    let broken = text.replace("seconds * beam_cm", "seconds * nothing");
    assert!(parse(&broken).unwrap_err().message.contains("nothing"), "a formula names what is recorded");
}
