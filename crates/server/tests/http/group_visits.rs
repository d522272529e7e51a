//! Group visits: roll call, readiness for all, who owes, heats, what differs, and each person's own visit as if they had been alone.

use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::{Browser, Screen, TestApp, person};

/// A squad of people by name, numbered from 1, with the key of the group.
async fn squad(coach: &Browser, names: &[&str]) -> (Uuid, Vec<String>) {
    let group = Uuid::now_v7();
    coach.ok(Method::PUT, &format!("/groups/{group}"), json!({ "name": "Sabre squad" })).await;
    let mut people = Vec::new();
    for (k, name) in names.iter().enumerate() {
        let person = coach.adds(name).await;
        let member = json!({ "id": Uuid::now_v7(), "person": person, "number": (k + 1).to_string() });
        coach.ok(Method::POST, &format!("/groups/{group}/members"), member).await;
        people.push(person);
    }
    (group, people)
}

async fn begins(coach: &Browser, group: Uuid, battery: &str, conditions: Value) -> Value {
    let form = json!({ "id": Uuid::now_v7(), "battery": battery, "conditions": conditions });
    coach.ok(Method::POST, &format!("/groups/{group}/visits"), form).await
}

async fn calls(coach: &Browser, visit: &Value, people: Value) -> Value {
    coach.ok(Method::PUT, &format!("/group-visits/{}/roll", visit["id"].as_str().unwrap()), json!({ "people": people })).await
}

fn line<'v>(page: &'v Value, person: &str) -> &'v Value {
    page["roll"].as_array().unwrap().iter().find(|l| l["person"] == json!(person)).unwrap()
}

const PLANK: &str = "plank";
fn as_agreed() -> Value {
    json!({ "support": "forearm", "limit_s": "to_failure" })
}

/// A plank from paper in somebody's own visit.
async fn holds(coach: &Browser, person: &str, visit: &Value, seconds: f64) -> String {
    let today = coach.get("/session").await["today"].clone();
    let form = json!({
        "id": Uuid::now_v7(), "protocol": PLANK, "on": today, "inputs": { "seconds": seconds }, "conditions": as_agreed(),
        "visit": { "visit": visit, "place": 0 }
    });
    coach.ok(Method::POST, &format!("/people/{person}/results"), form).await["result"].as_str().unwrap().to_owned()
}

#[tokio::test]
async fn what_everybody_shares_is_corrected_for_what_comes_and_never_for_a_visit_that_is_over() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, people) = squad(&coach, &["Odd Varga", "Ines Falk"]).await;
    let run = |warm: f64| json!({ "warm_up": true, "surface": "track", "temperature_c": warm, "course_m": 40 });
    let sprints = "sprint-repeat-10x40s";
    let slip = json!({ "id": Uuid::now_v7(), "battery": sprints, "conditions": run(190.0) });
    let (status, refused) = coach.send(Method::POST, &format!("/groups/{group}/visits"), slip).await;
    assert_eq!((status, refused["field"].clone()), (StatusCode::UNPROCESSABLE_ENTITY, json!("temperature_c")));
    let visit = begins(&coach, group, sprints, run(-3.0)).await;
    let here = json!([{ "person": people[0], "presence": "here" }]);
    let own = line(&calls(&coach, &visit, here).await, &people[0])["visit"].as_str().unwrap().to_owned();

    let path = format!("/group-visits/{}/conditions", visit["id"].as_str().unwrap());
    let (status, refused) = coach.send(Method::PUT, &path, json!({ "conditions": run(600.0) })).await;
    assert_eq!((status, refused["field"].clone()), (StatusCode::UNPROCESSABLE_ENTITY, json!("temperature_c")));
    let page = coach.ok(Method::PUT, &path, json!({ "conditions": run(13.0) })).await;
    assert_eq!(page["conditions"]["temperature_c"], json!(13.0));
    // Who was called before has it too, and so has who comes later.
    let late = calls(&coach, &visit, json!([{ "person": people[1], "presence": "here" }])).await;
    let latecomer = line(&late, &people[1])["visit"].as_str().unwrap().to_owned();
    for (person, own) in people.iter().zip([own, latecomer]) {
        let assess = coach.get(&format!("/people/{person}/assess/{sprints}?visit={own}&place=0")).await;
        assert_eq!(assess["suggested"]["temperature_c"], json!(13.0), "{assess}");
    }
    coach.ok(Method::POST, &format!("/group-visits/{}/close", visit["id"].as_str().unwrap()), Value::Null).await;
    let (status, _) = coach.send(Method::PUT, &path, json!({ "conditions": run(14.0) })).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
}

