//! Formulas as data: arithmetic over a test's readings, written in the protocol as it stands in the publication.
//!
//! `touch_cm` is a reading, or a list of them where there were several tries; `max(touch_cm) - reach_cm` is a jump. A formula
//! is read and checked once, with the protocol; what it names must exist, and a reading that is missing is an error, never
//! 0. Value, working and method page come from the same formula. A type of our own and not a crate: it has to know lists of
//! tries, name what is missing, and print itself with the numbers in it.

mod read;
mod write;

use std::fmt;

use serde::{Deserialize, Serialize};

use self::{read::Reader, write::Writer};
use crate::{inputs::Numbers, units::rounded};

/// The longest formula, bytes. The longest of the catalogue has a tenth of it.
pub const LENGTH_MAX: usize = 2_000;
/// The most numbers, names, signs and functions of a formula.
pub const NODES_MAX: usize = 200;
/// The most steps from the whole formula down to a number or a name. Reading one step takes four calls; a thread of the server
/// has room for thousands.
pub const DEPTH_MAX: usize = 32;

/// A formula, read.
#[derive(Debug, Clone, PartialEq)]
pub struct Formula {
    text: String,
    root: Node,
}

#[derive(Debug, Clone, PartialEq)]
enum Node {
    Number(f64),
    Name(String),
    Negative(Box<Node>),
    Binary(char, Box<Node>, Box<Node>),
    Call(Function, Vec<Node>),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Function {
    Max,
    Min,
    Sum,
    Mean,
    Last,
    /// The mean of the two that lie closest; the only one where there is one.
    Agreed,
    Log10,
    Sqrt,
    Round,
    Count,
    /// The first value that is there.
    First,
    /// Every value that is there; a name without one is passed over.
    Any,
    /// Those of the first list at which the second says yes.
    Where,
}

impl Function {
    const ALL: [(&'static str, Self); 13] = [
        ("max", Self::Max),
        ("min", Self::Min),
        ("sum", Self::Sum),
        ("mean", Self::Mean),
        ("last", Self::Last),
        ("agreed", Self::Agreed),
        ("log10", Self::Log10),
        ("sqrt", Self::Sqrt),
        ("round", Self::Round),
        ("count", Self::Count),
        ("first", Self::First),
        ("any", Self::Any),
        ("where", Self::Where),
    ];

    fn named(name: &str) -> Option<Self> {
        Self::ALL.iter().find(|(n, _)| *n == name).map(|(_, f)| *f)
    }

    fn name(self) -> &'static str {
        Self::ALL.iter().find(|(_, f)| *f == self).map_or("", |(n, _)| n)
    }

    /// The value of all arguments together; nothing where there is none.
    fn of(self, all: &[f64]) -> Option<f64> {
        let first = all.first().copied()?;
        Some(match self {
            Self::Max => all.iter().copied().fold(first, f64::max),
            Self::Min => all.iter().copied().fold(first, f64::min),
            Self::Sum => all.iter().sum(),
            Self::Mean => all.iter().sum::<f64>() / all.len() as f64,
            Self::Last => all.last().copied()?,
            Self::Agreed => closest(all).map_or(first, |(a, b)| f64::midpoint(a, b)),
            Self::Log10 => libm::log10(first),
            Self::Sqrt => first.sqrt(),
            // A half goes up.
            Self::Round => (first + 0.5).floor(),
            Self::Count => all.len() as f64,
            Self::First | Self::Any | Self::Where => first,
        })
    }
}

/// The two values that lie closest to each other; the earlier ones where several do.
fn closest(all: &[f64]) -> Option<(f64, f64)> {
    let pairs = all.iter().enumerate().flat_map(|(k, a)| all[k + 1..].iter().map(move |b| (*a, *b)));
    pairs.min_by(|(a, b), (c, d)| (a - b).abs().total_cmp(&(c - d).abs()))
}

/// Why a formula gives nothing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Unknown {
    /// A name has no value.
    Missing(String),
    /// The arithmetic has none, such as a division by nothing or the logarithm of a negative number.
    Undefined,
}

