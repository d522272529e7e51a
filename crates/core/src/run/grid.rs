//! Names × tries: what many performers of one test have done, and who is up next. Nothing is decided here that a sheet does not decide.

use serde::{Deserialize, Serialize};

use super::{
    setup::Setup,
    state::{SheetRow, SheetState, State},
};
use crate::{
    catalogue::{InputKind, Protocol, Signs, Usual},
    inputs::Value,
    quantity, reading,
    test_record::{self, TestRecord},
    units::{Units, rounded},
};

/// What many have done in one test.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Grid {
    /// What is taken, in the order in which it is taken.
    pub columns: Vec<GridColumn>,
    /// Everybody, in the order of the slots.
    pub lines: Vec<GridLine>,
    /// The slots of those who have something to do, the one who is up first.
    pub up: Vec<u16>,
}

/// One reading, of one side.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct GridColumn {
    pub input: String,
    pub side: Option<String>,
    /// What it is called.
    pub label: String,
    /// Unit as it is kept.
    pub unit: String,
    /// How many tries it takes at the most.
    pub tries: u8,
    /// What lies on either side of its zero: a length is typed, and one of the two is chosen.
    pub signs: Option<Signs>,
    /// From which to which value is usual.
    pub usual: Option<Usual>,
    /// How many tries somebody has taken of it at the most.
    pub taken: usize,
}

/// What somebody has done.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct GridLine {
    pub slot: u16,
    /// Units that their numbers are shown and typed in.
    pub units: Units,
    /// Tries by column.
    pub cells: Vec<Vec<GridCell>>,
    /// The column that is next for them.
    pub next: Option<usize>,
    /// What it comes to so far, with its unit.
    pub best: Option<String>,
    /// What it came to last time, with its unit.
    pub last: Option<String>,
    /// Whether it is better than last time.
    pub better: bool,
    /// Whether it can be saved.
    pub complete: bool,
}

/// A try.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct GridCell {
    /// In the column's unit; nothing where it was passed.
    pub value: Option<f64>,
    /// As it is shown, without the unit.
    pub shown: String,
    pub counts: bool,
}

/// The grid of a test that suits one.
pub fn grid(protocol: &Protocol, performers: &[(u16, &Setup, &State)]) -> Option<Grid> {
    if !protocol.suits_grid() {
        return None;
    }
    let sheets: Vec<(u16, &Setup, &State, &SheetState)> =
        performers.iter().filter_map(|(slot, setup, state)| Some((*slot, *setup, *state, state.sheet()?))).collect();
    // Everybody's rows in the order of the test: one who is agreed to do it another way has another column.
    let mut columns: Vec<GridColumn> = Vec::new();
    for row in sheets.iter().flat_map(|(.., sheet)| &sheet.rows).filter(|r| r.kind == InputKind::Number) {
        match columns.iter_mut().find(|c| c.input == row.input && c.side == row.side) {
            Some(known) => known.taken = known.taken.max(row.cells.len()),
            None => columns.push(column(row)),
        }
    }
    let lines: Vec<GridLine> =
        sheets.iter().map(|(slot, setup, state, sheet)| line(protocol, &columns, (*slot, setup, state, sheet))).collect();
    // The one with the fewest tries first, in the order of the slots; who was put last after the others of the same round.
    let tries = |sheet: &SheetState| sheet.rows.iter().map(|r| r.cells.len()).sum::<usize>();
    let mut up: Vec<(u32, usize, u16)> = sheets
        .iter()
        .zip(&lines)
        .filter(|(_, line)| line.next.is_some())
        .map(|((slot, .., sheet), _)| (sheet.put_last, tries(sheet), *slot))
        .collect();
    up.sort_unstable();
    Some(Grid { columns, lines, up: up.into_iter().map(|(.., slot)| slot).collect() })
}

fn column(row: &SheetRow) -> GridColumn {
    GridColumn {
        input: row.input.clone(),
        side: row.side.clone(),
        label: row.side.as_ref().map_or_else(|| row.label.clone(), |side| format!("{}, {side}", row.label)),
        unit: row.unit.clone(),
        tries: row.tries,
        signs: row.signs.clone(),
        usual: row.usual,
        taken: row.cells.len(),
    }
}

