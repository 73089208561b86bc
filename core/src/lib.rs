//! The lower floors of Plain Byte: processors, images, boards, chips, and what they speak with.
//!
//! A crate of its own so that its run loops are compiled while the floors above are; use it through `plain_byte`, which hands on what
//! is meant for users.

pub mod cassette;
pub mod diagnostic;
pub mod image;
pub mod machine;
pub mod number;
pub mod processor;
pub mod text;
pub mod transfer;
