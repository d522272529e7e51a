//! Every protocol of the library by what its file says: each example computes, and the rules of the trade hold.
#![allow(clippy::unwrap_used, clippy::panic, missing_docs)]

use impulso_core::{
    Code,
    catalogue::{self, find},
    error::InputError,
    inputs::Inputs,
    person::{Facts, Sex},
    trial::{FlagCode, Outcome, Trial, compute},
    units::{Age, BodyMass, Height},
};
use serde_json::{Value, json};
use test_case::test_case;

fn facts(sex: Sex, age: f64, mass: f64, height: f64) -> Facts {
    Facts { sex: Some(sex), age: Age::new(age).ok(), mass: BodyMass::new(mass).ok(), height: Height::new(height).ok(), ..Facts::default() }
}

fn run_as(id: &str, who: Facts, inputs: Value) -> Result<Outcome<'static>, InputError> {
    let inputs: Inputs = serde_json::from_value(inputs).unwrap();
    compute(&Trial::of(find(id).unwrap(), who, Box::leak(Box::new(inputs))))
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
        let outcome = compute(&Trial::of(protocol, who, &example.inputs)).unwrap_or_else(|e| panic!("{}: {e:?}", protocol.id));
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

// What each row of the batch interface's second table gives, worked out by hand.
#[test_case("push-up", json!({"rule":"one_minute","reps_toes":20,"reps_knees":12}), &[("reps", 32.0), ("reps_knees", 12.0)]; "styles add up")]
#[test_case("side-plank", json!({"seconds":{"left":90,"right":100}}), &[("seconds.left", 90.0), ("seconds.difference", 10.0), ("ratio", 0.9)]; "a ratio of sides")]
#[test_case("side-plank", json!({"seconds":{"left":90}}), &[("seconds.left", 90.0)]; "one side alone")]
#[test_case("trunk-endurance", json!({"side_s":{"left":92,"right":88},"flexor_s":140,"extensor_s":160}),
    &[("ratio_sides", 92.0/88.0), ("ratio_flexor_extensor", 0.875), ("ratio_side_extensor.left", 0.575), ("ratio_side_extensor.right", 0.55)]; "four holds")]
#[test_case("wall-sit", json!({"seconds":[60, null, 71.5]}), &[("seconds", 71.5)]; "the longest try")]
#[test_case("hold", json!({"what":"hang from a bar","seconds":48}), &[("seconds", 48.0)]; "a named hold")]
#[test_case("staged-sit-up", json!({"stage":4,"reps":12}), &[("stage", 4.0), ("reps", 12.0)]; "stage and repetitions")]
#[test_case("kick-recovery-30s", json!({"reps":41,"hr_0":158,"hr_1":146,"hr_3":104}), &[("hr_drop_1", 12.0), ("hr_drop_3", 54.0)]; "drops")]
#[test_case("chair-stand-30s", json!({"reps":15,"chair_cm":43}), &[("reps", 15.0), ("power_w", 331.9704), ("power_w_kg", 4.14963)]; "power from the stands")]
#[test_case("chair-stand-30s", json!({"reps":0}), &[("reps", 0.0), ("power_w", 0.0)]; "no stand is a score")]
#[test_case("chair-stand-5x", json!({"time_s":[12.4, 11.8]}), &[("time_s", 11.8)]; "the least time")]
#[test_case("one-rm", json!({"lift":"bench_press","load_kg":[80,100,105],"made":[true,true,false]}), &[("one_rm_kg", 100.0), ("ratio", 1.25)]; "the heaviest made")]
#[test_case("one-rm", json!({"lift":"deadlift","one_rm_kg":140}), &[("one_rm_kg", 140.0), ("ratio", 1.75)]; "known already")]
#[test_case("reps-to-fatigue", json!({"lift":"other","load_kg":100,"reps":5}), &[("one_rm_kg", 100.0/(1.0278-0.0278*5.0)), ("one_rm_epley_kg", 350.0 / 3.0)]; "from repetitions")]
#[test_case("loaded-carry", json!({"load_kg":48,"distance_m":[60,62]}), &[("distance_m", 62.0)]; "the farthest carry")]
#[test_case("vertical-jump", json!({"reach_cm":228,"touch_cm":[271,274.5,273]}), &[("height_cm", 46.5)]; "the highest jump")]
#[test_case("broad-jump", json!({"distance_cm":[228,234,231]}), &[("distance_cm", 234.0)]; "the farthest jump")]
#[test_case("sprint", json!({"course":"40yd","time_s":[5.1,4.98]}), &[("time_s", 4.98), ("speed_m_s", 36.576/4.98)]; "a course has a length")]
#[test_case("sprint", json!({"course":"200ft_shuttle","time_s":14.2}), &[("speed_m_s", 60.96/14.2)]; "a shuttle has one too")]
#[test_case("quadrant-hop", json!({"hops":{"clockwise":31,"counter":29},"touches":{"clockwise":2}}), &[("score.clockwise", 30.0), ("score.counter", 29.0), ("score", 29.5)]; "half a point a touch")]
#[test_case("shuttle-1200m", json!({"time_s":300}), &[("speed_m_s", 4.0)]; "mean speed")]
#[test_case("sprint-repeat-10x40s", json!({"time_s":[5,5,5,5,5,6,6,6,6,6]}), &[("total_s", 55.0), ("best_s", 5.0), ("fade_percent", 10.0)]; "the fade")]
#[test_case("sprint-ladder", json!({"time_100_s":13,"time_400_s":66,"time_1500_s":300}), &[("time_100_s", 13.0), ("time_1500_s", 300.0)]; "three times")]
#[test_case("tri-ergometer", json!({"row_1000_s":218,"ski_1000_s":241,"bike_2000_s":186}), &[("total_s", 645.0)]; "three machines")]
#[test_case("circuit-3-rounds", json!({"split_s":[180,190,200]}), &[("time_s", 570.0)]; "three rounds")]
#[test_case("circuit-3-rounds", json!({"time_s":600}), &[("time_s", 600.0)]; "their sum alone")]
#[test_case("sit-reach", json!({"variant":"box","distance_cm":[27.5,29]}), &[("distance_cm", 29.0)]; "the farthest reach")]
#[test_case("shoulder-reach", json!({"gap_cm":{"left":[-4,-3.5],"right":1}}), &[("gap_cm.left", -3.5), ("gap_cm.right", 1.0), ("gap_cm.difference", 4.5)]; "gap and overlap")]
#[test_case("straight-leg-raise", json!({"degrees":{"left":[71,74],"right":78}}), &[("degrees.left", 74.0), ("degrees.difference", 4.0)]; "the largest angle")]
#[test_case("air-squat", json!({"points":{"chest_up":true,"heels_down":false,"neutral_spine":true},"rating":3}), &[("points_met", 2.0), ("points_of", 3.0), ("rating", 3.0)]; "points met")]
#[test_case("inline-lunge", json!({"points":{"left":{"a":true,"b":true},"right":{"a":true,"b":false}},"rating":{"left":4},"tries":{"left":2}}),
    &[("points_met.left", 2.0), ("points_met.right", 1.0), ("points_of.right", 2.0), ("rating.left", 4.0)]; "points of each side")]
