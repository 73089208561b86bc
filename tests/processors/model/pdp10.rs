//! A second definition of the PDP-10, read off the manual's patterns: an operation is taken apart into its group, its function and
//! its mode; numbers are whole numbers of any size, floating point ones are fractions. Nothing is shared with the library.

use num_bigint::BigInt;
use num_rational::BigRational;
use num_traits::{Signed, ToPrimitive, Zero};
use std::collections::BTreeMap;

const WORD: u64 = 0o777777_777777;
const HALF: u64 = 0o777777;

/// What an instruction can reach. Cells that are not in the map are worked out from their address.
#[derive(Debug, Clone)]
pub struct State {
    pub pc: u64,
    /// Overflow, carry 0, carry 1, floating overflow, byte increment done, floating underflow, no divide.
    pub flags: [bool; 7],
    pub stack_overflow: bool,
    pub cells: BTreeMap<u64, u64>,
    pub background: fn(u64) -> u64,
}

/// What the instruction came to.
#[derive(Debug, PartialEq, Eq)]
pub enum Outcome {
    Done,
    Stopped,
    Undefined,
    Chain,
    /// It is for a device, which this definition has none of.
    Device,
}

/// The bits of the flags in a word, counted from the left.
const FLAG_PLACES: [u32; 7] = [0, 1, 2, 3, 4, 11, 12];
const OV: usize = 0;
const CRY0: usize = 1;
const CRY1: usize = 2;
const FOV: usize = 3;
const BIS: usize = 4;
const FXU: usize = 5;
const DCK: usize = 6;

/// Bits `first` to `last` from the left.
fn field(word: u64, first: u32, last: u32) -> u64 {
    word >> (35 - last) & ((1 << (last - first + 1)) - 1)
}

fn number(word: u64) -> i128 {
    if field(word, 0, 0) == 1 { i128::from(word) - (1 << 36) } else { i128::from(word) }
}

fn word(number: i128) -> u64 {
    number.rem_euclid(1 << 36) as u64
}

fn halves(left: u64, right: u64) -> u64 {
    (left & HALF) << 18 | right & HALF
}

/// The address as a signed count of places: its sign and its last eight bits.
fn places(e: u64) -> i128 {
    i128::from(e & 0o377) - if e & 0o400000 != 0 { 256 } else { 0 }
}

impl State {
    pub fn cell(&self, address: u64) -> u64 {
        self.cells.get(&address).copied().unwrap_or_else(|| (self.background)(address))
    }

    fn put(&mut self, address: u64, value: u64) {
        assert!(address <= HALF && value <= WORD);
        self.cells.insert(address, value);
    }

    fn pc_word(&self) -> u64 {
        let flags = FLAG_PLACES.iter().zip(self.flags);
        flags.filter(|(_, set)| *set).map(|(place, _)| 1u64 << (35 - place)).sum::<u64>() | self.pc
    }

    fn take_flags(&mut self, from: u64) {
        self.flags = FLAG_PLACES.map(|place| field(from, place, place) == 1);
    }

    /// The address that bits 13 to 35 of a word lead to, and the word whose left half comes with it.
    fn address(&self, first: u64) -> Option<(u64, u64)> {
        let mut word = first;
        for _ in 0..=1 << 18 {
            let (index, y) = (field(word, 14, 17), field(word, 18, 35));
            let register = self.cell(index);
            let e = if index == 0 { y } else { (y + register) & HALF };
            if field(word, 13, 13) == 0 {
                let from = if index == 0 || word != first { word } else { register };
                return Some((e, from));
            }
            word = self.cell(e);
        }
        None
    }

    /// The sum of two numbers and a one, and its carries.
    fn add(&mut self, a: u64, b: u64, one: u64) -> u64 {
        let carry0 = a + b + one > WORD;
        let (low_a, low_b) = (field(a, 1, 35), field(b, 1, 35));
        let carry1 = low_a + low_b + one >= 1 << 35;
        self.flags[CRY0] |= carry0;
        self.flags[CRY1] |= carry1;
        self.flags[OV] |= carry0 != carry1;
        (a + b + one) & WORD
    }

    fn negative(&mut self, value: u64) -> u64 {
        self.add(0, WORD - value, 1)
    }

    fn skip_if(&mut self, holds: bool) {
        if holds {
            self.pc = (self.pc + 1) & HALF;
        }
    }

    fn jump_if(&mut self, holds: bool, e: u64) {
        if holds {
            self.pc = e;
        }
    }

