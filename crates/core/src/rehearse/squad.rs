//! A simulated squad that runs to the beeps, for a recorder to practise on: each runner slows, misses a line, recovers, stops. What the
//! recorder makes of it: [`super::recorded`].
//!
//! Source of the numbers: ours, so that a squad of any fitness is out within eight minutes; they are for practice and say nothing of anybody.

use std::collections::BTreeSet;

use serde::{Deserialize, Serialize};

use crate::{
    beeps::{Beeps, MissRule},
    catalogue::Protocol,
    simulate::Dice,
};

/// Who runs, in the order of their numbers.
pub const NAMES: [&str; 14] = ["Ada", "Bo", "Cleo", "Dag", "Eli", "Fen", "Gro", "Hal", "Ida", "Joss", "Kit", "Liv", "Moss", "Noor"];

/// The first is out about so long after the start, and the last, s.
const OUT_S: (f64, f64) = (110.0, 470.0);
/// Who misses a line is at least so far from it, or from its zone, at the beep, m: it can be seen.
const SHORT_M: f64 = 1.5;
/// Nobody is later than this share of the time from beep to beep.
const LATEST: f64 = 0.6;

/// One of a simulated squad.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct SimulatedRunner {
    /// From 0: the number on the shirt less one.
    pub slot: u16,
    /// In which lane of the course, from 0.
    pub lane: u16,
    /// When each judged line is reached, s after its beep, from the first on; less than nothing before it. After the last of these the runner
    /// stops.
    pub late_s: Vec<f64>,
    /// The judged beeps that are missed, ascending.
    #[serde(skip)]
    pub(super) missed: BTreeSet<u32>,
    /// The test ended for all while this one ran.
    #[serde(skip)]
    pub(super) was_running: bool,
}

impl SimulatedRunner {
    /// The last judged beep that was run to.
    pub(super) fn stops_after(&self) -> u32 {
        u32::try_from(self.late_s.len()).unwrap_or(u32::MAX)
    }

    /// The same where the test ended for all after a judged beep.
    #[must_use]
    pub(super) fn until(&self, beep: u32) -> Self {
        let late_s: Vec<f64> = self.late_s.iter().copied().take(beep as usize).collect();
        let missed = self.missed.iter().copied().filter(|missed| *missed <= beep).collect();
        Self { was_running: late_s.len() < self.late_s.len(), late_s, missed, ..*self }
    }

    /// Whether a judged beep is missed.
    pub(crate) fn misses(&self, beep: u32) -> bool {
        self.missed.contains(&beep)
    }

    /// Whether somebody stands still when a judged beep sounds.
    pub(crate) fn has_stopped(&self, beep: u32) -> bool {
        beep > self.stops_after()
    }

    /// The judged beep at which the misses end it; nothing for one who stops before.
    pub(super) fn missed_out(&self, rule: MissRule) -> Option<u32> {
        rule.ends_at(&self.missed)
    }

    /// The last judged beep that counts.
    pub(super) fn score(&self, rule: MissRule) -> u32 {
        let last_made = || (1..=self.stops_after()).rev().find(|beep| !self.missed.contains(beep)).unwrap_or(0);
        self.missed_out(rule).map_or_else(last_made, |end| rule.last_before(end))
    }

    /// The misses that a recorder should have seen.
    pub(super) fn to_see(&self, rule: MissRule) -> impl Iterator<Item = u32> + '_ {
        let end = self.missed_out(rule).unwrap_or(u32::MAX);
        self.missed.iter().copied().filter(move |beep| *beep <= end)
    }
}

/// A squad of so many made from a seed, on a schedule. The same seed is the same squad.
pub fn squad(protocol: &Protocol, beeps: &Beeps, runners: u16, seed: u64) -> Vec<SimulatedRunner> {
    let zone_m = protocol.schedule().map_or(0.0, |s| s.zone_m);
    let mut dice = Dice::new(seed ^ 0x005C_A11E);
    // Who is fit and who runs in which lane has nothing to do with the number on the shirt.
    let places = shuffled(runners, &mut dice);
    let lanes = shuffled(runners, &mut dice);
    (0..runners)
        .zip(places.into_iter().zip(lanes))
        .map(|(slot, (place, lane))| {
            let share = (f64::from(place) + dice.uniform()) / f64::from(runners.max(1));
            runner(beeps, zone_m, OUT_S.0 + share * (OUT_S.1 - OUT_S.0), (slot, lane), &mut dice)
        })
        .collect()
}

fn shuffled(many: u16, dice: &mut Dice) -> Vec<u16> {
    let mut keyed: Vec<(f64, u16)> = (0..many).map(|k| (dice.uniform(), k)).collect();
    keyed.sort_by(|a, b| a.0.total_cmp(&b.0));
    keyed.into_iter().map(|(_, k)| k).collect()
}

/// One who can run for `able_s`.
fn runner(beeps: &Beeps, zone_m: f64, able_s: f64, (slot, lane): (u16, u16), dice: &mut Dice) -> SimulatedRunner {
    let stops_by_choice = dice.uniform() < 0.25;
    // How many lines are missed before somebody whom nobody takes out stops by themselves.
    let runs_on = 2 + (4.0 * dice.uniform()) as u32;
    let mut one = SimulatedRunner { slot, lane, late_s: Vec::new(), missed: BTreeSet::new(), was_running: false };
    let (mut spent, mut before_s) = (0, 0.0);
    for beep in 1..=beeps.count() {
        let Some(mark) = beeps.beep(beep) else { break };
        let tired = mark.at_s / able_s;
        if tired >= 1.0 && (stops_by_choice || spent > runs_on) {
            break;
        }
        spent += u32::from(tired >= 1.0);
        let slip = if tired < 0.7 { 0.006 } else { 0.1 };
        let misses = spent > 0 || (!one.missed.contains(&(beep - 1)) && dice.uniform() < slip);
        let (metres_a_s, gap_s) = (mark.speed_kmh / 3.6, mark.at_s - before_s);
        let late_s = if misses {
            one.missed.insert(beep);
            (zone_m + SHORT_M) / metres_a_s + 0.3 * f64::from(spent) + 0.4 * dice.uniform()
        } else {
            // Early while it is easy, just in time, or just inside the zone, when it is not.
            let inside = 0.7 * zone_m / metres_a_s;
            let eased = ((tired - 0.5) / 0.5).clamp(0.0, 1.0);
            -0.1 - 0.4 * (1.0 - eased) + (0.1 + inside) * eased * dice.uniform() - 0.1 * dice.uniform()
        };
        one.late_s.push((late_s.min(LATEST * gap_s) * 100.0).round() / 100.0);
        before_s = mark.at_s;
    }
    one
}
