//! A result: what was learned, is it real, when again.

use std::collections::BTreeMap;

use actix_web::{get, web};
use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{
    catalogue::{Protocol, Source},
    done::{Done, Stop},
    estimate::cycle::{self, StageLine},
    hr_max::HrMaxMethod,
    inputs::Inputs,
    picture::BodyMap,
    progress::{self, Audience, Progress},
    quantity,
    reading::{self, ReadingLine},
    report::ResultReport,
    run::event::Conditions,
    units::{Bpm, Units},
};
use impulso_store::{ResultId, people, results, retests, versions};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::ride::{self, RideReport};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    planning::RetestLine,
    scoring,
    shelf::Shelf,
    view,
};

/// A result's page.
#[derive(Serialize, ToSchema)]
pub struct ResultPage {
    pub id: Uuid,
    /// Whose.
    pub person: Uuid,
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
    pub age: Option<f64>,
    /// Sex (for equations and norms).
    pub sex: Option<impulso_core::person::Sex>,
    /// Body mass with its age, where the test rests on it: "86.2 kg, weighed 12 weeks before".
    pub mass: Option<String>,
}

/// How a test ended early.
#[derive(Serialize, ToSchema)]
pub struct StopShown {
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
    pub id: Uuid,
    /// The protocol's id.
    pub protocol: String,
    /// Its display name.
    pub name: String,
    /// The day.
    pub on: NaiveDate,
    /// The visit it was done in, where it was done in one.
    pub visit: Option<Uuid>,
    /// The quantities as shown: `VO₂max 44.1 mL/kg/min`.
    pub values: Vec<String>,
    /// How it ended early, where it did.
    pub stopped: Option<String>,
}

impl TestLine {
    /// The line of a stored result.
    pub fn new(result: &Done, shelf: &Shelf, visit: Option<Uuid>) -> Self {
        let protocol = shelf.find(&result.protocol_id).ok();
        Self {
            id: result.id,
            protocol: result.protocol_id.clone(),
            name: protocol.map_or_else(|| result.protocol_id.clone(), |p| p.name.clone()),
            on: result.on,
            visit,
            values: values(protocol, result),
            stopped: result.stopped.as_ref().map(Stop::sentence),
        }
    }
}

/// What a result scored, measure by measure.
fn values(protocol: Option<&Protocol>, result: &Done) -> Vec<String> {
    let order = protocol.iter().flat_map(|p| p.scoring.iter().rev()).filter(|s| !s.in_detail).map(|s| &s.quantity);
    order.filter_map(|q| Some(format!("{} {}", quantity::label(q), quantity::with_unit(q, *result.computed.get(q)?)))).collect()
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
    let tests = || history.iter().map(|r| &r.done);
    let units = person.profile.units;
    let report = result.report(protocol, &scoring::own(&mut scope, protocol).await?, units)?.map(|(_, report)| report);
    let scored = report.is_some();
    let audience = Audience { noted: scoring::noted(&mut scope, result.person).await?, units };
    let progress = report
        .iter()
        .flat_map(|r| &r.quantities)
        .filter_map(|q| {
            let progress = progress::of_test(protocol, &result, tests(), &q.key, q.typical_error.as_ref(), &audience)?;
            Some((q.key.clone(), progress.shown_in(units)))
        })
        .collect();
    let report = report.map(|mut report| {
        for q in &mut report.quantities {
            q.typical_error = q.typical_error.take().map(|te| te.shown_in(&q.key, units));
        }
        report
    });
    let open = retests::open_of(&mut scope, result.person).await?;
    let mut versions = Vec::new();
    for v in versions::of_result(&mut scope, result.key()).await?.into_iter().rev() {
        let of = if v.was.person == person.id { None } else { Some(people::get(&mut scope, v.was.person).await?.profile.name) };
        versions.push(VersionLine {
            version: v.version,
            on: v.was.on,
            of,
            values: values(Some(protocol), &v.was),
            readings: reading::lines(protocol, &v.was.conditions, &v.was.inputs, units),
            change: v.change,
            reason: v.reason,
            by: v.by,
            at: v.at,
        });
    }
    Ok(web::Json(ResultPage {
        voided: result.voided,
        readings: reading::lines(protocol, &result.conditions, &result.inputs, units),
        remarks: view::remarks(&mut scope, &result).await?,
        units,
        entry: EntryShown {
            inputs: result.inputs.without_recording(),
            conditions: result.conditions.clone(),
            resting_hr: result.facts.resting_hr.map(Bpm::value),
            hr_max: result.facts.hr_max.map(Bpm::value),
        },
        versions,
        id: result.id,
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
            mass: result.facts.mass_on_day(result.on, units).filter(|_| protocol.uses_mass()),
        },
        stopped: result.stopped.as_ref().map(|s| StopShown {
            sentence: s.sentence(),
            symptoms: s.reason == Some(impulso_core::run::StopReason::Symptoms),
            note: s.note.clone(),
        }),
        report,
        progress,
        retests: open.into_iter().filter(|r| r.protocol_id == protocol.id).map(|r| RetestLine::new(r, &shelf, today)).collect(),
        retest_weeks: protocol.retest_weeks,
        line: stage_line(protocol, &result).filter(|_| scored),
        hr_max_choices: if scored { hr_max_choices(protocol, &result) } else { Vec::new() },
        ride: ride::report(protocol, &result, tests()).filter(|_| scored),
        copied_from: protocol.based_on.as_deref().map(|id| shelf.name(id)),
        body_map: protocol.body_map(),
        sources: protocol.sources.clone(),
        today,
    }))
}

fn stage_line(protocol: &Protocol, result: &Done) -> Option<StageLine> {
    protocol.records_stages().then(|| cycle::line_of(&result.record(protocol)).ok()).flatten()
}

/// The same stages under every method that applies to the person. The ceiling stays: it decided which stages there are.
fn hr_max_choices(protocol: &Protocol, result: &Done) -> Vec<HrMaxChoice> {
    let Some(stored) = stage_line(protocol, result) else { return Vec::new() };
    let facts = result.facts;
    HrMaxMethod::ALL
        .into_iter()
        .filter_map(|method| {
            let line = cycle::stage_line(&result.inputs.stages, &facts, method, stored.from_bpm, stored.ceiling_bpm).ok()?;
            let is_stored = method == stored.hr_max_method;
            Some(HrMaxChoice { method, formula: method.formula().to_owned(), hr_max: line.hr_max, line, stored: is_stored })
        })
        .collect()
}
