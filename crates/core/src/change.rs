//! Is the difference real? Beyond the smallest detectable change it is clear, beyond √2 × the typical error possible
//! ([`mod@typical_error`]); results that were not taken alike are not compared.

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};

use crate::{
    catalogue::{Protocol, Signs},
    comparability::{Point, Unlike, noted, unlike},
    life_event::{self, LifeEvent},
    quantity::{self, Better},
    reading,
    typical_error::TypicalError,
    units::{Units, rounded},
};

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
    /// Smaller than the test’s measurement error.
    WithinNoise,
    /// Taken under different circumstances.
    NotComparable,
    /// Nothing is known of this test’s measurement error.
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
            Self::WithinNoise => "within measurement error",
            Self::NotComparable => "not comparable",
            Self::NoVerdict => "measurement error unknown",
        }
    }
}

/// Two results and the verdict on their difference.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Comparison {
    pub quantity: String,
    pub unit: String,
    /// The earlier day.
    pub from_on: NaiveDate,
    /// The earlier value.
    pub from: f64,
    /// The same as it is shown.
    pub from_shown: String,
    /// The later day.
    pub to_on: NaiveDate,
    /// The later value.
    pub to: f64,
    /// Later minus earlier, in the quantity's unit.
    pub difference: f64,
    /// The difference in smallest detectable changes, better positive; absent without a typical error.
    pub steps: Option<f64>,
    pub verdict: Verdict,
    /// The verdict in two words.
    pub verdict_words: String,
    /// What was different, where anything was.
    pub unlike: Vec<Unlike>,
    /// The measurement error the verdict rests on.
    pub typical_error: Option<TypicalError>,
    /// A sentence the client understands.
    pub sentence: String,
    /// The earlier value is a bound: there may have been more.
    #[serde(default)]
    pub from_at_least: bool,
    /// The later value is one.
    #[serde(default)]
    pub to_at_least: bool,
    /// What was noted and was different, such as the weather: the two are compared all the same.
    #[serde(default)]
    pub noted: Vec<String>,
    /// What lies on either side of its zero, where both were taken so: a gap, an overlap.
    #[serde(skip)]
    pub signs: Option<Signs>,
}

/// Compares two results of one protocol.
pub fn compare(protocol: &Protocol, quantity: &str, from: &Point<'_>, to: &Point<'_>, typical_error: Option<&TypicalError>) -> Comparison {
    judged(protocol, quantity, from, to, typical_error).in_units(Units::Metric)
}

/// The same with no sentence yet, for where many are judged at once.
pub fn judged(protocol: &Protocol, quantity: &str, from: &Point<'_>, to: &Point<'_>, typical_error: Option<&TypicalError>) -> Comparison {
    let unlike = unlike(protocol, from, to);
    let noted = if unlike.is_empty() { noted(protocol, from, to) } else { Vec::new() };
    let signs = reading::signs(protocol, &to.conditions, quantity);
    let signs = signs.filter(|_| reading::signs(protocol, &from.conditions, quantity) == signs).cloned();
    let difference = to.value - from.value;
    let better = quantity::better(quantity);
    let gain = if better == Some(Better::Less) { -difference } else { difference };
    let verdict = match (unlike.is_empty(), typical_error) {
        (false, _) => Verdict::NotComparable,
        (true, None) => Verdict::NoVerdict,
        // Less than before, but there may have been more; or more than what may have been more.
        (true, _) if to.at_least && gain < 0.0 || from.at_least && gain > 0.0 => Verdict::NoVerdict,
        (true, Some(te)) => judge(gain, te, better.is_none()),
    };
    Comparison {
        quantity: quantity.to_owned(),
        unit: quantity::unit(quantity).to_owned(),
        from_on: from.on,
        from: from.value,
        from_shown: String::new(),
        to_on: to.on,
        to: to.value,
        difference,
        steps: typical_error.filter(|te| te.detectable > 0.0).map(|te| gain / te.detectable),
        verdict,
        verdict_words: verdict.words().to_owned(),
        sentence: String::new(),
        unlike,
        typical_error: typical_error.cloned(),
        noted,
        from_at_least: from.at_least,
        to_at_least: to.at_least,
        signs,
    }
}

impl Comparison {
    /// The same with its words in the units a person thinks in.
    #[must_use]
    pub fn in_units(self, units: Units) -> Self {
        Self { from_shown: self.from_in(units), sentence: with_notes(sentence(&self, units), &self.noted), ..self }
    }

