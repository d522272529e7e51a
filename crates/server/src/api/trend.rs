//! How one measure has gone: its points, its measurement error, the goals it is about.

use actix_web::{get, web};
use impulso_core::{
    done::Done,
    goal::{Goal, Milestone, Way},
    life_event::LifeEvent,
    progress::{self, Audience, Progress, TrendPoint},
    quantity,
    typical_error::TypicalError,
    units::Units,
};
use impulso_store::{PersonId, goals, people, results};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    scoring,
    shelf::Shelf,
};

/// A measure over time.
#[derive(Serialize, ToSchema)]
pub struct TrendPage {
    /// Whose.
    pub person: Uuid,
    pub name: String,
    /// The protocol's id.
    pub protocol: String,
    /// Its display name.
    pub protocol_name: String,
    /// The quantity's key.
    pub quantity: String,
    /// What it is called.
    pub label: String,
    pub unit: String,
    /// Whether a smaller value is better.
    pub lower_is_better: bool,
    /// Oldest first.
    pub points: Vec<TrendPoint>,
    /// The measurement error of this measure.
    pub typical_error: Option<TypicalError>,
    /// Events in the client’s life.
    pub events: Vec<LifeEvent>,
    /// The change from first to now.
    pub progress: Option<Progress>,
    /// Goals of this measure, as lines.
    pub goals: Vec<GoalDrawn>,
    /// What the protocol gives besides: other quantities with a trend.
    pub quantities: Vec<QuantityName>,
    /// Which series it is of, where the test has several that are never held against each other: each lift, hold or source.
    pub series: Option<String>,
    /// A result of each other series, by its name.
    pub others: Vec<SeriesName>,
}

/// Another series of the same test.
#[derive(Serialize, ToSchema)]
pub struct SeriesName {
    pub name: String,
    /// A result of it.
    pub like: Uuid,
}

/// Which series.
#[derive(Deserialize, IntoParams)]
pub struct Like {
    /// A result of it; the series that was done last where nothing is said.
    pub like: Option<Uuid>,
}

/// A goal as a line on a trend.
#[derive(Serialize, ToSchema)]
pub struct GoalDrawn {
    /// How the client stands to it.
    pub way: Way,
    /// The same in a sentence.
    pub sentence: String,
    /// From where it began over its milestones to the goal.
    pub line: Vec<Milestone>,
}

/// A quantity by key and name.
#[derive(Serialize, ToSchema)]
pub struct QuantityName {
    pub key: String,
    /// What it is called.
    pub label: String,
}

/// How one measure has gone.
#[utoipa::path(tag = "results", operation_id = "results_trend", params(Like), responses((status = 200, body = TrendPage), (status = 404, body = ApiError)))]
#[get("/people/{id}/trend/{protocol}/{quantity}")]
pub async fn get(who: SignedIn, path: web::Path<(Uuid, String, String)>, query: web::Query<Like>) -> ApiResult<web::Json<TrendPage>> {
    let (id, protocol, key) = path.into_inner();
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&protocol)?;
    if !protocol.scoring.iter().any(|s| s.quantity == key) {
        return Err(ApiError::not_found());
    }
    let person = people::get(&mut scope, PersonId(id)).await?;
    let mut history = results::of_protocol(&mut scope, person.id, &protocol.id).await?;
    history.sort_by_key(|r| (r.taken_at, r.id));
    let own = scoring::own(&mut scope, protocol).await?;
    let units = person.profile.units;
    let audience = Audience { noted: scoring::noted(&mut scope, person.id).await?, units };
    let mut all = progress::series(protocol, history.iter().map(|r| &r.done));
    let wanted = query.like.and_then(|like| all.iter().position(|of| of.iter().any(|r| r.id == like)));
    let shown = match wanted {
        Some(k) => all.remove(k),
        None => all.pop().unwrap_or_default(),
    };
    let name = |of: &[&Done]| progress::series_name(protocol, &of.last()?.conditions);
    let others = all.iter().rev().filter_map(|of| Some(SeriesName { name: name(of)?, like: of.last()?.id })).collect();
    let tests = || shown.iter().copied();
    let latest = tests().rev().find(|r| r.value(&key).is_some());
    let typical_error = latest.and_then(|r| progress::typical_error(protocol, r, &key, Some(&own)));
    let points = progress::trend(protocol, &key, tests(), units);
    let latest_value = latest.and_then(|r| Some((r.on, r.value(&key)?)));
    let today = auth::today(&mut scope).await?;
    let goals = goals::of_person(&mut scope, person.id)
        .await?
        .into_iter()
        .filter(|(_, g)| g.protocol == protocol.id && g.quantity == key)
        .map(|(_, goal)| {
            let standing = goal.standing(latest_value, typical_error.as_ref(), today, units);
            GoalDrawn { way: standing.way, sentence: standing.sentence, line: line_in(&goal, units) }
        })
        .collect();
    Ok(web::Json(TrendPage {
        person: id,
        name: person.profile.name,
        protocol: protocol.id.clone(),
        protocol_name: protocol.name.clone(),
        label: quantity::label(&key).into_owned(),
        unit: quantity::in_units(&key, 0.0, units).1.to_owned(),
        lower_is_better: quantity::lower_is_better(&key),
        points,
        progress: latest
            .and_then(|r| progress::of_test(protocol, r, tests(), &key, typical_error.as_ref(), &audience))
            .map(|p| p.shown_in(units)),
        events: audience.noted,
        goals,
        typical_error: typical_error.map(|te| te.shown_in(&key, units)),
        quantities: protocol
            .scoring
            .iter()
            .rev()
            .map(|s| QuantityName { key: s.quantity.clone(), label: quantity::label(&s.quantity).into_owned() })
            .collect(),
        quantity: key,
        series: name(&shown),
        others,
    }))
}

/// A goal's line in the units a person thinks in.
fn line_in(goal: &Goal, units: Units) -> Vec<Milestone> {
    goal.line().into_iter().map(|m| Milestone { value: quantity::in_units(&goal.quantity, m.value, units).0, ..m }).collect()
}
