//! Tests in attempts on their sheet: read, counted, timed, started on the clock, lifted.

use crate::screen::{Floor, Screen};
use impulso_core::{
    Code,
    attempts::Take,
    catalogue::{self, PhaseKind},
    conditions::Answer,
    inputs::Value,
    person::Sex,
    run::{Kind, Setup, Status, timeline::Tone},
    test_record::{TestRecord, compute},
    units::{Age, BodyMass, Cadence, Height},
};
use serde_json::{Value as Json, json};

/// A floor for a man of 24 whose body is known.
fn floor_of(id: &str, conditions: &[(&str, Answer)]) -> Floor {
    let man = Setup {
        sex: Some(Sex::Male),
        age: Age::new(24.0).ok(),
        mass: BodyMass::new(80.0).ok(),
        height: Height::new(180.0).ok(),
        ..Setup::default()
    };
    Floor::of(id, man, conditions)
}

/// Closes it, and gives the readings as they are stored.
fn closed(floor: &mut Floor, s: f64) -> Json {
    floor.at(s, Kind::Finished);
    let state = floor.state();
    assert_eq!(state.status, Status::Finished);
    let inputs = state.inputs(floor.protocol, &floor.setup);
    compute(&TestRecord::of(floor.protocol, floor.setup.facts(), &inputs)).unwrap();
    serde_json::to_value(inputs).unwrap()
}

fn text(t: &str) -> Answer {
    Answer::Text(t.into())
}

fn taken(input: &str, side: Option<&str>, value: f64) -> Kind {
    Kind::Taken { input: input.into(), side: side.map(Into::into), attempt: None, value: Value::Number(value) }
}

fn counted(input: &str, by: i8) -> Kind {
    Kind::Counted { input: input.into(), side: None, by }
}

#[test]
fn the_best_of_three_jumps_and_the_one_that_did_not_count_stays() {
    let mut floor = floor_of("vertical-jump", &[("arms", text("swing")), ("warm_up", Answer::YesNo(true))]);
    floor.at(5.0, taken("reach_cm", None, 228.0));
    for (k, touch) in [271.0, 280.0, 274.5].into_iter().enumerate() {
        floor.at(20.0 + 70.0 * k as f64, taken("touch_cm", None, touch));
    }
    floor.at(200.0, Kind::Struck { input: "touch_cm".into(), side: None, attempt: 2 });
    assert_eq!(closed(&mut floor, 260.0), json!({"reach_cm": 228.0, "touch_cm": [271.0, null, 274.5]}));
    let cells = &floor.sheet().rows[1].cells;
    assert_eq!((cells[1].value.clone(), cells[1].counts), (Value::Number(280.0), false), "crossed out and kept");
}

#[test]
fn each_try_is_held_to_what_was_taken_beside_it_and_hides_behind_no_better_one() {
    let mut floor = floor_of("vertical-jump", &[("arms", text("swing")), ("warm_up", Answer::YesNo(true))]);
    floor.at(5.0, taken("reach_cm", None, 232.0));
    floor.at(20.0, taken("touch_cm", None, 287.0));
    let (code, message) = floor.refusal(taken("touch_cm", None, 190.0)).unwrap();
    assert!(code == Code::OutOfRange && message.contains("lower than the standing reach"), "{message}");
    assert_eq!(floor.refusal(taken("touch_cm", None, 289.5)), None);
    let again = Kind::Taken { input: "reach_cm".into(), side: None, attempt: Some(1), value: Value::Number(322.0) };
    assert!(floor.refusal(again).unwrap().1.contains("lower than the standing reach"));

    let mut arm = floor_of("blood-pressure", &[("arm", text("left"))]);
    arm.at(5.0, taken("systolic", None, 82.0));
    assert!(arm.refusal(taken("diastolic", None, 128.0)).unwrap().1.contains("not lower than the upper one"));
    assert_eq!(arm.refusal(taken("diastolic", None, 61.0)), None);
}

#[test]
fn a_seventh_jump_is_refused_and_a_slip_is_corrected_or_taken_back() {
    let mut floor = floor_of("vertical-jump", &[("arms", text("swing")), ("warm_up", Answer::YesNo(true))]);
    floor.at(5.0, taken("reach_cm", None, 228.0));
    for k in 0..6 {
        floor.at(10.0 + f64::from(k), taken("touch_cm", None, 270.0));
    }
    let (code, message) = floor.refusal(taken("touch_cm", None, 271.0)).unwrap();
    assert!(code == Code::OutOfRange && message.contains("6 are the most"), "{message}");
    assert_eq!(floor.refusal(taken("touch_cm", None, 4000.0)).unwrap().0, Code::OutOfRange);
    assert_eq!(floor.refusal(taken("touch_in", None, 100.0)).unwrap().0, Code::UnknownField);
    let words = Kind::Taken { input: "reach_cm".into(), side: None, attempt: None, value: Value::Words("high".into()) };
    assert_eq!(floor.refusal(words).unwrap().0, Code::BadValue);
    floor.at(20.0, Kind::Taken { input: "touch_cm".into(), side: None, attempt: Some(6), value: Value::Number(275.0) });
    let last = floor.at(21.0, taken("reach_cm", None, 229.0));
    assert_eq!(floor.state().undoable.last().unwrap().event, last);
    floor.at(22.0, Kind::Undone { event: last });
    let inputs = closed(&mut floor, 30.0);
    assert_eq!((inputs["reach_cm"].clone(), inputs["touch_cm"][5].clone()), (json!(228.0), json!(275.0)));
}

