//! The executor: one loop, an arm for each of 32 kinds of words, the registers in locals.
//!
//! Link and accumulator are one number of 13 bits. The instruction field is kept where an address has it; the upper bits of the
//! program counter count for nothing. A cell never holds more than twelve bits, so that 32 kinds of words are all there are.

use super::table::ROWS;
use super::{Cpu, INDEX, Registers};
use crate::processor::{Bus, Exit, Tally, Watch, unlikely};

/// Twelve bits.
const WORD: u32 = 0o7777;
/// The link above them.
const LINK: u32 = 0o10000;
/// Accumulator and link.
const BOTH: u32 = 0o17777;

/// What an instruction of each kind adds to the tally, from the table. A kind is the operation, the bit for indirect addresses and
/// the bit for the own page.
const STEP: [i64; 32] = {
    let mut steps = [0; 32];
    let mut kind = 0;
    while kind < 32 {
        // The plainest word of the kind: no other operation of its group takes less.
        let plain = match kind {
            28.. => 0o7000,
            _ => kind << 7,
        };
        steps[kind] = Tally::step(ROWS[INDEX[plain] as usize - 1].timing[0].base);
        kind += 1;
    }
    steps
};

/// What counting a pointer up adds.
const AUTO_INDEX: i64 = Tally::more(ROWS[INDEX[0o400] as usize - 1].timing[0].page);

/// Why the inner loop ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Left {
    /// At the limit, or where interrupts may come from here on.
    Looks,
    /// Behind ION: one more instruction runs before they may.
    Enabled,
    /// To the caller.
    Exit(Exit),
}

