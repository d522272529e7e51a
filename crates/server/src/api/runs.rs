//! Runs: set up, live, closed.

use std::collections::BTreeMap;

use actix_web::{HttpResponse, get, post, web};
use chrono::{DateTime, NaiveDate, TimeDelta, Utc};
use impulso_core::{
    Code, InputError, catalogue,
    picture::{BodyMap, Drawing, Picture},
    run::{BeepCourse, BoardKind, Earlier, Event, RunFacts, SetUpTyped, admission::InPlace, event::Conditions},
    suitability::FitVerdict,
    visit::VisitEvent,
};
use impulso_store::{
    PersonId, RunId, Scope,
    audit::{self, Action, Subject},
    group_visits, people, results,
    runs::{self, NewPerformer, NewRun, Run, Sender},
    visits,
};
use rand::RngExt;
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::prepared::{self, EARLIER_MAX};
use crate::{
    ApiError, ApiResult,
    auth::{self, Caller, SignedIn},
    body::Json,
    channels::Who,
    intake::{Appended, Batch, Intake, clock_off},
    live::{Hub, Side},
    rate_limit::RateLimits,
    recording, scoring,
    settings::{ClockRate, limits},
    shelf::Shelf,
    view::{RunView, facts, view},
    visiting::{self, InVisit},
};

/// The letters and digits of a join code: none that is read for another.
const CODE_LETTERS: &[u8] = b"ABCDEFGHJKMNPQRSTUVWXYZ23456789";
/// How long a join code is: typed from a wall in two groups, and too long to be guessed.
const CODE_LENGTH: usize = 8;
/// The most performers of one run.
const PERFORMERS_MAX: usize = 40;
/// The most lanes of a test that starts again and again.
const LANES_MAX: usize = 8;

/// A run to set up.
#[derive(Deserialize, ToSchema)]
pub struct RunForm {
    /// Made by the screen, so that a double click sets up one run.
    pub id: Uuid,
    /// Who is tested: one, or many on one clock where the protocol allows it.
    pub people: Vec<Uuid>,
    /// The protocol's id.
    pub protocol: String,
    /// How it is set up.
    #[serde(flatten)]
    pub set_up: SetUpTyped,
    /// The place in a visit that it fills.
    #[serde(default)]
    pub visit: Option<InVisit>,
    /// The same of a group visit: each fills the place in a visit of their own.
    #[serde(default)]
    pub group: Option<InGroup>,
    /// When it was set up, where that was before it is sent: on a screen without a network.
    #[serde(default)]
    pub set_up_at: Option<DateTime<Utc>>,
    /// The screen's clock as it sends this, so that one that is far off does no harm.
    #[serde(default)]
    pub sent_at: Option<DateTime<Utc>>,
}

impl RunForm {
    /// When the run was set up: now, or when the screen says, a week ago at the most.
    fn set_up_at(&self) -> DateTime<Utc> {
        let now = Utc::now();
        let off = clock_off(self.sent_at, now).unwrap_or_default();
        let at = self.set_up_at.and_then(|at| at.checked_add_signed(off)).unwrap_or(now);
        at.clamp(now - TimeDelta::days(limits::SET_UP_AGO_DAYS), now)
    }
}

