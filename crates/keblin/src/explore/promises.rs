//! The promises that every move keeps: nothing that was reached is lost, and what ends with a run does.

use std::cell::OnceCell;
use std::cmp::Ordering;
use std::collections::BTreeSet;

use keblin_model::model::{AtZero, Bound, FieldDef, OnReset};
use keblin_model::program::Fact;
use keblin_model::program::{Read, Word};
use keblin_model::survival::{Fate, Row, fate};
use keblin_model::value::keep::meet;
use keblin_model::{Model, Value};

use super::breach::{BreachCode, Unkept};
use super::moves::{Move, MoveKind};
use super::names::{expectation, name_of};
use super::play::Stepped;
use crate::progress::{Engine, Phase};

/// What every check needs.
#[derive(Debug)]
pub(super) struct Promises {
    /// Fields that a rule, a bound, a record or the lives read.
    read: BTreeSet<usize>,
    /// By level: whether its rule reads what ends with a run.
    pub(super) of_a_run: Vec<bool>,
    /// Whether a rule reads where the player is, or how often something was tried.
    pub(super) reads_words: bool,
    /// By unlock: the same.
    pub(super) unlock_of_a_run: Vec<bool>,
}

/// A state whose moves are played.
pub(super) struct Before<'c> {
    pub(super) engine: &'c Engine,
    /// By level and difficulty: whether the level is open. Asked once for all moves, and only if one needs it.
    open: OnceCell<Vec<bool>>,
}

impl<'c> Before<'c> {
    pub(super) fn new(engine: &'c Engine) -> Before<'c> {
        Before { engine, open: OnceCell::new() }
    }
}

/// A move, with the state before and after it.
pub(super) struct Turn<'c> {
    pub(super) model: &'c Model,
    pub(super) before: &'c Engine,
    /// By level and difficulty: whether the level was open.
    pub(super) was_open: &'c OnceCell<Vec<bool>>,
    pub(super) after: &'c Engine,
    pub(super) by: &'c Move,
}

impl Promises {
    pub(super) fn of(model: &Model) -> Promises {
        let mut read = BTreeSet::new();
        let mut note = |reads: &[Read]| {
            for read_by in reads {
                if let Read::Cells(cells) = read_by {
                    read.extend(cells.clone().filter_map(|cell| model.field_of_cell(cell)));
                }
            }
        };
        let rules = model.levels.iter().flat_map(|level| level.lock.iter().chain(&level.star_rules));
        let rules = rules.chain(model.unlocks.iter().filter_map(|unlock| unlock.when.as_ref()));
        rules
            .chain(model.invariants.iter().filter_map(|one| one.holds.as_ref()))
            .for_each(|rule| note(rule.program.reads()));
        for field in &model.fields {
            for bound in [&field.min, &field.max].into_iter().flatten() {
                if let Bound::Follows(program) = bound {
                    note(program.reads());
                }
            }
        }
        read.extend(model.unlocks.iter().flat_map(|unlock| &unlock.costs).map(|(field, _)| *field));
        read.extend(model.fields.iter().filter_map(|field| field.feed.as_ref()).map(|feed| feed.from));
        read.extend(model.lives.as_ref().map(|lives| lives.field));
        let rules = model.levels.iter().filter_map(|level| level.lock.as_ref());
        let rules = rules.chain(model.unlocks.iter().filter_map(|unlock| unlock.when.as_ref()));
        let reads_words = rules.into_iter().flat_map(|rule| rule.program.reads()).any(|read| match read {
            Read::Fact { fact, .. } => !matches!(fact, Fact::Finished | Fact::Stars),
            Read::Word(word) => *word != Word::Difficulty,
            Read::Played => true,
            _ => false,
        });
        let of_a_run = model
            .levels
            .iter()
            .map(|level| level.lock.as_ref().is_some_and(|rule| ends(model, rule.program.reads())));
        let unlocks = model.unlocks.iter();
        let unlock_of_a_run =
            unlocks.map(|unlock| unlock.when.as_ref().is_some_and(|rule| ends(model, rule.program.reads())));
        Promises {
            reads_words,
            of_a_run: of_a_run.collect(),
            unlock_of_a_run: unlock_of_a_run.collect(),
            read,
        }
    }

    /// Returns the promises that a move did not keep.
    pub(super) fn broken(
        &self,
        before: &Before<'_>,
        by: &Move,
        (after, stepped): (&Engine, &Stepped),
    ) -> Vec<Unkept> {
        let Before { engine: before, open: was_open } = before;
        let change = Turn { model: before.schema(), before, was_open, after, by };
        let (mut found, mut are_values_same) = (Vec::new(), true);
        for (index, field) in change.model.fields.iter().enumerate() {
            for cell in field.cells.clone() {
                let (was, is) = (before.value_at(cell), after.value_at(cell));
                if was != is {
                    are_values_same = false;
                    found.extend(change.value(self, (index, field), cell, (was, is)));
                } else if matches!(by.kind, MoveKind::Begin | MoveKind::Replace) {
                    found.extend(change.carried((index, field), cell, is, self));
                }
            }
        }
        found.extend(change.facts());
        found.extend(change.entered());
        found.extend(change.rules(self, are_values_same));
        found.extend(change.invariants());
        found.extend(change.records());
        if by.kind == MoveKind::Die && before.phase() == Phase::Playing {
            found.extend(change.death(stepped.deaths_told));
        }
        if stepped.due.is_none() {
            found.extend(change.unsaved());
        }
        found
    }

