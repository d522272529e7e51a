//! Windows and scoring tables: tries free, the best counts, points by the table of the day, another table for the past.

use reqwest::Method;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::{Browser, TestApp};

async fn said(coach: &Browser, visit: &str, happened: Value) -> Value {
    let body = json!({ "id": Uuid::now_v7(), "event": happened });
    coach.ok(Method::POST, &format!("/visits/{visit}/events"), body).await
}

async fn typed(coach: &Browser, person: &str, visit: &Value, place: usize, protocol: &str, inputs: Value, conditions: Value) -> Value {
    let form = json!({
        "id": Uuid::now_v7(), "protocol": protocol, "on": visit["on"], "inputs": inputs, "conditions": conditions,
        "visit": { "visit": visit["id"], "place": place }
    });
    coach.ok(Method::POST, &format!("/people/{person}/results"), form).await
}

async fn five_skills(coach: &Browser, person: &str) -> Value {
    let plan = coach.get(&format!("/people/{person}/visits/new?battery=five-skills")).await;
    let answers: serde_json::Map<String, Value> = plan["asked"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|c| c["required"] == true)
        .map(|c| {
            let answer = match c["kind"].as_str().unwrap() {
                "choice" => c["choices"][0][0].clone(),
                "yes_no" => json!(true),
                "number" => json!(30),
                _ => json!("as always"),
            };
            (c["key"].as_str().unwrap().to_owned(), answer)
        })
        .collect();
    let form = json!({ "id": Uuid::now_v7(), "battery": "five-skills", "conditions": answers });
    coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await
}

#[tokio::test]
async fn in_a_window_the_best_try_counts_and_brings_its_points() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let visit = five_skills(&coach, &person).await;
    let id = visit["id"].as_str().unwrap();
    assert_eq!((visit["window"]["minutes"].as_u64(), visit["window"]["until"].is_null()), (Some(30), true));
    let begun = said(&coach, id, json!({ "kind": "window_begun" })).await;
    assert!(begun["visit"]["window"]["until"].is_string());
    for seconds in [[12.0], [26.0], [9.0]] {
        typed(&coach, &person, &visit, 0, "hold", json!({ "seconds": seconds }), json!({ "what": "L-sit" })).await;
    }
    let page = coach.get(&format!("/visits/{id}")).await;
    let row = &page["rows"][0];
    assert_eq!((row["tries"].as_u64(), row["figures"][0]["value"].as_str()), (Some(3), Some("26 s")), "{row}");
    assert_eq!((row["points"]["points"].as_f64(), row["points"]["of"].as_f64()), (Some(4.0), Some(5.0)));
    assert!(row["change"].is_null(), "there was no last time, only tries of today: {row}");
    assert_eq!((page["total"]["points"].as_f64(), page["total"]["most"].as_f64()), (Some(4.0), Some(25.0)));
    let closed = said(&coach, id, json!({ "kind": "closed" })).await;
    assert_eq!(closed["visit"]["closed"], true);

    // A goal may be about the total; the visit that reaches it writes the day down.
    let goal = json!({ "id": Uuid::now_v7(), "protocol": "five-skills", "quantity": "total_points", "to": 8, "by": "2199-01-01" });
    let lower = json!({ "id": Uuid::now_v7(), "protocol": "five-skills", "quantity": "total_points", "to": 2, "by": "2199-01-01" });
    assert_eq!(coach.refused(Method::POST, &format!("/people/{person}/goals"), lower).await.2.as_deref(), Some("to"));
    coach.ok(Method::POST, &format!("/people/{person}/goals"), goal).await;
    let way = async || coach.get(&format!("/people/{person}")).await["goals"][0]["way"].clone();
    assert_eq!(way().await, "cannot_tell");
    let next = five_skills(&coach, &person).await;
    let second = next["id"].as_str().unwrap();
    said(&coach, second, json!({ "kind": "window_begun" })).await;
    for (place, what) in ["L-sit", "inverted hold"].into_iter().enumerate() {
        typed(&coach, &person, &next, place, "hold", json!({ "seconds": [60] }), json!({ "what": what })).await;
    }
    said(&coach, second, json!({ "kind": "closed" })).await;
    assert_eq!(way().await, "reached");
    let change = coach.get(&format!("/visits/{second}")).await["rows"][0]["change"].clone();
    assert_eq!((change["from"].as_f64(), change["to"].as_f64()), (Some(26.0), Some(60.0)), "against the try that counted: {change}");
    // Three holds of one kind of test stay three lines, each with its best tries.
    let lines = coach.get(&format!("/people/{person}/history/five-skills")).await["lines"].clone();
    let of = |name: &str| -> Vec<f64> {
        let line = lines.as_array().unwrap().iter().find(|l| l["name"].as_str().unwrap().ends_with(name)).unwrap();
        line["points"].as_array().unwrap().iter().map(|p| p["value"].as_f64().unwrap()).collect()
    };
    assert_eq!((of("L-sit"), of("inverted hold")), (vec![26.0, 60.0], vec![60.0]));
    // A battery with an order has no window to begin.
    let form = json!({ "id": Uuid::now_v7(), "battery": "plank", "conditions": { "support": "forearm", "limit_s": "30" } });
    let plain = coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await;
    let body = json!({ "id": Uuid::now_v7(), "event": { "kind": "window_begun" } });
    assert_eq!(coach.refused(Method::POST, &format!("/visits/{}/events", plain["id"].as_str().unwrap()), body).await.0, 422);
}

