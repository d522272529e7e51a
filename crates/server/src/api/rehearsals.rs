//! Rehearsals: a run on a simulated client, and the simulated strap that goes with it. Nothing here touches a record.

use actix_web::{get, post, web};
use chrono::Utc;
use impulso_core::{
    Code, InputError,
    catalogue::Protocol,
    rehearse::{self, Exertion, Lift, SimulatedRunner},
    run::{Setup, view::Rehearsal},
    simulate::{Client, EXACT_MAX, Fault},
    strap_bytes,
};
use impulso_store::{
    RunId,
    runs::{self, NewPerformer, NewRun},
};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::{
    ApiError, ApiResult,
    auth::SignedIn,
    body::Json,
    settings::ClockRate,
    shelf::Shelf,
    view::{self, RunView, view},
};

/// The speeds a rehearsal runs at.
const RATES: [f64; 3] = [1.0, 2.0, 4.0];
/// The most seconds of strap handed over at once.
const FRAMES_MAX: u32 = 120;

/// A rehearsal to set up.
#[derive(Deserialize, ToSchema)]
pub struct RehearsalForm {
    /// Made by the screen.
    pub id: Uuid,
    /// The protocol's id.
    pub protocol: String,
    /// 1, 2 or 4.
    pub rate: f64,
    /// What may go wrong.
    #[serde(default)]
    pub faults: Vec<FaultKind>,
    /// The same seed is the same client; another one each time where absent.
    pub seed: Option<u32>,
}

/// Something to notice.
#[derive(Deserialize, Serialize, ToSchema, Clone, Copy, PartialEq, Eq)]
#[serde(rename_all = "snake_case")]
pub enum FaultKind {
    /// The cadence drifts.
    Cadence,
    /// The strap drops out.
    Strap,
    /// The heart rate does not settle.
    Settle,
    /// The client reports dizziness.
    Dizzy,
}

/// What the simulated client and the strap gave since the last question.
#[derive(Serialize, ToSchema)]
pub struct Simulated {
    /// Notifications, oldest first.
    pub frames: Vec<Frame>,
    /// What an assessor sees and hears, oldest first.
    pub seen: Vec<Seen>,
    /// How fast the feet or pedals go, beats a minute, where there is a beat.
    pub cadence: Option<f64>,
    /// How many of what is counted with the key the client does in a minute: knee lifts; nothing where laps are counted.
    pub tally: Option<f64>,
    /// Beats a minute of the pulse under the fingers, now.
    pub pulse: f64,
    /// What the body does in a test of attempts.
    pub exertion: Exertion,
}

/// A notification of the simulated strap.
#[derive(Serialize, ToSchema)]
pub struct Frame {
    /// When, ms of the run's clock.
    pub at_ms: f64,
    /// The bytes as hexadecimal digits, as a real one would send them.
    pub bytes: String,
}

/// Something to see or hear.
#[derive(Serialize, ToSchema)]
pub struct Seen {
    /// When, ms of the run's clock.
    pub at_ms: f64,
    /// What.
    pub what: String,
}

/// Since when.
#[derive(Deserialize, IntoParams)]
pub struct Since {
    /// The last second that is known, of the run's clock; nothing at the start.
    pub after_s: Option<u32>,
}

/// Sets a rehearsal up.
#[utoipa::path(tag = "rehearsals", operation_id = "rehearsals_create", responses((status = 200, body = RunView), (status = 422, body = ApiError)))]
#[post("/rehearsals")]
pub async fn create(who: SignedIn, form: Json<RehearsalForm>, rate: web::Data<ClockRate>) -> ApiResult<web::Json<RunView>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&form.protocol)?;
    if !rehearse::is_rehearsed(protocol) {
        return Err(InputError::new(
            Code::NotApplicable,
            "protocol",
            format!("There is no simulated client for this test: {} is practised on a colleague.", protocol.name),
        )
        .into());
    }
    if !RATES.contains(&form.rate) {
        return Err(InputError::new(Code::OutOfRange, "rate", "A rehearsal runs at normal speed, twice or four times as fast.").into());
    }
    let seed = form.seed.map_or_else(|| form.id.as_u128() as u64 % EXACT_MAX, u64::from);
    let mut client = Client::from_seed(seed);
    client.faults = faults(&form.faults, seed);
    let setup = rehearse::setup(protocol, &client);
    let performers = performers(protocol, setup);
    let rehearsal = runs::keep_rehearsal(&Rehearsal { client, rate: form.rate })?;
    let new = NewRun {
        id: RunId(form.id),
        protocol,
        performers: &performers,
        overrule_reason: None,
        rehearsal: Some(&rehearsal),
        join_code: None,
        set_up_at: Utc::now(),
    };
    runs::create(&mut scope, who.coach, &new).await?;
    let run = runs::get(&mut scope, RunId(form.id)).await?;
    let shown = view(&mut scope, run, **rate).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// Who is simulated: one client, or a squad where a test is run to beeps.
fn performers(protocol: &Protocol, setup: Setup) -> Vec<NewPerformer> {
    let of = |name: &str, setup: Setup| NewPerformer { person: None, name: name.to_owned(), setup, visit: None };
    if protocol.schedule().is_none() {
        return vec![of("Simulated client", setup)];
    }
    rehearse::squad::NAMES.iter().map(|name| of(name, Setup { together: true, ..setup.clone() })).collect()
}

