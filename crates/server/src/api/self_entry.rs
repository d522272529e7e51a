//! What a client who tests themselves sees and sends, by a link of their own and without an account.

use actix_web::{get, http::StatusCode, post, web};
use chrono::{DateTime, NaiveDate, Utc};
use impulso_core::{
    Code, InputError,
    battery::Slot,
    catalogue::Protocol,
    conditions::Conditions,
    inputs::Inputs,
    person::age_on,
    picture::BodyMap,
    reading::{self, ReadingLine},
    self_entry::{self, Fate, Standard},
    suitability, text,
    units::Units,
    visit::{self, VisitState},
};
use impulso_store::{
    PracticeId, Scope, Store, practices,
    self_entries::{self, SelfLink},
    visits::{self, Visit},
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::{
    from_afar::{FromAfar, SelfTyped, Sent, TakenAs},
    link_token,
    visits::equipment,
};
use crate::{ApiError, ApiResult, auth::Caller, body::Json, dossier::Dossier, keys, rate_limit::RateLimits};

/// The most that is sent for one visit, corrections among it.
const SENT_MAX: usize = 200;

/// A battery to be tested from afar.
#[derive(Serialize, ToSchema)]
pub struct SelfPage {
    pub name: String,
    /// Whose client.
    pub practice: String,
    pub battery_name: String,
    /// The practice's day.
    pub today: NaiveDate,
    /// The first day a test can have been done on.
    pub from: NaiveDate,
    /// Until when the link opens.
    pub expires_at: DateTime<Utc>,
    /// The visit is over: nothing more is taken.
    pub closed: bool,
    /// Units that numbers are shown and typed in.
    pub units: Units,
    /// What to set up.
    pub equipment: Vec<String>,
    /// What to keep in mind.
    pub cautions: Vec<String>,
    pub tests: Vec<SelfTest>,
}

/// A test to be taken from afar.
#[derive(Serialize, ToSchema)]
pub struct SelfTest {
    /// Its place in the battery.
    pub place: usize,
    pub name: String,
    /// Why nothing can be typed for it.
    pub why_not: Option<String>,
    /// Whether something may be sent for it.
    pub open: bool,
    /// What was sent last.
    pub sent: Option<SentState>,
    pub protocol: Protocol,
    /// The inputs that are taken, by key.
    pub takes: Vec<String>,
    /// Answers to start from.
    #[schema(value_type = std::collections::BTreeMap<String, impulso_core::run::event::Answer>)]
    pub suggested: Conditions,
    /// Those of them that are fixed.
    pub fixed: Vec<String>,
    pub standard: Standard,
    /// Where on the body its readings are taken.
    pub body_map: Option<BodyMap>,
}

/// What became of something that was sent.
#[derive(Serialize, ToSchema)]
pub struct SentState {
    pub id: Uuid,
    pub on: NaiveDate,
    pub sent_at: DateTime<Utc>,
    pub fate: Fate,
    /// Why it was refused.
    pub reason: Option<String>,
    pub typed: SelfTyped,
    /// What was typed, in words.
    pub readings: Vec<ReadingLine>,
}

/// What a client sends of a test.
#[derive(Deserialize, ToSchema)]
pub struct SelfForm {
    /// Made by the screen: the same again is the same. It is kept under a key of the server's own.
    pub id: Uuid,
    pub place: usize,
    /// The day it was done.
    pub on: NaiveDate,
    /// What this screen knew to be sent for the test.
    pub seen: Option<Uuid>,
    /// The client felt well and none of the cautions held.
    #[serde(default)]
    pub well: bool,
    #[serde(flatten)]
    pub typed: SelfTyped,
}

/// The page of whoever has the link.
#[utoipa::path(tag = "self", operation_id = "self_entry_get", params(("token" = String, Path)), responses((status = 200, body = SelfPage), (status = 404, body = ApiError), (status = 429, body = ApiError)))]
#[get("/self/{token}")]
pub async fn get(
    token: web::Path<String>,
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    caller: Caller,
) -> ApiResult<web::Json<SelfPage>> {
    let (practice, link) = opened(&store, &token, &rates, &caller).await?;
    let mut scope = store.scope(practice).await?;
    let visit = visits::get(&mut scope, link.visit).await?;
    let of = Dossier::of(&mut scope, visit.person).await?;
    Ok(web::Json(page(&mut scope, &of, &link, &visit).await?))
}

/// Keeps what a client sends of a test, for the coach to look at.
#[utoipa::path(tag = "self", operation_id = "self_entry_send", params(("token" = String, Path)), responses((status = 200, body = SelfPage), (status = 404, body = ApiError), (status = 409, body = ApiError), (status = 422, body = ApiError), (status = 429, body = ApiError)))]
#[post("/self/{token}/entries")]
pub async fn send(
    token: web::Path<String>,
    store: web::Data<Store>,
    rates: web::Data<RateLimits>,
    caller: Caller,
    form: Json<SelfForm>,
) -> ApiResult<web::Json<SelfPage>> {
    let (practice, link) = opened(&store, &token, &rates, &caller).await?;
    let form = form.into_inner();
    let id = own_key(&link, form.id);
    let mut scope = store.scope(practice).await?;
    // Two phones with one link: whoever comes second sees what the first one sent.
    let visit = visits::lock(&mut scope, link.visit).await?;
    let of = Dossier::of(&mut scope, visit.person).await?;
    let all: Vec<Sent> = self_entries::of_visit(&mut scope, visit.id).await?;
    if all.iter().any(|s| s.id == id) {
        return Ok(web::Json(page(&mut scope, &of, &link, &visit).await?));
    }
    let refuse = |field: &str, message: &str| Err::<(), ApiError>(InputError::new(Code::OutOfRange, field, message).into());
    if visit.closed_at.is_some() {
        refuse("visit", "Your coach has closed this visit. Ask for a new link.")?;
    }
    if all.len() >= SENT_MAX {
        refuse("place", "No more can be sent with this link. Ask your coach for a new one.")?;
    }
    let afar = FromAfar { of: &of, visit: &visit, set_up: &link.set_up };
    let Some(why_not) = afar.why_not(&mut scope).await?.into_iter().nth(form.place) else { return Err(ApiError::not_found()) };
    if let Some(why) = why_not {
        refuse("place", &why)?;
    }
    if !form.well {
        refuse(
            "well",
            "Test yourself only when you feel well and nothing on the list applies to you. Otherwise rest, and tell your coach.",
        )?;
    }
    if form.on < visit.on {
        refuse("on", "That day is before your coach sent this link. Type the day the test was done.")?;
    }
    let latest = all.iter().rfind(|s| s.place == form.place);
    let stand = state_of(&mut scope, &visit).await?.places.get(form.place).map(|p| p.stand).unwrap_or_default();
    self_entry::may_send(latest.map(|s| s.fate), stand)?;
    // A screen may name it by the key that it sent, or by the one it was kept under.
    let knows = |sent: Uuid| form.seen.is_some_and(|seen| sent == seen || sent == own_key(&link, seen));
    if latest.map_or(form.seen.is_some(), |s| !knows(s.id)) {
        let message = "This test was sent from another screen meanwhile. Look at what was sent, then send yours if it is the right one.";
        return Err(ApiError::new(StatusCode::CONFLICT, "sent_elsewhere", message));
    }
    let typed = SelfTyped { remark: text::note(&form.typed.remark, "remark")?.unwrap_or_default(), ..form.typed };
    let sent = Sent {
        id,
        link: link.id,
        visit: visit.id,
        place: form.place,
        on: form.on,
        typed,
        sent_at: Utc::now(),
        fate: Fate::Waiting,
        reason: None,
    };
    // What cannot be a result is said to whoever can put it right.
    afar.result(&mut scope, &sent, TakenAs { compared: false, keep_mass: true }).await?;
    self_entries::send(&mut scope, &sent).await?;
    let shown = page(&mut scope, &of, &link, &visit).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// The key under which something is kept that a client sent by a link. A result will have it one day, and no client may choose a key that
/// the practice already uses.
fn own_key(link: &SelfLink, sent: Uuid) -> Uuid {
    keys::derived("self entry", &[link.id, sent])
}

/// What a token opens, while its link holds.
async fn opened(store: &Store, token: &str, rates: &RateLimits, caller: &Caller) -> ApiResult<(PracticeId, SelfLink)> {
    rates.code.count(&caller.0)?;
    link_token::known(self_entries::open(store, &link_token::hash(token)).await?, rates, caller)
}

/// Where the tests of a visit stand.
async fn state_of(scope: &mut Scope, visit: &Visit) -> ApiResult<VisitState> {
    let events = visits::events(scope, visit.id).await?;
    Ok(visit::fold(&visit.battery, events.iter().map(|(h, _)| h)))
}

/// The inputs that are asked: those that are taken, and not fixed by the battery nor left out by a way that it fixed.
fn takes(protocol: &Protocol, slot: &Slot) -> Vec<String> {
    let asked = protocol.inputs.iter().filter(|i| i.is_taken(&slot.takes) && protocol.is_agreed(i, &slot.given));
    asked.map(|i| i.key.clone()).filter(|key| !slot.given.contains_key(key)).collect()
}

async fn page(scope: &mut Scope, of: &Dossier, link: &SelfLink, visit: &Visit) -> ApiResult<SelfPage> {
    let afar = FromAfar { of, visit, set_up: &link.set_up };
    let why_not = afar.why_not(scope).await?;
    let all: Vec<Sent> = self_entries::of_visit(scope, visit.id).await?;
    let state = state_of(scope, visit).await?;
    let mut tests = Vec::new();
    for (place, why_not) in why_not.into_iter().enumerate() {
        let slot = &visit.battery.tests[place];
        let Ok(protocol) = afar.protocol(place) else { continue };
        let suggested = afar.conditions(place, protocol, &Conditions::new());
        let latest = all.iter().rfind(|s| s.place == place);
        let stand = state.places.get(place).map(|p| p.stand).unwrap_or_default();
        let may_send = self_entry::may_send(latest.map(|s| s.fate), stand);
        tests.push(SelfTest {
            place,
            name: visit::variant_name(Some(protocol), slot),
            open: why_not.is_none() && may_send.is_ok() && visit.closed_at.is_none(),
            // Who was taken in knows it from what they sent.
            why_not: why_not.or_else(|| may_send.err().filter(|_| latest.is_none()).map(|e| e.message)),
            sent: latest.map(|s| SentState {
                id: s.id,
                on: s.on,
                sent_at: s.sent_at,
                fate: s.fate,
                reason: s.reason.clone(),
                typed: s.typed.clone(),
                readings: {
                    let inputs: Inputs = s.typed.inputs.clone().into_iter().collect();
                    reading::lines(protocol, &afar.conditions(place, protocol, &s.typed.conditions), &inputs, of.person.profile.units)
                },
            }),
            takes: takes(protocol, slot),
            fixed: slot.given.keys().cloned().collect(),
            standard: Standard::of(protocol, &suggested),
            body_map: protocol.body_map(),
            suggested,
            protocol: protocol.clone(),
        });
    }
    let protocols = || tests.iter().filter(|t| t.why_not.is_none()).map(|t| &t.protocol);
    let age = age_on(of.person.profile.born, of.today).ok();
    Ok(SelfPage {
        practice: practices::get(scope).await?.name,
        battery_name: visit.battery.name.clone(),
        today: of.today,
        from: visit.on,
        expires_at: link.expires_at,
        closed: visit.closed_at.is_some(),
        units: of.person.profile.units,
        equipment: equipment(protocols()),
        cautions: suitability::cautions(protocols(), age),
        name: of.person.profile.name.clone(),
        tests,
    })
}
