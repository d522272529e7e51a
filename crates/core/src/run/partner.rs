//! What a partner's phone sees of a run, without an account: the clock, the names, and where the one stands whom it counts for. Nothing of
//! anybody else, and nothing of anybody's record.

use std::borrow::Cow;

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::{
    board::{Board, BoardKind, Entry, Tile, TileStand, board},
    decision::Decision,
    event::{Event, Kind, StopReason},
    grid::{Grid, GridCell, GridColumn, GridLine, grid},
    setup::Setup,
    state::Reading,
    view::{PerformerFacts, PerformerView, RunFacts, RunView},
};

/// What only the one it was asked of should know of how a test is done.
const UNTOLD: [&str; 1] = ["heart_rate_drug"];

/// What a partner's phone takes of the one it stands beside.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PartnerTask {
    /// What its large key says; nothing where readings are typed.
    pub kind: Option<BoardKind>,
    /// What is typed.
    pub columns: Vec<GridColumn>,
}

/// Where the one stands whom a phone counts for.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Beside {
    pub slot: u16,
    /// Where many do it on one clock.
    pub stand: Option<TileStand>,
    /// Laps, repetitions or starts so far.
    pub done: u16,
    /// What it comes to so far, with its unit.
    pub shown: Option<String>,
    /// What is to be said of it: a missed beat, that the count is over.
    pub note: Option<String>,
    /// What was taken, where readings are typed.
    pub taken: Vec<TakenBeside>,
    /// The pulse that was counted.
    pub reading: Option<Reading>,
    /// What was decided about it: by the server alone, which knows whom it is about.
    pub decision: Option<Decision>,
}

/// The tries of a reading.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TakenBeside {
    pub input: String,
    pub side: Option<String>,
    /// As each is shown, without the unit.
    pub tries: Vec<String>,
}

impl PartnerTask {
    fn of(view: &RunView) -> Option<Self> {
        if let Some(board) = &view.board {
            let entry = board.tiles.iter().find_map(|t| t.entry.clone()).filter(|e| e.reading);
            let column = |e: Entry| GridColumn {
                input: e.input,
                side: e.side,
                label: e.label,
                unit: e.unit,
                tries: 1,
                signs: None,
                usual: e.usual,
                taken: 0,
                lift: false,
            };
            let columns = entry.filter(|_| matches!(board.kind, BoardKind::Count | BoardKind::Beat)).map(column);
            return Some(Self { kind: Some(board.kind), columns: columns.into_iter().collect() });
        }
        // Whether a load was made is whoever leads's to say.
        let columns = view.grid.as_ref()?.columns.iter().filter(|c| !c.lift).cloned().collect();
        Some(Self { kind: None, columns })
    }
}

impl Beside {
    fn of(slot: u16, on_board: Option<&Board>, on_grid: Option<&Grid>, reading: Option<Reading>) -> Self {
        let mut one = Self { slot, stand: None, done: 0, shown: None, note: None, taken: Vec::new(), reading, decision: None };
        if let Some(board) = on_board
            && let Some(Tile { stand, done, shown, note, .. }) = board.tiles.iter().find(|t| t.slot == slot)
        {
            // Why somebody is out is between them and whoever leads.
            let is_told = *stand != TileStand::Out && board.kind != BoardKind::Line;
            (one.stand, one.done, one.shown, one.note) = (Some(*stand), *done, shown.clone(), note.clone().filter(|_| is_told));
        }
        if let Some(grid) = on_grid
            && let Some(line) = grid.lines.iter().find(|l| l.slot == slot)
        {
            one.taken = taken(&grid.columns, line);
        }
        one
    }
}

/// What was taken of somebody, each reading that has a try.
fn taken(columns: &[GridColumn], line: &GridLine) -> Vec<TakenBeside> {
    let tries = |(column, cells): (&GridColumn, &Vec<GridCell>)| TakenBeside {
        input: column.input.clone(),
        side: column.side.clone(),
        tries: cells.iter().map(|c| c.shown.clone()).collect(),
    };
    columns.iter().zip(&line.cells).filter(|(_, cells)| !cells.is_empty()).map(tries).collect()
}

/// A run as partners see it: what is the same for all of them, and of each performer what the phone beside them sees.
#[derive(Debug, Clone)]
pub struct ForPartners {
    shared: RunView,
    each: Vec<Beside>,
}

impl ForPartners {
    /// As the phone sees it that counts for the one in this slot; nobody's where none was chosen.
    pub fn beside(&self, slot: Option<u16>) -> RunView {
        let mut shown = self.shared.clone();
        let Some(own) = self.each.iter().find(|b| Some(b.slot) == slot) else { return shown };
        if let Some(performer) = shown.performers.iter_mut().find(|p| p.slot == own.slot) {
            (performer.reading, performer.decision) = (own.reading.clone(), own.decision.clone());
        }
        shown.beside = Some(own.clone());
        shown
    }
}

