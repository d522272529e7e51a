//! The circumstances that must be the same for two results to be compared.

use serde::{Deserialize, Serialize};

use crate::person::Sex;

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
    /// What a number can be, from and to; anything else is a slip of whoever typed it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub possible: Option<(f64, f64)>,
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
    /// The inputs that say nothing without it: where one of them is typed, it is needed too.
    #[serde(default)]
    pub required_with: Vec<String>,
    /// Filled in by the run or the record, not asked.
    #[serde(default)]
    pub recorded_by_run: bool,
    /// Where the answer is no, the test is done only with a reason.
    #[serde(default)]
    pub or_reason: bool,
    /// A note: results are compared whatever it says, and a difference is said beside.
    #[serde(default)]
    pub note: bool,
    /// One answer holds for everybody who does the test on one clock.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub for_all: bool,
    /// Each answer is a test of its own, as each lift is: a result is never held against one of another answer.
    #[serde(default)]
    pub is_series: bool,
}

/// What kind of answer a condition takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum ConditionKind {
    /// A number with a unit.
    Number,
    YesNo,
    /// One of a few.
    Choice,
    /// Free words.
    Text,
}

impl Condition {
    /// Whether last time's answer is one to start from; what must hold, and what is only noted, as the weather, is asked anew.
    pub const fn is_lasting(&self) -> bool {
        !self.must_hold && !self.note
    }

    /// Whether it may differ between two people who do the test side by side: a style, a weight of ball.
    pub const fn is_own(&self) -> bool {
        matches!(self.kind, ConditionKind::Choice | ConditionKind::Number)
            && self.is_lasting()
            && !self.recorded_by_run
            && !self.for_all
            && !self.ask.is_empty()
    }

    /// What the protocol asks for, for a client of this sex.
    pub fn expected_for(&self, sex: Option<Sex>) -> Option<f64> {
        match sex {
            Some(Sex::Male) => self.expected_male.or(self.expected),
            Some(Sex::Female) => self.expected_female.or(self.expected),
            None => self.expected,
        }
    }
}
