//! The executor: one loop, an arm for each of 32 kinds of words, the registers in locals.
//!
//! Link and accumulator are the lower 13 bits of a number whose upper bits count for nothing. Program counter and instruction field are
//! one number, turned round so that the counter stands at its upper end and wraps by itself within the field. A cell never holds more
//! than twelve bits, so that 32 kinds of words are all there are.

use super::table::ROWS;
use super::{Cpu, INDEX, Registers};
use crate::processor::{Bus, Exit, Tally, Watch, unlikely};

/// Twelve bits.
const WORD: u32 = 0o7777;
/// The link above them.
const LINK: u32 = 0o10000;
/// Accumulator and link.
const BOTH: u32 = 0o17777;
/// An address with its field.
const ADDRESS: u32 = 0o77777;
/// The field in an address.
const FIELD: u32 = 0o70000;
/// How far an address is turned round to the left to be kept as the program counter.
const TURN: u32 = 20;
/// What counts it on.
const NEXT: u32 = 1 << TURN;

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

/// What CLA, CLL, CMA and CML, the upper four bits, keep of link and accumulator, and what they turn round then.
const CHANGES: [(u32, u32); 16] = {
    let mut changes = [(BOTH, 0); 16];
    let mut bits = 0;
    while bits < 16 {
        let kept = if bits & 8 != 0 { LINK } else { BOTH } & if bits & 4 != 0 { WORD } else { BOTH };
        let turned = if bits & 2 != 0 { WORD } else { 0 } | if bits & 1 != 0 { LINK } else { 0 };
        changes[bits] = (kept, turned);
        bits += 1;
    }
    changes
};

/// How many places RAL, RTL, RAR and RTR, by their bits, go round to the left.
const LEFT: [u32; 8] = [0, 0, 1, 2, 12, 11, 0, 0];

/// For SMA, SZA, SNL and the bit that turns them round, the upper four bits: in which states of link and accumulator they skip. A
/// state is 1 for a negative accumulator, 2 for a link that is set, 4 for an accumulator that is zero.
const SKIPS: [u8; 16] = {
    let mut skips = [0; 16];
    let mut place = 0;
    while place < 128 {
        let (bits, state) = (place >> 3, place & 7);
        let holds = bits & 8 != 0 && state & 1 != 0
            || bits & 4 != 0 && state & 4 != 0
            || bits & 2 != 0 && state & 2 != 0;
        if holds != (bits & 1 != 0) {
            skips[bits] |= 1 << state;
        }
        place += 1;
    }
    skips
};

/// Why the inner loop ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Left {
    /// At the limit, or where interrupts may come from here on.
    Looks,
    /// After ION: one more instruction runs before they may.
    Enabled,
    /// To the caller.
    Exit(Exit),
}

impl Cpu {
    /// Runs until `now` has reached `limit` or there is another reason to return: interrupts in front of stretches of instructions.
    ///
    /// PERF: in one file with the loop, so that both come into one part of the compiled crate and the compiler sees that nobody else
    /// calls it.
    pub(super) fn run_until<B: Bus<Cell = u16>, W: Watch>(
        &mut self,
        bus: &mut B,
        watch: &mut W,
        limit: u64,
    ) -> Exit {
        self.stopped = false;
        while self.now < limit {
            let mut inner_limit = limit;
            let delayed = std::mem::take(&mut self.delayed);
            if delayed {
                inner_limit = self.now + 1;
            } else if self.interrupts() {
                self.interrupt(bus);
                continue;
            }
            match self.execute(bus, watch, inner_limit) {
                Left::Looks => {}
                Left::Enabled => self.delayed = true,
                Left::Exit(Exit::Idle) if self.interrupts() => {}
                Left::Exit(exit) => {
                    self.delayed = delayed && exit.is_before();
                    return exit;
                }
            }
        }
        Exit::Limit
    }

