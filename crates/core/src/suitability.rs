//! Is this the right test for this client, and if not, which one?
//!
//! The rules are data of each protocol ([`Protocol::unsuited`]); this module only asks them in order.

use std::collections::BTreeSet;

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};

use crate::{
    battery::Battery,
    catalogue::{self, Circumstance, Effort, Protocol},
    error::{Code, InputError},
    norms,
    person::Facts,
    readiness::{Advice, Answers, Permit},
    text,
    units::Age,
};

/// What is known of the client when a test is chosen.
#[derive(Debug, Clone, Default)]
pub struct Client<'a> {
    /// Age in completed years.
    pub age: Option<Age>,
    /// Medicine that limits the heart rate, as the record has it.
    pub rate_limiting_drug: bool,
    /// The latest readiness answers and the advice that followed.
    pub readiness: Option<(&'a Answers, &'a Advice)>,
    /// Tests of which every point was met the last time; nothing where it was not looked up.
    pub passed: Option<BTreeSet<String>>,
}

/// What there is to test with.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Available {
    /// What is at hand, by the keys of [`catalogue::kit`]; everything where nothing was said.
    pub kit: Option<Vec<String>>,
    /// Minutes there are, warm-up included.
    pub minutes: Option<u16>,
    /// How many people are to be tested.
    pub people: Option<u16>,
}

/// The judgement on one protocol.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Fit {
    /// The protocol judged.
    pub protocol: String,
    /// Its display name.
    pub name: String,
    /// The part of the library it stands in, in words.
    pub section: String,
    /// How it fits.
    pub verdict: FitVerdict,
    /// One line why.
    pub because: String,
    /// Whether the floor runs it; the others are entered afterwards.
    pub runs_live: bool,
    /// The protocol that suits better, id and name, where there is one.
    pub instead: Option<Instead>,
}

/// A better choice.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Instead {
    /// Protocol id.
    pub protocol: String,
    /// Its display name.
    pub name: String,
}

/// How a protocol fits a client.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum FitVerdict {
    /// Nothing speaks against it.
    Suits,
    /// Possible, but another one suits better.
    BetterChoice,
    /// Should not be used.
    Unsuited,
}

/// Judges one protocol for one client: the first rule that applies speaks.
pub fn judge(protocol: &Protocol, client: &Client) -> Fit {
    judge_with(protocol, client, &Available::default())
}

/// The same with what is at hand: what the client forbids speaks before what is missing.
pub fn judge_with(protocol: &Protocol, client: &Client, means: &Available) -> Fit {
    let fit = |verdict, because: String, instead: Option<Instead>| Fit {
        protocol: protocol.id.clone(),
        name: protocol.name.clone(),
        section: catalogue::section_name(&protocol.section).to_owned(),
        verdict,
        because,
        runs_live: protocol.family().runs_live(),
        instead,
    };
    if let Some(rule) = protocol.unsuited.iter().find(|rule| applies(rule.when, client)) {
        let instead = rule.instead.as_deref().and_then(|id| catalogue::find(id).ok()).filter(|other| judge_alone(other, client));
        let named = instead.map(|p| Instead { protocol: p.id.clone(), name: p.name.clone() });
        let verdict = if named.is_some() { FitVerdict::BetterChoice } else { FitVerdict::Unsuited };
        let why = match &named {
            Some(better) => format!("{}: choose the {} instead.", text::capital(&rule.why), better.name),
            None if rule.when == Circumstance::RateLimitingDrug => {
                format!("{}; no test here that rests on heart rate will do.", text::capital(&rule.why))
            }
            None => format!("{}.", text::capital(&rule.why)),
        };
        return fit(verdict, why, named);
    }
    if let Some(first) = client.passed.as_ref().and_then(|passed| waits_for(protocol, passed)) {
        let why = format!("{} opens once every point of the {} was met. Do that one first.", protocol.name, first.name);
        return fit(FitVerdict::BetterChoice, why, Some(Instead { protocol: first.id.clone(), name: first.name.clone() }));
    }
    if let Some(lack) = lacks(protocol, means) {
        return fit(FitVerdict::Unsuited, lack, None);
    }
    match client.readiness {
        Some((_, advice)) if advice.permit(protocol.effort) > Permit::Go => fit(FitVerdict::Unsuited, advice.headline.clone(), None),
        _ => fit(FitVerdict::Suits, protocol.tells.clone(), None),
    }
}