/// When what was chosen happens: in the first stages, and not always at the same second.
fn faults(chosen: &[FaultKind], seed: u64) -> Vec<Fault> {
    let later = (seed % 30) as f64;
    chosen
        .iter()
        .map(|kind| match kind {
            FaultKind::Strap => Fault::StrapDropsOut { from_s: 100.0 + later / 3.0, until_s: 140.0 + later / 3.0 },
            FaultKind::Settle => Fault::DoesNotSettle { from_s: 110.0, until_s: 210.0 },
            FaultKind::Cadence => Fault::CadenceDrifts { from_s: 60.0 + later, until_s: 85.0 + later },
            FaultKind::Dizzy => Fault::Dizzy { at_s: 250.0 + 2.0 * later },
        })
        .collect()
}

/// What happened since a second: the strap's notifications up to now, and what there is to see.
#[utoipa::path(tag = "rehearsals", operation_id = "rehearsals_simulated", params(Since), responses((status = 200, body = Simulated), (status = 404, body = ApiError)))]
#[get("/rehearsals/{id}/simulated")]
pub async fn simulated(
    who: SignedIn,
    id: web::Path<Uuid>,
    since: web::Query<Since>,
    rate: web::Data<ClockRate>,
) -> ApiResult<web::Json<Simulated>> {
    let mut scope = who.scope().await?;
    let run = runs::get(&mut scope, RunId(*id)).await?;
    let kept = view::rehearsal(&run)?.ok_or_else(ApiError::not_found)?;
    let events = runs::events(&mut scope, run.id).await?;
    let (Some(state), Some(performer)) = (view::facts(&run, **rate)?.state_of(&events, 0), run.performers.first()) else {
        return Err(ApiError::not_found());
    };
    let asked = rehearse::demands(&run.protocol, &performer.setup, &kept.client, &state);
    // The run's clock passes faster than the wall's; its zero is the moment of the set-up.
    let rate = rate.0 * kept.rate;
    let now = run.created_at + (Utc::now() - run.created_at) * (rate as i32);
    let elapsed_s = state.started_at.map(|start| (now - start).num_milliseconds() as f64 / 1000.0).filter(|_| !state.is_closed());
    let from = since.after_s.map_or(0, |s| s + 1);
    let until = elapsed_s.map_or(0, |s| s.max(0.0).floor() as u32 + 1);
    let frames = (from..until.min(from.saturating_add(FRAMES_MAX)))
        .map(|second| Frame {
            at_ms: f64::from(second) * 1000.0,
            bytes: strap_bytes::to_hex(&strap_bytes::encode(&kept.client.strap(&asked, second))),
        })
        .collect();
    let at_s = elapsed_s.unwrap_or(0.0);
    let seen = rehearse::seen(&run.protocol, &kept.client, &state, at_s)
        .into_iter()
        .filter(|(at, _)| since.after_s.is_none_or(|after| *at > f64::from(after)))
        .map(|(at, what)| Seen { at_ms: at * 1000.0, what })
        .collect();
    Ok(web::Json(Simulated {
        frames,
        seen,
        cadence: performer.setup.cadence.map(|c| kept.client.cadence(c.value(), at_s)),
        tally: rehearse::tally_a_minute(&run.protocol, &kept.client),
        pulse: kept.client.heart_rate(&asked, at_s).round(),
        exertion: rehearse::exertion(&run.protocol, &kept.client, &state),
    }))
}

/// How a simulated squad runs: when each runner reaches each line. It is asked for once.
#[utoipa::path(tag = "rehearsals", operation_id = "rehearsals_squad", responses((status = 200, body = [SimulatedRunner]), (status = 404, body = ApiError)))]
#[get("/rehearsals/{id}/squad")]
pub async fn squad(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<Vec<SimulatedRunner>>> {
    let mut scope = who.scope().await?;
    let run = runs::get(&mut scope, RunId(*id)).await?;
    let kept = view::rehearsal(&run)?.ok_or_else(ApiError::not_found)?;
    let (schedule, first) = run.protocol.schedule().zip(run.performers.first()).ok_or_else(ApiError::not_found)?;
    let beeps = schedule.beeps(first.setup.start_kmh())?;
    let runners = u16::try_from(run.performers.len()).unwrap_or(u16::MAX);
    Ok(web::Json(rehearse::squad(&run.protocol, &beeps, runners, kept.client.seed)))
}

/// A load that the simulated client tries.
#[derive(Deserialize, IntoParams)]
pub struct LoadQuery {
    pub load_kg: f64,
}

/// How the next lift goes: what is seen, for the assessor to judge.
#[utoipa::path(tag = "rehearsals", operation_id = "rehearsals_lift", params(LoadQuery), responses((status = 200, body = Lift), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[get("/rehearsals/{id}/lift")]
pub async fn lift(who: SignedIn, id: web::Path<Uuid>, query: web::Query<LoadQuery>) -> ApiResult<web::Json<Lift>> {
    let mut scope = who.scope().await?;
    let run = runs::get(&mut scope, RunId(*id)).await?;
    let kept = view::rehearsal(&run)?.ok_or_else(ApiError::not_found)?;
    if !(query.load_kg > 0.0 && query.load_kg <= 1000.0) {
        return Err(InputError::new(Code::OutOfRange, "load_kg", "Type the load in kilograms, 1 to 1000.").into());
    }
    let events = runs::events(&mut scope, run.id).await?;
    let state = view::facts(&run, ClockRate(1.0))?.state_of(&events, 0).ok_or_else(ApiError::not_found)?;
    let before = state.sheet().and_then(|s| s.rows.first()).map_or(0, |r| r.cells.len());
    Ok(web::Json(rehearse::exert::lift(&kept.client, before, query.load_kg)))
}
