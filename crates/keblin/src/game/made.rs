//! What `schema!` and the derives write into a game names these; nobody else should.

use std::sync::{Arc, OnceLock};

#[cfg(feature = "serde")]
pub use serde;

pub use keblin_schema::key::Axial;
pub use keblin_schema::typed::{Bytes, Declared, item_of, item_value, member_of, member_value, shape_value};
pub use keblin_schema::value::Opaque;
use keblin_schema::{Schema, Value};

/// The schema of a text that was checked while the game was compiled.
///
/// # Panics
/// If the game was compiled with another version of the macro than it runs with.
#[expect(clippy::panic, reason = "the same text was checked by the same code while the game was compiled")]
pub fn schema_of(once: &'static OnceLock<Arc<Schema>>, name: &str, text: &str) -> &'static Arc<Schema> {
    once.get_or_init(|| match Schema::parse(name, text) {
        Ok(parsed) => Arc::new(parsed.schema),
        Err(findings) => panic!("{findings}"),
    })
}

/// A shape with every member as declared.
pub fn shape_default<T: Declared>(schema: &Schema, shape: usize) -> T {
    let members = schema.shapes.get(shape).map_or(&[][..], |shape| &shape.members);
    let members = members.iter().map(|member| (member.name.clone(), member.default.clone()));
    T::of_value(&Value::Shape(members.collect()))
}
