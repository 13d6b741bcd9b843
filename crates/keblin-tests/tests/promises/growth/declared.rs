//! A declaration, and every way in which it can grow.

use std::sync::Arc;

use keblin::Schema;

use crate::tables::schema;

pub(super) const OLDER: &str = r#"
game = "grebe"
version = 1
difficulties = ["calm", "wild"]
level_facts_per = "difficulty"
stars_by = "each"
autosave = []
[lists]
ropes = ["hemp"]
lamps = ["wick", "glass"]
[shapes.rope.members]
long = { type = "int" }
[shapes.lantern.members]
oil = { type = "int", min = 0, max = 9 }
name = { type = "text", max_len = 4 }
lamp = { type = "id", of = "lamps", default = "wick" }
marks = { type = "list", of = "int", max_items = 2 }
[fields]
hook = { type = "shape", of = "lantern", scope = "profile" }
spare = { type = "shape", of = "lantern", scope = "run", on_death = "entry" }
lamp = { type = "id", of = "lamps", scope = "run", default = "wick", on_death = "stays" }
shelf = { type = "set", of = "lamps", max_items = 9, scope = "profile", keep = "union" }
row = { type = "list", of = "lamps", max_items = 9, scope = "run", on_death = "checkpoint" }
worth = { type = "map", key = "lamps", of = "int", max_items = 9, scope = "profile" }
kinds = { type = "map", key = "int", of = "lamps", max_items = 9, scope = "profile" }
hooks = { type = "list", of = "lantern", max_items = 4, scope = "profile" }
nets = { type = "int", scope = "run", min = -5, max = 20, on_death = "stays" }
note = { type = "text", scope = "profile", max_len = 5 }
notes = { type = "list", of = "text", scope = "profile", max_items = 2, max_len = 6 }
best = { type = "int", scope = "profile", keep = "highest", places = 3 }
day = { type = "date", scope = "profile", default = "2026-11-29" }
caught = { type = "int", scope = "profile", keep = "sum", per = ["level", "difficulty"] }
[[levels]]
id = "brook"
checkpoints = ["log", "stone"]
stars = [{ id = "first", when = "true" }, { id = "second", when = "nets > 2" }]
[[levels]]
id = "weir"
[[unlocks]]
id = "boat"
when = "levels.brook.any.finished"
latch = true
[[unlocks]]
id = "oar"
when = "totals.all.stars >= 1"
[[moments]]
id = "dry"
when = "nets == 0"
again = "run"
[[moments]]
id = "full"
when = "nets > 9"
again = "profile"
"#;

/// What is changed in the text of a declaration.
pub(super) type Edit = &'static [(&'static str, &'static str)];

