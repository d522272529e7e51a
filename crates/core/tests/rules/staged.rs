//! The decisions during a staged run, one test a sentence of “Decisions the app takes during a run”.

use crate::screen::Screen;
use impulso_core::{
    Code,
    catalogue::{self, Protocol},
    estimate::StageLine,
    hr_max::{CeilingRule, HrMaxMethod},
    person::Sex,
    run::{DecisionCode as D, Kind, Setup, State, Status, StopReason, Taken, check_event, event::Answer, fold, state::LoadDue},
    strap::Heard,
    units::{Age, BodyMass, Bpm, Cadence},
};
use proptest::prelude::*;
use test_case::test_case;

/// The count-in of 8 beats at 100 a minute.
const START: f64 = 4_800.0;

fn protocol(id: &str) -> &'static Protocol {
    catalogue::find(id).unwrap()
}

fn setup(sex: Sex, conditioned: bool) -> Setup {
    Setup {
        cadence: Some(Cadence::new(100.0).unwrap()),
        conditions: [
            ("warm_up".to_owned(), Answer::YesNo(true)),
            ("hr_source".to_owned(), Answer::Text("strap".into())),
            ("conditioned".to_owned(), Answer::YesNo(conditioned)),
        ]
        .into(),
        sex: Some(sex),
        age: Some(Age::new(40.0).unwrap()),
        mass: Some(BodyMass::new(70.0).unwrap()),
        ..Setup::default()
    }
}

/// The load that is to be set next.
fn load_due(state: &State) -> Option<LoadDue> {
    state.staged()?.load_due.clone()
}

fn extrapolated(state: &State) -> Option<StageLine> {
    state.staged()?.line.clone()
}

/// A run that is driven by what an assessor reads.
struct Run {
    protocol: &'static Protocol,
    setup: Setup,
    screen: Screen,
    stage: u8,
    begun: f64,
}

impl Run {
    fn of(id: &str, setup: Setup) -> Self {
        let mut screen = Screen::new(3);
        screen.at(0.0, Kind::ClockStarted);
        Self { protocol: protocol(id), setup, screen, stage: 1, begun: START }
    }

    fn multistage() -> Self {
        Self::of("multistage-cycle", setup(Sex::Male, false))
    }

    fn read(&mut self, minute: u8, bpm: f64) -> &mut Self {
        self.screen.at(self.begun + f64::from(minute) * 60_000.0 + 2_000.0, Kind::HeartRateRead { stage: self.stage, minute, bpm });
        self
    }

    fn now(&self) -> f64 {
        self.screen.last_ms() + 3_000.0
    }

    fn load(&mut self, kgm_min: f64, reason: Option<&str>) -> &mut Self {
        let at = self.now();
        self.stage += 1;
        self.begun = at;
        self.screen.at(at, Kind::LoadSet { stage: self.stage, kgm_min, reason: reason.map(Into::into) });
        self
    }

    fn state(&self) -> State {
        fold(self.protocol, &self.setup, &self.screen.events)
    }

    fn line(&self) -> String {
        self.state().decision.unwrap().because
    }

    fn code(&self) -> D {
        self.state().decision.unwrap().code
    }

    fn try_at(&self, ms: f64, kind: Kind) -> Result<(), impulso_core::InputError> {
        let mut next = Screen::new(9);
        next.at(ms, kind);
        check_event(self.protocol, &self.state(), &next.events[0])
    }
}

#[test]
fn two_consecutive_minutes_within_five_are_steady_and_the_next_load_comes_with_its_reason() {
    let mut run = Run::multistage();
    run.read(2, 114.0).read(3, 116.0);
    assert_eq!(
        run.line(),
        "114, then 116: steady, and above 110: stage 1 counts. Next 300 kgm/min · 1 kp · 49 W, because 116 is over 100."
    );
}

#[test]
fn otherwise_one_more_minute_again_up_to_minute_five_and_then_the_stage_is_kept_and_flagged() {
    let mut run = Run::multistage();
    run.read(2, 112.0).read(3, 118.0);
    assert_eq!((run.code(), run.line().as_str()), (D::OneMoreMinute, "112, then 118: 6 apart, not steady. One more minute."));
    run.read(4, 124.0);
    assert_eq!(run.code(), D::OneMoreMinute);
    run.read(5, 130.0);
    assert_eq!(run.code(), D::NoSteadyState);
    let state = run.state();
    assert_eq!((state.stages()[0].steady, state.stages()[0].counts, state.stages()[0].bpm), (Some(false), false, Some(130.0)));
    assert!(load_due(&state).is_some());
}

