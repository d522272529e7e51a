//! What is watched rather than read: stages that are passed or not, and what is seen in one movement.

use super::state::{SheetCell, SheetRow, SheetState};
use crate::{attempts::Take, inputs::Value};

impl SheetState {
    /// The next stage of a ladder was passed or not: what that was, in words.
    pub(super) fn try_stage(&mut self, input: &str, passed: bool, at: f64) -> Option<String> {
        let row = self.row(input, None)?;
        let row = &mut self.rows[row];
        if !matches!(row.take, Take::Ladder { .. }) || !row.is_open() {
            return None;
        }
        row.cells.push(SheetCell::of(Value::Yes(passed), at));
        Some(format!("stage {} {}", row.cells.len(), if passed { "passed" } else { "failed" }))
    }

    /// Says of each ladder that is over what is counted now; nought where not even its first stage was passed.
    pub(super) fn call_stages(&mut self) {
        let over: Vec<(String, f64, f64, Option<String>)> = self
            .rows
            .iter()
            .filter_map(|row| {
                let Take::Ladder { stages, then, .. } = &row.take else { return None };
                let stage = row.stage_passed(stages.len())?;
                let words = (stage as usize).checked_sub(1).and_then(|k| stages.get(k)).cloned();
                Some((then.clone()?, stage, row.cells.last()?.at_ms, words))
            })
            .collect();
        for (then, stage, at, words) in over {
            let Some(counted) = self.row(&then, None).map(|k| &mut self.rows[k]) else { continue };
            counted.how = Some(words.map_or_else(
                || "Not even stage 1: 0, which is a score.".to_owned(),
                |words| format!("Stage {stage}, {words}: as many as possible."),
            ));
            if stage == 0.0 && counted.cells.is_empty() {
                counted.cells.push(SheetCell::of(Value::Number(0.0), at));
            }
        }
    }

    /// The inputs that are asked because a stage failed.
    pub(super) fn asked_why(&self) -> Vec<String> {
        let failed = |row: &&SheetRow| row.cells.last().is_some_and(|c| c.value == Value::Yes(false));
        let why = |row: &SheetRow| if let Take::Ladder { why, .. } = &row.take { why.clone() } else { None };
        self.rows.iter().filter(failed).filter_map(why).collect()
    }

    /// One more thing that costs.
    pub(super) fn see(&mut self, input: &str, what: &str, at: f64) -> bool {
        let Some(row) = self.row(input, None).map(|k| &mut self.rows[k]).filter(|row| row.looks_for(what)) else { return false };
        row.seen.push(what.to_owned());
        row.cells = vec![SheetCell::of(Value::Number(row.seen.len() as f64), at)];
        true
    }

    /// A movement is over: what was not seen in it is none. What it is called.
    pub(super) fn end_movement(&mut self, input: &str, at: f64) -> Option<String> {
        let row = self.rows.get(self.row(input, None)?).filter(|r| r.is_watched() && !self.watched.contains(&r.leg))?;
        let (leg, label) = (row.leg, row.leg_label.clone());
        self.watched.push(leg);
        for row in self.rows.iter_mut().filter(|r| r.leg == leg && r.cells.is_empty()) {
            row.cells.push(SheetCell::of(Value::Number(0.0), at));
        }
        Some(label)
    }
}

impl SheetRow {
    /// Whether it is filled by what is seen in a movement.
    pub(super) const fn is_watched(&self) -> bool {
        matches!(self.take, Take::Seen { .. })
    }

    /// Whether a try of it can be struck: what is watched is taken back instead.
    pub(super) const fn is_struck_from(&self) -> bool {
        !matches!(self.take, Take::Seen { .. } | Take::Ladder { .. })
    }

    /// Whether there is such a key for it.
    pub fn looks_for(&self, what: &str) -> bool {
        matches!(&self.take, Take::Seen { keys, .. } if keys.iter().any(|k| k.input == self.input && k.label == what))
    }

    /// The last stage passed of so many, once that is known: a stage failed, or all of them were passed, or it was typed.
    pub(super) fn stage_passed(&self, of: usize) -> Option<f64> {
        let last = &self.cells.last()?.value;
        match last {
            Value::Yes(passed) => {
                let done = self.cells.len() - usize::from(!passed);
                (!passed || done >= of).then_some(done as f64)
            }
            typed => typed.number(),
        }
    }
}
