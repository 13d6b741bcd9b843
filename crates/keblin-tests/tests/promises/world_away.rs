//! A kind can ask how much time in play has passed while its objects were away; for all others time stands still.

use keblin::save::write;
use keblin::verify::verify;
use keblin::{ObjectId, Time, WorldObject};

use crate::round_trip::stamp;

keblin::schema!(reeds, "tests/promises/reeds.toml");

use reeds::{areas, checkpoints, levels};

/// A bed of reeds, which grows by a second every second.
#[derive(Debug, PartialEq, WorldObject)]
#[world(reeds::kinds::bed, rebuild = Bed::measure, time_away = Bed::grow)]
struct Bed {
    #[world(id)]
    id: ObjectId,
    height: Time,
    /// How high it was when it was rebuilt.
    #[world(transient)]
    measured: Time,
}

impl Bed {
    fn grow(&mut self, away: Time) {
        self.height += away;
    }

    fn measure(&mut self) {
        self.measured = self.height;
    }
}

#[derive(WorldObject)]
#[world(reeds::kinds::stone)]
struct Stone {
    #[world(id)]
    id: ObjectId,
    place: i64,
}

const ZERO: Time = Time::ZERO;

/// Loads the mere, and returns how high its beds are.
fn heights(game: &mut reeds::Progress) -> Vec<i64> {
    let mut beds = vec![Bed { id: 1.into(), height: ZERO, measured: ZERO }];
    let mut stones = vec![Stone { id: 1.into(), place: 0 }];
    let recalled = game.recall(areas::MERE, |area| {
        area.objects(&mut beds);
        area.objects(&mut stones);
    });
    recalled.unwrap();
    assert!(beds.iter().all(|bed| bed.measured == bed.height), "time passes before an object is rebuilt");
    put_by(game, &beds, &stones);
    beds.iter().map(|bed| bed.height.as_nanos() / 1_000_000_000).collect()
}

fn put_by(game: &mut reeds::Progress, beds: &[Bed], stones: &[Stone]) {
    let put_by = game.put_by(areas::MERE, |area| {
        area.objects(beds);
        area.objects(stones);
    });
    put_by.unwrap();
}

fn begun() -> reeds::Progress {
    let mut game = reeds::Progress::new();
    game.begin(None).unwrap();
    game.enter(levels::FEN).unwrap();
    game
}

/// Saves a game, and opens it again.
fn reopened(game: &reeds::Progress) -> reeds::Progress {
    let save = verify(&write(&game.snapshot(), &stamp(1)), reeds::schema()).unwrap();
    reeds::Progress::restored(save.into_progress().snapshot())
}

#[test]
fn what_asks_for_the_time_away_gets_it_once_also_after_reopening() {
    let mut game = begun();
    game.tick_secs(7.0);
    assert_eq!(heights(&mut game), [0], "nothing was put by yet");
    game.tick_secs(40.0);
    assert_eq!(heights(&mut game), [40]);
    assert_eq!(heights(&mut game), [40], "no time has passed since");
    game.tick_secs(2.0);

    let mut game = reopened(&game);
    game.resume().unwrap();
    assert_eq!(heights(&mut game), [42]);
}

#[test]
fn objects_made_in_play_get_it_too() {
    let mut game = begun();
    heights(&mut game);
    let made = game.new_object();
    let mut beds = Vec::new();
    let mut stones = Vec::new();
    let load = |game: &mut reeds::Progress, beds: &mut Vec<Bed>, stones: &mut Vec<Stone>| {
        game.recall(areas::MERE, |area| {
            area.objects(beds);
            area.objects(stones);
        })
        .unwrap();
    };
    load(&mut game, &mut beds, &mut stones);
    beds.push(Bed { id: made, height: Time::from_millis(3_000), measured: ZERO });
    put_by(&mut game, &beds, &stones);
    game.tick_secs(4.0);
    assert_eq!(heights(&mut game), [4, 7]);
}

#[test]
fn a_death_goes_back_to_the_time_away_at_the_checkpoint() {
    let mut game = begun();
    game.tick_secs(10.0);
    heights(&mut game);
    game.tick_secs(10.0);
    game.reach(checkpoints::fen::CAIRN).unwrap();
    game.tick_secs(80.0);
    assert_eq!(heights(&mut game), [90]);
    game.tick_secs(80.0);
    game.die();
    game.respawn().unwrap();
    // Ten seconds at the checkpoint, and five since the player is back there.
    game.tick_secs(5.0);
    assert_eq!(heights(&mut game), [15]);
    // The copy is as it was: a second death goes back to the same.
    game.die();
    game.respawn().unwrap();
    assert_eq!(heights(&mut game), [10]);
}

#[test]
fn an_area_that_did_not_change_since_the_checkpoint_goes_back_too() {
    let mut game = begun();
    heights(&mut game);
    game.tick_secs(10.0);
    game.reach(checkpoints::fen::CAIRN).unwrap();
    game.tick_secs(80.0);
    game.die();
    game.respawn().unwrap();
    assert_eq!(heights(&mut game), [10]);
}

#[test]
fn a_retry_goes_back_to_the_time_away_on_entering_the_level_also_after_reopening() {
    let mut game = begun();
    game.tick_secs(3.0);
    heights(&mut game);
    game.leave().unwrap();
    game.enter(levels::FEN).unwrap();
    game.tick_secs(20.0);
    assert_eq!(heights(&mut game), [20]);
    let mut game = reopened(&game);
    game.resume().unwrap();
    game.retry().unwrap();
    game.tick_secs(1.0);
    assert_eq!(heights(&mut game), [1]);
}

#[test]
fn only_what_asks_for_it_changes_with_time() {
    let mut game = begun();
    heights(&mut game);
    let areas = |game: &reeds::Progress| write(&game.snapshot(), &stamp(1));
    let before = areas(&game);
    heights(&mut game);
    assert_eq!(areas(&game), before, "put by again at the same time, it is the same area");
}
