//! Results that are typed: a test that was done on paper, and the correction of a result.

use actix_web::{post, web};
use impulso_core::{Code, InputError, consent::ConsentKind, visit::VisitEvent};
use impulso_store::{Error as StoreError, PersonId, ResultId, people, results, visits};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::consents;
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
    recording::{self, Correction, Typed},
    shelf::Shelf,
    visiting::{self, InVisit},
};

/// A test that was done on paper.
#[derive(Deserialize, ToSchema)]
pub struct EntryForm {
    /// Made by the screen, so that a double click keeps one result.
    pub id: Uuid,
    /// The protocol's id.
    pub protocol: String,
    /// The day, the readings, the circumstances.
    #[serde(flatten)]
    pub typed: Typed,
    /// The place in a visit that it fills.
    #[serde(default)]
    pub visit: Option<InVisit>,
}

/// A result that was kept.
#[derive(Serialize, ToSchema)]
pub struct Kept {
    pub result: Uuid,
}

/// Keeps a test that was done on paper.
#[utoipa::path(tag = "results", operation_id = "results_enter", responses((status = 200, body = Kept), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/people/{id}/results")]
pub async fn enter(who: SignedIn, id: web::Path<Uuid>, form: Json<EntryForm>) -> ApiResult<web::Json<Kept>> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    let known = match results::get(&mut scope, ResultId(form.id)).await {
        Err(StoreError::NotFound) => None,
        known => Some(known?),
    };
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&form.protocol)?;
    let person = people::get(&mut scope, PersonId(*id)).await?;
    let mut typed = form.typed;
    if let Some(known) = known {
        let again = recording::build(&mut scope, protocol, &person, ResultId(form.id), typed, None).await;
        // If it can no longer be built because something else has changed, the stored result counts as the same.
        let differs = again.is_ok_and(|again| again.done.inputs != known.done.inputs);
        if known.person != person.id || known.done.protocol_id != protocol.id || differs {
            return Err(ApiError::saved_already());
        }
        return Ok(web::Json(Kept { result: form.id }));
    }
    consents::require(&mut scope, &[person.id], ConsentKind::Testing).await?;
    if let Some(at) = form.visit {
        let (visit, _) = visiting::lock_place(&mut scope, at, person.id, &protocol.id).await?;
        if typed.on != visit.on {
            let message = format!("This visit is dated {}. Enter tests from other days separately.", visit.on.format("%-d %B %Y"));
            return Err(InputError::new(Code::OutOfRange, "on", message).into());
        }
        if visit.on != auth::today(&mut scope).await? && typed.at.is_none() {
            let zone = auth::zone(&mut scope).await?;
            typed.at = Some(visit.created_at.with_timezone(&zone).format("%H:%M").to_string());
        }
    }
    let result = recording::build(&mut scope, protocol, &person, ResultId(form.id), typed, None)
        .await
        .map_err(|e| e.in_units(person.profile.units))?;
    recording::keep(&mut scope, who.coach, &result).await?;
    if let Some(at) = form.visit {
        visits::append(&mut scope, at.visit, form.id, &VisitEvent::Done { place: at.place, result: form.id }).await?;
    }
    scope.commit().await?;
    Ok(web::Json(Kept { result: form.id }))
}

/// What is done to a result, and why.
#[derive(Deserialize, ToSchema)]
pub struct CorrectionForm {
    /// Made by the screen: the same correction twice is one.
    pub id: Uuid,
    /// How many versions the screen knew of beside the newest.
    pub seen: u32,
    /// Why; it stays with the result.
    pub reason: String,
    /// What is done.
    #[serde(flatten)]
    pub correction: Correction,
}

/// Puts a result right, makes it void, restores it or gives it to another client. What it was stays as a version.
#[utoipa::path(tag = "results", operation_id = "results_correct", responses((status = 200, body = Kept), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/results/{id}/corrections")]
pub async fn correct(who: SignedIn, id: web::Path<Uuid>, form: Json<CorrectionForm>) -> ApiResult<web::Json<Kept>> {
    let CorrectionForm { id: correction, seen, reason, correction: what } = form.into_inner();
    let mut scope = who.scope().await?;
    recording::correct(&mut scope, who.coach, ResultId(*id), correction, seen, &reason, what).await?;
    scope.commit().await?;
    Ok(web::Json(Kept { result: *id }))
}
