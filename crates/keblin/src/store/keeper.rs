//! The keeper: progress that saves itself.

use std::fmt;
use std::ops::{Deref, DerefMut};
use std::sync::Arc;
use std::time::Duration;

use keblin_schema::{Name, Schema};

use super::opening::{OpenError, Opened, Origin};
use super::saved::{SaveError, Saved};
use super::slot::Slot;
use super::writer::{Done, Job, Writer};
use crate::progress::erase::Erase;
use crate::progress::{Notice, Progress};
use crate::save::{Lineage, SealKey};
use crate::snapshot::{Picture, Snapshot};
use crate::verify::SaveFinding;

/// How soon a save that failed is tried again, and the longest that it ever takes: the time doubles in between.
const RETRY_FIRST: Duration = Duration::from_secs(1);
const RETRY_LAST: Duration = Duration::from_secs(60);

/// A game's progress that saves itself.
///
/// It is a [`Progress`] in everything. What the declaration names in `autosave` makes it due, and at the end of that frame,
/// in [`Keeper::tick`], it hands a snapshot to a thread that writes it: the frame waits for nothing, a save holds the
/// values after the event whatever the order of the lines, and several events cause one write. A write that fails is
/// told ([`Notice::NotWritten`]) and tried again; play goes on.
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
/// game.tick(Duration::from_millis(16)); // the end of a frame; three shells are on their way to the disk
/// game.close()?; // and on it
/// assert_eq!(Keeper::open(&slot, &schema)?.get(shells), 3);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # When it writes
/// After events by itself; at once and waiting for it in [`Keeper::save_now`], [`Keeper::suspend`] and [`Keeper::close`].
/// Dropping it writes as closing does, and has nobody to tell of a failure. Nothing is made on the disk, no folder and no
/// lock, before the first write.
pub struct Keeper {
    pub(super) progress: Progress,
    origin: Origin,
    findings: Vec<SaveFinding>,
    pub(super) place: Place,
    /// What is due, in a word, and not handed over yet.
    pub(super) due: Option<String>,
    /// What was erased and may still be in a file.
    pub(super) erased: Vec<Erase>,
    picture: Option<Arc<Picture>>,
    retry: Option<Retry>,
    /// The game that it was opened for.
    game: Name,
    /// Whether it was told that the save is nearly full.
    is_nearly_full: bool,
}

/// Where saves go.
pub(super) enum Place {
    /// To the disk, by a thread that is started for the first of them.
    Slot { slot: Slot, writer: Option<Writer> },
    /// To the game, which keeps the bytes itself.
    Bytes { known: Option<Lineage>, key: Option<SealKey> },
    /// Nowhere.
    View,
}

/// A write that failed is tried again.
#[derive(Clone, Copy)]
struct Retry {
    /// How long until then.
    left: Duration,
    /// How long it was from the last time to this one.
    pause: Duration,
}

impl fmt::Debug for Keeper {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Keeper").field("phase", &self.phase()).field("due", &self.due).finish_non_exhaustive()
    }
}

impl Deref for Keeper {
    type Target = Progress;

    fn deref(&self) -> &Progress {
        &self.progress
    }
}

impl DerefMut for Keeper {
    fn deref_mut(&mut self) -> &mut Progress {
        &mut self.progress
    }
}

impl Keeper {
    /// Opens a slot to be played. The keeper has the slot until it is closed or dropped: whoever opens it meanwhile, also
    /// in this program, gets [`OpenError::InUse`]. To go on from the title with what is saved, in place of what is
    /// played, use [`Keeper::switch_to`].
    ///
    /// # Errors
    /// As [`Slot::open`].
    pub fn open(slot: &Slot, schema: &Arc<Schema>) -> Result<Keeper, OpenError> {
        Ok(Keeper::of(slot.open_to_keep(schema)?, Place::Slot { slot: slot.clone(), writer: None }))
    }

    /// Looks at a slot, whoever else plays it. Everything can be done with it, and nothing is ever written.
    ///
    /// # Errors
    /// As [`Slot::view`].
    pub fn view(slot: &Slot, schema: &Arc<Schema>) -> Result<Keeper, OpenError> {
        Ok(Keeper::of(slot.view(schema)?, Place::View))
    }

