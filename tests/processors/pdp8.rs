//! The PDP-8: the executor and the table against a second definition, for every word; its notation; interrupts and fields.

use crate::model::pdp8::{Outcome, State};
use crate::model::random::Random;
use plain_byte::assembler::{Assembly, Options, Texts, assemble};
use plain_byte::machine::{Board, Machine, Stopped, Watching};
use plain_byte::processor::pdp8::{Cpu, PDP8, Registers};
use plain_byte::processor::{Bus, Exit, Flow, NoWatch, Processor, decode};
use proptest::prelude::*;

/// All fields of memory; what is written and which device is reached is kept.
struct Core {
    memory: Vec<u16>,
    written: Vec<usize>,
    reached: Option<(u32, u32)>,
}

impl Bus for Core {
    type Cell = u16;
    const WATCHED: bool = false;
    const MAPPED: bool = false;

    fn fetch(&mut self, address: u32) -> u16 {
        self.memory[address as usize]
    }
    fn read(&mut self, address: u32, _: u64) -> u16 {
        self.memory[address as usize]
    }
    fn write(&mut self, address: u32, value: u16, _: u64) {
        self.written.push(address as usize);
        self.memory[address as usize] = value;
    }
    fn transfer(&mut self, device: u32, function: u32, value: u16, _: u64) -> (u16, bool) {
        self.reached = Some((device, function));
        (value, false)
    }
    fn attention(&self) -> bool {
        false
    }
}

fn registers(state: &State) -> Registers {
    Registers {
        lac: u16::from(state.link) << 12 | state.ac,
        mq: state.mq,
        pc: state.pc,
        field: state.field as u8,
        next_field: state.next_field as u8,
        data: state.data as u8,
        saved: state.saved as u8,
        switches: state.switches,
        steps: state.steps as u8,
        greater: state.greater,
        mode_b: state.mode_b,
        enabled: state.enabled,
        inhibit: state.inhibit,
    }
}

fn word(random: &mut Random) -> u16 {
    random.number(12) as u16
}

fn state(random: &mut Random) -> State {
    let bits = random.next();
    let field = (bits >> 20 & 7) as u16;
    // Sometimes where pointers count themselves up, and at the end of a field.
    let pc = match bits >> 40 & 7 {
        0 => (bits >> 43 & 0o17) as u16,
        1 => 0o7777,
        _ => word(random),
    };
    State {
        link: bits & 1 != 0,
        ac: word(random),
        mq: word(random),
        pc,
        field,
        // Another one than the field itself only where it was chosen.
        next_field: if bits & 32 == 0 { field } else { (bits >> 23 & 7) as u16 },
        data: (bits >> 26 & 7) as u16,
        saved: (bits >> 29 & 0o77) as u16,
        switches: word(random),
        steps: (bits >> 35 & 0o37) as u16,
        greater: bits & 4 != 0,
        mode_b: bits & 8 != 0,
        enabled: bits & 16 != 0,
        inhibit: bits & 32 != 0,
        memory: Vec::new(),
        written: Vec::new(),
    }
}

#[test]
fn every_word_does_what_the_handbook_says() {
    let mut random = Random(0x5EED_0F5E_A012_3456);
    let mut memory: Vec<u16> = (0..0o100000).map(|_| word(&mut random)).collect();
    let mut core = Core { memory: memory.clone(), written: vec![], reached: None };
    for instruction in 0..0o10000u16 {
        for _ in 0..40 {
            let mut state = state(&mut random);
            let at = usize::from(state.field) << 12 | usize::from(state.pc);
            let kept = memory[at];
            (memory[at], core.memory[at]) = (instruction, instruction);
            let mut cpu = Cpu::default();
            cpu.registers = registers(&state);
            let context = format!("{instruction:04o} from {:?}", cpu.registers);
            state.memory = memory;
            let outcome = state.step();
            let exit = cpu.run(&mut core, &mut NoWatch, 1);
            assert_eq!(cpu.registers, registers(&state), "{context}");
            let expected = match outcome {
                Outcome::Stopped => (Exit::Stop, None),
                Outcome::Undefined => (Exit::Undefined, None),
                Outcome::Device(device, function) => (Exit::Limit, Some((device, function))),
                Outcome::Done => (Exit::Limit, None),
            };
            let exit = if exit == Exit::Idle { Exit::Limit } else { exit };
            assert_eq!((exit, core.reached.take()), expected, "{context}");
            core.written.sort_unstable();
            state.written.sort_unstable();
            assert_eq!(core.written, state.written, "cells written by {context}");
            for at in core.written.drain(..) {
                assert_eq!(core.memory[at], state.memory[at], "cell {at:05o} after {context}");
            }
            memory = state.memory;
            (memory[at], core.memory[at]) = (kept, kept);
        }
    }
}

