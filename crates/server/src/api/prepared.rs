//! What a test needs to be set up, of one person or of several: by the server, or by a screen without a network.

use actix_web::{get, web};
use chrono::NaiveDate;
use impulso_core::{
    Code, InputError,
    battery::Battery,
    catalogue::Protocol,
    consent::ConsentKind,
    done,
    group_visit::Presence,
    picture::{BodyMap, Drawing, Picture},
    run::{Prepared, Ready, admission::InPlace, event::Conditions},
    suitability::{self, Fit, FitVerdict},
    visit::{self, VisitEvent},
};
use impulso_store::{
    PersonId, RunId, Scope, group_visits, groups,
    people::{self, Person},
    practices,
    readiness::{self, Check},
    results, runs, visits,
};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::{assess::client, consents, runs::InGroup, stops::stopped_today};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    dossier::Dossier,
    scoring,
    settings::ClockRate,
    shelf::Shelf,
    view::tag,
    visiting::{self, InVisit, NextTest},
};

/// So many of somebody's earlier tests go to a screen: the last one that was done alike is among them.
pub(super) const EARLIER_MAX: usize = 6;

/// How a test suits somebody on a day, with the readiness check of that day.
pub(super) async fn judged(scope: &mut Scope, protocol: &Protocol, person: &Person, on: NaiveDate) -> ApiResult<(Option<Check>, Fit)> {
    let mut checked = readiness::latest(scope, person.id).await?.filter(|c| c.on == on);
    let before = if protocol.opens_after.is_some() { results::of_person(scope, person.id).await? } else { Vec::new() };
    let stopped = stopped_today(scope, person.id, checked.as_mut(), on).await?;
    let fit = suitability::judge(protocol, &client(person, checked.as_ref(), on, &before, stopped));
    Ok((checked, fit))
}

/// A test that somebody is about to do.
pub(super) struct Test<'p> {
    protocol: &'p Protocol,
    on: NaiveDate,
    /// After so many weeks a body mass is asked for again.
    mass_weeks: u16,
    group_visit: Option<Uuid>,
}

impl<'p> Test<'p> {
    pub(super) async fn of(scope: &mut Scope, protocol: &'p Protocol, on: NaiveDate, group_visit: Option<Uuid>) -> ApiResult<Self> {
        Ok(Self { protocol, on, mass_weeks: practices::get(scope).await?.mass_weeks.unsigned_abs(), group_visit })
    }

    /// What the record says of somebody who is about to do it. `place`: the place in a visit that it fills.
    pub(super) async fn ready(&self, scope: &mut Scope, person: &Person, place: Option<InPlace>) -> ApiResult<Ready> {
        let (checked, fit) = judged(scope, self.protocol, person, self.on).await?;
        // One reason serves a whole visit; what was said in a group is each one's own.
        let for_visit = match &place {
            Some(at) if self.group_visit.is_none() => runs::reason_in_visit(scope, at.visit).await?,
            _ => None,
        };
        let history = results::of_protocol(scope, person.id, &self.protocol.id).await?;
        Ok(Ready {
            person: person.id.0,
            tag: tag(RunId(Uuid::nil()), self.group_visit, Some(person.id)),
            name: person.profile.name.clone(),
            units: person.profile.units,
            on: self.on,
            facts: person.facts_on(self.on)?,
            mass_weeks: self.mass_weeks,
            against: (fit.verdict != FitVerdict::Suits).then_some(fit.because),
            asked: checked.is_some(),
            lacks_consent: consents::lacks(scope, person.id, ConsentKind::Testing).await?,
            reason: for_visit.or_else(|| checked.and_then(|c| c.overrule_reason)),
            place,
            tests: history.into_iter().map(|r| r.done).collect(),
        })
    }
}

/// The visits of those who are tested together in a group visit, with what is each one's own.
///
/// # Errors
/// Where somebody is not called here today.
pub(super) async fn in_group(scope: &mut Scope, at: InGroup, people: &[Uuid]) -> ApiResult<Vec<(PersonId, InVisit, Conditions)>> {
    let group = group_visits::get(scope, at.visit).await?;
    let members = groups::members(scope, group.group).await?;
    let roll = group_visits::roll(scope, at.visit).await?;
    let mut all = Vec::with_capacity(people.len());
    for person in people {
        let line = roll.iter().find(|r| r.person.0 == *person);
        let member = members.iter().find(|m| m.person.0 == *person && m.left_on.is_none());
        let name = line.map(|l| &l.name).or(member.map(|m| &m.name)).ok_or_else(ApiError::not_found)?;
        let Some((line, visit)) = line.and_then(|l| Some((l, l.visit.filter(|_| l.presence == Presence::Here)?))) else {
            let message = format!("{name} is not called here today. Call the roll first, or leave {name} out.");
            return Err(InputError::new(Code::OutOfRange, "people", message).into());
        };
        all.push((line.person, InVisit { visit, place: at.place }, member.map(|m| m.set_up.clone()).unwrap_or_default()));
    }
    Ok(all)
}

