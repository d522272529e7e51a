//! The job from intake to retest, and what makes it safe: nothing twice, nothing lost, nothing changed afterwards.

use reqwest::Method;
use serde_json::{Value, json};
use sqlx::{Connection, PgConnection};

use crate::app::{Screen, TestApp};

#[tokio::test]
async fn from_intake_to_retest() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Ødegård Lía").await;
    let first = coach.get(&format!("/results/{}", coach.tests(&person, 37.0).await)).await;
    assert_eq!(first["report"]["quantities"][0]["shown"], "49.2");
    assert_eq!(first["report"]["quantities"][1]["shown"], "148");
    assert_eq!(first["progress"]["vo2max"]["since_last"], Value::Null);

    let today = coach.get("/session").await["today"].as_str().unwrap().to_owned();
    let rule = json!({"rule": "every_weeks", "weeks": 8});
    let preview = coach.ok(Method::POST, "/retests/preview", json!({"rule": rule, "from": today})).await;
    let kept = coach
        .ok(Method::POST, &format!("/people/{person}/retests"), json!({"protocol": "bench-step-3min", "rule": rule, "from": today}))
        .await;
    assert_eq!(kept[0]["due_on"], preview["dates"][0]["on"]);
    assert_eq!(kept[0]["spoken"], "in 8 weeks");

    let second = coach.get(&format!("/results/{}", coach.tests(&person, 32.0).await)).await;
    let change = &second["progress"]["recovery_hr"]["since_last"];
    assert_eq!((change["verdict"].as_str(), change["difference"].as_f64()), (Some("clear_gain"), Some(-20.0)));
    let page = coach.get(&format!("/people/{person}")).await;
    assert!(page["story"].as_str().unwrap().contains("clearly improved"), "{}", page["story"]);
    let trend = coach.get(&format!("/people/{person}/trend/bench-step-3min/vo2max")).await;
    assert_eq!(trend["points"].as_array().unwrap().len(), 2);
    let calendar = coach.get("/retests.ics").await;
    assert!(calendar.as_str().unwrap().contains("BEGIN:VEVENT"));
}

#[tokio::test]
async fn a_batch_sent_twice_and_a_double_click_count_once() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let run = coach.sets_up(&person).await;
    let setup = crate::app::run(run.parse().unwrap(), &person);
    coach.ok(Method::POST, "/runs", setup).await;
    let mut screen = Screen::new();
    let events = [
        screen.at(0, json!({"kind": "clock_started"})),
        screen.at(208, json!({"kind": "count_typed", "count": 30})),
        screen.at(212, json!({"kind": "finished"})),
    ];
    let first = coach.posts(&run, &events).await;
    let again = coach.posts(&run, &events).await;
    assert_eq!((first["stored"].as_u64(), again["stored"].as_u64(), again["known"].as_u64()), (Some(3), Some(0), Some(3)));
    assert_eq!(first["view"]["result"], again["view"]["result"]);
    let page = coach.get(&format!("/people/{person}")).await;
    assert_eq!(page["tests"].as_array().unwrap().len(), 1);
}

#[tokio::test]
async fn a_gap_in_the_sequence_is_refused_whole_and_names_what_is_missing() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = coach.sets_up(&coach.adds("Joren").await).await;
    let mut screen = Screen::new();
    let start = screen.at(0, json!({"kind": "clock_started"}));
    let lost = screen.at(100, json!({"kind": "noted", "text": "slow"}));
    let count = screen.at(208, json!({"kind": "count_typed", "count": 30}));
    coach.posts(&run, std::slice::from_ref(&start)).await;
    let (status, answer) = coach.send(Method::POST, &format!("/runs/{run}/events"), json!({"events": [count]})).await;
    assert_eq!((status.as_u16(), answer["code"].as_str(), answer["detail"]["expected"].as_u64()), (409, Some("sequence_gap"), Some(2)));
    let view = coach.posts(&run, &[start, lost, count]).await;
    assert_eq!(view["view"]["state"]["of"]["readings"][0]["bpm"], 120.0);
}

#[tokio::test]
async fn two_screens_share_a_run_and_a_count_that_was_typed_over_changes_nothing_when_it_comes_late() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = coach.sets_up(&coach.adds("Joren").await).await;
    let mut one = Screen::new();
    let mut two = one.beside();
    coach.posts(&run, &[one.at(0, json!({"kind": "clock_started"}))]).await;
    coach.posts(&run, &[two.at(100, json!({"kind": "noted", "text": "from the other tablet"}))]).await;
    let done =
        coach.posts(&run, &[one.at(208, json!({"kind": "count_typed", "count": 30})), one.at(210, json!({"kind": "finished"}))]).await;
    assert_eq!(done["view"]["state"]["notes"], json!(["from the other tablet"]));
    // Typed a second before the one that counts, and sent after the end: it stands in the log.
    let late = coach.posts(&run, &[two.at(207, json!({"kind": "count_typed", "count": 44}))]).await;
    assert_eq!((late["late"].as_u64(), late["view"]["state"]["of"]["readings"][0]["bpm"].as_f64()), (Some(0), Some(120.0)));
    assert_eq!(late.get("changed"), None);
    let result = coach.get(&format!("/results/{}", late["view"]["result"].as_str().unwrap())).await;
    assert_eq!(result["report"]["quantities"][1]["shown"], "120");
}

