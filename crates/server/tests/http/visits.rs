//! Visits: a battery on one day, test after test, on any device; and a practice's own batteries.

use reqwest::Method;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::{Browser, TestApp};

/// A visit of this battery, begun.
async fn begun(coach: &Browser, person: &str, battery: &str, conditions: Value) -> Value {
    let form = json!({ "id": Uuid::now_v7(), "battery": battery, "conditions": conditions });
    coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await
}

fn id(page: &Value) -> &str {
    page["id"].as_str().unwrap()
}

async fn said(coach: &Browser, visit: &Value, happened: Value) -> Value {
    let body = json!({ "id": Uuid::now_v7(), "event": happened });
    coach.ok(Method::POST, &format!("/visits/{}/events", id(visit)), body).await
}

/// Types a test of the visit from paper.
async fn typed(coach: &Browser, person: &str, visit: &Value, place: usize, protocol: &str, inputs: Value, conditions: Value) -> Value {
    let form = json!({
        "id": Uuid::now_v7(), "protocol": protocol, "on": visit["on"], "inputs": inputs, "conditions": conditions,
        "visit": { "visit": id(visit), "place": place }
    });
    coach.ok(Method::POST, &format!("/people/{person}/results"), form).await
}

#[tokio::test]
async fn a_visit_leads_from_test_to_test_and_says_what_it_taught() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let plan = coach.get(&format!("/people/{person}/visits/new?battery=four-in-five-minutes")).await;
    assert_eq!((plan["nth"].as_u64(), plan["last_on"].is_null()), (Some(1), true));
    assert!(plan["equipment"].as_array().unwrap().len() > 1 && plan["asked"].as_array().unwrap().len() > 1);
    let form = json!({ "id": Uuid::now_v7(), "battery": "four-in-five-minutes", "conditions": { "colour": "red" } });
    let (status, code, field) = coach.refused(Method::POST, &format!("/people/{person}/visits"), form).await;
    assert_eq!((status, code.as_str(), field.as_deref()), (422, "unknown_field", Some("colour")));

    let answers = json!({ "waist_site": "navel", "eyes": "open", "barefoot": true });
    let visit = begun(&coach, &person, "four-in-five-minutes", answers).await;
    assert_eq!(visit["next"]["name"], "Body measures");
    assert!(visit["next"]["why"].as_str().unwrap().contains("At rest"));
    let body = json!({ "waist_cm": 98, "waist_site": "navel" });
    typed(&coach, &person, &visit, 0, "body", body, json!({ "waist_site": "navel" })).await;
    let page = coach.get(&format!("/visits/{}", id(&visit))).await;
    assert_eq!((page["done"].as_u64(), page["next"]["protocol"].as_str()), (Some(1), Some("sit-rise-floor")));
    assert_eq!(page["rows"][0]["stand"], "done");
    assert!(page["learned"]["holds_back"].as_str().unwrap().contains("over the target of 0.50"), "{}", page["learned"]);

    // The plank goes onto the floor with the battery's variant and what the visit shares; its end is the visit's business.
    let run = Uuid::now_v7();
    let set_up =
        json!({ "id": run, "protocol": "plank", "people": [person], "conditions": {}, "visit": { "visit": id(&visit), "place": 2 } });
    let view = coach.ok(Method::POST, "/runs", set_up).await;
    assert_eq!(view["visit"], visit["id"]);
    assert!(view["conditions"].as_array().unwrap().iter().any(|c| c["value"] == "on the forearms"), "{}", view["conditions"]);
    let running = coach.get(&format!("/visits/{}", id(&visit))).await;
    assert_eq!((running["next"]["run"].as_str(), running["rows"][2]["stand"].as_str()), (Some(run.to_string().as_str()), Some("running")));

    // Left out only with a reason, and taken up again.
    let skip = |reason: Value| json!({ "id": Uuid::now_v7(), "event": { "kind": "skipped", "place": 1, "reason": reason } });
    let events = format!("/visits/{}/events", id(&visit));
    assert_eq!(coach.refused(Method::POST, &events, skip(json!(" "))).await.2.as_deref(), Some("reason"));
    let skipped = coach.ok(Method::POST, &events, skip(json!("sore knee"))).await;
    assert_eq!(skipped["visit"]["rows"][1]["reason"], "sore knee");
    said(&coach, &visit, json!({ "kind": "taken_up", "place": 1 })).await;
    let moved = said(&coach, &visit, json!({ "kind": "moved", "place": 3 })).await;
    assert_eq!(moved["visit"]["rows"][1]["protocol"], "one-leg-stance");
    for happened in [json!({ "kind": "done", "place": 1, "result": run }), json!({ "kind": "skipped", "place": 9, "reason": "x" })] {
        let body = json!({ "id": Uuid::now_v7(), "event": happened });
        assert_eq!(coach.refused(Method::POST, &events, body).await.0, 422);
    }

    // Closed once; nothing is done in it afterwards, and the next one starts as this one was.
    said(&coach, &visit, json!({ "kind": "closed" })).await;
    let closed = said(&coach, &visit, json!({ "kind": "closed" })).await;
    assert_eq!((closed["visit"]["closed"].as_bool(), closed["visit"]["next"].is_null()), (Some(true), true));
    assert_eq!(coach.refused(Method::POST, &events, skip(json!("late"))).await.0, 422);
    let again = coach.get(&format!("/people/{person}/visits/new?battery=four-in-five-minutes")).await;
    assert_eq!((again["nth"].as_u64(), again["suggested"]["eyes"].as_str()), (Some(2), Some("open")));
    let page = coach.get(&format!("/people/{person}")).await;
    assert_eq!(page["visits"].as_array().unwrap().len(), 1);
}

