//! Set-up: which test, is everything ready, is it like last time.

use std::collections::BTreeMap;

use actix_web::{get, post, web};
use chrono::NaiveDate;
use impulso_core::{
    catalogue::{self, Protocol},
    comparability::Unlike,
    done,
    estimate::cycle::Load,
    hr_max::HrMaxMethod,
    person::{Facts, Sex},
    picture::{BodyMap, Drawing, Picture},
    progress, report,
    run::event::Conditions,
    suitability::{self, Available, Before, Client, First, Fit},
    units::{Age, Units},
    visit,
};
use impulso_store::{
    PersonId, Scope,
    people::{self, Person},
    readiness::{self, Check},
    results::{self, Stored},
    retests,
};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::{readiness::ReadinessPage, stops::stopped_today};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
    recording,
    shelf::Shelf,
    visiting::{self, InVisit},
};

/// Everything set-up needs.
#[derive(Serialize, ToSchema)]
pub struct AssessPage {
    /// Key of the person.
    pub person: Uuid,
    pub name: String,
    pub protocol: Protocol,
    /// What it looks like.
    pub drawings: Vec<Drawing>,
    /// Where on the body its readings are taken.
    pub body_map: Option<BodyMap>,
    /// How it suits this person.
    pub fit: Fit,
    /// What to keep in mind.
    pub cautions: Vec<String>,
    /// The units that numbers are shown and typed in.
    pub units: Units,
    /// Today's readiness check, where there is one.
    pub readiness: Option<ReadinessPage>,
    /// Whether the floor runs it; the others are entered afterwards.
    pub runs_live: bool,
    /// The beat the protocol gives this person; absent where the coach must choose.
    pub cadence: Option<f64>,
    /// Every beat the protocol knows.
    pub cadence_choices: Vec<f64>,
    /// How it was last time.
    pub last: Option<LastTime>,
    /// Answers to start from: those of last time, except what is asked anew each day.
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub suggested: Conditions,
    /// First loads, where loads are set.
    pub loads: Option<FirstLoads>,
    /// The inputs that are taken, by key: those that the visit names, else the usual ones.
    pub takes: Vec<String>,
    /// The body mass on record, where the test uses it.
    pub mass: Option<MassOnRecord>,
    /// Ways of knowing the maximal heart rate, where the test uses one.
    pub hr_max: Vec<HrMaxOption>,
}

/// The place in a visit that a test is prepared for.
#[derive(Deserialize, IntoParams)]
pub struct VisitQuery {
    pub visit: Option<Uuid>,
    /// The place in its battery.
    pub place: Option<usize>,
}

/// First loads to choose from.
#[derive(Serialize, ToSchema)]
pub struct FirstLoads {
    /// For someone used to endurance work, the usual one first.
    pub conditioned: Vec<Load>,
    /// For someone who is not.
    pub unconditioned: Vec<Load>,
}

/// A way of knowing the maximal heart rate.
#[derive(Serialize, ToSchema)]
pub struct HrMaxOption {
    /// Which.
    pub method: HrMaxMethod,
    /// The rule in symbols.
    pub formula: String,
    /// What it gives this person, bpm.
    pub hr_max: f64,
    /// Whether it is the protocol's own.
    pub usual: bool,
}

/// A body mass that a test uses and does not measure.
#[derive(Serialize, ToSchema)]
pub struct MassOnRecord {
    /// In the client's unit, with its age: "86.2 kg, weighed 12 weeks ago".
    pub shown: String,
    /// Whether it is asked for again today.
    pub is_old: bool,
}

/// The body mass on record for a test that uses one.
async fn mass_on_record(scope: &mut Scope, protocol: &Protocol, person: &Person, today: NaiveDate) -> ApiResult<Option<MassOnRecord>> {
    let facts = person.facts_on(today)?;
    let Some(shown) = facts.mass_today(today, person.profile.units).filter(|_| protocol.uses_mass()) else { return Ok(None) };
    Ok(Some(MassOnRecord { shown, is_old: recording::is_old(scope, protocol, &facts, today).await? }))
}

/// How it was last time.
#[derive(Serialize, ToSchema)]
pub struct LastTime {
    /// The day.
    pub on: NaiveDate,
    /// The circumstances, as shown.
    pub conditions: Vec<report::ConditionReport>,
}

