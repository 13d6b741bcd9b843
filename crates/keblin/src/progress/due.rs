//! When a save is due: the events that the declaration names in `autosave` mark the progress as due. Nothing is
//! written here. The keeper takes the mark at the end of a frame. So a save holds the values after the event,
//! whatever the order of the calls, and several events cause one save.

use keblin_model::Time;
use keblin_model::model::{SaveAt, Scope};

use super::Engine;
use super::erase::Erase;

/// What made the progress due, and how much was played since the last save.
#[derive(Clone, Debug, Default)]
pub(super) struct Due {
    at: Option<SaveAt>,
    /// Whether a value has changed since the last save.
    changed: bool,
    /// How long ago the last save became due; `None` before any.
    since: Option<Time>,
    played: Time,
    erased: Vec<Erase>,
}

impl Engine {
    pub(crate) fn take_due(&mut self) -> Option<SaveAt> {
        // A change waits if another save was due a moment ago, so that a coin in every frame is not a save in every frame.
        let is_over = |between| self.due.since.is_none_or(|since| since >= between);
        let of_change = self.between_changes().is_some_and(|between| self.due.changed && is_over(between));
        let due = self.due.at.take().or(of_change.then_some(SaveAt::Change));
        if due.is_some() {
            (self.due.changed, self.due.since, self.due.played) = (false, Some(Time::ZERO), Time::ZERO);
        }
        due
    }

    /// Returns whether a save is due after a time, if all of it is played.
    pub(crate) fn is_due_after(&self, elapsed: Time) -> bool {
        let is_over = |between| self.due.since.is_none_or(|since| since.saturating_add(elapsed) >= between);
        let of_change = self.between_changes().is_some_and(|between| self.due.changed && is_over(between));
        let of_play =
            self.between_saves().is_some_and(|every| self.due.played.saturating_add(elapsed) >= every);
        self.due.at.is_some() || !self.due.erased.is_empty() || of_change || of_play
    }

    /// Returns the time in play between two saves, if time makes them due.
    fn between_saves(&self) -> Option<Time> {
        let every = |at: &SaveAt| if let SaveAt::Every(time) = at { Some(*time) } else { None };
        self.schema.autosave.iter().find_map(every)
    }

    /// Returns the time between two saves for changes, if changes are saved.
    fn between_changes(&self) -> Option<Time> {
        self.schema.autosave.iter().find_map(|at| at.between_changes())
    }

    /// Lets real time pass, in any phase.
    pub(super) fn waited(&mut self, elapsed: Time) {
        if let Some(since) = &mut self.due.since {
            *since = since.saturating_add(elapsed);
        }
    }

    /// Takes the erasures since the last call. No file may bring their data back.
    pub(crate) fn take_erased(&mut self) -> Vec<Erase> {
        std::mem::take(&mut self.due.erased)
    }

    /// Marks an erasure.
    pub(super) fn save_erased(&mut self, what: &Erase) {
        self.due.erased.push(what.clone());
    }

    /// Marks an event.
    pub(super) fn save_at(&mut self, at: SaveAt) {
        if self.due.at.is_none() && self.schema.autosave.contains(&at) {
            self.due.at = Some(at);
        }
    }

    /// Marks a changed value of a scope.
    #[inline]
    pub(super) fn changed_in(&mut self, scope: Scope) {
        if !scope.is_of_run() {
            self.due.changed = true;
        }
    }

    /// Adds time in play.
    pub(super) fn played_on(&mut self, elapsed: Time) {
        self.due.played = self.due.played.saturating_add(elapsed);
        if let Some(every) = self.between_saves().filter(|every| self.due.played >= *every) {
            self.save_at(SaveAt::Every(every));
        }
    }
}
