//! Whole programs: the bench workloads and the firmware's timing, held against answers found another way.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::{Board, Event, Machine, Stopped, Watching};
use plain_byte::processor::find;
use plain_byte::session::{Limits, Session, Stop};

const SIEVE: &str = include_str!("../../benches/programs/sieve.asm");
const CRC32: &str = include_str!("../../benches/programs/crc32.asm");
const SORT: &str = include_str!("../../benches/programs/sort.asm");
const SIEVE_6502: &str = include_str!("../../benches/programs/sieve-6502.asm");
const CRC32_6502: &str = include_str!("../../benches/programs/crc32-6502.asm");
const SORT_6502: &str = include_str!("../../benches/programs/sort-6502.asm");
const SIEVE_8086: &str = include_str!("../../benches/programs/sieve-8086.asm");
const CRC32_8086: &str = include_str!("../../benches/programs/crc32-8086.asm");
const SORT_8086: &str = include_str!("../../benches/programs/sort-8086.asm");
const SIEVE_PDP8: &str = include_str!("../../benches/programs/sieve-pdp8.asm");
const CRC24_PDP8: &str = include_str!("../../benches/programs/crc24-pdp8.asm");
const SIEVE_PDP10: &str = include_str!("../../benches/programs/sieve-pdp10.asm");
const CRC32_PDP10: &str = include_str!("../../benches/programs/crc32-pdp10.asm");
const SORT_PDP10: &str = include_str!("../../benches/programs/sort-pdp10.asm");
const SORT_PDP8: &str = include_str!("../../benches/programs/sort-pdp8.asm");

/// A program for every processor that has one of its own.
fn every(
    i8080: &'static str,
    mos6502: &'static str,
    i8086: &'static str,
) -> impl Iterator<Item = (&'static str, &'static str)> {
    let intel = ["8080", "8085", "8085u"].map(|cpu| (cpu, i8080));
    let with_mos = intel.into_iter().chain(["6502", "65c02", "6502u"].map(|cpu| (cpu, mos6502)));
    with_mos.chain(["8086", "8088", "8086u"].map(|cpu| (cpu, i8086)))
}

/// Runs a program to its end and returns the machine.
fn ran(cpu: &str, source: &str) -> Machine {
    let set = find(cpu).expect("a known processor");
    let assembly = assemble("program", &mut Texts::one("program", source), &Options::default());
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let mut machine = Machine::new(&Board::bare(set)).expect("a machine");
    machine.load(&assembly.image).expect("it fits");
    let start = assembly.image.start().expect("a start");
    machine.set_place(start);
    if let Some(stack) = set.register("SP") {
        machine.set_register(stack, 0xF000);
    }
    let stopped = machine.run(u64::MAX, Watching::Nothing);
    assert!(matches!(stopped, Stopped::Halt | Stopped::Stop | Stopped::Endless), "{stopped:?}");
    machine
}

fn word(machine: &Machine, source: &str, name: &str) -> u32 {
    let assembly = assemble("program", &mut Texts::one("program", source), &Options::default());
    let at = assembly.symbols.value(name).expect(name) as u32;
    (0..4).fold(0, |word, byte| word | (machine.cell(at + byte) as u32) << (8 * byte))
}

#[test]
fn the_sieve_finds_the_primes() {
    let primes = (2u32..8192).filter(|&number| {
        (2..number).take_while(|step| step * step <= number).all(|step| number % step != 0)
    });
    let expected = primes.count() as u32;
    for (cpu, source) in every(SIEVE, SIEVE_6502, SIEVE_8086) {
        let machine = ran(cpu, source);
        assert_eq!(word(&machine, source, "found") & 0xFFFF, expected, "{cpu}");
    }
}

#[test]
fn the_checksum_is_the_one_that_everybody_computes() {
    let mut crc = u32::MAX;
    for at in 0..2048u32 {
        crc ^= (at * 7) & 0xFF;
        for _ in 0..8 {
            crc = if crc & 1 == 1 { crc >> 1 ^ 0xEDB8_8320 } else { crc >> 1 };
        }
    }
    for (cpu, source) in every(CRC32, CRC32_6502, CRC32_8086) {
        let machine = ran(cpu, source);
        assert_eq!(word(&machine, source, "crc"), !crc, "{cpu}");
    }
}

#[test]
fn the_sort_sorts_and_each_chip_takes_its_own_time() {
    let mut times = Vec::new();
    for cpu in ["8080", "8085"] {
        let machine = ran(cpu, SORT);
        let cells: Vec<u64> = (0x2000..0x2000 + 250).map(|at| machine.cell(at)).collect();
        assert_eq!(cells, (1..=250).collect::<Vec<u64>>());
        times.push((machine.instructions(), machine.cycles()));
    }
    assert_eq!(times[0].0, times[1].0, "the same instructions");
    for (cpu, source) in [("6502", SORT_6502), ("8086", SORT_8086)] {
        let other = ran(cpu, source);
        let cells = (0x2000..0x2000 + 250).map(|at| other.cell(at));
        assert!(cells.eq(1..=250), "{cpu}");
    }
    // The pass of n pairs, all of them exchanged, counted by hand from the makers' tables.
    let passes: u64 = (1..=249).sum();
    let pair_8080 = 7 + 5 + 7 + 10 + 10 + 7 + 7 + 5 + 7 + 5 + 5 + 5 + 10;
    let pair_8085 = 7 + 6 + 7 + 7 + 7 + 7 + 7 + 6 + 7 + 6 + 4 + 4 + 10;
    let around = |pass: u64, make: u64, ends: u64| 249 * pass + 250 * make + ends;
    let pass_8080 = 10 + 5 + 7 + 5 + 4 + 10 + 5 + 10;
    let pass_8085 = 10 + 4 + 7 + 4 + 4 + 7 + 4 + 10;
    assert_eq!(times[0].1, passes * pair_8080 + around(pass_8080, 7 + 5 + 5 + 10, 10 + 7 + 7 + 7));
    // On the 8085 a jump that is not taken is three states shorter: the last of each loop.
    assert_eq!(
        times[1].1,
        passes * pair_8085 - 249 * 3 + around(pass_8085, 7 + 6 + 4 + 10, 10 + 7 + 7 + 5) - 3 - 3
    );
}