    pub fn step(&mut self) -> Outcome {
        let at = self.pc;
        self.pc = (self.pc + 1) & HALF;
        let mut word = self.cell(at);
        for _ in 0..=1 << 18 {
            let Some((e, from)) = self.address(word) else {
                self.pc = at;
                return Outcome::Chain;
            };
            let trapped = match field(word, 0, 8) {
                0..=0o77 => Some(0o40),
                0o100..=0o127 | 0o247 | 0o257 => Some(0o60),
                0o256 => {
                    word = self.cell(e);
                    continue;
                }
                _ => None,
            };
            if let Some(trapped) = trapped {
                let next = self.cell(trapped + 1);
                if next == 0 {
                    self.pc = at;
                    return Outcome::Undefined;
                }
                self.put(trapped, field(word, 0, 12) << 23 | e);
                word = next;
                continue;
            }
            return self.execute(word, e, from);
        }
        self.pc = at;
        Outcome::Chain
    }

    fn execute(&mut self, word: u64, e: u64, from: u64) -> Outcome {
        let (operation, ac) = (field(word, 0, 8), field(word, 9, 12));
        let next = (ac + 1) % 16;
        let mode = operation % 4;
        match operation {
            0o130 => {
                let sum = unnormalized(self.cell(ac), self.cell(e));
                let result = self.pack(sum);
                self.put(next, result);
            }
            0o131 => {
                let (high, low) = (self.cell(ac), self.cell(e));
                let fraction = i128::from(field(low, 9, 35));
                let both = -(number(high) << 27 | fraction);
                self.put(ac, self::word(both >> 27));
                self.put(e, field(low, 0, 8) << 27 | (both.rem_euclid(1 << 27)) as u64);
            }
            0o132 => {
                let (fraction, exponent) = parts(self.cell(ac));
                let found = normal(exact(fraction, exponent + places(e) as i32), Cut::Short);
                let result = self.pack(found);
                self.put(ac, result);
            }
            0o133..=0o137 => self.byte(operation, ac, e),
            0o140..=0o177 => self.floating(operation, ac, e),
            0o200..=0o217 => {
                let source = match mode {
                    1 => e,
                    2 => self.cell(ac),
                    _ => self.cell(e),
                };
                let value = match (operation - 0o200) / 4 {
                    0 => source,
                    1 => halves(source, source >> 18),
                    3 if number(source) >= 0 => source,
                    _ => self.negative(source),
                };
                self.put_moved(mode, (ac, e), value);
            }
            0o220..=0o237 | 0o270..=0o277 => self.fixed(operation, ac, e),
            0o240..=0o246 => self.shift(operation, ac, e),
            0o250 => {
                let (own, cell) = (self.cell(ac), self.cell(e));
                self.put(e, own);
                self.put(ac, cell);
            }
            0o251 => {
                let (mut source, mut target) = (self.cell(ac) >> 18, self.cell(ac) & HALF);
                loop {
                    let cell = self.cell(source);
                    self.put(target, cell);
                    if target >= e {
                        break;
                    }
                    (source, target) = ((source + 1) & HALF, target + 1);
                }
            }
            0o252 | 0o253 => {
                let sum = (self.cell(ac) + halves(1, 1)) & WORD;
                self.put(ac, sum);
                self.jump_if((number(sum) < 0) == (operation == 0o253), e);
            }
            0o254 => {
                self.pc = e;
                if ac & 2 != 0 {
                    self.take_flags(from);
                }
                if ac & 4 != 0 {
                    return Outcome::Stopped;
                }
            }
            0o255 => {
                let named = [8, 4, 2, 1].map(|bit| ac & bit != 0);
                let found = named.iter().zip(self.flags).any(|(named, set)| *named && set);
                for (flag, named) in self.flags.iter_mut().zip(named) {
                    *flag &= !named;
                }
                self.jump_if(found, e);
            }
            0o260..=0o267 => self.subroutine(operation, ac, e),
            0o300..=0o317 => {
                let other = if operation < 0o310 { e } else { self.cell(e) };
                let holds = compares(operation % 8, number(self.cell(ac)), number(other));
                self.skip_if(holds);
            }
            0o320..=0o377 => {
                let at_cell = operation & 0o10 != 0;
                let value = self.cell(if at_cell { e } else { ac });
                let value = match (operation - 0o320) / 0o20 {
                    0 => value,
                    1 => self.add(value, 1, 0),
                    _ => self.add(value, WORD, 0),
                };
                let counts = operation >= 0o340;
                if at_cell {
                    if counts {
                        self.put(e, value);
                    }
                    if ac != 0 {
                        self.put(ac, value);
                    }
                    self.skip_if(compares(operation % 8, number(value), 0));
                } else {
                    if counts {
                        self.put(ac, value);
                    }
                    self.jump_if(compares(operation % 8, number(value), 0), e);
                }
            }
            0o400..=0o477 => {
                let (own, other) = (self.cell(ac), if mode == 1 { e } else { self.cell(e) });
                let function = field(operation << 27, 3, 6);
                let value = (0..36).map(|at| truth(function, own >> at & 1, other >> at & 1) << at).sum();
                self.put_by_mode([true, true, false, true], [false, false, true, true], mode, (ac, e), value);
            }
            0o500..=0o577 => {
                let (source, target) = match mode {
                    1 => (e, self.cell(ac)),
                    2 => (self.cell(ac), self.cell(e)),
                    3 => (self.cell(e), self.cell(e)),
                    _ => (self.cell(e), self.cell(ac)),
                };
                // 500 to left, 540 to right; 4 crosses over.
                let to_right = operation & 0o40 != 0;
                let from_right = to_right != (operation & 4 != 0);
                let half = if from_right { source & HALF } else { source >> 18 };
                let other = if to_right { target >> 18 } else { target & HALF };
                let other = match operation >> 3 & 3 {
                    0 => other,
                    1 => 0,
                    2 => HALF,
                    _ => HALF * (half >> 17),
                };
                let value = if to_right { halves(other, half) } else { halves(half, other) };
                self.put_moved(mode, (ac, e), value);
            }
            0o600..=0o677 => {
                let mask = match (operation & 8 != 0, operation & 1 != 0) {
                    (false, false) => e,
                    (false, true) => halves(e, 0),
                    (true, false) => self.cell(e),
                    (true, true) => halves(self.cell(e), self.cell(e) >> 18),
                };
                let own = self.cell(ac);
                let changed = match operation >> 4 & 3 {
                    0 => own,
                    1 => own - (own & mask),
                    2 => own ^ mask,
                    _ => own | mask,
                };
                if operation >> 4 & 3 != 0 {
                    self.put(ac, changed);
                }
                let zeros = own & mask == 0;
                self.skip_if([false, zeros, true, !zeros][(operation >> 1 & 3) as usize]);
            }
            _ => return Outcome::Device,
        }
        Outcome::Done
    }

