//! The report: what the page says, that it needs nothing from outside, and that it is only written over a report.

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;
use std::sync::Arc;
use std::time::Instant;

use keblin::save::{Stamp, write};
use keblin::{Progress, Schema};
use regex::Regex;

use crate::process::{Ran, assert_fits, keblin_in, project};

/// A game of five chapters with 24 levels each, with unlocks that name levels of other chapters.
pub(crate) fn five_chapters() -> String {
    let chapters = (1..=5).map(|at| {
        let rule = if at == 1 { String::new() } else { format!("unlock = 'chapters.c{}.stars >= 30'\n", at - 1) };
        format!(
            "[[chapters]]\nid = 'c{at}'\ntitle = 'Chapter {at}: The Long Way'\n{rule}levels = {{ prefix = 'c{at}_', count = 24, stars = 3, \
             unlock = 'previous.finished' }}\n"
        )
    });
    let unlocks = "[[unlocks]]\nid = 'rope'\nwhen = 'levels.c1_05.finished && levels.c3_01.stars >= 2'\n[[unlocks]]\nid = 'bell'\nwhen = 'unlocked.rope'\n";
    let field = "[fields.marks]\ntype = 'int'\nscope = 'profile'\nkeep = 'highest'\nfrom = 'found'\nat = ['finish']\n[fields.found]\ntype = 'int'\nscope = 'level'\non_death = 'stays'\n";
    format!("game = 'long'\nversion = 1\n{field}{}{unlocks}", chapters.collect::<String>())
}

/// A declaration with the report of it, in a folder of its own.
pub(crate) struct Reported {
    pub(crate) folder: tempfile::TempDir,
    pub(crate) page: String,
}

impl Reported {
    #[track_caller]
    pub(crate) fn of(declaration: &str, args: &[&str]) -> Reported {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join("progress.toml"), declaration).unwrap();
        let ran = report(folder.path(), args);
        assert_eq!((ran.code, ran.err.as_str()), (0, ""), "{}", ran.out);
        let page = fs::read_to_string(folder.path().join("report.html")).unwrap();
        Reported { folder, page }
    }

    /// Returns the page without its elements, in which a text can be looked for.
    pub(crate) fn text(&self) -> String {
        let text = Regex::new("<[^>]*>").unwrap().replace_all(&self.page, "\u{1}").into_owned();
        Regex::new("\u{1}+").unwrap().replace_all(&text, "|").into_owned()
    }
}

fn report(folder: &Path, args: &[&str]) -> Ran {
    keblin_in(folder, &[&["report"], args].concat())
}

fn demo() -> String {
    fs::read_to_string(project("demo/progress.toml")).unwrap()
}

/// Checks that all links of a page lead to something in it, and that it names nothing outside.
#[track_caller]
pub(crate) fn assert_stands_alone(page: &str) {
    let all = |pattern: &str| -> BTreeSet<String> {
        Regex::new(pattern).unwrap().captures_iter(page).map(|found| found[1].to_string()).collect()
    };
    let ids = all(" id=\"([^\"]*)\"");
    let missing: Vec<String> = all(" href=\"([^\"]*)\"")
        .into_iter()
        .filter(|link| link.strip_prefix('#').is_none_or(|id| !ids.contains(id)))
        .collect();
    assert_eq!(missing, Vec::<String>::new());
    assert!(!page.contains("src=") && !page.contains("<script") && !page.contains("@import"));
    assert!(!page.replace("http://www.w3.org/2000/svg", "").contains("http:") && !page.contains("https:"));
}

#[test]
fn the_report_of_a_declaration_says_what_opens_what_and_what_survives_what() {
    let reported = Reported::of(&demo(), &[]);
    assert_stands_alone(&reported.page);
    let text = reported.text();
    for part in [
        "|Heron Holm|8 stars|",
        "|unlock: Fog lamp|8 stars|",
        "|checkpoint|*|",
        "|loses 1|*|",
        "to oil_cap|",
        "keeps: lowest, from |route_clock| at finish|",
    ] {
        assert!(text.contains(part), "{part}: {text}");
    }
    assert!(reported.page.contains("Heron Holm asks for Black Sluice"), "{}", reported.page);
    // Its earlier versions are not next to it here.
    assert!(
        text.contains("|warning| |missing_step|: version 4 is not frozen")
            && text.contains("   5 | version = 5"),
        "{text}"
    );
    let arrows = reported.page.matches("class=\"arrow\"").count();
    assert_eq!(arrows, 12);
}

