//! A stretch of a run: the registers at hand, the bus, the time.
//!
//! PERF: everything here is inlined into one loop, and nothing takes its address, so that the compiler takes the structure apart and
//! keeps its parts in the host's registers. Opcode and operands come from eight cells that are fetched at once; words at even
//! addresses, which reach over no end, are one access.

use super::alu::{self, Value};
use super::flags::Flags;
use super::timing::{Fields, MEMORY, OPERAND, REGISTER, STEP};
use super::{CS, DS, LAST, Registers, SP, SS};
use crate::processor::{Bus, Exit, Repeat, Tally, effective_clocks, is_in_stack};

/// Why the inner loop ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Left {
    /// The cycle limit.
    Limit,
    /// One more instruction runs before interrupts are looked at.
    Shadow,
    /// Interrupts may have been enabled, or single steps.
    Looks,
    /// The program asks for the interrupt of this number.
    Interrupt(u8),
    /// To the caller.
    Exit(Exit),
}

/// How a stretch goes on after an opcode.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Flow {
    /// With the next instruction.
    Next,
    /// With the opcode after this prefix.
    Prefix,
    /// With the same string instruction, for its next turn.
    Again,
    /// Not: the instruction is done.
    Leave(Left),
    /// Not: there is no such instruction.
    Undefined,
}

/// An operand byte, and where the operand is that it stands for.
#[derive(Debug, Clone, Copy)]
pub(super) struct Operand {
    byte: u8,
    /// Of an operand in memory; of a register it says nothing.
    pub place: Place,
}

/// Where an operand in memory is.
#[derive(Debug, Clone, Copy)]
pub(super) struct Place {
    /// Linear address of the segment.
    pub base: u32,
    pub offset: u16,
}

/// The prefixes of an instruction in one number, which is 0 where there are none.
///
/// PERF: so that after an instruction it is cleared without a question.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Prefixes(u32);

impl Prefixes {
    pub const NONE: Self = Self(0);
    /// A turn of a repeated string instruction is over, and it goes on: its prefixes were paid for.
    pub const AGAIN: Self = Self(1 << 31);
    /// A segment register was chosen, which stands in the two bits below.
    const SEGMENT: u32 = 4;
    /// REP, and whether a comparison goes on where it finds the same.
    const REPEAT: u32 = 8;
    const EQUAL: u32 = 16;
    /// One prefix.
    const ONE: u32 = 0x100;

    #[inline(always)]
    pub fn are_paid(self) -> bool {
        self.0 & Self::AGAIN.0 != 0
    }

    /// What stays of them where the instruction is not executed after all.
    pub fn taken_back(self) -> Self {
        Self(self.0 & Self::AGAIN.0)
    }

    /// One more.
    #[inline(always)]
    pub fn count(&mut self) -> u32 {
        self.0 += Self::ONE;
        self.number()
    }

    /// How many there are.
    #[inline(always)]
    pub fn number(self) -> u32 {
        (self.0 & !Self::AGAIN.0) / Self::ONE
    }

    #[inline(always)]
    pub fn choose_segment(&mut self, segment: u8) {
        self.0 = self.0 & !3 | Self::SEGMENT | u32::from(segment);
    }

    /// The segment register that is used where this is the instruction's own.
    #[inline(always)]
    fn segment(self, own: usize) -> usize {
        if self.0 & Self::SEGMENT == 0 { own } else { (self.0 & 3) as usize }
    }

    #[inline(always)]
    pub fn choose_repeat(&mut self, repeat: Repeat) {
        let equal = if repeat == Repeat::Equal { Self::EQUAL } else { 0 };
        self.0 = self.0 & !Self::EQUAL | Self::REPEAT | equal;
    }

    #[inline(always)]
    pub fn repeat(self) -> Option<Repeat> {
        let repeat = if self.0 & Self::EQUAL == 0 { Repeat::NotEqual } else { Repeat::Equal };
        (self.0 & Self::REPEAT != 0).then_some(repeat)
    }
}

/// Registers that are found by their numbers.
pub(super) struct File {
    /// The eight, byte after byte; after them stand eight that are nothing, for addresses.
    bytes: [u8; 32],
    /// Linear addresses of the segments.
    bases: [u32; 4],
}

