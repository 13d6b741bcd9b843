//! The parts of a rule: what each asks for, what the player has and what is needed. Level cards, refusals and the
//! result of a finish all report them in the same way.

use keblin_model::model::{Rule, RuleAsks, RulePart, Threshold};
use keblin_model::program::{Comparison, Program};
use keblin_model::program::{Fact, On};
use keblin_model::{AnyGame, Chapter, Difficulty, Level, Unlock, Value};

use super::Engine;
use crate::snapshot::Schema;

/// A part of a rule: what it asks for, and whether it is met.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Standing<G = AnyGame> {
    /// What it asks for.
    pub asks: Asks<G>,
    /// Whether it is met.
    pub met: bool,
    /// What the player has: a number, or whether it is true.
    pub held: Value,
    /// What is needed.
    pub needed: Value,
}

/// What a part of a rule asks for.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Asks<G = AnyGame> {
    /// A level must be finished.
    Finish {
        /// The level.
        level: Level<G>,
        /// The difficulty; `None` if finished is not kept per difficulty, or on any.
        difficulty: Option<Difficulty<G>>,
    },
    /// An unlock must be unlocked.
    Unlock(Unlock<G>),
    /// A number of stars.
    Stars(Comparison),
    /// A number of stars in a chapter.
    StarsIn(Comparison, Chapter<G>),
    /// A number of finished levels in a chapter.
    FinishedIn(Comparison, Chapter<G>),
    /// A number of something, as the rule writes it.
    Number(Comparison, String),
    /// Anything else, as the rule writes it.
    Condition(String),
}

impl<G: Copy> Standing<G> {
    /// Returns what is missing as people read it: `black_sluice is not finished on neap`, `8 stars needed, 7 held`.
    #[must_use]
    pub fn text(&self, schema: &Schema) -> String {
        let Standing { held, needed, .. } = self;
        match &self.asks {
            Asks::Finish { level, difficulty } => {
                let name = schema.levels.get(level.index()).map_or("?", |level| level.name.as_str());
                let on = difficulty.and_then(|difficulty| schema.difficulties.get(difficulty.index()));
                format!("{name} is not finished{}", on.map_or(String::new(), |on| format!(" on {on}")))
            }
            Asks::Unlock(unlock) => {
                let name = schema.unlocks.get(unlock.index()).map_or("?", |unlock| unlock.name.as_str());
                format!("{name} is not unlocked")
            }
            Asks::Stars(comparison) => {
                format!("{}{needed} stars needed, {held} held", amount(*comparison))
            }
            Asks::StarsIn(comparison, chapter) => {
                let title = title(schema, *chapter);
                format!("{}{needed} stars in {title} needed, {held} held", amount(*comparison))
            }
            Asks::FinishedIn(comparison, chapter) => {
                let title = title(schema, *chapter);
                format!("{}{needed} finished in {title} needed, {held} finished", amount(*comparison))
            }
            Asks::Number(comparison, what) => {
                format!("{what}: {}{needed} needed, {held} held", amount(*comparison))
            }
            Asks::Condition(source) => format!("`{source}` is not true"),
        }
    }
}

fn title<G: Copy>(schema: &Schema, chapter: Chapter<G>) -> &str {
    schema.chapters.get(chapter.index()).map_or("?", |chapter| &chapter.title)
}

fn amount(comparison: Comparison) -> &'static str {
    match comparison {
        Comparison::GreaterOrEqual => "",
        Comparison::Greater => "more than ",
        Comparison::Less => "less than ",
        Comparison::LessOrEqual => "at most ",
        Comparison::Equal => "exactly ",
        Comparison::NotEqual => "other than ",
    }
}

impl Engine {
    /// Returns the parts of a rule on a difficulty.
    pub(super) fn standings(&self, rule: &Rule, difficulty: Option<usize>) -> Vec<Standing> {
        rule.parts.iter().filter_map(|part| self.standing(part, difficulty)).collect()
    }

    fn standing(&self, part: &RulePart, difficulty: Option<usize>) -> Option<Standing> {
        let in_question = difficulty.unwrap_or(0);
        let met = part.program.holds(self, in_question);
        let (asks, held, needed) = match &part.asks {
            RuleAsks::Finished { level, on } => {
                let apart = self.schema.level_facts_per_difficulty;
                let difficulty = match on {
                    On::InQuestion => difficulty.filter(|_| apart),
                    on => on.one(),
                };
                let difficulty = difficulty.and_then(|index| self.schema.difficulty_at(index));
                let asks = Asks::Finish { level: self.schema.level_at(*level)?, difficulty };
                (asks, Value::Bool(met), Value::Bool(true))
            }
            RuleAsks::Unlocked(unlock) => {
                (Asks::Unlock(self.schema.unlock_at(*unlock)?), Value::Bool(met), Value::Bool(true))
            }
            RuleAsks::Number(threshold) => {
                let Threshold { held, comparison, needed, is_stars, of_chapter, kind, .. } =
                    threshold.as_ref();
                let value =
                    |program: &Program| program.outcome(self, in_question, *kind).unwrap_or(Value::Unset);
                let chapter = of_chapter.and_then(|(fact, at)| Some((fact, self.schema.chapter_at(at)?)));
                let asks = match (chapter, is_stars) {
                    (Some((Fact::Stars, chapter)), _) => Asks::StarsIn(*comparison, chapter),
                    (Some((_, chapter)), _) => Asks::FinishedIn(*comparison, chapter),
                    (None, true) => Asks::Stars(*comparison),
                    (None, false) => Asks::Number(*comparison, held.source().to_string()),
                };
                (asks, value(held), value(needed))
            }
            _ => (Asks::Condition(part.program.source().to_string()), Value::Bool(met), Value::Bool(true)),
        };
        Some(Standing { asks, met, held, needed })
    }
}