#[tokio::test]
async fn the_roll_gives_everybody_who_is_here_a_visit_of_their_own() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, people) = squad(&coach, &["Odd Varga", "Ines Falk", "Ulf Terran"]).await;
    let visit = begins(&coach, group, PLANK, as_agreed()).await;
    assert_eq!((visit["uncalled"].clone(), visit["here"].clone()), (json!(3), json!(0)));
    let path = format!("/group-visits/{}/roll", visit["id"].as_str().unwrap());
    // Here but not tested needs a reason; an unknown person is nobody's.
    let (status, refused) = coach.send(Method::PUT, &path, json!({ "people": [{ "person": people[2], "presence": "not_testing" }] })).await;
    assert_eq!((status, refused["field"].clone()), (StatusCode::UNPROCESSABLE_ENTITY, json!("reason")));
    assert!(refused["message"].as_str().unwrap().contains("Ulf Terran"));
    let (status, _) = coach.send(Method::PUT, &path, json!({ "people": [{ "person": Uuid::now_v7(), "presence": "here" }] })).await;
    assert_eq!(status, StatusCode::NOT_FOUND);

    let roll = json!([
        { "person": people[0], "presence": "here" }, { "person": people[1], "presence": "absent" },
        { "person": people[2], "presence": "not_testing", "reason": "sore calf" }
    ]);
    let page = calls(&coach, &visit, roll.clone()).await;
    let again = calls(&coach, &visit, roll).await;
    assert_eq!(line(&page, &people[0])["visit"], line(&again, &people[0])["visit"], "called twice is one visit");
    assert_eq!((page["here"].clone(), page["owing"].clone(), page["uncalled"].clone()), (json!(1), json!(1), json!(0)));
    assert_eq!(line(&page, &people[2])["reason"], json!("sore calf"));
    assert_eq!(page["tests"][0]["to_come"], json!([people[0]]));

    // The visit is like any other of this person.
    let own = line(&page, &people[0])["visit"].clone();
    let result = holds(&coach, &people[0], &own, 71.0).await;
    let alone = coach.get(&format!("/visits/{}", own.as_str().unwrap())).await;
    assert_eq!((alone["person"].clone(), alone["rows"][0]["result"].clone()), (json!(people[0]), json!(result)));
    let page = coach.get(&format!("/group-visits/{}", visit["id"].as_str().unwrap())).await;
    assert_eq!((line(&page, &people[0])["done"].clone(), page["tests"][0]["done"].clone()), (json!(1), json!(1)));
    // Whoever has begun cannot be called away; who has done nothing can.
    let (status, refused) = coach.send(Method::PUT, &path, json!({ "people": [{ "person": people[0], "presence": "absent" }] })).await;
    assert_eq!((status, refused["field"].clone()), (StatusCode::UNPROCESSABLE_ENTITY, json!("presence")));
    let page = calls(&coach, &visit, json!([{ "person": people[2], "presence": "here" }])).await;
    let mistaken = line(&page, &people[2])["visit"].as_str().unwrap().to_owned();
    let page = calls(&coach, &visit, json!([{ "person": people[2], "presence": "absent" }])).await;
    assert!(line(&page, &people[2])["visit"].is_null());
    assert_eq!(coach.send(Method::GET, &format!("/visits/{mistaken}"), Value::Null).await.0, StatusCode::NOT_FOUND);
}

