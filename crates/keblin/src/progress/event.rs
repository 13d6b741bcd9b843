//! Events as values, so that a game's systems can queue them and a test can make them up. Applying one is calling the
//! method of its name.

use std::time::Duration;

use keblin_schema::{AnyGame, Checkpoint, Difficulty, Field, Level, Value};

use super::Progress;
use super::death::{Death, Reached};
use super::erase::{Erase, Erased};
use super::fields::Change;
use super::items::Place as ItemPlace;
use super::place::Place;
use super::refusal::Refused;
use super::run::{Begun, Resumed, RunOver};
use super::signals::{Fed, Signal};
use super::visit::{Entered, Finished};

/// Something that happens to progress.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum Event<G = AnyGame> {
    /// [`Progress::begin`], or [`Progress::begin_replacing`].
    Begin {
        /// On this difficulty; `None` is the one last chosen.
        difficulty: Option<Difficulty<G>>,
        /// In place of a run that may be under way.
        replacing: bool,
    },
    /// [`Progress::resume`]
    Resume,
    /// [`Progress::enter`]
    Enter(Level<G>),
    /// [`Progress::retry`]
    Retry,
    /// [`Progress::reach`]
    Reach(Checkpoint<G>),
    /// [`Progress::die`]
    Die,
    /// [`Progress::respawn`]
    Respawn,
    /// [`Progress::finish`], or with stars [`Progress::finish_with_stars`].
    Finish(Option<i64>),
    /// [`Progress::leave`]
    Leave,
    /// [`Progress::end_run`]
    EndRun,
    /// [`Progress::tick`]
    Tick(Duration),
    /// [`Progress::pause`]
    Pause(bool),
    /// [`Progress::feed`]
    Feed(Signal<G>, bool),
    /// [`Progress::set`]
    Set(Field<Value, G>, Value),
    /// [`Progress::add`]
    Add(Field<Value, G>, Value),
    /// [`Progress::spend`]
    Spend(Field<Value, G>, Value),
    /// [`Progress::submit`]
    Submit(Field<Value, G>, Value),
    /// [`Progress::push`], [`Progress::insert`], [`Progress::put_entry`]
    Put(Field<Value, G>, ItemPlace, Value),
    /// [`Progress::remove_at`], [`Progress::remove`], [`Progress::take_entry`]
    Take(Field<Value, G>, ItemPlace),
    /// [`Progress::erase`]
    Erase(Erase<G>, bool),
}

/// What an event did, as its method answers it.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Outcome<G = AnyGame> {
    /// It was accepted, and there is nothing to say of it.
    Done,
    /// A run began.
    Begun(Begun<G>),
    /// The game goes on.
    Resumed(Resumed<G>),
    /// A level was entered or tried again.
    Entered(Entered<G>),
    /// A checkpoint was reached.
    Reached(Reached),
    /// A death; `None` if it was without effect.
    Died(Option<Death<G>>),
    /// The player is back.
    Respawned(Place<G>),
    /// A level was finished; `None` if it was already.
    Finished(Option<Box<Finished<G>>>),
    /// The run is over; `None` if it was already.
    RunOver(Option<RunOver<G>>),
    /// A signal was fed.
    Fed(Fed<G>),
    /// A value was written, or refused: [`Change::refused`].
    Changed(Change),
    /// Something was erased.
    Erased(Vec<Erased>),
}

impl Progress {
    /// Applies an event.
    ///
    /// # Errors
    /// As the event's method. A value call that is refused is no error here either: its [`Change`] says so.
    ///
    /// # Panics
    /// If a handle in it was looked up in another schema.
    pub fn apply(&mut self, event: &Event) -> Result<Outcome, Refused> {
        Ok(match event {
            Event::Begin { difficulty, replacing: true } => Outcome::Begun(self.begin_replacing(*difficulty)),
            Event::Begin { difficulty, replacing: false } => Outcome::Begun(self.begin(*difficulty)?),
            Event::Resume => Outcome::Resumed(self.resume()?),
            Event::Enter(level) => Outcome::Entered(self.enter(*level)?),
            Event::Retry => Outcome::Entered(self.retry()?),
            Event::Reach(checkpoint) => Outcome::Reached(self.reach(*checkpoint)?),
            Event::Die => Outcome::Died(self.die()),
            Event::Respawn => Outcome::Respawned(self.respawn()?),
            Event::Finish(None) => Outcome::Finished(self.finish()?.map(Box::new)),
            Event::Finish(Some(stars)) => Outcome::Finished(self.finish_with_stars(*stars)?.map(Box::new)),
            Event::Leave => {
                self.leave()?;
                Outcome::Done
            }
            Event::EndRun => Outcome::RunOver(self.end_run()?),
            Event::Tick(elapsed) => {
                self.tick(*elapsed);
                Outcome::Done
            }
            Event::Pause(on) => {
                self.pause(*on);
                Outcome::Done
            }
            Event::Feed(signal, on) => Outcome::Fed(self.feed(*signal, *on)?),
            Event::Erase(what, yes) => Outcome::Erased(self.erase(what, *yes)?),
            Event::Set(field, value) => Outcome::Changed(self.set(*field, value.clone())),
            Event::Add(field, amount) => {
                let cell = self.checked(*field);
                Outcome::Changed(self.add_to(cell, amount.clone()))
            }
            Event::Spend(field, amount) => {
                let cell = self.checked(*field);
                Outcome::Changed(self.spend_from(cell, amount)?)
            }
            Event::Submit(field, value) => {
                let cell = self.checked(*field);
                Outcome::Changed(self.submit_to(cell, value.clone()))
            }
            Event::Put(field, place, item) => {
                let cell = self.checked(*field);
                Outcome::Changed(self.put_item(cell, place, item.clone()))
            }
            Event::Take(field, place) => {
                let cell = self.checked(*field);
                Outcome::Changed(self.take_item(cell, place))
            }
        })
    }
}
