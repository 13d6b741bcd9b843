//! The layout: every value has one cell, and every handle finds its own.

use keblin_schema::condition::names::named;
use keblin_schema::model::{At, Axis, Scope};
use keblin_schema::{Declaration, Difficulty, Field, FieldPer, Item, Level, LookupError, Time};

fn fen_post() -> Declaration {
    keblin_schema::parse("progress.toml", include_str!("../../../../demo/progress.toml")).unwrap().declaration
}

#[test]
fn what_copies_hold_is_one_range_from_the_start() {
    let schema = fen_post();
    for field in &schema.fields {
        let copied = field.cells.end <= schema.copied_cells;
        assert_eq!(copied, field.scope.is_of_run(), "{}", field.name);
        let saved = field.cells.end <= schema.saved_cells;
        assert_eq!(saved, field.scope != Scope::Device, "{}", field.name);
    }
    let mut owned: Vec<usize> = schema.fields.iter().flat_map(|field| field.cells.clone()).collect();
    owned.sort_unstable();
    assert_eq!(owned, (0..schema.cell_count).collect::<Vec<_>>(), "each cell has one owner");
}

#[test]
fn a_cell_leads_back_to_its_field_and_place() {
    let schema = fen_post();
    for field in &schema.fields {
        let levels = if field.per.contains(&Axis::Level) { schema.levels.len() } else { 1 };
        let difficulties = if field.per.contains(&Axis::Difficulty) { schema.difficulties.len() } else { 1 };
        assert_eq!(field.cells.len(), levels * difficulties, "{}", field.name);
        for (level, difficulty) in (0..levels).flat_map(|l| (0..difficulties).map(move |d| (l, d))) {
            let on = |axis, index| field.per.contains(&axis).then_some(index);
            let at = At::level(on(Axis::Level, level), on(Axis::Difficulty, difficulty));
            let cell = schema.cell(field, at).unwrap();
            let (owner, place) = schema.cell_owner(cell).unwrap();
            assert_eq!((&owner.name, place), (&field.name, at));
        }
    }
    let best = schema.field_named("best_crossing").unwrap().1;
    assert_eq!(schema.cell(best, At::default()), None, "a place must be given");
    assert_eq!(schema.cell(best, At::level(Some(7), Some(0))), None, "and be there");
    assert_eq!(schema.cell_owner(schema.cell_count), None);
}

#[test]
fn a_handle_finds_the_cell_of_its_place() {
    let schema = fen_post();
    let best: FieldPer<Option<Time>, (Level, _)> = schema.field_per("best_crossing").unwrap();
    let def = schema.field_named("best_crossing").unwrap().1;
    for (level, id) in schema.levels.iter().enumerate() {
        for (difficulty, tide) in schema.difficulties.iter().enumerate() {
            let place = (schema.level(id.name.as_str()).unwrap(), schema.difficulty(tide.as_str()).unwrap());
            let at = At::level(Some(level), Some(difficulty));
            assert_eq!(best.at(place).cell(), schema.cell(def, at).unwrap());
        }
    }
}

#[test]
fn a_wrong_name_or_type_is_told_at_the_look_up() {
    let schema = fen_post();
    let message = |error: LookupError| error.to_string();
    assert_eq!(
        message(schema.field::<i64>("oli").unwrap_err()),
        "`oli` is not a declared field; did you mean `oil`?"
    );
    assert_eq!(message(schema.level("x").unwrap_err()), "`x` is not a declared level");
    assert_eq!(
        message(schema.field::<bool>("oil").unwrap_err()),
        "field `oil` is declared as int, but was looked up as bool"
    );
    assert_eq!(
        message(schema.field::<i64>("best_letters").unwrap_err()),
        "field `best_letters` is declared as int that may be unset, but was looked up as int"
    );
    assert_eq!(
        message(schema.field::<Option<Time>>("best_crossing").unwrap_err()),
        "field `best_crossing` is declared as time that may be unset per level and difficulty, but was looked up \
         as time that may be unset"
    );
    let reedgate = schema.level("reedgate").unwrap();
    assert_eq!(
        message(schema.checkpoint(reedgate, "wilow").unwrap_err()),
        "`wilow` is not a declared checkpoint",
        "willow belongs to another level"
    );
}

