//! What a test records and gives: inputs, the quantities computed from them, the tables they are compared with, and the
//! conditions under which two results may be compared.

use serde::{Deserialize, Serialize};

use super::care::Citation;
use crate::{
    error::{Code, InputError},
    estimate::Equation,
    formula::Formula,
    inputs::Value,
    person::Sex,
};

/// Something recorded. A number, unless it says otherwise.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Input {
    /// Public key.
    pub key: String,
    /// Heading.
    pub label: String,
    /// What kind of value it takes.
    #[serde(default)]
    pub kind: InputKind,
    /// Unit as it is written.
    #[serde(default)]
    pub unit: String,
    /// Smallest value accepted.
    #[serde(default)]
    pub min: f64,
    /// Largest value accepted.
    #[serde(default)]
    pub max: f64,
    /// Resolution of the entry.
    #[serde(default)]
    pub step: f64,
    /// Key and wording of each choice.
    #[serde(default)]
    pub choices: Vec<(String, String)>,
    /// The two sides it is taken on, in the order they are done.
    #[serde(default)]
    pub sides: Vec<String>,
    /// How many tries it takes at the most; one where nothing is said.
    #[serde(default)]
    pub tries: Option<u8>,
    /// Whether the test cannot be scored without it.
    #[serde(default)]
    pub required: bool,
    /// The only values accepted, where there are few.
    #[serde(default)]
    pub one_of: Vec<f64>,
    /// Not a reading: given to ask an equation the other way round.
    #[serde(default)]
    pub inverse: bool,
}

/// What kind of value an input takes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum InputKind {
    /// A number.
    #[default]
    Number,
    /// Yes or no.
    YesNo,
    /// One of a few.
    Choice,
    /// Free words.
    Words,
}

impl Input {
    /// Holds a value to what the input takes.
    ///
    /// # Errors
    /// [`Code::BadValue`] for another shape, [`Code::OutOfRange`] for a value it does not take.
    pub fn check(&self, value: &Value) -> Result<(), InputError> {
        match value {
            Value::Sides(sides) if !self.sides.is_empty() => sides.iter().try_for_each(|(side, value)| {
                if !self.sides.contains(side) {
                    return Err(self.bad(format!("it has the sides {}, not “{side}”", crate::text::list(&self.sides))));
                }
                self.check_side(value)
            }),
            Value::Sides(_) => Err(self.bad("it has no sides".into())),
            _ if !self.sides.is_empty() => Err(self.bad(format!("say which side: {}", crate::text::list(&self.sides)))),
            value => self.check_side(value),
        }
    }

    fn check_side(&self, value: &Value) -> Result<(), InputError> {
        match (self.kind, value) {
            (InputKind::Number, Value::Tries(tries)) => match self.tries {
                Some(most) if tries.len() > usize::from(most) => {
                    let message = format!("{}: {} tries were given; {most} is the most.", self.label, tries.len());
                    Err(InputError::new(Code::OutOfRange, &self.key, message))
                }
                Some(_) => tries.iter().flatten().try_for_each(|n| self.check_number(*n)),
                None => Err(self.bad("it takes one number, not a list".into())),
            },
            (InputKind::Number, value) => value.number().ok_or_else(|| self.bad("type a number".into())).and_then(|n| self.check_number(n)),
            (InputKind::YesNo, Value::Yes(_)) => Ok(()),
            (InputKind::YesNo, Value::Marks(_)) if self.tries.is_some() => Ok(()),
            (InputKind::YesNo, _) => Err(self.bad("answer with yes or no".into())),
            (InputKind::Choice, Value::Words(words)) if self.choices.iter().any(|(key, _)| key == words) => Ok(()),
            (InputKind::Choice, _) => {
                let keys: Vec<String> = self.choices.iter().map(|(key, _)| key.clone()).collect();
                Err(self.bad(format!("choose {}", crate::text::list(&keys).replace(" and ", " or "))))
            }
            (InputKind::Words, Value::Words(words)) => crate::text::note(words, &self.key).map(|_| ()),
            (InputKind::Words, _) => Err(self.bad("say it in words".into())),
        }
    }

    fn check_number(&self, value: f64) -> Result<(), InputError> {
        let listed = self.one_of.is_empty() || self.one_of.contains(&value);
        if value.is_finite() && (self.min..=self.max).contains(&value) && listed {
            return Ok(());
        }
        let message = format!(
            "{} must be {} to {} {}; {value} was given. Check for a slip of the finger.",
            self.label, self.min, self.max, self.unit
        );
        Err(InputError::new(Code::OutOfRange, &self.key, message))
    }

