//! What a second attack tried, and what it finds now: nothing that anyone sends stops the server, fills it, or is stored unread.

use std::{
    process::{Command, Stdio},
    time::{Duration, Instant},
};

use chrono::{DateTime, TimeDelta, Utc};
use futures_util::future::join_all;
use impulso::{
    recompute::{By, recompute},
    scoring,
    settings::{Settings, limits},
};
use reqwest::{Client, Method, StatusCode};
use serde_json::{Value, json};
use sqlx::{Connection, Executor, PgConnection, Row};
use uuid::Uuid;

use crate::{
    app::{Screen, TestApp, run, serve, serve_set},
    chaos::Process,
    line::Line,
    partners::class_of,
};

async fn owner(app: &TestApp) -> PgConnection {
    PgConnection::connect(&app.owner_url).await.unwrap()
}

#[tokio::test]
async fn what_cannot_be_read_any_more_is_named_and_stops_nobody() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let other = app.new_practice("Quayside").await;
    let person = coach.adds("Joren").await;
    let result = coach.tests(&person, 30.0).await;
    coach.tests(&person, 29.0).await;
    // As an import of the last release stored it, a battery of no shape, and a result whose readings are none.
    let mut db = owner(&app).await;
    for (what, sql) in [
        (
            "protocol",
            "insert into protocols (practice_id, id, body, created_by) select practice_id, 'own-x', '{}', id from coaches where name = 'Ada Coach' limit 1",
        ),
        (
            "battery",
            "insert into batteries (practice_id, id, battery, created_by) select practice_id, 'own-y', '7', id from coaches where email like 'harbour%'",
        ),
    ] {
        let sql = sql.replace("name = 'Ada Coach' limit 1", "email like 'harbour%'");
        sqlx::query(sqlx::AssertSqlSafe(sql)).execute(&mut db).await.unwrap_or_else(|e| panic!("{what}: {e}"));
    }
    sqlx::query("update results set inputs = '\"nothing\"' where id = $1")
        .bind(result.parse::<Uuid>().unwrap())
        .execute(&mut db)
        .await
        .unwrap();
    // The next start, and the rebuilding of every score.
    scoring::migrate(&app.owner_url, None).await.unwrap();
    let tally = recompute(&app.owner_url, By::Stored, |_| {}).await.unwrap();
    assert_eq!((tally.looked_at, tally.set_aside), (2, 3));
    let named: Vec<(String, String)> = coach.get("/practice").await["set_aside"]
        .as_array()
        .unwrap()
        .iter()
        .map(|s| (s["kind"].as_str().unwrap().to_owned(), s["key"].as_str().unwrap().to_owned()))
        .collect();
    assert_eq!(named, [("battery", "own-y"), ("result", result.as_str()), ("test", "own-x")].map(|(a, b)| (a.to_owned(), b.to_owned())));
    assert_eq!(other.get("/practice").await["set_aside"], json!([]));
    for path in ["/today", "/people", "/protocols", "/batteries", "/retests?list=open", &format!("/people/{person}")] {
        coach.get(path).await;
    }
    assert_eq!(coach.get(&format!("/people/{person}")).await["tests"].as_array().unwrap().len(), 1, "the other result is shown");
    sqlx::query("delete from protocols where id = 'own-x'").execute(&mut db).await.unwrap();
    let left = coach.get("/practice").await["set_aside"].as_array().unwrap().len();
    assert_eq!(left, 2, "what is mended is named no more");
}

