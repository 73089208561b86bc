//! The 8080 and 8085: the executor against a second definition, the table against the executor, encoding against
//! decoding.

use crate::model::flat::Flat;
use crate::model::i8080::{Chip, Model};
use crate::model::random::Random;
use plain_byte::machine::{Board, Machine, Stopped, Watching};
use plain_byte::processor::i8080::{Cpu, I80, I85, Registers, U85};
use plain_byte::processor::{
    ALL, Exit, InstructionSet, LONGEST, NoWatch, Processor, Shape, Usage, decode, encode,
};
use proptest::prelude::*;

fn registers(model: &Model) -> Registers {
    let [b, c, d, e, h, l, _, a] = model.r;
    Registers { a, f: model.flag_byte(), b, c, d, e, h, l, sp: model.sp, pc: model.pc }
}

fn random_model(chip: Chip, random: &mut Random) -> Model {
    let mut model = Model {
        chip,
        r: std::array::from_fn(|at| if at == 6 { 0 } else { random.number(8) as u8 }),
        sign: false,
        zero: false,
        half: false,
        parity: false,
        carry: false,
        overflow: false,
        x5: false,
        sp: random.next() as u16,
        pc: random.next() as u16,
        memory: vec![0; 0x1_0000],
        port_in: random.number(8) as u8,
        written: vec![],
        enabled: random.next().is_multiple_of(2),
        halted: false,
        states: 0,
    };
    model.set_flag_byte(random.number(8) as u8);
    model
}

/// Executes one instruction on both and compares everything but memory.
fn compare<const CHIP: u8>(model: &mut Model, bus: &mut Flat) {
    let mut cpu = Cpu::<CHIP>::default();
    cpu.registers = registers(model);
    cpu.interrupts.enabled = model.enabled;
    bus.port_in = model.port_in;
    let before = registers(model);
    let opcode = bus.memory[usize::from(before.pc)];
    let known = model.step();
    let exit = cpu.run(bus, &mut NoWatch, 1);
    let context = || format!("opcode {opcode:02X} on {:?} from {before:X?}", model.chip);
    assert_eq!(exit == Exit::Undefined, !known, "{}", context());
    if known {
        assert_eq!(cpu.registers, registers(model), "{}", context());
        assert_eq!(cpu.now, model.states, "T-states of {}", context());
        assert_eq!(cpu.halted, model.halted, "{}", context());
        assert_eq!(cpu.interrupts.enabled, model.enabled, "{}", context());
        assert_eq!(bus.put_out, model.written, "{}", context());
    } else {
        assert_eq!((cpu.registers, cpu.now), (before, 0), "{}", context());
    }
}

