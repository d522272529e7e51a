//! A practice out and in: the same archive gives the same practice, by checksum; whatever does not fit is named by its table, row and
//! field, and nothing is half done.

use std::{
    collections::BTreeMap,
    io::{Cursor, Read, Write},
};

use image::{DynamicImage, ImageFormat, RgbImage};
use impulso_core::strap_bytes::to_hex;
use rand::{RngExt, SeedableRng, rngs::StdRng, seq::IndexedRandom};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use sha2::{Digest, Sha256};
use uuid::Uuid;
use zip::{CompressionMethod, ZipArchive, ZipWriter, write::SimpleFileOptions};

use crate::app::{Browser, TestApp};

/// The files of an archive by name.
pub type Files = BTreeMap<String, Vec<u8>>;

fn checksum(bytes: &[u8]) -> String {
    to_hex(&Sha256::digest(bytes))
}

pub fn unpacked(archive: &[u8]) -> Files {
    let mut zip = ZipArchive::new(Cursor::new(archive)).unwrap();
    (0..zip.len())
        .map(|k| {
            let mut file = zip.by_index(k).unwrap();
            let mut bytes = Vec::new();
            file.read_to_end(&mut bytes).unwrap();
            (file.name().unwrap().into_owned(), bytes)
        })
        .collect()
}

