//! A chest strap's series: which of its numbers are heart rates, where it is silent, and what it says of a minute.
//!
//! Bytes are parsed at the edge; here arrives what was heard. A dropout is a gap, never a number.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::units::{Bpm, rounded};

/// What one notification said.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Heard {
    /// Beats a minute as sent.
    pub bpm: Option<u16>,
    /// Whether the electrodes have contact, where the strap can tell.
    pub contact: Option<bool>,
    /// Energy expended since reset, kJ, where it is sent.
    pub energy_kj: Option<u16>,
    /// Intervals between beats, ms, oldest first.
    #[serde(default)]
    pub rr_ms: Vec<f64>,
    /// Why the notification was rejected.
    pub rejected: Option<String>,
}

/// A minute's reading is the mean of the valid samples of this long before it, s. Common practice.
pub const WINDOW_S: f64 = 15.0;
/// At least this many seconds of it must hold a valid sample.
const ENOUGH: usize = 8;
/// A silence longer than this is a gap, ms.
pub const GAP_MS: f64 = 3_000.0;
/// The heart does not jump by more than this from one second to the next, bpm. Ours, common practice.
const JUMP_BPM: f64 = 25.0;
/// This many samples at a new level, and the level is believed.
const BELIEVED_AFTER: usize = 5;
/// The same number for so long is a flat line, ms.
const FLAT_MS: f64 = 60_000.0;
/// Length of a point on the drawn trace, ms.
const BIN_MS: f64 = 5_000.0;

#[derive(Debug, Clone, Copy, PartialEq)]
struct Sample {
    at_ms: f64,
    /// Nothing where the notification held no heart rate.
    bpm: Option<f64>,
}

/// Everything a strap sent in a run.
#[derive(Debug, Clone, Default)]
pub struct Trace {
    samples: Vec<Sample>,
    /// The last of them that is a heart rate.
    last_valid: Option<Sample>,
    /// Numbers that jumped away from the last valid one.
    doubtful: Vec<Sample>,
    problem: Option<String>,
}

/// A strap as the floor shows it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StrapState {
    /// The latest valid heart rate.
    pub bpm: Option<f64>,
    /// When it was heard, ms of the run's clock.
    pub at_ms: Option<f64>,
    /// Older than this is a gap, ms.
    pub gap_after_ms: f64,
    /// What is wrong or doubtful.
    pub problem: Option<String>,
    /// The trace for a drawing: a mean for every five seconds in which something was heard; a gap is one point without a
    /// value, however long it lasts.
    pub trace: Vec<TracePoint>,
}

/// A point of the drawn trace.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TracePoint {
    /// ms of the run's clock.
    pub at_ms: f64,
    /// bpm, or nothing in a gap.
    pub bpm: Option<f64>,
}

impl Trace {
    /// Takes what was heard at a moment of the run's clock.
    pub fn hear(&mut self, at_ms: f64, heard: &Heard) {
        let (bpm, problem) = valid(heard);
        self.problem = problem;
        let Some(bpm) = bpm else {
            self.samples.push(Sample { at_ms, bpm: None });
            return;
        };
        let sample = Sample { at_ms, bpm: Some(bpm) };
        match self.last_valid {
            Some(last) if at_ms - last.at_ms <= 2.0 * GAP_MS && last.bpm.is_some_and(|b| (b - bpm).abs() > JUMP_BPM) => {
                let from = last.bpm.unwrap_or_default();
                self.problem = Some(format!(
                    "The heart rate jumped from {} to {bpm} at once, which is not possible. Check the strap.",
                    rounded(from, 0)
                ));
                self.doubtful.push(sample);
                if self.doubtful.len() >= BELIEVED_AFTER {
                    self.samples.append(&mut self.doubtful);
                    self.last_valid = Some(sample);
                    self.problem = None;
                }
            }
            _ => {
                self.doubtful.clear();
                self.samples.push(sample);
                self.last_valid = Some(sample);
                if self.is_flat(at_ms) {
                    self.problem = Some(format!("{bpm} without a change for a minute: is the strap still measuring?"));
                }
            }
        }
    }

    fn is_flat(&self, now_ms: f64) -> bool {
        let from = now_ms - FLAT_MS;
        let mut recent = self.samples.iter().rev().take_while(|s| s.at_ms >= from).peekable();
        let first = recent.peek().and_then(|s| s.bpm);
        let oldest = self.samples.first().map_or(now_ms, |s| s.at_ms);
        oldest <= from && first.is_some() && recent.all(|s| s.bpm == first)
    }

    /// The reading at a moment: the mean of the valid samples of the 15 s before it, whole bpm; nothing where there were
    /// too few.
    pub fn reading(&self, at_ms: f64) -> Option<f64> {
        let window = (at_ms - WINDOW_S * 1000.0)..=at_ms;
        let heard: Vec<f64> = self.samples.iter().filter(|s| window.contains(&s.at_ms)).filter_map(|s| s.bpm).collect();
        (heard.len() >= ENOUGH).then(|| (heard.iter().sum::<f64>() / heard.len() as f64).round())
    }

    /// The strap as the floor shows it; nothing where none was heard.
    pub fn state(&self) -> Option<StrapState> {
        self.samples.last()?;
        Some(StrapState {
            bpm: self.last_valid.and_then(|s| s.bpm),
            at_ms: self.last_valid.map(|s| s.at_ms),
            gap_after_ms: GAP_MS,
            problem: self.problem.clone(),
            trace: self.drawn(),
        })
    }

