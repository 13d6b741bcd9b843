//! Operators.

/// How two values are compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Comparison {
    /// `==`
    Equal,
    /// `!=`
    NotEqual,
    /// `<`
    Less,
    /// `<=`
    LessOrEqual,
    /// `>`
    Greater,
    /// `>=`
    GreaterOrEqual,
}

impl Comparison {
    /// All comparisons, each with its sign.
    pub const ALL: [(&'static str, Comparison); 6] = [
        ("==", Comparison::Equal),
        ("!=", Comparison::NotEqual),
        ("<", Comparison::Less),
        ("<=", Comparison::LessOrEqual),
        (">", Comparison::Greater),
        (">=", Comparison::GreaterOrEqual),
    ];

    /// Returns its sign.
    #[must_use]
    pub fn sign(self) -> &'static str {
        Comparison::ALL.iter().find(|(_, comparison)| *comparison == self).map_or("==", |(sign, _)| sign)
    }

    /// Returns whether it compares order, not only equality.
    #[must_use]
    pub fn is_order(self) -> bool {
        !matches!(self, Comparison::Equal | Comparison::NotEqual)
    }

    /// Compares two values.
    #[must_use]
    pub fn holds<T: PartialOrd>(self, left: T, right: T) -> bool {
        match self {
            Comparison::Equal => left == right,
            Comparison::NotEqual => left != right,
            Comparison::Less => left < right,
            Comparison::LessOrEqual => left <= right,
            Comparison::Greater => left > right,
            Comparison::GreaterOrEqual => left >= right,
        }
    }
}

/// How two numbers are combined.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Arithmetic {
    /// `+`
    Add,
    /// `-`
    Subtract,
    /// `*`
    Multiply,
    /// `/`, towards zero
    Divide,
    /// `%`, with the sign of the left one
    Remainder,
}

impl Arithmetic {
    /// The operators of sums, each with its sign.
    pub const SUM: [(&'static str, Arithmetic); 2] = [("+", Arithmetic::Add), ("-", Arithmetic::Subtract)];
    /// The operators of products, each with its sign.
    pub const PRODUCT: [(&'static str, Arithmetic); 3] =
        [("*", Arithmetic::Multiply), ("/", Arithmetic::Divide), ("%", Arithmetic::Remainder)];

    /// Returns its sign.
    #[must_use]
    pub fn sign(self) -> &'static str {
        let all = Arithmetic::SUM.iter().chain(&Arithmetic::PRODUCT);
        all.into_iter().find(|(_, known)| *known == self).map_or("+", |(sign, _)| sign)
    }
}
