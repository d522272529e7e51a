//! Runs: set up, live, closed.

use actix_web::{HttpResponse, get, post, web};
use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{
    Code, InputError,
    catalogue::{self, ConditionKind, CountRule, Family},
    hr_max::{CeilingRule, HrMaxMethod},
    person::{Facts, Sex},
    rehearse::RehearsalReport,
    run::{Decision, Event, Reading, Setup, State, event::Conditions, fold},
    simulate,
    suitability::{self, FitVerdict},
    text,
    units::{Bpm, Cadence},
};
use impulso_store::{
    PersonId, RunId, Scope,
    audit::{self, Subject},
    people, readiness, results,
    runs::{self, NewPerformer, NewRun, Run, Sender},
};
use rand::RngExt;
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use super::assess::client;
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
    intake::{self, Intake},
    live::{Hub, Side},
    settings::ClockRate,
    shelf::Shelf,
};

/// The letters and digits of a join code: none that is read for another.
const CODE_LETTERS: &[u8] = b"ABCDEFGHJKMNPQRSTUVWXYZ23456789";
/// How long a join code is: typed from a wall in two groups, and too long to be guessed.
const CODE_LENGTH: usize = 8;
/// The most performers of one run.
const PERFORMERS_MAX: usize = 40;

/// A run to set up.
#[derive(Deserialize, ToSchema)]
pub struct RunForm {
    /// Made by the screen, so that a double click sets up one run.
    pub id: Uuid,
    /// Who is tested: one, or many on one clock where the protocol allows it.
    pub people: Vec<Uuid>,
    /// The protocol's id.
    pub protocol: String,
    /// Beats a minute, where the protocol leaves a choice.
    pub cadence: Option<f64>,
    /// The circumstances.
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub conditions: Conditions,
    /// Why this test although another suits better, or although readiness advises against it.
    pub overrule_reason: Option<String>,
    /// The first load, kgm/min, where loads are set.
    pub first_load: Option<f64>,
    /// How the maximal heart rate is predicted.
    pub hr_max_method: Option<HrMaxMethod>,
    /// Which ceiling ends the test.
    pub ceiling: Option<CeilingRule>,
    /// Resting heart rate, where it was taken.
    pub resting_hr: Option<f64>,
    /// A measured maximal heart rate.
    pub hr_max: Option<f64>,
}

/// A run as every screen on it sees it.
#[derive(Serialize, ToSchema, Clone)]
pub struct RunView {
    /// Key.
    pub id: Uuid,
    /// The person's key, where one is tested.
    pub person: Option<Uuid>,
    /// Whose run it is, in a few words.
    pub name: String,
    /// The protocol's id.
    pub protocol: String,
    /// Its display name.
    pub protocol_name: String,
    /// The rule family.
    pub family: Family,
    /// How the pulse is counted.
    pub count: Option<CountRule>,
    /// The circumstances, in a few words.
    pub conditions: Vec<impulso_core::report::ConditionReport>,
    /// Everything the events led to: of the one who is tested, or what all performers share.
    pub state: State,
    /// Where many are tested: each of them.
    pub performers: Vec<PerformerView>,
    /// By which partners join.
    pub join_code: Option<String>,
    /// For a rehearsal: how fast it runs, and its report once it is over.
    pub rehearsal: Option<RehearsalView>,
    /// Goes up with every change: a view with a smaller number is older.
    pub revision: u64,
    /// When it was set up: the zero of the run's clock.
    pub created_at: DateTime<Utc>,
    /// The server's clock at this answer.
    pub server_now: DateTime<Utc>,
    /// How fast the run's clock passes: 1, except in a rehearsal.
    pub clock_rate: f64,
    /// Whether it is closed.
    pub closed: bool,
    /// The result, once closed.
    pub result: Option<Uuid>,
}

/// One of many performers.
#[derive(Serialize, ToSchema, Clone)]
pub struct PerformerView {
    /// From 0.
    pub slot: u16,
    /// The person's key.
    pub person: Option<Uuid>,
    /// Name.
    pub name: String,
    /// The count so far.
    pub reading: Option<Reading>,
    /// What was decided about it.
    pub decision: Option<Decision>,
    /// The result, once closed.
    pub result: Option<Uuid>,
}

