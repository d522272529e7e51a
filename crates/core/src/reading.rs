//! What was read, in words: every reading of a test with its name, as a page shows it.

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::{Input, InputKind, Protocol, Signs},
    conditions::Conditions,
    inputs::{Inputs, StageInput, Value},
    quantity, text,
    units::{Units, rounded},
};

/// A reading as it is shown.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ReadingLine {
    /// What was read.
    pub label: String,
    /// What it was, with its unit, sides and tries.
    pub value: String,
}

/// Every reading of a test, in the order of the protocol; then its stages, and how long its recording is.
pub fn lines(protocol: &Protocol, conditions: &Conditions, inputs: &Inputs, units: Units) -> Vec<ReadingLine> {
    let read = |input: &Input| {
        let given = inputs.value(&input.key)?;
        let stage = given.number().and_then(|n| Some(format!("{n}, {}", protocol.stage_words(&input.key, n)?)));
        let value = stage.unwrap_or_else(|| written(input, conditions, given, units));
        Some(ReadingLine { label: input.label.clone(), value }).filter(|line| !line.value.is_empty())
    };
    let mut lines: Vec<ReadingLine> = protocol.inputs.iter().filter(|i| !i.inverse).filter_map(read).collect();
    lines.extend(inputs.stages.iter().enumerate().map(|(n, stage)| stage_line(n + 1, stage)));
    if let Some(last) = inputs.series.last() {
        let value = format!("{} samples, {}", inputs.series.len(), quantity::minutes(last.time_s));
        lines.push(ReadingLine { label: "Recording".into(), value });
    }
    lines
}

/// What was seen and is no number: where it gave way, which side. Not what set-up asked.
pub fn seen(protocol: &Protocol, inputs: &Inputs, units: Units) -> Vec<ReadingLine> {
    let is_seen = |i: &&Input| matches!(i.kind, InputKind::Choice | InputKind::Words) && protocol.condition(&i.key).is_none();
    let line =
        |i: &Input| Some(ReadingLine { label: i.label.clone(), value: written(i, &Conditions::new(), inputs.value(&i.key)?, units) });
    protocol.inputs.iter().filter(is_seen).filter_map(line).filter(|l| !l.value.is_empty()).collect()
}

/// A measure of a test in the client's units, with which side of its zero it lies on where that has a name under these conditions, as
/// `gap 6.5 cm` or `short of the wall 7.0 cm`.
pub fn signed(protocol: &Protocol, conditions: &Conditions, key: &str, value: f64, units: Units) -> String {
    on_its_side(protocol, conditions, key, value, &|v| quantity::said(key, v, units))
}

/// The same without the unit.
pub fn shown(protocol: &Protocol, conditions: &Conditions, key: &str, value: f64, units: Units) -> String {
    on_its_side(protocol, conditions, key, value, &|v| quantity::shown_in(key, v, units))
}

fn on_its_side(protocol: &Protocol, conditions: &Conditions, key: &str, value: f64, with: &dyn Fn(f64) -> String) -> String {
    on_side(signs(protocol, conditions, key), value, with)
}

/// What lies on either side of the zero of a measure, where that has words under these conditions.
pub fn signs<'p>(protocol: &'p Protocol, conditions: &Conditions, key: &str) -> Option<&'p Signs> {
    let is_side = |side: &str| side != "difference";
    let of = |i: &&Input| i.key == quantity::base(key) && quantity::side(key).is_none_or(is_side);
    protocol.inputs.iter().find(of).and_then(|i| i.signs.as_ref()).filter(|s| s.when.as_ref().is_none_or(|w| w.holds(conditions)))
}

/// A value with the word of its side, where there is one.
pub fn on_side(signs: Option<&Signs>, value: f64, with: &dyn Fn(f64) -> String) -> String {
    match signs.and_then(|s| s.side_of(value)) {
        Some(side) => format!("{side} {}", with(value.abs()).trim_start_matches('+')),
        None => with(value),
    }
}

/// The same, that of a ladder with what its stage is.
pub fn said(protocol: &Protocol, conditions: &Conditions, key: &str, value: f64, units: Units) -> String {
    let said = signed(protocol, conditions, key, value, units);
    protocol.stage_words(key, value).map_or_else(|| said.clone(), |words| format!("{said}, {words}"))
}

fn stage_line(n: usize, stage: &StageInput) -> ReadingLine {
    let rates: Vec<String> = stage.readings.iter().map(|(minute, bpm)| format!("minute {minute} {bpm} bpm")).collect();
    ReadingLine { label: format!("Stage {n}, {} kgm/min", stage.load_kgm_min), value: rates.join(", ") }
}

