//! Which arithmetic stands behind which name, and what the names in a formula stand for.

use super::{Equation, Estimate, Found, Nothing, cycle, field, input, ride, row, sex, step};
use crate::{
    catalogue::Scoring,
    error::{Code, InputError},
    formula::Unknown,
    inputs::{Numbers, Value},
    performed::TestRecord,
    person::Sex,
    units::{Age, BodyMass, Height},
};

impl Equation {
    /// Computes a quantity of a record. `so_far` holds what the protocol computed before it.
    pub(crate) fn compute(self, scoring: &Scoring, record: &TestRecord, so_far: &[(&str, Estimate)]) -> Result<Found, Nothing> {
        let quantity = scoring.quantity.as_str();
        let earlier = |key: &str| so_far.iter().find(|(q, _)| *q == key).map(|(_, e)| e.value);
        if scoring.unless_zero.as_deref().is_some_and(|of| earlier(of) == Some(0.0)) {
            return Err(Nothing::LeftOut);
        }
        Ok(match self {
            Self::Formula => Found { see: scoring.see, ..Found::from(by_formula(scoring, record, so_far)?) },
            Self::CountToRate | Self::MinuteCount => step::recovery_hr(record.protocol, record.inputs)?.value().into(),
            Self::AsMeasured => input(record, quantity)?.into(),
            Self::McArdle1972 => {
                let hr = step::recovery_hr(record.protocol, record.inputs)?;
                step::bench_step_vo2max(sex(&record.facts)?, hr).into()
            }
            Self::LapDistance => field::lap_distance(record)?.into(),
            Self::ShuttleSpeed => field::shuttle_speed(record)?.into(),
            Self::ShuttleDistance => field::shuttle_distance(record)?.into(),
            Self::Astrand1960 => cycle::single_stage(quantity, record)?,
            Self::AcsmStepAstrand1960 => step::single_stage(quantity, record)?,
            Self::Golding2000 => cycle::multistage(record)?,
            Self::ClampedMean => ride::stage_mean(quantity, record)?,
            Self::RecoveryAfterClamp => ride::recovery(record)?,
            Self::Hagerman1984 => row::vo2max(record, earlier("time_s").unwrap_or_default())?.into(),
            Self::Hagerman1984Inverse => {
                let measured = record.inputs.get("time_s").is_some();
                Found { equation: measured.then_some(Self::AsMeasured), ..Found::from(row::time_s(record)?) }
            }
        })
    }

    /// How far the value moves when the recovery heart rate moves by `bpm`, in the quantity's unit; nothing for
    /// equations that do not rest on one.
    pub fn moves_by(self, bpm: f64, sex: Sex) -> Option<f64> {
        match self {
            Self::CountToRate | Self::MinuteCount => Some(bpm),
            Self::McArdle1972 => Some(step::bench_step_line(sex).1 * bpm),
            _ => None,
        }
    }
}

/// The values a name of a formula stands for: what was computed of a side that it names (the best of its tries, not the tries),
/// what was worked out of laps or of a schedule, a reading (of the side that is scored), what was computed before, a fact of the person.
pub(crate) fn named(name: &str, side: Option<&str>, record: &TestRecord, so_far: &[(&str, Estimate)]) -> Option<Numbers> {
    let is_settled = |equation: Equation| name.contains('.') || !matches!(equation, Equation::Formula | Equation::AsMeasured);
    if let Some((_, scored)) = so_far.iter().find(|(q, e)| *q == name && is_settled(e.equation)) {
        return Some(Numbers::from(scored.value));
    }
    let (key, of_side) = name.split_once('.').map_or((name, side), |(key, side)| (key, Some(side)));
    if let Some(value) = record.inputs.value(key) {
        return match value.of_side(of_side)? {
            // A choice may stand for a number.
            Value::Words(choice) => record.protocol.input(key)?.numbers.get(choice).map(|n| Numbers::from(*n)),
            value => Some(value.numbers()),
        };
    }
    let earlier = |wanted: &dyn Fn(&str) -> bool| so_far.iter().find(|(q, _)| wanted(q)).map(|(_, e)| Numbers::from(e.value));
    let of = |q: &str, side: &str| q.strip_prefix(name).and_then(|rest| rest.strip_prefix('.')) == Some(side);
    let fact = || {
        let facts = &record.facts;
        match name {
            "mass_kg" => facts.mass.map(BodyMass::value),
            "height_cm" => facts.height.map(Height::value),
            "age_years" => facts.age.map(Age::value),
            _ => None,
        }
    };
    side.and_then(|s| earlier(&|q| of(q, s))).or_else(|| earlier(&|q| q == name)).or_else(|| fact().map(Numbers::from))
}

fn by_formula(scoring: &Scoring, record: &TestRecord, so_far: &[(&str, Estimate)]) -> Result<f64, Nothing> {
    let Some(formula) = scoring.formula_for(record.facts.sex) else {
        return if scoring.optional {
            Err(Nothing::LeftOut)
        } else {
            Err(sex(&record.facts).err().unwrap_or_else(|| record.protocol.missing(&scoring.quantity)).into())
        };
    };
    match formula.value(&|name| named(name, scoring.side.as_deref(), record, so_far)) {
        Ok(value) => Ok(value),
        Err(_) if scoring.optional => Err(Nothing::LeftOut),
        Err(Unknown::Missing(name)) => Err(missing(&name, record).into()),
        Err(Unknown::Undefined) => {
            let message = format!(
                "{} cannot be computed from these readings. Check them.",
                crate::text::capital(&crate::quantity::label(&scoring.quantity))
            );
            Err(InputError::new(Code::NotApplicable, &scoring.quantity, message).into())
        }
    }
}

/// What a formula lacks: a fact of the person, or a reading.
fn missing(name: &str, record: &TestRecord) -> InputError {
    let fact = match name {
        "mass_kg" => Some((Code::NeedsMass, "body mass", "Weigh the client.")),
        "height_cm" => Some((Code::NeedsHeight, "height", "Measure the client.")),
        "age_years" => Some((Code::NeedsAge, "age", "Record the birth date.")),
        _ => None,
    };
    match fact {
        Some((code, what, then)) => InputError::new(code, name, format!("{} needs the {what}. {then}", record.protocol.name)),
        None => record.protocol.missing(name),
    }
}
