//! The circumstances of a test, as they are answered.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

/// An answer to a condition.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(untagged)]
pub enum Answer {
    /// Yes or no.
    YesNo(bool),
    /// A number in the condition's unit.
    Number(f64),
    /// A choice's key, or free words.
    Text(String),
}

/// Conditions by key.
pub type Conditions = BTreeMap<String, Answer>;
