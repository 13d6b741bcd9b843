//! What each section of a save contains, in order. This is the only place that lists it: the writer, both readers and
//! the page about the format go by it. A new value of a section is a [`Leaf`] and a line here.

use keblin_model::Model;
use keblin_model::model::{Again, Axis, CheckpointLasts, FieldDef, LevelDef, Scope};

use super::{PROFILE, RUN, WORLD};

/// One value of a section.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Leaf {
    /// The value of a cell.
    Cell(usize),
    /// The values of a table of best values, the best first.
    Table {
        first: usize,
        places: usize,
    },
    /// A fact of a level on a difficulty, by [`Model::fact_index`].
    Fact(FactOf, usize),
    /// Whether a star, by its position, is collected, if a save names it.
    Star {
        /// By [`Model::fact_index`].
        facts: usize,
        star: usize,
    },
    /// Whether an unlock, by its position, is unlocked and latches.
    Latched(usize),
    /// Whether a level that latches was open, by [`Model::fact_index`].
    Opened(usize),
    /// Whether a moment, by its position, was reported.
    Told(usize),
    Furthest,
    Difficulty,
    Played,
    RunDifficulty,
    Level,
    Checkpoint,
    Stay,
    /// How many objects of the world were given an id in play.
    Made,
    /// The time in play when the world was last copied, on entering the level.
    EntryAt,
    /// The time in play when the world was last copied, at a checkpoint.
    CheckpointAt,
}

keblin_model::words! {
    /// A fact of a level on a difficulty.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
    pub(crate) enum FactOf {
        Finished = "finished",
        Stars = "stars",
        Collected = "collected",
        Attempts = "attempts",
        Deaths = "deaths",
    }
}

/// A map that may be null.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Branch {
    Run,
    Visit,
    /// The entry copy: values of level and run scope on arrival.
    Entry,
    /// The checkpoint copy.
    AtCheckpoint,
    /// The last checkpoint of the run, if it is one of an earlier visit.
    SavePoint,
}

/// What a key of a map leads to.
#[derive(Clone, Debug)]
pub(crate) enum Node {
    Leaf(Leaf),
    Map(Map),
    Branch(Branch, Map),
}

/// A map of a section.
#[derive(Clone, Debug)]
pub(crate) struct Map {
    pub(crate) entries: Vec<(String, Node)>,
    /// How many of the entries, from the first, must be there; a missing other one has its default.
    pub(crate) needed: usize,
    /// Whether an unknown key is kept and written back.
    pub(crate) keeps_unknown: bool,
}

impl Map {
    /// A map with keys of this library: they are always there.
    fn fixed(entries: impl IntoIterator<Item = (String, Node)>) -> Map {
        let entries: Vec<_> = entries.into_iter().collect();
        Map { needed: entries.len(), entries, keeps_unknown: true }
    }

    /// A map with keys that a game declares: some may be from an earlier version or another build.
    fn declared(entries: impl IntoIterator<Item = (String, Node)>) -> Map {
        Map { needed: 0, ..Map::fixed(entries) }
    }

    /// The same map with an entry that is only there if it has contents.
    fn and_if_any(mut self, key: &str, inside: Map) -> Map {
        if !inside.entries.is_empty() {
            self.entries.push(map(key, inside));
        }
        self
    }

    /// The same map in a place that ignores unknown keys.
    fn leaving_out_unknown(mut self) -> Map {
        self.keeps_unknown = false;
        let inside = |node| match node {
            Node::Map(map) => Node::Map(map.leaving_out_unknown()),
            Node::Branch(branch, map) => Node::Branch(branch, map.leaving_out_unknown()),
            leaf @ Node::Leaf(_) => leaf,
        };
        self.entries = self.entries.into_iter().map(|(key, node)| (key, inside(node))).collect();
        self
    }
}

fn leaf(key: &str, leaf: Leaf) -> (String, Node) {
    (key.to_string(), Node::Leaf(leaf))
}

