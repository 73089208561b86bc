//! The executor: one loop, 256 explicit arms, the registers in locals.
//!
//! PERF: explicit arms with constant registers run about 1.4 times as fast as decoding the register fields, and
//! registers in locals 1.2 times as fast as after `&mut self` (`cargo bench --bench emulate`). The arms hold no
//! length and no T-states: both come from the table, as constant arrays per chip.

use super::alu::{self, AC, CY, P, S, X5, Z};
use super::table::{M8080, M8085, M8085U, ROWS};
use super::{Cpu, Registers};
use crate::processor::{Bus, Exit, InputLine, OutputLine, Tally, Watch, index_rows, unlikely};

/// Chip parameter of [`Cpu`]: the 8080.
pub const I80: u8 = M8080;
/// Chip parameter of [`Cpu`]: the 8085 as documented.
pub const I85: u8 = M8085;
/// Chip parameter of [`Cpu`]: the 8085 with its undocumented instructions.
pub const U85: u8 = M8085U;

/// T-states of each opcode when its condition fails, and how many more when it holds, as a [`Tally`] adds them.
const fn states(chip: u8) -> ([i64; 256], [i64; 256]) {
    let index = index_rows(ROWS, chip);
    let column = if chip == I80 { 0 } else { 1 };
    let mut step = [1; 256];
    let mut more = [0; 256];
    let mut opcode = 0;
    while opcode < 256 {
        if index[opcode] != 0 {
            let timing = ROWS[index[opcode] as usize - 1].timing[column];
            step[opcode] = Tally::step(timing.base);
            more[opcode] = Tally::more(timing.taken - timing.base);
        }
        opcode += 1;
    }
    (step, more)
}

/// Why the inner loop ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Left {
    /// The cycle limit.
    Limit,
    /// After EI: one more instruction runs before interrupts are looked at.
    Enabled,
    /// After SIM: a mask may have opened.
    Unmasked,
    /// To the caller.
    Exit(Exit),
}

impl<const CHIP: u8> Cpu<CHIP> {
    /// Runs until `now` has reached `limit` or there is another reason to return: interrupts in front of stretches of instructions.
    ///
    /// PERF: in one file with the loop, so that both come into one part of the compiled crate and the compiler sees that nobody else
    /// calls it.
    pub(super) fn run_until<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Exit
    where
        B: Bus<Cell = u8>,
        W: Watch,
    {
        while self.now < limit {
            let mut inner_limit = limit;
            let shadow = std::mem::take(&mut self.shadow);
            if shadow {
                inner_limit = self.now + 1;
            } else if self.accept_interrupt(bus) {
                if B::WATCHED && bus.attention() {
                    return Exit::Attention;
                }
                continue;
            }
            if self.halted {
                return Exit::Halt;
            }
            match self.execute(bus, watch, inner_limit) {
                Left::Limit | Left::Unmasked => {}
                Left::Enabled => self.shadow = true,
                // What waits after EI or SIM ends the waiting at once.
                Left::Exit(Exit::Halt | Exit::Idle) if self.interrupts.acceptable() => {}
                Left::Exit(exit) => {
                    self.shadow = shadow && exit.is_before();
                    return exit;
                }
            }
        }
        Exit::Limit
    }

    const STEP: [i64; 256] = states(CHIP).0;
    const MORE: [i64; 256] = states(CHIP).1;

    /// Bits of the flag byte that are fixed at 1.
    const FIXED: u8 = if CHIP == I80 { 0x02 } else { 0 };
    /// Bits of the flag byte that exist.
    const EXISTING: u8 = if CHIP == U85 { 0xF7 } else { 0xD5 };

    /// The flag byte with the bits that this chip fixes.
    #[inline(always)]
    pub(super) const fn flag_byte(value: u8) -> u8 {
        value & Self::EXISTING | Self::FIXED
    }

