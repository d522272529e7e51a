//! Visits: a battery for one person on one day, test after test; and the batteries themselves.

use actix_web::{HttpResponse, delete, get, post, put, web};
use chrono::NaiveDate;
use impulso_core::{
    Code, InputError,
    battery::{self, Battery},
    catalogue::{self, Condition, ConditionKind},
    done,
    goal::{Goal, TOTAL},
    person,
    picture::{Drawing, Picture},
    run::{
        check_answer,
        event::{Answer, Conditions},
    },
    suitability::{self, BatteryFit},
    text,
    units::Units,
    visit::{self, VisitEvent, cost_of_moving},
};
use impulso_store::{
    CoachId, PersonId, Scope,
    audit::{self, Action, Subject},
    group_visits, people, readiness, results, retests,
    visits::{self, Visit},
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::{
    assess::client,
    goals::{self, GoalLine},
    stops::stopped_today,
};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
    dossier::Dossier,
    recording,
    shelf::Shelf,
    view,
    visiting::{self, VisitPage},
};

/// A battery in the list.
#[derive(Serialize, ToSchema)]
pub struct BatteryLine {
    pub battery: Battery,
    /// Whether it is the practice's own.
    pub own: bool,
    /// Its tests, by name and variant.
    pub names: Vec<String>,
    /// Why each stands where it stands.
    pub reasons: Vec<String>,
    /// Minutes to plan.
    pub minutes: u16,
    /// The places in the order that disturbs least, where that is another.
    pub better_order: Option<Vec<usize>>,
}

/// Every battery of the practice.
async fn batteries_of(scope: &mut Scope) -> ApiResult<Vec<(Battery, bool)>> {
    let own = visits::own_batteries(scope).await?;
    Ok(own.into_iter().map(|b| (b, true)).chain(battery::all().iter().map(|b| (b.clone(), false))).collect())
}

pub(super) async fn battery_of(scope: &mut Scope, shelf: &Shelf, id: &str) -> ApiResult<Battery> {
    if let Some(own) = visits::own_batteries(scope).await?.into_iter().find(|b| b.id == id) {
        return Ok(own);
    }
    // Every test on its own is a battery of one.
    Ok(battery::find(id).cloned().or_else(|unknown| shelf.find(id).map(Battery::of_one).map_err(|_| unknown))?)
}

pub(super) fn line((battery, own): (Battery, bool), shelf: &Shelf) -> BatteryLine {
    let known = |id: &str| shelf.find(id);
    let tests = || battery.tests.iter().map(|place| (place, shelf.find(&place.protocol).ok()));
    let order = battery.suggested_order(&known);
    let as_it_is: Vec<usize> = (0..battery.tests.len()).collect();
    BatteryLine {
        own,
        names: tests().map(|(place, protocol)| visit::variant_name(protocol, place)).collect(),
        reasons: battery.reasons(&|id| shelf.find(id)),
        minutes: tests().map(|(place, protocol)| place.rest_min + protocol.map_or(0, |p| p.minutes)).sum(),
        better_order: (order != as_it_is).then_some(order),
        battery,
    }
}

/// The batteries: the practice's own, and those that ship.
#[utoipa::path(tag = "visits", operation_id = "batteries_list", responses((status = 200, body = Vec<BatteryLine>)))]
#[get("/batteries")]
pub async fn batteries(who: SignedIn) -> ApiResult<web::Json<Vec<BatteryLine>>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    Ok(web::Json(batteries_of(&mut scope).await?.into_iter().map(|b| line(b, &shelf)).collect()))
}

/// A battery as it stands for a client.
#[derive(Serialize, ToSchema)]
pub struct BatteryForClient {
    /// The battery.
    #[serde(flatten)]
    pub line: BatteryLine,
    /// What its tests look like, one picture each.
    pub drawings: Vec<Drawing>,
    /// What has to be at hand, in words.
    pub needs: Vec<String>,
    /// When this client did it last.
    pub last_on: Option<NaiveDate>,
    /// How often.
    pub times: usize,
    /// When it is due, spoken.
    pub due: Option<String>,
    /// Why it is one to begin with, where it is.
    pub suggested: Option<String>,
}

