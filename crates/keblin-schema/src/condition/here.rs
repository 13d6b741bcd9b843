//! Names that a rule says for whatever level it is about: `this` and `previous`. They, and the constants of levels, are
//! replaced when a rule is compiled, so that nothing is looked up when it is evaluated.

use super::parse::{Expr, Node, parse};
use super::{ConditionError, Part};
use crate::model::Model;
use crate::names::{self, PREVIOUS, THIS};
use crate::value::Value;

/// Parses a condition, with constants as literals. `level` is the level that `this` means; `None` if there is none.
///
/// # Errors
/// [`ConditionError`] for the first mistake.
#[doc(hidden)]
pub fn parse_in(model: &Model, source: &str, level: Option<usize>) -> Result<Expr, ConditionError> {
    let mut expr = parse(source)?;
    each_path(&mut expr, &mut |node| here(model, level, node))?;
    Ok(expr)
}

/// Returns whether a condition names the level before its own. One that is not valid does not.
pub(crate) fn names_previous(source: &str) -> bool {
    let mut found = false;
    let look = |node: &mut Node| {
        found |= matches!(node, Node::Path(path) if path.first().is_some_and(|part| part.word == PREVIOUS));
        Ok(())
    };
    parse(source).is_ok_and(|mut expr| each_path(&mut expr, &mut { look }).is_ok()) && found
}

/// Calls a function for each name of an expression.
fn each_path(
    expr: &mut Expr,
    act: &mut impl FnMut(&mut Node) -> Result<(), ConditionError>,
) -> Result<(), ConditionError> {
    match &mut expr.node {
        Node::Literal(_) => Ok(()),
        node @ Node::Path(_) => act(node),
        Node::Not(inner) | Node::Negate(inner) => each_path(inner, act),
        Node::And(left, right)
        | Node::Or(left, right)
        | Node::Compare(_, left, right)
        | Node::Arithmetic(_, left, right)
        | Node::In(left, right) => {
            each_path(left, act)?;
            each_path(right, act)
        }
        Node::List(items) | Node::Call(_, items) => {
            items.iter_mut().try_for_each(|item| each_path(item, act))
        }
        Node::Choose(condition, yes, no) => {
            each_path(condition, act)?;
            each_path(yes, act)?;
            each_path(no, act)
        }
    }
}

/// Replaces a name by what it means in a rule of a level.
fn here(model: &Model, level: Option<usize>, node: &mut Node) -> Result<(), ConditionError> {
    let Node::Path(path) = node else { return Ok(()) };
    if let Some(first) = path.first().filter(|first| [THIS, PREVIOUS].contains(&first.word.as_str())) {
        let of = level_meant(model, level, first, path.len())?;
        let word = |word: &str| Part { word: word.to_string(), span: first.span.clone() };
        let level = [word("levels"), word(of)];
        path.splice(..1, level);
    }
    if let Some(value) = constant(model, path)? {
        *node = Node::Literal(value);
    }
    Ok(())
}

/// Returns the id of the level that `this` or `previous` means.
fn level_meant<'m>(
    model: &'m Model,
    level: Option<usize>,
    word: &Part,
    parts: usize,
) -> Result<&'m str, ConditionError> {
    let here = level.ok_or_else(|| {
        let message =
            format!("`{}` has a meaning only in a rule of a level or of a chapter's levels", word.word);
        ConditionError::new(word.span.clone(), message).instead("name a level: `levels.LEVEL.finished`")
    })?;
    if parts == 1 {
        let message = format!("expected a property of the level, such as `{}.stars`", word.word);
        return Err(ConditionError::new(word.span.clone(), message));
    }
    let of = if word.word == THIS { Some(here) } else { model.level_before(here) };
    let of = of.and_then(|of| model.levels.get(of));
    of.map(|of| of.name.as_str()).ok_or_else(|| {
        let message = "the first level does not have a level before it";
        ConditionError::new(word.span.clone(), message)
    })
}

/// Returns what a name stands for that never changes: a constant of a level, or the number of levels of a chapter.
fn constant(model: &Model, path: &[Part]) -> Result<Option<Value>, ConditionError> {
    let [first, of, what] = path else { return Ok(None) };
    match first.word.as_str() {
        "levels" => {
            let level = model.level_named(&of.word).and_then(|level| model.levels.get(level));
            let at = model.constant_named(&what.word);
            Ok(level.zip(at).and_then(|(level, at)| level.constants.get(at).cloned()))
        }
        "chapters" if what.word == "count" => {
            let chapter = names::chapter_named(model, of)?;
            let count = model.counted(Some(chapter)).count();
            Ok(Some(Value::Int(i64::try_from(count).unwrap_or(i64::MAX))))
        }
        _ => Ok(None),
    }
}