/// The 12-bit machine starts where its programs say, and has the same three jobs in its own sizes.
#[test]
fn the_12_bit_machine_sieves_sums_and_sorts() {
    let cell = |machine: &Machine, source: &str, name: &str| {
        let assembly = assemble("program", &mut Texts::one("program", source), &Options::default());
        machine.cell(assembly.symbols.value(name).expect(name) as u32)
    };
    let prime = |number: &u32| {
        (2..*number).take_while(|step| step * step <= *number).all(|step| !number.is_multiple_of(step))
    };
    assert_eq!(cell(&ran("pdp8", SIEVE_PDP8), SIEVE_PDP8, "found"), (2..2048).filter(prime).count() as u64);
    let mut crc = 0xB7_04CE_u32;
    for at in 0..512u32 {
        crc ^= ((at * 7) & 0xFF) << 16;
        for _ in 0..8 {
            crc = if crc & 0x80_0000 == 0 { crc << 1 } else { crc << 1 ^ 0x186_4CFB };
        }
    }
    let machine = ran("pdp8", CRC24_PDP8);
    let halves = ["upper", "lower"].map(|name| cell(&machine, CRC24_PDP8, name) as u32);
    assert_eq!(halves[0] << 12 | halves[1], crc);
    let machine = ran("pdp8", SORT_PDP8);
    let cells: Vec<u64> = (0o2000..0o2000 + 250).map(|at| machine.cell(at)).collect();
    assert_eq!(cells, (1..=250).collect::<Vec<u64>>());
}

/// The 36-bit machine has a byte pointer for the bytes of the checksum, and words for the rest.
#[test]
fn the_36_bit_machine_sieves_sums_and_sorts() {
    let value = |machine: &Machine, source: &str, name: &str| {
        let assembly = assemble("program", &mut Texts::one("program", source), &Options::default());
        machine.cell(assembly.symbols.value(name).expect(name) as u32)
    };
    assert_eq!(value(&ran("pdp10", SIEVE_PDP10), SIEVE_PDP10, "found"), 1028);
    let bytes: Vec<u8> = (0..2048u32).map(|at| (at * 7) as u8).collect();
    let crc = plain_byte::image::sums(&bytes).crc32;
    assert_eq!(value(&ran("pdp10", CRC32_PDP10), CRC32_PDP10, "crc"), u64::from(crc));
    let machine = ran("pdp10", SORT_PDP10);
    let cells: Vec<u64> = (0o2000..0o2000 + 250).map(|at| machine.cell(at)).collect();
    assert_eq!(cells, (1..=250).collect::<Vec<u64>>());
}

#[test]
fn the_pause_of_the_firmware_lasts_what_it_says() {
    for milliseconds in [1u64, 10, 200] {
        let source =
            format!("        org 4000h\n        mvi c, {milliseconds}\n        call 4Ch\n        hlt\n");
        let mut session = crate::common::session("plover", &source);
        assert_eq!(session.run(Limits::none()), Stop::Halt);
        let expected = milliseconds * 3072;
        let is = session.machine().cycles();
        assert!(
            is.abs_diff(expected) <= 100 + expected / 100,
            "{milliseconds} ms are {is} T-states, not {expected}"
        );
    }
}

#[test]
fn the_firmware_keeps_the_registers_it_promises_to_keep() {
    let source = "        org 4000h\n        mvi c, 'x'\n        call 40h\n        hlt\n        call 44h\n        hlt\n";
    let mut session = crate::common::session("plover", source);
    for (name, value) in [("B", 0x11), ("DE", 0x2233), ("HL", 0x4455)] {
        session.set(name, value).expect(name);
    }
    let kept = |session: &Session| ["BC", "DE", "HL", "SP"].map(|name| session.get(name));
    let before = [Some(0x1178), Some(0x2233), Some(0x4455), Some(0xFFC0)];
    assert_eq!(session.run(Limits::none()), Stop::Halt);
    assert_eq!(kept(&session), before, "send");
    session.happen(Event::Typed(b"y".to_vec())).expect("a console");
    session.set("PC", 0x4006).expect("PC");
    assert_eq!(session.run(Limits::none()), Stop::Halt);
    assert_eq!((session.get("A"), kept(&session)), (Some(u64::from(b'y')), before), "receive");
    assert_eq!(session.machine().output(), b"x");
}

#[test]
fn restarts_of_a_program_go_through_the_vectors_in_ram() {
    for number in 1..8u64 {
        let vector = 0xFFC0 + 4 * number;
        let source = format!(
            "        org 4000h\n        lxi h, mine\n        shld {vector} + 1\n        rst {number}\n        hlt\nmine:   mvi a, {number}\n        ret\n"
        );
        let mut session = crate::common::session("plover", &source);
        assert_eq!(session.run(Limits::none()), Stop::Halt);
        assert_eq!(session.get("A"), Some(number));
        // Untouched, a vector leads to a return that lets interrupts in.
        let mut fresh = crate::common::session(
            "plover",
            &format!("        org 4000h\n        rst {number}\n        hlt\n"),
        );
        assert_eq!((fresh.run(Limits::none()), fresh.get("IE")), (Stop::Halt, Some(1)), "RST {number}");
    }
}
