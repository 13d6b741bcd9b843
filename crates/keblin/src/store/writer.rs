//! The writer thread of a keeper. The frame passes a snapshot to it and continues; of the snapshots that wait only
//! the last one is written.

use std::any::Any;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::thread::JoinHandle;

use keblin_model::Value;

use super::error::{DiskError, failed};
use super::save_result::{SaveError, Saved};
use super::slot::Slot;
use crate::progress::erase::Erase;
use crate::snapshot::Snapshot;

/// A snapshot to write.
pub(super) struct Job {
    pub(super) snapshot: Snapshot,
    /// Why a save is due, in one word.
    pub(super) cause: String,
    /// What was erased since the last job, and must not be left in any other file of the slot.
    pub(super) erased: Vec<Erase>,
}

/// A finished job, successful or not.
pub(super) struct Done {
    pub(super) cause: String,
    pub(super) erased: Vec<Erase>,
    /// The values that were to be written.
    pub(super) cells: Vec<Value>,
    pub(super) result: Result<Saved, SaveError>,
}

/// The thread, and what it shares with the keeper.
pub(super) struct Writer {
    shared: Arc<Shared>,
    thread: Option<JoinHandle<()>>,
}

#[derive(Default)]
struct Shared {
    queue: Mutex<Queue>,
    /// A job was passed on, or is done.
    changed: Condvar,
}

#[derive(Default)]
struct Queue {
    waiting: Option<Job>,
    done: Vec<Done>,
    writing: bool,
    closing: bool,
}

impl Shared {
    fn queue(&self) -> MutexGuard<'_, Queue> {
        // Nothing panics while it is held.
        self.queue.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn wait<'d>(&self, queue: MutexGuard<'d, Queue>) -> MutexGuard<'d, Queue> {
        self.changed.wait(queue).unwrap_or_else(PoisonError::into_inner)
    }
}

impl Writer {
    /// Starts the thread for a slot.
    pub(super) fn of(slot: &Slot) -> Result<Writer, DiskError> {
        let shared = Arc::<Shared>::default();
        let (at_work, its_slot) = (Arc::clone(&shared), slot.clone());
        let thread = std::thread::Builder::new().name(format!("keeper of {}", slot.name()));
        let thread = thread.spawn(move || work(&at_work, &its_slot));
        let thread = thread.map_err(failed("starting the writer of", &slot.path()))?;
        Ok(Writer { shared, thread: Some(thread) })
    }

    /// Passes a job to the thread. A job that still waits is dropped, but its erasures are kept.
    pub(super) fn hand_over(&self, mut job: Job) {
        let mut queue = self.shared.queue();
        if let Some(before) = queue.waiting.take() {
            job.erased.splice(0..0, before.erased);
        }
        queue.waiting = Some(job);
        drop(queue);
        self.shared.changed.notify_all();
    }

    /// Takes the finished jobs since the last call.
    pub(super) fn done(&self) -> Vec<Done> {
        std::mem::take(&mut self.shared.queue().done)
    }

    /// Waits until no job is running, and returns all finished ones. A job that still waits is dropped; its erasures
    /// are added to a later job.
    pub(super) fn finish(&self, later: &mut Job) -> Vec<Done> {
        let mut queue = self.shared.queue();
        if let Some(before) = queue.waiting.take() {
            later.erased.splice(0..0, before.erased);
        }
        while queue.writing {
            queue = self.shared.wait(queue);
        }
        std::mem::take(&mut queue.done)
    }

    /// Waits until every job is done, and returns the finished ones.
    pub(super) fn settle(&self) -> Vec<Done> {
        let mut queue = self.shared.queue();
        while queue.writing || queue.waiting.is_some() {
            queue = self.shared.wait(queue);
        }
        std::mem::take(&mut queue.done)
    }

    /// Returns whether no job waits or runs, and no failure waits for the keeper, which must still report it and try
    /// again.
    pub(super) fn is_idle(&self) -> bool {
        let queue = self.shared.queue();
        queue.waiting.is_none() && !queue.writing && queue.done.iter().all(|done| done.result.is_ok())
    }
}

impl Drop for Writer {
    /// Waiting jobs are written first.
    fn drop(&mut self) {
        self.shared.queue().closing = true;
        self.shared.changed.notify_all();
        if let Some(thread) = self.thread.take() {
            // It does not panic; if it did, nothing could be done here.
            let _ = thread.join();
        }
    }
}

fn work(shared: &Shared, slot: &Slot) {
    let mut queue = shared.queue();
    loop {
        let Some(job) = queue.waiting.take() else {
            if queue.closing {
                return;
            }
            queue = shared.wait(queue);
            continue;
        };
        queue.writing = true;
        drop(queue);
        let done = slot.keep(job);
        queue = shared.queue();
        queue.writing = false;
        queue.done.push(done);
        shared.changed.notify_all();
    }
}

impl Slot {
    /// Runs a job. Its data is freed here, not in the frame. A panic of the backend is an error like any other: the
    /// thread continues, and the keeper tries again.
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
        // The pins first: if it is cut off in between, nothing is erased yet that a pin could bring back.
        self.erase_in_pins(&held, job.snapshot.schema(), &job.erased)?;
        self.save_erased_held(&mut held, &job.snapshot, &job.cause, &job.erased)
    }
}

/// Returns the message of a panic.
fn said(panic: &(dyn Any + Send)) -> String {
    let text = panic.downcast_ref::<&str>().map(ToString::to_string);
    text.or_else(|| panic.downcast_ref::<String>().cloned()).unwrap_or_else(|| "nothing".to_string())
}