fn written(input: &Input, conditions: &Conditions, value: &Value, units: Units) -> String {
    match value {
        Value::Number(n) if input.kind == InputKind::YesNo => yes(*n != 0.0),
        Value::Number(n) => number(input, conditions, *n, units),
        Value::Yes(is) => yes(*is),
        Value::Words(words) => choice(input, words),
        Value::Points(points) => {
            let missed: Vec<&str> =
                input.points.iter().filter(|(key, _)| points.get(key) == Some(&false)).map(|(_, words)| words.as_str()).collect();
            let met = points.values().filter(|met| **met).count();
            let of = format!("{met} of {}", points.len());
            if missed.is_empty() { of } else { format!("{of}; not met: {}", missed.join("; ")) }
        }
        Value::Tries(tries) => {
            let tries: Vec<String> =
                tries.iter().map(|t| t.map_or_else(|| "crossed out".into(), |n| number(input, conditions, n, units))).collect();
            tries.join(", ")
        }
        Value::Marks(marks) => marks.iter().map(|m| yes(*m)).collect::<Vec<_>>().join(", "),
        Value::Sides(sides) => {
            // In the order in which they are done.
            let order = input.sides.iter().filter_map(|side| Some((side, sides.get(side)?)));
            let sides: Vec<String> =
                order.map(|(side, v)| format!("{} {}", text::small(side), written(input, conditions, v, units))).collect();
            sides.join("; ")
        }
    }
}

fn yes(is: bool) -> String {
    if is { "yes" } else { "no" }.to_owned()
}

fn choice(input: &Input, key: &str) -> String {
    input.choices.iter().find(|(k, _)| k == key).map_or(key, |(_, words)| words).to_owned()
}

fn number(input: &Input, conditions: &Conditions, n: f64, units: Units) -> String {
    if input.unit == "s" && n.abs() >= 60.0 {
        return quantity::minutes(n);
    }
    let (n, unit) = quantity::as_typed(n, &input.unit, units);
    if let Some(side) = input.signs_under(conditions).and_then(|s| s.side_of(n)) {
        return format!("{side} {} {unit}", rounded(n.abs(), 2)).trim_end().to_owned();
    }
    quantity::beside(&rounded(n, 2), unit)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::catalogue;

    fn said(id: &str, inputs: serde_json::Value, units: Units) -> Vec<(String, String)> {
        let protocol = catalogue::find(id).unwrap();
        lines(protocol, &Conditions::new(), &serde_json::from_value(inputs).unwrap(), units)
            .into_iter()
            .map(|l| (l.label, l.value))
            .collect()
    }

    #[test]
    fn sides_and_tries_stand_in_the_order_they_were_done() {
        let read = said("straight-leg-raise", serde_json::json!({ "degrees": { "right": 74, "left": 68 } }), Units::Metric);
        assert!(read.iter().any(|(_, v)| v == "right 74°; left 68°"), "{read:?}");
    }

    #[test]
    fn a_tape_is_read_in_the_units_of_the_client() {
        let inputs = serde_json::json!({ "waist_cm": [91.44, 92.71] });
        let inches = said("body", inputs.clone(), Units::Imperial);
        assert!(inches.iter().any(|(_, v)| v == "36 in, 36.5 in"), "{inches:?}");
        assert!(said("body", inputs, Units::Metric).iter().any(|(_, v)| v == "91.44 cm, 92.71 cm"));
    }

    #[test]
    fn a_stage_names_its_load_and_its_heart_rates() {
        let read =
            said("multistage-cycle", serde_json::json!({ "stages": [{ "load_kgm_min": 300, "hr_2": 112, "hr_3": 115 }] }), Units::Metric);
        assert_eq!(read.last().unwrap(), &("Stage 1, 300 kgm/min".to_owned(), "minute 2 112 bpm, minute 3 115 bpm".to_owned()));
    }

    #[test]
    fn a_measure_says_its_side_of_zero_and_a_stage_what_it_is() {
        let reach = catalogue::find("shoulder-reach").unwrap();
        assert_eq!(super::said(reach, &Conditions::new(), "gap_cm.right", -6.5, Units::Metric), "gap 6.5 cm");
        assert_eq!(super::said(reach, &Conditions::new(), "gap_cm.left", 2.54, Units::Imperial), "overlap 1 in");
        assert_eq!(super::said(reach, &Conditions::new(), "gap_cm.left", 0.0, Units::Metric), "0.0 cm");
        assert!(
            !super::said(reach, &Conditions::new(), "gap_cm.difference", -7.5, Units::Metric).contains("gap"),
            "how far two sides lie apart is no gap"
        );
        let sit = catalogue::find("sit-reach").unwrap();
        let against = |variant: &str| Conditions::from([("variant".to_owned(), crate::conditions::Answer::Text(variant.into()))]);
        assert_eq!(super::said(sit, &against("wall_gap"), "distance_cm", -7.0, Units::Metric), "short of the wall 7.0 cm");
        assert_eq!(super::shown(sit, &against("wall_gap"), "distance_cm", -7.0, Units::Imperial), "short of the wall 2.8");
        assert_eq!(super::said(sit, &against("box"), "distance_cm", -7.0, Units::Metric), "−7.0 cm");
        let ladder = catalogue::find("push-up-hand-ladder").unwrap();
        assert_eq!(super::said(ladder, &Conditions::new(), "position", 4.0, Units::Metric), "4, hands level with the ears");
        assert_eq!(
            (super::said(ladder, &Conditions::new(), "position", 0.0, Units::Metric).as_str(), ladder.stage_words("position", 8.0)),
            ("0", None)
        );
    }
}
