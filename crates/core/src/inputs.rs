//! The raw readings of a test: values by key, with their sides and tries, and, for a staged test, what was read in each stage.

use std::{
    collections::{BTreeMap, btree_map},
    fmt,
};

use serde::{
    Deserialize, Deserializer, Serialize, Serializer,
    de::{Error, MapAccess, SeqAccess, Visitor},
    ser::SerializeMap,
};

use crate::clamped::Sample;

/// The latest minute of a stage in which a heart rate is read.
pub const LAST_MINUTE: u8 = 9;

/// What was read under one key. In JSON: a number, `true` or `false`, a choice's key or words, `true` and `false` by point, a
/// list for tries in the order they were done (`null` did not count), an object for sides.
#[derive(Debug, Clone, PartialEq)]
pub enum Value {
    /// A number in the input's unit.
    Number(f64),
    /// Yes or no.
    Yes(bool),
    /// A choice's key, or words.
    Words(String),
    /// Points of performance, met or not.
    Points(BTreeMap<String, bool>),
    /// One for each try; a try that did not count is nothing.
    Tries(Vec<Option<f64>>),
    /// Yes or no for each try.
    Marks(Vec<bool>),
    /// A value for each side that was done.
    Sides(BTreeMap<String, Value>),
}

impl Value {
    /// The number, where it is one; yes and no are 1 and 0.
    pub fn number(&self) -> Option<f64> {
        match self {
            Self::Number(n) => Some(*n),
            Self::Yes(yes) => Some(f64::from(u8::from(*yes))),
            _ => None,
        }
    }

    /// Its numbers, in order: a lone one, a try each, a point each. A try that did not count is no number.
    pub fn numbers(&self) -> Numbers {
        match self.number() {
            Some(lone) => Numbers::One([lone]),
            None => Numbers::Many(self.listed()),
        }
    }

    fn listed(&self) -> Vec<f64> {
        let flag = |yes: &bool| f64::from(u8::from(*yes));
        match self {
            Self::Tries(tries) => tries.iter().map(|t| t.unwrap_or(f64::NAN)).collect(),
            Self::Marks(marks) => marks.iter().map(flag).collect(),
            Self::Points(points) => points.values().map(flag).collect(),
            Self::Number(_) | Self::Yes(_) | Self::Words(_) | Self::Sides(_) => Vec::new(),
        }
    }

    /// The value of a side; the value itself where it has none.
    pub fn of_side(&self, side: Option<&str>) -> Option<&Self> {
        match (self, side) {
            (Self::Sides(sides), Some(side)) => sides.get(side),
            (Self::Sides(_), None) => None,
            (value, _) => Some(value),
        }
    }
}

/// The numbers of a value: most have one.
#[derive(Debug, Clone, PartialEq)]
pub enum Numbers {
    /// A lone number.
    One([f64; 1]),
    /// Any number of them.
    Many(Vec<f64>),
}

impl Default for Numbers {
    fn default() -> Self {
        Self::Many(Vec::new())
    }
}

impl From<f64> for Numbers {
    fn from(number: f64) -> Self {
        Self::One([number])
    }
}

impl std::ops::Deref for Numbers {
    type Target = [f64];
    fn deref(&self) -> &[f64] {
        match self {
            Self::One(one) => one,
            Self::Many(many) => many,
        }
    }
}

impl From<f64> for Value {
    fn from(number: f64) -> Self {
        Self::Number(number)
    }
}

impl Serialize for Value {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Number(n) => n.serialize(serializer),
            Self::Yes(yes) => yes.serialize(serializer),
            Self::Words(words) => words.serialize(serializer),
            Self::Points(points) => points.serialize(serializer),
            Self::Tries(tries) => tries.serialize(serializer),
            Self::Marks(marks) => marks.serialize(serializer),
            Self::Sides(sides) => sides.serialize(serializer),
        }
    }
}

