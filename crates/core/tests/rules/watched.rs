//! What is watched rather than read: stages that are passed or not, and what is seen in one movement.

use crate::screen::Floor;
use impulso_core::{
    Code,
    conditions::Answer,
    inputs::Value,
    run::{Kind, Setup},
    test_record::{TestRecord, compute},
    units::{Age, BodyMass, Height},
};
use proptest::prelude::*;
use serde_json::{Value as Json, json};
use test_case::test_case;

/// A floor for somebody of 63 whose body is known.
fn floor_of(id: &str, conditions: &[(&str, Answer)]) -> Floor {
    let somebody = Setup { age: Age::new(63.0).ok(), mass: BodyMass::new(72.0).ok(), height: Height::new(176.0).ok(), ..Setup::default() };
    Floor::of(id, somebody, conditions)
}

/// What was read so far, as it is stored.
fn inputs(floor: &Floor) -> Json {
    let state = floor.state();
    let inputs = state.sheet().unwrap().inputs();
    if state.can_finish {
        compute(&TestRecord::of(floor.protocol, floor.setup.facts(), &inputs)).unwrap();
    }
    serde_json::to_value(inputs).unwrap()
}

/// By which code an event is not taken now.
fn refusal(floor: &Floor, kind: Kind) -> Option<Code> {
    floor.refusal(kind).map(|(code, _)| code)
}

fn stage(passed: bool) -> Kind {
    Kind::StageTried { input: "stage".into(), stage: None, passed }
}

fn rep() -> Kind {
    Kind::Counted { input: "reps".into(), side: None, by: 1 }
}

fn seen(input: &str, what: &str) -> Kind {
    Kind::Seen { input: input.into(), what: what.into() }
}

fn done(way: &str) -> Kind {
    Kind::MovementOver { input: format!("supports_{way}") }
}

#[test]
fn the_first_stage_that_fails_sends_back_one_for_as_many_as_possible() {
    let mut floor = floor_of("staged-sit-up", &[]);
    for passed in [true, true, true, false] {
        assert_eq!(floor.next().as_deref(), Some("stage"));
        floor.then(stage(passed));
    }
    assert_eq!(floor.next().as_deref(), Some("reps"));
    let sheet = floor.sheet();
    assert_eq!(sheet.rows[1].how.as_deref(), Some("Stage 3, wrists over the knees: as many as possible."));
    assert!(!floor.state().can_finish);
    assert_eq!(refusal(&floor, stage(true)), Some(Code::OutOfRange), "a ladder ends with the stage that failed");
    for _ in 0..9 {
        floor.then(rep());
    }
    assert!(floor.state().can_finish);
    assert_eq!(inputs(&floor), json!({"stage": 3.0, "reps": 9.0}));
}

#[test_case(&[false], 0.0, Some(0.0); "not even the first: nothing to count")]
#[test_case(&[true, false], 1.0, None; "one")]
#[test_case(&[true; 6], 6.0, None; "all six: as many as possible of the last")]
fn a_ladder_ends(tried: &[bool], stages: f64, reps: Option<f64>) {
    let mut floor = floor_of("staged-sit-up", &[]);
    for passed in tried {
        floor.then(stage(*passed));
    }
    let inputs = inputs(&floor);
    assert_eq!((inputs["stage"].as_f64(), inputs["reps"].as_f64()), (Some(stages), reps));
    assert_eq!(floor.state().can_finish, reps.is_some());
}

#[test]
fn a_stage_is_taken_back_and_the_last_one_may_be_typed() {
    let mut floor = floor_of("staged-sit-up", &[]);
    floor.then(stage(true));
    let slip = floor.then(stage(false));
    assert_eq!(floor.state().undoable.last().unwrap().what, "stage 2 failed");
    floor.then(Kind::Undone { event: slip });
    assert_eq!(floor.next().as_deref(), Some("stage"));
    floor.then(Kind::Taken { input: "stage".into(), side: None, attempt: None, value: Value::Number(4.0) });
    assert_eq!((floor.next().as_deref(), inputs(&floor)["stage"].as_f64()), (Some("reps"), Some(4.0)));
}

