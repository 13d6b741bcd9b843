//! `keblin new`: the first files of a game, which compile and run.

use std::path::{Path, PathBuf};

use keblin::Name;
use serde_json::json;

use crate::args::Args;
use crate::out::{Console, Tone, shown};
use crate::{Outcome, Trouble, files};

const DECLARATION: &str = include_str!("../../first/progress.toml");
const REHEARSAL: &str = include_str!("../../first/first_run.txt");
const PROGRAM: &str = include_str!("../../first/main.rs");
/// The game's id in the texts above.
const MY_GAME: &str = "my_game";
/// Where the library was when this tool was built.
const LIBRARY: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../keblin");

pub(crate) fn run(console: &mut Console<'_>, args: &Args, folder: &Path) -> Result<Outcome, Trouble> {
    if args.schema.is_some() {
        return Err(Trouble::Told("`new` writes a declaration of its own; leave --schema out".to_string()));
    }
    let has_package = folder.join("Cargo.toml").exists();
    let id = game_id(folder);
    let library = library();
    let mut done = Vec::new();
    for (name, text) in [
        ("Cargo.toml", package(&id, library.as_deref())),
        ("progress.toml", DECLARATION.replace(MY_GAME, &id)),
        ("rehearsals/first_run.txt", REHEARSAL.to_string()),
        ("src/main.rs", PROGRAM.to_string()),
    ] {
        let path = folder.join(name);
        // What is there is somebody's work.
        let is_new = files::is_free(&path);
        if is_new {
            files::make_folder_of(&path)?;
            files::write_anew(&path, text.as_bytes())?;
        }
        done.push((path, is_new));
    }
    let next = next(folder, has_package, done.last().is_some_and(|(_, is_new)| *is_new), library.as_deref());
    if console.json {
        let list = done.iter().map(|(path, is_new)| {
            json!({ "file": path.display().to_string(), "done": if *is_new { "written" } else { "left" } })
        });
        console.json_object(&json!({ "game": id, "files": list.collect::<Vec<_>>(), "next": next }))?;
        return Ok(Outcome::Fine);
    }
    for (path, is_new) in &done {
        let word = match is_new {
            true => console.toned(Tone::Good, "written"),
            false => console.toned(Tone::Quiet, "was there, and is left as it is"),
        };
        console.paragraph(&format!("{}: {word}", shown(path)), "    ")?;
    }
    console.paragraph("\nNext:", "")?;
    for line in &next {
        console.paragraph(&format!("  {line}"), "      ")?;
    }
    Ok(Outcome::Fine)
}

/// What to type next.
fn next(folder: &Path, has_package: bool, has_program: bool, library: Option<&Path>) -> Vec<String> {
    // In quotes if a shell would read it as more than one word.
    let typed = |path: &Path| match shown(path).to_string() {
        plain if plain.chars().all(|c| c.is_alphanumeric() || "/\\._-:".contains(c)) => plain,
        odd => format!("\"{odd}\""),
    };
    let mut next = Vec::new();
    if folder != Path::new(".") {
        next.push(format!("cd {}", typed(folder)));
    }
    if has_package {
        let library = library.map_or("keblin".to_string(), |path| format!("--path {}", typed(path)));
        next.push(format!("cargo add {library}"));
    }
    next.push("keblin check".to_string());
    next.push("keblin rehearse".to_string());
    next.push(match has_program {
        true => "cargo run".to_string(),
        false => "write keblin::schema!(game, \"progress.toml\"); in your own program".to_string(),
    });
    next
}

/// Returns an id for the game, from the folder's name.
fn game_id(folder: &Path) -> String {
    let folder = folder.canonicalize().unwrap_or(folder.to_path_buf());
    let name = folder.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
    let id: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    Name::new(id.trim_matches('_')).map_or(MY_GAME.to_string(), |id| id.to_string())
}

/// Returns the folder of the library, if it is still where this tool was built.
fn library() -> Option<PathBuf> {
    PathBuf::from(LIBRARY).canonicalize().ok()
}

/// Returns the text of a `Cargo.toml`.
fn package(id: &str, library: Option<&Path>) -> String {
    let from = match library {
        // As TOML, a path may have quotes and backslashes.
        Some(path) => format!("{{ path = {} }}", json!(path.display().to_string())),
        None => json!(env!("CARGO_PKG_VERSION")).to_string(),
    };
    format!(
        "[package]\nname = \"{id}\"\nversion = \"0.1.0\"\nedition = \"2024\"\n\n[dependencies]\nkeblin = {from}\n"
    )
}
