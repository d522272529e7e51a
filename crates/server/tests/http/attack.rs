//! What an attack tried, and what it finds now. Each test is named after the harm it did.

use std::time::Duration;

use chrono::{TimeDelta, Utc};
use impulso::settings::{Settings, limits};
use reqwest::{Client, Method, header};
use serde_json::{Value, json};
use sqlx::{Connection, PgConnection};
use uuid::Uuid;

use crate::{
    app::{Screen, TestApp, person, serve_set},
    line::Line,
};

fn strap(bpm: u8) -> Value {
    json!({"kind": "strap_heard", "bytes": format!("00{bpm:02x}")})
}

#[tokio::test]
async fn an_event_of_another_age_is_refused_by_the_clock_it_comes_from() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = coach.sets_up(&coach.adds("Someone").await).await;
    let path = format!("/runs/{run}/events");
    let mut screen = Screen::new();
    coach.posts(&run, &[screen.at(0, json!({"kind": "clock_started"}))]).await;
    for wall in ["+262000-01-01T00:00:00Z", "2199-01-01T00:00:00Z", "1999-01-01T00:00:00Z"] {
        for kind in [strap(120), json!({"kind": "clock_started"})] {
            let mut event = screen.beside().at(1, kind);
            event["wall"] = json!(wall);
            let (status, answer) = coach.send(Method::POST, &path, json!({"events": [event]})).await;
            assert_eq!((status.as_u16(), answer["field"].as_str()), (422, Some("wall")), "{wall}: {answer}");
            assert!(answer["message"].as_str().unwrap().contains("clock of this screen"));
        }
    }
    assert!(coach.get(&format!("/runs/{run}")).await.to_string().len() < 20_000);
}

#[tokio::test]
async fn a_device_that_is_wrong_by_days_and_says_so_is_put_right() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = coach.sets_up(&coach.adds("Someone").await).await;
    let mut screen = Screen::begun_minutes_ago(9 * 24 * 60);
    let sent_at = Utc::now() - TimeDelta::days(9) + TimeDelta::minutes(5);
    let events = [screen.at(0, json!({"kind": "clock_started"})), screen.at(206, json!({"kind": "count_typed", "count": 30}))];
    let body = json!({"events": events, "sent_at": sent_at});
    let view = coach.ok(Method::POST, &format!("/runs/{run}/events"), body).await["view"].clone();
    let started: chrono::DateTime<Utc> = view["state"]["started_at"].as_str().unwrap().parse().unwrap();
    assert!((Utc::now() - started - TimeDelta::minutes(5)).num_seconds().abs() < 5, "{started}");
    assert_eq!(view["state"]["of"]["readings"][0]["bpm"], 120.0);
}

#[tokio::test]
async fn a_pasted_nul_is_taken_out_of_every_field_and_the_floor_goes_on() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let mut form = person(Uuid::now_v7(), "Nul\u{0} Person");
    form["goal"] = json!("row\u{0} the canal\u{7}");
    let id = form["id"].as_str().unwrap().to_owned();
    let page = coach.ok(Method::POST, "/people", form).await;
    assert_eq!((page["form"]["name"].as_str(), page["form"]["goal"].as_str()), (Some("Nul Person"), Some("row the canal")));
    let run = coach.sets_up(&coach.adds("Someone").await).await;
    let mut screen = Screen::new();
    let events = [
        screen.at(0, json!({"kind": "clock_started"})),
        screen.at(9, json!({"kind": "stopped"})),
        screen.at(10, json!({"kind": "stop_explained", "reason": "equipment", "note": "strap\u{0} slipped"})),
        screen.at(11, json!({"kind": "finished"})),
    ];
    let view = coach.posts(&run, &events).await["view"].clone();
    assert_eq!((view["state"]["stop_note"].as_str(), view["closed"].as_bool()), (Some("strap slipped"), Some(true)));
    for path in ["/people?q=%00", "/search?q=a%00b", "/protocols/%00", &format!("/people/{id}%00")] {
        let (status, code, _) = coach.refused(Method::GET, path, Value::Null).await;
        assert_eq!((status, code.as_str()), (400, "bad_json"), "{path}");
    }
}

