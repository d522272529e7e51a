//! The raw readings of a test: numbers by key and, for a staged test, what was read in each stage.

use std::{
    collections::{BTreeMap, btree_map},
    fmt,
    ops::Index,
};

use serde::{
    Deserialize, Deserializer, Serialize, Serializer,
    de::{Error, MapAccess, Visitor},
    ser::SerializeMap,
};

use crate::clamped::Sample;

/// The latest minute of a stage in which a heart rate is read.
pub const LAST_MINUTE: u8 = 9;

/// Readings by key, with the stages of a staged test and the recording of a ride. In JSON one object:
/// `{"hr_5":128,"hr_6":131}`, `{"stages":[{"load_kgm_min":150,"hr_2":98,"hr_3":100}]}` or
/// `{"rpe_1":10,"series":[{"time_s":1,"power_w":120,"hr_bpm":98,"cadence_rpm":90}]}`. Yes and no are 1 and 0.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Inputs {
    values: BTreeMap<String, f64>,
    /// In the order in which they were done.
    pub stages: Vec<StageInput>,
    /// The recording of a ride, in order of time.
    pub series: Vec<Sample>,
}

/// One stage: the load and the heart rates at the ends of its minutes.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct StageInput {
    /// Load, kgm/min.
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

    /// The reading with this key.
    pub fn get(&self, key: &str) -> Option<f64> {
        self.values.get(key).copied()
    }

    /// Sets a reading.
    pub fn insert(&mut self, key: impl Into<String>, value: f64) {
        self.values.insert(key.into(), value);
    }

    /// Readings by key, in the order of their keys; stages not among them.
    pub fn iter(&self) -> btree_map::Iter<'_, String, f64> {
        self.values.iter()
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

impl Index<&str> for Inputs {
    type Output = f64;

    /// # Panics
    /// Where there is no such reading; for tests.
    fn index(&self, key: &str) -> &f64 {
        &self.values[key]
    }
}

impl<'a> IntoIterator for &'a Inputs {
    type Item = (&'a String, &'a f64);
    type IntoIter = btree_map::Iter<'a, String, f64>;
    fn into_iter(self) -> Self::IntoIter {
        self.iter()
    }
}

impl<K: Into<String>> FromIterator<(K, f64)> for Inputs {
    fn from_iter<T: IntoIterator<Item = (K, f64)>>(pairs: T) -> Self {
        Self { values: pairs.into_iter().map(|(k, v)| (k.into(), v)).collect(), ..Self::new() }
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

/// A number, or yes and no as 1 and 0.
#[derive(Deserialize)]
#[serde(untagged)]
enum Value {
    Number(f64),
    YesNo(bool),
}

impl Value {
    fn number(self) -> f64 {
        match self {
            Self::Number(n) => n,
            Self::YesNo(yes) => f64::from(u8::from(yes)),
        }
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
                        "trained" => map.next_value::<Value>()?.number(),
                        _ => map.next_value::<f64>()?,
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
        assert_eq!((inputs["mass"], inputs["trained"]), (1.5, 1.0));
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

    proptest! {
        #[test]
        fn readings_survive_the_trip_through_json(
            values in proptest::collection::btree_map("[a-r]{1,6}", -1e6..1e6f64, 0..5),
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
