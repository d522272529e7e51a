//! The names of the equations: what a protocol's file asks for, and what a result is stored with.

use serde::{Deserialize, Serialize};

/// A way of computing a quantity. The kebab-case name is the method stored with a result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Equation {
    /// The protocol's own formula, as data.
    Formula,
    /// Beats in a window to beats a minute. Common practice.
    CountToRate,
    /// A count over a full minute is the rate. Common practice.
    MinuteCount,
    /// The reading itself, as it was taken.
    AsMeasured,
    /// Whole laps and the part of one. Arithmetic.
    LapDistance,
    /// The running speed of a shuttle level. Arithmetic on the protocol's schedule.
    ShuttleSpeed,
    /// The distance up to a shuttle of a level. Arithmetic on the protocol's schedule.
    ShuttleDistance,
    /// The mean over a stage at a clamped heart rate, without its first minute. Source: Lamberts et al. 2011; recalled.
    ClampedMean,
    /// The drop of the heart rate in the minute after the last stage. Source: Lamberts et al. 2011; recalled.
    RecoveryAfterClamp,
    /// VO2max from the recovery heart rate after the 3-minute bench step.
    /// Source: McArdle et al. 1972; recalled.
    #[serde(rename = "mcardle-1972")]
    McArdle1972,
    /// VO2max from the steady heart rate at one cycle load, with the factor for age.
    /// Source: Åstrand & Ryhming 1954, Åstrand 1960; recalled.
    #[serde(rename = "astrand-1960")]
    Astrand1960,
    /// The same from the oxygen cost of stepping. Source: ACSM stepping equation, Åstrand 1960; recalled.
    #[serde(rename = "acsm-step-astrand-1960")]
    AcsmStepAstrand1960,
    /// VO2max from the line through submaximal cycle stages. Source: Golding 2000, ACSM cycling equation; recalled.
    #[serde(rename = "golding-2000")]
    Golding2000,
    /// VO2max from 2000 m on a rowing ergometer. Source: Hagerman 1984; recalled.
    #[serde(rename = "hagerman-1984")]
    Hagerman1984,
    /// The 2000 m time that a known VO2max suggests. Source: Hagerman 1984; recalled.
    #[serde(rename = "hagerman-1984-inverse")]
    Hagerman1984Inverse,
}

impl Equation {
    /// The stable name.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Formula => "formula",
            Self::CountToRate => "count-to-rate",
            Self::MinuteCount => "minute-count",
            Self::AsMeasured => "as-measured",
            Self::LapDistance => "lap-distance",
            Self::ShuttleSpeed => "shuttle-speed",
            Self::ShuttleDistance => "shuttle-distance",
            Self::ClampedMean => "clamped-mean",
            Self::RecoveryAfterClamp => "recovery-after-clamp",
            Self::McArdle1972 => "mcardle-1972",
            Self::Astrand1960 => "astrand-1960",
            Self::AcsmStepAstrand1960 => "acsm-step-astrand-1960",
            Self::Golding2000 => "golding-2000",
            Self::Hagerman1984 => "hagerman-1984",
            Self::Hagerman1984Inverse => "hagerman-1984-inverse",
        }
    }

    /// Whether the value is an estimate of something not measured (and so carries a method and a standard error).
    pub const fn is_estimate(self) -> bool {
        !matches!(
            self,
            Self::Formula
                | Self::CountToRate
                | Self::MinuteCount
                | Self::AsMeasured
                | Self::LapDistance
                | Self::ShuttleSpeed
                | Self::ShuttleDistance
                | Self::ClampedMean
                | Self::RecoveryAfterClamp
        )
    }

    /// Whether it rests on the body mass.
    pub const fn uses_mass(self) -> bool {
        matches!(self, Self::Astrand1960 | Self::AcsmStepAstrand1960 | Self::Golding2000 | Self::Hagerman1984 | Self::Hagerman1984Inverse)
    }

    /// Whether the equation holds only for the procedure it was fitted on, so that a copy with other durations, beat or
    /// bench gives no such estimate.
    pub const fn is_fitted_to_procedure(self) -> bool {
        matches!(self, Self::McArdle1972 | Self::Hagerman1984)
    }
}

#[cfg(test)]
mod tests {
    use crate::catalogue;

    #[test]
    fn names_are_those_that_are_stored() {
        for equation in catalogue::all().iter().flat_map(|p| &p.scoring).map(|s| s.equation) {
            assert_eq!(serde_json::to_value(equation).unwrap(), equation.name());
        }
    }
}