    /// Returns what a move has changed for good and a save has, as a promise that the disk keeps.
    pub(super) fn saved(
        &self,
        before: &Before<'_>,
        by: &Move,
        (after, stepped): (&Engine, &Stepped),
    ) -> Option<Unkept> {
        stepped.due?;
        let Before { engine: before, open: was_open } = before;
        Turn { model: before.schema(), before, was_open, after, by }.saved()
    }
}

/// Returns whether something that is read ends with a run.
fn ends(model: &Model, reads: &[Read]) -> bool {
    reads.iter().any(|read| match read {
        Read::Cells(cells) => {
            cells.clone().filter_map(|cell| model.field_at(cell)).any(|field| field.scope.is_of_run())
        }
        Read::Word(_) => true,
        _ => false,
    })
}

impl Turn<'_> {
    /// Returns whether the run in progress ends with this move, or another one begins.
    pub(super) fn is_of_runs(&self) -> bool {
        self.by.is_of_runs() || (self.after.phase() == Phase::Over && self.before.phase() != Phase::Over)
    }

    /// What holds for one value that has changed.
    pub(super) fn value(
        &self,
        promises: &Promises,
        (index, field): (usize, &FieldDef),
        cell: usize,
        (was, is): (&Value, &Value),
    ) -> Option<Unkept> {
        let has_lost = !field.keep.is_free() && meet(field.keep, is, was).is_some();
        let is_lives = self.model.lives.as_ref().is_some_and(|lives| lives.field == index);
        let code = if has_lost && self.by.kind != MoveKind::Reset {
            BreachCode::RecordWorse
        } else if self.by.kind == MoveKind::Reopen {
            return self.reloaded(promises, (index, field), cell, (was, is));
        } else if is_lives && self.gives_back() && was.order(is).is_some_and(Ordering::is_lt) {
            BreachCode::LifeGivenBack
        } else if self.is_taken_by_a_bound((index, field), (was, is)) {
            BreachCode::BoundTakes
        } else {
            return None;
        };
        // Most values change as they may, and need no name.
        let (name, by) = (name_of(self.model, cell)?, self.by.text());
        let message = match code {
            BreachCode::RecordWorse => format!("`{name}` was {was}, and is {is} after `{by}`"),
            BreachCode::LifeGivenBack => format!("`{by}` gives back lives: `{name}` was {was}, and is {is}"),
            _ => {
                format!("`{by}` takes `{name}` down from {was} to {is}: its bound follows what was written")
            }
        };
        Some(Unkept::new(code, &name, message).no_longer(expectation(&name, field.kind, was)))
    }

    /// Whether a value is less because a value that its bound follows was written.
    fn is_taken_by_a_bound(&self, (index, field): (usize, &FieldDef), (was, is): (&Value, &Value)) -> bool {
        let follows =
            [&field.min, &field.max].into_iter().flatten().any(|bound| matches!(bound, Bound::Follows(_)));
        let writes = matches!(self.by.kind, MoveKind::Write(_) | MoveKind::Player | MoveKind::Tick);
        let is_less = is.order(was).is_some_and(Ordering::is_lt);
        follows && is_less && writes && !self.by.writes(index) && field.keep.is_free()
    }

    /// Whether a move of this kind may not add lives.
    fn gives_back(&self) -> bool {
        use MoveKind::{Die, Enter, Finish, Leave, Reach, Respawn, Resume, Retry};
        let restarts = self.model.lives.as_ref().is_some_and(|lives| lives.at_zero == AtZero::RestartLevel);
        match self.by.kind {
            Die => !restarts,
            MoveKind::Player => self.by.is_a_try(),
            kind => matches!(kind, Enter | Finish | Leave | Reach | Respawn | Resume | Retry),
        }
    }

    fn reloaded(
        &self,
        promises: &Promises,
        (index, field): (usize, &FieldDef),
        cell: usize,
        (was, is): (&Value, &Value),
    ) -> Option<Unkept> {
        let name = name_of(self.model, cell)?;
        let line = || expectation(&name, field.kind, was);
        if !field.durable {
            let message = format!(
                "`{name}` is {was}, and {is} after the game was closed: it is declared `durable = false`, and a rule reads it"
            );
            let broken = Unkept::new(BreachCode::LostOnReload, &name, message).no_longer(line());
            return promises.read.contains(&index).then_some(broken);
        }
        let is_over = self.before.phase() == Phase::Over;
        if fate(self.model, field, Row::Reopen) != Fate::Stays || is_over {
            return None;
        }
        let message = format!("`{name}` is {was}, and {is} after the game was closed, although it stays");
        Some(Unkept::new(BreachCode::ReloadDiffers, &name, message).no_longer(line()))
    }

    /// A value of a run that a new run begins with.
    fn carried(
        &self,
        (index, field): (usize, &FieldDef),
        cell: usize,
        is: &Value,
        promises: &Promises,
    ) -> Option<Unkept> {
        let stays = field.scope.is_of_run() && field.survival.on_new_run == OnReset::Stays;
        if !stays || *is == field.default || !promises.read.contains(&index) {
            return None;
        }
        let name = name_of(self.model, cell)?;
        let message =
            format!("a new run begins with `{name}` as the last one left it: {is}, not {}", field.default);
        let line = expectation(&name, field.kind, &field.default);
        Some(Unkept::new(BreachCode::CarriedOver, &name, message).fails(line))
    }
}