#[tokio::test]
async fn a_request_that_is_hung_up_ends_its_statement() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    coach.get("/people").await;
    let mut db = owner(&app).await;
    // Whoever looks at people waits for this.
    let mut lock = db.begin().await.unwrap();
    lock.execute("lock table people in access exclusive mode").await.unwrap();
    // A role sees its own statements alone.
    let mut watch = PgConnection::connect(&app.app_url).await.unwrap();
    let waiting =
        "select count(*) from pg_stat_activity where datname = current_database() and state = 'active' and wait_event_type = 'Lock'";
    let (client, base) = (coach.client().clone(), app.base.clone());
    let request = tokio::spawn(async move { client.get(format!("{base}/api/people")).send().await });
    let mut seen = 0_i64;
    for _ in 0..100 {
        seen = sqlx::query_scalar(waiting).fetch_one(&mut watch).await.unwrap();
        if seen > 0 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    assert_eq!(seen, 1, "the statement waits");
    request.abort();
    let _ = request.await;
    let since = Instant::now();
    while sqlx::query_scalar::<_, i64>(waiting).fetch_one(&mut watch).await.unwrap() > 0 {
        assert!(since.elapsed() < Duration::from_secs(5), "it goes on although nobody waits for it");
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    lock.rollback().await.unwrap();
    coach.get("/people").await;
}

#[tokio::test]
async fn the_applications_role_and_every_text_have_an_end() {
    let app = TestApp::spawn().await;
    let mut role = PgConnection::connect(&app.app_url).await.unwrap();
    for (setting, most) in [("statement_timeout", "15s"), ("idle_in_transaction_session_timeout", "1min"), ("temp_file_limit", "1GB")] {
        let is: String = role.fetch_one(sqlx::AssertSqlSafe(format!("show {setting}"))).await.unwrap().get(0);
        assert_eq!(is, most, "{setting}");
    }
    let mut db = owner(&app).await;
    let open: Vec<(String, String)> = sqlx::query_as(
        "select c.table_name::text, c.column_name::text from information_schema.columns c
         join information_schema.tables t using (table_schema, table_name)
         where c.table_schema = 'public' and t.table_type = 'BASE TABLE' and c.data_type in ('text', 'jsonb') and c.table_name not like '\\_%'
           and not exists (select from pg_constraint k where k.conrelid = c.table_name::regclass and k.contype = 'c'
                           and pg_get_constraintdef(k.oid) ~ ('(char_length|pg_column_size)\\(\\(*' || c.column_name || '\\)*\\)* <='))",
    )
    .fetch_all(&mut db)
    .await
    .unwrap();
    assert_eq!(open, [], "a column whose text has no end: say it in a migration");
    let coach = app.new_practice("Harbour").await;
    coach.adds("Joren").await;
    let long = sqlx::query("update people set name_key = repeat('x', 195000)").execute(&mut db).await;
    assert!(long.unwrap_err().to_string().contains("has_an_end"));
}

/// Every operation whose body has a password in it, or an address that it says is taken: each costs a hash, or tells something.
fn told_operations() -> Vec<(String, String, String)> {
    let document: Value = serde_json::from_str(&impulso::docs::openapi()).unwrap();
    let mut found = Vec::new();
    for (path, operations) in document["paths"].as_object().unwrap() {
        for (method, operation) in operations.as_object().unwrap() {
            let schema = &operation["requestBody"]["content"]["application/json"]["schema"]["$ref"];
            let name = schema.as_str().and_then(|s| s.rsplit('/').next()).unwrap_or_default();
            let fields = document["components"]["schemas"][name]["properties"].as_object();
            let tells = fields.is_some_and(|f| {
                f.keys().any(|k| k.contains("password") || k.contains("email")) || (f.contains_key("current") && f.contains_key("new"))
            });
            if tells {
                let limited = operation["responses"]["429"].is_object();
                assert!(limited, "{method} {path} hashes a password or says whether something exists, and is not rate-limited");
                found.push((method.clone(), path.clone(), operation["operationId"].as_str().unwrap().to_owned()));
            }
        }
    }
    found
}

#[tokio::test]
async fn every_route_that_hashes_a_password_or_tells_of_an_account_is_rate_limited() {
    let operations = told_operations();
    let names: Vec<&str> = operations.iter().map(|(_, _, name)| name.as_str()).collect();
    assert_eq!(names.len(), 8, "{names:?}");
    for (method, path, name) in operations {
        // A server of its own: what one is limited by is no other's.
        let app = TestApp::spawn().await;
        let base = serve_set(&Settings { foundings_an_hour: 10, ..Settings::of(&app.app_url) });
        app.new_practice("Harbour").await;
        let coach = app.signed_in_at(&base, "Harbour").await.client().clone();
        let mut limited = 0;
        for k in 0..80 {
            let body = json!({
                "practice": "P", "time_zone": "UTC", "coach": "C", "name": "C", "email": "taken@example.org", "password": "short", "current": "x", "new": "y",
                "k": k, "to": Uuid::nil()
            });
            let answer = coach.request(method.to_uppercase().parse().unwrap(), format!("{base}{path}")).json(&body).send().await.unwrap();
            assert!(answer.status().as_u16() < 500, "{name}: {}", answer.status());
            limited += u32::from(answer.status() == StatusCode::TOO_MANY_REQUESTS);
        }
        assert!(limited > 20, "{name}: {limited} of 80 tries were limited");
    }
}

#[tokio::test]
async fn one_coach_who_adds_coaches_closes_the_sign_in_for_nobody() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    app.new_practice("Quayside").await;
    let form = |k: usize| json!({"name": "C", "email": format!("c{k}@example.org"), "password": "long enough password"});
    let flood = join_all((0..40).map(|k| coach.send(Method::POST, "/practice/coaches", form(k))));
    let sign_ins = async {
        let mut in_time = 0;
        for _ in 0..4 {
            let begun = Instant::now();
            app.signed_in_at(&app.base, "Quayside").await;
            in_time += u32::from(begun.elapsed() < limits::PASSWORD_PATIENCE);
        }
        in_time
    };
    let (answers, in_time) = tokio::join!(flood, sign_ins);
    let added = answers.iter().filter(|(status, _)| status.is_success()).count();
    assert!(added <= limits::COACHES_AN_HOUR as usize && added > 0, "{added} added");
    assert_eq!(in_time, 4, "others sign in meanwhile");
}

