//! Runs to beeps with many on one clock: which miss belongs to which beep, who is out with which score, and what a pause does.

use chrono::{DateTime, TimeDelta, Utc};
use impulso_core::{
    Code,
    beeps::Beeps,
    catalogue::{self, Protocol},
    conditions::Answer,
    run::{
        BoardKind, Event, Kind, Setup, State, StopReason,
        board::{Board, TileStand, board},
        check_event, fold_slot,
    },
};
use proptest::prelude::*;
use uuid::Uuid;

/// The count-in, s.
const COUNT_IN: f64 = 10.0;

struct Hall {
    protocol: &'static Protocol,
    setup: Setup,
    runners: u16,
    events: Vec<Event>,
}

impl Hall {
    fn of(id: &str, runners: u16, conditions: &[(&str, Answer)]) -> Self {
        let conditions = conditions.iter().map(|(k, a)| ((*k).to_owned(), a.clone())).collect();
        let mut hall = Self {
            protocol: catalogue::find(id).unwrap(),
            setup: Setup { conditions, together: true, ..Setup::default() },
            runners,
            events: Vec::new(),
        };
        hall.say(-COUNT_IN, None, Kind::ClockStarted);
        hall
    }
    fn at(s: f64) -> DateTime<Utc> {
        "2026-11-30T10:00:00Z".parse::<DateTime<Utc>>().unwrap() + TimeDelta::microseconds((s * 1e6) as i64)
    }
    /// `s` from the first start.
    fn say(&mut self, s: f64, slot: Option<u16>, kind: Kind) -> Uuid {
        let n = self.events.len() as u128 + 1;
        let device = Uuid::from_u128(n % 2 + 1);
        self.events.push(Event { id: Uuid::from_u128(n), device, seq: n as u32, mono_ms: s * 1000.0, wall: Self::at(s), slot, kind });
        Uuid::from_u128(n)
    }
    fn beeps(&self) -> Beeps {
        self.protocol.schedule().unwrap().beeps(self.setup.start_kmh()).unwrap()
    }
    /// Taps a miss so many seconds after a judged beep.
    fn miss(&mut self, beep: u32, after: f64, slot: u16) -> Uuid {
        let at = self.beeps().beep(beep).unwrap().at_s;
        self.say(at + after, Some(slot), Kind::LineMissed)
    }
    fn state(&self, slot: u16) -> State {
        fold_slot(self.protocol, &self.setup, &self.events, slot)
    }
    fn board(&self) -> Board {
        let states: Vec<State> = (0..self.runners).map(|k| self.state(k)).collect();
        let each: Vec<(u16, &Setup, &State)> = (0..self.runners).zip(&states).map(|(k, s)| (k, &self.setup, s)).collect();
        board(self.protocol, &each, &self.events).unwrap()
    }
    /// The score as it is written, of one who is out.
    fn score(&self, slot: u16) -> Option<String> {
        let tile = self.board().tiles.remove(usize::from(slot));
        (tile.stand == TileStand::Done).then_some(tile.shown).flatten()
    }
    fn refusal(&self, s: f64, slot: Option<u16>, kind: Kind) -> Option<(Code, String)> {
        let event = Event { id: Uuid::nil(), device: Uuid::nil(), seq: 1, mono_ms: 0.0, wall: Self::at(s), slot, kind };
        check_event(self.protocol, &self.state(slot.unwrap_or(0)), &event).err().map(|e| (e.code, e.message))
    }
}

#[test]
fn two_recorders_who_tap_the_same_runner_at_one_beep_have_recorded_one_miss() {
    let mut hall = Hall::of("shuttle-20m", 2, &[]);
    hall.miss(12, 0.5, 0);
    hall.miss(12, 1.8, 0);
    assert_eq!(hall.state(0).beeps().unwrap().misses, [12]);
    assert_eq!((hall.score(0), hall.board().tiles[0].missed), (None, Some(12)));
    hall.miss(13, -0.6, 0);
    assert_eq!(hall.score(0).as_deref(), Some("2-4 · 220 m"), "two in a row: the line before them counts");
    assert_eq!((hall.score(1), hall.board().kind), (None, BoardKind::Line));
}

