//! Group visits: the battery of a group on one day. What everybody shares is asked once; everybody who is here has a visit of their own.

use std::collections::BTreeMap;

use actix_web::{get, post, put, web};
use chrono::{NaiveDate, Utc};
use impulso_core::{
    Code, InputError,
    battery::Battery,
    catalogue::{Condition, Protocol},
    group_visit::{self, HeatsBy, Presence, Runner},
    plan::RetestRule,
    points,
    readiness::Permit,
    report::{ConditionReport, condition_reports},
    run::event::Conditions,
    suitability::{self, FitVerdict},
    units::Units,
    visit::{self, Stand, VisitEvent},
};
use impulso_store::{
    CoachId, PersonId, Scope,
    audit::{self, Subject},
    group_visits::{self, GroupVisit, OnRoll},
    groups, people, readiness, results, retests,
    visits::{self, Visit},
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::{
    assess::client,
    visits::{BatteryLine, asked, battery_of, check_shared, line},
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

impl GroupVisitLine {
    /// The line of a stored visit.
    pub fn new(visit: &GroupVisit, group_name: String) -> Self {
        Self {
            id: visit.id,
            group: visit.group,
            group_name,
            battery_name: visit.battery.name.clone(),
            on: visit.on,
            closed: visit.closed_at.is_some(),
        }
    }
}

/// A group visit, under way or over.
#[derive(Serialize, ToSchema)]
pub struct GroupVisitPage {
    pub id: Uuid,
    pub group: Uuid,
    pub group_name: String,
    pub battery_name: String,
    pub on: NaiveDate,
    pub today: NaiveDate,
    pub closed: bool,
    /// What everybody shares, in words.
    pub shared: Vec<ConditionReport>,
    /// What to set up, for all of it.
    pub equipment: Vec<String>,
    /// What to keep in mind.
    pub cautions: Vec<String>,
    /// Everybody, by number, then by name.
    pub roll: Vec<RollLine>,
    pub tests: Vec<GroupTest>,
    /// What a member may have of their own, as the tests ask it.
    pub differs: Vec<Condition>,
    /// How many are here, owe the visit, and were not called.
    pub here: usize,
    pub owing: usize,
    pub uncalled: usize,
}

/// Somebody on the roll.
#[derive(Serialize, ToSchema)]
pub struct RollLine {
    pub person: Uuid,
    /// Their membership, while they belong to the group.
    pub member: Option<Uuid>,
    pub name: String,
    pub number: Option<u16>,
    pub playing_group: Option<String>,
    /// Nothing before they were called.
    pub presence: Option<Presence>,
    pub reason: Option<String>,
    pub heat: Option<u16>,
    /// Their own visit.
    pub visit: Option<Uuid>,
    /// How many tests of it are done.
    pub done: usize,
    /// Whether they owe the visit still.
    pub owes: bool,
    pub readiness: RollReadiness,
    /// What is their own in every group visit.
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub set_up: Conditions,
    /// The same in words.
    pub differs: Vec<ConditionReport>,
}

/// What today's readiness says of somebody.
#[derive(Serialize, ToSchema)]
pub struct RollReadiness {
    /// Whether it was asked today.
    pub asked: bool,
    /// When it was last asked.
    pub last_on: Option<NaiveDate>,
    /// Whether what was said then is no reason to ask anew in full: it may be said again with one key.
    pub may_repeat: bool,
    /// What is advised today for the hardest of the tests.
    pub permit: Option<Permit>,
    pub headline: Option<String>,
    /// Tests that something speaks against: a reason of this person's own is needed.
    pub against: Vec<Against>,
    /// The reason that was given today.
    pub reason: Option<String>,
}

/// What speaks against some of the tests.
#[derive(Serialize, ToSchema)]
pub struct Against {
    pub because: String,
    /// Their names.
    pub tests: Vec<String>,
}

/// A test of the battery, as the group does it.
#[derive(Serialize, ToSchema)]
pub struct GroupTest {
    /// Its place in the battery.
    pub place: usize,
    pub protocol: String,
    pub name: String,
    /// Whether many are written down on one grid.
    pub grid: bool,
    /// Whether many do it on one clock, with partners.
    pub together: bool,
    /// How many of those who are here have done it.
    pub done: usize,
    /// Of those who are here, who has it still to do.
    pub to_come: Vec<Uuid>,
    /// Runs of it that are open.
    pub runs: Vec<Uuid>,
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
    let before: Vec<GroupVisit> =
        group_visits::of_group(&mut scope, *id).await?.into_iter().filter(|v| v.battery.id == battery.id).collect();
    let asked = asked(&battery, &shelf)?;
    let mut suggested = Conditions::new();
    if let Some(last) = before.first() {
        suggested.extend(last.conditions.clone().into_iter().filter(|(key, _)| asked.iter().any(|a| a.key == *key && a.is_lasting())));
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
        open: before.iter().find(|v| v.closed_at.is_none()).map(|v| v.id),
        equipment: equipment(&tests),
        cautions: suitability::cautions(tests, None),
        battery: line((battery, false), &shelf),
        asked,
        suggested,
    }))
}

