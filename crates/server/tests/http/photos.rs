//! Photographs: written anew, kept of a day, shown to nobody but the practice and whom the coach says.

use std::io::Cursor;

use image::{DynamicImage, ImageFormat, Rgb, RgbImage};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::{Browser, TestApp};

fn picture(shade: u8) -> Vec<u8> {
    let mut bytes = Cursor::new(Vec::new());
    let drawn = RgbImage::from_pixel(300, 400, Rgb([shade, 90, 60]));
    DynamicImage::ImageRgb8(drawn).write_to(&mut bytes, ImageFormat::Png).unwrap();
    bytes.into_inner()
}

async fn sends(coach: &Browser, path: &str, bytes: Vec<u8>) -> (StatusCode, Value) {
    let request = coach.client().post(format!("{}/api{path}", coach.base())).header("content-type", "application/octet-stream");
    let answer = request.body(bytes).send().await.unwrap();
    let status = answer.status();
    (status, serde_json::from_str(&answer.text().await.unwrap()).unwrap_or_default())
}

#[tokio::test]
async fn a_photograph_is_kept_of_a_day_taken_again_and_taken_away() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let path = format!("/people/{person}/photos");
    let (status, first) = sends(&coach, &format!("{path}?view=front"), picture(10)).await;
    assert_eq!((status, first["width"].as_u64(), first["height"].as_u64()), (StatusCode::OK, Some(300), Some(400)), "{first}");
    let (_, again) = sends(&coach, &format!("{path}?view=front"), picture(200)).await;
    assert_ne!(first["id"], again["id"], "the second takes the place of the first");
    let page = coach.get(&path).await;
    let earlier = page["today"].as_str().unwrap().replace("2026", "2025");
    sends(&coach, &format!("{path}?view=back&on={earlier}"), picture(50)).await;
    let page = coach.get(&path).await;
    let days: Vec<(&str, usize)> =
        page["days"].as_array().unwrap().iter().map(|d| (d["on"].as_str().unwrap(), d["shots"].as_array().unwrap().len())).collect();
    assert_eq!(days, [(page["today"].as_str().unwrap(), 1), (earlier.as_str(), 1)]);
    let shown = coach.raw(Method::GET, &format!("/photos/{}", again["id"].as_str().unwrap())).await;
    assert_eq!((shown.status(), shown.headers()["content-type"].to_str().unwrap()), (StatusCode::OK, "image/jpeg"));
    assert_eq!(image::load_from_memory(&shown.bytes().await.unwrap()).unwrap().width(), 300);
    let gone = coach.raw(Method::GET, &format!("/photos/{}", first["id"].as_str().unwrap())).await;
    assert_eq!(gone.status(), StatusCode::NOT_FOUND);

    // Another practice sees nothing of it, and neither does anybody without an account.
    let other = app.new_practice("Otherplace").await;
    for (method, path) in [(Method::GET, path.clone()), (Method::GET, format!("/photos/{}", again["id"].as_str().unwrap()))] {
        assert_eq!(other.raw(method.clone(), &path).await.status(), StatusCode::NOT_FOUND, "{path}");
        assert_eq!(app.browser().raw(method, &path).await.status(), StatusCode::UNAUTHORIZED, "{path}");
    }
    assert_eq!(sends(&other, &format!("{path}?view=left"), picture(1)).await.0, StatusCode::NOT_FOUND);
    coach.ok(Method::DELETE, &format!("/photos/{}", again["id"].as_str().unwrap()), Value::Null).await;
    let left = coach.get(&path).await["days"].clone();
    assert_eq!(left.as_array().unwrap().len(), 1);
    let last = format!("/photos/{}", left[0]["shots"][0]["id"].as_str().unwrap());
    assert_eq!(coach.raw(Method::GET, &last).await.status(), StatusCode::OK);
    coach.ok(Method::POST, &format!("/people/{person}/erase"), json!({ "name": "Joren" })).await;
    assert_eq!(coach.raw(Method::GET, &last).await.status(), StatusCode::NOT_FOUND, "it leaves with the client");
}

#[tokio::test]
async fn what_is_no_photograph_is_refused_with_a_reason() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let path = format!("/people/{person}/photos");
    let why = async |query: &str, bytes: Vec<u8>| {
        let (status, answer) = sends(&coach, &format!("{path}?{query}"), bytes).await;
        (status.as_u16(), answer["message"].as_str().unwrap_or_default().to_owned())
    };
    assert_eq!(why("view=front", vec![0; 40 * 1024 * 1024]).await.0, 413);
    let (status, message) = why("view=front", b"%PDF-1.4 holiday.jpg".to_vec()).await;
    assert!(status == 422 && message.contains("PDF"), "{message}");
    let svg = b"<svg xmlns='http://www.w3.org/2000/svg' onload='alert(1)'/>".to_vec();
    assert!(why("view=front", svg).await.1.contains("SVG"));
    assert!(why("view=above", picture(1)).await.1.contains("from the front"));
    assert_eq!(why("view=front&on=2199-01-01", picture(1)).await.0, 422);
    assert!(coach.get(&path).await["days"].as_array().unwrap().is_empty(), "nothing of it is kept");
}

#[tokio::test]
async fn a_link_shows_photographs_only_where_the_coach_says_so() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let (_, shot) = sends(&coach, &format!("/people/{person}/photos?view=front"), picture(10)).await;
    let stranger = coach.adds("Somebody Else").await;
    let (_, other) = sends(&coach, &format!("/people/{stranger}/photos?view=front"), picture(10)).await;
    let visit = coach
        .ok(
            Method::POST,
            &format!("/people/{person}/visits"),
            json!({ "id": Uuid::now_v7(), "battery": "plank", "conditions": { "support": "forearm", "limit_s": "30" } }),
        )
        .await;
    let share = async |photos: bool| {
        let form = json!({ "id": Uuid::now_v7(), "days": 3, "places": [0], "photos": photos });
        let made = coach.ok(Method::POST, &format!("/visits/{}/links", visit["id"].as_str().unwrap()), form).await;
        made["path"].as_str().unwrap().replace("/report/", "/reports/")
    };
    let (with, without) = (share(true).await, share(false).await);
    let client = app.browser();
    assert_eq!(client.get(&with).await["photos"][0]["shots"][0]["id"], shot["id"]);
    assert!(client.get(&without).await["photos"].as_array().unwrap().is_empty());
    let status = async |path: &str, id: &Value| client.raw(Method::GET, &format!("{path}/photos/{}", id.as_str().unwrap())).await.status();
    assert_eq!(status(&with, &shot["id"]).await, StatusCode::OK);
    assert_eq!(status(&without, &shot["id"]).await, StatusCode::NOT_FOUND);
    assert_eq!(status(&with, &other["id"]).await, StatusCode::NOT_FOUND, "nobody else’s");
}
