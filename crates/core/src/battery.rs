//! Batteries: several tests in an order, the same every time. Those that ship are data; an order has its reasons.

use std::sync::LazyLock;

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::{self, Protocol},
    error::{Code, InputError},
    points::ScoringTable,
    run::event::Conditions,
    text,
};

// The TOML of every battery that ships, as the build found it: `BATTERIES`.
include!(concat!(env!("OUT_DIR"), "/batteries.rs"));

/// The most tests of one battery. Ours: more is a second visit.
pub const TESTS_MAX: usize = 12;

/// Said of a test that stands elsewhere than its kind usually does.
const AS_SET: &str = "This battery’s own order. It is the same at every visit.";

/// The longest window, minutes. Ours.
pub const WINDOW_MAX: u16 = 240;

/// Tests in an order, for one visit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Battery {
    /// Stable id.
    pub id: String,
    /// Its place in the list, smallest first.
    #[serde(default)]
    pub order: u16,
    /// What it is called.
    pub name: String,
    /// One sentence: what it is for.
    #[serde(default)]
    pub summary: String,
    /// How many weeks until it is usually done again.
    pub again_weeks: Option<u32>,
    /// With photographs: before any exercise.
    #[serde(default)]
    pub photos: bool,
    /// A window instead of an order: so many minutes, any test at any time, as many tries as one likes; the best counts.
    #[serde(default)]
    pub window_min: Option<u16>,
    /// The scoring table it ships with.
    #[serde(default)]
    pub scoring: Option<ScoringTable>,
    /// The tests, in their order; one may stand in it twice.
    pub tests: Vec<Slot>,
}

/// A test's place in a battery.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Slot {
    /// What the test is called in its battery, whatever its place: points and targets name it. Given where nothing is said.
    #[serde(default)]
    pub id: String,
    pub protocol: String,
    /// The variant: circumstances that are always these, and are not asked.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = std::collections::BTreeMap<String, crate::run::event::Answer>))]
    pub given: Conditions,
    /// Of the readings that the test can do without, only these are taken: which girths, at which places. All where nothing is said.
    #[serde(default)]
    pub takes: Vec<String>,
    /// It may be left out without a reason.
    #[serde(default)]
    pub optional: bool,
    /// A word that several tests share of which one is enough: once it is done, the others are left out unless they are taken up.
    #[serde(default)]
    pub either: Option<String>,
    /// Rest before it, minutes.
    #[serde(default)]
    pub rest_min: u16,
    /// Why it stands here, where it is more than the usual reason.
    pub why: Option<String>,
}

/// The batteries in their order, and the files that cannot be read.
static FILES: LazyLock<(Vec<Battery>, Vec<String>)> = LazyLock::new(|| {
    let (mut all, unreadable) = catalogue::read_files(&BATTERIES, read);
    all.sort_by_key(|b| b.order);
    (all, unreadable)
});

fn read(text: &str) -> Result<Battery, InputError> {
    toml::from_str::<Battery>(text).map(Battery::identified).map_err(|e| InputError::whole(Code::BadJson, e.to_string()))
}

/// The files of batteries that cannot be read, each with the reason.
pub fn unreadable() -> &'static [String] {
    &FILES.1
}

/// The batteries that ship.
pub fn all() -> &'static [Battery] {
    &FILES.0
}

/// The battery that ships under this id.
///
/// # Errors
/// [`Code::UnknownField`] naming it.
pub fn find(id: &str) -> Result<&'static Battery, InputError> {
    let unknown = || InputError::new(Code::UnknownField, "battery", "There is no such battery. Choose one of the list.");
    all().iter().find(|b| b.id == id).ok_or_else(unknown)
}

impl Battery {
    /// The same with a name for each test: its protocol, and a number where it stands in it more than once. A test keeps the name it has
    /// wherever it is moved; points that name a test follow it to its place.
    #[must_use]
    pub fn identified(mut self) -> Self {
        let mut taken: Vec<String> = self.tests.iter().map(|t| t.id.clone()).filter(|id| !id.is_empty()).collect();
        for test in self.tests.iter_mut().filter(|t| t.id.is_empty()) {
            let nth = |n: usize| if n == 1 { test.protocol.clone() } else { format!("{}-{n}", test.protocol) };
            test.id = (1..=TESTS_MAX + 1).map(nth).find(|id| !taken.contains(id)).unwrap_or_default();
            taken.push(test.id.clone());
        }
        self.scoring = self.scoring.take().map(|table| table.placed_in(&self.test_names()));
        self
    }

