//! The module of a schema.

use keblin_schema::model::{FieldDef, MAX_AXES};
use keblin_schema::{Model, Name};
use proc_macro2::{Literal, TokenStream};
use quote::{format_ident, quote};

use crate::ident::{camel, constant, same};
use crate::input::Declared;
use crate::levels;
use crate::lists;
use crate::load::{Loaded, load};
use crate::types::{of_axis, of_field, of_holds, owned};
use crate::world;

/// The types that every module has.
const TYPES: [&str; 7] = ["Game", "Progress", "Keeper", "Settings", "Play", "Notice", "Event"];

/// `pub mod fen_post { … }`
pub(crate) fn module(input: &Declared) -> syn::Result<TokenStream> {
    let Loaded { schema, name, paths } = load(&input.path)?;
    let embedded = Literal::byte_string(&schema.to_embedded());
    let Declared { visibility, module, .. } = input;
    let marker = match camel(&module.to_string()) {
        // A name that the module uses for something else.
        taken if TYPES.iter().any(|word| taken == word) => format_ident!("{taken}Names"),
        free => free,
    };
    let about = format!(
        "The names of `{}`, made by `keblin::schema!` of version {} of `{name}`.\n\n\
         `Keeper` is progress that saves itself, `Progress` the same without a place to be saved to; both take these names \
         and no others.",
        schema.game, schema.version
    );
    let of_game = format!("The game `{}`, as a type: it keeps names of other games out.", schema.game);
    let (fields, lists, shapes) = (fields(&schema), lists::lists(&schema), shapes(&schema));
    let (levels, checkpoints) = (levels::levels(&schema), levels::checkpoints(&schema));
    let (chapters, constants) = (levels::chapters(&schema), levels::constants(&schema));
    let difficulties = schema.difficulties.iter().map(|difficulty| (difficulty, String::new()));
    let difficulties = positions(
        "Difficulty",
        "difficulties",
        "The difficulties. The first is used until the player chooses one.",
        difficulties,
    );
    let unlocks = schema.unlocks.iter().map(|unlock| (&unlock.name, unlock.title.clone()));
    let unlocks = positions("Unlock", "unlocks", "Everything to unlock that is not a level.", unlocks);
    let moments =
        schema.moments.iter().map(|moment| (&moment.name, moment.about.clone().unwrap_or_default()));
    let moments =
        positions("Moment", "moments", "Conditions that are reported once when they become true.", moments);
    let resets = schema.resets.iter().map(|reset| (&reset.name, reset.title.clone()));
    let resets = positions("Reset", "resets", "What of a profile one call erases: `Erase::Reset`.", resets);
    let (kinds, areas) = (world::kinds(&schema), world::areas(&schema));
    let (types, installed) = (types(), installed());
    Ok(quote! {
        #[doc = #about]
        #[allow(dead_code, unused_imports, clippy::all, clippy::pedantic, clippy::restriction)]
        #visibility mod #module {
            #[doc = #of_game]
            #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
            pub enum #marker {}

            /// The game, by one name in every module that `schema!` makes.
            pub type Game = #marker;

            impl ::keblin::game::made::Compiled for #marker {
                fn model() -> &'static ::keblin::Model {
                    schema()
                }
            }

            impl ::keblin::Game for #marker {
                fn schema() -> &'static ::std::sync::Arc<::keblin::Schema> {
                    static SCHEMA: ::std::sync::OnceLock<::std::sync::Arc<::keblin::Schema>> =
                        ::std::sync::OnceLock::new();
                    ::keblin::game::made::schema_of::<#marker>(&SCHEMA, #embedded)
                }
            }

            // The compiler runs the macro again when one of these files changes.
            #(const _: &[u8] = ::core::include_bytes!(#paths);)*

            /// Returns the schema that the game was compiled with.
            pub fn schema() -> &'static ::std::sync::Arc<::keblin::Schema> {
                <Game as ::keblin::Game>::schema()
            }

            #types
            #installed
            #fields
            #chapters
            #constants
            #levels
            #checkpoints
            #difficulties
            #unlocks
            #moments
            #resets
            #lists
            #shapes
            #kinds
            #areas
        }
    })
}

