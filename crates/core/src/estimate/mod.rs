//! What the named equations give.
//!
//! Each gives a value with its method and its standard error of estimate where one was published, and can show itself
//! with the numbers filled in ([`Equation::working`]). The arithmetic stands in one file per kind of test; [`compute`]
//! hands a test to the right one. To add an equation, add its name ([`Equation`]), its arm there and its words in `working`.

pub(crate) mod compute;
pub mod cycle;
mod field;
mod line;
mod ride;
pub mod row;
pub mod step;

use serde::{Deserialize, Serialize};

pub use crate::catalogue::Equation;
use crate::{
    error::{Code, InputError},
    performed::{Flag, FlagCode, TestRecord},
    person::{Facts, Sex},
};
pub use line::{LinePoint, StageLine};

/// One computed quantity.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Estimate {
    /// Unrounded.
    pub value: f64,
    /// The way it was computed.
    pub equation: Equation,
    /// Standard error of estimate as published, in the quantity's unit; absent where none is known.
    pub see: Option<f64>,
}

/// An equation with the numbers in it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Working {
    /// The equation in symbols.
    pub formula: String,
    /// The same with this client's numbers, up to the result.
    pub filled: String,
    /// What the symbols mean.
    pub symbols: String,
}

/// What an equation gives: a number, a standard error where one is known, and what to keep in mind.
pub(crate) struct Found {
    pub(crate) value: f64,
    pub(crate) see: Option<f64>,
    pub(crate) flags: Vec<Flag>,
    pub(crate) line: Option<StageLine>,
    /// Where it is not the one that was asked: a reading that was there needs no equation.
    pub(crate) equation: Option<Equation>,
}

impl From<f64> for Found {
    fn from(value: f64) -> Self {
        Self { value, see: None, flags: Vec::new(), line: None, equation: None }
    }
}

/// An equation that found nothing: an error, or no value with a flag that says why.
pub(crate) enum Nothing {
    /// Something is missing or impossible.
    Refused(InputError),
    /// The readings allow no estimate; the flag says so.
    Withheld(Flag),
    /// It was not taken, and the test is scored without it.
    LeftOut,
}

impl From<InputError> for Nothing {
    fn from(error: InputError) -> Self {
        Self::Refused(error)
    }
}

fn input(record: &TestRecord, key: &str) -> Result<f64, InputError> {
    record.inputs.get(key).ok_or_else(|| record.protocol.missing(key))
}

fn sex(facts: &Facts) -> Result<Sex, InputError> {
    facts.sex.ok_or_else(|| {
        InputError::new(
            Code::NeedsSex,
            "sex",
            "This equation is printed separately for men and women. Record which of the two applies to see what it gives; what was measured is kept either way.",
        )
    })
}

fn age(facts: &Facts) -> Result<f64, InputError> {
    let missing = || InputError::new(Code::NeedsAge, "age_years", "This equation uses the age. Record the birth date to see VO₂max.");
    Ok(facts.age.ok_or_else(missing)?.value())
}

fn mass(facts: &Facts) -> Result<f64, InputError> {
    let missing = || InputError::new(Code::NeedsMass, "mass_kg", "This equation uses the body mass. Weigh the client to see VO₂max.");
    Ok(facts.mass.ok_or_else(missing)?.value())
}

fn flag(code: FlagCode, field: &str, message: impl Into<String>) -> Flag {
    Flag { code, field: field.to_owned(), message: message.into() }
}
