//! What was settled before the clock starts.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::{Condition, ConditionKind, InputKind, Protocol},
    conditions::{Answer, Conditions},
    error::{Code, InputError},
    hr_max::{self, CeilingRule, HrMaxMethod},
    inputs::{Inputs, Value},
    person::{Facts, Sex},
    test_record::check_inputs,
    units::{Age, BodyMass, Bpm, Cadence, Height, Units, rounded},
};

/// The largest number any condition takes, in its own unit.
const CONDITION_MAX: f64 = 100_000.0;

/// What was settled before the clock starts.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Setup {
    /// Beats a minute, where the protocol has a beat.
    pub cadence: Option<Cadence>,
    /// Conditions by key, as asked at set-up.
    #[cfg_attr(feature = "schema", schema(value_type = BTreeMap<String, Answer>))]
    pub conditions: Conditions,
    /// Sex (for equations and norms).
    pub sex: Option<Sex>,
    /// Age on the day.
    pub age: Option<Age>,
    /// Body mass on the day.
    #[serde(default)]
    pub mass: Option<BodyMass>,
    /// Standing height on the day.
    #[serde(default)]
    pub height: Option<Height>,
    /// Resting heart rate, where it was taken.
    #[serde(default)]
    pub resting_hr: Option<Bpm>,
    /// A measured maximal heart rate.
    #[serde(default)]
    pub hr_max: Option<Bpm>,
    /// How the maximal heart rate is predicted; the protocol's own method where nothing was chosen.
    #[serde(default)]
    pub hr_max_method: Option<HrMaxMethod>,
    /// Which ceiling ends the test.
    #[serde(default)]
    pub ceiling: CeilingRule,
    /// The first load, kgm/min, where loads are set.
    #[serde(default)]
    pub first_load: Option<f64>,
    /// Last time's value of the quantity the pace is held against.
    #[serde(default)]
    pub last_value: Option<f64>,
    /// Last time's value of every measure, of a test that was done alike.
    #[serde(default)]
    pub last_values: BTreeMap<String, f64>,
    /// Of the readings that the test can do without, only these are taken; all where nothing is said.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub takes: Vec<String>,
    /// The units that numbers are shown and typed in.
    #[serde(default)]
    pub units: Units,
    /// Many do it on one clock, and are not written down one by one.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub together: bool,
    /// Where starts come again and again: so long after the common start this one begins, s.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub start_after_s: Option<f64>,
}

impl Setup {
    /// A set-up that knows the person on the day and nothing else.
    pub fn of(facts: &Facts) -> Self {
        Self {
            sex: facts.sex,
            age: facts.age,
            mass: facts.mass,
            height: facts.height,
            resting_hr: facts.resting_hr,
            hr_max: facts.hr_max,
            ..Self::default()
        }
    }

    /// How the maximal heart rate is known here: measured, chosen, or as the protocol has it.
    pub fn hr_max_method(&self, protocol: &Protocol) -> HrMaxMethod {
        hr_max::method_for(&self.facts(), self.hr_max_method, protocol.hr_max_default())
    }

    /// The person on the day.
    pub const fn facts(&self) -> Facts {
        Facts {
            sex: self.sex,
            age: self.age,
            mass: self.mass,
            mass_on: None,
            height: self.height,
            resting_hr: self.resting_hr,
            hr_max: self.hr_max,
        }
    }

    /// Puts the readings that a condition records into the inputs: the bench, the lap, whether a rower is trained.
    pub fn fill(&self, protocol: &Protocol, inputs: &mut Inputs) {
        for (key, answer) in &self.conditions {
            let Some(input) = protocol.input(key).filter(|_| !inputs.is_empty()) else { continue };
            let value = match (input.kind, answer) {
                (InputKind::Number, Answer::Number(n)) => Some(Value::Number(*n)),
                (InputKind::Number, Answer::YesNo(yes)) => Some(Value::Number(f64::from(u8::from(*yes)))),
                // One of a few numbers, or a word that says there is none.
                (InputKind::Number, Answer::Text(t)) => t.parse().ok().map(Value::Number),
                (InputKind::YesNo, Answer::YesNo(yes)) => Some(Value::Yes(*yes)),
                (InputKind::Choice | InputKind::Words, Answer::Text(t)) => Some(Value::Words(t.clone())),
                _ => None,
            };
            if let Some(value) = value {
                inputs.insert(key.clone(), value);
            }
        }
    }

    /// The conditions as they are stored: those that were asked, and those that follow from the set-up.
    pub fn recorded(&self, protocol: &Protocol) -> Conditions {
        let mut conditions = self.conditions.clone();
        let mut record = |key: &str, answer: Option<Answer>| {
            if let (Some(answer), true) = (answer, protocol.condition(key).is_some()) {
                conditions.insert(key.to_owned(), answer);
            }
        };
        let method = self.hr_max_method(protocol);
        let ceiling = hr_max::ceiling_bpm(&self.facts(), method, self.ceiling).ok();
        record("cadence", self.cadence.map(|c| Answer::Number(c.value())));
        record("hr_max_method", Some(Answer::Text(method.name().into())));
        record("ceiling_bpm", ceiling.map(|bpm| Answer::Number((bpm * 10.0).round() / 10.0)));
        conditions
    }

    /// Whether the client is used to endurance work, where that was asked.
    pub fn conditioned(&self) -> Option<bool> {
        match self.conditions.get("conditioned") {
            Some(Answer::YesNo(yes)) => Some(*yes),
            _ => None,
        }
    }

