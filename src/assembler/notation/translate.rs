//! The same instructions in other words: 8080 source as Z80 source, and a single line of one met in the other.
//!
//! Nothing here lists mnemonics: an instruction is looked up in the one table, and the opcode that it has there in the other.

use super::instruction::{is_register, rows_of};
use crate::assembler::read::directive;
use crate::assembler::read::lexer::{Kind, Lexer, Token};
use crate::number;
use crate::processor::{self, InstructionSet, Row, Shape};
use std::collections::BTreeMap;

/// A source text in other mnemonics.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Translation {
    /// The text.
    pub text: String,
    /// Lines, from 1, that stand as they were, with the reason.
    pub left: Vec<(usize, String)>,
    /// Symbols that are words of the other processor, and what they are called now.
    pub renamed: Vec<(String, String)>,
}

/// A line's statement: where its mnemonic stands, and its operands.
struct Statement<'t> {
    mnemonic: &'t str,
    operands: Vec<&'t str>,
    /// First byte, and after the last one.
    place: (usize, usize),
}

/// The set by whose table an instruction of the other one is read: the older of two of which one runs the other's programs.
fn common(from: &'static InstructionSet, to: &'static InstructionSet) -> Option<&'static InstructionSet> {
    let older = |new: &InstructionSet, old: &'static InstructionSet| {
        let named = |name: &&'static str| {
            processor::find(name).ok().filter(|set| std::ptr::eq(set.rows(), old.rows()))
        };
        new.identity.ancestors.iter().find_map(named)
    };
    older(to, from).or_else(|| older(from, to).map(|_| from))
}

/// What the operands of a row come to: the opcode, and the texts of its numbers.
fn matched<'t>(row: &Row, operands: &[&'t str], set: &InstructionSet) -> Option<(u64, Vec<&'t str>)> {
    if row.operands.len() != operands.len() || row.opcode_cells > 1 {
        return None;
    }
    let (mut opcode, mut numbers) = (row.value, Vec::new());
    for (&shape, &text) in row.operands.iter().zip(operands) {
        let text = match shape {
            Shape::Within(within) => text.strip_prefix(within.open)?.strip_suffix(within.close)?.trim(),
            _ => text,
        };
        match shape.inner() {
            Shape::Name { names, shift } => opcode |= (names.find(text)? as u64) << shift,
            Shape::Fixed(name) if name.eq_ignore_ascii_case(text) => {}
            Shape::Fixed(_) => return None,
            _ if is_register(set, text) => return None,
            // What stands in parentheses is a cell where there is a form for that.
            _ if !matches!(shape, Shape::Within(_)) && text.starts_with('(') && text.ends_with(')') => {
                return None;
            }
            _ => numbers.push(text),
        }
    }
    Some((opcode, numbers))
}

/// A number where the other processor writes it: a restart counts in ones or in eights.
fn restart(from: Shape, to: Shape, text: &str, set: &InstructionSet) -> String {
    let known = number::parse(text, set.habit().default_radix());
    match (from, to, known) {
        (Shape::Digit { .. }, Shape::Vector, Ok(value)) => format!("{:02X}h", value * 8),
        (Shape::Digit { .. }, Shape::Vector, Err(_)) => format!("({text}) * 8"),
        (Shape::Vector, Shape::Digit { .. }, Ok(value)) => (value / 8).to_string(),
        (Shape::Vector, Shape::Digit { .. }, Err(_)) => format!("({text}) / 8"),
        _ => text.to_string(),
    }
}

/// A mnemonic or a register as the line has its own; symbols keep their case.
fn cased(name: &str, capitals: bool) -> String {
    if capitals { name.to_uppercase() } else { name.to_lowercase() }
}

/// The operand as it is written, with the names of the opcode in place.
fn spelled(
    shape: Shape,
    opcode: u64,
    capitals: bool,
    numbers: &mut dyn Iterator<Item = String>,
) -> Option<String> {
    Some(match shape {
        Shape::Within(within) => {
            format!("{}{}{}", within.open, spelled(within.inner, opcode, capitals, numbers)?, within.close)
        }
        Shape::Name { names, .. } => cased(names.list[shape.field(opcode)? as usize], capitals),
        Shape::Fixed(name) => cased(name, capitals),
        _ => numbers.next()?,
    })
}

