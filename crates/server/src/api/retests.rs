//! Retests: plan, keep, skip, export.

use actix_web::{
    HttpResponse, delete, get,
    http::header,
    post,
    web::{self, Bytes},
};
use chrono::{Months, NaiveDate, Utc};
use futures_util::{StreamExt, stream};
use impulso_core::{
    Code, InputError, person,
    plan::{self, HardDays, RetestRule},
    text,
};
use impulso_formats::calendar::{self, Appointment};
use impulso_store::{
    CoachId, PersonId, RetestId, Scope,
    audit::{self, Action, Subject},
    people, practices,
    retests::{self, Cursor},
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
    planning::RetestLine,
    settings::limits,
    shelf::Shelf,
};

/// A rule to look at.
#[derive(Deserialize, ToSchema)]
pub struct PreviewForm {
    pub rule: RetestRule,
    /// The day it counts from.
    pub from: NaiveDate,
    /// Matches and hard sessions: no test on them or on the day after.
    #[serde(default)]
    pub hard_days: HardDays,
}

/// What a rule comes to.
#[derive(Serialize, ToSchema)]
pub struct Preview {
    /// The rule in words.
    pub words: String,
    pub dates: Vec<PreviewDate>,
}

/// A date of a rule.
#[derive(Serialize, ToSchema)]
pub struct PreviewDate {
    /// The day.
    pub on: NaiveDate,
    pub spoken: String,
    /// The day it was moved from, because of what lies on it or before it.
    pub moved_from: Option<NaiveDate>,
}

/// A rule to keep.
#[derive(Deserialize, ToSchema)]
pub struct PlanForm {
    /// The id of the protocol or the battery.
    pub protocol: String,
    pub rule: RetestRule,
    /// The day it counts from.
    pub from: NaiveDate,
    /// Matches and hard sessions: no test on them or on the day after.
    #[serde(default)]
    pub hard_days: HardDays,
}

/// Every retest that matters now: the first page of each part.
#[derive(Serialize, ToSchema)]
pub struct RetestsPage {
    /// Passed without a test, the longest first.
    pub overdue: RetestPart,
    pub due_today: RetestPart,
    /// To come, up to three months.
    pub upcoming: RetestPart,
    /// Settled in the last three months: done, done late, skipped; the latest first.
    pub settled: RetestPart,
}

/// A part of the list, a page of it.
#[derive(Serialize, ToSchema)]
pub struct RetestPart {
    pub lines: Vec<RetestLine>,
    /// How many there are in all, in words: `63`, `200 or more`; for what is settled, not counted.
    pub total: Option<String>,
    /// Where the next page starts; absent on the last.
    pub next: Option<String>,
}

/// Which part of the retests.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Part {
    /// Passed without a test.
    Overdue,
    DueToday,
    /// To come, up to three months.
    Upcoming,
    /// Settled in the last three months.
    Settled,
}

/// Where a part goes on.
#[derive(Deserialize, IntoParams)]
pub struct PartQuery {
    /// What the last page gave as `next`.
    pub after: Option<String>,
}

/// Why a date is skipped.
#[derive(Deserialize, ToSchema)]
pub struct SkipForm {
    pub reason: String,
}

/// What a rule comes to; nothing is kept.
#[utoipa::path(tag = "retests", operation_id = "retests_preview", responses((status = 200, body = Preview), (status = 422, body = ApiError)))]
#[post("/retests/preview")]
pub async fn preview(who: SignedIn, form: Json<PreviewForm>) -> ApiResult<web::Json<Preview>> {
    let today = auth::today(&mut who.scope().await?).await?;
    form.hard_days.check()?;
    let seen = |planned: NaiveDate| {
        let on = form.hard_days.clear(planned);
        PreviewDate { on, spoken: plan::spoken(on, today), moved_from: (on != planned).then_some(planned) }
    };
    let dates = form.rule.dates(form.from)?.into_iter().map(seen).collect();
    Ok(web::Json(Preview { words: form.rule.words(), dates }))
}

