//! Findings with their lines and carets.

use std::io;

use keblin::source::Position;
use keblin::{Finding, Findings, Severity};

use super::{Console, Tone, counted};

fn tone(severity: Severity) -> Tone {
    match severity {
        Severity::Error => Tone::Bad,
        Severity::Warning => Tone::Doubtful,
        Severity::Hint => Tone::Quiet,
    }
}

impl Console<'_> {
    /// Prints all findings of a text: place, what is wrong, the line with carets, what to write instead.
    pub(crate) fn findings(&mut self, findings: &Findings) -> io::Result<()> {
        let mut in_a_row = false;
        for finding in findings.list() {
            // A one-line suggestion is printed in the same line, a longer one separately.
            let is_one_line = findings.is_of_the_whole(finding) && finding.instead.is_none();
            if in_a_row && !is_one_line {
                self.blank()?;
            }
            in_a_row = is_one_line;
            let severity = self.toned(tone(finding.severity), finding.severity.as_str());
            let place = findings.place(finding);
            let code = self.toned(Tone::Quiet, &format!("[{}]", finding.code.as_str()));
            self.paragraph(&format!("{place}: {severity}: {} {code}", finding.message), "    ")?;
            if !findings.is_of_the_whole(finding) {
                self.excerpt(findings, finding)?;
            }
            if let Some(instead) = &finding.instead {
                self.paragraph(&format!("      = {instead}"), "        ")?;
            }
            if !is_one_line {
                self.blank()?;
            }
        }
        if in_a_row {
            self.blank()?;
        }
        match findings.more() {
            0 => Ok(()),
            more => self.line(&format!("and {more} more; fix these first")),
        }
    }

    /// Prints the line of a finding and the carets under it. If the line is too long, the part around the carets.
    fn excerpt(&mut self, findings: &Findings, finding: &Finding) -> io::Result<()> {
        let Position { line, column } = findings.position(finding);
        let excerpt = findings.source().excerpt(finding.span.clone());
        let mut rows = excerpt.lines().map(|row| row.chars().skip(8).collect::<Vec<char>>());
        let (source, carets) = (rows.next().unwrap_or_default(), rows.next().unwrap_or_default());
        let room = self.look.width.saturating_sub(9).max(20);
        let first = if source.len() <= room { 0 } else { (column - 1).saturating_sub(room / 3) };
        let part = |row: &[char]| row.iter().skip(first).take(room).collect::<String>();
        let source = format!("{line:>5} | {}", part(&source).trim_end());
        self.line(&source)?;
        let carets = self.toned(tone(finding.severity), &part(&carets));
        self.line(&format!("      | {carets}"))
    }

    /// `2 errors, 1 warning`, or `nothing found`.
    pub(crate) fn summary(&self, findings: &[Finding]) -> String {
        let count = |severity| findings.iter().filter(|finding| finding.severity == severity).count();
        let counts =
            [Severity::Error, Severity::Warning, Severity::Hint].map(|severity| (severity, count(severity)));
        let parts = counts.iter().filter(|(_, count)| *count > 0);
        let parts: Vec<String> = parts
            .map(|(severity, count)| self.toned(tone(*severity), &counted(*count, severity.as_str())))
            .collect();
        if parts.is_empty() { self.toned(Tone::Good, "nothing found") } else { parts.join(", ") }
    }
}
