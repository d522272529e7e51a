//! The aerobic protocols, sentence by sentence: what is done, what is recorded, what is computed. Each test is named after
//! the sentence it shows; the equations' own check values stand in `published`.

use impulso_core::{
    Code, InputError,
    catalogue::{self, Condition, Family, PhaseKind, Protocol, ScheduleScore},
    hr_max::{CeilingRule, HrMaxMethod},
    inputs::StageInput,
    norms::Bound,
    person::{Facts, Sex},
    report,
    run::event::Conditions,
    test_record::{Circumstances, FlagCode, Inputs, Options, Outcome, TestRecord, compute},
    typical_error::Own,
    units::{Age, BodyMass, Bpm},
};

fn protocol(id: &str) -> &'static Protocol {
    catalogue::find(id).unwrap()
}

fn facts(sex: Sex, age: f64, mass: f64) -> Facts {
    Facts { sex: Some(sex), age: Age::new(age).ok(), mass: BodyMass::new(mass).ok(), ..Facts::default() }
}

/// A finished test of someone; inputs live as long as the test.
struct Test {
    protocol: &'static Protocol,
    facts: Facts,
    inputs: Inputs,
    options: Options,
    circumstances: Circumstances,
}

impl Test {
    fn of(id: &str, facts: Facts, inputs: &[(&str, f64)]) -> Self {
        let inputs = inputs.iter().map(|(k, v)| ((*k).to_owned(), *v)).collect();
        Self { protocol: protocol(id), facts, inputs, options: Options::default(), circumstances: Circumstances::default() }
    }

    fn stages(facts: Facts, stages: &[(f64, &[(u8, f64)])]) -> Self {
        let mut test = Self::of("multistage-cycle", facts, &[]);
        test.inputs.stages =
            stages.iter().map(|(load_kgm_min, readings)| StageInput { load_kgm_min: *load_kgm_min, readings: readings.to_vec() }).collect();
        test
    }

    fn record(&self) -> TestRecord<'_> {
        TestRecord {
            protocol: self.protocol,
            facts: self.facts,
            inputs: &self.inputs,
            options: self.options,
            circumstances: self.circumstances,
        }
    }

    fn try_compute(&self) -> Result<Outcome<'static>, InputError> {
        // The protocol and the inputs outlive the test through the catalogue and a leak that ends with the process.
        let inputs: &'static Inputs = Box::leak(Box::new(self.inputs.clone()));
        compute(&TestRecord { inputs, ..TestRecord { protocol: self.protocol, ..self.still() } })
    }

    fn still(&self) -> TestRecord<'static> {
        static NONE: Inputs = Inputs::new();
        TestRecord { protocol: self.protocol, facts: self.facts, inputs: &NONE, options: self.options, circumstances: self.circumstances }
    }

    fn compute(&self) -> Outcome<'static> {
        self.try_compute().unwrap()
    }

    #[track_caller]
    fn gives(&self, quantity: &str, value: f64) {
        let found = self.compute().result(quantity).unwrap().value;
        assert!((found - value).abs() < 0.006, "{quantity}: {found}, not {value}");
    }

    fn category(&self, table: &str) -> Option<String> {
        self.compute().norms.iter().find(|(_, s)| s.table.id == table).and_then(|(_, s)| s.category.clone())
    }

    fn flags(&self) -> Vec<FlagCode> {
        self.compute().flags.iter().map(|f| f.code).collect()
    }
}

fn seconds(id: &str, kind: PhaseKind) -> u32 {
    protocol(id).phases.iter().filter(|p| p.kind == kind).filter_map(|p| p.seconds).sum()
}

fn condition(id: &str, key: &str) -> &'static Condition {
    protocol(id).condition(key).unwrap()
}

/// Everything the floor says of a phase.
fn said(id: &str, kind: PhaseKind) -> String {
    protocol(id)
        .phases
        .iter()
        .filter(|p| p.kind == kind)
        .map(|p| format!("{} {}", p.label, p.cue))
        .collect::<Vec<_>>()
        .join(" ")
        .to_lowercase()
}

