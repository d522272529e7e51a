//! Quantities with their unit and their limits in the type.
//!
//! A value of one of these types is always possible: construction refuses what is not. Text is parsed at the edge
//! ([`std::str::FromStr`]), printed with its unit ([`std::fmt::Display`]), and printing then parsing gives the same
//! value back. To add a quantity, add a line to the `quantities!` list.

use std::{fmt, str::FromStr};

use serde::{Deserialize, Serialize};

use crate::error::{Code, InputError};

/// Kilograms in one international avoirdupois pound, exactly.
pub const KG_PER_LB: f64 = 0.453_592_37;
/// Centimetres in one international inch, exactly.
pub const CM_PER_INCH: f64 = 2.54;
/// Metres in one international yard, exactly.
pub const M_PER_YARD: f64 = 0.9144;

/// Which units a person thinks in. Everything is kept in metric ones; this is about what is said to the person.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Units {
    /// Kilograms, centimetres, metres.
    #[default]
    Metric,
    /// Pounds, inches, yards.
    Imperial,
}

impl InputError {
    /// The same refusal in the units somebody thinks in.
    #[must_use]
    pub fn in_units(mut self, units: Units) -> Self {
        if let Some(imperial) = self.imperial.take_if(|_| units == Units::Imperial) {
            self.message = imperial;
        }
        self
    }
}

macro_rules! quantities {
    ($($(#[$doc:meta])* $name:ident, $what:literal, $unit:literal, $min:literal..=$max:literal;)*) => {$(
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Serialize, Deserialize)]
        #[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
        #[serde(try_from = "f64", into = "f64")]
        pub struct $name(f64);

        impl $name {
            /// The unit's symbol.
            pub const UNIT: &'static str = $unit;
            /// The smallest value accepted.
            pub const MIN: f64 = $min;
            /// The largest value accepted.
            pub const MAX: f64 = $max;

            /// Accepts a value within the limits.
            ///
            /// # Errors
            /// [`Code::OutOfRange`] for anything else, a value that is not finite included.
            pub fn new(value: f64) -> Result<Self, InputError> {
                if value.is_finite() && (Self::MIN..=Self::MAX).contains(&value) {
                    return Ok(Self(value));
                }
                Err(InputError::whole(
                    Code::OutOfRange,
                    format!(
                        "{} must be between {} and {} {}; {} was given. Check the number and its unit.",
                        $what, Self::MIN, Self::MAX, $unit, plain(value),
                    ),
                ))
            }

            /// The bare number, in [`Self::UNIT`].
            pub const fn value(self) -> f64 {
                self.0
            }
        }

        impl TryFrom<f64> for $name {
            type Error = InputError;
            fn try_from(value: f64) -> Result<Self, InputError> {
                Self::new(value)
            }
        }

        impl From<$name> for f64 {
            fn from(quantity: $name) -> Self {
                quantity.0
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                write!(f, "{} {}", self.0, $unit)
            }
        }

        impl FromStr for $name {
            type Err = InputError;
            fn from_str(text: &str) -> Result<Self, InputError> {
                let text = text.trim();
                let number = text.strip_suffix($unit).unwrap_or(text);
                Self::new(number_in(number, $what)?)
            }
        }
    )*};
}

quantities! {
    /// A heart rate, beats per minute.
    Bpm, "Heart rate", "bpm", 25.0..=250.0;
    /// Body mass, kilograms.
    BodyMass, "Body mass", "kg", 15.0..=400.0;
    /// Standing height, centimetres.
    Height, "Height", "cm", 80.0..=260.0;
    /// The height of a stepping bench, centimetres.
    BenchHeight, "Bench height", "cm", 10.0..=60.0;
    /// Age in completed years.
    Age, "Age", "years", 5.0..=110.0;
    /// A beat of the metronome, beats per minute. Wider than any protocol's own cadence.
    Cadence, "Cadence", "beats/min", 20.0..=240.0;
}

