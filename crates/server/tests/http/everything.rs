//! A practice out and in: the same file gives the same practice, by checksum; a bad row is named and nothing is half done.

use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::{Browser, TestApp};

async fn takes_in(coach: &Browser, file: &Value) -> (StatusCode, Value) {
    let request =
        coach.client().post(format!("{}/api/practice/everything", coach.base())).header("content-type", "application/octet-stream");
    let answer = request.body(serde_json::to_vec(file).unwrap()).send().await.unwrap();
    let status = answer.status();
    (status, serde_json::from_str(&answer.text().await.unwrap()).unwrap())
}

/// A practice with something in nearly every table.
async fn filled(app: &TestApp) -> Browser {
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren, of the “locks”").await;
    coach.tests(&person, 30.0).await;
    let today = coach.get("/session").await["today"].clone();
    let conditions = json!({ "waist_site": "navel", "eyes": "open", "barefoot": true });
    let form = json!({ "id": Uuid::now_v7(), "battery": "four-in-five-minutes", "conditions": conditions });
    let visit = coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await;
    let body = json!({
        "id": Uuid::now_v7(), "protocol": "body", "on": today, "inputs": { "waist_cm": [92, 92.5] }, "conditions": { "waist_site": "navel" },
        "visit": { "visit": visit["id"], "place": 0 }
    });
    coach.ok(Method::POST, &format!("/people/{person}/results"), body).await;
    let plan = json!({ "protocol": "four-in-five-minutes", "rule": { "rule": "weeks4812" }, "from": today });
    coach.ok(Method::POST, &format!("/people/{person}/retests"), plan).await;
    let mark = json!({ "quantity": "seconds", "mark": 90, "source": "ours" });
    coach.ok(Method::PUT, "/protocols/plank/pass-mark", mark).await;
    let goal = json!({ "id": Uuid::now_v7(), "protocol": "body", "quantity": "waist_height", "to": 0.4, "by": "2199-01-01" });
    coach.ok(Method::POST, &format!("/people/{person}/goals"), goal).await;
    coach
}

#[tokio::test]
async fn the_same_file_gives_the_same_practice() {
    let app = TestApp::spawn().await;
    let coach = filled(&app).await;
    let file = coach.get("/practice/everything").await;
    assert!(file["tables"].as_object().unwrap().values().filter(|t| !t.as_array().unwrap().is_empty()).count() > 9, "{file}");
    assert!(!file.to_string().contains("password"));

    let other = TestApp::spawn().await;
    let there = other.new_practice("Newhouse").await;
    let (status, taken) = takes_in(&there, &file).await;
    assert_eq!((status, taken["identical"].as_bool(), taken["people"].as_u64()), (StatusCode::OK, Some(true), Some(1)), "{taken}");
    assert_eq!(there.get("/practice/everything").await["checksum"], file["checksum"]);
    let found = there.get("/search?q=joren").await;
    let person = found["people"][0]["id"].as_str().unwrap().to_owned();
    let (here, now) = (coach.get(&format!("/people/{person}")).await, there.get(&format!("/people/{person}")).await);
    for part in ["story", "tests", "visits", "retests", "goals", "ladder"] {
        assert_eq!(here[part], now[part], "{part}");
    }
    let again = takes_in(&there, &file).await;
    assert!(again.0 == StatusCode::UNPROCESSABLE_ENTITY && again.1["message"].as_str().unwrap().contains("nobody yet"), "{}", again.1);

    let csv = coach.get("/practice/measures.csv").await;
    let text = csv.as_str().unwrap();
    assert!(text.starts_with("name,day,test,measure,value,unit\n") && text.contains("\"Joren, of the “locks”\""), "{text}");
    let own = coach.get(&format!("/people/{person}/measures.csv")).await;
    assert_eq!(own.as_str().unwrap(), text, "one person is all there is");
    let stranger = there.refused(Method::GET, &format!("/people/{}/measures.csv", Uuid::now_v7()), Value::Null).await;
    assert_eq!(stranger.0, 404);
}

#[tokio::test]
async fn one_bad_row_among_ten_thousand_is_named_and_nothing_is_half_done() {
    let app = TestApp::spawn().await;
    let coach = filled(&app).await;
    let mut file = coach.get("/practice/everything").await;
    let one = file["tables"]["people"][0].clone();
    let mut people: Vec<Value> = (0..10_000)
        .map(|k| {
            let mut person = one.clone();
            person["id"] = json!(Uuid::now_v7());
            person["name"] = json!(format!("Person {k}"));
            person
        })
        .collect();
    people[0] = one;
    people[7_654]["born"] = json!("soon");
    file["tables"]["people"] = json!(people);
    let other = TestApp::spawn().await;
    let there = other.new_practice("Newhouse").await;
    let (status, answer) = takes_in(&there, &file).await;
    let message = answer["message"].as_str().unwrap();
    assert!(
        status == StatusCode::UNPROCESSABLE_ENTITY && message.starts_with("people, row 7655:") && message.contains("soon"),
        "{message}"
    );
    assert_eq!(there.get("/today").await["people"], 0, "nothing of it is there");

    for (odd, said) in [(json!({ "a": 1 }), "no practice"), (json!([]), "no practice")] {
        assert!(takes_in(&there, &odd).await.1["message"].as_str().unwrap().contains(said));
    }
    let mut broken = coach.get("/practice/everything").await;
    broken["tables"]["results"][0]["inputs"] = json!("nothing");
    let (status, answer) = takes_in(&there, &broken).await;
    assert!(
        status == StatusCode::UNPROCESSABLE_ENTITY && answer["message"].as_str().unwrap().contains("a result cannot be read"),
        "{answer}"
    );
}
