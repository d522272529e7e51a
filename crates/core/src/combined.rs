//! One best VO2max from several methods.
//!
//! Within a window of weeks every method counts once, with the mean of its tests. Methods are weighted by the inverse of their
//! variance, as generalised least squares has it (any textbook of statistics): what is the same in several of them, such as the
//! predicted maximum of one person, makes them alike and is not averaged away. A weight is never negative. What was flagged as unfit goes
//! nowhere in.

use std::collections::{BTreeMap, BTreeSet};

use chrono::{Days, NaiveDate};
use serde::Serialize;
use uuid::Uuid;

use crate::{
    catalogue::{FlagCode, Protocol},
    conditions::Answer,
    done::Done,
    quantity,
    range::{self, QUANTITY, Range, Z95},
    test_record, text,
    units::rounded,
};

/// The window that is offered first, weeks.
pub const WEEKS: u32 = 8;
/// The widest window, weeks.
pub const WEEKS_MAX: u32 = 52;

/// Parts that are another each day: the mean of several days has less of them.
const OF_THE_DAY: [&str; 4] = ["day", "reading", "scatter", "readings"];
/// No more than this share of a method's variance is taken as shared with others: something is always its own.
const SHARED_MOST: f64 = 0.9;

/// Why two methods may be far apart.
const REASONS: &str = "Usual reasons: a medicine that limits the heart rate, a maximum that is not this person’s, a test that was not \
                       maximal, illness or training between the dates, a wrong body mass.";

/// A VO2max of one test, as it may go into the best one.
#[derive(Debug, Clone, PartialEq)]
pub struct Entry {
    pub result: Uuid,
    /// The test, and the source of a reported value.
    pub method: String,
    pub on: NaiveDate,
    /// mL/kg/min.
    pub value: f64,
    /// How far it may be off; nothing where that is not known.
    pub range: Option<Range>,
    /// Why it was found unfit.
    pub unfit: Option<String>,
}

impl Entry {
    /// The VO2max of a test; nothing where it has none.
    pub fn of(protocol: &Protocol, done: &Done) -> Option<Self> {
        let value = done.value(QUANTITY)?;
        let record = done.record(protocol);
        let mut outcome = test_record::compute(&record).ok()?;
        test_record::hold_to_protocol(&mut outcome, protocol, &done.conditions, &done.facts);
        let unfit = outcome.flags.iter().find(|f| is_unfit(f.code)).map(|f| f.message.clone());
        // A reported value goes by its source, however that was written.
        let method = match done.conditions.get("source") {
            Some(Answer::Text(source)) => text::capital(&source.trim().to_lowercase()),
            _ => protocol.name.clone(),
        };
        let range = range::of(&record, &outcome);
        Some(Self { result: done.id, method, on: done.on, value, range, unfit })
    }
}

/// Whether a flag says that an estimate is not to be built on: a heart-rate drug, no steady state, not by the protocol.
const fn is_unfit(code: FlagCode) -> bool {
    use FlagCode as F;
    matches!(
        code,
        F::HeartRateDrug
            | F::NoSteadyState
            | F::HrBelowBand
            | F::HrAboveBand
            | F::WideExtrapolation
            | F::BenchDiffers
            | F::NotAsAsked
            | F::MaximumTooLow
    )
}

/// The best VO2max of a window.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Combined {
    /// Up to and with this day.
    pub until: NaiveDate,
    pub weeks: u32,
    /// The best value; nothing where the window holds no estimate.
    pub best: Option<Best>,
    /// What went in, the heaviest first.
    pub methods: Vec<Method>,
    /// What did not, and why.
    pub left_out: Vec<LeftOut>,
    /// Methods whose ranges do not overlap, and the usual reasons.
    pub disagreements: Vec<String>,
}

/// A value made of several methods.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Best {
    /// mL/kg/min.
    pub value: f64,
    /// As shown, without the unit.
    pub shown: String,
    /// Both ends of the 95 % range, mL/kg/min.
    pub low: f64,
    pub high: f64,
    /// In words: `95 % range 31 to 39 mL/kg/min`.
    pub sentence: String,
    /// Said where the range is too wide to be of use.
    pub warning: Option<String>,
    /// What its range is made of, the largest first.
    pub parts: Vec<BestPart>,
}

