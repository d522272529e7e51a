//! Every protocol through the interface: entered afterwards, run live, copied, rehearsed, joined; two processes, one run.

use std::fmt::Write;

use impulso_core::catalogue;
use impulso_store::Store;
use reqwest::{Client, Method};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::{Browser, Screen, TestApp, serve};

/// A set-up with what the protocol asks for.
fn conditions(id: &str) -> Value {
    let protocol = catalogue::find(id).unwrap();
    let answers = protocol.conditions.iter().filter(|c| c.required).map(|c| {
        use catalogue::ConditionKind as K;
        let answer = match c.kind {
            K::YesNo => json!(true),
            K::Number => json!(c.expected_for(Some(impulso_core::person::Sex::Male)).unwrap_or(30.0)),
            K::Choice => json!(c.choices[0].0),
            K::Text => json!("the usual"),
        };
        (c.key.clone(), answer)
    });
    Value::Object(answers.collect())
}

/// The body of an entry: the catalogue's own example readings.
fn entry(id: &str) -> Value {
    let example = serde_json::to_value(&catalogue::find(id).unwrap().example.as_ref().unwrap().inputs).unwrap();
    let mut inputs = example.as_object().unwrap().clone();
    let stages: Vec<Value> = inputs
        .remove("stages")
        .and_then(|s| s.as_array().cloned())
        .unwrap_or_default()
        .iter()
        .map(|s| json!({"load_kgm_min": s["load_kgm_min"], "heart_rates": {"2": s["hr_2"], "3": s["hr_3"]}}))
        .collect();
    let csv = inputs.remove("series").map(|series| recording(series.as_array().unwrap()));
    json!({
        "id": Uuid::now_v7(), "protocol": id, "on": "2026-11-20", "inputs": inputs, "stages": stages, "series_csv": csv,
        "conditions": conditions(id)
    })
}

/// A ride's recording as the instruments export it.
fn recording(series: &[Value]) -> String {
    let mut csv = "time_s,power_w,hr_bpm,cadence_rpm".to_owned();
    for line in series {
        let cell = |key: &str| line[key].as_f64().map(|v| v.to_string()).unwrap_or_default();
        write!(csv, "\n{},{},{},{}", cell("time_s"), cell("power_w"), cell("hr_bpm"), cell("cadence_rpm")).unwrap();
    }
    csv
}

/// A ride with one line a second: mean power and heart rate of each stage, and the heart rate a minute after.
fn ride(power: [f64; 3], rates: [f64; 3], later: f64, rpe: [f64; 3], on: &str) -> Value {
    let at = |t: u32| {
        let k = if t <= 360 {
            0
        } else if t <= 720 {
            1
        } else {
            2
        };
        let bpm = if t > 900 { later } else { rates[k] };
        json!({"time_s": t, "power_w": if t > 900 { 0.0 } else { power[k] }, "hr_bpm": bpm, "cadence_rpm": 90})
    };
    let series: Vec<Value> = (1..=960).map(at).collect();
    let mut body = entry("clamped-cycle");
    body["series_csv"] = json!(recording(&series));
    body["inputs"] = json!({"rpe_1": rpe[0], "rpe_2": rpe[1], "rpe_3": rpe[2]});
    body["on"] = json!(on);
    body
}

