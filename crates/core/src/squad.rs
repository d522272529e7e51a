//! A group beside itself: mean and spread of a measure, where each stands in it, who really moved, and the coach's own marks for it.

use serde::{Deserialize, Serialize};
use statrs::distribution::{ContinuousCDF, StudentsT};

use crate::{
    change::Verdict,
    error::{Code, InputError},
    person::{Facts, Sex},
    quantity::{self, Better},
    typical_error::TypicalError,
};

/// The fewest people whose mean and spread are told. Source: common practice.
pub const FEW: usize = 5;
/// The most marks of a group.
pub const MARKS_MAX: usize = 200;
/// So sure is the interval of a mean.
const CONFIDENCE: f64 = 0.95;

/// Mean and spread of a measure in a group.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Spread {
    /// How many have a value.
    pub n: usize,
    pub mean: f64,
    /// Sample standard deviation.
    pub sd: f64,
    pub median: f64,
    /// A quarter lies below.
    pub p25: f64,
    /// A quarter lies above.
    pub p75: f64,
    /// The mean of a group of which this is a sample lies between these, 95 %. Source: Student's t.
    pub mean_low: f64,
    pub mean_high: f64,
}

/// Mean and spread; nothing of fewer than [`FEW`].
pub fn spread(values: &[f64]) -> Option<Spread> {
    if values.len() < FEW {
        return None;
    }
    let mut sorted = values.to_vec();
    sorted.sort_by(f64::total_cmp);
    let n = sorted.len() as f64;
    let mean = sorted.iter().sum::<f64>() / n;
    let sd = (sorted.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / (n - 1.0)).sqrt();
    let half = StudentsT::new(0.0, 1.0, n - 1.0).map_or(f64::NAN, |t| t.inverse_cdf(f64::midpoint(1.0, CONFIDENCE))) * sd / n.sqrt();
    Some(Spread {
        n: sorted.len(),
        mean,
        sd,
        median: percentile(&sorted, 0.5),
        p25: percentile(&sorted, 0.25),
        p75: percentile(&sorted, 0.75),
        mean_low: mean - half,
        mean_high: mean + half,
    })
}

/// Linear between the values in their order, the smallest at 0 and the largest at 1. Source: Hyndman and Fan 1996, definition 7.
fn percentile(sorted: &[f64], share: f64) -> f64 {
    let at = share * (sorted.len() - 1) as f64;
    let (low, part) = (at.floor() as usize, at.fract());
    sorted.get(low + 1).map_or(sorted[low], |next| sorted[low] + (next - sorted[low]) * part)
}

/// Where somebody stands in the group, better is higher.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PlaceInGroup {
    /// Standard deviations from the mean, the better side positive.
    pub z: f64,
    /// 50 + 10 z.
    pub t: f64,
    /// So many of the group in 100 are not as good; who is as good counts half.
    pub percentile: f64,
}

impl Spread {
    /// Where a value of the group stands in it; nothing where all are alike.
    pub fn place(&self, quantity: &str, value: f64, values: &[f64]) -> Option<PlaceInGroup> {
        if self.sd <= 0.0 {
            return None;
        }
        let sign = if quantity::better(quantity) == Some(Better::Less) { -1.0 } else { 1.0 };
        let z = sign * (value - self.mean) / self.sd;
        let below = values.iter().filter(|v| sign * **v < sign * value).count() as f64;
        let equal = values.iter().filter(|v| **v == value).count() as f64;
        let percentile = 100.0 * (below + equal / 2.0) / values.len() as f64;
        Some(PlaceInGroup { z, t: 50.0 + 10.0 * z, percentile })
    }
}

/// The place of each value, the best first; who is as good shares a place. Nothing for who has none.
pub fn ranks(quantity: &str, values: &[Option<f64>]) -> Vec<Option<usize>> {
    let less = quantity::better(quantity) == Some(Better::Less);
    let ahead = |a: f64, b: f64| if less { a < b } else { a > b };
    let place = |value: &Option<f64>| value.map(|v| values.iter().flatten().filter(|other| ahead(**other, v)).count() + 1);
    values.iter().map(place).collect()
}

