//! One finished test in; results, norms and flags out.
//!
//! The same computation serves the batch interface, a live run and a result typed in afterwards.

mod check;
mod flags;

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};

use crate::{
    catalogue::Protocol,
    conditions::{Answer, Conditions},
    error::{Code, InputError},
    estimate::{Equation, Estimate, Nothing, StageLine},
    norms::{self, Standing},
    person::{Facts, age_on},
    quantity, self_report,
    units::rounded,
};
pub use crate::{
    inputs::Inputs,
    performed::{Circumstances, Flag, FlagCode, Options, TestRecord},
};

pub use self::{
    check::{LOAD_MAX, check_beside, check_inputs, is_complete},
    flags::above_maximum,
};
use self::{
    check::{check_possible, check_present},
    flags::{circumstance_flags, fitted_flag, flags_of, once_each, population_flag},
};

/// What a record gives.
#[derive(Debug, Clone, PartialEq)]
pub struct Outcome<'a> {
    /// Quantities in the protocol's order.
    pub results: Vec<(&'a str, Estimate)>,
    /// Quantities that could not be computed, and why.
    pub refused: Vec<(&'a str, InputError)>,
    /// Where each quantity stands.
    pub norms: Vec<(&'a str, Standing)>,
    /// Marks that hold here, passed or not.
    pub passes: Vec<(&'a str, Pass)>,
    /// What to keep in mind.
    pub flags: Vec<Flag>,
    /// The extrapolation of a multistage test.
    pub line: Option<StageLine>,
}

/// A mark and whether it is passed.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Pass {
    /// In the quantity's unit.
    pub mark: f64,
    /// Whether the value reaches it.
    pub met: bool,
}

/// The age of a person on a day: given, or from the birth date.
///
/// # Errors
/// As [`age_on`].
pub fn age(
    given: Option<crate::units::Age>,
    born: Option<NaiveDate>,
    on: Option<NaiveDate>,
) -> Result<Option<crate::units::Age>, InputError> {
    match (given, born, on) {
        (Some(age), ..) => Ok(Some(age)),
        (None, Some(born), Some(on)) => age_on(born, on).map(Some),
        _ => Ok(None),
    }
}

/// Computes a record. An estimate outside what a human can have is no result: it stands in [`Outcome::refused`] with what rests on it.
///
/// # Errors
/// As [`compute_as_given`].
pub fn compute<'a>(record: &TestRecord<'a>) -> Result<Outcome<'a>, InputError> {
    let mut outcome = compute_as_given(record)?;
    let impossible = outcome.results.iter().find_map(|(q, e)| Some((*q, no_humans(q, e.value)?)));
    if let Some((quantity, error)) = impossible {
        let rests_on_it = |q: &str| q == quantity || q == "vo2max_l_min";
        outcome.results.retain(|(q, _)| !rests_on_it(q));
        outcome.norms.retain(|(q, _)| !rests_on_it(q));
        outcome.passes.retain(|(q, _)| !rests_on_it(q));
        outcome.line = None;
        outcome.refused.push((quantity, error));
    }
    outcome.flags.extend(flags_of(&record.protocol.notable, record, &outcome.results));
    for used in record.protocol.norms.iter().filter(|n| n.flag_below) {
        let below = outcome.flags.iter_mut().find(|f| f.code == FlagCode::BelowRange && f.field == used.quantity);
        if let (Some(flag), Some(goes_with)) = (below, &used.below_goes_with) {
            flag.message = format!("{} {goes_with}", flag.message);
        }
    }
    Ok(outcome)
}