#[test]
fn the_versions_of_a_game_are_listed_with_what_differs_and_the_step() {
    let folder = tempfile::tempdir().unwrap();
    let page = folder.path().join("report.html");
    let ran = keblin_in(&project("demo"), &["report", "--to", page.to_str().unwrap()]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    assert_fits(&ran.out);
    let page = fs::read_to_string(page).unwrap();
    assert_stands_alone(&page);
    let places: Vec<Option<usize>> =
        ["From version 4 to 5", "From version 3 to 4", "From version 2 to 3", "From version 1 to 2"]
            .map(|heading| page.find(heading))
            .into();
    assert!(places.is_sorted() && places[0].is_some(), "{places:?}");
    assert!(
        page.contains("old results were all at neap")
            && page.contains("Nothing was found in the declaration")
    );
}

#[test]
fn the_report_of_a_save_draws_where_the_player_is() {
    let saves = project("demo/frozen/saves");
    let folder = tempfile::tempdir().unwrap();
    let page = folder.path().join("report.html");
    let save = saves.join("v3_one_route_at_spring.keblin");
    let ran =
        keblin_in(&project("demo"), &["report", save.to_str().unwrap(), "--to", page.to_str().unwrap()]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    let reported = Reported { folder, page: fs::read_to_string(page).unwrap() };
    assert_stands_alone(&reported.page);
    let text = reported.text();
    let shown = keblin_in(&project("demo"), &["show", save.to_str().unwrap()]).out;
    let run = shown
        .lines()
        .map(str::trim)
        .find(|line| line.starts_with("a run waits") || line.starts_with("no run"))
        .unwrap();
    assert!(text.contains(run), "{run}: {text}");
    assert!(text.contains("|✓ finished|") && text.contains("|✕ locked: finish Long Mere first|"), "{text}");
    // Its boxes have the same signs.
    assert!(text.contains("|✓ Reedgate|★"), "{text}");
    assert!(text.contains("earlier_version"), "{text}");
}

/// Plays a little in the demo's game: `finished` routes one after the other, with two stars each.
fn save_of(schema: &Arc<Schema>, finished: usize, deaths: usize) -> Vec<u8> {
    let mut game = Progress::new(Arc::clone(schema));
    game.begin(None).unwrap();
    for index in 0..=finished {
        let level = schema.level_at(index).unwrap();
        game.enter(level).unwrap();
        game.tick(std::time::Duration::from_secs(10 + u64::try_from(index).unwrap()));
        if index < finished {
            game.finish_with_stars(2).unwrap();
        }
    }
    for _ in 0..deaths {
        game.die();
        game.respawn().unwrap();
    }
    write(&game.snapshot(), &Stamp { saved_at_unix_ms: 1_700_000_000_000, ..Stamp::default() })
}

#[test]
fn the_figures_of_many_saves_are_those_of_each_added_up() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    fs::write(at("progress.toml"), demo()).unwrap();
    fs::create_dir(at("saves")).unwrap();
    let schema = Arc::new(Schema::parse("progress.toml", &demo()).unwrap().schema);
    // One player on each of the first four routes, two on the first; one file that is not a save.
    for (name, finished, deaths) in [("a", 0, 0), ("b", 0, 3), ("c", 1, 1), ("d", 2, 0), ("e", 3, 2)] {
        fs::write(at("saves").join(format!("{name}.keblin")), save_of(&schema, finished, deaths)).unwrap();
    }
    fs::write(at("saves").join("f.keblin"), b"not a save").unwrap();
    // What the store keeps for itself is not a further player.
    fs::create_dir(at("saves/aside")).unwrap();
    for name in ["a.previous", "e.own-35a0961c7ef11d4e-e2247af6"] {
        fs::copy(at("saves/e.keblin"), at("saves/aside").join(format!("{name}.keblin"))).unwrap();
    }
    let ran = report(folder.path(), &["saves", "--csv", "figures.csv", "--json"]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    let json = ran.json();
    let figures = &json["figures"];
    assert_eq!((&figures["saves"], &figures["versions"]["5"]), (&5.into(), &5.into()));
    assert_eq!(figures["unopened"], serde_json::json!({ "not_a_save": 1 }));
    let of = |level: &str, figure: &str| figures["levels"]["neap"][level][figure].clone();
    for (level, reached, finished, stopped, deaths) in [
        ("reedgate", 5, 3, 2, 3),
        ("long_mere", 3, 2, 1, 1),
        ("otter_weir", 2, 1, 1, 0),
        ("black_sluice", 1, 0, 1, 2),
    ] {
        let found =
            ["reached", "finished", "stopped", "deaths"].map(|figure| of(level, figure).as_u64().unwrap());
        assert_eq!(found, [reached, finished, stopped, deaths], "{level}");
    }
    assert_eq!(of("reedgate", "stars"), serde_json::json!([0, 0, 3, 0]));
    assert_eq!(figures["levels"]["spring"]["reedgate"]["reached"], 0);
    let best = &figures["records"]["best_crossing reedgate, neap"];
    assert_eq!((&best["saves"], &best["least"], &best["most"]), (&3.into(), &10_000.into(), &10_000.into()));
    assert_eq!(figures["ages"][5]["saves"], 5);
    // The table has the same numbers, and the page too.
    let table = fs::read_to_string(at("figures.csv")).unwrap();
    for row in [
        "level,reedgate,neap,reached,5",
        "level,reedgate,neap,stars_2,3",
        "saves,not_a_save,,unopened,1",
        "record,\"best_crossing reedgate, neap\",,median,10000",
    ] {
        assert!(table.lines().any(|line| line == row), "{row}: {table}");
    }
    let reported = Reported { page: fs::read_to_string(at("report.html")).unwrap(), folder };
    assert_stands_alone(&reported.page);
    let text = reported.text();
    assert!(
        text.contains("|Reedgate|| 5 |(100.0\u{a0}%)|3 |(60.0\u{a0}%)|2|")
            || text.contains("|Reedgate| 5 |(100.0\u{a0}%)|3 |(60.0\u{a0}%)|2|"),
        "{text}"
    );
}

#[test]
fn a_spread_has_its_least_most_and_middle_whatever_the_sign() {
    let declaration =
        "game = 'deep'\nversion = 1\n[fields.depth]\ntype = 'int'\nscope = 'profile'\nkeep = 'lowest'\n";
    let folder = tempfile::tempdir().unwrap();
    let schema = Arc::new(Schema::parse("progress.toml", declaration).unwrap().schema);
    fs::create_dir(folder.path().join("saves")).unwrap();
    fs::write(folder.path().join("progress.toml"), declaration).unwrap();
    for (index, depth) in
        [-9_000_000_000_i64, -40, -7, 0, 3, 12, 250, 4_000_000_000_000].into_iter().enumerate()
    {
        let mut game = Progress::new(Arc::clone(&schema));
        game.suppose_asked(
            &keblin::condition::names::named(&schema, "depth").unwrap(),
            keblin::Value::Int(depth),
        )
        .unwrap();
        let bytes = write(&game.snapshot(), &Stamp::default());
        fs::write(folder.path().join(format!("saves/{index}.keblin")), bytes).unwrap();
    }
    let json = report(folder.path(), &["saves", "--json"]).json();
    let depth = &json["figures"]["records"]["depth"];
    let known = ["saves", "least", "tenth", "median", "most"].map(|figure| depth[figure].as_i64().unwrap());
    assert_eq!(known, [8, -9_000_000_000, -9_000_000_000, 0, 4_000_000_000_000]);
    // Nearly: two digits.
    assert_eq!(depth["nine_tenths"], 4_000_000_000_000_i64);
}

#[test]
fn a_hundred_and_twenty_levels_are_drawn_chapter_by_chapter_within_a_second() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("progress.toml"), five_chapters()).unwrap();
    let begun = Instant::now();
    let ran = report(folder.path(), &[]);
    let took = begun.elapsed();
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    assert!(took.as_secs_f64() < 10.0, "{took:?} in a debug build");
    let reported = Reported { page: fs::read_to_string(folder.path().join("report.html")).unwrap(), folder };
    assert_stands_alone(&reported.page);
    assert_eq!(reported.page.matches("<figure class=\"part\"").count(), 5);
    assert!(reported.page.contains("opens if <code>chapters.c4.stars &gt;= 30</code>"));
    // The rope is drawn where its first level is; its other level comes from elsewhere, as does the last level of the
    // chapter before in each chapter.
    assert_eq!(reported.page.matches("class=\"elsewhere\"").count(), 1 + 4);
    assert_eq!(reported.page.matches("class=\"arrow\"").count(), 5 * 23 + 4 + 3);
}