#[tokio::test]
async fn who_was_absent_owes_the_visit_until_one_of_their_own_takes_its_place() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, people) = squad(&coach, &["Odd Varga", "Ines Falk", "Ulf Terran"]).await;
    let visit = begins(&coach, group, PLANK, as_agreed()).await;
    let id = visit["id"].as_str().unwrap();
    let page = calls(&coach, &visit, json!([{ "person": people[0], "presence": "here" }])).await;
    holds(&coach, &people[0], &line(&page, &people[0])["visit"], 60.0).await;
    let closed = coach.ok(Method::POST, &format!("/group-visits/{id}/close"), json!({})).await;
    assert_eq!((closed["closed"].clone(), closed["owing"].clone()), (json!(true), json!(2)), "who was never called was not here");
    let own = coach.get(&format!("/visits/{}", line(&closed, &people[0])["visit"].as_str().unwrap())).await;
    assert_eq!(own["closed"], json!(true));

    // A second date for both, then one of them does it.
    let today: chrono::NaiveDate = coach.get("/session").await["today"].as_str().unwrap().parse().unwrap();
    let on = json!({ "on": today + chrono::Days::new(7) });
    coach.ok(Method::POST, &format!("/group-visits/{id}/second-date"), on.clone()).await;
    let due = coach.get(&format!("/people/{}", people[1])).await["retests"].clone();
    assert_eq!((due[0]["protocol"].clone(), due[0]["due_on"].clone()), (json!(PLANK), on["on"].clone()));
    assert_eq!(coach.get(&format!("/people/{}", people[0])).await["retests"], json!([]), "who was here owes nothing");
    let (status, past) = coach.send(Method::POST, &format!("/group-visits/{id}/second-date"), json!({ "on": today })).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{past}");

    let road = format!("/group-visits/{id}/roll/{}/visit", people[1]);
    let made_up = coach.ok(Method::POST, &road, json!({})).await["visit"].clone();
    assert_eq!(coach.ok(Method::POST, &road, json!({})).await["visit"], made_up, "asked twice is one visit");
    holds(&coach, &people[1], &made_up, 55.0).await;
    let page = coach.get(&format!("/group-visits/{id}")).await;
    assert_eq!((page["owing"].clone(), line(&page, &people[1])["done"].clone()), (json!(1), json!(1)));
    let (status, _) = coach.send(Method::POST, &format!("/group-visits/{id}/roll/{}/visit", people[0]), json!({})).await;
    assert_eq!(status, StatusCode::OK, "who was here has a visit already");
}

#[tokio::test]
async fn readiness_is_asked_of_each_and_one_reason_admits_nobody_else() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, mut people) = squad(&coach, &[]).await;
    for name in ["Odd Varga", "Ines Falk"] {
        let id = Uuid::now_v7();
        coach.ok(Method::POST, "/people", person(id, name)).await;
        coach.ok(Method::POST, &format!("/groups/{group}/members"), json!({ "id": Uuid::now_v7(), "person": id })).await;
        people.push(id.to_string());
    }
    // A 12-minute run is vigorous; nobody trains.
    let conditions = json!({ "warm_up": true, "lap_m": 400, "course": "quay loop" });
    let visit = begins(&coach, group, "run-12min", conditions).await;
    let here: Vec<Value> = people.iter().map(|p| json!({ "person": p, "presence": "here" })).collect();
    let page = calls(&coach, &visit, json!(here)).await;
    let asked = |page: &Value, k: usize| line(page, &people[k])["readiness"].clone();
    assert_eq!((asked(&page, 0)["asked"].clone(), asked(&page, 0)["may_repeat"].clone()), (json!(false), json!(false)));
    let id = visit["id"].as_str().unwrap();
    let again = format!("/group-visits/{id}/readiness");
    let who = |k: usize| json!({ "people": [people[k]] });
    let (status, nothing) = coach.send(Method::POST, &again, who(0)).await;
    assert_eq!((status, nothing["field"].clone()), (StatusCode::UNPROCESSABLE_ENTITY, json!("answers")));

    let answers = json!({ "regularly_active": false, "known_disease": false, "symptoms": [], "rate_limiting_drug": false });
    for who in &people {
        coach.ok(Method::POST, &format!("/people/{who}/readiness"), json!({ "answers": answers })).await;
    }
    let body = json!({ "answers": answers, "overrule_reason": "supervised block" });
    coach.ok(Method::POST, &format!("/people/{}/readiness", people[0]), body).await;
    let page = coach.get(&format!("/group-visits/{id}")).await;
    assert_eq!(asked(&page, 0)["reason"], json!("supervised block"));
    assert_eq!(asked(&page, 1)["reason"], Value::Null);
    assert!(asked(&page, 1)["against"].as_array().unwrap().iter().any(|a| a["tests"][0] == json!("12-minute run")), "{page}");
    // What was said is said again without asking anew.
    let page = coach.ok(Method::POST, &again, who(1)).await;
    assert_eq!(asked(&page, 1)["asked"], json!(true));
}

