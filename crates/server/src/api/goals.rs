//! Goals: agreed, judged, dropped.

use std::collections::BTreeMap;

use actix_web::{HttpResponse, delete, post, web};
use chrono::NaiveDate;
use impulso_core::{
    Code, InputError,
    goal::{Goal, Milestone, TOTAL, Way},
    progress, quantity, text,
};
use impulso_store::{
    PersonId, Scope,
    audit::{self, Action, Subject},
    goals, people,
    visits::{self, Visit},
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{ApiError, ApiResult, auth::SignedIn, body::Json, dossier::Dossier, marking, scoring, visiting};

/// The most goals of one person that are open.
const OPEN_MAX: usize = 8;

/// A goal to agree on.
#[derive(Deserialize, ToSchema)]
pub struct GoalForm {
    /// Made by the screen, so that a double click keeps one.
    pub id: Uuid,
    /// The test.
    pub protocol: String,
    /// Its measure.
    pub quantity: String,
    /// The value that is wanted, in the measure's unit.
    pub to: f64,
    /// By when.
    pub by: NaiveDate,
    /// Where to be on the way, by day.
    #[serde(default)]
    pub milestones: Vec<Milestone>,
    /// The way there, in words.
    #[serde(default)]
    pub process: String,
}

/// A goal as it stands.
#[derive(Serialize, ToSchema)]
pub struct GoalLine {
    pub id: Uuid,
    /// The day it was set from.
    pub from_on: NaiveDate,
    /// The day it was reached, where it was.
    pub reached_on: Option<NaiveDate>,
    /// What is wanted, in words.
    pub wanted: String,
    /// By when.
    pub by: NaiveDate,
    /// How the client stands to it.
    pub way: Way,
    /// The same in two words.
    pub way_words: String,
    pub sentence: String,
    /// What was agreed to do.
    pub process: Option<String>,
}

/// A measure a goal can be agreed on.
#[derive(Serialize, ToSchema)]
pub struct Aim {
    /// The test.
    pub protocol: String,
    /// The measure.
    pub quantity: String,
    /// Both in words.
    pub label: String,
    pub unit: String,
    /// Where the client is now, with its unit.
    pub now: String,
}

/// A person's goals as they stand, and what goals can be agreed on.
pub async fn of_person(scope: &mut Scope, of: &Dossier) -> ApiResult<(Vec<GoalLine>, Vec<Aim>)> {
    let Dossier { shelf, history, .. } = of;
    let kept = goals::of_person(scope, of.person.id).await?;
    let totals = totals_of(scope, of).await?;
    let lines = lines(scope, of, &totals, kept).await?;
    let mut latest: BTreeMap<(&str, &str), f64> = BTreeMap::new();
    for result in history {
        latest.extend(result.computed.iter().map(|(q, v)| ((result.protocol_id.as_str(), q.as_str()), *v)));
    }
    let aims: Vec<Aim> = latest
        .into_iter()
        .filter(|((protocol, q), _)| shelf.find(protocol).is_ok_and(|p| p.change_rule(q).is_some()))
        .map(|((protocol, q), value)| Aim {
            label: format!("{}: {}", shelf.name(protocol), quantity::label(q)),
            unit: quantity::unit(q).to_owned(),
            now: quantity::with_unit(q, value),
            protocol: protocol.to_owned(),
            quantity: q.to_owned(),
        })
        .collect();
    let of_batteries = totals.into_iter().map(|t| Aim {
        label: format!("{}: {}", shelf.name(&t.battery), quantity::label(TOTAL)),
        unit: quantity::unit(TOTAL).to_owned(),
        now: quantity::with_unit(TOTAL, t.points),
        protocol: t.battery,
        quantity: TOTAL.to_owned(),
    });
    Ok((lines, of_batteries.chain(aims).collect()))
}

/// Goals as they stand. `totals`: the latest of the batteries whose total is a goal.
async fn lines(scope: &mut Scope, of: &Dossier, totals: &[BatteryTotal], kept: Vec<(Uuid, Goal)>) -> ApiResult<Vec<GoalLine>> {
    let Dossier { shelf, history, person, today, .. } = of;
    let units = person.profile.units;
    let tests: Vec<_> = kept.iter().filter_map(|(_, goal)| shelf.find(&goal.protocol).ok()).collect();
    let known = scoring::known(scope, &tests).await?;
    let mut lines = Vec::new();
    for (id, goal) in kept {
        let of_battery = totals.iter().find(|t| t.battery == goal.protocol && goal.quantity == TOTAL);
        let protocol = shelf.find(&goal.protocol).ok();
        let latest = history.iter().rev().find(|r| r.protocol_id == goal.protocol && r.computed.contains_key(&goal.quantity));
        let value = latest.and_then(|r| Some((r.on, r.value(&goal.quantity)?)));
        let error = protocol
            .zip(latest)
            .and_then(|(protocol, done)| progress::typical_error(protocol, done, &goal.quantity, known.get(&protocol.id)));
        let value = value.or(of_battery.map(|t| (t.on, t.points)));
        let standing = goal.standing(value, error.as_ref(), *today, units);
        lines.push(GoalLine {
            id,
            from_on: goal.from_on,
            reached_on: goal.reached_on,
            wanted: format!(
                "{}: {} {}",
                shelf.name(&goal.protocol),
                quantity::label(&goal.quantity),
                quantity::said(&goal.quantity, goal.to, units)
            ),
            by: goal.by,
            way: standing.way,
            way_words: standing.way.words().to_owned(),
            sentence: standing.sentence,
            process: goal.process,
        });
    }
    Ok(lines)
}

/// The goals that a visit is about: those of its tests, and of its battery's total; of some places `only`, of those alone.
pub async fn of_visit(scope: &mut Scope, of: &Dossier, visit: &Visit, only: Option<&[usize]>) -> ApiResult<Vec<GoalLine>> {
    let shown = |place: &usize| only.is_none_or(|only| only.contains(place));
    let tests: Vec<&str> = (0..visit.battery.tests.len()).filter(shown).map(|k| visit.battery.tests[k].protocol.as_str()).collect();
    let whole = tests.len() == visit.battery.tests.len();
    let mut kept = goals::of_person(scope, of.person.id).await?;
    kept.retain(|(_, goal)| tests.contains(&goal.protocol.as_str()) || whole && goal.protocol == visit.battery.id);
    let of_total = kept.iter().any(|(_, goal)| goal.quantity == TOTAL);
    let totals = if of_total { totals_of(scope, of).await? } else { Vec::new() };
    lines(scope, of, &totals, kept).await
}

/// The latest total of a battery that has a scoring table.
struct BatteryTotal {
    battery: String,
    on: NaiveDate,
    points: f64,
}

/// The most batteries whose totals are looked at.
const TOTALS_MAX: usize = 6;

/// The latest totals of a person's batteries, where they have a scoring table.
async fn totals_of(scope: &mut Scope, of: &Dossier) -> ApiResult<Vec<BatteryTotal>> {
    let mut totals: Vec<BatteryTotal> = Vec::new();
    let mut seen: Vec<String> = Vec::new();
    for visit in visits::of_person(scope, of.person.id, 50).await?.into_iter().filter(|v| v.closed_at.is_some()) {
        if seen.len() >= TOTALS_MAX || seen.contains(&visit.battery.id) {
            continue;
        }
        seen.push(visit.battery.id.clone());
        let Some(battery) = of.shelf.battery(&visit.battery.id) else { continue };
        if marking::tables(scope, battery).await?.all.is_empty() {
            continue;
        }
        if let Some(total) = visiting::page(scope, of, &visit, None).await?.total {
            totals.push(BatteryTotal { battery: visit.battery.id, on: visit.on, points: total.points });
        }
    }
    Ok(totals)
}

/// Agrees on a goal: from where the client is now, to where, by when.
#[utoipa::path(tag = "people", operation_id = "goals_add", responses((status = 204), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/people/{id}/goals")]
pub async fn add(who: SignedIn, id: web::Path<Uuid>, form: Json<GoalForm>) -> ApiResult<HttpResponse> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    // Open goals are counted by one at a time.
    people::lock(&mut scope, PersonId(*id)).await?;
    let of = Dossier::of(&mut scope, PersonId(*id)).await?;
    let Dossier { shelf, history, today, .. } = &of;
    let (person, today) = (of.person.id, *today);
    let of_battery = form.quantity == TOTAL && shelf.battery(&form.protocol).is_some();
    let latest = if of_battery {
        let totals = totals_of(&mut scope, &of).await?;
        totals.iter().find(|t| t.battery == form.protocol).map(|t| (t.on, t.points))
    } else {
        let protocol = shelf.find(&form.protocol)?;
        let mut own = history.iter().rev().filter(|r| r.protocol_id == protocol.id);
        own.find_map(|r| Some((r.on, r.value(&form.quantity)?)))
    };
    let Some((from_on, from)) = latest else {
        let message =
            format!("{} has not been measured yet. Test first, then set a goal.", text::capital(&quantity::label(&form.quantity)));
        return Err(InputError::new(Code::MissingInput, "quantity", message).into());
    };
    let process = text::note(&form.process, "process")?;
    let by = impulso_core::person::day(form.by, "by")?;
    for milestone in &form.milestones {
        impulso_core::person::day(milestone.on, "milestones")?;
    }
    let (to, milestones) = (form.to, form.milestones);
    let goal = Goal { protocol: form.protocol, quantity: form.quantity, from, from_on, to, by, milestones, process, reached_on: None };
    if of_battery {
        goal.check_total(today)?;
    } else {
        goal.check(shelf.find(&goal.protocol)?, today)?;
    }
    let open = goals::of_person(&mut scope, person).await?.iter().filter(|(_, g)| g.reached_on.is_none()).count();
    let is_kept = goals::of_person(&mut scope, person).await?.iter().any(|(id, _)| *id == form.id);
    if open >= OPEN_MAX && !is_kept {
        return Err(InputError::new(Code::OutOfRange, "quantity", format!("{OPEN_MAX} open goals are enough. Drop one first.")).into());
    }
    goals::add(&mut scope, who.coach, person, form.id, &goal).await?;
    let detail = json!({ "protocol": goal.protocol, "quantity": goal.quantity });
    audit::record(&mut scope, who.coach, Action::GoalAgreed, Subject::of("goal", form.id, person), detail).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Drops a goal.
#[utoipa::path(tag = "people", operation_id = "goals_drop", responses((status = 204), (status = 404, body = ApiError)))]
#[delete("/goals/{id}")]
pub async fn withdraw(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    let person = goals::withdraw(&mut scope, *id).await?;
    audit::record(&mut scope, who.coach, Action::GoalDropped, Subject::of("goal", *id, person), json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}
