//! Made-up clients with years of results, to look around in a practice of one's own.

use actix_web::{HttpResponse, delete, http::StatusCode, post, web};
use chrono::Utc;
use impulso_store::{
    audit::{self, Action, Subject},
    people,
};
use serde::Serialize;
use serde_json::json;
use utoipa::ToSchema;

use crate::{ApiError, ApiResult, auth::SignedIn, demo, intake::Intake};

/// How many came.
#[derive(Serialize, ToSchema)]
pub struct MadeUp {
    pub people: usize,
}

/// Loads the made-up clients.
#[utoipa::path(tag = "practice", operation_id = "made_up_load", responses((status = 200, body = MadeUp), (status = 409, body = ApiError)))]
#[post("/practice/made-up")]
pub async fn load(who: SignedIn) -> ApiResult<web::Json<MadeUp>> {
    let mut scope = who.scope().await?;
    if !people::made_up(&mut scope).await?.is_empty() {
        return Err(ApiError::new(StatusCode::CONFLICT, "loaded_already", "The made-up clients are here already."));
    }
    let people = Box::pin(demo::move_all_in(&mut scope, who.coach, Utc::now())).await?;
    audit::record(&mut scope, who.coach, Action::MadeUpLoaded, Subject::thing("practice", who.practice.0), json!({ "people": people }))
        .await?;
    scope.commit().await?;
    Ok(web::Json(MadeUp { people }))
}

/// Removes them with everything that was done with them, for good.
#[utoipa::path(tag = "practice", operation_id = "made_up_remove", responses((status = 204), (status = 401, body = ApiError)))]
#[delete("/practice/made-up")]
pub async fn remove(who: SignedIn, intake: web::Data<Intake>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    let people = people::made_up(&mut scope).await?;
    for person in &people {
        people::erase(&mut scope, *person).await?;
    }
    if !people.is_empty() {
        let many = json!({ "people": people.len() });
        audit::record(&mut scope, who.coach, Action::MadeUpRemoved, Subject::thing("practice", who.practice.0), many).await?;
    }
    scope.commit().await?;
    intake.cache.forget();
    Ok(HttpResponse::NoContent().finish())
}
