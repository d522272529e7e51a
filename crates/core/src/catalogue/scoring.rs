//! What a test records and gives: inputs, the quantities computed from them, the tables they are compared with, and the
//! conditions under which two results may be compared.

use serde::{Deserialize, Serialize};

use super::care::Citation;
use crate::{estimate::Equation, person::Sex};

/// Something recorded.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Input {
    /// Public key.
    pub key: String,
    /// Heading.
    pub label: String,
    /// Unit as it is written.
    pub unit: String,
    /// Smallest value accepted.
    pub min: f64,
    /// Largest value accepted.
    pub max: f64,
    /// Resolution of the entry.
    pub step: f64,
    /// The only values accepted, where there are few.
    #[serde(default)]
    pub one_of: Vec<f64>,
    /// Not a reading: given to ask an equation the other way round.
    #[serde(default)]
    pub inverse: bool,
}

/// A quantity and the equation that gives it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Scoring {
    /// What is computed.
    pub quantity: String,
    /// By which named equation.
    pub equation: Equation,
    /// The ages it was fitted on, where it was fitted on some.
    pub fitted_ages: Option<(f64, f64)>,
    /// Stands in the result itself and in no list.
    #[serde(default)]
    pub in_detail: bool,
}

/// A table that serves a quantity.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct NormUse {
    /// What is compared.
    pub quantity: String,
    /// With which table.
    pub table: String,
}

/// A circumstance that has to be alike for two results to be compared.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Condition {
    /// Public key.
    pub key: String,
    /// Heading.
    pub label: String,
    /// What kind of answer it takes.
    pub kind: ConditionKind,
    /// Unit as it is written, for numbers.
    pub unit: Option<String>,
    /// What the protocol asks for; anything else is flagged, not refused.
    pub expected: Option<f64>,
    /// The same for men, where it is split by sex.
    pub expected_male: Option<f64>,
    /// And for women.
    pub expected_female: Option<f64>,
    /// Numbers closer than this are the same.
    pub tolerance: Option<f64>,
    /// Key and wording of each choice.
    #[serde(default)]
    pub choices: Vec<(String, String)>,
    /// A result where this is "no" is compared with none.
    #[serde(default)]
    pub must_hold: bool,
    /// A result where this is "yes" is compared with none.
    #[serde(default)]
    pub must_not_hold: bool,
    /// The question at set-up; empty where nobody is asked.
    pub ask: String,
    /// Why it matters, as the end of a sentence.
    pub why: String,
    /// Whether set-up cannot be left without it.
    #[serde(default)]
    pub required: bool,
    /// Filled in by the run or the record, not asked.
    #[serde(default)]
    pub recorded_by_run: bool,
}

/// What kind of answer a condition takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum ConditionKind {
    /// A number with a unit.
    Number,
    /// Yes or no.
    YesNo,
    /// One of a few.
    Choice,
    /// Free words.
    Text,
}

impl Condition {
    /// What the protocol asks for, for a client of this sex.
    pub fn expected_for(&self, sex: Option<Sex>) -> Option<f64> {
        match sex {
            Some(Sex::Male) => self.expected_male.or(self.expected),
            Some(Sex::Female) => self.expected_female.or(self.expected),
            None => self.expected,
        }
    }
}

/// How much a quantity wobbles when nothing has changed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ChangeRule {
    /// Which quantity.
    pub quantity: String,
    /// Test-retest correlation, 0 to 1.
    pub reliability: Option<f64>,
    /// The table whose spread gives the between-person SD.
    pub sd_from_table: Option<String>,
    /// Whether less is better.
    #[serde(default)]
    pub lower_is_better: bool,
    /// Who says so.
    pub source: Option<Citation>,
}
