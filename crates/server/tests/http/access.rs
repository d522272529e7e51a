//! Nobody is locked out, nobody else gets in: links for a new password, the second factor, a practice that is handed over; and what clients
//! agree to.

use std::process::Command;

use chrono::{DateTime, Utc};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use sqlx::{Connection, PgConnection};
use totp_rs::{Algorithm, Builder, Secret};
use uuid::Uuid;

use crate::{
    app::{Browser, TestApp, person, run},
    everything::{exported, tables, takes_in, unpacked},
};

const PASSWORD: &str = "long enough password";

/// The founder, another coach, and the other coach's key.
async fn two(app: &TestApp) -> (Browser, Browser, String) {
    let ada = app.new_practice("Harbour").await;
    let form = json!({ "name": "Piet", "email": "piet@example.org", "password": PASSWORD });
    let page = ada.ok(Method::POST, "/practice/coaches", form).await;
    let id = page["coaches"].as_array().unwrap().iter().find(|c| c["name"] == "Piet").unwrap()["id"].as_str().unwrap().to_owned();
    let piet = app.browser();
    signs_in(&piet, "piet@example.org", PASSWORD, None).await;
    (ada, piet, id)
}

async fn signs_in(browser: &Browser, email: &str, password: &str, code: Option<&str>) -> (StatusCode, Value) {
    browser.send(Method::POST, "/session", json!({ "email": email, "password": password, "code": code })).await
}

/// Lines of the activity log, the latest first.
async fn log(coach: &Browser) -> Vec<String> {
    let page = coach.get("/practice/audit").await;
    page["lines"].as_array().unwrap().iter().map(|l| l["did"].as_str().unwrap().to_owned()).collect()
}

#[tokio::test]
async fn the_founder_makes_a_link_that_sets_a_new_password_once_and_signs_the_coach_out() {
    let app = TestApp::spawn().await;
    let (ada, piet, id) = two(&app).await;
    let make = format!("/practice/coaches/{id}/password-link");
    assert_eq!(piet.refused(Method::POST, &make, Value::Null).await.1, "founders_only");
    let first = ada.ok(Method::POST, &make, Value::Null).await["path"].as_str().unwrap().to_owned();
    assert!(piet.is_soon_signed_out().await);
    let made = ada.ok(Method::POST, &make, Value::Null).await;
    let path = made["path"].as_str().unwrap().to_owned();
    let until: DateTime<Utc> = made["until"].as_str().unwrap().parse().unwrap();
    assert!((until - Utc::now()).num_minutes() <= 60);
    let stranger = app.browser();
    assert_eq!(stranger.refused(Method::GET, &first, Value::Null).await.0, 404, "a newer link ends the one before it");
    let page = stranger.get(&path).await;
    assert_eq!(
        (page["name"].as_str(), page["email"].as_str(), page["practice"].as_str()),
        (Some("Piet"), Some("piet@example.org"), Some("Harbour"))
    );
    assert_eq!(stranger.refused(Method::POST, &path, json!({ "password": "short" })).await.0, 422);
    stranger.ok(Method::POST, &path, json!({ "password": "a new long password" })).await;
    assert_eq!(stranger.refused(Method::POST, &path, json!({ "password": "a third long password" })).await.0, 404, "for one use");
    assert_eq!(signs_in(&piet, "piet@example.org", PASSWORD, None).await.0, 401);
    assert_eq!(signs_in(&piet, "piet@example.org", "a new long password", None).await.0, 200);
    let done = log(&ada).await;
    assert!(
        done.contains(&"made a link for a new password".to_owned()) && done.contains(&"set a new password by a link".to_owned()),
        "{done:?}"
    );
    // After an hour it opens nothing, and none is made for a coach who was taken out.
    let late = ada.ok(Method::POST, &make, Value::Null).await["path"].as_str().unwrap().to_owned();
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    sqlx::query("update password_links set expires_at = now() - interval '1 second'").execute(&mut owner).await.unwrap();
    assert_eq!(stranger.refused(Method::GET, &late, Value::Null).await.0, 404);
    ada.ok(Method::DELETE, &format!("/practice/coaches/{id}"), Value::Null).await;
    assert_eq!(ada.refused(Method::POST, &make, Value::Null).await.0, 404);
}

