//! Opening a slot, in this order: the lock, the last whole state of the file and of the copy before it, the newer of the
//! two, its seal, its values and how they fit. Never a mixture, and never a first run where there was a save.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use thiserror::Error;

use super::broken::Broken;
use super::device::Settings;
use super::error::{DiskError, shown};
use super::ruin::Ruin;
use super::slot::Slot;
use crate::progress::{AsideReason, Notice, Progress};
use crate::save::search::History;
use crate::save::{Fault, Lineage, ReadError, SaveCode};
use crate::snapshot::Schema;
use crate::verify::{Save, SaveFinding, Verified, verify_within};

/// A slot that was opened.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Opened {
    /// The progress, at the title.
    pub progress: Progress,
    /// Where it came from.
    pub origin: Origin,
    /// What was told of the save.
    pub findings: Vec<SaveFinding>,
}

/// Where an opened progress came from.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Origin {
    /// There was no save: everything is as declared.
    FirstRun,
    /// From the last state of the slot's file.
    File,
    /// From an earlier state of the slot's file, because what stands behind it is damaged. The file is as it was; the
    /// next save sets it aside.
    EarlierState {
        /// What is wrong behind that state.
        fault: ReadError,
    },
    /// From the copy before it, because the file is missing, damaged or older.
    Previous {
        /// What is wrong with the file.
        fault: ReadError,
        /// Where the file was set aside; `None` if it was missing, or for a view.
        set_aside: Option<PathBuf>,
    },
    /// Two saves were there that knew nothing of each other: somebody had put another file in place of one of ours. The one
    /// that was saved later is used, and the records of both have met. The next save sets the other aside.
    Met {
        /// The file with the other one.
        other: PathBuf,
    },
    /// From a file that had been set aside, because the player agreed.
    SetAside {
        /// Which.
        path: PathBuf,
    },
}

/// Why a slot was not opened. Nothing has been changed.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum OpenError {
    /// The save is whole but not for this game or version: it is left untouched.
    #[error("{}: {error}; it is left as it is", shown(path))]
    Refused {
        /// The file.
        path: PathBuf,
        /// Why.
        #[source]
        error: ReadError,
    },
    /// No whole save is left; ask the player, then [`Ruin::earlier`] or [`Ruin::start_fresh`].
    #[error("{0}")]
    Damaged(Box<Ruin>),
    /// Another copy of the program, or another [`Keeper`](super::Keeper) or [`Slot`] in this one, has it open: close that
    /// one first. [`Slot::view`] can look at it.
    #[error("the slot is open already: {} is locked; close the keeper or program that has it", shown(lock))]
    InUse {
        /// The lock.
        lock: PathBuf,
    },
    /// The operating system failed.
    #[error(transparent)]
    Disk(#[from] DiskError),
}

impl Opened {
    pub(super) fn first_run(schema: &Arc<Schema>, settings: &Settings) -> Opened {
        let mut progress = Progress::new(Arc::clone(schema));
        settings.values.iter().for_each(|values| progress.engine_mut().put_device(values.clone()));
        Opened { progress, origin: Origin::FirstRun, findings: Vec::new() }
    }

    pub(super) fn from_save(save: Verified<Save>, settings: &Settings, origin: Origin) -> Opened {
        let findings = save.findings().to_vec();
        let save = match &settings.values {
            Some(values) => save.with_settings(values.clone()),
            None => save,
        };
        let mut progress = save.into_progress();
        if !matches!(origin, Origin::File | Origin::Met { .. }) {
            progress.engine_mut().tell(Notice::FellBack);
        }
        Opened { progress, origin, findings }
    }
}

/// What a file was found to be.
enum Found {
    Missing,
    /// Whole, and not for this game or version.
    Refused(ReadError),
    Damaged(ReadError),
    /// It is there, and the operating system cannot read it.
    Unreadable(DiskError),
    Whole(Box<Verified<Save>>),
}

/// Whether opening may change anything.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Way {
    ToPlay,
    ToLook,
}

