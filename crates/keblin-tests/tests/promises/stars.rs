//! Stars that are collected one by one keep what they are: a star put before others, one that another build does not
//! know, and a renamed one take nothing from a player and give nothing away.

use std::sync::Arc;

use keblin::diff::{Class, differences};
use keblin::save::{json, write};
use keblin::verify::verify;
use keblin::{Name, Progress, Schema, Snapshot};
use serde_json::json;

use crate::round_trip::stamp;
use crate::steps::{parsed, versions};

pub(crate) const FULL: &str = "{ id = 'full_bag', when = 'letters >= 6' }";
pub(crate) const LIT: &str = "{ id = 'lit', when = 'oil >= 20' }";
const DRY: &str = "{ id = 'dry', when = 'spills == 0' }";

fn text(version: u32, stars: &[&str]) -> String {
    let field = |id: &str| format!("[fields.{id}]\ntype = 'int'\nscope = 'level'\non_death = 'stays'\n");
    format!(
        "game = 'reeds'\nversion = {version}\nstars_by = 'each'\ndifficulties = ['neap', 'spring']\n\
         level_facts_per = 'difficulty'\n{}{}{}[[levels]]\nid = 'reedgate'\nstars = [{}]\n[[levels]]\nid = 'weir'\n",
        field("letters"),
        field("oil"),
        field("spills"),
        stars.join(", "),
    )
}

pub(crate) fn schema(stars: &[&str]) -> Arc<Schema> {
    Arc::new(parsed(&text(1, stars)))
}

/// Finishes the level on the first difficulty with some values; returns the rating.
fn finish(game: &mut Progress, values: [(&str, i64); 3]) -> u8 {
    let schema = Arc::clone(game.schema());
    game.begin_replacing(None);
    game.enter(schema.level("reedgate").unwrap()).unwrap();
    for (id, value) in values {
        game.set(schema.field::<i64>(id).unwrap(), value);
    }
    game.finish().unwrap().unwrap().stars
}

/// A save in which only the star for oil is collected.
pub(crate) fn with_lit(schema: &Arc<Schema>) -> Vec<u8> {
    let mut game = Progress::new(Arc::clone(schema));
    finish(&mut game, [("letters", 0), ("oil", 30), ("spills", 1)]);
    write(&game.snapshot(), &stamp(1))
}

/// The positions of the collected stars on the first difficulty.
fn collected(snapshot: &Snapshot) -> u64 {
    let game = Progress::restored(snapshot.clone());
    game.facts(game.schema().level("reedgate").unwrap(), None).collected
}

fn opened(bytes: &[u8], schema: &Arc<Schema>) -> Snapshot {
    verify(bytes, schema).unwrap().snapshot().clone()
}

#[test]
fn a_star_put_before_others_gives_nobody_an_unearned_one() {
    let bytes = with_lit(&schema(&[FULL, LIT]));
    let now = schema(&[DRY, FULL, LIT]);
    assert_eq!(collected(&opened(&bytes, &now)), 0b100);
    let mut game = Progress::restored(opened(&bytes, &now));
    assert_eq!(finish(&mut game, [("letters", 6), ("oil", 0), ("spills", 1)]), 2);
    assert_eq!(finish(&mut game, [("letters", 0), ("oil", 0), ("spills", 0)]), 3);
    let bytes = write(&game.snapshot(), &stamp(2));
    assert_eq!(collected(&opened(&bytes, &now)), 0b111, "what was saved comes back");
}

#[test]
fn a_build_that_does_not_know_a_star_keeps_it() {
    let (large, small) = (schema(&[FULL, LIT]), schema(&[FULL]));
    let bytes = with_lit(&large);
    let mut game = verify(&bytes, &small).unwrap().into_progress();
    assert_eq!(game.facts(small.level("reedgate").unwrap(), None).collected, 0);
    finish(&mut game, [("letters", 6), ("oil", 0), ("spills", 1)]);
    let bytes = write(&game.snapshot(), &stamp(2));
    assert_eq!(collected(&opened(&bytes, &large)), 0b11, "the one of each build");
}

#[test]
fn stars_that_get_ids_are_those_in_their_places() {
    let plain = schema(&["'letters >= 6'", "'oil >= 20'"]);
    let named = schema(&[FULL, LIT]);
    let bytes = with_lit(&plain);
    assert_eq!(collected(&opened(&bytes, &named)), 0b10);
    // A build without ids does not see the named stars, but loses none of them and adds its own.
    let mut game = verify(&with_lit(&named), &plain).unwrap().into_progress();
    assert_eq!(finish(&mut game, [("letters", 6), ("oil", 0), ("spills", 1)]), 1);
    let bytes = write(&game.snapshot(), &stamp(2));
    assert_eq!(collected(&opened(&bytes, &named)), 0b11);
}

#[test]
fn a_finish_names_its_stars() {
    let mut game = Progress::new(schema(&[FULL, LIT]));
    game.begin(None).unwrap();
    game.enter(game.schema().level("reedgate").unwrap()).unwrap();
    let finished = game.finish().unwrap().unwrap();
    let ids: Vec<&str> =
        finished.star_rules.iter().filter_map(|star| star.id.as_ref()).map(Name::as_str).collect();
    assert_eq!(ids, ["full_bag", "lit"]);
}