/// Computes a record, whatever the equations give: for a batch, whose reader judges the numbers.
///
/// # Errors
/// What [`check_inputs`] refuses; [`Code::MissingInput`] where a reading is absent; [`Code::OutOfRange`] where readings are
/// impossible or contradict each other. A quantity that needs a fact not on record stands in [`Outcome::refused`] instead.
pub fn compute_as_given<'a>(record: &TestRecord<'a>) -> Result<Outcome<'a>, InputError> {
    let protocol = record.protocol;
    check_inputs(protocol, record.inputs)?;
    check_present(protocol, record.inputs)?;
    check_possible(record)?;
    let mut outcome = Outcome {
        results: Vec::with_capacity(protocol.scoring.len()),
        refused: Vec::new(),
        norms: Vec::new(),
        passes: Vec::new(),
        flags: Vec::new(),
        line: None,
    };
    for scoring in &protocol.scoring {
        match scoring.equation.compute(scoring, record, &outcome.results) {
            Ok(found) => {
                let estimate = Estimate { value: found.value, equation: found.equation.unwrap_or(scoring.equation), see: found.see };
                outcome.results.push((&scoring.quantity, estimate));
                outcome.flags.extend(found.flags);
                outcome.line = found.line.or(outcome.line);
            }
            Err(Nothing::LeftOut) => continue,
            // It rests on a quantity that was refused: said once.
            Err(Nothing::Refused(error)) if outcome.refused.iter().any(|(q, _)| *q == error.field.as_deref().unwrap_or_default()) => {
                continue;
            }
            Err(Nothing::Withheld(flag)) => outcome.flags.push(flag),
            Err(Nothing::Refused(error)) if is_a_fact(error.code) => outcome.refused.push((&scoring.quantity, error)),
            Err(Nothing::Refused(error)) => return Err(error),
        }
        outcome.flags.extend(fitted_flag(scoring, &record.facts));
    }
    if let (true, true, Some(input)) =
        (outcome.results.is_empty(), outcome.refused.is_empty() && outcome.flags.is_empty(), protocol.inputs.first())
    {
        return Err(protocol.missing(&input.key));
    }
    outcome.flags.extend(flags_of(&record.protocol.flags, record, &outcome.results));
    outcome.flags = once_each(outcome.flags);
    compare_with_tables(record, &mut outcome);
    for pass in protocol.pass.iter().filter(|p| p.when.iter().all(|w| w.holds(record.inputs))) {
        let lower_is_better = quantity::lower_is_better(&pass.quantity);
        for (quantity, found) in outcome.results.iter().filter(|(q, _)| is_of(q, &pass.quantity)) {
            let merit = if lower_is_better { pass.mark - found.value } else { found.value - pass.mark };
            let met = if pass.beyond { merit > 0.0 } else { merit >= 0.0 };
            outcome.passes.push((quantity, Pass { mark: pass.mark, met }));
        }
    }
    outcome.flags.extend(circumstance_flags(record));
    Ok(outcome)
}

/// Silences the tables of which the protocol was not kept: another weight, another chair. `conditions`: how it was done.
pub fn hold_to_protocol(outcome: &mut Outcome, protocol: &Protocol, conditions: &Conditions, facts: &Facts) {
    for used in &protocol.norms {
        let differs = |key: &String| {
            let condition = protocol.condition(key)?;
            let (asked, Some(Answer::Number(was))) = (condition.expected_for(facts.sex)?, conditions.get(key)) else { return None };
            ((was - asked).abs() > condition.tolerance.unwrap_or(0.0)).then_some((condition, asked, *was))
        };
        let Some((condition, asked, was)) = used.kept.iter().find_map(differs) else { continue };
        outcome.norms.retain(|(q, _)| *q != used.quantity);
        outcome.flags.retain(|f| f.code != FlagCode::BelowRange || f.field != used.quantity);
        let unit = condition.unit.as_deref().unwrap_or_default();
        outcome.flags.push(Flag {
            code: FlagCode::NotAsAsked,
            field: condition.key.clone(),
            message: format!(
                "Not compared with the norms: they use a {} of {} {unit}, and this test used {} {unit}.",
                condition.label.to_lowercase(),
                rounded(asked, 1),
                rounded(was, 1)
            ),
        });
    }
    hold_apart(outcome, conditions);
}

