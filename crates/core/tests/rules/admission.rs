//! How a test is set up from what the record says: the same in the server and in a browser without a network.

use std::collections::BTreeMap;

use chrono::{NaiveDate, TimeZone, Utc};
use impulso_core::{
    Code,
    battery::{self, Slot},
    catalogue,
    person::{Facts, Sex, Weighed},
    run::{
        Prepared, Ready, SetUpTyped,
        admission::InPlace,
        event::{Answer, Conditions},
    },
    units::{Age, BodyMass, Units},
};
use uuid::Uuid;

fn day(text: &str) -> NaiveDate {
    text.parse().unwrap()
}

fn ready(person: u128) -> Ready {
    Ready {
        person: Uuid::from_u128(person),
        tag: Uuid::from_u128(person + 100),
        name: format!("Client {person}"),
        units: Units::Metric,
        on: day("2026-11-30"),
        facts: Facts {
            sex: Some(Sex::Female),
            age: Some(Age::new(40.0).unwrap()),
            mass: Some(BodyMass::new(64.0).unwrap()),
            mass_on: Some(day("2026-11-20")),
            ..Facts::default()
        },
        mass_weeks: 8,
        against: None,
        asked: true,
        lacks_consent: false,
        reason: None,
        place: None,
        tests: Vec::new(),
    }
}

fn prepared(protocol: &str, people: Vec<Ready>) -> Prepared {
    let protocol = catalogue::find(protocol).unwrap().clone();
    Prepared { protocol, people, group_visit: None, own: BTreeMap::new(), clock_rate: 1.0 }
}

fn typed(conditions: &[(&str, Answer)]) -> SetUpTyped {
    SetUpTyped { conditions: conditions.iter().map(|(k, a)| ((*k).to_owned(), a.clone())).collect(), ..SetUpTyped::default() }
}

fn words(text: &str) -> Answer {
    Answer::Text(text.into())
}

#[test]
fn a_prepared_test_is_set_up_with_the_person_the_circumstances_and_what_was_before() {
    let id = Uuid::from_u128(9);
    let at = Utc.with_ymd_and_hms(2026, 11, 30, 9, 0, 0).unwrap();
    let of = prepared("plank", vec![ready(1)]);
    let plank = typed(&[("support", words("forearm")), ("limit_s", words("30"))]);
    let (facts, earlier) = of.set_up(id, &[Uuid::from_u128(1)], &plank, at).unwrap();
    assert_eq!((facts.id, facts.created_at, facts.closed, facts.performers.len(), earlier.tests.len()), (id, at, false, 1, 1));
    let performer = &facts.performers[0];
    assert_eq!(
        (performer.person, performer.name.as_ref(), performer.setup.age),
        (Some(Uuid::from_u128(1)), "Client 1", ready(1).facts.age)
    );
    assert_eq!(performer.setup.conditions, plank.conditions);
    let stranger = of.set_up(id, &[Uuid::from_u128(2)], &plank, at).unwrap_err();
    assert_eq!((stranger.code, stranger.field.as_deref()), (Code::MissingInput, Some("people")));
    let open = of.set_up(id, &[Uuid::from_u128(1)], &typed(&[]), at).unwrap_err();
    assert_eq!(open.code, Code::MissingInput, "{open:?}");
}

#[test]
fn a_place_of_a_visit_brings_its_variant_what_is_shared_and_what_is_ones_own() {
    let battery = battery::find("first-look").unwrap();
    let slot: Slot = battery.tests.iter().find(|t| t.protocol == "plank").unwrap().clone();
    let visit = Uuid::from_u128(50);
    let in_place = InPlace { visit, place: 3, slot, shared: Conditions::new(), own: Conditions::new() };
    let of = prepared("plank", vec![Ready { place: Some(in_place), ..ready(1) }]);
    let (facts, _) = of.set_up(Uuid::from_u128(9), &[Uuid::from_u128(1)], &typed(&[]), Utc::now()).unwrap();
    assert_eq!(facts.visit, Some(visit));
    assert_eq!(facts.performers[0].setup.conditions.get("limit_s"), Some(&words("30")));
}

#[test]
fn a_reason_is_asked_of_the_one_it_is_about_and_admits_nobody_else() {
    let held = |person| Ready { against: Some("Something speaks against it.".into()), ..ready(person) };
    let alone = held(1).admit(catalogue::find("plank").unwrap(), &typed(&[("support", words("forearm")), ("limit_s", words("30"))]), 0, 1);
    let asked = alone.unwrap_err();
    assert_eq!((asked.code, asked.field.as_deref()), (Code::MissingInput, Some("overrule_reason")));
    let jump = catalogue::find("plank").unwrap();
    let mut form = typed(&[("support", words("forearm")), ("limit_s", words("30"))]);
    form.reasons.insert(Uuid::from_u128(1), "agreed with the physiotherapist".into());
    let first = held(1).admit(jump, &form, 0, 2).unwrap();
    assert_eq!(first.reason.as_deref(), Some("agreed with the physiotherapist"));
    let second = held(2).admit(jump, &form, 1, 2).unwrap_err();
    assert!(second.message.starts_with("Client 2: Something speaks against it."), "{}", second.message);
    assert_eq!(ready(3).admit(jump, &form, 2, 3).unwrap().reason, None, "nothing speaks against it");
    // Given with today's readiness, it need not be typed again.
    let known = Ready { reason: Some("cleared by letter".into()), ..held(4) };
    assert_eq!(known.admit(jump, &form, 0, 1).unwrap().reason.as_deref(), Some("cleared by letter"));
}

#[test]
fn an_old_mass_is_asked_for_and_what_is_typed_becomes_the_mass_of_the_day() {
    let old = Ready { facts: Facts { mass_on: Some(day("2026-05-01")), ..ready(1).facts }, ..ready(1) };
    let cycle = catalogue::all().iter().find(|p| p.records_stages() && p.asks_for_mass()).unwrap();
    let answers = |c: &catalogue::Condition| match c.kind {
        catalogue::ConditionKind::YesNo => Answer::YesNo(true),
        catalogue::ConditionKind::Number => Answer::Number(c.expected_for(Some(Sex::Female)).unwrap_or(50.0)),
        catalogue::ConditionKind::Choice => Answer::Text(c.choices[0].0.clone()),
        catalogue::ConditionKind::Text => words("the bike in the hall"),
    };
    let conditions = cycle.conditions.iter().filter(|c| !c.recorded_by_run).map(|c| (c.key.clone(), answers(c))).collect();
    let mut form = SetUpTyped { conditions, ..SetUpTyped::default() };
    let asked = old.admit(cycle, &form, 0, 1).unwrap_err();
    assert_eq!((asked.code, asked.field.as_deref()), (Code::MissingInput, Some("mass")));
    form.weighed = Weighed { mass: "66,5 kg".into(), keep_mass: false };
    let weighed = old.admit(cycle, &form, 0, 1).unwrap();
    assert_eq!((weighed.weighed, weighed.setup.mass), (Some(BodyMass::new(66.5).unwrap()), Some(BodyMass::new(66.5).unwrap())));
    form.weighed = Weighed { mass: String::new(), keep_mass: true };
    let kept = old.admit(cycle, &form, 0, 1).unwrap();
    assert_eq!((kept.weighed, kept.setup.mass), (None, Some(BodyMass::new(64.0).unwrap())));
    form.resting_hr = Some(900.0);
    assert_eq!(old.admit(cycle, &form, 0, 1).unwrap_err().field.as_deref(), Some("resting_hr"));
}
