//! The practice: its name, its clock, its coaches, and who did what.

use actix_web::{delete, get, http::StatusCode, post, put, web};
use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{Code, InputError, person, text};
use impulso_store::{
    CoachId, PersonId, Scope, Store, access,
    accounts::{self, NewCoach},
    audit::{self, Action, Subject},
    practices, set_aside,
};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::{
    second_factor::confirmed,
    session::{email, time_zone},
};
use crate::{
    ApiError, ApiResult,
    auth::{self, Caller, SignedIn},
    body::Json,
    passwords::Passwords,
    rate_limit::RateLimits,
    session_store::Known,
    settings::limits,
    shelf::Shelf,
};

/// The practice's page.
#[derive(Serialize, ToSchema)]
pub struct PracticePage {
    pub name: String,
    /// IANA time zone.
    pub time_zone: String,
    /// After how many weeks the body mass is asked for again, 1 to 104.
    pub mass_weeks: i16,
    /// Whether a date is typed with its month first.
    pub month_first: bool,
    /// True if every coach needs a second factor.
    pub second_factor_required: bool,
    /// True if a client has to agree before a test or a photograph.
    pub consent_required: bool,
    pub coaches: Vec<CoachLine>,
    /// The latest of who did what.
    pub audit: AuditPage,
    /// What is stored and cannot be read any more; everything else goes on without it.
    pub set_aside: Vec<SetAsideLine>,
    /// Whether there is more of that than is listed; the log names all of it.
    pub more_set_aside: bool,
}

/// Something that cannot be read any more.
#[derive(Serialize, ToSchema)]
pub struct SetAsideLine {
    /// What it is: a test, a battery, a result.
    pub kind: String,
    pub key: String,
    /// Why it cannot be read.
    pub why: String,
}

#[derive(Serialize, ToSchema)]
pub struct CoachLine {
    pub id: Uuid,
    pub name: String,
    /// Email address.
    pub email: String,
    /// Whether this coach founded the practice.
    pub is_founder: bool,
    /// True if this coach has a second factor.
    pub second_factor: bool,
}

/// A page of who did what, the latest first.
#[derive(Serialize, ToSchema)]
pub struct AuditPage {
    pub lines: Vec<AuditLine>,
    /// Where the next page starts; absent on the last.
    pub next: Option<Uuid>,
}

/// The activity log.
#[derive(Serialize, ToSchema)]
pub struct AuditLine {
    pub id: Uuid,
    /// When.
    pub at: DateTime<Utc>,
    /// Who.
    pub coach: Option<String>,
    /// What, in words: `saved a result`.
    pub did: String,
    /// The client's key.
    pub person: Option<Uuid>,
    /// The client's name.
    pub person_name: Option<String>,
    /// The test it is about.
    pub test: Option<String>,
    /// Where the thing is shown.
    pub link: Option<String>,
    /// The reason that was given.
    pub reason: Option<String>,
}

/// Which lines are asked for.
#[derive(Deserialize, IntoParams)]
pub struct AuditQuery {
    /// About one client.
    pub person: Option<Uuid>,
    pub coach: Option<Uuid>,
    /// Of one day in the practice's time zone.
    pub day: Option<NaiveDate>,
    /// Where the last page ended.
    pub before: Option<Uuid>,
}

/// Name and clock.
#[derive(Deserialize, ToSchema)]
pub struct PracticeChange {
    pub name: String,
    /// IANA time zone.
    pub time_zone: String,
    /// After how many weeks the body mass is asked for again, 1 to 104.
    pub mass_weeks: i16,
    /// Whether a date is typed with its month first.
    pub month_first: bool,
    /// True if every coach needs a second factor; as it is where nothing is said. May only the founder change.
    #[serde(default)]
    pub second_factor_required: Option<bool>,
    /// True if a client has to agree before a test or a photograph; as it is where nothing is said.
    #[serde(default)]
    pub consent_required: Option<bool>,
}

/// A coach to add.
#[derive(Deserialize, ToSchema)]
pub struct CoachForm {
    pub name: String,
    /// Email address.
    pub email: String,
    /// A first password.
    pub password: String,
}

/// The practice.
#[utoipa::path(tag = "practice", operation_id = "practice_get", responses((status = 200, body = PracticePage), (status = 401, body = ApiError)))]
#[get("/practice")]
pub async fn get(who: SignedIn) -> ApiResult<web::Json<PracticePage>> {
    page(&mut who.scope().await?).await
}

