//! What a step computes from the old fields of an object: the value of a new field, and the kind that it is now.

use crate::condition::{Program, Type};
use crate::model::{FieldDef, MemberDef, Model, ObjectKindDef, Scope, Survival};
use crate::program::Read;
use crate::text::finding::{Code, Finding};
use crate::value::Value;
use crate::value::keep::Keep;

use super::decl::NamedDecl;
use super::resolve::Resolving;
use super::{MemberStep, ShapeStep};
use crate::declare::parse::level::ConditionDecl;

/// Returns a model in which the fields of a kind are the only ones, so that expressions read them by their names.
fn model_of(before: &Model, kind: &ObjectKindDef) -> Model {
    let field = |(cell, field): (usize, &MemberDef)| FieldDef {
        name: field.name.clone(),
        about: None,
        kind: field.kind,
        scope: Scope::Run,
        default: field.default.clone(),
        min: None,
        max: None,
        max_len: field.limits.max_len,
        items: None,
        places: 1,
        keep: Keep::Latest,
        feed: None,
        with: None,
        group: None,
        per: Vec::new(),
        durable: true,
        counts_playing: false,
        survival: Survival::of_scope(Scope::Run),
        says_on_death: true,
        cells: cell..cell + 1,
    };
    let fields: Vec<FieldDef> = kind.fields.iter().enumerate().map(field).collect();
    Model { cell_count: fields.len(), fields, ..before.clone() }
}

impl Resolving<'_> {
    fn said_of_kind(&self, path: &str, name: &str) -> Option<&NamedDecl> {
        self.decl.named.iter().find(|said| said.path == path && said.name.value == name)
    }

    /// Resolves `out_of` and `when` of a kind: the old kind that it is split from, and the condition.
    pub(super) fn out_of(&mut self, kind: &ObjectKindDef, step: &mut ShapeStep) {
        let (before, decl) = (self.before, self.decl);
        let said =
            decl.named.iter().find(|said| said.path == "kinds" && said.name.value == kind.name.as_str());
        let Some(said) = said else { return };
        let (of, when) = match (&said.out_of, &said.when) {
            (None, None) => return,
            (Some(of), Some(when)) => (of, when),
            (Some(of), None) => {
                let message =
                    format!("the step does not say which objects of `{}` become `{}`", of.value, kind.name);
                return self.misfit(
                    of.span.clone(),
                    message,
                    "add `when`, a condition over their old fields",
                );
            }
            (None, Some(when)) => {
                let message = "`when` chooses among the objects of an old kind".to_string();
                return self.misfit(when.span.clone(), message, "name that kind: `out_of = \"gate\"`");
            }
        };
        let Some(from) = before.object_kinds.iter().position(|old| old.name.as_str() == of.value) else {
            let message = format!("version {} does not have a kind `{}`", before.version, of.value);
            self.found.push(Finding::error(Code::UnknownName, of.span.clone(), message));
            return;
        };
        if step.from.is_some() {
            let message = format!("`{}` has objects of its own in version {}", kind.name, before.version);
            return self.misfit(of.span.clone(), message, "give the new kind another name");
        }
        let Some(old) = before.object_kinds.get(from) else { return };
        let Some((program, is)) = self.over_the_object(old, when) else { return };
        if is != Type::Bool {
            let message = format!("`when` is true or false, but this is {is}");
            return self.misfit(when.span.clone(), message, "");
        }
        step.out_of = Some((from, program));
        for (field, member) in kind.fields.iter().zip(&mut step.members) {
            member.from = old.fields.iter().position(|old| old.name == field.name);
        }
    }

    /// Resolves `fill` and `scale` of a field of a kind.
    pub(super) fn computed(
        &mut self,
        old_kind: &ObjectKindDef,
        kind: &ObjectKindDef,
        field: &MemberDef,
        member: &mut MemberStep,
    ) {
        let path = format!("kinds.{}.fields", kind.name);
        let Some(said) = self.said_of_kind(&path, field.name.as_str()) else { return };
        let (fill, scale) = (said.fill.clone(), said.scale.clone());
        if let Some(fill) = fill {
            let Some((program, is)) = self.over_the_object(old_kind, &fill) else { return };
            let is_wanted =
                is == Type::from(field.holds()) || is == Type::Null && field.default == Value::Unset;
            if !is_wanted {
                let message = format!("{} is {}, but this is {is}", field.name, field.holds());
                return self.misfit(fill.span.clone(), message, "");
            }
            (member.from, member.fill) = (None, Some((program, is)));
        }
        let old = member.from.and_then(|from| old_kind.fields.get(from));
        match (scale, old) {
            (Some(scale), Some(old)) => member.scale = self.scaled((old.kind, field.kind), &scale),
            (Some(scale), None) => {
                let message = format!("{} does not come from an old field", field.name);
                self.misfit(scale.span, message, "leave `scale` out");
            }
            _ => {}
        }
    }

    /// Refuses `fill` and `scale` for a kind without old objects.
    pub(super) fn computed_from_nothing(&mut self, kind: &ObjectKindDef) {
        let said = self.said_of_kind("kinds", kind.name.as_str());
        // If it was to have some, that was refused already.
        if said.is_some_and(|said| said.out_of.is_some() || said.when.is_some()) {
            return;
        }
        let path = format!("kinds.{}.fields", kind.name);
        let said = self.decl.named.iter().filter(|said| said.path == path);
        let spans = said.filter_map(|said| {
            let fill = said.fill.as_ref().map(|fill| fill.span.clone());
            fill.or(said.scale.as_ref().map(|scale| scale.span.clone()))
        });
        for span in spans.collect::<Vec<_>>() {
            let message = format!(
                "`{}` is a new kind: it does not come from objects of version {}",
                kind.name, self.before.version
            );
            self.misfit(span, message, "leave this out");
        }
    }

    /// Compiles an expression over the old fields of an object.
    fn over_the_object(&mut self, kind: &ObjectKindDef, said: &ConditionDecl) -> Option<(Program, Type)> {
        let model = model_of(self.before, kind);
        let (program, is) = self.expression_in(&model, said, &[])?;
        if program.reads().iter().all(|read| matches!(read, Read::Cells(_))) {
            return Some((program, is));
        }
        let message = "an expression over an object reads only its own fields".to_string();
        self.misfit(said.span.clone(), message, "");
        None
    }
}
