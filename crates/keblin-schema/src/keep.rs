//! Keep rules, in one place for all who need them: writes, replays and saves that are brought together.

use crate::value::Value;

/// How a new value meets the stored one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Default)]
#[non_exhaustive]
pub enum Keep {
    /// The new value is the value.
    #[default]
    Latest,
    /// The larger one stays. Starts unset.
    Highest,
    /// The smaller one stays. Starts unset.
    Lowest,
    /// A `true` never turns `false`.
    Once,
}

impl Keep {
    /// Every rule, in the order in which complaints list them.
    pub const ALL: [Keep; 4] = [Keep::Latest, Keep::Highest, Keep::Lowest, Keep::Once];

    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Keep::Latest => "latest",
            Keep::Highest => "highest",
            Keep::Lowest => "lowest",
            Keep::Once => "once",
        }
    }

    /// Whether a field with this rule is a record: a best value, unset until there is one.
    #[must_use]
    pub fn is_record(self) -> bool {
        matches!(self, Keep::Highest | Keep::Lowest)
    }
}

/// Whether `offered` takes the place of `stored`. An equal value does not: it is nothing new.
///
/// Anything takes the place of unset; unset takes the place of nothing.
#[must_use]
pub fn takes_place(rule: Keep, stored: &Value, offered: &Value) -> bool {
    match (rule, stored, offered) {
        (_, _, Value::Unset) => false,
        (_, Value::Unset, _) => true,
        (Keep::Latest, stored, offered) => stored != offered,
        (Keep::Highest, stored, offered) => offered.number() > stored.number(),
        (Keep::Lowest, stored, offered) => offered.number() < stored.number(),
        (Keep::Once, stored, offered) => *stored == Value::Bool(false) && *offered == Value::Bool(true),
    }
}
