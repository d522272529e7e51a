//! Signing in and out, and founding a practice.

use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, delete, get, http::StatusCode, post, web};
use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{Code, InputError, text};
use impulso_store::{
    Scope, Store,
    accounts::{self, NewCoach, NewPractice},
    practices,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::{
    ApiError, ApiResult,
    auth::{self, Brake, SignedIn},
    demo,
    serve::ClockRate,
};

/// Email and password.
#[derive(Deserialize, ToSchema)]
pub struct SignIn {
    /// Email address.
    pub email: String,
    /// Password.
    pub password: String,
}

/// Who is signed in, and what the screens need from the start.
#[derive(Serialize, ToSchema)]
pub struct SessionInfo {
    /// The coach's name.
    pub coach: String,
    /// The practice's name.
    pub practice: String,
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

/// The demo account.
#[derive(Serialize, ToSchema)]
pub struct DemoAccount {
    /// Email address.
    pub email: String,
    /// Password.
    pub password: String,
}

/// A new practice with its first coach.
#[derive(Deserialize, ToSchema)]
pub struct PracticeForm {
    /// Its name.
    pub practice: String,
    /// IANA time zone.
    pub time_zone: String,
    /// The coach's name.
    pub coach: String,
    /// Email address.
    pub email: String,
    /// Password.
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
pub async fn sign_in(
    form: web::Json<SignIn>,
    request: HttpRequest,
    session: Session,
    store: web::Data<Store>,
    brake: web::Data<Brake>,
    rate: web::Data<ClockRate>,
) -> ApiResult<web::Json<SessionInfo>> {
    let SignIn { email, password } = form.into_inner();
    let caller = request.peer_addr().map(|a| a.ip().to_string()).unwrap_or_default();
    brake.count(&email, &caller)?;
    let stored = accounts::credentials(&store, email.trim()).await?;
    let Some(known) = auth::verify_password(password, stored).await else {
        return Err(ApiError::new(
            StatusCode::UNAUTHORIZED,
            "wrong_credentials",
            "Email address and password do not match. Check both and try again.",
        ));
    };
    auth::let_in(&session, known.coach, known.practice)?;
    let mut scope = store.scope(known.practice).await?;
    info(&mut scope, known.coach, &rate).await
}

/// Who is signed in.
#[utoipa::path(tag = "session", operation_id = "session_current", responses((status = 200, body = SessionInfo), (status = 401, body = ApiError)))]
#[get("/session")]
pub async fn current(who: SignedIn, rate: web::Data<ClockRate>) -> ApiResult<web::Json<SessionInfo>> {
    info(&mut who.scope().await?, who.coach, &rate).await
}

/// Signs out: the session is worth nothing from now on.
#[utoipa::path(tag = "session", operation_id = "session_sign_out", responses((status = 204)))]
#[delete("/session")]
pub async fn sign_out(session: Session) -> HttpResponse {
    session.purge();
    HttpResponse::NoContent().finish()
}

/// Founds a practice and signs its first coach in.
#[utoipa::path(tag = "session", operation_id = "session_found_practice", responses((status = 200, body = SessionInfo), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/practices")]
pub async fn found_practice(
    form: web::Json<PracticeForm>,
    request: HttpRequest,
    session: Session,
    store: web::Data<Store>,
    brake: web::Data<Brake>,
    rate: web::Data<ClockRate>,
) -> ApiResult<web::Json<SessionInfo>> {
    let form = form.into_inner();
    brake.count(&form.email, &request.peer_addr().map(|a| a.ip().to_string()).unwrap_or_default())?;
    let new = NewPractice {
        name: text::name(&form.practice, "practice")?,
        time_zone: time_zone(&form.time_zone)?,
        is_demo: false,
        coach: NewCoach {
            name: text::name(&form.coach, "coach")?,
            email: email(&form.email)?,
            password_hash: auth::hash_password(form.password).await?,
        },
    };
    let (practice, coach) = accounts::found(&store, &new).await?;
    auth::let_in(&session, coach, practice)?;
    info(&mut store.scope(practice).await?, coach, &rate).await
}

async fn info(scope: &mut Scope, coach: impulso_store::CoachId, rate: &ClockRate) -> ApiResult<web::Json<SessionInfo>> {
    // A session can outlive its coach.
    let coach = accounts::coach(scope, coach)
        .await
        .map_err(|e| if matches!(e, impulso_store::Error::NotFound) { ApiError::signed_out() } else { e.into() })?;
    let practice = practices::get(scope).await?;
    Ok(web::Json(SessionInfo {
        coach: coach.name,
        practice: practice.name,
        today: auth::today(scope).await?,
        server_now: Utc::now(),
        clock_rate: rate.0,
    }))
}

/// An email address that could receive mail, lower case.
///
/// # Errors
/// [`Code::OutOfRange`] on `email`.
pub fn email(text: &str) -> Result<String, InputError> {
    let text = text.trim().to_lowercase();
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
