//! A database of the last release: the demo as it was made then, with an own copy and a finished run, brought up to date.

use std::{collections::BTreeMap, process::Command};

use impulso::{
    recompute::{By, recompute},
    scoring,
};
use reqwest::Method;
use serde_json::{Value, json};
use sqlx::{Connection, Executor, PgConnection, Row};

use crate::app::{TestApp, serve};

/// What every result scored: as the last release kept it, and as it is kept now.
const THEN: &str = "select id, computed from results order by id";
const NOW: &str = "select r.id, (select coalesce(jsonb_object_agg(quantity, value), '{}') from scores where result_id = r.id) as computed from results r order by id";

async fn computed(owner: &mut PgConnection, sql: &'static str) -> Vec<(uuid::Uuid, Value)> {
    let rows = owner.fetch_all(sql).await.unwrap();
    rows.iter().map(|r| (r.get("id"), r.get("computed"))).collect()
}

/// As numbers: 12 and 12.0 are one.
fn numbers(all: &[(uuid::Uuid, Value)]) -> BTreeMap<(uuid::Uuid, String), Option<f64>> {
    all.iter().flat_map(|(id, of)| of.as_object().unwrap().iter().map(|(q, v)| ((*id, q.clone()), v.as_f64()))).collect()
}

#[tokio::test]
async fn a_database_of_the_last_release_migrates_and_shows_the_same_numbers() {
    let app = TestApp::empty().await;
    let dump = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/data/release.sql.gz");
    let sql = Command::new("gzip").args(["-dc", dump]).output().unwrap();
    assert!(sql.status.success());
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    owner.execute(sqlx::AssertSqlSafe(String::from_utf8(sql.stdout).unwrap())).await.unwrap();
    owner.execute("select set_config('search_path', 'public', false)").await.unwrap();
    let before = computed(&mut owner, THEN).await;
    assert!(before.len() > 70, "the demo of the last release");

    scoring::migrate(&app.owner_url, None).await.unwrap();
    assert_eq!(numbers(&computed(&mut owner, NOW).await), numbers(&before));

    // Nothing comes out otherwise by the protocols that are stored, nor by today's.
    for by in [By::Stored, By::Today] {
        let mut changed = Vec::new();
        let tally = recompute(&app.owner_url, by, |c| changed.push(c.clone())).await.unwrap();
        assert_eq!((changed, tally.rewritten, tally.left), (Vec::new(), 0, 0), "{by:?}");
        assert_eq!(usize::try_from(tally.looked_at).unwrap(), before.len());
    }

    // Every page opens and shows what is stored; the own copy and the run of then are still what they were.
    let base = serve(&app.app_url, 60);
    let coach = app.browser_at(&base);
    let demo = coach.get("/welcome").await;
    coach.ok(Method::POST, "/session", json!({"email": demo["demo"]["email"], "password": demo["demo"]["password"]})).await;
    for (id, stored) in &before {
        let page = coach.get(&format!("/results/{id}")).await;
        for (quantity, value) in stored.as_object().unwrap() {
            let shown = page["report"]["quantities"].as_array().unwrap().iter().find(|q| q["key"] == **quantity).unwrap();
            let (a, b) = (shown["value"].as_f64().unwrap(), value.as_f64().unwrap());
            assert!((a - b).abs() < 1e-9, "{id} {quantity}: {a} and not {b}");
        }
    }
    let library = coach.get("/protocols").await;
    let copy = library.as_array().unwrap().iter().find(|p| p["name"] == "Four-minute bench step").unwrap();
    assert!(copy["based_on"] == "bench-step-3min");
    let run: uuid::Uuid = owner.fetch_one("select id from runs").await.unwrap().get("id");
    let run = coach.get(&format!("/runs/{run}")).await;
    assert!(run["closed"] == true && run["state"]["of"]["end_ms"].is_number(), "{run}");
}

#[tokio::test]
async fn a_score_that_drifted_is_rebuilt_from_its_readings_and_told() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let body = json!({
        "id": uuid::Uuid::now_v7(), "protocol": "chair-stand-30s", "on": "2026-03-01", "inputs": { "reps": 12 }, "conditions": { "chair_cm": 43 }
    });
    let kept = coach.ok(Method::POST, &format!("/people/{person}/results"), body).await["result"].clone();
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    owner.execute("update scores set value = 99 where quantity = 'reps'").await.unwrap();
    let mut changed = Vec::new();
    let tally = recompute(&app.owner_url, By::Stored, |c| changed.push(c.clone())).await.unwrap();
    assert_eq!((tally.looked_at, tally.rewritten, tally.left), (1, 1, 0));
    assert_eq!((changed[0].result.to_string(), changed[0].was, changed[0].is), (kept.as_str().unwrap().to_owned(), Some(99.0), Some(12.0)));
    let again = recompute(&app.owner_url, By::Stored, |_| panic!("nothing is left to change")).await.unwrap();
    assert_eq!(again.rewritten, 0);
}