#[test]
fn a_fourth_minute_that_agrees_makes_the_stage_count() {
    let mut run = Run::multistage();
    run.read(2, 112.0).read(3, 118.0).read(4, 121.0);
    assert_eq!(run.code(), D::StageCounts);
    assert!(run.state().dues.iter().any(|d| d.minute == 4 && d.value == Some(121.0)));
}

#[test_case(79.0, 750.0; "under 80")]
#[test_case(80.0, 600.0; "80")]
#[test_case(89.0, 600.0; "89")]
#[test_case(90.0, 450.0; "90")]
#[test_case(100.0, 450.0; "100")]
#[test_case(101.0, 300.0; "over 100")]
fn the_second_load_comes_from_the_heart_rate_at_the_end_of_stage_one(bpm: f64, kgm_min: f64) {
    let mut run = Run::multistage();
    run.read(2, bpm).read(3, bpm);
    assert_eq!(run.state().stages()[0].load.unwrap().kgm_min, 150.0, "stage 1 is 150 kgm/min");
    assert_eq!(load_due(&run.state()).unwrap().decided.kgm_min, kgm_min);
}

#[test]
fn then_one_hundred_and_fifty_more_each() {
    let mut run = Run::multistage();
    run.read(2, 92.0).read(3, 94.0).load(450.0, None).read(2, 112.0).read(3, 114.0);
    assert_eq!(load_due(&run.state()).unwrap().decided.words(), "600 kgm/min · 2 kp · 98 W");
    assert!(run.line().ends_with("Next 600 kgm/min · 2 kp · 98 W: 150 more."), "{}", run.line());
}

#[test]
fn below_one_hundred_and_ten_the_stroke_volume_still_rises_so_the_stage_does_not_enter_the_line() {
    let mut run = Run::multistage();
    run.read(2, 92.0).read(3, 94.0);
    assert_eq!(run.code(), D::StageTooLow);
    assert!(run.line().contains("below 110 the stroke volume still rises"));
    assert!(!extrapolated(&run.state()).unwrap().points[0].counts);
}

fn complete() -> Run {
    let mut run = Run::multistage();
    run.read(2, 92.0).read(3, 94.0).load(450.0, None).read(2, 118.0).read(3, 120.0).load(600.0, None).read(2, 132.0).read(3, 134.0);
    run
}

#[test]
fn two_consecutive_stages_between_110_and_the_ceiling_complete_the_test_and_the_clock_stops() {
    let mut run = complete();
    assert_eq!(run.code(), D::Complete);
    let state = run.state();
    assert!(state.over_ms.is_some() && state.can_finish && load_due(&state).is_none());
    assert_eq!(state.timeline.phases.last().unwrap().label, "Cool down");
    assert_eq!(state.timeline.beat.as_ref().unwrap().until_ms, state.over_ms.unwrap());
    let line = extrapolated(&state).unwrap();
    // VO2 of 450 and 600 kgm/min at 70 kg: 18.5714 and 22.4286; slope 3.8571 / 14 to 180 bpm.
    assert!((line.vo2max.unwrap() - (22.428_571 + 3.857_143 / 14.0 * 46.0)).abs() < 1e-4, "{line:?}");
    assert!((line.spread.unwrap() - 12.0 * 3.857_143 / 14.0).abs() < 1e-4);
    let at = run.now();
    run.screen.at(at, Kind::Finished);
    let state = run.state();
    assert_eq!(state.status, Status::Finished);
    let inputs = state.inputs(run.protocol, &run.setup);
    assert_eq!(inputs.stages.len(), 3);
    assert_eq!(inputs.stages[1].readings, [(2, 118.0), (3, 120.0)]);
    let conditions = state.conditions(run.protocol, &run.setup);
    assert_eq!(conditions["hr_max_method"], Answer::Text("fox".into()));
    assert_eq!(conditions["ceiling_bpm"], Answer::Number(153.0));
}

#[test]
fn stages_that_count_must_be_consecutive() {
    let mut run = Run::multistage();
    run.read(2, 112.0).read(3, 114.0).load(300.0, None);
    run.read(2, 112.0).read(3, 119.0).read(4, 126.0).read(5, 133.0).load(450.0, None).read(2, 138.0).read(3, 140.0);
    assert_eq!(run.code(), D::StageCounts, "the unsteady stage breaks the row");
}

