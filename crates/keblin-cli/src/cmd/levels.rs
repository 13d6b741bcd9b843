//! `keblin levels`: prints what each level comes to: its chapter, place, stars, constants and rule.

use comfy_table::Cell;
use keblin::Schema;
use keblin::model::{LevelDef, Rule};
use serde_json::{Map, Value as Json, json};

use crate::args::Args;
use crate::out::{Console, Tone, cell, counted, json, plain};
use crate::{Outcome, Trouble, files};

pub(crate) fn run(console: &mut Console<'_>, args: &Args) -> Result<Outcome, Trouble> {
    let schema = files::schema(args, &[])?;
    if console.json {
        console.json_object(&as_json(&schema))?;
        return Ok(Outcome::Fine);
    }
    let heading = format!("The levels of {}, version {}", schema.game, schema.version);
    let heading = console.toned(Tone::Heading, &heading);
    console.line(&heading)?;
    console.blank()?;
    let mut table = console.new_table();
    let has_next = schema.levels.iter().any(|level| level.next.is_some());
    let constants = schema.constants.iter().map(|constant| constant.name.as_str());
    let heads: Vec<&str> = ["", "level", "stars"]
        .into_iter()
        .chain(constants)
        .chain(["opens if"])
        .chain(has_next.then_some("next"))
        .collect();
    table.set_header(heads.iter().map(|head| cell(Tone::Quiet, head)));
    let mut chapter = None;
    for (index, level) in schema.levels.iter().enumerate() {
        if level.chapter != chapter {
            chapter = level.chapter;
            table.add_row(chapter_row(&schema, chapter, heads.len()));
        }
        let next = has_next.then(|| plain(next_text(&schema, level)));
        table.add_row(row(&schema, index, level).into_iter().chain(next));
    }
    console.table(&table)?;
    console.blank()?;
    let many = counted(schema.counted(None).count(), "level");
    let stars: u64 =
        schema.counted(None).filter_map(|at| schema.levels.get(at)).map(|level| u64::from(level.stars)).sum();
    let others = schema.levels.len() - schema.counted(None).count();
    let others = match others {
        0 => String::new(),
        1 => "; 1 more does not count".to_string(),
        many => format!("; {many} more do not count"),
    };
    console.paragraph(&format!("{many} with {}{others}", counted_stars(stars)), "  ")?;
    Ok(Outcome::Fine)
}

fn counted_stars(stars: u64) -> String {
    counted(usize::try_from(stars).unwrap_or(usize::MAX), "star")
}

/// The heading of a chapter, with its rule where the rules of levels are.
fn chapter_row(schema: &Schema, chapter: Option<usize>, columns: usize) -> Vec<Cell> {
    let def = chapter.and_then(|at| schema.chapters.get(at));
    let title = def.map_or("no chapter", |chapter| &chapter.title);
    let stars =
        schema.counted(chapter).filter_map(|at| schema.levels.get(at)).map(|level| u64::from(level.stars));
    let stars = if def.is_some() { stars.sum::<u64>().to_string() } else { String::new() };
    let rule = def.and_then(|chapter| chapter.unlock.as_ref()).map_or("", source);
    let before = [plain(""), cell(Tone::Heading, title), cell(Tone::Quiet, &stars)];
    let constants = (0..schema.constants.len()).map(|_| plain(""));
    let all = before.into_iter().chain(constants).chain([cell(Tone::Quiet, rule)]);
    all.chain(std::iter::repeat_with(|| plain(""))).take(columns).collect()
}

fn row(schema: &Schema, index: usize, level: &LevelDef) -> Vec<Cell> {
    let width = schema.levels.len().to_string().len();
    let place = schema.level_place(index).map_or("-".to_string(), |place| place.to_string());
    let place = format!("{place:>width$}");
    let stars = if level.stars == 0 { String::new() } else { level.stars.to_string() };
    let constants = schema.constants.iter().zip(&level.constants).map(|(constant, value)| {
        let tone = if *value == constant.default { Tone::Quiet } else { Tone::Name };
        cell(tone, &value.to_string())
    });
    let opens = level.unlock.as_ref().map_or("", source);
    [cell(Tone::Quiet, &place), plain(&level.name), plain(stars)]
        .into_iter()
        .chain(constants)
        .chain([plain(opens)])
        .collect()
}

fn source(rule: &Rule) -> &str {
    rule.program.source()
}

fn next_ids<'s>(schema: &'s Schema, level: &'s LevelDef) -> impl Iterator<Item = &'s str> {
    let named = level.next.iter().flatten();
    named.filter_map(|at| schema.levels.get(*at)).map(|level| level.name.as_str())
}

/// The levels that a level names as next; nothing if the order says it.
fn next_text(schema: &Schema, level: &LevelDef) -> String {
    match &level.next {
        Some(next) if next.is_empty() => "none".to_string(),
        _ => next_ids(schema, level).collect::<Vec<_>>().join(", "),
    }
}

fn as_json(schema: &Schema) -> Json {
    let chapters = schema.chapters.iter().enumerate().map(|(index, chapter)| {
        json!({
            "id": chapter.name.as_str(),
            "title": chapter.title,
            "unlock": chapter.unlock.as_ref().map(source),
            "levels": schema.counted(Some(index)).count(),
        })
    });
    let levels = schema.levels.iter().enumerate().map(|(index, level)| {
        let chapter = level.chapter.and_then(|at| schema.chapters.get(at));
        let constants = schema.constants.iter().zip(&level.constants);
        let constants: Map<String, Json> =
            constants.map(|(constant, value)| (constant.name.to_string(), json::value(value))).collect();
        json!({
            "id": level.name.as_str(),
            "title": level.title,
            "chapter": chapter.map(|chapter| chapter.name.as_str()),
            "place": schema.level_place(index),
            "stars": level.stars,
            "checkpoints": level.checkpoints.iter().map(AsRef::as_ref).collect::<Vec<&str>>(),
            "unlock": level.unlock.as_ref().map(source),
            "next": schema.levels_after(index).iter().filter_map(|at| schema.levels.get(*at)).map(|level| level.name.as_str()).collect::<Vec<_>>(),
            "constants": constants,
        })
    });
    json!({
        "game": schema.game.as_str(),
        "version": schema.version,
        "chapters": chapters.collect::<Vec<_>>(),
        "levels": levels.collect::<Vec<_>>(),
    })
}
