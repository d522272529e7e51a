//! Results that clients take of themselves: a link without an account, what is refused, the waiting room, taken in or refused, and the
//! mark that stays.

use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::{Browser, TestApp, person};

/// A client whose readiness was asked, and a visit with one test.
async fn visits(coach: &Browser, name: &str, battery: &str, conditions: Value) -> (String, String) {
    let person = coach.adds(name).await;
    (person.clone(), begins(coach, &person, battery, conditions).await)
}

/// A client whose readiness was never asked.
async fn unasked(coach: &Browser, name: &str) -> String {
    let key = Uuid::now_v7();
    coach.ok(Method::POST, "/people", person(key, name)).await;
    key.to_string()
}

async fn ready(coach: &Browser, person: &str) {
    let answers = json!({"regularly_active": true, "known_disease": false, "symptoms": [], "rate_limiting_drug": false});
    coach.ok(Method::POST, &format!("/people/{person}/readiness"), json!({ "answers": answers })).await;
}

async fn begins(coach: &Browser, person: &str, battery: &str, conditions: Value) -> String {
    let id = Uuid::now_v7();
    let form = json!({ "id": id, "battery": battery, "conditions": conditions });
    coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await;
    id.to_string()
}

/// What a refusal says.
async fn said(browser: &Browser, path: &str, body: Value) -> (u16, String) {
    let (status, answer) = browser.send(Method::POST, path, body).await;
    assert!(status.is_client_error(), "{status} {answer}");
    (status.as_u16(), answer["message"].as_str().unwrap().to_owned())
}

/// A link's path below the interface.
async fn link(coach: &Browser, visit: &str) -> String {
    let made = coach.ok(Method::POST, &format!("/visits/{visit}/self-links"), json!({ "id": Uuid::now_v7() })).await;
    made["path"].as_str().unwrap().to_owned()
}

/// What somebody sends of the first test.
fn jump(today: &Value, tries: Value, seen: &Value) -> Value {
    json!({ "id": Uuid::now_v7(), "place": 0, "on": today, "seen": seen, "well": true, "inputs": { "reach_cm": 215, "touch_cm": tries } })
}

async fn today(coach: &Browser) -> Value {
    coach.get("/session").await["today"].clone()
}

const JUMP: &str = "vertical-jump";

fn swing() -> Value {
    json!({ "arms": "swing", "warm_up": true })
}

#[tokio::test]
async fn what_is_sent_waits_and_is_taken_in_as_self_reported_for_good() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (person, visit) = visits(&coach, "Odd Varga", JUMP, swing()).await;
    let today = today(&coach).await;
    // Measured once before.
    let measured = json!({ "id": Uuid::now_v7(), "protocol": JUMP, "on": today, "at": "00:00", "inputs": { "reach_cm": 215, "touch_cm": [250.0, 255.0] }, "conditions": swing() });
    coach.ok(Method::POST, &format!("/people/{person}/results"), measured).await;
    let path = link(&coach, &visit).await;
    let stranger = app.browser();
    let shown = stranger.get(&path).await;
    assert_eq!((&shown["name"], &shown["practice"], &shown["tests"][0]["open"]), (&json!("Odd Varga"), &json!("Harbour"), &json!(true)));
    let standard = &shown["tests"][0]["standard"];
    assert!(!standard["drawings"].as_array().unwrap().is_empty() && !shown["cautions"].as_array().unwrap().is_empty(), "{standard}");
    assert!(!shown.to_string().contains("255"), "nothing of what was measured: {shown}");

    let entries = format!("{path}/entries");
    let sent = stranger.ok(Method::POST, &entries, jump(&today, json!([260.0, 270.0]), &Value::Null)).await;
    assert_eq!(sent["tests"][0]["sent"]["fate"], "waiting");
    assert!(coach.get(&format!("/visits/{visit}")).await["rows"][0]["result"].is_null(), "no result yet");
    assert_eq!(coach.get("/today").await["from_afar"], "1");
    let waiting = coach.get("/self-entries").await;
    assert_eq!(
        (waiting[0]["name"].as_str(), waiting[0]["before"].as_str().unwrap().starts_with("40.0 cm")),
        (Some("Odd Varga"), true),
        "{waiting}"
    );
    assert_eq!(waiting[0]["figures"][0]["value"], "55.0 cm");

    let id = sent["tests"][0]["sent"]["id"].as_str().unwrap().to_owned();
    let decision = format!("/self-entries/{id}/decision");
    assert_eq!(coach.refused(Method::POST, &decision, json!({ "decision": "refuse", "reason": " " })).await.0, 422);
    let taken = coach.ok(Method::POST, &decision, json!({ "decision": "take" })).await;
    assert_eq!(taken["fate"], "taken");
    assert_eq!(coach.refused(Method::POST, &decision, json!({ "decision": "take" })).await.1, "decided_elsewhere");
    assert!(coach.get("/today").await["from_afar"].is_null());
    assert_eq!(coach.get(&format!("/visits/{visit}")).await["rows"][0]["result"], json!(id));
    let result = coach.get(&format!("/results/{id}")).await;
    let mark = |result: &Value| {
        let all = result["report"]["conditions"].as_array().unwrap().clone();
        all.into_iter().find(|c| c["label"] == "Self-reported").map(|c| c["value"].as_str().unwrap().to_owned())
    };
    assert_eq!(mark(&result).as_deref(), Some("not compared with measured results"));
    assert!(result.to_string().contains("not_comparable"), "55 cm after 40 cm is no gain: {result}");

    // Whatever is put right, the mark stays; the coach may have it compared.
    let fix = json!({
        "id": Uuid::now_v7(), "seen": 0, "reason": "misread", "change": "corrected", "on": today,
        "inputs": { "reach_cm": 215, "touch_cm": [260.0, 268.0] }, "conditions": swing()
    });
    coach.ok(Method::POST, &format!("/results/{id}/corrections"), fix).await;
    assert!(mark(&coach.get(&format!("/results/{id}")).await).unwrap().starts_with("not compared"));
    let compare = json!({ "id": Uuid::now_v7(), "seen": 1, "reason": "I watched the video", "change": "compared", "compared": true });
    coach.ok(Method::POST, &format!("/results/{id}/corrections"), compare).await;
    let result = coach.get(&format!("/results/{id}")).await;
    assert!(mark(&result).unwrap().starts_with("compared") && !result["progress"].to_string().contains("not_comparable"), "{result}");

    let late = said(&stranger, &entries, jump(&today, json!([300.0]), &json!(id))).await;
    assert!(late.1.contains("taken"), "{late:?}");
}