#[test_case(CeilingRule::Lower, None, 153.0; "85 percent of 180")]
#[test_case(CeilingRule::Lower, Some(60.0), 144.0; "70 percent of the reserve where that is lower")]
#[test_case(CeilingRule::OfMax, Some(60.0), 153.0; "the one the coach picks")]
fn reaching_the_ceiling_ends_the_test(rule: CeilingRule, rest: Option<f64>, ceiling: f64) {
    let mut run = Run::multistage();
    run.setup.ceiling = rule;
    run.setup.resting_hr = rest.map(|r| Bpm::new(r).unwrap());
    run.read(2, ceiling - 2.0).read(3, ceiling - 1.0).load(300.0, None).read(2, ceiling);
    assert_eq!(run.code(), D::CeilingReached, "{}", run.line());
    assert!(run.state().over_ms.is_some() && run.state().can_finish);
}

#[test]
fn a_decision_can_be_overruled_and_the_reason_is_kept() {
    let mut run = complete();
    run.load(750.0, Some("a third stage for the file"));
    let state = run.state();
    assert_eq!((state.over_ms, state.stages().len()), (None, 4));
    let overruled = state.decisions.iter().find_map(|d| d.overruled.clone()).unwrap();
    assert_eq!(overruled, "750 kgm/min · 2.5 kp · 123 W instead: a third stage for the file");

    let mut run = Run::multistage();
    run.read(2, 114.0).read(3, 116.0);
    let at = run.now();
    run.screen.at(at, Kind::MinuteAdded { stage: 1, reason: "the saddle was moved".into() });
    assert_eq!(load_due(&run.state()), None);
    assert!(run.state().dues.iter().any(|d| d.minute == 4 && d.value.is_none()));
    run.read(4, 117.0);
    assert_eq!(run.code(), D::StageCounts);

    let mut run = Run::multistage();
    run.read(2, 112.0).read(3, 118.0);
    let at = run.now();
    run.screen.at(at, Kind::StageAccepted { stage: 1, reason: "strap slipped at two".into() });
    assert_eq!(run.code(), D::StageCounts);
    assert!(run.state().decisions.iter().any(|d| d.overruled.as_deref() == Some("taken as steady: strap slipped at two")));
}

#[test]
fn another_load_than_the_one_decided_needs_a_reason() {
    let mut run = Run::multistage();
    run.read(2, 114.0).read(3, 116.0);
    let at = run.now();
    let set = |kgm_min, reason: Option<&str>| run.try_at(at, Kind::LoadSet { stage: 2, kgm_min, reason: reason.map(Into::into) });
    assert!(set(300.0, None).is_ok());
    assert_eq!(set(450.0, None).unwrap_err().field.as_deref(), Some("reason"));
    assert!(set(450.0, Some("long legs")).is_ok());
}

#[test]
fn a_load_changed_after_its_reading_is_refused_with_what_to_do() {
    let mut run = Run::multistage();
    run.read(2, 114.0);
    let error = run.try_at(run.now(), Kind::LoadSet { stage: 1, kgm_min: 300.0, reason: None }).unwrap_err();
    assert_eq!(error.field.as_deref(), Some("kgm_min"));
    assert!(error.message.contains("Stage 1 already has 114 bpm at 150 kgm/min") && error.message.contains("Undo"), "{}", error.message);
}

#[test]
fn a_number_is_not_asked_for_before_it_is_due() {
    let run = Run::multistage();
    let early = run.try_at(START + 70_000.0, Kind::HeartRateRead { stage: 1, minute: 2, bpm: 114.0 }).unwrap_err();
    assert_eq!(early.message, "Minute 2 is full at 2:00 of the stage; it is 1:10 now.");
    assert!(run.try_at(START + 118_000.0, Kind::HeartRateRead { stage: 1, minute: 2, bpm: 114.0 }).is_ok());
    let other = run.try_at(START + 118_000.0, Kind::HeartRateRead { stage: 3, minute: 2, bpm: 114.0 }).unwrap_err();
    assert_eq!(other.field.as_deref(), Some("stage"));
}