fn line(protocol: &Protocol, columns: &[GridColumn], (slot, setup, state, sheet): (u16, &Setup, &State, &SheetState)) -> GridLine {
    let of = |column: &GridColumn| sheet.row(&column.input, column.side.as_deref()).map(|k| &sheet.rows[k]);
    let cell = |row: &SheetRow, value: &Value, counts: bool, passed: bool| GridCell {
        value: value.number().filter(|_| !passed),
        shown: if passed { "–".into() } else { value.number().map(|n| shown(row, n, setup.units)).unwrap_or_default() },
        counts,
    };
    let cells = |column: &GridColumn| {
        let row = of(column)?;
        Some(row.cells.iter().map(|c| cell(row, &c.value, c.counts, c.passed)).collect())
    };
    let next = sheet.next.map(|k| &sheet.rows[k]).and_then(|row| columns.iter().position(|c| c.input == row.input && c.side == row.side));
    let now = scores(protocol, setup, sheet);
    let said = |values: &[(String, f64)]| {
        let words: Vec<String> = values.iter().map(|(key, v)| reading::said(protocol, &setup.conditions, key, *v, setup.units)).collect();
        (!words.is_empty()).then(|| words.join(" · "))
    };
    let last: Vec<(String, f64)> =
        heard(protocol).into_iter().filter_map(|key| Some((key.clone(), *setup.last_values.get(&key)?))).collect();
    let beats = |(key, value): &(String, f64)| {
        let before = setup.last_values.get(key).copied()?;
        let better = quantity::better(key)?;
        Some(if better == quantity::Better::Less { *value < before } else { *value > before })
    };
    GridLine {
        slot,
        units: setup.units,
        cells: columns.iter().map(|c| cells(c).unwrap_or_default()).collect(),
        next,
        best: said(&now),
        last: said(&last),
        better: now.iter().filter_map(beats).any(|b| b),
        complete: state.can_finish,
    }
}

fn shown(row: &SheetRow, value: f64, units: Units) -> String {
    if row.unit == "s" && value >= 60.0 {
        return quantity::minutes(value);
    }
    let side = row.signs.as_ref().and_then(|s| s.side_of(value));
    let (n, _) = quantity::as_typed(if side.is_some() { value.abs() } else { value }, &row.unit, units);
    side.map_or_else(|| rounded(n, 2), |side| format!("{side} {}", rounded(n, 2)))
}

/// What a test is heard through first: its measure, or both sides of it.
fn heard(protocol: &Protocol) -> Vec<String> {
    let headline = protocol.headline();
    let of_a_side = ["right", "left"].map(|side| format!("{}.{side}", quantity::base(headline)));
    let known = |key: &String| protocol.scored(key).is_some();
    if of_a_side.iter().all(known) { of_a_side.to_vec() } else { vec![headline.to_owned()] }
}