#[test]
fn a_line_that_is_made_clears_a_miss_and_the_stricter_rule_forgets_none() {
    let mut kind = Hall::of("shuttle-20m", 1, &[("beep_rule", Answer::Text("consecutive".into()))]);
    let mut strict = Hall::of("shuttle-20m", 1, &[("beep_rule", Answer::Text("cumulative".into()))]);
    for hall in [&mut kind, &mut strict] {
        hall.miss(4, 0.4, 0);
        hall.miss(9, 0.4, 0);
    }
    assert_eq!((kind.score(0), strict.score(0).as_deref()), (None, Some("2-1 · 160 m")));
    assert_eq!(strict.board().tiles[0].missed, None);
}

#[test]
fn undo_brings_a_runner_back_and_so_does_their_name() {
    let mut hall = Hall::of("shuttle-recovery-1", 2, &[]);
    for slot in [0, 1] {
        hall.miss(5, 0.3, slot);
    }
    let second = hall.miss(6, 0.3, 0);
    hall.miss(6, 0.4, 1);
    assert_eq!((hall.score(0).as_deref(), hall.score(1).as_deref()), (Some("160 m"), Some("160 m")));
    assert!(hall.refusal(140.0, Some(0), Kind::LineMissed).unwrap().1.contains("is out already"));
    hall.say(140.0, Some(0), Kind::Undone { event: second });
    hall.say(141.0, Some(1), Kind::PutBackIn);
    assert_eq!((hall.score(0), hall.score(1)), (None, None));
    assert_eq!(hall.state(1).beeps().unwrap().misses, [5]);
    assert!(hall.refusal(142.0, Some(1), Kind::PutBackIn).is_some());
    hall.miss(8, 0.3, 1);
    hall.miss(9, 0.3, 1);
    assert_eq!(hall.score(1).as_deref(), Some("280 m"));
}

#[test]
fn who_leaves_has_what_they_completed_and_the_reason_stands_with_it() {
    let mut hall = Hall::of("shuttle-20m", 2, &[]);
    let tenth = hall.beeps().beep(10).unwrap().at_s;
    hall.say(tenth + 2.0, Some(0), Kind::LeftRun { reason: StopReason::Volitional });
    assert_eq!(hall.score(0).as_deref(), Some("2-3 · 200 m"));
    assert_eq!(hall.board().tiles[0].note.as_deref(), Some("stopped by choice"));
    let recorded = hall.state(0).conditions(hall.protocol, &hall.setup);
    assert_eq!(recorded.get("left_because"), Some(&Answer::Text("the client asked to stop".into())));
    // A line that was just missed is not completed.
    hall.miss(10, 0.5, 1);
    hall.say(tenth + 2.0, Some(1), Kind::LeftRun { reason: StopReason::Fatigue });
    assert_eq!(hall.score(1).as_deref(), Some("2-2 · 180 m"));
}

#[test]
fn everybody_out_at_the_first_lines_is_a_test_with_scores_of_zero() {
    let mut hall = Hall::of("shuttle-20m", 2, &[]);
    for slot in [0, 1] {
        hall.miss(1, 0.3, slot);
        hall.miss(2, 0.3, slot);
    }
    assert_eq!(hall.score(0).as_deref(), Some("0-0 · 0 m"));
    hall.say(40.0, None, Kind::Finished);
    let state = hall.state(1);
    assert!(state.is_closed());
    assert_eq!(state.inputs(hall.protocol, &hall.setup).get("level"), Some(0.0));
}