/// A part of the range of the best value.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct BestPart {
    pub words: String,
    /// One standard deviation, mL/kg/min.
    pub sd: f64,
}

/// A method that went in.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Method {
    pub method: String,
    /// Its value, or the mean of its tests, mL/kg/min.
    pub value: f64,
    /// As shown, without the unit.
    pub shown: String,
    /// Both ends of its 95 % range, mL/kg/min.
    pub low: f64,
    pub high: f64,
    /// Its share of the best value, 0 to 1.
    pub weight: f64,
    /// Its tests, earliest first.
    pub tests: Vec<MethodTest>,
    #[serde(skip)]
    own: Spread,
}

/// One test of a method.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct MethodTest {
    pub result: Uuid,
    pub on: NaiveDate,
    /// mL/kg/min.
    pub value: f64,
}

/// A test that did not go in.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LeftOut {
    pub result: Uuid,
    pub method: String,
    pub on: NaiveDate,
    /// As shown, without the unit.
    pub shown: String,
    pub why: String,
}

/// One best value of the trend.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct BestPoint {
    pub on: NaiveDate,
    /// How many methods went in.
    pub methods: usize,
    pub best: Best,
}

/// How far a method may be off: downwards, upwards, and what of it is shared by name. One standard deviation each, mL/kg/min.
#[derive(Debug, Clone, PartialEq, Default)]
struct Spread {
    down: f64,
    up: f64,
    shared: BTreeMap<String, f64>,
}

impl Spread {
    fn of(value: f64, range: &Range) -> Self {
        let (down, up) = ((value - range.low) / Z95, (range.high - value) / Z95);
        let most = SHARED_MOST * down.min(up).powi(2);
        let together: f64 = range.shared.values().map(|s| s * s).sum();
        let scale = if together > most { (most / together).sqrt() } else { 1.0 };
        Self { down, up, shared: range.shared.iter().map(|(name, sd)| (name.clone(), sd * scale)).collect() }
    }

    fn variance(&self) -> f64 {
        f64::midpoint(self.down.powi(2), self.up.powi(2))
    }

    fn covariance(&self, other: &Self) -> f64 {
        self.shared.iter().filter_map(|(name, sd)| Some(sd * other.shared.get(name)?)).sum()
    }

    fn shared_variance(&self) -> f64 {
        self.shared.values().map(|s| s * s).sum()
    }
}

/// The best VO2max of the `weeks` up to a day.
pub fn combine(entries: &[Entry], until: NaiveDate, weeks: u32) -> Combined {
    let from = until.checked_sub_days(Days::new(7 * u64::from(weeks))).unwrap_or(NaiveDate::MIN);
    let (mut fit, mut left_out): (Vec<(&Entry, &Range)>, Vec<LeftOut>) = (Vec::new(), Vec::new());
    for entry in entries.iter().filter(|e| e.on > from && e.on <= until) {
        let twin = |(kept, _): &(&Entry, &Range)| kept.method == entry.method && kept.on == entry.on && kept.value == entry.value;
        let why = match (&entry.unfit, &entry.range) {
            (Some(why), _) => why.clone(),
            (None, None) => "How far it may be off is not known.".to_owned(),
            (None, Some(_)) if fit.iter().any(twin) => "The same test is there twice.".to_owned(),
            (None, Some(range)) => {
                fit.push((entry, range));
                continue;
            }
        };
        let shown = quantity::shown(QUANTITY, entry.value);
        left_out.push(LeftOut { result: entry.result, method: entry.method.clone(), on: entry.on, shown, why });
    }
    let names: BTreeSet<&str> = fit.iter().map(|(e, _)| e.method.as_str()).collect();
    let mut methods: Vec<Method> =
        names.into_iter().map(|name| method(name, fit.iter().filter(|(e, _)| e.method == name).copied())).collect();
    let weights = weights(&methods.iter().map(|m| &m.own).collect::<Vec<_>>());
    for (method, weight) in methods.iter_mut().zip(weights) {
        method.weight = weight;
    }
    let best = (!methods.is_empty()).then(|| best(&methods));
    let disagreements = disagreements(&methods);
    methods.sort_by(|a, b| b.weight.total_cmp(&a.weight).then_with(|| a.method.cmp(&b.method)));
    Combined { until, weeks, best, methods, left_out, disagreements }
}

