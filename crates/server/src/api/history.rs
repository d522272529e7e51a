//! A battery over all its dates: a small picture for each measure.

use std::collections::BTreeSet;

use actix_web::{get, web};
use chrono::NaiveDate;
use impulso_core::{
    catalogue::{self, Protocol},
    change::TypicalError,
    happening::Happening,
    quantity,
    visit::{Happened, fold},
};
use impulso_store::{
    PersonId, people,
    results::{self, Stored},
    visits,
};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::results::{TrendPoint, points};
use crate::{ApiError, ApiResult, auth::SignedIn, scoring, shelf::Shelf, visiting};

/// A battery over all its dates.
#[derive(Serialize, ToSchema)]
pub struct HistoryPage {
    /// Whose.
    pub person: Uuid,
    /// Their name.
    pub name: String,
    /// The battery.
    pub battery_name: String,
    /// The days it was done, oldest first.
    pub days: Vec<NaiveDate>,
    /// Its measures, in the battery's order.
    pub lines: Vec<HistoryLine>,
    /// What happened along the way.
    pub happenings: Vec<Happening>,
}

/// A measure over the visits.
#[derive(Serialize, ToSchema)]
pub struct HistoryLine {
    /// The test.
    pub protocol: String,
    /// What it is called, with the battery's variant.
    pub name: String,
    /// The part of the library it stands in.
    pub section: String,
    /// The measure.
    pub quantity: String,
    /// What it is called.
    pub label: String,
    /// Its unit.
    pub unit: String,
    /// Whether a smaller value is better.
    pub lower_is_better: bool,
    /// Oldest first.
    pub points: Vec<TrendPoint>,
    /// The smallest change that is clear, in the unit.
    pub detectable: Option<f64>,
    /// What became of it since the first time, in a sentence.
    pub sentence: Option<String>,
}

/// A battery over all its dates.
#[utoipa::path(tag = "visits", operation_id = "visits_history", responses((status = 200, body = HistoryPage), (status = 404, body = ApiError)))]
#[get("/people/{id}/history/{battery}")]
pub async fn history(who: SignedIn, path: web::Path<(Uuid, String)>) -> ApiResult<web::Json<HistoryPage>> {
    let (id, battery) = path.into_inner();
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let person = people::get(&mut scope, PersonId(id)).await?;
    let mut done = visits::of_battery(&mut scope, person.id, &battery).await?;
    done.reverse();
    let Some(latest) = done.last().cloned() else { return Err(ApiError::not_found()) };
    let happened = visits::events_of_battery(&mut scope, person.id, &battery).await?;
    // What each visit came to, by the battery as it was on its day.
    let mut of_visits: BTreeSet<Uuid> = BTreeSet::new();
    for visit in &done {
        let events: Vec<&Happened> = happened.iter().filter(|(of, _)| *of == visit.id).map(|(_, h)| h).collect();
        of_visits.extend(fold(&visit.battery, events).places.iter().filter_map(|p| p.result));
    }
    let all = results::of_person(&mut scope, person.id).await?;
    let noted = scoring::noted(&mut scope, person.id).await?;
    let protocols: Vec<&Protocol> = latest.battery.tests.iter().filter_map(|p| shelf.find(&p.protocol).ok()).collect();
    let known = scoring::known(&mut scope, &protocols).await?;
    let mut lines = Vec::new();
    let mut seen: BTreeSet<&str> = BTreeSet::new();
    for place in &latest.battery.tests {
        let Ok(protocol) = shelf.find(&place.protocol) else { continue };
        if !seen.insert(&protocol.id) {
            continue;
        }
        let own: Vec<Stored> = all.iter().filter(|r| r.protocol_id == protocol.id && of_visits.contains(&r.id.0)).cloned().collect();
        let followed = protocol.scoring.iter().rev().filter(|s| !s.in_detail && protocol.change_rule(&s.quantity).is_some());
        for scored in followed.filter(|s| own.iter().any(|r| r.computed.contains_key(&s.quantity))) {
            let key = &scored.quantity;
            let now = own.iter().rev().find(|r| r.computed.contains_key(key));
            let error = now.and_then(|r| {
                let own = known.get(&protocol.id).and_then(|of| of.get(key)).cloned().unwrap_or_default();
                TypicalError::best(&scoring::trial(protocol, r), key, r.computed.get(key).copied(), &own)
            });
            let progress = now.and_then(|r| scoring::progress(protocol, r, &own, key, error.as_ref(), &noted));
            lines.push(HistoryLine {
                protocol: protocol.id.clone(),
                name: visiting::variant_name(Some(protocol), place),
                section: catalogue::section_name(&protocol.section).to_owned(),
                label: quantity::label(key).into_owned(),
                unit: quantity::unit_shown(key).to_owned(),
                lower_is_better: protocol.change_rule(key).is_some_and(|r| r.lower_is_better),
                points: points(protocol, key, &own),
                detectable: error.map(|e| e.detectable),
                sentence: progress.and_then(|p| p.since_first.or(p.since_last)).map(|c| c.sentence),
                quantity: key.clone(),
            });
        }
    }
    Ok(web::Json(HistoryPage {
        person: id,
        name: person.profile.name,
        battery_name: shelf.name(&battery),
        days: done.iter().map(|v| v.on).collect(),
        lines,
        happenings: noted,
    }))
}
