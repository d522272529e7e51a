//! The batch interface: JSON Lines in, JSON Lines out, one object a line, order kept, constant memory.
//!
//! A line that cannot be computed gives an error object in its place and the rest go on. Values are unrounded. The lines that
//! have arrived are shared out among the cores and answered before the next are waited for.

use std::{
    borrow::Cow,
    fmt,
    io::{self, BufRead, Write},
};

use chrono::NaiveDate;
use impulso_core::{
    Code, InputError,
    catalogue::{self, Protocol},
    hr_max::{CeilingRule, HrMaxMethod},
    inputs::Value,
    norms::{Mean, Range, Standing},
    person::{Facts, Sex},
    quantity,
    trial::{self, Circumstances, Flag, Inputs, Outcome, Pass, Trial},
    units::{Age, BodyMass, Bpm, Height},
};
use rayon::prelude::*;
use serde::{
    Deserialize, Serialize,
    de::{Deserializer, Error, MapAccess, Visitor},
    ser::{SerializeMap, Serializer},
};
use serde_json::value::RawValue;

/// How many lines were computed and how many were not.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Tally {
    /// Lines with a result.
    pub computed: u64,
    /// Lines with an error.
    pub failed: u64,
}

impl Tally {
    fn count(&mut self, computed: bool) {
        *(if computed { &mut self.computed } else { &mut self.failed }) += 1;
    }
}

/// The longest line that is read, bytes: a ride recorded ten times a second fits many times over.
pub const LINE_MAX: usize = 8 * 1024 * 1024;

/// So much is computed at once at the most, bytes, however much has arrived.
const BLOCK_MAX: usize = 1024 * 1024;

/// One core's share of a block, bytes: small enough that none waits long for another.
const SHARE: usize = 32 * 1024;

/// Computes every line of `input`: one line in, one line out, in order. A blank line and one longer than [`LINE_MAX`] are
/// lines too and get their error.
///
/// # Errors
/// Only what reading or writing itself gives.
pub fn compute(mut input: impl BufRead, mut output: impl Write) -> io::Result<Tally> {
    let mut tally = Tally::default();
    let mut begun = Begun::default();
    loop {
        let arrived = input.fill_buf()?;
        if arrived.is_empty() {
            break;
        }
        let block = &arrived[..arrived.len().min(BLOCK_MAX)];
        let (first, rest) = block.iter().position(|b| *b == b'\n').map_or((block, None), |end| (&block[..end], Some(&block[end + 1..])));
        begun.go_on(first);
        let Some(rest) = rest else {
            let taken = block.len();
            input.consume(taken);
            continue;
        };
        tally.count(begun.answer(&mut output)?);
        let whole = rest.iter().rposition(|b| *b == b'\n').map_or(0, |end| end + 1);
        let answers: Vec<(Vec<u8>, Tally)> = shares(&rest[..whole]).into_par_iter().map(answer_lines).collect::<io::Result<_>>()?;
        for (text, counted) in answers {
            output.write_all(&text)?;
            tally.computed += counted.computed;
            tally.failed += counted.failed;
        }
        output.flush()?;
        begun.go_on(&rest[whole..]);
        let taken = block.len();
        input.consume(taken);
    }
    if begun.is_begun() {
        tally.count(begun.answer(&mut output)?);
    }
    output.flush()?;
    Ok(tally)
}

/// A line whose end has not arrived. What is beyond [`LINE_MAX`] is passed over without being kept.
#[derive(Default)]
struct Begun {
    text: Vec<u8>,
    is_too_long: bool,
}

impl Begun {
    fn go_on(&mut self, more: &[u8]) {
        self.is_too_long |= self.text.len() + more.len() > LINE_MAX;
        if self.is_too_long {
            self.text = Vec::new();
        } else {
            self.text.extend_from_slice(more);
        }
    }

    const fn is_begun(&self) -> bool {
        self.is_too_long || !self.text.is_empty()
    }

    /// Answers it and begins the next.
    fn answer(&mut self, output: &mut impl Write) -> io::Result<bool> {
        let computed = if self.is_too_long { refuse_long(output)? } else { write_line(self.text.trim_ascii(), output)? };
        output.write_all(b"\n")?;
        self.text.clear();
        self.text.shrink_to(LINE_MAX / 64);
        self.is_too_long = false;
        Ok(computed)
    }
}

/// Whole lines, in shares of about [`SHARE`] bytes.
fn shares(mut lines: &[u8]) -> Vec<&[u8]> {
    let mut shares = Vec::with_capacity(lines.len() / SHARE + 1);
    while !lines.is_empty() {
        let from = SHARE.min(lines.len()) - 1;
        let end = lines[from..].iter().position(|b| *b == b'\n').map_or(lines.len(), |more| from + more + 1);
        let (share, rest) = lines.split_at(end);
        shares.push(share);
        lines = rest;
    }
    shares
}

