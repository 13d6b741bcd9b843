//! The results that a condition can have. Every value is taken as the range it may have, and the range of the whole
//! follows. If in doubt it says "can be", so that what is reported as impossible really is.

use crate::program::{Arithmetic, Comparison, Fact, Load, On, Op, Program, Word};

/// The ranges of the values that a program reads.
pub(crate) trait Ranges {
    /// Returns the smallest and largest number of a cell; a bool is 0 and 1. `None` for text.
    fn cell(&self, cell: usize) -> Option<(i64, i64)>;
    /// Returns the smallest and largest value of a level's fact.
    fn fact(&self, level: usize, fact: Fact) -> (i64, i64);
    /// Returns whether an unlock can ever be unlocked.
    fn unlocked(&self, unlock: usize) -> bool;
    /// Returns how many difficulties facts are kept for.
    fn difficulties(&self) -> usize;
}

/// The possible results of an operation.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Can {
    /// True, false: whether each is possible.
    Bool { yes: bool, no: bool },
    /// A number between these.
    Number(i128, i128),
    /// Anything.
    Anything,
}

const EITHER: Can = Can::Bool { yes: true, no: true };

/// Whether a condition can be true, and whether it can be anything else.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Possible {
    /// It can be true.
    pub(crate) yes: bool,
    /// It can be false, or end in an error.
    pub(crate) no: bool,
}

/// Returns the possible results of each operation for values in these ranges, in order.
fn all_of(program: &Program, ranges: &impl Ranges) -> Vec<Can> {
    let mut can: Vec<Can> = Vec::with_capacity(program.ops.len());
    for op in &program.ops {
        let next = step(program, ranges, &can, *op);
        can.push(next);
    }
    can
}

/// Returns the possible results of a condition for values in these ranges.
pub(crate) fn possible(program: &Program, ranges: &impl Ranges) -> Possible {
    match all_of(program, ranges).last() {
        Some(Can::Bool { yes, no }) => Possible { yes: *yes, no: *no || program.can_fail.is_some() },
        _ => Possible { yes: true, no: true },
    }
}

/// Returns the smallest and the largest number that an expression can have for values in these ranges; `None` if it is
/// not a number.
pub(crate) fn numbers(program: &Program, ranges: &impl Ranges) -> Option<(i128, i128)> {
    match all_of(program, ranges).last() {
        Some(Can::Number(low, high)) => Some((*low, *high)),
        _ => None,
    }
}

/// Returns whether a whole number in an expression can exceed 64 bits for values in these ranges; it would then end in
/// an error.
pub(crate) fn can_overflow(program: &Program, ranges: &impl Ranges) -> bool {
    let can = all_of(program, ranges);
    let at = |index: u32| can.get(index as usize).copied().unwrap_or(Can::Anything);
    program.ops.iter().any(|op| match *op {
        Op::Arithmetic(how, left, right) => !unbounded(how, at(left), at(right)).is_none_or(fits),
        Op::Negate(inner) => match at(inner) {
            Can::Number(low, high) => !fits((-high, -low)),
            _ => false,
        },
        Op::Tally(..) => !tally_fits(program, ranges, *op),
        Op::Sum(start, len) | Op::SumWithin(start, len, ..) => {
            let each = added(program, start, len).map(|load| loaded(program, ranges, load));
            !fits(each.fold((0_i128, 0_i128), |(low, high), next| match next {
                Can::Number(a, b) => (low + a, high + b),
                _ => (low, high),
            }))
        }
        _ => false,
    })
}

/// Returns whether a tally fits in 64 bits. Counts always do.
fn tally_fits(program: &Program, ranges: &impl Ranges, op: Op) -> bool {
    let Op::Tally(start, len) = op else { return true };
    let each = added(program, start, len).filter_map(|load| match loaded(program, ranges, load) {
        Can::Number(low, high) => Some((low.min(0), high.max(0))),
        _ => None,
    });
    fits(each.fold((0_i128, 0_i128), |(a, b), (c, d)| (a + c, b + d)))
}

fn fits((low, high): (i128, i128)) -> bool {
    i64::try_from(low).is_ok() && i64::try_from(high).is_ok()
}

