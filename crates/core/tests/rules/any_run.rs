//! What must hold for every live protocol whatever happens, in whatever order it arrives: one fold for the live screen, a
//! reload, a second tablet and the audit.

use crate::anything::{any_kind, any_run, live};
use crate::screen::Screen;
use impulso_core::{
    Code,
    run::{Event, Kind, State, Status, check, check_event, fold},
    test_record::{TestRecord, compute},
};
use proptest::prelude::*;

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
