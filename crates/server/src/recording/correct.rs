//! A stored result is corrected, made void, restored or moved; what it was stays as a version, and what hangs on it follows.

use actix_web::http::StatusCode;
use impulso_core::{
    Code, InputError,
    done::Done,
    goal::{Goal, TOTAL},
    person::Facts,
    self_report, test_record, text,
    visit::VisitEvent,
};
use impulso_store::{
    CoachId, PersonId, ResultId, Scope,
    audit::{self, Action, Subject},
    goals, people,
    results::{self, Stored},
    retests, runs,
    versions::{self, Change, Replaced},
    visits::{self, Visit},
};
use serde::Deserialize;
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use super::{
    Typed, build,
    keep::{count_repeats, update_body},
    note_drug, scored,
};
use crate::{ApiError, ApiResult, dossier::Dossier, shelf::Shelf, visiting};

/// What is done to a result.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "change", rename_all = "snake_case")]
pub enum Correction {
    /// Readings, circumstances or the day are put right.
    Corrected(Box<Typed>),
    /// It counts no more.
    Voided,
    /// It counts again.
    Restored,
    /// A self-reported result is held against measured ones from now on, or no more.
    Compared { compared: bool },
    /// It is another client's.
    Moved {
        /// Whose it is.
        person: Uuid,
    },
}

/// A result is put right, made void, restored or given to another client. What it was stays as a version; what hangs on it follows.
/// `seen`: how many versions the screen knew of. The same correction twice is one.
///
/// # Errors
/// 409 where it was corrected on another screen meanwhile; what is missing or impossible, naming the field.
pub async fn correct(
    scope: &mut Scope,
    coach: CoachId,
    id: ResultId,
    correction: Uuid,
    seen: u32,
    reason: &str,
    what: Correction,
) -> ApiResult<()> {
    if versions::made(scope, correction).await?.is_some() {
        return Ok(());
    }
    let Some(reason) = text::note(reason, "reason")? else {
        return Err(InputError::new(Code::MissingInput, "reason", "Give a reason. It is saved with the result.").into());
    };
    // The visit first: whoever changes a visit and a result takes them in this order.
    let found = results::get(scope, id).await?;
    let mut people_of = vec![found.person];
    if let Correction::Moved { person } = &what {
        people_of.push(PersonId(*person));
    }
    let mut tied = Vec::new();
    for person in people_of {
        for (visit, place) in visits::of_result(scope, person, id).await? {
            tied.push((visits::lock(scope, visit).await?, place));
        }
    }
    let was = versions::lock(scope, id).await?;
    let known = versions::count(scope, id).await?;
    if known != seen || was.person != found.person {
        let message = "Someone changed this result on another screen. Open it again and check it first.";
        return Err(ApiError::new(StatusCode::CONFLICT, "corrected_elsewhere", message));
    }
    let shelf = Shelf::of(scope).await?;
    let of_run;
    let protocol = match was.run {
        Some(run) => {
            of_run = runs::get(scope, run).await?.protocol;
            &of_run
        }
        None => shelf.find(&was.protocol_id)?,
    };
    let refuse = |message: &str| Err::<(), ApiError>(InputError::new(Code::OutOfRange, "change", message).into());
    let (change, is) = match what {
        Correction::Corrected(typed) => {
            if was.voided {
                refuse("This result is void. Restore it before you correct it.")?;
            }
            if was.stopped.is_some() {
                refuse("A stopped test has no score to correct. Make it void, or enter the test from paper.")?;
            }
            let person = people::get(scope, was.person).await?;
            (
                Change::Corrected,
                build(scope, protocol, &person, id, *typed, Some(&was)).await.map_err(|e| e.in_units(person.profile.units))?,
            )
        }
        Correction::Voided => {
            if was.voided {
                refuse("This result is void already.")?;
            }
            (Change::Voided, Stored { done: Done { voided: true, ..was.done.clone() }, ..was.clone() })
        }
        Correction::Restored => {
            if !was.voided {
                refuse("This result counts already.")?;
            }
            (Change::Restored, Stored { done: Done { voided: false, ..was.done.clone() }, ..was.clone() })
        }
        Correction::Compared { compared } => {
            if !self_report::is_self_reported(&was.conditions) {
                refuse("This result was measured: it is compared already.")?;
            }
            let mut conditions = was.conditions.clone();
            self_report::mark(&mut conditions, compared);
            (Change::Corrected, Stored { done: Done { conditions, ..was.done.clone() }, ..was.clone() })
        }
        Correction::Moved { person } => {
            let to = people::get(scope, PersonId(person)).await?;
            if to.id == was.person {
                refuse("The result belongs to this client already.")?;
            }
            let recorded = to.facts_on(was.on)?;
            let facts = Facts { resting_hr: was.facts.resting_hr, hr_max: was.facts.hr_max, ..recorded };
            let mut conditions = was.conditions.clone();
            note_drug(scope, protocol, &to, was.on, &mut conditions).await?;
            // The run stays in the record of whom it was set up for.
            (Change::Moved, Stored { person: to.id, run: None, done: Done { facts, conditions, ..was.done.clone() } })
        }
    };
    if matches!(change, Change::Moved) && is.may_score() {
        // What the equations need and this client's record does not have is asked for, not passed over.
        test_record::compute(&is.record(protocol))?;
    }
    let is = Stored { done: scored(protocol, is.done.clone())?, ..is };
    put(scope, coach, Put { correction, known, was, is, change, reason: &reason, tied }).await
}

