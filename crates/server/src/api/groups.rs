//! Groups: squads and classes, with their members over time.

use actix_web::{HttpResponse, delete, get, post, put, web};
use chrono::NaiveDate;
use impulso_core::{
    Code, InputError,
    catalogue::Protocol,
    group,
    person::age_on,
    run::{check_answer, event::Conditions},
    text,
};
use impulso_store::{
    PersonId, Scope,
    audit::{self, Action, Subject},
    groups, people,
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
    shelf::Shelf,
};

/// The most groups of a practice that are not closed.
const GROUPS_MAX: usize = 200;

/// A group in the list.
#[derive(Serialize, ToSchema)]
pub struct GroupLine {
    pub id: Uuid,
    pub name: String,
    /// How many belong to it today.
    pub members: i64,
    /// When one of them was last tested.
    pub last_on: Option<NaiveDate>,
}

impl From<groups::Line> for GroupLine {
    fn from(line: groups::Line) -> Self {
        Self { id: line.id, name: line.name, members: line.members, last_on: line.last_on }
    }
}

/// A group to make, or its new name.
#[derive(Deserialize, ToSchema)]
pub struct GroupForm {
    pub name: String,
}

/// A group with everybody who belongs to it or did.
#[derive(Serialize, ToSchema)]
pub struct GroupPage {
    pub id: Uuid,
    pub name: String,
    /// By number, then by name.
    pub members: Vec<MemberLine>,
    /// Who left, the latest first.
    pub former: Vec<MemberLine>,
    /// The playing groups that are in use, by name.
    pub playing_groups: Vec<String>,
}

/// A member.
#[derive(Serialize, ToSchema)]
pub struct MemberLine {
    /// The membership.
    pub id: Uuid,
    pub person: Uuid,
    pub name: String,
    pub age: Option<f64>,
    pub joined_on: NaiveDate,
    pub left_on: Option<NaiveDate>,
    pub playing_group: Option<String>,
    /// On the shirt.
    pub number: Option<u16>,
    /// When they were last tested.
    pub last_on: Option<NaiveDate>,
}

/// Somebody who joins.
#[derive(Deserialize, ToSchema)]
pub struct MemberForm {
    /// Made by the screen, so that a double click adds one.
    pub id: Uuid,
    pub person: Uuid,
    /// As typed; empty for none.
    #[serde(default)]
    pub playing_group: String,
    /// As typed; empty for none.
    #[serde(default)]
    pub number: String,
}

/// What changes of a member.
#[derive(Deserialize, ToSchema)]
pub struct MemberChange {
    /// As typed; empty for none.
    pub playing_group: String,
    /// As typed; empty for none.
    pub number: String,
}

/// What is a member's own.
#[derive(Deserialize, ToSchema)]
pub struct SetUpForm {
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub conditions: Conditions,
}

/// Every group that is not closed.
#[utoipa::path(tag = "groups", operation_id = "groups_list", responses((status = 200, body = Vec<GroupLine>)))]
#[get("/groups")]
pub async fn list(who: SignedIn) -> ApiResult<web::Json<Vec<GroupLine>>> {
    let all = groups::list(&mut who.scope().await?, "").await?;
    Ok(web::Json(all.into_iter().map(GroupLine::from).collect()))
}

/// Makes a group, or gives it another name.
#[utoipa::path(tag = "groups", operation_id = "groups_put", responses((status = 200, body = GroupPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[put("/groups/{id}")]
pub async fn put(who: SignedIn, id: web::Path<Uuid>, form: Json<GroupForm>) -> ApiResult<web::Json<GroupPage>> {
    let name = text::name(&form.name, "name")?;
    let mut scope = who.scope().await?;
    let all = groups::names(&mut scope).await?;
    let key = text::name_key(&name);
    if all.iter().any(|(other, called)| other != &*id && text::name_key(called) == key) {
        return Err(
            InputError::new(Code::OutOfRange, "name", format!("There is a group called {name} already. Choose another name.")).into()
        );
    }
    if all.len() >= GROUPS_MAX && !all.iter().any(|(other, _)| other == &*id) {
        return Err(InputError::new(Code::OutOfRange, "name", format!("{GROUPS_MAX} groups are the most. Close one first.")).into());
    }
    groups::put(&mut scope, who.coach, *id, &name).await?;
    audit::record(&mut scope, who.coach, Action::GroupKept, Subject::thing("group", *id), json!({ "name": name })).await?;
    let page = page(&mut scope, *id).await?;
    scope.commit().await?;
    Ok(web::Json(page))
}

