//! Events come in: checked, stored once, folded, the run closed where they finish it, and every screen on it told.

use chrono::Utc;
use impulso_core::run::{Event, Kind, State, check, fold, fold_slot};
use impulso_formats::heart_rate;
use impulso_store::{
    CoachId, RunId, Scope,
    runs::{self, Log, Run},
};

use crate::{
    ApiError, ApiResult,
    api::runs::{Appended, view_of},
    live::Hub,
    recall::{Recall, Remembered},
    scoring,
    serve::ClockRate,
};

/// What taking events in needs beside the database.
#[derive(Debug, Clone)]
pub struct Intake {
    /// Who watches.
    pub hub: Hub,
    /// What this process knows of open runs.
    pub recall: Recall,
    /// How fast a run's clock passes.
    pub rate: ClockRate,
}

impl Intake {
    /// Takes events in on behalf of a coach, or of a partner who has no account, in one transaction, and shows the run as it
    /// is then to everyone who watches it.
    ///
    /// # Errors
    /// What [`check::check_event`] refuses, and a gap in a screen's sequence; nothing is stored then.
    pub async fn take_in(&self, mut scope: Scope, coach: Option<CoachId>, id: RunId, mut events: Vec<Event>) -> ApiResult<Appended> {
        events.iter_mut().for_each(hear);
        let practice = scope.practice();
        let Remembered { mut run, mut log, .. } = match self.recall.take(practice, id) {
            Some(remembered) => remembered,
            None => Remembered { practice, run: runs::get(&mut scope, id).await?, log: Log::default() },
        };
        let closed_at = runs::take(&mut scope, id, &mut log).await?;
        if closed_at.is_none() {
            judge(&run, &log, &events)?;
        }
        let done = runs::append(&mut scope, coach, id, closed_at.is_some(), &mut log, &events).await?;
        let may_close = |e: &Event| matches!(e.kind, Kind::Finished | Kind::Undone { .. });
        // A partner's entry closes nothing: the result is the coach's to keep.
        if let (None, Some(coach)) = (closed_at, coach)
            && events.iter().any(may_close)
        {
            close(&mut scope, coach, &run, log.events()).await?;
            run = runs::get(&mut scope, id).await?;
        } else if closed_at.is_some() {
            run = runs::get(&mut scope, id).await?;
        }
        let view = view_of(&run, log.events(), self.rate)?;
        scope.commit().await?;
        self.hub.publish(&view);
        self.recall.put(Remembered { practice, run, log });
        Ok(Appended { stored: done.stored, known: done.known, late: done.late, view })
    }
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
fn judge(run: &Run, log: &Log, events: &[Event]) -> ApiResult<()> {
    let mut known: Vec<&Event> = Vec::new();
    for event in events {
        let sent_before = known.iter().filter(|e| e.device == event.device).map(|e| e.seq).max();
        let last = sent_before.unwrap_or_else(|| log.last_seq(event.device));
        if event.seq <= last {
            continue;
        }
        if event.seq > last + 1 {
            // Out of its turn: it is not judged by a state that lacks what came before it. Appending names the gap.
            return Ok(());
        }
        if event.slot.is_some_and(|slot| !run.performers.iter().any(|p| p.slot == slot)) {
            return Err(ApiError::not_found());
        }
        check::check_alone(event)?;
        if check::depends_on_state(&event.kind) {
            let so_far = log.events().iter().chain(known.iter().copied());
            if let Some(state) = performer_state(run, so_far, event.slot.unwrap_or(0)) {
                check::check_event(&run.protocol, &state, event)?;
            }
        }
        known.push(event);
    }
    Ok(())
}

/// The state of one performer.
pub fn performer_state<'e>(run: &Run, events: impl IntoIterator<Item = &'e Event>, slot: u16) -> Option<State> {
    let performer = run.performers.iter().find(|p| p.slot == slot)?;
    Some(if run.performers.len() == 1 {
        fold(&run.protocol, &performer.setup, events)
    } else {
        fold_slot(&run.protocol, &performer.setup, events, slot)
    })
}

/// Closes the run where the events finish it, with a result for everyone who has one.
async fn close(scope: &mut Scope, coach: CoachId, run: &Run, events: &[Event]) -> ApiResult<()> {
    let states: Vec<State> = run.performers.iter().filter_map(|p| performer_state(run, events, p.slot)).collect();
    let Some(finished_at) = states.iter().filter(|s| s.is_closed()).filter_map(|s| s.finished_at).min() else { return Ok(()) };
    for (performer, state) in run.performers.iter().zip(&states) {
        // Left before the clock was started, or a rehearsal: nothing was tested, so there is no result.
        let is_real = run.rehearsal.is_none() && state.is_closed() && state.started_at.is_some();
        if let (true, Some(person)) = (is_real, performer.person) {
            scoring::close(scope, coach, run, person, &performer.setup, state).await?;
        }
    }
    runs::close(scope, run.id, finished_at.min(Utc::now())).await?;
    Ok(())
}