/// The batteries for a client: the suggested ones first.
#[utoipa::path(tag = "visits", operation_id = "batteries_for", responses((status = 200, body = Vec<BatteryForClient>), (status = 404, body = ApiError)))]
#[get("/people/{id}/batteries")]
pub async fn batteries_for(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<Vec<BatteryForClient>>> {
    let mut scope = who.scope().await?;
    let of = Dossier::of(&mut scope, PersonId(*id)).await?;
    let all = batteries_of(&mut scope).await?;
    let planned = retests::open_of(&mut scope, of.person.id).await?;
    let done = visits::of_person(&mut scope, of.person.id, i64::MAX).await?;
    let mut checked = readiness::latest(&mut scope, of.person.id).await?.filter(|c| c.on == of.today);
    let days = |battery: &Battery| done.iter().filter(|v| v.battery.id == battery.id).map(|v| v.on).collect::<Vec<NaiveDate>>();
    let due = |battery: &Battery| planned.iter().filter(|r| r.protocol_id == battery.id).map(|r| r.planned.due_on).min();
    let fits: Vec<BatteryFit> =
        all.iter().map(|(battery, _)| BatteryFit { battery, last_on: days(battery).into_iter().max(), due_on: due(battery) }).collect();
    let stopped = stopped_today(&mut scope, of.person.id, checked.as_mut(), of.today).await?;
    let client = client(&of.person, checked.as_ref(), of.today, &of.history, stopped);
    let suggested = suitability::suggest_batteries(&fits, &client, &|id| of.protocol(id), of.today);
    let rank = |k: usize| suggested.iter().position(|(at, _)| *at == k).unwrap_or(usize::MAX);
    let mut order: Vec<usize> = (0..all.len()).collect();
    order.sort_by_key(|k| rank(*k));
    let shown = |k: usize| {
        let (battery, own) = all[k].clone();
        let tests = || battery.tests.iter().filter_map(|t| of.protocol(&t.protocol));
        let mut needs: Vec<String> = Vec::new();
        for equipment in tests().flat_map(|p| &p.needs).filter_map(|key| catalogue::equipment_named(key)) {
            if !needs.contains(&equipment.words) {
                needs.push(equipment.words.clone());
            }
        }
        BatteryForClient {
            drawings: tests().filter_map(|p| p.pictures.iter().find(|p| !p.wrong)).map(Picture::drawing).collect(),
            needs,
            last_on: fits[k].last_on,
            times: days(&battery).len(),
            due: fits[k].due_on.map(|on| impulso_core::plan::spoken(on, of.today)),
            suggested: suggested.iter().find(|(at, _)| *at == k).map(|(_, why)| why.clone()),
            line: line((battery, own), &of.shelf),
        }
    };
    Ok(web::Json(order.into_iter().map(shown).collect()))
}

/// Keeps a battery of the practice's own: a new one, or one that is changed. Visits that were done with it stay as they were.
#[utoipa::path(tag = "visits", operation_id = "batteries_keep", responses((status = 200, body = BatteryLine), (status = 422, body = ApiError)))]
#[put("/batteries/{id}")]
pub async fn keep_battery(who: SignedIn, id: web::Path<Uuid>, form: Json<Battery>) -> ApiResult<web::Json<BatteryLine>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let battery = Battery { id: format!("own-{}", id.simple()), ..form.into_inner() }.identified();
    battery.check(&|id: &str| shelf.find(id))?;
    visits::keep_battery(&mut scope, who.coach, &battery).await?;
    audit::record(&mut scope, who.coach, Action::BatteryKept, Subject::thing("battery", *id), json!({ "name": battery.name })).await?;
    scope.commit().await?;
    Ok(web::Json(line((battery, true), &shelf)))
}

