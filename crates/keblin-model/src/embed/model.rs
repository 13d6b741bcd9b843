//! Models, as the bytes of a declaration.

use minicbor::{Decoder, Encoder};

use super::{Embed, enums, listed, structs, tag};
use crate::model::{
    AfterLast, Again, AreaDef, Areas, AtZero, Axis, Bound, ChapterDef, CheckpointLasts, CheckpointOrder,
    ConstantDef, Feed, FeedAt, FieldDef, GroupDef, Index, InvariantDef, Items, LevelDef, Limits, ListDef,
    Lives, MemberDef, Model, MomentDef, ObjectKindDef, OnDeath, OnReset, OnRetry, ResetDef, ResetLevels,
    ResetPart, Resume, Rule, RuleAsks, RuleId, RulePart, SaveAt, Scope, ShapeDef, StarsBy, Survival,
    Threshold, UnlockDef, Watch, With,
};

listed! {
    AfterLast Again AtZero CheckpointLasts CheckpointOrder FeedAt OnDeath OnReset OnRetry Resume Scope StarsBy
}

structs! {
    Feed { from, at }
    With { shape, from }
    FieldDef {
        name, about, kind, scope, default, min, max, max_len, items, places, keep, feed, with, group, per, durable,
        counts_playing, survival, says_on_death, cells,
    }
    Lives { field, at_zero }
    UnlockDef { name, title, when, latch, costs }
    ChapterDef { name, title, unlock }
    ConstantDef { name, about, kind, default }
    LevelDef {
        name, title, checkpoints, checkpoint_order, stars, star_rules, star_ids, unlock, lock, latch, chapter, counted,
        next, constants,
    }
    MomentDef { name, about, when, again }
    InvariantDef { name, about, holds }
    GroupDef { name, title }
    ResetDef { name, title, parts, keeps }
    Rule { program, parts }
    RulePart { asks, program }
    Threshold { held, comparison, needed, is_stars, of_chapter, kind }
    Limits { min, max, max_len }
    Items { of, key, limits, max_items }
    ShapeDef { name, members }
    MemberDef { name, about, kind, default, limits, items }
    Survival { on_death, on_retry, on_level, on_new_run }
    Watch { cells, facts, all_levels, words, played, unlocks }
    ListDef { name, items }
    ObjectKindDef { name, about, on_death, on_retry, on_new_run, time_away, fields }
    AreaDef { name, title, kinds }
}

enums! {
    Bound { 0 Fixed(value), 1 Follows(program) }
    SaveAt {
        0 Begin, 1 Enter, 2 Checkpoint, 3 Death, 4 Retry, 5 Finish, 6 Leave, 7 RunEnd, 8 Change, 9 ChangeEvery(time),
        10 Every(time),
    }
    ResetPart {
        0 Facts(levels, fact), 1 Levels(levels), 2 FieldAt(levels, field), 3 Fields, 4 Field(field), 5 Group(group),
        6 Unlocks, 7 Unlock(unlock), 8 Moments, 9 Moment(moment), 10 Played, 11 Run,
    }
    ResetLevels { 0 All, 1 One(level), 2 Chapter(chapter) }
    RuleAsks { 0 Finished { level, on }, 1 Unlocked(unlock), 2 Number(threshold), 3 Other }
    RuleId { 0 Bounds(at), 1 Lock(at), 2 Unlock(at), 3 Moment(at), 4 Invariant(at) }
    Areas { 0 Named(areas), 1 Grid(size) }
    Axis { 0 Level, 1 Difficulty, 2 List(list) }
}

/// A model: its fields in order, without those that are made again from the others.
macro_rules! model {
    ($($field:ident)*) => {
        impl Embed for Model {
            fn write(&self, to: &mut Encoder<Vec<u8>>) {
                let Model { $($field,)* tag: _, index: _ } = self;
                $($field.write(to);)*
            }

            fn read(from: &mut Decoder<'_>) -> Option<Model> {
                let start = from.position();
                let mut model = Model {
                    $($field: Embed::read(from)?,)*
                    tag: 0,
                    index: Index::default(),
                };
                model.tag = tag(from.input().get(start..from.position())?);
                model.index = Index::of(&model);
                Some(model)
            }
        }
    };
}

model! {
    game version difficulties level_facts_per_difficulty resume checkpoint_lasts after_last autosave lives lists
    shapes fields groups object_kinds areas chapters constants levels unlocks moments invariants resets summary stars_by cell_count
    copied_cells saved_cells clock_cells owners following watch
}