impl RunView {
    /// What partners without an account may see: the clock and the names, each the one they count for, nothing of anybody's record.
    pub fn for_partners(&self) -> ForPartners {
        let of = |p: &PerformerView| Beside {
            decision: p.decision.clone(),
            ..Beside::of(p.slot, self.board.as_ref(), self.grid.as_ref(), p.reading.clone())
        };
        let each = self.performers.iter().map(of).collect();
        let mut shared = Self { task: PartnerTask::of(self), board: None, grid: None, performers: Vec::new(), ..self.clone() };
        shared.person = None;
        shared.conditions = Vec::new();
        shared.state.notes = Vec::new();
        shared.state.stop_note = None;
        (shared.result, shared.visit, shared.group_visit) = (None, None, None);
        let name = |p: &PerformerView| PerformerView { person: None, result: None, out: None, reading: None, decision: None, ..p.clone() };
        shared.performers = self.performers.iter().map(name).collect();
        ForPartners { shared, each }
    }
}

impl Setup {
    /// What of it moves clock, beat and entry.
    fn for_partner(&self) -> Self {
        let mut conditions = self.conditions.clone();
        conditions.retain(|key, _| !UNTOLD.contains(&key.as_str()));
        Self {
            conditions,
            cadence: self.cadence,
            takes: self.takes.clone(),
            units: self.units,
            together: self.together,
            start_after_s: self.start_after_s,
            ..Self::default()
        }
    }
}

impl Event {
    /// As the phone has it that counts for the one in this slot; nothing where it is not theirs.
    fn for_partner(&self, slot: u16) -> Option<Self> {
        let is_theirs = self.slot.is_none_or(|s| s == slot) && !matches!(self.kind, Kind::Noted { .. } | Kind::StopExplained { .. });
        let kind = match &self.kind {
            Kind::LeftRun { .. } => Kind::LeftRun { reason: StopReason::Volitional },
            Kind::RecountWaived { .. } => Kind::RecountWaived { reason: None },
            kind => kind.clone(),
        };
        is_theirs.then(|| Self { kind, ..self.clone() })
    }
}

impl RunFacts<'_> {
    /// How the run was set up for the one in this slot, without a fact about them: enough for a phone to work out what it counts. Nothing
    /// for a slot that nobody has.
    pub fn for_partner(&self, slot: u16) -> Option<RunFacts<'_>> {
        let own = self.performers.iter().find(|p| p.slot == slot)?;
        let own = PerformerFacts {
            slot,
            tag: own.tag,
            person: None,
            name: Cow::Borrowed(own.name.as_ref()),
            setup: Cow::Owned(own.setup.for_partner()),
            result: None,
        };
        Some(RunFacts {
            id: self.id,
            protocol: Cow::Borrowed(self.protocol.as_ref()),
            performers: vec![own],
            join_code: self.join_code.clone(),
            visit: None,
            group_visit: None,
            rehearsal_rate: self.rehearsal_rate,
            created_at: self.created_at,
            clock_rate: self.clock_rate,
            closed: self.closed,
        })
    }

    /// Where the one in this slot stands after these events, as far as a phone without their facts can tell.
    pub fn beside(&self, events: &[Event], slot: u16) -> Option<Beside> {
        let setup = self.performers.iter().find(|p| p.slot == slot)?.setup.as_ref();
        let state = self.state_of(events, slot)?;
        let one = [(slot, setup, &state)];
        let on_board = setup.together.then(|| board(&self.protocol, &one, events)).flatten();
        let on_grid = if setup.together { None } else { grid(&self.protocol, &one) };
        Some(Beside::of(slot, on_board.as_ref(), on_grid.as_ref(), state.readings().last().cloned()))
    }
}

/// What of these the phone is told that counts for the one in this slot, and the keys of the others: of them it knows that they were.
/// `stand_in` names the screen of an event that another device sent, in place of its own name; nothing for what this phone sent itself. A
/// phone that knows the name and number of a screen could write as that screen.
pub fn told(events: &[Event], slot: u16, stand_in: impl Fn(&Event) -> Option<Uuid>) -> (Vec<Event>, Vec<Uuid>) {
    let (mut told, mut hidden) = (Vec::new(), Vec::new());
    for event in events {
        match event.for_partner(slot) {
            Some(own) => told.push(match stand_in(event) {
                Some(device) => Event { device, seq: 0, ..own },
                None => own,
            }),
            None => hidden.push(event.id),
        }
    }
    (told, hidden)
}
