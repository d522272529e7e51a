//! Group visits: the battery of a group on one day. What everybody shares is asked once; everybody who is here has a visit of their own.

use std::collections::{BTreeMap, BTreeSet};

use actix_web::{get, post, put, web};
use chrono::{NaiveDate, Utc};
use impulso_core::{
    Code, InputError,
    catalogue::{Condition, Protocol},
    group_visit::{self, HeatsBy, Presence, Runner},
    plan::RetestRule,
    points,
    run::event::Conditions,
    suitability, visit,
};
use impulso_store::{
    CoachId, PersonId, Scope,
    audit::{self, Action, Subject},
    group_visits::{self, GroupVisit, OnRoll},
    groups, results, retests,
    visits::{self, Visit},
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::{
    group_visit_page::{GroupVisitPage, page},
    visits::{BatteryLine, asked, battery_of, check_shared, equipment, line},
};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
    shelf::Shelf,
};

/// The largest heat.
const HEAT_MAX: usize = 40;

/// Which battery a group visit is prepared for.
#[derive(Deserialize, IntoParams)]
pub struct BatteryQuery {
    /// Its id, or a protocol's for a visit of one.
    pub battery: String,
}

/// Everything a group visit needs before it begins.
#[derive(Serialize, ToSchema)]
pub struct GroupVisitPlan {
    pub group_name: String,
    /// How many belong to the group.
    pub members: usize,
    pub battery: BatteryLine,
    /// The last time, where there was one.
    pub last_on: Option<NaiveDate>,
    /// What all its tests ask, each once.
    pub asked: Vec<Condition>,
    /// Answers to start from: those of last time.
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub suggested: Conditions,
    /// What to set up for all tests.
    pub equipment: Vec<String>,
    /// What to keep in mind, for all tests.
    pub cautions: Vec<String>,
    /// A visit of this group with this battery that is still open.
    pub open: Option<Uuid>,
}

/// A group visit to begin.
#[derive(Deserialize, ToSchema)]
pub struct GroupVisitForm {
    /// Made by the screen, so that a double click begins one visit.
    pub id: Uuid,
    /// The battery's id, or a protocol's for a visit of one.
    pub battery: String,
    /// What everybody shares.
    #[serde(default)]
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub conditions: Conditions,
}

/// A group visit in a list.
#[derive(Serialize, ToSchema)]
pub struct GroupVisitLine {
    pub id: Uuid,
    pub group: Uuid,
    pub group_name: String,
    pub battery_name: String,
    pub on: NaiveDate,
    pub closed: bool,
}

impl From<group_visits::Line> for GroupVisitLine {
    fn from(l: group_visits::Line) -> Self {
        Self { id: l.id, group: l.group, group_name: l.group_name, battery_name: l.battery_name, on: l.on, closed: l.is_closed }
    }
}

/// What the roll call says.
#[derive(Deserialize, ToSchema)]
pub struct RollForm {
    pub people: Vec<Called>,
}

/// What it says of one.
#[derive(Deserialize, ToSchema)]
pub struct Called {
    pub person: Uuid,
    pub presence: Presence,
    /// Why not, in the coach's words.
    #[serde(default)]
    pub reason: String,
}

/// How the heats are made.
#[derive(Deserialize, ToSchema)]
pub struct HeatsForm {
    pub by: HeatsBy,
    /// The most in one heat; 0 for no heats.
    pub size: usize,
    /// The place of the test whose last result counts; the first one where nothing is said.
    #[serde(default)]
    pub place: usize,
    /// Targets count instead of last results.
    #[serde(default)]
    pub targets: bool,
}

/// A second date for everybody who owes the visit.
#[derive(Deserialize, ToSchema)]
pub struct SecondDate {
    pub on: NaiveDate,
}

