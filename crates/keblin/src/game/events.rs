//! Events and erasures as values, with a game's names, for systems that queue what happens.

use keblin_model::names::Asked;
use keblin_model::typed::FieldType;
use keblin_model::{Field, Value};

use crate::progress::{Amount, Erase, Event, FieldOf, Game, Ordered, UnsettableOf, WholeField, Write};

/// Changes of values as events, for systems that queue what happens. A number that is not finite is refused when the
/// event is applied. A field that was looked up in another schema panics.
impl<G: Game> Event<G> {
    /// Makes an event that calls [`Progress::set`](crate::Progress::set).
    #[must_use]
    pub fn set<F: FieldOf<G>>(field: F, value: Write<F, G>) -> Event<G> {
        Event::of_value(field, value, Event::Set)
    }

    /// Makes an event that calls [`Progress::add`](crate::Progress::add).
    #[must_use]
    pub fn add<F: FieldOf<G, Of: Amount>>(field: F, amount: Write<F, G>) -> Event<G> {
        Event::of_value(field, amount, Event::Add)
    }

    /// Makes an event that calls [`Progress::spend`](crate::Progress::spend).
    #[must_use]
    pub fn spend<F: FieldOf<G, Of: Amount>>(field: F, amount: Write<F, G>) -> Event<G> {
        Event::of_value(field, amount, Event::Spend)
    }

    /// Makes an event that calls [`Progress::submit`](crate::Progress::submit).
    #[must_use]
    pub fn submit<F>(field: F, value: Write<F, G>) -> Event<G>
    where
        F: FieldOf<G> + UnsettableOf<G, Held: Ordered>,
    {
        Event::of_value(field, value, Event::Submit)
    }

    fn of_value<F: FieldOf<G>>(
        field: F,
        value: Write<F, G>,
        event: fn(Field<Value, G>, Value) -> Event<G>,
    ) -> Event<G> {
        let as_value = Field::of_cell(u32::try_from(cell_of(field)).unwrap_or(u32::MAX));
        match F::Of::write(value, G::schema()) {
            Some(value) => event(as_value, value),
            // Adding unset is refused, and changes nothing.
            None => Event::Add(as_value, Value::Unset),
        }
    }
}

/// Returns the cell of a field of the game. Using a handle from another schema is a programming error.
fn cell_of<G: Game>(field: impl FieldOf<G>) -> usize {
    let field = field.of_any();
    assert!(field.belongs_to(G::schema()), "a field handle of another schema than this game's");
    field.cell()
}

impl<G: Game> Erase<G> {
    /// Erases one value of a field.
    #[must_use]
    pub fn value(field: impl FieldOf<G>) -> Erase<G> {
        let (cell, schema) = (cell_of(field), G::schema());
        let at = schema.cell_owner(cell).map(|(_, at)| at).unwrap_or_default();
        Erase::Named(Asked::Field { field: schema.field_of_cell(cell).unwrap_or(usize::MAX), at })
    }

    /// Erases a field with all its values.
    #[must_use]
    pub fn field(field: impl WholeField<G>) -> Erase<G> {
        Erase::Field(G::schema().field_of_cell(field.first_cell()).unwrap_or(usize::MAX))
    }
}
