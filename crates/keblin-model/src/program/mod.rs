//! Programs: compiled conditions as flat lists of operations, and what they read. `evaluate` runs them.
//!
//! Errors are values here, as in the standard that the language is a subset of. Comparing the order of an unset
//! value, overflow and division by zero give an error. `&&` and `||` ignore an error if the other side decides, and a
//! rule that ends in an error is false.

use std::ops::Range;
use std::sync::Arc;

use crate::text::date::{Date, Instant};
use crate::text::time::Time;
use crate::value::{Float, Value};

/// What conditions compare their values with.
mod compared;

/// The facts of levels.
mod fact;

/// The types of expressions.
mod kind;

/// Operators.
mod operator;

/// Evaluation.
mod evaluate;

pub use compared::Compared;
pub use fact::{Fact, On};
pub use kind::Type;
pub use operator::{Arithmetic, Comparison};

use evaluate::Evaluation;

/// The values that a program reads. Positions are those of the schema it was compiled against.
pub trait Facts {
    /// Returns the value of a cell of the layout.
    fn cell(&self, cell: usize) -> &Value;
    /// Returns a level's fact as a number (finished is 1 or 0), by [`Model::fact_index`](crate::Model::fact_index).
    fn fact(&self, index: usize, fact: Fact) -> i64;
    /// Returns an id that the engine keeps; `None` if there is none.
    fn word(&self, word: Word) -> Option<&str>;
    /// Returns whether an unlock is unlocked.
    fn unlocked(&self, unlock: usize) -> bool;
    /// Returns the time in play of the profile, in nanoseconds.
    fn played_nanos(&self) -> i64;
}

/// An id that the engine keeps.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Word {
    /// The phase.
    Phase,
    /// The level that is being played or was left half-way.
    Level,
    /// The last checkpoint reached.
    Checkpoint,
    /// The furthest level.
    Furthest,
    /// The difficulty of the run, or the one last chosen.
    Difficulty,
}

