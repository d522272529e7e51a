//! A forgotten password: a link for one use within an hour, made by the founder here or by whoever runs the machine.

use actix_web::{HttpResponse, get, post, web};
use chrono::{DateTime, TimeDelta, Utc};
use impulso_store::{
    CoachId, Store, access, accounts,
    audit::{self, Action, Subject},
    practices,
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use super::{link_token, practice::founder, second_factor::still_here};
use crate::{
    ApiError, ApiResult,
    auth::{Caller, SignedIn},
    body::Json,
    passwords::Passwords,
    rate_limit::RateLimits,
    session_store::Known,
    settings::limits,
};

/// A link that was made; told once.
#[derive(Serialize, ToSchema)]
pub struct PasswordLinkMade {
    /// Its path below the application's address.
    pub path: String,
    /// Until when it opens.
    pub until: DateTime<Utc>,
}

/// Whose password a link sets.
#[derive(Serialize, ToSchema)]
pub struct PasswordPage {
    /// The coach's name.
    pub name: String,
    /// Email address.
    pub email: String,
    /// The practice's name.
    pub practice: String,
}

#[derive(Deserialize, ToSchema)]
pub struct NewPassword {
    pub password: String,
}

/// Makes a link for a coach and ends every session of that coach. `by`: who made it, nobody on the machine itself.
///
/// # Errors
/// If the database does not answer.
pub async fn make(scope: &mut impulso_store::Scope, coach: CoachId, by: Option<CoachId>) -> impulso_store::Result<PasswordLinkMade> {
    let (token, kept) = link_token::made();
    let until = Utc::now() + TimeDelta::minutes(limits::PASSWORD_LINK_MIN);
    access::add_password_link(scope, coach, by, &kept, until).await?;
    accounts::end_sessions(scope, coach, None).await?;
    let where_ = json!({ "made_by": if by.is_some() { "the founder" } else { "whoever runs the machine" } });
    audit::record(scope, by.unwrap_or(coach), Action::PasswordLink, Subject::thing("coach", coach.0), where_).await?;
    Ok(PasswordLinkMade { path: format!("/password/{token}"), until })
}

/// Makes a link with which a coach sets a new password. May only the founder. Every session of that coach ends.
#[utoipa::path(tag = "practice", operation_id = "practice_password_link", responses((status = 200, body = PasswordLinkMade), (status = 403, body = ApiError), (status = 404, body = ApiError)))]
#[post("/practice/coaches/{id}/password-link")]
pub async fn add(who: SignedIn, id: web::Path<Uuid>, known: web::Data<Known>) -> ApiResult<web::Json<PasswordLinkMade>> {
    let mut scope = who.scope().await?;
    founder(&mut scope, who.coach, "make a link for a new password").await?;
    let of = still_here(&mut scope, CoachId(*id)).await?;
    let made = make(&mut scope, of, Some(who.coach)).await?;
    scope.commit().await?;
    known.forget();
    Ok(web::Json(made))
}

async fn opened(store: &Store, token: &str, rates: &RateLimits, caller: &Caller) -> ApiResult<access::PasswordLink> {
    rates.code.count(&caller.0)?;
    link_token::known(access::password_link(store, &link_token::hash(token)).await?, rates, caller)
}

/// Whose password it is.
#[utoipa::path(tag = "session", operation_id = "password_link_get", params(("token" = String, Path)), responses((status = 200, body = PasswordPage), (status = 404, body = ApiError), (status = 429, body = ApiError)))]
#[get("/password/{token}")]
pub async fn get(
    token: web::Path<String>,
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    caller: Caller,
) -> ApiResult<web::Json<PasswordPage>> {
    let link = opened(&store, &token, &rates, &caller).await?;
    let mut scope = store.scope(link.practice).await?;
    let coach = accounts::coach(&mut scope, link.coach).await?;
    let practice = practices::get(&mut scope).await?;
    Ok(web::Json(PasswordPage { name: coach.name, email: coach.email, practice: practice.name }))
}

/// Sets a new password, once. Every session of the coach ends; a second factor stays.
#[utoipa::path(tag = "session", operation_id = "password_link_use", params(("token" = String, Path)), responses((status = 204), (status = 404, body = ApiError), (status = 422, body = ApiError), (status = 429, body = ApiError)))]
#[post("/password/{token}")]
pub async fn set(
    token: web::Path<String>,
    form: Json<NewPassword>,
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    passwords: web::Data<Passwords>,
    known: web::Data<Known>,
    caller: Caller,
) -> ApiResult<HttpResponse> {
    let link = opened(&store, &token, &rates, &caller).await?;
    let hash = passwords.hash(form.into_inner().password).await?;
    let mut scope = store.scope(link.practice).await?;
    access::use_password_link(&mut scope, link.id).await?;
    accounts::set_password(&mut scope, link.coach, &hash).await?;
    accounts::end_sessions(&mut scope, link.coach, None).await?;
    audit::record(&mut scope, link.coach, Action::PasswordReset, Subject::thing("coach", link.coach.0), json!({})).await?;
    scope.commit().await?;
    known.forget();
    Ok(HttpResponse::NoContent().finish())
}
