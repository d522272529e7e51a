//! Partners: a phone without an account joins one run by its code, sees the clock, and sends one performer's count.

use std::collections::HashSet;

use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, ResponseError, get, http::StatusCode, post, web};
use chrono::NaiveDate;
use impulso_core::run::{Earlier, Event, RunView};
use impulso_store::{
    PracticeId, RunId, Store,
    runs::{self, ByCode, InRun, Partner, Run, Sender},
};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::runs::RunLog;
use crate::{
    ApiError, ApiResult, auth,
    auth::{Caller, DeviceCookies},
    body::Json,
    channels::Who,
    intake::{self, Appended, Batch, Intake},
    live::{Hub, Side, told_to},
    rate_limit::RateLimits,
    settings::ClockRate,
    view::{facts, tag, view_of},
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
    which: Which,
}

/// Which run, where a group visit has more than one open.
#[derive(Default, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Which {
    /// This one.
    run: Option<Uuid>,
    /// The one in which this performer is tested, by their tag; the newest where there is none.
    tag: Option<Uuid>,
}

/// One whom a partner can count for.
#[derive(Serialize, ToSchema)]
pub struct Tested {
    /// As in every run of the same group visit.
    tag: Uuid,
    name: String,
}

/// A run that was found, and the partner who found it.
struct Found {
    practice: PracticeId,
    /// All that are open, the newest first; none where the code is a group visit's and no test of it runs now.
    runs: Vec<RunId>,
    partner: Partner,
    /// For a phone that is new here.
    cookie: Option<actix_web::cookie::Cookie<'static>>,
}

/// A run whose counting lasts.
struct Open {
    run: Run,
    events: Vec<Event>,
    view: RunView,
    /// Whom the phone counts for, where it says so.
    slot: Option<u16>,
    today: NaiveDate,
}

impl actix_web::FromRequest for Door {
    type Error = actix_web::Error;
    type Future = std::pin::Pin<Box<dyn Future<Output = Result<Self, Self::Error>>>>;

