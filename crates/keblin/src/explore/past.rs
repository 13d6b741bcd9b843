//! Saves of earlier versions: what the step makes of them is something that playing this version can lead to.

use std::collections::HashMap;
use std::sync::Arc;

use super::around::Around;
use super::breach::{Breach, BreachCode};
use super::found::Found;
use super::moves::{Move, moves};
use super::play::{opened, replayed};
use super::promises::Promises;
use super::question::Question;
use super::question::questions;
use super::reached::{Goal, goals, reached_in};
use super::search::{Budget, Search};
use super::tell::Projection;
use crate::progress::Engine;
use crate::rehearse::Rehearsal;
use crate::save::{Stamp, write};
use crate::snapshot::{PastVersion, Schema};

/// The most states of an earlier version whose saves are tried.
const MAX_SAVES: usize = 2000;

/// What the question about levels and unlocks has found in this version.
pub(super) struct Now<'n> {
    pub(super) schema: &'n Arc<Schema>,
    pub(super) projection: &'n Projection,
    pub(super) found: &'n Found,
}

/// Returns what the steps from earlier versions give although playing cannot, each with its rehearsal.
pub(super) fn given_by_steps(now: &Now<'_>, budget: Budget) -> Vec<Breach> {
    let known = now.known();
    let mut breaches = Vec::<Breach>::new();
    for past in now.schema.past() {
        let budget = Budget { states: budget.states.min(MAX_SAVES), ..budget };
        let Some((found, all)) = searched(&past.schema, budget) else { continue };
        for state in 0..found.states() {
            let path = found.path(u32::try_from(state).unwrap_or(u32::MAX));
            let Some(old) = replayed(&start(&past.schema), &all, &path) else { continue };
            for (name, line) in now.given(&known, &old) {
                if breaches.iter().any(|breach| breach.about == name) {
                    continue;
                }
                breaches.extend(now.breach(past, (&all, &path), (name, line)));
            }
        }
    }
    breaches
}

/// Searches an earlier version for levels and unlocks.
fn searched(schema: &Arc<Schema>, budget: Budget) -> Option<(Found, Vec<Move>)> {
    let Question { cone, .. } = questions(schema, &[]).into_iter().next()?;
    let around = Around::of(schema, &cone, &std::collections::BTreeSet::new());
    let projection = Projection::new(schema, cone, around);
    let all = moves(schema, &projection.cone, &projection.around, &[]);
    let promises = Promises::of(schema);
    let goes_on = |_: usize, _: usize, _: usize| true;
    let search =
        Search { projection: &projection, promises: &promises, moves: &all, budget, goes_on: &goes_on };
    let found = search.run(&start(schema));
    Some((found, all))
}

fn start(schema: &Arc<Schema>) -> Engine {
    Engine::new(Arc::clone(schema))
}

impl Now<'_> {
    /// Returns, by the facts of levels, everything that was open or unlocked with them.
    fn known(&self) -> HashMap<u64, Vec<bool>> {
        let goals = goals(self.projection).count();
        let mut known: HashMap<u64, Vec<bool>> = HashMap::new();
        for (state, facts) in self.found.reached.facts.iter().enumerate() {
            let held = known.entry(*facts).or_insert_with(|| vec![false; goals]);
            for (goal, held) in held.iter_mut().enumerate() {
                *held |= self.found.reached.goals.has(state, goal);
            }
        }
        known
    }

    /// Returns what a save of an earlier version has here, although the same facts do not give it in play: its name, and the
    /// line that expects it not to be there.
    fn given(&self, known: &HashMap<u64, Vec<bool>>, old: &Engine) -> Vec<(String, String)> {
        let snapshot = opened(&write(&old.snapshot(), &Stamp::default()), self.schema);
        let Some(engine) = snapshot.map(Engine::restored) else { return Vec::new() };
        let Some(held) = known.get(&self.projection.facts_key(&engine)) else { return Vec::new() };
        let given =
            goals(self.projection).zip(held).filter(|(goal, held)| !**held && reached_in(&engine, *goal));
        let named = given.filter_map(|(goal, _)| match goal {
            Goal::Level(level) => {
                let name = self.schema.levels.get(level)?.name.to_string();
                Some((name.clone(), format!("expect locked {name}")))
            }
            Goal::Unlock(unlock) => {
                let name = format!("unlocked.{}", self.schema.unlocks.get(unlock)?.name);
                Some((name.clone(), format!("expect !{name}")))
            }
        });
        named.collect()
    }

    fn breach(
        &self,
        past: &PastVersion,
        (all, path): (&[Move], &[u16]),
        (name, line): (String, String),
    ) -> Option<Breach> {
        let version = past.schema.version;
        let mut lines =
            vec!["kill".to_string(), format!("schema frozen/v{version}.toml"), "launch".to_string()];
        for by in path {
            lines.extend(all.get(usize::from(*by))?.lines.iter().cloned());
        }
        lines.extend(["quit", "schema progress.toml", "launch"].map(str::to_string));
        lines.push(line);
        let other = |file: &str| match file {
            "progress.toml" => Ok(Arc::clone(self.schema)),
            _ => Ok(Arc::clone(&past.schema)),
        };
        let rehearsal = Rehearsal::parse_with("explored", &lines.join("\n"), self.schema, other).ok()?;
        let failure = rehearsal.run().failure.filter(|failure| failure.line == lines.len())?;
        Some(Breach {
            code: BreachCode::StepGives,
            message: format!(
                "the step from version {version} gives `{name}`, which playing does not give with these levels"
            ),
            about: name,
            script: lines.join("\n") + "\n",
            failure: failure.kind.to_string(),
            trace: Vec::new(),
        })
    }
}
