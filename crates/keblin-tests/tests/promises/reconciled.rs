//! The laws of merging, over random histories of two and three machines that have played apart, and what the account says.

use std::sync::{Arc, OnceLock};

use keblin::progress::{Holder, Play};
use keblin::reconcile::{Kept, Met, Side, reconcile};
use keblin::save::json::{export, import};
use keblin::save::{Stamp, write};
use keblin::verify::verify;
use keblin::{AnyGame, Difficulty, Field, FieldPer, Keeper, Level, Progress, Schema, Snapshot};
use proptest::prelude::*;
use proptest::sample::select;

use crate::long::tries;

const GAME: &str = "game = 'reeds'\nversion = 1\ndifficulties = ['neap', 'spring']\nautosave = []\n\
    [fields.letters]\ntype = 'int'\nscope = 'run'\nmin = 0\nmax = 40\n\
    [fields.torches]\ntype = 'int'\nscope = 'run'\ndefault = 2\non_new_run = 'stays'\n\
    [fields.best]\ntype = 'int'\nscope = 'profile'\nkeep = 'highest'\nplaces = 4\nfrom = 'letters'\nat = ['run_end']\n\
    [fields.quickest]\ntype = 'int'\nscope = 'profile'\nkeep = 'lowest'\nper = ['level', 'difficulty']\n\
    [fields.walked]\ntype = 'int'\nscope = 'profile'\nkeep = 'sum'\nmin = 0\nmax = 500\n\
    [fields.met]\ntype = 'bool'\nscope = 'profile'\nkeep = 'once'\n\
    [fields.birds]\ntype = 'set'\nof = 'int'\nmax_items = 9\nscope = 'profile'\nkeep = 'union'\n\
    [fields.coppers]\ntype = 'int'\nscope = 'profile'\nmin = 0\nmax = 99\n\
    [fields.purse]\ntype = 'int'\nscope = 'profile'\nkeep = 'balance'\ndefault = 10\nmin = 0\nmax = 25\n\
    [fields.pole]\ntype = 'text'\nscope = 'profile'\ndefault = 'ash'\nmax_len = 9\n\
    [fields.volume]\ntype = 'int'\nscope = 'device'\ndefault = 8\n\
    [[levels]]\nid = 'brook'\nstars = 3\ncheckpoints = ['log']\n[[levels]]\nid = 'weir'\nstars = 3\n\
    [[unlocks]]\nid = 'lamp'\nwhen = 'best >= 20'\nlatch = true\n";

fn reeds() -> &'static Arc<Schema> {
    static REEDS: OnceLock<Arc<Schema>> = OnceLock::new();
    REEDS.get_or_init(|| Arc::new(Schema::parse("progress.toml", GAME).unwrap().schema))
}

fn int(id: &str) -> Field<i64> {
    reeds().field(id).unwrap()
}

/// One event, of those that a game has, with a number for it.
type Event = (u8, u8);

fn act<P: Holder>(game: &mut Play<AnyGame, P>, (event, choice): Event) {
    let (schema, number) = (reeds(), i64::from(choice));
    let level = schema.level(["brook", "weir"][usize::from(choice % 2)]).unwrap();
    let difficulty = schema.difficulty(["neap", "spring"][usize::from(choice % 2)]).unwrap();
    let quickest: FieldPer<Option<i64>, (Level, Difficulty)> = schema.field_per("quickest").unwrap();
    match event {
        0 => drop(game.begin_replacing(Some(difficulty))),
        1 => drop(game.enter(level)),
        2 => drop(game.add(int("letters"), number)),
        3 => drop(game.finish_with_stars(number % 4)),
        4 => drop(game.die()),
        5 => drop(game.end_run()),
        6 => drop(game.add(int("walked"), number)),
        7 => {
            game.set(int("coppers"), number);
            game.add(int("purse"), number % 20 - 10);
        }
        8 => drop(game.submit(schema.field::<Option<i64>>("best").unwrap(), number)),
        9 => drop(game.submit(quickest.at((level, difficulty)), number)),
        10 => drop(game.set(schema.field::<bool>("met").unwrap(), true)),
        11 => {
            drop(game.resume());
            drop(game.set(int("torches"), number));
        }
        _ => drop(game.set(
            schema.field::<String>("pole").unwrap(),
            ["ash", "oak", "elm"][usize::from(choice % 3)].to_string(),
        )),
    }
}

