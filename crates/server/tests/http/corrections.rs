//! A slip is taken back: a result corrected, made void, restored, moved; a test stopped or discarded; a test of a visit done again.

use chrono::{NaiveDate, Utc};
use reqwest::Method;
use serde_json::{Value, json};
use sqlx::{Connection as _, PgConnection};
use uuid::Uuid;

use crate::app::{Browser, Screen, TestApp};

/// A twelve-minute run from paper.
async fn ran(coach: &Browser, person: &str, on: NaiveDate, metres: f64) -> String {
    let form = json!({ "id": Uuid::now_v7(), "protocol": "run-12min", "on": on, "inputs": { "distance_m": metres },
        "conditions": { "lap_m": 400, "warm_up": true, "surface": "track" } });
    let kept = coach.ok(Method::POST, &format!("/people/{person}/results"), form).await;
    kept["result"].as_str().unwrap().to_owned()
}

/// What a correction says, with the key it is known by.
fn correction(seen: u64, what: Value) -> Value {
    let mut body = json!({ "id": Uuid::now_v7(), "seen": seen, "reason": "misread" });
    body.as_object_mut().unwrap().extend(what.as_object().unwrap().clone());
    body
}

fn metres(seen: u64, on: NaiveDate, metres: f64) -> Value {
    correction(
        seen,
        json!({ "change": "corrected", "on": on, "inputs": { "distance_m": metres }, "conditions": { "lap_m": 400, "warm_up": true, "surface": "track" } }),
    )
}

async fn corrected(coach: &Browser, result: &str, body: Value) -> Value {
    coach.ok(Method::POST, &format!("/results/{result}/corrections"), body).await;
    coach.get(&format!("/results/{result}")).await
}

fn vo2max(page: &Value) -> Option<f64> {
    page["report"]["quantities"].as_array()?.iter().find(|q| q["key"] == "vo2max")?["value"].as_f64()
}

async fn today(coach: &Browser) -> NaiveDate {
    coach.get("/session").await["today"].as_str().unwrap().parse().unwrap()
}

#[tokio::test]
async fn a_correction_keeps_what_was_and_everything_follows() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Rune").await;
    let day = today(&coach).await;
    ran(&coach, &person, day - chrono::Days::new(30), 2400.0).await;
    let plan = json!({ "protocol": "run-12min", "rule": { "rule": "every_weeks", "weeks": 1 }, "from": day - chrono::Days::new(8) });
    coach.ok(Method::POST, &format!("/people/{person}/retests"), plan).await;
    let goal =
        json!({ "id": Uuid::now_v7(), "protocol": "run-12min", "quantity": "vo2max", "to": 45.0, "by": day + chrono::Days::new(90) });
    coach.ok(Method::POST, &format!("/people/{person}/goals"), goal).await;
    let result = ran(&coach, &person, day, 2900.0).await;
    let goals = coach.get(&format!("/people/{person}")).await["goals"].clone();
    assert!(goals.to_string().contains("\"reached\""), "{goals}");

    // What stands open on the page is what a correction starts from.
    let page = coach.get(&format!("/results/{result}")).await;
    assert_eq!((page["entry"]["inputs"]["distance_m"].as_f64(), page["versions"].as_array().unwrap().len()), (Some(2900.0), 0));
    let body = metres(0, day, 2290.0);
    let path = format!("/results/{result}/corrections");
    let mut nameless = body.clone();
    nameless["reason"] = json!("  ");
    assert_eq!(coach.refused(Method::POST, &path, nameless).await.2.as_deref(), Some("reason"));
    coach.ok(Method::POST, &path, body.clone()).await;
    coach.ok(Method::POST, &path, body).await;
    let page = coach.get(&format!("/results/{result}")).await;
    let versions = page["versions"].as_array().unwrap();
    assert_eq!(versions.len(), 1, "the same correction twice is one");
    assert_eq!((versions[0]["change"].as_str(), versions[0]["reason"].as_str()), (Some("corrected"), Some("misread")));
    assert!(versions[0]["values"][0].as_str().unwrap().contains("53.5"), "{versions:?}");
    assert!((vo2max(&page).unwrap() - (2290.0 - 504.9) / 44.73).abs() < 1e-6);
    let goals = coach.get(&format!("/people/{person}")).await["goals"].clone();
    assert!(!goals.to_string().contains("\"reached\""), "the goal is open again: {goals}");

    // Another screen still shows the first version.
    let (status, code, _) = coach.refused(Method::POST, &path, metres(0, day, 2300.0)).await;
    assert_eq!((status, code.as_str()), (409, "corrected_elsewhere"));
    // What is impossible changes nothing.
    assert_eq!(coach.refused(Method::POST, &path, metres(1, day, -4.0)).await.0, 422);

    // Void: the date it had fulfilled is open again, and nothing counts it.
    let open_before = page["retests"].as_array().unwrap().len();
    let void = corrected(&coach, &result, correction(1, json!({ "change": "voided" }))).await;
    assert_eq!((void["voided"].as_bool(), &void["report"]), (Some(true), &Value::Null));
    assert_eq!(void["retests"].as_array().unwrap().len(), open_before + 1, "its retest is owed again");
    assert!(!coach.get(&format!("/people/{person}")).await["tests"].to_string().contains(&result));
    let back = corrected(&coach, &result, correction(2, json!({ "change": "restored" }))).await;
    assert_eq!((back["voided"].as_bool(), back["retests"].as_array().unwrap().len()), (Some(false), open_before));
    assert!(vo2max(&back).is_some());
    let log = coach.get("/practice/audit").await.to_string();
    for did in ["corrected a result", "made a result void", "restored a result"] {
        assert!(log.contains(did), "{did}: {log}");
    }
    assert!(log.contains("misread"), "the log says why");
}

