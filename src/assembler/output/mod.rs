//! What is written beside the image: the listing and its line map.

pub(super) mod listing;
