//! Results that people take of themselves, away from their coach: which tests suit that, what they are told of one, and what
//! becomes of what they send.

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::Protocol,
    conditions::Conditions,
    error::{Code, InputError},
    picture::{Drawing, Picture},
    text,
    visit::Stand,
};

/// What somebody who tests themselves is told of a test.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Standard {
    /// When it counts.
    pub counts: Vec<String>,
    /// What does not count.
    pub does_not_count: Vec<String>,
    /// What it looks like.
    pub drawings: Vec<Drawing>,
}

impl Standard {
    /// That of a test which is done under these conditions.
    pub fn of(protocol: &Protocol, conditions: &Conditions) -> Self {
        let holds = |p: &&Picture| p.when.as_ref().is_none_or(|w| w.holds(conditions));
        let pictures: Vec<&Picture> = protocol.pictures.iter().filter(holds).collect();
        let takes = || protocol.legs().iter().map(|leg| &leg.take);
        let struck = takes().filter_map(|take| take.struck()).map(|s| format!("{}.", text::capital(s.trim_end_matches('.'))));
        Self {
            counts: takes().filter_map(crate::attempts::Take::handbook).collect(),
            does_not_count: struck.chain(pictures.iter().filter(|p| p.wrong).map(|p| p.caption.clone())).collect(),
            drawings: pictures.iter().map(|p| p.drawing()).collect(),
        }
    }
}

/// Whether somebody can take a test of themselves and type what they read: not one that another person has to watch or to steer.
pub fn suits(protocol: &Protocol) -> bool {
    protocol.suits_list() && protocol.opens_after.is_none()
}

/// What became of something that was sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Fate {
    /// The coach has not looked at it yet.
    Waiting,
    /// It is a result.
    Taken,
    /// It is none; the coach said why.
    Refused,
    /// Something newer was sent in its place before the coach looked.
    Replaced,
}

/// Whether something more may be sent for a test. `latest`: what became of what was sent last.
///
/// # Errors
/// [`Code::OutOfRange`] with what to do instead.
pub fn may_send(latest: Option<Fate>, stand: Stand) -> Result<(), InputError> {
    let refuse = |message: &str| Err(InputError::new(Code::OutOfRange, "place", message));
    match (latest, stand) {
        (Some(Fate::Taken), _) => refuse("Your coach has taken this result in. If it is wrong, tell your coach."),
        (_, Stand::Done) => refuse("This test has a result already. If it is wrong, tell your coach."),
        (_, Stand::Running) => refuse("Your coach is running this test with you now."),
        (_, Stand::Skipped) => refuse("Your coach has left this test out."),
        _ => Ok(()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::catalogue;
    use proptest::prelude::*;

    #[test]
    fn every_test_that_suits_says_when_it_counts_and_most_say_what_does_not() {
        let suited: Vec<&Protocol> = catalogue::all().iter().filter(|p| suits(p)).collect();
        assert!(suited.len() > 40 && !suits(catalogue::find("multistage-cycle").unwrap()));
        assert!(!suits(catalogue::find("air-squat").unwrap()), "another person has to watch");
        let push_up = Standard::of(catalogue::find("push-up").unwrap(), &Conditions::new());
        assert!(push_up.counts[0].starts_with("One counts when the body stays straight"));
        assert_eq!(push_up.does_not_count[0], "Not deep enough, or the body sagged.");
        for protocol in suited {
            let told = Standard::of(protocol, &Conditions::new());
            let said = [told.counts, told.does_not_count].concat();
            assert!(said.iter().all(|s| s.ends_with('.') && !s.ends_with("..")), "{}: {said:?}", protocol.id);
        }
    }

    proptest! {
        /// Whatever was sent, a test that has a result takes nothing more, and one that has none takes what was refused or waits.
        #[test]
        fn nothing_is_sent_for_a_test_that_has_a_result(latest in prop::option::of(prop::sample::select(vec![Fate::Waiting, Fate::Taken, Fate::Refused, Fate::Replaced]))) {
            prop_assert!(may_send(latest, Stand::Done).is_err());
            prop_assert_eq!(may_send(latest, Stand::ToCome).is_err(), latest == Some(Fate::Taken));
        }
    }
}