#[test]
fn length_time_and_flow_stand_in_the_table() {
    let mut random = Random(0x0B5E_55ED_5EA0_1234);
    let memory: Vec<u16> = (0..0o100000).map(|_| word(&mut random)).collect();
    for instruction in 0..0o10000u16 {
        let Some(row) = PDP8.row_of(instruction.into()) else { continue };
        for mode_b in [false, true] {
            let mut state = state(&mut random);
            (state.field, state.next_field, state.data, state.pc) = (2, 2, 2, 0o1000);
            (state.mode_b, state.inhibit) = (mode_b, false);
            let mut core = Core { memory: memory.clone(), written: vec![], reached: None };
            core.memory[0o21000] = instruction;
            let mut cpu = Cpu::default();
            cpu.registers = registers(&state);
            cpu.run(&mut core, &mut NoWatch, 1);
            let context = format!("{instruction:04o} {}", row.form());
            // What the arithmetic element does after the word depends on the mode, and its shifts on their count.
            let is_arithmetic = instruction & 0o7401 == 0o7401 && instruction & 0o56 != 0;
            if !is_arithmetic {
                let own_pointer = row.timing[0].page != 0 && instruction & 0o370 == 0o10;
                let more = if own_pointer { u64::from(row.timing[0].page) } else { 0 };
                assert_eq!(cpu.now, u64::from(row.timing[0].base) + more, "{context}");
                let next = 0o1000 + row.cells() as u16;
                let pc = cpu.registers.pc;
                match row.flow {
                    Flow::On | Flow::Enable => assert_eq!(pc, next, "{context}"),
                    Flow::Skip | Flow::Stop => assert!([next, next + 1].contains(&pc), "{context}"),
                    Flow::SkipAlways => assert_eq!(pc, next + 1, "{context}"),
                    _ => {}
                }
            }
            if row.flags[0] == "-" && !is_arithmetic {
                assert_eq!(cpu.registers.lac >> 12 == 1, state.link, "the link after {context}");
            }
        }
    }
}

fn built(source: &str) -> Assembly {
    assemble("test", &mut Texts::one("test", source), &Options::default().set(&PDP8))
}

fn cells(source: &str) -> Vec<u64> {
    let assembly = built(source);
    assert!(assembly.succeeded(), "{source}: {:?}", assembly.diagnostics);
    assembly.image.segments().iter().flat_map(|segment| segment.cells.clone()).collect()
}

#[test]
fn operations_stand_together_as_the_handbook_writes_them() {
    let cases: &[(&str, &[u64])] = &[
        ("cla cll", &[0o7300]),
        ("cll cla iac rtl", &[0o7307]),
        ("cma cml", &[0o7060]),
        ("cla cll cml ral", &[0o7324]),
        ("cll cia", &[0o7141]),
        ("sta cll rar", &[0o7350]),
        ("sma sza snl cla", &[0o7760]),
        ("spa sna szl", &[0o7570]),
        ("skp cla", &[0o7610]),
        ("cla hlt", &[0o7602]),
        ("cla osr hlt", &[0o7606]),
        ("las", &[0o7604]),
        ("cla mql", &[0o7621]),
        ("mqa mql", &[0o7521]),
        ("cla swp", &[0o7721]),
        ("mql muy 5", &[0o7425, 5]),
        ("cla mql dad 300", &[0o7663, 0o300]),
        ("sca nmi", &[0o7451]),
        ("cdi 70", &[0o6273]),
        ("iot 33, 7", &[0o6337]),
        ("tad z 20", &[0o1020]),
        ("tad i z 20", &[0o1420]),
        ("dca i 207", &[0o3607]),
    ];
    for (text, expected) in cases {
        assert_eq!(cells(&format!("        org 200\n        {text}\n")), *expected, "{text}");
    }
}

