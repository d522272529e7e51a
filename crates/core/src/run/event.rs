//! What can happen during a run.

use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

pub use crate::conditions::{Answer, Conditions};
use crate::{inputs::Value, strap::Heard, strap_bytes};

/// One thing that happened, as the screen that saw it reports it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Event {
    /// Made by the screen; the same id is the same event.
    pub id: Uuid,
    /// The screen it comes from: one id a page load.
    pub device: Uuid,
    /// Counts up from 1 on each screen, without gaps.
    pub seq: u32,
    /// The screen's monotonic clock, milliseconds; only differences within one `device` mean anything.
    pub mono_ms: f64,
    /// When it happened, corrected to the server's clock.
    pub wall: DateTime<Utc>,
    /// To which of many performers; to all of them, or to the only one, where absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub slot: Option<u16>,
    /// What happened.
    #[serde(flatten)]
    pub kind: Kind,
}

impl Event {
    /// True if this is the same entry, sent once more. Its number may have moved up, and its moment may have been moved onto the run's
    /// clock; what happened, to whom, and when by the screen's own clock stays.
    pub fn is_same(&self, other: &Self) -> bool {
        self.id == other.id && self.slot == other.slot && self.mono_ms == other.mono_ms && self.kind == other.kind
    }
}

/// What happened.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Kind {
    /// The clock was started; the count-in begins.
    ClockStarted,
    /// A beat of the pulse was tapped.
    Tap,
    CountTyped {
        /// Beats in the window; halves allowed.
        count: f64,
    },
    /// A second count starts now.
    RecountStarted,
    /// The assessor decided against a recount.
    RecountWaived {
        /// Why, in the assessor's words.
        reason: Option<String>,
    },
    /// A heart rate was read at the end of a minute of a stage.
    HeartRateRead {
        /// The stage, from 1.
        stage: u8,
        /// The minute of the stage, from 1.
        minute: u8,
        bpm: f64,
    },
    /// The pulse was counted in a window: at the end of a minute of a stage, or, with stage and minute 0, after an effort.
    HeartRateCounted {
        /// The stage, from 1; 0 after an effort.
        stage: u8,
        /// The minute of the stage, from 1; 0 after an effort.
        minute: u8,
        /// Beats in the window; halves allowed.
        count: f64,
        /// Length of the window, s.
        window_s: f64,
    },
    /// The rate of the latest taps is taken as the reading; stage and minute as above.
    HeartRateTapped { stage: u8, minute: u8 },
    /// A questioned heart rate stands.
    HeartRateConfirmed { stage: u8, minute: u8 },
    /// A load was set: a new stage begins, or the running one is corrected before its first reading.
    LoadSet {
        /// The stage, from 1.
        stage: u8,
        /// Load, kgm/min.
        kgm_min: f64,
        /// Why, where it is not the load that was decided.
        reason: Option<String>,
    },
    /// The assessor wants one more minute of the running stage.
    MinuteAdded {
        stage: u8,
        /// Why.
        reason: String,
    },
    /// The assessor takes the stage as steady.
    StageAccepted {
        stage: u8,
        /// Why.
        reason: String,
    },
    /// One more lap, or one more repetition.
    Tallied,
    /// The finish line was crossed.
    Crossed,
    /// Somebody crossed it, and nobody has said who: a time without a name.
    TimeKeyed,
    /// A time that was keyed is this one's.
    Named {
        /// The event that keyed it.
        time: Uuid,
    },
    /// One of many set off later than the clock was started: their own time begins here.
    SetOff,
    /// A number that was due after the effort.
    ValueTyped {
        /// The input's key.
        key: String,
        /// In the input's unit.
        value: f64,
    },
    /// Something was seen on the way of a hold.
    Marked {
        /// The input its second fills.
        mark: String,
    },
    /// The position was lost: the hold is over.
    PositionLost,
    /// The position could not be taken: a score of nothing.
    PositionNotTaken,
    /// A reading was taken: typed, measured, answered.
    Taken {
        input: String,
        /// The side, where it is taken on two.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        side: Option<String>,
        /// The try that is written anew, from 1; one more try where absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        attempt: Option<u8>,
        /// What was taken.
        #[cfg_attr(feature = "schema", schema(value_type = serde_json::Value))]
        value: Value,
    },
    /// A try does not count; or counts again.
    Struck {
        input: String,
        /// The side, where it is taken on two.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        side: Option<String>,
        /// The try, from 1.
        attempt: u8,
    },
    /// A try is passed: it is used up, and nothing stands in it.
    Passed {
        input: String,
        /// The side, where it is taken on two.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        side: Option<String>,
    },
    /// One of many goes on after everybody else: up again at the end.
    PutLast,
    /// One more repetition; or one crossed out.
    Counted {
        input: String,
        /// The side, where it is taken on two.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        side: Option<String>,
        /// 1, or −1 for one that did not count.
        by: i8,
    },
    /// A beat went by without a repetition.
    BeatMissed,
    /// A line was not reached by its beep.
    LineMissed,
    /// A runner left a run to beeps: their score is what they completed.
    LeftRun { reason: StopReason },
    /// A runner who was out runs on: what took them out is taken back.
    PutBackIn,
    /// The beeps stand still.
    Paused,
    /// The beeps go on with the level they stood in.
    WentOn {
        /// From the beginning instead.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        anew: bool,
    },
    /// The next stage of a ladder was tried.
    StageTried {
        input: String,
        /// Which, from 1; the next one where nothing is said.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        stage: Option<u8>,
        passed: bool,
    },
    /// Something that costs was seen in a movement.
    Seen {
        /// The input it adds one to.
        input: String,
        /// What it was, as its key says it.
        what: String,
    },
    /// The movement is over: what was not seen in it did not happen.
    MovementOver {
        /// An input that is filled by what is seen in it.
        input: String,
    },
    /// The stopwatch of a try was started.
    WatchStarted {
        input: String,
        /// The side, where it is taken on two.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        side: Option<String>,
    },
    /// The stopwatch was stopped: the try is over.
    WatchEnded,
    /// An attempt at a load.
    Lifted {
        load_kg: f64,
        made: bool,
        /// Why there is one more than was planned.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        reason: Option<String>,
    },
    /// What stood under left belongs under right, and the other way round.
    SidesSwapped,
    /// A notification of a chest strap.
    StrapHeard {
        /// The raw bytes as hexadecimal digits.
        bytes: String,
        /// What they say; filled in by the server.
        #[serde(default)]
        heard: Option<Heard>,
    },
    /// The work was stopped before its end.
    Stopped,
    /// Why it was stopped.
    StopExplained {
        reason: StopReason,
        /// Anything worth adding.
        note: Option<String>,
    },
    /// The client is off the beat.
    CadenceLost,
    /// The client is back on the beat.
    CadenceRegained,
    /// A remark.
    Noted {
        /// The remark.
        text: String,
    },
    /// An earlier event did not happen.
    Undone {
        /// Which one.
        event: Uuid,
    },
    /// The assessor is done: the result stands, or what was stopped is saved as stopped.
    Finished,
    /// What was stopped is thrown away.
    Discarded,
}

