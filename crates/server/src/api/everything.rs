//! A practice out and in as an archive; every measure as CSV.

use std::sync::{
    Arc,
    atomic::{AtomicBool, Ordering},
};

use actix_web::{HttpResponse, get, http::header, post, web};
use futures_util::future::LocalBoxFuture;
use impulso_store::{
    PersonId, Scope,
    audit::{self, Action, Subject},
    people,
};
use serde_json::json;
use tokio::runtime::Handle;
use uuid::Uuid;

use super::people::page;
use crate::{
    ApiError, ApiResult,
    auth::SignedIn,
    body::Upload,
    transfer::{
        export,
        import::{self, Imported},
        turns::Transfers,
    },
};

/// The whole practice as a ZIP archive: `practice.json`, `photos/`, `results.csv` and a manifest with checksums.
#[utoipa::path(tag = "practice", operation_id = "practice_export", responses((status = 200, content_type = "application/zip", body = Vec<u8>), (status = 401, body = ApiError)))]
#[get("/practice/export")]
pub async fn out(who: SignedIn, transfers: web::Data<Transfers>) -> ApiResult<HttpResponse> {
    let turn = transfers.export(who.practice)?;
    let mut scope = who.scope().await?;
    audit::record(&mut scope, who.coach, Action::PracticeExported, Subject::thing("practice", Uuid::nil()), json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::Ok()
        .content_type("application/zip")
        .insert_header((header::CONTENT_DISPOSITION, "attachment; filename=\"practice.zip\""))
        .insert_header(header::ContentEncoding::Identity)
        .streaming(export::archive(who.store(), who.practice, turn)))
}

/// Ends the work where whoever asked for it has gone.
struct GivenUp(Arc<AtomicBool>);

impl Drop for GivenUp {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

/// A client's page, for an import to see that it opens.
fn open(scope: &mut Scope, id: PersonId) -> LocalBoxFuture<'_, ApiResult<()>> {
    Box::pin(async move { page(scope, id).await.map(drop) })
}

/// Imports such an archive, or the one JSON text of the first release, into a practice that has nothing yet: all of it, or nothing and
/// what does not fit by table, row and field.
#[utoipa::path(tag = "practice", operation_id = "practice_import", request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses((status = 200, body = Imported), (status = 408, body = ApiError), (status = 413, body = ApiError), (status = 422, body = ApiError)))]
#[post("/practice/import")]
pub async fn import_practice(who: SignedIn, transfers: web::Data<Transfers>, file: Upload) -> ApiResult<web::Json<Imported>> {
    let Upload(file) = file;
    let turn = transfers.import()?;
    let given_up = GivenUp(Arc::default());
    let (store, flag, runtime) = (who.store(), given_up.0.clone(), Handle::current());
    // On a thread of its own: reading and checking take a while, and nobody else's request waits for it.
    let work = move || {
        let _turn = turn;
        runtime.block_on(import::import(&store, who.practice, who.coach, file, open, flag))
    };
    let taken = web::block(work).await.map_err(|_| ApiError::unavailable())??;
    Ok(web::Json(taken))
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
    let subject = person.map_or_else(|| Subject::thing("practice", Uuid::nil()), Subject::person);
    let action = if person.is_some() { Action::PersonExported } else { Action::PracticeExported };
    audit::record(&mut scope, who.coach, action, subject, json!({ "as": "csv" })).await?;
    scope.commit().await?;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header((header::CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\"")))
        .streaming(export::csv(who.store(), who.practice, person)))
}
