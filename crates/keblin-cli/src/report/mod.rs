//! `keblin report` as a page: HTML that needs no network and no script.
//!
//! ```text
//! declaration, player, players ──► sections ──► page
//! ```

/// Words of the page
mod words;

/// Boxes and arrows in layers
mod layout;

/// What opens what
mod graph;

/// How far a player is
mod states;

/// What opens what, drawn
mod drawn;

/// Levels and unlocks
mod levels;

/// What survives what
mod survival;

/// Fields and kinds of objects
mod fields;

/// Moments, versions, findings
mod rules;

/// One player's save
mod player;

/// How values are spread
mod spread;

/// Figures of many saves
mod figures;

/// Figures as data
mod tables;

/// Many saves
mod players;

use keblin::{Files, Findings, Schema};
use maud::{DOCTYPE, Markup, PreEscaped, html};

pub(crate) use figures::Figures;
pub(crate) use player::Player;
pub(crate) use tables::{CSV_HEAD, as_csv, as_json};
use words::{Section, safe};

/// What the page is about, besides the declaration.
pub(crate) enum About {
    Declaration,
    Player(Box<Player>),
    Players(Box<Figures>),
}

/// A declaration with what was found in it.
pub(crate) struct Declared<'r> {
    pub(crate) schema: &'r Schema,
    pub(crate) files: &'r Files,
    pub(crate) findings: Vec<&'r Findings>,
}

/// Words in the head of every page, by which a page of ours is known.
pub(crate) const MARK: &str = "<meta name=\"generator\" content=\"keblin report\">";

/// Returns the page.
pub(crate) fn page(declared: &Declared<'_>, about: &About, now: &str) -> String {
    let Declared { schema, .. } = declared;
    let sections = sections(declared, about);
    let title = format!("{}, version {}", schema.game, schema.version);
    let page = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                (PreEscaped(MARK))
                // Whatever a save says, nothing is fetched and nothing runs.
                meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'";
                title { (title) ": progress" }
                style { (PreEscaped(include_str!("style.css"))) }
            }
            body {
                header {
                    h1 { (title) }
                    p { (subtitle(about)) }
                    nav aria-label="Sections" {
                        ul { @for section in &sections { li { a href={ "#" (section.id) } { (section.title) } } } }
                    }
                }
                (tip())
                main {
                    @for Section { id, title, body } in &sections {
                        section id=(id) { h2 { (title) } (body) }
                    }
                }
                footer { p { "Made by keblin report, " (now) "." } }
            }
        }
    };
    page.into_string()
}

fn subtitle(about: &About) -> String {
    match about {
        About::Declaration => "What the game declares.".to_string(),
        About::Player(player) => format!("What the game declares, and the save {}.", safe(&player.file)),
        About::Players(figures) => {
            format!("What the game declares, and {}.", crate::out::counted(figures.saves, "save"))
        }
    }
}

/// The head of all arrows, drawn once.
fn tip() -> Markup {
    html! {
        svg width="0" height="0" aria-hidden="true" style="position:absolute" {
            defs {
                marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="8" markerHeight="8" orient="auto" {
                    path d="M0 0L8 4L0 8z" {}
                }
            }
        }
    }
}

fn sections(declared: &Declared<'_>, about: &About) -> Vec<Section> {
    let Declared { schema, files, findings } = declared;
    let progress = if let About::Player(player) = about { Some(&player.progress) } else { None };
    let on: Vec<_> = progress.map(levels::OnDifficulty::all).unwrap_or_default();
    let run = levels::states_of_run(&on);
    let mut all = Vec::new();
    match about {
        About::Declaration => {}
        About::Player(of) => all.push(Section::new("player", "The player", player::player(of))),
        About::Players(figures) => all.extend(players::sections(schema, figures)),
    }
    if !schema.levels.is_empty() {
        all.push(Section::new("levels", "Levels", levels::levels(schema, &on)));
    }
    if !schema.unlocks.is_empty() {
        all.push(Section::new("unlocks", "Unlocks", levels::unlocks(schema, on.first())));
    }
    if !schema.levels.is_empty() || !schema.unlocks.is_empty() {
        let on = run.and_then(|(_, name)| name).map_or(String::new(), |name| format!(", on {name}"));
        let graph = drawn::graph(schema, run.map(|(states, _)| states));
        all.push(Section::new("graph", format!("What opens what{on}"), graph));
    }
    all.push(Section::new("survival", "What survives what", survival::survival(schema)));
    all.push(Section::new("fields", "Fields", fields::fields(schema, progress)));
    if !schema.object_kinds.is_empty() {
        all.push(Section::new("world", "The world", fields::world(schema)));
    }
    if !schema.moments.is_empty() || !schema.invariants.is_empty() {
        all.push(Section::new("moments", "Moments and invariants", rules::moments(schema)));
    }
    if files.frozen.keys().any(|version| *version < schema.version) {
        all.push(Section::new("versions", "Versions", rules::versions(files, schema)));
    }
    let found = html! { @for findings in findings { (rules::findings(findings)) } };
    let count: usize = findings.iter().map(|findings| findings.list().len() + findings.more()).sum();
    let body = if count == 0 {
        html! { p.good { "✓ Nothing was found in the declaration." } }
    } else {
        found
    };
    all.push(Section::new("findings", "Findings", body));
    all
}