#[tokio::test]
async fn whoever_runs_the_machine_prints_a_link_for_a_new_password() {
    let app = TestApp::spawn().await;
    let ada = app.new_practice("Harbour").await;
    let reset = |email: &str| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_impulso"));
        command.args(["reset-password", email, "--address", &app.base]).env("IMPULSO_DATABASE_URL", &app.app_url).output().unwrap()
    };
    let unknown = reset("nobody@example.org");
    assert!(!unknown.status.success() && String::from_utf8_lossy(&unknown.stderr).contains("Check the address"));
    let printed = String::from_utf8(reset(" Harbour@example.org").stdout).unwrap();
    let path = printed.trim().strip_prefix(&app.base).unwrap().to_owned();
    assert!(ada.is_soon_signed_out().await);
    let stranger = app.browser();
    stranger.ok(Method::POST, &path, json!({ "password": "a new long password" })).await;
    assert_eq!(signs_in(&ada, "harbour@example.org", "a new long password", None).await.0, 200);
    assert!(log(&ada).await.contains(&"set a new password by a link".to_owned()));
}

/// The code that a phone shows for a secret, so many steps from now.
fn code(secret: &str, steps: i64) -> String {
    let totp = Builder::new().with_algorithm(Algorithm::SHA1).with_digits(6).with_secret(Secret::try_from_base32(secret).unwrap());
    totp.build_noncompliant().generate((Utc::now().timestamp() + 30 * steps).unsigned_abs()).to_string()
}

/// Sets a second factor up; gives the secret and the recovery codes.
async fn sets_up(coach: &Browser) -> (String, Vec<String>) {
    let shown = coach.ok(Method::POST, "/session/second-factor", json!({ "password": PASSWORD })).await;
    let secret = shown["secret"].as_str().unwrap().to_owned();
    assert!(shown["path"].as_str().unwrap().starts_with('M') && shown["address"].as_str().unwrap().contains(&secret));
    let kept = coach.ok(Method::PUT, "/session/second-factor", json!({ "code": code(&secret, -1) })).await;
    (secret, kept["codes"].as_array().unwrap().iter().map(|c| c.as_str().unwrap().to_owned()).collect())
}

