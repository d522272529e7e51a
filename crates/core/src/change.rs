//! Is the difference real?
//!
//! Typical error TE, in this order: SD of differences / √2 from the practice's own repeats; a figure the practice typed in, with
//! its source; a publication; the wobble of the readings carried through the equation ([`mod@wobble`]). The smallest detectable change at 95 % is 1.96 × √2 × TE; beyond √2 × TE a change is possible. Two results are compared
//! only where the conditions of the test were alike; where not, every difference is named with why it matters.

use std::collections::BTreeMap;

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};

use crate::{
    catalogue::{Citation, Condition, ConditionKind, Protocol, SourceKind},
    happening::{self, Happening},
    norms,
    person::{Facts, Sex},
    quantity,
    run::event::{Answer, Conditions},
    trial::Trial,
    units::{Units, rounded},
    wobble,
};

/// The fewest pairs of repeats that give a typical error of one's own.
pub const OWN_PAIRS: i64 = 10;

/// Tests of one person this close together are repeats, days: too close for training to have changed much. Common
/// practice.
pub const REPEAT_DAYS: i64 = 10;

/// A practice's own repeats of a measure: what is known of the differences between comparable tests of one person that
/// follow each other within [`REPEAT_DAYS`]. Sums, so that a test more costs one addition.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Repeats {
    /// How many pairs.
    pub pairs: i64,
    /// Sum of the differences, later minus earlier, in the measure's unit.
    pub sum: f64,
    /// Sum of their squares.
    pub sum_of_squares: f64,
}

impl Repeats {
    /// The repeats among one person's results of a measure, which are in the order they were taken.
    pub fn among(protocol: &Protocol, points: &[Point]) -> Self {
        points
            .windows(2)
            .filter(|pair| {
                (1..=REPEAT_DAYS).contains(&(pair[1].on - pair[0].on).num_days()) && unlike(protocol, &pair[0], &pair[1]).is_empty()
            })
            .map(|pair| pair[1].value - pair[0].value)
            .collect()
    }

    /// What has to be added to `before` to have this.
    #[must_use]
    pub fn since(self, before: Self) -> Self {
        Self { pairs: self.pairs - before.pairs, sum: self.sum - before.sum, sum_of_squares: self.sum_of_squares - before.sum_of_squares }
    }

    /// Sample standard deviation of the differences, in the measure's unit; needs two pairs.
    fn std_dev(self) -> f64 {
        let n = self.pairs as f64;
        ((self.sum_of_squares - self.sum * self.sum / n).max(0.0) / (n - 1.0)).sqrt()
    }
}

impl FromIterator<f64> for Repeats {
    fn from_iter<T: IntoIterator<Item = f64>>(differences: T) -> Self {
        differences.into_iter().fold(Self::default(), |r, d| Self {
            pairs: r.pairs + 1,
            sum: r.sum + d,
            sum_of_squares: r.sum_of_squares + d * d,
        })
    }
}

/// One result as comparison sees it.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Point {
    /// The test day.
    pub on: NaiveDate,
    /// The quantity's value.
    pub value: f64,
    /// Protocol, version and equation.
    pub method: String,
    /// The circumstances.
    pub conditions: Conditions,
    /// Which quantity it is.
    pub quantity: String,
    /// Everything the result gave, by quantity.
    pub beside: BTreeMap<String, f64>,
}

/// How much a measure wobbles when nothing has changed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TypicalError {
    /// In the quantity's unit.
    pub value: f64,
    /// Smallest detectable change at 95 %.
    pub detectable: f64,
    /// A change beyond this is possible.
    pub possible: f64,
    /// What it rests on.
    pub rests_on: RestsOn,
    /// Where it comes from, in words.
    pub basis: String,
    /// The publication, where it is one.
    pub source: Option<Citation>,
    /// The smallest change that is known to matter to people, where one is: never a bound by itself, shown beside the other.
    pub important: Option<Important>,
}