#[tokio::test]
async fn rides_at_clamped_heart_rates_are_read_together_and_a_bad_recording_says_where() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let path = format!("/people/{person}/results");
    let rates = [110.0, 147.0, 165.0];
    let mut pages = Vec::new();
    for body in [
        ride([120.0, 190.0, 240.0], rates, 129.0, [10.0, 14.0, 17.0], "2026-11-02"),
        ride([125.0, 199.0, 252.0], rates, 121.0, [10.0, 14.0, 17.0], "2026-11-09"),
        ride([125.0, 199.0, 264.0], rates, 113.0, [12.0, 16.0, 19.0], "2026-11-16"),
    ] {
        let kept = coach.ok(Method::POST, &path, body).await;
        pages.push(coach.get(&format!("/results/{}", kept["result"].as_str().unwrap())).await["ride"].clone());
    }
    let sentence = |k: usize| pages[k]["sentence"].as_str().unwrap();
    assert!(sentence(0).starts_with("The first ride"), "{}", sentence(0));
    assert!(sentence(1).contains("often means fitter"), "{}", sentence(1));
    assert!(sentence(2).contains("tired from the last days"), "{}", sentence(2));
    assert_eq!(pages[1]["stages"][1]["power"], json!({"now": "199 W", "then": "190 W"}));
    assert_eq!(pages[1]["recovery"], json!({"now": "44 bpm", "then": "36 bpm"}));

    let mut broken = ride([120.0, 190.0, 240.0], rates, 129.0, [10.0, 14.0, 17.0], "2026-11-18");
    let cut: Vec<&str> = broken["series_csv"].as_str().unwrap().lines().take(800).collect();
    broken["series_csv"] = json!(cut.join("\n"));
    let (status, code, field) = coach.refused(Method::POST, &path, broken.clone()).await;
    assert_eq!((status, code.as_str(), field.as_deref()), (422, "missing_input", Some("series")));
    broken["series_csv"] = json!("time_s,power_w\n1,2");
    assert_eq!(coach.refused(Method::POST, &path, broken).await.2.as_deref(), Some("series"));
}

#[tokio::test]
async fn every_protocol_can_be_entered_afterwards_and_its_page_shows_what_was_computed() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    for protocol in catalogue::all() {
        let body = entry(&protocol.id);
        let kept = coach.ok(Method::POST, &format!("/people/{person}/results"), body.clone()).await;
        let again = coach.ok(Method::POST, &format!("/people/{person}/results"), body).await;
        assert_eq!(kept, again, "a double click keeps one");
        let page = coach.get(&format!("/results/{}", kept["result"].as_str().unwrap())).await;
        let computed = page["report"]["quantities"].as_array().unwrap();
        let needed = protocol.scoring.iter().filter(|s| !s.optional).count();
        assert!((needed..=protocol.scoring.len()).contains(&computed.len()), "{}", protocol.id);
        assert!(computed.iter().all(|q| q["value"].is_number() && q["working"]["filled"].is_string()), "{}: {computed:?}", protocol.id);
        assert_eq!(page["line"].is_object(), protocol.records_stages());
    }
    let page = coach.get(&format!("/people/{person}")).await;
    assert_eq!(page["tests"].as_array().unwrap().len(), catalogue::all().len());
}

#[tokio::test]
async fn what_is_missing_on_paper_is_asked_for_and_nothing_is_kept() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let mut empty = entry("mile-walk");
    empty["inputs"] = json!({"time_s": 870});
    let refused = coach.refused(Method::POST, &format!("/people/{person}/results"), empty).await;
    assert_eq!((refused.1.as_str(), refused.2.as_deref()), ("missing_input", Some("hr_end")));
    let mut later = entry("mile-walk");
    later["on"] = json!("2199-01-01");
    assert_eq!(coach.refused(Method::POST, &format!("/people/{person}/results"), later).await.2.as_deref(), Some("on"));
    let page = coach.get(&format!("/people/{person}")).await;
    assert!(page["tests"].as_array().unwrap().is_empty());
}

async fn multistage(coach: &Browser, person: &str) -> String {
    let id = Uuid::now_v7();
    let body = json!({"id": id, "people": [person], "protocol": "multistage-cycle", "conditions": conditions("multistage-cycle"), "hr_max_method": "tanaka", "resting_hr": 60});
    coach.ok(Method::POST, "/runs", body).await;
    id.to_string()
}