    /// The points of a drawing: they grow in number with what was heard, never with the time between.
    fn drawn(&self) -> Vec<TracePoint> {
        let mut bins: BTreeMap<u64, (f64, u32)> = BTreeMap::new();
        for sample in self.samples.iter().filter(|s| s.at_ms >= 0.0) {
            let bin = bins.entry((sample.at_ms / BIN_MS) as u64).or_default();
            if let Some(bpm) = sample.bpm {
                *bin = (bin.0 + bpm, bin.1 + 1);
            }
        }
        let mut trace = Vec::with_capacity(bins.len());
        let mut next = 0;
        for (k, (sum, n)) in bins {
            if k > next {
                trace.push(TracePoint { at_ms: next as f64 * BIN_MS, bpm: None });
            }
            trace.push(TracePoint { at_ms: k as f64 * BIN_MS, bpm: (n > 0).then(|| (sum / f64::from(n)).round()) });
            next = k + 1;
        }
        trace
    }
}

fn valid(heard: &Heard) -> (Option<f64>, Option<String>) {
    if let Some(why) = &heard.rejected {
        return (None, Some(why.clone()));
    }
    if heard.contact == Some(false) {
        return (None, Some("The strap has no contact with the skin: moisten it and pull it tighter.".into()));
    }
    match heard.bpm.map(f64::from) {
        Some(bpm) if Bpm::new(bpm).is_ok() => (Some(bpm), None),
        Some(bpm) => (None, Some(format!("The strap says {bpm}, which is no heart rate. Check how it sits."))),
        None => (None, Some("The strap sent no heart rate.".into())),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn bpm(n: u16) -> Heard {
        Heard { bpm: Some(n), contact: Some(true), ..Heard::default() }
    }

    fn steady(n: u16, seconds: u32) -> Trace {
        let mut trace = Trace::default();
        (0..seconds).for_each(|s| trace.hear(f64::from(s) * 1000.0, &bpm(n + (s % 2) as u16)));
        trace
    }

    #[test]
    fn a_minute_reading_is_the_mean_of_the_last_fifteen_seconds() {
        let mut trace = steady(100, 60);
        (60..76).for_each(|s| trace.hear(f64::from(s) * 1000.0, &bpm(120)));
        assert_eq!(trace.reading(75_000.0), Some(120.0));
        assert_eq!(trace.reading(59_000.0), Some(101.0));
    }

    #[test]
    fn a_dropout_is_a_gap_never_a_number() {
        let mut trace = steady(120, 60);
        (60..80).for_each(|s| trace.hear(f64::from(s) * 1000.0, &Heard { contact: Some(false), bpm: Some(120), ..Heard::default() }));
        assert_eq!(trace.reading(79_000.0), None);
        let state = trace.state().unwrap();
        assert_eq!((state.trace[13].bpm, state.trace[3].bpm.is_some()), (None, true));
        assert!(state.problem.unwrap().contains("contact"));
    }

    #[test]
    fn two_hundred_and_fifty_five_is_no_heart_rate() {
        let mut trace = steady(120, 10);
        trace.hear(10_000.0, &bpm(255));
        assert!(trace.state().unwrap().problem.unwrap().contains("255"));
        assert_eq!(trace.state().unwrap().bpm, Some(121.0));
    }

    #[test]
    fn an_impossible_jump_is_questioned_until_it_has_stood_for_a_while() {
        let mut trace = steady(100, 20);
        trace.hear(20_000.0, &bpm(190));
        assert!(trace.state().unwrap().problem.unwrap().contains("190"));
        (21..26).for_each(|s| trace.hear(f64::from(s) * 1000.0, &bpm(150)));
        assert_eq!(trace.state().unwrap().bpm, Some(150.0));
    }

    #[test]
    fn a_flat_line_is_questioned() {
        let mut trace = Trace::default();
        (0..=70).for_each(|s| trace.hear(f64::from(s) * 1000.0, &bpm(132)));
        assert!(trace.state().unwrap().problem.unwrap().contains("without a change"));
    }

    #[test]
    fn a_trace_grows_with_what_was_heard_and_not_with_the_time_between() {
        let mut trace = steady(120, 60);
        // A clock that is wrong by the longest time a date can hold.
        trace.hear(8.0e18, &bpm(124));
        let state = trace.state().unwrap();
        assert_eq!(state.trace.len(), 12 + 1 + 1, "a minute, a gap, a sample");
        assert_eq!((state.trace[12].bpm, state.trace[13].bpm), (None, Some(124.0)));
    }

    proptest! {
        #[test]
        fn a_reading_lies_within_what_was_heard(rates in proptest::collection::vec(60u16..200, 1..80)) {
            let mut trace = Trace::default();
            rates.iter().enumerate().for_each(|(s, r)| trace.hear(s as f64 * 1000.0, &bpm(*r)));
            if let Some(reading) = trace.reading((rates.len() - 1) as f64 * 1000.0) {
                let (low, high) = (*rates.iter().min().unwrap(), *rates.iter().max().unwrap());
                prop_assert!((f64::from(low)..=f64::from(high)).contains(&reading));
            }
        }
    }
}
