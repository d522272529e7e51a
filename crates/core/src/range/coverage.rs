//! How often the 95 % range of a test held the truth of simulated clients: written by `impulso validate`, read by the test's page.

use crate::units::rounded;

/// Under this share held, a group is named on the page of the test.
pub const SHORT: f64 = 0.90;
/// A group of fewer says nothing.
pub const ENOUGH: usize = 100;
/// The line of a test that is about everybody.
pub const EVERYBODY: &str = "everybody";

#[derive(Debug)]
struct Row {
    protocol: &'static str,
    group: &'static str,
    clients: usize,
    held: f64,
}

// The table, as the build found it: `COVERAGE`.
include!(concat!(env!("OUT_DIR"), "/coverage.rs"));

/// What to know about the range of a test before trusting it, in a sentence or two; nothing where it was not simulated.
pub fn said(protocol: &str) -> Option<String> {
    let of_protocol = || COVERAGE.iter().filter(|r| r.protocol == protocol);
    let all = of_protocol().find(|r| r.group == EVERYBODY)?;
    let percent = |share: f64| format!("{} %", rounded(100.0 * share, 0));
    let said = format!("The 95 % range held the true VO₂max of {} of {} simulated clients.", percent(all.held), all.clients);
    let short: Vec<String> = of_protocol()
        .filter(|r| r.group != EVERYBODY && r.clients >= ENOUGH && r.held < SHORT)
        .map(|r| format!("{} ({})", r.group, percent(r.held)))
        .collect();
    Some(if short.is_empty() { said } else { format!("{said} It is too narrow for: {}.", short.join(", ")) })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ranges_hold_the_truth_as_often_as_they_say_and_in_every_group() {
        assert!(COVERAGE.iter().filter(|r| r.group == EVERYBODY).count() >= 12);
        for row in COVERAGE {
            let meant = if row.group == EVERYBODY { 0.93..=0.97 } else { SHORT..=1.0 };
            assert!(row.clients < ENOUGH || meant.contains(&row.held), "{row:?}");
        }
    }

    #[test]
    fn a_test_that_was_simulated_says_how_often_its_range_holds() {
        let said = said("mile-walk").unwrap();
        assert!(said.starts_with("The 95 % range held the true VO₂max of 9") && said.contains("simulated clients."), "{said}");
        assert_eq!(super::said("plank"), None);
    }
}
