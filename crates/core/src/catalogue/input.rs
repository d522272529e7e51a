//! What a test records: numbers, choices, points, marks, with their limits, sides and tries.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::Chosen;
use crate::{
    conditions::Conditions,
    error::{Code, InputError},
    inputs::Value,
    picture::Site,
    quantity,
    units::{Units, rounded},
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
    /// What makes it differ from day to day.
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

impl Signs {
    /// Which side of the zero a value lies on, in words; nothing at the zero, or where that side has no word.
    pub fn side_of(&self, value: f64) -> Option<&str> {
        if value < 0.0 { Some(&self.minus) } else { self.plus.as_deref().filter(|_| value > 0.0) }
    }
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
    #[default]
    Number,
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
                    .and_then(|()| {
                        let taken: Vec<f64> = tries.iter().flatten().copied().collect();
                        let said = |units: Units| self.apart(&taken, units).map(|why| format!("{}: {why}", self.label));
                        let missing = |why: String| InputError::new(Code::MissingInput, &self.key, why);
                        let refused = |why| InputError { imperial: said(Units::Imperial), ..missing(why) };
                        said(Units::Metric).map_or(Ok(()), |why| Err(refused(why)))
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

    /// What its two sides of zero are called, where they have names under these conditions.
    pub fn signs_under(&self, conditions: &Conditions) -> Option<&Signs> {
        self.signs.as_ref().filter(|s| s.when.as_ref().is_none_or(|w| w.holds(conditions)))
    }

    /// Why a third measure is needed, where two lie too far apart.
    pub fn apart(&self, taken: &[f64], units: Units) -> Option<String> {
        let (within, [a, b]) = (self.agree_within?, taken) else { return None };
        let apart = difference(*a, *b);
        (apart > within).then(|| {
            let said = |v: f64| quantity::as_typed(v, &self.unit, units);
            let decimals = if units == Units::Imperial { 2 } else { 1 };
            let shown = |v: f64| rounded(said(v).0, decimals);
            let unit = said(0.0).1;
            format!("{} and {} {unit} are {} {unit} apart. Measure a third time.", shown(*a), shown(*b), shown(apart))
        })
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
        let said = |min: String, max: String, unit: &str, value: String| {
            let range = format!("{} must be {min} to {max} {unit}", self.label);
            format!("{}; {value} was given. Check for a slip of the finger.", range.trim_end())
        };
        let message = said(self.min.to_string(), self.max.to_string(), &self.unit, value.to_string());
        let imperial = |v: f64| quantity::as_typed(v, &self.unit, Units::Imperial);
        let (shown, unit) = (|v: f64| rounded(imperial(v).0, 2), imperial(0.0).1);
        let imperial = (unit != self.unit).then(|| said(shown(self.min), shown(self.max), unit, shown(value)));
        Err(InputError { imperial, ..InputError::new(Code::OutOfRange, &self.key, message) })
    }

    fn bad(&self, what: String) -> InputError {
        InputError::new(Code::BadValue, &self.key, format!("{}: {what}.", self.label))
    }
}

/// What makes a raw reading differ when nothing has changed.
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

#[cfg(test)]
mod tests {
    use crate::{catalogue, inputs::Value, units::Units};

    /// By hand: 14 in is 35.56 cm; 40 and 250 cm are 15.75 and 98.43 in.
    #[test]
    fn a_refusal_is_said_in_the_units_somebody_thinks_in() {
        let hips = catalogue::find("body").unwrap().input("hips_cm").unwrap();
        let refused = hips.check_one(&Value::Number(35.56)).unwrap_err();
        assert!(refused.message.starts_with("Hips must be 40 to 250 cm; 35.56 was given."), "{refused}");
        let in_inches = refused.clone().in_units(Units::Imperial).message;
        assert!(in_inches.starts_with("Hips must be 15.75 to 98.43 in; 14 was given."), "{in_inches}");
        assert_eq!(refused.clone().in_units(Units::Metric), refused);
        let apart = hips.check(&Value::Tries(vec![Some(101.6), Some(106.68)])).unwrap_err();
        assert!(apart.in_units(Units::Imperial).message.contains("40 and 42 in are 2 in apart. Measure a third time."));
    }
}