/// How many really moved since their last time.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Moved {
    pub clear_gains: usize,
    pub clear_losses: usize,
    /// Clear, where neither more nor less is better.
    pub clear_changes: usize,
    pub possible_gains: usize,
    pub possible_losses: usize,
    /// Possible, where neither more nor less is better.
    pub possible_changes: usize,
    pub within_error: usize,
    /// Not done alike.
    pub not_alike: usize,
    /// The measurement error is not known.
    pub untold: usize,
    pub first_times: usize,
}

/// Counts verdicts; nothing for a first time.
pub fn moved(verdicts: impl IntoIterator<Item = Option<Verdict>>) -> Moved {
    let mut all = Moved::default();
    for verdict in verdicts {
        *match verdict {
            None => &mut all.first_times,
            Some(Verdict::ClearGain) => &mut all.clear_gains,
            Some(Verdict::ClearLoss) => &mut all.clear_losses,
            Some(Verdict::ClearChange) => &mut all.clear_changes,
            Some(Verdict::PossibleGain) => &mut all.possible_gains,
            Some(Verdict::PossibleLoss) => &mut all.possible_losses,
            Some(Verdict::PossibleChange) => &mut all.possible_changes,
            Some(Verdict::WithinNoise) => &mut all.within_error,
            Some(Verdict::NotComparable) => &mut all.not_alike,
            Some(Verdict::NoVerdict) => &mut all.untold,
        } += 1;
    }
    all
}

impl Moved {
    /// In a sentence: `4 clear gains, 1 clear loss, 2 possible gains, 6 within measurement error`.
    pub fn sentence(&self) -> String {
        let some = |n: usize, one: &str, several: &str| (n > 0).then(|| format!("{n} {}", if n == 1 { one } else { several }));
        let parts: Vec<String> = [
            some(self.clear_gains, "clear gain", "clear gains"),
            some(self.clear_losses, "clear loss", "clear losses"),
            some(self.clear_changes, "clear change", "clear changes"),
            some(self.possible_gains, "possible gain", "possible gains"),
            some(self.possible_losses, "possible loss", "possible losses"),
            some(self.possible_changes, "possible change", "possible changes"),
            some(self.within_error, "within measurement error", "within measurement error"),
            some(self.not_alike, "not done alike", "not done alike"),
            some(self.untold, "with no verdict (measurement error unknown)", "with no verdict (measurement error unknown)"),
            some(self.first_times, "for the first time", "for the first time"),
        ]
        .into_iter()
        .flatten()
        .collect();
        parts.join(", ")
    }
}

/// What a group is held to in one measure: the coach's own, with one bound or two.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct GroupMark {
    pub protocol: String,
    pub quantity: String,
    /// From here on it is good, in the measure's unit.
    pub good: f64,
    /// From here on it is acceptable, where there is such a bound.
    #[serde(default)]
    pub acceptable: Option<f64>,
    /// Only for this playing group.
    #[serde(default)]
    pub playing_group: Option<String>,
    /// Only for this sex.
    #[serde(default)]
    pub sex: Option<Sex>,
    /// Only from this age on, years.
    #[serde(default)]
    pub age_from: Option<f64>,
    /// Only up to this age, years.
    #[serde(default)]
    pub age_to: Option<f64>,
}

/// How somebody stands to a mark.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum MarkStand {
    Reached,
    /// Between the two bounds.
    Acceptable,
    /// Short of the lowest bound by no more than the measurement error of the test.
    Near,
    NotYet,
}

impl MarkStand {
    /// In a word or two.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Reached => "reached",
            Self::Acceptable => "acceptable",
            Self::Near => "near",
            Self::NotYet => "not yet",
        }
    }
}

