//! Loads that are made or missed: which comes next, and what about them is worth a question.

use super::{
    decision::{Decision, DecisionCode},
    setup::Setup,
    state::{LoadAdvice, SheetState},
};
use crate::{
    attempts::Take,
    conditions::Answer,
    quantity,
    units::{KG_PER_LB, Units, rounded},
};

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
pub(super) fn first_load(take: &Take, last_time: Option<f64>, units: Units) -> Option<LoadAdvice> {
    let Take::Read { advise: Some(advised), .. } = take else { return None };
    Some(match last_time {
        Some(before) => LoadAdvice { kg: Some(to_plates(before * advised.share, units)), because: advised.because.clone() },
        None => LoadAdvice { kg: None, because: advised.first.clone() },
    })
}

/// What plates can be put on, and how large a step may be, in the client's unit as kg. Source: common practice.
struct Plates {
    smallest: f64,
    largest: f64,
    units: Units,
}

impl Plates {
    fn of(units: Units) -> Self {
        match units {
            Units::Metric => Self { smallest: 2.5, largest: 20.0, units },
            Units::Imperial => Self { smallest: 5.0 * KG_PER_LB, largest: 45.0 * KG_PER_LB, units },
        }
    }

    fn round(&self, kg: f64) -> f64 {
        (kg / self.smallest).round() * self.smallest
    }

    fn step(&self, kg: f64) -> f64 {
        self.round(kg).clamp(self.smallest, self.largest)
    }

    fn said(&self, kg: f64) -> String {
        quantity::said("load_kg", kg, self.units)
    }
}

/// To what plates can be put on.
pub(super) fn to_plates(kg: f64, units: Units) -> f64 {
    Plates::of(units).round(kg)
}

/// What a plan of attempts rests on.
#[derive(Debug, Clone, Copy)]
pub(super) struct Planned {
    /// How many attempts are planned; one more may be taken with a reason where none was missed.
    pub attempts: u8,
    /// The most there are.
    pub most: u8,
    /// What is expected, kg: from last time, a set to fatigue, or the coach's guess.
    pub expected: Option<f64>,
    /// The units the plates come in.
    pub units: Units,
}

/// The next load and why. The first lies at 50 to 70 % of what is expected, the third at it, the fourth beyond; a miss halves the
/// step. Source: common practice.
pub(super) fn advice(lifts: &[(f64, bool)], plan: &Planned) -> LoadAdvice {
    let plates = Plates::of(plan.units);
    let none = |because: String| LoadAdvice { kg: None, because };
    let Some((last, was_made)) = lifts.last().copied() else {
        return match plan.expected {
            Some(expected) => LoadAdvice {
                kg: Some(plates.round(expected * 0.7)),
                because: format!("70 % of the {} that are expected: a first attempt at 50 to 70 % of it.", plates.said(expected)),
            },
            None => none("First attempt: 50 to 70 % of what is expected, light enough for five clean ones.".into()),
        };
    };
    let best = lifts.iter().filter(|(_, made)| *made).map(|(kg, _)| *kg).reduce(f64::max);
    let missed = lifts.iter().any(|(_, made)| !made);
    if lifts.len() >= usize::from(plan.most) || lifts.len() >= usize::from(plan.attempts) && missed {
        return none(format!("{} attempts are the most: what comes after them is tiredness.", lifts.len()));
    }
    if let (true, Some(best)) = (lifts.len() >= usize::from(plan.attempts), best) {
        return LoadAdvice {
            kg: Some(plates.round(best + plates.step(best * 0.025))),
            because: format!(
                "No attempt was missed: the maximum is at least {}. You may add one more attempt; give a reason.",
                plates.said(best)
            ),
        };
    }
    match (was_made, best) {
        (true, _) => {
            let towards = plan.expected.filter(|expected| !missed && *expected > last + plates.smallest / 2.0);
            let (next, because) = match (towards, lifts.len()) {
                // The second half way, the third at it: larger steps only where it is not reached otherwise.
                (Some(expected), 1) => {
                    (plates.round(f64::midpoint(last, expected)), format!("Halfway to the expected {}.", plates.said(expected)))
                }
                (Some(expected), _) => (plates.round(expected), format!("What is expected: {}.", plates.said(expected))),
                (None, made) => {
                    // Ten per cent after the first where nothing is expected, smaller near the end.
                    let share = if plan.expected.is_some() { 0.05 } else { 0.1 / f64::from(1 << (made - 1).min(2)) };
                    let step = plates.step(last * share);
                    (last + step, format!("Made: {} more. Add less if it was slow or the form was lost.", plates.said(step)))
                }
            };
            LoadAdvice { kg: Some(next.max(last + plates.smallest)), because }
        }
        (false, Some(best)) if best < last => {
            let between = plates.round(f64::midpoint(best, last)).max(best + plates.smallest);
            if between >= last {
                none(format!("{} stands: there is no plate between it and the {} that was missed.", plates.said(best), plates.said(last)))
            } else {
                LoadAdvice {
                    kg: Some(between),
                    because: format!(
                        "Missed: a load between {}, which was made, and {}, which was not.",
                        plates.said(best),
                        plates.said(last)
                    ),
                }
            }
        }
        (false, _) => LoadAdvice { kg: Some(plates.round(last * 0.9)), because: "Missed: a tenth less.".into() },
    }
}

impl SheetState {
    /// The rows of the loads, and of whether each was made.
    pub(super) fn load_rows(&self) -> Option<(usize, usize)> {
        self.rows.iter().find_map(|row| match &row.take {
            Take::Load { load, made, .. } => Some((self.row(load, None)?, self.row(made, None)?)),
            _ => None,
        })
    }

    /// What the attempts at a load are planned from.
    pub(super) fn planned(&self, setup: &Setup, load: usize) -> Planned {
        let (attempts, expected) = match &self.rows[load].take {
            Take::Load { attempts, expected, .. } => (*attempts, expected.as_ref()),
            _ => (None, None),
        };
        let said = expected.and_then(|key| match setup.conditions.get(key) {
            Some(Answer::Number(kg)) => Some(*kg),
            _ => None,
        });
        let most = self.rows[load].tries;
        Planned { attempts: attempts.unwrap_or(most), most, expected: said.or(setup.last_value), units: setup.units }
    }

    /// Whether one more attempt than planned needs a reason, and whether there may be one: only where none was missed.
    pub(super) fn is_beyond_plan(&self) -> Option<bool> {
        let rows = self.load_rows()?;
        let Take::Load { attempts: Some(planned), .. } = &self.rows[rows.0].take else { return Some(false) };
        Some(self.rows[rows.0].cells.len() >= usize::from(*planned))
    }

    /// Each load that was tried, kg, and whether it was made.
    pub(super) fn lifts(&self, (load, made): (usize, usize)) -> Vec<(f64, bool)> {
        let each = self.rows[load].cells.iter().zip(&self.rows[made].cells);
        each.filter_map(|(l, m)| Some((l.value.number()?, m.value.number()? > 0.0))).collect()
    }
}
