//! Chapters, and what follows from the order of levels: which count, which is next.

use super::{Model, Rule};
use crate::text::name::Name;
use crate::value::Value;
use crate::value::kind::Kind;

/// Some levels with a title and a lock of their own.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct ChapterDef {
    /// Its id.
    pub name: Name,
    /// Its name for people; the id if none is declared.
    pub title: String,
    /// The condition that opens it, which is asked in addition to each level's own; `None` if it is open from the start.
    pub unlock: Option<Rule>,
}

/// A number or text that every level has, and that no save contains.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct ConstantDef {
    /// Its id.
    pub name: Name,
    /// A description for people.
    pub about: Option<String>,
    /// Its type.
    pub kind: Kind,
    /// Its value in a level that does not say another.
    pub default: Value,
}

impl Model {
    /// Returns the position of a chapter, by id.
    #[doc(hidden)]
    #[must_use]
    pub fn chapter_named(&self, id: &str) -> Option<usize> {
        self.chapters.iter().position(|chapter| chapter.name.as_str() == id)
    }

    /// Returns the position of a constant of levels, by id.
    #[doc(hidden)]
    #[must_use]
    pub fn constant_named(&self, id: &str) -> Option<usize> {
        self.constants.iter().position(|constant| constant.name.as_str() == id)
    }

    /// Returns the levels that count, in order: all of them, or those of a chapter.
    pub fn counted(&self, chapter: Option<usize>) -> impl DoubleEndedIterator<Item = usize> {
        let levels = self.levels.iter().enumerate();
        let levels =
            levels.filter(move |(_, level)| level.counted && (chapter.is_none() || level.chapter == chapter));
        levels.map(|(index, _)| index)
    }

    /// Returns the place of a level among all that count, from 1; `None` if it does not count.
    #[must_use]
    pub fn level_place(&self, level: usize) -> Option<usize> {
        self.counted(None).position(|counted| counted == level).map(|place| place + 1)
    }

    /// Returns the level before another one in order, of those that count.
    #[must_use]
    pub fn level_before(&self, level: usize) -> Option<usize> {
        self.levels.get(..level)?.iter().rposition(|before| before.counted)
    }

    /// Returns the levels that may come after another one: those that it names, or else the next one in order that
    /// counts.
    #[must_use]
    pub fn levels_after(&self, level: usize) -> Vec<usize> {
        match self.levels.get(level).and_then(|level| level.next.clone()) {
            Some(next) => next,
            None => {
                let after = self.levels.iter().enumerate().skip(level + 1);
                after.filter(|(_, after)| after.counted).map(|(index, _)| index).take(1).collect()
            }
        }
    }
}