#[track_caller]
fn beat(id: &str, men: f64, women: f64, places: usize) {
    let rule = protocol(id).cadence.as_ref().unwrap();
    assert_eq!((rule.for_sex(Some(Sex::Male)), rule.for_sex(Some(Sex::Female)), rule.places.len()), (Some(men), Some(women), places));
}

mod bench_step_3min {
    use super::*;

    #[test]
    fn three_minutes_up_and_down_a_41_3_cm_bench() {
        assert_eq!(seconds("bench-step-3min", PhaseKind::Work), 180);
        assert_eq!(condition("bench-step-3min", "bench_cm").expected, Some(41.3));
    }

    #[test]
    fn metronome_96_for_men_and_88_for_women_four_beats_a_step() {
        beat("bench-step-3min", 96.0, 88.0, 4);
    }

    #[test]
    fn stay_standing_and_count_from_5_to_20_s_after_stopping() {
        assert!(said("bench-step-3min", PhaseKind::Transition).contains("stay standing"));
        assert_eq!((seconds("bench-step-3min", PhaseKind::Transition), seconds("bench-step-3min", PhaseKind::Count)), (5, 15));
    }

    #[test]
    fn a_count_in_its_window_of_15_s_or_the_recovery_heart_rate_itself() {
        let man = facts(Sex::Male, 22.0, 75.0);
        Test::of("bench-step-3min", man, &[("pulse_count", 28.0), ("bench_cm", 41.3)]).gives("recovery_hr", 112.0);
        Test::of("bench-step-3min", man, &[("recovery_hr", 112.0), ("bench_cm", 41.3)]).gives("vo2max", 64.29);
        Test::of("bench-step-3min", man, &[("pulse_count", 19.0), ("pulse_window_s", 10.0), ("bench_cm", 41.3)])
            .gives("recovery_hr", 114.0);
    }

    #[test]
    fn the_two_equations() {
        let inputs = [("pulse_count", 35.0), ("bench_cm", 41.3)];
        Test::of("bench-step-3min", facts(Sex::Male, 22.0, 75.0), &inputs).gives("vo2max", 52.53);
        Test::of("bench-step-3min", facts(Sex::Female, 22.0, 60.0), &inputs).gives("vo2max", 65.81 - 0.1847 * 140.0);
    }

    #[test]
    fn the_percentile_of_140_for_a_man_is_the_80th() {
        let outcome = Test::of("bench-step-3min", facts(Sex::Male, 22.0, 75.0), &[("pulse_count", 35.0), ("bench_cm", 41.3)]).compute();
        let standing = &outcome.norms.iter().find(|(_, s)| s.table.id == "bench-step-percentiles").unwrap().1;
        assert_eq!(standing.percentile, Some(80.0));
    }
}

mod low_step_3min {
    use super::*;

    #[test]
    fn three_minutes_on_30_5_cm_at_96() {
        assert_eq!((seconds("low-step-3min", PhaseKind::Work), condition("low-step-3min", "bench_cm").expected), (180, Some(30.5)));
        beat("low-step-3min", 96.0, 96.0, 4);
    }

    #[test]
    fn then_sit_at_once_and_count_a_full_minute_starting_within_5_s() {
        assert!(said("low-step-3min", PhaseKind::Transition).contains("sit at once"));
        assert_eq!((seconds("low-step-3min", PhaseKind::Transition), seconds("low-step-3min", PhaseKind::Count)), (5, 60));
    }

    #[test]
    fn a_category_by_age_and_sex_and_no_vo2max() {
        let test = Test::of("low-step-3min", facts(Sex::Male, 22.0, 75.0), &[("recovery_hr", 84.0)]);
        assert_eq!(test.category("low-step-categories").as_deref(), Some("good"));
        assert!(test.compute().result("vo2max").is_none());
    }

    #[test]
    fn the_gentler_start_for_a_less_fit_client() {
        let untrained = protocol("bench-step-3min").unsuited.iter().find(|u| u.when == catalogue::Circumstance::Untrained).unwrap();
        assert_eq!(untrained.instead.as_deref(), Some("low-step-3min"));
    }
}

