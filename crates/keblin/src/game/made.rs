//! Items for code that `schema!` and the derives generate; nobody else should use them.

use std::sync::{Arc, OnceLock};

#[cfg(feature = "serde")]
pub use serde;

use crate::snapshot::Schema;
pub use keblin_model::key::{Axial, Compiled};
pub use keblin_model::typed::{Bytes, Declared, item_of, item_value, member_of, member_value, shape_value};
pub use keblin_model::value::Opaque;
use keblin_model::{Declaration, Value};

/// Returns the schema of a declaration that was checked when the game was compiled, with its past versions.
///
/// # Panics
/// If the game was compiled with another version of the macro than it runs with.
#[expect(clippy::panic, reason = "the same build made the bytes")]
pub fn schema_of<G: Compiled>(once: &'static OnceLock<Arc<Schema>>, embedded: &[u8]) -> &'static Arc<Schema> {
    once.get_or_init(|| match Declaration::from_embedded(embedded) {
        Some(declaration) => {
            keblin_model::key::know::<G>();
            Arc::new(declaration.into())
        }
        None => panic!("the macros of keblin have another version than keblin: run `cargo update`"),
    })
}

/// Returns a shape with the defaults of its members.
pub fn shape_default<T: Declared>(schema: &Schema, shape: usize) -> T {
    let members = schema.shapes.get(shape).map_or(&[][..], |shape| &shape.members);
    let members = members.iter().map(|member| (member.name.clone(), member.default.clone()));
    T::of_value(&Value::Shape(members.collect()))
}
