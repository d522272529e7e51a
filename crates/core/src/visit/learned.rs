//! What a visit taught, in three sentences: what is strong, what holds the client back, what has really moved.

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::Protocol,
    change::{Comparison, Verdict},
    conditions::Conditions,
    norms::{Band, Bound, Standing},
    person::Facts,
    quantity, reading,
    report::{FailedPoint, standing_words},
    test_record::Outcome,
    text,
    units::Units,
};

/// A test that was done, as the visit's page judges it.
#[derive(Debug, Clone)]
pub struct Judged<'a> {
    /// The test.
    pub protocol: &'a Protocol,
    /// What it is called, with its lift or hold.
    pub name: String,
    /// The circumstances it was done under.
    pub conditions: &'a Conditions,
    /// What it came to.
    pub outcome: &'a Outcome<'a>,
    /// Points that were not met.
    pub failed: &'a [FailedPoint],
    /// Compared with the last comparable one, measure by measure.
    pub since_last: &'a [Comparison],
    /// And with the first of all.
    pub since_first: &'a [Comparison],
    /// The person on the day.
    pub facts: Facts,
    /// What the person thinks in.
    pub units: Units,
}

/// What a visit taught: three sentences.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Learned {
    pub strong: Option<String>,
    /// What holds the client back most.
    pub holds_back: Option<String>,
    /// What has really moved.
    pub moved: String,
}

impl Judged<'_> {
    /// How well it went, 0 to 100, with the sentence that says so; nothing where nothing says so.
    fn merit(&self) -> Option<(f64, String)> {
        let name = &self.name;
        let value = |q: &str| {
            let said = |value: f64| reading::signed(self.protocol, self.conditions, q, value, self.units);
            let shown = self.outcome.result(q).map(|e| said(e.value)).unwrap_or_default();
            format!("{} {shown}", quantity::label(q))
        };
        let passes = self.outcome.passes.iter().map(|(q, pass)| {
            let mark = quantity::said(q, pass.mark, self.units);
            let lower = quantity::lower_is_better(q);
            let (merit, words) = match (pass.met, lower) {
                (true, _) => (75.0, "reached the target of"),
                (false, true) => (18.0, "over the target of"),
                (false, false) => (18.0, "short of the target of"),
            };
            (merit, format!("{name}: {}, {words} {mark}.", value(q)))
        });
        let norms = self.outcome.norms.iter().filter_map(|(q, standing)| {
            let (merit, words) = standing_merit(standing)?;
            let population = standing.table.population_for(&self.facts);
            let whom = population.split(';').next().unwrap_or(&population);
            Some((merit, format!("{name}: {}, {words} among {whom}.", value(q))))
        });
        let met = self.outcome.result("points_met").zip(self.outcome.result("points_of"));
        let points = met.filter(|(_, of)| of.value > 0.0).map(|(met, of)| {
            let missed: Vec<String> = self.failed.iter().map(|f| text::small(&f.point)).collect();
            let words = if missed.is_empty() { "every point met".to_owned() } else { format!("not met: {}", text::list(&missed)) };
            // One missed point in five weighs as much as a mark that is missed.
            let share = met.value / of.value;
            (if share >= 1.0 { 72.0 } else { 35.0 * share }, format!("{name}: {} of {}, {words}.", met.value, of.value))
        });
        let zero = self.outcome.result(self.protocol.headline()).filter(|e| e.value == 0.0 && self.is_better_more());
        let zero = zero.map(|_| (0.0, format!("{name}: nothing yet, which is a score: the place to begin.")));
        // What is worst about a test is what is said of it, unless a standing says more than a mark.
        zero.or_else(|| points.into_iter().chain(norms).chain(passes).min_by(|a, b| a.0.total_cmp(&b.0)))
    }

    fn is_better_more(&self) -> bool {
        quantity::better(self.protocol.headline()) == Some(quantity::Better::More)
    }
}

/// A standing as a place from 0 to 100, with its words.
fn standing_merit(standing: &Standing) -> Option<(f64, String)> {
    let merit = match (standing.percentile, standing.bound, standing.range.map(|r| r.place)) {
        (Some(percentile), ..) => percentile,
        (_, Some(Bound::Above(p)), _) => f64::from(p),
        (_, Some(Bound::Below(p)), _) => f64::from(p) - 1.0,
        (.., Some(Band::Below)) => 15.0,
        (.., Some(Band::Within)) => 50.0,
        (.., Some(Band::Above)) => 85.0,
        (None, None, None) => {
            let z = standing.mean?.z?;
            let words = if z < 0.0 { "below the mean" } else { "at or above the mean" };
            return Some(((50.0 + 34.0 * z).clamp(0.0, 100.0), words.to_owned()));
        }
    };
    Some((merit, standing_words(standing)))
}

/// What the visit taught. A merit of 60 and more is strong, one under 40 holds back; both are said only where a table, a mark
/// or points say so.
pub fn learned(tests: &[Judged]) -> Learned {
    let merits: Vec<(f64, String)> = tests.iter().filter_map(Judged::merit).collect();
    let best = merits.iter().max_by(|a, b| a.0.total_cmp(&b.0)).filter(|(m, _)| *m >= 60.0);
    let worst = merits.iter().min_by(|a, b| a.0.total_cmp(&b.0)).filter(|(m, _)| *m < 40.0);
    Learned { strong: best.map(|(_, s)| s.clone()), holds_back: worst.map(|(_, s)| s.clone()), moved: moved(tests) }
}

