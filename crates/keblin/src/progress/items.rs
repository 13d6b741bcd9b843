//! Lists, sets and maps: putting in and taking out one item at a time. An item that does not fit is refused, and a
//! refusal changes nothing.

use std::sync::Arc;

use keblin_model::typed::{FieldType, Scalar};
use keblin_model::value::{ValueMap, ValueSet};
use keblin_model::{Keep, Name, Value};

use super::fields::{Change, write_event};
use super::journal::Cause;
use super::phase::EventName;
use super::refusal::Why;
use super::typed::{CollectionOf, ListOf, MapOf, SetOf};
use super::{Engine, Holder, Play};

/// Where in a list, set or map an item goes.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum ItemPlace {
    /// At the end of a list, or anywhere in a set.
    Anywhere,
    /// At a position of a list.
    At(usize),
    /// Under a key of a map.
    Key(Value),
}

impl<G, P: Holder> Play<G, P> {
    /// Adds an item at the end of a list.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn push<F: ListOf<G>>(&mut self, field: F, item: <F::Item as FieldType>::Write) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let change = self.put_scalar::<F::Item>(cell, &ItemPlace::Anywhere, item);
        self.reported(change)
    }

    /// Sets a list, set or map to the items of anything that iterates; for a map they are pairs of key and value. As
    /// [`Play::set`].
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn set_items<F: CollectionOf<G>>(
        &mut self,
        field: F,
        items: impl IntoIterator<Item = F::Entry>,
    ) -> Change {
        let change = self.write_items(field, items.into_iter().collect(), |_, new| (new, Cause::Set));
        self.reported(change)
    }

    /// Adds the items of anything that iterates to a list, set or map: all of them, or none if one does not fit.
    ///
    /// ```
    /// # use keblin::{Field, Progress, Schema};
    /// # let text = "game = 'otter'\nversion = 1\n[fields]\n\
    /// #     bag = { type = 'list', of = 'text', max_len = 9, max_items = 4, scope = 'profile' }\n";
    /// # let mut game = Progress::new(Schema::parse("progress.toml", text)?.schema);
    /// # let bag: Field<Vec<String>> = game.schema().field("bag")?;
    /// game.extend(bag, ["reed", "shell"].map(String::from));
    /// assert_eq!(game.get(bag).iter().collect::<Vec<_>>(), ["reed", "shell"]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn extend<F: CollectionOf<G>>(
        &mut self,
        field: F,
        items: impl IntoIterator<Item = F::Entry>,
    ) -> Change {
        let items = items.into_iter().collect();
        let change = self.write_items(field, items, |held, new| (together(held, &new), Cause::Put(new)));
        self.reported(change)
    }

    /// Removes the item at a position of a list; later items move up.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn remove_at<F: ListOf<G>>(&mut self, field: F, index: usize) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let change = self.engine_mut().take_item(cell, &ItemPlace::At(index));
        self.reported(change)
    }

    /// Adds an item to a set. If the set contains it already, nothing changes.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn insert<F: SetOf<G>>(&mut self, field: F, item: <F::Item as FieldType>::Write) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let change = self.put_scalar::<F::Item>(cell, &ItemPlace::Anywhere, item);
        self.reported(change)
    }

    /// Removes an item from a set; refused for a set with `keep = "union"`.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn remove<F: SetOf<G>>(&mut self, field: F, item: <F::Item as FieldType>::Write) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let change = self.take_key::<F::Item>(cell, item);
        self.reported(change)
    }

    /// Sets the value for a key of a map, replacing an old one.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn put_entry<F: MapOf<G>>(
        &mut self,
        field: F,
        key: <F::Key as FieldType>::Write,
        value: <F::Item as FieldType>::Write,
    ) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let change = match F::Key::write(key, &self.engine().schema) {
            Some(key) => self.put_scalar::<F::Item>(cell, &ItemPlace::Key(key), value),
            None => self.engine().refused_item(cell, |field| Why::NotFinite { field }),
        };
        self.reported(change)
    }

    /// Removes a key and its value from a map.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn take_entry<F: MapOf<G>>(&mut self, field: F, key: <F::Key as FieldType>::Write) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let change = self.take_key::<F::Key>(cell, key);
        self.reported(change)
    }

    /// Writes a whole list, set or map: what a function makes of the held value and the new items.
    fn write_items<F: CollectionOf<G>>(
        &mut self,
        field: F,
        items: Vec<F::Entry>,
        made_of: impl FnOnce(&Value, Value) -> (Value, Cause),
    ) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let Some(items) = F::Of::write(items, &self.engine().schema) else {
            return self.engine().refused_item(cell, |field| Why::NotFinite { field });
        };
        let (all, cause) = made_of(self.engine().value_at(cell), items);
        self.engine_mut().write(cell, all, &cause)
    }

    fn put_scalar<T: Scalar>(&mut self, cell: usize, place: &ItemPlace, item: T::Write) -> Change {
        match T::write(item, &self.engine().schema) {
            Some(item) => self.engine_mut().put_item(cell, place, item),
            None => self.engine().refused_item(cell, |field| Why::NotFinite { field }),
        }
    }

    fn take_key<T: Scalar>(&mut self, cell: usize, key: T::Write) -> Change {
        match T::write(key, &self.engine().schema) {
            Some(key) => self.engine_mut().take_item(cell, &ItemPlace::Key(key)),
            None => self.engine().refused_item(cell, |field| Why::NotFinite { field }),
        }
    }
}

