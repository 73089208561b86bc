//! What a person reads about a program that runs.

mod explain;
mod final_card;
mod hazards;
mod results;
mod trace;
mod wall;
mod why;

pub use explain::explain;
pub use final_card::{final_card, registers_card};
pub use hazards::hazards;
pub use results::results;
pub use trace::{Radix, Tracer, describe, flags_text, list_line, memory_in, memory_text, written_at};
pub use wall::wall;
pub use why::{why, writers};
