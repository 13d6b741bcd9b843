//! Ids as Rust names. The schema refuses ids of one list that differ only in case and `_`, so the names differ too.

use keblin_schema::Name;
use proc_macro2::Span;
use quote::format_ident;
use syn::Ident;

/// `best_crossing` as `BEST_CROSSING`.
pub(crate) fn constant(id: &Name) -> Ident {
    Ident::new(&id.as_str().to_ascii_uppercase(), Span::call_site())
}

/// `best_crossing` unchanged. Rust keywords are not ids.
pub(crate) fn same(id: &Name) -> Ident {
    Ident::new(id.as_str(), Span::call_site())
}

/// `best_crossing` as `BestCrossing`.
pub(crate) fn camel(id: &str) -> Ident {
    let mut name = String::new();
    for part in id.split('_') {
        let mut letters = part.chars();
        name.extend(letters.next().map(|first| first.to_ascii_uppercase()));
        name.extend(letters);
    }
    format_ident!("{name}")
}
