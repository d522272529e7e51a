//! What a test records and gives: inputs, the quantities computed from them, the tables they are compared with, and the
//! conditions under which two results may be compared.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::{Chosen, Equation, care::Citation};
use crate::{
    conditions::Conditions,
    error::{Code, InputError},
    formula::Formula,
    inputs::{Inputs, Value},
    person::Sex,
    picture::Site,
    units::rounded,
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
    /// From which to which value is usual. Anything else is asked about, not refused. Common practice.
    #[serde(default)]
    pub usual: Option<Usual>,
    /// Resolution of the entry.
    #[serde(default)]
    pub step: f64,
    /// Key and wording of each choice.
    #[serde(default)]
    pub choices: Vec<(String, String)>,
    /// What a choice stands for in a formula.
    #[serde(default)]
    pub numbers: BTreeMap<String, f64>,
    /// Key and wording of each point of performance.
    #[serde(default)]
    pub points: Vec<(String, String)>,
    /// What a point that was not met is often behind, by its key. Never a diagnosis.
    #[serde(default)]
    pub often: BTreeMap<String, String>,
    /// The two sides it is taken on, in the order they are done.
    #[serde(default)]
    pub sides: Vec<String>,
    /// How many tries it takes at the most; one where nothing is said.
    #[serde(default)]
    pub tries: Option<u8>,
    /// The fewest tries it can be scored with.
    #[serde(default)]
    pub at_least: Option<u8>,
    /// It is taken twice, and a third time where the two lie further apart than this, in its unit.
    #[serde(default)]
    pub agree_within: Option<f64>,
    /// Where on the body it is taken, and how.
    #[serde(default)]
    pub site: Option<Site>,
    /// The input it goes with, try by try: needed with it, and as many.
    #[serde(default)]
    pub with: Option<String>,
    /// Whether the test cannot be scored without it.
    #[serde(default)]
    pub required: bool,
    /// What makes it wobble from day to day.
    #[serde(default)]
    pub error: Option<ReadingError>,
    /// The only values accepted, where there are few.
    #[serde(default)]
    pub one_of: Vec<f64>,
    /// Not a reading: given to ask an equation the other way round.
    #[serde(default)]
    pub inverse: bool,
    /// Only where the test is done so.
    #[serde(default)]
    pub when: Option<Chosen>,
    /// Taken only where a battery names it.
    #[serde(default)]
    pub on_request: bool,
    /// What lies on either side of its zero. Nobody types a sign: a length is typed, and one of the two is chosen.
    #[serde(default)]
    pub signs: Option<Signs>,
}

/// What is usual of a number, in its unit.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Usual {
    /// From here on.
    pub from: f64,
    /// To here.
    pub to: f64,
}

/// The two sides of a zero, in words.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Signs {
    /// Below it: a gap, short of the toes.
    pub minus: String,
    /// Beyond it: an overlap, past the toes. Nothing where nobody gets beyond it.
    #[serde(default)]
    pub plus: Option<String>,
    /// Only where the test is done so.
    #[serde(default)]
    pub when: Option<Chosen>,
}

/// How far two readings lie apart. What a tape shows is exact to its step; the difference of two such numbers is not.
pub fn difference(a: f64, b: f64) -> f64 {
    ((a - b).abs() * 1e6).round() / 1e6
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
    /// Points of performance, each met or not.
    Points,
}

/// The most points that are judged at once, and the longest key of one.
const POINTS_MAX: usize = 20;
const POINT_KEY_MAX: usize = 40;

impl Input {
    /// Whether it is taken where only these of the readings that a test can do without are; all usual ones where there are none.
    pub fn is_taken(&self, takes: &[String]) -> bool {
        self.required || if takes.is_empty() { !self.on_request } else { takes.contains(&self.key) }
    }

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

    /// Holds one try of one side to what the input takes.
    ///
    /// # Errors
    /// As [`Self::check`].
    pub fn check_one(&self, value: &Value) -> Result<(), InputError> {
        match (self.kind, value) {
            (_, Value::Tries(_) | Value::Marks(_) | Value::Sides(_)) => Err(self.bad("one try of one side at a time".into())),
            (InputKind::Number, value) => {
                let number = value.number().ok_or_else(|| self.bad(format!("a number is expected{}", self.in_unit())))?;
                self.check_number(number)
            }
            _ => self.check_side(value),
        }
    }

