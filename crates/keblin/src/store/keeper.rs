//! The keeper: progress that saves itself.

use std::fmt;
use std::sync::Arc;
use std::time::Duration;

use keblin_model::{AnyGame, OfGame};

use super::autosave::{AutoSave, Destination};
use super::open_result::{OpenError, Opened, Origin};
use super::save_result::{SaveError, Saved};
use super::slot::Slot;
use crate::progress::{Engine, Event, Holder, Outcome, Play, Refused, sealed};
use crate::snapshot::{Picture, Schema};
use crate::verify::SaveFinding;

/// A game's progress in a slot, which saves itself. Use a [`Progress`](crate::Progress) if you save in your own way.
/// A `Keeper` takes names that were looked up in its schema; `schema!` makes a `Keeper` for a game's own names.
///
/// It has the calls of a [`Progress`](crate::Progress). The events named in `autosave` mark it as due. At the end of
/// the frame, in [`Keeper::tick`], it passes a snapshot to a background thread, so the frame does not wait. A save
/// holds the values after the event, whatever the order of the calls, and several events cause one write. A failed
/// write is reported ([`Notice::NotWritten`](crate::Notice::NotWritten)) and tried again; play goes on.
///
/// ```
/// use keblin::{Field, Keeper, SaveDir, Schema};
/// # use std::{sync::Arc, time::Duration};
/// # let text = "game = 'otter'\nversion = 1\nautosave = ['change']\n[fields]\n\
/// #     shells = { type = 'int', scope = 'profile' }\n[[levels]]\nid = 'brook'\n";
/// # let schema = Arc::new(Schema::parse("progress.toml", text)?.schema);
/// # let folder = tempfile::tempdir()?;
/// let shells: Field<i64> = schema.field("shells")?;
/// let slot = SaveDir::at(folder.path()).slot("otter")?;
/// let mut game = Keeper::open(&slot, &schema)?;
/// game.add(shells, 3);
/// game.tick(Duration::from_millis(16)); // ends the frame; a thread saves the three shells
/// game.close()?; // waits until they are on the disk
/// assert_eq!(Keeper::open(&slot, &schema)?.get(shells), 3);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # When it writes
/// After events, in the background; at once, and waiting for the disk, in [`Keeper::save_now`], [`Keeper::suspend`]
/// and [`Keeper::close`]. Dropping it saves as closing does, but cannot report a failure. No file, folder or lock is
/// created on the disk before the first write.
pub type Keeper = KeeperOf<AnyGame>;

/// A game's progress in a slot, which saves itself, with the game's own names.
pub type KeeperOf<G> = Play<G, Saving>;

/// The holder of a keeper: the progress, and where it is saved.
pub struct Saving {
    pub(super) engine: Engine,
    pub(super) keeping: AutoSave,
}

impl Holder for Saving {}

impl sealed::HasEngine for Saving {
    #[inline]
    fn engine(&self) -> &Engine {
        &self.engine
    }

    #[inline]
    fn engine_mut(&mut self) -> &mut Engine {
        &mut self.engine
    }

    fn pins(&self) -> Vec<String> {
        // What cannot be listed cannot be named; erasing sets it aside all the same.
        let pins = self.keeping.slot().ok().and_then(|slot| slot.pins().ok()).unwrap_or_default();
        pins.into_iter().map(|pin| pin.name.to_string()).collect()
    }
}

impl fmt::Debug for Saving {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (phase, due) = (self.engine.phase(), &self.keeping.due);
        f.debug_struct("Keeper").field("phase", &phase).field("due", due).finish_non_exhaustive()
    }
}

impl Play<AnyGame, Saving> {
    /// Opens a slot to be played. The keeper owns the slot until it is closed or dropped: opening it again, also in
    /// this program, returns [`OpenError::InUse`]. To reload the slot in place of the current progress, use
    /// [`Keeper::switch_to`].
    ///
    /// # Errors
    /// As [`Slot::open`].
    pub fn open(slot: &Slot, schema: &Arc<Schema>) -> Result<Keeper, OpenError> {
        Keeper::open_as(slot, schema)
    }