/// Sets a run up.
#[utoipa::path(tag = "runs", operation_id = "runs_create", responses((status = 200, body = RunView), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/runs")]
pub async fn create(
    who: SignedIn,
    form: Json<RunForm>,
    intake: web::Data<Intake>,
    rates: web::Data<RateLimits>,
) -> ApiResult<web::Json<RunView>> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&form.protocol)?;
    can_run(protocol, form.people.len(), form.set_up.together)?;
    let set_up_at = form.set_up_at();
    let day = auth::day_of(&mut scope, set_up_at).await?;
    let places = places(&mut scope, protocol, &form).await?;
    let test = prepared::Test::of(&mut scope, protocol, day, form.group.map(|at| at.visit)).await?;
    let many = form.people.len();
    let mut performers = Vec::with_capacity(many);
    let (mut admitted, mut unasked) = (Vec::new(), Vec::new());
    for (nth, id) in form.people.iter().enumerate() {
        let person = people::get(&mut scope, PersonId(*id)).await?;
        let ready = test.ready(&mut scope, &person, places.get(id).map(|(at, _)| at.clone())).await?;
        let on = ready.admit(protocol, &form.set_up, nth, many)?;
        if let Some(mass) = on.weighed {
            recording::has_weighed(&mut scope, &person, day, mass).await?;
        }
        let name = ready.name;
        admitted.extend(on.reason.map(|why| if many == 1 { why } else { format!("{name}: {why}") }));
        if !ready.asked {
            unasked.push(name.clone());
        }
        let is_free = places.get(id).is_some_and(|(_, free)| *free);
        let visit = form.group.and(ready.place).filter(|_| is_free).map(|at| (at.visit, at.place));
        performers.push(NewPerformer { person: Some(person.id), name, setup: on.setup, visit });
    }
    let reason = (!admitted.is_empty()).then(|| admitted.join("\n").chars().take(4000).collect::<String>());
    // In a group visit the code is that of the whole visit.
    let join_code = (protocol.people_at_once > 1 && form.people.len() > 1 && form.group.is_none()).then(join_code);
    let new = NewRun {
        id: RunId(form.id),
        protocol,
        performers: &performers,
        overrule_reason: reason.as_deref(),
        rehearsal: None,
        join_code: join_code.as_deref(),
        set_up_at,
    };
    let is_new = runs::create(&mut scope, who.coach, &new).await?;
    if is_new {
        let subject = match form.people.as_slice() {
            [one] => Subject::of("run", form.id, PersonId(*one)),
            _ => Subject::thing("run", form.id),
        };
        let free = || places.values().filter(|(_, free)| *free).map(|(at, _)| at);
        if let (Some(InVisit { visit, place }), Some(_)) = (form.visit, free().next()) {
            visits::tie(&mut scope, RunId(form.id), visit, place).await?;
            visits::append(&mut scope, visit, form.id, &VisitEvent::Begun { place, run: form.id }).await?;
        } else if let Some(at) = form.group {
            group_visits::tie(&mut scope, RunId(form.id), at.visit).await?;
            for at in free() {
                visits::append(&mut scope, at.visit, Uuid::now_v7(), &VisitEvent::Begun { place: at.place, run: form.id }).await?;
            }
        }
        audit::record(
            &mut scope,
            who.coach,
            Action::RunSetUp,
            subject,
            json!({ "protocol": protocol.id, "overrule_reason": reason, "not_asked": unasked }),
        )
        .await?;
    }
    let run = runs::get(&mut scope, RunId(form.id)).await?;
    // Sent once more it is the same; another one under its key is not.
    let tested: Vec<Option<Uuid>> = run.performers.iter().map(|p| p.person.map(|p| p.0)).collect();
    if !is_new && (run.protocol.id != protocol.id || tested != form.people.iter().copied().map(Some).collect::<Vec<_>>()) {
        return Err(ApiError::saved_already());
    }
    let shown = view(&mut scope, run.clone(), intake.rate).await?;
    scope.commit().await?;
    if is_new {
        if let Some(code) = &run.join_code {
            rates.codes.learn(code);
        }
        intake.is_set_up(who.practice, run);
    }
    Ok(web::Json(shown))
}

/// The place in a group visit that a run fills, in each performer's own visit.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
pub struct InGroup {
    /// The group visit.
    pub visit: Uuid,
    /// The place in its battery, from 0.
    pub place: usize,
}

/// The places of visits that a run fills, by person; locked, and free. Of a run that was begun without a network, also those that are free
/// no more: what was done is stored beside its visit then, with what the visit shares.
async fn places(scope: &mut Scope, protocol: &catalogue::Protocol, form: &RunForm) -> ApiResult<BTreeMap<Uuid, (InPlace, bool)>> {
    let mut wanted: Vec<(PersonId, InVisit, Conditions)> = match (form.visit, form.group, form.people.as_slice()) {
        (Some(at), _, [person]) => vec![(PersonId(*person), at, Conditions::new())],
        (_, Some(at), people) => prepared::in_group(scope, at, people).await?,
        _ => Vec::new(),
    };
    // In one order whoever begins, so that two devices never wait for each other.
    wanted.sort_unstable_by_key(|(person, ..)| person.0);
    let mut all = BTreeMap::new();
    for (person, at, own) in wanted {
        let free = match visiting::lock_place(scope, at, person, &protocol.id).await {
            Ok(found) => visiting::is_free(scope, &found.0, at.place, form.id).await.map(|()| found),
            Err(error) => Err(error),
        };
        let (is_free, (visit, slot)) = match free {
            Ok(found) => (true, found),
            Err(error) if form.set_up_at.is_some() => {
                let beside = visiting::place_beside(scope, at, person, &protocol.id).await?;
                (false, beside.ok_or(error)?)
            }
            Err(error) => return Err(error),
        };
        all.insert(person.0, (InPlace { visit: at.visit, place: at.place, slot, shared: visit.conditions, own }, is_free));
    }
    Ok(all)
}