#[tokio::test]
async fn what_is_refused_says_why_and_may_be_sent_again_and_two_phones_see_each_other() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (_, visit) = visits(&coach, "Ines Falk", JUMP, swing()).await;
    let today = today(&coach).await;
    let path = link(&coach, &visit).await;
    let entries = format!("{path}/entries");
    let (one, two) = (app.browser(), app.browser());
    // What cannot be is said to whoever can put it right, and nothing is kept.
    let low = one.refused(Method::POST, &entries, jump(&today, json!([200.0]), &Value::Null)).await;
    assert_eq!(low.0, 422, "{low:?}");
    let unwell = json!({ "id": Uuid::now_v7(), "place": 0, "on": today, "inputs": {} });
    assert!(said(&one, &entries, unwell).await.1.contains("feel well"));
    for (on, words) in [("2020-01-01", "before your coach"), ("2099-01-01", "future")] {
        assert!(said(&one, &entries, jump(&json!(on), json!([260.0]), &Value::Null)).await.1.contains(words));
    }
    assert_eq!(coach.get("/self-entries").await, json!([]));

    let first = jump(&today, json!([260.0]), &Value::Null);
    one.ok(Method::POST, &entries, first.clone()).await;
    let kept = one.ok(Method::POST, &entries, first.clone()).await["tests"][0]["sent"]["id"].clone();
    assert_eq!(coach.get("/self-entries").await.as_array().unwrap().len(), 1, "sent again it is one entry");
    let blind = two.refused(Method::POST, &entries, jump(&today, json!([261.0]), &Value::Null)).await;
    assert_eq!((blind.0, blind.1.as_str()), (409, "sent_elsewhere"));
    let knowing = two.ok(Method::POST, &entries, jump(&today, json!([261.0]), &first["id"])).await;
    let second = knowing["tests"][0]["sent"]["id"].clone();
    let waiting = coach.get("/self-entries").await;
    assert_eq!((waiting.as_array().unwrap().len(), &waiting[0]["id"]), (1, &second));
    let stale = format!("/self-entries/{}/decision", kept.as_str().unwrap());
    assert_eq!(coach.refused(Method::POST, &stale, json!({ "decision": "take" })).await.0, 409, "it was replaced");

    let decision = format!("/self-entries/{}/decision", second.as_str().unwrap());
    coach.ok(Method::POST, &decision, json!({ "decision": "refuse", "reason": "The chalk mark was above your reach." })).await;
    let seen = one.get(&path).await["tests"][0].clone();
    assert_eq!((&seen["sent"]["fate"], &seen["open"]), (&json!("refused"), &json!(true)));
    assert_eq!(seen["sent"]["reason"], "The chalk mark was above your reach.");
    one.ok(Method::POST, &entries, jump(&today, json!([258.0]), &second)).await;

    // Withdrawn, it opens nothing; what was sent still waits.
    let links = coach.get(&format!("/visits/{visit}/self-links")).await;
    let id = links["links"][0]["id"].as_str().unwrap().to_owned();
    let (status, _) = coach.send(Method::DELETE, &format!("/self-links/{id}"), Value::Null).await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    assert_eq!(one.refused(Method::GET, &path, Value::Null).await.0, 404);
    assert_eq!(coach.get("/self-entries").await.as_array().unwrap().len(), 1);
}

