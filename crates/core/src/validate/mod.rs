//! How good are the estimates? A thousand simulated clients through each estimating protocol, against the truth that is
//! known of them.
//!
//! The simulated body is not the equation under test run backwards: a cyclist's heart follows the load with kinetics, drift
//! and noise and a maximum that no rule predicts exactly; a runner holds a share of the maximum with an economy of their
//! own. What comes out says how an equation behaves on such people, and where the model and the equation disagree: it is no
//! substitute for a laboratory. Shares and spreads are ours, common practice.

mod perform;
pub mod squads;

use crate::{
    catalogue::{self, Protocol},
    combined::{self, Entry},
    estimate::cycle::{self, least_squares},
    inputs::{Inputs, Value},
    person::Sex,
    range::{self, Range},
    rehearse,
    simulate::{Client, Dice},
    test_record::{Circumstances, TestRecord, compute_as_given},
};

/// How a protocol's estimates lie against the truth.
#[derive(Debug, Clone, PartialEq)]
pub struct Quality {
    pub protocol: &'static Protocol,
    /// Every client who got an estimate.
    pub points: Vec<Point>,
    /// Clients who could not do the test, or whose readings allowed no estimate.
    pub withheld: usize,
    /// Mean of estimate minus truth, mL/kg/min.
    pub bias: f64,
    /// Standard error of estimate: scatter of the truth around the line on the estimate, mL/kg/min.
    pub see: f64,
    /// Share within 10 % of the truth.
    pub within_10_percent: f64,
    /// The published standard error, in words, where one is known.
    pub published_see: Option<&'static str>,
    /// The shares of clients whose truth lies in their 50, 80 and 95 % range.
    pub held: [f64; 3],
    /// The share held by the 95 % range in each group of people.
    pub groups: Vec<GroupHeld>,
}

