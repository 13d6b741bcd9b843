//! `keblin why`: explains why a level or an unlock is locked, or what a finding code means.

use std::path::Path;

use keblin::name::nearest;
use keblin::progress::{Asks, Standing};
use keblin::{Code, Difficulty, Progress, Schema, verify};
use serde_json::{Value as Json, json};

use super::pages::page;
use crate::args::Args;
use crate::out::{Console, Tone, cell, json, shown};
use crate::{Outcome, Trouble, files};

/// What was asked about, and its state.
struct Answer {
    kind: &'static str,
    title: String,
    open: bool,
    parts: Vec<Standing>,
}

pub(crate) fn run(
    console: &mut Console<'_>,
    args: &Args,
    what: &str,
    on: Option<&str>,
    save: Option<&Path>,
) -> Result<Outcome, Trouble> {
    if let Some(code) = Code::ALL.iter().copied().find(|code| code.as_str() == what) {
        return explain(console, code);
    }
    let schema = files::schema(args, save.as_slice())?;
    let progress = match save {
        None => Progress::new(std::sync::Arc::clone(&schema)),
        Some(file) => {
            let told = |error| Trouble::Told(format!("{}: {error}", shown(file)));
            verify::verify(&files::save(file)?, &schema).map_err(told)?.into_progress()
        }
    };
    let difficulty = match on {
        None => progress.difficulty(),
        Some(name) => Some(schema.difficulty(name).map_err(|error| Trouble::Told(error.to_string()))?),
    };
    let answer = answer(&progress, what, difficulty).ok_or_else(|| unknown(&schema, what))?;
    let name = difficulty.and_then(|difficulty| schema.difficulties.get(difficulty.index()));
    // Unlocks have no current difficulty.
    let name = name.filter(|_| answer.kind == "level" && schema.level_facts_per_difficulty);
    if console.json {
        let parts: Vec<Json> = answer.parts.iter().map(|part| json::standing(&schema, part)).collect();
        console.json_object(&json!({
            "what": what,
            "kind": answer.kind,
            "difficulty": name.map(|name| name.as_str()),
            "open": answer.open,
            "parts": parts,
        }))?;
    } else {
        text(console, &schema, &answer, name.map(|name| name.as_str()))?;
    }
    Ok(if answer.open { Outcome::Fine } else { Outcome::Findings })
}

fn answer(progress: &Progress, what: &str, difficulty: Option<Difficulty>) -> Option<Answer> {
    let schema = progress.schema();
    if let Ok(level) = schema.level(what) {
        let title = schema.levels.get(level.index())?.title.clone();
        let (open, parts) = (progress.is_open(level, difficulty), progress.why_locked(level, difficulty));
        return Some(Answer { kind: "level", title, open, parts });
    }
    let unlock = schema.unlock(what).ok()?;
    let title = schema.unlocks.get(unlock.index())?.title.clone();
    let (open, parts) = (progress.is_unlocked(unlock), progress.why_not_unlocked(unlock));
    Some(Answer { kind: "unlock", title, open, parts })
}

fn unknown(schema: &Schema, what: &str) -> Trouble {
    let levels = schema.levels.iter().map(|level| level.name.as_str());
    let unlocks = schema.unlocks.iter().map(|unlock| unlock.name.as_str());
    let codes = Code::ALL.iter().map(|code| code.as_str());
    let nearest = nearest(what, levels.chain(unlocks).chain(codes));
    let meant = nearest.map_or(String::new(), |nearest| format!("; did you mean `{nearest}`?"));
    Trouble::Told(format!("`{what}` is not a level, an unlock or a finding code{meant}"))
}

fn text(
    console: &mut Console<'_>,
    schema: &Schema,
    answer: &Answer,
    on: Option<&str>,
) -> Result<(), Trouble> {
    let Answer { title, open, parts, .. } = answer;
    let on = on.map_or(String::new(), |on| format!(" on {on}"));
    let word = if *open { console.toned(Tone::Good, "open") } else { console.toned(Tone::Bad, "locked") };
    let title = console.toned(Tone::Heading, title);
    console.line(&format!("{title}{on}: {word}"))?;
    if parts.is_empty() {
        console.line("  it has no lock")?;
        return Ok(());
    }
    let mut table = console.new_table();
    for part in parts {
        let (mark, tone) = if part.met { ("met", Tone::Good) } else { ("missing", Tone::Bad) };
        table.add_row([cell(tone, mark), crate::out::plain(asked(schema, part))]);
    }
    console.table(&table)?;
    Ok(())
}

/// What a part asks for, whether it is met or not.
fn asked(schema: &Schema, part: &Standing) -> String {
    match &part.asks {
        Asks::Finish { level, difficulty } => {
            let title = schema.levels.get(level.index()).map_or("?", |level| level.title.as_str());
            let on = difficulty.and_then(|difficulty| schema.difficulties.get(difficulty.index()));
            format!("finish {title}{}", on.map_or(String::new(), |on| format!(" on {on}")))
        }
        Asks::Unlock(unlock) => {
            let title = schema.unlocks.get(unlock.index()).map_or("?", |unlock| unlock.title.as_str());
            format!("unlock {title}")
        }
        Asks::Condition(source) => source.clone(),
        _ => part.text(schema),
    }
}

fn explain(console: &mut Console<'_>, code: Code) -> Result<Outcome, Trouble> {
    let page = page(code);
    if console.json {
        console.json_object(&json!({
            "code": code.as_str(),
            "what": page.what,
            "why": page.why,
            "wrong": page.wrong,
            "right": page.right,
        }))?;
        return Ok(Outcome::Fine);
    }
    let heading = console.toned(Tone::Heading, code.as_str());
    console.paragraph(&format!("{heading}: {}", page.what), "  ")?;
    console.blank()?;
    console.paragraph(page.why, "")?;
    for (word, tone, example) in [("wrong", Tone::Bad, page.wrong), ("right", Tone::Good, page.right)] {
        console.blank()?;
        let word = console.toned(tone, word);
        console.line(&word)?;
        for line in example.lines() {
            console.line(&format!("    {line}"))?;
        }
    }
    Ok(Outcome::Fine)
}