    /// The earlier value as it is shown in these units, without them: `gap 2.0`.
    pub fn from_in(&self, units: Units) -> String {
        self.value_in(self.from, units)
    }

    /// The same of the later value.
    pub fn to_in(&self, units: Units) -> String {
        self.value_in(self.to, units)
    }

    fn value_in(&self, value: f64, units: Units) -> String {
        reading::on_side(self.signs.as_ref(), value, &|v| quantity::shown_in(&self.quantity, v, units))
    }

    /// The same with its measurement error in those units too: for a page alone, never for a comparison.
    #[must_use]
    pub fn shown_in(self, units: Units) -> Self {
        let typical_error = self.typical_error.map(|te| te.shown_in(&self.quantity, units));
        Self { unit: quantity::in_units(&self.quantity, 0.0, units).1.to_owned(), typical_error, ..self }
    }

    /// Says which events lay between where the change is for the worse or is neither, also where its size cannot be judged.
    pub fn remember(&mut self, noted: &[LifeEvent]) {
        use Verdict::{ClearChange, ClearLoss, NoVerdict, PossibleChange, PossibleLoss};
        let is_worse = if quantity::lower_is_better(&self.quantity) { self.to > self.from } else { self.to < self.from };
        if (matches!(self.verdict, ClearLoss | PossibleLoss | ClearChange | PossibleChange) || self.verdict == NoVerdict && is_worse)
            && let Some(said) = life_event::between(noted, self.from_on, self.to_on)
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

fn with_notes(sentence: String, noted: &[String]) -> String {
    if noted.is_empty() { sentence } else { format!("{sentence} Keep in mind: {}.", crate::text::list(noted)) }
}

fn sentence(c: &Comparison, units: Units) -> String {
    let said = |value: f64| quantity::said(&c.quantity, value, units);
    let (name, has, now) = (quantity::label(&c.quantity), quantity::has(&c.quantity), reading::on_side(c.signs.as_ref(), c.to, &said));
    let then = c.from_in(units);
    let since = c.from_on.format("%-d %B %Y");
    let bound = if c.to_at_least { "at least " } else { "" };
    // A smaller overlap and a larger gap are both less: the words say it, and no direction.
    let moved = match c.to.partial_cmp(&c.from) {
        Some(std::cmp::Ordering::Less | std::cmp::Ordering::Greater) if c.signs.is_some() => {
            format!("Since {since} your {name} {has} gone from {then} to {bound}{now}")
        }
        Some(std::cmp::Ordering::Less) => format!("Since {since} your {name} {has} gone down from {then} to {bound}{now}"),
        Some(std::cmp::Ordering::Greater) => format!("Since {since} your {name} {has} gone up from {then} to {bound}{now}"),
        _ => format!("Since {since} your {name} {has} stayed at {bound}{now}"),
    };
    let noise = c.typical_error.as_ref().map(|te| noise_words(c, te.detectable, units)).unwrap_or_default();
    match c.verdict {
        Verdict::ClearGain => format!("{moved}: more than the {noise} by which repeats of this test differ, so the gain is real."),
        Verdict::ClearLoss => format!("{moved}: more than the {noise} by which repeats of this test differ, so the loss is real."),
        Verdict::ClearChange => format!("{moved}: more than the {noise} by which repeats of this test differ, so the change is real."),
        Verdict::PossibleChange => {
            format!("{moved}. It may be a change: more than {noise} would be clear. The next test will show.")
        }
        Verdict::PossibleGain => {
            format!("{moved}. It may be a gain: more than {noise} would be clear. The next test will show.")
        }
        Verdict::PossibleLoss => {
            format!("{moved}. It may be a loss: more than {noise} would be clear. The next test will show.")
        }
        Verdict::WithinNoise => format!("{moved}. Repeats of this test differ by up to {noise}, so this counts as no change."),
        Verdict::NotComparable => {
            let names: Vec<String> = c.unlike.iter().map(|u| u.label.to_lowercase()).collect();
            format!("The test of {since} was done differently ({}), so the two numbers are not compared.", crate::text::list(&names))
        }
        Verdict::NoVerdict if c.to_at_least && c.difference < 0.0 => {
            format!("At least {now}, against {then} on {since}: no attempt was missed, so this isn’t a loss.")
        }
        Verdict::NoVerdict if c.from_at_least && c.difference > 0.0 => {
            format!("{moved}; but on {since} no attempt was missed, so the maximum may have been higher then.")
        }
        Verdict::NoVerdict if c.difference == 0.0 => format!("{moved}. How much repeats of this test differ is not known."),
        Verdict::NoVerdict => format!("{moved}. How much repeats of this test differ is not known, so this may be chance."),
    }
}

/// The measurement error of a test, written so that it does not read as the difference it is held against, nor as nothing: one digit more
/// where the two would look alike.
fn noise_words(c: &Comparison, detectable: f64, units: Units) -> String {
    let plain = quantity::said(&c.quantity, detectable, units);
    let is_nothing = !plain.contains(|digit: char| ('1'..='9').contains(&digit));
    if detectable > 0.0 && (is_nothing || plain == quantity::said(&c.quantity, c.difference.abs(), units)) {
        let (value, unit) = quantity::in_units(&c.quantity, detectable, units);
        let closer = [1, 2, 3].into_iter().map(|digits| rounded(value, digits));
        let told =
            closer.into_iter().find(|text| text.contains(|digit: char| ('1'..='9').contains(&digit)) && !plain.starts_with(text.as_str()));
        return told.map_or(plain, |text| format!("{text} {unit}").trim_end().to_owned());
    }
    plain
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{
        catalogue,
        comparability::tests::{bench_step, point},
        run::event::Answer,
        typical_error::tests::published,
    };
    use std::{borrow::Cow, collections::BTreeMap};
    use test_case::test_case;

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

    #[test]
    fn a_gap_and_an_overlap_are_said_and_not_shown_as_signs() {
        let reach = catalogue::find("shoulder-reach").unwrap();
        let said = |from: f64, to: f64| compare(reach, "gap_cm.right", &point(from, &[]), &point(to, &[]), None);
        let worse = said(2.0, -4.0);
        assert_eq!(worse.from_shown, "overlap 2.0");
        assert!(worse.sentence.contains("has gone from overlap 2.0 to gap 4.0 cm"), "{}", worse.sentence);
        assert_eq!(worse.in_units(Units::Imperial).from_shown, "overlap 0.8");
        assert!(said(-2.0, -2.0).sentence.contains("has stayed at gap 2.0 cm"));
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
    fn an_illness_between_is_named_where_a_value_fell_and_nothing_is_known_of_the_error() {
        let protocol = catalogue::find("reported-vo2max").unwrap();
        let of = |on: &str, value: f64| Point { on: on.parse().unwrap(), quantity: "vo2max".into(), value, ..Point::default() };
        let noted: Vec<LifeEvent> = vec![
            serde_json::from_value(
                serde_json::json!({ "kind": "illness", "from_on": "2026-03-03", "until_on": null, "words": "influenza" }),
            )
            .unwrap(),
        ];
        let said = |from: f64, to: f64| {
            let mut change = compare(protocol, "vo2max", &of("2026-02-10", from), &of("2026-03-29", to), None);
            change.remember(&noted);
            change.sentence
        };
        assert!(said(42.0, 38.0).ends_with("Events: an illness (influenza) in March."), "{}", said(42.0, 38.0));
        assert!(!said(38.0, 42.0).contains("influenza"), "a gain needs no excuse");
    }

    #[test]
    fn two_tests_without_warm_up_are_not_comparable_either() {
        let cold = |v| point(v, &[("warm_up", Answer::YesNo(false))]);
        assert_eq!(compare(bench_step(), "recovery_hr", &cold(148.0), &cold(120.0), Some(&published())).verdict, Verdict::NotComparable);
    }

    #[test]
    fn what_is_ranked_by_another_quantity_is_compared_only_where_that_is_the_same() {
        let protocol = catalogue::find("staged-sit-up").unwrap();
        let done = |stage: f64, reps: f64| {
            let beside = BTreeMap::from([("stage".to_owned(), stage), ("reps".to_owned(), reps)]);
            move |quantity: &str| Point {
                on: "2026-03-12".parse().unwrap(),
                value: beside[quantity],
                quantity: quantity.to_owned().into(),
                beside: Cow::Owned(beside.clone()),
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
    fn what_was_before_is_shown_as_the_measure_is_written_and_in_the_persons_units() {
        let row = catalogue::find("row-2000m").unwrap();
        let of = |seconds: f64| Point { value: seconds, quantity: "time_s".into(), ..point(seconds, &[]) };
        assert_eq!(compare(row, "time_s", &of(422.0), &of(415.5), None).from_shown, "7:02");
        let jump = catalogue::find("vertical-jump").unwrap();
        let compared = compare(jump, "height_cm", &point(50.8, &[]), &point(52.0, &[]), None);
        assert_eq!((compared.from_shown.clone(), compared.in_units(Units::Imperial).from_shown), ("50.8".into(), "20".into()));
    }

    #[test]
    fn the_weather_is_said_and_hinders_nothing_but_the_surface_does() {
        let run = catalogue::find("run-12min").unwrap();
        let of = |value: f64, changes: &[(&str, Answer)]| Point {
            on: "2026-03-12".parse().unwrap(),
            value,
            quantity: "distance_m".into(),
            conditions: Cow::Owned(changes.iter().map(|(k, a)| ((*k).to_owned(), a.clone())).collect()),
            ..Point::default()
        };
        let (cold, warm) = (("temperature_c", Answer::Number(4.0)), ("temperature_c", Answer::Number(17.0)));
        let compared = compare(
            run,
            "distance_m",
            &of(2150.0, &[cold.clone(), ("wet", Answer::YesNo(true))]),
            &of(2260.0, &[warm, ("wet", Answer::YesNo(false))]),
            None,
        );
        assert!(compared.unlike.is_empty() && compared.noted.len() == 2, "{:?}", compared.noted);
        assert!(compared.sentence.contains("temperature 4 °C then, 17 °C now"), "{}", compared.sentence);
        let other = compare(
            run,
            "distance_m",
            &of(2150.0, &[("surface", Answer::Text("gravel".into()))]),
            &of(2260.0, &[("surface", Answer::Text("track".into()))]),
            None,
        );
        assert_eq!(other.verdict, Verdict::NotComparable);
        let near = compare(run, "distance_m", &of(2150.0, &[cold]), &of(2260.0, &[("temperature_c", Answer::Number(9.0))]), None);
        assert!(near.noted.is_empty(), "a few degrees are not said");
    }

    #[test]
    fn a_maximum_without_a_miss_is_a_bound_and_no_loss() {
        let lift = catalogue::find("one-rm").unwrap();
        let of = |value: f64, at_least: bool| Point {
            value,
            at_least,
            quantity: "one_rm_kg".into(),
            on: "2026-05-02".parse().unwrap(),
            ..Point::default()
        };
        let te = TypicalError { value: 1.0, detectable: 2.8, possible: 1.4, ..published() };
        let now = |from: (f64, bool), to: (f64, bool)| compare(lift, "one_rm_kg", &of(from.0, from.1), &of(to.0, to.1), Some(&te));
        let stopped_short = now((100.0, false), (85.0, true));
        assert_eq!(stopped_short.verdict, Verdict::NoVerdict);
        assert!(
            stopped_short.sentence.contains("At least 85 kg") && stopped_short.sentence.contains("isn’t a loss"),
            "{}",
            stopped_short.sentence
        );
        assert_eq!(now((100.0, false), (105.0, true)).verdict, Verdict::ClearGain, "at least so much more");
        assert_eq!(now((85.0, true), (100.0, false)).verdict, Verdict::NoVerdict);
        assert_eq!(now((85.0, true), (70.0, false)).verdict, Verdict::ClearLoss);
    }

    #[test]
    fn the_noise_never_reads_as_the_change_it_is_held_against() {
        // Three repetitions more, clear beyond 3.05: both would be written 3.
        let te = TypicalError { value: 1.1, detectable: 3.05, possible: 1.6, ..published() };
        let push_up = catalogue::find("push-up").unwrap();
        let compared = compare(
            push_up,
            "reps",
            &Point { quantity: "reps".into(), ..point(20.0, &[]) },
            &Point { quantity: "reps".into(), ..point(23.0, &[]) },
            Some(&te),
        );
        assert_eq!(compared.verdict, Verdict::PossibleGain);
        assert!(compared.sentence.contains("more than 3.05") || compared.sentence.contains("more than 3.1"), "{}", compared.sentence);
    }

    #[test]
    fn without_a_known_measurement_error_there_is_a_difference_and_no_verdict() {
        let compared = compare(bench_step(), "recovery_hr", &point(148.0, &[]), &point(120.0, &[]), None);
        assert_eq!((compared.verdict, compared.difference, compared.steps), (Verdict::NoVerdict, -28.0, None));
    }
}