#[tokio::test]
async fn heats_and_what_differs_for_one() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, people) = squad(&coach, &["Odd Varga", "Ines Falk", "Ulf Terran", "Senna Pryde"]).await;
    let visit = begins(&coach, group, PLANK, as_agreed()).await;
    let id = visit["id"].as_str().unwrap();
    let here: Vec<Value> = people.iter().map(|p| json!({ "person": p, "presence": "here" })).collect();
    let page = calls(&coach, &visit, json!(here)).await;
    for (k, seconds) in [50.0, 90.0, 70.0].into_iter().enumerate() {
        holds(&coach, &people[k], &line(&page, &people[k])["visit"], seconds).await;
    }
    let heats = |by: &str, size: usize| json!({ "by": by, "size": size });
    let of = |page: &Value| people.iter().map(|p| line(page, p)["heat"].as_u64()).collect::<Vec<_>>();
    let page = coach.ok(Method::POST, &format!("/group-visits/{id}/heats"), heats("alike", 2)).await;
    assert_eq!(of(&page), [Some(2), Some(1), Some(1), Some(2)], "90 and 70 together; who has no result goes last");
    let page = coach.ok(Method::POST, &format!("/group-visits/{id}/heats"), heats("number", 3)).await;
    assert_eq!(of(&page), [Some(1), Some(1), Some(2), Some(2)]);
    assert_eq!(of(&coach.ok(Method::POST, &format!("/group-visits/{id}/heats"), heats("number", 0)).await), [None; 4]);
    let (status, _) = coach.send(Method::POST, &format!("/group-visits/{id}/heats"), heats("number", 41)).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);

    let member = line(&page, &people[0])["member"].as_str().unwrap();
    let set_up = format!("/groups/{group}/members/{member}/set-up");
    coach.ok(Method::PUT, &set_up, json!({ "conditions": { "support": "straight_arm" } })).await;
    let page = coach.get(&format!("/group-visits/{id}")).await;
    assert_eq!(line(&page, &people[0])["set_up"], json!({ "support": "straight_arm" }));
    assert_eq!(line(&page, &people[1])["set_up"], json!({}));
    for wrong in [json!({ "support": "ceiling" }), json!({ "nothing": 1 })] {
        let (status, _) = coach.send(Method::PUT, &set_up, json!({ "conditions": wrong })).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    }
}

/// A class step of three: one stays uncounted; the results fill each one's own visit, and nobody else's is touched.
#[tokio::test]
async fn a_test_of_many_fills_a_place_in_each_persons_visit() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, people) = squad(&coach, &["Odd Varga", "Ines Falk", "Ulf Terran"]).await;
    let visit = begins(&coach, group, "class-step-3min", json!({ "bench_cm": 30, "pulse_site": "wrist", "warm_up": true })).await;
    let id = visit["id"].as_str().unwrap();
    let run = Uuid::now_v7();
    let form = |who: &[String]| json!({ "id": run, "people": who, "protocol": "class-step-3min", "conditions": {}, "group": { "visit": id, "place": 0 } });
    // Nobody was called yet.
    let (status, refused) = coach.send(Method::POST, "/runs", form(&people)).await;
    assert_eq!((status, refused["field"].clone()), (StatusCode::UNPROCESSABLE_ENTITY, json!("people")), "{refused}");
    let here: Vec<Value> = people.iter().map(|p| json!({ "person": p, "presence": "here" })).collect();
    calls(&coach, &visit, json!(here)).await;
    let begun = coach.ok(Method::POST, "/runs", form(&people)).await;
    assert_eq!(begun["performers"].as_array().unwrap().len(), 3);
    let page = coach.get(&format!("/group-visits/{id}")).await;
    assert_eq!((page["tests"][0]["runs"].clone(), page["tests"][0]["to_come"].clone()), (json!([run]), json!([])));
    let (status, open) = coach.send(Method::POST, &format!("/group-visits/{id}/close"), json!({})).await;
    assert_eq!((status, open["field"].clone()), (StatusCode::UNPROCESSABLE_ENTITY, json!("runs")));

    let mut screen = Screen::new();
    let counted = |slot: u16, count: f64| json!({ "kind": "count_typed", "count": count, "slot": slot });
    let events = [
        screen.at(0, json!({ "kind": "clock_started" })),
        screen.at(203, counted(0, 24.0)),
        screen.at(204, counted(2, 27.0)),
        screen.at(230, json!({ "kind": "finished" })),
    ];
    coach.posts(&run.to_string(), &events).await;
    let page = coach.get(&format!("/group-visits/{id}")).await;
    assert_eq!(people.iter().map(|p| line(&page, p)["done"].clone()).collect::<Vec<_>>(), [json!(1), json!(0), json!(1)]);
    assert_eq!(page["tests"][0]["to_come"], json!([people[1]]), "who was not counted has it to do again");
    let own = coach.get(&format!("/visits/{}", line(&page, &people[2])["visit"].as_str().unwrap())).await;
    assert_eq!(own["rows"][0]["stand"], json!("done"));
}