#[tokio::test]
async fn a_newer_table_holds_from_its_day_and_for_the_past_only_on_request() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let visit = five_skills(&coach, &person).await;
    let id = visit["id"].as_str().unwrap();
    said(&coach, id, json!({ "kind": "window_begun" })).await;
    typed(&coach, &person, &visit, 2, "hold", json!({ "seconds": [50] }), json!({ "what": "bar hold" })).await;
    let points = async |query: &str| {
        let total = coach.get(&format!("/visits/{id}{query}")).await["total"].clone();
        (total["points"].as_f64().unwrap(), total["version"].as_u64().unwrap(), total["instead_of"].is_string())
    };
    assert_eq!(points("").await, (3.0, 1, false));

    let table = |steps: Value| json!({ "from": "2199-01-01", "rows": [{ "place": 2, "steps": steps }], "levels": [{ "from": 10, "name": "ours" }] });
    let path = "/batteries/five-skills/scoring";
    let falling = table(json!([{ "raw": 60, "points": 1 }, { "raw": 30, "points": 2 }]));
    let (status, _, field) = coach.refused(Method::PUT, path, falling).await;
    assert_eq!((status, field.as_deref()), (422, Some("rows.0")));
    let kept = coach.ok(Method::PUT, path, table(json!([{ "raw": 20, "points": 5 }, { "raw": 45, "points": 10 }]))).await;
    assert_eq!((kept["tables"].as_array().unwrap().len(), kept["current"].as_u64()), (2, Some(1)), "it holds from its day");
    assert_eq!(points("").await, (3.0, 1, false));
    assert_eq!(points("?table=2").await, (10.0, 2, true));
    coach.ok(Method::POST, &format!("{path}/past"), json!({ "version": 2 })).await;
    assert_eq!(points("").await, (10.0, 2, true), "said aloud");
    assert_eq!(points("?table=1").await, (3.0, 1, false), "the old one can be shown");
    coach.ok(Method::POST, &format!("{path}/past"), json!({ "version": null })).await;
    assert_eq!(points("").await, (3.0, 1, false), "taken back");
    assert_eq!(coach.refused(Method::POST, &format!("{path}/past"), json!({ "version": 7 })).await.0, 422);

    // Out as CSV and in again: the same rows.
    let csv = coach.get(&format!("{path}/2/csv")).await;
    let text = csv.as_str().unwrap();
    assert!(text.starts_with("place,test,sex,age_from,age_to,5,10\n"), "{text}");
    let read = coach.ok(Method::POST, "/scoring/read", json!({ "text": text })).await;
    let mut rows = kept["tables"][1]["rows"].clone();
    rows[0]["test"] = json!("");
    assert_eq!(read, rows, "but for the test, which the grid's place stands for");
    let bad = coach.refused(Method::POST, "/scoring/read", json!({ "text": text.replace("20", "soon") })).await;
    assert_eq!(bad.2.as_deref(), Some("csv"));

    // Another practice has the table the battery ships with, and nothing of ours.
    let other = app.new_practice("Otherplace").await;
    assert_eq!(other.get(path).await["tables"].as_array().unwrap().len(), 1);
}

