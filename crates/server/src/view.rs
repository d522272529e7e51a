//! A run as it stands in the database, as every screen on it sees it.

use chrono::Utc;
use impulso_core::{
    rehearse,
    run::{Event, PerformerFacts, RunFacts, State, view::Rehearsal},
};
use impulso_store::{
    PersonId, RunId, Scope,
    results::Stored,
    runs::{self, Run},
};
use sha2::{Digest, Sha256};
use std::borrow::Cow;
use uuid::Uuid;

pub use impulso_core::run::RunView;

use crate::{ApiResult, settings::ClockRate};

/// How a run was set up, for whoever folds it.
///
/// # Errors
/// Where what is kept of a rehearsal cannot be read.
pub fn facts(run: &Run, rate: ClockRate) -> ApiResult<RunFacts<'_>> {
    let rehearsal = rehearsal(run)?;
    Ok(RunFacts {
        id: run.id.0,
        protocol: Cow::Borrowed(&run.protocol),
        performers: run.performers.iter().map(|p| performer(run, p)).collect(),
        join_code: run.join_code.clone(),
        visit: run.visit.map(|(visit, _)| visit),
        group_visit: run.group_visit,
        clock_rate: rate.0 * rehearsal.as_ref().map_or(1.0, |r| r.rate),
        rehearsal_rate: rehearsal.map(|r| r.rate),
        created_at: run.created_at,
        closed: run.closed_at.is_some(),
    })
}

fn performer<'r>(run: &Run, performer: &'r runs::Performer) -> PerformerFacts<'r> {
    PerformerFacts {
        slot: performer.slot,
        tag: tag(run.id, run.group_visit, performer.person),
        person: performer.person.map(|id| id.0),
        name: Cow::Borrowed(performer.name.as_str()),
        setup: Cow::Borrowed(&performer.setup),
        result: performer.result.map(|r| r.0),
    }
}

/// What is kept of a rehearsal.
///
/// # Errors
/// Where it cannot be read.
pub fn rehearsal(run: &Run) -> ApiResult<Option<Rehearsal>> {
    Ok(runs::rehearsal(run)?)
}

/// How fast a run's clock passes: that of the server, times that of the rehearsal.
pub fn clock_rate(run: &Run, rate: ClockRate) -> f64 {
    rate.0 * rehearsal(run).ok().flatten().map_or(1.0, |r| r.rate)
}

/// A run as it stands in the database.
pub async fn view(scope: &mut Scope, run: Run, rate: ClockRate) -> ApiResult<RunView> {
    let events = runs::events(scope, run.id).await?;
    view_of(&run, &events, rate)
}

/// A run as its events make it.
///
/// # Errors
/// As [`facts`].
pub fn view_of(run: &Run, events: &[Event], rate: ClockRate) -> ApiResult<RunView> {
    with_report(run, events, facts(run, rate)?.view(events, Utc::now()))
}

/// Everybody's state after new events, and the run as it is then. `before`: the states before them; none where they are not known.
///
/// # Errors
/// As [`facts`].
pub fn view_after(run: &Run, events: &[Event], before: Vec<State>, added: &[Event], rate: ClockRate) -> ApiResult<(Vec<State>, RunView)> {
    let facts = facts(run, rate)?;
    let states = facts.states_after(events, before, added);
    let view = facts.view_of(events, &states, Utc::now());
    Ok((states, with_report(run, events, view)?))
}

/// A rehearsal that is over says how it went: only the server knows the simulated client.
fn with_report(run: &Run, events: &[Event], mut view: RunView) -> ApiResult<RunView> {
    if let (Some(shown), Some(kept), Some(first), true) =
        (&mut view.rehearsal, rehearsal(run)?, run.performers.first(), view.closed || view.state.is_closed())
    {
        shown.report = if run.protocol.schedule().is_some() {
            let states = facts(run, ClockRate(1.0))?.states(events);
            rehearse::recorded::report(&run.protocol, &first.setup, kept.client.seed, &states, events)
        } else {
            Some(rehearse::report(&run.protocol, &first.setup, &kept.client, &view.state, events))
        };
    }
    Ok(view)
}

/// Who somebody is to the phones of partners: the same in every test of a group visit, and no key to anything.
pub fn tag(run: RunId, group_visit: Option<Uuid>, person: Option<PersonId>) -> Uuid {
    let of = group_visit.unwrap_or(run.0);
    let digest = Sha256::new().chain_update(of.as_bytes()).chain_update(person.map(|p| p.0).unwrap_or_default().as_bytes()).finalize();
    Uuid::from_slice(&digest[..16]).unwrap_or_default()
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
    let states = facts(&run, ClockRate(1.0))?.states(&events);
    Ok(of.and_then(|k| states.into_iter().nth(k)).map(|state| state.notes).unwrap_or_default())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sample_run;
    use chrono::TimeDelta;
    use impulso_core::run::{Kind, Setup};

    fn squad(slots: u16) -> Run {
        let together = || Setup { together: true, ..Setup::default() };
        sample_run::run("shuttle-1200m", (0..slots).map(|slot| sample_run::performer(slot, together())).collect())
    }

    fn event(run: &Run, n: u32, slot: Option<u16>, kind: Kind) -> Event {
        let wall = run.created_at + TimeDelta::seconds(i64::from(n) * 60);
        Event { id: Uuid::from_u128(u128::from(n) + 10), device: Uuid::from_u128(2), seq: n, mono_ms: 0.0, wall, slot, kind }
    }

    #[test]
    fn only_those_it_happened_to_are_folded_anew_and_all_stand_as_if_everybody_were() {
        let run = squad(4);
        let mut events = vec![event(&run, 1, None, Kind::ClockStarted)];
        let facts = facts(&run, ClockRate(1.0)).unwrap();
        let mut known = facts.states(&events);
        for (n, slot, kind) in [
            (6, Some(0), Kind::Crossed),
            (7, Some(2), Kind::Crossed),
            (8, None, Kind::TimeKeyed),
            (9, Some(3), Kind::Named { time: Uuid::from_u128(18) }),
            (10, Some(2), Kind::Undone { event: Uuid::from_u128(17) }),
            (11, Some(1), Kind::Stopped),
        ] {
            let added = event(&run, n, slot, kind);
            events.push(added.clone());
            known = facts.states_after(&events, known, &[added]);
            assert_eq!(known, facts.states(&events), "after event {n}");
        }
        let board = facts.view_of(&events, &known, Utc::now()).board.unwrap();
        assert_eq!(board.tiles.iter().filter(|t| t.complete).count(), 2);
    }
}
