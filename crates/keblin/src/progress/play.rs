//! What is played. [`Play`] has the values and events of a game, in its own names where it has them. [`Progress`] is that
//! alone, and a [`Keeper`](crate::Keeper) is that with a place where it is saved: each ends its frames in its own way.

use std::fmt;
use std::marker::PhantomData;
use std::sync::Arc;
use std::time::Duration;

use keblin_schema::model::SaveAt;
use keblin_schema::{AnyGame, OfGame};

use super::Engine;
use super::event::{Event, Outcome};
use super::refusal::Refused;
use crate::snapshot::{Schema, Snapshot};

/// What is being played: every value, fact and event of a game.
///
/// `G` is the game whose names it takes: of those that `schema!` made, no other game's fit. [`AnyGame`] takes names that were
/// looked up in the schema while the program runs. `P` is what has it: a [`Progress`] is played [`Alone`], a
/// [`Keeper`](crate::Keeper) saves what is played on it. Neither can be taken for the other, because they end a frame
/// differently; a helper that serves both is generic over `P`, and can end none:
///
/// ```
/// # keblin::schema!(fen_post, "../../demo/progress.toml");
/// use fen_post::{Play, fields};
/// use keblin::progress::Holder;
///
/// fn light(game: &mut Play<impl Holder>) {
///     game.add(fields::OIL, -1);
/// }
///
/// let mut game = fen_post::Progress::new();
/// light(&mut game);
/// ```
pub struct Play<G, P> {
    pub(crate) holder: P,
    of: PhantomData<G>,
}

/// What has what is played.
pub trait Holder: sealed::HasEngine {}

/// Nothing else: what is played is not saved by itself.
#[derive(Clone, Debug)]
pub struct Alone(Engine);

/// A change that is not done yet; see [`Play::all_or_nothing`].
#[derive(Clone, Debug)]
pub struct Lent(pub(super) Engine);

pub(crate) mod sealed {
    use super::Engine;

    /// What has the engine.
    #[doc(hidden)]
    pub trait HasEngine {
        fn engine(&self) -> &Engine;
        fn engine_mut(&mut self) -> &mut Engine;
    }
}

macro_rules! holder {
    ($of:ident) => {
        impl Holder for $of {}
        impl sealed::HasEngine for $of {
            #[inline]
            fn engine(&self) -> &Engine {
                &self.0
            }
            #[inline]
            fn engine_mut(&mut self) -> &mut Engine {
                &mut self.0
            }
        }
    };
}

holder!(Alone);
holder!(Lent);

/// A game's progress in its own names, without a place where it is saved.
pub type ProgressOf<G> = Play<G, Alone>;

/// A game's progress, without a place where it is saved: for tests, tools, and games that save by themselves. It takes names
/// that were looked up in its schema; `schema!` makes a `Progress` for a game's own names.
///
/// Cloning gives an independent progress with the same values; its journal starts empty.
pub type Progress = ProgressOf<AnyGame>;

impl<G, P> Play<G, P> {
    pub(crate) fn of(holder: P) -> Play<G, P> {
        Play { holder, of: PhantomData }
    }
}

impl<G, P: Holder> Play<G, P> {
    #[inline]
    pub(crate) fn engine(&self) -> &Engine {
        self.holder.engine()
    }

    #[inline]
    pub(crate) fn engine_mut(&mut self) -> &mut Engine {
        self.holder.engine_mut()
    }
}

impl<G, P: Clone> Clone for Play<G, P> {
    fn clone(&self) -> Self {
        Play::of(self.holder.clone())
    }
}

impl<G, P: fmt::Debug> fmt::Debug for Play<G, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.holder.fmt(f)
    }
}

impl Play<AnyGame, Alone> {
    /// Progress without a save: every value as declared. Tells [`Notice::FirstRun`](crate::Notice::FirstRun).
    #[must_use]
    pub fn new(schema: impl Into<Arc<Schema>>) -> Progress {
        Play::of_engine(Engine::new(schema.into()))
    }

    /// Progress as it was saved, at the title. Tells [`Notice::Restored`](crate::Notice::Restored).
    ///
    /// A run that was under way waits to be resumed, and its values read as resuming will give them: as saved, or,
    /// where the schema says `resume = "checkpoint"`, as a death would put them back, without the death. Values
    /// outside bounds that have changed since are clamped.
    #[must_use]
    pub fn restored(snapshot: Snapshot) -> Progress {
        Play::of_engine(Engine::restored(snapshot))
    }

    /// Progress whose data is on its way. Events are accepted at once; first run, new record, opened and the moments that
    /// are told once wait until [`Play::arrive`] is called. Nothing should be saved before [`Play::is_ready`].
    #[must_use]
    pub fn awaiting(schema: impl Into<Arc<Schema>>) -> Progress {
        Play::of_engine(Engine::awaiting(schema.into()))
    }
}

impl<G> Play<G, Alone> {
    pub(crate) fn of_engine(engine: Engine) -> Play<G, Alone> {
        Play::of(Alone(engine))
    }

    pub(crate) fn into_engine(self) -> Engine {
        self.holder.0
    }

    /// Lets time pass, in real elapsed time, and ends the frame. While a level is being played and the game is not
    /// paused, clocks and the time in play grow.
    pub fn tick(&mut self, elapsed: Duration) {
        self.engine_mut().tick(elapsed);
    }

    /// As [`Progress::tick`], with the elapsed time in seconds, as engines give it. Parts of a nanosecond are not lost but
    /// go into the next tick, so that sixty frames of a sixtieth of a second are one second. What is not a time, negative
    /// or not finite, is none.
    pub fn tick_secs(&mut self, elapsed: f64) {
        self.engine_mut().tick_secs(elapsed);
    }

    /// Whether an event that `autosave` names has happened since this was last taken, and which was the first of them.
    /// Take it at the end of a frame and save then; a [`Keeper`](crate::Keeper) does.
    pub fn take_due(&mut self) -> Option<SaveAt> {
        self.engine_mut().take_due()
    }

    /// Notes that a snapshot was written to a file, so that [`Play::overlay`] can tell what is not.
    pub fn note_written(&mut self, snapshot: Snapshot) {
        self.engine_mut().note_written(snapshot);
    }
}

impl<G: Copy> Play<G, Alone> {
    /// Applies an event.
    ///
    /// # Errors
    /// As the event's method. A value call that is refused returns a [`Change`](super::Change) that says so, not an error.
    ///
    /// # Panics
    /// If a handle in it was looked up in another schema.
    pub fn apply(&mut self, event: &Event<G>) -> Result<Outcome<G>, Refused> {
        self.engine_mut().apply(&event.of_any()).map(OfGame::of_game)
    }
}
