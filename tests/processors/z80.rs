//! The Z80: the executor against a second definition, the table against the executor, interrupts.

use crate::model::flat::Flat;
use crate::model::random::Random;
use crate::model::z80::{Flags, Model};
use plain_byte::processor::z80::{Cpu, Z80, Z80U};
use plain_byte::processor::{Exit, Flow, InstructionSet, NoWatch, Processor, Usage};

fn random_model(undocumented: bool, random: &mut Random) -> Model {
    let mut model = Model::new(undocumented, vec![0; 0x1_0000]);
    model.r = std::array::from_fn(|at| if at == 6 { 0 } else { random.number(8) as u8 });
    model.f = Flags::of(random.number(8) as u8);
    model.second = std::array::from_fn(|_| random.next() as u16);
    (model.ix, model.iy, model.sp) = (random.next() as u16, random.next() as u16, random.next() as u16);
    (model.pc, model.wz) = (random.next() as u16, random.next() as u16);
    (model.i, model.refresh) = (random.number(8) as u8, random.number(8) as u8);
    model.enabled = (false, random.next().is_multiple_of(2));
    model.flags_set = random.next().is_multiple_of(2);
    model.port_in = random.number(8) as u8;
    model
}

/// The processor in the model's state.
fn cpu_of<const U: bool>(model: &Model) -> Cpu<U> {
    let mut cpu = Cpu::<U>::default();
    for (place, value) in values(model).into_iter().enumerate() {
        cpu.set_register(place, value);
    }
    if model.flags_set {
        // An instruction that sets flags and nothing else: A is compared with itself, and the flags put back.
        let mut bus = Flat::new(vec![0xBF; 0x1_0000]);
        cpu.run(&mut bus, &mut NoWatch, 1);
        for (place, value) in values(model).into_iter().enumerate() {
            cpu.set_register(place, value);
        }
        cpu.set_counters(0, 0);
    }
    cpu
}

/// Every register by its place in the set's list.
fn values(model: &Model) -> [u64; 22] {
    let [b, c, d, e, h, l, _, a] = model.r.map(u64::from);
    let [af, bc, de, hl] = model.second.map(u64::from);
    let words = [model.ix, model.iy, model.sp, model.pc].map(u64::from);
    let [ix, iy, sp, pc] = words;
    let (first, second) = model.enabled;
    [
        a,
        model.f.byte().into(),
        b,
        c,
        d,
        e,
        h,
        l,
        ix,
        iy,
        sp,
        pc,
        af,
        bc,
        de,
        hl,
        model.i.into(),
        model.refresh.into(),
        first.into(),
        second.into(),
        model.mode.into(),
        model.wz.into(),
    ]
}

/// Executes one instruction on both and compares everything.
fn compare<const U: bool>(model: &mut Model, context: &dyn Fn() -> String) {
    let mut bus = Flat::new(model.memory.clone());
    bus.port_in = model.port_in;
    step_both::<U>(model, &mut bus, context);
    assert_eq!(bus.memory, model.memory, "memory after {}", context());
}

fn step_both<const U: bool>(model: &mut Model, bus: &mut Flat, context: &dyn Fn() -> String) {
    let mut cpu = cpu_of::<U>(model);
    let known = model.step();
    let exit = cpu.run(bus, &mut NoWatch, 1);
    assert_eq!(exit == Exit::Undefined, !known, "{}", context());
    if !known {
        return;
    }
    let found: Vec<u64> = (0..22).map(|place| cpu.register(place)).collect();
    let names = || Z80U.registers().iter().map(|one| one.name);
    let told = |values: &[u64]| -> Vec<String> {
        names().zip(values).map(|(name, value)| format!("{name}={value:X}")).collect()
    };
    let expected = values(model);
    assert_eq!(found, expected, "{}\n{:?}\n{:?}", context(), told(&found), told(&expected));
    assert_eq!(cpu.counters(), (model.states, 1), "time of {}", context());
    assert_eq!(bus.put_out, model.put_out, "{}", context());
    assert_eq!(cpu.waits_at().is_some(), model.halted, "{}", context());
}