/// The test that comes first, where a protocol does not open before it was passed. `passed`: tests of which every point was met.
pub fn waits_for(protocol: &Protocol, passed: &BTreeSet<String>) -> Option<&'static Protocol> {
    let first = protocol.opens_after.as_deref().filter(|first| !passed.contains(*first))?;
    catalogue::find(first).ok()
}

/// Every protocol of the library for one client with what is at hand, the suitable first.
pub fn shortlist(client: &Client, means: &Available) -> Vec<Fit> {
    let mut fits: Vec<Fit> = catalogue::all().iter().map(|p| judge_with(p, client, means)).collect();
    fits.sort_by_key(|f| f.verdict);
    fits
}

impl Available {
    /// Refuses what is no kit.
    ///
    /// # Errors
    /// [`Code::UnknownField`] naming it.
    pub fn check(&self) -> Result<(), InputError> {
        match self.kit.iter().flatten().find(|key| catalogue::kit_named(key).is_none()) {
            Some(odd) => Err(InputError::new(
                Code::UnknownField,
                "kit",
                format!("There is no equipment called “{}”.", odd.chars().take(60).collect::<String>()),
            )),
            None => Ok(()),
        }
    }
}

/// One of the tests that are offered first.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct First {
    pub protocol: String,
    /// One line why it, and why now.
    pub why: String,
}

/// A test that was done before.
#[derive(Debug, Clone, Copy)]
pub struct Before<'a> {
    pub protocol: &'a str,
    /// The last day it was done.
    pub on: NaiveDate,
    /// The day it is to be done again, where one is planned.
    pub due: Option<NaiveDate>,
}

/// How long a part of the library may rest before it is time to look again, days. Ours, common practice: half a year.
const PART_RESTS_DAYS: i64 = 182;
/// After how long a test is worth doing again where no date is planned, days. Ours, common practice: six weeks.
const AGAIN_AFTER_DAYS: i64 = 42;
/// How many are offered first.
const FIRST_MOST: usize = 3;

