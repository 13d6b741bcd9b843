//! Parsing and checking declarations of thousands of names, compared with only parsing the same bytes as TOML; and what
//! a compiled game does with them when it starts.
//! Without criterion: the medians of a few runs in turn are enough.

#![expect(clippy::disallowed_methods, reason = "time is what is measured")]

use std::fmt::Write;
use std::hint::black_box;
use std::time::{Duration, Instant};

use keblin_schema::Declaration;

const RUNS: usize = 7;

fn declared(many: usize, first: &str, each: impl Fn(usize) -> String) -> String {
    let mut text = format!("game = 'huge'\nversion = 1\n{first}");
    (0..many).for_each(|number| _ = writeln!(text, "{}", each(number)));
    text
}

fn fields(many: usize) -> String {
    declared(many, "[fields]\n", |number| format!("flag_{number} = {{ type = 'bool', scope = 'profile' }}"))
}

/// Each level asks for the previous one.
fn levels(many: usize) -> String {
    let first = "[fields]\nx = { type = 'int', scope = 'profile' }\n[[levels]]\nid = 'level_0'\nstars = 3\n";
    declared(many - 1, first, |number| {
        let id = number + 1;
        format!("[[levels]]\nid = 'level_{id}'\nstars = 3\nunlock = 'levels.level_{number}.finished'")
    })
}

fn items(many: usize) -> String {
    let first = "fields.x = { type = 'int', scope = 'profile' }\n[lists]\nthings = [\n";
    declared(many, first, |number| format!("'thing_{number}',")) + "]\n"
}

fn moments(many: usize) -> String {
    let moments = (0..many)
        .map(|number| format!("[[moments]]\nid = 'm_{number}'\nwhen = 'flag_{number}'\nagain = 'run'\n"));
    fields(many) + &moments.collect::<String>()
}

fn misspelt() -> String {
    moments(1_000).replace("when = 'flag_", "when = 'flga_")
}

fn took(look: impl Fn()) -> Duration {
    let begun = Instant::now();
    look();
    begun.elapsed()
}

fn median(mut times: Vec<Duration>) -> f64 {
    times.sort_unstable();
    times[times.len() / 2].as_secs_f64() * 1e3
}

fn main() {
    if std::env::args().any(|arg| arg == "--test") {
        return;
    }
    let declarations: [(&str, String); 6] = [
        ("1,000 fields", fields(1_000)),
        ("10,000 fields", fields(10_000)),
        ("10,000 levels that ask for one another", levels(10_000)),
        ("a list of 10,000 items", items(10_000)),
        ("10,000 fields with 10,000 moments", moments(10_000)),
        ("1,000 fields, and 1,000 names misspelt", misspelt()),
    ];
    println!("{:40} {:>9} {:>9} {:>7} {:>9}", "declaration", "checked", "as TOML", "times", "at start");
    for (name, text) in declarations {
        let (mut checked, mut read, mut started) = (Vec::new(), Vec::new(), Vec::new());
        let embedded =
            keblin_schema::parse("progress.toml", &text).ok().map(|parsed| parsed.declaration.to_embedded());
        for _ in 0..RUNS {
            checked.push(took(|| _ = black_box(keblin_schema::parse("progress.toml", &text).is_ok())));
            read.push(took(|| _ = black_box(text.parse::<toml::Table>().is_ok())));
            if let Some(bytes) = &embedded {
                started.push(took(|| _ = black_box(Declaration::from_embedded(bytes).is_some())));
            }
        }
        let at_start = if embedded.is_some() { format!("{:6.2} ms", median(started)) } else { String::new() };
        let (checked, read) = (median(checked), median(read));
        println!("{name:40} {checked:6.1} ms {read:6.1} ms {:7.1} {at_start:>9}", checked / read);
    }
}