#[test]
fn who_starts_late_joins_at_the_present_level_and_it_is_said() {
    let mut hall = Hall::of("shuttle-20m", 1, &[]);
    hall.miss(1, 0.3, 0);
    hall.miss(2, 0.3, 0);
    let third = hall.beeps().marks.iter().filter(|m| m.level == 3.0).map(|m| m.at_s).next().unwrap();
    hall.say(third + 1.0, Some(0), Kind::SetOff);
    assert_eq!((hall.score(0), hall.board().tiles[0].note.as_deref()), (None, Some("started late")));
    let late = hall.state(0).conditions(hall.protocol, &hall.setup);
    assert_eq!(late.get("joined_late"), Some(&Answer::YesNo(true)));
    let joined = hall.state(0).beeps().unwrap().joined.unwrap();
    hall.miss(joined + 5, 0.3, 0);
    hall.miss(joined + 6, 0.3, 0);
    assert_eq!(hall.state(0).beeps().unwrap().ended.as_ref().unwrap().beep, joined + 4);
}

#[test]
fn a_pause_goes_on_with_its_level_and_what_is_run_again_is_judged_again() {
    let mut hall = Hall::of("shuttle-20m", 2, &[]);
    // The first shuttle of level 2 is beep 8; level 2 begins at 59.294 s.
    hall.miss(8, 0.3, 0);
    hall.miss(5, 0.3, 1);
    hall.miss(6, 0.3, 1);
    hall.say(70.0, None, Kind::Paused);
    assert!(hall.refusal(71.0, None, Kind::Paused).is_some());
    hall.say(100.0, None, Kind::WentOn { anew: false });
    let of = hall.state(0).beeps().unwrap().clone();
    assert_eq!(of.misses, [0_u32; 0], "beep 8 is run again");
    assert_eq!((of.pauses, of.pieces.len(), of.pieces[1].from_ms), (1, 2, (COUNT_IN + 105.0) * 1000.0));
    assert!((of.pieces[1].at_s - hall.beeps().beep(7).unwrap().at_s).abs() < 1e-6);
    assert_eq!(hall.score(1).as_deref(), Some("1-4 · 80 m"), "who was out stays out");
    // The first line of level 2 again: 8 s after the level has begun again.
    hall.say(105.0 + 8.2, Some(0), Kind::LineMissed);
    assert_eq!(hall.state(0).beeps().unwrap().misses, [8]);
    assert_eq!(hall.state(0).conditions(hall.protocol, &hall.setup).get("paused"), Some(&Answer::YesNo(true)));
}

#[test]
fn a_pause_in_the_rest_after_a_level_goes_on_with_the_next() {
    let mut hall = Hall::of("shuttle-recovery-1", 1, &[]);
    // Level 5 is one run, finished at 14.4 s; level 9 starts at 24.4 s.
    hall.say(20.0, None, Kind::Paused);
    hall.say(60.0, None, Kind::WentOn { anew: false });
    assert!((hall.state(0).beeps().unwrap().pieces[1].at_s - 24.4).abs() < 1e-9);
}

#[test]
fn after_a_false_start_everybody_begins_anew() {
    let mut hall = Hall::of("shuttle-20m", 1, &[]);
    hall.miss(1, 0.3, 0);
    hall.miss(2, 0.3, 0);
    hall.say(20.0, None, Kind::Paused);
    hall.say(60.0, None, Kind::WentOn { anew: true });
    let of = hall.state(0).beeps().unwrap().clone();
    assert_eq!((of.misses.len(), of.ended, of.pieces[1].at_s), (0, None, 0.0));
}

#[test]
fn a_stage_of_the_interval_run_counts_when_all_of_its_lines_were_made() {
    let mut hall = Hall::of("interval-30-15", 2, &[("start_kmh", Answer::Number(10.0))]);
    // Stage 10 has four lines, stage 10.5 the beeps 5 to 8.
    hall.miss(7, 0.3, 0);
    hall.miss(8, 0.3, 0);
    hall.miss(9, 0.3, 1);
    hall.miss(10, 0.3, 1);
    assert_eq!((hall.score(0).as_deref(), hall.score(1).as_deref()), (Some("10.0 km/h"), Some("10.5 km/h")));
}

#[test]
fn whoever_runs_to_the_end_has_the_whole_schedule() {
    let mut hall = Hall::of("shuttle-recovery-2", 1, &[]);
    let last = hall.beeps().beep(hall.beeps().count()).unwrap().clone();
    hall.say(last.at_s + 30.0, None, Kind::Finished);
    let state = hall.state(0);
    assert_eq!(state.beeps().unwrap().ended.as_ref().unwrap().distance_m, last.distance_m);
    assert!(state.is_closed());
}

