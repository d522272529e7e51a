//! Runs: set up, live, closed.

use std::collections::BTreeMap;

use actix_web::{HttpResponse, get, post, web};
use chrono::NaiveDate;
use impulso_core::{
    Code, InputError, catalogue, done,
    group_visit::Presence,
    hr_max::{CeilingRule, HrMaxMethod},
    person::Sex,
    picture::{BodyMap, Drawing, Picture},
    progress,
    run::{
        BoardKind, Earlier, Event, Setup,
        event::{Answer, Conditions},
    },
    suitability::{self, Fit, FitVerdict},
    text,
    units::Cadence,
    visit::{self, VisitEvent},
};
use impulso_store::{
    PersonId, RunId, Scope,
    audit::{self, Subject},
    group_visits, groups,
    people::{self, Person},
    readiness::{self, Check},
    results,
    runs::{self, NewPerformer, NewRun, Run, Sender},
    visits,
};
use rand::RngExt;
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::{assess::client, stops::stopped_today};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
    intake::{Appended, Batch, Intake},
    live::{Hub, Side},
    rate_limit::RateLimits,
    recording, scoring,
    settings::ClockRate,
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
/// The most lanes of a test that starts again and again, and how far apart they start at the most, s.
const LANES_MAX: usize = 8;
const APART_MAX_S: f64 = 30.0;

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
    /// Why this test although another suits better, or although readiness advises against it; of one person.
    pub overrule_reason: Option<String>,
    /// The same for each of many: one person's reason admits nobody else.
    #[serde(default)]
    pub reasons: BTreeMap<Uuid, String>,
    /// The body mass, where the one on record is old; of one person.
    #[serde(flatten)]
    pub weighed: recording::Weighed,
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
    /// The place in a visit that it fills.
    #[serde(default)]
    pub visit: Option<InVisit>,
    /// Many do it on one clock, and are not written down one by one.
    #[serde(default)]
    pub together: bool,
    /// Where starts come again and again: so long after one another the lanes start, s.
    #[serde(default)]
    pub apart_s: f64,
    /// The same of a group visit: each fills the place in a visit of their own.
    #[serde(default)]
    pub group: Option<InGroup>,
}

/// Sets a run up.
#[utoipa::path(tag = "runs", operation_id = "runs_create", responses((status = 200, body = RunView), (status = 422, body = ApiError)))]
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
    can_run(protocol, form.people.len(), form.together)?;
    let mut places: BTreeMap<Uuid, Place> = BTreeMap::new();
    if let (Some(at), [person]) = (form.visit, form.people.as_slice()) {
        places.insert(*person, place(&mut scope, protocol, at, &form, PersonId(*person), &Conditions::new()).await?);
    } else if let Some(at) = form.group {
        places = places_in_group(&mut scope, protocol, at, &form).await?;
    }
    let mut reason = text::note(form.overrule_reason.as_deref().unwrap_or_default(), "overrule_reason")?;
    if let (None, Some(at)) = (&reason, form.visit) {
        // One reason serves the whole visit.
        reason = runs::reason_in_visit(&mut scope, at.visit).await?;
    }
    let today = auth::today(&mut scope).await?;
    let alone = form.people.len() == 1;
    let mut performers = Vec::with_capacity(form.people.len());
    let (mut admitted, mut unasked) = (Vec::new(), Vec::new());
    for person in &form.people {
        let given = text::note(form.reasons.get(person).map_or("", String::as_str), "reasons")?;
        let own = if alone { reason.clone().or(given) } else { given };
        let of = places.get(person);
        let conditions = of.map_or(&form.conditions, |p| &p.conditions).clone();
        let mut found = performer(&mut scope, protocol, &form, conditions, PersonId(*person), today, own.as_deref()).await?;
        if let Some(of) = of {
            found.performer.setup.takes.clone_from(&of.takes);
            found.performer.visit = form.group.map(|_| (of.at.visit, of.at.place));
        }
        if !alone {
            found.performer.setup.together = form.together || !protocol.suits_grid();
            let after_s = form.apart_s.clamp(0.0, APART_MAX_S) * performers.len() as f64;
            found.performer.setup.start_after_s = (after_s > 0.0).then_some(after_s);
        }
        let name = found.performer.name.clone();
        admitted.extend(found.reason.map(|why| if alone { why } else { format!("{name}: {why}") }));
        if !found.asked {
            unasked.push(name);
        }
        performers.push(found.performer);
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
    };
    let is_new = runs::create(&mut scope, who.coach, &new).await?;
    if is_new {
        let subject = match form.people.as_slice() {
            [one] => Subject::of("run", form.id, PersonId(*one)),
            _ => Subject::thing("run", form.id),
        };
        if let Some(InVisit { visit, place }) = form.visit {
            visits::tie(&mut scope, RunId(form.id), visit, place).await?;
            visits::append(&mut scope, visit, form.id, &VisitEvent::Begun { place, run: form.id }).await?;
        } else if let Some(at) = form.group {
            group_visits::tie(&mut scope, RunId(form.id), at.visit).await?;
            for InVisit { visit, place } in places.values().map(|p| p.at) {
                visits::append(&mut scope, visit, Uuid::now_v7(), &VisitEvent::Begun { place, run: form.id }).await?;
            }
        }
        audit::record(
            &mut scope,
            who.coach,
            "run.set_up",
            subject,
            json!({ "protocol": protocol.id, "overrule_reason": reason, "not_asked": unasked }),
        )
        .await?;
    }
    let run = runs::get(&mut scope, RunId(form.id)).await?;
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

