//! A run that was closed is read again: another device was without a network, and what it had taken before the end arrives after it.

use impulso_core::{
    done::Done,
    run::{State, Status},
};
use impulso_store::{
    CoachId, Scope,
    results::{self, Stored},
    runs::{Performer, Run},
    versions::{self, Change},
    visits,
};
use uuid::Uuid;

use super::{
    close,
    correct::{Put, put},
    of_run,
};
use crate::{ApiResult, visiting};

/// What stands with a result that became another one.
const REASON: &str = "Entries of another device, made before the test ended, arrived after it.";

/// Makes the results of a closed run what they would have been, had everything arrived in time. A result that a coach has corrected since
/// stands. Gives the names of those whose result became another.
pub async fn reread(scope: &mut Scope, coach: CoachId, run: &Run, states: &[State]) -> ApiResult<Vec<String>> {
    let mut each: Vec<_> = run.performers.iter().zip(states).collect();
    // In one order whoever reads, so that two stations of a group never wait for each other.
    each.sort_by_key(|(performer, _)| performer.person.map(|p| p.0));
    let mut changed = Vec::new();
    for (performer, state) in each {
        if is_changed(scope, coach, run, performer, state).await? {
            changed.push(performer.name.clone());
        }
    }
    Ok(changed)
}

async fn is_changed(scope: &mut Scope, coach: CoachId, run: &Run, performer: &Performer, state: &State) -> ApiResult<bool> {
    let Some(person) = performer.person.filter(|_| run.rehearsal.is_none()) else { return Ok(false) };
    let is_kept = state.is_closed() && state.status != Status::Discarded && state.started_at.is_some();
    let Some(id) = performer.result else {
        if !is_kept {
            return Ok(false);
        }
        let result = close(scope, coach, run, person, &performer.setup, state).await?;
        visiting::run_closed(scope, run, performer, (state.status == Status::Finished).then_some(result)).await?;
        return Ok(true);
    };
    let mut tied = Vec::new();
    for (visit, place) in visits::of_result(scope, person, id).await? {
        tied.push((visits::lock(scope, visit).await?, place));
    }
    let was = versions::lock(scope, id).await?;
    let known = versions::count(scope, id).await?;
    if known > 0 || was.voided {
        return Ok(false);
    }
    let is = if is_kept {
        of_run(scope, run, person, &performer.setup, state, id).await?
    } else {
        Stored { done: Done { voided: true, ..was.done.clone() }, ..results::get(scope, id).await? }
    };
    if alike(&was.done, &is.done) {
        return Ok(false);
    }
    let change = if is.voided { Change::Voided } else { Change::Corrected };
    // A remark or a delay that came to light is stored; what it scores is what is told.
    let scores_else = was.computed != is.computed || was.stopped != is.stopped || was.voided != is.voided;
    put(scope, coach, Put { correction: Uuid::now_v7(), known, was, is, change, reason: REASON, tied }).await?;
    Ok(scores_else)
}

/// Whether two readings of one test say the same.
fn alike(was: &Done, is: &Done) -> bool {
    was.voided == is.voided
        && was.inputs == is.inputs
        && was.conditions == is.conditions
        && was.stopped == is.stopped
        && was.remarks == is.remarks
        && was.taken_at == is.taken_at
}