    /// What [`Ruin`](super::Ruin) has opened after the player agreed, to be played.
    ///
    /// # Errors
    /// [`OpenError::InUse`] if another keeper in this program has the slot.
    pub fn opened(slot: &Slot, opened: Opened) -> Result<Keeper, OpenError> {
        match slot.claim() {
            true => Ok(Keeper::of(opened, Place::Slot { slot: slot.clone(), writer: None })),
            false => Err(OpenError::InUse { lock: slot.lock_path() }),
        }
    }

    pub(super) fn of(opened: Opened, place: Place) -> Keeper {
        let Opened { progress, origin, findings } = opened;
        let (due, erased, picture, retry) = (None, Vec::new(), None, None);
        let (game, is_nearly_full) = (progress.schema().game.clone(), false);
        Keeper { progress, origin, findings, place, due, erased, picture, retry, game, is_nearly_full }
    }

    /// Where its progress came from.
    #[must_use]
    pub fn origin(&self) -> &Origin {
        &self.origin
    }

    /// What was told of the save it came from.
    #[must_use]
    pub fn findings(&self) -> &[SaveFinding] {
        &self.findings
    }

    /// The picture that every save has from now on, for lists of slots. Each save writes it again: keep it small.
    pub fn set_picture(&mut self, picture: Option<Picture>) {
        self.picture = picture.map(Arc::new);
    }

    /// Lets time pass, as [`Progress::tick`] does, and ends the frame: what is due is handed to the writer.
    pub fn tick(&mut self, elapsed: Duration) {
        self.progress.tick(elapsed);
        self.end_frame(elapsed);
    }

    /// As [`Keeper::tick`], in seconds.
    pub fn tick_secs(&mut self, elapsed: f64) {
        self.progress.tick_secs(elapsed);
        self.end_frame(Duration::try_from_secs_f64(elapsed).unwrap_or_default());
    }

    /// Whether something is due, on its way, or waits to be tried again.
    #[must_use]
    pub fn is_saving(&self) -> bool {
        let is_busy = match &self.place {
            Place::Slot { writer: Some(writer), .. } => !writer.is_idle(),
            _ => false,
        };
        is_busy || self.due.is_some() || self.retry.is_some()
    }

    /// Saves and waits until it is on the disk.
    ///
    /// `None` where the game keeps the bytes itself: then they are due, whatever has happened, and [`Keeper::take_due`]
    /// gives them.
    ///
    /// # Durability
    /// As [`Slot::append`].
    ///
    /// # Errors
    /// As [`Slot::append`], and [`SaveError::OnlyLooking`] for [`Keeper::view`]. It stays due, and is tried again.
    pub fn save_now(&mut self) -> Result<Option<Saved>, SaveError> {
        self.save_for("save")
    }

    /// The game goes to the background, where it may be ended without being asked: saves and waits until it is on the
    /// disk.
    ///
    /// # Errors
    /// As [`Keeper::save_now`].
    pub fn suspend(&mut self) -> Result<Option<Saved>, SaveError> {
        self.save_for("suspend")
    }

    /// Saves, waits until it is on the disk, and gives up the slot.
    ///
    /// # Errors
    /// As [`Keeper::save_now`]; then nothing tries again, so ask the player before you close without saving.
    pub fn close(mut self) -> Result<Option<Saved>, SaveError> {
        let saved = self.save_for("quit");
        // Said already: dropping it must not try once more.
        self.let_go();
        saved
    }

    pub(super) fn snapshot_with_picture(&self) -> Snapshot {
        let mut snapshot = self.progress.snapshot();
        snapshot.picture.clone_from(&self.picture);
        snapshot
    }

    /// Takes what the progress says is due.
    pub(super) fn note_due(&mut self) {
        let erased = self.progress.take_erased();
        if !erased.is_empty() {
            self.due = Some("erase".to_string());
            self.erased.extend(erased);
        }
        if let Some(at) = self.progress.take_due() {
            self.due.get_or_insert_with(|| at.as_str().to_string());
        }
    }

    fn end_frame(&mut self, elapsed: Duration) {
        if let Place::Slot { writer: Some(writer), .. } = &self.place {
            let done = writer.done();
            drop(self.note_done(done));
        }
        self.note_due();
        if let Some(retry) = &mut self.retry {
            retry.left = retry.left.saturating_sub(elapsed);
            // What becomes due meanwhile waits with it: a disk that is full is not asked at every checkpoint.
            if !retry.left.is_zero() {
                return;
            }
        }
        if let Some(cause) = self.due.take() {
            match &self.place {
                Place::Slot { .. } => self.hand_over(cause),
                Place::Bytes { .. } => self.due = Some(cause),
                Place::View => {}
            }
        }
    }

