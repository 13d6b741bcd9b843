//! Changing a value in place: a member of a shape, an item of a list, an entry of a map. What is written back is clamped
//! as a plain value is. Looking up one item or entry is here too.

use keblin_model::Value;
use keblin_model::typed::FieldType;

use super::fields::Change;
use super::items::ItemPlace;
use super::journal::Cause;
use super::refusal::Why;
use super::typed::{FieldOf, ListOf, MapOf, SetOf, Write};
use super::{Engine, Holder, Play};

impl<G, P: Holder> Play<G, P> {
    /// Changes a value in place, such as one member of a shape. Refused for an unset field.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn change<F: FieldOf<G>>(&mut self, field: F, change: impl FnOnce(&mut Write<F, G>)) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let engine = self.engine();
        let Some(mut value) = F::Of::taken(engine.value_at(cell), &engine.schema) else {
            let change = engine.refused_item(cell, |field| Why::Unset { field });
            return self.reported(change);
        };
        change(&mut value);
        let change = match F::Of::write(value, &engine.schema) {
            Some(value) => self.engine_mut().write(cell, value, &Cause::Set),
            None => engine.not_finite(cell),
        };
        self.reported(change)
    }

    /// Changes the value for a key of a map in place. A missing one starts as zero, false, empty, or the defaults of
    /// its members.
    ///
    /// ```
    /// use std::collections::BTreeMap;
    /// use std::sync::Arc;
    /// use keblin::{Field, Progress, Schema};
    /// # let text = "game = 'otter'\nversion = 1\n[fields]\n\
    /// #     bag = { type = 'map', key = 'text', of = 'int', max = 9, max_len = 8, max_items = 4, scope = 'profile' }\n";
    /// # let schema = Arc::new(Schema::parse("progress.toml", text)?.schema);
    /// let bag: Field<BTreeMap<String, i64>> = schema.field("bag")?;
    /// let mut game = Progress::new(schema);
    /// game.change_entry(bag, "rope".to_string(), |count| *count += 4);
    /// let change = game.change_entry(bag, "rope".to_string(), |count| *count += 7);
    /// assert!(change.clamped, "at most 9");
    /// assert_eq!(game.entry(bag, "rope".to_string()), Some(9));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn change_entry<F: MapOf<G>>(
        &mut self,
        field: F,
        key: <F::Key as FieldType>::Write,
        change: impl FnOnce(&mut <F::Item as FieldType>::Write),
    ) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let change = match F::Key::write(key, &self.engine().schema) {
            Some(key) => self.change_at::<F::Item>(cell, &ItemPlace::Key(key), change),
            None => self.engine().not_finite(cell),
        };
        self.reported(change)
    }

    /// Changes the item at a position of a list in place. Refused if the list does not have that many items.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn change_item<F: ListOf<G>>(
        &mut self,
        field: F,
        index: usize,
        change: impl FnOnce(&mut <F::Item as FieldType>::Write),
    ) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let change = self.change_at::<F::Item>(cell, &ItemPlace::At(index), change);
        self.reported(change)
    }

    /// Returns whether a set contains an item, without a walk through all of them.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[must_use]
    pub fn contains<F: SetOf<G>>(&self, field: F, item: <F::Item as FieldType>::Write) -> bool {
        let engine = self.engine();
        let cell = engine.checked(field.of_any());
        engine.note_read(cell);
        let Value::Set(items) = engine.value_at(cell) else { return false };
        F::Item::key(item, &engine.schema).is_some_and(|item| items.contains(&item))
    }

    /// Returns the value for a key of a map, without a walk through all of them; `None` if the map does not have it.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[must_use]
    pub fn entry<F: MapOf<G>>(
        &self,
        field: F,
        key: <F::Key as FieldType>::Write,
    ) -> Option<<F::Item as FieldType>::Read<'_>> {
        let engine = self.engine();
        let cell = engine.checked(field.of_any());
        engine.note_read(cell);
        let Value::Map(entries) = engine.value_at(cell) else { return None };
        entries.get(&F::Key::key(key, &engine.schema)?).map(F::Item::read)
    }

    fn change_at<T: FieldType>(
        &mut self,
        cell: usize,
        place: &ItemPlace,
        change: impl FnOnce(&mut T::Write),
    ) -> Change {
        let engine = self.engine();
        let Some(item) = engine.item_at(cell, place) else {
            let what = if let ItemPlace::At(index) = place { format!("item {index}") } else { String::new() };
            return engine.refused_item(cell, |field| Why::NotThere { field, what });
        };
        let Some(mut item) = T::taken(&item, &engine.schema) else {
            return engine.refused_item(cell, |field| Why::Unset { field });
        };
        change(&mut item);
        match T::write(item, &engine.schema) {
            Some(item) => self.engine_mut().put_item(cell, place, item),
            None => engine.not_finite(cell),
        }
    }
}

impl Engine {
    /// Returns the item at a position of a list, or the value for a key of a map: of a missing one, its type's own.
    fn item_at(&self, cell: usize, place: &ItemPlace) -> Option<Value> {
        match (self.value_at(cell), place) {
            (Value::List(items), ItemPlace::At(index)) => items.get(*index).cloned(),
            (Value::Map(entries), ItemPlace::Key(key)) => {
                let own = || Some(self.schema.own_default(self.schema.field_at(cell)?.items.as_ref()?.of));
                entries.get(key).cloned().or_else(own)
            }
            _ => None,
        }
    }
}
