//! Laws of migration, over made-up declarations, edits of them and saves. An edit is one that a developer makes, together
//! with the step it takes; a history is three versions with two such edits.

use std::collections::BTreeSet;
use std::sync::Arc;

use keblin::migrate::{Account, Fate, sample};
use keblin::save::{Stamp, read, write};
use keblin::steps::Step;
use keblin::verify::verify;
use keblin::{Progress, Schema, Snapshot, Value};
use proptest::prelude::*;
use proptest::strategy::ValueTree;

use crate::steps::{parsed, versions};

/// A made-up declaration, as parts that edits can change.
#[derive(Clone, Debug)]
struct Made {
    fields: Vec<Part>,
    levels: Vec<String>,
    unlocks: Vec<String>,
    items: Vec<String>,
    difficulties: Vec<String>,
    facts_apart: bool,
}

/// A field: its name, what its declaration says besides bounds, and the most it may be.
#[derive(Clone, Debug)]
struct Part {
    name: String,
    says: String,
    max: Option<i64>,
}

/// The kinds of fields, in every scope, with axes, keep rules and tables.
const KINDS: [&str; 14] = [
    "type = 'int', scope = 'profile'",
    "type = 'int', scope = 'run', on_death = 'checkpoint'",
    "type = 'int', scope = 'level', on_death = 'stays'",
    "type = 'int', scope = 'profile', keep = 'highest', per = ['level']",
    "type = 'int', scope = 'profile', keep = 'sum', per = ['difficulty']",
    "type = 'int', scope = 'profile', keep = 'highest', places = 3",
    "type = 'float', scope = 'profile', default = 0.5",
    "type = 'time', scope = 'profile', keep = 'lowest', per = ['level', 'difficulty']",
    "type = 'text', scope = 'run', max_len = 12, on_death = 'stays'",
    "type = 'bool', scope = 'profile', keep = 'once', per = ['lamps']",
    "type = 'id', of = 'lamps', scope = 'profile'",
    "type = 'set', of = 'lamps', max_items = 9, scope = 'profile'",
    "type = 'map', key = 'levels', of = 'int', max_items = 9, scope = 'profile'",
    "type = 'list', of = 'text', max_len = 9, max_items = 4, scope = 'run', on_death = 'stays'",
];

const NAMES: [&str; 12] = [
    "barley",
    "coppice",
    "dormouse",
    "elderberry",
    "foxglove",
    "gorse",
    "hazelnut",
    "ivy_leaf",
    "juniper",
    "kestrel",
    "lapwing",
    "mallow",
];

impl Made {
    fn text(&self, version: u32) -> String {
        let ids = |ids: &[String]| ids.iter().map(|id| format!("'{id}'")).collect::<Vec<_>>().join(", ");
        let facts = if self.facts_apart { "level_facts_per = 'difficulty'\n" } else { "" };
        let mut text = format!(
            "game = 'hedge'\nversion = {version}\ndifficulties = [{}]\n{facts}[lists]\nlamps = [{}]\n[fields]\n",
            ids(&self.difficulties),
            ids(&self.items)
        );
        for Part { name, says, max } in &self.fields {
            let max = max.map_or(String::new(), |max| format!(", max = {max}"));
            text += &format!("{name} = {{ {says}{max} }}\n");
        }
        for level in &self.levels {
            text += &format!(
                "[[levels]]\nid = '{level}'\ncheckpoints = ['{level}_gate', '{level}_stile']\nstars = 3\n"
            );
        }
        for unlock in &self.unlocks {
            text += &format!("[[unlocks]]\nid = '{unlock}'\nwhen = 'true'\nlatch = true\n");
        }
        text
    }
}

fn made() -> impl Strategy<Value = Made> {
    let names = proptest::sample::subsequence(NAMES.to_vec(), 3..=7);
    let kinds = proptest::collection::vec(0..KINDS.len(), 7);
    (names, kinds, 3..=4_usize, 1..=3_usize, any::<bool>()).prop_map(
        |(names, kinds, levels, unlocks, facts_apart)| {
            let owned = |names: &[&str]| names.iter().map(ToString::to_string).collect::<Vec<String>>();
            let fields = names.iter().zip(kinds).map(|(name, kind)| Part {
                name: format!("{name}_kept"),
                says: KINDS[kind].to_string(),
                max: None,
            });
            Made {
                fields: fields.collect(),
                levels: owned(&["brook", "weir", "marsh", "estuary"][..levels]),
                unlocks: owned(&["raft", "lantern", "whistle"][..unlocks]),
                items: owned(&["wick", "glass", "rushlight"]),
                difficulties: owned(&["calm", "wild"]),
                facts_apart,
            }
        },
    )
}

