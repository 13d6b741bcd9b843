//! The declaration of a `schema!`: found, read, parsed and checked. Its faults become compile errors that begin with their
//! place in the file.

#![expect(clippy::disallowed_methods, reason = "a macro reads the file that it makes names of")]

use std::env;
use std::fs;
use std::path::{Path, PathBuf};

use keblin_schema::{Findings, Schema, Severity};
use syn::LitStr;

/// A declaration that was read.
pub(crate) struct Loaded {
    pub(crate) schema: Schema,
    /// Where it lies, for `include_str!`.
    pub(crate) path: String,
    /// What complaints call it.
    pub(crate) name: String,
}

pub(crate) fn load(given: &LitStr) -> syn::Result<Loaded> {
    let name = given.value();
    let places = places(given, &name);
    let Some(path) = places.iter().find(|path| path.is_file()) else {
        let tried: Vec<String> = places.iter().map(|path| path.display().to_string()).collect();
        let message = format!("there is no {name}: looked for {}", tried.join(" and "));
        return Err(syn::Error::new(given.span(), message));
    };
    let text = fs::read_to_string(path).map_err(|error| {
        syn::Error::new(given.span(), format!("{} cannot be read: {error}", path.display()))
    })?;
    match Schema::parse(&name, &text) {
        Ok(parsed) => Ok(Loaded { schema: parsed.schema, path: path.display().to_string(), name }),
        Err(findings) => Err(faults(given, &findings)),
    }
}

/// Where a path may lead: from the package's folder, and from beside the source file that says it.
fn places(given: &LitStr, name: &str) -> Vec<PathBuf> {
    let package = env::var_os("CARGO_MANIFEST_DIR").map(PathBuf::from);
    let source = given.span().unwrap().local_file().and_then(|file| file.canonicalize().ok());
    let beside = source.as_deref().and_then(Path::parent).map(Path::to_path_buf);
    let mut places: Vec<PathBuf> =
        [package, beside].into_iter().flatten().map(|folder| folder.join(name)).collect();
    places.dedup();
    places
}

/// One compile error for each fault.
fn faults(given: &LitStr, findings: &Findings) -> syn::Error {
    let errors = findings.list().iter().filter(|finding| finding.severity == Severity::Error);
    let errors = errors.map(|finding| {
        let instead = finding.instead.as_ref().map_or(String::new(), |instead| format!("\n{instead}"));
        let message =
            format!("{}: {} [{}]{instead}", findings.place(finding), finding.message, finding.code.as_str());
        syn::Error::new(given.span(), message)
    });
    let all = errors.reduce(|mut all, error| {
        all.combine(error);
        all
    });
    all.unwrap_or_else(|| syn::Error::new(given.span(), findings.to_string()))
}