#[tokio::test]
async fn the_practices_own_repeats_follow_every_correction() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (one, other) = (coach.adds("Teo").await, coach.adds("Noor").await);
    let day = Utc::now().date_naive();
    let mut results = Vec::new();
    for (ago, metres) in [(30u64, 2400.0), (20, 2450.0), (10, 2380.0), (3, 2500.0)] {
        results.push(ran(&coach, &one, day - chrono::Days::new(ago), metres).await);
        ran(&coach, &other, day - chrono::Days::new(ago), metres + 100.0).await;
    }
    corrected(&coach, &results[1], metres(0, day - chrono::Days::new(21), 2410.0)).await;
    corrected(&coach, &results[2], correction(0, json!({ "change": "voided" }))).await;
    corrected(&coach, &results[0], correction(0, json!({ "change": "moved", "person": other }))).await;
    corrected(&coach, &results[2], correction(1, json!({ "change": "restored" }))).await;
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    let kept =
        "select quantity, pairs, round(sum::numeric, 6)::text, round(sum_of_squares::numeric, 6)::text from repeats order by quantity";
    let followed: Vec<(String, i64, String, String)> = sqlx::query_as(kept).fetch_all(&mut owner).await.unwrap();
    sqlx::query("update practices set repeats_counted_at = null").execute(&mut owner).await.unwrap();
    impulso::scoring::migrate(&app.owner_url, None).await.unwrap();
    let anew: Vec<(String, i64, String, String)> = sqlx::query_as(kept).fetch_all(&mut owner).await.unwrap();
    assert!(followed.iter().any(|r| r.1 > 2), "{followed:?}");
    assert_eq!(followed, anew);
}

#[tokio::test]
async fn a_result_of_the_wrong_client_is_moved_with_what_the_equation_needs_of_the_right_one() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let wrong = coach.adds("Linnea").await;
    let right = coach.adds("Hesper").await;
    let day = today(&coach).await;
    let result = ran(&coach, &wrong, day, 2400.0).await;
    let path = format!("/results/{result}/corrections");
    let nobody = correction(0, json!({ "change": "moved", "person": Uuid::now_v7() }));
    assert_eq!(coach.refused(Method::POST, &path, nobody).await.0, 404);
    let page = corrected(&coach, &result, correction(0, json!({ "change": "moved", "person": right }))).await;
    assert_eq!((page["person"].as_str(), page["versions"][0]["of"].as_str()), (Some(right.as_str()), Some("Linnea")));
    assert!(!coach.get(&format!("/people/{wrong}")).await["tests"].to_string().contains(&result));
    assert!(coach.get(&format!("/people/{right}")).await["tests"].to_string().contains(&result));
    // Who is erased takes the version along; the result stays with whom it belongs to.
    coach.ok(Method::POST, &format!("/people/{wrong}/erase"), json!({ "name": "Linnea" })).await;
    let page = coach.get(&format!("/results/{result}")).await;
    assert_eq!(page["versions"], json!([]));
    assert!(vo2max(&page).is_some());
    // Of another practice nothing is seen and nothing is changed.
    let stranger = app.new_practice("Ridge").await;
    assert_eq!(stranger.refused(Method::POST, &path, correction(0, json!({ "change": "voided" }))).await.0, 404);
}

