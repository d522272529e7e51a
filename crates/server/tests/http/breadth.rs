//! What a practice knows by itself, and what happened to its clients.

use reqwest::Method;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::{Browser, TestApp};

fn stands(on: &str, reps: u32) -> Value {
    json!({
        "id": Uuid::now_v7(), "protocol": "chair-stand-30s", "on": on, "inputs": { "reps": reps },
        "conditions": { "chair_cm": 43 }
    })
}

/// Does what answers with nothing.
async fn done(coach: &Browser, method: Method, path: &str, body: Value) {
    let (status, answer) = coach.send(method, path, body).await;
    assert_eq!(status, 204, "{answer}");
}

#[tokio::test]
async fn a_figure_that_was_typed_in_comes_before_a_publication_and_says_who_says_so() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let path = format!("/people/{person}/results");
    coach.ok(Method::POST, &path, stands("2026-03-01", 12)).await;
    let kept = coach.ok(Method::POST, &path, stands("2026-09-01", 13)).await;
    let page = format!("/results/{}", kept["result"].as_str().unwrap());
    let error = |page: &Value| {
        page["report"]["quantities"].as_array().unwrap().iter().find(|q| q["key"] == "reps").unwrap()["typical_error"].clone()
    };
    assert_eq!(error(&coach.get(&page).await), Value::Null, "Joren is 40: no such row in the table");
    let figure = |value: Value, source: &str| json!({ "quantity": "reps", "value": value, "source": source });
    let put = "/protocols/chair-stand-30s/typical-error";
    for (body, field) in [
        (figure(json!(0), "ours"), "value"),
        (figure(json!(0.3), " "), "source"),
        (json!({ "quantity": "colour", "value": 1, "source": "ours" }), "quantity"),
    ] {
        let (status, _, named) = coach.refused(Method::PUT, put, body).await;
        assert_eq!((status, named.as_deref()), (422, Some(field)));
    }
    done(&coach, Method::PUT, put, figure(json!(0.3), "our own pilot, 2025")).await;
    let judged = coach.get(&page).await;
    assert_eq!(error(&judged)["rests_on"], "typed");
    assert_eq!(error(&judged)["source"]["citation"], "our own pilot, 2025");
    assert_eq!(error(&judged)["important"]["value"], 2.0, "a minimal important change stands beside it");
    assert_eq!(judged["progress"]["reps"]["since_last"]["verdict"], "clear_gain");
    let method = coach.get("/protocols/chair-stand-30s").await;
    assert_eq!(method["measurement_errors"][0]["typed"]["value"], 0.3);
    let other = app.new_practice("Mill").await;
    assert_eq!(
        other.get("/protocols/chair-stand-30s").await["measurement_errors"][0]["typed"],
        Value::Null,
        "another practice knows nothing of it"
    );
    done(&coach, Method::PUT, put, figure(Value::Null, "")).await;
    assert_eq!(error(&coach.get(&page).await), Value::Null);
}