fn map(key: &str, map: Map) -> (String, Node) {
    (key.to_string(), Node::Map(map))
}

fn branch(key: &str, branch: Branch, map: Map) -> (String, Node) {
    (key.to_string(), Node::Branch(branch, map))
}

/// A section, and what it contains.
#[derive(Clone, Debug)]
pub(crate) struct Listed {
    pub(crate) name: String,
    /// Whether every save of a slot has it. The section of a group is newer than some saves.
    pub(crate) needed: bool,
    pub(crate) map: Map,
}

/// Returns the sections of a slot: the profile, the run, for each of them the values of each group, and what is known of
/// the world apart from its areas.
pub(crate) fn slot(model: &Model) -> Vec<Listed> {
    let whole = |name: &str, map| Listed { name: name.to_string(), needed: true, map };
    let parts = [(PROFILE, &[Scope::Profile][..]), (RUN, &[Scope::Level, Scope::Run])];
    let groups = parts.into_iter().flat_map(|(part, scopes)| {
        let fields = model.by_group(|field| is_listed(field, scopes));
        let groups = fields.filter_map(|(group, _)| Some(&group?.name));
        groups.map(move |group| Listed {
            name: format!("{part}.{group}"),
            needed: false,
            map: fields_of(model, |field| {
                is_listed(field, scopes) && model.group_of(field).is_some_and(|of| of.name == *group)
            }),
        })
    });
    let world = (!model.object_kinds.is_empty()).then(|| Listed {
        name: WORLD.to_string(),
        needed: false,
        map: world(model),
    });
    [whole(PROFILE, profile(model)), whole(RUN, run(model))].into_iter().chain(groups).chain(world).collect()
}

/// Returns the map of the world section. When the copies were taken matters only to kinds that ask for the time away.
fn world(model: &Model) -> Map {
    let mut map = Map::fixed([leaf("made", Leaf::Made)]);
    if model.object_kinds.iter().any(|kind| kind.time_away) {
        // A save may be from before a kind asked.
        map.entries.extend([leaf("entry_at", Leaf::EntryAt), leaf("checkpoint_at", Leaf::CheckpointAt)]);
    }
    map
}

/// Returns the map of the profile section.
fn profile(model: &Model) -> Map {
    let latches = |level: usize| model.levels.get(level).is_some_and(|level| level.latch);
    let latched = model.unlocks.iter().enumerate();
    let latched = latched.map(|(index, unlock)| leaf(unlock.name.as_str(), Leaf::Latched(index)));
    Map::fixed([
        leaf("furthest", Leaf::Furthest),
        leaf("difficulty", Leaf::Difficulty),
        leaf("played", Leaf::Played),
        map("fields", without_group(model, &[Scope::Profile])),
        map("unlocked", Map::declared(latched)),
        map("told", told(model, &[Again::Profile])),
        map("levels", levels(model, |_| true, |facts, _| Node::Map(self::facts(facts)))),
    ])
    // After the facts, which it adds to.
    .and_if_any("collected", levels(model, |level| model.collects_by_id(level), stars))
    .and_if_any("opened", levels(model, latches, |facts, _| Node::Leaf(Leaf::Opened(facts))))
}

/// Returns the map of the run section.
fn run(model: &Model) -> Map {
    let scopes = [Scope::Level, Scope::Run];
    // The copies have the values of groups too: they belong to the visit.
    let values = || fields(model, &scopes);
    let visit = Map::fixed([
        leaf("level", Leaf::Level),
        // After its level, which is needed to look it up.
        leaf("checkpoint", Leaf::Checkpoint),
        leaf("stay", Leaf::Stay),
        branch("entry", Branch::Entry, values()),
        branch("at_checkpoint", Branch::AtCheckpoint, values()),
    ]);
    let mut run = Map::fixed([
        map("told", told(model, &[Again::Level, Again::Run])),
        leaf("difficulty", Leaf::RunDifficulty),
        branch("visit", Branch::Visit, visit.clone().leaving_out_unknown()),
    ]);
    if model.checkpoint_lasts == CheckpointLasts::Run {
        run.entries.push(branch("save_point", Branch::SavePoint, visit.leaving_out_unknown()));
    }
    Map::fixed([map("fields", without_group(model, &scopes)), branch("run", Branch::Run, run)])
}

