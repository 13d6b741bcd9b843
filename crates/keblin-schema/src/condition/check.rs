//! The type check. Takes an expression and emits the operations of a program: every name is resolved, the operands of
//! each operation have the types it takes, and whatever can end in an error is noted with its place.

use std::fmt::Display;
use std::ops::Range;
use std::str::FromStr;
use std::sync::Arc;

use super::fuse::{literal_kind, sides, within};
use super::guards::guarded_names;
use super::parse::{Expr, Node, Part};
use super::{ConditionError, names};
use crate::model::Model;
use crate::program::{Arithmetic, Comparison, Failing, Load, Op, Read, Type, Word, small};
use crate::text::date::{Date, Instant};
use crate::text::name::nearest;
use crate::text::time::Time;
use crate::value::Value;
use crate::value::kind::{Holds, Ids, Kind};

/// The functions that can be called.
const FUNCTIONS: [&str; 6] = ["duration", "date", "timestamp", "least", "greatest", "size"];

/// An emitted operation: its position, its type, and whether it may be unset.
#[derive(Clone, Copy, Debug)]
pub(super) struct Typed {
    pub(super) at: u32,
    pub(super) kind: Type,
    pub(super) may_be_unset: bool,
    /// The list of its ids, if it is an id or contains ids.
    pub(super) ids: Option<Ids>,
}

pub(super) struct Compiler<'s> {
    pub(super) model: &'s Model,
    pub(super) ops: Vec<Op>,
    pub(super) texts: Vec<Arc<str>>,
    pub(super) lists: Vec<u32>,
    pub(super) sums: Vec<Load>,
    pub(super) spans: Vec<(u32, u32)>,
    pub(super) wholes: Vec<Value>,
    pub(super) reads: Vec<Read>,
    pub(super) bool_cells: Vec<u32>,
    pub(super) can_fail: Option<(Range<usize>, Failing)>,
    pub(super) asks_in_question: Option<Range<usize>>,
    /// The names that a guard has tested for null.
    pub(super) known_set: Vec<String>,
}

pub(super) type Checked = Result<Typed, ConditionError>;

fn mismatch(expr: &Expr, expected: &str, found: Type) -> ConditionError {
    ConditionError::new(expr.span.clone(), format!("expected {expected}, but found {found}"))
}

