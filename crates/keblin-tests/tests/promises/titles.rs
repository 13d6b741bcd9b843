//! What a list of slots shows without opening one: titles of slots and pins, and the fields that a game lists.

use std::sync::Arc;

use keblin::save::json::{export, import, json_schema};
use keblin::save::{Stamp, Summary, write};
use keblin::store::PinError;
use keblin::store::backend::Memory;
use keblin::verify::verify;
use keblin::{Date, Field, Keeper, Progress, SaveDir, Schema, Snapshot, TitleFault, Value};

use crate::round_trip::stamp;
use crate::steps::{parsed, versions};

const HEROES: &str = "game = 'heroes'\nversion = 1\n[lists]\ncrafts = ['smith', 'bard']\n[fields]\n\
    name = { type = 'text', max_len = 20, scope = 'profile' }\n\
    gold = { type = 'int', scope = 'run', on_death = 'stays', default = 5 }\n\
    craft = { type = 'id', of = 'crafts', scope = 'profile' }\n\
    born = { type = 'date', scope = 'profile' }\n\
    secret = { type = 'int', scope = 'profile' }\n\
    [summary]\nfields = ['name', 'gold', 'craft', 'born']\n";

fn schema() -> Arc<Schema> {
    Arc::new(parsed(HEROES))
}

fn field<T: keblin::typed::FieldType>(schema: &Schema, id: &str) -> Field<T> {
    schema.field(id).unwrap()
}

#[test]
fn a_list_of_slots_shows_titles_and_listed_fields() {
    let schema = schema();
    let dir = SaveDir::on(Arc::new(Memory::default()), "saves");
    let slot = dir.slot("level").unwrap();
    let mut kept = Keeper::open(&slot, &schema).unwrap();
    kept.set_title("Hilda\u{2019}s first winter").unwrap();
    kept.set(field::<String>(&schema, "name"), "Hilda".to_string());
    kept.set(field::<Option<Date>>(&schema, "born"), Date::new(2001, 2, 3).unwrap());
    kept.begin(None).unwrap();
    kept.add(field::<i64>(&schema, "gold"), 70);
    kept.pin_titled("boss", "Before the boss").unwrap();
    kept.pin("plain").unwrap();
    kept.close().unwrap();

    let entry = dir.list().unwrap().remove(0);
    let summary = entry.head.unwrap().state.summary;
    assert_eq!(summary.title.as_deref(), Some("Hilda\u{2019}s first winter"));
    assert_eq!(summary.field(&schema, field::<String>(&schema, "name")), Some("Hilda".to_string()));
    assert_eq!(summary.field(&schema, field::<i64>(&schema, "gold")), Some(75));
    assert_eq!(summary.field(&schema, field::<Option<Date>>(&schema, "born")), Date::new(2001, 2, 3));
    assert_eq!(summary.value(&schema, "craft"), Some(Value::Unset));
    assert_eq!(summary.value(&schema, "secret"), None, "not listed");
    let titles: Vec<_> = slot
        .pins()
        .unwrap()
        .into_iter()
        .map(|pin| (pin.name.to_string(), pin.head.unwrap().state.summary.title))
        .collect();
    assert_eq!(
        titles,
        [("boss".to_string(), Some("Before the boss".to_string())), ("plain".to_string(), None)]
    );

    // Opened again it has its title, and a pin does not take it away.
    let mut kept = Keeper::open(&slot, &schema).unwrap();
    kept.back_to("boss", true).unwrap();
    assert_eq!(kept.title(), Some("Hilda\u{2019}s first winter"));
    kept.close().unwrap();
    let copy = dir.copy("level", "copy").unwrap();
    assert_eq!(Keeper::open(&copy, &schema).unwrap().title(), Some("Hilda\u{2019}s first winter"));
}

#[test]
fn a_title_is_one_line_of_text() {
    let mut game = Progress::new(schema());
    assert_eq!(game.set_title(&"x".repeat(121)), Err(TitleFault::TooLong { chars: 121 }));
    let told = game.set_title("one\ntwo").unwrap_err().to_string();
    assert_eq!(told, "a title is one line of text, but this one has '\\n'; leave it out");
    game.set_title(&"\u{e9}".repeat(120)).unwrap();
    game.set_title("").unwrap();
    assert_eq!(game.title(), None);
    let dir = SaveDir::on(Arc::new(Memory::default()), "saves");
    let mut kept = Keeper::open(&dir.slot("one").unwrap(), &schema()).unwrap();
    assert!(matches!(
        kept.pin_titled("p", "a\u{7}b"),
        Err(PinError::Title(TitleFault::Control { found: '\u{7}' }))
    ));
}

