//! What was done on a screen without a network and is sent later.

use chrono::{DateTime, TimeDelta, Utc};
use reqwest::Method;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::{Screen, TestApp, run, serve};

/// How a run was set up, sent so long after. `clock`: how far the screen's clock is ahead.
fn set_up_earlier(form: &Value, ago: TimeDelta, clock: TimeDelta) -> Value {
    let mut form = form.clone();
    let now = Utc::now() + clock;
    form["set_up_at"] = json!(now - ago);
    form["sent_at"] = json!(now);
    form
}

fn seconds_off(view: &Value, ago: TimeDelta) -> i64 {
    let created: DateTime<Utc> = view["created_at"].as_str().unwrap().parse().unwrap();
    (created - (Utc::now() - ago)).num_seconds().abs()
}

#[tokio::test]
async fn a_test_that_was_begun_without_a_network_has_its_own_day_and_clock() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Someone").await;
    let ago = TimeDelta::hours(26);
    let id = Uuid::now_v7();
    let form = set_up_earlier(&run(id, &person), ago, TimeDelta::zero());
    // The readiness of that day is not on record: nothing speaks against it.
    let view = coach.ok(Method::POST, "/runs", form.clone()).await;
    assert!(seconds_off(&view, ago) < 20, "{view}");
    assert_eq!(coach.ok(Method::POST, "/runs", form).await["created_at"], view["created_at"], "sent twice it is one run");
    let mut screen = Screen::begun_minutes_ago(26 * 60);
    let events = [
        screen.at(0, json!({"kind": "clock_started"})),
        screen.at(208, json!({"kind": "count_typed", "count": 36})),
        screen.at(212, json!({"kind": "finished"})),
    ];
    let result = coach.posts(&id.to_string(), &events).await["view"]["result"].as_str().unwrap().to_owned();
    let day = (Utc::now() - ago).date_naive().to_string();
    assert_eq!(coach.get(&format!("/results/{result}")).await["on"], json!(day));
}

#[tokio::test]
async fn a_screen_whose_clock_is_days_off_or_that_waited_for_months_sets_nothing_up_in_another_age() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Someone").await;
    let hour = TimeDelta::hours(1);
    let wrong = set_up_earlier(&run(Uuid::now_v7(), &person), hour, TimeDelta::days(400));
    assert!(seconds_off(&coach.ok(Method::POST, "/runs", wrong).await, hour) < 20);
    let old = set_up_earlier(&run(Uuid::now_v7(), &person), TimeDelta::days(90), TimeDelta::zero());
    assert!(seconds_off(&coach.ok(Method::POST, "/runs", old).await, TimeDelta::days(7)) < 20);
    let ahead = set_up_earlier(&run(Uuid::now_v7(), &person), -hour, TimeDelta::zero());
    assert!(seconds_off(&coach.ok(Method::POST, "/runs", ahead).await, TimeDelta::zero()) < 20);
}

#[tokio::test]
async fn what_was_done_without_a_network_is_stored_beside_a_visit_that_was_closed_meanwhile() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (person, other) = (coach.adds("Someone").await, coach.adds("Somebody else").await);
    let visit = Uuid::now_v7();
    let form = json!({"id": visit, "battery": "vertical-jump", "conditions": {"arms": "swing", "warm_up": true}});
    coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await;
    let place = json!({"visit": visit, "place": 0});
    let jump =
        |id: Uuid, person: &str| json!({"id": id, "people": [person], "protocol": "vertical-jump", "conditions": {}, "visit": place});
    coach.ok(Method::POST, &format!("/visits/{visit}/events"), json!({"id": Uuid::now_v7(), "event": {"kind": "closed"}})).await;
    // With a network it is refused; nobody has jumped yet.
    assert_eq!(coach.refused(Method::POST, "/runs", jump(Uuid::now_v7(), &person)).await.2.as_deref(), Some("visit"));
    let late = set_up_earlier(&jump(Uuid::now_v7(), &person), TimeDelta::minutes(20), TimeDelta::zero());
    let view = coach.ok(Method::POST, "/runs", late).await;
    assert_eq!((view["visit"].clone(), view["closed"].clone()), (Value::Null, json!(false)));
    // What the visit's tests share was said there, and still counts.
    let said: Vec<&str> = view["conditions"].as_array().unwrap().iter().filter_map(|c| c["value"].as_str()).collect();
    assert!(said.contains(&"arms swing"), "{said:?}");
    let strangers = set_up_earlier(&jump(Uuid::now_v7(), &other), TimeDelta::minutes(20), TimeDelta::zero());
    assert_eq!(coach.refused(Method::POST, "/runs", strangers).await.2.as_deref(), Some("visit"), "of another client it is nobody's");
}

