//! Ids and lists of ids: each checked by itself, and against the others of its list.

use toml::Spanned;
use toml::de::DeString;

use super::Placed;
use super::table::{Item, Reader};
use crate::finding::{Code, Finding, Severity};
use crate::name::{Name, one_letter_apart, repaired, same_to_a_reader};

impl<'a, 'i> Reader<'a, 'i> {
    /// The value of a key as an id.
    pub(super) fn id(&self, item: &'a Item<'i>, found: &mut Vec<Finding>) -> Option<Placed<Name>> {
        placed(self.string(item, found)?, item.span(), found)
    }

    /// A key as an id.
    pub(super) fn key_id(
        &self,
        key: &Spanned<DeString<'i>>,
        found: &mut Vec<Finding>,
    ) -> Option<Placed<Name>> {
        placed(key.get_ref(), key.span(), found)
    }

    /// A key that takes a list of ids, which may not clash; `what` is one of them, in complaints.
    pub(super) fn ids(&self, key: &str, what: &str, found: &mut Vec<Finding>) -> Vec<Placed<Name>> {
        let items = self.list(key, found).unwrap_or_default();
        let ids = items.iter().filter_map(|item| self.id(item, found)).collect();
        clashes(what, ids, found)
    }
}

fn placed(text: &str, span: std::ops::Range<usize>, found: &mut Vec<Finding>) -> Option<Placed<Name>> {
    match Name::new(text) {
        Ok(value) => Some(Placed { value, span }),
        Err(fault) => {
            let finding = Finding::error(Code::BadId, span, format!("`{text}` is not an id: {fault}"));
            found.push(match repaired(text) {
                Some(id) => finding.instead(format!("write `{id}`")),
                None => finding,
            });
            None
        }
    }
}

/// Complains about ids of one list that a person cannot keep apart, and leaves the later ones out.
pub(crate) fn clashes(what: &str, ids: Vec<Placed<Name>>, found: &mut Vec<Finding>) -> Vec<Placed<Name>> {
    let mut apart: Vec<Placed<Name>> = Vec::new();
    for id in ids {
        let name = id.value.as_str();
        if let Some(other) = apart.iter().find(|other| same_to_a_reader(other.value.as_str(), name)) {
            let message = format!("{what} `{name}` is the same to a reader as `{}`", other.value);
            let finding = Finding::error(Code::SameId, id.span.clone(), message);
            found.push(finding.instead("give one of them another id, or leave one out"));
            continue;
        }
        if let Some(other) = apart.iter().find(|other| one_letter_apart(other.value.as_str(), name)) {
            let message = format!("{what} `{name}` is one letter away from `{}`", other.value);
            let finding = Finding::error(Code::NearId, id.span.clone(), message).as_severity(Severity::Hint);
            found.push(finding.instead("if both are meant, all is well"));
        }
        apart.push(id);
    }
    apart
}
