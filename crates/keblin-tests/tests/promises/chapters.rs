//! Chapters in play: their locks and those of levels, their numbers, secrets that do not count, ways that branch.

use std::sync::Arc;

use keblin::progress::Finished;
use keblin::save::Summary;
use keblin::{Level, Progress, Schema, Time};

use crate::steps::parsed;

const KILN: &str = r#"
game = "kiln"
version = 1
after_last = "end_run"
difficulties = ["raw", "fired"]
level_facts_per = "difficulty"
[level_constants]
par = { type = "time", default = "90s" }
[[chapters]]
id = "clay"
title = "The Clay Pit"
levels = { prefix = "clay_", count = 3, unlock = "previous.finished", stars = 3, par = ["1m", "2m", "3m"] }
[[chapters]]
id = "slip"
title = "The Slip House"
unlock = "chapters.clay.stars >= 4 && chapters.clay.finished >= 2"
levels = { prefix = "slip_", count = 2, unlock = "previous.finished", stars = 3 }
[[levels]]
id = "secret"
after = "clay_02"
counted = false
stars = 3
unlock = "previous.stars >= 3"
[[levels]]
id = "clay_02"
next = ["clay_03", "secret"]
[[unlocks]]
id = "gold"
when = "chapters.clay.any.stars >= 6 && chapters.clay.all.stars >= 7 && totals.any.finished >= 3"
"#;

fn schema() -> Arc<Schema> {
    Arc::new(parsed(KILN))
}

fn level(game: &Progress, id: &str) -> Level {
    game.schema().level(id).unwrap()
}

fn finish(game: &mut Progress, id: &str, stars: i64) -> Finished {
    game.enter(level(game, id)).unwrap();
    game.finish_with_stars(stars).unwrap().unwrap()
}

#[test]
fn a_chapter_is_asked_beside_the_level_and_both_say_why() {
    let mut game = Progress::new(schema());
    game.begin(None).unwrap();
    let why = |game: &Progress, id: &str| -> Vec<String> {
        let parts = game.why_locked(level(game, id), None);
        parts.iter().filter(|part| !part.met).map(|part| part.text(game.schema())).collect()
    };
    finish(&mut game, "clay_01", 1);
    finish(&mut game, "clay_02", 2);
    assert_eq!(
        why(&game, "slip_01"),
        ["4 stars in The Clay Pit needed, 3 held", "clay_03 is not finished on raw"]
    );
    let told = finish(&mut game, "clay_03", 1).opened;
    assert_eq!(told, [level(&game, "slip_01")], "opened by its chapter and by the level before it");
    assert!(why(&game, "slip_01").is_empty());
    let refusal = game.enter(level(&game, "slip_02")).unwrap_err().to_string();
    assert!(refusal.contains("slip_01 is not finished on raw"), "{refusal}");
    // On another difficulty the same chapter is shut.
    let fired = game.schema().difficulty("fired").unwrap();
    assert!(!game.is_open(level(&game, "slip_01"), Some(fired)));
}

#[test]
fn a_map_of_the_world_shows_what_is_done_in_each_chapter() {
    let mut game = Progress::new(schema());
    game.begin(None).unwrap();
    finish(&mut game, "clay_01", 3);
    let cards = game.chapter_cards(None);
    let numbers: Vec<_> =
        cards.iter().map(|card| (card.open, card.levels, card.finished, card.stars, card.stars_of)).collect();
    assert_eq!(numbers, [(true, 3, 1, 3, 9), (false, 2, 0, 0, 6)]);
    let missing: Vec<String> = cards[1].missing().map(|part| part.text(game.schema())).collect();
    assert_eq!(
        missing,
        ["4 stars in The Clay Pit needed, 3 held", "2 finished in The Clay Pit needed, 1 finished"]
    );
    let places: Vec<_> =
        game.level_cards(None).iter().map(|card| (card.place, card.chapter.is_some())).collect();
    let expected = [Some(1), Some(2), None, Some(3), Some(4), Some(5)].map(|place| (place, true));
    assert_eq!(places, expected);
}

#[test]
fn a_secret_is_in_no_total_no_percentage_and_never_the_furthest() {
    let mut game = Progress::new(schema());
    game.begin(None).unwrap();
    finish(&mut game, "clay_01", 3);
    let finished = finish(&mut game, "clay_02", 3);
    let ids: Vec<usize> = finished.all_next.iter().map(|next| next.level.index()).collect();
    assert_eq!(ids, [3, 2], "both ways are open, in the order of the declaration");
    let card = &game.chapter_cards(None)[0];
    assert_eq!((card.finished, card.stars), (2, 6));
    let before = Summary::of(&game.snapshot());
    let finished = finish(&mut game, "secret", 3);
    assert_eq!(finished.next.map(|next| next.level), Some(level(&game, "clay_03")));
    assert_eq!(game.chapter_cards(None)[0].stars, 6);
    let after = Summary::of(&game.snapshot());
    assert_eq!((before.percent, before.stars), (after.percent, after.stars));
    assert_eq!(game.facts(level(&game, "secret"), None).stars, 3, "it is kept all the same");
    assert_eq!(game.furthest(), Some(level(&game, "clay_03")), "open after the finish before it");
}