/// So many changes without a verdict are named.
const UNDECIDED_MAX: usize = 3;

fn moved(tests: &[Judged]) -> String {
    let clear = |c: &&Comparison| matches!(c.verdict, Verdict::ClearGain | Verdict::ClearLoss | Verdict::ClearChange);
    let possible = |c: &&Comparison| matches!(c.verdict, Verdict::PossibleGain | Verdict::PossibleLoss | Verdict::PossibleChange);
    let by = |t: &Judged, c: &Comparison| {
        let change = quantity::said(&c.quantity, c.difference.abs(), t.units);
        let sign = if c.difference < 0.0 { "−" } else { "+" };
        format!("{} {sign}{} ({}", quantity::label(&c.quantity), change.trim_start_matches('+'), t.name)
    };
    let compared = tests.iter().flat_map(|t| t.since_last.iter()).filter(|c| c.verdict != Verdict::NotComparable);
    let Some(from) = compared.map(|c| c.from_on).max() else {
        return "The first of its kind here. The next one will show what has changed.".into();
    };
    let of = |t: &Judged, list: &[Comparison], such: &dyn Fn(&&Comparison) -> bool| {
        let main = list.iter().filter(such).max_by(|a, b| a.steps.unwrap_or(0.0).abs().total_cmp(&b.steps.unwrap_or(0.0).abs()));
        main.map(|c| format!("{}, {})", by(t, c), c.verdict_words))
    };
    let last: Vec<String> = tests.iter().filter_map(|t| of(t, t.since_last, &clear)).collect();
    let first: Vec<String> = tests.iter().filter_map(|t| of(t, t.since_first, &clear)).collect();
    // What is merely possible never stands under what is clear; of a test that moved clearly it is not said besides.
    let has_clear = |t: &&Judged| t.since_last.iter().any(|c| clear(&c));
    let perhaps: Vec<String> = tests.iter().filter(|t| !has_clear(t)).filter_map(|t| of(t, t.since_last, &possible)).collect();
    let day = from.format("%-d %B %Y");
    // What moved where nothing is known of the measurement error: neither a gain nor nothing.
    let open = |c: &&Comparison| c.verdict == Verdict::NoVerdict && c.difference != 0.0;
    let undecided: Vec<String> = tests.iter().filter_map(|t| t.since_last.iter().find(open).map(|c| format!("{})", by(t, c)))).collect();
    let since_last = if last.is_empty() && !perhaps.is_empty() {
        format!("Since {day} there is no clear change; perhaps {}.", text::list(&perhaps))
    } else if last.is_empty() && undecided.is_empty() {
        format!("No change since {day} is larger than measurement error. If that goes on, change the training.")
    } else if last.is_empty() {
        let undecided = text::list(&undecided[..undecided.len().min(UNDECIDED_MAX)]);
        format!("Since {day}: {undecided}. The measurement error of these tests is not known, so this may be chance.")
    } else {
        let perhaps = if perhaps.is_empty() { String::new() } else { format!(" Perhaps: {}.", text::list(&perhaps)) };
        format!("Clear changes since {day}: {}.{perhaps}", text::list(&last))
    };
    if first.is_empty() { since_last } else { format!("{since_last} Since the first time: {}.", text::list(&first)) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{
        catalogue,
        inputs::{Inputs, Value},
        person::Sex,
        report::failed_points,
        test_record::{TestRecord, compute},
        units::Age,
    };

    #[test]
    fn what_is_strong_and_what_holds_back_come_from_tables_marks_and_points() {
        let facts = Facts { sex: Some(Sex::Male), age: Some(Age::new(24.0).unwrap()), ..Facts::default() };
        let plank = catalogue::find("plank").unwrap();
        let squat = catalogue::find("air-squat").unwrap();
        let held: Inputs =
            [("seconds".to_owned(), Value::from(215.0)), ("support".to_owned(), Value::Words("forearm".into()))].into_iter().collect();
        let points = squat.inputs[0].points.iter().enumerate().map(|(k, (key, _))| (key.clone(), k > 1)).collect();
        let seen: Inputs = [("points".to_owned(), Value::Points(points))].into_iter().collect();
        let (a, b) = (TestRecord::of(plank, facts, &held), TestRecord::of(squat, facts, &seen));
        let (plank_out, squat_out) = (compute(&a).unwrap(), compute(&b).unwrap());
        let failed = failed_points(squat, &seen);
        let none = Conditions::new();
        let judged = |protocol: &'static Protocol, outcome, failed| Judged {
            name: protocol.name.clone(),
            conditions: &none,
            protocol,
            outcome,
            failed,
            since_last: &[],
            since_first: &[],
            facts,
            units: Units::Metric,
        };
        let learned = learned(&[judged(plank, &plank_out, &[]), judged(squat, &squat_out, &failed)]);
        assert!(learned.strong.unwrap().starts_with("Plank"), "the plank is the strong one");
        let back = learned.holds_back.unwrap();
        assert!(back.contains("3 of 5") && back.contains("chest up"), "{back}");
        assert!(learned.moved.starts_with("The first of its kind"));
    }
}
