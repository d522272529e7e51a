//! Results and trends: what did we learn, is it real, when again.

use std::collections::BTreeMap;

use actix_web::{get, post, web};
use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{
    Code, InputError,
    alike::{Unlike, unlike},
    catalogue::{Protocol, Source},
    estimate::cycle::{self, StageLine},
    goal::{Goal, Milestone, Way},
    happening::Happening,
    hr_max::HrMaxMethod,
    inputs::Inputs,
    person::{Facts, Sex},
    picture::BodyMap,
    quantity,
    reading::{self, ReadingLine},
    report::{Progress, ResultReport},
    run::event::Conditions,
    trial,
    typical_error::TypicalError,
    units::{BodyMass, Bpm, Units},
    visit::Happened,
};
use impulso_store::{
    PersonId, ResultId, goals, people,
    results::{self, Stored},
    retests, versions, visits,
};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::ride::{self, RideReport};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
    planning::RetestLine,
    recording::{self, Correction, Typed},
    scoring::{self, Told},
    shelf::Shelf,
    view,
    visiting::{self, InVisit},
};

/// A result's page.
#[derive(Serialize, ToSchema)]
pub struct ResultPage {
    /// Key.
    pub id: Uuid,
    /// Whose.
    pub person: Uuid,
    /// Name.
    pub name: String,
    /// The protocol's id.
    pub protocol: String,
    /// Its display name.
    pub protocol_name: String,
    /// Protocol and version.
    pub method: String,
    /// The test day.
    pub on: NaiveDate,
    /// The moment.
    pub taken_at: DateTime<Utc>,
    /// Age and sex on the day, as they entered the computation.
    pub facts: FactsShown,
    /// What was found; absent for a test that ended without a reading.
    pub report: Option<ResultReport>,
    /// How it ended early, where it did.
    pub stopped: Option<StopShown>,
    /// Made void: it counts nowhere.
    pub voided: bool,
    /// What was read.
    pub readings: Vec<ReadingLine>,
    /// What was remarked while it was taken.
    pub remarks: Vec<String>,
    /// The units that its numbers are shown in.
    pub units: Units,
    /// The same and the circumstances, as a correction starts from them.
    pub entry: EntryShown,
    /// Every version before this one, the latest first.
    pub versions: Vec<VersionLine>,
    /// The change, by quantity.
    pub progress: BTreeMap<String, Progress>,
    /// Open retests of this test.
    pub retests: Vec<RetestLine>,
    /// How many weeks until this test is usually done again, where it has a rhythm of its own.
    pub retest_weeks: Option<u32>,
    /// The extrapolation, for a multistage test.
    pub line: Option<StageLine>,
    /// How far the estimate moves with the way the maximal heart rate is known; the stored one is marked.
    pub hr_max_choices: Vec<HrMaxChoice>,
    /// A ride at clamped heart rates, read together with the one before it.
    pub ride: Option<RideReport>,
    /// For a practice's own protocol: the name of the one it was copied from.
    pub copied_from: Option<String>,
    /// Where on the body its readings were taken.
    pub body_map: Option<BodyMap>,
    /// The method's sources.
    pub sources: Vec<Source>,
    /// The day a retest rule counts from.
    pub today: NaiveDate,
}

/// The estimate under one way of knowing the maximal heart rate.
#[derive(Serialize, ToSchema)]
pub struct HrMaxChoice {
    /// Which.
    pub method: HrMaxMethod,
    /// The rule in symbols.
    pub formula: String,
    /// The maximal heart rate, bpm.
    pub hr_max: f64,
    /// The extrapolation under it.
    pub line: StageLine,
    /// Whether the result is stored with it.
    pub stored: bool,
}

/// The person on the day.
#[derive(Serialize, ToSchema)]
pub struct FactsShown {
    /// Age.
    pub age: Option<f64>,
    /// Sex (for equations and norms).
    pub sex: Option<impulso_core::person::Sex>,
    /// Body mass with its age, where the test rests on it: "86.2 kg, weighed 12 weeks before".
    pub mass: Option<String>,
}

/// How a test ended early.
#[derive(Serialize, ToSchema)]
pub struct StopShown {
    /// In a sentence.
    pub sentence: String,
    /// Whether symptoms were the reason.
    pub symptoms: bool,
    /// What was added.
    pub note: Option<String>,
}

/// A result as a correction starts from it.
#[derive(Serialize, ToSchema)]
pub struct EntryShown {
    /// Readings by key, stages among them.
    #[schema(value_type = BTreeMap<String, serde_json::Value>)]
    pub inputs: Inputs,
    /// The circumstances.
    #[schema(value_type = BTreeMap<String, impulso_core::run::event::Answer>)]
    pub conditions: Conditions,
    /// Resting heart rate on the day, where it was taken.
    pub resting_hr: Option<f64>,
    /// A measured maximal heart rate.
    pub hr_max: Option<f64>,
}