fn equipment(tests: &[&Protocol]) -> Vec<String> {
    let mut all = Vec::new();
    for needed in tests.iter().flat_map(|p| &p.equipment) {
        needed.set_up(&mut all);
    }
    all
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
    };
    if group_visits::create(&mut scope, who.coach, &visit).await? {
        let subject = Subject::thing("group_visit", visit.id);
        audit::record(&mut scope, who.coach, "group_visit.begun", subject, json!({ "battery": visit.battery.name })).await?;
    }
    let shown = page(&mut scope, &shelf, form.id).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// A group's visits, the latest first.
#[utoipa::path(tag = "groups", operation_id = "group_visits_list", responses((status = 200, body = Vec<GroupVisitLine>), (status = 404, body = ApiError)))]
#[get("/groups/{id}/visits")]
pub async fn list(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<Vec<GroupVisitLine>>> {
    let mut scope = who.scope().await?;
    let name = groups::name(&mut scope, *id).await?;
    let all = group_visits::of_group(&mut scope, *id).await?;
    Ok(web::Json(all.iter().map(|v| GroupVisitLine::new(v, name.clone())).collect()))
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
async fn own_visit(scope: &mut Scope, coach: CoachId, of: &GroupVisit, person: PersonId, on: NaiveDate) -> ApiResult<Uuid> {
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
    audit::record(scope, coach, "visit.begun", Subject::of("visit", own.id, person), json!({ "battery": own.battery.name })).await?;
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
        audit::record(&mut scope, who.coach, "group_visit.closed", subject, json!({ "battery": visit.battery.name })).await?;
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

/// Where the tests of somebody's own visit stand.
fn stands(battery: &Battery, events: Option<&Vec<VisitEvent>>) -> Vec<Stand> {
    visit::fold(battery, events.into_iter().flatten()).places.iter().map(|p| p.stand).collect()
}

async fn page(scope: &mut Scope, shelf: &Shelf, id: Uuid) -> ApiResult<GroupVisitPage> {
    let visit = group_visits::get(scope, id).await?;
    let (today, group_name) = (auth::today(scope).await?, groups::name(scope, visit.group).await?);
    let tests: Vec<(usize, &Protocol)> =
        visit.battery.tests.iter().enumerate().filter_map(|(k, t)| Some((k, shelf.find(&t.protocol).ok()?))).collect();
    let protocols: Vec<&Protocol> = tests.iter().map(|(_, p)| *p).collect();
    let differs = own_conditions(&protocols);
    let members = groups::members(scope, visit.group).await?;
    let called = group_visits::roll(scope, id).await?;
    let events = group_visits::events(scope, id).await?;
    let over = visit.closed_at.is_some();
    let mut roll = Vec::new();
    let mut stand_of: BTreeMap<Uuid, Vec<Stand>> = BTreeMap::new();
    let present = members.iter().filter(|m| m.left_on.is_none());
    let gone = members.iter().filter(|m| m.left_on.is_some() && !members.iter().any(|o| o.person == m.person && o.left_on.is_none()));
    let in_order: Vec<&groups::Member> = present.chain(gone.filter(|m| called.iter().any(|c| c.person == m.person))).collect();
    for member in in_order {
        let line = called.iter().find(|c| c.person == member.person);
        if over && line.is_none() {
            continue;
        }
        let own = line.and_then(|l| l.visit);
        let stands = own.map(|v| stands(&visit.battery, events.get(&v))).unwrap_or_default();
        roll.push(RollLine {
            person: member.person.0,
            member: member.left_on.is_none().then_some(member.id),
            name: member.name.clone(),
            number: member.number,
            playing_group: member.playing_group.clone(),
            presence: line.map(|l| l.presence),
            reason: line.and_then(|l| l.reason.clone()),
            heat: line.and_then(|l| l.heat),
            visit: own,
            done: stands.iter().filter(|s| **s == Stand::Done).count(),
            owes: line.is_some_and(|l| l.presence.owes(own.is_some())),
            readiness: readiness_of(scope, member.person, &protocols, today).await?,
            differs: protocols
                .iter()
                .find_map(|p| Some(condition_reports(p, &member.set_up, Units::Metric)).filter(|r| !r.is_empty()))
                .unwrap_or_default(),
            set_up: member.set_up.clone(),
        });
        stand_of.insert(member.person.0, stands);
    }
    let open = group_visits::open_runs(scope, id).await?;
    let is_here = |l: &&RollLine| l.presence == Some(Presence::Here);
    let tests = tests
        .iter()
        .map(|(place, protocol)| {
            let at = |l: &RollLine| stand_of.get(&l.person).and_then(|s| s.get(*place)).copied().unwrap_or_default();
            GroupTest {
                place: *place,
                protocol: protocol.id.clone(),
                name: visit::variant_name(Some(protocol), &visit.battery.tests[*place]),
                grid: protocol.suits_grid(),
                together: protocol.people_at_once > 1 && protocol.family().runs_live(),
                done: roll.iter().filter(is_here).filter(|l| at(l) == Stand::Done).count(),
                to_come: roll.iter().filter(is_here).filter(|l| at(l) == Stand::ToCome).map(|l| l.person).collect(),
                runs: open.iter().filter(|r| r.place == *place).map(|r| r.run.0).collect(),
            }
        })
        .collect();
    Ok(GroupVisitPage {
        id,
        group: visit.group,
        group_name,
        battery_name: visit.battery.name.clone(),
        on: visit.on,
        today,
        closed: over,
        shared: shared(&protocols, &visit.conditions),
        equipment: equipment(&protocols),
        cautions: suitability::cautions(protocols.iter().copied(), None),
        here: roll.iter().filter(is_here).count(),
        owing: roll.iter().filter(|l| l.owes).count(),
        uncalled: roll.iter().filter(|l| l.presence.is_none()).count(),
        differs,
        tests,
        roll,
    })
}

/// What everybody shares, in words, each once.
fn shared(protocols: &[&Protocol], conditions: &Conditions) -> Vec<ConditionReport> {
    let mut all: Vec<ConditionReport> = Vec::new();
    for report in protocols.iter().flat_map(|p| condition_reports(p, conditions, Units::Metric)) {
        if !all.iter().any(|known| known.label == report.label) {
            all.push(report);
        }
    }
    all
}

/// The choices and numbers of these tests that may differ between two people who do them side by side, each once.
pub fn own_conditions(protocols: &[&Protocol]) -> Vec<Condition> {
    let mut all: Vec<Condition> = Vec::new();
    for condition in protocols.iter().flat_map(|p| &p.conditions).filter(|c| c.is_own()) {
        if !all.iter().any(|known| known.key == condition.key) {
            all.push(condition.clone());
        }
    }
    all
}

/// What today's readiness says of somebody about these tests.
async fn readiness_of(scope: &mut Scope, id: PersonId, protocols: &[&Protocol], today: NaiveDate) -> ApiResult<RollReadiness> {
    let person = people::get(scope, id).await?;
    let last = readiness::latest(scope, id).await?;
    let needs_history = protocols.iter().any(|p| p.opens_after.is_some());
    let before = if needs_history { results::of_person(scope, id).await? } else { Vec::new() };
    let (last_on, may_repeat) = (last.as_ref().map(|c| c.on), last.as_ref().is_some_and(|c| c.advice.moderate == Permit::Go));
    let checked = last.filter(|c| c.on == today);
    let about = client(&person, checked.as_ref(), today, &before);
    let mut against: Vec<Against> = Vec::new();
    for protocol in protocols {
        let fit = suitability::judge(protocol, &about);
        if fit.verdict == FitVerdict::Suits {
            continue;
        }
        match against.iter_mut().find(|a| a.because == fit.because) {
            Some(known) => known.tests.push(fit.name),
            None => against.push(Against { because: fit.because, tests: vec![fit.name] }),
        }
    }
    Ok(RollReadiness {
        asked: checked.is_some(),
        last_on,
        may_repeat,
        permit: checked.as_ref().and_then(|c| protocols.iter().map(|p| c.advice.permit(p.effort)).max()),
        headline: checked.as_ref().map(|c| c.advice.headline.clone()),
        against,
        reason: checked.and_then(|c| c.overrule_reason),
    })
}

/// What was said at the last readiness check is said again today: nothing has changed since.
#[utoipa::path(tag = "groups", operation_id = "group_visits_as_before", responses((status = 200, body = GroupVisitPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/group-visits/{id}/roll/{person}/readiness")]
pub async fn as_before(who: SignedIn, path: web::Path<(Uuid, Uuid)>) -> ApiResult<web::Json<GroupVisitPage>> {
    let (id, person) = path.into_inner();
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    super::readiness::say_again(&mut scope, who.coach, PersonId(person)).await?;
    let shown = page(&mut scope, &shelf, id).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}
