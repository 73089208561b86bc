//! How fast machines run: `cargo bench --bench emulate`.
//!
//! For counting host instructions: `PLAIN_BYTE_ONCE=NAME` runs one workload once and prints how many instructions and
//! cycles it emulated; docs/performance.md has the commands.

mod toy;

use divan::counter::ItemsCount;
use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::{Board, Machine, SeenRow, StopMap, Watching};
use plain_byte::panel::{Action, Panel};
use plain_byte::processor;
use plain_byte::session::{Limits, Session};

/// A program, and its source for each family: the PDP-8, which has fewer cells, has a checksum of 24 bits.
struct Program {
    name: &'static str,
    sources: &'static [(&'static str, &'static str)],
}

macro_rules! program {
    ($name:literal, $i8080:literal, $mos6502:literal, $pdp8:literal, $pdp10:literal, $zilog:literal, $i8086:literal) => {
        Program {
            name: $name,
            sources: &[
                ("80", include_str!(concat!("programs/", $i8080, ".asm"))),
                ("6502", include_str!(concat!("programs/", $mos6502, ".asm"))),
                ("pdp8", include_str!(concat!("programs/", $pdp8, ".asm"))),
                ("pdp10", include_str!(concat!("programs/", $pdp10, ".asm"))),
                ("z80", include_str!(concat!("programs/", $zilog, ".asm"))),
                ("8086", include_str!(concat!("programs/", $i8086, ".asm"))),
            ],
        }
    };
}

