//! Another practice's rows are invisible and untouchable, through every route and by raw SQL under the application's
//! role.

use reqwest::Method;
use serde_json::{Value, json};
use sqlx::{Connection, PgConnection};
use uuid::Uuid;

use crate::app::{Screen, TestApp, person, run};

struct Theirs {
    person: String,
    run: String,
    result: String,
    retest: String,
}

async fn stranger(app: &TestApp) -> Theirs {
    let coach = app.new_practice("Otherplace").await;
    let person = coach.adds("Secret Person").await;
    let result = coach.tests(&person, 30.0).await;
    let run = coach.sets_up(&person).await;
    let today = coach.get("/session").await["today"].clone();
    let plan = json!({"protocol": "bench-step-3min", "rule": {"rule": "weeks4812"}, "from": today});
    let kept = coach.ok(Method::POST, &format!("/people/{person}/retests"), plan).await;
    Theirs { person, run, result, retest: kept[0]["id"].as_str().unwrap().to_owned() }
}

#[tokio::test]
async fn through_every_route() {
    let app = TestApp::spawn().await;
    let Theirs { person: their_person, run: their_run, result, retest } = stranger(&app).await;
    let me = app.new_practice("Harbour").await;
    let mut screen = Screen::new();
    let answers = json!({"regularly_active": true, "known_disease": false, "symptoms": [], "rate_limiting_drug": false});
    let plan = json!({"protocol": "bench-step-3min", "rule": {"rule": "weeks4812"}, "from": "2026-01-01"});
    let mut change = person(their_person.parse().unwrap(), "Mine now");
    change["version"] = json!(1);
    let attempts = [
        (Method::GET, format!("/people/{their_person}"), Value::Null),
        (Method::PUT, format!("/people/{their_person}"), change),
        (Method::POST, format!("/people/{their_person}/readiness"), json!({ "answers": answers })),
        (Method::GET, format!("/people/{their_person}/assess/bench-step-3min"), Value::Null),
        (Method::POST, "/runs".into(), run(Uuid::now_v7(), &their_person)),
        (Method::GET, format!("/runs/{their_run}"), Value::Null),
        (Method::POST, format!("/runs/{their_run}/events"), json!({"events": [screen.at(0, json!({"kind": "clock_started"}))]})),
        (Method::GET, format!("/results/{result}"), Value::Null),
        (Method::GET, format!("/people/{their_person}/trend/bench-step-3min/vo2max"), Value::Null),
        (Method::POST, format!("/people/{their_person}/retests"), plan),
        (Method::POST, format!("/retests/{retest}/skip"), json!({"reason": "mischief"})),
        (Method::DELETE, format!("/retests/{retest}/skip"), Value::Null),
    ];
    for (method, path, body) in attempts {
        let (status, code, _) = me.refused(method.clone(), &path, body).await;
        assert_eq!((status, code.as_str()), (404, "not_found"), "{method} {path}");
    }
    // A key of theirs is no key here: it names something of mine, and says nothing of theirs.
    me.ok(Method::POST, "/people", person(their_person.parse().unwrap(), "Mine now")).await;
    assert_eq!(me.get(&format!("/people/{their_person}")).await["form"]["name"], "Mine now");
    let mine = me.adds("Mine").await;
    me.ok(Method::POST, "/runs", run(their_run.parse().unwrap(), &mine)).await;
    me.posts(&their_run, &[Screen::new().at(1, json!({"kind": "clock_started"}))]).await;
    let them = app.signed_in_at(&app.base, "Otherplace").await;
    assert_eq!(them.get(&format!("/people/{their_person}")).await["form"]["name"], "Secret Person");
    let untouched = them.get(&format!("/runs/{their_run}")).await;
    assert_eq!((untouched["name"].as_str(), &untouched["state"]["started_at"]), (Some("Secret Person"), &Value::Null));

    for path in [
        "/people",
        "/people?q=sec",
        "/search?q=sec",
        "/today",
        "/retests",
        "/retests.ics",
        "/practice",
        &format!("/people/{their_person}/assess/bench-step-3min/differences"),
    ] {
        let method = if path.ends_with("differences") { Method::POST } else { Method::GET };
        let (_, answer) = me.send(method, path, if path.ends_with("differences") { json!({"conditions": {}}) } else { Value::Null }).await;
        let text = answer.to_string();
        assert!(!text.contains("Secret") && !text.contains("Otherplace") && !text.contains("otherplace"), "{path}: {text}");
    }
}

