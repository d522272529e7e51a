//! The core for a browser: a run folded where it is seen, by the same code that folds it on the server. Questions and answers are JSON.
//!
//! A question names what is asked: `set_up` a run from what was prepared, `begin` one by how it was set up, the `view` of it after events,
//! where the one stands whom a partner's phone counts for (`beside`), whether one more event may be `check`ed in, its `beeps`, or the
//! `outcomes` once it is over. One run at a time: a screen shows one. And of a `visit`, where it stands.

mod boundary;
mod json;

use std::cell::RefCell;

use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{
    InputError,
    run::{BeepCourse, Beside, Earlier, Event, OutcomeLine, Prepared, RunFacts, RunView, SetUpTyped},
    visit::{self, VisitEvent, VisitState},
};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

thread_local! {
    /// How the run on this screen was set up, and what there was before it.
    static BEGUN: RefCell<Option<(RunFacts<'static>, Earlier)>> = const { RefCell::new(None) };
}

#[derive(Deserialize)]
#[serde(rename_all = "snake_case")]
enum Question {
    Begin {
        facts: Box<RunFacts<'static>>,
        #[serde(default)]
        earlier: Earlier,
    },
    /// Begins a run that is set up here. `typed`: how. `at`: when.
    SetUp {
        prepared: Box<Prepared>,
        id: Uuid,
        people: Vec<Uuid>,
        typed: Box<SetUpTyped>,
        at: DateTime<Utc>,
    },
    View {
        events: Vec<Event>,
        now: DateTime<Utc>,
    },
    /// Where the one in this slot stands, on a partner's phone.
    Beside {
        events: Vec<Event>,
        slot: u16,
    },
    /// What each performer's run comes to, once it is over. `on`: today.
    Outcomes {
        events: Vec<Event>,
        on: NaiveDate,
    },
    /// `now`: the run's clock.
    Check {
        events: Vec<Event>,
        event: Box<Event>,
        now: DateTime<Utc>,
    },
    /// The schedule of a run to beeps, as it sounds.
    Beeps,
    /// Where a visit stands after these events. `tests`: of each the word it shares with others of which one is enough. `free`: tests are
    /// tried as often as one likes. `shut`: places that something else has to open first.
    Visit {
        tests: Vec<Option<String>>,
        free: bool,
        events: Vec<VisitEvent>,
        shut: Vec<usize>,
    },
}

#[derive(Serialize)]
#[serde(rename_all = "snake_case")]
enum Answer {
    Begun,
    Visit {
        state: VisitState,
        next: Option<usize>,
    },
    View(Box<RunView>),
    /// Nothing for a slot that nobody has.
    Beside(Option<Box<Beside>>),
    /// Nothing where the test is not run to beeps.
    Beeps(Option<BeepCourse>),
    Outcomes(Vec<OutcomeLine>),
    /// Nothing speaks against it.
    Accepted,
    Refused(InputError),
    /// The question could not be read, or no run was begun.
    Failed(String),
}

/// Answers a question; never fails, so that a screen can always go on with what the server says.
fn answer(question: &[u8]) -> Vec<u8> {
    let answer = match serde_json::from_slice(question).map(|value| Question::deserialize(json::Json(value))) {
        Ok(Ok(question)) => answered(question),
        Err(error) => Answer::Failed(error.to_string()),
    };
    serde_json::to_vec(&answer).unwrap_or_default()
}

fn answered(question: Question) -> Answer {
    BEGUN.with_borrow_mut(|kept| match (question, kept) {
        (Question::Begin { facts, earlier }, kept) => {
            *kept = Some((*facts, earlier));
            Answer::Begun
        }
        (Question::SetUp { prepared, id, people, typed, at }, kept) => match prepared.set_up(id, &people, &typed, at) {
            Ok(begun) => {
                *kept = Some(begun);
                Answer::Begun
            }
            Err(refused) => Answer::Refused(refused),
        },
        (Question::Visit { tests, free, events, shut }, _) => {
            let either: Vec<Option<&str>> = tests.iter().map(Option::as_deref).collect();
            let state = visit::fold_places(&either, free, &events);
            let next = state.next(&|place| !shut.contains(&place));
            Answer::Visit { state, next }
        }
        (Question::Outcomes { mut events, on }, Some((facts, earlier))) => {
            events.iter_mut().for_each(Event::hear);
            Answer::Outcomes(facts.outcomes(&events, earlier, on))
        }
        (Question::Beeps, Some((facts, _))) => Answer::Beeps(facts.beeps()),
        (Question::View { mut events, now }, Some((facts, _))) => {
            events.iter_mut().for_each(Event::hear);
            Answer::View(Box::new(facts.view(&events, now)))
        }
        (Question::Beside { mut events, slot }, Some((facts, _))) => {
            events.iter_mut().for_each(Event::hear);
            Answer::Beside(facts.beside(&events, slot).map(Box::new))
        }
        (Question::Check { mut events, mut event, now }, Some((facts, _))) => {
            events.iter_mut().for_each(Event::hear);
            event.hear();
            let checked = facts.check_alone(events.len(), &event, now).and_then(|()| facts.check_after(&events, &event));
            checked.map_or_else(Answer::Refused, |()| Answer::Accepted)
        }
        (_, None) => Answer::Failed("no run was begun".to_owned()),
    })
}