#[tokio::test]
async fn a_double_press_is_one_visit_and_one_of_another_practice_or_person_is_none() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (joren, maud) = (coach.adds("Joren").await, coach.adds("Maud").await);
    let form = json!({ "id": Uuid::now_v7(), "battery": "plank" });
    let path = format!("/people/{joren}/visits");
    let form_again = form.clone();
    let refused = coach.refused(Method::POST, &path, form).await;
    assert_eq!(refused.2.as_deref(), Some("support"), "what a test cannot do without is asked before the first");
    let mut form = form_again;
    form["conditions"] = json!({ "support": "forearm", "limit_s": "to_failure" });
    let visit = coach.ok(Method::POST, &path, form.clone()).await;
    coach.ok(Method::POST, &path, form).await;
    assert_eq!(coach.get(&format!("/people/{joren}")).await["visits"].as_array().unwrap().len(), 1);
    assert_eq!(visit["battery_name"], "Plank", "a test on its own is a visit of one");
    let wrong = json!({
        "id": Uuid::now_v7(), "protocol": "plank", "people": [maud], "conditions": {}, "visit": { "visit": id(&visit), "place": 0 }
    });
    assert_eq!(coach.refused(Method::POST, "/runs", wrong).await.2.as_deref(), Some("visit"));
    let today = coach.get("/today").await;
    assert_eq!(today["open_visits"][0]["name"], "Joren");
    let other = app.new_practice("Mill").await;
    let (status, _) = other.send(Method::GET, &format!("/visits/{}", id(&visit)), Value::Null).await;
    assert_eq!(status, 404);
    let closing = json!({ "id": Uuid::now_v7(), "event": { "kind": "closed" } });
    let (status, _) = other.send(Method::POST, &format!("/visits/{}/events", id(&visit)), closing).await;
    assert_eq!(status, 404);
}

