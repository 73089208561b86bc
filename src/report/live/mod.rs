//! What a person reads about a program that runs.

mod explain;
mod results;
mod trace;

pub use explain::explain;
pub use results::results;
pub use trace::{
    Radix, Tracer, describe, final_card, flags_text, list_line, memory_in, memory_text, registers_card,
    written_at,
};
