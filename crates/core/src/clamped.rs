//! A ride at clamped heart rates: the load follows the heart, stage by stage, and what moves is the power it takes, the
//! recovery in the minute after, and how hard it felt. Read together, never one alone.
//!
//! Source: Lamberts et al. 2011 for the ride; the patterns are common practice; both recalled.

use serde::{Deserialize, Serialize};

use crate::{
    error::{Code, InputError},
    units::{Bpm, rounded},
};

/// The rules of a clamped ride, as data.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ClampRule {
    /// In order, without gaps.
    pub stages: Vec<ClampStage>,
    /// At the start of each stage the heart rate is still on its way: so long is left out of the means, s.
    pub settle_s: f64,
    /// How long after the last stage the recovery is read, s.
    pub recovery_s: f64,
    /// From here on a stage's mean heart rate is said to have missed its target, bpm. Ours, common practice.
    pub target_within_bpm: f64,
    /// What moves by itself from ride to ride.
    #[serde(alias = "wobble")]
    pub measurement_error: RideError,
}

/// One stage of the ride.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ClampStage {
    /// How long, s.
    pub seconds: f64,
    /// The target, percent of the maximal heart rate.
    pub percent_of_max: f64,
}

/// Changes up to this size are no change. A setting; the numbers that ship are recalled.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct RideError {
    /// Mean power of a stage, percent.
    pub power_percent: f64,
    /// Drop of the heart rate in the minute after, bpm.
    pub hrr60_bpm: f64,
    /// Rating of perceived exertion, points, as a mean over the last two stages.
    pub rpe: f64,
}

/// One line of the ride's recording.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Sample {
    /// Since the start of the first stage, s.
    pub time_s: f64,
    /// W; absent in a dropout.
    #[serde(default)]
    pub power_w: Option<f64>,
    /// bpm; absent in a dropout.
    #[serde(default)]
    pub hr_bpm: Option<f64>,
    /// Revolutions a minute; absent in a dropout.
    #[serde(default)]
    pub cadence_rpm: Option<f64>,
}

/// The most lines of a recording: an hour at four a second.
pub const SAMPLES_MAX: usize = 14_400;
const POWER_MAX: f64 = 2500.0;
const CADENCE_MAX: f64 = 250.0;
/// A heart rate this far from the moment it is wanted at still speaks for it, s.
const NEAR_S: f64 = 5.0;

/// What the recording says of one stage.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StageMeans {
    /// From 1.
    pub stage: u8,
    pub power_w: f64,
    pub hr_bpm: f64,
    pub cadence_rpm: f64,
}

/// Holds a recording to what one can be: in order of time, every number possible.
///
/// # Errors
/// [`Code::OutOfRange`] on `series`, naming the line.
pub fn check_series(series: &[Sample]) -> Result<(), InputError> {
    let refuse = |message: String| Err(InputError::new(Code::OutOfRange, "series", message));
    if series.len() > SAMPLES_MAX {
        return refuse(format!("The recording has {} lines; {SAMPLES_MAX} are the most. Keep one a second.", series.len()));
    }
    let mut before = f64::NEG_INFINITY;
    for (k, sample) in series.iter().enumerate() {
        let line = k + 1;
        if !(sample.time_s.is_finite() && sample.time_s >= 0.0 && sample.time_s > before) {
            return refuse(format!("Line {line}: time_s is {}; it must go up from line to line, in seconds from 0.", sample.time_s));
        }
        before = sample.time_s;
        let outside = |value: Option<f64>, max: f64| value.filter(|v| !(v.is_finite() && (0.0..=max).contains(v)));
        if let Some(watts) = outside(sample.power_w, POWER_MAX) {
            return refuse(format!("Line {line}: power_w is {watts}; it must be 0 to {POWER_MAX} W."));
        }
        if let Some(rpm) = outside(sample.cadence_rpm, CADENCE_MAX) {
            return refuse(format!("Line {line}: cadence_rpm is {rpm}; it must be 0 to {CADENCE_MAX} rpm."));
        }
        if let Some(Err(error)) = sample.hr_bpm.map(Bpm::new) {
            return refuse(format!("Line {line}: {} Leave the field empty where the strap was silent.", error.message));
        }
    }
    Ok(())
}

impl ClampRule {
    /// When a stage begins and ends, s.
    fn span(&self, stage: u8) -> Option<(f64, f64)> {
        let k = usize::from(stage.checked_sub(1)?);
        let start: f64 = self.stages.get(..k)?.iter().map(|s| s.seconds).sum();
        Some((start, start + self.stages.get(k)?.seconds))
    }

    /// When the last stage ends, s.
    fn end(&self) -> f64 {
        self.stages.iter().map(|s| s.seconds).sum()
    }