/// Returns the map of a device file.
pub(crate) fn device(model: &Model) -> Map {
    fields(model, &[Scope::Device])
}

/// Lists the moments that are reported once per one of some scopes.
fn told(model: &Model, once_in: &[Again]) -> Map {
    let moments = model.moments.iter().enumerate().filter(|(_, moment)| once_in.contains(&moment.again));
    Map::declared(moments.map(|(index, moment)| leaf(moment.name.as_str(), Leaf::Told(index))))
}

/// Returns whether a save has the values of a field, among those of some scopes.
fn is_listed(field: &FieldDef, scopes: &[Scope]) -> bool {
    field.durable && scopes.contains(&field.scope)
}

/// Lists the values of all fields of some scopes.
fn fields(model: &Model, scopes: &[Scope]) -> Map {
    fields_of(model, |field| is_listed(field, scopes))
}

/// Lists the values of the fields of some scopes that are not in a group.
fn without_group(model: &Model, scopes: &[Scope]) -> Map {
    fields_of(model, |field| field.group.is_none() && is_listed(field, scopes))
}

/// Lists the values of some fields: plain, or nested by the ids of their axes.
fn fields_of(model: &Model, are_these: impl Fn(&FieldDef) -> bool) -> Map {
    let fields = model.fields.iter().filter(|field| are_these(field));
    Map::declared(fields.map(|field| {
        let node = nested(model, field, &field.per, field.cells.start);
        (field.name.to_string(), node)
    }))
}

/// Lists the values of one field below some of its axes, from a cell on.
fn nested(model: &Model, field: &FieldDef, axes: &[Axis], first: usize) -> Node {
    let Some((axis, inner)) = axes.split_first() else {
        return Node::Leaf(match field.places {
            1 => Leaf::Cell(first),
            places => Leaf::Table { first, places },
        });
    };
    let stride = inner.iter().map(|axis| model.axis_len(*axis)).product::<usize>() * field.places;
    let nodes = model.axis_ids(*axis).enumerate().map(|(index, id)| {
        let node = nested(model, field, inner, first + index * stride);
        (id.to_string(), node)
    });
    Node::Map(Map::declared(nodes))
}

/// Lists something about some levels, nested by difficulty if facts are kept per difficulty. `inside` takes the
/// position of the facts and the level.
fn levels(
    model: &Model,
    is_listed: impl Fn(usize) -> bool,
    inside: impl Fn(usize, &LevelDef) -> Node,
) -> Map {
    let levels = model.levels.iter().enumerate().filter(|(level, _)| is_listed(*level));
    let levels = levels.map(|(level, def)| {
        let on = |difficulty| inside(model.fact_index(level, difficulty), def);
        let inside = if model.level_facts_per_difficulty {
            let difficulties = model.difficulties.iter().enumerate();
            Node::Map(Map::declared(difficulties.map(|(at, id)| (id.to_string(), on(at)))))
        } else {
            on(0)
        };
        (def.name.to_string(), inside)
    });
    Map::declared(levels)
}

/// Lists the stars of a level by their ids.
fn stars(facts: usize, level: &LevelDef) -> Node {
    let stars = level.star_ids.iter().enumerate();
    Node::Map(Map::declared(stars.map(|(star, id)| leaf(id.as_str(), Leaf::Star { facts, star }))))
}

/// Lists the facts of a level, or of a level on a difficulty.
pub(crate) fn facts(index: usize) -> Map {
    Map::fixed(FactOf::ALL.iter().map(|fact| leaf(fact.as_str(), Leaf::Fact(*fact, index))))
}
