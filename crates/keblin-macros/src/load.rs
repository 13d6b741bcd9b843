//! The declaration of a `schema!`: found, read, parsed and checked. Its errors become compile errors that start with
//! their place in the file.

#![expect(clippy::disallowed_methods, reason = "a macro reads the file that it makes names of")]

use std::collections::BTreeMap;
use std::env;
use std::fs;
use std::path::{Path, PathBuf};

use keblin_schema::{Declaration, Files, Findings, Severity, TextFile, parse_with_past, version_of_file};
use syn::LitStr;

/// A declaration that was read.
pub(crate) struct Loaded {
    pub(crate) schema: Declaration,
    /// Its name in messages.
    pub(crate) name: String,
    /// The paths of its text, and of the texts of its frozen versions and steps: a game is compiled again when one of
    /// them changes.
    pub(crate) paths: Vec<String>,
}

pub(crate) fn load(given: &LitStr) -> syn::Result<Loaded> {
    let name = given.value();
    let places = places(given, &name);
    let Some(path) = places.iter().find(|path| path.is_file()) else {
        let tried: Vec<String> = places.iter().map(|path| path.display().to_string()).collect();
        let message = format!("{name} not found: looked for {}", tried.join(" and "));
        return Err(syn::Error::new(given.span(), message));
    };
    let text = fs::read_to_string(path).map_err(|error| {
        syn::Error::new(given.span(), format!("{} cannot be read: {error}", path.display()))
    })?;
    let mut files =
        Files { declaration: TextFile { name: name.clone(), text: text.clone() }, ..Files::default() };
    let mut paths = vec![path.display().to_string()];
    paths.extend(of_versions(path, &name, "frozen", given, &mut files.frozen)?);
    paths.extend(of_versions(path, &name, "migrations", given, &mut files.steps)?);
    let parsed = parse_with_past(&files).map_err(|findings| faults(given, [&findings]))?;
    if parsed.of_past.iter().any(Findings::has_errors) {
        // The compiler reports a version that cannot be migrated, before players do.
        return Err(faults(given, &parsed.of_past));
    }
    Ok(Loaded { schema: parsed.declaration, name, paths })
}

/// Reads the texts of versions in a folder next to the declaration; returns their paths.
fn of_versions(
    declaration: &Path,
    name: &str,
    folder: &str,
    given: &LitStr,
    into: &mut BTreeMap<u32, TextFile>,
) -> syn::Result<Vec<String>> {
    let (beside, called) = (declaration.with_file_name(folder), Path::new(name).with_file_name(folder));
    let entries = fs::read_dir(beside).into_iter().flatten().flatten().map(|entry| entry.path());
    let mut found = Vec::new();
    for path in entries {
        let file_name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default();
        let Some(version) = version_of_file(file_name) else { continue };
        let name = called.join(file_name).display().to_string();
        let text = fs::read_to_string(&path).map_err(|error| {
            syn::Error::new(given.span(), format!("{} cannot be read: {error}", path.display()))
        })?;
        into.insert(version, TextFile { name, text });
        found.push(path.display().to_string());
    }
    found.sort();
    Ok(found)
}

/// The paths that a relative path may mean: from the package's folder, and from the folder of the source file.
pub(crate) fn places(given: &LitStr, name: &str) -> Vec<PathBuf> {
    let package = env::var_os("CARGO_MANIFEST_DIR").map(PathBuf::from);
    let source = given.span().unwrap().local_file().and_then(|file| file.canonicalize().ok());
    let beside = source.as_deref().and_then(Path::parent).map(Path::to_path_buf);
    let mut places: Vec<PathBuf> =
        [package, beside].into_iter().flatten().map(|folder| folder.join(name)).collect();
    places.dedup();
    places
}

/// Returns one compile error for each finding.
fn faults<'f>(given: &LitStr, texts: impl IntoIterator<Item = &'f Findings>) -> syn::Error {
    let errors = texts.into_iter().flat_map(|findings| {
        let errors = findings.list().iter().filter(|finding| finding.severity == Severity::Error);
        errors.map(move |finding| {
            let instead = finding.instead.as_ref().map_or(String::new(), |instead| format!("\n{instead}"));
            let (place, code) = (findings.place(finding), finding.code.as_str());
            syn::Error::new(given.span(), format!("{place}: {} [{code}]{instead}", finding.message))
        })
    });
    let all = errors.reduce(|mut all, error| {
        all.combine(error);
        all
    });
    all.unwrap_or_else(|| syn::Error::new(given.span(), "the declaration has errors"))
}
