//! Types: what may stand where. Takes an expression, emits the operations of a program: every name is resolved, every
//! operation's sides are of the types it takes, and what can end in an error is noted with its place.

use std::ops::Range;
use std::sync::Arc;

use super::compile::{Type, small};
use super::guards::{dotted, guarded_names};
use super::names::{Asked, Fact, On, resolve};
use super::parse::{Arithmetic, Comparison, Expr, Node, Part};
use super::program::{Failing, Load, Op, Read, Word};
use super::{ConditionError, names};
use crate::model::{At, Axis, Schema};
use crate::name::{Name, nearest};
use crate::value::{Kind, Time, Value};

/// The functions that can be called.
const FUNCTIONS: [&str; 4] = ["duration", "least", "greatest", "size"];

/// An operation that was emitted: its position, its type, and whether it may be unset.
#[derive(Clone, Copy, Debug)]
pub(super) struct Typed {
    at: u32,
    pub(super) kind: Type,
    may_be_unset: bool,
}

pub(super) struct Compiler<'s> {
    schema: &'s Schema,
    pub(super) ops: Vec<Op>,
    pub(super) texts: Vec<Arc<str>>,
    pub(super) lists: Vec<u32>,
    pub(super) reads: Vec<Read>,
    pub(super) bool_cells: Vec<u32>,
    pub(super) can_fail: Option<(Range<usize>, Failing)>,
    pub(super) asks_in_question: Option<Range<usize>>,
    /// Names that were asked for being set, where that decides.
    known_set: Vec<String>,
}

pub(super) type Checked = Result<Typed, ConditionError>;

fn mismatch(expr: &Expr, expected: &str, found: Type) -> ConditionError {
    ConditionError::new(expr.span.clone(), format!("expected {expected}, but found {found}"))
}

