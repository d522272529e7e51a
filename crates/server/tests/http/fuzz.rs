//! The interface held to its own contract: requests made from the OpenAPI document, sound and broken, from a fixed seed. No
//! answer is a 5xx, and none has a status that the document does not name.

use std::collections::BTreeMap;

use rand::{RngExt, SeedableRng, rngs::StdRng, seq::IndexedRandom};
use reqwest::{Client, Method, StatusCode};
use serde_json::{Map, Value, json};
use uuid::Uuid;

use crate::app::TestApp;

/// Requests of each operation, and where they start from; more with `IMPULSO_FUZZ_EACH`, others with `IMPULSO_FUZZ_SEED`.
const EACH: u64 = 40;
const SEED: u64 = 20_261_126;

pub fn set(name: &str, otherwise: u64) -> u64 {
    std::env::var(name).ok().and_then(|v| v.parse().ok()).unwrap_or(otherwise)
}

/// Texts that have broken things elsewhere.
const TEXTS: [&str; 14] = [
    "",
    " ",
    "\u{0}",
    "a\u{0}b",
    "\u{202e}\u{200b}",
    "%00",
    "' or 1=1 --",
    "../../etc",
    "<script>",
    "-9999-01-01",
    "+262142-12-31",
    "9e999",
    "\u{1f3c3}\u{200d}\u{2640}\u{fe0f}",
    "0",
];
const NUMBERS: [f64; 12] = [0.0, -0.0, 1.0, -1.0, 0.5, 250.0, 1e308, -1e308, 1e-308, 9_007_199_254_740_993.0, 2_147_483_648.0, 65_536.0];
const DATES: [&str; 7] = ["2026-02-29", "2026-11-01", "1990-04-02", "-9999-01-01", "+262142-12-31", "0000-00-00", "2100-01-01"];
const MOMENTS: [&str; 5] =
    ["2026-11-01T09:00:00Z", "+262142-12-31T23:59:59Z", "-262143-01-01T00:00:00Z", "2026-11-01", "1970-01-01T00:00:00.000000001Z"];

pub struct Fuzz {
    pub document: Value,
    dice: StdRng,
    /// Keys of things there are, by the name of a path's part.
    known: Vec<String>,
    protocols: Vec<String>,
}

impl Fuzz {
    /// Requests from a seed, about things of these keys.
    pub fn new(seed: u64, known: Vec<String>) -> Self {
        Self {
            document: serde_json::from_str(&impulso::docs::openapi()).unwrap(),
            dice: StdRng::seed_from_u64(seed),
            known,
            protocols: impulso_core::catalogue::all().iter().map(|p| p.id.clone()).collect(),
        }
    }

    fn one_in(&mut self, n: u32) -> bool {
        self.dice.random_range(0..n) == 0
    }

    fn pick<T: Clone>(&mut self, from: &[T]) -> T {
        from.choose(&mut self.dice).unwrap().clone()
    }

    fn text(&mut self) -> String {
        match self.dice.random_range(0..6) {
            0 => self.pick(&self.known.clone()),
            1 => self.pick(&self.protocols.clone()),
            2 => "x".repeat(self.dice.random_range(0..5_000)),
            3 => (0..self.dice.random_range(0..30))
                .map(|_| char::from_u32(self.dice.random_range(0..0x11_0000)).unwrap_or('\u{fffd}'))
                .collect(),
            _ => self.pick(&TEXTS).to_owned(),
        }
    }

    fn number(&mut self) -> Value {
        let number = if self.one_in(2) { self.dice.random_range(-50..300).into() } else { self.pick(&NUMBERS) };
        json!(number)
    }

    /// A value of a schema; now and then of another.
    pub fn value(&mut self, schema: &Value, depth: usize) -> Value {
        if depth > 8 || self.one_in(25) {
            return [Value::Null, json!([]), json!({}), json!("x"), json!(7), json!(true)][self.dice.random_range(0..6)].clone();
        }
        if let Some(name) = schema["$ref"].as_str() {
            let name = name.rsplit('/').next().unwrap().to_owned();
            let of = self.document["components"]["schemas"][&name].clone();
            return self.value(&of, depth + 1);
        }
        for several in ["oneOf", "anyOf"] {
            if let Some(all) = schema[several].as_array() {
                let one = self.pick(all);
                return self.value(&one, depth + 1);
            }
        }
        if let Some(all) = schema["allOf"].as_array() {
            let parts: Vec<Value> = all.iter().map(|s| self.value(s, depth + 1)).collect();
            let mut whole = Map::new();
            for part in parts {
                whole.extend(part.as_object().cloned().unwrap_or_default());
            }
            return Value::Object(whole);
        }
        if let Some(choices) = schema["enum"].as_array() {
            return self.pick(choices);
        }
        let kinds: Vec<&str> = match &schema["type"] {
            Value::Array(all) => all.iter().filter_map(Value::as_str).collect(),
            one => one.as_str().into_iter().collect(),
        };
        match self.pick(if kinds.is_empty() { &["object"] } else { &kinds }) {
            "string" => match schema["format"].as_str() {
                Some("uuid") if self.one_in(2) => json!(self.pick(&self.known.clone())),
                Some("uuid") => json!(Uuid::from_u128(self.dice.random())),
                Some("date") => json!(self.pick(&DATES)),
                Some("date-time") => json!(self.pick(&MOMENTS)),
                _ => json!(self.text()),
            },
            "integer" => json!(self.dice.random_range(-2i64..70_000)),
            "number" => self.number(),
            "boolean" => json!(self.one_in(2)),
            "array" => (0..self.dice.random_range(0..4)).map(|_| self.value(&schema["items"], depth + 1)).collect(),
            "null" => Value::Null,
            _ => self.object(schema, depth),
        }
    }

