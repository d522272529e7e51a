//! Events come in: checked, stored once, folded, and the run closed where they finish it.

use std::collections::HashMap;

use chrono::Utc;
use impulso_core::run::{Event, Kind, State, check_event, fold, fold_slot};
use impulso_formats::heart_rate;
use impulso_store::{
    CoachId, RunId, Scope,
    runs::{self, Appended, Run},
};
use uuid::Uuid;

use crate::{ApiError, ApiResult, scoring};

/// Takes events in on behalf of a coach, or of a partner who has no account.
///
/// # Errors
/// What [`check_event`] refuses, and a gap in a screen's sequence; nothing is stored then.
pub async fn take_in(scope: &mut Scope, coach: Option<CoachId>, run: RunId, mut events: Vec<Event>) -> ApiResult<(Appended, Run)> {
    let run = runs::lock(scope, run).await?;
    events.iter_mut().for_each(hear);
    let mut known = runs::events(scope, run.id).await?;
    if run.closed_at.is_none() {
        check(&run, &mut known, &events)?;
    }
    let done = runs::append(scope, coach, &run, &events).await?;
    if run.closed_at.is_none() && events.iter().any(|e| e.kind == Kind::Finished || matches!(e.kind, Kind::Undone { .. })) {
        let events = runs::events(scope, run.id).await?;
        close(scope, coach, &run, &events).await?;
    }
    let run = runs::get(scope, run.id).await?;
    Ok((done, run))
}

/// A strap's bytes become what they say; malformed ones stay, with the reason.
fn hear(event: &mut Event) {
    if let Kind::StrapHeard { bytes, heard } = &mut event.kind {
        *heard =
            Some(heart_rate::parse_hex(bytes).unwrap_or_else(|why| impulso_core::strap::Heard {
                rejected: Some(why.to_string()),
                ..impulso_core::strap::Heard::default()
            }));
    }
}

/// Holds each new event to the state it arrives in.
fn check(run: &Run, known: &mut Vec<Event>, events: &[Event]) -> ApiResult<()> {
    let mut last: HashMap<Uuid, u32> = HashMap::new();
    for event in known.iter() {
        let seq = last.entry(event.device).or_default();
        *seq = event.seq.max(*seq);
    }
    let mut state: Option<State> = None;
    for event in events {
        let seq = last.entry(event.device).or_default();
        if event.seq <= *seq {
            continue;
        }
        if event.seq > *seq + 1 {
            // Out of its turn: it is not judged by a state that lacks what came before it. Appending names the gap.
            return Ok(());
        }
        *seq = event.seq;
        if let Some(slot) = event.slot
            && !run.performers.iter().any(|p| p.slot == slot)
        {
            return Err(ApiError::not_found());
        }
        let slot = event.slot.unwrap_or(0);
        // Taps and a strap's seconds come many at a time and depend on nothing.
        let depends = !matches!(event.kind, Kind::Tap | Kind::StrapHeard { .. } | Kind::Tallied | Kind::ClockStarted);
        if depends || state.is_none() {
            state = performer_state(run, known, slot);
        }
        if let Some(state) = &state {
            check_event(&run.protocol, state, event)?;
        }
        known.push(event.clone());
    }
    Ok(())
}

/// The state of one performer.
pub fn performer_state(run: &Run, events: &[Event], slot: u16) -> Option<State> {
    let performer = run.performers.iter().find(|p| p.slot == slot)?;
    Some(if run.performers.len() == 1 {
        fold(&run.protocol, &performer.setup, events)
    } else {
        fold_slot(&run.protocol, &performer.setup, events, slot)
    })
}

/// Closes the run where the events finish it, with a result for everyone who has one.
async fn close(scope: &mut Scope, coach: Option<CoachId>, run: &Run, events: &[Event]) -> ApiResult<()> {
    let states: Vec<State> = run.performers.iter().filter_map(|p| performer_state(run, events, p.slot)).collect();
    let Some(finished_at) = states.iter().filter(|s| s.is_closed()).filter_map(|s| s.finished_at).min() else { return Ok(()) };
    for (performer, state) in run.performers.iter().zip(&states) {
        // Left before the clock was started, or a rehearsal: nothing was tested, so there is no result.
        let is_real = run.rehearsal.is_none() && state.is_closed() && state.started_at.is_some();
        if let (true, Some(coach), Some(person)) = (is_real, coach, performer.person) {
            scoring::close(scope, coach, run, person, &performer.setup, state).await?;
        }
    }
    runs::close(scope, run.id, finished_at.min(Utc::now())).await?;
    Ok(())
}
