//! Kinds of objects and areas: their handles, and a game's own structs that are objects.

use keblin_schema::model::{Areas, MemberDef, ObjectKindDef};
use keblin_schema::{Model, Value};
use proc_macro2::TokenStream;
use quote::{format_ident, quote, quote_spanned};
use syn::meta::ParseNestedMeta;
use syn::spanned::Spanned;
use syn::{Attribute, Data, DeriveInput, Fields, Ident, Path, Token};

use crate::expand::listed;
use crate::ident::{constant, same};
use crate::types::of_holds;

/// The module of the kinds.
pub(crate) fn kinds(schema: &Model) -> TokenStream {
    if schema.object_kinds.is_empty() {
        return TokenStream::new();
    }
    // The modules below name lists and shapes as if they were one module higher.
    let names = std::iter::once(quote!(
        use super::*;
    ));
    let kinds = (0_u16..).zip(&schema.object_kinds).map(|(index, kind)| self::kind(schema, index, kind));
    listed("kinds", "The kinds of objects in the world.", names.chain(kinds))
}

fn kind(schema: &Model, index: u16, kind: &ObjectKindDef) -> TokenStream {
    let (module, members) = (same(&kind.name), kind.fields.iter().map(|field| same(&field.name)));
    let about = match &kind.about {
        Some(about) => format!("{about} (`{}`)", kind.name),
        None => format!("The kind `{}`.", kind.name),
    };
    let fields = (0_u16..).zip(&kind.fields).map(|(at, field)| {
        let (name, of, doc) = (constant(&field.name), of_member(schema, field), described(field));
        quote! {
            #[doc = #doc]
            pub const #name: ::keblin::world::ObjectField<#of, super::Game> =
                ::keblin::world::ObjectField::of_index(#index, #at);
        }
    });
    let asks = kind.time_away;
    quote! {
        #[doc = #about]
        pub mod #module {
            /// The kind itself.
            pub const KIND: ::keblin::ObjectKind<super::Game> = ::keblin::ObjectKind::of_index(#index);

            #(#fields)*

            #[doc(hidden)]
            pub type Game = super::super::Game;

            /// Whether it asks for the time away.
            #[doc(hidden)]
            pub const TIME_AWAY: bool = #asks;

            /// Every field once, so that a struct without one of them does not compile.
            #[doc(hidden)]
            pub struct Kept {
                #(pub #members: (),)*
            }
        }
    }
}

fn of_member(schema: &Model, field: &MemberDef) -> TokenStream {
    let of = of_holds(schema, field.holds());
    if field.default == Value::Unset { quote!(::core::option::Option<#of>) } else { of }
}

fn described(field: &MemberDef) -> String {
    match &field.about {
        Some(about) => format!("{about} ({})", field.kind),
        None => format!("`{}`: {}", field.name, field.kind),
    }
}

/// The module of the areas.
pub(crate) fn areas(schema: &Model) -> TokenStream {
    let about = "The areas of the world.";
    match &schema.areas {
        Areas::Named(areas) => {
            let constants = (0_u32..).zip(areas).map(|(index, area)| {
                let (name, doc) = (constant(&area.name), format!("{}: `{}`", area.title, area.name));
                quote! {
                    #[doc = #doc]
                    pub const #name: ::keblin::Area<super::Game> = ::keblin::Area::of_index(#index);
                }
            });
            listed("areas", about, constants)
        }
        _ => {
            let at = quote! {
                /// Returns the area in a column and a row; `None` outside the grid.
                pub fn at(place: [u16; 2]) -> ::core::option::Option<::keblin::Area<super::Game>> {
                    ::keblin::Area::at(place)
                }
            };
            listed("areas", about, std::iter::once(at))
        }
    }
}

/// What a struct says of itself: its kind, and what to call after a recall.
struct Said {
    kind: Path,
    rebuild: Option<Path>,
    time_away: Option<Path>,
}

/// A member of a struct.
enum Role {
    Id,
    /// With the constant of its field.
    Kept(Ident),
    Transient,
}

/// `#[derive(WorldObject)]`
pub(crate) fn object(input: &DeriveInput) -> syn::Result<TokenStream> {
    let Said { kind, rebuild, time_away } = said(input)?;
    let members = members(input)?;
    let (name, (generics, of, bounds)) = (&input.ident, input.generics.split_for_impl());
    let mut ids = members.iter().filter(|(_, role)| matches!(role, Role::Id)).map(|(member, _)| member);
    let Some(id) = ids.next() else {
        let message = "expected a member for the id: write `#[world(id)] id: ObjectId`";
        return Err(syn::Error::new(name.span(), message));
    };
    if let Some(second) = ids.next() {
        return Err(syn::Error::new(second.span(), "an object has one id, and another member is it already"));
    }
    let kept = || {
        members.iter().filter_map(|(member, role)| match role {
            Role::Kept(field) => Some((member, field)),
            _ => None,
        })
    };
    let record =
        kept().map(|(member, field)| quote_spanned!(member.span()=> columns.put(#kind::#field, objects.iter().map(|object| &object.#member));));
    let put_back =
        kept().map(|(member, field)| quote_spanned!(member.span()=> self.#member = row.get(#kind::#field);));
    let made = members.iter().map(|(member, role)| match role {
        Role::Id => quote!(#member: id,),
        Role::Kept(field) => quote_spanned!(member.span()=> #member: row.get(#kind::#field),),
        Role::Transient => quote_spanned!(member.span()=> #member: ::core::default::Default::default(),),
    });
    let of_kind = kept().map(|(_, field)| Ident::new(&field.to_string().to_ascii_lowercase(), field.span()));
    let of_away = match time_away.is_some() {
        true => {
            quote!(#kind::TIME_AWAY, "this kind does not ask for the time away: declare `time_away = true`, or leave out `time_away` here")
        }
        false => {
            quote!(!#kind::TIME_AWAY, "this kind asks for the time away: add `time_away = FUNCTION` after the kind")
        }
    };
    let of_away = quote_spanned!(kind.span()=> const _: () = ::core::assert!(#of_away););
    let time_away =
        time_away.map(|path| quote!(fn time_away(&mut self, away: ::keblin::Time) { #path(self, away); }));
    let rebuild = rebuild.map(|path| quote!(fn rebuild(&mut self) { #path(self); }));
    Ok(quote! {
        const _: #kind::Kept = #kind::Kept { #(#of_kind: (),)* };
        #of_away

        #[automatically_derived]
        impl #generics ::keblin::WorldObject<#kind::Game> for #name #of #bounds {
            const KIND: ::keblin::ObjectKind<#kind::Game> = #kind::KIND;

            fn object_id(&self) -> ::keblin::ObjectId {
                self.#id
            }

            #[inline]
            fn record(objects: &[&Self], columns: &mut ::keblin::world::ColumnsOut<'_>) {
                #(#record)*
            }

            #[inline]
            fn put_back(&mut self, row: &::keblin::world::RowIn<'_>) {
                #(#put_back)*
            }

            #[inline]
            fn made_again(id: ::keblin::ObjectId, row: &::keblin::world::RowIn<'_>) -> Self {
                #name { #(#made)* }
            }

            #time_away

            #rebuild
        }
    })
}

fn said(input: &DeriveInput) -> syn::Result<Said> {
    let Some(attribute) = world_attributes(&input.attrs).next() else {
        let message = "expected the kind of these objects: write `#[world(MODULE::kinds::KIND)]` above the struct, with the module that `schema!` made";
        return Err(syn::Error::new(input.ident.span(), message));
    };
    attribute.parse_args_with(|from: syn::parse::ParseStream<'_>| {
        let kind = from.parse::<Path>()?;
        let mut said = Said { kind, rebuild: None, time_away: None };
        while from.peek(Token![,]) {
            from.parse::<Token![,]>()?;
            let word = from.parse::<Ident>()?;
            let function = match word.to_string().as_str() {
                "rebuild" => &mut said.rebuild,
                "time_away" => &mut said.time_away,
                _ => {
                    let message = "expected `rebuild = FUNCTION` or `time_away = FUNCTION`";
                    return Err(syn::Error::new(word.span(), message));
                }
            };
            from.parse::<Token![=]>()?;
            *function = Some(from.parse::<Path>()?);
        }
        Ok(said)
    })
}

fn members(input: &DeriveInput) -> syn::Result<Vec<(Ident, Role)>> {
    let Data::Struct(data) = &input.data else {
        return Err(syn::Error::new(input.ident.span(), "expected a struct with named members"));
    };
    let Fields::Named(fields) = &data.fields else {
        let message = "each member is kept in the field of its name: give the members names";
        return Err(syn::Error::new(data.fields.span(), message));
    };
    let mut members = Vec::new();
    for field in &fields.named {
        let Some(member) = &field.ident else { continue };
        let text = member.to_string();
        let upper = text.strip_prefix("r#").unwrap_or(&text).to_ascii_uppercase();
        let mut role = Role::Kept(Ident::new(&upper, member.span()));
        for attribute in world_attributes(&field.attrs) {
            attribute.parse_nested_meta(|word| said_of_member(&word, &mut role))?;
        }
        members.push((member.clone(), role));
    }
    Ok(members)
}

fn said_of_member(word: &ParseNestedMeta<'_>, role: &mut Role) -> syn::Result<()> {
    *role = if word.path.is_ident("id") {
        Role::Id
    } else if word.path.is_ident("transient") {
        Role::Transient
    } else if word.path.is_ident("field") {
        let id: Ident = word.value()?.parse()?;
        Role::Kept(Ident::new(&id.to_string().to_ascii_uppercase(), id.span()))
    } else {
        let message = "expected `#[world(id)]`, `#[world(transient)]` or `#[world(field = NAME)]`";
        return Err(word.error(message));
    };
    Ok(())
}

fn world_attributes(attributes: &[Attribute]) -> impl Iterator<Item = &Attribute> {
    let world = format_ident!("world");
    attributes.iter().filter(move |attribute| attribute.path().is_ident(&world))
}
