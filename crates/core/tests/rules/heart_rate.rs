//! Heart rate from anywhere: typed, counted in a window, tapped along, heard from a strap; and the beat that is lost.

use crate::screen::Screen;
use impulso_core::{
    Code, InputError,
    catalogue::{self, Protocol},
    person::Sex,
    run::{DecisionCode, Kind, Setup, State, Taken, check_event, event::Answer, fold},
    strap::Heard,
    units::{Age, BodyMass, Cadence},
};
use test_case::test_case;

/// The count-in of 8 beats at 100 a minute, and of an effort.
const CYCLE: f64 = 4_800.0;
const EFFORT: f64 = 5_000.0;
const MINUTE: f64 = 60_000.0;

fn setup() -> Setup {
    Setup {
        cadence: Some(Cadence::new(100.0).unwrap()),
        conditions: [("warm_up".to_owned(), Answer::YesNo(true)), ("hr_source".to_owned(), Answer::Text("wrist".into()))].into(),
        sex: Some(Sex::Male),
        age: Some(Age::new(40.0).unwrap()),
        mass: Some(BodyMass::new(70.0).unwrap()),
        ..Setup::default()
    }
}

struct Run {
    protocol: &'static Protocol,
    screen: Screen,
}

impl Run {
    fn of(id: &str) -> Self {
        let mut screen = Screen::new(4);
        screen.at(0.0, Kind::ClockStarted);
        Self { protocol: catalogue::find(id).unwrap(), screen }
    }

    fn at(&mut self, ms: f64, kind: Kind) -> &mut Self {
        self.screen.at(ms, kind);
        self
    }

    /// Taps a pulse for a while, without the beats named.
    fn taps(&mut self, from_ms: f64, bpm: f64, seconds: f64, missed: &[usize]) -> &mut Self {
        let step = MINUTE / bpm;
        let beats = (seconds * 1000.0 / step) as usize;
        (0..=beats).filter(|k| !missed.contains(k)).for_each(|k| {
            self.screen.at(from_ms + k as f64 * step, Kind::Tap);
        });
        self
    }

    fn state(&self) -> State {
        fold(self.protocol, &setup(), &self.screen.events)
    }

    fn refused(&self, ms: f64, kind: Kind) -> InputError {
        let mut next = Screen::new(9);
        next.at(ms, kind);
        check_event(self.protocol, &self.state(), &next.events[0]).unwrap_err()
    }
}

fn read(minute: u8, bpm: f64) -> Kind {
    Kind::HeartRateRead { stage: 1, minute, bpm }
}

fn counted(minute: u8, count: f64, window_s: f64) -> Kind {
    Kind::HeartRateCounted { stage: 1, minute, count, window_s }
}

fn heard(bpm: u16) -> Kind {
    Kind::StrapHeard { bytes: String::new(), heard: Some(Heard { bpm: Some(bpm), contact: Some(true), ..Heard::default() }) }
}

#[test_case(10.0, 20.0, 120.0; "ten seconds")]
#[test_case(15.0, 30.0, 120.0; "fifteen")]
#[test_case(30.0, 60.0, 120.0; "thirty")]
#[test_case(60.0, 120.0, 120.0; "a full minute")]
#[test_case(15.0, 27.5, 112.0; "half a beat rounds up")]
fn a_count_in_a_window_is_the_reading_of_a_minute(window: f64, count: f64, bpm: f64) {
    let mut run = Run::of("multistage-cycle");
    run.at(CYCLE + 2.0 * MINUTE + 3_000.0, counted(2, count, window));
    let reading = run.state().stages()[0].readings[0].clone();
    assert_eq!((reading.bpm, reading.taken), (bpm, Taken::Counted { count, window_s: window }));
}

#[test]
fn the_window_for_a_minute_ends_when_the_minute_is_full() {
    let run = Run::of("multistage-cycle");
    let due = run.state().dues[0].clone();
    let window = due.window.unwrap();
    assert_eq!((window.from_ms, window.until_ms, window.seconds), (CYCLE + 2.0 * MINUTE - 15_000.0, due.at_ms, 15.0));
}

#[test]
fn another_window_and_a_count_that_is_no_heart_rate_are_refused() {
    let run = Run::of("multistage-cycle");
    let at = CYCLE + 2.0 * MINUTE + 1_000.0;
    assert!(run.refused(at, counted(2, 20.0, 12.0)).message.contains("10, 15, 30 or 60 seconds"));
    let wild = run.refused(at, counted(2, 90.0, 15.0));
    assert_eq!(wild.field.as_deref(), Some("count"));
    assert!(wild.message.contains("360 a minute, which is no heart rate"), "{}", wild.message);
    assert!(run.refused(CYCLE + MINUTE, counted(2, 30.0, 15.0)).message.contains("Minute 2 is full at 2:00"));
}