#[tokio::test]
async fn a_practice_makes_its_own_battery_changes_it_and_takes_it_out_of_use() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let key = Uuid::now_v7();
    let path = format!("/batteries/{key}");
    let battery = |name: &str, tests: Value| json!({ "id": "", "name": name, "again_weeks": 6, "tests": tests });
    let both = json!([{ "protocol": "run-12min" }, { "protocol": "air-squat", "rest_min": 3 }]);
    for (body, field) in [
        (battery("Ours", json!([])), "tests"),
        (battery(" ", both.clone()), "name"),
        (battery("Ours", json!([{ "protocol": "moon-walk" }])), "protocol"),
    ] {
        let (status, _, named) = coach.refused(Method::PUT, &path, body).await;
        assert!(matches!(status, 404 | 422), "{status}");
        assert_eq!(named.as_deref(), Some(field));
    }
    let kept = coach.ok(Method::PUT, &path, battery("Ours", both)).await;
    assert_eq!(kept["better_order"], json!([1, 0]), "the long run comes last");
    let twice = json!([{ "protocol": "air-squat" }, { "protocol": "air-squat" }]);
    let kept = coach.ok(Method::PUT, &path, battery("Ours", twice)).await;
    let own = kept["battery"]["id"].as_str().unwrap().to_owned();
    let visit = begun(&coach, &person, &own, json!({})).await;
    let squat = json!({ "points": { "chest_up": true } });
    typed(&coach, &person, &visit, 0, "air-squat", squat.clone(), json!({})).await;
    typed(&coach, &person, &visit, 1, "air-squat", squat, json!({})).await;
    let page = coach.get(&format!("/visits/{}", id(&visit))).await;
    assert_eq!(page["done"], 2);
    assert_ne!(page["rows"][0]["result"], page["rows"][1]["result"], "twice, kept apart");
    assert_eq!(coach.send(Method::DELETE, &path, Value::Null).await.0, 204);
    assert!(coach.get("/batteries").await.as_array().unwrap().iter().all(|b| b["battery"]["id"] != own.as_str()));
    assert_eq!(coach.get(&format!("/visits/{}", id(&visit))).await["battery_name"], "Ours", "its history stays");
}

#[tokio::test]
async fn a_clients_link_shows_what_was_ticked_ends_and_is_withdrawn() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let answers = json!({ "waist_site": "navel", "eyes": "open", "barefoot": true });
    let visit = begun(&coach, &person, "four-in-five-minutes", answers).await;
    let body = json!({ "waist_cm": 98, "waist_site": "navel" });
    typed(&coach, &person, &visit, 0, "body", body, json!({ "waist_site": "navel" })).await;
    let supports = json!({ "supports_down": 0, "supports_up": 1 });
    typed(&coach, &person, &visit, 1, "sit-rise-floor", supports, json!({ "barefoot": true })).await;
    let links = format!("/visits/{}/links", id(&visit));
    let form = |days: u64, places: Value| json!({ "id": Uuid::now_v7(), "days": days, "places": places });
    for (form, field) in
        [(form(0, json!([1])), "days"), (form(9999, json!([1])), "days"), (form(30, json!([])), "places"), (form(30, json!([7])), "places")]
    {
        assert_eq!(coach.refused(Method::POST, &links, form).await.2.as_deref(), Some(field));
    }
    let made = coach.ok(Method::POST, &links, form(30, json!([1]))).await;
    let token = made["path"].as_str().unwrap().rsplit('/').next().unwrap().to_owned();
    assert_eq!(token.len(), 32, "128 bits");

    // Without an account: the test that was ticked, and no word of the waist.
    let stranger = app.browser();
    let report = stranger.get(&format!("/reports/{token}")).await;
    assert_eq!((report["name"].as_str(), report["practice"].as_str()), (Some("Joren"), Some("Harbour")));
    let shown: Vec<&str> = report["rows"].as_array().unwrap().iter().map(|r| r["protocol"].as_str().unwrap()).collect();
    assert_eq!(shown, ["sit-rise-floor"]);
    assert!(!report.to_string().contains("waist"), "{report}");
    assert!(report["rows"][0]["result"].is_null());

    let listed = coach.get(&links).await;
    assert_eq!((listed[0]["opens"].as_bool(), listed[0]["tests"].as_u64()), (Some(true), Some(1)));
    let key = listed[0]["id"].as_str().unwrap().to_owned();
    assert_eq!(coach.send(Method::DELETE, &format!("/visit-links/{key}"), Value::Null).await.0, 204);
    let (status, answer) = stranger.send(Method::GET, &format!("/reports/{token}"), Value::Null).await;
    assert_eq!((status.as_u16(), answer["code"].as_str()), (404, Some("unknown_code")));

    // A guess is limited long before it could hit.
    let mut limited = false;
    for k in 0..40 {
        let (status, _) = stranger.send(Method::GET, &format!("/reports/{k:032x}"), Value::Null).await;
        limited |= status == 429;
    }
    assert!(limited);
}

