//! Levels, their checkpoints, chapters and constants, as compiled names.

use keblin_schema::Model;
use proc_macro2::TokenStream;
use quote::quote;

use crate::expand::{listed, positions};
use crate::ident::{constant, same};
use crate::types::of_kind;

pub(crate) fn levels(schema: &Model) -> TokenStream {
    let levels = schema.levels.iter().map(|level| (&level.name, level.title.clone()));
    positions("Level", "levels", "The levels, in their order.", levels)
}

pub(crate) fn chapters(schema: &Model) -> TokenStream {
    let chapters = schema.chapters.iter().map(|chapter| (&chapter.name, chapter.title.clone()));
    positions("Chapter", "chapters", "The chapters, in their order.", chapters)
}

/// The constants of levels, with their types.
pub(crate) fn constants(schema: &Model) -> TokenStream {
    let constants = (0_u16..).zip(&schema.constants).map(|(index, def)| {
        let (name, of) = (constant(&def.name), of_kind(schema, def.kind));
        let declared = format!("`{}`: {}, in every level", def.name, def.kind);
        let doc = def.about.as_ref().map_or(declared.clone(), |about| format!("{about} ({declared})"));
        quote! {
            #[doc = #doc]
            pub const #name: ::keblin::Constant<#of, super::Game> = ::keblin::Constant::of_index(#index);
        }
    });
    listed("constants", "The constants of levels, which no save contains.", constants)
}

pub(crate) fn checkpoints(schema: &Model) -> TokenStream {
    let levels = (0_u16..).zip(&schema.levels).filter(|(_, level)| !level.checkpoints.is_empty());
    let modules = levels.map(|(index, level)| {
        let name = same(&level.name);
        let doc = format!("The checkpoints of `{}`, in their order.", level.name);
        let constants = (0_u16..).zip(&level.checkpoints).map(|(position, id)| {
            let (name, doc) = (constant(id), format!("`{id}`"));
            quote! {
                #[doc = #doc]
                pub const #name: ::keblin::Checkpoint<super::super::Game> =
                    ::keblin::Checkpoint::of_index(#index, #position);
            }
        });
        let all = level.checkpoints.iter().map(constant);
        quote! {
            #[doc = #doc]
            pub mod #name {
                #(#constants)*
                /// All of them, in declared order.
                pub const ALL: &[::keblin::Checkpoint<super::super::Game>] = &[#(#all),*];
            }
        }
    });
    listed("checkpoints", "The checkpoints, by level.", modules)
}