    fn object(&mut self, schema: &Value, depth: usize) -> Value {
        let mut object = Map::new();
        for (key, of) in schema["properties"].as_object().cloned().unwrap_or_default() {
            let required = schema["required"].as_array().is_some_and(|r| r.contains(&json!(key)));
            if if required { !self.one_in(30) } else { self.one_in(2) } {
                object.insert(key, self.value(&of, depth + 1));
            }
        }
        if schema["additionalProperties"].is_object() {
            for key in ["bench_cm", "warm_up", "pulse_count", "lap_m"] {
                if self.one_in(2) {
                    object.insert(key.into(), self.value(&schema["additionalProperties"], depth + 1));
                }
            }
        }
        if self.one_in(20) {
            object.insert(self.text(), json!(1));
        }
        Value::Object(object)
    }

    /// A path with its parts filled in, and a query.
    pub fn path(&mut self, template: &str, operation: &Value) -> String {
        let mut path = template.to_owned();
        let mut query = Vec::new();
        for parameter in operation["parameters"].as_array().cloned().unwrap_or_default() {
            let name = parameter["name"].as_str().unwrap();
            let value = match self.value(&parameter["schema"], 0) {
                Value::String(s) => s,
                other => other.to_string(),
            };
            let encoded: String = value
                .bytes()
                .take(600)
                .map(|b| if b.is_ascii_alphanumeric() || b == b'-' { char::from(b).to_string() } else { format!("%{b:02X}") })
                .collect();
            if parameter["in"] == "path" {
                path = path.replace(&format!("{{{name}}}"), &encoded);
            } else if self.one_in(2) {
                query.push(format!("{name}={encoded}"));
            }
        }
        while let (Some(begin), Some(end)) = (path.find('{'), path.find('}')) {
            let part = if self.one_in(6) { "nonsense".to_owned() } else { self.pick(&self.known.clone()) };
            path.replace_range(begin..=end, &part);
        }
        if query.is_empty() { path } else { format!("{path}?{}", query.join("&")) }
    }
}

#[tokio::test]
async fn every_answer_has_a_status_its_contract_names_and_none_is_the_servers_fault() {
    let app = TestApp::spawn().await;
    let coach = app.new_practice("Harbour").await;
    let person = coach.adds("Someone").await;
    let result = coach.tests(&person, 30.0).await;
    let run = coach.sets_up(&person).await;
    let today = coach.get("/session").await["today"].clone();
    let plan = json!({"protocol": "bench-step-3min", "rule": {"rule": "weeks4812"}, "from": today});
    let kept = coach.ok(Method::POST, &format!("/people/{person}/retests"), plan).await;
    let known = vec![person, result, run, kept[0]["id"].as_str().unwrap().to_owned()];
    let mut fuzz = Fuzz::new(set("IMPULSO_FUZZ_SEED", SEED), known);
    let stranger = Client::new();
    let paths = fuzz.document["paths"].as_object().unwrap().clone();
    let mut seen: BTreeMap<u16, u32> = BTreeMap::new();
    for (template, operations) in paths {
        for (method, operation) in operations.as_object().unwrap() {
            let name = operation["operationId"].as_str().unwrap();
            // It would end the session of all that follow.
            if name == "session_sign_out" {
                continue;
            }
            let is_open = ["session_sign_in", "session_found_practice"].contains(&name);
            let method: Method = method.to_uppercase().parse().unwrap();
            let schema = operation["requestBody"]["content"]["application/json"]["schema"].clone();
            for _ in 0..set("IMPULSO_FUZZ_EACH", EACH) {
                let path = fuzz.path(&template, operation);
                let client = if is_open { &stranger } else { coach.client() };
                let mut request = client.request(method.clone(), format!("{}{path}", app.base));
                let mut sent = String::new();
                if !schema.is_null() {
                    sent = fuzz.value(&schema, 0).to_string();
                    if fuzz.one_in(30) {
                        sent.truncate((0..=sent.len() / 2).rev().find(|k| sent.is_char_boundary(*k)).unwrap_or(0));
                    }
                    request = request.header("content-type", "application/json").body(sent.clone());
                }
                let answer = request.send().await.unwrap();
                let status = answer.status();
                *seen.entry(status.as_u16()).or_default() += 1;
                let short: String = sent.chars().take(2_000).collect();
                assert!(!operation["responses"][status.as_str()].is_null(), "{name}: {status} is not documented: {path} {short}");
                if status.is_success() {
                    // To its end: what is sent as it is made goes on until somebody has taken it.
                    let kind = answer.headers().get("content-type").and_then(|k| k.to_str().ok()).unwrap_or_default().to_owned();
                    if !kind.starts_with("text/event-stream") {
                        let _ = answer.bytes().await;
                    }
                    continue;
                }
                let text = answer.text().await.unwrap();
                let error: Value = serde_json::from_str(&text).unwrap_or_default();
                let is_told = error["code"].is_string() && error["message"].as_str().is_some_and(|m| !m.is_empty());
                assert!(is_told, "{name}: {status} not in the one error shape: {text}: {path} {short}");
                assert!(status < StatusCode::INTERNAL_SERVER_ERROR, "{name}: {status} {error}: {path} {short}");
            }
        }
    }
    assert!(seen[&200] > 100 && seen.values().sum::<u32>() > 1_000, "the requests reach what they ask for: {seen:?}");
}
