//! One run, several processes and many screens: what each remembers is never wrong, and nothing is applied twice.

use reqwest::Method;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::app::{Browser, Screen, TestApp, serve};

const CYCLE: &str = "multistage-cycle";

async fn cycle(coach: &Browser) -> String {
    let person = coach.adds("Joren").await;
    stands(coach, &person, CYCLE, json!({"warm_up": true, "hr_source": "wrist"})).await
}

async fn stands(coach: &Browser, person: &str, protocol: &str, conditions: Value) -> String {
    let id = Uuid::now_v7();
    coach.ok(Method::POST, "/runs", json!({"id": id, "people": [person], "protocol": protocol, "conditions": conditions})).await;
    id.to_string()
}

fn read(stage: u8, minute: u8, bpm: u16) -> Value {
    json!({"kind": "heart_rate_read", "stage": stage, "minute": minute, "bpm": bpm})
}

fn note(text: &str) -> Value {
    json!({"kind": "noted", "text": text})
}

#[tokio::test]
async fn two_processes_that_take_turns_on_one_run_both_know_everything() {
    let app = TestApp::spawn().await;
    let here = app.new_practice("Harbour").await;
    let run = cycle(&here).await;
    let second = serve(&app.app_url, 12 * 60);
    let there = app.signed_in_at(&second, "Harbour").await;
    let (mut a, mut b) = {
        let a = Screen::begun_minutes_ago(10);
        let b = a.beside();
        (a, b)
    };
    here.posts(&run, &[a.at(0, json!({"kind": "clock_started"}))]).await;
    // Each process remembers the run from its own last event; what the other took in since is fetched.
    for (k, (minute, bpm)) in [(2, 112), (3, 114)].into_iter().enumerate() {
        there.posts(&run, &[b.at(60 * i64::from(minute) + 8, read(1, minute, bpm))]).await;
        here.posts(&run, &[a.at(60 * i64::from(minute) + 10, note(&format!("remark {k}")))]).await;
    }
    let view = there.posts(&run, &[b.at(195, note("over there"))]).await["view"].clone();
    assert_eq!(view["state"]["decision"]["code"], "stage_counts", "{}", view["state"]["decision"]);
    assert_eq!(view["state"]["notes"], json!(["remark 0", "remark 1", "over there"]));
    assert_eq!(view["revision"], 6);
    let stored = here.get(&format!("/runs/{run}")).await;
    assert_eq!(stored["state"], view["state"], "what is remembered is what is stored");
}

#[tokio::test]
async fn a_run_that_another_process_closed_is_closed_for_the_one_that_remembers_it() {
    let app = TestApp::spawn().await;
    let here = app.new_practice("Harbour").await;
    let run = cycle(&here).await;
    let there = app.signed_in_at(&serve(&app.app_url, 12 * 60), "Harbour").await;
    let mut a = Screen::begun_minutes_ago(10);
    let mut b = a.beside();
    here.posts(&run, &[a.at(0, json!({"kind": "clock_started"})), a.at(126, read(1, 2, 112))]).await;
    there
        .posts(
            &run,
            &[
                b.at(130, json!({"kind": "stopped"})),
                b.at(131, json!({"kind": "stop_explained", "reason": "fatigue", "note": null})),
                b.at(132, json!({"kind": "finished"})),
            ],
        )
        .await;
    let after = here.posts(&run, &[a.at(140, note("too late"))]).await;
    assert_eq!((after["late"].as_u64(), after["stored"].as_u64()), (Some(1), Some(0)));
    assert_eq!((after["view"]["closed"].as_bool(), &after["view"]["state"]["notes"]), (Some(true), &json!([])));
    let again = here.posts(&run, &[a.at(141, note("later still"))]).await;
    assert_eq!(again["late"], 1, "the screen's sequence goes on after the close");
}

