//! A run is the fold of its events, whatever way they arrive.

use chrono::{DateTime, TimeDelta, Utc};
use impulso_core::{
    catalogue::{self, Protocol},
    person::Sex,
    run::{DecisionCode, Event, Kind, Setup, State, Status, StopReason, check, event::Answer, fold},
    units::{Age, Cadence},
};
use proptest::prelude::*;
use uuid::Uuid;

const STOP_MS: f64 = 185_000.0;
const COUNT_MS: f64 = 190_000.0;

fn protocol() -> &'static Protocol {
    catalogue::find("bench-step-3min").unwrap()
}

fn setup() -> Setup {
    Setup {
        cadence: Some(Cadence::new(96.0).unwrap()),
        conditions: [
            ("bench_cm".to_owned(), Answer::Number(41.3)),
            ("warm_up".to_owned(), Answer::YesNo(true)),
            ("pulse_site".to_owned(), Answer::Text("wrist".into())),
        ]
        .into(),
        sex: Some(Sex::Male),
        age: Some(Age::new(34.0).unwrap()),
        ..Setup::default()
    }
}

fn t0() -> DateTime<Utc> {
    "2026-11-23T09:00:00Z".parse().unwrap()
}

/// A screen that reports events at times of the run's clock.
#[derive(Clone)]
struct Screen {
    device: u128,
    seq: u32,
    events: Vec<Event>,
}

impl Screen {
    fn new(device: u128) -> Self {
        Self { device, seq: 0, events: Vec::new() }
    }

    fn at(&mut self, ms: f64, kind: Kind) -> Uuid {
        self.seq += 1;
        let id = Uuid::from_u128(self.device << 32 | u128::from(self.seq));
        let wall = t0() + TimeDelta::microseconds((ms * 1000.0) as i64);
        self.events.push(Event { id, device: Uuid::from_u128(self.device), seq: self.seq, mono_ms: ms + 12_345.0, wall, slot: None, kind });
        id
    }

    fn taps(&mut self, bpm: f64, from_ms: f64) {
        let step = 60_000.0 / bpm;
        let mut at = from_ms + 200.0;
        while at <= from_ms + 15_000.0 {
            self.at(at, Kind::Tap);
            at += step;
        }
    }

    fn state(&self) -> State {
        fold(protocol(), &setup(), &self.events)
    }
}

fn started() -> Screen {
    let mut screen = Screen::new(7);
    screen.at(0.0, Kind::ClockStarted);
    screen
}

#[test]
fn a_typed_count_is_a_result() {
    let mut screen = started();
    screen.at(208_000.0, Kind::CountTyped { count: 27.5 });
    screen.at(212_000.0, Kind::Finished);
    let state = screen.state();
    assert_eq!(state.status, Status::Finished);
    assert_eq!(state.reading().unwrap().bpm, Some(112.0));
    let inputs = state.inputs(protocol(), &setup());
    assert_eq!((inputs["pulse_count"], inputs["pulse_window_s"], inputs["bench_cm"]), (27.5, 15.0, 41.3));
    let conditions = state.conditions(protocol(), &setup());
    assert_eq!((&conditions["count_delay_s"], &conditions["cadence"]), (&Answer::Number(5.0), &Answer::Number(96.0)));
}

#[test]
fn tapping_alone_is_a_result_too() {
    let mut screen = started();
    screen.taps(132.0, COUNT_MS);
    screen.at(206_000.0, Kind::Finished);
    let reading = screen.state().reading().unwrap().clone();
    assert_eq!(reading.taps.unwrap().bpm.map(f64::round), Some(132.0));
    assert_eq!(reading.bpm, Some(132.0));
}