/// A version of a result that is not the newest.
#[derive(Serialize, ToSchema)]
pub struct VersionLine {
    /// From 1.
    pub version: u32,
    /// The day it stood under.
    pub on: NaiveDate,
    /// Whose it was, where that is somebody else.
    pub of: Option<String>,
    /// What it scored: `VO₂max 44.1 mL/kg/min`.
    pub values: Vec<String>,
    /// What had been read.
    pub readings: Vec<ReadingLine>,
    /// What was then done to it.
    #[schema(value_type = String)]
    pub change: versions::Change,
    /// Why.
    pub reason: String,
    /// The coach who did it.
    pub by: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A test in a list.
#[derive(Serialize, ToSchema)]
pub struct TestLine {
    /// Key.
    pub id: Uuid,
    /// The protocol's id.
    pub protocol: String,
    /// Its display name.
    pub name: String,
    /// The day.
    pub on: NaiveDate,
    /// The quantities as shown: `VO₂max 44.1 mL/kg/min`.
    pub values: Vec<String>,
    /// How it ended early, where it did.
    pub stopped: Option<String>,
}

impl TestLine {
    /// The line of a stored result.
    pub fn new(result: &Stored, shelf: &Shelf) -> Self {
        let protocol = shelf.find(&result.protocol_id).ok();
        Self {
            id: result.id.0,
            protocol: result.protocol_id.clone(),
            name: protocol.map_or_else(|| result.protocol_id.clone(), |p| p.name.clone()),
            on: result.on,
            values: values(protocol, result),
            stopped: result.stopped.as_ref().map(stop_sentence),
        }
    }
}

/// What a result scored, measure by measure.
fn values(protocol: Option<&Protocol>, result: &Stored) -> Vec<String> {
    let order = protocol.iter().flat_map(|p| p.scoring.iter().rev()).filter(|s| !s.in_detail).map(|s| &s.quantity);
    order.filter_map(|q| Some(format!("{} {}", quantity::label(q), quantity::with_unit(q, *result.computed.get(q)?)))).collect()
}

/// A measure over time.
#[derive(Serialize, ToSchema)]
pub struct TrendPage {
    /// Whose.
    pub person: Uuid,
    /// Name.
    pub name: String,
    /// The protocol's id.
    pub protocol: String,
    /// Its display name.
    pub protocol_name: String,
    /// The quantity's key.
    pub quantity: String,
    /// What it is called.
    pub label: String,
    /// Its unit.
    pub unit: String,
    /// Whether a smaller value is better.
    pub lower_is_better: bool,
    /// Oldest first.
    pub points: Vec<TrendPoint>,
    /// The wobble of this measure.
    pub typical_error: Option<TypicalError>,
    /// What happened along the way.
    pub happenings: Vec<Happening>,
    /// The change from first to now.
    pub progress: Option<Progress>,
    /// Goals of this measure, as lines.
    pub goals: Vec<GoalDrawn>,
    /// What the protocol gives besides: other quantities with a trend.
    pub quantities: Vec<QuantityName>,
}

/// A goal as a line on a trend.
#[derive(Serialize, ToSchema)]
pub struct GoalDrawn {
    /// How the client stands to it.
    pub way: Way,
    /// The same in a sentence.
    pub sentence: String,
    /// From where it began over its milestones to the goal.
    pub line: Vec<Milestone>,
}

/// A quantity by key and name.
#[derive(Serialize, ToSchema)]
pub struct QuantityName {
    /// Key.
    pub key: String,
    /// What it is called.
    pub label: String,
}

/// A point of a trend.
#[derive(Serialize, ToSchema)]
pub struct TrendPoint {
    /// The result.
    pub result: Uuid,
    /// The day.
    pub on: NaiveDate,
    /// The value; absent for a test without a reading.
    pub value: Option<f64>,
    /// As shown.
    pub shown: String,
    /// Where it cannot be compared with the latest: how it was different.
    pub unlike: Vec<Unlike>,
    /// How it ended early, where it did.
    pub stopped: Option<String>,
}

/// One result.
#[utoipa::path(tag = "results", operation_id = "results_get", responses((status = 200, body = ResultPage), (status = 404, body = ApiError)))]
#[get("/results/{id}")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<ResultPage>> {
    let mut scope = who.scope().await?;
    let result = results::get(&mut scope, ResultId(*id)).await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&result.protocol_id)?;
    let person = people::get(&mut scope, result.person).await?;
    let today = auth::today(&mut scope).await?;
    let history = results::of_protocol(&mut scope, result.person, &result.protocol_id).await?;
    let units = person.profile.units;
    let report = scoring::report(protocol, &result, &scoring::own(&mut scope, protocol).await?, units)?;
    let scored = report.is_some();
    let told = Told { noted: scoring::noted(&mut scope, result.person).await?, units };
    let progress = report
        .iter()
        .flat_map(|r| &r.quantities)
        .filter_map(|q| Some((q.key.clone(), scoring::progress(protocol, &result, &history, &q.key, q.typical_error.as_ref(), &told)?)))
        .collect();
    let report = report.map(|mut report| {
        for q in &mut report.quantities {
            q.typical_error = q.typical_error.take().map(|te| te.shown_in(&q.key, units));
        }
        report
    });
    let open = retests::open_of(&mut scope, result.person).await?;
    let mut versions = Vec::new();
    for v in versions::of_result(&mut scope, result.id).await?.into_iter().rev() {
        let of = if v.was.person == person.id { None } else { Some(people::get(&mut scope, v.was.person).await?.profile.name) };
        versions.push(VersionLine {
            version: v.version,
            on: v.was.on,
            of,
            values: values(Some(protocol), &v.was),
            readings: reading::lines(protocol, &v.was.inputs, units),
            change: v.change,
            reason: v.reason,
            by: v.by,
            at: v.at,
        });
    }
    Ok(web::Json(ResultPage {
        voided: result.voided,
        readings: reading::lines(protocol, &result.inputs, units),
        remarks: view::remarks(&mut scope, &result).await?,
        units,
        entry: EntryShown {
            inputs: result.inputs.without_recording(),
            conditions: result.conditions.clone(),
            resting_hr: result.facts.resting_hr.map(Bpm::value),
            hr_max: result.facts.hr_max.map(Bpm::value),
        },
        versions,
        id: result.id.0,
        person: result.person.0,
        name: person.profile.name,
        protocol: protocol.id.clone(),
        protocol_name: protocol.name.clone(),
        method: result.method.clone(),
        on: result.on,
        taken_at: result.taken_at,
        facts: FactsShown {
            age: result.facts.age.map(impulso_core::units::Age::value),
            sex: result.facts.sex,
            mass: Facts::from(result.facts).mass_on_day(result.on, units).filter(|_| protocol.uses_mass()),
        },
        stopped: result.stopped.as_ref().map(|s| StopShown {
            sentence: stop_sentence(s),
            symptoms: s.reason == Some(impulso_core::run::StopReason::Symptoms),
            note: s.note.clone(),
        }),
        report,
        progress,
        retests: open.into_iter().filter(|r| r.protocol_id == protocol.id).map(|r| RetestLine::new(r, &shelf, today)).collect(),
        retest_weeks: protocol.retest_weeks,
        line: trial_line(protocol, &result).filter(|_| scored),
        hr_max_choices: if scored { hr_max_choices(protocol, &result) } else { Vec::new() },
        ride: ride::report(protocol, &result, &history).filter(|_| scored),
        copied_from: protocol.based_on.as_deref().map(|id| shelf.name(id)),
        body_map: protocol.body_map(),
        sources: protocol.sources.clone(),
        today,
    }))
}

