//! The rules of a test that is done in attempts, as data: what is taken in each leg, and how.

use serde::{Deserialize, Serialize};

/// A test in attempts.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Attempts {
    /// In the order in which they are done.
    pub legs: Vec<Leg>,
}

/// One thing that is taken.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Leg {
    /// Key within the protocol.
    pub id: String,
    /// How it is taken.
    pub take: Take,
}

/// How a leg is taken: each is one kind of floor.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Take {
    /// A clock that runs until the position is lost.
    Hold {
        /// The input its seconds fill.
        input: String,
        /// What is marked on the way, in the order in which it is expected.
        #[serde(default)]
        marks: Vec<Mark>,
        /// The input that caps it, s, where it is given.
        limit: Option<String>,
        /// What ends it, as the key that ends it says.
        ends: String,
        /// What a score of nothing means: could not take the position.
        zero: String,
    },
}

/// A moment that is marked with a key.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Mark {
    /// The input its second fills.
    pub input: String,
    /// What is seen, as the key says it.
    pub label: String,
    /// The key that marks it.
    pub key: String,
}

impl Attempts {
    /// Every input that is filled by an attempt.
    pub fn inputs(&self) -> Vec<&str> {
        self.legs
            .iter()
            .flat_map(|leg| match &leg.take {
                Take::Hold { input, marks, limit, .. } => {
                    std::iter::once(input.as_str()).chain(marks.iter().map(|m| m.input.as_str())).chain(limit.as_deref())
                }
            })
            .collect()
    }
}
