//! What opens what: levels and unlocks as boxes, with an arrow from everything that a rule names. Each chapter is a
//! drawing of its own, so that a hundred levels can be read.

use std::collections::BTreeSet;

use keblin::Schema;
use keblin::condition::Comparison;
use keblin::model::{Rule, RuleAsks, RulePart};

/// A level or an unlock, by its position.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Thing {
    Level(usize),
    Unlock(usize),
}

/// Some levels and unlocks, and what opens what among them.
pub(super) struct Part {
    /// The chapter, if it is one.
    pub(super) chapter: Option<usize>,
    /// What to call it.
    pub(super) title: String,
    /// Its own levels and unlocks.
    pub(super) things: Vec<Thing>,
    /// Those of other parts that its rules name.
    pub(super) from_elsewhere: Vec<Thing>,
    /// Arrows, from what is named to what names it.
    pub(super) arrows: Vec<(Thing, Thing)>,
}

/// Returns the title of a level or an unlock.
pub(super) fn title(schema: &Schema, thing: Thing) -> &str {
    match thing {
        Thing::Level(level) => schema.levels.get(level).map_or("", |level| &level.title),
        Thing::Unlock(unlock) => schema.unlocks.get(unlock).map_or("", |unlock| &unlock.title),
    }
}

/// Returns the rule of a level, without that of its chapter, or of an unlock.
pub(super) fn rule(schema: &Schema, thing: Thing) -> Option<&Rule> {
    match thing {
        Thing::Level(level) => schema.levels.get(level)?.unlock.as_ref(),
        Thing::Unlock(unlock) => schema.unlocks.get(unlock)?.when.as_ref(),
    }
}

/// Returns what the rule of a level or an unlock names, apart from itself.
fn named_by(schema: &Schema, thing: Thing) -> BTreeSet<Thing> {
    let rule = rule(schema, thing).into_iter();
    let named =
        rule.flat_map(|rule| rule.levels().map(Thing::Level).chain(rule.unlocks().map(Thing::Unlock)));
    named.filter(|named| *named != thing).collect()
}

/// Returns what a rule asks for besides what the arrows show, as short as it can be said.
pub(super) fn also_asks(rule: &Rule) -> Vec<String> {
    let is_shown = |part: &&RulePart| !matches!(part.asks, RuleAsks::Finished { .. } | RuleAsks::Unlocked(_));
    rule.parts.iter().filter(is_shown).map(asked).collect()
}

fn asked(part: &RulePart) -> String {
    if let RuleAsks::Number(threshold) = &part.asks
        && threshold.is_stars
        && threshold.comparison == Comparison::GreaterOrEqual
        && threshold.needed.constant().is_some()
    {
        return format!("{} stars", threshold.needed.source());
    }
    part.program.source().to_string()
}

/// Returns the parts of a game: its chapters, the levels outside them, and unlocks that belong to none.
pub(super) fn parts(schema: &Schema) -> Vec<Part> {
    let chapters = std::iter::once(None).chain((0..schema.chapters.len()).map(Some));
    let mut parts: Vec<Part> = chapters.map(|chapter| Part::of_levels(schema, chapter)).collect();
    parts.retain(|part| !part.things.is_empty());
    let mut alone = Part::new(None, "Unlocks".to_string());
    for unlock in (0..schema.unlocks.len()).map(Thing::Unlock) {
        let home = home(schema, &parts, unlock);
        parts.get_mut(home).unwrap_or(&mut alone).things.push(unlock);
    }
    parts.push(alone);
    parts.retain(|part| !part.things.is_empty());
    parts.iter_mut().for_each(|part| part.draw_arrows(schema));
    parts
}

/// Returns the part in which an unlock is drawn: that of the first level that asks for it, else of the first level or
/// unlock that it asks for. A game without chapters has only one.
fn home(schema: &Schema, parts: &[Part], unlock: Thing) -> usize {
    let levels = (0..schema.levels.len()).map(Thing::Level);
    let asked_by = levels.clone().find(|level| named_by(schema, *level).contains(&unlock));
    let named = named_by(schema, unlock);
    let part_of = |thing: &Thing| parts.iter().position(|part| part.things.contains(thing));
    asked_by.iter().chain(&named).find_map(part_of).unwrap_or(if schema.chapters.is_empty() {
        0
    } else {
        usize::MAX
    })
}

impl Part {
    fn new(chapter: Option<usize>, title: String) -> Part {
        Part { chapter, title, things: Vec::new(), from_elsewhere: Vec::new(), arrows: Vec::new() }
    }

    fn of_levels(schema: &Schema, chapter: Option<usize>) -> Part {
        let title = chapter.and_then(|at| schema.chapters.get(at)).map(|chapter| chapter.title.clone());
        let plain = if schema.chapters.is_empty() { "Levels" } else { "Outside the chapters" };
        let levels = schema.levels.iter().enumerate().filter(|(_, level)| level.chapter == chapter);
        let things = levels.map(|(index, _)| Thing::Level(index)).collect();
        Part { things, ..Part::new(chapter, title.unwrap_or_else(|| plain.to_string())) }
    }

    fn draw_arrows(&mut self, schema: &Schema) {
        for thing in &self.things {
            for named in named_by(schema, *thing) {
                if !self.things.contains(&named) && !self.from_elsewhere.contains(&named) {
                    self.from_elsewhere.push(named);
                }
                // A circle of rules is a finding of its own; drawn, it would have no top.
                if !self.leads(*thing, named) {
                    self.arrows.push((named, *thing));
                }
            }
        }
    }

    /// Returns whether arrows lead from one to another.
    fn leads(&self, from: Thing, to: Thing) -> bool {
        let mut reached = BTreeSet::from([from]);
        let mut waiting = vec![from];
        while let Some(at) = waiting.pop() {
            let next = self.arrows.iter().filter(|(start, _)| *start == at).map(|(_, end)| *end);
            waiting.extend(next.filter(|end| reached.insert(*end)));
        }
        reached.contains(&to)
    }
}