impl GroupMark {
    /// Holds a mark to what makes sense.
    ///
    /// # Errors
    /// [`Code::OutOfRange`] naming the bound.
    pub fn check(&self) -> Result<(), InputError> {
        let bad = |field: &str, message: String| Err(InputError::new(Code::OutOfRange, field, message));
        let Some(better) = quantity::better(&self.quantity) else {
            let message = format!("For {} neither more nor less is better: it has no target.", quantity::label(&self.quantity));
            return bad("quantity", message);
        };
        if !self.good.is_finite() {
            return bad("good", "Type the value from which it is good.".into());
        }
        if let Some(acceptable) = self.acceptable
            && (!acceptable.is_finite() || acceptable == self.good || (acceptable > self.good) == (better == Better::More))
        {
            let side = if better == Better::More { "below" } else { "above" };
            let good = quantity::with_unit(&self.quantity, self.good);
            return bad("acceptable", format!("What is acceptable lies {side} what is good: {good}."));
        }
        if let (Some(from), Some(to)) = (self.age_from, self.age_to)
            && from > to
        {
            return bad("age_to", "The ages are the wrong way round.".into());
        }
        Ok(())
    }

    /// Whether it is meant for somebody.
    pub fn is_for(&self, playing_group: Option<&str>, facts: &Facts) -> bool {
        let age = facts.age.map(crate::units::Age::value);
        self.playing_group.as_deref().is_none_or(|wanted| playing_group == Some(wanted))
            && self.sex.is_none_or(|sex| facts.sex == Some(sex))
            && self.age_from.is_none_or(|from| age.is_some_and(|a| a >= from))
            && self.age_to.is_none_or(|to| age.is_some_and(|a| a < to + 1.0))
    }

    /// How narrow it is: of two that are meant for somebody the narrower one holds.
    pub const fn narrowness(&self) -> u8 {
        self.playing_group.is_some() as u8 + self.sex.is_some() as u8 + (self.age_from.is_some() || self.age_to.is_some()) as u8
    }

    /// How a value stands to it, judged against the measurement error of the test.
    pub fn judge(&self, value: f64, typical_error: Option<&TypicalError>) -> MarkStand {
        let sign = if quantity::better(&self.quantity) == Some(Better::Less) { -1.0 } else { 1.0 };
        let short = |of: f64| sign * (of - value);
        if short(self.good) <= 0.0 {
            return MarkStand::Reached;
        }
        if self.acceptable.is_some_and(|a| short(a) <= 0.0) {
            return MarkStand::Acceptable;
        }
        let lowest = short(self.acceptable.unwrap_or(self.good));
        if typical_error.is_some_and(|te| lowest <= te.possible) { MarkStand::Near } else { MarkStand::NotYet }
    }
}