/// The two or three tests that are offered first, each of another part of the library: what is due, then what was not looked
/// at for half a year and has a table of people of this client's age, what takes least in front; then what was done longest ago. `fits`: the judged tests, in the library's
/// order; `before`: what was done, one entry a test.
pub fn first<'p>(
    fits: &[Fit],
    known: &dyn Fn(&str) -> Option<&'p Protocol>,
    facts: &Facts,
    before: &[Before],
    today: NaiveDate,
) -> Vec<First> {
    let suiting: Vec<&Protocol> = fits.iter().filter(|f| f.verdict == FitVerdict::Suits).filter_map(|f| known(&f.protocol)).collect();
    let mut due: Vec<&Before> = before.iter().filter(|b| b.due.is_some_and(|d| d <= today)).collect();
    due.sort_by_key(|b| b.due);
    let again = due.iter().filter_map(|b| suiting.iter().find(|p| p.id == b.protocol).map(|p| (*p, b)));
    let of_due = again.map(|(p, b)| (p, format!("Due. Last done on {}: doing it again shows what has changed.", b.on.format("%-d %B %Y"))));

    let looked_at = |section: &str| {
        let seen = |b: &&Before| known(b.protocol).is_some_and(|p| p.section == section);
        before.iter().filter(seen).map(|b| b.on).max()
    };
    let over_60 = facts.age.is_some_and(|a| a.value() >= 60.0);
    let placed = |p: &Protocol| p.norms.iter().filter_map(|n| norms::table(&n.table)).find(|t| t.is_for_age_of(facts));
    let mut fresh: Vec<(&Protocol, bool, String)> = suiting
        .iter()
        // Nobody is led into a hardest effort they have never made: that is the coach's choice, from the list.
        .filter(|p| p.effort == Effort::LightToModerate || (!over_60 && p.effort != Effort::Vigorous))
        .filter_map(|p| {
            let table = placed(p);
            let part = catalogue::section_name(&p.section);
            let when = match looked_at(&p.section) {
                None => format!("{part}: not measured yet"),
                Some(on) if (today - on).num_days() > PART_RESTS_DAYS => format!("{part}: last measured on {}", on.format("%-d %B %Y")),
                Some(_) => return None,
            };
            let held = table.map_or(String::new(), |t| format!(", and a table to hold it against: {}", t.population_for(facts)));
            Some((*p, table.is_some(), format!("{when}. {} minutes{held}.", p.minutes)))
        })
        .collect();
    fresh.sort_by_key(|(p, ..)| (over_60 != (p.section == OVER_60), p.needs.len(), p.minutes));
    let mut longest: Vec<&Before> = before.iter().collect();
    longest.sort_by_key(|b| b.on);
    longest.retain(|b| (today - b.on).num_days() >= AGAIN_AFTER_DAYS);
    let done = longest.iter().filter_map(|b| suiting.iter().find(|p| p.id == b.protocol).map(|p| (*p, b)));
    let of_done = done.map(|(p, b)| (p, format!("Last done on {}: doing it again shows what has changed.", b.on.format("%-d %B %Y"))));
    let mut first: Vec<First> = Vec::new();
    let mut parts: BTreeSet<&str> = BTreeSet::new();
    let (held, bare): (Vec<_>, Vec<_>) = fresh.into_iter().partition(|(_, is_held, _)| *is_held);
    let said = |(p, _, why)| (p, why);
    for (protocol, why) in of_due.chain(held.into_iter().map(said)).chain(of_done).chain(bare.into_iter().map(said)) {
        if first.len() < FIRST_MOST && parts.insert(&protocol.section) {
            first.push(First { protocol: protocol.id.clone(), why });
        }
    }
    first
}

/// The part of the library that is for people over sixty.
const OVER_60: &str = "older_adults";

/// What is missing for a protocol, in a sentence.
fn lacks(protocol: &Protocol, means: &Available) -> Option<String> {
    let missing = protocol.needs.iter().find(|k| means.kit.as_ref().is_some_and(|kit| !kit.contains(k)));
    if let Some(missing) = missing {
        let words = catalogue::kit_named(missing).map_or(missing.as_str(), |k| &k.words);
        return Some(format!("Needs {words}."));
    }
    let groups = means.people.unwrap_or(1).max(1).div_ceil(protocol.people_at_once.max(1));
    let minutes = groups.saturating_mul(protocol.minutes);
    means.minutes.filter(|m| *m < minutes).map(|there| {
        if groups == 1 {
            format!("It takes about {minutes} minutes; you have {there}.")
        } else {
            let people = protocol.people_at_once;
            let each = if people == 1 { "one at a time".to_owned() } else { format!("{people} at a time") };
            format!("It takes about {minutes} minutes for {} people, {each}; you have {there}.", means.people.unwrap_or(1))
        }
    })
}

/// Said to whoever tests somebody under age. Common practice.
const MINOR: &str = "Under 18: a parent or guardian agrees beforehand, and the rules of the school or club come first.";

/// What to keep in mind before these tests, each said once. `age`: the client's, where it is known.
pub fn cautions<'p>(protocols: impl IntoIterator<Item = &'p Protocol>, age: Option<Age>) -> Vec<String> {
    let mut said: Vec<String> = Vec::new();
    let minor = age.filter(|a| a.value() < 18.0).map(|_| MINOR);
    let all = minor.into_iter().chain(protocols.into_iter().flat_map(|p| p.cautions.iter().map(|c| c.text.as_str())));
    for text in all {
        if !said.iter().any(|s| s == text) {
            said.push(text.to_owned());
        }
    }
    said
}