/// What somebody does to a declaration; the number chooses what is done to.
#[derive(Clone, Copy, Debug)]
enum Edit {
    RenameField(usize),
    RenameLevel(usize),
    RenameUnlock(usize),
    RenameItem(usize),
    RenameDifficulty(usize),
    DropField(usize),
    DropLevel,
    DropUnlock,
    DropItem,
    Narrow(usize),
    Move(usize),
    Double(usize),
    NewField,
    NewLevel,
    NewUnlock,
    NewItem,
    NewDifficulty,
    Reorder,
    Nothing,
}

fn edit() -> impl Strategy<Value = Edit> {
    prop_oneof![
        (0..9_usize).prop_map(Edit::RenameField),
        (0..9_usize).prop_map(Edit::RenameLevel),
        (0..9_usize).prop_map(Edit::RenameUnlock),
        (0..9_usize).prop_map(Edit::RenameItem),
        (0..9_usize).prop_map(Edit::RenameDifficulty),
        (0..9_usize).prop_map(Edit::DropField),
        Just(Edit::DropLevel),
        Just(Edit::DropUnlock),
        Just(Edit::DropItem),
        (0..9_usize).prop_map(Edit::Narrow),
        (0..9_usize).prop_map(Edit::Move),
        (0..9_usize).prop_map(Edit::Double),
        growth(),
    ]
}

fn growth() -> impl Strategy<Value = Edit> {
    proptest::sample::select(vec![
        Edit::NewField,
        Edit::NewLevel,
        Edit::NewUnlock,
        Edit::NewItem,
        Edit::NewDifficulty,
        Edit::Reorder,
        Edit::Nothing,
    ])
}

