//! The live channel under load: 200 runs at once, one event a second each, two watchers a run. Prints the time from the post
//! to the watcher's screen, p50 and p99, and how many views were missed. `script/bench` sets the database up and measures the
//! machine's own floor, a single-row commit, in the same minute.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

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
use impulso_store::Store;
use reqwest::Client;
use serde_json::{Value, json};
use uuid::Uuid;

const RUNS: usize = 200;
const WATCHERS: usize = 2;
const SECONDS: u64 = 20;

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
    impulso_store::migrate(&owner).await.unwrap();
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
        let posted: Posted = Arc::new(Mutex::new(vec![None; SECONDS as usize + 2]));
        for _ in 0..WATCHERS {
            tokio::spawn(watch(client.clone(), format!("{base}/runs/{id}/live"), posted.clone(), latencies.clone(), seen.clone()));
        }
        runs.push((id, posted));
    }
    tokio::time::sleep(Duration::from_secs(2)).await;
    let begin = Instant::now();
    let senders: Vec<_> = runs
        .into_iter()
        .enumerate()
        .map(|(k, (id, posted))| {
            let (client, base) = (client.clone(), base.clone());
            tokio::spawn(async move {
                let device = Uuid::now_v7();
                for n in 1..=SECONDS {
                    // Spread over the second, as two hundred assessors are.
                    let due = begin + Duration::from_secs(n - 1) + Duration::from_millis(k as u64 * 1000 / RUNS as u64);
                    tokio::time::sleep_until(due.into()).await;
                    let kind = if n == 1 {
                        json!({"kind": "clock_started"})
                    } else {
                        json!({"kind": "strap_heard", "bytes": "1678", "heard": null})
                    };
                    let mut event = json!({"id": Uuid::now_v7(), "device": device, "seq": n, "mono_ms": n * 1000, "wall": Utc::now()});
                    event.as_object_mut().unwrap().extend(kind.as_object().unwrap().clone());
                    posted.lock().unwrap()[n as usize] = Some(Instant::now());
                    post(&client, format!("{base}/runs/{id}/events"), json!({"events": [event]})).await;
                }
            })
        })
        .collect();
    for sender in senders {
        sender.await.unwrap();
    }
    tokio::time::sleep(Duration::from_secs(3)).await;
    let mut all: Vec<f64> = latencies.lock().unwrap().iter().map(|d: &Duration| d.as_secs_f64() * 1000.0).collect();
    all.sort_by(f64::total_cmp);
    let at = |share: f64| all[((all.len() - 1) as f64 * share) as usize];
    let expected = RUNS as u64 * SECONDS * WATCHERS as u64;
    println!(
        "live: {} of {expected} events seen by watchers; post to screen p50 {:.1} ms, p99 {:.1} ms",
        seen.load(Ordering::Relaxed),
        at(0.5),
        at(0.99)
    );
    println!("LIVE_P99_MS={:.3}", at(0.99));
    assert_eq!(seen.load(Ordering::Relaxed), expected, "nothing may be lost");
}
