//! The game of `examples/quickstart.rs` with its progress kept by hand: structs, serde_json, and a file that is replaced.

use std::collections::BTreeMap;
use std::fs::{self, File};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

/// The levels, each with the one that must be finished before it opens.
const LEVELS: [(&str, Option<&str>); 2] = [("brook", None), ("weir", Some("brook"))];

/// What is kept of a level.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
struct LevelFacts {
    finished: bool,
    stars: u8,
    attempts: u32,
    deaths: u32,
}

/// A stay in a level.
#[derive(Clone, Debug, Serialize, Deserialize)]
struct Visit {
    level: String,
    checkpoint: Option<String>,
    fish_at_checkpoint: u32,
}

/// A run through the game.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
struct Run {
    fish: u32,
    visit: Option<Visit>,
}

/// Everything that is saved.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
struct Save {
    version: u32,
    best_catch: Option<u32>,
    levels: BTreeMap<String, LevelFacts>,
    run: Option<Run>,
}

impl Save {
    fn load(path: &Path) -> io::Result<Save> {
        match fs::read(path) {
            Ok(bytes) => {
                let save: Save = serde_json::from_slice(&bytes)?;
                match save.version {
                    1 => Ok(save),
                    later => Err(io::Error::other(format!("a save of version {later}"))),
                }
            }
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(Save { version: 1, ..Save::default() }),
            Err(error) => Err(error),
        }
    }

    fn store(&self, path: &Path) -> io::Result<usize> {
        let bytes = serde_json::to_vec_pretty(self)?;
        let beside = path.with_extension("new");
        let mut file = File::create(&beside)?;
        file.write_all(&bytes)?;
        file.sync_all()?;
        fs::rename(&beside, path)?;
        Ok(bytes.len())
    }

    fn is_open(&self, level: &str) -> bool {
        let rule = LEVELS.iter().find(|(name, _)| *name == level);
        rule.is_some_and(|(_, before)| before.is_none_or(|before| self.levels.get(before).is_some_and(|facts| facts.finished)))
    }

    fn enter(&mut self, level: &str) -> Result<(), String> {
        if !self.is_open(level) {
            return Err(format!("`{level}` is locked"));
        }
        let Some(run) = &mut self.run else { return Err("no run has begun".to_string()) };
        run.visit = Some(Visit { level: level.to_string(), checkpoint: None, fish_at_checkpoint: run.fish });
        self.levels.entry(level.to_string()).or_default().attempts += 1;
        Ok(())
    }

    fn reach(&mut self, checkpoint: &str) {
        if let Some(run) = &mut self.run
            && let Some(visit) = &mut run.visit
        {
            visit.checkpoint = Some(checkpoint.to_string());
            visit.fish_at_checkpoint = run.fish;
        }
    }

    fn die(&mut self) {
        if let Some(run) = &mut self.run
            && let Some(visit) = &run.visit
        {
            run.fish = visit.fish_at_checkpoint;
            self.levels.entry(visit.level.clone()).or_default().deaths += 1;
        }
    }

    fn finish(&mut self, stars: u8) {
        if let Some(visit) = self.run.as_mut().and_then(|run| run.visit.take()) {
            let facts = self.levels.entry(visit.level).or_default();
            facts.finished = true;
            facts.stars = facts.stars.max(stars);
        }
    }

    /// Ends the run; returns whether its catch is the best one.
    fn end_run(&mut self) -> bool {
        let Some(run) = self.run.take() else { return false };
        let is_best = self.best_catch.is_none_or(|best| run.fish > best);
        if is_best {
            self.best_catch = Some(run.fish);
        }
        is_best
    }

    fn add_fish(&mut self, fish: u32) {
        if let Some(run) = &mut self.run {
            run.fish += fish;
        }
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = std::env::args_os().nth(1).map_or("otter_saves".into(), PathBuf::from);
    fs::create_dir_all(&folder)?;
    let path = folder.join("otter.json");
    let mut save = Save::load(&path)?;
    println!("best catch so far: {:?}", save.best_catch);
    save.run = Some(Run::default());
    if let Err(refused) = save.enter("weir") {
        println!("{refused}");
    }
    save.enter("brook")?;
    save.add_fish(3);
    save.reach("log");
    save.add_fish(2);
    save.die();
    save.add_fish(1);
    save.finish(2);
    let caught = save.run.as_ref().map_or(0, |run| run.fish);
    if save.end_run() {
        println!("the best catch so far");
    }
    println!("caught {caught} fish");
    println!("the save is {} bytes", save.store(&path)?);
    Ok(())
}
// 1
// 2
// 3