/// How one measure has gone.
#[utoipa::path(tag = "results", operation_id = "results_trend", responses((status = 200, body = TrendPage), (status = 404, body = ApiError)))]
#[get("/people/{id}/trend/{protocol}/{quantity}")]
pub async fn trend(who: SignedIn, path: web::Path<(Uuid, String, String)>) -> ApiResult<web::Json<TrendPage>> {
    let (id, protocol, key) = path.into_inner();
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&protocol)?;
    if !protocol.scoring.iter().any(|s| s.quantity == key) {
        return Err(ApiError::not_found());
    }
    let person = people::get(&mut scope, PersonId(id)).await?;
    let mut history = results::of_protocol(&mut scope, person.id, &protocol.id).await?;
    history.sort_by_key(|r| (r.taken_at, r.id));
    let own = scoring::own(&mut scope, protocol).await?;
    let units = person.profile.units;
    let told = Told { noted: scoring::noted(&mut scope, person.id).await?, units };
    let latest = history.iter().rev().find(|r| r.computed.contains_key(&key));
    let typical_error = latest.and_then(|r| scoring::wobble(protocol, r, &key, Some(&own)));
    let points = points(protocol, &key, &history, units);
    let latest_value = latest.and_then(|r| Some((r.on, *r.computed.get(&key)?)));
    let today = auth::today(&mut scope).await?;
    let goals = goals::of_person(&mut scope, person.id)
        .await?
        .into_iter()
        .filter(|(_, g)| g.protocol == protocol.id && g.quantity == key)
        .map(|(_, goal)| {
            let standing = goal.standing(latest_value, typical_error.as_ref(), today, units);
            GoalDrawn { way: standing.way, sentence: standing.sentence, line: line_in(&goal, units) }
        })
        .collect();
    Ok(web::Json(TrendPage {
        person: id,
        name: person.profile.name,
        protocol: protocol.id.clone(),
        protocol_name: protocol.name.clone(),
        label: quantity::label(&key).into_owned(),
        unit: quantity::in_units(&key, 0.0, units).1.to_owned(),
        lower_is_better: quantity::lower_is_better(&key),
        points,
        progress: latest.and_then(|r| scoring::progress(protocol, r, &history, &key, typical_error.as_ref(), &told)),
        happenings: told.noted,
        goals,
        typical_error: typical_error.map(|te| te.shown_in(&key, units)),
        quantities: protocol
            .scoring
            .iter()
            .rev()
            .map(|s| QuantityName { key: s.quantity.clone(), label: quantity::label(&s.quantity).into_owned() })
            .collect(),
        quantity: key,
    }))
}

