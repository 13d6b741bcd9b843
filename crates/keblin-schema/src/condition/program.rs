//! Programs and their evaluation. A program is a checked condition as a flat list of operations; evaluating it reads values
//! through [`Facts`], allocates nothing, and ends: there is no loop in the language, and its depth is bounded.
//!
//! Errors are values here, as in the standard the language is a subset of: ordering what is unset, overflow and division by
//! zero give an error, which `&&` and `||` absorb where the other side decides, and a rule that ends in one is false.

use std::ops::Range;
use std::sync::Arc;

use super::names::{Fact, On};
use super::parse::{Arithmetic, Comparison};
use crate::value::Value;

/// What a program reads. Positions are those of the schema it was compiled against.
pub trait Facts {
    /// The value of a cell of the layout.
    fn cell(&self, cell: usize) -> &Value;
    /// A level's fact as a number (finished is 1 or 0), by [`Schema::fact_index`](crate::Schema::fact_index).
    fn fact(&self, index: usize, fact: Fact) -> i64;
    /// An id that the engine keeps, `None` where there is none.
    fn word(&self, word: Word) -> Option<&str>;
    /// Whether an unlock is given.
    fn unlocked(&self, unlock: usize) -> bool;
    /// The time in play of the profile, in nanoseconds.
    fn played_nanos(&self) -> i64;
}

/// An id that the engine keeps.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Word {
    /// The phase.
    Phase,
    /// The level being played or left half-way.
    Level,
    /// The checkpoint reached last.
    Checkpoint,
    /// The furthest level.
    Furthest,
    /// The difficulty of the run, or the one last chosen.
    Difficulty,
}

/// A value while a program is evaluated. A time is its nanoseconds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Val<'a> {
    /// No value: unset was ordered or added, a number overflowed, or something was divided by zero.
    Error,
    /// Unset.
    Null,
    /// Yes or no.
    Bool(bool),
    /// A whole number, or a time in nanoseconds.
    Int(i64),
    /// Text.
    Text(&'a str),
}

/// Where an operation reads from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Load {
    Cell(u32),
    /// One cell for each difficulty, so many cells apart; the one in question is meant.
    CellOn {
        first: u32,
        apart: u32,
    },
    Fact {
        level: u32,
        on: On,
        fact: Fact,
    },
    Total {
        on: On,
        fact: Fact,
    },
    Unlocked(u32),
    Word(Word),
    Played,
}

/// An operation; numbers are positions of other operations, always before this one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Op {
    Null,
    Bool(bool),
    Int(i64),
    Text(u32),
    Load(Load),
    Not(u32),
    Negate(u32),
    And(u32, u32),
    Or(u32, u32),
    Choose(u32, u32, u32),
    Compare(Comparison, u32, u32),
    /// The commonest rule of all, in one step: a number read, held against a number written out.
    CompareWith(Comparison, Load, i64),
    Arithmetic(Arithmetic, u32, u32),
    Least(u32, u32),
    Greatest(u32, u32),
    Size(u32),
    In(u32, u32, u32),
}

/// Something a program reads, so that a change of it is a reason to evaluate again.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Read {
    /// Some cells of the layout.
    Cells(Range<usize>),
    /// A fact of a level, or of all levels.
    Fact {
        /// Which fact.
        fact: Fact,
        /// The level; `None` is all of them.
        level: Option<usize>,
    },
    /// Whether an unlock is given.
    Unlocked(usize),
    /// An id that the engine keeps.
    Word(Word),
    /// The time in play.
    Played,
}

/// Why a condition can end in an error.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Failing {
    /// Something that can be unset is ordered or added.
    Unset,
    /// Something that can be zero divides.
    Zero,
}

/// A checked condition.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Program {
    pub(super) source: Arc<str>,
    pub(super) ops: Box<[Op]>,
    pub(super) texts: Box<[Arc<str>]>,
    pub(super) lists: Box<[u32]>,
    pub(super) levels: u32,
    pub(super) difficulties: u32,
    pub(super) reads: Box<[Read]>,
    /// The cells it reads that hold yes or no.
    pub(super) bool_cells: Box<[u32]>,
    pub(super) can_fail: Option<(Range<usize>, Failing)>,
    pub(super) asks_in_question: Option<Range<usize>>,
}

