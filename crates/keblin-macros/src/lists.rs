//! Closed lists, as enums.

use keblin_schema::{Model, Name};
use proc_macro2::TokenStream;
use quote::quote;

use crate::expand::{listed, with_serde};
use crate::ident::camel;

pub(crate) fn lists(schema: &Model) -> TokenStream {
    let lists = (0_u16..).zip(&schema.lists).map(|(index, list)| {
        let (name, doc) = (camel(list.name.as_str()), format!("The list `{}`, in its order.", list.name));
        let variants: Vec<_> = list.items.iter().map(|item| camel(item.as_str())).collect();
        let docs = list.items.iter().map(|item| format!("`{item}`"));
        let (ids, of) = (list.items.iter().map(Name::as_str), list.name.as_str());
        let (with_serde, names) = (with_serde(), list.items.iter().map(renamed));
        quote! {
            #[doc = #doc]
            #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
            #with_serde
            pub enum #name {
                #(#[doc = #docs] #names #variants,)*
            }

            impl #name {
                /// All of them, in declared order.
                pub const ALL: &'static [#name] = &[#(#name::#variants),*];

                /// Returns the id.
                #[must_use]
                pub fn id(self) -> &'static str {
                    [#(#ids),*][self as usize]
                }

                /// Returns the one with an id; `None` if the list does not have it. `parse` says what was probably meant.
                #[must_use]
                pub fn from_id(id: &str) -> ::core::option::Option<#name> {
                    id.parse().ok()
                }
            }

            /// Its id.
            impl ::core::fmt::Display for #name {
                fn fmt(&self, f: &mut ::core::fmt::Formatter<'_>) -> ::core::fmt::Result {
                    f.pad(self.id())
                }
            }

            /// From its id.
            impl ::core::str::FromStr for #name {
                type Err = ::keblin::LookupError;

                fn from_str(id: &str) -> ::core::result::Result<#name, ::keblin::LookupError> {
                    let found = super::schema().item(#of, id)?;
                    Ok(#name::ALL[found.index()])
                }
            }

            impl ::keblin::game::made::Declared for #name {
                fn is(kind: ::keblin::Kind) -> bool {
                    kind == ::keblin::Kind::Id(::keblin::kind::Ids::List(#index))
                }
                fn of_value(value: &::keblin::Value) -> Self {
                    let item = ::keblin::game::made::item_of(value);
                    #name::ALL.get(item).copied().unwrap_or(#name::ALL[0])
                }
                fn to_value(self, model: &::keblin::Model) -> ::core::option::Option<::keblin::Value> {
                    ::keblin::game::made::item_value(#index, self as u16, model)
                }
            }

            impl ::keblin::game::made::Axial for #name {
                fn position(self) -> usize {
                    self as usize
                }
            }
        }
    });
    listed("lists", "The closed lists.", lists)
}

/// An item of a list under its id.
fn renamed(id: &Name) -> Option<TokenStream> {
    let id = id.as_str();
    cfg!(feature = "serde").then(|| quote!(#[serde(rename = #id)]))
}