    /// Opens a copy of a slot for viewing, even while another program plays it. It can be changed in memory, but is
    /// never saved.
    ///
    /// # Errors
    /// As [`Slot::view`].
    pub fn view(slot: &Slot, schema: &Arc<Schema>) -> Result<Keeper, OpenError> {
        Keeper::view_as(slot, schema)
    }

    /// Returns a keeper of what [`Ruin`](super::Ruin) has opened after the player agreed.
    ///
    /// # Errors
    /// [`OpenError::InUse`] if another keeper in this program has the slot.
    pub fn opened(slot: &Slot, opened: Opened) -> Result<Keeper, OpenError> {
        match slot.claim() {
            true => Ok(Keeper::saved_at(opened, Destination::Slot { slot: slot.clone(), writer: None })),
            false => Err(OpenError::InUse { lock: slot.lock_path() }),
        }
    }
}

impl<G> Play<G, Saving> {
    pub(super) fn saved_at(opened: Opened, place: Destination) -> KeeperOf<G> {
        let Opened { progress, origin, findings } = opened;
        let keeping = AutoSave::of(origin, findings, place);
        Play::of(Saving { engine: progress.into_engine(), keeping })
    }

    pub(crate) fn open_as(slot: &Slot, schema: &Arc<Schema>) -> Result<KeeperOf<G>, OpenError> {
        Ok(KeeperOf::saved_at(
            slot.open_to_keep(schema)?,
            Destination::Slot { slot: slot.clone(), writer: None },
        ))
    }

    pub(crate) fn view_as(slot: &Slot, schema: &Arc<Schema>) -> Result<KeeperOf<G>, OpenError> {
        Ok(KeeperOf::saved_at(slot.view(schema)?, Destination::View))
    }

    /// Converts to the names of another game with the same schema.
    pub(crate) fn named_by<H>(self) -> KeeperOf<H> {
        Play::of(self.holder)
    }

    /// Returns where its progress came from.
    #[must_use]
    pub fn origin(&self) -> &Origin {
        &self.holder.keeping.origin
    }

    /// Returns the findings about the save it came from.
    #[must_use]
    pub fn findings(&self) -> &[SaveFinding] {
        &self.holder.keeping.findings
    }

    /// Sets the picture of every save from now on, for lists of slots. Each save writes it again, so keep it small.
    pub fn set_picture(&mut self, picture: Option<Picture>) {
        self.holder.keeping.picture = picture.map(Arc::new);
    }

    /// Lets time pass, as [`Progress::tick`](crate::Progress::tick) does, and ends the frame: a due snapshot goes to
    /// the writer.
    pub fn tick(&mut self, elapsed: Duration) {
        self.engine_mut().tick(elapsed);
        self.holder.end_frame(elapsed);
    }

    /// As [`Keeper::tick`], in seconds.
    pub fn tick_secs(&mut self, elapsed: f64) {
        self.engine_mut().tick_secs(elapsed);
        let elapsed = Duration::try_from_secs_f64(elapsed).unwrap_or_default();
        self.holder.end_frame(elapsed);
    }

    /// Returns whether [`Keeper::tick`] with this time takes a snapshot to be saved. Then record the objects of the loaded
    /// areas first ([`record_area`](crate::Play::record_area)), so that they are in it as they are now.
    #[must_use]
    pub fn will_save(&self, elapsed: Duration) -> bool {
        self.holder.keeping.will_save(&self.holder.engine, elapsed)
    }

    /// Returns whether a save is due, being written, or waiting to be tried again.
    #[must_use]
    pub fn is_saving(&self) -> bool {
        self.holder.keeping.is_saving()
    }

    /// Saves and waits until it is on the disk.
    ///
    /// Returns `None` if the game stores the bytes itself: then a save is due in any case, and [`Keeper::take_due`]
    /// returns it.
    ///
    /// # Durability
    /// As [`Slot::append`].
    ///
    /// # Errors
    /// As [`Slot::append`], and [`SaveError::OnlyLooking`] for [`Keeper::view`]. The save stays due, and is tried
    /// again.
    pub fn save_now(&mut self) -> Result<Option<Saved>, SaveError> {
        self.save_for("save")
    }

