//! A declaration as bytes, which `schema!` puts into a game: so a game reads no text when it starts, and is linked
//! with neither the parser nor the checks.
//!
//! The bytes are a sequence of CBOR items, in the order of the lists below, for the same version of this crate only: a
//! game is compiled together with them.

use std::hash::{DefaultHasher, Hasher};
use std::sync::Arc;

use minicbor::{Decoder, Encoder};

use crate::model::Model;
use crate::text::name::Name;

/// Numbers, texts, lists.
mod plain;

/// Values and their types.
mod value;

/// Programs.
mod program;

/// Models.
mod model;

/// What the bytes of a declaration consist of.
pub(crate) trait Embed: Sized {
    /// Appends it.
    fn write(&self, to: &mut Encoder<Vec<u8>>);

    /// Reads what [`Embed::write`] appended; `None` if the bytes are something else.
    fn read(from: &mut Decoder<'_>) -> Option<Self>;
}

/// Structs: their fields in order.
macro_rules! structs {
    ($($name:ident { $($field:ident),* $(,)? })*) => {$(
        impl $crate::embed::Embed for $name {
            fn write(&self, to: &mut minicbor::Encoder<Vec<u8>>) {
                let $name { $($field),* } = self;
                $($crate::embed::Embed::write($field, to);)*
            }

            fn read(from: &mut minicbor::Decoder<'_>) -> Option<$name> {
                Some($name { $($field: $crate::embed::Embed::read(from)?),* })
            }
        }
    )*};
}

/// Enums: the number of the variant, then its parts in order.
macro_rules! enums {
    ($($name:ident {
        $($number:literal $variant:ident $(($($part:ident),*))? $({$($field:ident),*})?),* $(,)?
    })*) => {$(
        impl $crate::embed::Embed for $name {
            fn write(&self, to: &mut minicbor::Encoder<Vec<u8>>) {
                match self {
                    $($name::$variant $(($($part),*))? $({$($field),*})? => {
                        <u8 as $crate::embed::Embed>::write(&$number, to);
                        $($($crate::embed::Embed::write($part, to);)*)?
                        $($($crate::embed::Embed::write($field, to);)*)?
                    })*
                }
            }

            fn read(from: &mut minicbor::Decoder<'_>) -> Option<$name> {
                let number: u8 = $crate::embed::Embed::read(from)?;
                Some(match number {
                    $($number => {
                        $($(let $part = $crate::embed::Embed::read(from)?;)*)?
                        $($(let $field = $crate::embed::Embed::read(from)?;)*)?
                        $name::$variant $(($($part),*))? $({$($field),*})?
                    })*
                    _ => return None,
                })
            }
        }
    )*};
}

/// Enums without parts that list their variants: the position in that list.
macro_rules! listed {
    ($($name:ident)*) => {$(
        impl $crate::embed::Embed for $name {
            fn write(&self, to: &mut minicbor::Encoder<Vec<u8>>) {
                let at = $name::ALL.iter().position(|variant| variant == self);
                $crate::embed::Embed::write(&at.unwrap_or($name::ALL.len()), to);
            }

            fn read(from: &mut minicbor::Decoder<'_>) -> Option<$name> {
                let at: usize = $crate::embed::Embed::read(from)?;
                $name::ALL.get(at).copied()
            }
        }
    )*};
}

pub(crate) use {enums, listed, structs};

impl Embed for Name {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        self.shared().write(to);
    }

    fn read(from: &mut Decoder<'_>) -> Option<Name> {
        Arc::<str>::read(from).map(Name::checked_before)
    }
}

/// Returns the tag of a model: a number that tells handles of two schemas apart, made from everything the model says.
/// It is valid within one program: no file or constant contains it.
#[must_use]
pub fn tag_of(model: &Model) -> u32 {
    let mut bytes = Encoder::new(Vec::new());
    model.write(&mut bytes);
    tag(bytes.writer())
}

fn tag(bytes: &[u8]) -> u32 {
    let mut hasher = DefaultHasher::new();
    hasher.write(bytes);
    let [a, b, c, d, ..] = hasher.finish().to_be_bytes();
    // Compiled names have 0.
    u32::from_be_bytes([a, b, c, d]).max(1)
}