    /// The heart rate a stage is ridden at, bpm.
    pub fn target(&self, stage: u8, hr_max: f64) -> Option<f64> {
        let k = usize::from(stage.checked_sub(1)?);
        Some(hr_max * self.stages.get(k)?.percent_of_max / 100.0)
    }

    /// The means of a stage without its first minute.
    ///
    /// # Errors
    /// [`Code::MissingInput`] on `series` where the recording does not reach it, saying how far it goes.
    pub fn means(&self, stage: u8, series: &[Sample]) -> Result<StageMeans, InputError> {
        let missing = |what: &str| {
            let (from, until) = self.span(stage).unwrap_or_default();
            let reaches = series.last().map_or(0.0, |s| s.time_s);
            let message = format!(
                "There is no {what} in stage {stage}, which runs from {} to {} s; the recording ends at {} s. Choose the whole ride.",
                rounded(from, 0),
                rounded(until, 0),
                rounded(reaches, 0)
            );
            InputError::new(Code::MissingInput, "series", message)
        };
        let (start, end) = self.span(stage).ok_or_else(|| missing("reading"))?;
        // A stage that was broken off has no mean to compare.
        if series.last().is_none_or(|s| s.time_s < end - NEAR_S) {
            return Err(missing("end"));
        }
        let settled = series.iter().filter(|s| s.time_s > start + self.settle_s && s.time_s <= end);
        let mean = |of: fn(&Sample) -> Option<f64>, what: &str| {
            let (sum, n) = settled.clone().filter_map(of).fold((0.0, 0u32), |(sum, n), v| (sum + v, n + 1));
            if n == 0 { Err(missing(what)) } else { Ok(sum / f64::from(n)) }
        };
        Ok(StageMeans {
            stage,
            power_w: mean(|s| s.power_w, "power")?,
            hr_bpm: mean(|s| s.hr_bpm, "heart rate")?,
            cadence_rpm: mean(|s| s.cadence_rpm, "cadence")?,
        })
    }

    /// The last heart rate of the last stage minus the one a minute later, bpm.
    ///
    /// # Errors
    /// [`Code::MissingInput`] on `series` where either was not recorded.
    pub fn hrr60(&self, series: &[Sample]) -> Result<f64, InputError> {
        let end = self.end();
        let beats = series.iter().filter_map(|s| Some((s.time_s, s.hr_bpm?)));
        let last = beats.clone().rfind(|(at, _)| *at <= end && *at > end - NEAR_S);
        let wanted = end + self.recovery_s;
        let off = |at: f64| (at - wanted).abs();
        let later = beats.filter(|(at, _)| off(*at) <= NEAR_S).min_by(|a, b| off(a.0).total_cmp(&off(b.0)));
        last.zip(later).map(|((_, last), (_, later))| last - later).ok_or_else(|| {
            let message = format!(
                "The recovery needs a heart rate at {} s and one at {} s. Keep the strap on and the recording running for a minute after the ride.",
                rounded(end, 0),
                rounded(wanted, 0)
            );
            InputError::new(Code::MissingInput, "series", message)
        })
    }

    /// How long the last stage took to reach its target, s; nothing where it never did.
    pub fn reached_after(&self, series: &[Sample], hr_max: f64) -> Option<f64> {
        let stage = self.stages.len() as u8;
        let (start, end) = self.span(stage)?;
        let target = self.target(stage, hr_max)?;
        let there = series.iter().find(|s| s.time_s > start && s.time_s <= end && s.hr_bpm.is_some_and(|bpm| bpm >= target))?;
        Some(there.time_s - start)
    }
}

/// Which way something went, beyond its measurement error.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Way {
    /// More.
    Up,
    /// No change beyond measurement error.
    Same,
    /// Less.
    Down,
}

impl Way {
    fn of(change: f64, error: f64) -> Self {
        match change {
            c if c > error => Self::Up,
            c if c < -error => Self::Down,
            _ => Self::Same,
        }
    }
}

/// What two rides say together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Pattern {
    /// More power, faster recovery, felt the same.
    Fitter,
    /// Less power, slower recovery, felt the same.
    LessFit,
    /// More power in the last stage, faster recovery, felt harder.
    AcutelyTired,
    /// Less power, slower recovery, felt harder.
    ChronicallyTired,
    /// Anything else.
    Mixed,
}

impl Pattern {
    /// All of them, in the order they are explained.
    pub const ALL: [Self; 5] = [Self::Fitter, Self::LessFit, Self::AcutelyTired, Self::ChronicallyTired, Self::Mixed];