/// Operations come after their operands, so each is visited once, in order.
fn step(program: &Program, ranges: &impl Ranges, can: &[Can], op: Op) -> Can {
    let at = |index: u32| can.get(index as usize).copied().unwrap_or(Can::Anything);
    match op {
        Op::Bool(yes) => Can::Bool { yes, no: !yes },
        Op::Int(number) => Can::Number(number.into(), number.into()),
        Op::Load(load) => loaded(program, ranges, load),
        Op::Not(inner) => match at(inner) {
            Can::Bool { yes, no } => Can::Bool { yes: no, no: yes },
            _ => EITHER,
        },
        Op::Both(left, right) => both(at(left), at(right)),
        Op::Either(left, right) => one_of(at(left), at(right)),
        Op::All(start, len) => sides(program, start, len)
            .fold(Can::Bool { yes: true, no: false }, |all, side| both(all, at(side))),
        Op::Any(start, len) => sides(program, start, len)
            .fold(Can::Bool { yes: false, no: true }, |any, side| one_of(any, at(side))),
        Op::Choose(condition, yes, no) => match at(condition) {
            Can::Bool { yes: true, no: false } => at(yes),
            Can::Bool { yes: false, no: true } => at(no),
            _ => either(at(yes), at(no)),
        },
        Op::Compare(comparison, left, right) => compared(comparison, at(left), at(right)),
        Op::CellWithin(cell, low, high) => within(loaded(program, ranges, Load::Cell(cell)), low, high),
        Op::Within(load, low, high) => within(loaded(program, ranges, load), low, high),
        Op::Arithmetic(how, left, right) => arithmetic(how, at(left), at(right)),
        Op::Sum(start, len) => summed(program, ranges, start, len),
        Op::SumWithin(start, len, low, high) => within(summed(program, ranges, start, len), low, high),
        Op::Least(left, right) => match (at(left), at(right)) {
            (Can::Number(a, b), Can::Number(c, d)) => Can::Number(a.min(c), b.min(d)),
            _ => Can::Anything,
        },
        Op::Greatest(left, right) => match (at(left), at(right)) {
            (Can::Number(a, b), Can::Number(c, d)) => Can::Number(a.max(c), b.max(d)),
            _ => Can::Anything,
        },
        Op::Negate(inner) => match at(inner) {
            Can::Number(low, high) => Can::Number(-high, -low),
            _ => Can::Anything,
        },
        Op::Size(_) => Can::Number(0, i64::MAX.into()),
        Op::Tally(start, len) => {
            // A value that is unset counts as nothing.
            let each = added(program, start, len).map(|load| match loaded(program, ranges, load) {
                Can::Number(low, high) => (low.min(0), high.max(0)),
                Can::Bool { yes, .. } => (0, yes.into()),
                Can::Anything => (0, i64::MAX.into()),
            });
            let (low, high) = each.fold((0_i128, 0_i128), |(a, b), (c, d)| (a + c, b + d));
            Can::Number(low.max(i64::MIN.into()), high.min(i64::MAX.into()))
        }
        Op::In(..) | Op::Has(..) | Op::CompareFloats(..) => EITHER,
        Op::Null
        | Op::Text(_)
        | Op::Float(_)
        | Op::List(_)
        | Op::Member(..)
        | Op::Entry(..)
        | Op::NegateFloat(_)
        | Op::Floats(..)
        | Op::LeastFloat(..)
        | Op::GreatestFloat(..) => Can::Anything,
    }
}

fn both(left: Can, right: Can) -> Can {
    match (left, right) {
        (Can::Bool { yes: a, no: b }, Can::Bool { yes: c, no: d }) => Can::Bool { yes: a && c, no: b || d },
        _ => EITHER,
    }
}

fn one_of(left: Can, right: Can) -> Can {
    match (left, right) {
        (Can::Bool { yes: a, no: b }, Can::Bool { yes: c, no: d }) => Can::Bool { yes: a || c, no: b && d },
        _ => EITHER,
    }
}

/// The sides of a row of `&&` or `||`.
fn sides(program: &Program, start: u32, len: u32) -> impl Iterator<Item = u32> {
    program.lists.get(start as usize..(start + len) as usize).unwrap_or_default().iter().copied()
}

/// The terms of a sum.
fn added(program: &Program, start: u32, len: u32) -> impl Iterator<Item = Load> {
    program.sums.get(start as usize..(start + len) as usize).unwrap_or_default().iter().copied()
}

fn summed(program: &Program, ranges: &impl Ranges, start: u32, len: u32) -> Can {
    let each = added(program, start, len).map(|load| loaded(program, ranges, load));
    each.fold(Can::Number(0, 0), |sum, next| arithmetic(Arithmetic::Add, sum, next))
}

