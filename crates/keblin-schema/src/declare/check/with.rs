//! What goes with the values of a record: a shape, and the fields that fill its members. Takes the declarations and
//! completes the model.

use super::rules::field_named;
use crate::declare::parse::{Declarations, FieldDecl, Placed};
use crate::model::{MemberDef, Model, With};
use crate::name::nearest;
use crate::text::finding::{Code, Finding};

pub(super) fn with(declared: &Declarations, model: &mut Model, found: &mut Vec<Finding>) {
    for (index, field) in declared.fields.iter().enumerate() {
        let is_record = field.keep.as_ref().is_some_and(|keep| keep.value.is_record());
        let Some(name) = field.with.as_ref().filter(|_| is_record) else { continue };
        let Some(shape) = shape(model, name, found) else { continue };
        let from = filled(declared, model, field, shape, found);
        if let Some(def) = model.fields.get_mut(index) {
            def.with = Some(With { shape, from });
        }
    }
}

fn shape(model: &Model, name: &Placed<String>, found: &mut Vec<Finding>) -> Option<u16> {
    let at = model.shapes.iter().position(|shape| shape.name.as_str() == name.value);
    if at.is_none() {
        let message = format!("`{}` is not a declared shape", name.value);
        let finding = Finding::error(Code::UnknownName, name.span.clone(), message);
        let known = model.shapes.iter().map(|shape| shape.name.as_str());
        found.push(finding.instead(match nearest(&name.value, known) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("declare it: `[shapes.{}]`", name.value),
        }));
    }
    at.and_then(|at| u16::try_from(at).ok())
}

fn filled(
    declared: &Declarations,
    model: &Model,
    field: &FieldDecl,
    shape: u16,
    found: &mut Vec<Finding>,
) -> Vec<(usize, usize)> {
    let members = model.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
    let mut from = Vec::new();
    for (member, name) in &field.with_from {
        let Some(at) = members.iter().position(|known| known.name.as_str() == member.value) else {
            let message = format!(
                "`{}` does not have a member `{}`",
                field.with.as_ref().map_or("", |with| &with.value),
                member.value
            );
            let finding = Finding::error(Code::UnknownName, member.span.clone(), message);
            let known = members.iter().map(|member| member.name.as_str());
            found.push(match nearest(&member.value, known) {
                Some(near) => finding.instead(format!("did you mean `{near}`?")),
                None => finding,
            });
            continue;
        };
        let Some(source) = field_named(declared, model, name, found) else { continue };
        match members.get(at).and_then(|member| misfit(model, member, source)) {
            None => from.push((at, source)),
            Some(message) => {
                let finding = Finding::error(Code::RecordMisfit, name.span.clone(), message);
                found.push(finding.instead("name a field of the member's type with one value"));
            }
        }
    }
    from
}

/// Returns why a field cannot fill a member, if so.
fn misfit(model: &Model, member: &MemberDef, source: usize) -> Option<String> {
    let field = model.fields.get(source)?;
    if field.kind != member.kind {
        let (is, needed) = (model.kind_text(field.kind), model.kind_text(member.kind));
        Some(format!("`{}` is {is}, but the member `{}` is {needed}", field.name, member.name))
    } else if !field.per.is_empty() || field.places > 1 {
        Some(format!("`{}` has more than one value", field.name))
    } else if let Some((most, len)) =
        member.limits.max_len.zip(field.max_len).filter(|(most, len)| len > most)
    {
        Some(format!("`{}` may be {len} long, but the member `{}` at most {most}", field.name, member.name))
    } else {
        None
    }
}
