//! The test library.

use actix_web::{get, post, web};
use impulso_core::{
    Code, InputError,
    catalogue::{Kit, Protocol},
    clamped::Pattern,
    estimate::Working,
    norms,
    own::{self, Changes},
    person::{Facts, Sex},
    trial::{Trial, compute},
    units::{Age, BodyMass},
};
use impulso_store::{
    audit::{self, Subject},
    protocols,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{ApiError, ApiResult, auth::SignedIn, body::Json, shelf::Shelf};

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
    /// Whether the floor runs it live; else it is entered afterwards.
    pub live: bool,
    /// Whether it can be practised on a simulated client.
    pub rehearsed: bool,
    /// How many can be tested at once.
    pub people_at_once: u16,
    /// What has to be at hand.
    pub needs: Vec<Kit>,
    /// For a practice's own: what it was copied from.
    pub based_on: Option<String>,
    /// What search compares: name, id, summary and citations.
    pub searched: String,
}

/// A method page.
#[derive(Serialize, ToSchema)]
pub struct MethodPage {
    /// The whole protocol.
    pub protocol: Protocol,
    /// Whether the floor runs it; the others are entered afterwards.
    pub runs_live: bool,
    /// Each equation worked through with the protocol's example readings.
    pub examples: Vec<Example>,
    /// What two rides may say together, in sentences.
    pub patterns: Vec<String>,
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
    /// The equation with the example's numbers.
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
pub async fn list(who: SignedIn) -> ApiResult<web::Json<Vec<LibraryLine>>> {
    let shelf = Shelf::of(&mut who.scope().await?).await?;
    Ok(web::Json(shelf.all().map(line).collect()))
}

/// One test's method page.
#[utoipa::path(tag = "library", operation_id = "library_get", responses((status = 200, body = MethodPage), (status = 404, body = ApiError)))]
#[get("/protocols/{id}")]
pub async fn get(who: SignedIn, id: web::Path<String>) -> ApiResult<web::Json<MethodPage>> {
    let shelf = Shelf::of(&mut who.scope().await?).await?;
    let protocol = shelf.find(&id)?;
    let mut used: Vec<&str> = protocol.norms.iter().map(|n| n.table.as_str()).collect();
    used.dedup();
    let tables = used
        .into_iter()
        .filter_map(norms::table)
        .map(|t| TableLine { id: t.id.to_owned(), population: t.population.clone(), source: t.source.clone(), status: t.status.clone() })
        .collect();
    Ok(web::Json(MethodPage {
        runs_live: protocol.family.runs_live(),
        protocol: protocol.clone(),
        examples: examples(protocol),
        patterns: if protocol.clamp.is_some() { Pattern::ALL.map(|p| p.sentence().to_owned()).to_vec() } else { Vec::new() },
        tables,
    }))
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
        live: p.family.runs_live(),
        rehearsed: p.family.is_rehearsed(),
        people_at_once: p.people_at_once,
        needs: p.needs.clone(),
        based_on: p.based_on.clone(),
        searched: impulso_core::text::search_key(&format!("{} {} {} {}", p.name, p.id, p.summary, citations.join(" "))),
    }
}

/// Each equation of a protocol with its example readings: once for everyone, or for men and women where they differ.
pub fn examples(protocol: &Protocol) -> Vec<Example> {
    let Some(example) = &protocol.example else { return Vec::new() };
    let worked = |sex: Sex| -> Vec<(&'static str, Working)> {
        let facts =
            Facts { sex: Some(sex), age: Age::new(example.age_years).ok(), mass: BodyMass::new(example.mass_kg).ok(), ..Facts::default() };
        let trial = Trial::of(protocol, facts, &example.inputs);
        let Ok(outcome) = compute(&trial) else { return Vec::new() };
        protocol
            .scoring
            .iter()
            .filter(|s| !s.in_detail)
            .filter_map(|s| Some((s.equation.name(), s.equation.working(&s.quantity, &trial, &outcome)?)))
            .collect()
    };
    let example = |who: &str, method: &str, working: Working| Example { who: who.to_owned(), method: method.to_owned(), working };
    worked(Sex::Male)
        .into_iter()
        .zip(worked(Sex::Female))
        .flat_map(|((method, men), (_, women))| {
            if men == women {
                vec![example("everyone", method, men)]
            } else {
                vec![example("men", method, men), example("women", method, women)]
            }
        })
        .collect()
}

/// A copy to make.
#[derive(Deserialize, ToSchema)]
pub struct CopyForm {
    /// Made by the screen, so that a double click makes one copy.
    pub id: Uuid,
    /// What is different.
    pub changes: Changes,
}

/// Copies a protocol with changes; the copy belongs to the practice.
#[utoipa::path(tag = "library", operation_id = "library_copy", responses((status = 200, body = LibraryLine), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/protocols/{id}/copies")]
pub async fn copy(who: SignedIn, id: web::Path<String>, form: Json<CopyForm>) -> ApiResult<web::Json<LibraryLine>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let made = own::copy(shelf.find(&id)?, &format!("own-{}", form.id.simple()), &form.changes)?;
    if shelf.all().any(|p| p.name == made.name && p.id != made.id) {
        return Err(InputError::new(Code::OutOfRange, "name", "There is a test of this name already. Choose another name.").into());
    }
    if protocols::add(&mut scope, who.coach, &made).await? {
        let detail = serde_json::json!({ "based_on": made.based_on, "protocol": made.id });
        audit::record(&mut scope, who.coach, "protocol.copied", Subject::thing("protocol", form.id), detail).await?;
    }
    scope.commit().await?;
    Ok(web::Json(line(&made)))
}
