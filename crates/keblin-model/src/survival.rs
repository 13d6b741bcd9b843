//! The survival table: which event does what to which field. Takes a field's scope and overrides, and returns the
//! fate of its value at each event. The engine acts on the overrides; tests check it against this table.

use crate::model::{FieldDef, Model, ObjectKindDef, OnDeath, OnReset, OnRetry, Resume, Scope, Survival};

crate::words! {
    /// A row of the survival table.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum Row {
        /// A checkpoint is reached.
        Checkpoint = "checkpoint",
        /// A death with a life left.
        Death = "death",
        /// A death with a life left that leads to a save point in another level (`checkpoint_lasts = "run"`).
        DeathElsewhere = "death_elsewhere",
        /// The death that takes the last life and ends the run.
        LastDeath = "last_death",
        /// The level is restarted.
        Retry = "retry",
        /// A level is entered from its start.
        Enter = "enter",
        /// The level is left for the map and its visit resumed.
        Leave = "leave",
        /// The level is finished.
        Finish = "finish",
        /// The run ends.
        RunEnd = "run_end",
        /// A new run begins.
        NewRun = "new_run",
        /// The game is quit, opened again and the run resumed.
        Reopen = "reopen",
        /// The profile is erased.
        Erase = "erase",
    }
}

crate::words! {
    /// What an event does to a value.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum Fate {
        /// Unchanged, and a copy is taken to come back to.
        Copied = "copied",
        /// Unchanged.
        Stays = "stays",
        /// Unchanged until the next level or run begins; there is no copy to come back to.
        Readable = "readable",
        /// Set to the value at the last checkpoint, or before the first one to the value on arrival.
        Checkpoint = "checkpoint",
        /// Set to the value on arrival in the level.
        Entry = "entry",
        /// Set to the declared default.
        Default = "default",
    }
}

/// Returns what an event does to a field's value.
#[must_use]
pub fn fate(model: &Model, field: &FieldDef, moment: Row) -> Fate {
    match moment {
        // A value that is never saved has its default when the program starts again.
        Row::Reopen if !field.durable => return Fate::Default,
        Row::Erase if field.scope != Scope::Device => return Fate::Default,
        _ if !field.scope.is_of_run() => return Fate::Stays,
        _ => {}
    }
    let words = field.survival;
    match moment {
        Row::Checkpoint => Fate::Copied,
        Row::DeathElsewhere if field.scope == Scope::Level => Fate::Checkpoint,
        Row::Death | Row::DeathElsewhere => death_fate(words.on_death),
        Row::Retry => match words.on_retry {
            OnRetry::Stays => Fate::Stays,
            OnRetry::Entry => Fate::Entry,
            OnRetry::Default => Fate::Default,
        },
        Row::Enter if words.on_level == OnReset::Stays => Fate::Copied,
        Row::NewRun if words.on_new_run == OnReset::Stays => Fate::Stays,
        Row::Enter | Row::NewRun | Row::Erase => Fate::Default,
        Row::Leave => Fate::Stays,
        Row::Finish if field.scope == Scope::Run => Fate::Stays,
        Row::Finish | Row::LastDeath | Row::RunEnd => Fate::Readable,
        Row::Reopen if model.resume == Resume::Exact => Fate::Stays,
        Row::Reopen => death_fate(words.on_death),
    }
}

/// Returns what an event does to the objects of a kind, in every area.
#[must_use]
pub fn fate_of_kind(model: &Model, kind: &ObjectKindDef, moment: Row) -> Fate {
    match moment {
        Row::Checkpoint | Row::Enter if kind.needs_copies() => Fate::Copied,
        Row::Death | Row::DeathElsewhere => death_fate(kind.on_death),
        Row::Reopen if model.resume == Resume::Checkpoint => death_fate(kind.on_death),
        Row::Retry => match kind.on_retry {
            OnRetry::Stays => Fate::Stays,
            OnRetry::Entry => Fate::Entry,
            OnRetry::Default => Fate::Default,
        },
        Row::NewRun if kind.on_new_run == OnReset::Stays => Fate::Stays,
        Row::NewRun | Row::Erase => Fate::Default,
        Row::LastDeath | Row::RunEnd => Fate::Readable,
        Row::Checkpoint | Row::Enter | Row::Leave | Row::Finish | Row::Reopen => Fate::Stays,
    }
}

/// Returns whether a kind says itself what an event does to its objects.
#[must_use]
pub fn is_set_by_kind(model: &Model, kind: &ObjectKindDef, moment: Row) -> bool {
    let (on_death, on_retry, on_new_run) = (OnDeath::Stays, OnRetry::Stays, OnReset::Default);
    let plain = ObjectKindDef { on_death, on_retry, on_new_run, ..kind.clone() };
    let is_copied = fate_of_kind(model, kind, moment) == Fate::Copied;
    !is_copied && fate_of_kind(model, kind, moment) != fate_of_kind(model, &plain, moment)
}

fn death_fate(word: OnDeath) -> Fate {
    match word {
        OnDeath::Stays => Fate::Stays,
        OnDeath::Checkpoint => Fate::Checkpoint,
        OnDeath::Entry => Fate::Entry,
        OnDeath::Default => Fate::Default,
    }
}

/// Returns whether a field overrides its scope at an event.
#[must_use]
pub fn is_override(model: &Model, field: &FieldDef, moment: Row) -> bool {
    let plain = FieldDef { survival: Survival::of_scope(field.scope), durable: true, ..field.clone() };
    fate(model, field, moment) != fate(model, &plain, moment)
}