/// A group visit about to begin.
#[utoipa::path(tag = "groups", operation_id = "group_visits_plan", params(BatteryQuery), responses((status = 200, body = GroupVisitPlan), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[get("/groups/{id}/visits/new")]
pub async fn plan_visit(who: SignedIn, id: web::Path<Uuid>, query: web::Query<BatteryQuery>) -> ApiResult<web::Json<GroupVisitPlan>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let battery = battery_of(&mut scope, &shelf, &query.battery).await?;
    let group_name = groups::name(&mut scope, *id).await?;
    let members = groups::members(&mut scope, *id).await?.iter().filter(|m| m.left_on.is_none()).count();
    let before: Vec<group_visits::Line> =
        group_visits::of_group(&mut scope, *id).await?.into_iter().filter(|v| v.battery == battery.id).collect();
    let asked = asked(&battery, &shelf)?;
    let mut suggested = Conditions::new();
    if let Some(last) = before.first() {
        let last = group_visits::get(&mut scope, last.id).await?;
        suggested.extend(last.conditions.into_iter().filter(|(key, _)| asked.iter().any(|a| a.key == *key && a.is_lasting())));
    }
    let tests: Vec<&Protocol> = battery.tests.iter().filter_map(|p| shelf.find(&p.protocol).ok()).collect();
    // What a test usually has, for whoever does it.
    for (key, usual) in tests.iter().flat_map(|p| visit::conditions(p, None, None, None, &Conditions::new())) {
        if asked.iter().any(|a| a.key == key) {
            suggested.entry(key).or_insert(usual);
        }
    }
    Ok(web::Json(GroupVisitPlan {
        group_name,
        members,
        last_on: before.first().map(|v| v.on),
        open: before.iter().find(|v| !v.is_closed).map(|v| v.id),
        equipment: equipment(tests.iter().copied()),
        cautions: suitability::cautions(tests, None),
        battery: line((battery, false), &shelf),
        asked,
        suggested,
    }))
}

/// Begins a group visit; nobody is called yet.
#[utoipa::path(tag = "groups", operation_id = "group_visits_begin", responses((status = 200, body = GroupVisitPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/groups/{id}/visits")]
pub async fn begin(who: SignedIn, id: web::Path<Uuid>, form: Json<GroupVisitForm>) -> ApiResult<web::Json<GroupVisitPage>> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let battery = battery_of(&mut scope, &shelf, &form.battery).await?;
    groups::lock(&mut scope, *id).await?;
    if groups::members(&mut scope, *id).await?.iter().all(|m| m.left_on.is_some()) {
        return Err(InputError::new(Code::MissingInput, "members", "Nobody belongs to this group. Add its members first.").into());
    }
    check_shared(&battery, &shelf, &form.conditions)?;
    let visit = GroupVisit {
        id: form.id,
        group: *id,
        battery,
        conditions: form.conditions,
        on: auth::today(&mut scope).await?,
        created_at: Utc::now(),
        closed_at: None,
        join_code: Some(super::runs::join_code()),
    };
    if group_visits::create(&mut scope, who.coach, &visit).await? {
        let subject = Subject::thing("group_visit", visit.id);
        audit::record(&mut scope, who.coach, Action::GroupVisitBegun, subject, json!({ "battery": visit.battery.name })).await?;
    }
    let shown = page(&mut scope, &shelf, form.id).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// What everybody shares, as it is from now on.
#[derive(Deserialize, ToSchema)]
pub struct SharedForm {
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub conditions: Conditions,
}