#[tokio::test]
async fn a_battery_that_is_reordered_leaves_every_point_with_its_test() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Rurik").await;
    let test = |protocol: &str| json!({ "protocol": protocol, "given": {}, "optional": false, "rest_min": 0, "why": null });
    let battery = |tests: Value| json!({ "id": "", "order": 0, "name": "Ours", "summary": "", "again_weeks": 4, "photos": false, "window_min": null, "scoring": null, "tests": tests });
    let key = Uuid::now_v7();
    let path = format!("/batteries/{key}");
    let kept = coach.ok(Method::PUT, &path, battery(json!([test("push-up"), test("run-12min"), test("push-up")]))).await["battery"].clone();
    let names: Vec<&str> = kept["tests"].as_array().unwrap().iter().map(|t| t["id"].as_str().unwrap()).collect();
    assert_eq!(names, ["push-up", "run-12min", "push-up-2"]);
    let row = |place: usize, raw: f64, points: f64| json!({ "place": place, "sex": null, "age_from": null, "age_to": null, "steps": [{ "raw": raw, "points": points }] });
    let table = json!({ "from": "2020-01-01", "rows": [row(0, 20.0, 1.0), row(1, 30.0, 5.0)], "levels": [] });
    let id = kept["id"].as_str().unwrap().to_owned();
    coach.ok(Method::PUT, &format!("/batteries/{id}/scoring"), table).await;

    let conditions = json!({ "rule": "to_failure", "style": "toes", "depth": "floor", "lap_m": 400, "warm_up": true });
    let visit = async || {
        let plan = coach.get(&format!("/people/{person}/visits/new?battery={id}")).await;
        let asked: serde_json::Map<String, Value> = plan["asked"]
            .as_array()
            .unwrap()
            .iter()
            .filter_map(|c| Some((c["key"].as_str()?.to_owned(), conditions[c["key"].as_str()?].clone())))
            .filter(|(_, answer)| !answer.is_null())
            .collect();
        let form = json!({ "id": Uuid::now_v7(), "battery": id, "conditions": asked });
        coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await
    };
    let push_up = json!({ "rule": "to_failure", "style": "toes", "depth": "floor" });
    let old = visit().await;
    typed(&coach, &person, &old, 0, "push-up", json!({ "reps_toes": 24 }), push_up.clone()).await;
    let points = async |visit: &Value| coach.get(&format!("/visits/{}", visit["id"].as_str().unwrap())).await["total"]["points"].clone();
    assert_eq!(points(&old).await, 1.0);

    // The run goes first; its five points do not stay behind for the push-ups.
    let mut tests = kept["tests"].as_array().unwrap().clone();
    tests.swap(0, 1);
    coach.ok(Method::PUT, &path, battery(json!(tests))).await;
    assert_eq!(points(&old).await, 1.0, "the visit from before");
    let new = visit().await;
    typed(&coach, &person, &new, 1, "push-up", json!({ "reps_toes": 24 }), push_up).await;
    assert_eq!(points(&new).await, 1.0, "and the one after");
    let page = coach.get(&format!("/batteries/{id}/scoring")).await;
    let places: Vec<u64> = page["tables"][0]["rows"].as_array().unwrap().iter().map(|r| r["place"].as_u64().unwrap()).collect();
    assert_eq!(places, [1, 0], "the grid shows each row at its test");
}

