//! A practice out and in: everything as JSON, every measure as CSV; the same file gives the same practice.

use actix_web::{HttpResponse, get, http::header, post, web};
use impulso_core::{Code, InputError, quantity};
use impulso_formats::heart_rate::to_hex;
use impulso_store::{
    PersonId, Scope,
    audit::{self, Subject},
    everything::{self, BadRow},
    people, results,
};
use serde::Serialize;
use serde_json::{Map, Value, json};
use sha2::{Digest, Sha256};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{ApiError, ApiResult, auth::SignedIn, body::File, shelf::Shelf};

/// What the file says it is.
const FORMAT: &str = "impulso practice, 1";

/// What came of taking a practice in.
#[derive(Serialize, ToSchema)]
pub struct TakenIn {
    /// How many rows.
    pub rows: usize,
    /// How many people.
    pub people: usize,
    /// Whether what is here now is exactly what was in the file, by checksum.
    pub identical: bool,
}

/// SHA-256 over the tables as they stand, keys in order.
fn checksum(tables: &Map<String, Value>) -> String {
    let text = serde_json::to_string(tables).unwrap_or_default();
    to_hex(&Sha256::digest(text.as_bytes()))
}

/// Everything of the practice as JSON, with its checksum.
#[utoipa::path(tag = "practice", operation_id = "everything_out", responses((status = 200, content_type = "application/json", body = serde_json::Value), (status = 401, body = ApiError)))]
#[get("/practice/everything")]
pub async fn out(who: SignedIn) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    let tables = everything::out(&mut scope).await?;
    audit::record(&mut scope, who.coach, "practice.exported", Subject::thing("practice", Uuid::nil()), json!({})).await?;
    scope.commit().await?;
    let file = json!({ "format": FORMAT, "checksum": checksum(&tables), "tables": tables });
    Ok(HttpResponse::Ok().insert_header((header::CONTENT_DISPOSITION, "attachment; filename=\"practice.json\"")).json(file))
}

/// Takes such a file in, into a practice that has nobody yet: all of it, or nothing and the row that does not fit.
#[utoipa::path(tag = "practice", operation_id = "everything_in", request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses((status = 200, body = TakenIn), (status = 409, body = ApiError), (status = 413, body = ApiError), (status = 422, body = ApiError)))]
#[post("/practice/everything")]
pub async fn take_in(who: SignedIn, file: File) -> ApiResult<web::Json<TakenIn>> {
    let bad = |message: String| ApiError::from(InputError::new(Code::BadValue, "file", message));
    let read: Value = serde_json::from_slice(&file.0).map_err(|e| bad(format!("This file is no JSON: {e}.")))?;
    let tables = read["tables"].as_object().filter(|_| read["format"] == FORMAT);
    let Some(tables) = tables else { return Err(bad(format!("This is no practice taken out of here: it does not say “{FORMAT}”."))) };
    let mut scope = who.scope().await?;
    if people::count(&mut scope).await? > 0 {
        let message = "A practice is taken into one that has nobody yet. Set up a new practice, and take it in there.";
        return Err(InputError::new(Code::NotApplicable, "file", message).into());
    }
    let refuse = |bad_row: BadRow| {
        let message = format!("{}, row {}: {}. Nothing was taken in.", bad_row.table, bad_row.row, bad_row.why);
        bad(message)
    };
    let rows = everything::take_in(&mut scope, who.coach, tables).await?.map_err(refuse)?;
    let people = readable(&mut scope, tables).await?;
    let identical = read["checksum"] == checksum(&everything::out(&mut scope).await?);
    let detail = json!({ "rows": rows, "people": people });
    audit::record(&mut scope, who.coach, "practice.imported", Subject::thing("practice", Uuid::nil()), detail).await?;
    scope.commit().await?;
    Ok(web::Json(TakenIn { rows, people, identical }))
}

/// Everything can be read as the application reads it; else the person whose record cannot is named.
async fn readable(scope: &mut Scope, tables: &Map<String, Value>) -> ApiResult<usize> {
    let keys: Vec<Uuid> =
        tables.get("people").and_then(Value::as_array).into_iter().flatten().filter_map(|p| p["id"].as_str()?.parse().ok()).collect();
    for (k, key) in keys.iter().enumerate() {
        let id = PersonId(*key);
        let unreadable = |what: &str| {
            let message = format!("people, row {}: {what} cannot be read. Nothing was taken in.", k + 1);
            ApiError::from(InputError::new(Code::BadValue, "file", message))
        };
        people::get(scope, id).await.map_err(|_| unreadable("the profile"))?;
        results::of_person(scope, id).await.map_err(|_| unreadable("a result"))?;
    }
    Ok(keys.len())
}

/// Every measure of every result of the practice, for a spreadsheet.
#[utoipa::path(tag = "practice", operation_id = "everything_csv", responses((status = 200, content_type = "text/csv", body = String), (status = 401, body = ApiError)))]
#[get("/practice/measures.csv")]
pub async fn measures(who: SignedIn) -> ApiResult<HttpResponse> {
    csv(&who, None, "measures.csv").await
}

/// Every measure of every result of one person, for a spreadsheet.
#[utoipa::path(tag = "people", operation_id = "people_measures", responses((status = 200, content_type = "text/csv", body = String), (status = 404, body = ApiError)))]
#[get("/people/{id}/measures.csv")]
pub async fn measures_of(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    csv(&who, Some(PersonId(*id)), "record.csv").await
}

async fn csv(who: &SignedIn, person: Option<PersonId>, name: &str) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    if let Some(person) = person {
        people::get(&mut scope, person).await?;
    }
    let shelf = Shelf::of(&mut scope).await?;
    let head = ["name", "day", "test", "measure", "value", "unit"].map(str::to_owned).to_vec();
    let line = |(person, on, protocol, measure, value): (String, chrono::NaiveDate, String, String, f64)| {
        let unit = quantity::unit(&measure).to_owned();
        vec![person, on.to_string(), shelf.name(&protocol), quantity::label(&measure).into_owned(), value.to_string(), unit]
    };
    let lines = everything::measures(&mut scope, person).await?.into_iter().map(line);
    let text = impulso_formats::table::write(std::iter::once(head).chain(lines));
    let subject = person.map_or_else(|| Subject::thing("practice", Uuid::nil()), Subject::person);
    let action = if person.is_some() { "person.exported" } else { "practice.exported" };
    audit::record(&mut scope, who.coach, action, subject, json!({ "as": "csv" })).await?;
    scope.commit().await?;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header((header::CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\"")))
        .body(text))
}