#[tokio::test]
async fn with_a_second_factor_a_password_alone_opens_nothing_and_each_code_opens_once() {
    let app = TestApp::spawn().await;
    let (ada, piet, id) = two(&app).await;
    assert_eq!(
        piet.refused(Method::POST, "/session/second-factor", json!({ "password": "wrong password" })).await.2.as_deref(),
        Some("password")
    );
    assert_eq!(piet.refused(Method::PUT, "/session/second-factor", json!({ "code": "000000" })).await.0, 422, "nothing was begun");
    let (secret, recovery) = sets_up(&piet).await;
    assert_eq!(recovery.len(), 10);
    assert_eq!(piet.get("/session/second-factor").await, json!({ "on": true, "required": false, "recovery_left": 10 }));
    let phone = app.browser();
    let (status, answer) = signs_in(&phone, "piet@example.org", PASSWORD, None).await;
    assert_eq!((status.as_u16(), answer["code"].as_str()), (401, Some("second_factor_needed")));
    assert_eq!(phone.send(Method::GET, "/today", Value::Null).await.0, 401);
    assert_eq!(signs_in(&phone, "piet@example.org", "wrong password", Some(&code(&secret, 0))).await.1["code"], "wrong_credentials");
    assert_eq!(signs_in(&phone, "piet@example.org", PASSWORD, Some("000000")).await.1["code"], "wrong_code");
    let now = code(&secret, 0);
    assert_eq!(signs_in(&phone, "piet@example.org", PASSWORD, Some(&now)).await.0, 200);
    assert_eq!(signs_in(&app.browser(), "piet@example.org", PASSWORD, Some(&now)).await.1["code"], "wrong_code", "it was used");
    // Without the phone: each recovery code once.
    assert_eq!(signs_in(&phone, "piet@example.org", PASSWORD, Some(&recovery[0])).await.0, 200);
    assert_eq!(signs_in(&phone, "piet@example.org", PASSWORD, Some(&recovery[0])).await.0, 401);
    assert_eq!(phone.get("/session/second-factor").await["recovery_left"], 9);
    let renewed = phone.ok(Method::POST, "/session/second-factor/recovery", json!({ "code": recovery[1] })).await;
    assert_eq!(signs_in(&phone, "piet@example.org", PASSWORD, Some(&recovery[2])).await.0, 401, "the old ones are worth nothing");
    assert_eq!(signs_in(&phone, "piet@example.org", PASSWORD, renewed["codes"][0].as_str()).await.0, 200);
    // The phone and the codes are lost: the founder takes it off.
    let off = format!("/practice/coaches/{id}/second-factor");
    assert_eq!(phone.refused(Method::DELETE, &off, Value::Null).await.1, "founders_only");
    ada.ok(Method::DELETE, &off, Value::Null).await;
    assert!(phone.is_soon_signed_out().await);
    assert_eq!(signs_in(&phone, "piet@example.org", PASSWORD, None).await.0, 200);
    let done = log(&ada).await;
    assert!(
        done.contains(&"took a coach’s second factor off".to_owned()) && done.contains(&"turned on their second factor".to_owned()),
        "{done:?}"
    );
    // One's own is turned off with the password.
    sets_up(&phone).await;
    phone.ok(Method::POST, "/session/second-factor/off", json!({ "password": PASSWORD })).await;
    assert_eq!(signs_in(&phone, "piet@example.org", PASSWORD, None).await.0, 200);
}

#[tokio::test]
async fn codes_cannot_be_guessed_and_a_guesser_locks_nobody_out() {
    let app = TestApp::spawn().await;
    let (_, piet, _) = two(&app).await;
    let (secret, _) = sets_up(&piet).await;
    // From a browser that never signed in: twenty tries, ten a minute.
    let mut limited = 0;
    for _ in 0..30 {
        limited += u32::from(signs_in(&app.browser(), "piet@example.org", PASSWORD, Some("123456")).await.0 == 429);
    }
    assert!(limited >= 10, "{limited}");
    assert_eq!(signs_in(&piet, "piet@example.org", PASSWORD, Some(&code(&secret, 0))).await.0, 200, "their own browser is let in");
}

#[tokio::test]
async fn a_practice_can_ask_every_coach_for_a_second_factor() {
    let app = TestApp::spawn().await;
    let (ada, piet, _) = two(&app).await;
    let form = |required: bool| json!({ "name": "Harbour", "time_zone": "UTC", "mass_weeks": 8, "month_first": false, "second_factor_required": required });
    assert_eq!(piet.refused(Method::PUT, "/practice", form(true)).await.1, "founders_only");
    assert_eq!(ada.refused(Method::PUT, "/practice", form(true)).await.2.as_deref(), Some("second_factor_required"), "their own first");
    sets_up(&ada).await;
    assert_eq!(ada.ok(Method::PUT, "/practice", form(true)).await["second_factor_required"], true);
    assert!(piet.is_soon_signed_out().await);
    let (status, session) = signs_in(&piet, "piet@example.org", PASSWORD, None).await;
    assert_eq!((status.as_u16(), session["lacks_second_factor"].as_bool()), (200, Some(true)));
    for path in ["/today", "/people", "/practice/export"] {
        assert_eq!(piet.refused(Method::GET, path, Value::Null).await.1, "second_factor_required", "{path}");
    }
    assert_eq!(piet.get("/session").await["lacks_second_factor"], true);
    sets_up(&piet).await;
    assert_eq!((piet.get("/session").await["lacks_second_factor"].as_bool(), piet.get("/today").await.is_object()), (Some(false), true));
    assert_eq!(
        piet.refused(Method::POST, "/session/second-factor/off", json!({ "password": PASSWORD })).await.0,
        422,
        "the practice asks for it"
    );
    assert_eq!(ada.ok(Method::PUT, "/practice", form(false)).await["second_factor_required"], false);
}

