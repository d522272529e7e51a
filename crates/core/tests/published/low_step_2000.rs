//! Source: Golding LA (ed.), fitness testing manual, 4th ed., 2000: one-minute recovery count after three minutes on a
//! 30.5 cm step. Kind: published, recalled.
//!
//! Printed rows, typed here a second time and independently of the shipped file.

use impulso_core::{norms, person::Sex};

use crate::person;

#[track_caller]
fn check(sex: Sex, age: f64, limits: [f64; 6]) {
    const NAMES: [&str; 7] = ["excellent", "good", "above_average", "average", "below_average", "poor", "very_poor"];
    let table = norms::table("low-step-categories").unwrap();
    let category = |hr: f64| table.standing(hr, &person(sex, age)).category.unwrap();
    for (k, limit) in limits.into_iter().enumerate() {
        assert_eq!(category(limit), NAMES[k], "{sex:?} {age} at {limit}");
        assert_eq!(category(limit + 1.0), NAMES[k + 1], "{sex:?} {age} at {}", limit + 1.0);
    }
}

#[test]
fn printed_rows() {
    check(Sex::Male, 18.0, [76.0, 84.0, 93.0, 100.0, 107.0, 119.0]);
    check(Sex::Male, 40.0, [76.0, 88.0, 98.0, 105.0, 113.0, 124.0]);
    check(Sex::Male, 82.0, [81.0, 92.0, 102.0, 110.0, 118.0, 126.0]);
    check(Sex::Female, 25.0, [81.0, 93.0, 102.0, 110.0, 120.0, 131.0]);
    check(Sex::Female, 55.0, [91.0, 101.0, 110.0, 118.0, 124.0, 132.0]);
    check(Sex::Female, 66.0, [92.0, 101.0, 111.0, 121.0, 126.0, 133.0]);
}

#[test]
fn nobody_under_eighteen_has_a_row() {
    let standing = norms::table("low-step-categories").unwrap().standing(90.0, &person(Sex::Male, 17.0));
    assert_eq!((standing.category, standing.mismatch), (None, Some("age_years")));
}