/// A self-reported result stands among no norms, which are made of measured ones, unless the coach said so.
fn hold_apart(outcome: &mut Outcome, conditions: &Conditions) {
    if !self_report::is_apart(conditions) {
        return;
    }
    outcome.norms.clear();
    outcome.flags.retain(|f| f.code != FlagCode::BelowRange);
    outcome.flags.push(Flag {
        code: FlagCode::NotAsAsked,
        field: self_report::KEY.to_owned(),
        message: "Self-reported: not compared with norms or with measured results.".to_owned(),
    });
}

/// What a human can have of a VO2max, mL/kg/min: the highest that were ever measured lie in the nineties, and under 5 nobody stands.
/// Common practice, from memory.
pub const HUMAN_VO2MAX: std::ops::RangeInclusive<f64> = 5.0..=100.0;

/// An estimate outside what a human can have is no result.
fn no_humans(quantity: &str, value: f64) -> Option<InputError> {
    (quantity == "vo2max" && !HUMAN_VO2MAX.contains(&value)).then(|| {
        let message = format!(
            "These readings give a VO₂max of {} mL/kg/min, which isn’t possible. Check each reading and its unit.",
            quantity::shown("vo2max", value)
        );
        InputError::new(Code::OutOfRange, quantity, message)
    })
}

/// Whether a result is the quantity, or one of its two sides.
fn is_of(result: &str, quantity: &str) -> bool {
    result == quantity || result.split_once('.').is_some_and(|(of, side)| of == quantity && side != "difference")
}

/// Puts the standing in every table that holds here.
fn compare_with_tables<'a>(record: &TestRecord<'a>, outcome: &mut Outcome<'a>) {
    for used in record.protocol.norms.iter().filter(|n| n.when.iter().all(|w| w.holds(record.inputs))) {
        if used.sex.is_some() && used.sex != record.facts.sex {
            continue;
        }
        let Some(table) = norms::table(&used.table) else { continue };
        let merit = |value: f64| if table.lower_is_better() { -value } else { value };
        let found = if used.better_side {
            let sides = outcome.results.iter().filter(|(q, _)| *q != used.quantity && is_of(q, &used.quantity));
            sides.copied().reduce(|best, other| if merit(other.1.value) > merit(best.1.value) { other } else { best })
        } else {
            outcome.results.iter().find(|(q, _)| *q == used.quantity).copied()
        };
        let Some((quantity, estimate)) = found else { continue };
        let standing = table.standing(estimate.value, &record.facts);
        if let Some(field) = standing.mismatch {
            outcome.flags.push(population_flag(quantity, &standing, field, &record.facts));
        }
        if let Some(range) = standing.range.filter(|r| used.flag_below && r.place == norms::Band::Below) {
            outcome.flags.push(Flag {
                code: FlagCode::BelowRange,
                field: quantity.to_owned(),
                message: format!(
                    "Below the middle half of {}, which begins at {}. It is worth working on and talking about.",
                    table.population_for(&record.facts),
                    rounded(range.low, 1)
                ),
            });
        }
        outcome.norms.push((quantity, standing));
    }
}

/// Whether a refusal is about the person on record and not about the test.
const fn is_a_fact(code: Code) -> bool {
    matches!(code, Code::NeedsSex | Code::NeedsAge | Code::NeedsMass | Code::NeedsHeight | Code::NotApplicable)
}

