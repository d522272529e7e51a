//! What a partner without an account may do, and what not.

use std::time::Duration;

use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use sqlx::{Connection, PgConnection};
use uuid::Uuid;

use crate::app::{Browser, Screen, TestApp};

/// A class of two.
async fn class(coach: &Browser) -> (String, String, Screen) {
    class_of(coach, &["Teo", "Linnea"]).await
}

/// A class on one clock that has begun: its run, its code, and the teacher's screen.
pub async fn class_of(coach: &Browser, names: &[&str]) -> (String, String, Screen) {
    let mut people = Vec::new();
    for name in names {
        people.push(coach.adds(name).await);
    }
    let id = Uuid::now_v7();
    let conditions = json!({"bench_cm": 30, "warm_up": true, "pulse_site": "wrist"});
    let body = json!({"id": id, "people": people, "protocol": "class-step-3min", "conditions": conditions});
    let code = coach.ok(Method::POST, "/runs", body).await["join_code"].as_str().unwrap().to_owned();
    let mut teacher = Screen::new();
    coach.posts(&id.to_string(), &[teacher.at(0, json!({"kind": "clock_started"}))]).await;
    (id.to_string(), code, teacher)
}

#[tokio::test]
async fn a_partner_takes_back_and_overwrites_nothing_that_is_not_its_own() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (run, code, mut teacher) = class(&coach).await;
    let (one, two) = (app.browser(), app.browser());
    let path = format!("/join/{code}/events");
    let refused = async |phone: &Browser, event: Value| {
        let (status, code, _) = phone.refused(Method::POST, &path, json!({"events": [event]})).await;
        assert_eq!((status, code.as_str()), (403, "not_a_partners"));
    };
    let note = teacher.at(20, json!({"kind": "noted", "text": "wet floor"}));
    coach.posts(&run, std::slice::from_ref(&note)).await;
    refused(&one, teacher.beside().at(21, json!({"kind": "undone", "event": note["id"], "slot": 0}))).await;
    let mut first = teacher.beside();
    let count = first.at(205, json!({"kind": "count_typed", "count": 21, "slot": 0}));
    one.ok(Method::POST, &path, json!({"events": [count]})).await;
    refused(&two, teacher.beside().at(206, json!({"kind": "count_typed", "count": 30, "slot": 0}))).await;
    refused(&two, teacher.beside().at(206, json!({"kind": "undone", "event": count["id"], "slot": 0}))).await;
    // Its own is its own.
    let mine = first.at(207, json!({"kind": "undone", "event": count["id"], "slot": 0}));
    one.ok(Method::POST, &path, json!({"events": [mine]})).await;
    // What the coach has typed stands.
    coach.posts(&run, &[teacher.at(208, json!({"kind": "count_typed", "count": 24, "slot": 1}))]).await;
    refused(&two, teacher.beside().at(209, json!({"kind": "count_typed", "count": 30, "slot": 1}))).await;
    // Stopped by the coach: the counting is over, the stop stands, and the code leads nowhere.
    coach.posts(&run, &[teacher.at(210, json!({"kind": "stopped"}))]).await;
    refused(&one, first.at(211, json!({"kind": "count_typed", "count": 21, "slot": 0}))).await;
    assert_eq!(one.refused(Method::GET, &format!("/join/{code}"), Value::Null).await.1, "unknown_code");
    assert_eq!(coach.get(&format!("/runs/{run}")).await["state"]["status"], "stopped");
}

#[tokio::test]
async fn a_code_is_long_ends_with_the_counting_and_every_try_is_rate_limited() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (run, code, _) = class(&coach).await;
    assert!(code.len() >= 8);
    let spaced = format!("{}-{}", &code[..4].to_lowercase(), &code[4..]);
    let phone = app.browser();
    phone.get(&format!("/join/{spaced}")).await;
    let fast: Vec<_> = (0..200).map(|_| reqwest::get(format!("{}/api/join/{code}", app.base))).collect();
    let answers = futures_util::future::join_all(fast).await;
    let limited = answers.iter().filter(|a| a.as_ref().unwrap().status() == StatusCode::TOO_MANY_REQUESTS).count();
    assert!(limited >= 50, "right or wrong, tries are limited: {limited}");
    phone.get(&format!("/join/{code}")).await;
    // A quarter of an hour later.
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    sqlx::query("alter table run_events disable trigger run_events_append_only").execute(&mut owner).await.unwrap();
    sqlx::query("update run_events set body = jsonb_set(body, '{wall}', to_jsonb((body ->> 'wall')::timestamptz - interval '15 minutes'))")
        .execute(&mut owner)
        .await
        .unwrap();
    assert_eq!(phone.refused(Method::GET, &format!("/join/{code}"), Value::Null).await.1, "unknown_code");
    assert_eq!(coach.get(&format!("/runs/{run}")).await["closed"], false, "the coach goes on");
}

#[tokio::test]
async fn a_flood_by_a_partner_is_limited_and_another_practice_does_not_wait() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let other = app.new_practice("Quayside").await;
    let (_, code, teacher) = class(&coach).await;
    let phone = std::sync::Arc::new(app.browser());
    phone.get(&format!("/join/{code}")).await;
    let floods: Vec<_> = (0..200)
        .map(|_| {
            let (phone, path) = (phone.clone(), format!("/join/{code}/events"));
            let event = teacher.beside().at(190, json!({"kind": "tap", "slot": 0}));
            tokio::spawn(async move { phone.send(Method::POST, &path, json!({"events": [event]})).await })
        })
        .collect();
    let theirs = tokio::time::timeout(Duration::from_secs(5), other.get("/today")).await;
    assert!(theirs.is_ok(), "another practice waits for nobody");
    let mut limited = 0;
    for flood in floods {
        let (status, answer) = flood.await.unwrap();
        assert!(status.is_success() || status == 429 || status == 503, "{status} {answer}");
        limited += u32::from(status == 429);
    }
    assert!(limited > 100, "{limited}");
}

