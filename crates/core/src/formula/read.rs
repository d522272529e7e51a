//! How a formula is read: sums of products of powers.

use super::{DEPTH_MAX, Function, NODES_MAX, Node};

pub(super) struct Reader<'t> {
    pub(super) text: &'t str,
    pub(super) at: usize,
    /// How many brackets and signs are open where it reads.
    pub(super) depth: usize,
    pub(super) nodes: usize,
}

impl Reader<'_> {
    pub(super) fn space(&mut self) {
        while self.text[self.at..].starts_with(' ') {
            self.at += 1;
        }
    }

    fn take(&mut self, signs: &[char]) -> Option<char> {
        self.space();
        let next = self.text[self.at..].chars().next().filter(|c| signs.contains(c))?;
        self.at += next.len_utf8();
        Some(next)
    }

    fn run(&mut self, fits: impl Fn(char) -> bool) -> &str {
        let begin = self.at;
        self.at += self.text[begin..].chars().take_while(|c| fits(*c)).map(char::len_utf8).sum::<usize>();
        &self.text[begin..self.at]
    }

    /// Counts one more number, name, sign or function.
    fn count(&mut self) -> Result<(), String> {
        self.nodes += 1;
        if self.nodes > NODES_MAX {
            return Err(format!("this formula has more than {NODES_MAX} numbers, names and signs"));
        }
        Ok(())
    }

    /// Reads what stands one step further in.
    fn deeper(&mut self, read: fn(&mut Self) -> Result<Node, String>) -> Result<Node, String> {
        self.depth += 1;
        if self.depth > DEPTH_MAX {
            return Err(format!("this formula is nested more than {DEPTH_MAX} deep"));
        }
        let inner = read(self)?;
        self.depth -= 1;
        Ok(inner)
    }

    /// A chain such as `a + b + c`: each sign puts what came before it one step further in.
    fn chain(&mut self, signs: &[char], read: fn(&mut Self) -> Result<Node, String>) -> Result<Node, String> {
        let mut left = read(self)?;
        let mut depth = self.depth;
        while let Some(sign) = self.take(signs) {
            self.count()?;
            depth += 1;
            if depth > DEPTH_MAX {
                return Err(format!("this formula has more than {DEPTH_MAX} signs in a row"));
            }
            left = Node::Binary(sign, Box::new(left), Box::new(read(self)?));
        }
        Ok(left)
    }

    pub(super) fn sum(&mut self) -> Result<Node, String> {
        self.chain(&['+', '-'], Self::product)
    }

    fn product(&mut self) -> Result<Node, String> {
        self.chain(&['*', '/'], Self::power)
    }

    fn power(&mut self) -> Result<Node, String> {
        if self.take(&['-']).is_some() {
            self.count()?;
            return Ok(Node::Negative(Box::new(self.deeper(Self::power)?)));
        }
        let base = self.part()?;
        match self.take(&['^']) {
            Some(sign) => {
                self.count()?;
                Ok(Node::Binary(sign, Box::new(base), Box::new(self.deeper(Self::power)?)))
            }
            None => Ok(base),
        }
    }

    fn part(&mut self) -> Result<Node, String> {
        if self.take(&['(']).is_some() {
            let inner = self.deeper(Self::sum)?;
            return self.closed().map(|()| inner);
        }
        self.count()?;
        self.space();
        let digits = self.run(|c| c.is_ascii_digit() || c == '.').to_owned();
        if !digits.is_empty() {
            return digits.parse().map(Node::Number).map_err(|_| format!("“{digits}” is no number"));
        }
        let name = self.run(|c| c.is_ascii_alphanumeric() || matches!(c, '_' | '.')).to_owned();
        if name.is_empty() {
            return Err(format!("“{}”: a number, a name or a bracket is expected at {}", self.text, self.at + 1));
        }
        if self.take(&['(']).is_none() {
            return Ok(Node::Name(name));
        }
        let function = Function::named(&name).ok_or_else(|| format!("there is no function “{name}”"))?;
        let mut arguments = vec![self.deeper(Self::sum)?];
        while self.take(&[',']).is_some() {
            arguments.push(self.deeper(Self::sum)?);
        }
        self.closed().map(|()| Node::Call(function, arguments))
    }

    fn closed(&mut self) -> Result<(), String> {
        self.take(&[')']).map(|_| ()).ok_or_else(|| format!("“{}”: a bracket is not closed", self.text))
    }
}
