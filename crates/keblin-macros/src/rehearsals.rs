//! `rehearsals!`: a test for each rehearsal of a folder.

#![expect(clippy::disallowed_methods, reason = "a macro reads the folder that it makes tests of")]

use std::fs;
use std::path::{Path, PathBuf};

use proc_macro2::{Span, TokenStream};
use quote::quote;
use syn::parse::{Parse, ParseStream};
use syn::{Ident, LitStr, Token};

use crate::load::places;

const FORM: &str = "write `rehearsals!(MODULE, \"rehearsals\")`: the module that `schema!` made, and the folder of the rehearsals";

/// `rehearsals!(fen_post, "rehearsals")`
pub(crate) struct Folder {
    module: syn::Path,
    path: LitStr,
}

impl Parse for Folder {
    fn parse(input: ParseStream<'_>) -> syn::Result<Folder> {
        let meant = |error: syn::Error| syn::Error::new(error.span(), format!("{error}; {FORM}"));
        let module = input.parse().map_err(meant)?;
        input.parse::<Token![,]>().map_err(meant)?;
        let path = input.parse().map_err(meant)?;
        input.parse::<Option<Token![,]>>().map_err(meant)?;
        match input.is_empty() {
            true => Ok(Folder { module, path }),
            false => Err(input.error(format!("expected nothing more; {FORM}"))),
        }
    }
}

/// Returns a module with a test for each file, and one that all files have a test.
pub(crate) fn tests(given: &Folder) -> syn::Result<TokenStream> {
    let wrong = |message: String| syn::Error::new(given.path.span(), message);
    let tried = places(&given.path, &given.path.value());
    let Some(folder) = tried.iter().find(|path| path.is_dir()) else {
        let tried: Vec<String> = tried.iter().map(|path| path.display().to_string()).collect();
        return Err(wrong(format!(
            "{} is not a folder: looked for {}",
            given.path.value(),
            tried.join(" and ")
        )));
    };
    let entries = fs::read_dir(folder).map_err(|error| wrong(format!("{}: {error}", folder.display())))?;
    let mut files: Vec<PathBuf> =
        entries.flatten().map(|entry| entry.path()).filter(|path| is_rehearsal(path)).collect();
    files.sort();
    if files.is_empty() {
        return Err(wrong(format!(
            "{} does not have a rehearsal: a file that ends in .txt",
            folder.display()
        )));
    }
    let (module, shown) = (&given.module, folder.display().to_string());
    let names: Vec<String> = files.iter().map(|path| file_name(path)).collect();
    let tests = files.iter().zip(&names).map(|(path, name)| {
        let (test, path) = (test_name(name), path.display().to_string());
        quote! {
            #[test]
            fn #test() {
                let folder = ::std::path::Path::new(#shown);
                let read = |file: &str| {
                    ::std::fs::read_to_string(folder.join(file)).map_err(|error| ::std::string::ToString::to_string(&error))
                };
                ::keblin::rehearse::must_hold(#name, ::core::include_str!(#path), super::#module::schema(), read);
            }
        }
    });
    Ok(quote! {
        /// A test for each rehearsal.
        #[allow(clippy::disallowed_methods, clippy::expect_used, reason = "a test reads the files it is about")]
        mod rehearsals {
            #(#tests)*

            /// A file that was added since is not a test yet.
            #[test]
            fn every_rehearsal_is_a_test() {
                let known = [#(#names),*];
                let entries = ::std::fs::read_dir(#shown).expect("the folder of the rehearsals");
                for entry in entries.flatten() {
                    let name = entry.file_name().to_string_lossy().into_owned();
                    let is_known = !name.ends_with(".txt") || known.contains(&name.as_str());
                    ::core::assert!(is_known, "{name} was added since these tests were compiled: save this source file again");
                }
            }
        }
    })
}

fn is_rehearsal(path: &Path) -> bool {
    path.extension().is_some_and(|ending| ending == "txt") && path.is_file()
}

fn file_name(path: &Path) -> String {
    path.file_name().unwrap_or_default().to_string_lossy().into_owned()
}

/// `one route.txt` as `one_route`.
fn test_name(file: &str) -> Ident {
    let stem = file.trim_end_matches(".txt");
    let mut name: String =
        stem.chars().map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '_' }).collect();
    if !name.starts_with(|c: char| c.is_ascii_alphabetic()) || syn::parse_str::<Ident>(&name).is_err() {
        name = format!("of_{name}");
    }
    Ident::new(&name, Span::call_site())
}
