//! The game is played from the first launch on: keys in, screens out.

mod player;

use std::fs;
use std::path::Path;

use ratatui::crossterm::event::KeyCode;

use crate::fen_post::{areas, difficulties, fields, levels};
use crate::game::{Block, FenPost};
use player::{FRAME, Player, drawn};

#[test]
fn from_the_first_launch_to_a_finished_route_and_after_a_kill() {
    let mut player = Player::new();
    player.sees(&["> New run at neap tide", "Most letters in a run: none yet", "[ ] Fog lamp"]);
    player.keys(&[KeyCode::Enter]);
    player.sees(&["> Reedgate", "Heron Holm    [...]", "locked: deliver to Long Mere first"]);
    player.keys(&[KeyCode::Enter]);
    player.sees(&["Reedgate   boats 4   oil 60   satchel 0", "A punt  = letter"]);
    player.plays_the_route();
    player.sees(&["Reedgate      [***]", "finished", "> Long Mere     [...]", "letters 5"]);
    let best = player
        .playing()
        .kept
        .game
        .get(fields::BEST_CROSSING.at(levels::REEDGATE, difficulties::NEAP))
        .option();
    let time = best.unwrap().to_string();
    player.sees(&[&time]);
    // Half-way in the next route the program is killed: the last save is that of the mooring.
    player.keys(&[KeyCode::Enter]);
    player.game.frame(FRAME);
    let mooring = player.route().moorings[0];
    player.rows_to(|cell| cell == mooring);
    player.waits_for_the_save();
    let oil = player.playing().kept.game.get(fields::OIL);
    let satchel = player.playing().kept.game.get(fields::SATCHEL).len();
    assert!(oil < 60 && satchel > 0);
    let mut player = player.killed();
    player.sees(&["> Continue"]);
    player.keys(&[KeyCode::Enter]);
    let kept = &player.playing().kept.game;
    assert_eq!((kept.level(), kept.get(fields::OIL)), (Some(levels::LONG_MERE), oil));
    assert_eq!((kept.get(fields::SATCHEL).len(), player.route().punt), (satchel, mooring));
    player.plays_the_route();
    player.sees(&["Long Mere     [***]", &time, "letters 10"]);
}

#[test]
fn the_title_leads_back_to_the_map_and_a_route_that_was_left_goes_on() {
    let mut player = Player::new();
    player.sets_out();
    let letter = player.route().letters[0];
    player.rows_to(|cell| cell == letter);
    player.keys(&[KeyCode::Esc]);
    player.sees(&["> Reedgate      [...]             you are half-way"]);
    player.keys(&[KeyCode::Esc]);
    player.sees(&["> Continue"]);
    player.keys(&[KeyCode::Enter, KeyCode::Enter]);
    player.sees(&["Reedgate   boats 4", "satchel 1"]);
    assert_eq!(player.playing().messages, Vec::<String>::new());
}

#[test]
fn what_was_cut_and_cranked_stays_so() {
    let mut player = Player::new();
    player.sets_out();
    let [reeds, _] = player.route().barriers;
    player.rows_to(|cell| cell.0 == reeds + 1);
    let mooring = player.route().moorings[0];
    player.rows_to(|cell| cell == mooring);
    player.waits_for_the_save();
    let mut player = player.killed();
    player.keys(&[KeyCode::Enter]);
    player.game.frame(FRAME);
    let route = player.route();
    let cut = route.barriers.map(|column| player.playing().barrier(&route, column).is_none());
    assert_eq!(cut, [true, false]);
    assert_eq!(player.playing().kept.things.keys().copied().collect::<Vec<_>>(), [areas::WEST]);
}

/// Lets the player fall in.
fn falls_in(player: &mut Player) {
    let clock = |player: &Player| player.playing().kept.game.get(fields::ROUTE_CLOCK).as_nanos() / 1_000_000;
    let whirl = player.route().whirls(clock(player)).next().unwrap();
    // Next to it, and then into it.
    player.rows_to(|cell| (cell.0 - whirl.0).abs() + (cell.1 - whirl.1).abs() == 1);
    let (column, row) = player.route().punt;
    let key = match (whirl.0 - column, whirl.1 - row) {
        (1, _) => KeyCode::Right,
        (-1, _) => KeyCode::Left,
        (_, 1) => KeyCode::Down,
        _ => KeyCode::Up,
    };
    player.keys(&[key]);
    player.game.frame(FRAME);
}

