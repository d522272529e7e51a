//! The live administration of one protocol: `state = fold(events)`.
//!
//! Time is a fact carried in events. The fold never asks what time it is, so the same events give the same state on the
//! live screen, after a reload, on a second tablet and in the audit, in whatever batches and however often they arrive.
//!
//! - [`event`]: what can happen, and in which order it counts
//! - [`timeline`]: what the clock runs through, worked out before it starts
//! - [`fold`]: the state that events lead to, and the decisions taken on the way

pub mod event;
pub mod fold;
pub mod timeline;

pub use event::{Event, Kind, Setup, StopReason};
pub use fold::{Decision, Reading, State, Status, fold};
pub use timeline::{Timeline, timeline};
