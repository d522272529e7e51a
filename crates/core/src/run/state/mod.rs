//! The state of a run: what the fold leads to and every engine writes in. Types only; what they mean is decided elsewhere.

mod beeps;
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
use crate::strap::StrapState;
pub use beeps::{BeepState, Ended, Piece};
pub use counted::{CountedState, Reading};
pub use effort::EffortState;
pub use hold::{HoldState, MarkState};
pub use sheet::{Choice, LoadAdvice, MissedBeats, RestState, SheetCell, SheetRow, SheetState, WatchState};
pub use stage::{Band, LoadDue, MinuteReading, StageState, StagedState};
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
    /// Stopped and saved as stopped: what was read is kept, and it is no score.
    FinishedEarly,
    /// Stopped and thrown away: nothing is kept but the log.
    Discarded,
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
    /// What only this way of testing knows.
    pub of: FamilyState,
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
    /// The VO2max that the readings so far give, of a test that estimates it.
    pub estimate: Option<EstimateNow>,
    /// When the work was over, ms of the run's clock, where the work does not end with the clock.
    pub over_ms: Option<f64>,
    /// When this one of many set off, ms of the run's clock, where that was later than the start.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub set_off_ms: Option<f64>,
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
    /// What undo would take back, the newest last; no more than the newest [`UNDOABLE_MAX`].
    pub undoable: Vec<Undoable>,
}

/// An estimate while the test still runs.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct EstimateNow {
    /// As shown, without the unit.
    pub shown: String,
    /// How far it may be off: `95 % range 24 to 36 mL/kg/min`.
    pub range: String,
    /// Both ends, mL/kg/min.
    pub low: f64,
    pub high: f64,
}

/// What only one way of testing knows: each is a floor of its own.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "floor", rename_all = "snake_case")]
pub enum FamilyState {
    /// A pulse counted after the work.
    Counted(CountedState),
    /// Stages, each until the heart rate is steady.
    Staged(StagedState),
    /// An effort against the clock.
    Effort(EffortState),
    /// A position held.
    Held(HoldState),
    /// Everything that is taken try by try.
    Sheet(SheetState),
    /// Run to beeps.
    Beeps(BeepState),
    /// Nothing that runs: it is entered afterwards.
    Entered,
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

/// So many steps can be seen to be taken back at once; after them, those before.
pub(super) const UNDOABLE_MAX: usize = 20;

/// What undo would take back.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Undoable {
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
            of: FamilyState::Entered,
            dues: Vec::new(),
            later: Vec::new(),
            strap: None,
            decision: None,
            decisions: Vec::new(),
            can_finish: false,
            estimate: None,
            over_ms: None,
            set_off_ms: None,
            stopped_ms: None,
            stop_reason: None,
            stop_note: None,
            off_beat: Vec::new(),
            notes: Vec::new(),
            undoable: Vec::new(),
        }
    }

    pub(super) fn can_undo(&mut self, event: &Event, what: &str) {
        self.undoable.push(Undoable { event: event.id, what: what.to_owned() });
    }

    /// Attempts at counting, the standing one last; none where nothing is counted.
    pub fn readings(&self) -> &[Reading] {
        if let FamilyState::Counted(of) = &self.of { &of.readings } else { &[] }
    }

    /// The standing attempt at counting.
    pub fn reading(&self) -> Option<&Reading> {
        self.readings().last()
    }

    /// The staged test, where it is one.
    pub const fn staged(&self) -> Option<&StagedState> {
        if let FamilyState::Staged(of) = &self.of { Some(of) } else { None }
    }

    /// Stages done and running; none where there are none.
    pub fn stages(&self) -> &[StageState] {
        self.staged().map_or(&[], |of| &of.stages)
    }

    /// The effort against the clock, where it is one.
    pub const fn effort(&self) -> Option<&EffortState> {
        if let FamilyState::Effort(of) = &self.of { Some(of) } else { None }
    }

    /// The hold, where it is one.
    pub const fn hold(&self) -> Option<&HoldState> {
        if let FamilyState::Held(of) = &self.of { Some(of) } else { None }
    }

    /// The sheet, where the test is taken on one.
    pub const fn sheet(&self) -> Option<&SheetState> {
        if let FamilyState::Sheet(of) = &self.of { Some(of) } else { None }
    }

    /// The run to beeps, where it is one.
    pub const fn beeps(&self) -> Option<&BeepState> {
        if let FamilyState::Beeps(of) = &self.of { Some(of) } else { None }
    }

    /// Whether every heart rate that stands is the strap's.
    pub(super) fn is_all_by_strap(&self) -> bool {
        let staged = self.stages().iter().flat_map(|s| s.readings.iter().map(|r| r.taken));
        let mut taken = staged.chain(self.effort().and_then(|e| e.heart_rate_taken)).peekable();
        taken.peek().is_some() && taken.all(|t| t == Taken::Strap)
    }

    pub(super) fn is_off_beat(&self) -> bool {
        self.off_beat.last().is_some_and(|o| o.until_ms.is_none())
    }

    /// Whether nothing more can change the result.
    pub const fn is_closed(&self) -> bool {
        matches!(self.status, Status::Finished | Status::FinishedEarly | Status::Discarded)
    }
}
