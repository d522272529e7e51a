//! Reading protocols, holding them together, and finding one.

use std::sync::LazyLock;

use super::{
    equation::Equation,
    input::Input,
    procedure::{Family, Phase, PhaseKind},
    protocol::Protocol,
    score::Scoring,
};
use crate::{
    attempts::Take,
    error::{Code, InputError},
    formula::Formula,
    norms,
    quantity::{self, base},
    units::Cadence,
};

// The TOML of every protocol that ships, as the build found it: `BUILT_IN`.
include!(concat!(env!("OUT_DIR"), "/catalogue.rs"));

/// What several protocols share: conditions, cautions, whom they do not suit, sources. A protocol's TOML names them in
/// `shared` and gets them behind its own.
const SHARED: &str = include_str!("../../data/shared.toml");

/// The protocols in the library's order, and the files that cannot be read.
static FILES: LazyLock<(Vec<Protocol>, Vec<String>)> = LazyLock::new(|| {
    let (mut all, unreadable) = read_files(&BUILT_IN, parse);
    let section = |p: &Protocol| sections().iter().position(|s| s.id == p.section);
    all.sort_by(|a, b| (section(a), a.order, &a.id).cmp(&(section(b), b.order, &b.id)));
    (all, unreadable)
});

/// What the files of a folder say; and each that cannot be read or does not hold together, by its name with the reason.
pub(crate) fn read_files<T>(files: &[(&str, &str)], read: fn(&str) -> Result<T, InputError>) -> (Vec<T>, Vec<String>) {
    let mut wrong = Vec::new();
    let found = files.iter().filter_map(|(name, text)| read(text).map_err(|e| wrong.push(format!("{name}: {}", e.message))).ok());
    (found.collect(), wrong)
}

/// The files of the catalogue that cannot be read, each with the reason. Nothing is served while there is one: a test that
/// vanished would be missed by nobody.
pub fn unreadable() -> &'static [String] {
    &FILES.1
}

/// A part of the library.
#[derive(Debug, Clone, PartialEq, Eq, serde::Deserialize)]
pub struct Section {
    /// Its id, as protocols name it.
    pub id: String,
    /// Its place in a visit: what tires least first.
    pub rank: u16,
    /// Why its tests stand there.
    pub why: String,
    /// What it is called.
    pub name: String,
}

/// Something that has to be at hand for some tests.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct EquipmentItem {
    /// Its key, as protocols and requests name it.
    pub key: String,
    /// What it is called.
    pub name: String,
    /// In the middle of a sentence.
    pub words: String,
}

#[derive(Default, serde::Deserialize)]
struct Shared {
    sections: Vec<Section>,
    equipment: Vec<EquipmentItem>,
}

static SHARED_LISTS: LazyLock<Shared> = LazyLock::new(|| toml::from_str(SHARED).unwrap_or_default());

/// What may have to be at hand, the commonest first.
pub fn equipment() -> &'static [EquipmentItem] {
    &SHARED_LISTS.equipment
}

/// Something that may have to be at hand, by its key.
pub fn equipment_named(key: &str) -> Option<&'static EquipmentItem> {
    equipment().iter().find(|k| k.key == key)
}

/// Where what belongs to no thing stands.
pub const ALSO: &str = "Also";

/// What a test needs, thing by thing, each with what is said of it: “Chair” with “A chair of 43 cm without arms, against a wall”. What
/// belongs to none of the things stands under [`ALSO`].
pub fn things(protocol: &Protocol) -> Vec<(String, Vec<String>)> {
    let needed: Vec<&EquipmentItem> = protocol.needs.iter().filter_map(|key| equipment_named(key)).collect();
    let mut things: Vec<(String, Vec<String>)> = needed.iter().map(|k| (k.name.clone(), Vec::new())).collect();
    let mut also = Vec::new();
    for what in protocol.equipment.iter().map(|e| &e.what) {
        let small = what.to_lowercase();
        let is_about = |k: &&EquipmentItem| {
            let words = k.words.split(|c: char| !c.is_alphabetic()).map(|word| word.trim_end_matches('s'));
            words.filter(|word| word.len() > 3).any(|word| small.contains(word))
        };
        match needed.iter().position(is_about) {
            Some(place) => things[place].1.push(what.clone()),
            None => also.push(what.clone()),
        }
    }
    things.extend((!also.is_empty()).then(|| (ALSO.to_owned(), also)));
    things
}