    /// Holds typed readings to the conditions they say nothing without.
    ///
    /// # Errors
    /// [`Code::MissingInput`] naming the condition.
    pub fn check_with(&self, protocol: &Protocol, inputs: &Inputs) -> Result<(), InputError> {
        let needed =
            |c: &&Condition| !self.conditions.contains_key(&c.key) && c.required_with.iter().any(|key| inputs.value(key).is_some());
        if let Some(open) = protocol.conditions.iter().find(needed) {
            return Err(InputError::new(Code::MissingInput, &open.key, format!("{}: {}", open.label, open.ask)));
        }
        // What was agreed is what was taken.
        for leg in protocol.legs() {
            let Some(agreed) = leg.take.agreed(&self.conditions) else { continue };
            let other = leg.take.inputs().into_iter().find(|key| *key != agreed && inputs.get(key).is_some_and(|n| n > 0.0));
            if let (Some(other), Some(agreed)) = (other.and_then(|key| protocol.input(key)), protocol.input(agreed)) {
                let message = format!(
                    "“{}” was agreed, but {} was entered under “{}”. Correct one of the two.",
                    agreed.label,
                    rounded(inputs.get(&other.key).unwrap_or_default(), 1),
                    other.label
                );
                return Err(InputError::new(Code::OutOfRange, &other.key, message));
            }
        }
        Ok(())
    }

    /// Holds a set-up to its protocol: conditions known, required ones answered, numbers possible, a beat where the
    /// protocol has one.
    ///
    /// # Errors
    /// [`Code::UnknownField`], [`Code::MissingInput`] or [`Code::OutOfRange`], naming the condition.
    pub fn check(&self, protocol: &Protocol) -> Result<(), InputError> {
        for key in self.conditions.keys() {
            if protocol.condition(key).is_none() {
                return Err(InputError::new(Code::UnknownField, key, format!("{} has no condition “{key}”.", protocol.name)));
            }
        }
        for condition in &protocol.conditions {
            match self.conditions.get(&condition.key) {
                None if condition.required => {
                    return Err(InputError::new(Code::MissingInput, &condition.key, format!("An answer is missing: {}", condition.ask)));
                }
                None => {}
                Some(answer) => check_answer(protocol, condition, answer)?,
            }
        }
        if let (Some(schedule), Some(speed)) = (protocol.schedule(), self.start_kmh()) {
            schedule.beeps(Some(speed))?;
        }
        if protocol.records_stages() {
            let facts = self.facts();
            if facts.mass.is_none() {
                let message = "Weigh the client first: the oxygen cost of each stage depends on the body mass.";
                return Err(InputError::new(Code::NeedsMass, "mass_kg", message));
            }
            hr_max::ceiling_bpm(&facts, self.hr_max_method(protocol), self.ceiling)?;
        }
        if let Some(load) = self.first_load.filter(|l| !(l.is_finite() && (0.0..=crate::test_record::LOAD_MAX).contains(l))) {
            return Err(InputError::new(
                Code::OutOfRange,
                "first_load",
                format!("A first load of {load} kgm/min isn’t possible. Check the number."),
            ));
        }
        if protocol.beat(&self.conditions).is_some() && self.cadence.is_none() {
            return Err(InputError::new(
                Code::MissingInput,
                "cadence",
                "Choose the beat: with no sex on record the protocol cannot choose it.",
            ));
        }
        Ok(())
    }
}

/// Holds an answer to what its question takes.
///
/// # Errors
/// [`Code::OutOfRange`] on the condition's key, with what to type or choose instead.
pub fn check_answer(protocol: &Protocol, condition: &Condition, answer: &Answer) -> Result<(), InputError> {
    let bad = |message: String| Err(InputError::new(Code::OutOfRange, &condition.key, message));
    match (answer, condition.kind) {
        (Answer::YesNo(_), ConditionKind::YesNo) => {}
        (Answer::Number(n), ConditionKind::Number) => {
            if condition.key == "bench_cm" {
                crate::units::BenchHeight::new(*n).map_err(|e| e.at("bench_cm"))?;
            }
            // A condition that is a reading too is held to what such a reading can be.
            if protocol.input(&condition.key).is_some() {
                check_inputs(protocol, &Inputs::from_iter([(condition.key.clone(), *n)]))?;
            }
            let (from, to) = condition.possible.unwrap_or((0.0, CONDITION_MAX));
            if !(from..=to).contains(n) {
                let (unit, [n, from, to]) = (condition.unit.as_deref().unwrap_or_default(), [*n, from, to].map(|n| rounded(n, 2)));
                return bad(format!("{}: {n} {unit} was typed, and it can be {from} to {to} {unit}. Check the number.", condition.label));
            }
        }
        (Answer::Text(t), ConditionKind::Choice) => {
            if !condition.choices.iter().any(|(key, _)| key == t) {
                return bad(format!("{}: choose one of the answers given.", condition.label));
            }
        }
        (Answer::Text(t), ConditionKind::Text) => {
            crate::text::note(t, &condition.key)?;
        }
        (_, ConditionKind::Number) => {
            return bad(format!("{}: type a number in {}.", condition.label, condition.unit.as_deref().unwrap_or("its unit")));
        }
        _ => return bad(format!("{}: this kind of answer does not fit.", condition.label)),
    }
    Ok(())
}
