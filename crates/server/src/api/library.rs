//! The test library.

use actix_web::{get, web};
use impulso_core::{
    catalogue::{self, Protocol},
    estimate::Working,
    norms,
    person::Sex,
    units::Bpm,
};
use serde::Serialize;
use utoipa::ToSchema;

use crate::{ApiError, ApiResult, auth::SignedIn};

/// A test in the library's list.
#[derive(Serialize, ToSchema)]
pub struct LibraryLine {
    /// Stable id.
    pub id: String,
    /// Display name.
    pub name: String,
    /// What happens.
    pub summary: String,
    /// What it tells.
    pub tells: String,
    /// Minutes to plan.
    pub minutes: u16,
    /// What search compares: name, id, summary and citations.
    pub searched: String,
}

/// A method page.
#[derive(Serialize, ToSchema)]
pub struct MethodPage {
    /// The whole protocol.
    pub protocol: Protocol,
    /// Each equation worked through with an example heart rate.
    pub examples: Vec<Example>,
    /// The tables, with their sources.
    pub tables: Vec<TableLine>,
}

/// An equation with example numbers.
#[derive(Serialize, ToSchema)]
pub struct Example {
    /// Whom the line is for: men, women, everyone.
    pub who: String,
    /// The equation's stored name.
    pub method: String,
    /// The equation at 120 bpm.
    pub working: Working,
}

/// A table's origin.
#[derive(Serialize, ToSchema)]
pub struct TableLine {
    /// Its id.
    pub id: String,
    /// Whom it describes.
    pub population: String,
    /// Author, title, year.
    pub source: String,
    /// Published, recalled.
    pub status: String,
}

/// Every test.
#[utoipa::path(tag = "library", operation_id = "library_list", responses((status = 200, body = Vec<LibraryLine>), (status = 401, body = ApiError)))]
#[get("/protocols")]
pub async fn list(_: SignedIn) -> web::Json<Vec<LibraryLine>> {
    web::Json(catalogue::all().iter().map(line).collect())
}

/// One test's method page.
#[utoipa::path(tag = "library", operation_id = "library_get", responses((status = 200, body = MethodPage), (status = 404, body = ApiError)))]
#[get("/protocols/{id}")]
pub async fn get(_: SignedIn, id: web::Path<String>) -> ApiResult<web::Json<MethodPage>> {
    let protocol = catalogue::find(&id)?;
    let mut used: Vec<&str> = protocol.norms.iter().map(|n| n.table.as_str()).collect();
    used.dedup();
    let tables = used
        .into_iter()
        .filter_map(norms::table)
        .map(|t| TableLine { id: t.id.to_owned(), population: t.population.to_owned(), source: t.source.clone(), status: t.status.clone() })
        .collect();
    Ok(web::Json(MethodPage { protocol: protocol.clone(), examples: examples(protocol), tables }))
}

/// A line of the list.
pub fn line(p: &Protocol) -> LibraryLine {
    let citations: Vec<&str> = p.sources.iter().map(|s| s.citation.as_str()).collect();
    LibraryLine {
        id: p.id.clone(),
        name: p.name.clone(),
        summary: p.summary.clone(),
        tells: p.tells.clone(),
        minutes: p.minutes,
        searched: impulso_core::text::search_key(&format!("{} {} {} {}", p.name, p.id, p.summary, citations.join(" "))),
    }
}

/// Each equation of a protocol at 120 bpm, for each sex it is split by.
pub fn examples(protocol: &Protocol) -> Vec<Example> {
    let Ok(hr) = Bpm::new(120.0) else { return Vec::new() };
    let window = protocol.count.as_ref().map(|c| (120.0 * f64::from(c.window_s) / 60.0, f64::from(c.window_s)));
    protocol
        .scoring
        .iter()
        .flat_map(|s| {
            let sexes: &[(&str, Option<Sex>)] =
                if s.equation.is_estimate() { &[("men", Some(Sex::Male)), ("women", Some(Sex::Female))] } else { &[("everyone", None)] };
            sexes.iter().filter_map(move |(who, sex)| {
                Some(Example {
                    who: (*who).to_owned(),
                    method: s.equation.name().to_owned(),
                    working: s.equation.working(hr, *sex, window)?,
                })
            })
        })
        .collect()
}