fn every_opcode<const CHIP: u8>(chip: Chip, rounds: u32) {
    let mut random = Random(0x1234_5678_9ABC_DEF1);
    let start: Vec<u8> = (0..0x1_0000).map(|_| random.number(8) as u8).collect();
    for opcode in 0..=255u8 {
        for _ in 0..rounds {
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
    every_opcode::<I80>(Chip::I8080, 40);
    every_opcode::<I85>(Chip::I8085, 40);
    every_opcode::<U85>(Chip::U8085, 40);
}

/// Every arithmetic and logic instruction with every pair of operands and both carries.
fn every_operand<const CHIP: u8>(chip: Chip) {
    let mut random = Random(99);
    let mut model = random_model(chip, &mut random);
    model.pc = 0x100;
    let mut bus = Flat::empty();
    let two_operands = (0x80..0xC0u8).step_by(8);
    let one_operand = [0x07, 0x0F, 0x17, 0x1F, 0x27, 0x2F, 0x37, 0x3F, 0x3C, 0x3D];
    for opcode in two_operands.chain(one_operand) {
        bus.memory[0x100] = opcode;
        model.memory[0x100] = opcode;
        let others = if opcode >= 0x80 { 0..=255u8 } else { 0..=1 };
        for a in 0..=255u8 {
            for other in others.clone() {
                for carry in [false, true] {
                    (model.pc, model.states) = (0x100, 0);
                    model.r[7] = a;
                    model.r[0] = other;
                    model.carry = carry;
                    // DAA looks at the auxiliary carry, which the second operand stands for there.
                    model.half = other & 1 == 1;
                    compare::<CHIP>(&mut model, &mut bus);
                }
            }
        }
    }
}

#[test]
fn flags_are_right_for_every_pair_of_operands() {
    every_operand::<I80>(Chip::I8080);
    every_operand::<I85>(Chip::I8085);
    every_operand::<U85>(Chip::U8085);
}

/// What an instruction does to length, time and flags, as the table says and as the executor does it.
fn against_table<const CHIP: u8>(set: &'static InstructionSet) {
    let mut random = Random(7);
    for opcode in 0..=255u8 {
        let Some(row) = set.row_of(opcode.into()) else { continue };
        let mut times = std::collections::BTreeSet::new();
        let mut lengths = std::collections::BTreeSet::new();
        for _ in 0..200 {
            let mut bus = Flat::empty();
            // Away from each other, so that nothing the instruction writes is the instruction.
            bus.memory[0x2000] = opcode;
            (bus.memory[0x2001], bus.memory[0x2002]) = (0x34, 0x92);
            bus.memory[0x9000..0x9010].fill(random.number(8) as u8);
            let mut cpu = Cpu::<CHIP>::default();
            cpu.set_register(13, random.next());
            cpu.registers = Registers { pc: 0x2000, sp: 0x9004, b: 0x91, d: 0x93, h: 0x94, ..cpu.registers };
            cpu.registers.l = random.number(8) as u8;
            cpu.registers.c = random.number(8) as u8;
            let before = cpu.register(1);
            cpu.run(&mut bus, &mut NoWatch, 1);
            times.insert(cpu.now);
            lengths.insert(cpu.registers.pc);
            let wrong = crate::model::flat::wrong_flags(set, row, before, cpu.register(1));
            assert_eq!(wrong, Vec::<&str>::new(), "{} ({opcode:02X}) on the {}", row.form(), set.name());
        }
        let timing = set.timing(row);
        let expected = [u64::from(timing.base), u64::from(timing.taken)].into();
        assert_eq!(times, expected, "times of {} ({opcode:02X}) on the {}", row.form(), set.name());
        let falls_through = lengths.contains(&(0x2000 + row.cells() as u16));
        let always_goes = ["JMP", "CALL", "RET", "RST", "PCHL"].contains(&row.mnemonic);
        assert!(falls_through != always_goes, "length of {} ({opcode:02X})", row.form());
    }
}

#[test]
fn the_table_tells_what_the_executor_does() {
    against_table::<I80>(&plain_byte::processor::i8080::I8080);
    against_table::<I85>(&plain_byte::processor::i8080::I8085);
    against_table::<U85>(&plain_byte::processor::i8080::I8085U);
}

#[test]
fn every_pattern_decodes_encodes_and_reads_back() {
    for set in ALL {
        for found in set.every_opcode() {
            let row = found.row;
            let mut cells = set.opcode_cells(found.value);
            if set.table.opcodes.shift > 0 {
                // Bits that the index does without are those of an address.
                cells[0] |= (found.value * 0o4321) & ((1 << set.table.opcodes.shift) - 1);
            }
            let opcode_cells = cells.len();
            cells.extend([0xA5, 0x3C, 0x5A, 0x12]);
            cells.truncate(row.cells());
            for short in 0..row.cells() {
                let missing = decode(set, &cells[..short], 0x200).map(|_| ()).map_err(|error| error.missing);
                // What is missing of the opcode is told first.
                let told = if short < opcode_cells {
                    1..=row.cells() - short
                } else {
                    row.cells() - short..=row.cells() - short
                };
                assert!(
                    matches!(missing, Err(missing) if told.contains(&missing)),
                    "{} {short}: {missing:?}",
                    row.form()
                );
            }
            let decoded = decode(set, &cells, 0x200).expect("it is whole").expect("it has a row");
            let mut out = [0; LONGEST];
            let count = encode(decoded.row, 0x200, &decoded.operands[..row.operands.len()], &mut out);
            assert_eq!(decoded.cells(), cells.len());
            // Its text assembles to the same cells.
            if row.usage == Usage::Found {
                continue;
            }
            assert_eq!(out[..count], cells[..], "{}", row.form());
            // There may be a shorter way to say it.
            if decoded.encoded(&mut [0; LONGEST]) != &cells[..] {
                continue;
            }
            let options = plain_byte::assembler::Options::default().set(set).origin(0x200);
            let text = format!("        {}\n", decoded.text(set, &|_| None));
            let mut texts = plain_byte::assembler::Texts::one("line.asm", text.clone());
            let assembly = plain_byte::assembler::assemble("line.asm", &mut texts, &options);
            assert!(assembly.succeeded(), "{text}: {:?}", assembly.diagnostics);
            assert_eq!(assembly.image.segments()[0].cells, cells, "{text}");
        }
        let found = set.own_rows().filter(|row| row.usage != Usage::Written);
        if set.is_word_machine() || set.table.opcodes.operand.is_some() {
            // A row that stands after others still has words of its own.
            for row in found {
                let own = set.every_opcode().any(|one| std::ptr::eq(one.row, row));
                assert!(own, "{} {:o}", row.form(), row.value);
            }
            continue;
        }
        // What is only found takes what others leave, so it is not counted by its fields.
        let by_fields: u64 = found.filter(|row| row.usage != Usage::Found).map(opcodes).sum();
        let by_opcodes = set.every_opcode().filter(|one| one.row.usage != Usage::Found).count() as u64;
        let prefixes = set.own_rows().filter(|row| row.mnemonic == "PREFIX").count() as u64;
        assert_eq!(by_fields - prefixes, by_opcodes, "{}", set.name());
    }
}

/// How many first cells a row covers.
fn opcodes(row: &plain_byte::processor::Row) -> u64 {
    row.operands.iter().map(|shape| field_of(*shape)).product()
}

fn field_of(shape: Shape) -> u64 {
    match shape {
        Shape::Within(within) => field_of(within.inner),
        Shape::Vector => 8,
        Shape::Name { names, .. } | Shape::Indexed { names, .. } => {
            names.list.iter().filter(|name| !name.is_empty()).count() as u64
        }
        Shape::Digit { last, .. } => u64::from(last) + 1,
        _ => 1,
    }
}

#[test]
fn the_rows_of_a_mnemonic_stand_together_and_belong_to_the_same_processors() {
    for set in ALL {
        for row in set.own_rows().filter(|row| !matches!(row.usage, Usage::Found | Usage::Combined)) {
            let packed = plain_byte::processor::pack(row.mnemonic).expect("a short mnemonic");
            let (range, own) = set.table.mnemonics.rows(packed).expect("it is found");
            let mut rows = set.rows()[range].iter().enumerate();
            assert!(rows.any(|(at, other)| other == row && own >> at & 1 == 1), "{}", row.form());
            // The undocumented flags of the 8085 and of the Z80 have no column.
            let documented = match set.name() {
                "8085u" => 5,
                "z80u" => 6,
                _ => set.flags().len(),
            };
            assert_eq!(set.flag_effect(row).len(), documented, "{}", row.form());
        }
    }
}

proptest! {
    #[test]
    fn decoding_anything_takes_at_least_a_cell(cells in proptest::collection::vec(0u64..=255, 1..8)) {
        for set in ALL {
            if let Ok(Some(decoded)) = decode(set, &cells, 0xFFFE) {
                let longest = set.longest() + usize::from(decoded.suffix.is_some());
                prop_assert!((1..=longest.min(cells.len())).contains(&decoded.cells()));
                prop_assert!(!decoded.text(set, &|_| None).is_empty());
            }
        }
    }
}

/// Which requests are taken, in which order, for every mask and every set of pending requests.
#[test]
fn every_set_of_requests_is_taken_in_the_makers_order() {
    use plain_byte::processor::i8080::Input;
    // In the order of priority: the input, its bit in the masks, where it leads.
    let inputs = [
        (Input::Trap, None, 0x24),
        (Input::Rst75, Some(4u8), 0x3C),
        (Input::Rst65, Some(2), 0x34),
        (Input::Rst55, Some(1), 0x2C),
        (Input::Intr, None, 0x18),
    ];
    for masks in 0..8u8 {
        for requests in 0..32u8 {
            for enabled in [false, true] {
                let mut cpu = Cpu::<I85>::default();
                (cpu.interrupts.masks, cpu.interrupts.enabled) = (masks, enabled);
                cpu.registers.sp = 0x8000;
                cpu.interrupts.sent = 0xDF;
                for (at, (input, ..)) in inputs.iter().enumerate() {
                    if requests >> at & 1 == 1 {
                        cpu.interrupts.request(*input);
                    }
                }
                let open = |(at, (input, mask, _)): &(usize, &(Input, Option<u8>, u16))| {
                    let asked = requests >> at & 1 == 1;
                    let allowed = *input == Input::Trap || enabled;
                    asked && allowed && mask.is_none_or(|mask| masks & mask == 0)
                };
                let expected = inputs.iter().enumerate().find(open).map(|(_, row)| row.2);
                // A memory full of NOPs: without an interrupt one of them is executed.
                let mut bus = Flat::empty();
                cpu.run(&mut bus, &mut NoWatch, 1);
                let context = format!("masks {masks:03b}, requests {requests:05b}, enabled {enabled}");
                match expected {
                    Some(vector) => {
                        assert_eq!(
                            (cpu.registers.pc, cpu.now, cpu.registers.sp),
                            (vector, 12, 0x7FFE),
                            "{context}"
                        );
                        assert!(!cpu.interrupts.enabled, "{context}");
                    }
                    None => {
                        assert_eq!((cpu.registers.pc, cpu.now, cpu.registers.sp), (1, 4, 0x8000), "{context}")
                    }
                }
            }
        }
    }
}

/// Where no instruction stands nothing is executed, and nothing has changed: no register, no count, no time.
#[test]
fn what_is_no_instruction_changes_nothing() {
    for set in ALL {
        let mut machine = Machine::new(&Board::bare(set)).expect("it runs");
        let starts: Vec<Vec<u64>> = match set.cell_bits() {
            8 => (0..0x1_0000u64).map(|two| vec![two >> 8, two & 0xFF, 0x05, 0x31]).collect(),
            bits => (0..0x1000u64).map(|high| vec![high << (bits - 12) | high & 0o777]).collect(),
        };
        let mut tried = 0;
        for cells in starts {
            let mut all = cells.clone();
            all.resize(LONGEST, 0);
            if !matches!(decode(set, &all, 0x100), Ok(None)) {
                continue;
            }
            cells.iter().zip(0x100..).for_each(|(&cell, at)| _ = machine.put(at, cell));
            machine.set_place(0x100);
            let state = |machine: &Machine| -> (Vec<u64>, u64, u64) {
                let registers = (0..set.registers().len()).map(|place| machine.register(place)).collect();
                (registers, machine.cycles(), machine.instructions())
            };
            let before = state(&machine);
            let stopped = machine.run(before.1 + 1, Watching::Nothing);
            if stopped == Stopped::Undefined {
                assert_eq!(state(&machine), before, "{cells:X?} of the {}", set.name());
                tried += 1;
            }
        }
        // Some do something with every code.
        let has_all = matches!(set.name(), "8085u" | "6502u" | "65c02" | "z80u");
        assert_eq!(tried == 0, has_all, "{tried} of the {}", set.name());
    }
}
