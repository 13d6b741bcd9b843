//! The keys by which a field overrides the survival table.

use super::words::Scope;

crate::words! {
    /// What a death with a life left does to a value.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum OnDeath {
        /// Unchanged.
        Stays = "stays",
        /// Back to the value at the last checkpoint; before the first one, to the value on arrival in the level.
        Checkpoint = "checkpoint",
        /// Back to the value on arrival in the level.
        Entry = "entry",
        /// Back to the declared default.
        Default = "default",
    }
}

crate::words! {
    /// What restarting the level does to a value.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum OnRetry {
        /// Unchanged.
        Stays = "stays",
        /// Back to the value on arrival in the level.
        Entry = "entry",
        /// Back to the declared default.
        Default = "default",
    }
}

crate::words! {
    /// What entering a level from its start, or a new run, does to a value.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum OnReset {
        /// Unchanged.
        Stays = "stays",
        /// Back to the declared default.
        Default = "default",
    }
}

/// The four survival words of one field, declared or from its scope.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Survival {
    /// At a death with a life left.
    pub on_death: OnDeath,
    /// At a retry.
    pub on_retry: OnRetry,
    /// At entering a level from its start.
    pub on_level: OnReset,
    /// At a new run.
    pub on_new_run: OnReset,
}

impl Survival {
    /// Returns the words of a scope, for a field that overrides nothing.
    #[must_use]
    pub fn of_scope(scope: Scope) -> Survival {
        let (on_retry, on_level, on_new_run) = match scope {
            Scope::Level => (OnRetry::Entry, OnReset::Default, OnReset::Default),
            Scope::Run => (OnRetry::Entry, OnReset::Stays, OnReset::Default),
            Scope::Profile | Scope::Device => (OnRetry::Stays, OnReset::Stays, OnReset::Stays),
        };
        Survival { on_death: OnDeath::Stays, on_retry, on_level, on_new_run }
    }
}
