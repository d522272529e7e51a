//! A practice out and in as an archive; every measure as CSV.

use std::{
    collections::HashSet,
    fs::File,
    sync::{
        Arc, Mutex, PoisonError,
        atomic::{AtomicBool, Ordering},
    },
};

use actix_web::{HttpResponse, get, http::StatusCode, http::header, post, web};
use impulso_store::{
    PersonId, PracticeId,
    audit::{self, Subject},
    people,
};
use serde_json::json;
use tokio::{
    runtime::Handle,
    sync::{OwnedSemaphorePermit, Semaphore},
};
use uuid::Uuid;

use crate::{
    ApiError, ApiResult,
    auth::SignedIn,
    body::Upload,
    settings::limits,
    transfer::{
        export,
        import::{self, TakenIn},
    },
};

/// Who may take a practice out or in at this moment.
#[derive(Debug)]
pub struct Transfers {
    exports: Arc<Semaphore>,
    /// The practices that are taken out.
    out: Arc<Mutex<HashSet<PracticeId>>>,
    imports: Arc<Semaphore>,
}

impl Default for Transfers {
    fn default() -> Self {
        Self { exports: Arc::new(Semaphore::new(limits::EXPORTS_AT_ONCE)), out: Arc::default(), imports: Arc::new(Semaphore::new(1)) }
    }
}

/// A practice's turn to be taken out, for as long as it is held.
#[derive(Debug)]
pub struct ExportTurn {
    out: Arc<Mutex<HashSet<PracticeId>>>,
    practice: PracticeId,
    _turn: OwnedSemaphorePermit,
}

impl Drop for ExportTurn {
    fn drop(&mut self) {
        self.out.lock().unwrap_or_else(PoisonError::into_inner).remove(&self.practice);
    }
}

impl Transfers {
    /// A turn to take a practice out: each practice once, and few at a time.
    fn export(&self, practice: PracticeId) -> ApiResult<ExportTurn> {
        let turn = self.exports.clone().try_acquire_owned().map_err(|_| busy("Several practices are being exported."))?;
        if !self.out.lock().unwrap_or_else(PoisonError::into_inner).insert(practice) {
            return Err(busy("This practice is being exported already."));
        }
        Ok(ExportTurn { out: self.out.clone(), practice, _turn: turn })
    }
}

fn busy(what: &str) -> ApiError {
    ApiError::new(StatusCode::SERVICE_UNAVAILABLE, "busy", format!("{what} Try again in a minute.")).retry_after(60)
}

/// The whole practice as a ZIP archive: `practice.json`, `photos/`, `results.csv` and a manifest with checksums.
#[utoipa::path(tag = "practice", operation_id = "practice_export", responses((status = 200, content_type = "application/zip", body = Vec<u8>), (status = 401, body = ApiError)))]
#[get("/practice/export")]
pub async fn out(who: SignedIn, transfers: web::Data<Transfers>) -> ApiResult<HttpResponse> {
    let turn = transfers.export(who.practice)?;
    let mut scope = who.scope().await?;
    audit::record(&mut scope, who.coach, "practice.exported", Subject::thing("practice", Uuid::nil()), json!({})).await?;
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

/// Imports such an archive, or the one JSON text of the first release, into a practice that has nothing yet: all of it, or nothing and
/// what does not fit by table, row and field.
#[utoipa::path(tag = "practice", operation_id = "practice_import", request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses((status = 200, body = TakenIn), (status = 408, body = ApiError), (status = 413, body = ApiError), (status = 422, body = ApiError)))]
#[post("/practice/import")]
pub async fn take_in(who: SignedIn, transfers: web::Data<Transfers>, file: Upload) -> ApiResult<web::Json<TakenIn>> {
    let Upload(file) = file;
    let turn = transfers.imports.clone().try_acquire_owned().map_err(|_| busy("Another practice is being imported."))?;
    let given_up = GivenUp(Arc::default());
    let (store, flag, runtime) = (who.store(), given_up.0.clone(), Handle::current());
    // On a thread of its own: reading and checking take a while, and nobody else's request waits for it.
    let work = move || {
        let _turn = turn;
        runtime.block_on(import::import(&store, who.practice, who.coach, file, flag))
    };
    let taken = web::block(work).await.map_err(|_| ApiError::unavailable())??;
    Ok(web::Json(taken))
}

/// A file that came in, on the disk and nowhere else: it has no name, and is gone with the request.
pub fn place() -> ApiResult<File> {
    tempfile::tempfile().map_err(|error| {
        tracing::error!(%error, "the place for imported files");
        import::no_room()
    })
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
    let action = if person.is_some() { "person.exported" } else { "practice.exported" };
    audit::record(&mut scope, who.coach, action, subject, json!({ "as": "csv" })).await?;
    scope.commit().await?;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header((header::CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\"")))
        .streaming(export::csv(who.store(), who.practice, person)))
}
