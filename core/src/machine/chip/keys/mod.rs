//! Keyboards that send codes.

pub(super) mod legends;
pub(super) mod scan_keyboard;
