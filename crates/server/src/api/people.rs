//! People: find, add, change, and the page of one.

use std::collections::BTreeMap;

use actix_web::{HttpResponse, get, http::header, post, put, web};
use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{
    Code, InputError,
    catalogue::Protocol,
    combined::Combined,
    done::Done,
    life_event::LifeEvent,
    person::{Sex, age_on, check_born},
    progress::{self, Audience, MeasureSummary, Rung},
    suitability::Fit,
    text,
    units::{BodyMass, Height, Units},
};
use impulso_store::{
    PersonId, Scope,
    audit::{self, Action, Subject},
    error::{Conflict, Error as StoreError},
    groups,
    people::{self, Person, Profile},
    readiness, retests, visits,
};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::{
    assess::shortlist,
    best_vo2max,
    goals::{self, Aim, GoalLine},
    readiness::ReadinessPage,
    results::TestLine,
};
use crate::{
    ApiError, ApiResult,
    auth::{self, Caller, SignedIn},
    body::Json,
    dossier::Dossier,
    intake::Intake,
    live::Hub,
    planning::RetestLine,
    scoring,
    settings::limits,
    shelf::Shelf,
    visiting::VisitLine,
};

/// What is asked of the list.
#[derive(Deserialize, IntoParams)]
pub struct ListQuery {
    /// The beginning of any word of the name.
    #[serde(default)]
    pub q: String,
    /// Where the last page ended.
    pub cursor: Option<String>,
}

#[derive(Serialize, ToSchema)]
pub struct PeoplePage {
    /// By name.
    pub people: Vec<PersonLine>,
    /// Where the next page starts; absent on the last.
    pub next: Option<String>,
    /// How many people the practice has.
    pub total: i64,
}

/// A person in a list.
#[derive(Serialize, ToSchema)]
pub struct PersonLine {
    pub id: Uuid,
    pub name: String,
    /// Nobody real: loaded to look around.
    pub made_up: bool,
    /// Age today.
    pub age: Option<f64>,
    /// What the person does.
    pub occupation: Option<String>,
    /// The latest test's display name.
    pub last_test: Option<String>,
    /// Its day.
    pub last_on: Option<NaiveDate>,
    /// The next open retest.
    pub next_due: Option<NaiveDate>,
    /// The same, spoken.
    pub next_due_words: Option<String>,
}

/// A person as typed.
#[derive(Deserialize, Serialize, ToSchema, Clone)]
pub struct PersonForm {
    /// Made by the screen, so that a double click adds one person.
    pub id: Uuid,
    /// Name, any script.
    pub name: String,
    /// Birth date.
    pub born: NaiveDate,
    /// Sex (for equations and norms), or none.
    pub sex: Option<Sex>,
    /// `metric` or `imperial`.
    pub units: Units,
    /// Height as typed: `178`, `1.78 m`, `5'10`; a bare number is centimetres, or inches where the client thinks in them.
    #[serde(default)]
    pub height: String,
    /// Body mass as typed: `80 kg`, `176 lb`, `12 st 8`.
    #[serde(default)]
    pub mass: String,
    /// What the person does.
    #[serde(default)]
    pub occupation: String,
    /// The goal in the client's words.
    #[serde(default)]
    pub goal: String,
    /// Medicines, as told.
    #[serde(default)]
    pub medicines: String,
    /// Whether one of them limits the heart rate.
    #[serde(default)]
    pub rate_limiting_drug: bool,
    /// Anything else.
    #[serde(default)]
    pub notes: String,
    /// The version the change was made on; 0 for a new person.
    #[serde(default)]
    pub version: i32,
}

