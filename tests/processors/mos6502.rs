//! The 6502 and 65C02: the executor and the table against a second definition, interrupts, and what the parts do otherwise.

use crate::model::flat::Flat;
use crate::model::mos6502::{Chip, Model};
use crate::model::random::Random;
use plain_byte::processor::mos6502::{C02, C65C02, Cpu, MOS6502, MOS6502U, NMOS, NMOSU, Registers};
use plain_byte::processor::{Exit, InstructionSet, NoWatch, Processor, Requests};

fn registers(model: &Model) -> Registers {
    let Model { a, x, y, s, pc, .. } = *model;
    Registers { a, p: model.p(), x, y, s, pc }
}

fn random_model(chip: Chip, random: &mut Random) -> Model {
    let mut model = Model {
        chip,
        a: random.number(8) as u8,
        x: random.number(8) as u8,
        y: random.number(8) as u8,
        s: random.number(8) as u8,
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
    model.set_p(random.number(8) as u8);
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
    assert_eq!(cpu.waits_at().is_some(), model.stopped, "{}", context());
}

fn every_opcode<const CHIP: u8>(chip: Chip) {
    let mut random = Random(0x1234_5678_9ABC_DEF1);
    let start: Vec<u8> = (0..0x1_0000).map(|_| random.number(8) as u8).collect();
    for opcode in 0..=255u8 {
        for _ in 0..60 {
            let mut model = random_model(chip, &mut random);
            model.memory.copy_from_slice(&start);
            model.memory[usize::from(model.pc)] = opcode;
            let mut bus = Flat::new(model.memory.clone());
            compare::<CHIP>(&mut model, &mut bus);
            assert!(bus.memory == model.memory, "memory after opcode {opcode:02X} on {chip:?}");
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
    let mut bus = Flat::empty();
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
            model.pc = 0x20F0 + (random.number(8) as u8 & 7) as u16;
            let pc = model.pc;
            // Away from each other, so that nothing the instruction writes is the instruction.
            model.memory[usize::from(pc)] = opcode;
            for at in 1..3 {
                model.memory[usize::from(pc) + at] = random.number(8) as u8 & 0x9F | 1;
            }
            model.memory[..0x100].fill_with(|| random.number(8) as u8);
            let before = model.p();
            let known = model.step();
            assert_eq!(known, row.is_some(), "opcode {opcode:02X} on the {}", set.name());
            let Some(row) = row else { continue };
            let went_on = model.pc == pc + row.cells() as u16;
            times[usize::from(went_on)].insert(model.cycles);
            let wrong = crate::model::flat::wrong_flags(set, row, before.into(), model.p().into());
            assert_eq!(wrong, Vec::<&str>::new(), "{} ({opcode:02X}) on the {}", row.form(), set.name());
        }
        let Some(row) = row else { continue };
        let timing = set.timing(row);
        for (times, (least, most)) in times.iter().zip([timing.going_away(), timing.going_on()]) {
            if let (Some(&first), Some(&last)) = (times.first(), times.last()) {
                assert_eq!(
                    (first, last),
                    (least, most),
                    "{} ({opcode:02X}) on the {}",
                    row.form(),
                    set.name()
                );
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

/// A processor in front of NOPs, with what its three pointers lead to.
fn ready<const CHIP: u8>(p: u8, program: &[u8]) -> (Cpu<CHIP>, Flat) {
    let mut bus = Flat::new(vec![0xEA; 0x1_0000]);
    bus.memory[0x200..0x200 + program.len()].copy_from_slice(program);
    bus.memory[0xFFFA..].copy_from_slice(&[0x00, 0x40, 0x00, 0x50, 0x00, 0x60]);
    let mut cpu = Cpu::<CHIP>::default();
    cpu.registers = Registers { a: 1, p, x: 2, y: 3, s: 0x01, pc: 0x200 };
    (cpu, bus)
}

/// Runs instruction by instruction until one begins at the address, and tells the cycle and how many ran.
fn until<const CHIP: u8>(cpu: &mut Cpu<CHIP>, bus: &mut Flat, address: u16) -> (u64, u64) {
    while cpu.registers.pc != address {
        let limit = cpu.now + 1;
        assert_eq!(cpu.run(bus, &mut NoWatch, limit), Exit::Limit);
        assert!(cpu.now < 100, "it never comes");
    }
    (cpu.now, cpu.instructions)
}

#[test]
fn an_interrupt_pushes_the_address_and_the_flags_and_the_stack_stays_in_its_page() {
    fn check<const CHIP: u8>(after: u8) {
        for (line, vector, at) in [("NMI", 0x4000, 2), ("IRQ", 0x6000, 2)] {
            let (mut cpu, mut bus) = ready::<CHIP>(0xE8, &[]);
            cpu.request(line);
            assert_eq!(until(&mut cpu, &mut bus, vector), (at + 7, 1), "{line}");
            // B is clear in what an interrupt pushes; the stack goes on at the top of its page.
            assert_eq!(bus.written, [(0x101, 0x02), (0x100, 0x01), (0x1FF, 0xE8)], "{line}");
            assert_eq!((cpu.registers.s, cpu.registers.p), (0xFE, after), "{line}");
            // The request is gone: the routine goes on.
            assert_eq!(until(&mut cpu, &mut bus, vector + 1), (at + 9, 2), "{line}");
        }
    }
    check::<NMOS>(0xEC);
    check::<C02>(0xE4);
}

#[test]
fn a_request_is_seen_in_the_last_cycle_but_one() {
    // NOP takes cycles 0 and 1, the next 2 and 3. A line that goes low at cycle 0 is seen after the first, one at 1 or 2
    // after the second.
    for (at, instructions) in [(0, 1), (1, 2), (2, 2), (3, 3)] {
        let (mut cpu, mut bus) = ready::<NMOS>(0x20, &[]);
        cpu.run(&mut bus, &mut NoWatch, at);
        cpu.requested(Requests { since: Some(at), channels: 0 });
        assert_eq!(until(&mut cpu, &mut bus, 0x6000).1, instructions, "at {at}");
        assert!(cpu.register(7) == 1, "the line is still low");
    }
}

#[test]
fn a_changed_i_counts_one_instruction_later() {
    // The program, the flags it begins with, where the interrupt comes back to.
    let cases: [(&[u8], u8, Option<u16>); 5] = [
        (&[0x58, 0xEA, 0xEA], 0x24, Some(0x202)),
        (&[0x78, 0xEA, 0xEA], 0x20, Some(0x201)),
        (&[0x28, 0xEA, 0xEA], 0x24, Some(0x202)),
        (&[0x40, 0xEA, 0xEA], 0x24, Some(0x333)),
        (&[0xEA, 0xEA, 0xEA], 0x24, None),
    ];
    for (program, p, back) in cases {
        let (mut cpu, mut bus) = ready::<NMOS>(p, program);
        // What PLP and RTI pull: flags with I clear, and an address.
        bus.memory[0x102..0x105].copy_from_slice(&[0x20, 0x33, 0x03]);
        cpu.requested(Requests { since: Some(0), channels: 0 });
        for _ in 0..3 {
            let limit = cpu.now + 1;
            cpu.run(&mut bus, &mut NoWatch, limit);
        }
        let pushed: Vec<u8> = bus.written.iter().map(|write| write.1).collect();
        let address = (pushed.len() >= 2).then(|| u16::from_be_bytes([pushed[0], pushed[1]]));
        assert_eq!(address, back, "{program:02X?}");
    }
}

#[test]
fn waits_and_stops_end_as_the_maker_says() {
    // WAI goes on after a request that is kept away, and into the routine of one that is not.
    for (p, goes_to) in [(0x24, 0x202), (0x20, 0x6000)] {
        let (mut cpu, mut bus) = ready::<C02>(p, &[0xCB, 0xEA]);
        assert_eq!(cpu.run(&mut bus, &mut NoWatch, 50), Exit::Halt);
        assert!(cpu.waits_at().is_some());
        cpu.requested(Requests { since: Some(20), channels: 0 });
        assert!(cpu.waits_at().is_none());
        until(&mut cpu, &mut bus, goes_to);
        assert!(cpu.now >= 22 && cpu.now < 40);
    }
    // STP, and what stops the NMOS part, end with a reset only.
    let (mut cpu, mut bus) = ready::<C02>(0x20, &[0xDB]);
    cpu.run(&mut bus, &mut NoWatch, 50);
    cpu.request("NMI");
    cpu.requested(Requests { since: Some(0), channels: 0 });
    assert!(
        cpu.waits_at().is_some() && matches!(cpu.run(&mut bus, &mut NoWatch, 60), Exit::Halt | Exit::Limit)
    );
    cpu.reset(|address| bus.memory[address as usize]);
    assert!(cpu.waits_at().is_none() && cpu.registers.pc == 0x5000 && cpu.registers.p & 4 != 0);
}

#[test]
fn a_pin_sets_the_overflow() {
    let (mut cpu, _) = ready::<NMOS>(0x20, &[]);
    cpu.request("SO");
    assert_eq!(cpu.registers.p, 0x60);
}

#[test]
fn what_has_stopped_the_processor_no_interrupt_ends() {
    // STP on the CMOS part, an undocumented opcode on the NMOS part.
    let mut bus = Flat::empty();
    (bus.memory[0x200], bus.memory[0x300]) = (0xDB, 0x02);
    let mut cmos = Cpu::<C02>::default();
    cmos.registers.pc = 0x200;
    let mut nmos = Cpu::<NMOSU>::default();
    nmos.registers.pc = 0x300;
    for input in ["NMI", "IRQ"] {
        cmos.request(input);
        nmos.request(input);
        cmos.run(&mut bus, &mut NoWatch, 100);
        nmos.run(&mut bus, &mut NoWatch, 100);
    }
    assert_eq!((cmos.registers.pc, nmos.registers.pc), (0x201, 0x301));
    assert!(cmos.waits_at().is_some() && nmos.waits_at().is_some());
}
