//! Conversions to practise: questions on a sheet, and their answers apart.

use super::picture::{Ground, Ink, Picture};
use crate::processor::InstructionSet;
use crate::text::{Text, Tone};
use serde::Serialize;

/// A question and its answer.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Question {
    /// What is asked.
    pub asks: String,
    /// What is right.
    pub answer: String,
}

/// Numbers that come again with the same seed.
struct Draw(u64);

impl Draw {
    fn new(seed: u64) -> Self {
        // Seeds that differ by one give sheets that have nothing in common.
        let mut draw = Self(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1);
        (0..8).for_each(|_| _ = draw.below(2));
        draw
    }

    fn below(&mut self, end: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 16) % end
    }
}

/// So many questions of the kinds that people of a processor convert all day; the same seed gives the same ones.
pub fn quiz(set: Option<&'static InstructionSet>, count: usize, seed: u64) -> Vec<Question> {
    let mut draw = Draw::new(seed);
    let is_octal = set.is_some_and(|set| set.habit().table_radix() == 8);
    let bits = set.map_or(8, InstructionSet::cell_bits).min(18);
    let (end, digits) = (1u64 << bits, usize::from(bits).div_ceil(if is_octal { 3 } else { 4 }));
    let short = |value: u64| match (set, is_octal) {
        (_, true) => format!("{value:0digits$o} octal"),
        (Some(set), false) => set.habit().literal(value, bits),
        (None, false) => format!("{value:02X}h"),
    };
    let plain =
        |value: u64| if is_octal { format!("{value:0digits$o}") } else { format!("{value:0digits$X}h") };
    let mut kinds: Vec<u64> = Vec::new();
    let mut questions: Vec<Question> = Vec::new();
    while questions.len() < count {
        // Every kind comes before one comes again.
        if kinds.is_empty() {
            kinds = (0..8).collect();
        }
        let kind = kinds.swap_remove(draw.below(kinds.len() as u64) as usize);
        let value = draw.below(end);
        let wide = draw.below(1 << 16);
        let name = if is_octal { "octal" } else { "hex" };
        let (asks, answer) = match kind {
            0 => (format!("{} in decimal", short(value)), value.to_string()),
            1 => (format!("{value} in {name}"), plain(value)),
            2 => (format!("{:0width$b} in {name}", value, width = usize::from(bits)), plain(value)),
            3 => (
                format!("{} in binary", short(value)),
                format!("{:0width$b}", value, width = usize::from(bits)),
            ),
            4 => {
                let less = draw.below(end / 2).max(1);
                (format!("-{less} in {bits} bits, in {name}"), plain(end - less))
            }
            5 => {
                let high = value | (end / 2);
                (format!("{} with a sign, in decimal", short(high)), format!("-{}", end - high))
            }
            6 if is_octal => (format!("{value} plus 1, in octal"), plain((value + 1) % end)),
            6 => (
                format!("the high and the low byte of {wide}, in hex"),
                format!("{:02X}h and {:02X}h", wide >> 8, wide & 0xFF),
            ),
            _ => {
                let code = 0x21 + draw.below(0x5E);
                let sign = char::from(code as u8);
                (format!("the code of the character {sign}, in {name}"), plain(code))
            }
        };
        let question = Question { asks, answer };
        if !questions.contains(&question) {
            questions.push(question);
        }
    }
    questions
}

/// The questions with room for answers, or with them.
pub fn quiz_text(questions: &[Question], seed: u64, answers: bool) -> Text {
    let mut text = Text::new();
    let wide = questions.iter().map(|one| one.asks.chars().count()).max().unwrap_or(0);
    let title = if answers { "answers" } else { "conversions" };
    text.line().tone(Tone::Strong, format!("{title}, sheet {seed}"));
    for (at, one) in questions.iter().enumerate() {
        let answer = if answers { one.answer.as_str() } else { "______________" };
        text.line().put(format!("{:>3}  {:wide$}  {answer}", at + 1, one.asks));
    }
    text
}

/// Units of a picture in a millimetre.
const UNITS: f64 = 96.0 / 25.4;
/// A sheet of A4, its margin, and lines on it, in millimetres.
const SHEET: (f64, f64) = (210.0, 297.0);
const MARGIN: f64 = 16.0;
const LINE: f64 = 8.5;
/// Questions on a sheet in two columns; more make the sheet longer.
const IN_A_COLUMN: usize = 30;

/// The same as a sheet to print.
pub fn quiz_sheet(questions: &[Question], seed: u64, answers: bool) -> String {
    let rows = questions.len().div_ceil(2).max(IN_A_COLUMN.min(questions.len()));
    let height = SHEET.1.max(MARGIN * 2.0 + LINE * (rows as f64 + 2.0));
    let mut picture = Picture::new(Ground::Print, SHEET.0 * UNITS, height * UNITS);
    let mut put = |x: f64, y: f64, size: f64, ink: Ink, text: &str| {
        picture.text((x * UNITS, y * UNITS), size, ink, "start", text);
    };
    let title = if answers { format!("Answers, sheet {seed}") } else { format!("Conversions, sheet {seed}") };
    put(MARGIN, MARGIN + 4.0, 18.0, Ink::Plain, &title);
    if !answers {
        put(SHEET.0 / 2.0 + 20.0, MARGIN + 4.0, 12.0, Ink::Faint, "name ____________________");
    }
    let column = (SHEET.0 - 2.0 * MARGIN) / 2.0;
    for (at, one) in questions.iter().enumerate() {
        let (x, y) =
            (MARGIN + (at / rows) as f64 * (column + 2.0), MARGIN + LINE * ((at % rows) as f64 + 2.0));
        put(x, y, 10.0, Ink::Faint, &format!("{:>2}", at + 1));
        put(x + 7.0, y, 10.0, Ink::Plain, &one.asks);
        let answer = if answers { one.answer.clone() } else { "__________".to_string() };
        put(x + column - 22.0, y, 10.0, Ink::Plain, &answer);
    }
    picture.finish()
}
