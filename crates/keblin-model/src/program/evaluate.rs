//! Evaluation of a program on what was played. It reads values through [`Facts`], allocates nothing, and always ends:
//! the language does not have loops, and its depth is limited.
//!
//! A value known to be a number or a bool is passed as such, with `None` for an error; only what can be unset or text
//! is passed as a [`Val`].

use super::{Arithmetic, Comparison, Fact, Facts, Load, On, Op, Program, Val};
use crate::value::{Float, Value};

/// What is inside a value: a member, an entry, an item.
mod inside;

pub(super) struct Evaluation<'a, F> {
    program: &'a Program,
    facts: &'a F,
    difficulty: usize,
    /// The current difficulty.
    in_question: usize,
}

impl<'a, F: Facts> Evaluation<'a, F> {
    #[inline]
    pub(super) fn new(program: &'a Program, facts: &'a F, difficulty: usize) -> Evaluation<'a, F> {
        let in_question = difficulty.min((program.difficulties as usize).saturating_sub(1));
        Evaluation { program, facts, difficulty, in_question }
    }

    #[inline]
    fn op(&self, at: u32) -> &'a Op {
        self.program.ops.get(at as usize).unwrap_or(&Op::Null)
    }

    /// A value of any type.
    pub(super) fn value(&self, at: u32) -> Val<'a> {
        match *self.op(at) {
            Op::Null => Val::Null,
            Op::Text(index) => {
                self.program.texts.get(index as usize).map_or(Val::Error, |text| Val::Text(text))
            }
            Op::List(index) => self.program.wholes.get(index as usize).map_or(Val::Error, Val::Whole),
            Op::Load(load) => self.load(load),
            Op::Member(whole, member) => self.member(whole, member),
            Op::Entry(whole, key) => self.entry(whole, key),
            Op::Float(_)
            | Op::NegateFloat(_)
            | Op::Floats(..)
            | Op::LeastFloat(..)
            | Op::GreatestFloat(..) => self.float(at).map_or(Val::Error, Val::Float),
            Op::Choose(condition, yes, no) => match self.truth(condition) {
                Some(true) => self.value(yes),
                Some(false) => self.value(no),
                None => Val::Error,
            },
            Op::Int(_)
            | Op::Negate(_)
            | Op::Arithmetic(..)
            | Op::Sum(..)
            | Op::Tally(..)
            | Op::Least(..)
            | Op::Greatest(..)
            | Op::Size(_) => self.number(at).map_or(Val::Error, Val::Int),
            Op::Bool(_)
            | Op::Not(_)
            | Op::Both(..)
            | Op::Either(..)
            | Op::All(..)
            | Op::Any(..)
            | Op::Compare(..)
            | Op::CellWithin(..)
            | Op::Within(..)
            | Op::SumWithin(..)
            | Op::CompareFloats(..)
            | Op::Has(..)
            | Op::In(..) => self.truth(at).map_or(Val::Error, Val::Bool),
        }
    }

    /// A bool; `None` is an error.
    pub(super) fn truth(&self, at: u32) -> Option<bool> {
        match *self.op(at) {
            Op::Both(..) | Op::Either(..) | Op::CellWithin(..) | Op::Within(..) | Op::SumWithin(..) => {
                self.leaf_truth(at)
            }
            Op::All(start, len) => self.decide(false, start, len),
            Op::Any(start, len) => self.decide(true, start, len),
            Op::Not(inner) => self.truth(inner).map(|yes| !yes),
            Op::Bool(yes) => Some(yes),
            Op::Compare(comparison, left, right) if comparison.is_order() => {
                Some(comparison.holds(self.leaf(left)?, self.leaf(right)?))
            }
            Op::Compare(comparison, left, right) => {
                let equal = equal(self.value(left), self.value(right))?;
                Some(equal == (comparison == Comparison::Equal))
            }
            Op::CompareFloats(comparison, left, right) => {
                Some(comparison.holds(self.float(left)?, self.float(right)?))
            }
            Op::In(what, start, len) => self.is_in(what, start, len),
            Op::Has(what, whole) => self.has(what, whole),
            Op::Load(load) => self.load_truth(load),
            Op::Member(..) | Op::Entry(..) => match self.value(at) {
                Val::Bool(yes) => Some(yes),
                _ => None,
            },
            Op::Choose(condition, yes, no) => self.truth(if self.truth(condition)? { yes } else { no }),
            _ => None,
        }
    }

    /// A number, or a time in nanoseconds; `None` is an error, also for an unset value.
    fn number(&self, at: u32) -> Option<i64> {
        match *self.op(at) {
            Op::Int(number) => Some(number),
            Op::Load(load) => self.load_number(load),
            Op::Member(..) | Op::Entry(..) => match self.value(at) {
                Val::Int(number) => Some(number),
                _ => None,
            },
            Op::Tally(start, len) => self.tally(start, len),
            Op::Sum(start, len) => self.sum(start, len),
            Op::Arithmetic(how, left, right) => arithmetic(how, self.leaf(left)?, self.leaf(right)?),
            Op::Negate(inner) => self.number(inner)?.checked_neg(),
            Op::Least(left, right) => Some(self.number(left)?.min(self.number(right)?)),
            Op::Greatest(left, right) => Some(self.number(left)?.max(self.number(right)?)),
            Op::Choose(condition, yes, no) => self.number(if self.truth(condition)? { yes } else { no }),
            Op::Size(inner) => match self.value(inner) {
                Val::Text(text) => i64::try_from(text.chars().count()).ok(),
                Val::Whole(value) => i64::try_from(value.len()).ok(),
                _ => None,
            },
            _ => None,
        }
    }

    /// A number with a fraction; `None` is an error: unset, division by zero, or too large to be finite.
    fn float(&self, at: u32) -> Option<Float> {
        match *self.op(at) {
            Op::Float(number) => Some(number),
            Op::Load(_) | Op::Member(..) | Op::Entry(..) => match self.value(at) {
                Val::Float(number) => Some(number),
                _ => None,
            },
            Op::NegateFloat(inner) => Float::new(-self.float(inner)?.get()),
            Op::Floats(how, left, right) => floats(how, self.float(left)?.get(), self.float(right)?.get()),
            Op::LeastFloat(left, right) => Some(self.float(left)?.min(self.float(right)?)),
            Op::GreatestFloat(left, right) => Some(self.float(left)?.max(self.float(right)?)),
            Op::Choose(condition, yes, no) => self.float(if self.truth(condition)? { yes } else { no }),
            _ => None,
        }
    }

    /// A number that is likely to be a cell or a literal, evaluated without a call.
    #[inline]
    fn leaf(&self, at: u32) -> Option<i64> {
        match *self.op(at) {
            Op::Int(number) => Some(number),
            Op::Load(load) => self.load_number(load),
            _ => self.number(at),
        }
    }

    /// A bool that is likely to be a cell compared with two bounds, evaluated without a call.
    #[inline]
    fn leaf_truth(&self, at: u32) -> Option<bool> {
        self.truth_of(self.op(at), at)
    }

    /// Evaluates the whole condition; `None` is an error.
    #[inline]
    pub(super) fn holds(&self) -> Option<bool> {
        // The last operation is the root. It is kept where no look-up is needed to find it.
        self.truth_of(&self.program.root, self.program.last())
    }

    #[inline]
    fn truth_of(&self, op: &Op, at: u32) -> Option<bool> {
        let (number, low, high) = match *op {
            Op::CellWithin(cell, low, high) => (number(self.facts.cell(cell as usize)), low, high),
            Op::Within(load, low, high) => (self.load_number(load), low, high),
            Op::SumWithin(start, len, low, high) => (self.sum(start, len), low, high),
            Op::Both(left, right) => return self.two(false, left, right),
            Op::Either(left, right) => return self.two(true, left, right),
            _ => return self.truth(at),
        };
        number.map(|number| low <= number && number <= high)
    }

    /// `&&` and `||` of two: if one side decides, the other does not matter.
    fn two(&self, deciding: bool, left: u32, right: u32) -> Option<bool> {
        let left = self.leaf_truth(left);
        if left == Some(deciding) {
            return left;
        }
        match self.leaf_truth(right) {
            Some(right) if right == deciding => Some(right),
            right => left.and(right),
        }
    }

    /// `&&` and `||` of many.
    fn decide(&self, deciding: bool, start: u32, len: u32) -> Option<bool> {
        let sides = self.program.lists.get(start as usize..(start + len) as usize).unwrap_or_default();
        let mut outcome = Some(!deciding);
        for side in sides {
            match self.leaf_truth(*side) {
                Some(truth) if truth == deciding => return Some(deciding),
                Some(_) => {}
                None => outcome = None,
            }
        }
        outcome
    }

    /// Adds up terms that are only read.
    fn sum(&self, start: u32, len: u32) -> Option<i64> {
        let loads = self.program.sums.get(start as usize..(start + len) as usize).unwrap_or_default();
        let mut sum = 0_i64;
        for load in loads {
            // Most sums are of stars, so these are read without looking up the fact.
            let number = match *load {
                Load::Fact { index, fact: Fact::Stars } => self.facts.fact(index as usize, Fact::Stars),
                other => self.load_number(other)?,
            };
            sum = sum.checked_add(number)?;
        }
        Some(sum)
    }

    #[inline]
    fn load_truth(&self, load: Load) -> Option<bool> {
        match load {
            Load::Fact { index, fact: Fact::Finished } => {
                Some(self.facts.fact(index as usize, Fact::Finished) != 0)
            }
            Load::FactOn { first, fact: Fact::Finished } => {
                Some(self.facts.fact(first as usize + self.in_question, Fact::Finished) != 0)
            }
            _ => match self.load(load) {
                Val::Bool(yes) => Some(yes),
                _ => None,
            },
        }
    }

    #[inline]
    fn load_number(&self, load: Load) -> Option<i64> {
        match load {
            Load::Cell(cell) => number(self.facts.cell(cell as usize)),
            Load::CellOn { first, apart } => {
                number(self.facts.cell(first as usize + self.difficulty * apart as usize))
            }
            Load::Fact { index, fact } => Some(self.facts.fact(index as usize, fact)),
            Load::FactOn { first, fact } => Some(self.facts.fact(first as usize + self.in_question, fact)),
            Load::FactAny { first, fact } => {
                let kept = self.program.difficulties as usize;
                (0..kept).map(|one| self.facts.fact(first as usize + one, fact)).max()
            }
            Load::Total { on, fact, start, len } => Some(self.total(on, fact, (start, len))),
            Load::Played => Some(self.facts.played_nanos()),
            Load::Unlocked(_) | Load::Word(_) => None,
        }
    }

    fn load(&self, load: Load) -> Val<'a> {
        match load {
            Load::Cell(cell) => val(self.facts.cell(cell as usize)),
            Load::CellOn { first, apart } => {
                val(self.facts.cell(first as usize + self.difficulty * apart as usize))
            }
            Load::Fact { fact: Fact::Finished, .. }
            | Load::FactOn { fact: Fact::Finished, .. }
            | Load::FactAny { fact: Fact::Finished, .. } => {
                self.load_number(load).map_or(Val::Error, |number| Val::Bool(number != 0))
            }
            Load::Unlocked(unlock) => Val::Bool(self.facts.unlocked(unlock as usize)),
            Load::Word(word) => self.facts.word(word).map_or(Val::Null, Val::Text),
            number => self.load_number(number).map_or(Val::Error, Val::Int),
        }
    }

    fn total(&self, on: On, fact: Fact, (start, len): (u32, u32)) -> i64 {
        let kept = self.program.difficulties as usize;
        let these = match on {
            On::Any | On::All => 0..kept,
            On::One(one) => one..one + 1,
            On::InQuestion => self.in_question..self.in_question + 1,
        };
        let spans = self.program.spans.get(start as usize..(start + len) as usize).unwrap_or_default();
        let levels = spans.iter().flat_map(|(first, end)| *first as usize..*end as usize);
        let of_level = |level: usize| {
            let facts = these.clone().map(|on| self.facts.fact(level * kept + on, fact));
            if on == On::Any { facts.max().unwrap_or(0) } else { facts.sum() }
        };
        levels.map(of_level).sum()
    }
}

