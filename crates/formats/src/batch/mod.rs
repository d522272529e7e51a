//! The batch interface: JSON Lines in, JSON Lines out, one object a line, order kept, constant memory.
//!
//! A line that cannot be computed gives an error object in its place and the rest go on. Values are unrounded. The lines that
//! have arrived are shared out among the cores and answered before the next are waited for.

mod answer;
mod line;

use std::io::{self, BufRead, Write};

use impulso_core::{
    Code, InputError,
    catalogue::{self, Protocol},
    range,
    test_record::{self, Circumstances, Outcome, TestRecord},
};
use rayon::prelude::*;

use answer::{Answer, Failure};
use line::{Envelope, Line, unknown, unreadable};

/// How many lines were computed and how many were not.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Tally {
    /// Lines with a result.
    pub computed: u64,
    /// Lines with an error.
    pub failed: u64,
}

impl Tally {
    fn count(&mut self, computed: bool) {
        *(if computed { &mut self.computed } else { &mut self.failed }) += 1;
    }
}

/// The longest line that is read, bytes: a ride recorded ten times a second fits many times over.
pub const LINE_MAX: usize = 8 * 1024 * 1024;

/// So much is computed at once at the most, bytes, however much has arrived.
const BLOCK_MAX: usize = 1024 * 1024;

/// One core's share of a block, bytes: small enough that none waits long for another.
const SHARE: usize = 32 * 1024;

/// Computes every line of `input`: one line in, one line out, in order. A blank line and one longer than [`LINE_MAX`] are
/// lines too and get their error.
///
/// # Errors
/// Only what reading or writing itself gives.
pub fn compute(mut input: impl BufRead, mut output: impl Write) -> io::Result<Tally> {
    let mut tally = Tally::default();
    let mut begun = Begun::default();
    loop {
        let arrived = input.fill_buf()?;
        if arrived.is_empty() {
            break;
        }
        let block = &arrived[..arrived.len().min(BLOCK_MAX)];
        let (first, rest) = block.iter().position(|b| *b == b'\n').map_or((block, None), |end| (&block[..end], Some(&block[end + 1..])));
        begun.go_on(first);
        let Some(rest) = rest else {
            let taken = block.len();
            input.consume(taken);
            continue;
        };
        tally.count(begun.answer(&mut output)?);
        let whole = rest.iter().rposition(|b| *b == b'\n').map_or(0, |end| end + 1);
        let answers: Vec<(Vec<u8>, Tally)> = shares(&rest[..whole]).into_par_iter().map(answer_lines).collect::<io::Result<_>>()?;
        for (text, counted) in answers {
            output.write_all(&text)?;
            tally.computed += counted.computed;
            tally.failed += counted.failed;
        }
        output.flush()?;
        begun.go_on(&rest[whole..]);
        let taken = block.len();
        input.consume(taken);
    }
    if begun.is_begun() {
        tally.count(begun.answer(&mut output)?);
    }
    output.flush()?;
    Ok(tally)
}

/// A line whose end has not arrived. What is beyond [`LINE_MAX`] is passed over without being kept.
#[derive(Default)]
struct Begun {
    text: Vec<u8>,
    is_too_long: bool,
}

impl Begun {
    fn go_on(&mut self, more: &[u8]) {
        self.is_too_long |= self.text.len() + more.len() > LINE_MAX;
        if self.is_too_long {
            self.text = Vec::new();
        } else {
            self.text.extend_from_slice(more);
        }
    }

    const fn is_begun(&self) -> bool {
        self.is_too_long || !self.text.is_empty()
    }

    /// Answers it and begins the next.
    fn answer(&mut self, output: &mut impl Write) -> io::Result<bool> {
        let computed = if self.is_too_long { refuse_long(output)? } else { write_line(self.text.trim_ascii(), output)? };
        output.write_all(b"\n")?;
        self.text.clear();
        self.text.shrink_to(LINE_MAX / 64);
        self.is_too_long = false;
        Ok(computed)
    }
}

