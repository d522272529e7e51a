//! A screen that reports events at times of the run's clock.
#![allow(dead_code)]

use chrono::{DateTime, TimeDelta, Utc};
use impulso_core::run::{Event, Kind};
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
