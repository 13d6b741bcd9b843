//! Named resets: one call erases what the declaration lists, after the player's yes, and lists what went.

use std::sync::Arc;

use keblin::progress::{Erase, Phase, Why};
use keblin::rehearse::Rehearsal;
use keblin::save::write;
use keblin::verify::verify;
use keblin::{Keeper, Progress, Schema, Time};

use crate::round_trip::stamp;
use crate::steps::parsed;

const ISLES: &str = "game = 'isles'\nversion = 1\n[fields]\n\
    medals = { type = 'int', scope = 'profile' }\n\
    shells = { type = 'int', scope = 'run', default = 3, on_death = 'stays' }\n\
    clock = { type = 'time', scope = 'level', counts = 'playing', on_death = 'stays' }\n\
    best = { type = 'time', scope = 'profile', keep = 'lowest', per = ['level'], from = 'clock', at = ['finish'], min = '1ms' }\n\
    volume = { type = 'int', scope = 'device', default = 7 }\n\
    [[chapters]]\nid = 'near'\nlevels = { prefix = 'near_', count = 2, stars = 3 }\n\
    [[chapters]]\nid = 'far'\nlevels = { prefix = 'far_', count = 1, stars = 3, unlock = 'previous.finished' }\n\
    [[unlocks]]\nid = 'sail'\nwhen = 'totals.stars >= 2'\nlatch = true\n\
    [[unlocks]]\nid = 'proud'\nwhen = 'medals >= 1'\n\
    [[moments]]\nid = 'rich'\nwhen = 'medals >= 1'\nagain = 'profile'\n\
    [[resets]]\nid = 'again'\nkeeps = ['fields.medals', 'unlocks', 'facts.stars', 'levels.near_01.best', 'moments.rich']\n\
    [[resets]]\nid = 'near_only'\nerases = ['chapters.near']\n\
    [[resets]]\nid = 'all_facts'\nerases = ['facts']\n\
    [[resets]]\nid = 'hours'\nerases = ['played', 'unlocks.sail', 'moments']\n\
    [[resets]]\nid = 'run_only'\nerases = ['run']\n";

/// All three levels are finished with two stars in five seconds each, and a run waits on the map.
fn played() -> (Arc<Schema>, Progress) {
    let schema = Arc::new(parsed(ISLES));
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin_replacing(None);
    for level in ["near_01", "near_02", "far_01"] {
        game.enter(schema.level(level).unwrap()).unwrap();
        game.tick(std::time::Duration::from_secs(5));
        game.finish_with_stars(2).unwrap();
    }
    game.set(schema.field::<i64>("medals").unwrap(), 4);
    game.set(schema.field::<i64>("shells").unwrap(), 9);
    game.set(schema.field::<i64>("volume").unwrap(), 2);
    (schema, game)
}

fn erase(game: &mut Progress, reset: &str) -> Vec<String> {
    let what = Erase::Reset(game.schema().reset(reset).unwrap());
    let refused = game.clone().erase(&what, false).unwrap_err();
    let Why::NotConfirmed { would } = *refused.why else { panic!("{refused}") };
    let went: Vec<String> = game.erase(&what, true).unwrap().into_iter().map(|erased| erased.name).collect();
    assert_eq!(went, would, "what would go is what goes");
    // What is left is a save like any other.
    let file = write(&game.snapshot(), &stamp(1));
    let again = verify(&file, game.schema()).unwrap();
    assert_eq!(again.findings(), [], "{reset}");
    assert_eq!(write(&again.into_progress().snapshot(), &stamp(1)), file);
    went
}

#[test]
fn a_reset_that_keeps_erases_everything_else_and_the_run() {
    let (schema, mut game) = played();
    let went = erase(&mut game, "again");
    let [medals, shells, volume] = ["medals", "shells", "volume"].map(|id| schema.field::<i64>(id).unwrap());
    assert_eq!(
        (game.get(medals), game.get(shells), game.get(volume)),
        (4, 3, 2),
        "settings are not progress"
    );
    assert_eq!(game.phase(), Phase::Title);
    let [near, far] = ["near_01", "far_01"].map(|id| schema.level(id).unwrap());
    let facts = game.facts(near, None);
    assert_eq!((facts.finished, facts.stars, facts.attempts), (false, 2, 0));
    let best = schema.field_per::<Option<Time>, _>("best").unwrap();
    assert_eq!(game.get(best.at(near)), Some(Time::from_millis(5000)));
    assert_eq!(game.get(best.at(far)), None);
    assert!(game.is_unlocked(schema.unlock("sail").unwrap()) && !game.is_open(far, None));
    assert_eq!(game.furthest(), None);
    for expected in
        ["a run is in progress", "shells", "finished at near_01", "best at near_02", "time played"]
    {
        assert!(went.iter().any(|name| name == expected), "{expected}: {went:?}");
    }
    assert!(!went.iter().any(|name| name.starts_with("stars") || name == "medals"), "{went:?}");
}

