//! What became of the values of a save that was made by an earlier version of the game.

use std::fmt;

use keblin_schema::Value;

/// What became of every value of a save, step by step. What is neither in it nor as declared was not there.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Account {
    /// The version that saved it.
    pub from: u32,
    /// The version it is of now.
    pub to: u32,
    /// What became of each value, in the order of the steps.
    pub entries: Vec<AccountEntry>,
}

/// What became of a value, or of all values of a field that met the same fate.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct AccountEntry {
    /// The version whose step did it.
    pub to: u32,
    /// Where it is, or, if it was dropped, where it was: ids with dots between.
    pub place: String,
    /// What the field, level or unlock was called, where that was something else.
    pub was: Option<String>,
    /// What became of it.
    pub fate: Became,
}

/// What became of a value.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Became {
    /// It is what it was.
    Carried,
    /// The step made another of it.
    Changed {
        /// What it was.
        before: Value,
        /// What it is.
        now: Value,
    },
    /// It was not there before.
    Filled {
        /// What it is.
        now: Value,
    },
    /// It did not fit.
    Clamped {
        /// What it was.
        before: Value,
        /// What it is.
        now: Value,
    },
    /// It is gone, because the step says so.
    Dropped {
        /// What it was.
        before: Value,
    },
}

impl Became {
    /// Its word in text and JSON.
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

    /// What the value was, where that is told.
    #[must_use]
    pub fn before(&self) -> Option<&Value> {
        match self {
            Became::Changed { before, .. } | Became::Clamped { before, .. } | Became::Dropped { before } => {
                Some(before)
            }
            _ => None,
        }
    }

    /// What the value is, where that is told.
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

/// A line for each entry, under a heading for each step.
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