mod class_step_3min {
    use super::*;

    #[test]
    fn three_minutes_at_24_steps_a_minute_in_pairs() {
        beat("class-step-3min", 96.0, 96.0, 4);
        assert_eq!((seconds("class-step-3min", PhaseKind::Work), protocol("class-step-3min").people_at_once), (180, 40));
    }

    #[test]
    fn the_pulse_within_5_s_counted_10_s_times_six_without_talking() {
        assert_eq!((seconds("class-step-3min", PhaseKind::Transition), seconds("class-step-3min", PhaseKind::Count)), (5, 10));
        assert!(said("class-step-3min", PhaseKind::Transition).contains("no talking"));
        Test::of("class-step-3min", facts(Sex::Male, 16.0, 60.0), &[("pulse_count", 23.0), ("bench_cm", 30.0)]).gives("recovery_hr", 138.0);
    }

    #[test]
    fn compared_only_at_the_same_bench_height() {
        use impulso_core::run::event::Answer;
        let bench = |cm: f64| Conditions::from([("bench_cm".to_owned(), Answer::Number(cm))]);
        let unlike = impulso_core::progress::since_last_setup(
            protocol("class-step-3min"),
            &bench(30.0),
            &bench(36.0),
            impulso_core::units::Units::Metric,
        );
        assert_eq!(unlike.iter().map(|u| u.key.as_str()).collect::<Vec<_>>(), ["bench_cm"]);
    }
}

mod single_stage {
    use super::*;
    use test_case::test_case;

    #[test]
    fn the_step_is_6_min_on_33_cm_for_women_and_40_for_men_at_90() {
        let bench = condition("single-stage-step", "bench_cm");
        assert_eq!((bench.expected_for(Some(Sex::Female)), bench.expected_for(Some(Sex::Male))), (Some(33.0), Some(40.0)));
        beat("single-stage-step", 90.0, 90.0, 4);
    }

    #[test_case("single-stage-step")]
    #[test_case("single-stage-cycle")]
    fn heart_rate_at_minutes_5_and_6_and_on_up_to_8(id: &str) {
        let rule = protocol(id).stages().unwrap();
        assert_eq!((rule.read_at.as_slice(), rule.until_minute, rule.agree_within_bpm), ([5, 6].as_slice(), 8, 5.0));
        for key in ["hr_5", "hr_6", "hr_7", "hr_8"] {
            assert!(protocol(id).input(key).is_some(), "{key}");
        }
    }

    #[test]
    fn stepping_costs_0_2_f_plus_1_33_times_1_8_h_f_plus_3_5_and_then_as_on_the_cycle() {
        // 22.5 steps a minute on 40 cm: 4.5 + 21.546 + 3.5 = 29.546 mL/kg/min; 75 kg: 2.216 L/min; HR 140; age 25: factor 1.
        let vo2 = 29.546 * 75.0 / 1000.0;
        let test = Test::of("single-stage-step", facts(Sex::Male, 25.0, 75.0), &[("hr_5", 139.0), ("hr_6", 141.0), ("bench_cm", 40.0)]);
        test.gives("vo2max_l_min", vo2 * 134.0 / 79.0);
        test.gives("vo2max", vo2 * 134.0 / 79.0 * 1000.0 / 75.0);
    }

    #[test]
    fn the_cycle_is_6_min_at_50_rpm_with_the_metronome_at_100() {
        beat("single-stage-cycle", 100.0, 100.0, 2);
        assert_eq!(protocol("single-stage-cycle").stages().unwrap().load.as_ref().unwrap().rpm, 50.0);
    }

    #[test_case(300.0, 0.9; "at 300")]
    #[test_case(375.0, 1.05; "linear between")]
    #[test_case(600.0, 1.5; "at 600")]
    #[test_case(1050.0, 2.45; "at 1050")]
    #[test_case(1500.0, 3.5; "at 1500")]
    fn the_nomograms_own_scale(load: f64, litres: f64) {
        let inputs = [("load_kgm_min", load), ("hr_5", 128.0), ("hr_6", 128.0)];
        Test::of("single-stage-cycle", facts(Sex::Male, 25.0, 70.0), &inputs).gives("vo2max_l_min", litres * 2.0);
    }

