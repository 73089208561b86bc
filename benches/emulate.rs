//! How fast machines run: `cargo bench --bench emulate`.
//!
//! For counting host instructions: `PLAIN_BYTE_ONCE=NAME` runs one workload once and prints how many instructions and
//! cycles it emulated; docs/performance.md has the commands.

#[path = "jobs/programs.rs"]
mod programs;
mod toy;

use divan::counter::ItemsCount;
use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::Watching;
use plain_byte::panel::{Action, Panel};
use plain_byte::session::{Limits, Session};
use programs::{Watched, machine, run};

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