#[tokio::test]
async fn whoever_guesses_codes_locks_out_no_phone_of_the_same_hall() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let code = class_of(&coach, &["Teo", "Linnea"]).await.1;
    let guesser = Client::new();
    let mut refused = 0;
    for k in 0..300 {
        let answer = guesser.get(format!("{}/api/join/AAAA{k:04}", app.base)).send().await.unwrap();
        refused += u32::from(answer.status() == StatusCode::TOO_MANY_REQUESTS);
    }
    assert!(refused > 150, "{refused} guesses were limited");
    let phones = join_all((0..30).map(|_| async { app.browser().send(Method::GET, &format!("/join/{code}"), Value::Null).await.0 })).await;
    assert_eq!(phones.iter().filter(|s| s.is_success()).count(), 30, "{phones:?}");
}

#[tokio::test]
async fn one_phone_counts_for_one_performer() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (_, code, teacher) = class_of(&coach, &["Teo", "Linnea", "Noor"]).await;
    let phone = app.browser();
    let path = format!("/join/{code}/events");
    let mut screen = teacher.beside();
    let count = |screen: &mut Screen, slot: u16| screen.at(205, json!({"kind": "count_typed", "count": 21, "slot": slot}));
    let first = count(&mut screen, 0);
    phone.ok(Method::POST, &path, json!({"events": [first]})).await;
    for slot in [1, 2] {
        let (status, answer) = phone.send(Method::POST, &path, json!({"events": [count(&mut teacher.beside(), slot)]})).await;
        assert!(status == StatusCode::FORBIDDEN && answer["message"].as_str().unwrap().contains("counts for Teo"), "{status} {answer}");
    }
    let undo = screen.at(206, json!({"kind": "undone", "event": first["id"], "slot": 0}));
    phone.ok(Method::POST, &path, json!({"events": [undo]})).await;
    phone.ok(Method::POST, &path, json!({"events": [count(&mut teacher.beside(), 1)]})).await;
}

