//! What people write who know other languages and tools, and what it is called here. Findings suggest it where no known
//! word is near.

use toml::de::DeValue;

/// A key, the words that people write as its value, and what to write instead.
type OfValue = (&'static [&'static str], &'static [&'static str], &'static str);

const VALUES: &[OfValue] = &[
    (
        &["type", "of", "key"],
        &[
            "integer", "i8", "i16", "i32", "i64", "u8", "u16", "u32", "u64", "uint", "usize", "isize",
            "long", "short", "byte", "counter", "score",
        ],
        "write \"int\"",
    ),
    (&["type"], &["number", "num", "numeric"], "write \"int\", or \"float\" for a number with a fraction"),
    (&["type", "of", "key"], &["string", "str", "char", "name"], "write \"text\""),
    (&["type", "of"], &["boolean", "flag", "bit", "switch"], "write \"bool\""),
    (&["type", "of"], &["double", "f32", "f64", "real", "decimal", "single"], "write \"float\""),
    (
        &["type"],
        &["enum", "choice", "option", "select", "one_of"],
        "write \"id\", and `of` with the name of a list that you declare under [lists]",
    ),
    (
        &["type"],
        &["array", "vec", "sequence", "stack", "queue"],
        "write \"list\", and `of` with the type of its items",
    ),
    (
        &["type"],
        &["dict", "dictionary", "hash", "hashmap", "table"],
        "write \"map\", `key` with the type of its keys, and `of` with the type of its values",
    ),
    (
        &["type"],
        &["struct", "object", "record", "class"],
        "write \"shape\", and `of` with the name of a shape that you declare under [shapes.NAME]",
    ),
    (&["type"], &["vector", "position", "point", "vector2", "vector3"], "write \"vec2\" or \"vec3\""),
    (&["type"], &["rotation", "quaternion"], "write \"quat\""),
    (&["type", "of"], &["duration", "timer", "seconds", "timespan"], "write \"time\""),
    (&["type"], &["timestamp", "datetime"], "write \"instant\", or \"date\" for a calendar day"),
    (
        &["type"],
        &["any", "json", "blob", "binary", "data"],
        "write \"bytes\", for bytes that only your game understands",
    ),
    (
        &["scope"],
        &[
            "global",
            "permanent",
            "persistent",
            "save",
            "saved",
            "player",
            "account",
            "game",
            "forever",
            "always",
        ],
        "write \"profile\": as long as the player's profile",
    ),
    (
        &["scope"],
        &["session", "playthrough", "life", "campaign", "checkpoint"],
        "write \"run\": one run through the game; what a death does to it is `on_death`",
    ),
    (
        &["scope"],
        &["temporary", "temp", "room", "stage", "map", "local", "scene", "visit"],
        "write \"level\": one visit to a level",
    ),
    (
        &["scope"],
        &["settings", "options", "machine", "computer"],
        "write \"device\": settings of this machine",
    ),
    (
        &["on_death", "on_retry", "on_level", "on_new_run"],
        &["reset", "clear", "zero", "lose", "lost", "initial"],
        "write \"default\": back to the field's default",
    ),
    (
        &["on_death", "on_retry", "on_level", "on_new_run"],
        &["keep", "kept", "persist", "none", "nothing", "remain", "never", "continue"],
        "write \"stays\"",
    ),
    (
        &["on_death"],
        &["restore", "rollback", "saved", "respawn"],
        "write \"checkpoint\": back to its value at the last checkpoint",
    ),
    (
        &["on_death", "on_retry"],
        &["level_start", "start", "restart"],
        "write \"entry\": back to its value on arrival in the level",
    ),
    (
        &["keep"],
        &["max", "maximum", "best", "most", "greatest", "high"],
        "write \"highest\", or \"lowest\" if less is better",
    ),
    (&["keep"], &["min", "minimum", "least", "fastest", "shortest", "low"], "write \"lowest\""),
    (&["keep"], &["last", "newest", "overwrite", "replace"], "write \"latest\", or leave `keep` out"),
    (&["keep"], &["ever", "any", "true"], "write \"once\": true stays true"),
    (&["keep"], &["add", "total", "accumulate", "increment"], "write \"sum\""),
    (
        &["keep"],
        &["currency", "money", "wallet", "spend", "counter"],
        "write \"balance\": added to and spent",
    ),
    (&["keep"], &["merge", "append", "all", "collect"], "write \"union\""),
    (&["at"], &["level_end", "complete", "goal", "win"], "write \"finish\""),
    (
        &["at"],
        &["death", "game_over", "end", "gameover"],
        "write \"run_end\": however a run ends, also by its last death",
    ),
];

