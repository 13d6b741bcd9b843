//! Checks a step against its two versions, in the order in which one part needs another, names first.

use std::ops::Range;

use crate::model::{Axis, Model, ShapeDef};
use crate::name::{Name, nearest};
use crate::text::finding::{Code, Finding};
use crate::value::kind::{Ids, Kind};
use crate::versions::normal::{id_list, quoted};

use super::decl::{Decl, Said};
use super::pairs::Pairs;
use super::{MemberStep, PartsStep, ShapeStep, Step, UnlockStep};

/// What a step lacks.
#[derive(Clone, Debug)]
pub(super) enum Paste {
    /// A path to drop.
    Drop(String),
    /// A table.
    Table(String),
}

/// Returns all that a step lacks, as its text. Lines before the first table are about the whole step.
pub(super) fn whole(pastes: &[Paste]) -> String {
    let drops =
        pastes.iter().filter_map(|paste| if let Paste::Drop(path) = paste { Some(path) } else { None });
    let drops: Vec<&String> = drops.collect();
    // Nobody should paste this without reading it.
    let lost = "# Lost forever, unless carried, filled or renamed instead:";
    let first = (!drops.is_empty()).then(|| format!("{lost}\ndrop = {}", id_list(drops)));
    let tables = pastes.iter().filter_map(|paste| match paste {
        Paste::Table(text) => Some(text.trim_end().to_string()),
        Paste::Drop(_) => None,
    });
    first.into_iter().chain(tables).collect::<Vec<_>>().join("\n\n")
}

/// A step that is checked against two versions.
pub(super) struct Resolving<'s> {
    pub(super) before: &'s Model,
    pub(super) now: &'s Model,
    pub(super) decl: &'s Decl,
    /// Which paths of `drop` have matched something.
    pub(super) dropped: Vec<bool>,
    pub(super) found: &'s mut Vec<Finding>,
    pub(super) pastes: Vec<Paste>,
    pub(super) step: Step,
}

/// Resolves the step as far as possible, and what it lacks.
pub(super) fn resolve(
    before: &Model,
    now: &Model,
    decl: &Decl,
    found: &mut Vec<Finding>,
) -> (Option<Step>, Vec<Paste>) {
    if before.game != now.game {
        let message =
            format!("version {} belongs to `{}`, not to `{}`", before.version, before.game, now.game);
        found.push(Finding::error(Code::StepMisfit, 0..0, message));
        return (None, Vec::new());
    }
    let step = Step {
        to: now.version,
        levels: Vec::new(),
        checkpoints: Vec::new(),
        stars: Vec::new(),
        difficulties: Vec::new(),
        moments: Vec::new(),
        unlocks: Vec::new(),
        lists: Vec::new(),
        shapes: Vec::new(),
        kinds: Vec::new(),
        areas: Vec::new(),
        fields: Vec::new(),
        facts: super::FactsStep::default(),
    };
    let dropped = vec![false; decl.drop.len()];
    let mut resolving = Resolving { before, now, decl, dropped, found, pastes: Vec::new(), step };
    resolving.names();
    resolving.members();
    resolving.fields();
    resolving.facts();
    resolving.world();
    resolving.stray();
    (Some(resolving.step), resolving.pastes)
}

pub(super) fn ids<'s, T>(things: &'s [T], name: impl Fn(&'s T) -> &'s Name) -> Vec<&'s Name> {
    things.iter().map(name).collect()
}

