//! Many clients at once: a pasted list is read, looked through, and added whole.

use std::collections::HashMap;

use actix_web::{http::StatusCode, post, web};
use chrono::NaiveDate;
use impulso_core::{
    InputError,
    roster::{self, Cells, Entry, is_near},
    units::Units,
};
use impulso_store::{
    PersonId, Scope,
    audit::{self, Subject},
    people::{self, Profile},
    practices,
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
};

/// A list to look through: as it was pasted, or line by line after a change.
#[derive(Deserialize, ToSchema)]
pub struct ListText {
    /// As it was pasted; nothing where `lines` are given.
    #[serde(default)]
    pub text: String,
    #[serde(default)]
    pub lines: Vec<Cells>,
    /// What a bare number of a body mass is.
    pub units: Units,
}

/// A list as it was read.
#[derive(Serialize, ToSchema)]
pub struct ListRead {
    pub lines: Vec<LineRead>,
}

/// One line and what is to be said of it.
#[derive(Serialize, ToSchema)]
pub struct LineRead {
    #[serde(flatten)]
    pub cells: Cells,
    /// The birth date as it was read.
    pub born_on: Option<NaiveDate>,
    /// What is wrong, cell by cell.
    pub faults: Vec<CellFault>,
    /// Clients on record who may be the same person.
    pub near: Vec<NearPerson>,
    /// The line above, from 1, that may be the same person.
    pub twin: Option<usize>,
}

/// What is wrong with a cell.
#[derive(Serialize, ToSchema)]
pub struct CellFault {
    pub field: String,
    /// What to do about it.
    pub message: String,
}

/// A client on record who may be the same person.
#[derive(Serialize, ToSchema)]
pub struct NearPerson {
    pub id: Uuid,
    pub name: String,
    /// Birth date.
    pub born: NaiveDate,
}

/// A list to add, whole.
#[derive(Deserialize, ToSchema)]
pub struct ListToAdd {
    pub lines: Vec<LineToAdd>,
    /// What a bare number of a body mass is.
    pub units: Units,
}

#[derive(Deserialize, ToSchema)]
pub struct LineToAdd {
    /// Made by the screen, so that a double click adds one person.
    pub id: Uuid,
    #[serde(flatten)]
    pub cells: Cells,
}

/// How many were added.
#[derive(Serialize, ToSchema)]
pub struct ListAdded {
    pub added: usize,
}

/// Reads a pasted list and says what is wrong in which cell, and who may be on record already. Nothing is stored.
#[utoipa::path(tag = "people", operation_id = "people_read_list", responses((status = 200, body = ListRead), (status = 422, body = ApiError)))]
#[post("/people/list/read")]
pub async fn read(who: SignedIn, form: Json<ListText>) -> ApiResult<web::Json<ListRead>> {
    let ListText { text, lines, units } = form.into_inner();
    let cells = if lines.is_empty() { roster::split(&text)? } else { lines };
    roster::check_length(cells.len())?;
    let mut scope = who.scope().await?;
    let (month_first, today) = (practices::get(&mut scope).await?.month_first, auth::today(&mut scope).await?);
    let mut read: Vec<LineRead> = Vec::with_capacity(cells.len());
    for cells in cells {
        let entry = roster::read(&cells, month_first, units, today);
        let born_on = entry.as_ref().ok().map(|e| e.born).or_else(|| roster::day(&cells.born, month_first, today));
        let near = near(&mut scope, &cells.name).await?;
        let may_be = |above: &LineRead| is_near(&above.cells.name, &cells.name) && (born_on.is_none() || above.born_on == born_on);
        let twin = read.iter().position(may_be).map(|k| k + 1);
        read.push(LineRead { born_on, faults: entry.err().into_iter().flatten().map(fault).collect(), near, twin, cells });
    }
    Ok(web::Json(ListRead { lines: read }))
}

/// Adds a list, whole or not at all.
#[utoipa::path(tag = "people", operation_id = "people_add_list", responses((status = 200, body = ListAdded), (status = 422, body = ApiError)))]
#[post("/people/list")]
pub async fn add(who: SignedIn, form: Json<ListToAdd>) -> ApiResult<web::Json<ListAdded>> {
    let ListToAdd { lines, units } = form.into_inner();
    roster::check_length(lines.len())?;
    let mut scope = who.scope().await?;
    let (month_first, today) = (practices::get(&mut scope).await?.month_first, auth::today(&mut scope).await?);
    let mut faults = Vec::new();
    let mut profiles = HashMap::new();
    for (k, line) in lines.iter().enumerate() {
        match roster::read(&line.cells, month_first, units, today) {
            Ok(entry) => drop(profiles.insert(line.id, profile(entry, units))),
            Err(wrong) => faults.extend(wrong.into_iter().map(|e| json!({ "line": k + 1, "field": e.field, "why": e.message }))),
        }
    }
    if !faults.is_empty() {
        let refused = ApiError::new(StatusCode::UNPROCESSABLE_ENTITY, "list_faulty", "Nobody was added. Correct the marked cells first.");
        return Err(refused.with(json!({ "faults": faults })));
    }
    for line in &lines {
        let Some(profile) = profiles.get(&line.id) else { continue };
        people::add(&mut scope, PersonId(line.id), profile).await?;
        audit::record(&mut scope, who.coach, "person.added", Subject::person(PersonId(line.id)), json!({})).await?;
    }
    scope.commit().await?;
    Ok(web::Json(ListAdded { added: lines.len() }))
}

fn fault(error: InputError) -> CellFault {
    CellFault { field: error.field.unwrap_or_default(), message: error.message }
}

async fn near(scope: &mut Scope, name: &str) -> ApiResult<Vec<NearPerson>> {
    let similar = people::with_similar_name(scope, name).await?;
    let near = similar.into_iter().filter(|(_, known, _)| is_near(known, name));
    Ok(near.map(|(id, name, born)| NearPerson { id: id.0, name, born }).collect())
}

fn profile(entry: Entry, units: Units) -> Profile {
    Profile {
        name: entry.name,
        born: entry.born,
        sex: entry.sex,
        units,
        height: entry.height,
        mass: entry.mass,
        occupation: None,
        goal: None,
        medicines: None,
        rate_limiting_drug: false,
        notes: None,
    }
}