#[tokio::test]
async fn a_test_stopped_early_is_kept_and_its_retest_stays_open() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Hesper").await;
    let run = coach.sets_up(&person).await;
    let mut screen = Screen::new();
    let events = [
        screen.at(0, json!({"kind": "clock_started"})),
        screen.at(112, json!({"kind": "stopped"})),
        screen.at(118, json!({"kind": "stop_explained", "reason": "symptoms", "note": "calf cramp"})),
        screen.at(120, json!({"kind": "finished"})),
    ];
    let view = coach.posts(&run, &events).await["view"].clone();
    let result = coach.get(&format!("/results/{}", view["result"].as_str().unwrap())).await;
    assert_eq!((result["stopped"]["sentence"].as_str(), &result["report"]), (Some("Stopped at 1:52: pain or symptoms."), &Value::Null));
    let day = coach.get("/today").await;
    assert_eq!(day["stopped"][0]["name"], "Hesper");
}

#[tokio::test]
async fn leaving_before_the_clock_leaves_no_result() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let run = coach.sets_up(&person).await;
    let mut screen = Screen::new();
    let view =
        coach.posts(&run, &[screen.at(0, json!({"kind": "stopped"})), screen.at(1, json!({"kind": "finished"}))]).await["view"].clone();
    assert_eq!((view["state"]["status"].as_str(), &view["result"]), (Some("finished_early"), &Value::Null));
    assert_eq!(coach.get("/today").await["open_runs"], json!([]));
}

#[tokio::test]
async fn retests_are_fulfilled_late_and_skipped_with_a_reason() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Linnea").await;
    let today: chrono::NaiveDate = coach.get("/session").await["today"].as_str().unwrap().parse().unwrap();
    let plan = json!({"protocol": "bench-step-3min", "rule": {"rule": "every_weeks", "weeks": 1}, "from": today});
    coach.ok(Method::POST, &format!("/people/{person}/retests"), plan).await;
    // Nine days go by.
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    sqlx::query("update retests set due_on = due_on - 16").execute(&mut owner).await.unwrap();
    sqlx::query("update retest_plans set from_on = from_on - 30").execute(&mut owner).await.unwrap();
    let page = coach.get("/retests").await;
    assert_eq!((page["overdue"]["lines"].as_array().unwrap().len(), page["overdue"]["lines"][0]["late_days"].as_i64()), (2, Some(9)));
    let skipped = page["overdue"]["lines"][0]["id"].as_str().unwrap();
    assert_eq!(coach.refused(Method::POST, &format!("/retests/{skipped}/skip"), json!({"reason": " "})).await.2.as_deref(), Some("reason"));
    coach.ok(Method::POST, &format!("/retests/{skipped}/skip"), json!({"reason": "ill"})).await;
    assert_eq!(coach.refused(Method::POST, &format!("/retests/{skipped}/skip"), json!({"reason": "ill"})).await.1, "already_settled");
    coach.tests(&person, 30.0).await;
    let page = coach.get("/retests").await;
    let settled: Vec<&str> = page["settled"]["lines"].as_array().unwrap().iter().map(|l| l["status"].as_str().unwrap()).collect();
    assert!(settled.contains(&"skipped") && (settled.contains(&"done") || settled.contains(&"done_late")), "{settled:?}");
}

#[tokio::test]
async fn ten_pairs_of_repeats_become_the_practices_own_typical_error() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    let mut last = String::new();
    for k in 0..10 {
        let person = coach.adds(&format!("Person {k}")).await;
        let first = coach.tests(&person, 35.0).await;
        sqlx::query("update results set on_date = on_date - 5, taken_at = taken_at - interval '5 days' where id = $1")
            .bind(first.parse::<uuid::Uuid>().unwrap())
            .execute(&mut owner)
            .await
            .unwrap();
        last = coach.tests(&person, 35.0 + f64::from(k % 3)).await;
    }
    let result = coach.get(&format!("/results/{last}")).await;
    let te = &result["report"]["quantities"][1]["typical_error"];
    assert_eq!(te["basis"], "from 10 pairs of repeats in this practice");
    // Differences 0, 4, 8, 0, 4, 8, 0, 4, 8, 0: mean 3.6, sum of squares around it 110.4, nine degrees of freedom: SD 3.5024, over √2.
    assert!((te["value"].as_f64().unwrap() - 2.4766).abs() < 1e-3, "{te}");
}

#[tokio::test]
async fn what_readiness_advises_against_needs_a_reason_that_is_kept() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Wilmot").await;
    let answers = json!({"regularly_active": false, "known_disease": false, "symptoms": [], "rate_limiting_drug": false});
    coach.ok(Method::POST, &format!("/people/{person}/readiness"), json!({"answers": answers})).await;
    let page = coach.get(&format!("/people/{person}/assess/bench-step-3min")).await;
    assert_eq!(
        (page["fit"]["verdict"].as_str(), page["fit"]["instead"]["protocol"].as_str()),
        (Some("better_choice"), Some("low-step-3min"))
    );
    let mut form = crate::app::run(uuid::Uuid::now_v7(), &person);
    assert_eq!(coach.refused(Method::POST, "/runs", form.clone()).await.2.as_deref(), Some("overrule_reason"));
    form["overrule_reason"] = json!("steps daily at work");
    coach.ok(Method::POST, "/runs", form).await;
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    let reason: String =
        sqlx::query_scalar("select overrule_reason from runs where overrule_reason is not null").fetch_one(&mut owner).await.unwrap();
    assert_eq!(reason, "steps daily at work");
}