/// The library's types, for this game.
fn types() -> TokenStream {
    quote! {
        /// The progress of this game, kept in memory.
        pub type Progress = ::keblin::ProgressOf<Game>;

        /// The progress of this game in a slot, which saves itself.
        pub type Keeper = ::keblin::KeeperOf<Game>;

        /// The settings of this machine, for a title screen before a slot is chosen.
        pub type Settings = ::keblin::store::SettingsOf<Game>;

        /// What a `Progress` and a `Keeper` have in common: the parameter of a helper that works with both.
        pub type Play<P> = ::keblin::progress::Play<Game, P>;

        /// Something that this game reports, once.
        pub type Notice = ::keblin::Notice<Game>;

        /// Something that happens to the progress of this game.
        pub type Event = ::keblin::progress::Event<Game>;
    }
}

/// The installed keeper, which is reached from anywhere.
fn installed() -> TokenStream {
    quote! {
        #[doc(hidden)]
        static INSTALLED: ::keblin::game::Installed<Keeper> = ::keblin::game::Installed::none();

        /// Installs a keeper that [`with`] reaches from anywhere.
        ///
        /// # Errors
        /// [`Twice`](::keblin::game::InstallError::Twice) if one is installed already; the error returns the keeper.
        pub fn install(keeper: Keeper) -> ::core::result::Result<(), ::keblin::game::installed::NotInstalled<Keeper>> {
            INSTALLED.install(keeper)
        }

        /// Installs a keeper for as long as the guard is held. Hold it in `main`, and the game is saved when `main`
        /// ends.
        ///
        /// # Errors
        /// As [`install`].
        pub fn install_guarded(
            keeper: Keeper,
        ) -> ::core::result::Result<
            ::keblin::game::installed::InstalledGuard<Keeper>,
            ::keblin::game::installed::NotInstalled<Keeper>,
        > {
            INSTALLED.install_guarded(keeper)
        }

        /// Calls a function with the installed keeper, once no other thread uses it.
        ///
        /// # Errors
        /// [`Missing`](::keblin::game::InstallError::Missing) if none is installed,
        /// [`Nested`](::keblin::game::InstallError::Nested) inside another call on the same thread.
        pub fn with<R>(
            act: impl ::core::ops::FnOnce(&mut Keeper) -> R,
        ) -> ::core::result::Result<R, ::keblin::game::InstallError> {
            INSTALLED.with(act)
        }

        /// Takes the installed keeper out, so that it can be closed.
        ///
        /// # Errors
        /// As [`with`].
        pub fn uninstall() -> ::core::result::Result<Keeper, ::keblin::game::InstallError> {
            INSTALLED.uninstall()
        }
    }
}