#[test]
fn mistakes_are_told_with_the_reason() {
    let cases = [
        (
            "rar ral",
            "RAL does not go together with what stands before it",
            "the accumulator goes one way only",
        ),
        ("cla iac sma", "SMA is of operate group 2 and CLA of", "write two instructions"),
        ("iac sma", "SMA is of operate group 2 and IAC of operate group 1", "write two instructions"),
        ("sma spa", "SPA does not go together", "one bit turns all tests round"),
        ("skp sza", "SZA does not go together", "SKP always"),
        ("shl lsr 3", "LSR does not go together", "one operation of the arithmetic element a word"),
        ("cla cla", "CLA does not go together", ""),
        ("cdf 1", "does not fit where a number of the bits 70", ""),
        ("cdf 100", "does not fit", ""),
        ("tad z 200", "00200 is not in page zero", "leave Z out"),
        (
            "tad i 700",
            "00700 is neither in page zero nor in the page from 00200 on",
            "I goes through one cell",
        ),
        ("tad 10200", "10200 is in another memory field", "choose the field with CDF or CIF"),
        ("dw 10000", "4096 (octal 10000) does not fit where a word is wanted", "octal -4000 to 7777"),
        ("tad #10000", "4096 does not fit into a cell", "a literal takes"),
        ("muy 10000", "does not fit where a 12-bit number", ""),
        ("jmp 100000", "32768 is not an address", "77777"),
        ("links maybe", "`links` wants `on` or `off`", ""),
        ("mql muy", "a 12-bit number is missing", "next cell"),
        ("org 100000", "32768 is not an address", "77777"),
    ];
    for (text, message, help) in cases {
        let assembly = built(&format!("        org 200\n        {text}\n"));
        let found = assembly.diagnostics.iter().find(|one| one.message.contains(message));
        let found = found.unwrap_or_else(|| panic!("{text}: {:?}", assembly.diagnostics));
        assert!(found.help.contains(help), "{text}: {}", found.help);
    }
    let off = built("        links off\n        org 200\n        jmp 600\n");
    assert!(off.diagnostics[0].help.contains("links on"), "{:?}", off.diagnostics);
}

#[test]
fn literals_and_links_stand_once_at_the_end_of_their_page() {
    let source = "        org 200\n        tad #7\n        tad #far\n        jms far\n        jmp far\n        tad #7\n        tad z #5\n        org 400\nfar:    dw 0\n        tad #7\n";
    let assembly = built(source);
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let pool: Vec<(u32, u64)> = assembly.pool.iter().map(|cell| (cell.address, cell.value)).collect();
    assert_eq!(pool, [(0o177, 5), (0o376, 0o400), (0o377, 7), (0o577, 7)]);
    let code = assembly.image.cells_at(0o200, 6);
    assert_eq!(code, [0o1377, 0o1376, 0o4776, 0o5776, 0o1377, 0o1177]);
    // Each literal is reached, whatever its own bits are.
    let values = [0o60, 0o7, 0o7770, 0o15, 0o377, 0o200];
    let lines: String = values.iter().map(|value| format!("        tad #{value:o}\n")).collect();
    let each = built(&format!("        org 400\n{lines}"));
    for (at, value) in (0o400..).zip(values) {
        let word = each.image.cells_at(at, 1)[0];
        let address = 0o400 + (word & 0o177) as u32;
        assert_eq!((word & 0o7600, each.image.cells_at(address, 1)[0]), (0o1200, value), "{word:o}");
    }
    // A full page has no room; cells that the program reserves are taken.
    let full = built("        org 200\n        tad #7\n        ds 177\n");
    assert_eq!(full.diagnostics[0].code, "page-full");
    let last = built("        org 200\n        tad #7\n        ds 176\n");
    assert_eq!(last.pool[0].address, 0o377);
}