/// The declaration after an edit, and what the step says of it. `mark` keeps new names of one version from those of another.
fn edited(made: &Made, edit: Edit, mark: &str) -> (Made, String) {
    let mut now = made.clone();
    let renamed = |name: &str| format!("{mark}_{name}");
    // The edit before may have left none.
    let edit = match edit {
        Edit::RenameUnlock(_) | Edit::DropUnlock if made.unlocks.is_empty() => Edit::Nothing,
        edit => edit,
    };
    let step = match edit {
        Edit::RenameField(at) => {
            let at = at % now.fields.len();
            let old = std::mem::replace(&mut now.fields[at].name, renamed(&made.fields[at].name));
            format!("[fields.{}]\nfrom = '{old}'\n", renamed(&old))
        }
        Edit::RenameLevel(at) => {
            let at = at % now.levels.len();
            let old = std::mem::replace(&mut now.levels[at], renamed(&made.levels[at]));
            let new = renamed(&old);
            // Its checkpoints are called by it here.
            let checkpoints = ["gate", "stile"]
                .map(|end| format!("[levels.{new}.checkpoints.{new}_{end}]\nfrom = '{old}_{end}'\n"));
            format!("[levels.{new}]\nfrom = '{old}'\n{}", checkpoints.concat())
        }
        Edit::RenameUnlock(at) => {
            let at = at % now.unlocks.len();
            let old = std::mem::replace(&mut now.unlocks[at], renamed(&made.unlocks[at]));
            format!("[unlocks.{}]\nfrom = '{old}'\n", renamed(&old))
        }
        Edit::RenameItem(at) => {
            let at = at % now.items.len();
            let old = std::mem::replace(&mut now.items[at], renamed(&made.items[at]));
            format!("[lists.lamps.items.{}]\nfrom = '{old}'\n", renamed(&old))
        }
        Edit::RenameDifficulty(at) => {
            let at = at % now.difficulties.len();
            let old = std::mem::replace(&mut now.difficulties[at], renamed(&made.difficulties[at]));
            format!("[difficulties.{}]\nfrom = '{old}'\n", renamed(&old))
        }
        Edit::DropField(at) => {
            let gone = now.fields.remove(at % made.fields.len());
            format!("drop = ['fields.{}']\n", gone.name)
        }
        Edit::DropLevel => format!("drop = ['levels.{}']\n", now.levels.remove(0)),
        Edit::DropUnlock => format!("drop = ['unlocks.{}']\n", now.unlocks.remove(0)),
        Edit::DropItem => format!("drop = ['lists.lamps.items.{}']\n", now.items.remove(0)),
        Edit::Narrow(at) => {
            let at = at % now.fields.len();
            let part = &mut now.fields[at];
            if !part.says.starts_with("type = 'int'") {
                return (now, String::new());
            }
            let max = part.max.map_or(6, |max| max - 1);
            part.max = Some(max);
            format!("[fields.{}]\nmax = {max}\nmisfit = 'nearest'\n", part.name)
        }
        Edit::Move(at) => {
            let at = at % now.fields.len();
            let part = &mut now.fields[at];
            if !part.says.contains("'run', on_death") {
                return (now, String::new());
            }
            part.says = part.says.split(", on_death").next().unwrap().replace("'run'", "'profile'");
            format!("[fields.{}]\nscope = 'profile'\n", part.name)
        }
        Edit::Double(at) => {
            let at = at % now.fields.len();
            let part = &now.fields[at];
            if !part.says.starts_with("type = 'int'") || part.max.is_some() {
                return (now, String::new());
            }
            format!("[fields.{}]\nscale = 2\nmisfit = 'refuse'\n", part.name)
        }
        Edit::NewField => {
            now.fields.push(Part { name: renamed("new"), says: KINDS[3].to_string(), max: None });
            String::new()
        }
        Edit::NewLevel => {
            now.levels.insert(0, renamed("level"));
            String::new()
        }
        Edit::NewUnlock => {
            now.unlocks.push(renamed("unlock"));
            String::new()
        }
        Edit::NewItem => {
            now.items.insert(0, renamed("item"));
            String::new()
        }
        Edit::NewDifficulty => {
            now.difficulties.push(renamed("tide"));
            String::new()
        }
        Edit::Reorder => {
            now.fields.reverse();
            now.levels.reverse();
            now.items.reverse();
            now.difficulties.reverse();
            String::new()
        }
        Edit::Nothing => String::new(),
    };
    (now, step)
}

/// Three versions with two steps, and a save of the first: the sample of it, or a first run.
fn history() -> impl Strategy<Value = ([String; 3], [String; 2], bool)> {
    (made(), edit(), edit(), any::<bool>()).prop_map(|(one, first, second, is_sample)| {
        let (two, to_2) = edited(&one, first, "dawn");
        let (three, to_3) = edited(&two, second, "dusk");
        ([one.text(1), two.text(2), three.text(3)], [to_2, to_3], is_sample)
    })
}

fn save_of(text: &str, is_sample: bool) -> Vec<u8> {
    let schema = Arc::new(parsed(text));
    let snapshot = if is_sample { sample(&schema) } else { Progress::new(schema).snapshot() };
    saved(&snapshot)
}

fn saved(snapshot: &Snapshot) -> Vec<u8> {
    write(snapshot, &Stamp::first(1, "test"))
}

fn opened(bytes: &[u8], schema: &Arc<Schema>) -> (Snapshot, Account) {
    let save = verify(bytes, schema).unwrap_or_else(|error| panic!("{error}"));
    (save.snapshot().clone(), save.account().unwrap().as_ref().clone())
}