/// A rehearsal on a run's view.
#[derive(Serialize, ToSchema, Clone)]
pub struct RehearsalView {
    /// How fast it runs: 1 or 4.
    pub rate: f64,
    /// How it went, once it is over.
    pub report: Option<RehearsalReport>,
}

impl RunView {
    /// What a partner without an account may see: the clock and the names, nothing of anybody's record.
    #[must_use]
    pub fn for_partners(&self) -> Self {
        let mut shown = self.clone();
        shown.person = None;
        shown.conditions = Vec::new();
        shown.state.notes = Vec::new();
        shown.state.stop_note = None;
        shown.result = None;
        for performer in &mut shown.performers {
            (performer.person, performer.result) = (None, None);
        }
        shown
    }
}

/// Events to add.
#[derive(Deserialize, ToSchema)]
pub struct Batch {
    /// In the sequence of their screen; 500 at the most.
    pub events: Vec<Event>,
    /// The screen's clock as it sends them, so that one that is far off does no harm.
    pub sent_at: Option<DateTime<Utc>>,
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
pub async fn create(who: SignedIn, form: Json<RunForm>, rate: web::Data<ClockRate>) -> ApiResult<web::Json<RunView>> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&form.protocol)?;
    can_run(protocol, form.people.len())?;
    let reason = text::note(form.overrule_reason.as_deref().unwrap_or_default(), "overrule_reason")?;
    let today = auth::today(&mut scope).await?;
    let mut performers = Vec::with_capacity(form.people.len());
    for person in &form.people {
        performers.push(performer(&mut scope, protocol, &form, PersonId(*person), today, reason.is_some()).await?);
    }
    let join_code = (protocol.people_at_once > 1 && form.people.len() > 1).then(join_code);
    let new = NewRun {
        id: RunId(form.id),
        protocol,
        performers: &performers,
        overrule_reason: reason.as_deref(),
        rehearsal: None,
        join_code: join_code.as_deref(),
    };
    if runs::create(&mut scope, who.coach, &new).await? {
        let subject = match form.people.as_slice() {
            [one] => Subject::of("run", form.id, PersonId(*one)),
            _ => Subject::thing("run", form.id),
        };
        audit::record(&mut scope, who.coach, "run.set_up", subject, json!({ "protocol": protocol.id, "overrule_reason": reason })).await?;
    }
    let run = runs::get(&mut scope, RunId(form.id)).await?;
    let shown = view(&mut scope, run, **rate).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

fn can_run(protocol: &catalogue::Protocol, people: usize) -> Result<(), InputError> {
    let at_once = usize::from(protocol.people_at_once).min(PERFORMERS_MAX);
    let message = match people {
        _ if !protocol.family.runs_live() => format!("{} is entered afterwards: type the result.", protocol.name),
        0 => "Choose whom to test.".to_owned(),
        n if n > at_once && at_once == 1 => format!("{} tests one person at a time.", protocol.name),
        n if n > at_once => format!("{} tests up to {at_once} people at once; {n} were chosen.", protocol.name),
        _ => return Ok(()),
    };
    Err(InputError::new(Code::OutOfRange, "people", message))
}

