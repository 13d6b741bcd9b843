//! What else the declaration says: moments, invariants, versions with their steps, findings with their lines.

use keblin::diff::{Class, differences};
use keblin::source::Position;
use keblin::{Files, Findings, Schema, TextFile};
use maud::{Markup, html};

use super::words::{safe, table};

pub(super) fn moments(schema: &Schema) -> Markup {
    let source =
        |rule: &Option<keblin::model::Rule>| safe(rule.as_ref().map_or("", |rule| rule.program.source()));
    let rows = html! {
        tbody {
            @for moment in &schema.moments {
                tr {
                    th scope="row" { (moment.name) }
                    td { "moment, again: " (moment.again.as_str()) }
                    td { code { (source(&moment.when)) } }
                    td { (safe(moment.about.as_deref().unwrap_or_default())) }
                }
            }
            @for invariant in &schema.invariants {
                tr {
                    th scope="row" { (invariant.name) }
                    td { "invariant" }
                    td { code { (source(&invariant.holds)) } }
                    td { (safe(invariant.about.as_deref().unwrap_or_default())) }
                }
            }
        }
    };
    table("Moments and invariants", &["id", "what", "condition", "about"], &rows)
}

/// A version and the one after it: what differs, and the step between them.
struct Between<'f> {
    from: u32,
    to: u32,
    differences: Vec<String>,
    step: Option<&'f TextFile>,
}

/// The versions of a game, the latest first.
pub(super) fn versions(files: &Files, now: &Schema) -> Markup {
    let parsed = |file: &TextFile| Schema::parse(&file.name, &file.text).ok().map(|parsed| parsed.schema);
    let frozen = files.frozen.iter().filter(|(version, _)| **version < now.version);
    let frozen: Vec<(u32, Schema)> =
        frozen.filter_map(|(version, file)| Some((*version, parsed(file)?))).collect();
    let after = frozen.iter().skip(1).map(|(version, schema)| (*version, schema));
    let after = after.chain([(now.version, now)]);
    let between = frozen.iter().zip(after).map(|((from, before), (to, after))| {
        let found = differences(before, after);
        let found = found.iter().filter(|difference| difference.class != Class::Rule);
        let differences = found.map(|difference| safe(difference.to_string())).collect();
        Between { from: *from, to, differences, step: files.steps.get(&to) }
    });
    let between: Vec<Between<'_>> = between.collect();
    html! {
        @for Between { from, to, differences, step } in between.iter().rev() {
            h3 { "From version " (from) " to " (to) }
            @if differences.is_empty() { p { "Saves have the same shape." } }
            ul { @for difference in differences { li { (difference) } } }
            @if let Some(step) = step {
                details { summary { "The step, " (safe(&step.name)) } pre tabindex="0" { (lines(&step.text)) } }
            }
        }
    }
}

/// A text of several lines.
fn lines(text: &str) -> String {
    text.lines().map(safe).collect::<Vec<_>>().join("\n")
}

pub(super) fn findings(findings: &Findings) -> Markup {
    html! {
        @for finding in findings.list() {
            article.finding {
                p {
                    strong class=(finding.severity.as_str()) { (finding.severity.as_str()) } " "
                    code { (finding.code.as_str()) } ": " (safe(&finding.message))
                    @if let Some(instead) = &finding.instead { ". Instead: " (safe(instead)) }
                }
                @if !findings.is_of_the_whole(finding) {
                    @let Position { line, .. } = findings.position(finding);
                    p.place { (safe(findings.place(finding))) }
                    pre tabindex="0" { (line_of(findings, line)) }
                }
            }
        }
        @if findings.more() > 0 { p { "And " (findings.more()) " more." } }
    }
}

/// The line that a finding is about, with its number.
fn line_of(findings: &Findings, line: usize) -> String {
    format!("{line:>4} | {}", safe(findings.source().line(line)))
}
