//! Groups: which fields are in which.

use super::rules::field_named;
use crate::declare::parse::Declarations;
use crate::model::{GroupDef, Model};
use crate::text::finding::{Code, Finding};

pub(super) fn groups(declared: &Declarations, model: &mut Model, found: &mut Vec<Finding>) {
    let def = |group: &crate::declare::parse::GroupDecl| GroupDef {
        name: group.name.value.clone(),
        title: group.title.clone().unwrap_or_else(|| group.name.value.to_string()),
    };
    model.groups = declared.groups.iter().map(def).collect();
    for (index, group) in declared.groups.iter().enumerate() {
        for name in &group.fields {
            let Some(field) = field_named(declared, model, name, found) else { continue };
            let Some(field) = model.fields.get_mut(field) else { continue };
            let Some(other) = field.group else {
                field.group = Some(index);
                continue;
            };
            let other = model.groups.get(other).map_or("", |other| other.name.as_str());
            let message = match other == group.name.value.as_str() {
                true => format!("`{}` is named twice in `{other}`", field.name),
                false => format!("`{}` is already in the group `{other}`", field.name),
            };
            let finding = Finding::error(Code::SameId, name.span.clone(), message);
            found.push(finding.instead("name each field in one group only"));
        }
    }
}
