//! The differences between two versions of a declaration, in three classes: what the values of a save depend on, what
//! only grows, and what is not saved.

/// Lists of names, compared by id: what is new, what was removed, and its new name if one looks likely.
mod names;

/// Kinds of objects and areas of the world.
mod world;

/// Fields and shapes, key by key.
mod fields;

/// Chapters and constants of levels.
mod chapters;

/// Rules: conditions, and whether they ask for more than before.
mod rules;

use std::fmt;

use crate::model::Model;
use crate::name::Name;

keblin_model::words! {
    /// What a difference means for existing saves.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
    #[non_exhaustive]
    pub enum Class {
        /// Older saves do not fit: their values need a step, and the declaration a new version.
        Shape = "shape",
        /// Older saves fit, and new values get their defaults.
        Growth = "growth",
        /// It is not saved.
        Rule = "rule",
    }
}

/// One difference.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Difference {
    /// What it means for existing saves.
    pub class: Class,
    /// What is different.
    pub what: What,
    /// How.
    pub change: Change,
}

/// Every way in which a declaration can grow within a version: of what, and how; `of fields` are fields in another order.
/// An older build of the same version keeps what a newer one has saved of each.
#[doc(hidden)]
pub const GROWTHS: &[(&str, &str)] = &[
    ("the declaration", "areas"),
    ("the declaration", "areas.grid"),
    ("the declaration", "difficulties"),
    ("the declaration", "fields"),
    ("the declaration", "kinds"),
    ("the declaration", "levels"),
    ("the declaration", "lists"),
    ("the declaration", "moments"),
    ("the declaration", "shapes"),
    ("the declaration", "unlocks"),
    ("area", "new"),
    ("checkpoint", "new"),
    ("difficulty", "new"),
    ("field", "max"),
    ("field", "max_items"),
    ("field", "max_len"),
    ("field", "may be unset"),
    ("field", "min"),
    ("field", "new"),
    ("field", "places"),
    ("field of a kind", "max"),
    ("field of a kind", "max_len"),
    ("field of a kind", "may be unset"),
    ("field of a kind", "min"),
    ("field of a kind", "new"),
    ("item", "new"),
    ("kind", "fields"),
    ("kind", "new"),
    ("level", "checkpoints"),
    ("level", "new"),
    ("level", "stars"),
    ("list", "items"),
    ("list", "new"),
    ("member", "max"),
    ("member", "max_items"),
    ("member", "max_len"),
    ("member", "may be unset"),
    ("member", "min"),
    ("member", "new"),
    ("moment", "new"),
    ("shape", "members"),
    ("shape", "new"),
    ("star", "new"),
    ("unlock", "new"),
];

impl Difference {
    /// Returns of what the difference is, and how it differs.
    #[doc(hidden)]
    #[must_use]
    pub fn of_and_how(&self) -> (&'static str, &'static str) {
        let how = match &self.change {
            Change::New => "new",
            Change::Gone { .. } => "gone",
            Change::Order { of } => of,
            Change::Key { key, .. } => key,
        };
        (self.what.kind(), how)
    }

    /// Returns whether a rule asks for more than before.
    #[must_use]
    pub fn is_stricter(&self) -> bool {
        matches!(self.change, Change::Key { is_stricter: true, .. })
    }
}

