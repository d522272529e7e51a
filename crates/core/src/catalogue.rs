//! The catalogue: every test as data.
//!
//! A protocol says what is recorded, how the test is run, how it is scored, what makes two results comparable, what
//! to be careful of and who says so. Built-in ones are the TOML files of `data/catalogue/`; [`check`] holds any
//! protocol, built in or a coach's own, to the same rules. To add a built-in protocol add its file to [`BUILT_IN`].

use std::sync::LazyLock;

use serde::{Deserialize, Serialize};

use crate::{
    error::{Code, InputError},
    estimate::Equation,
    hr_max::HrMaxMethod,
    inputs::Inputs,
    norms,
    person::Sex,
};

pub use crate::clamped::{ClampRule, ClampStage, Wobble};
pub use crate::course::{Course, Level, Place, Schedule, ScheduleScore, TallyRule};
pub use crate::staging::{FirstLoad, Goal, LoadRule, NextLoad, StageRule};

/// The TOML of every protocol that ships, in the library's order.
const BUILT_IN: [&str; 17] = [
    include_str!("../data/catalogue/bench-step-3min.toml"),
    include_str!("../data/catalogue/low-step-3min.toml"),
    include_str!("../data/catalogue/class-step-3min.toml"),
    include_str!("../data/catalogue/single-stage-step.toml"),
    include_str!("../data/catalogue/single-stage-cycle.toml"),
    include_str!("../data/catalogue/multistage-cycle.toml"),
    include_str!("../data/catalogue/clamped-cycle.toml"),
    include_str!("../data/catalogue/mile-walk.toml"),
    include_str!("../data/catalogue/run-12min.toml"),
    include_str!("../data/catalogue/run-1-5mile.toml"),
    include_str!("../data/catalogue/walk-6min.toml"),
    include_str!("../data/catalogue/march-2min.toml"),
    include_str!("../data/catalogue/row-2000m.toml"),
    include_str!("../data/catalogue/shuttle-20m.toml"),
    include_str!("../data/catalogue/shuttle-recovery-1.toml"),
    include_str!("../data/catalogue/shuttle-recovery-2.toml"),
    include_str!("../data/catalogue/interval-30-15.toml"),
];

/// What several protocols share: conditions, cautions, whom they do not suit, sources. A protocol's TOML names them in
/// `shared` and gets them behind its own.
const SHARED: &str = include_str!("../data/shared.toml");

/// One test: what it is, how it is run, what it gives, who says so.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Protocol {
    /// Stable id, part of the public vocabulary.
    pub id: String,
    /// Goes up when a change of the method makes older results incomparable.
    pub version: u32,
    /// What is done, in a few words. Never a person, a company or a trademark.
    pub name: String,
    /// The part of the test library it stands in.
    pub section: String,
    /// The rule family that runs it.
    pub family: Family,
    /// One sentence: what happens.
    pub summary: String,
    /// One or two sentences: what it tells and whom it suits.
    pub tells: String,
    /// How hard it is, for the readiness decision.
    pub effort: Effort,
    /// Whether the score depends on heart rate, and so on medicines that limit it.
    pub uses_heart_rate: bool,
    /// Minutes to plan, warm-up included.
    pub minutes: u16,
    /// The beat, where there is one.
    pub cadence: Option<CadenceRule>,
    /// What is done before the clock starts.
    #[serde(default)]
    pub prepare: Vec<Preparation>,
    /// What the clock runs through, in order.
    pub phases: Vec<Phase>,
    /// How the pulse is counted, where it is.
    pub count: Option<CountRule>,
    /// The stages, for a staged test.
    pub stages: Option<StageRule>,
    /// The effort against the clock, for a timed or a measured one.
    pub course: Option<Course>,
    /// The levels, for an audio-paced test.
    pub schedule: Option<Schedule>,
    /// The stages at clamped heart rates.
    pub clamp: Option<ClampRule>,
    /// How the maximal heart rate is predicted unless the assessor chooses otherwise.
    pub hr_max_method: Option<HrMaxMethod>,
    /// What has to be at hand.
    #[serde(default)]
    pub needs: Vec<Kit>,
    /// How many can be tested at once by one assessor.
    #[serde(default = "one")]
    pub people_at_once: u16,
    /// Readings the method page works through.
    pub example: Option<ExampleReadings>,
    /// For a practice's own copy: the built-in protocol it was made from.
    pub based_on: Option<String>,
    /// What is recorded.
    pub inputs: Vec<Input>,
    /// What is computed, in order.
    pub scoring: Vec<Scoring>,
    /// Which tables serve which quantity.
    #[serde(default)]
    pub norms: Vec<NormUse>,
    /// What must be alike for two results to be compared.
    pub conditions: Vec<Condition>,
    /// How much each quantity wobbles when nothing has changed.
    #[serde(default)]
    pub change: Vec<ChangeRule>,
    /// Whom it does not suit, and what would suit better; the first rule that applies speaks.
    #[serde(default)]
    pub unsuited: Vec<Unsuited>,
    /// What to bring.
    pub equipment: Vec<Equipment>,
    /// What to be careful of.
    pub cautions: Vec<Caution>,
    /// Who says so.
    pub sources: Vec<Source>,
}

