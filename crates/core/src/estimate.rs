//! The named equations.
//!
//! Each gives a value with its unit, its method and its standard error of estimate where one was published, and can
//! show itself with the numbers filled in ([`Equation::working`]). To add one, add a variant and its two arms.

use serde::{Deserialize, Serialize};

use crate::{
    error::{Code, InputError},
    person::Sex,
    units::{Bpm, rounded},
};

/// A way of computing a quantity. The kebab-case name is the method stored with a result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Equation {
    /// Beats in a window to beats a minute. Common practice.
    CountToRate,
    /// A count over a full minute is the rate. Common practice.
    MinuteCount,
    /// VO2max from the recovery heart rate after the 3-minute bench step.
    /// Source: McArdle et al. 1972; recalled.
    #[serde(rename = "mcardle-1972")]
    McArdle1972,
}

/// One computed quantity.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Estimate {
    /// Unrounded.
    pub value: f64,
    /// The way it was computed.
    pub equation: Equation,
}

/// An equation with the numbers in it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Working {
    /// The equation in symbols.
    pub formula: String,
    /// The same with this client's numbers, up to the result.
    pub filled: String,
    /// What the symbols mean.
    pub symbols: String,
}

/// How a line `intercept − slope × HR` is printed for a sex: VO2max from recovery heart rate.
/// Source: McArdle et al. 1972; recalled.
const fn bench_step_line(sex: Sex) -> (f64, f64) {
    match sex {
        Sex::Male => (111.33, 0.42),
        Sex::Female => (65.81, 0.1847),
    }
}

/// VO2max, mL/kg/min, from the recovery heart rate after the 3-minute bench step.
/// Source: McArdle et al. 1972; recalled.
pub fn bench_step_vo2max(sex: Sex, recovery_hr: Bpm) -> f64 {
    let (intercept, slope) = bench_step_line(sex);
    intercept - slope * recovery_hr.value()
}

impl Equation {
    /// The stable name.
    pub const fn name(self) -> &'static str {
        match self {
            Self::CountToRate => "count-to-rate",
            Self::MinuteCount => "minute-count",
            Self::McArdle1972 => "mcardle-1972",
        }
    }

    /// The unit of what it gives.
    pub const fn unit(self) -> &'static str {
        match self {
            Self::CountToRate | Self::MinuteCount => "bpm",
            Self::McArdle1972 => "mL/kg/min",
        }
    }

    /// Whether the value is an estimate of something not measured (and so carries a method and a standard error).
    pub const fn is_estimate(self) -> bool {
        matches!(self, Self::McArdle1972)
    }

    /// The published standard error of estimate, in [`Self::unit`]; none is known for the bench step's equations.
    pub const fn see(self) -> Option<f64> {
        None
    }

    /// Computes from a recovery heart rate.
    ///
    /// # Errors
    /// [`Code::NeedsSex`] where the equation is split by sex and none is on record.
    pub fn from_recovery(self, recovery_hr: Bpm, sex: Option<Sex>) -> Result<Estimate, InputError> {
        let value = match self {
            Self::CountToRate | Self::MinuteCount => recovery_hr.value(),
            Self::McArdle1972 => bench_step_vo2max(sex.ok_or_else(needs_sex)?, recovery_hr),
        };
        Ok(Estimate { value, equation: self })
    }

    /// How far the value moves when the heart rate moves by `bpm`, in [`Self::unit`].
    pub fn moves_by(self, bpm: f64, sex: Sex) -> f64 {
        match self {
            Self::CountToRate | Self::MinuteCount => bpm,
            Self::McArdle1972 => bench_step_line(sex).1 * bpm,
        }
    }

    /// The equation with the numbers in it. `count` is beats and window in seconds, where a count was made.
    pub fn working(self, recovery_hr: Bpm, sex: Option<Sex>, count: Option<(f64, f64)>) -> Option<Working> {
        let hr = rounded(recovery_hr.value(), 1);
        Some(match (self, count, sex) {
            (Self::CountToRate, Some((beats, window)), _) => Working {
                formula: "HR = beats × 60 / window".into(),
                filled: format!("HR = {} × 60 / {} = {hr} bpm", rounded(crate::pulse::whole_beats(beats), 0), rounded(window, 0)),
                symbols: "beats counted in the window, half a beat rounded up; window in seconds".into(),
            },
            (Self::CountToRate | Self::MinuteCount, ..) => Working {
                formula: "HR as counted over a full minute".into(),
                filled: format!("HR = {hr} bpm"),
                symbols: "HR: heart rate in recovery, bpm".into(),
            },
            (Self::McArdle1972, _, Some(sex)) => {
                let (intercept, slope) = bench_step_line(sex);
                Working {
                    formula: format!("VO₂max = {intercept} − {slope} × HR ({})", sex.plural()),
                    filled: format!(
                        "VO₂max = {intercept} − {slope} × {hr} = {} mL/kg/min",
                        rounded(bench_step_vo2max(sex, recovery_hr), 2)
                    ),
                    symbols: "HR: heart rate 5 to 20 s after stopping, bpm".into(),
                }
            }
            (Self::McArdle1972, _, None) => return None,
        })
    }
}

fn needs_sex() -> InputError {
    InputError::new(
        Code::NeedsSex,
        "sex",
        "This equation is printed separately for men and women. Record which of the two applies to see VO₂max; the heart rate is kept either way.",
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use test_case::test_case;

    #[test_case(Sex::Male, 140.0, 52.53; "man at 140")]
    #[test_case(Sex::Male, 112.0, 64.29; "man at 112")]
    #[test_case(Sex::Male, 92.0, 72.69; "man at 92")]
    #[test_case(Sex::Female, 148.0, 38.4744; "woman at 148")]
    fn bench_step(sex: Sex, bpm: f64, vo2max: f64) {
        assert!((bench_step_vo2max(sex, Bpm::new(bpm).unwrap()) - vo2max).abs() < 1e-9);
    }

    #[test]
    fn without_sex_the_rate_stands_and_the_estimate_is_refused() {
        let hr = Bpm::new(120.0).unwrap();
        assert_eq!(Equation::CountToRate.from_recovery(hr, None).unwrap().value, 120.0);
        assert_eq!(Equation::McArdle1972.from_recovery(hr, None).unwrap_err().code, Code::NeedsSex);
        assert_eq!(Equation::McArdle1972.working(hr, None, None), None);
    }

    #[test]
    fn the_working_shows_the_numbers_that_were_put_in() {
        let hr = Bpm::new(112.0).unwrap();
        let vo2 = Equation::McArdle1972.working(hr, Some(Sex::Male), None).unwrap();
        assert_eq!(vo2.filled, "VO₂max = 111.33 − 0.42 × 112 = 64.29 mL/kg/min");
        let count = Equation::CountToRate.working(hr, None, Some((27.5, 15.0))).unwrap();
        assert_eq!(count.filled, "HR = 28 × 60 / 15 = 112 bpm");
    }

    #[test]
    fn names_are_those_that_are_stored() {
        for equation in [Equation::CountToRate, Equation::MinuteCount, Equation::McArdle1972] {
            assert_eq!(serde_json::to_value(equation).unwrap(), equation.name());
        }
    }
}