#[tokio::test]
async fn a_frozen_database_is_told_soon_and_what_was_held_up_goes_on() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let line = Line::to(&app.app_url).await;
    let base = serve(&line.url, 60);
    let there = app.signed_in_at(&base, "Harbour").await;
    there.get("/today").await;
    line.pause().await;
    let health = async {
        let begun = Instant::now();
        let answer = reqwest::get(format!("{base}/api/health")).await.unwrap();
        (answer.status(), begun.elapsed())
    };
    let page = async {
        let begun = Instant::now();
        let (status, answer) = there.send(Method::GET, "/today", Value::Null).await;
        (status, answer["code"].clone(), begun.elapsed())
    };
    let (health, page) = tokio::join!(health, page);
    assert!(health.0 == StatusCode::SERVICE_UNAVAILABLE && health.1 < Duration::from_secs(2), "{health:?}");
    assert!(page.0 == StatusCode::SERVICE_UNAVAILABLE && page.1 == "database_away" && page.2 < Duration::from_secs(10), "{page:?}");
    line.resume();
    let mut up = false;
    for _ in 0..40 {
        up = reqwest::get(format!("{base}/api/health")).await.unwrap().status().is_success();
        if up {
            break;
        }
        tokio::time::sleep(Duration::from_millis(250)).await;
    }
    assert!(up, "it is back");
    there.get("/today").await;
    coach.get("/today").await;
}

/// A small file system that is taken away again.
struct SmallDisk(std::path::PathBuf);

impl SmallDisk {
    /// Nothing where this machine lets nobody mount one.
    fn of(megabytes: u32) -> Option<Self> {
        let data = std::env::var("IMPULSO_TEST_DATA").ok()?;
        let at = std::path::PathBuf::from(data).join(format!("disk-{}", Uuid::now_v7().simple()));
        std::fs::create_dir(&at).ok()?;
        let size = format!("size={megabytes}m,mode=0777");
        let mounted = Command::new("mount").args(["-t", "tmpfs", "-o", &size, "tmpfs"]).arg(&at).stderr(Stdio::null()).status();
        let place = at.join("space");
        let made = mounted.ok()?.success()
            && std::fs::create_dir(&place).is_ok()
            && Command::new("chown").arg("postgres").arg(&place).status().ok()?.success();
        let disk = Self(at);
        made.then_some(disk)
    }
}

impl Drop for SmallDisk {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("-l").arg(&self.0).status();
        let _ = std::fs::remove_dir(&self.0);
    }
}

#[tokio::test]
async fn a_full_disk_is_told_as_one_and_reading_goes_on() {
    let Some(disk) = SmallDisk::of(40) else {
        eprintln!("skipped: a small disk can't be mounted here");
        return;
    };
    let admin = std::fs::read_to_string(format!("{}/secrets/admin", std::env::var("IMPULSO_TEST_DATA").unwrap())).unwrap();
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    coach.adds("Joren").await;
    // The table that takes most lies on the small disk.
    let (head, _) = app.owner_url.rsplit_once('/').unwrap();
    let host = head.rsplit_once('@').unwrap().1;
    let database = app.owner_url.rsplit_once('/').unwrap().1;
    let mut root = PgConnection::connect(&format!("postgres://admin:{}@{host}/{database}", admin.trim())).await.unwrap();
    let space = format!("small_{}", Uuid::now_v7().simple());
    root.execute(sqlx::AssertSqlSafe(format!("create tablespace {space} location '{}'", disk.0.join("space").display()))).await.unwrap();
    for table in ["people", "disk_probe"] {
        root.execute(sqlx::AssertSqlSafe(format!("alter table {table} set tablespace {space}"))).await.unwrap();
    }
    let filler = disk.0.join("filler");
    let _ = Command::new("dd").args(["if=/dev/zero", "bs=64k"]).arg(format!("of={}", filler.display())).stderr(Stdio::null()).status();
    let note = "x".repeat(3_900);
    let mut full = None;
    for k in 0..40 {
        let form = json!({"id": Uuid::now_v7(), "name": format!("Person {k}"), "born": "1990-04-02", "sex": "male", "units": "metric", "height": "", "mass": "",
            "notes": note.clone() + &Uuid::new_v4().to_string(), "goal": note, "medicines": note});
        let (status, answer) = coach.send(Method::POST, "/people", form).await;
        if !status.is_success() {
            full = Some((status, answer));
            break;
        }
    }
    let (status, answer) = full.expect("the disk is full at some time");
    assert_eq!((status, answer["code"].as_str()), (StatusCode::SERVICE_UNAVAILABLE, Some("disk_full")), "{answer}");
    let (status, answer) = coach.send(Method::GET, "/health", Value::Null).await;
    assert_eq!((status, answer["code"].as_str()), (StatusCode::SERVICE_UNAVAILABLE, Some("disk_full")), "health says so");
    coach.get("/people").await;
    std::fs::remove_file(filler).unwrap();
    assert_eq!(coach.send(Method::GET, "/health", Value::Null).await.0, StatusCode::OK, "and when there is room again");
    coach.adds("Noor").await;
    root.execute("drop table disk_probe; drop table people cascade").await.unwrap();
    root.execute(sqlx::AssertSqlSafe(format!("drop tablespace {space}"))).await.unwrap();
}

