//! What a keeper does for its progress: it notes what is due, hands it to the writer at the end of a frame, and tries again
//! what failed.

use std::sync::Arc;
use std::time::Duration;

use super::opening::Origin;
use super::saved::{SaveError, Saved};
use super::slot::Slot;
use super::writer::{Done, Job, Writer};
use crate::progress::erase::Erase;
use crate::progress::{Engine, Notice};
use crate::save::{Lineage, SealKey};
use crate::snapshot::{Picture, Snapshot};
use crate::verify::SaveFinding;

/// How soon a save that failed is tried again, and the longest that it ever takes: the time doubles in between.
const RETRY_FIRST: Duration = Duration::from_secs(1);
const RETRY_LAST: Duration = Duration::from_secs(60);

/// The keeping of a progress, which is handed in where it is needed.
pub(super) struct Keeping {
    pub(super) origin: Origin,
    pub(super) findings: Vec<SaveFinding>,
    pub(super) place: Destination,
    /// What is due, in a word, and not handed over yet.
    pub(super) due: Option<String>,
    /// What was erased and may still be in a file.
    pub(super) erased: Vec<Erase>,
    pub(super) picture: Option<Arc<Picture>>,
    retry: Option<Retry>,
    /// Whether it was told that the save is nearly full.
    is_nearly_full: bool,
}

/// Where saves go.
pub(super) enum Destination {
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

impl Keeping {
    pub(super) fn of(origin: Origin, findings: Vec<SaveFinding>, place: Destination) -> Keeping {
        let (due, erased, picture, retry) = (None, Vec::new(), None, None);
        Keeping { origin, findings, place, due, erased, picture, retry, is_nearly_full: false }
    }

    /// Whether anything is ever saved by it.
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

    /// Takes what the progress says is due.
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
            // What becomes due meanwhile waits with it: a disk that is full is not asked at every checkpoint.
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

    /// This instant, to be written.
    fn job(&mut self, engine: &Engine, cause: String) -> Job {
        let (snapshot, erased) = (self.snapshot_with_picture(engine), std::mem::take(&mut self.erased));
        Job { snapshot, cause, erased }
    }

    /// Hands this instant to the writer, which is started for the first of them.
    fn hand_over(&mut self, engine: &mut Engine, cause: String) {
        let job = self.job(engine, cause);
        let Destination::Slot { slot, writer } = &mut self.place else { return };
        let started = match writer.take() {
            Some(started) => Ok(started),
            None => Writer::of(slot),
        };
        match started {
            Ok(started) => writer.insert(started).hand_over(job),
            // Tried again like a write that fails.
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
        // What is on its way comes first. Then there is nothing to be gained by another thread.
        let mut done = writer.as_ref().map(|writer| writer.finish(&mut job)).unwrap_or_default();
        done.push(slot.keep(job));
        self.note_done(engine, done).transpose()
    }

    /// Waits for what is on its way or due, well or not.
    pub(super) fn finish_writing(&mut self, engine: &mut Engine) {
        self.note_due(engine);
        if let Destination::Slot { .. } = self.place
            && (self.is_saving() || !self.erased.is_empty())
        {
            // Whether it went well is told by a notice.
            let _ = self.save_for(engine, "save");
        }
    }

    /// Takes in what the writer has done; the result of the last of it.
    fn note_done(&mut self, engine: &mut Engine, done: Vec<Done>) -> Option<Result<Saved, SaveError>> {
        let mut last = None;
        for Done { cause, erased, cells, result } in done {
            match &result {
                Ok(saved) => {
                    self.retry = None;
                    engine.have_written(cells);
                    self.note_what_was_found(engine, saved);
                    if let Some(replaced) = saved.replaced.as_ref().filter(|replaced| replaced.has_met) {
                        engine.reconcile(&replaced.snapshot);
                    }
                }
                Err(error) => self.failed(engine, cause, erased, &error.to_string()),
            }
            last = Some(result);
        }
        last
    }

    /// Tells what a save has found on its way, and how full it is.
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

    /// A write has failed: told once, and due again after a while.
    fn failed(&mut self, engine: &mut Engine, cause: String, erased: Vec<Erase>, message: &str) {
        self.erased.splice(0..0, erased);
        let pause = self.retry.map_or(RETRY_FIRST, |retry| (retry.pause * 2).min(RETRY_LAST));
        if self.retry.is_none() {
            engine.tell(Notice::NotWritten { message: message.to_string() });
        }
        self.retry = Some(Retry { left: pause, pause });
        self.due.get_or_insert(cause);
    }

    pub(super) fn is_saving(&self) -> bool {
        let is_busy = match &self.place {
            Destination::Slot { writer: Some(writer), .. } => !writer.is_idle(),
            _ => false,
        };
        is_busy || self.due.is_some() || self.retry.is_some()
    }

    /// Gives up the slot, once the writer has come to its end.
    pub(super) fn let_go(&mut self) {
        if let Destination::Slot { slot, writer } = std::mem::replace(&mut self.place, Destination::View) {
            drop(writer);
            slot.give_up();
        }
    }
}