/// A group with its members.
#[utoipa::path(tag = "groups", operation_id = "groups_get", responses((status = 200, body = GroupPage), (status = 404, body = ApiError)))]
#[get("/groups/{id}")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<GroupPage>> {
    Ok(web::Json(page(&mut who.scope().await?, *id).await?))
}

/// Closes a group: it leaves the lists, its history stays.
#[utoipa::path(tag = "groups", operation_id = "groups_close", responses((status = 204), (status = 404, body = ApiError)))]
#[delete("/groups/{id}")]
pub async fn close(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    groups::close(&mut scope, *id).await?;
    audit::record(&mut scope, who.coach, Action::GroupClosed, Subject::thing("group", *id), json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Puts a client into a group from today on.
#[utoipa::path(tag = "groups", operation_id = "groups_join", responses((status = 200, body = GroupPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/groups/{id}/members")]
pub async fn join(who: SignedIn, id: web::Path<Uuid>, form: Json<MemberForm>) -> ApiResult<web::Json<GroupPage>> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    let newcomer = Newcomer {
        membership: form.id,
        person: PersonId(form.person),
        name: people::get(&mut scope, PersonId(form.person)).await?.profile.name,
        playing_group: group::playing_group(&form.playing_group)?,
        number: group::number(&form.number)?,
    };
    add(&mut scope, *id, &[newcomer]).await?;
    audit::record(&mut scope, who.coach, Action::GroupJoined, Subject::of("group", *id, PersonId(form.person)), json!({})).await?;
    let page = page(&mut scope, *id).await?;
    scope.commit().await?;
    Ok(web::Json(page))
}

/// Changes a member's playing group and number.
#[utoipa::path(tag = "groups", operation_id = "groups_change", responses((status = 200, body = GroupPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[put("/groups/{id}/members/{member}")]
pub async fn change(who: SignedIn, path: web::Path<(Uuid, Uuid)>, form: Json<MemberChange>) -> ApiResult<web::Json<GroupPage>> {
    let (id, member) = path.into_inner();
    let (playing_group, number) = (group::playing_group(&form.playing_group)?, group::number(&form.number)?);
    let mut scope = who.scope().await?;
    groups::lock(&mut scope, id).await?;
    let mut present = present(&mut scope, id).await?;
    let Some(own) = present.iter_mut().find(|m| m.id == member) else { return Err(ApiError::not_found()) };
    own.number = number;
    group::check(&present)?;
    groups::change(&mut scope, member, playing_group.as_deref(), number).await?;
    let page = page(&mut scope, id).await?;
    scope.commit().await?;
    Ok(web::Json(page))
}

/// What is a member's own in every group visit, such as a style or the weight of a ball; the shared answers stand for the rest.
#[utoipa::path(tag = "groups", operation_id = "groups_set_up", responses((status = 204), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[put("/groups/{id}/members/{member}/set-up")]
pub async fn set_up(who: SignedIn, path: web::Path<(Uuid, Uuid)>, form: Json<SetUpForm>) -> ApiResult<HttpResponse> {
    let (id, member) = path.into_inner();
    let mut scope = who.scope().await?;
    groups::lock(&mut scope, id).await?;
    if !present(&mut scope, id).await?.iter().any(|m| m.id == member) {
        return Err(ApiError::not_found());
    }
    check_own(&Shelf::of(&mut scope).await?, &form.conditions)?;
    groups::set_up(&mut scope, member, &form.conditions).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Whether each of these answers may be one person's own.
fn check_own(shelf: &Shelf, conditions: &Conditions) -> Result<(), InputError> {
    for (key, answer) in conditions {
        let Some((protocol, condition)) = shelf.all().find_map(|p| Some((p, p.condition(key).filter(|c| c.is_own())?))) else {
            return Err(InputError::new(Code::UnknownField, key, "No test asks this of one person alone."));
        };
        // One of the tests that ask it takes this answer.
        let takes = |p: &Protocol| p.condition(key).is_some_and(|c| check_answer(p, c, answer).is_ok());
        if !shelf.all().any(takes) {
            check_answer(protocol, condition, answer)?;
        }
    }
    Ok(())
}

/// What is a playing group's own in every group visit.
#[derive(Deserialize, ToSchema)]
pub struct PlayingSetUpForm {
    pub playing_group: String,
    /// These answers; the members' other ones stay.
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub conditions: Conditions,
}

/// How many members have it.
#[derive(Serialize, ToSchema)]
pub struct PlayingSetUp {
    pub members: usize,
}

/// Sets what differs for everybody of a playing group at once, such as the distance of a run.
#[utoipa::path(tag = "groups", operation_id = "groups_set_up_playing", responses((status = 200, body = PlayingSetUp), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[put("/groups/{id}/set-up")]
pub async fn set_up_playing(who: SignedIn, id: web::Path<Uuid>, form: Json<PlayingSetUpForm>) -> ApiResult<web::Json<PlayingSetUp>> {
    let mut scope = who.scope().await?;
    groups::lock(&mut scope, *id).await?;
    check_own(&Shelf::of(&mut scope).await?, &form.conditions)?;
    let mut members = groups::members(&mut scope, *id).await?;
    members.retain(|m| m.left_on.is_none() && m.playing_group.as_deref() == Some(form.playing_group.as_str()));
    if members.is_empty() {
        let message = format!("Nobody of this group plays in “{}”.", form.playing_group);
        return Err(InputError::new(Code::OutOfRange, "playing_group", message).into());
    }
    for member in &members {
        let own: Conditions = member.set_up.clone().into_iter().chain(form.conditions.clone()).collect();
        groups::set_up(&mut scope, member.id, &own).await?;
    }
    scope.commit().await?;
    Ok(web::Json(PlayingSetUp { members: members.len() }))
}

/// A member leaves today; what was done in the group stays.
#[utoipa::path(tag = "groups", operation_id = "groups_leave", responses((status = 200, body = GroupPage), (status = 404, body = ApiError)))]
#[delete("/groups/{id}/members/{member}")]
pub async fn leave(who: SignedIn, path: web::Path<(Uuid, Uuid)>) -> ApiResult<web::Json<GroupPage>> {
    let (id, member) = path.into_inner();
    let mut scope = who.scope().await?;
    groups::lock(&mut scope, id).await?;
    let found = present(&mut scope, id).await?.into_iter().find(|m| m.id == member).ok_or_else(ApiError::not_found)?;
    let today = auth::today(&mut scope).await?;
    groups::leave(&mut scope, member, today).await?;
    audit::record(&mut scope, who.coach, Action::GroupLeft, Subject::of("group", id, PersonId(found.person)), json!({})).await?;
    let page = page(&mut scope, id).await?;
    scope.commit().await?;
    Ok(web::Json(page))
}

/// Somebody who is to be put into a group.
pub struct Newcomer {
    pub membership: Uuid,
    pub person: PersonId,
    pub name: String,
    pub playing_group: Option<String>,
    pub number: Option<u16>,
}

/// Puts people into a group from today on; all of them or nobody. The same membership again is nothing new.
///
/// # Errors
/// Where the group is closed or unknown, and as [`group::check`].
pub async fn add(scope: &mut Scope, id: Uuid, newcomers: &[Newcomer]) -> ApiResult<()> {
    groups::lock(scope, id).await?;
    let mut all = present(scope, id).await?;
    let new: Vec<&Newcomer> = newcomers.iter().filter(|n| !all.iter().any(|m| m.id == n.membership)).collect();
    all.extend(new.iter().map(|n| group::Member { id: n.membership, person: n.person.0, name: n.name.clone(), number: n.number }));
    group::check(&all)?;
    let today = auth::today(scope).await?;
    for n in new {
        groups::join(scope, id, n.membership, n.person, today, n.playing_group.as_deref(), n.number).await?;
    }
    Ok(())
}

/// Who belongs to a group today.
pub async fn present(scope: &mut Scope, id: Uuid) -> ApiResult<Vec<group::Member>> {
    let all = groups::members(scope, id).await?.into_iter().filter(|m| m.left_on.is_none());
    Ok(all.map(|m| group::Member { id: m.id, person: m.person.0, name: m.name, number: m.number }).collect())
}

async fn page(scope: &mut Scope, id: Uuid) -> ApiResult<GroupPage> {
    let (_, name) = groups::names(scope).await?.into_iter().find(|(of, _)| *of == id).ok_or_else(ApiError::not_found)?;
    let today = auth::today(scope).await?;
    let line = |m: groups::Member| MemberLine {
        id: m.id,
        person: m.person.0,
        age: age_on(m.born, today).ok().map(impulso_core::units::Age::value),
        name: m.name,
        joined_on: m.joined_on,
        left_on: m.left_on,
        playing_group: m.playing_group,
        number: m.number,
        last_on: m.last_on,
    };
    let (members, former): (Vec<MemberLine>, Vec<MemberLine>) =
        groups::members(scope, id).await?.into_iter().map(line).partition(|m| m.left_on.is_none());
    let mut playing_groups: Vec<String> = members.iter().filter_map(|m| m.playing_group.clone()).collect();
    playing_groups.sort_unstable();
    playing_groups.dedup();
    Ok(GroupPage { id, name, members, former, playing_groups })
}