#[test]
fn the_way_ends_after_the_last_level_that_counts() {
    let mut game = Progress::new(schema());
    game.begin(None).unwrap();
    for id in ["clay_01", "clay_02", "clay_03", "slip_01"] {
        assert!(finish(&mut game, id, 2).run_over.is_none(), "{id}");
    }
    let last = finish(&mut game, "slip_02", 0);
    assert!(last.next.is_none() && last.all_next.is_empty() && last.run_over.is_some());
}

#[test]
fn a_locked_way_comes_after_an_open_one() {
    let mut game = Progress::new(Arc::new(parsed(
        &KILN.replace("next = [\"clay_03\", \"secret\"]", "next = [\"secret\", \"clay_03\"]"),
    )));
    game.begin(None).unwrap();
    finish(&mut game, "clay_01", 1);
    let finished = finish(&mut game, "clay_02", 1);
    let next: Vec<(usize, bool)> =
        finished.all_next.iter().map(|next| (next.level.index(), next.open)).collect();
    assert_eq!(next, [(3, true), (2, false)]);
}

const SHY: &str = "game = 'shy'\nversion = 1\ndifficulties = ['raw', 'fired']\nlevel_facts_per = 'difficulty'\n\
    [fields]\ncoins = { type = 'int', scope = 'profile' }\n[[levels]]\nid = 'yard'\n\
    [[levels]]\nid = 'shed'\nunlock = 'coins >= 5 && levels.yard.finished'\nlatch = true\n";

#[test]
fn an_open_level_that_latches_stays_open_also_in_a_save_and_where_two_saves_meet() {
    let schema = Arc::new(parsed(SHY));
    let (coins, fired) = (schema.field::<i64>("coins").unwrap(), schema.difficulty("fired").unwrap());
    let mut game = Progress::new(Arc::clone(&schema));
    let shed = level(&game, "shed");
    game.begin(None).unwrap();
    finish(&mut game, "yard", 0);
    assert!(!game.is_open(shed, None));
    game.set(coins, 5);
    game.set(coins, 0);
    assert!(game.is_open(shed, None), "spent, and still open");
    assert!(!game.is_open(shed, Some(fired)), "only where it was");
    let first = game.snapshot();
    let bytes = keblin::save::write(&first, &crate::round_trip::stamp(1));
    let again = keblin::verify::verify(&bytes, &schema).unwrap().into_progress();
    assert!(again.is_open(shed, None));
    let other = Progress::new(Arc::clone(&schema)).snapshot();
    let found: Vec<String> = other.differences(&first).iter().map(ToString::to_string).collect();
    assert!(found.iter().any(|found| found.starts_with("opened at shed, raw")), "{found:#?}");
    let met = keblin::reconcile::reconcile(&other, &first).unwrap();
    assert!(Progress::restored(met.snapshot.clone()).is_open(shed, None));
    game.erase(&keblin::progress::Erase::Level(shed, None), true).unwrap();
    assert!(!game.is_open(shed, None), "erased, and its rule is not met");
}

#[test]
fn any_is_the_best_of_each_level_and_all_is_everything_together() {
    let mut game = Progress::new(schema());
    let gold = game.schema().unlock("gold").unwrap();
    let fired = game.schema().difficulty("fired").unwrap();
    game.begin(None).unwrap();
    finish(&mut game, "clay_01", 3);
    finish(&mut game, "clay_02", 1);
    game.begin_replacing(Some(fired));
    finish(&mut game, "clay_01", 1);
    finish(&mut game, "clay_02", 2);
    // Of each the best: 3 and 2. All together: 7.
    let held: Vec<String> =
        game.why_not_unlocked(gold).iter().map(|part| format!("{} of {}", part.held, part.needed)).collect();
    assert_eq!(held, ["5 of 6", "7 of 7", "2 of 3"]);
    finish(&mut game, "clay_03", 1);
    assert!(game.is_unlocked(gold));
}

#[test]
fn constants_are_read_by_their_type_and_are_in_no_save() {
    let schema = schema();
    let par = schema.constant::<Time>("par").unwrap();
    let at = |id: &str| par.of_level(&schema, schema.level(id).unwrap()).to_string();
    assert_eq!(["clay_01", "clay_03", "slip_01"].map(at), ["1m", "3m", "1m30s"]);
    assert!(schema.constant::<i64>("par").unwrap_err().to_string().contains("declared as time"));
    assert!(schema.constant::<Time>("pars").unwrap_err().to_string().contains("did you mean `par`?"));
    let eased = parsed(&KILN.replace("default = \"90s\"", "default = \"2m\""));
    let bytes = |schema: Arc<Schema>| {
        keblin::save::write(&Progress::new(schema).snapshot(), &crate::round_trip::stamp(1))
    };
    assert_eq!(bytes(Arc::new(eased)), bytes(schema));
}
