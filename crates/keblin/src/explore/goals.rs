//! What can never be reached: at all, from some state on, or on one difficulty.

use std::collections::BTreeSet;

use keblin_model::Model;

use super::breach::{Breach, BreachCode, Unkept};
use super::found::Found;
use super::moves::MoveKind;
use super::reached::{Bits, Goal, goals};
use super::show::{Showing, Shows};
use super::tell::Key;

impl Goal {
    /// Returns the name, and the line that expects it.
    fn named(self, model: &Model) -> Option<(String, String)> {
        Some(match self {
            Goal::Level(level) => {
                let name = model.levels.get(level)?.name.to_string();
                (name.clone(), format!("expect open {name}"))
            }
            Goal::Unlock(unlock) => {
                let name = format!("unlocked.{}", model.unlocks.get(unlock)?.name);
                (name.clone(), format!("expect {name}"))
            }
        })
    }
}

/// A state from which something can never be reached, and all others like it.
struct DeadEnd {
    first: usize,
    goal: usize,
    name: String,
    line: String,
    /// What else cannot be reached from there.
    also: Vec<String>,
}

impl DeadEnd {
    fn breach(self, showing: &Showing<'_>, found: &Found, within: &Bits) -> Option<Breach> {
        let dead = found.keys.iter().filter(|(_, state)| !within.has(**state as usize, self.goal));
        let keys = dead.map(|(key, _)| *key);
        let also = self.also.iter().map(|name| format!(", and so is `{name}`")).collect::<String>();
        let message = format!("after this it is out of reach for good{also}");
        let broken = Unkept::new(BreachCode::DeadEnd, self.name, message).fails(Some(self.line));
        showing.breach(
            found.path(u32::try_from(self.first).ok()?),
            &Shows::State(&keys.collect::<BTreeSet<Key>>()),
            broken,
        )
    }
}

/// Returns the levels, unlocks and moments that cannot be reached, each with its rehearsal.
pub(super) fn out_of_reach(showing: &Showing<'_>, found: &Found) -> Vec<Breach> {
    let (mut breaches, mut ends) = (Vec::new(), Vec::<DeadEnd>::new());
    let within = found.within_reach();
    for (place, goal) in goals(showing.projection).enumerate() {
        let Some((name, line)) = goal.named(showing.schema) else { continue };
        let broken =
            |code, message: String| Unkept::new(code, name.clone(), message).fails(Some(line.clone()));
        if found.first_with(place, None).is_none() {
            if found.is_exhausted() {
                let message = "it is never reached, whatever the player does".to_string();
                let broken = broken(BreachCode::NeverReached, message);
                breaches.extend(showing.breach(Vec::new(), &Shows::Anything, broken));
            }
            continue;
        }
        if let Some(first) = (0..found.states()).find(|state| !within.has(*state, place)) {
            // What is out of reach from the same state on has mostly the same cause.
            match ends.iter_mut().find(|end| end.first == first) {
                Some(end) => end.also.push(name.clone()),
                None => ends.push(DeadEnd {
                    first,
                    goal: place,
                    name: name.clone(),
                    line: line.clone(),
                    also: Vec::new(),
                }),
            }
        }
        if matches!(goal, Goal::Level(_)) && found.is_exhausted() {
            breaches.extend(on_each_difficulty(showing, found, place, &broken));
        }
    }
    breaches.extend(ends.into_iter().filter_map(|end| end.breach(showing, found, &within)));
    let told = &found.reached.moments;
    if found.is_exhausted() {
        for moment in showing.projection.cone.moments.iter().filter(|moment| !told.contains(moment)) {
            let Some(def) = showing.schema.moments.get(*moment) else { continue };
            let message = "this moment is never reported, whatever the player does";
            let broken = Unkept::new(BreachCode::NeverReported, def.name.as_str(), message);
            let broken = broken.fails(Some(format!("expect moment {} once", def.name)));
            breaches.extend(showing.breach(Vec::new(), &Shows::Anything, broken));
        }
    }
    breaches
}

/// A level that is open on one difficulty, and never on another: the same way there leads to a locked level.
fn on_each_difficulty(
    showing: &Showing<'_>,
    found: &Found,
    place: usize,
    broken: &dyn Fn(BreachCode, String) -> Unkept,
) -> Vec<Breach> {
    let known: BTreeSet<u8> = found.reached.difficulty.iter().flatten().copied().collect();
    let mut breaches = Vec::new();
    for on in known.iter().filter(|on| found.first_with(place, Some(**on)).is_none()) {
        let Some(there) = found.first_with(place, None) else { continue };
        let other = found.reached.difficulty.get(there as usize).copied().flatten();
        let name = |on: Option<u8>| on.and_then(|on| showing.schema.difficulties.get(usize::from(on)));
        let (Some(other), Some(name)) = (name(other), name(Some(*on))) else { continue };
        let swapped = found
            .path(there)
            .into_iter()
            .map(|by| swap(showing, by, &format!(" {other}"), &format!(" {name}")));
        let message = format!("it is open on {other} at this place, but never on {name}");
        let path: Option<Vec<u16>> = swapped.collect();
        let path = path.unwrap_or_default();
        // A run must have begun on the difficulty.
        let begin = showing
            .moves
            .iter()
            .position(|one| one.kind == MoveKind::Begin && one.text() == format!("begin {name}"));
        let begin = begin.and_then(|begin| u16::try_from(begin).ok());
        let path = if path.is_empty() { begin.into_iter().collect() } else { path };
        breaches.extend(showing.breach(path, &Shows::Anything, broken(BreachCode::NotOnDifficulty, message)));
    }
    breaches
}

/// Returns the move that begins on another difficulty, or the same move.
fn swap(showing: &Showing<'_>, by: u16, from: &str, to: &str) -> Option<u16> {
    let one = showing.moves.get(usize::from(by))?;
    if !matches!(one.kind, MoveKind::Begin | MoveKind::Replace) {
        return Some(by);
    }
    let text = one.text().replacen(from, to, 1);
    let found = showing.moves.iter().position(|other| other.kind == one.kind && other.text() == text)?;
    u16::try_from(found).ok()
}
