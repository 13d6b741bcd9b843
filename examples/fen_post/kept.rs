//! All that The Fen Post does so that progress persists: the other files only play and draw. A test counts its lines.

use std::collections::BTreeMap;
use std::path::Path;
use std::time::Duration;

use keblin::progress::Erase;
use keblin::store::{OpenError, Opened, Ruin, Slot};
use keblin::world::{AreaChange, AreaGuard, AreaOut, WorldError};
use keblin::{Area, Keeper, Level, Phase, Refused, SaveDir};

use crate::fen_post::{self, Game, Notice, areas, fields};
use crate::things::Things;

/// The player's progress, and what is in the loaded areas.
pub(crate) struct Kept {
    pub(crate) game: fen_post::Keeper,
    pub(crate) things: BTreeMap<Area<Game>, Things>,
    needs: Option<AreaGuard<Game>>,
}

/// What can happen when the game starts.
pub(crate) enum Start {
    Play(Box<Kept>),
    InUse,
    Damaged(Box<Ruin>),
    Failed(String),
}

type Opening = Result<fen_post::Keeper, OpenError>;

impl Start {
    /// Opens the player's slot to play, or to look while another program plays.
    pub(crate) fn of(folder: &Path, open: fn(&Slot) -> Opening) -> Start {
        match SaveDir::at(folder).slot("punt") {
            Ok(slot) => open(&slot).into(),
            Err(error) => Start::Failed(error.to_string()),
        }
    }

    /// Goes on after damage, as the player has chosen: with an earlier save if there is one, or anew.
    pub(crate) fn after(folder: &Path, ruin: Ruin, earlier: bool) -> Start {
        let Ok(slot) = SaveDir::at(folder).slot("punt") else { return Start::InUse };
        let keeper = |opened: Opened| Keeper::opened(&slot, opened).map(fen_post::Keeper::of_keeper);
        let chosen = if earlier { ruin.earlier() } else { ruin.start_fresh().map(Some) };
        match chosen.transpose() {
            Some(chosen) => chosen.and_then(keeper).into(),
            None => Start::of(folder, fen_post::Keeper::open),
        }
    }
}

impl From<Opening> for Start {
    fn from(opened: Opening) -> Start {
        match opened {
            Ok(game) => Start::Play(Box::new(Kept { game, things: BTreeMap::new(), needs: None })),
            Err(OpenError::InUse { .. }) => Start::InUse,
            Err(OpenError::Damaged(ruin)) => Start::Damaged(ruin),
            Err(other) => Start::Failed(other.to_string()),
        }
    }
}

impl Kept {
    /// Ends a frame: loads and unloads areas, records what is in them before a save, and returns the notices.
    pub(crate) fn frame(&mut self, elapsed: Duration) -> Result<Vec<Notice>, WorldError> {
        let is_played = matches!(self.game.phase(), Phase::Playing | Phase::Down);
        let area = self.game.level().filter(|_| is_played).map(area_of);
        if self.needs.as_ref().map(AreaGuard::area) != area {
            self.needs = area.map(|area| self.game.need(area));
        }
        for change in self.game.area_changes() {
            match change {
                AreaChange::Load(area) => {
                    let mut things = Things::of_area(area == areas::EAST);
                    self.game.recall(area, |area| {
                        area.objects(&mut things.gates);
                        area.objects(&mut things.beds);
                        area.objects(&mut things.lamps);
                    })?;
                    self.things.insert(area, things);
                }
                AreaChange::Unload(area) => {
                    let things = self.things.remove(&area).unwrap_or_default();
                    self.game.put_by(area, |area| pass(area, &things))?;
                }
                _ => {}
            }
        }
        if self.game.will_save(elapsed) {
            self.record()?;
        }
        self.game.tick(elapsed);
        Ok(self.game.drain_notices().collect())
    }

    /// Records what is in the loaded areas: before a save, and before a mooring copies it.
    pub(crate) fn record(&mut self) -> Result<(), WorldError> {
        let mut things = self.things.iter();
        things.try_for_each(|(area, things)| self.game.record_area(*area, |area| pass(area, things)))
    }

    /// Delivers what is in the satchel, and ends the route.
    pub(crate) fn deliver(&mut self, stars: i64) -> Result<(), Refused> {
        let letters = self.game.get(fields::SATCHEL).len();
        self.game.add(fields::LETTERS, i64::try_from(letters).unwrap_or(0));
        self.game.set_items(fields::SATCHEL, []);
        self.game.finish_with_stars(stars).map(drop)
    }

    pub(crate) fn erase(&mut self) -> Result<(), Refused> {
        self.game.erase(&Erase::Profile, true).map(drop)
    }
}

/// The first three routes are in the western fen.
fn area_of(level: Level<Game>) -> Area<Game> {
    if level.index() < 3 { areas::WEST } else { areas::EAST }
}

fn pass(area: &mut AreaOut<'_, Game>, things: &Things) {
    area.objects(&things.gates);
    area.objects(&things.beds);
    area.objects(&things.lamps);
}