/// An archive of these files, as they are.
fn packed(files: &Files) -> Vec<u8> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in files {
        zip.start_file(name.as_str(), SimpleFileOptions::default().compression_method(CompressionMethod::Deflated)).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

/// The same with a manifest that names what is in it.
fn signed(mut files: Files) -> Vec<u8> {
    files.remove("manifest.json");
    let entries: Vec<Value> = files.iter().map(|(n, b)| json!({"name": n, "bytes": b.len(), "sha256": checksum(b)})).collect();
    let manifest = json!({"format": "impulso practice, 2", "files": entries});
    files.insert("manifest.json".into(), manifest.to_string().into_bytes());
    packed(&files)
}

pub fn tables(files: &Files) -> Value {
    serde_json::from_slice::<Value>(&files["practice.json"]).unwrap()["tables"].take()
}

/// An archive with other tables.
pub fn with_tables(files: &Files, tables: &Value) -> Vec<u8> {
    let mut files = files.clone();
    // In the order in which they are written: each finds what it refers to, but an import does not lean on that.
    files.insert("practice.json".into(), json!({"format": "impulso practice, 2", "tables": tables}).to_string().into_bytes());
    signed(files)
}

/// The one text of the first release.
fn first_release(tables: &Value) -> Vec<u8> {
    let checksum = checksum(tables.to_string().as_bytes());
    json!({"format": "impulso practice, 1", "checksum": checksum, "tables": tables}).to_string().into_bytes()
}

pub async fn takes_in(coach: &Browser, file: Vec<u8>) -> (StatusCode, Value) {
    let request = coach.client().post(format!("{}/api/practice/import", coach.base())).header("content-type", "application/octet-stream");
    let answer = request.body(file).send().await.unwrap();
    let status = answer.status();
    (status, serde_json::from_str(&answer.text().await.unwrap()).unwrap())
}

pub async fn exported(coach: &Browser) -> Vec<u8> {
    let answer = coach.raw(Method::GET, "/practice/export").await;
    assert_eq!(answer.headers()["content-type"], "application/zip");
    answer.bytes().await.unwrap().to_vec()
}

fn picture() -> Vec<u8> {
    let drawn = RgbImage::from_fn(320, 240, |x, y| image::Rgb([(x % 256) as u8, (y % 256) as u8, 90]));
    let mut bytes = Cursor::new(Vec::new());
    DynamicImage::ImageRgb8(drawn).write_to(&mut bytes, ImageFormat::Png).unwrap();
    bytes.into_inner()
}

/// A practice with something in every table.
pub async fn filled(app: &TestApp) -> Browser {
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren, of the “locks”").await;
    coach.adds("=HYPERLINK(1)").await;
    coach.tests(&person, 30.0).await;
    coach.tests(&person, 29.0).await;
    let today = coach.get("/session").await["today"].clone();
    let conditions = json!({ "waist_site": "navel", "eyes": "open", "barefoot": true });
    let form = json!({ "id": Uuid::now_v7(), "battery": "four-in-five-minutes", "conditions": conditions });
    let visit = coach.ok(Method::POST, &format!("/people/{person}/visits"), form).await;
    let body = json!({
        "id": Uuid::now_v7(), "protocol": "body", "on": today, "inputs": { "waist_cm": [92, 92.5] }, "conditions": { "waist_site": "navel" },
        "visit": { "visit": visit["id"], "place": 0 }
    });
    let result = coach.ok(Method::POST, &format!("/people/{person}/results"), body).await["result"].as_str().unwrap().to_owned();
    for (seen, change) in ["voided", "restored"].into_iter().enumerate() {
        let body = json!({ "id": Uuid::now_v7(), "seen": seen, "reason": "a slip", "change": change });
        coach.ok(Method::POST, &format!("/results/{result}/corrections"), body).await;
    }
    let plan = json!({ "protocol": "four-in-five-minutes", "rule": { "rule": "weeks4812" }, "from": today });
    coach.ok(Method::POST, &format!("/people/{person}/retests"), plan).await;
    let mark = json!({ "quantity": "seconds", "mark": 90, "source": "ours" });
    coach.ok(Method::PUT, "/protocols/plank/pass-mark", mark).await;
    let error = json!({ "quantity": "seconds", "value": 4.5, "source": "ours" });
    coach.ok(Method::PUT, "/protocols/plank/typical-error", error).await;
    let goal = json!({ "id": Uuid::now_v7(), "protocol": "body", "quantity": "waist_height", "to": 0.4, "by": "2199-01-01" });
    coach.ok(Method::POST, &format!("/people/{person}/goals"), goal).await;
    let consent = json!({ "id": Uuid::now_v7(), "kind": "testing", "agreed": true, "on": today, "by": "Joren" });
    coach.ok(Method::POST, &format!("/people/{person}/consents"), consent).await;
    let copy = json!({ "id": Uuid::now_v7(), "changes": { "name": "Two-minute bench", "work_s": 120 } });
    coach.ok(Method::POST, "/protocols/bench-step-3min/copies", copy).await;
    let plank = json!({ "protocol": "plank", "given": {}, "optional": false, "rest_min": 0, "why": null });
    let battery = json!({
        "id": "", "order": 0, "name": "Ours", "summary": "", "again_weeks": 4, "photos": false, "window_min": null, "scoring": null, "tests": [plank]
    });
    let kept = coach.ok(Method::PUT, &format!("/batteries/{}", Uuid::now_v7()), battery).await;
    let rows = json!([{ "place": 0, "sex": null, "age_from": null, "age_to": null, "steps": [{ "raw": 60, "points": 1 }] }]);
    let id = kept["battery"]["id"].as_str().unwrap().to_owned();
    coach.ok(Method::PUT, &format!("/batteries/{id}/scoring"), json!({ "from": today, "rows": rows, "levels": [] })).await;
    let illness = json!({ "id": Uuid::now_v7(), "kind": "illness", "from_on": "2026-03-01", "until_on": "2026-03-09", "words": "flu" });
    let squad = Uuid::now_v7();
    coach.ok(Method::PUT, &format!("/groups/{squad}"), json!({ "name": "Sabre squad" })).await;
    let member = json!({ "id": Uuid::now_v7(), "person": person, "number": "7", "playing_group": "seniors" });
    coach.ok(Method::POST, &format!("/groups/{squad}/members"), member).await;
    let mark = json!({ "protocol": "shuttle-1200m", "quantity": "time_s", "good": 320.0, "acceptable": 340.0, "playing_group": "seniors" });
    coach.ok(Method::PUT, &format!("/groups/{squad}/marks/{}", Uuid::now_v7()), mark).await;
    let plank = json!({ "support": "forearm", "limit_s": "to_failure" });
    let session = json!({ "id": Uuid::now_v7(), "battery": "plank", "conditions": plank });
    let session = coach.ok(Method::POST, &format!("/groups/{squad}/visits"), session).await;
    let here = json!({ "people": [{ "person": person, "presence": "here" }] });
    coach.ok(Method::PUT, &format!("/group-visits/{}/roll", session["id"].as_str().unwrap()), here).await;
    coach.ok(Method::POST, &format!("/people/{person}/events"), illness).await;
    for view in ["front", "left"] {
        let request = coach.client().post(format!("{}/api/people/{person}/photos?view={view}", coach.base()));
        let answer = request.header("content-type", "application/octet-stream").body(picture()).send().await.unwrap();
        assert!(answer.status().is_success(), "{}", answer.text().await.unwrap());
    }
    coach
}

#[tokio::test]
async fn the_same_archive_gives_the_same_practice_also_beside_the_first() {
    let app = TestApp::spawn().await;
    let coach = filled(&app).await;
    let archive = exported(&coach).await;
    let files = unpacked(&archive);
    let all = tables(&files);
    let empty: Vec<&String> = all.as_object().unwrap().iter().filter(|(_, t)| t.as_array().unwrap().is_empty()).map(|(n, _)| n).collect();
    assert!(empty.is_empty(), "nothing in {empty:?}");
    assert!(!String::from_utf8_lossy(&files["practice.json"]).contains("password"));
    assert_eq!(files.keys().filter(|n| n.starts_with("photos/")).count(), 2);

    // Into a practice of another server, and into one of the same.
    let other = TestApp::spawn().await;
    for (server, name) in [(&other, "Newhouse"), (&app, "Besides")] {
        let there = server.new_practice(name).await;
        let (status, taken) = takes_in(&there, archive.clone()).await;
        assert_eq!(
            (status, taken["identical"].as_bool(), taken["people"].as_u64(), taken["photos"].as_u64()),
            (StatusCode::OK, Some(true), Some(2), Some(2)),
            "{taken}"
        );
        assert_eq!(unpacked(&exported(&there).await), files, "out again it is the same, file by file");
        let found = there.get("/search?q=joren").await;
        let person = found["people"][0]["id"].as_str().unwrap().to_owned();
        let (here, now) = (coach.get(&format!("/people/{person}")).await, there.get(&format!("/people/{person}")).await);
        for part in ["story", "tests", "visits", "retests", "goals", "ladder"] {
            assert_eq!(here[part], now[part], "{part}");
        }
        let again = takes_in(&there, archive.clone()).await;
        assert!(
            again.0 == StatusCode::UNPROCESSABLE_ENTITY && again.1["message"].as_str().unwrap().contains("empty practice"),
            "{}",
            again.1
        );
    }

    let csv = String::from_utf8(files["results.csv"].clone()).unwrap();
    assert!(
        csv.starts_with(
            "name,sex,age,day,visit,test,variant,measure,side,value,unit,points,source,conditions,remark,range95_low,range95_high,group\n"
        ) && csv.contains("\"Joren, of the “locks”\""),
        "{csv}"
    );
    assert_eq!(coach.get("/practice/measures.csv").await.as_str().unwrap(), csv);
    let person = coach.get("/search?q=joren").await["people"][0]["id"].as_str().unwrap().to_owned();
    assert_eq!(coach.get(&format!("/people/{person}/measures.csv")).await.as_str().unwrap(), csv, "one person has all there is");
    let stranger = coach.refused(Method::GET, &format!("/people/{}/measures.csv", Uuid::now_v7()), Value::Null).await;
    assert_eq!(stranger.0, 404);
    let formula = coach.get("/search?q=%3Dhyper").await["people"][0]["id"].as_str().unwrap().to_owned();
    coach.tests(&formula, 28.0).await;
    assert!(coach.get("/practice/measures.csv").await.as_str().unwrap().contains("\n'=HYPERLINK(1),"), "no spreadsheet works it out");
}

#[tokio::test]
async fn a_file_of_the_first_release_is_still_taken_in() {
    let app = TestApp::spawn().await;
    let coach = filled(&app).await;
    let files = unpacked(&exported(&coach).await);
    let mut all = tables(&files);
    for photo in all["photos"].as_array_mut().unwrap() {
        let jpeg = &files[&format!("photos/{}.jpg", photo["id"].as_str().unwrap())];
        photo["jpeg"] = json!(format!("\\x{}", to_hex(jpeg)));
    }
    all["repeats"] = json!([]);
    for person in all["people"].as_array_mut().unwrap() {
        person["name_key"] = json!("whatever it says is worked out anew");
    }
    let there = app.new_practice("Newhouse").await;
    let (status, taken) = takes_in(&there, first_release(&all)).await;
    assert_eq!((status, taken["people"].as_u64(), taken["identical"].clone()), (StatusCode::OK, Some(2), Value::Null), "{taken}");
    assert_eq!(unpacked(&exported(&there).await)["practice.json"], files["practice.json"]);
    assert_eq!(there.get("/search?q=joren").await["people"].as_array().unwrap().len(), 1, "found by its name");

    let elsewhere = app.new_practice("Elsewhere").await;
    let mut file: Value = serde_json::from_slice(&first_release(&all)).unwrap();
    file["tables"]["people"][0]["name"] = json!("Somebody else");
    let (status, answer) = takes_in(&elsewhere, file.to_string().into_bytes()).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && answer["message"].as_str().unwrap().contains("checksum"), "{answer}");
    for (odd, said) in [("{\"a\":1}", "isn't an export"), ("[]", "can't be read"), ("", "can't be read")] {
        let (status, answer) = takes_in(&elsewhere, odd.into()).await;
        assert!(status == StatusCode::UNPROCESSABLE_ENTITY && answer["message"].as_str().unwrap().contains(said), "{odd}: {answer}");
    }
}

