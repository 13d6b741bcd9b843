//! Groups: a section of their own in a save, which another build keeps, a salvage saves, and a step fills.

use std::sync::Arc;

use keblin::migrate::sample_file;
use keblin::progress::Erase;
use keblin::save::json::{export, import, json_schema};
use keblin::save::{read, write};
use keblin::verify::{salvage, verify};
use keblin::{Progress, Schema};

use crate::round_trip::stamp;
use crate::steps::{parsed, versions};

const LOFT: &str = "game = 'loft'\nversion = 1\n[fields]\n\
    grain = { type = 'int', scope = 'run', on_death = 'stays' }\n\
    sacks = { type = 'int', scope = 'profile' }\n\
    owls = { type = 'int', scope = 'profile' }\n\
    tune = { type = 'int', scope = 'device' }\n";
const STORE: &str = "[groups.store]\ntitle = 'The store'\nfields = ['grain', 'sacks', 'tune']\n\
    [[resets]]\nid = 'sweep'\nerases = ['groups.store']\n";

fn loft() -> Arc<Schema> {
    Arc::new(parsed(&format!("{LOFT}{STORE}")))
}

fn played(schema: &Arc<Schema>) -> Progress {
    let mut game = Progress::new(Arc::clone(schema));
    game.begin_replacing(None);
    for (field, value) in [("grain", 5), ("sacks", 6), ("owls", 7)] {
        game.set(schema.field::<i64>(field).unwrap(), value);
    }
    game
}

fn values(game: &Progress) -> Vec<i64> {
    let fields = game.schema().fields.iter().filter(|field| field.name.as_str() != "tune");
    let names: Vec<String> = fields.map(|field| field.name.to_string()).collect();
    names.iter().map(|name| game.get(game.schema().field::<i64>(name).unwrap())).collect()
}

/// A save without one of its sections, as the bytes of the others: a ruin.
fn ruin_without(bytes: &[u8], name: &str) -> Vec<u8> {
    let mut bytes = bytes.to_vec();
    let at = read(&bytes).unwrap().sections.iter().find(|section| section.name == name).unwrap().body_offset;
    bytes[at] ^= 0x40;
    bytes
}

#[test]
fn the_values_of_a_group_are_in_sections_of_their_own() {
    let schema = loft();
    let game = played(&schema);
    let bytes = write(&game.snapshot(), &stamp(1));
    let file = read(&bytes).unwrap();
    let names: Vec<&str> = file.sections.iter().map(|section| section.name).collect();
    assert_eq!(names, ["profile", "run", "profile.store", "run.store"]);
    let body = |name| file.sections.iter().find(|section| section.name == name).unwrap().body;
    assert_eq!(body("profile.store"), b"\xa1\x65sacks\x06");
    assert_eq!(body("run.store"), b"\xa1\x65grain\x05");
    let has = |name, id: &[u8]| body(name).windows(id.len()).any(|part| part == id);
    assert!(has("profile", b"owls") && !has("profile", b"sacks") && has("run", b"fields\xa0"));
    let kept = verify(&bytes, &schema).unwrap().into_progress();
    assert_eq!(values(&kept), [5, 6, 7]);
    assert!(kept.snapshot() == game.snapshot());
}

#[test]
fn a_section_with_damage_does_not_cost_a_salvage_the_others() {
    let schema = loft();
    let bytes = write(&played(&schema).snapshot(), &stamp(1));
    for (damaged, left) in
        [("profile", [5, 6, 0]), ("run", [5, 6, 7]), ("profile.store", [5, 0, 7]), ("run.store", [0, 6, 7])]
    {
        let ruin = ruin_without(&bytes, damaged);
        assert!(verify(&ruin, &schema).is_err());
        let salvaged = salvage(&ruin, &schema).unwrap();
        assert_eq!(values(&Progress::restored(salvaged.snapshot)), left, "{damaged}");
        let lost = salvaged.parts.iter().filter(|part| part.offset.is_none());
        assert_eq!(lost.map(|part| part.section.as_str()).collect::<Vec<_>>(), [damaged]);
    }
}

