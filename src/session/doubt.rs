//! Places that somebody names from outside, and that are hardly meant so.

use super::Session;
use crate::assembler::{SymbolKind, SymbolView};
use crate::machine::MemoryKind;

/// What is to be done at a place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PlaceUse {
    /// So many cells are set.
    Set(u32),
    /// Cells are looked at.
    Look,
    /// A run is to stop there.
    Stop,
}

/// Why a place is hardly meant.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Doubt {
    /// It cannot be meant.
    pub is_wrong: bool,
    /// What is odd about it.
    pub message: String,
    /// What to do.
    pub help: String,
}

impl Session {
    /// Digits without a mark, `4100`, where nothing of the program stands at that number, but something at the same digits in hex: that
    /// address.
    pub fn meant_in_hex(&self, text: &str) -> Option<u32> {
        let text = text.trim();
        let set = self.processor();
        let is_plain = !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
        if !is_plain || set.habit().default_radix() != 10 {
            return None;
        }
        let program = self.program.as_ref()?;
        let stands = |at: u32| program.image.cell(at).is_some() || program.data_end(at).is_some();
        let plain: u32 = text.parse().ok()?;
        let hex = u32::from_str_radix(text, 16).ok()?;
        (!stands(plain) && stands(hex)).then_some(hex)
    }

    /// Why a place that was written as `text` is hardly meant, where it is so.
    pub fn doubt(&self, text: &str, address: u32, used: PlaceUse) -> Option<Doubt> {
        let symbol =
            self.texts().find_map(|one| one.symbols.iter().find(|symbol| symbol.name == text.trim()));
        let constant = symbol.as_ref().is_some_and(|symbol| symbol.kind != SymbolKind::Label);
        let place = self.machine.spell(address);
        let what = match constant {
            true => format!("`{text}` is a constant (`equ`), and at {place}"),
            false => format!("at {place}"),
        };
        let doubt = |is_wrong: bool, message: String, help: &str| {
            Some(Doubt { is_wrong, message, help: help.to_string() })
        };
        let data = "name the label of a cell, or its address";
        match (used, self.machine.kind(address)) {
            (_, None) if !self.machine.is_chip(address) => {
                doubt(used != PlaceUse::Look, format!("{what} the board has no memory"), data)
            }
            (PlaceUse::Set(_), _) if self.is_firmware(address) => {
                doubt(true, format!("{what} the board's firmware stands"), data)
            }
            (PlaceUse::Look, Some(MemoryKind::Rom)) if constant => {
                doubt(false, format!("{what} the board's firmware stands"), data)
            }
            (PlaceUse::Set(cells), _) => self.behind_data(symbol.as_ref(), address, cells),
            (PlaceUse::Stop, _) => self.no_instruction(&what, address),
            _ => None,
        }
    }

    /// More cells are set than the program has data from the label on.
    fn behind_data(&self, symbol: Option<&SymbolView<'_>>, address: u32, cells: u32) -> Option<Doubt> {
        let symbol = symbol.filter(|symbol| symbol.kind == SymbolKind::Label)?;
        let program = self.program.as_ref()?;
        let mut end = program.data_end(address)?;
        while let Some(further) = program.data_end(end) {
            end = further;
        }
        let there = end - address;
        (cells > there).then(|| Doubt {
            is_wrong: false,
            message: format!(
                "{cells} cells are set, and the program has {there} of data from `{}` on",
                symbol.name
            ),
            help: "give fewer".to_string(),
        })
    }

    /// A run never stops where no instruction begins.
    fn no_instruction(&self, what: &str, address: u32) -> Option<Doubt> {
        let program = self.program.as_ref()?;
        let found = match program.line(address) {
            Some(line) if line.code => return None,
            Some(_) => "data stand",
            None => {
                let inside = (1..=program.set?.longest() as u32).filter_map(|back| address.checked_sub(back));
                let mut inside = inside.filter_map(|at| Some((at, program.line(at)?)));
                match inside.next() {
                    Some((at, line)) if line.code && at + line.cells > address => {
                        "an instruction does not begin"
                    }
                    _ if self.is_firmware(address) || self.machine.kind(address) == Some(MemoryKind::Ram) => {
                        return None;
                    }
                    _ => "nothing of the program stands",
                }
            }
        };
        let help = "name the label of an instruction, or its first address".to_string();
        Some(Doubt { is_wrong: false, message: format!("{what} {found}"), help })
    }
}