/// What the loop keeps at hand.
pub(super) struct Stretch<'b, B> {
    /// PERF: apart, as what is found by a number stays in memory, and all that stands beside it.
    file: &'b mut File,
    /// Linear address of CS.
    code_base: u32,
    /// The last offset from which on eight cells follow in the segment and in memory.
    code_last: u16,
    pub ip: u16,
    pub flags: Flags,
    pub bus: &'b mut B,
    pub tally: Tally,
    /// What a word at an even address costs on top: something where the data bus has eight bits.
    even: i64,
    /// Cells from IP on, as far as they are fetched.
    code: u64,
    /// Those of this instruction.
    pub prefixes: Prefixes,
    pub undocumented: bool,
}

/// What an access of a word costs on top, where it does.
const WORD: i64 = Tally::more(4);

/// What an address is of. PERF: names in place of numbers, as the compiler knows how many there are and tests none.
#[derive(Debug, Clone, Copy)]
struct Address {
    first: Term,
    second: Term,
    segment: Segment,
}

/// A register in an address.
#[derive(Debug, Clone, Copy)]
enum Term {
    Bx = 3,
    Bp = 5,
    Si = 6,
    Di = 7,
    Nothing = 8,
}

/// The segment of an address.
#[derive(Debug, Clone, Copy)]
enum Segment {
    Stack = SS as isize,
    Data = DS as isize,
}

/// The address of each operand byte.
const ADDRESS: [Address; 256] = {
    let none = Address { first: Term::Nothing, second: Term::Nothing, segment: Segment::Data };
    let mut address = [none; 256];
    let mut operand = 0;
    while operand < 256 {
        let (first, second) = match operand & 7 {
            0 => (Term::Bx, Term::Si),
            1 => (Term::Bx, Term::Di),
            2 => (Term::Bp, Term::Si),
            3 => (Term::Bp, Term::Di),
            4 => (Term::Si, Term::Nothing),
            5 => (Term::Di, Term::Nothing),
            6 if operand >> 6 == 0 => (Term::Nothing, Term::Nothing),
            6 => (Term::Bp, Term::Nothing),
            _ => (Term::Bx, Term::Nothing),
        };
        let segment = if is_in_stack(operand as u64) { Segment::Stack } else { Segment::Data };
        address[operand] = Address { first, second, segment };
        operand += 1;
    }
    address
};

/// What the address of each operand byte costs, as a [`Tally`] adds it.
const EFFECTIVE: [i64; 256] = {
    let mut clocks = [0; 256];
    let mut operand = 0;
    while operand < 256 {
        clocks[operand] = Tally::more(effective_clocks(operand as u64));
        operand += 1;
    }
    clocks
};

/// A byte register by its place in the row of bytes.
#[derive(Debug, Clone, Copy)]
enum ByteRegister {
    Al,
    Ah,
    Cl,
    Ch,
    Dl,
    Dh,
    Bl,
    Bh,
}

/// The byte registers by their codes.
const BYTE_REGISTERS: [ByteRegister; 8] = {
    use ByteRegister::{Ah, Al, Bh, Bl, Ch, Cl, Dh, Dl};
    [Al, Cl, Dl, Bl, Ah, Ch, Dh, Bh]
};

/// The byte registers that an operand byte names: in its middle field and in its last.
const BYTE_PLACES: [[ByteRegister; 2]; 256] = {
    let mut places = [[ByteRegister::Al; 2]; 256];
    let mut operand = 0;
    while operand < 256 {
        places[operand] = [BYTE_REGISTERS[operand >> 3 & 7], BYTE_REGISTERS[operand & 7]];
        operand += 1;
    }
    places
};

impl<'b, B: Bus<Cell = u8>> Stretch<'b, B> {
    #[inline(always)]
    pub fn new(
        file: &'b mut File,
        registers: Registers,
        bus: &'b mut B,
        tally: Tally,
        [narrow, undocumented]: [bool; 2],
    ) -> Self {
        Self {
            code_base: file.bases[CS],
            code_last: last_ahead(file.bases[CS]),
            file,
            ip: registers.ip,
            flags: Flags::of(registers.flags),
            bus,
            tally,
            even: if narrow { WORD } else { 0 },
            code: 0,
            prefixes: Prefixes::NONE,
            undocumented,
        }
    }

    /// The registers as they are kept between stretches.
    #[inline(always)]
    pub fn registers(&self) -> Registers {
        self.file.registers(self.ip, self.flags.word())
    }

    // Time

    #[inline(always)]
    pub fn spend(&mut self, clocks: u8) {
        self.tally.add(Tally::more(clocks));
    }

    // Code

    /// The linear address of the next cell of code.
    #[inline(always)]
    pub fn next(&self) -> u32 {
        self.code_base.wrapping_add(self.ip.into()) & LAST
    }

