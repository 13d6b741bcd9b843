//! Steps between versions: missing entries are reported, existing ones are checked against both versions, and the
//! suggested text can be pasted unchanged.

use std::fs;
use std::sync::Arc;

use keblin::diff::differences;
use keblin::migrate::{Became, sample, sample_file, sample_of};
use keblin::model::Scope;
use keblin::save::{Stamp, write};
use keblin::steps::Resolved;
use keblin::verify::verify;
use keblin::{Code, Files, Progress, Schema, TextFile};

use crate::differences::{BEFORE, EDITS};
use crate::tables::read;

pub(crate) fn parsed(text: &str) -> Schema {
    Schema::parse("progress.toml", text).unwrap_or_else(|findings| panic!("{findings}\n{text}")).schema
}

/// Returns a declaration with its past versions and the steps between them, the oldest first.
pub(crate) fn versions(texts: &[&str], steps: &[&str]) -> Result<Arc<Schema>, String> {
    let file = |name: String, text: &str| TextFile { name, text: text.to_string() };
    let (now, past) = texts.split_last().unwrap();
    let files = Files {
        declaration: file("progress.toml".to_string(), now),
        frozen: (1..).zip(past).map(|(v, text)| (v, file(format!("frozen/v{v}.toml"), text))).collect(),
        steps: (2..).zip(steps).map(|(v, text)| (v, file(format!("migrations/v{v}.toml"), text))).collect(),
    };
    let parsed = Schema::parse_with_past(&files).map_err(|findings| findings.to_string())?;
    let faults: String = parsed.of_past.iter().map(ToString::to_string).collect();
    if faults.is_empty() { Ok(Arc::new(parsed.schema)) } else { Err(faults) }
}

fn as_version(text: &str, version: u32) -> String {
    let line = text.lines().find(|line| line.starts_with("version")).unwrap();
    text.replace(line, &format!("version = {version}"))
}

/// Every edit that older saves do not fit is reported by its name. The suggested text covers everything that does not
/// depend on the game, and then the old sample opens.
#[test]
fn each_change_of_shape_is_asked_for_and_no_other() {
    let before = parsed(BEFORE);
    let (mut asked, mut pasted) = (0, 0);
    for (from, to, expected) in EDITS {
        let edited = as_version(&BEFORE.replace(from, to), 2);
        let now = parsed(&edited);
        let Resolved { findings, lacks, step, .. } =
            keblin::steps::resolve(&before, &now, "migrations/v2.toml", "");
        let of_shape: Vec<&str> =
            expected.iter().filter_map(|difference| difference.strip_prefix("s ")).collect();
        assert_eq!(findings.has_errors(), !of_shape.is_empty(), "{from} -> {to}:\n{findings}");
        if of_shape.is_empty() {
            assert!(step.is_some() && lacks.is_empty(), "{from} -> {to}: {lacks}");
            continue;
        }
        asked += 1;
        for difference in of_shape {
            // `field oil: max 60 -> 40`, `level weir was removed`
            let name = difference.split([' ', ':']).find(|word| !["the", "field", "level"].contains(word));
            let name = if difference.starts_with("member") { difference.split(' ').nth(1) } else { name };
            let name = if difference.contains("declaration: game") { Some("reeds") } else { name };
            let name = name.filter(|name| *name != "declaration").unwrap_or("level_facts_per");
            assert!(findings.to_string().contains(name), "{difference}: not asked for:\n{findings}");
        }
        if difference_of_games(&findings) {
            continue;
        }
        let answered = keblin::steps::resolve(&before, &now, "migrations/v2.toml", &lacks);
        assert!(answered.step.is_some(), "{from} -> {to}: pasted\n{lacks}\n{}", answered.findings);
        let schema = versions(&[BEFORE, &edited], &[&lacks]).unwrap();
        let bytes = write(&sample(&Arc::new(parsed(BEFORE))), &Stamp::first(1, "test"));
        let save = verify(&bytes, &schema).unwrap_or_else(|error| panic!("{from} -> {to}: {error}"));
        assert_eq!(save.account().map(|account| (account.from, account.to)), Some((1, 2)));
        pasted += 1;
    }
    assert!(asked > 20 && pasted > 19, "{asked} asked, {pasted} pasted");
}

fn difference_of_games(findings: &keblin::Findings) -> bool {
    findings.list().iter().any(|finding| finding.code == Code::StepMisfit)
}

