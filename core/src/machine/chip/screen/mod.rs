//! Video generators.

pub(super) mod mc6845;
pub(super) mod picture;
pub(super) mod text_adapter;
pub(super) mod text_screen;