/// A family of rules that the run engine knows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Family {
    /// Fixed work to a beat, then a pulse counted in a window.
    CountedRecovery,
    /// Stages at a load, each until the heart rate is steady.
    StagedSteadyState,
    /// As much as possible in a fixed time.
    TimedEffort,
    /// A fixed distance as fast as possible.
    DistanceEffort,
    /// Runs to beeps that come faster and faster.
    AudioPaced,
    /// Stages at given heart rates, recorded by the instruments and read afterwards.
    ClampedHeartRate,
}

impl Family {
    /// Whether the floor can run it live; the others are entered afterwards.
    pub const fn runs_live(self) -> bool {
        !matches!(self, Self::AudioPaced | Self::ClampedHeartRate)
    }
}

/// Something that has to be at hand. The snake-case name is part of the public interface.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Kit {
    /// A bench or step of the protocol's height.
    Bench,
    /// A friction-braked cycle ergometer, or one whose load can be set.
    CycleErgometer,
    /// A measured running track or loop.
    Track,
    /// A measured walking course on level ground.
    WalkingCourse,
    /// A rowing ergometer.
    RowingErgometer,
    /// Lines 20 m apart with room to turn.
    ShuttleLanes,
}

impl Kit {
    /// In the middle of a sentence.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Bench => "a bench or step",
            Self::CycleErgometer => "a cycle ergometer",
            Self::Track => "a measured running loop",
            Self::WalkingCourse => "a measured walking course",
            Self::RowingErgometer => "a rowing ergometer",
            Self::ShuttleLanes => "lines 20 m apart",
        }
    }
}

/// Readings that the method page works through.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ExampleReadings {
    /// Age, years.
    pub age_years: f64,
    /// Body mass, kg.
    pub mass_kg: f64,
    /// The readings.
    #[cfg_attr(feature = "schema", schema(value_type = Object))]
    pub inputs: Inputs,
}

const fn one() -> u16 {
    1
}

/// How hard a test is, for the readiness decision (after Riebe et al. 2015).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Effort {
    /// Light to moderate for nearly everyone.
    LightToModerate,
    /// Moderate for those who train, vigorous for those who do not.
    VigorousUnlessActive,
    /// Vigorous for everyone, maximal tests included.
    Vigorous,
}

/// The beat of the metronome: one for all, or one for each sex.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct CadenceRule {
    /// Beats a minute for men.
    pub male: Option<f64>,
    /// Beats a minute for women.
    pub female: Option<f64>,
    /// Beats a minute for everyone.
    pub any: Option<f64>,
    /// What each beat of one cycle asks for, in order.
    pub places: Vec<String>,
    /// Seconds of work at which the lead foot is swapped.
    #[serde(default)]
    pub swap_lead_at_s: Vec<u32>,
    /// More than so many steps or revolutions a minute off is off the beat. Source: common practice.
    #[serde(default = "CadenceRule::off_by")]
    pub off_by: f64,
    /// Off the beat for so long is prompted and noted, s. Source: common practice.
    #[serde(default = "CadenceRule::off_for_s")]
    pub off_for_s: u32,
}

