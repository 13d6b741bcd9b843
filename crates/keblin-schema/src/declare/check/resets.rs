//! Resets: what their parts are, and what they leave that depends on what goes.

use crate::condition::{Program, Read};
use crate::declare::parse::{Declarations, Placed};
use crate::model::{Axis, Extent, FeedAt, FieldDef, Model, ResetDef, ResetLevels, ResetPart, Scope};
use crate::name::nearest;
use crate::program::Fact;
use crate::text::finding::{Code, Finding};
use crate::value::keep::Keep;
use keblin_model::Severity;

use super::bounds::programs;

/// Resolves the parts of every reset.
pub(super) fn resolve(declared: &Declarations, model: &Model, found: &mut Vec<Finding>) -> Vec<ResetDef> {
    let resolved = declared.resets.iter().map(|reset| {
        let parts = reset.parts.iter().filter_map(|text| match part(model, &text.value) {
            Ok(part) => Some((text.value.clone(), part)),
            Err((message, instead)) => {
                let finding = Finding::error(Code::UnknownName, text.span.clone(), message);
                found.push(match instead {
                    Some(instead) => finding.instead(instead),
                    None => finding,
                });
                None
            }
        });
        ResetDef {
            name: reset.name.value.clone(),
            title: reset.title.clone().unwrap_or_else(|| reset.name.value.to_string()),
            parts: parts.collect(),
            keeps: reset.keeps,
        }
    });
    resolved.collect()
}

/// What is wrong with a part, and what to write.
type Wrong = (String, Option<String>);

const PARTS: [&str; 9] =
    ["facts", "fields", "groups", "levels", "chapters", "unlocks", "moments", "played", "run"];

fn part(model: &Model, text: &str) -> Result<ResetPart, Wrong> {
    let words: Vec<&str> = text.split('.').collect();
    let fact = |word: &str| Fact::ALL.iter().copied().find(|fact| fact.as_str() == word);
    match *words.as_slice() {
        ["facts"] => Ok(ResetPart::Facts(ResetLevels::All, None)),
        ["facts", word] => {
            let known = Fact::ALL.iter().map(|fact| fact.as_str());
            let fact = fact(word).ok_or_else(|| unknown("a fact", word, known))?;
            Ok(ResetPart::Facts(ResetLevels::All, Some(fact)))
        }
        ["fields"] => Ok(ResetPart::Fields),
        ["fields", word] => Ok(ResetPart::Field(field(model, word)?)),
        ["groups", id] => group(model, id),
        ["levels", id] => Ok(ResetPart::Levels(level(model, id)?)),
        ["levels", id, word] => of_levels(model, level(model, id)?, word),
        ["chapters", id] => Ok(ResetPart::Levels(chapter(model, id)?)),
        ["chapters", id, word] => of_levels(model, chapter(model, id)?, word),
        ["unlocks"] => Ok(ResetPart::Unlocks),
        ["unlocks", id] => {
            let known = model.unlocks.iter().map(|unlock| unlock.name.as_str());
            let at = model.unlock_named(id).ok_or_else(|| unknown("a declared unlock", id, known))?;
            let latches =
                model.unlocks.get(at).is_some_and(|unlock| unlock.latch || !unlock.costs.is_empty());
            let instead = || Some("name what its rule asks for".to_string());
            latches
                .then_some(ResetPart::Unlock(at))
                .ok_or_else(|| (format!("`{id}` does not latch, so a save does not have it"), instead()))
        }
        ["moments"] => Ok(ResetPart::Moments),
        ["moments", id] => {
            let at = model.moments.iter().position(|moment| moment.name.as_str() == id);
            let known = model.moments.iter().map(|moment| moment.name.as_str());
            at.map(ResetPart::Moment).ok_or_else(|| unknown("a declared moment", id, known))
        }
        ["played"] => Ok(ResetPart::Played),
        ["run"] => Ok(ResetPart::Run),
        [first, ..] if PARTS.contains(&first) => Err((
            format!("`{text}` is not a part of a profile"),
            Some("write a name after it, such as `fields.coins` or `levels.first`".to_string()),
        )),
        _ => {
            let first = words.first().copied().unwrap_or_default();
            let instead = match model.field_named(first) {
                Some(_) => format!("write `fields.{first}`"),
                None => format!("a part begins with one of: {}", PARTS.join(", ")),
            };
            Err((format!("`{text}` is not a part of a profile"), Some(instead)))
        }
    }
}

fn unknown<'n>(what: &str, word: &str, known: impl Iterator<Item = &'n str>) -> Wrong {
    (format!("`{word}` is not {what}"), nearest(word, known).map(|near| format!("did you mean `{near}`?")))
}

fn level(model: &Model, id: &str) -> Result<ResetLevels, Wrong> {
    let known = model.levels.iter().map(|level| level.name.as_str());
    model.level_named(id).map(ResetLevels::One).ok_or_else(|| unknown("a declared level", id, known))
}

fn chapter(model: &Model, id: &str) -> Result<ResetLevels, Wrong> {
    let known = model.chapters.iter().map(|chapter| chapter.name.as_str());
    model.chapter_named(id).map(ResetLevels::Chapter).ok_or_else(|| unknown("a declared chapter", id, known))
}

