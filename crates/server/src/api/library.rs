//! The test library.

use actix_web::{HttpResponse, get, post, put, web};
use impulso_core::{
    Code, InputError,
    catalogue::{self, EquipmentItem, Protocol, section_name},
    clamped::Pattern,
    estimate::Working,
    norms,
    own::{self, Changes},
    person::Sex,
    picture::{BodyMap, Drawing, Picture},
    quantity,
    range::coverage,
    rehearse,
    test_record::{TestRecord, compute},
    text,
    typical_error::TypedError,
};
use impulso_store::{
    audit::{self, Action, Subject},
    pass_marks::{self, OwnMark},
    protocols, typed_errors,
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::{ApiError, ApiResult, auth::SignedIn, body::Json, scoring, shelf::Shelf};

/// A test in the library's list.
#[derive(Serialize, ToSchema)]
pub struct LibraryLine {
    /// Stable id.
    pub id: String,
    /// Display name.
    pub name: String,
    /// What happens.
    pub summary: String,
    pub tells: String,
    /// The part of the library it stands in, in words.
    pub section: String,
    /// What it looks like.
    pub picture: Option<Drawing>,
    /// Minutes to plan.
    pub minutes: u16,
    /// Whether the floor runs it live; else it is entered afterwards.
    pub live: bool,
    /// Whether it can be practised on a simulated client, or squad.
    pub rehearsed: bool,
    /// Whether it is run to beeps, by a squad.
    pub to_beeps: bool,
    /// How many can be tested at once.
    pub people_at_once: u16,
    /// Whether a class does it in pairs.
    pub in_pairs: bool,
    /// What has to be at hand, by the keys of the equipment.
    pub needs: Vec<String>,
    /// For a practice's own: what it was copied from.
    pub based_on: Option<String>,
    /// What search compares: name, id, summary and citations.
    pub searched: String,
}

#[derive(Serialize, ToSchema)]
pub struct MethodPage {
    /// The whole protocol.
    pub protocol: Protocol,
    /// What it looks like, and what does not count.
    pub drawings: Vec<Drawing>,
    /// Where on the body its readings are taken.
    pub body_map: Option<BodyMap>,
    /// Whether the floor runs it; the others are entered afterwards.
    pub runs_live: bool,
    /// Whether a class does it in pairs.
    pub in_pairs: bool,
    /// Whether a simulated client can be tested by it.
    pub rehearsed: bool,
    /// Each equation worked through with the protocol's example readings.
    pub examples: Vec<Example>,
    /// What two rides may say together, in sentences.
    pub patterns: Vec<String>,
    /// The tables, with their sources.
    pub tables: Vec<TableLine>,
    /// The measurement error of each measure, as far as it is known without a client.
    pub measurement_errors: Vec<MeasurementErrorLine>,
    /// How often the range of an estimate held the truth, and for whom it is too narrow.
    pub range_note: Option<String>,
}

/// What is known of a measure’s measurement error.
#[derive(Serialize, ToSchema)]
pub struct MeasurementErrorLine {
    /// The measure.
    pub quantity: String,
    /// What it is called.
    pub label: String,
    pub unit: String,
    /// Pairs of repeats of the practice's own; ten are needed.
    pub pairs: i64,
    /// What the practice typed in.
    pub typed: Option<TypedError>,
}

/// A typical error from elsewhere.
#[derive(Deserialize, ToSchema)]
pub struct TypedErrorForm {
    /// The measure.
    pub quantity: String,
    /// In its unit; nothing takes the figure away.
    pub value: Option<f64>,
    /// Who says so.
    #[serde(default)]
    pub source: String,
}

/// Keeps a typical error that the practice knows from elsewhere, with its source, or takes it away.
#[utoipa::path(tag = "library", operation_id = "library_type_error", responses((status = 204), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[put("/protocols/{id}/typical-error")]
pub async fn type_error(who: SignedIn, id: web::Path<String>, form: Json<TypedErrorForm>) -> ApiResult<HttpResponse> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&id)?;
    if protocol.change_rule(&form.quantity).is_none() {
        let message = format!("{} does not follow “{}” over time.", protocol.name, form.quantity);
        return Err(InputError::new(Code::UnknownField, "quantity", message).into());
    }
    let protocol = protocol.id.clone();
    match form.value {
        None => typed_errors::clear(&mut scope, &protocol, &form.quantity).await?,
        Some(value) if !(value.is_finite() && value > 0.0 && value < 1e6) => {
            return Err(InputError::new(Code::OutOfRange, "value", "A typical error is a number above 0, in the measure’s unit.").into());
        }
        Some(value) => {
            let missing = || InputError::new(Code::MissingInput, "source", "Give the source: author and year, or where it was measured.");
            let source = text::note(&form.source, "source")?.ok_or_else(missing)?;
            typed_errors::set(&mut scope, &protocol, &form.quantity, &TypedError { value, source }).await?;
        }
    }
    let detail = json!({ "protocol": protocol, "quantity": form.quantity, "value": form.value });
    audit::record(&mut scope, who.coach, Action::TypicalErrorTyped, Subject::thing("protocol", Uuid::nil()), detail).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}