#[tokio::test]
async fn what_happened_along_the_way_stands_on_the_trend_and_is_named_beside_a_loss() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let path = format!("/people/{person}/events");
    let note = |kind: &str, from: &str, until: Value, words: &str| json!({ "id": Uuid::now_v7(), "kind": kind, "from_on": from, "until_on": until, "words": words });
    for (body, field) in [
        (note("illness", "2099-01-01", Value::Null, ""), "from_on"),
        (note("illness", "2026-05-10", json!("2026-05-01"), ""), "until_on"),
        (note("other", "2026-05-10", Value::Null, ""), "words"),
    ] {
        let (status, _, named) = coach.refused(Method::POST, &path, body).await;
        assert_eq!((status, named.as_deref()), (422, Some(field)));
    }
    let flu = note("illness", "2026-05-10", json!("2026-05-24"), "flu");
    done(&coach, Method::POST, &path, flu.clone()).await;
    done(&coach, Method::POST, &path, flu.clone()).await;
    done(&coach, Method::PUT, "/protocols/chair-stand-30s/typical-error", json!({ "quantity": "reps", "value": 0.5, "source": "ours" }))
        .await;
    let results = format!("/people/{person}/results");
    coach.ok(Method::POST, &results, stands("2026-04-01", 16)).await;
    coach.ok(Method::POST, &results, stands("2026-06-10", 12)).await;
    let page = coach.get(&format!("/people/{person}")).await;
    assert_eq!(page["events"].as_array().unwrap().len(), 1, "a double click keeps one");
    assert_eq!(page["events"][0]["said"], "an illness (flu)");
    let trend = coach.get(&format!("/people/{person}/trend/chair-stand-30s/reps")).await;
    assert_eq!(trend["events"][0]["from_on"], "2026-05-10");
    let sentence = trend["progress"]["since_last"]["sentence"].as_str().unwrap();
    assert!(sentence.ends_with("Events: an illness (flu) in May."), "{sentence}");
    let other = app.new_practice("Mill").await;
    let id = flu["id"].as_str().unwrap();
    assert_eq!(other.refused(Method::DELETE, &format!("/life-events/{id}"), Value::Null).await.0, 404);
    done(&coach, Method::DELETE, &format!("/life-events/{id}"), Value::Null).await;
    assert_eq!(coach.get(&format!("/people/{person}")).await["events"], json!([]));
}

#[tokio::test]
async fn a_value_from_elsewhere_is_a_series_of_its_source_and_stands_beside_the_others() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let report = |on: &str, source: &str, value: f64| {
        json!({
            "id": Uuid::now_v7(), "protocol": "reported-vo2max", "on": on, "inputs": { "vo2max": value }, "conditions": { "source": source }
        })
    };
    let path = format!("/people/{person}/results");
    coach.ok(Method::POST, &path, report("2026-03-01", "wrist watch", 47.0)).await;
    coach.ok(Method::POST, &path, report("2026-04-01", "laboratory", 42.5)).await;
    let kept = coach.ok(Method::POST, &path, report("2026-06-01", "Wrist watch", 49.0)).await;
    let page = coach.get(&format!("/results/{}", kept["result"].as_str().unwrap())).await;
    let since = &page["progress"]["vo2max"]["since_last"];
    assert_eq!((&since["from"], since["unlike"].as_array().unwrap().len()), (&json!(47.0), 0), "the watch is compared with the watch");
    let best = &coach.get(&format!("/people/{person}")).await["vo2max"];
    assert_eq!((&best["best"]["shown"], &best["methods"][0]["method"]), (&json!("49.0"), &json!("Wrist watch")), "the last eight weeks");
}