/// Removes a battery of the practice's own from the library; its history stays.
#[utoipa::path(tag = "visits", operation_id = "batteries_retire", responses((status = 204), (status = 404, body = ApiError)))]
#[delete("/batteries/{id}")]
pub async fn retire_battery(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    visits::retire_battery(&mut scope, &format!("own-{}", id.simple())).await?;
    audit::record(&mut scope, who.coach, Action::BatteryRetired, Subject::thing("battery", *id), json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Which battery a visit is prepared for.
#[derive(Deserialize, IntoParams)]
pub struct BatteryQuery {
    /// Its id, or a protocol's for a visit of one.
    pub battery: String,
}

/// Everything a visit needs before it begins.
#[derive(Serialize, ToSchema)]
pub struct VisitPlan {
    pub name: String,
    pub battery: BatteryLine,
    /// Which time it would be, from 1.
    pub nth: usize,
    /// The last time, where there was one.
    pub last_on: Option<NaiveDate>,
    /// What all its tests ask, each once.
    pub asked: Vec<Condition>,
    /// Answers to start from: those of last time.
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub suggested: Conditions,
    /// What to set up for all tests.
    pub equipment: Vec<String>,
    /// The units that numbers are shown and typed in.
    pub units: Units,
    /// What to keep in mind, for all tests.
    pub cautions: Vec<String>,
    /// Whether readiness was asked today, and what it advises.
    pub readiness: Option<String>,
    /// A visit of this battery that is still open.
    pub open: Option<Uuid>,
}

/// A visit about to begin.
#[utoipa::path(tag = "visits", operation_id = "visits_plan", params(BatteryQuery), responses((status = 200, body = VisitPlan), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[get("/people/{id}/visits/new")]
pub async fn plan(who: SignedIn, id: web::Path<Uuid>, query: web::Query<BatteryQuery>) -> ApiResult<web::Json<VisitPlan>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let battery = battery_of(&mut scope, &shelf, &query.battery).await?;
    let person = people::get(&mut scope, PersonId(*id)).await?;
    let today = auth::today(&mut scope).await?;
    let history = results::of_person(&mut scope, person.id).await?;
    let checked = readiness::latest(&mut scope, person.id).await?.filter(|c| c.on == today);
    let before = visits::of_battery(&mut scope, person.id, &battery.id).await?;
    let asked = asked(&battery, &shelf)?;
    let mut suggested = Conditions::new();
    for place in &battery.tests {
        let protocol = shelf.find(&place.protocol)?;
        let last = done::last_scored(history.iter().map(|r| &r.done), &protocol.id);
        let from = visit::conditions(protocol, person.profile.sex, last.map(|r| &r.conditions), None, &Conditions::new());
        for condition in asked.iter().filter(|c| !place.given.contains_key(&c.key)) {
            if let Some(answer) = from.get(&condition.key) {
                suggested.entry(condition.key.clone()).or_insert_with(|| answer.clone());
            }
        }
    }
    if let Some(last) = before.first() {
        suggested.extend(last.conditions.clone().into_iter().filter(|(key, _)| asked.iter().any(|a| a.key == *key && a.is_lasting())));
    }
    let tests = battery.tests.iter().filter_map(|p| shelf.find(&p.protocol).ok());
    Ok(web::Json(VisitPlan {
        units: person.profile.units,
        name: person.profile.name,
        nth: before.len() + 1,
        last_on: before.first().map(|v| v.on),
        open: before.iter().find(|v| v.closed_at.is_none()).map(|v| v.id),
        equipment: equipment(tests.clone()),
        cautions: suitability::cautions(tests, impulso_core::person::age_on(person.profile.born, today).ok()),
        readiness: checked.map(|c| c.advice.headline),
        battery: line((battery.clone(), false), &shelf),
        asked,
        suggested,
    }))
}

/// What to set up for these tests, each thing once.
pub(super) fn equipment<'p>(tests: impl IntoIterator<Item = &'p catalogue::Protocol>) -> Vec<String> {
    let mut all = Vec::new();
    for needed in tests.into_iter().flat_map(|p| &p.equipment) {
        needed.set_up(&mut all);
    }
    all
}

