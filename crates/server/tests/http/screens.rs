//! A screen belongs to whoever wrote with it first, and an entry counts as known only where the one that is stored is the same.

use proptest::{
    prelude::*,
    test_runner::{Config, RngAlgorithm, TestRng, TestRunner},
};
use reqwest::Method;
use serde_json::{Value, json};
use sqlx::PgConnection;
use sqlx::{Connection, Row};
use uuid::Uuid;

use crate::{
    app::{Browser, Screen, TestApp},
    partners::class_of,
};

/// Entries of the log in order: id, screen, number, content.
async fn log(app: &TestApp, run: &str) -> Vec<(Uuid, Uuid, i32, Value)> {
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    let rows = sqlx::query("select id, device, seq, body from run_events where run_id = $1 order by position")
        .bind(run.parse::<Uuid>().unwrap())
        .fetch_all(&mut owner)
        .await
        .unwrap();
    rows.iter().map(|r| (r.get(0), r.get(1), r.get(2), r.get(3))).collect()
}

#[tokio::test]
async fn a_phone_that_writes_as_the_coachs_screen_is_refused_and_the_coachs_entries_are_stored() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (run, code, mut teacher) = class_of(&coach, &["Teo", "Linnea"]).await;
    let phone = app.browser();
    let path = format!("/join/{code}/events");
    // The three numbers that the coach's screen will need next.
    let mut taken = teacher.written_as(teacher.device, teacher.seq);
    let taps: Vec<Value> = (0..3).map(|k| taken.at(181 + k, json!({"kind": "tap", "slot": 0}))).collect();
    let (status, code_, _) = phone.refused(Method::POST, &path, json!({ "events": taps })).await;
    assert_eq!((status, code_.as_str()), (403, "screen_elsewhere"));
    let notes = [
        teacher.at(200, json!({"kind": "noted", "text": "wet floor"})),
        teacher.at(201, json!({"kind": "noted", "text": "Linnea limps"})),
        teacher.at(202, json!({"kind": "stopped"})),
    ];
    for note in &notes {
        let said = coach.posts(&run, std::slice::from_ref(note)).await;
        assert_eq!((said["stored"].as_u64(), said["known"].as_u64()), (Some(1), Some(0)));
    }
    assert_eq!(log(&app, &run).await.len(), 4);
    assert_eq!(coach.get(&format!("/runs/{run}")).await["state"]["status"], "stopped");
}

#[tokio::test]
async fn a_screen_that_nobody_owns_becomes_the_first_ones_and_another_coach_cannot_write_with_it() {
    let app = TestApp::spawn().await;
    let ada = app.new_practice("Harbour").await;
    let form = json!({"name": "Piet", "email": "piet@example.org", "password": "long enough password"});
    ada.ok(Method::POST, "/practice/coaches", form.clone()).await;
    let piet = app.browser();
    piet.ok(Method::POST, "/session", json!({"email": "piet@example.org", "password": "long enough password"})).await;
    let run = ada.sets_up(&ada.adds("Teo").await).await;
    let mut screen = Screen::new();
    ada.posts(&run, &[screen.at(0, json!({"kind": "clock_started"}))]).await;
    let note = screen.at(1, json!({"kind": "noted", "text": "by somebody else"}));
    let path = format!("/runs/{run}/events");
    assert_eq!(piet.refused(Method::POST, &path, json!({"events": [note]})).await.1, "screen_elsewhere");
    // The coach signs in on another machine and goes on with that screen.
    let again = app.signed_in_at(&app.base, "Harbour").await;
    again.posts(&run, &[note]).await;
}

#[tokio::test]
async fn two_pages_that_write_as_one_screen_lose_nothing_and_the_second_is_told_the_next_number() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = coach.sets_up(&coach.adds("Teo").await).await;
    let path = format!("/runs/{run}/events");
    let mut one = Screen::new();
    coach.posts(&run, &[one.at(0, json!({"kind": "clock_started"}))]).await;
    let mut two = one.written_as(one.device, one.seq);
    let (first, mut second) = (one.at(5, json!({"kind": "noted", "text": "one"})), two.at(6, json!({"kind": "noted", "text": "two"})));
    coach.posts(&run, std::slice::from_ref(&first)).await;
    let (status, answer) = coach.send(Method::POST, &path, json!({"events": [second]})).await;
    assert_eq!((status.as_u16(), answer["code"].as_str(), answer["detail"]["expected"].as_u64()), (409, Some("sequence_taken"), Some(3)));
    second["seq"] = json!(3);
    assert_eq!(coach.posts(&run, &[second]).await["stored"], 1);
    // An entry that is sent again is known under any number; another content under its key is refused.
    let known = coach.posts(&run, std::slice::from_ref(&first)).await;
    assert_eq!((known["stored"].as_u64(), known["known"].as_u64()), (Some(0), Some(1)));
    for (field, value) in [("text", json!("other")), ("mono_ms", json!(5001)), ("slot", json!(0))] {
        let mut other = first.clone();
        other[field] = value;
        for seq in [2, 4] {
            other["seq"] = json!(seq);
            let (status, answer) = coach.send(Method::POST, &path, json!({"events": [other]})).await;
            assert_eq!((status.as_u16(), answer["code"].as_str()), (409, Some("event_elsewhere")), "{field}");
        }
    }
    let words: Vec<_> = log(&app, &run).await.into_iter().filter_map(|(.., body)| body["text"].as_str().map(str::to_owned)).collect();
    assert_eq!(words, ["one", "two"]);
}