impl Slot {
    /// Opens the slot. No file at all is a first run, without an error and without a lock; a missing file beside a
    /// copy, and an empty file, are damage. Of the last whole states of the file and of the copy before it the newer is
    /// taken. Damage of the file alone is mended so: [`Notice::FellBack`] is told, and a file without a whole state is
    /// set aside.
    ///
    /// Where both are whole and know nothing of each other, somebody has put another file there: the one that was saved
    /// later is taken, and the records of both meet ([`Origin::Met`]). Of two saves of the slot, one of them from before
    /// something was erased, the other is taken.
    ///
    /// The slot stays locked until [`Slot::release`], or until the last clone of this [`Slot`] is dropped. Where the folder
    /// cannot be written to, it is opened without a lock, and saving will fail.
    ///
    /// # Errors
    /// [`OpenError::Refused`] for a save of another game or version, [`OpenError::Damaged`] if no whole save is left,
    /// [`OpenError::InUse`] if another copy of the program has it open, [`OpenError::Disk`] if the files cannot be
    /// read. In all of them the files are as they were.
    pub fn open(&self, schema: &Arc<Schema>) -> Result<Opened, OpenError> {
        if self.held().is_played {
            return Err(OpenError::InUse { lock: self.lock_path() });
        }
        self.open_as(schema, Way::ToPlay)
    }

    /// Opens the slot for a keeper, which has it then until it gives it up.
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

    /// Opens the slot once more for the keeper that has it.
    pub(super) fn open_again(&self, schema: &Arc<Schema>) -> Result<Opened, OpenError> {
        self.open_as(schema, Way::ToPlay)
    }

    /// Looks at the slot: opens it without a lock and without changing anything on the disk, whoever else has it open.
    ///
    /// # Errors
    /// As [`Slot::open`], but never [`OpenError::InUse`].
    pub fn view(&self, schema: &Arc<Schema>) -> Result<Opened, OpenError> {
        self.open_as(schema, Way::ToLook)
    }

