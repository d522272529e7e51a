//! Source: McArdle WD, Katch FI, Pechar GS, Jacobson L, Ruck S. Med Sci Sports 1972;4:182-186, and the percentile table
//! in McArdle WD, Katch FI, Katch VL. Exercise Physiology. Kind: published, recalled.
//!
//! The printed table carries both the heart rate and the VO2max it predicts, so the two equations and the copy of the
//! table check each other: each printed VO2max is the equation's value at the printed heart rate, to the printed
//! decimal. One printed rounding (men, 149 bpm) is 0.05 off and is allowed for.

use impulso_core::{estimate::step::bench_step_vo2max, norms, person::Sex, units::Bpm};

use crate::{person, rows};

const TABLE: &str = include_str!("../../data/norms/bench-step-percentiles.csv");

#[test]
fn the_equations_and_the_printed_table_agree() {
    for row in rows(TABLE) {
        let number = |k: usize| row[k].parse::<f64>().unwrap();
        for (sex, hr, printed) in [(Sex::Male, number(1), number(2)), (Sex::Female, number(3), number(4))] {
            let computed = bench_step_vo2max(sex, Bpm::new(hr).unwrap());
            assert!((computed - printed).abs() < 0.101, "{sex:?} at {hr} bpm: computed {computed:.2}, printed {printed}");
        }
    }
}

#[test]
fn every_printed_row_gives_its_own_percentile() {
    let table = norms::table("bench-step-percentiles").unwrap();
    for row in rows(TABLE) {
        let percentile: f64 = row[0].parse().unwrap();
        for (sex, hr) in [(Sex::Male, &row[1]), (Sex::Female, &row[3])] {
            let standing = table.standing(hr.parse().unwrap(), &person(sex, 20.0));
            assert_eq!((standing.percentile, standing.mismatch), (Some(percentile), None), "{sex:?} at {hr}");
        }
    }
}

#[test]
fn the_headers_name_source_and_status() {
    let table = norms::table("bench-step-percentiles").unwrap();
    assert!(table.source.contains("1972") && table.status == "published, recalled");
}
