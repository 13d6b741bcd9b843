//! Chapters, constants of levels, invariants and resets: no save contains them, so a difference never needs a step.

use super::names::names_of;
use super::{Change, Class, Found, What};
use crate::model::{LevelDef, Model, ResetDef};
use crate::name::Name;
use crate::versions::normal::{id_list, literal};

impl Found<'_> {
    /// Compares chapters and constants.
    pub(super) fn chapters(&mut self) {
        let (before, now) = (self.before, self.now);
        let ids = |model: &Model| names_of(&model.chapters, |chapter| &chapter.name);
        self.unsaved(&ids(before), &ids(now), What::Chapter);
        for chapter in &before.chapters {
            let Some(same) = now.chapters.iter().find(|other| other.name == chapter.name) else { continue };
            let what = What::Chapter(chapter.name.clone());
            self.rule(&what, "unlock", chapter.unlock.as_ref(), same.unlock.as_ref());
        }
        let ids = |model: &Model| names_of(&model.constants, |constant| &constant.name);
        self.unsaved(&ids(before), &ids(now), What::Constant);
        for constant in &before.constants {
            let Some(same) = now.constants.iter().find(|other| other.name == constant.name) else { continue };
            let what = What::Constant(constant.name.clone());
            self.key(Class::Rule, &what, "type", constant.kind.to_string(), same.kind.to_string());
            let default = |value| literal(value).unwrap_or_default();
            self.key(Class::Rule, &what, "default", default(&constant.default), default(&same.default));
        }
    }

    /// Compares invariants.
    pub(super) fn invariants(&mut self) {
        let (before, now) = (self.before, self.now);
        let ids = |model: &Model| names_of(&model.invariants, |invariant| &invariant.name);
        self.unsaved(&ids(before), &ids(now), What::Invariant);
        for invariant in &before.invariants {
            let Some(same) = now.invariants.iter().find(|other| other.name == invariant.name) else {
                continue;
            };
            let what = What::Invariant(invariant.name.clone());
            self.rule(&what, "holds", invariant.holds.as_ref(), same.holds.as_ref());
        }
    }

    /// Compares resets.
    pub(super) fn resets(&mut self) {
        let (before, now) = (self.before, self.now);
        let ids = |model: &Model| names_of(&model.resets, |reset| &reset.name);
        self.unsaved(&ids(before), &ids(now), What::Reset);
        for reset in &before.resets {
            let Some(same) = now.resets.iter().find(|other| other.name == reset.name) else { continue };
            let what = What::Reset(reset.name.clone());
            let said = |reset: &ResetDef, keeps: bool| match reset.keeps == keeps {
                true => id_list(reset.parts.iter().map(|(text, _)| text)),
                false => String::new(),
            };
            self.key(Class::Rule, &what, "erases", said(reset, false), said(same, false));
            self.key(Class::Rule, &what, "keeps", said(reset, true), said(same, true));
        }
    }

    /// Compares ids of things that no save contains.
    fn unsaved(&mut self, before: &[Name], now: &[Name], what: fn(Name) -> What) {
        for gone in before.iter().filter(|name| !now.contains(name)) {
            self.add(Class::Rule, &what(gone.clone()), Change::Gone { perhaps: None });
        }
        for new in now.iter().filter(|name| !before.contains(name)) {
            self.add(Class::Rule, &what(new.clone()), Change::New);
        }
    }

    /// Compares what a level says about its place and its constants.
    pub(super) fn place_of_level(&mut self, what: &What, before: &LevelDef, now: &LevelDef) {
        let models = [(self.before, before), (self.now, now)];
        let chapter = models.map(|(model, level)| {
            let chapter = level.chapter.and_then(|at| model.chapters.get(at));
            chapter.map_or(String::new(), |chapter| chapter.name.to_string())
        });
        let next = models.map(|(model, level)| match &level.next {
            Some(next) => {
                id_list(next.iter().filter_map(|at| model.levels.get(*at)).map(|level| &level.name))
            }
            None => String::new(),
        });
        let counted = [before, now].map(|level| level.counted.to_string());
        for (key, [before, now]) in [("chapter", chapter), ("next", next), ("counted", counted)] {
            self.key(Class::Rule, what, key, before, now);
        }
        for (at, constant) in self.before.constants.iter().enumerate() {
            let Some(same) = self.now.constant_named(constant.name.as_str()) else { continue };
            let value = |level: &LevelDef, at: usize| level.constants.get(at).and_then(literal);
            let (old, new) = (value(before, at), value(now, same));
            if old != new {
                let text = |value: Option<String>| format!("{} {}", constant.name, value.unwrap_or_default());
                self.key(Class::Rule, what, "constant", text(old), text(new));
            }
        }
    }
}
