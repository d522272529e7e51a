//! A run as every screen on it sees it, worked out from how it was set up and what happened. The server and a browser that has the same
//! facts and events come to the same.

use std::{
    borrow::Cow,
    collections::{HashMap, HashSet},
};

use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::{
    beeps::{self, BeepCourse},
    board::{Board, BoardKind, board},
    check,
    decision::Decision,
    event::{Event, StopReason},
    fold::fold,
    grid::{Grid, grid},
    partner::{Beside, PartnerTask},
    setup::Setup,
    state::{Call, Reading, State},
};
use crate::{
    catalogue::{CountRule, Protocol, Tone},
    conditions::{Answer, Conditions},
    error::InputError,
    rehearse::RehearsalReport,
    report::{self, ConditionReport},
    simulate,
    units::Units,
};

/// A run as it was set up, with its results once it is closed: with its events it is all that a screen shows.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct RunFacts<'a> {
    pub id: Uuid,
    /// As it was on the day.
    pub protocol: Cow<'a, Protocol>,
    /// Who is tested, by slot.
    pub performers: Vec<PerformerFacts<'a>>,
    /// By which partners join.
    pub join_code: Option<String>,
    /// The visit it belongs to.
    pub visit: Option<Uuid>,
    /// The group visit it belongs to.
    pub group_visit: Option<Uuid>,
    /// How fast a rehearsal runs; nothing for anything else.
    pub rehearsal_rate: Option<f64>,
    /// When it was set up: the zero of the run's clock.
    pub created_at: DateTime<Utc>,
    /// How fast the run's clock passes.
    pub clock_rate: f64,
    pub closed: bool,
}

/// One of those who are tested.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PerformerFacts<'a> {
    /// From 0.
    pub slot: u16,
    /// The same for one person in every test of a group visit, and nothing else.
    pub tag: Uuid,
    /// The person's key.
    pub person: Option<Uuid>,
    /// As it was on the day.
    pub name: Cow<'a, str>,
    /// What was settled before the clock.
    pub setup: Cow<'a, Setup>,
    /// The result, once there is one.
    pub result: Option<Uuid>,
}

/// A run as every screen on it sees it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct RunView {
    pub id: Uuid,
    /// The person's key, where one is tested.
    pub person: Option<Uuid>,
    /// Whose run it is, in a few words.
    pub name: String,
    /// The protocol's id.
    pub protocol: String,
    /// Its display name.
    pub protocol_name: String,
    /// How the pulse is counted.
    pub count: Option<CountRule>,
    /// The circumstances, in a few words.
    pub conditions: Vec<ConditionReport>,
    /// Everything the events led to: of the one who is tested, or what all performers share.
    pub state: State,
    /// Where many are tested: each of them.
    pub performers: Vec<PerformerView>,
    /// What many have done in a test whose tries stand on one grid.
    pub grid: Option<Grid>,
    /// What many do on one clock, in a test that is done so.
    pub board: Option<Board>,
    /// Whether another test may follow under the same code.
    pub lesson: bool,
    /// What a partner's phone takes; for partners alone.
    pub task: Option<PartnerTask>,
    /// Where the one stands whom a partner's phone counts for; for partners alone.
    pub beside: Option<Beside>,
    /// By which partners join.
    pub join_code: Option<String>,
    /// The visit it belongs to.
    pub visit: Option<Uuid>,
    /// The group visit it belongs to.
    pub group_visit: Option<Uuid>,
    /// For a rehearsal: how fast it runs, and its report once it is over; only the server knows the simulated client.
    pub rehearsal: Option<RehearsalView>,
    /// Goes up with every change: a view with a smaller number is older.
    pub revision: u64,
    /// When it was set up: the zero of the run's clock.
    pub created_at: DateTime<Utc>,
    /// The server's clock at this answer.
    pub server_now: DateTime<Utc>,
    /// How fast the run's clock passes: 1, except in a rehearsal.
    pub clock_rate: f64,
    /// The units that numbers are shown and typed in: those of the one who is tested.
    pub units: Units,
    pub closed: bool,
    /// The result, once closed.
    pub result: Option<Uuid>,
}