#[tokio::test]
async fn a_test_that_was_stopped_is_no_score_and_one_that_was_discarded_is_nothing() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Sander").await;
    let end = [json!({"kind": "stop_explained", "reason": "fatigue", "note": null}), json!({"kind": "finished"})];
    let set_up = |id: Uuid| json!({ "id": id, "protocol": "reps-to-fatigue", "people": [person], "conditions": { "lift": "bench_press", "warm_up": true } });
    let id = Uuid::now_v7();
    let view = coach.ok(Method::POST, "/runs", set_up(id)).await;
    let mut screen = Screen::new();
    let mut events = vec![screen.at(0, json!({"kind": "clock_started"}))];
    for (input, value) in [("load_kg", 60.0), ("reps", 8.0)] {
        events.push(screen.at(30, json!({"kind": "taken", "input": input, "value": value})));
    }
    events.push(screen.at(40, json!({"kind": "stopped"})));
    events.extend(end.map(|kind| screen.at(50, kind)));
    let view_after = coach.posts(&id.to_string(), &events).await["view"].clone();
    let result = coach.get(&format!("/results/{}", view_after["result"].as_str().unwrap())).await;
    assert_eq!(result["report"], Value::Null, "{result}");
    assert!(result["readings"].to_string().contains("60 kg"), "what was read stays: {}", result["readings"]);
    let again = coach.ok(Method::POST, "/runs", set_up(Uuid::now_v7())).await;
    assert_eq!(again["last_value"], view["last_value"], "nothing that was stopped is last time");

    let id = Uuid::now_v7();
    coach.ok(Method::POST, "/runs", set_up(id)).await;
    let mut screen = Screen::new();
    let events = [
        screen.at(0, json!({"kind": "clock_started"})),
        screen.at(5, json!({"kind": "stopped"})),
        screen.at(6, json!({"kind": "discarded"})),
    ];
    let gone = coach.posts(&id.to_string(), &events).await["view"].clone();
    assert_eq!((gone["closed"].as_bool(), &gone["result"]), (Some(true), &Value::Null));
    assert!(coach.get("/practice/audit").await.to_string().contains("discarded a test that was stopped"));
}

#[tokio::test]
async fn in_a_visit_a_test_is_done_again_and_a_void_one_is_owed_again() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Mira").await;
    let form = json!({ "id": Uuid::now_v7(), "battery": "run-12min", "conditions": { "lap_m": 400, "warm_up": true, "surface": "track" } });
    let visit = coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await;
    let id = visit["id"].as_str().unwrap().to_owned();
    let runs = |metres: f64| {
        json!({ "id": Uuid::now_v7(), "protocol": "run-12min", "on": visit["on"], "inputs": { "distance_m": metres },
            "conditions": { "lap_m": 400, "warm_up": true, "surface": "track" }, "visit": { "visit": id, "place": 0 } })
    };
    let enter = format!("/people/{person}/results");
    let events = format!("/visits/{id}/events");
    let said = |happened: Value| json!({ "id": Uuid::now_v7(), "event": happened });
    let first = coach.ok(Method::POST, &enter, runs(2400.0)).await["result"].clone();
    let again = coach.ok(Method::POST, &events, said(json!({ "kind": "again", "place": 0 }))).await;
    assert_eq!(again["visit"]["next"]["place"], 0);
    let second = coach.ok(Method::POST, &enter, runs(2300.0)).await["result"].clone();
    let row = |page: &Value| page["rows"][0].clone();
    let page = coach.get(&format!("/visits/{id}")).await;
    assert_eq!((&row(&page)["result"], row(&page)["times"].as_array().unwrap().len()), (&second, 2), "the later one counts");
    coach.ok(Method::POST, &events, said(json!({ "kind": "closed" }))).await;
    let chosen = coach.ok(Method::POST, &events, said(json!({ "kind": "counts", "place": 0, "result": first }))).await;
    assert_eq!(row(&chosen["visit"])["result"], first);

    let first = first.as_str().unwrap();
    corrected(&coach, first, correction(0, json!({ "change": "voided" }))).await;
    let page = coach.get(&format!("/visits/{id}")).await;
    assert_eq!((&row(&page)["result"], row(&page)["times"].as_array().unwrap().len()), (&second, 0), "of two the other one");
    corrected(&coach, second.as_str().unwrap(), correction(0, json!({ "change": "voided" }))).await;
    assert_eq!(row(&coach.get(&format!("/visits/{id}")).await)["stand"], "to_come");
    corrected(&coach, first, correction(1, json!({ "change": "restored" }))).await;
    let page = coach.get(&format!("/visits/{id}")).await;
    assert_eq!((row(&page)["stand"].as_str(), row(&page)["result"].as_str()), (Some("done"), Some(first)));
    // Nobody takes a result out of a visit but by its own page.
    let out = said(json!({ "kind": "withdrawn", "place": 0, "result": first }));
    assert_eq!(coach.refused(Method::POST, &events, out).await.0, 422);
}