/// One simulated client's estimate.
#[derive(Debug, Clone, PartialEq)]
pub struct Point {
    /// The true VO2max, mL/kg/min.
    pub truth: f64,
    /// mL/kg/min.
    pub estimate: f64,
    pub range: Option<Range>,
    groups: [&'static str; 4],
}

impl Point {
    /// Whether the client is one of a group.
    pub fn in_group(&self, group: &str) -> bool {
        self.groups.contains(&group)
    }
}

/// How many of a group's truths lie in their 95 % range.
#[derive(Debug, Clone, PartialEq)]
pub struct GroupHeld {
    /// Who: one of [`GROUPS`].
    pub group: &'static str,
    /// How many of them have an estimate.
    pub clients: usize,
    /// The share held, 0 to 1.
    pub held: f64,
}

/// The shares of truths that a range is meant to hold.
pub const SHARES: [f64; 3] = [0.5, 0.8, 0.95];
/// They lie within so many standard deviations.
const Z: [f64; 3] = [0.674_489_750, 1.281_551_566, range::Z95];

/// The groups whose ranges are looked at on their own: by sex, age, fitness for age and sex, and body mass.
pub const GROUPS: [&str; 11] = [
    "women",
    "men",
    "18 to 34 years",
    "35 to 49 years",
    "50 to 64 years",
    "less fit third",
    "middle third",
    "fitter third",
    "under 65 kg",
    "65 to 80 kg",
    "over 80 kg",
];

fn groups(client: &Client) -> [&'static str; 4] {
    let band = |value: f64, below: f64, over: f64, first: usize| GROUPS[first + usize::from(value >= below) + usize::from(value > over)];
    // A third of a normal distribution lies within 0.43 standard deviations of 18 %.
    let fitness = client.vo2max / client.expected_vo2max();
    [
        GROUPS[usize::from(client.sex == Sex::Male)],
        band(client.age, 35.0, 49.0, 2),
        band(fitness, 0.923, 1.077, 5),
        band(client.mass, 65.0, 80.0, 8),
    ]
}

/// The protocols that are simulated, with the published standard error where one is known.
const SIMULATED: [(&str, Option<&str>); 12] = [
    ("bench-step-3min", Some("2.9 women, 8 % men")),
    ("single-stage-step", Some("about 10 % trained, 15 % untrained")),
    ("single-stage-cycle", Some("about 10 % trained, 15 % untrained")),
    ("multistage-cycle", None),
    ("mile-walk", Some("5.0")),
    ("run-12min", Some("3.5")),
    ("run-1-5mile", None),
    ("shuttle-20m", Some("4.7 adults")),
    ("shuttle-recovery-1", Some("3.9")),
    ("shuttle-recovery-2", Some("4.5")),
    ("interval-30-15", Some("4.0")),
    ("row-2000m", None),
];

/// The intermittent run that begins fast: it is for squads that are fit already.
const HARDER: &str = "shuttle-recovery-2";

/// Puts `clients` simulated clients, made from `seed`, through each estimating protocol.
pub fn all(clients: u32, seed: u64) -> Vec<Quality> {
    SIMULATED.iter().filter_map(|(id, see)| Some(quality(catalogue::find(id).ok()?, *see, clients, seed))).collect()
}

fn quality(protocol: &'static Protocol, published_see: Option<&'static str>, clients: u32, seed: u64) -> Quality {
    let points: Vec<Point> = (0..clients)
        .filter_map(|k| {
            let own = seed.wrapping_mul(1_000_003).wrapping_add(u64::from(k));
            // The intermittent runs are for squads; everything else is for anyone.
            let for_squads = protocol.schedule().is_some_and(|s| s.recovery_s > 0.0);
            let client = match for_squads {
                true if protocol.id == HARDER => Client::of_a_first_squad(own),
                true => Client::of_a_squad(own),
                false => Client::from_seed(own),
            };
            let (estimate, range) = estimate(protocol, &client, &mut Dice::new(own ^ 0xA5A5))?;
            Some(Point { truth: client.vo2max, estimate, range, groups: groups(&client) })
        })
        .collect();
    let n = points.len() as f64;
    let bias = points.iter().map(|p| p.estimate - p.truth).sum::<f64>() / n;
    let turned: Vec<(f64, f64)> = points.iter().map(|p| (p.estimate, p.truth)).collect();
    let (slope, intercept) = least_squares(&turned).unwrap_or((0.0, 0.0));
    let squares: f64 = turned.iter().map(|(e, t)| (t - intercept - slope * e).powi(2)).sum();
    let near = points.iter().filter(|p| (p.estimate - p.truth).abs() <= 0.1 * p.truth).count() as f64;
    let of_group = |group: &'static str| {
        let own: Vec<&Point> = points.iter().filter(|p| p.in_group(group)).collect();
        GroupHeld { group, clients: own.len(), held: held(own.iter().copied(), Z[2]) }
    };
    Quality {
        protocol,
        withheld: clients as usize - points.len(),
        bias,
        see: (squares / (n - 2.0)).sqrt(),
        within_10_percent: near / n,
        published_see,
        held: Z.map(|z| held(&points, z)),
        groups: GROUPS.into_iter().map(of_group).filter(|g| g.clients > 0).collect(),
        points,
    }
}

/// How the best of several methods does on simulated clients.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Together {
    /// How many could do all of the tests.
    pub clients: usize,
    /// The share whose truth lies in the combined 95 % range.
    pub held: f64,
    /// Its mean width, mL/kg/min.
    pub width: f64,
    /// The mean width of the narrowest method of each client, mL/kg/min.
    pub narrowest_width: f64,
    /// The share whose truth lies in that one.
    pub narrowest_held: f64,
    /// The share of clients whose combined range is narrower than each method's.
    pub narrower: f64,
}

