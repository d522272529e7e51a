//! What must hold for every protocol that ships, whichever they are.
#![allow(clippy::unwrap_used, clippy::panic, missing_docs)]

use std::collections::HashSet;

use impulso_core::{
    Code,
    catalogue::{self, PhaseKind, Protocol, SourceKind},
    run::{
        Setup,
        event::{Answer, Conditions},
        timeline,
    },
    suitability::{Client, FitVerdict, judge},
    trial::{Circumstances, Inputs, Trial, compute},
    units::Cadence,
};

fn setup(protocol: &Protocol, cadence: Option<f64>) -> Setup {
    let conditions: Conditions = protocol
        .conditions
        .iter()
        .filter(|c| c.required)
        .map(|c| {
            let answer = match c.key.as_str() {
                "warm_up" => Answer::YesNo(true),
                "pulse_site" => Answer::Text("wrist".into()),
                _ => Answer::Number(c.expected.unwrap_or(40.0)),
            };
            (c.key.clone(), answer)
        })
        .collect();
    Setup { cadence: cadence.map(|c| Cadence::new(c).unwrap()), conditions, sex: None, age: None }
}

#[test]
fn the_clock_runs_through_every_phase_without_a_gap() {
    for protocol in catalogue::all() {
        for cadence in protocol.cadence.as_ref().unwrap().choices() {
            let timeline = timeline(protocol, &setup(protocol, Some(cadence)));
            for pair in timeline.phases.windows(2) {
                assert_eq!(pair[0].end_ms, Some(pair[1].start_ms), "{} at {cadence}", protocol.id);
            }
            assert_eq!(timeline.phases.iter().filter(|p| p.end_ms.is_none()).count(), 1);
            let beat = timeline.beat.unwrap();
            let work = timeline.phases.iter().find(|p| p.kind == PhaseKind::Work).unwrap();
            assert_eq!(beat.until_ms, work.end_ms.unwrap(), "the beat stops with the work");
            assert!(beat.swaps_ms.iter().all(|at| (work.start_ms..beat.until_ms).contains(at)));
            assert_eq!(beat.places.len(), 4, "four beats a step");
        }
    }
}

#[test]
fn a_set_up_that_is_complete_passes_and_one_without_a_required_answer_names_it() {
    for protocol in catalogue::all() {
        let whole = setup(protocol, Some(96.0));
        whole.check(protocol).unwrap();
        for condition in protocol.conditions.iter().filter(|c| c.required) {
            let mut partial = whole.clone();
            partial.conditions.remove(&condition.key);
            let error = partial.check(protocol).unwrap_err();
            assert_eq!((error.code, error.field.as_deref()), (Code::MissingInput, Some(condition.key.as_str())));
        }
        let silent = setup(protocol, None);
        assert_eq!(silent.check(protocol).unwrap_err().field.as_deref(), Some("cadence"));
    }
}

#[test]
fn an_answer_of_the_wrong_kind_is_refused_by_its_condition() {
    let protocol = catalogue::find("bench-step-3min").unwrap();
    for (key, answer) in [
        ("warm_up", Answer::Text("maybe".into())),
        ("bench_cm", Answer::YesNo(true)),
        ("bench_cm", Answer::Number(400.0)),
        ("pulse_site", Answer::Text("toe".into())),
        ("place", Answer::Text("x".repeat(5000))),
    ] {
        let mut given = setup(protocol, Some(96.0));
        given.conditions.insert(key.to_owned(), answer);
        let error = given.check(protocol).unwrap_err();
        assert_eq!((error.code, error.field.as_deref()), (Code::OutOfRange, Some(key)));
    }
}

#[test]
fn the_input_a_count_fills_is_enough_for_a_result() {
    for protocol in catalogue::all() {
        let count = protocol.count.as_ref().unwrap();
        let inputs = Inputs::from([(count.input.clone(), f64::from(count.window_s) * 2.0)]);
        let facts = impulso_core::person::Facts::default();
        let outcome = compute(&Trial { protocol, facts, inputs: &inputs, circumstances: Circumstances::default() }).unwrap();
        assert_eq!(outcome.recovery_hr.value(), 120.0, "{}", protocol.id);
    }
}

#[test]
fn a_better_choice_is_never_the_same_test_and_never_leads_back() {
    for protocol in catalogue::all() {
        for rule in &protocol.unsuited {
            let Some(instead) = rule.instead.as_deref() else { continue };
            let other = catalogue::find(instead).unwrap();
            assert_ne!(other.id, protocol.id);
            assert!(other.unsuited.iter().all(|r| r.when != rule.when), "{} sends on to {} which sends on again", protocol.id, other.id);
        }
        assert_eq!(judge(protocol, &Client::default()).verdict, FitVerdict::Suits, "nothing known speaks against nothing");
    }
}

#[test]
fn every_claim_says_who_says_so_and_no_name_is_a_citation() {
    let mut names = HashSet::new();
    for protocol in catalogue::all() {
        assert!(names.insert(&protocol.name));
        assert!(!protocol.name.chars().any(|c| c.is_ascii_digit() && c != '3'), "a display name says what is done: {}", protocol.name);
        assert!(protocol.sources.iter().all(|s| !s.of.is_empty() && !s.citation.is_empty()));
        let published = protocol.sources.iter().filter(|s| s.kind == SourceKind::Published);
        assert!(
            published.into_iter().all(|s| s.citation.contains("19") || s.citation.contains("20")),
            "{}: a publication has a year",
            protocol.id
        );
        assert!(protocol.conditions.iter().all(|c| !c.why.is_empty()), "{}: every condition says why it matters", protocol.id);
        assert!(
            protocol.cautions.iter().any(|c| c.text.starts_with("Stop on chest discomfort")),
            "{}: the stop signs are there",
            protocol.id
        );
    }
}
