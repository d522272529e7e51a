//! What is suggested before the whole list: a few tests, a few batteries, and why.

use std::collections::BTreeSet;

use chrono::NaiveDate;
use serde::{Deserialize, Serialize};

use super::{Client, Fit, FitVerdict, judge};
use crate::{
    battery::Battery,
    catalogue::{self, Effort, Protocol},
    norms,
    person::Facts,
};

/// One of the tests that are offered first.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct First {
    pub protocol: String,
    /// One line why it, and why now.
    pub why: String,
}

/// A test that was done before.
#[derive(Debug, Clone, Copy)]
pub struct Before<'a> {
    pub protocol: &'a str,
    /// The last day it was done.
    pub on: NaiveDate,
    /// The day it is to be done again, where one is planned.
    pub due: Option<NaiveDate>,
}

/// How long a part of the library may rest before it is time to look again, days. Ours, common practice: half a year.
const PART_RESTS_DAYS: i64 = 182;

/// After how long a test is worth doing again where no date is planned, days. Ours, common practice: six weeks.
const AGAIN_AFTER_DAYS: i64 = 42;

/// How many are offered first.
const FIRST_MOST: usize = 3;

/// The two or three tests that are offered first, each of another part of the library: what is due, then what was not looked
/// at for half a year and has a table of people of this client's age, what takes least in front; then what was done longest ago. `fits`: the judged tests, in the library's
/// order; `before`: what was done, one entry a test.
pub fn first<'p>(
    fits: &[Fit],
    known: &dyn Fn(&str) -> Option<&'p Protocol>,
    facts: &Facts,
    before: &[Before],
    today: NaiveDate,
) -> Vec<First> {
    let suiting: Vec<&Protocol> = fits.iter().filter(|f| f.verdict == FitVerdict::Suits).filter_map(|f| known(&f.protocol)).collect();
    let mut due: Vec<&Before> = before.iter().filter(|b| b.due.is_some_and(|d| d <= today)).collect();
    due.sort_by_key(|b| b.due);
    let again = due.iter().filter_map(|b| suiting.iter().find(|p| p.id == b.protocol).map(|p| (*p, b)));
    let of_due = again.map(|(p, b)| (p, format!("Due. Last done on {}: doing it again shows what has changed.", b.on.format("%-d %B %Y"))));

    let looked_at = |section: &str| {
        let seen = |b: &&Before| known(b.protocol).is_some_and(|p| p.section == section);
        before.iter().filter(seen).map(|b| b.on).max()
    };
    let over_60 = facts.age.is_some_and(|a| a.value() >= 60.0);
    let placed = |p: &Protocol| p.norms.iter().filter_map(|n| norms::table(&n.table)).find(|t| t.is_for_age_of(facts));
    let mut fresh: Vec<(&Protocol, bool, String)> = suiting
        .iter()
        // Nobody is led into a hardest effort they have never made: that is the coach's choice, from the list.
        .filter(|p| p.effort == Effort::LightToModerate || (!over_60 && p.effort != Effort::Vigorous))
        .filter_map(|p| {
            let table = placed(p);
            let part = catalogue::section_name(&p.section);
            let when = match looked_at(&p.section) {
                None => format!("{part}: not measured yet"),
                Some(on) if (today - on).num_days() > PART_RESTS_DAYS => format!("{part}: last measured on {}", on.format("%-d %B %Y")),
                Some(_) => return None,
            };
            let held = table.map_or(String::new(), |t| format!(", and a table to hold it against: {}", t.population_for(facts)));
            Some((*p, table.is_some(), format!("{when}. {} minutes{held}.", p.minutes)))
        })
        .collect();
    fresh.sort_by_key(|(p, ..)| (over_60 != (p.section == OVER_60), p.needs.len(), p.minutes));
    let mut longest: Vec<&Before> = before.iter().collect();
    longest.sort_by_key(|b| b.on);
    longest.retain(|b| (today - b.on).num_days() >= AGAIN_AFTER_DAYS);
    let done = longest.iter().filter_map(|b| suiting.iter().find(|p| p.id == b.protocol).map(|p| (*p, b)));
    let of_done = done.map(|(p, b)| (p, format!("Last done on {}: doing it again shows what has changed.", b.on.format("%-d %B %Y"))));
    let mut first: Vec<First> = Vec::new();
    let mut parts: BTreeSet<&str> = BTreeSet::new();
    let (held, bare): (Vec<_>, Vec<_>) = fresh.into_iter().partition(|(_, is_held, _)| *is_held);
    let said = |(p, _, why)| (p, why);
    for (protocol, why) in of_due.chain(held.into_iter().map(said)).chain(of_done).chain(bare.into_iter().map(said)) {
        if first.len() < FIRST_MOST && parts.insert(&protocol.section) {
            first.push(First { protocol: protocol.id.clone(), why });
        }
    }
    first
}