#[tokio::test]
async fn one_bad_row_among_ten_thousand_is_named_and_nothing_is_half_done() {
    let app = TestApp::spawn().await;
    let coach = filled(&app).await;
    let files = unpacked(&exported(&coach).await);
    let mut all = tables(&files);
    let one = all["people"][0].clone();
    let more = (0..10_000).map(|k| {
        let mut person = one.clone();
        person["id"] = json!(Uuid::now_v7());
        person["name"] = json!(format!("Person {k}"));
        person
    });
    let mut people: Vec<Value> = all["people"].as_array().unwrap().iter().cloned().chain(more).collect();
    people[7_654]["born"] = json!("soon");
    people[7_660]["units"] = json!(7);
    all["people"] = json!(people);
    let there = app.new_practice("Newhouse").await;
    let (status, answer) = takes_in(&there, with_tables(&files, &all)).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(
        answer["detail"]["faults"]
            .as_array()
            .unwrap()
            .iter()
            .map(|f| (f["table"].clone(), f["row"].clone(), f["field"].clone()))
            .collect::<Vec<_>>(),
        [(json!("people"), json!(7_655), json!("born")), (json!("people"), json!(7_661), json!("units"))]
    );
    assert!(answer["message"].as_str().unwrap().starts_with("people, row 7655, born: “soon” isn't a date."), "{answer}");
    assert_eq!(there.get("/today").await["people"], 0, "nothing of it is there");
}

