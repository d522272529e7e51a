//! Results and trends: what did we learn, is it real, when again.

use std::collections::BTreeMap;

use actix_web::{get, web};
use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{
    catalogue::{self, Source},
    change::{TypicalError, Unlike, unlike},
    quantity,
    report::{Progress, ResultReport},
};
use impulso_store::{
    PersonId, ResultId, people,
    results::{self, Stored},
    retests,
};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::retests::RetestLine;
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    scoring,
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
    /// The change, by quantity.
    pub progress: BTreeMap<String, Progress>,
    /// Open retests of this test.
    pub retests: Vec<RetestLine>,
    /// The method's sources.
    pub sources: Vec<Source>,
    /// The day a retest rule counts from.
    pub today: NaiveDate,
}

/// The person on the day.
#[derive(Serialize, ToSchema)]
pub struct FactsShown {
    /// Age.
    pub age: Option<f64>,
    /// Sex as the equations use it.
    pub sex: Option<impulso_core::person::Sex>,
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
    pub fn new(result: &Stored) -> Self {
        let protocol = catalogue::find(&result.protocol_id).ok();
        let order = protocol.map_or_else(Vec::new, |p| p.scoring.iter().rev().map(|s| s.quantity.clone()).collect());
        Self {
            id: result.id.0,
            protocol: result.protocol_id.clone(),
            name: protocol.map_or_else(|| result.protocol_id.clone(), |p| p.name.clone()),
            on: result.on,
            values: order
                .iter()
                .filter_map(|q| Some(format!("{} {}", quantity::label(q), quantity::with_unit(q, *result.computed.get(q)?))))
                .collect(),
            stopped: result.stopped.as_ref().map(stop_sentence),
        }
    }
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
    /// The change from first to now.
    pub progress: Option<Progress>,
    /// What the protocol gives besides: other quantities with a trend.
    pub quantities: Vec<QuantityName>,
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
    let protocol = catalogue::find(&result.protocol_id)?;
    let person = people::get(&mut scope, result.person).await?;
    let today = auth::today(&mut scope).await?;
    let history = results::of_person(&mut scope, result.person).await?;
    let report = scoring::report(protocol, &result, &scoring::all_repeats(&mut scope, protocol).await?)?;
    let progress = report
        .iter()
        .flat_map(|r| &r.quantities)
        .filter_map(|q| Some((q.key.clone(), scoring::progress(protocol, &result, &history, &q.key, q.typical_error.as_ref())?)))
        .collect();
    let filter = retests::Filter { person: Some(result.person), open_only: true, ..retests::Filter::default() };
    let open = retests::list(&mut scope, filter).await?;
    Ok(web::Json(ResultPage {
        id: result.id.0,
        person: result.person.0,
        name: person.profile.name,
        protocol: protocol.id.clone(),
        protocol_name: protocol.name.clone(),
        method: result.method.clone(),
        on: result.on,
        taken_at: result.taken_at,
        facts: FactsShown { age: result.facts.age.map(impulso_core::units::Age::value), sex: result.facts.sex },
        stopped: result.stopped.as_ref().map(|s| StopShown {
            sentence: stop_sentence(s),
            symptoms: s.reason == Some(impulso_core::run::StopReason::Symptoms),
            note: s.note.clone(),
        }),
        report,
        progress,
        retests: open.into_iter().filter(|r| r.protocol_id == protocol.id).map(|r| RetestLine::new(r, today)).collect(),
        sources: protocol.sources.clone(),
        today,
    }))
}

/// How one measure has gone.
#[utoipa::path(tag = "results", operation_id = "results_trend", responses((status = 200, body = TrendPage), (status = 404, body = ApiError)))]
#[get("/people/{id}/trend/{protocol}/{quantity}")]
pub async fn trend(who: SignedIn, path: web::Path<(Uuid, String, String)>) -> ApiResult<web::Json<TrendPage>> {
    let (id, protocol, key) = path.into_inner();
    let protocol = catalogue::find(&protocol)?;
    if !protocol.scoring.iter().any(|s| s.quantity == key) {
        return Err(ApiError::not_found());
    }
    let mut scope = who.scope().await?;
    let person = people::get(&mut scope, PersonId(id)).await?;
    let history: Vec<Stored> =
        results::of_person(&mut scope, person.id).await?.into_iter().filter(|r| r.protocol_id == protocol.id).collect();
    let own = scoring::repeats(&mut scope, protocol, &key).await?;
    let typical_error = TypicalError::best(protocol, &key, person.profile.sex, &own);
    let latest = history.iter().rev().find(|r| r.computed.contains_key(&key));
    let now = latest.and_then(|r| r.point(&key));
    let points = history
        .iter()
        .map(|r| {
            let point = r.point(&key);
            TrendPoint {
                result: r.id.0,
                on: r.on,
                value: point.as_ref().map(|p| p.value),
                shown: point.as_ref().map(|p| quantity::shown(&key, p.value)).unwrap_or_default(),
                unlike: point.zip(now.as_ref()).map(|(p, n)| unlike(protocol, &p, n)).unwrap_or_default(),
                stopped: r.stopped.as_ref().map(stop_sentence),
            }
        })
        .collect();
    Ok(web::Json(TrendPage {
        person: id,
        name: person.profile.name,
        protocol: protocol.id.clone(),
        protocol_name: protocol.name.clone(),
        label: quantity::label(&key).to_owned(),
        unit: quantity::unit(&key).to_owned(),
        lower_is_better: protocol.change_rule(&key).is_some_and(|r| r.lower_is_better),
        points,
        progress: latest.and_then(|r| scoring::progress(protocol, r, &history, &key, typical_error.as_ref())),
        typical_error,
        quantities: protocol
            .scoring
            .iter()
            .rev()
            .map(|s| QuantityName { key: s.quantity.clone(), label: quantity::label(&s.quantity).to_owned() })
            .collect(),
        quantity: key,
    }))
}

/// How a test ended early, in a sentence.
pub fn stop_sentence(stop: &results::Stop) -> String {
    let at = format!("{}:{:02}", stop.at_s as u64 / 60, stop.at_s as u64 % 60);
    match stop.reason {
        Some(reason) => format!("Stopped at {at}: {}.", reason.words()),
        None => format!("Stopped at {at}."),
    }
}
