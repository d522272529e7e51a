//! What a test of a visit came to, as one row says it.

use serde::{Deserialize, Serialize};

use super::Judged;
use crate::{
    catalogue::Protocol,
    change::Comparison,
    conditions::Conditions,
    done::Done,
    error::InputError,
    progress::{Audience, Changes, Known, changes, series_title},
    quantity, reading,
    report::{self, FailedPoint, PassReport, QuantityReport, ResultReport},
    test_record::Outcome,
    text,
    units::Units,
};

/// A measure of a test.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Figure {
    /// What it is called.
    pub label: String,
    /// With its unit.
    pub value: String,
    /// How far an estimate may be off: `95 % range 24 to 36 mL/kg/min`.
    #[serde(default)]
    pub range: Option<String>,
}

/// What a test came to.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Row {
    /// What it came to, measure by measure.
    pub figures: Vec<Figure>,
    /// The same in a few words: `3 kg`, with its side where it has one, several with side or name: `left 68° · right 74°`.
    #[serde(default)]
    pub brief: Option<String>,
    /// Where the first of them stands.
    pub standing: Option<String>,
    /// A mark, passed or not.
    pub pass: Option<PassReport>,
    /// What else was measured and seen: the first shake, each girth, ratios, where it gave way.
    pub details: Vec<Figure>,
    /// What to keep in mind.
    pub flags: Vec<String>,
    /// How it was done, in a few words: the surface, the weather.
    pub how: Option<String>,
    /// Compared with the last time, the measure that moved most.
    pub change: Option<Comparison>,
    /// What that measure was and is, with its unit.
    pub change_words: Option<String>,
}

/// A test of a visit that has its result.
#[derive(Debug)]
pub struct Seen<'a> {
    /// Its place in the battery.
    pub place: usize,
    /// The test.
    pub protocol: &'a Protocol,
    /// The result that counts.
    pub done: &'a Done,
    /// What it computes to.
    pub outcome: Outcome<'a>,
    /// The same in words.
    pub report: ResultReport,
    changes: Changes,
    units: Units,
}

impl<'a> Seen<'a> {
    /// Looks at a result that counts; nothing where it has no score. `history`: what it is compared with, oldest first.
    ///
    /// # Errors
    /// As [`Done::scores`].
    pub fn of(
        place: usize,
        protocol: &'a Protocol,
        done: &'a Done,
        history: &[&Done],
        known: &Known,
        audience: &Audience,
    ) -> Result<Option<Self>, InputError> {
        let own = known.get(&protocol.id).cloned().unwrap_or_default();
        let Some((outcome, report)) = done.report(protocol, &own, audience.units)? else { return Ok(None) };
        let changes = changes(protocol, done, history.iter().copied(), &report, audience);
        Ok(Some(Self { place, protocol, done, outcome, report, changes, units: audience.units }))
    }

    /// As a row says it.
    pub fn row(&self) -> Row {
        let quantities = &self.report.quantities;
        let heard: Vec<&QuantityReport> = quantities.iter().filter(|q| q.is_heard(self.protocol)).collect();
        let change = main_change(self.protocol, &self.changes.since_last);
        Row {
            figures: heard.iter().map(|q| self.figure(q)).collect(),
            brief: self.brief(&heard),
            details: self.details(),
            flags: self.report.flags.iter().map(|f| f.message.clone()).collect(),
            how: self.how(),
            standing: quantities.iter().flat_map(|q| &q.norms).map(|n| n.sentence.clone()).find(|s| s != report::NO_STANDING),
            pass: report::pass_of_test(self.protocol, &self.outcome, self.units),
            change: change.cloned(),
            change_words: change.map(|c| change_words(self.protocol, &self.done.conditions, c, &self.changes.since_last, self.units)),
        }
    }

