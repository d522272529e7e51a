//! How a formula is written down: with names, or with the numbers in it.

use super::{Function, Node, all, chosen, list};
use crate::inputs::Numbers;

/// How tightly a sign binds.
const fn rank(sign: char) -> u8 {
    match sign {
        '+' | '-' => 1,
        '*' | '/' => 2,
        _ => 3,
    }
}

/// A look-up of the values of a name.
type LookUp<'a> = &'a dyn Fn(&str) -> Option<Numbers>;

/// Writes a formula down: with names, or with the values they have.
pub(super) struct Writer<'a> {
    pub(super) name: &'a dyn Fn(&str) -> String,
    pub(super) values: Option<LookUp<'a>>,
}

impl Writer<'_> {
    /// Those of the arguments that have a value, where values are written.
    fn there<'n>(&self, arguments: &'n [Node]) -> Vec<&'n Node> {
        arguments.iter().filter(|a| self.values.is_none_or(|look_up| all(a, look_up).is_ok())).collect()
    }

    fn joined(&self, arguments: &[&Node], sign: &str, within: u8) -> String {
        arguments.iter().map(|a| self.written(a, within)).collect::<Vec<_>>().join(sign)
    }

    pub(super) fn written(&self, node: &Node, within: u8) -> String {
        match node {
            Node::Number(n) => format!("{n}").replace('-', "−"),
            Node::Name(n) => (self.name)(n),
            Node::Negative(inner) => {
                let text = format!("−{}", self.written(inner, 3));
                if within > 2 { format!("({text})") } else { text }
            }
            Node::Binary(sign, a, b) => {
                let rank = rank(*sign);
                let shown = match sign {
                    '*' => " × ".to_owned(),
                    '-' => " − ".to_owned(),
                    '^' => "^".to_owned(),
                    other => format!(" {other} "),
                };
                // a − (b − c): one side of the same rank needs its brackets; for a power it is the left.
                let (left, right) = if *sign == '^' { (rank + 1, rank) } else { (rank, rank + 1) };
                let text = format!("{}{shown}{}", self.written(a, left), self.written(b, right));
                if rank < within { format!("({text})") } else { text }
            }
            Node::Call(function, arguments) => self.call(*function, arguments, within),
        }
    }

    fn call(&self, function: Function, arguments: &[Node], within: u8) -> String {
        match (function, arguments) {
            // Of several that may be given: the first there is, or their sum.
            (Function::First, [Node::Call(Function::Any, several)]) => match (self.values, self.there(several).first()) {
                (Some(_), Some(first)) => self.written(first, within),
                _ => format!("({})", self.joined(&self.there(several), ", or else ", 0)),
            },
            (Function::Sum, [Node::Call(Function::Any, several)]) => {
                let text = self.joined(&self.there(several), " + ", 1);
                if within > 1 { format!("({text})") } else { text }
            }
            (Function::Any, several) => self.joined(&self.there(several), ", ", 0),
            (Function::Where, [values, chosen_by]) => match self.values {
                Some(look_up) => list(&chosen(arguments, look_up).unwrap_or_default()),
                None => format!("{} where {}", self.written(values, 0), self.written(chosen_by, 0)),
            },
            _ => format!("{}({})", function.name(), self.joined(&arguments.iter().collect::<Vec<_>>(), ", ", 0)),
        }
    }
}