#[test]
fn minutes_typed_in_the_wrong_order_are_put_in_theirs() {
    let mut run = Run::multistage();
    run.read(3, 116.0);
    assert!(run.line().contains("a minute was missed"), "{}", run.line());
    run.read(2, 114.0);
    assert_eq!(run.state().stages()[0].readings.iter().map(|r| r.minute).collect::<Vec<_>>(), [2, 3]);
    assert_eq!(run.code(), D::StageCounts);
}

#[test]
fn a_heart_rate_of_forty_in_stage_three_is_questioned_and_can_be_kept_or_typed_again() {
    let mut run = Run::multistage();
    run.read(2, 92.0).read(3, 94.0).load(450.0, None).read(2, 118.0).read(3, 120.0).load(600.0, None).read(2, 40.0);
    assert_eq!(run.code(), D::ReadingQuestioned);
    assert_eq!(run.line(), "40 is 80 lower than stage 2 ended with. Type it again, or keep it.");
    let mut kept = run.screen.clone();
    kept.at(run.now(), Kind::HeartRateConfirmed { stage: 3, minute: 2 });
    assert_eq!(fold(run.protocol, &run.setup, &kept.events).decision.unwrap().code, D::ReadingNoted);
    run.read(2, 132.0);
    assert_eq!(run.code(), D::ReadingNoted);
    assert_eq!(run.state().stages()[2].readings.len(), 1);
}

#[test_case(128.0, 131.0, D::Complete; "between 125 and 170 it is complete")]
#[test_case(125.0, 125.0, D::Complete; "125 counts")]
#[test_case(168.0, 172.0, D::Complete; "a mean of 170 counts")]
#[test_case(118.0, 121.0, D::HeavierOffered; "below 125 at minute 6 a heavier load is offered")]
#[test_case(171.0, 173.0, D::TooHigh; "above 170 stop")]
#[test_case(120.0, 127.0, D::OneMoreMinute; "more than five apart")]
fn the_single_stage_band(five: f64, six: f64, code: D) {
    let mut run = Run::of("single-stage-cycle", setup(Sex::Female, false));
    run.read(5, five).read(6, six);
    assert_eq!(run.code(), code, "{}", run.line());
}

#[test]
fn a_heavier_second_load_takes_six_more_minutes_and_its_readings_count() {
    let mut run = Run::of("single-stage-cycle", setup(Sex::Female, false));
    run.read(5, 112.0).read(6, 114.0);
    let state = run.state();
    assert!(state.can_finish && load_due(&state).as_ref().unwrap().optional, "the assessor may keep the light one");
    assert_eq!(
        run.line(),
        "112, then 114: steady, but the mean of 113 is under 125. A heavier load and 6 more minutes: 450 kgm/min · 1.5 kp · 74 W."
    );
    run.load(450.0, None).read(5, 133.0).read(6, 135.0);
    let at = run.now();
    run.screen.at(at, Kind::Finished);
    let inputs = run.state().inputs(run.protocol, &run.setup);
    assert_eq!((inputs["load_kgm_min"], inputs["hr_5"], inputs["hr_6"]), (450.0, 133.0, 135.0));
}

#[test]
fn a_single_stage_never_steady_by_minute_eight_is_kept_and_flagged() {
    let mut run = Run::of("single-stage-cycle", setup(Sex::Male, true));
    run.read(5, 130.0).read(6, 137.0).read(7, 144.0).read(8, 151.0);
    assert_eq!(run.code(), D::NoSteadyState);
    assert!(run.state().can_finish);
}

#[test_case(Sex::Female, false, &[300.0, 450.0]; "unconditioned women")]
#[test_case(Sex::Female, true, &[450.0, 600.0]; "conditioned women")]
#[test_case(Sex::Male, false, &[300.0, 450.0, 600.0]; "unconditioned men, 450 allowed")]
#[test_case(Sex::Male, true, &[600.0, 900.0]; "conditioned men")]
fn first_loads_by_sex_and_condition(sex: Sex, conditioned: bool, loads: &[f64]) {
    let rule = protocol("single-stage-cycle").stages().unwrap().load.as_ref().unwrap();
    assert_eq!(rule.first_for(Some(sex), Some(conditioned)), loads);
}