    /// Saves and waits until it is on the disk, because the game goes to the background, where it may be ended at any
    /// time.
    ///
    /// # Errors
    /// As [`Keeper::save_now`].
    pub fn suspend(&mut self) -> Result<Option<Saved>, SaveError> {
        self.save_for("suspend")
    }

    /// Gives up the slot without saving: the last save stays the last. A save that is being written is finished.
    ///
    /// | to leave | what becomes of the progress since the last save |
    /// |---|---|
    /// | [`close`](Keeper::close) | it is saved, and you get the result |
    /// | drop | it is saved, and nobody sees an error |
    /// | `discard` | it is gone, as after a kill |
    ///
    /// What the player has erased does not come back: an erasure that is not on the disk yet is saved first, with
    /// everything else.
    ///
    /// ```
    /// # use std::sync::Arc;
    /// # use keblin::{Keeper, SaveDir, Schema};
    /// # let text = "game = 'otter'\nversion = 1\n[fields]\nshells = { type = 'int', scope = 'profile' }\n";
    /// # let schema = Arc::new(Schema::parse("progress.toml", text)?.schema);
    /// # let folder = tempfile::tempdir()?;
    /// # let slot = SaveDir::at(folder.path()).slot("otter")?;
    /// let shells = schema.field::<i64>("shells")?;
    /// let mut game = Keeper::open(&slot, &schema)?;
    /// game.set(shells, 3);
    /// game.save_now()?;
    /// game.set(shells, 99); // a practice round
    /// game.discard()?;
    /// assert_eq!(Keeper::open(&slot, &schema)?.get(shells), 3);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// As [`Keeper::save_now`], for an erasure.
    pub fn discard(mut self) -> Result<(), SaveError> {
        let Saving { engine, keeping } = &mut self.holder;
        let saved = if keeping.owes_erasure(engine) { self.save_for("erase").map(drop) } else { Ok(()) };
        self.holder.keeping.let_go();
        saved
    }

    /// Saves the progress, waits until it is on the disk, and gives up the slot.
    ///
    /// # Errors
    /// As [`Keeper::save_now`]; nothing tries again then, so ask the player before you leave without saving
    /// ([`Keeper::discard`]).
    pub fn close(mut self) -> Result<Option<Saved>, SaveError> {
        let saved = self.save_for("quit");
        // The result is returned, so dropping it must not try again.
        self.holder.keeping.let_go();
        saved
    }

    pub(crate) fn save_for(&mut self, cause: &str) -> Result<Option<Saved>, SaveError> {
        self.holder.save_for(cause)
    }

    /// Ends a frame in which time has passed already, and waits until what is due is on the disk.
    #[cfg(feature = "testing")]
    pub(crate) fn end_frame_on_disk(&mut self, elapsed: Duration) {
        self.holder.end_frame(elapsed);
        self.holder.keeping.settle(&mut self.holder.engine);
    }

    /// Gives up the slot without saving.
    #[cfg(feature = "testing")]
    pub(crate) fn abandon(mut self) {
        self.holder.keeping.let_go();
    }
}

impl<G: Copy> Play<G, Saving> {
    /// Applies an event, as [`Progress::apply`](crate::Progress::apply); [`Event::Tick`] ends the frame.
    ///
    /// # Errors
    /// As [`Progress::apply`](crate::Progress::apply).
    pub fn apply(&mut self, event: &Event<G>) -> Result<Outcome<G>, Refused> {
        if let Event::Tick(elapsed) = event {
            self.tick(*elapsed);
            return Ok(Outcome::Done);
        }
        self.engine_mut().apply(&event.of_any()).map(OfGame::of_game)
    }
}

impl Saving {
    fn end_frame(&mut self, elapsed: Duration) {
        self.keeping.end_frame(&mut self.engine, elapsed);
    }

    fn save_for(&mut self, cause: &str) -> Result<Option<Saved>, SaveError> {
        self.keeping.save_for(&mut self.engine, cause)
    }

    pub(super) fn finish_writing(&mut self) {
        self.keeping.finish_writing(&mut self.engine);
    }
}

impl Drop for Saving {
    fn drop(&mut self) {
        if self.keeping.has_slot() {
            // Nobody would see an error here; `close` returns it.
            let _ = self.save_for("quit");
            self.keeping.let_go();
        }
    }
}
