//! Events as values, so that a game's systems can queue them and tests can make them up. Applying an event calls the
//! method of the same name.

use std::time::Duration;

use keblin_model::{AnyGame, Checkpoint, Difficulty, Field, Level, OfGame, Unlock, Value};

use super::Engine;
use super::buy::Bought;
use super::death::{Death, Reached};
use super::erase::{Erase, Erased};
use super::fields::Change;
use super::items::ItemPlace;
use super::journal::Cause;
use super::place::Place;
use super::refusal::Refused;
use super::run::{Begun, Resumed, RunOver};
use super::signals::{Fed, Signal};
use super::visit::{Entered, Finished};

/// An event as a value. Apply it with [`Play::apply`](crate::Play::apply); outside of queues, call the methods
/// directly.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum Event<G = AnyGame> {
    /// [`Play::begin`](crate::Play::begin), or [`Play::begin_replacing`](crate::Play::begin_replacing).
    Begin {
        /// The difficulty; `None` is the one last chosen.
        difficulty: Option<Difficulty<G>>,
        /// Whether to replace a run in progress.
        replacing: bool,
    },
    /// [`Play::resume`](crate::Play::resume)
    Resume,
    /// [`Play::enter`](crate::Play::enter)
    Enter(Level<G>),
    /// [`Play::retry`](crate::Play::retry)
    Retry,
    /// [`Play::reach`](crate::Play::reach)
    Reach(Checkpoint<G>),
    /// [`Play::die`](crate::Play::die)
    Die,
    /// [`Play::respawn`](crate::Play::respawn)
    Respawn,
    /// [`Play::finish`](crate::Play::finish), or with stars [`Play::finish_with_stars`](crate::Play::finish_with_stars).
    Finish(Option<i64>),
    /// [`Play::leave`](crate::Play::leave)
    Leave,
    /// [`Play::end_run`](crate::Play::end_run)
    EndRun,
    /// [`Progress::tick`](crate::Progress::tick)
    Tick(Duration),
    /// [`Play::pause`](crate::Play::pause)
    Pause(bool),
    /// [`Play::feed`](crate::Play::feed)
    Feed(Signal<G>, bool),
    /// [`Play::set`](crate::Play::set)
    Set(Field<Value, G>, Value),
    /// [`Play::add`](crate::Play::add)
    Add(Field<Value, G>, Value),
    /// [`Play::spend`](crate::Play::spend)
    Spend(Field<Value, G>, Value),
    /// [`Play::buy`](crate::Play::buy)
    Buy(Unlock<G>),
    /// [`Play::submit`](crate::Play::submit)
    Submit(Field<Value, G>, Value),
    /// [`Play::push`](crate::Play::push), [`Play::insert`](crate::Play::insert), [`Play::put_entry`](crate::Play::put_entry)
    Put(Field<Value, G>, ItemPlace, Value),
    /// [`Play::remove_at`](crate::Play::remove_at), [`Play::remove`](crate::Play::remove), [`Play::take_entry`](crate::Play::take_entry)
    Take(Field<Value, G>, ItemPlace),
    /// [`Play::erase`](crate::Play::erase)
    Erase(Erase<G>, bool),
}

/// The result of an event, as its method returns it.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Outcome<G = AnyGame> {
    /// It was accepted and has no result.
    Done,
    /// A run began.
    Begun(Begun<G>),
    /// The run was resumed.
    Resumed(Resumed<G>),
    /// A level was entered or restarted.
    Entered(Entered<G>),
    /// A checkpoint was reached.
    Reached(Reached),
    /// A death; `None` if it had no effect.
    Died(Option<Death<G>>),
    /// The player has respawned.
    Respawned(Place<G>),
    /// A level was finished; `None` if it was already.
    Finished(Option<Box<Finished<G>>>),
    /// The run is over; `None` if it was already.
    RunOver(Option<RunOver<G>>),
    /// A signal was fed.
    Fed(Fed<G>),
    /// A value was written, or refused: [`Change::refused`].
    Changed(Change),
    /// Something was bought; `None` if the player has it already.
    Bought(Option<Bought<G>>),
    /// Something was erased.
    Erased(Vec<Erased>),
}

impl<G> OfGame<G> for Outcome {
    type Of = Outcome<G>;
    fn of_game(self) -> Outcome<G> {
        match self {
            Outcome::Done => Outcome::Done,
            Outcome::Begun(begun) => Outcome::Begun(begun.of_game()),
            Outcome::Resumed(resumed) => Outcome::Resumed(resumed.of_game()),
            Outcome::Entered(entered) => Outcome::Entered(entered.of_game()),
            Outcome::Reached(reached) => Outcome::Reached(reached),
            Outcome::Died(death) => Outcome::Died(death.of_game()),
            Outcome::Respawned(place) => Outcome::Respawned(place.of_game()),
            Outcome::Finished(finished) => Outcome::Finished(finished.of_game()),
            Outcome::RunOver(over) => Outcome::RunOver(over.of_game()),
            Outcome::Fed(fed) => Outcome::Fed(fed.of_game()),
            Outcome::Changed(change) => Outcome::Changed(change),
            Outcome::Bought(bought) => Outcome::Bought(bought.of_game()),
            Outcome::Erased(erased) => Outcome::Erased(erased),
        }
    }
}

impl<G: Copy> Event<G> {
    /// Converts the names to any game, unchecked.
    pub(crate) fn of_any(&self) -> Event {
        match self {
            Event::Begin { difficulty, replacing } => {
                Event::Begin { difficulty: difficulty.map(Difficulty::of_any), replacing: *replacing }
            }
            Event::Resume => Event::Resume,
            Event::Enter(level) => Event::Enter(level.of_any()),
            Event::Retry => Event::Retry,
            Event::Reach(checkpoint) => Event::Reach(checkpoint.of_any()),
            Event::Die => Event::Die,
            Event::Respawn => Event::Respawn,
            Event::Finish(stars) => Event::Finish(*stars),
            Event::Leave => Event::Leave,
            Event::EndRun => Event::EndRun,
            Event::Tick(elapsed) => Event::Tick(*elapsed),
            Event::Pause(on) => Event::Pause(*on),
            Event::Feed(signal, on) => Event::Feed(signal.of_any(), *on),
            Event::Set(field, value) => Event::Set(field.of_any(), value.clone()),
            Event::Add(field, amount) => Event::Add(field.of_any(), amount.clone()),
            Event::Spend(field, amount) => Event::Spend(field.of_any(), amount.clone()),
            Event::Buy(unlock) => Event::Buy(unlock.of_any()),
            Event::Submit(field, value) => Event::Submit(field.of_any(), value.clone()),
            Event::Put(field, place, item) => Event::Put(field.of_any(), place.clone(), item.clone()),
            Event::Take(field, place) => Event::Take(field.of_any(), place.clone()),
            Event::Erase(what, yes) => Event::Erase(what.of_any(), *yes),
        }
    }
}

impl Engine {
    pub(crate) fn apply(&mut self, event: &Event) -> Result<Outcome, Refused> {
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
            Event::Set(field, value) => {
                let cell = self.checked(*field);
                Outcome::Changed(self.write(cell, value.clone(), &Cause::Set))
            }
            Event::Add(field, amount) => {
                let cell = self.checked(*field);
                Outcome::Changed(self.add_to(cell, amount.clone()))
            }
            Event::Spend(field, amount) => {
                let cell = self.checked(*field);
                Outcome::Changed(self.spend_from(cell, amount)?)
            }
            Event::Buy(unlock) => Outcome::Bought(self.buy(*unlock)?),
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
