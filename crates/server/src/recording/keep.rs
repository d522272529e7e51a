//! A result is stored with everything that follows from it: repeats, the record of the body, dates, goals, the activity log.

use std::collections::BTreeMap;

use chrono::NaiveDate;
use impulso_core::{catalogue::Protocol, done::Done, goal::Goal, progress, typical_error::Repeats};
use impulso_store::{
    CoachId, PersonId, Scope,
    audit::{self, Action, Subject},
    goals, people, repeats,
    results::{self, Stored},
    retests,
};
use serde_json::json;
use uuid::Uuid;

use crate::{ApiResult, shelf::Shelf};

/// Stores a result with everything that follows from it.
pub async fn keep(scope: &mut Scope, coach: CoachId, result: &Stored) -> ApiResult<()> {
    keep_all(scope, coach, std::slice::from_ref(result)).await
}

/// The same for many at once, in the order in which they were done.
pub async fn keep_all(scope: &mut Scope, coach: CoachId, added: &[Stored]) -> ApiResult<()> {
    let pairs: Vec<(PersonId, &str)> = added.iter().map(|r| (r.person, r.protocol_id.as_str())).collect();
    let before = results::of_protocols(scope, &pairs).await?;
    results::add(scope, coach, added).await?;
    let mut changed: Changed<'_> = BTreeMap::new();
    for result in before.values().flatten() {
        let (was, is) = changed.entry((result.person, &result.protocol_id)).or_default();
        was.push(&result.done);
        is.push(&result.done);
    }
    for result in added {
        changed.entry((result.person, &result.protocol_id)).or_default().1.push(&result.done);
    }
    for (_, is) in changed.values_mut() {
        is.sort_by_key(|r| (r.on, r.taken_at, r.id));
    }
    count_changed(scope, changed).await?;
    for result in added {
        update_body(scope, result).await?;
    }
    fulfil(scope, added).await?;
    let lines: Vec<(Subject, serde_json::Value)> =
        added.iter().map(|r| (Subject::of("result", r.id, r.person), json!({ "protocol": r.protocol_id, "method": r.method }))).collect();
    audit::record_all(scope, coach, Action::ResultKept, &lines).await?;
    Ok(())
}

/// The dates and the goals that results fulfil. A test without a score leaves them open: it is still owed.
async fn fulfil(scope: &mut Scope, added: &[Stored]) -> ApiResult<()> {
    let scored = || added.iter().filter(|r| !r.computed.is_empty());
    let people: Vec<Uuid> = scored().map(|r| r.person.0).collect();
    let open = retests::open_among(scope, &people).await?;
    let mut goals = goals::of_people(scope, &people).await?;
    for result in scored() {
        if open.contains(&(result.person, result.protocol_id.clone())) {
            retests::fulfil(scope, result.person, &result.protocol_id, Some(result.key()), result.on).await?;
        }
        let own = goals.iter_mut().filter(|(person, _, goal)| *person == result.person && goal.protocol == result.protocol_id);
        let value = |goal: &Goal| result.value(&goal.quantity).filter(|_| result.may_reach());
        reach(scope, own.map(|(_, id, goal)| (*id, goal)), result.on, &value).await?;
    }
    Ok(())
}

/// Writes down a person's goals that are reached on a day. `value`: what was measured of a goal's measure, where it was.
pub async fn reach_goals(scope: &mut Scope, person: PersonId, on: NaiveDate, value: &dyn Fn(&Goal) -> Option<f64>) -> ApiResult<()> {
    let mut own = goals::of_person(scope, person).await?;
    reach(scope, own.iter_mut().map(|(id, goal)| (*id, goal)), on, value).await
}

async fn reach(
    scope: &mut Scope,
    goals: impl Iterator<Item = (Uuid, &mut Goal)>,
    on: NaiveDate,
    value: &dyn Fn(&Goal) -> Option<f64>,
) -> ApiResult<()> {
    for (id, goal) in goals {
        let value = value(goal).filter(|_| goal.reached_on.is_none());
        if value.is_some_and(|v| goal.is_met_by(v) && on >= goal.from_on) {
            goal.reached_on = Some(on);
            goals::reached(scope, id, goal).await?;
        }
    }
    Ok(())
}

/// A person's results of a protocol as they were and as they are.
type Changed<'r> = BTreeMap<(PersonId, &'r str), (Vec<&'r Done>, Vec<&'r Done>)>;

/// Brings the practice's own repeats of a test up to date after a person's results of it have changed. `before`: what they were.
pub(super) async fn count_repeats(scope: &mut Scope, person: PersonId, protocol: &str, before: Vec<Stored>) -> ApiResult<()> {
    let after = results::of_protocol(scope, person, protocol).await?;
    let (was, is) = (before.iter().map(|r| &r.done).collect(), after.iter().map(|r| &r.done).collect());
    count_changed(scope, BTreeMap::from([((person, protocol), (was, is))])).await
}

async fn count_changed(scope: &mut Scope, mut changed: Changed<'_>) -> ApiResult<()> {
    // The first of its kind repeats nothing.
    changed.retain(|_, (before, after)| before.len().max(after.len()) > 1);
    if changed.is_empty() {
        return Ok(());
    }
    // What nobody real did says nothing about the practice's own measuring.
    let ids: Vec<Uuid> = changed.keys().map(|(person, _)| person.0).collect();
    let made_up: Vec<PersonId> = people::several(scope, &ids).await?.into_iter().filter(|p| p.made_up).map(|p| p.id).collect();
    let shelf = Shelf::of(scope).await?;
    let mut more: BTreeMap<(String, String), Repeats> = BTreeMap::new();
    for ((_, protocol), (before, after)) in changed.iter().filter(|((person, _), _)| !made_up.contains(person)) {
        let Ok(protocol) = shelf.find(protocol) else { continue };
        for (quantity, added) in repeats_since(protocol, before, after) {
            let sum = more.entry((protocol.id.clone(), quantity)).or_default();
            *sum = sum.with(added);
        }
    }
    for ((protocol, quantity), more) in more {
        repeats::add(scope, &protocol, &quantity, more).await?;
    }
    Ok(())
}

/// The repeats of each measure that are there now and were not before.
fn repeats_since(protocol: &Protocol, before: &[&Done], after: &[&Done]) -> Vec<(String, Repeats)> {
    let measures: std::collections::BTreeSet<&String> = before.iter().chain(after).flat_map(|r| r.computed.keys()).collect();
    let among = |tests: &[&Done], quantity: &str| progress::repeats(protocol, tests.iter().copied(), quantity);
    measures.into_iter().map(|quantity| (quantity.clone(), among(after, quantity).since(among(before, quantity)))).collect()
}

/// The record takes over what a result measured of the body, where it is the latest that did.
pub(super) async fn update_body(scope: &mut Scope, result: &Stored) -> ApiResult<()> {
    let (mass, height) = (result.inputs.get("mass_kg"), result.inputs.get("height_cm"));
    if mass.is_none() && height.is_none() || result.voided || result.stopped.is_some() {
        return Ok(());
    }
    let later = results::of_protocol(scope, result.person, &result.protocol_id).await?;
    let is_latest =
        later.iter().all(|r| r.id == result.id || (r.on, r.taken_at) <= (result.on, result.taken_at) || r.inputs.get("mass_kg").is_none());
    if is_latest {
        people::measured(scope, result.person, result.on, mass, height).await?;
    }
    Ok(())
}
