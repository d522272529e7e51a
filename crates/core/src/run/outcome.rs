//! What a run that is over comes to, where it is seen: each one's result in words, beside their last time. What is stored is worked out by
//! the server from the same readings; it adds what only the record knows, such as a medicine.

use std::collections::BTreeMap;

use chrono::{DateTime, NaiveDate, Utc};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::{event::Event, setup::Setup, state::State, view::RunFacts};
use crate::{
    catalogue::Protocol,
    done::{Done, Stop},
    person::Facts,
    progress::{self, Audience},
    typical_error::Own,
};

/// What there was before a run.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Earlier {
    /// What the practice knows of each measure of the test.
    pub own: BTreeMap<String, Own>,
    /// Each performer's tests of this kind, oldest first, in the order of the performers.
    pub tests: Vec<Vec<Done>>,
}

/// What somebody's run comes to.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct OutcomeLine {
    pub slot: u16,
    pub name: String,
    /// The result in a sentence, or how it ended early; nothing where there is none.
    pub headline: Option<String>,
    /// Against the last time that was done alike, a sentence a measure.
    pub changes: Vec<String>,
}

impl State {
    /// The test that was done, with nothing scored yet. `on`: its day; `facts`: the person on it.
    pub fn done(&self, protocol: &Protocol, setup: &Setup, id: Uuid, on: NaiveDate, taken_at: DateTime<Utc>, facts: Facts) -> Done {
        Done {
            id,
            protocol_id: protocol.id.clone(),
            method: protocol.method_version(),
            on,
            taken_at,
            inputs: self.inputs(protocol, setup),
            conditions: self.conditions(protocol, setup),
            facts: facts.as_measured_by(protocol),
            stopped: self.stopped_ms.map(|ms| Stop { at_s: ms / 1000.0, reason: self.stop_reason, note: self.stop_note.clone() }),
            voided: false,
            remarks: self.notes.clone(),
            computed: BTreeMap::new(),
        }
    }
}

impl RunFacts<'_> {
    /// What each performer's run comes to; nobody's before it is over. `on`: today.
    pub fn outcomes(&self, events: &[Event], earlier: &Earlier, on: NaiveDate) -> Vec<OutcomeLine> {
        let states = self.states(events);
        let over = self.performers.iter().zip(&states).enumerate().filter(|(_, (_, state))| state.is_closed());
        over.map(|(k, (performer, state))| {
            let (setup, protocol) = (performer.setup.as_ref(), self.protocol.as_ref());
            let taken_at = state.started_at.unwrap_or(self.created_at);
            let mut done = state.done(protocol, setup, Uuid::max(), on, taken_at, setup.facts());
            let tests = earlier.tests.get(k).map(Vec::as_slice).unwrap_or_default();
            let (headline, changes) = told(protocol, &mut done, &earlier.own, tests, setup);
            OutcomeLine { slot: performer.slot, name: performer.name.clone().into_owned(), headline, changes }
        })
        .collect()
    }
}

/// The result of a test in a sentence, and what became of it since `tests`.
fn told(protocol: &Protocol, done: &mut Done, own: &BTreeMap<String, Own>, tests: &[Done], setup: &Setup) -> (Option<String>, Vec<String>) {
    if let Some(stop) = &done.stopped {
        return (Some(stop.sentence()), Vec::new());
    }
    match done.scores(protocol) {
        Ok(scores) => done.computed = scores,
        Err(error) => return (Some(error.message), Vec::new()),
    }
    let Ok(Some((_, report))) = done.report(protocol, own, setup.units) else { return (None, Vec::new()) };
    let audience = Audience { units: setup.units, ..Audience::default() };
    let changes = progress::changes(protocol, done, tests, &report, &audience);
    (Some(report.headline), changes.since_last.into_iter().map(|c| c.sentence).collect())
}

#[cfg(test)]
mod tests {
    use std::borrow::Cow;

    use super::*;
    use crate::{
        catalogue,
        conditions::Answer,
        run::{Kind, PerformerFacts},
    };

    /// A plank of one person: events at these seconds of the run's clock.
    fn plank(said: &[(f64, Kind)]) -> (RunFacts<'static>, Vec<Event>) {
        let conditions = [("support", "forearm"), ("limit_s", "to_failure")].map(|(k, a)| (k.to_owned(), Answer::Text(a.to_owned())));
        let setup = Setup { conditions: conditions.into(), ..Setup::default() };
        let performer = PerformerFacts {
            slot: 0,
            tag: Uuid::nil(),
            person: None,
            name: Cow::Borrowed("Maud Ellery"),
            setup: Cow::Owned(setup),
            result: None,
        };
        let facts = RunFacts {
            id: Uuid::nil(),
            protocol: Cow::Borrowed(catalogue::find("plank").unwrap()),
            performers: vec![performer],
            join_code: None,
            visit: None,
            group_visit: None,
            rehearsal_rate: None,
            created_at: "2026-11-23T09:00:00Z".parse().unwrap(),
            clock_rate: 1.0,
            closed: false,
        };
        let event = |(k, (s, kind)): (usize, &(f64, Kind))| Event {
            id: Uuid::from_u128(k as u128 + 1),
            device: Uuid::nil(),
            seq: k as u32 + 1,
            mono_ms: s * 1000.0,
            wall: facts.created_at + chrono::TimeDelta::milliseconds((s * 1000.0) as i64),
            slot: None,
            kind: kind.clone(),
        };
        let events = said.iter().enumerate().map(event).collect();
        (facts, events)
    }

    #[test]
    fn a_run_that_is_over_says_its_result_and_what_became_of_it_since_last_time() {
        let (facts, events) = plank(&[(0.0, Kind::ClockStarted), (93.0, Kind::PositionLost), (95.0, Kind::Finished)]);
        let on = "2026-11-23".parse().unwrap();
        let (_, before) = plank(&[(0.0, Kind::ClockStarted), (35.0, Kind::PositionLost), (37.0, Kind::Finished)]);
        let (setup, day) = (facts.performers[0].setup.as_ref(), "2026-06-01".parse().unwrap());
        let long_ago = "2026-06-01T09:00:00Z".parse().unwrap();
        let mut last = facts.states(&before)[0].done(&facts.protocol, setup, Uuid::nil(), day, long_ago, setup.facts());
        last.computed = last.scores(&facts.protocol).unwrap();
        let earlier = Earlier { tests: vec![vec![last]], ..Earlier::default() };
        let [line] = facts.outcomes(&events, &earlier, on).try_into().unwrap();
        assert_eq!((line.name.as_str(), line.changes.len()), ("Maud Ellery", 1), "{line:?}");
        assert!(line.headline.unwrap().contains("1:"), "the hold, of which the count-in is none");
        assert!(line.changes[0].contains("30"), "{:?}", line.changes);
        assert_eq!(facts.outcomes(&events, &Earlier::default(), on)[0].changes, Vec::<String>::new());
        assert_eq!(facts.outcomes(&events[..2], &earlier, on), [], "not before it is over");
    }

    #[test]
    fn one_that_was_stopped_says_so() {
        let (facts, events) = plank(&[(0.0, Kind::ClockStarted), (50.0, Kind::Stopped), (55.0, Kind::Finished)]);
        let lines = facts.outcomes(&events, &Earlier::default(), "2026-11-23".parse().unwrap());
        assert_eq!(lines[0].headline.as_deref(), Some("Stopped at 0:50."));
    }
}