impl<'de> Deserialize<'de> for Value {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct V;
        impl<'de> Visitor<'de> for V {
            type Value = Value;
            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a number, yes or no, words, a list of tries, or an object of sides or points")
            }
            fn visit_f64<E: Error>(self, n: f64) -> Result<Value, E> {
                Ok(Value::Number(n))
            }
            fn visit_i64<E: Error>(self, n: i64) -> Result<Value, E> {
                Ok(Value::Number(n as f64))
            }
            fn visit_u64<E: Error>(self, n: u64) -> Result<Value, E> {
                Ok(Value::Number(n as f64))
            }
            fn visit_bool<E: Error>(self, yes: bool) -> Result<Value, E> {
                Ok(Value::Yes(yes))
            }
            fn visit_str<E: Error>(self, words: &str) -> Result<Value, E> {
                Ok(Value::Words(words.to_owned()))
            }
            fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<Value, A::Error> {
                let (mut tries, mut marks) = (Vec::new(), Vec::new());
                while let Some(one) = list.next_element()? {
                    match one {
                        Some(Value::Number(n)) => tries.push(Some(n)),
                        None => tries.push(None),
                        Some(Value::Yes(yes)) => marks.push(yes),
                        Some(_) => return Err(A::Error::custom("a list of tries holds numbers, or yes and no")),
                    }
                }
                match (tries.is_empty(), marks.is_empty()) {
                    (_, true) => Ok(Value::Tries(tries)),
                    (true, false) => Ok(Value::Marks(marks)),
                    (false, false) => Err(A::Error::custom("a list of tries holds numbers, or yes and no, not both")),
                }
            }
            fn visit_map<M: MapAccess<'de>>(self, mut map: M) -> Result<Value, M::Error> {
                let (mut points, mut sides) = (BTreeMap::new(), BTreeMap::new());
                while let Some((key, value)) = map.next_entry::<String, Value>()? {
                    let again = match value {
                        Value::Yes(yes) => points.insert(key, yes).is_some(),
                        Value::Sides(_) => return Err(M::Error::custom("a side holds no sides")),
                        other => sides.insert(key, other).is_some(),
                    };
                    if again {
                        return Err(M::Error::custom("a key stands twice"));
                    }
                }
                match (points.is_empty(), sides.is_empty()) {
                    (_, true) => Ok(Value::Points(points)),
                    (true, false) => Ok(Value::Sides(sides)),
                    (false, false) => Err(M::Error::custom("an object holds sides, or yes and no by point, not both")),
                }
            }
        }
        deserializer.deserialize_any(V)
    }
}

/// Readings by key, with the stages of a staged test and the recording of a ride. In JSON one object:
/// `{"hr_5":128,"hr_6":131}`, `{"support":"forearm","seconds":95}`, `{"stages":[{"load_kgm_min":150,"hr_2":98,"hr_3":100}]}` or
/// `{"rpe_1":10,"series":[{"time_s":1,"power_w":120,"hr_bpm":98,"cadence_rpm":90}]}`.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Inputs {
    values: BTreeMap<String, Value>,
    /// In the order in which they were done.
    pub stages: Vec<StageInput>,
    /// The recording of a ride, in order of time.
    pub series: Vec<Sample>,
}

/// One stage: the load and the heart rates at the ends of its minutes.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct StageInput {
    pub load_kgm_min: f64,
    /// Minute and bpm, by minute.
    pub readings: Vec<(u8, f64)>,
}

impl StageInput {
    /// The last reading, bpm: the stage's heart rate.
    pub fn last(&self) -> Option<f64> {
        self.readings.last().map(|(_, bpm)| *bpm)
    }

    /// How far the last two consecutive minutes are apart, bpm; nothing where there are not two.
    pub fn drift(&self) -> Option<f64> {
        match self.readings.as_slice() {
            [.., (earlier, a), (later, b)] if earlier + 1 == *later => Some((b - a).abs()),
            _ => None,
        }
    }
}

impl Inputs {
    /// No readings.
    pub const fn new() -> Self {
        Self { values: BTreeMap::new(), stages: Vec::new(), series: Vec::new() }
    }

    /// The number under this key, where it is a lone one.
    pub fn get(&self, key: &str) -> Option<f64> {
        self.values.get(key)?.number()
    }

    /// What was read under this key.
    pub fn value(&self, key: &str) -> Option<&Value> {
        self.values.get(key)
    }

    /// Sets a reading.
    pub fn insert(&mut self, key: impl Into<String>, value: impl Into<Value>) {
        self.values.insert(key.into(), value.into());
    }

    /// Takes a reading out.
    pub fn take(&mut self, key: &str) -> Option<Value> {
        self.values.remove(key)
    }

    /// Readings by key, in the order of their keys; stages not among them.
    pub fn iter(&self) -> btree_map::Iter<'_, String, Value> {
        self.values.iter()
    }

    /// The same without the recording of a ride.
    #[must_use]
    pub fn without_recording(&self) -> Self {
        Self { values: self.values.clone(), stages: self.stages.clone(), series: Vec::new() }
    }

    /// Whether nothing was read.
    pub fn is_empty(&self) -> bool {
        self.values.is_empty() && self.stages.is_empty() && self.series.is_empty()
    }

    /// Heart rates by minute from the keys `hr_1` to `hr_9`, in order.
    pub fn minutes(&self) -> Vec<(u8, f64)> {
        (1..=LAST_MINUTE).filter_map(|m| Some((m, self.get(minute_key(m)?)?))).collect()
    }
}

