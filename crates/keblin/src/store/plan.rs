//! What publishing a whole file does with the files that are there. It is decided here from what is seen, before anything
//! is written; `publish` then does it, one act after the other.

use super::publish::How;
use super::slot_state::Relation;
use crate::broken::Broken;
use crate::progress::AsideReason;

/// Where a save can be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Place {
    /// Under the slot's name.
    File,
    Backup,
}

/// What is seen in a place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Seen {
    Missing,
    /// A file that cannot be read, or does not belong to this game.
    Unusable(AsideReason),
    /// A file that is not intact, to its end and block by block.
    Damaged,
    /// An intact save, and how it relates to ours.
    Save(Relation),
}

/// All that the decision depends on.
#[derive(Clone, Copy, Debug)]
pub(super) struct Situation {
    pub(super) how: How,
    pub(super) file: Seen,
    pub(super) backup: Seen,
    /// Whether the file is from before an erasure that only the backup knows of.
    pub(super) predates_backup: bool,
    /// Whether the file continues the backup.
    pub(super) continues_backup: bool,
    /// Whether ours continues the backup.
    pub(super) ours_continues_backup: bool,
    /// Whether both ours and the backup are among the states in the file, although it is damaged: the file is in our
    /// line, but the backup is older than the predecessors that ours lists.
    pub(super) is_in_line: bool,
    /// Whether the damage of the file is of our own failed write, which was reported already.
    pub(super) is_own_damage: bool,
}

/// One thing to do.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Act {
    /// Copies a file aside under a name that says why: it stays intact until another one takes its place.
    CopyAside(Place, AsideReason),
    /// Moves a file aside.
    MoveAside(Place, AsideReason),
    /// The existing file becomes the backup.
    FileToBackup,
    /// The new file becomes the backup too.
    NewToBackup,
    /// The new file takes its place.
    New,
}

/// What publishing does.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Plan {
    /// The save that ours is merged with before it is written.
    pub(super) merges: Option<Place>,
    /// The save of another program that gives way, which is reported with its contents.
    pub(super) replaces: Option<Place>,
    /// What to do, in this order.
    pub(super) acts: Vec<Act>,
}

impl Situation {
    /// Returns what to do.
    pub(super) fn plan(&self) -> Plan {
        let (relation, place) = self.existing();
        let is_stranger = relation == Some(Relation::Stranger);
        let is_erased = relation == Some(Relation::BeforeErasing) && place == Place::File;
        let mut plan = Plan {
            // Also after an erasure: what was erased more often gives nothing.
            merges: is_stranger.then_some(place),
            replaces: (is_stranger || is_erased).then_some(place),
            acts: Vec::new(),
        };
        if let Seen::Unusable(why) = self.backup {
            plan.acts.push(Act::MoveAside(Place::Backup, why));
        }
        match self.file {
            Seen::Unusable(why) => self.pass_the_unusable(why, &mut plan),
            _ => self.make_way(relation.filter(|_| place == Place::File), &mut plan),
        }
        let keeps_backup = match (place, relation) {
            (Place::Backup, _) => is_stranger,
            // An erasure replaces the backup.
            (Place::File, Some(Relation::Latest)) => false,
            (Place::File, _) => {
                let is_save = matches!(self.backup, Seen::Save(_));
                self.how.erases() && is_save && !self.ours_continues_backup && !self.continues_backup
            }
        };
        let kept = Act::CopyAside(Place::Backup, AsideReason::Replaced);
        if keeps_backup && !plan.acts.contains(&kept) {
            plan.acts.push(kept);
        }
        plan.acts.push(Act::New);
        if self.is_own_backup(&plan) {
            plan.acts.push(Act::NewToBackup);
        }
        plan
    }

    /// Returns how the existing save relates to ours, and where it is. If the file is not intact, or is from before an
    /// erasure, that is the backup: it may be the only one left.
    fn existing(&self) -> (Option<Relation>, Place) {
        match (self.file, self.backup) {
            (Seen::Save(relation), _) if !self.predates_backup => (Some(relation), Place::File),
            _ if self.is_in_line => (Some(Relation::Earlier), Place::Backup),
            (_, Seen::Save(relation)) => (Some(relation), Place::Backup),
            _ => (None, Place::Backup),
        }
    }

    /// A file that cannot be read cannot be copied: the new file becomes the backup as well, before the old one is moved.
    fn pass_the_unusable(&self, why: AsideReason, plan: &mut Plan) {
        if matches!(self.backup, Seen::Damaged | Seen::Save(_)) && !self.ours_continues_backup {
            plan.acts.push(Act::CopyAside(Place::Backup, AsideReason::Replaced));
        }
        plan.acts.extend([Act::NewToBackup, Act::MoveAside(Place::File, why)]);
    }

    /// The existing file becomes the backup if it is ours and continues the current one; otherwise it is copied aside.
    fn make_way(&self, relation: Option<Relation>, plan: &mut Plan) {
        let why = match (self.file, relation) {
            (Seen::Missing | Seen::Unusable(_), _) => return,
            (Seen::Damaged, _) => AsideReason::Damaged,
            (_, None | Some(Relation::BeforeErasing)) => AsideReason::Erased,
            (_, Some(Relation::Stranger | Relation::Merged)) => AsideReason::Replaced,
            (_, Some(Relation::Earlier)) => AsideReason::Older,
            (_, Some(Relation::Latest)) => {
                let diverged = self.has_diverged();
                match self.backup {
                    Seen::Damaged => plan.acts.push(Act::CopyAside(Place::Backup, AsideReason::Damaged)),
                    _ if diverged => plan.acts.push(Act::CopyAside(Place::Backup, AsideReason::Replaced)),
                    _ => {}
                }
                plan.acts.extend(match (self.how.erases(), diverged) {
                    (true, _) => None,
                    // Two saves have met: the new file becomes the backup once it is there.
                    (false, true) => Some(Act::CopyAside(Place::File, AsideReason::Replaced)),
                    (false, false) => (!Broken::NoPrevious.is()).then_some(Act::FileToBackup),
                });
                return;
            }
        };
        plan.acts.push(Act::CopyAside(Place::File, why));
    }

    /// Returns whether the file is ours, and the backup is a save that it does not continue.
    fn has_diverged(&self) -> bool {
        matches!(self.backup, Seen::Save(_)) && !self.continues_backup
    }

    /// Returns whether the new file becomes its own backup: if there is none, and after an erasure; and if two saves have
    /// met, so that neither is lost if a sync program puts an old one back.
    fn is_own_backup(&self, plan: &Plan) -> bool {
        let has_met = match self.existing() {
            (Some(Relation::Latest), Place::File) => self.has_diverged(),
            (Some(Relation::Stranger | Relation::Merged), Place::File) => self.ours_continues_backup,
            _ => false,
        };
        let has_backup = plan.acts.iter().any(|act| matches!(act, Act::FileToBackup | Act::NewToBackup));
        let is_missing = matches!(self.backup, Seen::Missing | Seen::Unusable(_)) && !has_backup;
        let is_wanted = self.how == How::WithCopy && is_missing && !Broken::NoPrevious.is();
        self.how.erases() || has_met || is_wanted
    }
}
