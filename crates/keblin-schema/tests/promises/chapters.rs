//! Chapters: levels by the dozen from a few lines, in one order, with rules that are said once.

use keblin_schema::diff::{Class, differences};
use keblin_schema::{Declaration, Time, Value};

pub(crate) const KILN: &str = r#"
game = "kiln"
version = 1
[level_constants]
par = { type = "time", default = "90s" }
shards = { type = "int", default = 3 }
[fields.clock]
type = "time"
scope = "level"
counts = "playing"
on_death = "stays"
[[levels]]
id = "gate"
counted = false
[[chapters]]
id = "clay"
title = "The Clay Pit"
levels = { prefix = "clay_", count = 3, unlock = "previous.finished", stars = ["true", "clock <= this.par"], par = ["1m", "2m", "3m"] }
[[chapters]]
id = "slip"
unlock = "chapters.clay.stars >= 4"
levels = { prefix = "slip_", count = 2, unlock = "previous.finished", shards = 5 }
[[levels]]
id = "clay_02"
title = "The Long Wheel"
par = "4m"
checkpoints = ["half"]
[[levels]]
id = "secret"
after = "clay_02"
counted = false
unlock = "previous.stars >= 2"
[[levels]]
id = "second_secret"
after = "clay_02"
counted = false
next = ["clay_03", "slip_01"]
"#;

fn model(text: &str) -> Declaration {
    match keblin_schema::parse("progress.toml", text) {
        Ok(parsed) => parsed.declaration,
        Err(findings) => panic!("{findings}"),
    }
}

fn names(model: &Declaration) -> Vec<&str> {
    model.levels.iter().map(|level| level.name.as_str()).collect()
}

#[test]
fn levels_are_in_one_order_with_their_titles_constants_and_chapters() {
    let model = model(KILN);
    let order = ["gate", "clay_01", "clay_02", "secret", "second_secret", "clay_03", "slip_01", "slip_02"];
    assert_eq!(names(&model), order);
    let titles: Vec<&str> = model.levels.iter().map(|level| level.title.as_str()).collect();
    assert_eq!(titles[1..4], ["The Clay Pit 1", "The Long Wheel", "secret"]);
    let pars: Vec<Value> = model.levels.iter().map(|level| level.constants[0].clone()).collect();
    let minutes = |minutes: i64| Value::Time(Time::from_nanos(minutes * 60_000_000_000));
    assert_eq!(pars[1], minutes(1));
    assert_eq!(pars[2], minutes(4), "an entry changes what the chapter lists");
    assert_eq!(pars[5], minutes(3));
    assert_eq!(pars[3], Value::Time("90s".parse().unwrap()), "the default");
    assert_eq!(model.levels[6].constants[1], Value::Int(5));
    let chapters: Vec<Option<usize>> = model.levels.iter().map(|level| level.chapter).collect();
    assert_eq!(chapters, [None, Some(0), Some(0), Some(0), Some(0), Some(0), Some(1), Some(1)]);
    assert_eq!(model.levels[2].checkpoints.len(), 1);
    assert_eq!(model.levels[2].star_rules.len(), 2, "what the entry does not say is the chapter's");
}

#[test]
fn the_level_before_and_the_one_after_are_those_that_count() {
    let model = model(KILN);
    let name = |at: usize| model.levels[at].name.as_str();
    assert_eq!(model.level_before(1), None);
    assert!(model.levels[1].lock.is_none(), "the first level does not wait for another one");
    assert_eq!(model.level_before(5).map(name), Some("clay_02"), "not a secret");
    assert_eq!(model.level_before(3).map(name), Some("clay_02"));
    let after = |at: usize| model.levels_after(at).into_iter().map(name).collect::<Vec<_>>();
    assert_eq!(after(0), ["clay_01"]);
    assert_eq!(after(2), ["clay_03"]);
    assert_eq!(after(4), ["clay_03", "slip_01"]);
    assert_eq!(after(7), [] as [&str; 0]);
    let places: Vec<Option<usize>> = (0..8).map(|level| model.level_place(level)).collect();
    assert_eq!(places, [None, Some(1), Some(2), None, None, Some(3), Some(4), Some(5)]);
}

#[test]
fn levels_are_put_in_wherever_the_one_they_name_is_declared() {
    let put_in = |id: &str, after: &str| format!("[[levels]]\nid = '{id}'\nafter = '{after}'\n");
    let chain =
        [put_in("third", "second"), put_in("second", "clay_03"), put_in("fourth", "clay_03")].concat();
    let order = model(&format!("{KILN}{chain}"));
    assert_eq!(names(&order)[5..9], ["clay_03", "second", "third", "fourth"]);
    let circle = format!("{KILN}{}{}", put_in("one", "other"), put_in("other", "one"));
    let told = keblin_schema::parse("x", &circle).unwrap_err().to_string();
    assert!(told.contains("`other` comes after this level in turn"), "{told}");
}

/// The normal form says every level on its own; it reads back as the same model.
#[test]
fn the_normal_form_reads_back() {
    let before = model(KILN);
    let text = keblin_schema::normal_text(&before);
    let after = model(&text);
    assert_eq!(differences(&before, &after), [], "{text}");
    assert_eq!(differences(&after, &before), []);
    assert_eq!(names(&before), names(&after));
    assert_eq!(keblin_schema::normal_text(&after), text);
    for (one, other) in before.levels.iter().zip(&after.levels) {
        assert_eq!((&one.lock, &one.next, &one.constants), (&other.lock, &other.next, &other.constants));
    }
}