/// What differs.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum What {
    /// The declaration as a whole.
    Declaration,
    /// A field.
    Field(Name),
    /// A chapter.
    Chapter(Name),
    /// A constant of levels.
    Constant(Name),
    /// A level.
    Level(Name),
    /// A checkpoint of a level.
    Checkpoint {
        /// The level.
        level: Name,
        /// The checkpoint.
        id: Name,
    },
    /// A star of a level.
    Star {
        /// The level.
        level: Name,
        /// The star.
        id: Name,
    },
    /// A difficulty.
    Difficulty(Name),
    /// An unlock.
    Unlock(Name),
    /// A moment.
    Moment(Name),
    /// An invariant.
    Invariant(Name),
    /// A reset.
    Reset(Name),
    /// A closed list.
    List(Name),
    /// An item of a closed list.
    Item {
        /// The list.
        list: Name,
        /// The item.
        id: Name,
    },
    /// A kind of objects in the world.
    ObjectKind(Name),
    /// A field of a kind of objects.
    ObjectField {
        /// The kind.
        kind: Name,
        /// The field.
        id: Name,
    },
    /// An area of the world.
    Area(Name),
    /// A shape.
    Shape(Name),
    /// A member of a shape.
    Member {
        /// The shape.
        shape: Name,
        /// The member.
        id: Name,
    },
}

/// How something differs.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Change {
    /// It is new.
    New,
    /// It was removed.
    Gone {
        /// Its new name, if one looks likely.
        perhaps: Option<Name>,
    },
    /// The old ones are in another order.
    Order {
        /// What is in another order.
        of: &'static str,
    },
    /// A key has another value.
    Key {
        /// The key.
        key: &'static str,
        /// Its old value; empty if it was not there.
        before: String,
        /// Its new value; empty if it is not there.
        now: String,
        /// Whether a rule asks for more than before.
        is_stricter: bool,
    },
}

impl fmt::Display for What {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let kind = self.kind();
        match self {
            What::Declaration => f.write_str(kind),
            What::ObjectField { kind, id } => write!(f, "field {id} of kind {kind}"),
            What::Field(id)
            | What::Chapter(id)
            | What::Constant(id)
            | What::Level(id)
            | What::Difficulty(id)
            | What::Unlock(id)
            | What::Moment(id)
            | What::Invariant(id)
            | What::Reset(id)
            | What::List(id)
            | What::ObjectKind(id)
            | What::Area(id)
            | What::Shape(id) => write!(f, "{kind} {id}"),
            What::Checkpoint { level: of, id }
            | What::Star { level: of, id }
            | What::Item { list: of, id }
            | What::Member { shape: of, id } => write!(f, "{kind} {id} of {of}"),
        }
    }
}

impl What {
    /// Returns what it is, in words.
    fn kind(&self) -> &'static str {
        match self {
            What::Declaration => "the declaration",
            What::Field(_) => "field",
            What::Chapter(_) => "chapter",
            What::Constant(_) => "constant",
            What::Level(_) => "level",
            What::Checkpoint { .. } => "checkpoint",
            What::Star { .. } => "star",
            What::Difficulty(_) => "difficulty",
            What::Unlock(_) => "unlock",
            What::Moment(_) => "moment",
            What::Invariant(_) => "invariant",
            What::Reset(_) => "reset",
            What::List(_) => "list",
            What::Item { .. } => "item",
            What::ObjectKind(_) => "kind",
            What::ObjectField { .. } => "field of a kind",
            What::Area(_) => "area",
            What::Shape(_) => "shape",
            What::Member { .. } => "member",
        }
    }
}

/// As people read it: `field oil: max 60 -> 40`, `level reedgate was removed; perhaps it is now reed_gate`.
impl fmt::Display for Difference {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Difference { what, change, .. } = self;
        match change {
            Change::New => write!(f, "{what} is new"),
            Change::Gone { perhaps: None } => write!(f, "{what} was removed"),
            Change::Gone { perhaps: Some(now) } => write!(f, "{what} was removed; perhaps it is now {now}"),
            Change::Order { of } => write!(f, "{what}: {of} are in another order"),
            Change::Key { key, before, now, is_stricter } => {
                let said =
                    |text: &str| if text.is_empty() { "nothing".to_string() } else { text.to_string() };
                write!(f, "{what}: {key} {} -> {}", said(before), said(now))?;
                if *is_stricter { write!(f, ", which asks for more") } else { Ok(()) }
            }
        }
    }
}

