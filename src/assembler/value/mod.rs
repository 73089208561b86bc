//! What names and expressions are worth: symbols, name spaces, single formulas.

pub(super) mod formula;
pub(super) mod space;
pub(super) mod symbols;
