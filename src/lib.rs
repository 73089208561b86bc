//! Plain Byte.
pub mod assembler;
pub mod diagnostic;
pub mod image;
pub mod machine;
pub mod number;
pub mod processor;