#[test]
fn a_stopped_run_is_kept_with_what_it_has() {
    let mut run = Run::multistage();
    run.read(2, 114.0).read(3, 116.0).load(300.0, None);
    let at = run.now();
    run.screen.at(at, Kind::Stopped);
    run.screen.at(at + 1_000.0, Kind::StopExplained { reason: StopReason::Fatigue, note: None });
    run.screen.at(at + 2_000.0, Kind::Finished);
    let state = run.state();
    assert_eq!((state.status, state.stop_reason), (Status::FinishedEarly, Some(StopReason::Fatigue)));
    assert_eq!(state.inputs(run.protocol, &run.setup).stages.len(), 1);
}

#[test]
fn the_multistage_cycle_needs_a_mass_and_an_age_before_it_starts() {
    let setup = |sex, conditioned| {
        let mut setup = setup(sex, conditioned);
        setup.conditions.remove("conditioned");
        setup
    };
    let given = Setup { mass: None, ..setup(Sex::Male, false) };
    assert_eq!(given.check(protocol("multistage-cycle")).unwrap_err().code, Code::NeedsMass);
    let given = Setup { age: None, ..setup(Sex::Male, false) };
    assert_eq!(given.check(protocol("multistage-cycle")).unwrap_err().code, Code::NeedsAge);
    let women_only = Setup { hr_max_method: Some(HrMaxMethod::Gulati), ..setup(Sex::Male, false) };
    assert_eq!(women_only.check(protocol("multistage-cycle")).unwrap_err().code, Code::NotApplicable);
}

fn heard(bpm: u16) -> Kind {
    Kind::StrapHeard { bytes: String::new(), heard: Some(Heard { bpm: Some(bpm), contact: Some(true), ..Heard::default() }) }
}

#[test]
fn a_strap_reads_the_minutes_by_itself_and_a_dropout_leaves_the_minute_open() {
    let mut run = Run::multistage();
    let rate = |s: u32| 100 + (s / 12).min(14) as u16;
    for second in 0..=185 {
        run.screen.at(START + f64::from(second) * 1000.0, heard(rate(second) + (second % 2) as u16));
    }
    let state = run.state();
    let stage = &state.stages()[0];
    assert_eq!(stage.readings.iter().map(|r| (r.minute, r.taken)).collect::<Vec<_>>(), [(2, Taken::Strap), (3, Taken::Strap)]);
    assert_eq!(run.code(), D::StageCounts);

    let mut run = Run::multistage();
    for second in (0..=185).filter(|s| !(100..=122).contains(s)) {
        run.screen.at(START + f64::from(second) * 1000.0, heard(rate(second) + (second % 2) as u16));
    }
    let state = run.state();
    assert_eq!(state.stages()[0].readings.iter().map(|r| r.minute).collect::<Vec<_>>(), [3], "no number was made up for minute 2");
    assert!(state.strap.unwrap().trace.iter().any(|p| p.bpm.is_none()), "the dropout is a gap");
}

proptest! {
    #[test]
    fn a_run_is_the_same_however_its_events_are_batched_and_repeated(order in Just((0..11usize).collect::<Vec<_>>()).prop_shuffle(), again in proptest::collection::vec(0..11usize, 0..6)) {
        let mut run = complete();
        let at = run.now();
        run.screen.at(at, Kind::Finished);
        prop_assume!(run.screen.events.len() <= 11);
        let whole = run.state();
        let mut shuffled: Vec<_> = order.iter().filter_map(|k| run.screen.events.get(*k).cloned()).collect();
        shuffled.extend(again.iter().filter_map(|k| run.screen.events.get(*k).cloned()));
        prop_assert_eq!(fold(run.protocol, &run.setup, &shuffled), whole);
    }

    #[test]
    fn whatever_is_read_there_is_a_next_step(rates in proptest::collection::vec(60.0..200.0f64, 1..16)) {
        let mut run = Run::multistage();
        for bpm in rates {
            let state = run.state();
            if state.over_ms.is_some() {
                break;
            }
            if let Some(load) = load_due(&state) {
                run.load(load.decided.kgm_min, None);
            }
            let due = run.state().dues.iter().find(|d| d.value.is_none()).map(|d| d.minute);
            if let Some(minute) = due {
                run.read(minute, bpm.round());
            } else {
                // A questioned reading is the only thing that waits without a minute.
                prop_assert_eq!(run.code(), D::ReadingQuestioned);
                let (at, minute) = (run.now(), run.state().stages().last().unwrap().readings.iter().find(|r| r.question.is_some()).unwrap().minute);
                run.screen.at(at, Kind::HeartRateConfirmed { stage: run.stage, minute });
            }
            let state = run.state();
            let waits = state.dues.iter().any(|d| d.value.is_none() || d.question.is_some());
            prop_assert!(waits || load_due(&state).is_some() || state.over_ms.is_some(), "{:?}", state.decision);
        }
    }
}