/// A result that takes the place of what it was.
pub(super) struct Put<'a> {
    /// Made by whoever asks, so that the same one twice is one.
    pub correction: Uuid,
    /// How many versions there are.
    pub known: u32,
    pub was: Stored,
    pub is: Stored,
    pub change: Change,
    pub reason: &'a str,
    /// The places of visits it stands in; locked.
    pub tied: Vec<(Visit, usize)>,
}

/// Stores a result in the place of what it was, which stays as a version; what hangs on it follows.
pub(super) async fn put(scope: &mut Scope, coach: CoachId, put: Put<'_>) -> ApiResult<()> {
    let Put { correction, known, was, is, change, reason, tied } = put;
    let before = results::of_protocol(scope, was.person, &was.protocol_id).await?;
    let others = if is.person == was.person { None } else { Some(results::of_protocol(scope, is.person, &is.protocol_id).await?) };
    versions::replace(scope, coach, &Replaced { id: correction, version: known + 1, is: &is, change, reason }).await?;
    count_repeats(scope, was.person, &was.protocol_id, before).await?;
    if let Some(others) = others {
        count_repeats(scope, is.person, &is.protocol_id, others).await?;
    }
    update_body(scope, &is).await?;
    follow(scope, &was, &is, tied).await?;
    let detail = json!({ "protocol": is.protocol_id, "reason": reason });
    audit::record(scope, coach, done(change), Subject::of("result", was.id, is.person), detail).await?;
    if is.person != was.person {
        let detail = json!({ "protocol": is.protocol_id, "reason": reason });
        audit::record(scope, coach, Action::ResultMovedAway, Subject::of("result", was.id, was.person), detail).await?;
    }
    Ok(())
}

const fn done(change: Change) -> Action {
    match change {
        Change::Corrected => Action::ResultCorrected,
        Change::Voided => Action::ResultVoided,
        Change::Restored => Action::ResultRestored,
        Change::Moved => Action::ResultMoved,
    }
}

/// Lets dates, visits and goals follow a correction.
async fn follow(scope: &mut Scope, was: &Stored, is: &Stored, tied: Vec<(Visit, usize)>) -> ApiResult<()> {
    let counted = !was.computed.is_empty();
    let counts_alike = counted != is.computed.is_empty() && was.on == is.on && was.person == is.person;
    if !counts_alike {
        let reopened = retests::reopen(scope, was.key()).await?;
        retests::fulfil_again(scope, is).await?;
        if reopened > 0 {
            // Another result may stand for the date that is open again.
            for other in results::of_protocol(scope, was.person, &was.protocol_id).await? {
                if other.id != is.id {
                    retests::fulfil_again(scope, &other).await?;
                }
            }
        }
    }
    for (visit, place) in &tied {
        let is_in = |r: &Stored| !r.voided && r.person == visit.person;
        let (place, result) = (*place, was.id);
        let events = match (is_in(was), is_in(is)) {
            (true, false) => VisitEvent::Withdrawn { place, result },
            (false, true) => VisitEvent::Returned { place, result },
            _ => continue,
        };
        visits::append(scope, visit.id, Uuid::now_v7(), &events).await?;
    }
    settle_goals(scope, was.person, &was.protocol_id).await?;
    if is.person != was.person {
        settle_goals(scope, is.person, &is.protocol_id).await?;
    }
    for (visit, _) in &tied {
        settle_total(scope, visit).await?;
    }
    Ok(())
}

/// The goals of a test, each reached on the first day on which it was, or not.
async fn settle_goals(scope: &mut Scope, person: PersonId, protocol: &str) -> ApiResult<()> {
    let history = results::of_protocol(scope, person, protocol).await?;
    for (id, goal) in goals::of_person(scope, person).await? {
        if goal.protocol != protocol || goal.quantity == TOTAL {
            continue;
        }
        let meets = |r: &&Stored| r.on >= goal.from_on && r.may_reach() && r.value(&goal.quantity).is_some_and(|v| goal.is_met_by(v));
        let reached_on = history.iter().find(meets).map(|r| r.on);
        if reached_on != goal.reached_on {
            goals::reached(scope, id, &Goal { reached_on, ..goal }).await?;
        }
    }
    Ok(())
}

/// The goals of a visit's total, after a result of it has changed.
async fn settle_total(scope: &mut Scope, visit: &Visit) -> ApiResult<()> {
    let mut of_total = goals::of_person(scope, visit.person).await?;
    of_total.retain(|(_, g)| g.protocol == visit.battery.id && g.quantity == TOTAL);
    if of_total.is_empty() || visit.closed_at.is_none() {
        return Ok(());
    }
    let of = Dossier::of(scope, visit.person).await?;
    let points = visiting::page(scope, &of, visit, None).await?.total.map(|t| t.points);
    for (id, goal) in of_total {
        let met = visit.on >= goal.from_on && points.is_some_and(|p| goal.is_met_by(p));
        let reached_on = match goal.reached_on {
            Some(on) if on == visit.on && !met => None,
            None if met => Some(visit.on),
            Some(on) if met && visit.on < on => Some(visit.on),
            as_it_was => as_it_was,
        };
        if reached_on != goal.reached_on {
            goals::reached(scope, id, &Goal { reached_on, ..goal }).await?;
        }
    }
    Ok(())
}
