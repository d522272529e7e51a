//! Source: Rikli RE, Jones CJ. J Aging Phys Act 1999;7:162-181: the middle half of older adults living at home. Kind:
//! published, recalled. The walk is printed in yards; 0.9144 m each.

use impulso_core::{
    norms::{self, Band},
    person::Sex,
};

use crate::{person, rows};

const TABLE: &str = include_str!("../../data/norms/older-adult-ranges.csv");

#[test]
fn every_printed_row_is_its_own_range_and_the_figures_belong_to_it() {
    for (protocol, unit) in [("walk-6min", 0.9144), ("march-2min", 1.0)] {
        let table = norms::table(&format!("older-adult-ranges/{protocol}")).unwrap();
        let printed: Vec<_> = rows(TABLE).into_iter().filter(|r| r[0] == protocol).collect();
        assert_eq!(printed.len(), 14, "seven age groups for each sex");
        for row in printed {
            let sex = if row[1] == "male" { Sex::Male } else { Sex::Female };
            let age: f64 = row[2].parse().unwrap();
            let (low, high): (f64, f64) = (row[4].parse::<f64>().unwrap() * unit, row[5].parse::<f64>().unwrap() * unit);
            let place = |v: f64| table.standing(v, &person(sex, age)).range.unwrap().place;
            assert_eq!(place(low - 0.1), Band::Below);
            assert_eq!((place(low), place(high)), (Band::Within, Band::Within));
            assert_eq!(place(high + 0.1), Band::Above);
        }
    }
}

#[test]
fn nobody_under_sixty_has_a_row() {
    let standing = norms::table("older-adult-ranges/walk-6min").unwrap().standing(560.0, &person(Sex::Female, 59.0));
    assert_eq!((standing.range, standing.mismatch), (None, Some("age_years")));
}
