//! A battery over all its dates: a small picture for each measure.

use actix_web::{get, web};
use chrono::NaiveDate;
use impulso_core::{
    catalogue::{self, Protocol},
    done::Done,
    goal::Goal,
    life_event::LifeEvent,
    progress::{self, TrendPoint},
    quantity,
    visit::{self, Same, VisitEvent, fold},
};
use impulso_store::{
    PersonId, Scope, goals,
    visits::{self, Visit},
};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{ApiError, ApiResult, auth::SignedIn, dossier::Dossier, scoring, visiting};

/// A battery over all its dates.
#[derive(Serialize, ToSchema)]
pub struct HistoryPage {
    /// Whose.
    pub person: Uuid,
    pub name: String,
    pub battery_name: String,
    /// The days it was done, oldest first.
    pub days: Vec<NaiveDate>,
    /// Its measures, in the battery's order.
    pub lines: Vec<HistoryLine>,
    /// Events in the client’s life.
    pub events: Vec<LifeEvent>,
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
    pub unit: String,
    /// Whether a smaller value is better.
    pub lower_is_better: bool,
    /// Oldest first.
    pub points: Vec<TrendPoint>,
    /// The smallest change that is clear, in the unit.
    pub detectable: Option<f64>,
    /// What is aimed at, in the unit, where a goal is open.
    pub target: Option<f64>,
    /// What became of it since the first time, in a sentence.
    pub sentence: Option<String>,
}

/// A battery over all its dates.
#[utoipa::path(tag = "visits", operation_id = "visits_history", responses((status = 200, body = HistoryPage), (status = 404, body = ApiError)))]
#[get("/people/{id}/history/{battery}")]
pub async fn history(who: SignedIn, path: web::Path<(Uuid, String)>) -> ApiResult<web::Json<HistoryPage>> {
    let (id, battery) = path.into_inner();
    let mut scope = who.scope().await?;
    let of = Dossier::of(&mut scope, PersonId(id)).await?;
    let (days, lines) = over_time(&mut scope, &of, &battery, None).await?;
    if days.is_empty() {
        return Err(ApiError::not_found());
    }
    Ok(web::Json(HistoryPage {
        person: id,
        name: of.person.profile.name.clone(),
        battery_name: of.shelf.name(&battery),
        days,
        lines,
        events: of.events(),
    }))
}

/// The days a battery was done, oldest first, and its measures over them; of some places `only`, and until a visit.
pub async fn over_time(
    scope: &mut Scope,
    of: &Dossier,
    battery: &str,
    until: Option<(&Visit, &[usize])>,
) -> ApiResult<(Vec<NaiveDate>, Vec<HistoryLine>)> {
    let (Dossier { shelf, .. }, person) = (of, of.person.id);
    let mut done = visits::of_battery(scope, person, battery).await?;
    done.retain(|v| until.is_none_or(|(last, _)| v.created_at <= last.created_at));
    done.reverse();
    let Some(latest) = done.last().cloned() else { return Ok((Vec::new(), Vec::new())) };
    let events = visits::events_of_battery(scope, person, battery).await?;
    // What each visit came to, by the battery as it was on its day: the best try of each place.
    let mut reached: Vec<(Same, Uuid)> = Vec::new();
    for visit in &done {
        let events: Vec<&VisitEvent> = events.iter().filter(|(of, _)| *of == visit.id).map(|(_, h)| h).collect();
        let state = fold(&visit.battery, events);
        for (k, best) in visiting::counted(visit, &state, of).into_iter().enumerate() {
            reached.extend(best.map(|r| (Same::of(&visit.battery, k), r.id)));
        }
    }
    let audience = of.audience();
    let said = |key: &str, value: f64| quantity::in_units(key, value, audience.units);
    let protocols: Vec<&Protocol> = latest.battery.tests.iter().filter_map(|p| shelf.find(&p.protocol).ok()).collect();
    let known = scoring::known(scope, &protocols).await?;
    let aims: Vec<Goal> = goals::of_person(scope, person).await?.into_iter().map(|(_, g)| g).filter(|g| g.reached_on.is_none()).collect();
    let mut lines = Vec::new();
    for (k, place) in latest.battery.tests.iter().enumerate() {
        if until.is_some_and(|(_, only)| !only.contains(&k)) {
            continue;
        }
        let Ok(protocol) = shelf.find(&place.protocol) else { continue };
        let same = Same::of(&latest.battery, k);
        let own: Vec<&Done> = of.tests().filter(|r| reached.iter().any(|(s, id)| *s == same && *id == r.id)).collect();
        for scored in progress::followed(protocol, own.last().copied()) {
            let key = &scored.quantity;
            let Some(now) = own.iter().rev().find(|r| r.value(key).is_some()) else { continue };
            let error = progress::typical_error(protocol, now, key, known.get(&protocol.id));
            let gone = progress::of_test(protocol, now, own.iter().copied(), key, error.as_ref(), &audience);
            lines.push(HistoryLine {
                protocol: protocol.id.clone(),
                name: visit::variant_name(Some(protocol), place),
                section: catalogue::section_name(&protocol.section).to_owned(),
                label: quantity::label(key).into_owned(),
                unit: said(key, 0.0).1.to_owned(),
                lower_is_better: quantity::lower_is_better(key),
                points: progress::trend(protocol, key, own.iter().copied(), audience.units),
                target: aims.iter().find(|g| g.protocol == protocol.id && g.quantity == *key).map(|g| said(key, g.to).0),
                detectable: error.map(|e| said(key, e.detectable).0),
                sentence: gone.and_then(|p| p.since_first.or(p.since_last)).map(|c| c.sentence),
                quantity: key.clone(),
            });
        }
    }
    Ok((done.iter().map(|v| v.on).collect(), lines))
}
