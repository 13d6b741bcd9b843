//! The tag of a model: a number that tells handles of two schemas apart.

use std::hash::{DefaultHasher, Hash, Hasher};

use crate::model::Model;

/// Returns the tag of a model, made from everything it says. It is valid within one program: no file or constant
/// contains it.
pub(super) fn of(model: &Model) -> u32 {
    let Model {
        game,
        version,
        difficulties,
        level_facts_per_difficulty,
        resume,
        checkpoint_lasts,
        after_last,
        autosave,
        lives,
        lists,
        shapes,
        fields,
        groups,
        chapters,
        constants,
        levels,
        unlocks,
        moments,
        invariants,
        resets,
        summary,
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
    (game, version, difficulties, level_facts_per_difficulty, resume, checkpoint_lasts, after_last)
        .hash(&mut hasher);
    (autosave, lives, lists, shapes, fields, groups, chapters, constants).hash(&mut hasher);
    (levels, unlocks, moments, invariants, resets, summary, stars_by).hash(&mut hasher);
    (cell_count, copied_cells, saved_cells, clock_cells).hash(&mut hasher);
    let [a, b, c, d, ..] = hasher.finish().to_be_bytes();
    // Compiled names have 0.
    u32::from_be_bytes([a, b, c, d]).max(1)
}
