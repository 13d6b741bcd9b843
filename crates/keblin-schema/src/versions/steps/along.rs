//! Axes: where the old values go on new axes, and which are taken from removed axes.

use crate::model::{Axis, FieldDef};
use crate::name::Name;
use crate::value::keep::Keep;

use super::Take;
use super::decl::FieldDecl;
use super::resolve::Resolving;

/// What happens to the axes of a field.
#[derive(Debug, Default)]
pub(super) struct Along {
    /// Where the old values go on new axes.
    pub(super) at: Vec<(Axis, usize)>,
    /// Which values are taken from removed axes.
    pub(super) take: Vec<(Axis, Take)>,
    /// Whether the step leaves some of them out.
    pub(super) is_unsaid: bool,
}

impl Resolving<'_> {
    /// Returns the new axes, and the removed ones.
    pub(super) fn axes_apart(&self, old: &FieldDef, field: &FieldDef) -> (Vec<Axis>, Vec<Axis>) {
        let kept: Vec<Option<Axis>> = old.per.iter().map(|axis| self.axis_now(*axis)).collect();
        let gained = field.per.iter().copied().filter(|axis| !kept.contains(&Some(*axis))).collect();
        let lost = old.per.iter().zip(&kept);
        let lost = lost.filter(|(_, now)| now.is_none_or(|now| !field.per.contains(&now)));
        (gained, lost.map(|(axis, _)| *axis).collect())
    }

    /// Reads what the step says about the axes of a field.
    pub(super) fn along(&mut self, old: &FieldDef, field: &FieldDef, said: Option<&FieldDecl>) -> Along {
        let (gained, lost) = self.axes_apart(old, field);
        let mut along = Along::default();
        for (model, axes, pairs, is_take) in [
            (self.now, &gained, said.map_or(&[][..], |said| &said.at), false),
            (self.before, &lost, said.map_or(&[][..], |said| &said.take), true),
        ] {
            for axis in axes {
                let name = model.axis_name(*axis);
                let Some((_, id)) = pairs.iter().find(|(key, _)| key.value == name) else {
                    along.is_unsaid = true;
                    continue;
                };
                let place = model.axis_ids(*axis).position(|known| known.as_str() == id.value);
                match place {
                    _ if is_take && id.value == "all" && old.keep != Keep::Latest => {
                        along.take.push((*axis, Take::All));
                    }
                    Some(place) if is_take => along.take.push((*axis, Take::One(place))),
                    Some(place) => along.at.push((*axis, place)),
                    None => {
                        let message = format!(
                            "version {} does not have `{}` on the axis {name}",
                            model.version, id.value
                        );
                        let ids: Vec<&str> = model.axis_ids(*axis).map(Name::as_str).collect();
                        let all = if is_take && old.keep != Keep::Latest { ", or all" } else { "" };
                        self.misfit(
                            id.span.clone(),
                            message,
                            &format!("write one of: {}{all}", ids.join(", ")),
                        );
                    }
                }
            }
            for (key, _) in pairs {
                if !axes.iter().any(|axis| model.axis_name(*axis) == key.value) {
                    let which = if is_take { "a removed axis of" } else { "a new axis of" };
                    let message = format!("`{}` is not {which} {}", key.value, field.name);
                    self.misfit(key.span.clone(), message, "leave it out");
                }
            }
        }
        along
    }
}