    /// Puts a result into accumulator and cell, in the modes that do.
    fn put_by_mode(&mut self, own: [bool; 4], cell: [bool; 4], mode: u64, (ac, e): (u64, u64), value: u64) {
        if cell[mode as usize] {
            self.put(e, value);
        }
        if own[mode as usize] {
            self.put(ac, value);
        }
    }

    /// The same for moves and halfwords, which put a cell back into itself, and into an accumulator that is not the first.
    fn put_moved(&mut self, mode: u64, (ac, e): (u64, u64), value: u64) {
        self.put_by_mode([true, true, false, ac != 0], [false, false, true, true], mode, (ac, e), value);
    }

    fn fixed(&mut self, operation: u64, ac: u64, e: u64) {
        let mode = operation % 4;
        let (own, other) = (self.cell(ac), if mode == 1 { e } else { self.cell(e) });
        let next = (ac + 1) % 16;
        let (a, b) = (number(own), number(other));
        let least = -(1i128 << 35);
        let (value, second) = match operation & !3 {
            0o270 => (self.add(own, other, 0), None),
            0o274 => (self.add(own, WORD - other, 1), None),
            0o220 => {
                let product = a * b;
                self.flags[OV] |= !(least..-least).contains(&product);
                (self::word(product).rem_euclid(1 << 35) | u64::from(product < 0) << 35, None)
            }
            0o224 => {
                self.flags[OV] |= a == least && b == least;
                let high = word((a * b).div_euclid(1 << 35));
                (high, Some((a * b).rem_euclid(1 << 35) as u64 | field(high, 0, 0) << 35))
            }
            division => {
                let dividend = match division {
                    0o230 => a,
                    _ => a * (1 << 35) + i128::from(field(self.cell(next), 1, 35)),
                };
                // Both magnitudes have 35 bits.
                if b == 0 || dividend.abs() / (1 << 35) >= b.abs() {
                    self.flags[OV] = true;
                    self.flags[DCK] = true;
                    return;
                }
                (word(dividend / b), Some(word(dividend % b)))
            }
        };
        if mode >= 2 {
            self.put(e, value);
        }
        if mode != 2 {
            self.put(ac, value);
            if let Some(second) = second {
                self.put(next, second);
            }
        }
    }