/// The key of a heart rate at the end of a minute: `hr_5`.
pub fn minute_key(minute: u8) -> Option<&'static str> {
    const KEYS: [&str; LAST_MINUTE as usize] = ["hr_1", "hr_2", "hr_3", "hr_4", "hr_5", "hr_6", "hr_7", "hr_8", "hr_9"];
    KEYS.get(usize::from(minute).checked_sub(1)?).copied()
}

fn minute_of(key: &str) -> Option<u8> {
    (1..=LAST_MINUTE).find(|m| minute_key(*m) == Some(key))
}

impl std::ops::Index<&str> for Inputs {
    type Output = f64;

    /// # Panics
    /// Where there is no such number; for tests.
    fn index(&self, key: &str) -> &f64 {
        let Value::Number(number) = &self.values[key] else { unreachable!("{key} is no number") };
        number
    }
}

impl<'a> IntoIterator for &'a Inputs {
    type Item = (&'a String, &'a Value);
    type IntoIter = btree_map::Iter<'a, String, Value>;
    fn into_iter(self) -> Self::IntoIter {
        self.iter()
    }
}

impl<K: Into<String>, V: Into<Value>> FromIterator<(K, V)> for Inputs {
    fn from_iter<T: IntoIterator<Item = (K, V)>>(pairs: T) -> Self {
        Self { values: pairs.into_iter().map(|(k, v)| (k.into(), v.into())).collect(), ..Self::new() }
    }
}

impl Serialize for Inputs {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        for (key, value) in &self.values {
            map.serialize_entry(key, value)?;
        }
        if !self.stages.is_empty() {
            map.serialize_entry("stages", &self.stages)?;
        }
        if !self.series.is_empty() {
            map.serialize_entry("series", &self.series)?;
        }
        map.end()
    }
}

impl Serialize for StageInput {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        map.serialize_entry("load_kgm_min", &self.load_kgm_min)?;
        for (minute, bpm) in &self.readings {
            if let Some(key) = minute_key(*minute) {
                map.serialize_entry(key, bpm)?;
            }
        }
        map.end()
    }
}

impl<'de> Deserialize<'de> for Inputs {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct V;
        impl<'de> Visitor<'de> for V {
            type Value = Inputs;
            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("readings by key")
            }
            fn visit_map<M: MapAccess<'de>>(self, mut map: M) -> Result<Inputs, M::Error> {
                let (mut values, mut stages, mut series) = (BTreeMap::new(), None, None);
                let twice = |key: &str| M::Error::custom(format_args!("the key “{key}” stands twice"));
                while let Some(key) = map.next_key::<String>()? {
                    let value = match key.as_str() {
                        "stages" if stages.is_none() => {
                            stages = Some(map.next_value()?);
                            continue;
                        }
                        "series" if series.is_none() => {
                            series = Some(map.next_value()?);
                            continue;
                        }
                        "stages" | "series" => return Err(twice(&key)),
                        // A reading that was not taken is as good as absent.
                        _ => match map.next_value::<Option<Value>>()? {
                            Some(value) => value,
                            None => continue,
                        },
                    };
                    match values.entry(key) {
                        btree_map::Entry::Vacant(free) => free.insert(value),
                        btree_map::Entry::Occupied(taken) => return Err(twice(taken.key())),
                    };
                }
                Ok(Inputs { values, stages: stages.unwrap_or_default(), series: series.unwrap_or_default() })
            }
        }
        deserializer.deserialize_map(V)
    }
}

