//! Runs to beeps over HTTP: the schedule, what is refused, and the scores as they are stored.

use reqwest::Method;
use serde_json::json;
use uuid::Uuid;

use crate::app::{Browser, Screen, TestApp};

/// A run to beeps of so many people, set up an hour ago by the screen's clock.
async fn run(coach: &Browser, protocol: &str, many: usize, conditions: serde_json::Value) -> (String, Vec<String>) {
    let mut people = Vec::new();
    for k in 0..many {
        people.push(coach.adds(&format!("Runner {}", char::from(b'A' + k as u8))).await);
    }
    let id = Uuid::now_v7().to_string();
    let form = json!({"id": id, "people": people, "protocol": protocol, "conditions": conditions});
    coach.ok(Method::POST, "/runs", form).await;
    (id, people)
}

#[tokio::test]
async fn the_schedule_of_a_run_is_handed_out_and_nobody_else_s_test_has_one() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let shared = json!({"warm_up": true, "beep_rule": "consecutive", "start_kmh": 10, "wind": "none", "wet": false});
    let (id, _) = run(&coach, "interval-30-15", 2, shared.clone()).await;
    let course = coach.get(&format!("/runs/{id}/beeps")).await;
    assert_eq!((course["by_clock"].as_bool(), course["leg_m"].as_f64()), (Some(true), Some(20.0)));
    let judged = course["marks"].as_array().unwrap().iter().find(|m| m["beep"] == 1).unwrap();
    assert_eq!((judged["line"].as_str(), judged["at_s"].as_f64()), (Some("B"), Some(7.2)));
    let says = |words: &str| course["calls"].as_array().unwrap().iter().any(|c| c["say"].as_str().unwrap().contains(words));
    assert!(says("Next start: B, towards C") && says("Five seconds.") && says("10 kilometres an hour."));
    let person = coach.adds("Someone Else").await;
    let hold = Uuid::now_v7();
    let form = json!({"id": hold, "people": [person], "protocol": "plank", "conditions": {"support": "forearm", "limit_s": "to_failure"}});
    coach.ok(Method::POST, "/runs", form).await;
    assert_eq!(coach.raw(Method::GET, &format!("/runs/{hold}/beeps")).await.status(), 404);
    let mut odd = shared;
    odd["start_kmh"] = json!(9.9);
    let form = json!({"id": Uuid::now_v7(), "people": [person], "protocol": "interval-30-15", "conditions": odd});
    let (status, body) = coach.send(Method::POST, "/runs", form).await;
    assert!(status == 422 && body.to_string().contains("9.5 and 10 km/h"), "{status} {body}");
}

#[tokio::test]
async fn misses_take_runners_out_and_each_score_is_stored() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let shared = json!({"warm_up": true, "beep_rule": "consecutive", "wind": "none", "wet": false});
    let (id, people) = run(&coach, "shuttle-recovery-1", 2, shared).await;
    let mut screen = Screen::begun_minutes_ago(60);
    // Ten seconds of count-in; the first finishes at 14.4, 36.4 and 57.5 s of the schedule.
    let missed = |slot: u16| json!({"kind": "line_missed", "slot": slot});
    let events =
        [screen.at(0, json!({"kind": "clock_started"})), screen.at(47, missed(0)), screen.at(68, missed(0)), screen.at(69, missed(1))];
    let board = coach.posts(&id, &events).await["view"]["board"].clone();
    assert_eq!((board["kind"].as_str(), board["tiles"][0]["shown"].as_str()), (Some("line"), Some("40 m")), "{board}");
    assert_eq!(board["tiles"][1]["missed"], 3);
    let again = screen.beside().at(90, missed(0));
    let (status, body) = coach.send(Method::POST, &format!("/runs/{id}/events"), json!({"events": [again]})).await;
    assert!(body.to_string().contains("is out already"), "{status} {body}");
    let ends = [screen.at(95, json!({"kind": "left_run", "slot": 1, "reason": "volitional"})), screen.at(99, json!({"kind": "finished"}))];
    coach.posts(&id, &ends).await;
    // The second made the line after the one that was missed.
    for (person, metres) in people.iter().zip(["40 m", "160 m"]) {
        let page = coach.get(&format!("/people/{person}")).await.to_string();
        assert!(page.contains(metres), "{metres}: {page}");
    }
}

#[tokio::test]
async fn forty_one_runners_are_one_too_many() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let people: Vec<Uuid> = (0..41).map(|_| Uuid::now_v7()).collect();
    let form = json!({"id": Uuid::now_v7(), "people": people, "protocol": "shuttle-20m", "conditions": {}});
    let (status, body) = coach.send(Method::POST, "/runs", form).await;
    assert!(status == 422 && body.to_string().contains("up to 40 people"), "{status} {body}");
}

#[tokio::test]
async fn a_rehearsed_squad_is_told_runner_by_runner_and_stands_on_nobodys_record() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let id = Uuid::now_v7();
    coach.ok(Method::POST, "/rehearsals", json!({"id": id, "protocol": "shuttle-20m", "rate": 2, "seed": 3})).await;
    let squad = coach.get(&format!("/rehearsals/{id}/squad")).await;
    let late = |slot: usize, beep: usize| squad[slot]["late_s"][beep].as_f64();
    assert_eq!(squad.as_array().unwrap().len(), 14);
    let mut screen = Screen::new();
    let run = id.to_string();
    coach.posts(&run, &[screen.at(0, json!({"kind": "clock_started"}))]).await;
    // Somebody who makes the first line is tapped half a second after it (8.5 s after ten of count-in); then it is over for all.
    let made = (0..14).find(|slot| late(*slot, 0).is_some_and(|s| s < 0.0)).unwrap();
    let mut events = vec![screen.at(19, json!({"kind": "line_missed", "slot": made}))];
    events.extend((0..14).map(|slot| screen.at(40, json!({"kind": "left_run", "reason": "assessor", "slot": slot}))));
    events.push(screen.at(42, json!({"kind": "finished"})));
    let report = coach.posts(&run, &events).await["view"]["rehearsal"]["report"].clone();
    assert_eq!(report["readings"].as_array().map(Vec::len), Some(14), "{report}");
    assert!(report["faults"].as_array().unwrap().iter().any(|f| f["then"] == "You recorded a miss."), "{report}");
    assert_eq!(report["unit"], "m");
    assert!(coach.get("/people").await["people"].as_array().unwrap().is_empty());
    assert_eq!(coach.raw(Method::GET, &format!("/rehearsals/{}/squad", Uuid::now_v7())).await.status(), 404);
}
