//! Signals: conditions that a game evaluates every frame, such as "has fallen" or "touches the mooring". A signal
//! fires once when it becomes true and is re-armed by the first frame of play in which it was not true. The armed
//! state is not saved.

use keblin_model::{AnyGame, Checkpoint, OfGame};

use super::death::{Death, Reached};
use super::refusal::Refused;
use super::visit::Finished;
use super::{Engine, Holder, Phase, Play};

/// A condition that a game feeds every frame.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Signal<G = AnyGame> {
    /// The player has died.
    Death,
    /// The player touches a checkpoint.
    Reach(Checkpoint<G>),
    /// The player has reached the end of the level.
    Finish,
    /// A signal of the game's own, by name.
    Own(&'static str),
}

/// The result of feeding a signal.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Fed<G = AnyGame> {
    /// Nothing: it was not true, or is still true.
    Nothing,
    /// As [`Play::die`]; `None` if it had no effect.
    Died(Option<Death<G>>),
    /// As [`Play::reach`].
    Reached(Reached),
    /// As [`Play::finish`].
    Finished(Option<Box<Finished<G>>>),
    /// A signal of the game's own became true.
    Happened,
}

/// Which signals were fed, and which are armed.
#[derive(Clone, Debug, Default)]
pub(super) struct Signals {
    known: Vec<Known>,
}

#[derive(Clone, Debug)]
struct Known {
    signal: Signal,
    armed: bool,
    /// Whether it was fed true since the last tick.
    is_true: bool,
}

impl Signals {
    /// Feeds a signal; returns whether it fires.
    fn feed(&mut self, signal: Signal, on: bool) -> bool {
        let known = match self.known.iter_mut().position(|known| known.signal == signal) {
            Some(index) => self.known.get_mut(index),
            None => {
                self.known.push(Known { signal, armed: true, is_true: false });
                self.known.last_mut()
            }
        };
        let Some(known) = known else { return false };
        known.is_true |= on;
        let acts = on && known.armed;
        known.armed &= !acts;
        acts
    }

    /// Ends a frame. Only a frame of play re-arms the signals that were not true in it.
    pub(super) fn frame_ends(&mut self, in_play: bool) {
        for known in &mut self.known {
            known.armed |= in_play && !known.is_true;
            known.is_true = false;
        }
    }

    /// Arms every signal.
    pub(super) fn arm_all(&mut self) {
        self.known.clear();
    }
}

impl<G: Copy> Signal<G> {
    /// Converts the names to any game, unchecked.
    pub(crate) fn of_any(self) -> Signal {
        match self {
            Signal::Death => Signal::Death,
            Signal::Reach(checkpoint) => Signal::Reach(checkpoint.of_any()),
            Signal::Finish => Signal::Finish,
            Signal::Own(name) => Signal::Own(name),
        }
    }
}

impl<G, P: Holder> Play<G, P> {
    /// Feeds a signal; call it every frame, as often as you like. Feeds between two ticks are combined: it is true if
    /// any of them is.
    ///
    /// # Errors
    /// As the signal's event; a refused one is not tried again until the signal is re-armed.
    ///
    /// # Panics
    /// If a checkpoint was looked up in a schema with more levels.
    pub fn feed(&mut self, signal: Signal<G>, on: bool) -> Result<Fed<G>, Refused>
    where
        G: Copy,
    {
        self.engine_mut().feed(signal.of_any(), on).map(OfGame::of_game)
    }
}

impl Engine {
    pub(crate) fn feed(&mut self, signal: Signal, on: bool) -> Result<Fed, Refused> {
        if !self.signals.feed(signal, on) {
            return Ok(Fed::Nothing);
        }
        Ok(match signal {
            Signal::Death => Fed::Died(self.die()),
            Signal::Reach(checkpoint) => Fed::Reached(self.reach(checkpoint)?),
            Signal::Finish => match self.phase() {
                // A signal that is fed every frame may still be true when the level is over.
                Phase::Playing => Fed::Finished(self.finish()?.map(Box::new)),
                _ => Fed::Finished(None),
            },
            Signal::Own(_) => Fed::Happened,
        })
    }
}