#[test]
fn each_support_has_its_key_and_none_is_a_reading() {
    let mut floor = floor_of("sit-rise-floor", &[("barefoot", Answer::YesNo(true))]);
    assert_eq!(floor.next().as_deref(), Some("supports_down"));
    floor.then(done("down"));
    assert_eq!(floor.next().as_deref(), Some("supports_up"));
    floor.then(seen("supports_up", "Hand"));
    let slip = floor.then(seen("supports_up", "Knee"));
    floor.then(seen("supports_up", "Hand on the thigh"));
    floor.then(seen("wobbles_up", "Wobble"));
    floor.then(Kind::Undone { event: slip });
    assert!(!floor.state().can_finish, "the way up is not over");
    floor.then(done("up"));
    assert_eq!(floor.next(), None);
    assert_eq!(inputs(&floor), json!({"supports_down": 0.0, "wobbles_down": 0.0, "supports_up": 2.0, "wobbles_up": 1.0}));
    assert_eq!(floor.sheet().rows[2].seen, ["Hand", "Hand on the thigh"]);
    // One that was overlooked is added while the run is open.
    floor.then(seen("supports_down", "Side of the leg"));
    assert_eq!(inputs(&floor)["supports_down"], json!(1.0));
}

#[test]
fn what_is_not_looked_for_is_refused() {
    let mut floor = floor_of("sit-rise-floor", &[("barefoot", Answer::YesNo(true))]);
    assert_eq!(refusal(&floor, seen("supports_down", "Wobble")), Some(Code::OutOfRange), "a wobble is no support");
    assert_eq!(refusal(&floor, seen("supports_sideways", "Hand")), Some(Code::UnknownField));
    assert_eq!(refusal(&floor, done("sideways")), Some(Code::UnknownField));
    let mut other = floor_of("staged-sit-up", &[]);
    other.then(stage(true));
    assert_eq!(refusal(&other, Kind::MovementOver { input: "stage".into() }), Some(Code::OutOfRange));
    assert_eq!(refusal(&floor, Kind::StageTried { input: "supports_down".into(), stage: None, passed: true }), Some(Code::OutOfRange));
    for _ in 0..10 {
        floor.then(seen("supports_down", "Hand"));
    }
    assert_eq!(refusal(&floor, seen("supports_down", "Hand")), Some(Code::OutOfRange), "ten are the most");
}

#[test]
fn a_ladder_of_hand_positions_stops_at_the_first_that_fails_and_asks_where_the_body_broke() {
    let mut floor = floor_of("push-up-hand-ladder", &[]);
    let push = |passed| Kind::StageTried { input: "position".into(), stage: None, passed };
    floor.then(push(true));
    floor.then(push(true));
    assert_eq!(floor.next().as_deref(), Some("position"));
    floor.then(push(false));
    assert_eq!(floor.next().as_deref(), Some("broke_at"));
    floor.then(Kind::Taken { input: "broke_at".into(), side: None, attempt: None, value: Value::Words("hips".into()) });
    assert_eq!((floor.next(), inputs(&floor)), (None, json!({"position": 2.0, "broke_at": "hips"})));
    let mut strong = floor_of("push-up-hand-ladder", &[]);
    for _ in 0..7 {
        strong.then(push(true));
    }
    assert_eq!((strong.next(), inputs(&strong)), (None, json!({"position": 7.0})), "nothing broke, nothing is asked");
}

#[test]
fn a_load_for_about_six_is_advised_from_last_time() {
    let mut floor = floor_of("reps-to-fatigue", &[("lift", Answer::Text("bench_press".into())), ("warm_up", Answer::YesNo(true))]);
    let advice = |floor: &Floor| floor.sheet().advice;
    assert_eq!(advice(&floor).unwrap().kg, None);
    floor.setup.last_value = Some(112.5);
    // 112.5 kg × 0.86 = 96.75 kg, to plates of 2.5 kg; at six repetitions Brzycki's equation gives 1 / 0.861 of the load.
    assert_eq!(advice(&floor).unwrap().kg, Some(97.5));
    floor.then(Kind::Taken { input: "load_kg".into(), side: None, attempt: None, value: Value::Number(97.5) });
    assert_eq!(advice(&floor), None);
    for _ in 0..10 {
        floor.then(rep());
    }
    assert!(floor.state().can_finish && advice(&floor).is_none(), "ten tell something");
    floor.then(rep());
    let more = advice(&floor).unwrap();
    assert!(!floor.state().can_finish && more.because.contains("rest 5 minutes, then lift 107.5 kg to 112.5 kg"), "{}", more.because);
}