fn every_opcode<const U: bool>() {
    let mut random = Random(11);
    let mut memory = vec![0; 0x1_0000];
    for (prefix, at) in [
        (&[][..], 0),
        (&[0xCB], 1),
        (&[0xED], 1),
        (&[0xDD], 1),
        (&[0xFD], 1),
        (&[0xDD, 0xCB, 0], 3),
        (&[0xFD, 0xCB, 0], 3),
    ] {
        for opcode in 0..=255u8 {
            for round in 0..48 {
                let mut model = random_model(U, &mut random);
                if round == 0 {
                    memory.fill_with(|| random.number(8) as u8);
                }
                model.memory.clone_from(&memory);
                if round % 4 == 0 {
                    // Where counts come to their end.
                    model.r[0] = (random.number(2)) as u8;
                    model.r[1] = (random.number(2)) as u8;
                }
                let mut cells = prefix.to_vec();
                cells.resize(at, random.number(8) as u8);
                cells.push(opcode);
                if cells.len() == 4 {
                    cells[2] = random.number(8) as u8;
                }
                for (offset, &cell) in cells.iter().enumerate() {
                    model.memory[usize::from(model.pc.wrapping_add(offset as u16))] = cell;
                }
                let state = values(&model);
                compare::<U>(&mut model, &|| format!("{cells:02X?} from {state:X?}"));
            }
        }
    }
}

#[test]
fn every_opcode_does_what_the_second_definition_says() {
    every_opcode::<false>();
    every_opcode::<true>();
}

#[test]
fn flags_are_right_for_every_pair_of_operands() {
    let mut model = Model::new(true, vec![0; 0x1_0000]);
    let mut bus = Flat::empty();
    let two = (0x80..=0xBF).step_by(8).map(|opcode| vec![opcode]);
    // Of one operand, for both carries: rotations, DAA, INC, DEC, NEG, shifts.
    let one = [0x07, 0x0F, 0x17, 0x1F, 0x27, 0x2F, 0x37, 0x3F, 0x3C, 0x3D].map(|opcode| vec![opcode]);
    let behind_cb = (0x07..=0x3F).step_by(8).chain([0x47, 0x7F]).map(|opcode| vec![0xCB, opcode]);
    let one = one.into_iter().chain(behind_cb).chain([vec![0xED, 0x44], vec![0xED, 0x6F], vec![0xED, 0x67]]);
    for (cells, pairs) in two.map(|cells| (cells, true)).chain(one.map(|cells| (cells, false))) {
        for (at, &cell) in cells.iter().enumerate() {
            (bus.memory[0x100 + at], model.memory[0x100 + at]) = (cell, cell);
        }
        for a in 0..=255u8 {
            for other in 0..=if pairs { 255 } else { 15u8 } {
                for carry in [false, true] {
                    model.r[7] = a;
                    model.r[0] = other;
                    (model.pc, model.states) = (0x100, 0);
                    // DAA looks at H and N, too.
                    model.f = Flags { c: carry, h: other & 1 != 0, n: other & 2 != 0, ..Flags::of(0) };
                    step_both::<true>(&mut model, &mut bus, &|| {
                        format!("{cells:02X?} of {a:02X}, {other:02X}")
                    });
                }
            }
        }
    }
}

