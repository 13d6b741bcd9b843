//! Two copies of the game that went on apart from one save, and meet: what either of them reached is still there, what both
//! have counted counts once, and no invariant is broken.

use std::cell::OnceCell;
use std::collections::BTreeSet;

use keblin_model::Keep;
use keblin_model::model::Scope;

use super::breach::{Breach, Unkept};
use super::counts::Counted;
use super::found::Found;
use super::moves::{Move, MoveKind};
use super::play::replayed;
use super::promises::Turn;
use super::show::Showing;
use crate::progress::Engine;
use crate::progress::history::{Erasures, recorded};
use crate::progress::reconcile::merged;
use crate::snapshot::Snapshot;

/// How many states of a question meet one another, spread over all that were found.
const STATES: usize = 16;

/// What was played before the copies went apart, and by each of them since.
#[derive(Clone)]
struct Ways {
    both: Vec<u16>,
    here: Vec<u16>,
    far: Vec<u16>,
}

/// The parts, so that each can be made shorter.
const PARTS: [fn(&mut Ways) -> &mut Vec<u16>; 3] =
    [|ways| &mut ways.both, |ways| &mut ways.here, |ways| &mut ways.far];

/// Returns what is lost when two copies meet, each with its rehearsal, and how much of it was not confirmed.
pub(super) fn lost_by_copies(showing: &Showing<'_>, found: &Found) -> (Vec<Breach>, usize) {
    let states: BTreeSet<usize> = (0..STATES).map(|one| one * found.states() / STATES).collect();
    let paths =
        states.into_iter().filter_map(|state| u32::try_from(state).ok()).map(|state| found.path(state));
    // What one copy has erased, the other one does not bring back.
    let gives_up = |by: &u16| showing.moves.get(usize::from(*by)).is_none_or(Move::gives_up);
    let paths: Vec<Vec<u16>> = paths.filter(|path| !path.iter().any(gives_up)).collect();
    let (mut breaches, mut tried, mut unconfirmed) = (Vec::new(), BTreeSet::new(), 0);
    for (place, here) in paths.iter().enumerate() {
        for far in paths.iter().skip(place + 1) {
            let ways = Ways::of(here, far);
            for lost in ways.lost(showing).unwrap_or_default() {
                if tried.insert((lost.code, lost.about.clone())) {
                    let (shortest, lost) = ways.clone().shortest(showing, lost);
                    let shown = shortest.shown(showing, lost);
                    unconfirmed += usize::from(shown.is_none());
                    breaches.extend(shown);
                }
            }
        }
    }
    (breaches, unconfirmed)
}

impl Ways {
    fn of(here: &[u16], far: &[u16]) -> Ways {
        let same = here.iter().zip(far).take_while(|(here, far)| here == far).count();
        let ((both, here), (_, far)) = (here.split_at(same), far.split_at(same));
        Ways { both: both.to_vec(), here: here.to_vec(), far: far.to_vec() }
    }

    /// Returns what is lost when the copies meet here, where the player is; `None` if a move is not possible.
    fn lost(&self, showing: &Showing<'_>) -> Option<Vec<Unkept>> {
        let model = showing.schema;
        let both = replayed(showing.start, showing.moves, &self.both)?;
        let here = replayed(&both, showing.moves, &self.here)?;
        let far = replayed(&both, showing.moves, &self.far)?;
        // As the keepers of two machines do: this one saves, and merges what the other one has saved.
        let saved = |before: Option<&Snapshot>, game: &Engine, machine: u64| {
            recorded(before, &game.snapshot(), machine, 0, &Erasures::default())
        };
        let base = saved(None, &both, 1);
        let (ours, theirs) = (saved(Some(&base), &here, 1), saved(Some(&base), &far, 2));
        let mut met = here.clone();
        met.reconcile(&merged(&ours, &theirs).snapshot, &ours);
        let by = Move {
            kind: MoveKind::Meet,
            name: Some("sync from far".to_string()),
            lines: Vec::new(),
            parts: Vec::new(),
        };
        let kept = model.fields.iter().enumerate().filter(|(_, field)| {
            field.scope == Scope::Profile && field.durable && field.keep != Keep::Latest
        });
        let kept: Vec<_> = kept.collect();
        let lost_to = |before: &Engine| {
            let turn = Turn { model, before, was_open: &OnceCell::new(), after: &met, by: &by };
            let cells =
                kept.iter().flat_map(|(index, field)| field.cells.clone().map(|cell| (*index, *field, cell)));
            let values = cells.filter_map(|(index, field, cell)| {
                turn.value(
                    showing.promises,
                    (index, field),
                    cell,
                    (before.value_at(cell), met.value_at(cell)),
                )
            });
            values.chain(turn.facts()).collect::<Vec<Unkept>>()
        };
        let mut lost = lost_to(&here);
        lost.extend(lost_to(&far));
        lost.extend(Counted { model, both: &both, here: &here, far: &far, met: &met }.wrong());
        // An invariant that one copy had broken before was found there.
        if far.broken_invariants().next().is_none() {
            let turn = Turn { model, before: &here, was_open: &OnceCell::new(), after: &met, by: &by };
            lost.extend(turn.invariants());
        }
        Some(lost)
    }

    /// Leaves out every move that can be left out; returns what is lost then.
    fn shortest(mut self, showing: &Showing<'_>, mut lost: Unkept) -> (Ways, Unkept) {
        let still = |ways: &Ways, lost: &Unkept| {
            let mut all = ways.lost(showing)?.into_iter();
            all.find(|other| (other.code, &other.about) == (lost.code, &lost.about))
        };
        let mut has_changed = true;
        while has_changed {
            has_changed = false;
            for part in PARTS {
                for at in (0..part(&mut self).len()).rev() {
                    let mut shorter = self.clone();
                    part(&mut shorter).remove(at);
                    if let Some(still) = still(&shorter, &lost) {
                        (self, lost, has_changed) = (shorter, still, true);
                    }
                }
            }
        }
        (self, lost)
    }

    /// Returns the breach; `None` if nothing is lost when it is played exactly.
    fn shown(&self, showing: &Showing<'_>, lost: Unkept) -> Option<Breach> {
        let mut lines = showing.lines_of(&self.both);
        if !lines.is_empty() {
            lines.push("save".to_string());
        }
        lines.push("far launch".to_string());
        lines.extend(showing.lines_of(&self.far).iter().map(|line| format!("far {line}")));
        lines.push("far quit".to_string());
        lines.extend(showing.lines_of(&self.here));
        lines.extend(["sync from far", "save"].map(str::to_string));
        lines.extend(lost.fails.clone());
        let message = format!("two copies of the game meet: {}", lost.message);
        showing.played(&lines, Unkept { message, then: Vec::new(), ..lost })
    }
}