/// Puts right what everybody shares, for every test of the group visit that begins from now on. What is stored keeps its own answer.
#[utoipa::path(tag = "groups", operation_id = "group_visits_share", responses((status = 200, body = GroupVisitPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[put("/group-visits/{id}/conditions")]
pub async fn share(who: SignedIn, id: web::Path<Uuid>, form: Json<SharedForm>) -> ApiResult<web::Json<GroupVisitPage>> {
    let conditions = form.into_inner().conditions;
    let mut scope = who.scope().await?;
    let visit = lock_open(&mut scope, *id).await?;
    let shelf = Shelf::of(&mut scope).await?;
    check_shared(&visit.battery, &shelf, &conditions)?;
    group_visits::share(&mut scope, visit.id, &conditions).await?;
    let changed = |key: &&String| visit.conditions.get(*key) != conditions.get(*key);
    let changed: BTreeSet<&String> = visit.conditions.keys().chain(conditions.keys()).filter(changed).collect();
    if !changed.is_empty() {
        let subject = Subject::thing("group_visit", visit.id);
        audit::record(&mut scope, who.coach, Action::GroupVisitConditions, subject, json!({ "changed": changed })).await?;
    }
    let shown = page(&mut scope, &shelf, visit.id).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// A group's visits, the latest first.
#[utoipa::path(tag = "groups", operation_id = "group_visits_list", responses((status = 200, body = Vec<GroupVisitLine>), (status = 404, body = ApiError)))]
#[get("/groups/{id}/visits")]
pub async fn list(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<Vec<GroupVisitLine>>> {
    let mut scope = who.scope().await?;
    groups::name(&mut scope, *id).await?;
    Ok(web::Json(group_visits::of_group(&mut scope, *id).await?.into_iter().map(Into::into).collect()))
}

/// A group visit, under way or over.
#[utoipa::path(tag = "groups", operation_id = "group_visits_get", responses((status = 200, body = GroupVisitPage), (status = 404, body = ApiError)))]
#[get("/group-visits/{id}")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<GroupVisitPage>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    Ok(web::Json(page(&mut scope, &shelf, *id).await?))
}

/// Calls the roll: who is here gets a visit of their own.
#[utoipa::path(tag = "groups", operation_id = "group_visits_call", responses((status = 200, body = GroupVisitPage), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[put("/group-visits/{id}/roll")]
pub async fn call(who: SignedIn, id: web::Path<Uuid>, form: Json<RollForm>) -> ApiResult<web::Json<GroupVisitPage>> {
    let mut scope = who.scope().await?;
    let visit = lock_open(&mut scope, *id).await?;
    let shelf = Shelf::of(&mut scope).await?;
    let members = groups::members(&mut scope, visit.group).await?;
    let roll = group_visits::roll(&mut scope, visit.id).await?;
    for called in form.into_inner().people {
        let person = PersonId(called.person);
        let Some(name) = members.iter().find(|m| m.person == person).map(|m| &m.name) else { return Err(ApiError::not_found()) };
        let before = roll.iter().find(|r| r.person == person);
        let reason = group_visit::reason(called.presence, name, &called.reason)?;
        if called.presence != Presence::Here
            && let Some(own) = before.filter(|b| b.presence == Presence::Here).and_then(|b| b.visit)
        {
            take_back(&mut scope, visit.id, person, name, own).await?;
        }
        group_visits::call(&mut scope, visit.id, person, called.presence, reason.as_deref()).await?;
        if called.presence == Presence::Here && before.is_none_or(|b| b.visit.is_none()) {
            own_visit(&mut scope, who.coach, &visit, person, visit.on).await?;
        }
    }
    let shown = page(&mut scope, &shelf, visit.id).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// Somebody who was called here by mistake has no visit, unless something was done in it.
async fn take_back(scope: &mut Scope, id: Uuid, person: PersonId, name: &str, own: Uuid) -> ApiResult<()> {
    if visits::events(scope, own).await?.is_empty() {
        group_visits::has_visit(scope, id, person, None).await?;
        visits::remove_empty(scope, own).await?;
        return Ok(());
    }
    let message = format!("{name} has begun the tests already. Leave out the ones that are still to come in {name}’s own visit.");
    Err(InputError::new(Code::OutOfRange, "presence", message).into())
}

/// Gives somebody a visit of their own in a group visit.
pub(super) async fn own_visit(scope: &mut Scope, coach: CoachId, of: &GroupVisit, person: PersonId, on: NaiveDate) -> ApiResult<Uuid> {
    let own = Visit {
        id: Uuid::now_v7(),
        person,
        battery: of.battery.clone(),
        conditions: of.conditions.clone(),
        on,
        created_at: Utc::now(),
        closed_at: None,
    };
    visits::create(scope, coach, &own).await?;
    group_visits::has_visit(scope, of.id, person, Some(own.id)).await?;
    audit::record(scope, coach, Action::VisitBegun, Subject::of("visit", own.id, person), json!({ "battery": own.battery.name })).await?;
    Ok(own.id)
}

/// The visit in which somebody makes up what they owe; today's.
#[derive(Serialize, ToSchema)]
pub struct MadeUp {
    pub visit: Uuid,
}

/// Somebody who was absent does it today, alone: their visit takes its place in the group visit.
#[utoipa::path(tag = "groups", operation_id = "group_visits_make_up", responses((status = 200, body = MadeUp), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/group-visits/{id}/roll/{person}/visit")]
pub async fn make_up(who: SignedIn, path: web::Path<(Uuid, Uuid)>) -> ApiResult<web::Json<MadeUp>> {
    let (id, person) = path.into_inner();
    let mut scope = who.scope().await?;
    let visit = group_visits::lock(&mut scope, id).await?;
    let roll = group_visits::roll(&mut scope, id).await?;
    let line = roll.into_iter().find(|r| r.person == PersonId(person)).ok_or_else(ApiError::not_found)?;
    let own = match line.visit {
        Some(own) => own,
        None if line.presence == Presence::Absent => {
            let today = auth::today(&mut scope).await?;
            own_visit(&mut scope, who.coach, &visit, line.person, today).await?
        }
        None => {
            let message = format!("{} doesn’t owe this visit. Call {} here first.", line.name, line.name);
            return Err(InputError::new(Code::OutOfRange, "person", message).into());
        }
    };
    scope.commit().await?;
    Ok(web::Json(MadeUp { visit: own }))
}

/// Plans a second date for everybody who owes the visit.
#[utoipa::path(tag = "groups", operation_id = "group_visits_second_date", responses((status = 200, body = GroupVisitPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/group-visits/{id}/second-date")]
pub async fn second_date(who: SignedIn, id: web::Path<Uuid>, form: Json<SecondDate>) -> ApiResult<web::Json<GroupVisitPage>> {
    let mut scope = who.scope().await?;
    let visit = group_visits::lock(&mut scope, *id).await?;
    let shelf = Shelf::of(&mut scope).await?;
    let today = auth::today(&mut scope).await?;
    let rule = RetestRule::Once { on: form.on };
    let dates = rule.dates(today)?;
    for line in group_visits::roll(&mut scope, visit.id).await? {
        if line.presence.owes(line.visit.is_some()) {
            retests::keep(&mut scope, who.coach, line.person, &visit.battery.id, &rule, today, &dates).await?;
        }
    }
    let shown = page(&mut scope, &shelf, visit.id).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// Puts everybody who is here into heats.
#[utoipa::path(tag = "groups", operation_id = "group_visits_heats", responses((status = 200, body = GroupVisitPage), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/group-visits/{id}/heats")]
pub async fn heats(who: SignedIn, id: web::Path<Uuid>, form: Json<HeatsForm>) -> ApiResult<web::Json<GroupVisitPage>> {
    let mut scope = who.scope().await?;
    let visit = lock_open(&mut scope, *id).await?;
    let shelf = Shelf::of(&mut scope).await?;
    if form.size > HEAT_MAX {
        return Err(InputError::new(Code::OutOfRange, "size", format!("A heat has at most {HEAT_MAX} people.")).into());
    }
    let Some(test) = visit.battery.tests.get(form.place) else {
        return Err(InputError::new(Code::OutOfRange, "place", "This battery has no such test.").into());
    };
    let protocol = shelf.find(&test.protocol)?;
    let members = groups::members(&mut scope, visit.group).await?;
    let here: Vec<OnRoll> = group_visits::roll(&mut scope, visit.id).await?.into_iter().filter(|r| r.presence == Presence::Here).collect();
    let mut runners = Vec::with_capacity(here.len());
    for line in &here {
        let value = worth(&mut scope, protocol, line.person, form.targets).await?;
        let number = members.iter().find(|m| m.person == line.person && m.left_on.is_none()).and_then(|m| m.number);
        runners.push(Runner {
            person: line.person.0,
            number,
            worth: value.map(|v| if points::lower_is_better(protocol) { -v } else { v }),
        });
    }
    let of: BTreeMap<Uuid, u16> =
        if form.size == 0 { BTreeMap::new() } else { group_visit::heats(&runners, form.by, form.size)?.into_iter().collect() };
    for line in &here {
        group_visits::put_into_heat(&mut scope, visit.id, line.person, of.get(&line.person.0).copied()).await?;
    }
    let shown = page(&mut scope, &shelf, visit.id).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// The last result of a test that has one, or what somebody has set out to reach.
async fn worth(scope: &mut Scope, protocol: &Protocol, person: PersonId, target: bool) -> ApiResult<Option<f64>> {
    if target {
        let goals = impulso_store::goals::of_person(scope, person).await?;
        let mut own = goals.into_iter().map(|(_, g)| g).filter(|g| g.protocol == protocol.id && g.reached_on.is_none());
        return Ok(own.next_back().map(|g| g.to));
    }
    let done = results::of_protocol(scope, person, &protocol.id).await?;
    Ok(done.iter().rev().find_map(|r| r.headline(protocol)))
}

/// Closes a group visit: everybody's own visit closes with it.
#[utoipa::path(tag = "groups", operation_id = "group_visits_close", responses((status = 200, body = GroupVisitPage), (status = 404, body = ApiError), (status = 409, body = ApiError)))]
#[post("/group-visits/{id}/close")]
pub async fn close(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<GroupVisitPage>> {
    let mut scope = who.scope().await?;
    let visit = group_visits::lock(&mut scope, *id).await?;
    let shelf = Shelf::of(&mut scope).await?;
    if let Some(open) = group_visits::open_runs(&mut scope, visit.id).await?.first() {
        let message = format!("{} is still open for {} people. Save or discard it first.", shelf.name(&open.protocol), open.performers);
        return Err(InputError::new(Code::OutOfRange, "runs", message).into());
    }
    let members = groups::members(&mut scope, visit.group).await?;
    let roll = group_visits::roll(&mut scope, visit.id).await?;
    // Who was never called was not here.
    for member in members.iter().filter(|m| m.left_on.is_none() && !roll.iter().any(|r| r.person == m.person)) {
        group_visits::call(&mut scope, visit.id, member.person, Presence::Absent, None).await?;
    }
    if visit.closed_at.is_none() {
        for own in roll.iter().filter(|r| r.presence == Presence::Here).filter_map(|r| r.visit) {
            super::visits::close(&mut scope, who.coach, own).await?;
        }
        group_visits::close(&mut scope, visit.id).await?;
        let subject = Subject::thing("group_visit", visit.id);
        audit::record(&mut scope, who.coach, Action::GroupVisitClosed, subject, json!({ "battery": visit.battery.name })).await?;
    }
    let shown = page(&mut scope, &shelf, visit.id).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

async fn lock_open(scope: &mut Scope, id: Uuid) -> ApiResult<GroupVisit> {
    let visit = group_visits::lock(scope, id).await?;
    if visit.closed_at.is_some() {
        return Err(InputError::new(Code::OutOfRange, "visit", "This group visit is over. Begin a new one.").into());
    }
    Ok(visit)
}

/// Whose last readiness check holds today.
#[derive(Deserialize, ToSchema)]
pub struct AsBefore {
    pub people: Vec<Uuid>,
}

/// What was said at the last readiness check of each of these people is said again today: nothing has changed since. All of them or nobody.
#[utoipa::path(tag = "groups", operation_id = "group_visits_as_before", responses((status = 200, body = GroupVisitPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/group-visits/{id}/readiness")]
pub async fn as_before(who: SignedIn, id: web::Path<Uuid>, form: Json<AsBefore>) -> ApiResult<web::Json<GroupVisitPage>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    for person in form.into_inner().people {
        super::readiness::say_again(&mut scope, who.coach, PersonId(person)).await?;
    }
    let shown = page(&mut scope, &shelf, *id).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}
