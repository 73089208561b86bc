//! Programs that run on a machine, the same work for every processor.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::{Board, Machine, SeenRow, StopMap, Watching};
use plain_byte::processor;

/// A program, and its source for each family: the PDP-8, which has fewer cells, has a checksum of 24 bits.
pub struct Program {
    pub name: &'static str,
    sources: &'static [(&'static str, &'static str)],
}

macro_rules! program {
    ($name:literal, $i8080:literal, $mos6502:literal, $pdp8:literal, $pdp10:literal, $zilog:literal, $i8086:literal) => {
        Program {
            name: $name,
            sources: &[
                ("80", include_str!(concat!("../programs/", $i8080, ".asm"))),
                ("6502", include_str!(concat!("../programs/", $mos6502, ".asm"))),
                ("pdp8", include_str!(concat!("../programs/", $pdp8, ".asm"))),
                ("pdp10", include_str!(concat!("../programs/", $pdp10, ".asm"))),
                ("z80", include_str!(concat!("../programs/", $zilog, ".asm"))),
                ("8086", include_str!(concat!("../programs/", $i8086, ".asm"))),
            ],
        }
    };
}

pub const PROGRAMS: &[Program] = &[
    program!("sieve", "sieve", "sieve-6502", "sieve-pdp8", "sieve-pdp10", "z80-sieve", "sieve-8086"),
    program!("crc32", "crc32", "crc32-6502", "crc24-pdp8", "crc32-pdp10", "z80-crc32", "crc32-8086"),
    program!("sort", "sort", "sort-6502", "sort-pdp8", "sort-pdp10", "z80-sort", "sort-8086"),
];

/// In front of a program on the ROM board: both timers of its port chip run, the first again and again. It is not on its
/// pin: then the machine would never count as standing still, and the run would not end.
const TIMERS: &str = "
        cpu 6502
        org $1F00
        lda #$40
        sta $7F0B
        lda #$FF
        sta $7F04
        sta $7F05
        sta $7F08
        sta $7F09
        jmp $200
";

/// A machine with the program in it: of the board `bare`, or for the processors `puffin` and `curlew` of those boards.
pub fn machine(cpu: &str, program: &str) -> Machine {
    let on_puffin = cpu == "puffin";
    let of_board = match cpu {
        "puffin" => "6502",
        "curlew" => "z80",
        other => other,
    };
    let set = processor::find(of_board).expect("a known processor");
    let known = PROGRAMS.iter().find(|known| known.name == program).expect("a known program");
    let family = match set.name() {
        "8080" | "8085" => "80",
        "65c02" => "6502",
        // In Z80 mode it runs the Z80's programs.
        "ez80" => "z80",
        other => other,
    };
    let (_, source) = known.sources.iter().find(|(name, _)| *name == family).expect("a source for it");
    let source = if on_puffin { format!("{TIMERS}{source}") } else { source.to_string() };
    let assembly = assemble(program, &mut Texts::one(program, source), &Options::default());
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let mut board = Board::bare(set);
    if of_board != cpu {
        let shipped = plain_byte::boards::find(cpu).expect("a board");
        board = Board::parse(shipped.description).expect("it is right");
        board.set = set;
    }
    let mut machine = Machine::new(&board).expect("a machine");
    machine.load(&assembly.image).expect("it fits");
    rewind(&mut machine);
    machine
}

fn rewind(machine: &mut Machine) {
    machine.reset();
    machine.clear_record();
    let set = machine.set();
    let begin = match (machine.board().name.as_str(), set.register("X")) {
        ("puffin", _) => 0x1F00,
        _ if set.is_word_machine() => 0o200,
        (_, Some(_)) => 0x200,
        _ => 0x100,
    };
    machine.set_place(begin);
}

#[derive(Debug, Clone, Copy)]
pub enum Watched {
    Nothing,
    Stops,
    Callback,
}

pub fn run(machine: &mut Machine, watched: Watched) -> (u64, u64) {
    rewind(machine);
    let stops: StopMap = [0xFFF0, 0x0050, 0x8000].into_iter().collect();
    let mut seen = 0u64;
    let mut callback = |row: SeenRow<'_>| {
        seen += row.iter().map(|seen| u64::from(seen.address) + seen.cycle).sum::<u64>();
    };
    let watching = match watched {
        Watched::Nothing => Watching::Nothing,
        Watched::Stops => Watching::Stops(&stops),
        Watched::Callback => Watching::Each(&mut callback),
    };
    machine.run(u64::MAX, watching);
    std::hint::black_box(seen);
    (machine.instructions(), machine.cycles())
}