impl CadenceRule {
    const fn off_by() -> f64 {
        5.0
    }

    const fn off_for_s() -> u32 {
        15
    }

    /// The beat for a client, where the rule gives one without asking.
    pub fn for_sex(&self, sex: Option<Sex>) -> Option<f64> {
        match sex {
            Some(Sex::Male) => self.male.or(self.any),
            Some(Sex::Female) => self.female.or(self.any),
            None => self.any,
        }
    }

    /// Every beat the rule knows, for a choice by hand.
    pub fn choices(&self) -> Vec<f64> {
        let mut all: Vec<f64> = [self.any, self.male, self.female].into_iter().flatten().collect();
        all.dedup();
        all
    }
}

/// Something done before the clock starts.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Preparation {
    /// Key within the protocol.
    pub id: String,
    /// Heading.
    pub label: String,
    /// What to do and why.
    pub detail: String,
    /// How long, where it is timed.
    pub seconds: Option<u32>,
    /// The condition that records whether it was done.
    pub condition: Option<String>,
}

/// A stretch of the run.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Phase {
    /// Key within the protocol.
    pub id: String,
    /// What the engine does with it.
    pub kind: PhaseKind,
    /// Heading on the floor.
    pub label: String,
    /// How long, in seconds of the clock.
    pub seconds: Option<u32>,
    /// How long, in beats of the cadence.
    pub beats: Option<u32>,
    /// The line under the heading.
    pub cue: String,
    /// What is called out, and when.
    #[serde(default)]
    pub prompts: Vec<Prompt>,
}

/// What the engine does with a phase.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum PhaseKind {
    /// The beat sounds, nobody moves yet.
    CountIn,
    /// The work, to the beat.
    Work,
    /// Between the work and the count.
    Transition,
    /// The pulse is counted.
    Count,
    /// The number is given; open-ended.
    Enter,
}

/// A call at a moment of a phase.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Prompt {
    /// Seconds into the phase.
    pub at_s: u32,
    /// What is shown, and spoken where speech is on.
    pub say: String,
}

/// How the pulse is counted.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct CountRule {
    /// The input the count fills.
    pub input: String,
    /// Length of the window, seconds.
    pub window_s: u32,
    /// Seconds from stopping to the start of the window.
    pub starts_after_s: u32,
    /// Count and tapped rate further apart than this ask for a recount, bpm.
    pub agree_within_bpm: f64,
    /// A recount may start until this many seconds after stopping; 0 for never.
    pub recount_starts_within_s: u32,
    /// The rule, said aloud.
    pub rule: String,
}

/// Something recorded.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Input {
    /// Public key.
    pub key: String,
    /// Heading.
    pub label: String,
    /// Unit as it is written.
    pub unit: String,
    /// Smallest value accepted.
    pub min: f64,
    /// Largest value accepted.
    pub max: f64,
    /// Resolution of the entry.
    pub step: f64,
    /// The only values accepted, where there are few.
    #[serde(default)]
    pub one_of: Vec<f64>,
    /// Not a reading: given to ask an equation the other way round.
    #[serde(default)]
    pub inverse: bool,
}

/// A quantity and the equation that gives it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Scoring {
    /// What is computed.
    pub quantity: String,
    /// By which named equation.
    pub equation: Equation,
    /// The ages it was fitted on, where it was fitted on some.
    pub fitted_ages: Option<(f64, f64)>,
    /// Stands in the result itself and in no list.
    #[serde(default)]
    pub in_detail: bool,
}

/// A table that serves a quantity.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct NormUse {
    /// What is compared.
    pub quantity: String,
    /// With which table.
    pub table: String,
}

