//! A screen that reports events at times of the run's clock, and a floor of one protocol under it.
#![allow(dead_code)]

use chrono::{DateTime, TimeDelta, Utc};
use impulso_core::{
    Code,
    catalogue::{self, Protocol},
    conditions::Answer,
    run::{Event, Kind, Setup, State, check_event, fold, state::SheetState},
};
use uuid::Uuid;

#[derive(Clone)]
pub struct Screen {
    device: u128,
    seq: u32,
    pub events: Vec<Event>,
}

pub fn t0() -> DateTime<Utc> {
    "2026-11-23T09:00:00Z".parse().unwrap()
}

impl Screen {
    pub fn new(device: u128) -> Self {
        Self { device, seq: 0, events: Vec::new() }
    }

    pub fn at(&mut self, ms: f64, kind: Kind) -> Uuid {
        self.of_slot(ms, None, kind)
    }

    pub fn of_slot(&mut self, ms: f64, slot: Option<u16>, kind: Kind) -> Uuid {
        self.seq += 1;
        let id = Uuid::from_u128(self.device << 32 | u128::from(self.seq));
        let wall = t0() + TimeDelta::microseconds((ms * 1000.0) as i64);
        self.events.push(Event { id, device: Uuid::from_u128(self.device), seq: self.seq, mono_ms: ms + 12_345.0, wall, slot, kind });
        id
    }

    pub fn last_ms(&self) -> f64 {
        self.events.iter().map(|e| (e.wall - t0()).num_microseconds().unwrap() as f64 / 1000.0).fold(0.0, f64::max)
    }
}

/// A run of one protocol whose clock was started.
pub struct Floor {
    pub protocol: &'static Protocol,
    pub setup: Setup,
    pub screen: Screen,
}

impl Floor {
    /// Set up for somebody, with these answers.
    pub fn of(id: &str, somebody: Setup, conditions: &[(&str, Answer)]) -> Self {
        let conditions = conditions.iter().map(|(k, a)| ((*k).to_owned(), a.clone())).collect();
        let setup = Setup { conditions, ..somebody };
        let protocol = catalogue::find(id).unwrap();
        setup.check(protocol).unwrap();
        let mut screen = Screen::new(7);
        screen.at(0.0, Kind::ClockStarted);
        Self { protocol, setup, screen }
    }

    /// Something happens, seconds after the start.
    pub fn at(&mut self, s: f64, kind: Kind) -> Uuid {
        self.screen.at(s * 1000.0, kind)
    }

    /// Something happens two seconds after what happened last.
    pub fn then(&mut self, kind: Kind) -> Uuid {
        self.screen.at(self.screen.last_ms() + 2000.0, kind)
    }

    pub fn state(&self) -> State {
        fold(self.protocol, &self.setup, &self.screen.events)
    }

    pub fn sheet(&self) -> SheetState {
        self.state().sheet().cloned().unwrap()
    }

    /// The input that is next.
    pub fn next(&self) -> Option<String> {
        let sheet = self.sheet();
        sheet.next.map(|k| sheet.rows[k].input.clone())
    }

    /// Why an event is not taken now.
    pub fn refusal(&self, kind: Kind) -> Option<(Code, String)> {
        let mut later = Screen::new(9);
        later.at(900_000.0, kind);
        check_event(self.protocol, &self.state(), &later.events[0]).err().map(|e| (e.code, e.message))
    }
}