/// What it is, what it does to the tables, and the table it is refused for.
type Hostile = (&'static str, fn(&mut Value), &'static str);

/// What somebody could write into an archive, and the table that it is refused for.
fn hostile() -> Vec<Hostile> {
    fn long() -> Value {
        json!("x".repeat(195_000))
    }
    vec![
        ("a protocol that is none", |t| t["protocols"][0]["body"] = json!({}), "protocols"),
        ("a protocol under another id", |t| t["protocols"][0]["id"] = json!("own-x"), "protocols"),
        (
            "a protocol that takes the place of one that ships",
            |t| {
                t["protocols"][0]["id"] = json!("plank");
                t["protocols"][0]["body"]["id"] = json!("plank");
            },
            "protocols",
        ),
        ("a formula of brackets", |t| t["protocols"][0]["body"]["scoring"][0]["formula"] = json!("(".repeat(5_000)), "protocols"),
        (
            "a formula of signs",
            |t| t["protocols"][0]["body"]["scoring"][0]["formula"] = json!("-".repeat(20_000) + "pulse_count"),
            "protocols",
        ),
        ("a formula of powers", |t| t["protocols"][0]["body"]["scoring"][0]["formula"] = json!("1^".repeat(20_000) + "1"), "protocols"),
        ("a formula of what is not there", |t| t["protocols"][0]["body"]["scoring"][0]["formula"] = json!("gone * 2"), "protocols"),
        ("a clock of years", |t| t["protocols"][0]["body"]["phases"][0]["seconds"] = json!(4_000_000_000_u32), "protocols"),
        ("a beat without end", |t| t["protocols"][0]["body"]["cadence"]["any"] = json!(1e12), "protocols"),
        ("a protocol without a source", |t| t["protocols"][0]["body"]["sources"] = json!([]), "protocols"),
        ("a name of nothing", |t| t["people"][0]["name"] = json!(" "), "people"),
        ("a name without an end", |t| t["people"][0]["name"] = long(), "people"),
        ("a name with a control character", |t| t["people"][0]["name"] = json!("a\u{7}b"), "people"),
        ("a key of a name", |t| t["people"][0]["name_key"] = long(), "people"),
        ("a birth at infinity", |t| t["people"][0]["born"] = json!("infinity"), "people"),
        ("a birth before Christ", |t| t["people"][0]["born"] = json!("4000-01-01 BC"), "people"),
        ("a birth in the future", |t| t["people"][0]["born"] = json!("2199-01-01"), "people"),
        ("a height of a house", |t| t["people"][0]["height_cm"] = json!(1_200), "people"),
        ("a note without an end", |t| t["people"][0]["notes"] = long(), "people"),
        ("units that nobody thinks in", |t| t["people"][0]["units"] = json!("stone"), "people"),
        ("a sex that no equation has", |t| t["people"][0]["sex"] = json!("other"), "people"),
        ("a field of nothing", |t| t["people"][0]["password"] = json!("x"), "people"),
        ("another practice's key", |t| t["people"][0]["practice_id"] = json!(Uuid::nil()), "people"),
        ("a key that is none", |t| t["people"][0]["id"] = json!("{00000000-0000-0000-0000-000000000000}"), "people"),
        ("a person twice", |t| t["people"][1] = t["people"][0].clone(), "people"),
        ("a person that is a list", |t| t["people"][0] = json!([1]), "people"),
        ("a table of nothing", |t| t["audit"] = json!([{}]), "audit"),
        ("a table that is no list", |t| t["people"] = json!({}), "people"),
        ("a battery without tests", |t| t["batteries"][0]["battery"]["tests"] = json!([]), "batteries"),
        ("a battery of what is not there", |t| t["batteries"][0]["battery"]["tests"][0]["protocol"] = json!("gone"), "batteries"),
        ("a battery's text without an end", |t| t["batteries"][0]["battery"]["summary"] = json!("x".repeat(400_000)), "batteries"),
        ("points of no place", |t| t["scoring_tables"][0]["body"]["rows"][0]["place"] = json!(9), "scoring_tables"),
        ("points without end", |t| t["scoring_tables"][0]["body"]["rows"][0]["steps"][0]["points"] = json!(1e300), "scoring_tables"),
        ("a mark on what is not measured", |t| t["pass_marks"][0]["quantity"] = json!("luck"), "pass_marks"),
        ("a mark without end", |t| t["pass_marks"][0]["mark"] = json!(1e308), "pass_marks"),
        ("an error below nothing", |t| t["typed_errors"][0]["value"] = json!(-1), "typed_errors"),
        ("a mark whose bounds are the wrong way round", |t| t["group_marks"][0]["body"]["acceptable"] = json!(300.0), "group_marks"),
        ("a shirt number that is none", |t| t["group_members"][0]["number"] = json!(4000), "group_members"),
        ("a member who left before they came", |t| t["group_members"][0]["left_on"] = json!("2001-01-01"), "group_members"),
        ("an event of life of no kind", |t| t["happenings"][0]["kind"] = json!("luck"), "happenings"),
        ("an event of life until infinity", |t| t["happenings"][0]["until_on"] = json!("infinity"), "happenings"),
        ("a goal that is none", |t| t["goals"][0]["goal"] = json!({}), "goals"),
        ("a goal in the year 262142", |t| t["goals"][0]["goal"]["by"] = json!("+262142-12-31"), "goals"),
        ("a photograph of another size", |t| t["photos"][0]["width"] = json!(1), "photos"),
        ("a photograph without a picture", |t| t["photos"][0]["id"] = json!(Uuid::now_v7()), "photos/"),
        ("a visit that is none", |t| t["visits"][0]["battery"] = json!(7), "visits"),
        ("a visit before birth", |t| t["visits"][0]["on_date"] = json!("1900-01-01"), "visits"),
        ("an event of a visit that is none", |t| t["visit_events"][0]["body"] = json!({"kind": "exploded"}), "visit_events"),
        ("a run of nothing", |t| t["runs"][0]["protocol"] = json!({}), "runs"),
        ("a run of years", |t| t["runs"][0]["protocol"]["phases"][0]["seconds"] = json!(4_000_000_000_u32), "runs"),
        ("a run that ends at infinity", |t| t["runs"][0]["closed_at"] = json!("infinity"), "runs"),
        ("a performer without a set-up", |t| t["run_performers"][0]["setup"] = json!(null), "run_performers"),
        ("an event under another key", |t| t["run_events"][0]["id"] = json!(Uuid::now_v7()), "run_events"),
        ("an event at another time", |t| t["run_events"][0]["wall"] = json!("2020-01-01T00:00:00Z"), "run_events"),
        ("readings that are none", |t| t["results"][0]["inputs"] = json!("nothing"), "results"),
        ("a result at infinity", |t| t["results"][0]["taken_at"] = json!("infinity"), "results"),
        ("a result of a test there is none of", |t| t["results"][0]["protocol_id"] = json!("gone"), "results"),
        ("a result of nobody", |t| t["results"][0]["person_id"] = json!(Uuid::now_v7()), "results"),
        ("a score that the readings do not give", |t| t["scores"][0]["value"] = json!(99.9), "scores"),
        ("a score without end", |t| t["scores"][0]["value"] = json!(1e300), "scores"),
        ("a rule of retests that is none", |t| t["retest_plans"][0]["rule"] = json!({"rule": "always"}), "retest_plans"),
        ("a retest of a plan there is none of", |t| t["retests"][0]["plan_id"] = json!(Uuid::now_v7()), "retests"),
    ]
}

