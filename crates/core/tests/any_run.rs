//! What must hold for every live protocol whatever happens, in whatever order it arrives: one fold for the live screen, a
//! reload, a second tablet and the audit.
#![allow(clippy::unwrap_used, clippy::panic)]

mod screen;

use impulso_core::{
    Code,
    catalogue::{self, Protocol},
    rehearse,
    run::{Event, Kind, Setup, State, Status, StopReason, check, check_event, fold},
    simulate::Client,
    strap::Heard,
    test_record::{TestRecord, compute},
};
use proptest::prelude::*;
use screen::Screen;
use uuid::Uuid;

/// Everything that can happen, possible or not, with numbers on both sides of every limit.
fn any_kind() -> impl Strategy<Value = Kind> {
    let stage = 0u8..5;
    let minute = 0u8..11;
    let bpm = 20.0..260.0f64;
    prop_oneof![
        6 => Just(Kind::Tap),
        4 => (stage.clone(), minute.clone(), bpm).prop_map(|(stage, minute, bpm)| Kind::HeartRateRead { stage, minute, bpm: bpm.round() }),
        2 => (stage.clone(), minute.clone(), 0.0..80.0f64, prop_oneof![Just(10.0), Just(15.0), Just(17.0)])
            .prop_map(|(stage, minute, count, window_s)| Kind::HeartRateCounted { stage, minute, count, window_s }),
        1 => (stage.clone(), minute.clone()).prop_map(|(stage, minute)| Kind::HeartRateTapped { stage, minute }),
        1 => (stage.clone(), minute).prop_map(|(stage, minute)| Kind::HeartRateConfirmed { stage, minute }),
        3 => (stage.clone(), 0.0..1500.0f64).prop_map(|(stage, kgm_min)| Kind::LoadSet { stage, kgm_min, reason: Some("so".into()) }),
        1 => stage.clone().prop_map(|stage| Kind::MinuteAdded { stage, reason: "so".into() }),
        1 => stage.prop_map(|stage| Kind::StageAccepted { stage, reason: "so".into() }),
        3 => (20u16..260).prop_map(|bpm| Kind::StrapHeard {
            bytes: String::new(),
            heard: Some(Heard { bpm: Some(bpm), contact: Some(true), ..Heard::default() }),
        }),
        4 => Just(Kind::Tallied),
        2 => Just(Kind::Crossed),
        2 => (prop_oneof![Just("hr_end"), Just("extra_m"), Just("reps"), Just("nothing")], 0.0..300.0f64)
            .prop_map(|(key, value)| Kind::ValueTyped { key: key.into(), value: value.round() }),
        8 => any_attempt(),
        1 => (10.0..60.0f64).prop_map(|count| Kind::CountTyped { count }),
        1 => Just(Kind::RecountStarted),
        1 => Just(Kind::CadenceLost),
        1 => Just(Kind::CadenceRegained),
        1 => Just(Kind::Stopped),
        1 => Just(Kind::Discarded),
        1 => Just(Kind::StopExplained { reason: StopReason::Fatigue, note: None }),
        1 => (1u32..40).prop_map(|seq| Kind::Undone { event: Uuid::from_u128(7 << 32 | u128::from(seq)) }),
        1 => Just(Kind::Finished),
    ]
}

/// What happens on the sheet of a test in attempts, for inputs that most of them have.
fn any_attempt() -> impl Strategy<Value = Kind> {
    let input = prop_oneof![
        Just("seconds"),
        Just("reps"),
        Just("time_s"),
        Just("distance_cm"),
        Just("degrees"),
        Just("load_kg"),
        Just("points"),
        Just("stage"),
        Just("supports_up"),
        Just("none")
    ]
    .prop_map(String::from);
    let side = prop_oneof![Just(None), Just(Some("left".to_owned())), Just(Some("right".to_owned()))];
    let value = (-50.0..4000.0f64).prop_map(|n| impulso_core::inputs::Value::Number(n.round()));
    prop_oneof![
        4 => (input.clone(), side.clone(), prop::option::of(0u8..5), value)
            .prop_map(|(input, side, attempt, value)| Kind::Taken { input, side, attempt, value }),
        2 => (input.clone(), side.clone(), -1i8..3).prop_map(|(input, side, by)| Kind::Counted { input, side, by }),
        2 => (input.clone(), side.clone()).prop_map(|(input, side)| Kind::WatchStarted { input, side }),
        2 => Just(Kind::WatchEnded),
        1 => (input, side, 0u8..5).prop_map(|(input, side, attempt)| Kind::Struck { input, side, attempt }),
        1 => (0.0..700.0f64, any::<bool>()).prop_map(|(load_kg, made)| Kind::Lifted { load_kg, made, reason: None }),
        1 => Just(Kind::SidesSwapped),
        2 => (prop_oneof![Just("stage"), Just("position"), Just("reps")], any::<bool>())
            .prop_map(|(input, passed)| Kind::StageTried { input: input.into(), stage: None, passed }),
        2 => (prop_oneof![Just("supports_down"), Just("supports_up"), Just("none")], prop_oneof![Just("Hand"), Just("Wobble")])
            .prop_map(|(input, what)| Kind::Seen { input: input.into(), what: what.into() }),
        1 => prop_oneof![Just("supports_down"), Just("supports_up"), Just("reps")]
            .prop_map(|input| Kind::MovementOver { input: input.into() }),
    ]
}