fn number(value: &Value) -> Option<i64> {
    match value {
        Value::Int(number) => Some(*number),
        Value::Time(time) => Some(time.as_nanos()),
        Value::Date(date) => Some(date.days()),
        Value::Instant(instant) => Some(instant.unix_ms()),
        Value::Best(best) => number(&best.value),
        _ => None,
    }
}

fn val(value: &Value) -> Val<'_> {
    match value {
        Value::Int(number) => Val::Int(*number),
        Value::Time(time) => Val::Int(time.as_nanos()),
        Value::Date(date) => Val::Int(date.days()),
        Value::Instant(instant) => Val::Int(instant.unix_ms()),
        Value::Bool(yes) => Val::Bool(*yes),
        Value::Float(number) => Val::Float(*number),
        Value::Text(text) | Value::Id { name: text, .. } => Val::Text(text),
        Value::Unset => Val::Null,
        Value::Best(best) => val(&best.value),
        whole => Val::Whole(whole),
    }
}

/// Compares two values for equality; `None` if one is an error.
fn equal(left: Val<'_>, right: Val<'_>) -> Option<bool> {
    match (left, right) {
        (Val::Error, _) | (_, Val::Error) => None,
        (Val::Whole(left), Val::Whole(right)) => Some(left.same(right)),
        (left, right) => Some(left == right),
    }
}

fn arithmetic(how: Arithmetic, left: i64, right: i64) -> Option<i64> {
    match how {
        Arithmetic::Add => left.checked_add(right),
        Arithmetic::Subtract => left.checked_sub(right),
        Arithmetic::Multiply => left.checked_mul(right),
        Arithmetic::Divide => left.checked_div(right),
        Arithmetic::Remainder => left.checked_rem(right),
    }
}

fn floats(how: Arithmetic, left: f64, right: f64) -> Option<Float> {
    let result = match how {
        Arithmetic::Add => left + right,
        Arithmetic::Subtract => left - right,
        Arithmetic::Multiply => left * right,
        // Division by zero is not finite, so it is an error.
        Arithmetic::Divide => left / right,
        Arithmetic::Remainder => return None,
    };
    Float::new(result)
}