#[tokio::test]
async fn nothing_hostile_in_an_archive_is_stored_and_each_is_named_in_words() {
    let app = TestApp::spawn().await;
    let coach = filled(&app).await;
    let files = unpacked(&exported(&coach).await);
    let all = tables(&files);
    let there = app.new_practice("Newhouse").await;
    let variants = hostile();
    assert!(variants.len() >= 48);
    for (what, spoil, table) in variants {
        let mut spoilt = all.clone();
        spoil(&mut spoilt);
        let (status, answer) = takes_in(&there, with_tables(&files, &spoilt)).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{what}: {answer}");
        let fault = &answer["detail"]["faults"][0];
        assert!(fault["table"].as_str().unwrap().starts_with(table), "{what}: {answer}");
        let words = answer["message"].as_str().unwrap();
        for raw in ["violates", "constraint", "syntax", "relation", "null value", "duplicate key", "panicked", "SQL"] {
            assert!(!words.contains(raw), "{what}: {words}");
        }
        assert!(words.ends_with("Nothing was imported.") && words.len() < 600, "{what}: {words}");
    }
    assert_eq!(there.get("/today").await["people"], 0);
    let (status, taken) = takes_in(&there, with_tables(&files, &all)).await;
    assert_eq!(status, StatusCode::OK, "what is sound still goes in: {taken}");
}