/// Plans a test of somebody by a rule; it takes the place of their earlier rule for it.
pub(super) async fn plan(scope: &mut Scope, coach: CoachId, person: PersonId, what: &str, form: &PlanForm) -> ApiResult<()> {
    let today = auth::today(scope).await?;
    form.hard_days.check()?;
    let mut dates: Vec<NaiveDate> =
        form.rule.dates(form.from)?.into_iter().map(|d| form.hard_days.clear(d)).filter(|d| *d >= today).collect();
    dates.dedup();
    if dates.is_empty() {
        return Err(InputError::new(Code::OutOfRange, "rule", "Every date of this rule is in the past. Count from a later day.").into());
    }
    let plan = retests::keep(scope, coach, person, what, &form.rule, form.from, &dates).await?;
    let detail = json!({ "rule": form.rule.words(), "protocol": what });
    audit::record(scope, coach, Action::RetestPlanned, Subject::of("plan", plan.0, person), detail).await?;
    Ok(())
}

/// Keeps a rule with its dates; it takes the place of the person's earlier rule for this test.
#[utoipa::path(tag = "retests", operation_id = "retests_keep", responses((status = 200, body = Vec<RetestLine>), (status = 422, body = ApiError)))]
#[post("/people/{id}/retests")]
pub async fn keep(who: SignedIn, id: web::Path<Uuid>, form: Json<PlanForm>) -> ApiResult<web::Json<Vec<RetestLine>>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let what = match shelf.battery(&form.protocol) {
        Some(battery) => battery.id.clone(),
        None => shelf.find(&form.protocol)?.id.clone(),
    };
    let person = PersonId(*id);
    people::get(&mut scope, person).await?;
    plan(&mut scope, who.coach, person, &what, &form).await?;
    let today = auth::today(&mut scope).await?;
    let lines = retests::open_of(&mut scope, person)
        .await?
        .into_iter()
        .filter(|r| r.protocol_id == what)
        .map(|r| RetestLine::new(r, &shelf, today))
        .collect();
    scope.commit().await?;
    Ok(web::Json(lines))
}

/// Due, overdue, done late, skipped: the first page of each.
#[utoipa::path(tag = "retests", operation_id = "retests_list", responses((status = 200, body = RetestsPage), (status = 401, body = ApiError)))]
#[get("/retests")]
pub async fn list(who: SignedIn) -> ApiResult<web::Json<RetestsPage>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let today = auth::today(&mut scope).await?;
    Ok(web::Json(RetestsPage {
        overdue: part(&mut scope, &shelf, Part::Overdue, today, None).await?,
        due_today: part(&mut scope, &shelf, Part::DueToday, today, None).await?,
        upcoming: part(&mut scope, &shelf, Part::Upcoming, today, None).await?,
        settled: part(&mut scope, &shelf, Part::Settled, today, None).await?,
    }))
}

/// One part of the retests, a page of it.
#[utoipa::path(tag = "retests", operation_id = "retests_section", params(("part" = inline(Part), Path), PartQuery), responses((status = 200, body = RetestPart), (status = 401, body = ApiError), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[get("/retests/part/{part}")]
pub async fn section(who: SignedIn, which: web::Path<Part>, query: web::Query<PartQuery>) -> ApiResult<web::Json<RetestPart>> {
    let after = query.after.as_deref().map(cursor).transpose()?;
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let today = auth::today(&mut scope).await?;
    Ok(web::Json(part(&mut scope, &shelf, *which, today, after).await?))
}

fn cursor(text: &str) -> Result<Cursor, InputError> {
    let read = text.split_once('~').and_then(|(on, id)| Some(Cursor { due_on: on.parse().ok()?, id: id.parse().ok()? }));
    let unknown = || InputError::new(Code::OutOfRange, "after", "The list has no such page. Start from its beginning.");
    let read = read.ok_or_else(unknown)?;
    person::day(read.due_on, "after")?;
    Ok(read)
}

async fn part(scope: &mut Scope, shelf: &Shelf, which: Part, today: NaiveDate, after: Option<Cursor>) -> ApiResult<RetestPart> {
    let (quarter, first, last) = (Months::new(3), retests::EVER.0, retests::EVER.1);
    let span = match which {
        Part::Overdue => (first, today.pred_opt().unwrap_or(first)),
        Part::DueToday => (today, today),
        Part::Upcoming => (today.succ_opt().unwrap_or(last), today + quarter),
        Part::Settled => (today - quarter, today + quarter),
    };
    let limit = limits::PAGE + 1;
    let (mut found, total) = match which {
        Part::Settled => (retests::settled(scope, span, after, limit).await?, None),
        _ => (
            retests::open(scope, span, after, limit).await?,
            Some(limits::counted(retests::count_open(scope, span, limits::COUNTED).await?, 0)),
        ),
    };
    let more = found.len() > limits::PAGE as usize;
    found.truncate(limits::PAGE as usize);
    let next = found.last().filter(|_| more).map(|r| format!("{}~{}", r.planned.due_on, r.id));
    Ok(RetestPart { lines: found.into_iter().map(|r| RetestLine::new(r, shelf, today)).collect(), total, next })
}