#[tokio::test]
async fn a_whole_battery_is_planned_around_matches_named_in_the_calendar_and_settled_by_its_visit() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let today: chrono::NaiveDate = coach.get("/session").await["today"].as_str().unwrap().parse().unwrap();
    // Tomorrow is a match: the day after it is no day for a test either.
    let hard = json!({ "dates": [today + chrono::Days::new(1)] });
    let once = |day: u64| json!({ "rule": "once", "on": today + chrono::Days::new(day) });
    let seen = coach.ok(Method::POST, "/retests/preview", json!({ "rule": once(1), "from": today, "hard_days": hard })).await;
    assert_eq!(seen["dates"][0]["on"], json!(today + chrono::Days::new(3)), "{seen}");
    assert_eq!(seen["dates"][0]["moved_from"], json!(today + chrono::Days::new(1)));
    let plan = json!({ "protocol": "four-in-five-minutes", "rule": once(1), "from": today - chrono::Days::new(1), "hard_days": hard });
    let kept = coach.ok(Method::POST, &format!("/people/{person}/retests"), plan).await;
    assert_eq!((kept[0]["protocol_name"].as_str(), kept[0]["tests"].as_array().unwrap().len()), (Some("Four in five minutes"), 4));
    let calendar = coach.get("/retests.ics").await;
    let text = calendar.as_str().unwrap().replace("\r\n ", "");
    assert!(text.contains("Retest: Joren\\, Four in five minutes") && text.contains("Plank"), "{text}");
    let all = json!({ "weekdays": [1, 2, 3, 4, 5, 6, 7] });
    let refused = coach.refused(Method::POST, "/retests/preview", json!({ "rule": once(1), "from": today, "hard_days": all })).await;
    assert_eq!(refused.2.as_deref(), Some("hard_days"));

    // Due today: what to set up stands on Today, each thing once, with whom it is for.
    let daily = json!({ "protocol": "four-in-five-minutes", "rule": { "rule": "programme", "begins": today }, "from": today - chrono::Days::new(1) });
    coach.ok(Method::POST, &format!("/people/{person}/retests"), daily).await;
    let choice = coach.ok(Method::POST, &format!("/people/{person}/choose"), json!({})).await;
    assert_eq!(choice["battery"]["name"], "Four in five minutes");
    let page = coach.get("/today").await;
    let wanted = page["set_up"].as_array().unwrap();
    let tape = wanted.iter().find(|s| s["details"].as_array().unwrap().contains(&json!("A tape that does not stretch"))).unwrap();
    assert_eq!((tape["what"].as_str(), &tape["people"]), (Some("Tape or ruler"), &json!(["Joren"])), "{wanted:?}");

    let conditions = json!({ "waist_site": "navel" });
    let answers = json!({ "waist_site": "navel", "eyes": "open", "barefoot": true });
    let visit = begun(&coach, &person, "four-in-five-minutes", answers).await;
    typed(&coach, &person, &visit, 0, "body", json!({ "waist_cm": [92, 92.5] }), conditions).await;
    said(&coach, &visit, json!({ "kind": "closed" })).await;
    assert!(coach.get("/today").await["due"].as_array().unwrap().is_empty(), "the visit is the retest");
}

