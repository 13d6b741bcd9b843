//! What the names in conditions refer to: fields, level facts, and what the engine keeps.
//!
//! If facts or fields are kept per difficulty, a name without a difficulty means the current one: that of the run, or
//! the one last chosen.

/// What a name refers to.
mod asked;

/// The parts after a field's name.
mod parts;

/// What people write for a name who know other words.
mod meant;

/// Why a name is not valid, and the parts of names.
mod error;

use asked::difficulty_named;
use parts::{asked_of, has_parts, of_field};

use crate::model::{At, Axis, FieldDef, Model};
pub use crate::program::{Fact, On};
use crate::text::name::nearest;
use crate::value::kind::Kind;

pub use asked::{Asked, ENGINE, PHASES, ids_of};
pub use error::{ConditionError, Part};

/// The level that a rule is about.
pub const THIS: &str = "this";

/// The level before the one that a rule is about.
pub const PREVIOUS: &str = "previous";

/// Resolves a name as it is written, such as `levels.reedgate.stars`, against a schema.
///
/// # Errors
/// As [`resolve`].
pub fn named(model: &Model, text: &str) -> Result<Asked, ConditionError> {
    let mut start = 0;
    let parts = text.split('.').map(|word| {
        let part = Part { word: word.to_string(), span: start..start + word.len() };
        start += word.len() + 1;
        part
    });
    resolve(model, &parts.collect::<Vec<_>>())
}

/// Resolves a name made of parts against a schema.
///
/// # Errors
/// [`ConditionError`] at the first unknown part, with the nearest known name.
pub fn resolve(model: &Model, path: &[Part]) -> Result<Asked, ConditionError> {
    match path {
        [only] => alone(model, only),
        [first, level, rest @ ..] if first.word == "levels" => of_level(model, level, rest),
        [first, rest @ ..] if first.word == "totals" => total(model, first, rest, None),
        [first, chapter, rest @ ..] if first.word == "chapters" => {
            total(model, chapter, rest, Some(chapter_named(model, chapter)?))
        }
        [first, unlock] if first.word == "unlocked" => {
            let known = || model.unlocks.iter().map(|unlock| unlock.name.as_str());
            let missing = format!("`{}` is not a declared unlock", unlock.word);
            let missing =
                || ConditionError::new(unlock.span.clone(), missing).meant(nearest(&unlock.word, known()));
            model.unlock_named(&unlock.word).map(Asked::Unlocked).ok_or_else(missing)
        }
        [first, rest @ ..] if has_parts(model, first) => of_field(model, first, rest),
        [first, rest @ ..] => Err(ConditionError::new(
            first.span.clone(),
            format!("nothing can follow `{}` with a dot", first.word),
        )
        .meant(nearest(&first.word, ["levels", "chapters", "totals", "unlocked", THIS, PREVIOUS]))
        .instead_if(meant::with_parts(model, &first.word, rest))),
        [] => Err(ConditionError::new(0..0, "expected a name, but found nothing")),
    }
}

fn alone(model: &Model, part: &Part) -> Result<Asked, ConditionError> {
    if let Some((_, asked)) = ENGINE.iter().find(|(word, _)| *word == part.word) {
        return Ok(asked.clone());
    }
    match model.field_named(&part.word) {
        Some((_, def)) if def.per.contains(&Axis::Level) => {
            let message = format!("`{}` has one value per level", part.word);
            let instead = format!("write `levels.LEVEL.{}`", part.word);
            Err(ConditionError { instead: Some(instead), ..ConditionError::new(part.span.clone(), message) })
        }
        Some(_) => of_field(model, part, &[]),
        None => {
            let fields = model.fields.iter().map(|field| field.name.as_str());
            let known = fields
                .chain(ENGINE.iter().map(|(word, _)| *word))
                .chain(["levels", "chapters", "totals", "unlocked"]);
            Err(ConditionError::new(part.span.clone(), format!("`{}` is not a declared field", part.word))
                .meant(nearest(&part.word, known))
                .instead_if(meant::alone(model, &part.word)))
        }
    }
}

fn of_level(model: &Model, level: &Part, rest: &[Part]) -> Result<Asked, ConditionError> {
    let level_index = model.level_named(&level.word).ok_or_else(|| {
        let known = model.levels.iter().map(|level| level.name.as_str());
        ConditionError::new(level.span.clone(), format!("`{}` is not a declared level", level.word))
            .meant(nearest(&level.word, known))
    })?;
    let kept = |part: &Part| {
        let is_field =
            model.field_named(&part.word).is_some_and(|(_, field)| field.per.contains(&Axis::Level));
        is_field || Fact::ALL.iter().any(|fact| fact.as_str() == part.word)
    };
    let (on, what, items) = match rest {
        [what, items @ ..] if kept(what) || items.is_empty() => (On::InQuestion, what, items),
        [difficulty, what, items @ ..] if difficulty.word == "any" => (On::Any, what, items),
        [difficulty, what, items @ ..] => (On::One(difficulty_named(model, difficulty)?), what, items),
        _ => {
            let message = "expected a property of the level, such as `.finished`, but found the end";
            return Err(ConditionError::new(level.span.clone(), message));
        }
    };
    let Some(fact) = Fact::ALL.iter().copied().find(|fact| fact.as_str() == what.word) else {
        return field_of_level(model, level_index, (what, items), on);
    };
    match items {
        [extra, ..] => {
            Err(ConditionError::new(extra.span.clone(), format!("`{}` is one part too many", extra.word)))
        }
        [] => fact_on(model, what, fact, on).map(|on| Asked::Fact { level: level_index, on, fact }),
    }
}

