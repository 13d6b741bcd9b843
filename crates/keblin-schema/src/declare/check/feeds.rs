//! Which fields the engine feeds, from which other field, and when. Takes the declarations and completes the model.

use super::rules::field_named;
use crate::declare::parse::{Declarations, FieldDecl, Placed};
use crate::model::{Axis, Feed, FeedAt, FieldDef, Model, OnReset, Scope};
use crate::text::finding::{Code, Finding};
use crate::value::keep::Keep;

pub(super) fn feeds(declared: &Declarations, model: &mut Model, found: &mut Vec<Finding>) {
    for (index, field) in declared.fields.iter().enumerate() {
        let keep = field.keep.as_ref().map_or(Keep::Latest, |keep| keep.value);
        let feed = match (&field.from, &field.at) {
            _ if !keep.takes_feed() => None,
            (Some(from), Some(at)) => fed_by(declared, model, (field, keep), from, at, found)
                .map(|from| Feed { from, at: at.value.clone() }),
            // What `at` says could not be read, which is reported.
            (Some(_), None) if field.faulty.contains(&"at") => None,
            (Some(from), None) => {
                let message = "a field with `from` needs `at`: when it takes a value";
                let finding = Finding::error(Code::MissingKey, from.span.clone(), message);
                found.push(finding.instead("add `at = [\"finish\"]` or `at = [\"run_end\"]`"));
                None
            }
            (None, Some(at)) => {
                let message = "a field with `at` needs `from`: the field that feeds it";
                let finding = Finding::error(Code::MissingKey, at.span.clone(), message);
                found.push(finding.instead("add `from = \"FIELD\"`"));
                None
            }
            (None, None) => None,
        };
        if let Some(def) = model.fields.get_mut(index) {
            def.feed = feed;
        }
    }
}

fn fed_by(
    declared: &Declarations,
    model: &Model,
    (field, keep): (&FieldDecl, Keep),
    from: &Placed<String>,
    at: &Placed<Vec<FeedAt>>,
    found: &mut Vec<Finding>,
) -> Option<usize> {
    let index = field_named(declared, model, from, found)?;
    let source = model.fields.get(index)?;
    let holds = model.holds_text(source.holds());
    let needed = model.holds_text(field.holds);
    let misfit = if source.name == field.name.value {
        "a field cannot be fed from itself".to_string()
    } else if source.holds() != field.holds {
        format!("`{}` is {holds}, but this field is {needed}", source.name)
    } else if !source.per.is_empty() {
        format!("`{}` has an axis, so it is not clear which value to take", source.name)
    } else if source.scope == Scope::Device {
        format!("`{}` is a device setting", source.name)
    } else if source.keep.is_record() {
        format!("`{}` is a record itself", source.name)
    } else if let Some(list) = field.per.iter().flat_map(|per| &per.value).find_map(|axis| match axis {
        Axis::List(_) => Some(model.axis_name(*axis)),
        _ => None,
    }) {
        let message = format!("the engine cannot know which item of `{list}` this value belongs to");
        let finding = Finding::error(Code::RecordMisfit, from.span.clone(), message);
        let instead = if keep.is_record() { "use `submit`" } else { "write it in the game" };
        found.push(finding.instead(format!("leave `from` and `at` out, and {instead}")));
        return None;
    } else if let Some((message, instead)) =
        at.value.iter().find_map(|at| counted_twice(source, *at)).filter(|_| keep.is_amount())
    {
        let finding = Finding::error(Code::RecordMisfit, from.span.clone(), message);
        found.push(finding.instead(instead));
        return None;
    } else {
        return Some(index);
    };
    let finding = Finding::error(Code::RecordMisfit, from.span.clone(), misfit);
    found.push(finding.instead(format!("name a field that is {needed} and has one value")));
    None
}

/// Returns why an amount would take a value more than once, or one of a level that was never finished, if so.
fn counted_twice(source: &FieldDef, at: FeedAt) -> Option<(String, &'static str)> {
    let name = &source.name;
    match (at, source.scope) {
        (FeedAt::Finish, Scope::Level) if source.survival.on_level == OnReset::Stays => Some((
            format!("`{name}` stays from level to level, so each finish would count it again"),
            "leave its `on_level` out",
        )),
        (FeedAt::RunEnd, Scope::Run) if source.survival.on_new_run == OnReset::Stays => Some((
            format!("`{name}` stays from run to run, so each end of a run would count it again"),
            "leave its `on_new_run` out",
        )),
        (FeedAt::Finish, Scope::Level) | (FeedAt::RunEnd, Scope::Run) => None,
        (FeedAt::Finish, _) => Some((
            format!("`{name}` outlives a level, so each finish would count it again"),
            "name a field of level scope, or write `at = [\"run_end\"]` for one of run scope",
        )),
        _ => Some((
            format!("`{name}` does not have run scope, so its value does not belong to one run"),
            "name a field of run scope, or write `at = [\"finish\"]` for one of level scope",
        )),
    }
}
