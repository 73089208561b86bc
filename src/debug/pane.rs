//! The panes that the cursor can be in, the value that it stands on, and changing that in place.

use super::Debugger;
use crate::monitor::{Complaint, Host};
use crate::number::digits;
use crate::processor::Role;
use crate::session::Moment;
use crate::text::Text;

/// A pane with a cursor.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Pane {
    /// The source.
    #[default]
    Source,
    /// Registers and flags.
    Registers,
    /// Cells.
    Memory,
}

/// A value that the cursor stands on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Spot {
    /// A register or a flag, by its name.
    Named { name: String, value: u64, bits: u8 },
    /// A cell.
    Cell(u32),
}

/// What was changed by hand, and what takes it back.
#[derive(Debug, Clone)]
pub(super) struct Changed {
    spot: Spot,
    before: u64,
    moment: Moment,
}

/// Changes that can be taken back.
const MOST: usize = 100;

/// Registers that the pane shows.
pub(super) fn is_shown(role: Role) -> bool {
    matches!(role, Role::Data | Role::Cell | Role::Stack | Role::Program)
}

impl Debugger {
    /// The pane of the cursor.
    pub fn pane(&self) -> Pane {
        self.pane
    }

    /// The names of the register pane in their order, flags last: each with its width.
    pub(super) fn names(&self) -> Vec<(String, u8)> {
        let set = self.session().processor();
        let registers = set.registers().iter().filter(|one| is_shown(one.role));
        let registers = registers.map(|one| (one.name.to_string(), one.bits));
        let flags = set.flags_register().map_or(&[][..], |_| set.flags());
        registers.chain(flags.iter().map(|flag| (set.flag_name(flag), 1))).collect()
    }

    /// The value that the cursor stands on, outside of the source.
    pub(super) fn spot(&self) -> Option<Spot> {
        match self.pane {
            Pane::Source => None,
            Pane::Registers => {
                let (name, bits) = self.names().into_iter().nth(self.register)?;
                let value = self.session().get(&name)?;
                Some(Spot::Named { name, value, bits })
            }
            Pane::Memory => Some(Spot::Cell(self.cell)),
        }
    }

    /// What the cursor stands on, in the words of `why`.
    pub(super) fn spot_words(&self) -> Option<String> {
        let set = self.session().processor();
        self.spot().map(|spot| match spot {
            Spot::Named { name, bits: 1, .. } if !name.starts_with("flag") => format!("flag {name}"),
            Spot::Named { name, .. } => name,
            Spot::Cell(at) => format!("cell {}", set.habit().literal(at.into(), set.address_bits())),
        })
    }

    pub(super) fn next_pane(&mut self) {
        self.pane = match self.pane {
            Pane::Source => Pane::Registers,
            Pane::Registers => {
                self.cell = self.memory;
                Pane::Memory
            }
            Pane::Memory => Pane::Source,
        };
    }

    /// The next radix of the memory pane; its name.
    pub(super) fn next_radix(&mut self) -> Text {
        const ALL: &[(u32, &str)] = &[(16, "hex"), (10, "decimal"), (8, "octal"), (2, "binary")];
        let at = ALL.iter().position(|row| row.0 == self.radix).unwrap_or(0);
        let (radix, name) = ALL[(at + 1) % ALL.len()];
        self.radix = radix;
        Text::plain(format!("memory in {name}"))
    }