/// For whom a test is prepared, and for which place of which visit.
#[derive(Deserialize, IntoParams)]
pub struct PreparedQuery {
    /// The protocol's id.
    pub protocol: String,
    /// The person, where it is for one.
    pub person: Option<Uuid>,
    /// The person's visit.
    pub visit: Option<Uuid>,
    /// The group visit, where it is for everybody who is here.
    pub group_visit: Option<Uuid>,
    /// The place in its battery, from 0.
    pub place: Option<usize>,
}

/// A test that can be set up on a screen without a network.
#[derive(Serialize, ToSchema)]
pub struct PreparedTest {
    /// For the core in the browser, and for nothing else.
    #[schema(value_type = Object)]
    pub prepared: Prepared,
    /// What it looks like.
    pub drawings: Vec<Drawing>,
    /// Where on the body its readings are taken.
    pub body_map: Option<BodyMap>,
}

/// What a test needs to be set up on a screen without a network.
#[utoipa::path(tag = "runs", operation_id = "runs_prepared", params(PreparedQuery), responses((status = 200, body = PreparedTest), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[get("/prepared")]
pub async fn of_test(who: SignedIn, query: web::Query<PreparedQuery>, rate: web::Data<ClockRate>) -> ApiResult<web::Json<PreparedTest>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&query.protocol)?;
    let today = auth::today(&mut scope).await?;
    let test = Test::of(&mut scope, protocol, today, query.group_visit).await?;
    let mut people = Vec::new();
    for (person, at, own) in wanted(&mut scope, &query).await? {
        let person = people::get(&mut scope, person).await?;
        let place = match at {
            Some(at) => {
                let (visit, slot) = visiting::place_of(&mut scope, at, person.id, &protocol.id).await?;
                Some(InPlace { visit: at.visit, place: at.place, slot, shared: visit.conditions, own })
            }
            None => None,
        };
        let mut ready = test.ready(&mut scope, &person, place).await?;
        ready.tests.drain(..ready.tests.len().saturating_sub(EARLIER_MAX));
        people.push(ready);
    }
    let own = scoring::own(&mut scope, protocol).await?;
    Ok(web::Json(PreparedTest {
        drawings: protocol.pictures.iter().map(Picture::drawing).collect(),
        body_map: protocol.body_map(),
        prepared: Prepared { protocol: protocol.clone(), people, group_visit: query.group_visit, own, clock_rate: rate.0 },
    }))
}

/// A visit that can go on on a screen without a network.
#[derive(Serialize, ToSchema)]
pub struct PreparedVisit {
    pub battery: Battery,
    /// What happened so far.
    pub events: Vec<VisitEvent>,
    /// The places that wait for a test to be passed first: without a network they stay closed.
    pub shut: Vec<usize>,
    /// Every test as it is shown when its turn comes, by place.
    pub tests: Vec<NextTest>,
}

/// What a visit needs to go on on a screen without a network.
#[utoipa::path(tag = "visits", operation_id = "visits_prepared", responses((status = 200, body = PreparedVisit), (status = 404, body = ApiError)))]
#[get("/visits/{id}/prepared")]
pub async fn of_visit(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<PreparedVisit>> {
    let mut scope = who.scope().await?;
    let visit = visits::get(&mut scope, *id).await?;
    let of = Dossier::of(&mut scope, visit.person).await?;
    let events = visits::events(&mut scope, visit.id).await?;
    let state = visit::fold(&visit.battery, events.iter().map(|(event, _)| event));
    let passed = done::passed(of.tests());
    let waits = |place: &usize| of.protocol(&visit.battery.tests[*place].protocol).is_some_and(|p| visit::waits_for(p, &passed).is_some());
    let places = 0..visit.battery.tests.len();
    Ok(web::Json(PreparedVisit {
        shut: places.clone().filter(waits).collect(),
        tests: places.filter_map(|place| visiting::test_at(place, &state, &visit, &of, &events)).collect(),
        events: events.into_iter().map(|(event, _)| event).collect(),
        battery: visit.battery,
    }))
}

/// Those who are prepared: one person, or everybody who is called here in a group visit.
async fn wanted(scope: &mut Scope, query: &PreparedQuery) -> ApiResult<Vec<(PersonId, Option<InVisit>, Conditions)>> {
    let place = query.place.unwrap_or_default();
    if let Some(person) = query.person {
        let at = query.visit.map(|visit| InVisit { visit, place });
        return Ok(vec![(PersonId(person), at, Conditions::new())]);
    }
    let Some(visit) = query.group_visit else {
        return Err(InputError::new(Code::MissingInput, "person", "Say for whom: a person or a group visit.").into());
    };
    let roll = group_visits::roll(scope, visit).await?;
    let here: Vec<Uuid> = roll.iter().filter(|l| l.presence == Presence::Here && l.visit.is_some()).map(|l| l.person.0).collect();
    let places = in_group(scope, InGroup { visit, place }, &here).await?;
    Ok(places.into_iter().map(|(person, at, own)| (person, Some(at), own)).collect())
}
