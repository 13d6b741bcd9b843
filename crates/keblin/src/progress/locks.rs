//! Locks: whether a level can be entered, and why not, part by part. The look and the door ask here. What opens is told
//! once, by asking again the rules that name what has changed, and no others.

use keblin_schema::condition::names::{Fact, On};
use keblin_schema::condition::{Comparison, Val};
use keblin_schema::rule::{RuleAsks, RulePart, Threshold};
use keblin_schema::watch::RuleId;
use keblin_schema::{Difficulty, Level, Schema, Time, Value};

use super::Progress;
use super::notice::Notice;
use super::refusal::Why;

/// A part of a lock: what it asks for, and how that stands.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct LockPart {
    /// What it asks for.
    pub asks: LockAsks,
    /// Whether it holds.
    pub met: bool,
    /// What is held: a number, or whether it holds.
    pub held: Value,
    /// What is needed.
    pub needed: Value,
}

/// What a part of a lock asks for.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum LockAsks {
    /// A level to be finished.
    Finish {
        /// The level.
        level: Level,
        /// On this difficulty; `None` where finished is not kept apart, or any will do.
        difficulty: Option<Difficulty>,
    },
    /// So many stars.
    Stars(Comparison),
    /// So much of something, as the rule writes it.
    Number(Comparison, String),
    /// Anything else, as the rule writes it.
    Condition(String),
}

impl LockPart {
    /// What is missing, as people read it: `black_sluice is not finished on neap`, `8 stars needed, 7 held`.
    #[must_use]
    pub fn text(&self, schema: &Schema) -> String {
        let LockPart { held, needed, .. } = self;
        match &self.asks {
            LockAsks::Finish { level, difficulty } => {
                let name = schema.levels.get(level.index()).map_or("?", |level| level.name.as_str());
                let on = difficulty.and_then(|difficulty| schema.difficulties.get(difficulty.index()));
                format!("{name} is not finished{}", on.map_or(String::new(), |on| format!(" on {on}")))
            }
            LockAsks::Stars(comparison) => {
                format!("{}{needed} stars needed, {held} held", amount(*comparison))
            }
            LockAsks::Number(comparison, what) => {
                format!("{what}: {}{needed} needed, {held} held", amount(*comparison))
            }
            LockAsks::Condition(source) => format!("`{source}` does not hold"),
        }
    }
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

/// Which locks were open when they were last asked, and which are to be asked again.
#[derive(Clone, Debug, Default)]
pub(super) struct Locks {
    open: Vec<bool>,
    again: Vec<RuleId>,
    asked: u64,
}

impl Locks {
    fn ask_again(&mut self, rules: &[RuleId]) {
        for rule in rules {
            if !self.again.contains(rule) {
                self.again.push(*rule);
            }
        }
    }

    pub(super) fn cell_changed(&mut self, schema: &Schema, cell: usize) {
        self.ask_again(schema.watch.of_cell(cell));
    }

    pub(super) fn fact_changed(&mut self, schema: &Schema, level: usize, fact: Fact) {
        self.ask_again(schema.watch.of_fact(level, fact));
    }

    pub(super) fn time_passed(&mut self, schema: &Schema) {
        self.ask_again(schema.watch.of_played());
    }

    /// An event of the run has changed the phase, the level, the checkpoint or the furthest level.
    pub(super) fn moved(&mut self, schema: &Schema) {
        for (_, rule) in schema.watch.of_words() {
            self.ask_again(&[rule]);
        }
    }
}

impl Progress {
    /// Why a level cannot be entered, part by part, or could be; empty for a level without a lock. `difficulty` is the one in
    /// question; `None` is that of the run, or the one last chosen.
    ///
    /// # Panics
    /// If the level was looked up in a schema with more levels.
    #[must_use]
    pub fn why_locked(&self, level: Level, difficulty: Option<Difficulty>) -> Vec<LockPart> {
        self.lock_parts(self.known(level), difficulty.map(Difficulty::index).or(self.here().difficulty))
    }

    /// Whether a level can be entered on a difficulty; `None` is that of the run, or the one last chosen.
    ///
    /// # Panics
    /// If the level was looked up in a schema with more levels.
    #[must_use]
    pub fn is_open(&self, level: Level, difficulty: Option<Difficulty>) -> bool {
        self.is_open_at(self.known(level), difficulty.map(Difficulty::index).or(self.here().difficulty))
    }

