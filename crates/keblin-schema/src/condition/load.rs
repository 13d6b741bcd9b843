//! Emits the operations that load names, and notes what each reads, so that a change of it re-evaluates the rule.

use super::ConditionError;
use super::check::{Checked, Compiler, Typed};
use super::guards::dotted;
use super::parse::Expr;
use crate::model::{At, Axis};
use crate::names::{Asked, Part, ids_of, resolve};
use crate::program::Type;
use crate::program::{Fact, On};
use crate::program::{Load, Op, Read, Word, small};
use crate::time::Time;
use crate::value::kind::Kind;
use crate::value::{Float, Value};

impl Compiler<'_> {
    pub(super) fn path(&mut self, expr: &Expr, path: &[Part]) -> Checked {
        let asked = resolve(self.model, path)?;
        let holds = asked.holds(self.model);
        if let Asked::Sum { field, on, chapter } = asked {
            return self.tally(expr, field, (on, chapter), holds.into());
        }
        let load = self.load(expr, &asked)?;
        let mut typed = self.emit(Op::Load(load), holds.into());
        if let Asked::Entry { key, .. } = &asked {
            self.wholes.extend([key.clone(), missing(holds.kind)]);
            typed = self.emit(Op::Entry(typed.at, small(self.wholes.len() - 2)), holds.into());
        }
        if let Asked::Member { member, inner, .. } = asked {
            for member in std::iter::once(member).chain(inner) {
                typed = self.emit(Op::Member(typed.at, member), holds.into());
            }
        }
        let ids = [Some(holds.kind), holds.key, holds.of].into_iter().flatten().find_map(|kind| match kind {
            Kind::Id(ids) => Some(ids),
            _ => None,
        });
        let of_word = if let Load::Word(word) = load { ids_of(word) } else { None };
        let known = self.known_set.contains(&dotted(path));
        let may_be_unset = asked.may_be_unset(self.model) && !known;
        Ok(Typed { may_be_unset, ids: ids.or(of_word), ..typed })
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
            Asked::Field { field, at } | Asked::Member { field, at, .. } | Asked::Entry { field, at, .. } => {
                self.field(expr, *field, *at)
            }
            Asked::Sum { field, .. } => self.field(expr, *field, At::default()),
            Asked::Fact { level, on, fact } => {
                if *on == On::InQuestion && self.model.level_facts_per_difficulty {
                    in_question(self);
                }
                self.reads.push(Read::Fact { fact: *fact, level: Some(*level) });
                Ok(self.fact(*level, *on, *fact))
            }
            Asked::Total { fact, on, chapter } => {
                if *on == On::InQuestion && self.model.level_facts_per_difficulty {
                    in_question(self);
                }
                // One entry for all levels: a lock of every level may name a chapter of thousands.
                self.reads.push(Read::Fact { fact: *fact, level: None });
                let (start, len) = self.spans(*chapter);
                Ok(Load::Total { on: *on, fact: *fact, start, len })
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

    /// Emits the values of a field at all its places together.
    fn tally(
        &mut self,
        expr: &Expr,
        field: usize,
        (on, chapter): (On, Option<usize>),
        kind: Type,
    ) -> Checked {
        let missing = || ConditionError::new(expr.span.clone(), "nothing is kept at this place");
        let def = self.model.fields.get(field).ok_or_else(missing)?;
        let per_level = def.per.contains(&Axis::Level);
        let last = self.model.difficulties.len().saturating_sub(1);
        if on == On::InQuestion && def.per.contains(&Axis::Difficulty) {
            self.asks_in_question.get_or_insert(expr.span.clone());
        }
        let start = small(self.sums.len());
        // The best value of a table stands for it.
        for cell in def.cells.clone().step_by(def.places) {
            let (_, at) = self.model.cell_owner(cell).ok_or_else(missing)?;
            let level = at.level.filter(|_| per_level);
            let counts = level.is_none_or(|level| {
                let level = self.model.levels.get(level);
                level.is_some_and(|level| level.counted && (chapter.is_none() || level.chapter == chapter))
            });
            let on_it = match (at.difficulty, on) {
                (None, _) | (_, On::All | On::Any) => true,
                (Some(difficulty), On::One(one)) => difficulty == one,
                // The current one is read when the rule is evaluated.
                (Some(difficulty), On::InQuestion) => difficulty == 0,
            };
            if counts && on_it {
                let current = on == On::InQuestion && at.difficulty.is_some();
                let other = self.model.cell(def, at.on(Some(last))).filter(|_| current);
                let apart = other.map(|other| small((other - cell) / last.max(1)));
                let first = small(cell);
                self.sums.push(apart.map_or(Load::Cell(first), |apart| Load::CellOn { first, apart }));
            }
        }
        self.reads.push(Read::Cells(def.cells.clone()));
        let len = small(self.sums.len()) - start;
        Ok(self.emit(Op::Tally(start, len), kind))
    }

    /// Notes the levels that count, of a chapter or all, as rows of levels; returns where they are noted.
    fn spans(&mut self, chapter: Option<usize>) -> (u32, u32) {
        let start = self.spans.len();
        for level in self.model.counted(chapter).map(small) {
            match self.spans.get_mut(start..).and_then(<[_]>::last_mut) {
                Some((_, end)) if *end == level => *end += 1,
                _ => self.spans.push((level, level + 1)),
            }
        }
        (small(start), small(self.spans.len() - start))
    }

    fn fact(&self, level: usize, on: On, fact: Fact) -> Load {
        let at = |difficulty| small(self.model.fact_index(level, difficulty));
        match on {
            On::InQuestion => Load::FactOn { first: at(0), fact },
            On::One(difficulty) => Load::Fact { index: at(difficulty), fact },
            On::Any | On::All => Load::FactAny { first: at(0), fact },
        }
    }

    fn field(&mut self, expr: &Expr, field: usize, at: At) -> Result<Load, ConditionError> {
        let missing = || ConditionError::new(expr.span.clone(), "nothing is kept at this place");
        let def = self.model.fields.get(field).ok_or_else(missing)?;
        let open = def.per.contains(&Axis::Difficulty) && at.difficulty.is_none();
        let cell = |difficulty| self.model.cell(def, at.on(difficulty)).ok_or_else(missing);
        if !open {
            let cell = cell(at.difficulty)?;
            self.bool_cells.extend((def.kind == Kind::Bool).then_some(small(cell)));
            self.reads.push(Read::Cells(cell..cell + 1));
            return Ok(Load::Cell(small(cell)));
        }
        let (first, last) = (cell(Some(0))?, cell(Some(self.model.difficulties.len() - 1))?);
        self.bool_cells.extend((def.kind == Kind::Bool).then_some(small(first)));
        let apart = (last - first) / (self.model.difficulties.len() - 1).max(1);
        self.reads.push(Read::Cells(first..last + 1));
        self.asks_in_question.get_or_insert(expr.span.clone());
        Ok(Load::CellOn { first: small(first), apart: small(apart) })
    }
}

/// Returns what stands for an entry that a map does not have.
fn missing(kind: Kind) -> Value {
    match kind {
        Kind::Int => Value::Int(0),
        Kind::Bool => Value::Bool(false),
        Kind::Float => Value::Float(Float::default()),
        Kind::Time => Value::Time(Time::ZERO),
        Kind::Text => Value::text(""),
        _ => Value::Unset,
    }
}
