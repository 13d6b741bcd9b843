//! Findings: what is wrong with a declaration, where, and what to write instead. They are data; one `Display` adds
//! the place and the line with carets.

use std::fmt;
use std::ops::Range;

use keblin_model::Severity;
use keblin_model::shown::Shown;

use crate::text::source::{Position, Source};

keblin_model::words! {
    /// The code of a finding, a stable word.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
    #[non_exhaustive]
    pub enum Code {
        /// The text is not TOML.
        Syntax = "syntax",
        /// A key that cannot be used here.
        UnknownKey = "unknown_key",
        /// A required key is missing.
        MissingKey = "missing_key",
        /// A value whose type does not fit its key.
        WrongType = "wrong_type",
        /// A word that this key does not take.
        UnknownWord = "unknown_word",
        /// A number outside the limits of its key.
        OutOfRange = "out_of_range",
        /// A key that has no effect together with the others.
        MeaninglessKey = "meaningless_key",
        /// A text that is not an id.
        BadId = "bad_id",
        /// Two ids of one list that are identical, or differ only in underscores.
        SameId = "same_id",
        /// Two ids of one list that are one letter apart.
        NearId = "near_id",
        /// A name that is not declared.
        UnknownName = "unknown_name",
        /// A lower bound above the upper one.
        CrossedBounds = "crossed_bounds",
        /// Bounds that depend on the field they limit.
        CircularBounds = "circular_bounds",
        /// A default outside its own bounds.
        DefaultOutsideBounds = "default_outside_bounds",
        /// A key that does not fit this record.
        RecordMisfit = "record_misfit",
        /// A lives field that a death or a retry would refill, or that cannot count lives.
        LivesMisfit = "lives_misfit",
        /// A text that is not a valid condition.
        Condition = "condition",
        /// A lock that no player can open.
        NeverOpens = "never_opens",
        /// A rule that is always true, or never.
        DecidedRule = "decided_rule",
        /// A name that needs a difficulty, in a rule without a current one.
        BareName = "bare_name",
        /// Stars that are collected separately but have no ids.
        NamelessStars = "nameless_stars",
        /// A later star that asks for less than an earlier one.
        UnorderedStars = "unordered_stars",
        /// A rule that can end in an error, and so be false.
        FailingRule = "failing_rule",
        /// A field that no event resets, although its scope ends.
        NeverReset = "never_reset",
        /// A field that does not set `on_death`.
        UnansweredDeath = "unanswered_death",
        /// Progress that is never saved.
        UnsavedProgress = "unsaved_progress",
        /// A record that takes its value at an event that does not save.
        MissedRecord = "missed_record",
        /// Something that a reset keeps although it depends on what goes.
        LeftBehind = "left_behind",
        /// A kind of objects that no area has.
        UnusedKind = "unused_kind",
        /// A field that no rule, record or rehearsal names.
        UnnamedField = "unnamed_field",
        /// A line of a rehearsal that is not a step.
        BadStep = "bad_step",
        /// A version whose saves cannot be migrated any further.
        MissingStep = "missing_step",
        /// Something of the old version that a step neither carries nor drops.
        Unaccounted = "unaccounted",
        /// A migration step that contradicts the versions it connects.
        StepMisfit = "step_misfit",
        /// A frozen version that was edited.
        Frozen = "frozen",
    }
}

/// A mistake, or something to look at, in a declaration.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Finding {
    /// Its code.
    pub code: Code,
    /// How severe it is.
    pub severity: Severity,
    /// Its place: a range of bytes in the source.
    pub span: Range<usize>,
    /// What is wrong, as a sentence without a full stop.
    pub message: String,
    /// What to write or do instead, if that is known.
    pub instead: Option<String>,
    /// The other place that it is about, such as the first of two: a range of bytes in the source.
    pub(crate) first: Option<Range<usize>>,
}

impl Finding {
    /// Returns an error.
    #[must_use]
    pub fn error(code: Code, span: Range<usize>, message: impl Into<String>) -> Finding {
        Finding { code, severity: Severity::Error, span, message: message.into(), instead: None, first: None }
    }

    /// Returns the same finding with another severity.
    #[must_use]
    pub fn as_severity(self, severity: Severity) -> Finding {
        Finding { severity, ..self }
    }