/// Every growth that needs no objects: each edit is one that a developer makes.
pub(super) const EDITS: &[Edit] = &[
    &[(
        "[fields]\n",
        "[fields]\nboats = { type = 'int', scope = 'run', on_death = 'entry' }\nmap = { type = 'text', max_len = 9, scope = 'profile' }\n",
    )],
    &[
        ("note = {", "logs = {"),
        ("nets = {", "note = { type = 'text', scope = 'profile', max_len = 5 }\nnets = {"),
        ("logs = { type = \"text\", scope = \"profile\", max_len = 5 }\n", ""),
    ],
    &[("[lists]\n", "[lists]\nreeds = ['tall']\n")],
    &[("ropes = [\"hemp\"]\n", ""), ("\"glass\"]\n", "\"glass\"]\nropes = ['hemp']\n")],
    &[("\"wick\", \"glass\"]", "\"wick\", \"glass\", \"tallow\", \"lens\"]")],
    &[("\"wick\", \"glass\"]", "\"lens\", \"glass\", \"tallow\", \"wick\"]")],
    &[("[shapes.rope", "[shapes.reed.members]\nlong = { type = 'int' }\n[shapes.rope")],
    &[
        ("[shapes.rope.members]\nlong = { type = \"int\" }\n", ""),
        ("[fields]", "[shapes.rope.members]\nlong = { type = 'int' }\n[fields]"),
    ],
    &[(
        "oil = {",
        "wick = { type = 'int', default = 2 }\nseen = { type = 'list', of = 'int', max_items = 3 }\noil = {",
    )],
    &[
        ("oil = {", "name = { type = 'text', max_len = 4 }\noil = {"),
        ("name = { type = \"text\", max_len = 4 }\n", ""),
    ],
    &[("min = 0, max = 9", "min = -40, max = 99")],
    &[("max_len = 4", "max_len = 24")],
    &[("max_items = 2 }\n[fields]", "max_items = 12 }\n[fields]")],
    &[(
        "lamp = { type = \"id\", of = \"lamps\", default = \"wick\" }",
        "lamp = { type = \"id\", of = \"lamps\" }",
    )],
    &[("min = -5", "min = -50")],
    &[("max = 20", "max = 200")],
    &[("max_len = 5", "max_len = 50")],
    &[("max_items = 2, max_len = 6", "max_items = 8, max_len = 60")],
    &[("places = 3", "places = 7")],
    &[(", default = \"2026-11-29\"", "")],
    &[("scope = \"run\", default = \"wick\"", "scope = \"run\"")],
    &[("[\"calm\", \"wild\"]", "[\"calm\", \"wild\", \"grim\"]")],
    &[("[\"calm\", \"wild\"]", "[\"wild\", \"grim\", \"calm\"]")],
    &[(
        "[[levels]]\nid = \"weir\"",
        "[[levels]]\nid = \"mere\"\ncheckpoints = [\"isle\"]\n[[levels]]\nid = \"weir\"\n[[levels]]\nid = \"fen\"\ncheckpoints = [\"sty\"]",
    )],
    &[
        ("[[levels]]\nid = \"weir\"\n", ""),
        ("[[levels]]\nid = \"brook\"", "[[levels]]\nid = \"weir\"\n[[levels]]\nid = \"brook\""),
    ],
    &[("\"log\", \"stone\"", "\"log\", \"stone\", \"ford\"")],
    &[("\"log\", \"stone\"", "\"stone\", \"log\"")],
    &[("[{ id = \"first\"", "[{ id = \"third\", when = \"true\" }, { id = \"first\"")],
    &[(
        "[{ id = \"first\", when = \"true\" }, { id = \"second\", when = \"nets > 2\" }]",
        "[{ id = \"second\", when = \"nets > 2\" }, { id = \"first\", when = \"true\" }]",
    )],
    &[(
        "[[unlocks]]\nid = \"oar\"",
        "[[unlocks]]\nid = \"net\"\nwhen = \"true\"\nlatch = true\n[[unlocks]]\nid = \"oar\"",
    )],
    &[
        ("[[unlocks]]\nid = \"oar\"\nwhen = \"totals.all.stars >= 1\"\n", ""),
        (
            "[[unlocks]]\nid = \"boat\"",
            "[[unlocks]]\nid = \"oar\"\nwhen = \"totals.all.stars >= 1\"\n[[unlocks]]\nid = \"boat\"",
        ),
    ],
    &[(
        "[[moments]]\nid = \"dry\"",
        "[[moments]]\nid = \"wet\"\nwhen = \"nets > 0\"\nagain = \"run\"\n[[moments]]\nid = \"dry\"",
    )],
    &[
        ("[[moments]]\nid = \"full\"\nwhen = \"nets > 9\"\nagain = \"profile\"\n", ""),
        (
            "[[moments]]\nid = \"dry\"",
            "[[moments]]\nid = \"full\"\nwhen = \"nets > 9\"\nagain = \"profile\"\n[[moments]]\nid = \"dry\"",
        ),
    ],
];

pub(super) fn edited(edits: Edit) -> Arc<Schema> {
    let apply = |text: String, (from, to): &(&str, &str)| {
        assert!(text.contains(from), "{from}");
        text.replacen(from, to, 1)
    };
    schema(&edits.iter().fold(OLDER.to_string(), apply))
}
