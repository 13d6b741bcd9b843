//! Foreign text on a terminal: nothing in a save, a declaration or a file name has an effect on it. Also output,
//! folders and links that cause trouble.

use std::fs;
use std::process::{Command, Stdio};
use std::sync::Arc;

use keblin::save::{Stamp, write};
use keblin::{Progress, Schema};

use crate::process::{keblin_in, project};

/// Clears the screen, colours, rings the bell, turns the direction of text, ends it, and breaks lines.
const NASTY: &str = "\u{1b}[2J\u{1b}[31m\u{7}\u{202e}\u{2066}\u{0}\u{9b}31m\u{2028}\u{200f}\r";

fn declared(nasty: &str) -> String {
    format!(
        "game = 'otter'\nversion = 1\n[fields]\nname = {{ type = 'text', scope = 'profile', max_len = 60000, about = \"{nasty}\" }}\n\
         words = {{ type = 'list', of = 'text', scope = 'profile', max_len = 60000, max_items = 20 }}\n\
         shells = {{ type = 'int', scope = 'profile' }}\n[[levels]]\nid = 'brook'\ntitle = \"{nasty}\"\n\
         [[levels]]\nid = 'weir'\ntitle = \"w{nasty}\"\nunlock = 'levels.brook.finished'\n\
         [[unlocks]]\nid = 'lamp'\ntitle = \"{nasty}\"\nwhen = 'shells > 3'\nlatch = true\n"
    )
}

/// TOML does not allow raw control characters.
fn in_toml(text: &str) -> String {
    text.chars().map(|c| format!("\\u{:04x}", u32::from(c))).collect()
}

#[track_caller]
fn assert_screened(what: &str, bytes: &[u8]) {
    let text = String::from_utf8_lossy(bytes);
    let bad = text.chars().find(|c| *c != '\n' && keblin::text::acts_on_a_terminal(*c));
    assert!(bad.is_none(), "{what} prints {bad:?}:\n{}", text.escape_debug());
}

#[test]
fn no_command_lets_a_save_a_declaration_or_a_file_name_act_on_the_terminal() {
    let folder = tempfile::tempdir().unwrap();
    let text = declared(&in_toml(NASTY));
    fs::write(folder.path().join("progress.toml"), &text).unwrap();
    let schema = Arc::new(Schema::parse("progress.toml", &text).unwrap().schema);
    let mut game = Progress::new(Arc::clone(&schema));
    game.set(schema.field::<String>("name").unwrap(), format!("Otter{NASTY}"));
    let stamp = Stamp { edited: true, ..Stamp::first(0, &format!("quit{NASTY}")) };
    let save = write(&game.snapshot(), &stamp);
    // A file name cannot contain a zero byte.
    let name = format!("s{}.keblin", NASTY.replace('\u{0}', ""));
    fs::create_dir(folder.path().join("saves")).unwrap();
    let path = folder.path().join("saves").join(&name);
    fs::write(&path, &save).unwrap();
    fs::write(path.with_extension("torn.keblin"), &save[..300]).unwrap();
    let foreign = text.replace("'otter'", "'heron'");
    let heron = Arc::new(Schema::parse("progress.toml", &foreign).unwrap().schema);
    fs::write(path.with_extension("heron.keblin"), write(&Progress::new(heron).snapshot(), &stamp)).unwrap();
    fs::write(path.with_extension("txt"), format!("expect shells == 3\nset name {NASTY}\n")).unwrap();
    fs::write(path.with_extension("toml"), declared(NASTY)).unwrap();
    let unknown = format!("{text}[fields.\"x{}\"]\ntype = \"{}\"\n", in_toml(NASTY), in_toml(NASTY));
    fs::write(folder.path().join("unknown.toml"), unknown).unwrap();
    let named = |ending: &str| path.with_extension(ending).to_str().unwrap().to_string();
    let (whole, torn) = (path.to_str().unwrap().to_string(), named("torn.keblin"));
    let (heron, script, broken) = (named("heron.keblin"), named("txt"), named("toml"));
    let to = folder.path().join(format!("to{}", NASTY.replace('\u{0}', ""))).to_str().unwrap().to_string();
    let commands: Vec<Vec<&str>> = vec![
        vec!["show", &whole],
        vec!["show", &torn],
        vec!["show", &heron],
        vec!["show", &to],
        vec!["verify", &whole, &torn, &heron, &script],
        vec!["verify", "saves"],
        vec!["migrate", &whole, &torn, &heron],
        vec!["migrate", "--write", "saves"],
        vec!["salvage", &torn, "--to", &to],
        vec!["salvage", &whole, "--to", &to],
        vec!["why", "weir", "--save", &whole],
        vec!["why", "lamp"],
        vec!["why", NASTY.trim_matches('\u{0}').split('\u{0}').next().unwrap()],
        vec!["survival"],
        vec!["check"],
        vec!["check", "--schema", &broken],
        vec!["check", "--schema", "unknown.toml"],
        vec!["check", "--before", &broken],
        vec!["rehearse", &script],
        vec!["freeze", "--schema", &broken],
        vec!["rehearse", &to],
    ];
    let mut printed = 0;
    for args in &commands {
        for more in [&[][..], &["--json"]] {
            let args = [args, more].concat();
            for color in [false, true] {
                let mut command = Command::new(env!("CARGO_BIN_EXE_keblin"));
                command.current_dir(folder.path()).args(&args);
                if color {
                    command.env("CLICOLOR_FORCE", "1");
                }
                let output = command.output().unwrap();
                let mut out = output.stdout.clone();
                if color {
                    // Our own colours are from a fixed list, and end where they started.
                    out = without_own_colours(&out);
                }
                assert_screened(&format!("{args:?}"), &out);
                assert_screened(&format!("{args:?}"), &output.stderr);
                printed += out.len() + output.stderr.len();
            }
        }
    }
    assert!(printed > 10_000, "{printed} bytes were printed: that is not what the commands say");
}