/// Everything in a step is checked against both versions, with its place.
#[test]
fn a_step_that_is_wrong_is_told_where() {
    let table = |fields: &str| {
        format!(
            "game = 'reeds'\nversion = 1\ndifficulties = ['calm', 'wild']\n[lists]\nlamps = ['wick', 'glass']\n\
             [[levels]]\nid = 'brook'\ncheckpoints = ['log']\n[[unlocks]]\nid = 'raft'\nwhen = 'true'\n[fields]\n{fields}"
        )
    };
    let before = table(
        "oil = { type = 'int', scope = 'profile', max = 60 }\nspan = { type = 'float', scope = 'profile' }\n\
         best = { type = 'int', scope = 'profile', keep = 'highest', per = ['level'] }\n\
         lamp = { type = 'id', of = 'lamps', scope = 'profile' }\n",
    );
    let now = as_version(
        &table(
            "oil = { type = 'int', scope = 'profile', max = 50 }\nspan = { type = 'time', scope = 'profile' }\n\
             best = { type = 'int', scope = 'profile', keep = 'highest', per = ['level', 'difficulty'] }\n\
             lamp = { type = 'text', max_len = 9, scope = 'profile' }\nnew = { type = 'int', scope = 'profile' }\n",
        ),
        2,
    );
    let fine = "[fields.oil]\nmax = 50\nmisfit = 'nearest'\n[fields.span]\ntype = 'time'\nscale = '1s'\nmisfit = 'refuse'\n\
                [fields.best]\nper = ['level', 'difficulty']\nat = { difficulty = 'calm' }\n\
                [fields.lamp]\ntype = 'text'\nmisfit = 'nearest'\n[fields.new]\nfill = 'oil + 1'\n";
    versions(&[&before, &now], &[fine]).unwrap_or_else(|faults| panic!("{faults}"));
    for (from, to, told) in [
        ("max = 50", "max = 49", "migrations/v2.toml:2:1: error: the step says that oil has max = 49"),
        (
            "max = 50\nmisfit = 'nearest'",
            "max = 50",
            "field oil of version 1 changed in version 2: some values do not fit",
        ),
        ("max = 50\n", "", "field oil of version 1 changed in version 2: max is now 50"),
        (
            "[fields.oil]",
            "[fields.oyl]",
            "v2.toml:1:9: error: version 2 does not have `fields.oyl` [unknown_name]",
        ),
        ("misfit = 'nearest'", "misfit = 'closest'", "unknown value `closest` for `misfit`"),
        (
            "scale = '1s'",
            "scale = 'x'",
            "expected a number other than 0, or a time such as \"1s\", but found a text",
        ),
        ("scale = '1s'", "scale = 2", "this scale cannot convert a float to a time"),
        ("scale = '1s'\n", "", "field span of version 1 changed in version 2: its unit changed"),
        ("'calm' }", "'mild' }", "version 2 does not have `mild` on the axis difficulty"),
        ("at = { difficulty = 'calm' }\n", "", "field best of version 1 changed in version 2"),
        ("at = { difficulty", "at = { level", "`level` is not a new axis of best"),
        ("fill = 'oil + 1'", "fill = 'oyl + 1'", "error: `oyl` is not a declared field"),
        ("fill = 'oil + 1'", "fill = 'span'", "new is int, but this is a number with a fraction"),
        ("fill = 'oil + 1'", "fill = 'levels.brook.best + 1'", "can be unset; then there is no value"),
        ("fill = 'oil + 1'", "scope = 'profile'", "version 1 does not have a value for new"),
        ("[fields.new]\nfill", "[fields.new]\nfrom = 'gone'\nfill", "version 1 does not have a field `gone`"),
        (
            "[fields.new]",
            "[facts]\nat = 'calm'\n[fields.new]",
            "the facts of levels did not gain a difficulty",
        ),
        (
            "[fields.new]",
            "[unlocks.raft]\nfill = 'oil > 1'\n[fields.new]",
            "raft is unlocked whenever its condition is true",
        ),
        (
            "[fields.new]",
            "[levels.brook.checkpoints.lag]\nfrom = 'log'\n[fields.new]",
            "version 2 does not have `levels.brook.checkpoints.lag`",
        ),
        (
            "[fields.oil]",
            "drop = ['fields.oyl']\n[fields.oil]",
            "v2.toml:1:9: error: `fields.oyl` was not removed from version 1",
        ),
        ("[fields.oil]", "drop = [1]\n[fields.oil]", "expected a text, but found a whole number"),
        ("[fields.oil]", "[fields.oil", "this is not TOML"),
    ] {
        assert!(fine.contains(from), "{from}");
        let wrong = fine.replacen(from, to, 1);
        match versions(&[&before, &now], &[&wrong]) {
            Ok(_) => panic!("`{told}` was not reported\n{wrong}"),
            Err(faults) => assert!(faults.contains(told), "expected {told}\n{faults}"),
        }
    }
}

