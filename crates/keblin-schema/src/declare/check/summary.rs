//! The fields of the summary: few, short, and of one value each, because every save repeats them.

use super::rules::field_named;
use crate::declare::parse::Declarations;
use crate::model::{MAX_SUMMARY_FIELDS, Model, Scope};
use crate::text::finding::{Code, Finding};
use crate::value::kind::Kind;

pub(super) fn summary(declared: &Declarations, model: &mut Model, found: &mut Vec<Finding>) {
    let mut fields = Vec::new();
    for name in &declared.summary {
        let Some(at) = field_named(declared, model, name, found) else { continue };
        let Some(field) = model.fields.get(at) else { continue };
        let wrong = match field.kind {
            _ if field.scope == Scope::Device => "is a setting, outside the save",
            _ if !field.durable => "is never saved",
            _ if !field.per.is_empty() || field.places > 1 => "has more than one value",
            kind if !kind.is_scalar() || kind == Kind::Bytes || field.with.is_some() => {
                "is not one short value"
            }
            _ if fields.contains(&at) => "is named twice",
            _ if fields.len() == MAX_SUMMARY_FIELDS => "is one too many",
            _ => {
                fields.push(at);
                continue;
            }
        };
        let finding =
            Finding::error(Code::MeaninglessKey, name.span.clone(), format!("`{}` {wrong}", field.name));
        found.push(finding.instead(format!("name at most {MAX_SUMMARY_FIELDS} fields of profile, run or level scope with one number, text, id, day or time each")));
    }
    model.summary = fields;
}
