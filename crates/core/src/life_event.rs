//! Events in the client’s life: an illness, a break, a new job. They explain nothing by themselves; they stand beside the numbers, so
//! that a dip is not read without it.

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};

use crate::text;

/// A dated note on a client.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LifeEvent {
    /// What kind of thing.
    pub kind: LifeEventKind,
    /// From when.
    pub from_on: NaiveDate,
    /// Until when, where it is over and lasted.
    pub until_on: Option<NaiveDate>,
    /// Anything worth adding.
    pub words: Option<String>,
}

/// The kinds of things that move a number.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum LifeEventKind {
    /// Ill.
    Illness,
    /// Hurt.
    Injury,
    /// No training for a while.
    Break,
    /// Another daily life.
    NewJob,
    /// Away.
    Holiday,
    /// Anything else.
    Other,
}

impl LifeEventKind {
    /// Every kind.
    pub const ALL: [Self; 6] = [Self::Illness, Self::Injury, Self::Break, Self::NewJob, Self::Holiday, Self::Other];

    /// The stored name.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Illness => "illness",
            Self::Injury => "injury",
            Self::Break => "break",
            Self::NewJob => "new_job",
            Self::Holiday => "holiday",
            Self::Other => "other",
        }
    }

    /// The kind of a stored name.
    pub fn named(name: &str) -> Self {
        Self::ALL.into_iter().find(|k| k.name() == name).unwrap_or(Self::Other)
    }

    /// In the middle of a sentence.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Illness => "an illness",
            Self::Injury => "an injury",
            Self::Break => "a break from training",
            Self::NewJob => "a new job",
            Self::Holiday => "a holiday",
            Self::Other => "something else",
        }
    }
}

impl LifeEvent {
    /// What it was, with its words.
    pub fn said(&self) -> String {
        match (&self.words, self.kind) {
            (Some(words), LifeEventKind::Other) => words.clone(),
            (Some(words), kind) => format!("{} ({words})", kind.words()),
            (None, kind) => kind.words().to_owned(),
        }
    }
}

/// How long before a test a thing still counts as lying before it, days. Common practice.
const NEAR_DAYS: i64 = 42;

/// What lay between two tests, or shortly before the earlier one and went on: named beside a loss, as what happened and not as
/// its cause. Nothing where nothing was noted.
pub fn between(noted: &[LifeEvent], from: NaiveDate, to: NaiveDate) -> Option<String> {
    let touches = |h: &&LifeEvent| {
        let end = h.until_on.unwrap_or(h.from_on);
        h.from_on <= to && (h.from_on >= from || end >= from) && (to - end).num_days() <= (to - from).num_days().max(NEAR_DAYS)
    };
    let said: Vec<String> = noted.iter().filter(touches).map(|h| format!("{} in {}", h.said(), h.from_on.format("%B"))).collect();
    (!said.is_empty()).then(|| format!("Events: {}.", text::list(&said)))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn noted(kind: LifeEventKind, from: &str, until: Option<&str>, words: Option<&str>) -> LifeEvent {
        LifeEvent { kind, from_on: from.parse().unwrap(), until_on: until.map(|d| d.parse().unwrap()), words: words.map(Into::into) }
    }

    #[test]
    fn what_lay_between_two_tests_is_named_and_nothing_else() {
        let all = [
            noted(LifeEventKind::Illness, "2026-03-02", Some("2026-03-12"), Some("flu")),
            noted(LifeEventKind::Holiday, "2026-07-01", None, None),
            noted(LifeEventKind::Other, "2026-04-01", None, Some("moved house")),
        ];
        let day = |d: &str| d.parse().unwrap();
        assert_eq!(
            between(&all, day("2026-02-01"), day("2026-05-01")).unwrap(),
            "Events: an illness (flu) in March and moved house in April."
        );
        assert_eq!(between(&all, day("2026-05-01"), day("2026-06-01")), None);
        assert_eq!(between(&all, day("2026-03-10"), day("2026-03-20")).unwrap(), "Events: an illness (flu) in March.");
        assert!(LifeEventKind::ALL.into_iter().all(|k| LifeEventKind::named(k.name()) == k));
    }
}