#[tokio::test]
async fn a_battery_over_all_its_dates_is_one_page_and_a_goal_is_a_line_on_the_trend() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    assert_eq!(coach.refused(Method::GET, &format!("/people/{person}/history/four-in-five-minutes"), Value::Null).await.0, 404);
    let conditions = json!({ "waist_site": "navel" });
    let answers = json!({ "waist_site": "navel", "eyes": "open", "barefoot": true });
    for waist in [98.0, 94.0] {
        let visit = begun(&coach, &person, "four-in-five-minutes", answers.clone()).await;
        typed(&coach, &person, &visit, 0, "body", json!({ "waist_cm": waist }), conditions.clone()).await;
        typed(
            &coach,
            &person,
            &visit,
            1,
            "sit-rise-floor",
            json!({ "supports_down": 1, "supports_up": 2, "wobbles_up": 0 }),
            json!({ "barefoot": true }),
        )
        .await;
        said(&coach, &visit, json!({ "kind": "closed" })).await;
    }
    // A test of its own is no part of the battery's history.
    let alone = json!({ "id": Uuid::now_v7(), "protocol": "body", "on": coach.get("/session").await["today"], "inputs": { "waist_cm": 80 }, "conditions": conditions });
    coach.ok(Method::POST, &format!("/people/{person}/results"), alone).await;
    let page = coach.get(&format!("/people/{person}/history/four-in-five-minutes")).await;
    assert_eq!(page["days"].as_array().unwrap().len(), 2);
    let waist = page["lines"].as_array().unwrap().iter().find(|l| l["quantity"] == "waist_cm").unwrap().clone();
    let values: Vec<f64> = waist["points"].as_array().unwrap().iter().map(|p| p["value"].as_f64().unwrap()).collect();
    assert_eq!(values, [98.0, 94.0], "{waist}");
    assert!(waist["detectable"].as_f64().unwrap() > 0.0 && waist["sentence"].is_string(), "{waist}");

    let by = |days: u64| chrono::Utc::now().date_naive() + chrono::Days::new(days);
    let goal = |milestones: Value| json!({ "id": Uuid::now_v7(), "protocol": "sit-rise-floor", "quantity": "score", "to": 9, "by": by(100), "milestones": milestones });
    let bad = json!([{ "on": by(120), "value": 8 }]);
    let refused = coach.refused(Method::POST, &format!("/people/{person}/goals"), goal(bad)).await;
    assert_eq!(refused.2.as_deref(), Some("milestones"));
    coach.ok(Method::POST, &format!("/people/{person}/goals"), goal(json!([{ "on": by(40), "value": 8 }]))).await;
    // The client's link has the same pictures of what was ticked, and no key of a result.
    let second = coach.get(&format!("/people/{person}")).await["visits"][0]["id"].as_str().unwrap().to_owned();
    let form = json!({ "id": Uuid::now_v7(), "days": 3, "places": [1] });
    let made = coach.ok(Method::POST, &format!("/visits/{second}/links"), form).await;
    let report = app.browser().get(&made["path"].as_str().unwrap().replace("/report/", "/reports/")).await;
    assert!(
        report["lines"].as_array().unwrap().iter().all(|l| l["protocol"] == "sit-rise-floor" && l["points"].as_array().unwrap().len() == 2)
    );
    assert!(!report["lines"].as_array().unwrap().is_empty() && !report.to_string().contains("waist"), "{report}");
    // The goal stands on the visit's page and, as its test is shown, in the link.
    let wanted = "Sit down and rise from the floor: score 9 points";
    let shown = coach.get(&format!("/visits/{second}")).await;
    assert_eq!((shown["goals"][0]["wanted"].as_str(), report["goals"][0]["wanted"].as_str()), (Some(wanted), Some(wanted)));
    let trend = coach.get(&format!("/people/{person}/trend/sit-rise-floor/score")).await;
    let line: Vec<f64> = trend["goals"][0]["line"].as_array().unwrap().iter().map(|m| m["value"].as_f64().unwrap()).collect();
    assert_eq!(line, [7.0, 8.0, 9.0], "{trend}");
}

