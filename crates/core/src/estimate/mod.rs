//! The named equations.
//!
//! Each gives a value with its method and its standard error of estimate where one was published, and can show itself
//! with the numbers filled in ([`Equation::working`]). The arithmetic stands in one file per kind of test; this one names
//! the equations and hands a trial to the right one. To add one, add a variant, its arm in [`Equation::compute`] and its
//! words in [`mod@working`].

pub mod cycle;
pub mod field;
mod ride;
pub mod row;
pub mod step;
mod working;

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::Scoring,
    error::{Code, InputError},
    formula::Unknown,
    inputs::{Numbers, Value},
    person::{Facts, Sex},
    trial::{Flag, FlagCode, Trial},
    units::{Age, BodyMass, Height},
};

/// A way of computing a quantity. The kebab-case name is the method stored with a result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Equation {
    /// The protocol's own formula, as data.
    Formula,
    /// Beats in a window to beats a minute. Common practice.
    CountToRate,
    /// A count over a full minute is the rate. Common practice.
    MinuteCount,
    /// The reading itself, as it was taken.
    AsMeasured,
    /// Whole laps and the part of one. Arithmetic.
    LapDistance,
    /// The running speed of a shuttle level. Arithmetic on the protocol's schedule.
    ShuttleSpeed,
    /// The distance up to a shuttle of a level. Arithmetic on the protocol's schedule.
    ShuttleDistance,
    /// The mean over a stage at a clamped heart rate, without its first minute. Source: Lamberts et al. 2011; recalled.
    ClampedMean,
    /// The drop of the heart rate in the minute after the last stage. Source: Lamberts et al. 2011; recalled.
    RecoveryAfterClamp,
    /// VO2max from the recovery heart rate after the 3-minute bench step.
    /// Source: McArdle et al. 1972; recalled.
    #[serde(rename = "mcardle-1972")]
    McArdle1972,
    /// VO2max from the steady heart rate at one cycle load, with the factor for age.
    /// Source: Åstrand & Ryhming 1954, Åstrand 1960; recalled.
    #[serde(rename = "astrand-1960")]
    Astrand1960,
    /// The same from the oxygen cost of stepping. Source: ACSM stepping equation, Åstrand 1960; recalled.
    #[serde(rename = "acsm-step-astrand-1960")]
    AcsmStepAstrand1960,
    /// VO2max from the line through submaximal cycle stages. Source: Golding 2000, ACSM cycling equation; recalled.
    #[serde(rename = "golding-2000")]
    Golding2000,
    /// VO2max from a mile walked. Source: Kline et al. 1987; recalled.
    #[serde(rename = "kline-1987")]
    Kline1987,
    /// VO2max from the distance run in 12 minutes. Source: Cooper 1968; recalled.
    #[serde(rename = "cooper-1968")]
    Cooper1968,
    /// VO2max from 1.5 miles for time. Source: ACSM guidelines; recalled.
    AcsmRun,
    /// VO2max from the last speed of the 20 m shuttle run. Source: Léger et al. 1988; recalled.
    #[serde(rename = "leger-1988")]
    Leger1988,
    /// VO2max from the intermittent shuttle distance, level 1. Source: Bangsbo et al. 2008; recalled.
    #[serde(rename = "bangsbo-2008-level-1")]
    Bangsbo2008Level1,
    /// VO2max from the intermittent shuttle distance, level 2. Source: Bangsbo et al. 2008; recalled.
    #[serde(rename = "bangsbo-2008-level-2")]
    Bangsbo2008Level2,
    /// VO2max from the last speed of the 30-15 interval run. Source: Buchheit 2008; recalled.
    #[serde(rename = "buchheit-2008")]
    Buchheit2008,
    /// VO2max from 2000 m on a rowing ergometer. Source: Hagerman 1984; recalled.
    #[serde(rename = "hagerman-1984")]
    Hagerman1984,
    /// The 2000 m time that a known VO2max suggests. Source: Hagerman 1984; recalled.
    #[serde(rename = "hagerman-1984-inverse")]
    Hagerman1984Inverse,
}

/// One computed quantity.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Estimate {
    /// Unrounded.
    pub value: f64,
    /// The way it was computed.
    pub equation: Equation,
    /// Standard error of estimate as published, in the quantity's unit; absent where none is known.
    pub see: Option<f64>,
}

/// An equation with the numbers in it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Working {
    /// The equation in symbols.
    pub formula: String,
    /// The same with this client's numbers, up to the result.
    pub filled: String,
    /// What the symbols mean.
    pub symbols: String,
}

/// What an equation gives: a number, a standard error where one is known, and what to keep in mind.
pub(crate) struct Found {
    pub(crate) value: f64,
    pub(crate) see: Option<f64>,
    pub(crate) flags: Vec<Flag>,
    pub(crate) line: Option<cycle::StageLine>,
    /// Where it is not the one that was asked: a reading that was there needs no equation.
    pub(crate) equation: Option<Equation>,
}