#[test]
fn tapping_along_gives_the_rate_with_a_missed_tap_put_back() {
    let mut run = Run::of("multistage-cycle");
    let from = CYCLE + 2.0 * MINUTE - 14_000.0;
    run.taps(from, 120.0, 13.0, &[7]);
    let tapped = run.state().dues[0].tapped.unwrap();
    assert_eq!((tapped.missed, tapped.bpm.map(f64::round)), (1, Some(120.0)));
    run.at(CYCLE + 2.0 * MINUTE + 1_000.0, Kind::HeartRateTapped { stage: 1, minute: 2 });
    let state = run.state();
    let reading = &state.stages()[0].readings[0];
    assert_eq!((reading.bpm, reading.taken), (120.0, Taken::Tapped));
    assert!(state.dues[0].tapped.is_none(), "it is taken");
    assert_eq!(state.undoable.last().unwrap().what, "the taps at minute 2");
}

#[test]
fn taps_for_one_minute_do_not_serve_the_next() {
    let mut run = Run::of("multistage-cycle");
    run.taps(CYCLE + 2.0 * MINUTE - 14_000.0, 120.0, 13.0, &[]);
    run.at(CYCLE + 2.0 * MINUTE + 1_000.0, Kind::HeartRateTapped { stage: 1, minute: 2 });
    assert!(run.state().dues.iter().all(|d| d.tapped.is_none()));
    let refused = run.refused(CYCLE + 3.0 * MINUTE, Kind::HeartRateTapped { stage: 1, minute: 3 });
    assert_eq!((refused.code, refused.field.as_deref()), (Code::MissingInput, Some("taps")));
}

#[test]
fn a_count_more_than_four_from_the_taps_is_questioned_and_may_be_kept() {
    let mut run = Run::of("multistage-cycle");
    run.taps(CYCLE + 2.0 * MINUTE - 14_000.0, 130.0, 13.0, &[]);
    run.at(CYCLE + 2.0 * MINUTE + 1_000.0, counted(2, 31.0, 15.0));
    let state = run.state();
    assert_eq!(state.decision.unwrap().because, "124 counted, 130 tapped: more than 4 apart. Type it again, or keep it.");
    run.at(CYCLE + 2.0 * MINUTE + 4_000.0, Kind::HeartRateConfirmed { stage: 1, minute: 2 });
    let state = run.state();
    assert!(state.dues[0].question.is_none());
    assert_eq!(state.decision.unwrap().code, DecisionCode::ReadingNoted);
}

#[test]
fn four_apart_agrees() {
    let mut run = Run::of("multistage-cycle");
    run.taps(CYCLE + 2.0 * MINUTE - 14_000.0, 128.0, 13.0, &[]);
    run.at(CYCLE + 2.0 * MINUTE + 1_000.0, counted(2, 31.0, 15.0));
    assert_eq!(run.state().decision.unwrap().code, DecisionCode::ReadingNoted);
}

#[test]
fn a_typed_number_after_a_count_stands() {
    let mut run = Run::of("multistage-cycle");
    run.at(CYCLE + 2.0 * MINUTE + 1_000.0, counted(2, 30.0, 15.0)).at(CYCLE + 2.0 * MINUTE + 5_000.0, read(2, 122.0));
    let readings = run.state().stages()[0].readings.clone();
    assert_eq!(readings.len(), 1);
    assert_eq!((readings[0].bpm, readings[0].taken), (122.0, Taken::Typed));
}

#[test]
fn the_heart_rate_at_the_end_of_a_walk_is_counted_or_tapped_too() {
    let mut run = Run::of("mile-walk");
    let end = EFFORT + 14.0 * MINUTE;
    assert!(
        run.refused(EFFORT + MINUTE, Kind::HeartRateCounted { stage: 0, minute: 0, count: 33.0, window_s: 15.0 })
            .message
            .contains("due when")
    );
    run.at(end, Kind::Crossed);
    let due = run.state().dues[0].clone();
    assert_eq!((due.window.unwrap().from_ms, due.window.unwrap().until_ms), (end, end + 15_000.0));
    run.at(end + 17_000.0, Kind::HeartRateCounted { stage: 0, minute: 0, count: 33.0, window_s: 15.0 });
    let effort = run.state().effort().cloned().unwrap();
    assert_eq!((effort.values["hr_end"], effort.heart_rate_taken), (132.0, Some(Taken::Counted { count: 33.0, window_s: 15.0 })));

    let mut tapped = Run::of("mile-walk");
    tapped.at(end, Kind::Crossed).taps(end + 2_000.0, 126.0, 12.0, &[]);
    assert_eq!(tapped.state().dues[0].tapped.unwrap().bpm.map(f64::round), Some(126.0));
    tapped.at(end + 17_000.0, Kind::HeartRateTapped { stage: 0, minute: 0 });
    assert_eq!(tapped.state().effort().cloned().unwrap().values["hr_end"], 126.0);
}

