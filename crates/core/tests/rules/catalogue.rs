//! What must hold for every protocol that ships, whichever they are.

use std::collections::HashSet;

use impulso_core::{
    Code,
    catalogue::{self, ConditionKind, Family, PhaseKind, Protocol, SourceKind},
    person::{Facts, Sex},
    quantity,
    run::{
        Setup,
        event::{Answer, Conditions},
        timeline,
    },
    suitability::{Client, FitVerdict, judge},
    test_record::{Circumstances, Inputs, Options, TestRecord, compute},
    units::{Age, BodyMass, Cadence},
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
                _ => match c.kind {
                    ConditionKind::YesNo => Answer::YesNo(true),
                    ConditionKind::Choice => Answer::Text(c.choices[0].0.clone()),
                    ConditionKind::Text => Answer::Text("as last time".into()),
                    ConditionKind::Number => Answer::Number(c.expected.or(c.possible.map(|(from, _)| from)).unwrap_or(40.0)),
                },
            };
            (c.key.clone(), answer)
        })
        .collect();
    let (age, mass) = (Age::new(40.0).ok(), BodyMass::new(70.0).ok());
    Setup { cadence: cadence.map(|c| Cadence::new(c).unwrap()), conditions, age, mass, ..Setup::default() }
}

fn counted() -> impl Iterator<Item = &'static Protocol> {
    catalogue::all().iter().filter(|p| p.family() == Family::CountedRecovery)
}

