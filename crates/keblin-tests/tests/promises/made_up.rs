//! Made-up declarations, edits that developers make, and the step that each edit needs.

use proptest::prelude::*;

/// A made-up declaration, as parts that edits can change.
#[derive(Clone, Debug)]
pub(crate) struct Made {
    fields: Vec<Part>,
    levels: Vec<String>,
    unlocks: Vec<String>,
    items: Vec<String>,
    difficulties: Vec<String>,
    facts_apart: bool,
}

/// A field: its name, its declaration without bounds, its upper bound, and whether it is in the group.
#[derive(Clone, Debug)]
struct Part {
    name: String,
    says: String,
    max: Option<i64>,
    grouped: bool,
}

/// The types of fields, in every scope, with axes, keep rules and tables.
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
    pub(crate) fn text(&self, version: u32) -> String {
        let ids = |ids: &[String]| ids.iter().map(|id| format!("'{id}'")).collect::<Vec<_>>().join(", ");
        let facts = if self.facts_apart { "level_facts_per = 'difficulty'\n" } else { "" };
        let mut text = format!(
            "game = 'hedge'\nversion = {version}\ndifficulties = [{}]\n{facts}[lists]\nlamps = [{}]\n[fields]\n",
            ids(&self.difficulties),
            ids(&self.items)
        );
        for Part { name, says, max, .. } in &self.fields {
            let max = max.map_or(String::new(), |max| format!(", max = {max}"));
            text += &format!("{name} = {{ {says}{max} }}\n");
        }
        let grouped = self.fields.iter().filter(|part| part.grouped).map(|part| part.name.clone());
        let grouped: Vec<String> = grouped.collect();
        if !grouped.is_empty() {
            text += &format!("[groups.hedgerow]\nfields = [{}]\n", ids(&grouped));
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

pub(crate) fn made() -> impl Strategy<Value = Made> {
    let names = proptest::sample::subsequence(NAMES.to_vec(), 3..=7);
    let kinds = proptest::collection::vec((0..KINDS.len(), any::<bool>()), 7);
    (names, kinds, 3..=4_usize, 1..=3_usize, any::<bool>()).prop_map(
        |(names, kinds, levels, unlocks, facts_apart)| {
            let owned = |names: &[&str]| names.iter().map(ToString::to_string).collect::<Vec<String>>();
            let fields = names.iter().zip(kinds).map(|(name, (kind, grouped))| Part {
                name: format!("{name}_kept"),
                says: KINDS[kind].to_string(),
                max: None,
                grouped,
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

/// An edit of a declaration; the number chooses what is edited.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Edit {
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
    Group(usize),
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
        (0..9_usize).prop_map(Edit::Group),
        growth(),
    ]
}

pub(crate) fn growth() -> impl Strategy<Value = Edit> {
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

/// Returns the declaration after an edit, and its step. `mark` keeps new names of two versions different.
pub(crate) fn edited(made: &Made, edit: Edit, mark: &str) -> (Made, String) {
    let mut now = made.clone();
    let renamed = |name: &str| format!("{mark}_{name}");
    // An earlier edit may have left none.
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
            // Its checkpoints are under its new name here.
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
        Edit::Group(at) => {
            let at = at % now.fields.len();
            let part = &mut now.fields[at];
            part.grouped = !part.grouped;
            let group = if part.grouped { "'hedgerow'" } else { "false" };
            format!("[fields.{}]\ngroup = {group}\n", part.name)
        }
        Edit::NewField => {
            let (name, grouped) = (renamed("new"), now.fields.len().is_multiple_of(2));
            now.fields.push(Part { name, says: KINDS[3].to_string(), max: None, grouped });
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

/// Returns three versions with two steps, and a save of the first: its sample, or a first run.
pub(crate) fn history() -> impl Strategy<Value = ([String; 3], [String; 2], bool)> {
    (made(), edit(), edit(), any::<bool>()).prop_map(|(one, first, second, is_sample)| {
        let (two, to_2) = edited(&one, first, "dawn");
        let (three, to_3) = edited(&two, second, "dusk");
        ([one.text(1), two.text(2), three.text(3)], [to_2, to_3], is_sample)
    })
}
