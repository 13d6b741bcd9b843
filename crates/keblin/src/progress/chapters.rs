//! Chapters: what a map of the world shows of each.

use keblin_model::{AnyGame, Chapter, Difficulty, OfGame};

use super::standing::Standing;
use super::{Engine, Holder, Play};

/// A chapter on a map of the world.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct ChapterCard<G = AnyGame> {
    /// The chapter.
    pub chapter: Chapter<G>,
    /// Whether its own rule is true on the given difficulty; each of its levels has a rule of its own as well.
    pub open: bool,
    /// Its rule, part by part; empty if it is open from the start.
    pub lock: Vec<Standing<G>>,
    /// How many of its levels count.
    pub levels: usize,
    /// How many of them are finished.
    pub finished: usize,
    /// The stars of them together.
    pub stars: u64,
    /// How many stars they have together.
    pub stars_of: u64,
}

impl<G> ChapterCard<G> {
    /// Returns the parts of its rule that are not met: why it is locked.
    pub fn missing(&self) -> impl Iterator<Item = &Standing<G>> {
        self.lock.iter().filter(|part| !part.met)
    }
}

impl<G, P: Holder> Play<G, P> {
    /// Returns all chapters in declared order, for a map of the world. `difficulty` is the difficulty to show; `None`
    /// is that of the run, or the one last chosen.
    #[must_use]
    pub fn chapter_cards(&self, difficulty: Option<Difficulty<G>>) -> Vec<ChapterCard<G>> {
        self.engine().chapter_cards(difficulty.map(Difficulty::of_any)).of_game()
    }
}

impl Engine {
    fn chapter_cards(&self, difficulty: Option<Difficulty>) -> Vec<ChapterCard> {
        let difficulty = difficulty.map(Difficulty::index).or(self.here().difficulty);
        let chapters = (0..self.schema.chapters.len()).filter_map(|at| self.schema.chapter_at(at));
        chapters.map(|chapter| self.chapter_card(chapter, difficulty)).collect()
    }

    fn chapter_card(&self, chapter: Chapter, difficulty: Option<usize>) -> ChapterCard {
        let rule = self.schema.chapters.get(chapter.index()).and_then(|chapter| chapter.unlock.as_ref());
        let mut card = ChapterCard {
            chapter,
            open: rule.is_none_or(|rule| rule.program.holds(self, difficulty.unwrap_or(0))),
            lock: rule.map_or_else(Vec::new, |rule| self.standings(rule, difficulty)),
            levels: 0,
            finished: 0,
            stars: 0,
            stars_of: 0,
        };
        for level in self.schema.counted(Some(chapter.index())) {
            let facts = self.facts_at(level, difficulty);
            card.levels += 1;
            card.finished += usize::from(facts.finished);
            card.stars += u64::from(facts.stars);
            card.stars_of += self.schema.levels.get(level).map_or(0, |level| level.stars.into());
        }
        card
    }
}
