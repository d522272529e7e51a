//! Many clients at once: a pasted list, and made-up ones to look around with.

use reqwest::Method;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::TestApp;

fn to_add(read: &Value) -> Vec<Value> {
    let cell = |line: &Value| json!({ "id": Uuid::now_v7(), "name": line["name"], "born": line["born"], "sex": line["sex"], "height": line["height"], "mass": line["mass"] });
    read["lines"].as_array().unwrap().iter().map(cell).collect()
}

#[tokio::test]
async fn a_pasted_list_says_what_is_wrong_in_which_cell_and_goes_in_whole() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    coach.adds("Maud Ellery").await;
    let read = |lines: Value| coach.ok(Method::POST, "/people/list/read", lines);
    let text = "Name\tBorn\tSex\tHeight\tWeight\nEllery, Maud\t2/4/1990\tf\t172\t64\nNoor Haddane\t3.5.91\tw\t1,68 m\t58\nRurik Dane\t31/2/1990\tx\t\t\nNoor Haddane\t3 May 1991\t\t\t\n";
    let found = read(json!({ "text": text, "units": "metric" })).await;
    let lines = found["lines"].as_array().unwrap();
    assert_eq!(lines[0]["near"][0]["name"], "Maud Ellery");
    assert_eq!((lines[1]["born_on"].as_str(), lines[1]["faults"].as_array().unwrap().len()), (Some("1991-05-03"), 0));
    let fields: Vec<&str> = lines[2]["faults"].as_array().unwrap().iter().map(|f| f["field"].as_str().unwrap()).collect();
    assert_eq!(fields, ["born", "sex"]);
    assert_eq!(lines[3]["twin"], 2);
    // With a fault nobody comes in.
    let mut all = to_add(&found);
    let (status, answer) = coach.send(Method::POST, "/people/list", json!({ "lines": all, "units": "metric" })).await;
    assert_eq!((status.as_u16(), answer["detail"]["faults"][0]["line"].as_u64()), (422, Some(3)));
    assert_eq!(coach.get("/people").await["total"], 1);
    // Put right, in whole; twice is once.
    all[2]["born"] = json!("28/2/1990");
    all[2]["sex"] = json!("m");
    all.truncate(3);
    for _ in 0..2 {
        let added = coach.ok(Method::POST, "/people/list", json!({ "lines": all[1..], "units": "metric" })).await;
        assert_eq!(added["added"], 2);
        assert_eq!(coach.get("/people").await["total"], 3);
    }
    let noor = coach.get(&format!("/people/{}", all[1]["id"].as_str().unwrap())).await;
    assert_eq!((noor["form"]["height"].as_str(), noor["form"]["sex"].as_str()), (Some("1,68 m"), Some("female")));
}

#[tokio::test]
async fn the_order_of_day_and_month_is_the_practices() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let practice = coach.get("/practice").await;
    let change = json!({ "name": practice["name"], "time_zone": practice["time_zone"], "mass_weeks": 8, "month_first": true });
    coach.ok(Method::PUT, "/practice", change).await;
    assert_eq!(coach.get("/session").await["month_first"], true);
    let read = coach.ok(Method::POST, "/people/list/read", json!({ "text": "Noor\t4/2/1990", "units": "metric" })).await;
    assert_eq!(read["lines"][0]["born_on"], "1990-04-02");
    let long = coach.send(Method::POST, "/people/list/read", json!({ "text": "Noor\n".repeat(501), "units": "metric" })).await;
    assert_eq!(long.0.as_u16(), 422);
}

#[tokio::test]
async fn made_up_clients_come_and_go_and_say_nothing_about_the_practice() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let real = coach.adds("Maud Ellery").await;
    let came = coach.ok(Method::POST, "/practice/made-up", json!({})).await["people"].as_u64().unwrap();
    let today = coach.get("/today").await;
    assert_eq!((today["made_up"].as_u64(), today["people"].as_u64()), (Some(came), Some(came + 1)));
    assert_eq!(coach.send(Method::POST, "/practice/made-up", json!({})).await.0.as_u16(), 409);
    // Years of repeats, and none of them the practice's own.
    let method = coach.get("/protocols/bench-step-3min").await;
    let said = method["measurement_errors"].to_string();
    assert!(!said.contains("pairs in this practice"), "{said}");
    assert_eq!(app.count("select count(*) from repeats").await, 0);
    coach.ok(Method::DELETE, "/practice/made-up", json!({})).await;
    let today = coach.get("/today").await;
    assert_eq!((today["made_up"].as_u64(), today["people"].as_u64()), (Some(0), Some(1)));
    assert_eq!(coach.get(&format!("/people/{real}")).await["form"]["name"], "Maud Ellery");
    assert_eq!(app.count("select count(*) from results").await, 0);
    // And come again.
    coach.ok(Method::POST, "/practice/made-up", json!({})).await;
}
