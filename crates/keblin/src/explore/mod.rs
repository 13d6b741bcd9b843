//! Exploring: plays all sequences of events that matter, from the first launch or from the end of a rehearsal, and finds
//! progress that is lost.
//!
//! It asks one question at a time: can every level and unlock be reached, and is nothing lost on the way; the same for each
//! moment, each record, the lives, and each value with a bound that follows another. For each question it tells states
//! apart only by what its rules read. What it finds is played exactly, as a rehearsal, before it is reported.
//!
//! ```
//! use std::sync::Arc;
//! use keblin::Schema;
//! use keblin::explore::Exploration;
//!
//! let text = "game = 'mill'\nversion = 1\n\
//!     [[levels]]\nid = 'weir'\nstars = 3\n\
//!     [[levels]]\nid = 'race'\nunlock = 'levels.weir.stars >= 2'\n";
//! let schema = Arc::new(Schema::parse("progress.toml", text)?.schema);
//! let explored = Exploration::of(&schema).states(10_000).run();
//! assert!(explored.breaches.is_empty());
//! assert!(explored.is_exhausted());
//! # Ok::<(), keblin::Findings>(())
//! ```

/// What a question depends on.
mod cone;

/// The values around which something changes.
mod around;

/// Names and values in lines.
mod names;

/// What a player can do, as the game says it.
mod player;

/// What can happen next.
mod moves;

/// Playing one move.
mod play;

/// What tells states apart.
mod tell;

/// The promises of every move.
mod promises;

/// The promises about what was reached.
mod open;

/// The promises when something ends.
mod ends;

/// Breaches.
mod breach;

/// The search.
mod search;

/// What it has found.
mod found;

/// What was reached.
mod reached;

/// What can never be reached.
mod goals;

/// The questions.
mod question;

/// Breaches as rehearsals.
mod show;

/// Collections of two copies that meet.
mod meets;

/// Two copies that went on apart, and meet.
mod copies;

/// What two copies have counted.
mod counts;

/// Saves of earlier versions.
mod past;

/// The survival table, tried.
mod proof;

/// The same for kinds of objects.
mod proof_of_kinds;

/// The result.
mod explored;

pub use breach::{Breach, BreachCode};
pub use explored::{Asked, Coverage, Explored, Pace};
pub use player::{PlayerMove, player_moves};
pub use proof::{Proof, Proven, survival_proof};

use std::collections::BTreeSet;
use std::fmt;
use std::sync::Arc;

use around::Around;
use copies::lost_by_copies;
use explored::Covering;
use found::Found;
use goals::out_of_reach;
use past::{Now, given_by_steps};
use promises::Promises;
use question::{Question, left_out, questions};
use search::{Budget, Search, cores};
use show::{Showing, Shows};
use tell::Projection;

use crate::progress::Engine;
use crate::rehearse::Rehearsal;
use crate::snapshot::Schema;

/// The states of a question that are told apart at the most, if nothing else is said.
pub const STATES: usize = 100_000;

/// The steps of a way at the most, if nothing else is said.
pub const STEPS: usize = 60;

/// The most moves of a question: they are numbered in 16 bits.
const MAX_MOVES: usize = 60_000;

/// Whether it goes on, and the place to show how far it is.
type Watch<'e> = dyn Fn(&Pace<'_>) -> bool + Sync + 'e;

/// An exploration, and how far it may go.
pub struct Exploration<'e> {
    schema: Arc<Schema>,
    moves: Vec<PlayerMove>,
    states: usize,
    steps: usize,
    threads: usize,
    versions: bool,
    from: Option<&'e Rehearsal>,
    watch: Option<&'e Watch<'e>>,
}

/// Short, because it would fill pages: the game, and how far it may go.
impl fmt::Debug for Exploration<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Exploration({}, {} states, {} steps)", self.schema.game, self.states, self.steps)
    }
}

