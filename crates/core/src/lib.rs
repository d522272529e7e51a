//! The rules of fitness testing, as a pure library.
//!
//! Nothing here reads a clock, a file, a socket or a random source: time arrives inside events, tables and protocols
//! are compiled in, and the same call with the same arguments always gives the same answer. Everything else in the
//! workspace carries facts to this crate and answers from it.
//!
//! | module | question it answers |
//! |---|---|
//! | [`units`] | is this number possible, and how is it written? |
//! | [`person`] | who is being tested: sex, age, mass, height? |
//! | [`group`] | who belongs to a squad or a class? |
//! | [`roster`] [`results_list`] | who is on a pasted list, and what did they do? |
//! | [`readiness`] | may we test today, and how hard? |
//! | [`catalogue`] | what is this test, and how is it run? |
//! | [`own`] | how does a practice make its own copy of a test? |
//! | [`suitability`] | is this the right test for this client? |
//! | [`pulse`] | what does a counted or tapped pulse say? |
//! | [`hr_max`] | how high can the heart rate go, and where does the test end? |
//! | [`attempts`] | what is held, counted or measured, and how often? |
//! | [`course`] | what is counted on the way, and which levels are there? |
//! | [`beeps`] | which beep sounds when, and what do the missed ones leave? |
//! | [`clamped`] | what does a ride at clamped heart rates say? |
//! | [`staging`] | how does a staged test go from load to load? |
//! | [`strap`] | what does a chest strap say? |
//! | [`run`] | where is the test now, and what comes next? |
//! | [`inputs`] [`reading`] | what was read, and how is it written? |
//! | [`formula`] | what is the arithmetic of a test, as data? |
//! | [`picture`] | what does it look like? |
//! | [`rehearse`] | what did an assessor make of a simulated client? |
//! | [`simulate`] | what would a client whose true VO2max is known do? |
//! | [`estimate`] | which equation, with which numbers in it? |
//! | [`quantity`] | what is a quantity called, and how is it written? |
//! | [`norms`] | compared with whom? |
//! | [`performed`] | what was done with whom, as an equation needs it? |
//! | [`test_record`] | one finished test in, results, norms and flags out |
//! | [`comparability`] | were two tests done alike? |
//! | [`range`] | how far may an estimate be from the truth? |
//! | [`combined`] | which VO2max do several methods make together? |
//! | [`typical_error`] [`measurement_error`] | how much does a measure move when nothing has changed? |
//! | [`change`] | is the difference real? |
//! | [`done`] | what was done on a day, and what does it score? |
//! | [`progress`] | how has it gone since? |
//! | [`battery`] [`visit`] | which tests on one visit, in which order, and what did they teach? |
//! | [`points`] [`marking`] | what do raw scores bring, by which table? |
//! | [`self_entry`] [`self_report`] | what may somebody take of themselves, and how is that marked? |
//! | [`squad`] | where does each stand in a group, and who moved? |
//! | [`goal`] | where does the client want to be, and is that on the way? |
//! | [`plan`] | when again? |
//! | [`validate`] | how good are the estimates? |
//! | [`report`] | how is all that said to a coach and a client? |
//!
//! To add a test, add a TOML file below `data/catalogue/`; its arithmetic is a [`formula`] in it, or an equation of [`estimate`].

pub mod attempts;
pub mod battery;
pub mod beeps;
pub mod catalogue;
pub mod change;
pub mod clamped;
pub mod combined;
pub mod comparability;
pub mod conditions;
pub mod consent;
pub mod course;
pub mod done;
pub mod error;
pub mod estimate;
pub mod formula;
pub mod goal;
pub mod group;
pub mod group_visit;
pub mod hr_max;
pub mod inputs;
pub mod life_event;
pub mod marking;
pub mod measurement_error;
pub mod norms;
pub mod own;
pub mod performed;
pub mod person;
pub mod picture;
pub mod plan;
pub mod points;
pub mod progress;
pub mod pulse;
pub mod quantity;
pub mod range;
pub mod readiness;
pub mod reading;
pub mod rehearse;
pub mod report;
pub mod results_list;
pub mod roster;
pub mod run;
pub mod self_entry;
pub mod self_report;
pub mod simulate;
pub mod squad;
pub mod staging;
pub mod strap;
pub mod strap_bytes;
pub mod suitability;
pub mod test_record;
pub mod text;
pub mod typical_error;
pub mod units;
pub mod validate;
pub mod visit;
mod working;

pub use error::{Code, InputError};
