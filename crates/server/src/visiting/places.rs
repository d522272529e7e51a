//! What a test of a visit starts from, and what its end means for the visit.

use actix_web::http::StatusCode;
use chrono::Utc;
use impulso_core::{
    Code, InputError,
    battery::Slot,
    visit::{self, Stand, VisitEvent},
};
use impulso_store::{
    ResultId, Scope, retests,
    runs::{Performer, Run},
    visits::{self, Visit},
};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::window;
use crate::{ApiError, ApiResult};

/// The place in a visit that a test fills.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
pub struct InVisit {
    pub visit: Uuid,
    /// The place in its battery, from 0.
    pub place: usize,
}

/// A try that began in the window may be written down after it.
const WINDOW_GRACE: chrono::TimeDelta = chrono::TimeDelta::minutes(5);

/// The visit and the place of a test that is to be done in it.
///
/// # Errors
/// [`Code::OutOfRange`] where the visit is over, is somebody else's, or has no such place.
pub async fn place_of(scope: &mut Scope, at: InVisit, person: impulso_store::PersonId, protocol: &str) -> ApiResult<(Visit, Slot)> {
    let visit = visits::get(scope, at.visit).await?;
    place_in(scope, visit, at, person, protocol).await
}

/// The same for a change of the visit: whoever comes next waits until it is made.
///
/// # Errors
/// As [`place_of`].
pub async fn lock_place(scope: &mut Scope, at: InVisit, person: impulso_store::PersonId, protocol: &str) -> ApiResult<(Visit, Slot)> {
    let visit = visits::lock(scope, at.visit).await?;
    place_in(scope, visit, at, person, protocol).await
}

/// The visit and the place of a test that was done, whether or not the visit still takes it; nothing where it is none of this person's.
pub async fn place_beside(
    scope: &mut Scope,
    at: InVisit,
    person: impulso_store::PersonId,
    protocol: &str,
) -> ApiResult<Option<(Visit, Slot)>> {
    let visit = visits::get(scope, at.visit).await?;
    let slot = visit.battery.tests.get(at.place).filter(|p| visit.person == person && p.protocol == protocol).cloned();
    Ok(slot.map(|slot| (visit, slot)))
}

/// A test is begun by one device: where another has begun it and is not done, that one is to be gone on with. In a window a test is
/// tried as often as one likes.
///
/// # Errors
/// 409 where the place has a run already.
pub async fn is_free(scope: &mut Scope, visit: &Visit, place: usize, run: Uuid) -> ApiResult<()> {
    let events = visits::events(scope, visit.id).await?;
    let state = visit::fold(&visit.battery, events.iter().map(|(h, _)| h));
    let begun = state.places.get(place).filter(|at| at.stand == Stand::Running).and_then(|at| at.run);
    match begun {
        Some(other) if other != run && visit.battery.window_min.is_none() => Err(ApiError::new(
            StatusCode::CONFLICT,
            "begun_elsewhere",
            "This test is running already: it was started on another screen. Go back to the visit and continue it there.",
        )),
        _ => Ok(()),
    }
}

async fn place_in(
    scope: &mut Scope,
    visit: Visit,
    at: InVisit,
    person: impulso_store::PersonId,
    protocol: &str,
) -> ApiResult<(Visit, Slot)> {
    let wrong = |message: &str| Err(InputError::new(Code::OutOfRange, "visit", message).into());
    if visit.person != person {
        return wrong("This visit belongs to another client.");
    }
    if visit.closed_at.is_some() {
        return wrong("This visit is over. Begin a new one.");
    }
    if visit.battery.window_min.is_some() {
        let events = visits::events(scope, visit.id).await?;
        if window(&visit, &events).and_then(|w| w.until).is_some_and(|until| Utc::now() > until + WINDOW_GRACE) {
            return wrong("Time is up. What was done in time counts; close the visit.");
        }
    }
    match visit.battery.tests.get(at.place).filter(|p| p.protocol == protocol).cloned() {
        Some(place) => Ok((visit, place)),
        None => wrong("This battery has another test at this place."),
    }
}

/// A run of a visit was closed: the performer's place is done, or the test is still to come.
pub async fn run_closed(scope: &mut Scope, run: &Run, performer: &Performer, result: Option<ResultId>) -> ApiResult<()> {
    let Some((visit, place)) = performer.visit.or(run.visit) else { return Ok(()) };
    let events = result.map_or(VisitEvent::Ended { place }, |r| VisitEvent::Done { place, result: r.0 });
    visits::append(scope, visit, Uuid::now_v7(), &events).await?;
    let visit = visits::get(scope, visit).await?;
    // Closed while this test was running: the date of the battery is kept now.
    if result.is_some() && visit.closed_at.is_some() {
        retests::fulfil(scope, visit.person, &visit.battery.id, None, visit.on).await?;
    }
    Ok(())
}