/// What a battery's tests ask, each once. A choice that two tests ask differently (which arm, which leg) is left to each;
/// where two ask for the same in other words, the question is its heading.
pub(super) fn asked(battery: &Battery, shelf: &Shelf) -> ApiResult<Vec<Condition>> {
    let mut all: Vec<(Condition, bool)> = Vec::new();
    for place in &battery.tests {
        let protocol = shelf.find(&place.protocol)?;
        for condition in protocol.conditions.iter().filter(|c| !c.recorded_by_run && !c.ask.is_empty() && !place.given.contains_key(&c.key))
        {
            let required = condition.required && !place.optional;
            match all.iter_mut().find(|(a, _)| a.key == condition.key) {
                None => all.push((Condition { required, ..condition.clone() }, true)),
                Some((before, alike)) => {
                    before.required |= required;
                    if before.ask != condition.ask {
                        *alike &= condition.kind != ConditionKind::Choice && before.kind == condition.kind;
                        before.ask = format!("{}?", condition.label);
                    }
                }
            }
        }
    }
    Ok(all.into_iter().filter(|(_, alike)| *alike).map(|(condition, _)| condition).collect())
}

/// A visit to begin.
#[derive(Deserialize, ToSchema)]
pub struct VisitForm {
    /// Made by the screen, so that a double click begins one visit.
    pub id: Uuid,
    /// The battery's id, or a protocol's for a visit of one.
    pub battery: String,
    /// What all tests share.
    #[serde(default)]
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub conditions: Conditions,
    /// The day, of a visit that is typed from paper; today where nothing is said.
    pub on: Option<NaiveDate>,
    /// Its hour, `HH:MM` in the practice's time zone.
    pub at: Option<String>,
}

/// Begins a visit, or takes up one of an earlier day from paper.
#[utoipa::path(tag = "visits", operation_id = "visits_begin", responses((status = 200, body = VisitPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/people/{id}/visits")]
pub async fn begin(who: SignedIn, id: web::Path<Uuid>, form: Json<VisitForm>) -> ApiResult<web::Json<VisitPage>> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let battery = battery_of(&mut scope, &shelf, &form.battery).await?;
    let person = people::get(&mut scope, PersonId(*id)).await?;
    let today = auth::today(&mut scope).await?;
    check_shared(&battery, &shelf, &form.conditions)?;
    let on = form.on.map(|on| person::day(on, "on")).transpose()?.unwrap_or(today);
    if on > today {
        return Err(InputError::new(Code::OutOfRange, "on", "This day is in the future. Choose the day of the visit.").into());
    }
    let begun_at = match (on == today, form.at.as_deref()) {
        (true, None) => chrono::Utc::now(),
        (_, hour) => recording::moment(&mut scope, on, hour.unwrap_or("12:00")).await?,
    };
    let visit = Visit { id: form.id, person: person.id, battery, conditions: form.conditions, on, created_at: begun_at, closed_at: None };
    if visits::create(&mut scope, who.coach, &visit).await? {
        let subject = Subject::of("visit", visit.id, person.id);
        audit::record(&mut scope, who.coach, Action::VisitBegun, subject, json!({ "battery": visit.battery.name })).await?;
    }
    let visit = visits::get(&mut scope, form.id).await?;
    let of = Dossier::of(&mut scope, visit.person).await?;
    let shown = visiting::page(&mut scope, &of, &visit, None).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// Every shared answer is one that some test of the battery asks, and of its kind.
