//! Source text to lines: tokens, expressions, directives, macros and repetitions.

pub(super) mod again;
pub(super) mod data;
pub(super) mod directive;
pub(super) mod expand;
pub(super) mod expression;
pub(super) mod habits;
pub mod lexer;
pub(super) mod names;
pub(super) mod parser;
pub(super) mod quoted;
pub(super) mod template;