fn can_run(protocol: &catalogue::Protocol, people: usize, together: bool) -> Result<(), InputError> {
    let at_once = match protocol.board_kind() {
        Some(BoardKind::Lanes) if together => LANES_MAX,
        Some(_) => PERFORMERS_MAX,
        None if protocol.suits_grid() => PERFORMERS_MAX,
        None => usize::from(protocol.people_at_once).min(PERFORMERS_MAX),
    };
    let message = match people {
        _ if !protocol.family().runs_live() => format!("{} is entered afterwards: type the result.", protocol.name),
        0 => "Choose whom to test.".to_owned(),
        n if n > at_once && at_once == 1 => format!("{} tests one person at a time.", protocol.name),
        n if n > at_once => format!("{} tests up to {at_once} people at once; {n} were chosen.", protocol.name),
        _ => return Ok(()),
    };
    Err(InputError::new(Code::OutOfRange, "people", message))
}

/// Who is to be tested together, and by what.
#[derive(Deserialize, ToSchema)]
pub struct AdmissionForm {
    /// Whom.
    pub people: Vec<Uuid>,
    /// The protocol's id.
    pub protocol: String,
}

/// How a test suits one of many.
#[derive(Serialize, ToSchema)]
pub struct AdmissionLine {
    /// Whom.
    pub person: Uuid,
    pub name: String,
    /// Whether readiness was asked today.
    pub asked: bool,
    /// What speaks against it, where something does: a reason of this person's own is needed.
    pub against: Option<String>,
    /// The reason that was given with today's readiness.
    pub reason: Option<String>,
}

/// What speaks against a test, person by person, before a class begins.
#[utoipa::path(tag = "runs", operation_id = "runs_admission", responses((status = 200, body = Vec<AdmissionLine>), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/runs/admission")]
pub async fn admission(who: SignedIn, form: Json<AdmissionForm>) -> ApiResult<web::Json<Vec<AdmissionLine>>> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&form.protocol)?;
    if form.people.len() > PERFORMERS_MAX {
        return Err(InputError::new(Code::OutOfRange, "people", format!("{PERFORMERS_MAX} people at once is the most.")).into());
    }
    let today = auth::today(&mut scope).await?;
    let mut lines = Vec::with_capacity(form.people.len());
    for id in form.people {
        let person = people::get(&mut scope, PersonId(id)).await?;
        let (checked, fit) = prepared::judged(&mut scope, protocol, &person, today).await?;
        lines.push(AdmissionLine {
            person: id,
            name: person.profile.name.clone(),
            asked: checked.is_some(),
            against: (fit.verdict != FitVerdict::Suits).then_some(fit.because),
            reason: checked.and_then(|c| c.overrule_reason),
        });
    }
    Ok(web::Json(lines))
}

pub(super) fn join_code() -> String {
    let mut dice = rand::rng();
    (0..CODE_LENGTH).map(|_| char::from(CODE_LETTERS[dice.random_range(0..CODE_LETTERS.len())])).collect()
}

/// What a floor shows beside its entry: it stays the same as long as the run lasts.
#[derive(Serialize, ToSchema)]
pub struct RunPictures {
    /// Of the test as it is done here.
    pub drawings: Vec<Drawing>,
    /// Where on the body its readings are taken.
    pub body_map: Option<BodyMap>,
}

/// What a floor shows beside its entry.
#[utoipa::path(tag = "runs", operation_id = "runs_pictures", responses((status = 200, body = RunPictures), (status = 404, body = ApiError)))]
#[get("/runs/{id}/pictures")]
pub async fn pictures(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<RunPictures>> {
    let mut scope = who.scope().await?;
    let Run { protocol, performers, .. } = runs::get(&mut scope, RunId(*id)).await?;
    let is_so = |p: &&Picture| p.when.as_ref().is_none_or(|when| performers.first().is_some_and(|of| when.holds(&of.setup.conditions)));
    let drawings = protocol.pictures.iter().filter(is_so).map(Picture::drawing).collect();
    Ok(web::Json(RunPictures { drawings, body_map: protocol.body_map() }))
}

/// A run, live or closed.
#[utoipa::path(tag = "runs", operation_id = "runs_get", responses((status = 200, body = RunView), (status = 404, body = ApiError)))]
#[get("/runs/{id}")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>, rate: web::Data<ClockRate>) -> ApiResult<web::Json<RunView>> {
    let mut scope = who.scope().await?;
    let run = runs::get(&mut scope, RunId(*id)).await?;
    Ok(web::Json(view(&mut scope, run, **rate).await?))
}