/// A mark that the practice holds its clients to.
#[derive(Deserialize, ToSchema)]
pub struct PassMarkForm {
    /// The measure.
    pub quantity: String,
    /// In its unit; nothing lets the usual one hold again.
    pub mark: Option<f64>,
    /// Who says so.
    #[serde(default)]
    pub source: String,
}

/// Keeps a mark of the practice's own with who says so, or lets the usual one hold again.
#[utoipa::path(tag = "library", operation_id = "library_set_mark", responses((status = 204), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[put("/protocols/{id}/pass-mark")]
pub async fn set_mark(who: SignedIn, id: web::Path<String>, form: Json<PassMarkForm>) -> ApiResult<HttpResponse> {
    let form = form.into_inner();
    let mut scope = who.scope().await?;
    let protocol = Shelf::of(&mut scope).await?.find(&id)?.clone();
    if protocol.change_rule(&form.quantity).is_none() {
        let message = format!("{} does not follow “{}” over time.", protocol.name, form.quantity);
        return Err(InputError::new(Code::UnknownField, "quantity", message).into());
    }
    match form.mark {
        None => pass_marks::clear(&mut scope, &protocol.id, &form.quantity).await?,
        Some(mark) if !(mark.is_finite() && mark.abs() < 1e6) => {
            return Err(InputError::new(Code::OutOfRange, "mark", "A target is a number in the measure’s unit.").into());
        }
        Some(mark) => {
            let missing = || InputError::new(Code::MissingInput, "source", "Give the source, or say that it is your own.");
            let source = text::note(&form.source, "source")?.ok_or_else(missing)?;
            let own = OwnMark { protocol: protocol.id.clone(), quantity: form.quantity.clone(), mark, source };
            pass_marks::set(&mut scope, &own).await?;
        }
    }
    let detail = json!({ "protocol": protocol.id, "quantity": form.quantity, "mark": form.mark });
    audit::record(&mut scope, who.coach, Action::PassMarkSet, Subject::thing("protocol", Uuid::nil()), detail).await?;
    scope.commit().await?;
    Ok(HttpResponse::NoContent().finish())
}

/// An equation with example numbers.
#[derive(Serialize, ToSchema)]
pub struct Example {
    /// Whom the line is for: men, women, everyone.
    pub who: String,
    /// The equation's stored name.
    pub method: String,
    /// The equation with the example's numbers.
    pub working: Working,
}

/// A table's origin.
#[derive(Serialize, ToSchema)]
pub struct TableLine {
    pub id: String,
    /// Whom it describes.
    pub population: String,
    /// Author, title, year.
    pub source: String,
    /// Published, recalled.
    pub status: String,
}

/// Every test.
#[utoipa::path(tag = "library", operation_id = "library_list", responses((status = 200, body = Vec<LibraryLine>), (status = 401, body = ApiError)))]
#[get("/protocols")]
pub async fn list(who: SignedIn) -> ApiResult<web::Json<Vec<LibraryLine>>> {
    let shelf = Shelf::of(&mut who.scope().await?).await?;
    Ok(web::Json(shelf.all().map(line).collect()))
}

/// What may have to be at hand for a test, the commonest first.
#[utoipa::path(tag = "library", operation_id = "library_equipment", responses((status = 200, body = Vec<EquipmentItem>), (status = 401, body = ApiError)))]
#[get("/equipment")]
pub async fn equipment(_: SignedIn) -> web::Json<&'static [EquipmentItem]> {
    web::Json(catalogue::equipment())
}

/// One test's method page.
#[utoipa::path(tag = "library", operation_id = "library_get", responses((status = 200, body = MethodPage), (status = 404, body = ApiError)))]
#[get("/protocols/{id}")]
pub async fn get(who: SignedIn, id: web::Path<String>) -> ApiResult<web::Json<MethodPage>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let protocol = shelf.find(&id)?;
    let own = scoring::own(&mut scope, protocol).await?;
    let line = |quantity: &str| {
        let known = own.get(quantity).cloned().unwrap_or_default();
        MeasurementErrorLine {
            quantity: quantity.to_owned(),
            label: quantity::label(quantity).into_owned(),
            unit: quantity::unit(quantity).to_owned(),
            pairs: known.repeats.pairs,
            typed: known.typed,
        }
    };
    let followed = protocol.scoring.iter().rev().filter(|s| protocol.change_rule(&s.quantity).is_some());
    let measurement_errors = followed.map(|s| line(&s.quantity)).collect();
    let mut used: Vec<&str> = protocol.norms.iter().map(|n| n.table.as_str()).collect();
    used.dedup();
    let tables = used
        .into_iter()
        .filter_map(norms::table)
        .map(|t| TableLine { id: t.id.to_owned(), population: t.population.clone(), source: t.source.clone(), status: t.status.clone() })
        .collect();
    Ok(web::Json(MethodPage {
        drawings: protocol.pictures.iter().map(Picture::drawing).collect(),
        body_map: protocol.body_map(),
        runs_live: protocol.family().runs_live(),
        in_pairs: protocol.is_done_in_pairs(),
        rehearsed: rehearse::is_rehearsed(protocol),
        protocol: protocol.clone(),
        examples: examples(protocol),
        patterns: if protocol.clamp().is_some() { Pattern::ALL.map(|p| p.sentence().to_owned()).to_vec() } else { Vec::new() },
        tables,
        measurement_errors,
        range_note: coverage::said(&protocol.id),
    }))
}

