//! From the texts of a declaration and its past versions to data, or to everything that is wrong with them.

use keblin_model::Declaration;

use super::past::{self, Files};
use crate::declare::{Declared, Unnamed};
use crate::text::finding::Findings;

/// A declaration, with the warnings and hints about its texts.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Parsed {
    /// The declaration.
    pub declaration: Declaration,
    /// Warnings and hints.
    pub findings: Findings,
    /// Findings about the past versions, text by text.
    pub of_past: Vec<Findings>,
    /// The fields that nothing has named yet.
    pub unnamed: Unnamed,
}

/// Parses and checks a declaration. `source_name` is the name of the text in messages, usually its path.
///
/// ```
/// let text = "game = 'otter'\nversion = 1\n[fields.coppers]\ntype = 'int'\nscope = 'profile'\n";
/// let parsed = keblin_schema::parse("progress.toml", text)?;
/// assert_eq!(parsed.declaration.fields[0].name.as_str(), "coppers");
/// # Ok::<(), keblin_schema::Findings>(())
/// ```
///
/// # Errors
/// All [`Findings`], if at least one of them is an error.
pub fn parse(source_name: &str, text: &str) -> Result<Parsed, Findings> {
    let Declared { model, findings, unnamed } = Declared::parse(source_name, text)?;
    let declaration = Declaration { model, past: Vec::new() };
    Ok(Parsed { declaration, findings, of_past: Vec::new(), unnamed })
}

/// Parses and checks a declaration with its past versions. Findings about these are in [`Parsed::of_past`]; if one of
/// them is an error, the past versions are left out.
///
/// # Errors
/// As [`parse`], for the declaration itself.
pub fn parse_with_past(files: &Files) -> Result<Parsed, Findings> {
    let mut parsed = parse(&files.declaration.name, &files.declaration.text)?;
    let (past, found) = past::of(files, &parsed.declaration);
    parsed.of_past = found;
    if parsed.of_past.iter().all(|findings| !findings.has_errors()) {
        parsed.declaration.past = past;
    }
    Ok(parsed)
}