#[test]
fn a_hundred_and_twenty_levels_take_less_than_sixty_lines() {
    let mut text =
        "game = 'kiln'\nversion = 1\n[level_constants]\npar = { type = 'time', default = '90s' }\n\
        [fields.clock]\ntype = 'time'\nscope = 'level'\ncounts = 'playing'\non_death = 'stays'\n"
            .to_string();
    for (index, id) in ["clay", "slip", "bisque", "glaze", "gold"].into_iter().enumerate() {
        let unlock = if index == 0 { "true".to_string() } else { format!("totals.stars >= {}", index * 40) };
        let unlock = if index == 0 { String::new() } else { format!("unlock = '{unlock}'\n") };
        text += &format!(
            "[[chapters]]\nid = '{id}'\n{unlock}levels = {{ prefix = '{id}_', count = 24, unlock = 'previous.finished', \
             stars = ['true', 'clock <= this.par'] }}\n"
        );
    }
    assert!(text.lines().count() <= 60);
    assert_eq!(model(&text).levels.len(), 120);
}

#[test]
fn each_mistake_has_its_place() {
    for (from, to, expected) in [
        ("count = 3", "count = 0", "`count` must be from 1 to 9999, but found 0"),
        ("count = 3", "count = 9998", "chapters can make at most 9999 levels, and with this one it is 10000"),
        ("prefix = \"clay_\"", "prefix = \"Clay_\"", "`Clay_01` is not an id"),
        ("prefix = \"slip_\"", "prefix = \"clay_\"", "level `clay_01` is made by two chapters"),
        (
            "par = [\"1m\", \"2m\", \"3m\"]",
            "par = [\"1m\"]",
            "`par` needs 3 values, one for each level of the chapter, but found 1",
        ),
        ("par = \"4m\"", "par = 4", "expected a time such as \"90s\", but found a whole number"),
        (
            "after = \"clay_02\"\ncounted = false\nunlock",
            "after = \"clay_2\"\ncounted = false\nunlock",
            "did you mean `clay_0",
        ),
        (
            "[[levels]]\nid = \"secret\"\nafter = \"clay_02\"",
            "[[levels]]\nid = \"secret\"\nchapter = \"clay\"",
            "add `after = \"clay_03\"`",
        ),
        ("id = \"secret\"", "id = \"secret\"\nchapter = \"cly\"", "`cly` is not a declared chapter"),
        (
            "title = \"The Long Wheel\"",
            "after = \"clay_01\"",
            "the chapter that makes this level says where it is",
        ),
        ("next = [\"clay_03\", \"slip_01\"]", "next = [\"clay_3\"]", "`clay_3` is not a declared level"),
        ("chapters.clay.stars", "chapters.cly.stars", "`cly` is not a declared chapter"),
        ("chapters.clay.stars", "chapters.clay.deaths", "`deaths` does not have a total"),
        ("chapters.clay.stars", "this.stars", "`this` has a meaning only in a rule of a level"),
        ("clock <= this.par", "clock <= previous.par", "the first level does not have a level before it"),
        ("clock <= this.par", "clock <= this", "expected a property of the level, such as `this.stars`"),
        ("shards = { type", "title = { type", "`title` already means something else in a level"),
        ("type = \"int\", default = 3", "type = \"vec2\", default = 3", "level_constants"),
        ("chapters.clay.stars >= 4", "chapters.clay.stars >= 40", "can never open"),
        (
            "counted = false\n[[chapters]]\nid = \"clay\"",
            "counted = 1\n[[chapters]]\nid = \"clay\"",
            "expected true or false",
        ),
    ] {
        let text = KILN.replacen(from, to, 1);
        assert_ne!(text, KILN, "{from}");
        let found = match keblin_schema::parse("progress.toml", &text) {
            Ok(parsed) => parsed.findings.to_string(),
            Err(findings) => findings.to_string(),
        };
        let hit = found.contains(expected) || expected == "level_constants" && found.contains("vec2");
        assert!(hit, "{from} -> {to}\n{found}");
    }
}

#[test]
fn chapters_constants_and_places_are_never_a_change_of_shape() {
    let before = model(KILN);
    for (from, to, expected) in [
        ("chapters.clay.stars >= 4", "chapters.clay.stars >= 3", "chapter slip: unlock"),
        ("[[chapters]]\nid = \"slip\"", "[[chapters]]\nid = \"slips\"", "chapter slip was removed"),
        ("default = \"90s\"", "default = \"80s\"", "constant par: default"),
        ("shards = 5", "shards = 6", "level slip_01: constant shards 5 -> shards 6"),
        ("next = [\"clay_03\", \"slip_01\"]", "next = []", "level second_secret: next"),
        ("id = \"gate\"\ncounted = false", "id = \"gate\"", "level gate: counted false -> true"),
    ] {
        let found = differences(&before, &model(&KILN.replacen(from, to, 1)));
        assert!(found.iter().all(|one| one.class == Class::Rule), "{from}: {found:?}");
        assert!(found.iter().any(|one| one.to_string().starts_with(expected)), "{expected}: {found:#?}");
    }
    // Fewer levels is one, as ever.
    let found = differences(&before, &model(&KILN.replace("count = 2", "count = 1")));
    assert_eq!(found[0].to_string(), "level slip_02 was removed");
    assert_eq!(found[0].class, Class::Shape);
}