#[tokio::test]
async fn a_partner_is_told_of_no_screen_but_its_own() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (run, code, mut teacher) = class_of(&coach, &["Teo", "Linnea"]).await;
    let phone = app.browser();
    let path = format!("/join/{code}/events");
    let tag = phone.get(&format!("/join/{code}/people")).await[0]["tag"].as_str().unwrap().to_owned();
    let mut live = phone.stream(&format!("/join/{code}/live?tag={tag}")).await;
    let mut mine = teacher.beside();
    let tap = mine.at(185, json!({"kind": "tap", "slot": 0}));
    phone.ok(Method::POST, &path, json!({"events": [tap]})).await;
    let coachs = teacher.at(190, json!({"kind": "tap", "slot": 0}));
    coach.posts(&run, std::slice::from_ref(&coachs)).await;
    // Whoever repeats the entry of another screen is not told whose it is.
    let mut copied = coachs.clone();
    (copied["device"], copied["seq"]) = (json!(mine.device), json!(2));
    let said = phone.send(Method::POST, &path, json!({"events": [copied]})).await.1.to_string();
    let known = phone.get(&format!("/join/{code}/log?tag={tag}")).await;
    let mut heard = String::new();
    while !heard.contains(coachs["id"].as_str().unwrap()) {
        heard.push_str(std::str::from_utf8(&live.chunk().await.unwrap().unwrap()).unwrap());
    }
    for text in [said, known.to_string(), heard] {
        assert!(!text.contains(&teacher.device.to_string()), "{text}");
    }
    let told = known["events"].as_array().unwrap();
    let of = |id: &Value| told.iter().find(|e| e["id"] == *id).unwrap();
    assert_eq!(
        (of(&tap["id"])["device"].clone(), of(&tap["id"])["seq"].as_u64()),
        (json!(mine.device), Some(1)),
        "its own is as it was sent"
    );
    assert_eq!(of(&coachs["id"])["seq"], 0);
    // Two screens stay two: what was tapped on each is counted by its own clock.
    assert_ne!(of(&coachs["id"])["device"], of(&tap["id"])["device"]);
}

/// A page of an honest screen: an entry waits until it is acknowledged, and the page resolves conflicts.
struct Page<'a> {
    browser: &'a Browser,
    path: String,
    slot: Option<u16>,
    device: Uuid,
    seq: u32,
    waiting: Vec<Value>,
    acknowledged: Vec<String>,
    start: Screen,
}

impl Page<'_> {
    fn does(&mut self, nth: usize) {
        self.seq += 1;
        let kind = match self.slot {
            None => json!({"kind": "noted", "text": format!("note {nth}")}),
            Some(slot) => json!({"kind": "tap", "slot": slot}),
        };
        let mut event = self.start.at(185, kind);
        (event["device"], event["seq"], event["mono_ms"]) = (json!(self.device), json!(self.seq), json!(nth as f64 * 10.5));
        self.waiting.push(event);
    }

    fn number_from(&mut self, from: u64, device: Uuid) {
        for (k, one) in self.waiting.iter_mut().enumerate() {
            (one["device"], one["seq"]) = (json!(device), json!(from + k as u64));
        }
        (self.device, self.seq) = (device, (from + self.waiting.len() as u64 - 1) as u32);
    }

    /// Sends what waits; where the answer is lost, it stays.
    async fn sends(&mut self, is_heard: bool) {
        for _ in 0..20 {
            let Some(first) = self.waiting.first().cloned() else { return };
            let (status, answer) = self.browser.send(Method::POST, &self.path, json!({ "events": [first] })).await;
            if !is_heard {
                return;
            }
            match (status.as_u16(), answer["code"].as_str()) {
                (200, _) => self.acknowledged.push(self.waiting.remove(0)["id"].as_str().unwrap().to_owned()),
                (409, Some("sequence_taken" | "sequence_gap")) => {
                    self.number_from(answer["detail"]["expected"].as_u64().unwrap(), self.device);
                }
                (409, Some("event_elsewhere")) => self.waiting[0]["id"] = json!(Uuid::now_v7()),
                (403, Some("screen_elsewhere")) => self.number_from(1, Uuid::now_v7()),
                (429, _) => tokio::time::sleep(std::time::Duration::from_millis(300)).await,
                _ => panic!("{status} {answer}"),
            }
        }
    }
}