    /// As the visit's lesson judges it.
    pub fn judged(&self) -> Judged<'_> {
        Judged {
            protocol: self.protocol,
            name: series_title(self.protocol, &self.done.conditions),
            conditions: &self.done.conditions,
            outcome: &self.outcome,
            failed: &self.report.failed,
            since_last: &self.changes.since_last,
            since_first: &self.changes.since_first,
            facts: self.done.facts,
            units: self.units,
        }
    }

    /// The points that were not met, with the test's name before each.
    pub fn failed(&self) -> impl Iterator<Item = FailedPoint> + '_ {
        let named =
            |f: &FailedPoint| FailedPoint { point: format!("{}: {}", self.protocol.name, text::small(&f.point)), often: f.often.clone() };
        self.report.failed.iter().map(named)
    }

    /// These measures in a few words; nothing where there is none.
    fn brief(&self, heard: &[&QuantityReport]) -> Option<String> {
        let said = |q: &&QuantityReport| {
            let Figure { label, value, .. } = self.figure(q);
            match quantity::side(&q.key).filter(|side| *side != "difference") {
                Some(side) => format!("{side} {value}"),
                None if heard.len() > 1 && report::says_unit(&label, &q.unit) => format!("{label} {}", q.shown),
                None if heard.len() > 1 => format!("{label} {value}"),
                None => value,
            }
        };
        (!heard.is_empty()).then(|| heard.iter().map(said).collect::<Vec<_>>().join(" · "))
    }

    /// What stands in the result beside what it is about: measures, and what was seen. Not a side's share of what is said already.
    fn details(&self) -> Vec<Figure> {
        let quantities = &self.report.quantities;
        // How many points there are stands beside those that were met.
        let is_count = |q: &QuantityReport| quantity::base(&q.key) == "points_of";
        let is_detail = |q: &&QuantityReport| q.value.is_some() && !q.is_heard(self.protocol) && !is_count(q);
        // Each side before how far they lie apart, and what a body weighs after everything else.
        let first_of = |q: &QuantityReport| quantities.iter().position(|of| quantity::base(&of.key) == quantity::base(&q.key));
        let rank = |q: &&QuantityReport| {
            let side = quantity::side(&q.key);
            (first_of(q), side == Some("difference"), side == Some("left"))
        };
        let mut measured: Vec<&QuantityReport> = quantities.iter().filter(is_detail).collect();
        measured.sort_by_key(rank);
        let (body, others): (Vec<_>, Vec<_>) = measured.into_iter().partition(|q| quantity::is_said_last(&q.key));
        let seen = reading::seen(self.protocol, &self.done.inputs, self.units);
        let seen = seen.into_iter().map(|l| Figure { label: l.label, value: l.value, range: None });
        others.into_iter().map(|q| self.figure(q)).chain(seen).chain(body.into_iter().map(|q| self.figure(q))).collect()
    }

    /// The circumstances in a few words, those of set-up alone.
    fn how(&self) -> Option<String> {
        let asked = |label: &str| self.protocol.conditions.iter().any(|c| c.label == label && !c.recorded_by_run);
        let shown = report::condition_reports(self.protocol, &self.done.conditions, self.units);
        let said: Vec<String> =
            shown.into_iter().filter(|c| asked(&c.label)).map(|c| format!("{} {}", c.label.to_lowercase(), c.value)).collect();
        (!said.is_empty()).then(|| said.join(" · "))
    }

    /// A measure as it is said; points with how many there are.
    fn figure(&self, q: &QuantityReport) -> Figure {
        let value = q.value.map(|v| reading::said(self.protocol, &self.done.conditions, &q.key, v, self.units)).unwrap_or_default();
        let of = || {
            let side = q.key.strip_prefix("points_met").filter(|side| *side != ".difference")?;
            self.report.quantities.iter().find(|of| of.key.strip_prefix("points_of") == Some(side))
        };
        match of() {
            Some(of) => {
                let label = if q.key == "points_met" { "points" } else { &q.label };
                Figure { label: label.to_owned(), value: format!("{value} of {}", of.shown), range: None }
            }
            None => Figure { label: q.label.clone(), value, range: q.range.as_ref().map(|r| r.sentence.clone()) },
        }
    }
}

/// What moved most against its measurement error since last time; where nothing is known of that, what moved at all, and first of it
/// what the test is about. How far the sides lie apart comes last: it moves where either of them does.
fn main_change<'c>(protocol: &Protocol, since_last: &'c [Comparison]) -> Option<&'c Comparison> {
    let size = |c: &&Comparison| c.steps.unwrap_or(0.0).abs();
    let of_a_side = || since_last.iter().filter(|c| quantity::side(&c.quantity) != Some("difference"));
    let most = of_a_side().max_by(|a, b| size(a).total_cmp(&size(b))).filter(|c| size(c) > 0.0);
    let about = |c: &&Comparison| c.quantity == protocol.headline();
    let moved = || of_a_side().filter(|c| c.difference != 0.0);
    most.or_else(|| moved().find(about))
        .or_else(|| moved().next())
        .or_else(|| of_a_side().find(about))
        .or_else(|| of_a_side().next())
        .or_else(|| since_last.first())
}

