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