/// The part of the library that is for people over sixty.
const OVER_60: &str = "older_adults";

/// A battery as it stands for a client.
#[derive(Debug, Clone, Copy)]
pub struct BatteryFit<'a> {
    /// Its tests.
    pub battery: &'a Battery,
    /// When it was done last.
    pub last_on: Option<NaiveDate>,
    /// When it is planned.
    pub due_on: Option<NaiveDate>,
}

/// So many batteries are suggested.
const BATTERIES_SUGGESTED: usize = 3;

/// The batteries to begin with, each by its place in the list and with one line why: what is due, what was done last, then those of
/// which every test suits, the practice's own and the shorter ones first.
pub fn suggest_batteries<'p>(
    all: &[BatteryFit],
    client: &Client,
    find: &dyn Fn(&str) -> Option<&'p Protocol>,
    today: NaiveDate,
) -> Vec<(usize, String)> {
    let day = |on: NaiveDate| on.format("%-d %B %Y");
    let suits = |fit: &BatteryFit| {
        // Where every test is left to choice, each of them has to suit.
        let by_choice = fit.battery.tests.iter().all(|t| t.optional);
        let mut asked = fit.battery.tests.iter().filter(|t| by_choice || !t.optional);
        asked.all(|t| find(&t.protocol).is_some_and(|p| judge(p, client).verdict == FitVerdict::Suits))
    };
    let minutes = |fit: &BatteryFit| fit.battery.tests.iter().filter_map(|t| find(&t.protocol)).map(|p| u32::from(p.minutes)).sum::<u32>();
    let mut due: Vec<usize> = (0..all.len()).filter(|k| all[*k].due_on.is_some_and(|on| on <= today)).collect();
    due.sort_by_key(|k| all[*k].due_on);
    let mut before: Vec<usize> = (0..all.len()).filter(|k| all[*k].last_on.is_some()).collect();
    before.sort_by_key(|k| std::cmp::Reverse(all[*k].last_on));
    let mut fitting: Vec<usize> = (0..all.len()).filter(|k| suits(&all[*k])).collect();
    fitting.sort_by_key(|k| minutes(&all[*k]));
    let mut found: Vec<(usize, String)> = Vec::new();
    for k in due.into_iter().chain(before).chain(fitting) {
        if found.len() == BATTERIES_SUGGESTED || found.iter().any(|(other, _)| *other == k) {
            continue;
        }
        let why = match (all[k].due_on.filter(|on| *on <= today), all[k].last_on) {
            (Some(on), _) if on == today => "Due today.".to_owned(),
            (Some(on), _) => format!("Due since {}.", day(on)),
            (None, Some(on)) => format!("Done last on {}.", day(on)),
            (None, None) => format!("Every test suits; about {} minutes.", minutes(&all[k])),
        };
        found.push((k, why));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::{
        super::{Available, shortlist},
        *,
    };
    use crate::{
        readiness::{Answers, Symptom, advise},
        units::Age,
    };

    #[test]
    fn the_battery_that_is_due_comes_first_then_the_last_one_then_what_suits() {
        let all = crate::battery::all();
        let day = |n: u64| NaiveDate::from_ymd_opt(2026, 1, 1).unwrap() + chrono::Days::new(n);
        let of = |id: &str, last: Option<u64>, due: Option<u64>| BatteryFit {
            battery: crate::battery::find(id).unwrap(),
            last_on: last.map(day),
            due_on: due.map(day),
        };
        let fits: Vec<BatteryFit> = all
            .iter()
            .map(|b| match b.id.as_str() {
                "monthly-four" => of("monthly-four", Some(10), Some(200)),
                "four-in-five-minutes" => of("four-in-five-minutes", Some(2), Some(90)),
                id => of(id, None, None),
            })
            .collect();
        let known = |id: &str| catalogue::find(id).ok();
        let suggested = suggest_batteries(&fits, &Client::default(), &known, day(100));
        let names: Vec<&str> = suggested.iter().map(|(k, _)| all[*k].id.as_str()).collect();
        assert_eq!((names[0], names[1], names.len()), ("four-in-five-minutes", "monthly-four", 3));
        assert_eq!(suggested[0].1, "Due since 1 April 2026.");
        assert!(suggested[2].1.starts_with("Every test suits"), "{}", suggested[2].1);
        // With chest discomfort nothing suits, and nothing new is suggested.
        let answers = Answers { symptoms: vec![Symptom::ChestDiscomfort], ..Answers::default() };
        let advice = advise(&answers);
        let ill = Client { readiness: Some((&answers, &advice)), ..Client::default() };
        let none: Vec<BatteryFit> = all.iter().map(|b| of(&b.id, None, None)).collect();
        assert_eq!(suggest_batteries(&none, &ill, &known, day(100)), vec![]);
    }

    #[test]
    fn what_is_due_comes_first_then_what_was_never_looked_at_each_of_another_part() {
        let day = |n: u64| NaiveDate::from_ymd_opt(2026, 1, 1).unwrap() + chrono::Days::new(n);
        let facts = Facts { sex: Some(crate::person::Sex::Female), age: Some(Age::new(67.0).unwrap()), ..Facts::default() };
        let fits = shortlist(
            &Client { age: facts.age, ..Client::default() },
            &Available { equipment: Some(vec!["chair".into()]), ..Available::default() },
        );
        let known = |id: &str| catalogue::find(id).ok();
        let young = norms::table("trunk-endurance-means/side-plank/left").unwrap();
        assert!(!young.is_for_age_of(&facts), "young adults say nothing of 67");
        let none = first(&fits, &known, &facts, &[], day(0));
        assert!(none.len() >= 2 && none[0].protocol.starts_with("chair-stand"), "{none:?}");
        assert!(none[0].why.contains("not measured yet") && none[0].why.contains("of 65 to 69"), "{}", none[0].why);
        let sections: BTreeSet<&str> = none.iter().map(|f| known(&f.protocol).unwrap().section.as_str()).collect();
        assert_eq!(sections.len(), none.len());
        let everything = shortlist(&Client { age: facts.age, ..Client::default() }, &Available::default());
        let gentle = |f: &First| known(&f.protocol).unwrap().effort == Effort::LightToModerate;
        assert!(first(&everything, &known, &facts, &[], day(0)).iter().all(gentle), "no hardest effort for a first time at 67");
        let before = [Before { protocol: "plank", on: day(0), due: Some(day(90)) }];
        let due = first(&fits, &known, &facts, &before, day(91));
        assert_eq!(due[0].protocol, "plank");
        assert!(due[0].why.contains("1 January 2026"), "{}", due[0].why);
        assert!(first(&fits, &known, &facts, &before, day(89)).iter().all(|f| f.protocol != "plank"), "not due, and looked at lately");
    }
}
