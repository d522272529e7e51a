//! What a measure is called and how it is written: the files of `data/measures/`.

use std::borrow::Cow;

use crate::{
    inputs::{Inputs, Value},
    units::{CM_PER_INCH, KG_PER_LB, M_PER_YARD, Units, rounded},
};

/// A measure, as data.
#[derive(Debug)]
struct Measure {
    label: &'static str,
    /// The label is a plural: repetitions have gone up, speed has.
    plural: bool,
    unit: &'static str,
    decimals: usize,
    /// A zero behind the point is left out.
    trim: bool,
    /// A plus in front of what is more than nothing.
    signed: bool,
    /// Listed last on a visit, such as body mass.
    last: bool,
    /// It says nothing without its test: repetitions, a time.
    generic: bool,
    written: Written,
    /// The input of the attempts: where none of them was missed, the value is a bound.
    at_least_unless_missed: Option<&'static str>,
    /// Which way is better; neither by itself where nothing is said.
    better: Option<Better>,
}

/// Which way of a measure is better.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Better {
    More,
    Less,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Written {
    Plain,
    /// Seconds up to a minute, then minutes and seconds.
    Minutes,
}

/// Of which a file says nothing.
const UNSAID: Measure = Measure {
    label: "",
    plural: false,
    unit: "",
    decimals: 0,
    trim: false,
    signed: false,
    last: false,
    generic: false,
    written: Written::Plain,
    at_least_unless_missed: None,
    better: None,
};

// All measures by name, as the build found them: `MEASURES`.
include!(concat!(env!("OUT_DIR"), "/measures.rs"));

/// A quantity, or a name of a formula, without its side: `seconds` of `seconds.left`.
pub fn base(key: &str) -> &str {
    key.split_once('.').map_or(key, |(base, _)| base)
}

fn measure(key: &str) -> Option<&'static Measure> {
    let at = MEASURES.binary_search_by_key(&base(key), |(name, _)| name).ok()?;
    Some(&MEASURES[at].1)
}

/// Whether the quantity has a name.
pub fn is_known(key: &str) -> bool {
    measure(key).is_some()
}

/// Which way of it is better; nothing where neither is by itself, or it has no name.
pub fn better(key: &str) -> Option<Better> {
    measure(key)?.better
}

/// Whether a value is a bound and no more: of a maximum of which no attempt was missed.
pub fn is_bound(key: &str, inputs: &Inputs) -> bool {
    let attempts = measure(key).and_then(|m| m.at_least_unless_missed).and_then(|input| inputs.value(input));
    matches!(attempts, Some(Value::Marks(made)) if made.iter().all(|made| *made))
}

/// The inputs that decide whether a value is only a lower bound.
pub fn inputs_of_bounds() -> Vec<String> {
    MEASURES.iter().filter_map(|(_, m)| m.at_least_unless_missed).map(str::to_owned).collect()
}

/// Whether less of it is better.
pub fn lower_is_better(key: &str) -> bool {
    better(key) == Some(Better::Less)
}

/// Whether its name says nothing without the name of its test.
pub fn is_generic(key: &str) -> bool {
    measure(key).is_some_and(|m| m.generic)
}

/// Whether a visit lists it after all other measures of its test, such as body mass.
pub fn is_said_last(key: &str) -> bool {
    measure(key).is_some_and(|m| m.last)
}

/// Which side it is of, or what the two differ by: `left` of `degrees.left`.
pub fn side(key: &str) -> Option<&str> {
    key.split_once('.').map(|(_, side)| side)
}

/// The quantity in the middle of a sentence, with its side.
pub fn label(key: &str) -> Cow<'_, str> {
    let whole = measure(key).map_or(key, |m| m.label);
    match key.split_once('.') {
        None => Cow::Borrowed(whole),
        Some((_, "difference")) => Cow::Owned(format!("{whole}, right less left")),
        Some((_, "counter")) => Cow::Owned(format!("{whole}, counter-clockwise")),
        Some((_, side)) => Cow::Owned(format!("{whole}, {side}")),
    }
}

/// The verb that goes with the label: `repetitions have`, `speed has`.
pub fn has(key: &str) -> &'static str {
    if measure(key).is_some_and(|m| m.plural) { "have" } else { "has" }
}

pub fn unit(key: &str) -> &'static str {
    measure(key).map_or("", |m| m.unit)
}

/// The unit as it stands behind the value on a page: a time is written in minutes and seconds and needs none.
pub fn unit_shown(key: &str) -> &'static str {
    measure(key).filter(|m| m.written == Written::Plain).map_or("", |m| m.unit)
}

/// The value as it is shown: as many decimals as the measure deserves.
pub fn shown(key: &str, value: f64) -> String {
    let plus = if value > 0.0 && measure(key).is_some_and(|m| m.signed) { "+" } else { "" };
    let plain = match measure(key) {
        Some(m) if m.written == Written::Minutes && value.abs() < 60.0 => format!("{} s", rounded(value, m.decimals.max(1))),
        Some(m) if m.written == Written::Minutes => minutes(value),
        Some(m) if m.trim || m.decimals == 0 => rounded(value, m.decimals),
        Some(m) => format!("{value:.*}", m.decimals).replace('-', "−"),
        None => format!("{value:.1}").replace('-', "−"),
    };
    format!("{plus}{plain}")
}

/// Minutes and seconds: `7:02`, with a tenth where there is one.
pub fn minutes(seconds: f64) -> String {
    let tenths = (seconds * 10.0).round() as i64;
    let sign = if tenths < 0 { "−" } else { "" };
    let (whole, tenth) = (tenths.abs() / 10, tenths.abs() % 10);
    let tail = if tenth == 0 { String::new() } else { format!(".{tenth}") };
    format!("{sign}{}:{:02}{tail}", whole / 60, whole % 60)
}