/// Something that happens: who does it, and how it goes.
#[derive(Debug, Clone)]
enum Deed {
    /// Somebody honest does something and sends it, and hears the answer or not.
    Does { who: usize, is_heard: bool },
    /// The other phone writes as somebody's screen, so many numbers from the next one.
    Writes { whose: usize, off: i64 },
    /// It sends the last entry of somebody with other content, or as it is, under its own screen.
    Repeats { whose: usize, same: bool },
}

fn deed() -> impl Strategy<Value = Deed> {
    prop_oneof![
        4 => (0..5_usize, prop::bool::weighted(0.7)).prop_map(|(who, is_heard)| Deed::Does { who, is_heard }),
        2 => (0..5_usize, -1..3_i64).prop_map(|(whose, off)| Deed::Writes { whose, off }),
        1 => (0..5_usize, any::<bool>()).prop_map(|(whose, same)| Deed::Repeats { whose, same }),
    ]
}

/// Coaches' screens (two of them pages that write under one name), partners, and a phone that wants to do harm: whatever is acknowledged
/// to an honest one is in the log, once, as it was typed, in the order in which it was done.
#[test]
fn what_an_honest_screen_was_told_is_stored_is_in_the_log_in_its_order() {
    let runtime = tokio::runtime::Runtime::new().unwrap();
    let (app, ada, piet) = runtime.block_on(async {
        let app = TestApp::spawn().await;
        let ada = app.new_practice("Harbour").await;
        let form = json!({"name": "Piet", "email": "piet@example.org", "password": "long enough password"});
        ada.ok(Method::POST, "/practice/coaches", form.clone()).await;
        let piet = app.browser();
        piet.ok(Method::POST, "/session", json!({"email": "piet@example.org", "password": "long enough password"})).await;
        (app, ada, piet)
    });
    let rng = TestRng::from_seed(RngAlgorithm::ChaCha, &[42; 32]);
    let mut runner = TestRunner::new_with_rng(Config { cases: 24, failure_persistence: None, ..Config::default() }, rng);
    let all = prop::collection::vec(deed(), 10..40);
    let outcome = runner.run(&all, |deeds| {
        runtime.block_on(async {
            let (run, code, teacher) = class_of(&ada, &["Teo", "Linnea", "Noor"]).await;
            let phones = [app.browser(), app.browser()];
            let harm = app.browser();
            let (coachs, partners) = (format!("/runs/{run}/events"), format!("/join/{code}/events"));
            let shared = Uuid::now_v7();
            let page = |browser, path: &str, slot, device| Page {
                browser,
                path: path.to_owned(),
                slot,
                device,
                seq: 0,
                waiting: Vec::new(),
                acknowledged: Vec::new(),
                start: teacher.beside(),
            };
            let mut pages = [
                page(&ada, &coachs, None, shared),
                page(&ada, &coachs, None, shared),
                page(&piet, &coachs, None, Uuid::now_v7()),
                page(&phones[0], &partners, Some(0), Uuid::now_v7()),
                page(&phones[1], &partners, Some(1), Uuid::now_v7()),
            ];
            let mut own = teacher.beside();
            for (nth, deed) in deeds.iter().enumerate() {
                match *deed {
                    Deed::Does { who, is_heard } => {
                        pages[who].does(nth);
                        pages[who].sends(is_heard).await;
                    }
                    Deed::Writes { whose, off } => {
                        let victim = &pages[whose];
                        let seq = u32::try_from(i64::from(victim.seq) + 1 + off).unwrap_or(1).max(1);
                        let mut as_theirs = teacher.written_as(victim.device, seq - 1);
                        let tap = as_theirs.at(186, json!({"kind": "tap", "slot": 2}));
                        let (status, _) = harm.send(Method::POST, &partners, json!({"events": [tap]})).await;
                        // Taken only where nobody has written with that screen yet.
                        prop_assert!(!status.is_success() || victim.acknowledged.is_empty(), "{status}");
                    }
                    Deed::Repeats { whose, same } => {
                        let Some(last) = pages[whose].waiting.last() else { continue };
                        let mut repeated = own.at(186, json!({"kind": "tap", "slot": 2}));
                        repeated["id"] = last["id"].clone();
                        if same {
                            (repeated["mono_ms"], repeated["slot"]) = (last["mono_ms"].clone(), last["slot"].clone());
                        }
                        let (status, _) = harm.send(Method::POST, &partners, json!({"events": [repeated]})).await;
                        own.seq -= u32::from(!status.is_success());
                    }
                }
            }
            for page in &mut pages {
                page.sends(true).await;
                prop_assert!(page.waiting.is_empty());
            }
            let log = log(&app, &run).await;
            let at = |id: &str| log.iter().position(|(known, ..)| known.to_string() == id);
            for page in &pages {
                let places: Vec<_> = page.acknowledged.iter().map(|id| at(id)).collect();
                prop_assert!(places.iter().all(Option::is_some), "an acknowledged entry is not in the log");
                prop_assert!(places.is_sorted(), "out of its order: {places:?}");
            }
            Ok(())
        })
    });
    outcome.unwrap();
}
