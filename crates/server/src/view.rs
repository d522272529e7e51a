//! A run as every screen on it sees it: what the database holds, folded.

use chrono::{DateTime, Utc};
use impulso_core::{
    catalogue::CountRule,
    rehearse::RehearsalReport,
    run::{Decision, Event, Grid, Reading, State, fold, grid},
    simulate,
    units::Units,
};
use impulso_store::{
    Scope,
    results::Stored,
    runs::{self, Run},
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{ApiError, ApiResult, settings::ClockRate};

/// A run as every screen on it sees it.
#[derive(Serialize, ToSchema, Clone)]
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
    pub conditions: Vec<impulso_core::report::ConditionReport>,
    /// Everything the events led to: of the one who is tested, or what all performers share.
    pub state: State,
    /// Where many are tested: each of them.
    pub performers: Vec<PerformerView>,
    /// What many have done in a test whose tries stand on one grid.
    pub grid: Option<Grid>,
    /// By which partners join.
    pub join_code: Option<String>,
    /// The visit it belongs to.
    pub visit: Option<Uuid>,
    /// The group visit it belongs to.
    pub group_visit: Option<Uuid>,
    /// For a rehearsal: how fast it runs, and its report once it is over.
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
#[derive(Serialize, ToSchema, Clone)]
pub struct PerformerView {
    /// From 0.
    pub slot: u16,
    /// The person's key.
    pub person: Option<Uuid>,
    pub name: String,
    /// The count so far.
    pub reading: Option<Reading>,
    /// What was decided about it.
    pub decision: Option<Decision>,
    /// The result, once closed.
    pub result: Option<Uuid>,
}

/// A rehearsal on a run's view.
#[derive(Serialize, ToSchema, Clone)]
pub struct RehearsalView {
    /// How fast it runs: 1 or 4.
    pub rate: f64,
    /// How it went, once it is over.
    pub report: Option<RehearsalReport>,
}

impl RunView {
    /// What a partner without an account may see: the clock and the names, nothing of anybody's record.
    #[must_use]
    pub fn for_partners(&self) -> Self {
        let mut shown = self.clone();
        (shown.person, shown.grid) = (None, None);
        shown.conditions = Vec::new();
        shown.state.notes = Vec::new();
        shown.state.stop_note = None;
        (shown.result, shown.visit, shown.group_visit) = (None, None, None);
        for performer in &mut shown.performers {
            (performer.person, performer.result) = (None, None);
        }
        shown
    }
}

/// What is kept of a rehearsal beside its run.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Rehearsal {
    /// Who is simulated.
    pub client: simulate::Client,
    /// How fast it runs.
    pub rate: f64,
}

/// A run as it stands in the database.
pub async fn view(scope: &mut Scope, run: Run, rate: ClockRate) -> ApiResult<RunView> {
    let events = runs::events(scope, run.id).await?;
    view_of(&run, &events, rate)
}

/// A run as its events make it.
///
/// # Errors
/// Where what is kept of a rehearsal cannot be read.
pub fn view_of(run: &Run, events: &[Event], rate: ClockRate) -> ApiResult<RunView> {
    let first = run.performers.first().ok_or_else(ApiError::not_found)?;
    let many = run.performers.len() > 1;
    let state = fold(&run.protocol, &first.setup, events.iter().filter(|e| !many || e.slot.is_none()));
    let states = if many { states(run, events) } else { Vec::new() };
    let of_each: Vec<_> = run.performers.iter().zip(&states).map(|(p, state)| (p.slot, &p.setup, state)).collect();
    let grid = many.then(|| grid(&run.protocol, &of_each)).flatten();
    let performers = performers(run, states);
    let rehearsal = rehearsal(run, first, &state, events)?;
    Ok(RunView {
        id: run.id.0,
        person: first.person.filter(|_| !many).map(|p| p.0),
        name: if many { format!("{} performers", run.performers.len()) } else { first.name.clone() },
        conditions: impulso_core::report::condition_reports(&run.protocol, &first.setup.conditions, first.setup.units),
        state,
        performers,
        grid,
        clock_rate: clock_rate(run, rate),
        visit: run.visit.map(|(visit, _)| visit),
        group_visit: run.group_visit,
        rehearsal,
        revision: events.len() as u64 + u64::from(run.closed_at.is_some()),
        created_at: run.created_at,
        server_now: Utc::now(),
        units: first.setup.units,
        closed: run.closed_at.is_some(),
        result: first.result.filter(|_| !many).map(|r| r.0),
        join_code: run.join_code.clone().filter(|_| run.closed_at.is_none()),
        protocol: run.protocol.id.clone(),
        protocol_name: run.protocol.name.clone(),
        count: run.protocol.count().cloned(),
    })
}

fn performers(run: &Run, states: Vec<State>) -> Vec<PerformerView> {
    let view = |(p, state): (&runs::Performer, State)| PerformerView {
        slot: p.slot,
        person: p.person.map(|id| id.0),
        name: p.name.clone(),
        reading: state.readings().last().cloned(),
        decision: state.decision,
        result: p.result.map(|r| r.0),
    };
    run.performers.iter().zip(states).map(view).collect()
}

/// How fast a run's clock passes: that of the server, times that of the rehearsal.
pub fn clock_rate(run: &Run, rate: ClockRate) -> f64 {
    rate.0 * runs::rehearsal::<Rehearsal>(run).ok().flatten().map_or(1.0, |r| r.rate)
}

fn rehearsal(run: &Run, performer: &runs::Performer, state: &State, events: &[Event]) -> ApiResult<Option<RehearsalView>> {
    let Some(kept) = runs::rehearsal::<Rehearsal>(run)? else { return Ok(None) };
    let report = state.is_closed().then(|| impulso_core::rehearse::report(&run.protocol, &performer.setup, &kept.client, state, events));
    Ok(Some(RehearsalView { rate: kept.rate, report }))
}

/// The states of all performers, in the order of their slots; every event is looked at once.
pub fn states(run: &Run, events: &[Event]) -> Vec<State> {
    if let [one] = run.performers.as_slice() {
        return vec![fold(&run.protocol, &one.setup, events)];
    }
    let shared: Vec<&Event> = events.iter().filter(|e| e.slot.is_none()).collect();
    let mut own: std::collections::HashMap<u16, Vec<&Event>> = std::collections::HashMap::new();
    for event in events {
        if let Some(slot) = event.slot {
            own.entry(slot).or_default().push(event);
        }
    }
    let of = |p: &runs::Performer| {
        let own = own.get(&p.slot).into_iter().flatten();
        fold(&run.protocol, &p.setup, shared.iter().chain(own).copied())
    };
    run.performers.iter().map(of).collect()
}

/// What was remarked on the floor while a result was taken.
pub async fn remarks(scope: &mut Scope, result: &Stored) -> ApiResult<Vec<String>> {
    if !result.remarks.is_empty() {
        return Ok(result.remarks.clone());
    }
    let Some(id) = result.run else { return Ok(Vec::new()) };
    let Some(run) = runs::readable(scope, id).await? else { return Ok(Vec::new()) };
    let events = runs::events(scope, id).await?;
    let of = run.performers.iter().position(|p| p.person == Some(result.person));
    Ok(of.and_then(|k| states(&run, &events).into_iter().nth(k)).map(|state| state.notes).unwrap_or_default())
}
