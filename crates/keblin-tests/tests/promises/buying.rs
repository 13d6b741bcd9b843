//! Unlocks that are bought: whole or not at all, for good, with every part that is missing.

use std::sync::Arc;

use keblin::progress::{Event, Outcome, Why};
use keblin::rehearse::Rehearsal;
use keblin::save::write;
use keblin::verify::verify;
use keblin::{Field, Notice, Progress, Schema, Unlock};

use crate::round_trip::stamp;
use crate::steps::parsed;

const SHOP: &str = "game = 'shop'\nversion = 1\n[fields]\n\
    coppers = { type = 'int', scope = 'profile', default = 90, min = 10 }\n\
    debt = { type = 'int', scope = 'profile' }\n\
    shards = { type = 'int', scope = 'profile', default = 3 }\n\
    [[levels]]\nid = 'quay'\nunlock = 'unlocked.boat'\n\
    [[levels]]\nid = 'shop_floor'\n\
    [[unlocks]]\nid = 'boat'\nwhen = 'levels.shop_floor.finished'\ncosts = { coppers = 80, shards = 2 }\n\
    [[unlocks]]\nid = 'favour'\ncosts = { debt = 1 }\n\
    [[unlocks]]\nid = 'rich'\nwhen = 'coppers >= 200'\n";

struct Shop {
    game: Progress,
    boat: Unlock,
    coppers: Field<i64>,
    shards: Field<i64>,
}

fn shop() -> Shop {
    let schema = Arc::new(parsed(SHOP));
    let boat = schema.unlock("boat").unwrap();
    let (coppers, shards) = (schema.field("coppers").unwrap(), schema.field("shards").unwrap());
    Shop { game: Progress::new(schema), boat, coppers, shards }
}

fn finish_the_shop(game: &mut Progress) {
    let floor = game.schema().level("shop_floor").unwrap();
    game.begin_replacing(None);
    game.enter(floor).unwrap();
    game.finish().unwrap();
}

#[test]
fn what_is_bought_is_paid_once_and_stays() {
    let Shop { mut game, boat, coppers, shards } = shop();
    finish_the_shop(&mut game);
    assert!(!game.is_unlocked(boat), "its rule alone does not give it");
    _ = game.drain_notices();
    let bought = game.buy(boat).unwrap().unwrap();
    let paid: Vec<String> = bought.paid.iter().map(|(field, price)| format!("{price} {field}")).collect();
    assert_eq!(paid, ["80 coppers", "2 shards"]);
    assert_eq!((game.get(coppers), game.get(shards)), (10, 1));
    let told: Vec<Notice> = game.drain_notices().collect();
    assert!(
        told.iter().any(|notice| matches!(notice, Notice::Unlocked(unlock) if *unlock == boat)),
        "{told:?}"
    );
    assert!(told.iter().any(|notice| matches!(notice, Notice::Opened { .. })), "the quay opens: {told:?}");
    assert_eq!(game.buy(boat).unwrap(), None, "nobody pays twice");
    assert_eq!(game.get(coppers), 10);
    assert!(game.why_not_unlocked(boat).iter().all(|part| part.met), "it costs nothing more");
    let bytes = write(&game.snapshot(), &stamp(1));
    let again = verify(&bytes, game.schema()).unwrap().into_progress();
    assert!(again.is_unlocked(boat) && again.get(coppers) == 10);
}

#[test]
fn what_is_missing_is_named_part_by_part_and_nothing_is_taken() {
    let Shop { mut game, boat, coppers, shards } = shop();
    game.set(coppers, 50);
    game.set(shards, 1);
    let refusal = game.buy(boat).unwrap_err();
    assert_eq!(
        refusal.to_string(),
        "boat cannot be bought: shop_floor is not finished; coppers: 80 needed, 50 held; shards: 2 needed, 1 held"
    );
    assert!(matches!(refusal.why.as_ref(), Why::CannotBuy { .. }));
    assert_eq!((game.get(coppers), game.get(shards), game.is_unlocked(boat)), (50, 1, false));
    // What has to stay in the purse cannot be spent.
    finish_the_shop(&mut game);
    game.set(coppers, 85);
    game.set(shards, 9);
    assert!(game.buy(boat).unwrap_err().to_string().ends_with("coppers: 80 needed, 85 held"));
    // Nothing is bought on credit.
    let favour = game.schema().unlock("favour").unwrap();
    assert!(game.buy(favour).is_err());
    let rich = game.schema().unlock("rich").unwrap();
    let refusal = game.buy(rich).unwrap_err().to_string();
    assert_eq!(refusal, "rich cannot be bought: its declaration does not have `costs`");
}

