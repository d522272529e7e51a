//! Is it alive?

use actix_web::{HttpResponse, get, web};
use impulso_store::Store;

use crate::ApiError;

/// 200 only when the database answers within two seconds and its disk takes more.
#[utoipa::path(tag = "health", operation_id = "health_health", responses((status = 200, description = "The database answers"), (status = 503, body = ApiError)))]
#[get("/health")]
pub async fn health(store: web::Data<Store>) -> Result<HttpResponse, ApiError> {
    store.health().await?;
    Ok(HttpResponse::Ok().json(serde_json::json!({ "status": "ok" })))
}
