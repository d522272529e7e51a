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

impl Equipment {
    /// Puts it among what is to be set up, each thing once: where one says more about the other (`A mat that does not slip`,
    /// `A mat`) the fuller words stand. Gives its place.
    pub fn set_up(&self, all: &mut Vec<String>) -> usize {
        let says_more = |long: &str, short: &str| long.strip_prefix(short).is_some_and(|rest| rest.is_empty() || rest.starts_with(' '));
        let known = all.iter().position(|what| says_more(what, &self.what) || says_more(&self.what, what));
        let place = known.unwrap_or_else(|| {
            all.push(String::new());
            all.len() - 1
        });
        if self.what.len() > all[place].len() {
            all[place].clone_from(&self.what);
        }
        place
    }
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_thing_is_set_up_once_by_its_fuller_name() {
        let mut all = Vec::new();
        let needed = ["A mat", "A scale", "A mat that does not slip", "A mat", "A mat, or a wall", "A matchstick"];
        let places = needed.map(|what| Equipment { what: what.into() }.set_up(&mut all));
        assert_eq!(all, ["A mat that does not slip", "A scale", "A mat, or a wall", "A matchstick"]);
        assert_eq!(places, [0, 1, 0, 0, 2, 3]);
    }
}