/// The normal form of a declaration means the same, and its own normal form is the same text.
#[test]
fn a_normal_form_reads_back_as_the_same_schema() {
    for (name, schema) in declarations() {
        let normal = schema.normal_text();
        let again = Schema::parse(&name, &normal).unwrap_or_else(|findings| panic!("{findings}")).schema;
        assert_eq!(differences(&schema, &again), [], "{name}");
        assert_eq!(again.normal_text(), normal, "{name}");
    }
}

/// A sample has something in every field, at every place, and in every level on every difficulty; it is a valid save,
/// and contains the text it was made from.
#[test]
fn a_sample_has_something_in_every_field() {
    let mut cells = 0;
    for (name, schema) in declarations() {
        let schema = Arc::new(schema);
        let bytes = sample_file(&schema).unwrap();
        assert_eq!(bytes, sample_file(&schema).unwrap(), "{name}: the same again");
        assert_eq!(differences(&sample_of(&bytes).unwrap(), &schema), [], "{name}");
        let save = verify(&bytes, &schema).unwrap();
        let told: Vec<&str> = save.findings().iter().map(|finding| finding.code.as_str()).collect();
        assert_eq!(told, ["edited"], "{name}: {:?}", save.findings());
        let snapshot = save.snapshot().clone();
        let game = Progress::restored(snapshot);
        for held in game.values().filter(|held| held.field.durable && held.field.scope != Scope::Device) {
            let field = &held.field.name;
            // A bound that follows others may allow only one value.
            let is_bound = held.field.fixed_bounds() != *held.field;
            assert!(*held.value != held.field.default || is_bound, "{name}: {field} is default");
            cells += 1;
        }
        let difficulties = (0..schema.difficulties.len().max(1)).map(|index| schema.difficulty_at(index));
        for card in difficulties.flat_map(|difficulty| game.level_cards(difficulty)) {
            assert!(card.facts.finished && card.facts.attempts > 0 && card.facts.deaths > 0, "{name}");
        }
    }
    assert!(cells > 100, "{cells}");
}

/// Every valid declaration of this project.
fn declarations() -> Vec<(String, Schema)> {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");
    let mut texts: Vec<(String, String)> = Vec::new();
    for folder in ["examples", "demo", "demo/frozen", "data/golden", "crates/keblin-tests/tests/data"] {
        for entry in fs::read_dir(format!("{root}/{folder}")).into_iter().flatten().flatten() {
            let path = entry.path();
            if path.extension().is_some_and(|ending| ending == "toml") {
                texts.push((path.display().to_string(), fs::read_to_string(&path).unwrap()));
            }
        }
    }
    texts.push(("BEFORE".to_string(), BEFORE.to_string()));
    assert!(texts.len() > 10, "{} declarations found", texts.len());
    let sound =
        texts.into_iter().filter_map(|(name, text)| Some((Schema::parse(&name, &text).ok()?.schema, name)));
    sound.map(|(schema, name)| (name, schema)).collect()
}

