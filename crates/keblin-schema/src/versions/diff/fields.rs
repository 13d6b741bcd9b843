//! Fields and shapes, key by key. A bound that a save may exceed is a shape change; a wider bound is growth.

use std::cmp::Ordering;

use super::names::names_of;
use super::{Class, Found, What};
use crate::model::{Bound, FieldDef, Limits, MemberDef, Model};
use crate::name::Name;
use crate::value::Value;

/// Which bound of a range.
#[derive(Clone, Copy)]
enum End {
    Least,
    Most,
}

/// Classifies a changed bound: growth only if every value that fitted still does.
fn class_of(end: End, before: Option<&Value>, now: Option<&Value>) -> Class {
    let wider = match (before, now) {
        (_, None) => true,
        (None, Some(_)) => false,
        (Some(before), Some(now)) => match end {
            End::Least => now.order(before) == Some(Ordering::Less),
            End::Most => now.order(before) == Some(Ordering::Greater),
        },
    };
    if wider { Class::Growth } else { Class::Shape }
}

fn text(value: Option<&impl ToString>) -> String {
    value.map(ToString::to_string).unwrap_or_default()
}

impl Found<'_> {
    /// Compares fields.
    pub(super) fn fields(&mut self) {
        let (before, now) = (self.before, self.now);
        let ids = |model: &Model| names_of(&model.fields, |field| &field.name);
        self.names(&ids(before), &ids(now), "fields", &What::Declaration, What::Field);
        for field in &before.fields {
            if let Some((_, same)) = now.field_named(field.name.as_str()) {
                self.field(field, same);
            }
        }
    }

    fn field(&mut self, before: &FieldDef, now: &FieldDef) {
        let what = What::Field(before.name.clone());
        for (class, key, before, now) in [
            (Class::Shape, "type", holds(self.before, before), holds(self.now, now)),
            (Class::Shape, "scope", before.scope.as_str().to_string(), now.scope.as_str().to_string()),
            (Class::Shape, "per", per(self.before, before), per(self.now, now)),
            (Class::Shape, "keep", before.keep.as_str().to_string(), now.keep.as_str().to_string()),
            (Class::Shape, "durable", before.durable.to_string(), now.durable.to_string()),
            (
                // A field that may now be unset had a value before. The other way round there is no value for an
                // unset field.
                if now.may_be_unset() { Class::Growth } else { Class::Shape },
                "may be unset",
                before.may_be_unset().to_string(),
                now.may_be_unset().to_string(),
            ),
        ] {
            self.key(class, &what, key, before, now);
        }
        self.bound(&what, "min", End::Least, before.min.as_ref(), now.min.as_ref());
        self.bound(&what, "max", End::Most, before.max.as_ref(), now.max.as_ref());
        self.most(&what, "max_len", before.max_len, now.max_len);
        let group = |model: &Model, field: &FieldDef| {
            model.group_of(field).map(|group| group.name.to_string()).unwrap_or_default()
        };
        self.key(Class::Shape, &what, "group", group(self.before, before), group(self.now, now));
        let with = |model: &Model, field: &FieldDef| model.with_name(field).unwrap_or_default().to_string();
        self.key(Class::Shape, &what, "with", with(self.before, before), with(self.now, now));
        let filled = |model: &Model, field: &FieldDef| {
            let from = field.with.iter().flat_map(|with| &with.from);
            let names =
                from.filter_map(|(_, from)| model.fields.get(*from)).map(|from| from.name.to_string());
            names.collect::<Vec<_>>().join(", ")
        };
        self.key(Class::Rule, &what, "with_from", filled(self.before, before), filled(self.now, now));
        self.most(&what, "places", Some(before.places), Some(now.places));
        if let (Some(before), Some(now)) = (&before.items, &now.items) {
            self.most(&what, "max_items", Some(before.max_items), Some(now.max_items));
            self.limits(&what, &before.limits, &now.limits);
        }
        let default = |field: &FieldDef| field.default.to_string();
        let is_same_kind = before.kind == now.kind && before.may_be_unset() == now.may_be_unset();
        if is_same_kind && have_same_members(&before.default, &now.default) {
            self.key(Class::Rule, &what, "default", default(before), default(now));
        }
        let counts = |field: &FieldDef| if field.counts_playing { "playing" } else { "" }.to_string();
        self.key(Class::Rule, &what, "counts", counts(before), counts(now));
        let (old, new) = (before.survival, now.survival);
        for (key, before, now) in [
            ("on_death", old.on_death.as_str(), new.on_death.as_str()),
            ("on_retry", old.on_retry.as_str(), new.on_retry.as_str()),
            ("on_level", old.on_level.as_str(), new.on_level.as_str()),
            ("on_new_run", old.on_new_run.as_str(), new.on_new_run.as_str()),
        ] {
            self.key(Class::Rule, &what, key, before.to_string(), now.to_string());
        }
        let (from, at) = (feed(self.before, before), feed(self.now, now));
        self.key(Class::Rule, &what, "from", from.0, at.0);
        self.key(Class::Rule, &what, "at", from.1, at.1);
    }

    fn bound(
        &mut self,
        what: &What,
        key: &'static str,
        end: End,
        before: Option<&Bound>,
        now: Option<&Bound>,
    ) {
        let class = match (before, now) {
            (Some(Bound::Fixed(before)), Some(Bound::Fixed(now))) => class_of(end, Some(before), Some(now)),
            (_, None) => Class::Growth,
            // If a bound follows other values, nobody can say what a save holds.
            _ => Class::Shape,
        };
        self.key(class, what, key, text(before), text(now));
    }

    /// Compares a largest number.
    fn most(&mut self, what: &What, key: &'static str, before: Option<usize>, now: Option<usize>) {
        let class =
            if now.is_none() || before.is_some() && now > before { Class::Growth } else { Class::Shape };
        self.key(class, what, key, text(before.as_ref()), text(now.as_ref()));
    }

    fn limits(&mut self, what: &What, before: &Limits, now: &Limits) {
        for (key, end, before, now) in
            [("min", End::Least, &before.min, &now.min), ("max", End::Most, &before.max, &now.max)]
        {
            let class = class_of(end, before.as_ref(), now.as_ref());
            self.key(class, what, key, text(before.as_ref()), text(now.as_ref()));
        }
        self.most(what, "max_len", before.max_len, now.max_len);
    }

    /// Compares shapes and their members.
    pub(super) fn shapes(&mut self) {
        let (before, now) = (self.before, self.now);
        let ids = |model: &Model| names_of(&model.shapes, |shape| &shape.name);
        self.names(&ids(before), &ids(now), "shapes", &What::Declaration, What::Shape);
        for shape in &before.shapes {
            let Some(same) = now.shapes.iter().find(|other| other.name == shape.name) else { continue };
            let what = |id| What::Member { shape: shape.name.clone(), id };
            let ids = |members: &[MemberDef]| names_of(members, |member| &member.name);
            let within = What::Shape(shape.name.clone());
            self.names(&ids(&shape.members), &ids(&same.members), "members", &within, what);
            self.members(&shape.members, &same.members, what);
        }
    }

    /// Compares the members that both have, of a shape or of a kind of objects.
    pub(super) fn members(&mut self, before: &[MemberDef], now: &[MemberDef], what: impl Fn(Name) -> What) {
        for member in before {
            let Some(same) = now.iter().find(|other| other.name == member.name) else { continue };
            let what = what(member.name.clone());
            let (old, new) = (self.before.holds_text(member.holds()), self.now.holds_text(same.holds()));
            self.key(Class::Shape, &what, "type", old, new);
            let is_unset = |member: &MemberDef| (member.default == Value::Unset).to_string();
            let class = if same.default == Value::Unset { Class::Growth } else { Class::Shape };
            self.key(class, &what, "may be unset", is_unset(member), is_unset(same));
            self.limits(&what, &member.limits, &same.limits);
            if let (Some(before), Some(now)) = (&member.items, &same.items) {
                self.most(&what, "max_items", Some(before.max_items), Some(now.max_items));
                self.limits(&what, &before.limits, &now.limits);
            }
            if is_unset(member) == is_unset(same) {
                let default = |member: &MemberDef| member.default.to_string();
                self.key(Class::Rule, &what, "default", default(member), default(same));
            }
        }
    }
}