/// One part of the library.
pub fn section(id: &str) -> Option<&'static Section> {
    sections().iter().find(|s| s.id == id)
}

/// The parts of the library, in its order.
pub fn sections() -> &'static [Section] {
    &SHARED_LISTS.sections
}

/// What a part of the library is called.
pub fn section_name(id: &str) -> &str {
    sections().iter().find(|s| s.id == id).map_or(id, |s| &s.name)
}

/// Every built-in protocol, in the library's order.
pub fn all() -> &'static [Protocol] {
    &FILES.0
}

/// The built-in protocol with this id.
///
/// # Errors
/// [`Code::UnknownProtocol`] naming the id.
pub fn find(id: &str) -> Result<&'static Protocol, InputError> {
    all().iter().find(|p| p.id == id).ok_or_else(|| {
        let shown: String = id.chars().take(60).collect();
        InputError::new(Code::UnknownProtocol, "protocol", format!("No protocol is called “{shown}”. See the test library for the ids."))
    })
}

/// Reads one protocol from TOML and holds it to [`check`].
///
/// # Errors
/// [`Code::BadJson`] with the parser's or the check's words.
pub fn parse(text: &str) -> Result<Protocol, InputError> {
    static PARTS: LazyLock<toml::Table> = LazyLock::new(|| toml::from_str(SHARED).unwrap_or_default());
    let unreadable = |e: toml::de::Error| InputError::whole(Code::BadJson, e.to_string());
    let mut table: toml::Table = toml::from_str(text).map_err(unreadable)?;
    if let Some(toml::Value::Table(wanted)) = table.remove("shared") {
        for (list, names) in wanted {
            let names = names.as_array().cloned().unwrap_or_default();
            for name in names.iter().filter_map(toml::Value::as_str) {
                let part = PARTS
                    .get(&list)
                    .and_then(|l| l.get(name))
                    .cloned()
                    .ok_or_else(|| InputError::new(Code::BadJson, &list, format!("There is no shared {list} “{name}”.")))?;
                if let Some(own) = table.entry(list.clone()).or_insert_with(|| toml::Value::Array(Vec::new())).as_array_mut() {
                    own.push(part);
                }
            }
        }
    }
    let mut protocol: Protocol = table.try_into().map_err(unreadable)?;
    if protocol.phases.is_empty() && protocol.family() == Family::Attempts {
        protocol.phases.push(Phase {
            id: "work".into(),
            kind: PhaseKind::Work,
            label: protocol.name.clone(),
            seconds: None,
            beats: None,
            clocked: None,
            cue: protocol.summary.clone(),
            cues: Vec::new(),
            prompts: Vec::new(),
        });
    }
    protocol.scoring = protocol.scoring.iter().flat_map(|s| of_sides(&protocol, s)).collect::<Result<_, _>>()?;
    check(&protocol)?;
    Ok(protocol)
}

/// A quantity that is scored for each side, as three: left, right, and their difference, right minus left.
fn of_sides(protocol: &Protocol, scoring: &Scoring) -> Vec<Result<Scoring, InputError>> {
    if !scoring.each_side {
        return vec![Ok(scoring.clone())];
    }
    let quantity = &scoring.quantity;
    let sides = protocol.inputs.iter().map(|i| &i.sides).find(|s| s.len() == 2).cloned().unwrap_or_default();
    let [first, second] = sides.as_slice() else {
        let message = format!("{}: {quantity} is scored for each side, but no input has two", protocol.id);
        return vec![Err(InputError::new(Code::BadJson, "scoring", message))];
    };
    let of = |side: &String| Scoring {
        quantity: format!("{quantity}.{side}"),
        side: Some(side.clone()),
        each_side: false,
        optional: true,
        ..scoring.clone()
    };
    let has_difference = sides.iter().any(|s| s == "left") && sides.iter().any(|s| s == "right");
    let difference = Formula::read(&format!("{quantity}.right - {quantity}.left"))
        .map(|formula| Scoring {
            quantity: format!("{quantity}.difference"),
            formula: Some(formula),
            formula_male: None,
            formula_female: None,
            equation: Equation::Formula,
            each_side: false,
            optional: true,
            in_detail: true,
            ..scoring.clone()
        })
        .map_err(|why| InputError::new(Code::BadJson, "scoring", why));
    let mut scored = vec![Ok(of(first)), Ok(of(second))];
    scored.extend(has_difference.then_some(difference));
    scored
}