    #[test_case(Sex::Male, 128.0, 134.0 / 67.0; "men")]
    #[test_case(Sex::Female, 135.0, 2.0; "women")]
    fn vo2_times_the_reserve_over_what_is_used_of_it(sex: Sex, bpm: f64, times: f64) {
        let inputs = [("load_kgm_min", 600.0), ("hr_5", bpm), ("hr_6", bpm)];
        Test::of("single-stage-cycle", facts(sex, 25.0, 70.0), &inputs).gives("vo2max_l_min", 1.5 * times);
    }

    #[test_case(15.0, 1.10)]
    #[test_case(30.0, 0.935; "linear between 25 and 35")]
    #[test_case(65.0, 0.65)]
    fn the_factor_for_age(age: f64, factor: f64) {
        let inputs = [("load_kgm_min", 600.0), ("hr_5", 128.0), ("hr_6", 128.0)];
        Test::of("single-stage-cycle", facts(Sex::Male, age, 70.0), &inputs).gives("vo2max_l_min", 3.0 * factor);
    }

    #[test]
    fn the_standard_error_is_10_percent_trained_and_15_untrained() {
        let inputs = [("load_kgm_min", 600.0), ("hr_5", 128.0), ("hr_6", 128.0)];
        for (conditioned, share) in [(Some(true), 0.10), (Some(false), 0.15), (None, 0.15)] {
            let mut test = Test::of("single-stage-cycle", facts(Sex::Male, 25.0, 70.0), &inputs);
            test.circumstances.conditioned = conditioned;
            let estimate = test.compute().result("vo2max").unwrap();
            assert!((estimate.see.unwrap() / estimate.value - share).abs() < 1e-9, "{conditioned:?}");
        }
    }

    #[test]
    fn outside_125_to_170_and_without_a_steady_state_it_is_kept_and_flagged() {
        let at = |five: f64, six: f64| {
            Test::of("single-stage-cycle", facts(Sex::Male, 30.0, 70.0), &[("load_kgm_min", 600.0), ("hr_5", five), ("hr_6", six)])
        };
        assert!(at(118.0, 120.0).flags().contains(&FlagCode::HrBelowBand));
        assert!(at(172.0, 174.0).flags().contains(&FlagCode::HrAboveBand));
        assert!(at(130.0, 141.0).flags().contains(&FlagCode::NoSteadyState));
        assert!(at(140.0, 142.0).flags().is_empty());
    }
}

mod multistage_cycle {
    use super::*;

    const MAN: (Sex, f64, f64) = (Sex::Male, 40.0, 70.0);

    fn man() -> Facts {
        facts(MAN.0, MAN.1, MAN.2)
    }

    #[test]
    fn three_minute_stages_at_50_rpm() {
        let rule = protocol("multistage-cycle").stages().unwrap();
        assert_eq!((rule.read_at.last(), rule.load.as_ref().map(|l| l.rpm)), (Some(&3), Some(50.0)));
    }

    #[test]
    fn the_line_is_read_off_at_220_minus_age_unless_another_method_is_chosen() {
        // 1.8 × 300 / 70 + 7 = 14.714 at 120; 1.8 × 450 / 70 + 7 = 18.571 at 135: 0.25714 a beat.
        let stages: [(f64, &[(u8, f64)]); 2] = [(300.0, &[(2, 118.0), (3, 120.0)]), (450.0, &[(2, 133.0), (3, 135.0)])];
        let mut test = Test::stages(man(), &stages);
        test.gives("vo2max", 18.571_43 + 45.0 * 3.857_14 / 15.0);
        test.options.hr_max_method = Some(HrMaxMethod::Tanaka);
        test.gives("vo2max", 18.571_43 + 45.0 * 3.857_14 / 15.0);
        test.facts.hr_max = Bpm::new(190.0).ok();
        test.gives("vo2max", 18.571_43 + 55.0 * 3.857_14 / 15.0);
    }

