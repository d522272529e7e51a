//! Signing in, out, and what a session is worth.

use reqwest::{Client, Method};
use serde_json::{Value, json};

use crate::app::TestApp;

fn sign_in(email: &str, password: &str) -> Value {
    json!({"email": email, "password": password})
}

#[tokio::test]
async fn an_unknown_address_and_a_wrong_password_get_the_same_answer() {
    let app = TestApp::spawn().await;
    app.new_practice("Harbour").await;
    let browser = app.browser();
    let wrong = browser.send(Method::POST, "/session", sign_in("harbour@example.org", "not the password")).await;
    let unknown = browser.send(Method::POST, "/session", sign_in("nobody@example.org", "not the password")).await;
    assert_eq!(wrong, unknown);
    assert_eq!((wrong.0.as_u16(), wrong.1["code"].as_str()), (401, Some("wrong_credentials")));
    browser.ok(Method::POST, "/session", sign_in(" Harbour@Example.org ", "long enough password")).await;
    assert_eq!(browser.get("/session").await["practice"], "Harbour");
}

#[tokio::test]
async fn guessing_is_slowed_down() {
    let app = TestApp::spawn().await;
    app.new_practice("Harbour").await;
    let browser = app.browser();
    let mut last = 0;
    for _ in 0..12 {
        last = browser.refused(Method::POST, "/session", sign_in("harbour@example.org", "guess guess guess")).await.0;
    }
    assert_eq!(last, 429);
    let other = browser.refused(Method::POST, "/session", sign_in("someone@example.org", "guess guess guess")).await.0;
    assert_eq!(other, 401, "other addresses are not locked out");
}

#[tokio::test]
async fn without_a_session_nothing_but_the_front_door_answers() {
    let app = TestApp::spawn().await;
    let browser = app.browser();
    for path in ["/session", "/today", "/people", "/practice", "/protocols", "/retests", "/retests.ics", "/search"] {
        assert_eq!(browser.refused(Method::GET, path, Value::Null).await, (401, "signed_out".into(), None), "{path}");
    }
    assert_eq!(browser.get("/welcome").await, json!({"demo": null}));
}

#[tokio::test]
async fn signing_out_ends_the_session_even_for_a_copied_cookie() {
    let app = TestApp::spawn().await;
    app.new_practice("Harbour").await;
    let client = Client::new();
    let answer = client
        .post(format!("{}/api/session", app.base))
        .json(&sign_in("harbour@example.org", "long enough password"))
        .send()
        .await
        .unwrap();
    let cookies = answer.headers().get_all("set-cookie").iter().map(|c| c.to_str().unwrap().to_owned());
    let cookie = cookies.into_iter().find(|c| c.starts_with("impulso=")).unwrap();
    assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"), "{cookie}");
    let pair = cookie.split(';').next().unwrap();
    let ask = || client.get(format!("{}/api/session", app.base)).header("cookie", pair).send();
    assert_eq!(ask().await.unwrap().status(), 200);
    client.delete(format!("{}/api/session", app.base)).header("cookie", pair).send().await.unwrap();
    assert_eq!(ask().await.unwrap().status(), 401);
}

#[tokio::test]
async fn a_session_expires() {
    let app = TestApp::spawn_with(0).await;
    let browser = app.new_practice("Harbour").await;
    assert_eq!(browser.refused(Method::GET, "/today", Value::Null).await.1, "signed_out");
}

#[tokio::test]
async fn every_answer_carries_the_security_headers() {
    let app = TestApp::spawn().await;
    for path in ["/", "/api/welcome", "/api/today", "/nowhere"] {
        let answer = Client::new().get(format!("{}{path}", app.base)).send().await.unwrap();
        let header = |name: &str| answer.headers().get(name).map(|v| v.to_str().unwrap().to_owned()).unwrap_or_default();
        let policy = header("content-security-policy");
        assert!(policy.contains("script-src 'self' 'wasm-unsafe-eval';") && policy.contains("frame-ancestors 'none'"), "{path}: {policy}");
        assert_eq!((header("x-content-type-options").as_str(), header("referrer-policy").as_str()), ("nosniff", "same-origin"), "{path}");
    }
}

#[tokio::test]
async fn several_coaches_share_a_practice() {
    let app = TestApp::spawn().await;
    let ada = app.new_practice("Harbour").await;
    ada.ok(Method::POST, "/practice/coaches", json!({"name": "Piet", "email": "piet@example.org", "password": "another long one"})).await;
    assert_eq!(
        ada.refused(
            Method::POST,
            "/practice/coaches",
            json!({"name": "Piet", "email": "PIET@example.org", "password": "another long one"})
        )
        .await
        .1,
        "email_taken"
    );
    let piet = app.browser();
    piet.ok(Method::POST, "/session", sign_in("piet@example.org", "another long one")).await;
    let person = ada.adds("Shared Client").await;
    assert_eq!(piet.get(&format!("/people/{person}")).await["form"]["name"], "Shared Client");
}

#[tokio::test]
async fn the_front_end_is_served_for_its_own_paths_and_nothing_else() {
    let app = TestApp::spawn().await;
    let get = |path: &str| {
        let url = format!("{}{path}", app.base);
        async move { reqwest::get(url).await.unwrap() }
    };
    for path in ["/", "/people/anyone", "/sign-in"] {
        let page = get(path).await;
        assert_eq!((page.status().as_u16(), page.headers()["cache-control"].to_str().unwrap()), (200, "no-cache"), "{path}");
        assert!(page.text().await.unwrap().contains("<div id=\"app\">"), "{path}: build the front end first");
    }
    assert_eq!(get("/assets/no-such-file.js").await.status(), 404);
    assert_eq!(get("/api/no-such-route").await.status(), 404);
    let page = get("/").await.text().await.unwrap();
    let script = page.split("src=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let asset = get(&script).await;
    assert!(asset.headers()["cache-control"].to_str().unwrap().contains("immutable"));
    assert!(asset.headers()["content-type"].to_str().unwrap().contains("javascript"));
}