pub(super) fn check_shared(battery: &Battery, shelf: &Shelf, conditions: &Conditions) -> ApiResult<()> {
    let asked = asked(battery, shelf)?;
    for (key, answer) in conditions {
        let Some(condition) = asked.iter().find(|c| c.key == *key) else {
            return Err(InputError::new(Code::UnknownField, key, "None of these tests asks this.").into());
        };
        if matches!(answer, Answer::Text(t) if t.trim().is_empty()) {
            return Err(InputError::new(Code::BadValue, key, format!("{}: type it, or leave it out.", condition.label)).into());
        }
        for protocol in battery.tests.iter().filter_map(|p| shelf.find(&p.protocol).ok()) {
            if protocol.condition(key).is_some() {
                check_answer(protocol, condition, answer)?;
            }
        }
    }
    // What a test cannot be set up without is asked now, not between two tests.
    match asked.iter().find(|c| c.required && !conditions.contains_key(&c.key)) {
        Some(open) => Err(InputError::new(Code::MissingInput, &open.key, format!("{}: {}", open.label, open.ask)).into()),
        None => Ok(()),
    }
}

/// By which scoring table a visit is shown.
#[derive(Deserialize, IntoParams)]
pub struct TableQuery {
    /// Its version; the one that holds where nothing is said.
    pub table: Option<u32>,
}

/// A visit with the goals it is about.
#[derive(Serialize, ToSchema)]
pub struct VisitShown {
    /// The visit.
    #[serde(flatten)]
    pub page: VisitPage,
    /// The goals of its tests and of its total.
    pub goals: Vec<GoalLine>,
    /// The group visit it belongs to.
    pub group: Option<InGroupVisit>,
}

/// The group visit that a visit belongs to.
#[derive(Serialize, ToSchema)]
pub struct InGroupVisit {
    /// The group visit.
    pub id: Uuid,
    /// The group's name.
    pub name: String,
}

/// A visit, under way or over.
#[utoipa::path(tag = "visits", operation_id = "visits_get", params(TableQuery), responses((status = 200, body = VisitShown), (status = 404, body = ApiError)))]
#[get("/visits/{id}")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>, query: web::Query<TableQuery>) -> ApiResult<web::Json<VisitShown>> {
    let mut scope = who.scope().await?;
    let visit = visits::get(&mut scope, *id).await?;
    let of = Dossier::of(&mut scope, visit.person).await?;
    let mut page = visiting::page_by(&mut scope, &of, &visit, None, query.table).await?;
    for row in &mut page.rows {
        if let Some(result) = of.history.iter().find(|r| Some(r.id) == row.result) {
            row.remarks = view::remarks(&mut scope, result).await?;
        }
    }
    let goals = goals::of_visit(&mut scope, &of, &visit, None).await?;
    let group = group_visits::of_visit(&mut scope, visit.id).await?.map(|(id, name)| InGroupVisit { id, name });
    Ok(web::Json(VisitShown { page, goals, group }))
}

/// Something the coach decided about a visit.
#[derive(Deserialize, ToSchema)]
pub struct VisitChange {
    /// Made by the screen: the same change twice is one.
    pub id: Uuid,
    /// What.
    pub event: VisitEvent,
}

/// What became of it.
#[derive(Serialize, ToSchema)]
pub struct VisitChanged {
    /// The visit after it.
    pub visit: VisitPage,
    /// What moving a test costs, where it costs something.
    pub cost: Option<String>,
}