/// An instruction of one processor in the words of another; `None` where the other has none of that opcode.
fn respelled(
    statement: &Statement<'_>,
    from: &'static InstructionSet,
    to: &'static InstructionSet,
) -> Option<String> {
    let known = common(from, to)?;
    let rows = rows_of(known, statement.mnemonic)?;
    let own = rows.rows.iter().enumerate().filter(|(at, _)| rows.own & 1u64 << at != 0).map(|(_, row)| row);
    let (row, (opcode, numbers)) =
        own.filter_map(|row| Some((row, matched(row, &statement.operands, known)?))).next()?;
    let other = to.opcode(&[opcode]).ok().flatten()?;
    let wanted: Vec<Shape> =
        other.row.operands.iter().copied().filter(|shape| takes_number(*shape)).collect();
    let given: Vec<Shape> = row.operands.iter().copied().filter(|shape| takes_number(*shape)).collect();
    if wanted.len() != given.len() {
        return None;
    }
    let pairs = given.iter().zip(&wanted).zip(numbers);
    let numbers: Vec<String> =
        pairs.map(|((from, to), text)| restart(from.inner(), to.inner(), text, known)).collect();
    let mut numbers = numbers.into_iter();
    let capitals = statement.mnemonic.bytes().all(|byte| !byte.is_ascii_lowercase());
    let spelled = |shape: &Shape| spelled(*shape, opcode, capitals, &mut numbers);
    let operands: Option<Vec<String>> = other.row.operands.iter().map(spelled).collect();
    let text = format!("{} {}", cased(other.row.mnemonic, capitals), operands?.join(", "));
    Some(text.trim_end().to_string())
}

fn takes_number(shape: Shape) -> bool {
    !matches!(shape.inner(), Shape::Name { .. } | Shape::Fixed(_))
}

/// The instruction that a line of another processor's source should be, where it has one here, and whose it is.
pub(in crate::assembler) fn instead(
    line: &str,
    to: &'static InstructionSet,
) -> Option<(&'static str, String)> {
    let tokens = tokens(line);
    let statement = statement(line, &tokens)?;
    let others = processor::ALL.iter().filter(|other| !std::ptr::eq(other.rows(), to.rows()));
    others.copied().find_map(|from| Some((from.name(), respelled(&statement, from, to)?)))
}

fn tokens(text: &str) -> Vec<Token> {
    let mut lexer = Lexer::new(text);
    std::iter::from_fn(|| Some(lexer.token()).filter(|token| token.kind != Kind::End)).collect()
}

/// The statement of a line after its labels.
fn statement<'t>(text: &'t str, tokens: &[Token]) -> Option<Statement<'t>> {
    let line: Vec<&Token> = tokens.iter().take_while(|token| token.kind != Kind::Line).collect();
    let mut at = 0;
    while line.get(at + 1).is_some_and(|next| next.kind == Kind::Colon) {
        at += 2;
    }
    let first = line.get(at).filter(|token| token.kind == Kind::Name)?;
    let piece = |from: &Token, to: &Token| &text[from.start as usize..to.end as usize];
    let mut operands = Vec::new();
    let (mut depth, mut begin) = (0, at + 1);
    for place in at + 1..=line.len() {
        let kind = line.get(place).map(|token| token.kind);
        match kind {
            Some(Kind::Open) => depth += 1,
            Some(Kind::Close) => depth -= 1,
            _ => {}
        }
        if (kind.is_none() || kind == Some(Kind::Comma) && depth == 0) && begin < place {
            operands.push(piece(line[begin], line[place - 1]));
            begin = place + 1;
        }
    }
    let last = line.last()?;
    Some(Statement {
        mnemonic: piece(first, first),
        operands,
        place: (first.start as usize, last.end as usize),
    })
}