async fn performer(
    scope: &mut Scope,
    protocol: &catalogue::Protocol,
    form: &RunForm,
    person: PersonId,
    today: NaiveDate,
    overruled: bool,
) -> ApiResult<NewPerformer> {
    let person = people::get(scope, person).await?;
    let facts = with_rates(person.facts_on(today)?, form.resting_hr, form.hr_max)?;
    let pace = protocol.course.as_ref().and_then(|c| c.pace.as_deref()).or_else(|| protocol.attempts.as_ref().map(|_| protocol.headline()));
    let history = if pace.is_some() { results::of_protocol(scope, person.id, &protocol.id).await? } else { Vec::new() };
    let mut setup = Setup {
        cadence: cadence(protocol, facts.sex, form.cadence)?,
        conditions: form.conditions.clone(),
        hr_max_method: form.hr_max_method,
        ceiling: form.ceiling.unwrap_or_default(),
        first_load: form.first_load,
        ..Setup::of(&facts)
    };
    setup.check(protocol)?;
    setup.last_value = pace.and_then(|q| last_alike(protocol, &setup, &history, q));
    if let Some(first) = protocol.opens_after.as_deref().filter(|_| !overruled)
        && !is_passed(&results::of_protocol(scope, person.id, first).await?)
    {
        let first = catalogue::find(first).map_or(first, |p| &p.name);
        let message = format!(
            "{} opens once every point of the {first} was met. Do that one first, or give your reason to go on all the same; it is kept with the record.",
            protocol.name
        );
        return Err(InputError::new(Code::MissingInput, "overrule_reason", message).into());
    }
    let checked = readiness::latest(scope, person.id).await?.filter(|c| c.on == today);
    let fit = suitability::judge(protocol, &client(&person, checked.as_ref(), today));
    if fit.verdict != FitVerdict::Suits && !overruled {
        let name = if form.people.len() > 1 { format!("{}: ", person.profile.name) } else { String::new() };
        let message = format!("{name}{} To go on all the same, give your reason; it is kept with the record.", fit.because);
        return Err(InputError::new(Code::MissingInput, "overrule_reason", message).into());
    }
    Ok(NewPerformer { person: Some(person.id), name: person.profile.name, setup })
}

/// Whether every point was met the last time.
fn is_passed(history: &[results::Stored]) -> bool {
    let last = history.iter().rev().find(|r| !r.computed.is_empty());
    last.is_some_and(|r| r.computed.get("points_met").is_some_and(|met| Some(met) == r.computed.get("points_of")))
}

/// Last time's value of what is held against it. What is done in attempts has variants: only one done alike is last time.
fn last_alike(protocol: &catalogue::Protocol, setup: &Setup, history: &[results::Stored], quantity: &str) -> Option<f64> {
    let conditions = setup.recorded(protocol);
    let choices = || protocol.conditions.iter().filter(|c| c.kind == ConditionKind::Choice).map(|c| &c.key);
    let alike = |r: &&results::Stored| protocol.attempts.is_none() || choices().all(|key| r.conditions.get(key) == conditions.get(key));
    history.iter().rev().filter(alike).find_map(|r| r.computed.get(quantity).copied())
}

/// The facts on record with the heart rates typed for the day.
///
/// # Errors
/// [`Code::OutOfRange`] on `resting_hr` or `hr_max`.
pub fn with_rates(recorded: Facts, resting_hr: Option<f64>, hr_max: Option<f64>) -> Result<Facts, InputError> {
    let bpm = |value: Option<f64>, field: &str| value.map(|v| Bpm::new(v).map_err(|e| e.at(field))).transpose();
    Ok(Facts { resting_hr: bpm(resting_hr, "resting_hr")?, hr_max: bpm(hr_max, "hr_max")?, ..recorded })
}

fn join_code() -> String {
    let mut dice = rand::rng();
    (0..CODE_LENGTH).map(|_| char::from(CODE_LETTERS[dice.random_range(0..CODE_LETTERS.len())])).collect()
}

/// A run, live or closed.
#[utoipa::path(tag = "runs", operation_id = "runs_get", responses((status = 200, body = RunView), (status = 404, body = ApiError)))]
#[get("/runs/{id}")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>, rate: web::Data<ClockRate>) -> ApiResult<web::Json<RunView>> {
    let mut scope = who.scope().await?;
    let run = runs::get(&mut scope, RunId(*id)).await?;
    Ok(web::Json(view(&mut scope, run, **rate).await?))
}

/// The run and every change to it, as server-sent events named `view`.
#[utoipa::path(tag = "runs", operation_id = "runs_live", responses((status = 200, content_type = "text/event-stream", body = RunView), (status = 404, body = ApiError)))]
#[get("/runs/{id}/live")]
pub async fn live(who: SignedIn, id: web::Path<Uuid>, rate: web::Data<ClockRate>, hub: web::Data<Hub>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    let run = runs::get(&mut scope, RunId(*id)).await?;
    let first = view(&mut scope, run, **rate).await?;
    Ok(hub.stream(who.practice, &first, Side::Coach(who.sid)))
}

