//! What goes with the values of a record: filled from fields or given, saved, exported, migrated, and kept when saves meet.

use std::sync::Arc;

use keblin::migrate::sample_file;
use keblin::progress::Erase;
use keblin::reconcile::reconcile;
use keblin::rehearse::Rehearsal;
use keblin::save::json::{export, import, json_schema};
use keblin::save::write;
use keblin::verify::verify;
use keblin::{Date, Field, Progress, Schema, Value};

use crate::round_trip::stamp;
use crate::steps::{parsed, versions};

const CABINET: &str = "game = 'cabinet'\nversion = 1\n[shapes.entry]\n\
    members = { who = { type = 'text', max_len = 3, default = 'AAA' }, on = { type = 'date' }, wave = { type = 'int', min = 1, max = 9, default = 1 } }\n\
    [fields]\nwho = { type = 'text', max_len = 3, scope = 'profile', default = 'ANN' }\n\
    today = { type = 'date', scope = 'device' }\n\
    score = { type = 'int', scope = 'run', on_death = 'stays' }\n\
    best = { type = 'int', scope = 'profile', keep = 'highest', places = 3, max = 1000, with = 'entry', \
    with_from = { who = 'who', on = 'today' }, from = 'score', at = ['run_end'] }\n\
    fastest = { type = 'time', scope = 'profile', keep = 'lowest', with = 'entry' }\n";

struct Cabinet {
    schema: Arc<Schema>,
    game: Progress,
    who: Field<String>,
    score: Field<i64>,
    best: Field<Option<i64>>,
}

fn cabinet() -> Cabinet {
    let schema = Arc::new(parsed(CABINET));
    let (who, score) = (schema.field("who").unwrap(), schema.field("score").unwrap());
    let best = schema.field("best").unwrap();
    Cabinet { game: Progress::new(Arc::clone(&schema)), schema, who, score, best }
}

fn entry(schema: &Schema, text: &str) -> Value {
    schema.written(keblin::kind::Kind::Shape(0).into(), text).unwrap()
}

/// The table as people read it.
fn table(game: &Progress) -> Vec<String> {
    let best: Field<Option<i64>> = game.schema().field("best").unwrap();
    game.table_with::<Value, _>(best).map(|(value, with)| format!("{value} {with}")).collect()
}

#[test]
fn a_run_fills_what_goes_with_its_score_and_a_game_may_give_it() {
    let Cabinet { schema, mut game, who, score, best } = cabinet();
    game.set(schema.field::<Option<Date>>("today").unwrap(), Date::new(2026, 11, 29).unwrap());
    game.begin_replacing(None);
    game.set(score, 700);
    game.end_run().unwrap();
    game.set(who, "BEN".to_string());
    assert_eq!(game.submit(best, 900).place, Some(1));
    let given = entry(&schema, "{ who = 'CAT', wave = 4 }");
    assert_eq!(
        game.submit_with(best, 700, given.clone()).place,
        Some(3),
        "an equal value goes below the older one"
    );
    assert_eq!(
        table(&game),
        [
            "900 {who: \"BEN\", on: 2026-11-29, wave: 1}",
            "700 {who: \"ANN\", on: 2026-11-29, wave: 1}",
            "700 {who: \"CAT\", on: unset, wave: 4}"
        ]
    );
    assert_eq!(
        (game.get(best).option(), game.table(best).collect::<Vec<_>>()),
        (Some(900), vec![900, 700, 700])
    );
    // Members stop at their bounds, a value outside its own bounds and a shape of another kind are refused.
    let Value::Shape(members) = entry(&schema, "{ wave = 4 }") else { panic!("a shape") };
    let far = members.iter().map(|(name, value)| match name.as_str() {
        "wave" => (name.clone(), Value::Int(99)),
        _ => (name.clone(), value.clone()),
    });
    assert!(game.submit_with(best, 950, Value::Shape(far.collect())).clamped);
    assert!(table(&game)[0].ends_with("wave: 9}"), "{:?}", table(&game));
    assert!(game.submit_with(best, 1001, given).refused.is_some());
    let told = game.submit_with(best, 999, 7_i64).refused.unwrap().to_string();
    assert_eq!(told, "best: refused: expected a shape of entry, but found 7");
    assert_eq!(game.get(best), Some(950));
}