/// What an instruction does to length, time and flags, as the table says and as the executor does it.
fn against_table<const U: bool>(set: &'static InstructionSet) {
    let mut random = Random(7);
    for found in set.every_opcode() {
        let row = found.row;
        let mut times = std::collections::BTreeSet::new();
        let mut ends = std::collections::BTreeSet::new();
        for round in 0..120u64 {
            let mut bus = Flat::empty();
            let cells = set.opcode_cells(found.value);
            for (at, &cell) in cells.iter().enumerate() {
                bus.memory[0x2000 + at] = cell as u8;
            }
            for at in cells.len()..row.cells() {
                bus.memory[0x2000 + at] = 0x34;
            }
            bus.memory[0x9000..0x9700].fill(random.number(8) as u8);
            let mut cpu = Cpu::<U>::default();
            cpu.set_register(1, random.next());
            for (place, value) in
                [(11, 0x2000), (10, 0x9004), (22, 0x9100 + round % 2), (23, 0x9300), (24, 0x9400)]
            {
                cpu.set_register(place, value + if place > 22 { random.number(7) } else { 0 });
            }
            cpu.set_register(2, [1, 2, 0x91][round as usize % 3]);
            cpu.set_register(3, [0, 1][round as usize % 2]);
            if round % 3 == 1 {
                cpu.set_register(2, 0);
            }
            cpu.set_register(8, 0x9500);
            cpu.set_register(9, 0x9600);
            cpu.set_register(0, random.number(8));
            let before = cpu.register(1);
            cpu.run(&mut bus, &mut NoWatch, 1);
            times.insert(cpu.counters().0);
            ends.insert(cpu.register(11));
            let wrong = crate::model::flat::wrong_flags(set, row, before, cpu.register(1));
            assert_eq!(wrong, Vec::<&str>::new(), "{} ({:X})", row.form(), found.value);
        }
        let timing = set.timing(row);
        let expected = [u64::from(timing.base), u64::from(timing.taken)].into();
        assert_eq!(times, expected, "times of {} ({:X}) on the {}", row.form(), found.value, set.name());
        let goes_away =
            matches!(row.flow, Flow::Jump | Flow::Call | Flow::Return | Flow::Indirect | Flow::Restart(_));
        assert!(ends.contains(&(0x2000 + row.cells() as u64)) != goes_away, "length of {}", row.form());
        assert_ne!(row.usage, Usage::Written);
    }
}

#[test]
fn the_table_tells_what_the_executor_does() {
    against_table::<false>(&Z80);
    against_table::<true>(&Z80U);
}

#[test]
fn programs_of_any_bytes_run_as_the_second_definition_runs_them() {
    let mut random = Random(23);
    for _ in 0..400 {
        let mut model = random_model(true, &mut random);
        model.memory.fill_with(|| random.number(8) as u8);
        let mut bus = Flat::new(model.memory.clone());
        bus.port_in = model.port_in;
        let mut cpu = cpu_of::<true>(&model);
        let state = values(&model);
        const LIMIT: u64 = 600;
        while model.states < LIMIT && !model.halted {
            model.step();
        }
        while cpu.counters().0 < LIMIT && cpu.waits_at().is_none() {
            cpu.run(&mut bus, &mut NoWatch, LIMIT);
        }
        let found: Vec<u64> = (0..22).map(|place| cpu.register(place)).collect();
        assert_eq!(found, values(&model), "from {state:X?}");
        assert_eq!((cpu.counters().0, &bus.put_out), (model.states, &model.put_out));
        assert_eq!(bus.memory, model.memory);
    }
}

/// Runs up to a cycle and tells PC, IFF1, IFF2 and the time.
fn at(cpu: &mut Cpu<false>, bus: &mut Flat, limit: u64) -> (u64, u64, u64, u64) {
    cpu.run(bus, &mut NoWatch, limit);
    (cpu.register(11), cpu.register(18), cpu.register(19), cpu.counters().0)
}

