//! Results never depend on who watches: a plain run, stops, every instruction told, single steps, a trace, conditions, slices and
//! going back end in the same state.
//!
//! `PLAIN_BYTE_TRY=SECONDS` tries plans for so long; `PLAIN_BYTE_SEED=N` begins elsewhere.

mod boards;
mod causes;
mod dialects;
mod plan;
mod recipes;

use plain_byte::assembler::Formula;
use plain_byte::machine::{Access, Done, Machine, Stopped, Watching, What, chip};
use plain_byte::processor;
use plain_byte::processor::Role;
use plain_byte::session::{Guard, Limits, Replayed, Session, Stop};
use plan::{Plan, plans};
use proptest::test_runner::{Config, RngAlgorithm, TestCaseError, TestError, TestRng, TestRunner};
use recipes::RECIPES;
use std::fmt::Write;
use std::time::{Duration, Instant};

/// Everything that can be seen of a machine, a line each.
fn seen(machine: &Machine) -> String {
    let mut text = String::new();
    let now = machine.cycles();
    let _ = writeln!(text, "cycles {now}, instructions {}", machine.instructions());
    for (place, register) in machine.set().registers().iter().enumerate() {
        let _ = write!(text, "{} {:X}  ", register.name, machine.register(place));
    }
    let _ = writeln!(text, "\nwaits at {:?}", machine.halted_at());
    // Where the programs and the boards' firmware write.
    let written = [0..0x1000, 0x4000..0x4200, 0x7000..0x7400, 0xFE00..0x1_0000];
    let cells = written.into_iter().flatten().map(|at| machine.cell(at));
    let sum = cells.fold(0u64, |sum, cell| sum.wrapping_mul(0x100_0000_01B3) ^ cell);
    let counted: Vec<u64> = (0x10..0x18).chain(0xA0..0xB0).map(|at| machine.cell(at)).collect();
    let _ = writeln!(text, "memory {sum:X} {counted:X?}");
    for fitted in machine.chips() {
        let _ = write!(text, "{} asks {:?}", fitted.place.name, fitted.chip.requests());
        let registers = chip::part(&fitted.place.part).map_or(1, |part| part.registers);
        for offset in 0..registers {
            let mut chip = fitted.chip.clone();
            if machine.set().cell_bits() == 12 {
                let all: Vec<_> =
                    (0..8).map(|function| chip.clone().transfer(offset, function, 0, now)).collect();
                let _ = write!(text, " {all:?}");
            } else {
                let _ = write!(text, " {:?}", chip.read(offset, now));
            }
        }
        let mut chip = fitted.chip.clone();
        chip.advance(now);
        let _ = writeln!(
            text,
            " in service {} lamps {:?} waiting {} next {:?}",
            chip.in_service(),
            chip.lamps(),
            chip.waiting(),
            chip.next()
        );
        let _ = writeln!(text, "{:?}", chip.roll());
    }
    if let Some(recorder) = machine.recorder() {
        let turns =
            recorder.tape(now).map(|tape| (tape.turns().count(), tape.turns().sum::<u64>(), tape.length()));
        let state = (recorder.deck(), recorder.motor(), recorder.position(now), recorder.counter(now));
        let _ = writeln!(text, "recorder {state:?} {} {turns:?}", recorder.hears(now));
    }
    let _ = writeln!(text, "output {:X?}", machine.output());
    let _ = writeln!(text, "ports {:?}", machine.port_writes());
    let _ = writeln!(text, "lamps {:?}", machine.lamp_changes());
    for lamp in machine.lamps() {
        let _ = writeln!(text, "{} {} {}", lamp.name, lamp.lit, lamp.lit_cycles(now));
    }
    for digits in machine.digits() {
        let lit: Vec<_> = (0..digits.count()).map(|digit| digits.lit_cycles(digit, now)).collect();
        let _ = writeln!(text, "{lit:?}");
    }
    let _ = writeln!(text, "{:?}\n{:?}", machine.screen(), machine.keypads());
    text
}

/// How a run went: why it ended, and what is to be seen then.
type Outcome = (String, String);

fn outcome(session: &Session, stop: &Stop) -> Outcome {
    (format!("{stop:?} at {:X}", session.stopped_at(stop)), seen(session.machine()))
}

fn left(session: &Session, end: u64) -> u64 {
    end.saturating_sub(session.machine().cycles())
}

/// Runs on to a cycle however often it is stopped on the way.
fn go_on(session: &mut Session, end: u64, mut next: impl FnMut(&mut Session, u64) -> Stop) -> Stop {
    loop {
        let left = left(session, end);
        let stop = next(session, left);
        match stop {
            Stop::Cycles | Stop::Breakpoint if session.machine().cycles() < end => {}
            Stop::Breakpoint => return Stop::Cycles,
            other => return other,
        }
    }
}