    fn shift(&mut self, operation: u64, ac: u64, e: u64) {
        let next = (ac + 1) % 16;
        let double = operation >= 0o244;
        let (own, low) = (self.cell(ac), self.cell(next));
        let places = places(e);
        if operation == 0o243 {
            let zeros = (0..36).take_while(|&at| field(own, at, at) == 0).count() as u64;
            self.put(next, zeros % 36);
            return self.jump_if(own != 0, e);
        }
        // The bits from left to right, and what comes in at the right and at the left.
        let mut bits: Vec<u64> = (0..36).map(|at| field(own, at, at)).collect();
        if double {
            bits.extend((0..36).map(|at| field(low, at, at)));
        }
        let sign = bits[0];
        let arithmetic = operation & 3 == 0;
        if arithmetic {
            if double {
                bits.remove(36);
            }
            bits.remove(0);
        }
        for _ in 0..places.abs() {
            let out = if places > 0 { bits.remove(0) } else { bits.pop().unwrap_or(0) };
            let comes_in = match operation & 3 {
                0 if places > 0 => 0,
                0 => sign,
                1 => out,
                _ => 0,
            };
            self.flags[OV] |= arithmetic && places > 0 && out != sign;
            let at = if places > 0 { bits.len() } else { 0 };
            bits.insert(at, comes_in);
        }
        if arithmetic {
            bits.insert(0, sign);
            if double {
                bits.insert(36, if places == 0 { field(low, 0, 0) } else { sign });
            }
        }
        let joined = |bits: &[u64]| bits.iter().fold(0, |value, bit| value * 2 + bit);
        self.put(ac, joined(&bits[..36]));
        if double {
            self.put(next, joined(&bits[36..]));
        }
    }

    fn subroutine(&mut self, operation: u64, ac: u64, e: u64) {
        let own = self.cell(ac);
        let pushed = (own + halves(1, 1)) & WORD;
        let popped = (own + WORD + 1 - halves(1, 1)) & WORD;
        let back = self.pc_word();
        match operation {
            0o260 | 0o261 => {
                let value = if operation == 0o260 { back } else { self.cell(e) };
                self.stack_overflow |= own + halves(1, 1) > WORD;
                self.put(ac, pushed);
                self.put(pushed & HALF, value);
                if operation == 0o260 {
                    self.flags[BIS] = false;
                    self.pc = e;
                }
            }
            0o262 | 0o263 => {
                let value = self.cell(own & HALF);
                self.stack_overflow |= own < halves(1, 1);
                if operation == 0o262 {
                    self.put(e, value);
                } else {
                    self.pc = value & HALF;
                }
                self.put(ac, popped);
            }
            0o264 => {
                self.put(e, back);
                self.flags[BIS] = false;
                self.pc = (e + 1) & HALF;
            }
            0o265 => {
                self.put(ac, back);
                self.flags[BIS] = false;
                self.pc = e;
            }
            0o266 => {
                self.put(e, own);
                self.put(ac, halves(e, self.pc));
                self.pc = (e + 1) & HALF;
            }
            _ => {
                let saved = self.cell(own >> 18);
                self.put(ac, saved);
                self.pc = e;
            }
        }
    }

    fn byte(&mut self, operation: u64, ac: u64, e: u64) {
        let mut pointer = self.cell(e);
        let (position, size) = (field(pointer, 0, 5), field(pointer, 6, 11));
        if operation == 0o133 || operation.is_multiple_of(2) && !self.flags[BIS] {
            let rest = field(pointer, 6, 17);
            let (position, address) = match position >= size {
                true => (position - size, pointer & HALF),
                false => (36u64.saturating_sub(size), (pointer & HALF) + 1),
            };
            pointer = position << 30 | rest << 18 | address & HALF;
            self.put(e, pointer);
        }
        if operation == 0o133 {
            return;
        }
        self.flags[BIS] = false;
        let Some((at, _)) = self.address(pointer) else { return };
        let position = field(pointer, 0, 5);
        let inside: Vec<u64> = (position..(position + size).min(36)).collect();
        if operation < 0o136 {
            let cell = self.cell(at);
            let byte = inside.iter().map(|bit| (cell >> bit & 1) << (bit - position)).sum();
            self.put(ac, byte);
        } else {
            let own = self.cell(ac);
            let mut cell = self.cell(at);
            for bit in inside {
                cell = cell & !(1 << bit) | (own >> (bit - position) & 1) << bit;
            }
            self.put(at, cell);
        }
    }