#[test]
fn a_count_after_a_walk_that_disagrees_with_the_taps_says_so_and_is_kept() {
    let mut run = Run::of("mile-walk");
    let end = EFFORT + 14.0 * MINUTE;
    run.at(end, Kind::Crossed).taps(end + 1_000.0, 140.0, 13.0, &[]);
    run.at(end + 17_000.0, Kind::HeartRateCounted { stage: 0, minute: 0, count: 33.0, window_s: 15.0 });
    let state = run.state();
    assert_eq!(state.decision.unwrap().because, "132 counted, 140 tapped: more than 4 apart. Undo and count again, or keep it.");
    assert!(state.can_finish, "it is kept all the same");
}

#[test]
fn how_the_heart_rate_was_taken_is_stored_and_a_strap_is_named_only_where_it_gave_every_reading() {
    let source = |run: &Run| run.state().conditions(run.protocol, &setup())["hr_source"].clone();
    let mut run = Run::of("multistage-cycle");
    (0..=125).for_each(|s| {
        run.at(CYCLE + f64::from(s) * 1000.0, heard(112 + (s % 2) as u16));
    });
    assert_eq!(source(&run), Answer::Text("strap".into()));
    run.at(CYCLE + 3.0 * MINUTE + 1_000.0, read(3, 114.0));
    assert_eq!(source(&run), Answer::Text("wrist".into()), "one was typed");
}

#[test]
fn whoever_is_off_the_beat_for_fifteen_seconds_is_called_back_and_the_test_goes_on() {
    let called = |run: &Run| -> Vec<f64> {
        run.state().timeline.calls.iter().filter(|c| c.say.starts_with("Off the beat for 15 seconds")).map(|c| c.at_ms).collect()
    };
    let mut run = Run::of("multistage-cycle");
    run.at(40_000.0, Kind::CadenceLost);
    assert_eq!(called(&run), [55_000.0], "prompted while it lasts, with or without a line");
    run.at(48_000.0, Kind::CadenceRegained);
    assert!(called(&run).is_empty(), "back within the fifteen seconds");
    run.at(70_000.0, Kind::CadenceLost).at(72_000.0, Kind::CadenceLost).at(99_000.0, Kind::CadenceRegained);
    assert_eq!(called(&run), [85_000.0]);
    let spells: Vec<_> = run.state().off_beat.iter().map(|o| (o.from_ms, o.until_ms)).collect();
    assert_eq!(spells, [(40_000.0, Some(48_000.0)), (70_000.0, Some(99_000.0))], "noted");
    assert_eq!(run.state().status, impulso_core::run::Status::Running, "and it goes on");
}

#[test]
fn more_than_five_for_fifteen_seconds_is_the_rule_of_every_protocol_with_a_beat() {
    for protocol in catalogue::all().iter().filter(|p| p.cadence.is_some()) {
        let rule = protocol.cadence.as_ref().unwrap();
        assert_eq!((rule.off_by, rule.off_for_s), (5.0, 15), "{}", protocol.id);
    }
}

#[test]
fn a_number_that_is_due_is_asked_for_again_until_it_is_there() {
    let reminders = |run: &Run| -> Vec<f64> {
        run.state().timeline.calls.iter().filter(|c| c.say == "Heart rate, minute 2: still open. Type it now.").map(|c| c.at_ms).collect()
    };
    let mut run = Run::of("multistage-cycle");
    let due = CYCLE + 2.0 * MINUTE;
    assert_eq!(reminders(&run), [due + 20_000.0, due + 40_000.0, due + 60_000.0], "known before, so that no line is needed");
    run.at(due + 25_000.0, read(2, 112.0));
    assert!(reminders(&run).is_empty());

    let mut walk = Run::of("mile-walk");
    let end = EFFORT + 14.0 * MINUTE;
    walk.at(end, Kind::Crossed);
    let first = walk.state().timeline.calls.iter().find(|c| c.say.contains("still open")).unwrap().at_ms;
    assert_eq!(first, end + 35_000.0, "after the fifteen seconds in which it may be counted");
}
