//! Many clients at once: a pasted list is read, looked through, and added whole.

use std::collections::HashMap;

use actix_web::{
    HttpResponse, get,
    http::{StatusCode, header},
    post, web,
};
use chrono::NaiveDate;
use impulso_core::{
    InputError,
    group::{self, Member},
    roster::{self, Cells, Entry, is_near},
    units::Units,
};
use impulso_formats::table;
use impulso_store::{
    PersonId, Scope,
    audit::{self, Action, Subject},
    people::{self, Profile},
    practices,
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use super::groups::{self, Newcomer};
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
    /// The group that the list is for.
    pub group: Option<Uuid>,
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
    /// They belong to the group that the list is for.
    pub in_group: bool,
}

/// A list to add, whole.
#[derive(Deserialize, ToSchema)]
pub struct ListToAdd {
    pub lines: Vec<LineToAdd>,
    /// What a bare number of a body mass is.
    pub units: Units,
    /// The group that they are put into.
    pub group: Option<Uuid>,
}

#[derive(Deserialize, ToSchema)]
pub struct LineToAdd {
    /// Made by the screen, so that a double click adds one person.
    pub id: Uuid,
    /// A client on record whom the line is: only put into the group.
    pub known: Option<Uuid>,
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
    let ListText { text, lines, units, group: of } = form.into_inner();
    let cells = if lines.is_empty() { roster::split(&text)? } else { lines };
    roster::check_length(cells.len())?;
    let mut scope = who.scope().await?;
    let (month_first, today) = (practices::get(&mut scope).await?.month_first, auth::today(&mut scope).await?);
    let present = match of {
        Some(group) => groups::present(&mut scope, group).await?,
        None => Vec::new(),
    };
    let mut shirts: HashMap<u16, String> = present.iter().filter_map(|m| Some((m.number?, m.name.clone()))).collect();
    let mut read: Vec<LineRead> = Vec::with_capacity(cells.len());
    for cells in cells {
        let entry = roster::read(&cells, month_first, units, today);
        // A number that two wear is said while the list is looked through.
        let number = group::number(&cells.number).ok().flatten();
        let worn = number.and_then(|n| Some((n, shirts.insert(n, cells.name.clone())?)));
        let worn = worn.map(|(n, other)| CellFault { field: "number".into(), message: format!("Number {n} is {other}’s already.") });
        let born_on = entry.as_ref().ok().map(|e| e.born).or_else(|| roster::day(&cells.born, month_first, today));
        let near = near(&mut scope, &cells.name, &present).await?;
        let may_be = |above: &LineRead| is_near(&above.cells.name, &cells.name) && (born_on.is_none() || above.born_on == born_on);
        let twin = read.iter().position(may_be).map(|k| k + 1);
        let faults = entry.err().into_iter().flatten().map(fault).chain(worn).collect();
        read.push(LineRead { cells, born_on, faults, near, twin });
    }
    Ok(web::Json(ListRead { lines: read }))
}

/// Adds a list, whole or not at all.
#[utoipa::path(tag = "people", operation_id = "people_add_list", responses((status = 200, body = ListAdded), (status = 422, body = ApiError)))]
#[post("/people/list")]
pub async fn add(who: SignedIn, form: Json<ListToAdd>) -> ApiResult<web::Json<ListAdded>> {
    let ListToAdd { lines, units, group } = form.into_inner();
    roster::check_length(lines.len())?;
    let mut scope = who.scope().await?;
    let (month_first, today) = (practices::get(&mut scope).await?.month_first, auth::today(&mut scope).await?);
    let mut faults = Vec::new();
    let (mut profiles, mut newcomers) = (HashMap::new(), Vec::new());
    for (k, line) in lines.iter().enumerate() {
        // Who is on record already needs no birth date here.
        let known = match line.known {
            Some(id) => Some(people::get(&mut scope, PersonId(id)).await?),
            None => None,
        };
        let born = known.as_ref().map(|p| p.profile.born.to_string());
        let cells = Cells { born: born.unwrap_or_else(|| line.cells.born.clone()), ..line.cells.clone() };
        match roster::read(&cells, month_first, units, today) {
            Ok(entry) => {
                newcomers.push(Newcomer {
                    membership: line.id,
                    person: known.as_ref().map_or(PersonId(line.id), |p| p.id),
                    name: entry.name.clone(),
                    playing_group: entry.playing_group.clone(),
                    number: entry.number,
                });
                if known.is_none() {
                    profiles.insert(line.id, profile(entry, units));
                }
            }
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
        audit::record(&mut scope, who.coach, Action::PersonAdded, Subject::person(PersonId(line.id)), json!({})).await?;
    }
    if let Some(group) = group {
        groups::add(&mut scope, group, &newcomers).await?;
        let detail = json!({ "people": newcomers.len() });
        audit::record(&mut scope, who.coach, Action::GroupKept, Subject::thing("group", group), detail).await?;
    }
    scope.commit().await?;
    Ok(web::Json(ListAdded { added: lines.len() }))
}

/// Everybody on record as a list that can be pasted again.
#[utoipa::path(tag = "people", operation_id = "people_csv", responses((status = 200, content_type = "text/csv", body = String)))]
#[get("/people.csv")]
pub async fn people_csv(who: SignedIn) -> ApiResult<HttpResponse> {
    csv(who, None).await
}

/// The members of a group as a list that can be pasted again.
#[utoipa::path(tag = "groups", operation_id = "groups_csv", responses((status = 200, content_type = "text/csv", body = String), (status = 404, body = ApiError)))]
#[get("/groups/{id}/people.csv")]
pub async fn group_csv(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    csv(who, Some(*id)).await
}

async fn csv(who: SignedIn, group: Option<Uuid>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    if let Some(id) = group
        && !impulso_store::groups::names(&mut scope).await?.iter().any(|(of, _)| *of == id)
    {
        return Err(ApiError::not_found());
    }
    let head = ["name", "birth date", "sex", "height", "mass", "playing group", "number"].map(str::to_owned).to_vec();
    let with = |value: Option<f64>, unit: &str| value.map(|v| format!("{} {unit}", (v * 100.0).round() / 100.0)).unwrap_or_default();
    let line = |p: people::OnList| {
        vec![
            p.name,
            p.born.to_string(),
            p.sex.unwrap_or_default(),
            with(p.height_cm, "cm"),
            with(p.mass_kg, "kg"),
            p.playing_group.unwrap_or_default(),
            p.number.map(|n| n.to_string()).unwrap_or_default(),
        ]
    };
    let all = people::on_list(&mut scope, group).await?.into_iter().map(line);
    let csv = table::write(std::iter::once(head).chain(all));
    audit::record(&mut scope, who.coach, Action::PracticeExported, Subject::thing("practice", Uuid::nil()), json!({ "as": "people" }))
        .await?;
    scope.commit().await?;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header((header::CONTENT_DISPOSITION, "attachment; filename=\"people.csv\""))
        .body(csv))
}

fn fault(error: InputError) -> CellFault {
    CellFault { field: error.field.unwrap_or_default(), message: error.message }
}

async fn near(scope: &mut Scope, name: &str, present: &[Member]) -> ApiResult<Vec<NearPerson>> {
    let similar = people::with_similar_name(scope, name).await?;
    let near = similar.into_iter().filter(|(_, known, _)| is_near(known, name));
    Ok(near.map(|(id, name, born)| NearPerson { in_group: present.iter().any(|m| m.person == id.0), id: id.0, name, born }).collect())
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
