//! The file that a browser loads comes to the same as the core here, byte for byte: state and acceptance of generated runs of every live
//! protocol, of one and of many.
#![allow(clippy::unwrap_used, clippy::panic)]

#[path = "../../core/tests/rules/anything/mod.rs"]
mod anything;
#[path = "../../core/tests/rules/screen/mod.rs"]
mod screen;

use std::{
    io::{BufRead, BufReader, Write},
    process::{Child, ChildStdout, Command, Stdio},
};

use anything::{any_run, dealt, facts, live};
use impulso_core::run::{Earlier, Event, RunFacts, partner};
use proptest::{
    strategy::{Strategy, ValueTree},
    test_runner::{Config, RngAlgorithm, TestRng, TestRunner},
};
use serde_json::{Value, json};
use uuid::Uuid;

const RUNS: usize = 10_000;
/// So many browsers share them.
const BROWSERS: u8 = 2;
/// Of every so many runs one is of several people.
const MANY_EVERY: usize = 5;
/// Of every so many a partner's phone is asked too.
const PHONE_EVERY: usize = 20;

/// The core as a browser has it, in Node.js.
struct Browser {
    child: Child,
    answers: BufReader<ChildStdout>,
}

impl Browser {
    fn new() -> Self {
        let here = env!("CARGO_MANIFEST_DIR");
        let mut child = Command::new("node")
            .args([format!("{here}/tests/answer.mjs"), format!("{here}/../../ui/src/core/core.wasm")])
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let answers = BufReader::new(child.stdout.take().unwrap());
        Self { child, answers }
    }

    fn ask(&mut self, question: &Value) -> String {
        writeln!(self.child.stdin.as_mut().unwrap(), "{question}").unwrap();
        let mut answer = String::new();
        self.answers.read_line(&mut answer).unwrap();
        answer.trim_end().to_owned()
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// The same bytes; where not, what differs.
fn alike(there: &str, here: &str, what: &str) {
    let Some(at) = there.bytes().zip(here.bytes()).position(|(a, b)| a != b) else {
        return assert_eq!(there.len(), here.len(), "{what}");
    };
    let around = |text: &str| text.get(at.saturating_sub(120)..(at + 60).min(text.len())).unwrap_or_default().to_owned();
    panic!("{what}\nthere: {}\nhere:  {}", around(there), around(here));
}

#[test]
fn a_browser_comes_to_the_same_as_the_server() {
    std::thread::scope(|at_once| (0..BROWSERS).for_each(|k| drop(at_once.spawn(move || as_the_server(k)))));
}

/// One browser's share of the runs.
fn as_the_server(share: u8) {
    let mut runner = TestRunner::new_with_rng(Config::default(), TestRng::from_seed(RngAlgorithm::ChaCha, &[share; 32]));
    let mut browser = Browser::new();
    let now = screen::t0() + chrono::TimeDelta::minutes(30);
    let mut begun = None;
    for k in 0..RUNS / usize::from(BROWSERS) {
        let (which, events) = any_run().new_tree(&mut runner).unwrap().current();
        let (protocol, setup) = live(which);
        let several = k % MANY_EVERY == 0 && (protocol.board_kind().is_some() || protocol.suits_grid());
        let people = if several { 2 + (k / MANY_EVERY % 4) as u16 } else { 1 };
        let facts = facts(protocol, &setup, people);
        let mut events = dealt(events, people);
        events.iter_mut().for_each(Event::hear);
        if begun != Some((which, people)) {
            assert_eq!(browser.ask(&json!({ "begin": { "facts": facts } })), "\"begun\"");
            begun = Some((which, people));
        }
        let here = serde_json::to_string(&facts.view(&events, now)).unwrap();
        let there = browser.ask(&json!({ "view": { "events": events, "now": now } }));
        alike(&there, &format!("{{\"view\":{here}}}"), &format!("run {k} of {}", protocol.id));
        let here = serde_json::to_string(&facts.outcomes(&events, &Earlier::default(), now.date_naive())).unwrap();
        let there = browser.ask(&json!({ "outcomes": { "events": events, "on": now.date_naive() } }));
        alike(&there, &format!("{{\"outcomes\":{here}}}"), &format!("run {k} of {}", protocol.id));
        // And lets in the same.
        let Some((event, before)) = events.split_last() else { continue };
        let checked = facts.check_alone(before.len(), event, now).and_then(|()| facts.check_after(before, event));
        let here = checked.map_or_else(|e| json!({ "refused": e }).to_string(), |()| "\"accepted\"".to_owned());
        let there = browser.ask(&json!({ "check": { "events": before, "event": event, "now": now } }));
        assert_eq!(
            serde_json::from_str::<Value>(&there).unwrap(),
            serde_json::from_str::<Value>(&here).unwrap(),
            "run {k} of {}",
            protocol.id
        );
        if several && k % PHONE_EVERY == 0 {
            phone_alike(&mut browser, &facts, &events, (k / MANY_EVERY) as u16 % people);
            begun = None;
        }
    }
}

/// Another name for a screen, one for each.
fn stand_in(device: Uuid) -> Uuid {
    Uuid::from_u128(!device.as_u128())
}

/// What a partner's phone works out is what the server says of the one it counts for.
fn phone_alike(browser: &mut Browser, facts: &RunFacts<'_>, events: &[Event], slot: u16) {
    let own = facts.for_partner(slot).unwrap();
    let (told, _) = partner::told(events, slot, |e| Some(stand_in(e.device)));
    assert_eq!(browser.ask(&json!({ "begin": { "facts": own } })), "\"begun\"");
    let there = browser.ask(&json!({ "beside": { "events": told, "slot": slot } }));
    let here = serde_json::to_string(&own.beside(&told, slot)).unwrap();
    alike(&there, &format!("{{\"beside\":{here}}}"), &format!("a phone beside {slot} of {}", own.protocol.id));
}