    /// Fetches ahead what may be the next instruction. Nothing sees that, and what is written is fetched after it.
    #[inline(always)]
    pub fn look_ahead(&mut self) {
        if B::AHEAD {
            self.code = if self.ip <= self.code_last {
                u64::from_le_bytes(self.bus.fetch_ahead(self.next()))
            } else {
                ahead_at_an_end(self.bus, self.code_base, self.ip)
            };
        }
    }

    /// The next byte of code.
    #[inline(always)]
    pub fn code_byte(&mut self) -> u8 {
        let value = if B::AHEAD {
            let value = self.code as u8;
            self.code >>= 8;
            value
        } else {
            self.bus.fetch(self.next())
        };
        self.ip = self.ip.wrapping_add(1);
        value
    }

    #[inline(always)]
    pub fn code_word(&mut self) -> u16 {
        let low = self.code_byte();
        u16::from_le_bytes([low, self.code_byte()])
    }

    #[inline(always)]
    pub fn set_code_segment(&mut self, segment: u16) {
        self.set_segment(CS, segment);
    }

    // Cells

    #[inline(always)]
    pub fn load_byte(&mut self, place: Place) -> u8 {
        self.bus.read(place.linear(), self.tally.now())
    }

    #[inline(always)]
    pub fn store_byte(&mut self, place: Place, value: u8) {
        self.bus.write(place.linear(), value, self.tally.now());
    }

    /// A word: its second byte wraps inside the segment.
    #[inline(always)]
    pub fn load_word(&mut self, place: Place) -> u16 {
        let address = place.linear();
        if address & 1 == 0 {
            self.tally.add(self.even);
            return u16::from_le_bytes(self.bus.read_pair(address, self.tally.now()));
        }
        self.tally.add(WORD);
        let low = self.load_byte(place);
        u16::from_le_bytes([low, self.load_byte(place.up(1))])
    }

    #[inline(always)]
    pub fn store_word(&mut self, place: Place, value: u16) {
        let address = place.linear();
        let [low, high] = value.to_le_bytes();
        if address & 1 == 0 {
            self.tally.add(self.even);
            return self.bus.write_pair(address, [low, high], self.tally.now());
        }
        self.tally.add(WORD);
        self.store_byte(place, low);
        self.store_byte(place.up(1), high);
    }

    #[inline(always)]
    fn top(&self) -> Place {
        Place { base: self.file.bases[SS], offset: self.word(SP) }
    }

    #[inline(always)]
    pub fn push(&mut self, value: u16) {
        self.set_word(SP, self.word(SP).wrapping_sub(2));
        self.store_word(self.top(), value);
    }

    #[inline(always)]
    pub fn pop(&mut self) -> u16 {
        let value = self.load_word(self.top());
        self.set_word(SP, self.word(SP).wrapping_add(2));
        value
    }

    // Registers

    /// A word register by its code, 8 to 15 for none.
    #[inline(always)]
    pub fn word(&self, code: usize) -> u16 {
        let place = (code & 15) * 2;
        u16::from_le_bytes([self.file.bytes[place], self.file.bytes[place + 1]])
    }

    #[inline(always)]
    pub fn set_word(&mut self, code: usize, value: u16) {
        let place = (code & 7) * 2;
        [self.file.bytes[place], self.file.bytes[place + 1]] = value.to_le_bytes();
    }

    #[inline(always)]
    pub fn byte(&self, code: u8) -> u8 {
        self.file.bytes[BYTE_REGISTERS[usize::from(code & 7)] as usize]
    }

    #[inline(always)]
    pub fn set_byte(&mut self, code: u8, value: u8) {
        self.file.bytes[BYTE_REGISTERS[usize::from(code & 7)] as usize] = value;
    }

    #[inline(always)]
    pub fn segment(&self, code: usize) -> u16 {
        (self.file.bases[code & 3] >> 4) as u16
    }

    #[inline(always)]
    pub fn set_segment(&mut self, code: usize, value: u16) {
        self.file.bases[code & 3] = u32::from(value) << 4;
        self.code_base = self.file.bases[CS];
        self.code_last = last_ahead(self.code_base);
    }

    /// A place in a segment that a prefix may have chosen another for.
    #[inline(always)]
    pub fn place_in(&self, own: usize, offset: u16) -> Place {
        Place { base: self.file.bases[self.prefixes.segment(own) & 3], offset }
    }

    /// A place in the extra segment, which no prefix changes.
    #[inline(always)]
    pub fn place_in_extra(&self, offset: u16) -> Place {
        Place { base: self.file.bases[super::ES], offset }
    }

    // Operands

