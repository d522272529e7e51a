//! Source: Kaminsky LA, Arena R, Myers J. Mayo Clin Proc 2015;90:1515-1523 (VO2max measured on a treadmill). Kind:
//! published, recalled.
//!
//! A copy with a slip of the pen would break one of two things that hold in the printed table: fitness rises with the
//! percentile, and falls with the decade, men above women.

use impulso_core::{norms, person::Sex};

use crate::{person, rows};

const TABLE: &str = include_str!("../../data/norms/vo2max-percentiles-treadmill.csv");

fn of(sex: &str) -> Vec<Vec<f64>> {
    rows(TABLE).into_iter().filter(|r| r[0] == sex).map(|r| r[3..].iter().map(|v| v.parse().unwrap()).collect()).collect()
}

#[test]
fn fitness_rises_with_the_percentile_and_falls_with_the_decade() {
    for sex in ["male", "female"] {
        let decades = of(sex);
        assert_eq!(decades.len(), 6);
        for decade in &decades {
            assert!(decade.is_sorted_by(|a, b| a < b), "{sex}: {decade:?}");
        }
        for pair in decades.windows(2) {
            assert!(pair[0].iter().zip(&pair[1]).all(|(younger, older)| younger > older), "{sex}: {pair:?}");
        }
    }
}

#[test]
fn men_stand_above_women_at_every_printed_point() {
    for (men, women) in of("male").iter().zip(of("female")) {
        assert!(men.iter().zip(&women).all(|(m, w)| m > w));
    }
}

#[test]
fn every_printed_point_gives_its_own_percentile() {
    let table = norms::table("vo2max-percentiles-treadmill").unwrap();
    for row in rows(TABLE) {
        let sex = if row[0] == "male" { Sex::Male } else { Sex::Female };
        for age in [&row[1], &row[2]] {
            for (percentile, value) in [5.0, 10.0, 25.0, 50.0, 75.0, 90.0, 95.0].into_iter().zip(&row[3..]) {
                let standing = table.standing(value.parse().unwrap(), &person(sex, age.parse().unwrap()));
                assert_eq!(standing.percentile, Some(percentile), "{sex:?}, {age}: {value}");
            }
        }
    }
}
