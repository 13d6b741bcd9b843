//! Compiled names. `schema!` turns a declaration into a module of constants at compile time, and `#[derive(Carry)]`
//! ties the members of a game's struct to fields. Games use both through `keblin`.
//!
//! ```text
//! schema!(fen_post, "progress.toml") ──► input ──► load (the file, parsed and checked) ──► expand ──► mod fen_post
//! ```
//!
//! It depends on `keblin-schema` (the parser and its findings with positions), `syn`, `quote`, `proc-macro2` and
//! `toml`. `keblin` re-exports this crate, so a dependency on `keblin` would be a cycle. The code it generates names
//! only `::keblin`.

/// The arguments of a macro.
mod input;

/// The declaration: found, read and checked.
mod load;

/// Levels, their checkpoints, chapters and constants.
mod levels;

/// Closed lists.
mod lists;

/// Ids as Rust names.
mod ident;

/// The module of a schema.
mod expand;

/// Field types as Rust types.
mod types;

/// A game's own struct, tied to fields.
mod carry;

/// Rehearsals as tests.
mod rehearsals;

/// Kinds of objects, areas, and a game's own struct that is an object.
mod world;

use proc_macro::TokenStream;

/// Makes a module from a declaration: a constant for every name in it, and the types of this game's progress.
///
/// The path is relative to the package's folder or to the source file. A mistake in the declaration is a compile
/// error that starts with its place, and editing the file recompiles the module. `schema!(pub fen_post, …)` makes a
/// public module.
///
/// # What is in the module
///
/// | | |
/// |---|---|
/// | `fields::OIL` | a field; one with several values is used as `fields::BEST.at(levels::REEDGATE)` |
/// | `levels::REEDGATE`, `checkpoints::reedgate::OSIER` | a level, and one of its checkpoints; you can `match` on both |
/// | `difficulties::NEAP`, `unlocks::FOG_LAMP`, `moments::LAMP_OUT` | a difficulty, an unlock, a moment |
/// | `lists::Lamps::Wick` | an item of a closed list, which is an enum |
/// | `shapes::Parcel` | a shape, which is a struct |
/// | `kinds::gate`, `areas::MILL` | a kind of objects with its fields, an area of the world |
/// | `Progress`, `Keeper` | the types of this game; names of another game do not fit |
/// | `schema()` | the schema |
/// | `install`, `with`, `uninstall` | a keeper that is reached from anywhere |
#[proc_macro]
pub fn schema(input: TokenStream) -> TokenStream {
    let made = syn::parse::<input::Declared>(input).and_then(|input| expand::module(&input));
    made.unwrap_or_else(syn::Error::into_compile_error).into()
}

/// Makes a test of each rehearsal of a folder: `rehearsals!(fen_post, "rehearsals");` in a test file, with the module that
/// `schema!` made. It needs the feature `testing`.
///
/// The folder is named from the package's folder or from the source file. A file that is added later fails a test that says
/// so, until the source file is compiled again.
#[proc_macro]
pub fn rehearsals(input: TokenStream) -> TokenStream {
    let made = syn::parse::<rehearsals::Folder>(input).and_then(|input| rehearsals::tests(&input));
    made.unwrap_or_else(syn::Error::into_compile_error).into()
}

/// Ties the members of a struct to fields of a game, each to the field of the same name.
///
/// `#[carry(MODULE)]` above the struct says which game: the module that `schema!` made. `#[carry(field = NAME)]`
/// above a member ties it to another field, and `#[carry(skip)]` leaves the member out.
#[proc_macro_derive(Carry, attributes(carry))]
pub fn carry(input: TokenStream) -> TokenStream {
    let made = syn::parse::<syn::DeriveInput>(input).and_then(|input| carry::implementation(&input));
    made.unwrap_or_else(syn::Error::into_compile_error).into()
}

/// Makes a struct an object of the world: its members are kept with its area.
///
/// `#[world(MODULE::kinds::KIND)]` above the struct says which kind it is; `rebuild = FUNCTION` after it names what to
/// call once after each recall. `time_away = FUNCTION` names what to call before that with the `Time` that the object was
/// away, if the kind asks for it. Each member is kept in the field of its name, or in that of `#[world(field = NAME)]`.
/// `#[world(id)]` marks the member with the id, an `ObjectId`. `#[world(transient)]` marks one that is not kept: it has
/// its default in an object that is made again.
#[proc_macro_derive(WorldObject, attributes(world))]
pub fn world_object(input: TokenStream) -> TokenStream {
    let made = syn::parse::<syn::DeriveInput>(input).and_then(|input| world::object(&input));
    made.unwrap_or_else(syn::Error::into_compile_error).into()
}