#[test]
fn the_clock_runs_through_every_phase_without_a_gap() {
    for protocol in counted() {
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
        if protocol.beat(&whole.conditions).is_some() {
            let silent = setup(protocol, None);
            assert_eq!(silent.check(protocol).unwrap_err().field.as_deref(), Some("cadence"));
        }
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
fn every_number_that_is_asked_says_what_it_can_be() {
    let held_elsewhere = |p: &Protocol, key: &str| p.input(key).is_some() || ["bench_cm", "start_kmh"].contains(&key);
    for protocol in catalogue::all() {
        let asked = protocol.conditions.iter().filter(|c| c.kind == ConditionKind::Number && !c.recorded_by_run);
        for condition in asked.filter(|c| !held_elsewhere(protocol, &c.key)) {
            let (from, to) = condition.possible.unwrap_or_else(|| panic!("{}: {}", protocol.id, condition.key));
            let with = |n: f64| {
                let mut given = setup(protocol, Some(96.0));
                given.conditions.insert(condition.key.clone(), Answer::Number(n));
                given.check(protocol)
            };
            assert!(from < to && with(from).is_ok() && with(to).is_ok(), "{}: {}", protocol.id, condition.key);
            for slip in [from - 0.1, to + 0.1, f64::NAN] {
                assert_eq!(with(slip).unwrap_err().field.as_deref(), Some(condition.key.as_str()), "{}", protocol.id);
            }
        }
    }
}

#[test]
fn a_day_of_frost_is_a_day_and_a_slip_of_a_digit_is_asked_about() {
    let protocol = catalogue::find("run-12min").unwrap();
    let warm = |n: f64| {
        let mut given = setup(protocol, None);
        given.conditions.insert("temperature_c".to_owned(), Answer::Number(n));
        given.check(protocol)
    };
    warm(-6.0).unwrap();
    let said = warm(190.0).unwrap_err().to_string();
    assert!(said.contains("Temperature: 190 °C was typed, and it can be −40 to 55 °C."), "{said}");
}

#[test]
fn the_input_a_count_fills_is_enough_for_a_result() {
    for protocol in counted() {
        let count = protocol.count().unwrap();
        let inputs = Inputs::from_iter([(count.input.clone(), f64::from(count.window_s) * 2.0)]);
        let facts = Facts::default();
        let record = TestRecord { protocol, facts, inputs: &inputs, options: Options::default(), circumstances: Circumstances::default() };
        assert_eq!(compute(&record).unwrap().result("recovery_hr").unwrap().value, 120.0, "{}", protocol.id);
    }
}

#[test]
fn every_protocol_computes_its_example_for_men_and_women_and_shows_the_numbers_it_put_in() {
    for protocol in catalogue::all() {
        let example = protocol.example.as_ref().unwrap_or_else(|| panic!("{} has no example", protocol.id));
        for sex in [Sex::Male, Sex::Female] {
            let facts = example.facts(sex);
            let record = TestRecord {
                protocol,
                facts,
                inputs: &example.inputs,
                options: Options::default(),
                circumstances: Circumstances::default(),
            };
            let outcome = compute(&record).unwrap_or_else(|e| panic!("{}: {e}", protocol.id));
            assert!(outcome.refused.is_empty(), "{}: {:?}", protocol.id, outcome.flags);
            for scoring in &protocol.scoring {
                if scoring.optional && outcome.result(&scoring.quantity).is_none() {
                    continue;
                }
                let working = scoring.equation.working(&scoring.quantity, &record, &outcome);
                let working = working.unwrap_or_else(|| panic!("{}: {} shows no working", protocol.id, scoring.quantity));
                assert!(!working.formula.is_empty() && !working.symbols.is_empty());
                let value = outcome.result(&scoring.quantity).unwrap().value;
                let shown = [0, 1, 2].map(|digits| impulso_core::units::rounded(value, digits));
                let shows =
                    shown.iter().any(|v| working.filled.contains(v)) || working.filled.contains(&quantity::shown(&scoring.quantity, value));
                assert!(shows, "{}: {} is not in “{}”", protocol.id, value, working.filled);
            }
        }
    }
}

#[test]
fn what_an_estimate_is_made_of_is_asked_for_by_name() {
    for protocol in catalogue::all() {
        let example = protocol.example.as_ref().unwrap();
        let empty = Inputs::new();
        let facts = Facts { sex: Some(Sex::Male), age: Age::new(40.0).ok(), mass: BodyMass::new(70.0).ok(), ..Facts::default() };
        let record = TestRecord { protocol, facts, inputs: &empty, options: Options::default(), circumstances: Circumstances::default() };
        let error = compute(&record).unwrap_err();
        assert_eq!(error.code, Code::MissingInput, "{}", protocol.id);
        let known = error.field.as_deref().is_some_and(|f| protocol.input(f).is_some() || f == "stages" || f == "series");
        assert!(known, "{}: {:?}", protocol.id, error.field);
        assert!(!example.inputs.is_empty());
    }
}

#[test]
fn a_better_choice_is_never_the_same_test_and_never_leads_back() {
    for protocol in catalogue::all() {
        for rule in &protocol.unsuited {
            let Some(instead) = rule.instead.as_deref() else { continue };
            let other = catalogue::find(instead).unwrap();
            assert_ne!(other.id, protocol.id);
            let sends_back = other.unsuited.iter().any(|r| r.when == rule.when && r.instead.as_deref() == Some(&protocol.id));
            assert!(!sends_back, "{} and {} send to each other", protocol.id, other.id);
        }
        assert_eq!(judge(protocol, &Client::default()).verdict, FitVerdict::Suits, "nothing known speaks against nothing");
    }
}

#[test]
fn every_claim_says_who_says_so_and_no_name_is_a_citation() {
    let mut names = HashSet::new();
    for protocol in catalogue::all() {
        assert!(names.insert(&protocol.name));
        let author =
            protocol.sources.iter().filter_map(|s| s.citation.split([' ', ',']).next()).find(|n| n.len() > 3 && protocol.name.contains(*n));
        assert_eq!(author, None, "a display name says what is done: {}", protocol.name);
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

#[test]
fn a_test_that_is_judged_by_the_body_mass_asks_for_it() {
    let asking: Vec<&str> = catalogue::all().iter().filter(|p| p.asks_for_mass()).map(|p| p.id.as_str()).collect();
    for id in ["mile-walk", "multistage-cycle", "single-stage-cycle", "row-2000m", "one-rm"] {
        assert!(asking.contains(&id), "{id}: {asking:?}");
    }
    for id in ["body", "plank", "run-12min", "chair-stand-30s", "bench-step-3min"] {
        assert!(!asking.contains(&id), "{id}");
    }
}
