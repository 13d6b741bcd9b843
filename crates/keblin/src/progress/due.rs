//! When a save is due: the events that the declaration names in `autosave` mark the progress as due. Nothing is
//! written here. The keeper takes the mark at the end of a frame. So a save holds the values after the event,
//! whatever the order of the calls, and several events cause one save.

use keblin_schema::Time;
use keblin_schema::model::{SaveAt, Scope};

use super::Engine;
use super::erase::Erase;

/// What made the progress due, and how much was played since the last save.
#[derive(Clone, Debug, Default)]
pub(super) struct Due {
    at: Option<SaveAt>,
    played: Time,
    erased: Vec<Erase>,
}

impl Engine {
    pub(crate) fn take_due(&mut self) -> Option<SaveAt> {
        let due = self.due.at.take();
        if due.is_some() {
            self.due.played = Time::ZERO;
        }
        due
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
            self.save_at(SaveAt::Change);
        }
    }

    /// Adds time in play.
    pub(super) fn played_on(&mut self, elapsed: Time) {
        self.due.played = self.due.played.saturating_add(elapsed);
        let every = self.schema.autosave.iter().find_map(|at| match at {
            SaveAt::Every(time) => Some(*time),
            _ => None,
        });
        if let Some(every) = every.filter(|every| self.due.played >= *every) {
            self.save_at(SaveAt::Every(every));
        }
    }
}