/// Holds a protocol together: every name it uses must exist.
///
/// # Errors
/// [`Code::BadJson`] naming the field that does not hold.
pub fn check(protocol: &Protocol) -> Result<(), InputError> {
    let fail = |field: &str, message: String| Err(InputError::new(Code::BadJson, field, format!("{}: {message}", protocol.id)));
    if protocol.sources.is_empty() {
        return fail("sources", "a protocol says where it comes from".into());
    }
    check_size(protocol).map_err(|e| InputError { message: format!("{}: {}", protocol.id, e.message), ..e })?;
    for (k, phase) in protocol.phases.iter().enumerate() {
        let open_end = phase.seconds.is_none() && phase.beats.is_none();
        // The work of a staged test or of a fixed distance ends with an event, not with the clock.
        let ends_by_event = phase.kind == PhaseKind::Work && protocol.family() != Family::CountedRecovery;
        if open_end && !ends_by_event && k + 1 != protocol.phases.len() {
            return fail("phases", format!("only the last phase may be without a length, not {}", phase.id));
        }
        if phase.beats.is_some() && protocol.cadence.is_none() {
            return fail("phases", format!("{} is counted in beats but there is no cadence", phase.id));
        }
    }
    protocol.pictures.iter().try_for_each(crate::picture::Picture::check)?;
    if let Some(input) = protocol.pictures.iter().filter_map(|p| p.input.as_deref()).find(|key| protocol.input(key).is_none()) {
        return fail("pictures", format!("a picture shows {input}, which is no input"));
    }
    let lacks_a_third = |i: &&Input| i.agree_within.is_some_and(|w| w <= 0.0 || i.tries.is_none_or(|t| t < 3));
    if let Some(input) = protocol.inputs.iter().find(lacks_a_third) {
        return Err(InputError::new(Code::BadJson, "inputs", format!("{}: two that must agree need a third try", input.key)));
    }
    if !protocol.procedure.is_whole() {
        return fail("procedure", "the rules of its family are missing".into());
    }
    if let Some(course) = protocol.course() {
        let tallied = course.tally.as_ref().map(|t| &t.input);
        if let Some(key) = course.ask.iter().chain(tallied).find(|key| protocol.input(key).is_none()) {
            return fail("course", format!("{key} is asked for but is no input"));
        }
        if let Some(key) = course.tally.as_ref().and_then(|t| t.rest.as_ref()).filter(|rest| !course.ask.contains(rest)) {
            return fail("course", format!("{key} is the part of the last one but isn't asked for"));
        }
    }
    if let Some(count) = protocol.count() {
        if protocol.input(&count.input).is_none() {
            return fail("count", format!("the count fills {}, which is no input", count.input));
        }
        let window: u32 = protocol.phases.iter().filter(|p| p.kind == PhaseKind::Count).filter_map(|p| p.seconds).sum();
        if window != count.window_s {
            return fail("count", format!("the counting phase lasts {window} s, the window {} s", count.window_s));
        }
    }
    for (k, scoring) in protocol.scoring.iter().enumerate() {
        if scoring.equation == Equation::Formula && scoring.formulas().next().is_none() {
            return fail("scoring", format!("{} has neither formula nor equation", scoring.quantity));
        }
        let exists = |name: &&str| {
            let key = base(name);
            let earlier = || protocol.scoring[..k].iter().any(|s| s.quantity == **name || s.quantity.starts_with(&format!("{name}.")));
            protocol.input(key).is_some() || is_fact(name) || earlier()
        };
        if let Some(name) = scoring.formulas().flat_map(Formula::names).find(|name| !exists(name)) {
            return fail(
                "scoring",
                format!("the formula of {} names {name}, which is neither recorded nor computed before it", scoring.quantity),
            );
        }
    }
    let taken = protocol.legs().iter().flat_map(|leg| leg.take.inputs());
    if let Some(key) = taken.into_iter().find(|key| protocol.input(key).is_none()) {
        return fail("attempts", format!("{key} is taken but is no input"));
    }
    if let Some(rank) =
        protocol.change.iter().filter_map(|c| c.alike_in.as_ref()).find(|rank| !protocol.scoring.iter().any(|s| s.quantity == **rank))
    {
        return fail("change", format!("{rank} ranks a measure but is not computed"));
    }
    for leg in protocol.legs() {
        let is_counted =
            |key: &str| protocol.legs().iter().any(|l| matches!(&l.take, Take::Count { inputs, .. } if inputs.iter().any(|i| i == key)));
        match &leg.take {
            Take::Ladder { stages, .. } if stages.is_empty() => return fail("attempts", format!("{} has no stages", leg.id)),
            Take::Ladder { then: Some(then), .. } if !is_counted(then) => {
                return fail("attempts", format!("{} needs a leg that counts {then}", leg.id));
            }
            Take::Ladder { why: Some(why), .. } if protocol.input(why).is_none() => {
                return fail("attempts", format!("{why} is asked but is no input"));
            }
            Take::Count { inputs, agreed: Some(agreed), .. } | Take::Watch { inputs, agreed: Some(agreed), .. }
                if protocol.condition(&agreed.condition).is_none_or(|c| {
                    let listed = |choice: &String| c.choices.iter().any(|(key, _)| key == choice);
                    agreed.inputs.iter().any(|(choice, input)| !listed(choice) || !inputs.contains(input))
                }) =>
            {
                return fail("attempts", format!("{} is agreed by a choice or an input that isn't there", leg.id));
            }
            Take::Seen { keys, .. } if keys.is_empty() => return fail("attempts", format!("{} looks for nothing", leg.id)),
            _ => {}
        }
    }
    let is_scored = |q: &str| protocol.scoring.iter().any(|s| s.quantity == q || base(&s.quantity) == q);
    for pass in &protocol.pass {
        if !is_scored(&pass.quantity) {
            return fail("pass", format!("it has a mark for {}, which it does not score", pass.quantity));
        }
        if quantity::better(&pass.quantity).is_none() {
            return fail("pass", format!("{} has a mark, but its measure does not say whether more or less is better", pass.quantity));
        }
    }
    let compared = protocol
        .norms
        .iter()
        .map(|n| &n.quantity)
        .chain(protocol.change.iter().flat_map(|c| [Some(&c.quantity), c.alike_in.as_ref()]).flatten());
    if let Some(unscored) = compared.into_iter().find(|q| !is_scored(q)) {
        return fail("scoring", format!("{unscored} is compared, but not scored"));
    }
    for when in protocol.norms.iter().flat_map(|n| &n.when).chain(protocol.pass.iter().flat_map(|p| &p.when)) {
        if protocol.input(&when.input).is_none_or(|i| {
            let unlisted = |choice: &String| !i.choices.iter().any(|(key, _)| key == choice);
            when.is.iter().chain(&when.not).any(unlisted)
        }) {
            return fail("when", format!("{} is no input, or has no such choice", when.input));
        }
    }
    let odd = |i: &&Input| i.usual.is_some_and(|u| u.from >= u.to || u.from < i.min || u.to > i.max);
    if let Some(input) = protocol.inputs.iter().find(odd) {
        return fail("inputs", format!("the usual values of {} do not lie within what it takes", input.key));
    }
    let with = protocol.inputs.iter().filter_map(|i| i.with.as_ref()).chain(protocol.conditions.iter().flat_map(|c| &c.required_with));
    if let Some(key) = protocol.any_of.iter().flatten().chain(with).find(|key| protocol.input(key).is_none()) {
        return fail("inputs", format!("{key} is needed but is no input"));
    }
    let known = |name: &str| {
        let key = base(name);
        protocol.input(key).is_some() || protocol.scoring.iter().any(|s| base(&s.quantity) == key) || is_fact(name)
    };
    for rule in protocol.refuse.iter().chain(&protocol.flags).chain(&protocol.notable) {
        if let Some(name) = rule.value.names().into_iter().find(|name| !known(name)) {
            return fail("rules", format!("{name} is neither recorded nor computed"));
        }
    }
    if protocol.flags.iter().chain(&protocol.notable).any(|r| r.code.is_none()) {
        return fail("flags", "a flag has a code".into());
    }
    for step in &protocol.prepare {
        if step.condition.as_ref().is_some_and(|key| protocol.condition(key).is_none()) {
            return fail("prepare", format!("{} records a condition that is not listed", step.id));
        }
    }
    for used in &protocol.norms {
        if norms::table(&used.table).is_none() {
            return fail("norms", format!("there is no table {}", used.table));
        }
        if !protocol.scoring.iter().any(|s| s.quantity == used.quantity || base(&s.quantity) == used.quantity) {
            return fail("norms", format!("{} is compared but never computed", used.quantity));
        }
    }
    for rule in &protocol.change {
        if rule.reliability.is_some() != rule.source.is_some() {
            return fail("change", format!("the reliability of {} and its source go together", rule.quantity));
        }
    }
    Ok(())
}

