//! Named resets: what of a profile one call erases, or keeps.

use super::{Axis, Model, Scope};
use crate::program::Fact;
use crate::text::name::Name;

/// A declared reset.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct ResetDef {
    /// Its id.
    pub name: Name,
    /// Its name in tools.
    pub title: String,
    /// What it erases, or keeps, as the declaration writes it, with what that is.
    pub parts: Vec<(String, ResetPart)>,
    /// Whether it keeps these parts and erases everything else, instead of erasing them.
    pub keeps: bool,
}

/// A part of a profile.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum ResetPart {
    /// The facts of some levels, or one of them.
    Facts(ResetLevels, Option<Fact>),
    /// The facts of some levels, and their values of every field with one per level.
    Levels(ResetLevels),
    /// The values of a field for some levels.
    FieldAt(ResetLevels, usize),
    /// All fields of profile scope.
    Fields,
    /// One of them.
    Field(usize),
    /// The fields of profile scope in a group, as a position in [`Model::groups`].
    Group(usize),
    /// All unlocks that latch or are bought.
    Unlocks,
    /// One of them.
    Unlock(usize),
    /// Which moments were reported in the profile.
    Moments,
    /// One of them.
    Moment(usize),
    /// The time in play.
    Played,
    /// The run in progress.
    Run,
}

/// Some levels.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum ResetLevels {
    /// All of them.
    All,
    /// One, as a position in [`Model::levels`].
    One(usize),
    /// Those of a chapter, as a position in [`Model::chapters`].
    Chapter(usize),
}

/// What a reset erases, value by value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Extent {
    /// By cell of the layout.
    pub cells: Vec<bool>,
    /// By [`Model::fact_index`], then in the order of [`Fact::ALL`].
    pub facts: Vec<[bool; Fact::ALL.len()]>,
    /// By unlock.
    pub unlocks: Vec<bool>,
    /// By moment.
    pub moments: Vec<bool>,
    /// Whether it erases the time in play.
    pub played: bool,
    /// Whether it erases the run.
    pub run: bool,
}

impl ResetLevels {
    fn has(self, model: &Model, level: usize) -> bool {
        match self {
            ResetLevels::All => true,
            ResetLevels::One(one) => one == level,
            ResetLevels::Chapter(chapter) => {
                model.levels.get(level).is_some_and(|level| level.chapter == Some(chapter))
            }
        }
    }
}

impl Extent {
    /// Returns whether it erases a fact, by [`Model::fact_index`].
    #[must_use]
    pub fn has_fact(&self, index: usize, fact: Fact) -> bool {
        let at = Fact::ALL.iter().position(|one| *one == fact);
        self.facts.get(index).zip(at).and_then(|(facts, at)| facts.get(at)) == Some(&true)
    }

    /// Returns whether it erases the value of a cell.
    #[must_use]
    pub fn has_cell(&self, cell: usize) -> bool {
        self.cells.get(cell) == Some(&true)
    }
}

impl Model {
    /// Returns what a reset erases, value by value.
    #[must_use]
    pub fn extent(&self, reset: &ResetDef) -> Extent {
        let keeps = reset.keeps;
        let mut extent = Extent {
            cells: vec![keeps; self.saved_cells],
            facts: vec![[keeps; Fact::ALL.len()]; self.fact_count()],
            unlocks: vec![keeps; self.unlocks.len()],
            moments: vec![keeps; self.moments.len()],
            played: keeps,
            run: keeps,
        };
        for (_, part) in &reset.parts {
            self.mark(&mut extent, *part, !keeps);
        }
        extent
    }

    fn mark(&self, extent: &mut Extent, part: ResetPart, erased: bool) {
        let all = |marks: &mut [bool]| marks.fill(erased);
        let one =
            |marks: &mut [bool], at: usize| marks.get_mut(at).into_iter().for_each(|mark| *mark = erased);
        match part {
            ResetPart::Facts(levels, fact) => self.mark_facts(extent, levels, fact, erased),
            ResetPart::Levels(levels) => {
                self.mark_facts(extent, levels, None, erased);
                let fields = self.fields.iter().enumerate();
                for (field, _) in fields.filter(|(_, field)| field.per.contains(&Axis::Level)) {
                    self.mark_field(extent, levels, field, erased);
                }
            }
            ResetPart::FieldAt(levels, field) => self.mark_field(extent, levels, field, erased),
            ResetPart::Fields => {
                let fields = self.fields.iter().filter(|field| field.scope == Scope::Profile);
                for field in fields {
                    all(extent.cells.get_mut(field.cells.clone()).unwrap_or_default());
                }
            }
            ResetPart::Group(group) => {
                let fields = self.fields.iter().enumerate();
                for (field, _) in fields.filter(|(_, field)| field.group == Some(group)) {
                    self.mark_field(extent, ResetLevels::All, field, erased);
                }
            }
            ResetPart::Field(field) => self.mark_field(extent, ResetLevels::All, field, erased),
            ResetPart::Unlocks => all(&mut extent.unlocks),
            ResetPart::Unlock(unlock) => one(&mut extent.unlocks, unlock),
            ResetPart::Moments => all(&mut extent.moments),
            ResetPart::Moment(moment) => one(&mut extent.moments, moment),
            ResetPart::Played => extent.played = erased,
            ResetPart::Run => {
                extent.run = erased;
                all(extent.cells.get_mut(..self.copied_cells).unwrap_or_default());
            }
        }
    }

    fn mark_facts(&self, extent: &mut Extent, levels: ResetLevels, fact: Option<Fact>, erased: bool) {
        for (index, facts) in extent.facts.iter_mut().enumerate() {
            let level = self.fact_place(index).level;
            for (mark, of) in facts.iter_mut().zip(Fact::ALL) {
                if level.is_some_and(|level| levels.has(self, level)) && fact.is_none_or(|fact| fact == *of) {
                    *mark = erased;
                }
            }
        }
    }

    fn mark_field(&self, extent: &mut Extent, levels: ResetLevels, field: usize, erased: bool) {
        let Some(def) = self.fields.get(field).filter(|def| def.scope == Scope::Profile) else { return };
        for cell in def.cells.clone() {
            let level = self.cell_owner(cell).and_then(|(_, at)| at.level);
            if levels == ResetLevels::All || level.is_some_and(|level| levels.has(self, level)) {
                extent.cells.get_mut(cell).into_iter().for_each(|mark| *mark = erased);
            }
        }
    }
}