    /// Runs instructions until `limit` or a reason to leave; interrupts are the caller's.
    #[inline(never)]
    pub(super) fn execute<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Left
    where
        B: Bus<Cell = u16>,
        W: Watch,
    {
        let Registers { lac, pc, field, data, .. } = self.registers;
        let (mut lac, mut data) = (u32::from(lac), u32::from(data) << 12);
        let mut pc = (u32::from(field) << 12 | u32::from(pc)).rotate_left(TURN);
        let mut tally = Tally::new(self.now, limit);
        let mut local = watch.local(tally);

        macro_rules! keep {
            () => {{
                let address = pc.rotate_right(TURN);
                self.registers.lac = (lac & BOTH) as u16;
                self.registers.pc = (address & WORD) as u16;
                self.registers.field = (address >> 12 & 7) as u8;
                self.registers.data = (data >> 12) as u8;
                self.now = tally.now();
            }};
        }
        macro_rules! leave {
            ($left:expr) => {{
                keep!();
                self.instructions += tally.instructions();
                W::after(local, tally);
                return $left;
            }};
        }
        // What the rarer instructions do is told apart by functions of their own, which see all registers.
        macro_rules! outside {
            ($call:expr) => {{
                keep!();
                let result = $call;
                lac = u32::from(self.registers.lac);
                pc = (u32::from(self.registers.field) << 12 | u32::from(self.registers.pc)).rotate_left(TURN);
                data = u32::from(self.registers.data) << 12;
                result
            }};
        }
        // The address of an operand: in page zero or in the own page; from there, in the data field, for an indirect one.
        macro_rules! direct {
            ($kind:expr, $word:ident, $at:ident) => {
                $word & 0o177 | $at & if $kind & 1 == 0 { FIELD } else { ADDRESS & !0o177 }
            };
        }
        macro_rules! pointer {
            ($kind:expr, $word:ident, $at:ident) => {{
                let at = direct!($kind, $word, $at);
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
            ($kind:expr, $word:ident, $at:ident) => {
                if $kind & 2 == 0 { direct!($kind, $word, $at) } else { data | pointer!($kind, $word, $at) }
            };
        }
        // Where a jump goes, with the field that it is in.
        macro_rules! destination {
            ($kind:expr, $word:ident, $at:ident) => {
                if $kind & 2 == 0 {
                    direct!($kind, $word, $at)
                } else {
                    $at & FIELD | pointer!($kind, $word, $at)
                }
            };
        }
        // From a jump on the instruction field counts that was chosen, and after it interrupts may come again.
        macro_rules! chosen_field {
            ($to:ident) => {
                if self.registers.inhibit {
                    unlikely();
                    $to = u32::from(self.registers.next_field) << 12 | $to & WORD;
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
            ($kind:expr, $word:ident, $at:ident) => {{
                match $kind >> 2 {
                    0 => {
                        let at = operand!($kind, $word, $at);
                        lac &= LINK | u32::from(bus.read(at, tally.now()));
                    }
                    1 => {
                        let at = operand!($kind, $word, $at);
                        lac = lac.wrapping_add(u32::from(bus.read(at, tally.now())));
                    }
                    2 => {
                        let at = operand!($kind, $word, $at);
                        let value = (u32::from(bus.read(at, tally.now())) + 1) & WORD;
                        bus.write(at, value as u16, tally.now());
                        pc = pc.wrapping_add(u32::from(value == 0) << TURN);
                    }
                    3 => {
                        let at = operand!($kind, $word, $at);
                        bus.write(at, (lac & WORD) as u16, tally.now());
                        lac &= LINK;
                    }
                    4 => {
                        let back = pc.rotate_right(TURN) & WORD;
                        let mut to = destination!($kind, $word, $at);
                        chosen_field!(to);
                        bus.write(to, back as u16, tally.now());
                        pc = to.rotate_left(TURN).wrapping_add(NEXT);
                        jumped!();
                    }
                    _ => {
                        let mut to = destination!($kind, $word, $at);
                        chosen_field!(to);
                        pc = to.rotate_left(TURN);
                        jumped!();
                        if to == $at {
                            leave!(Left::Exit(Exit::Idle));
                        }
                    }
                }
            }};
        }
        // The upper bit of the eight is the kind's, so that the compiler knows it.
        macro_rules! group1 {
            ($clears:literal, $word:ident) => {{
                // Both ways at once.
                if $word & 0o014 == 0o014 {
                    unlikely();
                    pc = pc.wrapping_sub(NEXT);
                    tally.undo(STEP[28]);
                    leave!(Left::Exit(Exit::Undefined));
                }
                let change = CHANGES[($clears | $word >> 4 & 7) as usize];
                lac = (lac & change.0 ^ change.1) + ($word & 1);
                if $word & 0o016 != 0 {
                    // Bytes are swapped, or link and accumulator go round as one number.
                    lac &= BOTH;
                    lac = if $word & 0o014 == 0 {
                        lac & LINK | (lac & 0o77) << 6 | lac >> 6 & 0o77
                    } else {
                        let left = LEFT[($word >> 1 & 7) as usize];
                        lac << left | lac >> (13 - left)
                    };
                }
            }};
        }
        macro_rules! group2 {
            ($clears:literal, $word:ident) => {
                if $word & 1 == 0 {
                    // PERF: what is tested is looked up; branches on it would be guessed wrongly.
                    let state = lac >> 11 & 3 | u32::from(lac & WORD == 0) << 2;
                    let skips = u32::from(SKIPS[($word >> 3 & 0o17) as usize]) >> state & 1;
                    pc = pc.wrapping_add(skips << TURN);
                    if $clears {
                        lac &= LINK;
                    }
                    if $word & 0o006 != 0 {
                        unlikely();
                        if $word & 0o004 != 0 {
                            lac |= u32::from(self.registers.switches);
                        }
                        if $word & 0o002 != 0 {
                            self.stopped = true;
                            leave!(Left::Exit(Exit::Stop));
                        }
                    }
                } else {
                    let more = outside!(self.arithmetic(bus, $word));
                    tally.add(Tally::more(more));
                }
            };
        }
        macro_rules! transfer {
            ($word:ident) => {{
                let left = outside!(self.transfer(bus, $word));
                if let Some(left) = left {
                    leave!(left);
                }
                if bus.attention() {
                    leave!(Left::Exit(Exit::Attention));
                }
            }};
        }
        loop {
            // PERF: as on the Z80, both ends are marked; with the second alone the loop with stops took 2 % more.
            if tally.due() {
                unlikely();
                break;
            }
            let here = pc.rotate_right(TURN) & ADDRESS;
            if W::before(&mut local, here, tally) {
                unlikely();
                break;
            }
            let word = u32::from(bus.fetch(here));
            pc = pc.wrapping_add(NEXT);
            let kind = word >> 7 & 31;
            tally.add(STEP[kind as usize]);
            match kind {
                0 => reference!(0, word, here),
                1 => reference!(1, word, here),
                2 => reference!(2, word, here),
                3 => reference!(3, word, here),
                4 => reference!(4, word, here),
                5 => reference!(5, word, here),
                6 => reference!(6, word, here),
                7 => reference!(7, word, here),
                8 => reference!(8, word, here),
                9 => reference!(9, word, here),
                10 => reference!(10, word, here),
                11 => reference!(11, word, here),
                12 => reference!(12, word, here),
                13 => reference!(13, word, here),
                14 => reference!(14, word, here),
                15 => reference!(15, word, here),
                16 => reference!(16, word, here),
                17 => reference!(17, word, here),
                18 => reference!(18, word, here),
                19 => reference!(19, word, here),
                20 => reference!(20, word, here),
                21 => reference!(21, word, here),
                22 => reference!(22, word, here),
                23 => reference!(23, word, here),
                24 => transfer!(word),
                25 => transfer!(word),
                26 => transfer!(word),
                27 => transfer!(word),
                28 => group1!(0, word),
                29 => group1!(8, word),
                30 => group2!(false, word),
                31 => group2!(true, word),
                // There are no more kinds.
                _ => {}
            }
            if B::WATCHED && bus.attention() {
                leave!(Left::Exit(Exit::Attention));
            }
        }
        leave!(if tally.due() { Left::Looks } else { Left::Exit(Exit::Watched) })
    }
}