#[tokio::test]
async fn a_multistage_run_delivered_late_twice_and_in_pieces_is_the_run_that_happened() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let script = |screen: &mut Screen| {
        vec![
            screen.at(0, json!({"kind": "clock_started"})),
            screen.at(126, json!({"kind": "heart_rate_read", "stage": 1, "minute": 2, "bpm": 112})),
            screen.at(186, json!({"kind": "heart_rate_read", "stage": 1, "minute": 3, "bpm": 114})),
            screen.at(190, json!({"kind": "load_set", "stage": 2, "kgm_min": 300, "reason": null})),
            screen.at(312, json!({"kind": "heart_rate_read", "stage": 2, "minute": 2, "bpm": 128})),
            screen.at(372, json!({"kind": "heart_rate_read", "stage": 2, "minute": 3, "bpm": 130})),
        ]
    };
    let calm = multistage(&coach, &person).await;
    // The run is nearly seven minutes long: begun long enough ago.
    let mut screen = Screen::begun_minutes_ago(10);
    let events = script(&mut screen);
    let mut view = Value::Null;
    for event in &events {
        view = coach.posts(&calm, std::slice::from_ref(event)).await["view"].clone();
    }
    assert_eq!(view["state"]["decision"]["code"], "complete", "{}", view["state"]["decision"]);
    let rough = multistage(&coach, &person).await;
    let events = script(&mut screen.beside());
    for piece in [0..1, 0..2, 3..4, 1..3, 0..4, 3..6, 5..6] {
        let (status, answer) = coach.send(Method::POST, &format!("/runs/{rough}/events"), json!({"events": events[piece]})).await;
        assert!(status.is_success() || answer["code"] == "sequence_gap", "{answer}");
    }
    let stormy = coach.get(&format!("/runs/{rough}")).await["state"].clone();
    for part in ["stages", "line", "decision", "decisions", "over_ms"] {
        assert_eq!(stormy[part], view["state"][part], "{part}");
    }
    let done = coach.posts(&calm, &[screen.at(400, json!({"kind": "finished"}))]).await;
    let page = coach.get(&format!("/results/{}", done["view"]["result"].as_str().unwrap())).await;
    let stored = page["hr_max_choices"].as_array().unwrap().iter().find(|c| c["stored"] == true).unwrap();
    assert_eq!(stored["method"], "tanaka");
    let vo2max = page["report"]["quantities"][0]["value"].as_f64().unwrap();
    assert!((stored["line"]["vo2max"].as_f64().unwrap() - vo2max).abs() < 1e-9);
}

#[tokio::test]
async fn slips_on_the_floor_are_refused_by_their_field() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = multistage(&coach, &coach.adds("Joren").await).await;
    let mut screen = Screen::begun_minutes_ago(10);
    coach.posts(&run, &[screen.at(0, json!({"kind": "clock_started"}))]).await;
    coach.posts(&run, &[screen.at(126, json!({"kind": "heart_rate_read", "stage": 1, "minute": 2, "bpm": 112}))]).await;
    for (at, kind, field) in [
        (130, json!({"kind": "heart_rate_read", "stage": 1, "minute": 3, "bpm": 114}), "minute"),
        (190, json!({"kind": "heart_rate_read", "stage": 3, "minute": 2, "bpm": 114}), "stage"),
        (190, json!({"kind": "heart_rate_read", "stage": 1, "minute": 3, "bpm": 400}), "bpm"),
        (190, json!({"kind": "load_set", "stage": 1, "kgm_min": 300, "reason": null}), "kgm_min"),
        (190, json!({"kind": "load_set", "stage": 2, "kgm_min": 9000, "reason": "x"}), "kgm_min"),
        (190, json!({"kind": "stage_accepted", "stage": 1, "reason": ""}), "reason"),
        (190, json!({"kind": "value_typed", "key": "extra_m", "value": 3}), "extra_m"),
    ] {
        let event = screen.beside().at(at, kind.clone());
        let refused = coach.refused(Method::POST, &format!("/runs/{run}/events"), json!({"events": [event]})).await;
        assert_eq!((refused.0, refused.2.as_deref()), (422, Some(field)), "{kind}");
    }
    let state = coach.get(&format!("/runs/{run}")).await["state"].clone();
    assert_eq!(state["of"]["stages"][0]["readings"].as_array().unwrap().len(), 1);
}

