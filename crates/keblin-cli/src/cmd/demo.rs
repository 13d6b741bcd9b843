//! `keblin demo`: plays The Fen Post in a temporary folder, through the library as a game would, and explains each
//! step. Nothing is written anywhere else.

use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use keblin::progress::{Death, Entered, Finished};
use keblin::store::{Opened, Origin, Slot};
use keblin::{
    Checkpoint, Difficulty, Field, Level, LookupError, Progress, Refused, SaveDir, Schema, Time, Value,
};

use super::{survival, verify};
use crate::out::{Console, Tone};
use crate::{Outcome, Trouble};

/// The demo's declaration, built in so that the demo runs wherever the tool is.
const DECLARATION: &str = include_str!("../../../../demo/progress.toml");

/// The width of the column for what the game does, before the column for the result.
const LABEL_COLUMNS: usize = 27;

/// The names that a game looks up once at start.
struct Names {
    neap: Difficulty,
    spring: Difficulty,
    reedgate: Level,
    long_mere: Level,
    heron_holm: Level,
    osier: Checkpoint,
    letters: Field<i64>,
    oil: Field<i64>,
    boats: Field<i64>,
    best_letters: Field<Option<i64>>,
    best_at_reedgate: Field<Option<Time>>,
}

impl Names {
    fn look_up(schema: &Schema) -> Result<Names, LookupError> {
        let (neap, reedgate) = (schema.difficulty("neap")?, schema.level("reedgate")?);
        Ok(Names {
            neap,
            spring: schema.difficulty("spring")?,
            reedgate,
            long_mere: schema.level("long_mere")?,
            heron_holm: schema.level("heron_holm")?,
            osier: schema.checkpoint(reedgate, "osier")?,
            letters: schema.field("letters")?,
            oil: schema.field("oil")?,
            boats: schema.field("boats")?,
            best_letters: schema.field("best_letters")?,
            best_at_reedgate: schema.field_per("best_crossing")?.at((reedgate, neap)),
        })
    }
}

fn told(error: impl std::fmt::Display) -> Trouble {
    Trouble::Told(error.to_string())
}

impl From<Refused> for Trouble {
    fn from(refused: Refused) -> Trouble {
        told(refused)
    }
}

pub(crate) fn run(console: &mut Console<'_>) -> Result<Outcome, Trouble> {
    let folder = tempfile::tempdir().map_err(told)?;
    let schema = Arc::new(Schema::parse("demo/progress.toml", DECLARATION).map_err(told)?.schema);
    let names = Names::look_up(&schema).map_err(told)?;
    let slot = SaveDir::at(folder.path()).slot("otter").map_err(told)?;

    let title = console.toned(Tone::Heading, "The Fen Post");
    console.line(&format!("{title}: pole a punt through flooded routes and deliver letters."))?;
    console.paragraph(
        "A made-up game. Everything below is played through the library, as a game would, on a save in a \
         temporary folder.",
        "",
    )?;

    first_launch(console, &slot, &schema, &names)?;
    let second = second_evening(console, &slot, &schema, &names)?;
    what_survives(console, &schema)?;
    damage(console, folder.path(), &slot, &schema)?;
    console.blank()?;
    let end = format!("That was all: {second} saves, one of them damaged. The folder has been removed.");
    console.paragraph(&end, "")?;
    console.line("Next: README.md for a first program, `keblin --help` for the tool.")?;
    Ok(Outcome::Fine)
}

/// A numbered heading.
fn step(console: &mut Console<'_>, number: u32, text: &str) -> Result<(), Trouble> {
    console.blank()?;
    let heading = console.toned(Tone::Heading, &format!("{number}. {text}"));
    console.line(&heading)?;
    Ok(())
}

/// Prints what the game did, and what the library returned.
fn did(console: &mut Console<'_>, what: &str, answer: &str) -> Result<(), Trouble> {
    let what = console.toned(Tone::Name, &format!("{what:<LABEL_COLUMNS$}"));
    console.paragraph(&format!("   {what} {answer}"), &" ".repeat(LABEL_COLUMNS + 4))?;
    Ok(())
}

fn first_launch(
    console: &mut Console<'_>,
    slot: &Slot,
    schema: &Arc<Schema>,
    names: &Names,
) -> Result<(), Trouble> {
    step(console, 1, "First launch: a missing save is not an error, and \"never\" is not 0")?;
    let mut game = slot.open(schema).map_err(told)?.progress;
    let values = format!(
        "letters {}, oil {}, boats {}, best letters {}",
        game.get(names.letters),
        game.get(names.oil),
        game.get(names.boats),
        shown(game.get(names.best_letters).map(Value::Int)),
    );
    did(console, "open", &values)?;
    console.line("   The routes before the run, on neap tide:")?;
    console.levels(&game, Some(names.neap))?;

    step(console, 2, "A route: what a death takes, and what it must not give back")?;
    game.begin(Some(names.neap))?;
    let Entered { attempt, .. } = game.enter(names.reedgate)?;
    did(console, "begin neap, enter reedgate", &format!("try {attempt}, {}", read(&game, names)))?;
    game.add(names.letters, 7);
    game.add(names.oil, -22);
    game.tick(Duration::from_secs(40));
    did(console, "7 letters, 22 oil burnt", &read(&game, names))?;
    game.reach(names.osier)?;
    did(console, "reach osier", "copied: a death comes back to these values")?;
    game.add(names.oil, -30);
    game.add(names.letters, 2);
    did(console, "30 more oil, 2 letters", &read(&game, names))?;
    if let Some(Death::LifeLost { left, place }) = game.die() {
        let left = left.unwrap_or_default();
        did(console, "die", &format!("boats left: {left}, back to {}", place.text(schema)))?;
    }
    game.respawn()?;
    did(console, "respawn", &format!("{}: oil is back, letters stay", read(&game, names)))?;
    game.tick(Duration::from_millis(52_400));
    if let Some(finished) = game.finish_with_stars(3)? {
        did(console, "finish with 3 stamps", &told_of(schema, &finished))?;
    }
    if let Err(refused) = game.enter(names.heron_holm) {
        did(console, "enter heron_holm", &format!("refused: {refused}"))?;
    }
    game.enter(names.long_mere)?;
    game.add(names.letters, 4);
    let saved = slot.save(&game.snapshot(), "quit").map_err(told)?;
    did(console, "enter long_mere, quit", &format!("save {}: {} bytes", saved.number, saved.len_bytes))
}