/// A jump of three on one grid, from two devices: each one's best, who goes last, what is left to come.
#[tokio::test]
async fn a_grid_of_two_devices_saves_each_ones_tries_into_their_own_visit() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, people) = squad(&coach, &["Odd Varga", "Ines Falk", "Ulf Terran"]).await;
    let visit = begins(&coach, group, "vertical-jump", json!({ "arms": "swing", "warm_up": true })).await;
    let id = visit["id"].as_str().unwrap();
    let here: Vec<Value> = people.iter().map(|p| json!({ "person": p, "presence": "here" })).collect();
    calls(&coach, &visit, json!(here)).await;
    let run = Uuid::now_v7();
    let form = json!({ "id": run, "people": people, "protocol": "vertical-jump", "conditions": {}, "group": { "visit": id, "place": 0 } });
    let begun = coach.ok(Method::POST, "/runs", form).await;
    // The whole visit has one code.
    assert_eq!((begun["grid"]["up"].clone(), begun["join_code"].clone()), (json!([0, 1, 2]), visit["join_code"].clone()));
    let mut one = Screen::new();
    let mut two = one.beside();
    let taken = |slot: u16, input: &str, value: f64| json!({ "kind": "taken", "input": input, "value": value, "slot": slot });
    let first = [
        one.at(0, json!({ "kind": "clock_started" })),
        one.at(5, taken(0, "reach_cm", 230.0)),
        one.at(9, taken(0, "touch_cm", 276.0)),
        one.at(12, json!({ "kind": "passed", "input": "touch_cm", "slot": 0 })),
        one.at(15, json!({ "kind": "put_last", "slot": 1 })),
    ];
    coach.posts(&run.to_string(), &first).await;
    let second = [two.at(6, taken(2, "reach_cm", 221.0)), two.at(11, taken(2, "touch_cm", 259.5)), two.at(14, taken(2, "touch_cm", 262.0))];
    let view = coach.posts(&run.to_string(), &second).await["view"].clone();
    let line = |slot: usize| view["grid"]["lines"][slot].clone();
    assert_eq!(
        (line(0)["best"].clone(), line(1)["best"].clone(), line(2)["best"].clone()),
        (json!("46.0 cm"), Value::Null, json!("41.0 cm"))
    );
    assert_eq!(view["grid"]["up"], json!([0, 2, 1]), "who was put last goes after the others");
    // A value that cannot be, and one try too many, are refused with their words; nothing else is lost.
    let path = format!("/runs/{run}/events");
    let (status, refused) = coach.send(Method::POST, &path, json!({ "events": [one.beside().at(20, taken(0, "touch_cm", 2.6))] })).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{refused}");
    coach.posts(&run.to_string(), &[one.at(30, json!({ "kind": "finished" }))]).await;
    let page = coach.get(&format!("/group-visits/{id}")).await;
    assert_eq!(page["tests"][0]["to_come"], json!([people[1]]));
    for (k, jump) in [(0, 46.0), (2, 41.0)] {
        let own = coach.get(&format!("/visits/{}", self::line(&page, &people[k])["visit"].as_str().unwrap())).await;
        let result = coach.get(&format!("/results/{}", own["rows"][0]["result"].as_str().unwrap())).await;
        assert_eq!(result["report"]["quantities"][0]["value"], json!(jump), "{}", result["report"]["quantities"]);
    }
}

