//! What can happen during a run.

use std::collections::BTreeMap;

use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

pub use crate::conditions::{Answer, Conditions};
use crate::{
    catalogue::{Condition, ConditionKind, InputKind, Protocol},
    error::{Code, InputError},
    hr_max::{self, CeilingRule, HrMaxMethod},
    inputs::{Inputs, Value},
    person::{Facts, Sex},
    strap::Heard,
    trial::check_inputs,
    units::{Age, BodyMass, Bpm, Cadence, Height, Units, rounded},
};

/// The largest number any condition takes, in its own unit.
const CONDITION_MAX: f64 = 100_000.0;

/// What was settled before the clock starts.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Setup {
    /// Beats a minute, where the protocol has a beat.
    pub cadence: Option<Cadence>,
    /// Conditions by key, as asked at set-up.
    #[cfg_attr(feature = "schema", schema(value_type = BTreeMap<String, Answer>))]
    pub conditions: Conditions,
    /// Sex (for equations and norms).
    pub sex: Option<Sex>,
    /// Age on the day.
    pub age: Option<Age>,
    /// Body mass on the day.
    #[serde(default)]
    pub mass: Option<BodyMass>,
    /// Standing height on the day.
    #[serde(default)]
    pub height: Option<Height>,
    /// Resting heart rate, where it was taken.
    #[serde(default)]
    pub resting_hr: Option<Bpm>,
    /// A measured maximal heart rate.
    #[serde(default)]
    pub hr_max: Option<Bpm>,
    /// How the maximal heart rate is predicted; the protocol's own method where nothing was chosen.
    #[serde(default)]
    pub hr_max_method: Option<HrMaxMethod>,
    /// Which ceiling ends the test.
    #[serde(default)]
    pub ceiling: CeilingRule,
    /// The first load, kgm/min, where loads are set.
    #[serde(default)]
    pub first_load: Option<f64>,
    /// Last time's value of the quantity the pace is held against.
    #[serde(default)]
    pub last_value: Option<f64>,
    /// Last time's value of every measure, of a test that was done alike.
    #[serde(default)]
    pub last_values: BTreeMap<String, f64>,
    /// Of the readings that the test can do without, only these are taken; all where nothing is said.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub takes: Vec<String>,
    /// The units that numbers are shown and typed in.
    #[serde(default)]
    pub units: Units,
}

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

impl Setup {
    /// A set-up that knows the person on the day and nothing else.
    pub fn of(facts: &Facts) -> Self {
        Self {
            sex: facts.sex,
            age: facts.age,
            mass: facts.mass,
            height: facts.height,
            resting_hr: facts.resting_hr,
            hr_max: facts.hr_max,
            ..Self::default()
        }
    }

    /// How the maximal heart rate is known here: measured, chosen, or as the protocol has it.
    pub fn hr_max_method(&self, protocol: &Protocol) -> HrMaxMethod {
        hr_max::method_for(&self.facts(), self.hr_max_method, protocol.hr_max_default())
    }

    /// The person on the day.
    pub const fn facts(&self) -> Facts {
        Facts {
            sex: self.sex,
            age: self.age,
            mass: self.mass,
            mass_on: None,
            height: self.height,
            resting_hr: self.resting_hr,
            hr_max: self.hr_max,
        }
    }

    /// Puts the readings that a condition records into the inputs: the bench, the lap, whether a rower is trained.
    pub fn fill(&self, protocol: &Protocol, inputs: &mut Inputs) {
        for (key, answer) in &self.conditions {
            let Some(input) = protocol.input(key).filter(|_| !inputs.is_empty()) else { continue };
            let value = match (input.kind, answer) {
                (InputKind::Number, Answer::Number(n)) => Some(Value::Number(*n)),
                (InputKind::Number, Answer::YesNo(yes)) => Some(Value::Number(f64::from(u8::from(*yes)))),
                // One of a few numbers, or a word that says there is none.
                (InputKind::Number, Answer::Text(t)) => t.parse().ok().map(Value::Number),
                (InputKind::YesNo, Answer::YesNo(yes)) => Some(Value::Yes(*yes)),
                (InputKind::Choice | InputKind::Words, Answer::Text(t)) => Some(Value::Words(t.clone())),
                _ => None,
            };
            if let Some(value) = value {
                inputs.insert(key.clone(), value);
            }
        }
    }

    /// The conditions as they are stored: those that were asked, and those that follow from the set-up.
    pub fn recorded(&self, protocol: &Protocol) -> Conditions {
        let mut conditions = self.conditions.clone();
        let mut record = |key: &str, answer: Option<Answer>| {
            if let (Some(answer), true) = (answer, protocol.condition(key).is_some()) {
                conditions.insert(key.to_owned(), answer);
            }
        };
        let method = self.hr_max_method(protocol);
        let ceiling = hr_max::ceiling_bpm(&self.facts(), method, self.ceiling).ok();
        record("cadence", self.cadence.map(|c| Answer::Number(c.value())));
        record("hr_max_method", Some(Answer::Text(method.name().into())));
        record("ceiling_bpm", ceiling.map(|bpm| Answer::Number((bpm * 10.0).round() / 10.0)));
        conditions
    }