fn second_evening(
    console: &mut Console<'_>,
    slot: &Slot,
    schema: &Arc<Schema>,
    names: &Names,
) -> Result<u64, Trouble> {
    step(console, 3, "The next evening: the run resumes exactly where it was saved")?;
    let mut game = slot.open(schema).map_err(told)?.progress;
    game.resume()?;
    let level = game.level().and_then(|level| schema.levels.get(level.index()));
    let level = level.map_or("-", |level| level.title.as_str());
    did(console, "open, resume", &format!("in {level}: {}", read(&game, names)))?;
    game.tick(Duration::from_secs(95));
    if let Some(finished) = game.finish_with_stars(2)? {
        did(console, "finish with 2 stamps", &told_of(schema, &finished))?;
    }

    step(console, 4, "A worse replay changes nothing")?;
    game.enter(names.reedgate)?;
    game.tick(Duration::from_secs(300));
    if let Some(finished) = game.finish_with_stars(1)? {
        did(console, "reedgate again: 1 stamp, 5m", &told_of(schema, &finished))?;
    }
    let best = shown(game.get(names.best_at_reedgate).map(Value::Time));
    did(console, "best crossing of reedgate", &format!("still {best}"))?;
    let over = game.end_run()?;
    let records: Vec<String> = over.iter().flat_map(|over| &over.records).map(record_text).collect();
    did(console, "give up the run", &format!("its letters still count: {}", records.join(", ")))?;
    let saved = slot.save(&game.snapshot(), "quit").map_err(told)?;
    did(console, "quit", &format!("save {}: {} bytes", saved.number, saved.len_bytes))?;
    console.line("   The routes after the run, on neap tide:")?;
    console.levels(&game, Some(names.neap))?;
    let cards = game.level_cards(Some(names.spring));
    let (open, finished) =
        (cards.iter().filter(|card| card.open), cards.iter().filter(|card| card.facts.finished));
    let (open, finished) = (open.count(), finished.count());
    console
        .line(&format!("   On spring tide, which has facts of its own: {open} open, {finished} finished."))?;
    Ok(saved.number)
}

fn what_survives(console: &mut Console<'_>, schema: &Schema) -> Result<(), Trouble> {
    step(console, 5, "Why: what each event does to each field was declared once")?;
    survival::print(console, schema)
}

fn damage(
    console: &mut Console<'_>,
    folder: &Path,
    slot: &Slot,
    schema: &Arc<Schema>,
) -> Result<(), Trouble> {
    step(console, 6, "The file, and what happens when it is damaged")?;
    let mut bytes = crate::files::save(&slot.path())?;
    let name = slot.path().strip_prefix(folder).map(Path::to_path_buf).unwrap_or_default();
    verify::tell(console, &name, &verify::Checked::of(&bytes, schema, None), true)?;
    let middle = bytes.len() / 2;
    if let Some(byte) = bytes.get_mut(middle) {
        *byte ^= 0b0000_0100;
    }
    crate::files::overwrite(&slot.path(), &bytes)?;
    console.line(&format!("   One bit of byte {middle} is flipped:"))?;
    verify::tell(console, &name, &verify::Checked::of(&bytes, schema, None), true)?;
    let Opened { progress, origin, .. } = slot.open(schema).map_err(told)?;
    if let Origin::Previous { set_aside: Some(path), .. } = origin {
        let path = path.strip_prefix(folder).map(Path::to_path_buf).unwrap_or(path);
        let best = progress.facts(schema.level("reedgate").map_err(told)?, None).stars;
        let answer = format!("the backup, reedgate still has {best} stamps; set aside: {}", path.display());
        did(console, "open", &answer)?;
    }
    Ok(())
}

fn read(game: &Progress, names: &Names) -> String {
    let (letters, oil, boats) = (game.get(names.letters), game.get(names.oil), game.get(names.boats));
    format!("letters {letters}, oil {oil}, boats {boats}")
}

fn shown(value: Option<Value>) -> String {
    value.unwrap_or(Value::Unset).to_string()
}

fn record_text(record: &keblin::progress::NewRecord) -> String {
    format!("{} {} -> {}", record.field, record.before, record.now)
}

/// Returns the result of a finish as one line.
fn told_of(schema: &Schema, finished: &Finished) -> String {
    let title = |level: Level| schema.levels.get(level.index()).map_or("-", |level| level.title.as_str());
    let stars = match finished.stars > finished.stars_before {
        true => format!("stamps {} -> {}", finished.stars_before, finished.stars),
        false => format!("stamps stay {}", finished.stars),
    };
    let records = finished.records.iter().map(record_text);
    let opened = finished.opened.iter().map(|level| format!("{} opens", title(*level)));
    let all: Vec<String> = std::iter::once(stars).chain(records).chain(opened).collect();
    all.join(", ")
}
