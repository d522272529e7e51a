//! Documents made from the code, committed and checked for drift: the OpenAPI document and the method pages.

mod validation;

use std::fmt::Write;

use actix_web::App;
use impulso_core::{
    catalogue::{self, Protocol, Source, SourceKind},
    clamped::Pattern,
    norms,
    person::Sex,
    quantity,
    range::coverage,
    test_record::{self, TestRecord},
    text,
    typical_error::{Own, TypicalError},
    units::rounded,
};
use serde_json::{Value, json};
use utoipa::OpenApi;
use utoipa_actix_web::AppExt;

pub use self::validation::validation;
use crate::{ApiError, api::library::examples, app};

#[derive(OpenApi)]
#[openapi(info(title = "Impulso", description = "Fitness testing from readiness to retest."), components(schemas(ApiError)))]
struct Document;

/// The HTTP interface as OpenAPI, in JSON.
pub fn openapi() -> String {
    serde_json::to_string_pretty(&document()).unwrap_or_default()
}

/// Every path of the interface with the methods it takes.
pub fn paths() -> Vec<(String, Vec<String>)> {
    let document = document();
    let paths = document["paths"].as_object().into_iter().flatten();
    let methods = |of: &Value| of.as_object().into_iter().flatten().map(|(m, _)| m.to_uppercase()).collect();
    paths.map(|(path, of)| (path.clone(), methods(of))).collect()
}

fn document() -> Value {
    let (_, document) = App::new()
        .into_utoipa_app()
        .openapi(Document::openapi())
        .service(utoipa_actix_web::scope::scope("/api").configure(app::routes))
        .split_for_parts();
    let mut document = serde_json::to_value(&document).unwrap_or_default();
    for (path, of) in document["paths"].as_object_mut().into_iter().flatten() {
        for operation in of.as_object_mut().into_iter().flat_map(|of| of.values_mut()) {
            let has_body = operation.get("requestBody").is_some();
            let refusals = common_refusals(path, has_body);
            if let Some(answers) = operation["responses"].as_object_mut() {
                for (status, why) in refusals {
                    answers.entry(status).or_insert_with(|| refusal(why));
                }
            }
        }
    }
    document
}

/// What any request may be answered with, whatever it asks for: it may be unreadable, too much, too slow, not signed in, or
/// come while the database is away. Said once for all routes.
fn common_refusals(path: &str, has_body: bool) -> Vec<(&'static str, &'static str)> {
    let mut refusals = vec![
        ("400", "The path, the query or the body cannot be read"),
        ("421", "The server does not go by the name it was asked under"),
        ("500", "Something kept cannot be read"),
        ("503", "The database is away, or there is too much going on; `Retry-After` says when to come back"),
    ];
    let is_open = ["/api/welcome", "/api/health", "/api/practices", "/api/join/"].iter().any(|open| path.starts_with(open));
    if !is_open {
        refusals.push(("401", "Nobody is signed in"));
    }
    if has_body || path.contains('{') {
        refusals.push(("404", "There is no such thing here"));
    }
    if has_body {
        refusals.extend([
            ("408", "The body took too long to arrive"),
            ("409", "Its number stands for something else already"),
            ("413", "The body is too large"),
            ("415", "The body is not JSON"),
            ("422", "A value is refused; `field` names it"),
        ]);
    }
    refusals
}

fn refusal(why: &str) -> Value {
    json!({"description": why, "content": {"application/json": {"schema": {"$ref": "#/components/schemas/ApiError"}}}})
}

/// The method pages as Markdown.
pub fn methods() -> String {
    let mut page = String::from(
        "# Methods\n\nMade from the catalogue by `impulso methods`. Every source says what it is: *published*, or *common practice* (a rule of \
         thumb of the trade); *recalled* means the value was written down from memory and not read off the publication.\n",
    );
    for protocol in catalogue::all() {
        method(&mut page, protocol);
    }
    page.push_str("\n## Tables\n\n");
    for table in norms::tables() {
        let _ = writeln!(
            page,
            "- `{}`: {}. {} Source: {}. {}.",
            table.id,
            table.population,
            better(table.lower_is_better()),
            table.source,
            text::capital(&table.status)
        );
    }
    page
}

