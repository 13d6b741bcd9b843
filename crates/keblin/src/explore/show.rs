//! Breaches as rehearsals: the way to each is made as short as it can be, and is then played exactly, with a keeper and
//! files. Only what fails there too is reported.

use std::collections::BTreeSet;
use std::mem::swap;
use std::sync::Arc;

use super::breach::{Breach, Unkept};
use super::moves::Move;
use super::play::{Played, played};
use super::promises::{Before, Promises};
use super::tell::{Key, Projection};
use crate::progress::Engine;
use crate::rehearse::{Rehearsal, Report};
use crate::snapshot::Schema;

/// What shows a breach: a move that breaks a promise, or a state from which something cannot be reached.
pub(super) enum Shows<'s> {
    /// The last move breaks this promise.
    Move,
    /// The last state is one of these.
    State(&'s BTreeSet<Key>),
    /// Anything that leads to the same: the moves cannot be left out one by one.
    Anything,
}

/// What is needed to play a way again.
pub(super) struct Showing<'s> {
    pub(super) schema: &'s Arc<Schema>,
    pub(super) start: &'s Engine,
    /// The rehearsal that leads to the start.
    pub(super) from: Option<&'s Rehearsal>,
    pub(super) moves: &'s [Move],
    pub(super) promises: &'s Promises,
    pub(super) projection: &'s Projection,
}

impl Showing<'_> {
    /// Returns a breach with its shortest rehearsal; `None` if it does not fail when it is played exactly.
    pub(super) fn breach(&self, path: Vec<u16>, shows: &Shows<'_>, broken: Unkept) -> Option<Breach> {
        let (path, broken) = self.shortest(path, shows, broken);
        self.played(&self.lines(&path, &broken), broken)
    }

    /// Returns a breach with its rehearsal; `None` if it does not fail when it is played exactly.
    pub(super) fn played(&self, lines: &[String], broken: Unkept) -> Option<Breach> {
        let (last, report) = self.report(lines)?;
        // After a power cut the game may not even open.
        let first = last - broken.then.len();
        let failure = report.failure.as_ref().filter(|failure| failure.line >= first)?;
        let changes =
            report.steps.iter().flat_map(|step| step.changes.iter().map(move |change| (step.line, change)));
        let trace = changes.map(|(line, change)| {
            format!("line {line}: {}: {} -> {}", change.name, change.before, change.after)
        });
        Some(Breach {
            code: broken.code,
            about: broken.about,
            message: broken.message,
            failure: failure.kind.to_string(),
            trace: trace.collect(),
            script: script(self.from, lines),
        })
    }

    /// Leaves out every move that can be left out.
    fn shortest(&self, mut path: Vec<u16>, shows: &Shows<'_>, mut broken: Unkept) -> (Vec<u16>, Unkept) {
        let last = usize::from(matches!(shows, Shows::Move));
        let mut at = path.len().saturating_sub(last);
        while at > 0 {
            at -= 1;
            let mut shorter = path.clone();
            shorter.remove(at);
            if let Some(still) = self.still(&shorter, shows, &broken) {
                (path, broken) = (shorter, still);
                // Something before it may have been needed only for it.
                at = path.len().saturating_sub(last);
            }
        }
        (path, broken)
    }

    /// Returns what is broken if a way shows the same.
    fn still(&self, path: &[u16], shows: &Shows<'_>, broken: &Unkept) -> Option<Unkept> {
        let (mut engine, mut after, mut found) = (self.start.clone(), self.start.clone(), None);
        for (place, by) in path.iter().enumerate() {
            let one = self.moves.get(usize::from(*by))?;
            let Played::Done(stepped) = played(&engine, one, &mut after, true) else { return None };
            if place + 1 == path.len() && matches!(shows, Shows::Move) {
                let all = self.promises.broken(&Before::new(&engine), one, (&after, &stepped));
                found =
                    all.into_iter().find(|other| (other.code, &other.about) == (broken.code, &broken.about));
            }
            swap(&mut engine, &mut after);
        }
        match shows {
            Shows::Move => found,
            Shows::State(keys) => keys.contains(&self.projection.key(&engine)).then(|| broken.clone()),
            Shows::Anything => None,
        }
    }

    fn lines(&self, path: &[u16], broken: &Unkept) -> Vec<String> {
        let (before, last) = path.split_at(path.len().saturating_sub(1));
        let mut lines = self.lines_of(before);
        lines.extend(broken.holds.iter().cloned());
        lines.extend(self.lines_of(last));
        lines.extend(broken.then.iter().cloned());
        lines.extend(broken.fails.iter().cloned());
        lines
    }

    /// Returns the lines of some moves.
    pub(super) fn lines_of(&self, path: &[u16]) -> Vec<String> {
        let mut lines = Vec::new();
        for one in path.iter().filter_map(|by| self.moves.get(usize::from(*by))) {
            lines.extend(one.lines.iter().cloned());
            if let (Some(name), Some(last)) = (&one.name, lines.last_mut()) {
                *last = format!("{last}  # {name}");
            }
        }
        lines
    }

    fn report(&self, lines: &[String]) -> Option<(usize, Report)> {
        let rehearsal = continued(self.schema, self.from, lines)?;
        let last = rehearsal.lines().last()?.number;
        Some((last, rehearsal.run()))
    }
}

/// Returns lines as a rehearsal, after another one.
pub(super) fn continued(
    schema: &Arc<Schema>,
    from: Option<&Rehearsal>,
    lines: &[String],
) -> Option<Rehearsal> {
    let text = lines.join("\n");
    match from {
        Some(from) => from.continued(&text).ok(),
        None => Rehearsal::parse("explored", &text, schema).ok(),
    }
}

/// Returns lines as text, with those of the rehearsal before them.
pub(super) fn script(from: Option<&Rehearsal>, lines: &[String]) -> String {
    let before = from.into_iter().flat_map(Rehearsal::lines).map(|line| &line.text);
    before.chain(lines).map(|line| format!("{line}\n")).collect()
}