fn fields(schema: &Model) -> TokenStream {
    let constants = schema.fields.iter().map(|field| {
        let (name, of, doc) = (constant(&field.name), of_field(schema, field), described(schema, field));
        let first = Literal::usize_unsuffixed(field.cells.start);
        if field.per.is_empty() {
            return quote! {
                #[doc = #doc]
                pub const #name: ::keblin::Field<#of, super::Game> = ::keblin::Field::of_cell(#first);
            };
        }
        let axes = field.per.iter().map(|axis| of_axis(schema, *axis));
        let mut lens = [1; MAX_AXES];
        lens.iter_mut().zip(&field.per).for_each(|(len, axis)| *len = schema.axis_len(*axis));
        let lens = lens.map(Literal::usize_unsuffixed);
        let seats = Literal::usize_unsuffixed(field.places);
        quote! {
            #[doc = #doc]
            pub const #name: ::keblin::PerField<#of, (#(#axes,)*), super::Game> =
                ::keblin::PerField::of_cells(#first, [#(#lens),*], #seats);
        }
    });
    let all = (0_u16..).zip(&schema.fields).map(|(index, _)| quote!(::keblin::FieldId::of_index(#index)));
    let all = (!schema.fields.is_empty()).then(|| {
        quote! {
            /// The ids of all fields, in declared order, whatever their types.
            pub const ALL: &[::keblin::FieldId<super::Game>] = &[#(#all),*];
        }
    });
    listed("fields", "The fields.", constants.chain(all))
}

/// What a field is for, and how it is declared.
fn described(schema: &Model, field: &FieldDef) -> String {
    let axes: Vec<&str> = field.per.iter().map(|axis| schema.axis_name(*axis)).collect();
    let each = if axes.is_empty() { String::new() } else { format!(", one per {}", axes.join(" and ")) };
    let (unset, read) = match field.may_be_unset() {
        true => (" that may be unset", "\n\nAsk `.is_some_and(|value| …)`, or match `.option()`."),
        false => ("", ""),
    };
    let declared = format!("{}{unset}, {} scope{each}", field.holds(), field.scope.as_str());
    match &field.about {
        Some(about) => format!("{about} ({declared})\n\n`{}`{read}", field.name),
        None => format!("`{}`: {declared}{read}", field.name),
    }
}

/// Constants of one list of names, with their titles.
pub(crate) fn positions<'s>(
    kind: &str,
    module: &str,
    about: &str,
    names: impl Iterator<Item = (&'s Name, String)>,
) -> TokenStream {
    let kind = format_ident!("{kind}");
    let names: Vec<_> = names.collect();
    let all = names.iter().map(|(id, _)| constant(id));
    let all = (!names.is_empty()).then(|| {
        quote! {
            /// All of them, in declared order.
            pub const ALL: &[::keblin::#kind<super::Game>] = &[#(#all),*];
        }
    });
    let constants = (0_u16..).zip(&names).map(|(index, (id, title))| {
        let name = constant(id);
        let is_told = !title.is_empty() && title != id.as_str();
        let doc = if is_told { format!("{title}: `{id}`") } else { format!("`{id}`") };
        quote! {
            #[doc = #doc]
            pub const #name: ::keblin::#kind<super::Game> = ::keblin::#kind::of_index(#index);
        }
    });
    listed(module, about, constants.chain(all))
}

/// A module of some items; none if there are no items.
pub(crate) fn listed(module: &str, about: &str, items: impl Iterator<Item = TokenStream>) -> TokenStream {
    let (module, mut items) = (format_ident!("{module}"), items.peekable());
    if items.peek().is_none() {
        return TokenStream::new();
    }
    quote! {
        #[doc = #about]
        pub mod #module {
            #(#items)*
        }
    }
}

/// Implements serde's traits for a type.
pub(crate) fn with_serde() -> Option<TokenStream> {
    cfg!(feature = "serde").then(|| {
        quote! {
            #[derive(::keblin::game::made::serde::Serialize, ::keblin::game::made::serde::Deserialize)]
            #[serde(crate = "::keblin::game::made::serde")]
        }
    })
}

fn shapes(schema: &Model) -> TokenStream {
    let shapes = (0_u16..).zip(&schema.shapes).map(|(index, shape)| {
        let (name, doc) = (camel(shape.name.as_str()), format!("The shape `{}`.", shape.name));
        let members: Vec<_> = shape.members.iter().map(|member| same(&member.name)).collect();
        let ids = shape.members.iter().map(|member| member.name.as_str());
        let docs = shape.members.iter().map(|member| match &member.about {
            Some(about) => format!("{about} ({})", member.kind),
            None => format!("`{}`: {}", member.name, member.kind),
        });
        let is_optional =
            |member: &keblin_schema::model::MemberDef| member.default == keblin_schema::Value::Unset;
        let owned = shape.members.iter().map(|member| {
            let of = owned(schema, member.holds());
            if is_optional(member) { quote!(::core::option::Option<#of>) } else { of }
        });
        let read_as: Vec<_> = shape
            .members
            .iter()
            .map(|member| {
                let of = of_holds(schema, member.holds());
                if is_optional(member) { quote!(::core::option::Option<#of>) } else { of }
            })
            .collect();
        let (position, with_serde) = (usize::from(index), with_serde());
        quote! {
            #[doc = #doc]
            #[derive(Clone, Debug, PartialEq)]
            #with_serde
            pub struct #name {
                #(#[doc = #docs] pub #members: #owned,)*
            }

            impl ::core::default::Default for #name {
                fn default() -> Self {
                    ::keblin::game::made::shape_default(super::schema(), #position)
                }
            }

            impl ::keblin::game::made::Declared for #name {
                fn is(kind: ::keblin::Kind) -> bool {
                    kind == ::keblin::Kind::Shape(#index)
                }
                fn of_value(value: &::keblin::Value) -> Self {
                    #name { #(#members: ::keblin::game::made::member_of::<#read_as, _>(value, #ids),)* }
                }
                fn to_value(self, model: &::keblin::Model) -> ::core::option::Option<::keblin::Value> {
                    let members =
                        [#(::keblin::game::made::member_value::<#read_as, _>(&self.#members, model)),*];
                    ::keblin::game::made::shape_value(#index, members, model)
                }
            }
        }
    });
    listed("shapes", "The shapes: structs of the declaration.", shapes)
}