impl Program {
    /// The condition as written.
    #[must_use]
    pub fn source(&self) -> &str {
        &self.source
    }

    /// What it reads.
    #[must_use]
    pub fn reads(&self) -> &[Read] {
        &self.reads
    }

    /// Where it can end in an error, and why; a rule that does is false.
    #[must_use]
    pub fn can_fail(&self) -> Option<(Range<usize>, Failing)> {
        self.can_fail.clone()
    }

    /// Where it leaves the difficulty to whoever asks.
    #[must_use]
    pub fn asks_in_question(&self) -> Option<Range<usize>> {
        self.asks_in_question.clone()
    }

    /// The value, where it is written out and needs nothing to be read.
    #[must_use]
    pub fn constant(&self) -> Option<Val<'_>> {
        match self.ops.as_ref() {
            [Op::Int(number)] => Some(Val::Int(*number)),
            [Op::Bool(yes)] => Some(Val::Bool(*yes)),
            [Op::Null] => Some(Val::Null),
            _ => None,
        }
    }

    /// Whether the condition holds; an error is no. `difficulty` is the one in question, as a position in
    /// [`Schema::difficulties`](crate::Schema::difficulties), 0 where there are none.
    #[must_use]
    pub fn holds(&self, facts: &impl Facts, difficulty: usize) -> bool {
        self.value(facts, difficulty) == Val::Bool(true)
    }

    /// The value of the condition.
    #[must_use]
    pub fn value<'a>(&'a self, facts: &'a impl Facts, difficulty: usize) -> Val<'a> {
        let root = u32::try_from(self.ops.len()).unwrap_or(0).wrapping_sub(1);
        Evaluation { program: self, facts, difficulty }.op(root)
    }
}

struct Evaluation<'a, F> {
    program: &'a Program,
    facts: &'a F,
    difficulty: usize,
}