/// A missing or future version is reported at the place of the declaration's version.
#[test]
fn a_gap_is_told_where_the_version_is_said() {
    let before = "game = 'reeds'\nversion = 1\n[fields.oil]\ntype = 'int'\nscope = 'profile'\n";
    let renamed = "game = 'reeds'\nversion = 2\n[fields.oils]\ntype = 'int'\nscope = 'profile'\n";
    let grown = "game = 'reeds'\nversion = 3\n[fields]\noils = { type = 'int', scope = 'profile' }\nfish = { type = 'int', scope = 'profile' }\n";
    let step = "[fields.oils]\nfrom = 'oil'\n";
    versions(&[before, renamed, grown], &[step]).unwrap();
    let told = versions(&[before, renamed, grown], &[]).unwrap_err();
    assert!(told.contains(
        "progress.toml:2:1: error: there is no migrations/v2.toml: saves of version 1 cannot be migrated"
    ));
    assert!(told.contains("        [fields.oils]\n        from = \"oil\"\n"), "{told}");
    assert!(told.contains("migrations/v2.toml: error: field oil of version 1 was removed"), "{told}");
    let file = |name: &str, text: &str| TextFile { name: name.to_string(), text: text.to_string() };
    let mut files = Files { declaration: file("progress.toml", grown), ..Files::default() };
    let faults = |files: &Files| -> Vec<String> {
        let of_past = Schema::parse_with_past(files).unwrap().of_past;
        of_past
            .iter()
            .flat_map(|findings| findings.list().iter().map(|finding| finding.message.clone()))
            .collect()
    };
    let missing = "the shape of saves of version";
    // The version is raised from a frozen one; if this is the first, there was none before.
    assert_eq!(faults(&files), ["version 2 is not frozen: its saves would be refused"]);
    files.frozen.insert(3, file("frozen/v3.toml", grown));
    assert_eq!(faults(&files), [""; 0]);
    files.frozen.clear();
    files.steps.insert(2, file("migrations/v2.toml", step));
    assert!(
        faults(&files).iter().filter(|fault| fault.contains(missing)).count() == 2,
        "{:?}",
        faults(&files)
    );
    files.frozen.insert(1, file("frozen/v1.toml", before));
    files.frozen.insert(2, file("frozen/v2.toml", before));
    assert_eq!(faults(&files), ["this is version 1, under the name of 2"]);
    files.frozen.insert(2, file("frozen/v2.toml", renamed));
    files.frozen.insert(3, file("frozen/v3.toml", &as_version(renamed, 3)));
    assert_eq!(faults(&files), ["version 3 has grown since it was frozen"]);
    files.frozen.insert(3, file("frozen/v3.toml", &as_version(before, 3)));
    assert!(faults(&files)[0].contains("the shape of version 3 changed after it was frozen"));
    files.frozen.insert(4, file("frozen/v4.toml", &as_version(grown, 4)));
    files.steps.insert(4, file("migrations/v4.toml", ""));
    let told = faults(&files);
    assert!(told[0].contains("version 4 is frozen, but the declaration is version 3"), "{told:?}");
    assert!(told[1].contains("there is a step to version 4, but the declaration is version 3"), "{told:?}");
}

