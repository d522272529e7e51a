//! The change ladder: each measure from its first comparable time to now, the largest gain first, and the story it tells.

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::{Audience, Known, progress, series, series_name, titled, typical_error};
use crate::{
    catalogue::Protocol,
    change::{self, Comparison, Verdict},
    done::Done,
    quantity,
    units::Units,
};

/// The change ladder of a person: each measure of these tests from its first comparable time to now, largest change first. `history`:
/// everything they did, oldest first.
pub fn ladder<'p>(protocols: impl IntoIterator<Item = &'p Protocol>, history: &[&Done], known: &Known, audience: &Audience) -> Vec<Rung> {
    let mut rungs = Vec::new();
    for protocol in protocols {
        let all = series(protocol, history.iter().copied().filter(|r| r.protocol_id == protocol.id));
        // Only what is followed over time has a change rule.
        let followed = || protocol.scoring.iter().rev().filter(|s| protocol.change_rule(&s.quantity).is_some());
        for (of_series, scoring) in all.iter().flat_map(|of| followed().map(move |scoring| (of, scoring))) {
            let quantity = &scoring.quantity;
            let points: Vec<_> = of_series.iter().filter_map(|r| r.point(quantity)).collect();
            let [earlier @ .., now] = points.as_slice() else { continue };
            let Some(latest) = of_series.iter().rev().find(|r| r.value(quantity).is_some()) else { continue };
            let error = typical_error(protocol, latest, quantity, known.get(&protocol.id));
            let compared = progress(protocol, quantity, earlier, now, error.as_ref());
            if let Some(change) = compared.since_first.or(compared.since_last) {
                let rung = rung(protocol, quantity, audience.word(change));
                rungs.push(match series_name(protocol, &latest.conditions) {
                    Some(name) => rung.of_series(&name, latest.id),
                    None => rung,
                });
            }
        }
    }
    let size = |r: &Rung| r.change.steps.unwrap_or(0.0).abs();
    rungs.sort_by(|a, b| gains_first(a.change.verdict).cmp(&gains_first(b.change.verdict)).then(size(b).total_cmp(&size(a))));
    rungs
}

/// Where a verdict stands in a list that begins with what was gained.
const fn gains_first(verdict: Verdict) -> u8 {
    match verdict {
        Verdict::ClearGain => 0,
        Verdict::PossibleGain => 1,
        Verdict::ClearChange | Verdict::PossibleChange => 2,
        Verdict::WithinNoise => 3,
        Verdict::PossibleLoss => 4,
        Verdict::ClearLoss => 5,
        Verdict::NoVerdict => 6,
        Verdict::NotComparable => 7,
    }
}

/// One row of the change ladder: a measure from first to now, in steps of what the test can detect.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Rung {
    pub protocol: String,
    /// Its display name.
    pub name: String,
    /// The quantity, in words.
    pub label: String,
    /// What it is looked for by: the measure, or the test where the measure says nothing without it.
    #[serde(default)]
    pub title: String,
    /// What says it closer: the test, or the measure.
    #[serde(default)]
    pub detail: String,
    /// From first to now.
    pub change: Comparison,
    /// The first value as shown.
    pub first_shown: String,
    /// Today's value as shown.
    pub now_shown: String,
    pub unit: String,
    /// Whether it is the quantity that the test is heard through first.
    pub is_headline: bool,
    /// A result of its series, where the test has several that are never held against each other.
    #[serde(default)]
    pub like: Option<Uuid>,
}

impl Rung {
    /// The same as a row of one series among several: of one lift, one source.
    fn of_series(self, name: &str, like: Uuid) -> Self {
        Self { name: format!("{}: {name}", self.name), detail: format!("{}, {name}", self.detail), like: Some(like), ..self }
    }
}

/// A row of the ladder for a change.
pub fn rung(protocol: &Protocol, key: &str, change: Comparison) -> Rung {
    let (title, detail) = titled(protocol, key);
    Rung {
        title,
        detail,
        protocol: protocol.id.clone(),
        name: protocol.name.clone(),
        label: quantity::label(key).into_owned(),
        first_shown: change.from_in(Units::Metric),
        now_shown: change.to_in(Units::Metric),
        unit: quantity::unit_shown(key).to_owned(),
        is_headline: protocol.headline() == key,
        like: None,
        change,
    }
}

/// Opens a client's page: what happened since the first tests, in plain words. `today` dates the first test; each test
/// speaks once, through the quantity a client hears first.
pub fn story(rungs: &[Rung], tests: usize, today: NaiveDate) -> String {
    use change::Verdict as V;
    let spoken: Vec<&Rung> = rungs.iter().filter(|r| r.is_headline).collect();
    match (tests, spoken.iter().map(|r| r.change.from_on).min()) {
        (0, _) => "No test yet. Start with readiness, then choose a test.".to_owned(),
        (1, _) => "One test so far. The next one, under the same conditions, will show the change.".to_owned(),
        (_, None) => "Each test was done once so far. The next time, under the same conditions, will show the change.".to_owned(),
        _ if spoken.iter().all(|r| r.change.verdict == V::NotComparable) => {
            "The tests so far were done differently from each other, so no change is claimed.".to_owned()
        }
        (_, Some(first)) => {
            let alike = |r: &Rung| spoken.iter().filter(|o| o.label == r.label).count() > 1;
            // What nothing is known of is said only where there is nothing else to say.
            let is_judged = |r: &&&Rung| r.change.verdict != V::NoVerdict;
            let judged = spoken.iter().any(|r| is_judged(&r) && r.change.verdict != V::NotComparable);
            let counted = |r: &&&Rung| (!judged || is_judged(r)) && r.change.verdict != V::NotComparable;
            let first = spoken.iter().filter(counted).map(|r| r.change.from_on).min().unwrap_or(first);
            let weeks = |from: NaiveDate| ((today - from).num_days() / 7).max(1);
            // Each comparison says its own length where it is not the whole one.
            let own_length = |r: &Rung| Some(weeks(r.change.from_on)).filter(|w| *w != weeks(first));
            let heard = spoken.iter().filter(|r| !judged || is_judged(r));
            let said: Vec<String> = heard.filter_map(|r| spoken_change(r, alike(r), own_length(r))).collect();
            let weeks = weeks(first);
            format!("Since the first test, {} ago: {}.", crate::text::plural(weeks, "week"), crate::text::list(&said))
        }
    }
}