#[test]
fn falling_in_costs_one_boat_and_the_last_one_ends_the_run() {
    let mut player = Player::new();
    player.sets_out();
    falls_in(&mut player);
    player.sees(&["You fell in!", "boats 3"]);
    for _ in 0..30 {
        player.game.frame(FRAME);
    }
    player.sees(&["boats 3   oil 60", "Splash! 3 boats left."]);
    for boats in [2, 1] {
        falls_in(&mut player);
        for _ in 0..30 {
            player.game.frame(FRAME);
        }
        player.sees(&[&format!("boats {boats}")]);
    }
    falls_in(&mut player);
    player.sees(&["The run is over.", "> New run at neap tide"]);
    let mut player = player.killed();
    assert!(!player.screen().contains("Continue"), "{}", player.screen());
    player.keys(&[KeyCode::Enter]);
    player.sees(&["boats 4"]);
}

#[test]
fn a_second_copy_may_look_and_cannot_save() {
    let mut player = Player::new();
    player.sets_out();
    let letter = player.route().letters[0];
    player.rows_to(|cell| cell == letter);
    let mooring = player.route().moorings[0];
    player.rows_to(|cell| cell == mooring);
    player.waits_for_the_save();
    let mut second = FenPost::new(player.folder.path().to_path_buf());
    assert!(
        drawn(&second, 80, 24).contains("already played in another window"),
        "{}",
        drawn(&second, 80, 24)
    );
    second.key(KeyCode::Char('l'));
    assert!(drawn(&second, 80, 24).contains("You are looking: nothing is saved."));
    second.key(KeyCode::Enter);
    second.frame(FRAME);
    let satchel = format!("satchel {}", player.playing().kept.game.get(fields::SATCHEL).len());
    assert!(drawn(&second, 80, 24).contains(&satchel), "{satchel}: {}", drawn(&second, 80, 24));
    let before = fs_read(&player.folder.path().join("punt.keblin"));
    for _ in 0..60 {
        second.key(KeyCode::Right);
        second.frame(FRAME);
    }
    drop(second);
    assert_eq!(fs_read(&player.folder.path().join("punt.keblin")), before);
    // When the first copy has ended, the next one may play.
    let mut third = FenPost::new(player.folder.path().to_path_buf());
    assert!(matches!(third.state, Err(Block::InUse)));
    let Player { game, folder } = player;
    drop(game);
    third.key(KeyCode::Enter);
    assert!(third.state.is_ok());
    drop(folder);
}

#[expect(clippy::disallowed_methods, reason = "the test looks at the file")]
fn fs_read(path: &Path) -> Vec<u8> {
    fs::read(path).unwrap()
}

#[expect(clippy::disallowed_methods, reason = "the test damages the files")]
fn damage(files: &[std::path::PathBuf]) {
    files.iter().for_each(|file| fs::write(file, b"KEBLIN? no").unwrap());
}

fn saved_twice() -> Player {
    let mut player = Player::new();
    player.sets_out();
    player.plays_the_route();
    player.waits_for_the_save();
    let Player { game, folder } = player;
    drop(game);
    Player { game: FenPost::new(folder.path().to_path_buf()), folder }
}

#[test]
fn a_damaged_save_is_told_to_the_player_with_a_choice() {
    let player = saved_twice();
    let Player { game, folder } = player;
    drop(game);
    let slot = keblin::SaveDir::at(folder.path()).slot("punt").unwrap();
    let aside = fs::read_dir(folder.path().join("aside")).unwrap().map(|entry| entry.unwrap().path());
    let aside = aside.filter(|path| path.extension().is_some_and(|ending| ending == "keblin"));
    damage(&aside.chain([slot.path()]).collect::<Vec<_>>());
    let mut game = FenPost::new(folder.path().to_path_buf());
    let screen = drawn(&game, 80, 24);
    assert!(screen.contains("The saved game is damaged:") && screen.contains("n: begin anew"), "{screen}");
    // Quitting changes nothing.
    game.key(KeyCode::Char('q'));
    assert!(game.is_over);
    let mut game = FenPost::new(folder.path().to_path_buf());
    assert!(drawn(&game, 80, 24).contains("The saved game is damaged:"), "{}", drawn(&game, 80, 24));
    game.key(KeyCode::Char('n'));
    assert!(drawn(&game, 80, 24).contains("> New run at neap tide"), "{}", drawn(&game, 80, 24));
    #[expect(clippy::disallowed_methods, reason = "the test looks at the folder")]
    let aside = fs::read_dir(folder.path().join("aside")).unwrap().count();
    assert!(aside >= 1, "what was damaged is kept");
}

