//! Kinds of objects with their fields, and areas.

use crate::model::ObjectKindDef;
use crate::text::finding::{Code, Finding};
use crate::text::name::Name;
use crate::versions::diff::{Change, Class, differences_of_the_world};

use super::pairs::Pairs;
use super::resolve::{Resolving, ids};
use super::{MemberStep, Misfit, ShapeStep};

impl Resolving<'_> {
    /// Resolves the names of kinds, their fields, and areas.
    pub(super) fn world_names(&mut self) {
        let (before, now) = (self.before, self.now);
        let fields = |kinds: &'_ [ObjectKindDef]| -> Vec<Vec<Name>> {
            kinds.iter().map(|kind| kind.fields.iter().map(|field| field.name.clone()).collect()).collect()
        };
        let (old_fields, new_fields) = (fields(&before.object_kinds), fields(&now.object_kinds));
        let kinds = self.with_parts(
            ("kinds", "kind", "fields", "field"),
            &ids(&before.object_kinds, |kind| &kind.name),
            &ids(&now.object_kinds, |kind| &kind.name),
            |index| old_fields.get(index).map(|names| names.iter().collect()),
            |index| new_fields.get(index).map(|names| names.iter().collect()),
        );
        let member = |from| MemberStep { from, misfit: Misfit::default() };
        let kinds = kinds
            .into_iter()
            .map(|kind| ShapeStep { from: kind.from, members: kind.parts.into_iter().map(member).collect() });
        self.step.kinds = kinds.collect();
        let (all, new) =
            (ids(before.areas.named(), |area| &area.name), ids(now.areas.named(), |area| &area.name));
        self.step.areas = self.pairs(&Pairs::of("areas", "area", &all, &new));
        self.grid();
    }

    /// Refuses a smaller grid, and areas with ids in place of a grid: a step cannot name the areas of a grid.
    fn grid(&mut self) {
        let changes = differences_of_the_world(self.before, self.now);
        let of_grid = |change: &Change| matches!(change, Change::Key { key: "areas.grid", .. });
        let shrunk = changes.iter().filter(|change| change.class == Class::Shape && of_grid(&change.change));
        for change in shrunk {
            let message = format!("{change}, and a step cannot name the areas of a grid");
            let finding = Finding::error(Code::StepMisfit, 0..0, message);
            self.found.push(finding.instead("keep the grid, or make it larger"));
        }
    }

    /// Checks the fields of kinds: other types, and bounds that old values may exceed.
    pub(super) fn world(&mut self) {
        let (before, now) = (self.before, self.now);
        for (index, kind) in now.object_kinds.iter().enumerate() {
            let Some(step) = self.step.kinds.get(index).cloned() else { continue };
            let Some(old) = step.from.and_then(|from| before.object_kinds.get(from)) else { continue };
            for (at, field) in kind.fields.iter().enumerate() {
                let from = step.members.get(at).and_then(|member| member.from);
                let Some(old) = from.and_then(|from| old.fields.get(from)) else { continue };
                let misfit = self.member(&format!("kinds.{}.fields", kind.name), old, field);
                let place = self.step.kinds.get_mut(index).and_then(|step| step.members.get_mut(at));
                place.into_iter().for_each(|place| place.misfit = misfit);
            }
        }
    }
}
