//! Levels and unlocks as tables: checkpoints, stars and rules, and with a save how far the player is.

use keblin::model::LevelDef;
use keblin::{Difficulty, Progress, Schema};
use maud::{Markup, html};

use super::graph::Thing;
use super::states::{State, States, stars_of};
use super::words::{anchor, safe, table};

/// A player's states on one difficulty.
pub(super) struct OnDifficulty<'p> {
    progress: &'p Progress,
    difficulty: Option<Difficulty>,
    /// The name of the difficulty, if levels are kept for each.
    name: Option<String>,
    states: States,
}

impl<'p> OnDifficulty<'p> {
    /// Returns the states for each difficulty for which levels are kept.
    pub(super) fn all(progress: &'p Progress) -> Vec<OnDifficulty<'p>> {
        let schema = progress.schema();
        let named = schema.difficulties.iter().enumerate();
        let named: Vec<_> = named
            .filter(|_| schema.level_facts_per_difficulty)
            .map(|(index, name)| (schema.difficulty_at(index), Some(name.to_string())))
            .collect();
        let all = if named.is_empty() { vec![(None, None)] } else { named };
        let of = |(difficulty, name)| OnDifficulty {
            progress,
            difficulty,
            name,
            states: States::of_player(progress, difficulty),
        };
        all.into_iter().map(of).collect()
    }
}

pub(super) fn levels(schema: &Schema, player: &[OnDifficulty<'_>]) -> Markup {
    let constants = schema.constants.iter().map(|constant| constant.name.as_str());
    let names: Vec<String> = player
        .iter()
        .map(|on| on.name.as_deref().map_or_else(|| "player".to_string(), |name| format!("player, {name}")))
        .collect();
    let heads: Vec<&str> = ["", "level", "checkpoints", "stars"]
        .into_iter()
        .chain(names.iter().map(String::as_str))
        .chain(constants)
        .chain(["opens if"])
        .collect();
    let columns = heads.len().to_string();
    let chapters = std::iter::once(None).chain((0..schema.chapters.len()).map(Some));
    let rows = html! {
        @for chapter in chapters {
            @let of: Vec<_> = schema.levels.iter().enumerate().filter(|(_, level)| level.chapter == chapter).collect();
            @if !of.is_empty() {
                tbody {
                    @if let Some(chapter) = chapter.and_then(|at| schema.chapters.get(at)) {
                        tr.group {
                            th scope="rowgroup" colspan=(columns) {
                                (safe(&chapter.title))
                                @if let Some(rule) = &chapter.unlock { " opens if " code { (safe(rule.program.source())) } }
                            }
                        }
                    }
                    @for (index, level) in of { (row(schema, index, level, player)) }
                }
            }
        }
    };
    table("Levels", &heads, &rows)
}

fn row(schema: &Schema, index: usize, level: &LevelDef, player: &[OnDifficulty<'_>]) -> Markup {
    let place = schema.level_place(index).map_or("–".to_string(), |place| place.to_string());
    let checkpoints: Vec<&str> = level.checkpoints.iter().map(|checkpoint| checkpoint.as_str()).collect();
    html! {
        tr id=(anchor(schema, Thing::Level(index))) {
            td.number { (place) }
            th scope="row" {
                (safe(&level.title))
                @if level.title != level.name.as_str() { " " code { (level.name) } }
            }
            td { (checkpoints.join(", ")) }
            td {
                @if level.stars > 0 { (level.stars) }
                @if !level.star_rules.is_empty() {
                    ol.stars { @for rule in &level.star_rules { li { code { (safe(rule.program.source())) } } } }
                }
            }
            @for on in player { td { (state(on, index, level)) } }
            @for value in &level.constants { td { (safe(value.to_string())) } }
            td {
                @if let Some(rule) = &level.unlock { code { (safe(rule.program.source())) } }
                @else { span.same { "open from the start" } }
                @if level.latch { " (stays open)" }
            }
        }
    }
}

fn state(on: &OnDifficulty<'_>, index: usize, level: &LevelDef) -> Markup {
    let Some(state) = on.states.of(Thing::Level(index)) else { return Markup::default() };
    let handle = on.progress.schema().level_at(index);
    let facts = handle.map(|level| on.progress.facts(level, on.difficulty)).unwrap_or_default();
    html! {
        span.state.(state.class()) { (state.mark()) " " (state.text()) }
        @if level.stars > 0 && !matches!(state, State::Locked { .. }) {
            " " span.rating title={ (facts.stars) " of " (level.stars) " stars" } { (stars_of(facts.stars, level.stars)) }
        }
        @if facts.attempts > 0 {
            br; span.about { (times(facts.attempts, "try", "tries")) ", " (times(facts.deaths, "death", "deaths")) }
        }
    }
}

/// `1 try`, `2 tries`
fn times(count: u64, one: &str, many: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { many })
}

pub(super) fn unlocks(schema: &Schema, player: Option<&OnDifficulty<'_>>) -> Markup {
    let heads: Vec<&str> =
        ["unlock"].into_iter().chain(player.map(|_| "player")).chain(["opens if"]).collect();
    let rows = html! {
        tbody {
            @for (index, unlock) in schema.unlocks.iter().enumerate() {
                tr id=(anchor(schema, Thing::Unlock(index))) {
                    th scope="row" {
                        (safe(&unlock.title))
                        @if unlock.title != unlock.name.as_str() { " " code { (unlock.name) } }
                    }
                    @if let Some(state) = player.and_then(|on| on.states.of(Thing::Unlock(index))) {
                        td { span.state.(state.class()) { (state.mark()) " " (state.text()) } }
                    }
                    td {
                        @if let Some(rule) = &unlock.when { code { (safe(rule.program.source())) } }
                        @for (field, cost) in &unlock.costs {
                            " costs " (safe(cost.to_string())) " "
                            (schema.fields.get(*field).map_or("", |field| field.name.as_str()))
                        }
                        @if unlock.latch { " (stays unlocked)" }
                    }
                }
            }
        }
    };
    table("Unlocks", &heads, &rows)
}

/// Returns the states on the difficulty of the player's run, or on the first one, with the name of the difficulty.
pub(super) fn states_of_run<'o>(player: &'o [OnDifficulty<'_>]) -> Option<(&'o States, Option<&'o str>)> {
    let of_run =
        |on: &&OnDifficulty<'_>| on.difficulty.is_some() && on.progress.difficulty() == on.difficulty;
    let on = player.iter().find(of_run).or(player.first())?;
    Some((&on.states, on.name.as_deref()))
}