#[test_case("one-leg-stance", json!({"seconds":{"left":[12,50],"right":31}}), &[("seconds.left", 45.0), ("seconds.right", 31.0)]; "45 at most")]
#[test_case("sit-rise-floor", json!({"supports_down":1,"supports_up":2,"wobbles_up":1}), &[("score_down", 4.0), ("score_up", 2.5), ("score", 6.5)]; "points each way")]
#[test_case("body", json!({"waist_cm":[92, 94.5, 94],"calf_cm":{"left":[38, 38.6]}}), &[("waist_cm", 94.25), ("calf_cm.left", 38.3)]; "the two that lie closest")]
#[test_case("body", json!({"waist_cm":91.44,"neck_cm":38.1,"upper_arm_cm":{"left":32,"right":33}}), &[("waist_cm", 91.44), ("waist_height", 0.508), ("bmi", 80.0/3.24), ("upper_arm_cm.difference", 1.0)]; "girths")]
#[test_case("resting-hr", json!({"pulse_count":15.5,"pulse_window_s":15}), &[("resting_hr", 64.0)]; "half a beat goes up")]
#[test_case("resting-hr", json!({"resting_hr":58}), &[("resting_hr", 58.0)]; "read off")]
#[test_case("blood-pressure", json!({"systolic":128,"diastolic":78}), &[("systolic", 128.0), ("diastolic", 78.0)]; "both values")]
fn gives(id: &str, inputs: Value, expected: &[(&str, f64)]) {
    let outcome = run(id, inputs);
    for (quantity, wanted) in expected {
        let found = value(&outcome, quantity).unwrap_or_else(|| panic!("{id} has no {quantity}"));
        assert!((found - wanted).abs() < 1e-6, "{quantity}: {found} and not {wanted}");
    }
}

