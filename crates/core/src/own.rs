//! A practice's own protocol: a copy of one that ships, with other durations, beat, bench or prompts.
//!
//! It runs on the same engine. Its results stand in a series of their own: a changed procedure is another test, and what
//! was fitted on the original's says nothing about it.

use serde::{Deserialize, Serialize};

use crate::{
    attempts::Take,
    catalogue::{self, Citation, Family, PassMark, PhaseKind, Procedure, Prompt, Protocol, Source, SourceKind, Usual},
    error::{Code, InputError},
    text,
    units::{BenchHeight, Cadence, rounded},
};

/// What is to be different.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Changes {
    /// What the copy is called.
    pub name: String,
    /// Length of the work, s; as in the original where absent.
    pub work_s: Option<u32>,
    /// Beats a minute for everyone.
    pub cadence: Option<f64>,
    /// Bench height, cm.
    pub bench_cm: Option<f64>,
    /// Of a run to beeps: speed of the first level, km/h.
    #[serde(default)]
    pub start_kmh: Option<f64>,
    /// And how much faster each level is than the one before, km/h.
    #[serde(default)]
    pub step_kmh: Option<f64>,
    /// And the length of a shuttle, m.
    #[serde(default)]
    pub shuttle_m: Option<f64>,
    /// And the rest after it, s.
    #[serde(default)]
    pub rest_s: Option<f64>,
    /// The stages of a ladder, from the easiest on; as in the original where absent.
    #[serde(default)]
    pub stages: Option<Vec<String>>,
    /// What is called out during the work; as in the original where absent.
    pub prompts: Option<Vec<Prompt>>,
}

/// The most stages of a copy's ladder.
const STAGES_MAX: usize = 12;
/// The longest work of a copy, s.
const WORK_MAX_S: u32 = 3600;

/// Makes a copy under an id of its own.
///
/// # Errors
/// [`Code::OutOfRange`] or [`Code::NotApplicable`] naming the change that cannot be made.
pub fn copy(original: &Protocol, id: &str, changes: &Changes) -> Result<Protocol, InputError> {
    let mut own = original.clone();
    id.clone_into(&mut own.id);
    own.version = 1;
    own.name = text::name(&changes.name, "name")?;
    if own.name == original.name {
        return Err(InputError::new(
            Code::OutOfRange,
            "name",
            "Give the copy a name of its own, so that nobody mistakes one for the other.",
        ));
    }
    own.based_on = Some(original.id.clone());
    let mut changed: Vec<String> = Vec::new();
    if let Some(seconds) = changes.work_s {
        changed.extend(set_work(&mut own, seconds)?);
    }
    if let Some(beat) = changes.cadence {
        let beat = Cadence::new(beat).map_err(|e| e.at("cadence"))?.value();
        let Some(rule) = own.cadence.as_mut() else { return Err(not_here("cadence", &original.name, "beat")) };
        if rule.any != Some(beat) {
            (rule.any, rule.male, rule.female) = (Some(beat), None, None);
            changed.push(format!("a beat of {}", rounded(beat, 0)));
        }
    }
    if let Some(bench) = changes.bench_cm {
        let bench = BenchHeight::new(bench).map_err(|e| e.at("bench_cm"))?.value();
        let Some(rule) = own.conditions.iter_mut().find(|c| c.key == "bench_cm") else {
            return Err(not_here("bench_cm", &original.name, "bench"));
        };
        if rule.expected != Some(bench) {
            (rule.expected, rule.expected_male, rule.expected_female) = (Some(bench), None, None);
            changed.push(format!("a bench of {} cm", rounded(bench, 1)));
        }
    }
    changed.extend(set_schedule(&mut own, changes)?);
    if let Some(stages) = &changes.stages {
        changed.extend(set_stages(&mut own, stages)?);
    }
    if let Some(prompts) = &changes.prompts
        && let Some(work) = own.phases.iter_mut().find(|p| p.kind == PhaseKind::Work)
    {
        for prompt in prompts {
            text::note(&prompt.say, "prompts")?;
        }
        work.prompts.clone_from(prompts);
    }
    let what = if changed.is_empty() { "with prompts of its own".to_owned() } else { format!("with {}", text::list(&changed)) };
    if !changed.is_empty() {
        own.scoring.retain(|s| !s.is_fitted_to_procedure());
        own.norms.clear();
        own.change.retain(|c| own.scoring.iter().any(|s| s.quantity == c.quantity));
        own.change.iter_mut().for_each(|c| (c.reliability, c.sd_from_table, c.source) = (None, None, None));
    }
    own.tells = format!("Your own copy of the {}, {what}. Its results are not compared with those of the original.", original.name);
    own.sources.push(Source {
        of: format!("the changes: {what}"),
        citation: "the practice’s own".into(),
        kind: SourceKind::CommonPractice,
        recalled: false,
    });
    catalogue::check(&own)?;
    Ok(own)
}

