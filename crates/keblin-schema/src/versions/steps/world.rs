//! Kinds of objects with their fields, and areas.

use crate::model::ObjectKindDef;
use crate::name::Name;
use crate::text::finding::{Code, Finding};
use crate::versions::diff::{Change, Class, differences_of_the_world};

use super::pairs::Pairs;
use super::resolve::{Resolving, ids};
use super::{MemberStep, ShapeStep};

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
        let kinds = kinds.into_iter().map(|kind| {
            let members = kind.parts.into_iter().map(MemberStep::from).collect();
            ShapeStep { from: kind.from, members, out_of: None }
        });
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

    /// Checks the fields of kinds: other types, bounds that old values may exceed, and what is computed.
    pub(super) fn world(&mut self) {
        let (before, now) = (self.before, self.now);
        for (index, kind) in now.object_kinds.iter().enumerate() {
            let Some(mut step) = self.step.kinds.get(index).cloned() else { continue };
            self.out_of(kind, &mut step);
            let of = step.from.or(step.out_of.as_ref().map(|(of, _)| *of));
            let Some(old_kind) = of.and_then(|of| before.object_kinds.get(of)) else {
                self.computed_from_nothing(kind);
                continue;
            };
            for (field, member) in kind.fields.iter().zip(&mut step.members) {
                self.computed(old_kind, kind, field, member);
                let Some(old) = member.from.and_then(|from| old_kind.fields.get(from)) else { continue };
                member.misfit = self.member(&format!("kinds.{}.fields", kind.name), old, field, member.scale);
            }
            self.step.kinds.get_mut(index).into_iter().for_each(|place| place.clone_from(&step));
        }
    }
}