#[tokio::test]
async fn by_raw_sql_under_the_applications_role() {
    let app = TestApp::spawn().await;
    let theirs = stranger(&app).await;
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    app.new_practice("Harbour").await;
    let ids: Vec<(Uuid, String)> = sqlx::query_as("select id, name from practices order by name").fetch_all(&mut owner).await.unwrap();
    let (mine, other) = (ids[0].0, ids[1].0);
    let mut db = PgConnection::connect(&app.app_url).await.unwrap();

    let bypass: bool =
        sqlx::query_scalar("select rolsuper or rolbypassrls from pg_roles where rolname = current_user").fetch_one(&mut db).await.unwrap();
    assert!(!bypass);
    let tables: Vec<String> = sqlx::query_scalar(
        "select tablename::text from pg_tables where schemaname = 'public' and tablename not like '\\_sqlx%' and tablename <> 'disk_probe'",
    )
    .fetch_all(&mut owner)
    .await
    .unwrap();
    assert!(tables.len() >= 11);
    for practice in [String::new(), mine.to_string()] {
        sqlx::query("select set_config('impulso.practice_id', $1, false)").bind(&practice).execute(&mut db).await.unwrap();
        for table in &tables {
            let column = match table.as_str() {
                "practices" => "id",
                // Sessions belong to nobody until they are read; the role has no way to the table at all.
                "sessions" => "gen_random_uuid()",
                _ => "practice_id",
            };
            let seen = sqlx::query_scalar::<_, i64>(sqlx::AssertSqlSafe(format!("select count(*) from {table} where {column} = $1")))
                .bind(other)
                .fetch_one(&mut db)
                .await;
            match seen {
                Ok(count) => assert_eq!(count, 0, "{table} shows another practice's rows"),
                Err(error) => assert!(table == "sessions" && error.to_string().contains("permission denied"), "{table}: {error}"),
            }
        }
    }
    let hit = sqlx::query("update people set name = 'mine' where id = $1")
        .bind(theirs.person.parse::<Uuid>().unwrap())
        .execute(&mut db)
        .await
        .unwrap();
    assert_eq!(hit.rows_affected(), 0);
    for (what, statement) in [
        (
            "a row of theirs",
            "insert into audit (id, practice_id, action, subject_kind, subject_id) values (gen_random_uuid(), $1, 'x', 'x', gen_random_uuid())",
        ),
        ("deleting", "delete from people where practice_id = $1"),
        ("row security off", "alter table people disable row level security; select $1"),
    ] {
        let refused = sqlx::query(statement).bind(other).execute(&mut db).await;
        assert!(refused.is_err(), "{what}");
    }
    // A row of mine that points at a person of theirs: the reference carries the practice.
    let coach: Uuid = sqlx::query_scalar("select id from coaches").fetch_one(&mut db).await.unwrap();
    let crossed = sqlx::query("insert into readiness_checks (id, practice_id, person_id, answers, advice, on_date, created_by) values (gen_random_uuid(), $1, $2, '{}', '{}', now(), $3)")
        .bind(mine)
        .bind(theirs.person.parse::<Uuid>().unwrap())
        .bind(coach)
        .execute(&mut db)
        .await;
    assert!(crossed.unwrap_err().to_string().contains("foreign key"));
}

#[tokio::test]
async fn events_and_audit_are_only_ever_added_to() {
    let app = TestApp::spawn().await;
    stranger(&app).await;
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    for statement in [
        "update run_events set late = true",
        "delete from run_events",
        "truncate run_events",
        "update audit set action = 'x'",
        "delete from audit",
        "truncate audit",
    ] {
        let refused = sqlx::query(statement).execute(&mut owner).await.unwrap_err();
        assert!(refused.to_string().contains("only ever added to"), "{statement}: {refused}");
    }
}
