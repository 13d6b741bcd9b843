//! [`Play`]: the values and events of a game, with its own names if it has them. A [`Progress`] keeps them in memory,
//! a [`Keeper`](crate::Keeper) also saves them; each ends its frames in its own way.

use std::fmt;
use std::marker::PhantomData;
use std::sync::Arc;
use std::time::Duration;

use keblin_model::model::SaveAt;
use keblin_model::{AnyGame, OfGame};

use super::Engine;
use super::event::{Event, Outcome};
use super::refusal::Refused;
use crate::snapshot::{Schema, Snapshot};

/// A game's progress: every value, fact and event. You use it as a [`Progress`] or a [`Keeper`](crate::Keeper); write
/// `Play` itself only in the parameter of a helper that works with both.
///
/// `G` is the game whose names it takes: names of another game do not fit one that `schema!` made, and [`AnyGame`] takes
/// names that were looked up at run time. `P` is its holder: [`Alone`] for a `Progress`, or the keeper's. A
/// `Progress` and a `Keeper` end a frame differently, so neither can be passed as the other. A helper for both is
/// generic over `P`, and cannot end a frame:
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

/// What holds the progress: a [`Progress`] or a [`Keeper`](crate::Keeper).
pub trait Holder: sealed::HasEngine {}

/// The holder of a [`Progress`]: nothing saves it.
#[derive(Clone)]
pub struct Alone(Engine);

impl fmt::Debug for Alone {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// The holder of a change that is not complete; see [`Play::all_or_nothing`].
#[derive(Clone, Debug)]
pub struct Lent(pub(super) Engine);

pub(crate) mod sealed {
    use super::Engine;

    /// Gives access to the engine.
    #[doc(hidden)]
    pub trait HasEngine {
        fn engine(&self) -> &Engine;
        fn engine_mut(&mut self) -> &mut Engine;
        /// Returns the names of the pins that are kept with it.
        fn pins(&self) -> Vec<String> {
            Vec::new()
        }
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

/// A game's progress with its own names, kept in memory.
pub type ProgressOf<G> = Play<G, Alone>;

/// A game's progress, kept in memory: for tests, tools, and games that save in their own way. Use a
/// [`Keeper`](crate::Keeper) to save automatically. It takes names that were looked up in its schema; `schema!` makes
/// a `Progress` for a game's own names.
///
/// A clone is independent and has the same values; its journal starts empty.
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
    /// Returns new progress: every value is the default. Delivers [`Notice::FirstRun`](crate::Notice::FirstRun).
    #[must_use]
    pub fn new(schema: impl Into<Arc<Schema>>) -> Progress {
        Play::of_engine(Engine::new(schema.into()))
    }

    /// Returns progress from a snapshot, at the title. Delivers [`Notice::Restored`](crate::Notice::Restored).
    ///
    /// A run in progress waits to be resumed, and its values are those that resuming will give: as saved, or with
    /// `resume = "checkpoint"` as after a death, without the death. Values outside bounds that changed since are
    /// clamped.
    #[must_use]
    pub fn restored(snapshot: Snapshot) -> Progress {
        Play::of_engine(Engine::restored(snapshot))
    }

    /// Returns progress whose data is still loading. Events are accepted at once. The notices for first run, new
    /// record, opened, and moments that are reported once wait until [`Play::arrive`] is called. Save nothing before
    /// [`Play::is_ready`].
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

    /// Lets real elapsed time pass, and ends the frame. Clocks and the time in play run while a level is being played
    /// and the game is not paused.
    pub fn tick(&mut self, elapsed: Duration) {
        self.engine_mut().tick(elapsed);
    }

    /// As [`Progress::tick`], with the elapsed time in seconds, as engines give it. Parts of a nanosecond go into the
    /// next tick, so that sixty frames of a sixtieth of a second are one second. Negative or non-finite values count
    /// as zero.
    pub fn tick_secs(&mut self, elapsed: f64) {
        self.engine_mut().tick_secs(elapsed);
    }

    /// Takes the mark that a save is due: returns the first event named in `autosave` since the last call, if any.
    /// Call it at the end of a frame and save then; a [`Keeper`](crate::Keeper) does so itself.
    pub fn take_due(&mut self) -> Option<SaveAt> {
        self.engine_mut().take_due()
    }

    /// Notes that a snapshot was saved, so that [`Play::overlay`] can mark unsaved values.
    pub fn note_written(&mut self, snapshot: Snapshot) {
        self.engine_mut().note_written(snapshot);
    }
}

impl<G: Copy> Play<G, Alone> {
    /// Applies an event: calls the method of the same name.
    ///
    /// # Errors
    /// As the event's method. A refused value call returns a [`Change`](super::Change) that says so, not an error.
    ///
    /// # Panics
    /// If a handle in it was looked up in another schema.
    pub fn apply(&mut self, event: &Event<G>) -> Result<Outcome<G>, Refused> {
        self.engine_mut().apply(&event.of_any()).map(OfGame::of_game)
    }
}
