//! The method held against what was printed: one file per source, the citation at its top.
#![allow(clippy::unwrap_used, clippy::panic)]

mod acsm_2018;
mod bench_step_1972;
mod corners;
mod field_tests;
mod least_squares;
mod low_step_2000;
mod nomogram_1954;
mod older_adults_1999;
mod open_data;
mod plank_2014;
mod rowing_1984;
mod run_12min_1968;
mod treadmill_2015;
mod worked_numbers;

use impulso_core::{
    catalogue,
    person::{Facts, Sex},
    test_record::{TestRecord, compute_as_given},
    units::Age,
};

/// The VO2max, mL/kg/min, that a protocol gives a person for readings.
fn vo2max(protocol: &str, facts: &Facts, inputs: &serde_json::Value) -> f64 {
    let inputs = serde_json::from_value(inputs.clone()).unwrap();
    let record = TestRecord::of(catalogue::find(protocol).unwrap(), *facts, &inputs);
    compute_as_given(&record).unwrap().result("vo2max").unwrap().value
}

/// A person of a sex and age, nothing else known.
fn person(sex: Sex, age: f64) -> Facts {
    Facts { sex: Some(sex), age: Some(Age::new(age).unwrap()), ..Facts::default() }
}

/// The data rows of a shipped table, comment lines and the heading left out.
fn rows(csv: &str) -> Vec<Vec<&str>> {
    csv.lines().filter(|l| !l.starts_with('#')).skip(1).map(|l| l.split(',').collect()).collect()
}
