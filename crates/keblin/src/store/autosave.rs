//! What a keeper does for its progress: notes when a save is due, passes it to the writer at the end of a frame, and
//! tries again after a failure.

use std::sync::Arc;
use std::time::Duration;

use super::lazy_areas::LostArea;
use super::open_result::Origin;
use super::save_result::{SaveError, Saved};
use super::slot::Slot;
use super::writer::{Done, Job, Writer};
use crate::progress::erase::Erase;
use crate::progress::{Engine, Notice};
use crate::save::{Lineage, SealKey};
use crate::snapshot::{Picture, Snapshot};
use crate::verify::SaveFinding;

/// How soon a failed save is tried again, and the longest wait: the time doubles in between.
const RETRY_FIRST: Duration = Duration::from_secs(1);
const RETRY_LAST: Duration = Duration::from_secs(60);

/// Keeps a progress saved. The progress is passed in where it is needed.
pub(super) struct AutoSave {
    pub(super) origin: Origin,
    pub(super) findings: Vec<SaveFinding>,
    pub(super) place: Destination,
    /// Why a save is due, in one word, if it has not been passed on.
    pub(super) due: Option<String>,
    /// Erased data that may still be in a file.
    pub(super) erased: Vec<Erase>,
    pub(super) picture: Option<Arc<Picture>>,
    retry: Option<Retry>,
    /// Whether "nearly full" was reported.
    is_nearly_full: bool,
}

/// Where saves go.
pub(super) enum Destination {
    /// To the disk, through a thread that starts with the first save.
    Slot { slot: Slot, writer: Option<Writer> },
    /// To the game, which stores the bytes itself.
    Bytes {
        known: Option<Lineage>,
        /// The last save, with who wrote what.
        last: Option<Box<Snapshot>>,
        /// The machine, if it is known.
        writer: Option<u64>,
        key: Option<SealKey>,
    },
    /// Nowhere.
    View,
}

/// A failed write, which is tried again.
#[derive(Clone, Copy)]
struct Retry {
    /// The time until then.
    left: Duration,
    /// The wait from the last time to this one.
    pause: Duration,
}

impl AutoSave {
    pub(super) fn of(origin: Origin, findings: Vec<SaveFinding>, place: Destination) -> AutoSave {
        let (due, erased, picture, retry) = (None, Vec::new(), None, None);
        AutoSave { origin, findings, place, due, erased, picture, retry, is_nearly_full: false }
    }

    /// Returns whether it ever saves anything.
    pub(super) fn has_slot(&self) -> bool {
        matches!(self.place, Destination::Slot { .. })
    }

    pub(super) fn slot(&self) -> Result<&Slot, SaveError> {
        match &self.place {
            Destination::Slot { slot, .. } => Ok(slot),
            _ => Err(SaveError::OnlyLooking),
        }
    }

    pub(super) fn snapshot_with_picture(&self, engine: &Engine) -> Snapshot {
        let mut snapshot = engine.snapshot();
        snapshot.picture.clone_from(&self.picture);
        snapshot
    }

    /// Takes the due mark of the progress.
    pub(super) fn note_due(&mut self, engine: &mut Engine) {
        let erased = engine.take_erased();
        if !erased.is_empty() {
            self.due = Some("erase".to_string());
            self.erased.extend(erased);
        }
        if let Some(at) = engine.take_due() {
            self.due.get_or_insert_with(|| at.as_str().to_string());
        }
    }

    pub(super) fn end_frame(&mut self, engine: &mut Engine, elapsed: Duration) {
        if let Destination::Slot { writer: Some(writer), .. } = &self.place {
            let done = writer.done();
            drop(self.note_done(engine, done));
        }
        self.note_due(engine);
        if let Some(retry) = &mut self.retry {
            retry.left = retry.left.saturating_sub(elapsed);
            // Whatever becomes due meanwhile waits with it: a full disk is not tried at every checkpoint.
            if !retry.left.is_zero() {
                return;
            }
        }
        if let Some(cause) = self.due.take() {
            match &self.place {
                Destination::Slot { .. } => self.hand_over(engine, cause),
                Destination::Bytes { .. } => self.due = Some(cause),
                Destination::View => {}
            }
        }
    }

    /// Waits until what was passed on is written, and takes the results.
    pub(super) fn settle(&mut self, engine: &mut Engine) {
        if let Destination::Slot { writer: Some(writer), .. } = &self.place {
            let done = writer.settle();
            drop(self.note_done(engine, done));
        }
    }

    /// Makes the job of writing the current state.
    fn job(&mut self, engine: &Engine, cause: String) -> Job {
        let (snapshot, erased) = (self.snapshot_with_picture(engine), std::mem::take(&mut self.erased));
        Job { snapshot, cause, erased }
    }

