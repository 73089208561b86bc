//! What people call things in a machine: registers and flags, and the registers of chips.

use super::{ChipAt, Fitted, Machine, chip};
use crate::processor::Named;

impl Machine {
    /// The value of a register or flag, by its name in any case: see [`InstructionSet::named`](crate::processor::InstructionSet::named).
    pub fn get(&self, name: &str) -> Option<u64> {
        let set = self.set();
        match set.named(name)? {
            Named::Register(place) => Some(self.register(place)),
            Named::Flag(flag) => {
                let flags = set.flags_register().map_or(0, |place| self.register(place));
                Some(u64::from(flags & flag.mask != 0))
            }
        }
    }

    /// The chip that answered the last acknowledgement of an interrupt, with the cycle.
    pub fn answered(&self) -> Option<(u64, &Fitted)> {
        let (at, chip) = self.io.answered?;
        Some((at, self.io.chips.get(chip)?))
    }

    /// The chip that answers at an address, or at a port, with the offset there.
    pub fn chip_at(&self, at: u32, is_port: bool) -> Option<(&Fitted, u32)> {
        self.io.chips.iter().find_map(|fitted| match fitted.place.at {
            ChipAt::Port(first) if is_port => {
                let registers = chip::part(&fitted.place.part).map_or(1, |part| part.registers);
                (first..first + registers).contains(&at).then(|| (fitted, at - first))
            }
            ChipAt::Memory { first, last } if !is_port && (first..=last).contains(&at) => {
                Some((fitted, at - first))
            }
            _ => None,
        })
    }

    /// What a chip's register is called: `via.DDRB`; the chip alone where it has one register only.
    pub fn chip_register(&self, at: u32, is_port: bool, written: bool) -> Option<String> {
        let (fitted, offset) = self.chip_at(at, is_port)?;
        let part = chip::part(&fitted.place.part)?;
        let offset = if is_port { offset } else { offset % part.registers.max(1) };
        let name = &fitted.place.name;
        match part.register(offset, written) {
            Some(register) => Some(format!("{name}.{register}")),
            None if part.registers == 1 => Some(name.clone()),
            None => None,
        }
    }
}