/// Returns what is held with new items: at the end of a list, in place of an old value in a map.
fn together(held: &Value, new: &Value) -> Value {
    match (held, new) {
        (Value::List(held), Value::List(new)) => {
            Value::List(held.iter().chain(new.iter()).cloned().collect())
        }
        (Value::Set(held), Value::Set(new)) => {
            Value::Set(Arc::new(held.iter().chain(new.iter()).cloned().collect()))
        }
        (Value::Map(held), Value::Map(new)) => {
            let mut all = ValueMap::clone(held);
            for (key, value) in new.iter() {
                all.insert(key.clone(), value.clone());
            }
            Value::Map(Arc::new(all))
        }
        _ => new.clone(),
    }
}

impl Engine {
    /// Puts an item at a place.
    pub(crate) fn put_item(&mut self, cell: usize, place: &ItemPlace, item: Value) -> Change {
        let next = match (self.value_at(cell), place) {
            (Value::List(items), ItemPlace::Anywhere) => {
                Value::List(items.iter().cloned().chain([item.clone()]).collect())
            }
            (Value::List(items), ItemPlace::At(index)) if *index < items.len() => {
                let place =
                    items.iter().enumerate().map(|(at, held)| if at == *index { &item } else { held });
                Value::List(place.cloned().collect())
            }
            (Value::Set(items), ItemPlace::Anywhere) => {
                let mut items = ValueSet::clone(items);
                items.insert(item.clone());
                Value::Set(Arc::new(items))
            }
            (Value::Map(entries), ItemPlace::Key(key)) => {
                let mut entries = ValueMap::clone(entries);
                entries.insert(key.clone(), item.clone());
                Value::Map(Arc::new(entries))
            }
            _ => {
                return self
                    .refused_item(cell, |field| Why::NotThere { field, what: "such items".to_string() });
            }
        };
        self.write(cell, next, &Cause::Put(item))
    }

    /// Takes what is at a place: a position of a list, an item of a set, a key of a map.
    pub(crate) fn take_item(&mut self, cell: usize, place: &ItemPlace) -> Change {
        let only_gains = self.schema.cell_owner(cell).is_some_and(|(field, _)| field.keep == Keep::Union);
        let (next, taken) = match (self.value_at(cell), place) {
            (Value::Set(_), _) if only_gains => {
                return self.refused_item(cell, |field| Why::OnlyGains { field });
            }
            (Value::List(items), ItemPlace::At(index)) => {
                let mut items = items.to_vec();
                let taken = (*index < items.len()).then(|| items.remove(*index));
                (Value::List(items.into()), taken)
            }
            (Value::Set(items), ItemPlace::Key(item)) => {
                let mut items = ValueSet::clone(items);
                let taken = items.take(item);
                (Value::Set(Arc::new(items)), taken)
            }
            (Value::Map(entries), ItemPlace::Key(key)) => {
                let mut entries = ValueMap::clone(entries);
                let taken = entries.remove(key);
                (Value::Map(Arc::new(entries)), taken)
            }
            (value, _) => (value.clone(), None),
        };
        match taken {
            Some(taken) => self.write(cell, next, &Cause::Take(taken)),
            None => {
                let what = match place {
                    ItemPlace::At(index) => format!("item {index}"),
                    ItemPlace::Key(key) => key.to_string(),
                    ItemPlace::Anywhere => "such items".to_string(),
                };
                self.refused_item(cell, |field| Why::NotThere { field, what })
            }
        }
    }

    pub(super) fn refused_item(&self, cell: usize, why: impl FnOnce(Name) -> Why) -> Change {
        let owner = self.schema.cell_owner(cell);
        let event = owner.map_or(EventName::WriteProfile, |(field, _)| write_event(field.scope));
        let name = owner.map_or_else(|| self.schema.game.clone(), |(field, _)| field.name.clone());
        self.unchanged(cell, self.refusal(event, why(name)))
    }
}