fn judge_alone(protocol: &Protocol, client: &Client) -> bool {
    let ready = client.readiness.is_none_or(|(_, advice)| advice.permit(protocol.effort) == Permit::Go);
    ready && !protocol.unsuited.iter().any(|rule| applies(rule.when, client))
}

fn applies(when: Circumstance, client: &Client) -> bool {
    let answered = client.readiness.map(|(answers, _)| answers);
    match when {
        Circumstance::Symptoms => answered.is_some_and(|a| !a.symptoms.is_empty()),
        Circumstance::RateLimitingDrug => client.rate_limiting_drug || answered.is_some_and(|a| a.rate_limiting_drug),
        Circumstance::Untrained => answered.is_some_and(|a| !a.regularly_active),
        Circumstance::Over69 => client.age.is_some_and(|a| a.value() > 69.0),
        Circumstance::SoreJoints => answered.is_some_and(|a| a.sore_joints),
        Circumstance::Over60 => client.age.is_some_and(|a| a.value() > 60.0),
    }
}

/// A battery as it stands for a client.
#[derive(Debug, Clone, Copy)]
pub struct BatteryFit<'a> {
    /// Its tests.
    pub battery: &'a Battery,
    /// When it was done last.
    pub last_on: Option<NaiveDate>,
    /// When it is planned.
    pub due_on: Option<NaiveDate>,
}

/// So many batteries are suggested.
const BATTERIES_SUGGESTED: usize = 3;

