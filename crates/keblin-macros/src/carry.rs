//! `#[derive(Carry)]`: writes the members of a struct to fields and reads them back.

use proc_macro2::TokenStream;
use quote::{format_ident, quote, quote_spanned};
use syn::meta::ParseNestedMeta;
use syn::spanned::Spanned;
use syn::{Attribute, Data, DeriveInput, Fields, Ident, Path};

pub(crate) fn implementation(input: &DeriveInput) -> syn::Result<TokenStream> {
    let game = game(input)?;
    let members = members(input)?;
    let (name, (generics, of, bounds)) = (&input.ident, input.generics.split_for_impl());
    let members = members.iter().map(|(member, field)| {
        quote_spanned!(member.span()=> tie.member(#game::fields::#field, &mut self.#member);)
    });
    Ok(quote! {
        #[automatically_derived]
        impl #generics ::keblin::Carry<#game::Game> for #name #of #bounds {
            fn carry(&mut self, tie: &mut ::keblin::game::carry::Tie<'_, #game::Game>) {
                #(#members)*
            }
        }
    })
}

/// The module that `schema!` made.
fn game(input: &DeriveInput) -> syn::Result<Path> {
    let mut game = None;
    for attribute in carry_attributes(&input.attrs) {
        game = Some(attribute.parse_args::<Path>().map_err(|error| {
            syn::Error::new(error.span(), "write `#[carry(MODULE)]`, with the module that `schema!` made")
        })?);
    }
    game.ok_or_else(|| {
        let message =
            "expected the game of these fields: write `#[carry(MODULE)]` above the struct, with the module that `schema!` made";
        syn::Error::new(input.ident.span(), message)
    })
}

/// The carried members, each with the constant of its field.
fn members(input: &DeriveInput) -> syn::Result<Vec<(Ident, Ident)>> {
    let Data::Struct(data) = &input.data else {
        return Err(syn::Error::new(input.ident.span(), "expected a struct with named members"));
    };
    let Fields::Named(fields) = &data.fields else {
        let message = "each member is tied to the field of its name: give the members names";
        return Err(syn::Error::new(data.fields.span(), message));
    };
    let mut members = Vec::new();
    for field in &fields.named {
        let Some(member) = &field.ident else { continue };
        let (mut skip, mut other) = (false, None);
        for attribute in carry_attributes(&field.attrs) {
            attribute.parse_nested_meta(|word| said_of_member(&word, &mut skip, &mut other))?;
        }
        if !skip {
            let id = other.as_ref().unwrap_or(member);
            let text = id.to_string();
            let constant = text.strip_prefix("r#").unwrap_or(&text).to_ascii_uppercase();
            members.push((member.clone(), Ident::new(&constant, id.span())));
        }
    }
    Ok(members)
}

fn said_of_member(word: &ParseNestedMeta<'_>, skip: &mut bool, other: &mut Option<Ident>) -> syn::Result<()> {
    if word.path.is_ident("skip") {
        *skip = true;
        return Ok(());
    }
    if word.path.is_ident("field") {
        *other = Some(word.value()?.parse().map_err(|error| {
            syn::Error::new(error.span(), "write `#[carry(field = NAME)]`, with the id of the field")
        })?);
        return Ok(());
    }
    Err(word.error("expected `#[carry(field = NAME)]` or `#[carry(skip)]`"))
}

fn carry_attributes(attributes: &[Attribute]) -> impl Iterator<Item = &Attribute> {
    let carry = format_ident!("carry");
    attributes.iter().filter(move |attribute| attribute.path().is_ident(&carry))
}