    fn floating(&mut self, operation: u64, ac: u64, e: u64) {
        let mode = operation % 8;
        let next = (ac + 1) % 16;
        let own = self.cell(ac);
        let cell = if mode == 5 { halves(e, 0) } else { self.cell(e) };
        let cut =
            [Cut::Short, Cut::Long, Cut::Short, Cut::Short, Cut::Round, Cut::Round, Cut::Round, Cut::Round]
                [mode as usize];
        let ((a, a_exponent), (b, b_exponent)) = (parts(own), parts(cell));
        let mut second = None;
        let found = match (operation - 0o140) / 8 {
            2 => normal(exact(a, a_exponent) * exact(b, b_exponent), cut),
            3 => {
                let dividend = match mode {
                    1 => exact(a, a_exponent) + exact(field(self.cell(next), 9, 35) as i64, a_exponent - 27),
                    _ => exact(a, a_exponent),
                };
                // The fractions alone decide whether there is room.
                let top = (&dividend / exact(1 << 27, a_exponent)).abs();
                if top >= exact(2, 27) * exact(b.abs(), 0) {
                    for flag in [OV, FOV, DCK] {
                        self.flags[flag] = true;
                    }
                    return;
                }
                let mut quotient = dividend.clone() / exact(b, b_exponent);
                let negative = quotient.is_negative();
                if mode == 1 {
                    let (whole, rest) = divided(&dividend, a_exponent, &exact(b, b_exponent), b_exponent);
                    (quotient, second) = (whole, Some(rest));
                }
                let magnitude = normal(quotient.abs(), if mode == 1 { Cut::Short } else { cut });
                Found { fraction: magnitude.fraction * if negative { -1 } else { 1 }, ..magnitude }
            }
            subtracts => {
                let b = if subtracts == 1 { -b } else { b };
                // Exponents too far apart leave nothing of the smaller number.
                let gap = a_exponent - b_exponent;
                let a = if gap < -64 { 0 } else { a };
                let b = if gap > 64 { 0 } else { b };
                normal(exact(a, a_exponent) + exact(b, b_exponent), cut)
            }
        };
        if mode == 1 && second.is_none() {
            second = Some(found.low);
        }
        let result = self.pack(found);
        if matches!(mode, 2 | 3 | 6 | 7) {
            self.put(e, result);
        }
        if !matches!(mode, 2 | 6) {
            self.put(ac, result);
        }
        if let Some(second) = second {
            self.put(next, second);
        }
    }

    /// The word of a result; an exponent without room sets flags.
    fn pack(&mut self, found: Found) -> u64 {
        let Found { fraction, exponent, .. } = found;
        if fraction != 0 && !(-128..128).contains(&exponent) {
            self.flags[OV] = true;
            self.flags[FOV] = true;
            self.flags[FXU] |= exponent < -128;
        }
        packed(fraction, exponent)
    }
}

/// Whether a bit is 1 by the function's name in the manual's order.
fn truth(function: u64, own: u64, other: u64) -> u64 {
    let (a, m) = (own == 1, other == 1);
    u64::from(match function {
        0 => false,
        1 => a && m,
        2 => !a && m,
        3 => m,
        4 => a && !m,
        5 => a,
        6 => a != m,
        7 => a || m,
        8 => !a && !m,
        9 => a == m,
        10 => !a,
        11 => !a || m,
        12 => !m,
        13 => a || !m,
        14 => !a || !m,
        _ => true,
    })
}