/// Every place in a document.
fn places(value: &Value, at: String, found: &mut Vec<String>) {
    match value {
        Value::Object(all) => all.iter().for_each(|(k, v)| places(v, format!("{at}/{}", k.replace('~', "~0").replace('/', "~1")), found)),
        Value::Array(all) => all.iter().enumerate().for_each(|(k, v)| places(v, format!("{at}/{k}"), found)),
        _ => {}
    }
    found.push(at);
}

/// Random damage, from a fixed seed: an import is refused, or every page of the practice opens.
#[tokio::test]
async fn whatever_is_changed_in_an_archive_is_refused_or_every_page_opens() {
    let each: u32 = std::env::var("IMPULSO_FUZZ_EACH").ok().and_then(|v| v.parse().ok()).unwrap_or(60);
    let app = TestApp::spawn().await;
    let coach = filled(&app).await;
    let files = unpacked(&exported(&coach).await);
    let all = tables(&files);
    let mut found = Vec::new();
    places(&all, String::new(), &mut found);
    let odd = [
        json!(null),
        json!(0),
        json!(-1),
        json!(1e308),
        json!(true),
        json!(""),
        json!("infinity"),
        json!("-infinity"),
        json!("NaN"),
        json!([]),
        json!({}),
        json!("2026-02-29"),
        json!("+262142-12-31"),
        json!("x".repeat(5_000)),
        json!("\u{202e}"),
        json!(65_536),
        json!([[[[]]]]),
        json!(0.5),
    ];
    let mut dice = StdRng::seed_from_u64(20_261_128);
    let (mut taken, mut refused) = (0, 0);
    let mut there = app.new_practice("N0").await;
    for k in 0..each {
        let mut spoilt = all.clone();
        for _ in 0..dice.random_range(1..4) {
            let at = found.choose(&mut dice).unwrap();
            let (from, to) = (found.choose(&mut dice).unwrap(), odd.choose(&mut dice).unwrap().clone());
            let new = if dice.random_bool(0.3) { all.pointer(from).cloned().unwrap_or(Value::Null) } else { to };
            if let Some(place) = spoilt.pointer_mut(at) {
                *place = new;
            }
        }
        let (status, answer) = takes_in(&there, with_tables(&files, &spoilt)).await;
        assert!([200, 422].contains(&status.as_u16()), "{k}: {status} {answer}");
        if status == StatusCode::UNPROCESSABLE_ENTITY {
            refused += 1;
            continue;
        }
        taken += 1;
        for path in ["/today", "/people", "/practice", "/protocols", "/batteries", "/retests?list=open"] {
            let (status, page) = there.send(Method::GET, path, Value::Null).await;
            assert!(status.as_u16() < 500, "{k}: {path}: {status} {page}");
        }
        for (table, path) in [("people", "/people"), ("results", "/results"), ("runs", "/runs"), ("visits", "/visits")] {
            for row in spoilt[table].as_array().into_iter().flatten() {
                let path = format!("{path}/{}", row["id"].as_str().unwrap_or("none"));
                let (status, page) = there.send(Method::GET, &path, Value::Null).await;
                assert!(status.as_u16() < 500, "{k}: {path}: {status} {page}");
            }
        }
        there = app.new_practice(&format!("N{}", k + 1)).await;
    }
    assert!(refused > each / 4 && taken > 0, "{taken} taken in, {refused} refused");
}

