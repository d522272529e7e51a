//! Loads that are made or missed: which comes next, and what about them is worth a question.

use super::{
    decision::{Decision, DecisionCode},
    state::LoadAdvice,
};
use crate::{attempts::Take, units::rounded};

/// The smallest and the largest step from one load to the next, kg, and what plates can be put on. Source: common practice.
const STEP_KG: (f64, f64) = (2.5, 20.0);

/// What is worth a question: a load made after a lighter one was missed.
pub(super) fn question(lifts: &[(f64, bool)], at: f64) -> Option<Decision> {
    let (last, was_made) = *lifts.last()?;
    let missed = lifts.iter().filter(|(kg, made)| !made && *kg < last).map(|(kg, _)| *kg).reduce(f64::min)?;
    was_made.then(|| {
        let because = format!(
            "{} kg was made after {} kg had been missed. Both are kept; was one of them written down wrong?",
            rounded(last, 1),
            rounded(missed, 1)
        );
        Decision::new(DecisionCode::ReadingQuestioned, at, because)
    })
}

/// The load a set begins with, where one is advised.
pub(super) fn first_load(take: &Take, last_time: Option<f64>) -> Option<LoadAdvice> {
    let Take::Read { advise: Some(advised), .. } = take else { return None };
    Some(match last_time {
        Some(before) => LoadAdvice { kg: Some(to_plates(before * advised.share)), because: advised.because.clone() },
        None => LoadAdvice { kg: None, because: advised.first.clone() },
    })
}

/// To what plates can be put on.
fn to_plates(kg: f64) -> f64 {
    (kg / STEP_KG.0).round() * STEP_KG.0
}

/// The next load and why. Source: common practice, but for the first load, which is 50 to 70 % of what is expected.
pub(super) fn advice(lifts: &[(f64, bool)], most: u8, last_time: Option<f64>) -> LoadAdvice {
    let none = |because: String| LoadAdvice { kg: None, because };
    let Some((last, was_made)) = lifts.last().copied() else {
        return match last_time {
            Some(before) => LoadAdvice {
                kg: Some(to_plates(before * 0.7)),
                because: format!("70 % of last time’s {} kg: a first attempt at 50 to 70 % of what is expected.", rounded(before, 1)),
            },
            None => none("First attempt: 50 to 70 % of what is expected, light enough for five clean ones.".into()),
        };
    };
    if lifts.len() >= usize::from(most) {
        return none(format!("{most} attempts are the most: what comes after them is tiredness."));
    }
    let best = lifts.iter().filter(|(_, made)| *made).map(|(kg, _)| *kg).reduce(f64::max);
    match (was_made, best) {
        (true, _) => {
            // Ten per cent after the first, half as much after each further one.
            let share = 0.1 / f64::from(1 << (lifts.len() - 1).min(4));
            let step = to_plates(last * share).clamp(STEP_KG.0, STEP_KG.1);
            LoadAdvice {
                kg: Some(last + step),
                because: format!("Made: {} kg more. Less if it was slow or the form went.", rounded(step, 1)),
            }
        }
        (false, Some(best)) if best < last => {
            let between = to_plates(f64::midpoint(best, last)).max(best + STEP_KG.0);
            if between >= last {
                none(format!(
                    "{} kg stands: there is no plate between it and the {} kg that was missed.",
                    rounded(best, 1),
                    rounded(last, 1)
                ))
            } else {
                LoadAdvice {
                    kg: Some(between),
                    because: format!(
                        "Missed: between the {} kg that was made and the {} kg that was not.",
                        rounded(best, 1),
                        rounded(last, 1)
                    ),
                }
            }
        }
        (false, _) => LoadAdvice { kg: Some(to_plates(last * 0.9)), because: "Missed: a tenth less.".into() },
    }
}