    fn check_side(&self, value: &Value) -> Result<(), InputError> {
        match (self.kind, value) {
            (InputKind::Number, Value::Tries(tries)) => match self.tries {
                Some(most) if tries.len() > usize::from(most) => {
                    let message = format!("{}: {} tries were given; {most} is the most.", self.label, tries.len());
                    Err(InputError::new(Code::OutOfRange, &self.key, message))
                }
                Some(_) => tries
                    .iter()
                    .flatten()
                    .try_for_each(|n| self.check_number(*n))
                    .and_then(|()| self.check_count(tries.iter().flatten().count()))
                    .and_then(|()| match self.apart(&tries.iter().flatten().copied().collect::<Vec<f64>>()) {
                        Some(why) => Err(InputError::new(Code::MissingInput, &self.key, format!("{}: {why}", self.label))),
                        None => Ok(()),
                    }),
                None => Err(self.bad("it takes one number, not a list".into())),
            },
            (InputKind::Number, value) => {
                let number = value.number().ok_or_else(|| self.bad(format!("a number is expected{}", self.in_unit())))?;
                self.check_number(number).and_then(|()| self.check_count(1))
            }
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
            // A point that the protocol does not name is the assessor's own.
            (InputKind::Points, Value::Points(points)) => {
                let fits = !points.is_empty() && points.len() <= POINTS_MAX && points.keys().all(|k| k.len() <= POINT_KEY_MAX);
                if fits { Ok(()) } else { Err(self.bad(format!("say yes or no for 1 to {POINTS_MAX} points"))) }
            }
            (InputKind::Points, _) => Err(self.bad("say yes or no for each point".into())),
        }
    }

    /// Why a third measure is needed, where two lie too far apart.
    pub fn apart(&self, taken: &[f64]) -> Option<String> {
        let (within, [a, b]) = (self.agree_within?, taken) else { return None };
        let apart = difference(*a, *b);
        (apart > within).then(|| format!("{a} and {b} {} are {} {} apart. Measure a third time.", self.unit, rounded(apart, 1), self.unit))
    }

    fn in_unit(&self) -> String {
        if self.unit.is_empty() { String::new() } else { format!(", in {}", self.unit) }
    }

    fn check_count(&self, tries: usize) -> Result<(), InputError> {
        match self.at_least {
            Some(fewest) if tries < usize::from(fewest) => {
                let message = format!("{}: {fewest} are needed, {tries} {} given.", self.label, if tries == 1 { "was" } else { "were" });
                Err(InputError::new(Code::MissingInput, &self.key, message))
            }
            _ => Ok(()),
        }
    }

    fn check_number(&self, value: f64) -> Result<(), InputError> {
        let listed = self.one_of.is_empty() || self.one_of.contains(&value);
        if value.is_finite() && (self.min..=self.max).contains(&value) && listed {
            return Ok(());
        }
        let message = format!(
            "{} must be {} to {}{}; {value} was given. Check for a slip of the finger.",
            self.label,
            self.min,
            self.max,
            if self.unit.is_empty() { String::new() } else { format!(" {}", self.unit) }
        );
        Err(InputError::new(Code::OutOfRange, &self.key, message))
    }

    fn bad(&self, what: String) -> InputError {
        InputError::new(Code::BadValue, &self.key, format!("{}: {what}.", self.label))
    }
}

/// What makes a raw reading wobble.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum ReadingError {
    /// A heart rate at a given load: the day, and the reading itself.
    HeartRate,
    /// Beats counted in a window: the same, and half a beat.
    Count,
    /// A stopwatch held by hand.
    Stopwatch,
    /// The distance, or the time, of an effort at one's own pace.
    Paced,
    /// The level of an audio-paced test: as its speed.
    Level,
    /// What is published for the measure of this name.
    Published,
}

/// The kinds of flag. The snake-case name is part of the public interface.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum FlagCode {
    /// A table or an equation was made from other people than this client.
    OutsidePopulation,
    /// The steady heart rate lies under the band the estimate needs.
    HrBelowBand,
    /// The steady heart rate lies over it.
    HrAboveBand,
    /// Two consecutive minutes never agreed.
    NoSteadyState,
    /// Fewer stages between the bounds than a line needs.
    TooFewStages,
    /// Carried on far beyond what was read.
    WideExtrapolation,
    /// The factor for age is not printed for this age.
    AgeClamped,
    /// The bench is not the protocol's.
    BenchDiffers,
    /// No warm-up.
    WarmUpMissing,
    /// On medicine that limits the heart rate.
    HeartRateDrug,
    /// Not done as the table's people did it.
    NotAsAsked,
    /// Under the middle half of people alike.
    BelowRange,
    /// The heart rate falls slowly after the effort.
    SlowRecovery,
    /// Less movement than the client's own hand is long.
    Restricted,
    /// Under eight of ten points.
    BelowEight,
    /// A doctor's clearance comes first.
    ClearanceFirst,
    /// No test today.
    DoNotTest,
    /// The two sides differ by more than is usual.
    SidesDiffer,
    /// Beyond a limit of common practice.
    Notable,
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
    /// The formula for men, where it is printed by sex.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Option<String>))]
    pub formula_male: Option<Formula>,
    /// And for women.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Option<String>))]
    pub formula_female: Option<Formula>,
    /// What the formula is called where it estimates something that was not measured: author and year.
    #[serde(default)]
    pub method: Option<String>,
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

