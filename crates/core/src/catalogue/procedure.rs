//! How a test is run: the rules of its family, the beat, what is done before, what the clock runs through, how the pulse is
//! counted.

use serde::{Deserialize, Serialize};

use crate::{
    attempts::Attempts,
    clamped::ClampRule,
    conditions::{Chosen, Conditions},
    course::{Course, Schedule},
    person::Sex,
    staging::StageRule,
};

/// What is done, with exactly the rules that this way of testing has.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "family", rename_all = "snake_case")]
pub enum Procedure {
    /// Fixed work to a beat, then a pulse counted in a window.
    CountedRecovery(CountRule),
    /// Stages at a load, each until the heart rate is steady.
    StagedSteadyState(StageRule),
    /// As much as possible in a fixed time.
    TimedEffort(Course),
    /// A fixed distance as fast as possible.
    DistanceEffort(Course),
    /// Runs to beeps that come faster and faster.
    AudioPaced(Schedule),
    /// Stages at given heart rates, recorded by the instruments and read afterwards.
    ClampedHeartRate(ClampRule),
    /// Holds, counts and measures, each tried once or several times.
    Attempts(Attempts),
}

impl Procedure {
    /// Its family, bare.
    pub const fn family(&self) -> Family {
        match self {
            Self::CountedRecovery(_) => Family::CountedRecovery,
            Self::StagedSteadyState(_) => Family::StagedSteadyState,
            Self::TimedEffort(_) => Family::TimedEffort,
            Self::DistanceEffort(_) => Family::DistanceEffort,
            Self::AudioPaced(_) => Family::AudioPaced,
            Self::ClampedHeartRate(_) => Family::ClampedHeartRate,
            Self::Attempts(_) => Family::Attempts,
        }
    }

    /// Whether it says enough to be done: a length, a distance, a stage, a leg.
    pub(super) fn is_whole(&self) -> bool {
        match self {
            Self::CountedRecovery(_) | Self::StagedSteadyState(_) | Self::AudioPaced(_) => true,
            Self::TimedEffort(course) => course.seconds.is_some(),
            Self::DistanceEffort(course) => course.distance_m.is_some(),
            Self::ClampedHeartRate(rule) => !rule.stages.is_empty(),
            Self::Attempts(attempts) => !attempts.legs.is_empty(),
        }
    }
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
    /// Holds, counts and measures, each tried once or several times.
    Attempts,
}

impl Family {
    /// Whether the floor can run it live; the others are entered afterwards.
    pub const fn runs_live(self) -> bool {
        !matches!(self, Self::ClampedHeartRate)
    }

    /// Whether a simulated client can be tested by it: one whose heart is read, or who covers a distance.
    pub const fn is_rehearsed(self) -> bool {
        self.runs_live() && !matches!(self, Self::Attempts | Self::AudioPaced)
    }
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
    /// Only where the test is done so; elsewhere there is no beat.
    #[serde(default)]
    pub when: Option<Chosen>,
    /// What each beat of one cycle asks for, in order.
    pub places: Vec<String>,
    /// How long each part of the cycle lasts beside the others: `[2, 1]` is two seconds down and one up at 40 beats a minute. Alike
    /// where nothing is said.
    #[serde(default)]
    pub shares: Vec<f64>,
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
    /// How long where the set-up says so, for work that has a clock by one rule and none by another.
    #[serde(default)]
    pub clocked: Option<Clocked>,
    /// The line under the heading.
    pub cue: String,
    /// The same where the test is done otherwise.
    #[serde(default)]
    pub cues: Vec<Cue>,
    /// What is called out, and when.
    #[serde(default)]
    pub prompts: Vec<Prompt>,
}

/// A line under a heading that depends on an answer of set-up.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Cue {
    /// Where the test is done so.
    pub when: Chosen,
    /// The line.
    pub cue: String,
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
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Prompt {
    /// Seconds into the phase.
    pub at_s: u32,
    /// What is shown, and spoken where speech is on.
    pub say: String,
    /// What it sounds like.
    #[serde(default)]
    pub tone: Tone,
    /// Only where the test is done so.
    #[serde(default)]
    pub when: Option<Chosen>,
}

/// A length that depends on an answer of set-up.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Clocked {
    /// How long, in seconds of the clock.
    pub seconds: u32,
    /// Where the test is done so.
    pub when: Chosen,
}

impl Phase {
    /// The line under the heading, under these answers.
    pub fn cue_under(&self, conditions: &Conditions) -> &str {
        self.cues.iter().find(|c| c.when.holds(conditions)).map_or(&self.cue, |c| &c.cue)
    }

    /// How long it lasts by the clock under these answers, s; nothing where beats or an event end it.
    pub fn seconds_under(&self, conditions: &Conditions) -> Option<u32> {
        self.seconds.or_else(|| self.clocked.as_ref().filter(|c| c.when.holds(conditions)).map(|c| c.seconds))
    }
}

/// What a call sounds like.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Tone {
    /// No sound of its own.
    #[default]
    Plain,
    /// Go.
    Start,
    /// It is over.
    End,
    /// Something is about to come, or went on too long.
    Warning,
    /// A number is due.
    Ask,
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