#[test]
fn a_count_and_taps_that_disagree_ask_for_a_recount_while_there_is_time() {
    let mut screen = started();
    screen.taps(132.0, COUNT_MS);
    screen.at(206_000.0, Kind::CountTyped { count: 28.0 });
    let decision = screen.state().decision.unwrap();
    assert_eq!(decision.code, DecisionCode::RecountAsked);
    let (because, until_ms) = (decision.because, decision.until_ms);
    assert_eq!(because, "112 bpm counted, 132 tapped: more than 4 apart.");
    assert_eq!(until_ms, Some(STOP_MS + 30_000.0));

    screen.at(209_000.0, Kind::RecountStarted);
    screen.taps(128.0, 209_000.0);
    screen.at(226_000.0, Kind::CountTyped { count: 32.0 });
    let state = screen.state();
    assert_eq!((state.readings().len(), state.reading().unwrap().delay_s), (2, 24.0));
    assert_eq!(state.decision.unwrap().code, DecisionCode::ReadingHolds);
}

#[test]
fn too_late_for_a_recount_the_first_count_stands_and_waiving_it_keeps_the_reason() {
    let mut screen = started();
    screen.taps(132.0, COUNT_MS);
    screen.at(206_000.0, Kind::CountTyped { count: 28.0 });
    screen.at(230_000.0, Kind::RecountStarted);
    assert_eq!(screen.state().readings().len(), 1);
    screen.at(231_000.0, Kind::RecountWaived { reason: Some("tapped the table, not the pulse".into()) });
    let decision = screen.state().decision.unwrap();
    assert_eq!(decision.code, DecisionCode::RecountWaived);
    let because = decision.because;
    assert!(because.ends_with("tapped the table, not the pulse"));
}

#[test]
fn four_apart_still_agrees() {
    let mut screen = started();
    screen.taps(132.0, COUNT_MS);
    screen.at(206_000.0, Kind::CountTyped { count: 32.0 });
    assert_eq!(screen.state().decision.unwrap().code, DecisionCode::ReadingHolds);
}

#[test]
fn a_stop_keeps_what_it_has_and_can_be_undone() {
    let mut screen = started();
    let stop = screen.at(95_000.0, Kind::Stopped);
    screen.at(99_000.0, Kind::StopExplained { reason: StopReason::Symptoms, note: Some("dizzy".into()) });
    let stopped = screen.state();
    assert_eq!((stopped.status, stopped.stopped_ms, stopped.stop_reason), (Status::Stopped, Some(95_000.0), Some(StopReason::Symptoms)));
    assert_eq!(stopped.undoable.last().map(|u| u.event), Some(stop));

    let mut closed = started();
    closed.at(95_000.0, Kind::Stopped);
    closed.at(96_000.0, Kind::Finished);
    assert_eq!(closed.state().status, Status::FinishedEarly);
    assert!(closed.state().inputs(protocol(), &setup()).is_empty());

    screen.at(101_000.0, Kind::Undone { event: stop });
    assert_eq!((screen.state().status, screen.state().stopped_ms), (Status::Running, None));
}

#[test]
fn what_was_stopped_is_no_score_whatever_was_read_and_going_on_makes_it_one() {
    let mut screen = started();
    screen.at(206_000.0, Kind::CountTyped { count: 30.0 });
    let stop = screen.at(207_000.0, Kind::Stopped);
    let mut slip = screen.clone();
    screen.at(208_000.0, Kind::Finished);
    assert_eq!(screen.state().status, Status::FinishedEarly);
    slip.at(208_000.0, Kind::Undone { event: stop });
    slip.at(209_000.0, Kind::Finished);
    assert_eq!(slip.state().status, Status::Finished);
}

#[test]
fn only_what_was_stopped_is_discarded_and_then_it_is_over() {
    let mut screen = started();
    screen.at(100_000.0, Kind::Discarded);
    assert_eq!(screen.state().status, Status::Running, "a run that goes on is not thrown away");
    let slip = screen.at(101_000.0, Kind::Stopped);
    screen.at(102_000.0, Kind::Undone { event: slip });
    screen.at(103_000.0, Kind::Discarded);
    assert_eq!(screen.state().status, Status::Running, "nor one whose stop was a slip");
    screen.at(104_000.0, Kind::Stopped);
    screen.at(105_000.0, Kind::Discarded);
    screen.at(106_000.0, Kind::Finished);
    let state = screen.state();
    assert_eq!((state.status, state.is_closed()), (Status::Discarded, true));
}

