//! Retests: plan, keep, skip, export.

use actix_web::{HttpResponse, delete, get, http::header, post, web};
use chrono::{Months, NaiveDate, Utc};
use impulso_core::{
    Code, InputError,
    plan::{self, RetestRule, RetestStatus},
    text,
};
use impulso_formats::calendar::{self, Appointment};
use impulso_store::{
    PersonId, RetestId, audit, people, practices,
    retests::{self, Filter, Retest},
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    shelf::Shelf,
};

/// A planned retest as shown.
#[derive(Serialize, ToSchema)]
pub struct RetestLine {
    /// Key.
    pub id: Uuid,
    /// Who.
    pub person: Uuid,
    /// Name.
    pub name: String,
    /// The protocol's id.
    pub protocol: String,
    /// Its display name.
    pub protocol_name: String,
    /// The rule in words.
    pub rule: String,
    /// The day.
    pub due_on: NaiveDate,
    /// The same, spoken.
    pub spoken: String,
    /// What became of it.
    pub status: RetestStatus,
    /// When it was done.
    pub done_on: Option<NaiveDate>,
    /// Days after its date.
    pub late_days: i64,
    /// Why it was skipped.
    pub skip_reason: Option<String>,
    /// The result.
    pub result: Option<Uuid>,
}

impl RetestLine {
    /// The line of a stored retest.
    pub fn new(r: Retest, shelf: &Shelf, today: NaiveDate) -> Self {
        Self {
            id: r.id.0,
            person: r.person.0,
            name: r.person_name,
            protocol_name: shelf.name(&r.protocol_id),
            protocol: r.protocol_id,
            rule: r.rule.words(),
            due_on: r.planned.due_on,
            spoken: plan::spoken(r.planned.due_on, today),
            status: plan::status(&r.planned, today),
            done_on: r.planned.done_on,
            late_days: (r.planned.done_on.unwrap_or(today) - r.planned.due_on).num_days().max(0),
            skip_reason: r.skip_reason,
            result: r.result.map(|id| id.0),
        }
    }
}

/// A rule to look at.
#[derive(Deserialize, ToSchema)]
pub struct PreviewForm {
    /// The rule.
    pub rule: RetestRule,
    /// The day it counts from.
    pub from: NaiveDate,
}

/// What a rule comes to.
#[derive(Serialize, ToSchema)]
pub struct Preview {
    /// The rule in words.
    pub words: String,
    /// Its dates.
    pub dates: Vec<PreviewDate>,
}

/// A date of a rule.
#[derive(Serialize, ToSchema)]
pub struct PreviewDate {
    /// The day.
    pub on: NaiveDate,
    /// Spoken.
    pub spoken: String,
}

/// A rule to keep.
#[derive(Deserialize, ToSchema)]
pub struct PlanForm {
    /// The protocol's id.
    pub protocol: String,
    /// The rule.
    pub rule: RetestRule,
    /// The day it counts from.
    pub from: NaiveDate,
}

/// Every retest that matters now.
#[derive(Serialize, ToSchema)]
pub struct RetestsPage {
    /// Passed without a test, the longest first.
    pub overdue: Vec<RetestLine>,
    /// Due today.
    pub due_today: Vec<RetestLine>,
    /// To come, up to three months.
    pub upcoming: Vec<RetestLine>,
    /// Settled in the last three months: done, done late, skipped.
    pub settled: Vec<RetestLine>,
}

/// Why a date is skipped.
#[derive(Deserialize, ToSchema)]
pub struct SkipForm {
    /// The reason.
    pub reason: String,
}

/// What a rule comes to; nothing is kept.
#[utoipa::path(tag = "retests", operation_id = "retests_preview", responses((status = 200, body = Preview), (status = 422, body = ApiError)))]
#[post("/retests/preview")]
pub async fn preview(who: SignedIn, form: web::Json<PreviewForm>) -> ApiResult<web::Json<Preview>> {
    let today = auth::today(&mut who.scope().await?).await?;
    let dates = form.rule.dates(form.from)?.into_iter().map(|on| PreviewDate { on, spoken: plan::spoken(on, today) }).collect();
    Ok(web::Json(Preview { words: form.rule.words(), dates }))
}