#[test]
fn two_sides_take_turns_and_are_swapped_with_one_key() {
    let mut floor = floor_of("shoulder-reach", &[("warm", Answer::YesNo(true))]);
    let next = |floor: &Floor| {
        let sheet = floor.sheet();
        sheet.next.map(|k| (sheet.rows[k].input.clone(), sheet.rows[k].side.clone()))
    };
    assert_eq!(next(&floor), Some(("hand_cm".into(), None)));
    floor.at(1.0, taken("hand_cm", None, 18.5));
    assert_eq!(next(&floor), Some(("gap_cm".into(), Some("right".into()))));
    floor.at(2.0, taken("gap_cm", Some("right"), -3.5));
    assert_eq!(next(&floor), Some(("gap_cm".into(), Some("left".into()))));
    floor.at(3.0, taken("gap_cm", Some("left"), 1.0));
    assert_eq!(next(&floor), Some(("gap_cm".into(), Some("right".into()))), "a second try of each side");
    floor.at(4.0, Kind::SidesSwapped);
    assert_eq!(closed(&mut floor, 9.0), json!({"gap_cm": {"left": [-3.5], "right": [1.0]}, "hand_cm": 18.5}));
}

#[test]
fn a_stopwatch_runs_between_two_keys_and_ends_by_itself_at_its_longest() {
    let mut floor = floor_of("one-leg-stance", &[("eyes", text("open"))]);
    let start = |side: &str| Kind::WatchStarted { input: "seconds".into(), side: Some(side.into()) };
    floor.at(10.0, start("right"));
    assert!(floor.sheet().watch.is_some());
    floor.at(22.34, Kind::WatchEnded);
    floor.at(30.0, start("left"));
    floor.at(90.0, Kind::Noted { text: "steady".into() });
    let sheet = floor.sheet();
    assert!(sheet.watch.is_none(), "45 s are the longest");
    assert_eq!(closed(&mut floor, 95.0)["seconds"], json!({"right": [12.3], "left": [45.0]}));
}

#[test]
fn a_stop_while_the_stopwatch_runs_is_no_end_of_the_try() {
    let mut floor = floor_of("wall-sit", &[]);
    floor.at(5.0, Kind::WatchStarted { input: "seconds".into(), side: None });
    floor.at(40.0, Kind::Stopped);
    floor.at(44.0, Kind::WatchEnded);
    floor.at(46.0, Kind::Finished);
    assert_eq!(floor.state().status, Status::FinishedEarly);
    // What was read before the stop is kept, and is no score.
    let mut floor = floor_of("wall-sit", &[]);
    floor.at(1.0, taken("seconds", None, 0.0));
    floor.at(5.0, Kind::WatchStarted { input: "seconds".into(), side: None });
    floor.at(40.0, Kind::Stopped);
    floor.at(46.0, Kind::Finished);
    let state = floor.state();
    let read = serde_json::to_value(state.inputs(floor.protocol, &floor.setup)).unwrap();
    assert_eq!((state.status, &read["seconds"]), (Status::FinishedEarly, &json!([0.0])));
}

#[test]
fn styles_are_counted_in_one_go_and_what_did_not_count_is_kept_beside() {
    let rule = [("rule", text("to_failure")), ("style", text("mixed")), ("depth", text("floor"))];
    let mut floor = floor_of("push-up", &rule);
    floor.at(3.0, counted("reps_toes", 1));
    for k in 0..12 {
        floor.at(6.0 + f64::from(k), counted("reps_toes", 1));
    }
    floor.at(19.0, counted("reps_toes", -1));
    for k in 0..5 {
        floor.at(20.0 + f64::from(k), counted("reps_knees", 1));
    }
    assert_eq!(floor.sheet().rows[0].cells[0].struck, 1);
    assert!(floor.refusal(counted("reps_wall", -1)).unwrap().1.contains("no repetition to cross out"));
    assert!(floor.refusal(counted("reps_wall", 7)).is_some());
    let inputs = closed(&mut floor, 40.0);
    assert_eq!((&inputs["reps_toes"], &inputs["reps_knees"], &inputs["rule"]), (&json!(11.0), &json!(5.0), &json!("to_failure")));
}