/// Renames it or moves its clock.
#[utoipa::path(tag = "practice", operation_id = "practice_update", responses((status = 200, body = PracticePage), (status = 403, body = ApiError), (status = 422, body = ApiError)))]
#[put("/practice")]
pub async fn update(who: SignedIn, form: Json<PracticeChange>, known: web::Data<Known>) -> ApiResult<web::Json<PracticePage>> {
    if !(1..=104).contains(&form.mass_weeks) {
        return Err(InputError::new(Code::OutOfRange, "mass_weeks", "Choose 1 to 104 weeks.").into());
    }
    let (name, time_zone) = (text::name(&form.name, "name")?, time_zone(&form.time_zone)?);
    let mut scope = who.scope().await?;
    let was = practices::get(&mut scope).await?;
    let practice = practices::Practice {
        name,
        time_zone,
        mass_weeks: form.mass_weeks,
        month_first: form.month_first,
        second_factor_required: form.second_factor_required.unwrap_or(was.second_factor_required),
        consent_required: form.consent_required.unwrap_or(was.consent_required),
    };
    if practice.second_factor_required != was.second_factor_required {
        founder(&mut scope, who.coach, "change whether coaches need a second factor").await?;
        if practice.second_factor_required {
            require_second_factor(&mut scope, who.coach).await?;
        }
    }
    practices::update(&mut scope, &practice).await?;
    let detail = serde_json::json!({
        "time_zone": practice.time_zone, "mass_weeks": practice.mass_weeks, "month_first": practice.month_first,
        "second_factor_required": practice.second_factor_required, "consent_required": practice.consent_required
    });
    audit::record(&mut scope, who.coach, Action::PracticeChanged, Subject::thing("practice", who.practice.0), detail).await?;
    let shown = page(&mut scope).await?;
    scope.commit().await?;
    known.forget();
    Ok(shown)
}

/// From now on every coach needs a second factor: who has none is signed out, and sets one up at the next sign-in.
async fn require_second_factor(scope: &mut Scope, me: CoachId) -> ApiResult<()> {
    let with = access::with_second_factor(scope).await?;
    if !with.contains(&me) {
        let message = "Set up your own second factor first, then ask it of everybody.";
        return Err(InputError::new(Code::NotApplicable, "second_factor_required", message).into());
    }
    for coach in accounts::coaches(scope).await?.iter().filter(|c| !with.contains(&c.id)) {
        accounts::end_sessions(scope, coach.id, None).await?;
    }
    Ok(())
}

/// Refuses whoever did not found the practice; `what` only the founder can do.
///
/// # Errors
/// 403.
pub async fn founder(scope: &mut Scope, who: CoachId, what: &str) -> ApiResult<()> {
    if accounts::coach(scope, who).await?.is_founder {
        return Ok(());
    }
    let message = format!("Only the founder of the practice can {what}. Ask them.");
    Err(ApiError::new(StatusCode::FORBIDDEN, "founders_only", message))
}

/// Next founder of the practice.
#[derive(Deserialize, ToSchema)]
pub struct HandOver {
    pub to: Uuid,
    /// The founder's own password, asked once more.
    pub password: String,
}

/// Hands the practice over to another coach, who is its founder from now on.
#[utoipa::path(tag = "practice", operation_id = "practice_hand_over", responses((status = 200, body = PracticePage), (status = 403, body = ApiError), (status = 404, body = ApiError), (status = 422, body = ApiError), (status = 429, body = ApiError)))]
#[put("/practice/founder")]
pub async fn hand_over(
    who: SignedIn,
    form: Json<HandOver>,
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    passwords: web::Data<Passwords>,
) -> ApiResult<web::Json<PracticePage>> {
    let HandOver { to, password } = form.into_inner();
    founder(&mut who.scope().await?, who.coach, "hand it over").await?;
    confirmed(&who, &store, &rates, &passwords, password).await?;
    let mut scope = who.scope().await?;
    access::hand_over(&mut scope, CoachId(to)).await?;
    audit::record(&mut scope, who.coach, Action::PracticeHandedOver, Subject::thing("coach", to), serde_json::json!({})).await?;
    let shown = page(&mut scope).await?;
    scope.commit().await?;
    Ok(shown)
}