#[test]
fn blocks_without_labels_are_skips_with_jumps() {
    let source = "        org 200\n        cycle\n        iac\n        leave mi\n        endcycle\n        when z\n        iac\n        otherwise\n        cma\n        endwhen\n        hlt\n";
    let expected = [0o7001, 0o7510, 0o5204, 0o5200, 0o7440, 0o5210, 0o7001, 0o5211, 0o7040, 0o7402];
    assert_eq!(cells(source), expected);
    // A block that reaches into the next page jumps through the pool.
    let long = "        org 200\n        when nz\n        copies 170\n        nop\n        endcopies\n        org 400\n        nop\n        endwhen\n        hlt\n";
    let assembly = built(long);
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    assert_eq!(assembly.image.cells_at(0o200, 2), [0o7450, 0o5777]);
    assert_eq!(assembly.image.cells_at(0o377, 1), [0o401]);
    for condition in ["z", "eq", "nz", "ne", "mi", "m", "pl", "p", "l", "nl", "zl"] {
        let assembly = built(&format!("        org 200\n        cycle\n        endcycle {condition}\n"));
        assert!(assembly.succeeded(), "{condition}: {:?}", assembly.diagnostics);
    }
}

fn machine(source: &str) -> Machine {
    let assembly = built(source);
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let mut machine = Machine::new(&Board::bare(&PDP8)).expect("it can be run");
    machine.load(&assembly.image).expect("it fits");
    machine.set_register(PDP8.register("PC").expect("it has one"), 0o200);
    machine
}

fn value(machine: &Machine, name: &str) -> u64 {
    machine.register(PDP8.register(name).expect("it has one"))
}

#[test]
fn interrupts_wait_for_one_more_instruction_and_for_the_jump_behind_a_change_of_field() {
    // The routine keeps the accumulator, so that it tells how far the program came.
    let routine = "        org 1\n        hlt\n        org 200\n";
    let cases = [
        ("        ion\n        iac\n        iac\n        hlt\n", 1, 0o202, 0),
        (
            "        ion\n        cif 10\n        iac\n        iac\n        jmp 210\n        org 10210\n        iac\n",
            2,
            0o210,
            0o10,
        ),
        ("        iac\n        iac\n        hlt\n", 2, 0, 0),
    ];
    for (program, ac, back, saved) in cases {
        let mut machine = machine(&format!("{routine}{program}"));
        assert!(machine.happen(0, plain_byte::machine::Event::Interrupt("INT".to_string())));
        assert_eq!(machine.run(10_000, Watching::Nothing), Stopped::Stop);
        assert_eq!((value(&machine, "AC"), machine.cell(0)), (ac, back), "{program}");
        assert_eq!(value(&machine, "SF"), saved, "{program}");
        assert_eq!(value(&machine, "ION"), 0);
    }
}

#[test]
fn a_stop_goes_on_where_the_operator_continues() {
    let mut machine =
        machine("        org 200\n        iac\n        hlt\n        iac\n        hlt\n        jmp $\n");
    assert_eq!(machine.run(1_000_000, Watching::Nothing), Stopped::Stop);
    assert_eq!((value(&machine, "AC"), machine.halted_at()), (1, Some(0o201)));
    assert_eq!(machine.run(1_000_000, Watching::Nothing), Stopped::Stop);
    assert_eq!((value(&machine, "AC"), machine.halted_at()), (2, Some(0o203)));
    assert_eq!(machine.run(1_000_000, Watching::Nothing), Stopped::Endless);
}

proptest! {
    /// Whatever stands in memory, decoding takes its cells and names addresses that exist.
    #[test]
    fn decoding_stays_within_memory(words in proptest::collection::vec(0u64..0o10000, 1..4), at in 0u32..0o100000) {
        if let Ok(Some(decoded)) = decode(&PDP8, &words, at) {
            prop_assert!(decoded.cells() <= words.len());
            prop_assert!(decoded.operands[0] < 0o100000);
        }
    }

    /// A program put anywhere in a page reaches the same cells, or the assembler says why not.
    #[test]
    fn a_reference_reaches_its_cell(page in 0u64..32, offset in 0u64..0o170, target in 0u64..0o10000, field in 0u64..8) {
        let at = field << 12 | page << 7 | offset;
        let assembly = built(&format!("        org {at:o}\n        tad {:o}\n        hlt\n", field << 12 | target));
        prop_assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
        let first = assembly.image.cells_at(at as u32, 1)[0];
        let decoded = decode(&PDP8, &[first], at as u32).unwrap().unwrap();
        let reached = match first & 0o400 {
            0 => decoded.operands[0],
            _ => field << 12 | assembly.image.cells_at(decoded.operands[0] as u32, 1)[0],
        };
        prop_assert_eq!(reached, field << 12 | target);
    }
}