    /// How often a lock was asked since this progress was made because something that it names has changed.
    #[must_use]
    pub fn locks_asked(&self) -> u64 {
        self.locks.asked
    }

    pub(super) fn is_open_at(&self, level: usize, difficulty: Option<usize>) -> bool {
        let rule = self.schema.levels.get(level).and_then(|level| level.unlock.as_ref());
        rule.is_none_or(|rule| rule.program.holds(self, difficulty.unwrap_or(0)))
    }

    pub(super) fn lock_parts(&self, level: usize, difficulty: Option<usize>) -> Vec<LockPart> {
        let rule = self.schema.levels.get(level).and_then(|level| level.unlock.as_ref());
        let parts = rule.map_or(&[][..], |rule| &rule.parts);
        parts.iter().filter_map(|part| self.lock_part(part, difficulty)).collect()
    }

    fn lock_part(&self, part: &RulePart, difficulty: Option<usize>) -> Option<LockPart> {
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
                let asks = LockAsks::Finish { level: self.schema.level_at(*level)?, difficulty };
                (asks, Value::Bool(met), Value::Bool(true))
            }
            RuleAsks::Number(threshold) => {
                let Threshold { held, comparison, needed, is_stars, is_time, .. } = threshold.as_ref();
                let value = |val: Val<'_>| match val {
                    Val::Int(nanos) if *is_time => Value::Time(Time::from_nanos(nanos)),
                    Val::Int(number) => Value::Int(number),
                    _ => Value::Unset,
                };
                let asks = match is_stars {
                    true => LockAsks::Stars(*comparison),
                    false => LockAsks::Number(*comparison, held.source().to_string()),
                };
                (asks, value(held.value(self, in_question)), value(needed.value(self, in_question)))
            }
            _ => {
                (LockAsks::Condition(part.program.source().to_string()), Value::Bool(met), Value::Bool(true))
            }
        };
        Some(LockPart { asks, met, held, needed })
    }

    /// Why a level cannot be entered now, if it cannot.
    pub(super) fn locked(&self, level: usize) -> Option<Why> {
        let difficulty = self.here().difficulty;
        if self.is_open_at(level, difficulty) {
            return None;
        }
        let parts = self.lock_parts(level, difficulty);
        let missing = parts.iter().filter(|part| !part.met).map(|part| part.text(&self.schema)).collect();
        Some(Why::Locked { level: self.level_name(level), missing })
    }

    /// Asks all locks and tells nothing: what a begin, a restore or a made-up state opens is not news.
    pub(super) fn note_locks(&mut self) {
        let difficulty = self.here().difficulty;
        self.locks.again.clear();
        self.locks.open =
            (0..self.schema.levels.len()).map(|level| self.is_open_at(level, difficulty)).collect();
    }

    /// At the end of an event that may have changed the phase, the level, the checkpoint or the furthest level.
    pub(super) fn moved(&mut self) -> Vec<Level> {
        self.locks.moved(&self.schema);
        self.settle_locks()
    }

    /// Asks the locks again that name what has changed, and tells those that opened.
    pub(super) fn settle_locks(&mut self) -> Vec<Level> {
        if self.locks.again.is_empty() {
            return Vec::new();
        }
        let difficulty = self.here().difficulty;
        let mut again = std::mem::take(&mut self.locks.again);
        again.sort_unstable();
        let mut opened = Vec::new();
        for RuleId(rule) in again.drain(..) {
            let level = rule as usize;
            let now = self.is_open_at(level, difficulty);
            self.locks.asked += 1;
            let before = self.locks.open.get_mut(level).is_some_and(|open| std::mem::replace(open, now));
            if now && !before {
                opened.extend(self.schema.level_at(level));
            }
        }
        // The vector is kept, so that a change that asks again does not allocate.
        self.locks.again = again;
        let apart = difficulty.filter(|_| self.schema.level_facts_per_difficulty);
        let difficulty = apart.and_then(|index| self.schema.difficulty_at(index));
        for level in &opened {
            self.tell(Notice::Opened { level: *level, difficulty });
        }
        opened
    }
}