/// How many dates are read at a time for the calendar.
const CALENDAR_PAGE: i64 = 500;

/// Open retests as an iCalendar file: all of them, however many, a part at a time.
#[utoipa::path(tag = "retests", operation_id = "retests_export", responses((status = 200, content_type = "text/calendar", body = String), (status = 401, body = ApiError)))]
#[get("/retests.ics")]
pub async fn export(who: SignedIn) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    let practice = practices::get(&mut scope).await?;
    let today = auth::today(&mut scope).await?;
    let shelf = Shelf::of(&mut scope).await?;
    let stamped = Utc::now();
    drop(scope);
    let head = calendar::head(&format!("Retests, {}", practice.name));
    // Dates are read as the file is taken; where the database goes away it breaks off and says so, and is never shorter in silence.
    let parts = stream::try_unfold(Some(None), move |at: Option<Option<Cursor>>| {
        let (who, shelf) = (who.clone(), shelf.clone());
        async move {
            let Some(after) = at else { return Ok(None) };
            let found = retests::open(&mut who.scope().await?, retests::EVER, after, CALENDAR_PAGE).await.map_err(ApiError::from)?;
            let last = found.last().filter(|_| found.len() == CALENDAR_PAGE as usize);
            let next = last.map(|r| Some(Cursor { due_on: r.planned.due_on, id: r.id }));
            let appointments: Vec<Appointment> = found.into_iter().map(|r| appointment(&RetestLine::new(r, &shelf, today))).collect();
            let mut text = calendar::part(&appointments, stamped);
            if next.is_none() {
                text.push_str(calendar::foot());
            }
            Ok::<_, ApiError>(Some((Bytes::from(text), next)))
        }
    });
    let file = stream::once(async move { Ok(Bytes::from(head)) }).chain(parts);
    Ok(HttpResponse::Ok()
        .content_type("text/calendar; charset=utf-8")
        .insert_header((header::CONTENT_DISPOSITION, "attachment; filename=\"retests.ics\""))
        .streaming(Box::pin(file)))
}

fn appointment(line: &RetestLine) -> Appointment {
    Appointment {
        uid: line.id,
        on: line.due_on,
        summary: format!("Retest: {}, {}", line.name, line.protocol_name),
        description: format!(
            "{}.{} Same place, equipment and warm-up as last time; no hard session the day before, no caffeine for 3 hours.",
            line.rule,
            if line.tests.is_empty() { String::new() } else { format!(" Tests: {}.", text::list(&line.tests)) }
        ),
    }
}

/// Skips a date with a reason.
#[utoipa::path(tag = "retests", operation_id = "retests_skip", responses((status = 204), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/retests/{id}/skip")]
pub async fn skip(who: SignedIn, id: web::Path<Uuid>, form: Json<SkipForm>) -> ApiResult<HttpResponse> {
    let reason = text::note(&form.reason, "reason")?
        .ok_or_else(|| InputError::new(Code::MissingInput, "reason", "Give a reason why this test is skipped."))?;
    let mut scope = who.scope().await?;
    retests::skip(&mut scope, RetestId(*id), &reason).await?;
    let subject = Subject::of("retest", *id, retests::person_of(&mut scope, RetestId(*id)).await?);
    audit::record(&mut scope, who.coach, Action::RetestSkipped, subject, json!({ "reason": reason })).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Takes a skip back.
#[utoipa::path(tag = "retests", operation_id = "retests_unskip", responses((status = 204), (status = 404, body = ApiError)))]
#[delete("/retests/{id}/skip")]
pub async fn unskip(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    retests::unskip(&mut scope, RetestId(*id)).await?;
    let subject = Subject::of("retest", *id, retests::person_of(&mut scope, RetestId(*id)).await?);
    audit::record(&mut scope, who.coach, Action::RetestUnskipped, subject, json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}
