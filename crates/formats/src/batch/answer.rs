//! The answer to a line of the batch: results, standings and flags, or what is wrong.

use impulso_core::{
    InputError,
    catalogue::Protocol,
    norms::{Mean, Range, Standing},
    quantity, range,
    test_record::{Flag, Outcome, Pass},
};
use serde::{
    Serialize,
    ser::{SerializeMap, Serializer},
};
use serde_json::value::RawValue;

pub(super) struct Answer<'a> {
    pub(super) id: Option<&'a RawValue>,
    pub(super) protocol: &'a Protocol,
    pub(super) outcome: &'a Outcome<'a>,
    /// How far VO2max may be off.
    pub(super) range: Option<range::Range>,
}

impl Serialize for Answer<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        #[derive(Serialize)]
        struct Head<'a> {
            id: Option<&'a RawValue>,
            protocol: &'a str,
            results: Results<'a>,
            norms: Norms<'a>,
            flags: &'a [Flag],
        }
        Head {
            id: self.id,
            protocol: &self.protocol.id,
            results: Results(self.protocol, self.outcome, self.range.as_ref()),
            norms: Norms(self.outcome),
            flags: &self.outcome.flags,
        }
        .serialize(serializer)
    }
}

struct Results<'a>(&'a Protocol, &'a Outcome<'a>, Option<&'a range::Range>);

/// What a range is made of: one standard deviation by part, mL/kg/min.
struct Parts<'a>(&'a [range::Part]);

impl Serialize for Parts<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_map(self.0.iter().map(|p| (p.key, p.sd)))
    }
}

impl Serialize for Results<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        #[derive(Serialize)]
        struct Reading {
            value: f64,
            unit: &'static str,
        }
        #[derive(Serialize)]
        struct Estimated<'m> {
            value: f64,
            unit: &'static str,
            method: &'m str,
            see: Option<f64>,
            #[serde(skip_serializing_if = "Option::is_none")]
            range95: Option<[f64; 2]>,
            #[serde(skip_serializing_if = "Option::is_none")]
            range_parts: Option<Parts<'m>>,
        }
        let mut map = serializer.serialize_map(Some(self.1.results.len()))?;
        // Results stand in the order of the scoring, some of it left out.
        let mut scored = self.0.scoring.iter();
        for (quantity, estimate) in &self.1.results {
            let (value, unit) = (estimate.value, quantity::unit(quantity));
            match scored.find(|s| s.quantity == *quantity).filter(|s| s.is_estimate_by(estimate.equation)) {
                Some(by) => {
                    let method = by.method_by(estimate.equation);
                    let range = self.2.filter(|_| *quantity == range::QUANTITY);
                    let (range95, range_parts) = (range.map(|r| [r.low, r.high]), range.map(|r| Parts(&r.parts)));
                    map.serialize_entry(quantity, &Estimated { value, unit, method, see: estimate.see, range95, range_parts })?;
                }
                None => map.serialize_entry(quantity, &Reading { value, unit })?,
            }
        }
        map.end()
    }
}

struct Norms<'a>(&'a Outcome<'a>);

impl Serialize for Norms<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let standings = &self.0.norms;
        let mut map = serializer.serialize_map(None)?;
        for (k, (quantity, _)) in standings.iter().enumerate() {
            if standings[..k].iter().any(|(earlier, _)| earlier == quantity) {
                continue;
            }
            let pass = self.0.passes.iter().find(|(q, _)| q == quantity).map(|(_, p)| *p);
            let stands = standings.iter().filter(|(q, _)| q == quantity);
            let of_quantity: Vec<Stand> = stands.map(|(_, s)| Stand { pass, ..Stand::from(s) }).collect();
            match of_quantity.as_slice() {
                [one] => map.serialize_entry(quantity, one)?,
                several => map.serialize_entry(quantity, several)?,
            }
        }
        // A mark of a quantity without a table.
        for (quantity, pass) in self.0.passes.iter().filter(|(q, _)| !standings.iter().any(|(other, _)| other == q)) {
            map.serialize_entry(quantity, &Stand { pass: Some(*pass), ..Stand::default() })?;
        }
        map.end()
    }
}

#[derive(Default, Serialize)]
struct Stand<'a> {
    table: Option<&'static str>,
    percentile: Option<Percentile>,
    bound: Option<String>,
    category: Option<&'a str>,
    population: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    mean: Option<Mean>,
    #[serde(skip_serializing_if = "Option::is_none")]
    range: Option<Range>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pass: Option<Pass>,
}

/// A percentile: whole where it is whole, as the tables print it.
struct Percentile(f64);

impl Serialize for Percentile {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        if self.0.fract() == 0.0 { serializer.serialize_u32(self.0 as u32) } else { serializer.serialize_f64(self.0) }
    }
}

impl<'a> From<&'a Standing> for Stand<'a> {
    fn from(standing: &'a Standing) -> Self {
        Self {
            table: Some(standing.table.id),
            percentile: standing.percentile.map(Percentile),
            bound: standing.bound.map(|b| b.to_string()),
            category: standing.category.as_deref(),
            population: Some(&standing.table.population),
            mean: standing.mean,
            range: standing.range,
            pass: None,
        }
    }
}

#[derive(Serialize)]
pub(super) struct Failure<'a, P> {
    pub(super) id: Option<&'a RawValue>,
    pub(super) protocol: Option<P>,
    pub(super) error: &'a InputError,
}
