//! Is this the right test for this client, and if not, which one?
//!
//! The rules are data of each protocol ([`Protocol::unsuited`]); this module only asks them in order.

mod suggest;

use std::collections::BTreeSet;

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::{self, Circumstance, Protocol},
    error::{Code, InputError},
    readiness::{Advice, Answers, Permit},
    text,
    units::Age,
};

pub use self::suggest::{BatteryFit, Before, First, first, suggest_batteries};

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
    /// The test that was stopped today with pain or symptoms, where readiness was not asked since.
    pub stopped: Option<String>,
}

/// What there is to test with.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Available {
    /// What is at hand, by the keys of [`catalogue::equipment`]; everything where nothing was said.
    pub equipment: Option<Vec<String>>,
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
    if let Some(test) = &client.stopped {
        let because = format!("Stopped with pain or symptoms today, in {test}. Ask about readiness again before any other test.");
        return fit(FitVerdict::Unsuited, because, None);
    }
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
    /// Refuses what is no equipment.
    ///
    /// # Errors
    /// [`Code::UnknownField`] naming it.
    pub fn check(&self) -> Result<(), InputError> {
        match self.equipment.iter().flatten().find(|key| catalogue::equipment_named(key).is_none()) {
            Some(odd) => Err(InputError::new(
                Code::UnknownField,
                "equipment",
                format!("There is no equipment called “{}”.", odd.chars().take(60).collect::<String>()),
            )),
            None => Ok(()),
        }
    }
}

/// What is missing for a protocol, in a sentence.
fn lacks(protocol: &Protocol, means: &Available) -> Option<String> {
    let missing = protocol.needs.iter().find(|k| means.equipment.as_ref().is_some_and(|equipment| !equipment.contains(k)));
    if let Some(missing) = missing {
        let words = catalogue::equipment_named(missing).map_or(missing.as_str(), |k| &k.words);
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
            ..Client::default()
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
    fn who_stopped_with_symptoms_does_no_other_test_until_readiness_was_asked_again() {
        let (answers, client) = (Answers { regularly_active: true, ..Answers::default() }, Client::default());
        let advice = advise(&answers);
        let client = Client { readiness: Some((&answers, &advice)), ..client };
        let stopped = Client { stopped: Some("Plank".into()), ..client.clone() };
        for protocol in catalogue::all() {
            let fit = judge(protocol, &stopped);
            assert_eq!(fit.verdict, FitVerdict::Unsuited, "{}", protocol.id);
            assert!(fit.because.contains("in Plank") && fit.because.ends_with('.'));
        }
        assert_eq!(judge(catalogue::find("plank").unwrap(), &client).verdict, FitVerdict::Suits);
    }

    #[test]
    fn the_shortlist_puts_what_suits_first() {
        let answers = Answers::default();
        let advice = advise(&answers);
        let list = shortlist(&Client { readiness: Some((&answers, &advice)), ..Client::default() }, &Available::default());
        assert_eq!(list[0].protocol, "low-step-3min");
        assert!(list.is_sorted_by_key(|f| f.verdict));
        assert!(list.iter().all(|f| f.because.ends_with('.')));
    }

    #[test_case("multistage-cycle", &["bench"], 60, 1, "Needs a cycle ergometer."; "no bike")]
    #[test_case("bench-step-3min", &["bench"], 15, 1, "It takes about 20 minutes; you have 15."; "too little time")]
    #[test_case("bench-step-3min", &["bench"], 60, 20, "It takes about 400 minutes for 20 people, one at a time; you have 60."; "too many people")]
    fn what_is_missing_is_said(protocol: &str, equipment: &[&str], minutes: u16, people: u16, because: &str) {
        let means = Available {
            equipment: Some(equipment.iter().map(|k| (*k).to_owned()).collect()),
            minutes: Some(minutes),
            people: Some(people),
        };
        let fit = judge_with(catalogue::find(protocol).unwrap(), &Client::default(), &means);
        assert_eq!((fit.verdict, fit.because.as_str()), (FitVerdict::Unsuited, because));
    }

    #[test]
    fn a_class_of_forty_fits_into_one_lesson() {
        let means = Available { equipment: Some(vec!["bench".into()]), minutes: Some(45), people: Some(40) };
        let list = shortlist(&Client::default(), &means);
        assert_eq!(
            list.iter().filter(|f| f.verdict == FitVerdict::Suits).map(|f| f.protocol.as_str()).collect::<Vec<_>>(),
            ["class-step-3min"]
        );
    }

    #[test]
    fn what_a_test_needs_is_something_of_the_list_and_the_list_has_nothing_else() {
        let needed: BTreeSet<&str> = catalogue::all().iter().flat_map(|p| &p.needs).map(String::as_str).collect();
        let listed: BTreeSet<&str> = catalogue::equipment().iter().map(|k| k.key.as_str()).collect();
        assert_eq!(needed, listed);
        assert_eq!(
            Available { equipment: Some(vec!["rocket".into()]), ..Available::default() }.check().unwrap_err().field.as_deref(),
            Some("equipment")
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
