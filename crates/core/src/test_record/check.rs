//! Readings held to their protocol: each by itself, all that are needed, and together.

use std::collections::BTreeMap;

use super::flags::rule_values;
use crate::{
    catalogue::{Protocol, Rule},
    clamped,
    error::{Code, InputError},
    inputs::{Inputs, StageInput, Value},
    performed::TestRecord,
    person::Facts,
    units::Bpm,
};

/// Holds readings to the protocol's limits: every key known, every value within them, stages in a possible order.
///
/// # Errors
/// [`Code::UnknownField`] or [`Code::OutOfRange`], naming the key.
pub fn check_inputs(protocol: &Protocol, inputs: &Inputs) -> Result<(), InputError> {
    for (key, value) in inputs {
        let Some(input) = protocol.input(key) else { return Err(unknown(protocol, key)) };
        input.check(value)?;
    }
    if !inputs.stages.is_empty() && !protocol.records_stages() {
        return Err(unknown(protocol, "stages"));
    }
    if !inputs.series.is_empty() && protocol.clamp().is_none() {
        return Err(unknown(protocol, "series"));
    }
    clamped::check_series(&inputs.series)?;
    inputs.stages.iter().enumerate().try_for_each(|(k, stage)| check_stage(k + 1, stage))
}

/// The most a cycle ergometer is loaded with here, kgm/min.
pub const LOAD_MAX: f64 = 3000.0;

fn check_stage(number: usize, stage: &StageInput) -> Result<(), InputError> {
    if !(stage.load_kgm_min.is_finite() && (0.0..=LOAD_MAX).contains(&stage.load_kgm_min)) {
        let message = format!("Stage {number}: a load of {} kgm/min; it must be 0 to {LOAD_MAX}. Check the number.", stage.load_kgm_min);
        return Err(InputError::new(Code::OutOfRange, "stages", message));
    }
    for (minute, bpm) in &stage.readings {
        Bpm::new(*bpm).map_err(|e| InputError::new(e.code, "stages", format!("Stage {number}, minute {minute}: {}", e.message)))?;
    }
    if stage.readings.is_empty() {
        return Err(InputError::new(Code::MissingInput, "stages", format!("Stage {number} has no heart rate: give hr_2 and hr_3.")));
    }
    Ok(())
}

fn unknown(protocol: &Protocol, key: &str) -> InputError {
    let shown: String = key.chars().take(60).collect();
    InputError::new(Code::UnknownField, &shown, format!("{} does not record “{shown}”.", protocol.id))
}

/// Whether everything a test cannot be scored without is there.
pub fn is_complete(protocol: &Protocol, inputs: &Inputs) -> bool {
    check_inputs(protocol, inputs).and_then(|()| check_present(protocol, inputs)).is_ok()
}

/// Holds readings to what a test cannot be scored without: what is required, one of several, as many as they go with.
pub(super) fn check_present(protocol: &Protocol, inputs: &Inputs) -> Result<(), InputError> {
    if let Some(input) = protocol.inputs.iter().find(|i| i.required && inputs.value(&i.key).is_none()) {
        return Err(protocol.missing(&input.key));
    }
    for several in &protocol.any_of {
        if !several.iter().any(|key| inputs.value(key).is_some()) {
            let labels: Vec<&str> = several.iter().filter_map(|key| protocol.input(key)).map(|i| i.label.as_str()).collect();
            let message = format!("Give at least one of these: {}.", labels.join(", "));
            return Err(InputError::new(Code::MissingInput, several.first().map_or("", String::as_str), message));
        }
    }
    for input in &protocol.inputs {
        let Some(other) = input.with.as_deref().and_then(|key| inputs.value(key)) else { continue };
        let Some(value) = inputs.value(&input.key) else { return Err(protocol.missing(&input.key)) };
        let (own, needed) = (value.numbers().len(), other.numbers().len());
        if input.tries.is_some() && own != needed {
            let message = format!("{}: {own} given for {needed} tries. Give one for each.", input.label);
            return Err(InputError::new(Code::BadValue, &input.key, message));
        }
    }
    Ok(())
}

/// Refuses readings that cannot be, together.
pub(super) fn check_possible(record: &TestRecord) -> Result<(), InputError> {
    impossible(record).map_or(Ok(()), |rule| Err(InputError::new(Code::OutOfRange, &rule.field, rule.message.clone())))
}

/// The rule under which the readings of a record cannot be, together.
fn impossible<'p>(record: &TestRecord<'p>) -> Option<&'p Rule> {
    let protocol = record.protocol;
    let holds = |rule: &&Rule| rule_values(rule, protocol.sides(), record, &[]).into_iter().any(|(_, value)| rule.holds(value));
    protocol.refuse.iter().find(holds)
}

/// Holds one more reading to those that were taken before it: a touch is no lower than the standing reach. What needs a fact about the
/// person is held to it where the test is scored.
///
/// # Errors
/// [`Code::OutOfRange`] on the reading.
pub fn check_beside(protocol: &Protocol, taken: Inputs, key: &str, side: Option<&str>, value: &Value) -> Result<(), InputError> {
    let mut inputs = taken;
    let sided = side.map(|side| {
        let mut sides = match inputs.value(key) {
            Some(Value::Sides(sides)) => sides.clone(),
            _ => BTreeMap::new(),
        };
        sides.insert(side.to_owned(), value.clone());
        Value::Sides(sides)
    });
    // Each try by itself: a slip hides behind no better try.
    inputs.insert(key.to_owned(), sided.unwrap_or_else(|| value.clone()));
    impossible(&TestRecord::of(protocol, Facts::default(), &inputs))
        .map_or(Ok(()), |rule| Err(InputError::new(Code::OutOfRange, key, rule.message.clone())))
}
