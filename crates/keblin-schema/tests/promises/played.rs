//! A made-up state to evaluate conditions on, and its declaration.

use keblin_schema::condition::{Facts, Val, Word};
use keblin_schema::program::Fact;
use keblin_schema::{Declaration, Value};

pub(crate) const GAME: &str = r#"
    game = "oracle"
    version = 1
    difficulties = ["neap", "spring"]
    level_facts_per = "difficulty"
    [fields]
    oil = { type = "int", scope = "run", on_death = "stays" }
    letters = { type = "int", scope = "run", on_death = "stays" }
    most = { type = "int", scope = "profile" }
    best = { type = "int", scope = "profile", keep = "highest" }
    met = { type = "bool", scope = "profile" }
    name = { type = "text", scope = "profile", max_len = 20 }
    clock = { type = "time", scope = "run", on_death = "stays" }
    lead = { type = "int", scope = "profile", per = ["level", "difficulty"] }
    depth = { type = "float", scope = "profile" }
    satchel = { type = "list", of = "text", scope = "profile", max_len = 8, max_items = 9 }
    scores = { type = "list", of = "int", scope = "profile", max_items = 9 }
    worn = { type = "map", key = "lamps", of = "int", scope = "profile", max_items = 9 }
    lit = { type = "set", of = "lamps", scope = "profile", max_items = 9 }
    lamp = { type = "id", of = "lamps", scope = "profile" }
    lantern = { type = "shape", of = "lantern", scope = "profile" }
    buoy = { type = "vec2", scope = "profile" }
    tide_lead = { type = "int", scope = "profile", per = ["difficulty"] }
    [lists]
    lamps = ["wick", "glass", "tallow"]
    [shapes.lantern]
    members = { oil = { type = "int" }, lit = { type = "bool" }, name = { type = "text", max_len = 9 } }
    [[unlocks]]
    id = "fog_lamp"
    when = "oil > 3"
    [[unlocks]]
    id = "iron_pole"
    when = "oil > 4"
    [[levels]]
    id = "reedgate"
    checkpoints = ["osier"]
    stars = 3
    [[levels]]
    id = "long_mere"
    stars = 3
"#;

pub(crate) fn schema() -> Declaration {
    keblin_schema::parse("progress.toml", GAME).unwrap_or_else(|findings| panic!("{findings}")).declaration
}

/// Values by field, facts by index.
pub(crate) struct Played {
    pub(crate) schema: Declaration,
    pub(crate) cells: Vec<Value>,
}

impl Played {
    pub(crate) fn new() -> Played {
        let schema = schema();
        let mut cells = vec![Value::Unset; schema.cell_count];
        for field in &schema.fields {
            for (number, cell) in field.cells.clone().enumerate() {
                cells[cell] = match field.name.as_str() {
                    "oil" => Value::Int(17),
                    "letters" => Value::Int(-4),
                    "most" => Value::Int(i64::MAX),
                    "depth" => Value::float(2.5).unwrap(),
                    "satchel" => {
                        keblin_schema::written(&schema, field.holds(), "['F-04', 'F-11', 'F-11']").unwrap()
                    }
                    "scores" => keblin_schema::written(&schema, field.holds(), "[3, 17, -4]").unwrap(),
                    "worn" => {
                        keblin_schema::written(&schema, field.holds(), "{ wick = 12, glass = 0 }").unwrap()
                    }
                    "lit" => keblin_schema::written(&schema, field.holds(), "['wick']").unwrap(),
                    "lamp" => keblin_schema::written(&schema, field.holds(), "'glass'").unwrap(),
                    "lantern" => {
                        keblin_schema::written(&schema, field.holds(), "{ oil = 3, lit = true, name = 'Ot' }")
                            .unwrap()
                    }
                    "buoy" => keblin_schema::written(&schema, field.holds(), "[0.5, -2]").unwrap(),
                    "met" => Value::Bool(true),
                    "name" => Value::text("Otter"),
                    "clock" => Value::Time("1m30s".parse().unwrap()),
                    "lead" | "tide_lead" => Value::Int(i64::try_from(number).unwrap() * 10),
                    _ => Value::Unset,
                };
            }
        }
        Played { schema, cells }
    }

    /// Evaluates an expression, on spring.
    #[track_caller]
    pub(crate) fn value(&self, source: &str) -> String {
        let (program, _) = keblin_schema::condition::compile_any(&self.schema, source)
            .unwrap_or_else(|error| panic!("{source}: {error}"));
        match program.value(self, 1) {
            Val::Error => "error".into(),
            Val::Null => "null".into(),
            Val::Bool(yes) => yes.to_string(),
            Val::Int(number) => number.to_string(),
            Val::Float(number) => number.to_string(),
            Val::Text(text) => format!("{text:?}"),
            Val::Whole(value) => value.to_string(),
        }
    }
}

/// Reedgate finished with 1 and 2 stars, Long Mere never.
impl Facts for Played {
    fn cell(&self, cell: usize) -> &Value {
        &self.cells[cell]
    }

    fn fact(&self, index: usize, fact: Fact) -> i64 {
        match (index, fact) {
            (0 | 1, Fact::Finished) => 1,
            (0, Fact::Stars) => 1,
            (1, Fact::Stars) => 2,
            (_, Fact::Attempts) => 5,
            _ => 0,
        }
    }

    fn word(&self, word: Word) -> Option<&str> {
        match word {
            Word::Phase => Some("playing"),
            Word::Level => Some("reedgate"),
            Word::Difficulty => Some("spring"),
            Word::Checkpoint | Word::Furthest => None,
        }
    }

    fn unlocked(&self, unlock: usize) -> bool {
        unlock == 0
    }

    fn played_nanos(&self) -> i64 {
        7
    }
}
