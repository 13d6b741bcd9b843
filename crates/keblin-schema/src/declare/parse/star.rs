//! `stars` of a level: a number, or a list of conditions, each with or without an id.

use toml::de::DeValue;

use super::Placed;
use super::ids::clashes;
use super::level::{ConditionDecl, condition};
use super::table::{Item, Reader, type_text};
use crate::model::MAX_STARS;
use crate::name::Name;
use crate::text::finding::{Code, Finding};

/// A level's rating as declared.
#[derive(Clone, Debug)]
pub(crate) enum StarsDecl {
    /// The game gives up to this many.
    Given(u8),
    /// One star per condition.
    Rules {
        /// The ids of all stars, or none.
        ids: Vec<Placed<Name>>,
        rules: Vec<ConditionDecl>,
    },
}

const STAR_KEYS: &[&str] = &["id", "when"];

pub(super) fn stars(reader: &Reader<'_, '_>, found: &mut Vec<Finding>) -> StarsDecl {
    let Some(item) = reader.get("stars") else { return StarsDecl::Given(0) };
    if let DeValue::Array(list) = item.get_ref() {
        return rules(reader, item, list, found);
    }
    let Some(number) = reader.integer(item, found) else { return StarsDecl::Given(0) };
    match u8::try_from(number) {
        Ok(stars) if stars <= MAX_STARS => StarsDecl::Given(stars),
        _ => {
            let message = format!("`stars` must be from 0 to {MAX_STARS}, but found {number}");
            found.push(Finding::error(Code::OutOfRange, item.span(), message));
            StarsDecl::Given(0)
        }
    }
}

fn rules(reader: &Reader<'_, '_>, item: &Item<'_>, list: &[Item<'_>], found: &mut Vec<Finding>) -> StarsDecl {
    let is_star = |item: &&Item<'_>| matches!(item.get_ref(), DeValue::Table(_) | DeValue::String(_));
    if let Some(other) = list.iter().find(|item| !is_star(item)) {
        let message = "expected a condition as a text, or a table with `id` and `when`";
        let message = format!("{message}, but found {}", type_text(other.get_ref()));
        let finding = Finding::error(Code::WrongType, other.span(), message);
        found.push(finding.instead("write a condition for each star, such as \"score >= 10\""));
        return StarsDecl::Rules { ids: Vec::new(), rules: Vec::new() };
    }
    let stars: Vec<_> = list.iter().filter_map(|item| star(reader, item, found)).collect();
    if stars.len() > usize::from(MAX_STARS) {
        let message = format!("a level has at most {MAX_STARS} stars, and this list has {}", stars.len());
        found.push(Finding::error(Code::OutOfRange, item.span(), message));
        return StarsDecl::Rules { ids: Vec::new(), rules: Vec::new() };
    }
    if let Some((_, plain)) = stars.iter().find(|(id, _)| id.is_none())
        && stars.iter().any(|(id, _)| id.is_some())
    {
        let message = "this star needs an id, because other stars of the level have one";
        let finding = Finding::error(Code::MissingKey, plain.span.clone(), message);
        found.push(finding.instead("write `{ id = \"ID\", when = \"CONDITION\" }`"));
    }
    let (ids, rules): (Vec<_>, Vec<_>) = stars.into_iter().unzip();
    StarsDecl::Rules { ids: clashes("star", ids.into_iter().flatten().collect(), found), rules }
}

/// Reads `{ id = "dry", when = "oil == oil_cap" }`, or a condition alone.
fn star(
    reader: &Reader<'_, '_>,
    item: &Item<'_>,
    found: &mut Vec<Finding>,
) -> Option<(Option<Placed<Name>>, ConditionDecl)> {
    match item.get_ref() {
        DeValue::Table(table) => {
            let reader = Reader::new("a star", table, item.span(), STAR_KEYS, reader.text(), found);
            let id = reader.required("id", found, "id = \"first\"").and_then(|id| reader.id(id, found));
            let when = reader.required("when", found, "when = \"true\"");
            let when = when.and_then(|when| condition(&reader, when, found));
            Some((Some(id?), when?))
        }
        _ => Some((None, condition(reader, item, found)?)),
    }
}
