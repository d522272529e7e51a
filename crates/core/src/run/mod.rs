//! The live administration of one protocol: `state = fold(events)`.
//!
//! Time is a fact carried in events. The fold never asks what time it is, so the same events give the same state on the
//! live screen, after a reload, on a second tablet and in the audit, in whatever batches and however often they arrive.
//!
//! - [`event`]: what can happen, and in which order it counts
//! - [`admission`]: who may do it, and how it is set up by what the record says; [`setup`]: what was settled before it starts
//! - [`timeline`]: what the clock runs through, worked out before it starts
//! - [`state`]: what a screen needs to know of a run, as types
//! - [`fold`]: how events lead to it; what every family has in common
//! - [`counted`], [`staged`], [`effort`], [`hold`], [`sheet`], [`beeps`]: the floors, with the decisions they take on the way; [`stage`] is what a staged
//!   test is made of, [`lift`] and [`watched`] what a sheet is led by
//! - [`grid`], [`board`]: many at once, name by name or on one clock
//! - [`view`]: all of it as a screen sees it, of one or of many
//! - [`partner`]: what of it a partner's phone may see
//! - [`outcome`]: what a run that is over comes to, in words
//! - [`check`]: may this event be stored now, and if not, what should the assessor do?

pub mod admission;
pub mod beeps;
pub mod board;
pub mod check;
pub mod counted;
mod counting;
pub mod decision;
pub mod effort;
mod engine;
pub mod event;
pub mod fold;
pub mod grid;
pub mod hold;
mod lift;
pub mod outcome;
pub mod partner;
pub mod setup;
pub mod sheet;
pub mod stage;
pub mod staged;
pub mod state;
mod taps;
pub mod timeline;
pub mod view;
mod watched;

pub use admission::{Prepared, Ready, SetUpTyped};
pub use beeps::BeepCourse;
pub use board::{Board, BoardKind, board};
pub use check::check_event;
pub use decision::{Decision, DecisionCode, Due, Taken};
pub use event::{Event, Kind, StopReason};
pub use fold::{fold, fold_slot};
pub use grid::{Grid, grid};
pub use outcome::{Earlier, OutcomeLine};
pub use partner::{Beside, ForPartners};
pub use setup::{Setup, check_answer};
pub use state::{Reading, State, Status, Timeline};
pub use timeline::timeline;
pub use view::{PerformerFacts, RunFacts, RunView};