/// What a typical error rests on, surest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum RestsOn {
    /// The practice's own repeats.
    Repeats,
    /// A figure the practice typed in.
    Typed,
    /// A publication.
    Publication,
    /// The readings' own wobble, carried through the equation: worked out, not measured.
    Readings,
}

/// A change that matters to people.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Important {
    /// In the quantity's unit.
    pub value: f64,
    /// Who says so.
    pub source: Citation,
}

/// A typical error that a practice typed in.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TypedError {
    /// In the quantity's unit.
    pub value: f64,
    /// Who says so, in the practice's words.
    pub source: String,
}

/// What a practice knows of a measure by itself.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Own {
    /// Its repeats.
    pub repeats: Repeats,
    /// What it typed in.
    pub typed: Option<TypedError>,
}

impl TypicalError {
    fn new(value: f64, rests_on: RestsOn, basis: String, source: Option<Citation>) -> Self {
        let spread = std::f64::consts::SQRT_2 * value;
        Self { value, detectable: 1.96 * spread, possible: spread, rests_on, basis, source, important: None }
    }

    /// From the practice's own repeats. `None` with fewer than [`OWN_PAIRS`].
    pub fn from_repeats(repeats: Repeats) -> Option<Self> {
        (repeats.pairs >= OWN_PAIRS).then(|| {
            let value = repeats.std_dev() / std::f64::consts::SQRT_2;
            Self::new(value, RestsOn::Repeats, format!("from {} pairs of repeats in this practice", repeats.pairs), None)
        })
    }

    /// From a publication; `value` is what a percentage is of.
    pub fn from_publication(protocol: &Protocol, quantity: &str, facts: &Facts, value: Option<f64>) -> Option<Self> {
        Self::from_table(protocol, quantity, facts.sex).or_else(|| {
            let known = wobble::published(protocol, quantity, facts, value)?;
            Some(Self::new(known.value, RestsOn::Publication, known.basis, Some(known.source)))
        })
    }

    /// From what the protocol's rule says of a publication; needs the sex the table's spread is split by.
    fn from_table(protocol: &Protocol, quantity: &str, sex: Option<Sex>) -> Option<Self> {
        let rule = protocol.change_rule(quantity)?;
        let (reliability, sex) = (rule.reliability?, sex?);
        let sd_of_rate = norms::table(rule.sd_from_table.as_deref()?)?.implied_sd(&Facts { sex: Some(sex), ..Facts::default() })?;
        let equation = protocol.scoring.iter().find(|s| s.quantity == quantity)?.equation;
        let sd = equation.moves_by(sd_of_rate, sex)?;
        let value = sd * (1.0 - reliability).sqrt();
        let unit = quantity::unit(quantity);
        let basis = format!(
            "SD {} {unit} among {} and a test-retest correlation of {reliability}: {} × √(1 − {reliability}) = {} {unit}",
            rounded(sd, 1),
            sex.plural(),
            rounded(sd, 1),
            rounded(value, 2)
        );
        Some(Self::new(value, RestsOn::Publication, basis, rule.source.clone()))
    }

    /// From what the practice typed in.
    fn from_typed(typed: &TypedError) -> Self {
        let source = Citation { citation: typed.source.clone(), kind: SourceKind::Published, recalled: false };
        Self::new(typed.value, RestsOn::Typed, "typed in by this practice".into(), Some(source))
    }

    /// From the readings of a trial.
    fn from_readings(trial: &Trial, quantity: &str) -> Option<Self> {
        let value = wobble::propagated(trial, quantity)?;
        let basis = "worked out from how far the readings wobble, not measured".to_owned();
        Some(Self::new(value, RestsOn::Readings, basis, None))
    }

