//! What the processor does otherwise than its reader expects: a forgotten sign, an address that does not cross a page, a vector
//! with its bytes the wrong way round.

use super::warnings::Finder;
use crate::assembler::SymbolKind;
use crate::processor::{Decoded, NumberOf, Shape};

/// True for the address of data in memory.
fn is_cell(shape: Shape) -> bool {
    match shape {
        Shape::Number(number) => {
            matches!(number.of, NumberOf::ZeroPage | NumberOf::Address) && number.cells > 0
        }
        _ => false,
    }
}

/// A line without the labels in front.
fn behind_labels(mut text: &str) -> &str {
    let is_label = |text: &str| text.chars().all(|one| one.is_alphanumeric() || "._?@".contains(one));
    while let Some((_, rest)) = text.split_once(':').filter(|(label, _)| is_label(label)) {
        text = rest.trim_start();
    }
    text
}

impl Finder<'_> {
    pub(super) fn traps(&mut self) {
        let code: Vec<(u32, Decoded)> = self.reach.instructions().collect();
        for (address, decoded) in &code {
            self.character_as_address(*address, decoded);
            if let Some(trap) = (self.set.hints.trap)(decoded)
                && let Some(line) = self.line_at(*address)
            {
                self.warn("processor-trap", self.statement(line), trap.message, trap.help);
            }
        }
        self.vectors_lead_somewhere();
    }

    /// `lda 'A'` where `lda #'A'` is meant.
    fn character_as_address(&mut self, address: u32, decoded: &Decoded) {
        let Some(place) = decoded.row.operands.iter().position(|&shape| is_cell(shape)) else { return };
        let Some(line) =
            self.lines.get(&address).copied().filter(|line| matches!(line.kind.cells(), Some((_, 1..))))
        else {
            return;
        };
        let statement = self.statement(line);
        let text = self.assembly.sources.text(statement);
        let text = behind_labels(text);
        let Some((mnemonic, operands)) = text.split_once([' ', '\t']) else { return };
        let operand = operands.trim();
        if place != 0 || !operand.starts_with(['\'', '"']) || operand.contains(',') {
            return;
        }
        let immediate = self
            .set
            .own_rows()
            .find(|row| row.mnemonic == decoded.row.mnemonic && matches!(row.operands, [Shape::Within(_)]));
        let help = match immediate {
            Some(_) => format!("for the character itself write `{mnemonic} #{operand}`"),
            None => "for the character itself use the immediate form, such as `mvi a, 'A'`".to_string(),
        };
        let message =
            format!("{operand} is a character, and {} takes the address of a cell", decoded.row.mnemonic);
        self.warn("constant-as-address", statement, message, help);
    }

    /// A vector that leads to nothing, while its bytes the other way round lead to the program.
    fn vectors_lead_somewhere(&mut self) {
        let image = &self.assembly.image;
        let mut told = Vec::new();
        for &(name, at) in self.set.interrupts.pointers {
            let Some(target) = image.pointer_at(at).filter(|&target| image.cell(target).is_none()) else {
                continue;
            };
            let swapped = (target as u16).swap_bytes().into();
            let firmware = self.board.and_then(|(_, firmware)| firmware);
            if !self.reach.is_code(swapped) && image.cell(swapped).is_none()
                || firmware.is_some_and(|image| image.cell(target).is_some())
            {
                continue;
            }
            let label = self
                .assembly
                .symbols
                .iter()
                .find(|symbol| symbol.kind == SymbolKind::Label && symbol.address() == Some(swapped));
            let other = self.set.address(swapped.into());
            let meant = label.map_or_else(|| other.clone(), |symbol| format!("{other} is `{}`", symbol.name));
            let Some(line) = self.line_at(at) else { continue };
            let message = format!(
                "the vector of {name} leads to {}, where nothing stands; {meant}",
                self.set.address(target.into())
            );
            told.push((self.statement(line), message));
        }
        for (span, message) in told {
            let help = "the low byte stands first: write the vector with `dw LABEL`";
            self.warn("no-vector", span, message, help);
        }
    }
}