impl Scoring {
    /// The formula that holds for a sex; of one printed by sex there is none without it.
    pub fn formula_for(&self, sex: Option<Sex>) -> Option<&Formula> {
        match sex {
            Some(Sex::Male) => self.formula_male.as_ref().or(self.formula.as_ref()),
            Some(Sex::Female) => self.formula_female.as_ref().or(self.formula.as_ref()),
            None => self.formula.as_ref(),
        }
    }

    /// Every formula it has.
    pub fn formulas(&self) -> impl Iterator<Item = &Formula> {
        [&self.formula, &self.formula_male, &self.formula_female].into_iter().flatten()
    }

    /// What a value is computed by: a publication, or what `equation` does with the readings. It is the scoring's own, unless a
    /// reading that was there needed none.
    pub fn method_by(&self, equation: Equation) -> &str {
        self.method.as_deref().unwrap_or(equation.name())
    }

    /// Whether the value is an estimate of something not measured.
    pub const fn is_estimate_by(&self, equation: Equation) -> bool {
        self.method.is_some() || equation.is_estimate()
    }
}

/// Something that is said, or refused, where a value crosses a bound.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Rule {
    /// What is looked at.
    #[cfg_attr(feature = "schema", schema(value_type = String))]
    pub value: Formula,
    /// Looked at for each side.
    #[serde(default)]
    pub each_side: bool,
    /// It holds under this.
    #[serde(default)]
    pub below: Option<f64>,
    /// At this and under it.
    #[serde(default)]
    pub at_most: Option<f64>,
    /// Over this.
    #[serde(default)]
    pub above: Option<f64>,
    /// At this and over it.
    #[serde(default)]
    pub at_least: Option<f64>,
    /// The flag, for a rule that flags.
    #[serde(default)]
    pub code: Option<FlagCode>,
    /// The field it is about.
    pub field: String,
    /// In words: what it means, or what to do.
    pub message: String,
}

impl Rule {
    /// Whether it holds for a value.
    pub fn holds(&self, value: f64) -> bool {
        self.below.is_some_and(|bound| value < bound)
            || self.at_most.is_some_and(|bound| value <= bound)
            || self.above.is_some_and(|bound| value > bound)
            || self.at_least.is_some_and(|bound| value >= bound)
    }
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
    /// It is passed only beyond the mark.
    #[serde(default)]
    pub beyond: bool,
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
    /// The choice it must be.
    pub is: Option<String>,
    /// The choice it must not be.
    #[serde(default)]
    pub not: Option<String>,
    /// Whether anything must be given at all. Where nothing is said of the input, it must not be given, or be 0.
    #[serde(default)]
    pub given: bool,
}

impl When {
    /// Whether it holds for these readings.
    pub fn holds(&self, inputs: &Inputs) -> bool {
        let value = inputs.value(&self.input);
        let is = |choice: &String| matches!(value, Some(Value::Words(words)) if words == choice);
        match (&self.is, &self.not) {
            (Some(choice), _) => is(choice),
            (None, Some(other)) => !is(other),
            (None, None) if self.given => value.is_some(),
            (None, None) => value.is_none_or(|v| v.number() == Some(0.0)),
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
    /// The inputs that say nothing without it: where one of them is typed, it is needed too.
    #[serde(default)]
    pub required_with: Vec<String>,
    /// Filled in by the run or the record, not asked.
    #[serde(default)]
    pub recorded_by_run: bool,
    /// Where the answer is no, the test is done only with a reason.
    #[serde(default)]
    pub or_reason: bool,
    /// A note: results are compared whatever it says, and a difference is said beside.
    #[serde(default)]
    pub note: bool,
    /// Each answer is a test of its own, as each lift is: a result is never held against one of another answer.
    #[serde(default)]
    pub is_series: bool,
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
