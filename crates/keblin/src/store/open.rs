//! Opens a slot, in this order: the lock, the last intact state of the file and of the backup, the newer of the two,
//! its seal, its values and their relations. Never a mixture, and never a first run if there was a save.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::device::ReadSettings;
use super::error::DiskError;
use super::logged;
use super::open_result::{OpenError, Opened, Origin};
use super::redeclared::is_misfit;
use super::ruin::Ruin;
use super::slot::Slot;
use crate::broken::Broken;
use crate::progress::{AsideReason, Notice};
use crate::save::search::History;
use crate::save::{Fault, Lineage, ReadError, SaveCode};
use crate::snapshot::Schema;
use crate::verify::{Save, SaveFinding, Verified, verify_within};

/// The result of reading a file.
pub(super) enum Found {
    Missing,
    /// Intact, but not for this game or version.
    Refused(ReadError),
    Damaged(ReadError),
    /// It exists, but the operating system cannot read it.
    Unreadable(DiskError),
    Whole(Box<Verified<Save>>),
}

/// Whether opening may change files.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Way {
    ToPlay,
    ToLook,
}

impl Slot {
    /// Opens the slot. If there are no files, that is a first run, without an error and without a lock; a missing
    /// file next to a backup, and an empty file, are damage. Of the last intact states of the file and the backup the
    /// newer one is taken. Damage to the file alone is repaired this way: [`Notice::FellBack`] is delivered, and a
    /// file without an intact state is set aside.
    ///
    /// If both are intact and know nothing of each other, somebody has put another file there. The one that was saved
    /// later is taken, with what both have earned ([`Origin::Met`]). If one of them is from before an erasure,
    /// the other one is taken.
    ///
    /// The slot stays locked until [`Slot::release`], or until the last clone of this [`Slot`] is dropped. If the
    /// folder is read-only, it is opened without a lock, and saving will fail.
    ///
    /// # Errors
    /// [`OpenError::Refused`] for a save of another game or version, [`OpenError::Damaged`] if no intact save is
    /// left, [`OpenError::InUse`] if it is already open, [`OpenError::Disk`] if the files cannot be read. In all
    /// cases the files are unchanged.
    pub fn open(&self, schema: &Arc<Schema>) -> Result<Opened, OpenError> {
        if self.held().is_played {
            return Err(OpenError::InUse { lock: self.lock_path() });
        }
        self.open_as(schema, Way::ToPlay)
    }

    /// Opens the slot for a keeper, which owns it until it gives it up.
    pub(super) fn open_to_keep(&self, schema: &Arc<Schema>) -> Result<Opened, OpenError> {
        if !self.claim() {
            return Err(OpenError::InUse { lock: self.lock_path() });
        }
        let opened = self.open_as(schema, Way::ToPlay);
        if opened.is_err() {
            self.give_up();
        }
        opened
    }

    /// Opens the slot again for the keeper that owns it.
    pub(super) fn open_again(&self, schema: &Arc<Schema>) -> Result<Opened, OpenError> {
        self.open_as(schema, Way::ToPlay)
    }

    /// Opens the slot for viewing: without a lock and without changing anything on the disk, even if it is open
    /// elsewhere.
    ///
    /// # Errors
    /// As [`Slot::open`], but never [`OpenError::InUse`].
    pub fn view(&self, schema: &Arc<Schema>) -> Result<Opened, OpenError> {
        self.open_as(schema, Way::ToLook)
    }

    fn open_as(&self, schema: &Arc<Schema>, way: Way) -> Result<Opened, OpenError> {
        logged::opening(self, || self.open_unlogged(schema, way))
    }

    fn open_unlogged(&self, schema: &Arc<Schema>, way: Way) -> Result<Opened, OpenError> {
        // A file that cannot be checked may well exist.
        let may_be_there = |path: &Path| !matches!(self.dir().exists(path), Ok(false));
        let is_there = may_be_there(&self.path()) || may_be_there(&self.previous_path());
        if way == Way::ToPlay && is_there && !self.hold_if_possible()? {
            return Err(OpenError::InUse { lock: self.lock_path() });
        }
        let settings = self.dir().settings(schema);
        if way == Way::ToPlay {
            self.held().settings.clone_from(&settings.values);
        }
        let mut opened = self.newest(schema, &settings, way)?;
        opened.findings.extend(settings.findings);
        Ok(opened)
    }

