//! The best VO2max of a client from several methods.

use actix_web::{get, web};
use chrono::NaiveDate;
use impulso_core::{
    Code, InputError,
    combined::{self, BestPoint, Combined, Entry},
    life_event::LifeEvent,
};
use impulso_store::PersonId;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::{ApiError, ApiResult, auth::SignedIn, dossier::Dossier};

/// The best VO2max of a client, what went into it, and how it has gone.
#[derive(Serialize, ToSchema)]
pub struct BestPage {
    /// Whose.
    pub person: Uuid,
    pub name: String,
    /// The window that was asked for.
    pub combined: Combined,
    /// The best value of each day on which something was taken, earliest first.
    pub trend: Vec<BestPoint>,
    /// Every day on which something was taken, latest first: a window may end on each.
    pub days: Vec<NaiveDate>,
    /// Events in the client’s life.
    pub events: Vec<LifeEvent>,
}

/// Which window.
#[derive(Deserialize, IntoParams)]
pub struct Window {
    /// How many weeks, 1 to 52; 8 where nothing is said.
    pub weeks: Option<u32>,
    /// Its last day; the day of the latest VO2max where nothing is said.
    pub until: Option<NaiveDate>,
}

/// What a client's tests say of their VO2max, by the practice's protocols, earliest first.
pub fn entries(of: &Dossier) -> Vec<Entry> {
    of.tests().filter(|done| done.may_score()).filter_map(|done| Entry::of(of.protocol(&done.protocol_id)?, done)).collect()
}

/// The window's best value where nothing is said: of the usual weeks up to the latest VO2max.
pub fn latest(entries: &[Entry], today: NaiveDate) -> Combined {
    combined::combine(entries, entries.iter().map(|e| e.on).max().unwrap_or(today), combined::WEEKS)
}

/// The best VO₂max from several methods.
#[utoipa::path(tag = "results", operation_id = "results_best_vo2max", params(Window), responses((status = 200, body = BestPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[get("/people/{id}/vo2max")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>, window: web::Query<Window>) -> ApiResult<web::Json<BestPage>> {
    let weeks = window.weeks.unwrap_or(combined::WEEKS);
    if !(1..=combined::WEEKS_MAX).contains(&weeks) {
        let message = format!("Choose a window of 1 to {} weeks.", combined::WEEKS_MAX);
        return Err(InputError::new(Code::OutOfRange, "weeks", message).into());
    }
    let mut scope = who.scope().await?;
    let of = Dossier::of(&mut scope, PersonId(*id)).await?;
    let entries = entries(&of);
    let mut days: Vec<NaiveDate> = entries.iter().map(|e| e.on).collect();
    days.sort_unstable_by(|a, b| b.cmp(a));
    days.dedup();
    let until = window.until.or_else(|| days.first().copied()).unwrap_or(of.today);
    Ok(web::Json(BestPage {
        person: *id,
        name: of.person.profile.name.clone(),
        combined: combined::combine(&entries, until, weeks),
        trend: combined::trend(&entries, weeks),
        days,
        events: of.events(),
    }))
}