/// Removes the tool's own styles from the output. The red in the nasty text looks like one of them: it must have been
/// escaped, so its number is there as text.
fn without_own_colours(out: &[u8]) -> Vec<u8> {
    let text = String::from_utf8_lossy(out).into_owned();
    let own =
        ["0", "1", "2", "22", "39", "49", "32", "31", "33", "36", "38;5;2", "38;5;1", "38;5;3", "38;5;6"];
    let plain = own.iter().fold(text, |text, style| text.replace(&format!("\u{1b}[{style}m"), ""));
    plain.into_bytes()
}

#[test]
fn a_word_of_a_megabyte_is_shown_in_part_and_soon() {
    let folder = tempfile::tempdir().unwrap();
    let text = declared("x");
    fs::write(folder.path().join("progress.toml"), &text).unwrap();
    let schema = Arc::new(Schema::parse("progress.toml", &text).unwrap().schema);
    let mut game = Progress::new(Arc::clone(&schema));
    game.set(schema.field::<Vec<String>>("words").unwrap(), vec!["w".repeat(60_000); 20]);
    fs::write(folder.path().join("s.keblin"), write(&game.snapshot(), &Stamp::first(0, "quit"))).unwrap();
    let begun = std::time::Instant::now();
    let ran = keblin_in(folder.path(), &["show", "s.keblin"]);
    assert!(ran.out.contains(" characters)") && ran.out.len() < 4000, "{}", ran.out.len());
    assert!(begun.elapsed().as_secs() < 5, "{:?}", begun.elapsed());
}

#[test]
fn output_that_cannot_be_written_is_an_error_that_is_said() {
    let Ok(full) = fs::OpenOptions::new().write(true).open("/dev/full") else { return };
    let mut command = Command::new(env!("CARGO_BIN_EXE_keblin"));
    command.current_dir(project("demo")).arg("survival");
    let output = command.stdout(Stdio::from(full)).stderr(Stdio::piped()).output().unwrap();
    assert_eq!(output.status.code(), Some(2));
    let err = String::from_utf8(output.stderr).unwrap();
    assert!(err.starts_with("keblin: the output could not be written: "), "{err}");
    // A reader that closes the pipe has read enough, and sees no error.
    let mut command = Command::new(env!("CARGO_BIN_EXE_keblin"));
    command.current_dir(project("demo")).arg("survival").stdout(Stdio::piped()).stderr(Stdio::piped());
    let mut child = command.spawn().unwrap();
    drop(child.stdout.take());
    let output = child.wait_with_output().unwrap();
    assert_eq!(output.stderr, b"");
}

#[test]
fn a_folder_without_saves_is_said_and_links_in_folders_are_followed() {
    let folder = tempfile::tempdir().unwrap();
    fs::copy(project("demo/progress.toml"), folder.path().join("progress.toml")).unwrap();
    fs::create_dir_all(folder.path().join("none/below")).unwrap();
    for command in ["verify", "migrate"] {
        let ran = keblin_in(folder.path(), &[command, "none"]);
        assert_eq!(ran.code, 2);
        let flat = ran.err.split_whitespace().collect::<Vec<_>>().join(" ");
        let expected = "keblin: none: expected saves in this folder, but found none that ends with .keblin";
        assert_eq!(flat, expected);
    }
    let other = tempfile::tempdir().unwrap();
    let save = project("demo/frozen/saves/v5_coppers_of_two_machines.keblin");
    fs::copy(&save, other.path().join("a.keblin")).unwrap();
    let linked = folder.path().join("linked");
    fs::create_dir(&linked).unwrap();
    std::os::unix::fs::symlink(other.path(), linked.join("folder")).unwrap();
    std::os::unix::fs::symlink(&save, linked.join("b.keblin")).unwrap();
    let ran = keblin_in(folder.path(), &["verify", "linked"]);
    assert_eq!((ran.code, ran.out.as_str()), (0, "2 saves: 2 intact\n"), "{}", ran.err);
    // A link that leads back into its own folder is named, and the rest is examined.
    std::os::unix::fs::symlink(&linked, linked.join("back")).unwrap();
    let ran = keblin_in(folder.path(), &["verify", "linked"]);
    assert_eq!((ran.code, ran.out.as_str()), (2, "2 saves: 2 intact\n"));
    assert!(ran.err.contains("loop"), "{}", ran.err);
    // A pipe or a device is refused at once: opening a pipe would wait for a writer.
    let pipe = folder.path().join("pipe.keblin");
    assert!(Command::new("mkfifo").arg(&pipe).status().unwrap().success());
    fs::File::create(folder.path().join("sparse.keblin")).unwrap().set_len(1 << 40).unwrap();
    for (name, said) in [
        ("pipe.keblin", "a device or a pipe"),
        ("sparse.keblin", "at most 1073741824"),
        ("/dev/zero", "a device or a pipe"),
    ] {
        for command in [&["show"][..], &["verify"], &["migrate", "--write"]] {
            let ran = keblin_in(folder.path(), &[command, &[name]].concat());
            let err = ran.err.split_whitespace().collect::<Vec<_>>().join(" ");
            assert!(ran.code == 2 && err.contains(said), "{command:?} {name}: {err}");
        }
    }
}