/// A test left out, taken up again or done before its turn; the visit closed.
#[utoipa::path(tag = "visits", operation_id = "visits_change", responses((status = 200, body = VisitChanged), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/visits/{id}/events")]
pub async fn change(who: SignedIn, id: web::Path<Uuid>, form: Json<VisitChange>) -> ApiResult<web::Json<VisitChanged>> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    let visit = visits::lock(&mut scope, *id).await?;
    let of = Dossier::of(&mut scope, visit.person).await?;
    if let Some(place) = form.event.place().filter(|p| *p >= visit.battery.tests.len()) {
        return Err(InputError::new(Code::OutOfRange, "place", format!("This battery has no test number {}.", place + 1)).into());
    }
    let event = match form.event {
        VisitEvent::Skipped { place, reason } => {
            let reason = text::note(reason.as_deref().unwrap_or_default(), "reason")?;
            if reason.is_none() && !visit.battery.tests[place].optional {
                return Err(
                    InputError::new(Code::MissingInput, "reason", "Say why it is skipped. The reason is saved with the visit.").into()
                );
            }
            VisitEvent::Skipped { place, reason }
        }
        VisitEvent::Withdrawn { .. } | VisitEvent::Returned { .. } => {
            return Err(InputError::new(Code::OutOfRange, "event", "To take a result out of a visit, open the result’s own page.").into());
        }
        VisitEvent::Begun { .. } | VisitEvent::Done { .. } | VisitEvent::Ended { .. } => {
            return Err(InputError::new(Code::OutOfRange, "event", "A test starts on the floor and ends with its result.").into());
        }
        VisitEvent::WindowBegun if visit.battery.window_min.is_none() => {
            return Err(InputError::new(Code::OutOfRange, "event", "This battery has a fixed order and no time limit.").into());
        }
        other => other,
    };
    let cost = match event {
        VisitEvent::Moved { place } => cost(&mut scope, &of, &visit, place).await?,
        _ => None,
    };
    let was_open = visit.closed_at.is_none();
    // Which of several results counts may be said after the visit too.
    if was_open || matches!(event, VisitEvent::Counts { .. }) {
        visits::append(&mut scope, visit.id, form.id, &event).await?;
    } else if event != VisitEvent::Closed {
        return Err(InputError::new(Code::OutOfRange, "visit", "This visit is over. Begin a new one.").into());
    }
    let visit = visits::get(&mut scope, visit.id).await?;
    let shown = visiting::page(&mut scope, &of, &visit, None).await?;
    if event == VisitEvent::Closed && was_open {
        has_closed(&mut scope, who.coach, &visit, &shown).await?;
    }
    scope.commit().await?;
    Ok(web::Json(VisitChanged { visit: shown, cost }))
}

/// What follows from the end of a visit: its date, and the goals its total reaches.
async fn has_closed(scope: &mut Scope, coach: CoachId, visit: &Visit, shown: &VisitPage) -> ApiResult<()> {
    if shown.done > 0 {
        retests::fulfil(scope, visit.person, &visit.battery.id, None, visit.on).await?;
        if let Some(total) = &shown.total {
            let of_total = |goal: &Goal| (goal.protocol == visit.battery.id && goal.quantity == TOTAL).then_some(total.points);
            recording::reach_goals(scope, visit.person, visit.on, &of_total).await?;
        }
    }
    let subject = Subject::of("visit", visit.id, visit.person);
    audit::record(scope, coach, Action::VisitClosed, subject, json!({ "battery": visit.battery.name, "done": shown.done })).await?;
    Ok(())
}

/// Closes a visit that is open, with what follows from it.
pub(super) async fn close(scope: &mut Scope, coach: CoachId, id: Uuid) -> ApiResult<()> {
    let visit = visits::lock(scope, id).await?;
    if visit.closed_at.is_some() {
        return Ok(());
    }
    visits::append(scope, id, Uuid::now_v7(), &VisitEvent::Closed).await?;
    let (visit, of) = (visits::get(scope, id).await?, Dossier::of(scope, visit.person).await?);
    let shown = visiting::page(scope, &of, &visit, None).await?;
    has_closed(scope, coach, &visit, &shown).await
}

/// What doing a test now costs the one whose turn it is.
async fn cost(scope: &mut Scope, of: &Dossier, visit: &Visit, place: usize) -> ApiResult<Option<String>> {
    let Some(next) = visiting::page(scope, of, visit, None).await?.next else { return Ok(None) };
    let at = |place: usize| of.shelf.find(&visit.battery.tests[place].protocol).ok();
    Ok(at(place).zip(at(next.place)).and_then(|(moved, before)| cost_of_moving(moved, before)))
}