/// Plays on from a save on a machine, and saves at a time.
fn played(from: Option<&[u8]>, events: &[Event], machine: u64, at_unix_ms: u64) -> Vec<u8> {
    let mut game = Keeper::from_bytes(reeds(), from).unwrap().on_machine(machine);
    events.iter().for_each(|event| act(&mut game, *event));
    game.save_now().unwrap();
    game.take_due(at_unix_ms).unwrap().unwrap().bytes
}

fn snapshot(bytes: &[u8]) -> Snapshot {
    verify(bytes, reeds()).unwrap().snapshot().clone()
}

/// The same as progress in memory has it: without a history.
fn without_history(of: &Snapshot) -> Snapshot {
    import(&without_key(export(of, &Stamp::first(1, "test"))), reeds()).unwrap().0
}

fn without_key(mut json: serde_json::Value) -> serde_json::Value {
    json.as_object_mut().unwrap().remove("history");
    json
}

/// The bytes of a merged save: the values, and who wrote what.
fn bytes(of: &Snapshot) -> Vec<u8> {
    write(of, &Stamp::first(1, "test"))
}

fn events() -> impl Strategy<Value = Vec<Event>> {
    prop::collection::vec((0_u8..13, 0_u8..40), 0..10)
}

/// What two saves have together.
fn both(one: &Snapshot, other: &Snapshot) -> Snapshot {
    reconcile(one, other).unwrap().snapshot
}

/// Returns the value of a field at the title, where nothing has been changed by opening.
fn get<T>(of: &Snapshot, read: impl Fn(&Progress) -> T) -> T {
    read(&Progress::restored(of.clone()))
}

fn table(of: &Snapshot) -> Vec<i64> {
    let best: Field<Option<i64>> = reeds().field("best").unwrap();
    get(of, |game| game.table(best).collect())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(tries(600, 10_000)))]

    #[test]
    fn two_and_three_machines_have_the_same_together_in_every_order(
        (common, a, b, c) in (events(), events(), events(), events()),
        times in prop::array::uniform3(select(vec![5_u64, 5, 6, 7])),
    ) {
        let common = played(None, &common, 1, 1);
        // Each in a run of its own: two that are in the very same run keep it, unless one has met another run before.
        let mut copies = [a, b, c].into_iter().zip(times).zip(11..).map(|((mut events, at), number)| {
            events.insert(0, (0, 0));
            snapshot(&played(Some(&common), &events, number, at))
        });
        let [a, b, c] = std::array::from_fn(|_| copies.next().unwrap());
        let (ab, bc) = (both(&a, &b), both(&b, &c));
        prop_assert_eq!(bytes(&ab), bytes(&both(&b, &a)));
        prop_assert_eq!(bytes(&both(&a, &a)), bytes(&a));
        prop_assert_eq!(bytes(&both(&ab, &b)), bytes(&ab));
        let common = snapshot(&common);
        prop_assert_eq!(bytes(&both(&a, &common)), bytes(&a));
        let all = both(&ab, &c);
        prop_assert_eq!(bytes(&all), bytes(&both(&a, &bc)));
        prop_assert_eq!(bytes(&all), bytes(&both(&bc, &a)));
        // Without a history too.
        let [a, b, c] = [&a, &b, &c].map(without_history);
        let (ab, bc) = (both(&a, &b), both(&b, &c));
        prop_assert_eq!(&ab, &both(&b, &a));
        prop_assert_eq!(&both(&ab, &c), &both(&a, &bc));
    }

    #[test]
    fn nothing_that_either_copy_earned_is_lost(
        (common, a, b) in (events(), events(), events()),
        with_history in any::<bool>(),
    ) {
        let common = played(None, &common, 1, 1);
        let [a, b] = [(&a, 5), (&b, 6)].map(|(events, at)| {
            let save = snapshot(&played(Some(&common), events, at, at));
            if with_history { save } else { without_history(&save) }
        });
        let met = both(&a, &b);
        for side in [&a, &b] {
            let mut missing = table(side);
            missing.retain(|value| !table(&met).contains(value));
            let worst = table(&met).last().copied().unwrap_or(i64::MIN);
            prop_assert!(missing.iter().all(|value| table(&met).len() == 4 && *value <= worst), "{missing:?}");
            let walked = |of: &Snapshot| get(of, |game| game.get(int("walked")));
            prop_assert!(walked(&met) >= walked(side) && walked(&met) <= 500);
            for (index, level) in ["brook", "weir"].into_iter().map(|id| reeds().level(id).unwrap()).enumerate() {
                let [held, ours] = [&met, side].map(|of| get(of, |game| game.level_cards(None)[index].facts));
                prop_assert!(held.finished >= ours.finished && held.stars >= ours.stars, "{level:?}");
                prop_assert!(held.attempts >= ours.attempts && held.deaths >= ours.deaths, "{level:?}");
                for difficulty in ["neap", "spring"].map(|id| reeds().difficulty(id).unwrap()) {
                    let quickest: FieldPer<Option<i64>, (Level, Difficulty)> = reeds().field_per("quickest").unwrap();
                    let [held, ours] = [&met, side].map(|of| get(of, |game| game.get(quickest.at((level, difficulty)))));
                    prop_assert!(ours.is_none() || held.is_some_and(|held| ours.is_none_or(|ours| held <= ours)));
                }
            }
            let lamp = reeds().unlock("lamp").unwrap();
            let is_unlocked = |of: &Snapshot| get(of, |game| game.is_unlocked(lamp));
            prop_assert!(is_unlocked(&met) >= is_unlocked(side));
        }
    }
}