/// What the tries so far come to.
fn scores(protocol: &Protocol, setup: &Setup, sheet: &SheetState) -> Vec<(String, f64)> {
    let mut inputs = sheet.inputs();
    if inputs.is_empty() {
        return Vec::new();
    }
    setup.fill(protocol, &mut inputs);
    let conditions = setup.recorded(protocol);
    let record = TestRecord::under(protocol, setup.facts(), &inputs, &conditions);
    let Ok(outcome) = test_record::compute(&record) else { return Vec::new() };
    heard(protocol).into_iter().filter_map(|key| Some((key.clone(), outcome.result(&key)?.value))).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{
        catalogue,
        run::{Event, Kind, fold_slot},
    };
    use chrono::{DateTime, TimeDelta, Utc};
    use proptest::prelude::*;
    use uuid::Uuid;

    fn jump() -> &'static Protocol {
        catalogue::find("vertical-jump").unwrap()
    }

    fn event(device: u128, seq: u32, at_s: i64, slot: Option<u16>, kind: Kind) -> Event {
        let start: DateTime<Utc> = "2026-09-12T10:00:00Z".parse().unwrap();
        let id = Uuid::from_u128(device << 64 | u128::from(seq));
        Event {
            id,
            device: Uuid::from_u128(device),
            seq,
            mono_ms: at_s as f64 * 1000.0,
            wall: start + TimeDelta::seconds(at_s),
            slot,
            kind,
        }
    }

    fn taken(input: &str, value: f64) -> Kind {
        Kind::Taken { input: input.into(), side: None, attempt: None, value: Value::Number(value) }
    }

    fn of(setups: &[Setup], events: &[Event]) -> Grid {
        let states: Vec<State> = (0..setups.len()).map(|slot| fold_slot(jump(), &setups[slot], events, slot as u16)).collect();
        let all: Vec<_> = setups.iter().zip(&states).enumerate().map(|(slot, (setup, state))| (slot as u16, setup, state)).collect();
        grid(jump(), &all).unwrap()
    }

    fn three() -> Vec<Setup> {
        let last = |jump: f64| Setup { last_values: [("height_cm".to_owned(), jump)].into(), ..Setup::default() };
        vec![last(44.0), last(52.0), Setup::default()]
    }

    #[test]
    fn best_and_better_than_last_time_at_once_and_who_is_up() {
        let mut events = vec![event(1, 1, 0, None, Kind::ClockStarted)];
        let mut seq = 1;
        let mut say = |slot: u16, kind: Kind, events: &mut Vec<Event>| {
            seq += 1;
            events.push(event(1, seq, i64::from(seq) * 5, Some(slot), kind));
        };
        assert_eq!(of(&three(), &events).up, [0, 1, 2]);
        say(0, taken("reach_cm", 230.0), &mut events);
        say(0, taken("touch_cm", 276.0), &mut events);
        let now = of(&three(), &events);
        assert_eq!(
            (now.lines[0].best.as_deref(), now.lines[0].last.as_deref(), now.lines[0].better),
            (Some("46.0 cm"), Some("44.0 cm"), true)
        );
        assert_eq!(now.up, [1, 2, 0], "who has fewer tries is up first");
        assert!(now.lines[0].complete && !now.lines[1].complete);
        // Passed and put last: a try is used up, and the others go first.
        say(1, taken("reach_cm", 240.0), &mut events);
        say(1, Kind::Passed { input: "touch_cm".into(), side: None }, &mut events);
        say(2, Kind::PutLast, &mut events);
        let now = of(&three(), &events);
        assert_eq!(now.up, [0, 1, 2]);
        let touch = now.columns.iter().position(|c| c.input == "touch_cm").unwrap();
        assert_eq!(now.lines[1].cells[touch], [GridCell { value: None, shown: "–".into(), counts: false }]);
        assert_eq!((now.lines[1].best.clone(), now.lines[2].last.clone()), (None, None));
        // A struck try counts no more; one that was passed stays passed.
        say(0, Kind::Struck { input: "touch_cm".into(), side: None, attempt: 1 }, &mut events);
        say(1, Kind::Struck { input: "touch_cm".into(), side: None, attempt: 1 }, &mut events);
        let now = of(&three(), &events);
        assert_eq!((now.lines[0].best.clone(), now.lines[0].cells[touch][0].counts), (None, false));
        assert!(now.lines[1].cells[touch][0].value.is_none());
    }

    #[test]
    fn what_is_decided_on_the_way_has_no_grid() {
        for id in ["one-rm", "staged-sit-up", "plank", "class-step-3min", "multistage-cycle"] {
            assert!(!catalogue::find(id).unwrap().suits_grid(), "{id}");
        }
        for id in ["vertical-jump", "t-agility", "sit-reach", "sprint", "push-up"] {
            assert!(catalogue::find(id).unwrap().suits_grid(), "{id}");
        }
    }

    proptest! {
        /// Two devices at one station: in whatever order their entries arrive, the grid and the results are the same.
        #[test]
        fn any_interleaving_of_two_devices_gives_the_same_grid(
            entries in prop::collection::vec((0u16..3, 0..4, 230.0..300.0f64, 1u128..3), 0..40), turn in 0usize..40
        ) {
            let mut seq = [0u32; 3];
            let mut events = vec![event(9, 1, 0, None, Kind::ClockStarted)];
            for (k, (slot, what, value, device)) in entries.into_iter().enumerate() {
                let kind = match what {
                    0 => taken("reach_cm", (value - 40.0).round()),
                    1 => taken("touch_cm", value.round()),
                    2 => Kind::Passed { input: "touch_cm".into(), side: None },
                    _ => Kind::PutLast,
                };
                seq[device as usize] += 1;
                events.push(event(device, seq[device as usize], 5 + k as i64, Some(slot), kind));
            }
            let first = of(&three(), &events);
            let by = turn % events.len();
            events.rotate_left(by);
            events.reverse();
            let twice = events.clone();
            events.extend(twice);
            prop_assert_eq!(of(&three(), &events), first);
        }
    }
}
