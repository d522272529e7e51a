//! Is this the right test for this client, and if not, which one?
//!
//! The rules are data of each protocol ([`Protocol::unsuited`]); this module only asks them in order.

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::{self, Circumstance, Protocol},
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
}

/// The judgement on one protocol.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Fit {
    /// The protocol judged.
    pub protocol: String,
    /// Its display name.
    pub name: String,
    /// How it fits.
    pub verdict: FitVerdict,
    /// One line why.
    pub because: String,
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
    let fit = |verdict, because: String, instead: Option<Instead>| Fit {
        protocol: protocol.id.clone(),
        name: protocol.name.clone(),
        verdict,
        because,
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
    match client.readiness {
        Some((_, advice)) if advice.permit(protocol.effort) > Permit::Go => fit(FitVerdict::Unsuited, advice.headline.clone(), None),
        _ => fit(FitVerdict::Suits, protocol.tells.clone(), None),
    }
}

/// Every protocol of the library for one client, the suitable first.
pub fn shortlist(client: &Client) -> Vec<Fit> {
    let mut fits: Vec<Fit> = catalogue::all().iter().map(|p| judge(p, client)).collect();
    fits.sort_by_key(|f| f.verdict);
    fits
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
        age: f64,
    }
    const FIT: Case = Case { active: true, symptoms: false, drug: false, age: 30.0 };

    #[test_case(FIT, "bench-step-3min", FitVerdict::Suits, None; "someone who trains takes the bench")]
    #[test_case(Case { active: false, ..FIT }, "bench-step-3min", FitVerdict::BetterChoice, Some("low-step-3min"); "untrained takes the low step")]
    #[test_case(Case { age: 61.0, ..FIT }, "bench-step-3min", FitVerdict::BetterChoice, Some("low-step-3min"); "over sixty takes the low step")]
    #[test_case(Case { age: 60.0, ..FIT }, "bench-step-3min", FitVerdict::Suits, None; "sixty is not over sixty")]
    #[test_case(Case { drug: true, ..FIT }, "bench-step-3min", FitVerdict::Unsuited, None; "a rate-limiting drug rules the bench out")]
    #[test_case(Case { drug: true, ..FIT }, "low-step-3min", FitVerdict::Unsuited, None; "and the low step")]
    #[test_case(Case { symptoms: true, ..FIT }, "low-step-3min", FitVerdict::Unsuited, None; "symptoms rule everything out")]
    #[test_case(Case { active: false, drug: true, ..FIT }, "bench-step-3min", FitVerdict::Unsuited, None; "no better choice that is itself unsuited")]
    #[test_case(Case { active: false, age: 72.0, ..FIT }, "class-step-3min", FitVerdict::BetterChoice, Some("low-step-3min"); "an older beginner in a class")]
    fn choices(case: Case, protocol: &str, verdict: FitVerdict, instead: Option<&str>) {
        let answers = Answers {
            regularly_active: case.active,
            rate_limiting_drug: case.drug,
            symptoms: if case.symptoms { vec![Symptom::ChestDiscomfort] } else { vec![] },
            ..Answers::default()
        };
        let advice = advise(&answers);
        let client = Client { age: Some(Age::new(case.age).unwrap()), rate_limiting_drug: false, readiness: Some((&answers, &advice)) };
        let fit = judge(catalogue::find(protocol).unwrap(), &client);
        assert_eq!((fit.verdict, fit.instead.as_ref().map(|i| i.protocol.as_str())), (verdict, instead), "{}", fit.because);
        assert!(fit.because.ends_with('.'));
    }

    #[test]
    fn the_shortlist_puts_what_suits_first() {
        let answers = Answers::default();
        let advice = advise(&answers);
        let list = shortlist(&Client { age: None, rate_limiting_drug: false, readiness: Some((&answers, &advice)) });
        assert_eq!(list[0].protocol, "low-step-3min");
        assert!(list[1..].iter().all(|f| f.verdict != FitVerdict::Suits));
    }

    #[test]
    fn before_readiness_only_the_record_speaks() {
        let client = Client { rate_limiting_drug: true, ..Client::default() };
        assert_eq!(judge(catalogue::find("bench-step-3min").unwrap(), &client).verdict, FitVerdict::Unsuited);
    }
}
