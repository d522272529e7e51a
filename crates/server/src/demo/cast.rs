//! Who is in the demo: lock keepers who lift gate gear, a sabre squad, a garden-walk group. All made up.

use impulso_core::{
    life_event::LifeEventKind,
    person::Sex::{self, Female, Male},
};

/// A client with a history.
pub struct Client {
    pub name: &'static str,
    /// Age today.
    pub age: u32,
    /// Sex (for equations and norms).
    pub sex: Option<Sex>,
    /// What the client does.
    pub occupation: &'static str,
    /// The goal in the client's words.
    pub goal: &'static str,
    /// Thinks in pounds and inches.
    pub imperial: bool,
    /// Height as typed.
    pub height: &'static str,
    /// Body mass as typed.
    pub mass: &'static str,
    /// Regularly active.
    pub active: bool,
    pub medicines: &'static str,
    /// One of them limits the heart rate.
    pub drug: bool,
    pub notes: &'static str,
    /// Events in the client’s life: from and until, days before today (0: it goes on), and in words.
    pub happened: &'static [(LifeEventKind, u64, u64, &'static str)],
    /// Tests, oldest first.
    pub tests: &'static [Test],
    /// Visits: the battery, and days before today; its tests are those of that day.
    pub visits: &'static [(&'static str, u64)],
    /// The standing retest plan of a test.
    pub plan: Option<Plan>,
    /// And of a battery.
    pub again: Option<Plan>,
    /// Goals that were set.
    pub goals: &'static [Aim],
    /// Photographs: days before today, and how wide the drawn figure is.
    pub photos: &'static [(u64, f64)],
}

/// A goal that was set.
pub struct Aim {
    /// The test.
    pub protocol: &'static str,
    /// Its measure.
    pub quantity: &'static str,
    /// From which value, to which.
    pub from_to: (f64, f64),
    /// Days before today on which it was set.
    pub set: u64,
    /// Days from today by which it is wanted.
    pub by: i64,
    /// What is done for it.
    pub process: &'static str,
}

pub struct Test {
    /// Protocol id.
    pub protocol: &'static str,
    /// Days before today.
    pub days_ago: u64,
    /// Beats counted.
    pub count: f64,
    /// What was odd about it.
    pub oddity: Option<Oddity>,
    /// Readings by key, for a test without a count.
    pub readings: &'static [(&'static str, f64)],
    /// Load, heart rate at minute 2 and 3, for a test in stages.
    pub stages: &'static [(f64, f64, f64)],
    /// Readings with tries and sides, as JSON.
    pub sheet: &'static str,
    /// What was ridden, for a ride at clamped heart rates.
    pub ride: Option<Ride>,
    /// What was said of it at set-up, where it isn't the usual.
    pub said: &'static [(&'static str, &'static str)],
    /// The readings as they were put right afterwards, and why.
    pub corrected: Option<(&'static str, &'static str)>,
}

/// A ride at clamped heart rates.
#[derive(Clone, Copy)]
pub struct Ride {
    /// Mean power of each stage, W.
    pub power: [f64; 3],
    /// How hard each felt, 6 to 20.
    pub rpe: [f64; 3],
    /// By how much the heart rate fell in the minute after, bpm.
    pub drop: f64,
}

/// What was odd about a test.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Oddity {
    /// On a 36 cm bench.
    LowBench,
    /// Without a warm-up.
    NoWarmUp,
    /// Stopped early with a cramp.
    StoppedWithCramp,
}