#[test]
fn a_beat_sounds_only_where_the_rule_asks_for_one() {
    let setup = |rule: &str| push_ups(rule).state().timeline;
    assert_eq!(setup("cadence_20").beat.unwrap().per_minute, 40.0);
    assert!(setup("to_failure").beat.is_none() && setup("to_failure").calls.is_empty());
    assert!(setup("one_minute").calls.iter().any(|c| c.say == "Ten seconds left of the minute." && c.tone == Tone::Warning));
    let mut without = floor_of("push-up", &[("rule", text("to_failure")), ("style", text("toes")), ("depth", text("floor"))]);
    without.setup.conditions.insert("rule".into(), text("cadence_20"));
    assert_eq!(without.setup.check(without.protocol).unwrap_err().field.as_deref(), Some("cadence"));
}

#[test]
fn the_bell_ends_the_thirty_seconds_and_the_half_stand_is_added_after_it() {
    let mut floor = floor_of("chair-stand-30s", &[("chair_cm", Answer::Number(43.0))]);
    let work = floor.state().timeline.phases[1].clone();
    assert_eq!((work.start_ms, work.end_ms), (5_000.0, Some(35_000.0)));
    for k in 0..14 {
        floor.at(6.0 + 2.0 * f64::from(k), counted("reps", 1));
    }
    floor.at(36.0, counted("reps", 1));
    floor.at(37.0, counted("reps", 1));
    assert_eq!(closed(&mut floor, 40.0), json!({"reps": 15.0, "chair_cm": 43.0}), "one half, not two");
}

#[test]
fn a_minute_of_push_ups_ends_and_the_agreed_style_is_the_one_that_is_counted() {
    let rule = [("rule", text("one_minute")), ("style", text("knees")), ("depth", text("floor"))];
    let mut floor = floor_of("push-up", &rule);
    assert_eq!(floor.state().timeline.phases[1].end_ms, Some(65_000.0));
    let inputs: Vec<String> = floor.sheet().rows.iter().map(|r| r.input.clone()).collect();
    assert_eq!(inputs, ["reps_knees"], "set up on the knees, nothing else is there to be counted");
    for s in [10.0, 20.0, 30.0, 64.9, 65.1, 70.0] {
        floor.at(s, counted("reps_knees", 1));
        floor.at(s, counted("reps_toes", 1));
    }
    assert!(floor.state().timeline.calls.iter().any(|c| c.at_ms == 65_000.0 && c.tone == Tone::End), "the bell rings");
    let inputs = closed(&mut floor, 72.0);
    assert_eq!((&inputs["reps_knees"], &inputs["reps_toes"]), (&json!(4.0), &serde_json::Value::Null));
    // Without a rest the clock has no end.
    let free = floor_of("push-up", &[("rule", text("to_failure")), ("style", text("mixed")), ("depth", text("floor"))]);
    assert_eq!((free.state().timeline.phases[1].end_ms, free.sheet().rows.len()), (None, 3));
}

#[test]
fn nothing_is_counted_after_the_bell_of_any_test() {
    let counted_only = |p: &&catalogue::Protocol| {
        matches!(p.legs().first().map(|l| &l.take), Some(Take::Count { seconds: None, half_at_bell: false, .. }))
    };
    let mut looked_at = 0;
    // What is asked first at set-up is asked elsewhere.
    let plain = |p: &&catalogue::Protocol| p.conditions.iter().all(|c| !c.required);
    for protocol in catalogue::all().iter().filter(counted_only).filter(plain) {
        let mut floor = floor_of(&protocol.id, &[]);
        let Some(end) = floor.state().timeline.phase(PhaseKind::Work).and_then(|w| w.end_ms) else { continue };
        let key = floor.sheet().rows[0].input.clone();
        floor.at(end / 1000.0 - 1.0, counted(&key, 1));
        floor.at(end / 1000.0 + 0.1, counted(&key, 1));
        assert_eq!(floor.sheet().rows[0].value(), Some(Value::Number(1.0)), "{}", protocol.id);
        looked_at += 1;
    }
    assert!(looked_at >= 2, "squats and crunches in a minute among them");
}