#[test]
fn erasing_asks_first() {
    let mut player = saved_twice();
    player.sees(&["> Continue"]);
    let down = [KeyCode::Down; 4];
    player.keys(&down);
    player.sees(&["> Erase everything"]);
    player.keys(&[KeyCode::Enter]);
    player.sees(&["This erases everything"]);
    player.keys(&[KeyCode::Char('n')]);
    player.sees(&["> Continue"]);
    player.keys(&down);
    player.keys(&[KeyCode::Enter, KeyCode::Char('y')]);
    player.sees(&["> New run at neap tide", "none yet"]);
    assert!(!player.killed().screen().contains("Continue"), "what was erased does not come back");
}

#[test]
fn the_volume_of_the_horn_belongs_to_the_device() {
    let mut player = Player::new();
    player.keys(&[KeyCode::Down, KeyCode::Down, KeyCode::Enter, KeyCode::Right, KeyCode::Right]);
    player.sees(&["#########. 9 of 10"]);
    player.keys(&[KeyCode::Right, KeyCode::Right, KeyCode::Esc]);
    let Player { game, folder } = player;
    drop(game);
    let mut player = Player { game: FenPost::new(folder.path().to_path_buf()), folder };
    player.keys(&[KeyCode::Down, KeyCode::Down, KeyCode::Enter]);
    player.sees(&["########## 10 of 10"]);
}

#[test]
fn the_debug_display_shows_values_copies_and_causes() {
    let mut player = Player::new();
    player.sets_out();
    let letter = player.route().letters[1];
    player.rows_to(|cell| cell == letter);
    player.keys(&[KeyCode::Char('d')]);
    player.sees(&["what Keblin knows", "oil 5", "(entry 60)", "last changes:", "(add -1)"]);
    player.keys(&[KeyCode::Char('d')]);
    assert!(!player.screen().contains("what Keblin knows"));
}

#[test]
fn every_screen_survives_every_size_of_the_window() {
    let mut player = Player::new();
    let mut screens = 0;
    let mut resized = |player: &Player| {
        for (width, height) in
            [(1, 1), (5, 40), (79, 24), (80, 23), (80, 24), (120, 50), (200, 5), (300, 100)]
        {
            let screen = drawn(&player.game, width, height);
            assert_eq!(screen.lines().count(), usize::from(height));
            screens += 1;
        }
    };
    resized(&player);
    player.keys(&[KeyCode::Char('d')]);
    resized(&player);
    player.keys(&[KeyCode::Char('d')]);
    player.sets_out();
    resized(&player);
    player.keys(&[KeyCode::Esc]);
    resized(&player);
    player.keys(&[KeyCode::Esc, KeyCode::Down, KeyCode::Enter]);
    player.sees(&["A run waits."]);
    resized(&player);
    assert_eq!(screens, 40);
    assert!(drawn(&player.game, 79, 24).contains("Please make the window at least 80 by 24"));
}

#[test]
fn every_route_can_be_played_at_both_tides() {
    for tide in 0..2 {
        let mut player = Player::new();
        player.keys(&[KeyCode::Down; 1][..tide]);
        player.keys(&[KeyCode::Enter]);
        for route in 0..crate::things::ROUTES {
            let down: Vec<KeyCode> =
                vec![KeyCode::Up; 7].into_iter().chain(vec![KeyCode::Down; route]).collect();
            player.keys(&down);
            player.keys(&[KeyCode::Enter]);
            player.game.frame(FRAME);
            player.plays_the_route();
        }
        player.sees(&["[x] Night mode", "The run is over."]);
        let game = &player.playing().kept.game;
        assert!(game.get(fields::BEST_LETTERS).option().is_some_and(|letters| letters == 35));
    }
}

#[test]
fn the_code_for_progress_is_less_than_120_lines() {
    let source = include_str!("../kept.rs");
    let is_code = |line: &&str| !line.trim().is_empty() && !line.trim_start().starts_with("//");
    let lines = source.lines().filter(is_code).count();
    assert!((60..120).contains(&lines), "{lines} lines");
    // Nothing else opens, saves or records.
    for (name, other) in [
        ("game.rs", include_str!("../game.rs")),
        ("route.rs", include_str!("../route.rs")),
        ("screen.rs", include_str!("../screen.rs")),
    ] {
        for call in ["SaveDir", ".tick(", "recall(", "put_by(", "record_area(", ".erase("] {
            assert!(!other.contains(call) || (name, call) == ("game.rs", ".erase("), "{name}: {call}");
        }
    }
}
