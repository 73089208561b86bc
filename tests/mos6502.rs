//! The 6502 and 65C02: the executor and the table against a second definition, interrupts, and what the parts do otherwise.

#[path = "model/mos6502.rs"]
mod model;

use model::{Chip, Model};
use plain_byte::processor::mos6502::{C02, C65C02, Cpu, MOS6502, MOS6502U, NMOS, NMOSU, Registers};
use plain_byte::processor::{Bus, Exit, InputLine, InstructionSet, NoWatch, OutputLine, Processor};

/// Memory and nothing else; every write is kept.
struct Flat {
    memory: Vec<u8>,
    written: Vec<(u16, u8)>,
}

impl Flat {
    fn new() -> Self {
        Self { memory: vec![0; 0x1_0000], written: vec![] }
    }
}

impl Bus for Flat {
    type Cell = u8;
    const WATCHED: bool = false;
    const MAPPED: bool = true;

    fn fetch(&mut self, address: u32) -> u8 {
        self.memory[address as usize]
    }
    fn read(&mut self, address: u32, _: u64) -> u8 {
        self.memory[address as usize]
    }
    fn write(&mut self, address: u32, value: u8, _: u64) {
        self.written.push((address as u16, value));
        self.memory[address as usize] = value;
    }
    fn input(&mut self, _: u32, _: u64) -> u8 {
        0
    }
    fn output(&mut self, _: u32, _: u8, _: u64) {}
    fn sense(&mut self, _: InputLine, _: u64) -> bool {
        true
    }
    fn drive(&mut self, _: OutputLine, _: bool, _: u64) {}
    fn attention(&self) -> bool {
        false
    }
}

/// A small generator, so that every run sees the same states.
struct Random(u64);

impl Random {
    fn next(&mut self) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0
    }

    /// Any value, with the edges more often than chance has them.
    fn byte(&mut self) -> u8 {
        let value = self.next();
        if value >> 60 < 3 { [0, 0xFF, 0x80, 0x7F][(value >> 8) as usize % 4] } else { value as u8 }
    }
}

fn registers(model: &Model) -> Registers {
    let Model { a, x, y, s, pc, .. } = *model;
    Registers { a, p: model.p(), x, y, s, pc }
}

fn random_model(chip: Chip, random: &mut Random) -> Model {
    let mut model = Model {
        chip,
        a: random.byte(),
        x: random.byte(),
        y: random.byte(),
        s: random.byte(),
        pc: random.next() as u16,
        n: false,
        v: false,
        d: false,
        i: false,
        z: false,
        c: false,
        memory: vec![0; 0x1_0000],
        cycles: 0,
        stopped: false,
    };
    model.set_p(random.byte());
    model
}

/// Executes one instruction on both and compares everything but memory.
fn compare<const CHIP: u8>(model: &mut Model, bus: &mut Flat) {
    let mut cpu = Cpu::<CHIP>::default();
    cpu.registers = registers(model);
    let before = registers(model);
    let opcode = bus.memory[usize::from(before.pc)];
    let known = model.step();
    let exit = cpu.run(bus, &mut NoWatch, 1);
    let context = || format!("opcode {opcode:02X} on {:?} from {before:X?}", model.chip);
    assert_eq!(exit == Exit::Undefined, !known, "{}", context());
    assert_eq!(cpu.registers, registers(model), "{}", context());
    assert_eq!(cpu.now, if known { model.cycles } else { 0 }, "cycles of {}", context());
    assert_eq!(cpu.waits(), model.stopped, "{}", context());
}

fn every_opcode<const CHIP: u8>(chip: Chip) {
    let mut random = Random(0x1234_5678_9ABC_DEF1);
    let start: Vec<u8> = (0..0x1_0000).map(|_| random.byte()).collect();
    for opcode in 0..=255u8 {
        for _ in 0..60 {
            let mut model = random_model(chip, &mut random);
            model.memory.copy_from_slice(&start);
            model.memory[usize::from(model.pc)] = opcode;
            let mut bus = Flat { memory: model.memory.clone(), written: vec![] };
            compare::<CHIP>(&mut model, &mut bus);
            assert!(bus.memory == model.memory, "memory behind opcode {opcode:02X} on {chip:?}");
        }
    }
}

