//! The state of a run: what the fold leads to and every engine writes in. Types only; what they mean is decided elsewhere.

mod counted;
mod effort;
mod hold;
mod sheet;
mod stage;
mod timeline;

use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::{
    decision::{Decision, Due, Taken},
    event::{Event, StopReason},
};
use crate::{
    estimate::{StageLine, cycle::Load},
    strap::StrapState,
};
pub use counted::Reading;
pub use effort::EffortState;
pub use hold::{HoldState, MarkState};
pub use sheet::{Choice, LoadAdvice, RestState, SheetCell, SheetRow, SheetState, WatchState};
pub use stage::{Band, LoadDue, MinuteReading, StageState};
pub use timeline::{Beat, Call, Span, Timeline};

/// Where a run stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Status {
    /// Set up, the clock not started.
    Ready,
    /// The clock runs.
    Running,
    /// Stopped early, not yet closed.
    Stopped,
    /// Closed with a reading.
    Finished,
    /// Closed without one.
    FinishedEarly,
}

/// Everything a screen needs to know of a run, apart from the time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct State {
    /// Where it stands.
    pub status: Status,
    /// When the clock started.
    pub started_at: Option<DateTime<Utc>>,
    /// When it was closed.
    pub finished_at: Option<DateTime<Utc>>,
    /// What the clock runs through.
    pub timeline: Timeline,
    /// Attempts at counting, the standing one last.
    pub readings: Vec<Reading>,
    /// Stages done and running.
    pub stages: Vec<StageState>,
    /// The heart rates that count.
    pub band: Option<Band>,
    /// The load that is to be set next.
    pub load_due: Option<LoadDue>,
    /// One step more than the running load, for an assessor who wants to go on.
    pub heavier: Option<Load>,
    /// The extrapolation as it forms.
    pub line: Option<StageLine>,
    /// The effort against the clock.
    pub effort: Option<EffortState>,
    /// A hold.
    pub hold: Option<HoldState>,
    /// The sheet of a test in attempts.
    pub sheet: Option<SheetState>,
    /// Numbers that are due or will be, in order.
    pub dues: Vec<Due>,
    /// Numbers that will be due if the running stage is prolonged: a screen that has lost its line may ask for them.
    pub later: Vec<Due>,
    /// The chest strap, where one is heard.
    pub strap: Option<StrapState>,
    /// The latest decision.
    pub decision: Option<Decision>,
    /// Every decision, oldest first, with what was decided instead.
    pub decisions: Vec<Decision>,
    /// Whether everything a result needs is in.
    pub can_finish: bool,
    /// When the work was over, ms of the run's clock, where the work does not end with the clock.
    pub over_ms: Option<f64>,
    /// When it was stopped early, ms of the run's clock.
    pub stopped_ms: Option<f64>,
    /// Why.
    pub stop_reason: Option<StopReason>,
    /// What was added about stopping.
    pub stop_note: Option<String>,
    /// Spells off the beat.
    pub off_beat: Vec<OffBeat>,
    /// Remarks.
    pub notes: Vec<String>,
    /// The event that undo would take back.
    pub undoable: Option<Undoable>,
    #[serde(skip)]
    pub(super) history: Vec<Undoable>,
}

/// A spell off the beat.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct OffBeat {
    /// From, ms of the run's clock.
    pub from_ms: f64,
    /// Until, ms of the run's clock; nothing while it lasts.
    pub until_ms: Option<f64>,
}

/// What undo would take back.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Undoable {
    /// The event.
    pub event: Uuid,
    /// What it was, in words.
    pub what: String,
}

impl State {
    pub(super) fn new(timeline: Timeline) -> Self {
        Self {
            status: Status::Ready,
            started_at: None,
            finished_at: None,
            timeline,
            readings: Vec::new(),
            stages: Vec::new(),
            band: None,
            load_due: None,
            heavier: None,
            line: None,
            effort: None,
            hold: None,
            sheet: None,
            dues: Vec::new(),
            later: Vec::new(),
            strap: None,
            decision: None,
            decisions: Vec::new(),
            can_finish: false,
            over_ms: None,
            stopped_ms: None,
            stop_reason: None,
            stop_note: None,
            off_beat: Vec::new(),
            notes: Vec::new(),
            undoable: None,
            history: Vec::new(),
        }
    }

    pub(super) fn can_undo(&mut self, event: &Event, what: &str) {
        self.history.push(Undoable { event: event.id, what: what.to_owned() });
    }

    /// The standing attempt at counting.
    pub fn reading(&self) -> Option<&Reading> {
        self.readings.last()
    }

    /// Whether every heart rate that stands is the strap's.
    pub(super) fn is_all_by_strap(&self) -> bool {
        let staged = self.stages.iter().flat_map(|s| s.readings.iter().map(|r| r.taken));
        let mut taken = staged.chain(self.effort.iter().filter_map(|e| e.heart_rate_taken)).peekable();
        taken.peek().is_some() && taken.all(|t| t == Taken::Strap)
    }

    pub(super) fn is_off_beat(&self) -> bool {
        self.off_beat.last().is_some_and(|o| o.until_ms.is_none())
    }

    /// Whether nothing more can change the result.
    pub const fn is_closed(&self) -> bool {
        matches!(self.status, Status::Finished | Status::FinishedEarly)
    }
}
