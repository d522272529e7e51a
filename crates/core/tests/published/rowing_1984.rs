//! Source: Hagerman FC. Applied physiology of rowing. Sports Med 1984;1:303-326. Kind: published, recalled. A man of 80 kg,
//! trained, at 7:02 is the catalogue's worked number.

use impulso_core::{
    catalogue,
    person::{Facts, Sex},
    test_record::{Circumstances, Inputs, Options, TestRecord, compute_as_given},
    units::BodyMass,
};
use proptest::prelude::*;
use test_case::test_case;

fn row(sex: Sex, mass: f64, trained: bool, key: &str, value: f64, quantity: &str) -> f64 {
    let inputs = Inputs::from_iter([(key, value), ("trained", f64::from(u8::from(trained)))]);
    let facts = Facts { sex: Some(sex), mass: BodyMass::new(mass).ok(), ..Facts::default() };
    let protocol = catalogue::find("row-2000m").unwrap();
    let record = TestRecord { protocol, facts, inputs: &inputs, options: Options::default(), circumstances: Circumstances::default() };
    compute_as_given(&record).unwrap().result(quantity).unwrap().value
}

#[test_case(Sex::Male, 80.0, true, 422.0, 64.375; "the worked number")]
#[test_case(Sex::Male, 75.0, true, 420.0, 61.333; "a man of 75 kg is a light one")]
#[test_case(Sex::Female, 61.36, true, 480.0, 42.373; "a woman of 61.36 kg is a light one")]
#[test_case(Sex::Female, 70.0, true, 480.0, 41.428; "a heavier woman")]
#[test_case(Sex::Male, 80.0, false, 480.0, 43.75; "an untrained man")]
#[test_case(Sex::Female, 65.0, false, 540.0, 29.077; "an untrained woman")]
fn worked(sex: Sex, mass: f64, trained: bool, time_s: f64, vo2max: f64) {
    assert!((row(sex, mass, trained, "time_s", time_s, "vo2max") - vo2max).abs() < 0.001);
}

proptest! {
    #[test]
    fn the_time_a_vo2max_suggests_gives_that_vo2max(mass in 50.0..110.0f64, time in 380.0..560.0f64, trained: bool) {
        let vo2max = row(Sex::Male, mass, trained, "time_s", time, "vo2max");
        prop_assume!((10.0..=100.0).contains(&vo2max));
        prop_assert!((row(Sex::Male, mass, trained, "vo2max", vo2max, "time_s") - time).abs() < 1e-6);
    }
}