/// A person's page.
#[derive(Serialize, ToSchema)]
pub struct PersonPage {
    pub id: Uuid,
    /// What is on record, as typed.
    pub form: PersonForm,
    /// Nobody real: loaded to look around.
    pub made_up: bool,
    /// Age today.
    pub age: Option<f64>,
    /// With the practice since.
    pub since: DateTime<Utc>,
    /// What happened, in plain words.
    pub story: String,
    /// First test to now, largest change first.
    pub ladder: Vec<Rung>,
    /// Each measure in short: the first time, the best and the last.
    pub measures: Vec<MeasureSummary>,
    /// Every test, latest first.
    pub tests: Vec<TestLine>,
    /// Visits, latest first.
    pub visits: Vec<VisitLine>,
    /// Whether there are earlier visits than those.
    pub more_visits: bool,
    /// Open retests, soonest first.
    pub retests: Vec<RetestLine>,
    /// Where they want to be, and how they stand to it.
    pub goals: Vec<GoalLine>,
    /// What goals can be agreed on.
    pub aims: Vec<Aim>,
    /// Events in the client’s life, earliest first.
    pub events: Vec<Noted>,
    /// The groups they belong to.
    pub groups: Vec<GroupName>,
    /// The best VO₂max of the weeks up to the latest one; nothing where none was ever taken.
    pub vo2max: Option<Combined>,
    /// The latest readiness check.
    pub readiness: Option<ReadinessPage>,
    /// The tests, suitable first.
    pub fits: Vec<Fit>,
}

/// A group a client belongs to.
#[derive(Serialize, ToSchema)]
pub struct GroupName {
    pub id: Uuid,
    pub name: String,
}

/// An event with its key.
#[derive(Serialize, ToSchema)]
pub struct Noted {
    pub id: Uuid,
    /// In words.
    pub said: String,
    /// What was noted.
    pub event: LifeEvent,
}

const PAGE: i64 = 25;

/// People by the beginning of any word of their name.
#[utoipa::path(tag = "people", operation_id = "people_list", params(ListQuery), responses((status = 200, body = PeoplePage), (status = 401, body = ApiError)))]
#[get("/people")]
pub async fn list(who: SignedIn, query: web::Query<ListQuery>) -> ApiResult<web::Json<PeoplePage>> {
    let mut scope = who.scope().await?;
    let today = auth::today(&mut scope).await?;
    let mut found = people::list(&mut scope, &query.q, query.cursor.as_deref(), PAGE + 1).await?;
    let more = found.len() > PAGE as usize;
    found.truncate(PAGE as usize);
    let next = found.last().filter(|_| more).map(|p| p.cursor.clone());
    let shelf = Shelf::of(&mut scope).await?;
    let people = found.into_iter().map(|p| line(p, &shelf, today)).collect();
    Ok(web::Json(PeoplePage { people, next, total: people::count(&mut scope).await? }))
}

/// Adds a person.
#[utoipa::path(tag = "people", operation_id = "people_add", responses((status = 200, body = PersonPage), (status = 422, body = ApiError)))]
#[post("/people")]
pub async fn add(who: SignedIn, form: Json<PersonForm>) -> ApiResult<web::Json<PersonPage>> {
    let mut scope = who.scope().await?;
    let profile = profile(&form, auth::today(&mut scope).await?)?;
    let id = PersonId(form.id);
    people::add(&mut scope, id, &profile).await?;
    audit::record(&mut scope, who.coach, Action::PersonAdded, Subject::person(id), serde_json::json!({})).await?;
    let shown = page(&mut scope, id).await?;
    scope.commit().await?;
    Ok(shown)
}

/// A person's page.
#[utoipa::path(tag = "people", operation_id = "people_get", responses((status = 200, body = PersonPage), (status = 404, body = ApiError)))]
#[get("/people/{id}")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<PersonPage>> {
    page(&mut who.scope().await?, PersonId(*id)).await
}

/// Says, as server-sent events named `changed`, that something of this person was stored: a result, a correction, a step of a visit.
#[utoipa::path(tag = "people", operation_id = "people_live", responses((status = 200, content_type = "text/event-stream", body = String), (status = 404, body = ApiError), (status = 429, body = ApiError)))]
#[get("/people/{id}/live")]
pub async fn live(who: SignedIn, id: web::Path<Uuid>, hub: web::Data<Hub>, caller: Caller) -> ApiResult<HttpResponse> {
    let person = people::get(&mut who.scope().await?, PersonId(*id)).await?.id;
    hub.follow_person(who.practice, person, &who, caller.0)
}