#[tokio::test]
async fn what_a_test_needs_is_given_to_its_own_practice_and_a_visit_says_what_comes_by_place() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let stranger = app.new_practice("Quay").await;
    let person = coach.adds("Someone").await;
    let path = format!("/prepared?protocol=bench-step-3min&person={person}");
    let test = coach.get(&path).await;
    let ready = &test["prepared"]["people"][0];
    assert_eq!((&ready["name"], &ready["asked"], &ready["against"]), (&json!("Someone"), &json!(true), &Value::Null));
    assert_eq!(stranger.refused(Method::GET, &path, Value::Null).await.0, 404);
    assert_eq!(app.browser().refused(Method::GET, &path, Value::Null).await.0, 401);
    assert_eq!(coach.refused(Method::GET, "/prepared?protocol=plank", Value::Null).await.2.as_deref(), Some("person"));
    let visit = Uuid::now_v7();
    let form = json!({"id": visit, "battery": "first-look", "conditions": {"warm": true}});
    coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await;
    let kept = coach.get(&format!("/visits/{visit}/prepared")).await;
    let places: Vec<u64> = kept["tests"].as_array().unwrap().iter().map(|t| t["place"].as_u64().unwrap()).collect();
    assert_eq!((places, kept["events"].clone(), kept["shut"].clone()), (vec![0, 1, 2, 3], json!([]), json!([])));
    assert_eq!(stranger.refused(Method::GET, &format!("/visits/{visit}/prepared"), Value::Null).await.0, 404);
}

#[tokio::test]
async fn what_happened_before_the_end_counts_although_it_arrives_after_it_and_the_result_that_changes_is_named() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Someone").await;
    let jump = async || {
        let id = Uuid::now_v7();
        let form = json!({"id": id, "people": [person], "protocol": "vertical-jump", "conditions": {"arms": "swing", "warm_up": true}});
        coach.ok(Method::POST, "/runs", form).await;
        id.to_string()
    };
    let took = |input: &str, cm: f64| json!({"kind": "taken", "input": input, "value": cm});
    let run = jump().await;
    let mut here = Screen::new();
    let mut there = here.beside();
    let first = [here.at(0, json!({"kind": "clock_started"})), here.at(20, took("reach_cm", 230.0)), here.at(60, took("touch_cm", 271.0))];
    let best = there.at(90, took("touch_cm", 276.0));
    let undone = json!({"kind": "undone", "event": Uuid::now_v7()});
    let after = there.at(150, took("touch_cm", 290.0));
    let end = here.at(120, json!({"kind": "finished"}));
    coach.posts(&run, &first).await;
    let closed = coach.posts(&run, std::slice::from_ref(&end)).await;
    assert!(closed["view"]["closed"].as_bool().unwrap() && closed.get("changed").is_none(), "{closed}");
    let result = closed["view"]["result"].as_str().unwrap().to_owned();
    let page = async || coach.get(&format!("/results/{result}")).await;
    assert_eq!(page().await["report"]["headline"].as_str().unwrap().matches("41").count(), 1);
    // The other device is back: what it took before the end counts, what it took afterwards does not.
    let came = coach.posts(&run, std::slice::from_ref(&best)).await;
    assert_eq!((came["changed"].clone(), came["late"].clone()), (json!(["Someone"]), json!(0)));
    assert_eq!(came["view"]["result"], json!(result), "the same result, with another version");
    let told = page().await;
    assert!(told["report"]["headline"].as_str().unwrap().contains("46"), "{}", told["report"]["headline"]);
    assert_eq!(told["versions"].as_array().map(Vec::len), Some(1), "what it was stays");
    let late = coach.posts(&run, &[after]).await;
    assert_eq!((late["late"].clone(), late.get("changed")), (json!(1), None));
    // As an undisturbed run would have had it.
    let whole = jump().await;
    let mut one = here.beside();
    let again = [
        one.at(0, json!({"kind": "clock_started"})),
        one.at(20, took("reach_cm", 230.0)),
        one.at(60, took("touch_cm", 271.0)),
        one.at(90, took("touch_cm", 276.0)),
        one.at(120, json!({"kind": "finished"})),
    ];
    let undisturbed = coach.posts(&whole, &again).await["view"]["result"].as_str().unwrap().to_owned();
    assert_eq!(coach.get(&format!("/results/{undisturbed}")).await["report"]["headline"], told["report"]["headline"]);
    // Once more, and nothing that is out of order does harm.
    assert_eq!(coach.posts(&run, &[best]).await["known"], json!(1));
    assert_ne!(coach.send(Method::POST, &format!("/runs/{run}/events"), json!({"events": [there.at(100, undone)]})).await.0, 500);
}

