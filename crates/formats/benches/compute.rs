//! The batch interface beside a pass that only parses and reprints the same lines, on the same million lines.
//!
//! A ratio, measured side by side: computing may take at most 1.5 times as long. `cargo bench -p impulso-formats`; fewer
//! lines with IMPULSO_BENCH_LINES. Exits with 1 beyond the limit.
#![allow(missing_docs, clippy::unwrap_used)]

use std::{
    io::{BufRead, BufWriter, Write, sink},
    time::{Duration, Instant},
};

/// Computing may take at most so many times as long.
const LIMIT: f64 = 1.5;
const ROUNDS: usize = 5;

/// Lines of every protocol with its example readings, people of all ages.
fn lines(count: usize) -> Vec<u8> {
    let examples: Vec<(String, String)> = impulso_core::catalogue::all()
        .iter()
        .filter(|p| std::env::var("IMPULSO_BENCH_ONLY").map_or(true, |only| only == p.id))
        .filter_map(|p| Some((p.id.clone(), serde_json::to_string(&p.example.as_ref()?.inputs).ok()?)))
        .collect();
    let mut text = Vec::with_capacity(count * 260);
    for k in 0..count {
        let (id, inputs) = &examples[k % examples.len()];
        let sex = if k % 2 == 0 { "male" } else { "female" };
        writeln!(
            text,
            r#"{{"id":"t{k}","protocol":"{id}","on":"2026-11-23","person":{{"sex":"{sex}","born":"1990-04-02","age_years":{},"mass_kg":{},"height_cm":175,"resting_hr":60}},"inputs":{inputs},"options":{{"hr_max_method":"fox"}}}}"#,
            20 + k % 45,
            55 + k % 40
        )
        .unwrap();
    }
    text
}

/// Parses every line into a JSON value and prints it again: what any program that reads this has to do.
fn reprint(text: &[u8], mut output: impl Write) {
    let mut input = text;
    let mut line = Vec::new();
    while input.read_until(b'\n', &mut line).unwrap() > 0 {
        let value: serde_json::Value = serde_json::from_slice(&line).unwrap();
        serde_json::to_writer(&mut output, &value).unwrap();
        output.write_all(b"\n").unwrap();
        line.clear();
    }
}

fn timed(work: impl FnOnce()) -> Duration {
    let begin = Instant::now();
    work();
    begin.elapsed()
}

fn main() {
    let count = std::env::var("IMPULSO_BENCH_LINES").ok().and_then(|n| n.parse().ok()).unwrap_or(1_000_000);
    let text = lines(count);
    let mut ratios: Vec<f64> = Vec::new();
    for round in 1..=ROUNDS {
        let plain = timed(|| reprint(&text, BufWriter::new(sink())));
        let mut tally = impulso_formats::batch::Tally::default();
        let computed = timed(|| tally = impulso_formats::batch::compute(&text[..], BufWriter::new(sink())).unwrap());
        assert_eq!(tally.failed, 0, "every line of the benchmark can be computed");
        ratios.push(computed.as_secs_f64() / plain.as_secs_f64());
        println!("round {round}: compute {computed:.2?}, parse and reprint {plain:.2?}, ratio {:.2}", ratios[round - 1]);
    }
    ratios.sort_by(f64::total_cmp);
    let median = ratios[ROUNDS / 2];
    println!("{count} lines: median ratio {median:.2}, limit {LIMIT}");
    if median > LIMIT {
        eprintln!("computing takes more than {LIMIT} times as long as parsing and reprinting");
        std::process::exit(1);
    }
}