#[tokio::test]
async fn a_refused_event_leaves_nothing_behind_and_its_number_is_free_again() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = cycle(&coach).await;
    let mut screen = Screen::begun_minutes_ago(10);
    coach.posts(&run, &[screen.at(0, json!({"kind": "clock_started"}))]).await;
    let wild = screen.at(126, read(1, 2, 900));
    assert_eq!(coach.refused(Method::POST, &format!("/runs/{run}/events"), json!({"events": [wild]})).await.2.as_deref(), Some("bpm"));
    screen.seq -= 1;
    let view = coach.posts(&run, &[screen.at(126, read(1, 2, 112))]).await["view"].clone();
    assert_eq!((view["revision"].as_u64(), &view["state"]["of"]["stages"][0]["readings"][0]["bpm"]), (Some(2), &json!(112.0)));
    // One bad event takes its batch with it: nothing of it is stored.
    let batch = [screen.at(186, note("with it")), screen.at(187, read(1, 3, 900))];
    assert_eq!(coach.refused(Method::POST, &format!("/runs/{run}/events"), json!({"events": batch})).await.0, 422);
    assert_eq!(coach.get(&format!("/runs/{run}")).await["state"]["notes"], json!([]));
}

#[tokio::test]
async fn twelve_screens_at_once_lose_nothing_and_double_nothing() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = cycle(&coach).await;
    let mut first = Screen::new();
    coach.posts(&run, &[first.at(0, json!({"kind": "clock_started"}))]).await;
    let screens = (0..12).map(|s| {
        let (coach, run, mut screen) = (&coach, &run, first.beside());
        async move {
            for n in 0..5 {
                let event = screen.at(10 + n, note(&format!("{s}.{n}")));
                coach.posts(run, std::slice::from_ref(&event)).await;
                // The answer was lost on the way: sent again.
                let again = coach.posts(run, &[event]).await;
                assert_eq!((again["known"].as_u64(), again["stored"].as_u64()), (Some(1), Some(0)));
            }
        }
    });
    futures_util::future::join_all(screens).await;
    let state = coach.get(&format!("/runs/{run}")).await["state"].clone();
    let mut notes: Vec<&str> = state["notes"].as_array().unwrap().iter().map(|n| n.as_str().unwrap()).collect();
    assert_eq!(notes.len(), 60);
    notes.sort_unstable();
    notes.dedup();
    assert_eq!(notes.len(), 60, "each once");
}

#[tokio::test]
async fn a_count_and_taps_arrive_as_they_were_taken() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let run = cycle(&coach).await;
    let mut screen = Screen::begun_minutes_ago(10);
    coach.posts(&run, &[screen.at(0, json!({"kind": "clock_started"}))]).await;
    let path = format!("/runs/{run}/events");
    let odd = screen.beside().at(126, json!({"kind": "heart_rate_counted", "stage": 1, "minute": 2, "count": 28, "window_s": 20}));
    assert_eq!(coach.refused(Method::POST, &path, json!({"events": [odd]})).await.2.as_deref(), Some("count"));
    let untapped = screen.beside().at(126, json!({"kind": "heart_rate_tapped", "stage": 1, "minute": 2}));
    let refused = coach.refused(Method::POST, &path, json!({"events": [untapped]})).await;
    assert_eq!((refused.1.as_str(), refused.2.as_deref()), ("missing_input", Some("taps")));
    let counted = screen.at(126, json!({"kind": "heart_rate_counted", "stage": 1, "minute": 2, "count": 27.5, "window_s": 15}));
    let view = coach.posts(&run, &[counted]).await["view"].clone();
    assert_eq!(view["state"]["of"]["stages"][0]["readings"][0]["taken"], json!({"by": "counted", "count": 27.5, "window_s": 15.0}));
    // A tap a second for ten seconds: sixty a minute is unlikely at work after 112, and is questioned, not lost.
    let taps: Vec<Value> = (175..186).map(|s| screen.at(s, json!({"kind": "tap"}))).collect();
    coach.posts(&run, &taps).await;
    let view = coach.posts(&run, &[screen.at(187, json!({"kind": "heart_rate_tapped", "stage": 1, "minute": 3}))]).await["view"].clone();
    assert_eq!(view["state"]["of"]["stages"][0]["readings"][1]["taken"], json!({"by": "tapped"}));
    assert_eq!(view["state"]["decision"]["code"], "reading_questioned");
}