/// Every value of a snapshot that is not as declared: the field, and the value as text, whatever the order of its items.
fn held(snapshot: &Snapshot) -> Vec<(String, String)> {
    let progress = Progress::restored(snapshot.clone());
    let all = progress.values().filter(|held| *held.value != held.field.default);
    let text = |value: &Value| {
        let mut items: Vec<String> =
            value.to_string().trim_matches(['{', '}']).split(", ").map(ToString::to_string).collect();
        items.sort();
        items.join(", ")
    };
    all.map(|held| (held.field.name.to_string(), text(held.value))).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 192, failure_persistence: None, ..ProptestConfig::default() })]

    /// Going two versions at once is going them one by one; what was brought to a version needs nothing more.
    #[test]
    fn two_steps_at_once_are_one_after_the_other((texts, steps, is_sample) in history()) {
        let [one, two, three] = texts.each_ref().map(String::as_str);
        let [to_2, to_3] = steps.each_ref().map(String::as_str);
        let now = versions(&[one, two, three], &[to_2, to_3]).unwrap_or_else(|faults| panic!("{faults}\n{one}\n{two}\n{three}"));
        let middle = versions(&[one, two], &[to_2]).unwrap();
        let bytes = save_of(one, is_sample);
        let (at_once, _) = opened(&bytes, &now);
        let (half_way, _) = opened(&bytes, &middle);
        let (step_by_step, _) = opened(&saved(&half_way), &now);
        prop_assert!(at_once == step_by_step);
        let again = verify(&saved(&at_once), &now).unwrap();
        prop_assert!(again.account().is_none() && *again.snapshot() == at_once);
        prop_assert_eq!(read(&saved(&at_once)).unwrap().head.schema_version, 3);
    }

    /// What was called something else and is called by its old name again is what it was.
    #[test]
    fn there_and_back_is_nothing(one in made(), what in 0..5_usize, at in 0..9_usize) {
        let edit = [
            Edit::RenameField(at), Edit::RenameLevel(at), Edit::RenameUnlock(at), Edit::RenameItem(at), Edit::RenameDifficulty(at),
        ][what];
        let (two, there) = edited(&one, edit, "dawn");
        // The way back: each table is about the name it came from.
        let mut back = String::new();
        let mut heading = String::new();
        for line in there.lines() {
            if let Some(from) = line.strip_prefix("from = ") {
                let (path, new) = heading.rsplit_once('.').unwrap();
                let old = from.trim_matches('\'');
                let path = path.replace(&format!("levels.dawn_{}.", old.split('_').next().unwrap()), &format!("levels.{}.", old.split('_').next().unwrap()));
                back += &format!("[{path}.{old}]\nfrom = '{new}'\n");
            }
            heading = line.trim_matches(['[', ']']).to_string();
        }
        let texts = [one.text(1), two.text(2), one.text(3)];
        let schema = versions(&texts.each_ref().map(String::as_str), &[&there, &back])
            .unwrap_or_else(|faults| panic!("{faults}\n{there}\n{back}"));
        let bytes = save_of(&texts[0], true);
        let before = sample(&Arc::new(parsed(&texts[0])));
        let (after, account) = opened(&bytes, &schema);
        prop_assert_eq!(held(&before), held(&after));
        prop_assert!(account.entries.iter().all(|entry| !matches!(entry.fate, Fate::Dropped { .. } | Fate::Clamped { .. })), "{}", account);
        let numbered = saved(&after).len();
        prop_assert_eq!(numbered, bytes.len(), "all of it, facts, copies and the run, is as long as it was");
    }

    /// Nothing that was held is gone unless the step says so, and everything that was held is told of.
    #[test]
    fn no_value_vanishes_unsaid((texts, steps, _) in history()) {
        let schema = versions(&[&texts[0], &texts[1]], &[&steps[0]]).unwrap();
        let bytes = save_of(&texts[0], true);
        let before = sample(&Arc::new(parsed(&texts[0])));
        let (after, account) = opened(&bytes, &schema);
        let dropped: Vec<&str> = account
            .entries
            .iter()
            .filter(|entry| matches!(entry.fate, Fate::Dropped { .. }))
            .map(|entry| entry.place.as_str())
            .collect();
        if !steps[0].contains("drop") {
            prop_assert!(dropped.is_empty(), "{:?}", dropped);
            prop_assert_eq!(held(&before).len(), held(&after).len());
        }
        // By what it is called now or was called then, every field that held something is in the account.
        let told: BTreeSet<&str> = account
            .entries
            .iter()
            .flat_map(|entry| [Some(entry.place.as_str()), entry.was.as_deref()])
            .flatten()
            .map(|place| place.split('.').next().unwrap_or_default())
            .collect();
        for (field, _) in held(&before) {
            prop_assert!(told.contains(field.as_str()), "{} is not told of:\n{}", field, account);
        }
    }

    /// What only grows needs no step, and changes nothing that was there.
    #[test]
    fn growth_alone_never_needs_a_step(one in made(), first in growth(), second in growth()) {
        let (two, _) = edited(&one, first, "dawn");
        let (three, _) = edited(&two, second, "dusk");
        let texts = [one.text(1), three.text(2)];
        let schema = versions(&[&texts[0], &texts[1]], &[]).unwrap_or_else(|faults| panic!("{faults}"));
        let bytes = save_of(&texts[0], true);
        let before = sample(&Arc::new(parsed(&texts[0])));
        let (after, account) = opened(&bytes, &schema);
        let sorted = |snapshot: &Snapshot| {
            let mut held = held(snapshot);
            held.sort();
            held
        };
        prop_assert_eq!(sorted(&before), sorted(&after));
        prop_assert!(account.entries.iter().all(|entry| matches!(entry.fate, Fate::Carried | Fate::Filled { .. })), "{}", account);
        // Under one version number as well: a save of before opens as it is.
        let same = Arc::new(parsed(&three.text(1)));
        let save = verify(&bytes, &same).unwrap();
        prop_assert_eq!(sorted(save.snapshot()), sorted(&after));
    }

    /// Without the step, or with any table of it left out, there is something to complain about.
    #[test]
    fn a_step_that_is_left_out_is_asked_for((texts, steps, _) in history()) {
        let [before, now] = [&texts[0], &texts[1]].map(|text| parsed(text));
        let tables: Vec<&str> = steps[0].split_inclusive('\n').collect();
        // A scale leaves no trace in the declarations: nobody but the game knows of another unit of the same type.
        if steps[0].is_empty() || steps[0].contains("scale") {
            return Ok(());
        }
        prop_assert!(Step::resolve(&before, &now, "v2.toml", &steps[0]).step.is_some());
        let resolved = Step::resolve(&before, &now, "v2.toml", "");
        prop_assert!(resolved.findings.has_errors() && !resolved.lacks.is_empty());
        for left_out in 0..tables.len() {
            let rest: String = tables.iter().enumerate().filter(|(at, _)| *at != left_out).map(|(_, line)| *line).collect();
            prop_assert!(Step::resolve(&before, &now, "v2.toml", &rest).findings.has_errors(), "without {}", tables[left_out]);
        }
    }
}

