//! What a person reads about a program that runs.

mod coverage;
mod explain;
mod final_card;
mod flame;
mod grades;
mod hazards;
mod outcomes;
mod results;
mod trace;
mod wall;
mod why;

pub use coverage::{Coverage, folded};
pub use explain::{explain, explain_branch};
pub use final_card::{final_card, registers_card};
pub use flame::flame;
pub use grades::{Fault, Grade, grades, grades_csv, grades_html};
pub use hazards::hazards;
pub use outcomes::{Suite, junit, tap};
pub use results::results;
pub use trace::{Radix, Tracer, describe, flags_text, list_line, memory_in, memory_text, written_at};
pub use wall::wall;
pub use why::{why, writers};
