//! How the instructions of each family are written: from a mnemonic and its operands to a row of the table.

pub(super) mod block;
pub(super) mod instruction;
pub(super) mod modes;
pub(super) mod operations;
pub(super) mod pdp10;
pub(super) mod pdp8;
pub(super) mod translate;
pub(super) mod width;