#[tokio::test]
async fn a_full_run_is_answered_and_can_be_finished() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = coach.sets_up(&coach.adds("Someone").await).await;
    let path = format!("/runs/{run}/events");
    let mut screen = Screen::new();
    let many: Vec<Value> = (0..501).map(|k| screen.at(k, json!({"kind": "tap"}))).collect();
    let (status, _, field) = coach.refused(Method::POST, &path, json!({ "events": many })).await;
    assert_eq!((status, field.as_deref()), (422, Some("events")));
    let mut screen = Screen::new();
    let decisions: Vec<Value> = (0..60).map(|k| screen.at(k, json!({"kind": "finished"}))).collect();
    assert_eq!(coach.refused(Method::POST, &path, json!({ "events": decisions })).await.0, 422);
    // Two thousand ends with nothing to finish, which took the old fold 37 s at every look.
    let mut screen = Screen::new();
    coach.posts(&run, &[screen.at(0, json!({"kind": "clock_started"}))]).await;
    for _ in 0..40 {
        let ends: Vec<Value> = (0..50).map(|k| screen.at(k, json!({"kind": "finished"}))).collect();
        coach.posts(&run, &ends).await;
    }
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    // Filled to the brim.
    sqlx::query(
        "insert into run_events (id, practice_id, run_id, device, seq, mono_ms, wall, body, coach_id)
         select e.id, r.practice_id, r.id, '00000000-0000-0000-0000-000000000009', e.k, 0, r.created_at,
                jsonb_build_object('id', e.id, 'device', '00000000-0000-0000-0000-000000000009', 'seq', e.k, 'mono_ms', 0, 'wall', r.created_at, 'kind', 'tap'),
                r.created_by
         from runs r, (select gen_random_uuid() as id, k from generate_series(1, 18000) k) e",
    )
    .execute(&mut owner)
    .await
    .unwrap();
    let (status, _, field) = coach.refused(Method::POST, &path, json!({"events": [screen.at(190, json!({"kind": "tap"}))]})).await;
    assert_eq!((status, field.as_deref()), (422, Some("events")), "no more taps");
    screen.seq -= 1;
    let end = [screen.at(206, json!({"kind": "count_typed", "count": 30})), screen.at(212, json!({"kind": "stopped"}))];
    coach.posts(&run, &end).await;
    // The fold looks at sixty-four ends and no more.
    assert_eq!(coach.get(&format!("/runs/{run}")).await["state"]["status"], "stopped");
}

#[tokio::test]
async fn with_the_database_away_the_front_end_comes_up_and_the_interface_says_so() {
    let app = TestApp::spawn().await;
    app.new_practice("Harbour").await;
    let line = Line::to(&app.app_url).await;
    let base = serve_set(&Settings::of(&line.url));
    let client = Client::builder().cookie_store(true).build().unwrap();
    let form = json!({"email": "harbour@example.org", "password": "long enough password"});
    assert_eq!(client.post(format!("{base}/api/session")).json(&form).send().await.unwrap().status(), 200);
    line.cut();
    let page = client.get(format!("{base}/")).send().await.unwrap();
    assert_eq!(page.status(), 200);
    let script = page.text().await.unwrap().split("src=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    assert_eq!(client.get(format!("{base}{script}")).send().await.unwrap().status(), 200);
    for path in ["session", "today", "people", "health"] {
        let answer = client.get(format!("{base}/api/{path}")).send().await.unwrap();
        assert_eq!(answer.status(), 503, "{path}");
        let error: Value = answer.json().await.unwrap();
        assert!(!error["message"].as_str().unwrap().is_empty() && error["code"].is_string(), "{path}: {error}");
    }
    line.mend();
    let back = client.get(format!("{base}/api/today")).send().await.unwrap();
    assert_eq!(back.status(), 200, "the session has outlived it");
}

#[tokio::test]
async fn no_date_is_cut_off_in_silence() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Someone").await;
    let today = coach.get("/session").await["today"].clone();
    let plan = json!({"protocol": "bench-step-3min", "rule": {"rule": "every_weeks", "weeks": 1}, "from": today});
    coach.ok(Method::POST, &format!("/people/{person}/retests"), plan).await;
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    let dates = "insert into retests (id, practice_id, plan_id, person_id, protocol_id, due_on)
         select gen_random_uuid(), practice_id, id, person_id, protocol_id, current_date - k from retest_plans, generate_series(1, 1250) k";
    sqlx::query(dates).execute(&mut owner).await.unwrap();
    let open: i64 = sqlx::query_scalar("select count(*) from retests").fetch_one(&mut owner).await.unwrap();
    let file = coach.get("/retests.ics").await.as_str().unwrap().to_owned();
    assert_eq!(file.matches("BEGIN:VEVENT").count() as i64, open);
    assert!(file.trim_end().ends_with("END:VCALENDAR"));
    let page = coach.get("/retests").await;
    assert_eq!(page["overdue"]["total"], "200 or more", "counted so far and no further");
    let (mut seen, mut next) = (std::collections::HashSet::new(), page["overdue"]["next"].as_str().map(str::to_owned));
    seen.extend(page["overdue"]["lines"].as_array().unwrap().iter().map(|l| l["id"].to_string()));
    while let Some(after) = next {
        let part = coach.get(&format!("/retests/part/overdue?after={after}")).await;
        seen.extend(part["lines"].as_array().unwrap().iter().map(|l| l["id"].to_string()));
        next = part["next"].as_str().map(str::to_owned);
    }
    assert_eq!(seen.len(), 1250, "every page, no line twice");
    let day = coach.get("/today").await;
    assert_eq!((day["late"].as_array().unwrap().len(), day["more"]["late"].as_str()), (8, Some("192 or more")));
    assert!(day["sentence"].as_str().unwrap().contains("200 or more people are late"), "{}", day["sentence"]);
}