#[test]
fn ten_starts_forty_seconds_apart_and_a_finish_belongs_to_its_start() {
    let mut floor = floor_of("sprint-repeat-10x40s", &[("warm_up", Answer::YesNo(true)), ("course_m", Answer::Number(40.0))]);
    let sheet = floor.sheet();
    assert_eq!(sheet.starts_ms, (0..10).map(|k| 10_000.0 + 40_000.0 * f64::from(k)).collect::<Vec<_>>());
    let go: Vec<f64> = floor.state().timeline.calls.iter().filter(|c| c.tone == Tone::Start).map(|c| c.at_ms).collect();
    assert_eq!(go, sheet.starts_ms);
    floor.at(5.0, Kind::Crossed);
    for k in 0..10 {
        floor.at(10.0 + 40.0 * f64::from(k) + 5.9 + 0.05 * f64::from(k), Kind::Crossed);
        // A second press of the same finish changes nothing.
        floor.at(10.0 + 40.0 * f64::from(k) + 8.0, Kind::Crossed);
    }
    let inputs = closed(&mut floor, 400.0);
    assert_eq!(inputs["time_s"], json!([5.9, 5.95, 6.0, 6.05, 6.1, 6.15, 6.2, 6.25, 6.3, 6.35]));
}

#[test]
fn a_finish_that_was_not_seen_leaves_the_test_open_until_it_is_typed() {
    let mut floor = floor_of("sprint-repeat-10x40s", &[("warm_up", Answer::YesNo(true)), ("course_m", Answer::Number(40.0))]);
    for k in (0..10).filter(|k| *k != 3) {
        floor.at(10.0 + 40.0 * f64::from(k) + 6.0, Kind::Crossed);
    }
    assert!(!floor.state().can_finish, "one of ten is missing");
    floor.at(400.0, Kind::Taken { input: "time_s".into(), side: None, attempt: Some(4), value: Value::Number(6.4) });
    assert_eq!(closed(&mut floor, 410.0)["time_s"][3], json!(6.4));
}

#[test]
fn the_attempts_reach_what_is_expected_by_the_third_and_a_miss_halves_the_step() {
    let ready = [("warm_up", Answer::YesNo(true)), ("lift", text("bench_press")), ("spotter", Answer::YesNo(true))];
    let mut floor = floor_of("one-rm", &ready);
    floor.setup.last_value = Some(100.0);
    let advice = |floor: &Floor| floor.sheet().advice.unwrap();
    let lift = |load_kg: f64, made: bool| Kind::Lifted { load_kg, made, reason: None };
    let mut done = Vec::new();
    for at in [60.0, 260.0, 460.0, 660.0] {
        let kg = advice(&floor).kg.unwrap();
        floor.at(at, lift(kg, true));
        done.push(kg);
    }
    assert_eq!(done, [70.0, 85.0, 100.0, 105.0], "the third is what was lifted last time, the fourth beyond it");
    assert!(advice(&floor).because.contains("at least 105 kg"), "{}", advice(&floor).because);
    let rest = floor.sheet().rest.unwrap();
    assert_eq!((rest.until_ms, rest.at_most_ms), (840_000.0, Some(960_000.0)), "3 to 5 minutes");
    // A fifth needs a reason, and a sixth there is not.
    assert_eq!(floor.refusal(lift(107.5, true)).unwrap().0, Code::MissingInput);
    floor.at(900.0, Kind::Lifted { load_kg: 107.5, made: true, reason: Some("moved fast".into()) });
    assert!(advice(&floor).kg.is_none());
    assert!(floor.state().notes.iter().any(|n| n.contains("moved fast")));
    assert_eq!(closed(&mut floor, 920.0)["load_kg"], json!([70.0, 85.0, 100.0, 105.0, 107.5]));

    let mut floor = floor_of("one-rm", &ready);
    floor.setup.last_value = Some(100.0);
    floor.at(60.0, lift(70.0, true));
    floor.at(260.0, lift(85.0, true));
    floor.at(460.0, lift(100.0, false));
    assert_eq!(advice(&floor).kg, Some(92.5), "{}", advice(&floor).because);
    floor.at(700.0, lift(92.5, true));
    assert!(advice(&floor).kg.is_none() && advice(&floor).because.contains("4 attempts are the most"));
    assert_eq!(closed(&mut floor, 720.0)["made"], json!([true, true, false, true]));
}

#[test]
fn plates_come_in_the_unit_of_the_client_and_a_guess_stands_for_last_time() {
    let ready = [
        ("warm_up", Answer::YesNo(true)),
        ("lift", text("bench_press")),
        ("spotter", Answer::YesNo(true)),
        ("expected_kg", Answer::Number(200.0 * 0.453_592_37)),
    ];
    let mut floor = floor_of("one-rm", &ready);
    floor.setup.units = impulso_core::units::Units::Imperial;
    let pounds = |floor: &Floor| floor.sheet().advice.unwrap().kg.map(|kg| (kg / 0.453_592_37 * 1000.0).round() / 1000.0);
    assert_eq!(pounds(&floor), Some(140.0));
    assert!(floor.sheet().advice.unwrap().because.contains("200 lb"), "{}", floor.sheet().advice.unwrap().because);
    floor.at(60.0, Kind::Lifted { load_kg: 140.0 * 0.453_592_37, made: true, reason: None });
    assert_eq!(pounds(&floor), Some(170.0));
}