/// A measure over time. `history`: the results of one protocol, oldest first.
pub fn points(protocol: &Protocol, key: &str, history: &[Stored], units: Units) -> Vec<TrendPoint> {
    let now = history.iter().rev().find(|r| r.computed.contains_key(key)).and_then(|r| r.point(key));
    let point = |r: &Stored| {
        let point = r.point(key);
        TrendPoint {
            result: r.id.0,
            on: r.on,
            value: point.as_ref().map(|p| quantity::in_units(key, p.value, units).0),
            shown: point.as_ref().map(|p| quantity::shown_in(key, p.value, units)).unwrap_or_default(),
            unlike: point.zip(now.as_ref()).map(|(p, n)| unlike(protocol, &p, n)).unwrap_or_default(),
            stopped: r.stopped.as_ref().map(stop_sentence),
        }
    };
    history.iter().map(point).collect()
}

/// A goal's line in the units a person thinks in.
fn line_in(goal: &Goal, units: Units) -> Vec<Milestone> {
    goal.line().into_iter().map(|m| Milestone { value: quantity::in_units(&goal.quantity, m.value, units).0, ..m }).collect()
}

/// How a test ended early, in a sentence.
pub fn stop_sentence(stop: &results::Stop) -> String {
    let at = format!("{}:{:02}", stop.at_s as u64 / 60, stop.at_s as u64 % 60);
    match stop.reason {
        Some(reason) => format!("Stopped at {at}: {}.", reason.words()),
        None => format!("Stopped at {at}."),
    }
}

fn trial_line(protocol: &Protocol, result: &Stored) -> Option<StageLine> {
    protocol.records_stages().then(|| cycle::trial_line(&scoring::trial(protocol, result)).ok()).flatten()
}

/// The same stages under every method that applies to the person. The ceiling stays: it decided which stages there are.
fn hr_max_choices(protocol: &Protocol, result: &Stored) -> Vec<HrMaxChoice> {
    let Some(stored) = trial_line(protocol, result) else { return Vec::new() };
    let facts = result.facts.into();
    HrMaxMethod::ALL
        .into_iter()
        .filter_map(|method| {
            let line = cycle::stage_line(&result.inputs.stages, &facts, method, stored.from_bpm, stored.ceiling_bpm).ok()?;
            let is_stored = method == stored.hr_max_method;
            Some(HrMaxChoice { method, formula: method.formula().to_owned(), hr_max: line.hr_max, line, stored: is_stored })
        })
        .collect()
}

/// A test that was done on paper.
#[derive(Deserialize, ToSchema)]
pub struct EntryForm {
    /// Made by the screen, so that a double click keeps one result.
    pub id: Uuid,
    /// The protocol's id.
    pub protocol: String,
    /// The day, the readings, the circumstances.
    #[serde(flatten)]
    pub typed: Typed,
    /// The place in a visit that it fills.
    #[serde(default)]
    pub visit: Option<InVisit>,
}

/// A result that was kept.
#[derive(Serialize, ToSchema)]
pub struct Kept {
    /// Its key.
    pub result: Uuid,
}