fn answer_lines(lines: &[u8]) -> io::Result<(Vec<u8>, Tally)> {
    let mut answers = Vec::with_capacity(lines.len() * 2);
    let mut tally = Tally::default();
    for line in lines.split_inclusive(|b| *b == b'\n') {
        tally.count(write_line(line.trim_ascii(), &mut answers)?);
        answers.push(b'\n');
    }
    Ok((answers, tally))
}

fn refuse_long(output: &mut impl Write) -> io::Result<bool> {
    let error = InputError::whole(Code::BadJson, format!("The line is longer than {LINE_MAX} bytes, the most that is read."));
    serde_json::to_writer(output, &Failure::<()> { id: None, protocol: None, error: &error })?;
    Ok(false)
}

/// Computes one line and writes its answer; says whether it was computed.
fn write_line(text: &[u8], output: &mut impl Write) -> io::Result<bool> {
    // Text is looked at once: read as bytes, each of its words would be.
    let line = match std::str::from_utf8(text).map_or_else(|_| serde_json::from_slice::<Line>(text), serde_json::from_str) {
        Ok(line) => line,
        Err(error) => {
            let Envelope { id, protocol } =
                if text.starts_with(b"{") { serde_json::from_slice(text).unwrap_or_default() } else { Envelope::default() };
            serde_json::to_writer(output, &Failure { id, protocol, error: &unreadable(text, &error) })?;
            return Ok(false);
        }
    };
    match protocol_of(&line).and_then(|protocol| Ok((protocol, answer(&line, protocol)?))) {
        Ok((protocol, outcome)) => {
            serde_json::to_writer(output, &Answer { id: line.id, protocol, outcome: &outcome })?;
            Ok(true)
        }
        Err(error) => {
            serde_json::to_writer(output, &Failure { id: line.id, protocol: line.protocol.as_deref(), error: &error })?;
            Ok(false)
        }
    }
}

/// Computes a line that could be read.
fn answer<'a>(line: &'a Line, protocol: &'a Protocol) -> Result<Outcome<'a>, InputError> {
    let facts = line.person.facts(line.on)?;
    let circumstances = Circumstances {
        warm_up: line.conditions.warm_up,
        heart_rate_drug: line.conditions.heart_rate_drug.unwrap_or(false),
        conditioned: line.conditions.conditioned,
    };
    let outcome =
        trial::compute_as_given(&Trial { protocol, facts, inputs: &line.inputs.0, options: line.options.choose()?, circumstances })?;
    // In a batch a quantity that cannot be given is the line's error: nobody is there to read a half answer.
    match outcome.refused.first() {
        Some((_, error)) => Err(error.clone()),
        None => Ok(outcome),
    }
}

fn protocol_of(line: &Line) -> Result<&'static Protocol, InputError> {
    if let Some(extra) = line.unknown.first() {
        return Err(unknown(extra));
    }
    line.protocol.as_deref().map_or_else(|| Err(InputError::new(Code::MissingInput, "protocol", "Name the protocol.")), catalogue::find)
}

/// What comes back even for a line that is otherwise unusable.
#[derive(Default, Deserialize)]
struct Envelope<'a> {
    #[serde(borrow, default)]
    id: Option<&'a RawValue>,
    #[serde(borrow, default)]
    protocol: Option<&'a RawValue>,
}

/// One line of input. Unknown keys are collected, to be named.
#[derive(Default)]
struct Line<'a> {
    id: Option<&'a RawValue>,
    protocol: Option<Cow<'a, str>>,
    on: Option<NaiveDate>,
    person: Person,
    inputs: Readings,
    options: Options,
    conditions: Given,
    unknown: Vec<String>,
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
struct Readings(Inputs);