    /// Runs instructions until `limit` or a reason to leave; interrupts are the caller's.
    #[inline(never)]
    pub(super) fn execute<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Left
    where
        B: Bus<Cell = u8>,
        W: Watch,
    {
        let Registers { mut a, mut f, mut b, mut c, mut d, mut e, mut h, mut l, mut sp, mut pc } =
            self.registers;
        let mut tally = Tally::new(self.now, limit);
        let mut local = watch.local(tally);

        macro_rules! registers {
            () => {
                Registers { a, f, b, c, d, e, h, l, sp, pc }
            };
        }
        macro_rules! pair {
            ($high:expr, $low:expr) => {
                u16::from($high) << 8 | u16::from($low)
            };
        }
        macro_rules! hl {
            () => {
                pair!(h, l)
            };
        }
        macro_rules! split {
            ($high:ident, $low:ident, $value:expr) => {{
                let value: u16 = $value;
                $high = (value >> 8) as u8;
                $low = value as u8;
            }};
        }
        macro_rules! byte {
            () => {{
                let value = bus.fetch(u32::from(pc));
                pc = pc.wrapping_add(1);
                value
            }};
        }
        macro_rules! word {
            () => {{
                let low = byte!();
                let high = byte!();
                pair!(high, low)
            }};
        }
        macro_rules! load {
            ($address:expr) => {{
                let address: u16 = $address;
                bus.read(u32::from(address), tally.now())
            }};
        }
        macro_rules! store {
            ($address:expr, $value:expr) => {{
                let address: u16 = $address;
                let value = $value;
                bus.write(u32::from(address), value, tally.now())
            }};
        }
        macro_rules! load_word {
            ($address:expr) => {{
                let address: u16 = $address;
                let low = load!(address);
                let high = load!(address.wrapping_add(1));
                pair!(high, low)
            }};
        }
        macro_rules! lxi {
            ($high:ident, $low:ident) => {{
                $low = byte!();
                $high = byte!();
            }};
        }
        macro_rules! lhld {
            ($address:expr) => {
                split!(h, l, load_word!($address))
            };
        }
        macro_rules! shld {
            ($address:expr) => {{
                let address: u16 = $address;
                store!(address, l);
                store!(address.wrapping_add(1), h);
            }};
        }
        // Arithmetic and logic
        macro_rules! set_flags {
            ($flags:expr) => {
                f = $flags | Self::FIXED
            };
        }
        macro_rules! arithmetic {
            ($function:ident, $value:expr, $carry:expr) => {{
                let (result, flags) = alu::$function(a, $value, $carry, CHIP == U85);
                set_flags!(flags);
                result
            }};
        }
        macro_rules! add {
            ($value:expr) => {
                a = arithmetic!(add, $value, 0)
            };
        }
        macro_rules! adc {
            ($value:expr) => {
                a = arithmetic!(add, $value, f & CY)
            };
        }
        macro_rules! sub {
            ($value:expr) => {
                a = arithmetic!(subtract, $value, 0)
            };
        }
        macro_rules! sbb {
            ($value:expr) => {
                a = arithmetic!(subtract, $value, f & CY)
            };
        }
        macro_rules! cmp {
            ($value:expr) => {{
                arithmetic!(subtract, $value, 0);
            }};
        }
        macro_rules! logic {
            ($result:expr, $half:expr) => {{
                a = $result;
                set_flags!(alu::logic(a, $half, CHIP == U85));
            }};
        }
        macro_rules! ana {
            ($value:expr) => {{
                let value = $value;
                let half = if CHIP == I80 { (a | value) << 1 & AC } else { AC };
                logic!(a & value, half)
            }};
        }
        macro_rules! xra {
            ($value:expr) => {
                logic!(a ^ $value, 0)
            };
        }
        macro_rules! ora {
            ($value:expr) => {
                logic!(a | $value, 0)
            };
        }
        macro_rules! inr {
            ($register:ident) => {{
                let (result, flags) = alu::increment($register, f, CHIP == U85);
                $register = result;
                set_flags!(flags);
            }};
        }
        macro_rules! dcr {
            ($register:ident) => {{
                let (result, flags) = alu::decrement($register, f, CHIP == U85);
                $register = result;
                set_flags!(flags);
            }};
        }
        macro_rules! inr_m {
            () => {{
                let mut cell = load!(hl!());
                inr!(cell);
                store!(hl!(), cell);
            }};
        }
        macro_rules! dcr_m {
            () => {{
                let mut cell = load!(hl!());
                dcr!(cell);
                store!(hl!(), cell);
            }};
        }
        macro_rules! count_flag {
            ($wrapped:expr) => {
                if CHIP == U85 {
                    f = f & !X5 | if $wrapped { X5 } else { 0 };
                }
            };
        }
        macro_rules! inx {
            ($high:ident, $low:ident) => {{
                let value = pair!($high, $low).wrapping_add(1);
                split!($high, $low, value);
                count_flag!(value == 0);
            }};
        }
        macro_rules! dcx {
            ($high:ident, $low:ident) => {{
                let value = pair!($high, $low).wrapping_sub(1);
                split!($high, $low, value);
                count_flag!(value == 0xFFFF);
            }};
        }
        macro_rules! inx_sp {
            () => {{
                sp = sp.wrapping_add(1);
                count_flag!(sp == 0);
            }};
        }
        macro_rules! dcx_sp {
            () => {{
                sp = sp.wrapping_sub(1);
                count_flag!(sp == 0xFFFF);
            }};
        }
        macro_rules! dad {
            ($value:expr) => {{
                let value: u16 = $value;
                let before = hl!();
                let (sum, carry) = before.overflowing_add(value);
                f = f & !CY | u8::from(carry);
                if CHIP == U85 {
                    f = f & !alu::V | ((before ^ sum) & (value ^ sum) & 0x8000).wrapping_shr(14) as u8;
                }
                split!(h, l, sum);
            }};
        }
        macro_rules! daa {
            () => {{
                let (result, flags) = alu::decimal_adjust(a, f, CHIP == U85);
                a = result;
                set_flags!(flags);
            }};
        }
        macro_rules! carry_from {
            ($bit:expr) => {
                f = f & !CY | $bit
            };
        }
        macro_rules! rlc {
            () => {{
                a = a.rotate_left(1);
                carry_from!(a & 1);
            }};
        }
        macro_rules! rrc {
            () => {{
                carry_from!(a & 1);
                a = a.rotate_right(1);
            }};
        }
        macro_rules! ral {
            () => {{
                let out = a >> 7;
                a = a << 1 | f & CY;
                carry_from!(out);
            }};
        }
        macro_rules! rar {
            () => {{
                let out = a & 1;
                a = a >> 1 | (f & CY) << 7;
                carry_from!(out);
            }};
        }
        // Stack and branches
        macro_rules! push_word {
            ($value:expr) => {{
                let value: u16 = $value;
                store!(sp.wrapping_sub(1), (value >> 8) as u8);
                store!(sp.wrapping_sub(2), value as u8);
                sp = sp.wrapping_sub(2);
            }};
        }
        macro_rules! pop_word {
            () => {{
                let value = load_word!(sp);
                sp = sp.wrapping_add(2);
                value
            }};
        }
        macro_rules! push {
            ($high:ident, $low:ident) => {
                push_word!(pair!($high, $low))
            };
        }
        macro_rules! pop {
            ($high:ident, $low:ident) => {
                split!($high, $low, pop_word!())
            };
        }
        macro_rules! pop_psw {
            () => {{
                split!(a, f, pop_word!());
                f = Self::flag_byte(f);
            }};
        }
        macro_rules! leave {
            ($left:expr) => {{
                self.registers = registers!();
                self.now = tally.now();
                self.instructions += tally.instructions();
                W::after(local, tally);
                return $left;
            }};
        }
        macro_rules! jump {
            ($target:expr, $cells:expr) => {{
                let target: u16 = $target;
                let idle = target == pc.wrapping_sub($cells);
                pc = target;
                if idle {
                    leave!(Left::Exit(Exit::Idle));
                }
            }};
        }
        macro_rules! jump_if {
            ($opcode:ident, $condition:expr) => {
                if $condition {
                    tally.add(Self::MORE[usize::from($opcode)]);
                    jump!(word!(), 3);
                } else {
                    pc = pc.wrapping_add(2);
                }
            };
        }
        macro_rules! call {
            ($target:expr) => {{
                let target: u16 = $target;
                push_word!(pc);
                pc = target;
            }};
        }
        macro_rules! call_if {
            ($opcode:ident, $condition:expr) => {
                if $condition {
                    tally.add(Self::MORE[usize::from($opcode)]);
                    call!(word!());
                } else {
                    pc = pc.wrapping_add(2);
                }
            };
        }
        macro_rules! ret_if {
            ($opcode:ident, $condition:expr) => {
                if $condition {
                    tally.add(Self::MORE[usize::from($opcode)]);
                    pc = pop_word!();
                }
            };
        }
        macro_rules! xthl {
            () => {{
                let value = load_word!(sp);
                store!(sp.wrapping_add(1), h);
                store!(sp, l);
                split!(h, l, value);
            }};
        }
        macro_rules! xchg {
            () => {{
                std::mem::swap(&mut d, &mut h);
                std::mem::swap(&mut e, &mut l);
            }};
        }
        // Ports, lines and interrupts
        macro_rules! look_around {
            () => {
                if bus.attention() {
                    leave!(Left::Exit(Exit::Attention));
                }
            };
        }
        macro_rules! input {
            () => {{
                let port = byte!();
                a = bus.input(u32::from(port), tally.now());
                look_around!();
            }};
        }
        macro_rules! output {
            () => {{
                let port = byte!();
                bus.output(u32::from(port), a, tally.now());
                look_around!();
            }};
        }
        macro_rules! halt {
            () => {{
                self.halted = true;
                leave!(Left::Exit(Exit::Halt));
            }};
        }
        macro_rules! enable {
            () => {{
                self.interrupts.enabled = true;
                leave!(Left::Enabled);
            }};
        }
        macro_rules! disable {
            () => {
                self.interrupts.enabled = false
            };
        }
        macro_rules! rim {
            () => {{
                self.serial_in = bus.sense(InputLine::Sid, tally.now()).unwrap_or(self.serial_in);
                a = self.interrupts.read_masks(self.serial_in);
                look_around!();
            }};
        }
        macro_rules! sim {
            () => {{
                if let Some(level) = self.interrupts.set_masks(a) {
                    bus.drive(OutputLine::Sod, level, tally.now());
                }
                leave!(if bus.attention() { Left::Exit(Exit::Attention) } else { Left::Unmasked });
            }};
        }
        // Undocumented on the 8085
        macro_rules! dsub {
            () => {{
                let (low, flags) = alu::subtract(l, c, 0, true);
                let (high, flags) = alu::subtract(h, b, flags & CY, true);
                l = low;
                h = high;
                f = if hl!() == 0 { flags | Z } else { flags & !Z };
            }};
        }
        macro_rules! arhl {
            () => {{
                carry_from!(l & 1);
                split!(h, l, (hl!() as i16 >> 1) as u16);
            }};
        }
        macro_rules! rdel {
            () => {{
                let before = pair!(d, e);
                split!(d, e, before << 1 | u16::from(f & CY));
                let overflow = if (before ^ before << 1) & 0x8000 == 0 { 0 } else { alu::V };
                f = f & !(CY | alu::V) | (before >> 15) as u8 | overflow;
            }};
        }
        macro_rules! ldhi {
            () => {
                split!(d, e, hl!().wrapping_add(u16::from(byte!())))
            };
        }
        macro_rules! ldsi {
            () => {
                split!(d, e, sp.wrapping_add(u16::from(byte!())))
            };
        }
        macro_rules! shlx {
            () => {
                shld!(pair!(d, e))
            };
        }
        macro_rules! lhlx {
            () => {
                lhld!(pair!(d, e))
            };
        }
        macro_rules! rstv {
            ($opcode:ident) => {
                if f & alu::V != 0 {
                    tally.add(Self::MORE[usize::from($opcode)]);
                    call!(0x40);
                }
            };
        }

        loop {
            // PERF: two branches, the second one marked as seldom taken.
            if tally.due() {
                break;
            }
            if W::before(&mut local, pc.into(), tally) {
                unlikely();
                break;
            }
            let opcode = bus.fetch(u32::from(pc));
            pc = pc.wrapping_add(1);
            tally.add(Self::STEP[usize::from(opcode)]);
            match opcode {
                0x00 => {}
                0x01 => lxi!(b, c),
                0x02 => store!(pair!(b, c), a),
                0x03 => inx!(b, c),
                0x04 => inr!(b),
                0x05 => dcr!(b),
                0x06 => b = byte!(),
                0x07 => rlc!(),
                0x08 if CHIP == U85 => dsub!(),
                0x09 => dad!(pair!(b, c)),
                0x0A => a = load!(pair!(b, c)),
                0x0B => dcx!(b, c),
                0x0C => inr!(c),
                0x0D => dcr!(c),
                0x0E => c = byte!(),
                0x0F => rrc!(),
                0x10 if CHIP == U85 => arhl!(),
                0x11 => lxi!(d, e),
                0x12 => store!(pair!(d, e), a),
                0x13 => inx!(d, e),
                0x14 => inr!(d),
                0x15 => dcr!(d),
                0x16 => d = byte!(),
                0x17 => ral!(),
                0x18 if CHIP == U85 => rdel!(),
                0x19 => dad!(pair!(d, e)),
                0x1A => a = load!(pair!(d, e)),
                0x1B => dcx!(d, e),
                0x1C => inr!(e),
                0x1D => dcr!(e),
                0x1E => e = byte!(),
                0x1F => rar!(),
                0x20 if CHIP != I80 => rim!(),
                0x21 => lxi!(h, l),
                0x22 => shld!(word!()),
                0x23 => inx!(h, l),
                0x24 => inr!(h),
                0x25 => dcr!(h),
                0x26 => h = byte!(),
                0x27 => daa!(),
                0x28 if CHIP == U85 => ldhi!(),
                0x29 => dad!(hl!()),
                0x2A => lhld!(word!()),
                0x2B => dcx!(h, l),
                0x2C => inr!(l),
                0x2D => dcr!(l),
                0x2E => l = byte!(),
                0x2F => a = !a,
                0x30 if CHIP != I80 => sim!(),
                0x31 => sp = word!(),
                0x32 => store!(word!(), a),
                0x33 => inx_sp!(),
                0x34 => inr_m!(),
                0x35 => dcr_m!(),
                0x36 => store!(hl!(), byte!()),
                0x37 => f |= CY,
                0x38 if CHIP == U85 => ldsi!(),
                0x39 => dad!(sp),
                0x3A => a = load!(word!()),
                0x3B => dcx_sp!(),
                0x3C => inr!(a),
                0x3D => dcr!(a),
                0x3E => a = byte!(),
                0x3F => f ^= CY,
                0x40 => {}
                0x41 => b = c,
                0x42 => b = d,
                0x43 => b = e,
                0x44 => b = h,
                0x45 => b = l,
                0x46 => b = load!(hl!()),
                0x47 => b = a,
                0x48 => c = b,
                0x49 => {}
                0x4A => c = d,
                0x4B => c = e,
                0x4C => c = h,
                0x4D => c = l,
                0x4E => c = load!(hl!()),
                0x4F => c = a,
                0x50 => d = b,
                0x51 => d = c,
                0x52 => {}
                0x53 => d = e,
                0x54 => d = h,
                0x55 => d = l,
                0x56 => d = load!(hl!()),
                0x57 => d = a,
                0x58 => e = b,
                0x59 => e = c,
                0x5A => e = d,
                0x5B => {}
                0x5C => e = h,
                0x5D => e = l,
                0x5E => e = load!(hl!()),
                0x5F => e = a,
                0x60 => h = b,
                0x61 => h = c,
                0x62 => h = d,
                0x63 => h = e,
                0x64 => {}
                0x65 => h = l,
                0x66 => h = load!(hl!()),
                0x67 => h = a,
                0x68 => l = b,
                0x69 => l = c,
                0x6A => l = d,
                0x6B => l = e,
                0x6C => l = h,
                0x6D => {}
                0x6E => l = load!(hl!()),
                0x6F => l = a,
                0x70 => store!(hl!(), b),
                0x71 => store!(hl!(), c),
                0x72 => store!(hl!(), d),
                0x73 => store!(hl!(), e),
                0x74 => store!(hl!(), h),
                0x75 => store!(hl!(), l),
                0x76 => halt!(),
                0x77 => store!(hl!(), a),
                0x78 => a = b,
                0x79 => a = c,
                0x7A => a = d,
                0x7B => a = e,
                0x7C => a = h,
                0x7D => a = l,
                0x7E => a = load!(hl!()),
                0x7F => {}
                0x80 => add!(b),
                0x81 => add!(c),
                0x82 => add!(d),
                0x83 => add!(e),
                0x84 => add!(h),
                0x85 => add!(l),
                0x86 => add!(load!(hl!())),
                0x87 => add!(a),
                0x88 => adc!(b),
                0x89 => adc!(c),
                0x8A => adc!(d),
                0x8B => adc!(e),
                0x8C => adc!(h),
                0x8D => adc!(l),
                0x8E => adc!(load!(hl!())),
                0x8F => adc!(a),
                0x90 => sub!(b),
                0x91 => sub!(c),
                0x92 => sub!(d),
                0x93 => sub!(e),
                0x94 => sub!(h),
                0x95 => sub!(l),
                0x96 => sub!(load!(hl!())),
                0x97 => sub!(a),
                0x98 => sbb!(b),
                0x99 => sbb!(c),
                0x9A => sbb!(d),
                0x9B => sbb!(e),
                0x9C => sbb!(h),
                0x9D => sbb!(l),
                0x9E => sbb!(load!(hl!())),
                0x9F => sbb!(a),
                0xA0 => ana!(b),
                0xA1 => ana!(c),
                0xA2 => ana!(d),
                0xA3 => ana!(e),
                0xA4 => ana!(h),
                0xA5 => ana!(l),
                0xA6 => ana!(load!(hl!())),
                0xA7 => ana!(a),
                0xA8 => xra!(b),
                0xA9 => xra!(c),
                0xAA => xra!(d),
                0xAB => xra!(e),
                0xAC => xra!(h),
                0xAD => xra!(l),
                0xAE => xra!(load!(hl!())),
                0xAF => xra!(a),
                0xB0 => ora!(b),
                0xB1 => ora!(c),
                0xB2 => ora!(d),
                0xB3 => ora!(e),
                0xB4 => ora!(h),
                0xB5 => ora!(l),
                0xB6 => ora!(load!(hl!())),
                0xB7 => ora!(a),
                0xB8 => cmp!(b),
                0xB9 => cmp!(c),
                0xBA => cmp!(d),
                0xBB => cmp!(e),
                0xBC => cmp!(h),
                0xBD => cmp!(l),
                0xBE => cmp!(load!(hl!())),
                0xBF => cmp!(a),
                0xC0 => ret_if!(opcode, f & Z == 0),
                0xC1 => pop!(b, c),
                0xC2 => jump_if!(opcode, f & Z == 0),
                0xC3 => jump!(word!(), 3),
                0xC4 => call_if!(opcode, f & Z == 0),
                0xC5 => push!(b, c),
                0xC6 => add!(byte!()),
                0xC7 => call!(0),
                0xC8 => ret_if!(opcode, f & Z != 0),
                0xC9 => pc = pop_word!(),
                0xCA => jump_if!(opcode, f & Z != 0),
                0xCB if CHIP == U85 => rstv!(opcode),
                0xCC => call_if!(opcode, f & Z != 0),
                0xCD => call!(word!()),
                0xCE => adc!(byte!()),
                0xCF => call!(8),
                0xD0 => ret_if!(opcode, f & CY == 0),
                0xD1 => pop!(d, e),
                0xD2 => jump_if!(opcode, f & CY == 0),
                0xD3 => output!(),
                0xD4 => call_if!(opcode, f & CY == 0),
                0xD5 => push!(d, e),
                0xD6 => sub!(byte!()),
                0xD7 => call!(16),
                0xD8 => ret_if!(opcode, f & CY != 0),
                0xD9 if CHIP == U85 => shlx!(),
                0xDA => jump_if!(opcode, f & CY != 0),
                0xDB => input!(),
                0xDC => call_if!(opcode, f & CY != 0),
                0xDD if CHIP == U85 => jump_if!(opcode, f & X5 == 0),
                0xDE => sbb!(byte!()),
                0xDF => call!(24),
                0xE0 => ret_if!(opcode, f & P == 0),
                0xE1 => pop!(h, l),
                0xE2 => jump_if!(opcode, f & P == 0),
                0xE3 => xthl!(),
                0xE4 => call_if!(opcode, f & P == 0),
                0xE5 => push!(h, l),
                0xE6 => ana!(byte!()),
                0xE7 => call!(32),
                0xE8 => ret_if!(opcode, f & P != 0),
                0xE9 => jump!(hl!(), 1),
                0xEA => jump_if!(opcode, f & P != 0),
                0xEB => xchg!(),
                0xEC => call_if!(opcode, f & P != 0),
                0xED if CHIP == U85 => lhlx!(),
                0xEE => xra!(byte!()),
                0xEF => call!(40),
                0xF0 => ret_if!(opcode, f & S == 0),
                0xF1 => pop_psw!(),
                0xF2 => jump_if!(opcode, f & S == 0),
                0xF3 => disable!(),
                0xF4 => call_if!(opcode, f & S == 0),
                0xF5 => push!(a, f),
                0xF6 => ora!(byte!()),
                0xF7 => call!(48),
                0xF8 => ret_if!(opcode, f & S != 0),
                0xF9 => sp = hl!(),
                0xFA => jump_if!(opcode, f & S != 0),
                0xFB => enable!(),
                0xFC => call_if!(opcode, f & S != 0),
                0xFD if CHIP == U85 => jump_if!(opcode, f & X5 != 0),
                0xFE => cmp!(byte!()),
                0xFF => call!(56),
                _ => {
                    pc = pc.wrapping_sub(1);
                    tally.undo(Tally::step(0));
                    leave!(Left::Exit(Exit::Undefined));
                }
            }
            if B::WATCHED && bus.attention() {
                leave!(Left::Exit(Exit::Attention));
            }
        }
        leave!(if tally.due() { Left::Limit } else { Left::Exit(Exit::Watched) })
    }
}