/// Adds events, each once, in sequence; closes the run where they finish it.
#[utoipa::path(tag = "runs", operation_id = "runs_append", responses((status = 200, body = Appended), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/runs/{id}/events")]
pub async fn append(who: SignedIn, id: web::Path<Uuid>, batch: Json<Batch>, intake: web::Data<Intake>) -> ApiResult<web::Json<Appended>> {
    let scope = who.scope().await?;
    Ok(web::Json(intake.take_in(scope, Sender::Coach(who.coach), RunId(*id), batch.into_inner()).await?))
}

fn cadence(protocol: &catalogue::Protocol, sex: Option<Sex>, chosen: Option<f64>) -> Result<Option<Cadence>, InputError> {
    let Some(rule) = &protocol.cadence else { return Ok(None) };
    let Some(beat) = chosen.or_else(|| rule.for_sex(sex)) else { return Ok(None) };
    if !rule.choices().contains(&beat) {
        return Err(InputError::new(Code::OutOfRange, "cadence", format!("The protocol's beat is {:?} a minute.", rule.choices())));
    }
    Cadence::new(beat).map(Some).map_err(|e| e.at("cadence"))
}

/// A run as it stands in the database.
pub async fn view(scope: &mut Scope, run: Run, rate: ClockRate) -> ApiResult<RunView> {
    let events = runs::events(scope, run.id).await?;
    view_of(&run, &events, rate)
}

/// A run as its events make it.
///
/// # Errors
/// Where what is kept of a rehearsal cannot be read.
pub fn view_of(run: &Run, events: &[Event], rate: ClockRate) -> ApiResult<RunView> {
    let first = run.performers.first().ok_or_else(ApiError::not_found)?;
    let many = run.performers.len() > 1;
    let state = fold(&run.protocol, &first.setup, events.iter().filter(|e| !many || e.slot.is_none()));
    let performers = if many { performers(run, events) } else { Vec::new() };
    let rehearsal = rehearsal(run, first, &state, events)?;
    Ok(RunView {
        id: run.id.0,
        person: first.person.filter(|_| !many).map(|p| p.0),
        name: if many { format!("{} performers", run.performers.len()) } else { first.name.clone() },
        conditions: impulso_core::report::condition_reports(&run.protocol, &first.setup.conditions),
        family: run.protocol.family,
        state,
        performers,
        clock_rate: clock_rate(run, rate),
        rehearsal,
        revision: events.len() as u64 + u64::from(run.closed_at.is_some()),
        created_at: run.created_at,
        server_now: Utc::now(),
        closed: run.closed_at.is_some(),
        result: first.result.filter(|_| !many).map(|r| r.0),
        join_code: run.join_code.clone().filter(|_| run.closed_at.is_none()),
        protocol: run.protocol.id.clone(),
        protocol_name: run.protocol.name.clone(),
        count: run.protocol.count.clone(),
    })
}

fn performers(run: &Run, events: &[Event]) -> Vec<PerformerView> {
    let view = |(p, state): (&runs::Performer, State)| PerformerView {
        slot: p.slot,
        person: p.person.map(|id| id.0),
        name: p.name.clone(),
        reading: state.readings.last().cloned(),
        decision: state.decision,
        result: p.result.map(|r| r.0),
    };
    run.performers.iter().zip(intake::states(run, events)).map(view).collect()
}

/// How fast a run's clock passes: that of the server, times that of the rehearsal.
pub fn clock_rate(run: &Run, rate: ClockRate) -> f64 {
    rate.0 * runs::rehearsal::<Rehearsal>(run).ok().flatten().map_or(1.0, |r| r.rate)
}

fn rehearsal(run: &Run, performer: &runs::Performer, state: &State, events: &[Event]) -> ApiResult<Option<RehearsalView>> {
    let Some(kept) = runs::rehearsal::<Rehearsal>(run)? else { return Ok(None) };
    let report = state.is_closed().then(|| impulso_core::rehearse::report(&run.protocol, &performer.setup, &kept.client, state, events));
    Ok(Some(RehearsalView { rate: kept.rate, report }))
}

/// What is kept of a rehearsal beside its run.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Rehearsal {
    /// Who is simulated.
    pub client: simulate::Client,
    /// How fast it runs.
    pub rate: f64,
}
