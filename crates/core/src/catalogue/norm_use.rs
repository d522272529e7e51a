//! Which table serves which measure.

use serde::{Deserialize, Serialize};

use super::mark::When;
use crate::person::Sex;

/// A table that serves a quantity.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct NormUse {
    /// What is compared.
    pub quantity: String,
    pub table: String,
    /// What must have been done so; elsewhere the table is silent.
    #[serde(default)]
    pub when: Vec<When>,
    /// Only for people of this sex, where men and women do it differently.
    #[serde(default)]
    pub sex: Option<Sex>,
    /// Of the two sides of the quantity the better one is compared.
    #[serde(default)]
    pub better_side: bool,
    /// Under the range is worth a flag.
    #[serde(default)]
    pub flag_below: bool,
    /// What such a value goes with, said calmly where a person reads it; a batch does without.
    #[serde(default)]
    pub below_goes_with: Option<String>,
    /// The conditions that must be as the protocol asks; where one is not, the table is silent.
    #[serde(default)]
    pub kept: Vec<String>,
}
