//! Screens.

pub(super) mod text_screen;
