//! The fold of a run from 100 to 100,000 events: nanoseconds an event, each length beside the shortest, on the same machine
//! in the same minute. `cargo bench -p impulso-core --bench fold`. Exits with 1 where an event of the longest run costs more
//! than three times an event of a short one: sorting alone costs a factor of two.
#![allow(clippy::unwrap_used)]

use std::{hint::black_box, process::ExitCode, time::Instant};

use chrono::{DateTime, TimeDelta, Utc};
use impulso_core::{
    catalogue, rehearse,
    run::{Event, Kind, fold},
    simulate::Client,
    strap::Heard,
};
use uuid::Uuid;

const LIMIT: f64 = 3.0;
const LENGTHS: [u32; 4] = [100, 1_000, 10_000, 100_000];

/// Taps, a strap's seconds, remarks taken back, and ends with nothing to finish.
fn events(n: u32) -> Vec<Event> {
    let start: DateTime<Utc> = "2026-11-23T09:00:00Z".parse().unwrap();
    let device = Uuid::from_u128(7);
    let id = |k: u32| Uuid::from_u128(7 << 32 | u128::from(k));
    (0..n)
        .map(|k| {
            let kind = match k % 8 {
                _ if k == 0 => Kind::ClockStarted,
                1 | 5 => Kind::Tap,
                2 => Kind::Noted { text: "seen".into() },
                3 => Kind::Undone { event: id(k - 1) },
                4 => Kind::Finished,
                _ => Kind::StrapHeard { bytes: String::new(), heard: Some(Heard { bpm: Some(120 + (k % 9) as u16), ..Heard::default() }) },
            };
            let ms = f64::from(k) * 300.0;
            Event { id: id(k), device, seq: k + 1, mono_ms: ms, wall: start + TimeDelta::milliseconds(ms as i64), slot: None, kind }
        })
        .collect()
}

fn main() -> ExitCode {
    let mut worst: f64 = 0.0;
    for protocol in catalogue::all().iter().filter(|p| p.family().runs_live()) {
        let setup = rehearse::setup(protocol, &Client::from_seed(3));
        let mut shortest = None;
        print!("{:<24}", protocol.id);
        for n in LENGTHS {
            let events = events(n);
            let rounds = (200_000 / n).max(3);
            let mut best = f64::MAX;
            for _ in 0..3 {
                let begin = Instant::now();
                (0..rounds).for_each(|_| drop(black_box(fold(protocol, &setup, black_box(&events)))));
                best = best.min(begin.elapsed().as_nanos() as f64 / f64::from(rounds) / f64::from(n));
            }
            let ratio = best / *shortest.get_or_insert(best);
            if n == LENGTHS[3] {
                worst = worst.max(ratio);
            }
            print!("  {n:>6}: {best:>6.0} ns an event ({ratio:.1})");
        }
        println!();
    }
    println!("an event of the longest run costs at most {worst:.1} times one of the shortest (limit {LIMIT})");
    if worst <= LIMIT { ExitCode::SUCCESS } else { ExitCode::FAILURE }
}