/// The laws are about something: every fate occurs in what they go through.
#[test]
fn every_fate_occurs() {
    let mut runner = proptest::test_runner::TestRunner::deterministic();
    let mut fates = BTreeSet::new();
    for _ in 0..200 {
        let (texts, steps, _) = history().new_tree(&mut runner).unwrap().current();
        let schema = versions(&[&texts[0], &texts[1]], &[&steps[0]]).unwrap();
        let (_, account) = opened(&save_of(&texts[0], true), &schema);
        fates.extend(account.entries.iter().map(|entry| entry.fate.as_str()));
    }
    assert_eq!(fates, BTreeSet::from(["carried", "changed", "clamped", "dropped", "filled"]));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, failure_persistence: None, ..ProptestConfig::default() })]

    /// Whatever stands in a step, it is one or is told why not; nothing panics.
    #[test]
    fn any_text_is_a_step_or_a_finding(cut in 0..900_usize, len in 0..60_usize, put in "[a-z\\[\\]={}\", .'{0-9]{0,12}") {
        let text = crate::tables::read("demo/migrations/v3.toml");
        let cut = text.floor_char_boundary(cut.min(text.len()));
        let end = text.floor_char_boundary((cut + len).min(text.len()));
        let mutated = format!("{}{put}{}", &text[..cut], &text[end..]);
        let before = parsed(&crate::tables::read("demo/frozen/v2.toml"));
        let now = parsed(&crate::tables::read("demo/progress.toml"));
        let resolved = Step::resolve(&before, &now, "migrations/v3.toml", &mutated);
        prop_assert_eq!(resolved.step.is_none(), resolved.findings.has_errors());
        prop_assert!(resolved.findings.list().iter().all(|finding| finding.span.end <= mutated.len()));
        prop_assert!(!resolved.findings.has_errors() || !resolved.findings.to_string().is_empty());
    }
}
