//! What a client gets of a visit: a link of their own that opens without an account, ends by itself and can be withdrawn.

use actix_web::{HttpResponse, delete, get, post, web};
use chrono::{DateTime, Days, NaiveDate, Utc};
use impulso_core::{
    Code, InputError,
    report::FailedPoint,
    visit::{Learned, Row},
};
use impulso_store::{
    CoachId, Scope, Store,
    audit::{self, Action, Subject},
    photos, practices, retests,
    visit_links::{self, Link, Opened},
    visits::{self, Visit},
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use super::{
    goals::{self, GoalLine},
    history::{HistoryLine, over_time},
    link_token,
    photos::{PhotoDay, by_day, shown},
};
use crate::{
    ApiError, ApiResult,
    auth::{self, Caller, SignedIn},
    body::Json,
    dossier::Dossier,
    rate_limit::RateLimits,
    visiting::{self, VisitRow},
};

/// The longest a link opens, days.
const DAYS_MAX: u64 = 366;
/// The most links of one visit, those that have ended among them: all of them stand in its list.
const LINKS_MAX: usize = 100;

/// A link to make.
#[derive(Deserialize, ToSchema)]
pub struct LinkForm {
    /// Made by the screen.
    pub id: Uuid,
    /// How many days it opens; where nothing is said, until two weeks after the next date of the battery.
    pub days: Option<u64>,
    /// The places of the battery that it shows.
    pub places: Vec<usize>,
    /// Whether it shows the photographs of the visit's day and of the first day.
    #[serde(default)]
    pub photos: bool,
    /// Whether it shows remarks, flags and how the tests were done.
    #[serde(default)]
    pub remarks: bool,
}

/// A link that was made: the only time its address is told.
#[derive(Serialize, ToSchema)]
pub struct LinkMade {
    /// What follows the application's own address.
    pub path: String,
    /// Until when it opens.
    pub expires_at: DateTime<Utc>,
}

/// A link in the list.
#[derive(Serialize, ToSchema)]
pub struct LinkLine {
    pub id: Uuid,
    /// How many tests it shows.
    pub tests: usize,
    /// Whether it shows photographs.
    pub photos: bool,
    /// Whether it shows remarks.
    pub remarks: bool,
    /// When it was made.
    pub created_at: DateTime<Utc>,
    /// Until when it opens.
    pub expires_at: DateTime<Utc>,
    /// Whether it still opens.
    pub opens: bool,
}

/// What a visit taught, for the client: what the coach chose to show, and nobody else.
#[derive(Serialize, ToSchema)]
pub struct ClientReport {
    pub name: String,
    /// Where they were tested.
    pub practice: String,
    pub battery_name: String,
    /// The day.
    pub on: NaiveDate,
    /// What it taught.
    pub learned: Option<Learned>,
    /// The tests.
    pub rows: Vec<VisitRow>,
    /// The total and the level it reaches, where everything that brings points is shown.
    pub total: Option<ClientTotal>,
    /// When the battery is next.
    pub next_on: Option<NaiveDate>,
    /// Points that were not met, with what each is often behind.
    pub failed: Vec<FailedPoint>,
    /// The work that is commonly given.
    pub work: Option<String>,
    /// Goals of what is shown.
    pub goals: Vec<GoalLine>,
    /// The days this battery was done until now, oldest first.
    pub days: Vec<NaiveDate>,
    /// The shown tests over those days; empty for the first time.
    pub lines: Vec<HistoryLine>,
    /// Photographs, where the coach said so: of this day and of the first.
    pub photos: Vec<PhotoDay>,
    /// Until when the link opens.
    pub expires_at: DateTime<Utc>,
}

/// The points of a visit as its client sees them.
#[derive(Serialize, ToSchema)]
pub struct ClientTotal {
    /// Points of all tests that have any.
    pub points: f64,
    /// The most they could bring.
    pub most: f64,
    /// The level the total reaches.
    pub level: Option<String>,
}

/// How long a link opens where nothing else is said, days; and how long beyond the next date of its battery.
const USUAL_DAYS: u64 = 90;
const BEYOND_NEXT_DAYS: u64 = 14;

/// The next date of a visit's battery, where one is planned after that visit.
async fn next_of(scope: &mut Scope, visit: &Visit) -> ApiResult<Option<NaiveDate>> {
    let planned = retests::open_of(scope, visit.person).await?;
    let of_battery = planned.iter().filter(|r| r.protocol_id == visit.battery.id && r.planned.due_on > visit.on);
    Ok(of_battery.map(|r| r.planned.due_on).min())
}

/// How many days a link opens where nothing else is said.
async fn usual_days(scope: &mut Scope, visit: &Visit) -> ApiResult<u64> {
    let today = auth::today(scope).await?;
    let until = next_of(scope, visit).await?.map(|on| u64::try_from((on - today).num_days()).unwrap_or(0) + BEYOND_NEXT_DAYS);
    Ok(until.unwrap_or(USUAL_DAYS).min(DAYS_MAX))
}

/// Makes a link for the client. Its address is told once; only a hash of it is kept.
#[utoipa::path(tag = "visits", operation_id = "reports_share", responses((status = 200, body = LinkMade), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/visits/{id}/links")]
pub async fn share(who: SignedIn, id: web::Path<Uuid>, form: Json<LinkForm>) -> ApiResult<web::Json<LinkMade>> {
    let mut scope = who.scope().await?;
    let visit = visits::get(&mut scope, *id).await?;
    let made = make_link(&mut scope, who.coach, &visit, form.into_inner()).await?;
    scope.commit().await?;
    Ok(web::Json(made))
}

/// Makes a link to a visit.
pub(super) async fn make_link(scope: &mut Scope, coach: CoachId, visit: &Visit, form: LinkForm) -> ApiResult<LinkMade> {
    let days = match form.days {
        Some(days) => days,
        None => usual_days(scope, visit).await?,
    };
    if !(1..=DAYS_MAX).contains(&days) {
        return Err(InputError::new(Code::OutOfRange, "days", format!("A link opens for 1 to {DAYS_MAX} days.")).into());
    }
    if form.places.is_empty() || form.places.iter().any(|p| *p >= visit.battery.tests.len()) {
        return Err(InputError::new(Code::MissingInput, "places", "Choose at least one test of this visit to show.").into());
    }
    let made = visit_links::of_visit(scope, visit.id).await?.len();
    if made >= LINKS_MAX {
        let message = format!("This visit has had {LINKS_MAX} links, which is the most. Use one that still works.");
        return Err(InputError::new(Code::OutOfRange, "id", message).into());
    }
    let (token, kept) = link_token::made();
    let now = Utc::now();
    let expires_at = now.checked_add_days(Days::new(days)).unwrap_or(now);
    let link = Link {
        id: form.id,
        places: form.places,
        photos: form.photos,
        remarks: form.remarks,
        created_at: now,
        expires_at,
        withdrawn_at: None,
    };
    visit_links::add(scope, coach, visit.id, &link, &kept).await?;
    let subject = Subject::of("visit", visit.id, visit.person);
    audit::record(
        scope,
        coach,
        Action::VisitShared,
        subject,
        json!({ "days": days, "tests": link.places.len(), "photos": link.photos, "remarks": link.remarks }),
    )
    .await?;
    Ok(LinkMade { path: format!("/report/{token}"), expires_at })
}

/// A visit's links.
#[utoipa::path(tag = "visits", operation_id = "reports_links", responses((status = 200, body = Vec<LinkLine>), (status = 404, body = ApiError)))]
#[get("/visits/{id}/links")]
pub async fn links(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<Vec<LinkLine>>> {
    let mut scope = who.scope().await?;
    let visit = visits::get(&mut scope, *id).await?;
    let line = |l: Link| LinkLine {
        id: l.id,
        tests: l.places.len(),
        photos: l.photos,
        remarks: l.remarks,
        created_at: l.created_at,
        expires_at: l.expires_at,
        opens: l.withdrawn_at.is_none() && l.expires_at > Utc::now(),
    };
    Ok(web::Json(visit_links::of_visit(&mut scope, visit.id).await?.into_iter().map(line).collect()))
}

/// Withdraws a link.
#[utoipa::path(tag = "visits", operation_id = "reports_withdraw", responses((status = 204), (status = 404, body = ApiError)))]
#[delete("/visit-links/{id}")]
pub async fn withdraw(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    visit_links::withdraw(&mut scope, *id).await?;
    audit::record(&mut scope, who.coach, Action::VisitLinkWithdrawn, Subject::thing("visit_link", *id), json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}

/// What a visit taught, for whoever has the link. No account; every try is limited.
#[utoipa::path(tag = "visits", operation_id = "reports_open", responses((status = 200, body = ClientReport), (status = 404, body = ApiError), (status = 429, body = ApiError)))]
#[get("/reports/{token}")]
pub async fn open(
    token: web::Path<String>,
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    caller: Caller,
) -> ApiResult<web::Json<ClientReport>> {
    rates.code.count(&caller.0)?;
    let opened = opened(&store, &token, &rates, &caller).await?;
    let mut scope = store.scope(opened.practice).await?;
    let visit = visits::get(&mut scope, opened.visit).await?;
    let of = Dossier::of(&mut scope, visit.person).await?;
    let page = visiting::page(&mut scope, &of, &visit, Some(&opened.places)).await?;
    let practice = practices::get(&mut scope).await?;
    let goals = goals::of_visit(&mut scope, &of, &visit, Some(&opened.places)).await?;
    let (days, mut lines) = over_time(&mut scope, &of, &visit.battery.id, Some((&visit, &opened.places))).await?;
    // Whoever has the link opens no result by its key.
    lines.retain(|l| l.points.len() > 1);
    lines.iter_mut().flat_map(|l| &mut l.points).for_each(|p| p.result = Uuid::nil());
    let total = visiting::total_of(&mut scope, &of, &visit, &opened.places).await?.map(|t| ClientTotal {
        points: t.points,
        most: t.most,
        level: t.level,
    });
    let next_on = next_of(&mut scope, &visit).await?;
    let rows = page.rows.into_iter().filter(|r| !r.came_to.figures.is_empty()).map(|r| {
        let row = VisitRow { run: None, result: None, reason: None, times: Vec::new(), ..r };
        if opened.remarks {
            return row;
        }
        let came_to = Row { flags: Vec::new(), how: None, ..row.came_to };
        VisitRow { remarks: Vec::new(), came_to, ..row }
    });
    Ok(web::Json(ClientReport {
        name: page.name,
        practice: practice.name,
        battery_name: page.battery_name,
        on: page.on,
        learned: page.learned,
        rows: rows.collect(),
        total,
        next_on,
        failed: page.failed,
        work: page.work,
        goals,
        days,
        lines,
        photos: if opened.photos { photos_of(&mut scope, &visit).await? } else { Vec::new() },
        expires_at: opened.expires_at,
    }))
}

/// What a token opens, while its link holds.
async fn opened(store: &Store, token: &str, rates: &RateLimits, caller: &Caller) -> ApiResult<Opened> {
    link_token::known(visit_links::open(store, &link_token::hash(token)).await?, rates, caller)
}

/// The photographs of the visit's day, and of the first day there are any of.
async fn photos_of(scope: &mut Scope, visit: &Visit) -> ApiResult<Vec<PhotoDay>> {
    let mut days = by_day(photos::of_person(scope, visit.person).await?);
    days.retain(|d| d.on <= visit.on);
    let first = days.last().map(|d| d.on);
    days.retain(|d| d.on == visit.on || Some(d.on) == first);
    Ok(days)
}

/// A photograph that a client's link shows.
#[utoipa::path(tag = "visits", operation_id = "reports_photo", responses((status = 200, content_type = "image/jpeg", body = Vec<u8>), (status = 404, body = ApiError), (status = 429, body = ApiError)))]
#[get("/reports/{token}/photos/{id}")]
pub async fn photo(
    path: web::Path<(String, Uuid)>,
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    caller: Caller,
) -> ApiResult<HttpResponse> {
    let (token, id) = path.into_inner();
    let opened = opened(&store, &token, &rates, &caller).await?;
    let mut scope = store.scope(opened.practice).await?;
    let visit = visits::get(&mut scope, opened.visit).await?;
    let shows = opened.photos && photos_of(&mut scope, &visit).await?.iter().any(|d| d.shots.iter().any(|s| s.id == id));
    if !shows {
        return Err(ApiError::not_found());
    }
    Ok(shown(photos::jpeg(&mut scope, id).await?.1))
}