/// Every way to watch a run up to a cycle, by its name.
fn ways(session: &Session, plan: &Plan) -> Vec<(&'static str, Session, Stop)> {
    let end = plan.limit;
    let mut ways = Vec::new();
    let mut way = |name, run: &mut dyn FnMut(&mut Session) -> Stop| {
        let mut session = session.clone();
        let stop = run(&mut session);
        ways.push((name, session, stop));
    };
    way("plain", &mut |session| session.run(Limits::none().cycles(end)));
    way("slices", &mut |session| {
        let mut cuts = plan.cuts.iter().cycle();
        go_on(session, end, |session, left| {
            session.run(Limits::none().cycles(left.min(*cuts.next().expect("there is one"))))
        })
    });
    way("stops", &mut |session| {
        for label in ["idle", "handler", "loop"] {
            if let Ok(address) = session.evaluate(label) {
                session.add_breakpoint(address as u32);
            }
        }
        let stop = go_on(session, end, |session, left| session.run(Limits::none().cycles(left)));
        session.breakpoints().to_vec().iter().for_each(|&one| _ = session.remove_breakpoint(one));
        stop
    });
    way("guards", &mut |session| {
        let register = session.processor().registers().iter().find(|one| one.role == Role::Data);
        let odd = Formula::parse(&format!("{} & 1", register.expect("there is one").name), None).ok();
        let mut cuts = plan.cuts.iter().cycle();
        for (label, passes) in [("idle", 3), ("handler", 0), ("loop", 1)] {
            if let Ok(address) = session.evaluate(label) {
                let condition = odd.clone().filter(|_| passes < 3);
                session.guard_breakpoint(address as u32, Guard { condition, passes });
            }
        }
        let mut rounds = 0;
        let stop = go_on(session, end, |session, left| {
            let cut = left.min(*cuts.next().expect("there is one"));
            rounds += 1;
            match rounds % 3 {
                0 => session.trace(Limits::none().cycles(cut).inside(), &mut |_, _| true),
                _ => session.run(Limits::none().cycles(cut).continued(rounds % 2 == 0)),
            }
        });
        session.breakpoints().to_vec().iter().for_each(|&one| _ = session.remove_breakpoint(one));
        stop
    });
    way("a stop that is not met", &mut |session| {
        session.add_breakpoint(0x77);
        let stop = go_on(session, end, |session, left| session.run(Limits::none().cycles(left)));
        session.remove_breakpoint(0x77);
        stop
    });
    way("a condition", &mut |session| {
        session.add_condition(Formula::parse("$ < 0", None).expect("a condition"));
        let stop = session.run(Limits::none().cycles(end));
        session.clear_conditions();
        stop
    });
    way("counted", &mut |session| session.run(Limits::none().cycles(end).counted()));
    way("trace", &mut |session| session.trace(Limits::none().cycles(end).inside(), &mut |_, _| true));
    way("trace over services", &mut |session| session.trace(Limits::none().cycles(end), &mut |_, _| true));
    way("whole steps", &mut |session| {
        go_on(session, end, |session, left| session.step_whole_within(left).stop.unwrap_or(Stop::Cycles))
    });
    way("back and forth", &mut |session| {
        let mut cuts = plan.cuts.iter().cycle();
        let mut rounds = 0;
        go_on(session, end, |session, left| {
            let cut = *cuts.next().expect("there is one");
            rounds += 1;
            if rounds > 12 {
                return session.run(Limits::none().cycles(left));
            }
            let stop = session.run(Limits::none().cycles(left.min(cut)));
            if rounds % 2 == 0 {
                session.back(cut as usize % 7 + 1);
                return Stop::Cycles;
            }
            stop
        })
    });
    way("hazards", &mut |session| {
        let mut cuts = plan.cuts.iter().cycle();
        let mut rounds = 0;
        go_on(session, end, |session, left| {
            let cut = *cuts.next().expect("there is one");
            rounds += 1;
            if rounds % 2 == 0 {
                session.hazards(&mut || true);
            }
            if rounds % 5 == 0 {
                session.back(cut as usize % 7 + 1);
            }
            session.run(Limits::none().cycles(if rounds > 9 { left } else { left.min(cut) }))
        })
    });
    way("moments", &mut |session| {
        let stop = session.run(Limits::none().cycles(end));
        let last = session.moment();
        let mut seen_at = std::collections::BTreeMap::new();
        for (number, &cut) in plan.cuts.iter().cycle().take(7).enumerate() {
            let Some((first, known)) = session.known().filter(|known| known.1.cycle > 0) else { break };
            assert_eq!(known, last, "what is known ends where the run did");
            let instruction = first.instructions + cut * 97 % (last.instructions - first.instructions + 1);
            let gone = match number % 4 {
                0 | 1 => session.go_to_instruction(instruction),
                2 => session.go_to_cycle((first.cycle + cut * 89).min(last.cycle)),
                _ => {
                    session.back(cut as usize % 9);
                    session.forth(cut as usize % 5);
                    continue;
                }
            };
            assert!(gone.is_ok(), "{gone:?}");
            if number % 4 < 2 {
                let here = session.machine().mark();
                assert_eq!(session.moment().instructions, instruction);
                assert_eq!(seen_at.entry(instruction).or_insert_with(|| here.clone()), &here);
            }
        }
        if session.known().is_some() {
            session.go_to_cycle(last.cycle).expect("the end is known");
        }
        stop
    });
    ways
}

