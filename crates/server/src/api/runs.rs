//! Runs: set up, live, closed.

use actix_web::{get, post, web};
use chrono::{DateTime, Utc};
use impulso_core::{
    Code, InputError,
    catalogue::{self, CountRule},
    person::Sex,
    run::{Event, Setup, State, event::Conditions, fold},
    suitability::{self, FitVerdict},
    text,
    units::Cadence,
};
use impulso_store::{
    PersonId, RunId, Scope, audit, people, readiness,
    runs::{self, NewRun, Run},
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use super::assess::client;
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    scoring,
    serve::ClockRate,
};

/// A run to set up.
#[derive(Deserialize, ToSchema)]
pub struct RunForm {
    /// Made by the screen, so that a double click sets up one run.
    pub id: Uuid,
    /// Who is tested.
    pub person: Uuid,
    /// The protocol's id.
    pub protocol: String,
    /// Beats a minute, where the protocol leaves a choice.
    pub cadence: Option<f64>,
    /// The circumstances.
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub conditions: Conditions,
    /// Why this test although another suits better, or although readiness advises against it.
    pub overrule_reason: Option<String>,
}

/// A run as every screen on it sees it.
#[derive(Serialize, ToSchema)]
pub struct RunView {
    /// Key.
    pub id: Uuid,
    /// The person's key.
    pub person: Uuid,
    /// Name.
    pub name: String,
    /// The protocol's id.
    pub protocol: String,
    /// Its display name.
    pub protocol_name: String,
    /// How the pulse is counted.
    pub count: Option<CountRule>,
    /// The circumstances, in a few words.
    pub conditions: Vec<impulso_core::report::ConditionReport>,
    /// Everything the events led to.
    pub state: State,
    /// When it was set up: the zero of the test build's clock.
    pub created_at: DateTime<Utc>,
    /// The server's clock at this answer.
    pub server_now: DateTime<Utc>,
    /// How fast the run's clock passes: 1.
    pub clock_rate: f64,
    /// The result, once closed.
    pub result: Option<Uuid>,
}

/// Events to add.
#[derive(Deserialize, ToSchema)]
pub struct Batch {
    /// In the sequence of their screen.
    pub events: Vec<Event>,
}

/// What became of them.
#[derive(Serialize, ToSchema)]
pub struct Appended {
    /// Stored now.
    pub stored: u32,
    /// Known already.
    pub known: u32,
    /// Kept for the record, but the run had been closed.
    pub late: u32,
    /// The run after them.
    pub view: RunView,
}

/// Sets a run up.
#[utoipa::path(tag = "runs", operation_id = "runs_create", responses((status = 200, body = RunView), (status = 422, body = ApiError)))]
#[post("/runs")]
pub async fn create(who: SignedIn, form: web::Json<RunForm>, rate: web::Data<ClockRate>) -> ApiResult<web::Json<RunView>> {
    let form = form.into_inner();
    let protocol = catalogue::find(&form.protocol)?;
    let mut scope = who.scope().await?;
    let person = people::get(&mut scope, PersonId(form.person)).await?;
    let today = auth::today(&mut scope).await?;
    let facts = person.facts_on(today)?;
    let setup = Setup { cadence: cadence(protocol, facts.sex, form.cadence)?, conditions: form.conditions, sex: facts.sex, age: facts.age };
    setup.check(protocol)?;
    let reason = text::note(form.overrule_reason.as_deref().unwrap_or_default(), "overrule_reason")?;
    let checked = readiness::latest(&mut scope, person.id).await?.filter(|c| c.on == today);
    let fit = suitability::judge(protocol, &client(&person, checked.as_ref(), today));
    if fit.verdict != FitVerdict::Suits && reason.is_none() {
        let message = format!("{} To go on all the same, give your reason; it is kept with the record.", fit.because);
        return Err(InputError::new(Code::MissingInput, "overrule_reason", message).into());
    }
    let new = NewRun { id: RunId(form.id), person: person.id, protocol, setup: &setup, overrule_reason: reason.as_deref() };
    if runs::create(&mut scope, who.coach, &new).await? {
        audit::record(&mut scope, who.coach, "run.set_up", ("run", form.id), json!({ "protocol": protocol.id, "overrule_reason": reason }))
            .await?;
    }
    let run = runs::get(&mut scope, RunId(form.id)).await?;
    let shown = view(&mut scope, run, &rate).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// A run, live or closed.
#[utoipa::path(tag = "runs", operation_id = "runs_get", responses((status = 200, body = RunView), (status = 404, body = ApiError)))]
#[get("/runs/{id}")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>, rate: web::Data<ClockRate>) -> ApiResult<web::Json<RunView>> {
    let mut scope = who.scope().await?;
    let run = runs::get(&mut scope, RunId(*id)).await?;
    Ok(web::Json(view(&mut scope, run, &rate).await?))
}

/// Adds events, each once, in sequence; closes the run where they finish it.
#[utoipa::path(tag = "runs", operation_id = "runs_append", responses((status = 200, body = Appended), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/runs/{id}/events")]
pub async fn append(
    who: SignedIn,
    id: web::Path<Uuid>,
    batch: web::Json<Batch>,
    rate: web::Data<ClockRate>,
) -> ApiResult<web::Json<Appended>> {
    let mut scope = who.scope().await?;
    let run = runs::lock(&mut scope, RunId(*id)).await?;
    for event in &batch.events {
        impulso_core::run::fold::check_kind(&run.protocol, &event.kind)?;
    }
    let appended = runs::append(&mut scope, who.coach, &run, &batch.events).await?;
    if run.closed_at.is_none() {
        let state = fold(&run.protocol, &run.setup, &runs::events(&mut scope, run.id).await?);
        if state.is_closed() && state.started_at.is_none() {
            // Left before the clock was started: nothing was tested, so there is no result.
            runs::close(&mut scope, run.id, state.finished_at.unwrap_or_else(Utc::now)).await?;
        } else if state.is_closed() {
            scoring::close(&mut scope, who.coach, &run, &state).await?;
        }
    }
    let run = runs::get(&mut scope, run.id).await?;
    let shown = view(&mut scope, run, &rate).await?;
    scope.commit().await?;
    Ok(web::Json(Appended { stored: appended.stored, known: appended.known, late: appended.late, view: shown }))
}

fn cadence(protocol: &catalogue::Protocol, sex: Option<Sex>, chosen: Option<f64>) -> Result<Option<Cadence>, InputError> {
    let Some(rule) = &protocol.cadence else { return Ok(None) };
    let Some(beat) = chosen.or_else(|| rule.for_sex(sex)) else { return Ok(None) };
    if !rule.choices().contains(&beat) {
        return Err(InputError::new(Code::OutOfRange, "cadence", format!("The protocol's beat is {:?} a minute.", rule.choices())));
    }
    Cadence::new(beat).map(Some).map_err(|e| e.at("cadence"))
}

async fn view(scope: &mut Scope, run: Run, rate: &ClockRate) -> ApiResult<RunView> {
    let state = fold(&run.protocol, &run.setup, &runs::events(scope, run.id).await?);
    Ok(RunView {
        id: run.id.0,
        person: run.person.0,
        name: run.person_name,
        conditions: impulso_core::report::condition_reports(&run.protocol, &run.setup.conditions),
        protocol: run.protocol.id,
        protocol_name: run.protocol.name,
        count: run.protocol.count,
        state,
        created_at: run.created_at,
        server_now: Utc::now(),
        clock_rate: rate.0,
        result: run.result.map(|r| r.0),
    })
}