/// Changes a person, if nobody else did in the meantime.
#[utoipa::path(tag = "people", operation_id = "people_update", responses((status = 200, body = PersonPage), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[put("/people/{id}")]
pub async fn update(who: SignedIn, id: web::Path<Uuid>, form: Json<PersonForm>) -> ApiResult<web::Json<PersonPage>> {
    let mut scope = who.scope().await?;
    let profile = profile(&form, auth::today(&mut scope).await?)?;
    match people::update(&mut scope, PersonId(*id), form.version, &profile).await {
        Err(StoreError::Conflict(Conflict::ChangedElsewhere)) if same(&people::get(&mut scope, PersonId(*id)).await?, &form) => {}
        done => done?,
    }
    audit::record(&mut scope, who.coach, Action::PersonChanged, Subject::person(PersonId(*id)), serde_json::json!({})).await?;
    let shown = page(&mut scope, PersonId(*id)).await?;
    scope.commit().await?;
    Ok(shown)
}

/// One person's whole record as JSON, for the person who asks for it.
#[utoipa::path(tag = "people", operation_id = "people_record", responses((status = 200, content_type = "application/json", body = serde_json::Value), (status = 404, body = ApiError)))]
#[get("/people/{id}/record")]
pub async fn record(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    let record = impulso_store::record::of_person(&mut scope, PersonId(*id)).await?;
    audit::record(&mut scope, who.coach, Action::PersonExported, Subject::person(PersonId(*id)), serde_json::json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::Ok().insert_header((header::CONTENT_DISPOSITION, format!("attachment; filename=\"record-{id}.json\""))).json(record))
}

/// Who is to be erased, in full.
#[derive(Deserialize, ToSchema)]
pub struct EraseForm {
    /// The person's name, typed.
    pub name: String,
}

/// Erases a person with everything that says who it was, for good. The name is typed, so that it is the right one.
#[utoipa::path(tag = "people", operation_id = "people_erase", responses((status = 204), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/people/{id}/erase")]
pub async fn erase(who: SignedIn, id: web::Path<Uuid>, form: Json<EraseForm>, intake: web::Data<Intake>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    let person = people::get(&mut scope, PersonId(*id)).await?;
    if text::search_key(&form.name) != text::search_key(&person.profile.name) {
        let message = format!("Type “{}” to erase this record for good.", person.profile.name);
        return Err(InputError::new(Code::NotApplicable, "name", message).into());
    }
    people::erase(&mut scope, person.id).await?;
    audit::record(&mut scope, who.coach, Action::PersonErased, Subject::thing("person", *id), serde_json::json!({})).await?;
    scope.commit().await?;
    intake.cache.forget();
    Ok(HttpResponse::NoContent().finish())
}

/// Whether a change has been made already: the second of two clicks.
fn same(person: &Person, form: &PersonForm) -> bool {
    let mut stored = as_form(person);
    stored.version = form.version;
    serde_json::to_value(stored).ok() == serde_json::to_value(form).ok()
}

/// A list line.
pub fn line(p: people::Listed, shelf: &Shelf, today: NaiveDate) -> PersonLine {
    PersonLine {
        id: p.id.0,
        made_up: p.made_up,
        age: years(p.born, today),
        name: p.name,
        occupation: p.occupation,
        last_on: p.last_test.as_ref().map(|(_, on)| *on),
        last_test: p.last_test.map(|(id, _)| shelf.name(&id)),
        next_due_words: p.next_due.map(|due| impulso_core::plan::spoken(due, today)),
        next_due: p.next_due,
    }
}

fn years(born: NaiveDate, today: NaiveDate) -> Option<f64> {
    age_on(born, today).ok().map(impulso_core::units::Age::value)
}