fn group(model: &Model, id: &str) -> Result<ResetPart, Wrong> {
    let known = model.groups.iter().map(|group| group.name.as_str());
    let at = model.groups.iter().position(|group| group.name.as_str() == id);
    let at = at.ok_or_else(|| unknown("a declared group", id, known))?;
    let is_of_profile = |field: &FieldDef| field.group == Some(at) && field.scope == Scope::Profile;
    match model.fields.iter().any(is_of_profile) {
        true => Ok(ResetPart::Group(at)),
        false => Err((format!("no field of `{id}` has profile scope"), Some("leave it out".to_string()))),
    }
}

fn field(model: &Model, id: &str) -> Result<usize, Wrong> {
    let known = model.fields.iter().map(|field| field.name.as_str());
    let (at, def) = model.field_named(id).ok_or_else(|| unknown("a declared field", id, known))?;
    match def.scope {
        Scope::Profile => Ok(at),
        Scope::Device => {
            Err((format!("`{id}` is a setting, outside the profile"), Some("leave it out".to_string())))
        }
        _ => Err((format!("`{id}` is part of the run"), Some("write `run`".to_string()))),
    }
}

/// `stars` or a field, after a level or a chapter.
fn of_levels(model: &Model, levels: ResetLevels, word: &str) -> Result<ResetPart, Wrong> {
    if let Some(fact) = Fact::ALL.iter().copied().find(|fact| fact.as_str() == word) {
        return Ok(ResetPart::Facts(levels, Some(fact)));
    }
    let at = field(model, word)?;
    match model.fields.get(at).is_some_and(|field| field.per.contains(&Axis::Level)) {
        true => Ok(ResetPart::FieldAt(levels, at)),
        false => Err((
            format!("`{word}` does not have one value per level"),
            Some(format!("write `fields.{word}`")),
        )),
    }
}

/// Finds what a reset leaves although it depends on what goes.
pub(super) fn doubt(declared: &Declarations, model: &Model, found: &mut Vec<Finding>) {
    for (reset, decl) in model.resets.iter().zip(&declared.resets) {
        let extent = model.extent(reset);
        bounds(model, &extent, &decl.name, found);
        invariants(model, &extent, &decl.name, found);
        sums(model, &extent, &decl.name, found);
    }
}

fn left<T>(reset: &Placed<T>, message: String, instead: &str) -> Finding {
    Finding::error(Code::LeftBehind, reset.span.clone(), message)
        .as_severity(Severity::Warning)
        .instead(instead)
}

/// A value that stays is clamped to a bound that goes.
fn bounds(model: &Model, extent: &Extent, reset: &Placed<crate::name::Name>, found: &mut Vec<Finding>) {
    for (index, field) in model.fields.iter().enumerate().filter(|(_, field)| field.scope == Scope::Profile) {
        let stays = field.cells.clone().any(|cell| !extent.has_cell(cell));
        if stays && programs(model, index).any(|bound| asks(model, extent, bound, true)) {
            let message =
                format!("`{}` keeps `{}`, but erases what its bound follows", reset.value, field.name);
            found.push(left(reset, message, "erase both, or keep both"));
        }
    }
}

/// An invariant compares what stays with what goes.
fn invariants(model: &Model, extent: &Extent, reset: &Placed<crate::name::Name>, found: &mut Vec<Finding>) {
    for invariant in &model.invariants {
        let Some(rule) = &invariant.holds else { continue };
        if [true, false].into_iter().all(|erased| asks(model, extent, &rule.program, erased)) {
            let message = format!(
                "`{}` erases some of what the invariant `{}` compares, and keeps the rest",
                reset.value, invariant.name
            );
            found.push(left(reset, message, "erase all of it, or keep all of it"));
        }
    }
}

/// A sum that stays counts a level again that can be finished again.
fn sums(model: &Model, extent: &Extent, reset: &Placed<crate::name::Name>, found: &mut Vec<Finding>) {
    let unfinishes = (0..model.fact_count()).any(|index| extent.has_fact(index, Fact::Finished));
    let fed = |at| {
        move |field: &&FieldDef| {
            field.keep == Keep::Sum && field.feed.as_ref().is_some_and(|feed| feed.at.contains(&at))
        }
    };
    for field in model.fields.iter().filter(fed(FeedAt::Finish)).filter(|_| unfinishes) {
        if field.cells.clone().any(|cell| !extent.has_cell(cell)) {
            let message = format!(
                "`{}` makes levels unfinished and keeps `{}`, which counts them again",
                reset.value, field.name
            );
            let finding =
                left(reset, message, "erase it too, or ignore this if it is meant to grow over all journeys");
            found.push(finding.as_severity(Severity::Hint));
        }
    }
}

/// Returns whether a program reads something in the profile that a reset erases, or something that it keeps.
fn asks(model: &Model, extent: &Extent, program: &Program, erased: bool) -> bool {
    program.reads().iter().any(|read| match read {
        Read::Cells(cells) => cells.clone().any(|cell| {
            let is_of_profile = model.field_at(cell).is_some_and(|field| field.scope == Scope::Profile);
            is_of_profile && extent.has_cell(cell) == erased
        }),
        Read::Fact { fact, level } => (0..model.fact_count()).any(|index| {
            let is_of_level = level.is_none_or(|level| model.fact_place(index).level == Some(level));
            is_of_level && extent.has_fact(index, *fact) == erased
        }),
        Read::Unlocked(unlock) => extent.unlocks.get(*unlock) == Some(&erased),
        Read::Played => extent.played == erased,
        Read::Word(_) => false,
    })
}
