//! Partners: a phone without an account joins one run by its code, sees the clock, and sends one performer's count.

use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, get, http::StatusCode, post, web};
use impulso_store::{
    PracticeId, RunId, Store,
    runs::{self, Partner, Sender},
};
use sha2::{Digest, Sha256};

use crate::{
    ApiError, ApiResult, auth,
    auth::{Caller, DeviceCookies},
    body::Json,
    intake::{self, Appended, Batch, Intake},
    live::{Hub, Side},
    rate_limit::RateLimits,
    settings::ClockRate,
    view::{RunView, view_of},
};

/// What finding a run by its code needs.
pub struct Door {
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    marks: web::Data<DeviceCookies>,
    caller: Caller,
    request: HttpRequest,
    session: Session,
    code: String,
}

/// A run that was found, and the partner who found it.
struct Found {
    practice: PracticeId,
    run: RunId,
    partner: Partner,
    /// For a phone that is new here.
    cookie: Option<actix_web::cookie::Cookie<'static>>,
}

impl actix_web::FromRequest for Door {
    type Error = actix_web::Error;
    type Future = std::pin::Pin<Box<dyn Future<Output = Result<Self, Self::Error>>>>;

    fn from_request(request: &HttpRequest, payload: &mut actix_web::dev::Payload) -> Self::Future {
        type Parts = (web::Data<Store>, web::Data<RateLimits>, web::Data<DeviceCookies>, Caller, Session);
        let parts = Parts::from_request(request, payload);
        let request = request.clone();
        // As it is typed from a wall: small letters, in groups.
        let code = request.match_info().query("code").chars().filter(char::is_ascii_alphanumeric).collect::<String>().to_uppercase();
        Box::pin(async move {
            let (store, rates, marks, caller, session) = parts.await?;
            Ok(Self { store, rates, marks, caller, request, session, code })
        })
    }
}

impl Door {
    /// The run behind the code.
    async fn find(&self) -> ApiResult<Found> {
        let nothing = |message: &str| ApiError::new(StatusCode::NOT_FOUND, "unknown_code", message);
        let known = self.marks.partner_of(&self.request, &self.code);
        // A phone that was let in does not try any more; one with a code that let others in is limited with them alone.
        if known.is_none() && self.rates.codes.know(&self.code) {
            self.rates.phones.count(&format!("{} {}", self.code, self.caller.0))?;
        } else if known.is_none() {
            self.rates.code.count(&self.caller.0)?;
        }
        let found = runs::by_code(&self.store, &self.code).await?;
        if found.is_some() {
            self.rates.codes.learn(&self.code);
        }
        let Some((practice, run)) = found else {
            self.rates.wrong_code.count(&self.caller.0)?;
            return Err(nothing("This code isn’t active. Check it with your coach."));
        };
        let own = self.session.get::<String>("practice").ok().flatten();
        if own.is_some_and(|own| own != practice.0.to_string()) {
            return Err(nothing("This code belongs to a run of another practice. Sign out to join it as a partner."));
        }
        let (partner, cookie) = known.map_or_else(
            || {
                let (partner, cookie) = self.marks.partner(&self.code);
                (partner, Some(cookie))
            },
            |partner| (partner, None),
        );
        Ok(Found { practice, run, partner: Sha256::digest(partner.as_bytes()).into(), cookie })
    }

    /// The run as it is, while its counting lasts.
    async fn open(&self, found: &Found, rate: ClockRate) -> ApiResult<RunView> {
        let mut scope = self.store.scope(found.practice).await?;
        let run = runs::get(&mut scope, found.run).await?;
        let view = view_of(&run, &runs::events(&mut scope, run.id).await?, rate)?;
        if intake::view_is_open(&run, &view, rate) {
            return Ok(view);
        }
        let message = "The counting of this run is over. Whoever leads it types what is still missing.";
        Err(ApiError::new(StatusCode::NOT_FOUND, "unknown_code", message))
    }
}

fn answer(found: &Found, answer: HttpResponse) -> HttpResponse {
    match &found.cookie {
        Some(cookie) => auth::with_cookie(answer, cookie),
        None => answer,
    }
}

/// The run as a partner sees it.
#[utoipa::path(tag = "join", operation_id = "join_get", params(("code" = String, Path)), responses((status = 200, body = RunView), (status = 404, body = ApiError), (status = 429, body = ApiError)))]
#[get("/join/{code}")]
pub async fn get(door: Door, rate: web::Data<ClockRate>) -> ApiResult<HttpResponse> {
    let found = door.find().await?;
    let view = door.open(&found, **rate).await?;
    Ok(answer(&found, HttpResponse::Ok().json(view.for_partners())))
}

/// The run and every change to it, as a partner sees it.
#[utoipa::path(tag = "join", operation_id = "join_live", params(("code" = String, Path)), responses((status = 200, content_type = "text/event-stream", body = RunView), (status = 404, body = ApiError), (status = 429, body = ApiError)))]
#[get("/join/{code}/live")]
pub async fn live(door: Door, rate: web::Data<ClockRate>, hub: web::Data<Hub>) -> ApiResult<HttpResponse> {
    let found = door.find().await?;
    let listening = hub.listen(found.practice, found.run, Side::Partner);
    let first = door.open(&found, **rate).await?;
    Ok(answer(&found, listening.answer(&first, None)))
}

/// Adds a partner's taps and counts for one performer.
#[utoipa::path(tag = "join", operation_id = "join_append", params(("code" = String, Path)), responses((status = 200, body = Appended), (status = 403, body = ApiError), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError), (status = 429, body = ApiError)))]
#[post("/join/{code}/events")]
pub async fn append(door: Door, intake: web::Data<Intake>, batch: Json<Batch>) -> ApiResult<HttpResponse> {
    let found = door.find().await?;
    door.rates.class.count(&format!("{} {}", door.code, door.caller.0))?;
    door.rates.partner.count(&format!("{:?}", found.partner))?;
    let done = Box::pin(intake.accept(&door.store, found.practice, Sender::Partner(found.partner), found.run, batch.into_inner())).await?;
    Ok(answer(&found, HttpResponse::Ok().json(Appended { view: done.view.for_partners(), ..done })))
}
