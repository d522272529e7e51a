//! Consents of a client: asked once, changed on any day.

use actix_web::{get, post, web};
use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::consent::{self, Consent, ConsentKind, ConsentTyped};
use impulso_store::{
    PersonId, Scope,
    audit::{self, Action, Subject},
    consents, people, practices,
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
};

/// An answer as shown.
#[derive(Serialize, ToSchema)]
pub struct ConsentLine {
    #[serde(flatten)]
    pub consent: Consent,
    /// When it was recorded.
    pub at: DateTime<Utc>,
}

/// Consents of a client.
#[derive(Serialize, ToSchema)]
pub struct ConsentsPage {
    /// The client's name.
    pub name: String,
    /// True if a guardian answers today.
    pub minor: bool,
    /// True if the practice asks for it before a test or a photograph.
    pub required: bool,
    pub today: NaiveDate,
    /// Being tested and the record being kept: the answers, the latest first.
    pub testing: Vec<ConsentLine>,
    /// Photographs being taken and kept.
    pub photographs: Vec<ConsentLine>,
}

/// An answer to keep.
#[derive(Deserialize, ToSchema)]
pub struct ConsentForm {
    /// Made by the screen: the same again is the same.
    pub id: Uuid,
    pub kind: ConsentKind,
    #[serde(flatten)]
    pub typed: ConsentTyped,
}

/// Shows the consents of a client.
#[utoipa::path(tag = "people", operation_id = "consents_get", responses((status = 200, body = ConsentsPage), (status = 404, body = ApiError)))]
#[get("/people/{id}/consents")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<ConsentsPage>> {
    page(&mut who.scope().await?, PersonId(*id)).await
}

/// Keeps an answer; those before it stay.
#[utoipa::path(tag = "people", operation_id = "consents_keep", responses((status = 200, body = ConsentsPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/people/{id}/consents")]
pub async fn keep(who: SignedIn, id: web::Path<Uuid>, form: Json<ConsentForm>) -> ApiResult<web::Json<ConsentsPage>> {
    let ConsentForm { id: key, kind, typed } = form.into_inner();
    let mut scope = who.scope().await?;
    let person = people::get(&mut scope, PersonId(*id)).await?;
    let kept = typed.check(&person.profile.name, person.profile.born, auth::today(&mut scope).await?)?;
    if consents::add(&mut scope, who.coach, person.id, key, kind, &kept).await? {
        let action = if kept.agreed { Action::ConsentGiven } else { Action::ConsentWithheld };
        let detail = json!({ "kind": kind, "on": kept.on, "guardian": kept.guardian });
        audit::record(&mut scope, who.coach, action, Subject::person(person.id), detail).await?;
    }
    let shown = page(&mut scope, person.id).await?;
    scope.commit().await?;
    Ok(shown)
}

async fn page(scope: &mut Scope, id: PersonId) -> ApiResult<web::Json<ConsentsPage>> {
    let person = people::get(scope, id).await?;
    let today = auth::today(scope).await?;
    let line = |s: consents::Stored| ConsentLine { consent: s.consent, at: s.created_at };
    let testing = consents::of_person(scope, id, ConsentKind::Testing).await?.into_iter().map(line).collect();
    let photographs = consents::of_person(scope, id, ConsentKind::Photographs).await?.into_iter().map(line).collect();
    let required = practices::get(scope).await?.consent_required;
    let minor = consent::is_minor(person.profile.born, today);
    Ok(web::Json(ConsentsPage { name: person.profile.name, minor, required, today, testing, photographs }))
}

/// True if somebody lacks a consent that the practice asks for.
pub async fn lacks(scope: &mut Scope, person: PersonId, kind: ConsentKind) -> ApiResult<bool> {
    Ok(practices::get(scope).await?.consent_required && !consents::lacking(scope, &[person], kind).await?.is_empty())
}

/// Refuses what needs a consent that one of these people has not given, where the practice asks for it.
///
/// # Errors
/// 422 on `consent`, naming the first of them.
pub async fn require(scope: &mut Scope, people: &[PersonId], kind: ConsentKind) -> ApiResult<()> {
    if !practices::get(scope).await?.consent_required {
        return Ok(());
    }
    match consents::lacking(scope, people, kind).await?.first() {
        Some(name) => Err(consent::missing(kind, name).into()),
        None => Ok(()),
    }
}
