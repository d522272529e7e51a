//! Who is let in: passwords, sessions, founding a practice.

use std::time::Duration;

use impulso::settings::{Settings, limits};
use reqwest::{Client, Method, header};
use serde_json::{Value, json};

use crate::app::{TestApp, serve_set};

#[tokio::test]
async fn spaces_and_capitals_around_an_address_give_no_more_guesses() {
    let app = TestApp::spawn().await;
    app.new_practice("Harbour").await;
    let browser = app.browser();
    let mut statuses = Vec::new();
    for k in 0..limits::SIGN_INS_OF_ACCOUNT + 4 {
        let email = format!("{}Harbour@Example.org{}", " ".repeat(k as usize), "\u{2003}".repeat(k as usize % 3));
        let (status, answer) = browser.send(Method::POST, "/session", json!({"email": email, "password": "guess guess guess"})).await;
        statuses.push(status.as_u16());
        if status == 429 {
            assert_eq!(answer["code"], "too_many_tries");
        }
    }
    assert_eq!(statuses.iter().filter(|s| **s == 401).count(), limits::SIGN_INS_OF_ACCOUNT as usize, "{statuses:?}");
}

#[tokio::test]
async fn the_owner_is_let_in_while_somebody_guesses() {
    let app = TestApp::spawn().await;
    let owner = app.new_practice("Harbour").await;
    owner.ok(Method::DELETE, "/session", Value::Null).await;
    let attacker = app.browser();
    for _ in 0..limits::SIGN_INS_OF_ADDRESS + 5 {
        attacker.send(Method::POST, "/session", json!({"email": "harbour@example.org", "password": "guess guess guess"})).await;
    }
    let right = json!({"email": "harbour@example.org", "password": "long enough password"});
    assert_eq!(attacker.refused(Method::POST, "/session", right.clone()).await.0, 429, "from a browser that was never here");
    owner.ok(Method::POST, "/session", right).await;
}

#[tokio::test]
async fn passwords_are_checked_a_few_at_a_time_and_health_answers_meanwhile() {
    let app = TestApp::spawn().await;
    let base = serve_set(&Settings { password_checks: 1, ..Settings::of(&app.app_url) });
    let health = async || reqwest::get(format!("{base}/api/health")).await.unwrap().status();
    // A server that has just begun opens its connections first.
    for _ in 0..5 {
        assert_eq!(health().await, 200);
    }
    let guesses: Vec<_> = (0..55)
        .map(|k| {
            let url = format!("{base}/api/session");
            let body = json!({"email": format!("guess{k}@example.org"), "password": "guess guess guess"});
            tokio::spawn(async move { Client::new().post(url).json(&body).send().await.unwrap() })
        })
        .collect();
    tokio::time::sleep(Duration::from_millis(50)).await;
    assert_eq!(health().await, 200);
    let mut away = 0;
    for guess in guesses {
        let answer = guess.await.unwrap();
        match answer.status().as_u16() {
            401 => {}
            503 => {
                away += 1;
                assert!(answer.headers().contains_key(header::RETRY_AFTER));
            }
            other => panic!("{other}"),
        }
    }
    assert!(away >= 5, "the rest is sent away: {away}");
}

#[tokio::test]
async fn a_changed_password_ends_the_other_sessions_and_their_streams() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let elsewhere = app.signed_in_at(&app.base, "Harbour").await;
    // At another process, as behind a balancer.
    let second = serve_set(&Settings::of(&app.app_url));
    let run = coach.sets_up(&coach.adds("Someone").await).await;
    let mut stream = elsewhere.stream(&format!("/runs/{run}/live")).await;
    assert!(stream.chunk().await.unwrap().is_some(), "the run as it is");
    let change = |current: &str, new: &str| json!({"current": current, "new": new});
    assert_eq!(
        coach.refused(Method::PUT, "/session/password", change("wrong wrong wrong", "another good one")).await.2.as_deref(),
        Some("current")
    );
    assert_eq!(coach.refused(Method::PUT, "/session/password", change("long enough password", "short")).await.2.as_deref(), Some("new"));
    let at_second = app.signed_in_at(&second, "Harbour").await;
    at_second.ok(Method::PUT, "/session/password", change("long enough password", "another good one")).await;
    // The first process hears of it from the second.
    assert!(elsewhere.is_soon_signed_out().await);
    assert!(coach.is_soon_signed_out().await);
    at_second.get("/today").await;
    let ended = tokio::time::timeout(Duration::from_secs(5), async { while stream.chunk().await.ok().flatten().is_some() {} }).await;
    assert!(ended.is_ok(), "the stream ends with its session");
    let browser = app.browser();
    let with = |password: &str| json!({"email": "harbour@example.org", "password": password});
    assert_eq!(browser.refused(Method::POST, "/session", with("long enough password")).await.0, 401);
    browser.ok(Method::POST, "/session", with("another good one")).await;
}