impl<'s> Compiler<'s> {
    pub(super) fn new(model: &'s Model) -> Compiler<'s> {
        Compiler {
            model,
            ops: Vec::new(),
            texts: Vec::new(),
            lists: Vec::new(),
            sums: Vec::new(),
            spans: Vec::new(),
            wholes: Vec::new(),
            reads: Vec::new(),
            bool_cells: Vec::new(),
            can_fail: None,
            asks_in_question: None,
            known_set: Vec::new(),
        }
    }

    pub(super) fn emit(&mut self, op: Op, kind: Type) -> Typed {
        self.ops.push(op);
        Typed { at: small(self.ops.len() - 1), kind, may_be_unset: kind == Type::Null, ids: None }
    }

    fn fails(&mut self, span: &Range<usize>, why: Failing) {
        self.can_fail.get_or_insert((span.clone(), why));
    }

    /// Emits an expression; its operation is the last one emitted.
    pub(super) fn expr(&mut self, expr: &Expr) -> Checked {
        match &expr.node {
            Node::Literal(value) => Ok(self.literal(value)),
            Node::List(items) => self.list(items),
            Node::Path(path) => self.path(expr, path),
            Node::Not(inner) => {
                let inner = self.bool(inner)?;
                Ok(self.emit(Op::Not(inner), Type::Bool))
            }
            Node::Negate(inner) => {
                let typed = self.operand(inner, false)?;
                let op =
                    if typed.kind == Type::Float { Op::NegateFloat(typed.at) } else { Op::Negate(typed.at) };
                Ok(self.emit(op, typed.kind))
            }
            Node::And(..) => self.row(expr, Comparison::NotEqual, Op::Both, Op::All),
            Node::Or(..) => self.row(expr, Comparison::Equal, Op::Either, Op::Any),
            Node::Compare(how, left, right) => self.compare(*how, left, right),
            Node::Arithmetic(how, left, right) => self.arithmetic(*how, left, right),
            Node::In(what, list) => self.is_in(what, list),
            Node::Choose(condition, yes, no) => self.choose(condition, yes, no),
            Node::Call(name, arguments) => self.call(expr, name, arguments),
        }
    }

    /// Emits a row of `&&` or `||`. After `x != null && …` or `x == null || …`, `x` is known to be set.
    fn row(
        &mut self,
        expr: &Expr,
        asks: Comparison,
        of_two: fn(u32, u32) -> Op,
        of_many: fn(u32, u32) -> Op,
    ) -> Checked {
        let known = self.known_set.len();
        let sides = sides(expr);
        let mut positions = Vec::with_capacity(sides.len());
        for side in &sides {
            positions.push(self.bool(side)?);
            guarded_names(side, asks, &mut self.known_set);
        }
        self.known_set.truncate(known);
        if let [left, right] = positions.as_slice() {
            return Ok(self.emit(of_two(*left, *right), Type::Bool));
        }
        let (start, len) = (small(self.lists.len()), small(positions.len()));
        self.lists.extend(positions);
        Ok(self.emit(of_many(start, len), Type::Bool))
    }

    fn literal(&mut self, value: &Value) -> Typed {
        match value {
            Value::Unset => self.emit(Op::Null, Type::Null),
            Value::Bool(yes) => self.emit(Op::Bool(*yes), Type::Bool),
            Value::Int(number) => self.emit(Op::Int(*number), Type::Int),
            Value::Time(time) => self.emit(Op::Int(time.as_nanos()), Type::Time),
            Value::Float(number) => self.emit(Op::Float(*number), Type::Float),
            Value::Text(text) => {
                self.texts.push(Arc::clone(text));
                self.emit(Op::Text(small(self.texts.len() - 1)), Type::Text)
            }
            // No other type has literals.
            _ => self.emit(Op::Null, Type::Null),
        }
    }

    /// Emits a list that does not follow `in`: its items are literals of one type.
    fn list(&mut self, items: &[Expr]) -> Checked {
        let mut values = Vec::new();
        let mut of: Option<Kind> = None;
        for item in items {
            let Node::Literal(value) = &item.node else {
                return Err(ConditionError::new(item.span.clone(), "expected a literal value"));
            };
            let kind = literal_kind(value).ok_or_else(|| mismatch(item, "a value", Type::Null))?;
            if of.is_some_and(|of| of != kind) {
                let expected = of.map_or(String::new(), Kind::with_article);
                return Err(mismatch(item, &expected, Holds::from(kind).into()));
            }
            of = Some(kind);
            values.push(value.clone());
        }
        self.wholes.push(Value::List(values.into()));
        Ok(self.emit(Op::List(small(self.wholes.len() - 1)), Type::List(of)))
    }

    fn bool(&mut self, expr: &Expr) -> Result<u32, ConditionError> {
        match self.expr(expr)? {
            Typed { kind: Type::Bool, at, .. } => Ok(at),
            other => Err(mismatch(expr, "true or false", other.kind)),
        }
    }

    /// Checks that an operand is a number or a time, or, if they are taken, a day or an instant.
    fn operand(&mut self, expr: &Expr, takes_days: bool) -> Checked {
        let typed = self.expr(expr)?;
        let fits = match typed.kind {
            Type::Int | Type::Time | Type::Float => true,
            Type::Date | Type::Instant => takes_days,
            _ => false,
        };
        if !fits {
            return Err(mismatch(expr, "a number or a time", typed.kind));
        }
        if typed.may_be_unset {
            self.fails(&expr.span, Failing::Unset);
        }
        Ok(typed)
    }

    /// Checks that two sides have one type. Null can be compared with any value that may be unset.
    fn same(&self, left: (&Expr, Typed), right: (&Expr, Typed)) -> Result<(), ConditionError> {
        let (a, b) = (left.1.kind, right.1.kind);
        // A list of ids is written as texts; an empty list fits any type.
        let goes_with = |a: Option<Kind>, b: Option<Kind>| match (a, b) {
            (None, _) | (_, None) => true,
            (Some(a), Some(b)) => Type::from(Holds::from(a)) == Type::from(Holds::from(b)),
        };
        let alike = match (a, b) {
            (Type::List(a), Type::List(b)) => goes_with(a, b),
            (Type::Whole(_) | Type::Items(_), _) => b == Type::Null,
            (a, b) => a == b || a == Type::Null || b == Type::Null,
        };
        if alike { Ok(()) } else { Err(mismatch(right.0, &a.to_string(), b)) }
    }

    fn compare(&mut self, how: Comparison, left: &Expr, right: &Expr) -> Checked {
        if how.is_order() {
            let (a, b) = (self.operand(left, true)?, self.operand(right, true)?);
            self.same((left, a), (right, b))?;
            return Ok(self.comparison(how, a, b));
        }
        let (a, b) = (self.expr(left)?, self.expr(right)?);
        self.same((left, a), (right, b))?;
        self.known_id(a, right)?;
        self.known_id(b, left)?;
        Ok(self.comparison(how, a, b))
    }

    /// Emits a comparison; ordering a number that is read against a literal is one operation.
    fn comparison(&mut self, how: Comparison, left: Typed, right: Typed) -> Typed {
        let floats = how.is_order() && left.kind == Type::Float;
        let op = if floats { Op::CompareFloats } else { Op::Compare };
        let [held, with] = [left, right].map(|typed| self.ops.get(typed.at as usize).copied());
        let ends = if let Some(Op::Int(with)) = with { within(how, with) } else { None };
        let fused = match (held, ends) {
            (Some(Op::Load(Load::Cell(cell))), Some((low, high))) => Op::CellWithin(cell, low, high),
            (Some(Op::Load(load)), Some((low, high))) => Op::Within(load, low, high),
            (Some(Op::Sum(start, len)), Some((low, high))) => Op::SumWithin(start, len, low, high),
            _ => return self.emit(op(how, left.at, right.at), Type::Bool),
        };
        self.ops.truncate(left.at as usize);
        self.emit(fused, Type::Bool)
    }

    /// Checks that a text compared with an id, or with items of a list of ids, is one of the possible ids.
    fn known_id(&self, id: Typed, text: &Expr) -> Result<(), ConditionError> {
        if let Node::List(items) = &text.node {
            return items.iter().try_for_each(|item| self.known_id(id, item));
        }
        let Node::Literal(Value::Text(found)) = &text.node else { return Ok(()) };
        let (what, known): (_, Vec<String>) = match (self.ops.get(id.at as usize), id.ids) {
            (Some(Op::Load(Load::Word(Word::Phase))), _) => {
                ("a phase", names::PHASES.map(str::to_string).into())
            }
            (Some(Op::Load(Load::Word(Word::Checkpoint))), _) => {
                let all = self.model.levels.iter().flat_map(|level| &level.checkpoints);
                ("the id of a declared checkpoint", all.map(ToString::to_string).collect())
            }
            (_, Some(ids)) => {
                let what = match ids {
                    Ids::Levels => "the id of a declared level",
                    Ids::Difficulties => "the id of a declared difficulty",
                    Ids::Unlocks => "the id of a declared unlock",
                    Ids::Checkpoints => "the id of a declared checkpoint",
                    Ids::List(_) => "an item of this list",
                };
                (what, self.model.id_texts(ids).collect())
            }
            _ => return Ok(()),
        };
        if known.iter().any(|known| **known == **found) {
            return Ok(());
        }
        let nearest = nearest(found, known.iter().map(String::as_str));
        Err(ConditionError::new(text.span.clone(), format!("`{found}` is not {what}")).meant(nearest))
    }

    fn arithmetic(&mut self, how: Arithmetic, left: &Expr, right: &Expr) -> Checked {
        let is_sum = matches!(how, Arithmetic::Add | Arithmetic::Subtract);
        let (a, b) = (self.operand(left, is_sum)?, self.operand(right, is_sum)?);
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
            return Err(mismatch(right, expected, b.kind));
        }
        let floats = (a.kind, b.kind) == (Type::Float, Type::Float) && how != Arithmetic::Remainder;
        if !is_sum && !floats && (a.kind, b.kind) != (Type::Int, Type::Int) {
            let (wrong, kind) = if a.kind == Type::Int { (right, b.kind) } else { (left, a.kind) };
            return Err(mismatch(wrong, &format!("a whole number next to `{}`", how.sign()), kind));
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

    fn is_in(&mut self, what: &Expr, list: &Expr) -> Checked {
        let typed = self.expr(what)?;
        let Node::List(items) = &list.node else { return self.has(what, typed, list) };
        let mut positions = Vec::new();
        for item in items {
            let found = self.expr(item)?;
            self.same((what, typed), (item, found))?;
            self.known_id(typed, item)?;
            positions.push(found.at);
        }
        let start = small(self.lists.len());
        self.lists.extend(positions);
        Ok(self.emit(Op::In(typed.at, start, small(items.len())), Type::Bool))
    }

    /// `x in field`
    fn has(&mut self, what: &Expr, typed: Typed, list: &Expr) -> Checked {
        let found = self.expr(list)?;
        let of = match found.kind {
            Type::List(of) => of,
            Type::Items(of) => Some(of),
            other => return Err(mismatch(list, "a list, set or map", other)),
        };
        if let Some(of) = of.map(|of| Type::from(Holds::from(of))).filter(|of| *of != typed.kind) {
            return Err(mismatch(what, &of.to_string(), typed.kind));
        }
        self.known_id(found, what)?;
        Ok(self.emit(Op::Has(typed.at, found.at), Type::Bool))
    }

    fn choose(&mut self, condition: &Expr, yes: &Expr, no: &Expr) -> Checked {
        let condition = self.bool(condition)?;
        let (a, b) = (self.expr(yes)?, self.expr(no)?);
        self.same((yes, a), (no, b))?;
        let kind = if a.kind == Type::Null { b.kind } else { a.kind };
        if matches!(kind, Type::List(_)) {
            return Err(mismatch(yes, "a number, a text, or true or false", kind));
        }
        let typed = self.emit(Op::Choose(condition, a.at, b.at), kind);
        Ok(Typed { may_be_unset: a.may_be_unset || b.may_be_unset, ..typed })
    }

    /// Parses the literal text that a function takes.
    fn written<T: FromStr<Err: Display>>(&self, one: &Expr, example: &str) -> Result<T, ConditionError> {
        match &one.node {
            Node::Literal(Value::Text(text)) => {
                text.parse().map_err(|fault| ConditionError::new(one.span.clone(), format!("{fault}")))
            }
            _ => Err(ConditionError::new(
                one.span.clone(),
                format!("expected a literal text such as {example}"),
            )),
        }
    }

    fn call(&mut self, expr: &Expr, name: &Part, arguments: &[Expr]) -> Checked {
        match (name.word.as_str(), arguments) {
            ("duration", [one]) => {
                let time: Time = self.written(one, "'90s'")?;
                Ok(self.emit(Op::Int(time.as_nanos()), Type::Time))
            }
            ("date", [one]) => {
                let day: Date = self.written(one, "'2026-11-29'")?;
                Ok(self.emit(Op::Int(day.days()), Type::Date))
            }
            ("timestamp", [one]) => {
                let instant: Instant = self.written(one, "'2026-11-29T10:14:08Z'")?;
                Ok(self.emit(Op::Int(instant.unix_ms()), Type::Instant))
            }
            ("size", [one]) => match self.expr(one)? {
                Typed { kind: Type::Text | Type::List(_) | Type::Items(_), at, may_be_unset, .. } => {
                    if may_be_unset {
                        self.fails(&one.span, Failing::Unset);
                    }
                    Ok(self.emit(Op::Size(at), Type::Int))
                }
                other => Err(mismatch(one, "a text, list, set or map", other.kind)),
            },
            ("least" | "greatest", [left, right]) => {
                let (a, b) = (self.operand(left, true)?, self.operand(right, true)?);
                self.same((left, a), (right, b))?;
                let op = match (name.word == "least", a.kind == Type::Float) {
                    (true, false) => Op::Least(a.at, b.at),
                    (false, false) => Op::Greatest(a.at, b.at),
                    (true, true) => Op::LeastFloat(a.at, b.at),
                    (false, true) => Op::GreatestFloat(a.at, b.at),
                };
                Ok(self.emit(op, a.kind))
            }
            ("least" | "greatest", _) => Err(count(expr, name, "two values", arguments.len())),
            ("duration" | "date" | "timestamp" | "size", _) => {
                Err(count(expr, name, "one value", arguments.len()))
            }
            (other, _) => {
                let error = ConditionError::new(name.span.clone(), format!("`{other}` is not a function"));
                Err(error.instead(match nearest(other, FUNCTIONS) {
                    Some(nearest) => format!("did you mean `{nearest}`?"),
                    None => format!("known: {}", FUNCTIONS.join(", ")),
                }))
            }
        }
    }
}

fn count(expr: &Expr, name: &Part, takes: &str, found: usize) -> ConditionError {
    ConditionError::new(expr.span.clone(), format!("`{}` takes {takes}, but found {found}", name.word))
}
