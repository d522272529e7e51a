//! Everything that breaks, breaks: two server processes on one database are killed and come back, the line to the database
//! is cut and mended, devices have clocks that are wrong by days, a partner's phone writes in the place of others. What was acknowledged is
//! there, once, in order.

use std::{
    collections::HashMap,
    net::TcpListener,
    process::{Child, Command, Stdio},
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::{Duration, Instant},
};

use chrono::{DateTime, TimeDelta, Utc};
use rand::{RngExt, SeedableRng, rngs::StdRng};
use reqwest::{Client, StatusCode};
use serde_json::{Value, json};
use sqlx::{Connection, PgConnection};
use uuid::Uuid;

use crate::{
    app::{Browser, Screen, TestApp},
    line::Line,
    partners::class_of,
};

/// Shortest length of the storm.
const STORM: Duration = Duration::from_secs(30);
/// Time to send the rest after it.
const AT_MOST: Duration = Duration::from_secs(90);

/// Fewest kills; `IMPULSO_KILLS` asks for more.
fn kills_wanted() -> u32 {
    std::env::var("IMPULSO_KILLS").ok().and_then(|n| n.parse().ok()).unwrap_or(5)
}
const SEED: u64 = 20_261_126;

/// A server process that can be killed and comes back on its port.
pub struct Process {
    port: u16,
    url: String,
    keys: std::path::PathBuf,
    child: Child,
}

impl Process {
    pub fn start(url: &str, keys: &std::path::Path) -> Self {
        let port = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
        Self { child: Self::spawn(port, url, keys), port, url: url.to_owned(), keys: keys.to_owned() }
    }

    fn spawn(port: u16, url: &str, keys: &std::path::Path) -> Child {
        Command::new(env!("CARGO_BIN_EXE_impulso"))
            .arg("serve")
            .env("IMPULSO_DATABASE_URL", url)
            .env("IMPULSO_PORT", port.to_string())
            .env("IMPULSO_KEY_FILE", keys)
            .env("RUST_LOG", "off")
            .stderr(Stdio::null())
            .spawn()
            .unwrap()
    }

    /// Its process number.
    pub fn id(&self) -> u32 {
        self.child.id()
    }

    pub fn base(&self) -> String {
        format!("http://127.0.0.1:{}", self.port)
    }

    /// As `kill -9`.
    fn kill_and_restart(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
        self.child = Self::spawn(self.port, &self.url, &self.keys);
    }
}