#[tokio::test]
async fn nobody_tests_alone_whom_something_speaks_against_nor_what_has_to_be_watched() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = unasked(&coach, "Ulf Terran").await;
    let visit = begins(&coach, &person, "plank", json!({ "support": "forearm", "limit_s": "to_failure" })).await;
    let links = format!("/visits/{visit}/self-links");
    let never = said(&coach, &links, json!({ "id": Uuid::now_v7() })).await;
    assert!(never.1.contains("never asked"), "{never:?}");
    let symptoms = json!({"regularly_active": true, "known_disease": false, "symptoms": ["chest_discomfort"], "rate_limiting_drug": false});
    coach.ok(Method::POST, &format!("/people/{person}/readiness"), json!({ "answers": symptoms })).await;
    assert_eq!(coach.refused(Method::POST, &links, json!({ "id": Uuid::now_v7() })).await.1, "not_applicable");
    // Well again, he has a link; unwell afterwards, the page says so and takes nothing.
    ready(&coach, &person).await;
    let path = link(&coach, &visit).await;
    coach.ok(Method::POST, &format!("/people/{person}/readiness"), json!({ "answers": symptoms })).await;
    let shown = app.browser().get(&path).await;
    assert!(shown["tests"][0]["why_not"].as_str().unwrap().starts_with("Not now:") && shown["tests"][0]["open"] == json!(false), "{shown}");
    let (_, squat) = visits(&coach, "Sol Askvik", "air-squat", json!({})).await;
    let watched = said(&coach, &format!("/visits/{squat}/self-links"), json!({ "id": Uuid::now_v7() })).await;
    assert!(watched.1.contains("somebody else has to watch"), "{watched:?}");
}

#[tokio::test]
async fn a_group_gets_its_links_at_once_and_what_stands_apart_is_left_out_of_its_mean() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let group = Uuid::now_v7();
    coach.ok(Method::PUT, &format!("/groups/{group}"), json!({ "name": "Sabre squad" })).await;
    let mut people = Vec::new();
    for (k, name) in ["Odd Varga", "Ines Falk", "Ulf Terran"].into_iter().enumerate() {
        let person = if k < 2 { coach.adds(name).await } else { unasked(&coach, name).await };
        let member = json!({ "id": Uuid::now_v7(), "person": person, "number": (k + 1).to_string() });
        coach.ok(Method::POST, &format!("/groups/{group}/members"), member).await;
        people.push(person);
    }
    let today = today(&coach).await;
    let form = json!({ "id": Uuid::now_v7(), "battery": JUMP, "conditions": swing() });
    let of = coach.ok(Method::POST, &format!("/groups/{group}/visits"), form).await;
    let path = format!("/group-visits/{}", of["id"].as_str().unwrap());
    coach.ok(Method::PUT, &format!("{path}/roll"), json!({ "people": [{ "person": people[0], "presence": "here" }] })).await;
    let links = coach.ok(Method::POST, &format!("{path}/self-links"), json!({ "people": people })).await;
    let made: Vec<&str> = links["made"].as_array().unwrap().iter().map(|l| l["name"].as_str().unwrap()).collect();
    assert_eq!(made.len(), 2, "{links}");
    assert_eq!((links["not_made"][0]["name"].as_str(), links["not_made"].as_array().unwrap().len()), (Some("Ulf Terran"), 1));
    let roll = coach.get(&path).await;
    let line = |person: &str| roll["roll"].as_array().unwrap().iter().find(|l| l["person"] == json!(person)).unwrap().clone();
    assert_eq!(line(&people[1])["presence"], "absent");
    assert!(line(&people[2])["presence"].is_null(), "nothing was stored for whom there is no link");

    let ines = links["made"].as_array().unwrap().iter().find(|l| l["name"] == "Ines Falk").unwrap()["path"].as_str().unwrap().to_owned();
    let sent = app.browser().ok(Method::POST, &format!("{ines}/entries"), jump(&today, json!([275.0]), &Value::Null)).await;
    let id = sent["tests"][0]["sent"]["id"].as_str().unwrap().to_owned();
    coach.ok(Method::POST, &format!("/self-entries/{id}/decision"), json!({ "decision": "take" })).await;
    let standing = coach.get(&format!("/groups/{group}/standing")).await;
    let cell =
        |standing: &Value| standing["lines"].as_array().unwrap().iter().find(|l| l["name"] == "Ines Falk").unwrap()["cells"][0].clone();
    assert_eq!(
        (&cell(&standing)["self_reported"], &cell(&standing)["counts"], &cell(&standing)["rank"]),
        (&json!(true), &json!(false), &Value::Null)
    );
    let asked = coach.get(&format!("/groups/{group}/standing?self_reported=true")).await;
    assert_eq!((&cell(&asked)["counts"], &cell(&asked)["rank"]), (&json!(true), &json!(1)));
    let trend = coach.get(&format!("/groups/{group}/trend/{JUMP}")).await;
    assert!(trend[0]["points"].as_array().unwrap().is_empty(), "{trend}");
}