/// One of many performers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PerformerView {
    /// From 0.
    pub slot: u16,
    /// The same for one person in every test of a group visit, and nothing else.
    pub tag: Uuid,
    /// The person's key.
    pub person: Option<Uuid>,
    pub name: String,
    /// Their pulse has been counted.
    pub counted: bool,
    /// The count so far.
    pub reading: Option<Reading>,
    /// What was decided about it.
    pub decision: Option<Decision>,
    /// Why this one was stopped, where they were alone.
    pub out: Option<String>,
    /// The result, once closed.
    pub result: Option<Uuid>,
}

/// A rehearsal on a run's view.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct RehearsalView {
    /// How fast it runs: 1, 2 or 4.
    pub rate: f64,
    /// How it went, once it is over.
    pub report: Option<RehearsalReport>,
}

/// What is kept of a rehearsal beside its run.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Rehearsal {
    /// Who is simulated.
    pub client: simulate::Client,
    /// How fast it runs.
    pub rate: f64,
}

impl RunFacts<'_> {
    /// Everything the events led to, at this moment of the server's clock.
    pub fn view(&self, events: &[Event], now: DateTime<Utc>) -> RunView {
        let states = if self.performers.len() > 1 { self.states(events) } else { Vec::new() };
        self.view_of(events, &states, now)
    }

    /// The same where the states of many performers are known; they are not looked at where one is tested.
    pub fn view_of(&self, events: &[Event], states: &[State], now: DateTime<Utc>) -> RunView {
        let nobody = PerformerFacts {
            slot: 0,
            tag: Uuid::nil(),
            person: None,
            name: Cow::Borrowed(""),
            setup: Cow::Owned(Setup::default()),
            result: None,
        };
        let first = self.performers.first().unwrap_or(&nobody);
        let protocol = self.protocol.as_ref();
        let many = self.performers.len() > 1;
        let mut state = fold(protocol, &first.setup, events.iter().filter(|e| !many || e.slot.is_none()));
        self.call_lanes(states, &mut state);
        // One who runs to the beeps is watched from the line too, as many are.
        let is_lone_runner = !many && protocol.board_kind() == Some(BoardKind::Line);
        let states = if is_lone_runner { std::slice::from_ref(&state) } else { states };
        let each = || self.performers.iter().zip(states);
        let performers = each().map(|(p, state)| p.view(state)).collect();
        let of_each: Vec<_> = each().map(|(p, state)| (p.slot, p.setup.as_ref(), state)).collect();
        let together = is_lone_runner || (many && first.setup.together);
        let board = together.then(|| board(protocol, &of_each, events)).flatten();
        let grid = (many && !together).then(|| grid(protocol, &of_each)).flatten();
        RunView {
            id: self.id,
            person: first.person.filter(|_| !many),
            name: if many { format!("{} people", self.performers.len()) } else { first.name.clone().into_owned() },
            conditions: report::condition_reports(protocol, &self.shared_conditions(&first.setup), first.setup.units),
            performers,
            grid,
            board,
            task: None,
            beside: None,
            lesson: self.group_visit.is_some(),
            clock_rate: self.clock_rate,
            visit: self.visit,
            group_visit: self.group_visit,
            rehearsal: self.rehearsal_rate.map(|rate| RehearsalView { rate, report: None }),
            revision: events.len() as u64 + u64::from(self.closed),
            created_at: self.created_at,
            server_now: now,
            units: first.setup.units,
            closed: self.closed,
            result: first.result.filter(|_| !many),
            join_code: self.join_code.clone().filter(|_| !self.closed),
            protocol: protocol.id.clone(),
            protocol_name: protocol.name.clone(),
            count: protocol.count().cloned(),
            state,
        }
    }

    /// The schedule of a run to beeps as it sounds; nothing of any other test.
    pub fn beeps(&self) -> Option<BeepCourse> {
        beeps::course(&self.protocol, &self.performers.first()?.setup)
    }

    /// What is the same for everybody.
    fn shared_conditions(&self, first: &Setup) -> Conditions {
        let is_shared = |key: &String, answer: &Answer| self.performers.iter().all(|p| p.setup.conditions.get(key) == Some(answer));
        first.conditions.iter().filter(|(key, answer)| is_shared(key, answer)).map(|(k, a)| (k.clone(), a.clone())).collect()
    }

    /// Where one starts after the other, everybody's own starts are called.
    fn call_lanes(&self, states: &[State], shared: &mut State) {
        for (performer, state) in self.performers.iter().zip(states).filter(|(p, _)| p.setup.start_after_s.is_some()) {
            let starts = state.timeline.calls.iter().filter(|c| c.tone == Tone::Start);
            shared.timeline.calls.extend(starts.map(|c| Call { say: format!("{}: go.", performer.name), ..c.clone() }));
        }
        shared.timeline.calls.sort_by(|a, b| a.at_ms.total_cmp(&b.at_ms));
    }

    /// The states of all performers, in the order of their slots; every event is looked at once.
    pub fn states(&self, events: &[Event]) -> Vec<State> {
        if let [one] = self.performers.as_slice() {
            return vec![fold(&self.protocol, &one.setup, events)];
        }
        let shared: Vec<&Event> = events.iter().filter(|e| e.slot.is_none()).collect();
        let mut own: HashMap<u16, Vec<&Event>> = HashMap::new();
        for event in events {
            if let Some(slot) = event.slot {
                own.entry(slot).or_default().push(event);
            }
        }
        let of = |p: &PerformerFacts<'_>| {
            let own = own.get(&p.slot).into_iter().flatten();
            fold(&self.protocol, &p.setup, shared.iter().chain(own).copied())
        };
        self.performers.iter().map(of).collect()
    }

    /// The states after something was added, where those `before` it are known: only of those whom it happened to, unless to all.
    pub fn states_after(&self, events: &[Event], before: Vec<State>, added: &[Event]) -> Vec<State> {
        if self.performers.len() < 2 || before.len() != self.performers.len() || added.iter().any(|e| e.slot.is_none()) {
            return if self.performers.len() > 1 { self.states(events) } else { Vec::new() };
        }
        let changed: HashSet<u16> = added.iter().filter_map(|e| e.slot).collect();
        let anew = |(p, was): (&PerformerFacts<'_>, State)| {
            if !changed.contains(&p.slot) {
                return was;
            }
            fold(&self.protocol, &p.setup, events.iter().filter(|e| e.slot.is_none_or(|s| s == p.slot)))
        };
        self.performers.iter().zip(before).map(anew).collect()
    }

    /// The state of one performer; nothing for a slot that nobody has.
    pub fn state_of<'e>(&self, events: impl IntoIterator<Item = &'e Event>, slot: u16) -> Option<State> {
        let performer = self.performer(slot)?;
        let alone = self.performers.len() == 1;
        Some(fold(&self.protocol, &performer.setup, events.into_iter().filter(|e| alone || e.slot.is_none_or(|s| s == slot))))
    }

    fn performer(&self, slot: u16) -> Option<&PerformerFacts<'_>> {
        self.performers.iter().find(|p| p.slot == slot)
    }

    /// Whether an event may be stored, whatever the state. `held`: how many are stored; `now`: the run's clock.
    ///
    /// # Errors
    /// What is wrong, with what the assessor should do.
    pub fn check_alone(&self, held: usize, event: &Event, now: DateTime<Utc>) -> Result<(), InputError> {
        check::check_alone(event)?;
        check::check_time(event, self.created_at, now)?;
        check::check_room(held, &event.kind)
    }

    /// Whether it may be stored in the state that these have led to; of a run that is closed it is not asked.
    ///
    /// # Errors
    /// What is wrong, with what the assessor should do.
    pub fn check_after<'e>(&self, so_far: impl IntoIterator<Item = &'e Event>, event: &Event) -> Result<(), InputError> {
        if !check::depends_on_state(&event.kind) {
            return Ok(());
        }
        let slot = event.slot.unwrap_or(0);
        let Some(state) = self.state_of(so_far, slot) else { return Ok(()) };
        let units = self.performer(slot).map(|p| p.setup.units).unwrap_or_default();
        check::check_event(&self.protocol, &state, event).map_err(|e| e.in_units(units))
    }
}

impl PerformerFacts<'_> {
    fn view(&self, state: &State) -> PerformerView {
        PerformerView {
            slot: self.slot,
            tag: self.tag,
            person: self.person,
            name: self.name.clone().into_owned(),
            counted: state.readings().last().is_some_and(|r| r.bpm.is_some()),
            reading: state.readings().last().cloned(),
            out: state.stopped_ms.map(|_| state.stop_reason.map_or("stopped", StopReason::words).to_owned()),
            decision: state.decision.clone(),
            result: self.result,
        }
    }
}