/// The circumstances as filled in so far.
#[derive(Deserialize, ToSchema)]
pub struct SetupForm {
    /// By key.
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub conditions: Conditions,
}

/// What set-up needs to know.
#[utoipa::path(tag = "assess", operation_id = "assess_prepare", params(VisitQuery), responses((status = 200, body = AssessPage), (status = 404, body = ApiError)))]
#[get("/people/{id}/assess/{protocol}")]
pub async fn prepare(who: SignedIn, path: web::Path<(Uuid, String)>, query: web::Query<VisitQuery>) -> ApiResult<web::Json<AssessPage>> {
    let (id, protocol) = path.into_inner();
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&protocol)?;
    let person = people::get(&mut scope, PersonId(id)).await?;
    let today = auth::today(&mut scope).await?;
    let mut checked = readiness::latest(&mut scope, person.id).await?.filter(|c| c.on == today);
    let history = results::of_person(&mut scope, person.id).await?;
    let last = done::last_scored(history.iter().map(|r| &r.done), &protocol.id);
    let cadence = protocol.cadence.as_ref();
    let in_visit = match query.visit.zip(query.place) {
        Some((visit, place)) => Some(visiting::place_of(&mut scope, InVisit { visit, place }, person.id, &protocol.id).await?),
        None => None,
    };
    let stopped = stopped_today(&mut scope, person.id, checked.as_mut(), today).await?;
    Ok(web::Json(AssessPage {
        person: id,
        name: person.profile.name.clone(),
        drawings: protocol.pictures.iter().map(Picture::drawing).collect(),
        body_map: protocol.body_map(),
        units: person.profile.units,
        cautions: suitability::cautions([protocol], impulso_core::person::age_on(person.profile.born, today).ok()),
        fit: suitability::judge(protocol, &client(&person, checked.as_ref(), today, &history, stopped)),
        readiness: checked.map(|c| ReadinessPage {
            on: c.on,
            is_today: true,
            answers: c.answers,
            advice: c.advice,
            overrule_reason: c.overrule_reason,
        }),
        runs_live: protocol.family().runs_live(),
        cadence: cadence.and_then(|c| c.for_sex(person.profile.sex)),
        cadence_choices: cadence.map(catalogue::CadenceRule::choices).unwrap_or_default(),
        suggested: visit::conditions(
            protocol,
            person.profile.sex,
            last.map(|r| &r.conditions),
            in_visit.as_ref().map(|(visit, place)| (place, &visit.conditions)),
            &Conditions::new(),
        ),
        loads: loads(protocol, person.profile.sex),
        takes: {
            let named = in_visit.as_ref().map_or(&[][..], |(_, place)| place.takes.as_slice());
            protocol.inputs.iter().filter(|i| i.is_taken(named)).map(|i| i.key.clone()).collect()
        },
        mass: mass_on_record(&mut scope, protocol, &person, today).await?,
        hr_max: hr_max_options(protocol, &person.facts_on(today)?),
        last: last.map(|r| LastTime { on: r.on, conditions: report::condition_reports(protocol, &r.conditions, person.profile.units) }),
        protocol: protocol.clone(),
    }))
}

/// What is different from last time, with why it matters; empty where nothing is or there was none.
#[utoipa::path(tag = "assess", operation_id = "assess_differences", responses((status = 200, body = Vec<Unlike>), (status = 404, body = ApiError)))]
#[post("/people/{id}/assess/{protocol}/differences")]
pub async fn differences(who: SignedIn, path: web::Path<(Uuid, String)>, form: Json<SetupForm>) -> ApiResult<web::Json<Vec<Unlike>>> {
    let (id, protocol) = path.into_inner();
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&protocol)?;
    let units = people::get(&mut scope, PersonId(id)).await?.profile.units;
    let history = results::of_person(&mut scope, PersonId(id)).await?;
    let last = done::last_scored(history.iter().map(|r| &r.done), &protocol.id);
    Ok(web::Json(last.map(|r| progress::since_last_setup(protocol, &r.conditions, &form.conditions, units)).unwrap_or_default()))
}

fn loads(protocol: &Protocol, sex: Option<Sex>) -> Option<FirstLoads> {
    let rule = protocol.stages()?.load.as_ref()?;
    let of = |conditioned| rule.first_for(sex, Some(conditioned)).into_iter().map(|l| Load::at(l, rule.rpm)).collect();
    Some(FirstLoads { conditioned: of(true), unconditioned: of(false) })
}

