//! The circumstances of a test, as they are answered.

use std::{collections::BTreeMap, fmt};

use serde::{
    Deserialize, Deserializer, Serialize,
    de::{Error, Visitor},
};

/// An answer to a condition.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(untagged)]
pub enum Answer {
    YesNo(bool),
    /// A number in the condition's unit.
    Number(f64),
    /// A choice's key, or free words.
    Text(String),
}

/// Read by what stands there, and not by trying one kind after the other: a page of results reads thousands of them.
impl<'de> Deserialize<'de> for Answer {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Read;
        impl Visitor<'_> for Read {
            type Value = Answer;
            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("yes or no, a number, or words")
            }
            fn visit_bool<E: Error>(self, yes: bool) -> Result<Answer, E> {
                Ok(Answer::YesNo(yes))
            }
            fn visit_f64<E: Error>(self, n: f64) -> Result<Answer, E> {
                Ok(Answer::Number(n))
            }
            fn visit_i64<E: Error>(self, n: i64) -> Result<Answer, E> {
                Ok(Answer::Number(n as f64))
            }
            fn visit_u64<E: Error>(self, n: u64) -> Result<Answer, E> {
                Ok(Answer::Number(n as f64))
            }
            fn visit_str<E: Error>(self, words: &str) -> Result<Answer, E> {
                Ok(Answer::Text(words.to_owned()))
            }
        }
        deserializer.deserialize_any(Read)
    }
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