    #[test]
    fn a_stages_heart_rate_is_its_last_reading() {
        let three: [(f64, &[(u8, f64)]); 2] = [(300.0, &[(2, 112.0), (3, 120.0)]), (450.0, &[(2, 133.0), (3, 135.0)])];
        let four: [(f64, &[(u8, f64)]); 2] = [(300.0, &[(2, 104.0), (3, 113.0), (4, 120.0)]), (450.0, &[(2, 133.0), (3, 135.0)])];
        let value = |stages| Test::stages(man(), stages).compute().result("vo2max").unwrap().value;
        assert_eq!(value(&three), value(&four));
    }

    #[test]
    fn stages_below_110_and_above_the_ceiling_do_not_enter_the_line() {
        let inside: [(f64, &[(u8, f64)]); 2] = [(300.0, &[(2, 118.0), (3, 120.0)]), (450.0, &[(2, 133.0), (3, 135.0)])];
        let more: [(f64, &[(u8, f64)]); 4] = [(150.0, &[(2, 100.0), (3, 104.0)]), inside[0], inside[1], (600.0, &[(2, 158.0), (3, 160.0)])];
        let value = |stages: &[(f64, &[(u8, f64)])]| Test::stages(man(), stages).compute().result("vo2max").unwrap().value;
        assert!((value(&inside) - value(&more)).abs() < 1e-9);
    }

    #[test]
    fn the_ceiling_is_85_percent_of_the_maximum_or_70_of_the_reserve_where_that_is_lower_or_the_one_chosen() {
        // 85 % of 180 is 153; 70 % of the reserve from 60 is 144.
        let stages: [(f64, &[(u8, f64)]); 3] =
            [(300.0, &[(2, 118.0), (3, 120.0)]), (450.0, &[(2, 133.0), (3, 135.0)]), (600.0, &[(2, 146.0), (3, 148.0)])];
        let mut test = Test::stages(man(), &stages);
        let counted = |test: &Test| test.compute().line.unwrap().points.iter().filter(|p| p.counts).count();
        assert_eq!(counted(&test), 3);
        test.facts.resting_hr = Bpm::new(60.0).ok();
        assert_eq!(counted(&test), 2);
        test.options.ceiling = CeilingRule::Chosen { bpm: Bpm::new(150.0).unwrap() };
        assert_eq!(counted(&test), 3);
    }

    #[test]
    fn fewer_than_two_such_stages_give_no_estimate_and_the_flag() {
        let test = Test::stages(man(), &[(150.0, &[(2, 98.0), (3, 100.0)]), (450.0, &[(2, 128.0), (3, 130.0)])]);
        assert!(test.compute().result("vo2max").is_none());
        assert_eq!(test.flags(), [FlagCode::TooFewStages]);
    }
}

mod on_foot_and_in_the_boat {
    use super::*;
    use test_case::test_case;

    #[test]
    fn the_mile_walk_needs_time_heart_rate_and_mass_and_carries_a_standard_error_of_5() {
        let test = Test::of("mile-walk", facts(Sex::Male, 45.0, 80.0), &[("time_s", 840.0), ("hr_end", 140.0)]);
        assert_eq!(test.compute().result("vo2max").unwrap().see, Some(5.0));
        let weightless = Test::of("mile-walk", Facts { mass: None, ..test.facts }, &[("time_s", 840.0), ("hr_end", 140.0)]);
        assert_eq!(weightless.compute().refused[0].1.code, Code::NeedsMass);
    }

    #[test_case(29.0, true)]
    #[test_case(30.0, false)]
    #[test_case(69.0, false)]
    #[test_case(70.0, true)]
    fn the_mile_walk_was_fitted_on_ages_30_to_69(age: f64, flagged: bool) {
        let test = Test::of("mile-walk", facts(Sex::Female, age, 65.0), &[("time_s", 900.0), ("hr_end", 130.0)]);
        let fitted = test.compute().flags.iter().any(|f| f.code == FlagCode::OutsidePopulation && f.message.contains("fitted on people"));
        assert_eq!(fitted, flagged);
    }

