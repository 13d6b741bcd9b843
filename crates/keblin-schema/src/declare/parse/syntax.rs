//! What is not TOML: one finding for each line, with what to write where that is clear.

use std::collections::HashSet;
use std::ops::Range;

use crate::text::finding::{Code, Finding, MAX_FINDINGS};

/// Reports the faults of the parser, one for each line and one for a table that is there twice. Returns whether another
/// finding is about such a line, and so may follow from the fault.
pub(super) fn findings(
    text: &str,
    faults: &[toml::de::Error],
    found: &mut Vec<Finding>,
) -> impl Fn(&Finding) -> bool + use<> {
    let starts: Vec<usize> =
        std::iter::once(0).chain(text.match_indices('\n').map(|(at, _)| at + 1)).collect();
    let line_of = |starts: &[usize], at: usize| starts.partition_point(|start| *start <= at);
    let mut lines = HashSet::new();
    let mut table_is_there_twice = false;
    for fault in faults {
        let span = fault.span().unwrap_or(0..0);
        let line = line_of(&starts, span.start);
        if !lines.insert(line) {
            continue;
        }
        let start = starts.get(line - 1).copied().unwrap_or_default();
        let whole = text.get(start..).and_then(|rest| rest.lines().next()).unwrap_or_default();
        let is_heading = whole.trim_start().starts_with('[');
        let is_twice = fault.message().starts_with("duplicate key");
        // The keys of a table that is there twice are not mistakes of their own.
        if is_twice && table_is_there_twice && !is_heading {
            continue;
        }
        table_is_there_twice = is_twice && is_heading;
        found.push(match lines.len() {
            // Of so many nobody reads what to write.
            MAX_FINDINGS.. => {
                Finding::error(Code::Syntax, span, format!("this is not TOML: {}", fault.message()))
            }
            _ => finding(text, span, (line, whole), fault.message()),
        });
    }
    move |finding| lines.contains(&line_of(&starts, finding.span.start))
}

fn finding(text: &str, span: Range<usize>, (line, whole): (usize, &str), message: &str) -> Finding {
    let name = text.get(span.clone()).unwrap_or_default();
    let before: Vec<&str> = text.lines().take(line.saturating_sub(1)).collect();
    let key = |line: &str| line.split('=').next().unwrap_or_default().trim().to_string();
    let first = match whole.trim_start().starts_with('[') {
        true => before.iter().position(|other| other.trim() == whole.trim()),
        // A key is there twice in its own table.
        false => {
            let heading = before.iter().rposition(|other| other.trim_start().starts_with('[')).unwrap_or(0);
            (heading..before.len()).find(|at| before.get(*at).is_some_and(|other| key(other) == key(whole)))
        }
    };
    let first = first.map(|at| at + 1);
    if let (true, Some(first)) = (message.starts_with("duplicate key"), first) {
        let message = format!("`{name}` is declared twice: first in line {first}");
        return Finding::error(Code::Syntax, span, message)
            .instead("give one of them another name, or leave one out");
    }
    let finding = Finding::error(Code::Syntax, span, format!("this is not TOML: {message}"));
    match instead(whole) {
        Some(instead) => finding.instead(instead),
        None => finding,
    }
}

/// Returns what to write instead of a line that people know from other formats.
fn instead(line: &str) -> Option<String> {
    let line = line.trim();
    if ["//", "/*", "--", ";"].iter().any(|start| line.starts_with(start)) {
        return Some("begin a comment with `#`".to_string());
    }
    let (key, value) = match (line.split_once('='), line.split_once(':')) {
        (None, Some((key, _))) if is_word(key.trim()) => return Some(format!("write `{} = …`", key.trim())),
        (Some((key, value)), _) => (key.trim(), value.trim()),
        (None, _) => return None,
    };
    match value.trim_end_matches([';', ',']) {
        cut if cut != value => Some(format!("write `{key} = {cut}`")),
        bare if is_word(bare) => Some(format!("write `{key} = \"{bare}\"`")),
        open if open.matches('"').count() % 2 == 1 => Some("close the text with `\"`".to_string()),
        _ => None,
    }
}

fn is_word(text: &str) -> bool {
    !text.is_empty() && text.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
}