/// The batteries to begin with, each by its place in the list and with one line why: what is due, what was done last, then those of
/// which every test suits, the practice's own and the shorter ones first.
pub fn suggest_batteries<'p>(
    all: &[BatteryFit],
    client: &Client,
    find: &dyn Fn(&str) -> Option<&'p Protocol>,
    today: NaiveDate,
) -> Vec<(usize, String)> {
    let day = |on: NaiveDate| on.format("%-d %B %Y");
    let suits = |fit: &BatteryFit| {
        // Where every test is left to choice, each of them has to suit.
        let by_choice = fit.battery.tests.iter().all(|t| t.optional);
        let mut asked = fit.battery.tests.iter().filter(|t| by_choice || !t.optional);
        asked.all(|t| find(&t.protocol).is_some_and(|p| judge(p, client).verdict == FitVerdict::Suits))
    };
    let minutes = |fit: &BatteryFit| fit.battery.tests.iter().filter_map(|t| find(&t.protocol)).map(|p| u32::from(p.minutes)).sum::<u32>();
    let mut due: Vec<usize> = (0..all.len()).filter(|k| all[*k].due_on.is_some_and(|on| on <= today)).collect();
    due.sort_by_key(|k| all[*k].due_on);
    let mut before: Vec<usize> = (0..all.len()).filter(|k| all[*k].last_on.is_some()).collect();
    before.sort_by_key(|k| std::cmp::Reverse(all[*k].last_on));
    let mut fitting: Vec<usize> = (0..all.len()).filter(|k| suits(&all[*k])).collect();
    fitting.sort_by_key(|k| minutes(&all[*k]));
    let mut found: Vec<(usize, String)> = Vec::new();
    for k in due.into_iter().chain(before).chain(fitting) {
        if found.len() == BATTERIES_SUGGESTED || found.iter().any(|(other, _)| *other == k) {
            continue;
        }
        let why = match (all[k].due_on.filter(|on| *on <= today), all[k].last_on) {
            (Some(on), _) if on == today => "Due today.".to_owned(),
            (Some(on), _) => format!("Due since {}.", day(on)),
            (None, Some(on)) => format!("Done last on {}.", day(on)),
            (None, None) => format!("Every test suits; about {} minutes.", minutes(&all[k])),
        };
        found.push((k, why));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::readiness::{Symptom, advise};
    use test_case::test_case;

    struct Case {
        active: bool,
        symptoms: bool,
        drug: bool,
        knees: bool,
        age: f64,
    }
    const FIT: Case = Case { active: true, symptoms: false, drug: false, knees: false, age: 30.0 };

    #[test_case(FIT, "bench-step-3min", FitVerdict::Suits, None; "someone who trains takes the bench")]
    #[test_case(Case { active: false, ..FIT }, "bench-step-3min", FitVerdict::BetterChoice, Some("low-step-3min"); "untrained takes the low step")]
    #[test_case(Case { age: 61.0, ..FIT }, "bench-step-3min", FitVerdict::BetterChoice, Some("low-step-3min"); "over sixty takes the low step")]
    #[test_case(Case { age: 60.0, ..FIT }, "bench-step-3min", FitVerdict::Suits, None; "sixty is not over sixty")]
    #[test_case(Case { drug: true, ..FIT }, "bench-step-3min", FitVerdict::BetterChoice, Some("walk-6min"); "a rate-limiting drug takes a test without heart rate")]
    #[test_case(Case { drug: true, ..FIT }, "multistage-cycle", FitVerdict::BetterChoice, Some("walk-6min"); "on the bike too")]
    #[test_case(Case { drug: true, ..FIT }, "walk-6min", FitVerdict::Suits, None; "the walk does not use it")]
    #[test_case(Case { age: 70.0, ..FIT }, "mile-walk", FitVerdict::BetterChoice, Some("walk-6min"); "over 69 the walk equation does not hold")]
    #[test_case(Case { age: 69.0, ..FIT }, "mile-walk", FitVerdict::Suits, None; "69 is within it")]
    #[test_case(Case { knees: true, ..FIT }, "bench-step-3min", FitVerdict::BetterChoice, Some("single-stage-cycle"); "sore knees take the bike")]
    #[test_case(Case { knees: true, ..FIT }, "run-12min", FitVerdict::BetterChoice, Some("single-stage-cycle"); "and do not run")]
    #[test_case(Case { active: false, ..FIT }, "run-12min", FitVerdict::BetterChoice, Some("mile-walk"); "untrained walk before they run")]
    #[test_case(Case { age: 63.0, ..FIT }, "clamped-cycle", FitVerdict::BetterChoice, Some("multistage-cycle"); "over sixty no 90 percent of the maximum")]
    #[test_case(Case { active: false, ..FIT }, "clamped-cycle", FitVerdict::BetterChoice, Some("multistage-cycle"); "nor for the untrained")]
    #[test_case(FIT, "clamped-cycle", FitVerdict::Suits, None; "the trained ride at clamped heart rates")]
    #[test_case(Case { symptoms: true, ..FIT }, "low-step-3min", FitVerdict::Unsuited, None; "symptoms rule everything out")]
    #[test_case(Case { knees: true, drug: true, ..FIT }, "run-12min", FitVerdict::Unsuited, None; "no better choice that is itself unsuited")]
    #[test_case(Case { active: false, age: 72.0, ..FIT }, "class-step-3min", FitVerdict::BetterChoice, Some("low-step-3min"); "an older beginner in a class")]
    fn choices(case: Case, protocol: &str, verdict: FitVerdict, instead: Option<&str>) {
        let answers = Answers {
            regularly_active: case.active,
            rate_limiting_drug: case.drug,
            sore_joints: case.knees,
            symptoms: if case.symptoms { vec![Symptom::ChestDiscomfort] } else { vec![] },
            ..Answers::default()
        };
        let advice = advise(&answers);
        let client = Client {
            age: Some(Age::new(case.age).unwrap()),
            rate_limiting_drug: false,
            readiness: Some((&answers, &advice)),
            passed: None,
        };
        let fit = judge(catalogue::find(protocol).unwrap(), &client);
        assert_eq!((fit.verdict, fit.instead.as_ref().map(|i| i.protocol.as_str())), (verdict, instead), "{}", fit.because);
        assert!(fit.because.ends_with('.'));
    }

    #[test]
    fn what_to_keep_in_mind_is_said_once_and_first_of_a_minor() {
        let tests = ["run-12min", "bench-step-3min"].map(|id| catalogue::find(id).unwrap());
        let of_adult = cautions(tests, Age::new(30.0).ok());
        assert!(of_adult.iter().any(|c| c.contains("No caffeine")) && of_adult.iter().filter(|c| c.starts_with("Stop on")).count() == 1);
        assert_eq!(cautions(tests, Age::new(15.0).ok()).first().map(String::as_str), Some(MINOR));
        assert!(!of_adult.iter().any(|c| c == MINOR));
    }

    #[test]
    fn the_battery_that_is_due_comes_first_then_the_last_one_then_what_suits() {
        let all = crate::battery::all();
        let day = |n: u64| NaiveDate::from_ymd_opt(2026, 1, 1).unwrap() + chrono::Days::new(n);
        let of = |id: &str, last: Option<u64>, due: Option<u64>| BatteryFit {
            battery: crate::battery::find(id).unwrap(),
            last_on: last.map(day),
            due_on: due.map(day),
        };
        let fits: Vec<BatteryFit> = all
            .iter()
            .map(|b| match b.id.as_str() {
                "monthly-four" => of("monthly-four", Some(10), Some(200)),
                "four-in-five-minutes" => of("four-in-five-minutes", Some(2), Some(90)),
                id => of(id, None, None),
            })
            .collect();
        let known = |id: &str| catalogue::find(id).ok();
        let suggested = suggest_batteries(&fits, &Client::default(), &known, day(100));
        let names: Vec<&str> = suggested.iter().map(|(k, _)| all[*k].id.as_str()).collect();
        assert_eq!((names[0], names[1], names.len()), ("four-in-five-minutes", "monthly-four", 3));
        assert_eq!(suggested[0].1, "Due since 1 April 2026.");
        assert!(suggested[2].1.starts_with("Every test suits"), "{}", suggested[2].1);
        // With chest discomfort nothing suits, and nothing new is suggested.
        let answers = Answers { symptoms: vec![Symptom::ChestDiscomfort], ..Answers::default() };
        let advice = advise(&answers);
        let ill = Client { readiness: Some((&answers, &advice)), ..Client::default() };
        let none: Vec<BatteryFit> = all.iter().map(|b| of(&b.id, None, None)).collect();
        assert_eq!(suggest_batteries(&none, &ill, &known, day(100)), vec![]);
    }

    #[test]
    fn the_shortlist_puts_what_suits_first() {
        let answers = Answers::default();
        let advice = advise(&answers);
        let list = shortlist(
            &Client { age: None, rate_limiting_drug: false, readiness: Some((&answers, &advice)), passed: None },
            &Available::default(),
        );
        assert_eq!(list[0].protocol, "low-step-3min");
        assert!(list.is_sorted_by_key(|f| f.verdict));
        assert!(list.iter().all(|f| f.because.ends_with('.')));
    }

    #[test_case("multistage-cycle", &["bench"], 60, 1, "Needs a cycle ergometer."; "no bike")]
    #[test_case("bench-step-3min", &["bench"], 15, 1, "It takes about 20 minutes; you have 15."; "too little time")]
    #[test_case("bench-step-3min", &["bench"], 60, 20, "It takes about 400 minutes for 20 people, one at a time; you have 60."; "too many people")]
    fn what_is_missing_is_said(protocol: &str, kit: &[&str], minutes: u16, people: u16, because: &str) {
        let means = Available { kit: Some(kit.iter().map(|k| (*k).to_owned()).collect()), minutes: Some(minutes), people: Some(people) };
        let fit = judge_with(catalogue::find(protocol).unwrap(), &Client::default(), &means);
        assert_eq!((fit.verdict, fit.because.as_str()), (FitVerdict::Unsuited, because));
    }

    #[test]
    fn a_class_of_forty_fits_into_one_lesson() {
        let means = Available { kit: Some(vec!["bench".into()]), minutes: Some(45), people: Some(40) };
        let list = shortlist(&Client::default(), &means);
        assert_eq!(
            list.iter().filter(|f| f.verdict == FitVerdict::Suits).map(|f| f.protocol.as_str()).collect::<Vec<_>>(),
            ["class-step-3min"]
        );
    }

    #[test]
    fn what_is_due_comes_first_then_what_was_never_looked_at_each_of_another_part() {
        let day = |n: u64| NaiveDate::from_ymd_opt(2026, 1, 1).unwrap() + chrono::Days::new(n);
        let facts = Facts { sex: Some(crate::person::Sex::Female), age: Some(Age::new(67.0).unwrap()), ..Facts::default() };
        let fits = shortlist(
            &Client { age: facts.age, ..Client::default() },
            &Available { kit: Some(vec!["chair".into()]), ..Available::default() },
        );
        let known = |id: &str| catalogue::find(id).ok();
        let young = norms::table("trunk-endurance-means/side-plank/left").unwrap();
        assert!(!young.is_for_age_of(&facts), "young adults say nothing of 67");
        let none = first(&fits, &known, &facts, &[], day(0));
        assert!(none.len() >= 2 && none[0].protocol.starts_with("chair-stand"), "{none:?}");
        assert!(none[0].why.contains("not measured yet") && none[0].why.contains("of 65 to 69"), "{}", none[0].why);
        let sections: BTreeSet<&str> = none.iter().map(|f| known(&f.protocol).unwrap().section.as_str()).collect();
        assert_eq!(sections.len(), none.len());
        let everything = shortlist(&Client { age: facts.age, ..Client::default() }, &Available::default());
        let gentle = |f: &First| known(&f.protocol).unwrap().effort == Effort::LightToModerate;
        assert!(first(&everything, &known, &facts, &[], day(0)).iter().all(gentle), "no hardest effort for a first time at 67");
        let before = [Before { protocol: "plank", on: day(0), due: Some(day(90)) }];
        let due = first(&fits, &known, &facts, &before, day(91));
        assert_eq!(due[0].protocol, "plank");
        assert!(due[0].why.contains("1 January 2026"), "{}", due[0].why);
        assert!(first(&fits, &known, &facts, &before, day(89)).iter().all(|f| f.protocol != "plank"), "not due, and looked at lately");
    }

    #[test]
    fn what_a_test_needs_is_something_of_the_list_and_the_list_has_nothing_else() {
        let needed: BTreeSet<&str> = catalogue::all().iter().flat_map(|p| &p.needs).map(String::as_str).collect();
        let listed: BTreeSet<&str> = catalogue::kit().iter().map(|k| k.key.as_str()).collect();
        assert_eq!(needed, listed);
        assert_eq!(
            Available { kit: Some(vec!["rocket".into()]), ..Available::default() }.check().unwrap_err().field.as_deref(),
            Some("kit")
        );
    }

    #[test]
    fn before_readiness_only_the_record_speaks() {
        let client = Client { rate_limiting_drug: true, ..Client::default() };
        assert_eq!(judge(catalogue::find("bench-step-3min").unwrap(), &client).verdict, FitVerdict::BetterChoice);
    }

    #[test]
    fn a_gated_test_opens_once_the_one_before_it_was_passed() {
        let gated = catalogue::all().iter().find(|p| p.opens_after.is_some()).unwrap();
        let first = gated.opens_after.clone().unwrap();
        let with = |passed: Option<BTreeSet<String>>| judge(gated, &Client { passed, ..Client::default() });
        let closed = with(Some(BTreeSet::new()));
        assert_eq!((closed.verdict, closed.instead.map(|i| i.protocol)), (FitVerdict::BetterChoice, Some(first.clone())));
        assert_eq!(with(Some([first].into())).verdict, FitVerdict::Suits);
        assert_eq!(with(None).verdict, FitVerdict::Suits);
    }
}
