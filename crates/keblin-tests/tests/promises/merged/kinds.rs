//! What each machine does of every kind, and what there is when their files have met.

mod facts;
mod values;

use keblin::Keeper;

/// A kind of value or fact.
pub(super) struct Kind {
    /// The name of its tests.
    pub(super) name: &'static str,
    /// What it is, as the docs say it.
    pub(super) means: &'static str,
    pub(super) game: &'static str,
    /// What the first machine does, before the others get a copy of its save.
    pub(super) before: fn(&mut Keeper),
    /// What each machine does after that, by its number from 0.
    pub(super) does: fn(&mut Keeper, i64),
    /// What a game shows of it.
    pub(super) shows: fn(&mut Keeper) -> String,
    /// What every game shows then, by the number of machines.
    pub(super) then: fn(i64) -> String,
    /// What every game shows then, if that is another thing where the first game is open.
    pub(super) open: Option<&'static str>,
}

const GAME: &str = r#"
    game = "moor"
    version = 1
    autosave = []
    [fields]
    note = { type = "int", scope = "profile" }
    best = { type = "int", scope = "profile", keep = "highest" }
    quickest = { type = "int", scope = "profile", keep = "lowest" }
    entry = { type = "int", scope = "profile", keep = "highest", with = "who" }
    table = { type = "int", scope = "profile", keep = "highest", places = 3 }
    met = { type = "bool", scope = "profile", keep = "once" }
    fish = { type = "int", scope = "profile", keep = "sum" }
    coins = { type = "int", scope = "profile", keep = "balance", default = 50, min = 0 }
    birds = { type = "set", of = "int", max_items = 9, scope = "profile", keep = "union" }
    caught = { type = "int", scope = "profile", keep = "sum", per = ["level"] }
    letters = { type = "int", scope = "run", on_death = "stays" }
    most = { type = "int", scope = "profile", keep = "highest", from = "letters", at = ["run_end"] }
    [shapes.who.members]
    age = { type = "int" }
    [[levels]]
    id = "brook"
    stars = 3
    [[levels]]
    id = "weir"
    stars = 3
    [[levels]]
    id = "mill"
    stars = 3
    [[levels]]
    id = "cellar"
    unlock = "note == 7"
    latch = true
    [[unlocks]]
    id = "lamp"
    when = "note == 7"
    latch = true
    [[moments]]
    id = "seventh"
    when = "note == 7"
    again = "profile"
"#;

/// A game in which each star is collected by itself.
const EACH: &str = r#"
    game = "moor"
    version = 1
    autosave = []
    stars_by = "each"
    [fields.letters]
    type = "int"
    scope = "level"
    on_death = "stays"
    [[levels]]
    id = "brook"
    stars = ["letters == 1", "letters == 2", "letters == 3"]
"#;

fn nothing(_: &mut Keeper) {}

fn add(game: &mut Keeper, field: &str, by: i64) {
    game.add(game.schema().field::<i64>(field).unwrap(), by);
}

fn set(game: &mut Keeper, field: &str, value: i64) {
    game.set(game.schema().field::<i64>(field).unwrap(), value);
}

fn submit(game: &mut Keeper, field: &str, value: i64) {
    game.submit(game.schema().field::<Option<i64>>(field).unwrap(), value);
}

fn enter(game: &mut Keeper, level: &str) {
    if !game.has_run() {
        game.begin(None).unwrap();
    } else if game.level().is_none() && game.phase() == keblin::Phase::Title {
        game.resume().unwrap();
    }
    let level = game.schema().level(level).unwrap();
    game.enter(level).unwrap();
}

fn level(machine: i64) -> &'static str {
    ["brook", "weir", "mill"][usize::try_from(machine).unwrap()]
}

/// Returns what all machines have done, if each has done one more than the one before, the first one 1.
fn all(count: i64) -> i64 {
    (1..=count).sum()
}

fn of(values: [i64; 3], machine: i64) -> i64 {
    values[usize::try_from(machine).unwrap()]
}

fn int(game: &Keeper, field: &str) -> String {
    game.get(game.schema().field::<i64>(field).unwrap()).to_string()
}

fn record(game: &Keeper, field: &str) -> String {
    format!("{:?}", game.get(game.schema().field::<Option<i64>>(field).unwrap()).option())
}

fn facts(game: &Keeper, of: fn(&keblin::snapshot::LevelFacts) -> u64) -> String {
    let levels = ["brook", "weir", "mill"].into_iter().filter_map(|level| game.schema().level(level).ok());
    format!("{:?}", levels.map(|level| of(&game.facts(level, None))).collect::<Vec<u64>>())
}

const fn kind(
    name: &'static str,
    means: &'static str,
    does: fn(&mut Keeper, i64),
    shows: fn(&mut Keeper) -> String,
    then: fn(i64) -> String,
) -> Kind {
    Kind { name, means, game: GAME, before: nothing, does, shows, then, open: None }
}

/// Returns every kind, in the order of the table of the docs.
pub(super) fn all_kinds() -> impl Iterator<Item = &'static Kind> {
    values::KINDS.iter().chain(&facts::KINDS)
}