#[tokio::test]
async fn a_stop_that_another_device_saw_before_the_end_ends_the_test_there() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = coach.sets_up(&coach.adds("Someone").await).await;
    let mut here = Screen::new();
    let mut there = here.beside();
    let events = [here.at(0, json!({"kind": "clock_started"})), here.at(208, json!({"kind": "count_typed", "count": 36}))];
    coach.posts(&run, &events).await;
    let result = coach.posts(&run, &[here.at(220, json!({"kind": "finished"}))]).await["view"]["result"].as_str().unwrap().to_owned();
    // Stopped on another device at 2:30, before anything was read: an undisturbed run would have ended there.
    let early = there.at(150, json!({"kind": "stopped"}));
    let (status, answer) = coach.send(Method::POST, &format!("/runs/{run}/events"), json!({"events": [early]})).await;
    assert!(status.is_success(), "{answer}");
    let page = coach.get(&format!("/results/{result}")).await;
    assert_eq!(page["versions"].as_array().map(Vec::len), Some(1), "{answer}");
    assert_eq!((page["stopped"]["sentence"].as_str(), &page["report"]), (Some("Stopped at 2:30."), &Value::Null));
}

#[tokio::test]
async fn a_process_that_remembers_the_run_from_before_its_end_reads_the_result_that_another_kept() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let there = app.signed_in_at(&serve(&app.app_url, 12 * 60), "Harbour").await;
    let person = coach.adds("Someone").await;
    let run = coach.sets_up(&person).await;
    let mut here = Screen::new();
    let mut other = here.beside();
    // Both know the run as it is while it is open; one of them closes it.
    coach.posts(&run, &[here.at(0, json!({"kind": "clock_started"}))]).await;
    there.posts(&run, &[other.at(10, json!({"kind": "noted", "text": "wind"}))]).await;
    let end = [here.at(208, json!({"kind": "count_typed", "count": 36})), here.at(220, json!({"kind": "finished"}))];
    let result = coach.posts(&run, &end).await["view"]["result"].clone();
    let came = there.posts(&run, &[other.at(212, json!({"kind": "count_typed", "count": 30}))]).await;
    assert_eq!((came["view"]["result"].clone(), came["changed"].clone()), (result, json!(["Someone"])));
    let page = coach.get(&format!("/people/{person}")).await;
    assert_eq!(page["tests"].as_array().map(Vec::len), Some(1), "one test, one result");
}