/// A value while a program is evaluated. A time is its nanoseconds, a day its number, an instant its milliseconds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Val<'a> {
    /// An error: the order of an unset value, or an unset value added, an overflow, or a division by zero.
    Error,
    /// Unset.
    Null,
    /// A bool.
    Bool(bool),
    /// A whole number, a time in nanoseconds, a day by its number, or an instant in milliseconds.
    Int(i64),
    /// A number with a fraction.
    Float(Float),
    /// Text, or an id.
    Text(&'a str),
    /// A value that has items or parts.
    Whole(&'a Value),
}

/// What an operation reads.
#[doc(hidden)]
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Load {
    /// The value of a cell.
    Cell(u32),
    /// One cell per difficulty; the one of the current difficulty is read.
    CellOn {
        /// The cell of the first difficulty.
        first: u32,
        /// How many cells there are from one difficulty to the next.
        apart: u32,
    },
    /// A level's fact.
    Fact {
        /// By [`Model::fact_index`](crate::Model::fact_index).
        index: u32,
        /// The fact.
        fact: Fact,
    },
    /// A level's fact on the current difficulty.
    FactOn {
        /// The index on the first difficulty.
        first: u32,
        /// The fact.
        fact: Fact,
    },
    /// The best of a level's fact on all difficulties.
    FactAny {
        /// The index on the first difficulty.
        first: u32,
        /// The fact.
        fact: Fact,
    },
    /// The sum over some levels: those of some of [`Program::spans`].
    Total {
        /// The difficulty.
        on: On,
        /// The fact.
        fact: Fact,
        /// The first of the spans.
        start: u32,
        /// How many spans.
        len: u32,
    },
    /// Whether an unlock is unlocked.
    Unlocked(u32),
    /// An id that the engine keeps.
    Word(Word),
    /// The time in play.
    Played,
}

/// An operation; numbers are positions of other operations, always before this one.
#[doc(hidden)]
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Op {
    /// Unset.
    Null,
    /// A literal bool.
    Bool(bool),
    /// A literal whole number, or a time, a day or an instant as a number.
    Int(i64),
    /// A literal number with a fraction.
    Float(Float),
    /// A literal text: one of [`Program::texts`].
    Text(u32),
    /// A literal list.
    List(u32),
    /// Something that is read.
    Load(Load),
    /// A member of a shape, or a part of a vector.
    Member(u32, u16),
    /// An entry of a map: its key and what stands for a missing one are the literals from a position on.
    Entry(u32, u32),
    /// Some of [`Program::sums`] together: numbers are added, true bools and items counted; what is unset is nothing.
    Tally(u32, u32),
    /// The opposite of a bool.
    Not(u32),
    /// The negative of a whole number.
    Negate(u32),
    /// Both must be true.
    Both(u32, u32),
    /// One of the two must be true.
    Either(u32, u32),
    /// Some of [`Program::lists`]: all of them must be true.
    All(u32, u32),
    /// Some of [`Program::lists`]: one of them must be true.
    Any(u32, u32),
    /// The second if the first is true, else the third.
    Choose(u32, u32, u32),
    /// A comparison.
    Compare(Comparison, u32, u32),
    /// The most common rule as one operation: the value of a cell is between two numbers.
    CellWithin(u32, i64, i64),
    /// The same for anything else that is read.
    Within(Load, i64, i64),
    /// The sum of some of [`Program::sums`].
    Sum(u32, u32),
    /// Whether a sum is between two numbers.
    SumWithin(u32, u32, i64, i64),
    /// A calculation with whole numbers.
    Arithmetic(Arithmetic, u32, u32),
    /// The smaller of two whole numbers.
    Least(u32, u32),
    /// The larger of two whole numbers.
    Greatest(u32, u32),
    /// A comparison of numbers with fractions.
    CompareFloats(Comparison, u32, u32),
    /// The negative of a number with a fraction.
    NegateFloat(u32),
    /// A calculation with fractions.
    Floats(Arithmetic, u32, u32),
    /// The smaller of two numbers with fractions.
    LeastFloat(u32, u32),
    /// The larger of two numbers with fractions.
    GreatestFloat(u32, u32),
    /// How many items a value has, or how many characters.
    Size(u32),
    /// Whether a field has an item.
    Has(u32, u32),
    /// Whether a value is one of the items of a literal list: that list, from a position on, so many.
    In(u32, u32, u32),
}

/// Something a program reads; when it changes, the rule must be evaluated again.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum Read {
    /// Some cells of the layout.
    Cells(Range<usize>),
    /// A fact of a level, or of all levels.
    Fact {
        /// The fact.
        fact: Fact,
        /// The level; `None` means all of them.
        level: Option<usize>,
    },
    /// Whether an unlock is unlocked.
    Unlocked(usize),
    /// An id that the engine keeps.
    Word(Word),
    /// The time in play.
    Played,
}

/// Why a condition can end in an error.
#[doc(hidden)]
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Failing {
    /// Something that can be unset is compared by order or added.
    Unset,
    /// Something is divided by a value that can be zero.
    Zero,
}

/// A compiled condition. `keblin-schema` makes one from text.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Program {
    /// The condition as written.
    #[doc(hidden)]
    pub source: Arc<str>,
    /// The last operation.
    #[doc(hidden)]
    pub root: Op,
    /// All operations, each after those that it needs.
    #[doc(hidden)]
    pub ops: Box<[Op]>,
    /// Literal texts.
    #[doc(hidden)]
    pub texts: Box<[Arc<str>]>,
    /// The operations that [`Op::All`] and [`Op::Any`] join.
    #[doc(hidden)]
    pub lists: Box<[u32]>,
    /// Terms of sums.
    #[doc(hidden)]
    pub sums: Box<[Load]>,
    /// Literal lists.
    #[doc(hidden)]
    pub wholes: Box<[Value]>,
    /// Levels that are one after the other: the first, and the one after the last.
    #[doc(hidden)]
    pub spans: Box<[(u32, u32)]>,
    /// How many difficulties facts are kept for; 1 if all share them.
    #[doc(hidden)]
    pub difficulties: u32,
    /// What it reads.
    #[doc(hidden)]
    pub reads: Box<[Read]>,
    /// The bool cells that it reads.
    #[doc(hidden)]
    pub bool_cells: Box<[u32]>,
    /// Where it can end in an error, and why; a rule that does is false.
    #[doc(hidden)]
    pub can_fail: Option<(Range<usize>, Failing)>,
    /// Where it uses the current difficulty.
    #[doc(hidden)]
    pub asks_in_question: Option<Range<usize>>,
}