fn loaded(program: &Program, ranges: &impl Ranges, load: Load) -> Can {
    let number = |(low, high): (i64, i64)| Can::Number(low.into(), high.into());
    let fact = |level: usize, fact: Fact| ranges.fact(level, fact);
    let is_bool = |cell: u32| program.bool_cells.contains(&cell);
    match load {
        Load::Cell(cell) | Load::CellOn { first: cell, .. } => match ranges.cell(cell as usize) {
            Some((low, high)) if is_bool(cell) => Can::Bool { yes: high > 0, no: low < 1 },
            Some(range) => number(range),
            None => Can::Anything,
        },
        Load::Fact { index: at, fact: which }
        | Load::FactOn { first: at, fact: which }
        | Load::FactAny { first: at, fact: which } => {
            let (low, high) = fact(at as usize / program.difficulties.max(1) as usize, which);
            if which == Fact::Finished {
                Can::Bool { yes: high > 0, no: low < 1 }
            } else {
                number((low, high))
            }
        }
        Load::Total { on, fact: which, start, len } => {
            let times = if on == On::All { ranges.difficulties() as i128 } else { 1 };
            let spans = program.spans.get(start as usize..(start + len) as usize).unwrap_or_default();
            let levels = spans.iter().flat_map(|(first, end)| *first as usize..*end as usize);
            let each = levels.map(|level| fact(level, which));
            let (low, high) =
                each.fold((0_i128, 0_i128), |(a, b), (c, d)| (a + i128::from(c), b + i128::from(d)));
            Can::Number(low * times, high * times)
        }
        Load::Unlocked(unlock) => Can::Bool { yes: ranges.unlocked(unlock as usize), no: true },
        Load::Played => Can::Number(0, i64::MAX.into()),
        Load::Word(Word::Phase | Word::Level | Word::Checkpoint | Word::Furthest | Word::Difficulty) => {
            Can::Anything
        }
    }
}

/// Whether a number can be between two bounds, and whether it can be outside.
fn within(number: Can, low: i64, high: i64) -> Can {
    let Can::Number(least, most) = number else { return EITHER };
    let (low, high) = (i128::from(low), i128::from(high));
    Can::Bool {
        yes: low <= high && least <= high && most >= low,
        no: low > high || least < low || most > high,
    }
}

fn either(a: Can, b: Can) -> Can {
    match (a, b) {
        (Can::Bool { yes: a, no: b }, Can::Bool { yes: c, no: d }) => Can::Bool { yes: a || c, no: b || d },
        (Can::Number(a, b), Can::Number(c, d)) => Can::Number(a.min(c), b.max(d)),
        _ => Can::Anything,
    }
}

fn compared(comparison: Comparison, left: Can, right: Can) -> Can {
    let (Can::Number(a, b), Can::Number(c, d)) = (left, right) else { return EITHER };
    let (always, never) = match comparison {
        Comparison::Less => (b < c, a >= d),
        Comparison::LessOrEqual => (b <= c, a > d),
        Comparison::Greater => (a > d, b <= c),
        Comparison::GreaterOrEqual => (a >= d, b < c),
        Comparison::Equal => (a == b && c == d && a == c, b < c || d < a),
        Comparison::NotEqual => (b < c || d < a, a == b && c == d && a == c),
    };
    Can::Bool { yes: !never, no: !always }
}

fn arithmetic(how: Arithmetic, left: Can, right: Can) -> Can {
    match unbounded(how, left, right) {
        // A result outside 64 bits is an error, so results are within.
        Some((low, high)) => Can::Number(low.max(i64::MIN.into()), high.min(i64::MAX.into())),
        None => Can::Anything,
    }
}

/// The range of a result without the limit of 64 bits; `None` if it is not a whole number.
fn unbounded(how: Arithmetic, left: Can, right: Can) -> Option<(i128, i128)> {
    let (Can::Number(a, b), Can::Number(c, d)) = (left, right) else { return None };
    Some(match how {
        Arithmetic::Add => (a + c, b + d),
        Arithmetic::Subtract => (a - d, b - c),
        Arithmetic::Multiply => {
            let corners =
                [a.saturating_mul(c), a.saturating_mul(d), b.saturating_mul(c), b.saturating_mul(d)];
            (corners.into_iter().min().unwrap_or(a), corners.into_iter().max().unwrap_or(b))
        }
        // Division never moves a number away from zero.
        Arithmetic::Divide if c > 0 => (a.min(0), b.max(0)),
        Arithmetic::Divide => {
            let most = a.abs().max(b.abs());
            (-most, most)
        }
        Arithmetic::Remainder => {
            let most = c.abs().max(d.abs());
            (-most, most)
        }
    })
}