    /// Moves the cursor in its pane; `by` values to the right, negative to the left.
    pub(super) fn move_spot(&mut self, by: i64) {
        match self.pane {
            Pane::Source => {}
            Pane::Registers => {
                let count = self.names().len().max(1) as i64;
                self.register = (self.register as i64 + by).rem_euclid(count) as usize;
            }
            Pane::Memory => {
                let last = self.session().processor().last_address();
                self.cell = self.cell.wrapping_add(by as u32) & last;
                let (per_row, before) = (self.per_row(), self.memory);
                let shown = per_row * self.memory_rows;
                // Rows come in at the end that it leaves.
                while self.memory.wrapping_sub(self.cell) & last <= by.unsigned_abs() as u32
                    && self.memory != self.cell
                {
                    self.memory = self.memory.wrapping_sub(per_row) & last;
                }
                while self.cell.wrapping_sub(self.memory) & last >= shown {
                    self.memory = self.memory.wrapping_add(per_row) & last;
                }
                if self.memory != before {
                    self.cells_before = self.cells();
                }
            }
        }
    }

    fn put(&mut self, spot: &Spot, value: u64, host: &mut dyn Host) -> Result<(), Complaint> {
        let set = self.session().processor();
        let line = match spot {
            Spot::Named { name, bits, .. } => format!("set {name} = {}", set.habit().literal(value, *bits)),
            Spot::Cell(at) => {
                let at = set.habit().literal((*at).into(), set.address_bits());
                format!("put {at} = {}", set.habit().literal(value, set.cell_bits()))
            }
        };
        self.line(&line, host).map(|_| ())
    }

    /// The value that is typed: digits alone are in the radix in which the pane shows values.
    fn typed(&self, text: &str) -> Result<u64, Complaint> {
        let radix = match self.pane {
            Pane::Memory => self.radix,
            _ => self.session().processor().habit().table_radix(),
        };
        match u64::from_str_radix(text.trim(), radix) {
            Ok(value) => Ok(value),
            Err(_) => Ok(self.session().evaluate(text)? as u64),
        }
    }

    fn value_at(&self, spot: &Spot) -> (u64, u8) {
        let machine = self.session().machine();
        match spot {
            Spot::Named { value, bits, .. } => (*value, *bits),
            Spot::Cell(at) => (machine.cell(*at), machine.set().cell_bits()),
        }
    }

    fn name_of(&self, spot: &Spot) -> String {
        match spot {
            Spot::Named { name, .. } => name.clone(),
            Spot::Cell(at) => self.session().cell_name(*at),
        }
    }

    /// Gives what the cursor stands on another value.
    pub(super) fn change(&mut self, text: &str, host: &mut dyn Host) -> Result<Option<Text>, Complaint> {
        let help = "Tab goes to registers and memory; `set` and `put` change what is named";
        let spot = self.spot().ok_or_else(|| Complaint::new("the cursor stands on no value", help))?;
        let (before, bits) = self.value_at(&spot);
        let value = self.typed(text)? & u64::MAX >> (64 - u32::from(bits.max(1)));
        self.put(&spot, value, host)?;
        let set = self.session().processor();
        let spell = |value| digits(value, set.habit().table_radix(), bits);
        let words = format!("{} = {}; it was {}", self.name_of(&spot), spell(value), spell(before));
        if self.changes.len() == MOST {
            self.changes.remove(0);
        }
        self.changes.push(Changed { spot, before, moment: self.session().moment() });
        Ok(Some(Text::plain(words)))
    }

    /// Takes the last change back.
    pub(super) fn undo(&mut self, host: &mut dyn Host) -> Result<Option<Text>, Complaint> {
        let nothing =
            || Complaint::new("nothing was changed in place", "Tab, the arrows, then a value and Enter");
        let Changed { spot, before, moment } = self.changes.last().cloned().ok_or_else(nothing)?;
        if self.session().moment().cycle != moment.cycle {
            let name = self.name_of(&spot);
            let message = format!("the machine does not stand where {name} was changed");
            let help = format!("`moment {}` goes there", moment.instructions);
            return Err(Complaint::new(message, help));
        }
        self.put(&spot, before, host)?;
        self.changes.pop();
        let (_, bits) = self.value_at(&spot);
        let value = digits(before, self.session().processor().habit().table_radix(), bits);
        Ok(Some(Text::plain(format!("{} = {value} again", self.name_of(&spot)))))
    }
}
