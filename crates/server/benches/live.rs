//! The live channel under load beside the machine's own floor: 200 runs at once, one event a second each, two watchers a run;
//! 200 single-row commits a second into the same database; and 200 events a second kept in runs of their own without a server,
//! with their keys, locks and row-level security. The three take turns, five rounds of ten seconds each. Prints the time from
//! the post to the watcher's screen and that of each commit, p50 and p99 a round, and the median of the ratios of the p99 with
//! its range: to a bare row, which is held to the limit, and to an event's own commit, which says how much of it is the way
//! there and back. Exits with 1 where an event was not seen or the median is beyond the limit. `script/bench live` sets the
//! database up.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::{
    net::TcpListener,
    sync::{
        Arc, Mutex,
        atomic::{AtomicU64, Ordering},
    },
    time::{Duration, Instant},
};

use chrono::Utc;
use impulso::settings::Settings;
use impulso_core::run::{Event, Kind};
use impulso_store::{
    CoachId, PracticeId, RunId, Store,
    runs::{self, Log, Sender},
};
use reqwest::Client;
use serde_json::{Value, json};
use sqlx::postgres::{PgPool, PgPoolOptions};
use uuid::Uuid;

const RUNS: usize = 200;
const WATCHERS: usize = 2;
const ROUNDS: u64 = 5;
/// Of each of the two in a round.
const SECONDS: u64 = 10;
/// From the post to the screen may take at most so many times as long as a commit, both at their p99.
const LIMIT: f64 = 1.5;

fn env(name: &str) -> String {
    std::env::var(name).unwrap_or_else(|_| panic!("{name} is not set: run script/bench"))
}

async fn post(client: &Client, url: String, body: Value) -> Value {
    let answer = client.post(url).json(&body).send().await.unwrap();
    let status = answer.status();
    let text = answer.text().await.unwrap();
    assert!(status.is_success(), "{status} {text}");
    serde_json::from_str(&text).unwrap_or(Value::Null)
}

/// When each revision of a run was posted.
type Posted = Arc<Mutex<Vec<Option<Instant>>>>;

async fn watch(client: Client, url: String, posted: Posted, latencies: Arc<Mutex<Vec<Duration>>>, seen: Arc<AtomicU64>) {
    let mut stream = client.get(url).send().await.unwrap();
    let mut buffer: Vec<u8> = Vec::new();
    let mut newest = 0;
    while let Ok(Some(chunk)) = stream.chunk().await {
        buffer.extend_from_slice(&chunk);
        while let Some(end) = buffer.windows(2).position(|w| w == b"\n\n") {
            let arrived = Instant::now();
            let frame: Vec<u8> = buffer.drain(..end + 2).collect();
            let text = String::from_utf8_lossy(&frame);
            let Some(revision) = text.split("\"revision\":").nth(1).and_then(|r| r.split(',').next()).and_then(|r| r.parse::<usize>().ok())
            else {
                continue;
            };
            let posts = posted.lock().unwrap();
            // A later view shows every earlier event too.
            for number in newest + 1..=revision {
                if let Some(Some(at)) = posts.get(number) {
                    latencies.lock().unwrap().push(arrived - *at);
                    seen.fetch_add(1, Ordering::Relaxed);
                }
            }
            newest = newest.max(revision);
        }
    }
}