#[test_case("kick-recovery-30s", json!({"reps":41,"hr_0":158,"hr_1":146}), &[FlagCode::SlowRecovery]; "twelve is slow")]
#[test_case("kick-recovery-30s", json!({"reps":41,"hr_0":158,"hr_1":145}), &[]; "thirteen is not")]
#[test_case("side-plank", json!({"seconds":{"left":90,"right":100}}), &[FlagCode::SidesDiffer]; "sides that differ")]
#[test_case("side-plank", json!({"seconds":{"left":96,"right":100}}), &[]; "sides alike")]
#[test_case("shoulder-reach", json!({"gap_cm":{"left":-19,"right":-3},"hand_cm":18}), &[FlagCode::Restricted]; "a gap larger than the hand")]
#[test_case("shoulder-reach", json!({"gap_cm":{"left":-18,"right":-3},"hand_cm":18}), &[]; "as large is not larger")]
#[test_case("sit-rise-floor", json!({"supports_down":1,"supports_up":1}), &[]; "eight is good")]
#[test_case("sit-rise-floor", json!({"supports_down":1,"supports_up":1,"wobbles_up":1}), &[FlagCode::BelowEight]; "under eight")]
#[test_case("blood-pressure", json!({"systolic":159,"diastolic":99}), &[]; "under both limits")]
#[test_case("blood-pressure", json!({"systolic":150,"diastolic":100}), &[FlagCode::ClearanceFirst]; "clearance from 100")]
#[test_case("blood-pressure", json!({"systolic":200,"diastolic":110}), &[FlagCode::ClearanceFirst]; "at the second limit")]
#[test_case("blood-pressure", json!({"systolic":201,"diastolic":90}), &[FlagCode::ClearanceFirst, FlagCode::DoNotTest]; "do not test")]
fn flagged(id: &str, inputs: Value, expected: &[FlagCode]) {
    assert_eq!(flags(&run(id, inputs)), expected);
}

#[test_case("push-up", json!({"rule":"to_failure"}), Code::MissingInput, "reps_toes"; "no style")]
#[test_case("one-rm", json!({"lift":"other"}), Code::MissingInput, "load_kg"; "no load")]
#[test_case("one-rm", json!({"lift":"other","load_kg":[80]}), Code::MissingInput, "made"; "made or not")]
#[test_case("one-rm", json!({"lift":"other","load_kg":[80,90],"made":[true]}), Code::BadValue, "made"; "as many as loads")]
#[test_case("one-rm", json!({"lift":"other","load_kg":[60,70,80,90,100],"made":[true,true,true,true,false]}), Code::OutOfRange, "load_kg"; "a fifth attempt")]
#[test_case("reps-to-fatigue", json!({"lift":"other","load_kg":100,"reps":11}), Code::OutOfRange, "reps"; "eleven")]
#[test_case("reps-to-fatigue", json!({"lift":"snatch","load_kg":100,"reps":5}), Code::BadValue, "lift"; "no such lift")]
#[test_case("vertical-jump", json!({"reach_cm":228,"touch_cm":[220]}), Code::OutOfRange, "touch_cm"; "lower than the reach")]
#[test_case("quadrant-hop", json!({"hops":{"clockwise":3},"touches":{"clockwise":4}}), Code::OutOfRange, "touches"; "fewer hops than touches")]
#[test_case("sprint-repeat-10x40s", json!({"time_s":[5,5,5]}), Code::MissingInput, "time_s"; "three of ten")]
#[test_case("sprint-repeat-10x40s", json!({"time_s":[5,5,5,5,5,null,5,5,5,5]}), Code::MissingInput, "time_s"; "nine of ten count")]
#[test_case("body", json!({"waist_cm":[92, 94.5]}), Code::MissingInput, "waist_cm"; "two girths too far apart, and no third")]
#[test_case("body", json!({"waist_cm":190}), Code::OutOfRange, "waist_cm"; "a waist larger than the height")]
#[test_case("plank", json!({"support":"forearm","seconds":14400}), Code::OutOfRange, "seconds"; "four hours")]
#[test_case("plank", json!({"support":"forearm","seconds":"95"}), Code::BadValue, "seconds"; "words for a number")]
#[test_case("side-plank", json!({"seconds":90}), Code::BadValue, "seconds"; "which side")]
#[test_case("side-plank", json!({"seconds":{"up":90}}), Code::BadValue, "seconds"; "no such side")]
#[test_case("broad-jump", json!({"distance_cm":[]}), Code::MissingInput, "distance_cm"; "an empty list")]
#[test_case("resting-hr", json!({"pulse_count":20}), Code::MissingInput, "pulse_window_s"; "a count without its window")]
#[test_case("crunch-1min", json!({"reps":30,"colour":"red"}), Code::UnknownField, "colour"; "no such reading")]
fn refused(id: &str, inputs: Value, code: Code, field: &str) {
    let error = run_as(id, facts(Sex::Male, 25.0, 80.0, 180.0), inputs).unwrap_err();
    assert_eq!((error.code, error.field.as_deref()), (code, Some(field)), "{error:?}");
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
