//! Setting up a second factor, and doing without the phone.

use actix_session::Session;
use actix_web::{HttpResponse, delete, get, post, put, web};
use chrono::Utc;
use impulso_core::{Code, InputError};
use impulso_store::{
    CoachId, Scope, Store,
    access::{self, SecondFactor},
    accounts,
    audit::{self, Action, Subject},
    practices,
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use super::practice::founder;
use crate::{
    ApiError, ApiResult,
    auth::{self, Entering, SignedIn},
    body::Json,
    passwords::Passwords,
    rate_limit::RateLimits,
    second_factor::{self, SecondFactorSetUp},
    session_store::Known,
};

/// True if a coach has a second factor.
#[derive(Serialize, ToSchema)]
pub struct SecondFactorPage {
    pub on: bool,
    /// True if the practice asks for one.
    pub required: bool,
    /// Recovery codes that were not used yet.
    pub recovery_left: usize,
}

/// Codes for whoever lost the phone, shown once.
#[derive(Serialize, ToSchema)]
pub struct RecoveryCodes {
    pub codes: Vec<String>,
}

/// The coach's own password, asked once more.
#[derive(Deserialize, ToSchema)]
pub struct OwnPassword {
    pub password: String,
}

/// A code of the phone.
#[derive(Deserialize, ToSchema)]
pub struct OwnCode {
    pub code: String,
}

/// The time by which codes are worked out, s since 1970.
pub fn now_s() -> u64 {
    Utc::now().timestamp().unsigned_abs()
}

fn wrong_code() -> InputError {
    InputError::new(Code::NotApplicable, "code", "This code is not right, or was used already. Wait for the next one and type it.")
}

fn coach(id: CoachId) -> Subject {
    Subject::thing("coach", id.0)
}

/// Holds a password that was typed once more to the coach's own.
///
/// # Errors
/// 422 on `password`, 429 after too many tries.
pub async fn confirmed(who: &SignedIn, store: &Store, rates: &RateLimits, passwords: &Passwords, password: String) -> ApiResult<()> {
    rates.device.count(&who.coach.to_string())?;
    let me = accounts::coach(&mut who.scope().await?, who.coach).await?;
    let stored = accounts::credentials(store, &me.email).await?;
    match passwords.verify(password, stored).await? {
        Some(_) => Ok(()),
        None => Err(InputError::new(Code::NotApplicable, "password", "This is not your present password. Type it again.").into()),
    }
}

/// True if whoever is signed in has a second factor.
#[utoipa::path(tag = "session", operation_id = "second_factor_get", responses((status = 200, body = SecondFactorPage), (status = 401, body = ApiError)))]
#[get("/session/second-factor")]
pub async fn get(Entering(who): Entering) -> ApiResult<web::Json<SecondFactorPage>> {
    let mut scope = who.scope().await?;
    let factor = access::second_factor(&mut scope, who.coach).await?;
    let required = practices::get(&mut scope).await?.second_factor_required;
    Ok(web::Json(SecondFactorPage { on: factor.secret.is_some(), required, recovery_left: factor.recovery.len() }))
}

/// A new secret for a phone; it counts once a code of it was typed.
#[utoipa::path(tag = "session", operation_id = "second_factor_begin", responses((status = 200, body = SecondFactorSetUp), (status = 401, body = ApiError), (status = 422, body = ApiError), (status = 429, body = ApiError)))]
#[post("/session/second-factor")]
pub async fn begin(
    Entering(who): Entering,
    form: Json<OwnPassword>,
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    passwords: web::Data<Passwords>,
) -> ApiResult<web::Json<SecondFactorSetUp>> {
    confirmed(&who, &store, &rates, &passwords, form.into_inner().password).await?;
    let mut scope = who.scope().await?;
    let factor = access::second_factor(&mut scope, who.coach).await?;
    let secret = second_factor::secret();
    access::keep_second_factor(&mut scope, who.coach, &SecondFactor { pending: Some(secret.clone()), ..factor }).await?;
    let (me, practice) = (accounts::coach(&mut scope, who.coach).await?, practices::get(&mut scope).await?);
    scope.commit().await?;
    Ok(web::Json(second_factor::set_up(&secret, &me.email, &practice.name)))
}

/// Turns the second factor on by a first code of the phone. Every other session of this coach ends.
#[utoipa::path(tag = "session", operation_id = "second_factor_confirm", responses((status = 200, body = RecoveryCodes), (status = 401, body = ApiError), (status = 422, body = ApiError), (status = 429, body = ApiError)))]
#[put("/session/second-factor")]
pub async fn confirm(
    Entering(who): Entering,
    form: Json<OwnCode>,
    session: Session,
    rates: web::Data<RateLimits>,
    known: web::Data<Known>,
) -> ApiResult<web::Json<RecoveryCodes>> {
    rates.second_factor.count(&who.coach.to_string())?;
    let mut scope = who.scope().await?;
    let factor = access::second_factor(&mut scope, who.coach).await?;
    let Some(secret) = factor.pending else {
        return Err(InputError::new(Code::NotApplicable, "code", "Begin with the code to scan, then type what the phone shows.").into());
    };
    let step = second_factor::step_of(&secret, &form.code, 0, now_s()).ok_or_else(wrong_code)?;
    let (codes, recovery) = second_factor::recovery();
    access::keep_second_factor(&mut scope, who.coach, &SecondFactor { pending: None, secret: Some(secret), step, recovery }).await?;
    accounts::end_sessions(&mut scope, who.coach, who.sid).await?;
    audit::record(&mut scope, who.coach, Action::SecondFactorOn, coach(who.coach), json!({})).await?;
    scope.commit().await?;
    auth::is_whole(&session);
    known.forget();
    Ok(web::Json(RecoveryCodes { codes }))
}

/// Turns the second factor off, where the practice does not ask for one.
#[utoipa::path(tag = "session", operation_id = "second_factor_off", responses((status = 204), (status = 401, body = ApiError), (status = 422, body = ApiError), (status = 429, body = ApiError)))]
#[post("/session/second-factor/off")]
pub async fn off(
    who: SignedIn,
    form: Json<OwnPassword>,
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    passwords: web::Data<Passwords>,
) -> ApiResult<HttpResponse> {
    confirmed(&who, &store, &rates, &passwords, form.into_inner().password).await?;
    let mut scope = who.scope().await?;
    if practices::get(&mut scope).await?.second_factor_required {
        return Err(InputError::new(Code::NotApplicable, "password", "This practice asks every coach for a second factor.").into());
    }
    access::keep_second_factor(&mut scope, who.coach, &SecondFactor::default()).await?;
    audit::record(&mut scope, who.coach, Action::SecondFactorOff, coach(who.coach), json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}

/// New recovery codes; those made before are worth nothing.
#[utoipa::path(tag = "session", operation_id = "second_factor_recovery", responses((status = 200, body = RecoveryCodes), (status = 401, body = ApiError), (status = 422, body = ApiError), (status = 429, body = ApiError)))]
#[post("/session/second-factor/recovery")]
pub async fn renew_recovery(who: SignedIn, form: Json<OwnCode>, rates: web::Data<RateLimits>) -> ApiResult<web::Json<RecoveryCodes>> {
    rates.second_factor.count(&who.coach.to_string())?;
    let mut scope = who.scope().await?;
    let mut factor = access::second_factor(&mut scope, who.coach).await?;
    if !second_factor::use_code(&mut factor, &form.code, now_s()) {
        return Err(wrong_code().into());
    }
    let (codes, kept) = second_factor::recovery();
    access::keep_second_factor(&mut scope, who.coach, &SecondFactor { recovery: kept, ..factor }).await?;
    audit::record(&mut scope, who.coach, Action::RecoveryCodes, coach(who.coach), json!({})).await?;
    scope.commit().await?;
    Ok(web::Json(RecoveryCodes { codes }))
}

/// Takes a coach's second factor off: of one who lost the phone and the codes. May only the founder. Every session of that coach ends.
#[utoipa::path(tag = "practice", operation_id = "practice_take_off_second_factor", responses((status = 204), (status = 403, body = ApiError), (status = 404, body = ApiError)))]
#[delete("/practice/coaches/{id}/second-factor")]
pub async fn take_off(who: SignedIn, id: web::Path<Uuid>, known: web::Data<Known>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    founder(&mut scope, who.coach, "take a second factor off").await?;
    let of = still_here(&mut scope, CoachId(*id)).await?;
    access::keep_second_factor(&mut scope, of, &SecondFactor::default()).await?;
    accounts::end_sessions(&mut scope, of, who.sid.filter(|_| of == who.coach)).await?;
    audit::record(&mut scope, who.coach, Action::SecondFactorTakenOff, coach(of), json!({})).await?;
    scope.commit().await?;
    known.forget();
    Ok(HttpResponse::NoContent().finish())
}

/// A coach who was not removed.
///
/// # Errors
/// 404.
pub async fn still_here(scope: &mut Scope, id: CoachId) -> ApiResult<CoachId> {
    let found = accounts::coach(scope, id).await?;
    found.removed_at.is_none().then_some(found.id).ok_or_else(ApiError::not_found)
}