const PROGRAMS: &[Program] = &[
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
fn machine(cpu: &str, program: &str) -> Machine {
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
enum Watched {
    Nothing,
    Stops,
    Callback,
}

fn run(machine: &mut Machine, watched: Watched) -> (u64, u64) {
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
    divan::black_box(seen);
    (machine.instructions(), machine.cycles())
}

macro_rules! workload {
    ($name:ident, $program:literal) => {
        #[divan::bench(args = ["8080", "8085", "6502", "65c02", "z80", "ez80", "pdp8", "pdp10", "8086"])]
        fn $name(bencher: divan::Bencher, cpu: &str) {
            let mut machine = machine(cpu, $program);
            let (instructions, _) = run(&mut machine, Watched::Nothing);
            bencher
                .counter(ItemsCount::new(instructions))
                .bench_local(|| run(&mut machine, Watched::Nothing));
        }
    };
}

workload!(sieve, "sieve");
workload!(crc32, "crc32");
workload!(sort, "sort");

#[divan::bench(args = [Watched::Stops, Watched::Callback])]
fn sieve_watched(bencher: divan::Bencher, watched: Watched) {
    let mut machine = machine("8080", "sieve");
    let (instructions, _) = run(&mut machine, watched);
    bencher.counter(ItemsCount::new(instructions)).bench_local(|| run(&mut machine, watched));
}

#[divan::bench]
fn anchor_toy_wrattr(bencher: divan::Bencher) {
    let program = toy::sieve();
    let mut machine = toy::Toy::new(&program);
    toy::run::<false>(&mut machine, u64::MAX);
    bencher.counter(ItemsCount::new(machine.instructions)).bench_local(|| {
        toy::run::<false>(divan::black_box(&mut machine), u64::MAX);
    });
}

#[divan::bench]
fn anchor_toy_split(bencher: divan::Bencher) {
    let program = toy::sieve();
    let mut machine = toy::Toy::new(&program);
    toy::run::<true>(&mut machine, u64::MAX);
    bencher.counter(ItemsCount::new(machine.instructions)).bench_local(|| {
        toy::run::<true>(divan::black_box(&mut machine), u64::MAX);
    });
}

/// The same sieve in Rust, for scale.
#[divan::bench]
fn anchor_native_sieve(bencher: divan::Bencher) {
    bencher.bench_local(|| {
        let mut flags = divan::black_box([true; 8192]);
        let mut found = 0;
        for number in 2..8192 {
            if flags[number] {
                found += 1;
                for multiple in (2 * number..8192).step_by(number) {
                    flags[multiple] = false;
                }
            }
        }
        assert_eq!(found, 1028);
        found
    });
}

/// The least times of many rounds in turn, as ratios: what a machine whose speed wanders can still tell.
fn ratios() {
    let each = |cpu: &'static str| {
        PROGRAMS.iter().map(move |row| (format!("{cpu}-{}", row.name), machine(cpu, row.name)))
    };
    let mut machines = each("8080")
        .chain(each("6502"))
        .chain(each("puffin"))
        .chain(each("z80"))
        .chain(each("curlew"))
        .chain(each("ez80"))
        .chain(each("pdp8"))
        .chain(each("pdp10"))
        .chain(each("8086"))
        .collect::<Vec<_>>();
    let mut best = std::collections::BTreeMap::<String, f64>::new();
    let mut take = |name: String, instructions: u64, begin: std::time::Instant| {
        let time = begin.elapsed().as_secs_f64() * 1e9 / instructions as f64;
        let least = best.entry(name).or_insert(f64::MAX);
        *least = least.min(time);
    };
    for _ in 0..200 {
        for (name, machine) in &mut machines {
            for watched in [Watched::Nothing, Watched::Stops, Watched::Callback] {
                let begin = std::time::Instant::now();
                let (instructions, _) = run(machine, watched);
                take(format!("{name} {watched:?}"), instructions, begin);
            }
        }
        let mut toy = toy::Toy::new(&toy::sieve());
        let begin = std::time::Instant::now();
        toy::run::<false>(&mut toy, u64::MAX);
        take("toy wrattr".to_string(), toy.instructions, begin);
        let mut toy = toy::Toy::new(&toy::sieve());
        let begin = std::time::Instant::now();
        toy::run::<true>(&mut toy, u64::MAX);
        take("toy split".to_string(), toy.instructions, begin);
    }
    let (plain, split) = (best["toy wrattr"], best["toy split"]);
    for (name, time) in &best {
        // Where chips stand among the memory, reads look at the attribute, too.
        let toy = if name.contains("puffin") { split } else { plain };
        let plain =
            best.get(&format!("{} Nothing", name.split(' ').next().unwrap_or_default())).unwrap_or(time);
        println!(
            "{name:20} {time:6.2} ns an instruction, {:.2} x the toy, {:.2} x unwatched",
            time / toy,
            time / plain
        );
    }
}

/// What looking at the lights of a panel costs: the machine as fast as it can, with the panel and without, in turn.
fn panels() {
    let programs = [
        ("gannet", include_str!("../demo/horn.asm")),
        ("heron", "        cpu pdp8\n        org 200\nstart:  iac\n        jmp start\n        entry start\n"),
        ("osprey", include_str!("../demo/turn.asm")),
        (
            "curlew",
            "        cpu z80\n        org 100h\nstart:  inc hl\n        ld a, h\n        out (0), a\n        jr start\n        entry start\n",
        ),
        ("dunlin", include_str!("../demo/night-log.asm")),
    ];
    // As much as the panel of the command runs between two looks at the clock.
    const SLICE: u64 = 2_000_000;
    for (board, source) in programs {
        let image = assemble(board, &mut Texts::one(board, source), &Options::default()).image;
        let mut session = Session::shipped(board).expect("a board");
        session.load(image).expect("it fits");
        let mut panel = Panel::new(session.clone());
        let (mut plain, mut shown) = (f64::MAX, f64::MAX);
        for _ in 0..40 {
            let begin = std::time::Instant::now();
            for _ in 0..20 {
                session.run(Limits::none().cycles(SLICE));
            }
            plain = plain.min(begin.elapsed().as_secs_f64());
            let begin = std::time::Instant::now();
            for _ in 0..20 {
                // Where the program has halted, somebody lets it go on.
                if panel.has_front() {
                    panel.act(Action::Continue).expect("it goes on");
                }
                panel.pass(SLICE);
            }
            shown = shown.min(begin.elapsed().as_secs_f64());
            divan::black_box(panel.since());
        }
        println!("{board:8} with its panel {:.2} x the time without", shown / plain);
    }
}

fn once(name: &str) {
    if name == "ratios" {
        return ratios();
    }
    if name == "panels" {
        return panels();
    }
    let (cpu, name) = name.split_once(':').unwrap_or(("8080", name));
    let (program, watched) = match name.split_once('-') {
        Some((program, "stops")) => (program, Watched::Stops),
        Some((program, "callback")) => (program, Watched::Callback),
        _ => (name, Watched::Nothing),
    };
    let (instructions, cycles) = match program {
        "toy" | "toysplit" => {
            let mut machine = toy::Toy::new(&toy::sieve());
            if program == "toy" {
                toy::run::<false>(&mut machine, u64::MAX);
            } else {
                toy::run::<true>(&mut machine, u64::MAX);
            }
            let found = machine.memory[0x2002..0x4000].iter().filter(|&&flag| flag != 0).count();
            assert_eq!(found, 1028, "the toy's sieve is right");
            (machine.instructions, machine.cycles)
        }
        // What is spent before the first instruction, to be taken off the others.
        "setup" => {
            let mut machine = machine(cpu, "sieve");
            machine.run(0, Watching::Nothing);
            (0, machine.cycles())
        }
        "toysetup" => (toy::Toy::new(&toy::sieve()).instructions, 0),
        _ => run(&mut machine(cpu, program), watched),
    };
    println!("{name}: {instructions} instructions, {cycles} cycles");
}

fn main() {
    match std::env::var("PLAIN_BYTE_ONCE") {
        Ok(name) => once(&name),
        Err(_) => divan::main(),
    }
}