impl Drop for Process {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Two processes, on one database and one key file; and a coach who is signed in at both.
async fn two(app: &TestApp, url: &str) -> ([Process; 2], Browser, std::path::PathBuf) {
    let keys = std::env::temp_dir().join(format!("impulso-chaos-{}", Uuid::new_v4()));
    let processes = [Process::start(url, &keys), Process::start(url, &keys)];
    let begun = Instant::now();
    for process in &processes {
        while !reqwest::get(format!("{}/api/health", process.base())).await.is_ok_and(|a| a.status().is_success()) {
            assert!(begun.elapsed() < AT_MOST, "both processes start");
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }
    // One name for both processes: the cookie goes to either.
    let signed_in = app.signed_in_at(&processes[0].base(), "Harbour").await;
    (processes, signed_in, keys)
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_visit_goes_on_at_another_process_when_its_own_is_killed() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Teo").await;
    let (mut processes, signed_in, keys) = two(&app, &app.app_url).await;
    let bases = processes.each_ref().map(Process::base);
    let client = signed_in.client().clone();
    let post = async |base: &str, path: &str, body: Value| {
        let answer = client.post(format!("{base}/api{path}")).json(&body).send().await.unwrap();
        let status = answer.status();
        let text = answer.text().await.unwrap();
        assert!(status.is_success(), "{path}: {status} {text}");
        serde_json::from_str::<Value>(&text).unwrap_or_default()
    };
    let visit = Uuid::now_v7();
    post(
        &bases[0],
        &format!("/people/{person}/visits"),
        json!({"id": visit, "battery": "bench-step-3min", "conditions": {"bench_cm": 41.3, "warm_up": true, "pulse_site": "wrist"}}),
    )
    .await;
    let run = Uuid::now_v7();
    let mut form = crate::app::run(run, &person);
    form["visit"] = json!({"visit": visit, "place": 0});
    post(&bases[0], "/runs", form).await;
    let mut screen = Screen::new();
    post(&bases[0], &format!("/runs/{run}/events"), json!({"events": [screen.at(0, json!({"kind": "clock_started"}))]})).await;
    // Killed in the middle; the screen goes on with the other one, and the visit is closed while its test still runs.
    processes[0].kill_and_restart();
    post(&bases[1], &format!("/visits/{visit}/events"), json!({"id": Uuid::now_v7(), "event": {"kind": "closed"}})).await;
    let rest = [screen.at(208, json!({"kind": "count_typed", "count": 30})), screen.at(212, json!({"kind": "finished"}))];
    let done = post(&bases[1], &format!("/runs/{run}/events"), json!({"events": rest})).await;
    assert!(done["view"]["result"].is_string(), "{done}");
    let page = coach.get(&format!("/visits/{visit}")).await;
    assert_eq!((page["rows"][0]["stand"].as_str(), page["rows"][0]["result"].clone()), (Some("done"), done["view"]["result"].clone()));
    let _ = std::fs::remove_file(keys);
}

/// A screen on a run, in the hall: it keeps what was not acknowledged and sends it again, to whichever server answers.
struct Hall {
    client: Client,
    bases: [String; 2],
    run: String,
    device: Uuid,
    /// The number of its last entry before the storm.
    began: u32,
    /// How wrong the device's clock is.
    off: TimeDelta,
    acknowledged: Vec<Uuid>,
}

impl Hall {
    async fn storm(mut self, over: Arc<AtomicBool>, mut dice: StdRng) -> Self {
        let mut waiting: Vec<Value> = Vec::new();
        let mut seq = self.began;
        loop {
            let done = over.load(Ordering::SeqCst);
            if !done {
                seq += 1;
                let wall = Utc::now() + self.off;
                let kind = if seq.is_multiple_of(7) {
                    json!({"kind": "noted", "text": format!("remark {seq}\u{0}")})
                } else {
                    json!({"kind": "tap"})
                };
                let mut event =
                    json!({"id": Uuid::new_v4(), "device": self.device, "seq": seq, "mono_ms": f64::from(seq) * 400.0, "wall": wall});
                event.as_object_mut().unwrap().extend(kind.as_object().unwrap().clone());
                waiting.push(event);
            }
            let take = waiting.len().min(40);
            let base = &self.bases[dice.random_range(0..2)];
            let body = json!({"events": waiting[..take], "sent_at": Utc::now() + self.off});
            let sent =
                self.client.post(format!("{base}/api/runs/{}/events", self.run)).json(&body).timeout(Duration::from_secs(6)).send().await;
            match sent {
                Ok(answer) if answer.status().is_success() => {
                    self.acknowledged.extend(waiting.drain(..take).map(|e| e["id"].as_str().unwrap().parse::<Uuid>().unwrap()));
                }
                Ok(answer) => {
                    let status = answer.status();
                    let text = answer.text().await.unwrap_or_default();
                    assert!(status == StatusCode::SERVICE_UNAVAILABLE, "away is the only failure there is: {status} {text}");
                }
                Err(_) => {}
            }
            if done && waiting.is_empty() {
                return self;
            }
            tokio::time::sleep(Duration::from_millis(dice.random_range(20..150))).await;
        }
    }
}

/// A phone that was let in by a code and wants to do harm: it writes as the screens of others, with the numbers they need next. Gives how
/// often it was refused as somebody else.
async fn harm(bases: [String; 2], code: String, screens: Vec<Uuid>, over: Arc<AtomicBool>, mut dice: StdRng) -> u32 {
    let phone = Client::builder().cookie_store(true).build().unwrap();
    let mut refused = 0;
    while !over.load(Ordering::SeqCst) {
        let device = screens[dice.random_range(0..screens.len())];
        let taps: Vec<Value> = (0..3)
            .map(|k| {
                let seq = dice.random_range(1..400) + k;
                json!({"id": Uuid::new_v4(), "device": device, "seq": seq, "mono_ms": 1.0, "wall": Utc::now(), "kind": "tap", "slot": 0})
            })
            .collect();
        let url = format!("{}/api/join/{code}/events", bases[dice.random_range(0..2)]);
        let sent = phone.post(url).json(&json!({"events": taps})).timeout(Duration::from_secs(6)).send().await;
        if let Ok(answer) = sent {
            assert!(!answer.status().is_success(), "written as somebody else");
            refused += u32::from(answer.status() == StatusCode::FORBIDDEN);
        }
        tokio::time::sleep(Duration::from_millis(dice.random_range(100..300))).await;
    }
    refused
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_was_acknowledged_is_there_once_whatever_breaks() {
    let begun = Instant::now();
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let line = Line::to(&app.app_url).await;
    let (mut processes, signed_in, keys) = two(&app, &line.url).await;
    let bases = processes.each_ref().map(Process::base);
    let client = signed_in.client().clone();
    let mut runs = Vec::new();
    for name in ["Teo", "Linnea", "Noor", "Joren"] {
        let run = coach.sets_up(&coach.adds(name).await).await;
        coach.posts(&run, &[Screen::new().at(299, json!({"kind": "clock_started"}))]).await;
        runs.push(run);
    }
    // A class, whose code a phone has that wants to do harm.
    let (class, code, _) = class_of(&coach, &["Ida", "Odd"]).await;
    runs.push(class.clone());
    let over = Arc::new(AtomicBool::new(false));
    let mut halls = Vec::new();
    let mut screens = Vec::new();
    for (k, run) in runs.iter().enumerate() {
        for off in [TimeDelta::zero(), TimeDelta::days(9)] {
            let device = Uuid::new_v4();
            if *run == class {
                // Each has written once: from then on it is theirs.
                let mut first = Screen::new().written_as(device, 0).at(299, json!({"kind": "noted", "text": "first"}));
                first["mono_ms"] = json!(0);
                coach.posts(run, &[first]).await;
                screens.push(device);
            }
            let began = u32::from(*run == class);
            let hall =
                Hall { client: client.clone(), bases: bases.clone(), run: run.clone(), device, began, off, acknowledged: Vec::new() };
            halls.push(tokio::spawn(hall.storm(over.clone(), StdRng::seed_from_u64(SEED + k as u64))));
        }
    }
    let harm = tokio::spawn(harm(bases.clone(), code, screens, over.clone(), StdRng::seed_from_u64(SEED + 99)));
    let mut dice = StdRng::seed_from_u64(SEED);
    let mut kills = 0;
    while begun.elapsed() < STORM || kills < kills_wanted() {
        match dice.random_range(0..3) {
            0 => {
                line.cut();
                tokio::time::sleep(Duration::from_millis(dice.random_range(100..1_500))).await;
                line.mend();
            }
            which => {
                processes[which - 1].kill_and_restart();
                kills += 1;
            }
        }
        tokio::time::sleep(Duration::from_millis(dice.random_range(200..1_200))).await;
    }
    over.store(true, Ordering::SeqCst);
    line.mend();
    let calm = Instant::now();
    assert!(harm.await.unwrap() > 10, "the phone tried");
    let mut acknowledged: HashMap<String, Vec<Uuid>> = HashMap::new();
    for hall in halls {
        let hall =
            tokio::time::timeout(AT_MOST.saturating_sub(calm.elapsed()), hall).await.expect("everything is sent in the end").unwrap();
        acknowledged.entry(hall.run).or_default().extend(hall.acknowledged);
    }
    let mut owner = PgConnection::connect(&app.owner_url).await.unwrap();
    let mut all = 0;
    for (run, sent) in &acknowledged {
        let kept: Vec<(Uuid, Uuid, i32)> = sqlx::query_as("select id, device, seq from run_events where run_id = $1 order by position")
            .bind(run.parse::<Uuid>().unwrap())
            .fetch_all(&mut owner)
            .await
            .unwrap();
        let ids: std::collections::HashSet<Uuid> = kept.iter().map(|k| k.0).collect();
        assert_eq!(ids.len(), kept.len(), "nothing twice");
        assert!(sent.iter().all(|id| ids.contains(id)), "nothing lost");
        let before = if *run == class { 3 } else { 1 };
        assert_eq!(kept.len(), sent.len() + before, "and nothing that nobody sent");
        let mut last: HashMap<Uuid, i32> = HashMap::new();
        for (_, device, seq) in &kept {
            assert_eq!(last.insert(*device, *seq).unwrap_or_default() + 1, *seq, "in the order of each screen");
        }
        // Clocks that were nine days ahead were put right.
        let view = coach.get(&format!("/runs/{run}")).await;
        let started: DateTime<Utc> = view["state"]["started_at"].as_str().unwrap().parse().unwrap();
        let latest: DateTime<Utc> = sqlx::query_scalar("select max(wall) from run_events where run_id = $1")
            .bind(run.parse::<Uuid>().unwrap())
            .fetch_one(&mut owner)
            .await
            .unwrap();
        assert!((latest - started).num_minutes() < 10, "{latest} {started}");
        all += sent.len();
    }
    assert!(kills >= kills_wanted() && all > 300, "it was a storm: {kills} kills, {all} events");
    println!("{kills} kills, {all} entries acknowledged, none lost");
    let _ = std::fs::remove_file(keys);
}