    /// The surest there is for a quantity of a trial, whose value is known where it has one.
    pub fn best(trial: &Trial, quantity: &str, value: Option<f64>, own: &Own) -> Option<Self> {
        let protocol = trial.protocol;
        protocol.change_rule(quantity)?;
        let mut found = Self::from_repeats(own.repeats)
            .or_else(|| own.typed.as_ref().map(Self::from_typed))
            .or_else(|| Self::from_publication(protocol, quantity, &trial.facts, value))
            .or_else(|| Self::from_readings(trial, quantity))?;
        found.important = wobble::important(protocol, quantity).map(|(value, source)| Important { value, source });
        Some(found)
    }
}

/// What a difference is worth.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// Beyond the smallest detectable change, for the better.
    ClearGain,
    /// Beyond the smallest detectable change, for the worse.
    ClearLoss,
    /// Beyond it, where neither more nor less is better.
    ClearChange,
    /// Beyond √2 × TE, for the better.
    PossibleGain,
    /// Beyond √2 × TE, for the worse.
    PossibleLoss,
    /// Beyond that, where neither more nor less is better.
    PossibleChange,
    /// Smaller than the test's own wobble.
    WithinNoise,
    /// Taken under different circumstances.
    NotComparable,
    /// Nothing is known of this test's wobble.
    NoVerdict,
}

impl Verdict {
    /// In two words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::ClearGain => "clear gain",
            Self::ClearLoss => "clear loss",
            Self::ClearChange => "clear change",
            Self::PossibleChange => "possible change",
            Self::PossibleGain => "possible gain",
            Self::PossibleLoss => "possible loss",
            Self::WithinNoise => "within noise",
            Self::NotComparable => "not comparable",
            Self::NoVerdict => "no verdict",
        }
    }
}

/// A circumstance that was different, and why that matters.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Unlike {
    /// The condition's key, or `method`.
    pub key: String,
    /// Its heading.
    pub label: String,
    /// How it was then.
    pub then: String,
    /// How it is now.
    pub now: String,
    /// Why it matters, as the end of a sentence.
    pub why: String,
}

/// Two results and the verdict on their difference.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Comparison {
    /// The quantity.
    pub quantity: String,
    /// Its unit.
    pub unit: String,
    /// The earlier day.
    pub from_on: NaiveDate,
    /// The earlier value.
    pub from: f64,
    /// The later day.
    pub to_on: NaiveDate,
    /// The later value.
    pub to: f64,
    /// Later minus earlier, in the quantity's unit.
    pub difference: f64,
    /// The difference in smallest detectable changes, better positive; absent without a typical error.
    pub steps: Option<f64>,
    /// The verdict.
    pub verdict: Verdict,
    /// The verdict in two words.
    pub verdict_words: String,
    /// What was different, where anything was.
    pub unlike: Vec<Unlike>,
    /// The wobble the verdict rests on.
    pub typical_error: Option<TypicalError>,
    /// A sentence the client understands.
    pub sentence: String,
}

/// Compares two results of one protocol.
pub fn compare(protocol: &Protocol, quantity: &str, from: &Point, to: &Point, typical_error: Option<&TypicalError>) -> Comparison {
    let unlike = unlike(protocol, from, to);
    let difference = to.value - from.value;
    let rule = protocol.change_rule(quantity);
    let lower_is_better = rule.is_some_and(|r| r.lower_is_better);
    let gain = if lower_is_better { -difference } else { difference };
    let verdict = match (unlike.is_empty(), typical_error) {
        (false, _) => Verdict::NotComparable,
        (true, None) => Verdict::NoVerdict,
        (true, Some(te)) => judge(gain, te, rule.is_some_and(|r| r.neither)),
    };
    Comparison {
        quantity: quantity.to_owned(),
        unit: quantity::unit(quantity).to_owned(),
        from_on: from.on,
        from: from.value,
        to_on: to.on,
        to: to.value,
        difference,
        steps: typical_error.filter(|te| te.detectable > 0.0).map(|te| gain / te.detectable),
        verdict,
        verdict_words: verdict.words().to_owned(),
        sentence: String::new(),
        unlike,
        typical_error: typical_error.cloned(),
    }
    .told(Units::Metric)
}

