//! Field types as Rust types, with the names of the module.

use keblin_schema::kind::{Holds, Ids};
use keblin_schema::model::{Axis, FieldDef};
use keblin_schema::{Kind, Model};
use proc_macro2::TokenStream;
use quote::quote;

use crate::ident::camel;

/// The type that a field is read and written as. Used one module below that of the schema.
pub(crate) fn of_field(schema: &Model, field: &FieldDef) -> TokenStream {
    let plain = of_holds(schema, field.holds());
    if field.may_be_unset() { quote!(::core::option::Option<#plain>) } else { plain }
}

/// The type that values of a type are read and written as.
pub(crate) fn of_holds(schema: &Model, holds: Holds) -> TokenStream {
    let of = |kind: Option<Kind>| kind.map(|kind| of_kind(schema, kind));
    match (holds.kind, of(holds.of), of(holds.key)) {
        (Kind::List, Some(of), _) => quote!(::std::vec::Vec<#of>),
        (Kind::Set, Some(of), _) => quote!(::std::collections::BTreeSet<#of>),
        (Kind::Map, Some(of), Some(key)) => quote!(::std::collections::BTreeMap<#key, #of>),
        (kind, ..) => of_kind(schema, kind),
    }
}

/// The type that a member of a game's own struct has.
pub(crate) fn owned(schema: &Model, holds: Holds) -> TokenStream {
    let one = |kind: Kind| match kind {
        Kind::Bytes => quote!(::std::vec::Vec<u8>),
        kind => of_kind(schema, kind),
    };
    match (holds.kind, holds.of.map(one), holds.key.map(one)) {
        (Kind::List, Some(of), _) => quote!(::std::vec::Vec<#of>),
        (Kind::Set, Some(of), _) => quote!(::std::collections::BTreeSet<#of>),
        (Kind::Map, Some(of), Some(key)) => quote!(::std::collections::BTreeMap<#key, #of>),
        (kind, ..) => one(kind),
    }
}

/// The type that a plain value is read and written as.
pub(crate) fn of_kind(schema: &Model, kind: Kind) -> TokenStream {
    match kind {
        Kind::Bool => quote!(bool),
        Kind::Int => quote!(i64),
        Kind::Float => quote!(f64),
        Kind::Time => quote!(::keblin::Time),
        Kind::Date => quote!(::keblin::Date),
        Kind::Instant => quote!(::keblin::Instant),
        Kind::Text => quote!(::std::string::String),
        Kind::Bytes => quote!(::keblin::game::made::Bytes),
        Kind::Vec2 => quote!([f32; 2]),
        Kind::Vec3 => quote!([f32; 3]),
        Kind::Quat => quote!([f32; 4]),
        Kind::Object(_) => quote!(::keblin::ObjectId),
        Kind::Opaque => quote!(::keblin::game::made::Opaque),
        Kind::Shape(shape) => {
            let name = schema.shapes.get(usize::from(shape)).map(|shape| camel(shape.name.as_str()));
            quote!(super::shapes::#name)
        }
        Kind::Id(ids) => of_ids(schema, ids),
        // Lists, sets and maps do not contain each other; an unknown type is passed through.
        _ => quote!(::keblin::Value),
    }
}

fn of_ids(schema: &Model, ids: Ids) -> TokenStream {
    match ids {
        Ids::List(list) => {
            let name = schema.lists.get(usize::from(list)).map(|list| camel(list.name.as_str()));
            quote!(super::lists::#name)
        }
        Ids::Levels => quote!(::keblin::Level<super::Game>),
        Ids::Checkpoints => quote!(::keblin::Checkpoint<super::Game>),
        Ids::Difficulties => quote!(::keblin::Difficulty<super::Game>),
        Ids::Unlocks => quote!(::keblin::Unlock<super::Game>),
    }
}

/// The type of a place on an axis.
pub(crate) fn of_axis(schema: &Model, axis: Axis) -> TokenStream {
    match axis {
        Axis::Level => of_ids(schema, Ids::Levels),
        Axis::Difficulty => of_ids(schema, Ids::Difficulties),
        Axis::List(list) => of_ids(schema, Ids::List(list)),
    }
}