/// The best value of each day on which something was taken, earliest first.
pub fn trend(entries: &[Entry], weeks: u32) -> Vec<BestPoint> {
    let days: BTreeSet<NaiveDate> = entries.iter().filter(|e| e.unfit.is_none()).map(|e| e.on).collect();
    days.into_iter()
        .filter_map(|on| {
            let combined = combine(entries, on, weeks);
            Some(BestPoint { on, methods: combined.methods.len(), best: combined.best? })
        })
        .collect()
}

/// One method with the mean of its tests. What is another each day shrinks with their number; what is the person's own stays.
fn method<'e>(name: &str, tests: impl Iterator<Item = (&'e Entry, &'e Range)>) -> Method {
    let mut tests: Vec<(&Entry, &Range)> = tests.collect();
    tests.sort_by_key(|(e, _)| (e.on, e.result));
    let n = tests.len() as f64;
    let value = tests.iter().map(|(e, _)| e.value).sum::<f64>() / n;
    let range =
        tests.last().map(|(newest, range)| range.about(newest.value, value, |key| if OF_THE_DAY.contains(&key) { n.sqrt() } else { 1.0 }));
    let (low, high, own) = range.map_or((value, value, Spread::default()), |r| (r.low, r.high, Spread::of(value, &r)));
    let tests = tests.iter().map(|(e, _)| MethodTest { result: e.result, on: e.on, value: e.value }).collect();
    Method { method: name.to_owned(), value, shown: quantity::shown(QUANTITY, value), low, high, weight: 0.0, tests, own }
}

/// Generalised least squares with no negative weight: whoever would get one is left without, and the rest is weighed again.
fn weights(spreads: &[&Spread]) -> Vec<f64> {
    let mut used: Vec<usize> = (0..spreads.len()).collect();
    loop {
        let matrix: Vec<Vec<f64>> = used
            .iter()
            .map(|&i| used.iter().map(|&j| if i == j { spreads[i].variance() } else { spreads[i].covariance(spreads[j]) }).collect())
            .collect();
        let solved = solve(matrix, vec![1.0; used.len()]);
        let total: f64 = solved.iter().sum();
        let lightest = solved.iter().enumerate().min_by(|a, b| a.1.total_cmp(b.1)).filter(|(_, w)| **w < 0.0).map(|(k, _)| k);
        if let Some(k) = lightest {
            used.remove(k);
            continue;
        }
        let mut weights = vec![0.0; spreads.len()];
        for (k, weight) in used.iter().zip(solved) {
            weights[*k] = weight / total;
        }
        return weights;
    }
}

/// A small system of linear equations, symmetric and positive definite, by elimination.
fn solve(mut matrix: Vec<Vec<f64>>, mut right: Vec<f64>) -> Vec<f64> {
    let n = right.len();
    for k in 0..n {
        let pivot = matrix[k].clone();
        for row in k + 1..n {
            let factor = matrix[row][k] / pivot[k];
            matrix[row].iter_mut().zip(&pivot).for_each(|(cell, of_pivot)| *cell -= factor * of_pivot);
            right[row] -= factor * right[k];
        }
    }
    for k in (0..n).rev() {
        let known: f64 = (k + 1..n).map(|column| matrix[k][column] * right[column]).sum();
        right[k] = (right[k] - known) / matrix[k][k];
    }
    right
}

fn best(methods: &[Method]) -> Best {
    let value: f64 = methods.iter().map(|m| m.weight * m.value).sum();
    let mut shared: BTreeMap<&str, f64> = BTreeMap::new();
    for m in methods {
        for (name, sd) in &m.own.shared {
            *shared.entry(name).or_default() += m.weight * sd;
        }
    }
    let common: f64 = shared.values().map(|sd| sd * sd).sum();
    let side = |of: &dyn Fn(&Spread) -> f64| {
        let own: f64 = methods.iter().map(|m| m.weight.powi(2) * (of(&m.own).powi(2) - m.own.shared_variance()).max(0.0)).sum();
        Z95 * (common + own).sqrt()
    };
    let (low, high) = (value - side(&|s| s.down), value + side(&|s| s.up));
    let of_method = |m: &Method| BestPart {
        words: format!("{}: what is its own", m.method),
        sd: m.weight * (m.own.variance() - m.own.shared_variance()).max(0.0).sqrt(),
    };
    let in_common =
        shared.iter().map(|(name, sd)| BestPart { words: format!("{}, in every method that rests on it", shared_words(name)), sd: *sd });
    let mut parts: Vec<BestPart> =
        methods.iter().filter(|m| m.weight > 0.0).map(of_method).chain(in_common).filter(|p| p.sd > 0.0).collect();
    parts.sort_by(|a, b| b.sd.total_cmp(&a.sd));
    Best {
        value,
        shown: quantity::shown(QUANTITY, value),
        low,
        high,
        sentence: range::sentence(low, high),
        warning: range::warning(low, high),
        parts,
    }
}