/// The person's facts, raw: limits are checked by the core's types.
#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct Person {
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
    fn facts(&self, on: Option<NaiveDate>) -> Result<Facts, InputError> {
        let age = self.age_years.map(|a| Age::new(a.floor()).map_err(|e| e.at("age_years"))).transpose()?;
        Ok(Facts {
            sex: self.sex,
            age: trial::age(age, self.born, on)?,
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
struct Options {
    #[serde(default)]
    hr_max_method: Option<String>,
    #[serde(default)]
    ceiling_bpm: Option<f64>,
}

impl Options {
    fn choose(&self) -> Result<trial::Options, InputError> {
        let unknown = || InputError::new(Code::NotApplicable, "hr_max_method", "Choose fox, tanaka, gulati or measured.");
        let hr_max_method = self.hr_max_method.as_deref().map(|name| HrMaxMethod::named(name).ok_or_else(unknown)).transpose()?;
        let ceiling = match self.ceiling_bpm {
            Some(bpm) => CeilingRule::Chosen { bpm: Bpm::new(bpm).map_err(|e| e.at("ceiling_bpm"))? },
            None => CeilingRule::Lower,
        };
        Ok(trial::Options { hr_max_method, ceiling })
    }
}

/// Circumstances of the test, where they are known.
#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct Given {
    #[serde(default)]
    warm_up: Option<bool>,
    #[serde(default)]
    heart_rate_drug: Option<bool>,
    #[serde(default)]
    conditioned: Option<bool>,
}

struct Answer<'a> {
    id: Option<&'a RawValue>,
    protocol: &'a Protocol,
    outcome: &'a Outcome<'a>,
}

impl Serialize for Answer<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        #[derive(Serialize)]
        struct Head<'a> {
            id: Option<&'a RawValue>,
            protocol: &'a str,
            results: Results<'a>,
            norms: Norms<'a>,
            flags: &'a [Flag],
        }
        Head {
            id: self.id,
            protocol: &self.protocol.id,
            results: Results(self.protocol, self.outcome),
            norms: Norms(self.outcome),
            flags: &self.outcome.flags,
        }
        .serialize(serializer)
    }
}

struct Results<'a>(&'a Protocol, &'a Outcome<'a>);

impl Serialize for Results<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        #[derive(Serialize)]
        struct Reading {
            value: f64,
            unit: &'static str,
        }
        #[derive(Serialize)]
        struct Estimated<'m> {
            value: f64,
            unit: &'static str,
            method: &'m str,
            see: Option<f64>,
        }
        let mut map = serializer.serialize_map(Some(self.1.results.len()))?;
        // Results stand in the order of the scoring, some of it left out.
        let mut scored = self.0.scoring.iter();
        for (quantity, estimate) in &self.1.results {
            let (value, unit) = (estimate.value, quantity::unit(quantity));
            match scored.find(|s| s.quantity == *quantity).filter(|s| s.is_estimate_by(estimate.equation)) {
                Some(by) => {
                    let method = by.method_by(estimate.equation);
                    map.serialize_entry(quantity, &Estimated { value, unit, method, see: estimate.see })?;
                }
                None => map.serialize_entry(quantity, &Reading { value, unit })?,
            }
        }
        map.end()
    }
}

struct Norms<'a>(&'a Outcome<'a>);

impl Serialize for Norms<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let standings = &self.0.norms;
        let mut map = serializer.serialize_map(None)?;
        for (k, (quantity, _)) in standings.iter().enumerate() {
            if standings[..k].iter().any(|(earlier, _)| earlier == quantity) {
                continue;
            }
            let pass = self.0.passes.iter().find(|(q, _)| q == quantity).map(|(_, p)| *p);
            let stands = standings.iter().filter(|(q, _)| q == quantity);
            let of_quantity: Vec<Stand> = stands.map(|(_, s)| Stand { pass, ..Stand::from(s) }).collect();
            match of_quantity.as_slice() {
                [one] => map.serialize_entry(quantity, one)?,
                several => map.serialize_entry(quantity, several)?,
            }
        }
        // A mark of a quantity without a table.
        for (quantity, pass) in self.0.passes.iter().filter(|(q, _)| !standings.iter().any(|(other, _)| other == q)) {
            map.serialize_entry(quantity, &Stand { pass: Some(*pass), ..Stand::default() })?;
        }
        map.end()
    }
}

#[derive(Default, Serialize)]
struct Stand<'a> {
    table: Option<&'static str>,
    percentile: Option<Percentile>,
    bound: Option<String>,
    category: Option<&'a str>,
    population: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    mean: Option<Mean>,
    #[serde(skip_serializing_if = "Option::is_none")]
    range: Option<Range>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pass: Option<Pass>,
}

/// A percentile: whole where it is whole, as the tables print it.
struct Percentile(f64);

impl Serialize for Percentile {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        if self.0.fract() == 0.0 { serializer.serialize_u32(self.0 as u32) } else { serializer.serialize_f64(self.0) }
    }
}

impl<'a> From<&'a Standing> for Stand<'a> {
    fn from(standing: &'a Standing) -> Self {
        Self {
            table: Some(standing.table.id),
            percentile: standing.percentile.map(Percentile),
            bound: standing.bound.map(|b| b.to_string()),
            category: standing.category.as_deref(),
            population: Some(&standing.table.population),
            mean: standing.mean,
            range: standing.range,
            pass: None,
        }
    }
}

#[derive(Serialize)]
struct Failure<'a, P> {
    id: Option<&'a RawValue>,
    protocol: Option<P>,
    error: &'a InputError,
}

fn unknown(key: &str) -> InputError {
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
fn unreadable(text: &[u8], error: &serde_json::Error) -> InputError {
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
