//! A group visit as its page shows it: the roll with everybody's readiness and how far they are, and the tests with who has them to do.

use std::collections::BTreeMap;

use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{
    battery::Battery,
    catalogue::{Condition, Protocol},
    group_visit::Presence,
    readiness::Permit,
    report::{ConditionReport, condition_reports},
    run::{BoardKind, event::Conditions},
    suitability::{self, FitVerdict},
    units::Units,
    visit::{self, Stand, VisitEvent},
};
use impulso_store::{
    Scope,
    group_visits::{self, OnRoll},
    groups::{self, Member},
    people::{self, Person},
    readiness::{self, Check},
    results,
};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::{
    assess::client,
    stops::after_stop,
    visits::{asked, equipment},
};
use crate::{ApiResult, auth, shelf::Shelf};

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
    /// By which partners reach each of its tests as it begins.
    pub join_code: Option<String>,
    /// What everybody shares, in words.
    pub shared: Vec<ConditionReport>,
    /// The same as it was answered.
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub conditions: Conditions,
    /// What is asked once, for everybody.
    pub asked: Vec<Condition>,
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
    /// A test was stopped today with pain or symptoms: readiness is asked again, no reason will do.
    pub stopped: bool,
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
    /// What a tap on a name says, where many do it on one clock.
    pub board: Option<BoardKind>,
    /// How many of those who are here have done it.
    pub done: usize,
    /// Of those who are here, who has it still to do and may.
    pub to_come: Vec<Uuid>,
    /// Of those who are here and have it still to do, whom something speaks against: they are held back until a reason is given.
    pub held: Vec<Uuid>,
    /// Of those who may, whose readiness was not asked today.
    pub unasked: Vec<Uuid>,
    /// Runs of it that are open.
    pub runs: Vec<Uuid>,
}

/// Where the tests of somebody's own visit stand.
fn stands(battery: &Battery, events: Option<&Vec<VisitEvent>>) -> Vec<Stand> {
    visit::fold(battery, events.into_iter().flatten()).places.iter().map(|p| p.stand).collect()
}

/// The whole page of a group visit.
pub async fn page(scope: &mut Scope, shelf: &Shelf, id: Uuid) -> ApiResult<GroupVisitPage> {
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
    let in_order = in_session(&members, &called);
    let ids: Vec<Uuid> = in_order.iter().map(|m| m.person.0).collect();
    let people = people::several(scope, &ids).await?;
    let mut checks = readiness::latest_of(scope, &ids).await?;
    let mut stops = results::symptoms_on(scope, &ids, today).await?;
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
            readiness: match people.iter().find(|p| p.id == member.person) {
                Some(person) => {
                    let (check, stop) = (checks.remove(&member.person.0), stops.remove(&member.person.0));
                    readiness_of(scope, person, check, stop, &protocols, today).await?
                }
                None => continue,
            },
            differs: in_words(&protocols, &member.set_up),
            set_up: member.set_up.clone(),
        });
        stand_of.insert(member.person.0, stands);
    }
    let open = group_visits::open_runs(scope, id).await?;
    let is_here = |l: &&RollLine| l.presence == Some(Presence::Here);
    let tests = tests
        .iter()
        .map(|(place, protocol)| {
            let is_held = |l: &RollLine| {
                let of = &l.readiness;
                of.reason.is_none() && of.against.iter().any(|a| a.tests.contains(&protocol.name))
            };
            let at = |l: &RollLine| stand_of.get(&l.person).and_then(|s| s.get(*place)).copied().unwrap_or_default();
            let of_here = |stand: Stand| roll.iter().filter(is_here).filter(move |l| at(l) == stand);
            let (held, may): (Vec<&RollLine>, Vec<&RollLine>) = of_here(Stand::ToCome).partition(|l| is_held(l));
            GroupTest {
                place: *place,
                protocol: protocol.id.clone(),
                name: visit::variant_name(Some(protocol), &visit.battery.tests[*place]),
                grid: protocol.suits_grid(),
                board: protocol.board_kind(),
                together: protocol.is_done_in_pairs(),
                done: of_here(Stand::Done).count(),
                to_come: may.iter().map(|l| l.person).collect(),
                held: held.iter().map(|l| l.person).collect(),
                unasked: may.iter().filter(|l| !l.readiness.asked).map(|l| l.person).collect(),
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
        join_code: visit.join_code.filter(|_| !over),
        shared: in_words(&protocols, &visit.conditions),
        asked: asked(&visit.battery, shelf)?,
        conditions: visit.conditions,
        equipment: equipment(protocols.iter().copied()),
        cautions: suitability::cautions(protocols.iter().copied(), None),
        here: roll.iter().filter(is_here).count(),
        owing: roll.iter().filter(|l| l.owes).count(),
        uncalled: roll.iter().filter(|l| l.presence.is_none()).count(),
        differs,
        tests,
        roll,
    })
}

/// Who belongs to a session: today's members, and who was called and has left since; each once.
pub(super) fn in_session<'m>(members: &'m [Member], roll: &[OnRoll]) -> Vec<&'m Member> {
    let present = members.iter().filter(|m| m.left_on.is_none());
    let is_back = |m: &Member| members.iter().any(|o| o.person == m.person && o.left_on.is_none());
    let gone = members.iter().filter(|m| m.left_on.is_some() && !is_back(m) && roll.iter().any(|r| r.person == m.person));
    present.chain(gone).collect()
}

/// Answers in words, each once.
fn in_words(protocols: &[&Protocol], conditions: &Conditions) -> Vec<ConditionReport> {
    let mut all: Vec<ConditionReport> = Vec::new();
    for report in protocols.iter().flat_map(|p| condition_reports(p, conditions, Units::Metric)) {
        if !all.iter().any(|known| known.label == report.label) {
            all.push(report);
        }
    }
    all
}

/// The choices and numbers of these tests that may differ between two people who do them side by side, each once.
fn own_conditions(protocols: &[&Protocol]) -> Vec<Condition> {
    let mut all: Vec<Condition> = Vec::new();
    for condition in protocols.iter().flat_map(|p| &p.conditions).filter(|c| c.is_own()) {
        if !all.iter().any(|known| known.key == condition.key) {
            all.push(condition.clone());
        }
    }
    all
}

/// What today's readiness says of somebody about these tests.
async fn readiness_of(
    scope: &mut Scope,
    person: &Person,
    last: Option<Check>,
    stopped: Option<(String, DateTime<Utc>)>,
    protocols: &[&Protocol],
    today: NaiveDate,
) -> ApiResult<RollReadiness> {
    let needs_history = protocols.iter().any(|p| p.opens_after.is_some());
    let before = if needs_history { results::of_person(scope, person.id).await? } else { Vec::new() };
    let (last_on, may_repeat) = (last.as_ref().map(|c| c.on), last.as_ref().is_some_and(|c| c.advice.moderate == Permit::Go));
    let mut checked = last.filter(|c| c.on == today);
    let stopped = after_stop(stopped, checked.as_mut());
    let is_stopped = stopped.is_some();
    let about = client(person, checked.as_ref(), today, &before, stopped);
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
        stopped: is_stopped,
        reason: checked.and_then(|c| c.overrule_reason),
    })
}
