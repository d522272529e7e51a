//! Taps along a pulse, on the run's clock with the precision of the screen's own.

use uuid::Uuid;

use super::event::Event;
use crate::{
    pulse::{self, Taps},
    strap::WINDOW_S,
};

/// A pause longer than this begins a new train of taps, ms: slower than any pulse that is counted.
const PAUSE_MS: f64 = 3_000.0;

/// Every tap of a run.
#[derive(Debug, Default)]
pub(super) struct TapTrain {
    /// ms of the run's clock, in the order they came.
    at_ms: Vec<f64>,
    /// Screen, its monotonic time and the run time of its last tap.
    anchor: Option<(Uuid, f64, f64)>,
}

impl TapTrain {
    /// Takes a tap in; `at` is its event's moment on the run's clock.
    pub(super) fn tap(&mut self, event: &Event, at: f64) {
        let precise = match self.anchor {
            Some((device, mono, anchored_at)) if device == event.device => anchored_at + (event.mono_ms - mono),
            _ => at,
        };
        self.anchor = Some((event.device, event.mono_ms, precise));
        self.at_ms.push(precise);
    }

    /// What the taps in a window say.
    pub(super) fn within(&self, start_ms: f64, end_ms: f64) -> Option<Taps> {
        let relative: Vec<f64> = self.at_ms.iter().map(|t| t - start_ms).collect();
        pulse::taps(&relative, end_ms - start_ms)
    }

    /// What the latest unbroken taps say, at most the last 15 s of them, where they began after `from_ms` and are enough for a
    /// rate.
    pub(super) fn latest(&self, from_ms: f64) -> Option<Taps> {
        let mut times: Vec<f64> = self.at_ms.iter().copied().filter(|t| *t >= from_ms).collect();
        times.sort_by(f64::total_cmp);
        let last = *times.last()?;
        let begin = times.windows(2).rev().find(|w| w[1] - w[0] > PAUSE_MS).map_or(times[0], |w| w[1]).max(last - WINDOW_S * 1000.0);
        self.within(begin, last).filter(|taps| taps.bpm.is_some())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::run::Kind;
    use chrono::{TimeDelta, TimeZone, Utc};

    fn train(times: &[f64]) -> TapTrain {
        let mut train = TapTrain::default();
        for (k, at) in times.iter().enumerate() {
            let wall = Utc.timestamp_opt(0, 0).unwrap() + TimeDelta::milliseconds(*at as i64);
            let event = Event {
                id: Uuid::from_u128(k as u128),
                device: Uuid::from_u128(7),
                seq: k as u32 + 1,
                mono_ms: *at,
                wall,
                slot: None,
                kind: Kind::Tap,
            };
            train.tap(&event, *at);
        }
        train
    }

    fn steady(from: f64, bpm: f64, n: u32) -> Vec<f64> {
        (0..n).map(|k| from + f64::from(k) * 60_000.0 / bpm).collect()
    }

    #[test]
    fn a_pause_begins_anew_and_only_the_latest_train_counts() {
        let mut times = steady(0.0, 60.0, 8);
        times.extend(steady(20_000.0, 120.0, 20));
        let latest = train(&times).latest(0.0).unwrap();
        assert_eq!(latest.bpm.map(f64::round), Some(120.0));
        assert!(train(&times).latest(29_000.0).is_none(), "one beat is no rate");
    }

    #[test]
    fn a_missed_and_a_double_tap_are_set_aside_here_too() {
        let mut times = steady(0.0, 100.0, 16);
        times.remove(6);
        times.push(times[9] + 90.0);
        let latest = train(&times).latest(0.0).unwrap();
        assert_eq!((latest.missed, latest.doubled, latest.bpm.map(f64::round)), (1, 1, Some(100.0)));
    }
}
