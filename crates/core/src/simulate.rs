//! A simulated client: a heart and lungs whose true VO2max is known, for rehearsals and for asking how good an estimate is.
//!
//! The heart follows the oxygen demand with first-order kinetics, drifts upwards with time, and flutters a little from beat
//! to beat. Everything is worked out from a seed: the same client gives the same second every time. Source of the model:
//! common practice (linear heart rate on oxygen uptake, a time constant near 30 s upwards and near 80 s downwards, so that the
//! first minute after work brings a drop of 20 to 40 bpm); the numbers are ours.

use serde::{Deserialize, Serialize};

use crate::{
    estimate::{cycle, step},
    person::{Facts, Sex},
    strap::Heard,
};

/// Someone made up, with what no test can see. How such people are spread over a population: [`Client::from_seed`].
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Client {
    /// Sex (for equations and norms).
    pub sex: Sex,
    /// Completed years.
    pub age: f64,
    /// kg.
    pub mass: f64,
    /// Resting heart rate, bpm.
    pub resting_hr: f64,
    /// The true maximal heart rate, bpm.
    pub hr_max: f64,
    /// The true VO2max, mL/kg/min.
    pub vo2max: f64,
    /// Time constant of the heart on its way up, s.
    pub tau_s: f64,
    /// And on its way down, s: it lets go more slowly than it takes hold.
    #[serde(default = "usual_recovery")]
    pub recovery_tau_s: f64,
    /// Upward drift, bpm a minute at work.
    pub drift: f64,
    /// Standard deviation of the reading from second to second, bpm.
    pub noise: f64,
    /// How much oxygen this person needs for a load, as a share of what the equations give.
    #[serde(default = "usual_cost")]
    pub cost: f64,
    /// By how much the heart rate at work is off today, bpm: sleep, heat, coffee. Nothing of it is left at the maximum.
    #[serde(default)]
    pub day_bpm: f64,
    /// What goes wrong.
    #[serde(default)]
    pub faults: Vec<Fault>,
    /// Everything random comes from it. In a document it is a number up to 2^53, which every reader of JSON keeps, and a text beyond.
    #[serde(with = "exact")]
    pub seed: u64,
}

/// Whole numbers in a document: as a number where every reader keeps it to the last digit, else as a text.
mod exact {
    use serde::{Deserialize, Deserializer, Serializer, de};

    use super::EXACT_MAX;

    #[derive(Deserialize)]
    #[serde(untagged)]
    enum Written {
        Number(u64),
        Text(String),
    }

    // As serde calls it.
    #[allow(clippy::trivially_copy_pass_by_ref)]
    pub(super) fn serialize<S: Serializer>(number: &u64, to: S) -> Result<S::Ok, S::Error> {
        if *number <= EXACT_MAX { to.serialize_u64(*number) } else { to.serialize_str(&number.to_string()) }
    }

    pub(super) fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<u64, D::Error> {
        match Written::deserialize(from)? {
            Written::Number(number) => Ok(number),
            Written::Text(text) => text.parse().map_err(|_| de::Error::custom("a seed is a whole number")),
        }
    }
}

/// Something for an assessor to notice. Times are seconds of the run's clock.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Fault {
    /// The pedals or feet fall behind the beat.
    CadenceDrifts { from_s: f64, until_s: f64 },
    /// The strap loses contact.
    StrapDropsOut { from_s: f64, until_s: f64 },
    /// The heart rate keeps rising for a while.
    DoesNotSettle { from_s: f64, until_s: f64 },
    /// The client says that they are dizzy: stop.
    Dizzy {
        /// When.
        at_s: f64,
    },
}

impl Fault {
    /// When it begins, s.
    pub const fn from_s(self) -> f64 {
        match self {
            Self::CadenceDrifts { from_s, .. } | Self::StrapDropsOut { from_s, .. } | Self::DoesNotSettle { from_s, .. } => from_s,
            Self::Dizzy { at_s } => at_s,
        }
    }

    /// What there was to notice, in a sentence's middle.
    pub const fn words(self) -> &'static str {
        match self {
            Self::CadenceDrifts { .. } => "the cadence drifted off the beat",
            Self::StrapDropsOut { .. } => "the strap dropped out",
            Self::DoesNotSettle { .. } => "the heart rate did not settle",
            Self::Dizzy { .. } => "the client reported dizziness",
        }
    }
}

/// A stretch of work: what the body has to deliver from a moment on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Demand {
    /// From this second on.
    pub from_s: f64,
    /// Oxygen uptake asked for, mL/kg/min.
    pub vo2: f64,
}

/// Oxygen uptake at rest, mL/kg/min. Source: ACSM guidelines, 2018; recalled.
pub const RESTING_VO2: f64 = 3.5;