/// Keeps a rule with its dates; it takes the place of the person's earlier rule for this test.
#[utoipa::path(tag = "retests", operation_id = "retests_keep", responses((status = 200, body = Vec<RetestLine>), (status = 422, body = ApiError)))]
#[post("/people/{id}/retests")]
pub async fn keep(who: SignedIn, id: web::Path<Uuid>, form: web::Json<PlanForm>) -> ApiResult<web::Json<Vec<RetestLine>>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&form.protocol)?;
    let person = PersonId(*id);
    people::get(&mut scope, person).await?;
    let today = auth::today(&mut scope).await?;
    let dates: Vec<NaiveDate> = form.rule.dates(form.from)?.into_iter().filter(|d| *d >= today).collect();
    if dates.is_empty() {
        return Err(InputError::new(Code::OutOfRange, "rule", "Every date of this rule lies in the past. Count from a later day.").into());
    }
    let plan = retests::keep(&mut scope, who.coach, person, &protocol.id, &form.rule, form.from, &dates).await?;
    audit::record(&mut scope, who.coach, "retest.planned", ("plan", plan.0), json!({ "rule": form.rule.words() })).await?;
    let filter = Filter { person: Some(person), open_only: true, ..Filter::default() };
    let lines = retests::list(&mut scope, filter)
        .await?
        .into_iter()
        .filter(|r| r.protocol_id == protocol.id)
        .map(|r| RetestLine::new(r, &shelf, today))
        .collect();
    scope.commit().await?;
    Ok(web::Json(lines))
}

/// Due, overdue, done late, skipped.
#[utoipa::path(tag = "retests", operation_id = "retests_list", responses((status = 200, body = RetestsPage), (status = 401, body = ApiError)))]
#[get("/retests")]
pub async fn list(who: SignedIn) -> ApiResult<web::Json<RetestsPage>> {
    let mut scope = who.scope().await?;
    let today = auth::today(&mut scope).await?;
    let shelf = Shelf::of(&mut scope).await?;
    let quarter = Months::new(3);
    let open = retests::list(&mut scope, Filter { until: Some(today + quarter), open_only: true, ..Filter::default() }).await?;
    let recent =
        retests::list(&mut scope, Filter { from: Some(today - quarter), until: Some(today + quarter), ..Filter::default() }).await?;
    let mut page = RetestsPage { overdue: vec![], due_today: vec![], upcoming: vec![], settled: vec![] };
    for line in open.into_iter().map(|r| RetestLine::new(r, &shelf, today)) {
        match line.status {
            RetestStatus::Overdue => page.overdue.push(line),
            RetestStatus::DueToday => page.due_today.push(line),
            _ => page.upcoming.push(line),
        }
    }
    page.settled = recent
        .into_iter()
        .map(|r| RetestLine::new(r, &shelf, today))
        .filter(|l| matches!(l.status, RetestStatus::Done | RetestStatus::DoneLate | RetestStatus::Skipped))
        .collect();
    page.settled.reverse();
    Ok(web::Json(page))
}

/// Open retests as an iCalendar file.
#[utoipa::path(tag = "retests", operation_id = "retests_export", responses((status = 200, content_type = "text/calendar", body = String), (status = 401, body = ApiError)))]
#[get("/retests.ics")]
pub async fn export(who: SignedIn) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    let practice = practices::get(&mut scope).await?;
    let today = auth::today(&mut scope).await?;
    let shelf = Shelf::of(&mut scope).await?;
    let open = retests::list(&mut scope, Filter { open_only: true, ..Filter::default() }).await?;
    let appointments: Vec<Appointment> = open
        .into_iter()
        .map(|r| RetestLine::new(r, &shelf, today))
        .map(|l| Appointment {
            uid: l.id,
            on: l.due_on,
            summary: format!("Retest: {}, {}", l.name, l.protocol_name),
            description: format!(
                "{}. Same place, kit and warm-up as last time; no hard session the day before, no caffeine for 3 hours.",
                l.rule
            ),
        })
        .collect();
    let body = calendar::write(&format!("Retests, {}", practice.name), &appointments, Utc::now());
    Ok(HttpResponse::Ok()
        .content_type("text/calendar; charset=utf-8")
        .insert_header((header::CONTENT_DISPOSITION, "attachment; filename=\"retests.ics\""))
        .body(body))
}

/// Skips a date with a reason.
#[utoipa::path(tag = "retests", operation_id = "retests_skip", responses((status = 204), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/retests/{id}/skip")]
pub async fn skip(who: SignedIn, id: web::Path<Uuid>, form: web::Json<SkipForm>) -> ApiResult<HttpResponse> {
    let reason = text::note(&form.reason, "reason")?
        .ok_or_else(|| InputError::new(Code::MissingInput, "reason", "Say in a word why this test is skipped."))?;
    let mut scope = who.scope().await?;
    retests::skip(&mut scope, RetestId(*id), &reason).await?;
    audit::record(&mut scope, who.coach, "retest.skipped", ("retest", *id), json!({ "reason": reason })).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Takes a skip back.
#[utoipa::path(tag = "retests", operation_id = "retests_unskip", responses((status = 204), (status = 404, body = ApiError)))]
#[delete("/retests/{id}/skip")]
pub async fn unskip(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    retests::unskip(&mut scope, RetestId(*id)).await?;
    audit::record(&mut scope, who.coach, "retest.unskipped", ("retest", *id), json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}