/// From what to what it moved; of two sides both, each with its own verdict where the two have another.
fn change_words(protocol: &Protocol, conditions: &Conditions, main: &Comparison, since_last: &[Comparison], units: Units) -> String {
    let moved = |c: &Comparison| {
        let said = |v: f64| reading::signed(protocol, conditions, &c.quantity, v, units);
        if c.difference == 0.0 { format!("{} both times", said(c.to)) } else { format!("{} → {}", said(c.from), said(c.to)) }
    };
    let is_side = |c: &&Comparison| {
        let side = quantity::side(&c.quantity);
        quantity::base(&c.quantity) == quantity::base(&main.quantity) && side.is_some() && side != Some("difference")
    };
    let sides: Vec<&Comparison> = since_last.iter().filter(is_side).collect();
    if sides.len() < 2 {
        return moved(main);
    }
    let differ = sides.iter().any(|c| c.verdict != main.verdict);
    let line = |c: &&Comparison| {
        let verdict = if differ { format!(", {}", c.verdict_words) } else { String::new() };
        format!("{} {}{verdict}", quantity::side(&c.quantity).unwrap_or_default(), moved(c))
    };
    sides.iter().map(line).collect::<Vec<_>>().join("; ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{catalogue, done::tests::done};
    use serde_json::json;

    fn row_of(then: &Done, now: &Done) -> Row {
        let protocol = catalogue::find(&now.protocol_id).unwrap();
        Seen::of(0, protocol, now, &[then, now], &Known::new(), &Audience::default()).unwrap().unwrap().row()
    }

    #[test]
    fn a_row_says_both_sides_and_not_how_far_they_lie_apart() {
        let stance = |on: &str, left: f64, right: f64| {
            done("one-leg-stance", on, &json!({ "seconds": { "left": [left], "right": [right] }, "eyes": "open" }))
        };
        let row = row_of(&stance("2026-03-01", 8.0, 14.0), &stance("2026-06-01", 20.0, 14.0));
        let words = row.change_words.unwrap();
        assert!(words.contains("left 8") && words.contains("20") && words.contains("right 14") && words.contains("both times"), "{words}");
        assert!(row.pass.unwrap().met, "both reach the target of 10 s");
        assert_ne!(row.change.unwrap().quantity, "seconds.difference");
    }

    #[test]
    fn a_row_in_few_words_names_each_side_and_each_of_several_measures() {
        let brief = |test: &Done| row_of(test, test).brief.unwrap();
        let angle = |sides: serde_json::Value| done("knee-extension-angle", "2026-03-01", &json!({ "degrees": sides }));
        assert_eq!(brief(&angle(json!({ "left": [68.0], "right": [74.0] }))), "left 68° · right 74°");
        assert_eq!(brief(&angle(json!({ "right": [74.0] }))), "right 74°");
        let mut body = done("body", "2026-03-01", &json!({ "waist_cm": [99.0] }));
        body.facts.height = Some(crate::units::Height::new(180.0).unwrap());
        assert_eq!(brief(&body), "waist over height 0.55 · waist 99.0 cm");
        assert_eq!(brief(&done("crunch-1min", "2026-03-01", &json!({ "reps": 24.0 }))), "24 reps");
        assert_eq!(
            brief(&done("staged-sit-up", "2026-03-01", &json!({ "stage": 4.0, "reps": 6.0 }))),
            "stage 4, elbows to the knees, arms crossed · repetitions 6"
        );
    }

    #[test]
    fn what_stopped_has_no_row_of_its_own() {
        let held = done("plank", "2026-03-01", &json!({ "seconds": 40.0, "support": "forearm" }));
        let stopped = Done { stopped: Some(crate::done::Stop { at_s: 40.0, reason: None, note: None }), ..held };
        let protocol = catalogue::find("plank").unwrap();
        assert!(Seen::of(0, protocol, &stopped, &[], &Known::new(), &Audience::default()).unwrap().is_none());
    }

    #[test]
    fn points_are_told_of_how_many() {
        let protocol = catalogue::find("air-squat").unwrap();
        let points: std::collections::BTreeMap<&String, bool> = protocol.inputs[0].points.iter().map(|(key, _)| (key, true)).collect();
        let squat = done("air-squat", "2026-03-01", &json!({ "points": points }));
        let row = row_of(&squat, &squat);
        assert_eq!((row.figures[0].label.as_str(), row.figures[0].value.as_str()), ("points", "5 of 5"));
        assert_eq!(row.brief.as_deref(), Some("5 of 5"));
        assert_eq!(row.change, None, "the first time");
    }
}
