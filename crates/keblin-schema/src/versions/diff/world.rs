//! Kinds of objects and areas of the world.

use super::names::names_of;
use super::{Class, Found, What};
use crate::model::{Areas, MemberDef, Model, ObjectKindDef};
use crate::name::Name;

impl Found<'_> {
    pub(super) fn world(&mut self) {
        let (before, now) = (self.before, self.now);
        let ids = |model: &Model| names_of(&model.object_kinds, |kind| &kind.name);
        self.names(&ids(before), &ids(now), "kinds", &What::Declaration, What::ObjectKind);
        for kind in &before.object_kinds {
            let same = now.object_kinds.iter().find(|other| other.name == kind.name);
            same.into_iter().for_each(|same| self.kind(kind, same));
        }
        self.areas(&before.areas, &now.areas);
    }

    fn kind(&mut self, before: &ObjectKindDef, now: &ObjectKindDef) {
        let what = What::ObjectKind(before.name.clone());
        for (key, before, now) in [
            ("on_death", before.on_death.as_str(), now.on_death.as_str()),
            ("on_retry", before.on_retry.as_str(), now.on_retry.as_str()),
            ("on_new_run", before.on_new_run.as_str(), now.on_new_run.as_str()),
            ("time_away", yes_or_no(before.time_away), yes_or_no(now.time_away)),
        ] {
            self.key(Class::Rule, &what, key, before.to_string(), now.to_string());
        }
        let ids = |fields: &[MemberDef]| names_of(fields, |field| &field.name);
        let of_field = |id| What::ObjectField { kind: before.name.clone(), id };
        self.names(&ids(&before.fields), &ids(&now.fields), "fields", &what, of_field);
        self.members(&before.fields, &now.fields, of_field);
    }

    /// Compares the areas: each by its id, or the size of the grid.
    fn areas(&mut self, before: &Areas, now: &Areas) {
        let grid = |areas: &Areas| if let Areas::Grid(size) = areas { Some(*size) } else { None };
        let text = |size: Option<[u16; 2]>| size.map_or(String::new(), |[x, y]| format!("[{x}, {y}]"));
        let (old, new) = (grid(before), grid(now));
        let has_grown = before.is_empty()
            || matches!((old, new), (Some([x, y]), Some([wider, higher])) if x <= wider && y <= higher);
        let class = if has_grown { Class::Growth } else { Class::Shape };
        self.key(class, &What::Declaration, "areas.grid", text(old), text(new));
        let named = |areas: &Areas| match areas {
            Areas::Named(areas) => areas.iter().map(|area| area.name.clone()).collect(),
            Areas::Grid(_) => Vec::<Name>::new(),
        };
        self.names(&named(before), &named(now), "areas", &What::Declaration, What::Area);
        let (Areas::Named(before), Areas::Named(now)) = (before, now) else { return };
        for area in before {
            let Some(same) = now.iter().find(|other| other.name == area.name) else { continue };
            let (old, new) = (kinds(self.before, &area.kinds), kinds(self.now, &same.kinds));
            self.key(Class::Rule, &What::Area(area.name.clone()), "kinds", old, new);
        }
    }
}

fn yes_or_no(yes: bool) -> &'static str {
    if yes { "true" } else { "false" }
}

/// Returns the kinds of an area, as declared.
fn kinds(model: &Model, kinds: &Option<Vec<usize>>) -> String {
    let kinds = kinds.iter().flatten().filter_map(|kind| model.object_kinds.get(*kind));
    kinds.map(|kind| kind.name.as_str()).collect::<Vec<_>>().join(", ")
}