#[test]
fn a_handle_knows_its_schema() {
    let (schema, same) = (fen_post(), fen_post());
    let text = include_str!("../../../../demo/progress.toml").replace("max = 90", "max = 91");
    let other = keblin_schema::parse("progress.toml", &text).unwrap().declaration;
    let oil: Field<i64> = schema.field("oil").unwrap();
    assert!(oil.belongs_to(&schema) && oil.belongs_to(&same) && !oil.belongs_to(&other));
}

const LAMPS: &str = "
    game = 'lamps'
    version = 1
    difficulties = ['neap', 'spring']
    [lists]
    lamps = ['wick', 'glass', 'tallow']
    reeds = ['rush', 'sedge']
    [[levels]]
    id = 'mere'
    [[levels]]
    id = 'weir'
    [fields]
    lit = { type = 'int', scope = 'profile', per = ['lamps'] }
    cut = { type = 'int', scope = 'profile', per = ['reeds', 'level', 'lamps', 'difficulty'] }
    burnt = { type = 'int', scope = 'profile', per = ['difficulty', 'reeds'] }
";

#[test]
fn items_of_lists_are_axes_like_levels_and_difficulties() {
    let schema = keblin_schema::parse("lamps", LAMPS).unwrap().declaration;
    let (_, cut) = schema.field_named("cut").unwrap();
    assert_eq!(cut.cells.len(), 2 * 2 * 3 * 2);
    let per: FieldPer<i64, (Item, Level, Item, Difficulty)> = schema.field_per("cut").unwrap();
    let mut cells = Vec::new();
    for reed in ["rush", "sedge"] {
        for level in ["mere", "weir"] {
            for lamp in ["wick", "glass", "tallow"] {
                for tide in ["neap", "spring"] {
                    let place = (
                        schema.item("reeds", reed).unwrap(),
                        schema.level(level).unwrap(),
                        schema.item("lamps", lamp).unwrap(),
                        schema.difficulty(tide).unwrap(),
                    );
                    let cell = per.at(place).cell();
                    let (owner, at) = schema.cell_owner(cell).unwrap();
                    assert_eq!(schema.place_text(&owner.per, at), format!("{reed}, {level}, {lamp}, {tide}"));
                    assert_eq!(schema.cell(cut, at), Some(cell));
                    let name = format!("levels.{level}.{tide}.cut.{reed}.{lamp}");
                    let program = keblin_schema::condition::compile(&schema, &format!("{name} > 0")).unwrap();
                    assert!(
                        format!("{program:?}").contains(&format!("Cells({cell}..{})", cell + 1)),
                        "{name}"
                    );
                    cells.push(cell);
                }
            }
        }
    }
    assert_eq!(cells, cut.cells.clone().collect::<Vec<_>>(), "in declared order, each once");
}

#[test]
fn a_name_says_the_items_it_means() {
    let schema = keblin_schema::parse("lamps", LAMPS).unwrap().declaration;
    for sound in ["lit.wick", "burnt.neap.rush", "burnt.sedge", "levels.mere.cut.rush.glass"] {
        assert!(named(&schema, sound).is_ok(), "{sound}");
    }
    let message = |name| named(&schema, name).unwrap_err().to_string();
    assert_eq!(message("lit"), "at byte 1: `lit` has one value per item of `lamps` (write `lit.wick`)");
    assert_eq!(message("lit.wik"), "at byte 5: `lamps` does not have an item `wik` (did you mean `wick`?)");
    assert_eq!(message("lit.wick.glass"), "at byte 10: `glass` is one part too many");
    assert_eq!(
        message("burnt.nepa.rush"),
        "at byte 7: `nepa` is not a declared difficulty (did you mean `neap`?)"
    );
    assert_eq!(
        message("levels.mere.cut.rush"),
        "at byte 13: `cut` has one value per item of `lamps` (write `cut.wick`)"
    );
}

#[test]
#[should_panic(expected = "this field does not have a value at this place")]
fn an_item_of_another_list_is_no_place_of_a_field() {
    let schema = keblin_schema::parse("lamps", LAMPS).unwrap().declaration;
    let lit: FieldPer<i64, Item> = schema.field_per("lit").unwrap();
    let _ = lit.at(schema.item("reeds", "rush").unwrap());
}
