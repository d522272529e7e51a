//! A server of its own for each test, and the verbs a client uses.

use std::{net::TcpListener, sync::LazyLock};

use chrono::{DateTime, TimeDelta, Utc};
use impulso::settings::Settings;
use impulso_store::Store;
use reqwest::{Client, Method, StatusCode};
use serde_json::{Value, json};
use sqlx::{Connection, Executor, PgConnection};
use uuid::Uuid;

/// The cluster's two roles, each with a database name to be replaced.
static CLUSTER: LazyLock<(String, String)> = LazyLock::new(|| {
    let url = |name: &str| {
        std::env::var(name).unwrap_or_else(|_| panic!("{name} is not set: run script/test, which starts a database and sets it"))
    };
    (url("IMPULSO_TEST_OWNER_URL"), url("IMPULSO_TEST_APP_URL"))
});

pub struct TestApp {
    pub base: String,
    pub app_url: String,
    pub owner_url: String,
}

/// A browser: cookies of its own.
pub struct Browser {
    base: String,
    client: Client,
}

fn with_database(url: &str, name: &str) -> String {
    let (head, _) = url.rsplit_once('/').unwrap();
    format!("{head}/{name}")
}

impl TestApp {
    /// A server on a fresh, migrated, empty database.
    pub async fn spawn() -> Self {
        Self::spawn_with(12 * 60).await
    }

    pub async fn spawn_with(session_minutes: i64) -> Self {
        let empty = Self::empty().await;
        impulso_store::migrate(&empty.owner_url, None).await.unwrap();
        let base = serve(&empty.app_url, session_minutes);
        Self { base, ..empty }
    }

    /// A database with nothing in it, and no server yet.
    pub async fn empty() -> Self {
        let name = format!("t_{}", Uuid::now_v7().simple());
        let mut owner = PgConnection::connect(&CLUSTER.0).await.unwrap();
        owner.execute(sqlx::AssertSqlSafe(format!("create database {name}"))).await.unwrap();
        let (owner_url, app_url) = (with_database(&CLUSTER.0, &name), with_database(&CLUSTER.1, &name));
        Self { base: String::new(), app_url, owner_url }
    }

    /// What a query over all practices counts.
    pub async fn count(&self, query: &'static str) -> i64 {
        let mut owner = PgConnection::connect(&self.owner_url).await.unwrap();
        sqlx::query_scalar(query).fetch_one(&mut owner).await.unwrap()
    }

    /// A browser at another process on the same database, signed in nowhere.
    pub fn browser_at(&self, base: &str) -> Browser {
        Browser { base: base.to_owned(), ..self.browser() }
    }

    pub fn browser(&self) -> Browser {
        Browser { base: self.base.clone(), client: Client::builder().cookie_store(true).build().unwrap() }
    }

    /// A browser signed in as the first coach of a new practice.
    pub async fn new_practice(&self, name: &str) -> Browser {
        let browser = self.browser();
        let form = json!({"practice": name, "time_zone": "UTC", "coach": "Ada Coach", "email": format!("{}@example.org", name.to_lowercase()), "password": "long enough password"});
        browser.ok(Method::POST, "/practices", form).await;
        browser
    }

    /// The first coach of a practice, signed in at another process on the same database.
    pub async fn signed_in_at(&self, base: &str, practice: &str) -> Browser {
        let browser = Browser { base: base.to_owned(), ..self.browser() };
        let email = format!("{}@example.org", practice.to_lowercase());
        browser.ok(Method::POST, "/session", json!({"email": email, "password": "long enough password"})).await;
        browser
    }
}

/// A server for a database; it runs until the test ends.
pub fn serve(app_url: &str, session_minutes: i64) -> String {
    serve_set(&Settings { session_minutes, foundings_an_hour: 1000, ..Settings::of(app_url) })
}

/// The same as it is set.
pub fn serve_set(settings: &Settings) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let base = format!("http://{}", listener.local_addr().unwrap());
    let store = Store::connect_lazy(&settings.database_url).unwrap();
    tokio::spawn(impulso::serve::run(listener, store, settings).unwrap());
    base
}

impl Browser {
    pub async fn send(&self, method: Method, path: &str, body: Value) -> (StatusCode, Value) {
        let mut request = self.client.request(method, format!("{}/api{path}", self.base));
        if !body.is_null() {
            request = request.json(&body);
        }
        let response = request.send().await.unwrap();
        let status = response.status();
        let text = response.text().await.unwrap();
        (status, serde_json::from_str(&text).unwrap_or(Value::String(text)))
    }

    #[track_caller]
    pub fn ok(&self, method: Method, path: &str, body: Value) -> impl Future<Output = Value> {
        let at = std::panic::Location::caller();
        async move {
            let (status, answer) = self.send(method.clone(), path, body).await;
            assert!(status.is_success(), "{at}: {method} {path}: {status} {answer}");
            answer
        }
    }

