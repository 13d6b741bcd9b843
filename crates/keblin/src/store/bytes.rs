//! A keeper of bytes, for games that store their saves themselves, on the web or in a platform's cloud. It needs no
//! disk, thread or clock.

use std::hash::{BuildHasher, RandomState};
use std::sync::Arc;

use keblin_model::AnyGame;

use super::autosave::Destination;
use super::keeper::{Keeper, Saving};
use super::open_result::{Opened, Origin};
use super::save_result::SaveError;
use crate::progress::history::{Erasures, recorded};
use crate::progress::{Notice, Play, Progress};
use crate::save::writer::write_whole;
use crate::save::written::Wrapping;
use crate::save::{ReadError, SaveLimits, SealKey, Stamp};
use crate::snapshot::Schema;
use crate::verify::verify_sealed;

/// A save for the game to store.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct DueSave {
    /// The whole save.
    pub bytes: Vec<u8>,
    /// The number of the save, from 1.
    pub number: u64,
    /// Why it was due, in one word.
    pub cause: String,
}

impl Play<AnyGame, Saving> {
    /// Returns progress from bytes that the game stores itself, on the web or in a platform's cloud; `None` is a
    /// first run. It uses no disk, thread or clock: call [`Keeper::take_due`] at the end of each frame.
    ///
    /// # Errors
    /// As [`verify`](crate::verify::verify).
    pub fn from_bytes(schema: &Arc<Schema>, bytes: Option<&[u8]>) -> Result<Keeper, ReadError> {
        Keeper::from_sealed_bytes(schema, bytes, None)
    }

    /// As [`Keeper::from_bytes`], with the game's key for seals.
    ///
    /// # Errors
    /// As [`verify`](crate::verify::verify). A seal that does not match is a finding.
    pub fn from_sealed_bytes(
        schema: &Arc<Schema>,
        bytes: Option<&[u8]>,
        key: Option<SealKey>,
    ) -> Result<Keeper, ReadError> {
        let Some(bytes) = bytes else {
            let progress = Progress::new(Arc::clone(schema));
            let opened = Opened { progress, origin: Origin::FirstRun, findings: Vec::new() };
            return Ok(Keeper::saved_at(
                opened,
                Destination::Bytes { known: None, last: None, writer: None, key },
            ));
        };
        let save = verify_sealed(bytes, schema, key.as_ref())?;
        let (known, findings) = (Some(save.lineage().clone()), save.findings().to_vec());
        let origin = match save.fault() {
            None => Origin::File,
            Some(fault) => Origin::EarlierState { fault: fault.clone() },
        };
        let last = Some(Box::new(save.snapshot().clone()));
        let opened = Opened { progress: save.into_progress(), origin, findings };
        Ok(Keeper::saved_at(opened, Destination::Bytes { known, last, writer: None, key }))
    }
}

impl<G> Play<G, Saving> {
    /// Says on which machine the game runs: by a number that the game or its backend keeps there, and that no other machine
    /// has. Then what two machines have added is told apart when their saves are merged
    /// ([`reconcile`](crate::reconcile::reconcile)). Without it, whoever holds the bytes continues as the machine that wrote
    /// last: nothing counts twice, but of what two machines have added to one amount the smaller part is lost. A keeper of a
    /// slot has a number already.
    #[must_use]
    pub fn on_machine(mut self, machine: u64) -> Self {
        if let Destination::Bytes { writer, .. } = &mut self.holder.keeping.place {
            *writer = Some(machine);
        }
        self
    }

    /// Takes a due save as bytes for the game to store, with the time in milliseconds since 1970; `None` if nothing
    /// is due, or if this keeper writes to a slot. If storing fails, call [`Keeper::not_kept`].
    ///
    /// # Errors
    /// [`SaveError::TooLarge`] if the bytes could not be read again. The save stays due.
    pub fn take_due(&mut self, now_unix_ms: u64) -> Result<Option<DueSave>, SaveError> {
        let Saving { engine, keeping } = &mut self.holder;
        keeping.note_due(engine);
        if keeping.due.is_none() || !matches!(keeping.place, Destination::Bytes { .. }) {
            return Ok(None);
        }
        let snapshot = keeping.snapshot_with_picture(engine);
        let Destination::Bytes { known, last, writer, key } = &mut keeping.place else { return Ok(None) };
        let Some(cause) = keeping.due.take() else { return Ok(None) };
        // If the bytes are all there is, whoever holds them continues as the machine that wrote last.
        let history = last.as_ref().and_then(|last| last.history.as_ref());
        let by_last = || history.map(|history| history.top.writer);
        let somebody = || RandomState::new().hash_one(now_unix_ms);
        let writer = *writer.get_or_insert_with(|| by_last().unwrap_or_else(somebody));
        let erased = Erasures::of(&keeping.erased, &snapshot);
        let snapshot = recorded(last.as_deref(), &snapshot, writer, now_unix_ms, &erased);
        let mut stamp = Stamp::after(known.as_ref(), now_unix_ms, &cause);
        stamp.erasures += u64::from(!keeping.erased.is_empty());
        let (written, limits) = (
            write_whole(&snapshot, &stamp, Wrapping { key: key.as_ref(), packs: false }),
            SaveLimits::default(),
        );
        if !written.fits(&limits) {
            keeping.due = Some(cause);
            return Err(SaveError::TooLarge(written.fullness(&limits)));
        }
        (*known, *last) = (Some(written.lineage), Some(Box::new(snapshot.clone())));
        keeping.erased.clear();
        engine.note_written(snapshot);
        Ok(Some(DueSave { bytes: written.parts.into_bytes(), number: stamp.number, cause }))
    }

    /// Notes that the game could not store the save of [`Keeper::take_due`]: it is due again.
    pub fn not_kept(&mut self, cause: &str, message: &str) {
        self.holder.keeping.due = Some(cause.to_string());
        self.engine_mut().tell(Notice::NotWritten { message: format!("not saved: {message}") });
    }
}
