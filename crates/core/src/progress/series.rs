//! Tests of one protocol that are never held against each other: each lift, hold, distance or source is a series of its own.

use crate::{catalogue::Protocol, comparability, conditions::Conditions, done::Done};

/// The tests of a protocol by series, each in the order in which it came; the series that was done last comes last.
pub fn series<'r>(protocol: &Protocol, tests: impl IntoIterator<Item = &'r Done>) -> Vec<Vec<&'r Done>> {
    let mut found: Vec<Vec<&'r Done>> = Vec::new();
    for test in tests {
        let own = found.iter().position(|s| comparability::is_of_series(protocol, &s[0].conditions, &test.conditions));
        let mut series = own.map(|k| found.remove(k)).unwrap_or_default();
        series.push(test);
        found.push(series);
    }
    found
}

/// What tells a test's series from the others of its protocol: `bench press`, `L-sit`; nothing where there is only one.
pub fn series_name(protocol: &Protocol, conditions: &Conditions) -> Option<String> {
    let of_series = protocol.conditions.iter().filter(|c| c.is_series);
    let said: Vec<String> = of_series.filter_map(|c| Some(comparability::answer(c, Some(conditions.get(&c.key)?)))).collect();
    (!said.is_empty()).then(|| said.join(", "))
}

/// A test by its name and its series: `Named hold: L-sit`.
pub fn series_title(protocol: &Protocol, conditions: &Conditions) -> String {
    match series_name(protocol, conditions) {
        Some(series) => format!("{}: {series}", protocol.name),
        None => protocol.name.clone(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{
        catalogue,
        done::tests::done,
        progress::{Audience, Known, ladder, summaries},
        units::Units,
    };
    use serde_json::{Value, json};

    fn under(protocol: &str, on: &str, inputs: &Value, conditions: Value) -> Done {
        Done { conditions: serde_json::from_value(conditions).unwrap(), ..done(protocol, on, inputs) }
    }

    /// A lift on a day: bench press 95 and 100 kg, a squat of 120 kg between them.
    fn lifts() -> Vec<Done> {
        let lift = |on: &str, lift: &str, kg: f64| {
            under("one-rm", on, &json!({ "lift": lift, "load_kg": [kg], "made": [true] }), json!({ "lift": lift }))
        };
        vec![lift("2026-05-04", "bench_press", 95.0), lift("2026-06-01", "back_squat", 120.0), lift("2026-11-02", "bench_press", 100.0)]
    }

    #[test]
    fn two_lifts_are_two_rows_and_neither_is_the_best_of_the_other() {
        let all = lifts();
        let tests: Vec<&Done> = all.iter().collect();
        let protocol = catalogue::find("one-rm").unwrap();
        assert_eq!(series(protocol, tests.iter().copied()).iter().map(Vec::len).collect::<Vec<_>>(), [1, 2]);
        let rows = summaries([protocol], &tests, Units::Metric);
        let said: Vec<_> =
            rows.iter().filter(|r| r.quantity == protocol.headline()).map(|r| (r.detail.clone(), r.times, r.last.shown.clone())).collect();
        assert_eq!(said.len(), 2, "{rows:?}");
        assert!(said[0].0.to_lowercase().contains("bench press") && said[0].1 == 2, "{said:?}");
        assert!(said[1].0.to_lowercase().contains("squat") && said[1].1 == 1, "{said:?}");
        assert!(rows.iter().all(|r| r.best.as_ref().is_none_or(|b| !b.shown.starts_with("120"))), "{rows:?}");
    }

    #[test]
    fn each_source_of_a_reported_value_is_followed_on_its_own() {
        let reported =
            |on: &str, value: f64, source: &str| under("reported-vo2max", on, &json!({ "vo2max": value }), json!({ "source": source }));
        let all = [
            reported("2026-03-02", 38.0, "Wrist watch"),
            reported("2026-03-09", 36.2, "Laboratory"),
            reported("2026-06-01", 33.0, "wrist watch"),
            reported("2026-06-08", 37.2, "laboratory"),
        ];
        let tests: Vec<&Done> = all.iter().collect();
        let protocol = catalogue::find("reported-vo2max").unwrap();
        let rungs = ladder([protocol], &tests, &Known::default(), &Audience::default());
        let said: Vec<_> = rungs.iter().map(|r| (r.name.as_str(), r.first_shown.as_str(), r.now_shown.as_str())).collect();
        assert!(
            said.iter().any(|(name, from, to)| name.to_lowercase().ends_with("wrist watch") && (*from, *to) == ("38.0", "33.0")),
            "{said:?}"
        );
        assert!(
            said.iter().any(|(name, from, to)| name.to_lowercase().ends_with("laboratory") && (*from, *to) == ("36.2", "37.2")),
            "{said:?}"
        );
    }
}
