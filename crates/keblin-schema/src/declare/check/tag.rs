//! The tag of a model: a number by which handles of two schemas are told apart.

use std::hash::{DefaultHasher, Hash, Hasher};

use crate::model::Model;

/// The tag of a model, of everything that it says. It holds within one program: no file and no constant has it.
pub(super) fn of(model: &Model) -> u32 {
    let Model {
        game,
        version,
        difficulties,
        level_facts_per_difficulty,
        resume,
        after_last,
        autosave,
        lives,
        lists,
        shapes,
        fields,
        levels,
        unlocks,
        moments,
        stars_by,
        cell_count,
        copied_cells,
        saved_cells,
        clock_cells,
        // These follow from the others.
        owners: _,
        following: _,
        watch: _,
        tag: _,
        index: _,
    } = model;
    let mut hasher = DefaultHasher::new();
    (game, version, difficulties, level_facts_per_difficulty, resume, after_last).hash(&mut hasher);
    (autosave, lives, lists, shapes, fields, levels, unlocks, moments, stars_by).hash(&mut hasher);
    (cell_count, copied_cells, saved_cells, clock_cells).hash(&mut hasher);
    let [a, b, c, d, ..] = hasher.finish().to_be_bytes();
    // Names that were compiled in have 0.
    u32::from_be_bytes([a, b, c, d]).max(1)
}
