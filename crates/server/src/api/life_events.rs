//! Events in a client’s life (illness, break, new job): added and removed.

use actix_web::{HttpResponse, delete, post, web};
use chrono::NaiveDate;
use impulso_core::{
    Code, InputError,
    life_event::{LifeEvent, LifeEventKind},
    person, text,
};
use impulso_store::{
    PersonId,
    audit::{self, Action, Subject},
    life_events, people,
};
use serde::Deserialize;
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
};

/// An event to add.
#[derive(Deserialize, ToSchema)]
pub struct LifeEventForm {
    /// Made by the screen, so that a double click keeps one.
    pub id: Uuid,
    /// What kind of thing.
    pub kind: LifeEventKind,
    /// From when.
    pub from_on: NaiveDate,
    /// Until when, where it is over and lasted.
    pub until_on: Option<NaiveDate>,
    /// Anything worth adding; needed where the kind says nothing.
    #[serde(default)]
    pub words: String,
}

/// Adds an event to a client’s record.
#[utoipa::path(tag = "people", operation_id = "life_events_add", responses((status = 204), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/people/{id}/events")]
pub async fn add(who: SignedIn, id: web::Path<Uuid>, form: Json<LifeEventForm>) -> ApiResult<HttpResponse> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    let person = people::get(&mut scope, PersonId(*id)).await?.id;
    let from_on = person::day(form.from_on, "from_on")?;
    let until_on = form.until_on.map(|d| person::day(d, "until_on")).transpose()?;
    if from_on > auth::today(&mut scope).await? {
        return Err(InputError::new(Code::OutOfRange, "from_on", "That day is in the future. Type the day it began.").into());
    }
    if until_on.is_some_and(|until| until < from_on) {
        return Err(InputError::new(Code::OutOfRange, "until_on", "It ends before it begins. Check the two days.").into());
    }
    let words = text::note(&form.words, "words")?;
    if words.is_none() && form.kind == LifeEventKind::Other {
        return Err(InputError::new(Code::MissingInput, "words", "Say in a few words what it was.").into());
    }
    life_events::add(&mut scope, person, form.id, &LifeEvent { kind: form.kind, from_on, until_on, words }).await?;
    let subject = Subject::of("happening", form.id, person);
    audit::record(&mut scope, who.coach, Action::HappeningNoted, subject, json!({ "kind": form.kind })).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Takes a note away.
#[utoipa::path(tag = "people", operation_id = "life_events_remove", responses((status = 204), (status = 404, body = ApiError)))]
#[delete("/life-events/{id}")]
pub async fn remove(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    let person = life_events::remove(&mut scope, *id).await?;
    audit::record(&mut scope, who.coach, Action::HappeningRemoved, Subject::of("happening", *id, person), json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}