#[test]
fn before_the_start_nobody_misses_and_a_test_without_beeps_has_none() {
    let hall = Hall::of("shuttle-20m", 1, &[]);
    assert!(hall.refusal(-3.0, Some(0), Kind::LineMissed).unwrap().1.contains("Nobody has set off"));
    assert!(hall.refusal(3.0, None, Kind::WentOn { anew: false }).is_some());
    let plank = Hall::of("plank", 1, &[]);
    assert_eq!(plank.refusal(3.0, Some(0), Kind::LineMissed).unwrap().0, Code::NotApplicable);
}

#[test]
fn a_second_start_by_another_device_moves_nothing() {
    let mut hall = Hall::of("shuttle-20m", 1, &[]);
    hall.say(-4.0, None, Kind::ClockStarted);
    hall.miss(1, 0.4, 0);
    let state = hall.state(0);
    assert_eq!((state.started_at, state.beeps().unwrap().misses.as_slice()), (Some(Hall::at(-COUNT_IN)), [1].as_slice()));
}

/// What somebody saw at a beep: of whom, how late the tap was, on which device.
fn taps() -> impl Strategy<Value = Vec<(u32, u16, f64, bool)>> {
    prop::collection::vec((1u32..30, 0u16..4, -0.9..3.0f64, any::<bool>()), 0..40)
}

proptest! {
    /// Ten minutes without a network on one of two devices: whatever the order in which the taps arrive, the scores are those of a run
    /// that nothing disturbed.
    #[test]
    fn two_recorders_make_one_test(taps in taps(), seed in any::<u64>()) {
        let mut hall = Hall::of("shuttle-20m", 4, &[]);
        for (beep, slot, after, _) in &taps {
            hall.miss(*beep, *after, *slot);
        }
        for (event, (.., second)) in hall.events.iter_mut().skip(1).zip(&taps) {
            event.device = Uuid::from_u128(1 + u128::from(*second));
        }
        let undisturbed = hall.board();
        let device = |e: &Event| e.device;
        let late = Uuid::from_u128(2);
        let (mut first, second): (Vec<Event>, Vec<Event>) = hall.events.iter().cloned().partition(|e| device(e) != late);
        first.extend(second);
        let turn = usize::try_from(seed % (first.len() as u64)).unwrap();
        first.rotate_left(turn);
        hall.events = first;
        prop_assert_eq!(hall.board(), undisturbed);
    }

    /// The scores are those of the same misses typed by their beeps.
    #[test]
    fn the_floor_and_the_batch_reckon_alike(missed in prop::collection::btree_set(1u32..40, 0..14), cumulative in any::<bool>()) {
        let rule = if cumulative { "cumulative" } else { "consecutive" };
        let mut hall = Hall::of("shuttle-recovery-1", 1, &[("beep_rule", Answer::Text(rule.into()))]);
        for beep in &missed {
            hall.miss(*beep, 0.4, 0);
        }
        let misses = missed.iter().map(|b| Some(f64::from(*b))).collect();
        let mut typed = impulso_core::inputs::Inputs::new();
        typed.insert("misses", impulso_core::inputs::Value::Tries(misses));
        typed.insert("miss_rule", impulso_core::inputs::Value::Words(rule.into()));
        let batch = hall.protocol.schedule().unwrap().settle_misses(&mut typed).map(|()| typed);
        match (hall.state(0).beeps().unwrap().ended.as_ref(), batch) {
            (Some(ended), Ok(typed)) => prop_assert_eq!((ended.values.get("level").copied(), ended.values.get("shuttle").copied()), (typed.get("level"), typed.get("shuttle"))),
            (None, Err(error)) => prop_assert_eq!(error.code, Code::MissingInput),
            (floor, batch) => prop_assert!(false, "{floor:?} {batch:?}"),
        }
    }
}