/// Instructions by address, and the cycles that they began at.
type Executed = Vec<(u32, u64)>;

/// Every instruction that was executed, as a trace and as a callback tell them, and what is to be seen after the latter.
fn told(session: &Session, end: u64) -> (Executed, Executed, String) {
    let mut traced = Vec::new();
    session.clone().trace(Limits::none().cycles(end).inside(), &mut |session, step| {
        if !step.interrupt {
            traced.push((step.address, session.machine().cycles() - step.cycles));
        }
        true
    });
    let mut called = Vec::new();
    let mut machine = session.machine().clone();
    let stopped = machine
        .run(end, Watching::Each(&mut |row| called.extend(row.iter().map(|one| (one.address, one.cycle)))));
    assert_ne!(stopped, Stopped::Watched);
    (traced, called, seen(&machine))
}

/// What a trail tells, and what single steps do: instructions with their cycles, and accesses; and what is to be seen after the trail.
fn trailed(session: &Session, end: u64) -> ([Vec<String>; 2], String) {
    let access =
        |access, address: u32, value: u64, took: bool| format!("{access:?} {address:X} {value:X} {took}");
    let mut trail = Vec::new();
    let mut machine = session.machine().clone();
    let stopped = machine.run(
        end,
        Watching::Trail(&[], &mut |row| {
            trail.extend(row.iter().filter_map(
                |Done { what, took_effect, address, value, .. }| match what {
                    What::Instruction => Some(format!("{address:X} at {value}")),
                    What::Between | What::Misused | What::Served | What::ServedRegister => None,
                    other => Some(access(other, address, value, took_effect)),
                },
            ));
        }),
    );
    assert_ne!(stopped, Stopped::Watched);
    let (mut stepped, mut notes) = (Vec::new(), Vec::new());
    let mut other = session.machine().clone();
    while other.cycles() < end {
        let (count, place, before) = (other.instructions(), other.place(), other.cycles());
        notes.clear();
        let (stopped, waited) = other.step(end, &mut notes);
        if other.instructions() > count {
            stepped.push(format!("{place:X} at {}", before + waited));
        }
        stepped.extend(notes.iter().filter_map(|note| {
            let what = match note.access {
                Access::Fetch => return None,
                Access::Read => What::Read,
                Access::Write => What::Write,
                Access::In => What::In,
                Access::Out => What::Out,
            };
            Some(access(what, note.address, note.value, note.took_effect))
        }));
        if stopped != Stopped::Cycles {
            break;
        }
    }
    ([trail, stepped], seen(&machine))
}

/// A run with marks, steps and ways back is what a plain one is, and its record plays on the board as it is switched on.
fn recorded(plan: &Plan, expected: &Outcome) -> Result<(), String> {
    let (mut session, _) = plan.session(Some(plan.cuts[0].max(50)));
    let mut cuts = plan.cuts.iter().cycle();
    let mut rounds = 0;
    let stop = go_on(&mut session, plan.limit, |session, left| {
        let cut = left.min(*cuts.next().expect("there is one"));
        rounds += 1;
        match rounds % 4 {
            _ if rounds > 12 => session.run(Limits::none().cycles(left)),
            1 => session.trace(Limits::none().cycles(cut), &mut |_, _| true),
            2 => {
                session.back(cut as usize % 5 + 1);
                Stop::Cycles
            }
            _ => session.run(Limits::none().cycles(cut)),
        }
    });
    let found = outcome(&session, &stop);
    if found != *expected {
        let lines = first_difference(&expected.1, &found.1);
        return Err(format!("plain and recorded:\n  {}\n  {}\n{lines}", expected.0, found.0));
    }
    let (mut again, _) = plan.board();
    match again.replay(&session.recorded(), &mut || true) {
        Replayed::Same { .. } if seen(again.machine()) == expected.1 => Ok(()),
        Replayed::Same { .. } => {
            Err(format!("plain and replayed:\n{}", first_difference(&expected.1, &seen(again.machine()))))
        }
        other => Err(format!("replayed: {other:?}")),
    }
}