fn compares(condition: u64, a: i128, b: i128) -> bool {
    match condition {
        0 => false,
        1 => a < b,
        2 => a == b,
        3 => a <= b,
        4 => true,
        5 => a >= b,
        6 => a != b,
        _ => a > b,
    }
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Cut {
    Short,
    Long,
    Round,
}

/// A result in its normal form: the fraction counts in parts of 2^27.
struct Found {
    fraction: i64,
    exponent: i32,
    low: u64,
}

/// Fraction and exponent of a word.
fn parts(word: u64) -> (i64, i32) {
    let exponent = field(word, 1, 8) as i32;
    let fraction = field(word, 9, 35) as i64;
    match field(word, 0, 0) {
        0 => (fraction, exponent - 128),
        _ => (fraction - (1 << 27), 255 - exponent - 128),
    }
}

fn packed(fraction: i64, exponent: i32) -> u64 {
    if fraction == 0 {
        return 0;
    }
    let magnitude = i128::from((exponent + 128).rem_euclid(256)) * (1 << 27) + i128::from(fraction.abs());
    if fraction < 0 && fraction.abs() == 1 << 27 {
        // A fraction of minus one, which is not in its normal form.
        let field = 255 - (exponent + 128).rem_euclid(256) as u64;
        return 1 << 35 | field << 27;
    }
    word(if fraction < 0 { -magnitude } else { magnitude })
}

fn two_to(exponent: i32) -> BigRational {
    BigRational::from_integer(2.into()).pow(exponent)
}

fn exact(fraction: i64, exponent: i32) -> BigRational {
    BigRational::from_integer(fraction.into()) * two_to(exponent - 27)
}

/// The normal form of an exact number.
fn normal(value: BigRational, cut: Cut) -> Found {
    if value.is_zero() {
        return Found { fraction: 0, exponent: 0, low: 0 };
    }
    // The exponent with a magnitude from one half up to one.
    let size = |number: &BigInt| number.bits() as i32;
    let mut exponent = size(value.numer()) - size(value.denom());
    let half = BigRational::new(1.into(), 2.into());
    while value.abs() / two_to(exponent) >= BigRational::from_integer(1.into()) {
        exponent += 1;
    }
    while value.abs() / two_to(exponent) < half {
        exponent -= 1;
    }
    let scaled = &value / two_to(exponent - 27);
    let whole = if cut == Cut::Round { scaled.round() } else { scaled.floor() };
    let mut fraction = whole.to_integer().to_i64().expect("28 bits");
    let mut rest = scaled - whole;
    if fraction.abs() == 1 << 27 {
        // It went up to the next power of two.
        (fraction, exponent, rest) = (fraction / 2, exponent + 1, rest / BigRational::from_integer(2.into()));
    }
    let low = (rest * two_to(27)).floor().to_integer();
    let low = match (cut, low.to_i64()) {
        (Cut::Long, Some(low)) if exponent - 27 >= -128 => packed(low, exponent - 27),
        _ => 0,
    };
    Found { fraction, exponent, low }
}

/// The sum with the larger exponent, one place further where it needs that.
fn unnormalized(a: u64, b: u64) -> Found {
    let ((a, a_exponent), (b, b_exponent)) = (parts(a), parts(b));
    let exponent = a_exponent.max(b_exponent);
    let moved = |fraction: i64, own: i32| match exponent - own {
        places if places > 64 => 0,
        places => {
            fraction.div_euclid(1i64.checked_shl(places as u32).filter(|&unit| unit > 0).unwrap_or(i64::MAX))
        }
    };
    let sum = moved(a, a_exponent) + moved(b, b_exponent);
    let (fraction, exponent) = match sum {
        sum if !(-(1 << 27)..1 << 27).contains(&sum) => (sum.div_euclid(2), exponent + 1),
        sum => (sum, exponent),
    };
    Found { fraction, exponent, low: 0 }
}

/// The magnitude of a quotient of two words by one, 27 bits of it, and what is left: 27 places below the dividend, and one place less
/// where the quotient began further up.
fn divided(
    dividend: &BigRational,
    exponent: i32,
    divisor: &BigRational,
    divisor_exponent: i32,
) -> (BigRational, u64) {
    let (top, below) = (dividend.abs(), divisor.abs());
    let up = i32::from(&top / two_to(exponent) >= &below / two_to(divisor_exponent));
    let unit = below * two_to(exponent - divisor_exponent + up - 27);
    let whole = (&top / &unit).floor();
    let left = &top - &whole * &unit;
    let quotient = whole * two_to(exponent - divisor_exponent + up - 27);
    let left_exponent = exponent - 27 + up;
    let fraction = (left / two_to(left_exponent - 27)).floor().to_integer().to_i64().expect("27 bits");
    if left_exponent < -128 {
        return (quotient, 0);
    }
    let magnitude = packed(fraction, left_exponent);
    (quotient, if dividend.is_negative() { word(-i128::from(magnitude)) } else { magnitude })
}
