//! Figures of many saves: counts and distributions, added up save by save. What is kept does not grow with the number
//! of saves.

use std::collections::BTreeMap;

use keblin::save::StateHead;
use keblin::{Progress, Schema};

use super::spread::{Spread, Unit};
use crate::out::played;

/// How old saves are, in days at the most; the last group has all others.
pub(crate) const AGES_DAYS: [u64; 5] = [1, 7, 30, 90, 365];

/// Milliseconds in a day.
const DAY_MS: u64 = 24 * 60 * 60 * 1000;

/// One level on one difficulty.
#[derive(Clone, Default)]
pub(crate) struct OfLevel {
    /// In how many saves it was entered.
    pub(crate) reached: usize,
    /// In how many it was finished.
    pub(crate) finished: usize,
    /// In how many it is the furthest level, and was not finished.
    pub(crate) stopped: usize,
    /// How often it was tried, and how many deaths there were, in all saves.
    pub(crate) attempts: u64,
    pub(crate) deaths: u64,
    /// By number of stars: in how many saves it has them, of those that finished it.
    pub(crate) stars: Vec<usize>,
}

/// A record in all saves: its best value.
pub(crate) struct OfRecord {
    /// The cell of its value.
    cell: usize,
    /// Its name, with the level or whatever else it is for.
    pub(crate) name: String,
    pub(crate) spread: Spread,
}

/// Figures of some saves of a game.
pub(crate) struct Figures {
    /// How many saves were opened.
    pub(crate) saves: usize,
    /// How many could not be opened, by the code of the reason.
    pub(crate) unopened: BTreeMap<&'static str, usize>,
    /// By version: how many saves were written with it.
    pub(crate) versions: BTreeMap<u32, usize>,
    /// By code: in how many saves something was found.
    pub(crate) findings: BTreeMap<&'static str, usize>,
    /// By age, as [`AGES_DAYS`].
    pub(crate) ages: [usize; AGES_DAYS.len() + 1],
    /// The time in play.
    pub(crate) played: Spread,
    /// By difficulty, if levels are kept for each, then level.
    pub(crate) levels: Vec<Vec<OfLevel>>,
    /// By unlock: how many have it.
    pub(crate) unlocks: Vec<usize>,
    pub(crate) records: Vec<OfRecord>,
}

impl Figures {
    pub(crate) fn new(schema: &Schema) -> Figures {
        let lists = if schema.level_facts_per_difficulty { schema.difficulties.len() } else { 1 };
        let level = |level: &keblin::model::LevelDef| OfLevel {
            stars: vec![0; usize::from(level.stars) + 1],
            ..OfLevel::default()
        };
        let levels: Vec<OfLevel> = schema.levels.iter().map(level).collect();
        let records = schema.fields.iter().filter(|field| field.keep.is_record());
        let records = records.flat_map(|field| {
            let firsts = field.cells.clone().step_by(field.places.max(1));
            firsts.filter_map(move |cell| {
                let unit = Unit::of(field.kind)?;
                let place = schema.cell_owner(cell).map(|(_, at)| schema.place_text(&field.per, at));
                let place = place.filter(|_| !field.per.is_empty()).unwrap_or_default();
                let name = format!("{} {place}", field.name).trim_end().to_string();
                Some(OfRecord { cell, name, spread: Spread::new(unit) })
            })
        });
        Figures {
            saves: 0,
            unopened: BTreeMap::new(),
            versions: BTreeMap::new(),
            findings: BTreeMap::new(),
            ages: [0; AGES_DAYS.len() + 1],
            played: Spread::new(Unit::Milliseconds),
            levels: vec![levels; lists],
            unlocks: vec![0; schema.unlocks.len()],
            records: records.collect(),
        }
    }

    /// Adds a save.
    pub(crate) fn add(&mut self, progress: &Progress, head: &StateHead, now_unix_ms: u64) {
        self.saves += 1;
        *self.versions.entry(head.schema_version).or_default() += 1;
        let days = now_unix_ms.saturating_sub(head.saved_at_unix_ms) / DAY_MS;
        let age = AGES_DAYS.iter().position(|most| days < *most).unwrap_or(AGES_DAYS.len());
        self.ages.get_mut(age).into_iter().for_each(|count| *count += 1);
        self.played.add_value(&played(progress));
        self.add_levels(progress);
        let schema = progress.schema();
        for (index, count) in self.unlocks.iter_mut().enumerate() {
            let has = schema.unlock_at(index).is_some_and(|unlock| progress.is_unlocked(unlock));
            *count += usize::from(has);
        }
        for OfRecord { cell, spread, .. } in &mut self.records {
            spread.add_value(progress.value_at(*cell));
        }
    }

    fn add_levels(&mut self, progress: &Progress) {
        let schema = progress.schema();
        for (list, levels) in self.levels.iter_mut().enumerate() {
            let difficulty = schema.difficulty_at(list).filter(|_| schema.level_facts_per_difficulty);
            let mut furthest = None;
            for (index, of) in levels.iter_mut().enumerate() {
                let Some(level) = schema.level_at(index) else { continue };
                let facts = progress.facts(level, difficulty);
                if facts.attempts == 0 && !facts.finished {
                    continue;
                }
                of.reached += 1;
                of.attempts += facts.attempts;
                of.deaths += facts.deaths;
                if facts.finished {
                    of.finished += 1;
                    of.stars.get_mut(usize::from(facts.stars)).into_iter().for_each(|count| *count += 1);
                }
                furthest = Some((index, facts.finished));
            }
            if let Some((index, false)) = furthest {
                levels.get_mut(index).into_iter().for_each(|of| of.stopped += 1);
            }
        }
    }

    /// Adds the figures of other saves of the same game.
    pub(crate) fn merge(&mut self, other: Figures) {
        self.saves += other.saves;
        add_all(&mut self.unopened, other.unopened);
        add_all(&mut self.versions, other.versions);
        add_all(&mut self.findings, other.findings);
        self.ages.iter_mut().zip(other.ages).for_each(|(count, more)| *count += more);
        self.played.merge(&other.played);
        for (of, more) in self.levels.iter_mut().flatten().zip(other.levels.into_iter().flatten()) {
            of.reached += more.reached;
            of.finished += more.finished;
            of.stopped += more.stopped;
            of.attempts += more.attempts;
            of.deaths += more.deaths;
            of.stars.iter_mut().zip(more.stars).for_each(|(count, more)| *count += more);
        }
        self.unlocks.iter_mut().zip(other.unlocks).for_each(|(count, more)| *count += more);
        for (of, more) in self.records.iter_mut().zip(&other.records) {
            of.spread.merge(&more.spread);
        }
    }
}

fn add_all<K: Ord>(to: &mut BTreeMap<K, usize>, more: BTreeMap<K, usize>) {
    more.into_iter().for_each(|(key, count)| *to.entry(key).or_default() += count);
}