    /// Reads the operand byte, finds the operand, and pays for the instruction; `None` where there is no such one.
    #[inline(always)]
    pub fn find<const OP: u8>(&mut self) -> Option<Operand> {
        let byte = self.code_byte();
        let mut operand = Operand { byte, place: Place { base: 0, offset: 0 } };
        if operand.is_memory() {
            let clocks = operand.clocks::<OP>(MEMORY[OP as usize], 0)?;
            operand.place = self.find_in_memory(byte);
            self.tally.add(clocks);
        } else {
            let clocks = operand.clocks::<OP>(REGISTER[OP as usize], 8)?;
            self.tally.add(clocks);
        }
        Some(operand)
    }

    #[inline(always)]
    fn find_in_memory(&mut self, byte: u8) -> Place {
        let Address { first, second, segment } = ADDRESS[usize::from(byte)];
        let base = self.word(first as usize).wrapping_add(self.word(second as usize));
        let offset = match byte >> 6 {
            0 if byte & 7 == 6 => self.code_word(),
            0 => base,
            1 => base.wrapping_add_signed(i16::from(self.code_byte() as i8)),
            _ => base.wrapping_add(self.code_word()),
        };
        self.tally.add(EFFECTIVE[usize::from(byte)]);
        self.place_in(segment as usize, offset)
    }

    /// The byte register of the middle field.
    #[inline(always)]
    pub fn field_byte(&self, operand: Operand) -> u8 {
        self.file.bytes[BYTE_PLACES[usize::from(operand.byte)][0] as usize]
    }

    #[inline(always)]
    pub fn set_field_byte(&mut self, operand: Operand, value: u8) {
        self.file.bytes[BYTE_PLACES[usize::from(operand.byte)][0] as usize] = value;
    }

    /// The word register of the middle field.
    #[inline(always)]
    pub fn field_word(&self, operand: Operand) -> u16 {
        self.word(operand.field())
    }

    #[inline(always)]
    pub fn set_field_word(&mut self, operand: Operand, value: u16) {
        self.set_word(operand.field(), value);
    }

    #[inline(always)]
    pub fn operand_byte(&mut self, operand: Operand) -> u8 {
        if operand.is_memory() {
            self.load_byte(operand.place)
        } else {
            self.file.bytes[BYTE_PLACES[usize::from(operand.byte)][1] as usize]
        }
    }

    #[inline(always)]
    pub fn set_operand_byte(&mut self, operand: Operand, value: u8) {
        if operand.is_memory() {
            self.store_byte(operand.place, value);
        } else {
            self.file.bytes[BYTE_PLACES[usize::from(operand.byte)][1] as usize] = value;
        }
    }

    #[inline(always)]
    pub fn operand_word(&mut self, operand: Operand) -> u16 {
        if operand.is_memory() { self.load_word(operand.place) } else { self.word(operand.last_field()) }
    }

    #[inline(always)]
    pub fn set_operand_word(&mut self, operand: Operand, value: u16) {
        if operand.is_memory() {
            self.store_word(operand.place, value);
        } else {
            self.set_word(operand.last_field(), value);
        }
    }

    /// The far pointer in memory: offset and segment.
    #[inline(always)]
    pub fn far_pointer(&mut self, operand: Operand) -> (u16, u16) {
        (self.load_word(operand.place), self.load_word(operand.place.up(2)))
    }

    // Operations

    #[inline(always)]
    pub fn operate<V: Value>(&mut self, code: u8, left: V, right: V) -> V {
        let (value, carries) = alu::operate(code, left, right, self.flags.carry());
        self.flags.set(value, carries);
        value
    }

    /// One more, or one less.
    #[inline(always)]
    pub fn count<V: Value>(&mut self, value: V, down: bool) -> V {
        let one = V::of(1);
        let (value, carries) = if down { alu::subtract(value, one, 0) } else { alu::add(value, one, 0) };
        self.flags.set_but_carry(value, carries);
        value
    }

    /// Rotates or shifts so many times by the middle field's code; nothing changes where that is none.
    ///
    /// PERF: by constant codes, so that each way of shifting is compiled for itself.
    #[inline(always)]
    pub fn shift<V: Value>(&mut self, code: usize, value: V, count: u8) -> V {
        match code & 7 {
            _ if count == 0 => value,
            0 => self.shift_by::<V, 0>(value, count),
            1 => self.shift_by::<V, 1>(value, count),
            2 => self.shift_by::<V, 2>(value, count),
            3 => self.shift_by::<V, 3>(value, count),
            4 => self.shift_by::<V, 4>(value, count),
            5 => self.shift_by::<V, 5>(value, count),
            6 => self.shift_by::<V, 6>(value, count),
            _ => self.shift_by::<V, 7>(value, count),
        }
    }

