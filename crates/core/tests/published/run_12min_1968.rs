//! Source: Cooper KH. JAMA 1968;203:201-204, and the category table published with it in later editions. Kind: published,
//! recalled. Printed rows, typed here a second time and independently of the shipped file.

use impulso_core::{norms, person::Sex};

use crate::person;

#[track_caller]
fn check(sex: Sex, age: f64, limits: [f64; 4]) {
    const NAMES: [&str; 5] = ["excellent", "good", "average", "below_average", "poor"];
    let table = norms::table("run-12min-categories").unwrap();
    let category = |m: f64| table.standing(m, &person(sex, age)).category.unwrap();
    for (k, limit) in limits.into_iter().enumerate() {
        assert_eq!(category(limit), NAMES[k], "{sex:?} {age} at {limit}");
        assert_eq!(category(limit - 1.0), NAMES[k + 1], "{sex:?} {age} at {}", limit - 1.0);
    }
}

#[test]
fn printed_rows() {
    check(Sex::Male, 25.0, [2800.0, 2400.0, 2200.0, 1600.0]);
    check(Sex::Male, 44.0, [2500.0, 2100.0, 1700.0, 1400.0]);
    check(Sex::Female, 39.0, [2500.0, 2000.0, 1700.0, 1400.0]);
    check(Sex::Female, 71.0, [2200.0, 1700.0, 1400.0, 1100.0]);
}