fn first_difference(one: &str, other: &str) -> String {
    let mut lines = one.lines().zip(other.lines());
    lines
        .find(|(one, other)| one != other)
        .map_or(String::new(), |(one, other)| format!("  {one}\n  {other}\n"))
}

/// What differs, in words; nothing where nothing does.
fn differences(plan: &Plan) -> Option<String> {
    let (session, source) = plan.session(None);
    let mut ways = ways(&session, plan);
    let (_, plain, stop) = ways.remove(0);
    let expected = outcome(&plain, &stop);
    let later = |session: &Session| {
        let mut session = session.clone();
        let stop = session.run(Limits::none().cycles(left(&session, plan.limit + 5000)));
        outcome(&session, &stop)
    };
    let expected_later = later(&plain);
    for (name, session, stop) in ways {
        for (found, expected) in [(outcome(&session, &stop), &expected), (later(&session), &expected_later)] {
            if found != *expected {
                let (one, other) = (&expected.0, &found.0);
                let lines = first_difference(&expected.1, &found.1);
                return Some(format!("plain and {name}:\n  {one}\n  {other}\n{lines}{source}"));
            }
        }
    }
    if let Err(told) = recorded(plan, &expected) {
        return Some(format!("{told}\n{source}"));
    }
    let (traced, called, end) = told(&session, plan.limit);
    if end != expected.1 {
        return Some(format!("plain and told:\n{}{source}", first_difference(&expected.1, &end)));
    }
    let ([trail, stepped], end) = trailed(&session, plan.limit);
    if end != expected.1 {
        return Some(format!("plain and by a trail:\n{}{source}", first_difference(&expected.1, &end)));
    }
    if let Some(at) = (0..trail.len().max(stepped.len())).find(|&at| trail.get(at) != stepped.get(at)) {
        let (one, other) = (trail.get(at), stepped.get(at));
        return Some(format!("{at} on the trail and in steps: {one:?} {other:?}\n{source}"));
    }
    let differs = traced.iter().zip(&called).position(|(one, other)| one != other);
    if differs.is_some() || traced.len() != called.len() {
        let at = differs.unwrap_or(traced.len().min(called.len()));
        let (one, other) = (traced.get(at), called.get(at));
        return Some(format!("instruction {at} in the trace and as told: {one:X?} {other:X?}\n{source}"));
    }
    None
}

#[test]
fn results_never_depend_on_who_watches() {
    let setting = |name: &str| std::env::var(name).ok().and_then(|value| value.parse::<u64>().ok());
    let (seconds, seed) = (setting("PLAIN_BYTE_TRY"), setting("PLAIN_BYTE_SEED").unwrap_or(1));
    let end = Instant::now() + Duration::from_secs(seconds.unwrap_or(0));
    let mut tried = 0u64;
    loop {
        let mut bytes = [0; 32];
        bytes[..8].copy_from_slice(&(seed + (tried << 20)).to_le_bytes());
        let config =
            Config { cases: 300, failure_persistence: None, max_shrink_iters: 2000, ..Config::default() };
        let cases = config.cases;
        let mut runner = TestRunner::new_with_rng(config, TestRng::from_seed(RngAlgorithm::ChaCha, &bytes));
        let result = runner.run(&plans(), |plan| match differences(&plan) {
            Some(told) => Err(TestCaseError::fail(told)),
            None => Ok(()),
        });
        match result {
            Err(TestError::Fail(reason, plan)) => {
                panic!("after {tried} plans: {plan:?}\n{}", reason.message())
            }
            Err(other) => panic!("after {tried} plans: {other}"),
            Ok(()) => tried += u64::from(cases),
        }
        if Instant::now() >= end {
            break;
        }
    }
    println!("{tried} plans were tried");
}

#[test]
fn every_part_and_every_processor_is_tried() {
    for part in chip::PARTS {
        assert!(RECIPES.iter().any(|row| row.0 == part.name), "the part {} has no recipe", part.name);
    }
    for set in processor::ALL {
        let tried = dialects::DIALECTS.iter().any(|one| one.cpus.contains(&set.name()));
        assert!(tried, "the processor {} has no dialect", set.name());
    }
}