fn shared_words(name: &str) -> &str {
    match name {
        "hr_max" => "the maximal heart rate that was not measured",
        "cycling" => "how much oxygen this person needs to cycle",
        "running" => "how much oxygen this person needs to run",
        other => other,
    }
}

fn disagreements(methods: &[Method]) -> Vec<String> {
    let words = |m: &Method| format!("{} ({}, {} to {})", m.method, m.shown, rounded(m.low, 0), rounded(m.high, 0));
    let pairs = methods.iter().enumerate().flat_map(|(k, a)| methods[k + 1..].iter().map(move |b| (a, b)));
    pairs
        .filter(|(a, b)| a.low > b.high || b.low > a.high)
        .map(|(a, b)| format!("{} and {} don’t overlap. {REASONS}", words(a), words(b)))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::range::{Part, Side};
    use proptest::prelude::*;

    fn on(day: &str) -> NaiveDate {
        day.parse().unwrap()
    }

    fn range(value: f64, sd: f64, shared: &[(&str, f64)]) -> Range {
        let part = Part::plain("published", sd, Side::Both);
        Range { shared: shared.iter().map(|(n, sd)| ((*n).to_owned(), *sd)).collect(), ..Range::around(value, vec![part]) }
    }

    fn entry(method: &str, day: &str, value: f64, sd: f64, shared: &[(&str, f64)]) -> Entry {
        Entry {
            result: Uuid::from_u128((value * 1000.0) as u128 + u128::from(day.bytes().map(u64::from).sum::<u64>()) * 1_000_000),
            method: method.into(),
            on: on(day),
            value,
            range: Some(range(value, sd, shared)),
            unfit: None,
        }
    }

    /// By hand: 36 ± 3 and 40 ± 4, nothing shared: weights 16/25 and 9/25, value 37.44, SD √(1/(1/9 + 1/16)) = 2.4, range ± 4.704.
    #[test]
    fn two_methods_that_share_nothing_by_hand() {
        let all = [entry("a", "2026-03-01", 36.0, 3.0, &[]), entry("b", "2026-03-08", 40.0, 4.0, &[])];
        let found = combine(&all, on("2026-03-10"), 8);
        let best = found.best.unwrap();
        assert!((best.value - 37.44).abs() < 1e-9);
        assert!((found.methods[0].weight - 0.64).abs() < 1e-9 && (found.methods[1].weight - 0.36).abs() < 1e-9);
        assert!((best.high - best.value - 4.703_91).abs() < 1e-4 && (best.value - best.low - 4.703_91).abs() < 1e-4, "{best:?}");
    }

    /// By hand: both ± 4, of which 3 are the same predicted maximum: covariance 9, variance 16. Equal weights, variance
    /// (16 + 9) / 2 = 12.5, SD 3.5355; without minding what they share it would be 2.828.
    #[test]
    fn two_methods_with_a_shared_maximum_by_hand() {
        let shared = [("hr_max", 3.0)];
        let all = [entry("a", "2026-03-01", 36.0, 4.0, &shared), entry("b", "2026-03-08", 40.0, 4.0, &shared)];
        let best = combine(&all, on("2026-03-10"), 8).best.unwrap();
        assert!((best.value - 38.0).abs() < 1e-9);
        assert!((best.high - best.value - 1.959_964 * 3.535_534).abs() < 1e-4, "{best:?}");
        assert_eq!(best.parts.iter().map(|p| (p.sd * 1000.0).round() / 1000.0).collect::<Vec<_>>(), [3.0, 1.323, 1.323]);
    }

    #[test]
    fn one_method_five_times_counts_once_with_its_mean() {
        let mut all: Vec<Entry> = (1..=5).map(|k| entry("watch", &format!("2026-03-0{k}"), 37.0 + f64::from(k), 5.0, &[])).collect();
        all.push(entry("walk", "2026-03-06", 34.0, 5.0, &[]));
        let found = combine(&all, on("2026-03-10"), 8);
        let best = found.best.unwrap();
        assert!((best.value - 37.0).abs() < 1e-9, "the mean of 40 and 34: {}", best.value);
        assert_eq!(found.methods.iter().map(|m| m.tests.len()).max(), Some(5));
    }

    #[test]
    fn a_run_and_its_copy_count_once_and_what_is_unfit_nowhere() {
        let walk = entry("walk", "2026-03-06", 34.0, 5.0, &[]);
        let copy = Entry { result: Uuid::from_u128(9), ..walk.clone() };
        let drug = Entry { unfit: Some("A medicine limits the heart rate.".into()), ..entry("step", "2026-03-07", 50.0, 4.0, &[]) };
        let unknown = Entry { range: None, ..entry("other", "2026-03-07", 50.0, 4.0, &[]) };
        let found = combine(&[walk, copy, drug, unknown], on("2026-03-10"), 8);
        assert_eq!((found.best.unwrap().value, found.methods.len(), found.left_out.len()), (34.0, 1, 3));
        let why: Vec<&str> = found.left_out.iter().map(|l| l.why.as_str()).collect();
        assert_eq!(why, ["The same test is there twice.", "A medicine limits the heart rate.", "How far it may be off is not known."]);
    }

    #[test]
    fn the_window_ends_with_its_day_and_an_empty_one_has_no_value() {
        let all = [entry("a", "2026-01-01", 36.0, 3.0, &[]), entry("b", "2026-03-08", 40.0, 4.0, &[])];
        assert_eq!(combine(&all, on("2026-03-10"), 8).best.unwrap().value, 40.0);
        assert_eq!(combine(&all, on("2026-03-07"), 8).best, None);
        assert_eq!(trend(&all, 10).iter().map(|p| p.methods).collect::<Vec<_>>(), [1, 2]);
    }

    #[test]
    fn a_best_value_whose_range_no_human_has_says_so() {
        let best = |sd: f64| combine(&[entry("a", "2026-03-01", 16.0, sd, &[])], on("2026-03-10"), 8).best.unwrap();
        assert_eq!(best(3.0).warning, None);
        assert!(best(6.0).warning.unwrap().ends_with("this estimate is of little use. Repeat the test."));
    }

    #[test]
    fn methods_that_do_not_overlap_are_named_with_the_usual_reasons() {
        let all = [entry("Watch", "2026-03-01", 55.0, 3.0, &[]), entry("Walk", "2026-03-08", 36.0, 4.0, &[])];
        let found = combine(&all, on("2026-03-10"), 8);
        assert_eq!(found.disagreements.len(), 1);
        assert!(found.disagreements[0].starts_with("Walk (36.0, 28 to 44) and Watch (55.0, 49 to 61) don’t overlap. Usual reasons:"));
    }

    proptest! {
        #[test]
        fn the_best_is_narrower_than_each_method_whatever_their_order(
            all in proptest::collection::vec((20.0..60.0f64, 1.0..8.0f64, 0.0..1.0f64, 0.0..1.0f64), 1..7), turn in 0usize..7
        ) {
            let entries: Vec<Entry> = all.iter().enumerate().map(|(k, (value, sd, max, cycling))| {
                let shared = [("hr_max", sd * max * 0.7), ("cycling", sd * cycling * 0.7)];
                entry(&format!("method {k}"), "2026-03-01", *value, *sd, &shared)
            }).collect();
            let best = combine(&entries, on("2026-03-10"), 8);
            let found = best.best.clone().unwrap();
            for m in &best.methods {
                prop_assert!(found.high - found.low <= m.high - m.low + 1e-9);
                prop_assert!(m.weight >= 0.0);
            }
            prop_assert!((best.methods.iter().map(|m| m.weight).sum::<f64>() - 1.0).abs() < 1e-9);
            let mut turned = entries;
            let by = turn % turned.len();
            turned.rotate_left(by);
            turned.reverse();
            let again = combine(&turned, on("2026-03-10"), 8).best.unwrap();
            prop_assert!((again.value - found.value).abs() < 1e-9 && (again.low - found.low).abs() < 1e-9);
        }
    }
}
