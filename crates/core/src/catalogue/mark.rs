//! Targets that are passed or not, and when a target or a table holds.

use serde::{Deserialize, Serialize};

use super::care::Citation;
use crate::inputs::{Inputs, Value};

/// A mark that is passed or not.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PassMark {
    pub quantity: String,
    /// From here on it is passed, in the quantity's unit.
    pub mark: f64,
    /// It is passed only beyond the mark.
    #[serde(default)]
    pub beyond: bool,
    /// What must have been done so.
    #[serde(default)]
    pub when: Vec<When>,
    /// Who says so.
    pub source: Citation,
}

/// A circumstance under which a table or a mark holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct When {
    pub input: String,
    /// The choice it must be.
    pub is: Option<String>,
    /// The choice it must not be.
    #[serde(default)]
    pub not: Option<String>,
    /// Whether anything must be given at all. Where nothing is said of the input, it must not be given, or be 0.
    #[serde(default)]
    pub given: bool,
}

impl When {
    /// Whether it holds for these readings.
    pub fn holds(&self, inputs: &Inputs) -> bool {
        let value = inputs.value(&self.input);
        let is = |choice: &String| matches!(value, Some(Value::Words(words)) if words == choice);
        match (&self.is, &self.not) {
            (Some(choice), _) => is(choice),
            (None, Some(other)) => !is(other),
            (None, None) if self.given => value.is_some(),
            (None, None) => value.is_none_or(|v| v.number() == Some(0.0)),
        }
    }
}
