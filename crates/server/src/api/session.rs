//! Signing in and out, and founding a practice.

use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, delete, get, http::StatusCode, post, put, web};
use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{Code, InputError, text};
use impulso_store::{
    CoachId, Scope, Store, access,
    accounts::{self, NewCoach, NewPractice},
    audit::{self, Action, Subject},
    practices,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::second_factor::{confirmed, now_s};
use crate::{
    ApiError, ApiResult,
    auth::{self, Caller, DeviceCookies, Entering, SignedIn},
    body::Json,
    demo,
    passwords::Passwords,
    rate_limit::RateLimits,
    second_factor,
    session_store::Known,
    settings::ClockRate,
};

/// Email and password.
#[derive(Deserialize, ToSchema)]
pub struct SignIn {
    /// Email address.
    pub email: String,
    pub password: String,
    /// The code of the second factor, or one for recovery, where the account has one.
    #[serde(default)]
    pub code: Option<String>,
}

/// Who is signed in, and what the screens need from the start.
#[derive(Serialize, ToSchema)]
pub struct SessionInfo {
    /// The coach's key.
    pub id: Uuid,
    /// Whether this coach founded the practice.
    pub is_founder: bool,
    /// True if the second factor that the practice asks for has to be set up before anything else.
    pub lacks_second_factor: bool,
    /// The coach's name.
    pub coach: String,
    /// The practice's name.
    pub practice: String,
    /// Whether a date is typed with its month first.
    pub month_first: bool,
    /// Which day it is for the practice.
    pub today: NaiveDate,
    /// The server's clock.
    pub server_now: DateTime<Utc>,
    /// How fast a run's clock passes: 1.
    pub clock_rate: f64,
}

/// What the sign-in page shows.
#[derive(Serialize, ToSchema)]
pub struct Welcome {
    /// The demo account, where the demo is loaded.
    pub demo: Option<DemoAccount>,
}

#[derive(Serialize, ToSchema)]
pub struct DemoAccount {
    /// Email address.
    pub email: String,
    pub password: String,
}

/// A new practice with its first coach.
#[derive(Deserialize, ToSchema)]
pub struct PracticeForm {
    /// Its name.
    pub practice: String,
    /// IANA time zone.
    pub time_zone: String,
    /// Whether a date is typed with its month first; the day first where nothing is said.
    #[serde(default)]
    pub month_first: bool,
    /// The coach's name.
    pub coach: String,
    /// Email address.
    pub email: String,
    pub password: String,
}

/// What to show before anyone is signed in.
#[utoipa::path(tag = "session", operation_id = "session_welcome", responses((status = 200, body = Welcome)))]
#[get("/welcome")]
pub async fn welcome(store: web::Data<Store>) -> ApiResult<web::Json<Welcome>> {
    let email = accounts::demo_email(&store).await?;
    Ok(web::Json(Welcome { demo: email.map(|email| DemoAccount { email, password: demo::PASSWORD.to_owned() }) }))
}

/// Signs in. The answer is the same for an unknown address and a wrong password.
#[utoipa::path(tag = "session", operation_id = "session_sign_in", responses((status = 200, body = SessionInfo), (status = 401, body = ApiError), (status = 429, body = ApiError)))]
#[post("/session")]
#[allow(clippy::too_many_arguments)]
pub async fn sign_in(
    form: Json<SignIn>,
    request: HttpRequest,
    caller: Caller,
    session: Session,
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    passwords: web::Data<Passwords>,
    devices: web::Data<DeviceCookies>,
    rate: web::Data<ClockRate>,
) -> ApiResult<HttpResponse> {
    let SignIn { email, password, code } = form.into_inner();
    // One form of an address before anything else: what is limited is what is looked up.
    let email = normal(&email);
    let stored = accounts::credentials(&store, &email).await?;
    // Nobody else can use up the tries of a browser that has been here before.
    let device = devices.device_of(&request, stored.as_ref().map(|s| s.coach));
    if let Some(device) = &device {
        rates.device.count(device)?;
    } else {
        rates.address.count(&caller.0)?;
        rates.account.count(&email)?;
    }
    let Some(known) = passwords.verify(password, stored).await? else {
        return Err(ApiError::new(
            StatusCode::UNAUTHORIZED,
            "wrong_credentials",
            "Email address and password do not match. Check both and try again.",
        ));
    };
    let mut scope = store.scope(known.practice).await?;
    let mut factor = access::second_factor(&mut scope, known.coach).await?;
    if factor.secret.is_some() {
        let refuse = |code: &str, message: &str| Err(ApiError::new(StatusCode::UNAUTHORIZED, code, message));
        let Some(code) = code.filter(|c| !c.trim().is_empty()) else {
            return refuse("second_factor_needed", "Type the six digits that your phone shows, or one of your recovery codes.");
        };
        rates.second_factor.count(&device.unwrap_or_else(|| known.coach.to_string()))?;
        if !second_factor::use_code(&mut factor, &code, now_s()) {
            return refuse("wrong_code", "This code is not right, or was used already. Wait for the next one and type it.");
        }
        access::keep_second_factor(&mut scope, known.coach, &factor).await?;
    }
    let lacks = factor.secret.is_none() && practices::get(&mut scope).await?.second_factor_required;
    let info = info(&mut scope, known.coach, &rate, lacks).await?;
    scope.commit().await?;
    auth::let_in(&session, known.coach, known.practice, lacks)?;
    Ok(auth::with_cookie(HttpResponse::Ok().json(info), &devices.device(known.coach)))
}

/// Who is signed in.
#[utoipa::path(tag = "session", operation_id = "session_current", responses((status = 200, body = SessionInfo), (status = 401, body = ApiError)))]
#[get("/session")]
pub async fn current(Entering(who): Entering, session: Session, rate: web::Data<ClockRate>) -> ApiResult<web::Json<SessionInfo>> {
    Ok(web::Json(info(&mut who.scope().await?, who.coach, &rate, auth::lacks_second_factor(&session)).await?))
}

/// Signs out: the session is worth nothing from now on.
#[utoipa::path(tag = "session", operation_id = "session_sign_out", responses((status = 204)))]
#[delete("/session")]
pub async fn sign_out(session: Session) -> HttpResponse {
    session.purge();
    HttpResponse::NoContent().finish()
}

/// Founds a practice and signs its first coach in.
#[utoipa::path(tag = "session", operation_id = "session_found_practice", responses((status = 200, body = SessionInfo), (status = 409, body = ApiError), (status = 422, body = ApiError), (status = 429, body = ApiError)))]
#[post("/practices")]
#[allow(clippy::too_many_arguments)]
pub async fn found_practice(
    form: Json<PracticeForm>,
    caller: Caller,
    session: Session,
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    passwords: web::Data<Passwords>,
    devices: web::Data<DeviceCookies>,
    rate: web::Data<ClockRate>,
) -> ApiResult<HttpResponse> {
    let form = form.into_inner();
    let (name, zone) = (text::name(&form.practice, "practice")?, time_zone(&form.time_zone)?);
    let (coach, email) = (text::name(&form.coach, "coach")?, email(&form.email)?);
    // Only what could be founded counts; that an address is taken is told to nobody more often than this.
    rates.founding.count(&caller.0)?;
    let password_hash = passwords.hash(form.password).await?;
    let new = NewPractice { name, time_zone: zone, is_demo: false, coach: NewCoach { name: coach, email, password_hash } };
    let (practice, coach) = accounts::found(&store, &new).await?;
    if form.month_first {
        let mut scope = store.scope(practice).await?;
        let founded = practices::Practice { month_first: true, ..practices::get(&mut scope).await? };
        practices::update(&mut scope, &founded).await?;
        scope.commit().await?;
    }
    auth::let_in(&session, coach, practice, false)?;
    let info = info(&mut store.scope(practice).await?, coach, &rate, false).await?;
    Ok(auth::with_cookie(HttpResponse::Ok().json(info), &devices.device(coach)))
}

/// A new password, and the one it takes the place of.
#[derive(Deserialize, ToSchema)]
pub struct PasswordChange {
    /// The present one.
    pub current: String,
    pub new: String,
}

/// Changes the password of whoever is signed in. Every other session of this coach ends, wherever it is.
#[utoipa::path(tag = "session", operation_id = "session_change_password", responses((status = 204), (status = 401, body = ApiError), (status = 422, body = ApiError), (status = 429, body = ApiError)))]
#[put("/session/password")]
pub async fn change_password(
    who: SignedIn,
    form: Json<PasswordChange>,
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    passwords: web::Data<Passwords>,
    known: web::Data<Known>,
) -> ApiResult<HttpResponse> {
    let form = form.into_inner();
    confirmed(&who, &store, &rates, &passwords, form.current).await.map_err(|e| e.at("current"))?;
    let hash = passwords.hash(form.new).await.map_err(|e| e.at("new"))?;
    let mut scope = who.scope().await?;
    accounts::set_password(&mut scope, who.coach, &hash).await?;
    accounts::end_sessions(&mut scope, who.coach, who.sid).await?;
    audit::record(&mut scope, who.coach, Action::PasswordChanged, Subject::thing("coach", who.coach.0), serde_json::json!({})).await?;
    scope.commit().await?;
    known.forget();
    Ok(HttpResponse::NoContent().finish())
}

/// Ends every other session of whoever is signed in: on a lost phone, on a borrowed laptop.
#[utoipa::path(tag = "session", operation_id = "session_end_others", responses((status = 204), (status = 401, body = ApiError)))]
#[delete("/session/others")]
pub async fn end_others(who: SignedIn, known: web::Data<Known>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    accounts::end_sessions(&mut scope, who.coach, who.sid).await?;
    audit::record(&mut scope, who.coach, Action::SessionsEnded, Subject::thing("coach", who.coach.0), serde_json::json!({})).await?;
    scope.commit().await?;
    known.forget();
    Ok(HttpResponse::NoContent().finish())
}

async fn info(scope: &mut Scope, coach: CoachId, rate: &ClockRate, lacks_second_factor: bool) -> ApiResult<SessionInfo> {
    // A session can outlive its coach.
    let coach = accounts::coach(scope, coach)
        .await
        .map_err(|e| if matches!(e, impulso_store::Error::NotFound) { ApiError::signed_out() } else { e.into() })?;
    let practice = practices::get(scope).await?;
    if coach.removed_at.is_some() {
        return Err(ApiError::signed_out());
    }
    Ok(SessionInfo {
        id: coach.id.0,
        is_founder: coach.is_founder,
        lacks_second_factor,
        coach: coach.name,
        practice: practice.name,
        month_first: practice.month_first,
        today: auth::today(scope).await?,
        server_now: Utc::now(),
        clock_rate: rate.0,
    })
}

/// An address as it is looked up, however it was typed.
fn normal(email: &str) -> String {
    email.trim().to_lowercase()
}

/// An email address that could receive mail, lower case.
///
/// # Errors
/// [`Code::OutOfRange`] on `email`.
pub fn email(text: &str) -> Result<String, InputError> {
    let text = normal(text);
    let parts: Vec<&str> = text.split('@').collect();
    let plausible = matches!(parts.as_slice(), [name, host] if !name.is_empty() && host.contains('.') && !host.starts_with('.') && !host.ends_with('.'));
    if plausible && text.len() <= 254 && !text.contains(char::is_whitespace) {
        return Ok(text);
    }
    Err(InputError::new(Code::OutOfRange, "email", "Give an email address, such as name@example.org."))
}

/// A time zone that exists.
///
/// # Errors
/// [`Code::OutOfRange`] on `time_zone`.
pub fn time_zone(text: &str) -> Result<String, InputError> {
    match text.parse::<chrono_tz::Tz>() {
        Ok(zone) => Ok(zone.name().to_owned()),
        Err(_) => Err(InputError::new(Code::OutOfRange, "time_zone", "Choose a time zone by its region and city, such as Europe/Lisbon.")),
    }
}
