//! Every protocol of the library by what its file says: each example computes, and the rules of the trade hold.

use impulso_core::{
    Code,
    catalogue::{self, find},
    error::InputError,
    inputs::Inputs,
    person::{Facts, Sex},
    test_record::{FlagCode, Outcome, TestRecord, compute},
    units::{Age, BodyMass, Height},
};
use serde_json::{Value, json};

fn facts(sex: Sex, age: f64, mass: f64, height: f64) -> Facts {
    Facts { sex: Some(sex), age: Age::new(age).ok(), mass: BodyMass::new(mass).ok(), height: Height::new(height).ok(), ..Facts::default() }
}

fn run_as(id: &str, who: Facts, inputs: Value) -> Result<Outcome<'static>, InputError> {
    let inputs: Inputs = serde_json::from_value(inputs).unwrap();
    compute(&TestRecord::of(find(id).unwrap(), who, Box::leak(Box::new(inputs))))
}

fn run(id: &str, inputs: Value) -> Outcome<'static> {
    run_as(id, facts(Sex::Male, 25.0, 80.0, 180.0), inputs).unwrap_or_else(|e| panic!("{id}: {e:?}"))
}

fn value(outcome: &Outcome, quantity: &str) -> Option<f64> {
    outcome.result(quantity).map(|e| e.value)
}

fn flags(outcome: &Outcome) -> Vec<FlagCode> {
    outcome.flags.iter().map(|f| f.code).collect()
}

#[test]
fn every_example_computes_and_every_quantity_has_a_name() {
    for protocol in catalogue::all() {
        let Some(example) = &protocol.example else { continue };
        let who = facts(Sex::Female, example.age_years, example.mass_kg, example.height_cm.unwrap_or(170.0));
        let outcome = compute(&TestRecord::of(protocol, who, &example.inputs)).unwrap_or_else(|e| panic!("{}: {e:?}", protocol.id));
        assert!(outcome.result(protocol.headline()).is_some(), "{} has no {}", protocol.id, protocol.headline());
        assert!(outcome.refused.is_empty(), "{}: {:?}", protocol.id, outcome.refused);
        for (quantity, _) in &outcome.results {
            assert!(impulso_core::quantity::is_known(quantity), "{quantity} is in no file of data/measures");
        }
        for rule in &protocol.change {
            assert!(
                protocol.scoring.iter().any(|s| s.quantity.split('.').next() == Some(&rule.quantity)),
                "{}: {}",
                protocol.id,
                rule.quantity
            );
        }
    }
}

#[test]
fn nothing_made_is_no_load_and_said_once() {
    let outcome = run("one-rm", json!({"lift":"other","load_kg":[80],"made":[false]}));
    assert_eq!(
        outcome.refused.iter().map(|(q, e)| (*q, e.code)).collect::<Vec<_>>(),
        [("ratio", Code::NotApplicable), ("one_rm_kg", Code::NotApplicable)]
    );
}

#[test]
fn a_fact_that_a_quantity_needs_is_asked_for() {
    let nobody = Facts { mass: BodyMass::new(80.0).ok(), ..Facts::default() };
    let outcome = run_as("chair-stand-30s", nobody, json!({"reps":15})).unwrap();
    assert_eq!(value(&outcome, "reps"), Some(15.0));
    assert!(outcome.refused.iter().all(|(_, e)| e.code == Code::NeedsHeight) && outcome.refused.len() == 2);
}

#[test]
fn a_table_that_holds_only_under_conditions_is_silent_elsewhere() {
    let category = |inputs: Value, sex: Sex| {
        let outcome = run_as("push-up", facts(sex, 25.0, 70.0, 170.0), inputs).unwrap();
        (outcome.norms.first().and_then(|(_, s)| s.category.clone()), outcome.flags.len())
    };
    assert_eq!(category(json!({"rule":"to_failure","reps_toes":24}), Sex::Male), (Some("good".into()), 0));
    assert_eq!(category(json!({"rule":"to_failure","reps_knees":9}), Sex::Female), (Some("needs_improvement".into()), 0));
    for (inputs, sex) in [
        (json!({"rule":"one_minute","reps_toes":24}), Sex::Male),
        (json!({"rule":"to_failure","reps_toes":24,"reps_knees":3}), Sex::Male),
        (json!({"rule":"to_failure","reps_knees":24}), Sex::Male),
        (json!({"rule":"to_failure","reps_toes":24}), Sex::Female),
    ] {
        assert_eq!(category(inputs, sex), (None, 0));
    }
    assert!(run("one-rm", json!({"lift":"deadlift","one_rm_kg":140})).norms.is_empty());
    assert!(run("sit-reach", json!({"variant":"wall_gap","distance_cm":3})).norms.is_empty());
}

#[test]
fn ranges_means_and_marks_stand_beside_the_value() {
    let old = facts(Sex::Male, 72.0, 80.0, 178.0);
    let outcome = run_as("chair-stand-30s", old, json!({"reps":11})).unwrap();
    let range = outcome.norms[0].1.range.unwrap();
    assert_eq!((range.low, range.high, serde_json::to_value(range.place).unwrap()), (12.0, 17.0, json!("below")));
    assert_eq!(flags(&outcome), [FlagCode::BelowRange]);
    // A time: faster is above, and the low end is the slower one.
    let quick = run_as("up-and-go", old, json!({"time_s":4.0})).unwrap().norms[0].1.range.unwrap();
    assert_eq!((quick.low, quick.high, serde_json::to_value(quick.place).unwrap()), (6.2, 4.4, json!("above")));
    // Printed in inches: −1.0 in is −2.54 cm.
    let reach = run_as("chair-sit-reach", old, json!({"distance_cm":-2.54})).unwrap().norms[0].1.range.unwrap();
    assert_eq!((reach.low, serde_json::to_value(reach.place).unwrap()), (-3.5, json!("within")));
    let trunk = run("trunk-endurance", json!({"side_s":{"left":99,"right":63},"flexor_s":136,"extensor_s":161}));
    let z: Vec<_> = trunk.norms.iter().map(|(q, s)| (*q, s.mean.unwrap().z.unwrap())).collect();
    assert_eq!(z, [("side_s.left", 0.0), ("side_s.right", -1.0), ("flexor_s", 0.0), ("extensor_s", 0.0)]);
    let stance = run_as("one-leg-stance", old, json!({"seconds":{"left":9,"right":30},"eyes":"open"})).unwrap();
    assert_eq!(stance.norms.iter().map(|(q, s)| (*q, s.mean.unwrap().value)).collect::<Vec<_>>(), [("seconds.right", 25.9)]);
    assert_eq!(stance.passes.iter().map(|(q, p)| (*q, p.met)).collect::<Vec<_>>(), [("seconds.right", true), ("seconds.left", false)]);
    assert!(run_as("one-leg-stance", old, json!({"seconds":{"left":9},"eyes":"closed"})).unwrap().passes.is_empty());
    let waist = |cm: f64| run("body", json!({ "waist_cm": cm })).norms[0].1.category.clone().unwrap();
    assert_eq!([waist(89.9), waist(90.0), waist(107.9), waist(108.0)], ["below", "act", "act", "high"]);
}
