//! The account of two saves that met: what became of every value that was not the same in both.

use std::fmt;

use keblin_model::Value;

use super::meeting::Side;
use super::parts::Part;
use super::reconcile::Reconciled;
use crate::snapshot::Snapshot;

/// What became of a value that was not the same in two saves.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Met {
    /// What it is, as people read it: `oil`, `best_crossing at reedgate, neap`.
    pub what: String,
    /// Our value.
    pub ours: Value,
    /// Their value.
    pub theirs: Value,
    /// The value of both together.
    pub now: Value,
    /// Whose value it is.
    pub kept: Kept,
    /// Whose value was lost: both have changed it, as far as is known, and only one of them can be kept.
    pub lost: Option<Side>,
}

keblin_model::words! {
    /// Whose value was kept.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum Kept {
        /// Ours.
        Ours = "ours",
        /// Theirs.
        Theirs = "theirs",
        /// Something of both: a sum, a set, a table of best values.
        Both = "both",
    }
}

impl Reconciled<'_> {
    /// Returns what became of every value that was not the same in both: first the run, as it was before one of the two
    /// ended, then everything else, with the records of the one that ended.
    #[must_use]
    pub fn account(&self) -> Vec<Met> {
        let Reconciled { ours, theirs, ended, snapshot, .. } = self;
        let schema = &snapshot.schema;
        let (with_records, theirs_with_records) = match (self.run, ended) {
            (Side::Ours, Some(ended)) => (*ours, ended),
            (Side::Theirs, Some(ended)) => (ended, *theirs),
            _ => (*ours, *theirs),
        };
        let runs = Part::that_differ(ours, theirs).into_iter();
        let runs = runs.filter(|part| part.is_of_run(schema) && !part.is_copy());
        let runs = runs.map(|part| met(&part, ours, theirs, snapshot));
        let mut others = Part::that_differ(with_records, theirs_with_records);
        // What both had alike can be another value now: a run that gave way has offered it.
        let new = Part::that_differ(with_records, snapshot);
        others.extend(new.into_iter().filter(|part| !others.contains(part)).collect::<Vec<Part>>());
        let others = others.into_iter().filter(|part| !part.is_of_run(schema));
        let others = others.map(|part| met(&part, with_records, theirs_with_records, snapshot));
        runs.chain(others).collect()
    }
}

/// `letters_total: ours 31, theirs 28 -> 39 (both)`
impl fmt::Display for Met {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Met { what, ours, theirs, now, kept, lost } = self;
        write!(f, "{what}: ours {ours}, theirs {theirs}")?;
        write!(f, " -> {now} ({})", kept.as_str())?;
        match lost {
            Some(Side::Ours) => write!(f, "; ours is lost"),
            Some(Side::Theirs) => write!(f, "; theirs is lost"),
            None => Ok(()),
        }
    }
}

/// Returns what became of a part.
fn met(part: &Part, ours: &Snapshot, theirs: &Snapshot, now: &Snapshot) -> Met {
    let [of_ours, of_theirs, now] = [ours, theirs, now].map(|of| part.value(of));
    let kept = match (now == of_ours, now == of_theirs) {
        (true, _) => Kept::Ours,
        (false, true) => Kept::Theirs,
        (false, false) => Kept::Both,
    };
    let lost = match kept {
        _ if !part.is_one_of_two(&ours.schema) => None,
        Kept::Ours if was_seen(part, theirs, ours) => None,
        Kept::Theirs if was_seen(part, ours, theirs) => None,
        Kept::Ours => Some(Side::Theirs),
        _ => Some(Side::Ours),
    };
    Met { what: part.text(&ours.schema), ours: of_ours, theirs: of_theirs, now, kept, lost }
}

/// Returns whether a value was known where the other one was written that replaces it, or is nobody's.
fn was_seen(part: &Part, value: &Snapshot, by: &Snapshot) -> bool {
    let (Some(history), Some(by)) = (&value.history, &by.history) else { return false };
    let written = part.piece(&value.schema).map_or(history.top, |piece| history.written(&piece));
    by.has_seen(written)
}
