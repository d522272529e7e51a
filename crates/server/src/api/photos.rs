//! Photographs of a client: front, left, back, right; kept of a day, seen beside another day, in nobody else's list.

use actix_web::{HttpResponse, delete, get, http::header, post, web};
use chrono::NaiveDate;
use impulso_core::{Code, InputError, consent::ConsentKind};
use impulso_store::{
    PersonId,
    audit::{self, Action, Subject},
    people,
    photos::{self, Photo},
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::consents;
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Picture,
    photo_work::PhotoWork,
};

/// The views, in their order.
pub const VIEWS: [&str; 4] = ["front", "left", "back", "right"];

/// The photographs of a day.
#[derive(Debug, Serialize, ToSchema)]
pub struct PhotoDay {
    /// The day.
    pub on: NaiveDate,
    /// What was taken.
    pub shots: Vec<Shot>,
}

/// A photograph.
#[derive(Debug, Serialize, ToSchema)]
pub struct Shot {
    pub id: Uuid,
    /// Front, left, back or right.
    pub view: String,
    /// Pixels across.
    pub width: i32,
    /// Pixels down.
    pub height: i32,
}

/// A client's photographs.
#[derive(Serialize, ToSchema)]
pub struct PhotosPage {
    pub name: String,
    /// Today, in the practice's place.
    pub today: NaiveDate,
    /// The latest day first.
    pub days: Vec<PhotoDay>,
}

/// Which view is taken, and of which day.
#[derive(Deserialize, IntoParams)]
pub struct ShotQuery {
    /// Front, left, back or right.
    pub view: String,
    /// The day; today where nothing is said.
    pub on: Option<NaiveDate>,
}

/// Photographs, day by day.
pub fn by_day(all: Vec<Photo>) -> Vec<PhotoDay> {
    let mut days: Vec<PhotoDay> = Vec::new();
    for p in all {
        let shot = Shot { id: p.id, view: p.view, width: p.width, height: p.height };
        match days.last_mut().filter(|d| d.on == p.on) {
            Some(day) => day.shots.push(shot),
            None => days.push(PhotoDay { on: p.on, shots: vec![shot] }),
        }
    }
    days
}

/// A client's photographs.
#[utoipa::path(tag = "photos", operation_id = "photos_list", responses((status = 200, body = PhotosPage), (status = 404, body = ApiError)))]
#[get("/people/{id}/photos")]
pub async fn list(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<PhotosPage>> {
    let mut scope = who.scope().await?;
    let person = people::get(&mut scope, PersonId(*id)).await?;
    let days = by_day(photos::of_person(&mut scope, person.id).await?);
    Ok(web::Json(PhotosPage { name: person.profile.name, today: auth::today(&mut scope).await?, days }))
}

/// Keeps a photograph: opened, made smaller and written anew, so that nothing but the picture stays.
#[utoipa::path(tag = "photos", operation_id = "photos_keep", params(ShotQuery), request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses((status = 200, body = Shot), (status = 404, body = ApiError), (status = 413, body = ApiError), (status = 422, body = ApiError)))]
#[post("/people/{id}/photos")]
pub async fn keep(
    who: SignedIn,
    id: web::Path<Uuid>,
    query: web::Query<ShotQuery>,
    taken: Picture,
    photo_work: web::Data<PhotoWork>,
) -> ApiResult<web::Json<Shot>> {
    if !VIEWS.contains(&query.view.as_str()) {
        return Err(
            InputError::new(Code::BadValue, "view", "A photograph is taken from the front, the left, the back or the right.").into()
        );
    }
    let day = |today: NaiveDate, born: NaiveDate| {
        let on = query.on.unwrap_or(today);
        let fits = on <= today && on >= born;
        fits.then_some(on).ok_or_else(|| InputError::new(Code::OutOfRange, "on", "Choose today or an earlier day for the photograph."))
    };
    // No connection to the database is held while the picture is opened.
    let mut scope = who.scope().await?;
    let born = people::get(&mut scope, PersonId(*id)).await?.profile.born;
    consents::require(&mut scope, &[PersonId(*id)], ConsentKind::Photographs).await?;
    day(auth::today(&mut scope).await?, born)?;
    drop(scope);
    let written = photo_work.write_anew(taken.0).await?;
    let mut scope = who.scope().await?;
    let person = people::get(&mut scope, PersonId(*id)).await?;
    let on = day(auth::today(&mut scope).await?, person.profile.born)?;
    let (width, height) = (i32::try_from(written.width).unwrap_or(0), i32::try_from(written.height).unwrap_or(0));
    let kept = Photo { id: Uuid::now_v7(), on, view: query.view.clone(), width, height };
    photos::keep(&mut scope, who.coach, person.id, &kept, &written.jpeg).await?;
    let detail = json!({ "view": kept.view, "on": on });
    audit::record(&mut scope, who.coach, Action::PhotoKept, Subject::of("photo", kept.id, person.id), detail).await?;
    scope.commit().await?;
    Ok(web::Json(Shot { id: kept.id, view: kept.view, width, height }))
}

/// A photograph's picture.
#[utoipa::path(tag = "photos", operation_id = "photos_get", responses((status = 200, content_type = "image/jpeg", body = Vec<u8>), (status = 404, body = ApiError)))]
#[get("/photos/{id}")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    let (_, jpeg) = photos::jpeg(&mut who.scope().await?, *id).await?;
    Ok(shown(jpeg))
}

/// A picture as an answer.
pub fn shown(jpeg: Vec<u8>) -> HttpResponse {
    HttpResponse::Ok().insert_header((header::CONTENT_TYPE, "image/jpeg")).body(jpeg)
}

/// Takes a photograph away for good.
#[utoipa::path(tag = "photos", operation_id = "photos_remove", responses((status = 204), (status = 404, body = ApiError)))]
#[delete("/photos/{id}")]
pub async fn remove(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    let person = photos::remove(&mut scope, *id).await?;
    audit::record(&mut scope, who.coach, Action::PhotoRemoved, Subject::of("photo", *id, person), json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}
