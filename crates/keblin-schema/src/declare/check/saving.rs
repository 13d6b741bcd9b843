//! Whether progress is ever saved.

use crate::declare::parse::Declarations;
use crate::model::{FeedAt, Model, SaveAt};
use crate::text::finding::{Code, Finding};
use keblin_model::Severity;

pub(super) fn saving(declared: &Declarations, model: &mut Model, found: &mut Vec<Finding>) {
    let Some(autosave) = &declared.autosave else { return };
    model.autosave.clone_from(&autosave.value);
    let mut warn = |code, span, message: String, instead: &str| {
        let finding = Finding::error(code, span, message);
        found.push(finding.as_severity(Severity::Warning).instead(instead));
    };
    if autosave.value.is_empty() {
        let message = "nothing is ever saved automatically".to_string();
        warn(
            Code::UnsavedProgress,
            autosave.span.clone(),
            message,
            "leave `autosave` out, or name some events",
        );
        return;
    }
    let on_change = autosave.value.iter().any(|at| at.between_changes().is_some());
    let saves = |at| on_change || autosave.value.contains(&at);
    for (field, decl) in model.fields.iter().zip(&declared.fields) {
        let fed = |at| field.feed.as_ref().is_some_and(|feed| feed.at.contains(&at));
        let misses = [
            (FeedAt::RunEnd, SaveAt::RunEnd, "the end of a run"),
            (FeedAt::Finish, SaveAt::Finish, "a finish"),
        ];
        for (at, save_at, when) in misses {
            if fed(at) && !saves(save_at) {
                let message =
                    format!("`{}` takes its value at {when}, but that event does not save", field.name);
                let instead = format!("add {:?} to `autosave`", save_at.as_str());
                warn(Code::MissedRecord, decl.name.span.clone(), message, &instead);
            }
        }
    }
}
