//! Documents made from the code, committed and checked for drift: the OpenAPI document and the method pages.

use std::fmt::Write;

use actix_web::App;
use impulso_core::{
    catalogue::{self, Protocol, Source, SourceKind},
    change::TypicalError,
    norms,
    person::Sex,
    quantity, text,
    units::rounded,
};
use utoipa::OpenApi;
use utoipa_actix_web::AppExt;

use crate::{ApiError, api::library::examples, app};

#[derive(OpenApi)]
#[openapi(info(title = "Impulso", description = "Fitness testing from readiness to retest."), components(schemas(ApiError)))]
struct Document;

/// The HTTP interface as OpenAPI, in JSON.
pub fn openapi() -> String {
    let (_, document) = App::new()
        .into_utoipa_app()
        .openapi(Document::openapi())
        .service(utoipa_actix_web::scope::scope("/api").configure(app::routes))
        .split_for_parts();
    document.to_pretty_json().unwrap_or_default()
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
        let _ = writeln!(page, "\nBeat a minute: {}; {} a cycle.", beats.join(", "), beat.places.len());
    }
    page.push_str("\n### Procedure\n\n");
    for step in &protocol.prepare {
        let _ = writeln!(page, "- {}: {}", step.label, step.detail);
    }
    for phase in &protocol.phases {
        let length =
            phase.seconds.map(|s| format!(" ({s} s)")).or_else(|| phase.beats.map(|b| format!(" ({b} beats)"))).unwrap_or_default();
        let _ = writeln!(page, "- {}{length}: {}", phase.label, phase.cue);
    }
    if let Some(count) = &protocol.count {
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
    for used in &protocol.norms {
        let _ = writeln!(page, "- {} is compared with `{}`.", text::capital(quantity::label(&used.quantity)), used.table);
    }
    page.push_str("\n### Is a change real?\n\n");
    for rule in &protocol.change {
        let unit = quantity::unit(&rule.quantity);
        for sex in [Sex::Male, Sex::Female] {
            match TypicalError::from_publication(protocol, &rule.quantity, Some(sex)) {
                Some(te) => {
                    let _ = writeln!(
                        page,
                        "- {}, {}: {}; a change beyond {} {unit} is clear, beyond {} {unit} possible.",
                        text::capital(quantity::label(&rule.quantity)),
                        sex.plural(),
                        te.basis,
                        rounded(te.detectable, 1),
                        rounded(te.possible, 1)
                    );
                }
                None if sex == Sex::Male => {
                    let _ = writeln!(
                        page,
                        "- {}: no published typical error; the practice's own repeats serve once there are ten pairs.",
                        text::capital(quantity::label(&rule.quantity))
                    );
                }
                None => {}
            }
        }
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
