//! Members of shapes: like fields, without scopes, axes and keep rules.

use std::cmp::Ordering;

use crate::model::MemberDef;
use crate::value::kind::Kind;
use crate::versions::normal::{literal, words_of};

use super::resolve::{Paste, Resolving};
use super::shape::is_same;
use super::{Misfit, Scale};

impl Resolving<'_> {
    pub(super) fn members(&mut self) {
        let (before, now) = (self.before, self.now);
        for (index, shape) in now.shapes.iter().enumerate() {
            let Some(step) = self.step.shapes.get(index).cloned() else { continue };
            let Some(old) = step.from.and_then(|from| before.shapes.get(from)) else { continue };
            for (at, member) in shape.members.iter().enumerate() {
                let from = step.members.get(at).and_then(|member| member.from);
                let Some(old) = from.and_then(|from| old.members.get(from)) else { continue };
                let misfit = self.member(&format!("shapes.{}.members", shape.name), old, member, None);
                let place = self.step.shapes.get_mut(index).and_then(|step| step.members.get_mut(at));
                place.into_iter().for_each(|place| place.misfit = misfit);
            }
        }
    }

    /// Checks a member of a shape, or a field of a kind of objects, in the list at this path.
    pub(super) fn member(
        &mut self,
        path: &str,
        old: &MemberDef,
        member: &MemberDef,
        scale: Option<Scale>,
    ) -> Misfit {
        let decl = self.decl;
        let of = path.split('.').nth(1).unwrap_or_default();
        let what = if path.starts_with("kinds.") { "field" } else { "member" };
        let said =
            decl.named.iter().find(|said| said.path == path && said.name.value == member.name.as_str());
        let changed = self.changed_of_member(old, member);
        for (key, text) in said.map_or(&[][..], |said| &said.says) {
            let declared = self.declared_of_member(member).into_iter().find(|(known, _)| known == key);
            if declared.as_ref().is_some_and(|(_, declared)| is_same(declared, &text.value)) {
                continue;
            }
            let message = format!("the step says that {} has {key} = {}", member.name, text.value);
            let instead = match declared {
                Some((_, declared)) => format!("version {} declares {key} = {declared}", self.now.version),
                None => format!("version {} does not declare {key}", self.now.version),
            };
            self.misfit(text.span.clone(), message, &instead);
        }
        let says = |key: &str| said.is_some_and(|said| said.says.iter().any(|(says, _)| *says == key));
        let misfit = said.and_then(|said| said.misfit);
        let unsaid: Vec<String> = changed
            .iter()
            .filter(|(key, _)| !says(key))
            .map(|(key, now)| format!("{key} is now {now}"))
            .collect();
        let converts = scale.is_some()
            || self.is_same_member(old, member)
            || matches!(
                (old.kind, member.kind),
                (Kind::Int, Kind::Float | Kind::Bool)
                    | (Kind::Float | Kind::Bool, Kind::Int)
                    | (Kind::Text | Kind::Id(_), Kind::Text | Kind::Id(_))
            );
        if !converts {
            let (was, is) = (self.before.holds_text(old.holds()), self.now.holds_text(member.holds()));
            let message = format!("{what} {} of {of}: no step can convert {was} to {is}", member.name);
            self.unaccounted(message, Paste::Drop(format!("{path}.{}", old.name)));
            return Misfit::Refuse;
        }
        if !unsaid.is_empty() || (!changed.is_empty() && misfit.is_none()) {
            let changes =
                if unsaid.is_empty() { "some values do not fit".to_string() } else { unsaid.join(", ") };
            let message = format!("{what} {} of {of} changed: {changes}", member.name);
            let lines: Vec<String> =
                changed.iter().map(|(key, value)| format!("{key} = {value}\n")).collect();
            let from =
                if old.name == member.name { String::new() } else { format!("from = \"{}\"\n", old.name) };
            let paste = format!("[{path}.{}]\n{from}{}misfit = \"nearest\"", member.name, lines.concat());
            self.unaccounted(message, Paste::Table(paste));
        }
        misfit.unwrap_or_default()
    }

    fn declared_of_member(&self, member: &MemberDef) -> Vec<(&'static str, String)> {
        let limits = member.items.as_ref().map_or(&member.limits, |items| &items.limits);
        let mut words = words_of(self.now, member.holds());
        words.extend(limits.min.as_ref().and_then(literal).map(|min| ("min", min)));
        words.extend(limits.max.as_ref().and_then(literal).map(|max| ("max", max)));
        words.extend(limits.max_len.map(|len| ("max_len", len.to_string())));
        words.extend(member.items.as_ref().map(|items| ("max_items", items.max_items.to_string())));
        words
    }

    /// Returns whether a member has the same type as before, with other names for what was renamed.
    fn is_same_member(&self, old: &MemberDef, member: &MemberDef) -> bool {
        let (was, is) = (old.holds(), member.holds());
        let now = |kind: Option<Kind>| kind.and_then(|kind| self.kind_now(kind));
        now(Some(was.kind)) == Some(is.kind) && now(was.of) == is.of && now(was.key) == is.key
    }

    /// Returns what changed in shape.
    fn changed_of_member(&self, old: &MemberDef, member: &MemberDef) -> Vec<(&'static str, String)> {
        let is_same_kind = self.is_same_member(old, member);
        let limits =
            |member: &MemberDef| member.items.as_ref().map_or(&member.limits, |items| &items.limits).clone();
        let (was, is) = (limits(old), limits(member));
        let most = |member: &MemberDef| member.items.as_ref().map_or(usize::MAX, |items| items.max_items);
        let narrower = |key: &str| match key {
            "type" | "of" | "key" => !is_same_kind,
            "max_items" => most(member) < most(old),
            "min" => is.min.as_ref().is_some_and(|min| {
                was.min.as_ref().is_none_or(|was| min.order(was) == Some(Ordering::Greater))
            }),
            "max" => is
                .max
                .as_ref()
                .is_some_and(|max| was.max.as_ref().is_none_or(|was| max.order(was) == Some(Ordering::Less))),
            _ => is.max_len.is_some_and(|len| was.max_len.is_none_or(|was| was > len)),
        };
        let mut changed = self.declared_of_member(member);
        changed.retain(|(key, _)| narrower(key) || (!is_same_kind && *key != "type"));
        changed
    }
}