    /// In a sentence, worded as what it often means.
    pub const fn sentence(self) -> &'static str {
        match self {
            Self::Fitter => "More power at the same heart rates, a faster recovery, and it felt no harder: this often means fitter.",
            Self::LessFit => "Less power at the same heart rates, a slower recovery, and it felt the same: this often means less fit.",
            Self::AcutelyTired => {
                "More power in the last stage, a faster recovery, but it felt harder: this often means tired from the last days."
            }
            Self::ChronicallyTired => {
                "Less power, a slower recovery, and it felt harder: this often means tiredness that lasts for weeks. Look at sleep, stress and work."
            }
            Self::Mixed => "Mixed: no clear reading.",
        }
    }
}

/// The signs of two rides and what they say together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Together {
    /// What they say.
    pub pattern: Pattern,
    /// Power of the last stage but one.
    pub power_before: Way,
    /// Power of the last stage.
    pub power_last: Way,
    /// Drop of the heart rate in the minute after: up is faster.
    pub recovery: Way,
    /// How hard it felt.
    pub rpe: Way,
}

/// Reads two rides together; `then` and `now` give a quantity's value. Nothing where one lacks a sign.
pub fn together(error: &RideError, then: &dyn Fn(&str) -> Option<f64>, now: &dyn Fn(&str) -> Option<f64>) -> Option<Together> {
    let change = |key: &str| Some((then(key)?, now(key)? - then(key)?));
    let power = |key: &str| change(key).map(|(from, by)| Way::of(by, from * error.power_percent / 100.0));
    let (power_before, power_last) = (power("mean_power_2")?, power("mean_power_3")?);
    let recovery = Way::of(change("hrr60")?.1, error.hrr60_bpm);
    let rpe = Way::of(f64::midpoint(change("rpe_2")?.1, change("rpe_3")?.1), error.rpe);
    let pattern = match (power_before, power_last, recovery, rpe) {
        (Way::Up, Way::Up, Way::Up, Way::Same) => Pattern::Fitter,
        (Way::Down, Way::Down, Way::Down, Way::Same) => Pattern::LessFit,
        (_, Way::Up, Way::Up, Way::Up) => Pattern::AcutelyTired,
        (Way::Down, Way::Down, Way::Down, Way::Up) => Pattern::ChronicallyTired,
        _ => Pattern::Mixed,
    };
    Some(Together { pattern, power_before, power_last, recovery, rpe })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::catalogue;
    use proptest::prelude::*;
    use test_case::test_case;

    fn rule() -> &'static ClampRule {
        catalogue::find("clamped-cycle").unwrap().clamp().unwrap()
    }

    /// One line a second: each stage at a power and a heart rate of its own after a minute that is neither.
    fn ride(powers: [f64; 3], rates: [f64; 3], later: f64) -> Vec<Sample> {
        let at = |t: f64| {
            let k = if t <= 360.0 {
                0
            } else if t <= 720.0 {
                1
            } else {
                2
            };
            let start = [0.0, 360.0, 720.0][k];
            let settling = t - start <= 60.0;
            let bpm = if t > 900.0 {
                later
            } else if settling {
                rates[k] - 20.0
            } else {
                rates[k]
            };
            Sample { time_s: t, power_w: Some(if settling { 999.0 } else { powers[k] }), hr_bpm: Some(bpm), cadence_rpm: Some(90.0) }
        };
        (0..=960).map(|t| at(f64::from(t))).collect()
    }

    #[test]
    fn the_first_minute_of_each_stage_is_left_out_of_its_averages() {
        let ride = ride([120.0, 190.0, 240.0], [112.0, 150.0, 168.0], 130.0);
        let means: Vec<StageMeans> = (1..=3).map(|n| rule().means(n, &ride).unwrap()).collect();
        assert_eq!(means.iter().map(|m| m.power_w).collect::<Vec<_>>(), [120.0, 190.0, 240.0]);
        assert_eq!(means.iter().map(|m| m.hr_bpm).collect::<Vec<_>>(), [112.0, 150.0, 168.0]);
        assert_eq!(means[0].cadence_rpm, 90.0);
        assert!(rule().means(4, &ride).is_err());
    }

    #[test]
    fn hrr60_is_the_last_heart_rate_of_stage_3_minus_the_one_60_s_later() {
        let mut ride = ride([120.0, 190.0, 240.0], [112.0, 150.0, 168.0], 130.0);
        assert_eq!(rule().hrr60(&ride).unwrap(), 38.0);
        // A dropout at the moment itself: the nearest within five seconds speaks for it.
        ride.iter_mut().filter(|s| s.time_s > 957.0).for_each(|s| s.hr_bpm = None);
        assert_eq!(rule().hrr60(&ride).unwrap(), 38.0);
        ride.truncate(930);
        let error = rule().hrr60(&ride).unwrap_err();
        assert_eq!((error.code, error.field.as_deref()), (Code::MissingInput, Some("series")));
        assert!(error.message.contains("one at 960 s"), "{}", error.message);
    }

    #[test]
    fn a_ride_that_was_broken_off_has_no_mean_of_the_stage_it_lacks() {
        let mut ride = ride([120.0, 190.0, 240.0], [112.0, 150.0, 168.0], 130.0);
        ride.truncate(800);
        assert!(rule().means(2, &ride).is_ok());
        let error = rule().means(3, &ride).unwrap_err();
        assert!(error.message.contains("stage 3, which runs from 720 to 900 s; the recording ends at 799 s"), "{}", error.message);
    }

    #[test]
    fn ninety_percent_may_not_be_reached_within_the_first_minute() {
        let ride = ride([120.0, 190.0, 240.0], [112.0, 150.0, 168.0], 130.0);
        assert_eq!(rule().target(3, 186.0), Some(167.4));
        assert_eq!(rule().reached_after(&ride, 186.0), Some(61.0));
        assert_eq!(rule().reached_after(&ride, 200.0), None);
    }

    #[test_case([104.0, 104.0], 5.0, 0.0, Pattern::Fitter; "fitter")]
    #[test_case([96.0, 96.0], -5.0, 0.0, Pattern::LessFit; "less fit")]
    #[test_case([100.0, 104.0], 5.0, 2.0, Pattern::AcutelyTired; "acutely tired")]
    #[test_case([96.0, 96.0], -5.0, 2.0, Pattern::ChronicallyTired; "chronically tired")]
    #[test_case([104.0, 104.0], -5.0, 0.0, Pattern::Mixed; "more power but a slower recovery")]
    #[test_case([101.5, 101.5], 2.0, 0.5, Pattern::Mixed; "nothing beyond its measurement error")]
    #[test_case([104.0, 96.0], 5.0, 0.0, Pattern::Mixed; "one stage up and one down")]
    fn the_pattern_table(power: [f64; 2], recovery: f64, rpe: f64, pattern: Pattern) {
        let then = |_: &str| Some(100.0);
        let now = |key: &str| {
            Some(match key {
                "mean_power_2" => power[0],
                "mean_power_3" => power[1],
                "hrr60" => 100.0 + recovery,
                _ => 100.0 + rpe,
            })
        };
        assert_eq!(together(&rule().measurement_error, &then, &now).unwrap().pattern, pattern);
        assert!(pattern.sentence().contains("often") || pattern == Pattern::Mixed, "never a diagnosis");
    }

    #[test]
    fn a_ride_without_a_rating_is_not_read() {
        let all = |_: &str| Some(100.0);
        assert!(together(&rule().measurement_error, &all, &|key: &str| (key != "rpe_3").then_some(100.0)).is_none());
    }

    #[test_case(Sample { time_s: -1.0, ..Sample::default() }, "time_s is -1"; "before the start")]
    #[test_case(Sample { time_s: f64::NAN, ..Sample::default() }, "time_s is NaN"; "no time")]
    #[test_case(Sample { time_s: 1.0, power_w: Some(9000.0), ..Sample::default() }, "power_w is 9000"; "nobody pushes that")]
    #[test_case(Sample { time_s: 1.0, hr_bpm: Some(0.0), ..Sample::default() }, "Leave the field empty"; "a dropout written as 0")]
    #[test_case(Sample { time_s: 1.0, cadence_rpm: Some(-3.0), ..Sample::default() }, "cadence_rpm is -3"; "backwards")]
    fn a_line_that_cannot_be_is_named(sample: Sample, words: &str) {
        let error = check_series(&[sample]).unwrap_err();
        assert!(error.message.contains(words) && error.message.contains("Line 1"), "{}", error.message);
    }

    proptest! {
        /// Scaling every power scales every mean, and a gap in the recording moves no mean beyond what was recorded.
        #[test]
        fn means_lie_within_what_was_recorded(
            powers in proptest::collection::vec(50.0..400.0f64, 961), holes in proptest::collection::vec(any::<bool>(), 961)
        ) {
            let series: Vec<Sample> = powers.iter().zip(&holes).enumerate().map(|(t, (watts, hole))| Sample {
                time_s: t as f64,
                power_w: Some(*watts).filter(|_| !hole || t % 7 == 0),
                hr_bpm: Some(150.0),
                cadence_rpm: Some(90.0),
            }).collect();
            prop_assert!(check_series(&series).is_ok());
            for stage in 1..=3 {
                let (start, end) = rule().span(stage).unwrap();
                let read = || series.iter().filter(|s| s.time_s > start + 60.0 && s.time_s <= end).filter_map(|s| s.power_w);
                let mean = rule().means(stage, &series).unwrap().power_w;
                prop_assert!(read().fold(f64::MAX, f64::min) <= mean + 1e-9 && mean <= read().fold(0.0, f64::max) + 1e-9);
            }
        }
    }
}