/// The stages of its ladder in other words, another number of them too: the last one is the most that can be passed.
fn set_stages(own: &mut Protocol, given: &[String]) -> Result<Option<String>, InputError> {
    let named: Vec<String> = given.iter().map(|s| s.trim().to_owned()).filter(|s| !s.is_empty()).collect();
    let name = own.name.clone();
    let Procedure::Attempts(attempts) = &mut own.procedure else { return Err(not_here("stages", &name, "stages")) };
    let ladder = attempts.legs.iter_mut().find_map(|leg| match &mut leg.take {
        Take::Ladder { input, stages, .. } => Some((input.clone(), stages)),
        _ => None,
    });
    let Some((input, stages)) = ladder else { return Err(not_here("stages", &name, "stages")) };
    if !(2..=STAGES_MAX).contains(&named.len()) {
        return Err(InputError::new(Code::OutOfRange, "stages", format!("Give 2 to {STAGES_MAX} stages, one a line.")));
    }
    for stage in &named {
        text::name(stage, "stages")?;
    }
    if *stages == named {
        return Ok(None);
    }
    let most = named.len() as f64;
    *stages = named;
    if let Some(of) = own.inputs.iter_mut().find(|i| i.key == input) {
        of.max = most;
        of.usual = of.usual.map(|u| Usual { to: most, ..u });
    }
    Ok(Some("stages of its own".to_owned()))
}

/// The fastest level of a copy, km/h: nobody runs shuttles faster.
const FASTEST_KMH: f64 = 30.0;

/// Another first speed, step, shuttle or rest of a run to beeps. A level without a rest lasts about a minute, as in the original.
fn set_schedule(own: &mut Protocol, changes: &Changes) -> Result<Vec<String>, InputError> {
    let given = [
        ("start_kmh", changes.start_kmh, 4.0..=20.0, "km/h"),
        ("step_kmh", changes.step_kmh, 0.1..=3.0, "km/h"),
        ("shuttle_m", changes.shuttle_m, 5.0..=200.0, "m"),
        ("rest_s", changes.rest_s, 1.0..=300.0, "s"),
    ];
    if given.iter().all(|(_, value, ..)| value.is_none()) {
        return Ok(Vec::new());
    }
    let name = own.name.clone();
    let Procedure::AudioPaced(schedule) = &mut own.procedure else { return Err(not_here("start_kmh", &name, "beeps")) };
    for (field, value, range, unit) in given {
        if value.is_some_and(|v| !range.contains(&v)) {
            let message = format!("From {} to {} {unit}. Check the number.", rounded(*range.start(), 1), rounded(*range.end(), 1));
            return Err(InputError::new(Code::OutOfRange, field, message));
        }
    }
    if changes.rest_s.is_some() && schedule.recovery_s == 0.0 {
        return Err(not_here("rest_s", &name, "rest"));
    }
    let was = schedule.clone();
    if let Some(metres) = changes.shuttle_m {
        schedule.line_m = schedule.line_m.map(|line| line * metres / schedule.shuttle_m);
        schedule.shuttle_m = metres;
    }
    schedule.recovery_s = changes.rest_s.unwrap_or(schedule.recovery_s);
    let (first, second) = (was.levels[0].speed_kmh, was.levels.get(1).map_or(0.5, |l| l.speed_kmh - was.levels[0].speed_kmh));
    let (start, step) = (changes.start_kmh.unwrap_or(first), changes.step_kmh.unwrap_or(second));
    if changes.start_kmh.is_some_and(|s| s != first) || changes.step_kmh.is_some_and(|s| s != second) {
        for (k, level) in schedule.levels.iter_mut().enumerate() {
            level.speed_kmh = (10.0 * step.mul_add(k as f64, start)).round() / 10.0;
        }
        schedule.levels.retain(|l| l.speed_kmh <= FASTEST_KMH);
    }
    if schedule.recovery_s == 0.0 && *schedule != was {
        let shuttle_m = schedule.shuttle_m;
        schedule.levels.iter_mut().for_each(|l| l.shuttles = (60.0 / (shuttle_m / (l.speed_kmh / 3.6))).round().max(1.0) as u32);
    }
    let mut said = Vec::new();
    if schedule.levels != was.levels {
        said.push(format!("{} km/h at first and {} km/h more each level", rounded(start, 1), rounded(step, 1)));
    }
    if schedule.shuttle_m != was.shuttle_m {
        said.push(format!("shuttles of {} m", rounded(schedule.shuttle_m, 1)));
    }
    if schedule.recovery_s != was.recovery_s {
        said.push(format!("{} s of rest", rounded(schedule.recovery_s, 0)));
    }
    Ok(said)
}

