//! The place of a part of a condition in the text of a declaration.

use crate::condition::ConditionError;
use crate::declare::parse::ConditionDecl;
use crate::text::finding::{Code, Finding};

/// Returns a condition error as a finding at its place in the declaration.
pub(crate) fn misplaced(error: ConditionError, condition: &ConditionDecl) -> Finding {
    let finding = Finding::error(Code::Condition, place(&error.span, condition), error.message);
    match error.instead {
        Some(instead) => finding.instead(instead),
        None => finding,
    }
}

/// Converts a range of bytes in a condition to one in the declaration. At the end of the condition the caret points
/// at what follows: the quote, if there is one.
pub(crate) fn place(span: &std::ops::Range<usize>, condition: &ConditionDecl) -> std::ops::Range<usize> {
    let Some(start) = condition.text_start else { return condition.span.clone() };
    let end = (start + span.end.max(span.start + 1)).min(condition.span.end);
    (start + span.start).min(end)..end
}