/// Puts `clients` simulated clients through a multistage ride, a mile walk and a 12-minute run, gives them a watch, and combines the four.
pub fn combined(clients: u32, seed: u64) -> Together {
    let day = chrono::NaiveDate::default();
    let protocols: Vec<&Protocol> =
        ["multistage-cycle", "mile-walk", "run-12min"].iter().filter_map(|id| catalogue::find(id).ok()).collect();
    let (mut n, mut sums) = (0, [0.0; 5]);
    for k in 0..clients {
        let own = seed.wrapping_mul(1_000_003).wrapping_add(u64::from(k));
        let client = Client::from_seed(own);
        let mut dice = Dice::new(own ^ 0x5A5A);
        let entry = |method: &str, (value, range): (f64, Option<Range>)| Entry {
            result: uuid::Uuid::nil(),
            method: method.to_owned(),
            on: day,
            value,
            range,
            unfit: None,
        };
        let tested: Option<Vec<Entry>> = protocols.iter().map(|p| Some(entry(&p.name, estimate(p, &client, &mut dice)?))).collect();
        let Some(mut entries) = tested else { continue };
        entries.extend(watch(&client, &mut dice).map(|found| entry("watch", found)));
        let found = combined::combine(&entries, day, 1);
        let Some(best) = found.best else { continue };
        let widths = found.methods.iter().map(|m| (m.high - m.low, (m.low..=m.high).contains(&client.vo2max)));
        let Some((narrowest, holds)) = widths.min_by(|a, b| a.0.total_cmp(&b.0)) else { continue };
        let yes = |yes: bool| f64::from(u8::from(yes));
        let width = best.high - best.low;
        let of_client = [yes((best.low..=best.high).contains(&client.vo2max)), width, narrowest, yes(holds), yes(width <= narrowest)];
        sums.iter_mut().zip(of_client).for_each(|(sum, of)| *sum += of);
        n += 1;
    }
    let [held, width, narrowest_width, narrowest_held, narrower] = sums.map(|sum| sum / f64::from(n.max(1)));
    Together { clients: n as usize, held, width, narrowest_width, narrowest_held, narrower }
}

/// What a watch says: off by 11 % (Molina-Garcia et al. 2022; recalled).
fn watch(client: &Client, dice: &mut Dice) -> Option<(f64, Option<Range>)> {
    let mut inputs = Inputs::from_iter([("vo2max", client.vo2max * (1.0 + 0.11 * dice.normal()))]);
    inputs.insert("given_by", Value::Words("watch".into()));
    let record = TestRecord::of(catalogue::find("reported-vo2max").ok()?, client.facts(), &inputs);
    let outcome = compute_as_given(&record).ok()?;
    Some((outcome.result(range::QUANTITY)?.value, range::of(&record, &outcome)))
}

/// The share of clients whose truth lies within `z` standard deviations of their estimate.
fn held<'p>(points: impl IntoIterator<Item = &'p Point>, z: f64) -> f64 {
    let (mut all, mut within) = (0.0, 0.0);
    for point in points {
        let (low, high) = point.range.as_ref().map_or((f64::NAN, f64::NAN), |r| r.bounds(point.estimate, z));
        all += 1.0;
        within += f64::from(u8::from((low..=high).contains(&point.truth)));
    }
    within / f64::max(all, 1.0)
}

/// The estimate and how far it may be off.
fn estimate(protocol: &Protocol, client: &Client, dice: &mut Dice) -> Option<(f64, Option<Range>)> {
    let setup = rehearse::setup(protocol, client);
    let inputs = perform::readings(protocol, &setup, client, dice)?;
    let facts = client.facts();
    let circumstances = Circumstances { conditioned: setup.conditioned(), ..Circumstances::default() };
    let record = TestRecord { circumstances, ..TestRecord::of(protocol, facts, &inputs) };
    let outcome = compute_as_given(&record).ok()?;
    Some((outcome.result(range::QUANTITY)?.value, range::of(&record, &outcome)))
}

/// An equation held against measurements of others.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct AgainstMeasured {
    /// How many measurements.
    pub rows: usize,
    /// Mean of equation minus measurement, mL/kg/min.
    pub bias: f64,
    /// Standard deviation of the same, mL/kg/min.
    pub spread: f64,
    /// The share of measurements within 1.96 times what a load is taken to be off by: economy and ergometer.
    pub held: f64,
}

