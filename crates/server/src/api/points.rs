//! Scoring tables: seen, made in a new version, taken in and out as CSV, applied to the past and taken back.

use actix_web::{HttpResponse, get, http::header, post, put, web};
use impulso_core::{
    Code, InputError,
    battery::Battery,
    points::{self, PointRow, ScoringTable},
    quantity,
};
use impulso_formats::table;
use impulso_store::{
    Scope,
    audit::{self, Action, Subject},
    scoring_tables,
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
    marking,
    shelf::Shelf,
};

/// The scoring tables of a battery.
#[derive(Serialize, ToSchema)]
pub struct ScoringPage {
    /// What the battery is called.
    pub battery_name: String,
    pub tests: Vec<ScoredTest>,
    /// Its tables, oldest first.
    pub tables: Vec<ScoringTable>,
    /// The version that holds today.
    pub current: Option<u32>,
    /// The version that is applied to the past too.
    pub for_past: Option<u32>,
}

/// A test that can bring points.
#[derive(Serialize, ToSchema)]
pub struct ScoredTest {
    /// Its place, from 0.
    pub place: usize,
    /// What it is called.
    pub name: String,
    /// The measure that brings points.
    pub label: String,
    pub unit: String,
    /// Whether less of it is better.
    pub lower_is_better: bool,
}

fn battery(shelf: &Shelf, id: &str) -> ApiResult<Battery> {
    shelf.battery(id).cloned().ok_or_else(ApiError::not_found)
}

async fn page(scope: &mut Scope, id: &str) -> ApiResult<ScoringPage> {
    let shelf = Shelf::of(scope).await?;
    let battery = battery(&shelf, id)?;
    let tables = marking::tables(scope, &battery).await?;
    let today = auth::today(scope).await?;
    let tests = battery.tests.iter().enumerate().filter_map(|(place, test)| {
        let protocol = shelf.find(&test.protocol).ok()?;
        Some(ScoredTest {
            place,
            name: impulso_core::visit::variant_name(Some(protocol), test),
            label: quantity::label(protocol.headline()).into_owned(),
            unit: quantity::unit(protocol.headline()).to_owned(),
            lower_is_better: points::lower_is_better(protocol),
        })
    });
    Ok(ScoringPage {
        battery_name: battery.name.clone(),
        tests: tests.collect(),
        current: points::in_force(&tables.all, today).map(|t| t.version),
        for_past: tables.for_past,
        tables: tables.all,
    })
}

/// A battery's scoring tables.
#[utoipa::path(tag = "visits", operation_id = "scoring_get", responses((status = 200, body = ScoringPage), (status = 404, body = ApiError)))]
#[get("/batteries/{id}/scoring")]
pub async fn get(who: SignedIn, id: web::Path<String>) -> ApiResult<web::Json<ScoringPage>> {
    Ok(web::Json(page(&mut who.scope().await?, &id).await?))
}

/// Keeps a table as a new version; older ones stay.
#[utoipa::path(tag = "visits", operation_id = "scoring_keep", responses((status = 200, body = ScoringPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[put("/batteries/{id}/scoring")]
pub async fn keep(who: SignedIn, id: web::Path<String>, form: Json<ScoringTable>) -> ApiResult<web::Json<ScoringPage>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let battery = battery(&shelf, &id)?;
    let from = impulso_core::person::day(form.from, "from")?;
    let all = marking::tables(&mut scope, &battery).await?.all;
    let table = ScoringTable { version: all.iter().map(|t| t.version).max().unwrap_or(0) + 1, from, ..form.into_inner() };
    // The grid says places; what is kept says tests.
    let rows = table.rows.into_iter().map(|row| PointRow { test: String::new(), ..row }).collect();
    let table = ScoringTable { rows, ..table }.placed_in(&battery.test_names());
    table.check(&battery.protocols(&|id: &str| shelf.find(id)))?;
    scoring_tables::add(&mut scope, who.coach, &battery.id, &table).await?;
    let detail = json!({ "battery": battery.name, "version": table.version });
    audit::record(&mut scope, who.coach, Action::ScoringKept, Subject::thing("battery", Uuid::nil()), detail).await?;
    let shown = page(&mut scope, &id).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// Which table is applied to the past.
#[derive(Deserialize, ToSchema)]
pub struct PastForm {
    /// Its version; nothing lets every visit have the table of its day again.
    pub version: Option<u32>,
}

/// Applies a table to the past, or takes that back. Raw scores stay as they are.
#[utoipa::path(tag = "visits", operation_id = "scoring_past", responses((status = 200, body = ScoringPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/batteries/{id}/scoring/past")]
pub async fn past(who: SignedIn, id: web::Path<String>, form: Json<PastForm>) -> ApiResult<web::Json<ScoringPage>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let battery = battery(&shelf, &id)?;
    let own = scoring_tables::of_battery(&mut scope, &battery.id).await?;
    if form.version.is_some_and(|v| !own.iter().any(|(t, _)| t.version == v)) {
        return Err(InputError::new(Code::OutOfRange, "version", "You have no table with this version.").into());
    }
    let version = form.version.and_then(|v| i32::try_from(v).ok());
    scoring_tables::apply_to_past(&mut scope, &battery.id, version).await?;
    let detail = json!({ "battery": battery.name, "version": form.version });
    audit::record(&mut scope, who.coach, Action::ScoringAppliedToPast, Subject::thing("battery", Uuid::nil()), detail).await?;
    let shown = page(&mut scope, &id).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// A table as CSV.
#[utoipa::path(tag = "visits", operation_id = "scoring_csv", responses((status = 200, content_type = "text/csv", body = String), (status = 404, body = ApiError)))]
#[get("/batteries/{id}/scoring/{version}/csv")]
pub async fn csv(who: SignedIn, path: web::Path<(String, u32)>) -> ApiResult<HttpResponse> {
    let (id, version) = path.into_inner();
    let shown = page(&mut who.scope().await?, &id).await?;
    let scoring = shown.tables.iter().find(|t| t.version == version).ok_or_else(ApiError::not_found)?;
    let name = |place: usize| shown.tests.iter().find(|t| t.place == place).map_or_else(String::new, |t| t.name.clone());
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header((header::CONTENT_DISPOSITION, format!("attachment; filename=\"scoring-{version}.csv\"")))
        .body(table::write(points::lines(scoring, &name).into_iter())))
}

/// A CSV to read.
#[derive(Deserialize, ToSchema)]
pub struct CsvForm {
    pub text: String,
}

/// The rows of a CSV, for the grid; nothing is kept.
#[utoipa::path(tag = "visits", operation_id = "scoring_read", responses((status = 200, body = Vec<PointRow>), (status = 422, body = ApiError)))]
#[post("/scoring/read")]
pub async fn read(_: SignedIn, form: Json<CsvForm>) -> ApiResult<web::Json<Vec<PointRow>>> {
    Ok(web::Json(points::read(table::records(&form.text)?.into_iter())?))
}
