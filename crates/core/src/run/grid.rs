//! Names × tries: what many performers of one test have done, and who is up next. Nothing is decided here that a sheet does not decide.

use serde::{Deserialize, Serialize};

use super::{
    setup::Setup,
    state::{SheetRow, SheetState, State},
};
use crate::{
    attempts::Take,
    catalogue::{InputKind, Protocol, Signs, Usual},
    inputs::{Inputs, Value},
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
    /// It is a load: with each it is said whether it was made.
    #[serde(default)]
    pub lift: bool,
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
    /// The load that is advised next, in their units, where loads are lifted.
    #[serde(default)]
    pub advised: Option<String>,
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
        lift: matches!(row.take, Take::Load { .. }),
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
        // A load that was missed stands crossed out.
        let was_made = |k: usize| match &row.take {
            Take::Load { made, .. } => {
                sheet.row(made, None).and_then(|m| sheet.rows[m].cells.get(k)).is_none_or(|c| c.value == Value::Yes(true))
            }
            _ => true,
        };
        Some(row.cells.iter().enumerate().map(|(k, c)| cell(row, &c.value, c.counts && was_made(k), c.passed)).collect())
    };
    let is_planned = |row: &&SheetRow| !matches!(row.take, Take::Load { attempts: Some(most), .. } if row.cells.len() >= usize::from(most));
    let next = sheet
        .next
        .map(|k| &sheet.rows[k])
        .filter(is_planned)
        .and_then(|row| columns.iter().position(|c| c.input == row.input && c.side == row.side));
    let heard = Heard::of(protocol, setup, &sheet.inputs());
    GridLine {
        slot,
        units: setup.units,
        cells: columns.iter().map(|c| cells(c).unwrap_or_default()).collect(),
        next,
        best: heard.now,
        last: heard.last,
        better: heard.better,
        advised: sheet.advice.as_ref().and_then(|a| a.kg).map(|kg| {
            let (n, unit) = quantity::as_typed(kg, "kg", setup.units);
            quantity::beside(&rounded(n, 1), unit)
        }),
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

/// What a test comes to so far and came to last time, as it is said: through its measure, or both sides of it.
pub(super) struct Heard {
    /// What it comes to so far, with its unit.
    pub now: Option<String>,
    /// What it came to last time, with its unit.
    pub last: Option<String>,
    /// Whether it is better than last time.
    pub better: bool,
}

impl Heard {
    pub(super) fn of(protocol: &Protocol, setup: &Setup, read: &Inputs) -> Self {
        let keys = protocol.heard();
        let now = scores(protocol, setup, read, &keys);
        let last: Vec<(String, f64)> = keys.into_iter().filter_map(|key| Some((key.clone(), *setup.last_values.get(&key)?))).collect();
        let said = |values: &[(String, f64)]| {
            let words: Vec<String> =
                values.iter().map(|(key, v)| reading::said(protocol, &setup.conditions, key, *v, setup.units)).collect();
            (!words.is_empty()).then(|| words.join(" · "))
        };
        let beats = |(key, value): &(String, f64)| {
            let before = setup.last_values.get(key).copied()?;
            let better = quantity::better(key)?;
            Some(if better == quantity::Better::Less { *value < before } else { *value > before })
        };
        // Of two sides neither may be worse: one that gained says nothing of the other.
        let beaten: Vec<bool> = now.iter().filter_map(beats).collect();
        Self { now: said(&now), last: said(&last), better: !beaten.is_empty() && beaten.iter().all(|b| *b) }
    }
}

/// What was read so far comes to.
fn scores(protocol: &Protocol, setup: &Setup, read: &Inputs, keys: &[String]) -> Vec<(String, f64)> {
    if read.is_empty() {
        return Vec::new();
    }
    let mut inputs = read.clone();
    setup.fill(protocol, &mut inputs);
    let conditions = setup.recorded(protocol);
    let record = TestRecord::under(protocol, setup.facts(), &inputs, &conditions);
    let Ok(outcome) = test_record::compute(&record) else { return Vec::new() };
    keys.iter().filter_map(|key| Some((key.clone(), outcome.result(key)?.value))).collect()
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

    /// A bar and six who lift: the load, made or missed, what is advised next, and nobody beyond the plan.
    #[test]
    fn loads_are_made_or_missed_on_a_grid() {
        let lift = catalogue::find("one-rm").unwrap();
        let mut setup = Setup::default();
        setup.conditions.insert("lift".into(), crate::conditions::Answer::Text("back_squat".into()));
        setup.conditions.insert("expected_kg".into(), crate::conditions::Answer::Number(100.0));
        let at = |s: i64| "2026-11-29T10:00:00Z".parse::<DateTime<Utc>>().unwrap() + TimeDelta::seconds(s);
        let mut events: Vec<Event> = Vec::new();
        let mut say = |s: i64, slot: Option<u16>, kind: Kind| {
            let n = events.len() as u128 + 1;
            events.push(Event { id: Uuid::from_u128(n), device: Uuid::from_u128(1), seq: n as u32, mono_ms: 0.0, wall: at(s), slot, kind });
            events.clone()
        };
        let lifted = |load_kg: f64, made: bool| Kind::Lifted { load_kg, made, reason: None };
        say(0, None, Kind::ClockStarted);
        say(10, Some(0), lifted(70.0, true));
        say(20, Some(1), lifted(80.0, false));
        say(30, Some(0), lifted(85.0, true));
        say(40, Some(0), lifted(100.0, false));
        let events = say(50, Some(0), lifted(95.0, true));
        let states: Vec<State> = (0..2).map(|k| fold_slot(lift, &setup, &events, k)).collect();
        let grid = grid(lift, &[(0, &setup, &states[0]), (1, &setup, &states[1])]).unwrap();
        assert_eq!(grid.columns.iter().map(|c| (c.input.as_str(), c.lift)).collect::<Vec<_>>(), [("load_kg", true)]);
        let counts = |k: usize| grid.lines[k].cells[0].iter().map(|c| (c.shown.as_str(), c.counts)).collect::<Vec<_>>();
        assert_eq!(counts(0), [("70", true), ("85", true), ("100", false), ("95", true)]);
        assert_eq!(counts(1), [("80", false)]);
        assert_eq!((grid.lines[0].next, grid.lines[1].next), (None, Some(0)), "four attempts are planned");
        assert!(grid.lines[0].best.as_deref().is_some_and(|b| b.contains("95")));
        assert!(grid.lines[1].advised.as_deref().is_some_and(|a| a.ends_with("kg")));
        assert_eq!(grid.up, [1]);
    }

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
        for id in ["staged-sit-up", "plank", "class-step-3min", "multistage-cycle"] {
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
