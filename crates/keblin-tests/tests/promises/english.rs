//! Plain English: every page, comment and message is searched for patterns that readers stumble over. CONTRIBUTING.md says
//! how we write instead.

use std::ops::Range;
use std::path::Path;

use regex::Regex;

use crate::tables::read;

/// A pattern to avoid, the wording around it that is fine, and what to write instead.
type Pattern = (&'static str, &'static str, &'static str);

const PATTERNS: &[Pattern] = &[
    (
        r"\b(is|are|was|were|be) (no|none)\b",
        r"\bthere (is|are|was|were|can be|may be) (no|none)|\bis (?-i:None)\b|\bno (longer|more|less|later|shorter|worse)\b",
        "`is not a`, or name what is missing",
    ),
    (r"\bthat is none\b|\bis none of\b", "", "`NaN`, `not one of`, `does not have one`"),
    (r"\b(knows|holds|takes|gives|declares|means) no\b", "", "`does not …`, or `unknown …`"),
    (
        r"\b(told|tells?)\b",
        r"\b(told|tells?)\b( \w+){0,9} apart\b|\bcan be told from\b",
        "`reports`, `returns`, `delivers`",
    ),
    (r"\b(gone|goes|go|going|went) on (with|from)\b", "", "`resume` or `continue`, as the calls say"),
    (
        r"\b(goes|go|going|went|gone) back to\b",
        r"\bdeath goes back to\b",
        "`loads`, `returns to`, `restores`",
    ),
    (r"\bof (before|now|then)\b", "", "`old`, `previous`, `current`"),
    (r"\b(mend|mended|mends|mending|spoil|spoils|spoilt)\b", "", "`fix`, `correct`, `repair`, `damage`"),
    (r"\b(is|are|was|were|be) whole\b", r"\bwhole numbers?\b", "`intact` or `complete`"),
    (r"\bwhole (state|block|section|copy)\b", "", "`intact state`"),
    (r"\bcopy before\b|\bsave before it\b", "", "`the backup`, `the previous save`"),
    (r"\bof which\b", "", "two sentences"),
    (r"\bbehind\b", "", "`after`"),
    (r"\bbeside\b", "", "`next to`, `in addition to`"),
    (r"\b(lies|lay|lie) (in|at|outside|within|above|below|behind|beside|there|aside|on)\b", "", "`is`"),
    (r"\bstands? (in|under|there|apart|behind|beside|at|before|where|among|open|as)\b", "", "`is`"),
    (r"\bheld against\b|\bholds? .{0,40}\bagainst\b", "", "`compared with`, `checked against`"),
    (r"\b(the|a|without a|with the player's) yes\b", "", "`confirmation`"),
    (r"\bin question\b", "", "`current`, or name it"),
    (r"\bleads? (nowhere|on)\b", "", "`cannot be migrated`"),
    (r"\bafresh\b", "", "`from its start`"),
    (r"\bcomplain(s|ts?|ed)?\b", "", "`error`, `message`, `report`"),
    (
        r"\b(shipped|hands? on|handed on|handed over|hands? over|picks? up|picked up)\b",
        "",
        "`released`, `pass`, `read`, `write`",
    ),
    (
        r"\bso (many|much) (bytes|of them|levels|times|calls|saves|cells|states)\b",
        "",
        "`this many`, or a name",
    ),
    (r"\b(unsaid|nowhere to|what is no|kept apart|is asked of)\b", "", "short words for the thing itself"),
];

/// Sentences that show a pattern on purpose: a file, and a part of the sentence. CONTRIBUTING.md shows pairs of sentences, each
/// with the wording to avoid; this file has the patterns.
const EXCEPTIONS: &[(&str, &str)] = &[
    ("CONTRIBUTING.md", "| `route` is not a field |"),
    ("CONTRIBUTING.md", "| saves of version 2 cannot be migrated |"),
    ("CONTRIBUTING.md", "| recovers the intact sections"),
    ("CONTRIBUTING.md", "| the backup is used |"),
    ("CONTRIBUTING.md", "| expected a text, but found 3 |"),
    ("CONTRIBUTING.md", "| is reported once, then continues |"),
    ("CONTRIBUTING.md", "| bytes after the last intact state |"),
    ("crates/keblin-tests/tests/promises/english.rs", ""),
];

/// Everything that people read, by folder and ending.
const FOLDERS: &[(&str, &[&str])] = &[
    ("", &["md"]),
    ("docs", &["md", "cddl", "py"]),
    ("crates", &["rs", "toml", "stderr"]),
    ("crates/keblin-cli/first", &["txt"]),
    ("examples", &["rs", "toml"]),
    ("bench", &["rs", "toml"]),
    ("fuzz", &["rs", "toml"]),
    ("demo", &["toml", "txt"]),
    ("data", &["toml", "txt"]),
];

/// Returns a sentence without code and placeholders.
fn without_code(text: &str) -> String {
    let text = text.split('`').step_by(2).collect::<Vec<_>>().join("_");
    text.split(['{', '}']).step_by(2).collect::<Vec<_>>().join("_")
}

/// The sentences of a Rust file: comments and texts, each with the line that it starts in. A comment of several lines is one.
fn of_rust(source: &str) -> Vec<(usize, String)> {
    let mut found: Vec<(usize, String)> = Vec::new();
    let mut comment_ends = 0;
    let mut in_text: Option<(usize, String)> = None;
    for (number, line) in (1..).zip(source.lines()) {
        let mut rest = line;
        loop {
            if let Some((start, mut text)) = in_text.take() {
                let end = rest.char_indices().scan(false, |escaped, (at, c)| {
                    let is_end = c == '"' && !*escaped;
                    *escaped = c == '\\' && !*escaped;
                    Some((at, is_end))
                });
                match end.into_iter().find(|(_, is_end)| *is_end) {
                    Some((at, _)) => {
                        text.push_str(&rest[..at]);
                        found.push((start, text.replace("\\n", " \n ").replace("\\\"", "\"")));
                        rest = &rest[at + 1..];
                    }
                    None => {
                        text.push_str(rest.trim().trim_end_matches('\\'));
                        text.push(' ');
                        in_text = Some((start, text));
                        break;
                    }
                }
            } else {
                rest = &rest[rest.find(['"', '/', '\'']).unwrap_or(rest.len())..];
                if let Some(comment) = rest.strip_prefix("//") {
                    let comment = comment.trim_start_matches(['/', '!']).trim();
                    match found.last_mut() {
                        Some((_, before)) if comment_ends + 1 == number && !comment.is_empty() => {
                            before.push(' ');
                            before.push_str(comment);
                        }
                        _ => found.push((number, comment.to_string())),
                    }
                    comment_ends = number;
                    break;
                }
                let Some(first) = rest.chars().next() else { break };
                match first {
                    '"' => in_text = Some((number, String::new())),
                    // A character, not a lifetime.
                    '\'' if rest[1..].starts_with('\\') => rest = rest.get(3..).unwrap_or(""),
                    '\'' if rest[1..].chars().nth(1) == Some('\'') => {
                        rest = &rest[2 + rest[1..].chars().next().map_or(0, char::len_utf8)..];
                        continue;
                    }
                    _ => {}
                }
                rest = rest.get(1..).unwrap_or("");
            }
        }
    }
    found
}

/// The paragraphs of any other file, each with the line that it starts in; pages without their blocks of code, and
/// descriptions and scripts only with their comments.
fn of_text(path: &str, text: &str) -> Vec<(usize, String)> {
    let mut found: Vec<(usize, String)> = Vec::new();
    let (mut is_code, mut is_open) = (false, false);
    for (number, line) in (1..).zip(text.lines()) {
        let comment = match path.rsplit('.').next() {
            Some("cddl") => line.split_once(';').map_or("", |(_, comment)| comment),
            Some("py") => line.split("\"\"\"").nth(1).unwrap_or(""),
            _ => line,
        };
        let line = comment.trim().trim_start_matches(['#', ';']).trim();
        if line.starts_with("```") {
            is_code = !is_code;
        }
        let is_start = line.starts_with(['|', '-', '[']);
        match found.last_mut() {
            _ if is_code || line.is_empty() => is_open = false,
            Some((_, before)) if is_open && !is_start => {
                before.push(' ');
                before.push_str(line);
            }
            _ => {
                found.push((number, line.to_string()));
                is_open = true;
            }
        }
    }
    found
}

/// All files below a folder with one of some endings, by their place in the project.
fn files(folder: &str, endings: &[&str], found: &mut Vec<String>) {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    for entry in std::fs::read_dir(root.join(folder)).unwrap() {
        let entry = entry.unwrap();
        let name = entry.file_name().into_string().unwrap();
        let path = if folder.is_empty() { name.clone() } else { format!("{folder}/{name}") };
        // What is frozen never changes, and what is built is not ours.
        if entry.path().is_dir() {
            if !folder.is_empty() && !["target", "frozen", "golden", "corpus"].contains(&name.as_str()) {
                files(&path, endings, found);
            }
        } else if endings.iter().any(|ending| name.ends_with(&format!(".{ending}"))) {
            found.push(path);
        }
    }
}

/// Returns what is wrong in a sentence: the words of a pattern without allowed words around them.
fn wrong_in<'s>(sentence: &'s str, found: &Regex, allowed: Option<&Regex>) -> Option<&'s str> {
    let is_allowed = |at: Range<usize>| {
        let mut around = allowed.iter().flat_map(|allowed| allowed.find_iter(sentence));
        around.any(|allowed| allowed.start() < at.end && at.start < allowed.end())
    };
    found.find_iter(sentence).find(|found| !is_allowed(found.range())).map(|found| found.as_str())
}