/// A watch of 38 (11 %, so SD 4.18) and a laboratory of 36.2 (± 1.5 of its own): weights 1/17.47 and 1/2.25 (by hand, the watch's
/// variance as the mean of both sides), so 36.4 or so, nearer to the laboratory.
#[tokio::test]
async fn several_methods_make_one_vo2max_and_what_is_unfit_stays_out() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let path = format!("/people/{person}/results");
    let report = |on: &str, source: &str, inputs: Value| json!({ "id": Uuid::now_v7(), "protocol": "reported-vo2max", "on": on, "inputs": inputs, "conditions": { "source": source } });
    coach.ok(Method::POST, &path, report("2026-03-01", "watch", json!({ "vo2max": 38.0, "given_by": "watch" }))).await;
    let laboratory = json!({ "vo2max": 36.2, "given_by": "laboratory", "standard_error": 1.5 });
    coach.ok(Method::POST, &path, report("2026-03-20", "laboratory", laboratory)).await;
    let of = |query: &str| format!("/people/{person}/vo2max{query}");
    let page = coach.get(&of("")).await;
    let combined = &page["combined"];
    let best = combined["best"]["value"].as_f64().unwrap();
    assert!((36.3..36.5).contains(&best), "{combined}");
    assert!(combined["best"]["high"].as_f64().unwrap() - combined["best"]["low"].as_f64().unwrap() < 2.0 * 1.96 * 1.5);
    assert_eq!((&combined["methods"][0]["method"], page["trend"].as_array().unwrap().len()), (&json!("Laboratory"), 2));
    assert_eq!(page["days"], json!(["2026-03-20", "2026-03-01"]));
    // The window may be narrower and end earlier; an empty one says so by having no value.
    assert_eq!(coach.get(&of("?weeks=1")).await["combined"]["best"]["shown"], "36.2");
    assert_eq!(coach.get(&of("?until=2026-02-01")).await["combined"]["best"], Value::Null);
    for weeks in ["0", "53"] {
        let (status, _, field) = coach.refused(Method::GET, &of(&format!("?weeks={weeks}")), Value::Null).await;
        assert_eq!((status, field.as_deref()), (422, Some("weeks")));
    }
    // What a heart-rate drug made unfit goes in nowhere, and says why.
    let mut form = coach.get(&format!("/people/{person}")).await["form"].clone();
    form["rate_limiting_drug"] = json!(true);
    coach.ok(Method::PUT, &format!("/people/{person}"), form).await;
    let walk = json!({
        "id": Uuid::now_v7(), "protocol": "mile-walk", "on": "2026-03-21", "inputs": { "time_s": 860.0, "hr_end": 128.0 },
        "conditions": { "surface": "track", "warm_up": true, "hr_source": "strap" }, "mass": "82", "hr_max": 170.0
    });
    coach.ok(Method::POST, &path, walk.clone()).await;
    let page = coach.get(&of("")).await;
    assert_eq!(page["combined"]["best"]["value"].as_f64().unwrap(), best);
    assert_eq!(page["combined"]["left_out"][0]["method"], "Mile walk");
    // A measured maximum below what was read is asked back.
    let mut low = walk;
    (low["id"], low["hr_max"]) = (json!(Uuid::now_v7()), json!(120.0));
    let (status, _, field) = coach.refused(Method::POST, &path, low).await;
    assert_eq!((status, field.as_deref()), (422, Some("hr_max")));
    // Each measure in the practice's own file has its range beside it.
    let csv = coach.raw(Method::GET, &format!("/people/{person}/measures.csv")).await.text().await.unwrap();
    let line = csv.lines().find(|l| l.contains("36.2")).unwrap();
    assert!(csv.lines().next().unwrap().ends_with("range95_low,range95_high,group") && line.ends_with("33.3,39.1,"), "{line}");
}

#[tokio::test]
async fn the_overhead_squat_opens_after_the_air_squat_was_passed_or_with_a_reason() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let run = |reason: Value| json!({ "id": Uuid::now_v7(), "protocol": "overhead-squat", "people": [person], "conditions": {}, "overrule_reason": reason });
    let (status, code, field) = coach.refused(Method::POST, "/runs", run(Value::Null)).await;
    assert_eq!((status, code.as_str(), field.as_deref()), (422, "missing_input", Some("overrule_reason")));
    coach.ok(Method::POST, "/runs", run(json!("passed it with a colleague"))).await;
    let squat = |heels: bool| {
        json!({
            "id": Uuid::now_v7(), "protocol": "air-squat", "on": "2026-06-01",
            "inputs": { "points": { "chest_up": true, "heels_down": heels } }, "conditions": {}
        })
    };
    let path = format!("/people/{person}/results");
    coach.ok(Method::POST, &path, squat(false)).await;
    assert_eq!(coach.refused(Method::POST, "/runs", run(Value::Null)).await.0, 422, "one point failed");
    coach.ok(Method::POST, &path, squat(true)).await;
    coach.ok(Method::POST, "/runs", run(Value::Null)).await;
}