/// One measure's change as part of the story; nothing where the two are not compared. `weeks`: over how many, where it is not as long
/// as the story.
fn spoken_change(rung: &Rung, by_test: bool, weeks: Option<i64>) -> Option<String> {
    use change::Verdict as V;
    let verb = match rung.change.verdict {
        V::ClearGain => "clearly improved",
        V::PossibleGain => "may have improved",
        V::ClearChange => "clearly changed",
        V::PossibleChange => "may have changed",
        V::ClearLoss => "clearly got worse",
        V::PossibleLoss => "may have got worse",
        V::WithinNoise => "did not change by more than measurement error",
        V::NoVerdict if rung.change.difference == 0.0 => "stayed the same",
        V::NoVerdict => "changed, by how much for real is not known",
        V::NotComparable => return None,
    };
    let what = match (quantity::is_generic(&rung.change.quantity), by_test) {
        (true, _) => match rung.change.quantity.split_once('.') {
            Some((_, side)) => format!("{}, {side},", rung.name),
            None => rung.name.clone(),
        },
        (false, true) => format!("{} by the {}", rung.label, rung.name),
        (false, false) => rung.label.clone(),
    };
    let now = quantity::beside(&rung.now_shown, &rung.unit);
    let length = weeks.map(|w| format!(", in {}", crate::text::plural(w, "week"))).unwrap_or_default();
    Some(format!("{what} {verb} ({} → {}{length})", rung.first_shown, now))
}

#[cfg(test)]
mod tests {
    use super::{
        super::tests::{hold, point},
        *,
    };
    use crate::{
        catalogue,
        done::tests::done,
        person::{Facts, Sex},
        typical_error::TypicalError,
    };
    use serde_json::json;

    #[test]
    fn the_ladder_has_the_largest_change_first_and_nothing_that_was_done_once() {
        let squats = |on: &str, reps: f64| done("squat-1min", on, &json!({ "reps": reps }));
        let tests = [
            hold("2026-01-05", 60.0, "to_failure"),
            squats("2026-01-05", 40.0),
            hold("2026-06-05", 180.0, "to_failure"),
            squats("2026-06-05", 41.0),
        ];
        let once = done("push-up", "2026-06-05", &json!({ "reps_toes": 20 }));
        let all: Vec<&Done> = tests.iter().chain([&once]).collect();
        let rungs = ladder(catalogue::all(), &all, &Known::new(), &Audience::default());
        assert_eq!(rungs.first().map(|r| (r.protocol.as_str(), r.change.from, r.change.to)), Some(("plank", 60.0, 180.0)));
        assert!(rungs.iter().all(|r| r.protocol != "push-up"));
        assert!(rungs.is_sorted_by_key(|r| gains_first(r.change.verdict)), "{rungs:?}");
    }

    #[test]
    fn the_story_is_told_even_before_there_is_one() {
        assert!(story(&[], 0, NaiveDate::default()).starts_with("No test yet"));
        assert!(story(&[], 1, NaiveDate::default()).starts_with("One test so far"));
        assert!(story(&[], 4, NaiveDate::default()).starts_with("Each test was done once so far"));
    }

    #[test]
    fn the_story_speaks_of_each_test_once() {
        let protocol = catalogue::find("bench-step-3min").unwrap();
        let te = |q| TypicalError::from_publication(protocol, q, &Facts { sex: Some(Sex::Male), ..Facts::default() }, None);
        let rungs: Vec<Rung> = [("recovery_hr", 156.0, 132.0), ("vo2max", 45.8, 55.9)]
            .map(|(q, from, to)| {
                rung(
                    protocol,
                    q,
                    change::compare(protocol, q, &point("2026-01-05", from, 41.3), &point("2026-06-05", to, 41.3), te(q).as_ref()),
                )
            })
            .into();
        assert_eq!(
            story(&rungs, 2, "2026-11-23".parse().unwrap()),
            "Since the first test, 46 weeks ago: VO₂max clearly improved (45.8 → 55.9 mL/kg/min)."
        );
        let alike = change::compare(protocol, "vo2max", &point("2026-01-05", 38.0, 41.3), &point("2026-06-05", 38.0, 41.3), None);
        assert!(
            alike.sentence.ends_with("stayed at 38.0 mL/kg/min. How much repeats of this test differ is not known."),
            "{}",
            alike.sentence
        );
        let same = story(&[rung(protocol, "vo2max", alike)], 2, "2026-11-23".parse().unwrap());
        assert!(same.contains("VO₂max stayed the same (38.0 → 38.0 mL/kg/min)"), "{same}");
        // A comparison over four weeks does not stand under the forty-six of another.
        let mut later = rungs[1].clone();
        later.label = "distance".into();
        later.change.from_on = "2026-10-26".parse().unwrap();
        let both = story(&[rungs[1].clone(), later], 4, "2026-11-23".parse().unwrap());
        assert!(both.contains("46 weeks ago") && both.contains("distance clearly improved (45.8 → 55.9 mL/kg/min, in 4 weeks)"), "{both}");
    }
}
