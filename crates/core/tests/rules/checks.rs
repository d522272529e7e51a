//! What each protocol gives, by files that stand beside each other: `tests/checks/<protocol>.json`, with the source its numbers
//! were worked on. Of a man of 25 years, 80 kg and 180 cm unless a check says whom.

use std::{collections::BTreeMap, fs, path::Path};

use impulso_core::{
    catalogue::{self, Citation, Family, find},
    inputs::Inputs,
    person::{Facts, Sex},
    report::{pass_of_test, standing_words},
    test_record::{TestRecord, compute},
    units::{Age, BodyMass, Height, Units},
};
use serde::Deserialize;
use serde_json::{Value, json};

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    source: Citation,
    checks: Vec<Check>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Check {
    name: String,
    inputs: Inputs,
    /// Someone else than the man of 25.
    person: Option<Person>,
    results: Option<BTreeMap<String, f64>>,
    /// The codes of all flags, in order.
    flags: Option<Value>,
    /// The whole test's target: reached or not; null where the test has none so.
    pass: Option<Value>,
    /// What the table says of a quantity, in its words; null where no table holds.
    norms: Option<BTreeMap<String, Option<String>>>,
    refused: Option<Value>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Person {
    sex: Sex,
    age: f64,
}

fn files() -> BTreeMap<String, File> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/rules/checks");
    let read = |entry: fs::DirEntry| {
        let text = fs::read_to_string(entry.path()).unwrap();
        let id = entry.path().file_stem().unwrap().to_string_lossy().into_owned();
        let file = serde_json::from_str(&text).unwrap_or_else(|why| panic!("{id}: {why}"));
        (id, file)
    };
    fs::read_dir(folder).unwrap().map(|entry| read(entry.unwrap())).collect()
}

fn holds(id: &str, check: &Check) {
    let (sex, age) = check.person.as_ref().map_or((Sex::Male, 25.0), |p| (p.sex, p.age));
    let who = Facts {
        sex: Some(sex),
        age: Age::new(age).ok(),
        mass: BodyMass::new(80.0).ok(),
        height: Height::new(180.0).ok(),
        ..Facts::default()
    };
    let name = format!("{id}, {}", check.name);
    let outcome = compute(&TestRecord::of(find(id).unwrap(), who, &check.inputs));
    if let Some(refused) = &check.refused {
        let Err(error) = outcome else { panic!("{name}: not refused") };
        assert_eq!(&json!({"code": error.code, "field": error.field}), refused, "{name}");
        return;
    }
    let outcome = outcome.unwrap_or_else(|why| panic!("{name}: {why:?}"));
    for (quantity, wanted) in check.results.iter().flatten() {
        let found = outcome.result(quantity).unwrap_or_else(|| panic!("{name}: no {quantity}")).value;
        assert!((found - wanted).abs() < 1e-6, "{name}: {quantity} is {found} and not {wanted}");
    }
    if let Some(flags) = &check.flags {
        let found: Vec<_> = outcome.flags.iter().map(|f| json!(f.code)).collect();
        assert_eq!(&json!(found), flags, "{name}");
    }
    if let Some(pass) = &check.pass {
        let found = pass_of_test(find(id).unwrap(), &outcome, Units::default()).map(|p| p.met);
        assert_eq!(&json!(found), pass, "{name}");
    }
    for (quantity, wanted) in check.norms.iter().flatten() {
        let found = outcome.norms.iter().find(|(q, _)| q == quantity).map(|(_, standing)| standing_words(standing));
        assert_eq!(&found, wanted, "{name}: {quantity}");
    }
}

#[test]
fn every_file_holds() {
    for (id, file) in files() {
        assert!(file.source.citation.len() > 20, "{id} names its source");
        for check in &file.checks {
            let says = check.results.is_some() || check.flags.is_some() || check.refused.is_some();
            assert!(says || check.pass.is_some() || check.norms.is_some(), "{id}, {}: checks nothing", check.name);
            holds(&id, check);
        }
    }
}

#[test]
fn every_protocol_in_attempts_has_its_file_with_a_result_to_check() {
    let files = files();
    for protocol in catalogue::all().iter().filter(|p| p.family() == Family::Attempts) {
        let file = files.get(&protocol.id).unwrap_or_else(|| panic!("{} has no file of checks", protocol.id));
        assert!(file.checks.iter().any(|c| c.results.as_ref().is_some_and(|r| !r.is_empty())), "{}", protocol.id);
    }
}