/// The longest a protocol's clock runs, s.
const CLOCK_MAX_S: u32 = 4 * 3600;
/// The most beats of one phase.
const BEATS_MAX: u32 = 10_000;
/// The most phases, legs, readings, scores and rules of a protocol, each.
const PARTS_MAX: usize = 120;

/// Holds a protocol to a size that every screen and every fold can work with, whoever wrote it.
fn check_size(protocol: &Protocol) -> Result<(), InputError> {
    let fail = |field: &str, message: String| Err(InputError::new(Code::OutOfRange, field, message));
    let parts = [
        ("phases", protocol.phases.len()),
        ("attempts", protocol.legs().len()),
        ("inputs", protocol.inputs.len()),
        ("scoring", protocol.scoring.len()),
        ("conditions", protocol.conditions.len()),
        (
            "rules",
            protocol.refuse.len()
                + protocol.flags.len()
                + protocol.notable.len()
                + protocol.change.len()
                + protocol.pass.len()
                + protocol.norms.len(),
        ),
        ("pictures", protocol.pictures.len()),
        ("prepare", protocol.prepare.len()),
        ("sources", protocol.sources.len()),
        ("schedule", protocol.schedule().map_or(0, |s| s.levels.len())),
    ];
    if let Some((field, many)) = parts.into_iter().find(|(_, many)| *many > PARTS_MAX) {
        return fail(field, format!("{many} {field}; {PARTS_MAX} is the most"));
    }
    let clock: u64 = protocol.phases.iter().filter_map(|p| p.seconds).map(u64::from).sum();
    if clock > u64::from(CLOCK_MAX_S) || protocol.course().and_then(|c| c.seconds).is_some_and(|s| s > CLOCK_MAX_S) {
        return fail("phases", format!("the clock runs for more than {} hours", CLOCK_MAX_S / 3600));
    }
    if protocol.phases.iter().any(|p| p.beats.is_some_and(|b| b > BEATS_MAX) || p.prompts.len() > PARTS_MAX) {
        return fail("phases", format!("a phase has at most {BEATS_MAX} beats and {PARTS_MAX} prompts"));
    }
    if let Some(rule) = &protocol.cadence {
        for beat in [rule.any, rule.male, rule.female].into_iter().flatten() {
            Cadence::new(beat).map_err(|e| e.at("cadence"))?;
        }
        if !rule.shares.is_empty() && (rule.shares.len() != rule.places.len() || rule.shares.iter().any(|s| !s.is_finite() || *s <= 0.0)) {
            return fail("cadence", "each place of the beat needs its share of the cycle".into());
        }
        if rule.places.len() > PARTS_MAX || rule.swap_lead_at_s.len() > PARTS_MAX {
            return fail("cadence", "the beat has too many places".into());
        }
    }
    for leg in protocol.legs() {
        match &leg.take {
            Take::Starts { every_s, starts, .. } if u64::from(*every_s) * u64::from(*starts) > u64::from(CLOCK_MAX_S) => {
                return fail("attempts", format!("the starts of {} take more than {} hours", leg.id, CLOCK_MAX_S / 3600));
            }
            Take::Ladder { stages, .. } if stages.len() > PARTS_MAX => {
                return fail("attempts", format!("{} has more than {PARTS_MAX} stages", leg.id));
            }
            Take::Count { seconds: Some(s), .. } if *s > CLOCK_MAX_S => {
                return fail("attempts", format!("{} counts for more than {} hours", leg.id, CLOCK_MAX_S / 3600));
            }
            _ => {}
        }
    }
    Ok(())
}