#[test]
fn a_build_without_a_new_group_keeps_its_section() {
    let grown = Arc::new(parsed(&format!(
        "{LOFT}{STORE}[groups.attic]\nfields = ['bats', 'moths']\n[fields.bats]\ntype = 'int'\nscope = 'profile'\n\
         [fields.moths]\ntype = 'int'\nscope = 'run'\non_death = 'stays'\n"
    )));
    let schema = loft();
    let mut game = Progress::new(Arc::clone(&grown));
    game.begin_replacing(None);
    game.set(grown.field::<i64>("bats").unwrap(), 40);
    game.set(grown.field::<i64>("moths").unwrap(), 41);
    let there = |game: &Progress, id: &str| game.get(game.schema().field::<i64>(id).unwrap());
    // Saved by the build without it, and opened by the one with it again.
    let opened = verify(&write(&game.snapshot(), &stamp(1)), &schema).unwrap();
    assert_eq!(opened.findings().len(), 2, "{:?}", opened.findings());
    let mut without = opened.into_progress();
    let again = verify(&write(&without.snapshot(), &stamp(2)), &grown).unwrap().into_progress();
    assert_eq!((there(&again, "bats"), there(&again, "moths")), (40, 41));
    // What goes with the run goes with it.
    without.begin_replacing(None);
    let again = verify(&write(&without.snapshot(), &stamp(3)), &grown).unwrap().into_progress();
    assert_eq!((there(&again, "bats"), there(&again, "moths")), (40, 0));
    // The build with it opens a save that never had the section.
    let older = write(&played(&schema).snapshot(), &stamp(1));
    let grew = verify(&older, &grown).unwrap().into_progress();
    assert_eq!(values(&grew), [5, 6, 7, 0, 0]);
}

#[test]
fn a_field_is_moved_to_a_group_by_a_step_that_says_so() {
    let two = format!("{LOFT}{STORE}").replace("version = 1", "version = 2");
    let silent = versions(&[LOFT, &two], &[""]).unwrap_err().to_string();
    assert!(
        silent.contains("field sacks of version 1 changed in version 2: group is now \"store\""),
        "{silent}"
    );
    let wrong =
        "[fields.grain]\ngroup = 'barn'\n[fields.sacks]\ngroup = 'store'\n[fields.tune]\ngroup = 'store'\n";
    let wrong = versions(&[LOFT, &two], &[wrong]).unwrap_err().to_string();
    assert!(wrong.contains("version 2 declares group = \"store\""), "{wrong}");
    let step =
        ["grain", "sacks", "tune"].map(|field| format!("[fields.{field}]\ngroup = 'store'\n")).concat();
    let schema = Arc::new(versions(&[LOFT, &two], &[&step]).unwrap());
    let old = Arc::clone(&schema.past()[0].schema);
    let opened = verify(&write(&played(&old).snapshot(), &stamp(1)), &schema).unwrap().into_progress();
    assert_eq!(values(&opened), [5, 6, 7]);
    let names = read(&write(&opened.snapshot(), &stamp(2))).unwrap().sections.len();
    assert_eq!(names, 4);
    assert!(verify(&sample_file(&old).unwrap(), &schema).is_ok());
}

#[test]
fn a_reset_erases_the_profile_fields_of_a_group() {
    let mut game = played(&loft());
    let reset = game.schema().reset("sweep").unwrap();
    assert_eq!(game.erase(&Erase::Reset(reset), true).unwrap().len(), 1);
    assert_eq!(values(&game), [5, 0, 7]);
}

#[test]
fn a_save_as_json_has_the_sections_of_groups() {
    let schema = loft();
    let game = played(&schema);
    let mut json = export(&game.snapshot(), &stamp(1));
    assert_eq!(json["profile.store"], serde_json::json!({ "sacks": 6 }));
    assert!(import(&json, &schema).unwrap().0 == game.snapshot());
    let rules = json_schema(&schema);
    assert_eq!(rules["properties"]["run.store"]["properties"]["grain"]["type"], "integer");
    json["run.store"]["grain"] = "many".into();
    assert_eq!(import(&json, &schema).unwrap_err().path, "run.store.grain");
    json.as_object_mut().unwrap().remove("run.store");
    let (without, _) = import(&json, &schema).unwrap();
    assert_eq!(values(&Progress::restored(without)), [0, 6, 7]);
}

#[test]
fn a_field_is_in_one_group_and_exists() {
    for (groups, said) in [
        (
            "[groups]\nstore = { fields = ['grain'] }\nbarn = { fields = ['grain'] }",
            "already in the group `store`",
        ),
        ("[groups]\nstore = { fields = ['grain', 'grain'] }", "is named twice in `store`"),
        ("[groups]\nstore = { fields = ['grian'] }", "did you mean `grain`?"),
        ("[groups]\nstore = { fields = [] }", "the group `store` is empty"),
        ("[groups]\nstore = ['grain']", "a table such as"),
        ("[groups]\nstore = { fields = ['tune'] }", "no field of `store` has profile scope"),
    ] {
        let reset = "[[resets]]\nid = 'sweep'\nerases = ['groups.store']\n";
        let found =
            Schema::parse("progress.toml", &format!("{LOFT}{groups}\n{reset}")).unwrap_err().to_string();
        assert!(found.contains(said), "{found}");
    }
}