#[test]
fn a_game_without_levels_has_a_report() {
    let reported =
        Reported::of("game = 'idle'\nversion = 1\n[fields.coins]\ntype = 'int'\nscope = 'profile'\n", &[]);
    assert_stands_alone(&reported.page);
    assert!(reported.text().contains("|coins|") && !reported.page.contains("class=\"graph\""));
}

#[test]
fn rules_that_go_round_in_a_circle_are_drawn_without_the_last_arrow() {
    let rules = "game = 'ring'\nversion = 1\n[[levels]]\nid = 'start'\n[[unlocks]]\nid = 'one'\nwhen = 'unlocked.two || levels.start.finished'\n[[unlocks]]\nid = 'two'\nwhen = 'unlocked.one'\n";
    let reported = Reported::of(rules, &[]);
    assert_eq!(reported.page.matches("class=\"arrow\"").count(), 2);
}

#[test]
fn texts_of_a_declaration_and_a_save_cannot_act_in_the_page() {
    let declaration = "game = 'sly'\nversion = 1\n[fields.note]\ntype = 'text'\nscope = 'profile'\nmax_len = 90\nabout = '<script>alert(1)</script>'\n\
        [[levels]]\nid = 'one'\ntitle = \"<img src=x onerror=alert(1)>\\u202Eback\"\n";
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("progress.toml"), declaration).unwrap();
    let schema = Arc::new(Schema::parse("progress.toml", declaration).unwrap().schema);
    let mut game = Progress::new(Arc::clone(&schema));
    let note = keblin::condition::names::named(&schema, "note").unwrap();
    game.suppose_asked(&note, keblin::Value::text("</table><script>alert(2)</script>\u{1b}[31m")).unwrap();
    game.set_title("\"><svg onload=alert(3)>").unwrap();
    fs::write(folder.path().join("a.keblin"), write(&game.snapshot(), &Stamp::default())).unwrap();
    assert_eq!(report(folder.path(), &["a.keblin"]).code, 0);
    let page = fs::read_to_string(folder.path().join("report.html")).unwrap();
    for bad in ["<script", "<img", "<svg onload", "\u{202e}", "\u{1b}"] {
        assert!(!page.contains(bad), "{bad}");
    }
    assert!(page.contains("&lt;/table&gt;&lt;script&gt;alert(2)"), "{page}");
}