#[tokio::test]
async fn five_devices_that_begin_one_test_begin_it_once() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    for _ in 0..4 {
        let visit = Uuid::now_v7();
        let form =
            json!({"id": visit, "battery": "bench-step-3min", "conditions": {"bench_cm": 41.3, "warm_up": true, "pulse_site": "wrist"}});
        coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await;
        let begun = join_all((0..5).map(|_| {
            let mut form = run(Uuid::now_v7(), &person);
            form["visit"] = json!({"visit": visit, "place": 0});
            coach.send(Method::POST, "/runs", form)
        }))
        .await;
        let mut statuses: Vec<u16> = begun.iter().map(|(s, _)| s.as_u16()).collect();
        statuses.sort_unstable();
        assert_eq!(statuses, [200, 409, 409, 409, 409]);
        let told = begun.iter().find(|(s, _)| s.as_u16() == 409).unwrap();
        assert!(told.1["message"].as_str().unwrap().contains("another screen"), "{}", told.1);
    }
}

#[tokio::test]
async fn a_visit_closed_twelve_times_is_closed_once_and_takes_nothing_after_it() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let visit = Uuid::now_v7();
    let form = json!({"id": visit, "battery": "bench-step-3min", "conditions": {"bench_cm": 41.3, "warm_up": true, "pulse_site": "wrist"}});
    coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await;
    let path = format!("/visits/{visit}/events");
    let happened = |kind: Value| json!({"id": Uuid::now_v7(), "event": kind});
    let closed = join_all((0..12).map(|_| coach.send(Method::POST, &path, happened(json!({"kind": "closed"}))))).await;
    assert!(closed.iter().all(|(status, _)| status.is_success()));
    let late = coach.refused(Method::POST, &path, happened(json!({"kind": "skipped", "place": 0, "reason": "late"}))).await;
    assert_eq!(late.0, 422);
    let log = coach.get("/practice/audit").await;
    let times = log["lines"].as_array().unwrap().iter().filter(|l| l["did"] == "closed a visit").count();
    let mut db = owner(&app).await;
    let events: i64 = sqlx::query_scalar("select count(*) from visit_events").fetch_one(&mut db).await.unwrap();
    assert_eq!((times, events), (1, 1));
}

