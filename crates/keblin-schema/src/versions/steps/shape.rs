//! What changed in the shape of a field, and whether its values still fit.

use std::cmp::Ordering;

use crate::model::{Axis, Bound, FieldDef, Limits, Model};
use crate::time::Time;
use crate::value::Value;
use crate::value::kind::Kind;
use crate::versions::normal::{bound_text, id_list, kind_words, literal, quoted};

use super::decl::FieldDecl;
use super::resolve::Resolving;

/// A key of a field that changed in shape, with its new value.
pub(super) type Changed = (&'static str, String);

impl Resolving<'_> {
    /// Returns what changed in shape, with the words of the new declaration.
    pub(super) fn changed(&self, old: &FieldDef, field: &FieldDef) -> Vec<Changed> {
        let now = self.now;
        let mut changed = Vec::new();
        let kind_now = |kind: Option<Kind>| kind.and_then(|kind| self.kind_now(kind));
        let (old_holds, holds) = (old.holds(), field.holds());
        let same = kind_now(Some(old_holds.kind)) == Some(holds.kind)
            && kind_now(old_holds.of) == holds.of
            && kind_now(old_holds.key) == holds.key
            && old_holds.of.is_some() == holds.of.is_some();
        if !same {
            changed.extend(kind_words(now, field));
        }
        let mut word = |key, was: &str, is: &str| {
            if was != is {
                changed.push((key, quoted(is)));
            }
        };
        word("scope", old.scope.as_str(), field.scope.as_str());
        word("keep", old.keep.as_str(), field.keep.as_str());
        let per_was: Vec<Option<Axis>> = old.per.iter().map(|axis| self.axis_now(*axis)).collect();
        if per_was != field.per.iter().copied().map(Some).collect::<Vec<_>>() {
            changed.push(("per", id_list(field.per.iter().map(|axis| now.axis_name(*axis)))));
        }
        let shape = |field: &FieldDef| field.with.as_ref().map(|with| Kind::Shape(with.shape));
        if kind_now(shape(old)) != shape(field) || shape(old).is_some() != shape(field).is_some() {
            changed.push(("with", now.with_name(field).map_or("false".to_string(), quoted)));
        }
        let group = |model: &Model, field: &FieldDef| {
            model.group_of(field).map_or("false".to_string(), |group| quoted(group.name.as_str()))
        };
        if group(self.before, old) != group(now, field) {
            changed.push(("group", group(now, field)));
        }
        if old.durable != field.durable {
            changed.push(("durable", field.durable.to_string()));
        }
        // Bounds of another type cannot be compared; the conversion asks about misfits.
        let same_number = same && old.kind == field.kind;
        for (key, side, was, is) in
            [("min", Ordering::Less, &old.min, &field.min), ("max", Ordering::Greater, &old.max, &field.max)]
        {
            let Some(is) = is.as_ref().filter(|_| same_number) else { continue };
            let text_is = bound_text(is);
            let is_wider = match (was, is) {
                (Some(Bound::Fixed(was)), Bound::Fixed(is)) => is == was || is.order(was) == Some(side),
                (Some(was), is) => bound_text(was) == bound_text(is),
                (None, _) => false,
            };
            if !is_wider {
                changed.push((key, text_is));
            }
        }
        let most = |key, was: Option<usize>, is: Option<usize>, changed: &mut Vec<Changed>| {
            if let Some(is) = is.filter(|is| was.is_none_or(|was| was > *is)) {
                changed.push((key, is.to_string()));
            }
        };
        if same {
            most("max_len", old.max_len, field.max_len, &mut changed);
        }
        if let (true, Some(was), Some(is)) = (same, &old.items, &field.items) {
            for (key, side, was, is) in [
                ("min", Ordering::Less, &was.limits.min, &is.limits.min),
                ("max", Ordering::Greater, &was.limits.max, &is.limits.max),
            ] {
                let Some(is) = is else { continue };
                if !was.as_ref().is_some_and(|was| is == was || is.order(was) == Some(side)) {
                    changed.push((key, literal(is).unwrap_or_default()));
                }
            }
            most("max_len", was.limits.max_len, is.limits.max_len, &mut changed);
            most("max_items", Some(was.max_items), Some(is.max_items), &mut changed);
        }
        if field.places < old.places {
            changed.push(("places", field.places.to_string()));
        }
        changed
    }

    /// Checks that the keys repeated in the step equal those of the new declaration.
    pub(super) fn said_as_declared(&mut self, field: &FieldDef, said: Option<&FieldDecl>) {
        let now = self.now;
        for (key, text) in said.map_or(&[][..], |said| &said.says) {
            let limits = field.items.as_ref().map_or_else(Limits::default, |items| items.limits.clone());
            let value = |value: &Option<Value>| value.as_ref().and_then(literal);
            let declared = match *key {
                "scope" => Some(quoted(field.scope.as_str())),
                "keep" => Some(quoted(field.keep.as_str())),
                "per" => Some(id_list(field.per.iter().map(|axis| now.axis_name(*axis)))),
                "durable" => Some(field.durable.to_string()),
                "min" => field.min.as_ref().map(bound_text).or_else(|| value(&limits.min)),
                "max" => field.max.as_ref().map(bound_text).or_else(|| value(&limits.max)),
                "max_len" => field.max_len.or(limits.max_len).map(|len| len.to_string()),
                "max_items" => field.items.as_ref().map(|items| items.max_items.to_string()),
                "places" => Some(field.places.to_string()),
                "with" => Some(now.with_name(field).map_or("false".to_string(), quoted)),
                "group" => {
                    Some(now.group_of(field).map_or("false".to_string(), |group| quoted(group.name.as_str())))
                }
                of_kind => kind_words(now, field)
                    .into_iter()
                    .find(|(word, _)| *word == of_kind)
                    .map(|(_, text)| text),
            };
            if declared.as_ref().is_some_and(|declared| is_same(declared, &text.value)) {
                continue;
            }
            let message = format!("the step says that {} has {key} = {}", field.name, text.value);
            let instead = match declared {
                Some(declared) => format!("version {} declares {key} = {declared}", now.version),
                None => format!("version {} does not declare {key}", now.version),
            };
            self.misfit(text.span.clone(), message, &instead);
        }
    }

    /// Returns whether old values convert to new ones without help.
    pub(super) fn converts(&self, old: &FieldDef, field: &FieldDef, said: Option<&FieldDecl>) -> bool {
        let has_scale = said.is_some_and(|said| said.scale.is_some());
        let one = |was: Kind, is: Kind| {
            let was_now = self.kind_now(was);
            was_now == Some(is)
                || match (was, is) {
                    (Kind::Int, Kind::Float) | (Kind::Float, Kind::Int) => true,
                    (Kind::Time, Kind::Int | Kind::Float) | (Kind::Int | Kind::Float, Kind::Time) => {
                        has_scale
                    }
                    (Kind::Bool, Kind::Int) | (Kind::Int, Kind::Bool) => true,
                    (Kind::Text | Kind::Id(_), Kind::Text | Kind::Id(_))
                    | (Kind::Text, Kind::Date | Kind::Instant)
                    | (Kind::Date | Kind::Instant, Kind::Text) => true,
                    _ => false,
                }
        };
        match (old.kind, field.kind) {
            (Kind::List | Kind::Set, Kind::List | Kind::Set) | (Kind::Map, Kind::Map) => {
                let (was, is) = (old.holds(), field.holds());
                let pair =
                    |was: Option<Kind>, is: Option<Kind>| was.zip(is).is_none_or(|(was, is)| one(was, is));
                pair(was.of, is.of) && pair(was.key, is.key)
            }
            // Reported as a missing scale.
            _ if needs_scale(old, field) => true,
            (was, is) => one(was, is),
        }
    }

    /// Returns whether an old value may not fit, as far as the declarations say.
    pub(super) fn can_misfit(&self, old: &FieldDef, field: &FieldDef, said: Option<&FieldDecl>) -> bool {
        let narrower = |(key, _): &Changed| ["min", "max", "max_len", "max_items", "places"].contains(key);
        let changed = self.changed(old, field);
        let is_other_kind = changed.iter().any(|(key, _)| *key == "type");
        let is_bounded = field.min.is_some() || field.max.is_some() || field.max_len.is_some();
        let was_unset = old.may_be_unset() && !field.may_be_unset();
        let scaled = said.is_some_and(|said| said.scale.is_some());
        let loses = match (old.kind, field.kind) {
            (Kind::Float, Kind::Int)
            | (Kind::Int, Kind::Bool)
            | (Kind::Text, Kind::Id(_) | Kind::Date | Kind::Instant) => true,
            (Kind::Id(_), Kind::Id(_)) => is_other_kind,
            (was, is) => was.is_number() && is.is_number() && (was != is || scaled) && is != Kind::Float,
        };
        let is_places_alone = changed.iter().all(|change| !narrower(change) || change.0 == "places");
        (changed.iter().any(narrower) && !is_places_alone)
            || (is_other_kind && (is_bounded || loses || field.items.is_some()))
            || (scaled && (is_bounded || loses))
            || was_unset
    }
}

/// Returns whether the step must say what 1 stands for: between a number and a time.
pub(super) fn needs_scale(old: &FieldDef, field: &FieldDef) -> bool {
    matches!(
        (old.kind, field.kind),
        (Kind::Int | Kind::Float, Kind::Time) | (Kind::Time, Kind::Int | Kind::Float)
    )
}

/// Returns whether two texts of a declaration mean the same: `"90s"` and `"1m30s"`, `1` and `1.0`.
pub(super) fn is_same(declared: &str, said: &str) -> bool {
    let time = |text: &str| text.trim_matches('"').parse::<Time>().ok().filter(|_| text.starts_with('"'));
    let number = |text: &str| text.parse::<f64>().ok();
    declared == said
        || time(declared).is_some_and(|one| time(said) == Some(one))
        || number(declared).is_some_and(|one| number(said) == Some(one))
}
