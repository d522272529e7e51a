//! Runs in which anything happens, of every live protocol.
#![allow(dead_code)]

use std::borrow::Cow;

use impulso_core::{
    catalogue::{self, Protocol},
    rehearse,
    run::{Event, Kind, PerformerFacts, RunFacts, Setup, StopReason},
    simulate::Client,
    strap::Heard,
};
use proptest::prelude::*;
use uuid::Uuid;

use crate::screen::{Screen, t0};

/// Everything that can happen, possible or not, with numbers on both sides of every limit.
pub fn any_kind() -> impl Strategy<Value = Kind> {
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
        6 => any_beep(),
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

/// What happens in a run to beeps.
fn any_beep() -> impl Strategy<Value = Kind> {
    prop_oneof![
        6 => Just(Kind::LineMissed),
        2 => Just(Kind::LeftRun { reason: StopReason::Volitional }),
        2 => Just(Kind::PutBackIn),
        1 => Just(Kind::SetOff),
        1 => Just(Kind::Paused),
        1 => any::<bool>().prop_map(|anew| Kind::WentOn { anew }),
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
pub fn any_run() -> impl Strategy<Value = (usize, Vec<Event>)> {
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

/// The live protocol of that number, set up for somebody made up.
pub fn live(which: usize) -> (&'static Protocol, Setup) {
    let protocol = catalogue::all().iter().filter(|p| p.family().runs_live()).nth(which).unwrap();
    (protocol, rehearse::setup(protocol, &Client::from_seed(3)))
}

/// The facts of a run of so many, all set up alike.
pub fn facts<'a>(protocol: &'a Protocol, setup: &Setup, people: u16) -> RunFacts<'a> {
    let performer = |slot: u16| PerformerFacts {
        slot,
        tag: Uuid::from_u128(u128::from(slot)),
        person: Some(Uuid::from_u128(u128::from(slot) + 100)),
        name: Cow::Owned(format!("Runner {slot}")),
        setup: Cow::Owned(Setup { together: people > 1 && protocol.board_kind().is_some(), ..setup.clone() }),
        result: None,
    };
    RunFacts {
        id: Uuid::from_u128(1),
        protocol: Cow::Borrowed(protocol),
        performers: (0..people).map(performer).collect(),
        join_code: None,
        visit: None,
        group_visit: None,
        rehearsal_rate: None,
        created_at: t0(),
        clock_rate: 1.0,
        closed: false,
    }
}

/// Gives each event to all or to one of several, the same each time.
pub fn dealt(events: Vec<Event>, people: u16) -> Vec<Event> {
    let deal = |(k, e): (usize, Event)| {
        let slot = (k as u16 * 7 + e.seq as u16) % (people + 1);
        Event { slot: (slot < people && !e.kind.is_end() && k > 0).then_some(slot), ..e }
    };
    if people == 1 { events } else { events.into_iter().enumerate().map(deal).collect() }
}
