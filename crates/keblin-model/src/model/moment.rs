//! Moments and invariants: conditions about the game as a whole.

use super::{Again, Rule};
use crate::text::name::Name;

/// A condition that is reported once when it becomes true.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct MomentDef {
    /// Its id.
    pub name: Name,
    /// A description for people.
    pub about: Option<String>,
    /// The condition.
    pub when: Option<Rule>,
    /// How often it is reported.
    pub again: Again,
}

/// A condition that must always be true.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct InvariantDef {
    /// Its id.
    pub name: Name,
    /// A description for people.
    pub about: Option<String>,
    /// The condition.
    pub holds: Option<Rule>,
}
