//! What stands under the pointer, in a few lines of Markdown.

use super::expansion::Written;
use super::pages::directive_rows;
use super::{Analysis, Range, line_at, word_at};
use crate::assembler::{SymbolKind, SymbolView};
use crate::number::{character, digits};
use crate::processor::Role;
use crate::report::chart;

/// Forms of an instruction beyond this many are counted.
const MOST_FORMS: usize = 12;

impl Analysis {
    /// What the word at a place means, and where it stands: an instruction with its forms, a symbol with its value, a register.
    pub fn hover(&self, file: &str, offset: usize) -> Option<(Range, String)> {
        let (_, text) = self.text(file)?;
        let (start, end) = word_at(text, offset)?;
        let range = Range { file: file.to_string(), start, end };
        if let Some(symbol) = self.symbol_at(file, offset) {
            let mut text = self.symbol_text(&symbol);
            if let (SymbolKind::Macro(_), Some(written)) = (symbol.kind, self.written_at(file, offset)) {
                text += &written_text(&written);
            }
            return Some((range, text));
        }
        let (line, whole) = line_at(text, offset);
        // What a comment says is not an instruction.
        if whole.get(..start - line).is_some_and(|before| before.contains(';')) {
            return None;
        }
        let word = &text[start..end];
        let text =
            self.instruction_text(word).or_else(|| directive_text(word)).or_else(|| self.register_text(word));
        text.map(|text| (range, text))
    }

    fn symbol_text(&self, symbol: &SymbolView<'_>) -> String {
        let kind = match symbol.kind {
            SymbolKind::Label => "label",
            SymbolKind::Constant => "constant",
            SymbolKind::Variable => "variable",
            SymbolKind::Macro(_) => return format!("**{}**: macro", symbol.name),
            SymbolKind::Board => "of the board",
            _ => "symbol",
        };
        let uses = self.assembly.symbols.uses();
        let used = match uses.of(symbol.id).len() {
            0 => "not used".to_string(),
            1 => "used once".to_string(),
            count => format!("used {count} times"),
        };
        let mut text = format!("**{}** = {}: {kind}, {used}", symbol.name, self.value(symbol));
        if symbol.kind == SymbolKind::Board {
            let names = self.board.iter().flat_map(|found| found.board.names());
            let own = names.into_iter().find(|one| one.name.eq_ignore_ascii_case(symbol.name));
            text += &own.map_or(String::new(), |one| format!("\n\n{}: {}", one.what.word(), one.does));
        }
        if let Ok(value) = u64::try_from(symbol.value) {
            let bits = 64 - value.leading_zeros().min(63) as u8;
            let spell = |radix| digits(value, radix, bits.max(1));
            text += &format!(
                "\n\nhex {} · decimal {value} · octal {} · binary {}",
                spell(16),
                spell(8),
                spell(2)
            );
            if (0x20..0x7F).contains(&value) {
                text += &format!(" · character {}", character(value));
            }
        }
        text
    }

    fn instruction_text(&self, word: &str) -> Option<String> {
        let set = self.set?;
        let entries = chart::select(set, word).ok()?;
        // A number is an opcode to the chart, and none here.
        let is_named = |instruction: &str| {
            instruction.split_whitespace().next().is_some_and(|first| first.eq_ignore_ascii_case(word))
        };
        let entries: Vec<_> = entries.into_iter().filter(|one| is_named(&one.instruction)).collect();
        let first = entries.first()?;
        let mut text = format!("**{}** ({}): {}\n\n", word.to_ascii_lowercase(), set.title(), first.meaning);
        text += "| form | opcode | cells | cycles | flags |\n| --- | --- | --- | --- | --- |\n";
        for one in entries.iter().take(MOST_FORMS) {
            let opcode = if set.habit().table_radix() == 8 { &one.octal } else { &one.hex };
            let form = one.instruction.to_ascii_lowercase();
            text += &format!("| `{form}` | {opcode} | {} | {} | {} |\n", one.cells, one.cycles, one.flags);
        }
        if entries.len() > MOST_FORMS {
            text += &format!("\nand {} more forms", entries.len() - MOST_FORMS);
        }
        Some(text)
    }

    fn register_text(&self, word: &str) -> Option<String> {
        let set = self.set?;
        if let Some(register) = set.registers().iter().find(|one| one.name.eq_ignore_ascii_case(word)) {
            let role = match register.role {
                Role::Flags => ", which holds the flags",
                Role::Stack => ", the stack pointer",
                Role::Program => ", the program counter",
                _ => "",
            };
            return Some(format!(
                "**{}**: register of {} bits of the {}{role}",
                register.name,
                register.bits,
                set.title()
            ));
        }
        let flag = set.flag(word)?;
        Some(format!("**{}**: flag of the {}: {}", flag.name, set.title(), flag.meaning))
    }
}

/// What a directive does, as its page says.
fn directive_text(word: &str) -> Option<String> {
    let rows = directive_rows(word);
    let rows: Vec<String> = rows
        .iter()
        .map(|(form, does, example)| format!("{form}: {}; {example}", does.trim_end_matches(" (below)")))
        .collect();
    let word = word.trim_start_matches('.').to_ascii_lowercase();
    (!rows.is_empty()).then(|| format!("**{word}**: directive\n\n{}", rows.join("\n\n")))
}

/// Lines of what a macro wrote beyond this many are left out.
const MOST_LINES: usize = 24;

/// What a call wrote, as a block of source.
fn written_text(written: &Written) -> String {
    let lines: Vec<&str> = written.text.lines().collect();
    let mut text = format!("\n\n{} wrote here:\n\n```assembly\n", written.of);
    text += &lines[..lines.len().min(MOST_LINES)].join("\n");
    text += "\n```\n";
    if lines.len() > MOST_LINES {
        text += &format!("and {} lines more\n", lines.len() - MOST_LINES);
    }
    text
}