#[tokio::main(flavor = "multi_thread", worker_threads = 2)]
async fn main() {
    let (owner, app) = (env("IMPULSO_BENCH_OWNER_URL"), env("IMPULSO_BENCH_APP_URL"));
    impulso_store::migrate(&owner, None).await.unwrap();
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let base = format!("http://{}/api", listener.local_addr().unwrap());
    let settings = Settings::of(&app);
    tokio::spawn(impulso::serve::run(listener, Store::connect_lazy(&app).unwrap(), &settings).unwrap());
    let client = Client::builder().cookie_store(true).build().unwrap();
    let email = format!("{}@example.org", Uuid::now_v7().simple());
    post(
        &client,
        format!("{base}/practices"),
        json!({"practice": "Bench", "time_zone": "UTC", "coach": "Ada", "email": email, "password": "long enough password"}),
    )
    .await;
    let person = Uuid::now_v7();
    post(
        &client,
        format!("{base}/people"),
        json!({"id": person, "name": "Joren", "born": "1990-04-02", "sex": "male", "units": "metric", "height": "178", "mass": "80 kg"}),
    )
    .await;
    let answers = json!({"regularly_active": true, "known_disease": false, "symptoms": [], "rate_limiting_drug": false});
    post(&client, format!("{base}/people/{person}/readiness"), json!({"answers": answers})).await;

    let latencies = Arc::new(Mutex::new(Vec::new()));
    let seen = Arc::new(AtomicU64::new(0));
    let mut runs = Vec::new();
    for _ in 0..RUNS {
        let id = Uuid::now_v7();
        let conditions = json!({"warm_up": true, "hr_source": "strap"});
        post(
            &client,
            format!("{base}/runs"),
            json!({"id": id, "people": [person], "protocol": "multistage-cycle", "conditions": conditions}),
        )
        .await;
        let posted: Posted = Arc::new(Mutex::new(vec![None; (ROUNDS * SECONDS) as usize + 2]));
        for _ in 0..WATCHERS {
            tokio::spawn(watch(client.clone(), format!("{base}/runs/{id}/live"), posted.clone(), latencies.clone(), seen.clone()));
        }
        runs.push((id, Uuid::now_v7(), posted));
    }
    let mut unwatched = Vec::new();
    for _ in 0..RUNS {
        let id = Uuid::now_v7();
        let conditions = json!({"warm_up": true, "hr_source": "strap"});
        let setup = json!({"id": id, "people": [person], "protocol": "multistage-cycle", "conditions": conditions});
        post(&client, format!("{base}/runs"), setup).await;
        unwatched.push((RunId(id), Uuid::now_v7(), Log::default()));
    }
    tokio::time::sleep(Duration::from_secs(2)).await;
    let pool = PgPoolOptions::new().max_connections(8).connect(&owner).await.unwrap();
    sqlx::query("create table bench_floor (id bigint generated always as identity, at timestamptz default now())")
        .execute(&pool)
        .await
        .unwrap();
    let (practice, coach) = sqlx::query_as::<_, (Uuid, Uuid)>("select practice_id, id from coaches where email = $1")
        .bind(&email)
        .fetch_one(&pool)
        .await
        .unwrap();
    let (store, who) = (Store::connect_lazy(&app).unwrap(), (PracticeId(practice), Sender::Coach(CoachId(coach))));
    let (mut ratios, mut to_own) = (Vec::new(), Vec::new());
    for round in 0..ROUNDS {
        send(&client, &base, &runs, round).await;
        tokio::time::sleep(Duration::from_secs(2)).await;
        let live = Spread::of(std::mem::take(&mut *latencies.lock().unwrap()));
        let commit = Spread::of(commits(&pool).await);
        let own = Spread::of(own_commits(&store, who, &mut unwatched, round).await);
        ratios.push(live.p99 / commit.p99);
        to_own.push(live.p99 / own.p99);
        println!(
            "round {}: post to screen {live}; a bare row {commit}; an event’s own commit {own}; ratios of the p99 {:.2} and {:.2}",
            round + 1,
            live.p99 / commit.p99,
            live.p99 / own.p99
        );
    }
    ratios.sort_by(f64::total_cmp);
    to_own.sort_by(f64::total_cmp);
    let (middle, last) = (ratios.len() / 2, ratios.len() - 1);
    let (median, seen) = (ratios[middle], seen.load(Ordering::Relaxed));
    let expected = RUNS as u64 * ROUNDS * SECONDS * WATCHERS as u64;
    println!(
        "{seen} of {expected} events seen by watchers; median ratio to a bare row {median:.2} ({:.2} to {:.2}), limit {LIMIT}; to an event’s \
         own commit {:.2} ({:.2} to {:.2})",
        ratios[0], ratios[last], to_own[middle], to_own[0], to_own[last]
    );
    std::process::exit(i32::from(seen < expected || median > LIMIT));
}