#[test]
fn only_a_report_is_written_over() {
    let reported =
        Reported::of("game = 'idle'\nversion = 1\n[fields.coins]\ntype = 'int'\nscope = 'profile'\n", &[]);
    let folder = reported.folder.path();
    assert_eq!(report(folder, &[]).code, 0);
    fs::write(folder.join("notes.html"), "<p>Mine</p>").unwrap();
    let ran = report(folder, &["--to", "notes.html"]);
    assert_eq!((ran.code, ran.out.as_str()), (2, ""));
    assert!(ran.err.contains("notes.html: this file exists already, and is something else"), "{}", ran.err);
    assert_eq!(fs::read_to_string(folder.join("notes.html")).unwrap(), "<p>Mine</p>");
    // Nor over what a link names, and nobody waits for a pipe.
    std::os::unix::fs::symlink(folder.join("report.html"), folder.join("link.html")).unwrap();
    let ran = report(folder, &["--to", "link.html"]);
    assert!(ran.code == 2 && ran.err.contains("link.html: this is a link"), "{}", ran.err);
    assert!(std::process::Command::new("mkfifo").arg(folder.join("pipe.html")).status().unwrap().success());
    let ran = report(folder, &["--to", "pipe.html"]);
    assert!(ran.code == 2 && ran.err.contains("pipe.html: this is a device or a pipe"), "{}", ran.err);
    // Figures need more than one save.
    let ran = report(folder, &["--csv", "figures.csv"]);
    assert_eq!(ran.code, 2);
    assert!(ran.err.contains("the figures are those of many saves"), "{}", ran.err);
    // A save that cannot be opened is said, and no page is written.
    fs::write(folder.join("bad.keblin"), b"nothing").unwrap();
    let ran = report(folder, &["bad.keblin", "--to", "other.html"]);
    assert_eq!(ran.code, 2);
    assert!(ran.err.contains("bad.keblin") && !folder.join("other.html").exists(), "{}", ran.err);
}