    /// This instant, to be written.
    fn job(&mut self, cause: String) -> Job {
        let (snapshot, erased) = (self.snapshot_with_picture(), std::mem::take(&mut self.erased));
        Job { snapshot, cause, erased }
    }

    /// Hands this instant to the writer, which is started for the first of them.
    fn hand_over(&mut self, cause: String) {
        let job = self.job(cause);
        if let Err(error) = self.is_of_its_game() {
            return self.failed(job.cause, job.erased, &error.to_string());
        }
        let Place::Slot { slot, writer } = &mut self.place else { return };
        let started = match writer.take() {
            Some(started) => Ok(started),
            None => Writer::of(slot),
        };
        match started {
            Ok(started) => writer.insert(started).hand_over(job),
            // Tried again like a write that fails.
            Err(error) => self.failed(job.cause, job.erased, &error.to_string()),
        }
    }

    pub(super) fn save_for(&mut self, cause: &str) -> Result<Option<Saved>, SaveError> {
        self.note_due();
        self.due = None;
        let mut job = match &self.place {
            Place::View => return Err(SaveError::OnlyLooking),
            Place::Bytes { .. } => {
                self.due = Some(cause.to_string());
                return Ok(None);
            }
            Place::Slot { .. } => self.job(cause.to_string()),
        };
        self.is_of_its_game()?;
        let Place::Slot { slot, writer } = &self.place else { return Ok(None) };
        // What is on its way comes first. Then there is nothing to be gained by another thread.
        let mut done = writer.as_ref().map(|writer| writer.finish(&mut job)).unwrap_or_default();
        done.push(slot.keep(job));
        self.note_done(done).transpose()
    }

    /// A progress of another game may have been put in place of its own: that is never written over this game's save.
    fn is_of_its_game(&self) -> Result<(), SaveError> {
        let found = &self.progress.schema().game;
        match *found == self.game {
            true => Ok(()),
            false => Err(SaveError::OtherGame { expected: self.game.to_string(), found: found.to_string() }),
        }
    }

    /// Waits for what is on its way or due, well or not.
    pub(super) fn finish_writing(&mut self) {
        self.note_due();
        if let Place::Slot { .. } = self.place
            && (self.is_saving() || !self.erased.is_empty())
        {
            // Whether it went well is told by a notice.
            let _ = self.save_for("save");
        }
    }

    /// Takes in what the writer has done; the result of the last of it.
    fn note_done(&mut self, done: Vec<Done>) -> Option<Result<Saved, SaveError>> {
        let mut last = None;
        for Done { cause, erased, cells, result } in done {
            match &result {
                Ok(saved) => {
                    self.retry = None;
                    self.progress.have_written(cells);
                    self.note_what_was_found(saved);
                    if let Some(replaced) = saved.replaced.as_ref().filter(|replaced| replaced.has_met) {
                        self.progress.reconcile(&replaced.snapshot);
                    }
                }
                Err(error) => self.failed(cause, erased, &error.to_string()),
            }
            last = Some(result);
        }
        last
    }

    /// Tells what a save has found on its way, and how full it is.
    fn note_what_was_found(&mut self, saved: &Saved) {
        for (path, why) in &saved.set_aside {
            self.progress.tell(Notice::SetAside { path: path.clone(), why: *why });
        }
        let is_nearly_full = saved.fullness.is_nearly_full();
        if is_nearly_full && !self.is_nearly_full {
            self.progress.tell(Notice::NearlyFull(saved.fullness));
        }
        self.is_nearly_full = is_nearly_full;
    }

    /// A write has failed: told once, and due again after a while.
    fn failed(&mut self, cause: String, erased: Vec<Erase>, message: &str) {
        self.erased.splice(0..0, erased);
        let pause = self.retry.map_or(RETRY_FIRST, |retry| (retry.pause * 2).min(RETRY_LAST));
        if self.retry.is_none() {
            self.progress.tell(Notice::NotWritten { message: message.to_string() });
        }
        self.retry = Some(Retry { left: pause, pause });
        self.due.get_or_insert(cause);
    }
}

impl Drop for Keeper {
    fn drop(&mut self) {
        if matches!(self.place, Place::Slot { .. }) {
            // Nobody is left to be told; `close` tells.
            let _ = self.save_for("quit");
            self.let_go();
        }
    }
}