impl Comparison {
    /// The same with its sentence in the units a person thinks in.
    #[must_use]
    pub fn told(self, units: Units) -> Self {
        Self { sentence: sentence(&self, units), ..self }
    }

    /// Says what happened along the way where the change is for the worse, or a change that is neither.
    pub fn remember(&mut self, noted: &[Happening]) {
        use Verdict::{ClearChange, ClearLoss, PossibleChange, PossibleLoss};
        if matches!(self.verdict, ClearLoss | PossibleLoss | ClearChange | PossibleChange)
            && let Some(said) = happening::between(noted, self.from_on, self.to_on)
        {
            self.sentence = format!("{} {said}", self.sentence);
        }
    }
}

fn judge(gain: f64, te: &TypicalError, neither: bool) -> Verdict {
    match gain {
        g if neither && g.abs() > te.detectable => Verdict::ClearChange,
        g if neither && g.abs() > te.possible => Verdict::PossibleChange,
        g if g > te.detectable => Verdict::ClearGain,
        g if g < -te.detectable => Verdict::ClearLoss,
        g if g > te.possible => Verdict::PossibleGain,
        g if g < -te.possible => Verdict::PossibleLoss,
        _ => Verdict::WithinNoise,
    }
}

/// Every circumstance in which two results differ.
pub fn unlike(protocol: &Protocol, from: &Point, to: &Point) -> Vec<Unlike> {
    let mut found: Vec<Unlike> = protocol
        .conditions
        .iter()
        .filter_map(|condition| {
            let (then, now) = (from.conditions.get(&condition.key), to.conditions.get(&condition.key));
            differs(condition, then, now).then(|| Unlike {
                key: condition.key.clone(),
                label: condition.label.clone(),
                then: answer(condition, then),
                now: answer(condition, now),
                why: condition.why.clone(),
            })
        })
        .collect();
    let rank = protocol.change_rule(&to.quantity).and_then(|r| r.alike_in.as_deref()).filter(|_| from.quantity == to.quantity);
    if let Some(rank) = rank {
        let (then, now) = (from.beside.get(rank), to.beside.get(rank));
        if then != now {
            let shown = |value: Option<&f64>| value.map_or_else(|| "not recorded".to_owned(), |v| quantity::with_unit(rank, *v));
            found.push(Unlike {
                key: rank.to_owned(),
                label: crate::text::capital(&quantity::label(rank)),
                then: shown(then),
                now: shown(now),
                why: format!(
                    "{} is compared first, and {} only where it is the same",
                    quantity::label(rank),
                    quantity::label(&to.quantity)
                ),
            });
        }
    }
    if from.method != to.method {
        found.push(Unlike {
            key: "method".into(),
            label: "Method".into(),
            then: from.method.clone(),
            now: to.method.clone(),
            why: "different equations and versions disagree by several units on the same day".into(),
        });
    }
    found
}

fn differs(condition: &Condition, then: Option<&Answer>, now: Option<&Answer>) -> bool {
    let spoils = |answer: Option<&Answer>| match answer {
        Some(Answer::YesNo(held)) => (condition.must_hold && !held) || (condition.must_not_hold && *held),
        _ => false,
    };
    if spoils(then) || spoils(now) {
        return true;
    }
    match (then, now) {
        (Some(Answer::Number(a)), Some(Answer::Number(b))) => (a - b).abs() > condition.tolerance.unwrap_or(0.0),
        (Some(Answer::Text(a)), Some(Answer::Text(b))) => a.trim().to_lowercase() != b.trim().to_lowercase(),
        (Some(a), Some(b)) => a != b,
        (None, None) => false,
        _ => condition.required,
    }
}

