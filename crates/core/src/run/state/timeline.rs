//! What the clock runs through.

use serde::{Deserialize, Serialize};

use crate::catalogue::{PhaseKind, Tone};

/// The whole course of a run.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Timeline {
    /// In order, without gaps; the last one has no end.
    pub phases: Vec<Span>,
    /// The beat, where there is one.
    pub beat: Option<Beat>,
    /// Every call, in order.
    pub calls: Vec<Call>,
}

impl Timeline {
    /// The first phase of a kind.
    pub fn phase(&self, kind: PhaseKind) -> Option<&Span> {
        self.phases.iter().find(|p| p.kind == kind)
    }
}

/// One phase on the clock.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Span {
    /// The phase's id.
    pub id: String,
    pub kind: PhaseKind,
    /// Its heading.
    pub label: String,
    /// The line under it.
    pub cue: String,
    pub start_ms: f64,
    /// End, ms; none for the open one.
    pub end_ms: Option<f64>,
}

/// The metronome.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Beat {
    /// Beats a minute.
    pub per_minute: f64,
    /// First beat, ms.
    pub first_ms: f64,
    /// Beats up to, not including, this, ms: at `first_ms + k × 60000 / per_minute` where all parts of the cycle are alike, else by
    /// their shares of it.
    pub until_ms: f64,
    /// What each beat of a cycle asks for.
    pub places: Vec<String>,
    /// How long each part of the cycle lasts beside the others; all alike where there is none.
    #[serde(default)]
    pub shares: Vec<f64>,
    /// Where the lead foot changes, ms, ascending.
    pub swaps_ms: Vec<f64>,
}

/// Something called out.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Call {
    /// When, ms.
    pub at_ms: f64,
    /// What is shown and, where speech is on, said.
    pub say: String,
    /// What it sounds like.
    #[serde(default)]
    pub tone: Tone,
}
