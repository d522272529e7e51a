//! A line of the batch as it is read: what it may hold, and what is said of one that cannot be read.

use std::{borrow::Cow, fmt};

use chrono::NaiveDate;
use impulso_core::{
    Code, InputError,
    hr_max::{CeilingRule, HrMaxMethod},
    inputs::Value,
    person::{Facts, Sex},
    test_record::{self, Inputs},
    units::{Age, BodyMass, Bpm, Height},
};
use serde::{
    Deserialize,
    de::{Deserializer, Error, MapAccess, Visitor},
};
use serde_json::value::RawValue;

/// What comes back even for a line that is otherwise unusable.
#[derive(Default, Deserialize)]
pub(super) struct Envelope<'a> {
    #[serde(borrow, default)]
    pub(super) id: Option<&'a RawValue>,
    #[serde(borrow, default)]
    pub(super) protocol: Option<&'a RawValue>,
}

/// One line of input. Unknown keys are collected, to be named.
#[derive(Default)]
pub(super) struct Line<'a> {
    pub(super) id: Option<&'a RawValue>,
    pub(super) protocol: Option<Cow<'a, str>>,
    pub(super) on: Option<NaiveDate>,
    pub(super) person: Person,
    pub(super) inputs: Readings,
    pub(super) options: Options,
    pub(super) conditions: Given,
    pub(super) unknown: Vec<String>,
}

/// The keys of a line; each stands once.
const KEYS: [&str; 7] = ["id", "protocol", "on", "person", "inputs", "options", "conditions"];

impl<'de: 'a, 'a> Deserialize<'de> for Line<'a> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct V;
        impl<'de> Visitor<'de> for V {
            type Value = Line<'de>;
            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("an object a line")
            }
            fn visit_map<M: MapAccess<'de>>(self, mut map: M) -> Result<Line<'de>, M::Error> {
                let mut line = Line::default();
                let mut seen = 0u8;
                while let Some(key) = map.next_key::<Cow<'de, str>>()? {
                    if let Some(k) = KEYS.iter().position(|known| *known == key) {
                        if seen & (1 << k) != 0 {
                            return Err(M::Error::custom(format_args!("the key “{key}” stands twice")));
                        }
                        seen |= 1 << k;
                    }
                    match key.as_ref() {
                        "id" => line.id = Some(map.next_value()?),
                        "protocol" => line.protocol = map.next_value()?,
                        "on" => line.on = map.next_value()?,
                        "person" => line.person = map.next_value()?,
                        "inputs" => line.inputs = map.next_value()?,
                        "options" => line.options = map.next_value()?,
                        "conditions" => line.conditions = map.next_value()?,
                        _ => {
                            line.unknown.push(key.into_owned());
                            map.next_value::<&RawValue>()?;
                        }
                    }
                }
                Ok(line)
            }
        }
        deserializer.deserialize_map(V)
    }
}

/// Readings by key.
#[derive(Default, Deserialize)]
pub(super) struct Readings(pub(super) Inputs);

/// The person's facts, raw: limits are checked by the core's types.
#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Person {
    #[serde(default)]
    sex: Option<Sex>,
    #[serde(default)]
    born: Option<NaiveDate>,
    #[serde(default)]
    age_years: Option<f64>,
    #[serde(default)]
    mass_kg: Option<f64>,
    #[serde(default)]
    height_cm: Option<f64>,
    #[serde(default)]
    resting_hr: Option<f64>,
    #[serde(default)]
    hr_max: Option<f64>,
}

impl Person {
    pub(super) fn facts(&self, on: Option<NaiveDate>) -> Result<Facts, InputError> {
        let age = self.age_years.map(|a| Age::new(a.floor()).map_err(|e| e.at("age_years"))).transpose()?;
        Ok(Facts {
            sex: self.sex,
            age: test_record::age(age, self.born, on)?,
            mass_on: None,
            mass: self.mass_kg.map(|v| BodyMass::new(v).map_err(|e| e.at("mass_kg"))).transpose()?,
            height: self.height_cm.map(|v| Height::new(v).map_err(|e| e.at("height_cm"))).transpose()?,
            resting_hr: self.resting_hr.map(|v| Bpm::new(v).map_err(|e| e.at("resting_hr"))).transpose()?,
            hr_max: self.hr_max.map(|v| Bpm::new(v).map_err(|e| e.at("hr_max"))).transpose()?,
        })
    }
}

/// Choices.
#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Options {
    #[serde(default)]
    hr_max_method: Option<String>,
    #[serde(default)]
    ceiling_bpm: Option<f64>,
}