#[test]
fn interrupts_are_taken_as_the_manual_says() {
    let start = |program: &[u8]| {
        let mut bus = Flat::empty();
        bus.memory[0x100..0x100 + program.len()].copy_from_slice(program);
        let mut cpu = Cpu::<false>::default();
        cpu.set_register(10, 0x8000);
        cpu.set_register(11, 0x100);
        (cpu, bus)
    };
    // EI keeps a request away for one instruction more; the mode decides where it leads and how long that takes.
    for (mode, target, states) in [(0x46, 0x38, 13), (0x56, 0x38, 13), (0x5E, 0x1234, 19)] {
        // IM, EI, NOP, NOP
        let (mut cpu, mut bus) = start(&[0xED, mode, 0xFB, 0x00, 0x00]);
        cpu.set_register(16, 0x90);
        (bus.memory[0x90FF], bus.memory[0x9100]) = (0x34, 0x12);
        cpu.request("INT");
        assert_eq!(at(&mut cpu, &mut bus, 9), (0x103, 1, 1, 12));
        assert_eq!(at(&mut cpu, &mut bus, 13), (0x104, 1, 1, 16), "one more instruction");
        assert_eq!(at(&mut cpu, &mut bus, 17), (target, 0, 0, 16 + states));
        assert_eq!((bus.memory[0x7FFF], bus.memory[0x7FFE]), (0x01, 0x04));
        assert_eq!(
            cpu.register(17),
            5,
            "an opcode fetch for each of the instructions, two of a prefix, one more"
        );
    }
    // A non-maskable one comes at any time; RETN brings back what was.
    let (mut cpu, mut bus) = start(&[0xFB, 0x00, 0x00, 0x76]);
    (bus.memory[0x66], bus.memory[0x67]) = (0xED, 0x45);
    assert_eq!(at(&mut cpu, &mut bus, 8), (0x102, 1, 1, 8));
    cpu.request("NMI");
    assert_eq!(at(&mut cpu, &mut bus, 9), (0x66, 0, 1, 19));
    assert_eq!(at(&mut cpu, &mut bus, 20), (0x102, 1, 1, 33));
    // In a halt R goes on counting, and the way back leads after it.
    assert_eq!(at(&mut cpu, &mut bus, 1000), (0x104, 1, 1, 41));
    assert_eq!(cpu.waits_at(), Some(0x103));
    let before = cpu.register(17);
    cpu.set_counters(441, cpu.counters().1);
    cpu.request("INT");
    assert_eq!(at(&mut cpu, &mut bus, 442), (0x38, 0, 0, 454));
    assert_eq!((bus.memory[0x7FFE], cpu.register(17)), (0x04, (before + 101) & 0x7F));
    // With interrupts off it waits on.
    let (mut cpu, mut bus) = start(&[0xF3, 0x76]);
    cpu.request("INT");
    assert_eq!(at(&mut cpu, &mut bus, 100), (0x102, 0, 0, 8));
    assert_eq!(cpu.waits_at(), Some(0x101));
}

#[test]
fn the_program_counter_is_pushed_before_the_vector_is_read() {
    // IM 2, EI, NOP; the table is at 0FFFh, where the stack grows into it.
    let mut bus = Flat::empty();
    bus.memory[0x100..0x104].copy_from_slice(&[0xED, 0x5E, 0xFB, 0x00]);
    (bus.memory[0x0FFF], bus.memory[0x1000]) = (0x00, 0x56);
    let mut cpu = Cpu::<false>::default();
    for (place, value) in [(10, 0x1000), (11, 0x100), (16, 0x0F)] {
        cpu.set_register(place, value);
    }
    cpu.request("INT");
    cpu.run(&mut bus, &mut NoWatch, 17);
    // 0104h is pushed to 0FFFh and 0FFEh; its high byte is the low byte of the vector then.
    assert_eq!((bus.memory[0x0FFF], bus.memory[0x0FFE], cpu.register(11)), (0x01, 0x04, 0x5601));
}

#[test]
fn the_counting_may_begin_again_in_a_halt() {
    let mut bus = Flat::empty();
    bus.memory[0x100..0x102].copy_from_slice(&[0xFB, 0x76]);
    let mut cpu = Cpu::<false>::default();
    (cpu.engine.registers.sp, cpu.engine.registers.pc) = (0x8000, 0x100);
    assert_eq!(cpu.run(&mut bus, &mut NoWatch, 1000), Exit::Halt);
    let before = cpu.register(17);
    cpu.set_counters(48, 2);
    assert_eq!(cpu.register(17), before + 10, "it fetches again and again");
    cpu.restart();
    assert_eq!((cpu.counters(), cpu.register(17)), ((0, 0), before + 10));
    cpu.set_counters(8, 0);
    cpu.request("INT");
    cpu.run(&mut bus, &mut NoWatch, 9);
    assert_eq!((cpu.register(11), cpu.register(17), cpu.counters()), (0x38, before + 13, (21, 0)));
}