impl<'de> Deserialize<'de> for StageInput {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct V;
        impl<'de> Visitor<'de> for V {
            type Value = StageInput;
            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a stage: load_kgm_min and heart rates by minute, such as hr_2 and hr_3")
            }
            fn visit_map<M: MapAccess<'de>>(self, mut map: M) -> Result<StageInput, M::Error> {
                let mut load = None;
                let mut readings = Vec::with_capacity(3);
                while let Some(key) = map.next_key::<std::borrow::Cow<'de, str>>()? {
                    match minute_of(&key) {
                        Some(minute) if readings.iter().any(|(m, _)| *m == minute) => {
                            return Err(M::Error::custom(format_args!("the key “{key}” stands twice")));
                        }
                        Some(minute) => readings.extend(map.next_value::<Option<f64>>()?.map(|bpm| (minute, bpm))),
                        None if key == "load_kgm_min" && load.is_some() => return Err(M::Error::duplicate_field("load_kgm_min")),
                        None if key == "load_kgm_min" => load = Some(map.next_value()?),
                        None => return Err(M::Error::unknown_field(&key, &["load_kgm_min", "hr_2", "hr_3", "hr_4", "hr_5"])),
                    }
                }
                readings.sort_by_key(|(minute, _)| *minute);
                let load_kgm_min = load.ok_or_else(|| M::Error::missing_field("load_kgm_min"))?;
                Ok(StageInput { load_kgm_min, readings })
            }
        }
        deserializer.deserialize_map(V)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn stages_stand_beside_plain_readings() {
        let text = r#"{"mass":1.5,"trained":true,"stages":[{"load_kgm_min":150,"hr_3":101,"hr_2":98},{"hr_2":110,"load_kgm_min":450}]}"#;
        let inputs: Inputs = serde_json::from_str(text).unwrap();
        assert_eq!((inputs.get("mass"), inputs.get("trained")), (Some(1.5), Some(1.0)));
        assert_eq!(inputs.stages[0].readings, [(2, 98.0), (3, 101.0)]);
        assert_eq!((inputs.stages[0].last(), inputs.stages[0].drift()), (Some(101.0), Some(3.0)));
        assert_eq!(inputs.stages[1].drift(), None);
    }

    #[test]
    fn a_stage_says_what_it_lacks_or_does_not_know() {
        let error = |text: &str| serde_json::from_str::<Inputs>(text).unwrap_err().to_string();
        assert!(error(r#"{"stages":[{"hr_2":98}]}"#).contains("load_kgm_min"));
        assert!(error(r#"{"stages":[{"load_kgm_min":150,"hr_99":98}]}"#).contains("unknown field `hr_99`"));
    }

    #[test]
    fn sides_tries_choices_and_points_have_one_form() {
        let text = r#"{"degrees":{"left":[71,null,74],"right":78},"made":[true,false],"points":{"heels_down":false},"support":"forearm"}"#;
        let inputs: Inputs = serde_json::from_str(text).unwrap();
        assert_eq!(serde_json::to_string(&inputs).unwrap().replace(".0", ""), text);
        let left = inputs.value("degrees").and_then(|v| v.of_side(Some("left"))).unwrap();
        assert!(left.numbers()[1].is_nan() && left.numbers()[2] == 74.0, "a try that did not count is no number");
        assert_eq!(inputs.get("degrees"), None, "no lone number");
        for broken in
            [r#"{"a":[1,true]}"#, r#"{"a":{"left":1,"right":true}}"#, r#"{"a":{"left":{"left":1}}}"#, r#"{"a":{"left":1,"left":2}}"#]
        {
            assert!(serde_json::from_str::<Inputs>(broken).is_err(), "{broken}");
        }
    }

    fn any_value() -> impl Strategy<Value = Value> {
        let plain = prop_oneof![
            (-1e6..1e6f64).prop_map(Value::Number),
            any::<bool>().prop_map(Value::Yes),
            "[a-z ]{0,8}".prop_map(Value::Words),
            proptest::collection::vec(proptest::option::of(-1e6..1e6f64), 1..5).prop_map(Value::Tries),
            proptest::collection::vec(any::<bool>(), 1..5).prop_map(Value::Marks),
            proptest::collection::btree_map("[a-z]{1,4}", any::<bool>(), 1..4).prop_map(Value::Points),
        ];
        let side = prop_oneof![
            (-1e6..1e6f64).prop_map(Value::Number),
            proptest::collection::vec(proptest::option::of(-1e6..1e6f64), 1..5).prop_map(Value::Tries),
        ];
        prop_oneof![3 => plain, 1 => proptest::collection::btree_map("(left|right)", side, 1..3).prop_map(Value::Sides)]
    }

    proptest! {
        #[test]
        fn readings_survive_the_trip_through_json(
            values in proptest::collection::btree_map("[a-r]{1,6}", any_value(), 0..5),
            stages in proptest::collection::vec((0.0..3000.0f64, proptest::collection::btree_map(1u8..=9, 25.0..250.0f64, 0..4)), 0..4),
        ) {
            let mut inputs: Inputs = values.into_iter().collect();
            inputs.stages =
                stages.into_iter().map(|(load_kgm_min, r)| StageInput { load_kgm_min, readings: r.into_iter().collect() }).collect();
            let text = serde_json::to_string(&inputs).unwrap();
            prop_assert_eq!(serde_json::from_str::<Inputs>(&text).unwrap(), inputs);
        }
    }
}