/// Rewrites a source. Labels, comments and what is not an instruction stay; comments keep their column where there is room.
pub fn translate(source: &str, from: &'static InstructionSet, to: &'static InstructionSet) -> Translation {
    let all = tokens(source);
    let renamed = clashes(source, &all, to);
    let mut text = String::with_capacity(source.len());
    let mut left = Vec::new();
    let mut copied = 0;
    let mut begin = 0;
    let mut number = 0;
    while begin < all.len() {
        number += 1;
        let count = all[begin..].iter().position(|token| token.kind == Kind::Line);
        let end = count.map_or(all.len(), |count| begin + count);
        let line = &all[begin..end];
        begin = end + 1;
        let statement = statement(source, line);
        let start = statement.as_ref().map_or(usize::MAX, |statement| statement.place.0);
        for token in line.iter().take_while(|token| (token.start as usize) < start) {
            copy(source, &mut text, &mut copied, token, &renamed);
        }
        let Some(statement) = statement else { continue };
        let new = if statement.mnemonic.eq_ignore_ascii_case("cpu") {
            Some(format!("cpu {}", to.name()))
        } else if rows_of(from, statement.mnemonic).is_some() {
            // The old processor's registers are no symbols, but the new one's may have been.
            let operands: Vec<String> =
                statement.operands.iter().map(|operand| renamed_in(operand, &renamed)).collect();
            let operands = operands.iter().map(String::as_str).collect();
            let new = respelled(&Statement { operands, ..statement }, from, to);
            if new.is_none() {
                let whole = &source[statement.place.0..statement.place.1];
                left.push((
                    number,
                    format!("`{whole}` has no counterpart of the same bytes on the {}", to.name()),
                ));
            }
            new
        } else {
            None
        };
        let Some(new) = new else {
            for token in line.iter().filter(|token| token.start as usize >= statement.place.0) {
                copy(source, &mut text, &mut copied, token, &renamed);
            }
            continue;
        };
        text.push_str(&source[copied..statement.place.0]);
        copied = statement.place.1;
        let old = statement.place.1 - statement.place.0;
        text.push_str(&new);
        copied += keep_column(&source[copied..], old, new.len(), &mut text);
    }
    text.push_str(&source[copied..]);
    Translation { text, left, renamed: renamed.into_iter().collect() }
}

/// Copies up to the end of a token, under its new name where it has one.
fn copy(
    source: &str,
    text: &mut String,
    copied: &mut usize,
    token: &Token,
    renamed: &BTreeMap<String, String>,
) {
    let (start, end) = (token.start as usize, token.end as usize);
    text.push_str(&source[*copied..start]);
    let word = &source[start..end];
    let new = if token.kind == Kind::Name { renamed.get(word) } else { None };
    text.push_str(new.map_or(word, String::as_str));
    *copied = end;
}

/// An operand with its symbols under their new names.
fn renamed_in(operand: &str, renamed: &BTreeMap<String, String>) -> String {
    let mut text = String::new();
    let mut copied = 0;
    for token in tokens(operand) {
        copy(operand, &mut text, &mut copied, &token, renamed);
    }
    text.push_str(&operand[copied..]);
    text
}

/// Blanks between an instruction and a comment, so that the comment stays where it was; how many of the old ones were used up.
fn keep_column(rest: &str, old: usize, new: usize, text: &mut String) -> usize {
    let blanks = rest.len() - rest.trim_start_matches(' ').len();
    if !rest[blanks..].starts_with(';') {
        return 0;
    }
    let room = (old + blanks).saturating_sub(new).max(1);
    text.extend(std::iter::repeat_n(' ', room));
    blanks
}

/// Symbols of the source that are registers or instructions of the other processor, with names that are free.
fn clashes(source: &str, tokens: &[Token], to: &'static InstructionSet) -> BTreeMap<String, String> {
    let words: Vec<&str> = tokens
        .iter()
        .filter(|token| token.kind == Kind::Name)
        .map(|token| &source[token.start as usize..token.end as usize])
        .collect();
    let defined = tokens.windows(2).filter_map(|pair| {
        let word = &source[pair[0].start as usize..pair[0].end as usize];
        let next = &source[pair[1].start as usize..pair[1].end as usize];
        let defines =
            pair[1].kind == Kind::Colon || matches!(next.to_ascii_lowercase().as_str(), "equ" | "let");
        (pair[0].kind == Kind::Name && defines).then_some(word)
    });
    let clashes = defined.filter(|word| {
        (is_register(to, word) || rows_of(to, word).is_some()) && directive::find(word).is_none()
    });
    let free = |word: &str| {
        (1..)
            .map(|at| format!("{word}_{at}"))
            .find(|name| !words.contains(&name.as_str()))
            .unwrap_or_default()
    };
    clashes.map(|word| (word.to_string(), free(word))).collect()
}
