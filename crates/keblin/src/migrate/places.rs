//! Positions of before as positions of now: ids, axes, cells and facts, by what a step says of names.

use crate::snapshot::Schema;
use keblin_schema::Value;
use keblin_schema::kind::Ids;
use keblin_schema::model::{Axis, FieldDef, Scope};
use keblin_schema::steps::{Carrying, Step, Take};

/// The two versions with the step between them.
#[derive(Clone, Copy)]
pub(super) struct Places<'s> {
    pub(super) step: &'s Step,
    pub(super) old: &'s Schema,
    pub(super) now: &'s Schema,
}

/// Which position of now a position of before is.
pub(super) fn now_of(froms: &[Option<usize>], before: usize) -> Option<usize> {
    froms.iter().position(|from| *from == Some(before))
}

impl<'s> Places<'s> {
    /// A list of before as one of now.
    pub(super) fn list(&self, before: u16) -> Option<u16> {
        let at = self.step.lists.iter().position(|list| list.from == Some(usize::from(before)))?;
        u16::try_from(at).ok()
    }

    /// An id of before as a value of now; nothing where it is gone.
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
            _ => return None,
        };
        let index = u16::try_from(at).ok()?;
        Some(Value::Id { of, index, name: self.now.id_at(of, index)? })
    }

    /// The checkpoints of all levels are numbered through.
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

    /// An axis of now as one of before.
    fn axis_before(&self, axis: Axis) -> Option<Axis> {
        match axis {
            Axis::List(list) => {
                let from = self.step.lists.get(usize::from(list))?.from?;
                u16::try_from(from).ok().map(Axis::List)
            }
            same => Some(same),
        }
    }

    /// Where a position on an axis of now was before.
    fn along(&self, axis: Axis, now: usize) -> Option<usize> {
        let froms = match axis {
            Axis::Level => &self.step.levels,
            Axis::Difficulty => &self.step.difficulties,
            Axis::List(list) => &self.step.lists.get(usize::from(list))?.parts,
            _ => return None,
        };
        froms.get(now).copied().flatten()
    }

    /// The cells of before that a place of a field of now takes its value from, each the first of its table; none where the
    /// place is new.
    pub(super) fn sources(&self, field: &FieldDef, place: usize, carrying: &Carrying) -> Vec<usize> {
        let Some(old) = self.old.fields.get(carrying.from) else { return Vec::new() };
        let indices = indices(self.now, &field.per, place);
        let said = |axis: Axis| carrying.at.iter().find(|(gained, _)| *gained == axis).map(|(_, at)| *at);
        let by_axis = || field.per.iter().copied().zip(indices.iter().copied());
        // On an axis that is new only one place has the values of before.
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

    /// The positions of before of the facts that a level of now has on a difficulty.
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

    /// A value's place as people read it: ids with dots between.
    pub(super) fn text(schema: &Schema, field: &FieldDef, cell: usize) -> String {
        let at = schema.cell_owner(cell).map(|(_, at)| at).unwrap_or_default();
        let ids = schema.place_ids(&field.per, at).map(AsRef::as_ref);
        let mut text = [field.name.as_str()].into_iter().chain(ids).collect::<Vec<_>>().join(".");
        if field.places > 1 {
            text += &format!(".{}", schema.place_in_table(cell));
        }
        text
    }

    /// The place of a level's facts.
    pub(super) fn facts_text(schema: &Schema, index: usize) -> String {
        let difficulties =
            if schema.level_facts_per_difficulty { schema.difficulties.len().max(1) } else { 1 };
        let level = schema.levels.get(index / difficulties).map_or("", |level| level.name.as_str());
        let on = schema.difficulties.get(index % difficulties).filter(|_| schema.level_facts_per_difficulty);
        on.map_or_else(|| format!("levels.{level}"), |on| format!("levels.{level}.{on}"))
    }
}

/// The positions on a field's axes of its place so-and-so many.
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

/// Which fields a step is done for: those of slots and of the device are in files of their own.
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