impl<'a, F: Facts> Evaluation<'a, F> {
    fn op(&self, at: u32) -> Val<'a> {
        let Some(op) = self.program.ops.get(at as usize) else { return Val::Error };
        match *op {
            Op::CompareWith(comparison, load, with) => match self.load(load) {
                Val::Int(number) => Val::Bool(comparison.holds(number, with)),
                Val::Null if !comparison.is_order() => Val::Bool(comparison == Comparison::NotEqual),
                _ => Val::Error,
            },
            Op::Load(load) => self.load(load),
            Op::And(left, right) => self.decide(false, left, right),
            Op::Or(left, right) => self.decide(true, left, right),
            Op::Int(number) => Val::Int(number),
            Op::Bool(yes) => Val::Bool(yes),
            Op::Null => Val::Null,
            Op::Text(index) => {
                self.program.texts.get(index as usize).map_or(Val::Error, |text| Val::Text(text))
            }
            Op::Not(inner) => match self.op(inner) {
                Val::Bool(yes) => Val::Bool(!yes),
                _ => Val::Error,
            },
            Op::Negate(inner) => self.number(inner).and_then(i64::checked_neg).map_or(Val::Error, Val::Int),
            Op::Choose(condition, yes, no) => match self.op(condition) {
                Val::Bool(true) => self.op(yes),
                Val::Bool(false) => self.op(no),
                _ => Val::Error,
            },
            Op::Compare(comparison, left, right) => compare(comparison, self.op(left), self.op(right)),
            Op::Arithmetic(how, left, right) => {
                let result =
                    self.number(left).zip(self.number(right)).and_then(|(l, r)| arithmetic(how, l, r));
                result.map_or(Val::Error, Val::Int)
            }
            Op::Least(left, right) => self.pick(left, right, i64::min),
            Op::Greatest(left, right) => self.pick(left, right, i64::max),
            Op::Size(inner) => match self.op(inner) {
                Val::Text(text) => Val::Int(i64::try_from(text.chars().count()).unwrap_or(i64::MAX)),
                _ => Val::Error,
            },
            Op::In(what, start, len) => self.is_in(what, start, len),
        }
    }

    /// `&&` and `||`: the side that decides does so, whatever the other is.
    fn decide(&self, deciding: bool, left: u32, right: u32) -> Val<'a> {
        let left = self.op(left);
        if left == Val::Bool(deciding) {
            return left;
        }
        match (left, self.op(right)) {
            (_, Val::Bool(yes)) if yes == deciding => Val::Bool(deciding),
            (Val::Bool(_), Val::Bool(yes)) => Val::Bool(yes),
            _ => Val::Error,
        }
    }

    fn number(&self, at: u32) -> Option<i64> {
        if let Val::Int(number) = self.op(at) { Some(number) } else { None }
    }

    fn pick(&self, left: u32, right: u32, pick: fn(i64, i64) -> i64) -> Val<'a> {
        self.number(left)
            .zip(self.number(right))
            .map_or(Val::Error, |(left, right)| Val::Int(pick(left, right)))
    }

    /// A list with an error in it is an error, wherever in it the answer would stand.
    fn is_in(&self, what: u32, start: u32, len: u32) -> Val<'a> {
        let what = self.op(what);
        let list = self.program.lists.get(start as usize..(start + len) as usize).unwrap_or_default();
        let mut found = false;
        for item in list {
            match compare(Comparison::Equal, what, self.op(*item)) {
                Val::Bool(yes) => found |= yes,
                _ => return Val::Error,
            }
        }
        Val::Bool(found)
    }

    fn load(&self, load: Load) -> Val<'a> {
        match load {
            Load::Cell(cell) => val(self.facts.cell(cell as usize)),
            Load::CellOn { first, apart } => {
                val(self.facts.cell(first as usize + self.difficulty * apart as usize))
            }
            Load::Fact { level, on, fact } => {
                let number = self.fact(level as usize, on, fact);
                if fact == Fact::Finished { Val::Bool(number != 0) } else { Val::Int(number) }
            }
            Load::Total { on, fact } => self.total(on, fact),
            Load::Unlocked(unlock) => Val::Bool(self.facts.unlocked(unlock as usize)),
            Load::Word(word) => self.facts.word(word).map_or(Val::Null, Val::Text),
            Load::Played => Val::Int(self.facts.played_nanos()),
        }
    }

    fn fact(&self, level: usize, on: On, fact: Fact) -> i64 {
        let kept = self.program.difficulties as usize;
        let at = |difficulty: usize| self.facts.fact(level * kept + difficulty, fact);
        match on {
            On::InQuestion => at(self.difficulty.min(kept - 1)),
            On::One(difficulty) => at(difficulty.min(kept - 1)),
            On::Any => (0..kept).map(at).max().unwrap_or(0),
        }
    }

    fn total(&self, on: On, fact: Fact) -> Val<'a> {
        let kept = self.program.difficulties as usize;
        let each = |level| match on {
            On::Any => (0..kept).map(|one| self.fact(level, On::One(one), fact)).sum::<i64>(),
            on => self.fact(level, on, fact),
        };
        Val::Int((0..self.program.levels as usize).map(each).sum())
    }
}

fn val(value: &Value) -> Val<'_> {
    match value {
        Value::Int(number) => Val::Int(*number),
        Value::Time(time) => Val::Int(time.as_nanos()),
        Value::Bool(yes) => Val::Bool(*yes),
        Value::Text(text) => Val::Text(text),
        Value::Unset => Val::Null,
    }
}

fn compare<'a>(comparison: Comparison, left: Val<'a>, right: Val<'a>) -> Val<'a> {
    match (left, right) {
        (Val::Int(left), Val::Int(right)) => Val::Bool(comparison.holds(left, right)),
        (Val::Error, _) | (_, Val::Error) => Val::Error,
        (left, right) => match comparison {
            Comparison::Equal => Val::Bool(left == right),
            Comparison::NotEqual => Val::Bool(left != right),
            _ => Val::Error,
        },
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
