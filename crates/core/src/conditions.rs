//! The circumstances of a test, as they are answered.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

/// An answer to a condition.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(untagged)]
pub enum Answer {
    YesNo(bool),
    /// A number in the condition's unit.
    Number(f64),
    /// A choice's key, or free words.
    Text(String),
}

/// Conditions by key.
pub type Conditions = BTreeMap<String, Answer>;

/// An answer of set-up on which something depends.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Chosen {
    pub condition: String,
    /// The choice it must be.
    pub is: String,
}

impl Chosen {
    /// Whether these answers are such.
    pub fn holds(&self, conditions: &Conditions) -> bool {
        matches!(conditions.get(&self.condition), Some(Answer::Text(t)) if *t == self.is)
    }
}