    /// Whether the client is used to endurance work, where that was asked.
    pub fn conditioned(&self) -> Option<bool> {
        match self.conditions.get("conditioned") {
            Some(Answer::YesNo(yes)) => Some(*yes),
            _ => None,
        }
    }

    /// Holds typed readings to the conditions they say nothing without.
    ///
    /// # Errors
    /// [`Code::MissingInput`] naming the condition.
    pub fn check_with(&self, protocol: &Protocol, inputs: &Inputs) -> Result<(), InputError> {
        let needed =
            |c: &&Condition| !self.conditions.contains_key(&c.key) && c.required_with.iter().any(|key| inputs.value(key).is_some());
        if let Some(open) = protocol.conditions.iter().find(needed) {
            return Err(InputError::new(Code::MissingInput, &open.key, format!("{}: {}", open.label, open.ask)));
        }
        // The way that was agreed is the way that was counted.
        for leg in protocol.legs() {
            let Some(agreed) = leg.take.agreed(&self.conditions) else { continue };
            let other = leg.take.inputs().into_iter().find(|key| *key != agreed && inputs.get(key).is_some_and(|n| n > 0.0));
            if let (Some(other), Some(agreed)) = (other.and_then(|key| protocol.input(key)), protocol.input(agreed)) {
                let message = format!(
                    "The agreed style is “{}”, but {} were entered under “{}”. Correct one of the two.",
                    agreed.label,
                    rounded(inputs.get(&other.key).unwrap_or_default(), 1),
                    other.label
                );
                return Err(InputError::new(Code::OutOfRange, &other.key, message));
            }
        }
        Ok(())
    }

    /// Holds a set-up to its protocol: conditions known, required ones answered, numbers possible, a beat where the
    /// protocol has one.
    ///
    /// # Errors
    /// [`Code::UnknownField`], [`Code::MissingInput`] or [`Code::OutOfRange`], naming the condition.
    pub fn check(&self, protocol: &Protocol) -> Result<(), InputError> {
        for key in self.conditions.keys() {
            if protocol.condition(key).is_none() {
                return Err(InputError::new(Code::UnknownField, key, format!("{} has no condition “{key}”.", protocol.name)));
            }
        }
        for condition in &protocol.conditions {
            match self.conditions.get(&condition.key) {
                None if condition.required => {
                    return Err(InputError::new(Code::MissingInput, &condition.key, format!("An answer is missing: {}", condition.ask)));
                }
                None => {}
                Some(answer) => check_answer(protocol, condition, answer)?,
            }
        }
        if protocol.records_stages() {
            let facts = self.facts();
            if facts.mass.is_none() {
                let message = "Weigh the client first: the oxygen cost of each stage depends on the body mass.";
                return Err(InputError::new(Code::NeedsMass, "mass_kg", message));
            }
            hr_max::ceiling_bpm(&facts, self.hr_max_method(protocol), self.ceiling)?;
        }
        if let Some(load) = self.first_load.filter(|l| !(l.is_finite() && (0.0..=crate::trial::LOAD_MAX).contains(l))) {
            return Err(InputError::new(
                Code::OutOfRange,
                "first_load",
                format!("A first load of {load} kgm/min isn’t possible. Check the number."),
            ));
        }
        if protocol.beat(&self.conditions).is_some() && self.cadence.is_none() {
            return Err(InputError::new(
                Code::MissingInput,
                "cadence",
                "Choose the beat: with no sex on record the protocol cannot choose it.",
            ));
        }
        Ok(())
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

/// Holds an answer to what its question takes.
///
/// # Errors
/// [`Code::OutOfRange`] on the condition's key, with what to type or choose instead.
pub fn check_answer(protocol: &Protocol, condition: &Condition, answer: &Answer) -> Result<(), InputError> {
    let bad = |message: String| Err(InputError::new(Code::OutOfRange, &condition.key, message));
    match (answer, condition.kind) {
        (Answer::YesNo(_), ConditionKind::YesNo) => {}
        (Answer::Number(n), ConditionKind::Number) => {
            if condition.key == "bench_cm" {
                crate::units::BenchHeight::new(*n).map_err(|e| e.at("bench_cm"))?;
            }
            // A condition that is a reading too is held to what such a reading can be.
            if protocol.input(&condition.key).is_some() {
                check_inputs(protocol, &Inputs::from_iter([(condition.key.clone(), *n)]))?;
            }
            if !(0.0..=CONDITION_MAX).contains(n) {
                let unit = condition.unit.as_deref().unwrap_or_default();
                return bad(format!("{}: {n} {unit} was typed. Check the number.", condition.label));
            }
        }
        (Answer::Text(t), ConditionKind::Choice) => {
            if !condition.choices.iter().any(|(key, _)| key == t) {
                return bad(format!("{}: choose one of the answers given.", condition.label));
            }
        }
        (Answer::Text(t), ConditionKind::Text) => {
            crate::text::note(t, &condition.key)?;
        }
        (_, ConditionKind::Number) => {
            return bad(format!("{}: type a number in {}.", condition.label, condition.unit.as_deref().unwrap_or("its unit")));
        }
        _ => return bad(format!("{}: this kind of answer does not fit.", condition.label)),
    }
    Ok(())
}
