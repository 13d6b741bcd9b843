//! The thread that writes for a keeper. The frame hands over a snapshot and goes on; of snapshots that wait only the last
//! is written.

use std::any::Any;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::thread::JoinHandle;

use keblin_schema::Value;

use super::error::{DiskError, failed};
use super::saved::{SaveError, Saved};
use super::slot::Slot;
use crate::progress::erase::Erase;
use crate::snapshot::Snapshot;

/// Something to be written.
pub(super) struct Job {
    pub(super) snapshot: Snapshot,
    /// What made it due, in a word.
    pub(super) cause: String,
    /// What was erased since the last job, and must not be left in any other file of the slot.
    pub(super) erased: Vec<Erase>,
}

/// A job that was done, well or not.
pub(super) struct Done {
    pub(super) cause: String,
    pub(super) erased: Vec<Erase>,
    /// The values that were to be written.
    pub(super) cells: Vec<Value>,
    pub(super) result: Result<Saved, SaveError>,
}

/// The thread, and what lies between it and the keeper.
pub(super) struct Writer {
    desk: Arc<Desk>,
    thread: Option<JoinHandle<()>>,
}

#[derive(Default)]
struct Desk {
    papers: Mutex<Papers>,
    /// Something was handed over, or done.
    changed: Condvar,
}

#[derive(Default)]
struct Papers {
    waiting: Option<Job>,
    done: Vec<Done>,
    writing: bool,
    closing: bool,
}

impl Desk {
    fn papers(&self) -> MutexGuard<'_, Papers> {
        // Nothing panics while it is held.
        self.papers.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn wait<'d>(&self, papers: MutexGuard<'d, Papers>) -> MutexGuard<'d, Papers> {
        self.changed.wait(papers).unwrap_or_else(PoisonError::into_inner)
    }
}

impl Writer {
    /// Starts the thread for a slot.
    pub(super) fn of(slot: &Slot) -> Result<Writer, DiskError> {
        let desk = Arc::<Desk>::default();
        let (at_work, its_slot) = (Arc::clone(&desk), slot.clone());
        let thread = std::thread::Builder::new().name(format!("keeper of {}", slot.name()));
        let thread = thread.spawn(move || work(&at_work, &its_slot));
        let thread = thread.map_err(failed("starting the writer of", &slot.path()))?;
        Ok(Writer { desk, thread: Some(thread) })
    }

    /// Hands something over. What waits and was not begun is not written any more, but what it erased is erased.
    pub(super) fn hand_over(&self, mut job: Job) {
        let mut papers = self.desk.papers();
        if let Some(before) = papers.waiting.take() {
            job.erased.splice(0..0, before.erased);
        }
        papers.waiting = Some(job);
        drop(papers);
        self.desk.changed.notify_all();
    }

    /// What was done since this was last asked.
    pub(super) fn done(&self) -> Vec<Done> {
        std::mem::take(&mut self.desk.papers().done)
    }

    /// Waits until nothing is on its way, and gives back everything that was done by then. What waits and was not begun
    /// is not written any more; what it erased is added to what a later job erases.
    pub(super) fn finish(&self, later: &mut Job) -> Vec<Done> {
        let mut papers = self.desk.papers();
        if let Some(before) = papers.waiting.take() {
            later.erased.splice(0..0, before.erased);
        }
        while papers.writing {
            papers = self.desk.wait(papers);
        }
        std::mem::take(&mut papers.done)
    }

    /// Whether nothing waits and nothing is being written; nor has failed without the keeper having taken it in, because
    /// that is still to be told and tried again.
    pub(super) fn is_idle(&self) -> bool {
        let papers = self.desk.papers();
        papers.waiting.is_none() && !papers.writing && papers.done.iter().all(|done| done.result.is_ok())
    }
}

impl Drop for Writer {
    /// What was handed over is written first.
    fn drop(&mut self) {
        self.desk.papers().closing = true;
        self.desk.changed.notify_all();
        if let Some(thread) = self.thread.take() {
            // It does not panic; if it did, there would be nothing to be done about it here.
            let _ = thread.join();
        }
    }
}

fn work(desk: &Desk, slot: &Slot) {
    let mut papers = desk.papers();
    loop {
        let Some(job) = papers.waiting.take() else {
            if papers.closing {
                return;
            }
            papers = desk.wait(papers);
            continue;
        };
        papers.writing = true;
        drop(papers);
        let done = slot.keep(job);
        papers = desk.papers();
        papers.writing = false;
        papers.done.push(done);
        desk.changed.notify_all();
    }
}

impl Slot {
    /// Does a job. What it held is given up here, not on the frame. A panic of the files is an error like another: the
    /// writer goes on, and it is tried again.
    pub(super) fn keep(&self, job: Job) -> Done {
        let written = catch_unwind(AssertUnwindSafe(|| self.write(&job)));
        let result =
            written.unwrap_or_else(|panic| Err(SaveError::Panicked { message: said(panic.as_ref()) }));
        Done { cause: job.cause, erased: job.erased, cells: job.snapshot.state.cells, result }
    }

    fn write(&self, job: &Job) -> Result<Saved, SaveError> {
        let mut held = self.to_keep()?;
        if job.erased.is_empty() {
            return self.append_held(&mut held, &job.snapshot, &job.cause);
        }
        // The pins first: cut off in between, nothing was erased yet that a pin could bring back.
        self.erase_in_pins(&held, job.snapshot.schema(), &job.erased)?;
        self.save_erased_held(&mut held, &job.snapshot, &job.cause)
    }
}

/// What a panic said.
fn said(panic: &(dyn Any + Send)) -> String {
    let text = panic.downcast_ref::<&str>().map(ToString::to_string);
    text.or_else(|| panic.downcast_ref::<String>().cloned()).unwrap_or_else(|| "nothing".to_string())
}
