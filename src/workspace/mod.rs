//! Who opens what for which board: a program as it is named, its processor, its board; the project file; a new project.
//!
//! The command, an editor's server and a debugger's ask the same; what they have in common stands here, without arguments and without
//! files: a [`Loader`](crate::assembler::Loader) brings the texts.

mod project;
mod starter;
mod target;

pub use project::{FILE, Project};
pub use starter::{fits, starter};
pub use target::{Prepared, Program, Resolved, Target, TargetError, is_source, read_image};