/// Returns every difference between two versions of a declaration, the most severe first, otherwise in declared
/// order.
///
/// Version numbers and texts for people (`about`, titles) are not compared.
///
/// ```
/// use keblin_schema::diff::{Class, differences};
///
/// let text = "game = 'otter'\nversion = 1\n[fields.oil]\ntype = 'int'\nscope = 'run'\nmax = 60\non_death = 'stays'\n";
/// let schema = |text: &str| keblin_schema::parse("progress.toml", text).map(|parsed| parsed.declaration);
/// let (before, now) = (schema(text)?, schema(&text.replace("60", "40"))?);
/// let found = differences(&before, &now);
/// assert_eq!(found[0].to_string(), "field oil: max 60 -> 40");
/// assert_eq!(found[0].class, Class::Shape); // a save may hold 50
/// # Ok::<(), keblin_schema::Findings>(())
/// ```
#[must_use]
pub fn differences(before: &Model, now: &Model) -> Vec<Difference> {
    let mut found = Found { before, now, list: Vec::new() };
    found.declaration();
    found.lists();
    found.shapes();
    found.fields();
    found.world();
    found.chapters();
    found.levels();
    found.unlocks();
    found.moments();
    found.invariants();
    found.resets();
    found.list.sort_by_key(|difference| difference.class);
    found.list
}

/// Returns the differences in the kinds of objects and the areas.
pub(crate) fn differences_of_the_world(before: &Model, now: &Model) -> Vec<Difference> {
    let mut found = Found { before, now, list: Vec::new() };
    found.world();
    found.list
}

/// The differences found so far.
struct Found<'s> {
    before: &'s Model,
    now: &'s Model,
    list: Vec<Difference>,
}

impl Found<'_> {
    fn add(&mut self, class: Class, what: &What, change: Change) {
        let difference = Difference { class, what: what.clone(), change };
        // So a new kind of growth is in the list, and the law of older builds is tried with it.
        debug_assert!(class != Class::Growth || GROWTHS.contains(&difference.of_and_how()), "{difference}");
        self.list.push(difference);
    }

    /// Adds a key, if its value differs.
    fn key(&mut self, class: Class, what: &What, key: &'static str, before: String, now: String) {
        if before != now {
            self.add(class, what, Change::Key { key, before, now, is_stricter: false });
        }
    }

    /// Compares the declaration as a whole.
    fn declaration(&mut self) {
        let (before, now, what) = (self.before, self.now, What::Declaration);
        let word = |is: bool, word: &str| if is { word.to_string() } else { String::new() };
        self.key(Class::Shape, &what, "game", before.game.to_string(), now.game.to_string());
        let per = |model: &Model| word(model.level_facts_per_difficulty, "difficulty");
        self.key(Class::Shape, &what, "level_facts_per", per(before), per(now));
        let said = |model: &Model| {
            let autosave: Vec<String> = model.autosave.iter().map(|at| at.text()).collect();
            let lives = model.lives.as_ref().and_then(|lives| {
                let field = model.fields.get(lives.field)?;
                Some((field.name.to_string(), lives.at_zero.as_str().to_string()))
            });
            let (field, at_zero) = lives.unwrap_or_default();
            [
                ("resume", model.resume.as_str().to_string()),
                ("checkpoint_lasts", model.checkpoint_lasts.as_str().to_string()),
                ("after_last", model.after_last.as_str().to_string()),
                ("stars_by", model.stars_by.as_str().to_string()),
                ("autosave", autosave.join(", ")),
                (
                    "summary.fields",
                    model.summary_names().map(AsRef::as_ref).collect::<Vec<&str>>().join(", "),
                ),
                ("lives.field", field),
                ("lives.at_zero", at_zero),
            ]
        };
        for ((key, before), (_, now)) in said(before).into_iter().zip(said(now)) {
            self.key(Class::Rule, &what, key, before, now);
        }
        self.names(
            &before.difficulties,
            &now.difficulties,
            "difficulties",
            &What::Declaration,
            What::Difficulty,
        );
    }
}