#[utoipa::path(tag = "practice", operation_id = "practice_add_coach", responses((status = 200, body = PracticePage), (status = 409, body = ApiError), (status = 422, body = ApiError), (status = 429, body = ApiError)))]
#[post("/practice/coaches")]
pub async fn add_coach(
    who: SignedIn,
    form: Json<CoachForm>,
    caller: Caller,
    rates: web::Data<RateLimits>,
    passwords: web::Data<Passwords>,
) -> ApiResult<web::Json<PracticePage>> {
    let form = form.into_inner();
    rates.coaches.count(&who.coach.to_string())?;
    rates.coaches_of_address.count(&caller.0)?;
    let new =
        NewCoach { name: text::name(&form.name, "name")?, email: email(&form.email)?, password_hash: passwords.hash(form.password).await? };
    let mut scope = who.scope().await?;
    let id = accounts::add_coach(&mut scope, &new).await?;
    audit::record(&mut scope, who.coach, Action::CoachAdded, Subject::thing("coach", id.0), serde_json::json!({})).await?;
    let shown = page(&mut scope).await?;
    scope.commit().await?;
    Ok(shown)
}

/// Removes a coach: may only the founder, and not the founder. Every session of the coach ends; what the coach did stays.
#[utoipa::path(tag = "practice", operation_id = "practice_remove_coach", responses((status = 200, body = PracticePage), (status = 403, body = ApiError), (status = 404, body = ApiError)))]
#[delete("/practice/coaches/{id}")]
pub async fn remove_coach(who: SignedIn, id: web::Path<Uuid>, known: web::Data<Known>) -> ApiResult<web::Json<PracticePage>> {
    let mut scope = who.scope().await?;
    founder(&mut scope, who.coach, "remove a coach").await?;
    if accounts::coach(&mut scope, CoachId(*id)).await?.is_founder {
        let message = "The founder cannot be removed from the practice. Hand the practice over first.";
        return Err(ApiError::new(StatusCode::FORBIDDEN, "founders_only", message));
    }
    accounts::remove(&mut scope, CoachId(*id)).await?;
    audit::record(&mut scope, who.coach, Action::CoachRemoved, Subject::thing("coach", *id), serde_json::json!({})).await?;
    let shown = page(&mut scope).await?;
    scope.commit().await?;
    known.forget();
    Ok(shown)
}

/// The activity log, by client, coach and day.
#[utoipa::path(tag = "practice", operation_id = "practice_audit", params(AuditQuery), responses((status = 200, body = AuditPage), (status = 401, body = ApiError), (status = 422, body = ApiError)))]
#[get("/practice/audit")]
pub async fn who_did_what(who: SignedIn, query: web::Query<AuditQuery>) -> ApiResult<web::Json<AuditPage>> {
    let mut scope = who.scope().await?;
    let zone = auth::zone(&mut scope).await?;
    let day = query.day.map(|on| person::day(on, "day")).transpose()?.and_then(|on| auth::moments(zone, on));
    let filter = audit::Filter { person: query.person.map(PersonId), coach: query.coach.map(CoachId), day, before: query.before };
    Ok(web::Json(lines(&mut scope, filter).await?))
}

async fn lines(scope: &mut Scope, filter: audit::Filter) -> ApiResult<AuditPage> {
    let shelf = Shelf::of(scope).await?;
    let mut found = audit::latest(scope, filter, limits::PAGE + 1).await?;
    let more = found.len() > limits::PAGE as usize;
    found.truncate(limits::PAGE as usize);
    let next = found.last().filter(|_| more).map(|e| e.id);
    let line = |e: audit::Entry| AuditLine {
        id: e.id,
        at: e.at,
        coach: e.coach,
        did: Action::of(&e.action).map_or(e.action, |known| did(known).to_owned()),
        link: link(&e.subject_kind, e.subject_id, e.person),
        person: e.person,
        person_name: e.person_name,
        test: e.protocol.map(|id| shelf.name(&id)),
        reason: e.reason,
    };
    Ok(AuditPage { lines: found.into_iter().map(line).collect(), next })
}

