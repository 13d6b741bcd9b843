//! The arguments of `schema!`: visibility and name of the module, and the path of the declaration.

use syn::parse::{Parse, ParseStream};
use syn::{Ident, LitStr, Token, Visibility};

/// `schema!(pub fen_post, "progress.toml")`
pub(crate) struct Declared {
    pub(crate) visibility: Visibility,
    pub(crate) module: Ident,
    pub(crate) path: LitStr,
}

const FORM: &str =
    "write `schema!(NAME, \"progress.toml\")`: a name for the module, and the path of the declaration";

impl Parse for Declared {
    fn parse(input: ParseStream<'_>) -> syn::Result<Declared> {
        let meant = |error: syn::Error| syn::Error::new(error.span(), format!("{error}; {FORM}"));
        let declared = Declared {
            visibility: input.parse().map_err(meant)?,
            module: input.parse().map_err(meant)?,
            path: {
                input.parse::<Token![,]>().map_err(meant)?;
                input.parse().map_err(meant)?
            },
        };
        input.parse::<Option<Token![,]>>().map_err(meant)?;
        match input.is_empty() {
            true => Ok(declared),
            false => Err(input.error(format!("expected nothing more; {FORM}"))),
        }
    }
}