#[tokio::test]
async fn a_client_who_thinks_in_inches_reads_inches() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = Uuid::now_v7().to_string();
    let form =
        json!({"id": person, "name": "Maud", "born": "1969-04-02", "sex": "female", "units": "imperial", "height": "5'10", "mass": "154"});
    coach.ok(Method::POST, "/people", form).await;
    let answers = json!({"regularly_active": true, "known_disease": false, "symptoms": [], "rate_limiting_drug": false});
    coach.ok(Method::POST, &format!("/people/{person}/readiness"), json!({ "answers": answers })).await;
    let answers = json!({ "waist_site": "navel", "eyes": "open", "barefoot": true });
    let mut last = Value::Null;
    for waist in [101.6, 91.44] {
        last = begun(&coach, &person, "four-in-five-minutes", answers.clone()).await;
        typed(&coach, &person, &last, 0, "body", json!({ "waist_cm": waist }), json!({ "waist_site": "navel" })).await;
        said(&coach, &last, json!({ "kind": "closed" })).await;
    }
    let page = coach.get(&format!("/visits/{}", id(&last))).await;
    let figures: Vec<&str> = page["rows"][0]["figures"].as_array().unwrap().iter().map(|f| f["value"].as_str().unwrap()).collect();
    assert!(figures.contains(&"36 in") && !page["rows"].to_string().contains(" cm"), "{figures:?}");
    let history = coach.get(&format!("/people/{person}/history/four-in-five-minutes")).await;
    let waist = history["lines"].as_array().unwrap().iter().find(|l| l["quantity"] == "waist_cm").unwrap();
    let values: Vec<f64> = waist["points"].as_array().unwrap().iter().map(|p| p["value"].as_f64().unwrap()).collect();
    assert!(waist["unit"] == "in" && (values[0] - 40.0).abs() < 1e-9 && (values[1] - 36.0).abs() < 1e-9, "{waist}");
    assert!(waist["sentence"].as_str().unwrap().contains("from 40 to 36 in"), "{waist}");
    // The coach's own pages speak the client's units too.
    let result = page["rows"][0]["result"].as_str().unwrap();
    let shown = coach.get(&format!("/results/{result}")).await;
    let waist = shown["report"]["quantities"].as_array().unwrap().iter().find(|q| q["key"] == "waist_cm").unwrap();
    assert_eq!((waist["shown"].as_str(), waist["unit"].as_str(), shown["units"].as_str()), (Some("36"), Some("in"), Some("imperial")));
    assert!((waist["typical_error"]["value"].as_f64().unwrap() - 1.0 / 2.54).abs() < 1e-9, "{waist}");
    assert!(!shown["report"]["headline"].as_str().unwrap().contains(" cm"), "{}", shown["report"]["headline"]);
    assert!(shown["progress"]["waist_cm"]["since_last"]["sentence"].as_str().unwrap().contains("40 to 36 in"), "{}", shown["progress"]);
    let trend = coach.get(&format!("/people/{person}/trend/body/waist_cm")).await;
    let line: Vec<&str> = trend["points"].as_array().unwrap().iter().map(|p| p["shown"].as_str().unwrap()).collect();
    assert_eq!((line, trend["unit"].as_str()), (vec!["40", "36"], Some("in")));
    // What is kept is what was measured.
    let results = coach.get(&format!("/people/{person}/record")).await;
    assert!(results.to_string().contains("91.44"), "{results}");
}
