//! `value`: a number in every notation.

use super::print_json;
use crate::arguments::ValueArguments;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::NoNames;
use plain_byte::number::Notations;
use plain_byte::report::notations;

pub fn run(arguments: &ValueArguments) -> Result<(), Failure> {
    let text = arguments.expression.join(" ");
    let set = open::cpu_option(arguments.cpu.as_deref())?;
    let number = open::number("expression", &text, set, &NoNames)?;
    let value = match set.filter(|set| set.is_word_machine()) {
        Some(set) => Notations::of_word(number, set.cell_bits).ok_or_else(|| {
            let most = set.habit.literal(set.last_cell(), set.cell_bits);
            let problem = format!("{number} does not fit into a word of {} bits", set.cell_bits);
            Failure::usage(problem, format!("the largest is octal {most}"))
        })?,
        None => Notations::of(number),
    };
    if arguments.json {
        return print_json(&value);
    }
    Ok(paint::show(&notations(&value))?)
}