const fn usual_recovery() -> f64 {
    80.0
}

const fn usual_cost() -> f64 {
    1.0
}

/// By how much the heart beats faster standing up than at rest on a saddle, bpm. Common practice; with it the line agrees with
/// % of maximal rate = 0.64 × % of VO2max + 37 (Swain et al., Med Sci Sports Exerc 1994;26:112-116; recalled) at moderate work.
const UPRIGHT_BPM: f64 = 10.0;

/// How much the heart rate of the unsettled rises, bpm a minute.
const UNSETTLED: f64 = 8.0;
/// Share of the beat at which drifting feet move.
const DRIFTING: f64 = 0.86;
/// The most a heart can be asked for: nobody works far above their maximum.
const BEYOND_MAX: f64 = 1.05;

/// The largest whole number that every reader of JSON keeps to the last digit: 2^53.
pub const EXACT_MAX: u64 = 1 << 53;

impl Client {
    /// A client made from a seed: an adult of 20 to 64 of any fitness, each with what makes estimates err.
    ///
    /// VO2max: men 48 and women 38 mL/kg/min at 20 years, 4 less a decade, SD 18 % (Kaminsky et al., Mayo Clin Proc 2015;90:1515-1523;
    /// recalled, rounded). Maximal heart rate: 208 − 0.7 × age, SD 10 bpm (Tanaka et al. 2001; recalled). Oxygen for a load: SD 4 %.
    /// The heart rate of the day: SD 4 bpm (Lamberts et al. 2004; recalled). The rest is common practice: mass, resting rate, kinetics, drift
    /// of 0.1 to 0.4 bpm a minute, a drop of 20 to 40 bpm in the first minute after work.
    pub fn from_seed(seed: u64) -> Self {
        let mut dice = Dice::new(seed);
        let sex = if dice.uniform() < 0.5 { Sex::Male } else { Sex::Female };
        let age = (20.0 + 45.0 * dice.uniform()).floor();
        let male = sex == Sex::Male;
        let mass = (if male { 82.0 } else { 68.0 } + 11.0 * dice.normal()).clamp(45.0, 130.0);
        let middle = expected_vo2max(sex, age);
        let vo2max = (middle * (1.0 + 0.18 * dice.normal())).clamp(16.0, 75.0);
        let hr_max = 208.0 - 0.7 * age + 10.0 * dice.normal();
        let resting_hr = (72.0 - 0.35 * (vo2max - 35.0) + 5.0 * dice.normal()).clamp(42.0, 95.0);
        let (tau_s, drift) = (25.0 + 15.0 * dice.uniform(), 0.1 + 0.3 * dice.uniform());
        Self {
            sex,
            age,
            mass: mass.round(),
            resting_hr: resting_hr.round(),
            hr_max: hr_max.max(resting_hr + 70.0).round(),
            vo2max,
            tau_s,
            recovery_tau_s: 100.0 + 60.0 * dice.uniform(),
            drift,
            noise: 1.2,
            cost: (1.0 + 0.04 * dice.normal()).clamp(0.85, 1.15),
            day_bpm: 4.0 * dice.normal(),
            faults: Vec::new(),
            seed,
        }
    }

    /// The mean VO2max of adults of this client's age and sex, mL/kg/min.
    pub fn expected_vo2max(&self) -> f64 {
        expected_vo2max(self.sex, self.age)
    }

    /// One of a squad that stops and starts: 18 to 35, trained. Spread as is usual in squads, common practice.
    pub fn of_a_squad(seed: u64) -> Self {
        let anyone = Self::from_seed(seed);
        let mut dice = Dice::new(seed ^ 0x50_0AD);
        let middle = if anyone.sex == Sex::Male { 55.0 } else { 48.0 };
        let age = (18.0 + 17.0 * dice.uniform()).floor();
        Self {
            age,
            vo2max: (middle + 4.5 * dice.normal()).clamp(38.0, 70.0),
            hr_max: (208.0 - 0.7 * age + 10.0 * dice.normal()).round(),
            ..anyone
        }
    }

    /// One of a first team: a squad's spread, 5 mL/kg/min higher. Common practice.
    pub fn of_a_first_squad(seed: u64) -> Self {
        let squad = Self::of_a_squad(seed);
        Self { vo2max: squad.vo2max + 5.0, ..squad }
    }

    /// The facts a record would hold: nothing of what is hidden.
    pub fn facts(&self) -> Facts {
        Facts {
            sex: Some(self.sex),
            age: crate::units::Age::new(self.age).ok(),
            mass: crate::units::BodyMass::new(self.mass).ok(),
            ..Facts::default()
        }
    }

