//! Worked numbers of the 3-minute bench step that anyone can recompute. Source: arithmetic on the equations of McArdle
//! et al. 1972; the printed percentile of 140 bpm for men is 80. Kind: published, recalled.

use impulso_core::{
    catalogue,
    person::Sex,
    test_record::{Circumstances, Inputs, Options, TestRecord, compute},
};

use crate::person;

#[track_caller]
fn man(count: f64, bpm: f64, vo2max: f64, percentile: f64) {
    let inputs = Inputs::from_iter([("pulse_count".to_owned(), count)]);
    let protocol = catalogue::find("bench-step-3min").unwrap();
    let outcome = compute(&TestRecord {
        protocol,
        facts: person(Sex::Male, 20.0),
        inputs: &inputs,
        options: Options::default(),
        circumstances: Circumstances::default(),
    })
    .unwrap();
    assert_eq!(outcome.result("recovery_hr").unwrap().value, bpm);
    assert!((outcome.result("vo2max").unwrap().value - vo2max).abs() < 1e-9);
    let (_, college) = outcome.norms.iter().find(|(q, _)| *q == "recovery_hr").unwrap();
    assert_eq!(college.percentile, Some(percentile));
}

#[test]
fn thirty_five_beats() {
    man(35.0, 140.0, 52.53, 80.0);
}

#[test]
fn twenty_eight_beats() {
    man(28.0, 112.0, 64.29, 100.0);
}

#[test]
fn twenty_three_beats() {
    man(23.0, 92.0, 72.69, 100.0);
}

#[test]
fn half_a_beat_counts_as_a_whole_one() {
    man(27.5, 112.0, 64.29, 100.0);
}
