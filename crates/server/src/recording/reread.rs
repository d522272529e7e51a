//! A run that was closed is read again: another device was without a network, and what it had taken before the end arrives after it.

use impulso_core::{done::Done, run::State};
use impulso_store::{
    CoachId, Scope,
    results::Stored,
    runs::{Performer, Run},
    versions::{self, Change},
    visits,
};
use uuid::Uuid;

use super::{
    close,
    correct::{Put, put},
    each_in_order, is_kept, of_run,
};
use crate::ApiResult;

/// What stands with a result that became another one.
const REASON: &str = "Entries of another device, made before the test ended, arrived after it.";

/// Makes the results of a closed run what they would have been, had everything arrived in time. A result that a coach has corrected since
/// stands. Gives the names of those whose result became another.
pub async fn reread(scope: &mut Scope, coach: CoachId, run: &Run, states: &[State]) -> ApiResult<Vec<String>> {
    let mut changed = Vec::new();
    for (performer, state) in each_in_order(run, states) {
        if is_changed(scope, coach, run, performer, state).await? {
            changed.push(performer.name.clone());
        }
    }
    Ok(changed)
}

async fn is_changed(scope: &mut Scope, coach: CoachId, run: &Run, performer: &Performer, state: &State) -> ApiResult<bool> {
    let Some(person) = performer.person.filter(|_| run.rehearsal.is_none()) else { return Ok(false) };
    let is_kept = is_kept(run, state);
    let Some(id) = performer.result else {
        if is_kept {
            close(scope, coach, run, performer, state).await?;
        }
        return Ok(is_kept);
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
        Stored { done: Done { voided: true, ..was.done.clone() }, ..was.clone() }
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