/// A line of the list.
pub fn line(p: &Protocol) -> LibraryLine {
    let citations: Vec<&str> = p.sources.iter().map(|s| s.citation.as_str()).collect();
    LibraryLine {
        id: p.id.clone(),
        name: p.name.clone(),
        summary: p.summary.clone(),
        tells: p.tells.clone(),
        picture: p.pictures.first().map(Picture::drawing),
        minutes: p.minutes,
        section: section_name(&p.section).to_owned(),
        live: p.family().runs_live(),
        rehearsed: rehearse::is_rehearsed(p),
        to_beeps: p.schedule().is_some(),
        people_at_once: p.people_at_once,
        in_pairs: p.is_done_in_pairs(),
        needs: p.needs.clone(),
        based_on: p.based_on.clone(),
        searched: impulso_core::text::search_key(&format!(
            "{} {} {} {}",
            p.name,
            p.id,
            p.summary,
            format_args!("{} {}", citations.join(" "), words_of(p))
        )),
    }
}

/// Plain words by which people look for a test: the part of the library, and what it asks for.
fn words_of(p: &Protocol) -> String {
    let needs_nothing = p.equipment.iter().all(|e| e.what == "A mat" || e.what.starts_with("Room")) && p.needs.is_empty();
    let things: Vec<&str> = p.equipment.iter().map(|e| e.what.as_str()).collect();
    let section = section_name(&p.section);
    let over_60 = if p.section == "older_adults" || p.section == "balance" { "over 60 seniors" } else { "" };
    format!("{} {section} {} {} {over_60}", p.tells, things.join(" "), if needs_nothing { "no equipment" } else { "" })
}

/// Each equation of a protocol with its example readings: once for everyone, or for men and women where they differ.
pub fn examples(protocol: &Protocol) -> Vec<Example> {
    let Some(example) = &protocol.example else { return Vec::new() };
    let worked = |sex: Sex| -> Vec<(&str, Working)> {
        let facts = example.facts(sex);
        let record = TestRecord::of(protocol, facts, &example.inputs);
        let Ok(outcome) = compute(&record) else { return Vec::new() };
        protocol
            .scoring
            .iter()
            .filter(|s| !s.in_detail || s.method.is_some())
            .filter_map(|s| Some((s.method_by(s.equation), s.equation.working(&s.quantity, &record, &outcome)?)))
            .collect()
    };
    let example = |who: &str, method: &str, working: Working| Example { who: who.to_owned(), method: method.to_owned(), working };
    worked(Sex::Male)
        .into_iter()
        .zip(worked(Sex::Female))
        .flat_map(|((method, men), (_, women))| {
            if men == women {
                vec![example("everyone", method, men)]
            } else {
                vec![example("men", method, men), example("women", method, women)]
            }
        })
        .collect()
}

/// A copy to make.
#[derive(Deserialize, ToSchema)]
pub struct CopyForm {
    /// Made by the screen, so that a double click makes one copy.
    pub id: Uuid,
    /// What is different.
    pub changes: Changes,
}

/// Copies a protocol with changes; the copy belongs to the practice.
#[utoipa::path(tag = "library", operation_id = "library_copy", responses((status = 200, body = LibraryLine), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/protocols/{id}/copies")]
pub async fn copy(who: SignedIn, id: web::Path<String>, form: Json<CopyForm>) -> ApiResult<web::Json<LibraryLine>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let made = own::copy(shelf.find(&id)?, &format!("own-{}", form.id.simple()), &form.changes)?;
    if shelf.all().any(|p| p.name == made.name && p.id != made.id) {
        return Err(InputError::new(Code::OutOfRange, "name", "There is a test of this name already. Choose another name.").into());
    }
    if protocols::add(&mut scope, who.coach, &made).await? {
        let detail = serde_json::json!({ "based_on": made.based_on, "protocol": made.id });
        audit::record(&mut scope, who.coach, Action::ProtocolCopied, Subject::thing("protocol", form.id), detail).await?;
    }
    scope.commit().await?;
    Ok(web::Json(line(&made)))
}
