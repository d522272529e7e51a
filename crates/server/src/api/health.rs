//! Is it alive, and what time is it?

use actix_web::{HttpResponse, get, web};
use chrono::{DateTime, Utc};
use impulso_store::Store;
use serde::Serialize;
use utoipa::ToSchema;

use crate::ApiError;

/// 200 only when the database answers within two seconds and its disk takes more.
#[utoipa::path(tag = "health", operation_id = "health_health", responses((status = 200, description = "The database answers"), (status = 503, body = ApiError)))]
#[get("/health")]
pub async fn health(store: web::Data<Store>) -> Result<HttpResponse, ApiError> {
    store.health().await?;
    Ok(HttpResponse::Ok().json(serde_json::json!({ "status": "ok" })))
}

/// The server's clock.
#[derive(Serialize, ToSchema)]
pub struct Now {
    pub server_now: DateTime<Utc>,
}

/// The server's clock, at once: screens that sound together agree on it.
#[utoipa::path(tag = "health", operation_id = "health_now", responses((status = 200, body = Now)))]
#[get("/now")]
pub async fn now() -> web::Json<Now> {
    web::Json(Now { server_now: Utc::now() })
}