/// A circumstance that has to be alike for two results to be compared.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Condition {
    /// Public key.
    pub key: String,
    /// Heading.
    pub label: String,
    /// What kind of answer it takes.
    pub kind: ConditionKind,
    /// Unit as it is written, for numbers.
    pub unit: Option<String>,
    /// What the protocol asks for; anything else is flagged, not refused.
    pub expected: Option<f64>,
    /// The same for men, where it is split by sex.
    pub expected_male: Option<f64>,
    /// And for women.
    pub expected_female: Option<f64>,
    /// Numbers closer than this are the same.
    pub tolerance: Option<f64>,
    /// Key and wording of each choice.
    #[serde(default)]
    pub choices: Vec<(String, String)>,
    /// A result where this is "no" is compared with none.
    #[serde(default)]
    pub must_hold: bool,
    /// A result where this is "yes" is compared with none.
    #[serde(default)]
    pub must_not_hold: bool,
    /// The question at set-up; empty where nobody is asked.
    pub ask: String,
    /// Why it matters, as the end of a sentence.
    pub why: String,
    /// Whether set-up cannot be left without it.
    #[serde(default)]
    pub required: bool,
    /// Filled in by the run or the record, not asked.
    #[serde(default)]
    pub recorded_by_run: bool,
}

/// What kind of answer a condition takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum ConditionKind {
    /// A number with a unit.
    Number,
    /// Yes or no.
    YesNo,
    /// One of a few.
    Choice,
    /// Free words.
    Text,
}

/// How much a quantity wobbles when nothing has changed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ChangeRule {
    /// Which quantity.
    pub quantity: String,
    /// Test-retest correlation, 0 to 1.
    pub reliability: Option<f64>,
    /// The table whose spread gives the between-person SD.
    pub sd_from_table: Option<String>,
    /// Whether less is better.
    #[serde(default)]
    pub lower_is_better: bool,
    /// Who says so.
    pub source: Option<Citation>,
}

/// Whom a protocol does not suit.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Unsuited {
    /// The client's circumstance.
    pub when: Circumstance,
    /// Why, as the end of a sentence.
    pub why: String,
    /// The protocol that suits better, where one does.
    pub instead: Option<String>,
}

/// A client's circumstance that decides whether a test suits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Circumstance {
    /// Signs or symptoms today.
    Symptoms,
    /// On medicine that limits the heart rate.
    RateLimitingDrug,
    /// Not regularly active.
    Untrained,
    /// Older than 60.
    #[serde(rename = "over_60")]
    Over60,
    /// Older than 69.
    #[serde(rename = "over_69")]
    Over69,
    /// Knees, hips or ankles that do not take stepping or running.
    SoreJoints,
}

/// Something to bring.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Equipment {
    /// What it is, with its measure.
    pub what: String,
}

/// Something to be careful of.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Caution {
    /// A full sentence.
    pub text: String,
}

/// Who says so, and of what.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Source {
    /// What the source is for.
    pub of: String,
    /// Author, title, year.
    pub citation: String,
    /// Published, or the trade's habit.
    pub kind: SourceKind,
    /// Whether the value was written down from memory and not read off the publication.
    #[serde(default)]
    pub recalled: bool,
}

/// A citation with its kind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Citation {
    /// Author, title, year.
    pub citation: String,
    /// Published, or the trade's habit.
    pub kind: SourceKind,
    /// Whether the value was written down from memory.
    #[serde(default)]
    pub recalled: bool,
}

/// Where a rule comes from. One is never upgraded to the other.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum SourceKind {
    /// A publication.
    Published,
    /// A rule of thumb of the trade.
    CommonPractice,
}

impl Condition {
    /// What the protocol asks for, for a client of this sex.
    pub fn expected_for(&self, sex: Option<Sex>) -> Option<f64> {
        match sex {
            Some(Sex::Male) => self.expected_male.or(self.expected),
            Some(Sex::Female) => self.expected_female.or(self.expected),
            None => self.expected,
        }
    }
}

impl Protocol {
    /// How the maximal heart rate is predicted unless the assessor chooses otherwise.
    pub fn hr_max_default(&self) -> HrMaxMethod {
        self.hr_max_method.unwrap_or(HrMaxMethod::Tanaka)
    }