/// An action in words.
const fn did(action: Action) -> &'static str {
    match action {
        Action::PersonAdded => "added a client",
        Action::PersonChanged => "changed the record",
        Action::PersonErased => "erased a client",
        Action::PersonExported => "exported the record",
        Action::ReadinessKept => "asked about readiness",
        Action::ReadinessOverruled => "overruled the advice on readiness",
        Action::RunSetUp => "set up a test",
        Action::RunDiscarded => "discarded a test that was stopped",
        Action::ResultKept => "saved a result",
        Action::ResultCorrected => "corrected a result",
        Action::ResultVoided => "made a result void",
        Action::ResultRestored => "restored a result that was void",
        Action::ResultMoved => "moved a result here from another client",
        Action::ResultMovedAway => "moved a result to another client",
        Action::RetestPlanned => "planned retests",
        Action::RetestSkipped => "skipped a retest",
        Action::RetestUnskipped => "restored a skipped retest",
        Action::VisitBegun => "began a visit",
        Action::VisitClosed => "closed a visit",
        Action::VisitShared => "made a link for the client",
        Action::VisitLinkWithdrawn => "withdrew a client’s link",
        Action::VisitSelfLink => "made a link with which a client enters results",
        Action::VisitSelfLinkWithdrawn => "withdrew a link with which a client enters results",
        Action::BatteryKept => "saved a battery",
        Action::BatteryRetired => "removed a battery from the list",
        Action::ScoringKept => "saved a scoring table",
        Action::ScoringAppliedToPast => "chose the scoring table for the past",
        Action::PracticeExported => "exported the practice",
        Action::PracticeImported => "imported a practice",
        Action::PracticeChanged => "changed the practice",
        Action::GroupKept => "saved a group",
        Action::GroupClosed => "closed a group",
        Action::GroupJoined => "added a client to a group",
        Action::GroupLeft => "took a client out of a group",
        Action::GroupMarkSet => "set a group’s target",
        Action::GroupMarkRemoved => "removed a group’s target",
        Action::GroupVisitBegun => "began a group visit",
        Action::GroupVisitConditions => "corrected what everybody in a group visit shares",
        Action::GroupVisitClosed => "closed a group visit",
        Action::GoalAgreed => "set a goal",
        Action::GoalDropped => "dropped a goal",
        Action::PhotoKept => "added a photograph",
        Action::PhotoRemoved => "removed a photograph",
        Action::HappeningNoted => "added an event",
        Action::HappeningRemoved => "removed an event",
        Action::PassMarkSet => "set the practice’s own target",
        Action::TypicalErrorTyped => "typed in a measurement error",
        Action::ProtocolCopied => "made a copy of a test",
        Action::MadeUpLoaded => "loaded the made-up clients",
        Action::MadeUpRemoved => "removed the made-up clients",
        Action::CoachAdded => "added a coach",
        Action::CoachRemoved => "removed a coach",
        Action::PasswordChanged => "changed the password",
        Action::PasswordLink => "made a link for a new password",
        Action::PasswordReset => "set a new password by a link",
        Action::SecondFactorOn => "turned on their second factor",
        Action::SecondFactorOff => "turned off their second factor",
        Action::SecondFactorTakenOff => "took a coach’s second factor off",
        Action::RecoveryCodes => "made new recovery codes",
        Action::PracticeHandedOver => "handed the practice over",
        Action::ConsentGiven => "recorded a consent",
        Action::ConsentWithheld => "recorded that consent was not given",
        Action::SessionsEnded => "ended all other sessions",
        Action::SelfEntryTaken => "accepted a result a client entered",
        Action::SelfEntryRefused => "refused a result a client entered",
    }
}

/// Where the thing is shown.
fn link(kind: &str, id: Uuid, person: Option<Uuid>) -> Option<String> {
    match kind {
        "result" => Some(format!("/results/{id}")),
        "run" => Some(format!("/runs/{id}")),
        "group" => Some(format!("/groups/{id}")),
        _ => person.map(|p| format!("/people/{p}")),
    }
}

async fn page(scope: &mut Scope) -> ApiResult<web::Json<PracticePage>> {
    let practice = practices::get(scope).await?;
    let with = access::with_second_factor(scope).await?;
    let coach = |c: accounts::Coach| CoachLine {
        id: c.id.0,
        name: c.name,
        email: c.email,
        is_founder: c.is_founder,
        second_factor: with.contains(&c.id),
    };
    let coaches = accounts::coaches(scope).await?.into_iter().map(coach).collect();
    let audit = lines(scope, audit::Filter::default()).await?;
    set_aside::look(scope).await?;
    let line = |s: set_aside::SetAside| SetAsideLine { kind: s.kind, key: s.key, why: s.why };
    let mut set_aside: Vec<SetAsideLine> = set_aside::all(scope, limits::COUNTED + 1).await?.into_iter().map(line).collect();
    let more_set_aside = set_aside.len() > limits::COUNTED as usize;
    set_aside.truncate(limits::COUNTED as usize);
    Ok(web::Json(PracticePage {
        name: practice.name,
        time_zone: practice.time_zone,
        mass_weeks: practice.mass_weeks,
        month_first: practice.month_first,
        second_factor_required: practice.second_factor_required,
        consent_required: practice.consent_required,
        coaches,
        audit,
        set_aside,
        more_set_aside,
    }))
}