/// Two tests of one lesson beside each other: a phone reaches the one of whom it counts for, and what it sends stays there.
#[tokio::test]
async fn partners_of_two_tests_at_once_each_reach_the_test_of_theirs() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, people) = squad(&coach, &["Odd Varga", "Ines Falk", "Ulf Terran", "Pia Dahl"]).await;
    let visit = begins(&coach, group, "vertical-jump", json!({ "arms": "swing", "warm_up": true })).await;
    let id = visit["id"].as_str().unwrap();
    let here: Vec<Value> = people.iter().map(|p| json!({ "person": p, "presence": "here" })).collect();
    calls(&coach, &visit, json!(here)).await;
    let code = visit["join_code"].as_str().unwrap();
    let begins = async |of: &[String], screen: &mut Screen| {
        let run = Uuid::now_v7();
        let form = json!({ "id": run, "people": of, "protocol": "vertical-jump", "conditions": {}, "group": { "visit": id, "place": 0 } });
        let begun = coach.ok(Method::POST, "/runs", form).await;
        coach.posts(&run.to_string(), &[screen.at(0, json!({ "kind": "clock_started" }))]).await;
        (run.to_string(), begun["performers"][1]["tag"].as_str().unwrap().to_owned())
    };
    let mut teacher = Screen::new();
    let (first, falk) = begins(&people[..2], &mut teacher).await;
    let (second, dahl) = begins(&people[2..], &mut teacher.beside()).await;

    let phone = app.browser();
    let names: Vec<Value> =
        phone.get(&format!("/join/{code}/people")).await.as_array().unwrap().iter().map(|p| p["name"].clone()).collect();
    assert_eq!(names, ["Ulf Terran", "Pia Dahl", "Odd Varga", "Ines Falk"]);
    let of = async |query: &str| phone.get(&format!("/join/{code}{query}")).await["id"].clone();
    assert_eq!((of("").await, of(&format!("?tag={dahl}")).await), (json!(second), json!(second)));
    assert_eq!((of(&format!("?tag={falk}")).await, of(&format!("?run={first}")).await), (json!(first), json!(first)));
    // The second of each: the same slot in both tests.
    let reach = |cm: f64| json!({ "kind": "taken", "input": "reach_cm", "value": cm, "slot": 1 });
    let mut screen = teacher.beside();
    let path = format!("/join/{code}/events?run={first}");
    phone.ok(Method::POST, &path, json!({ "events": [screen.at(20, reach(221.0))] })).await;
    let taken = async |run: &str| coach.get(&format!("/runs/{run}")).await["grid"]["lines"][1]["cells"][0].clone();
    assert_eq!((taken(&first).await[0]["value"].clone(), taken(&second).await), (json!(221.0), json!([])));
    // The first is over: what comes for it is refused and lands nowhere else.
    coach.posts(&first, &[teacher.at(40, json!({ "kind": "stopped" }))]).await;
    let late = json!({ "events": [screen.at(50, reach(222.0))] });
    let (status, why, _) = phone.refused(Method::POST, &path, late).await;
    assert_eq!((status, why.as_str()), (403, "not_a_partners"));
    let (status, why, _) = phone.refused(Method::GET, &format!("/join/{code}?run={}", Uuid::now_v7()), Value::Null).await;
    assert_eq!((status, why.as_str()), (404, "unknown_code"));
    assert_eq!(taken(&second).await, json!([]));
}

/// A result of the only test of a visit, as a list sends it.
fn listed(id: Uuid, person: &str, seconds: &[f64]) -> Value {
    json!({ "id": id, "person": person, "place": 0, "cells": [{ "input": "seconds", "tries": seconds }] })
}

#[tokio::test]
async fn a_list_of_results_is_stored_whole_or_not_at_all() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, people) = squad(&coach, &["Odd Varga", "Ines Falk", "Ulf Terran"]).await;
    let visit = begins(&coach, group, PLANK, as_agreed()).await;
    let (roll, sheet) =
        (calls(&coach, &visit, json!([{ "person": people[2], "presence": "absent" }])).await, visit["id"].as_str().unwrap());
    assert_eq!(roll["uncalled"], json!(2));
    let path = format!("/group-visits/{sheet}/sheet");
    let shown = coach.get(&path).await;
    assert_eq!(shown["tests"][0]["columns"][0]["input"], json!("seconds"));
    assert_eq!(shown["lines"].as_array().unwrap().len(), 3);
    assert!(shown["lines"][2]["out"].as_str().unwrap().contains("Ulf Terran is absent"));

    // One of them is wrong, one is absent, one stands twice: each is named, and nothing is stored.
    let first = listed(Uuid::now_v7(), &people[0], &[61.0]);
    let wrong = json!([
        first,
        listed(Uuid::now_v7(), &people[1], &[99_999_999.0]),
        listed(Uuid::now_v7(), &people[2], &[40.0]),
        listed(Uuid::now_v7(), &people[0], &[62.0])
    ]);
    let (status, refused) = coach.send(Method::POST, &path, json!({ "results": wrong })).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    let faults = refused["detail"]["faults"].as_array().unwrap();
    let named: Vec<(&str, &str)> =
        faults.iter().map(|f| (f["person"].as_str().unwrap(), f["field"].as_str().unwrap_or_default())).collect();
    assert_eq!(named, [(people[1].as_str(), "seconds"), (people[2].as_str(), ""), (people[0].as_str(), "")]);
    assert!(coach.get(&format!("/people/{}", people[0])).await["measures"].as_array().unwrap().is_empty());

    // All right: both are called here, and each has a result in a visit of their own; sent again it is the same.
    let right = json!({ "results": [first, listed(Uuid::now_v7(), &people[1], &[40.5])] });
    for _ in 0..2 {
        let page = coach.ok(Method::POST, &path, right.clone()).await;
        assert_eq!((page["here"].clone(), page["tests"][0]["done"].clone()), (json!(2), json!(2)));
    }
    let shown = coach.get(&path).await;
    assert_eq!(shown["lines"][0]["tests"][0], json!({ "place": 0, "done": true, "asked": [true, true, true], "tries": [[61.0], [], []] }));
    let again = json!({ "results": [listed(Uuid::now_v7(), &people[0], &[63.0])] });
    let (status, refused) = coach.send(Method::POST, &path, again).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(refused["message"].as_str().unwrap().contains("has a result of Plank in this visit already"));
    // Another practice sees none of it.
    let other = app.new_practice("Elsewhere").await;
    assert_eq!(other.send(Method::GET, &path, Value::Null).await.0, StatusCode::NOT_FOUND);
}