#[tokio::test]
async fn an_archive_that_is_none_or_was_made_to_fill_a_disk_is_refused() {
    let app = TestApp::spawn().await;
    let coach = filled(&app).await;
    let archive = exported(&coach).await;
    let files = unpacked(&archive);
    let there = app.new_practice("Newhouse").await;
    let with = |name: &str, bytes: &[u8]| {
        let mut more = files.clone();
        more.insert(name.into(), bytes.to_vec());
        signed(more)
    };
    let without = |name: &str| {
        let mut less = files.clone();
        less.remove(name);
        less
    };
    let photo = files.keys().find(|n| n.starts_with("photos/")).unwrap().clone();
    // The manifest says one thing, the file holds another.
    let mut changed = files.clone();
    changed.get_mut("practice.json").unwrap().push(b' ');
    let mut turned = files.clone();
    turned.get_mut(&photo).unwrap()[300] ^= 1;
    let mut twice = archive.clone();
    // The same name for two files: the second's is written over with the first's.
    let names: Vec<&String> = files.keys().filter(|n| n.starts_with("photos/")).collect();
    for at in 0..twice.len() - names[0].len() {
        if twice[at..].starts_with(names[1].as_bytes()) {
            twice[at..at + names[0].len()].copy_from_slice(names[0].as_bytes());
        }
    }
    let jpeg = files[&photo].clone();
    let mut hidden = files.clone();
    hidden.get_mut(&photo).unwrap().extend(b"GPS 54.3N");
    let cases: Vec<(&str, Vec<u8>, &str)> = vec![
        ("cut off", archive[..archive.len() / 2].to_vec(), "damaged"),
        ("something behind its end", [archive.as_slice(), b"more"].concat(), "damaged"),
        ("no archive behind its head", b"PK\x03\x04 and nothing".to_vec(), "damaged"),
        ("a path that leads elsewhere", with("../../etc/passwd", b"x"), "doesn't belong"),
        ("a path from the root", with("/etc/passwd", b"x"), "doesn't belong"),
        ("a file more", with("more.txt", b"x"), "doesn't belong"),
        ("a photograph under another name", with("photos/x.jpg", &jpeg), "doesn't belong"),
        ("a bomb", with("results.csv", &vec![b'0'; 20_000_000]), "unpacks to more"),
        ("no rows", signed(without("practice.json")), "practice.json: it is missing"),
        ("no manifest", packed(&without("manifest.json")), "manifest.json: it is missing"),
        ("a photograph less", packed(&without(&photo)), "isn't there"),
        ("rows that were changed", packed(&changed), "manifest says"),
        ("a picture that was changed", packed(&turned), "checksum"),
        ("a name twice", twice, "twice"),
        ("a picture that no row names", with(&format!("photos/{}.jpg", Uuid::now_v7()), &jpeg), "no row names"),
        ("a picture with more in it", signed(hidden), "more in it"),
    ];
    for (what, file, said) in cases {
        let (status, answer) = takes_in(&there, file).await;
        assert!(
            status == StatusCode::UNPROCESSABLE_ENTITY && answer["message"].as_str().unwrap().contains(said),
            "{what}: {status} {answer}"
        );
    }
    assert_eq!(there.get("/today").await["people"], 0);
    assert_eq!(takes_in(&there, archive).await.0, StatusCode::OK);
}