/// Checks that a fact can be read on a difficulty. If facts are not kept per difficulty there is nothing to choose.
fn fact_on(model: &Model, what: &Part, fact: Fact, on: On) -> Result<On, ConditionError> {
    let message = match on {
        On::Any if !matches!(fact, Fact::Finished | Fact::Stars) => {
            format!("`{}` is counted per difficulty, so `any` is not clear", what.word)
        }
        On::One(_) if !model.level_facts_per_difficulty => {
            format!("`{}` is not kept per difficulty", what.word)
        }
        on => return Ok(on),
    };
    Err(ConditionError::new(what.span.clone(), message)
        .instead("leave the difficulty out, or name a fact that is kept per difficulty"))
}

/// Resolves a field that has one value per level, with the parts after it.
fn field_of_level(
    model: &Model,
    level: usize,
    (what, items): (&Part, &[Part]),
    on: On,
) -> Result<Asked, ConditionError> {
    let per_level = |field: &FieldDef| field.per.contains(&Axis::Level);
    match model.field_named(&what.word).filter(|(_, def)| per_level(def)) {
        Some((field, def)) if on == On::InQuestion || def.per.contains(&Axis::Difficulty) => match on {
            On::Any => {
                let message = format!("`{}` has one value per difficulty, so `any` is not clear", what.word);
                Err(ConditionError::new(what.span.clone(), message).instead("name a difficulty"))
            }
            on => asked_of(model, (field, def), what, At::level(Some(level), on.one()), items),
        },
        Some((_, def)) => {
            let message = format!("`{}` does not have one value per difficulty", def.name);
            Err(ConditionError::new(what.span.clone(), message).instead("leave the difficulty out"))
        }
        None => {
            let fields =
                model.fields.iter().filter(|field| per_level(field)).map(|field| field.name.as_str());
            let known = Fact::ALL.iter().map(|fact| fact.as_str()).chain(fields);
            let message = format!("`{}` is not kept per level", what.word);
            let near = meant::fact(&what.word).or_else(|| nearest(&what.word, known));
            Err(ConditionError::new(what.span.clone(), message).meant(near))
        }
    }
}

/// Resolves the position of a chapter.
///
/// # Errors
/// [`ConditionError`] for a chapter that is not declared, with the nearest one.
pub fn chapter_named(model: &Model, part: &Part) -> Result<usize, ConditionError> {
    model.chapter_named(&part.word).ok_or_else(|| {
        let known = model.chapters.iter().map(|chapter| chapter.name.as_str());
        ConditionError::new(part.span.clone(), format!("`{}` is not a declared chapter", part.word))
            .meant(nearest(&part.word, known))
    })
}

/// Resolves `totals.stars`, `totals.neap.stars`, `totals.any.stars`, `totals.all.stars`, the same for `finished`, and
/// the same for a chapter.
fn total(
    model: &Model,
    first: &Part,
    rest: &[Part],
    chapter: Option<usize>,
) -> Result<Asked, ConditionError> {
    let (on, what) = match rest {
        [what] => (On::InQuestion, what),
        [all, what] if all.word == "all" => (On::All, what),
        [any, what] if any.word == "any" => (On::Any, what),
        [difficulty, what] => (On::One(difficulty_named(model, difficulty)?), what),
        _ => {
            let end = rest.last().unwrap_or(first).span.end;
            let message = "expected `.stars` or `.finished` here, or one of them on a difficulty";
            return Err(ConditionError::new(first.span.start..end, message));
        }
    };
    if let Some((field, def)) = model.field_named(&what.word) {
        return sum((field, def), what, on, chapter);
    }
    let fact = [Fact::Stars, Fact::Finished].into_iter().find(|fact| fact.as_str() == what.word);
    let fact = fact.ok_or_else(|| {
        let fields = model.fields.iter().filter(|field| !field.per.is_empty());
        let known = ["stars", "finished"].into_iter().chain(fields.map(|field| field.name.as_str()));
        ConditionError::new(what.span.clone(), format!("`{}` does not have a total", what.word))
            .meant(nearest(&what.word, known).or(Some("stars")))
    })?;
    fact_on(model, what, fact, on).map(|on| Asked::Total { fact, on, chapter })
}

/// Resolves the values of a field at all its places together.
fn sum(
    (field, def): (usize, &FieldDef),
    what: &Part,
    on: On,
    chapter: Option<usize>,
) -> Result<Asked, ConditionError> {
    let error = |message: String, instead: &str| {
        Err(ConditionError::new(what.span.clone(), message).instead(instead))
    };
    let per_difficulty = def.per.contains(&Axis::Difficulty);
    match (def.kind, on) {
        _ if def.per.is_empty() => error(format!("`{}` has one value", def.name), "leave `totals` out"),
        _ if chapter.is_some() && !def.per.contains(&Axis::Level) => {
            error(format!("`{}` does not have one value per level", def.name), "write `totals` instead")
        }
        (kind, _) if !matches!(kind, Kind::Int | Kind::Time | Kind::Bool) && !kind.has_items() => error(
            format!("`{}` cannot be added up, because it is {}", def.name, kind.with_article()),
            "name one of its values",
        ),
        (_, On::Any) => error(
            format!("`{}` has one value per difficulty, so `any` is not clear", def.name),
            "write `all`, or name a difficulty",
        ),
        (_, On::One(_)) if !per_difficulty => error(
            format!("`{}` does not have one value per difficulty", def.name),
            "leave the difficulty out",
        ),
        _ => Ok(Asked::Sum { field, on, chapter }),
    }
}