#[tokio::test]
async fn a_strap_that_talks_nonsense_is_rejected_with_the_reason_and_the_run_goes_on() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = multistage(&coach, &coach.adds("Joren").await).await;
    let mut screen = Screen::new();
    let heard = |bytes: &str| json!({"kind": "strap_heard", "bytes": bytes, "heard": null});
    let events = [
        screen.at(0, json!({"kind": "clock_started"})),
        screen.at(10, heard("1678")),
        screen.at(11, heard("10780a")),
        screen.at(12, heard("00ff")),
    ];
    let view = coach.posts(&run, &events).await["view"].clone();
    let strap = &view["state"]["strap"];
    assert_eq!(strap["bpm"], 120.0);
    assert!(strap["problem"].as_str().unwrap().contains("255"), "{strap}");
}

#[tokio::test]
async fn a_copy_belongs_to_its_practice_and_stands_in_a_series_of_its_own() {
    let app = TestApp::spawn().await;
    let (coach, other) = (app.new_practice("Harbour").await, app.new_practice("Quayside").await);
    let form = json!({"id": Uuid::now_v7(), "changes": {"name": "Two-minute bench", "work_s": 120, "bench_cm": 30}});
    let copy = coach.ok(Method::POST, "/protocols/bench-step-3min/copies", form.clone()).await;
    coach.ok(Method::POST, "/protocols/bench-step-3min/copies", form).await;
    let id = copy["id"].as_str().unwrap();
    assert_eq!(other.refused(Method::GET, &format!("/protocols/{id}"), Value::Null).await.1, "unknown_protocol");
    let person = coach.adds("Joren").await;
    coach.tests(&person, 30.0).await;
    let run = Uuid::now_v7();
    let body =
        json!({"id": run, "people": [person], "protocol": id, "conditions": {"bench_cm": 30, "warm_up": true, "pulse_site": "wrist"}});
    coach.ok(Method::POST, "/runs", body).await;
    let mut screen = Screen::new();
    let events = [
        screen.at(0, json!({"kind": "clock_started"})),
        screen.at(150, json!({"kind": "count_typed", "count": 30})),
        screen.at(155, json!({"kind": "finished"})),
    ];
    let done = coach.posts(&run.to_string(), &events).await;
    let page = coach.get(&format!("/results/{}", done["view"]["result"].as_str().unwrap())).await;
    assert_eq!(page["copied_from"], "3-minute bench step");
    assert_eq!(page["report"]["quantities"].as_array().unwrap().len(), 1, "no estimate that was fitted on the original");
    assert_eq!(page["progress"]["recovery_hr"]["since_last"], Value::Null, "not compared with the original's result");
}

#[tokio::test]
async fn a_rehearsal_hides_the_truth_until_its_end_and_never_reaches_a_record() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let id = Uuid::now_v7();
    let form = json!({"id": id, "protocol": "multistage-cycle", "rate": 4, "faults": ["dizzy"], "seed": 5});
    let view = coach.ok(Method::POST, "/rehearsals", form).await;
    assert_eq!((view["clock_rate"].as_f64(), &view["rehearsal"]["report"]), (Some(4.0), &Value::Null));
    assert!(!view.to_string().contains("vo2max\":4"), "the truth is not in the view");
    let mut screen = Screen::new();
    let started = screen.at(0, json!({"kind": "clock_started"}));
    coach.posts(&id.to_string(), &[started]).await;
    let simulated = coach.get(&format!("/rehearsals/{id}/simulated")).await;
    assert!(simulated["frames"].as_array().unwrap().len() > 10, "{simulated}");
    assert!(impulso_core::strap_bytes::parse_hex(simulated["frames"][0]["bytes"].as_str().unwrap()).unwrap().bpm.is_some());
    let events = [
        screen.at(60, json!({"kind": "stopped"})),
        screen.at(62, json!({"kind": "stop_explained", "reason": "assessor", "note": null})),
        screen.at(63, json!({"kind": "finished"})),
    ];
    let over = coach.posts(&id.to_string(), &events).await["view"].clone();
    assert!(over["rehearsal"]["report"]["truth"].as_f64().unwrap() > 15.0);
    assert_eq!(over["result"], Value::Null);
    let today = coach.get("/today").await;
    assert!(today["open_runs"].as_array().unwrap().is_empty());
    assert_eq!(today["people"], 0);
}