    #[test]
    fn twelve_minutes_are_laps_and_the_part_lap_or_the_distance_itself() {
        let man = facts(Sex::Male, 25.0, 75.0);
        Test::of("run-12min", man, &[("laps", 6.0), ("lap_m", 400.0), ("extra_m", 120.0)]).gives("distance_m", 2520.0);
        let test = Test::of("run-12min", man, &[("distance_m", 2520.0)]);
        test.gives("vo2max", 45.05);
        assert_eq!(test.category("run-12min-categories").as_deref(), Some("good"));
        assert_eq!(protocol("run-12min").course().unwrap().seconds, Some(720));
    }

    #[test]
    fn the_mile_and_a_half_is_3_5_plus_483_over_the_minutes() {
        assert_eq!(protocol("run-1-5mile").course().unwrap().distance_m, Some(2414.0));
        Test::of("run-1-5mile", facts(Sex::Male, 25.0, 75.0), &[("time_s", 690.0)]).gives("vo2max", 45.5);
    }

    #[test_case("walk-6min", "distance_m", 360, 545.0; "six minutes of walking")]
    #[test_case("march-2min", "reps", 120, 90.0; "two minutes of knee lifts")]
    fn the_older_adults_tests_last_their_time_and_are_held_against_the_range_table(id: &str, key: &str, seconds: u32, value: f64) {
        assert_eq!(protocol(id).course().unwrap().seconds, Some(seconds));
        let test = Test::of(id, facts(Sex::Female, 66.0, 65.0), &[(key, value)]);
        assert!(test.compute().norms.iter().any(|(_, s)| s.table.id == "older-adult-ranges" && s.range.is_some()));
        assert!(test.compute().result("vo2max").is_none());
        let younger = Test::of(id, facts(Sex::Female, 45.0, 65.0), &[(key, value)]);
        assert_eq!(younger.flags(), [FlagCode::OutsidePopulation]);
    }

    #[test]
    fn rests_are_allowed_on_the_walk_and_the_right_knee_is_counted_in_the_march() {
        assert!(protocol("walk-6min").summary.contains("rests are allowed, the clock runs on"));
        let march = format!("{} {}", protocol("march-2min").summary, said("march-2min", PhaseKind::Work)).to_lowercase();
        assert!(march.contains("right knee") && protocol("march-2min").course().unwrap().tally.is_some(), "{march}");
    }

    #[test]
    fn a_row_takes_the_time_and_whether_the_rower_is_trained_and_its_inverse_a_known_vo2max() {
        let man = facts(Sex::Male, 30.0, 80.0);
        Test::of("row-2000m", man, &[("time_s", 422.0), ("trained", 1.0)]).gives("vo2max", 64.375);
        Test::of("row-2000m", man, &[("vo2max", 64.375), ("trained", 1.0)]).gives("time_s", 422.0);
    }
}

mod to_beeps {
    use super::*;
    use test_case::test_case;

    #[test]
    fn the_20_m_shuttle_starts_at_8_5_and_gains_half_a_kilometre_every_minute() {
        let levels = &protocol("shuttle-20m").schedule().unwrap().levels;
        assert_eq!(levels[0].speed_kmh, 8.5);
        assert!(levels.windows(2).all(|w| (w[1].speed_kmh - w[0].speed_kmh - 0.5).abs() < 1e-9 || w[0].level == 1.0));
        Test::of("shuttle-20m", facts(Sex::Male, 25.0, 75.0), &[("level", 9.0), ("shuttle", 3.0)]).gives("speed_kmh", levels[8].speed_kmh);
    }

