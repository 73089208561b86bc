//! `value`: a number in every notation.

use super::print_json;
use crate::arguments::ValueArguments;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::NoNames;
use plain_byte::number::{Notations, floating};
use plain_byte::report::notations;

pub fn run(arguments: &ValueArguments) -> Result<(), Failure> {
    let text = arguments.expression.join(" ");
    let set = open::cpu_option(arguments.cpu.as_deref())?;
    let number = match set.filter(|set| set.cell_bits() == 36 && is_floating(&text)) {
        Some(_) => floating::parse(&text).map_err(|problem| {
            Failure::usage(problem.to_string(), "write a decimal number such as 2.5 or 1.5e6")
        })? as i64,
        None => open::number("expression", &text, set, &NoNames)?,
    };
    let value = match set.filter(|set| set.is_word_machine()) {
        Some(set) => Notations::of_word(number, set.cell_bits()).ok_or_else(|| {
            let most = set.habit().literal(set.last_cell(), set.cell_bits());
            let problem = format!("{number} does not fit into a word of {} bits", set.cell_bits());
            Failure::usage(problem, format!("the largest is octal {most}"))
        })?,
        None => Notations::of(number),
    };
    if arguments.json {
        return print_json(&value);
    }
    Ok(paint::show(&notations(&value))?)
}

/// True for a decimal number with a point inside, or with an exponent.
fn is_floating(text: &str) -> bool {
    let digits = text.trim_start_matches(['-', '+']);
    let is_plain = |c: char| c.is_ascii_digit() || matches!(c, '.' | 'e' | 'E' | '-' | '+');
    let begins = digits.starts_with(|c: char| c.is_ascii_digit() || c == '.');
    let has_part = digits.trim_end_matches('.').contains(['.', 'e', 'E']);
    begins && has_part && digits.chars().all(is_plain)
}