    /// The heart rate that an oxygen uptake settles at, bpm: linear between rest and maximum.
    pub fn steady_hr(&self, vo2: f64) -> f64 {
        let share = ((vo2 - RESTING_VO2) / (self.vo2max - RESTING_VO2)).clamp(0.0, BEYOND_MAX);
        // At rest and at the maximum nothing of the day shows; in between it does.
        let day = if share > 0.0 { self.day_bpm * (1.0 - share.powi(3)).max(0.0) } else { 0.0 };
        (self.resting_hr + day + share * (self.hr_max - self.resting_hr)).min(self.hr_max)
    }

    /// The same client on their feet: the heart beats faster at rest, so that less of it is left for the work.
    #[must_use]
    pub fn upright(&self) -> Self {
        Self { resting_hr: self.resting_hr + UPRIGHT_BPM, ..self.clone() }
    }

    /// The oxygen this client needs for what takes `vo2` of others, mL/kg/min.
    pub fn needs(&self, vo2: f64) -> f64 {
        RESTING_VO2 + self.cost * (vo2 - RESTING_VO2)
    }

    /// The true heart rate at a second, bpm, without flutter.
    pub fn heart_rate(&self, demands: &[Demand], at_s: f64) -> f64 {
        let mut rate = self.resting_hr;
        let mut worked = 0.0;
        for (k, demand) in demands.iter().enumerate().filter(|(_, d)| d.from_s < at_s) {
            let until = demands.get(k + 1).map_or(at_s, |next| next.from_s.min(at_s));
            let length = until - demand.from_s;
            let target = self.steady_hr(demand.vo2);
            let tau = if target < rate { self.recovery_tau_s } else { self.tau_s };
            rate = target + (rate - target) * (-length / tau).exp();
            worked += if demand.vo2 > 2.0 * RESTING_VO2 { length } else { 0.0 };
        }
        let unsettled: f64 = self
            .faults
            .iter()
            .map(|f| match f {
                Fault::DoesNotSettle { from_s, until_s } => (at_s.min(*until_s) - from_s).max(0.0) * UNSETTLED / 60.0,
                _ => 0.0,
            })
            .sum();
        (rate + self.drift * worked / 60.0 + unsettled).clamp(self.resting_hr - 5.0, self.hr_max)
    }

    /// What the strap says at a whole second.
    pub fn strap(&self, demands: &[Demand], second: u32) -> Heard {
        let at_s = f64::from(second);
        let is_out =
            self.faults.iter().any(|f| matches!(f, Fault::StrapDropsOut { from_s, until_s } if (*from_s..*until_s).contains(&at_s)));
        let mut dice = Dice::new(self.seed ^ (u64::from(second) + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15));
        let bpm = (self.heart_rate(demands, at_s) + self.noise * dice.normal()).round().clamp(30.0, 240.0);
        let beat_ms = 60_000.0 / bpm;
        // A beat out of turn now and then: a short interval and the pause after it.
        let ectopic = dice.uniform() < 0.004;
        let rr_ms = if ectopic { vec![0.6 * beat_ms, 1.4 * beat_ms] } else { vec![beat_ms + 8.0 * dice.normal()] };
        Heard {
            bpm: Some(if is_out { 0 } else { bpm as u16 }),
            contact: Some(!is_out),
            energy_kj: None,
            rr_ms: if is_out { Vec::new() } else { rr_ms },
            rejected: None,
        }
    }

    /// How fast the pedals or feet really go at a second, beats a minute, for a beat of `cadence`.
    pub fn cadence(&self, cadence: f64, at_s: f64) -> f64 {
        let drifts =
            self.faults.iter().any(|f| matches!(f, Fault::CadenceDrifts { from_s, until_s } if (*from_s..*until_s).contains(&at_s)));
        if drifts { (cadence * DRIFTING).round() } else { cadence }
    }

    /// What the client has said up to a second.
    pub fn said(&self, at_s: f64) -> Vec<(f64, &'static str)> {
        let dizzy = self.faults.iter().filter_map(|f| match f {
            Fault::Dizzy { at_s } => Some((*at_s, "“I feel a bit dizzy.”")),
            _ => None,
        });
        dizzy.filter(|(at, _)| *at <= at_s).collect()
    }
}

fn expected_vo2max(sex: Sex, age: f64) -> f64 {
    let young = if sex == Sex::Male { 48.0 } else { 38.0 };
    young - 0.4 * (age - 20.0)
}

/// Oxygen uptake of a cycle load for a client, mL/kg/min.
pub fn cycling(client: &Client, kgm_min: f64) -> f64 {
    client.needs(cycle::cycling_vo2(kgm_min, client.mass))
}

/// Oxygen uptake of stepping, mL/kg/min.
pub fn stepping(steps_a_minute: f64, bench_cm: f64) -> f64 {
    step::stepping_vo2(steps_a_minute, bench_cm / 100.0)
}