fn set_work(own: &mut Protocol, seconds: u32) -> Result<Option<String>, InputError> {
    if !(10..=WORK_MAX_S).contains(&seconds) {
        return Err(InputError::new(Code::OutOfRange, "work_s", format!("The work lasts 10 to {WORK_MAX_S} seconds.")));
    }
    let of_clock = matches!(own.family(), Family::CountedRecovery | Family::TimedEffort);
    let work = own.phases.iter_mut().find(|p| p.kind == PhaseKind::Work).filter(|_| of_clock);
    let Some(work) = work else {
        return Err(InputError::new(Code::NotApplicable, "work_s", "This test does not end by the clock, so it has no length to change."));
    };
    if work.seconds == Some(seconds) {
        return Ok(None);
    }
    work.seconds = Some(seconds);
    work.prompts.retain(|p| p.at_s < seconds);
    if let Some(rule) = own.cadence.as_mut() {
        rule.swap_lead_at_s.retain(|s| *s < seconds);
    }
    if let Procedure::TimedEffort(course) = &mut own.procedure {
        course.seconds = Some(seconds);
    }
    Ok(Some(format!("{} of work", crate::quantity::minutes(f64::from(seconds)))))
}

fn not_here(field: &str, name: &str, what: &str) -> InputError {
    InputError::new(Code::NotApplicable, field, format!("{name} has no {what} to change."))
}

