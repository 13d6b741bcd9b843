//! A model as text again: the declaration in one plain form, with every key that matters for saves or rules and none
//! that is only for people. It reads back as the same model, so it can be kept for as long as there are saves of it.

/// Values as a declaration writes them.
mod written;

/// Kinds of objects and areas of the world.
mod world;

use std::fmt::Write as _;

use crate::model::{
    AfterLast, Again, AtZero, Bound, CheckpointLasts, CheckpointOrder, FieldDef, Limits, MemberDef, Model,
    Resume, Rule, StarsBy, Survival, UnlockDef,
};
use crate::value::Value;
use crate::value::keep::Keep;
use crate::value::kind::{Holds, Ids, Kind};

pub(crate) use written::{literal, quoted};

/// Returns a declaration in its normal form: a text of TOML that reads back as this model, apart from titles and
/// `about`.
///
/// ```
/// let text = "version = 1\ngame = 'otter'\n[fields]\nfish = { scope = 'profile', type = 'int', max = 9 }\n";
/// let model = keblin_schema::parse("progress.toml", text)?.declaration.model;
/// let normal = keblin_schema::normal_text(&model);
/// assert!(normal.ends_with("[fields.fish]\ntype = \"int\"\nscope = \"profile\"\nmax = 9\n"));
/// # Ok::<(), keblin_schema::Findings>(())
/// ```
#[must_use]
pub fn normal_text(model: &Model) -> String {
    let mut out = Normal { model, text: String::new() };
    out.declaration();
    out.lists();
    out.shapes();
    out.world();
    model.fields.iter().for_each(|field| out.field(field));
    out.groups();
    out.constants();
    out.chapters();
    out.levels();
    out.unlocks();
    out.moments();
    out.invariants();
    out.resets();
    out.text
}

/// Returns the type of a field as a declaration writes it: each key with its value.
pub(crate) fn kind_words(model: &Model, field: &FieldDef) -> Vec<(&'static str, String)> {
    words_of(model, field.holds())
}

/// Returns a type as a declaration writes it: each key with its value.
pub(crate) fn words_of(model: &Model, holds: Holds) -> Vec<(&'static str, String)> {
    let kind = holds.kind;
    let named =
        matches!(kind, Kind::Id(_) | Kind::Shape(_) | Kind::Object(_)).then(|| item_word(model, kind));
    let mut words = vec![("type", quoted(kind.as_str()))];
    words.extend(named.map(|name| ("of", quoted(&name))));
    words.extend(holds.of.map(|of| ("of", quoted(&item_word(model, of)))));
    words.extend(holds.key.map(|key| ("key", quoted(&item_word(model, key)))));
    words
}

/// Returns the word for the contents of a list, set or map, or for the list, shape or kind of objects of a type.
pub(crate) fn item_word(model: &Model, kind: Kind) -> String {
    let named = match kind {
        Kind::Id(Ids::List(list)) => model.lists.get(usize::from(list)).map(|list| list.name.as_str()),
        Kind::Id(ids) => Ids::BUILT_IN.iter().find(|(_, known)| *known == ids).map(|(word, _)| *word),
        Kind::Shape(shape) => model.shapes.get(usize::from(shape)).map(|shape| shape.name.as_str()),
        Kind::Object(of) => model.object_kinds.get(usize::from(of)).map(|kind| kind.name.as_str()),
        plain => Some(plain.as_str()),
    };
    named.unwrap_or_default().to_string()
}

/// Returns a bound as a declaration writes it.
pub(crate) fn bound_text(bound: &Bound) -> String {
    match bound {
        Bound::Fixed(value) => literal(value).unwrap_or_default(),
        Bound::Follows(program) => quoted(program.source()),
    }
}

/// Returns ids as a list of texts.
pub(crate) fn id_list(ids: impl IntoIterator<Item = impl AsRef<str>>) -> String {
    let ids: Vec<String> = ids.into_iter().map(|id| quoted(id.as_ref())).collect();
    format!("[{}]", ids.join(", "))
}

struct Normal<'s> {
    model: &'s Model,
    text: String,
}

/// Returns what an unlock costs, as a declaration writes it.
pub(crate) fn costs_text(model: &Model, unlock: &UnlockDef) -> String {
    let costs = unlock.costs.iter().filter_map(|(field, price)| {
        Some(format!("{} = {}", model.fields.get(*field)?.name, literal(price)?))
    });
    format!("{{ {} }}", costs.collect::<Vec<_>>().join(", "))
}

