//! Calculations: numbers, times, days and instants, and which of them go together.

use super::check::{Checked, Compiler, Typed};
use super::parse::{Expr, Node};
use crate::program::{Arithmetic, Failing, Op, Type, small};

impl Compiler<'_> {
    /// Emits a row of calculations from the left. A row may be long, so it is not a call in a call.
    pub(super) fn calculations(&mut self, expr: &Expr) -> Checked {
        let (mut first, mut row) = (expr, Vec::new());
        while let Node::Arithmetic(how, left, right) = &first.node {
            row.push((*how, &**left, &**right));
            first = left;
        }
        let first = self.expr(first)?;
        let mut rest = row.into_iter().rev();
        rest.try_fold(first, |typed, (how, left, right)| self.arithmetic(how, (left, typed), right))
    }

    fn arithmetic(&mut self, how: Arithmetic, (left, typed): (&Expr, Typed), right: &Expr) -> Checked {
        let is_sum = matches!(how, Arithmetic::Add | Arithmetic::Subtract);
        let (a, b) = (self.as_operand(left, typed, is_sum)?, self.operand(right, is_sum)?);
        if let Some(typed) = self.of_days(how, a, b) {
            return Ok(typed);
        }
        let goes_with = match (a.kind, how) {
            (Type::Date, Arithmetic::Add) => Some("a whole number of days"),
            (Type::Date, _) => Some("a day or a whole number of days"),
            (Type::Instant, Arithmetic::Add) => Some("a time"),
            (Type::Instant, _) => Some("an instant or a time"),
            _ => matches!(b.kind, Type::Date | Type::Instant).then_some("a number or a time"),
        };
        if let Some(expected) = goes_with {
            return Err(self.mismatch(right, expected, b.kind));
        }
        let floats = (a.kind, b.kind) == (Type::Float, Type::Float) && how != Arithmetic::Remainder;
        if !is_sum && !floats && (a.kind, b.kind) != (Type::Int, Type::Int) {
            let (wrong, kind) = if a.kind == Type::Int { (right, b.kind) } else { (left, a.kind) };
            return Err(self.mismatch(wrong, &format!("a whole number next to `{}`", how.sign()), kind));
        }
        self.same((left, a), (right, b))?;
        let divides = matches!(how, Arithmetic::Divide | Arithmetic::Remainder);
        let by_zero = match self.ops.get(b.at as usize) {
            Some(Op::Int(number)) => *number < 1,
            Some(Op::Float(number)) => number.get() == 0.0,
            _ => true,
        };
        if divides && by_zero {
            self.fails(&right.span, Failing::Zero);
        }
        Ok(match (a.kind, how) {
            (Type::Float, _) => self.emit(Op::Floats(how, a.at, b.at), a.kind),
            (_, Arithmetic::Add) => self.sum(a, b),
            _ => self.emit(Op::Arithmetic(how, a.at, b.at), a.kind),
        })
    }

    /// Emits what can be calculated with days and instants: how far they are apart, and what is so much later or
    /// earlier. `None` if it is something else.
    fn of_days(&mut self, how: Arithmetic, left: Typed, right: Typed) -> Option<Typed> {
        const NANOS_PER_MILLI: i64 = 1_000_000;
        let subtracts = how == Arithmetic::Subtract;
        match (left.kind, right.kind) {
            (Type::Date, Type::Date) if subtracts => {
                Some(self.emit(Op::Arithmetic(how, left.at, right.at), Type::Int))
            }
            (Type::Date, Type::Int) => Some(self.emit(Op::Arithmetic(how, left.at, right.at), Type::Date)),
            (Type::Instant, Type::Instant) if subtracts => {
                let apart = self.emit(Op::Arithmetic(how, left.at, right.at), Type::Int);
                let unit = self.emit(Op::Int(NANOS_PER_MILLI), Type::Int);
                Some(self.emit(Op::Arithmetic(Arithmetic::Multiply, apart.at, unit.at), Type::Time))
            }
            (Type::Instant, Type::Time) => {
                let unit = self.emit(Op::Int(NANOS_PER_MILLI), Type::Int);
                let by = self.emit(Op::Arithmetic(Arithmetic::Divide, right.at, unit.at), Type::Int);
                Some(self.emit(Op::Arithmetic(how, left.at, by.at), Type::Instant))
            }
            _ => None,
        }
    }

    /// Emits an addition; terms that are only read become one sum.
    fn sum(&mut self, left: Typed, right: Typed) -> Typed {
        let op = |typed: Typed| self.ops.get(typed.at as usize).copied();
        let end = small(self.sums.len());
        let (start, added) = match (op(left), op(right)) {
            (Some(Op::Load(first)), Some(Op::Load(second))) => (end, vec![first, second]),
            (Some(Op::Sum(start, len)), Some(Op::Load(next))) if start + len == end => (start, vec![next]),
            _ => return self.emit(Op::Arithmetic(Arithmetic::Add, left.at, right.at), left.kind),
        };
        self.sums.extend(added);
        self.ops.truncate(left.at as usize);
        let len = small(self.sums.len()) - start;
        self.emit(Op::Sum(start, len), left.kind)
    }
}
