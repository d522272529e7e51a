//! The 2000 m rowing time that a known VO2max suggests.

use actix_web::{get, web};
use impulso_core::{
    catalogue::Protocol,
    inputs::Inputs,
    person::{Facts, Sex},
    quantity, test_record,
    units::BodyMass,
};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

use crate::{ApiError, ApiResult, auth::SignedIn};

/// A rower and a VO2max that is known.
#[derive(Deserialize, IntoParams)]
pub struct InverseQuery {
    /// mL/kg/min.
    pub vo2max: f64,
    /// Body mass, kg.
    pub mass_kg: f64,
    /// Sex as the equation uses it.
    pub sex: Sex,
    /// Whether the client rows regularly.
    pub trained: bool,
}

/// What a known VO2max suggests.
#[derive(Serialize, ToSchema)]
pub struct Suggested {
    /// The 2000 m time, s.
    pub time_s: f64,
    pub sentence: String,
    /// The equation with the numbers in it.
    pub working: String,
}

/// The 2000 m rowing time that a known VO2max suggests.
#[utoipa::path(tag = "results", operation_id = "results_inverse", params(InverseQuery), responses((status = 200, body = Suggested), (status = 422, body = ApiError)))]
#[get("/row-time")]
pub async fn get(_: SignedIn, query: web::Query<InverseQuery>) -> ApiResult<web::Json<Suggested>> {
    let asked_the_other_way = |p: &&Protocol| p.inputs.iter().any(|i| i.inverse);
    let Some(protocol) = impulso_core::catalogue::all().iter().find(asked_the_other_way) else { return Err(ApiError::not_found()) };
    let inputs = Inputs::from_iter([("vo2max", query.vo2max), ("trained", f64::from(u8::from(query.trained)))]);
    let mass = BodyMass::new(query.mass_kg).map_err(|e| e.at("mass_kg"))?;
    let facts = Facts { sex: Some(query.sex), mass: Some(mass), ..Facts::default() };
    let record = test_record::TestRecord::of(protocol, facts, &inputs);
    let outcome = test_record::compute(&record)?;
    let Some(found) = outcome.result("time_s") else { return Err(ApiError::not_found()) };
    Ok(web::Json(Suggested {
        time_s: found.value,
        sentence: format!("{} for 2000 m.", quantity::shown("time_s", found.value.round())),
        working: found.equation.working("time_s", &record, &outcome).map(|w| w.filled).unwrap_or_default(),
    }))
}