#[tokio::test]
async fn a_practice_holds_its_clients_to_a_mark_of_its_own_and_lets_the_usual_one_hold_again() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let held = json!({
        "id": Uuid::now_v7(), "protocol": "plank", "on": "2026-06-01", "inputs": { "seconds": 100 },
        "conditions": { "support": "forearm", "limit_s": "to_failure" }
    });
    let kept = coach.ok(Method::POST, &format!("/people/{person}/results"), held).await;
    let page = format!("/results/{}", kept["result"].as_str().unwrap());
    let pass =
        |page: &Value| page["report"]["quantities"].as_array().unwrap().iter().find(|q| q["key"] == "seconds").unwrap()["pass"].clone();
    assert_eq!(pass(&coach.get(&page).await)["met"], false, "short of two minutes");
    let put = "/protocols/plank/pass-mark";
    let mark = |mark: Value, source: &str| json!({ "quantity": "seconds", "mark": mark, "source": source });
    assert_eq!(coach.refused(Method::PUT, put, mark(json!(90), " ")).await.2.as_deref(), Some("source"));
    done(&coach, Method::PUT, put, mark(json!(90), "our lifeboat crew")).await;
    let own = pass(&coach.get(&page).await);
    assert_eq!((own["met"].as_bool(), own["source"]["citation"].as_str()), (Some(true), Some("our lifeboat crew")));
    let library = coach.get("/protocols").await;
    let names: Vec<_> = library.as_array().unwrap().iter().filter(|l| l["id"] == "plank").collect();
    assert_eq!(names.len(), 1, "it is still one test");
    let other = app.new_practice("Mill").await;
    assert_eq!(other.get("/protocols/plank").await["protocol"]["pass"][0]["mark"], 120.0);
    done(&coach, Method::PUT, put, mark(Value::Null, "")).await;
    assert_eq!(pass(&coach.get(&page).await)["met"], false);
}

#[tokio::test]
async fn a_goal_is_judged_against_the_measurement_error_and_kept_with_the_day_it_was_reached() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let (results, goals) = (format!("/people/{person}/results"), format!("/people/{person}/goals"));
    let goal = |to: f64, by: &str| json!({ "id": Uuid::now_v7(), "protocol": "chair-stand-30s", "quantity": "reps", "to": to, "by": by, "process": "ten slow ones a day" });
    assert_eq!(coach.refused(Method::POST, &goals, goal(15.0, "2099-01-01")).await.2.as_deref(), Some("quantity"), "not measured yet");
    coach.ok(Method::POST, &results, stands("2026-03-01", 12)).await;
    for (body, field) in [(goal(10.0, "2099-01-01"), "to"), (goal(15.0, "2020-01-01"), "by")] {
        assert_eq!(coach.refused(Method::POST, &goals, body).await.2.as_deref(), Some(field));
    }
    done(&coach, Method::POST, &goals, goal(15.0, "2099-01-01")).await;
    let page = coach.get(&format!("/people/{person}")).await;
    assert_eq!((page["goals"][0]["way"].as_str(), page["aims"][0]["now"].as_str()), (Some("cannot_tell"), Some("12 reps")));
    coach.ok(Method::POST, &results, stands("2026-09-01", 16)).await;
    let page = coach.get(&format!("/people/{person}")).await;
    assert_eq!(page["goals"][0]["way"], "reached");
    assert!(page["goals"][0]["sentence"].as_str().unwrap().contains("1 September 2026"));
    coach.ok(Method::POST, &results, stands("2026-10-01", 11)).await;
    assert_eq!(coach.get(&format!("/people/{person}")).await["goals"][0]["way"], "reached", "what was reached stays reached");
    let key = page["goals"][0]["id"].as_str().unwrap();
    done(&coach, Method::DELETE, &format!("/goals/{key}"), Value::Null).await;
    assert!(coach.get(&format!("/people/{person}")).await["goals"].as_array().unwrap().is_empty());
}

#[tokio::test]
async fn nobody_lifts_to_the_limit_without_a_spotter_but_with_a_reason() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Rurik").await;
    let run = |spotter: bool, reason: Value| {
        let conditions = json!({ "lift": "bench_press", "warm_up": true, "spotter": spotter });
        json!({ "id": Uuid::now_v7(), "protocol": "one-rm", "people": [person], "conditions": conditions, "overrule_reason": reason })
    };
    let (status, _, field) = coach.refused(Method::POST, "/runs", run(false, Value::Null)).await;
    assert_eq!((status, field.as_deref()), (422, Some("overrule_reason")));
    coach.ok(Method::POST, "/runs", run(false, json!("safety bars at the chest"))).await;
    coach.ok(Method::POST, "/runs", run(true, Value::Null)).await;
}
