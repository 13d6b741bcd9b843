//! Items for code that `schema!` and the derives generate; nobody else should use them.

use std::sync::{Arc, OnceLock};

#[cfg(feature = "serde")]
pub use serde;

use crate::snapshot::Schema;
pub use keblin_schema::key::{Axial, Compiled};
pub use keblin_schema::typed::{Bytes, Declared, item_of, item_value, member_of, member_value, shape_value};
pub use keblin_schema::value::Opaque;
use keblin_schema::{Files, TextFile, Value};

/// The text of a version: the version, its name in messages, and the text.
pub type OfVersion<'t> = (u32, &'t str, &'t str);

/// Returns the schema of a text that was checked when the game was compiled, with its past versions.
///
/// # Panics
/// If the game was compiled with another version of the macro than it runs with.
#[expect(clippy::panic, reason = "the same texts were checked by the same code while the game was compiled")]
pub fn schema_of<G: Compiled>(
    once: &'static OnceLock<Arc<Schema>>,
    (name, text): (&str, &str),
    frozen: &[OfVersion<'_>],
    steps: &[OfVersion<'_>],
) -> &'static Arc<Schema> {
    let file = |name: &str, text: &str| TextFile { name: name.to_string(), text: text.to_string() };
    let by_version = |texts: &[OfVersion<'_>]| {
        texts.iter().map(|(version, name, text)| (*version, file(name, text))).collect()
    };
    once.get_or_init(|| {
        let (frozen, steps) = (by_version(frozen), by_version(steps));
        match Schema::parse_with_past(&Files { declaration: file(name, text), frozen, steps }) {
            Ok(parsed) => {
                keblin_schema::key::know::<G>();
                Arc::new(parsed.schema)
            }
            Err(findings) => panic!("{findings}"),
        }
    })
}

/// Returns a shape with the defaults of its members.
pub fn shape_default<T: Declared>(schema: &Schema, shape: usize) -> T {
    let members = schema.shapes.get(shape).map_or(&[][..], |shape| &shape.members);
    let members = members.iter().map(|member| (member.name.clone(), member.default.clone()));
    T::of_value(&Value::Shape(members.collect()))
}