impl Height {
    /// Reads what people write for a height: `178`, `1.78 m`, `178 cm`, `5'10`, `5 ft 10 in`, `70 in`. A bare number
    /// under 3 is metres, otherwise centimetres; where it is `imperial`, up to 102 it is inches, and from 3 to 30, where it could be feet,
    /// nothing that can be read.
    ///
    /// # Errors
    /// [`Code::BadJson`] where no number can be read, [`Code::OutOfRange`] outside the limits.
    pub fn parse_entry(text: &str, imperial: bool) -> Result<Self, InputError> {
        let entry = Entry::read(text, "Height", if imperial { "5'10, 70 in or 178 cm" } else { "178, 1.78 m or 5'10" })?;
        let cm = match entry.parts.as_slice() {
            [(n, unit)] => match unit.as_str() {
                "" if *n < 3.0 => n * 100.0,
                "" if imperial && *n <= 30.0 => return Err(entry.unreadable()),
                "" if imperial && *n * CM_PER_INCH <= Self::MAX => n * CM_PER_INCH,
                "" | "cm" => *n,
                "m" => n * 100.0,
                "in" | "\"" => n * CM_PER_INCH,
                "ft" | "'" => n * 12.0 * CM_PER_INCH,
                other => return Err(entry.unknown_unit(other)),
            },
            [(feet, ft), (inches, inch)] if matches!(ft.as_str(), "'" | "ft") && matches!(inch.as_str(), "" | "\"" | "in") => {
                (feet * 12.0 + inches) * CM_PER_INCH
            }
            _ => return Err(entry.unreadable()),
        };
        Self::new(cm)
    }
}

impl BodyMass {
    /// Reads what people write for a body mass: `80`, `80 kg`, `176 lb`, `12 st 8`, `12 st 8 lb`. A bare number is
    /// kilograms unless `imperial`, then pounds.
    ///
    /// # Errors
    /// [`Code::BadJson`] where no number can be read, [`Code::OutOfRange`] outside the limits.
    pub fn parse_entry(text: &str, imperial: bool) -> Result<Self, InputError> {
        let entry = Entry::read(text, "Body mass", "80 kg, 176 lb or 12 st 8")?;
        let kg = match entry.parts.as_slice() {
            [(n, unit)] => match unit.as_str() {
                "" if imperial => n * KG_PER_LB,
                "" | "kg" => *n,
                "lb" | "lbs" => n * KG_PER_LB,
                "st" => n * 14.0 * KG_PER_LB,
                other => return Err(entry.unknown_unit(other)),
            },
            [(stones, st), (pounds, lb)] if st == "st" && matches!(lb.as_str(), "" | "lb" | "lbs") => (stones * 14.0 + pounds) * KG_PER_LB,
            _ => return Err(entry.unreadable()),
        };
        Self::new(kg)
    }
}

/// A number as a person would write it: at most `decimals` places, no trailing zeros, a true minus sign.
pub fn rounded(value: f64, decimals: usize) -> String {
    let text = format!("{value:.decimals$}");
    let text = if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.') } else { &text };
    if text == "-0" { "0".to_owned() } else { text.replace('-', "−") }
}

/// A number in a message: short where it is short, never an endless fraction.
fn plain(value: f64) -> String {
    if value.is_finite() { rounded(value, 2) } else { "no number".to_owned() }
}

/// Numbers and the unit words after them, as typed.
struct Entry<'a> {
    text: &'a str,
    what: &'static str,
    examples: &'static str,
    parts: Vec<(f64, String)>,
}

impl<'a> Entry<'a> {
    fn read(text: &'a str, what: &'static str, examples: &'static str) -> Result<Self, InputError> {
        let mut entry = Self { text: text.trim(), what, examples, parts: Vec::new() };
        let lower = entry.text.to_lowercase().replace(['’', '′'], "'").replace(['”', '″'], "\"").replace(',', ".");
        let mut rest = lower.as_str();
        while !rest.is_empty() {
            let digits = rest.find(|c: char| !(c.is_ascii_digit() || c == '.')).unwrap_or(rest.len());
            let number: f64 = rest[..digits].parse().map_err(|_| entry.unreadable())?;
            rest = rest[digits..].trim_start();
            let word = rest.find(|c: char| c.is_ascii_digit() || c == '.').unwrap_or(rest.len());
            entry.parts.push((number, rest[..word].trim().to_owned()));
            rest = &rest[word..];
        }
        if entry.parts.is_empty() { Err(entry.unreadable()) } else { Ok(entry) }
    }

    fn unreadable(&self) -> InputError {
        let shown: String = self.text.chars().take(40).collect();
        InputError::whole(Code::BadJson, format!("{} “{shown}” could not be read. Write it as {}.", self.what, self.examples))
    }

    fn unknown_unit(&self, unit: &str) -> InputError {
        InputError::whole(Code::BadJson, format!("{}: the unit “{unit}” is not known. Write it as {}.", self.what, self.examples))
    }
}

