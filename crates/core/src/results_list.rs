//! A list of results: names × readings of a test, as a spreadsheet or a paper sheet has them. What can be typed into which column, and how
//! the tries of a column become the readings of a test and back.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::{Input, InputKind, Procedure, Protocol, Signs, Usual},
    conditions::Conditions,
    error::{Code, InputError},
    inputs::{Inputs, Value},
};

/// The most tests of people that are taken in at once.
pub const RESULTS_MAX: usize = 5_000;
/// The most tries of one reading.
pub const TRIES_MAX: usize = 20;

/// One reading of a test, of one side.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ListColumn {
    pub input: String,
    pub side: Option<String>,
    /// What it is called.
    pub label: String,
    /// Unit as it is kept.
    pub unit: String,
    /// How many tries it takes at the most.
    pub tries: u8,
    /// Whether the test says nothing without it.
    pub required: bool,
    /// What lies on either side of its zero.
    pub signs: Option<Signs>,
    /// From which to which value is usual.
    pub usual: Option<Usual>,
}

/// What stands in a column for somebody.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ReadingTries {
    pub input: String,
    #[serde(default)]
    pub side: Option<String>,
    /// In the order in which they were done, in the input's unit; nothing for a try that did not count.
    pub tries: Vec<Option<f64>>,
}

impl Protocol {
    /// Whether its results can stand in a list: numbers, and nothing else that it cannot do without.
    pub fn suits_list(&self) -> bool {
        let is_listed = |i: &Input| !i.required || i.kind == InputKind::Number || self.condition(&i.key).is_some();
        !self.records_stages() && !matches!(self.procedure, Procedure::ClampedHeartRate(_)) && self.inputs.iter().all(is_listed)
    }

    /// Whether these conditions leave a reading to be taken: of several ways to count, one may have been agreed on.
    pub fn is_agreed(&self, input: &Input, conditions: &Conditions) -> bool {
        let agreed = self.legs().iter().filter(|leg| leg.take.inputs().contains(&input.key.as_str()));
        agreed.filter_map(|leg| leg.take.agreed(conditions)).all(|agreed| agreed == input.key)
    }

    /// Whether a reading is taken where a test is done under these conditions with these readings on request.
    pub fn is_asked(&self, input: &Input, conditions: &Conditions, takes: &[String]) -> bool {
        let holds = input.when.as_ref().is_none_or(|w| w.holds(conditions));
        self.is_agreed(input, conditions) && holds && input.is_taken(takes) && !conditions.contains_key(&input.key)
    }
}

/// The columns of a test that is done under these conditions with these readings on request.
pub fn columns(protocol: &Protocol, conditions: &Conditions, takes: &[String]) -> Vec<ListColumn> {
    if !protocol.suits_list() {
        return Vec::new();
    }
    let numbers = protocol.inputs.iter().filter(|i| i.kind == InputKind::Number && !i.inverse && protocol.condition(&i.key).is_none());
    // What is said with each of its tries is no number: such a reading is taken on the floor.
    let is_alone = |i: &&Input| !protocol.inputs.iter().any(|o| o.with.as_ref() == Some(&i.key) && o.kind != InputKind::Number);
    let numbers = numbers.filter(is_alone);
    let mut all = Vec::new();
    for input in numbers.filter(|i| protocol.is_asked(i, conditions, takes)) {
        let sides = if input.sides.is_empty() { vec![None] } else { input.sides.iter().cloned().map(Some).collect() };
        all.extend(sides.into_iter().map(|side| ListColumn {
            input: input.key.clone(),
            label: side.as_ref().map_or_else(|| input.label.clone(), |side| format!("{}, {side}", input.label)),
            side,
            unit: input.unit.clone(),
            tries: input.tries.unwrap_or(1),
            required: input.required,
            signs: input.signs_under(conditions).cloned(),
            usual: input.usual,
        }));
    }
    all
}

