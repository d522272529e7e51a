//! What to keep in mind about a result: rules of the protocol, whom an equation and a table were made from, the circumstances.

use crate::{
    catalogue::Protocol,
    error::{Code, InputError},
    estimate::{Estimate, compute::named},
    inputs::Inputs,
    norms::Standing,
    performed::{Flag, FlagCode, TestRecord},
    person::Facts,
    units::rounded,
};

/// What a rule looks at, with its side; nothing where something it needs was not taken.
pub(super) fn rule_values<'s>(
    rule: &crate::catalogue::Rule,
    sides: &'s [String],
    record: &TestRecord,
    so_far: &[(&str, Estimate)],
) -> Vec<(Option<&'s str>, f64)> {
    let value = |side: Option<&'s str>| Some((side, rule.value.value(&|name| named(name, side, record, so_far)).ok()?));
    if rule.each_side { sides.iter().filter_map(|side| value(Some(side))).collect() } else { value(None).into_iter().collect() }
}

pub(super) fn flags_of(rules: &[crate::catalogue::Rule], record: &TestRecord, results: &[(&str, Estimate)]) -> Vec<Flag> {
    let sides = record.protocol.sides();
    let mut flags = Vec::new();
    for rule in rules {
        let Some(code) = rule.code else { continue };
        for (side, _) in rule_values(rule, sides, record, results).into_iter().filter(|(_, v)| rule.holds(*v)) {
            let field = side.map_or_else(|| rule.field.clone(), |side| format!("{}.{side}", rule.field));
            let message = side.map_or_else(|| rule.message.clone(), |side| rule.message.replace("{side}", side));
            flags.push(Flag { code, field, message });
        }
    }
    flags
}

/// Two quantities of one reading raise the same flag: said once.
pub(super) fn once_each(flags: Vec<Flag>) -> Vec<Flag> {
    let mut kept: Vec<Flag> = Vec::with_capacity(flags.len());
    for flag in flags {
        if !kept.contains(&flag) {
            kept.push(flag);
        }
    }
    kept
}

/// An equation fitted on other ages than the client's.
pub(super) fn fitted_flag(scoring: &crate::catalogue::Scoring, facts: &Facts) -> Option<Flag> {
    let (min, max) = scoring.fitted_ages?;
    let age = facts.age?.value();
    (!(min..=max).contains(&age)).then(|| Flag {
        code: FlagCode::OutsidePopulation,
        field: "age_years".into(),
        message: format!(
            "The equation was fitted on people of {} to {}; this client is {}. Read the estimate as a rough guide only.",
            rounded(min, 0),
            rounded(max, 0),
            rounded(age, 0)
        ),
    })
}

pub(super) fn population_flag(quantity: &str, standing: &Standing, field: &str, facts: &Facts) -> Flag {
    let client = match (field, facts.age) {
        ("sex", _) => "no sex is on record".to_owned(),
        (_, Some(age)) => format!("this client is {}", age.value()),
        (_, None) => "no age is on record".to_owned(),
    };
    let consequence = if standing.percentile.is_some() || standing.bound.is_some() || standing.mean.is_some() {
        "read the percentile as a rough guide only"
    } else {
        "so it gives no standing"
    };
    Flag {
        code: FlagCode::OutsidePopulation,
        field: field.to_owned(),
        message: format!(
            "The table for {} describes {}; {client}, {consequence}.",
            crate::quantity::label(quantity),
            standing.table.population
        ),
    }
}

/// A measured maximum below a heart rate that was read: one of the two is wrong.
pub fn above_maximum(protocol: &Protocol, inputs: &Inputs, facts: &Facts) -> Option<InputError> {
    let maximum = facts.hr_max?.value();
    let of_stages = inputs.stages.iter().flat_map(|s| s.readings.iter().map(|(_, bpm)| *bpm));
    let read = protocol.inputs.iter().filter(|i| i.unit == "bpm").filter_map(|i| inputs.get(&i.key));
    let highest = of_stages.chain(read).reduce(f64::max).filter(|bpm| *bpm > maximum)?;
    Some(InputError::new(
        Code::OutOfRange,
        "hr_max",
        format!(
            "A heart rate of {} bpm was read, above the measured maximum of {} bpm. Correct the one that is wrong.",
            rounded(highest, 0),
            rounded(maximum, 0)
        ),
    ))
}

pub(super) fn circumstance_flags(record: &TestRecord) -> Vec<Flag> {
    let mut flags = Vec::new();
    let mut add = |code, field: &str, message: String| flags.push(Flag { code, field: field.to_owned(), message });
    if let Some(error) = above_maximum(record.protocol, record.inputs, &record.facts) {
        add(FlagCode::MaximumTooLow, "hr_max", error.message);
    }
    if let (Some(bench), Some(rule)) = (record.inputs.get("bench_cm"), record.protocol.condition("bench_cm"))
        && let Some(expected) = rule.expected_for(record.facts.sex)
        && (bench - expected).abs() > rule.tolerance.unwrap_or(0.0)
    {
        add(
            FlagCode::BenchDiffers,
            "bench_cm",
            format!(
                "The bench was {bench} cm high, the protocol's is {expected} cm, so the estimate is not exact. Compare only with tests on the same bench."
            ),
        );
    }
    if record.circumstances.warm_up == Some(false) {
        add(
            FlagCode::WarmUpMissing,
            "warm_up",
            "No warm-up: the recovery count comes out too low and the estimate several mL/kg/min too high. Compare with no other test."
                .into(),
        );
    }
    if record.circumstances.heart_rate_drug && record.protocol.uses_heart_rate {
        add(
            FlagCode::HeartRateDrug,
            "heart_rate_drug",
            "A medicine that lowers the heart rate makes estimates from heart rate invalid. Use a test that does not need heart rate."
                .into(),
        );
    }
    flags
}