#[test]
fn every_sentence_is_plain_english() {
    let regex = |text: &str| Regex::new(&format!("(?i){text}")).unwrap();
    let patterns: Vec<_> = PATTERNS
        .iter()
        .map(|(found, allowed, instead)| {
            (regex(found), (!allowed.is_empty()).then(|| regex(allowed)), instead)
        })
        .collect();
    let mut paths = Vec::new();
    FOLDERS.iter().for_each(|(folder, endings)| files(folder, endings, &mut paths));
    assert!(paths.len() > 400, "only {} files were found", paths.len());
    let (mut wrong, mut seen) = (Vec::new(), 0);
    for path in &paths {
        let text = read(path);
        let sentences = if path.ends_with(".rs") { of_rust(&text) } else { of_text(path, &text) };
        // A single word is a name, not a sentence.
        for (line, sentence) in sentences.into_iter().filter(|(_, sentence)| sentence.contains(' ')) {
            seen += 1;
            let plain = without_code(&sentence);
            let is_exception = EXCEPTIONS.iter().any(|(file, part)| file == path && sentence.contains(part));
            for (found, allowed, instead) in patterns.iter().filter(|_| !is_exception) {
                if let Some(words) = wrong_in(&plain, found, allowed.as_ref()) {
                    wrong.push(format!("{path}:{line}: {words:?}; write {instead}"));
                }
            }
        }
    }
    assert!(seen > 10_000, "only {seen} sentences were found");
    assert!(wrong.is_empty(), "{} sentences are not plain:\n{}", wrong.len(), wrong.join("\n"));
}

