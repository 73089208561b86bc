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
    let value = Notations::of(open::number("expression", &text, None, &NoNames)?);
    if arguments.json {
        return print_json(&value);
    }
    Ok(paint::show(&notations(&value))?)
}