impl Resolving<'_> {
    /// Resolves everything that has a name and is not a field.
    fn names(&mut self) {
        let (before, now) = (self.before, self.now);
        self.step.lists = self.with_parts(
            ("lists", "list", "items", "item"),
            &ids(&before.lists, |list| &list.name),
            &ids(&now.lists, |list| &list.name),
            |index| before.lists.get(index).map(|list| list.items.iter().collect()),
            |index| now.lists.get(index).map(|list| list.items.iter().collect()),
        );
        let members = |shapes: &'_ [ShapeDef], index: usize| -> Option<Vec<Name>> {
            Some(shapes.get(index)?.members.iter().map(|member| member.name.clone()).collect())
        };
        let (old_members, new_members): (Vec<_>, Vec<_>) = (
            (0..before.shapes.len()).filter_map(|index| members(&before.shapes, index)).collect(),
            (0..now.shapes.len()).filter_map(|index| members(&now.shapes, index)).collect(),
        );
        let shapes = self.with_parts(
            ("shapes", "shape", "members", "member"),
            &ids(&before.shapes, |shape| &shape.name),
            &ids(&now.shapes, |shape| &shape.name),
            |index| old_members.get(index).map(|names| names.iter().collect()),
            |index| new_members.get(index).map(|names| names.iter().collect()),
        );
        // Members refer to lists and levels but not to shapes, so they come after those.
        self.step.shapes = shapes
            .into_iter()
            .map(|shape| {
                let members = shape.parts.into_iter().map(MemberStep::from);
                ShapeStep { from: shape.from, members: members.collect(), out_of: None }
            })
            .collect();
        self.world_names();
        let all: Vec<&Name> = before.difficulties.iter().collect();
        let new: Vec<&Name> = now.difficulties.iter().collect();
        self.step.difficulties = self.pairs(&Pairs::of("difficulties", "difficulty", &all, &new));
        let levels = self.with_parts(
            ("levels", "level", "checkpoints", "checkpoint"),
            &ids(&before.levels, |level| &level.name),
            &ids(&now.levels, |level| &level.name),
            |index| before.levels.get(index).map(|level| level.checkpoints.iter().collect()),
            |index| now.levels.get(index).map(|level| level.checkpoints.iter().collect()),
        );
        (self.step.levels, self.step.checkpoints) =
            levels.into_iter().map(|level| (level.from, level.parts)).unzip();
        self.stars();
        let (all, new) =
            (ids(&before.moments, |moment| &moment.name), ids(&now.moments, |moment| &moment.name));
        self.step.moments = self.pairs(&Pairs::of("moments", "moment", &all, &new));
        self.told_again();
        let (all, new) =
            (ids(&before.unlocks, |unlock| &unlock.name), ids(&now.unlocks, |unlock| &unlock.name));
        let froms = self.pairs(&Pairs::of("unlocks", "unlock", &all, &new));
        let unlocks = froms.into_iter().enumerate();
        self.step.unlocks =
            unlocks.map(|(index, from)| UnlockStep { from, fill: self.unlock_fill(index) }).collect();
    }

    /// Checks that the step states a changed `again`: what was reported in a run is now reported forever, or the
    /// other way round.
    fn told_again(&mut self) {
        let (before, now, decl) = (self.before, self.now, self.decl);
        for (moment, from) in now.moments.iter().zip(self.step.moments.clone()) {
            let Some(old) = from.and_then(|from| before.moments.get(from)) else { continue };
            let named = decl
                .named
                .iter()
                .find(|said| said.path == "moments" && said.name.value == moment.name.as_str());
            let said = named.and_then(|named| named.says.first());
            let again = quoted(moment.again.as_str());
            match said {
                Some((_, said)) if said.value != again => {
                    let message = format!("the step says that {} has again = {}", moment.name, said.value);
                    let instead = format!("version {} declares again = {again}", now.version);
                    self.misfit(said.span.clone(), message, &instead);
                }
                None if old.again != moment.again => {
                    let message = format!(
                        "moment {} of version {} changed in version {}: again is now {again}",
                        old.name, before.version, now.version
                    );
                    let from = if old.name == moment.name {
                        String::new()
                    } else {
                        format!("from = \"{}\"\n", old.name)
                    };
                    self.unaccounted(
                        message,
                        Paste::Table(format!("[moments.{}]\n{from}again = {again}", moment.name)),
                    );
                }
                _ => {}
            }
        }
    }

    /// Resolves names with others inside them.
    pub(super) fn with_parts<'n>(
        &mut self,
        (path, what, inside, part): (&'static str, &'static str, &'static str, &'static str),
        before: &[&Name],
        now: &[&Name],
        parts_before: impl Fn(usize) -> Option<Vec<&'n Name>>,
        parts_now: impl Fn(usize) -> Option<Vec<&'n Name>>,
    ) -> Vec<PartsStep> {
        let froms = self.pairs(&Pairs::of(path, what, before, now));
        let mut steps = Vec::new();
        for (index, from) in froms.into_iter().enumerate() {
            let all = from.and_then(&parts_before).unwrap_or_default();
            let new = parts_now(index).unwrap_or_default();
            let name = now.get(index).map_or("", |name| name.as_str());
            let old_name = from.and_then(|from| before.get(from)).map_or(name, |name| name.as_str());
            let pairs = Pairs {
                path: format!("{path}.{name}.{inside}"),
                old_path: format!("{path}.{old_name}.{inside}"),
                what: part,
                of: format!(" of {old_name}"),
                before: all,
                now: new,
                perhaps_by_place: true,
            };
            steps.push(PartsStep { from, parts: self.pairs(&pairs) });
        }
        steps
    }

    /// Returns whether something old is dropped, by its path.
    pub(super) fn is_dropped(&mut self, path: &str) -> bool {
        let at = self.decl.drop.iter().position(|said| said.value == path);
        if let Some(named) = at.and_then(|at| self.dropped.get_mut(at)) {
            *named = true;
        }
        at.is_some()
    }

    /// Reports dropped paths that never existed, and names that match nothing.
    fn stray(&mut self) {
        let before = self.before;
        let known: Vec<String> = before.fields.iter().map(|field| format!("fields.{}", field.name)).collect();
        for (said, named) in self.decl.drop.iter().zip(&self.dropped) {
            if *named {
                continue;
            }
            let message = format!("`{}` was not removed from version {}", said.value, before.version);
            let finding = Finding::error(Code::UnknownName, said.span.clone(), message);
            let near = nearest(&said.value, known.iter().map(String::as_str));
            self.found.push(match near {
                Some(near) if *near != said.value => finding.instead(format!("did you mean `{near}`?")),
                _ => finding.instead(
                    "name something that only the old version has, as in `fields.lamp` or \
                     `levels.reedgate.checkpoints.osier`",
                ),
            });
        }
        let (fields, named) = (&self.decl.fields, &self.decl.named);
        let of_fields = fields.iter().map(|field| ("fields", &field.name));
        let all = of_fields.chain(named.iter().map(|named| (named.path.as_str(), &named.name)));
        let strays: Vec<Finding> = all.filter_map(|(path, name)| self.stray_name(path, name)).collect();
        self.found.extend(strays);
    }

    /// Returns a finding for a part of the step whose name does not exist.
    fn stray_name(&self, path: &str, name: &Said<String>) -> Option<Finding> {
        let now = self.now;
        let within = path.split('.').nth(1).unwrap_or_default();
        let known: Vec<String> = match path.split('.').next().unwrap_or_default() {
            "fields" => now.fields.iter().map(|field| field.name.to_string()).collect(),
            "difficulties" => now.difficulties.iter().map(ToString::to_string).collect(),
            "unlocks" => now.unlocks.iter().map(|unlock| unlock.name.to_string()).collect(),
            "moments" => now.moments.iter().map(|moment| moment.name.to_string()).collect(),
            "levels" if within.is_empty() => now.levels.iter().map(|level| level.name.to_string()).collect(),
            "levels" => {
                let level = now.levels.iter().find(|level| level.name.as_str() == within)?;
                let names = if path.ends_with(".stars") { &level.star_ids } else { &level.checkpoints };
                names.iter().map(ToString::to_string).collect()
            }
            "lists" if within.is_empty() => now.lists.iter().map(|list| list.name.to_string()).collect(),
            "lists" => {
                let list = now.lists.iter().find(|list| list.name.as_str() == within)?;
                list.items.iter().map(ToString::to_string).collect()
            }
            "kinds" if within.is_empty() => {
                now.object_kinds.iter().map(|kind| kind.name.to_string()).collect()
            }
            "kinds" => {
                let kind = now.object_kinds.iter().find(|kind| kind.name.as_str() == within)?;
                kind.fields.iter().map(|field| field.name.to_string()).collect()
            }
            "areas" => now.areas.named().iter().map(|area| area.name.to_string()).collect(),
            "shapes" if within.is_empty() => now.shapes.iter().map(|shape| shape.name.to_string()).collect(),
            _ => {
                let shape = now.shapes.iter().find(|shape| shape.name.as_str() == within)?;
                shape.members.iter().map(|member| member.name.to_string()).collect()
            }
        };
        if known.contains(&name.value) {
            return None;
        }
        let message = format!("version {} does not have `{path}.{}`", now.version, name.value);
        let finding = Finding::error(Code::UnknownName, name.span.clone(), message);
        Some(match nearest(&name.value, known.iter().map(String::as_str)) {
            Some(near) => finding.instead(format!("did you mean `{near}`?")),
            None => finding.instead("a step is about names of the version it leads to"),
        })
    }

    /// Adds a finding for an old name that is neither carried nor dropped, with a suggestion.
    pub(super) fn unaccounted(&mut self, message: String, paste: Paste) {
        let version = self.now.version;
        let finding = Finding::error(Code::Unaccounted, 0..0, message);
        let instead = match &paste {
            Paste::Drop(path) => {
                let already = self.decl.drop.iter().map(|said| said.value.as_str());
                let all = id_list(already.chain([path.as_str()]));
                format!(
                    "to lose it on purpose, write at the top of migrations/v{version}.toml:\ndrop = {all}"
                )
            }
            Paste::Table(text) => format!("add to migrations/v{version}.toml:\n{}", text.trim_end()),
        };
        self.found.push(finding.instead(instead));
        self.pastes.push(paste);
    }

    pub(super) fn misfit(&mut self, span: Range<usize>, message: String, instead: &str) {
        let finding = Finding::error(Code::StepMisfit, span, message);
        self.found.push(if instead.is_empty() { finding } else { finding.instead(instead) });
    }

    /// Converts an old axis to a new one.
    pub(super) fn axis_now(&self, axis: Axis) -> Option<Axis> {
        match axis {
            Axis::List(list) => {
                let at = self.step.lists.iter().position(|now| now.from == Some(usize::from(list)))?;
                u16::try_from(at).ok().map(Axis::List)
            }
            same => Some(same),
        }
    }

    /// Converts an old type to a new one; `None` if its list, shape or kind of objects was removed.
    pub(super) fn kind_now(&self, kind: Kind) -> Option<Kind> {
        match kind {
            Kind::Id(Ids::List(list)) => match self.axis_now(Axis::List(list))? {
                Axis::List(list) => Some(Kind::Id(Ids::List(list))),
                _ => None,
            },
            Kind::Shape(shape) => {
                let at = self.step.shapes.iter().position(|now| now.from == Some(usize::from(shape)))?;
                u16::try_from(at).ok().map(Kind::Shape)
            }
            Kind::Object(kind) => {
                let at = self.step.kinds.iter().position(|now| now.from == Some(usize::from(kind)))?;
                u16::try_from(at).ok().map(Kind::Object)
            }
            same => Some(same),
        }
    }
}
