//! What a group is held to: the coach's own marks, one bound or two, for everybody or for some.

use actix_web::{HttpResponse, delete, put, web};
use impulso_core::{
    Code, InputError,
    person::Sex,
    quantity,
    squad::{GroupMark, MARKS_MAX},
};
use impulso_store::{
    audit::{self, Action, Subject},
    group_marks, groups,
};
use serde::Serialize;
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use super::group_standing::called_in_full;
use crate::{ApiError, ApiResult, auth::SignedIn, body::Json, shelf::Shelf};

/// A mark of the group.
#[derive(Serialize, ToSchema)]
pub struct MarkLine {
    pub id: Uuid,
    #[serde(flatten)]
    pub mark: GroupMark,
    /// Of what: the test, with its measure where it has more than one.
    pub test: String,
    /// For whom, in words.
    pub who: String,
    /// Its bounds in words.
    pub bounds: String,
}

impl MarkLine {
    pub fn new(id: Uuid, mark: &GroupMark, shelf: &Shelf) -> Self {
        let test = shelf.find(&mark.protocol).map_or_else(|_| mark.protocol.clone(), |p| called_in_full(p, &p.name, &mark.quantity));
        let sex = mark.sex.map(|s| if s == Sex::Female { "women" } else { "men" }.to_owned());
        let age = match (mark.age_from, mark.age_to) {
            (Some(from), Some(to)) => Some(format!("{from} to {to} years")),
            (Some(from), None) => Some(format!("from {from} years")),
            (None, Some(to)) => Some(format!("up to {to} years")),
            (None, None) => None,
        };
        let parts: Vec<String> = [mark.playing_group.clone(), sex, age].into_iter().flatten().collect();
        let said = |v: f64| quantity::with_unit(&mark.quantity, v);
        let bounds = mark.acceptable.map_or_else(|| said(mark.good), |a| format!("good {}, acceptable {}", said(mark.good), said(a)));
        Self { id, mark: mark.clone(), test, who: if parts.is_empty() { "everybody".into() } else { parts.join(", ") }, bounds }
    }
}

/// Keeps a mark of a group.
#[utoipa::path(tag = "groups", operation_id = "group_standing_mark", responses((status = 200, body = MarkLine), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[put("/groups/{id}/marks/{mark}")]
pub async fn set_mark(who: SignedIn, path: web::Path<(Uuid, Uuid)>, form: Json<GroupMark>) -> ApiResult<web::Json<MarkLine>> {
    let (group, id) = path.into_inner();
    let mut scope = who.scope().await?;
    groups::name(&mut scope, group).await?;
    let shelf = Shelf::of(&mut scope).await?;
    let mark = form.into_inner();
    let protocol = shelf.find(&mark.protocol)?;
    if protocol.scored(&mark.quantity).is_none() {
        let message = format!("{} has no “{}”.", protocol.name, mark.quantity);
        return Err(InputError::new(Code::UnknownField, "quantity", message).into());
    }
    mark.check()?;
    let before = group_marks::of_group(&mut scope, group).await?;
    if before.len() >= MARKS_MAX && !before.iter().any(|(known, _)| *known == id) {
        return Err(InputError::new(Code::OutOfRange, "good", format!("{MARKS_MAX} targets are the most of one group.")).into());
    }
    group_marks::set(&mut scope, group, id, &mark).await?;
    let detail = json!({ "protocol": mark.protocol });
    audit::record(&mut scope, who.coach, Action::GroupMarkSet, Subject::thing("group", group), detail).await?;
    scope.commit().await?;
    Ok(web::Json(MarkLine::new(id, &mark, &shelf)))
}

/// Takes a mark of a group away.
#[utoipa::path(tag = "groups", operation_id = "group_standing_unmark", responses((status = 204), (status = 404, body = ApiError)))]
#[delete("/groups/{id}/marks/{mark}")]
pub async fn remove_mark(who: SignedIn, path: web::Path<(Uuid, Uuid)>) -> ApiResult<HttpResponse> {
    let (group, id) = path.into_inner();
    let mut scope = who.scope().await?;
    group_marks::remove(&mut scope, group, id).await?;
    audit::record(&mut scope, who.coach, Action::GroupMarkRemoved, Subject::thing("group", group), json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}
