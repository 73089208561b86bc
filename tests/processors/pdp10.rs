//! The PDP-10: every operation against a second definition, its notation, its interrupts and its devices.

use crate::model::pdp10::{Outcome, State};
use crate::model::random::Random;
use plain_byte::processor::pdp10::{Cpu, PDP10, Registers};
use plain_byte::processor::{Bus, Exit, NoWatch, Processor};
use std::collections::BTreeMap;

/// All of memory, of which only what was written is kept.
struct Core {
    cells: BTreeMap<u64, u64>,
    background: fn(u64) -> u64,
}

impl Bus for Core {
    type Cell = u64;
    const WATCHED: bool = false;
    const MAPPED: bool = false;

    fn fetch(&mut self, address: u32) -> u64 {
        self.read(address, 0)
    }
    fn read(&mut self, address: u32, _: u64) -> u64 {
        assert!(address < 1 << 18);
        let address = address.into();
        self.cells.get(&address).copied().unwrap_or_else(|| (self.background)(address))
    }
    fn write(&mut self, address: u32, value: u64, _: u64) {
        assert!(address < 1 << 18 && value < 1 << 36, "{value:o} into {address:o}");
        self.cells.insert(address.into(), value);
    }
    fn register(&self, number: u32) -> u64 {
        let number = number.into();
        self.cells.get(&number).copied().unwrap_or_else(|| (self.background)(number))
    }
    fn set_register(&mut self, number: u32, value: u64) {
        self.write(number, value, 0);
    }
    fn attention(&self) -> bool {
        false
    }
}

/// What cells hold that nobody wrote: anything, but the cells that trapped operations lead to.
fn background(address: u64) -> u64 {
    let mixed = address.wrapping_mul(0x9E37_79B9_7F4A_7C15);
    match address {
        0o41 | 0o61 => 0o254000_004000,
        _ => (mixed ^ mixed >> 29) & 0o777777_777777,
    }
}

/// A word, with those that arithmetic finds hard more often than chance has them.
fn word(random: &mut Random) -> u64 {
    let value = random.number(36);
    match random.next() >> 60 {
        // Floating point numbers near each other, and in their normal form.
        0..=4 => {
            let exponent = 0o200 + (value >> 27 & 0o17) - 7;
            let positive = exponent << 27 | value & 0o777_777777 | 0o400_000000;
            if random.next().is_multiple_of(2) { positive } else { (1 << 36) - positive }
        }
        5 => value & 0o777777,
        6 => value | 0o777777 << 18,
        7 => 0o400000_000000 >> (value % 36) as u32,
        _ => value,
    }
}

fn flags(of: [bool; 7]) -> u64 {
    let places = [0, 1, 2, 3, 4, 11, 12];
    places.iter().zip(of).filter(|row| row.1).map(|(place, _)| 1u64 << (35 - place)).sum()
}

/// One instruction on both, from the same state; everything is compared.
fn compare(instruction: u64, random: &mut Random) {
    let pc = match random.next() >> 61 {
        0 => 0o777777,
        1 => random.next() & 0o17,
        _ => random.next() & 0o777777,
    };
    let own = std::array::from_fn(|_| random.next().is_multiple_of(3));
    let mut cells: BTreeMap<u64, u64> = (0..16).map(|number| (number, word(random))).collect();
    // The cell that the instruction names, and the accumulators as addresses or as pairs of halves.
    cells.insert(instruction & 0o777777, word(random));
    cells.insert(pc, instruction);
    if instruction >> 27 == 0o251 {
        // A block that ends soon.
        let last = instruction & 0o777777;
        let first = last.saturating_sub(random.next() & 0o77);
        cells.insert(instruction >> 23 & 0o17, random.number(18) << 18 | first);
        cells.insert(pc, instruction);
    }
    let mut state = State { pc, flags: own, stack_overflow: false, cells: cells.clone(), background };
    let mut core = Core { cells, background };
    let mut cpu = Cpu::default();
    cpu.registers = Registers { pc: pc as u32, flags: flags(own), ..Registers::default() };
    let context = format!("{instruction:012o} at {pc:06o}, flags {own:?}");
    let outcome = state.step();
    let exit = cpu.run(&mut core, &mut NoWatch, 1);
    let expected = match outcome {
        Outcome::Done => Exit::Limit,
        Outcome::Stopped => Exit::Stop,
        Outcome::Undefined => Exit::Undefined,
        Outcome::Chain => Exit::Chain,
        Outcome::Device => return,
    };
    assert_eq!(if exit == Exit::Idle { Exit::Limit } else { exit }, expected, "{context}");
    assert_eq!(u64::from(cpu.registers.pc), state.pc, "program counter after {context}");
    assert_eq!(cpu.registers.flags, flags(state.flags), "flags after {context}: {:?}", state.flags);
    assert_eq!(cpu.register(24) & 0o200000 != 0, state.stack_overflow, "stack after {context}");
    for (address, value) in &state.cells {
        assert_eq!(core.cells.get(address), Some(value), "cell {address:06o} after {context}");
    }
    assert_eq!(core.cells.len(), state.cells.len(), "cells written by {context}");
}