#[test]
fn undo_takes_back_the_last_count_and_leaves_the_one_before() {
    let mut screen = started();
    screen.at(206_000.0, Kind::CountTyped { count: 30.0 });
    let slip = screen.at(207_000.0, Kind::CountTyped { count: 33.0 });
    assert_eq!(screen.state().undoable.last().unwrap().what, "the count of 33");
    screen.at(208_000.0, Kind::Undone { event: slip });
    assert_eq!(screen.state().reading().unwrap().typed, Some(30.0));
}

#[test]
fn finishing_with_nothing_to_finish_changes_nothing() {
    let mut screen = started();
    screen.at(100_000.0, Kind::Finished);
    assert_eq!(screen.state().status, Status::Running);
}

#[test]
fn an_undo_after_a_finish_that_closed_nothing_still_counts() {
    let mut screen = started();
    screen.at(100_000.0, Kind::Finished);
    screen.at(206_000.0, Kind::CountTyped { count: 30.0 });
    let slip = screen.at(207_000.0, Kind::CountTyped { count: 33.0 });
    screen.at(208_000.0, Kind::Undone { event: slip });
    screen.at(210_000.0, Kind::Finished);
    let state = screen.state();
    assert_eq!((state.status, state.reading().unwrap().typed), (Status::Finished, Some(30.0)));
    screen.at(211_000.0, Kind::Undone { event: screen.events[2].id });
    assert_eq!(screen.state(), state, "an undo after the close takes nothing back");
}

fn any_kind() -> impl Strategy<Value = Kind> {
    prop_oneof![
        4 => Just(Kind::Tap),
        2 => (10.0..50.0f64).prop_map(|c| Kind::CountTyped { count: c.round() }),
        1 => Just(Kind::RecountStarted),
        1 => Just(Kind::RecountWaived { reason: None }),
        1 => Just(Kind::Stopped),
        1 => Just(Kind::StopExplained { reason: StopReason::Fatigue, note: None }),
        1 => Just(Kind::CadenceLost),
        1 => "[a-z]{1,8}".prop_map(|text| Kind::Noted { text }),
        1 => (1u32..40).prop_map(|seq| Kind::Undone { event: Uuid::from_u128(7 << 32 | u128::from(seq)) }),
    ]
}

fn any_run() -> impl Strategy<Value = Vec<Event>> {
    proptest::collection::vec((1.0..260_000.0f64, any_kind()), 0..40).prop_map(|mut given| {
        given.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut screen = started();
        for (ms, kind) in given {
            screen.at(ms, kind);
        }
        screen.events
    })
}

proptest! {
    #[test]
    fn arrival_order_batches_and_duplicates_do_not_matter(events in any_run(), shuffle in proptest::collection::vec(any::<prop::sample::Index>(), 0..60)) {
        let once = fold(protocol(), &setup(), &events);
        let mut arrived = events.clone();
        for index in shuffle {
            let copy = index.get(&events).clone();
            let at = index.index(arrived.len());
            arrived.insert(at, copy);
        }
        arrived.reverse();
        prop_assert_eq!(fold(protocol(), &setup(), &arrived), once);
    }

    #[test]
    fn nothing_after_the_finish_changes_the_result(events in any_run(), later in proptest::collection::vec(any_kind(), 1..10)) {
        let mut screen = Screen { device: 7, seq: events.len() as u32, events };
        screen.at(261_000.0, Kind::CountTyped { count: 30.0 });
        screen.at(262_000.0, Kind::Finished);
        let before = screen.state();
        prop_assume!(before.is_closed());
        for (k, kind) in later.into_iter().enumerate() {
            screen.at(263_000.0 + k as f64, kind);
        }
        prop_assert_eq!(screen.state(), before);
    }

    #[test]
    fn an_event_survives_the_trip_through_json(events in any_run()) {
        for event in events {
            let json = serde_json::to_string(&event).unwrap();
            prop_assert_eq!(serde_json::from_str::<Event>(&json).unwrap(), event);
        }
    }
}