/// Random numbers from a seed: SplitMix64 (Steele, Lea, Flood 2014; source of the constants). The core has no random
/// source of its own, and what is simulated must be the same everywhere.
#[derive(Debug, Clone)]
pub struct Dice(u64);

impl Dice {
    /// Dice for a seed.
    pub const fn new(seed: u64) -> Self {
        Self(seed)
    }

    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    /// From 0 up to 1.
    pub fn uniform(&mut self) -> f64 {
        (self.next() >> 11) as f64 / (1u64 << 53) as f64
    }

    /// Mean 0, standard deviation 1 (Box and Muller).
    pub fn normal(&mut self) -> f64 {
        let (u, v) = (1.0 - self.uniform(), self.uniform());
        (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * v).cos()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_seed_is_written_as_every_reader_of_json_keeps_it_and_read_as_older_files_have_it() {
        for (seed, written) in
            [(7, "7"), (EXACT_MAX, "9007199254740992"), (EXACT_MAX + 1, "\"9007199254740993\""), (u64::MAX, "\"18446744073709551615\"")]
        {
            let client = Client { seed, ..Client::from_seed(7) };
            let json = serde_json::to_string(&client).unwrap();
            assert!(json.contains(&format!("\"seed\":{written}")), "{json}");
            assert_eq!(serde_json::from_str::<Client>(&json).unwrap(), client);
            let older = json.replace(&format!("\"seed\":{written}"), &format!("\"seed\":{seed}"));
            assert_eq!(serde_json::from_str::<Client>(&older).unwrap(), client);
        }
        let wrong = serde_json::to_string(&Client::from_seed(7)).unwrap().replace("\"seed\":7", "\"seed\":\"seven\"");
        assert!(serde_json::from_str::<Client>(&wrong).is_err());
    }
    use proptest::prelude::*;

    fn anyone() -> Client {
        Client { drift: 0.0, day_bpm: 0.0, faults: Vec::new(), ..Client::from_seed(7) }
    }

    #[test]
    fn the_heart_follows_the_load_with_its_time_constant() {
        let client = anyone();
        let demands = [Demand { from_s: 0.0, vo2: 20.0 }];
        let target = client.steady_hr(20.0);
        let risen = (client.heart_rate(&demands, client.tau_s) - client.resting_hr) / (target - client.resting_hr);
        assert!((risen - (1.0 - (-1.0f64).exp())).abs() < 1e-9);
        assert!((client.heart_rate(&demands, 600.0) - target).abs() < 0.01);
    }

    #[test]
    fn at_the_true_maximum_the_heart_is_at_its_own() {
        let client = anyone();
        assert!((client.steady_hr(client.vo2max) - client.hr_max).abs() < 1e-9);
        assert!((client.steady_hr(RESTING_VO2) - client.resting_hr).abs() < 1e-9);
    }

    #[test]
    fn faults_show_where_they_are_and_nowhere_else() {
        let faults = vec![
            Fault::StrapDropsOut { from_s: 100.0, until_s: 120.0 },
            Fault::CadenceDrifts { from_s: 200.0, until_s: 230.0 },
            Fault::Dizzy { at_s: 300.0 },
        ];
        let client = Client { faults, ..anyone() };
        let work = [Demand { from_s: 0.0, vo2: 20.0 }];
        assert_eq!(
            (client.strap(&work, 99).contact, client.strap(&work, 100).contact, client.strap(&work, 120).contact),
            (Some(true), Some(false), Some(true))
        );
        assert_eq!((client.cadence(100.0, 199.0), client.cadence(100.0, 210.0)), (100.0, 86.0));
        assert_eq!((client.said(299.0).len(), client.said(300.0).len()), (0, 1));
    }

    #[test]
    fn one_who_does_not_settle_is_more_than_five_beats_apart_after_a_minute() {
        let client = Client { faults: vec![Fault::DoesNotSettle { from_s: 100.0, until_s: 400.0 }], ..anyone() };
        let work = [Demand { from_s: 0.0, vo2: 15.0 }];
        assert!(client.heart_rate(&work, 300.0) - client.heart_rate(&work, 240.0) > 5.0);
    }

    proptest! {
        #[test]
        fn the_same_seed_is_the_same_client_and_everyone_is_possible(seed: u64, second in 0u32..3600) {
            let client = Client::from_seed(seed);
            prop_assert_eq!(&client, &Client::from_seed(seed));
            prop_assert!(client.hr_max > client.resting_hr + 50.0 && (16.0..=75.0).contains(&client.vo2max));
            let work = [Demand { from_s: 0.0, vo2: 25.0 }];
            prop_assert_eq!(client.strap(&work, second), client.strap(&work, second));
            prop_assert!(client.facts().hr_max.is_none() && client.facts().resting_hr.is_none());
        }
    }
}