#[test]
fn every_operation_does_what_the_manual_says() {
    let mut random = Random(0x0360_B175_0F0C_0DE5);
    for operation in 0..0o700u64 {
        let rounds = if (0o140..0o200).contains(&operation) { 600 } else { 250 };
        for _ in 0..rounds {
            let bits = random.next();
            // Plain addresses, indexed ones, chains, and shifts by as much as shifts take.
            let address = match bits >> 61 {
                0 => bits & 0o37_777777,
                1 => bits & 0o17_777777,
                2 => bits & 0o400377,
                3 => bits & 0o17,
                _ => bits & 0o777777,
            };
            compare(operation << 27 | bits >> 30 << 23 & 0o17 << 23 | address, &mut random);
        }
    }
}

#[test]
fn the_table_tells_which_flags_an_operation_changes() {
    let mut random = Random(0xF1A6_50F7_AB1E_0001);
    let mut changed = BTreeMap::new();
    // Every accumulator number: it names some of the jumps.
    for first in 0..0o700 * 16u64 {
        let Some(row) = PDP10.row_of(first << 23) else { continue };
        // What is executed in their place has flags of its own.
        // And JRST takes the flags where bit 11 says so; its row is that of the plain jump.
        let takes_flags = row.mnemonic == "JRST" && first & 2 != 0;
        if first >> 4 < 0o100 || row.mnemonic == "XCT" || takes_flags {
            continue;
        }
        for _ in 0..if row.flags[0] == "-------" { 10 } else { 60 } {
            let mut core =
                Core { cells: (0..16).map(|number| (number, word(&mut random))).collect(), background };
            let any = random.next();
            let address = [0o2000, any & 0o77, any & 0o777777][(any >> 60) as usize % 3];
            core.cells.extend([(0o1000, first << 23 | address), (0o2000, word(&mut random))]);
            if any >> 40 & 7 == 0 {
                // The least number of all, which has no opposite.
                core.cells.extend([(first & 0o17, 1 << 35), (0o2000, 1 << 35)]);
            }
            let own = std::array::from_fn(|_| random.next().is_multiple_of(2));
            let mut cpu = Cpu::default();
            cpu.registers = Registers { pc: 0o1000, flags: flags(own), ..Registers::default() };
            let before = cpu.register(16);
            if row.mnemonic == "BLT" {
                core.cells.insert(first & 0o17, 0o3000_003000);
            }
            cpu.run(&mut core, &mut NoWatch, 1);
            let after = cpu.register(16);
            for (mark, flag) in row.flags[0].chars().zip(PDP10.flags()) {
                let (was, is) = (before & flag.mask != 0, after & flag.mask != 0);
                let right = match mark {
                    '-' => was == is,
                    '0' => !is,
                    _ => true,
                };
                assert!(right, "{} after {}", flag.name, row.form());
                *changed.entry((row.mnemonic, flag.name, mark)).or_insert(false) |= was != is;
            }
        }
    }
    let never: Vec<_> = changed.iter().filter(|((.., mark), is)| *mark == '*' && !**is).collect();
    assert!(never.is_empty(), "told as changed and never seen so: {never:?}");
}

#[test]
fn the_table_has_every_operation_and_its_time() {
    let mut random = Random(0x7AB1_E0F7_1C45_0001);
    for operation in 0..0o700u64 {
        let row = PDP10.row_of(operation << 27 | 0o17 << 23);
        let unassigned =
            operation == 0 || (0o100..0o130).contains(&operation) || [0o247, 0o257].contains(&operation);
        assert_eq!(row.is_none(), unassigned, "{operation:o}");
        let Some(row) = row else { continue };
        let takes_longer = matches!(operation, 0..0o100 | 0o240..=0o242 | 0o244..=0o246 | 0o251 | 0o256);
        if takes_longer {
            continue;
        }
        let mut core =
            Core { cells: (0..16).map(|number| (number, word(&mut random))).collect(), background };
        // The cell is a byte pointer without index.
        core.cells.extend([(0o1000, operation << 27 | 5 << 23 | 0o2000), (0o2000, 0o300600_003000)]);
        let mut cpu = Cpu::default();
        cpu.registers.pc = 0o1000;
        cpu.run(&mut core, &mut NoWatch, 1);
        assert_eq!(cpu.now, u64::from(row.timing[0].base), "{}", row.form());
    }
}
