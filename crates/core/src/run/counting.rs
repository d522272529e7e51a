//! What is counted on a sheet: repetitions one by one, and a set that turned out too long.

use super::{
    event::{Event, Kind},
    lift::to_plates,
    setup::Setup,
    state::{LoadAdvice, RestState, SheetCell, SheetState, State},
};
use crate::{
    attempts::{Heavier, Take},
    catalogue::{PhaseKind, Protocol},
    inputs::Value,
    quantity,
    units::{Units, rounded},
};

impl SheetState {
    pub(super) fn count(&mut self, protocol: &Protocol, state: &mut State, event: &Event, at: f64) {
        let Kind::Counted { input, side, by } = &event.kind else { return };
        let (side, by) = (side.as_deref(), *by);
        // Nothing is counted before the work or after its bell; what did not count may be crossed out afterwards.
        let work = state.timeline.phase(PhaseKind::Work);
        let rung = work.and_then(|w| w.end_ms).is_some_and(|end| at > end);
        let rung = rung || self.beats.is_some_and(|b| b.over_ms.is_some());
        let begun = work.is_none_or(|w| at >= w.start_ms);
        let is_counted = |row: &usize| match &self.rows[*row].take {
            Take::Count { seconds: Some(s), .. } => by < 0 || self.bout_ms(*row).is_some_and(|from| at <= from + f64::from(*s) * 1000.0),
            Take::Count { half_at_bell, .. } => by < 0 || !rung || (*half_at_bell && !self.rows[*row].after_bell),
            _ => false,
        };
        let Some(row) = self.row_counted(input, side).filter(is_counted).filter(|_| begun) else { return };
        let held = self.rows[row].cells.last().and_then(|c| c.value.number());
        let now = held.unwrap_or(0.0) + f64::from(by);
        if now < 0.0 {
            return;
        }
        self.rows[row].after_bell |= rung && by > 0;
        if let Some(beats) = self.beats.as_mut().filter(|_| by > 0) {
            beats.missed = 0;
        }
        if let (Take::Count { heavier: Some(heavier), .. }, Some(most)) = (&self.rows[row].take, protocol.input(input).map(|i| i.max)) {
            let until_ms = at + f64::from(heavier.rest_s) * 1000.0;
            self.rest = (now > most).then_some(RestState { from_ms: at, until_ms, at_most_ms: None });
        }
        match self.rows[row].cells.last_mut() {
            Some(cell) => {
                cell.value = Value::Number(now);
                cell.struck += u32::from(by < 0);
            }
            None => self.rows[row].cells.push(SheetCell::of(Value::Number(now), at)),
        }
        state.can_undo(event, if by < 0 { "the struck repetition" } else { "the repetition" });
    }

    /// A set of too many repetitions: its load, its count, and what follows it, by the place of each row.
    pub(super) fn too_many(&self, protocol: &Protocol) -> Option<(usize, usize, &Heavier)> {
        self.rows.iter().enumerate().find_map(|(k, row)| {
            let Take::Count { heavier: Some(heavier), .. } = &row.take else { return None };
            let most = protocol.input(&row.input)?.max;
            let count = row.cells.last()?.value.number()?;
            (count > most).then_some((self.row(&heavier.load, None)?, k, heavier))
        })
    }

    /// A new load after a set of too many: that set is over and stands as a remark.
    pub(super) fn put_set_away(&mut self, protocol: &Protocol, input: &str, units: Units) -> Option<String> {
        let (load, count, _) = self.too_many(protocol).filter(|(load, ..)| self.rows[*load].input == input)?;
        let (kg, reps) = (self.rows[load].cells.last()?.value.number()?, self.rows[count].cells.last()?.value.number()?);
        let most = protocol.input(&self.rows[count].input)?.max;
        self.rows[count].cells.clear();
        let set = format!("{} × {}", quantity::said("load_kg", kg, units), rounded(reps, 0));
        Some(format!("{set}: no estimate from more than {} repetitions; a heavier set followed.", rounded(most, 0)))
    }

    /// When the bout that a counted row belongs to was started, ms of the run's clock.
    pub(super) fn bout_ms(&self, row: usize) -> Option<f64> {
        let row = &self.rows[row];
        let bout = self.rows.iter().find(|r| r.leg == row.leg && r.side == row.side && !r.is_beside())?;
        bout.cells.first().map(|c| c.at_ms)
    }

    /// After a set of too many: why another one, and with how much.
    pub(super) fn ask_for_heavier(&mut self, protocol: &Protocol, setup: &Setup) -> Option<LoadAdvice> {
        let (load, count, heavier) = self.too_many(protocol)?;
        let kg = self.rows[load].cells.last()?.value.number()?;
        let said = |share: f64| quantity::said("load_kg", to_plates(kg * share, setup.units), setup.units);
        let (from, to) = (said(heavier.from), said(heavier.to));
        let loads = if from == to { from } else { format!("{from} to {to}") };
        let takes = protocol.input(&self.rows[count].input).map_or(0.0, |i| i.max);
        let because = format!(
            "More than {} repetitions give no estimate. When the set is over, rest {} minutes, then lift {loads}.",
            rounded(takes, 0),
            rounded(f64::from(heavier.rest_s) / 60.0, 1)
        );
        let kg = Some(to_plates(kg * heavier.from, setup.units));
        self.rows[count].again = Some(because.clone());
        Some(LoadAdvice { kg, because })
    }
}