    #[test_case("shuttle-recovery-1", [10.0, 12.0, 13.0, 13.5, 14.0, 14.5], 0.0084, 36.4; "level 1")]
    #[test_case("shuttle-recovery-2", [13.0, 15.0, 16.0, 16.5, 17.0, 17.5], 0.0136, 45.3; "level 2")]
    fn the_intermittent_schedules_and_equations(id: &str, speeds: [f64; 6], slope: f64, intercept: f64) {
        let schedule = protocol(id).schedule().unwrap();
        assert_eq!(schedule.levels[..6].iter().map(|l| l.speed_kmh).collect::<Vec<_>>(), speeds);
        assert_eq!(schedule.levels[..6].iter().map(|l| l.shuttles).collect::<Vec<_>>(), [1, 1, 2, 3, 4, 8]);
        assert_eq!((schedule.shuttle_m, schedule.recovery_s), (40.0, 10.0));
        let runs: u32 = schedule.levels[..3].iter().map(|l| l.shuttles).sum();
        assert_eq!(f64::from(runs) * schedule.shuttle_m, 160.0, "the first four runs");
        Test::of(id, facts(Sex::Male, 22.0, 75.0), &[("distance_m", 1000.0)]).gives("vo2max", slope * 1000.0 + intercept);
    }

    #[test]
    fn the_interval_run_is_40_m_with_30_s_runs_15_s_walks_from_8_or_10_km_h_by_halves() {
        let interval = protocol("interval-30-15");
        let schedule = interval.schedule().unwrap();
        assert_eq!((schedule.score, schedule.shuttle_m, schedule.recovery_s), (ScheduleScore::Speed, 40.0, 15.0));
        assert!(schedule.levels.windows(2).all(|w| (w[1].speed_kmh - w[0].speed_kmh - 0.5).abs() < 1e-9));
        assert!(schedule.levels[0].speed_kmh == 8.0 && schedule.levels.iter().any(|l| l.speed_kmh == 10.0));
        let start = &interval.prepare.iter().find(|p| p.id == "start").unwrap().detail;
        assert!(start.contains("8 km/h") && start.contains("10 km/h") && start.contains("3 m"));
        // 28.3 − 2.15 − 0.741 × 24 − 0.0357 × 72 + 0.0586 × 24 × 18.5 + 1.03 × 18.5
        Test::of("interval-30-15", facts(Sex::Male, 24.0, 72.0), &[("speed_kmh", 18.5)]).gives("vo2max", 50.87);
    }

    #[test]
    fn they_run_live_and_the_rule_for_missed_lines_is_stored() {
        for protocol in catalogue::all().iter().filter(|p| p.family() == Family::AudioPaced) {
            assert!(protocol.family().runs_live() && !protocol.family().is_rehearsed());
            let rule = protocol.condition("beep_rule").unwrap();
            assert_eq!(rule.choices.iter().map(|(key, _)| key.as_str()).collect::<Vec<_>>(), ["consecutive", "cumulative"]);
            assert!(rule.required && protocol.people_at_once > 1);
        }
    }
}

mod norms_of_vo2max {
    use super::*;

    fn standing(age: f64, vo2max: f64) -> (Option<f64>, Option<Bound>) {
        // The distance whose estimate is this value.
        let test = Test::of("run-12min", facts(Sex::Male, age, 75.0), &[("distance_m", 44.73 * vo2max + 504.9)]);
        let outcome = test.compute();
        let (_, found) = outcome.norms.iter().find(|(q, s)| *q == "vo2max" && s.table.id == "vo2max-percentiles-treadmill").unwrap();
        (found.percentile, found.bound)
    }

    #[test]
    fn linear_between_printed_points() {
        // Men of 20 to 29: the 50th at 48.0, the 75th at 55.2.
        let (percentile, _) = standing(25.0, 51.6);
        assert!((percentile.unwrap() - 62.5).abs() < 1e-6);
    }

    #[test]
    fn below_the_5th_and_above_the_95th_never_extrapolated() {
        assert_eq!(standing(25.0, 25.0), (None, Some(Bound::Below(5))));
        assert_eq!(standing(25.0, 70.0), (None, Some(Bound::Above(95))));
    }