#[tokio::test]
async fn a_search_says_where_there_are_more_than_it_shows() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    for k in 0..limits::FOUND {
        coach.ok(Method::POST, "/people", person(Uuid::now_v7(), &format!("Same Name {k}"))).await;
    }
    assert_eq!(coach.get("/search?q=na").await["more_people"], false);
    coach.ok(Method::POST, "/people", person(Uuid::now_v7(), "Another Name")).await;
    let found = coach.get("/search?q=na").await;
    assert_eq!((found["people"].as_array().unwrap().len() as i64, found["more_people"].as_bool()), (limits::FOUND, Some(true)));
    // A name that changed is found by its new words and no longer by the old.
    let id = Uuid::now_v7();
    coach.ok(Method::POST, "/people", person(id, "Maren Quist")).await;
    let mut form = coach.get(&format!("/people/{id}")).await["form"].clone();
    form["name"] = json!("Maren Lund");
    coach.ok(Method::PUT, &format!("/people/{id}"), form).await;
    let named = async |q: &str| coach.get(&format!("/people?q={q}")).await["people"].as_array().unwrap().len();
    assert_eq!((named("quist").await, named("lund").await, named("maren%20l").await), (0, 1, 1));
}

#[tokio::test]
async fn an_event_of_another_run_is_refused_as_what_it_is() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Someone").await;
    let (first, second) = (coach.sets_up(&person).await, coach.sets_up(&person).await);
    let mut screen = Screen::new();
    let event = screen.at(0, json!({"kind": "clock_started"}));
    coach.posts(&first, std::slice::from_ref(&event)).await;
    let (status, code, _) = coach.refused(Method::POST, &format!("/runs/{second}/events"), json!({"events": [event]})).await;
    assert_eq!((status, code.as_str()), (409, "event_elsewhere"));
    let mut twice = screen.at(1, json!({"kind": "tap"}));
    twice["id"] = event["id"].clone();
    assert_eq!(coach.refused(Method::POST, &format!("/runs/{first}/events"), json!({"events": [twice]})).await.1, "event_elsewhere");
}

#[tokio::test]
async fn dates_names_and_remarks_that_cannot_be_are_refused_with_their_field() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let id = coach.adds("Someone").await;
    for born in ["-9999-01-01", "+262142-01-01", "0001-01-01"] {
        let mut form = person(Uuid::now_v7(), "Somebody");
        form["born"] = json!(born);
        assert_eq!(coach.refused(Method::POST, "/people", form).await.0, 422, "{born}");
    }
    for from in ["+262142-12-31", "-9999-01-01"] {
        let rule = json!({"rule": {"rule": "every_three_months"}, "from": from});
        assert_eq!(coach.refused(Method::POST, "/retests/preview", rule).await.2.as_deref(), Some("from"), "{from}");
    }
    let entry = |on: &str| json!({"id": Uuid::now_v7(), "protocol": "class-step-3min", "on": on, "inputs": {"pulse_count": 21}});
    for on in ["2100-01-01", "-9999-01-01", "+262142-01-01"] {
        assert_eq!(coach.refused(Method::POST, &format!("/people/{id}/results"), entry(on)).await.2.as_deref(), Some("on"), "{on}");
    }
    for name in ["\u{200b}\u{200b}", "\u{202e}", "\u{feff}\u{2060}"] {
        assert_eq!(coach.refused(Method::POST, "/people", person(Uuid::now_v7(), name)).await.2.as_deref(), Some("name"));
    }
    let run_id = coach.sets_up(&id).await;
    let mut screen = Screen::new();
    coach.posts(&run_id, &[screen.at(0, json!({"kind": "stopped"})), screen.at(1, json!({"kind": "finished"}))]).await;
    let long = screen.at(2, json!({"kind": "noted", "text": "x".repeat(450_000)}));
    let (status, _, field) = coach.refused(Method::POST, &format!("/runs/{run_id}/events"), json!({"events": [long]})).await;
    assert_eq!((status, field.as_deref()), (422, Some("text")), "a closed run takes no book either");
}

