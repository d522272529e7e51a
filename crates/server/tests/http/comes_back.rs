//! Whatever the product can make comes back: every route that writes is driven, the practice is exported, imported into an empty one and
//! exported again, and both files are the same.

use chrono::{TimeDelta, Utc};
use proptest::{
    strategy::{Strategy, ValueTree},
    test_runner::{Config, RngAlgorithm, TestRng, TestRunner},
};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::{
    anything::{any_run, live},
    app::{Browser, TestApp},
    everything::{exported, filled, tables, takes_in, unpacked, with_tables},
    fuzz::{Fuzz, set},
    screen::t0,
};

/// Requests of each route that writes; more with `IMPULSO_WRITES_EACH`.
const EACH: u64 = 40;

/// Exports, imports into an empty practice, exports again: the same, file by file.
async fn comes_back(app: &TestApp, coach: &Browser, into: &str) {
    let archive = exported(coach).await;
    let there = app.new_practice(into).await;
    let (status, taken) = takes_in(&there, archive.clone()).await;
    assert_eq!((status, taken["identical"].as_bool()), (StatusCode::OK, Some(true)), "{taken}");
    let (files, again) = (unpacked(&archive), unpacked(&exported(&there).await));
    for (name, bytes) in &files {
        assert!(again.get(name) == Some(bytes), "{name} differs");
    }
    assert_eq!(files.len(), again.len());
}

/// A run of each test, alone and rehearsed, in which anything happens. Gives how many could be set up.
async fn runs(coach: &Browser, person: &str) -> usize {
    let rng = TestRng::from_seed(RngAlgorithm::ChaCha, &[9; 32]);
    let mut runner = TestRunner::new_with_rng(Config::default(), rng);
    let mut set_up = 0;
    for which in 0..impulso_core::catalogue::all().iter().filter(|p| p.family().runs_live()).count() {
        let (protocol, setup) = live(which);
        let alone = json!({"id": Uuid::new_v4(), "people": [person], "protocol": protocol.id, "conditions": setup.conditions, "overrule_reason": "to see"});
        let rehearsed = json!({"id": Uuid::new_v4(), "protocol": protocol.id, "rate": 4, "faults": ["missed_beat"]});
        for (path, form) in [("/runs", alone), ("/rehearsals", rehearsed)] {
            let (status, _) = coach.send(Method::POST, path, form.clone()).await;
            if !status.is_success() {
                continue;
            }
            set_up += 1;
            let (_, events) = any_run().new_tree(&mut runner).unwrap().current();
            let (device, mut seq) = (Uuid::new_v4(), 1);
            for event in events {
                let mut event = serde_json::to_value(event).unwrap();
                let at: chrono::DateTime<Utc> = event["wall"].as_str().unwrap().parse().unwrap();
                (event["id"], event["device"], event["seq"]) = (json!(Uuid::new_v4()), json!(device), json!(seq));
                event["wall"] = json!(Utc::now() - TimeDelta::minutes(25) + (at - t0()));
                let path = format!("/runs/{}/events", form["id"].as_str().unwrap());
                seq += u32::from(coach.send(Method::POST, &path, json!({"events": [event]})).await.0.is_success());
            }
        }
    }
    set_up
}

#[tokio::test]
async fn whatever_can_be_made_comes_back() {
    let app = TestApp::spawn().await;
    let coach = filled(&app).await;
    coach.ok(Method::POST, "/practice/made-up", Value::Null).await;
    let person = coach.adds("Joren").await;
    let set_up = runs(&coach, &person).await;
    assert!(set_up > 60, "{set_up} runs");
    // Every route that writes, about things that are there.
    let all = tables(&unpacked(&exported(&coach).await));
    let known = all.as_object().unwrap().values().flat_map(|rows| rows.as_array().unwrap().iter().rev().take(3));
    let known: Vec<String> = known.filter_map(|row| row["id"].as_str().map(str::to_owned)).collect();
    let mut fuzz = Fuzz::new(set("IMPULSO_FUZZ_SEED", 20_261_202), known);
    let mut taken = 0;
    for (template, operations) in fuzz.document["paths"].as_object().unwrap().clone() {
        for (method, operation) in operations.as_object().unwrap() {
            let name = operation["operationId"].as_str().unwrap();
            let ends = ["session_sign_out", "session_sign_in", "session_found_practice", "made_up_remove", "everything_import"];
            if method == "get" || ends.contains(&name) {
                continue;
            }
            let schema = operation["requestBody"]["content"]["application/json"]["schema"].clone();
            for _ in 0..set("IMPULSO_WRITES_EACH", EACH) {
                let path = fuzz.path(&template, operation);
                let method: Method = method.to_uppercase().parse().unwrap();
                let mut request = coach.client().request(method, format!("{}{path}", app.base));
                if !schema.is_null() {
                    request = request.json(&fuzz.value(&schema, 0));
                }
                taken += u32::from(request.send().await.unwrap().status().is_success());
            }
        }
    }
    assert!(taken > 60, "{taken} requests were taken");
    comes_back(&app, &coach, "Newhouse").await;
}

#[tokio::test]
async fn practices_that_have_rehearsed_come_back_and_files_with_larger_seeds_too() {
    let app = TestApp::spawn().await;
    for nth in 0..8 {
        let coach = app.new_practice(&format!("Harbour{nth}")).await;
        for protocol in ["bench-step-3min", "shuttle-20m"] {
            coach.ok(Method::POST, "/rehearsals", json!({"id": Uuid::new_v4(), "protocol": protocol, "rate": 1})).await;
        }
        comes_back(&app, &coach, &format!("Newhouse{nth}")).await;
        // As files were written before: a number that few readers keep.
        let files = unpacked(&exported(&coach).await);
        let mut all = tables(&files);
        let seed = &mut all["runs"][0]["rehearsal"]["client"]["seed"];
        assert!(seed.as_u64().unwrap() <= 1 << 53);
        *seed = json!(u64::MAX - nth);
        let there = app.new_practice(&format!("Older{nth}")).await;
        let (status, taken) = takes_in(&there, with_tables(&files, &all)).await;
        assert_eq!(status, StatusCode::OK, "{taken}");
        assert_eq!(tables(&unpacked(&exported(&there).await))["runs"], all["runs"]);
    }
}

/// A change to a document, and the words that refuse it.
type Case = (fn(&mut Value), &'static str);

#[tokio::test]
async fn what_is_too_large_in_a_document_is_said_with_its_place() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    coach.ok(Method::POST, "/rehearsals", json!({"id": Uuid::new_v4(), "protocol": "bench-step-3min", "rate": 1})).await;
    let files = unpacked(&exported(&coach).await);
    let there = app.new_practice("Newhouse").await;
    let cases: [Case; 4] = [
        (|r| r["client"]["vo2max"] = json!(1e300), "runs, row 1, rehearsal: client.vo2max: the number 1e+300 is too large."),
        (|r| r["client"]["more"] = json!("x".repeat(5000)), "rehearsal: client.more: the text is longer than 4000 characters."),
        (|r| r["list"] = json!(vec![0; 20_001]), "rehearsal: list: the list is longer than 20000 entries."),
        (|r| r["client"]["seed"] = json!("seven"), "rehearsal: it can't be read: a seed is a whole number"),
    ];
    for (change, said) in cases {
        let mut all = tables(&files);
        change(&mut all["runs"][0]["rehearsal"]);
        let (status, answer) = takes_in(&there, with_tables(&files, &all)).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
        assert!(answer["message"].as_str().unwrap().contains(said), "{answer}");
    }
}
