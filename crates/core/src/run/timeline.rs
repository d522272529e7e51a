//! What the clock runs through, worked out before it starts: phases, beats and calls, in milliseconds of the run's own
//! clock (0 = the start of the count-in). Screens draw and sound from this; they hold no timing of their own.

use super::{
    decision::Due,
    setup::Setup,
    state::{Beat, Call, Span, StageState, State, Timeline},
};
pub use crate::catalogue::Tone;
use crate::{
    catalogue::{PhaseKind, Protocol},
    strap::WINDOW_S,
};

/// Works a protocol out for a set-up, before it starts.
pub fn timeline(protocol: &Protocol, setup: &Setup) -> Timeline {
    with_work_end(protocol, setup, None)
}

/// The same once it is known when the work ended, for work that does not end with the clock.
pub(super) fn with_work_end(protocol: &Protocol, setup: &Setup, work_end_ms: Option<f64>) -> Timeline {
    let beat_ms = setup.cadence.map_or(0.0, |c| 60_000.0 / c.value());
    let mut at = 0.0;
    let mut phases = Vec::with_capacity(protocol.phases.len());
    let mut calls = Vec::new();
    for phase in &protocol.phases {
        let length =
            phase.seconds_under(&setup.conditions).map(|s| f64::from(s) * 1000.0).or_else(|| phase.beats.map(|b| f64::from(b) * beat_ms));
        let prompts = phase.prompts.iter().filter(|p| p.when.as_ref().is_none_or(|w| w.holds(&setup.conditions)));
        calls.extend(prompts.map(|p| Call { at_ms: at + f64::from(p.at_s) * 1000.0, say: p.say.clone(), tone: p.tone }));
        let length = length.or_else(|| work_end_ms.filter(|_| phase.kind == PhaseKind::Work).map(|end| end - at));
        phases.push(Span {
            id: phase.id.clone(),
            kind: phase.kind,
            label: phase.label.clone(),
            cue: phase.cue_under(&setup.conditions).to_owned(),
            start_ms: at,
            end_ms: length.map(|l| at + l),
        });
        match length {
            Some(length) => at += length,
            // What follows open work begins when an event says so.
            None => break,
        }
    }
    let beat = beat(protocol, setup, &phases);
    Timeline { phases, beat, calls }
}

/// The beat goes on this long beyond what a running stage is planned for: it never stops under a client, ms.
const BEAT_AHEAD_MS: f64 = 600_000.0;

/// The course of a staged test as far as it is decided: stages as they were, the running one open, calls for what is due.
pub(super) fn staged(protocol: &Protocol, setup: &Setup, stages: &[StageState], state: &State) -> Timeline {
    let mut timeline = with_work_end(protocol, setup, None);
    let Some(work) = timeline.phases.iter().position(|p| p.kind == PhaseKind::Work) else { return timeline };
    let template = timeline.phases[work].clone();
    if stages.is_empty() {
        return timeline;
    }
    timeline.phases.truncate(work);
    for stage in stages {
        let load = stage.load.map(|l| format!(" · {}", l.words())).unwrap_or_default();
        timeline.phases.push(Span {
            id: format!("stage-{}", stage.number),
            label: format!("Stage {}{load}", stage.number),
            start_ms: stage.start_ms,
            end_ms: stage.end_ms.or(state.over_ms),
            ..template.clone()
        });
    }
    let until_ms = state.over_ms.unwrap_or_else(|| stages.last().map_or(0.0, |s| s.planned_end_ms + BEAT_AHEAD_MS));
    if let (Some(over), Some(end)) = (state.over_ms, protocol.phases.iter().find(|p| p.kind == PhaseKind::Enter)) {
        let (id, label, cue) = (end.id.clone(), end.label.clone(), end.cue.clone());
        timeline.phases.push(Span { id, kind: end.kind, label, cue, start_ms: over, end_ms: None });
    }
    if let Some(beat) = &mut timeline.beat {
        beat.until_ms = until_ms;
        let swaps = protocol.cadence.iter().flat_map(|c| &c.swap_lead_at_s);
        beat.swaps_ms = stages.iter().flat_map(|s| swaps.clone().map(|at| s.start_ms + f64::from(*at) * 1000.0)).collect();
    }
    for due in &state.dues {
        timeline.calls.push(Call {
            at_ms: due.at_ms - WINDOW_S * 1000.0,
            say: format!("Heart rate in {WINDOW_S} seconds."),
            tone: Tone::Warning,
        });
        timeline.calls.push(Call { at_ms: due.at_ms, say: format!("Heart rate now: minute {}.", due.minute), tone: Tone::Plain });
    }
    timeline.calls.sort_by(|a, b| a.at_ms.total_cmp(&b.at_ms));
    timeline
}

/// A number that is due and was not typed is asked for again so often.
const REMINDERS: u32 = 3;
/// The time between, ms. Ours, common practice.
const REMIND_EVERY_MS: f64 = 20_000.0;