#[tokio::test]
async fn a_removed_coach_is_out_at_once_and_the_history_keeps_the_name() {
    let app = TestApp::spawn().await;
    let ada = app.new_practice("Harbour").await;
    let form = json!({"name": "Piet", "email": "piet@example.org", "password": "another long one"});
    let page = ada.ok(Method::POST, "/practice/coaches", form.clone()).await;
    let of =
        |name: &str| page["coaches"].as_array().unwrap().iter().find(|c| c["name"] == name).unwrap()["id"].as_str().unwrap().to_owned();
    let piet = app.browser();
    piet.ok(Method::POST, "/session", json!({"email": "piet@example.org", "password": "another long one"})).await;
    let person = piet.adds("Shared Client").await;
    assert_eq!(piet.refused(Method::DELETE, &format!("/practice/coaches/{}", of("Ada Coach")), Value::Null).await.0, 403);
    assert_eq!(
        ada.refused(Method::DELETE, &format!("/practice/coaches/{}", of("Ada Coach")), Value::Null).await.0,
        403,
        "the founder stays"
    );
    ada.ok(Method::DELETE, &format!("/practice/coaches/{}", of("Piet")), Value::Null).await;
    assert_eq!(piet.refused(Method::GET, "/today", Value::Null).await.1, "signed_out");
    let again = json!({"email": "piet@example.org", "password": "another long one"});
    assert_eq!(piet.refused(Method::POST, "/session", again).await.0, 401);
    let lines = ada.get(&format!("/practice/audit?person={person}")).await["lines"].clone();
    assert!(lines.as_array().unwrap().iter().all(|l| l["coach"] == "Piet"), "{lines}");
    ada.ok(Method::POST, "/practice/coaches", form).await;
}

#[tokio::test]
async fn behind_tls_cookies_are_secure_and_the_public_name_is_answered_to() {
    let app = TestApp::spawn().await;
    app.new_practice("Harbour").await;
    let base = serve_set(&Settings { tls: true, hosts: vec!["tests.example".into()], ..Settings::of(&app.app_url) });
    let form = json!({"email": "harbour@example.org", "password": "long enough password"});
    let answer = Client::new().post(format!("{base}/api/session")).header("host", "tests.example").json(&form).send().await.unwrap();
    assert_eq!(answer.status(), 200);
    let cookies: Vec<_> = answer.headers().get_all("set-cookie").iter().map(|c| c.to_str().unwrap().to_owned()).collect();
    assert_eq!(cookies.len(), 2);
    assert!(cookies.iter().all(|c| c.contains("Secure") && c.contains("HttpOnly") && c.contains("SameSite=Strict")), "{cookies:?}");
}

#[tokio::test]
async fn practices_are_founded_a_few_an_hour_and_no_more() {
    let app = TestApp::spawn().await;
    let base = serve_set(&Settings { foundings_an_hour: 2, ..Settings::of(&app.app_url) });
    let mut last = 0;
    for k in 0..3 {
        let form = json!({"practice": "P", "time_zone": "UTC", "coach": "C", "email": format!("c{k}@example.org"), "password": "long enough password"});
        last = Client::new().post(format!("{base}/api/practices")).json(&form).send().await.unwrap().status().as_u16();
    }
    assert_eq!(last, 429);
}