/// A retest plan: dates as days from today.
pub struct Plan {
    /// Protocol id.
    pub protocol: &'static str,
    /// Weeks between.
    pub weeks: u32,
    /// Dates.
    pub due: &'static [i64],
    /// A date that was skipped, and why.
    pub skipped: Option<(i64, &'static str)>,
}

const fn counted(protocol: &'static str, days_ago: u64, count: f64) -> Test {
    Test { protocol, days_ago, count, oddity: None, readings: &[], stages: &[], sheet: "", ride: None, said: &[], corrected: None }
}

const fn bench(days_ago: u64, count: f64) -> Test {
    counted("bench-step-3min", days_ago, count)
}

const fn low(days_ago: u64, count: f64) -> Test {
    counted("low-step-3min", days_ago, count)
}

const fn class(days_ago: u64, count: f64) -> Test {
    counted("class-step-3min", days_ago, count)
}

const fn read(protocol: &'static str, days_ago: u64, readings: &'static [(&'static str, f64)]) -> Test {
    Test { readings, ..counted(protocol, days_ago, 0.0) }
}

const fn sheet(protocol: &'static str, days_ago: u64, sheet: &'static str) -> Test {
    Test { sheet, ..counted(protocol, days_ago, 0.0) }
}

const fn cycle(days_ago: u64, stages: &'static [(f64, f64, f64)]) -> Test {
    Test { stages, ..counted("multistage-cycle", days_ago, 0.0) }
}

const fn ride(days_ago: u64, power: [f64; 3], rpe: [f64; 3], drop: f64) -> Test {
    Test { ride: Some(Ride { power, rpe, drop }), ..counted("clamped-cycle", days_ago, 0.0) }
}

const fn odd(test: Test, oddity: Oddity) -> Test {
    Test { oddity: Some(oddity), ..test }
}

const fn said(test: Test, said: &'static [(&'static str, &'static str)]) -> Test {
    Test { said, ..test }
}

const fn corrected(test: Test, to: &'static str, why: &'static str) -> Test {
    Test { corrected: Some((to, why)), ..test }
}

const fn plan(protocol: &'static str, weeks: u32, due: &'static [i64]) -> Plan {
    Plan { protocol, weeks, due, skipped: None }
}

const NOBODY: Client = Client {
    name: "",
    age: 30,
    sex: None,
    occupation: "",
    goal: "",
    imperial: false,
    height: "175",
    mass: "72",
    active: true,
    medicines: "",
    drug: false,
    notes: "",
    happened: &[],
    visits: &[],
    again: None,
    goals: &[],
    photos: &[],
    tests: &[],
    plan: None,
};

/// Everybody.
pub const CAST: &[Client] = &[
    // A gain over two years, slow at first.
    Client {
        name: "Ilse Varga",
        age: 46,
        sex: Some(Female),
        occupation: "lock keeper",
        goal: "carry the gate gear without stopping",
        height: "168",
        mass: "71.8",
        tests: &[
            bench(712, 43.0),
            bench(620, 42.0),
            bench(531, 42.0),
            bench(438, 41.0),
            bench(347, 40.0),
            bench(254, 39.0),
            bench(165, 38.0),
            bench(74, 37.0),
        ],
        plan: Some(plan("bench-step-3min", 12, &[-258, -168, -74, 10, 94])),
        ..NOBODY
    },
    // Four years and a dozen tests: a knee, the way back, goals, photographs, a slip that was put right.
    Client {
        name: "Halla Brandreth",
        age: 43,
        sex: Some(Female),
        occupation: "lock keeper, upper basin",
        goal: "lead the gate crew again",
        height: "171",
        mass: "70.4",
        notes: "Left knee since the fall on the quay; step tests on good days only.",
        happened: &[
            (LifeEventKind::Injury, 620, 540, "left knee, fall on the quay"),
            (LifeEventKind::NewJob, 300, 0, "night shifts on the upper basin"),
            (LifeEventKind::Holiday, 96, 82, "two weeks of walking"),
        ],
        tests: &[
            bench(1438, 42.0),
            sheet("body", 1438, r#"{"waist_cm": 88, "hips_cm": 104, "neck_cm": 34, "thigh_cm": {"left": 57, "right": 57.5}}"#),
            sheet("wall-sit", 1438, r#"{"seconds": [52]}"#),
            sheet("sit-reach", 1438, r#"{"distance_cm": [18, 19.5]}"#),
            bench(1074, 40.0),
            sheet("body", 1074, r#"{"waist_cm": 86.5, "hips_cm": 103, "neck_cm": 34, "thigh_cm": {"left": 57, "right": 57}}"#),
            sheet("vertical-jump", 1074, r#"{"reach_cm": 218, "touch_cm": [246, 247.5, 247]}"#),
            sheet("one-leg-stance", 1074, r#"{"seconds": {"left": [31, 33.5], "right": [35, 36]}}"#),
            bench(710, 38.0),
            sheet("sit-reach", 710, r#"{"distance_cm": [22, 23]}"#),
            odd(bench(548, 0.0), Oddity::StoppedWithCramp),
            sheet("one-leg-stance", 520, r#"{"seconds": {"left": [6, 8.5], "right": [34, 36]}}"#),
            sheet("body", 520, r#"{"waist_cm": 89, "hips_cm": 105, "neck_cm": 34, "thigh_cm": {"left": 54, "right": 57}}"#),
            sheet("one-leg-stance", 365, r#"{"seconds": {"left": [22, 24], "right": [35, 37]}}"#),
            bench(365, 41.0),
            sheet("up-and-go", 365, r#"{"time_s": [6.4, 6.2]}"#),
            read("walk-6min", 365, &[("distance_m", 566.0)]),
            sheet("body", 196, r#"{"waist_cm": 87, "hips_cm": 103.5, "neck_cm": 34, "thigh_cm": {"left": 55.5, "right": 57}}"#),
            sheet("push-up", 196, r#"{"reps_toes": 14}"#),
            sheet("wall-sit", 196, r#"{"seconds": [63]}"#),
            sheet("plank", 196, r#"{"seconds": 74, "support": "forearm"}"#),
            read("run-12min", 196, &[("laps", 4.0), ("extra_m", 120.0)]),
            sheet("vertical-jump", 150, r#"{"reach_cm": 218, "touch_cm": [243, 245, 244.5]}"#),
            said(sheet("reported-vo2max", 140, r#"{"vo2max": 36, "given_by": "watch"}"#), &[("source", "wrist watch")]),
            sheet("push-up", 134, r#"{"reps_toes": 17}"#),
            corrected(sheet("wall-sit", 134, r#"{"seconds": [17.4]}"#), r#"{"seconds": [74]}"#, "the paper says 74, not 17.4"),
            sheet("plank", 134, r#"{"seconds": 96, "support": "forearm"}"#),
            read("run-12min", 134, &[("laps", 4.0), ("extra_m", 310.0)]),
            bench(120, 39.0),
            said(
                sheet("reported-vo2max", 118, r#"{"vo2max": 33.4, "given_by": "laboratory", "standard_error": 1.6}"#),
                &[("source", "bicycle at the laboratory")],
            ),
            sheet("vertical-jump", 60, r#"{"reach_cm": 218, "touch_cm": [247, 249, 248]}"#),
            sheet("one-leg-stance", 60, r#"{"seconds": {"left": [29, 31], "right": [36, 38]}}"#),
            said(sheet("reported-vo2max", 30, r#"{"vo2max": 39, "given_by": "watch"}"#), &[("source", "wrist watch")]),
            bench(30, 36.0),
            sheet("sit-reach", 30, r#"{"distance_cm": [25, 26.5]}"#),
            sheet("body", 6, r#"{"waist_cm": 83.5, "hips_cm": 101.5, "neck_cm": 33.5, "thigh_cm": {"left": 56.5, "right": 57}}"#),
            sheet("push-up", 6, r#"{"reps_toes": 23}"#),
            sheet("wall-sit", 6, r#"{"seconds": [91]}"#),
            sheet("plank", 6, r#"{"seconds": 128, "support": "forearm"}"#),
            read("run-12min", 6, &[("laps", 5.0), ("extra_m", 60.0)]),
        ],
        visits: &[("monthly-four", 196), ("monthly-four", 134), ("monthly-four", 6)],
        again: Some(plan("monthly-four", 4, &[22, 50])),
        goals: &[
            Aim {
                protocol: "plank",
                quantity: "seconds",
                from_to: (74.0, 120.0),
                set: 196,
                by: -1,
                process: "three holds of 40 s, four days a week",
            },
            Aim {
                protocol: "run-12min",
                quantity: "distance_m",
                from_to: (1910.0, 2200.0),
                set: 134,
                by: 70,
                process: "the towpath twice a week, once with hills",
            },
        ],
        photos: &[(520, 1.16), (196, 1.1), (6, 1.0)],
        ..NOBODY
    },
    // A clear gain within months.
    Client {
        name: "Joren Askvik",
        age: 38,
        sex: Some(Male),
        occupation: "lock keeper",
        goal: "walk the towpath round without puffing",
        height: "184",
        mass: "93.5",
        tests: &[
            sheet("body", 203, r#"{"waist_cm": 104.5, "hips_cm": 107, "neck_cm": 41, "upper_arm_cm": {"left": 35.5, "right": 36}}"#),
            sheet("body", 91, r#"{"waist_cm": 101, "hips_cm": 105.5, "neck_cm": 40.5, "upper_arm_cm": {"left": 35.5, "right": 36.5}}"#),
            sheet("body", 35, r#"{"waist_cm": 98.5, "hips_cm": 104, "neck_cm": 40, "upper_arm_cm": {"left": 36, "right": 36.5}}"#),
            bench(203, 41.0),
            bench(147, 38.0),
            bench(91, 36.0),
            bench(35, 35.0),
        ],
        plan: Some(plan("bench-step-3min", 8, &[-147, -91, -35, 21, 77, 133])),
        ..NOBODY
    },
    // A plateau; due today.
    Client {
        name: "Maud Ellery",
        age: 33,
        sex: Some(Female),
        occupation: "lock keeper",
        goal: "stay as fit as I am",
        imperial: true,
        height: "5'6",
        mass: "10 st 2",
        tests: &[
            bench(588, 38.0),
            bench(504, 39.0),
            bench(420, 38.0),
            bench(336, 38.0),
            bench(252, 39.0),
            bench(168, 38.0),
            bench(84, 38.0),
        ],
        plan: Some(plan("bench-step-3min", 12, &[-168, -84, 0, 84, 168])),
        ..NOBODY
    },
    // An illness that shows, and the way back.
    Client {
        name: "Noor Haddane",
        age: 24,
        sex: Some(Female),
        occupation: "sabre squad",
        goal: "last three bouts at the same pace",
        height: "172",
        mass: "63",
        notes: "Chest infection in spring; back in full training since early summer.",
        happened: &[(LifeEventKind::Illness, 226, 204, "chest infection")],
        tests: &[
            bench(660, 36.0),
            bench(548, 35.0),
            bench(436, 33.0),
            bench(324, 32.0),
            bench(212, 40.0),
            bench(156, 36.0),
            bench(100, 33.0),
            bench(37, 31.0),
            read("run-12min", 300, &[("laps", 6.0), ("extra_m", 40.0)]),
            read("run-12min", 130, &[("laps", 6.0), ("extra_m", 150.0)]),
            read("run-12min", 30, &[("laps", 6.0), ("extra_m", 260.0)]),
        ],
        plan: Some(Plan {
            protocol: "bench-step-3min",
            weeks: 8,
            due: &[-212, -184, -156, -100, -40, 19, 75],
            skipped: Some((-184, "chest infection")),
        }),
        ..NOBODY
    },
    // A lower bench once: looked like a leap, was not.
    Client {
        name: "Caspian Rell",
        age: 21,
        sex: Some(Male),
        occupation: "sabre squad",
        goal: "make the travelling team",
        height: "181",
        mass: "76",
        tests: &[
            sheet("vertical-jump", 113, r#"{"reach_cm": 233, "touch_cm": [281, 284.5, 283]}"#),
            sheet("vertical-jump", 29, r#"{"reach_cm": 233, "touch_cm": [285, 289.5, null, 288]}"#),
            sheet("sprint-repeat-10x40s", 113, r#"{"time_s": [5.62, 5.66, 5.71, 5.8, 5.84, 5.93, 6.02, 6.07, 6.15, 6.11]}"#),
            sheet("sprint-repeat-10x40s", 29, r#"{"time_s": [5.6, 5.62, 5.66, 5.7, 5.77, 5.8, 5.86, 5.91, 5.95, 5.9]}"#),
            sheet("shoulder-reach", 29, r#"{"gap_cm": {"left": [-6.5, -5], "right": [1.5, 2]}, "hand_cm": 19.5}"#),
            bench(365, 35.0),
            bench(281, 34.0),
            odd(bench(197, 29.0), Oddity::LowBench),
            bench(113, 33.0),
            bench(29, 32.0),
            ride(24, [118.0, 196.0, 243.0], [10.0, 14.0, 17.0], 36.0),
            ride(17, [121.0, 198.0, 245.0], [10.0, 14.0, 17.0], 37.0),
            ride(10, [122.0, 197.0, 246.0], [10.0, 14.0, 17.0], 37.0),
            ride(3, [125.0, 205.0, 255.0], [10.0, 14.0, 17.0], 42.0),
        ],
        plan: Some(plan("bench-step-3min", 12, &[-197, -113, -29, 55])),
        ..NOBODY
    },
    // Seventeen: in the class test with a partner.
    Client {
        name: "Teo Marrable",
        age: 17,
        sex: Some(Male),
        occupation: "sabre squad, juniors",
        goal: "keep up with the seniors",
        height: "176",
        mass: "64",
        notes: "Under 18: consent of a parent is in the file.",
        tests: &[
            read("plank", 180, &[("seconds", 64.0), ("shake_s", 31.0), ("break_s", 58.0)]),
            read("plank", 92, &[("seconds", 83.0), ("shake_s", 40.0), ("break_s", 77.0)]),
            read("plank", 9, &[("seconds", 104.0), ("shake_s", 55.0), ("break_s", 96.0)]),
            class(154, 26.0),
            class(98, 24.0),
            class(42, 23.0),
        ],
        plan: Some(plan("class-step-3min", 8, &[-98, -42, 14, 70])),
        ..NOBODY
    },
    // A missed retest.
    Client {
        name: "Linnea Ostrow",
        age: 27,
        sex: Some(Female),
        occupation: "sabre squad",
        goal: "recover faster between bouts",
        height: "169",
        mass: "66.5",
        tests: &[bench(296, 39.0), bench(205, 38.0), bench(110, 37.0)],
        plan: Some(plan("bench-step-3min", 14, &[-205, -121, -9, 89])),
        ..NOBODY
    },
    // Began a rate-limiting medicine.
    Client {
        name: "Bram Vellacott",
        age: 57,
        sex: Some(Male),
        occupation: "lock keeper",
        goal: "keep the job until 65",
        imperial: true,
        height: "5 ft 11",
        mass: "196 lb",
        medicines: "Beta-blocker since last month, once a day",
        drug: true,
        tests: &[bench(400, 41.0), bench(310, 40.0), bench(220, 40.0), bench(130, 39.0)],
        ..NOBODY
    },
    // A man of 52 held against a college table.
    Client {
        name: "Rurik Dane",
        age: 52,
        sex: Some(Male),
        occupation: "boatyard foreman",
        goal: "climb to the gantry without a rest",
        height: "179",
        mass: "88",
        tests: &[
            sheet("one-rm", 182, r#"{"load_kg": [60, 70, 75], "made": [true, true, false]}"#),
            sheet("one-rm", 60, r#"{"load_kg": [65, 75, 80, 82.5], "made": [true, true, true, false]}"#),
            bench(182, 40.0),
            bench(91, 38.0),
            bench(6, 37.0),
            cycle(180, &[(150.0, 96.0, 98.0), (450.0, 117.0, 119.0), (600.0, 129.0, 131.0)]),
            cycle(60, &[(150.0, 92.0, 93.0), (450.0, 113.0, 114.0), (600.0, 123.0, 126.0)]),
            sheet("body", 96, r#"{"waist_cm": 98.5, "neck_cm": 40, "hips_cm": 104}"#),
            sheet("sit-rise-floor", 96, r#"{"supports_down": 1, "supports_up": 2, "wobbles_up": 1}"#),
            sheet("plank", 96, r#"{"seconds": 71, "support": "forearm"}"#),
            sheet("one-leg-stance", 96, r#"{"seconds": {"left": [7.5, 8], "right": [14, 16.5]}}"#),
            sheet("body", 5, r#"{"waist_cm": 94, "neck_cm": 40, "hips_cm": 103}"#),
            sheet("sit-rise-floor", 5, r#"{"supports_down": 1, "supports_up": 1, "wobbles_up": 1}"#),
            sheet("plank", 5, r#"{"seconds": 118, "support": "forearm"}"#),
            sheet("one-leg-stance", 5, r#"{"seconds": {"left": [12, 13.5], "right": [18, 21]}}"#),
        ],
        visits: &[("four-in-five-minutes", 96), ("four-in-five-minutes", 5)],
        again: Some(plan("four-in-five-minutes", 13, &[86, 177])),
        plan: Some(plan("bench-step-3min", 13, &[-91, -6, 85])),
        ..NOBODY
    },
    Client {
        name: "Odile Fenn",
        age: 63,
        sex: Some(Female),
        occupation: "garden-walk group",
        goal: "walk the dyke with my granddaughter",
        height: "161",
        mass: "68",
        tests: &[
            sheet("chair-stand-30s", 230, r#"{"reps": 11}"#),
            sheet("chair-stand-30s", 140, r#"{"reps": 12}"#),
            sheet("chair-stand-30s", 50, r#"{"reps": 15}"#),
            sheet("up-and-go", 50, r#"{"time_s": [6.1, 5.7]}"#),
            sheet("one-leg-stance", 50, r#"{"seconds": {"left": [14, 19.5], "right": [27, 31.2]}}"#),
            low(410, 124.0),
            low(320, 121.0),
            low(230, 116.0),
            low(140, 110.0),
            low(50, 106.0),
            read("mile-walk", 300, &[("time_s", 1012.0), ("hr_end", 134.0)]),
            read("mile-walk", 160, &[("time_s", 968.0), ("hr_end", 131.0)]),
            read("mile-walk", 40, &[("time_s", 935.0), ("hr_end", 130.0)]),
        ],
        plan: Some(plan("low-step-3min", 13, &[-140, -50, 41, 132])),
        again: Some(plan("older-adults", 26, &[0, 182])),
        ..NOBODY
    },
    // Stopped early the other day.
    Client {
        name: "Hesper Quayle",
        age: 71,
        sex: Some(Female),
        occupation: "garden-walk group",
        goal: "no more stopping on the bridge",
        height: "158",
        mass: "61",
        active: false,
        tests: &[
            sheet("chair-stand-30s", 90, r#"{"reps": 9}"#),
            low(270, 128.0),
            low(180, 125.0),
            low(90, 122.0),
            odd(low(3, 0.0), Oddity::StoppedWithCramp),
        ],
        plan: Some(plan("low-step-3min", 13, &[-180, -90, -3, 88])),
        ..NOBODY
    },
    // Once without a warm-up.
    Client {
        name: "Anselm Thorby",
        age: 78,
        sex: Some(Male),
        occupation: "garden-walk group",
        goal: "carry my own shopping",
        height: "171",
        mass: "74",
        tests: &[
            low(250, 112.0),
            low(160, 110.0),
            odd(low(68, 101.0), Oddity::NoWarmUp),
            read("walk-6min", 200, &[("distance_m", 478.0)]),
            read("walk-6min", 62, &[("distance_m", 512.0)]),
        ],
        plan: Some(plan("low-step-3min", 13, &[-160, -68, 5, 96])),
        ..NOBODY
    },
    // New, nothing on record yet.
    Client { name: "Wilmot Sayle", age: 34, occupation: "ferry hand", goal: "see where I stand", tests: &[], active: false, ..NOBODY },
];