#[tokio::test]
async fn what_is_sent_many_times_at_once_is_kept_as_often_as_it_may() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    coach.tests(&person, 30.0).await;
    let goal = || json!({"id": Uuid::now_v7(), "protocol": "bench-step-3min", "quantity": "vo2max", "to": 70, "by": "2199-01-01"});
    let (goals, readiness) = (format!("/people/{person}/goals"), format!("/people/{person}/readiness"));
    let set = join_all((0..12).map(|_| coach.send(Method::POST, &goals, goal()))).await;
    assert_eq!(set.iter().filter(|(status, _)| status.is_success()).count(), 8, "{set:?}");
    assert_eq!(coach.get(&format!("/people/{person}")).await["goals"].as_array().unwrap().len(), 8);
    let answers = json!({"regularly_active": true, "known_disease": false, "symptoms": [], "rate_limiting_drug": true});
    join_all((0..50).map(|_| coach.send(Method::POST, &readiness, json!({"answers": answers})))).await;
    let mut db = owner(&app).await;
    let checks: i64 = sqlx::query_scalar("select count(*) from readiness_checks").fetch_one(&mut db).await.unwrap();
    assert_eq!(checks, 2, "one when the client was added, and one of these");
    let battery = json!({
        "id": "", "order": 0, "name": "Ours", "summary": "x".repeat(400_000), "again_weeks": 4, "photos": false, "window_min": null, "scoring": null,
        "tests": [{ "protocol": "plank", "given": {}, "optional": false, "rest_min": 0, "why": null }]
    });
    assert_eq!(coach.refused(Method::PUT, &format!("/batteries/{}", Uuid::now_v7()), battery).await.2.as_deref(), Some("summary"));
}

#[tokio::test]
async fn a_client_erased_at_one_process_is_gone_at_the_other_and_the_class_goes_on() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let base = serve(&app.app_url, 60);
    let there = app.signed_in_at(&base, "Harbour").await;
    let (run, _, mut teacher) = class_of(&coach, &["Teo", "Linnea"]).await;
    // Both processes have seen the run.
    there.posts(&run, &[teacher.beside().at(20, json!({"kind": "noted", "text": "a remark on Teo"}))]).await;
    coach.posts(&run, &[teacher.at(21, json!({"kind": "noted", "text": "another"}))]).await;
    let gone = coach.get(&format!("/runs/{run}")).await["performers"][0]["person"].as_str().unwrap().to_owned();
    there.ok(Method::POST, &format!("/people/{gone}/erase"), json!({"name": "Teo"})).await;
    tokio::time::sleep(Duration::from_millis(600)).await;
    let answer = coach.posts(&run, &[teacher.at(205, json!({"kind": "count_typed", "count": 22, "slot": 1}))]).await;
    assert_eq!(answer["view"]["performers"][0]["name"], "(erased)");
    let done = coach.posts(&run, &[teacher.at(212, json!({"kind": "finished"}))]).await;
    assert!(done["view"]["closed"] == true && done["view"]["performers"][1]["result"].is_string(), "{done}");
}

#[tokio::test]
async fn no_name_no_code_and_no_link_stands_in_the_servers_log() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    coach.adds("Zebulon").await;
    let keys = std::env::temp_dir().join(format!("impulso-log-{}", Uuid::new_v4()));
    let log = keys.with_extension("log");
    let port = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
    let mut server = Command::new(env!("CARGO_BIN_EXE_impulso"))
        .arg("serve")
        .env("IMPULSO_DATABASE_URL", &app.app_url)
        .env("IMPULSO_PORT", port.to_string())
        .env("IMPULSO_TLS", "true")
        .env("RUST_LOG", "trace")
        .stderr(std::fs::File::create(&log).unwrap())
        .spawn()
        .unwrap();
    let base = format!("http://127.0.0.1:{port}");
    while reqwest::get(format!("{base}/api/health")).await.is_err() {
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let client = Client::new();
    let get = |path: &str| client.get(format!("{base}{path}")).send();
    for path in
        ["/api/search?q=zebulon", "/api/people?q=zebulon", "/api/reports/5ecre75ecre7", "/api/join/5ECRE7AB", "/report/5ecre75ecre7"]
    {
        get(path).await.unwrap();
    }
    let headers = get("/").await.unwrap().headers().clone();
    server.kill().unwrap();
    server.wait().unwrap();
    let said = std::fs::read_to_string(&log).unwrap().to_lowercase();
    // What the libraries themselves say at their loudest is theirs; of ours no line has it.
    let ours: Vec<&str> = said.lines().filter(|l| l.contains("impulso") || l.contains("request{") || l.contains("tracing_actix")).collect();
    assert!(ours.iter().any(|l| l.contains("/api/search")), "requests are in it by their route: {}", said.len());
    for secret in ["zebulon", "5ecre7"] {
        let line = ours.iter().find(|l| l.contains(secret));
        assert!(line.is_none(), "{line:?}");
    }
    // And what every answer carries over TLS.
    assert!(headers["strict-transport-security"].to_str().unwrap().starts_with("max-age="));
    assert_eq!(headers["x-robots-tag"], "noindex");
    let _ = (std::fs::remove_file(log), std::fs::remove_file(keys));
}