/// The hand ladder, begun at a stage of the assessor's choice.
fn hands(at: Option<u8>, passed: bool) -> Kind {
    Kind::StageTried { input: "position".into(), stage: at, passed }
}

#[test_case(&[(Some(4), true), (None, true), (None, false)], Some(5.0); "up until one fails")]
#[test_case(&[(Some(4), false), (None, false), (None, true)], Some(2.0); "down until one is passed")]
#[test_case(&[(Some(2), false), (None, false)], Some(0.0); "none at all is a score")]
#[test_case(&[(Some(7), true)], Some(7.0); "the hardest at once")]
#[test_case(&[(Some(6), false)], None; "not known yet")]
#[test_case(&[(None, true), (None, false)], Some(1.0); "from the easiest where nothing is chosen")]
fn a_ladder_is_begun_anywhere_and_goes_down_where_the_first_fails(tried: &[(Option<u8>, bool)], position: Option<f64>) {
    let mut floor = floor_of("push-up-hand-ladder", &[]);
    for (at, passed) in tried {
        floor.then(hands(*at, *passed));
    }
    assert_eq!(floor.state().sheet().unwrap().inputs().get("position"), position);
}

#[test]
fn a_stage_out_of_turn_is_refused() {
    let mut floor = floor_of("push-up-hand-ladder", &[]);
    assert_eq!(refusal(&floor, hands(Some(8), true)), Some(Code::OutOfRange), "there are seven");
    floor.then(hands(Some(3), true));
    assert_eq!(floor.sheet().rows[0].stage, Some(4));
    assert_eq!(refusal(&floor, hands(Some(6), true)), Some(Code::OutOfRange));
    assert_eq!(refusal(&floor, hands(Some(4), true)), None);
    // Sit-ups begin at the easiest.
    assert_eq!(
        refusal(&floor_of("staged-sit-up", &[]), Kind::StageTried { input: "stage".into(), stage: Some(3), passed: true }),
        Some(Code::OutOfRange)
    );
}

proptest! {
    /// The stage of a result is how many were passed before the first that failed, whatever was pressed after it.
    #[test]
    fn the_stage_is_that_before_the_first_that_failed(tried in proptest::collection::vec(any::<bool>(), 0..9)) {
        let mut floor = floor_of("staged-sit-up", &[]);
        for passed in &tried {
            floor.then(stage(*passed));
        }
        let passed = tried.iter().take(6).take_while(|p| **p).count();
        let is_over = passed == 6 || tried.len() > passed;
        let shown = inputs(&floor)["stage"].as_f64();
        prop_assert_eq!(shown, is_over.then_some(passed as f64));
    }

    /// As many supports as keys pressed for them, in any order, each way on its own.
    #[test]
    fn supports_add_up_whatever_the_order(keys in proptest::collection::vec(0usize..4, 0..9)) {
        let all = [("supports_down", "Hand"), ("wobbles_down", "Wobble"), ("supports_up", "Knee"), ("wobbles_up", "Wobble")];
        let mut floor = floor_of("sit-rise-floor", &[("barefoot", Answer::YesNo(true))]);
        for k in &keys {
            floor.then(seen(all[*k].0, all[*k].1));
        }
        floor.then(done("up"));
        floor.then(done("down"));
        let inputs = inputs(&floor);
        for (k, (input, _)) in all.iter().enumerate() {
            prop_assert_eq!(inputs[*input].as_f64(), Some(keys.iter().filter(|n| **n == k).count() as f64));
        }
    }
}