    /// Takes the newer of the last intact states of the file and the backup.
    fn newest(&self, schema: &Arc<Schema>, settings: &ReadSettings, way: Way) -> Result<Opened, OpenError> {
        let (path, previous_path) = (self.path(), self.previous_path());
        let file = self.found(&path, schema);
        let previous = self.found(&previous_path, schema);
        match (file, previous) {
            (Found::Missing, Found::Missing) => {
                self.held().began_empty |= way == Way::ToPlay;
                Ok(Opened::first_run(schema, settings))
            }
            (Found::Refused(error), _) | (Found::Missing, Found::Refused(error))
                if way == Way::ToPlay && self.dir().sets_misfits_aside() && is_misfit(&error) =>
            {
                self.set_files_aside(&error)?;
                self.held().began_empty = true;
                Ok(Opened::first_run(schema, settings))
            }
            (Found::Refused(error), _) => Err(OpenError::Refused { path, error }),
            (Found::Whole(file), Found::Whole(copy)) => self.of_two(*file, *copy, settings, way),
            (Found::Whole(file), of_copy) => {
                let mut opened = self.the_file(*file, settings, way);
                if let Found::Unreadable(error) = of_copy {
                    let message = format!("{error}; the save itself is intact");
                    let place = previous_path.display().to_string();
                    opened.findings.push(SaveFinding::warning(SaveCode::CopyUnreadable, place, message));
                }
                Ok(opened)
            }
            (Found::Damaged(fault), Found::Whole(copy)) => self.fall_back(*copy, settings, fault, way),
            (Found::Unreadable(error), Found::Whole(copy)) => {
                let fault = ReadError::new("file", 0, Fault::Unreadable { why: error.source.to_string() });
                self.fall_back(*copy, settings, fault, way)
            }
            (Found::Missing, Found::Whole(copy)) => {
                let fault = ReadError::new("file", 0, Fault::Missing);
                self.fall_back(*copy, settings, fault, way)
            }
            // A file that cannot be read may be intact: then it is not a ruin.
            (Found::Unreadable(error), _) | (_, Found::Unreadable(error)) => Err(OpenError::Disk(error)),
            (_, Found::Refused(error)) => Err(OpenError::Refused { path: previous_path, error }),
            (Found::Damaged(fault), Found::Missing) => self.ruin(schema, vec![(path, fault)]),
            (Found::Missing, Found::Damaged(fault)) => self.ruin(schema, vec![(previous_path, fault)]),
            (Found::Damaged(fault), Found::Damaged(of_copy)) => {
                self.ruin(schema, vec![(path, fault), (previous_path, of_copy)])
            }
        }
    }

    pub(super) fn found(&self, path: &Path, schema: &Arc<Schema>) -> Found {
        if let Some(save) = self.without_areas(path, schema) {
            return Found::Whole(Box::new(save));
        }
        let bytes = match self.dir().read(path) {
            Ok(Some(bytes)) => bytes,
            Ok(None) => return Found::Missing,
            Err(error) => return Found::Unreadable(error),
        };
        match verify_within(&bytes, schema, self.dir().key(), self.dir().limits()) {
            Ok(save) => Found::Whole(Box::new(save)),
            Err(error) if error.is_refusal() => Found::Refused(error),
            Err(error) => Found::Damaged(error),
        }
    }

    /// Takes one of two intact saves, or the result of both.
    fn of_two(
        &self,
        file: Verified<Save>,
        copy: Verified<Save>,
        settings: &ReadSettings,
        way: Way,
    ) -> Result<Opened, OpenError> {
        let numbers = (file.head().number, copy.head().number);
        let gives_way = |fault: Fault| ReadError::new("state", file.head().offset, fault);
        match self.precedence(file.lineage(), copy.lineage()) {
            Precedence::FileIsLater => Ok(self.the_file(file, settings, way)),
            Precedence::FileHasErased => {
                let opened = self.the_file(file, settings, way);
                self.held().owes_erasing |= way == Way::ToPlay;
                Ok(opened)
            }
            Precedence::CopyHasErased => {
                let fault = gives_way(Fault::ErasedSince { file: numbers.0, copy: numbers.1 });
                self.fall_back(copy, settings, fault, way)
            }
            Precedence::CopyIsLater => {
                let older = Fault::OlderThanCopy { file: numbers.0, copy: numbers.1 };
                let fault = file.fault().cloned().unwrap_or_else(|| gives_way(older));
                self.fall_back(copy, settings, fault, way)
            }
            Precedence::Apart => Ok(self.meet(file, copy, settings, way)),
        }
    }

