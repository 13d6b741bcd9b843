//! Converts old positions to new ones: ids, axes, cells and facts, by the names in a step.

use crate::snapshot::Schema;
use keblin_model::Value;
use keblin_model::kind::Ids;
use keblin_model::model::{Axis, FieldDef, Scope};
use keblin_model::versions::step::{Carrying, Step, Take};

/// Two versions with the step between them.
#[derive(Clone, Copy)]
pub(super) struct Places<'s> {
    pub(super) step: &'s Step,
    pub(super) old: &'s Schema,
    pub(super) now: &'s Schema,
}

/// Converts an old position.
pub(super) fn now_of(froms: &[Option<usize>], before: usize) -> Option<usize> {
    froms.iter().position(|from| *from == Some(before))
}

impl<'s> Places<'s> {
    /// Converts an old list.
    pub(super) fn list(&self, before: u16) -> Option<u16> {
        let at = self.step.lists.iter().position(|list| list.from == Some(usize::from(before)))?;
        u16::try_from(at).ok()
    }

    /// Converts an old id to a value; `None` if it was removed.
    pub(super) fn id(&self, of: Ids, index: u16) -> Option<Value> {
        let before = usize::from(index);
        let (of, at) = match of {
            Ids::List(list) => {
                let list = self.list(list)?;
                (Ids::List(list), now_of(&self.step.lists.get(usize::from(list))?.parts, before)?)
            }
            Ids::Levels => (of, now_of(&self.step.levels, before)?),
            Ids::Difficulties => (of, now_of(&self.step.difficulties, before)?),
            Ids::Unlocks => (of, self.step.unlocks.iter().position(|unlock| unlock.from == Some(before))?),
            Ids::Checkpoints => (of, self.checkpoint_id(before)?),
        };
        let index = u16::try_from(at).ok()?;
        Some(Value::Id { of, index, name: self.now.id_at(of, index)? })
    }

    /// The checkpoints of all levels are numbered in one sequence.
    fn checkpoint_id(&self, before: usize) -> Option<usize> {
        let mut rest = before;
        let (level, checkpoint) = self.old.levels.iter().enumerate().find_map(|(index, level)| {
            let count = level.checkpoints.len();
            if rest < count {
                return Some((index, rest));
            }
            rest -= count;
            None
        })?;
        let level = now_of(&self.step.levels, level)?;
        let checkpoint = now_of(self.step.checkpoints.get(level)?, checkpoint)?;
        let ahead = self.now.levels.iter().take(level).map(|level| level.checkpoints.len());
        Some(ahead.sum::<usize>() + checkpoint)
    }

    /// Returns the old axis of a new one.
    fn axis_before(&self, axis: Axis) -> Option<Axis> {
        match axis {
            Axis::List(list) => {
                let from = self.step.lists.get(usize::from(list))?.from?;
                u16::try_from(from).ok().map(Axis::List)
            }
            same => Some(same),
        }
    }

    /// Returns the old position of a position on a new axis.
    fn along(&self, axis: Axis, now: usize) -> Option<usize> {
        let froms = match axis {
            Axis::Level => &self.step.levels,
            Axis::Difficulty => &self.step.difficulties,
            Axis::List(list) => &self.step.lists.get(usize::from(list))?.parts,
        };
        froms.get(now).copied().flatten()
    }

    /// Returns the old cells that a place of a field takes its value from, each the first of its table; empty if the
    /// place is new.
    pub(super) fn sources(&self, field: &FieldDef, place: usize, carrying: &Carrying) -> Vec<usize> {
        let Some(old) = self.old.fields.get(carrying.from) else { return Vec::new() };
        let indices = indices(self.now, &field.per, place);
        let said = |axis: Axis| carrying.at.iter().find(|(gained, _)| *gained == axis).map(|(_, at)| *at);
        let by_axis = || field.per.iter().copied().zip(indices.iter().copied());
        // On a new axis only one place takes the old values.
        if by_axis().any(|(axis, index)| said(axis).is_some_and(|at| at != index)) {
            return Vec::new();
        }
        let mut offsets = vec![0];
        for axis in &old.per {
            let len = self.old.axis_len(*axis);
            let kept =
                by_axis().find(|(now, _)| said(*now).is_none() && self.axis_before(*now) == Some(*axis));
            let take = carrying.take.iter().find(|(lost, _)| lost == axis).map(|(_, take)| *take);
            let taken: Vec<usize> = match (kept, take) {
                (Some((now, index)), _) => self.along(now, index).into_iter().collect(),
                (None, Some(Take::One(one))) => vec![one],
                (None, Some(Take::All)) => (0..len).collect(),
                (None, None) => Vec::new(),
            };
            offsets =
                offsets.iter().flat_map(|offset| taken.iter().map(move |one| offset * len + one)).collect();
        }
        offsets.into_iter().map(|offset| old.cells.start + offset * old.places).collect()
    }

    /// Returns the old positions of the facts of a level on a difficulty.
    pub(super) fn facts(&self, level: usize, difficulty: usize) -> Vec<usize> {
        let Some(from) = self.step.levels.get(level).copied().flatten() else { return Vec::new() };
        let on = |difficulty| self.old.fact_index(from, difficulty);
        let (was, is) = (self.old.level_facts_per_difficulty, self.now.level_facts_per_difficulty);
        match (was, is) {
            (false, false) => vec![on(0)],
            (true, true) => {
                self.step.difficulties.get(difficulty).copied().flatten().map(on).into_iter().collect()
            }
            (false, true) => {
                let here = self.step.facts.at == Some(difficulty);
                here.then(|| on(0)).into_iter().collect()
            }
            (true, false) => match self.step.facts.take {
                Some(Take::One(one)) => vec![on(one)],
                _ => (0..self.old.difficulties.len()).map(on).collect(),
            },
        }
    }

    /// Returns a value's place as people read it: ids with dots between.
    pub(super) fn text(schema: &Schema, field: &FieldDef, cell: usize) -> String {
        let at = schema.cell_owner(cell).map(|(_, at)| at).unwrap_or_default();
        let ids = schema.place_ids(&field.per, at).map(AsRef::as_ref);
        let mut text = [field.name.as_str()].into_iter().chain(ids).collect::<Vec<_>>().join(".");
        if field.places > 1 {
            text += &format!(".{}", schema.place_in_table(cell));
        }
        text
    }

    /// Returns the place of a level's facts.
    pub(super) fn facts_text(schema: &Schema, index: usize) -> String {
        let difficulties =
            if schema.level_facts_per_difficulty { schema.difficulties.len().max(1) } else { 1 };
        let level = schema.levels.get(index / difficulties).map_or("", |level| level.name.as_str());
        let on = schema.difficulties.get(index % difficulties).filter(|_| schema.level_facts_per_difficulty);
        on.map_or_else(|| format!("levels.{level}"), |on| format!("levels.{level}.{on}"))
    }
}

/// Returns the positions on a field's axes of its n-th place.
fn indices(schema: &Schema, per: &[Axis], place: usize) -> Vec<usize> {
    let mut rest = place;
    let mut indices: Vec<usize> = per
        .iter()
        .rev()
        .map(|axis| {
            let len = schema.axis_len(*axis).max(1);
            let index = rest % len;
            rest /= len;
            index
        })
        .collect();
    indices.reverse();
    indices
}

/// Which fields a step is applied to: those of slots or those of the device, which are in separate files.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Kept {
    InSlots,
    OnDevice,
}

impl Kept {
    pub(super) fn has(self, field: &FieldDef) -> bool {
        (field.scope == Scope::Device) == (self == Kept::OnDevice)
    }
}