#[test]
fn every_opcode_does_what_the_second_definition_says() {
    every_opcode::<NMOS>(Chip::Nmos);
    every_opcode::<C02>(Chip::Cmos);
    every_opcode::<NMOSU>(Chip::Undocumented);
}

/// ADC, SBC and the like with every pair of operands, both carries, binary and decimal.
fn every_operand<const CHIP: u8>(chip: Chip) {
    let mut model = random_model(chip, &mut Random(99));
    let mut bus = Flat::new();
    let opcodes: &[u8] =
        if chip == Chip::Undocumented { &[0x69, 0xE9, 0x6B, 0xEB] } else { &[0x69, 0xE9, 0xC9] };
    for &opcode in opcodes {
        (bus.memory[0x200], model.memory[0x200]) = (opcode, opcode);
        for a in 0..=255u8 {
            for other in 0..=255u8 {
                (bus.memory[0x201], model.memory[0x201]) = (other, other);
                for (carry, decimal) in [(false, false), (true, false), (false, true), (true, true)] {
                    (model.pc, model.cycles, model.a, model.c, model.d) = (0x200, 0, a, carry, decimal);
                    compare::<CHIP>(&mut model, &mut bus);
                }
            }
        }
    }
}

#[test]
fn sums_and_flags_are_right_for_every_pair_of_operands() {
    every_operand::<NMOS>(Chip::Nmos);
    every_operand::<C02>(Chip::Cmos);
    every_operand::<NMOSU>(Chip::Undocumented);
}

/// Length, time and flags of every opcode, as the table says and as the second definition does it.
fn against_table(chip: Chip, set: &'static InstructionSet) {
    let mut random = Random(7);
    for opcode in 0..=255u8 {
        let row = set.row_of(opcode.into());
        let mut times = [std::collections::BTreeSet::new(), std::collections::BTreeSet::new()];
        for _ in 0..160 {
            let mut model = random_model(chip, &mut random);
            model.pc = 0x20F0 + (random.byte() & 7) as u16;
            let pc = model.pc;
            // Away from each other, so that nothing the instruction writes is the instruction.
            model.memory[usize::from(pc)] = opcode;
            for at in 1..3 {
                model.memory[usize::from(pc) + at] = random.byte() & 0x9F | 1;
            }
            model.memory[..0x100].fill_with(|| random.byte());
            let before = model.p();
            let known = model.step();
            assert_eq!(known, row.is_some(), "opcode {opcode:02X} on the {}", set.name);
            let Some(row) = row else { continue };
            let went_on = model.pc == pc + row.cells() as u16;
            times[usize::from(went_on)].insert(model.cycles);
            for (mark, flag) in set.flag_effect(row).chars().zip(set.flags) {
                let (was, is) = (u64::from(before) & flag.mask != 0, u64::from(model.p()) & flag.mask != 0);
                let right = match mark {
                    '-' => was == is,
                    '0' => !is,
                    '1' => is,
                    _ => true,
                };
                assert!(right, "flag {} of {} ({opcode:02X}) on the {}", flag.name, row.form(), set.name);
            }
        }
        let Some(row) = row else { continue };
        let timing = set.timing(row);
        for (times, (least, most)) in times.iter().zip([timing.going_away(), timing.going_on()]) {
            if let (Some(&first), Some(&last)) = (times.first(), times.last()) {
                assert_eq!((first, last), (least, most), "{} ({opcode:02X}) on the {}", row.form(), set.name);
            }
        }
        let goes = ["JMP", "JSR", "RTS", "RTI", "BRK", "BRA"].contains(&row.mnemonic);
        assert_eq!(times[1].is_empty(), goes, "length of {} ({opcode:02X})", row.form());
    }
}

#[test]
fn the_table_tells_what_the_second_definition_does() {
    against_table(Chip::Nmos, &MOS6502);
    against_table(Chip::Cmos, &C65C02);
    against_table(Chip::Undocumented, &MOS6502U);
}
