//! Links by which clients send what they tested themselves, and what a coach makes of it: taken in, or refused with a reason.

use actix_web::{HttpResponse, delete, get, http::StatusCode, post, web};
use chrono::{DateTime, Days, NaiveDate, Utc};
use impulso_core::{
    Code, InputError,
    conditions::Conditions,
    consent::{self, ConsentKind},
    group_visit::Presence,
    reading::{self, ReadingLine},
    report::ConditionReport,
    self_entry::Fate,
    self_report, text,
    visit::{self, Row, Seen, VisitEvent, row::Figure, start::last_as_here},
};
use impulso_store::{
    CoachId, PersonId, Scope,
    audit::{self, Action, Subject},
    group_visits, groups, readiness,
    self_entries::{self, SelfLink},
    visits::{self, Visit},
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use super::{
    consents,
    from_afar::{FromAfar, Sent, TakenAs},
    group_followup::OneLink,
    group_visits::own_visit,
    link_token,
    reports::LinkMade,
};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
    dossier::Dossier,
    recording, scoring,
    settings::limits,
};

/// How long a link opens where nothing is said, and the longest, days.
const USUAL_DAYS: u64 = 14;
const DAYS_MAX: u64 = 92;
/// The most links of one visit.
const LINKS_MAX: usize = 100;
/// Why those who were not called are absent.
const AWAY: &str = "Tests from afar";

/// A link to make.
#[derive(Deserialize, ToSchema)]
pub struct SelfLinkForm {
    /// Made by the screen.
    pub id: Uuid,
    /// How many days it opens; two weeks where nothing is said.
    pub days: Option<u64>,
}

/// A link of a visit.
#[derive(Serialize, ToSchema)]
pub struct SelfLinkLine {
    pub id: Uuid,
    pub created_at: DateTime<Utc>,
    pub expires_at: DateTime<Utc>,
    /// Whether it still opens.
    pub opens: bool,
}

/// The links of a visit, and what was sent by them.
#[derive(Serialize, ToSchema)]
pub struct FromAfarPage {
    pub links: Vec<SelfLinkLine>,
    /// What was sent, the latest first; not what was replaced before anybody looked.
    pub sent: Vec<SentLine>,
}

/// Something that a client sent.
#[derive(Serialize, ToSchema)]
pub struct SentLine {
    pub id: Uuid,
    pub person: Uuid,
    pub name: String,
    pub visit: Uuid,
    pub place: usize,
    pub test: String,
    /// The day it was done.
    pub on: NaiveDate,
    pub sent_at: DateTime<Utc>,
    pub fate: Fate,
    /// Why it was refused.
    pub reason: Option<String>,
    /// What was typed.
    pub readings: Vec<ReadingLine>,
    /// What it would come to.
    pub figures: Vec<Figure>,
    /// What to keep in mind about it.
    pub flags: Vec<String>,
    /// How it was done.
    pub how: Vec<ConditionReport>,
    pub remark: String,
    /// What it was the last time, measured or not.
    pub before: Option<String>,
    /// Why it cannot be taken in as it is.
    pub wrong: Option<String>,
    /// The test rests on a body mass that was weighed long ago.
    pub old_mass: bool,
}

/// What a coach decides about something that was sent.
#[derive(Deserialize, ToSchema)]
#[serde(tag = "decision", rename_all = "snake_case")]
pub enum SelfDecision {
    /// It becomes a result.
    Take(TakenAs),
    /// It becomes none.
    Refuse {
        /// Why, as the client reads it.
        reason: String,
    },
}

/// Makes a link by which the client of a visit sends what they test themselves.
#[utoipa::path(tag = "self", operation_id = "self_links_add", responses((status = 200, body = LinkMade), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/visits/{id}/self-links")]
pub async fn add(who: SignedIn, id: web::Path<Uuid>, form: Json<SelfLinkForm>) -> ApiResult<web::Json<LinkMade>> {
    let mut scope = who.scope().await?;
    let visit = visits::lock(&mut scope, *id).await?;
    if let Some(why) = why_none(&mut scope, &visit, &Conditions::new()).await? {
        return Err(why.into());
    }
    let made = make(&mut scope, who.coach, &visit, form.id, form.days, Conditions::new()).await?;
    scope.commit().await?;
    Ok(web::Json(made))
}

