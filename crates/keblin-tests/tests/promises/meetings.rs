//! A model checker tries, one by one, all orders in which two keepers of one slot, a stranger who replaces files, a
//! medium that rots, time, and the end of a program in the middle of a save can meet. It runs the real store on files
//! in memory. A state is the contents of the files and the keepers after a history.

mod world;

use std::collections::BTreeMap;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::{Path, PathBuf};

use stateright::{Checker, Model, Property};

use crate::long::tries;
use world::{Act, KEEPERS, Told, World, best};

/// A history, and its result.
#[derive(Clone, Debug)]
struct State {
    history: Vec<Act>,
    files: BTreeMap<PathBuf, Vec<u8>>,
    keepers: [Option<Option<i64>>; KEEPERS],
    hidden: [u64; KEEPERS],
    clock: u64,
    told: Told,
}

impl State {
    fn what(&self) -> impl Hash + Eq + '_ {
        (&self.files, &self.keepers, &self.hidden, self.clock, &self.told)
    }
}

impl PartialEq for State {
    fn eq(&self, other: &State) -> bool {
        self.what() == other.what()
    }
}

impl Eq for State {}

impl Hash for State {
    fn hash<H: Hasher>(&self, hasher: &mut H) {
        self.what().hash(hasher);
    }
}

/// The length of histories.
#[derive(Clone, Copy, Debug)]
struct Meetings {
    in_one_program: bool,
    most_saves: usize,
    most_acts: usize,
    /// After how many calls a save is cut off.
    cuts: i64,
    /// Whether a keeper saves very often, once.
    often: bool,
    /// The number of keepers.
    keepers: usize,
    /// Everything that can happen.
    may: fn(&Act) -> bool,
}

impl Meetings {
    fn played(&self, history: &[Act]) -> State {
        let mut world = World::new(self.in_one_program);
        history.iter().for_each(|act| world.act(*act));
        let keepers =
            world.keepers.each_ref().map(|kept| kept.as_ref().map(|(kept, _)| kept.get(best()).option()));
        let state = State {
            history: history.to_vec(),
            files: world.files.files(),
            keepers,
            hidden: world.hidden,
            clock: world.clock,
            told: world.told.clone(),
        };
        // The end of a history must not write what it has left.
        (0..KEEPERS).for_each(|who| world.end(who));
        state
    }
}

impl Model for Meetings {
    type State = State;
    type Action = Act;

    fn init_states(&self) -> Vec<State> {
        vec![self.played(&[])]
    }

    fn actions(&self, state: &State, acts: &mut Vec<Act>) {
        if state.history.len() >= self.most_acts || state.told.broken.is_some() {
            return;
        }
        let count = |wanted: fn(&Act) -> bool| state.history.iter().filter(|act| wanted(act)).count();
        let is_there = state.files.contains_key(Path::new("saves/otter.keblin"));
        for who in 0..self.keepers {
            if state.keepers[who].is_none() {
                acts.push(Act::Open(who));
                continue;
            }
            acts.push(Act::Close(who));
            let saves = state.history.iter().filter(|act| match act {
                Act::Save(by) | Act::Erase(by) | Act::SaveCutOff(by, _) | Act::EraseCutOff(by, _) => {
                    *by == who
                }
                _ => false,
            });
            if saves.count() >= self.most_saves {
                continue;
            }
            acts.push(Act::Save(who));
            if self.often && count(|act| matches!(act, Act::SaveOften(_))) == 0 {
                acts.push(Act::SaveOften(who));
            }
            acts.extend((0..self.cuts).map(|calls| Act::SaveCutOff(who, calls)));
            if count(|act| matches!(act, Act::Erase(_) | Act::EraseCutOff(..))) == 0 {
                acts.push(Act::Erase(who));
                acts.extend((0..self.cuts).map(|calls| Act::EraseCutOff(who, calls)));
            }
        }
        let strangers = count(|act| matches!(act, Act::PutBack | Act::PutStrange(_) | Act::Rot));
        if is_there && strangers < 2 {
            acts.extend([Act::PutBack, Act::PutStrange(0), Act::PutStrange(1), Act::Rot]);
        }
        if count(|act| *act == Act::QuarterOfAnHour) == 0 {
            acts.push(Act::QuarterOfAnHour);
        }
        acts.retain(self.may);
    }

    fn next_state(&self, state: &State, act: Act) -> Option<State> {
        if act == Act::PutBack && !state.history.iter().any(|act| matches!(act, Act::Save(_) | Act::Erase(_)))
        {
            return None;
        }
        let history: Vec<Act> = state.history.iter().copied().chain([act]).collect();
        Some(self.played(&history))
    }

    fn properties(&self) -> Vec<Property<Meetings>> {
        vec![Property::always("what was promised is true", |_, state: &State| state.told.broken.is_none())]
    }
}