/// A protocol with a practice's own mark on a measure, in the place of the usual ones; it holds under the same circumstances.
pub fn hold_to(protocol: &Protocol, quantity: &str, mark: f64, source: &str) -> Protocol {
    let mut held = protocol.clone();
    let when = held.pass.iter().find(|p| p.quantity == quantity).map(|p| p.when.clone()).unwrap_or_default();
    held.pass.retain(|p| p.quantity != quantity);
    let source = Citation { citation: source.to_owned(), kind: SourceKind::CommonPractice, recalled: false };
    held.pass.push(PassMark { quantity: quantity.to_owned(), mark, beyond: false, when, source });
    held
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::catalogue::find;

    fn changes() -> Changes {
        Changes { name: "Two-minute bench".into(), work_s: Some(120), bench_cm: Some(30.0), ..Changes::default() }
    }

    #[test]
    fn a_copy_runs_by_its_own_numbers_and_gives_no_estimate_that_was_fitted_on_others() {
        let own = copy(find("bench-step-3min").unwrap(), "own-1", &changes()).unwrap();
        assert_eq!(own.phases.iter().find(|p| p.kind == PhaseKind::Work).unwrap().seconds, Some(120));
        assert_eq!(own.condition("bench_cm").unwrap().expected, Some(30.0));
        assert_eq!(own.scoring.iter().map(|s| s.quantity.as_str()).collect::<Vec<_>>(), ["recovery_hr"]);
        assert!(own.norms.is_empty() && own.change_rule("recovery_hr").unwrap().reliability.is_none());
        assert!(own.tells.contains("not compared with those of the original") && own.based_on.as_deref() == Some("bench-step-3min"));
        let json = serde_json::to_string(&own).unwrap();
        assert_eq!(serde_json::from_str::<Protocol>(&json).unwrap(), own);
    }

    #[test]
    fn a_run_to_beeps_by_a_practice_s_own_schedule_gives_its_distance_and_no_estimate() {
        let changes = Changes {
            name: "Half-pitch shuttle".into(),
            start_kmh: Some(7.0),
            step_kmh: Some(1.0),
            shuttle_m: Some(30.0),
            ..Changes::default()
        };
        let own = copy(find("shuttle-20m").unwrap(), "own-3", &changes).unwrap();
        let schedule = own.schedule().unwrap();
        assert_eq!((schedule.levels[0].speed_kmh, schedule.levels[1].speed_kmh, schedule.levels[0].shuttles), (7.0, 8.0, 4));
        assert!(own.scored("vo2max").is_none() && own.scored("distance_m").is_some());
        assert!(own.tells.contains("7 km/h at first") && own.tells.contains("shuttles of 30 m"), "{}", own.tells);
        let beeps = schedule.beeps(None).unwrap();
        assert!((beeps.beep(1).unwrap().at_s - 30.0 / (7.0 / 3.6)).abs() < 1e-9);
        let rest = copy(
            find("shuttle-recovery-1").unwrap(),
            "own-4",
            &Changes { name: "Longer rest".into(), rest_s: Some(20.0), ..Changes::default() },
        );
        assert_eq!(rest.unwrap().schedule().unwrap().recovery_s, 20.0);
        let refused =
            |id: &str, changes: Changes| copy(find(id).unwrap(), "own-5", &Changes { name: "X y".into(), ..changes }).unwrap_err();
        assert_eq!(refused("shuttle-20m", Changes { rest_s: Some(20.0), ..Changes::default() }).field.as_deref(), Some("rest_s"));
        assert_eq!(refused("shuttle-20m", Changes { step_kmh: Some(9.0), ..Changes::default() }).code, Code::OutOfRange);
        assert_eq!(refused("plank", Changes { shuttle_m: Some(20.0), ..Changes::default() }).code, Code::NotApplicable);
    }

    #[test]
    fn other_prompts_leave_the_method_as_it_is() {
        let prompts = Some(vec![Prompt { at_s: 90, say: "Half the way.".into(), ..Prompt::default() }]);
        let own =
            copy(find("bench-step-3min").unwrap(), "own-2", &Changes { name: "Our calls".into(), prompts, ..Changes::default() }).unwrap();
        assert_eq!(own.scoring.len(), 2);
    }

    #[test]
    fn the_stages_of_a_ladder_can_be_others() {
        let four = ["palms to the thigh", "wrists over the knees", " elbows to the knees ", "hands behind the head", ""].map(str::to_owned);
        let with = |stages: &[String]| Changes { name: "Our sit-ups".into(), stages: Some(stages.to_vec()), ..Changes::default() };
        let own = copy(find("staged-sit-up").unwrap(), "own-3", &with(&four)).unwrap();
        assert_eq!(own.input("stage").unwrap().max, 4.0);
        let Take::Ladder { stages, .. } = &own.legs()[0].take else { panic!("a ladder") };
        assert_eq!((stages.len(), stages[2].as_str()), (4, "elbows to the knees"));
        assert!(own.tells.contains("stages of its own"));
        assert_eq!(copy(find("staged-sit-up").unwrap(), "own-3", &with(&four[..1])).unwrap_err().field.as_deref(), Some("stages"));
        assert_eq!(copy(find("plank").unwrap(), "own-3", &with(&four)).unwrap_err().field.as_deref(), Some("stages"));
    }

    #[test]
    fn what_cannot_be_changed_says_why() {
        let error = |id: &str, changes: Changes| copy(find(id).unwrap(), "own", &changes).unwrap_err();
        assert_eq!(error("mile-walk", changes()).field.as_deref(), Some("work_s"));
        assert_eq!(error("bench-step-3min", Changes { name: "3-minute bench step".into(), ..changes() }).field.as_deref(), Some("name"));
        assert_eq!(
            error("run-12min", Changes { name: "x".into(), cadence: Some(90.0), ..Changes::default() }).field.as_deref(),
            Some("cadence")
        );
        assert_eq!(error("bench-step-3min", Changes { bench_cm: Some(400.0), ..changes() }).field.as_deref(), Some("bench_cm"));
    }
}