/// Makes a link to a visit that nothing speaks against. See [`why_none`].
async fn make(scope: &mut Scope, coach: CoachId, visit: &Visit, id: Uuid, days: Option<u64>, set_up: Conditions) -> ApiResult<LinkMade> {
    let days = days.unwrap_or(USUAL_DAYS);
    if !(1..=DAYS_MAX).contains(&days) {
        return Err(InputError::new(Code::OutOfRange, "days", format!("A link to test from afar opens for 1 to {DAYS_MAX} days.")).into());
    }
    if self_entries::links(scope, visit.id).await?.len() >= LINKS_MAX {
        let message = format!("This visit has had {LINKS_MAX} links, which is the most. Use one that still works.");
        return Err(InputError::new(Code::OutOfRange, "id", message).into());
    }
    let (token, kept) = link_token::made();
    let now = Utc::now();
    let expires_at = now.checked_add_days(Days::new(days)).unwrap_or(now);
    let link = SelfLink { id, visit: visit.id, set_up, created_at: now, expires_at, withdrawn_at: None };
    self_entries::add_link(scope, coach, &link, &kept).await?;
    audit::record(scope, coach, Action::VisitSelfLink, Subject::of("visit", visit.id, visit.person), json!({ "days": days })).await?;
    Ok(LinkMade { path: format!("/self/{token}"), expires_at })
}

/// For whom links are made.
#[derive(Deserialize, ToSchema)]
pub struct GroupSelfLinksForm {
    pub people: Vec<Uuid>,
    /// How many days they open; two weeks where nothing is said.
    pub days: Option<u64>,
}

/// The links of a group, and for whom there is none.
#[derive(Serialize, ToSchema)]
pub struct GroupSelfLinks {
    pub made: Vec<OneLink>,
    /// Who gets none, and why.
    pub not_made: Vec<NotMade>,
}

/// Somebody without a link.
#[derive(Serialize, ToSchema)]
pub struct NotMade {
    pub person: Uuid,
    pub name: String,
    pub why: String,
}

/// Makes links for several of a group at once. Who was not called yet is absent, and has a visit of their own from now on.
#[utoipa::path(tag = "self", operation_id = "self_links_group", responses((status = 200, body = GroupSelfLinks), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/group-visits/{id}/self-links")]
pub async fn group(who: SignedIn, id: web::Path<Uuid>, form: Json<GroupSelfLinksForm>) -> ApiResult<web::Json<GroupSelfLinks>> {
    let mut scope = who.scope().await?;
    let of = group_visits::lock(&mut scope, *id).await?;
    if of.closed_at.is_some() {
        return Err(InputError::new(Code::OutOfRange, "visit", "This group visit is over. Begin a new one.").into());
    }
    let members = groups::members(&mut scope, of.group).await?;
    let roll = group_visits::roll(&mut scope, of.id).await?;
    let mut links = GroupSelfLinks { made: Vec::new(), not_made: Vec::new() };
    let mut wanted = form.people.clone();
    wanted.sort_unstable();
    wanted.dedup();
    for person in wanted.into_iter().map(PersonId) {
        let member = members.iter().find(|m| m.person == person && m.left_on.is_none()).ok_or_else(ApiError::not_found)?;
        let line = roll.iter().find(|r| r.person == person);
        let mut no = |why: String| links.not_made.push(NotMade { person: person.0, name: member.name.clone(), why });
        if line.is_some_and(|l| l.presence == Presence::NotTesting) {
            no(format!("{} is not tested in this visit.", member.name));
            continue;
        }
        let own = line.and_then(|l| l.visit);
        let visit = match own {
            Some(own) => visits::lock(&mut scope, own).await?,
            // As it would be: it is stored only where a link can be made.
            None => Visit {
                id: Uuid::nil(),
                person,
                battery: of.battery.clone(),
                conditions: of.conditions.clone(),
                on: of.on,
                created_at: Utc::now(),
                closed_at: None,
            },
        };
        if let Some(why) = why_none(&mut scope, &visit, &member.set_up).await? {
            no(why.message);
            continue;
        }
        let visit = if own.is_some() {
            visit
        } else {
            if line.is_none() {
                group_visits::call(&mut scope, of.id, person, Presence::Absent, Some(AWAY)).await?;
            }
            let today = auth::today(&mut scope).await?;
            let own = own_visit(&mut scope, who.coach, &of, person, today).await?;
            visits::lock(&mut scope, own).await?
        };
        let link = make(&mut scope, who.coach, &visit, Uuid::now_v7(), form.days, member.set_up.clone()).await?;
        links.made.push(OneLink { person: person.0, name: member.name.clone(), path: link.path });
    }
    scope.commit().await?;
    Ok(web::Json(links))
}

