//! The catalogue: every test as data.
//!
//! A protocol says what is recorded, how the test is run, how it is scored, what makes two results comparable, what
//! to be careful of and who says so. Built-in ones are the TOML files of `data/catalogue/`, which the build collects; [`check`]
//! holds any protocol, built in or a coach's own, to the same rules. To add one, add its file.
//!
//! - [`protocol`]: a test, with everything below
//! - [`procedure`]: the beat, the phases, the count
//! - [`input`]: what is recorded
//! - [`score`]: what is computed from it, and what is refused or flagged
//! - [`norm_use`], [`mark`]: the tables and the targets it is held against
//! - [`condition`], [`change_rule`]: what makes two results comparable, and what is followed over time
//! - [`care`]: whom it does not suit, what to bring, what to be careful of, who says so
//! - [`load`]: reading, checking and finding protocols

pub mod care;
pub mod change_rule;
pub mod condition;
mod equation;
pub mod input;
pub mod load;
pub mod mark;
pub mod norm_use;
pub mod procedure;
pub mod protocol;
pub mod score;

pub use crate::{
    attempts::{Attempts, Leg, Mark, Take},
    clamped::{ClampRule, ClampStage, RideError},
    conditions::Chosen,
    course::{Course, CoursePoint, Level, Schedule, ScheduleScore, TallyRule},
    picture::{BodyMap, Picture, body_map},
    staging::{FirstLoad, Goal, LoadRule, NextLoad, StageRule},
};
pub use care::{Caution, Circumstance, Citation, Equipment, Source, SourceKind, Unsuited};
pub use change_rule::ChangeRule;
pub use condition::{Condition, ConditionKind};
pub use equation::Equation;
pub use input::{Input, InputKind, ReadingError, Signs, Usual, difference};
pub(crate) use load::read_files;
pub use load::{
    ALSO, EquipmentItem, Section, all, check, equipment, equipment_named, find, parse, section, section_name, sections, things, unreadable,
};
pub use mark::{PassMark, When};
pub use norm_use::NormUse;
pub use procedure::{CadenceRule, CountRule, Cue, Family, Phase, PhaseKind, Preparation, Procedure, Prompt, Tone};
pub use protocol::{Effort, ExampleReadings, Protocol};
pub use score::{FlagCode, Rule, Scoring};
