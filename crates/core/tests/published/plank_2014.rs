//! Strand SL, Hjelm J, Shoepe TC, Fajardo MA. Norms for an isometric muscle endurance test. J Hum Kinet 2014;40:93-102;
//! published, recalled. A row from each corner of the table, and what lies beyond it.

use impulso_core::{
    norms::{Bound, table},
    person::{Facts, Sex},
    units::Age,
};

#[test]
fn the_corners_of_the_table() {
    let standing = |sex, age: f64, seconds: f64| {
        let facts = Facts { sex: Some(sex), age: Age::new(age).ok(), ..Facts::default() };
        table("plank-percentiles").unwrap().standing(seconds, &facts)
    };
    for (sex, seconds, percentile) in
        [(Sex::Male, 201.0, 90.0), (Sex::Male, 62.0, 10.0), (Sex::Female, 142.0, 90.0), (Sex::Female, 35.0, 10.0), (Sex::Male, 110.0, 50.0)]
    {
        assert_eq!(standing(sex, 20.0, seconds).percentile, Some(percentile), "{sex:?} {seconds}");
    }
    assert_eq!(standing(Sex::Male, 18.0, 202.0).bound, Some(Bound::Above(90)));
    assert_eq!(standing(Sex::Female, 25.0, 34.0).bound, Some(Bound::Below(10)));
    // Made of students of 18 to 25: for anyone else it is silent.
    let older = standing(Sex::Male, 40.0, 110.0);
    assert_eq!((older.percentile, older.mismatch), (None, Some("age_years")));
}