impl Event {
    /// A strap's bytes become what they say; malformed ones stay, with the reason.
    pub fn hear(&mut self) {
        if let Kind::StrapHeard { bytes, heard } = &mut self.kind {
            let malformed = |why: strap_bytes::Malformed| Heard { rejected: Some(why.to_string()), ..Heard::default() };
            *heard = Some(strap_bytes::parse_hex(bytes).unwrap_or_else(malformed));
        }
    }
}

impl Kind {
    /// Whether it may close the run.
    pub const fn is_end(&self) -> bool {
        matches!(self, Self::Finished | Self::Discarded)
    }
}

/// Why a run was stopped early.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum StopReason {
    /// The client asked.
    Volitional,
    /// Could not go on.
    Fatigue,
    /// Fell off the beat.
    LostCadence,
    /// Heart rate at its ceiling.
    HeartRateCeiling,
    /// Pain or symptoms: leads to the stop-and-refer card.
    Symptoms,
    /// Something broke or slipped.
    Equipment,
    /// The assessor's call.
    Assessor,
}

impl StopReason {
    /// The reason in a sentence.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Volitional => "the client asked to stop",
            Self::Fatigue => "fatigue",
            Self::LostCadence => "lost the beat",
            Self::HeartRateCeiling => "heart rate at its ceiling",
            Self::Symptoms => "pain or symptoms",
            Self::Equipment => "equipment",
            Self::Assessor => "the assessor's call",
        }
    }
}

/// Puts events into the order in which they count, each once: by time, then by screen and its own sequence.
pub fn in_order<'a>(events: impl IntoIterator<Item = &'a Event>) -> Vec<&'a Event> {
    let mut ordered: Vec<&Event> = events.into_iter().collect();
    ordered.sort_by_key(|e| (e.wall, e.device, e.seq, e.id));
    let mut seen = std::collections::HashSet::new();
    ordered.retain(|e| seen.insert(e.id));
    ordered
}