#[test]
fn a_reset_that_erases_leaves_everything_else() {
    let (schema, mut game) = played();
    let went = erase(&mut game, "near_only");
    let [near, far] = ["near_02", "far_01"].map(|id| schema.level(id).unwrap());
    assert!(!game.facts(near, None).finished && game.facts(far, None).finished);
    assert_eq!(game.furthest(), Some(far));
    assert_eq!(went.len(), 2 * 4, "finished, stars, attempts and the best time of two levels: {went:?}");
    assert_eq!(game.phase(), Phase::Map, "the run goes on");
    erase(&mut game, "all_facts");
    assert!(!game.facts(far, None).finished && game.furthest().is_none());
    let best = schema.field_per::<Option<Time>, _>("best").unwrap();
    assert!(game.get(best.at(far)).is_some(), "facts alone");
    // The unlock is erased, and its rule does not give it again.
    assert_eq!(erase(&mut game, "hours"), ["time played", "unlock sail", "moment rich was reported"]);
    assert!(!game.is_unlocked(schema.unlock("sail").unwrap()));
    erase(&mut game, "run_only");
    assert!(game.phase() == Phase::Title && game.resume().is_err());
    assert_eq!(game.get(schema.field::<i64>("medals").unwrap()), 4);
}

#[test]
fn what_a_reset_erased_is_saved_at_once() {
    let (schema, game) = played();
    let mut keeper = Keeper::from_bytes(&schema, Some(&write(&game.snapshot(), &stamp(1)))).unwrap();
    keeper.erase(&Erase::Reset(schema.reset("again").unwrap()), true).unwrap();
    keeper.tick(std::time::Duration::ZERO);
    let due = keeper.take_due(9).unwrap().expect("an erasure is always saved");
    let opened = verify(&due.bytes, &schema).unwrap().into_progress();
    assert!(!opened.facts(schema.level("near_01").unwrap(), None).finished);
}

#[test]
fn a_rehearsal_says_reset_and_each_mistake_has_its_place() {
    let schema = Arc::new(parsed(ISLES));
    let text = "suppose levels.near_01.finished = true\nsuppose medals = 2\nrefused erase reset again\n\
                erase reset again yes\nexpect !levels.near_01.finished\nexpect medals == 2\n";
    let failure = Rehearsal::parse("isles", text, &schema).unwrap().run().failure;
    assert!(failure.is_none(), "{failure:?}");
    let told = Rehearsal::parse("isles", "erase reset agian yes\n", &schema).unwrap_err().to_string();
    assert!(told.contains("did you mean `again`?"), "{told}");

    for (part, expected) in [
        ("fact", "a part begins with one of: facts, fields, groups, levels"),
        ("facts.star", "did you mean `stars`?"),
        ("fields.medal", "did you mean `medals`?"),
        ("fields.shells", "`shells` is part of the run"),
        ("fields.volume", "`volume` is a setting, outside the profile"),
        ("medals", "write `fields.medals`"),
        ("levels.near_1", "did you mean `near_01`?"),
        ("levels", "write a name after it"),
        ("levels.near_01.medals", "`medals` does not have one value per level"),
        ("chapters.nera", "did you mean `near`?"),
        ("unlocks.proud", "`proud` does not latch"),
        ("moments.rihc", "did you mean `rich`?"),
    ] {
        let text = format!("{ISLES}[[resets]]\nid = 'faulty'\nerases = ['{part}']\n");
        let told = Schema::parse("progress.toml", &text).unwrap_err().to_string();
        assert!(told.contains(expected), "{part}: {told}");
    }
    for (keys, expected) in [
        ("", "a reset needs `erases` or `keeps`"),
        ("erases = ['run']\nkeeps = ['facts']", "a reset has `erases` or `keeps`, not both"),
    ] {
        let text = format!("{ISLES}[[resets]]\nid = 'faulty'\n{keys}\n");
        let told = Schema::parse("progress.toml", &text).unwrap_err().to_string();
        assert!(told.contains(expected), "{told}");
    }
}

#[test]
fn what_stays_although_it_depends_on_what_goes_is_found() {
    let text = "game = 'cove'\nversion = 1\n[fields]\n\
        cap = { type = 'int', scope = 'profile', default = 9 }\n\
        oil = { type = 'int', scope = 'profile', max = 'cap' }\n\
        sent = { type = 'int', scope = 'profile' }\n\
        back = { type = 'int', scope = 'profile' }\n\
        pearls = { type = 'int', scope = 'level', on_death = 'stays' }\n\
        all_pearls = { type = 'int', scope = 'profile', keep = 'sum', from = 'pearls', at = ['finish'] }\n\
        [[levels]]\nid = 'cove'\n[[invariants]]\nid = 'none_lost'\nholds = 'back <= sent'\n\
        [[resets]]\nid = 'again'\n";
    let told = |keys: &str| match Schema::parse("progress.toml", &format!("{text}{keys}")) {
        Ok(parsed) => parsed.findings.to_string(),
        Err(findings) => findings.to_string(),
    };
    let found = told("keeps = ['fields.oil', 'fields.back', 'fields.all_pearls']");
    for expected in [
        "`again` keeps `oil`, but erases what its bound follows",
        "`again` erases some of what the invariant `none_lost` compares, and keeps the rest",
        "`again` makes levels unfinished and keeps `all_pearls`, which counts them again",
    ] {
        assert!(found.contains(expected), "{found}");
    }
    assert_eq!(told("keeps = ['fields.oil', 'fields.cap', 'fields.back', 'fields.sent']"), "");
    // It says nothing about a save, and reads back.
    let before = parsed(&format!("{text}erases = ['fields']"));
    let now = parsed(&format!("{text}keeps = ['facts']"));
    let found: Vec<String> =
        keblin::diff::differences(&before, &now).iter().map(ToString::to_string).collect();
    assert_eq!(
        found,
        ["reset again: erases [\"fields\"] -> nothing", "reset again: keeps nothing -> [\"facts\"]"]
    );
    assert_eq!(keblin::diff::differences(&now, &parsed(&now.normal_text())), []);
}