#[test]
fn a_heavier_made_after_a_lighter_missed_is_kept_and_asked_about() {
    let ready = [("warm_up", Answer::YesNo(true)), ("lift", text("deadlift")), ("spotter", Answer::YesNo(true))];
    let mut floor = floor_of("one-rm", &ready);
    floor.at(60.0, Kind::Lifted { load_kg: 100.0, made: false, reason: None });
    floor.at(260.0, Kind::Lifted { load_kg: 110.0, made: true, reason: None });
    assert!(floor.state().decision.unwrap().because.starts_with("110 kg was made after 100 kg had been missed."));
    assert_eq!(closed(&mut floor, 300.0)["made"], json!([false, true]));
}

#[test]
fn points_of_each_side_are_kept_as_they_were_judged() {
    let mut floor = floor_of("inline-lunge", &[]);
    let judged = |side: &str, met: bool| Kind::Taken {
        input: "points".into(),
        side: Some(side.into()),
        attempt: None,
        value: serde_json::from_value(json!({"knee_to_board": met, "balance_kept": true})).unwrap(),
    };
    floor.at(5.0, judged("right", true));
    floor.at(9.0, judged("left", false));
    floor.at(12.0, taken("rating", Some("left"), 3.0));
    assert_eq!(
        closed(&mut floor, 20.0),
        json!({"points": {"left": {"balance_kept": true, "knee_to_board": false}, "right": {"balance_kept": true, "knee_to_board": true}}, "rating": {"left": 3.0}})
    );
}

#[test]
fn a_girth_is_taken_twice_and_a_third_time_only_where_the_two_lie_apart() {
    let mut floor = floor_of("body", &[("waist_site", text("navel"))]);
    assert!(floor.sheet().rows[0].how.as_ref().unwrap().contains("breath out"));
    floor.at(5.0, taken("waist_cm", None, 92.0));
    floor.at(9.0, taken("waist_cm", None, 93.0));
    let waist = |floor: &Floor| floor.sheet().rows[0].clone();
    assert_eq!((waist(&floor).again, floor.sheet().next == Some(0)), (None, false), "1 cm is near enough");
    floor.at(12.0, Kind::Taken { input: "waist_cm".into(), side: None, attempt: Some(2), value: Value::Number(94.5) });
    assert!(waist(&floor).again.unwrap().starts_with("92 and 94.5 cm are 2.5 cm apart"));
    assert!(floor.sheet().next == Some(0) && !floor.state().can_finish, "a third time before it is kept");
    floor.at(15.0, taken("waist_cm", None, 94.0));
    assert!(waist(&floor).again.is_none() && floor.state().can_finish);
    assert_eq!(closed(&mut floor, 20.0)["waist_cm"], json!([92.0, 94.5, 94.0]));
}

/// Five seconds of count-in and thirty of kicks: the heart rate is called as they end, and after each minute.
#[test]
fn recovery_is_counted_tapped_or_taken_by_the_strap_each_at_its_minute() {
    let kicks = || {
        let warm = [("warm_up", Answer::YesNo(true)), ("hr_source", Answer::Text("wrist".into()))];
        let mut floor = floor_of("kick-recovery-30s", &warm);
        floor.at(10.0, Kind::Counted { input: "reps".into(), side: None, by: 1 });
        floor
    };
    let mut floor = kicks();
    let keys: Vec<(String, f64)> = floor.state().dues.iter().map(|d| (d.key.clone(), d.at_ms)).collect();
    assert_eq!(
        keys.iter().map(|(k, at)| (k.as_str(), *at)).collect::<Vec<_>>(),
        [("hr_0", 35e3), ("hr_1", 95e3), ("hr_2", 155e3), ("hr_3", 215e3)]
    );
    // A count before its time is none.
    let counted = |count: f64| Kind::HeartRateCounted { stage: 0, minute: 0, count, window_s: 15.0 };
    floor.at(30.0, counted(40.0));
    assert_eq!(floor.state().dues.len(), 4);
    floor.at(51.0, counted(40.0));
    for k in 0..8 {
        floor.at(96.0 + f64::from(k) * 0.5, Kind::Tap);
    }
    floor.at(101.0, Kind::HeartRateTapped { stage: 0, minute: 0 });
    floor.at(171.0, counted(28.0));
    let state = floor.state();
    assert_eq!(state.dues.iter().map(|d| d.key.as_str()).collect::<Vec<_>>(), ["hr_3"]);
    let read = state.inputs(floor.protocol, &floor.setup);
    assert!(read.is_empty(), "not closed yet");
    let read = closed(&mut floor, 180.0);
    assert_eq!((&read["hr_0"], &read["hr_1"], &read["hr_2"]), (&json!(160.0), &json!(120.0), &json!(112.0)));

    // The strap reads each by itself as its minute is full.
    let mut strapped = kicks();
    for s in 20..=160 {
        let bpm = if s < 60 { 170 } else { 130 };
        let heard = impulso_core::strap::Heard { bpm: Some(bpm), ..Default::default() };
        strapped.at(f64::from(s), Kind::StrapHeard { bytes: String::new(), heard: Some(heard) });
    }
    let read = closed(&mut strapped, 165.0);
    assert_eq!((&read["hr_0"], &read["hr_1"], &read["hr_2"]), (&json!(170.0), &json!(130.0), &json!(130.0)));
}