    fn precedence(&self, file: &Lineage, copy: &Lineage) -> Precedence {
        let knows = |one: &Lineage, path: &Path, other: &Lineage| {
            let Some(head) = other.head() else { return false };
            one.has_been(head) || {
                // A file may hold more states than its last one names.
                let bytes = self.dir().read(path).ok().flatten().unwrap_or_default();
                History::within(&bytes, self.dir().limits().clone()).lineage().contains(head)
            }
        };
        match () {
            () if Broken::ErasuresForgotten.is() && file.created_unix_ms == copy.created_unix_ms => {
                Precedence::FileIsLater
            }
            () if copy.has_erased_since(file) => Precedence::CopyHasErased,
            () if file.has_erased_since(copy) => Precedence::FileHasErased,
            () if knows(file, &self.path(), copy) => Precedence::FileIsLater,
            () if knows(copy, &self.previous_path(), file) => Precedence::CopyIsLater,
            () if Broken::NoMeeting.is() => Precedence::FileIsLater,
            () => Precedence::Apart,
        }
    }

    /// Takes the save in the file.
    fn the_file(&self, file: Verified<Save>, settings: &ReadSettings, way: Way) -> Opened {
        let origin = match file.fault() {
            None => Origin::File,
            Some(fault) => Origin::EarlierState { fault: fault.clone() },
        };
        self.know(file.lineage(), None, way);
        Opened::from_save(file, settings, origin)
    }

    /// Takes the later of two saves that know nothing of each other, with the records of both.
    fn meet(&self, file: Verified<Save>, copy: Verified<Save>, settings: &ReadSettings, way: Way) -> Opened {
        // By the clock first, because two machines have nothing else in common. The rest makes the choice repeatable.
        let order = |save: &Verified<Save>| {
            let head = save.head();
            (head.saved_at_unix_ms, head.number, head.digest)
        };
        let (later, earlier, other) = match order(&file) >= order(&copy) {
            true => (file, copy, self.previous_path()),
            false => (copy, file, self.path()),
        };
        self.know(later.lineage(), Some(earlier.lineage()), way);
        let files = [self.path(), self.previous_path()].map(|path| self.dir().read(&path).ok().flatten());
        let files: Vec<&[u8]> = files.iter().flatten().map(Vec::as_slice).collect();
        let base = self.common(
            &later.lineage().states,
            &earlier.lineage().states,
            &files,
            later.snapshot().schema(),
        );
        let mut opened =
            Opened::from_save(later.together_with(&earlier, base.as_ref()), settings, Origin::Met { other });
        opened.progress.engine_mut().tell(Notice::Reconciled);
        opened
    }

    /// Notes which save the next one continues, if it was opened to be played, and which save it has met.
    pub(super) fn know(&self, save: &Lineage, met: Option<&Lineage>, way: Way) {
        if way == Way::ToPlay {
            let mut known = save.clone();
            met.into_iter().for_each(|met| known.join(met));
            let mut held = self.held();
            (held.known, held.left) = (Some(known), None);
            held.met = met.and_then(Lineage::head).copied();
        }
    }

    /// Takes the backup; sets the file aside, if it exists, except for a view.
    fn fall_back(
        &self,
        copy: Verified<Save>,
        settings: &ReadSettings,
        fault: ReadError,
        way: Way,
    ) -> Result<Opened, OpenError> {
        let why = match fault.fault {
            Fault::OlderThanCopy { .. } => AsideReason::Older,
            Fault::ErasedSince { .. } => AsideReason::Erased,
            Fault::Unreadable { .. } => AsideReason::Unreadable,
            _ => AsideReason::Damaged,
        };
        // A file that cannot be read may soon be readable again: it stays until the next save.
        let is_to_go = way == Way::ToPlay && why != AsideReason::Unreadable;
        let is_there = is_to_go && self.dir().exists(&self.path())?;
        let set_aside = if is_there { Some(self.set_aside(&self.path(), why.as_str())?) } else { None };
        self.know(copy.lineage(), None, way);
        Ok(Opened::from_save(copy, settings, Origin::Previous { fault, set_aside }))
    }

    fn ruin(&self, schema: &Arc<Schema>, faults: Vec<(PathBuf, ReadError)>) -> Result<Opened, OpenError> {
        Err(OpenError::Damaged(Box::new(Ruin::of(self.clone(), Arc::clone(schema), faults)?)))
    }
}

/// How two intact saves of a slot relate to each other.
enum Precedence {
    /// The file continues the backup.
    FileIsLater,
    /// The backup continues the file: somebody has put an older file back.
    CopyIsLater,
    /// The file is from after an erasure, the backup from before.
    FileHasErased,
    /// The other way round.
    CopyHasErased,
    /// Neither knows of the other.
    Apart,
}