#[tokio::test]
async fn nobody_weighs_what_no_scale_said_and_the_record_takes_over_what_it_did() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Wilmot").await;
    let day = today(&coach).await;
    let measured = async |inputs: Value| {
        let form =
            json!({ "id": Uuid::now_v7(), "protocol": "body", "on": day, "inputs": inputs, "conditions": { "waist_site": "navel" } });
        let kept = coach.ok(Method::POST, &format!("/people/{person}/results"), form).await;
        coach.get(&format!("/results/{}", kept["result"].as_str().unwrap())).await
    };
    let mass =
        |page: &Value| page["report"]["quantities"].as_array().unwrap().iter().find(|q| q["key"] == "mass_kg").map(|q| q["value"].clone());
    let girths = measured(json!({ "waist_cm": [98, 98.5] })).await;
    assert_eq!(mass(&girths), None, "nobody was weighed: {girths}");
    let weighed = measured(json!({ "waist_cm": [98, 98.5], "mass_kg": 81.4 })).await;
    assert_eq!(mass(&weighed), Some(json!(81.4)));
    assert!(coach.get(&format!("/people/{person}")).await.to_string().contains("81.4"), "the record has today's");
}

#[tokio::test]
async fn a_visit_of_an_earlier_day_is_typed_whole_and_takes_no_test_of_another_day() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Odile").await;
    let day = today(&coach).await;
    let shared = json!({ "lap_m": 400, "warm_up": true, "surface": "track" });
    let visit = async |on: Option<NaiveDate>, at: Option<&str>| {
        let form = json!({ "id": Uuid::now_v7(), "battery": "run-12min", "conditions": shared, "on": on, "at": at });
        coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await
    };
    let ahead = json!({ "id": Uuid::now_v7(), "battery": "run-12min", "conditions": shared, "on": day.succ_opt() });
    assert_eq!(coach.refused(Method::POST, &format!("/people/{person}/visits"), ahead).await.2.as_deref(), Some("on"));
    let now = visit(None, None).await;
    let past = visit(Some(day - chrono::Days::new(40)), Some("17:30")).await;
    assert_eq!(
        (past["on"].clone(), past["nth"].as_u64()),
        (json!(day - chrono::Days::new(40)), Some(1)),
        "it was the first, although it is typed later"
    );
    assert_eq!(past["next"]["live"], false, "nothing of an earlier day is run on the floor");
    let enter = |on: NaiveDate, metres: f64| {
        json!({ "id": Uuid::now_v7(), "protocol": "run-12min", "on": on, "inputs": { "distance_m": metres }, "conditions": shared,
            "visit": { "visit": past["id"], "place": 0 } })
    };
    let path = format!("/people/{person}/results");
    assert_eq!(coach.refused(Method::POST, &path, enter(day, 2200.0)).await.2.as_deref(), Some("on"));
    let kept = coach.ok(Method::POST, &path, enter(day - chrono::Days::new(40), 2200.0)).await;
    let page = coach.get(&format!("/results/{}", kept["result"].as_str().unwrap())).await;
    assert!(page["taken_at"].as_str().unwrap().contains("T17:30"), "{}", page["taken_at"]);
    assert_eq!(coach.get(&format!("/visits/{}", now["id"].as_str().unwrap())).await["nth"], 2);
}