#[tokio::test]
async fn a_link_says_nothing_to_another_practice_and_a_wrong_one_is_limited() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (_, visit) = visits(&coach, "Odd Varga", JUMP, swing()).await;
    let path = link(&coach, &visit).await;
    let other = app.new_practice("Otherplace").await;
    let today = today(&coach).await;
    let sent = app.browser().ok(Method::POST, &format!("{path}/entries"), jump(&today, json!([260.0]), &Value::Null)).await;
    let id = sent["tests"][0]["sent"]["id"].as_str().unwrap().to_owned();
    for (method, path) in [
        (Method::GET, format!("/visits/{visit}/self-links")),
        (Method::POST, format!("/visits/{visit}/self-links")),
        (Method::POST, format!("/self-entries/{id}/decision")),
    ] {
        let body = if path.ends_with("decision") { json!({ "decision": "take" }) } else { json!({ "id": Uuid::now_v7() }) };
        assert_eq!(other.refused(method, &path, body).await.0, 404, "{path}");
    }
    assert_eq!(other.get("/self-entries").await, json!([]));
    let guess = app.browser();
    let mut statuses = Vec::new();
    for k in 0..30 {
        statuses.push(guess.send(Method::GET, &format!("/self/{k:032x}"), Value::Null).await.0.as_u16());
    }
    assert!(statuses.contains(&404) && statuses.contains(&429), "{statuses:?}");
}

#[tokio::test]
async fn a_key_that_a_client_chose_never_stands_in_the_way_of_a_result() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (person, visit) = visits(&coach, "Odd Varga", JUMP, swing()).await;
    let today = today(&coach).await;
    let stored = Uuid::now_v7();
    let measured = json!({ "id": stored, "protocol": JUMP, "on": today, "at": "00:00", "inputs": { "reach_cm": 215, "touch_cm": [250.0] }, "conditions": swing() });
    coach.ok(Method::POST, &format!("/people/{person}/results"), measured).await;
    let path = link(&coach, &visit).await;
    let stranger = app.browser();
    let mut form = jump(&today, json!([260.0]), &Value::Null);
    form["id"] = json!(stored);
    let entries = format!("{path}/entries");
    let sent = stranger.ok(Method::POST, &entries, form.clone()).await;
    let again = stranger.ok(Method::POST, &entries, form).await;
    assert_eq!(sent["tests"][0]["sent"]["id"], again["tests"][0]["sent"]["id"], "sent again it is one entry");
    let id = sent["tests"][0]["sent"]["id"].as_str().unwrap().to_owned();
    assert_ne!(id, stored.to_string());
    coach.ok(Method::POST, &format!("/self-entries/{id}/decision"), json!({ "decision": "take" })).await;
    assert_eq!(coach.get(&format!("/visits/{visit}")).await["rows"][0]["result"], json!(id));
}

#[tokio::test]
async fn a_key_that_stands_for_another_result_or_run_is_refused_and_nothing_is_called_stored() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (teo, noor) = (coach.adds("Teo").await, coach.adds("Noor").await);
    let today = today(&coach).await;
    let id = Uuid::now_v7();
    let form = |touch: f64| json!({ "id": id, "protocol": JUMP, "on": today, "inputs": { "reach_cm": 215, "touch_cm": [touch] }, "conditions": swing() });
    for _ in 0..2 {
        coach.ok(Method::POST, &format!("/people/{teo}/results"), form(250.0)).await;
    }
    for (person, touch) in [(&noor, 250.0), (&teo, 260.0)] {
        assert_eq!(coach.refused(Method::POST, &format!("/people/{person}/results"), form(touch)).await.1, "saved_already");
    }
    let run = Uuid::now_v7();
    for _ in 0..2 {
        coach.ok(Method::POST, "/runs", crate::app::run(run, &teo)).await;
    }
    assert_eq!(coach.refused(Method::POST, "/runs", crate::app::run(run, &noor)).await.1, "saved_already");
}