/// The save that is on its way may have it: nobody pays twice.
#[test]
fn nothing_is_bought_before_the_save_has_arrived() {
    let Shop { mut game, boat, coppers, .. } = shop();
    finish_the_shop(&mut game);
    assert!(game.buy(boat).unwrap().is_some());
    let mut late = Progress::awaiting(Arc::clone(game.schema()));
    let refusal = late.buy(boat).unwrap_err().to_string();
    assert_eq!(refusal, "boat cannot be bought: the save has not arrived yet");
    late.arrive(Some(game.snapshot()));
    assert_eq!((late.buy(boat).unwrap(), late.get(coppers)), (None, 10));
}

#[test]
fn buying_is_an_event_and_a_step_of_a_rehearsal() {
    let Shop { mut game, boat, .. } = shop();
    finish_the_shop(&mut game);
    let outcome = game.apply(&Event::Buy(boat)).unwrap();
    assert!(matches!(outcome, Outcome::Bought(Some(_))));
    let text = "refused buy boat\nbegin\nenter shop_floor\nfinish\nbuy boat\nexpect coppers == 10\nexpect unlocked.boat\n\
        expect notice unlocked boat\nquit\nlaunch\nexpect open quay\nbuy boat\nexpect coppers == 10\n";
    let report = Rehearsal::parse("shop", text, game.schema()).unwrap().run();
    assert!(report.failure.is_none(), "{:?}", report.failure);
    let misspelt = Rehearsal::parse("shop", "buy boatt\n", game.schema()).unwrap_err().to_string();
    assert!(misspelt.contains("did you mean `boat`?"), "{misspelt}");
}

#[test]
fn each_mistake_in_a_price_has_its_place() {
    for (costs, expected) in [
        ("{ copper = 80 }", "did you mean `coppers`?"),
        ("{ coppers = -1 }", "expected a price: a number, or a time such as \"90s\", of more than 0"),
        ("{ coppers = 0 }", "expected a price: a number, or a time such as \"90s\", of more than 0"),
        ("{ coppers = '90s' }", "`coppers` has another type than this price"),
        ("{}", "`costs` does not name any field"),
        ("80", "expected a table"),
        ("{ name = 1 }", "`name` is not a number or a time"),
        ("{ oil = 1 }", "`oil` does not have profile scope"),
        ("{ best = 1 }", "`best` cannot be spent, because of its `keep`"),
        ("{ worn = 1 }", "`worn` has more than one value"),
    ] {
        let more = "name = { type = 'text', max_len = 9, scope = 'profile' }\noil = { type = 'int', scope = 'run', on_death = 'stays' }\n\
            best = { type = 'int', scope = 'profile', keep = 'highest' }\nworn = { type = 'int', scope = 'profile', per = ['level'] }\n\
            debt =";
        let text = SHOP.replacen("debt =", more, 1).replace("{ debt = 1 }", costs);
        let found = match Schema::parse("progress.toml", &text) {
            Ok(parsed) => parsed.findings.to_string(),
            Err(findings) => findings.to_string(),
        };
        assert!(found.contains(expected), "{costs}:\n{found}");
    }
    // A price is balance: it changes no save, and reads back.
    let (before, now) = (parsed(SHOP), parsed(&SHOP.replace("coppers = 80", "coppers = 70")));
    let found: Vec<String> =
        keblin::diff::differences(&before, &now).iter().map(ToString::to_string).collect();
    assert_eq!(found, ["unlock boat: costs { coppers = 80, shards = 2 } -> { coppers = 70, shards = 2 }"]);
    assert_eq!(keblin::diff::differences(&before, &parsed(&before.normal_text())), []);
}
