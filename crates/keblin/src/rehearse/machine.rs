//! The machine of a rehearsal: a real keeper, its writer included, on files in memory that can lose power. Each line
//! is a frame, and the machine waits until what is due is on the disk, so the same rehearsal gives the same report.

use std::collections::BTreeMap;
use std::fmt;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use super::report::FailureKind;
use super::step::WriteStep;
use crate::progress::{Engine, sealed::HasEngine};
use crate::snapshot::{Schema, Snapshot};
use crate::store::backend::{Backend, PowerCut, Tear};
use crate::store::{Keeper, OpenError, Origin, PinError, SaveDir, SaveError, Slot, SwitchError};
use crate::world::PlainObject;

/// The slot that a rehearsal starts with.
const SLOT: &str = "rehearsal";

/// When a rehearsal starts, in milliseconds since 1970, and how long a line takes.
const START_UNIX_MS: u64 = 1_700_000_000_000;
const LINE_MS: u64 = 16;

/// A machine with its files, and the game if it is open.
pub(super) struct Machine {
    schema: Arc<Schema>,
    /// The files, which can lose power.
    files: PowerCut,
    clock_unix_ms: u64,
    /// The name of the slot.
    slot: String,
    /// `None` while the game is closed.
    game: Option<Keeper>,
    /// The save that is still loading, and how long it takes.
    late: Option<(Duration, Option<Snapshot>)>,
    pub(super) autosave: bool,
    /// How often each notice was delivered since it was last expected.
    told: BTreeMap<String, usize>,
    /// The game's own objects in each loaded area, by kind.
    pub(super) objects: BTreeMap<usize, Vec<Vec<PlainObject>>>,
}

impl Machine {
    pub(super) fn new(schema: &Arc<Schema>) -> Machine {
        let machine = Machine {
            schema: Arc::clone(schema),
            files: PowerCut::new(),
            clock_unix_ms: START_UNIX_MS,
            slot: SLOT.to_string(),
            game: None,
            late: None,
            autosave: true,
            told: BTreeMap::new(),
            objects: BTreeMap::new(),
        };
        // The same in every run of a rehearsal.
        machine.files.files().set_machine(0);
        machine.set_clock();
        machine
    }

    /// Returns another machine with a copy of the files. The game is closed there.
    pub(super) fn another(&self) -> Machine {
        let machine = Machine {
            files: PowerCut::of(self.files.files()),
            clock_unix_ms: self.clock_unix_ms,
            slot: self.slot.clone(),
            ..Machine::new(&self.schema)
        };
        machine.files.files().set_machine(1);
        machine.set_clock();
        machine
    }

    /// Installs another build of the game, which must be closed.
    pub(super) fn install(&mut self, schema: &Arc<Schema>) -> Result<(), FailureKind> {
        if self.game.is_some() {
            return Err(FailureKind::Running);
        }
        self.schema = Arc::clone(schema);
        Ok(())
    }

    pub(super) fn schema(&self) -> &Schema {
        &self.schema
    }

    pub(super) fn progress(&self) -> Option<&Engine> {
        self.game.as_ref().map(|game| game.holder.engine())
    }

    pub(super) fn progress_mut(&mut self) -> Result<&mut Engine, FailureKind> {
        Ok(self.game_mut()?.holder.engine_mut())
    }

    fn game_mut(&mut self) -> Result<&mut Keeper, FailureKind> {
        self.game.as_mut().ok_or(FailureKind::Closed)
    }

    /// Returns the slot on the current files.
    fn slot(&self) -> Result<Slot, FailureKind> {
        let files: Arc<dyn Backend> = Arc::new(self.files.clone());
        SaveDir::on(files, "saves").slot(&self.slot).map_err(failed)
    }

    fn set_clock(&self) {
        self.files.files().set_clock(self.clock_unix_ms);
    }

    /// Lets time pass on the clock, also while the game is closed.
    pub(super) fn pass(&mut self, elapsed: Duration) {
        self.clock_unix_ms += u64::try_from(elapsed.as_millis()).unwrap_or(u64::MAX / 2);
        self.set_clock();
    }

    /// Ends the frame of a line: what is due is saved, and notices are counted.
    pub(super) fn end_line(&mut self, elapsed: Duration) {
        self.pass(Duration::from_millis(LINE_MS));
        self.wait(elapsed);
        let Some(game) = &mut self.game else { return };
        // A save must not replace data that has not arrived yet.
        if game.holder.engine().is_ready() {
            if !self.autosave {
                let _ = game.holder.engine_mut().take_due();
            }
            game.end_frame_on_disk(elapsed);
        }
        self.count_notices();
    }

    /// Lets the loading save arrive.
    fn wait(&mut self, elapsed: Duration) {
        let Some((left, saved)) = self.late.take() else { return };
        match left.checked_sub(elapsed).filter(|left| !left.is_zero()) {
            Some(left) => self.late = Some((left, saved)),
            None => self.game.iter_mut().for_each(|game| game.holder.engine_mut().arrive(saved.clone())),
        }
    }

    fn count_notices(&mut self) {
        let Some(game) = &mut self.game else { return };
        for notice in game.holder.engine_mut().drain_notices() {
            let word = notice.word();
            let about = notice.about(&self.schema).map(|about| format!("{word} {about}"));
            for told in [Some(word.to_string()), about].into_iter().flatten() {
                *self.told.entry(told).or_default() += 1;
            }
        }
    }