/// Tries all histories; returns the number of states.
fn tried(model: Meetings) -> usize {
    let checker = model.checker().threads(2).spawn_bfs().join();
    if let Some(path) = checker.discovery("what was promised is true") {
        let last = path.last_state();
        panic!("{:?}\nafter {:#?}", last.told.broken, last.history);
    }
    checker.unique_state_count()
}

impl Meetings {
    /// All actions, for two keepers.
    fn all(in_one_program: bool) -> Meetings {
        let (most_saves, most_acts, cuts, often) = (3, 9, 6, false);
        Meetings { in_one_program, most_saves, most_acts, cuts, often, keepers: KEEPERS, may: |_| true }
    }

    /// Some of them for one keeper, in longer histories.
    fn alone(most_acts: usize, may: fn(&Act) -> bool) -> Meetings {
        Meetings { most_saves: 5, most_acts, cuts: 3, keepers: 1, may, ..Meetings::all(true) }
    }
}

#[test]
fn whoever_meets_at_a_slot_loses_nothing_that_was_acknowledged() {
    let older =
        |act: &Act| !matches!(act, Act::PutStrange(_) | Act::Rot | Act::Erase(_) | Act::EraseCutOff(..));
    let erased =
        |act: &Act| matches!(act, Act::Open(_) | Act::Save(_) | Act::Erase(_) | Act::PutBack | Act::Close(_));
    for model in [
        Meetings { most_saves: 2, most_acts: 4, cuts: tries(1, 2), ..Meetings::all(true) },
        Meetings { most_saves: 2, most_acts: tries(4, 5), cuts: 1, ..Meetings::all(false) },
        Meetings::alone(tries(6, 7), older),
        Meetings::alone(tries(7, 8), erased),
    ] {
        let states = tried(model);
        println!("{model:?}: {states} states");
        assert!(states > 300, "{states}");
    }
}

/// Mistakes that longer histories once found.
#[test]
fn a_whole_copy_of_a_rotten_file_is_met_by_a_keeper_that_knows_neither() {
    let mut world = World::new(false);
    for act in [Act::Open(0), Act::Open(1), Act::SaveCutOff(0, 2), Act::Rot, Act::Close(1)] {
        world.act(act);
    }
    assert_eq!((&world.told.broken, world.told.must), (&None, Some(20)));
    assert_eq!(world.opened_best(), Ok(Some(20)));
}

/// More of them: an erasure that is cut off, or made by another program, with a backup that it knows nothing of.
#[test]
fn what_an_erasure_knows_nothing_of_does_not_come_back_by_half_of_it() {
    let both = [Act::Open(0), Act::Open(1)];
    let histories: [&[Act]; 6] = [
        &[Act::Save(1), Act::EraseCutOff(1, 2), Act::PutBack, Act::Save(0)],
        &[Act::Save(0), Act::Erase(1), Act::Close(0), Act::Close(1)],
        &[Act::SaveOften(0), Act::PutStrange(0), Act::EraseCutOff(0, 2)],
        &[Act::Save(0), Act::SaveCutOff(0, 3), Act::PutStrange(1), Act::EraseCutOff(1, 2)],
        &[Act::SaveCutOff(1, 2), Act::PutStrange(0), Act::Save(0), Act::EraseCutOff(0, 2)],
        &[Act::Save(0), Act::Save(1), Act::EraseCutOff(0, 2), Act::Close(1)],
    ];
    for history in histories {
        let mut world = World::new(false);
        both.iter().chain(history).for_each(|act| world.act(*act));
        assert_eq!(world.told.broken, None, "{history:?}");
    }
}

#[test]
#[ignore = "takes minutes; run it with --release"]
fn whoever_meets_at_a_slot_loses_nothing_in_longer_histories() {
    let acts = std::env::var("KEBLIN_TEST_ACTS").map_or(6, |acts| acts.parse().unwrap());
    for in_one_program in [true, false] {
        let model = Meetings { most_acts: acts, often: true, ..Meetings::all(in_one_program) };
        println!("{acts} acts, in one program: {in_one_program}: {} states", tried(model));
    }
    let alone = Meetings { often: true, ..Meetings::alone(acts + 2, |_| true) };
    println!("{} acts of one keeper: {} states", acts + 2, tried(alone));
}

#[test]
fn a_history_is_the_same_each_time_it_is_played() {
    let model = Meetings::all(false);
    let history =
        [Act::Open(0), Act::Save(0), Act::Save(0), Act::PutStrange(0), Act::SaveCutOff(0, 2), Act::Open(1)];
    let hash = |state: &State| {
        let mut hasher = DefaultHasher::new();
        state.hash(&mut hasher);
        hasher.finish()
    };
    assert_eq!(hash(&model.played(&history)), hash(&model.played(&history)));
}