    /// Whether readings stand in stages and not under keys of their own.
    pub fn records_stages(&self) -> bool {
        self.stages.as_ref().is_some_and(|s| matches!(s.goal, Goal::Line { .. }))
    }

    /// Whether anything rests on how high the heart rate can go.
    pub fn uses_hr_max(&self) -> bool {
        self.records_stages() || self.clamp.is_some()
    }

    /// The condition with this key.
    pub fn condition(&self, key: &str) -> Option<&Condition> {
        self.conditions.iter().find(|c| c.key == key)
    }

    /// The input with this key.
    pub fn input(&self, key: &str) -> Option<&Input> {
        self.inputs.iter().find(|i| i.key == key)
    }

    /// The change rule of a quantity.
    pub fn change_rule(&self, quantity: &str) -> Option<&ChangeRule> {
        self.change.iter().find(|c| c.quantity == quantity)
    }

    /// The quantity a client hears first: an estimate where there is one, else the reading.
    pub fn headline(&self) -> &str {
        self.scoring.last().map_or("recovery_hr", |s| &s.quantity)
    }

    /// The method's name and version, stored with every result.
    pub fn method_version(&self) -> String {
        format!("{}/{}", self.id, self.version)
    }
}

static ALL: LazyLock<Vec<Protocol>> = LazyLock::new(|| BUILT_IN.iter().filter_map(|text| parse(text).ok()).collect());

/// Every built-in protocol, in the library's order.
pub fn all() -> &'static [Protocol] {
    &ALL
}

/// The built-in protocol with this id.
///
/// # Errors
/// [`Code::UnknownProtocol`] naming the id.
pub fn find(id: &str) -> Result<&'static Protocol, InputError> {
    all().iter().find(|p| p.id == id).ok_or_else(|| {
        let shown: String = id.chars().take(60).collect();
        InputError::new(Code::UnknownProtocol, "protocol", format!("No protocol is called “{shown}”. See the test library for the ids."))
    })
}

/// Reads one protocol from TOML and holds it to [`check`].
///
/// # Errors
/// [`Code::BadJson`] with the parser's or the check's words.
pub fn parse(text: &str) -> Result<Protocol, InputError> {
    static PARTS: LazyLock<toml::Table> = LazyLock::new(|| toml::from_str(SHARED).unwrap_or_default());
    let unreadable = |e: toml::de::Error| InputError::whole(Code::BadJson, e.to_string());
    let mut table: toml::Table = toml::from_str(text).map_err(unreadable)?;
    if let Some(toml::Value::Table(wanted)) = table.remove("shared") {
        for (list, names) in wanted {
            let names = names.as_array().cloned().unwrap_or_default();
            for name in names.iter().filter_map(toml::Value::as_str) {
                let part = PARTS
                    .get(&list)
                    .and_then(|l| l.get(name))
                    .cloned()
                    .ok_or_else(|| InputError::new(Code::BadJson, &list, format!("There is no shared {list} “{name}”.")))?;
                if let Some(own) = table.entry(list.clone()).or_insert_with(|| toml::Value::Array(Vec::new())).as_array_mut() {
                    own.push(part);
                }
            }
        }
    }
    let protocol: Protocol = table.try_into().map_err(unreadable)?;
    check(&protocol)?;
    Ok(protocol)
}