    /// Checks how often a notice was delivered since it was last expected, or since the launch. Once the notice was
    /// expected for one field or level, the count of the notice alone leaves that delivery out.
    pub(super) fn expect_told(&mut self, told: &str, expected: usize) -> Result<(), FailureKind> {
        let actual = self.told.remove(told).unwrap_or(0);
        if let Some(all) = told.split_once(' ').and_then(|(word, _)| self.told.get_mut(word)) {
            *all = all.saturating_sub(actual);
        }
        let word = told.to_string();
        if actual == expected { Ok(()) } else { Err(FailureKind::Notices { word, expected, actual }) }
    }

    pub(super) fn launch(&mut self, late: Duration) -> Result<(), FailureKind> {
        if self.game.is_some() {
            return Err(FailureKind::Running);
        }
        let mut game = Keeper::open(&self.slot()?, &self.schema).map_err(not_opened)?;
        if !late.is_zero() {
            let is_first = *game.origin() == Origin::FirstRun;
            let awaiting = Engine::awaiting(Arc::clone(&self.schema));
            let saved = std::mem::replace(game.holder.engine_mut(), awaiting);
            self.late = Some((late, (!is_first).then(|| saved.snapshot())));
        }
        self.game = Some(game);
        self.told.clear();
        self.objects.clear();
        self.count_notices();
        Ok(())
    }

    /// Saves at once, unless the data has not arrived yet.
    pub(super) fn save(&mut self, cause: &str) -> Result<(), FailureKind> {
        let game = self.game_mut()?;
        if !game.holder.engine().is_ready() {
            return Ok(());
        }
        game.save_for(cause).map(drop).map_err(not_saved)
    }

    pub(super) fn quit(&mut self) -> Result<(), FailureKind> {
        self.save("quit")?;
        self.abandon();
        Ok(())
    }

    /// Ends the game without saving; what was due before is on the disk.
    pub(super) fn abandon(&mut self) {
        self.game.take().into_iter().for_each(Keeper::abandon);
        self.late = None;
    }

    pub(super) fn kill(&mut self) -> Result<(), FailureKind> {
        self.game_mut()?;
        self.abandon();
        Ok(())
    }

    /// Cuts the power while the current state is being saved.
    pub(super) fn kill_at(&mut self, at: WriteStep) -> Result<(), FailureKind> {
        let before = self.files.calls();
        self.save("kill")?;
        let after = self.files.calls();
        let (calls, tear) = match at {
            WriteStep::Begin => (before, Tear::Lost),
            WriteStep::Half => ((before + 1).min(after), Tear::Half),
            WriteStep::Sync => (after.saturating_sub(1).max(before), Tear::Lost),
            WriteStep::End => (after, Tear::Lost),
        };
        self.abandon();
        self.files = PowerCut::of(&self.files.after(calls, tear));
        self.set_clock();
        Ok(())
    }

    /// Chooses another slot: the running game switches to it, and the next launch opens it.
    pub(super) fn choose(&mut self, name: &str) -> Result<(), FailureKind> {
        let before = std::mem::replace(&mut self.slot, name.to_string());
        let slot = self.slot()?;
        let switched = self.game.as_mut().map_or(Ok(()), |game| game.switch_to(&slot));
        if switched.is_ok() {
            // They belong to the slot before.
            self.objects.clear();
        }
        switched.map_err(|error| {
            self.slot = before;
            match error {
                SwitchError::Save(error) => not_saved(error),
                SwitchError::Open(error) => not_opened(error),
            }
        })
    }

    pub(super) fn pin(&mut self, name: &str) -> Result<(), FailureKind> {
        self.game_mut()?.pin(name).map_err(not_pinned)
    }

    pub(super) fn back_to(&mut self, name: &str, yes: bool) -> Result<(), FailureKind> {
        self.game_mut()?.back_to(name, yes).map_err(not_pinned)
    }

    /// Opens the slot in another copy of the game on this machine.
    pub(super) fn elsewhere(&self) -> Result<Keeper, FailureKind> {
        Keeper::open(&self.slot()?, &self.schema).map_err(not_opened)
    }

    /// Opens a copy of the slot that only views it.
    pub(super) fn view(&self) -> Result<Keeper, FailureKind> {
        Keeper::view(&self.slot()?, &self.schema).map_err(not_opened)
    }

    /// Puts the save of another machine in place of the one here, as a sync program does.
    /// Puts a save into the slot. The game must be closed.
    pub(super) fn give(&self, save: &[u8]) -> Result<(), FailureKind> {
        if self.game.is_some() {
            return Err(FailureKind::Running);
        }
        self.files
            .publish(&self.slot()?.path(), Path::new("saves/aside/given.part"), &[save])
            .map(drop)
            .map_err(failed)
    }

    pub(super) fn take_file_of(&self, other: &Machine) -> Result<(), FailureKind> {
        let path = self.slot()?.path();
        let bytes = other.files.files().files().get(&path).cloned().ok_or(FailureKind::NoFile)?;
        self.files.publish(&path, Path::new("saves/aside/synced.part"), &[&bytes]).map(drop).map_err(failed)
    }
}

fn failed(error: impl fmt::Display) -> FailureKind {
    FailureKind::Slot(error.to_string())
}

fn not_opened(error: OpenError) -> FailureKind {
    if matches!(error, OpenError::InUse { .. }) { FailureKind::InUse } else { failed(error) }
}

fn not_saved(error: SaveError) -> FailureKind {
    if matches!(error, SaveError::InUse { .. }) { FailureKind::InUse } else { failed(error) }
}

fn not_pinned(error: PinError) -> FailureKind {
    match error {
        PinError::Refused(refused) => FailureKind::Refused(refused),
        PinError::Save(error) => not_saved(error),
        other => failed(other),
    }
}