/// Keeps a test that was done on paper.
#[utoipa::path(tag = "results", operation_id = "results_enter", responses((status = 200, body = Kept), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/people/{id}/results")]
pub async fn enter(who: SignedIn, id: web::Path<Uuid>, form: Json<EntryForm>) -> ApiResult<web::Json<Kept>> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    if results::get(&mut scope, ResultId(form.id)).await.is_ok() {
        return Ok(web::Json(Kept { result: form.id }));
    }
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&form.protocol)?;
    let person = people::get(&mut scope, PersonId(*id)).await?;
    let mut typed = form.typed;
    if let Some(at) = form.visit {
        let (visit, _) = visiting::take_place(&mut scope, at, person.id, &protocol.id).await?;
        if typed.on != visit.on {
            let message = format!("This visit is dated {}. Enter tests from other days separately.", visit.on.format("%-d %B %Y"));
            return Err(InputError::new(Code::OutOfRange, "on", message).into());
        }
        if visit.on != auth::today(&mut scope).await? && typed.at.is_none() {
            let zone = auth::zone(&mut scope).await?;
            typed.at = Some(visit.created_at.with_timezone(&zone).format("%H:%M").to_string());
        }
    }
    let result = recording::build(&mut scope, protocol, &person, ResultId(form.id), typed, None).await?;
    recording::keep(&mut scope, who.coach, &result).await?;
    if let Some(at) = form.visit {
        visits::append(&mut scope, at.visit, form.id, &Happened::Done { place: at.place, result: form.id }).await?;
    }
    scope.commit().await?;
    Ok(web::Json(Kept { result: form.id }))
}

/// What is done to a result, and why.
#[derive(Deserialize, ToSchema)]
pub struct CorrectionForm {
    /// Made by the screen: the same correction twice is one.
    pub id: Uuid,
    /// How many versions the screen knew of beside the newest.
    pub seen: u32,
    /// Why; it stays with the result.
    pub reason: String,
    /// What is done.
    #[serde(flatten)]
    pub correction: Correction,
}

/// Puts a result right, makes it void, restores it or gives it to another client. What it was stays as a version.
#[utoipa::path(tag = "results", operation_id = "results_correct", responses((status = 200, body = Kept), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/results/{id}/corrections")]
pub async fn correct(who: SignedIn, id: web::Path<Uuid>, form: Json<CorrectionForm>) -> ApiResult<web::Json<Kept>> {
    let CorrectionForm { id: correction, seen, reason, correction: what } = form.into_inner();
    let mut scope = who.scope().await?;
    recording::correct(&mut scope, who.coach, ResultId(*id), correction, seen, &reason, what).await?;
    scope.commit().await?;
    Ok(web::Json(Kept { result: *id }))
}

/// A rower and a VO2max that is known.
#[derive(Deserialize, IntoParams)]
pub struct InverseQuery {
    /// mL/kg/min.
    pub vo2max: f64,
    /// Body mass, kg.
    pub mass_kg: f64,
    /// Sex as the equation uses it.
    pub sex: Sex,
    /// Whether the client rows regularly.
    pub trained: bool,
}

/// What a known VO2max suggests.
#[derive(Serialize, ToSchema)]
pub struct Suggested {
    /// The 2000 m time, s.
    pub time_s: f64,
    /// In a sentence.
    pub sentence: String,
    /// The equation with the numbers in it.
    pub working: String,
}

/// The 2000 m rowing time that a known VO2max suggests.
#[utoipa::path(tag = "results", operation_id = "results_inverse", params(InverseQuery), responses((status = 200, body = Suggested), (status = 422, body = ApiError)))]
#[get("/row-time")]
pub async fn inverse(_: SignedIn, query: web::Query<InverseQuery>) -> ApiResult<web::Json<Suggested>> {
    let asked_the_other_way = |p: &&Protocol| p.inputs.iter().any(|i| i.inverse);
    let Some(protocol) = impulso_core::catalogue::all().iter().find(asked_the_other_way) else { return Err(ApiError::not_found()) };
    let inputs = Inputs::from_iter([("vo2max", query.vo2max), ("trained", f64::from(u8::from(query.trained)))]);
    let mass = BodyMass::new(query.mass_kg).map_err(|e| e.at("mass_kg"))?;
    let facts = Facts { sex: Some(query.sex), mass: Some(mass), ..Facts::default() };
    let trial = trial::Trial::of(protocol, facts, &inputs);
    let outcome = trial::compute(&trial)?;
    let Some(found) = outcome.result("time_s") else { return Err(ApiError::not_found()) };
    Ok(web::Json(Suggested {
        time_s: found.value,
        sentence: format!("{} for 2000 m.", quantity::shown("time_s", found.value.round())),
        working: found.equation.working("time_s", &trial, &outcome).map(|w| w.filled).unwrap_or_default(),
    }))
}
