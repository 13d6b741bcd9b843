//! From text to declarations. Takes the text of a `progress.toml`, returns everything declared, each with its place.
//! Whatever is not valid becomes a finding and is left out. `check` decides what the declarations mean together.

/// Reading one table of the text: known keys, expected types.
pub(crate) mod table;

/// What people mean who know other tools
mod meant;

/// What is not TOML
mod syntax;

/// Ids and lists of ids.
mod ids;

/// Numbers of characters, bytes, items and places.
mod length;

/// `[fields.NAME]`
mod field;

/// `[level_constants]`
mod constant;

/// `[[chapters]]`, and the order of levels
mod chapter;

/// `[[levels]]` and `[lives]`
pub(crate) mod level;

/// `stars` of a level
mod star;

/// `[[unlocks]]`
mod unlock;

/// `autosave`
mod autosave;

/// `[[moments]]`
mod moment;

/// `[[invariants]]`
mod invariant;

/// `[groups.NAME]`
mod group;

/// `[[resets]]`
mod reset;

/// `[summary]`
mod summary;

/// `[lists]`
mod list;

/// `[shapes.NAME]`
mod shape;

/// `[kinds.NAME]` and `[[areas]]`
mod world;

/// `type`, `of` and `key`
mod kind;

/// Literal values.
pub(crate) mod value;

use std::ops::Range;

use toml::de::DeTable;

use crate::model::{AfterLast, CheckpointLasts, Model, Resume, SaveAt, StarsBy};
use crate::name::Name;
use crate::text::finding::{Code, Finding};

use chapter::ChapterDecl;
pub(crate) use field::{BoundDecl, FieldDecl};
pub(crate) use group::GroupDecl;
pub(crate) use ids::clashes;
use ids::named_tables;
pub(crate) use invariant::InvariantDecl;
pub(crate) use level::{ConditionDecl, LevelDecl, LivesDecl};
pub(crate) use list::ListDecl;
pub(crate) use moment::MomentDecl;
pub(crate) use reset::ResetDecl;
pub(crate) use star::StarsDecl;
use table::Reader;
pub(crate) use unlock::UnlockDecl;

/// Something declared, and its place.
#[derive(Clone, Debug)]
pub(crate) struct Placed<T> {
    pub(crate) value: T,
    pub(crate) span: Range<usize>,
}

/// Everything a text declares, as far as each thing is valid on its own.
#[derive(Debug)]
pub(crate) struct Declarations {
    pub(crate) game: Option<Placed<Name>>,
    pub(crate) version: Option<u32>,
    pub(crate) difficulties: Vec<Placed<Name>>,
    pub(crate) level_facts_per: Option<Placed<()>>,
    pub(crate) resume: Resume,
    pub(crate) checkpoint_lasts: Option<Placed<CheckpointLasts>>,
    pub(crate) after_last: AfterLast,
    pub(crate) autosave: Option<Placed<Vec<SaveAt>>>,
    pub(crate) lives: Option<LivesDecl>,
    pub(crate) lists: Vec<ListDecl>,
    /// The names that values can have, before anything else of the model is known.
    pub(crate) names: Model,
    pub(crate) fields: Vec<FieldDecl>,
    /// Ids of fields that are declared but left out because of their own mistakes.
    pub(crate) faulty_fields: Vec<String>,
    pub(crate) groups: Vec<GroupDecl>,
    pub(crate) chapters: Vec<ChapterDecl>,
    pub(crate) levels: Vec<LevelDecl>,
    pub(crate) unlocks: Vec<UnlockDecl>,
    pub(crate) moments: Vec<MomentDecl>,
    pub(crate) invariants: Vec<InvariantDecl>,
    pub(crate) resets: Vec<ResetDecl>,
    pub(crate) summary: Vec<Placed<String>>,
    pub(crate) stars_by: StarsBy,
    /// The text is not complete TOML, so a missing name may come after the mistake.
    pub(crate) broken_syntax: bool,
}