fn number_in(text: &str, what: &str) -> Result<f64, InputError> {
    text.trim().parse().map_err(|_| InputError::whole(Code::BadJson, format!("{what} must be a number; “{}” is not.", text.trim())))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use test_case::test_case;

    #[test_case("178", 178.0; "bare centimetres")]
    #[test_case("1.78", 178.0; "bare metres")]
    #[test_case("1,78 m", 178.0; "decimal comma")]
    #[test_case("5'10", 177.8; "feet and inches")]
    #[test_case("5’10”", 177.8; "typographic marks")]
    #[test_case("5 ft 10 in", 177.8; "words")]
    #[test_case("70 in", 177.8; "inches")]
    fn heights(text: &str, cm: f64) {
        assert!((Height::parse_entry(text, false).unwrap().value() - cm).abs() < 1e-9);
    }

    #[test_case("80", false, 80.0; "metric bare")]
    #[test_case("176", true, 79.832_257_12; "imperial bare")]
    #[test_case("12 st 8", false, 79.832_257_12; "stones and pounds")]
    #[test_case("80.5 kg", true, 80.5; "unit wins over habit")]
    fn masses(text: &str, imperial: bool, kg: f64) {
        assert!((BodyMass::parse_entry(text, imperial).unwrap().value() - kg).abs() < 1e-9);
    }

    #[test_case("71", 180.34; "bare inches")]
    #[test_case("80", 203.2; "inches that centimetres could be")]
    #[test_case("178", 178.0; "more than inches can be")]
    #[test_case("1.78", 178.0; "bare metres all the same")]
    #[test_case("6 ft", 182.88; "feet")]
    fn heights_of_somebody_who_thinks_in_inches(text: &str, cm: f64) {
        assert!((Height::parse_entry(text, true).unwrap().value() - cm).abs() < 1e-9);
    }

    #[test]
    fn a_bare_number_that_could_be_feet_is_asked_for_again() {
        let refused = Height::parse_entry("5.6", true).unwrap_err().message;
        assert_eq!(refused, "Height “5.6” could not be read. Write it as 5'10, 70 in or 178 cm.");
    }

    #[test_case("4 m"; "too tall")]
    #[test_case("tall"; "no number")]
    #[test_case(""; "empty")]
    #[test_case("178 furlongs"; "unknown unit")]
    #[test_case("1.2.3"; "two points")]
    fn refused_heights(text: &str) {
        let error = Height::parse_entry(text, false).unwrap_err();
        assert!(error.message.len() > 20, "{error}");
    }

    #[test]
    fn limits_are_those_of_the_batch_interface() {
        assert!(Bpm::new(25.0).is_ok() && Bpm::new(250.0).is_ok() && Bpm::new(24.9).is_err());
        assert!(BenchHeight::new(400.0).unwrap_err().message.contains("between 10 and 60 cm; 400 was given"));
        assert!(Bpm::new(f64::NAN).is_err() && BodyMass::new(f64::INFINITY).is_err());
    }

    #[test]
    fn rounding_reads_well() {
        assert_eq!(rounded(64.290, 2), "64.29");
        assert_eq!(rounded(112.0, 1), "112");
        assert_eq!(rounded(-0.04, 1), "0");
        assert_eq!(rounded(-3.25, 1), "−3.2");
    }

    proptest! {
        #[test]
        fn print_then_parse_is_identity(bpm in 25.0..=250.0f64, kg in 15.0..=400.0f64, cm in 80.0..=260.0f64, bench in 10.0..=60.0f64, age in 5.0..=110.0f64, beat in 20.0..=240.0f64) {
            prop_assert_eq!(Bpm::new(bpm).unwrap().to_string().parse::<Bpm>().unwrap().value(), bpm);
            prop_assert_eq!(BodyMass::new(kg).unwrap().to_string().parse::<BodyMass>().unwrap().value(), kg);
            prop_assert_eq!(Height::new(cm).unwrap().to_string().parse::<Height>().unwrap().value(), cm);
            prop_assert_eq!(BenchHeight::new(bench).unwrap().to_string().parse::<BenchHeight>().unwrap().value(), bench);
            prop_assert_eq!(Age::new(age).unwrap().to_string().parse::<Age>().unwrap().value(), age);
            prop_assert_eq!(Cadence::new(beat).unwrap().to_string().parse::<Cadence>().unwrap().value(), beat);
        }

        #[test]
        fn any_text_is_read_or_refused_never_a_panic(text in ".{0,40}", imperial: bool) {
            let _ = Height::parse_entry(&text, imperial);
            let _ = BodyMass::parse_entry(&text, true);
        }
    }
}