/// Why there is no link to a visit.
async fn why_none(scope: &mut Scope, visit: &Visit, set_up: &Conditions) -> ApiResult<Option<InputError>> {
    if consents::lacks(scope, visit.person, ConsentKind::Testing).await? {
        let name = impulso_store::people::get(scope, visit.person).await?.profile.name;
        return Ok(Some(consent::missing(ConsentKind::Testing, &name)));
    }
    if visit.closed_at.is_some() {
        return Ok(Some(InputError::new(Code::OutOfRange, "visit", "This visit is over. Begin a new one.")));
    }
    if readiness::latest(scope, visit.person).await?.is_none() {
        let message = "Readiness was never asked. Ask it first: nobody is beside them when they test.";
        return Ok(Some(InputError::new(Code::MissingInput, "readiness", message)));
    }
    let of = Dossier::of(scope, visit.person).await?;
    let why_not: Option<Vec<String>> = FromAfar { of: &of, visit, set_up }.why_not(scope).await?.into_iter().collect();
    let first = why_not.and_then(|all| all.into_iter().next());
    Ok(first.map(|why| InputError::new(Code::NotApplicable, "visit", format!("None of these tests can be taken from afar. {why}"))))
}

/// The links of a visit, and what was sent by them.
#[utoipa::path(tag = "self", operation_id = "self_links_of_visit", responses((status = 200, body = FromAfarPage), (status = 404, body = ApiError)))]
#[get("/visits/{id}/self-links")]
pub async fn of_visit(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<FromAfarPage>> {
    let mut scope = who.scope().await?;
    let visit = visits::get(&mut scope, *id).await?;
    let links = self_entries::links(&mut scope, visit.id).await?;
    let mut sent: Vec<Sent> = self_entries::of_visit(&mut scope, visit.id).await?;
    sent.retain(|s| s.fate != Fate::Replaced);
    sent.reverse();
    let of = Dossier::of(&mut scope, visit.person).await?;
    let mut lines = Vec::new();
    for sent in &sent {
        lines.push(line(&mut scope, &of, &visit, sent, &links).await?);
    }
    let now = Utc::now();
    let links = links.into_iter().map(|l| SelfLinkLine {
        id: l.id,
        created_at: l.created_at,
        expires_at: l.expires_at,
        opens: l.withdrawn_at.is_none() && l.expires_at > now && visit.closed_at.is_none(),
    });
    Ok(web::Json(FromAfarPage { links: links.collect(), sent: lines }))
}

/// Everything that waits for a coach of the practice, the oldest first.
#[utoipa::path(tag = "self", operation_id = "self_links_waiting", responses((status = 200, body = Vec<SentLine>)))]
#[get("/self-entries")]
pub async fn waiting(who: SignedIn) -> ApiResult<web::Json<Vec<SentLine>>> {
    let mut scope = who.scope().await?;
    let sent: Vec<Sent> = self_entries::waiting(&mut scope, limits::COUNTED).await?;
    let mut lines = Vec::new();
    let mut known: Option<(Visit, Dossier, Vec<SelfLink>)> = None;
    for sent in &sent {
        if known.as_ref().is_none_or(|(visit, ..)| visit.id != sent.visit) {
            let visit = visits::get(&mut scope, sent.visit).await?;
            let of = Dossier::of(&mut scope, visit.person).await?;
            let links = self_entries::links(&mut scope, visit.id).await?;
            known = Some((visit, of, links));
        }
        if let Some((visit, of, links)) = &known {
            lines.push(line(&mut scope, of, visit, sent, links).await?);
        }
    }
    Ok(web::Json(lines))
}

/// What differs for whoever sent something, as their link has it.
fn set_up_of(links: &[SelfLink], sent: &Sent) -> Conditions {
    links.iter().find(|l| l.id == sent.link).map(|l| l.set_up.clone()).unwrap_or_default()
}

/// Something that was sent, as a coach looks at it.
async fn line(scope: &mut Scope, of: &Dossier, visit: &Visit, sent: &Sent, links: &[SelfLink]) -> ApiResult<SentLine> {
    let set_up = set_up_of(links, sent);
    let afar = FromAfar { of, visit, set_up: &set_up };
    let slot = visit.battery.tests.get(sent.place).ok_or_else(ApiError::not_found)?;
    let protocol = of.protocol(&slot.protocol);
    let mut shown = SentLine {
        id: sent.id,
        person: visit.person.0,
        name: of.person.profile.name.clone(),
        visit: visit.id,
        place: sent.place,
        test: visit::variant_name(protocol, slot),
        on: sent.on,
        sent_at: sent.sent_at,
        fate: sent.fate,
        reason: sent.reason.clone(),
        readings: Vec::new(),
        figures: Vec::new(),
        flags: Vec::new(),
        how: Vec::new(),
        remark: sent.typed.remark.clone(),
        before: None,
        wrong: None,
        old_mass: false,
    };
    // As if it were measured: the coach sees where it would stand.
    let result = match afar.result(scope, sent, TakenAs { compared: true, keep_mass: true }).await {
        Ok(mut result) => {
            result.done.conditions.remove(self_report::KEY);
            result
        }
        Err(e) if e.is_the_clients() => {
            shown.wrong = Some(e.message);
            return Ok(shown);
        }
        Err(e) => return Err(e),
    };
    let protocol = afar.protocol(sent.place)?;
    let audience = of.audience();
    let before: Vec<_> = of.tests().filter(|r| r.id != sent.id).collect();
    let known = scoring::known(scope, &[protocol]).await?;
    if let Some(seen) = Seen::of(sent.place, protocol, &result.done, &before, &known, &audience)? {
        let Row { figures, flags, .. } = seen.row();
        shown.figures = figures;
        shown.flags = flags;
        shown.how = seen.report.conditions;
    }
    shown.readings = reading::lines(protocol, &result.conditions, &result.inputs, audience.units);
    shown.how.retain(|h| !shown.readings.iter().any(|r| r.label == h.label));
    shown.before = last_as_here(slot, before.iter().copied()).and_then(|last| {
        let key = protocol.headline();
        let value = reading::said(protocol, &last.conditions, key, last.headline(protocol)?, audience.units);
        Some(format!("{value} on {}", last.on.format("%-d %B %Y")))
    });
    shown.old_mass = recording::is_old(scope, protocol, &result.facts, sent.on).await?;
    Ok(shown)
}

/// Decides about something that was sent.
#[utoipa::path(tag = "self", operation_id = "self_links_decide", responses((status = 200, body = SentLine), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError)))]
#[post("/self-entries/{id}/decision")]
pub async fn decide(who: SignedIn, id: web::Path<Uuid>, form: Json<SelfDecision>) -> ApiResult<web::Json<SentLine>> {
    let mut scope = who.scope().await?;
    // The visit first: whoever changes a visit takes it before what hangs on it.
    let whose = self_entries::visit_of(&mut scope, *id).await?;
    let visit = visits::lock(&mut scope, whose).await?;
    let mut sent: Sent = self_entries::lock(&mut scope, *id).await?;
    let of = Dossier::of(&mut scope, visit.person).await?;
    let links = self_entries::links(&mut scope, visit.id).await?;
    if sent.fate != Fate::Waiting {
        let message = match sent.fate {
            Fate::Replaced => "Something newer was sent in its place. Look at that.",
            _ => "This was decided on another screen already.",
        };
        return Err(ApiError::new(StatusCode::CONFLICT, "decided_elsewhere", message));
    }
    let subject = Subject::of("visit", visit.id, visit.person);
    match form.into_inner() {
        SelfDecision::Refuse { reason } => {
            let Some(reason) = text::note(&reason, "reason")? else {
                return Err(InputError::new(Code::MissingInput, "reason", "Give a reason. The client reads it.").into());
            };
            self_entries::decide(&mut scope, who.coach, sent.id, Some(&reason)).await?;
            audit::record(&mut scope, who.coach, Action::SelfEntryRefused, subject, json!({ "reason": reason })).await?;
            (sent.fate, sent.reason) = (Fate::Refused, Some(reason));
        }
        SelfDecision::Take(taken) => {
            let set_up = set_up_of(&links, &sent);
            let result = FromAfar { of: &of, visit: &visit, set_up: &set_up }.result(&mut scope, &sent, taken).await?;
            recording::keep(&mut scope, who.coach, &result).await?;
            visits::append(&mut scope, visit.id, sent.id, &VisitEvent::Done { place: sent.place, result: sent.id }).await?;
            self_entries::decide(&mut scope, who.coach, sent.id, None).await?;
            let detail = json!({ "compared": taken.compared });
            audit::record(&mut scope, who.coach, Action::SelfEntryTaken, subject, detail).await?;
            sent.fate = Fate::Taken;
        }
    }
    let shown = line(&mut scope, &of, &visit, &sent, &links).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// Withdraws a link.
#[utoipa::path(tag = "self", operation_id = "self_links_withdraw", responses((status = 204), (status = 404, body = ApiError)))]
#[delete("/self-links/{id}")]
pub async fn withdraw(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<HttpResponse> {
    let mut scope = who.scope().await?;
    self_entries::withdraw(&mut scope, *id).await?;
    audit::record(&mut scope, who.coach, Action::VisitSelfLinkWithdrawn, Subject::thing("self_link", *id), json!({})).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}