#[tokio::test]
async fn the_finish_before_the_first_lap_and_a_value_before_its_time_are_told_and_nothing_is_lost() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Joren").await;
    let run = stands(&coach, &person, "run-12min", json!({"warm_up": true, "lap_m": 400})).await;
    let mut screen = Screen::begun_minutes_ago(20);
    coach.posts(&run, &[screen.at(0, json!({"kind": "clock_started"}))]).await;
    let early = screen.beside().at(100, json!({"kind": "value_typed", "key": "extra_m", "value": 120}));
    assert_eq!(coach.refused(Method::POST, &format!("/runs/{run}/events"), json!({"events": [early]})).await.2.as_deref(), Some("extra_m"));
    let view = coach.posts(&run, &[screen.at(101, json!({"kind": "finished"}))]).await["view"].clone();
    assert_eq!((view["closed"].as_bool(), view["state"]["status"].as_str()), (Some(false), Some("running")), "nothing to finish yet");
    let laps: Vec<Value> = (1..=6).map(|n| screen.at(5 + 112 * n, json!({"kind": "tallied"}))).collect();
    let view = coach.posts(&run, &laps).await["view"].clone();
    assert_eq!(view["state"]["of"]["distance_m"], 2400.0);
    let done = coach.posts(&run, &[screen.at(730, json!({"kind": "value_typed", "key": "extra_m", "value": 120}))]).await;
    assert_eq!(done["view"]["state"]["can_finish"], true);
    let closed = coach.posts(&run, &[screen.at(735, json!({"kind": "finished"}))]).await["view"].clone();
    let page = coach.get(&format!("/results/{}", closed["result"].as_str().unwrap())).await;
    assert!((page["report"]["quantities"][0]["value"].as_f64().unwrap() - 45.05).abs() < 0.005);
}

#[tokio::test]
async fn a_rehearsal_says_what_was_read_when_and_what_was_never_read() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let id = Uuid::now_v7();
    coach.ok(Method::POST, "/rehearsals", json!({"id": id, "protocol": CYCLE, "rate": 4, "seed": 5})).await;
    let mut screen = Screen::begun_minutes_ago(10);
    let run = id.to_string();
    coach.posts(&run, &[screen.at(0, json!({"kind": "clock_started"}))]).await;
    coach.posts(&run, &[screen.at(190, read(1, 3, 118))]).await;
    let over = [
        screen.at(196, json!({"kind": "stopped"})),
        screen.at(197, json!({"kind": "stop_explained", "reason": "assessor", "note": null})),
        screen.at(198, json!({"kind": "finished"})),
    ];
    let report = coach.posts(&run, &over).await["view"]["rehearsal"]["report"].clone();
    assert_eq!(
        (report["readings"][0]["label"].as_str(), report["readings"][0]["when"].as_str()),
        (Some("Stage 1, minute 3"), Some("typed at 3:10"))
    );
    assert_eq!(report["missed"], json!(["Stage 1, minute 2"]));
}

#[tokio::test]
async fn the_knees_of_a_rehearsed_march_can_be_counted_and_are_held_against_the_truth() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let id = Uuid::now_v7();
    coach.ok(Method::POST, "/rehearsals", json!({"id": id, "protocol": "march-2min", "rate": 1, "seed": 5})).await;
    let mut screen = Screen::new();
    let run = id.to_string();
    coach.posts(&run, &[screen.at(0, json!({"kind": "clock_started"}))]).await;
    let a_minute = coach.get(&format!("/rehearsals/{id}/simulated")).await["tally"].as_f64().unwrap();
    assert!((35.0..80.0).contains(&a_minute), "{a_minute}");
    let presses: Vec<Value> = (0..90).map(|k| screen.at(6 + k, json!({"kind": "tallied"}))).collect();
    coach.posts(&run, &presses).await;
    coach.posts(&run, &[screen.at(128, json!({"kind": "value_typed", "key": "reps", "value": 90}))]).await;
    let report = coach.posts(&run, &[screen.at(130, json!({"kind": "finished"}))]).await["view"]["rehearsal"]["report"].clone();
    let counted = &report["readings"][0];
    assert_eq!(
        (counted["label"].as_str(), counted["read"].as_f64(), counted["truth"].as_f64()),
        (Some("Counted"), Some(90.0), Some(2.0 * a_minute))
    );
}

