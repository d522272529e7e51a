//! The sheet of a test in attempts: every try, and what comes next.

use serde::{Deserialize, Serialize};

use crate::{
    attempts::Take,
    catalogue::{InputKind, Signs, Usual},
    inputs::Value,
};

/// Everything that is taken in a run, and what comes next.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SheetState {
    /// A row for each input and side, in the order in which they are taken.
    pub rows: Vec<SheetRow>,
    /// The row that is next, where one is still open.
    pub next: Option<usize>,
    /// The row that is next once that one has one try more.
    #[serde(default)]
    pub then: Option<usize>,
    /// The stopwatch that runs: its row, and when it was started, ms of the run's clock.
    pub watch: Option<WatchState>,
    /// The rest that runs.
    pub rest: Option<RestState>,
    /// The load that is advised next, where loads are lifted.
    pub advice: Option<LoadAdvice>,
    /// When each start of a test on the clock is called, ms of the run's clock.
    pub starts_ms: Vec<f64>,
    /// How it was last time, in words.
    pub last_time: Option<String>,
    /// Beats that were missed, where some in a row end the count.
    #[serde(default)]
    pub beats: Option<MissedBeats>,
    /// The movements that are over, by leg.
    #[serde(default)]
    pub watched: Vec<usize>,
    /// Many do it on one clock.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub together: bool,
    /// How often this one of many was put last.
    #[serde(default)]
    pub put_last: u32,
}

#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct MissedBeats {
    /// So many in a row end the count.
    pub most: u8,
    /// Missed in a row up to now.
    pub missed: u8,
    /// When the last of them was missed, ms of the run's clock: the count is over.
    pub over_ms: Option<f64>,
}

/// One input of one side.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SheetRow {
    pub input: String,
    /// What it is called.
    pub label: String,
    /// The leg it belongs to, from 0.
    pub leg: usize,
    /// What that is called.
    #[serde(default)]
    pub leg_label: String,
    /// Rest after each try, s.
    pub rest_s: Option<u32>,
    /// Unit as it is written.
    pub unit: String,
    /// What kind of value it takes.
    pub kind: InputKind,
    /// Resolution of the entry.
    pub step: f64,
    /// Key and wording of each choice, or of each point of performance.
    pub choices: Vec<Choice>,
    /// How it is taken.
    pub take: Take,
    /// Whether the test cannot be scored without it.
    pub required: bool,
    /// The side, where it is taken on two.
    pub side: Option<String>,
    /// How many tries it takes at the most.
    pub tries: u8,
    /// Taken twice, and a third time where the two lie further apart than this, in its unit.
    pub agree_within: Option<f64>,
    /// Why it has to be taken once more: two that must agree lie apart, or there were too many to tell anything.
    pub again: Option<String>,
    /// Where on the body it is taken, and how.
    pub how: Option<String>,
    /// What was taken, in order.
    pub cells: Vec<SheetCell>,
    /// What lies on either side of its zero: a length is typed, and one of the two is chosen.
    #[serde(default)]
    pub signs: Option<Signs>,
    /// How it was last time, in words: of this reading and this side.
    #[serde(default)]
    pub last_time: Option<String>,
    /// From which to which value is usual.
    #[serde(default)]
    pub usual: Option<Usual>,
    /// The half repetition at the bell was counted.
    #[serde(default)]
    pub after_bell: bool,
    /// The stages of a ladder that were tried, from 1, in the order of the cells.
    #[serde(default)]
    pub tried: Vec<u8>,
    /// The stage of a ladder that is tried next; nothing where it is over, or may be chosen.
    #[serde(default)]
    pub stage: Option<u8>,
    /// What was seen and costs, in order, as its keys say it.
    #[serde(default)]
    pub seen: Vec<String>,
}

/// A choice, or a point of performance.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Choice {
    pub key: String,
    pub words: String,
}

/// One try.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SheetCell {
    /// What was taken.
    #[cfg_attr(feature = "schema", schema(value_type = serde_json::Value))]
    pub value: Value,
    pub counts: bool,
    /// When, ms of the run's clock.
    pub at_ms: f64,
    /// Repetitions of a count that were crossed out.
    pub struck: u32,
    /// The try was passed: it is used up, and its value says nothing.
    #[serde(default, skip_serializing_if = "is_false")]
    pub passed: bool,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "as the serializer asks it")]
const fn is_false(is: &bool) -> bool {
    !*is
}

/// A stopwatch that runs.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct WatchState {
    pub row: usize,
    /// Since when, ms of the run's clock.
    pub from_ms: f64,
    /// When it is over at the latest, ms of the run's clock.
    pub until_ms: Option<f64>,
}

/// A rest between two tries.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct RestState {
    /// Since when, ms of the run's clock.
    pub from_ms: f64,
    /// When the next try is called, ms of the run's clock.
    pub until_ms: f64,
    /// When it has been too long, ms of the run's clock, where there is such a limit.
    pub at_most_ms: Option<f64>,
}

/// The load that is advised next.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LoadAdvice {
    /// kg; nothing where it is the assessor's to choose, or where it is over.
    pub kg: Option<f64>,
    /// Why.
    pub because: String,
}
