//! What follows a session for everybody at once: a link to each one's own visit, and the next dates by one rule.

use actix_web::{post, web};
use impulso_core::visit::VisitEvent;
use impulso_store::{PersonId, group_visits, groups, visits};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::{
    reports::{LinkForm, make_link},
    retests::{self, PlanForm},
};
use crate::{ApiError, ApiResult, auth::SignedIn, body::Json};

/// What the links of a whole session show.
#[derive(Deserialize, ToSchema)]
pub struct LinksForm {
    /// How many days they open; where nothing is said, until two weeks after the next date of the battery.
    pub days: Option<u64>,
    /// Whether they show remarks, flags and how the tests were done.
    #[serde(default)]
    pub remarks: bool,
}

/// A link of somebody.
#[derive(Serialize, ToSchema)]
pub struct OneLink {
    pub person: Uuid,
    pub name: String,
    /// What follows the application's own address; told once.
    pub path: String,
}

/// Makes a link for everybody who was tested in a session, each to their own visit.
#[utoipa::path(tag = "groups", operation_id = "group_standing_links", responses((status = 200, body = Vec<OneLink>), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/group-visits/{id}/links")]
pub async fn links(who: SignedIn, id: web::Path<Uuid>, form: Json<LinksForm>) -> ApiResult<web::Json<Vec<OneLink>>> {
    let mut scope = who.scope().await?;
    let roll = group_visits::roll(&mut scope, *id).await?;
    group_visits::get(&mut scope, *id).await?;
    let events = group_visits::events(&mut scope, *id).await?;
    let mut made = Vec::new();
    for line in roll {
        let Some(own) = line.visit else { continue };
        let visit = visits::get(&mut scope, own).await?;
        let is_done = |e: &VisitEvent| if let VisitEvent::Done { place, .. } = e { Some(*place) } else { None };
        let mut places: Vec<usize> = events.get(&own).into_iter().flatten().filter_map(is_done).collect();
        places.sort_unstable();
        places.dedup();
        if places.is_empty() {
            continue;
        }
        let of = LinkForm { id: Uuid::now_v7(), days: form.days, places, photos: false, remarks: form.remarks };
        let link = make_link(&mut scope, who.coach, &visit, of).await?;
        made.push(OneLink { person: line.person.0, name: line.name, path: link.path });
    }
    scope.commit().await?;
    Ok(web::Json(made))
}

/// How many were planned for.
#[derive(Serialize, ToSchema)]
pub struct Planned {
    pub people: usize,
}

/// Plans the battery of a session again for everybody on its roll, by one rule.
#[utoipa::path(tag = "groups", operation_id = "group_standing_plan", responses((status = 200, body = Planned), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/group-visits/{id}/retests")]
pub async fn plan(who: SignedIn, id: web::Path<Uuid>, form: Json<PlanForm>) -> ApiResult<web::Json<Planned>> {
    let mut scope = who.scope().await?;
    let visit = group_visits::get(&mut scope, *id).await?;
    let members = groups::members(&mut scope, visit.group).await?;
    let present: Vec<PersonId> = members.iter().filter(|m| m.left_on.is_none()).map(|m| m.person).collect();
    for person in &present {
        retests::plan(&mut scope, who.coach, *person, &visit.battery.id, &form).await?;
    }
    scope.commit().await?;
    Ok(web::Json(Planned { people: present.len() }))
}
