//! Partners: a phone without an account joins one run by its code, sees the clock, and sends one performer's count.

use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, get, http::StatusCode, post, web};
use impulso_core::run::Kind;
use impulso_store::{PracticeId, RunId, Store, runs};

use super::runs::{Appended, Batch, RunView, view};
use crate::{
    ApiError, ApiResult,
    auth::Brake,
    intake::Intake,
    live::{Hub, Side},
    serve::ClockRate,
};

/// The run behind a code.
async fn find(store: &Store, session: &Session, request: &HttpRequest, brake: &Brake, code: &str) -> ApiResult<(PracticeId, RunId)> {
    let caller = request.peer_addr().map(|a| a.ip().to_string()).unwrap_or_default();
    let nothing = |message: &str| ApiError::new(StatusCode::NOT_FOUND, "unknown_code", message);
    let Some((practice, run)) = runs::by_code(store, code.trim()).await? else {
        brake.count("a join code", &caller)?;
        return Err(nothing("No run that is open has this code. It ends with the run: check the letters with whoever leads it."));
    };
    let own = session.get::<String>("practice").ok().flatten();
    if own.is_some_and(|own| own != practice.0.to_string()) {
        return Err(nothing("This code belongs to a run of another practice. Sign out to join it as a partner."));
    }
    Ok((practice, run))
}

/// The run as a partner sees it.
#[utoipa::path(tag = "join", operation_id = "join_get", responses((status = 200, body = RunView), (status = 404, body = ApiError)))]
#[get("/join/{code}")]
pub async fn get(
    store: web::Data<Store>,
    session: Session,
    request: HttpRequest,
    brake: web::Data<Brake>,
    rate: web::Data<ClockRate>,
    code: web::Path<String>,
) -> ApiResult<web::Json<RunView>> {
    let (practice, run) = find(&store, &session, &request, &brake, &code).await?;
    let mut scope = store.scope(practice).await?;
    let run = runs::get(&mut scope, run).await?;
    Ok(web::Json(view(&mut scope, run, **rate).await?.for_partners()))
}

/// The run and every change to it, as a partner sees it.
#[utoipa::path(tag = "join", operation_id = "join_live", responses((status = 200, content_type = "text/event-stream", body = RunView), (status = 404, body = ApiError)))]
#[get("/join/{code}/live")]
pub async fn live(
    store: web::Data<Store>,
    session: Session,
    request: HttpRequest,
    brake: web::Data<Brake>,
    rate: web::Data<ClockRate>,
    hub: web::Data<Hub>,
    code: web::Path<String>,
) -> ApiResult<HttpResponse> {
    let (practice, run) = find(&store, &session, &request, &brake, &code).await?;
    let mut scope = store.scope(practice).await?;
    let run = runs::get(&mut scope, run).await?;
    let first = view(&mut scope, run, **rate).await?;
    Ok(hub.stream(practice, &first, Side::Partner))
}

/// Adds a partner's taps and counts for one performer.
#[utoipa::path(tag = "join", operation_id = "join_append", responses((status = 200, body = Appended), (status = 403, body = ApiError), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/join/{code}/events")]
#[allow(clippy::too_many_arguments)]
pub async fn append(
    store: web::Data<Store>,
    session: Session,
    request: HttpRequest,
    brake: web::Data<Brake>,
    intake: web::Data<Intake>,
    code: web::Path<String>,
    batch: web::Json<Batch>,
) -> ApiResult<web::Json<Appended>> {
    let (practice, run) = find(&store, &session, &request, &brake, &code).await?;
    let may = |kind: &Kind| {
        matches!(kind, Kind::Tap | Kind::CountTyped { .. } | Kind::RecountStarted | Kind::RecountWaived { .. } | Kind::Undone { .. })
    };
    if batch.events.iter().any(|e| e.slot.is_none() || !may(&e.kind)) {
        return Err(ApiError::new(
            StatusCode::FORBIDDEN,
            "not_a_partners",
            "A partner sends taps and counts of one performer; the rest is with whoever leads the run.",
        ));
    }
    let scope = store.scope(practice).await?;
    let done = intake.take_in(scope, None, run, batch.into_inner().events).await?;
    Ok(web::Json(Appended { view: done.view.for_partners(), ..done }))
}
