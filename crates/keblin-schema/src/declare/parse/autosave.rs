//! `autosave`: the events that make a save due.

use super::Placed;
use super::table::Reader;
use crate::model::SaveAt;
use crate::name::nearest;
use crate::text::finding::{Code, Finding};
use crate::time::Time;

/// Reads the list; `None` if the game declares none.
pub(super) fn list(top: &Reader<'_, '_>, found: &mut Vec<Finding>) -> Option<Placed<Vec<SaveAt>>> {
    let mut chosen = Vec::new();
    for item in top.list("autosave", found)? {
        let Some(text) = top.string(item, found) else { continue };
        let of_change = text.strip_prefix("change").map(str::trim_start).and_then(every);
        let at = match (of_change, every(text)) {
            (Some(time), _) => time.map(SaveAt::ChangeEvery),
            (None, Some(time)) => time.map(SaveAt::Every),
            (None, None) => word(text),
        };
        match at {
            Ok(at) if chosen.contains(&at) => {
                let finding = Finding::error(Code::SameId, item.span(), "`autosave` lists this twice");
                found.push(finding.instead("leave it out"));
            }
            Ok(at) => chosen.push(at),
            Err(instead) => {
                let message = format!("unknown autosave trigger `{text}`");
                found.push(Finding::error(Code::UnknownWord, item.span(), message).instead(instead));
            }
        }
    }
    Some(Placed { value: chosen, span: top.key_span("autosave") })
}

fn word(text: &str) -> Result<SaveAt, String> {
    let known = || SaveAt::WORDS.iter().map(|(word, _)| *word);
    let word = SaveAt::WORDS.iter().find(|(word, _)| *word == text).map(|(_, at)| *at);
    word.ok_or_else(|| match nearest(text, known()) {
        Some(nearest) => format!("write {nearest:?}"),
        None => format!("write one of: {}, every 60s", known().collect::<Vec<_>>().join(", ")),
    })
}

/// Reads `every 60s`; `None` for anything that does not start like it.
fn every(text: &str) -> Option<Result<Time, String>> {
    let time = text.strip_prefix("every")?.trim();
    Some(match time.parse::<Time>() {
        Ok(time) if time > Time::ZERO => Ok(time),
        _ => Err("write a time after `every`, as in \"every 60s\"".to_string()),
    })
}