#[tokio::test]
async fn a_list_of_results_has_an_end_and_follows_the_one_before() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, people) = squad(&coach, &["Odd Varga", "Ines Falk"]).await;
    let mut days = Vec::new();
    for seconds in [60.0, 62.0] {
        let visit = begins(&coach, group, PLANK, as_agreed()).await;
        let path = format!("/group-visits/{}", visit["id"].as_str().unwrap());
        let results: Vec<Value> = people.iter().map(|p| listed(Uuid::now_v7(), p, &[seconds])).collect();
        coach.ok(Method::POST, &format!("{path}/sheet"), json!({ "results": results })).await;
        days.push(coach.ok(Method::POST, &format!("{path}/close"), Value::Null).await);
    }
    assert!(days.iter().all(|d| d["tests"][0]["done"] == json!(2)));
    let too_many: Vec<Value> = (0..5001).map(|_| listed(Uuid::now_v7(), &people[0], &[1.0])).collect();
    let visit = begins(&coach, group, PLANK, as_agreed()).await;
    let path = format!("/group-visits/{}/sheet", visit["id"].as_str().unwrap());
    let (status, refused) = coach.send(Method::POST, &path, json!({ "results": too_many })).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{refused}");
    assert!(refused["message"].as_str().unwrap().contains("5000 is the most"), "{refused}");
}

#[tokio::test]
async fn the_results_of_a_group_show_any_session_beside_the_last_one_that_was_done_alike() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, people) = squad(&coach, &["Odd Varga"]).await;
    let mut sessions = Vec::new();
    // The fourth and fifth are done otherwise.
    for k in 0..6 {
        let support = if (3..5).contains(&k) { "straight_arm" } else { "forearm" };
        let visit = begins(&coach, group, PLANK, json!({ "support": support, "limit_s": "to_failure" })).await;
        let path = format!("/group-visits/{}", visit["id"].as_str().unwrap());
        let result = listed(Uuid::now_v7(), &people[0], &[60.0 + f64::from(k)]);
        coach.ok(Method::POST, &format!("{path}/sheet"), json!({ "results": [result] })).await;
        coach.ok(Method::POST, &format!("{path}/close"), Value::Null).await;
        sessions.push(visit["id"].as_str().unwrap().to_owned());
    }
    let last = |shown: &str| Some(shown.to_owned());
    let expected = [
        (60.0, None, false),
        (61.0, last("1:00"), false),
        (62.0, last("1:01"), false),
        (63.0, last("1:02"), true),
        (64.0, last("1:03"), false),
        (65.0, last("1:02"), false),
    ];
    // Within one day, and with half a year from each to the next.
    for _ in 0..2 {
        for (session, expected) in sessions.iter().zip(&expected) {
            let standing = coach.get(&format!("/groups/{group}/standing?visit={session}")).await;
            let cell = &standing["lines"][0]["cells"][0];
            let seen = (cell["value"].as_f64().unwrap(), cell["last"].as_str().map(str::to_owned), cell["verdict"] == "not_comparable");
            assert_eq!(&seen, expected);
        }
        let apart = "with apart as (select id, row_number() over (order by taken_at desc) * interval '180 days' as by from results),
                          moved as (update results r set on_date = (r.on_date - by)::date, taken_at = r.taken_at - by
                                    from apart where apart.id = r.id returning r.id)
                     select count(*) from moved";
        assert_eq!(app.count(apart).await, 6);
    }
}