/// The place of somebody's visit that the run fills, and what the test starts from there.
struct Place {
    at: InVisit,
    takes: Vec<String>,
    conditions: Conditions,
}

/// Locks the place of somebody's visit. `own`: what is this person's own, before what is said for all.
async fn place(
    scope: &mut Scope,
    protocol: &catalogue::Protocol,
    at: InVisit,
    form: &RunForm,
    person: PersonId,
    own: &Conditions,
) -> ApiResult<Place> {
    let (visit, slot) = visiting::lock_place(scope, at, person, &protocol.id).await?;
    visiting::is_free(scope, &visit, at.place, form.id).await?;
    let profile = people::get(scope, visit.person).await?.profile;
    let history = results::of_protocol(scope, visit.person, &protocol.id).await?;
    let last = done::last_scored(history.iter().map(|r| &r.done), &protocol.id).map(|r| &r.conditions);
    let said: Conditions = form.conditions.iter().chain(own).map(|(key, answer)| (key.clone(), answer.clone())).collect();
    let conditions = visit::conditions(protocol, profile.sex, last, Some((&slot, &visit.conditions)), &said);
    Ok(Place { at, takes: slot.takes, conditions })
}

/// The same for everybody who is tested together: each has a visit of their own in the group visit.
async fn places_in_group(
    scope: &mut Scope,
    protocol: &catalogue::Protocol,
    at: InGroup,
    form: &RunForm,
) -> ApiResult<BTreeMap<Uuid, Place>> {
    let group = group_visits::get(scope, at.visit).await?;
    let members = groups::members(scope, group.group).await?;
    let roll = group_visits::roll(scope, at.visit).await?;
    let mut all = BTreeMap::new();
    // In one order whoever begins, so that two devices never wait for each other.
    let mut wanted = form.people.clone();
    wanted.sort_unstable();
    for person in wanted {
        let line = roll.iter().find(|r| r.person.0 == person);
        let member = members.iter().find(|m| m.person.0 == person && m.left_on.is_none());
        let name = line.map(|l| &l.name).or(member.map(|m| &m.name)).ok_or_else(ApiError::not_found)?;
        let Some((line, visit)) = line.and_then(|l| Some((l, l.visit.filter(|_| l.presence == Presence::Here)?))) else {
            let message = format!("{name} is not called here today. Call the roll first, or leave {name} out.");
            return Err(InputError::new(Code::OutOfRange, "people", message).into());
        };
        let own = member.map(|m| m.set_up.clone()).unwrap_or_default();
        let in_visit = InVisit { visit, place: at.place };
        all.insert(person, place(scope, protocol, in_visit, form, line.person, &own).await?);
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

async fn performer(
    scope: &mut Scope,
    protocol: &catalogue::Protocol,
    form: &RunForm,
    conditions: Conditions,
    person: PersonId,
    today: NaiveDate,
    reason: Option<&str>,
) -> ApiResult<Admission> {
    let person = people::get(scope, person).await?;
    let facts = recording::with_rates(person.facts_on(today)?, form.resting_hr, form.hr_max)?;
    let facts = recording::weigh(scope, protocol, &person, today, facts, &form.weighed).await?;
    let pace = protocol.course().and_then(|c| c.pace.as_deref()).or_else(|| (!protocol.legs().is_empty()).then(|| protocol.headline()));
    let history = if pace.is_some() { results::of_protocol(scope, person.id, &protocol.id).await? } else { Vec::new() };
    let mut setup = Setup {
        cadence: cadence(protocol, facts.sex, form.cadence)?,
        conditions,
        hr_max_method: form.hr_max_method,
        ceiling: form.ceiling.unwrap_or_default(),
        first_load: form.first_load,
        units: person.profile.units,
        ..Setup::of(&facts)
    };
    setup.check(protocol)?;
    let comparable = progress::last_comparable(protocol, &setup.recorded(protocol), history.iter().map(|r| &r.done));
    setup.last_value = pace.and_then(|q| comparable.iter().find_map(|r| r.value(q)));
    for (quantity, value) in comparable.iter().flat_map(|r| &r.computed) {
        setup.last_values.entry(quantity.clone()).or_insert(*value);
    }
    let (checked, fit) = judged(scope, protocol, &person, today).await?;
    // A reason that was given with today's readiness is one.
    let reason = reason.map(str::to_owned).or_else(|| checked.as_ref().and_then(|c| c.overrule_reason.clone()));
    let refused = protocol.conditions.iter().find(|c| c.or_reason && setup.conditions.get(&c.key) == Some(&Answer::YesNo(false)));
    let held = fit.verdict != FitVerdict::Suits || refused.is_some();
    if held && reason.is_none() {
        let (name, field) = match form.people.len() {
            1 => (String::new(), "overrule_reason"),
            _ => (format!("{}: ", person.profile.name), "reasons"),
        };
        let because = refused.map_or(fit.because, |c| format!("{}: no. {}.", c.label, text::capital(&c.why)));
        let message = format!("{name}{because} To test all the same, give your reason; it is saved with the record.");
        return Err(InputError::new(Code::MissingInput, field, message).into());
    }
    let performer = NewPerformer { person: Some(person.id), name: person.profile.name, setup, visit: None };
    Ok(Admission { performer, reason: reason.filter(|_| held), asked: checked.is_some() })
}

/// How a test suits somebody today, with today's readiness check.
async fn judged(scope: &mut Scope, protocol: &catalogue::Protocol, person: &Person, today: NaiveDate) -> ApiResult<(Option<Check>, Fit)> {
    let mut checked = readiness::latest(scope, person.id).await?.filter(|c| c.on == today);
    let before = if protocol.opens_after.is_some() { results::of_person(scope, person.id).await? } else { Vec::new() };
    let stopped = stopped_today(scope, person.id, checked.as_mut(), today).await?;
    let fit = suitability::judge(protocol, &client(person, checked.as_ref(), today, &before, stopped));
    Ok((checked, fit))
}

/// Somebody who may be tested.
struct Admission {
    performer: NewPerformer,
    /// Why, where something spoke against it.
    reason: Option<String>,
    /// Whether readiness was asked today.
    asked: bool,
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
        let (checked, fit) = judged(&mut scope, protocol, &person, today).await?;
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
pub struct RunLog {
    /// How it was set up: for the core in the browser, and for nothing else.
    #[schema(value_type = Object)]
    pub facts: serde_json::Value,
    /// What there was before it, for the same.
    #[schema(value_type = Object)]
    pub earlier: serde_json::Value,
    /// Everything that happened, as it is stored.
    pub events: Vec<Event>,
    /// The day it is, in the practice's time zone.
    pub today: NaiveDate,
}

/// So many of somebody's earlier tests go with a run: the last one that was done alike is among them.
const EARLIER_MAX: usize = 6;

/// How a run was set up and what happened in it.
#[utoipa::path(tag = "runs", operation_id = "runs_log", responses((status = 200, body = RunLog), (status = 404, body = ApiError)))]
#[get("/runs/{id}/log")]
pub async fn log(who: SignedIn, id: web::Path<Uuid>, rate: web::Data<ClockRate>) -> ApiResult<web::Json<RunLog>> {
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
    let json = |value: Result<serde_json::Value, serde_json::Error>| value.map_err(|_| ApiError::unavailable());
    Ok(web::Json(RunLog {
        facts: json(serde_json::to_value(facts(&run, **rate)?))?,
        earlier: json(serde_json::to_value(&earlier))?,
        events: runs::events(&mut scope, run.id).await?,
        today: auth::today(&mut scope).await?,
    }))
}

/// What a screen that listens has seen already.
#[derive(Deserialize, IntoParams)]
pub struct LiveQuery {
    /// The revision it shows: the same one is not sent again as the stream begins.
    pub seen: Option<u64>,
}

/// The run and every change to it, as server-sent events: `events` that were stored, where they are at hand, and the `view` after them.
#[utoipa::path(tag = "runs", operation_id = "runs_live", params(LiveQuery), responses((status = 200, content_type = "text/event-stream", body = RunView), (status = 404, body = ApiError)))]
#[get("/runs/{id}/live")]
pub async fn live(
    who: SignedIn,
    id: web::Path<Uuid>,
    query: web::Query<LiveQuery>,
    rate: web::Data<ClockRate>,
    hub: web::Data<Hub>,
) -> ApiResult<HttpResponse> {
    let listening = hub.listen(who.practice, RunId(*id), Side::Coach(who.sid));
    let mut scope = who.scope().await?;
    let run = runs::get(&mut scope, RunId(*id)).await?;
    let first = view(&mut scope, run, **rate).await?;
    Ok(listening.answer(&first, query.seen))
}

/// Adds events, each once, in sequence; closes the run where they finish it.
#[utoipa::path(tag = "runs", operation_id = "runs_append", responses((status = 200, body = Appended), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/runs/{id}/events")]
pub async fn append(who: SignedIn, id: web::Path<Uuid>, batch: Json<Batch>, intake: web::Data<Intake>) -> ApiResult<web::Json<Appended>> {
    Ok(web::Json(Box::pin(intake.accept(&who.store(), who.practice, Sender::Coach(who.coach), RunId(*id), batch.into_inner())).await?))
}

fn cadence(protocol: &catalogue::Protocol, sex: Option<Sex>, chosen: Option<f64>) -> Result<Option<Cadence>, InputError> {
    let Some(rule) = &protocol.cadence else { return Ok(None) };
    let Some(beat) = chosen.or_else(|| rule.for_sex(sex)) else { return Ok(None) };
    if !rule.choices().contains(&beat) {
        return Err(InputError::new(Code::OutOfRange, "cadence", format!("The protocol's beat is {:?} a minute.", rule.choices())));
    }
    Cadence::new(beat).map(Some).map_err(|e| e.at("cadence"))
}