    fn from_request(request: &HttpRequest, payload: &mut actix_web::dev::Payload) -> Self::Future {
        type Parts = (web::Data<Store>, web::Data<RateLimits>, web::Data<DeviceCookies>, Caller, Session, web::Query<Which>);
        let parts = Parts::from_request(request, payload);
        let request = request.clone();
        // As it is typed from a wall: small letters, in groups.
        let code = request.match_info().query("code").chars().filter(char::is_ascii_alphanumeric).collect::<String>().to_uppercase();
        Box::pin(async move {
            let (store, rates, marks, caller, session, which) = parts.await?;
            Ok(Self { store, rates, marks, caller, request, session, code, which: which.into_inner() })
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
        let Some(ByCode { practice, runs }) = found else {
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
        Ok(Found { practice, runs, partner: Sha256::digest(partner.as_bytes()).into(), cookie })
    }

    /// Which of the open runs is meant.
    async fn run(&self, found: &Found) -> ApiResult<RunId> {
        if let Some(named) = self.which.run {
            return found.runs.iter().find(|run| run.0 == named).copied().ok_or_else(counting_is_over);
        }
        let newest = found.runs.first().copied().ok_or_else(nothing_runs)?;
        let Some(tag) = self.which.tag.filter(|_| found.runs.len() > 1) else { return Ok(newest) };
        let people = self.people(found).await?;
        Ok(people.iter().find(|p| tag_of(p) == tag).map_or(newest, |p| p.run))
    }

    /// Who is tested in the open runs.
    async fn people(&self, found: &Found) -> ApiResult<Vec<InRun>> {
        Ok(runs::people_in(&mut self.store.scope(found.practice).await?, &found.runs).await?)
    }

    /// The run as it is, while its counting lasts.
    async fn open(&self, found: &Found, run: RunId, rate: ClockRate) -> ApiResult<Open> {
        let mut scope = self.store.scope(found.practice).await?;
        let run = runs::get(&mut scope, run).await?;
        let events = runs::events(&mut scope, run.id).await?;
        let view = view_of(&run, &events, rate)?;
        if !intake::view_is_open(&run, &view, rate) {
            return Err(counting_is_over());
        }
        let own = run.performers.iter().find(|p| self.which.tag == Some(tag(run.id, run.group_visit, p.person)));
        Ok(Open { slot: own.map(|p| p.slot), today: auth::today(&mut scope).await?, run, events, view })
    }
}

fn tag_of(one: &InRun) -> Uuid {
    tag(one.run, one.group_visit, one.person)
}

fn counting_is_over() -> ApiError {
    let message = "The counting of this run is over. Whoever leads it types what is still missing.";
    ApiError::new(StatusCode::NOT_FOUND, "unknown_code", message)
}

/// Between two tests of a group visit.
fn nothing_runs() -> ApiError {
    ApiError::new(StatusCode::NOT_FOUND, "nothing_runs", "No test runs at the moment. The next one comes up here by itself.")
}

fn answer(found: &Found, answer: HttpResponse) -> HttpResponse {
    match &found.cookie {
        Some(cookie) => auth::with_cookie(answer, cookie),
        None => answer,
    }
}

/// The run as a partner sees it.
#[utoipa::path(tag = "join", operation_id = "join_get", params(("code" = String, Path), Which), responses((status = 200, body = RunView), (status = 404, body = ApiError), (status = 429, body = ApiError)))]
#[get("/join/{code}")]
pub async fn get(door: Door, rate: web::Data<ClockRate>) -> ApiResult<HttpResponse> {
    let found = door.find().await?;
    let open = async { door.open(&found, door.run(&found).await?, **rate).await };
    match open.await {
        Ok(open) => Ok(answer(&found, HttpResponse::Ok().json(open.view.for_partners().beside(open.slot)))),
        // The phone is let in all the same, and waits.
        Err(refused) => Ok(answer(&found, refused.error_response())),
    }
}

/// Whom a partner can count for: everybody in the open tests.
#[utoipa::path(tag = "join", operation_id = "join_people", params(("code" = String, Path)), responses((status = 200, body = Vec<Tested>), (status = 404, body = ApiError), (status = 429, body = ApiError)))]
#[get("/join/{code}/people")]
pub async fn tested(door: Door) -> ApiResult<HttpResponse> {
    let found = door.find().await?;
    let mut all: Vec<Tested> = Vec::new();
    for one in door.people(&found).await? {
        if all.iter().all(|t| t.tag != tag_of(&one)) {
            all.push(Tested { tag: tag_of(&one), name: one.name });
        }
    }
    Ok(answer(&found, HttpResponse::Ok().json(all)))
}

/// The run and every change to it, as a partner sees it.
#[utoipa::path(tag = "join", operation_id = "join_live", params(("code" = String, Path), Which), responses((status = 200, content_type = "text/event-stream", body = RunView), (status = 404, body = ApiError), (status = 429, body = ApiError)))]
#[get("/join/{code}/live")]
pub async fn live(door: Door, rate: web::Data<ClockRate>, hub: web::Data<Hub>) -> ApiResult<HttpResponse> {
    let found = door.find().await?;
    let run = door.run(&found).await?;
    let place = hub.place(found.practice, run, Who::Partner(found.partner), door.caller.0.clone())?;
    let listening = hub.listen(found.practice, run, Side::Partner(found.partner, None)).at(place);
    let open = door.open(&found, run, **rate).await?;
    Ok(answer(&found, listening.beside(open.slot).answer(&open.view, None)))
}

/// How the run was set up for the one whom a partner counts for, and what happened to them: for the core in the phone's browser.
#[utoipa::path(tag = "join", operation_id = "join_log", params(("code" = String, Path), Which), responses((status = 200, body = RunLog), (status = 404, body = ApiError), (status = 429, body = ApiError)))]
#[get("/join/{code}/log")]
pub async fn log(door: Door, rate: web::Data<ClockRate>) -> ApiResult<HttpResponse> {
    let found = door.find().await?;
    let open = door.open(&found, door.run(&found).await?, **rate).await?;
    let slot = open.slot.ok_or_else(ApiError::not_found)?;
    let facts = facts(&open.run, **rate)?;
    let facts = facts.for_partner(slot).ok_or_else(ApiError::not_found)?;
    let own = runs::sent_by(&mut door.store.scope(found.practice).await?, open.run.id, found.partner).await?;
    let (events, hidden) = told_to(open.run.id, &open.events, slot, |e| own.contains(&e.id));
    Ok(answer(&found, HttpResponse::Ok().json(RunLog { facts, earlier: Earlier::default(), events, hidden, today: open.today })))
}

/// Adds a partner's taps and counts for one performer.
#[utoipa::path(tag = "join", operation_id = "join_append", params(("code" = String, Path), Which), responses((status = 200, body = Appended), (status = 403, body = ApiError), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError), (status = 429, body = ApiError)))]
#[post("/join/{code}/events")]
pub async fn append(door: Door, intake: web::Data<Intake>, batch: Json<Batch>) -> ApiResult<HttpResponse> {
    let found = door.find().await?;
    let run = door.run(&found).await?;
    door.rates.class.count(&format!("{} {}", door.code, door.caller.0))?;
    door.rates.partner.count(&format!("{:?}", found.partner))?;
    let batch = batch.into_inner();
    // A phone counts for one.
    let slot = batch.events.iter().find_map(|e| e.slot);
    // If the batch is accepted, its screens belong to this phone.
    let screens: HashSet<Uuid> = batch.events.iter().map(|e| e.device).collect();
    let done = Box::pin(intake.accept(&door.store, found.practice, Sender::Partner(found.partner), run, batch)).await?;
    let view = done.view.for_partners().beside(slot);
    let (events, _) = slot.map(|slot| told_to(run, &done.events, slot, |e| screens.contains(&e.device))).unwrap_or_default();
    Ok(answer(&found, HttpResponse::Ok().json(Appended { events, view, ..done })))
}