impl<'s> Compiler<'s> {
    pub(super) fn new(schema: &'s Schema) -> Compiler<'s> {
        Compiler {
            schema,
            ops: Vec::new(),
            texts: Vec::new(),
            lists: Vec::new(),
            reads: Vec::new(),
            bool_cells: Vec::new(),
            can_fail: None,
            asks_in_question: None,
            known_set: Vec::new(),
        }
    }

    fn emit(&mut self, op: Op, kind: Type) -> Typed {
        self.ops.push(op);
        Typed { at: small(self.ops.len() - 1), kind, may_be_unset: kind == Type::Null }
    }

    fn fails(&mut self, span: &Range<usize>, why: Failing) {
        self.can_fail.get_or_insert((span.clone(), why));
    }

    /// Emits an expression; its operation is the last one.
    pub(super) fn expr(&mut self, expr: &Expr) -> Checked {
        match &expr.node {
            Node::Literal(value) => Ok(self.literal(value)),
            Node::Path(path) => self.path(expr, path),
            Node::Not(inner) => {
                let inner = self.bool(inner)?;
                Ok(self.emit(Op::Not(inner), Type::Bool))
            }
            Node::Negate(inner) => {
                let typed = self.number(inner)?;
                Ok(self.emit(Op::Negate(typed.at), typed.kind))
            }
            Node::And(left, right) => {
                let (left, right) = (self.bool(left)?, self.guarded(left, Comparison::NotEqual, right)?);
                Ok(self.emit(Op::And(left, right), Type::Bool))
            }
            Node::Or(left, right) => {
                let (left, right) = (self.bool(left)?, self.guarded(left, Comparison::Equal, right)?);
                Ok(self.emit(Op::Or(left, right), Type::Bool))
            }
            Node::Compare(how, left, right) => self.compare(*how, left, right),
            Node::Arithmetic(how, left, right) => self.arithmetic(*how, left, right),
            Node::In(what, list) => self.is_in(what, list),
            Node::Choose(condition, yes, no) => self.choose(condition, yes, no),
            Node::Call(name, arguments) => self.call(expr, name, arguments),
        }
    }

    /// The other side of `x != null && …` or `x == null || …`: where it counts, `x` is set.
    fn guarded(&mut self, guard: &Expr, asks: Comparison, expr: &Expr) -> Result<u32, ConditionError> {
        let known = self.known_set.len();
        guarded_names(guard, asks, &mut self.known_set);
        let compiled = self.bool(expr);
        self.known_set.truncate(known);
        compiled
    }

    fn literal(&mut self, value: &Value) -> Typed {
        match value {
            Value::Unset => self.emit(Op::Null, Type::Null),
            Value::Bool(yes) => self.emit(Op::Bool(*yes), Type::Bool),
            Value::Int(number) => self.emit(Op::Int(*number), Type::Int),
            Value::Time(time) => self.emit(Op::Int(time.as_nanos()), Type::Time),
            Value::Text(text) => {
                self.texts.push(Arc::clone(text));
                self.emit(Op::Text(small(self.texts.len() - 1)), Type::Text)
            }
        }
    }

    fn path(&mut self, expr: &Expr, path: &[Part]) -> Checked {
        let asked = resolve(self.schema, path)?;
        let load = self.load(expr, &asked)?;
        let typed = self.emit(Op::Load(load), asked.kind(self.schema).into());
        let known = self.known_set.contains(&dotted(path));
        Ok(Typed { may_be_unset: asked.may_be_unset(self.schema) && !known, ..typed })
    }

    fn load(&mut self, expr: &Expr, asked: &Asked) -> Result<Load, ConditionError> {
        let in_question = |compiler: &mut Self| {
            compiler.asks_in_question.get_or_insert(expr.span.clone());
        };
        let word = |compiler: &mut Self, word| {
            compiler.reads.push(Read::Word(word));
            Ok(Load::Word(word))
        };
        match asked {
            Asked::Field { field, at } => self.field(expr, *field, *at),
            Asked::Fact { level, on, fact } => {
                if *on == On::InQuestion && self.schema.level_facts_per_difficulty {
                    in_question(self);
                }
                self.reads.push(Read::Fact { fact: *fact, level: Some(*level) });
                Ok(self.fact(*level, *on, *fact))
            }
            Asked::Total { fact, on } => {
                if *on == On::InQuestion && self.schema.level_facts_per_difficulty {
                    in_question(self);
                }
                self.reads.push(Read::Fact { fact: *fact, level: None });
                Ok(Load::Total { on: *on, fact: *fact })
            }
            Asked::Unlocked(unlock) => {
                self.reads.push(Read::Unlocked(*unlock));
                Ok(Load::Unlocked(small(*unlock)))
            }
            Asked::Phase => word(self, Word::Phase),
            Asked::Level => word(self, Word::Level),
            Asked::Checkpoint => word(self, Word::Checkpoint),
            Asked::Furthest => word(self, Word::Furthest),
            Asked::Difficulty => word(self, Word::Difficulty),
            Asked::Played => {
                self.reads.push(Read::Played);
                Ok(Load::Played)
            }
        }
    }

    fn fact(&self, level: usize, on: On, fact: Fact) -> Load {
        let at = |difficulty| small(self.schema.fact_index(level, difficulty));
        match on {
            On::InQuestion => Load::FactOn { first: at(0), fact },
            On::One(difficulty) => Load::Fact { index: at(difficulty), fact },
            On::Any => Load::FactAny { first: at(0), fact },
        }
    }

    fn field(&mut self, expr: &Expr, field: usize, at: At) -> Result<Load, ConditionError> {
        let missing = || ConditionError::new(expr.span.clone(), "this field has no value at this place");
        let def = self.schema.fields.get(field).ok_or_else(missing)?;
        let open = def.per.contains(&Axis::Difficulty) && at.difficulty.is_none();
        let cell = |difficulty| self.schema.cell(def, at.on(difficulty)).ok_or_else(missing);
        if !open {
            let cell = cell(at.difficulty)?;
            self.bool_cells.extend((def.kind == Kind::Bool).then_some(small(cell)));
            self.reads.push(Read::Cells(cell..cell + 1));
            return Ok(Load::Cell(small(cell)));
        }
        let (first, last) = (cell(Some(0))?, cell(Some(self.schema.difficulties.len() - 1))?);
        self.bool_cells.extend((def.kind == Kind::Bool).then_some(small(first)));
        let apart = (last - first) / (self.schema.difficulties.len() - 1).max(1);
        self.reads.push(Read::Cells(first..last + 1));
        self.asks_in_question.get_or_insert(expr.span.clone());
        Ok(Load::CellOn { first: small(first), apart: small(apart) })
    }

    fn bool(&mut self, expr: &Expr) -> Result<u32, ConditionError> {
        match self.expr(expr)? {
            Typed { kind: Type::Bool, at, .. } => Ok(at),
            other => Err(mismatch(expr, "true or false", other.kind)),
        }
    }

    /// An int or a time that is added or ordered.
    fn number(&mut self, expr: &Expr) -> Checked {
        let typed = self.expr(expr)?;
        if !matches!(typed.kind, Type::Int | Type::Time) {
            return Err(mismatch(expr, "a whole number or a time", typed.kind));
        }
        if typed.may_be_unset {
            self.fails(&expr.span, Failing::Unset);
        }
        Ok(typed)
    }

    /// Two sides of one type. Null goes with anything that may be compared with it.
    fn same(&self, left: (&Expr, Typed), right: (&Expr, Typed)) -> Result<(), ConditionError> {
        let (a, b) = (left.1.kind, right.1.kind);
        if a == b || a == Type::Null || b == Type::Null {
            Ok(())
        } else {
            Err(mismatch(right.0, &a.to_string(), b))
        }
    }

    fn compare(&mut self, how: Comparison, left: &Expr, right: &Expr) -> Checked {
        if how.is_order() {
            let (a, b) = (self.number(left)?, self.number(right)?);
            self.same((left, a), (right, b))?;
            return Ok(self.comparison(how, a, b));
        }
        let (a, b) = (self.expr(left)?, self.expr(right)?);
        self.same((left, a), (right, b))?;
        self.known_id((a, left), (b, right))?;
        self.known_id((b, right), (a, left))?;
        Ok(self.comparison(how, a, b))
    }

    /// Emits a comparison, in one step where a number is read and held against one written out.
    fn comparison(&mut self, how: Comparison, left: Typed, right: Typed) -> Typed {
        let op = |typed: Typed| self.ops.get(typed.at as usize).copied();
        match (op(left), op(right)) {
            (Some(Op::Load(load)), Some(Op::Int(with))) => {
                self.ops.truncate(left.at as usize);
                self.emit(Op::CompareWith(how, load, with), Type::Bool)
            }
            _ => self.emit(Op::Compare(how, left.at, right.at), Type::Bool),
        }
    }

    /// An id that is held against a text must be able to be that text.
    fn known_id(&self, (id, _): (Typed, &Expr), (_, text): (Typed, &Expr)) -> Result<(), ConditionError> {
        let (Some(Op::Load(Load::Word(word))), Node::Literal(Value::Text(found))) =
            (self.ops.get(id.at as usize), &text.node)
        else {
            return Ok(());
        };
        let (what, known): (_, Vec<&str>) = match word {
            Word::Phase => ("phase", names::PHASES.to_vec()),
            Word::Level | Word::Furthest => {
                ("level", self.schema.levels.iter().map(|level| level.name.as_str()).collect())
            }
            Word::Difficulty => ("difficulty", self.schema.difficulties.iter().map(Name::as_str).collect()),
            Word::Checkpoint => {
                let all = self.schema.levels.iter().flat_map(|level| &level.checkpoints);
                ("checkpoint", all.map(Name::as_str).collect())
            }
        };
        if known.contains(&found.as_ref()) {
            return Ok(());
        }
        let nearest = nearest(found, known);
        Err(ConditionError::new(text.span.clone(), format!("there is no {what} `{found}`")).meant(nearest))
    }

    fn arithmetic(&mut self, how: Arithmetic, left: &Expr, right: &Expr) -> Checked {
        let (a, b) = (self.number(left)?, self.number(right)?);
        let is_sum = matches!(how, Arithmetic::Add | Arithmetic::Subtract);
        if !is_sum && (a.kind, b.kind) != (Type::Int, Type::Int) {
            let (wrong, kind) = if a.kind == Type::Int { (right, b.kind) } else { (left, a.kind) };
            return Err(mismatch(wrong, &format!("a whole number beside `{}`", how.sign()), kind));
        }
        self.same((left, a), (right, b))?;
        let by = self.ops.get(b.at as usize);
        if matches!(how, Arithmetic::Divide | Arithmetic::Remainder) && !matches!(by, Some(Op::Int(1..))) {
            self.fails(&right.span, Failing::Zero);
        }
        Ok(self.emit(Op::Arithmetic(how, a.at, b.at), a.kind))
    }

    fn is_in(&mut self, what: &Expr, list: &[Expr]) -> Checked {
        let typed = self.expr(what)?;
        let mut items = Vec::new();
        for item in list {
            let found = self.expr(item)?;
            self.same((what, typed), (item, found))?;
            self.known_id((typed, what), (found, item))?;
            items.push(found.at);
        }
        let start = small(self.lists.len());
        self.lists.extend(items);
        Ok(self.emit(Op::In(typed.at, start, small(list.len())), Type::Bool))
    }

    fn choose(&mut self, condition: &Expr, yes: &Expr, no: &Expr) -> Checked {
        let condition = self.bool(condition)?;
        let (a, b) = (self.expr(yes)?, self.expr(no)?);
        self.same((yes, a), (no, b))?;
        let kind = if a.kind == Type::Null { b.kind } else { a.kind };
        let typed = self.emit(Op::Choose(condition, a.at, b.at), kind);
        Ok(Typed { may_be_unset: a.may_be_unset || b.may_be_unset, ..typed })
    }

    fn call(&mut self, expr: &Expr, name: &Part, arguments: &[Expr]) -> Checked {
        match (name.word.as_str(), arguments) {
            ("duration", [one]) => match &one.node {
                Node::Literal(Value::Text(text)) => {
                    let time: Time = text
                        .parse()
                        .map_err(|fault| ConditionError::new(one.span.clone(), format!("{fault}")))?;
                    Ok(self.emit(Op::Int(time.as_nanos()), Type::Time))
                }
                _ => Err(ConditionError::new(one.span.clone(), "expected a text such as '90s', written out")),
            },
            ("size", [one]) => match self.expr(one)? {
                Typed { kind: Type::Text, at, may_be_unset } => {
                    if may_be_unset {
                        self.fails(&one.span, Failing::Unset);
                    }
                    Ok(self.emit(Op::Size(at), Type::Int))
                }
                other => Err(mismatch(one, "a text", other.kind)),
            },
            ("least" | "greatest", [left, right]) => {
                let (a, b) = (self.number(left)?, self.number(right)?);
                self.same((left, a), (right, b))?;
                let op = if name.word == "least" { Op::Least(a.at, b.at) } else { Op::Greatest(a.at, b.at) };
                Ok(self.emit(op, a.kind))
            }
            ("least" | "greatest", _) => Err(count(expr, name, "two values", arguments.len())),
            ("duration" | "size", _) => Err(count(expr, name, "one value", arguments.len())),
            (other, _) => {
                let error = ConditionError::new(name.span.clone(), format!("there is no function `{other}`"));
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
