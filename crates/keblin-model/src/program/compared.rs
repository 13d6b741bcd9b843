//! What a condition compares its values with: the numbers and texts around which something changes.

use super::{Load, Op, Program, Read};
use crate::value::Value;

/// Something that a condition reads, and a literal that it is compared with.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Compared {
    /// What is read. Facts are those of any level.
    pub read: Read,
    /// The literal; a time is its nanoseconds.
    pub with: Value,
}

/// What is below an operation.
#[derive(Default)]
struct Below {
    loads: Vec<Load>,
    literals: Vec<Value>,
}

impl Program {
    /// Returns everything that is read, with each literal that it is compared with or calculated with.
    #[doc(hidden)]
    #[must_use]
    pub fn compared(&self) -> Vec<Compared> {
        let mut found = Vec::new();
        for (at, op) in (0_u32..).zip(&self.ops) {
            let compares = matches!(
                op,
                Op::Compare(..)
                    | Op::CellWithin(..)
                    | Op::Within(..)
                    | Op::SumWithin(..)
                    | Op::CompareFloats(..)
                    | Op::Has(..)
                    | Op::In(..)
            );
            // What is only calculated is compared elsewhere: a bound that follows it.
            if compares || at == self.last() {
                let mut below = Below::default();
                self.below(at, &mut below);
                for load in &below.loads {
                    for read in self.read_by(*load) {
                        let pair = |with: &Value| Compared { read: read.clone(), with: with.clone() };
                        found.extend(below.literals.iter().map(pair));
                    }
                }
            }
        }
        found.dedup();
        found
    }

    fn below(&self, at: u32, into: &mut Below) {
        let Some(op) = self.ops.get(at as usize) else { return };
        let slice = |start: u32, len: u32| start as usize..(start + len) as usize;
        let mut range = |low: i64, high: i64| {
            let ends = [low, high].into_iter().filter(|end| *end != i64::MIN && *end != i64::MAX);
            into.literals.extend(ends.map(Value::Int));
        };
        match *op {
            Op::Null => {}
            Op::Bool(yes) => into.literals.push(Value::Bool(yes)),
            Op::Int(number) => into.literals.push(Value::Int(number)),
            Op::Float(number) => into.literals.push(Value::Float(number)),
            Op::Text(text) => {
                into.literals.extend(self.texts.get(text as usize).cloned().map(Value::Text));
            }
            Op::List(list) => into.literals.extend(self.wholes.get(list as usize).cloned()),
            Op::Load(load) => into.loads.push(load),
            Op::CellWithin(cell, low, high) => {
                range(low, high);
                into.loads.push(Load::Cell(cell));
            }
            Op::Within(load, low, high) => {
                range(low, high);
                into.loads.push(load);
            }
            Op::SumWithin(start, len, low, high) => {
                range(low, high);
                into.loads.extend(self.sums.get(slice(start, len)).unwrap_or_default());
            }
            Op::Tally(start, len) | Op::Sum(start, len) => {
                into.loads.extend(self.sums.get(slice(start, len)).unwrap_or_default());
            }
            Op::All(start, len) | Op::Any(start, len) => {
                let sides = self.lists.get(slice(start, len)).unwrap_or_default();
                sides.iter().for_each(|side| self.below(*side, into));
            }
            Op::In(what, start, len) => {
                self.below(what, into);
                let items = self.lists.get(slice(start, len)).unwrap_or_default();
                items.iter().for_each(|item| self.below(*item, into));
            }
            Op::Choose(condition, yes, no) => {
                [condition, yes, no].into_iter().for_each(|side| self.below(side, into));
            }
            Op::Not(one) | Op::Negate(one) | Op::NegateFloat(one) | Op::Size(one) | Op::Member(one, _) => {
                self.below(one, into)
            }
            Op::Entry(map, key) => {
                let key = self.wholes.get(key as usize).and_then(Value::as_text);
                into.literals.extend(key.map(Value::text));
                self.below(map, into);
            }
            Op::Both(left, right)
            | Op::Either(left, right)
            | Op::Compare(_, left, right)
            | Op::CompareFloats(_, left, right)
            | Op::Arithmetic(_, left, right)
            | Op::Floats(_, left, right)
            | Op::Least(left, right)
            | Op::Greatest(left, right)
            | Op::LeastFloat(left, right)
            | Op::GreatestFloat(left, right)
            | Op::Has(left, right) => [left, right].into_iter().for_each(|side| self.below(side, into)),
        }
    }

    fn read_by(&self, load: Load) -> Vec<Read> {
        let cell = |cell: u32| Read::Cells(cell as usize..cell as usize + 1);
        match load {
            Load::Cell(one) => vec![cell(one)],
            Load::CellOn { first, apart } => {
                (0..self.difficulties.max(1)).map(|difficulty| cell(first + difficulty * apart)).collect()
            }
            Load::Fact { fact, .. }
            | Load::FactOn { fact, .. }
            | Load::FactAny { fact, .. }
            | Load::Total { fact, .. } => vec![Read::Fact { fact, level: None }],
            Load::Unlocked(unlock) => vec![Read::Unlocked(unlock as usize)],
            Load::Word(word) => vec![Read::Word(word)],
            Load::Played => vec![Read::Played],
        }
    }
}