#[tokio::test]
async fn the_link_and_the_csv_carry_what_was_done_seen_and_said() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let today: chrono::NaiveDate = coach.get("/session").await["today"].as_str().unwrap().parse().unwrap();
    let visit = five_skills(&coach, &person).await;
    let id = visit["id"].as_str().unwrap();
    typed(&coach, &person, &visit, 0, "hold", json!({ "seconds": 26.0 }), json!({ "what": "L-sit" })).await;
    typed(&coach, &person, &visit, 2, "hold", json!({ "seconds": 51.0 }), json!({ "what": "bar hold" })).await;
    let plan = json!({ "protocol": "five-skills", "rule": { "rule": "once", "on": today + chrono::Days::new(42) }, "from": today });
    coach.ok(Method::POST, &format!("/people/{person}/retests"), plan).await;
    // A remark of a test that was typed is kept with it, and a correction that says nothing of it keeps it.
    let form = json!({ "id": Uuid::now_v7(), "protocol": "plank", "on": today, "inputs": { "seconds": 30.0, "shake_s": 11.0, "break_s": 16.0 },
        "conditions": { "support": "forearm", "limit_s": "30" }, "remark": "low back, =1+1" });
    let kept = coach.ok(Method::POST, &format!("/people/{person}/results"), form.clone()).await;
    let result = kept["result"].as_str().unwrap();
    assert_eq!(coach.get(&format!("/results/{result}")).await["remarks"], json!(["low back, =1+1"]));

    let whole: Vec<u64> = visit["rows"].as_array().unwrap().iter().map(|r| r["place"].as_u64().unwrap()).collect();
    let links = format!("/visits/{id}/links");
    let opened = async |form: Value| {
        let made = coach.ok(Method::POST, &links, form).await;
        app.browser().get(&made["path"].as_str().unwrap().replace("/report/", "/reports/")).await
    };
    let plain = opened(json!({ "id": Uuid::now_v7(), "places": whole })).await;
    assert!(plain["total"]["points"].is_number() && plain["total"]["most"].is_number(), "{plain}");
    assert_eq!(plain["next_on"], json!(today + chrono::Days::new(42)));
    let until: chrono::DateTime<chrono::Utc> = plain["expires_at"].as_str().unwrap().parse().unwrap();
    assert_eq!((until.date_naive() - today).num_days(), 56, "two weeks beyond the next date");
    assert!(plain["rows"].as_array().unwrap().iter().all(|r| r["how"].is_null() && r["remarks"] == json!([])), "{plain}");
    let told = opened(json!({ "id": Uuid::now_v7(), "places": whole, "remarks": true })).await;
    assert!(told["rows"].as_array().unwrap().iter().all(|r| r["how"].is_string()), "{told}");
    // What is not ticked brings no points that could be worked out from the total.
    assert!(opened(json!({ "id": Uuid::now_v7(), "places": [whole[0]] })).await["total"].is_null());

    let csv = coach.get(&format!("/people/{person}/measures.csv")).await;
    let lines: Vec<&str> = csv.as_str().unwrap().lines().collect();
    assert_eq!(
        lines[0],
        "name,sex,age,day,visit,test,variant,measure,side,value,unit,points,source,conditions,remark,range95_low,range95_high,group"
    );
    let shake = lines.iter().find(|l| l.contains("Plank") && l.contains(",11,s,")).unwrap();
    assert!(shake.contains("on the forearms; 30 s, to see the shake and the form") && shake.ends_with("\"low back, =1+1\",,,"), "{shake}");
    let hold = lines.iter().find(|l| l.contains(",26,s,")).unwrap();
    assert!(hold.contains(&format!("\"Five skills, {today}\",")) && hold.contains(",26,s,4,") && hold.contains("L-sit"), "{hold}");
}
