//! When the game wants to be saved: events that the declaration names in `autosave` mark the progress due. Nothing is
//! written here; who keeps the saves takes the mark at the end of a frame, so that a save holds the values after the
//! event, whatever the order of the lines, and several events cause one save.

use keblin_schema::Time;
use keblin_schema::model::{SaveAt, Scope};

use super::Engine;
use super::erase::Erase;

/// What has made the progress due, and how much play there was since it last was.
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

    /// What was erased since this was last taken. It must not come back by any file.
    pub(crate) fn take_erased(&mut self) -> Vec<Erase> {
        std::mem::take(&mut self.due.erased)
    }

    /// Something was erased.
    pub(super) fn save_erased(&mut self, what: &Erase) {
        self.due.erased.push(what.clone());
    }

    /// An event has happened.
    pub(super) fn save_at(&mut self, at: SaveAt) {
        if self.due.at.is_none() && self.schema.autosave.contains(&at) {
            self.due.at = Some(at);
        }
    }

    /// A value of a scope has changed.
    #[inline]
    pub(super) fn changed_in(&mut self, scope: Scope) {
        if !scope.is_of_run() {
            self.save_at(SaveAt::Change);
        }
    }

    /// Time was played.
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
