//! Names the compiler knows. `schema!` turns a declaration into a module of constants while a game is compiled, and
//! `#[derive(Carry)]` ties the members of a game's struct to fields. Games use both through `keblin`.
//!
//! ```text
//! schema!(fen_post, "progress.toml") ──► input ──► load (the file, parsed and checked) ──► expand ──► mod fen_post
//! ```
//!
//! It depends on `keblin-schema` (the parser and its findings with positions), `syn`, `quote` and `proc-macro2`, and on
//! nothing else of ours: `keblin` re-exports it, so a dependency on `keblin` would be a cycle. What it writes names
//! `::keblin` alone.

/// What a macro was given.
mod input;

/// The declaration: found, read and checked.
mod load;

/// Ids as names of Rust.
mod ident;

/// The module of a schema.
mod expand;

/// Kinds as types of Rust.
mod types;

/// A game's own struct, tied to fields.
mod carry;

use proc_macro::TokenStream;

/// Makes a module of a declaration: a constant of every name in it, and the types of this game's progress.
///
/// The file is looked for in the package's folder, and beside the source file that says it. A fault in it is a compile
/// error that begins with its place, and an edited file is compiled anew. `schema!(pub fen_post, …)` makes a module that
/// others see.
///
/// # What is in the module
///
/// | | |
/// |---|---|
/// | `fields::OIL` | a field; with a value for each of something `fields::BEST.at(levels::REEDGATE)` |
/// | `levels::REEDGATE`, `checkpoints::reedgate::OSIER` | a level, and a checkpoint of it; both can be matched on |
/// | `difficulties::NEAP`, `unlocks::FOG_LAMP`, `moments::LAMP_OUT` | the same of these |
/// | `lists::Lamps::Wick` | an item of a closed list, which is an enum |
/// | `shapes::Parcel` | a shape, which is a struct |
/// | `Progress`, `Keeper` | those of this game; names of another one do not fit |
/// | `schema()` | the schema |
/// | `install`, `with`, `uninstall` | a keeper that is reached from anywhere |
#[proc_macro]
pub fn schema(input: TokenStream) -> TokenStream {
    let made = syn::parse::<input::Declared>(input).and_then(|input| expand::module(&input));
    made.unwrap_or_else(syn::Error::into_compile_error).into()
}

/// Ties the members of a struct to fields of a game, each to the field of its name.
///
/// `#[carry(MODULE)]` above the struct says which game: the module that `schema!` made. `#[carry(field = NAME)]` above a
/// member ties it to another field, and `#[carry(skip)]` to none.
#[proc_macro_derive(Carry, attributes(carry))]
pub fn carry(input: TokenStream) -> TokenStream {
    let made = syn::parse::<syn::DeriveInput>(input).and_then(|input| carry::implementation(&input));
    made.unwrap_or_else(syn::Error::into_compile_error).into()
}
