//! Findings: what is wrong with a declaration, where, and what to write instead. Data first; the wording of the place
//! and the line with carets is composed in one `Display`.

use std::fmt;
use std::ops::Range;

use crate::text::shown::Shown;
use crate::text::source::{Position, Source};

crate::words! {
    /// How grave a finding is.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
    pub enum Severity {
        /// There is no schema until this is mended.
        Error = "error",
        /// Allowed, but players are likely to suffer from it.
        Warning = "warning",
        /// Allowed and probably meant; worth a look.
        Hint = "hint",
    }
}

crate::words! {
    /// What is found, as a stable word.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
    #[non_exhaustive]
    pub enum Code {
        /// The text is not TOML.
        Syntax = "syntax",
        /// A key that means nothing at its place.
        UnknownKey = "unknown_key",
        /// A key that must be there.
        MissingKey = "missing_key",
        /// A value of another type than its key takes.
        WrongType = "wrong_type",
        /// A word that is not one of those its key takes.
        UnknownWord = "unknown_word",
        /// A number outside what its key takes.
        OutOfRange = "out_of_range",
        /// A key that has no effect together with the others.
        MeaninglessKey = "meaningless_key",
        /// A text that is not an id.
        BadId = "bad_id",
        /// Two ids of one list that are the same, or the same to a reader.
        SameId = "same_id",
        /// Two ids of one list that are one letter apart.
        NearId = "near_id",
        /// A name that nothing declares.
        UnknownName = "unknown_name",
        /// A lower bound above the upper one.
        CrossedBounds = "crossed_bounds",
        /// Bounds that follow from the field they bound.
        CircularBounds = "circular_bounds",
        /// A default that its own bounds refuse.
        DefaultOutsideBounds = "default_outside_bounds",
        /// Something that does not fit the record it is said of.
        RecordMisfit = "record_misfit",
        /// A lives field that a death or a retry would fill up again, or that cannot count lives.
        LivesMisfit = "lives_misfit",
        /// A text that is not a condition, or asks what cannot be asked.
        Condition = "condition",
        /// A lock that nothing a player can do will open.
        NeverOpens = "never_opens",
        /// A rule that always holds, or never.
        DecidedRule = "decided_rule",
        /// A name that leaves the difficulty open where none is in question.
        BareName = "bare_name",
        /// Stars in an order in which a later one is given for less.
        UnorderedStars = "unordered_stars",
        /// A rule that can end in an error, and so be false.
        FailingRule = "failing_rule",
        /// A field that no event resets, though its scope ends.
        NeverReset = "never_reset",
        /// A field that does not say what a death does to it.
        UnansweredDeath = "unanswered_death",
        /// Progress that nothing saves.
        UnsavedProgress = "unsaved_progress",
        /// A record that is fed at an event at which nothing is saved.
        MissedRecord = "missed_record",
        /// A field that no rule, record or rehearsal names.
        UnnamedField = "unnamed_field",
        /// A line of a rehearsal that is not a step.
        BadStep = "bad_step",
        /// A version that saves may be of, and that nothing leads on from.
        MissingStep = "missing_step",
        /// Something of the version before that a step neither carries nor drops.
        Unaccounted = "unaccounted",
        /// A step that says something else than the versions it stands between.
        StepMisfit = "step_misfit",
        /// A frozen version that is no longer what was frozen.
        Frozen = "frozen",
    }
}

/// One thing found in a declaration.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Finding {
    /// What it is.
    pub code: Code,
    /// How grave it is.
    pub severity: Severity,
    /// Where: a range of bytes in the source.
    pub span: Range<usize>,
    /// What is wrong, as a sentence without a full stop.
    pub message: String,
    /// What to write or do instead, where that is known.
    pub instead: Option<String>,
}

impl Finding {
    /// An error.
    #[must_use]
    pub fn error(code: Code, span: Range<usize>, message: impl Into<String>) -> Finding {
        Finding { code, severity: Severity::Error, span, message: message.into(), instead: None }
    }

    /// The same finding, less grave.
    #[must_use]
    pub fn as_severity(self, severity: Severity) -> Finding {
        Finding { severity, ..self }
    }

    /// The same finding with what to do instead.
    #[must_use]
    pub fn instead(self, instead: impl Into<String>) -> Finding {
        Finding { instead: Some(instead.into()), ..self }
    }
}

/// Everything found in one source, in the order of the text.
///
/// As text, each finding is four lines, and the first begins with its place:
///
/// ```text
/// progress.toml:12:1: error: a field has no key `defualt` [unknown_key]
///    12 | defualt = 4
///       | ^^^^^^^
///       = write `default`
/// ```
#[derive(Clone, Debug)]
pub struct Findings {
    source: Source,
    list: Vec<Finding>,
    more: usize,
}

/// How many findings of one source are told, at most; the rest is counted.
pub const MAX_FINDINGS: usize = 100;

impl Findings {
    /// Findings of a source; they are put into the order of the text here. Of more than [`MAX_FINDINGS`], the gravest are
    /// kept, and of those the first.
    #[must_use]
    pub fn new(source: Source, mut list: Vec<Finding>) -> Findings {
        list.sort_by_key(|finding| (finding.severity, finding.span.start));
        let more = list.len().saturating_sub(MAX_FINDINGS);
        list.truncate(MAX_FINDINGS);
        list.sort_by_key(|finding| (finding.span.start, finding.severity));
        Findings { source, list, more }
    }

    /// The same, with others that were left out before.
    pub(crate) fn and_more(self, more: usize) -> Findings {
        Findings { more: self.more + more, ..self }
    }

    /// How many were found besides, and are not told.
    #[must_use]
    pub fn more(&self) -> usize {
        self.more
    }

    /// The findings, in the order of the text.
    #[must_use]
    pub fn list(&self) -> &[Finding] {
        &self.list
    }

    /// The text they were found in.
    #[must_use]
    pub fn source(&self) -> &Source {
        &self.source
    }

    /// Line and column at which a finding begins.
    #[must_use]
    pub fn position(&self, finding: &Finding) -> Position {
        self.source.position(finding.span.start)
    }

    /// Whether a finding is of the whole text, as something that is missing in it, and not of a place in it.
    #[must_use]
    pub fn is_of_the_whole(&self, finding: &Finding) -> bool {
        let of_versions = matches!(finding.code, Code::Unaccounted | Code::StepMisfit | Code::Frozen);
        of_versions && finding.span == (0..0)
    }

    /// The place of a finding as `file:line:column`; the file alone where it is of the whole of it.
    #[must_use]
    pub fn place(&self, finding: &Finding) -> String {
        if self.is_of_the_whole(finding) {
            return self.source.name().to_string();
        }
        let Position { line, column } = self.position(finding);
        format!("{}:{line}:{column}", self.source.name())
    }

    /// Whether one of them is an error, so that there is no schema.
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
            more => writeln!(f, "\nand {more} more; mend these first"),
        }
    }
}

impl std::error::Error for Findings {}