/// Checks what was typed.
fn profile(form: &PersonForm, today: NaiveDate) -> Result<Profile, InputError> {
    check_born(form.born, today)?;
    let imperial = form.units == Units::Imperial;
    let given = |text: &str| (!text.trim().is_empty()).then(|| text.trim().to_owned());
    Ok(Profile {
        name: text::name(&form.name, "name")?,
        born: form.born,
        sex: form.sex,
        units: form.units,
        height: given(&form.height).map(|t| Height::parse_entry(&t, imperial).map(|h| (h, t)).map_err(|e| e.at("height"))).transpose()?,
        mass: given(&form.mass).map(|t| BodyMass::parse_entry(&t, imperial).map(|m| (m, t)).map_err(|e| e.at("mass"))).transpose()?,
        occupation: text::note(&form.occupation, "occupation")?,
        goal: text::note(&form.goal, "goal")?,
        medicines: text::note(&form.medicines, "medicines")?,
        rate_limiting_drug: form.rate_limiting_drug,
        notes: text::note(&form.notes, "notes")?,
    })
}

fn as_form(person: &Person) -> PersonForm {
    let p = &person.profile;
    let text = |t: &Option<String>| t.clone().unwrap_or_default();
    PersonForm {
        id: person.id.0,
        name: p.name.clone(),
        born: p.born,
        sex: p.sex,
        units: p.units,
        height: p.height.as_ref().map(|(_, t)| t.clone()).unwrap_or_default(),
        mass: p.mass.as_ref().map(|(_, t)| t.clone()).unwrap_or_default(),
        occupation: text(&p.occupation),
        goal: text(&p.goal),
        medicines: text(&p.medicines),
        rate_limiting_drug: p.rate_limiting_drug,
        notes: text(&p.notes),
        version: person.version,
    }
}

/// A client's page.
pub(crate) async fn page(scope: &mut Scope, id: PersonId) -> ApiResult<web::Json<PersonPage>> {
    let of = Dossier::of(scope, id).await?;
    let (goals, aims) = goals::of_person(scope, &of).await?;
    // The coach's page is metric throughout.
    let audience = Audience { noted: of.events(), ..Audience::default() };
    let entries = best_vo2max::entries(&of);
    let vo2max = (!entries.is_empty()).then(|| best_vo2max::latest(&entries, of.today));
    let Dossier { shelf, person, history, noted, today } = of;
    let tests: Vec<&Done> = history.iter().map(|r| &r.done).collect();
    let is_repeated = |p: &&Protocol| tests.iter().filter(|r| r.protocol_id == p.id).count() > 1;
    let repeated: Vec<&Protocol> = shelf.all().filter(is_repeated).collect();
    let known = scoring::known(scope, &repeated).await?;
    let ladder = progress::ladder(repeated, &tests, &known, &audience);
    let retests = retests::open_of(scope, id).await?.into_iter().map(|r| RetestLine::new(r, &shelf, today)).collect();
    let checked = readiness::latest(scope, id).await?;
    let visits = visits::of_person(scope, id, limits::VISITS + 1).await?;
    let in_visits: BTreeMap<Uuid, Uuid> = visits::of_results(scope, id).await?.into_iter().collect();
    let fits = shortlist(&person, checked.as_ref(), today, &history);
    let with_reading = history.iter().filter(|r| r.is_scored()).count();
    Ok(web::Json(PersonPage {
        goals,
        aims,
        id: id.0,
        form: as_form(&person),
        made_up: person.made_up,
        age: years(person.profile.born, today),
        since: person.created_at,
        story: progress::story(&ladder, with_reading, today),
        measures: progress::summaries(shelf.all(), &tests, person.profile.units),
        tests: history.iter().rev().map(|r| TestLine::new(r, &shelf, in_visits.get(&r.id).copied())).collect(),
        more_visits: visits.len() > limits::VISITS as usize,
        visits: visits.iter().take(limits::VISITS as usize).map(|v| VisitLine::new(v, None)).collect(),
        groups: groups::of_person(scope, id).await?.into_iter().map(|(id, name)| GroupName { id, name }).collect(),
        vo2max,
        ladder,
        events: noted.into_iter().map(|(id, h)| Noted { id, said: h.said(), event: h }).collect(),
        retests,
        readiness: checked.map(|c| ReadinessPage {
            is_today: c.on == today,
            on: c.on,
            answers: c.answers,
            advice: c.advice,
            overrule_reason: c.overrule_reason,
        }),
        fits,
    }))
}