/// The mark that holds for somebody in a measure, the narrowest first.
pub fn mark_for<'m>(
    marks: &'m [GroupMark],
    protocol: &str,
    quantity: &str,
    playing_group: Option<&str>,
    facts: &Facts,
) -> Option<&'m GroupMark> {
    let own = marks.iter().filter(|m| m.protocol == protocol && m.quantity == quantity && m.is_for(playing_group, facts));
    own.max_by_key(|m| m.narrowness())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::units::Age;
    use proptest::prelude::*;

    /// Source: NIST/SEMATECH e-Handbook of Statistical Methods, 1.3.6.7.2: t of 0.975 at 9 degrees of freedom is 2.262.
    #[test]
    fn the_interval_of_a_mean_is_students() {
        let values: Vec<f64> = (1..=10).map(f64::from).collect();
        let spread = spread(&values).unwrap();
        assert_eq!((spread.n, spread.mean, spread.median, spread.p25, spread.p75), (10, 5.5, 5.5, 3.25, 7.75));
        assert!((spread.sd - 3.027_650).abs() < 1e-5);
        assert!((spread.mean_high - (5.5 + 2.262 * 3.027_650 / 10.0_f64.sqrt())).abs() < 1e-3);
        assert_eq!(super::spread(&[1.0, 2.0, 3.0, 4.0]), None, "four are few");
    }

    #[test]
    fn who_is_quicker_stands_higher_and_equals_share_a_place() {
        let times = [300.0, 310.0, 310.0, 330.0, 350.0];
        let spread = spread(&times).unwrap();
        let best = spread.place("time_s", 300.0, &times).unwrap();
        assert!(best.z > 0.0 && (best.percentile - 90.0).abs() < 1e-9 && (best.t - 50.0 - 10.0 * best.z).abs() < 1e-9);
        let values: Vec<Option<f64>> = times.iter().copied().map(Some).chain([None]).collect();
        assert_eq!(ranks("time_s", &values), [Some(1), Some(2), Some(2), Some(4), Some(5), None]);
        assert_eq!(ranks("reps", &[Some(20.0), Some(31.0)]), [Some(2), Some(1)]);
        assert!(super::spread(&[3.0; 6]).unwrap().place("reps", 3.0, &[3.0; 6]).is_none());
    }

    #[test]
    fn who_moved_is_counted_by_verdict() {
        let all = moved([
            Some(Verdict::ClearGain),
            Some(Verdict::ClearGain),
            Some(Verdict::PossibleGain),
            Some(Verdict::WithinNoise),
            Some(Verdict::ClearLoss),
            Some(Verdict::NotComparable),
            None,
        ]);
        assert_eq!(
            all.sentence(),
            "2 clear gains, 1 clear loss, 1 possible gain, 1 within measurement error, 1 not done alike, 1 for the first time"
        );
    }

    fn mark(quantity: &str, good: f64, acceptable: Option<f64>) -> GroupMark {
        GroupMark {
            protocol: "shuttle-1200m".into(),
            quantity: quantity.into(),
            good,
            acceptable,
            playing_group: None,
            sex: None,
            age_from: None,
            age_to: None,
        }
    }

    #[test]
    fn two_bounds_and_what_lies_inside_the_error() {
        let error = crate::typical_error::tests::published();
        let step = mark("recovery_hr", 100.0, Some(120.0));
        assert_eq!(step.check(), Ok(()));
        let judged = |value: f64| step.judge(value, Some(&error));
        assert_eq!(
            [judged(99.0), judged(110.0), judged(125.0), judged(160.0)].map(MarkStand::words),
            ["reached", "acceptable", "near", "not yet"]
        );
        assert_eq!(step.judge(121.0, None), MarkStand::NotYet, "without a known error nothing is near");
        assert_eq!(mark("recovery_hr", 120.0, Some(100.0)).check().unwrap_err().field.as_deref(), Some("acceptable"));
        assert_eq!(mark("recovery_hr", f64::NAN, None).check().unwrap_err().field.as_deref(), Some("good"));
    }

    #[test]
    fn the_narrowest_mark_that_is_meant_for_somebody_holds() {
        let all = [
            mark("time_s", 320.0, None),
            GroupMark { playing_group: Some("front".into()), ..mark("time_s", 340.0, Some(360.0)) },
            GroupMark { playing_group: Some("front".into()), age_to: Some(17.0), ..mark("time_s", 350.0, None) },
        ];
        let aged = |years: f64| Facts { age: Age::new(years).ok(), ..Facts::default() };
        let good = |group: Option<&str>, years: f64| mark_for(&all, "shuttle-1200m", "time_s", group, &aged(years)).map(|m| m.good);
        assert_eq!(good(None, 24.0), Some(320.0));
        assert_eq!(good(Some("front"), 24.0), Some(340.0));
        assert_eq!(good(Some("front"), 17.6), Some(350.0));
        assert_eq!(mark_for(&all, "plank", "time_s", None, &aged(24.0)), None);
    }

    proptest! {
        #[test]
        fn percentiles_and_places_agree(values in prop::collection::vec(0.0f64..100.0, 5..60)) {
            let spread = spread(&values).unwrap();
            prop_assert!(spread.p25 <= spread.median && spread.median <= spread.p75);
            prop_assert!(spread.mean_low <= spread.mean && spread.mean <= spread.mean_high);
            let places = ranks("reps", &values.iter().copied().map(Some).collect::<Vec<_>>());
            for (value, place) in values.iter().zip(&places) {
                if let Some(stands) = spread.place("reps", *value, &values) {
                    prop_assert!((0.0..=100.0).contains(&stands.percentile));
                    prop_assert!(place.unwrap() <= values.len());
                }
            }
        }
    }
}