#[tokio::test]
async fn what_is_no_request_of_this_interface_is_told_so() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let client = Client::new();
    let url = |path: &str| format!("{}{path}", app.base);
    let trace = client.request(Method::TRACE, url("/api/session")).send().await.unwrap();
    assert_eq!((trace.status().as_u16(), trace.headers()[header::ALLOW].to_str().unwrap().contains("DELETE")), (405, true));
    assert_eq!(client.post(url("/")).send().await.unwrap().status(), 405);
    assert_eq!(client.put(url("/api/people")).send().await.unwrap().status(), 405);
    assert_eq!(client.get(url("/api/nowhere")).send().await.unwrap().status(), 404);
    let plain = client.post(url("/api/session")).header("content-type", "text/plain").body("{}").send().await.unwrap();
    assert_eq!(plain.status(), 415);
    let large = client.post(url("/api/session")).json(&json!({"email": "x".repeat(600_000), "password": ""})).send().await.unwrap();
    assert_eq!(large.status(), 413);
    let stranger = client.get(url("/api/welcome")).header("host", "evil.example").send().await.unwrap();
    assert_eq!(stranger.status(), 421);
    let record = coach.raw(Method::GET, "/people").await;
    assert_eq!(record.headers()[header::CACHE_CONTROL], "no-store");
}

#[tokio::test]
async fn a_body_that_never_ends_is_not_waited_for() {
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    let app = TestApp::spawn().await;
    let mut socket = tokio::net::TcpStream::connect(app.base.trim_start_matches("http://")).await.unwrap();
    let head = "POST /api/session HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: 1000\r\n\r\n{";
    socket.write_all(head.as_bytes()).await.unwrap();
    let mut answer = vec![0; 64];
    let wait = limits::BODY_TAKES + Duration::from_secs(5);
    let read = tokio::time::timeout(wait, socket.read(&mut answer)).await.expect("answered in time").unwrap();
    assert!(String::from_utf8_lossy(&answer[..read]).starts_with("HTTP/1.1 408"), "{}", String::from_utf8_lossy(&answer));
}

#[tokio::test]
async fn one_practice_asks_for_everything_and_another_is_answered() {
    let app = TestApp::spawn().await;
    let (greedy, other) = (app.new_practice("Harbour").await, app.new_practice("Quayside").await);
    let person = greedy.adds("Someone").await;
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    // Whatever the greedy one asks for waits.
    let mut lock = owner.begin().await.unwrap();
    sqlx::query("lock table readiness_checks in access exclusive mode").execute(&mut *lock).await.unwrap();
    let greedy = std::sync::Arc::new(greedy);
    let asked: Vec<_> = (0..40)
        .map(|_| {
            let (greedy, path) = (greedy.clone(), format!("/people/{person}"));
            tokio::spawn(async move { greedy.send(Method::GET, &path, Value::Null).await.0.as_u16() })
        })
        .collect();
    tokio::time::sleep(Duration::from_millis(300)).await;
    let answered = tokio::time::timeout(Duration::from_secs(3), other.get("/people")).await;
    assert!(answered.is_ok(), "the other practice has connections of its own");
    tokio::time::sleep(Duration::from_secs(5)).await;
    lock.rollback().await.unwrap();
    let mut statuses = Vec::new();
    for one in asked {
        statuses.push(one.await.unwrap());
    }
    assert!(statuses.iter().all(|s| [200, 503].contains(s)) && statuses.contains(&503), "told to come back: {statuses:?}");
}