/// What a screen needs to work a run out for itself.
#[derive(Serialize, ToSchema)]
pub struct RunLog<'r> {
    /// How it was set up: for the core in the browser, and for nothing else.
    #[schema(value_type = Object)]
    pub facts: RunFacts<'r>,
    /// What there was before it, for the same.
    #[schema(value_type = Object)]
    pub earlier: Earlier,
    /// Everything that happened, as it is stored.
    pub events: Vec<Event>,
    /// What happened beside it and is not told: to others than the one whom a partner's phone counts for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[schema(required = false)]
    pub hidden: Vec<Uuid>,
    /// The day it is, in the practice's time zone.
    pub today: NaiveDate,
}

/// How a run was set up and what happened in it.
#[utoipa::path(tag = "runs", operation_id = "runs_log", responses((status = 200, body = RunLog), (status = 404, body = ApiError)))]
#[get("/runs/{id}/log")]
pub async fn log(who: SignedIn, id: web::Path<Uuid>, rate: web::Data<ClockRate>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    let run = runs::get(&mut scope, RunId(*id)).await?;
    let mut earlier = Earlier { own: scoring::own(&mut scope, &run.protocol).await?, tests: Vec::new() };
    let pairs: Vec<_> = run.performers.iter().filter_map(|p| Some((p.person?, run.protocol.id.as_str()))).collect();
    let tests = results::of_protocols(&mut scope, &pairs).await?;
    for performer in &run.performers {
        let own = performer.person.and_then(|id| tests.get(&(id, run.protocol.id.clone()))).map(Vec::as_slice).unwrap_or_default();
        let latest = own.iter().skip(own.len().saturating_sub(EARLIER_MAX)).map(|r| r.done.clone());
        earlier.tests.push(latest.collect());
    }
    let events = runs::events(&mut scope, run.id).await?;
    let today = auth::today(&mut scope).await?;
    Ok(HttpResponse::Ok().json(RunLog { facts: facts(&run, **rate)?, earlier, events, hidden: Vec::new(), today }))
}

/// When each beep of a run to beeps sounds, and what is called.
#[utoipa::path(tag = "runs", operation_id = "runs_beeps", responses((status = 200, body = BeepCourse), (status = 404, body = ApiError)))]
#[get("/runs/{id}/beeps")]
pub async fn beeps(who: SignedIn, id: web::Path<Uuid>, rate: web::Data<ClockRate>) -> ApiResult<web::Json<BeepCourse>> {
    let mut scope = who.scope().await?;
    let run = runs::get(&mut scope, RunId(*id)).await?;
    let found = facts(&run, **rate)?.beeps();
    found.map(web::Json).ok_or_else(ApiError::not_found)
}

/// What a screen that listens has seen already.
#[derive(Deserialize, IntoParams)]
pub struct LiveQuery {
    /// The revision it shows: the same one is not sent again as the stream begins.
    pub seen: Option<u64>,
}

/// The run and every change to it, as server-sent events: `events` that were stored, where they are at hand, and the `view` after them.
#[utoipa::path(tag = "runs", operation_id = "runs_live", params(LiveQuery), responses((status = 200, content_type = "text/event-stream", body = RunView), (status = 404, body = ApiError), (status = 429, body = ApiError)))]
#[get("/runs/{id}/live")]
pub async fn live(
    who: SignedIn,
    id: web::Path<Uuid>,
    query: web::Query<LiveQuery>,
    rate: web::Data<ClockRate>,
    hub: web::Data<Hub>,
    caller: Caller,
) -> ApiResult<HttpResponse> {
    let place = hub.place(who.practice, RunId(*id), Who::Coach(who.coach), caller.0)?;
    let listening = hub.listen(who.practice, RunId(*id), Side::Coach(who.sid)).at(place);
    let mut scope = who.scope().await?;
    let run = runs::get(&mut scope, RunId(*id)).await?;
    let first = view(&mut scope, run, **rate).await?;
    Ok(listening.answer(&first, query.seen))
}

/// Adds events, each once, in sequence; closes the run where they finish it.
#[utoipa::path(tag = "runs", operation_id = "runs_append", responses((status = 200, body = Appended), (status = 403, body = ApiError), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/runs/{id}/events")]
pub async fn append(who: SignedIn, id: web::Path<Uuid>, batch: Json<Batch>, intake: web::Data<Intake>) -> ApiResult<web::Json<Appended>> {
    Ok(web::Json(Box::pin(intake.accept(&who.store(), who.practice, Sender::Coach(who.coach), RunId(*id), batch.into_inner())).await?))
}
