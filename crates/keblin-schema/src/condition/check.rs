//! The type check. Takes an expression and emits the operations of a program: every name is resolved, the operands of
//! each operation have the types it takes, and whatever can end in an error is noted with its place.

use std::ops::Range;
use std::sync::Arc;

use super::fuse::{literal_kind, sides, within};
use super::guards::guarded_names;
use super::parse::{Expr, Node};
use super::{ConditionError, meant};
use crate::model::Model;
use crate::name::nearest;
use crate::names;
use crate::program::{Comparison, Failing, Load, Op, Program, Read, Type, Word, small};
use crate::value::Value;
use crate::value::kind::{Holds, Ids, Kind};

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

/// How many ids a message lists, at most.
const MAX_LISTED: usize = 8;

pub(super) type Checked = Result<Typed, ConditionError>;

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

    /// Returns the program of everything that was emitted.
    pub(super) fn program(self, source: &str) -> Program {
        let model = self.model;
        let difficulties = if model.level_facts_per_difficulty { model.difficulties.len().max(1) } else { 1 };
        Program {
            source: Arc::from(source),
            root: self.ops.last().copied().unwrap_or(Op::Null),
            ops: self.ops.into(),
            texts: self.texts.into(),
            lists: self.lists.into(),
            sums: self.sums.into(),
            wholes: self.wholes.into(),
            spans: self.spans.into(),
            difficulties: small(difficulties),
            reads: self.reads.into(),
            bool_cells: self.bool_cells.into(),
            can_fail: self.can_fail,
            asks_in_question: self.asks_in_question,
        }
    }

    pub(super) fn mismatch(&self, expr: &Expr, expected: &str, found: Type) -> ConditionError {
        ConditionError::new(expr.span.clone(), format!("expected {expected}, but found {found}"))
            .instead_if(meant::of_type(self.model, expr, expected, found))
    }

    pub(super) fn emit(&mut self, op: Op, kind: Type) -> Typed {
        self.ops.push(op);
        Typed { at: small(self.ops.len() - 1), kind, may_be_unset: kind == Type::Null, ids: None }
    }

    pub(super) fn fails(&mut self, span: &Range<usize>, why: Failing) {
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
            Node::Arithmetic(..) => self.calculations(expr),
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
            let kind = literal_kind(value).ok_or_else(|| self.mismatch(item, "a value", Type::Null))?;
            if of.is_some_and(|of| of != kind) {
                let expected = of.map_or(String::new(), Kind::with_article);
                return Err(self.mismatch(item, &expected, Holds::from(kind).into()));
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
            other => Err(self.mismatch(expr, "true or false", other.kind)),
        }
    }

    /// Checks that an operand is a number or a time, or, if they are taken, a day or an instant.
    pub(super) fn operand(&mut self, expr: &Expr, takes_days: bool) -> Checked {
        let typed = self.expr(expr)?;
        self.as_operand(expr, typed, takes_days)
    }

    /// Checks the same for an expression that is emitted already.
    pub(super) fn as_operand(&mut self, expr: &Expr, typed: Typed, takes_days: bool) -> Checked {
        let fits = match typed.kind {
            Type::Int | Type::Time | Type::Float => true,
            Type::Date | Type::Instant => takes_days,
            _ => false,
        };
        if !fits {
            return Err(self.mismatch(expr, "a number or a time", typed.kind));
        }
        if typed.may_be_unset {
            self.fails(&expr.span, Failing::Unset);
        }
        Ok(typed)
    }

    /// Checks that two sides have one type. Null can be compared with any value that may be unset.
    pub(super) fn same(&self, left: (&Expr, Typed), right: (&Expr, Typed)) -> Result<(), ConditionError> {
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
        if alike { Ok(()) } else { Err(self.mismatch(right.0, &a.to_string(), b)) }
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
        let error = ConditionError::new(text.span.clone(), format!("`{found}` is not {what}"));
        let few = || (known.len() <= MAX_LISTED).then(|| format!("write one of: {}", known.join(", ")));
        Err(match nearest(found, known.iter().map(String::as_str)) {
            Some(nearest) => error.meant(Some(nearest)),
            None => error.instead_if(few()),
        })
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
            other => return Err(self.mismatch(list, "a list, set or map", other)),
        };
        if let Some(of) = of.map(|of| Type::from(Holds::from(of))).filter(|of| *of != typed.kind) {
            return Err(self.mismatch(what, &of.to_string(), typed.kind));
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
            return Err(self.mismatch(yes, "a number, a text, or true or false", kind));
        }
        let typed = self.emit(Op::Choose(condition, a.at, b.at), kind);
        Ok(Typed { may_be_unset: a.may_be_unset || b.may_be_unset, ..typed })
    }
}