impl Formula {
    /// Reads a formula. One that is longer or deeper than [`LENGTH_MAX`], [`NODES_MAX`] and [`DEPTH_MAX`] allow is refused before it
    /// is read further: whatever walks a formula walks it by recursion.
    ///
    /// # Errors
    /// In words, with where it goes wrong.
    pub fn read(text: &str) -> Result<Self, String> {
        if text.len() > LENGTH_MAX {
            return Err(format!("this formula has {} characters; {LENGTH_MAX} is the most", text.len()));
        }
        let mut reader = Reader { text, at: 0, depth: 0, nodes: 0 };
        let root = reader.sum()?;
        reader.space();
        if reader.at < text.len() {
            return Err(format!("“{text}”: nothing is expected at “{}”", &text[reader.at..]));
        }
        Ok(Self { text: text.to_owned(), root })
    }

    /// Every name in it, in order.
    pub fn names(&self) -> Vec<&str> {
        fn walk<'n>(node: &'n Node, found: &mut Vec<&'n str>) {
            match node {
                Node::Number(_) => {}
                Node::Name(name) => found.push(name),
                Node::Negative(inner) => walk(inner, found),
                Node::Binary(_, a, b) => {
                    walk(a, found);
                    walk(b, found);
                }
                Node::Call(_, all) => all.iter().for_each(|n| walk(n, found)),
            }
        }
        let mut found = Vec::new();
        walk(&self.root, &mut found);
        found
    }

    /// Its value. `look_up` gives the values of a name: one, or one for each try; a try that did not count is no number.
    ///
    /// # Errors
    /// [`Unknown`].
    pub fn value(&self, look_up: &dyn Fn(&str) -> Option<Numbers>) -> Result<f64, Unknown> {
        let value = one(&self.root, look_up)?;
        if value.is_finite() { Ok(value) } else { Err(Unknown::Undefined) }
    }

    /// The formula with the numbers in it; what was not taken and is not needed is left out.
    pub fn filled(&self, look_up: &dyn Fn(&str) -> Option<Numbers>) -> String {
        let name = |name: &str| look_up(name).map_or_else(|| "?".to_owned(), |values| list(&values));
        Writer { name: &name, values: Some(look_up) }.written(&self.root, 0)
    }

    /// The formula in signs as they are printed, each name as `name` says it.
    pub fn printed(&self, name: &dyn Fn(&str) -> String) -> String {
        Writer { name, values: None }.written(&self.root, 0)
    }
}

/// Values as they are written in a formula.
fn list(values: &[f64]) -> String {
    values.iter().map(|v| if v.is_nan() { "–".to_owned() } else { rounded(*v, 2) }).collect::<Vec<_>>().join(", ")
}

impl fmt::Display for Formula {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

impl Serialize for Formula {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.text)
    }
}

impl<'de> Deserialize<'de> for Formula {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        Self::read(&text).map_err(serde::de::Error::custom)
    }
}

fn all(node: &Node, look_up: &dyn Fn(&str) -> Option<Numbers>) -> Result<Vec<f64>, Unknown> {
    match node {
        Node::Name(name) => {
            let counted: Vec<f64> = look_up(name).unwrap_or_default().iter().copied().filter(|v| !v.is_nan()).collect();
            if counted.is_empty() { Err(Unknown::Missing(name.clone())) } else { Ok(counted) }
        }
        Node::Call(Function::Any, arguments) => any(arguments, look_up),
        Node::Call(Function::Where, arguments) => chosen(arguments, look_up),
        other => Ok(vec![one(other, look_up)?]),
    }
}

/// The values of all arguments that have some.
fn any(arguments: &[Node], look_up: &dyn Fn(&str) -> Option<Numbers>) -> Result<Vec<f64>, Unknown> {
    let mut found = Vec::new();
    let mut missing = None;
    for argument in arguments {
        match all(argument, look_up) {
            Ok(values) => found.extend(values),
            Err(Unknown::Missing(name)) => missing = missing.or(Some(name)),
            Err(undefined) => return Err(undefined),
        }
    }
    match missing {
        Some(name) if found.is_empty() => Err(Unknown::Missing(name)),
        _ => Ok(found),
    }
}