/// The cycling equation against the oxygen uptake of trained cyclists at a measured power: `data/open/cycling-uptake.csv`, where
/// the source stands.
pub fn cycling_against_measured() -> AgainstMeasured {
    let mut reader =
        csv::ReaderBuilder::new().comment(Some(b'#')).from_reader(include_str!("../../data/open/cycling-uptake.csv").as_bytes());
    let rows: Vec<(u8, f64, f64)> = reader.deserialize().filter_map(Result::ok).collect();
    let off = |(_, watts, uptake): &(u8, f64, f64)| cycle::cycling_vo2(watts / cycle::WATTS_PER_KGM_MIN, 1.0) - uptake;
    let n = rows.len() as f64;
    let bias = rows.iter().map(off).sum::<f64>() / n;
    let spread = (rows.iter().map(|r| (off(r) - bias).powi(2)).sum::<f64>() / (n - 1.0)).sqrt();
    let is_held = |row: &&(u8, f64, f64)| off(row).abs() <= range::Z95 * range::load_error() * (row.2 + off(row));
    AgainstMeasured { rows: rows.len(), bias, spread, held: rows.iter().filter(is_held).count() as f64 / n }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::run::event::Answer;

    #[test]
    fn every_simulated_protocol_gives_nearly_everyone_an_estimate_that_follows_the_truth() {
        for quality in all(120, 7) {
            let id = &quality.protocol.id;
            assert!(quality.withheld <= 60, "{id}: {} without an estimate", quality.withheld);
            let points: Vec<(f64, f64)> = quality.points.iter().map(|p| (p.truth, p.estimate)).collect();
            let (slope, _) = least_squares(&points).unwrap();
            assert!(slope > 0.15, "{id}: the estimate rises with the truth, slope {slope}");
            assert!(quality.bias.abs() < 15.0 && quality.see.is_finite(), "{id}: bias {}", quality.bias);
        }
    }

    #[test]
    fn a_wider_range_holds_the_truth_of_more_clients() {
        for quality in all(200, 5) {
            let [half, most, nearly_all] = quality.held;
            assert!(half <= most && most <= nearly_all && nearly_all > 0.0, "{}: {:?}", quality.protocol.id, quality.held);
        }
    }

    #[test]
    fn the_same_seed_gives_the_same_numbers() {
        assert_eq!(all(20, 3), all(20, 3));
        assert_ne!(all(20, 3)[3].points, all(20, 4)[3].points);
    }

    #[test]
    fn a_measured_maximum_takes_the_largest_error_out_of_the_multistage_cycle() {
        let protocol = catalogue::find("multistage-cycle").unwrap();
        let spread = |measured: bool| {
            let errors: Vec<f64> = (0..150)
                .filter_map(|k| {
                    let client = Client { drift: 0.0, noise: 0.0, ..Client::from_seed(k) };
                    let setup = rehearse::setup(protocol, &client);
                    let inputs = perform::staged(protocol, &setup, &client);
                    let mut facts = client.facts();
                    facts.hr_max = measured.then(|| crate::units::Bpm::new(client.hr_max).unwrap());
                    let record = TestRecord::of(protocol, facts, &inputs);
                    let value = compute_as_given(&record).ok()?.result("vo2max")?.value;
                    Some((value - client.vo2max) / client.vo2max)
                })
                .collect();
            (errors.iter().map(|e| e * e).sum::<f64>() / errors.len() as f64).sqrt()
        };
        assert!(spread(true) < 0.7 * spread(false), "{} {}", spread(true), spread(false));
    }

    #[test]
    fn the_answers_a_set_up_needs_are_there() {
        for (id, _) in SIMULATED {
            let protocol = catalogue::find(id).unwrap();
            let setup = rehearse::setup(protocol, &Client::from_seed(1));
            assert!(setup.conditions.values().all(|a| !matches!(a, Answer::Text(t) if t.is_empty())), "{id}");
        }
    }
}