#[test]
fn hops_each_way_against_ten_seconds_of_their_own_with_the_lines_touched_beside_them() {
    let mut floor = floor_of("quadrant-hop", &[("warm_up", Answer::YesNo(true))]);
    let next = |floor: &Floor| {
        let sheet = floor.sheet();
        sheet.next.map(|k| (sheet.rows[k].input.clone(), sheet.rows[k].side.clone()))
    };
    let go = |side: &str| Kind::WatchStarted { input: "hops".into(), side: Some(side.into()) };
    let one = |input: &str, side: &str, by| Kind::Counted { input: input.into(), side: Some(side.into()), by };
    assert_eq!(next(&floor), Some(("hops".into(), Some("clockwise".into()))));
    floor.at(2.0, one("hops", "clockwise", 1));
    assert!(floor.sheet().rows[0].cells.is_empty(), "nothing counts before its clock");
    floor.at(5.0, go("clockwise"));
    for k in 0..8 {
        floor.at(6.0 + f64::from(k), one("hops", "clockwise", 1));
    }
    floor.at(9.5, one("touches", "clockwise", 1));
    floor.at(15.8, one("hops", "clockwise", 1));
    floor.at(17.0, one("hops", "clockwise", 1));
    let sheet = floor.sheet();
    assert_eq!(sheet.rows[0].value(), Some(Value::Number(8.0)), "nothing counts after the bell");
    assert_eq!(sheet.watch, None);
    assert_eq!(sheet.rest.map(|r| (r.from_ms, r.until_ms)), Some((15_000.0, 75_000.0)));
    assert_eq!(next(&floor), Some(("hops".into(), Some("counter".into()))));
    floor.at(80.0, go("counter"));
    let calls = floor.state().timeline.calls;
    assert!(calls.iter().any(|c| c.at_ms == 90_000.0 && c.tone == Tone::End), "the bell is called");
    floor.at(95.0, Kind::Noted { text: "stumbled at once".into() });
    let inputs = closed(&mut floor, 96.0);
    assert_eq!(inputs, json!({"hops": {"clockwise": 8.0, "counter": 0.0}, "touches": {"clockwise": 1.0}}), "none is a reading too");
}

#[test]
fn a_circuit_has_one_start_and_a_key_a_round() {
    let mut floor = floor_of("circuit-3-rounds", &[("circuit", text("ten, ten, ten")), ("warm_up", Answer::YesNo(true))]);
    floor.at(10.0, Kind::WatchStarted { input: "split_s".into(), side: None });
    for (k, at) in [190.0, 385.5, 590.0].into_iter().enumerate() {
        floor.at(at, Kind::WatchEnded);
        // A second press within the shortest possible round is none.
        floor.at(at + 1.5, Kind::WatchEnded);
        let watch = floor.sheet().watch;
        assert_eq!(watch.map(|w| w.from_ms), (k < 2).then_some(at * 1000.0), "the next round begins as the one before it ends");
    }
    floor.at(600.0, Kind::WatchEnded);
    assert_eq!(closed(&mut floor, 610.0)["split_s"], json!([180.0, 195.5, 204.5]));
}

#[test]
fn a_stance_that_ran_to_its_limit_makes_room_for_the_next_start() {
    let mut floor = floor_of("one-leg-stance", &[("eyes", text("open"))]);
    let start = |side: &str| Kind::WatchStarted { input: "seconds".into(), side: Some(side.into()) };
    floor.at(5.0, start("left"));
    floor.at(60.0, start("right"));
    floor.at(72.4, Kind::WatchEnded);
    let sheet = floor.sheet();
    let held = |side| sheet.row("seconds", Some(side)).and_then(|k| sheet.rows[k].value());
    let stood = |s: f64| Some(Value::Tries(vec![Some(s)]));
    assert_eq!((held("left"), held("right")), (stood(45.0), stood(12.4)));
}

