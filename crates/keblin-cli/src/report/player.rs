//! One player's save: where the player is, when and why it was saved, and what verifying it found.

use keblin::Progress;
use keblin::save::StateHead;
use keblin::verify::SaveFinding;
use maud::{Markup, html};

use super::words::{safe, table};
use crate::out::writers::Written;
use crate::out::{played, waits, when};

/// A save that was opened.
pub(crate) struct Player {
    pub(crate) file: String,
    pub(crate) progress: Progress,
    pub(crate) head: StateHead,
    pub(crate) findings: Vec<SaveFinding>,
    pub(crate) written: Written,
}

pub(super) fn player(player: &Player) -> Markup {
    let Player { file, progress, head, findings, written } = player;
    let schema = progress.schema();
    let stars: u64 = progress.level_cards(None).iter().map(|card| u64::from(card.facts.stars)).sum();
    let finished = progress.level_cards(None).iter().filter(|card| card.facts.finished).count();
    let difficulty = progress.difficulty().map_or(0, |difficulty| difficulty.index());
    let difficulty = schema.difficulties.get(difficulty).map_or("", |name| name.as_str());
    html! {
        dl.facts {
            div { dt { "save" } dd { code { (safe(file)) } } }
            @if let Some(title) = progress.title() { div { dt { "title" } dd { (safe(title)) } } }
            div { dt { "saved" } dd { (when(head.saved_at_unix_ms)) ", at " (head.cause) ", number " (head.number) } }
            div { dt { "played" } dd { (safe(played(progress).to_string())) } }
            div { dt { "run" } dd { (safe(waits(progress))) } }
            @if !schema.levels.is_empty() {
                div {
                    dt { "levels" }
                    dd {
                        (finished) " of " (schema.levels.len()) " finished"
                        @if schema.levels.iter().any(|level| level.stars > 0) { ", " (stars) " stars" }
                        @if schema.level_facts_per_difficulty {
                            ", on " (difficulty)
                        }
                    }
                }
            }
            @if written.is_of_machines() {
                div {
                    dt { "machines" }
                    dd {
                        @for (place, (machine, last)) in written.writers.machines.iter().enumerate() {
                            @if place > 0 { br; }
                            (written.machine(*machine)) ", wrote last " (when(*last))
                        }
                    }
                }
            }
            @if head.edited { div { dt { "made by" } dd { "a tool" } } }
        }
        @if written.is_of_machines() {
            (table("Who wrote what", &["value", "written by"], &html! {
                tbody {
                    @for value in &written.writers.values {
                        tr { th scope="row" { (safe(&value.what)) } td { (safe(written.shares(value))) } }
                    }
                }
            }))
        }
        @if findings.is_empty() {
            p.good { "✓ Verified: nothing was found." }
        } @else {
            ul.findings {
                @for finding in findings {
                    li {
                        strong class=(finding.severity.as_str()) { (finding.severity.as_str()) } " "
                        code { (finding.code.as_str()) } ": " (safe(&finding.place)) ": " (safe(&finding.message))
                    }
                }
            }
        }
    }
}