impl Program {
    /// Returns the condition as written.
    #[must_use]
    pub fn source(&self) -> &str {
        &self.source
    }

    /// Returns what it reads.
    #[doc(hidden)]
    #[must_use]
    pub fn reads(&self) -> &[Read] {
        &self.reads
    }

    /// Returns where it can end in an error, and why; a rule that does is false.
    #[doc(hidden)]
    #[must_use]
    pub fn can_fail(&self) -> Option<(Range<usize>, Failing)> {
        self.can_fail.clone()
    }

    /// Returns where it uses the current difficulty.
    #[doc(hidden)]
    #[must_use]
    pub fn asks_in_question(&self) -> Option<Range<usize>> {
        self.asks_in_question.clone()
    }

    /// Returns the value of a literal, which needs nothing to be read.
    #[doc(hidden)]
    #[must_use]
    pub fn constant(&self) -> Option<Val<'_>> {
        match self.ops.as_ref() {
            [Op::Int(number)] => Some(Val::Int(*number)),
            [Op::Bool(yes)] => Some(Val::Bool(*yes)),
            [Op::Float(number)] => Some(Val::Float(*number)),
            [Op::Null] => Some(Val::Null),
            _ => None,
        }
    }

    /// Returns whether the condition is true; an evaluation error counts as false. `difficulty` is the current one,
    /// as a position in [`Model::difficulties`](crate::Model::difficulties); 0 if there are none.
    #[must_use]
    pub fn holds(&self, facts: &impl Facts, difficulty: usize) -> bool {
        Evaluation::new(self, facts, difficulty).holds() == Some(true)
    }

    /// Returns the position of the root: the last operation.
    #[must_use]
    pub fn last(&self) -> u32 {
        small(self.ops.len()).wrapping_sub(1)
    }

    /// Evaluates the condition to a value of its type: unset is [`Value::Unset`], and an error is `None`.
    #[must_use]
    pub fn outcome(&self, facts: &impl Facts, difficulty: usize, kind: Type) -> Option<Value> {
        Some(match self.value(facts, difficulty) {
            Val::Error => return None,
            Val::Null => Value::Unset,
            Val::Int(nanos) if kind == Type::Time => Value::Time(Time::from_nanos(nanos)),
            Val::Int(days) if kind == Type::Date => Value::Date(Date::from_days(days)?),
            Val::Int(millis) if kind == Type::Instant => Value::Instant(Instant::from_unix_ms(millis)?),
            Val::Int(number) => Value::Int(number),
            Val::Float(number) => Value::Float(number),
            Val::Bool(yes) => Value::Bool(yes),
            Val::Text(text) => Value::text(text),
            Val::Whole(value) => value.clone(),
        })
    }

    /// Evaluates the condition.
    #[must_use]
    pub fn value<'a>(&'a self, facts: &'a impl Facts, difficulty: usize) -> Val<'a> {
        Evaluation::new(self, facts, difficulty).value(self.last())
    }
}

/// Returns a position or a count as this type; schemas are far smaller than it allows.
#[must_use]
pub fn small(number: usize) -> u32 {
    u32::try_from(number).unwrap_or(u32::MAX)
}