fn hr_max_options(protocol: &Protocol, facts: &Facts) -> Vec<HrMaxOption> {
    if !protocol.uses_hr_max() {
        return Vec::new();
    }
    let option = |method: HrMaxMethod| {
        let hr_max = method.of(facts).ok()?;
        Some(HrMaxOption { method, formula: method.formula().to_owned(), hr_max, usual: method == protocol.hr_max_default() })
    };
    HrMaxMethod::ALL.into_iter().filter_map(option).collect()
}

/// A battery that is to be done again by now.
#[derive(Serialize, ToSchema)]
pub struct BatteryDue {
    pub id: String,
    /// What it is called.
    pub name: String,
    /// Since when.
    pub due_on: NaiveDate,
}

/// The tests for a person, judged.
#[derive(Serialize, ToSchema)]
pub struct TestChoice {
    /// A whole battery that is due.
    pub battery: Option<BatteryDue>,
    /// Two or three to begin with, with one line why.
    pub first: Vec<First>,
    /// Every one, the suitable in front.
    pub fits: Vec<Fit>,
}

/// The tests for a person with what is at hand, the suitable first.
#[utoipa::path(tag = "assess", operation_id = "assess_choose", responses((status = 200, body = TestChoice), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/people/{id}/choose")]
pub async fn choose(who: SignedIn, id: web::Path<Uuid>, means: Json<Available>) -> ApiResult<web::Json<TestChoice>> {
    means.check()?;
    let mut scope = who.scope().await?;
    let person = people::get(&mut scope, PersonId(*id)).await?;
    let today = auth::today(&mut scope).await?;
    let mut checked = readiness::latest(&mut scope, person.id).await?.filter(|c| c.on == today);
    let history = results::of_person(&mut scope, person.id).await?;
    let stopped = stopped_today(&mut scope, person.id, checked.as_mut(), today).await?;
    let known = client(&person, checked.as_ref(), today, &history, stopped);
    let mut fits = suitability::shortlist(&known, &means);
    let shelf = Shelf::of(&mut scope).await?;
    fits.extend(shelf.all().filter(|p| p.based_on.is_some()).map(|p| suitability::judge_with(p, &known, &means)));
    fits.sort_by_key(|f| f.verdict);
    let planned = retests::open_of(&mut scope, person.id).await?;
    let mut last: BTreeMap<&str, NaiveDate> = BTreeMap::new();
    for result in history.iter().filter(|r| r.is_scored()) {
        last.insert(&result.protocol_id, result.on);
    }
    let before: Vec<Before> = last
        .into_iter()
        .map(|(protocol, on)| Before {
            protocol,
            on,
            due: planned.iter().filter(|r| r.protocol_id == protocol).map(|r| r.planned.due_on).min(),
        })
        .collect();
    let first = suitability::first(&fits, &|id| shelf.find(id).ok(), &person.facts_on(today)?, &before, today);
    let battery = planned.iter().filter(|r| r.planned.due_on <= today).find_map(|r| {
        let battery = shelf.battery(&r.protocol_id)?;
        Some(BatteryDue { id: battery.id.clone(), name: battery.name.clone(), due_on: r.planned.due_on })
    });
    Ok(web::Json(TestChoice { battery, first, fits }))
}

/// The tests for a person, the suitable first.
pub fn shortlist(person: &Person, checked: Option<&Check>, today: NaiveDate, history: &[Stored]) -> Vec<Fit> {
    suitability::shortlist(&client(person, checked, today, history, None), &Available::default())
}

/// The client as the choice of a test sees them. `history`: all their results, oldest first.
pub fn client<'a>(
    person: &Person,
    checked: Option<&'a Check>,
    today: NaiveDate,
    history: &[Stored],
    stopped: Option<String>,
) -> Client<'a> {
    let age: Option<Age> = impulso_core::person::age_on(person.profile.born, today).ok();
    let readiness = checked.map(|c| (&c.answers, &c.advice));
    Client {
        age,
        rate_limiting_drug: person.profile.rate_limiting_drug,
        readiness,
        passed: Some(done::passed(history.iter().map(|r| &r.done))),
        stopped,
    }
}
