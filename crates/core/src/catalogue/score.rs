//! What is computed from the readings, and the rules that refuse or flag a value.

use serde::{Deserialize, Serialize};

use super::equation::Equation;
use crate::{formula::Formula, person::Sex};

/// The kinds of flag. The snake-case name is part of the public interface.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum FlagCode {
    /// A table or an equation was made from other people than this client.
    OutsidePopulation,
    /// The steady heart rate lies under the band the estimate needs.
    HrBelowBand,
    /// The steady heart rate lies over it.
    HrAboveBand,
    /// Two consecutive minutes never agreed.
    NoSteadyState,
    /// Fewer stages between the bounds than a line needs.
    TooFewStages,
    /// Carried on far beyond what was read.
    WideExtrapolation,
    /// The factor for age is not printed for this age.
    AgeClamped,
    /// The bench is not the protocol's.
    BenchDiffers,
    /// No warm-up.
    WarmUpMissing,
    /// On medicine that limits the heart rate.
    HeartRateDrug,
    /// A heart rate was read above the measured maximum.
    MaximumTooLow,
    /// Not done as the table's people did it.
    NotAsAsked,
    /// Under the middle half of people alike.
    BelowRange,
    /// The heart rate falls slowly after the effort.
    SlowRecovery,
    /// Less movement than the client's own hand is long.
    Restricted,
    /// Under eight of ten points.
    BelowEight,
    /// A doctor's clearance comes first.
    ClearanceFirst,
    /// No test today.
    DoNotTest,
    /// The two sides differ by more than is usual.
    SidesDiffer,
    /// Beyond a limit of common practice.
    Notable,
}

/// A quantity and the equation that gives it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Scoring {
    /// What is computed.
    pub quantity: String,
    /// By which named equation; by its own formula where nothing is said.
    #[serde(default = "by_formula")]
    pub equation: Equation,
    /// The formula, as data.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Option<String>))]
    pub formula: Option<Formula>,
    /// The formula for men, where it is printed by sex.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Option<String>))]
    pub formula_male: Option<Formula>,
    /// And for women.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Option<String>))]
    pub formula_female: Option<Formula>,
    /// What the formula is called where it estimates something that was not measured: author and year.
    #[serde(default)]
    pub method: Option<String>,
    /// The standard error of estimate that was published with the formula, in the quantity's unit.
    #[serde(default)]
    pub see: Option<f64>,
    /// Holds only for the procedure it was fitted on: a copy with other durations, beat or bench gives no such estimate.
    #[serde(default)]
    pub fitted_to_procedure: bool,
    /// The side whose readings it is about.
    #[serde(default)]
    pub side: Option<String>,
    /// Stands in the protocol's file for both sides and their difference.
    #[serde(default)]
    pub each_side: bool,
    /// Left out where a reading or a fact that it needs is missing.
    #[serde(default)]
    pub optional: bool,
    /// Left out where this result is zero: a score, of which nothing can be estimated.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unless_zero: Option<String>,
    /// The ages it was fitted on, where it was fitted on some.
    pub fitted_ages: Option<(f64, f64)>,
    /// Stands in the result itself and in no list.
    #[serde(default)]
    pub in_detail: bool,
}

impl Scoring {
    /// The formula that holds for a sex; of one printed by sex there is none without it.
    pub fn formula_for(&self, sex: Option<Sex>) -> Option<&Formula> {
        match sex {
            Some(Sex::Male) => self.formula_male.as_ref().or(self.formula.as_ref()),
            Some(Sex::Female) => self.formula_female.as_ref().or(self.formula.as_ref()),
            None => self.formula.as_ref(),
        }
    }

    /// Every formula it has.
    pub fn formulas(&self) -> impl Iterator<Item = &Formula> {
        [&self.formula, &self.formula_male, &self.formula_female].into_iter().flatten()
    }

    /// What a value is computed by: a publication, or what `equation` does with the readings. It is the scoring's own, unless a
    /// reading that was there needed none.
    pub fn method_by(&self, equation: Equation) -> &str {
        self.method.as_deref().unwrap_or(equation.name())
    }

    /// Whether it holds only for the procedure it was fitted on.
    pub const fn is_fitted_to_procedure(&self) -> bool {
        self.fitted_to_procedure || self.equation.is_fitted_to_procedure()
    }

    /// Whether the value is an estimate of something not measured.
    pub const fn is_estimate_by(&self, equation: Equation) -> bool {
        self.method.is_some() || equation.is_estimate()
    }
}

/// Something that is said, or refused, where a value crosses a bound.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Rule {
    /// What is looked at.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub value: Formula,
    /// Looked at for each side.
    #[serde(default)]
    pub each_side: bool,
    /// It holds under this.
    #[serde(default)]
    pub below: Option<f64>,
    /// At this and under it.
    #[serde(default)]
    pub at_most: Option<f64>,
    /// Over this.
    #[serde(default)]
    pub above: Option<f64>,
    /// At this and over it.
    #[serde(default)]
    pub at_least: Option<f64>,
    /// The flag, for a rule that flags.
    #[serde(default)]
    pub code: Option<FlagCode>,
    /// The field it is about.
    pub field: String,
    /// In words: what it means, or what to do.
    pub message: String,
}

impl Rule {
    /// Whether it holds for a value.
    pub fn holds(&self, value: f64) -> bool {
        self.below.is_some_and(|bound| value < bound)
            || self.at_most.is_some_and(|bound| value <= bound)
            || self.above.is_some_and(|bound| value > bound)
            || self.at_least.is_some_and(|bound| value >= bound)
    }
}

const fn by_formula() -> Equation {
    Equation::Formula
}
