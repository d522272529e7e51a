//! Sources: Kline GM et al. Med Sci Sports Exerc 1987;19:253-259 (mile walk) · Cooper KH. JAMA 1968;203:201-204 (12-minute
//! run) · Leger LA et al. J Sports Sci 1988;6:93-101 (20 m shuttle) · Bangsbo J et al. Sports Med 2008;38:37-51
//! (intermittent shuttle) · Buchheit M. J Strength Cond Res 2008;22:365-374 (30-15). Kind: published, recalled. The numbers
//! beside each were worked by hand from the printed equations.

use impulso_core::{
    catalogue,
    person::{Facts, Sex},
    units::{Age, BodyMass},
};
use serde_json::json;
use test_case::test_case;

use super::vo2max;

fn of(sex: Sex, age: f64, mass: f64) -> Facts {
    Facts { sex: Some(sex), age: Age::new(age).ok(), mass: BodyMass::new(mass).ok(), ..Facts::default() }
}

#[test_case(Sex::Male, 45.0, 80.0, 840.0, 140.0, 40.544; "man of 45, 80 kg, 14:00, 140 bpm")]
#[test_case(Sex::Female, 60.0, 65.0, 960.0, 150.0, 22.858; "woman of 60, 65 kg, 16:00, 150 bpm")]
fn mile_walk(sex: Sex, age: f64, mass: f64, time_s: f64, hr: f64, printed: f64) {
    let by_hand = 132.853 - 0.0769 * mass * 2.204_622_6 - 0.3877 * age + if sex == Sex::Male { 6.315 } else { 0.0 }
        - 3.2649 * time_s / 60.0
        - 0.1565 * hr;
    let computed = vo2max("mile-walk", &of(sex, age, mass), &json!({ "time_s": time_s, "hr_end": hr }));
    assert!((computed - by_hand).abs() < 1e-4, "{computed} {by_hand}");
    assert!((computed - printed).abs() < 0.01, "{computed}");
}

#[test_case(2520.0, 45.05; "six laps of 400 m and 120 m")]
#[test_case(2800.0, 51.31; "2800 m")]
#[test_case(1600.0, 24.48; "1600 m")]
fn twelve_minutes(distance_m: f64, printed: f64) {
    let computed = vo2max("run-12min", &Facts::default(), &json!({ "distance_m": distance_m }));
    assert!((computed - printed).abs() < 0.005, "{computed}");
}

/// The first shuttle of the level that is run at a speed, km/h: level 1 at 8.5, half a km/h more each level.
fn at_speed(speed: f64) -> serde_json::Value {
    json!({ "level": (speed - 8.0) / 0.5, "shuttle": 1.0 })
}

#[test_case(12.5, 25.0, 47.60; "an adult at level 9")]
#[test_case(10.0, 12.0, 42.86; "a child of 12 at level 4")]
#[test_case(15.0, 18.0, 62.60; "18 at level 14")]
fn shuttle_20m(speed: f64, age: f64, printed: f64) {
    let computed = vo2max("shuttle-20m", &of(Sex::Male, age, 70.0), &at_speed(speed));
    assert!((computed - printed).abs() < 0.01, "{computed}");
}

#[test]
fn the_age_counts_up_to_eighteen() {
    let at = |age: f64| vo2max("shuttle-20m", &of(Sex::Female, age, 60.0), &at_speed(12.0));
    assert_eq!(at(18.0), at(52.0));
    assert!(at(12.0) > at(18.0));
}

#[test]
fn intermittent() {
    let ran = |id: &str, distance_m: f64| vo2max(id, &Facts::default(), &json!({ "distance_m": distance_m }));
    assert!((ran("shuttle-recovery-1", 1500.0) - 49.0).abs() < 1e-9);
    assert!((ran("shuttle-recovery-2", 1000.0) - 58.9).abs() < 1e-9);
    // 28.3 - 2.15 - 0.741 x 22 - 0.0357 x 75 + 0.0586 x 22 x 19 + 1.03 x 19.
    let interval = |sex: Sex| vo2max("interval-30-15", &of(sex, 22.0, 75.0), &json!({ "speed_kmh": 19.0 }));
    assert!((interval(Sex::Male) - 51.2353).abs() < 1e-3);
    // A woman counts 2 where a man counts 1.
    assert!((interval(Sex::Male) - interval(Sex::Female) - 2.15).abs() < 1e-9);
}

/// The schedule of the intermittent runs: the first 4 runs make 160 m, the next 7 reach 440 m, then 320 m a speed.
#[test_case("shuttle-recovery-1", 11.0, 13.0, 14.0; "level 1")]
#[test_case("shuttle-recovery-2", 17.0, 19.0, 20.0; "level 2")]
fn intermittent_schedule(id: &str, fourth: f64, eleventh: f64, eighth_after: f64) {
    let schedule = catalogue::find(id).unwrap().schedule().unwrap();
    let end = |level: f64| {
        let shuttles = schedule.levels.iter().find(|l| l.level == level).unwrap().shuttles;
        schedule.place(level, f64::from(shuttles)).unwrap().distance_m
    };
    assert_eq!((end(fourth), end(eleventh), end(eighth_after)), (160.0, 440.0, 760.0));
    assert!(schedule.place(fourth, 9.0).is_err() && schedule.place(3.0, 1.0).is_err());
}

#[test]
fn shuttle_levels_last_about_a_minute_and_gain_half_a_kilometre_an_hour() {
    let schedule = catalogue::find("shuttle-20m").unwrap().schedule().unwrap();
    assert_eq!((schedule.levels[0].speed_kmh, schedule.levels[1].speed_kmh), (8.5, 9.0));
    for level in &schedule.levels {
        let seconds = schedule.shuttle_s(level) * f64::from(level.shuttles);
        assert!((56.0..=64.5).contains(&seconds), "level {} lasts {seconds:.1} s", level.level);
    }
    let interval = catalogue::find("interval-30-15").unwrap().schedule().unwrap();
    assert_eq!((interval.levels[0].speed_kmh, interval.levels[4].speed_kmh), (8.0, 10.0));
}
