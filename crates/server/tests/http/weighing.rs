//! A body mass has an age: what rests on it asks for it again where it is old.

use chrono::{Days, NaiveDate};
use reqwest::Method;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::{Browser, TestApp};

/// A mile walked on a day, with what is said of the body mass.
fn walk(on: NaiveDate, mass: Value) -> Value {
    let mut form = json!({ "id": Uuid::now_v7(), "protocol": "mile-walk", "on": on, "inputs": { "time_s": 860.0, "hr_end": 128.0 },
        "conditions": { "surface": "track", "warm_up": true, "hr_source": "strap" } });
    form.as_object_mut().unwrap().extend(mass.as_object().unwrap().clone());
    form
}

async fn mass_of(coach: &Browser, kept: &Value) -> String {
    let page = coach.get(&format!("/results/{}", kept["result"].as_str().unwrap())).await;
    page["facts"]["mass"].as_str().unwrap_or_default().to_owned()
}

#[tokio::test]
async fn an_old_mass_is_asked_for_kept_with_a_word_or_typed_anew() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Rune").await;
    let today: NaiveDate = coach.get("/session").await["today"].as_str().unwrap().parse().unwrap();
    let path = format!("/people/{person}/results");
    // Weighed today: nothing to ask.
    let kept = coach.ok(Method::POST, &path, walk(today, json!({}))).await;
    assert!(mass_of(&coach, &kept).await.ends_with("weighed that day"));
    // Twelve weeks lie between.
    let day = today - Days::new(84);
    let (_, _, field) = coach.refused(Method::POST, &path, walk(day, json!({}))).await;
    assert_eq!(field.as_deref(), Some("mass"));
    let kept = coach.ok(Method::POST, &path, walk(day, json!({ "keep_mass": true }))).await;
    assert!(mass_of(&coach, &kept).await.ends_with("weighed 12 weeks later"));
    let kept = coach.ok(Method::POST, &path, walk(day, json!({ "mass": "91,5 kg" }))).await;
    assert_eq!(mass_of(&coach, &kept).await, "91.5 kg, weighed that day");
    assert_eq!(coach.refused(Method::POST, &path, walk(day, json!({ "mass": "heavy" }))).await.2.as_deref(), Some("mass"));
    // The record keeps what was measured later.
    let page = coach.get(&format!("/people/{person}/assess/mile-walk")).await;
    assert!(page["mass"]["shown"].as_str().unwrap().ends_with("weighed today") && page["mass"]["is_old"] == false, "{}", page["mass"]);
    // Another practice's limit is another one.
    let practice = coach.get("/practice").await;
    let change = json!({ "name": practice["name"], "time_zone": practice["time_zone"], "mass_weeks": 13, "month_first": false });
    coach.ok(Method::PUT, "/practice", change.clone()).await;
    coach.ok(Method::POST, &path, walk(day, json!({}))).await;
    let mut never = change;
    never["mass_weeks"] = json!(0);
    assert_eq!(coach.refused(Method::PUT, "/practice", never).await.2.as_deref(), Some("mass_weeks"));
    // A test that doesn't rest on it never asks.
    let plank = json!({ "id": Uuid::now_v7(), "protocol": "plank", "on": today - Days::new(300), "inputs": { "hold_s": 97.0 },
        "conditions": { "variant": "forearms" } });
    let (_, answer) = coach.send(Method::POST, &path, plank).await;
    assert!(!answer.to_string().contains("body mass"));
}
