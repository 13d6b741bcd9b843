//! Words of the page: texts that cannot harm it, links within it, and tables.

use keblin::Schema;
use keblin::text::Shown;
use maud::{Markup, html};

use super::graph::Thing;

/// Returns a text without control characters; the page escapes what HTML gives a meaning.
pub(super) fn safe(text: impl AsRef<str>) -> String {
    Shown(text.as_ref()).to_string()
}

/// Returns where the row of a level or an unlock is in the page.
pub(super) fn anchor(schema: &Schema, thing: Thing) -> String {
    match thing {
        Thing::Level(level) => {
            format!("level-{}", schema.levels.get(level).map_or("", |level| level.name.as_str()))
        }
        Thing::Unlock(unlock) => {
            format!("unlock-{}", schema.unlocks.get(unlock).map_or("", |unlock| unlock.name.as_str()))
        }
    }
}

/// A part of the page with its heading, to which the list at the top leads.
pub(super) struct Section {
    pub(super) id: &'static str,
    pub(super) title: String,
    pub(super) body: Markup,
}

impl Section {
    pub(super) fn new(id: &'static str, title: impl Into<String>, body: Markup) -> Section {
        Section { id, title: title.into(), body }
    }
}

/// A table that scrolls by itself where the page is narrow.
pub(super) fn table(caption: &str, heads: &[&str], rows: &Markup) -> Markup {
    html! {
        div.wide tabindex="0" role="region" aria-label=(caption) {
            table {
                caption.unseen { (caption) }
                thead { tr { @for head in heads { th scope="col" { (head) } } } }
                (rows)
            }
        }
    }
}