#[test]
fn a_member_that_is_never_unset_keeps_its_default_for_an_unset_field() {
    let text = CABINET.replace("on = { type = 'date' }", "on = { type = 'date', default = 2000-01-01 }");
    let schema = Arc::new(parsed(&text));
    let mut game = Progress::new(Arc::clone(&schema));
    game.submit(schema.field::<Option<i64>>("best").unwrap(), 5);
    assert_eq!(table(&game), ["5 {who: \"ANN\", on: 2000-01-01, wave: 1}"]);
    assert_eq!(verify(&write(&game.snapshot(), &stamp(1)), &schema).unwrap().findings(), []);
}

#[test]
fn it_is_saved_exported_imported_and_erased_with_its_value() {
    let Cabinet { schema, mut game, best, .. } = cabinet();
    game.submit_with(best, 5, entry(&schema, "{ who = 'BEN', on = '2026-11-29' }"));
    game.submit_with(best, 3, entry(&schema, "{ who = 'ANN' }"));
    let file = write(&game.snapshot(), &stamp(1));
    let again = verify(&file, &schema).unwrap();
    assert_eq!(again.findings(), []);
    assert!(*again.snapshot() == game.snapshot());
    let json = export(&game.snapshot(), &stamp(1));
    assert_eq!(json["profile"]["fields"]["best"][0]["with"]["on"], "2026-11-29");
    assert_eq!(json["profile"]["fields"]["fastest"], serde_json::Value::Null);
    let (back, by) = import(&json, &schema).unwrap();
    assert_eq!(write(&back, &by), file);
    let rule =
        &json_schema(&schema)["properties"]["profile"]["properties"]["fields"]["properties"]["best"]["items"];
    assert!(rule["properties"]["with"]["properties"]["who"].is_object(), "{rule}");
    for (wrong, expected) in [
        (serde_json::json!(7), "profile.fields.best: expected `value` and `with`, but found 7"),
        (
            serde_json::json!({ "value": 7, "with": { "who": 3 } }),
            "profile.fields.best.with.who: expected a text",
        ),
    ] {
        let mut json = json.clone();
        json["profile"]["fields"]["best"][0] = wrong;
        let told = import(&json, &schema).unwrap_err().to_string();
        assert!(told.starts_with(expected), "{told}");
    }
    let sample = verify(&sample_file(&schema).unwrap(), &schema).unwrap();
    assert_eq!(
        sample.findings().iter().filter(|found| found.code != keblin::save::SaveCode::Edited).count(),
        0
    );
    assert!(!table(&sample.into_progress()).is_empty());
    game.erase(&Erase::Field(schema.field_named("best").unwrap().0), true).unwrap();
    assert_eq!(table(&game), [] as [&str; 0]);
}

#[test]
fn two_tables_meet_entry_by_entry_in_any_order() {
    let Cabinet { schema, game, best, .. } = cabinet();
    let with = |scores: &[(i64, &str)]| {
        let mut game = game.clone();
        for (score, who) in scores {
            game.submit_with(best, *score, entry(&schema, &format!("{{ who = '{who}' }}")));
        }
        game.snapshot()
    };
    let (ours, theirs) = (with(&[(9, "ANN"), (5, "ANN")]), with(&[(9, "ANN"), (9, "BEN"), (2, "CAT")]));
    let met = |one, other| table(&Progress::restored(reconcile(one, other).unwrap().snapshot));
    let both = met(&ours, &theirs);
    let of = |who: &str, score: i64| format!("{score} {{who: \"{who}\", on: unset, wave: 1}}");
    assert_eq!(both, [of("ANN", 9), of("BEN", 9), of("ANN", 5)]);
    assert_eq!(met(&theirs, &ours), both);
}