/// Returns what the account says of a value.
fn said<'a>(account: &'a [Met], what: &str) -> &'a Met {
    account.iter().find(|met| met.what == what).unwrap_or_else(|| panic!("{what} is not in {account:?}"))
}

#[test]
fn the_account_says_of_each_value_whose_was_kept_and_what_was_lost() {
    let common = played(None, &[(6, 20), (7, 50)], 1, 1);
    let ours = snapshot(&played(Some(&common), &[(6, 3), (7, 40), (0, 1), (2, 12)], 2, 5));
    let theirs = [(6, 5), (7, 60), (10, 0), (0, 0), (2, 30), (12, 1)];
    let theirs = snapshot(&played(Some(&common), &theirs, 3, 6));
    let met = reconcile(&ours, &theirs).unwrap();
    let account = &met.account();
    assert_eq!((met.later, met.run, met.run_ended), (Side::Theirs, Side::Theirs, true));
    assert_eq!(said(account, "walked").to_string(), "walked: ours 23, theirs 25 -> 28 (both)");
    let coppers = "coppers: ours 40, theirs 60 -> 60 (theirs); ours is lost";
    assert_eq!(said(account, "coppers").to_string(), coppers, "both have changed it");
    let pole = said(account, "pole");
    assert_eq!((pole.kept, pole.lost), (Kept::Theirs, None), "only they have changed it");
    assert_eq!(said(account, "best").to_string(), "best: ours [], theirs [] -> [12] (both)");
    assert_eq!(said(account, "letters").kept, Kept::Theirs, "the run is theirs");
    let (ours, theirs) = (without_history(&ours), without_history(&theirs));
    let without = reconcile(&ours, &theirs).unwrap();
    assert_eq!(said(&without.account(), "walked").kept, Kept::Theirs, "the greater one");
    assert!(said(&without.account(), "pole").lost.is_some(), "nobody knows who has changed it");
}

#[test]
fn a_run_that_only_one_machine_went_on_with_is_kept_and_does_not_end() {
    let common = played(None, &[(0, 0), (1, 0), (2, 7)], 1, 1);
    let ours = snapshot(&played(Some(&common), &[(6, 3)], 2, 6));
    let theirs = snapshot(&played(Some(&common), &[(11, 5), (2, 4)], 3, 5));
    let met = reconcile(&ours, &theirs).unwrap();
    assert_eq!((met.run, met.run_ended), (Side::Theirs, false));
    assert_eq!(get(&met.snapshot, |game| (game.get(int("letters")), game.get(int("walked")))), (11, 3));
    assert!(table(&met.snapshot).is_empty(), "nothing has ended, so nothing was offered");
}

#[test]
fn saves_of_different_games_do_not_meet() {
    let other =
        Arc::new(Schema::parse("progress.toml", &GAME.replace("default = 8", "default = 9")).unwrap().schema);
    let (ours, theirs) = (Progress::new(Arc::clone(reeds())).snapshot(), Progress::new(other).snapshot());
    let error = reconcile(&ours, &theirs).unwrap_err();
    let text = "expected saves opened with the same declaration, but found one of reeds, version 1, and one of reeds, \
        version 1; open both with the same `Schema`";
    assert_eq!(error.to_string(), text);
}
