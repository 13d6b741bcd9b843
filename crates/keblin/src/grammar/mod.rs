//! What a save contains, in order: every section, every map, every value. It is listed in one place, and prepared
//! once per schema.

/// The list.
pub(crate) mod listed;

/// A map as bytes with holes for the values.
pub(crate) mod template;

/// The facts of a level as one piece.
pub(crate) mod facts;

/// The names of values and facts by themselves.
pub(crate) mod names;

/// The templates of a schema.
pub(crate) mod plan;

use std::convert::Infallible;

use minicbor::Encoder;

/// The section of values and facts that outlive runs.
pub(crate) const PROFILE: &str = "profile";

/// The section of the run that can be continued.
pub(crate) const RUN: &str = "run";

/// The section of what is known of the world apart from its areas.
pub(crate) const WORLD: &str = "world";

/// The only section of a device file: settings, outside all profiles.
pub(crate) const DEVICE: &str = "device";

/// Returns the bytes that a function writes.
pub(crate) fn encoded(write: impl FnOnce(&mut Encoder<&mut Vec<u8>>) -> Result<(), Failure>) -> Vec<u8> {
    let mut bytes = Vec::new();
    // Writing to a vector never fails.
    let _ = write(&mut Encoder::new(&mut bytes));
    bytes
}

pub(crate) type Failure = minicbor::encode::Error<Infallible>;