/// The readings that the columns of somebody make.
///
/// # Errors
/// [`Code::UnknownField`] for a column the test does not have, [`Code::OutOfRange`] for more tries than it takes.
pub fn inputs(protocol: &Protocol, typed: &[ReadingTries]) -> Result<BTreeMap<String, Value>, InputError> {
    let mut inputs = BTreeMap::new();
    let mut sided: BTreeMap<&str, BTreeMap<String, Value>> = BTreeMap::new();
    for column in typed.iter().filter(|c| !c.tries.is_empty()) {
        let Some(input) = protocol.input(&column.input).filter(|i| i.kind == InputKind::Number) else {
            return Err(InputError::new(Code::UnknownField, &column.input, format!("{} has no “{}”.", protocol.name, column.input)));
        };
        let most = usize::from(input.tries.unwrap_or(1)).min(TRIES_MAX);
        if column.tries.len() > most {
            let message = format!("{}: {} tries stand here; {most} is the most.", input.label, column.tries.len());
            return Err(InputError::new(Code::OutOfRange, &input.key, message));
        }
        let value = match column.tries.as_slice() {
            [Some(one)] if input.tries.is_none() => Value::Number(*one),
            // One that does not count says nothing where there is but one.
            [None] if input.tries.is_none() => continue,
            tries => Value::Tries(tries.to_vec()),
        };
        match &column.side {
            Some(side) => {
                sided.entry(&input.key).or_default().insert(side.clone(), value);
            }
            None => {
                inputs.insert(input.key.clone(), value);
            }
        }
    }
    for (key, sides) in sided {
        inputs.insert(key.to_owned(), Value::Sides(sides));
    }
    Ok(inputs)
}

/// The tries of a column in the readings of a test; none where it has none.
pub fn tries(column: &ListColumn, inputs: &Inputs) -> Vec<Option<f64>> {
    match inputs.value(&column.input).and_then(|v| v.of_side(column.side.as_deref())) {
        Some(Value::Tries(tries)) => tries.clone(),
        Some(value) => value.number().map(Some).into_iter().collect(),
        None => Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{catalogue, conditions::Answer};
    use proptest::prelude::*;

    fn of(id: &str) -> &'static Protocol {
        catalogue::find(id).unwrap()
    }

    fn labels(id: &str, conditions: &Conditions) -> Vec<String> {
        columns(of(id), conditions, &[]).into_iter().map(|c| c.label).collect()
    }

    #[test]
    fn columns_are_numbers_by_side_and_only_those_that_are_asked() {
        assert_eq!(labels("one-leg-stance", &Conditions::new()).len(), 2);
        let toes = Conditions::from([("style".into(), Answer::Text("toes".into()))]);
        assert_eq!(labels("push-up", &toes).len(), 1, "the agreed style is the only one");
        assert!(!of("toe-touch-squat").suits_list(), "points are no numbers");
        assert!(of("run-12min").suits_list(), "a run is typed afterwards");
        assert!(catalogue::all().iter().filter(|p| p.suits_list()).count() > 40);
    }

    #[test]
    fn tries_become_readings() {
        let jump = of("vertical-jump");
        let column = columns(jump, &Conditions::new(), &[]).into_iter().find(|c| c.tries > 1).unwrap();
        let typed = |tries: &[Option<f64>]| ReadingTries { input: column.input.clone(), side: None, tries: tries.to_vec() };
        let read = inputs(jump, &[typed(&[Some(281.0), None, Some(284.0)])]).unwrap();
        assert_eq!(read.get(&column.input), Some(&Value::Tries(vec![Some(281.0), None, Some(284.0)])));
        let many = inputs(jump, &[typed(&[Some(1.0); 12])]).unwrap_err();
        assert_eq!((many.code, many.field.as_deref()), (Code::OutOfRange, Some(column.input.as_str())));
        let unknown = ReadingTries { input: "nothing".into(), side: None, tries: vec![Some(1.0)] };
        assert_eq!(inputs(jump, &[unknown]).unwrap_err().code, Code::UnknownField);
    }

    proptest! {
        /// What a list holds is what comes out of it again, for every test that suits one.
        #[test]
        fn a_list_and_its_readings_are_inverse(nth in 0usize..400, values in prop::collection::vec(prop::option::weighted(0.9, 0.0f64..500.0), 40)) {
            let all: Vec<&Protocol> = catalogue::all().iter().filter(|p| p.suits_list()).collect();
            let protocol = all[nth % all.len()];
            let columns = columns(protocol, &Conditions::new(), &[]);
            let mut next = values.into_iter().cycle();
            let typed: Vec<ReadingTries> = columns.iter().map(|c| {
                let tries: Vec<Option<f64>> = next.by_ref().take(usize::from(c.tries)).collect();
                // A lone try that does not count is no reading.
                let tries = if tries == [None] && c.tries == 1 { Vec::new() } else { tries };
                ReadingTries { input: c.input.clone(), side: c.side.clone(), tries }
            }).collect();
            let read: Inputs = inputs(protocol, &typed).unwrap().into_iter().collect();
            for (column, typed) in columns.iter().zip(&typed) {
                prop_assert_eq!(&tries(column, &read), &typed.tries);
            }
        }
    }
}