    /// Where its server answers.
    pub fn base(&self) -> &str {
        &self.base
    }

    /// The client itself, cookies and all.
    pub fn client(&self) -> &Client {
        &self.client
    }

    /// The answer itself, for what stands beside the body.
    pub async fn raw(&self, method: Method, path: &str) -> reqwest::Response {
        self.client.request(method, format!("{}/api{path}", self.base)).send().await.unwrap()
    }

    /// A stream that has begun.
    pub async fn stream(&self, path: &str) -> reqwest::Response {
        let answer = self.raw(Method::GET, path).await;
        assert!(answer.status().is_success(), "{path}");
        answer
    }

    pub async fn get(&self, path: &str) -> Value {
        self.ok(Method::GET, path, Value::Null).await
    }

    /// Whether the session ends within three seconds: what another process did is heard of, not known at once.
    pub async fn is_soon_signed_out(&self) -> bool {
        for _ in 0..30 {
            if self.send(Method::GET, "/today", Value::Null).await.0 == 401 {
                return true;
            }
            tokio::time::sleep(std::time::Duration::from_millis(100)).await;
        }
        false
    }

    /// Sends what must be refused and gives status, code and field.
    pub async fn refused(&self, method: Method, path: &str, body: Value) -> (u16, String, Option<String>) {
        let (status, answer) = self.send(method, path, body).await;
        assert!(!answer["message"].as_str().unwrap_or_default().is_empty(), "a refusal says what to do: {status} {answer}");
        (status.as_u16(), answer["code"].as_str().unwrap_or_default().to_owned(), answer["field"].as_str().map(str::to_owned))
    }

    /// Adds a client who trains; gives the key.
    pub async fn adds(&self, name: &str) -> String {
        let id = Uuid::now_v7();
        self.ok(Method::POST, "/people", person(id, name)).await;
        let answers = json!({"regularly_active": true, "known_disease": false, "symptoms": [], "rate_limiting_drug": false});
        self.ok(Method::POST, &format!("/people/{id}/readiness"), json!({"answers": answers})).await;
        id.to_string()
    }

    /// Sets up a bench step for a person; gives the run's key.
    pub async fn sets_up(&self, person: &str) -> String {
        let id = Uuid::now_v7();
        self.ok(Method::POST, "/runs", run(id, person)).await;
        id.to_string()
    }

    pub async fn posts(&self, run: &str, events: &[Value]) -> Value {
        self.ok(Method::POST, &format!("/runs/{run}/events"), json!({ "events": events })).await
    }

    /// Runs a whole test with a typed count; gives the result's key.
    pub async fn tests(&self, person: &str, count: f64) -> String {
        let run = self.sets_up(person).await;
        let mut screen = Screen::new();
        let events = [
            screen.at(0, json!({"kind": "clock_started"})),
            screen.at(208, json!({"kind": "count_typed", "count": count})),
            screen.at(212, json!({"kind": "finished"})),
        ];
        self.posts(&run, &events).await["view"]["result"].as_str().expect("a result").to_owned()
    }
}

/// A person as typed.
pub fn person(id: Uuid, name: &str) -> Value {
    json!({"id": id, "name": name, "born": "1990-04-02", "sex": "male", "units": "metric", "height": "178", "mass": "80 kg"})
}

/// A bench step as set up.
pub fn run(id: Uuid, person: &str) -> Value {
    json!({"id": id, "people": [person], "protocol": "bench-step-3min", "conditions": {"bench_cm": 41.3, "warm_up": true, "pulse_site": "wrist"}})
}

/// A screen that makes events.
pub struct Screen {
    pub device: Uuid,
    pub seq: u32,
    start: DateTime<Utc>,
}

impl Screen {
    pub fn new() -> Self {
        Self { device: Uuid::now_v7(), seq: 0, start: Utc::now() - TimeDelta::minutes(5) }
    }

    /// A screen on a run that began so long ago.
    pub fn begun_minutes_ago(minutes: i64) -> Self {
        Self { start: Utc::now() - TimeDelta::minutes(minutes), ..Self::new() }
    }

    /// A second screen on the same run.
    pub fn beside(&self) -> Self {
        Self { device: Uuid::now_v7(), seq: 0, start: self.start }
    }

    /// Somebody else who writes as a screen, from behind this number on.
    pub fn written_as(&self, device: Uuid, seq: u32) -> Self {
        Self { device, seq, start: self.start }
    }

    /// Something that happens some seconds into the run.
    pub fn at(&mut self, seconds: i64, kind: Value) -> Value {
        self.seq += 1;
        let mut event = json!({"id": Uuid::now_v7(), "device": self.device, "seq": self.seq, "mono_ms": seconds * 1000, "wall": self.start + TimeDelta::seconds(seconds)});
        event.as_object_mut().unwrap().extend(kind.as_object().unwrap().clone());
        event
    }
}
