//! How a measure is followed over time.

use serde::{Deserialize, Serialize};

use super::{Chosen, care::Citation};
use crate::conditions::Conditions;

/// How much a quantity moves when nothing has changed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ChangeRule {
    pub quantity: String,
    /// Test-retest correlation, 0 to 1.
    pub reliability: Option<f64>,
    /// The table whose spread gives the between-person SD.
    pub sd_from_table: Option<String>,
    /// Which way is better is said by the measure ([`crate::quantity::better`]); protocols that were stored before say it here.
    #[serde(default, rename = "lower_is_better", skip_serializing)]
    _lower_is_better: bool,
    #[serde(default, rename = "neither", skip_serializing)]
    _neither: bool,
    /// Followed only where the test was done so: a style of its own among several in one go.
    #[serde(default)]
    pub when: Option<Chosen>,
    /// Not followed where the test was done so: a total of several styles is told by its parts.
    #[serde(default)]
    pub unless: Option<Chosen>,
    /// Compared only where this other quantity is the same, which is compared first.
    #[serde(default)]
    pub alike_in: Option<String>,
    /// Who says so.
    pub source: Option<Citation>,
}

impl ChangeRule {
    /// Whether the measure is followed for a test that was done under these conditions.
    pub fn follows(&self, conditions: &Conditions) -> bool {
        self.when.as_ref().is_none_or(|w| w.holds(conditions)) && self.unless.as_ref().is_none_or(|u| !u.holds(conditions))
    }
}
