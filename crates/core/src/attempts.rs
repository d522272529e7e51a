//! The rules of a test that is done in attempts, as data: what is taken in each leg, and how.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::{
    conditions::{Answer, Conditions},
    text,
};

/// A test in attempts.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Attempts {
    /// In the order in which they are done.
    pub legs: Vec<Leg>,
}

/// One thing that is taken.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Leg {
    /// Key within the protocol.
    pub id: String,
    /// What it is called on the floor.
    #[serde(default)]
    pub label: String,
    /// Rest after each try, s; the next one is called when it is over.
    #[serde(default)]
    pub rest_s: Option<u32>,
    /// How it is taken.
    pub take: Take,
}

/// How a leg is taken: each is one kind of floor.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Take {
    /// A clock that runs until the position is lost.
    Hold {
        /// The input its seconds fill.
        input: String,
        /// What is marked on the way, in the order in which it is expected.
        #[serde(default)]
        marks: Vec<Mark>,
        /// The input that caps it, s, where it is given.
        limit: Option<String>,
        /// What ends it, as the key that ends it says.
        ends: String,
        /// What a score of nothing means: could not take the position.
        zero: String,
    },
    /// Read off and written down: a distance, an angle, points of performance, a girth.
    Read {
        /// The inputs that are written down, in order.
        inputs: Vec<String>,
        /// Heart rates that are called: the first as the work ends, each next one so many seconds later.
        #[serde(default)]
        every_s: Option<u32>,
        /// A load that is advised.
        #[serde(default)]
        advise: Option<Advised>,
    },
    /// Counted with a key, against the clock where the work has a length.
    Count {
        /// The inputs that are counted, in order.
        inputs: Vec<String>,
        /// When a repetition counts, in a sentence or two.
        rule: String,
        /// What makes one not count, as the key that strikes it says.
        strike: String,
        /// Each input and side against a clock of its own, started by hand, s.
        #[serde(default)]
        seconds: Option<u32>,
        /// The input that those seconds fill: the window of a pulse.
        #[serde(default)]
        fills: Option<String>,
        /// What is counted beside it, with a key of its own, on the same side.
        #[serde(default)]
        also: Vec<SeenKey>,
        /// More than half a repetition at the bell counts as one: it is keyed after it, once.
        #[serde(default)]
        half_at_bell: bool,
        /// The way that was agreed at set-up is the way that is counted.
        #[serde(default)]
        agreed: Option<Agreed>,
        /// Where there is a beat: so many missed in a row end the count at the last good one.
        #[serde(default)]
        missed_beats: Option<u8>,
        /// More than the input takes tells nothing: a heavier set follows in the same run.
        #[serde(default)]
        heavier: Option<Heavier>,
    },
    /// Stages that are tried one after the other until one fails.
    Ladder {
        /// The input that the last stage passed fills; 0 where none was.
        input: String,
        /// The stages from the easiest on, in words.
        stages: Vec<String>,
        /// The first one tried may be chosen; where it fails, it goes down until one is passed.
        #[serde(default)]
        from_any: bool,
        /// What passes one, as the key says it.
        passes: String,
        /// What fails one, as the key says it.
        fails: String,
        /// The input that is counted afterwards, as many as possible of the last stage passed; nought where none was.
        #[serde(default)]
        then: Option<String>,
        /// The input that is asked where one failed.
        #[serde(default)]
        why: Option<String>,
    },
    /// One movement that is watched: a key for each thing that is seen and costs. Nothing seen is a reading too.
    Seen {
        /// What is looked for.
        keys: Vec<SeenKey>,
        /// What ends it, as the key that ends it says.
        ends: String,
    },
    /// Timed by hand from a start to an end, once for each try and side.
    Watch {
        /// The inputs that are timed, in order.
        inputs: Vec<String>,
        /// What ends it, as the key that ends it says.
        ends: String,
        /// What a score of nothing means, where there can be one.
        zero: Option<String>,
        /// It is over at the latest, s.
        at_most_s: Option<u32>,
        /// The next try begins as the one before it ends: one start, then a key a lap.
        #[serde(default)]
        laps: bool,
        /// What was agreed at set-up is what is timed.
        #[serde(default)]
        agreed: Option<Agreed>,
    },
    /// Started again and again on the clock; each start has its time.
    Starts {
        /// The input the times fill, a try each.
        input: String,
        /// From start to start, s.
        every_s: u32,
        /// How many.
        starts: u8,
    },
    /// Loads, lifted or missed, each heavier by what the one before showed.
    Load {
        /// The input the loads fill.
        load: String,
        /// The input that says whether each was made.
        made: String,
        /// The longest sensible rest, s.
        rest_at_most_s: u32,
        /// How many are planned; one more needs a reason, and comes only where none was missed.
        #[serde(default)]
        attempts: Option<u8>,
        /// The condition that says what is expected, kg; last time where it says nothing.
        #[serde(default)]
        expected: Option<String>,
    },
}