/// Whole lines, in shares of about [`SHARE`] bytes.
fn shares(mut lines: &[u8]) -> Vec<&[u8]> {
    let mut shares = Vec::with_capacity(lines.len() / SHARE + 1);
    while !lines.is_empty() {
        let from = SHARE.min(lines.len()) - 1;
        let end = lines[from..].iter().position(|b| *b == b'\n').map_or(lines.len(), |more| from + more + 1);
        let (share, rest) = lines.split_at(end);
        shares.push(share);
        lines = rest;
    }
    shares
}

fn answer_lines(lines: &[u8]) -> io::Result<(Vec<u8>, Tally)> {
    let mut answers = Vec::with_capacity(lines.len() * 2);
    let mut tally = Tally::default();
    for line in lines.split_inclusive(|b| *b == b'\n') {
        tally.count(write_line(line.trim_ascii(), &mut answers)?);
        answers.push(b'\n');
    }
    Ok((answers, tally))
}

fn refuse_long(output: &mut impl Write) -> io::Result<bool> {
    let error = InputError::whole(Code::BadJson, format!("The line is longer than {LINE_MAX} bytes, the most that is read."));
    serde_json::to_writer(output, &Failure::<()> { id: None, protocol: None, error: &error })?;
    Ok(false)
}

/// Computes one line and writes its answer; says whether it was computed.
fn write_line(text: &[u8], output: &mut impl Write) -> io::Result<bool> {
    // Text is looked at once: read as bytes, each of its words would be.
    let mut line = match std::str::from_utf8(text).map_or_else(|_| serde_json::from_slice::<Line>(text), serde_json::from_str) {
        Ok(line) => line,
        Err(error) => {
            let Envelope { id, protocol } =
                if text.starts_with(b"{") { serde_json::from_slice(text).unwrap_or_default() } else { Envelope::default() };
            serde_json::to_writer(output, &Failure { id, protocol, error: &unreadable(text, &error) })?;
            return Ok(false);
        }
    };
    let settled = protocol_of(&line)
        .and_then(|protocol| protocol.schedule().map_or(Ok(()), |schedule| schedule.settle_misses(&mut line.inputs.0)).map(|()| protocol));
    match settled.and_then(|protocol| record_of(&line, protocol)) {
        Ok(record) => match answer(&record) {
            Ok(outcome) => {
                let range = range::of(&record, &outcome);
                serde_json::to_writer(output, &Answer { id: line.id, protocol: record.protocol, outcome: &outcome, range })?;
                Ok(true)
            }
            Err(error) => {
                serde_json::to_writer(output, &Failure { id: line.id, protocol: line.protocol.as_deref(), error: &error })?;
                Ok(false)
            }
        },
        Err(error) => {
            serde_json::to_writer(output, &Failure { id: line.id, protocol: line.protocol.as_deref(), error: &error })?;
            Ok(false)
        }
    }
}

/// The test that a line describes.
fn record_of<'a>(line: &'a Line, protocol: &'a Protocol) -> Result<TestRecord<'a>, InputError> {
    let facts = line.person.facts(line.on)?;
    let circumstances = Circumstances {
        warm_up: line.conditions.warm_up,
        heart_rate_drug: line.conditions.heart_rate_drug.unwrap_or(false),
        conditioned: line.conditions.conditioned,
    };
    Ok(TestRecord { protocol, facts, inputs: &line.inputs.0, options: line.options.choose()?, circumstances })
}

/// Computes a test.
fn answer<'a>(record: &TestRecord<'a>) -> Result<Outcome<'a>, InputError> {
    let outcome = test_record::compute_as_given(record)?;
    // In a batch a quantity that cannot be given is the line's error: nobody is there to read a half answer.
    match outcome.refused.first() {
        Some((_, error)) => Err(error.clone()),
        None => Ok(outcome),
    }
}

fn protocol_of(line: &Line) -> Result<&'static Protocol, InputError> {
    if let Some(extra) = line.unknown.first() {
        return Err(unknown(extra));
    }
    line.protocol.as_deref().map_or_else(|| Err(InputError::new(Code::MissingInput, "protocol", "Name the protocol.")), catalogue::find)
}
