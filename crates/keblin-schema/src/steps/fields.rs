//! Fields: which of before each is now, and how its values become those of now. What has changed in shape must be said by
//! the step in the words of the new declaration, so that a change nobody meant is found.

use std::cmp::Ordering;

use crate::condition::{Program, Type};
use crate::kind::Kind;
use crate::limits::Limits;
use crate::model::{Axis, Bound, FieldDef, Scope};
use crate::name::Name;
use crate::normal::{bound_text, id_list, quoted};
use crate::time::Time;
use crate::value::Value;

use super::decl::{FieldDecl, Said, ScaleDecl};
use super::names::Pairs;
use super::resolve::{Paste, Resolving};
use super::{Carrying, FieldStep, Misfit, Scale, Take};

/// A key of a field that has changed in shape, with what a declaration says now.
type Changed = (&'static str, String);

impl Resolving<'_> {
    pub(super) fn fields(&mut self) {
        let (before, now, decl) = (self.before, self.now, self.decl);
        let said = |name: &Name| decl.fields.iter().find(|field| field.name.value == name.as_str());
        // A field of the device and one of a slot are kept in different files: neither becomes the other.
        let is_device = |field: &FieldDef| field.scope == Scope::Device;
        let mut froms = vec![None; now.fields.len()];
        for of_device in [false, true] {
            let chosen = |fields: &'_ [FieldDef]| -> Vec<usize> {
                let all = fields.iter().enumerate();
                all.filter(|(_, field)| is_device(field) == of_device).map(|(index, _)| index).collect()
            };
            let (old, new) = (chosen(&before.fields), chosen(&now.fields));
            let name = |fields: &'_ [FieldDef], index: &usize| {
                fields.get(*index).map_or_else(Name::placeholder, |field| field.name.clone())
            };
            let (old_names, new_names): (Vec<Name>, Vec<Name>) = (
                old.iter().map(|index| name(&before.fields, index)).collect(),
                new.iter().map(|index| name(&now.fields, index)).collect(),
            );
            let what = if of_device { "field of device scope" } else { "field" };
            let pairs = Pairs::of(
                "fields",
                what,
                &old_names.iter().collect::<Vec<_>>(),
                &new_names.iter().collect::<Vec<_>>(),
            );
            let renames: Vec<(&Said<String>, &Said<String>)> =
                decl.fields.iter().filter_map(|field| Some((&field.name, field.from.as_ref()?))).collect();
            let taken = self.taken(&pairs, &renames);
            self.account_fields(&pairs, &taken);
            for (index, from) in new.iter().zip(taken) {
                let from = from.and_then(|from| old.get(from)).copied();
                froms.get_mut(*index).into_iter().for_each(|place| *place = from);
            }
        }
        for (field, from) in now.fields.iter().zip(froms) {
            let step = match from.and_then(|from| Some((from, before.fields.get(from)?))) {
                Some((from, old)) => self.carried(from, old, field, said(&field.name)),
                None => self.new_field(field, said(&field.name)),
            };
            self.step.fields.push(step);
        }
    }

    /// A field of before is carried, or dropped, or something is missing. What is new and of another type is no likely name.
    fn account_fields(&mut self, pairs: &Pairs<'_>, taken: &[Option<usize>]) {
        let (before, now) = (self.before, self.now);
        for (index, old) in pairs.before.iter().enumerate() {
            let path = format!("fields.{old}");
            if taken.contains(&Some(index)) || self.is_dropped(&path) {
                continue;
            }
            let Some((_, old_def)) = before.field_named(old.as_str()) else { continue };
            let is_alike = |name: &&Name| {
                let kind = now.field_named(name.as_str()).map(|(_, field)| field.holds().to_string());
                kind == Some(old_def.holds().to_string())
            };
            let perhaps = pairs.perhaps(index, taken).filter(is_alike);
            let gone = format!(
                "field {old} of version {} is gone, and the step does not say where to",
                before.version
            );
            match perhaps.and_then(|perhaps| now.field_named(perhaps.as_str())) {
                Some((_, field)) => {
                    let changed = self.changed(old_def, field);
                    let lines = self.paste_of(old_def, field, &changed, &Misfit::Nearest);
                    let paste = format!("[fields.{}]\nfrom = \"{old}\"\n{}", field.name, lines.join("\n"));
                    self.unaccounted(
                        format!("{gone}; perhaps it is {} now", field.name),
                        Paste::Table(paste),
                    );
                }
                None => self.unaccounted(gone, Paste::Drop(path)),
            }
        }
    }

    /// A field that was not there before.
    fn new_field(&mut self, field: &FieldDef, said: Option<&FieldDecl>) -> FieldStep {
        let Some(said) = said else { return FieldStep::AsDeclared };
        if let Some(fill) = &said.fill {
            return self.fill(field, fill);
        }
        if said.by_code.is_some() {
            return FieldStep::ByCode;
        }
        // A `from` that names nothing is told where it stands.
        if said.from.is_none() {
            let message =
                format!("version {} has nothing that {} could come from", self.before.version, field.name);
            let instead = "say `from`, `fill` or `by = \"code\"`; or leave it out, and it is as declared";
            self.misfit(said.name.span.clone(), message, instead);
        }
        FieldStep::AsDeclared
    }

    /// A field of before as one of now.
    fn carried(
        &mut self,
        from: usize,
        old: &FieldDef,
        field: &FieldDef,
        said: Option<&FieldDecl>,
    ) -> FieldStep {
        if let Some(said) = said.filter(|said| said.fill.is_some() || said.by_code.is_some()) {
            let message =
                format!("{} is carried from {} and cannot be put in place as well", field.name, old.name);
            let instead = format!("drop `fields.{}`, or leave `fill` and `by` out", old.name);
            self.misfit(said.name.span.clone(), message, &instead);
            return FieldStep::AsDeclared;
        }
        let changed = self.changed(old, field);
        self.said_as_declared(field, said);
        let unsaid: Vec<&Changed> = changed
            .iter()
            .filter(|(key, _)| said.is_none_or(|said| said.says.iter().all(|(says, _)| says != key)))
            .collect();
        let is_convertible = self.converts(old, field, said);
        let (at, take, axes_said) = self.axes(old, field, said);
        let scale = self.scale(old, field, said);
        let needs_misfit = self.can_misfit(old, field, said) && said.is_none_or(|said| said.misfit.is_none());
        let has_scale =
            !needs_scale(old, field) || scale.is_some() || said.is_some_and(|said| !said.values.is_empty());
        if !unsaid.is_empty() || !axes_said || needs_misfit || !has_scale {
            let mut what: Vec<String> =
                unsaid.iter().map(|(key, now)| format!("{key} is {now} now")).collect();
            if !axes_said && what.is_empty() {
                what.push("its values have other places now".to_string());
            }
            if needs_misfit && what.is_empty() {
                what.push("some values do not fit".to_string());
            }
            if !has_scale && what.is_empty() {
                what.push("its unit is another".to_string());
            }
            let message = format!(
                "field {} of version {} is another in version {}: {}",
                old.name,
                self.before.version,
                self.now.version,
                what.join(", ")
            );
            let mut lines = self.paste_of(old, field, &changed, &Misfit::Nearest);
            if old.name != field.name {
                lines.insert(0, format!("from = \"{}\"", old.name));
            }
            if !is_convertible && said.is_none_or(|said| said.values.is_empty()) {
                lines = vec![format!("# drop = [\"fields.{}\"], or say what each value becomes:", old.name)]
                    .into_iter()
                    .chain(lines)
                    .chain(["values = {}".to_string()])
                    .collect();
            }
            self.unaccounted(message, Paste::Table(format!("[fields.{}]\n{}", field.name, lines.join("\n"))));
            return FieldStep::AsDeclared;
        }
        if !is_convertible && said.is_none_or(|said| said.values.is_empty()) {
            let span = said.map_or(0..0, |said| said.name.span.clone());
            let message = format!("no {} becomes {}", old.holds(), field.holds());
            let instead =
                format!("say what each value becomes in `values`, or drop `fields.{}` and fill", old.name);
            self.misfit(span, message, &instead);
            return FieldStep::AsDeclared;
        }
        let values = said.map_or_else(Vec::new, |said| self.values(old, field, &said.values));
        let misfit = said.and_then(|said| said.misfit.as_ref()).map_or(Misfit::Refuse, |misfit| misfit.value);
        FieldStep::Carried(Box::new(Carrying { from, at, take, scale, values, misfit }))
    }

    /// What has changed in shape, in the words of the new declaration.
    fn changed(&self, old: &FieldDef, field: &FieldDef) -> Vec<Changed> {
        let now = self.now;
        let mut changed = Vec::new();
        let kind_now = |kind: Option<Kind>| kind.and_then(|kind| self.kind_now(kind));
        let (old_holds, holds) = (old.holds(), field.holds());
        let same = kind_now(Some(old_holds.kind)) == Some(holds.kind)
            && kind_now(old_holds.of) == holds.of
            && kind_now(old_holds.key) == holds.key
            && old_holds.of.is_some() == holds.of.is_some();
        if !same {
            changed.extend(now.kind_words(field));
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
        if old.durable != field.durable {
            changed.push(("durable", field.durable.to_string()));
        }
        // Bounds of another kind of number are another thing altogether, and its conversion asks what becomes of misfits.
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
                    changed.push((key, crate::normal::literal(is).unwrap_or_default()));
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

    /// What the step says of the new declaration is what that says.
    fn said_as_declared(&mut self, field: &FieldDef, said: Option<&FieldDecl>) {
        let now = self.now;
        for (key, text) in said.map_or(&[][..], |said| &said.says) {
            let limits = field.items.as_ref().map_or_else(Limits::default, |items| items.limits.clone());
            let value = |value: &Option<Value>| value.as_ref().and_then(crate::normal::literal);
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
                of_kind => {
                    now.kind_words(field).into_iter().find(|(word, _)| *word == of_kind).map(|(_, text)| text)
                }
            };
            if declared.as_ref().is_some_and(|declared| is_same(declared, &text.value)) {
                continue;
            }
            let message = format!("the step says that {} has {key} = {}", field.name, text.value);
            let instead = match declared {
                Some(declared) => format!("version {} declares {key} = {declared}", now.version),
                None => format!("version {} declares no {key}", now.version),
            };
            self.misfit(text.span.clone(), message, &instead);
        }
    }

    /// What a step of a changed field looks like.
    fn paste_of(
        &self,
        old: &FieldDef,
        field: &FieldDef,
        changed: &[Changed],
        misfit: &Misfit,
    ) -> Vec<String> {
        let mut lines: Vec<String> = changed.iter().map(|(key, value)| format!("{key} = {value}")).collect();
        if needs_scale(old, field) {
            lines.push("scale = \"1s\"".to_string());
        }
        let first = |schema: &crate::Schema, axis| {
            schema.axis_id(axis, 0).map(|id| format!("{} = \"{id}\"", schema.axis_name(axis)))
        };
        let (gained, lost) = self.axes_apart(old, field);
        for (key, schema, axes) in [("at", self.now, gained), ("take", self.before, lost)] {
            let places: Vec<String> = axes.into_iter().filter_map(|axis| first(schema, axis)).collect();
            if !places.is_empty() {
                lines.push(format!("{key} = {{ {} }}", places.join(", ")));
            }
        }
        if self.can_misfit(old, field, None) {
            lines.push(format!("misfit = \"{}\"", misfit.as_str()));
        }
        lines
    }

    /// The axes that are new, and those of before that are gone.
    fn axes_apart(&self, old: &FieldDef, field: &FieldDef) -> (Vec<Axis>, Vec<Axis>) {
        let kept: Vec<Option<Axis>> = old.per.iter().map(|axis| self.axis_now(*axis)).collect();
        let gained = field.per.iter().copied().filter(|axis| !kept.contains(&Some(*axis))).collect();
        let lost = old.per.iter().zip(&kept);
        let lost = lost.filter(|(_, now)| now.is_none_or(|now| !field.per.contains(&now)));
        (gained, lost.map(|(axis, _)| *axis).collect())
    }

    /// Where the values of before go on axes that are new, and which are taken of axes that are gone; and whether all of
    /// that is said.
    #[expect(clippy::type_complexity, reason = "two lists and a yes or no, named where they are taken apart")]
    fn axes(
        &mut self,
        old: &FieldDef,
        field: &FieldDef,
        said: Option<&FieldDecl>,
    ) -> (Vec<(Axis, usize)>, Vec<(Axis, Take)>, bool) {
        let (gained, lost) = self.axes_apart(old, field);
        let (mut at, mut take, mut is_said) = (Vec::new(), Vec::new(), true);
        for (schema, axes, pairs, is_take) in [
            (self.now, &gained, said.map_or(&[][..], |said| &said.at), false),
            (self.before, &lost, said.map_or(&[][..], |said| &said.take), true),
        ] {
            for axis in axes {
                let name = schema.axis_name(*axis);
                let Some((_, id)) = pairs.iter().find(|(key, _)| key.value == name) else {
                    is_said = false;
                    continue;
                };
                let place = schema.axis_ids(*axis).position(|known| known.as_str() == id.value);
                match place {
                    _ if is_take && id.value == "all" && old.keep != crate::Keep::Latest => {
                        take.push((*axis, Take::All));
                    }
                    Some(place) if is_take => take.push((*axis, Take::One(place))),
                    Some(place) => at.push((*axis, place)),
                    None => {
                        let message =
                            format!("version {} has no `{}` along {name}", schema.version, id.value);
                        let ids: Vec<&str> = schema.axis_ids(*axis).map(Name::as_str).collect();
                        let all = if is_take && old.keep != crate::Keep::Latest { ", or all" } else { "" };
                        self.misfit(
                            id.span.clone(),
                            message,
                            &format!("write one of: {}{all}", ids.join(", ")),
                        );
                    }
                }
            }
            for (key, _) in pairs {
                if !axes.iter().any(|axis| schema.axis_name(*axis) == key.value) {
                    let which = if is_take { "gone from" } else { "new on" };
                    let message = format!("`{}` is no axis that is {which} {}", key.value, field.name);
                    self.misfit(key.span.clone(), message, "leave it out");
                }
            }
        }
        (at, take, is_said)
    }

    fn scale(&mut self, old: &FieldDef, field: &FieldDef, said: Option<&FieldDecl>) -> Option<Scale> {
        let scale = said?.scale.as_ref()?;
        let (from_time, to_time) = (old.kind == Kind::Time, field.kind == Kind::Time);
        let resolved = match scale.value {
            _ if !old.kind.is_number() || !field.kind.is_number() => None,
            ScaleDecl::By(by) if from_time == to_time => Some(Scale::By(by)),
            ScaleDecl::Time(time) if to_time && !from_time => Some(Scale::ToTime(time)),
            ScaleDecl::Time(time) if from_time && !to_time => Some(Scale::FromTime(time)),
            _ => None,
        };
        if resolved.is_none() {
            let message =
                format!("this is no scale from {} to {}", old.kind.with_article(), field.kind.with_article());
            let instead = "between a number and a time, the time that 1 stands for, as in \"1s\"; else a number to multiply by";
            self.misfit(scale.span.clone(), message, instead);
        }
        resolved
    }

    /// Whether values of before become values of now by themselves.
    fn converts(&self, old: &FieldDef, field: &FieldDef, said: Option<&FieldDecl>) -> bool {
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
                    (Kind::Text | Kind::Id(_), Kind::Text | Kind::Id(_)) => true,
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
            // Told as a scale that is missing.
            _ if needs_scale(old, field) => true,
            (was, is) => one(was, is),
        }
    }

    /// Whether a value of before may not fit now, as far as the declarations say.
    fn can_misfit(&self, old: &FieldDef, field: &FieldDef, said: Option<&FieldDecl>) -> bool {
        let narrower = |(key, _): &Changed| ["min", "max", "max_len", "max_items", "places"].contains(key);
        let changed = self.changed(old, field);
        let is_other_kind = changed.iter().any(|(key, _)| *key == "type");
        let is_bounded = field.min.is_some() || field.max.is_some() || field.max_len.is_some();
        let was_unset = old.may_be_unset() && !field.may_be_unset();
        let scaled = said.is_some_and(|said| said.scale.is_some());
        let loses = match (old.kind, field.kind) {
            (Kind::Float, Kind::Int) | (Kind::Int, Kind::Bool) | (Kind::Text, Kind::Id(_)) => true,
            (Kind::Id(_), Kind::Id(_)) => is_other_kind,
            (was, is) => was.is_number() && is.is_number() && (was != is || scaled) && is != Kind::Float,
        };
        let is_places_alone = changed.iter().all(|change| !narrower(change) || change.0 == "places");
        (changed.iter().any(narrower) && !is_places_alone)
            || (is_other_kind && (is_bounded || loses || field.items.is_some()))
            || (scaled && (is_bounded || loses))
            || was_unset
    }

    fn values(
        &mut self,
        old: &FieldDef,
        field: &FieldDef,
        pairs: &[(Said<String>, Said<String>)],
    ) -> Vec<(Value, Value)> {
        let (before, now) = (self.before, self.now);
        let mut values = Vec::new();
        // Of a list, set or map each item is looked up.
        let (was, is) = (
            old.items.as_ref().map_or(old.kind, |items| items.of),
            field.items.as_ref().map_or(field.kind, |items| items.of),
        );
        for (old_text, new_text) in pairs {
            let plain = matches!(was, Kind::Bool | Kind::Int | Kind::Float);
            let written = if plain { old_text.value.clone() } else { quoted(&old_text.value) };
            let read = [
                (before.written(was.into(), &written), &old_text.span, before.version),
                (now.written(is.into(), &new_text.value), &new_text.span, now.version),
            ];
            let [old_value, new_value] = read.map(|(value, span, version)| {
                value.map_err(|why| {
                    self.misfit(
                        span.clone(),
                        format!("no value of {} in version {version}: {why}", field.name),
                        "",
                    );
                })
            });
            if let (Ok(old_value), Ok(new_value)) = (old_value, new_value) {
                values.push((old_value, new_value));
            }
        }
        values
    }

    /// An expression for each value of a field.
    fn fill(&mut self, field: &FieldDef, fill: &crate::parse::level::ConditionDecl) -> FieldStep {
        let now = self.now;
        let wanted = Type::from(field.holds());
        let mut programs: Vec<(Program, Type)> = Vec::new();
        let mut cells = field.cells.clone().step_by(field.places);
        while let Some(cell) = cells.next() {
            let at = now.cell_owner(cell).map(|(_, at)| at).unwrap_or_default();
            let places: Vec<(&str, &Name, usize)> = field
                .per
                .iter()
                .zip(now.place_ids(&field.per, at))
                .filter_map(|(axis, id)| {
                    let index = now.axis_ids(*axis).position(|known| known == id)?;
                    Some((now.axis_name(*axis), id, index))
                })
                .collect();
            let Some((program, kind)) = self.expression(fill, &places) else { return FieldStep::AsDeclared };
            let fits = kind == wanted || kind == Type::Null && field.may_be_unset();
            if !fits {
                let message = format!("{} holds {}, and this is {kind}", field.name, field.holds());
                self.misfit(fill.span.clone(), message, "");
                return FieldStep::AsDeclared;
            }
            programs.push((program, kind));
            if !has_placeholder(&fill.text) {
                // The same everywhere.
                let rest = cells.count();
                let one = programs.first().cloned();
                programs.extend(one.into_iter().cycle().take(rest));
                break;
            }
        }
        FieldStep::Filled(programs)
    }
}

/// Whether a text is to be put together for each place.
pub(super) fn has_placeholder(text: &str) -> bool {
    text.contains('{')
}

/// Between a number and a time somebody must say what 1 stands for.
fn needs_scale(old: &FieldDef, field: &FieldDef) -> bool {
    matches!(
        (old.kind, field.kind),
        (Kind::Int | Kind::Float, Kind::Time) | (Kind::Time, Kind::Int | Kind::Float)
    )
}

/// Whether two texts of a declaration say the same: `"90s"` and `"1m30s"`, `1` and `1.0`.
pub(super) fn is_same(declared: &str, said: &str) -> bool {
    let time = |text: &str| text.trim_matches('"').parse::<Time>().ok().filter(|_| text.starts_with('"'));
    let number = |text: &str| text.parse::<f64>().ok();
    declared == said
        || time(declared).is_some_and(|one| time(said) == Some(one))
        || number(declared).is_some_and(|one| number(said) == Some(one))
}
