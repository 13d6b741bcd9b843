//! Steps as data: how the saves of one version become those of the next. `keblin-schema` reads them from text, and
//! `keblin::migrate` applies them.

use crate::model::Axis;
use crate::program::{Fact, Program, Type};
use crate::text::time::Time;
use crate::value::Value;

/// How saves of one version become saves of the next. Positions are those of the two models. Each list is in the
/// order of the new version, and holds the position in the old version; `None` if it is new.
#[derive(Clone, Debug, PartialEq)]
pub struct Step {
    /// The new version.
    pub to: u32,
    /// The levels.
    pub levels: Vec<Option<usize>>,
    /// The checkpoints of each level.
    pub checkpoints: Vec<Vec<Option<usize>>>,
    /// The stars of each level.
    pub stars: Vec<Vec<Option<usize>>>,
    /// The difficulties.
    pub difficulties: Vec<Option<usize>>,
    /// The moments.
    pub moments: Vec<Option<usize>>,
    /// The unlocks.
    pub unlocks: Vec<UnlockStep>,
    /// The closed lists.
    pub lists: Vec<PartsStep>,
    /// The shapes.
    pub shapes: Vec<ShapeStep>,
    /// The kinds of objects, with their fields as members.
    pub kinds: Vec<ShapeStep>,
    /// The areas, if they have ids of their own; those of a grid stay.
    pub areas: Vec<Option<usize>>,
    /// The fields.
    pub fields: Vec<FieldStep>,
    /// The facts of levels.
    pub facts: FactsStep,
}

/// The old positions of a list and its items.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct PartsStep {
    /// The list itself.
    pub from: Option<usize>,
    /// Its items.
    pub parts: Vec<Option<usize>>,
}

/// The old positions of a shape and its members.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ShapeStep {
    /// The shape itself.
    pub from: Option<usize>,
    /// Its members.
    pub members: Vec<MemberStep>,
    /// For a kind of objects that is split from an old one: that kind, and which of its objects are of this one.
    pub out_of: Option<(usize, Program)>,
}

/// Where the values of a member of a shape come from.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct MemberStep {
    /// The old member.
    pub from: Option<usize>,
    /// What to do with a value that does not fit.
    pub misfit: Misfit,
    /// For a field of a kind of objects: what one old unit is now.
    pub scale: Option<Scale>,
    /// For a field of a kind of objects: an expression over the old fields of the object, whose cells are their positions.
    pub fill: Option<(Program, Type)>,
}

impl MemberStep {
    /// Returns a step that keeps the values of an old member.
    #[must_use]
    pub fn from(from: Option<usize>) -> MemberStep {
        MemberStep { from, ..MemberStep::default() }
    }
}

/// Where an unlock comes from.
#[derive(Clone, Debug, PartialEq)]
pub struct UnlockStep {
    /// The old unlock.
    pub from: Option<usize>,
    /// A condition over the old values that unlocks it.
    pub fill: Option<Program>,
}

/// Where the values of a field come from.
#[derive(Clone, Debug, PartialEq)]
pub enum FieldStep {
    /// From nowhere: they get their defaults.
    AsDeclared,
    /// From an old field.
    Carried(Box<Carrying>),
    /// From an expression over the old values: one for each of the field's values, in the order of its places.
    Filled(Vec<(Program, Type)>),
    /// From the game's own code.
    ByCode,
}

/// How the values of a field are converted.
#[derive(Clone, Debug, PartialEq)]
pub struct Carrying {
    /// The old field.
    pub from: usize,
    /// For each new axis, the place that the old values go to.
    pub at: Vec<(Axis, usize)>,
    /// For each removed axis, as an old axis, the place that is taken.
    pub take: Vec<(Axis, Take)>,
    /// What one old unit is now.
    pub scale: Option<Scale>,
    /// Old values that are replaced by new ones.
    pub values: Vec<(Value, Value)>,
    /// What to do with a value that does not fit.
    pub misfit: Misfit,
}

impl Carrying {
    /// Returns a conversion that keeps the values of a field; a value that does not fit becomes the nearest one that
    /// does.
    #[must_use]
    pub fn plainly(from: usize) -> Carrying {
        let misfit = Misfit::Nearest;
        Carrying { from, at: Vec::new(), take: Vec::new(), scale: None, values: Vec::new(), misfit }
    }
}

/// What is taken from a removed axis.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Take {
    /// One place.
    One(usize),
    /// All of them, combined by the keep rule.
    All,
}

/// What one old unit is now.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Scale {
    /// This many new ones.
    By(f64),
    /// A number becomes a time: 1 is this long.
    ToTime(Time),
    /// A time becomes a number: this long is 1.
    FromTime(Time),
}

crate::words! {
    /// What to do with a value that does not fit. A step need not say it if every value of the old version fits. A
    /// value that did not fit the old version either becomes the nearest one, as opening it in that version would do;
    /// it does not cost the player the save.
    #[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
    pub enum Misfit {
        /// It becomes the nearest value that fits: its bound, or the start of a text.
        #[default]
        Nearest = "nearest",
        /// It gets the default.
        Default = "default",
        /// The save is not migrated, and left untouched.
        Refuse = "refuse",
    }
}

/// Where the facts of levels come from.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct FactsStep {
    /// If they are now kept per difficulty: the difficulty that the old facts belong to.
    pub at: Option<usize>,
    /// If they no longer are: which facts are taken.
    pub take: Option<Take>,
    /// Expressions over the old values, each for a fact, by its position among the facts.
    pub fills: Vec<(Fact, usize, Program)>,
}