/// An answer as it is shown.
pub fn answer(condition: &Condition, answer: Option<&Answer>) -> String {
    match answer {
        None => "not recorded".to_owned(),
        Some(Answer::YesNo(yes)) => if *yes { "yes" } else { "no" }.to_owned(),
        Some(Answer::Number(n)) => format!("{} {}", rounded(*n, 1), condition.unit.as_deref().unwrap_or_default()).trim_end().to_owned(),
        Some(Answer::Text(t)) if condition.kind == ConditionKind::Choice => {
            condition.choices.iter().find(|(key, _)| key == t).map_or_else(|| t.clone(), |(_, words)| words.clone())
        }
        Some(Answer::Text(t)) => t.clone(),
    }
}

fn sentence(c: &Comparison, units: Units) -> String {
    let said = |value: f64| quantity::said(&c.quantity, value, units);
    let (name, now) = (quantity::label(&c.quantity), said(c.to));
    let then = quantity::shown_in(&c.quantity, c.from, units);
    let since = c.from_on.format("%-d %B %Y");
    let moved = match c.to.partial_cmp(&c.from) {
        Some(std::cmp::Ordering::Less) => format!("Since {since} your {name} has gone down from {then} to {now}"),
        Some(std::cmp::Ordering::Greater) => format!("Since {since} your {name} has gone up from {then} to {now}"),
        _ => format!("Since {since} your {name} has stayed at {now}"),
    };
    let noise = c.typical_error.as_ref().map(|te| said(te.detectable)).unwrap_or_default();
    match c.verdict {
        Verdict::ClearGain => format!("{moved}: more than the {noise} this test wobbles by itself, so the gain is real."),
        Verdict::ClearLoss => format!("{moved}: more than the {noise} this test wobbles by itself, so the loss is real."),
        Verdict::ClearChange => format!("{moved}: more than the {noise} this test wobbles by itself, so the change is real."),
        Verdict::PossibleChange => {
            format!("{moved}. It looks like a change, but under {noise} it could still be chance; the next test will tell.")
        }
        Verdict::PossibleGain => {
            format!("{moved}. It looks like a gain, but under {noise} it could still be chance; the next test will tell.")
        }
        Verdict::PossibleLoss => {
            format!("{moved}. It looks like a loss, but under {noise} it could still be chance; the next test will tell.")
        }
        Verdict::WithinNoise => format!("{moved}. This test wobbles by up to {noise} by itself, so this counts as unchanged."),
        Verdict::NotComparable => {
            let names: Vec<String> = c.unlike.iter().map(|u| u.label.to_lowercase()).collect();
            format!("The test of {since} was done differently ({}), so the two numbers are not compared.", crate::text::list(&names))
        }
        Verdict::NoVerdict => format!("{moved}. How much this test wobbles by itself is not known, so there is no verdict."),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{catalogue, inputs::Inputs};
    use test_case::test_case;

    fn bench_step() -> &'static Protocol {
        catalogue::find("bench-step-3min").unwrap()
    }

    fn point(value: f64, changes: &[(&str, Answer)]) -> Point {
        let mut conditions = Conditions::from([
            ("bench_cm".to_owned(), Answer::Number(41.3)),
            ("warm_up".to_owned(), Answer::YesNo(true)),
            ("pulse_site".to_owned(), Answer::Text("wrist".into())),
            ("count_delay_s".to_owned(), Answer::Number(5.0)),
            ("heart_rate_drug".to_owned(), Answer::YesNo(false)),
        ]);
        for (key, answer) in changes {
            conditions.insert((*key).to_owned(), answer.clone());
        }
        Point { on: "2026-03-12".parse().unwrap(), value, method: "bench-step-3min/1".into(), conditions, ..Point::default() }
    }

    fn published() -> TypicalError {
        TypicalError::from_publication(bench_step(), "recovery_hr", &man(), None).unwrap()
    }

    fn man() -> Facts {
        Facts { sex: Some(Sex::Male), ..Facts::default() }
    }

    #[test]
    fn the_published_wobble_of_the_bench_step() {
        let te = published();
        assert!((te.value - 19.2 * 0.08_f64.sqrt()).abs() < 1e-9, "{te:?}");
        assert!((te.detectable - 15.05).abs() < 0.01);
        let vo2 = TypicalError::from_publication(bench_step(), "vo2max", &man(), None).unwrap();
        assert!((vo2.value / te.value - 0.42).abs() < 1e-9);
        assert_eq!(TypicalError::from_publication(bench_step(), "recovery_hr", &Facts::default(), None), None);
        assert_eq!(TypicalError::from_publication(catalogue::find("low-step-3min").unwrap(), "recovery_hr", &man(), None), None);
    }

    #[test_case(148.0, 132.0, Verdict::ClearGain; "sixteen down is clear")]
    #[test_case(148.0, 133.0, Verdict::PossibleGain; "fifteen down is possible")]
    #[test_case(148.0, 141.0, Verdict::WithinNoise; "seven down is noise")]
    #[test_case(148.0, 140.0, Verdict::PossibleGain; "eight down is possible")]
    #[test_case(132.0, 148.0, Verdict::ClearLoss; "sixteen up is a loss")]
    #[test_case(140.0, 148.0, Verdict::PossibleLoss; "eight up may be")]
    #[test_case(140.0, 140.0, Verdict::WithinNoise; "unchanged")]
    fn verdicts(from: f64, to: f64, verdict: Verdict) {
        let compared = compare(bench_step(), "recovery_hr", &point(from, &[]), &point(to, &[]), Some(&published()));
        assert_eq!(compared.verdict, verdict, "{}", compared.sentence);
        assert!(compared.steps.unwrap() * (from - to) >= 0.0, "less is better");
    }

    #[test_case("bench_cm", Answer::Number(36.0); "a lower bench")]
    #[test_case("warm_up", Answer::YesNo(false); "no warm-up")]
    #[test_case("pulse_site", Answer::Text("strap".into()); "another way of taking it")]
    #[test_case("count_delay_s", Answer::Number(24.0); "a late recount")]
    #[test_case("heart_rate_drug", Answer::YesNo(true); "a medicine")]
    fn unlike_is_never_compared_silently(key: &str, answer: Answer) {
        let compared = compare(bench_step(), "recovery_hr", &point(148.0, &[]), &point(110.0, &[(key, answer)]), Some(&published()));
        assert_eq!(compared.verdict, Verdict::NotComparable);
        assert_eq!(compared.unlike.iter().map(|u| u.key.as_str()).collect::<Vec<_>>(), [key]);
        assert!(!compared.unlike[0].why.is_empty() && compared.sentence.contains("not compared"));
    }

    #[test]
    fn two_tests_without_warm_up_are_not_comparable_either() {
        let cold = |v| point(v, &[("warm_up", Answer::YesNo(false))]);
        assert_eq!(compare(bench_step(), "recovery_hr", &cold(148.0), &cold(120.0), Some(&published())).verdict, Verdict::NotComparable);
    }

    #[test]
    fn half_a_centimetre_of_bench_is_the_same_bench() {
        assert!(unlike(bench_step(), &point(1.0, &[]), &point(1.0, &[("bench_cm", Answer::Number(41.0))])).is_empty());
    }

    #[test]
    fn another_version_of_the_method_is_another_method() {
        let newer = Point { method: "bench-step-3min/2".into(), ..point(120.0, &[]) };
        assert_eq!(unlike(bench_step(), &point(148.0, &[]), &newer)[0].key, "method");
    }

    #[test]
    fn ten_pairs_of_repeats_speak_for_the_practice() {
        let differences = [4.0, -4.0, 0.0, 8.0, -8.0, 4.0, -4.0, 0.0, 4.0, -4.0];
        assert_eq!(TypicalError::from_repeats(differences[..9].iter().copied().collect()), None);
        let inputs = Inputs::from_iter([("recovery_hr", 140.0)]);
        let trial = Trial::of(bench_step(), man(), &inputs);
        let typed = Some(TypedError { value: 3.0, source: "our own pilot, 2024".into() });
        let best = |repeats: Repeats, typed| TypicalError::best(&trial, "recovery_hr", Some(140.0), &Own { repeats, typed }).unwrap();
        assert_eq!(best(Repeats::default(), None).rests_on, RestsOn::Publication);
        let stated = best(differences[..9].iter().copied().collect(), typed.clone());
        assert_eq!((stated.rests_on, stated.value), (RestsOn::Typed, 3.0));
        let own = best(differences.into_iter().collect(), typed);
        // Sum of squares 224 around a mean of 0, nine degrees of freedom.
        assert!((own.value - (224.0_f64 / 9.0).sqrt() / 2.0_f64.sqrt()).abs() < 1e-9);
        assert!(own.basis.contains("10 pairs"));
    }

    #[test]
    fn a_test_between_two_takes_the_place_of_their_pair() {
        let day = |on: &str, value| Point { on: on.parse().unwrap(), ..point(value, &[]) };
        let (first, between, last) = (day("2026-03-01", 140.0), day("2026-03-05", 144.0), day("2026-03-09", 141.0));
        let before = Repeats::among(bench_step(), &[first.clone(), last.clone()]);
        let after = Repeats::among(bench_step(), &[first.clone(), between, last.clone()]);
        assert_eq!((before.pairs, before.sum), (1, 1.0));
        assert_eq!((after.pairs, after.sum, after.sum_of_squares), (2, 1.0, 25.0));
        assert_eq!(after.since(before), Repeats { pairs: 1, sum: 0.0, sum_of_squares: 24.0 });
        let later = day("2026-04-20", 120.0);
        let other_bench = Point { on: last.on, ..point(150.0, &[("bench_cm", Answer::Number(30.0))]) };
        assert_eq!(Repeats::among(bench_step(), &[last, later]).pairs, 0, "training lies between");
        assert_eq!(Repeats::among(bench_step(), &[first, other_bench]).pairs, 0, "not comparable");
    }

    proptest::proptest! {
        #[test]
        fn sums_give_the_spread_that_the_differences_give(differences in proptest::collection::vec(-60.0..60.0_f64, 10..60)) {
            use statrs::statistics::Statistics;
            let own = TypicalError::from_repeats(differences.iter().copied().collect()).unwrap();
            let reference = differences.std_dev() / 2.0_f64.sqrt();
            proptest::prop_assert!((own.value - reference).abs() < 1e-9 * reference.max(1.0));
        }
    }

    #[test]
    fn what_is_ranked_by_another_quantity_is_compared_only_where_that_is_the_same() {
        let protocol = catalogue::find("staged-sit-up").unwrap();
        let done = |stage: f64, reps: f64| {
            let beside = BTreeMap::from([("stage".to_owned(), stage), ("reps".to_owned(), reps)]);
            move |quantity: &str| Point {
                on: "2026-03-12".parse().unwrap(),
                value: beside[quantity],
                quantity: quantity.to_owned(),
                beside: beside.clone(),
                ..Point::default()
            }
        };
        let (then, now) = (done(3.0, 15.0), done(4.0, 6.0));
        let reps = compare(protocol, "reps", &then("reps"), &now("reps"), None);
        assert_eq!((reps.verdict, reps.unlike[0].key.as_str()), (Verdict::NotComparable, "stage"), "6 of a harder stage are no loss");
        assert_eq!(compare(protocol, "stage", &then("stage"), &now("stage"), None).verdict, Verdict::NoVerdict);
        assert_eq!(compare(protocol, "reps", &then("reps"), &done(3.0, 18.0)("reps"), None).verdict, Verdict::NoVerdict);
    }

    #[test]
    fn without_a_known_wobble_there_is_a_difference_and_no_verdict() {
        let compared = compare(bench_step(), "recovery_hr", &point(148.0, &[]), &point(120.0, &[]), None);
        assert_eq!((compared.verdict, compared.difference, compared.steps), (Verdict::NoVerdict, -28.0, None));
    }
}