async fn class(coach: &Browser) -> (String, String) {
    let mut people = Vec::new();
    for name in ["Teo", "Linnea", "Noor"] {
        people.push(coach.adds(name).await);
    }
    let id = Uuid::now_v7();
    let body = json!({"id": id, "people": people, "protocol": "class-step-3min", "conditions": conditions("class-step-3min")});
    let view = coach.ok(Method::POST, "/runs", body).await;
    (id.to_string(), view["join_code"].as_str().unwrap().to_owned())
}

#[tokio::test]
async fn a_partner_sees_the_clock_and_the_names_and_may_count_and_nothing_else() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let (run, code) = class(&coach).await;
    let phone = app.browser();
    let view = phone.get(&format!("/join/{}", code.to_lowercase())).await;
    assert_eq!(view["performers"][1]["name"], "Linnea");
    assert!(view["performers"][1]["person"].is_null() && view["conditions"].as_array().unwrap().is_empty());
    let mut teacher = Screen::new();
    coach.posts(&run, &[teacher.at(0, json!({"kind": "clock_started"}))]).await;
    let mut partner = teacher.beside();
    let count = partner.at(203, json!({"kind": "count_typed", "count": 21, "slot": 1}));
    let path = format!("/join/{code}/events");
    let counted = phone.ok(Method::POST, &path, json!({"events": [count]})).await;
    assert_eq!(counted["view"]["performers"][1]["reading"]["bpm"], 126.0);
    for kind in [json!({"kind": "finished"}), json!({"kind": "finished", "slot": 1}), json!({"kind": "count_typed", "count": 21})] {
        let event = teacher.beside().at(204, kind);
        assert_eq!(phone.refused(Method::POST, &path, json!({"events": [event]})).await.0, 403);
    }
    let nobody = teacher.beside().at(204, json!({"kind": "count_typed", "count": 21, "slot": 9}));
    assert_eq!(phone.refused(Method::POST, &path, json!({"events": [nobody]})).await.0, 404);
    let done = coach.posts(&run, &[teacher.at(230, json!({"kind": "finished"}))]).await["view"].clone();
    let results: Vec<bool> = done["performers"].as_array().unwrap().iter().map(|p| p["result"].is_string()).collect();
    assert_eq!((done["closed"].as_bool(), results), (Some(true), vec![false, true, false]));
    assert_eq!(phone.refused(Method::GET, &format!("/join/{code}"), Value::Null).await.1, "unknown_code");
}

#[tokio::test]
async fn a_code_of_another_practice_and_guessed_codes_open_nothing() {
    let app = TestApp::spawn().await;
    let (coach, other) = (app.new_practice("Harbour").await, app.new_practice("Quayside").await);
    let (_, code) = class(&coach).await;
    let refused = other.refused(Method::GET, &format!("/join/{code}"), Value::Null).await;
    assert_eq!((refused.0, refused.1.as_str()), (404, "unknown_code"));
    let phone = app.browser();
    let mut last = 0;
    for k in 0..24 {
        last = phone.refused(Method::GET, &format!("/join/AAAA{k:02}"), Value::Null).await.0;
    }
    assert_eq!(last, 429, "guessing is slowed down");
}

