//! Fields: the old field of each new one, and how its values are converted. The step must state what changed in
//! shape, with the new declaration's words, so that an accidental change is found.

use crate::model::{FieldDef, Model, Scope};
use crate::name::Name;
use crate::value::Value;
use crate::value::kind::Kind;
use crate::versions::normal::quoted;

use super::along::Along;
use super::decl::{FieldDecl, Said, ScaleDecl};
use super::pairs::Pairs;
use super::resolve::{Paste, Resolving};
use super::shape::needs_scale;
use super::{Carrying, FieldStep, Misfit, Scale};

impl Resolving<'_> {
    pub(super) fn fields(&mut self) {
        let (before, now, decl) = (self.before, self.now, self.decl);
        let said = |name: &Name| decl.fields.iter().find(|field| field.name.value == name.as_str());
        // Fields of a device and of a slot are in different files: neither becomes the other.
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

    /// Checks that each old field is carried or dropped. A new field of another type is not suggested as its new
    /// name.
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
                "field {old} of version {} was removed, but the step neither renames nor drops it",
                before.version
            );
            match perhaps.and_then(|perhaps| now.field_named(perhaps.as_str())) {
                Some((_, field)) => {
                    let lines = self.paste_of(old_def, field);
                    let paste = format!("[fields.{}]\nfrom = \"{old}\"\n{}", field.name, lines.join("\n"));
                    self.unaccounted(
                        format!("{gone}; perhaps it is now {}", field.name),
                        Paste::Table(paste),
                    );
                }
                None => self.unaccounted(gone, Paste::Drop(path)),
            }
        }
    }

    /// Resolves a field that is new.
    fn new_field(&mut self, field: &FieldDef, said: Option<&FieldDecl>) -> FieldStep {
        let Some(said) = said else { return FieldStep::AsDeclared };
        if let Some(fill) = &said.fill {
            return self.fill(field, fill);
        }
        if said.by_code.is_some() {
            return FieldStep::ByCode;
        }
        // A `from` with an unknown name is reported at its place.
        if said.from.is_none() {
            let message = format!("version {} does not have a value for {}", self.before.version, field.name);
            let instead = "write `from`, `fill` or `by = \"code\"`; or leave it out for the default";
            self.misfit(said.name.span.clone(), message, instead);
        }
        FieldStep::AsDeclared
    }

    /// Resolves a field that is carried from an old one.
    fn carried(
        &mut self,
        from: usize,
        old: &FieldDef,
        field: &FieldDef,
        said: Option<&FieldDecl>,
    ) -> FieldStep {
        if let Some(said) = said.filter(|said| said.fill.is_some() || said.by_code.is_some()) {
            let message = format!("{} is carried from {}, so it cannot be filled too", field.name, old.name);
            let instead = format!("drop `fields.{}`, or leave `fill` and `by` out", old.name);
            self.misfit(said.name.span.clone(), message, &instead);
            return FieldStep::AsDeclared;
        }
        self.said_as_declared(field, said);
        let along = self.along(old, field, said);
        let scale = self.scale(old, field, said);
        let has_values = said.is_some_and(|said| !said.values.is_empty());
        let is_convertible = self.converts(old, field, said) || has_values;
        let has_unit = !needs_scale(old, field) || scale.is_some() || has_values;
        let has_misfit = said.is_some_and(|said| said.misfit.is_some()) || !self.can_misfit(old, field, said);
        let says = |key: &str| said.is_some_and(|said| said.says.iter().any(|(says, _)| *says == key));
        let mut lacking: Vec<String> = self
            .changed(old, field)
            .into_iter()
            .filter(|(key, _)| !says(key))
            .map(|(key, now)| format!("{key} is now {now}"))
            .collect();
        for (is_there, what) in [
            (!along.is_unsaid, "its values are at other places"),
            (has_misfit, "some values do not fit"),
            (has_unit, "its unit changed"),
        ] {
            if !is_there && lacking.is_empty() {
                lacking.push(what.to_string());
            }
        }
        if !lacking.is_empty() {
            self.ask_for(old, field, &lacking, is_convertible);
            return FieldStep::AsDeclared;
        }
        if !is_convertible {
            let span = said.map_or(0..0, |said| said.name.span.clone());
            let message = format!("{} cannot be converted to {}", old.holds(), field.holds());
            let instead = format!(
                "state what each value becomes in `values`, or drop `fields.{}` and use `fill`",
                old.name
            );
            self.misfit(span, message, &instead);
            return FieldStep::AsDeclared;
        }
        let values = said.map_or_else(Vec::new, |said| self.values(old, field, &said.values));
        let misfit =
            said.and_then(|said| said.misfit.as_ref()).map_or_else(Misfit::default, |misfit| misfit.value);
        let Along { at, take, .. } = along;
        FieldStep::Carried(Box::new(Carrying { from, at, take, scale, values, misfit }))
    }

    /// Reports what a step lacks for a field that changed.
    fn ask_for(&mut self, old: &FieldDef, field: &FieldDef, lacking: &[String], is_convertible: bool) {
        let message = format!(
            "field {} of version {} changed in version {}: {}",
            old.name,
            self.before.version,
            self.now.version,
            lacking.join(", ")
        );
        let mut lines = vec![format!("[fields.{}]", field.name)];
        if !is_convertible {
            lines.push(format!("# drop = [\"fields.{}\"], or state what each value becomes:", old.name));
            lines.push("values = {}".to_string());
        }
        if old.name != field.name {
            lines.push(format!("from = \"{}\"", old.name));
        }
        lines.extend(self.paste_of(old, field));
        self.unaccounted(message, Paste::Table(lines.join("\n")));
    }

    /// Returns a suggested step for a field that changed.
    fn paste_of(&self, old: &FieldDef, field: &FieldDef) -> Vec<String> {
        let changed = self.changed(old, field);
        let mut lines: Vec<String> = changed.iter().map(|(key, value)| format!("{key} = {value}")).collect();
        if needs_scale(old, field) {
            lines.push("scale = \"1s\"".to_string());
        }
        let first = |model: &Model, axis| {
            model.axis_id(axis, 0).map(|id| format!("{} = \"{id}\"", model.axis_name(axis)))
        };
        let (gained, lost) = self.axes_apart(old, field);
        for (key, model, axes) in [("at", self.now, gained), ("take", self.before, lost)] {
            let places: Vec<String> = axes.into_iter().filter_map(|axis| first(model, axis)).collect();
            if !places.is_empty() {
                lines.push(format!("{key} = {{ {} }}", places.join(", ")));
            }
        }
        if self.can_misfit(old, field, None) {
            lines.push(format!("misfit = \"{}\"", Misfit::Nearest.as_str()));
        }
        lines
    }

    fn scale(&mut self, old: &FieldDef, field: &FieldDef, said: Option<&FieldDecl>) -> Option<Scale> {
        self.scaled((old.kind, field.kind), said?.scale.as_ref()?)
    }

    /// Returns how a scale converts one type to another.
    pub(super) fn scaled(&mut self, (was, is): (Kind, Kind), scale: &Said<ScaleDecl>) -> Option<Scale> {
        let (from_time, to_time) = (was == Kind::Time, is == Kind::Time);
        let resolved = match scale.value {
            _ if !was.is_number() || !is.is_number() => None,
            ScaleDecl::By(by) if from_time == to_time => Some(Scale::By(by)),
            ScaleDecl::Time(time) if to_time && !from_time => Some(Scale::ToTime(time)),
            ScaleDecl::Time(time) if from_time && !to_time => Some(Scale::FromTime(time)),
            _ => None,
        };
        if resolved.is_none() {
            let message =
                format!("this scale cannot convert {} to {}", was.with_article(), is.with_article());
            let instead = "between a number and a time, write the time that 1 stands for, as in \"1s\"; otherwise a number to multiply by";
            self.misfit(scale.span.clone(), message, instead);
        }
        resolved
    }

    fn values(
        &mut self,
        old: &FieldDef,
        field: &FieldDef,
        pairs: &[(Said<String>, Said<String>)],
    ) -> Vec<(Value, Value)> {
        let (before, now) = (self.before, self.now);
        let mut values = Vec::new();
        // In a list, set or map each item is looked up.
        let (was, is) = (
            old.items.as_ref().map_or(old.kind, |items| items.of),
            field.items.as_ref().map_or(field.kind, |items| items.of),
        );
        for (old_text, new_text) in pairs {
            let plain = matches!(was, Kind::Bool | Kind::Int | Kind::Float);
            let written = if plain { old_text.value.clone() } else { quoted(&old_text.value) };
            let read = [
                (crate::written(before, was.into(), &written), &old_text.span, before.version),
                (crate::written(now, is.into(), &new_text.value), &new_text.span, now.version),
            ];
            let [old_value, new_value] = read.map(|(value, span, version)| {
                value.map_err(|why| {
                    self.misfit(
                        span.clone(),
                        format!("not a value of {} in version {version}: {why}", field.name),
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
}