#[test]
fn a_lost_star_is_a_change_of_shape_and_its_step_says_what_became_of_it() {
    let (before, after) = (text(1, &[FULL, LIT]), text(2, &[FULL, DRY]));
    let found = differences(&parsed(&before), &parsed(&after));
    let said: Vec<String> = found.iter().map(|one| format!("{} {one}", one.class.as_str())).collect();
    assert_eq!(
        said,
        [
            "shape star lit of reedgate was removed; perhaps it is now dry",
            "growth star dry of reedgate is new"
        ]
    );
    let asked = keblin::steps::resolve(&parsed(&before), &parsed(&after), "migrations/v2.toml", "");
    assert!(asked.findings.has_errors());
    assert_eq!(asked.lacks, "[levels.reedgate.stars.dry]\nfrom = \"lit\"");

    let bytes = with_lit(&Arc::new(parsed(&before)));
    let migrated = |step: &str| {
        let save = verify(&bytes, &versions(&[&before, &after], &[step]).unwrap()).unwrap();
        let told: Vec<String> = save.account().unwrap().entries.iter().map(ToString::to_string).collect();
        (
            collected(save.snapshot()),
            told.into_iter().filter(|told| told.contains("stars.")).collect::<Vec<_>>(),
        )
    };
    assert_eq!(migrated(&asked.lacks), (0b10, vec![]));
    let (left, told) = migrated("drop = ['levels.reedgate.stars.lit']");
    assert_eq!(left, 0);
    assert_eq!(told, ["levels.reedgate.neap.stars.lit: dropped true"]);
    let unknown = keblin::steps::resolve(
        &parsed(&before),
        &parsed(&after),
        "migrations/v2.toml",
        "[levels.reedgate.stars.dri]\nfrom = 'lit'",
    );
    assert!(unknown.findings.to_string().contains("did you mean `dry`?"), "{}", unknown.findings);
}

#[test]
fn stars_without_ids_that_change_places_are_a_change_of_shape_and_follow_their_conditions() {
    let (before, after) = (
        text(1, &["'letters >= 6'", "'oil >= 20'"]),
        text(2, &["'spills == 0'", "'letters >= 6'", "'oil >= 20'"]),
    );
    let found = differences(&parsed(&before), &parsed(&after));
    assert_eq!(found[0].class, Class::Shape);
    assert_eq!(found[0].to_string(), "level reedgate: stars are in another order");
    let bytes = with_lit(&Arc::new(parsed(&before)));
    let schema = versions(&[&before, &after], &[""]).unwrap();
    assert_eq!(collected(&opened(&bytes, &schema)), 0b100);
    // A changed threshold is the same star.
    let eased = text(1, &["'letters >= 5'", "'oil >= 20'"]);
    assert!(differences(&parsed(&before), &parsed(&eased)).iter().all(|one| one.class == Class::Rule));
}

#[test]
fn an_export_names_the_stars_and_comes_back() {
    let schema = schema(&[FULL, LIT]);
    let snapshot = opened(&with_lit(&schema), &schema);
    let exported = json::export(&snapshot, &stamp(1));
    assert_eq!(
        exported["profile"]["collected"]["reedgate"]["neap"],
        json!({ "full_bag": false, "lit": true })
    );
    assert_eq!(exported["profile"]["levels"]["reedgate"]["neap"]["collected"], json!(0));
    let (back, _) = json::import(&exported, &schema).unwrap();
    assert_eq!(back, snapshot);
    let mut wrong = exported;
    wrong["profile"]["collected"]["reedgate"]["neap"]["lit"] = json!(1);
    let error = json::import(&wrong, &schema).unwrap_err().to_string();
    assert!(error.contains("profile.collected.reedgate.neap.lit"), "{error}");
}

#[test]
fn the_collected_stars_of_two_saves_are_listed_by_their_ids() {
    let schema = schema(&[FULL, LIT]);
    let (ours, theirs) = (Progress::new(Arc::clone(&schema)).snapshot(), opened(&with_lit(&schema), &schema));
    let found: Vec<String> = ours.differences(&theirs).iter().map(ToString::to_string).collect();
    assert!(
        found.iter().any(|found| found.contains("collected stars") && found.contains("lit")),
        "{found:#?}"
    );
}

#[test]
fn each_mistake_in_a_list_of_stars_has_its_place() {
    let finding = |stars: &[&str]| match Schema::parse("progress.toml", &text(1, stars)) {
        Ok(parsed) => parsed.findings.to_string(),
        Err(findings) => findings.to_string(),
    };
    for (stars, expected) in [
        (&[FULL, "'oil >= 20'"][..], "this star needs an id, because other stars of the level have one"),
        (&[FULL, FULL], "star `full_bag` is declared twice"),
        (&["{ when = 'true' }", LIT], "a star needs `id`"),
        (&["{ id = 'lit' }"], "a star needs `when`"),
        (&["3"], "expected a condition as a text, or a table with `id` and `when`"),
        (
            &["'letters >= 6'", "'oil >= 20'"],
            "the stars of reedgate are collected separately but have no ids",
        ),
    ] {
        let found = finding(stars);
        assert!(found.contains(expected), "{expected}:\n{found}");
    }
    assert!(!finding(&["'letters >= 6'"]).contains("no ids"), "one star cannot be mistaken for another");
    assert!(!finding(&[FULL, LIT]).contains("no ids"));
}