#[tokio::test]
async fn a_playing_group_runs_its_own_distance_and_is_compared_with_its_like() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, people) = squad(&coach, &["Odd Varga", "Ines Falk", "Ulf Terran"]).await;
    let members = coach.get(&format!("/groups/{group}")).await["members"].as_array().unwrap().clone();
    for (k, member) in members.iter().enumerate() {
        let change = json!({ "playing_group": if k == 0 { "back" } else { "front" }, "number": (k + 1).to_string() });
        coach.ok(Method::PUT, &format!("/groups/{group}/members/{}", member["id"].as_str().unwrap()), change).await;
    }
    let path = format!("/groups/{group}/set-up");
    for (playing, distance, members) in [("front", "m800", 2), ("back", "m1500", 1)] {
        let form = json!({ "playing_group": playing, "conditions": { "last_run": distance } });
        assert_eq!(coach.ok(Method::PUT, &path, form).await["members"], members);
    }
    let nobody = json!({ "playing_group": "bench", "conditions": { "last_run": "m800" } });
    assert_eq!(coach.refused(Method::PUT, &path, nobody).await.0, 422);
    let unknown = json!({ "playing_group": "front", "conditions": { "weather": "fine" } });
    assert_eq!(coach.refused(Method::PUT, &path, unknown).await.0, 422);

    let visit = begins(&coach, group, "sprint-ladder", json!({ "warm_up": true, "surface": "track", "temperature_c": 12 })).await;
    let sheet = coach.get(&format!("/group-visits/{}/sheet", visit["id"].as_str().unwrap())).await;
    let columns: Vec<&str> = sheet["tests"][0]["columns"].as_array().unwrap().iter().map(|c| c["input"].as_str().unwrap()).collect();
    let asked = |person: &str| {
        let line = sheet["lines"].as_array().unwrap().iter().find(|l| l["person"] == json!(person)).unwrap();
        let own = line["tests"][0]["asked"].as_array().unwrap().clone();
        columns.iter().zip(own).filter(|(_, asked)| *asked == json!(true)).map(|(c, _)| (*c).to_owned()).collect::<Vec<_>>()
    };
    assert_eq!(asked(&people[0]), ["time_100_s", "time_400_s", "time_1500_s"]);
    assert_eq!(asked(&people[1]), ["time_100_s", "time_400_s", "time_800_s"]);
}

#[tokio::test]
async fn who_stopped_with_symptoms_is_held_back_until_readiness_is_asked_again() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (group, people) = squad(&coach, &["Odd Varga", "Ines Falk"]).await;
    let own = Uuid::now_v7();
    let tests = json!([{ "protocol": PLANK }, { "protocol": "vertical-jump" }]);
    let battery = coach.ok(Method::PUT, &format!("/batteries/{own}"), json!({ "id": own, "name": "Two", "tests": tests })).await;
    let conditions = json!({ "support": "forearm", "limit_s": "to_failure", "arms": "swing", "warm_up": true });
    let visit = begins(&coach, group, battery["battery"]["id"].as_str().unwrap(), conditions).await;
    let here = json!([{ "person": people[0], "presence": "here" }, { "person": people[1], "presence": "here" }]);
    let page = calls(&coach, &visit, here).await;
    assert_eq!(page["tests"][1]["held"], json!([]));
    // Stopped with symptoms in the plank of their own visit.
    let own = line(&page, &people[0])["visit"].clone();
    let run = Uuid::now_v7();
    let form =
        json!({ "id": run, "people": [people[0]], "protocol": PLANK, "conditions": as_agreed(), "visit": { "visit": own, "place": 0 } });
    coach.ok(Method::POST, "/runs", form).await;
    let mut screen = Screen::new();
    let events = [
        screen.at(0, json!({ "kind": "clock_started" })),
        screen.at(9, json!({ "kind": "stopped" })),
        screen.at(9, json!({ "kind": "stop_explained", "reason": "symptoms" })),
    ];
    coach.posts(&run.to_string(), &events).await;
    coach.posts(&run.to_string(), &[screen.at(10, json!({ "kind": "finished" }))]).await;

    let path = format!("/group-visits/{}", visit["id"].as_str().unwrap());
    let page = coach.get(&path).await;
    assert_eq!((&page["tests"][1]["held"], &page["tests"][1]["to_come"]), (&json!([people[0]]), &json!([people[1]])));
    assert!(
        line(&page, &people[0])["readiness"]["against"][0]["because"].as_str().unwrap().starts_with("Stopped with pain or symptoms today")
    );
    let jump = |reason: Option<&str>| {
        json!({
            "id": Uuid::now_v7(), "people": [people[0]], "protocol": "vertical-jump", "conditions": { "arms": "swing", "warm_up": true },
            "overrule_reason": reason
        })
    };
    assert_eq!(coach.refused(Method::POST, "/runs", jump(None)).await.2.as_deref(), Some("overrule_reason"));
    // Asked again and well, they go on; nobody else was held.
    let answers = json!({"regularly_active": true, "known_disease": false, "symptoms": [], "rate_limiting_drug": false});
    coach.ok(Method::POST, &format!("/people/{}/readiness", people[0]), json!({ "answers": answers })).await;
    assert_eq!(coach.get(&path).await["tests"][1]["held"], json!([]));
    coach.ok(Method::POST, "/runs", jump(None)).await;
}