#[test]
fn a_title_stays_in_json_and_when_two_saves_meet_and_goes_with_the_profile() {
    let schema = schema();
    let titled = |title: &str| Progress::new(Arc::clone(&schema)).snapshot().with_title(title).unwrap();
    let snapshot = titled("Winter");
    let json = export(&snapshot, &stamp(1));
    assert_eq!(json["title"], "Winter");
    let (again, by): (Snapshot, Stamp) = import(&json, &schema).unwrap();
    assert_eq!(write(&again, &by), write(&snapshot, &stamp(1)));
    assert!(json_schema(&schema)["properties"]["title"].is_object());
    let mut wrong = json.clone();
    wrong["title"] = "a\tb".into();
    assert!(import(&wrong, &schema).unwrap_err().to_string().starts_with("title: a title is one line"));

    let differing = snapshot.differences(&titled("Spring"));
    assert_eq!(differing[0].to_string(), "title: \"Winter\" -> \"Spring\"");
    let at = |snapshot: &Snapshot, at: u64| {
        verify(&write(snapshot, &Stamp { saved_at_unix_ms: at, ..stamp(1) }), &schema)
            .unwrap()
            .snapshot()
            .clone()
    };
    let (early, late) = (at(&snapshot, 5), at(&titled("Spring"), 9));
    for [one, other] in [[&early, &late], [&late, &early]] {
        let met = keblin::reconcile::reconcile(one, other).unwrap().snapshot;
        assert_eq!(met.title(), Some("Spring"), "of the later one");
    }
    let mut game = Progress::restored(snapshot);
    game.erase(&keblin::progress::Erase::Profile, true).unwrap();
    assert_eq!(game.title(), None);
}

#[test]
fn a_summary_of_another_version_shows_what_still_fits() {
    let schema = schema();
    let mut game = Progress::new(Arc::clone(&schema));
    game.set(field::<String>(&schema, "name"), "Hilda".to_string());
    let file = write(&game.snapshot(), &stamp(1));
    let later = HEROES
        .replace("version = 1", "version = 2")
        .replace("gold = { type = 'int'", "gold = { type = 'bool'");
    let later = later.replace(", default = 5", "");
    let now = versions(&[HEROES, &later], &["[fields.gold]\ntype = 'bool'\nmisfit = 'default'\n"]);
    let now = now.unwrap_or_else(|found| panic!("{found}"));
    let summary = keblin::save::read(&file).unwrap().head.summary;
    assert_eq!(summary.value(&now, "name"), Some(Value::text("Hilda")));
    assert_eq!(summary.value(&now, "gold"), None, "it has another type now");
    // A game that lists nothing writes what it always wrote.
    let plain = Arc::new(parsed(HEROES.split("[summary]").next().unwrap()));
    assert_eq!(Summary::of(&Progress::new(plain).snapshot()).title, None);
}

#[test]
fn only_short_single_values_can_be_listed() {
    let told = |more: &str, listed: &str| {
        let text =
            HEROES.replace("[summary]", &format!("{more}\n[summary]")).replace("'name', 'gold'", listed);
        match Schema::parse("progress.toml", &text) {
            Ok(_) => String::new(),
            Err(findings) => findings.to_string(),
        }
    };
    for (more, listed, expected) in [
        ("", "'nmae'", "did you mean `name`?"),
        ("", "'name', 'name'", "`name` is named twice"),
        (
            "volume = { type = 'int', scope = 'device' }",
            "'volume'",
            "`volume` is a setting, outside the save",
        ),
        (
            "bag = { type = 'list', of = 'int', max_items = 9, scope = 'profile' }",
            "'bag'",
            "`bag` is not one short value",
        ),
        (
            "best = { type = 'int', keep = 'highest', places = 3, scope = 'profile' }",
            "'best'",
            "`best` has more than one value",
        ),
        (
            "now = { type = 'int', durable = false, scope = 'run', on_death = 'stays' }",
            "'now'",
            "`now` is never saved",
        ),
    ] {
        let told = told(more, listed);
        assert!(told.contains(expected), "{listed}: {told}");
    }
    let before = parsed(HEROES);
    assert_eq!(keblin::diff::differences(&before, &parsed(&before.normal_text())), []);
    let found: Vec<String> =
        keblin::diff::differences(&before, &parsed(&HEROES.replace("'name', 'gold', ", "")))
            .iter()
            .map(ToString::to_string)
            .collect();
    assert_eq!(found, ["the declaration: summary.fields name, gold, craft, born -> craft, born"]);
}