/// Reads a live stream until a view fits; gives it.
async fn until(base: &str, cookie: &Client, path: &str, mut fits: impl FnMut(&Value) -> bool) -> Value {
    let mut stream = cookie.get(format!("{base}/api{path}")).send().await.unwrap();
    assert_eq!(stream.headers()["content-type"], "text/event-stream");
    let mut text = String::new();
    let deadline = tokio::time::Instant::now() + std::time::Duration::from_secs(10);
    loop {
        let chunk = tokio::time::timeout_at(deadline, stream.chunk()).await.expect("the live channel was silent").unwrap().unwrap();
        text.push_str(&String::from_utf8_lossy(&chunk));
        while let Some(end) = text.find("\n\n") {
            let frame: String = text.drain(..end + 2).collect();
            let Some(data) = frame.split_once("data: ").map(|(_, d)| d) else { continue };
            let view: Value = serde_json::from_str(data).unwrap();
            if fits(&view) {
                return view;
            }
        }
    }
}

#[tokio::test]
async fn two_processes_on_one_database_serve_one_run() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = multistage(&coach, &coach.adds("Joren").await).await;
    // The second process has a cookie key of its own, so the watcher signs in there.
    let second = serve(&app.app_url, 12 * 60);
    Store::connect_lazy(&app.app_url).unwrap();
    let watcher = Client::builder().cookie_store(true).build().unwrap();
    let login = json!({"email": "harbour@example.org", "password": "long enough password"});
    assert!(watcher.post(format!("{second}/api/session")).json(&login).send().await.unwrap().status().is_success());
    let path = format!("/runs/{run}/live");
    let watching = tokio::spawn(async move { until(&second, &watcher, &path, |v| v["state"]["notes"][0] == "over there").await });
    tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
    let mut screen = Screen::new();
    coach
        .posts(&run, &[screen.at(0, json!({"kind": "clock_started"})), screen.at(5, json!({"kind": "noted", "text": "over there"}))])
        .await;
    let seen = watching.await.unwrap();
    assert_eq!((seen["state"]["status"].as_str(), seen["revision"].as_u64()), (Some("running"), Some(2)));
}

#[tokio::test]
async fn the_choice_of_a_test_knows_what_is_at_hand() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let fits =
        coach.ok(Method::POST, &format!("/people/{person}/choose"), json!({"equipment": ["bench"], "minutes": 20, "people": 1})).await;
    let of = |id: &str| fits["fits"].as_array().unwrap().iter().find(|f| f["protocol"] == id).unwrap().clone();
    assert_eq!(of("bench-step-3min")["verdict"], "suits");
    assert_eq!(of("multistage-cycle")["because"], "Needs a cycle ergometer.");
    let first = fits["first"].as_array().unwrap();
    assert!((2..=3).contains(&first.len()) && first.iter().all(|f| of(f["protocol"].as_str().unwrap())["verdict"] == "suits"), "{first:?}");
    let odd = coach.refused(Method::POST, &format!("/people/{person}/choose"), json!({"equipment": ["rocket"]})).await;
    assert_eq!((odd.0, odd.2.as_deref()), (422, Some("equipment")));
    let equipment = coach.get("/equipment").await;
    assert!(equipment.as_array().unwrap().iter().any(|k| k["key"] == "bench"), "{equipment}");
    let times = coach.get("/row-time?vo2max=64.375&mass_kg=80&sex=male&trained=true").await;
    assert_eq!(times["sentence"], "7:02 for 2000 m.");
}

#[tokio::test]
async fn what_a_scale_says_needs_the_name_of_the_scale() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let path = format!("/people/{person}/results");
    let form = |conditions: Value| json!({ "id": Uuid::now_v7(), "protocol": "body", "on": "2026-03-01", "inputs": { "body_fat_percent": 21 }, "conditions": conditions });
    let (status, code, field) = coach.refused(Method::POST, &path, form(json!({}))).await;
    assert_eq!((status, code.as_str(), field.as_deref()), (422, "missing_input", Some("device")));
    coach.ok(Method::POST, &path, form(json!({ "device": "the one in the hall" }))).await;
}