#[tokio::test]
async fn a_practice_is_handed_over_and_the_founder_can_be_taken_out_then() {
    let app = TestApp::spawn().await;
    let (ada, piet, id) = two(&app).await;
    let adas = ada.get("/session").await["id"].as_str().unwrap().to_owned();
    let hand = |to: &str, password: &str| json!({ "to": to, "password": password });
    assert_eq!(piet.refused(Method::PUT, "/practice/founder", hand(&id, PASSWORD)).await.1, "founders_only");
    assert_eq!(ada.refused(Method::PUT, "/practice/founder", hand(&id, "wrong password")).await.2.as_deref(), Some("password"));
    assert_eq!(ada.refused(Method::PUT, "/practice/founder", hand(&Uuid::now_v7().to_string(), PASSWORD)).await.0, 404);
    let page = ada.ok(Method::PUT, "/practice/founder", hand(&id, PASSWORD)).await;
    let founders: Vec<_> =
        page["coaches"].as_array().unwrap().iter().filter(|c| c["is_founder"] == true).map(|c| c["name"].clone()).collect();
    assert_eq!(founders, [json!("Piet")]);
    // The open work of one who leaves stays, and another goes on with it.
    let open = ada.sets_up(&ada.adds("Teo").await).await;
    piet.ok(Method::DELETE, &format!("/practice/coaches/{adas}"), Value::Null).await;
    assert!(ada.is_soon_signed_out().await);
    assert!(piet.get("/today").await["open_runs"].to_string().contains(&open));
    let mut screen = crate::app::Screen::new();
    piet.posts(&open, &[screen.at(0, json!({ "kind": "clock_started" }))]).await;
    assert!(log(&piet).await.contains(&"handed the practice over".to_owned()));
}

fn agrees(kind: &str, agreed: bool, by: &str) -> Value {
    json!({ "id": Uuid::now_v7(), "kind": kind, "agreed": agreed, "on": Utc::now().date_naive(), "by": by })
}

#[tokio::test]
async fn consent_is_kept_with_its_history_and_comes_out_with_the_record_and_the_practice() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let teo = coach.adds("Teo").await;
    let path = format!("/people/{teo}/consents");
    assert_eq!(coach.get(&path).await["testing"], json!([]));
    let given = agrees("testing", true, "Teo");
    coach.ok(Method::POST, &path, given.clone()).await;
    coach.ok(Method::POST, &path, given).await;
    let page = coach.ok(Method::POST, &path, agrees("testing", false, "Teo")).await;
    assert_eq!(
        (page["testing"].as_array().unwrap().len(), page["testing"][0]["agreed"].as_bool()),
        (2, Some(false)),
        "changed, and both stay"
    );
    assert_eq!(coach.refused(Method::POST, &path, agrees("testing", true, " ")).await.2.as_deref(), Some("by"));
    // A minor's guardian answers.
    let id = Uuid::now_v7();
    let mut young = person(id, "Noor Lund");
    young["born"] = json!("2014-05-04");
    coach.ok(Method::POST, "/people", young).await;
    let path = format!("/people/{id}/consents");
    assert_eq!(coach.get(&path).await["minor"], true);
    assert!(
        coach.send(Method::POST, &path, agrees("testing", true, "noor lund")).await.1["message"].as_str().unwrap().contains("guardian")
    );
    let page = coach.ok(Method::POST, &path, agrees("photographs", true, "Ada Lund")).await;
    assert_eq!(page["photographs"][0]["guardian"], true);
    // Nothing is stopped by it unless the practice says so.
    coach.sets_up(&teo).await;
    let archive = exported(&coach).await;
    assert_eq!(tables(&unpacked(&archive))["consents"].as_array().unwrap().len(), 3);
    let there = app.new_practice("Newhouse").await;
    assert_eq!(takes_in(&there, archive).await.1["identical"], true);
    assert_eq!(there.get(&path).await["photographs"][0]["by"], "Ada Lund");
    assert_eq!(coach.get(&format!("/people/{teo}/record")).await["consents"].as_array().unwrap().len(), 2);
    let done = log(&coach).await;
    assert!(
        done.contains(&"recorded a consent".to_owned()) && done.contains(&"recorded that consent was not given".to_owned()),
        "{done:?}"
    );
    coach.ok(Method::POST, &format!("/people/{teo}/erase"), json!({ "name": "Teo" })).await;
    assert_eq!(
        app.count("select count(*) from consents where agreed = false").await,
        1,
        "erased with the person; the other practice keeps its own"
    );
}