impl From<f64> for Found {
    fn from(value: f64) -> Self {
        Self { value, see: None, flags: Vec::new(), line: None, equation: None }
    }
}

/// An equation that found nothing: an error, or no value with a flag that says why.
pub(crate) enum Nothing {
    /// Something is missing or impossible.
    Refused(InputError),
    /// The readings allow no estimate; the flag says so.
    Withheld(Flag),
    /// It was not taken, and the test is scored without it.
    LeftOut,
}

impl From<InputError> for Nothing {
    fn from(error: InputError) -> Self {
        Self::Refused(error)
    }
}

impl Equation {
    /// The stable name.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Formula => "formula",
            Self::CountToRate => "count-to-rate",
            Self::MinuteCount => "minute-count",
            Self::AsMeasured => "as-measured",
            Self::LapDistance => "lap-distance",
            Self::ShuttleSpeed => "shuttle-speed",
            Self::ShuttleDistance => "shuttle-distance",
            Self::ClampedMean => "clamped-mean",
            Self::RecoveryAfterClamp => "recovery-after-clamp",
            Self::McArdle1972 => "mcardle-1972",
            Self::Astrand1960 => "astrand-1960",
            Self::AcsmStepAstrand1960 => "acsm-step-astrand-1960",
            Self::Golding2000 => "golding-2000",
            Self::Kline1987 => "kline-1987",
            Self::Cooper1968 => "cooper-1968",
            Self::AcsmRun => "acsm-run",
            Self::Leger1988 => "leger-1988",
            Self::Bangsbo2008Level1 => "bangsbo-2008-level-1",
            Self::Bangsbo2008Level2 => "bangsbo-2008-level-2",
            Self::Buchheit2008 => "buchheit-2008",
            Self::Hagerman1984 => "hagerman-1984",
            Self::Hagerman1984Inverse => "hagerman-1984-inverse",
        }
    }

    /// Whether the value is an estimate of something not measured (and so carries a method and a standard error).
    pub const fn is_estimate(self) -> bool {
        !matches!(
            self,
            Self::Formula
                | Self::CountToRate
                | Self::MinuteCount
                | Self::AsMeasured
                | Self::LapDistance
                | Self::ShuttleSpeed
                | Self::ShuttleDistance
                | Self::ClampedMean
                | Self::RecoveryAfterClamp
        )
    }

    /// Whether the equation holds only for the procedure it was fitted on, so that a copy with other durations, beat or
    /// bench gives no such estimate.
    pub const fn is_fitted_to_procedure(self) -> bool {
        matches!(self, Self::McArdle1972 | Self::Kline1987 | Self::Cooper1968 | Self::AcsmRun | Self::Hagerman1984)
    }

    /// Computes a quantity of a trial. `so_far` holds what the protocol computed before it.
    pub(crate) fn compute(self, scoring: &Scoring, trial: &Trial, so_far: &[(&str, Estimate)]) -> Result<Found, Nothing> {
        let quantity = scoring.quantity.as_str();
        let earlier = |key: &str| so_far.iter().find(|(q, _)| *q == key).map(|(_, e)| e.value);
        Ok(match self {
            Self::Formula => by_formula(scoring, trial, so_far)?.into(),
            Self::CountToRate | Self::MinuteCount => step::recovery_hr(trial.protocol, trial.inputs)?.value().into(),
            Self::AsMeasured => input(trial, quantity)?.into(),
            Self::McArdle1972 => {
                let hr = step::recovery_hr(trial.protocol, trial.inputs)?;
                step::bench_step_vo2max(sex(&trial.facts)?, hr).into()
            }
            Self::LapDistance => field::lap_distance(trial)?.into(),
            Self::ShuttleSpeed => field::shuttle_speed(trial)?.into(),
            Self::ShuttleDistance => field::shuttle_distance(trial)?.into(),
            Self::Astrand1960 => cycle::single_stage(quantity, trial)?,
            Self::AcsmStepAstrand1960 => step::single_stage(quantity, trial)?,
            Self::Golding2000 => cycle::multistage(trial)?,
            Self::Kline1987 => field::mile_walk(trial)?,
            Self::Cooper1968 => field::twelve_minute_run(earlier("distance_m").unwrap_or_default()).into(),
            Self::AcsmRun => field::mile_and_a_half_run(input(trial, "time_s")?).into(),
            Self::Leger1988 => field::shuttle_20m(earlier("speed_kmh").unwrap_or_default(), age(&trial.facts)?).into(),
            Self::Bangsbo2008Level1 => field::shuttle_recovery_1(earlier("distance_m").unwrap_or_default()).into(),
            Self::Bangsbo2008Level2 => field::shuttle_recovery_2(earlier("distance_m").unwrap_or_default()).into(),
            Self::Buchheit2008 => field::interval_30_15(trial, earlier("speed_kmh").unwrap_or_default())?.into(),
            Self::ClampedMean => ride::stage_mean(quantity, trial)?,
            Self::RecoveryAfterClamp => ride::recovery(trial)?,
            Self::Hagerman1984 => row::vo2max(trial, earlier("time_s").unwrap_or_default())?.into(),
            Self::Hagerman1984Inverse => {
                let measured = trial.inputs.get("time_s").is_some();
                Found { equation: measured.then_some(Self::AsMeasured), ..Found::from(row::time_s(trial)?) }
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

/// The values a name of a formula stands for: a reading (of the side that is scored), what was computed before, a fact of
/// the person.
pub(crate) fn named(name: &str, side: Option<&str>, trial: &Trial, so_far: &[(&str, Estimate)]) -> Option<Numbers> {
    let (key, of_side) = name.split_once('.').map_or((name, side), |(key, side)| (key, Some(side)));
    if let Some(value) = trial.inputs.value(key) {
        return match value.of_side(of_side)? {
            // A choice may stand for a number.
            Value::Words(choice) => trial.protocol.input(key)?.numbers.get(choice).map(|n| Numbers::from(*n)),
            value => Some(value.numbers()),
        };
    }
    let earlier = |wanted: &dyn Fn(&str) -> bool| so_far.iter().find(|(q, _)| wanted(q)).map(|(_, e)| Numbers::from(e.value));
    let of = |q: &str, side: &str| q.strip_prefix(name).and_then(|rest| rest.strip_prefix('.')) == Some(side);
    let fact = || {
        let facts = &trial.facts;
        match name {
            "mass_kg" => facts.mass.map(BodyMass::value),
            "height_cm" => facts.height.map(Height::value),
            "age_years" => facts.age.map(Age::value),
            _ => None,
        }
    };
    side.and_then(|s| earlier(&|q| of(q, s))).or_else(|| earlier(&|q| q == name)).or_else(|| fact().map(Numbers::from))
}

fn by_formula(scoring: &Scoring, trial: &Trial, so_far: &[(&str, Estimate)]) -> Result<f64, Nothing> {
    let Some(formula) = scoring.formula_for(trial.facts.sex) else {
        return if scoring.optional {
            Err(Nothing::LeftOut)
        } else {
            Err(sex(&trial.facts).err().unwrap_or_else(|| trial.protocol.missing(&scoring.quantity)).into())
        };
    };
    match formula.value(&|name| named(name, scoring.side.as_deref(), trial, so_far)) {
        Ok(value) => Ok(value),
        Err(_) if scoring.optional => Err(Nothing::LeftOut),
        Err(Unknown::Missing(name)) => Err(missing(&name, trial).into()),
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
fn missing(name: &str, trial: &Trial) -> InputError {
    let fact = match name {
        "mass_kg" => Some((Code::NeedsMass, "body mass", "Weigh the client.")),
        "height_cm" => Some((Code::NeedsHeight, "height", "Measure the client.")),
        "age_years" => Some((Code::NeedsAge, "age", "Record the birth date.")),
        _ => None,
    };
    match fact {
        Some((code, what, then)) => InputError::new(code, name, format!("{} needs the {what}. {then}", trial.protocol.name)),
        None => trial.protocol.missing(name),
    }
}

fn input(trial: &Trial, key: &str) -> Result<f64, InputError> {
    trial.inputs.get(key).ok_or_else(|| trial.protocol.missing(key))
}

fn sex(facts: &Facts) -> Result<Sex, InputError> {
    facts.sex.ok_or_else(|| {
        InputError::new(
            Code::NeedsSex,
            "sex",
            "This equation is printed separately for men and women. Record which of the two applies to see what it gives; what was measured is kept either way.",
        )
    })
}

fn age(facts: &Facts) -> Result<f64, InputError> {
    let missing = || InputError::new(Code::NeedsAge, "age_years", "This equation uses the age. Record the birth date to see VO₂max.");
    Ok(facts.age.ok_or_else(missing)?.value())
}

fn mass(facts: &Facts) -> Result<f64, InputError> {
    let missing = || InputError::new(Code::NeedsMass, "mass_kg", "This equation uses the body mass. Weigh the client to see VO₂max.");
    Ok(facts.mass.ok_or_else(missing)?.value())
}

fn flag(code: FlagCode, field: &str, message: impl Into<String>) -> Flag {
    Flag { code, field: field.to_owned(), message: message.into() }
}

#[cfg(test)]
mod tests {
    use crate::catalogue;

    #[test]
    fn names_are_those_that_are_stored() {
        for equation in catalogue::all().iter().flat_map(|p| &p.scoring).map(|s| s.equation) {
            assert_eq!(serde_json::to_value(equation).unwrap(), equation.name());
        }
    }
}