/// One event a second of every run, spread over the second, as two hundred assessors are.
async fn send(client: &Client, base: &str, runs: &[(Uuid, Uuid, Posted)], round: u64) {
    let begin = Instant::now();
    let senders: Vec<_> = runs
        .iter()
        .enumerate()
        .map(|(k, (id, device, posted))| {
            let (client, url, device, posted) = (client.clone(), format!("{base}/runs/{id}/events"), *device, posted.clone());
            tokio::spawn(async move {
                for second in 0..SECONDS {
                    let due = begin + Duration::from_secs(second) + Duration::from_millis(k as u64 * 1000 / RUNS as u64);
                    tokio::time::sleep_until(due.into()).await;
                    let n = round * SECONDS + second + 1;
                    let kind = if n == 1 {
                        json!({"kind": "clock_started"})
                    } else {
                        json!({"kind": "strap_heard", "bytes": "1678", "heard": null})
                    };
                    let mut event = json!({"id": Uuid::now_v7(), "device": device, "seq": n, "mono_ms": n * 1000, "wall": Utc::now()});
                    event.as_object_mut().unwrap().extend(kind.as_object().unwrap().clone());
                    posted.lock().unwrap()[n as usize] = Some(Instant::now());
                    let answer = client.post(url.clone()).json(&json!({"events": [event]})).send().await.unwrap();
                    assert!(answer.status().is_success(), "{}", answer.status());
                    // Read to its end and not taken apart: the screens of the same process wait for their turn.
                    answer.bytes().await.unwrap();
                }
            })
        })
        .collect();
    for sender in senders {
        sender.await.unwrap();
    }
}

/// As many commits of a single row as there are events, as evenly spread: how long each took.
async fn commits(pool: &PgPool) -> Vec<Duration> {
    let begin = Instant::now();
    let each: Vec<_> = (0..RUNS as u64 * SECONDS)
        .map(|k| {
            let pool = pool.clone();
            tokio::spawn(async move {
                tokio::time::sleep_until((begin + Duration::from_millis(k * 1000 / RUNS as u64)).into()).await;
                let begun = Instant::now();
                sqlx::query("insert into bench_floor default values").execute(&pool).await.unwrap();
                begun.elapsed()
            })
        })
        .collect();
    let mut took = Vec::new();
    for one in each {
        took.push(one.await.unwrap());
    }
    took
}

/// As many events kept as are posted, as evenly spread, without a server: how long each took.
async fn own_commits(store: &Store, (practice, sender): (PracticeId, Sender), of: &mut [(RunId, Uuid, Log)], round: u64) -> Vec<Duration> {
    let begin = Instant::now();
    let each: Vec<_> = of
        .iter()
        .cloned()
        .enumerate()
        .map(|(k, (id, device, mut log))| {
            let store = store.clone();
            tokio::spawn(async move {
                let mut took = Vec::new();
                for second in 0..SECONDS {
                    let due = begin + Duration::from_secs(second) + Duration::from_millis(k as u64 * 1000 / RUNS as u64);
                    tokio::time::sleep_until(due.into()).await;
                    let seq = (round * SECONDS + second + 1) as u32;
                    let kind = if seq == 1 { Kind::ClockStarted } else { Kind::StrapHeard { bytes: "1678".into(), heard: None } };
                    let mono_ms = f64::from(seq) * 1000.0;
                    let event = Event { id: Uuid::now_v7(), device, seq, mono_ms, wall: Utc::now(), slot: None, kind };
                    let begun = Instant::now();
                    let kept = runs::append_at_once(&store, practice, sender, id, &mut log, &[event]).await.unwrap();
                    took.push(begun.elapsed());
                    assert!(kept.is_some(), "an event of a run of its own is kept");
                }
                (log, took)
            })
        })
        .collect();
    let mut all = Vec::new();
    for (one, (.., log)) in each.into_iter().zip(of) {
        let (now, took) = one.await.unwrap();
        *log = now;
        all.extend(took);
    }
    all
}

/// Half of all and all but a hundredth took no longer, ms.
struct Spread {
    p50: f64,
    p99: f64,
}

impl std::fmt::Display for Spread {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "p50 {:.2} ms, p99 {:.2} ms", self.p50, self.p99)
    }
}

impl Spread {
    fn of(times: Vec<Duration>) -> Self {
        let mut all: Vec<f64> = times.iter().map(|d| d.as_secs_f64() * 1000.0).collect();
        all.sort_by(f64::total_cmp);
        let at = |share: f64| all[((all.len() - 1) as f64 * share) as usize];
        Self { p50: at(0.5), p99: at(0.99) }
    }
}