impl Normal<'_> {
    fn key(&mut self, key: &str, value: &str) {
        // Writing to a text cannot fail.
        let _ = writeln!(self.text, "{key} = {value}");
    }

    fn word(&mut self, key: &str, word: &str) {
        self.key(key, &quoted(word));
    }

    /// Writes a key, if it has a value.
    fn maybe(&mut self, key: &str, value: Option<String>) {
        if let Some(value) = value {
            self.key(key, &value);
        }
    }

    fn heading(&mut self, heading: &str) {
        let _ = write!(self.text, "\n{heading}\n");
    }

    fn declaration(&mut self) {
        let model = self.model;
        self.word("game", model.game.as_str());
        self.key("version", &model.version.to_string());
        if !model.difficulties.is_empty() {
            self.key("difficulties", &id_list(&model.difficulties));
        }
        if model.level_facts_per_difficulty {
            self.word("level_facts_per", "difficulty");
        }
        if model.stars_by != StarsBy::BestAttempt {
            self.word("stars_by", model.stars_by.as_str());
        }
        if model.resume != Resume::Checkpoint {
            self.word("resume", model.resume.as_str());
        }
        if model.checkpoint_lasts != CheckpointLasts::Level {
            self.word("checkpoint_lasts", model.checkpoint_lasts.as_str());
        }
        if model.after_last != AfterLast::Map {
            self.word("after_last", model.after_last.as_str());
        }
        let autosave = model.autosave.iter().map(|at| at.text());
        self.key("autosave", &id_list(autosave));
        if !model.summary.is_empty() {
            self.heading("[summary]");
            self.key("fields", &id_list(model.summary_names()));
        }
        let lives = model.lives.as_ref().and_then(|lives| Some((model.fields.get(lives.field)?, lives)));
        if let Some((field, lives)) = lives {
            self.heading("[lives]");
            self.word("field", field.name.as_str());
            if lives.at_zero != AtZero::EndRun {
                self.word("at_zero", lives.at_zero.as_str());
            }
        }
    }

    fn lists(&mut self) {
        if !self.model.lists.is_empty() {
            self.heading("[lists]");
        }
        for list in &self.model.lists {
            self.key(list.name.as_str(), &id_list(&list.items));
        }
    }

    fn shapes(&mut self) {
        for shape in &self.model.shapes {
            for member in &shape.members {
                self.heading(&format!("[shapes.{}.members.{}]", shape.name, member.name));
                self.member(member);
            }
        }
    }

    fn member(&mut self, member: &MemberDef) {
        for (key, word) in words_of(self.model, member.holds()) {
            self.key(key, &word);
        }
        self.default(&member.default, member.kind);
        self.limits(&member.limits);
        if let Some(items) = &member.items {
            self.limits(&items.limits);
            self.key("max_items", &items.max_items.to_string());
        }
    }

    fn default(&mut self, default: &Value, kind: Kind) {
        if *default != self.model.own_default(kind) {
            self.maybe("default", literal(default));
        }
    }

    fn limits(&mut self, limits: &Limits) {
        self.maybe("min", limits.min.as_ref().and_then(literal));
        self.maybe("max", limits.max.as_ref().and_then(literal));
        self.maybe("max_len", limits.max_len.map(|len| len.to_string()));
    }

    fn field(&mut self, field: &FieldDef) {
        self.heading(&format!("[fields.{}]", field.name));
        for (key, word) in kind_words(self.model, field) {
            self.key(key, &word);
        }
        self.word("scope", field.scope.as_str());
        if field.keep != Keep::Latest {
            self.word("keep", field.keep.as_str());
        }
        if !field.per.is_empty() {
            self.key("per", &id_list(field.per.iter().map(|axis| self.model.axis_name(*axis))));
        }
        if !field.durable {
            self.key("durable", "false");
        }
        self.default(&field.default, field.kind);
        self.maybe("min", field.min.as_ref().map(bound_text));
        self.maybe("max", field.max.as_ref().map(bound_text));
        self.maybe("max_len", field.max_len.map(|len| len.to_string()));
        if let Some(items) = &field.items {
            self.limits(&items.limits);
            self.key("max_items", &items.max_items.to_string());
        }
        if field.places > 1 {
            self.key("places", &field.places.to_string());
        }
        if let Some(with) = &field.with {
            self.maybe("with", self.model.with_name(field).map(quoted));
            let members =
                self.model.shapes.get(usize::from(with.shape)).map_or(&[][..], |shape| &shape.members);
            let pairs = with.from.iter().filter_map(|(member, from)| {
                let from = self.model.fields.get(*from)?;
                Some(format!("{} = {}", members.get(*member)?.name, quoted(from.name.as_str())))
            });
            let pairs: Vec<String> = pairs.collect();
            self.maybe("with_from", (!pairs.is_empty()).then(|| format!("{{ {} }}", pairs.join(", "))));
        }
        if field.counts_playing {
            self.word("counts", "playing");
        }
        if let Some(feed) = &field.feed {
            let from = self.model.fields.get(feed.from).map(|from| quoted(from.name.as_str()));
            self.maybe("from", from);
            self.key("at", &id_list(feed.at.iter().map(|at| at.as_str())));
        }
        self.survival(field);
    }

    fn groups(&mut self) {
        for (group, fields) in self.model.by_group(|_| true) {
            if let Some(group) = group {
                self.heading(&format!("[groups.{}]", group.name));
                self.key("fields", &id_list(fields.iter().map(|field| &field.name)));
            }
        }
    }

    fn survival(&mut self, field: &FieldDef) {
        let (said, of_scope) = (field.survival, Survival::of_scope(field.scope));
        if field.says_on_death {
            self.word("on_death", said.on_death.as_str());
        }
        for (key, word, usual) in [
            ("on_retry", said.on_retry.as_str(), of_scope.on_retry.as_str()),
            ("on_level", said.on_level.as_str(), of_scope.on_level.as_str()),
            ("on_new_run", said.on_new_run.as_str(), of_scope.on_new_run.as_str()),
        ] {
            if word != usual {
                self.word(key, word);
            }
        }
    }

    fn levels(&mut self) {
        for level in &self.model.levels {
            self.heading("[[levels]]");
            self.word("id", level.name.as_str());
            if !level.checkpoints.is_empty() {
                self.key("checkpoints", &id_list(&level.checkpoints));
            }
            if let Some(chapter) = level.chapter.and_then(|at| self.model.chapters.get(at)) {
                self.word("chapter", chapter.name.as_str());
            }
            if !level.counted {
                self.key("counted", "false");
            }
            if level.checkpoint_order != CheckpointOrder::Furthest {
                self.word("checkpoint_order", level.checkpoint_order.as_str());
            }
            let when = |rule: &Rule| quoted(rule.program.source());
            if !level.star_ids.is_empty() {
                let stars = level.star_ids.iter().zip(&level.star_rules);
                let stars = stars.map(|(id, rule)| format!("{{ id = \"{id}\", when = {} }}", when(rule)));
                self.key("stars", &format!("[{}]", stars.collect::<Vec<_>>().join(", ")));
            } else if !level.star_rules.is_empty() {
                self.key("stars", &id_list(level.star_rules.iter().map(|rule| rule.program.source())));
            } else if level.stars > 0 {
                self.key("stars", &level.stars.to_string());
            }
            self.maybe("unlock", level.unlock.as_ref().map(|rule| quoted(rule.program.source())));
            if level.latch {
                self.key("latch", "true");
            }
            if let Some(next) = &level.next {
                let names = next.iter().filter_map(|at| self.model.levels.get(*at));
                self.key("next", &id_list(names.map(|level| &level.name)));
            }
            for (constant, value) in self.model.constants.iter().zip(&level.constants) {
                if *value != constant.default {
                    self.maybe(constant.name.as_str(), literal(value));
                }
            }
        }
    }

    fn chapters(&mut self) {
        for chapter in &self.model.chapters {
            self.heading("[[chapters]]");
            self.word("id", chapter.name.as_str());
            self.maybe("unlock", chapter.unlock.as_ref().map(|rule| quoted(rule.program.source())));
        }
    }

    fn constants(&mut self) {
        for constant in &self.model.constants {
            self.heading(&format!("[level_constants.{}]", constant.name));
            self.word("type", constant.kind.as_str());
            self.maybe("default", literal(&constant.default));
        }
    }

    fn unlocks(&mut self) {
        for unlock in &self.model.unlocks {
            self.heading("[[unlocks]]");
            self.word("id", unlock.name.as_str());
            self.maybe("when", unlock.when.as_ref().map(|rule| quoted(rule.program.source())));
            if !unlock.costs.is_empty() {
                self.key("costs", &costs_text(self.model, unlock));
            } else if unlock.latch {
                self.key("latch", "true");
            }
        }
    }

    fn invariants(&mut self) {
        for invariant in &self.model.invariants {
            self.heading("[[invariants]]");
            self.word("id", invariant.name.as_str());
            self.maybe("holds", invariant.holds.as_ref().map(|rule| quoted(rule.program.source())));
        }
    }

    fn resets(&mut self) {
        for reset in &self.model.resets {
            self.heading("[[resets]]");
            self.word("id", reset.name.as_str());
            let parts = id_list(reset.parts.iter().map(|(text, _)| text));
            self.key(if reset.keeps { "keeps" } else { "erases" }, &parts);
        }
    }

    fn moments(&mut self) {
        for moment in &self.model.moments {
            self.heading("[[moments]]");
            self.word("id", moment.name.as_str());
            self.maybe("when", moment.when.as_ref().map(|rule| quoted(rule.program.source())));
            if moment.again != Again::EachTime {
                self.word("again", moment.again.as_str());
            }
        }
    }
}
