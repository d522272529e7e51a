//! Whom a test does not suit, what to bring, what to be careful of, and who says so.

use serde::{Deserialize, Serialize};

/// Whom a protocol does not suit.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Unsuited {
    /// The client's circumstance.
    pub when: Circumstance,
    /// Why, as the end of a sentence.
    pub why: String,
    /// The protocol that suits better, where one does.
    pub instead: Option<String>,
}

/// A client's circumstance that decides whether a test suits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Circumstance {
    /// Signs or symptoms today.
    Symptoms,
    /// On medicine that limits the heart rate.
    RateLimitingDrug,
    /// Not regularly active.
    Untrained,
    /// Older than 60.
    #[serde(rename = "over_60")]
    Over60,
    /// Older than 69.
    #[serde(rename = "over_69")]
    Over69,
    /// Knees, hips or ankles that do not take stepping or running.
    SoreJoints,
}

/// Something to bring.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Equipment {
    /// What it is, with its measure.
    pub what: String,
}

/// Something to be careful of.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Caution {
    /// A full sentence.
    pub text: String,
}

/// Who says so, and of what.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Source {
    /// What the source is for.
    pub of: String,
    /// Author, title, year.
    pub citation: String,
    /// Published, or the trade's habit.
    pub kind: SourceKind,
    /// Whether the value was written down from memory and not read off the publication.
    #[serde(default)]
    pub recalled: bool,
}

/// A citation with its kind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Citation {
    /// Author, title, year.
    pub citation: String,
    /// Published, or the trade's habit.
    pub kind: SourceKind,
    /// Whether the value was written down from memory.
    #[serde(default)]
    pub recalled: bool,
}

/// Where a rule comes from. One is never upgraded to the other.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum SourceKind {
    /// A publication.
    Published,
    /// A rule of thumb of the trade.
    CommonPractice,
}
