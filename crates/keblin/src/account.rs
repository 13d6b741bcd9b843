//! What became of the values of a save that an earlier version of the game made.

use std::fmt;

use keblin_model::Value;

/// What became of every value of a save, step by step. A value that is not listed was not in the save, or has its
/// default.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Account {
    /// The version that saved it.
    pub from: u32,
    /// The version it was migrated to.
    pub to: u32,
    /// What became of each value, in the order of the steps.
    pub entries: Vec<AccountEntry>,
}

/// What became of a value, or of all values of a field that had the same fate.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct AccountEntry {
    /// The version whose step did it.
    pub to: u32,
    /// Its place, or its old place if it was dropped: ids with dots between.
    pub place: String,
    /// The old name of the field, level or unlock, if it was renamed.
    pub was: Option<String>,
    /// What became of it.
    pub fate: Became,
}

/// What became of a value.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Became {
    /// It is unchanged.
    Carried,
    /// The step changed it.
    Changed {
        /// The old value.
        before: Value,
        /// The new value.
        now: Value,
    },
    /// It is new.
    Filled {
        /// The new value.
        now: Value,
    },
    /// It did not fit and was clamped.
    Clamped {
        /// The old value.
        before: Value,
        /// The new value.
        now: Value,
    },
    /// The step dropped it.
    Dropped {
        /// The old value.
        before: Value,
    },
}

impl Became {
    /// Returns the word in text and JSON.
    #[must_use]
    pub fn as_str(&self) -> &'static str {
        match self {
            Became::Carried => "carried",
            Became::Changed { .. } => "changed",
            Became::Filled { .. } => "filled",
            Became::Clamped { .. } => "clamped",
            Became::Dropped { .. } => "dropped",
        }
    }

    /// Returns the old value, if there is one.
    #[must_use]
    pub fn before(&self) -> Option<&Value> {
        match self {
            Became::Changed { before, .. } | Became::Clamped { before, .. } | Became::Dropped { before } => {
                Some(before)
            }
            _ => None,
        }
    }

    /// Returns the new value, if there is one.
    #[must_use]
    pub fn now(&self) -> Option<&Value> {
        match self {
            Became::Changed { now, .. } | Became::Clamped { now, .. } | Became::Filled { now } => Some(now),
            _ => None,
        }
    }
}

/// `1m32.4s -> 92.4`, `filled: 4`, `carried, was parcels`
impl fmt::Display for AccountEntry {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}", self.place, self.fate.as_str())?;
        match (self.fate.before(), self.fate.now()) {
            (Some(before), Some(now)) => write!(f, " {before} -> {now}")?,
            (Some(one), None) | (None, Some(one)) => write!(f, " {one}")?,
            (None, None) => {}
        }
        self.was.as_ref().map_or(Ok(()), |was| write!(f, ", was {was}"))
    }
}

/// One line per entry, under a heading per step.
impl fmt::Display for Account {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "version {} -> {}", self.from, self.to)?;
        let mut of = 0;
        for entry in &self.entries {
            if entry.to != of {
                of = entry.to;
                write!(f, "\n  to version {of}")?;
            }
            write!(f, "\n    {entry}")?;
        }
        Ok(())
    }
}
