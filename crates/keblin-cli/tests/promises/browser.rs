//! The report in a browser: nothing in the console, nothing fetched, nothing that is too wide or too faint. Needs Chromium;
//! `.ci/run` installs it and runs these.

use std::fs;
use std::path::Path;
use std::process::Command;

use regex::Regex;
use serde_json::Value as Json;

use crate::process::{keblin_in, project};
use crate::report::five_chapters;

const MEASURE: &str = include_str!("measure.js");

/// What the browser saw of a page.
struct Seen {
    console: Vec<String>,
    /// What the page measured of itself, by name.
    note: Json,
}

impl Seen {
    fn number(&self, name: &str) -> Option<u64> {
        self.note.get(name)?.as_u64()
    }

    fn faint(&self) -> Vec<Json> {
        self.note.get("faint").and_then(Json::as_array).cloned().unwrap()
    }
}

/// The page around a report: a window is never narrower than 500 pixels, a frame is.
const AROUND: &str = "<!DOCTYPE html><body><script>addEventListener('message', \
    sent => document.documentElement.setAttribute('data-note', sent.data))</script>";

/// Loads a copy of a page that also measures itself.
fn seen(page: &Path, width: u32, dark: bool) -> Seen {
    let text = fs::read_to_string(page).unwrap();
    let text = text.replace("default-src 'none';", "default-src 'none'; script-src 'unsafe-inline';");
    let copy = page.with_extension("measured.html");
    fs::write(&copy, text.replace("</head>", &format!("<script>{MEASURE}</script></head>"))).unwrap();
    let around = page.with_extension("around.html");
    let name = copy.file_name().unwrap().to_str().unwrap();
    let frame = format!("<iframe src=\"{name}\" style=\"width:{width}px;height:800px;border:0\"></iframe>");
    fs::write(&around, format!("{AROUND}{frame}")).unwrap();
    let mut command = Command::new("chromium");
    command.args([
        "--headless=new",
        "--no-sandbox",
        "--disable-gpu",
        "--enable-logging=stderr",
        "--dump-dom",
    ]);
    command.arg("--window-size=1400,900");
    if dark {
        command.arg("--blink-settings=preferredColorScheme=0");
    }
    let output = command.arg(format!("file://{}", around.display())).output().unwrap();
    let (out, err) =
        (String::from_utf8(output.stdout).unwrap(), String::from_utf8_lossy(&output.stderr).into_owned());
    let note =
        Regex::new("data-note=\"([^\"]*)\"").unwrap().captures(&out).unwrap()[1].replace("&quot;", "\"");
    let console = err.lines().filter(|line| line.contains("CONSOLE")).map(str::to_string).collect();
    Seen { console, note: serde_json::from_str(&note).unwrap() }
}

#[track_caller]
fn assert_reads_well(page: &Path) {
    for (width, dark) in [(1280, false), (1280, true), (400, false), (400, true)] {
        let seen = seen(page, width, dark);
        let where_it_is = format!("{}, {width} wide, dark: {dark}: {}", page.display(), seen.note);
        assert_eq!(seen.console, Vec::<String>::new(), "{where_it_is}");
        assert_eq!(seen.number("window"), Some(width.into()), "{where_it_is}");
        assert_eq!(seen.note.get("dark"), Some(&dark.into()), "{where_it_is}");
        assert!(seen.number("wide") <= Some(width.into()), "{where_it_is}");
        assert_eq!(seen.faint(), Vec::<Json>::new(), "{where_it_is}");
    }
}

#[test]
#[ignore = "needs Chromium"]
fn every_kind_of_report_reads_well_in_a_browser() {
    let folder = tempfile::tempdir().unwrap();
    let page = |name: &str| folder.path().join(format!("{name}.html"));
    let demo = project("demo");
    for (name, saves) in [
        ("declaration", None),
        ("player", Some("frozen/saves/v1_four_routes_done.keblin")),
        ("players", Some("frozen/saves")),
    ] {
        let page = page(name);
        let args: Vec<&str> =
            ["report"].into_iter().chain(saves).chain(["--to", page.to_str().unwrap()]).collect();
        assert_eq!(keblin_in(&demo, &args).code, 0, "{name}");
        assert_reads_well(&page);
    }
    fs::write(folder.path().join("progress.toml"), five_chapters()).unwrap();
    assert_eq!(keblin_in(folder.path(), &["report"]).code, 0);
    assert_reads_well(&page("report"));
}

#[test]
#[ignore = "needs Chromium"]
fn the_measuring_itself_notices_what_is_wide_faint_or_outside() {
    let folder = tempfile::tempdir().unwrap();
    let page = folder.path().join("bad.html");
    let csp = "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; style-src 'unsafe-inline'\">";
    let bad = "<p style=\"width:2000px;color:#bbb;background:#fff\">faint</p><img src=\"https://example.invalid/x.png\">";
    fs::write(&page, format!("<!DOCTYPE html><html><head>{csp}</head><body>{bad}</body></html>")).unwrap();
    let seen = seen(&page, 1280, false);
    assert!(seen.console.iter().any(|line| line.contains("Content Security Policy")), "{:?}", seen.console);
    assert!(seen.number("wide") > Some(1280), "{}", seen.note);
    assert_eq!(seen.faint().len(), 1, "{}", seen.note);
}
