//! Blocks: copies, searches, and ports. An iteration is an instruction of its own, so that an interrupt may come between two.

use super::execute::Done;
use super::operands::Step;
use crate::processor::z80::alu::{self, C, N, PV, Z};
use crate::processor::{Bus, Tally};

/// What a block instruction of the ports counts with.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Port {
    /// The port in BC; B counts.
    Fixed,
    /// The port 00xxh in C, which goes along; B counts.
    Low,
    /// The port in BC, whose C goes along; B counts.
    Moving,
    /// The port in DE, which goes along; BC counts.
    Wide,
    /// The port in DE; BC counts.
    WideFixed,
}

impl<B: Bus<Cell = u8>> Step<'_, B> {
    pub(super) fn block(&mut self, opcode: u8) -> Done {
        let (repeats, down) = (opcode & 0x10 != 0, opcode & 0x08 != 0);
        let writes = opcode & 1 != 0;
        match opcode {
            0xA0 | 0xA8 | 0xB0 | 0xB8 => self.copy(repeats, down),
            0xA1 | 0xA9 | 0xB1 | 0xB9 => self.search(repeats, down),
            0xA2 | 0xA3 | 0xAA | 0xAB | 0xB2 | 0xB3 | 0xBA | 0xBB => {
                self.ports(Port::Fixed, repeats, down, writes);
            }
            0x82 | 0x83 | 0x8A | 0x8B | 0x92 | 0x93 | 0x9A | 0x9B => {
                self.ports(Port::Low, repeats, down, writes);
            }
            0x84 | 0x8C => self.ports(Port::Moving, false, down, false),
            0xA4 | 0xAC => self.ports(Port::Moving, false, down, true),
            0x94 | 0x9C => self.ports(Port::Wide, true, down, false),
            0xB4 | 0xBC => self.ports(Port::Wide, true, down, true),
            0xC2 | 0xC3 | 0xCA | 0xCB => self.ports(Port::WideFixed, true, down, writes),
            _ => return Done::Undefined,
        }
        Done::On
    }

    fn moved(&self, word: u32, down: bool) -> u32 {
        self.width().cut(if down { word.wrapping_sub(1) } else { word.wrapping_add(1) })
    }

    /// Cells of the instruction.
    fn cells(&self) -> u32 {
        2 + u32::from(self.suffixed)
    }

    /// Takes the time of the fetches back: the manual gives it once, for all turns together.
    fn turn(&mut self, repeats: bool) {
        if repeats {
            self.tally.undo(Tally::more_of(self.cells().into()));
        }
    }

    /// The last turn, which has the fetches' time, or once more from the first cell of the instruction.
    fn turned(&mut self, repeats: bool, again: bool) {
        let cells = self.cells();
        if repeats && again {
            let r = &mut self.r;
            r.go_to(r.pc.wrapping_sub(cells));
        } else if repeats {
            self.spend(cells.into());
        }
    }

    fn copy(&mut self, repeats: bool, down: bool) {
        self.turn(repeats);
        let (hl, de) = (self.pair(2), self.pair(1));
        let value = self.read(hl);
        self.write(de, value);
        self.spend(1);
        let (hl, de) = (self.moved(hl, down), self.moved(de, down));
        let bc = self.width().cut(self.pair(0).wrapping_sub(1));
        self.set_pair(2, hl);
        self.set_pair(1, de);
        self.set_pair(0, bc);
        let left = if bc != 0 { PV } else { 0 };
        self.set_flags(self.flags() & (alu::S | Z | C) | left);
        self.turned(repeats, bc != 0);
    }

    fn search(&mut self, repeats: bool, down: bool) {
        self.turn(repeats);
        let hl = self.pair(2);
        let value = self.read(hl);
        let hl = self.moved(hl, down);
        self.set_pair(2, hl);
        let bc = self.width().cut(self.pair(0).wrapping_sub(1));
        self.set_pair(0, bc);
        let compared = alu::compare(self.r.a, value);
        let left = if bc != 0 { PV } else { 0 };
        self.set_flags(compared & !(PV | C) | left | self.flags() & C);
        let again = bc != 0 && compared & Z == 0;
        // A turn has two cycles inside.
        self.spend(if repeats { 1 + u64::from(again) } else { 0 });
        self.turned(repeats, again);
    }

    fn ports(&mut self, port: Port, repeats: bool, down: bool, writes: bool) {
        self.turn(repeats);
        let (hl, bc, de) = (self.pair(2), self.r.bc, self.r.de);
        let address = match port {
            Port::Fixed | Port::Moving => bc & 0xFFFF,
            Port::Low => bc & 0xFF,
            Port::Wide | Port::WideFixed => de & 0xFFFF,
        };
        let value = if writes {
            let value = self.read(hl);
            self.output(address, value);
            value
        } else {
            let value = self.input(address);
            self.write(hl, value);
            value
        };
        self.spend(1);
        let hl = self.moved(hl, down);
        self.set_pair(2, hl);
        let ended = match port {
            Port::Wide | Port::WideFixed => {
                let left = self.width().cut(self.pair(0).wrapping_sub(1));
                self.set_pair(0, left);
                if port == Port::Wide {
                    let de = self.moved(self.pair(1), down);
                    self.set_pair(1, de);
                }
                left == 0
            }
            _ => {
                let b = self.register(0).wrapping_sub(1);
                self.set_register(0, b);
                if matches!(port, Port::Low | Port::Moving) {
                    let c = self.register(1);
                    self.set_register(1, if down { c.wrapping_sub(1) } else { c.wrapping_add(1) });
                }
                b == 0
            }
        };
        let zero = if ended { Z } else { 0 };
        let minus = if value & 0x80 != 0 { N } else { 0 };
        self.set_flags(self.flags() & !(Z | N) | zero | minus);
        self.turned(repeats, !ended);
    }
}