/// Holds a protocol together: every name it uses must exist.
///
/// # Errors
/// [`Code::BadJson`] naming the field that does not hold.
pub fn check(protocol: &Protocol) -> Result<(), InputError> {
    let fail = |field: &str, message: String| Err(InputError::new(Code::BadJson, field, format!("{}: {message}", protocol.id)));
    if protocol.sources.is_empty() {
        return fail("sources", "a protocol says where it comes from".into());
    }
    for (k, phase) in protocol.phases.iter().enumerate() {
        let open_end = phase.seconds.is_none() && phase.beats.is_none();
        // The work of a staged test or of a fixed distance ends with an event, not with the clock.
        let ends_by_event = phase.kind == PhaseKind::Work && protocol.family != Family::CountedRecovery;
        if open_end && !ends_by_event && k + 1 != protocol.phases.len() {
            return fail("phases", format!("only the last phase may be without a length, not {}", phase.id));
        }
        if phase.beats.is_some() && protocol.cadence.is_none() {
            return fail("phases", format!("{} is counted in beats but there is no cadence", phase.id));
        }
    }
    let has_rules = match protocol.family {
        Family::CountedRecovery => protocol.count.is_some(),
        Family::StagedSteadyState => protocol.stages.is_some(),
        Family::TimedEffort => protocol.course.as_ref().is_some_and(|c| c.seconds.is_some()),
        Family::DistanceEffort => protocol.course.as_ref().is_some_and(|c| c.distance_m.is_some()),
        Family::AudioPaced => protocol.schedule.is_some(),
        Family::ClampedHeartRate => protocol.clamp.as_ref().is_some_and(|c| !c.stages.is_empty()),
    };
    if !has_rules {
        return fail("family", "the rules of its family are missing".into());
    }
    if let Some(course) = &protocol.course {
        let tallied = course.tally.as_ref().map(|t| &t.input);
        if let Some(key) = course.ask.iter().chain(tallied).find(|key| protocol.input(key).is_none()) {
            return fail("course", format!("{key} is asked for but is no input"));
        }
    }
    if let Some(count) = &protocol.count {
        if protocol.input(&count.input).is_none() {
            return fail("count", format!("the count fills {}, which is no input", count.input));
        }
        let window: u32 = protocol.phases.iter().filter(|p| p.kind == PhaseKind::Count).filter_map(|p| p.seconds).sum();
        if window != count.window_s {
            return fail("count", format!("the counting phase lasts {window} s, the window {} s", count.window_s));
        }
    }
    for step in &protocol.prepare {
        if step.condition.as_ref().is_some_and(|key| protocol.condition(key).is_none()) {
            return fail("prepare", format!("{} records a condition that is not listed", step.id));
        }
    }
    for used in &protocol.norms {
        if norms::table(&used.table).is_none() {
            return fail("norms", format!("there is no table {}", used.table));
        }
        if !protocol.scoring.iter().any(|s| s.quantity == used.quantity) {
            return fail("norms", format!("{} is compared but never computed", used.quantity));
        }
    }
    for rule in &protocol.change {
        if rule.reliability.is_some() != rule.source.is_some() {
            return fail("change", format!("the reliability of {} and its source go together", rule.quantity));
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_file_of_the_catalogue_holds_together() {
        for text in BUILT_IN {
            parse(text).unwrap_or_else(|e| panic!("{e}"));
        }
        assert_eq!(all().len(), BUILT_IN.len());
        assert!(all().iter().flat_map(|p| &p.unsuited).filter_map(|u| u.instead.as_deref()).all(|id| find(id).is_ok()));
    }

    #[test]
    fn a_protocol_survives_the_trip_through_json() {
        for protocol in all() {
            let json = serde_json::to_string(protocol).unwrap();
            assert_eq!(&serde_json::from_str::<Protocol>(&json).unwrap(), protocol);
        }
    }

    #[test]
    fn the_beat_follows_the_sex_the_equation_uses() {
        let rule = find("bench-step-3min").unwrap().cadence.as_ref().unwrap();
        assert_eq!((rule.for_sex(Some(Sex::Male)), rule.for_sex(Some(Sex::Female)), rule.for_sex(None)), (Some(96.0), Some(88.0), None));
        assert_eq!(find("low-step-3min").unwrap().cadence.as_ref().unwrap().for_sex(None), Some(96.0));
    }

    #[test]
    fn a_protocol_that_does_not_hold_together_is_refused() {
        let mut protocol = find("bench-step-3min").unwrap().clone();
        protocol.norms[0].table = "no-such-table".into();
        assert!(check(&protocol).unwrap_err().message.contains("no-such-table"));
        let mut protocol = find("bench-step-3min").unwrap().clone();
        protocol.count.as_mut().unwrap().window_s = 30;
        assert!(check(&protocol).unwrap_err().message.contains("the window 30 s"));
        assert_eq!(find("cartwheel").unwrap_err().code, Code::UnknownProtocol);
    }
}
