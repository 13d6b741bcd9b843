//! What one question depends on: the values and facts that its rules read, and whatever those depend on in turn. Only
//! these are told apart while it is explored.

use std::collections::BTreeSet;

use keblin_model::model::{AfterLast, Bound, FeedAt};
use keblin_model::program::Fact;
use keblin_model::program::{Program, Read, Word};
use keblin_model::{Keep, Model};

/// What a question depends on, as positions in the schema.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Cone {
    pub(super) fields: BTreeSet<usize>,
    /// Facts, by level and word.
    pub(super) facts: BTreeSet<(usize, &'static str)>,
    pub(super) unlocks: BTreeSet<usize>,
    /// Levels that must be told apart by whether they are open.
    pub(super) levels: BTreeSet<usize>,
    pub(super) moments: BTreeSet<usize>,
    pub(super) invariants: BTreeSet<usize>,
    pub(super) reads_difficulty: bool,
    pub(super) reads_furthest: bool,
    pub(super) reads_checkpoint: bool,
    pub(super) reads_played: bool,
}

/// Something to follow.
#[derive(Clone, Copy, Debug)]
pub(super) enum Need {
    Field(usize),
    Fact(usize, Fact),
    Unlock(usize),
    Level(usize),
    Moment(usize),
    Invariant(usize),
}

impl Cone {
    /// Returns what some things depend on.
    pub(super) fn of(model: &Model, needs: impl IntoIterator<Item = Need>) -> Cone {
        let (mut cone, mut left) = (Cone::default(), needs.into_iter().collect::<Vec<_>>());
        while let Some(need) = left.pop() {
            cone.follow(model, need, &mut left);
        }
        cone
    }

    /// Returns whether another cone has nothing that this one lacks.
    pub(super) fn has_all_of(&self, other: &Cone) -> bool {
        let flags = |cone: &Cone| {
            [cone.reads_difficulty, cone.reads_furthest, cone.reads_checkpoint, cone.reads_played]
        };
        other.fields.is_subset(&self.fields)
            && other.facts.is_subset(&self.facts)
            && other.unlocks.is_subset(&self.unlocks)
            && other.levels.is_subset(&self.levels)
            && flags(other).into_iter().zip(flags(self)).all(|(theirs, ours)| ours || !theirs)
    }

    fn follow(&mut self, model: &Model, need: Need, left: &mut Vec<Need>) {
        match need {
            Need::Field(index) => {
                let Some(field) = model.fields.get(index) else { return };
                if !self.fields.insert(index) {
                    return;
                }
                for bound in [&field.min, &field.max].into_iter().flatten() {
                    if let Bound::Follows(program) = bound {
                        self.read(model, program, left);
                    }
                }
                if let Some(feed) = &field.feed {
                    left.push(Need::Field(feed.from));
                    // If the last level does not end the run, it matters whether all are finished.
                    let ends = model.after_last == AfterLast::EndRun || feed.at.contains(&FeedAt::Finish);
                    if field.keep == Keep::Highest && !ends {
                        let counted = model.levels.iter().enumerate().filter(|(_, level)| level.counted);
                        left.extend(counted.map(|(level, _)| Need::Fact(level, Fact::Finished)));
                    }
                }
            }
            Need::Fact(level, fact) => {
                if self.facts.insert((level, fact.as_str())) {
                    left.push(Need::Level(level));
                    let rules = model.levels.get(level).map_or(&[][..], |level| &level.star_rules);
                    if fact == Fact::Stars {
                        rules.iter().for_each(|rule| self.read(model, &rule.program, left));
                    }
                }
            }
            Need::Unlock(index) => {
                if self.unlocks.insert(index) {
                    let Some(unlock) = model.unlocks.get(index) else { return };
                    unlock.when.iter().for_each(|rule| self.read(model, &rule.program, left));
                    left.extend(unlock.costs.iter().map(|(field, _)| Need::Field(*field)));
                }
            }
            Need::Level(index) => {
                if self.levels.insert(index) {
                    let rule = model.levels.get(index).and_then(|level| level.lock.as_ref());
                    rule.into_iter().for_each(|rule| self.read(model, &rule.program, left));
                }
            }
            Need::Moment(index) => {
                if self.moments.insert(index) {
                    let rule = model.moments.get(index).and_then(|moment| moment.when.as_ref());
                    rule.into_iter().for_each(|rule| self.read(model, &rule.program, left));
                }
            }
            Need::Invariant(index) => {
                if self.invariants.insert(index) {
                    let rule = model.invariants.get(index).and_then(|invariant| invariant.holds.as_ref());
                    rule.into_iter().for_each(|rule| self.read(model, &rule.program, left));
                }
            }
        }
    }

    fn read(&mut self, model: &Model, program: &Program, left: &mut Vec<Need>) {
        for read in program.reads() {
            match read {
                Read::Cells(cells) => {
                    let fields = cells.clone().filter_map(|cell| model.field_of_cell(cell));
                    left.extend(fields.map(Need::Field));
                }
                Read::Fact { fact, level: Some(level) } => left.push(Need::Fact(*level, *fact)),
                Read::Fact { fact, level: None } => {
                    left.extend((0..model.levels.len()).map(|level| Need::Fact(level, *fact)));
                }
                Read::Unlocked(unlock) => left.push(Need::Unlock(*unlock)),
                Read::Word(Word::Difficulty) => self.reads_difficulty = true,
                Read::Word(word) => {
                    self.reads_furthest |= *word == Word::Furthest;
                    self.reads_checkpoint |= *word == Word::Checkpoint;
                    if *word != Word::Phase {
                        left.extend((0..model.levels.len()).map(Need::Level));
                    }
                }
                Read::Played => self.reads_played = true,
            }
        }
    }

    /// Returns whether it has a value that ends with a level or run.
    pub(super) fn has_values_of_a_run(&self, model: &Model) -> bool {
        self.fields.iter().any(|field| model.fields.get(*field).is_some_and(|field| field.scope.is_of_run()))
    }

    /// Returns whether it matters which difficulty is played.
    pub(super) fn knows_difficulty(&self, model: &Model) -> bool {
        use keblin_model::model::Axis;
        let by_field = |field: &usize| {
            model.fields.get(*field).is_some_and(|field| field.per.contains(&Axis::Difficulty))
        };
        model.difficulties.len() > 1
            && (self.reads_difficulty
                || (model.level_facts_per_difficulty && !self.facts.is_empty())
                || self.fields.iter().any(by_field))
    }

    /// Returns whether it depends on a fact of some level.
    pub(super) fn has_fact(&self, fact: Fact) -> bool {
        self.facts.iter().any(|(_, word)| *word == fact.as_str())
    }
}