/// Everything that a step can do with values, on one save: each value is where it should be, and reported.
#[test]
fn each_kind_of_step_does_what_it_says() {
    let before = "game = 'reeds'\nversion = 1\ndifficulties = ['calm', 'wild']\n[lists]\nlamps = ['wick', 'glass', 'rush']\n\
        [shapes.hook.members]\nlen = { type = 'int' }\ntip = { type = 'text', max_len = 9 }\n[fields]\n\
        ratio = { type = 'float', scope = 'profile', default = 2.5 }\nspan = { type = 'time', scope = 'profile', default = '90s' }\n\
        name = { type = 'text', max_len = 9, scope = 'profile', default = 'heronholm' }\n\
        rank = { type = 'text', max_len = 9, scope = 'profile', default = 'old' }\n\
        lamp = { type = 'id', of = 'lamps', scope = 'profile', default = 'glass' }\n\
        bag = { type = 'list', of = 'lamps', max_items = 3, scope = 'profile', default = ['rush', 'wick', 'rush'] }\n\
        hook = { type = 'shape', of = 'hook', scope = 'profile', default = { len = 70, tip = 'iron' } }\n\
        best = { type = 'int', scope = 'profile', keep = 'highest', per = ['difficulty'], places = 2 }\n\
        sold = { type = 'int', scope = 'profile', keep = 'sum', per = ['difficulty'] }\n\
        lit = { type = 'bool', scope = 'profile', default = true }\n";
    let now = "game = 'reeds'\nversion = 2\ndifficulties = ['calm', 'wild']\n[lists]\nlights = ['candle', 'glass']\n\
        ranks = ['novice', 'pilot']\n[shapes.hook.members]\nspan = { type = 'int', max = 60 }\ntip = { type = 'text', max_len = 9 }\n[fields]\n\
        ratio = { type = 'int', scope = 'profile' }\nspan = { type = 'int', scope = 'profile' }\n\
        name = { type = 'text', max_len = 5, scope = 'profile' }\nrank = { type = 'id', of = 'ranks', scope = 'profile' }\n\
        lamp = { type = 'id', of = 'lights', scope = 'profile', default = 'candle' }\n\
        bag = { type = 'set', of = 'lights', max_items = 3, scope = 'profile' }\n\
        hook = { type = 'shape', of = 'hook', scope = 'profile' }\n\
        best = { type = 'int', scope = 'profile', keep = 'highest' }\nsold = { type = 'int', scope = 'profile', keep = 'sum' }\n\
        lit = { type = 'int', scope = 'profile' }\nboth = { type = 'text', max_len = 20, scope = 'profile', per = ['difficulty'] }\n";
    let step = "drop = ['lists.lights.items.rush', 'lists.lamps.items.rush']\n[lists.lights]\nfrom = 'lamps'\n\
        [lists.lights.items.candle]\nfrom = 'wick'\n[shapes.hook.members.span]\nfrom = 'len'\nmax = 60\nmisfit = 'nearest'\n\
        [fields.ratio]\ntype = 'int'\nscale = 10\nmisfit = 'refuse'\n[fields.span]\ntype = 'int'\nscale = '1m'\nmisfit = 'nearest'\n\
        [fields.name]\nmax_len = 5\nmisfit = 'nearest'\n[fields.rank]\ntype = 'id'\nof = 'ranks'\nvalues = { old = 'pilot' }\nmisfit = 'default'\n\
        [fields.bag]\ntype = 'set'\nof = 'lights'\nmisfit = 'nearest'\n[fields.best]\nper = []\ntake = { difficulty = 'all' }\nplaces = 1\n\
        [fields.sold]\nper = []\ntake = { difficulty = 'all' }\n[fields.lit]\ntype = 'int'\n[fields.both]\nfill = \"'{difficulty} {number}'\"\n";
    let step = step.replace("'lists.lights.items.rush', ", "");
    let schema = versions(&[before, now], &[&step]).unwrap_or_else(|faults| panic!("{faults}"));
    let old = Arc::new(parsed(before));
    let mut game = keblin::Progress::new(Arc::clone(&old));
    for (difficulty, best, sold) in [("calm", 4, 10), ("wild", 9, 5)] {
        let at = old.difficulty(difficulty).unwrap();
        let best_of = old.field_per::<Option<i64>, _>("best").unwrap().at(at);
        game.submit(best_of, best);
        game.submit(best_of, best - 1);
        game.add(old.field_per::<i64, _>("sold").unwrap().at(at), sold);
    }
    let bytes = write(&game.snapshot(), &Stamp::first(1, "test"));
    let save = verify(&bytes, &schema).unwrap();
    let account = save.account().cloned().unwrap();
    let game = save.into_progress();
    let held: Vec<String> = game.values().map(|held| format!("{} {}", held.field.name, held.value)).collect();
    let expected = [
        "ratio 25",
        "span 2",
        "name \"heron\"",
        "rank pilot",
        "lamp glass",
        "bag {candle}",
        "hook {span: 60, tip: \"iron\"}",
        "best 9",
        "sold 15",
        "lit 1",
        "both \"calm 1\"",
        "both \"wild 2\"",
    ];
    assert_eq!(held, expected, "{account}");
    let fates =
        |word: &str| account.entries.iter().filter(|entry| Became::as_str(&entry.fate) == word).count();
    assert_eq!((fates("clamped"), fates("filled")), (2, 2), "{account}");
    assert!(account.to_string().contains("span: clamped 1m30s -> 2"), "{account}");
}

/// The page shows the demo's own step, and names every key that a step can have.
#[test]
fn the_page_shows_a_step_that_is_one() {
    let page = read("docs/compatibility.md");
    assert!(
        page.contains(&format!("```toml\n{}```", read("demo/migrations/v3.toml"))),
        "not the demo's step"
    );
    for key in
        ["drop", "from", "scale", "values", "at", "take", "misfit", "fill", "by = \"code\"", "type", "places"]
    {
        assert!(page.contains(&format!("`{key}")), "{key} is not on the page");
    }
    for fate in ["carried", "changed", "filled", "clamped", "dropped"] {
        assert!(page.contains(&format!("**{fate}**")), "{fate}");
    }
}