#[test]
fn each_side_has_its_own_last_time() {
    let mut floor = floor_of("knee-extension-angle", &[("warm", Answer::YesNo(true))]);
    floor.setup.last_values = [("degrees.left".to_owned(), 68.0), ("degrees.right".to_owned(), 74.0), ("degrees".to_owned(), 1.0)].into();
    let last: Vec<(Option<String>, Option<String>)> = floor.sheet().rows.iter().map(|r| (r.side.clone(), r.last_time.clone())).collect();
    assert!(last.contains(&(Some("left".into()), Some("Last time: 68°.".into()))), "{last:?}");
    assert!(last.contains(&(Some("right".into()), Some("Last time: 74°.".into()))), "{last:?}");
    let mut reach = floor_of("shoulder-reach", &[("warm", Answer::YesNo(true))]);
    reach.setup.last_values = [("gap_cm.left".to_owned(), -3.5)].into();
    let hand = reach.sheet().rows.iter().find(|r| r.input == "hand_cm").map(|r| r.last_time.clone());
    assert!(hand.is_none_or(|last| last.is_none()), "a gap is no last time of the hand's length");
}

#[test]
fn three_beats_missed_in_a_row_end_the_count_at_the_last_good_one() {
    let mut floor = push_ups("cadence_20");
    let reps = |floor: &Floor| floor.sheet().rows[0].cells.last().and_then(|c| c.value.number());
    for k in 0..15 {
        floor.at(8.0 + 3.0 * f64::from(k), counted("reps_toes", 1));
    }
    // Two missed, then on the beat again: the row of misses begins anew.
    floor.at(53.0, Kind::BeatMissed);
    floor.at(56.0, Kind::BeatMissed);
    floor.at(59.0, counted("reps_toes", 1));
    floor.at(62.0, counted("reps_toes", 1));
    assert_eq!(floor.sheet().beats.unwrap().missed, 0);
    for s in [65.0, 68.0, 71.0] {
        floor.at(s, Kind::BeatMissed);
    }
    floor.at(74.0, counted("reps_toes", 1));
    assert_eq!(reps(&floor), Some(17.0));
    let state = floor.state();
    assert_eq!(state.sheet().unwrap().beats.unwrap().over_ms, Some(71_000.0));
    assert!(state.timeline.calls.iter().any(|c| c.at_ms == 71_000.0 && c.tone == Tone::End));
    assert_eq!(state.timeline.beat.unwrap().until_ms, 71_000.0);
    // One miss was keyed by mistake: taken back, what was counted after it counts.
    floor.at(75.0, Kind::Undone { event: floor.state().undoable.last().unwrap().event });
    assert_eq!(reps(&floor), Some(18.0));
    assert_eq!(push_ups("to_failure").refusal(Kind::BeatMissed).unwrap().0, Code::NotApplicable);
}

#[test]
fn two_seconds_down_and_one_up() {
    let beat = push_ups("cadence_20").state().timeline.beat.unwrap();
    assert_eq!((beat.per_minute, beat.shares), (40.0, vec![2.0, 1.0]));
    let mut of = catalogue::find("push-up").unwrap().clone();
    of.cadence.as_mut().unwrap().shares = vec![2.0];
    assert!(catalogue::check(&of).is_err(), "a share for each place");
}

fn push_ups(rule: &str) -> Floor {
    let conditions = [("rule", rule), ("style", "toes"), ("depth", "floor")].map(|(k, v)| (k.to_owned(), text(v)));
    let setup = Setup { cadence: Cadence::new(40.0).ok(), conditions: conditions.into(), ..Setup::default() };
    let mut screen = Screen::new(7);
    screen.at(0.0, Kind::ClockStarted);
    Floor { protocol: catalogue::find("push-up").unwrap(), setup, screen }
}

#[test]
fn a_set_of_twelve_tells_nothing_and_a_heavier_one_follows() {
    let mut floor = floor_of("reps-to-fatigue", &[("lift", text("bench_press")), ("warm_up", Answer::YesNo(true))]);
    floor.at(5.0, taken("load_kg", None, 70.0));
    for k in 0..12 {
        floor.at(20.0 + 3.0 * f64::from(k), counted("reps", 1));
    }
    let sheet = floor.sheet();
    let (advice, rest) = (sheet.advice.unwrap(), sheet.rest.unwrap());
    assert_eq!(advice.kg, Some(77.5));
    assert!(advice.because.contains("rest 5 minutes, then lift 77.5 kg to 80 kg"), "{}", advice.because);
    assert_eq!((rest.from_ms, rest.until_ms), (53_000.0, 353_000.0));
    assert!(!floor.state().can_finish, "twelve give no estimate");
    floor.at(360.0, taken("load_kg", None, 80.0));
    let state = floor.state();
    assert!(state.notes[0].starts_with("70 kg × 12: no estimate"), "{:?}", state.notes);
    for k in 0..6 {
        floor.at(370.0 + 3.0 * f64::from(k), counted("reps", 1));
    }
    assert_eq!(closed(&mut floor, 400.0), json!({"lift": "bench_press", "load_kg": 80.0, "reps": 6.0}));
}