impl Outcome<'_> {
    /// The estimate of a quantity.
    pub fn result(&self, quantity: &str) -> Option<Estimate> {
        self.results.iter().find(|(q, _)| *q == quantity).map(|(_, e)| *e)
    }

    /// The equation that gives a quantity, computed or refused.
    pub fn equation(&self, quantity: &str) -> Option<Equation> {
        self.result(quantity).map(|e| e.equation)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{catalogue, person::Sex, units::Age};
    use test_case::test_case;

    fn inputs(pairs: &[(&str, f64)]) -> Inputs {
        pairs.iter().map(|(k, v)| ((*k).to_owned(), *v)).collect()
    }

    fn man_of(age: f64) -> Facts {
        Facts { sex: Some(Sex::Male), age: Some(Age::new(age).unwrap()), ..Facts::default() }
    }

    #[track_caller]
    fn run(id: &str, facts: Facts, given: &[(&str, f64)], circumstances: Circumstances) -> Result<Outcome<'static>, InputError> {
        let options = Options::default();
        compute(&TestRecord {
            protocol: catalogue::find(id).unwrap(),
            facts,
            inputs: Box::leak(Box::new(inputs(given))),
            options,
            circumstances,
        })
    }

    /// What a coach reads and a batch does not: limits of common practice, what a low score goes with.
    #[test]
    fn ratios_of_the_trunk_are_judged_and_a_low_chair_stand_is_told_what_it_goes_with() {
        let trunk = catalogue::find("trunk-endurance").unwrap();
        let inputs = |flexor: f64, extensor: f64, side: f64| -> Inputs {
            serde_json::from_value(serde_json::json!({
                "side_s": { "left": side, "right": side }, "flexor_s": flexor, "extensor_s": extensor
            }))
            .unwrap()
        };
        let said = |inputs: &Inputs| -> Vec<String> {
            let outcome = compute(&TestRecord::of(trunk, man_of(31.0), inputs)).unwrap();
            outcome.flags.iter().filter(|f| f.code == FlagCode::Notable).map(|f| f.field.clone()).collect()
        };
        assert_eq!(said(&inputs(120.0, 104.0, 66.0)), ["ratio_flexor_extensor"]);
        assert_eq!(said(&inputs(80.0, 100.0, 76.0)), ["ratio_side_extensor.right", "ratio_side_extensor.left"]);
        assert!(said(&inputs(100.0, 100.0, 75.0)).is_empty(), "at the limit nothing is said");
        let as_given = inputs(120.0, 104.0, 66.0);
        let batch = compute_as_given(&TestRecord::of(trunk, man_of(31.0), &as_given)).unwrap();
        assert!(batch.flags.iter().all(|f| f.code != FlagCode::Notable));

        let woman = Facts { sex: Some(Sex::Female), age: Age::new(74.0).ok(), ..Facts::default() };
        let chair = catalogue::find("chair-stand-30s").unwrap();
        let told = |reps: f64| {
            let inputs = Inputs::from_iter([("reps", reps)]);
            let outcome = compute(&TestRecord::of(chair, woman, &inputs)).unwrap();
            outcome.flags.into_iter().find(|f| f.code == FlagCode::BelowRange).map(|f| f.message)
        };
        assert!(told(6.0).unwrap().ends_with("A doctor or physiotherapist can look at it and say what helps."));
        assert_eq!(told(14.0), None);
    }

    #[test]
    fn a_table_is_silent_where_its_protocol_was_not_kept() {
        let curl = catalogue::find("arm-curl-30s").unwrap();
        let inputs = Inputs::from_iter([("reps", 16.0)]);
        let facts = Facts { sex: Some(Sex::Male), age: Age::new(78.0).ok(), ..Facts::default() };
        let with = |kg: f64| {
            let mut outcome = compute(&TestRecord::of(curl, facts, &inputs)).unwrap();
            let conditions = [("weight_kg".to_owned(), Answer::Number(kg))].into();
            hold_to_protocol(&mut outcome, curl, &conditions, &facts);
            (outcome.norms.len(), outcome.flags.iter().any(|f| f.code == FlagCode::NotAsAsked))
        };
        assert_eq!(with(3.6), (1, false));
        assert_eq!(with(2.3), (0, true), "a man with the women’s weight");
    }

    #[test]
    fn an_estimate_that_no_human_has_is_no_result_but_a_number_in_a_batch() {
        // 2.2 typed for 2200 m.
        let protocol = catalogue::find("run-12min").unwrap();
        let inputs = Inputs::from_iter([("distance_m", 2.2)]);
        let record = TestRecord::of(protocol, Facts::default(), &inputs);
        let outcome = compute(&record).unwrap();
        assert!(outcome.result("vo2max").is_none() && outcome.norms.iter().all(|(q, _)| *q != "vo2max"));
        assert!(outcome.refused[0].1.message.contains("isn’t possible"), "{:?}", outcome.refused);
        assert!(compute_as_given(&record).unwrap().result("vo2max").unwrap().value < 0.0);
    }

    #[test]
    fn the_bench_step_gives_rate_estimate_and_two_standings() {
        let outcome = run("bench-step-3min", man_of(36.0), &[("pulse_count", 28.0), ("bench_cm", 41.3)], Circumstances::default()).unwrap();
        assert_eq!(outcome.result("recovery_hr").unwrap().value, 112.0);
        assert!((outcome.result("vo2max").unwrap().value - 64.29).abs() < 1e-9);
        let tables: Vec<_> = outcome.norms.iter().map(|(q, s)| (*q, s.table.id)).collect();
        assert_eq!(tables, [("vo2max", "vo2max-percentiles-treadmill"), ("recovery_hr", "bench-step-percentiles")]);
        assert_eq!(outcome.flags.iter().map(|f| f.code).collect::<Vec<_>>(), [FlagCode::OutsidePopulation]);
        assert!(outcome.flags[0].message.contains("this client is 36"), "{}", outcome.flags[0].message);
    }

    #[test]
    fn without_sex_the_rate_is_kept_and_the_estimate_refused() {
        let outcome = run("bench-step-3min", Facts::default(), &[("pulse_count", 28.0)], Circumstances::default()).unwrap();
        assert_eq!(outcome.results.len(), 1);
        assert_eq!(outcome.refused[0].1.code, Code::NeedsSex);
    }

    #[test_case(&[("pulse_count", 3.0)], Code::OutOfRange, "pulse_count"; "three beats")]
    #[test_case(&[("pulse_count", 90.0)], Code::OutOfRange, "pulse_count"; "ninety beats")]
    #[test_case(&[("pulse_count", 28.0), ("bench_cm", 400.0)], Code::OutOfRange, "bench_cm"; "a bench of four metres")]
    #[test_case(&[("pulse_count", 28.0), ("grip", 3.0)], Code::UnknownField, "grip"; "a reading of another test")]
    #[test_case(&[("bench_cm", 41.3)], Code::MissingInput, "pulse_count"; "no reading")]
    #[test_case(&[("pulse_count", 28.0), ("recovery_hr", 140.0)], Code::OutOfRange, "recovery_hr"; "two readings that contradict")]
    #[test_case(&[("recovery_hr", f64::NAN)], Code::OutOfRange, "recovery_hr"; "not a number")]
    fn refusals_name_the_field(given: &[(&str, f64)], code: Code, field: &str) {
        let error = run("bench-step-3min", man_of(20.0), given, Circumstances::default()).unwrap_err();
        assert_eq!((error.code, error.field.as_deref()), (code, Some(field)));
    }

    #[test]
    fn what_is_unusual_is_flagged_not_refused() {
        let circumstances = Circumstances { warm_up: Some(false), heart_rate_drug: true, conditioned: None };
        let outcome = run("bench-step-3min", man_of(20.0), &[("pulse_count", 35.0), ("bench_cm", 36.0)], circumstances).unwrap();
        assert_eq!(
            outcome.flags.iter().map(|f| f.code).collect::<Vec<_>>(),
            [FlagCode::BenchDiffers, FlagCode::WarmUpMissing, FlagCode::HeartRateDrug]
        );
    }

    #[test]
    fn the_siblings_give_what_they_can() {
        let low = run("low-step-3min", man_of(40.0), &[("recovery_hr", 98.0)], Circumstances::default()).unwrap();
        assert_eq!(low.norms[0].1.category.as_deref(), Some("above_average"));
        assert!(low.result("vo2max").is_none());
        let class = run("class-step-3min", Facts::default(), &[("pulse_count", 21.0)], Circumstances::default()).unwrap();
        assert_eq!((class.result("recovery_hr").unwrap().value, class.norms.len(), class.flags.len()), (126.0, 0, 0));
    }
}