#[test]
fn rules_and_rehearsals_name_its_members() {
    let text = format!(
        "{CABINET}[[unlocks]]\nid = 'bens'\nwhen = \"best != null && best.who == 'BEN' && best > 4\"\n"
    );
    let schema = Arc::new(parsed(&text));
    let script = "expect best.who == null\nset today 2026-11-29\nsubmit best 3\nexpect best.who == 'ANN'\n\
        expect best.on == date('2026-11-29')\nexpect !unlocked.bens\n\
        submit best 8 with { who = \"BEN\", wave = 2 }\nexpect best == 8\nexpect best.wave == 2\nexpect unlocked.bens\n\
        suppose best = 2\nexpect best.who == 'ANN'\nquit\nlaunch\nexpect best.who == 'ANN'\n";
    let failure = Rehearsal::parse("cabinet", script, &schema).unwrap().run().failure;
    assert!(failure.is_none(), "{failure:?}");
    let told = |line: &str| Rehearsal::parse("cabinet", line, &schema).unwrap_err().to_string();
    assert!(told("submit best 8 with { whom = \"BEN\" }\n").contains("whom"));
    assert!(told("submit best 8 by\n").contains("expected `with` or the end, but found `by`"));
}

#[test]
fn a_step_adds_it_keeps_it_and_takes_it_away_aloud() {
    let Cabinet { schema, mut game, best, .. } = cabinet();
    game.submit_with(best, 5, entry(&schema, "{ who = 'BEN' }"));
    let file = write(&game.snapshot(), &stamp(1));
    let without = CABINET.replace(", with = 'entry', with_from = { who = 'who', on = 'today' }", "");
    assert!(!without.contains("with_from"));
    let as_2 = |text: &str| text.replace("version = 1", "version = 2");
    let opened = |texts: [&str; 2], step: &str, file: &[u8]| {
        let schema = versions(&texts, &[step]).unwrap_or_else(|found| panic!("{found}"));
        verify(file, &schema).unwrap().into_progress()
    };
    // Renamed members keep their values.
    let renamed = as_2(
        &CABINET
            .replace("{ who = { type", "{ initials = { type")
            .replace("with_from = { who", "with_from = { initials"),
    );
    let game = opened([CABINET, &renamed], "[shapes.entry.members.initials]\nfrom = 'who'\n", &file);
    assert_eq!(table(&game), ["5 {initials: \"BEN\", on: unset, wave: 1}"]);
    // Taken away, which the step must say.
    let told = versions(&[CABINET, &as_2(&without)], &[""]).unwrap_err();
    assert!(told.contains("with = false"), "{told}");
    let game = opened([CABINET, &as_2(&without)], "[fields.best]\nwith = false\n", &file);
    let plain: Field<Option<i64>> = game.schema().field("best").unwrap();
    assert_eq!((game.get(plain).option(), table(&game).len()), (Some(5), 0));
    // Added: old values have the defaults.
    let old = Arc::new(parsed(&without));
    let mut game = Progress::new(Arc::clone(&old));
    game.submit(old.field::<Option<i64>>("best").unwrap(), 6);
    let file = write(&game.snapshot(), &stamp(1));
    let game = opened([&without, &as_2(CABINET)], "[fields.best]\nwith = 'entry'\n", &file);
    assert_eq!(table(&game), ["6 {who: \"AAA\", on: unset, wave: 1}"]);
}

#[test]
fn each_mistake_in_it_has_its_place() {
    for (from, to, expected) in [
        ("with = 'entry', with_from", "with = 'entri', with_from", "did you mean `entry`?"),
        ("{ who = 'who', on", "{ whom = 'who', on", "did you mean `who`?"),
        ("on = 'today' }", "on = 'todya' }", "did you mean `today`?"),
        (
            "who = { type = 'text', max_len = 3, scope",
            "who = { type = 'text', max_len = 9, scope",
            "`who` may be 9 long, but the member `who` at most 3",
        ),
        ("on = 'today' }", "on = 'score' }", "`score` is an int, but the member `on` is a date"),
        (
            "default = 'ANN' }",
            "default = 'ANN', with = 'entry' }",
            "only a field that keeps the highest or lowest value can have something with its values",
        ),
        (", with = 'entry', with_from", ", with_from", "`with_from` fills a shape, but the record has none"),
    ] {
        let told = Schema::parse("progress.toml", &CABINET.replacen(from, to, 1)).unwrap_err().to_string();
        assert!(told.contains(expected), "{to}: {told}");
    }
    let before = parsed(CABINET);
    assert_eq!(keblin::diff::differences(&before, &parsed(&before.normal_text())), []);
}