    #[test]
    fn over_60_the_level_of_living_independently_is_shown() {
        for (sex, age, level) in [(Sex::Male, 61.0, Some(18.0)), (Sex::Female, 66.0, Some(15.0)), (Sex::Male, 60.0, None)] {
            let test = Test::of("mile-walk", facts(sex, age, 75.0), &[("time_s", 900.0), ("hr_end", 130.0)]);
            let outcome = compute(&test.record()).unwrap();
            let page =
                report::report(&test.record(), &Conditions::new(), &outcome, &|_| Own::default(), impulso_core::units::Units::Metric);
            assert_eq!(page.quantities.iter().find(|q| q.key == "vo2max").unwrap().independence, level);
        }
    }
}

mod every_estimate {
    use super::*;

    #[test]
    fn carries_value_unit_method_standard_error_where_known_and_its_flags() {
        for protocol in catalogue::all() {
            let example = protocol.example.as_ref().unwrap();
            let record = TestRecord::of(protocol, facts(Sex::Male, example.age_years, example.mass_kg), &example.inputs);
            let outcome = compute(&record).unwrap();
            for (quantity, estimate) in outcome.results.iter().filter(|(_, e)| e.equation.is_estimate()) {
                assert!(estimate.value.is_finite() && !estimate.equation.name().is_empty(), "{}", protocol.id);
                assert!(!impulso_core::quantity::unit(quantity).is_empty(), "{quantity}");
                let page = report::report(&record, &Conditions::new(), &outcome, &|_| Own::default(), impulso_core::units::Units::Metric);
                let shown = page.quantities.iter().find(|q| q.key == *quantity).unwrap();
                assert!(shown.is_estimate && shown.method == estimate.equation.name());
            }
        }
    }

    #[test]
    fn two_methods_never_share_a_trend() {
        let methods: Vec<String> = catalogue::all().iter().map(Protocol::method_version).collect();
        let mut once = methods.clone();
        once.sort();
        once.dedup();
        assert_eq!(once.len(), methods.len());
    }

    #[test]
    fn rests_on_heart_rate_only_where_no_drug_holds_it_down() {
        for protocol in catalogue::all().iter().filter(|p| p.uses_heart_rate) {
            let rule = protocol.unsuited.iter().find(|u| u.when == catalogue::Circumstance::RateLimitingDrug);
            assert!(rule.is_some(), "{} offers another test", protocol.id);
        }
    }
}

mod before {
    use super::*;

    #[test]
    fn no_caffeine_for_three_hours_no_hard_session_the_day_before_a_comparable_time_of_day() {
        for protocol in catalogue::all().iter().filter(|p| p.section == "aerobic" && p.legs().is_empty()) {
            let care = protocol.cautions.iter().map(|c| c.text.as_str()).collect::<Vec<_>>().join(" ");
            assert!(care.contains("caffeine") && care.contains("day before") && care.contains("time of day"), "{}", protocol.id);
        }
    }

    #[test]
    fn without_the_warm_up_it_is_recorded_and_never_compared() {
        use impulso_core::{
            comparability::{Point, unlike},
            run::event::Answer,
        };
        // The older adults' walk and march are published without one; recalled.
        for protocol in catalogue::all()
            .iter()
            .filter(|p| p.section == "aerobic" && p.legs().is_empty() && !["walk-6min", "march-2min"].contains(&p.id.as_str()))
        {
            let rule = protocol.condition("warm_up").unwrap();
            assert!(rule.required && rule.must_hold, "{}", protocol.id);
            let cold = Point {
                on: chrono::NaiveDate::default(),
                value: 40.0,
                method: protocol.method_version().into(),
                conditions: std::borrow::Cow::Owned(Conditions::from([("warm_up".to_owned(), Answer::YesNo(false))])),
                ..Point::default()
            };
            let reasons = unlike(protocol, &cold, &cold);
            assert!(reasons.iter().any(|u| u.key == "warm_up"), "{}: not even with another without one", protocol.id);
        }
    }

    #[test]
    fn it_is_flagged_in_the_batch() {
        let mut test = Test::of("bench-step-3min", facts(Sex::Male, 22.0, 75.0), &[("pulse_count", 28.0), ("bench_cm", 41.3)]);
        test.circumstances.warm_up = Some(false);
        assert_eq!(test.flags(), [FlagCode::WarmUpMissing]);
    }
}
