//! The batch interface beside a pass that only parses and reprints the same lines, on the same million lines.
//!
//! A ratio, measured side by side: computing, which uses every core, may take no longer than the pass, which uses one. And
//! the memory it takes: as much at the last line as after the first tenth. `cargo bench -p impulso-formats`; fewer lines with
//! IMPULSO_BENCH_LINES, fewer cores with RAYON_NUM_THREADS. Exits with 1 beyond a limit.
#![allow(clippy::unwrap_used)]

use std::{
    io::{self, BufRead, BufReader, BufWriter, Read, Write, sink},
    time::{Duration, Instant},
};

/// Computing may take at most so many times as long.
const LIMIT: f64 = 1.0;
const ROUNDS: usize = 5;

/// The resident memory may grow by so much over the last nine tenths, kB: an allocator's unrest, not a line's leavings.
const GROWTH_KB: i64 = 1024;

/// Protocol and inputs of every example.
fn examples() -> Vec<(String, String)> {
    let examples: Vec<(String, String)> = impulso_core::catalogue::all()
        .iter()
        .filter(|p| std::env::var("IMPULSO_BENCH_ONLY").map_or(true, |only| only == p.id))
        .filter_map(|p| Some((p.id.clone(), serde_json::to_string(&p.example.as_ref()?.inputs).ok()?)))
        .collect();
    examples
}

/// The line with this number: every protocol in turn with its example readings, people of all ages.
fn write_line(text: &mut Vec<u8>, examples: &[(String, String)], k: usize) {
    let (id, inputs) = &examples[k % examples.len()];
    let sex = if k.is_multiple_of(2) { "male" } else { "female" };
    writeln!(
            text,
            r#"{{"id":"t{k}","protocol":"{id}","on":"2026-11-23","person":{{"sex":"{sex}","born":"1990-04-02","age_years":{},"mass_kg":{},"height_cm":175,"resting_hr":60}},"inputs":{inputs},"options":{{"hr_max_method":"fox"}}}}"#,
            20 + k % 45,
            55 + k % 40
        )
        .unwrap();
}

fn lines(count: usize) -> Vec<u8> {
    let examples = examples();
    let mut text = Vec::with_capacity(count * 320);
    (0..count).for_each(|k| write_line(&mut text, &examples, k));
    text
}

/// The same lines, made as they are read.
struct Endless {
    examples: Vec<(String, String)>,
    next: usize,
    count: usize,
    line: Vec<u8>,
    at: usize,
}

impl Read for Endless {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        if self.at == self.line.len() {
            if self.next == self.count {
                return Ok(0);
            }
            self.line.clear();
            write_line(&mut self.line, &self.examples, self.next);
            (self.next, self.at) = (self.next + 1, 0);
        }
        let n = into.len().min(self.line.len() - self.at);
        into[..n].copy_from_slice(&self.line[self.at..self.at + n]);
        self.at += n;
        Ok(n)
    }
}

/// Counts lines and looks at the process's memory after a tenth of the lines.
struct Watching {
    seen: usize,
    tenth: usize,
    then_kb: i64,
}

impl Write for Watching {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let before = self.seen;
        self.seen += bytes.iter().map(|b| usize::from(*b == b'\n')).sum::<usize>();
        if before < self.tenth && self.seen >= self.tenth {
            self.then_kb = resident_kb();
        }
        Ok(bytes.len())
    }
    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Resident memory of this process, kB, as Linux tells it.
fn resident_kb() -> i64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap();
    let line = status.lines().find_map(|l| l.strip_prefix("VmRSS:")).unwrap();
    line.trim().trim_end_matches(" kB").trim().parse().unwrap()
}

/// Computes the lines without ever holding them; says by how much the memory grew over the last nine tenths, kB.
fn growth(count: usize) -> i64 {
    let input = BufReader::new(Endless { examples: examples(), next: 0, count, line: Vec::new(), at: 0 });
    let mut output = Watching { seen: 0, tenth: count / 10, then_kb: 0 };
    impulso_formats::batch::compute(input, &mut output).unwrap();
    let now = resident_kb();
    println!("memory: {} kB after a tenth of {count} lines, {now} kB after all of them", output.then_kb);
    now - output.then_kb
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
    let grew = growth(count);
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
    if grew > GROWTH_KB {
        eprintln!("the memory grew by {grew} kB with the lines");
        std::process::exit(1);
    }
}