#[tokio::test]
async fn a_session_lives_on_with_use_and_is_written_once_a_minute_at_the_most() {
    use sqlx::{Connection, Row};
    let app = TestApp::spawn_with(30).await;
    let coach = app.new_practice("Harbour").await;
    let mut owner = sqlx::PgConnection::connect(&app.owner_url).await.unwrap();
    let mut until = async || {
        let row = sqlx::query("select expires_at, xmin::text as version from sessions").fetch_one(&mut owner).await.unwrap();
        (row.get::<chrono::DateTime<chrono::Utc>, _>("expires_at"), row.get::<String, _>("version"))
    };
    let begun = until().await;
    coach.get("/today").await;
    assert_eq!(until().await, begun, "a request just after writes nothing");
    let mut other = sqlx::PgConnection::connect(&app.owner_url).await.unwrap();
    sqlx::query("update sessions set expires_at = expires_at - interval '5 minutes'").execute(&mut other).await.unwrap();
    coach.ok(Method::DELETE, "/session/others", Value::Null).await;
    coach.get("/today").await;
    assert!(until().await.0 >= begun.0, "five minutes later it is prolonged");
}

#[tokio::test]
async fn a_session_that_another_process_ends_is_over_long_before_it_is_looked_up_again() {
    let app = TestApp::spawn().await;
    let here = app.new_practice("Harbour").await;
    let there = app.signed_in_at(&serve(&app.app_url, 12 * 60), "Harbour").await;
    there.get("/today").await;
    here.ok(Method::DELETE, "/session/others", Value::Null).await;
    // By itself the other process would look again after ten seconds; it hears of the end.
    assert!(there.is_soon_signed_out().await);
    here.get("/today").await;
}

/// Whether a stream says `changed` before it has been silent for two seconds.
async fn hears(stream: &mut reqwest::Response) -> bool {
    let second = std::time::Duration::from_secs(2);
    while let Ok(Ok(Some(chunk))) = tokio::time::timeout(second, stream.chunk()).await {
        if String::from_utf8_lossy(&chunk).contains("event: changed") {
            return true;
        }
    }
    false
}

#[tokio::test]
async fn whoever_looks_at_a_person_hears_of_every_result_and_correction_wherever_it_was_stored() {
    let app = TestApp::spawn().await;
    let here = app.new_practice("Harbour").await;
    let there = app.signed_in_at(&serve(&app.app_url, 12 * 60), "Harbour").await;
    let (joren, other) = (here.adds("Joren").await, here.adds("Maud").await);
    let mut stream = there.stream(&format!("/people/{joren}/live")).await;
    let mut beside = there.stream(&format!("/people/{other}/live")).await;
    let result = here.tests(&joren, 34.0).await;
    assert!(hears(&mut stream).await, "a result of another process");
    assert!(!hears(&mut beside).await, "nothing of somebody else");
    let moved = json!({ "id": Uuid::now_v7(), "seen": 0, "reason": "of the other client", "change": "moved", "person": other });
    here.ok(Method::POST, &format!("/results/{result}/corrections"), moved).await;
    assert!(hears(&mut stream).await && hears(&mut beside).await, "moved: both hear it");
    assert_eq!(here.send(Method::GET, &format!("/people/{}/live", Uuid::now_v7()), json!({})).await.0.as_u16(), 404);
}