    /// Returns the same finding with the place of the first of two. [`Findings::new`] adds its line to the message.
    #[must_use]
    pub(crate) fn after(self, first: Range<usize>) -> Finding {
        Finding { first: Some(first), ..self }
    }

    /// Returns the same finding with what to do instead.
    #[must_use]
    pub fn instead(self, instead: impl Into<String>) -> Finding {
        Finding { instead: Some(instead.into()), ..self }
    }
}

/// Everything found in one source, in the order of the text.
///
/// As text, each finding is four lines, and the first starts with its place:
///
/// ```text
/// progress.toml:12:1: error: a field does not take the key `defualt` [unknown_key]
///    12 | defualt = 4
///       | ^^^^^^^
///       = write `default`
/// ```
#[derive(Clone)]
pub struct Findings {
    source: Source,
    list: Vec<Finding>,
    more: usize,
}

keblin_model::debug_as_display!(Findings);

/// How many findings of one source are kept, at most; the others are counted.
pub const MAX_FINDINGS: usize = 100;

impl Findings {
    /// Returns the findings of a source, in the order of the text. Of more than [`MAX_FINDINGS`], the most severe are
    /// kept, and of those the first.
    #[must_use]
    pub fn new(source: Source, mut list: Vec<Finding>) -> Findings {
        for finding in &mut list {
            if let Some(first) = finding.first.take() {
                let line = source.position(first.start).line;
                finding.message.push_str(&format!(", first in line {line}"));
            }
        }
        list.sort_by_key(|finding| (finding.severity, finding.span.start));
        let more = list.len().saturating_sub(MAX_FINDINGS);
        list.truncate(MAX_FINDINGS);
        list.sort_by_key(|finding| (finding.span.start, finding.severity));
        Findings { source, list, more }
    }

    /// Returns the same findings, with the number of others that were left out before.
    pub(crate) fn and_more(self, more: usize) -> Findings {
        Findings { more: self.more + more, ..self }
    }

    /// Returns how many more were found and left out.
    #[must_use]
    pub fn more(&self) -> usize {
        self.more
    }

    /// Returns the findings, in the order of the text.
    #[must_use]
    pub fn list(&self) -> &[Finding] {
        &self.list
    }

    /// Returns the text they are about.
    #[must_use]
    pub fn source(&self) -> &Source {
        &self.source
    }

    /// Returns the line and column at which a finding starts.
    #[must_use]
    pub fn position(&self, finding: &Finding) -> Position {
        self.source.position(finding.span.start)
    }

    /// Returns whether a finding is about the whole text, such as something missing, and not about a place in it.
    #[must_use]
    pub fn is_of_the_whole(&self, finding: &Finding) -> bool {
        let of_versions = matches!(finding.code, Code::Unaccounted | Code::StepMisfit | Code::Frozen);
        of_versions && finding.span == (0..0)
    }

    /// Returns the place of a finding as `file:line:column`; only the file if it is about the whole text.
    #[must_use]
    pub fn place(&self, finding: &Finding) -> String {
        if self.is_of_the_whole(finding) {
            return self.source.name().to_string();
        }
        let Position { line, column } = self.position(finding);
        format!("{}:{line}:{column}", self.source.name())
    }

    /// Returns whether one of them is an error, so that there is no schema.
    #[must_use]
    pub fn has_errors(&self) -> bool {
        self.list.iter().any(|finding| finding.severity == Severity::Error)
    }
}

impl fmt::Display for Findings {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (index, finding) in self.list.iter().enumerate() {
            if index > 0 {
                writeln!(f)?;
            }
            let (severity, code) = (finding.severity.as_str(), finding.code.as_str());
            let (place, message) = (self.place(finding), Shown(&finding.message));
            writeln!(f, "{}: {severity}: {message} [{code}]", Shown(&place))?;
            if !self.is_of_the_whole(finding) {
                write!(f, "{}", self.source.excerpt(finding.span.clone()))?;
            }
            if let Some(instead) = &finding.instead {
                let lines: Vec<String> = instead.split('\n').map(|line| Shown(line).to_string()).collect();
                writeln!(f, "      = {}", lines.join("\n        "))?;
            }
        }
        match self.more {
            0 => Ok(()),
            more => writeln!(f, "\nand {more} more; fix these first"),
        }
    }
}

impl std::error::Error for Findings {}