impl Take {
    /// What a handbook says of how it is taken; nothing where there is nothing to say beyond what is read.
    pub fn handbook(&self) -> Option<String> {
        match self {
            Self::Hold { ends, zero, .. } => Some(format!("The hold ends with: {}. {zero}: the score is 0.", text::small(ends))),
            Self::Watch { ends, laps: true, .. } => Some(format!("One start; {} ends one and begins the next.", text::small(ends))),
            Self::Watch { ends, at_most_s, .. } => {
                let cap = at_most_s.map(|s| format!(", after {s} s at the latest")).unwrap_or_default();
                Some(format!("The watch ends with: {}{cap}.", text::small(ends)))
            }
            Self::Count { rule, seconds, .. } => {
                Some(seconds.map_or_else(|| rule.clone(), |s| format!("{s} seconds each, from a start by hand. {rule}")))
            }
            Self::Ladder { stages, .. } => {
                let each: Vec<String> = stages.iter().enumerate().map(|(k, words)| format!("{} {words}", k + 1)).collect();
                Some(format!("From the easiest on: {}.", each.join("; ")))
            }
            Self::Seen { keys, .. } => {
                let each: Vec<String> = keys.iter().map(|k| text::small(&k.label)).collect();
                Some(format!("Looked for: {}.", each.join(", ")))
            }
            Self::Starts { every_s, starts, .. } => Some(format!("{starts} starts, one every {every_s} s.")),
            Self::Read { advise: Some(advised), .. } => Some(advised.first.clone()),
            Self::Read { .. } | Self::Load { .. } => None,
        }
    }

    /// What is not counted, as the key that strikes it says; nothing where nothing is struck.
    pub fn struck(&self) -> Option<&str> {
        match self {
            Self::Count { strike, .. } => Some(strike),
            _ => None,
        }
    }

    /// The one input that was agreed on, of those that are taken; nothing where all are.
    pub fn agreed(&self, conditions: &Conditions) -> Option<&str> {
        match self {
            Self::Count { agreed: Some(agreed), .. } | Self::Watch { agreed: Some(agreed), .. } => agreed.input(conditions),
            _ => None,
        }
    }

    /// Whether what it comes to can be written down name by name on a grid: read, timed by hand, lifted, or counted elsewhere. What is
    /// decided on the way, as a ladder, is not.
    pub const fn suits_grid(&self) -> bool {
        match self {
            Self::Read { every_s, advise, .. } => every_s.is_none() && advise.is_none(),
            Self::Count { heavier, fills, .. } => heavier.is_none() && fills.is_none(),
            Self::Watch { .. } | Self::Starts { .. } | Self::Load { .. } => true,
            Self::Hold { .. } | Self::Ladder { .. } | Self::Seen { .. } => false,
        }
    }

    /// When a repetition counts, in a sentence or two, where something is counted.
    pub fn counting_rule(&self) -> Option<&str> {
        match self {
            Self::Count { rule, .. } => Some(rule),
            _ => None,
        }
    }
}

/// A choice of set-up that decides which input is taken.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Agreed {
    pub condition: String,
    /// The input that is taken under each choice; under any other, all of them.
    pub inputs: BTreeMap<String, String>,
}

impl Agreed {
    /// The one input that is taken under these answers; nothing where all are.
    pub fn input(&self, conditions: &Conditions) -> Option<&str> {
        match conditions.get(&self.condition) {
            Some(Answer::Text(choice)) => self.inputs.get(choice).map(String::as_str),
            _ => None,
        }
    }
}

/// A set that follows one of too many repetitions.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Heavier {
    /// The input of the load.
    pub load: String,
    /// Rest before it, s.
    pub rest_s: u32,
    /// The least of it, as a share of the load of the set before.
    pub from: f64,
    /// The most of it.
    pub to: f64,
}

/// A load to begin with.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Advised {
    /// Such a share of what the test said last time.
    pub share: f64,
    /// Why such a share.
    pub because: String,
    /// How to choose where there is no last time.
    pub first: String,
}

/// Something that is looked for in a movement.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct SeenKey {
    /// The input that one more is added to.
    pub input: String,
    /// What is seen, as the key says it.
    pub label: String,
}

/// A moment that is marked with a key.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Mark {
    /// The input its second fills.
    pub input: String,
    /// What is seen, as the key says it.
    pub label: String,
    /// The key that marks it.
    pub key: String,
}

impl Take {
    /// The inputs it fills, in the order in which they are taken.
    pub fn inputs(&self) -> Vec<&str> {
        match self {
            Self::Hold { input, marks, limit, .. } => {
                std::iter::once(input.as_str()).chain(marks.iter().map(|m| m.input.as_str())).chain(limit.as_deref()).collect()
            }
            Self::Read { inputs, .. } | Self::Watch { inputs, .. } => inputs.iter().map(String::as_str).collect(),
            Self::Count { inputs, also, .. } => inputs.iter().map(String::as_str).chain(also.iter().map(|k| k.input.as_str())).collect(),
            Self::Seen { keys, .. } => {
                let mut inputs: Vec<&str> = keys.iter().map(|k| k.input.as_str()).collect();
                inputs.dedup();
                inputs
            }
            Self::Starts { input, .. } | Self::Ladder { input, .. } => vec![input],
            Self::Load { load, made, .. } => vec![load, made],
        }
    }
}