/// A run of some live protocol: events at any moment of twenty minutes.
fn any_run() -> impl Strategy<Value = (usize, Vec<Event>)> {
    let live = catalogue::all().iter().filter(|p| p.family().runs_live()).count();
    (0..live, proptest::collection::vec((1.0..1_200_000.0f64, any_kind()), 0..36)).prop_map(|(which, mut given)| {
        given.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut screen = Screen::new(7);
        screen.at(0.0, Kind::ClockStarted);
        for (ms, kind) in given {
            screen.at(ms, kind);
        }
        (which, screen.events)
    })
}

fn live(which: usize) -> (&'static Protocol, Setup) {
    let protocol = catalogue::all().iter().filter(|p| p.family().runs_live()).nth(which).unwrap();
    (protocol, rehearse::setup(protocol, &Client::from_seed(3)))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn order_of_arrival_and_repeats_do_not_matter((which, events) in any_run(), again in proptest::collection::vec(any::<prop::sample::Index>(), 0..20)) {
        let (protocol, setup) = live(which);
        let once = fold(protocol, &setup, &events);
        let mut arrived: Vec<Event> = events.iter().rev().cloned().collect();
        arrived.extend(again.iter().map(|index| index.get(&events).clone()));
        prop_assert_eq!(fold(protocol, &setup, &arrived), once);
    }

    #[test]
    fn nothing_after_the_close_changes_the_state((which, events) in any_run(), later in proptest::collection::vec(any_kind(), 1..8)) {
        let (protocol, setup) = live(which);
        let mut screen = Screen::new(8);
        screen.at(1_300_000.0, Kind::Stopped);
        screen.at(1_301_000.0, Kind::Finished);
        let closed: Vec<Event> = events.iter().chain(&screen.events).cloned().collect();
        let before = fold(protocol, &setup, &closed);
        prop_assert!(before.is_closed(), "a stop and a finish close any run");
        for (k, kind) in later.into_iter().enumerate() {
            screen.at(1_310_000.0 + k as f64 * 1000.0, kind);
        }
        let all: Vec<Event> = events.into_iter().chain(screen.events).collect();
        prop_assert_eq!(fold(protocol, &setup, &all), before);
    }

    #[test]
    fn a_finished_run_computes_or_says_what_is_missing((which, events) in any_run()) {
        let (protocol, setup) = live(which);
        let state = fold(protocol, &setup, &events);
        let inputs = state.inputs(protocol, &setup);
        // What was stopped keeps what was read; only what was finished must have been read.
        if !matches!(state.status, Status::Finished | Status::FinishedEarly) {
            prop_assert!(inputs.is_empty());
        }
        prop_assert!(state.stopped_ms.is_none() || state.status != Status::Finished, "nothing that was stopped is a score");
        if state.status == Status::Finished {
            match compute(&TestRecord::of(protocol, setup.facts(), &inputs)) {
                Ok(outcome) => prop_assert!(outcome.results.iter().all(|(_, e)| e.value.is_finite())),
                Err(error) => prop_assert!(matches!(error.code, Code::MissingInput | Code::OutOfRange), "{error:?}"),
            }
        }
    }

    #[test]
    fn an_event_that_is_let_in_is_judged_by_the_state_it_arrives_in_and_the_screen_always_knows_what_is_next((which, events) in any_run()) {
        let (protocol, setup) = live(which);
        let mut stored: Vec<Event> = Vec::new();
        let mut state = fold(protocol, &setup, &stored);
        for event in events {
            let refused = check::check_alone(&event).err().or_else(|| check_event(protocol, &state, &event).err());
            if let Some(error) = refused {
                prop_assert!(error.message.len() > 10 && error.field.is_some(), "{error:?}");
                continue;
            }
            stored.push(event);
            state = fold(protocol, &setup, &stored);
            holds_together(&state)?;
        }
    }

    #[test]
    fn an_event_survives_the_trip_through_json((_, events) in any_run()) {
        for event in events {
            let json = serde_json::to_string(&event).unwrap();
            prop_assert_eq!(serde_json::from_str::<Event>(&json).unwrap(), event);
        }
    }
}

/// What every screen relies on.
fn holds_together(state: &State) -> Result<(), TestCaseError> {
    let phases = &state.timeline.phases;
    prop_assert!(phases.windows(2).all(|w| w[0].end_ms.is_none_or(|end| end <= w[1].start_ms + 1e-6)), "phases follow each other");
    prop_assert!(state.timeline.calls.is_sorted_by(|a, b| a.at_ms <= b.at_ms), "calls in order");
    prop_assert!(state.stages().windows(2).all(|w| w[0].number + 1 == w[1].number && w[0].start_ms <= w[1].start_ms));
    for stage in state.stages() {
        prop_assert!(stage.readings.is_sorted_by(|a, b| a.minute < b.minute), "each minute once, in order");
        prop_assert!(!stage.counts || stage.steady == Some(true) || stage.bpm.is_some());
    }
    prop_assert!(
        state.staged().is_none_or(|s| s.load_due.is_none()) || state.status == Status::Running,
        "no load is asked for once the work is over"
    );
    prop_assert!(!state.can_finish || state.started_at.is_some());
    for due in state.dues.iter().chain(&state.later) {
        prop_assert!(due.from_ms <= due.at_ms && due.window.is_none_or(|w| w.from_ms < w.until_ms));
    }
    prop_assert!(!state.is_closed() || state.undoable.is_empty(), "nothing is taken back after the close");
    Ok(())
}