    fn bad(&self, what: String) -> InputError {
        InputError::new(Code::BadValue, &self.key, format!("{}: {what}.", self.label))
    }
}

/// A quantity and the equation that gives it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Scoring {
    /// What is computed.
    pub quantity: String,
    /// By which named equation; by its own formula where nothing is said.
    #[serde(default = "by_formula")]
    pub equation: Equation,
    /// The formula, as data.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Option<String>))]
    pub formula: Option<Formula>,
    /// The side whose readings it is about.
    #[serde(default)]
    pub side: Option<String>,
    /// Stands in the protocol's file for both sides and their difference.
    #[serde(default)]
    pub each_side: bool,
    /// Left out where a reading or a fact that it needs is missing.
    #[serde(default)]
    pub optional: bool,
    /// The ages it was fitted on, where it was fitted on some.
    pub fitted_ages: Option<(f64, f64)>,
    /// Stands in the result itself and in no list.
    #[serde(default)]
    pub in_detail: bool,
}

const fn by_formula() -> Equation {
    Equation::Formula
}

/// A mark that is passed or not.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PassMark {
    /// Of which quantity.
    pub quantity: String,
    /// From here on it is passed, in the quantity's unit.
    pub mark: f64,
    /// What must have been done so.
    #[serde(default)]
    pub when: Vec<When>,
    /// Who says so.
    pub source: Citation,
}

/// A circumstance under which a table or a mark holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct When {
    /// The input.
    pub input: String,
    /// The choice it must be; where nothing is said, it must not be given at all.
    pub is: Option<String>,
}

impl When {
    /// Whether it holds for these readings.
    pub fn holds(&self, inputs: &crate::inputs::Inputs) -> bool {
        match (&self.is, inputs.value(&self.input)) {
            (Some(choice), Some(Value::Words(words))) => choice == words,
            (None, given) => given.is_none(),
            _ => false,
        }
    }
}

/// A table that serves a quantity.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct NormUse {
    /// What is compared.
    pub quantity: String,
    /// With which table.
    pub table: String,
    /// What must have been done so; elsewhere the table is silent.
    #[serde(default)]
    pub when: Vec<When>,
}

/// A circumstance that has to be alike for two results to be compared.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Condition {
    /// Public key.
    pub key: String,
    /// Heading.
    pub label: String,
    /// What kind of answer it takes.
    pub kind: ConditionKind,
    /// Unit as it is written, for numbers.
    pub unit: Option<String>,
    /// What the protocol asks for; anything else is flagged, not refused.
    pub expected: Option<f64>,
    /// The same for men, where it is split by sex.
    pub expected_male: Option<f64>,
    /// And for women.
    pub expected_female: Option<f64>,
    /// Numbers closer than this are the same.
    pub tolerance: Option<f64>,
    /// Key and wording of each choice.
    #[serde(default)]
    pub choices: Vec<(String, String)>,
    /// A result where this is "no" is compared with none.
    #[serde(default)]
    pub must_hold: bool,
    /// A result where this is "yes" is compared with none.
    #[serde(default)]
    pub must_not_hold: bool,
    /// The question at set-up; empty where nobody is asked.
    pub ask: String,
    /// Why it matters, as the end of a sentence.
    pub why: String,
    /// Whether set-up cannot be left without it.
    #[serde(default)]
    pub required: bool,
    /// Filled in by the run or the record, not asked.
    #[serde(default)]
    pub recorded_by_run: bool,
}

/// What kind of answer a condition takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum ConditionKind {
    /// A number with a unit.
    Number,
    /// Yes or no.
    YesNo,
    /// One of a few.
    Choice,
    /// Free words.
    Text,
}

impl Condition {
    /// What the protocol asks for, for a client of this sex.
    pub fn expected_for(&self, sex: Option<Sex>) -> Option<f64> {
        match sex {
            Some(Sex::Male) => self.expected_male.or(self.expected),
            Some(Sex::Female) => self.expected_female.or(self.expected),
            None => self.expected,
        }
    }
}

/// How much a quantity wobbles when nothing has changed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ChangeRule {
    /// Which quantity.
    pub quantity: String,
    /// Test-retest correlation, 0 to 1.
    pub reliability: Option<f64>,
    /// The table whose spread gives the between-person SD.
    pub sd_from_table: Option<String>,
    /// Whether less is better.
    #[serde(default)]
    pub lower_is_better: bool,
    /// Who says so.
    pub source: Option<Citation>,
}
