//! The pulse: a count in a window, and a tap on every beat.
//!
//! bpm = count × 60 / window; the beat on the starting signal is zero, not one; half a beat rounds up. Tapping gives a
//! second opinion: 60 × (n − 1) / (last − first). Source: common practice.

use serde::{Deserialize, Serialize};

use crate::{
    error::{Code, InputError},
    units::Bpm,
};

/// The windows a pulse is counted in, seconds.
pub const WINDOWS_S: [f64; 4] = [10.0, 15.0, 30.0, 60.0];

/// A tap this close after the starting signal coincides with it: it is zero, not one. Milliseconds; common practice
/// has only the rule, the tenth of a second is ours.
const COINCIDES_MS: f64 = 100.0;

/// Half a beat rounds up.
pub fn whole_beats(count: f64) -> f64 {
    (count + 0.5).floor()
}

/// The heart rate of a count.
///
/// `count` in beats, `window_s` in seconds, one of [`WINDOWS_S`].
///
/// # Errors
/// [`Code::OutOfRange`] on `pulse_window_s` for another window, on `pulse_count` where the rate is not a heart rate.
pub fn rate(count: f64, window_s: f64) -> Result<Bpm, InputError> {
    if !WINDOWS_S.contains(&window_s) {
        return Err(InputError::new(Code::OutOfRange, "pulse_window_s", "The counting window is 10, 15, 30 or 60 seconds."));
    }
    let beats = whole_beats(count);
    Bpm::new(beats * 60.0 / window_s).map_err(|_| {
        InputError::new(
            Code::OutOfRange,
            "pulse_count",
            format!(
                "{} beats in {window_s} seconds is {} a minute, which is no heart rate. Type the beats you counted, {} to {}.",
                crate::units::rounded(count, 1),
                crate::units::rounded(beats * 60.0 / window_s, 0),
                (Bpm::MIN * window_s / 60.0).ceil(),
                (Bpm::MAX * window_s / 60.0).floor(),
            ),
        )
    })
}

/// What one beat more or less does to the rate, bpm: the resolution of a count.
pub fn resolution(window_s: f64) -> f64 {
    60.0 / window_s
}

/// What a series of taps says.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Taps {
    /// Beats in the window, missed taps put back, double taps set aside.
    pub count: u32,
    /// Rate from the intervals, bpm; absent with fewer than three beats.
    pub bpm: Option<f64>,
    /// Single taps that were missed (an interval about twice the median).
    pub missed: u32,
    /// Double taps set aside (an interval under half the median).
    pub doubled: u32,
}

/// Reads taps, in milliseconds after the start of a window `window_ms` long. Taps outside the window are ignored.
/// Returns nothing where no beat fell into it.
pub fn taps(times_ms: &[f64], window_ms: f64) -> Option<Taps> {
    let mut beats: Vec<f64> = times_ms.iter().copied().filter(|t| (0.0..=window_ms).contains(t)).collect();
    beats.sort_by(f64::total_cmp);
    if beats.is_empty() {
        return None;
    }
    let mut doubled = 0;
    if let Some(median) = median_interval(&beats) {
        let mut kept: Vec<f64> = Vec::with_capacity(beats.len());
        for beat in beats {
            if kept.last().is_some_and(|last| beat - last < 0.5 * median) {
                doubled += 1;
            } else {
                kept.push(beat);
            }
        }
        beats = kept;
    }
    let missed =
        median_interval(&beats).map_or(0, |median| beats.windows(2).filter(|w| (1.6..=2.4).contains(&((w[1] - w[0]) / median))).count());
    let coincident = usize::from(beats[0] <= COINCIDES_MS);
    let span = beats[beats.len() - 1] - beats[0];
    let bpm = (beats.len() >= 3 && span > 0.0).then(|| 60_000.0 * (beats.len() + missed - 1) as f64 / span);
    Some(Taps { count: (beats.len() + missed - coincident) as u32, bpm, missed: missed as u32, doubled })
}

