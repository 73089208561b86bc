//! What stands under the pointer, in a few lines of Markdown.

use super::{Analysis, Range, line_at, word_at};
use crate::assembler::{SymbolKind, SymbolView, directive_names};
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
            return Some((range, self.symbol_text(&symbol)));
        }
        let (line, whole) = line_at(text, offset);
        // What a comment says is no instruction.
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

/// The page of the language, whose table says what each directive does.
const LANGUAGE: &str = include_str!("../../docs/language.md");

/// What a directive does, as its page says.
fn directive_text(word: &str) -> Option<String> {
    let word = word.trim_start_matches('.');
    if !directive_names().any(|name| name.eq_ignore_ascii_case(word)) {
        return None;
    }
    let rows = LANGUAGE.lines().filter_map(|line| {
        let mut cells = line.strip_prefix("| `")?.split(" | ");
        let form = cells.next()?;
        let is_it =
            form.split(|c: char| !c.is_ascii_alphanumeric()).any(|part| part.eq_ignore_ascii_case(word));
        let (does, example) = (cells.next()?, cells.next()?.trim_end_matches(" |"));
        let does = does.trim_end_matches(" (below)");
        is_it.then(|| format!("`{form}: {does}; {example}"))
    });
    let rows: Vec<String> = rows.take(2).collect();
    (!rows.is_empty())
        .then(|| format!("**{}**: directive\n\n{}", word.to_ascii_lowercase(), rows.join("\n\n")))
}