#[tokio::test]
async fn an_erased_person_is_nowhere_and_the_others_of_a_class_keep_theirs() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let gone = coach.adds("Elowen Marsh").await;
    let stays = coach.adds("Teo Varga").await;
    coach.tests(&gone, 30.0).await;
    let id = Uuid::now_v7();
    let conditions = json!({"bench_cm": 30, "warm_up": true, "pulse_site": "wrist"});
    let body = json!({"id": id, "people": [gone, stays], "protocol": "class-step-3min", "conditions": conditions});
    coach.ok(Method::POST, "/runs", body).await;
    let mut screen = Screen::new();
    let events = [
        screen.at(0, json!({"kind": "clock_started"})),
        screen.at(30, json!({"kind": "noted", "text": "ELOWEN limps; Marsh says it is old"})),
        screen.at(203, json!({"kind": "count_typed", "count": 21, "slot": 0})),
        screen.at(204, json!({"kind": "count_typed", "count": 22, "slot": 1})),
        screen.at(240, json!({"kind": "finished"})),
    ];
    coach.posts(&id.to_string(), &events).await;
    let record = coach.get(&format!("/people/{gone}/record")).await;
    assert_eq!((record["person"]["name"].as_str(), record["results"].as_array().unwrap().len()), (Some("Elowen Marsh"), 2));
    assert_eq!(record["runs"].as_array().unwrap().len(), 2);
    assert!(!record.to_string().contains("Teo"), "nobody else's name");
    let path = format!("/people/{gone}/erase");
    assert_eq!(coach.refused(Method::POST, &path, json!({"name": "Elowen"})).await.2.as_deref(), Some("name"));
    coach.ok(Method::POST, &path, json!({"name": " elowen  marsh "})).await;
    assert_eq!(coach.refused(Method::GET, &format!("/people/{gone}"), Value::Null).await.0, 404);
    assert_eq!(coach.refused(Method::POST, &path, json!({"name": "Elowen Marsh"})).await.0, 404);
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    let tables: Vec<String> =
        sqlx::query_scalar("select tablename::text from pg_tables where schemaname = 'public'").fetch_all(&mut owner).await.unwrap();
    for table in tables {
        let sql = format!("select count(*) from {table} t where t::text ilike '%elowen%' or t::text ilike '%marsh%'");
        let left: i64 = sqlx::query_scalar(sqlx::AssertSqlSafe(sql)).fetch_one(&mut owner).await.unwrap();
        assert_eq!(left, 0, "{table}");
        if table != "audit" {
            let sql = format!("select count(*) from {table} t where t::text like '%{gone}%'");
            assert_eq!(sqlx::query_scalar::<_, i64>(sqlx::AssertSqlSafe(sql)).fetch_one(&mut owner).await.unwrap(), 0, "{table} by key");
        }
    }
    let view = coach.get(&format!("/runs/{id}")).await;
    assert_eq!(view["performers"][1]["reading"]["bpm"], 132.0, "the other keeps what was counted");
    assert_eq!(coach.get(&format!("/people/{stays}")).await["tests"].as_array().unwrap().len(), 1);
    let lines = coach.get("/practice/audit").await["lines"].clone();
    assert_eq!(lines[0]["did"], "erased a client");
    assert!(lines.as_array().unwrap().len() >= 6, "what was done is still there, without whom");
    // Nobody but that function may: the application itself cannot delete or change what happened.
    let mut db = PgConnection::connect(&app.app_url).await.unwrap();
    sqlx::query("select set_config('impulso.erasing', 'on', false)").execute(&mut db).await.unwrap();
    for statement in ["delete from run_events", "update audit set detail = '{}'"] {
        assert!(sqlx::query(statement).execute(&mut db).await.is_err(), "{statement}");
    }
}

#[tokio::test]
async fn repeats_counted_as_they_come_are_those_counted_anew() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let id = coach.adds("Someone").await;
    let today = Utc::now().date_naive();
    // In no order: each may stand between two that were a pair.
    for (days_ago, count) in [(30u64, 30), (10, 33), (20, 31), (24, 29), (4, 35), (22, 30), (60, 40)] {
        let on = today - chrono::Days::new(days_ago);
        let conditions = json!({"bench_cm": 41.3, "warm_up": true, "pulse_site": "wrist"});
        let entry = json!({"id": Uuid::now_v7(), "protocol": "bench-step-3min", "on": on, "inputs": {"pulse_count": count}, "conditions": conditions});
        coach.ok(Method::POST, &format!("/people/{id}/results"), entry).await;
    }
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    let kept =
        "select quantity, pairs, round(sum::numeric, 6)::text, round(sum_of_squares::numeric, 6)::text from repeats order by quantity";
    let as_they_came: Vec<(String, i64, String, String)> = sqlx::query_as(kept).fetch_all(&mut owner).await.unwrap();
    let of = |q: &str| as_they_came.iter().find(|r| r.0 == q).unwrap().1;
    assert_eq!(of("recovery_hr"), 5);
    sqlx::query("update practices set repeats_counted_at = null").execute(&mut owner).await.unwrap();
    impulso::scoring::migrate(&app.owner_url, None).await.unwrap();
    let anew: Vec<(String, i64, String, String)> = sqlx::query_as(kept).fetch_all(&mut owner).await.unwrap();
    assert_eq!(anew, as_they_came);
}