fn median_interval(beats: &[f64]) -> Option<f64> {
    let mut intervals: Vec<f64> = beats.windows(2).map(|w| w[1] - w[0]).collect();
    if intervals.len() < 3 {
        return None;
    }
    intervals.sort_by(f64::total_cmp);
    Some(intervals[intervals.len() / 2])
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use test_case::test_case;

    fn steady(bpm: f64, from_ms: f64) -> Vec<f64> {
        let step = 60_000.0 / bpm;
        (0..200).map(|k| from_ms + step * f64::from(k)).take_while(|t| *t <= 15_000.0).collect()
    }

    #[test_case(35.0, 15.0, 140.0; "fifteen seconds")]
    #[test_case(27.5, 15.0, 112.0; "half a beat rounds up")]
    #[test_case(27.4, 15.0, 108.0; "less than half does not")]
    #[test_case(20.0, 10.0, 120.0; "ten seconds")]
    #[test_case(98.0, 60.0, 98.0; "a full minute")]
    fn rates(count: f64, window: f64, bpm: f64) {
        assert_eq!(rate(count, window).unwrap().value(), bpm);
    }

    #[test_case(3.0, 15.0, "pulse_count"; "three beats")]
    #[test_case(90.0, 15.0, "pulse_count"; "ninety beats")]
    #[test_case(28.0, 20.0, "pulse_window_s"; "a window nobody uses")]
    fn refused(count: f64, window: f64, field: &str) {
        let error = rate(count, window).unwrap_err();
        assert_eq!((error.code, error.field.as_deref()), (Code::OutOfRange, Some(field)));
    }

    #[test]
    fn the_beat_on_the_signal_is_zero() {
        let on_signal = taps(&steady(120.0, 0.0), 15_000.0).unwrap();
        assert_eq!((on_signal.count, on_signal.bpm.map(f64::round)), (30, Some(120.0)));
        assert_eq!(taps(&steady(120.0, 300.0), 15_000.0).unwrap().count, 30);
    }

    #[test]
    fn a_missed_tap_is_put_back_and_a_double_set_aside() {
        let mut times = steady(120.0, 250.0);
        times.remove(9);
        times.insert(4, times[3] + 90.0);
        let read = taps(&times, 15_000.0).unwrap();
        assert_eq!((read.count, read.missed, read.doubled, read.bpm.map(f64::round)), (30, 1, 1, Some(120.0)));
    }

    #[test]
    fn few_taps_give_a_count_but_no_rate() {
        assert_eq!(taps(&[400.0, 900.0], 15_000.0), Some(Taps { count: 2, bpm: None, missed: 0, doubled: 0 }));
        assert_eq!(taps(&[], 15_000.0), None);
        assert_eq!(taps(&[-3.0, 16_000.0], 15_000.0), None);
    }

    proptest! {
        #[test]
        fn a_steady_pulse_is_read_to_the_beat(bpm in 60.0..200.0f64, start in 0.0..0.9f64) {
            let read = taps(&steady(bpm, start * 60_000.0 / bpm), 15_000.0).unwrap();
            prop_assert!((read.bpm.unwrap() - bpm).abs() < 0.01);
            // One beat of quantisation, and the tenth of a second in which a beat coincides with the signal.
            prop_assert!((f64::from(read.count) - bpm / 4.0).abs() <= 1.0 + bpm / 600.0);
            prop_assert_eq!((read.missed, read.doubled), (0, 0));
        }

        #[test]
        fn a_hand_that_trembles_is_still_read(bpm in 60.0..180.0f64, jitter in proptest::collection::vec(-0.12..0.12f64, 60)) {
            let step = 60_000.0 / bpm;
            let times: Vec<f64> = steady(bpm, 200.0).iter().zip(&jitter).map(|(t, j)| t + j * step).collect();
            let read = taps(&times, 15_000.0).unwrap();
            prop_assert!((read.bpm.unwrap() - bpm).abs() < 4.0, "{:?}", read);
        }
    }
}