/// Value and unit as it is shown.
pub fn with_unit(key: &str, value: f64) -> String {
    beside(&shown(key, value), unit_shown(key))
}

/// A number that is written already, with its unit; a degree stands at its number.
pub fn beside(shown: &str, unit: &str) -> String {
    let gap = if unit.starts_with('°') { "" } else { " " };
    format!("{shown}{gap}{unit}").trim_end().to_owned()
}

/// What stands for a metric unit with somebody who thinks in pounds, inches and yards: the unit, how many of the metric one it
/// is, and how many decimals it deserves. Source: the international yard and pound agreement of 1959.
const IMPERIAL: [(&str, &str, f64, usize); 3] = [("cm", "in", CM_PER_INCH, 1), ("kg", "lb", KG_PER_LB, 1), ("m", "yd", M_PER_YARD, 0)];

fn imperial(key: &str, units: Units) -> Option<&'static (&'static str, &'static str, f64, usize)> {
    IMPERIAL.iter().find(|(metric, ..)| units == Units::Imperial && unit(key) == *metric)
}

/// A number of this unit as forms and floors take it from somebody who thinks in these units, and the unit it is then in. Lengths of
/// the body and loads change; a track is measured in metres for everybody.
pub fn as_typed(value: f64, unit: &str, units: Units) -> (f64, &str) {
    let other = IMPERIAL.iter().find(|(metric, ..)| units == Units::Imperial && *metric == unit && unit != "m");
    other.map_or((value, unit), |(_, shown, per, _)| (value / per, *shown))
}

/// A value in the units a person thinks in, and the unit as it stands behind it.
pub fn in_units(key: &str, value: f64, units: Units) -> (f64, &'static str) {
    imperial(key, units).map_or((value, unit_shown(key)), |(_, unit, per, _)| (value / per, unit))
}

/// The value as it is shown to a person.
pub fn shown_in(key: &str, value: f64, units: Units) -> String {
    let Some((_, _, per, decimals)) = imperial(key, units) else { return shown(key, value) };
    let plus = if value > 0.0 && measure(key).is_some_and(|m| m.signed) { "+" } else { "" };
    format!("{plus}{}", rounded(value / per, *decimals))
}

/// Value and unit as they are said to a person.
pub fn said(key: &str, value: f64, units: Units) -> String {
    match imperial(key, units) {
        Some((_, unit, ..)) => format!("{} {unit}", shown_in(key, value, units)),
        None => with_unit(key, value),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use test_case::test_case;

    #[test_case("waist_cm", 91.44, "36 in"; "a girth")]
    #[test_case("gap_cm.left", 2.54, "+1 in"; "an overlap")]
    #[test_case("gap_cm.left", -3.5, "−1.4 in"; "a gap")]
    #[test_case("distance_m", 2400.0, "2625 yd"; "a run")]
    #[test_case("one_rm_kg", 100.0, "220.5 lb"; "a lift")]
    #[test_case("vo2max", 45.05, "45.0 mL/kg/min"; "what has no other unit")]
    #[test_case("time_s", 422.0, "7:02"; "a time")]
    fn said_to_who_thinks_in_inches(key: &str, value: f64, text: &str) {
        assert_eq!(said(key, value, Units::Imperial), text);
        assert_eq!(said(key, value, Units::Metric), with_unit(key, value));
    }

    #[test_case(41.3, "cm", 16.26, "in"; "a bench")]
    #[test_case(100.0, "kg", 220.46, "lb"; "a bar")]
    #[test_case(400.0, "m", 400.0, "m"; "a track is the same for everybody")]
    #[test_case(15.0, "s", 15.0, "s"; "what has no other unit")]
    fn typed_by_who_thinks_in_inches(value: f64, unit: &str, shown: f64, shown_unit: &str) {
        let (n, u) = as_typed(value, unit, Units::Imperial);
        assert!((n - shown).abs() < 0.005 && u == shown_unit, "{n} {u}");
        assert_eq!(as_typed(value, unit, Units::Metric), (value, unit));
    }

    #[test]
    fn every_measure_is_read() {
        assert!(MEASURES.len() > 20 && MEASURES.iter().all(|(_, m)| !m.label.is_empty()) && MEASURES.is_sorted_by_key(|(name, _)| name));
    }

    #[test_case("rpe_1", 10.0, "10 RPE"; "exertion, whole")]
    #[test_case("rpe_1", 13.5, "13.5 RPE"; "exertion, half")]
    #[test_case("hrr60", -3.0, "−3 bpm"; "a drop that is none")]
    #[test_case("gap_cm.left", 1.0, "+1.0 cm"; "an overlap")]
    #[test_case("gap_cm.left", -3.5, "−3.5 cm"; "a gap")]
    #[test_case("seconds.left", 95.5, "1:35.5"; "a hold of a side")]
    #[test_case("time_s", 422.0, "7:02"; "a time")]
    #[test_case("time_s", 422.45, "7:02.5"; "a time with tenths")]
    #[test_case("time_s", -3.0, "−3 s"; "faster by three seconds")]
    #[test_case("time_s", 4.98, "4.98 s"; "a sprint")]
    #[test_case("seconds.left", 7.84, "7.8 s"; "a short hold")]
    #[test_case("distance_m", 2520.4, "2520 m"; "a distance")]
    #[test_case("vo2max", 45.05, "45.0 mL/kg/min"; "an estimate")]
    #[test_case("vo2max_l_min", 2.6, "2.60 L/min"; "litres")]
    fn written(key: &str, value: f64, text: &str) {
        assert_eq!(with_unit(key, value), text);
    }
}
