//! Fields, areas, and what is erased.

use std::collections::BTreeSet;
use std::sync::Arc;

use keblin::progress::Erase;
use keblin::{Level, Value};

use super::{Kind, add, all, int, kind, level, of, record, set, submit};

pub(super) const KINDS: [Kind; 14] = [
    kind(
        "plain",
        "a plain value",
        |game, machine| set(game, "note", 10 + machine),
        |game| int(game, "note"),
        |count| (9 + count).to_string(),
    ),
    kind(
        "highest",
        "`keep = \"highest\"`",
        |game, machine| submit(game, "best", of([30, 50, 40], machine)),
        |game| record(game, "best"),
        |_| "Some(50)".to_string(),
    ),
    kind(
        "lowest",
        "`keep = \"lowest\"`",
        |game, machine| submit(game, "quickest", of([30, 20, 40], machine)),
        |game| record(game, "quickest"),
        |_| "Some(20)".to_string(),
    ),
    kind(
        "with_entry",
        "what goes with a record",
        |game, machine| {
            let entry = game.schema().field::<Option<i64>>("entry").unwrap();
            let value = of([30, 50, 40], machine);
            let who = [("age".parse().unwrap(), Value::Int(2 * value))];
            assert!(game.submit_with(entry, value, Value::Shape(who.into())).place.is_some());
        },
        |game| {
            let entry = game.schema().field::<Option<i64>>("entry").unwrap();
            format!("{:?}", game.table_with::<Value, _>(entry).collect::<Vec<_>>())
        },
        |_| "[(50, Shape([(`age`, Int(100))]))]".to_string(),
    ),
    kind(
        "table",
        "`places`: a table of the best values",
        |game, machine| [5, 9 - machine].into_iter().for_each(|value| submit(game, "table", value)),
        |game| {
            let table = game.schema().field::<Option<i64>>("table").unwrap();
            format!("{:?}", game.table(table).collect::<Vec<i64>>())
        },
        |count| format!("{:?}", if count == 2 { [9, 8, 5] } else { [9, 8, 7] }),
    ),
    kind(
        "once",
        "`keep = \"once\"`",
        |game, machine| {
            if machine == 1 {
                game.set(game.schema().field::<bool>("met").unwrap(), true);
            }
        },
        |game| game.get(game.schema().field::<bool>("met").unwrap()).to_string(),
        |_| "true".to_string(),
    ),
    kind(
        "sum",
        "`keep = \"sum\"`",
        |game, machine| add(game, "fish", machine + 1),
        |game| int(game, "fish"),
        |count| all(count).to_string(),
    ),
    kind(
        "balance",
        "`keep = \"balance\"`",
        |game, machine| add(game, "coins", of([-20, 7, -3], machine)),
        |game| int(game, "coins"),
        |count| if count == 2 { "37" } else { "34" }.to_string(),
    ),
    kind(
        "union",
        "`keep = \"union\"`",
        |game, machine| {
            game.insert(game.schema().field::<BTreeSet<i64>>("birds").unwrap(), machine);
        },
        |game| {
            let birds = game.get(game.schema().field::<BTreeSet<i64>>("birds").unwrap());
            format!("{:?}", birds.iter().collect::<BTreeSet<i64>>())
        },
        |count| format!("{:?}", (0..count).collect::<BTreeSet<i64>>()),
    ),
    kind(
        "by_level",
        "a value for each level (`per`)",
        |game, machine| {
            let schema = Arc::clone(game.schema());
            let caught = schema.field_per::<i64, Level>("caught").unwrap();
            game.add(caught.at(schema.level(level(machine)).unwrap()), 2);
            game.add(caught.at(schema.level("brook").unwrap()), 1);
        },
        |game| {
            let caught = game.schema().field_per::<i64, Level>("caught").unwrap();
            let of = |level| game.get(caught.at(game.schema().level(level).unwrap()));
            format!("{:?}", ["brook", "weir", "mill"].map(of))
        },
        |count| format!("{:?}", [2 + count, 2, if count == 2 { 0 } else { 2 }]),
    ),
    Kind {
        before: |game| drop(game.begin(None).unwrap()),
        ..kind(
            "fed",
            "a record that the run of each machine has fed",
            |game, machine| {
                game.resume().unwrap();
                set(game, "letters", of([60, 40, 20], machine));
                game.end_run().unwrap();
            },
            |game| record(game, "most"),
            |_| "Some(60)".to_string(),
        )
    },
    Kind {
        before: |game| drop(game.begin(None).unwrap()),
        ..kind(
            "area",
            "an area of the world",
            |game, machine| {
                game.resume().unwrap();
                for area in ["shared", level(machine)] {
                    game.put_area(area, Some(vec![u8::try_from(machine).unwrap()])).unwrap();
                }
            },
            |game| {
                let of = |area| game.area(area).map(<[u8]>::to_vec);
                format!("{:?}", ["shared", "brook", "weir", "mill"].map(of))
            },
            |count| match count {
                2 => "[Some([1]), Some([0]), Some([1]), None]".to_string(),
                _ => "[Some([2]), Some([0]), Some([1]), Some([2])]".to_string(),
            },
        )
    },
    Kind {
        before: |game| add(game, "fish", 5),
        ..kind(
            "erased_field",
            "a value that one machine erases",
            |game, machine| match machine {
                1 => {
                    let fish = game.schema().field_named("fish").unwrap().0;
                    game.erase(&Erase::Field(fish), true).unwrap();
                }
                _ => add(game, "fish", 2),
            },
            |game| int(game, "fish"),
            |_| "0".to_string(),
        )
    },
    Kind {
        before: |game| add(game, "fish", 5),
        ..kind(
            "erased_profile",
            "a profile that one machine erases",
            |game, machine| match machine {
                1 => drop(game.erase(&Erase::Profile, true).unwrap()),
                _ => set(game, "note", 10),
            },
            |game| format!("{} {}", int(game, "fish"), int(game, "note")),
            |_| "0 0".to_string(),
        )
    },
];
