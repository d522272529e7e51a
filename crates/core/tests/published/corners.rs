//! The printed tables by their corners: `corners.csv`, the citation above its rows.

use impulso_core::{norms, person::Sex};

use crate::{person, rows};

#[test]
fn every_corner_is_as_it_is_printed() {
    for row in rows(include_str!("corners.csv")) {
        let [id, sex, age, value, expected] = row[..] else { panic!("{row:?}") };
        let sex = if sex == "male" { Sex::Male } else { Sex::Female };
        let standing = norms::table(id).unwrap().standing(value.parse().unwrap(), &person(sex, age.parse().unwrap()));
        let found = standing
            .percentile
            .map(|p| format!("{p:.0}"))
            .or_else(|| standing.bound.map(|b| b.to_string()))
            .or_else(|| standing.category.clone())
            .or_else(|| standing.range.map(|r| serde_json::to_value(r.place).unwrap().as_str().unwrap().to_owned()))
            .or_else(|| standing.mean.map(|m| format!("mean {}{}", m.value, m.sd.map(|sd| format!(" sd {sd}")).unwrap_or_default())))
            .unwrap_or_else(|| "silent".into());
        assert_eq!(found, expected, "{row:?}");
        assert_eq!(standing.mismatch.is_some(), expected == "silent");
    }
}

/// A better performance is never printed under a worse one, and in categories and ranges alike the limits fall in order.
#[test]
fn every_table_is_in_order_within_itself() {
    for table in norms::tables() {
        for (sex, age) in [Sex::Male, Sex::Female].into_iter().flat_map(|s| (18..95).map(move |a| (s, f64::from(a)))) {
            let ticks = table.ticks(&person(sex, age));
            let is_category = ticks.iter().any(|t| t.label.parse::<f64>().is_err() && t.label != "mean");
            // Categories are printed best first.
            let merit = |v: f64| if table.lower_is_better() == is_category { v } else { -v };
            // Two percentiles of one printed value: a floor of the measure.
            assert!(ticks.windows(2).all(|w| merit(w[0].value) <= merit(w[1].value)), "{} {sex:?} {age}: {ticks:?}", table.id);
        }
    }
}