    fn open_as(&self, schema: &Arc<Schema>, way: Way) -> Result<Opened, OpenError> {
        // What cannot be looked at may well be there.
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

    /// The newer of the last whole states of the file and the copy before it.
    fn newest(&self, schema: &Arc<Schema>, settings: &Settings, way: Way) -> Result<Opened, OpenError> {
        let (path, previous_path) = (self.path(), self.previous_path());
        let file = self.found(&path, schema);
        let previous = self.found(&previous_path, schema);
        match (file, previous) {
            (Found::Missing, Found::Missing) => {
                self.held().began_empty |= way == Way::ToPlay;
                Ok(Opened::first_run(schema, settings))
            }
            (Found::Refused(error), _) => Err(OpenError::Refused { path, error }),
            (Found::Whole(file), Found::Whole(copy)) => self.of_two(*file, *copy, settings, way),
            (Found::Whole(file), of_copy) => {
                let mut opened = self.the_file(*file, settings, way);
                if let Found::Unreadable(error) = of_copy {
                    let message = format!("{error}; the save itself is whole");
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
            // What cannot be read may be whole: it is no ruin.
            (Found::Unreadable(error), _) | (_, Found::Unreadable(error)) => Err(OpenError::Disk(error)),
            (_, Found::Refused(error)) => Err(OpenError::Refused { path: previous_path, error }),
            (Found::Damaged(fault), Found::Missing) => self.ruin(schema, vec![(path, fault)]),
            (Found::Missing, Found::Damaged(fault)) => self.ruin(schema, vec![(previous_path, fault)]),
            (Found::Damaged(fault), Found::Damaged(of_copy)) => {
                self.ruin(schema, vec![(path, fault), (previous_path, of_copy)])
            }
        }
    }

    fn found(&self, path: &Path, schema: &Arc<Schema>) -> Found {
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

    /// One of two whole saves, or what comes of both.
    fn of_two(
        &self,
        file: Verified<Save>,
        copy: Verified<Save>,
        settings: &Settings,
        way: Way,
    ) -> Result<Opened, OpenError> {
        let numbers = (file.head().number, copy.head().number);
        let gives_way = |fault: Fault| ReadError::new("state", file.head().offset, fault);
        match self.relation(file.lineage(), copy.lineage()) {
            Relation::FileIsLater => Ok(self.the_file(file, settings, way)),
            Relation::FileHasErased => {
                let opened = self.the_file(file, settings, way);
                self.held().owes_erasing |= way == Way::ToPlay;
                Ok(opened)
            }
            Relation::CopyHasErased => {
                let fault = gives_way(Fault::ErasedSince { file: numbers.0, copy: numbers.1 });
                self.fall_back(copy, settings, fault, way)
            }
            Relation::CopyIsLater => {
                let older = Fault::OlderThanCopy { file: numbers.0, copy: numbers.1 };
                let fault = file.fault().cloned().unwrap_or_else(|| gives_way(older));
                self.fall_back(copy, settings, fault, way)
            }
            Relation::Apart => Ok(self.meet(file, copy, settings, way)),
        }
    }

    fn relation(&self, file: &Lineage, copy: &Lineage) -> Relation {
        let knows = |one: &Lineage, path: &Path, other: &Lineage| {
            let Some(head) = other.head() else { return false };
            one.has_been(head) || {
                // A file holds more states than its last one names.
                let bytes = self.dir().read(path).ok().flatten().unwrap_or_default();
                History::within(&bytes, self.dir().limits().clone()).lineage().contains(head)
            }
        };
        match () {
            () if Broken::ErasuresForgotten.is() && file.created_unix_ms == copy.created_unix_ms => {
                Relation::FileIsLater
            }
            () if copy.has_erased_since(file) => Relation::CopyHasErased,
            () if file.has_erased_since(copy) => Relation::FileHasErased,
            () if knows(file, &self.path(), copy) => Relation::FileIsLater,
            () if knows(copy, &self.previous_path(), file) => Relation::CopyIsLater,
            () if Broken::NoMeeting.is() => Relation::FileIsLater,
            () => Relation::Apart,
        }
    }

    /// The save in the file, as it is.
    fn the_file(&self, file: Verified<Save>, settings: &Settings, way: Way) -> Opened {
        let origin = match file.fault() {
            None => Origin::File,
            Some(fault) => Origin::EarlierState { fault: fault.clone() },
        };
        self.know(file.lineage(), None, way);
        Opened::from_save(file, settings, origin)
    }

    /// The later of two saves that know nothing of each other, with the records of both.
    fn meet(&self, file: Verified<Save>, copy: Verified<Save>, settings: &Settings, way: Way) -> Opened {
        // By the clock first: it is all that two machines have in common. The rest only makes it the same one each time.
        let order = |save: &Verified<Save>| {
            let head = save.head();
            (head.saved_at_unix_ms, head.number, head.digest)
        };
        let (later, earlier, other) = match order(&file) >= order(&copy) {
            true => (file, copy, self.previous_path()),
            false => (copy, file, self.path()),
        };
        self.know(later.lineage(), Some(earlier.lineage()), way);
        let mut opened = Opened::from_save(later, settings, Origin::Met { other });
        opened.progress.engine_mut().reconcile(earlier.snapshot());
        opened
    }

    /// Remembers what the next save follows, if it was opened to be played, and what it has met.
    pub(super) fn know(&self, save: &Lineage, met: Option<&Lineage>, way: Way) {
        if way == Way::ToPlay {
            let mut known = save.clone();
            met.into_iter().for_each(|met| known.join(met));
            let mut held = self.held();
            (held.known, held.left) = (Some(known), None);
            held.met = met.and_then(Lineage::head).copied();
        }
    }

    /// Progress from the copy; the file, if it is there, is set aside unless this is only to look.
    fn fall_back(
        &self,
        copy: Verified<Save>,
        settings: &Settings,
        fault: ReadError,
        way: Way,
    ) -> Result<Opened, OpenError> {
        let why = match fault.fault {
            Fault::OlderThanCopy { .. } => AsideReason::Older,
            Fault::ErasedSince { .. } => AsideReason::Erased,
            Fault::Unreadable { .. } => AsideReason::Unreadable,
            _ => AsideReason::Damaged,
        };
        // What cannot be read may be readable again in a moment: it stays until the next save.
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

/// How two whole saves of a slot stand to each other.
enum Relation {
    /// The file has grown out of the copy before it.
    FileIsLater,
    /// The copy has grown out of the file: somebody has put an older one back.
    CopyIsLater,
    /// The file is from after something was erased, the copy from before.
    FileHasErased,
    /// The other way round.
    CopyHasErased,
    /// Neither knows of the other.
    Apart,
}
