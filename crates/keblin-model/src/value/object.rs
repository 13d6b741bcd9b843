//! Ids of objects of the world.

use std::fmt;

/// The id of an object: the same whenever its area is loaded.
///
/// Objects that come with a level have a number of the level's author, up to 32 bits. Objects made in play get theirs
/// from `new_object`: it never equals a number of an author, nor another one that the save has seen.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ObjectId(u64);

/// The bit of ids that were given in play.
const MADE: u64 = 1 << 63;

impl ObjectId {
    /// Returns the id of an object that comes with a level.
    #[must_use]
    pub const fn authored(number: u32) -> ObjectId {
        // Widening is not yet a constant function.
        ObjectId(number as u64)
    }

    /// Returns the id of the object that was made as the `number`th.
    #[doc(hidden)]
    #[must_use]
    pub const fn made(number: u64) -> ObjectId {
        ObjectId(number | MADE)
    }

    /// Returns whether it was made in play.
    #[must_use]
    pub const fn is_made(self) -> bool {
        self.0 & MADE != 0
    }

    /// Returns as which one it was made in play, if it was.
    #[doc(hidden)]
    #[must_use]
    pub const fn made_as(self) -> Option<u64> {
        if self.is_made() { Some(self.0 & !MADE) } else { None }
    }

    /// Returns the number that stands for it in saves.
    #[doc(hidden)]
    #[must_use]
    pub const fn number(self) -> u64 {
        self.0
    }

    /// Returns the id that a number in a save stands for.
    #[doc(hidden)]
    #[must_use]
    pub const fn of_number(number: u64) -> ObjectId {
        ObjectId(number)
    }
}

impl From<u32> for ObjectId {
    fn from(number: u32) -> ObjectId {
        ObjectId::authored(number)
    }
}

/// `9` for an object of the level's author, `made 3` for the third that was made in play.
impl fmt::Display for ObjectId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let number = self.0 & !MADE;
        f.pad(&if self.is_made() { format!("made {number}") } else { number.to_string() })
    }
}

impl fmt::Debug for ObjectId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ObjectId({self})")
    }
}