impl Options {
    pub(super) fn choose(&self) -> Result<test_record::Options, InputError> {
        let unknown = || InputError::new(Code::NotApplicable, "hr_max_method", "Choose fox, tanaka, gulati or measured.");
        let hr_max_method = self.hr_max_method.as_deref().map(|name| HrMaxMethod::named(name).ok_or_else(unknown)).transpose()?;
        let ceiling = match self.ceiling_bpm {
            Some(bpm) => CeilingRule::Chosen { bpm: Bpm::new(bpm).map_err(|e| e.at("ceiling_bpm"))? },
            None => CeilingRule::Lower,
        };
        Ok(test_record::Options { hr_max_method, ceiling })
    }
}

/// Circumstances of the test, where they are known.
#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Given {
    #[serde(default)]
    pub(super) warm_up: Option<bool>,
    #[serde(default)]
    pub(super) heart_rate_drug: Option<bool>,
    #[serde(default)]
    pub(super) conditioned: Option<bool>,
}

pub(super) fn unknown(key: &str) -> InputError {
    let shown: String = key.chars().take(60).collect();
    InputError::new(Code::UnknownField, &shown, format!("There is no key “{shown}” here."))
}

/// The first key of a line that is not known, or whose value has another shape than it takes.
fn wrong(line: &serde_json::Map<String, serde_json::Value>) -> Option<InputError> {
    use serde_json::Value as Json;
    let bad = |field: &str, expected: &str| Some(InputError::new(Code::BadValue, field, format!("{field}: {expected} is expected.")));
    let is_date = |value: &Json| value.as_str().is_some_and(|s| s.parse::<NaiveDate>().is_ok());
    let section = |name: &str, value: &Json, takes: &dyn Fn(&str, &Json) -> Option<Option<&'static str>>| {
        let Json::Object(values) = value else { return if value.is_null() { None } else { bad(name, "an object of values by key") } };
        values.iter().find_map(|(key, value)| match takes(key, value) {
            None => Some(unknown(key)),
            Some(Some(expected)) if !value.is_null() => bad(key, expected),
            Some(_) => None,
        })
    };
    let number = |value: &Json| (!value.is_number()).then_some("a number");
    let yes_no = |value: &Json| (!value.is_boolean()).then_some("true or false");
    line.iter().find_map(|(key, value)| match key.as_str() {
        "protocol" if !value.is_string() && !value.is_null() => bad(key, "the id of a protocol in quotes"),
        "on" if !is_date(value) && !value.is_null() => bad(key, "a date such as 2026-11-23"),
        "id" | "protocol" | "on" => None,
        "person" => section(key, value, &|key, value| match key {
            "sex" => Some((!matches!(value.as_str(), Some("male" | "female"))).then_some("male or female")),
            "born" => Some((!is_date(value)).then_some("a date such as 1990-04-02")),
            "age_years" | "mass_kg" | "height_cm" | "resting_hr" | "hr_max" => Some(number(value)),
            _ => None,
        }),
        "options" => section(key, value, &|key, value| match key {
            "hr_max_method" => Some((!value.is_string()).then_some("fox, tanaka, gulati or measured")),
            "ceiling_bpm" => Some(number(value)),
            _ => None,
        }),
        "conditions" => section(key, value, &|key, value| match key {
            "warm_up" | "heart_rate_drug" | "conditioned" => Some(yes_no(value)),
            _ => None,
        }),
        "inputs" => section(key, value, &|key, value| {
            let is_reading = match key {
                "stages" => serde_json::from_value::<Vec<impulso_core::inputs::StageInput>>(value.clone()).is_ok(),
                "series" => serde_json::from_value::<Vec<impulso_core::clamped::Sample>>(value.clone()).is_ok(),
                _ => serde_json::from_value::<Value>(value.clone()).is_ok(),
            };
            let list = matches!(key, "stages" | "series");
            let listed = value.as_array().is_some_and(|all| all.iter().all(Json::is_object));
            // What is wrong within a stage is told in the reader's own words.
            Some((!(is_reading || list && listed)).then_some(if list {
                "a list of objects"
            } else {
                "a value of a shape that tests record"
            }))
        }),
        _ => Some(unknown(key)),
    })
}

/// Why a line could not be read. A line that is an object of this form with a value of the wrong shape in it is told which.
pub(super) fn unreadable(text: &[u8], error: &serde_json::Error) -> InputError {
    let message = error.to_string();
    if let Ok(serde_json::Value::Object(line)) = serde_json::from_slice(text)
        && let Some(found) = wrong(&line)
    {
        return found;
    }
    if let Some(key) = message.strip_prefix("unknown field `").and_then(|rest| rest.split('`').next()) {
        return unknown(key);
    }
    InputError::whole(Code::BadJson, format!("The line could not be read: {message}"))
}
