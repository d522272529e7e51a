//! What is wrong with an input, in words a coach can act on.

use serde::{Deserialize, Serialize};

/// Why an input was refused. The snake-case name is part of the public interface.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Code {
    /// The text is not JSON, or not of the expected shape.
    BadJson,
    /// A value of a shape its key does not take: words where a number belongs, a list where there is one try.
    BadValue,
    /// No protocol has this id.
    UnknownProtocol,
    /// A key that the protocol does not know.
    UnknownField,
    /// A reading the protocol cannot do without.
    MissingInput,
    /// Outside what is physically sensible: most likely a slip of the finger.
    OutOfRange,
    /// The equation is split by sex and none is on record.
    NeedsSex,
    /// The equation uses age and none is known.
    NeedsAge,
    /// The equation uses body mass and none is known.
    NeedsMass,
    /// The equation uses height and none is known.
    NeedsHeight,
    /// The combination asked for does not exist.
    NotApplicable,
}

/// One refused input: which field, why, and what to do about it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, thiserror::Error)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[error("{message}")]
pub struct InputError {
    /// The kind of refusal.
    pub code: Code,
    /// The key of the offending field, where there is one.
    pub field: Option<String>,
    /// What is wrong and what to do next.
    pub message: String,
    /// The same for somebody who thinks in inches and pounds, where it names such a number.
    #[serde(skip)]
    pub imperial: Option<String>,
}

impl InputError {
    /// A refusal about one field.
    pub fn new(code: Code, field: &str, message: impl Into<String>) -> Self {
        Self { code, field: Some(field.to_owned()), message: message.into(), imperial: None }
    }

    /// A refusal about the input as a whole.
    pub fn whole(code: Code, message: impl Into<String>) -> Self {
        Self { code, field: None, message: message.into(), imperial: None }
    }

    /// The same refusal, told about the field as the caller knows it.
    #[must_use]
    pub fn at(mut self, field: &str) -> Self {
        self.field = Some(field.to_owned());
        self
    }
}