impl Cpu {
    /// Runs instructions until `limit` or a reason to leave; interrupts are the caller's.
    #[inline(never)]
    pub(super) fn execute<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Left
    where
        B: Bus<Cell = u16>,
        W: Watch,
    {
        let Registers { lac, pc, field, data, .. } = self.registers;
        let (mut lac, mut pc, mut field, mut data) =
            (u32::from(lac), u32::from(pc), u32::from(field) << 12, u32::from(data) << 12);
        let mut tally = Tally::new(self.now, limit);
        let mut local = watch.local();

        macro_rules! leave {
            ($left:expr) => {{
                self.registers.lac = lac as u16;
                self.registers.pc = (pc & WORD) as u16;
                self.registers.field = (field >> 12) as u8;
                self.registers.data = (data >> 12) as u8;
                self.now = tally.now();
                self.instructions += tally.instructions();
                return $left;
            }};
        }
        // What the rarer instructions do is told apart by functions of their own, which see all registers.
        macro_rules! outside {
            ($call:expr) => {{
                self.registers.lac = lac as u16;
                self.registers.pc = (pc & WORD) as u16;
                self.registers.field = (field >> 12) as u8;
                self.registers.data = (data >> 12) as u8;
                self.now = tally.now();
                let result = $call;
                lac = u32::from(self.registers.lac);
                pc = u32::from(self.registers.pc);
                data = u32::from(self.registers.data) << 12;
                result
            }};
        }
        macro_rules! skip {
            () => {
                pc = pc.wrapping_add(1)
            };
        }
        // The address of an operand: in page zero or in the own page; from there, in the data field, for an indirect one.
        macro_rules! direct {
            ($kind:expr, $word:ident) => {
                field
                    | if $kind & 1 == 0 { $word & 0o177 } else { $word & 0o177 | pc.wrapping_sub(1) & 0o7600 }
            };
        }
        macro_rules! pointer {
            ($kind:expr, $word:ident) => {{
                let at = direct!($kind, $word);
                let mut pointer = u32::from(bus.read(at, tally.now()));
                if at & 0o7770 == 0o10 {
                    pointer = (pointer + 1) & WORD;
                    tally.add(AUTO_INDEX);
                    bus.write(at, pointer as u16, tally.now());
                }
                pointer
            }};
        }
        macro_rules! operand {
            ($kind:expr, $word:ident) => {
                if $kind & 2 == 0 { direct!($kind, $word) } else { data | pointer!($kind, $word) }
            };
        }
        // Where a jump goes within its field.
        macro_rules! destination {
            ($kind:expr, $word:ident) => {
                if $kind & 2 == 0 { direct!($kind, $word) & WORD } else { pointer!($kind, $word) }
            };
        }
        // From a jump on the instruction field counts that was chosen, and behind it interrupts may come again.
        macro_rules! chosen_field {
            () => {
                if self.registers.inhibit {
                    unlikely();
                    field = u32::from(self.registers.next_field) << 12;
                }
            };
        }
        macro_rules! jumped {
            () => {
                if self.registers.inhibit {
                    unlikely();
                    self.registers.inhibit = false;
                    leave!(Left::Looks);
                }
            };
        }
        macro_rules! reference {
            ($kind:expr, $word:ident) => {{
                match $kind >> 2 {
                    0 => {
                        let at = operand!($kind, $word);
                        lac &= LINK | u32::from(bus.read(at, tally.now()));
                    }
                    1 => {
                        let at = operand!($kind, $word);
                        lac = (lac + u32::from(bus.read(at, tally.now()))) & BOTH;
                    }
                    2 => {
                        let at = operand!($kind, $word);
                        let value = (u32::from(bus.read(at, tally.now())) + 1) & WORD;
                        bus.write(at, value as u16, tally.now());
                        if value == 0 {
                            skip!();
                        }
                    }
                    3 => {
                        let at = operand!($kind, $word);
                        bus.write(at, (lac & WORD) as u16, tally.now());
                        lac &= LINK;
                    }
                    4 => {
                        let back = pc & WORD;
                        let to = destination!($kind, $word);
                        chosen_field!();
                        bus.write(field | to, back as u16, tally.now());
                        pc = to + 1;
                        jumped!();
                    }
                    _ => {
                        let (own, before) = (pc.wrapping_sub(1) & WORD, field);
                        pc = destination!($kind, $word);
                        chosen_field!();
                        jumped!();
                        if pc == own && field == before {
                            leave!(Left::Exit(Exit::Idle));
                        }
                    }
                }
            }};
        }
        loop {
            if tally.due() {
                break;
            }
            if W::before(&mut local, field | pc & WORD, tally.now()) {
                unlikely();
                break;
            }
            let word = u32::from(bus.fetch(field | pc & WORD));
            pc = pc.wrapping_add(1);
            let kind = word >> 7 & 31;
            tally.add(STEP[kind as usize]);
            match kind {
                0 => reference!(0, word),
                1 => reference!(1, word),
                2 => reference!(2, word),
                3 => reference!(3, word),
                4 => reference!(4, word),
                5 => reference!(5, word),
                6 => reference!(6, word),
                7 => reference!(7, word),
                8 => reference!(8, word),
                9 => reference!(9, word),
                10 => reference!(10, word),
                11 => reference!(11, word),
                12 => reference!(12, word),
                13 => reference!(13, word),
                14 => reference!(14, word),
                15 => reference!(15, word),
                16 => reference!(16, word),
                17 => reference!(17, word),
                18 => reference!(18, word),
                19 => reference!(19, word),
                20 => reference!(20, word),
                21 => reference!(21, word),
                22 => reference!(22, word),
                23 => reference!(23, word),
                24..28 => {
                    let left = outside!(self.transfer(bus, word));
                    if let Some(left) = left {
                        leave!(left);
                    }
                    if bus.attention() {
                        leave!(Left::Exit(Exit::Attention));
                    }
                }
                // Group 1.
                28 | 29 => {
                    // Both ways at once.
                    if word & 0o014 == 0o014 {
                        unlikely();
                        pc = pc.wrapping_sub(1);
                        tally.undo_count();
                        leave!(Left::Exit(Exit::Undefined));
                    }
                    if word & 0o200 != 0 {
                        lac &= LINK;
                    }
                    if word & 0o100 != 0 {
                        lac &= WORD;
                    }
                    if word & 0o040 != 0 {
                        lac ^= WORD;
                    }
                    if word & 0o020 != 0 {
                        lac ^= LINK;
                    }
                    lac = (lac + (word & 1)) & BOTH;
                    match word >> 1 & 7 {
                        0 => {}
                        1 => lac = lac & LINK | (lac & 0o77) << 6 | lac >> 6 & 0o77,
                        2 => lac = (lac << 1 | lac >> 12) & BOTH,
                        3 => lac = (lac << 2 | lac >> 11) & BOTH,
                        4 => lac = (lac >> 1 | lac << 12) & BOTH,
                        _ => lac = (lac >> 2 | lac << 11) & BOTH,
                    }
                }
                30 | 31 if word & 1 == 0 => {
                    let holds = word & 0o100 != 0 && lac & 0o4000 != 0
                        || word & 0o040 != 0 && lac & WORD == 0
                        || word & 0o020 != 0 && lac & LINK != 0;
                    if holds != (word & 0o010 != 0) {
                        skip!();
                    }
                    if word & 0o200 != 0 {
                        lac &= LINK;
                    }
                    if word & 0o004 != 0 {
                        lac |= u32::from(self.registers.switches);
                    }
                    if word & 0o002 != 0 {
                        self.stopped = true;
                        leave!(Left::Exit(Exit::Stop));
                    }
                }
                _ => {
                    let more = outside!(self.arithmetic(bus, word));
                    tally.add(Tally::more(more));
                }
            }
            if B::WATCHED && bus.attention() {
                leave!(Left::Exit(Exit::Attention));
            }
        }
        leave!(if tally.due() { Left::Looks } else { Left::Exit(Exit::Watched) })
    }
}
