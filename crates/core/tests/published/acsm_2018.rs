//! Source: Riebe D, Ehrman JK, Liguori G, Magal M (eds.). ACSM's Guidelines for Exercise Testing and Prescription, 10th
//! ed., 2018; metabolic equations for stepping and leg cycling. Kind: published, recalled.
//!
//! The equations' parts, worked by hand: resting, horizontal and vertical cost are added up here one by one, and not taken
//! from the code.

use impulso_core::{
    estimate::{cycle, step},
    person::Facts,
};
use test_case::test_case;

#[test_case(450.0, 70.0, 18.571; "450 kgm/min at 70 kg")]
#[test_case(300.0, 60.0, 16.0; "300 kgm/min at 60 kg")]
#[test_case(600.0, 80.0, 20.5; "600 kgm/min at 80 kg")]
#[test_case(900.0, 90.0, 25.0; "900 kgm/min at 90 kg")]
fn leg_cycling(kgm_min: f64, mass_kg: f64, vo2: f64) {
    // 1.8 mL per kgm of work, 3.5 at rest and 3.5 for turning the pedals unloaded.
    assert!((cycle::cycling_vo2(kgm_min, mass_kg) - vo2).abs() < 0.001);
    assert!((1.8 * kgm_min / mass_kg + 3.5 + 3.5 - vo2).abs() < 0.001);
}

#[test_case(24.0, 0.33, 27.26; "24 steps a minute on 33 cm")]
#[test_case(22.5, 0.40, 29.546; "22.5 on 40 cm")]
#[test_case(20.0, 0.20, 17.076; "20 on 20 cm")]
fn stepping(steps: f64, height_m: f64, vo2: f64) {
    let (horizontal, vertical, rest) = (0.2 * steps, 1.33 * 1.8 * height_m * steps, 3.5);
    assert!((horizontal + vertical + rest - vo2).abs() < 0.005, "{}", horizontal + vertical + rest);
    assert!((step::stepping_vo2(steps, height_m) - vo2).abs() < 0.005);
}

#[test]
fn one_and_a_half_miles_in_twelve_minutes() {
    let run = |time_s: f64| super::vo2max("run-1-5mile", &Facts::default(), &serde_json::json!({ "time_s": time_s }));
    assert!((run(720.0) - 43.75).abs() < 1e-9);
    assert!((run(600.0) - 51.8).abs() < 1e-9);
}
