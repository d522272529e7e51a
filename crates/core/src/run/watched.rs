//! What is watched rather than read: stages that are passed or not, and what is seen in one movement.

use super::state::{SheetCell, SheetRow, SheetState};
use crate::{attempts::Take, inputs::Value};

impl SheetState {
    /// A stage of a ladder was passed or not: what that was, in words. `stage`: which, where it was chosen.
    pub(super) fn try_stage(&mut self, input: &str, stage: Option<u8>, passed: bool, at: f64) -> Option<String> {
        let row = self.row(input, None)?;
        let row = &mut self.rows[row];
        let next = row.next_stage()?;
        let stage = stage.filter(|s| row.may_try(*s)).unwrap_or(next);
        row.cells.push(SheetCell::of(Value::Yes(passed), at));
        row.tried.push(stage);
        Some(format!("stage {stage} {}", if passed { "passed" } else { "failed" }))
    }

    /// Says of each ladder that is over what is counted now; nought where not even its first stage was passed.
    pub(super) fn call_stages(&mut self) {
        let over: Vec<(String, f64, f64, Option<String>)> = self
            .rows
            .iter()
            .filter_map(|row| {
                let Take::Ladder { stages, then, .. } = &row.take else { return None };
                let stage = row.stage_passed()?;
                let words = (stage as usize).checked_sub(1).and_then(|k| stages.get(k)).cloned();
                Some((then.clone()?, stage, row.cells.last()?.at_ms, words))
            })
            .collect();
        for row in &mut self.rows {
            row.stage = row.next_stage();
        }
        for (then, stage, at, words) in over {
            let Some(counted) = self.row(&then, None).map(|k| &mut self.rows[k]) else { continue };
            counted.how = Some(words.map_or_else(
                || "Stage 1 was not passed: the score is 0.".to_owned(),
                |words| format!("Stage {stage}, {words}: as many as possible."),
            ));
            if stage == 0.0 && counted.cells.is_empty() {
                counted.cells.push(SheetCell::of(Value::Number(0.0), at));
            }
        }
    }

    /// The inputs that are asked because a stage failed.
    pub(super) fn asked_why(&self) -> Vec<String> {
        let failed = |row: &&SheetRow| row.cells.iter().any(|c| c.value == Value::Yes(false));
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

    /// How many stages its ladder has, and whether the first one tried may be chosen.
    fn ladder(&self) -> Option<(u8, bool)> {
        match &self.take {
            Take::Ladder { stages, from_any, .. } => Some((u8::try_from(stages.len()).unwrap_or(u8::MAX), *from_any)),
            _ => None,
        }
    }

    /// Each stage that was tried, and whether it was passed.
    fn stages(&self) -> impl Iterator<Item = (u8, bool)> + '_ {
        self.tried.iter().copied().zip(self.cells.iter().map(|c| c.value == Value::Yes(true)))
    }

    /// The stage that is next: up while each is passed, down while none was; nothing once the hardest passed is known.
    pub(super) fn next_stage(&self) -> Option<u8> {
        let (of, from_any) = self.ladder()?;
        let Some((stage, passed)) = self.stages().last() else { return self.cells.is_empty().then_some(1) };
        let was = |wanted: (u8, bool)| self.stages().any(|s| s == wanted);
        match passed {
            true if stage < of && !was((stage + 1, false)) => Some(stage + 1),
            false if from_any && stage > 1 && !was((stage - 1, true)) => Some(stage - 1),
            _ => None,
        }
    }

    /// Whether a stage may be tried now: the next one; the first time any, where it may be chosen.
    pub fn may_try(&self, stage: u8) -> bool {
        let free = |(of, from_any): (u8, bool)| from_any && self.cells.is_empty() && (1..=of).contains(&stage);
        self.next_stage() == Some(stage) || self.ladder().is_some_and(free)
    }

    /// The hardest stage passed, once that is known: 0 where none was; or it was typed.
    pub(super) fn stage_passed(&self) -> Option<f64> {
        if self.tried.is_empty() {
            return self.cells.last()?.value.number();
        }
        let hardest = self.stages().filter(|(_, passed)| *passed).map(|(stage, _)| stage).max();
        self.next_stage().is_none().then(|| hardest.map_or(0.0, f64::from))
    }
}