#[test]
fn the_minutes_a_stage_may_still_get_are_known_for_a_screen_that_loses_its_line() {
    let run = Run::multistage();
    let state = run.state();
    assert_eq!(state.dues.iter().map(|d| d.minute).collect::<Vec<_>>(), [2, 3]);
    assert_eq!(state.later.iter().map(|d| d.minute).collect::<Vec<_>>(), [4, 5], "up to minute 5 of a stage");
    let single = Run::of("single-stage-cycle", setup(Sex::Male, false));
    assert_eq!(single.state().later.iter().map(|d| d.minute).collect::<Vec<_>>(), [7, 8], "up to minute 8 of a single stage");
    let mut over = complete();
    assert!(over.state().later.is_empty(), "nothing is asked for once the test is complete");
    let at = over.now();
    over.screen.at(at, Kind::Stopped);
    assert!(over.state().later.is_empty());
}

#[test]
fn what_was_read_without_a_line_counts_as_if_it_had_been_asked_for() {
    let mut apart = Run::multistage();
    apart.read(2, 112.0).read(3, 120.0).read(4, 122.0);
    assert_eq!(apart.code(), D::StageCounts, "two and three were not steady, three and four are");
    assert_eq!(apart.state().stages()[0].bpm, Some(122.0));
    let mut steady = Run::multistage();
    steady.read(2, 112.0).read(3, 114.0).read(4, 115.0);
    assert_eq!(steady.code(), D::StageCounts);
    assert_eq!(steady.state().stages()[0].bpm, Some(115.0), "the stage's heart rate is its last reading");
}

#[test]
fn load_choices_always_carry_kp_kgm_min_and_watts_together() {
    let mut run = Run::multistage();
    run.read(2, 114.0).read(3, 116.0);
    let due = load_due(&run.state()).unwrap();
    for load in due.choices.iter().chain([&due.decided]) {
        assert!((load.kgm_min / 300.0 - load.kp).abs() < 1e-9, "6 m a revolution at 50 rpm: 300 kgm/min a kp");
        assert!((load.kgm_min * 0.1634 - load.watts).abs() < 0.01);
        let words = load.words();
        assert!(words.contains("kgm/min") && words.contains("kp") && words.ends_with(" W"), "{words}");
    }
}

#[test]
fn every_decision_is_one_line_with_its_reason_and_is_called_to_every_screen() {
    let run = complete();
    let state = run.state();
    assert!(state.decisions.len() >= 4);
    for decision in &state.decisions {
        assert!(!decision.because.contains('\n') && decision.because.ends_with('.'), "{}", decision.because);
        assert!(decision.because.chars().any(|c| c.is_ascii_digit()), "the numbers it rests on: {}", decision.because);
    }
    let calls: Vec<&str> = state.timeline.calls.iter().map(|c| c.say.as_str()).collect();
    assert!(calls.contains(&"Heart rate in 15 seconds.") && calls.contains(&"Heart rate now: minute 3."));
}

#[test]
fn a_minute_the_protocol_does_not_read_is_refused_and_changes_nothing() {
    let run = Run::of("single-stage-step", setup(Sex::Male, false));
    let early = Kind::HeartRateRead { stage: 1, minute: 4, bpm: 120.0 };
    let refused = run.try_at(START + 250_000.0, early.clone()).unwrap_err();
    assert!(refused.message.contains("reads the heart rate from minute 5 on"), "{}", refused.message);
    let mut run = run;
    run.screen.at(START + 250_000.0, early);
    assert!(run.state().stages()[0].readings.is_empty());
}

#[test]
fn the_next_load_waits_until_the_stage_has_begun() {
    let run = Run::multistage();
    let next = Kind::LoadSet { stage: 2, kgm_min: 300.0, reason: Some("strong legs".into()) };
    assert!(run.try_at(1_000.0, next.clone()).unwrap_err().message.contains("Stage 1 has not begun yet"));
    assert!(run.try_at(START + 10_000.0, next).is_ok(), "from then on it may be overruled");
    assert!(run.try_at(1_000.0, Kind::LoadSet { stage: 1, kgm_min: 300.0, reason: None }).is_ok(), "its own load may be corrected");
}