/// A file of 20 MB costs no more than six of it, MB.
const FILE_COSTS_MB: u64 = 120;

/// The most memory a process has had at once, MB.
fn peak(process: u32) -> u64 {
    let status = std::fs::read_to_string(format!("/proc/{process}/status")).unwrap();
    let line = status.lines().find(|l| l.starts_with("VmHWM:")).unwrap();
    line.split_whitespace().nth(1).unwrap().parse::<u64>().unwrap() / 1024
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_large_file_takes_little_memory_and_nobody_waits_for_it() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    coach.adds("Joren").await;
    app.new_practice("Newhouse").await;
    let keys = std::env::temp_dir().join(format!("impulso-memory-{}", Uuid::new_v4()));
    let process = Process::start(&app.app_url, &keys);
    let base = process.base();
    while !reqwest::get(format!("{base}/api/health")).await.is_ok_and(|a| a.status().is_success()) {
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let there = app.signed_in_at(&base, "Newhouse").await;
    let other = app.signed_in_at(&base, "Harbour").await;
    // What a process is before it: most of it the program's own pages, and the sign-ins.
    let before = peak(process.id());
    // Rows of nothing but brackets, rows without an end, and many sound ones with one that is not.
    let brackets = format!("{{\"a\":[{}[]]}}", "[],".repeat(300_000));
    let one = json!({"id": Uuid::nil(), "name": "P", "born": "1990-01-01", "sex": null, "units": "metric", "notes": "x".repeat(3_000)})
        .to_string();
    let files =
        [("brackets", vec![brackets; 24]), ("one row without an end", vec!["x".repeat(24 * 1024 * 1024)]), ("many rows", vec![one; 8_000])];
    for (what, rows) in files {
        let file = format!("{{\"format\":\"impulso practice, 1\",\"checksum\":\"x\",\"tables\":{{\"people\":[{}]}}}}", rows.join(","));
        assert!(file.len() > 20_000_000);
        let request = there.client().post(format!("{base}/api/practice/import")).header("content-type", "application/octet-stream");
        let sending = tokio::spawn(async move { request.body(file).send().await.unwrap().status() });
        let mut longest = Duration::ZERO;
        while !sending.is_finished() {
            let begun = Instant::now();
            other.get("/today").await;
            longest = longest.max(begun.elapsed());
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        assert_eq!(sending.await.unwrap(), StatusCode::UNPROCESSABLE_ENTITY, "{what}");
        assert!(longest < Duration::from_secs(3), "{what}: another practice waits {longest:?}");
        let more = peak(process.id()) - before;
        assert!(more < FILE_COSTS_MB, "{what}: {more} MB more than {before}");
    }
    let _ = std::fs::remove_file(keys);
}

#[tokio::test]
async fn full_runs_that_are_open_take_a_bounded_memory() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let keys = std::env::temp_dir().join(format!("impulso-runs-{}", Uuid::new_v4()));
    let process = Process::start(&app.app_url, &keys);
    let base = process.base();
    while !reqwest::get(format!("{base}/api/health")).await.is_ok_and(|a| a.status().is_success()) {
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let there = app.signed_in_at(&base, "Harbour").await;
    let mut db = owner(&app).await;
    let since: DateTime<Utc> = Utc::now() - TimeDelta::minutes(5);
    for _ in 0..16 {
        let run = coach.sets_up(&person).await;
        sqlx::query(
            "insert into run_events (id, practice_id, run_id, device, seq, mono_ms, wall, body, coach_id)
             select e.id, r.practice_id, r.id, '00000000-0000-0000-0000-000000000009', e.k, 0, $2,
                    jsonb_build_object('id', e.id, 'device', '00000000-0000-0000-0000-000000000009', 'seq', e.k, 'mono_ms', 0, 'wall', $2, 'kind', 'tap'),
                    r.created_by
             from runs r, (select gen_random_uuid() as id, k from generate_series(1, 19000) k) e where r.id = $1",
        )
        .bind(run.parse::<Uuid>().unwrap())
        .bind(since)
        .execute(&mut db)
        .await
        .unwrap();
        there.posts(&run, &[Screen::new().at(290, json!({"kind": "noted", "text": "still open"}))]).await;
    }
    assert!(peak(process.id()) < 450, "{} MB", peak(process.id()));
    let _ = std::fs::remove_file(keys);
}

#[tokio::test]
async fn open_channels_are_bounded_for_everybody_and_requests_are_answered_beside_them() {
    let app = TestApp::spawn().await;
    // Sixty-four files: thirty-two channels, eight of one account.
    let base = serve_set(&Settings { open_files: Some(64), ..Settings::of(&app.app_url) });
    app.new_practice("Harbour").await;
    let coach = app.signed_in_at(&base, "Harbour").await;
    let (run, code, _) = class_of(&coach, &["Teo", "Linnea"]).await;
    let alone = coach.sets_up(&coach.adds("Noor").await).await;
    let phone = app.browser_at(&base);
    let tag = phone.get(&format!("/join/{code}/people")).await[0]["tag"].as_str().unwrap().to_owned();
    let mut held = Vec::new();
    for k in 0..30 {
        let of = if k % 2 == 0 { &run } else { &alone };
        held.push(coach.stream(&format!("/runs/{of}/live")).await);
        held.push(phone.stream(&format!("/join/{code}/live?tag={tag}")).await);
    }
    // Those that gave way have ended.
    let mut open = 0;
    for stream in &mut held {
        let until = tokio::time::Instant::now() + Duration::from_millis(300);
        let ended = async {
            loop {
                match stream.chunk().await {
                    Ok(Some(_)) => {}
                    _ => return,
                }
            }
        };
        open += usize::from(tokio::time::timeout_at(until, ended).await.is_err());
    }
    assert_eq!(open, 8 + 4, "of the account and of the phone");
    assert!(coach.get("/today").await.is_object());
    assert!(phone.get(&format!("/join/{code}")).await.is_object());
}

#[tokio::test]
async fn whatever_is_wrong_with_an_address_is_said_in_the_words_of_the_product() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Teo").await;
    let run = coach.sets_up(&person).await;
    let paths = [
        format!("/people/{person}/assess/bench-step-3min?place=first"),
        format!("/runs/{run}/live?seen=x"),
        "/join/ABCDEFGH?run=7".into(),
        "/retests?after=%FF".into(),
        "/people?after=%FF%FE&q=%FF".into(),
    ];
    for path in paths {
        let (status, answer) = coach.send(Method::GET, &path, Value::Null).await;
        let said = answer["message"].as_str().unwrap_or_default();
        assert!(status.is_client_error() || status.is_success(), "{path}: {status}");
        for word in ["eserialize", "invalid", "expected", "utf", "parse"] {
            assert!(!said.contains(word), "{path}: {said}");
        }
    }
    for body in ["{", "[]", "{\"name\": 4}", "7", "{\"id\": \"x\"}"] {
        let request = coach.client().post(format!("{}/api/people", app.base)).header("content-type", "application/json").body(body);
        let answer: Value = request.send().await.unwrap().json().await.unwrap();
        let said = answer["message"].as_str().unwrap();
        assert!(
            said.starts_with("The server could not read what this page sent.") && answer["detail"]["why"].is_string(),
            "{body}: {answer}"
        );
    }
}
