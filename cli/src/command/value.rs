//! `value`: a number in every notation.

use super::{drawing, print_json};
use crate::arguments::ValueArguments;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::Environment;
use plain_byte::number::{Notations, floating};
use plain_byte::processor::InstructionSet;
use plain_byte::report::{notations, quiz, quiz_sheet, quiz_text};
use plain_byte::text::{Text, Tone};

pub fn run(arguments: &ValueArguments) -> Result<(), Failure> {
    let named = open::cpu_option(arguments.cpu.as_deref())?;
    let board = arguments.board.as_ref().map(|board| open::board(board, named)).transpose()?;
    let set = named.or(board.as_ref().map(|found| found.board.set));
    if let Some(count) = arguments.quiz {
        return sheet(arguments, count.into(), set);
    }
    let names = Given(board.map(|found| found.board.symbols()).unwrap_or_default());
    // Several numbers, each by itself, or one expression with blanks in it.
    let each: Result<Vec<(Notations, i64)>, Failure> =
        arguments.expression.iter().map(|text| notations_of(text, set, &names)).collect();
    let values = match each {
        Ok(values) => values,
        Err(failure) if arguments.expression.len() == 1 => return Err(failure),
        Err(_) => vec![notations_of(&arguments.expression.join(" "), set, &names)?],
    };
    if arguments.json {
        return match values.as_slice() {
            [(value, _)] => print_json(value),
            values => {
                let values: Vec<&Notations> = values.iter().map(|value| &value.0).collect();
                print_json(&serde_json::json!({ "values": values }))
            }
        };
    }
    let mut text = Text::new();
    for (at, (value, number)) in values.iter().enumerate() {
        if values.len() > 1 {
            let gap = if at > 0 { "\n" } else { "" };
            text.line().put(gap).tone(Tone::Strong, arguments.expression[at].as_str());
        }
        text.append(notations(value));
        // What was said to be negative is so in a register of any width.
        if *number < 0 && value.bits == 8 {
            let wide = *number as u16;
            text.line().tone(Tone::Faint, "in 16 bits ").put(format!("0{wide:04X}h, decimal {wide}"));
        }
    }
    Ok(paint::show(&text)?)
}

/// Conversions to practise.
fn sheet(
    arguments: &ValueArguments,
    count: usize,
    set: Option<&'static InstructionSet>,
) -> Result<(), Failure> {
    let (seed, answers) = (arguments.seed, arguments.answers);
    let questions = quiz(set, count, seed);
    match &arguments.output {
        Some(file) => drawing::write(file, &quiz_sheet(&questions, seed, answers)),
        None if arguments.json => print_json(&serde_json::json!({ "seed": seed, "questions": questions })),
        None => Ok(paint::show(&quiz_text(&questions, seed, answers))?),
    }
}

/// The names of a board.
struct Given(Vec<(String, i64)>);

impl Environment for Given {
    fn symbol(&self, name: &str) -> Option<i64> {
        self.0.iter().find(|row| row.0.eq_ignore_ascii_case(name)).map(|row| row.1)
    }

    fn names(&self) -> Vec<String> {
        self.0.iter().map(|row| row.0.clone()).collect()
    }
}

/// A number in every notation, and as it was said.
fn notations_of(
    text: &str,
    set: Option<&'static InstructionSet>,
    names: &Given,
) -> Result<(Notations, i64), Failure> {
    let number = match set.filter(|set| set.cell_bits() == 36 && is_floating(text)) {
        Some(_) => floating::parse(text).map_err(|problem| {
            Failure::usage(problem.to_string(), "write a decimal number such as 2.5 or 1.5e6")
        })? as i64,
        None => open::number("expression", text, set, names)?,
    };
    let value = match set.filter(|set| set.is_word_machine()) {
        Some(set) => Notations::of_word(number, set.cell_bits()).ok_or_else(|| {
            let most = set.habit().literal(set.last_cell(), set.cell_bits());
            let problem = format!("{number} does not fit into a word of {} bits", set.cell_bits());
            Failure::usage(problem, format!("the largest is octal {most}"))
        })?,
        None => Notations::of(number),
    };
    Ok((value, number))
}

/// True for a decimal number with a point inside, or with an exponent.
fn is_floating(text: &str) -> bool {
    let digits = text.trim_start_matches(['-', '+']);
    let is_plain = |c: char| c.is_ascii_digit() || matches!(c, '.' | 'e' | 'E' | '-' | '+');
    let begins = digits.starts_with(|c: char| c.is_ascii_digit() || c == '.');
    let has_part = digits.trim_end_matches('.').contains(['.', 'e', 'E']);
    begins && has_part && digits.chars().all(is_plain)
}