/// What a key is of, the keys that people write, and the key that is meant, with a reason if it needs one.
type OfKey = (&'static str, &'static [&'static str], &'static str, &'static str);

const KEYS: &[OfKey] = &[
    ("a field", &["description", "desc", "comment", "doc", "note", "label", "title"], "about", ""),
    ("a field", &["initial", "value", "start", "init", "begin", "starts"], "default", ""),
    ("a field", &["maximum", "limit", "cap", "upper"], "max", ""),
    ("a field", &["minimum", "lower"], "min", ""),
    ("a field", &["max_length", "length", "size"], "max_len", ""),
    ("a field", &["capacity", "max_size", "max_count"], "max_items", ""),
    (
        "a field",
        &["persist", "persistent", "save", "saved", "lifetime"],
        "scope",
        "which says how long the value lives",
    ),
    (
        "a field",
        &["reset", "resets", "reset_on", "on_die", "on_respawn"],
        "on_death",
        "which takes \"stays\", \"checkpoint\", \"entry\" or \"default\"",
    ),
    (
        "a field",
        &["merge", "strategy", "aggregate", "rule"],
        "keep",
        "which says how a new value meets the stored one",
    ),
    ("a field", &["kind", "datatype"], "type", ""),
    (
        "a field",
        &["values", "options", "choices", "variants", "items"],
        "of",
        "with the name of a list that you declare under [lists]",
    ),
    (
        "a level",
        &[
            "requires",
            "require",
            "needs",
            "condition",
            "unlock_when",
            "unlocked_by",
            "when",
            "locked",
            "depends",
        ],
        "unlock",
        "with a condition, such as \"levels.ID.finished\"",
    ),
    ("a level", &["max_stars", "star_count", "rating"], "stars", ""),
    ("a level", &["name", "label"], "id", "and `title` for what players read"),
    ("a level", &["name", "label", "description"], "title", ""),
    ("an unlock", &["unlock", "requires", "condition", "needs"], "when", ""),
    ("an unlock", &["price", "cost"], "costs", ""),
    ("an unlock", &["name", "label"], "id", "and `title` for what players read"),
    (
        "the lives rule",
        &["start", "count", "initial", "default", "max", "lives", "number"],
        "field",
        "with the name of a field; its `default` and `max` say how many lives there are",
    ),
    ("a declaration", &["name", "title", "id", "project", "package"], "game", ""),
    (
        "a declaration",
        &["variables", "vars", "values", "stats", "properties", "progress", "records"],
        "fields",
        "",
    ),
    ("a declaration", &["enums", "choices"], "lists", ""),
    ("a declaration", &["structs", "types", "classes"], "shapes", ""),
    ("a declaration", &["worlds", "acts"], "chapters", ""),
    ("a declaration", &["stages", "maps"], "levels", ""),
    ("a declaration", &["achievements", "unlockables"], "unlocks", ""),
    ("a declaration", &["difficulty_levels", "modes"], "difficulties", ""),
];

/// Returns what to write instead of a word that people write as the value of a key; `None` if it is not one of them.
pub(super) fn instead_of(key: &str, word: &str) -> Option<String> {
    let word = word.to_lowercase().replace('-', "_");
    // `list<text>`, `text[]`: the type of the items has a key of its own.
    if key == "type" && (word.contains('<') || word.ends_with("[]")) {
        let of = word.trim_end_matches("[]").trim_end_matches('>').split(['<', ',']).next_back();
        let kind = if word.contains("map") {
            "map"
        } else if word.contains("set") {
            "set"
        } else {
            "list"
        };
        let of = of.unwrap_or_default().trim();
        return Some(format!("write `type = \"{kind}\"` and `of = \"{of}\"`"));
    }
    let meant = VALUES.iter().find(|(keys, words, _)| keys.contains(&key) && words.contains(&word.as_str()));
    meant.map(|(_, _, instead)| (*instead).to_string())
}

/// Returns the key that people mean by another one, and the rest of a sentence about it; the first that is free.
pub(super) fn key_meant(
    what: &str,
    key: &str,
    is_free: impl Fn(&str) -> bool,
) -> Option<(&'static str, &'static str)> {
    let key = key.to_lowercase().replace('-', "_");
    let of_key =
        |(of, keys, meant, _): &&OfKey| *of == what && keys.contains(&key.as_str()) && is_free(meant);
    KEYS.iter().find(of_key).map(|(_, _, meant, why)| (*meant, *why))
}

/// Returns what to write for something that a declaration does not have at all.
pub(super) fn without_key(what: &str, key: &str, value: &DeValue<'_>) -> Option<&'static str> {
    match (what, key, value) {
        ("a level", _, DeValue::Table(_)) => {
            Some("begin each level with `[[levels]]`, and name it with `id`")
        }
        ("a level", "order" | "index" | "number" | "position", _) => {
            Some("leave it out: levels come in the order in which they are declared")
        }
        ("a declaration", "stars" | "checkpoints" | "unlock", _) => {
            Some("write it in the entry of its level")
        }
        _ => None,
    }
}