/// The values of the first list at which the second says yes; there may be none.
fn chosen(arguments: &[Node], look_up: &dyn Fn(&str) -> Option<Numbers>) -> Result<Vec<f64>, Unknown> {
    let listed = |k: usize| match arguments.get(k) {
        Some(Node::Name(name)) => look_up(name).ok_or_else(|| Unknown::Missing(name.clone())),
        _ => Err(Unknown::Undefined),
    };
    Ok(listed(0)?.iter().zip(listed(1)?.iter()).filter(|(value, yes)| **yes > 0.0 && !value.is_nan()).map(|(value, _)| *value).collect())
}

fn one(node: &Node, look_up: &dyn Fn(&str) -> Option<Numbers>) -> Result<f64, Unknown> {
    Ok(match node {
        Node::Number(n) => *n,
        // A list without a function around it: the last of it, as when a lone number was typed again.
        Node::Name(name) => {
            let values = look_up(name).unwrap_or_default();
            values.iter().rev().copied().find(|v| !v.is_nan()).ok_or_else(|| Unknown::Missing(name.clone()))?
        }
        Node::Negative(inner) => -one(inner, look_up)?,
        Node::Binary(sign, a, b) => {
            let (a, b) = (one(a, look_up)?, one(b, look_up)?);
            match sign {
                '+' => a + b,
                '-' => a - b,
                '*' => a * b,
                '/' => a / b,
                _ => libm::pow(a, b),
            }
        }
        Node::Call(Function::Any | Function::Where, _) => Function::First.of(&all(node, look_up)?).ok_or(Unknown::Undefined)?,
        Node::Call(function, arguments) => {
            let mut values = Vec::new();
            for argument in arguments {
                values.extend(all(argument, look_up)?);
            }
            function.of(&values).ok_or(Unknown::Undefined)?
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use test_case::test_case;

    fn known(name: &str) -> Option<Numbers> {
        Some(Numbers::Many(match name {
            "touch_cm" => vec![281.0, 284.5, 283.0],
            "reach_cm" => vec![230.0],
            "a" => vec![7.0],
            "b" => vec![2.0],
            "nothing" => vec![0.0],
            "made" => vec![1.0, 0.0, 1.0],
            "struck" => vec![f64::NAN, 4.0],
            "missed" => vec![0.0, 0.0, 0.0],
            _ => return None,
        }))
    }

    #[test_case("max(touch_cm) - reach_cm", 54.5; "a jump")]
    #[test_case("a - b - 1", 4.0; "from the left")]
    #[test_case("2 ^ 3 ^ 2", 512.0; "powers from the right")]
    #[test_case("-a + b * (a - 3)", 1.0; "signs and brackets")]
    #[test_case("mean(touch_cm) * 0 + min(touch_cm, 5)", 5.0; "lists and numbers together")]
    #[test_case("sum(any(a, gone, b))", 9.0; "those that are there")]
    #[test_case("first(any(gone, 43))", 43.0; "a value where none was given")]
    #[test_case("max(where(touch_cm, made))", 283.0; "those that were made")]
    #[test_case("count(touch_cm) + round(a / b)", 7.0; "how many, and a half goes up")]
    #[test_case("log10(100) + sqrt(9) + sum(a, b) + last(touch_cm)", 297.0; "functions")]
    fn values(text: &str, value: f64) {
        assert!((Formula::read(text).unwrap().value(&known).unwrap() - value).abs() < 1e-12);
    }

    #[test]
    fn what_is_missing_is_named_and_never_nothing() {
        let value = |text: &str| Formula::read(text).unwrap().value(&known);
        assert_eq!(value("a + gone"), Err(Unknown::Missing("gone".into())));
        assert_eq!(value("a / nothing"), Err(Unknown::Undefined));
        assert_eq!(value("sum(any(gone, lost))"), Err(Unknown::Missing("gone".into())));
        assert_eq!(value("max(where(touch_cm, missed))"), Err(Unknown::Undefined));
        assert_eq!(value("mean(struck)"), Ok(4.0));
        assert_eq!(value("log10(0 - a)"), Err(Unknown::Undefined));
    }

    #[test_case("a +"; "half a sum")]
    #[test_case("(a"; "an open bracket")]
    #[test_case("a b"; "two names")]
    #[test_case("most(a)"; "no such function")]
    #[test_case("1.2.3"; "no number")]
    #[test_case(""; "nothing at all")]
    fn refused(text: &str) {
        assert!(!Formula::read(text).unwrap_err().is_empty());
    }

    #[test]
    fn it_prints_itself_with_and_without_the_numbers() {
        let formula = Formula::read("a * (b - (a - 1)) / 2").unwrap();
        assert_eq!(formula.printed(&|n| n.to_uppercase()), "A × (B − (A − 1)) / 2");
        assert_eq!(Formula::read("max(touch_cm) - reach_cm").unwrap().filled(&known), "max(281, 284.5, 283) − 230");
        assert_eq!(formula.names(), ["a", "b", "a"]);
        for (text, printed, filled) in [
            ("sum(any(a, gone, b)) * 2", "(A + GONE + B) × 2", "(7 + 2) × 2"),
            ("first(any(gone, 43)) / 2", "(GONE, or else 43) / 2", "43 / 2"),
            ("max(where(touch_cm, made))", "max(TOUCH_CM where MADE)", "max(281, 283)"),
        ] {
            let formula = Formula::read(text).unwrap();
            assert_eq!((formula.printed(&|n| n.to_uppercase()).as_str(), formula.filled(&known).as_str()), (printed, filled));
        }
    }

    /// Whether a formula is read; where it is, everything that walks one walks it. On a stack that is small.
    fn is_walked_on_a_small_stack(text: String) -> bool {
        let walk = move || {
            let Ok(formula) = Formula::read(&text) else { return false };
            let _ =
                (formula.value(&known), formula.filled(&known), formula.printed(&str::to_owned), formula.names().len(), formula.clone());
            true
        };
        std::thread::Builder::new().stack_size(256 * 1024).spawn(walk).unwrap().join().unwrap()
    }

    #[test_case("(".repeat(5_000) + "a" + &")".repeat(5_000); "brackets")]
    #[test_case("-".repeat(20_000) + "a"; "signs before a name")]
    #[test_case("a^".repeat(20_000) + "a"; "powers")]
    #[test_case("a+".repeat(20_000) + "a"; "a long sum")]
    #[test_case("max(".repeat(3_000) + "a" + &")".repeat(3_000); "functions")]
    #[test_case("(".repeat(DEPTH_MAX + 1) + "a" + &")".repeat(DEPTH_MAX + 1); "one bracket too many")]
    fn what_would_exhaust_the_stack_is_refused(text: String) {
        assert!(!is_walked_on_a_small_stack(text));
    }

    #[test]
    fn a_formula_as_deep_as_is_allowed_is_walked_on_a_small_stack() {
        assert!(is_walked_on_a_small_stack("(".repeat(DEPTH_MAX) + "a" + &")".repeat(DEPTH_MAX)));
        assert!(is_walked_on_a_small_stack("-".repeat(DEPTH_MAX) + "a"));
        assert!(is_walked_on_a_small_stack("a+".repeat(DEPTH_MAX) + "a"));
    }

    proptest! {
        #[test]
        fn no_formula_exhausts_a_small_stack(
            parts in proptest::collection::vec(("[-(^+*/a,]{1,3}|max\\(|where\\(|any\\(", 1_usize..400), 1..6)
        ) {
            let text: String = parts.iter().map(|(part, times)| part.repeat(*times)).collect();
            let closed = text.clone() + "a" + &")".repeat(text.matches('(').count());
            is_walked_on_a_small_stack(text);
            is_walked_on_a_small_stack(closed);
        }

        #[test]
        fn what_is_printed_reads_as_the_same(text in "[ab0-9+*/() -]{1,24}") {
            if let Ok(formula) = Formula::read(&text) {
                let printed = formula.printed(&str::to_owned).replace('×', "*").replace('−', "-");
                let again = Formula::read(&printed).unwrap();
                prop_assert_eq!(again.value(&known), formula.value(&known), "{} {}", text, printed);
            }
        }
    }
}