fn method(page: &mut String, protocol: &Protocol) {
    let _ = write!(
        page,
        "\n## {}\n\n`{}` · version {} · about {} minutes\n\n{} {}\n",
        protocol.name, protocol.id, protocol.version, protocol.minutes, protocol.summary, protocol.tells
    );
    if let Some(beat) = &protocol.cadence {
        let beats: Vec<String> = [("men", beat.male), ("women", beat.female), ("everyone", beat.any)]
            .iter()
            .filter_map(|(who, b)| Some(format!("{} for {who}", (*b)?)))
            .collect();
        let _ = writeln!(
            page,
            "\nBeat a minute: {}; {} a cycle. More than {} steps or revolutions off for {} s is called and noted; the test goes on.",
            beats.join(", "),
            beat.places.len(),
            beat.off_by,
            beat.off_for_s
        );
    }
    page.push_str("\n### Procedure\n\n");
    for step in &protocol.prepare {
        let _ = writeln!(page, "- {}: {}", step.label, step.detail);
    }
    // Where nothing is said of the work, its phase says what the test is, which stands above.
    for phase in protocol.phases.iter().filter(|p| protocol.prepare.is_empty() || p.cue != protocol.summary) {
        let length =
            phase.seconds.map(|s| format!(" ({s} s)")).or_else(|| phase.beats.map(|b| format!(" ({b} beats)"))).unwrap_or_default();
        let _ = writeln!(page, "- {}{length}: {}", phase.label, phase.cue);
    }
    for leg in protocol.legs() {
        let named = if leg.label.is_empty() { String::new() } else { format!("{}: ", leg.label) };
        if let Some(how) = leg.take.handbook() {
            let _ = writeln!(page, "- {named}{how}");
        }
    }
    if let Some(count) = protocol.count() {
        let _ = writeln!(
            page,
            "\nCounting: {} Count and tapped rate more than {} bpm apart ask for a recount.",
            count.rule, count.agree_within_bpm
        );
    }
    page.push_str("\n### What is computed\n\n");
    for example in examples(protocol) {
        let _ = writeln!(
            page,
            "- {} (`{}`): {}. For example: {}.",
            text::capital(&example.who),
            example.method,
            example.working.formula,
            example.working.filled
        );
    }
    if protocol.clamp().is_some() {
        page.push_str("\nFrom ride to ride, beyond the measurement error of each:\n\n");
        for pattern in Pattern::ALL {
            let _ = writeln!(page, "- {}", pattern.sentence());
        }
    }
    for used in &protocol.norms {
        let _ = writeln!(page, "- {} is compared with `{}`.", text::capital(&quantity::label(&used.quantity)), used.table);
    }
    if let Some(said) = coverage::said(&protocol.id) {
        let _ = writeln!(page, "\nHow far an estimate may be off: {said}");
    }
    page.push_str("\n### Is a change real?\n\n");
    for rule in &protocol.change {
        let _ = writeln!(page, "- {}: {}", text::capital(&quantity::label(&rule.quantity)), measurement_error(protocol, &rule.quantity));
    }
    for (rule, rank) in protocol.change.iter().filter_map(|rule| Some((rule, rule.alike_in.as_deref()?))) {
        let (of, first) = (text::capital(&quantity::label(&rule.quantity)), quantity::label(rank));
        let _ = writeln!(page, "- {of}: compared only where {first} is the same; that is compared first.");
    }
    if protocol.change.is_empty() {
        page.push_str("One number alone is never read: see the patterns above.\n");
    }
    page.push_str("\nResults are compared only where these were alike:\n\n");
    for condition in &protocol.conditions {
        let _ = writeln!(page, "- {}: {}.", condition.label, condition.why);
    }
    page.push_str("\n### Care\n\n");
    for caution in &protocol.cautions {
        let _ = writeln!(page, "- {}", caution.text);
    }
    page.push_str("\n### Sources\n\n");
    for source in &protocol.sources {
        let _ = writeln!(page, "- {}", source_line(source));
    }
}

/// What a change of a measure is judged by, for the people of the protocol's example.
fn measurement_error(protocol: &Protocol, key: &str) -> String {
    const NONE: &str = "nothing is known from elsewhere; the practice's own repeats serve once there are ten pairs.";
    let Some(example) = &protocol.example else { return NONE.into() };
    let unit = quantity::unit(key);
    let said = [Sex::Male, Sex::Female].into_iter().filter_map(|sex| {
        let facts = example.facts(sex);
        let record = TestRecord::of(protocol, facts, &example.inputs);
        let value = test_record::compute(&record).ok()?.result(key).map(|e| e.value);
        let te = TypicalError::best(&record, key, value, &Own::default())?;
        let who = te.source.as_ref().map(|s| format!(" ({})", s.citation)).unwrap_or_default();
        let important = te
            .important
            .as_ref()
            .map(|i| format!(" A change of {} {unit} matters to people ({}).", rounded(i.value, 1), i.source.citation));
        let words = format!(
            "{}{who}; a change beyond {} {unit} is clear, beyond {} {unit} possible.{}",
            te.basis,
            rounded(te.detectable, 2),
            rounded(te.possible, 2),
            important.unwrap_or_default()
        );
        Some((sex, words))
    });
    match said.collect::<Vec<_>>().as_slice() {
        [] => NONE.into(),
        [(_, men), (_, women)] if men == women => men.clone(),
        all => all.iter().map(|(sex, words)| format!("{}, as in the example: {words}", sex.plural())).collect::<Vec<_>>().join(" "),
    }
}

fn source_line(source: &Source) -> String {
    let kind = match source.kind {
        SourceKind::Published => "published",
        SourceKind::CommonPractice => "common practice",
    };
    let recalled = if source.recalled { ", recalled" } else { "" };
    format!("{} — source: {}. *{}{recalled}*", text::capital(&source.of), source.citation, text::capital(kind))
}

fn better(lower: bool) -> &'static str {
    if lower { "Lower is better." } else { "Higher is better." }
}
