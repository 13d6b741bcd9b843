//! Opens a slot, in this order: the lock, the last intact state of the file and of the backup, the newer of the two,
//! its seal, its values and their relations. Never a mixture, and never a first run if there was a save.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::device::ReadSettings;
use super::error::DiskError;
use super::logged;
use super::open_result::{OpenError, Opened, Origin};
use super::precedence::{Precedence, order};
use super::redeclared::is_misfit;
use super::ruin::Ruin;
use super::slot::Slot;
use crate::broken::Broken;
use crate::progress::{AsideReason, Notice};
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
        let is_there = may_be_there(&self.path())
            || may_be_there(&self.previous_path())
            || !matches!(self.own_files().as_deref(), Ok([]));
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

    /// Takes the newer of the last intact states of the file and the backup, with this machine's own last state.
    fn newest(&self, schema: &Arc<Schema>, settings: &ReadSettings, way: Way) -> Result<Opened, OpenError> {
        let (path, previous_path) = (self.path(), self.previous_path());
        let file = self.found(&path, schema);
        let previous = self.found(&previous_path, schema);
        let own = self.own_state(schema, way, matches!(file, Found::Whole(_)));
        // Without a backup, this machine's own last state is one.
        let (previous_path, previous) = match (previous, &own) {
            (Found::Missing | Found::Damaged(_) | Found::Unreadable(_), Some((path, own)))
                if !matches!(file, Found::Whole(_)) =>
            {
                (path.clone(), Found::Whole(Box::new(own.clone())))
            }
            (previous, _) => (previous_path, previous),
        };
        let opening = Opening { settings, way, own };
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
            (Found::Whole(file), Found::Whole(copy)) => self.of_two(*file, (previous_path, *copy), &opening),
            (Found::Whole(file), of_copy) => {
                let mut opened = self.the_file(*file, &opening);
                if let Found::Unreadable(error) = of_copy {
                    let message = format!("{error}; the save itself is intact");
                    let place = previous_path.display().to_string();
                    opened.findings.push(SaveFinding::warning(SaveCode::CopyUnreadable, place, message));
                }
                Ok(opened)
            }
            (Found::Damaged(fault), Found::Whole(copy)) => self.fall_back(*copy, fault, &opening),
            (Found::Unreadable(error), Found::Whole(copy)) => {
                let fault = ReadError::new("file", 0, Fault::Unreadable { why: error.source.to_string() });
                self.fall_back(*copy, fault, &opening)
            }
            (Found::Missing, Found::Whole(copy)) => {
                let fault = ReadError::new("file", 0, Fault::Missing);
                self.fall_back(*copy, fault, &opening)
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
        (copy_path, copy): (PathBuf, Verified<Save>),
        opening: &Opening<'_>,
    ) -> Result<Opened, OpenError> {
        let numbers = (file.head().number, copy.head().number);
        let gives_way = |fault: Fault| ReadError::new("state", file.head().offset, fault);
        match self.precedence(file.lineage(), copy.lineage(), &copy_path) {
            Precedence::FileIsLater => Ok(self.the_file(file, opening)),
            Precedence::FileHasErased => {
                let opened = self.the_file(file, opening);
                self.held().owes_erasing |= opening.way == Way::ToPlay;
                Ok(opened)
            }
            Precedence::CopyHasErased => {
                let fault = gives_way(Fault::ErasedSince { file: numbers.0, copy: numbers.1 });
                self.fall_back(copy, fault, opening)
            }
            Precedence::CopyIsLater => {
                let older = Fault::OlderThanCopy { file: numbers.0, copy: numbers.1 };
                let fault = file.fault().cloned().unwrap_or_else(|| gives_way(older));
                self.fall_back(copy, fault, opening)
            }
            Precedence::Apart => Ok(self.merge(file, (copy_path, copy), opening)),
        }
    }

    /// Takes the save in the file.
    fn the_file(&self, file: Verified<Save>, opening: &Opening<'_>) -> Opened {
        let origin = match file.fault() {
            None => Origin::File,
            Some(fault) => Origin::EarlierState { fault: fault.clone() },
        };
        self.opened(file, None, origin, opening)
    }

    /// Merges two saves that know nothing of each other.
    fn merge(
        &self,
        file: Verified<Save>,
        (copy_path, copy): (PathBuf, Verified<Save>),
        opening: &Opening<'_>,
    ) -> Opened {
        let (later, earlier, other) = match order(&file) >= order(&copy) {
            true => (file, copy, copy_path),
            false => (copy, file, self.path()),
        };
        let merged = later.merged_with(&earlier);
        self.opened(merged, Some(earlier.lineage()), Origin::Met { other }, opening)
    }

    /// Returns what was opened, merged with this machine's own last state, and notes which save the next one continues.
    fn opened(
        &self,
        mut save: Verified<Save>,
        met: Option<&Lineage>,
        mut origin: Origin,
        opening: &Opening<'_>,
    ) -> Opened {
        let mut met = met.cloned();
        if let Some((path, own)) = &opening.own
            && !Broken::NoMeeting.is()
            && !save.lineage().knows(own.lineage())
            && met.as_ref().is_none_or(|met| !met.knows(own.lineage()))
        {
            let is_later = order(own) > order(&save);
            let (later, earlier) = if is_later { (own.clone(), save) } else { (save, own.clone()) };
            save = later.merged_with(&earlier);
            met.get_or_insert_with(|| earlier.lineage().clone()).join(earlier.lineage());
            // That the backup was taken says more: what is wrong with the file.
            if !matches!(origin, Origin::Previous { .. }) {
                origin = Origin::Met { other: if is_later { self.path() } else { path.clone() } };
            }
        }
        self.know(&save, met.as_ref(), opening.way);
        let is_merged = matches!(origin, Origin::Met { .. });
        let mut opened = Opened::from_save(save, opening.settings, origin);
        if is_merged {
            opened.progress.engine_mut().tell(Notice::Reconciled);
        }
        opened
    }

    /// Notes which save the next one continues, if it was opened to be played, and which save it has met.
    pub(super) fn know(&self, save: &Verified<Save>, met: Option<&Lineage>, way: Way) {
        if way == Way::ToPlay {
            let mut known = save.lineage().clone();
            met.into_iter().for_each(|met| known.join(met));
            let mut held = self.held();
            (held.known, held.left) = (Some(known), None);
            held.last = Some(save.snapshot().clone());
            held.met = met.and_then(Lineage::head).copied();
        }
    }

    /// Takes the backup; sets the file aside, if it exists, except for a view.
    fn fall_back(
        &self,
        copy: Verified<Save>,
        fault: ReadError,
        opening: &Opening<'_>,
    ) -> Result<Opened, OpenError> {
        let why = match fault.fault {
            Fault::OlderThanCopy { .. } => AsideReason::Older,
            Fault::ErasedSince { .. } => AsideReason::Erased,
            Fault::Unreadable { .. } => AsideReason::Unreadable,
            _ => AsideReason::Damaged,
        };
        // A file that cannot be read may soon be readable again: it stays until the next save.
        let is_to_go = opening.way == Way::ToPlay && why != AsideReason::Unreadable;
        let is_there = is_to_go && self.dir().exists(&self.path())?;
        let set_aside = if is_there { Some(self.set_aside(&self.path(), why.as_str())?) } else { None };
        Ok(self.opened(copy, None, Origin::Previous { fault, set_aside }, opening))
    }

    fn ruin(&self, schema: &Arc<Schema>, faults: Vec<(PathBuf, ReadError)>) -> Result<Opened, OpenError> {
        Err(OpenError::Damaged(Box::new(Ruin::of(self.clone(), Arc::clone(schema), faults)?)))
    }
}

/// What every way of opening needs to know.
struct Opening<'o> {
    settings: &'o ReadSettings,
    way: Way,
    /// This machine's own last state, with its path.
    own: Option<(PathBuf, Verified<Save>)>,
}