#[tokio::test]
async fn a_partners_undo_closes_nothing_even_after_a_finish_that_closed_nothing() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (run, code, mut teacher) = class(&coach).await;
    let mut partner = teacher.beside();
    coach.posts(&run, &[teacher.at(10, json!({"kind": "finished"}))]).await;
    let count = partner.at(205, json!({"kind": "count_typed", "count": 21, "slot": 1}));
    let phone = app.browser();
    let path = format!("/join/{code}/events");
    phone.ok(Method::POST, &path, json!({"events": [count]})).await;
    let undo = partner.at(207, json!({"kind": "undone", "event": count["id"], "slot": 1}));
    let view = phone.ok(Method::POST, &path, json!({"events": [undo]})).await["view"].clone();
    assert_eq!((view["closed"].as_bool(), &view["performers"][1]["reading"]["bpm"]), (Some(false), &Value::Null));
}

#[tokio::test]
async fn one_persons_reason_admits_nobody_else() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let mut people = Vec::new();
    for name in ["Teo", "Linnea"] {
        people.push(coach.adds(name).await);
    }
    let never_asked = crate::app::person(Uuid::now_v7(), "Noor");
    people.push(coach.ok(Method::POST, "/people", never_asked).await["id"].as_str().unwrap().to_owned());
    let answers = |active: bool, symptoms: Value| json!({ "answers": { "regularly_active": active, "known_disease": false, "symptoms": symptoms, "rate_limiting_drug": false } });
    coach.ok(Method::POST, &format!("/people/{}/readiness", people[0]), answers(true, json!([]))).await;
    coach.ok(Method::POST, &format!("/people/{}/readiness", people[1]), answers(true, json!(["chest_discomfort"]))).await;
    let lines = coach.ok(Method::POST, "/runs/admission", json!({ "people": people, "protocol": "class-step-3min" })).await;
    let against: Vec<bool> = lines.as_array().unwrap().iter().map(|l| l["against"].is_string()).collect();
    assert_eq!(against, [false, true, false], "{lines}");
    assert_eq!((lines[0]["asked"].as_bool(), lines[2]["asked"].as_bool()), (Some(true), Some(false)), "who was never asked is named");
    let conditions = json!({ "bench_cm": 30, "warm_up": true, "pulse_site": "wrist" });
    let mut body = json!({ "id": Uuid::now_v7(), "people": people, "protocol": "class-step-3min", "conditions": conditions });
    // A reason that is not this person's own lets nobody in.
    for other in [json!({ "overrule_reason": "a gentle test" }), json!({ "reasons": { &people[0]: "steps daily" } })] {
        let mut with = body.clone();
        with.as_object_mut().unwrap().extend(other.as_object().unwrap().clone());
        let (status, _, field) = coach.refused(Method::POST, "/runs", with).await;
        assert_eq!((status, field.as_deref()), (422, Some("reasons")));
    }
    body["reasons"] = json!({ &people[1]: "seen by the school’s doctor this morning" });
    coach.ok(Method::POST, "/runs", body).await;
    let log = coach.get("/practice/audit").await.to_string();
    assert!(log.contains("Linnea: seen by the school’s doctor"), "{log}");
}

#[tokio::test]
async fn a_phone_is_told_of_the_one_it_counts_for_and_of_nobody_else() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (run, code, mut teacher) = class(&coach).await;
    let phone = app.browser();
    let tags = phone.get(&format!("/join/{code}")).await["performers"].clone();
    let tag = |slot: usize| tags[slot]["tag"].as_str().unwrap().to_owned();
    let other = teacher.at(205, json!({"kind": "count_typed", "count": 24, "slot": 1}));
    let note = teacher.at(206, json!({"kind": "noted", "text": "wet floor"}));
    coach.posts(&run, &[other.clone(), note.clone()]).await;
    let own = teacher.beside().at(207, json!({"kind": "count_typed", "count": 21, "slot": 0}));
    let sent = phone.ok(Method::POST, &format!("/join/{code}/events"), json!({"events": [own]})).await;
    assert_eq!(sent["events"].as_array().map(Vec::len), Some(1), "what it sent is stored");
    let view = phone.get(&format!("/join/{code}?tag={}", tag(0))).await;
    assert_eq!(view["performers"][0]["reading"]["bpm"], 126.0);
    assert_eq!((view["performers"][1]["counted"].as_bool(), &view["performers"][1]["reading"]), (Some(true), &Value::Null));
    assert_eq!(view["beside"]["reading"]["bpm"], 126.0);
    // The one who counts for nobody sees the names, and nothing else.
    let names = phone.get(&format!("/join/{code}")).await;
    assert_eq!((&names["beside"], &names["performers"][0]["reading"]), (&Value::Null, &Value::Null));
    let log = phone.get(&format!("/join/{code}/log?tag={}", tag(0))).await;
    let facts = log["facts"]["performers"].as_array().unwrap();
    assert_eq!((facts.len(), &facts[0]["person"], &facts[0]["setup"]["age"]), (1, &Value::Null, &Value::Null));
    assert_eq!(log["hidden"], json!([other["id"], note["id"]]));
    assert_eq!(log["events"].as_array().map(Vec::len), Some(2), "the start, and what happened to this one");
    assert_eq!(phone.refused(Method::GET, &format!("/join/{code}/log?tag={}", Uuid::nil()), Value::Null).await.0, 404);
}