/// A public call says what it does or returns, in the third person.
#[test]
fn the_first_line_about_a_public_call_begins_with_a_verb() {
    let mut paths = Vec::new();
    for name in ["keblin", "keblin-model", "keblin-schema", "keblin-macros"] {
        files(&format!("crates/{name}/src"), &["rs"], &mut paths);
    }
    let (mut wrong, mut seen) = (Vec::new(), 0);
    for path in &paths {
        let text = read(path);
        let lines: Vec<&str> = text.lines().map(str::trim).collect();
        for (at, line) in lines.iter().enumerate() {
            if !["pub fn ", "pub const fn "].iter().any(|call| line.starts_with(call)) {
                continue;
            }
            let above = lines[..at].iter().rev();
            let docs = above.skip_while(|line| !line.starts_with("///") && !line.is_empty());
            let first = docs.take_while(|line| line.starts_with("///")).last();
            let Some(first) = first.map(|first| first.trim_start_matches('/').trim()) else { continue };
            seen += 1;
            let word = first.split(' ').next().unwrap_or_default();
            if !(word.ends_with('s') && word != "Its" && word != "This") {
                wrong.push(format!("{path}:{}: {first}", at + 1));
            }
        }
    }
    assert!(seen > 300, "only {seen} calls were found");
    assert!(wrong.is_empty(), "{} do not begin with a verb:\n{}", wrong.len(), wrong.join("\n"));
}