const KEYS: &[&str] = &[
    "game",
    "version",
    "difficulties",
    "level_facts_per",
    "resume",
    "checkpoint_lasts",
    "after_last",
    "autosave",
    "lives",
    "lists",
    "shapes",
    "fields",
    "groups",
    "kinds",
    "areas",
    "chapters",
    "level_constants",
    "levels",
    "unlocks",
    "moments",
    "invariants",
    "resets",
    "summary",
    "stars_by",
];

pub(crate) fn declarations(text: &str, found: &mut Vec<Finding>) -> Declarations {
    let (document, faults) = DeTable::parse_recoverable(text);
    let broken_syntax = !faults.is_empty();
    let in_broken_lines = syntax::findings(text, &faults, found);
    let top = Reader::new("a declaration", document.get_ref(), 0..0, KEYS, text, found);
    let lists = list::all(&top, text, found);
    let difficulties = top.ids("difficulties", "difficulty", found);
    let constants = constant::all(&top, text, found);
    let chapters = chapter::all(&top, &constants, text, found);
    let entries = level::entries(&top, &constants, text, found);
    let levels = chapter::in_order(&chapters, entries, &constants, found);
    let unlocks = unlock::all(&top, text, found);
    let mut names = Model::of_names(
        lists.iter().map(ListDecl::def).collect(),
        difficulties.iter().map(|difficulty| difficulty.value.clone()).collect(),
        levels.iter().map(LevelDecl::def).collect(),
        unlocks.iter().map(UnlockDecl::def).collect(),
    );
    names.chapters = chapters.iter().map(ChapterDecl::def).collect();
    names.constants = constants;
    names.shapes = shape::all(&top, &names, text, found);
    world::world(&top, &mut names, text, found);
    let (fields, faulty_fields) = field::all(&top, &names, text, found);
    let declared = Declarations {
        game: top.required("game", found, "game = \"my_game\"").and_then(|value| top.id(value, found)),
        version: version(&top, found),
        difficulties,
        level_facts_per: top
            .word("level_facts_per", &[("difficulty", ())], found)
            .map(|value| Placed { value, span: top.key_span("level_facts_per") }),
        resume: top.one_of("resume", Resume::ALL, Resume::as_str, found).unwrap_or(Resume::Checkpoint),
        checkpoint_lasts: top
            .one_of("checkpoint_lasts", CheckpointLasts::ALL, CheckpointLasts::as_str, found)
            .map(|value| Placed { value, span: top.key_span("checkpoint_lasts") }),
        after_last: top
            .one_of("after_last", AfterLast::ALL, AfterLast::as_str, found)
            .unwrap_or(AfterLast::Map),
        autosave: autosave::list(&top, found),
        lives: top.table("lives", found).map(|(table, span)| level::lives(table, span, text, found)),
        lists,
        names,
        fields,
        faulty_fields,
        groups: group::all(&top, text, found),
        chapters,
        levels,
        unlocks,
        moments: moment::all(&top, text, found),
        invariants: invariant::all(&top, text, found),
        resets: reset::all(&top, text, found),
        summary: summary::fields(&top, text, found),
        stars_by: top
            .one_of("stars_by", StarsBy::ALL, StarsBy::as_str, found)
            .unwrap_or(StarsBy::BestAttempt),
        broken_syntax,
    };
    if broken_syntax {
        let follows = |finding: &Finding| finding.code == Code::MissingKey || in_broken_lines(finding);
        found.retain(|finding| finding.code == Code::Syntax || !follows(finding));
    }
    declared
}

fn version(top: &Reader<'_, '_>, found: &mut Vec<Finding>) -> Option<u32> {
    let value = top.required("version", found, "version = 1")?;
    let number = top.integer(value, found)?;
    match u32::try_from(number) {
        Ok(version) if version > 0 => Some(version),
        _ => {
            let message = format!("`version` must be from 1 to {}, but found {number}", u32::MAX);
            found
                .push(Finding::error(Code::OutOfRange, value.span(), message).instead("write `version = 1`"));
            None
        }
    }
}