impl<'e> Exploration<'e> {
    /// Returns an exploration of a game from its first launch.
    #[must_use]
    pub fn of(schema: &Arc<Schema>) -> Exploration<'e> {
        let schema = Arc::clone(schema);
        Exploration {
            schema,
            moves: Vec::new(),
            states: STATES,
            steps: STEPS,
            threads: cores(),
            versions: false,
            from: None,
            watch: None,
        }
    }

    /// Returns it with what a player can do. Values that these moves write are written by nothing else.
    #[must_use]
    pub fn moves(mut self, moves: Vec<PlayerMove>) -> Exploration<'e> {
        self.moves = moves;
        self
    }

    /// Returns it with another number of states for each question. The result is the same for the same number, whatever the
    /// number of cores.
    #[must_use]
    pub fn states(mut self, states: usize) -> Exploration<'e> {
        self.states = states.max(1);
        self
    }

    /// Returns it with another number of steps for each way.
    #[must_use]
    pub fn steps(mut self, steps: usize) -> Exploration<'e> {
        self.steps = steps;
        self
    }

    /// Returns it with another number of threads than cores.
    #[must_use]
    pub fn threads(mut self, threads: usize) -> Exploration<'e> {
        self.threads = threads.max(1);
        self
    }

    /// Returns it with the saves of earlier versions: what a step makes of them must be something that playing this version
    /// can lead to. That is known only if all states of levels and unlocks were reached.
    #[must_use]
    pub fn versions(mut self) -> Exploration<'e> {
        self.versions = true;
        self
    }

    /// Returns it from the end of a rehearsal instead of the first launch.
    #[must_use]
    pub fn from(mut self, rehearsal: &'e Rehearsal) -> Exploration<'e> {
        self.from = Some(rehearsal);
        self
    }

    /// Returns it with a function that is called now and then; when it returns false, the exploration ends.
    #[must_use]
    pub fn while_true(mut self, watch: &'e (dyn Fn(&Pace<'_>) -> bool + Sync)) -> Exploration<'e> {
        self.watch = Some(watch);
        self
    }

    /// Returns what was found, after exploring. A rehearsal to start from that fails, or that ends with the game closed, counts
    /// as a first launch.
    #[must_use]
    pub fn run(&self) -> Explored {
        let started = self.from.and_then(Rehearsal::played_to_its_end);
        // Without a start, the rehearsal does not lead to it.
        let from = self.from.filter(|_| started.is_some());
        let mut start = started.unwrap_or_else(|| Engine::new(Arc::clone(&self.schema)));
        start.drain_notices().for_each(drop);
        let (promises, asked) = (Promises::of(&self.schema), questions(&self.schema, &self.moves));
        let (mut explored, mut covering, mut moves) = (Explored::default(), Covering::default(), 0);
        for (place, question) in asked.iter().enumerate() {
            let place = (place + 1, asked.len());
            moves +=
                self.ask(question, (place, moves), &promises, (&start, from), (&mut explored, &mut covering));
        }
        explored.breaches.extend(meets::lost_at_meetings(&self.schema, from));
        let mut told = BTreeSet::new();
        explored.breaches.retain(|breach| told.insert(breach.id()));
        // A rule that shuts a finished level can fall; that need not be said again.
        let shut = |about: &str| told.contains(&format!("{} {about}", BreachCode::FinishedShut));
        explored.breaches.retain(|breach| breach.code != BreachCode::RuleFalls || !shut(&breach.about));
        explored.breaches.sort_by_key(|breach| (breach.code, breach.about.clone()));
        explored.coverage = covering.coverage();
        explored.left_out = left_out(&self.schema, &asked);
        explored
    }

    /// Follows one question; returns how many moves were played.
    fn ask(
        &self,
        question: &Question,
        (place, moves_before): ((usize, usize), usize),
        promises: &Promises,
        (start, from): (&Engine, Option<&Rehearsal>),
        (explored, covering): (&mut Explored, &mut Covering),
    ) -> usize {
        let schema = &self.schema;
        let stepwise: BTreeSet<usize> = self.moves.iter().flat_map(PlayerMove::stepwise).collect();
        let around = Around::of(schema, &question.cone, &stepwise);
        let projection = Projection::new(schema, question.cone.clone(), around);
        let mut moves = moves::moves(schema, &projection.cone, &projection.around, &self.moves);
        let is_cut = moves.len() > MAX_MOVES;
        moves.truncate(MAX_MOVES);
        let goes_on = |states: usize, depth: usize, moves: usize| {
            let pace = Pace { question: &question.name, place, states, depth, moves: moves_before + moves };
            self.watch.is_none_or(|watch| watch(&pace))
        };
        let budget = Budget { states: self.states, steps: self.steps, threads: self.threads };
        let search = Search { projection: &projection, promises, moves: &moves, budget, goes_on: &goes_on };
        let mut found: Found = search.run(start);
        found.leaves_out = projection.around.leaves_out || is_cut;
        let showing = Showing { schema, start, from, moves: &moves, promises, projection: &projection };
        for (from, by, broken) in &found.broken {
            let path: Vec<u16> = found.path(*from).into_iter().chain([*by]).collect();
            match showing.breach(path, &Shows::Move, broken.clone()) {
                Some(breach) => explored.breaches.push(breach),
                None => explored.unconfirmed += 1,
            }
        }
        for (from, by, saved) in &found.saved {
            let path: Vec<u16> = found.path(*from).into_iter().chain([*by]).collect();
            explored.breaches.extend(showing.breach(path, &Shows::Anything, saved.clone()));
        }
        explored.breaches.extend(out_of_reach(&showing, &found));
        let (lost, unconfirmed) = lost_by_copies(&showing, &found);
        explored.breaches.extend(lost);
        explored.unconfirmed += unconfirmed;
        if self.versions && place.0 == 1 && found.is_exhausted() {
            let now = Now { schema, projection: &projection, found: &found };
            explored.breaches.extend(given_by_steps(&now, budget));
        }
        covering.note(schema, &projection, question, &found);
        explored.questions.push(Asked {
            name: question.name.clone(),
            told_apart: question.cone.names(schema),
            states: found.states(),
            moves: found.moves_played,
            depth: found.depth,
            exhausted: found.is_exhausted(),
        });
        found.moves_played
    }
}