    /// The name of each test in the battery, by its place.
    pub fn test_names(&self) -> Vec<&str> {
        self.tests.iter().map(|t| t.id.as_str()).collect()
    }

    /// A battery of one test: what every test on its own is.
    pub fn of_one(protocol: &Protocol) -> Self {
        Self {
            id: protocol.id.clone(),
            order: 0,
            name: protocol.name.clone(),
            summary: protocol.tells.clone(),
            again_weeks: protocol.retest_weeks,
            photos: false,
            window_min: None,
            scoring: None,
            tests: vec![Slot::of(&protocol.id)],
        }
        .identified()
    }

    /// Holds a battery to what can be done in one visit. `known`: the protocols of the practice.
    ///
    /// # Errors
    /// [`Code::MissingInput`] without a name or a test, [`Code::OutOfRange`] with too many, and what a place's variant is
    /// refused for.
    pub fn check<'p>(&self, known: &dyn Fn(&str) -> Result<&'p Protocol, InputError>) -> Result<(), InputError> {
        self.check_size()?;
        for place in &self.tests {
            let protocol = known(&place.protocol)?;
            if let Some(key) = place.takes.iter().find(|key| protocol.input(key).is_none()) {
                return Err(InputError::new(Code::BadValue, "tests", format!("{} takes no “{key}”.", protocol.name)));
            }
            for (key, answer) in &place.given {
                let chosen = match answer {
                    crate::run::event::Answer::Text(t) => Some(t),
                    _ => None,
                };
                let fits =
                    protocol.condition(key).is_some_and(|c| c.choices.is_empty() || c.choices.iter().any(|(k, _)| Some(k) == chosen));
                if !fits {
                    let message = format!("{} has no such variant: “{key}”.", protocol.name);
                    return Err(InputError::new(Code::BadValue, "tests", message));
                }
            }
        }
        Ok(())
    }

    /// The same without its tests' own variants: what holds also for a battery as it was on an earlier day.
    ///
    /// # Errors
    /// As [`Battery::check`].
    pub fn check_size(&self) -> Result<(), InputError> {
        if text::note(&self.name, "name")?.is_none() {
            return Err(InputError::new(Code::MissingInput, "name", "Give the battery a name."));
        }
        text::name(&self.name, "name")?;
        text::note(&self.summary, "summary")?;
        if self.tests.is_empty() {
            return Err(InputError::new(Code::MissingInput, "tests", "A battery has at least one test. Add one."));
        }
        if let Some(minutes) = self.window_min.filter(|m| !(5..=WINDOW_MAX).contains(m)) {
            let message =
                format!("A window lasts 5 to {WINDOW_MAX} minutes; {minutes} was given. Without a window the tests have an order.");
            return Err(InputError::new(Code::OutOfRange, "window_min", message));
        }
        if self.tests.len() > TESTS_MAX {
            let message =
                format!("{} tests are too many for one visit; {TESTS_MAX} is the most. Make two batteries of it.", self.tests.len());
            return Err(InputError::new(Code::OutOfRange, "tests", message));
        }
        for place in &self.tests {
            text::note(place.why.as_deref().unwrap_or_default(), "tests")?;
            text::note(place.either.as_deref().unwrap_or_default(), "tests")?;
            for answer in place.given.values() {
                if let crate::run::event::Answer::Text(said) = answer {
                    text::note(said, "tests")?;
                }
            }
        }
        Ok(())
    }

    /// Of each test the word that it shares with those of which one is enough.
    pub fn either(&self) -> Vec<Option<&str>> {
        self.tests.iter().map(|t| t.either.as_deref()).collect()
    }

    /// The protocols of its places; nothing where there is no such protocol any more.
    pub fn protocols<'p>(&self, known: &dyn Fn(&str) -> Result<&'p Protocol, InputError>) -> Vec<Option<&'p Protocol>> {
        self.tests.iter().map(|t| known(&t.protocol).ok()).collect()
    }

    /// Why each test stands where it stands: its own reason, else the usual one of its kind where it is true there.
    pub fn reasons<'p>(&self, known: &dyn Fn(&str) -> Result<&'p Protocol, InputError>) -> Vec<String> {
        let sections: Vec<Option<&catalogue::Section>> =
            self.protocols(known).into_iter().map(|p| catalogue::section(&p?.section)).collect();
        let reason = |(k, test): (usize, &Slot)| {
            let Some(section) = sections[k] else { return test.why.clone().unwrap_or_default() };
            // What its kind says is about the tests that follow: none that should have come before it.
            let in_order = sections[k + 1..].iter().flatten().all(|later| later.rank >= section.rank);
            let usual = || if in_order { section.why.clone() } else { AS_SET.to_owned() };
            test.why.clone().unwrap_or_else(usual)
        };
        self.tests.iter().enumerate().map(reason).collect()
    }

    /// The places in the order in which the tests disturb each other least; equal ones keep theirs.
    pub fn suggested_order<'p>(&self, known: &dyn Fn(&str) -> Result<&'p Protocol, InputError>) -> Vec<usize> {
        let rank =
            |k: &usize| known(&self.tests[*k].protocol).map_or(u16::MAX, |p| catalogue::section(&p.section).map_or(u16::MAX, |s| s.rank));
        let mut order: Vec<usize> = (0..self.tests.len()).collect();
        order.sort_by_key(rank);
        order
    }
}