/// Whether a name of a formula is a fact of the person.
fn is_fact(name: &str) -> bool {
    ["mass_kg", "height_cm", "age_years"].contains(&name)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{catalogue::Procedure, person::Sex};

    #[test]
    fn every_file_of_the_catalogue_holds_together() {
        assert_eq!(unreadable(), [""; 0]);
        assert_eq!(all().len(), BUILT_IN.len());
        assert!(all().iter().filter_map(|p| p.opens_after.as_deref()).all(|id| find(id).is_ok()));
        assert!(all().iter().all(|p| sections().iter().any(|s| s.id == p.section)), "every section has a name");
        assert!(all().iter().flat_map(|p| &p.unsuited).filter_map(|u| u.instead.as_deref()).all(|id| find(id).is_ok()));
    }

    #[test]
    fn a_file_that_cannot_be_read_is_named_and_the_others_stand() {
        let (_, text) = BUILT_IN[0];
        let typo = text.replacen("sources", "suorces", 1);
        let (read, wrong) = read_files(&[("plank", text), ("wall-sit", &typo)], parse);
        assert_eq!((read.len(), wrong.len()), (1, 1));
        assert!(wrong[0].starts_with("wall-sit: ") && wrong[0].contains("suorces"), "{wrong:?}");
    }

    #[test]
    fn a_protocol_survives_the_trip_through_json() {
        for protocol in all() {
            let json = serde_json::to_string(protocol).unwrap();
            assert_eq!(&serde_json::from_str::<Protocol>(&json).unwrap(), protocol);
        }
    }

    #[test]
    fn the_beat_follows_the_sex_the_equation_uses() {
        let rule = find("bench-step-3min").unwrap().cadence.as_ref().unwrap();
        assert_eq!((rule.for_sex(Some(Sex::Male)), rule.for_sex(Some(Sex::Female)), rule.for_sex(None)), (Some(96.0), Some(88.0), None));
        assert_eq!(find("low-step-3min").unwrap().cadence.as_ref().unwrap().for_sex(None), Some(96.0));
    }

    #[test]
    fn a_protocol_that_does_not_hold_together_is_refused() {
        let mut protocol = find("bench-step-3min").unwrap().clone();
        protocol.norms[0].table = "no-such-table".into();
        assert!(check(&protocol).unwrap_err().message.contains("no-such-table"));
        let mut protocol = find("bench-step-3min").unwrap().clone();
        let Procedure::CountedRecovery(rule) = &mut protocol.procedure else { panic!("a count") };
        rule.window_s = 30;
        assert!(check(&protocol).unwrap_err().message.contains("the window 30 s"));
        assert_eq!(find("cartwheel").unwrap_err().code, Code::UnknownProtocol);
        let mut protocol = find("bench-step-3min").unwrap().clone();
        protocol.phases[0].seconds = Some(u32::MAX);
        assert!(check(&protocol).unwrap_err().message.contains("more than 4 hours"));
        let mut protocol = find("bench-step-3min").unwrap().clone();
        protocol.cadence.as_mut().unwrap().any = Some(1e12);
        assert_eq!(check(&protocol).unwrap_err().field.as_deref(), Some("cadence"));
    }
}
