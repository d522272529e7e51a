//! Many hands at once: whatever order the network makes of it, the run is the one that happened.

use std::sync::Arc;

use reqwest::Method;
use serde_json::{Value, json};
use sqlx::{Connection, PgConnection};

use crate::app::{Screen, TestApp};

/// A run with taps, a slip that is undone, and a note: what a quiet afternoon gives.
fn afternoon(screen: &mut Screen) -> Vec<Value> {
    let mut events = vec![screen.at(0, json!({"kind": "clock_started"}))];
    for k in 0..14 {
        events.push(screen.at(190 + k, json!({"kind": "tap"})));
    }
    let slip = screen.at(206, json!({"kind": "count_typed", "count": 45}));
    let slip_id = slip["id"].clone();
    events.extend([
        slip,
        screen.at(207, json!({"kind": "undone", "event": slip_id})),
        screen.at(208, json!({"kind": "noted", "text": "breathing hard"})),
        screen.at(209, json!({"kind": "count_typed", "count": 15})),
        screen.at(210, json!({"kind": "finished"})),
    ]);
    events
}

#[tokio::test]
async fn batches_repeats_and_gaps_end_in_the_run_an_undisturbed_one_gives() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let calm = coach.sets_up(&person).await;
    let mut screen = Screen::new();
    let undisturbed = coach.posts(&calm, &afternoon(&mut screen)).await["view"]["state"].clone();

    let rough = coach.sets_up(&person).await;
    let events = afternoon(&mut screen.beside());
    // Pieces as a bad line would bring them: early ones again, later ones before their turn.
    for piece in [0..1, 5..9, 0..4, 2..8, 10..12, 6..11, 0..20, 19..20] {
        let piece = &events[piece.start..piece.end.min(events.len())];
        let (status, answer) = coach.send(Method::POST, &format!("/runs/{rough}/events"), json!({ "events": piece })).await;
        assert!(status.is_success() || answer["code"] == "sequence_gap", "{status} {answer}");
    }
    let stormy = coach.get(&format!("/runs/{rough}")).await["state"].clone();
    let pick = |state: &Value| {
        [
            &state["status"],
            &state["of"]["readings"][0]["bpm"],
            &state["of"]["readings"][0]["taps"],
            &state["notes"],
            &state["decision"]["code"],
        ]
        .map(Clone::clone)
    };
    assert_eq!(pick(&stormy), pick(&undisturbed));
    assert_eq!(stormy["status"], "finished");
}

#[tokio::test]
async fn twenty_hands_that_finish_at_once_make_one_result() {
    let app = TestApp::spawn().await;
    let coach = Arc::new(app.new_practice("Harbour").await);
    let person = coach.adds("Joren").await;
    let run = coach.sets_up(&person).await;
    let mut first = Screen::new();
    coach.posts(&run, &[first.at(0, json!({"kind": "clock_started"})), first.at(206, json!({"kind": "count_typed", "count": 30}))]).await;
    let hands: Vec<_> = (0..20)
        .map(|_| {
            let (coach, run, mut screen) = (coach.clone(), run.clone(), first.beside());
            tokio::spawn(async move { coach.posts(&run, &[screen.at(210, json!({"kind": "finished"}))]).await["view"]["result"].clone() })
        })
        .collect();
    let mut results = std::collections::HashSet::new();
    for hand in hands {
        results.insert(hand.await.unwrap().as_str().unwrap().to_owned());
    }
    assert_eq!(results.len(), 1);
    let page = coach.get(&format!("/people/{person}")).await;
    assert_eq!(page["tests"].as_array().unwrap().len(), 1);
}

#[tokio::test]
async fn the_same_client_sent_by_ten_clicks_is_one_client() {
    let app = TestApp::spawn().await;
    let coach = Arc::new(app.new_practice("Harbour").await);
    let form = crate::app::person(uuid::Uuid::now_v7(), "Clicked Often");
    let clicks: Vec<_> = (0..10)
        .map(|_| {
            let (coach, form) = (coach.clone(), form.clone());
            tokio::spawn(async move { coach.ok(Method::POST, "/people", form).await })
        })
        .collect();
    for click in clicks {
        click.await.unwrap();
    }
    assert_eq!(coach.get("/people").await["total"], 1);
}

#[tokio::test]
async fn the_audit_says_who_did_what() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    coach.tests(&person, 30.0).await;
    let result = coach.get(&format!("/people/{person}")).await["tests"][0]["id"].as_str().unwrap().to_owned();
    let lines = coach.get("/practice").await["audit"]["lines"].as_array().unwrap().clone();
    let said: Vec<&str> = lines.iter().map(|l| l["did"].as_str().unwrap()).collect();
    assert_eq!(said, ["saved a result", "set up a test", "asked about readiness", "added a client"]);
    assert!(lines.iter().all(|l| l["person_name"] == "Joren" && l["coach"] == "Ada Coach"), "to whom: {lines:?}");
    assert_eq!(
        (lines[0]["link"].as_str(), lines[0]["test"].as_str()),
        (Some(format!("/results/{result}").as_str()), Some("3-minute bench step"))
    );
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    let nameless: i64 = sqlx::query_scalar("select count(*) from audit where coach_id is null").fetch_one(&mut owner).await.unwrap();
    assert_eq!(nameless, 0);
}

#[tokio::test]
async fn a_calendar_keeps_the_identity_of_its_dates_from_one_export_to_the_next() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren; the “second”, of lock 4").await;
    let today = coach.get("/session").await["today"].clone();
    let plan = |rule: &str| json!({"protocol": "bench-step-3min", "rule": {"rule": rule}, "from": today});
    coach.ok(Method::POST, &format!("/people/{person}/retests"), plan("weeks4812")).await;
    let uids = |text: &Value| {
        text.as_str().unwrap().lines().filter(|l| l.starts_with("UID:") && !l.contains("-reminder")).map(str::to_owned).collect::<Vec<_>>()
    };
    let first = uids(&coach.get("/retests.ics").await);
    assert_eq!((first.len(), &first), (3, &uids(&coach.get("/retests.ics").await)));
    // A new rule for the same test takes the place of the old one.
    coach.ok(Method::POST, &format!("/people/{person}/retests"), plan("every_three_months")).await;
    let second = uids(&coach.get("/retests.ics").await);
    assert_eq!(second.len(), 4);
    assert!(second.iter().all(|uid| !first.contains(uid)));
}
