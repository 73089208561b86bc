//! How the eZ80 answers an interrupt.
//!
//! Zilog, *eZ80 CPU User Manual* (UM0077), "Interrupts". In mixed-memory mode (MADL) every interrupt is served in ADL mode, and a mark
//! on the long stack says which mode it came from.

use super::Cpu;
use super::operands::Step;
use crate::processor::Bus;
use crate::processor::z80::interrupts::Taken;

/// On the long stack: who comes from here was in ADL mode, or in Z80 mode.
pub(super) const FROM_ADL: u8 = 3;
pub(super) const FROM_Z80: u8 = 2;

/// Cycles of an answer beside its accesses: the acknowledgement, and as many as RST has inside.
const ANSWER: u64 = 3;

impl Cpu {
    /// Takes an interrupt where there is one to take.
    pub(super) fn interrupt<B: Bus<Cell = u8>>(&mut self, bus: &mut B) -> bool {
        let Some(taken) = self.interrupts.acceptable(self.now) else { return false };
        self.halted = None;
        self.now += ANSWER;
        let mode = self.interrupts.mode;
        let mut sent = self.interrupts.sent;
        if taken == Taken::Maskable {
            self.interrupts.enter();
            sent = bus.acknowledge(self.now).unwrap_or(sent);
        } else {
            self.interrupts.enter_non_maskable();
        }
        let mixed = self.registers.mixed;
        let mut step = Step::new(self, bus, u64::MAX);
        let pc = step.r.pc;
        if mixed {
            step.push_marked(pc);
            step.choose_space();
        } else {
            step.push(pc);
        }
        let target = match (taken, mode) {
            (Taken::NonMaskable, _) => 0x66,
            (_, 0) => u32::from(sent & 0x38),
            (_, 1) => 0x38,
            _ => {
                let i = u32::from(step.r.i);
                let at = i << 8 | u32::from(sent);
                let adl = step.r.adl;
                step.choose_widths(adl, adl);
                step.read_word(at)
            }
        };
        step.go_to(target);
        step.give_back();
        true
    }
}

impl<B: Bus<Cell = u8>> Step<'_, B> {
    /// Puts an address of the program on the long stack with a mark of the mode, and goes over to ADL mode.
    pub(crate) fn push_marked(&mut self, address: u32) {
        let adl = self.r.adl;
        for byte in (0..2 + u32::from(adl)).rev() {
            self.push_byte(true, (address >> (8 * byte)) as u8);
        }
        self.push_byte(true, if adl { FROM_ADL } else { FROM_Z80 });
        self.r.adl = true;
    }
}
