//! The documents made from the code: committed, unambiguous, true.

use std::collections::HashSet;

use serde_json::Value;

#[test]
fn the_committed_documents_are_as_the_code_has_them() {
    let committed = |name: &str| std::fs::read_to_string(format!("{}/../../docs/{name}", env!("CARGO_MANIFEST_DIR"))).unwrap();
    assert!(committed("openapi.json").trim() == impulso::docs::openapi().trim(), "run script/contract");
    assert!(committed("methods.md") == impulso::docs::methods(), "run script/contract");
}

#[test]
fn every_operation_has_a_name_of_its_own() {
    let document: Value = serde_json::from_str(&impulso::docs::openapi()).unwrap();
    let mut seen = HashSet::new();
    for (path, operations) in document["paths"].as_object().unwrap() {
        assert!(path.starts_with("/api/"));
        for operation in operations.as_object().unwrap().values() {
            assert!(seen.insert(operation["operationId"].as_str().unwrap().to_owned()), "{path}");
        }
    }
    assert!(seen.len() > 25);
}

#[test]
fn the_method_pages_name_every_protocol_and_every_source() {
    let pages = impulso::docs::methods();
    for protocol in impulso_core::catalogue::all() {
        assert!(pages.contains(&format!("## {}", protocol.name)));
        for source in &protocol.sources {
            assert!(pages.contains(&source.citation));
        }
    }
}

#[test]
fn the_readme_names_what_ships() {
    let readme = std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../README.md")).unwrap();
    let batteries = impulso_core::battery::all();
    for battery in batteries {
        assert!(readme.replace('\n', " ").contains(&battery.name.replace(',', "")), "README.md does not name the battery {}", battery.name);
    }
    let aerobic = impulso_core::catalogue::all().iter().filter(|p| p.section == "aerobic");
    for protocol in aerobic {
        assert!(readme.contains(&format!("`{}`", protocol.id)), "README.md: {} is missing in the table of aerobic tests", protocol.id);
    }
}