    #[inline(always)]
    fn shift_by<V: Value, const CODE: u8>(&mut self, value: V, count: u8) -> V {
        let shifted = alu::shift(CODE, value, count, self.flags.carry());
        if !alu::is_rotation(CODE) {
            let auxiliary = if CODE == 4 { shifted.value.into() & u32::from(alu::AUXILIARY) } else { 0 };
            self.flags.set(shifted.value, auxiliary);
        }
        self.flags.set_carry_and_overflow(shifted.out, shifted.overflow);
        shifted.value
    }

    // Jumps

    /// A near jump by a distance; true where that is the instruction itself, of so many cells.
    #[inline(always)]
    pub fn jump(&mut self, distance: u16, cells: u16) -> bool {
        self.ip = self.ip.wrapping_add(distance);
        distance == cells.wrapping_neg()
    }

    /// A short jump where a condition holds, which takes `more` clocks then.
    #[inline(always)]
    pub fn branch(&mut self, holds: bool, more: u8) {
        let distance = self.code_byte() as i8 as u16;
        if holds {
            self.spend(more);
            self.jump(distance, 0);
        }
    }

    // Ports

    /// A byte at a port.
    #[inline(always)]
    pub fn input(&mut self, port: u16) -> u8 {
        self.bus.input(port.into(), self.tally.now())
    }

    #[inline(always)]
    pub fn output(&mut self, port: u16, value: u8) {
        self.bus.output(port.into(), value, self.tally.now());
    }

    /// What a word at a port costs.
    #[inline(always)]
    pub fn pay_for_port(&mut self, port: u16) {
        self.tally.add(if port & 1 == 0 { self.even } else { WORD });
    }

    /// What an opcode without an operand byte costs.
    #[inline(always)]
    pub fn pay<const OP: u8>(&mut self) {
        self.tally.add(STEP[OP as usize]);
    }
}

impl Operand {
    #[inline(always)]
    pub fn is_memory(self) -> bool {
        self.byte < 0xC0
    }

    /// What the instruction costs, as a [`Tally`] adds it; `None` where there is none. `first`: its kind of operand in the table.
    #[inline(always)]
    fn clocks<const OP: u8>(self, fields: Fields, first: usize) -> Option<i64> {
        if fields.defined != 0xFF && fields.defined >> self.field() & 1 == 0 {
            return None;
        }
        Some(Tally::step(match fields.clocks {
            Some(clocks) => clocks,
            None => OPERAND[OP as usize][first + self.field()],
        }))
    }

    /// The middle field.
    #[inline(always)]
    pub fn field(self) -> usize {
        usize::from(self.byte >> 3 & 7)
    }

    /// The last field, which names a register where the operand is one.
    #[inline(always)]
    pub fn last_field(self) -> usize {
        usize::from(self.byte & 7)
    }
}

impl File {
    pub fn new(registers: Registers) -> Self {
        let mut bytes = [0; 32];
        for (place, word) in bytes.chunks_exact_mut(2).zip(registers.words) {
            place.copy_from_slice(&word.to_le_bytes());
        }
        Self { bytes, bases: registers.segments.map(|segment| u32::from(segment) << 4) }
    }

    fn registers(&self, ip: u16, flags: u16) -> Registers {
        let word = |code| u16::from_le_bytes([self.bytes[2 * code], self.bytes[2 * code + 1]]);
        let words = std::array::from_fn(word);
        Registers { words, segments: self.bases.map(|base| (base >> 4) as u16), ip, flags }
    }
}

impl Place {
    #[inline(always)]
    fn linear(self) -> u32 {
        self.base.wrapping_add(self.offset.into()) & LAST
    }

    /// So many bytes up in the same segment.
    #[inline(always)]
    pub fn up(self, by: u16) -> Self {
        Self { offset: self.offset.wrapping_add(by), ..self }
    }
}

/// The last offset of a segment from which on eight cells follow in it and in memory.
#[inline(always)]
fn last_ahead(base: u32) -> u16 {
    (LAST - 7 - base).min(0xFFF8) as u16
}

/// The eight cells from an offset of the code segment on, where the segment or the memory ends among them.
#[cold]
#[inline(never)]
fn ahead_at_an_end<B: Bus<Cell = u8>>(bus: &mut B, base: u32, ip: u16) -> u64 {
    let place = Place { base, offset: ip };
    u64::from_le_bytes(std::array::from_fn(|by| bus.fetch(place.up(by as u16).linear())))
}