/// A hostile screen: ends with nothing to finish, between taps, remarks that are taken back, and more ends.
fn ends_without_an_end(n: u32) -> Vec<Event> {
    let mut screen = started();
    for k in 0..n {
        let at = 1000.0 + f64::from(k);
        match k % 4 {
            0 => drop(screen.at(at, Kind::Noted { text: "again".into() })),
            1 => {
                let event = screen.events.last().unwrap().id;
                screen.at(at, Kind::Undone { event });
            }
            2 => drop(screen.at(at, Kind::Tap)),
            _ => drop(screen.at(at, Kind::Finished)),
        }
    }
    screen.events
}

/// As many as a run takes. Judging each end by all that went before would take hours here.
#[test]
fn a_run_full_of_ends_with_nothing_to_finish_is_folded_like_any_other() {
    let events = ends_without_an_end(check::EVENTS_MAX as u32);
    let state = fold(protocol(), &setup(), &events);
    assert_eq!((state.status, state.notes.len()), (Status::Running, 0));
}

#[test]
fn an_end_sees_what_was_taken_back_before_it_and_nothing_after() {
    let mut screen = started();
    screen.at(STOP_MS + 20_000.0, Kind::CountTyped { count: 35.0 });
    screen.at(STOP_MS + 21_000.0, Kind::Finished);
    let undone_first = {
        let mut other = started();
        let count = other.at(STOP_MS + 20_000.0, Kind::CountTyped { count: 35.0 });
        other.at(STOP_MS + 20_500.0, Kind::Undone { event: count });
        other.at(STOP_MS + 21_000.0, Kind::Finished);
        other.at(STOP_MS + 22_000.0, Kind::CountTyped { count: 33.0 });
        other.state()
    };
    assert_eq!((undone_first.status, undone_first.readings()[0].typed), (Status::Running, Some(33.0)));
    let count = screen.events[1].id;
    screen.at(STOP_MS + 22_000.0, Kind::Undone { event: count });
    assert_eq!((screen.state().status, screen.state().readings()[0].typed), (Status::Finished, Some(35.0)));
}

#[test]
fn a_clock_far_off_is_named_and_a_full_run_can_still_be_finished() {
    let event = |wall: &str| {
        let mut screen = started();
        screen.at(0.0, Kind::Tap);
        Event { wall: wall.parse().unwrap(), ..screen.events.pop().unwrap() }
    };
    let now = t0() + TimeDelta::minutes(5);
    for (wall, fits) in [
        ("2026-11-23T09:04:00Z", true),
        ("2026-11-23T09:06:30Z", true),
        ("2026-11-23T09:08:00Z", false),
        ("2027-11-23T09:00:00Z", false),
        ("+262000-01-01T00:00:00Z", false),
        ("2026-11-22T09:00:00Z", false),
    ] {
        let checked = check::check_time(&event(wall), t0(), now);
        assert_eq!(checked.is_ok(), fits, "{wall}");
        assert!(checked.err().is_none_or(|e| e.message.contains("clock of this screen") && e.field.as_deref() == Some("wall")));
    }
    assert!(check::check_room(check::EVENTS_MAX, &Kind::Tap).is_err());
    assert!(check::check_room(check::EVENTS_MAX, &Kind::Finished).is_ok());
    assert!(check::check_room(check::EVENTS_MAX + check::DECISIONS_MAX, &Kind::Finished).is_err());
}