#[test]
fn undo_three_times_takes_back_three() {
    let mut floor = push_ups("to_failure");
    for k in 0..5 {
        floor.at(8.0 + f64::from(k), counted("reps_toes", 1));
    }
    let newest: Vec<_> = floor.state().undoable.iter().rev().take(3).map(|u| u.event).collect();
    assert_eq!(newest.len(), 3);
    for event in newest {
        floor.at(20.0, Kind::Undone { event });
    }
    assert_eq!(floor.sheet().rows[0].cells.last().unwrap().value, Value::Number(2.0));
}

#[test]
fn at_the_wall_the_gap_is_typed_without_a_sign_and_who_touches_it_shows_the_palm() {
    let inputs = |variant: &str| -> Vec<String> {
        let floor = floor_of("sit-reach", &[("variant", text(variant)), ("warm_up", Answer::YesNo(true))]);
        floor.sheet().rows.iter().map(|r| r.input.clone()).collect()
    };
    assert_eq!((inputs("wall_gap"), inputs("box")), (vec!["distance_cm".to_owned(), "palm_gap_cm".into()], vec!["distance_cm".to_owned()]));
    let mut floor = floor_of("sit-reach", &[("variant", text("wall_gap")), ("warm_up", Answer::YesNo(true))]);
    let signs = floor.sheet().rows[0].signs.clone().unwrap();
    assert_eq!((signs.minus.as_str(), signs.plus), ("short of the wall", None));
    floor.at(5.0, taken("distance_cm", None, 0.0));
    floor.at(9.0, taken("palm_gap_cm", None, 9.0));
    assert_eq!(closed(&mut floor, 40.0), json!({"variant": "wall_gap", "distance_cm": [0.0], "palm_gap_cm": [9.0]}));
}

#[test]
fn a_plank_on_straight_arms_is_shown_and_called_as_one() {
    let cue = |support: &str| {
        floor_of("plank", &[("support", text(support)), ("limit_s", text("to_failure"))]).state().timeline.phases[0].cue.clone()
    };
    assert!(cue("forearm").starts_with("Elbows under") && cue("straight_arm").starts_with("Hands under"));
    let plank = catalogue::find("plank").unwrap();
    let shown = |support: &str| plank.pictures.iter().filter(|p| p.when.as_ref().is_none_or(|w| w.is == support)).count();
    assert_eq!((shown("forearm"), shown("straight_arm")), (2, 2));
}

#[test]
fn a_battery_says_which_girths_are_taken() {
    let rows = |takes: &[&str]| -> Vec<String> {
        let mut floor = floor_of("body", &[("waist_site", text("navel"))]);
        floor.setup.takes = takes.iter().map(|t| (*t).to_owned()).collect();
        floor.sheet().rows.iter().map(|r| r.input.clone()).collect()
    };
    let usual = rows(&[]);
    assert!(usual.contains(&"calf_cm".to_owned()) && !usual.contains(&"waist_belt_cm".to_owned()), "{usual:?}");
    assert_eq!(rows(&["waist_cm", "waist_belt_cm", "mass_kg"]), ["waist_cm", "waist_belt_cm", "mass_kg"]);
}

#[test]
fn a_pulse_has_its_fifteen_seconds_on_a_clock() {
    let mut floor = floor_of("resting-hr", &[("posture", text("seated")), ("hr_source", text("wrist"))]);
    let start = Kind::WatchStarted { input: "pulse_count".into(), side: None };
    floor.at(5.0, start);
    assert_eq!(floor.sheet().watch.unwrap().until_ms, Some(20_000.0));
    assert!(floor.state().timeline.calls.iter().any(|c| c.at_ms == 20_000.0 && c.tone == Tone::End));
    // 91 typed for 19 is asked about: in a quarter of a minute there are at the most a quarter of a minute's beats.
    assert_eq!(floor.sheet().rows[0].usual.unwrap().to, 27.5);
    floor.at(22.0, Kind::Noted { text: "calm".into() });
    assert_eq!(floor.next().as_deref(), Some("pulse_count"), "the number is still to be typed");
    floor.at(26.0, taken("pulse_count", None, 19.0));
    assert_eq!(closed(&mut floor, 30.0), json!({"pulse_count": 19.0, "pulse_window_s": 15.0}));
    // Read from a device it needs no count.
    let mut read = floor_of("resting-hr", &[("posture", text("seated")), ("hr_source", text("wrist"))]);
    read.at(5.0, taken("resting_hr", None, 62.0));
    assert_eq!(closed(&mut read, 30.0), json!({"resting_hr": 62.0}));
}