    /// Passes the current state to the writer, which starts with the first one.
    fn hand_over(&mut self, engine: &mut Engine, cause: String) {
        let job = self.job(engine, cause);
        let Destination::Slot { slot, writer } = &mut self.place else { return };
        let started = match writer.take() {
            Some(started) => Ok(started),
            None => Writer::of(slot),
        };
        match started {
            Ok(started) => writer.insert(started).hand_over(job),
            // Tried again like a failed write.
            Err(error) => self.failed(engine, job.cause, job.erased, &error.to_string()),
        }
    }

    pub(super) fn save_for(&mut self, engine: &mut Engine, cause: &str) -> Result<Option<Saved>, SaveError> {
        self.note_due(engine);
        self.due = None;
        let mut job = match &self.place {
            Destination::View => return Err(SaveError::OnlyLooking),
            Destination::Bytes { .. } => {
                self.due = Some(cause.to_string());
                return Ok(None);
            }
            Destination::Slot { .. } => self.job(engine, cause.to_string()),
        };
        let Destination::Slot { slot, writer } = &self.place else { return Ok(None) };
        // A save in progress comes first; then another thread has no benefit.
        let mut done = writer.as_ref().map(|writer| writer.finish(&mut job)).unwrap_or_default();
        done.push(slot.keep(job));
        self.note_done(engine, done).transpose()
    }

    /// Waits for a save in progress or due, successful or not.
    pub(super) fn finish_writing(&mut self, engine: &mut Engine) {
        self.note_due(engine);
        if let Destination::Slot { .. } = self.place
            && (self.is_saving() || !self.erased.is_empty())
        {
            // A notice reports the result.
            let _ = self.save_for(engine, "save");
        }
    }

    /// Takes the results of the writer; returns the last one.
    fn note_done(&mut self, engine: &mut Engine, done: Vec<Done>) -> Option<Result<Saved, SaveError>> {
        let mut last = None;
        for Done { cause, erased, cells, result } in done {
            match &result {
                Ok(saved) => {
                    self.retry = None;
                    engine.have_written(cells);
                    self.note_what_was_found(engine, saved);
                    for LostArea { section, now } in &saved.lost_areas {
                        engine.lost_area(section, now.clone());
                    }
                    if let Some(merged) = &saved.merged {
                        engine.reconcile(&merged.now, &merged.before);
                    }
                }
                Err(error) => self.failed(engine, cause, erased, &error.to_string()),
            }
            last = Some(result);
        }
        last
    }

    /// Reports what a save has found on its way, and how full it is.
    fn note_what_was_found(&mut self, engine: &mut Engine, saved: &Saved) {
        for (path, why) in &saved.set_aside {
            engine.tell(Notice::SetAside { path: path.clone(), why: *why });
        }
        let is_nearly_full = saved.fullness.is_nearly_full();
        if is_nearly_full && !self.is_nearly_full {
            engine.tell(Notice::NearlyFull(saved.fullness));
        }
        self.is_nearly_full = is_nearly_full;
    }

    /// A write failed: reports it once, and makes it due again after a while.
    fn failed(&mut self, engine: &mut Engine, cause: String, erased: Vec<Erase>, message: &str) {
        self.erased.splice(0..0, erased);
        let pause = self.retry.map_or(RETRY_FIRST, |retry| (retry.pause * 2).min(RETRY_LAST));
        if self.retry.is_none() {
            engine.tell(Notice::NotWritten { message: message.to_string() });
        }
        self.retry = Some(Retry { left: pause, pause });
        self.due.get_or_insert(cause);
    }

    /// Waits for a save in progress, and returns whether something was erased that is still on the disk.
    pub(super) fn owes_erasure(&mut self, engine: &mut Engine) -> bool {
        self.settle(engine);
        self.note_due(engine);
        !self.erased.is_empty()
    }

    /// Returns whether the frame that ends after a time takes a snapshot.
    pub(super) fn will_save(&self, engine: &Engine, elapsed: Duration) -> bool {
        let waits = self.retry.as_ref().is_some_and(|retry| retry.left > elapsed);
        let is_looking = matches!(self.place, Destination::View);
        !waits && !is_looking && (self.due.is_some() || engine.is_due_after(elapsed.into()))
    }

    pub(super) fn is_saving(&self) -> bool {
        let is_busy = match &self.place {
            Destination::Slot { writer: Some(writer), .. } => !writer.is_idle(),
            _ => false,
        };
        is_busy || self.due.is_some() || self.retry.is_some()
    }

    /// Gives up the slot, after the writer has finished.
    pub(super) fn let_go(&mut self) {
        if let Destination::Slot { slot, writer } = std::mem::replace(&mut self.place, Destination::View) {
            drop(writer);
            slot.give_up();
        }
    }
}