/// Whether two defaults can be compared as values. The defaults of a shape differ whenever its members do.
fn have_same_members(before: &Value, now: &Value) -> bool {
    match (before, now) {
        (Value::Shape(before), Value::Shape(now)) => {
            before.iter().map(|(name, _)| name).eq(now.iter().map(|(name, _)| name))
        }
        _ => true,
    }
}

/// Returns the type of a field, with the lists and shapes it names.
fn holds(model: &Model, field: &FieldDef) -> String {
    let kind = |kind| model.kind_text(kind);
    match &field.items {
        None => kind(field.kind),
        Some(items) => {
            let key = items.key.map_or(String::new(), |key| format!(" by {}", kind(key)));
            format!("{} of {}{key}", field.kind, kind(items.of))
        }
    }
}

/// Returns the axes of a field, as declared.
fn per(model: &Model, field: &FieldDef) -> String {
    field.per.iter().map(|axis| model.axis_name(*axis)).collect::<Vec<_>>().join(", ")
}

/// Returns where the values of a record come from, and when.
fn feed(model: &Model, field: &FieldDef) -> (String, String) {
    let Some(feed) = &field.feed else { return (String::new(), String::new()) };
    let from = model.fields.get(feed.from).map(|from| from.name.to_string()).unwrap_or_default();
    (from, feed.at.iter().map(|at| at.as_str()).collect::<Vec<_>>().join(", "))
}
