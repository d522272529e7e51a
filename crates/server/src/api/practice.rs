//! The practice: its name, its clock, its coaches.

use actix_web::{get, post, put, web};
use chrono::{DateTime, Utc};
use impulso_core::text;
use impulso_store::{
    Scope,
    accounts::{self, NewCoach},
    audit, practices,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::session::{email, time_zone};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
};

/// The practice's page.
#[derive(Serialize, ToSchema)]
pub struct PracticePage {
    /// Its name.
    pub name: String,
    /// IANA time zone.
    pub time_zone: String,
    /// Its coaches.
    pub coaches: Vec<CoachLine>,
    /// The latest entries of the audit.
    pub audit: Vec<AuditLine>,
}

/// A coach.
#[derive(Serialize, ToSchema)]
pub struct CoachLine {
    /// Name.
    pub name: String,
    /// Email address.
    pub email: String,
}

/// Who did what.
#[derive(Serialize, ToSchema)]
pub struct AuditLine {
    /// When.
    pub at: DateTime<Utc>,
    /// Who.
    pub coach: Option<String>,
    /// What.
    pub action: String,
}

/// Name and clock.
#[derive(Deserialize, ToSchema)]
pub struct PracticeChange {
    /// Its name.
    pub name: String,
    /// IANA time zone.
    pub time_zone: String,
}

/// A coach to add.
#[derive(Deserialize, ToSchema)]
pub struct CoachForm {
    /// Name.
    pub name: String,
    /// Email address.
    pub email: String,
    /// A first password.
    pub password: String,
}

/// The practice.
#[utoipa::path(tag = "practice", operation_id = "practice_get", responses((status = 200, body = PracticePage), (status = 401, body = ApiError)))]
#[get("/practice")]
pub async fn get(who: SignedIn) -> ApiResult<web::Json<PracticePage>> {
    page(&mut who.scope().await?).await
}

/// Renames it or moves its clock.
#[utoipa::path(tag = "practice", operation_id = "practice_update", responses((status = 200, body = PracticePage), (status = 422, body = ApiError)))]
#[put("/practice")]
pub async fn update(who: SignedIn, form: web::Json<PracticeChange>) -> ApiResult<web::Json<PracticePage>> {
    let practice = practices::Practice { name: text::name(&form.name, "name")?, time_zone: time_zone(&form.time_zone)? };
    let mut scope = who.scope().await?;
    practices::update(&mut scope, &practice).await?;
    audit::record(
        &mut scope,
        who.coach,
        "practice.changed",
        ("practice", who.practice.0),
        serde_json::json!({ "time_zone": practice.time_zone }),
    )
    .await?;
    let shown = page(&mut scope).await?;
    scope.commit().await?;
    Ok(shown)
}

/// Adds a coach.
#[utoipa::path(tag = "practice", operation_id = "practice_add_coach", responses((status = 200, body = PracticePage), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/practice/coaches")]
pub async fn add_coach(who: SignedIn, form: web::Json<CoachForm>) -> ApiResult<web::Json<PracticePage>> {
    let form = form.into_inner();
    let new = NewCoach {
        name: text::name(&form.name, "name")?,
        email: email(&form.email)?,
        password_hash: auth::hash_password(form.password).await?,
    };
    let mut scope = who.scope().await?;
    let id = accounts::add_coach(&mut scope, &new).await?;
    audit::record(&mut scope, who.coach, "coach.added", ("coach", id.0), serde_json::json!({})).await?;
    let shown = page(&mut scope).await?;
    scope.commit().await?;
    Ok(shown)
}

async fn page(scope: &mut Scope) -> ApiResult<web::Json<PracticePage>> {
    let practice = practices::get(scope).await?;
    let coaches = accounts::coaches(scope).await?.into_iter().map(|c| CoachLine { name: c.name, email: c.email }).collect();
    let audit = audit::latest(scope, 12).await?.into_iter().map(|e| AuditLine { at: e.at, coach: e.coach, action: e.action }).collect();
    Ok(web::Json(PracticePage { name: practice.name, time_zone: practice.time_zone, coaches, audit }))
}