#[tokio::test]
async fn where_the_practice_asks_for_consent_nothing_begins_without_it_by_any_door() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let teo = coach.adds("Teo").await;
    let visit = Uuid::now_v7();
    let conditions = json!({ "arms": "swing", "warm_up": true });
    coach
        .ok(Method::POST, &format!("/people/{teo}/visits"), json!({ "id": visit, "battery": "vertical-jump", "conditions": conditions }))
        .await;
    let form = json!({ "name": "Harbour", "time_zone": "UTC", "mass_weeks": 8, "month_first": false, "consent_required": true });
    assert_eq!(coach.ok(Method::PUT, "/practice", form).await["consent_required"], true);
    let today = coach.get("/session").await["today"].clone();
    let paper = json!({ "id": Uuid::now_v7(), "protocol": "vertical-jump", "on": today, "inputs": { "reach_cm": 215, "touch_cm": [250.0] }, "conditions": conditions });
    let doors = [
        ("/runs".to_owned(), run(Uuid::now_v7(), &teo)),
        (format!("/people/{teo}/results"), paper),
        (format!("/visits/{visit}/self-links"), json!({ "id": Uuid::now_v7() })),
    ];
    for (path, body) in &doors {
        let (status, answer) = coach.send(Method::POST, path, body.clone()).await;
        assert_eq!((status.as_u16(), answer["field"].as_str()), (422, Some("consent")), "{path}: {answer}");
        assert!(answer["message"].as_str().unwrap().starts_with("Teo has not agreed to being tested"), "{answer}");
    }
    let photo = async || {
        let request = coach.client().post(format!("{}/api/people/{teo}/photos?view=front", coach.base()));
        request.header("content-type", "application/octet-stream").body(vec![1, 2, 3]).send().await.unwrap().json::<Value>().await.unwrap()
    };
    assert_eq!(photo().await["field"], "consent");
    coach.ok(Method::POST, &format!("/people/{teo}/consents"), agrees("testing", true, "Teo")).await;
    for (path, body) in &doors {
        coach.ok(Method::POST, path, body.clone()).await;
    }
    assert_eq!(photo().await["field"], "consent", "photographs ask for their own");
    coach.ok(Method::POST, &format!("/people/{teo}/consents"), agrees("photographs", true, "Teo")).await;
    assert_ne!(photo().await["field"], "consent");
    // And taken back.
    coach.ok(Method::POST, &format!("/people/{teo}/consents"), agrees("testing", false, "Teo")).await;
    assert_eq!(coach.refused(Method::POST, "/runs", run(Uuid::now_v7(), &teo)).await.2.as_deref(), Some("consent"));
}