/// What is due is not forgotten: called again until it is there.
pub(super) fn remind(state: &mut State) {
    let open = state.dues.iter().filter(|d| d.value.is_none());
    let again = |due: &Due| {
        let (from, say) = (due.window.map_or(due.at_ms, |w| w.until_ms.max(due.at_ms)), format!("{}: still open. Type it now.", due.label));
        (1..=REMINDERS).map(move |n| Call { at_ms: from + f64::from(n) * REMIND_EVERY_MS, say: say.clone(), tone: Tone::Warning })
    };
    let calls: Vec<Call> = open.flat_map(again).collect();
    state.timeline.calls.extend(calls);
    state.timeline.calls.sort_by(|a, b| a.at_ms.total_cmp(&b.at_ms));
}

/// Whoever is off the beat for too long is called back to it: said, noted, and the test goes on.
pub(super) fn call_off_beat(protocol: &Protocol, state: &mut State) {
    let Some(rule) = &protocol.cadence else { return };
    let long_ms = f64::from(rule.off_for_s) * 1000.0;
    let spells = state.off_beat.iter().filter(|o| o.until_ms.is_none_or(|until| until - o.from_ms >= long_ms));
    let say = format!("Off the beat for {} seconds: say the beat aloud. It is noted; the test goes on.", rule.off_for_s);
    state.timeline.calls.extend(spells.map(|o| Call { at_ms: o.from_ms + long_ms, say: say.clone(), tone: Tone::Warning }));
    state.timeline.calls.sort_by(|a, b| a.at_ms.total_cmp(&b.at_ms));
}

fn beat(protocol: &Protocol, setup: &Setup, phases: &[Span]) -> Option<Beat> {
    let rule = protocol.beat(&setup.conditions)?;
    let sounding = |p: &&Span| matches!(p.kind, PhaseKind::CountIn | PhaseKind::Work);
    let work = phases.iter().find(|p| p.kind == PhaseKind::Work)?;
    Some(Beat {
        per_minute: setup.cadence?.value(),
        first_ms: phases.iter().find(sounding)?.start_ms,
        until_ms: phases.iter().rfind(sounding).map(|p| p.end_ms.unwrap_or(p.start_ms + BEAT_AHEAD_MS))?,
        places: rule.places.clone(),
        shares: rule.shares.clone(),
        swaps_ms: rule.swap_lead_at_s.iter().map(|s| work.start_ms + f64::from(*s) * 1000.0).collect(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{catalogue, units::Cadence};
    use test_case::test_case;

    fn of(id: &str, cadence: f64) -> Timeline {
        let setup = Setup { cadence: Some(Cadence::new(cadence).unwrap()), ..Setup::default() };
        timeline(catalogue::find(id).unwrap(), &setup)
    }

    #[test_case("bench-step-3min", 96.0, 5.0, 15.0; "men")]
    #[test_case("bench-step-3min", 88.0, 8.0 * 60.0 / 88.0, 15.0; "women")]
    #[test_case("low-step-3min", 96.0, 5.0, 60.0; "low step")]
    #[test_case("class-step-3min", 96.0, 5.0, 10.0; "class")]
    fn three_minutes_then_five_seconds_then_the_window(id: &str, cadence: f64, count_in_s: f64, window_s: f64) {
        let timeline = of(id, cadence);
        let work = timeline.phase(PhaseKind::Work).unwrap();
        let count = timeline.phase(PhaseKind::Count).unwrap();
        assert!((work.start_ms - count_in_s * 1000.0).abs() < 1e-6);
        assert!((work.end_ms.unwrap() - work.start_ms - 180_000.0).abs() < 1e-6);
        assert!((count.start_ms - work.end_ms.unwrap() - 5_000.0).abs() < 1e-6);
        assert!((count.end_ms.unwrap() - count.start_ms - window_s * 1000.0).abs() < 1e-6);
    }

    #[test]
    fn the_first_step_falls_on_a_beat_and_the_last_beat_before_the_stop() {
        let beat = of("bench-step-3min", 88.0).beat.unwrap();
        let per = 60_000.0 / beat.per_minute;
        let work_start = 8.0 * per;
        assert!((work_start / per).fract() < 1e-9);
        assert_eq!(((beat.until_ms - beat.first_ms) / per).round(), 8.0 + 264.0);
        assert_eq!(beat.swaps_ms.len(), 2);
    }

    #[test]
    fn minutes_and_the_last_ten_seconds_are_called() {
        let timeline = of("bench-step-3min", 96.0);
        let said: Vec<(f64, &str)> = timeline.calls.iter().map(|c| (c.at_ms / 1000.0, c.say.as_str())).collect();
        assert_eq!(said[0], (65.0, "One minute. Change the lead foot."));
        assert_eq!(said[2], (175.0, "Ten seconds left."));
        assert_eq!(said[3].0, 185.0);
        assert!(timeline.calls.is_sorted_by(|a, b| a.at_ms <= b.at_ms));
    }
}