impl Slot {
    /// A test as it is, without a variant.
    pub fn of(protocol: &str) -> Self {
        Self {
            id: String::new(),
            protocol: protocol.to_owned(),
            given: Conditions::new(),
            takes: Vec::new(),
            optional: false,
            either: None,
            rest_min: 0,
            why: None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn known(id: &str) -> Result<&'static Protocol, InputError> {
        catalogue::find(id)
    }

    #[test]
    fn a_reason_is_said_only_where_it_is_true() {
        let of = |ids: &[&str]| {
            let battery = Battery { tests: ids.iter().map(|id| Slot::of(id)).collect(), ..find("monthly-four").unwrap().clone() };
            battery.reasons(&known)
        };
        let (last, first) = (of(&["plank", "run-12min"]), of(&["run-12min", "plank"]));
        assert!(last[1].contains("comes last") && first[0] == AS_SET, "{last:?} {first:?}");
        for battery in all() {
            assert!(battery.reasons(&known).iter().all(|r| !r.is_empty()), "{}", battery.id);
        }
    }

    #[test]
    fn every_battery_that_ships_holds_together() {
        assert_eq!(unreadable(), [""; 0]);
        assert!(all().len() >= 12);
        for battery in all() {
            battery.check(&known).unwrap_or_else(|e| panic!("{}: {}", battery.id, e.message));
            if let Some(table) = &battery.scoring {
                table.check(&battery.protocols(&known)).unwrap_or_else(|e| panic!("{}: {}", battery.id, e.message));
            }
        }
    }

    #[test]
    fn what_rests_comes_first_and_the_long_run_last() {
        let ids = ["run-12min", "push-up", "resting-hr", "sit-reach", "vertical-jump"];
        let battery = Battery { tests: ids.map(Slot::of).to_vec(), ..Battery::of_one(known("plank").unwrap()) };
        let order: Vec<&str> = battery.suggested_order(&known).into_iter().map(|k| ids[k]).collect();
        assert_eq!(order, ["resting-hr", "sit-reach", "vertical-jump", "push-up", "run-12min"]);
    }

    #[test]
    fn a_battery_without_a_test_is_refused_and_one_with_a_test_twice_is_not() {
        let one = Battery::of_one(known("plank").unwrap());
        let none = Battery { tests: Vec::new(), ..one.clone() };
        assert_eq!(none.check(&known).unwrap_err().field.as_deref(), Some("tests"));
        let twice = Battery { tests: vec![Slot::of("plank"), Slot::of("plank")], ..one.clone() };
        assert!(twice.check(&known).is_ok());
        let many = Battery { tests: vec![Slot::of("plank"); TESTS_MAX + 1], ..one.clone() };
        assert_eq!(many.check(&known).unwrap_err().code, Code::OutOfRange);
        for long in [
            Battery { name: "x".repeat(400_000), ..one.clone() },
            Battery { summary: "x".repeat(400_000), ..one.clone() },
            Battery { tests: vec![Slot { why: Some("x".repeat(400_000)), ..Slot::of("plank") }], ..one.clone() },
        ] {
            assert_eq!(long.check(&known).unwrap_err().code, Code::OutOfRange, "a text has an end");
        }
        let closed = Battery { window_min: Some(0), ..one.clone() };
        assert_eq!(closed.check(&known).unwrap_err().field.as_deref(), Some("window_min"));
        let mut odd = one;
        odd.tests[0].given.insert("support".into(), crate::run::event::Answer::Text("one hand".into()));
        assert_eq!(odd.check(&known).unwrap_err().code, Code::BadValue);
    }
}
