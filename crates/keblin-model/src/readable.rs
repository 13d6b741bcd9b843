//! Serde's traits for times and compiled names: as text, the way a declaration writes them.

use std::fmt;
use std::marker::PhantomData;

use serde::de::{Deserialize, Deserializer, Error, Visitor};
use serde::ser::{Serialize, Serializer};

use crate::key::{Checkpoint, Compiled, Difficulty, Level, OfGame, Unlock};
use crate::text::date::{Date, Instant};
use crate::text::time::Time;

/// A type that is written as text.
trait Text: Sized {
    /// Its name in messages.
    const WHAT: &'static str;
    fn of_text(text: &str) -> Result<Self, String>;
}

/// Reads a text as a value of its type.
struct Reading<T>(PhantomData<T>);

impl<T: Text> Visitor<'_> for Reading<T> {
    type Value = T;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(T::WHAT)
    }

    fn visit_str<E: Error>(self, text: &str) -> Result<T, E> {
        T::of_text(text).map_err(E::custom)
    }
}

impl Text for Time {
    const WHAT: &'static str = "a time with its unit, as `1m32.4s`";
    fn of_text(text: &str) -> Result<Time, String> {
        text.parse().map_err(|error| format!("{error}"))
    }
}

impl Text for Date {
    const WHAT: &'static str = "a day, as `2026-11-29`";
    fn of_text(text: &str) -> Result<Date, String> {
        text.parse().map_err(|error| format!("{error}"))
    }
}

impl Text for Instant {
    const WHAT: &'static str = "an instant, as `2026-11-29T10:14:08Z`";
    fn of_text(text: &str) -> Result<Instant, String> {
        text.parse().map_err(|error| format!("{error}"))
    }
}

macro_rules! as_shown {
    ($($name:ident)*) => {$(
        impl Serialize for $name {
            fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
                to.collect_str(self)
            }
        }

        impl<'de> Deserialize<'de> for $name {
            fn deserialize<D: Deserializer<'de>>(from: D) -> Result<$name, D::Error> {
                from.deserialize_str(Reading(PhantomData))
            }
        }
    )*};
}
as_shown!(Time Date Instant);

macro_rules! by_id {
    ($($name:ident, $what:literal, $looked_up:ident;)*) => {$(
        impl<G: Compiled> Text for $name<G> {
            const WHAT: &'static str = concat!("the id of ", $what);
            fn of_text(text: &str) -> Result<$name<G>, String> {
                G::model().$looked_up(text).map(OfGame::of_game).map_err(|error| error.to_string())
            }
        }

        impl<G: Compiled> Serialize for $name<G> {
            fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
                to.serialize_str(self.id())
            }
        }

        impl<'de, G: Compiled> Deserialize<'de> for $name<G> {
            fn deserialize<D: Deserializer<'de>>(from: D) -> Result<$name<G>, D::Error> {
                from.deserialize_str(Reading(PhantomData))
            }
        }
    )*};
}
by_id!(
    Level, "a level", level;
    Difficulty, "a difficulty", difficulty;
    Unlock, "an unlock", unlock;
);

impl<G: Compiled> Text for Checkpoint<G> {
    const WHAT: &'static str = "a checkpoint, as `LEVEL.CHECKPOINT`";
    fn of_text(text: &str) -> Result<Checkpoint<G>, String> {
        let (level, id) = text.split_once('.').ok_or_else(|| format!("`{text}` is not {}", Self::WHAT))?;
        let model = G::model();
        let found = model.level(level).and_then(|level| model.checkpoint(level, id));
        found.map(OfGame::of_game).map_err(|error| error.to_string())
    }
}

impl<G: Compiled> Serialize for Checkpoint<G> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(&format_args!("{}.{}", self.level().id(), self.id()))
    }
}

impl<'de, G: Compiled> Deserialize<'de> for Checkpoint<G> {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Checkpoint<G>, D::Error> {
        from.deserialize_str(Reading(PhantomData))
    }
}
