//! What the past of a session costs: `cargo bench --bench past`, `cargo bench --bench past -- pdp10` for one of the processors or boards.
//!
//! `PLAIN_BYTE_ONCE=machine:16`, `=run:16` or `=hazards:16` runs each once for so many million cycles, for who counts instructions.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::{Board, Machine, Watching};
use plain_byte::processor;
use plain_byte::session::{Limits, Session};
use std::time::Instant;

/// Instructions of a run.
const LONG: u64 = 100_000_000;

/// Counts in memory for ever.
const PROGRAMS: &[(&str, &str, &str)] = &[
    (
        "bare",
        "8080",
        "start:  lxi h, 5000h\nagain:  inr m\n        mov a, m\n        add b\n        mov b, a\n        dcx d\n        mov a, d\n        ora e\n        jnz again\n        inx h\n        jmp again\n        entry start\n",
    ),
    (
        "bare",
        "6502",
        "start:  ldx #0\nagain:  inc $40,x\n        lda $40,x\n        clc\n        adc $41\n        sta $41\n        inx\n        bne again\n        jmp again\n        entry start\n",
    ),
    (
        "bare",
        "pdp10",
        "start:  movei 1, 1000\nagain:  aos 2000\n        add 2, 2000\n        movem 2, 2001(1)\n        sojg 1, again\n        jrst start\n        entry start\n",
    ),
    (
        "fulmar",
        "6502",
        "start:  ldx #0\nagain:  inc $0600,x\n        lda $0600,x\n        inx\n        bne again\n        jmp again\n        entry start\n",
    ),
    (
        "petrel",
        "8086",
        "start:  mov ax, 0B800h\n        mov es, ax\nagain:  inc byte ptr es:[bx]\n        add bx, 2\n        and bx, 0FFFh\n        jmp again\n        entry start\n",
    ),
];

fn session(board: &str, cpu: &str, lines: &str) -> Session {
    let org = match cpu {
        "6502" => "$0400",
        "pdp10" => "1000",
        "8086" => "100h",
        _ => "4000h",
    };
    let source = format!("        cpu {cpu}\n        org {org}\n{lines}");
    let assembly = assemble("count.asm", &mut Texts::one("count.asm", source), &Options::default());
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let mut session = match board {
        "bare" => {
            let board = Board::bare(processor::find(cpu).expect("a processor"));
            Session::from(Machine::new(&board).expect("a machine"))
        }
        _ => Session::shipped(board).expect("a board"),
    };
    session.load_assembly(&assembly).expect("it fits");
    session
}

/// Seconds that something takes.
fn seconds(run: impl FnOnce()) -> f64 {
    let begin = Instant::now();
    run();
    begin.elapsed().as_secs_f64()
}

/// A short run, with somebody who looks for hazards or without.
fn once(session: &mut Session, what: &str) {
    let (what, millions) = what.split_once(':').expect("what, and how many million cycles");
    let cycles = millions.parse::<u64>().expect("a number") * 1_000_000;
    if what == "machine" {
        session.machine().clone().run(cycles, Watching::Nothing);
        return;
    }
    session.run(Limits::none().cycles(cycles));
    if what == "hazards" {
        session.hazards(&mut || true);
    }
}

fn main() {
    let wanted: Vec<String> = std::env::args().skip(1).filter(|one| !one.starts_with('-')).collect();
    let is_wanted = |name: &str| wanted.is_empty() || wanted.iter().any(|one| one == name);
    for &(board, cpu, lines) in PROGRAMS.iter().filter(|row| is_wanted(row.0) || is_wanted(row.1)) {
        if let Ok(what) = std::env::var("PLAIN_BYTE_ONCE") {
            once(&mut session(board, cpu, lines), &what);
            continue;
        }
        let mut remembers = session(board, cpu, lines);
        while remembers.moment().instructions < LONG {
            remembers.run(Limits::none().cycles(LONG));
        }
        // What it costs to keep a past, and to look for hazards, in turn with a machine that does neither: the machine under this one
        // slows down for seconds at a time.
        let mut machine = session(board, cpu, lines).machine().clone();
        let mut watched = session(board, cpu, lines);
        watched.hazards(&mut || true);
        let [mut plain, mut kept, mut hazards] = [f64::MAX; 3];
        for _ in 0..30 {
            const PART: u64 = 64_000_000;
            let limit = machine.cycles() + PART;
            plain = plain.min(seconds(|| _ = machine.run(limit, Watching::Nothing)));
            kept = kept.min(seconds(|| _ = remembers.run(Limits::none().cycles(PART))));
            hazards = hazards.min(seconds(|| {
                watched.run(Limits::none().cycles(PART));
                watched.hazards(&mut || true);
            }));
        }
        // To a hundred moments, here and there.
        let (_, end) = remembers.known().expect("it has a past");
        let mut slowest: f64 = 0.0;
        for number in 0..100u64 {
            let to = end.instructions / 100 * (number * 37 % 100) + number;
            slowest = slowest.max(seconds(|| _ = remembers.go_to_instruction(to).expect("it is known")));
        }
        let megabytes = remembers.kept_of_past() as f64 / f64::from(1 << 20);
        println!(
            "{board:7} {cpu:6} {:4} M instructions: {megabytes:5.1} MB kept, {:.3} x the time without, to any moment in {:.1} ms at most, \
             hazards {:.2} x",
            end.instructions / 1_000_000,
            kept / plain,
            slowest * 1e3,
            hazards / plain
        );
    }
}
