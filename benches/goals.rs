//! Every goal with its figure: `cargo bench --bench goals`, `cargo bench --bench goals -- 6502` for the rows with a word in them.
//!
//! What is compared runs in this one process, in turn, least against least: the machines under it slow down for minutes at a time.

#[path = "jobs/programs.rs"]
mod programs;
#[path = "jobs/sources.rs"]
mod sources;
mod toy;

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::session::cases::Cases;
use plain_byte::session::{Limits, Session};
use programs::{PROGRAMS, Watched, machine, run};
use std::collections::BTreeMap;
use std::time::Instant;

/// What is reached, and what is wanted.
struct Goal {
    name: String,
    unit: &'static str,
    now: f64,
    wanted: f64,
    /// More is better.
    least: bool,
}

impl Goal {
    fn most(name: impl Into<String>, unit: &'static str, now: f64, wanted: f64) -> Self {
        Self { name: name.into(), unit, now, wanted, least: false }
    }

    fn least(name: impl Into<String>, unit: &'static str, now: f64, wanted: f64) -> Self {
        Self { name: name.into(), unit, now, wanted, least: true }
    }

    fn print(&self) {
        let share = if self.least { self.wanted / self.now } else { self.now / self.wanted };
        println!(
            "{:46} {:>9.3} {:14} {} {:<9.3} {:.2}  {}",
            self.name,
            self.now,
            self.unit,
            if self.least { "≥" } else { "≤" },
            self.wanted,
            share,
            if share <= 1.0 { "met" } else { "not met" }
        );
    }
}

/// Seconds that something takes.
fn seconds(job: impl FnOnce()) -> f64 {
    let begin = Instant::now();
    job();
    begin.elapsed().as_secs_f64()
}

/// Nanoseconds an instruction: the least of many rounds, by name.
type Times = BTreeMap<String, f64>;

const CPUS: [&str; 9] = ["8080", "8085", "6502", "puffin", "z80", "ez80", "pdp8", "pdp10", "8086"];

fn times(is_wanted: &dyn Fn(&str) -> bool) -> Times {
    const ROUNDS: usize = 60;
    let cpus = CPUS.iter().filter(|cpu| is_wanted(cpu) || is_wanted("puffin") && **cpu == "6502");
    let mut machines: Vec<_> = cpus
        .flat_map(|cpu| {
            PROGRAMS.iter().map(move |row| (format!("{cpu} {}", row.name), machine(cpu, row.name)))
        })
        .collect();
    let mut best = Times::new();
    let mut take = |name: String, instructions: u64, begin: Instant| {
        let time = begin.elapsed().as_secs_f64() * 1e9 / instructions as f64;
        let least = best.entry(name).or_insert(f64::MAX);
        *least = least.min(time);
    };
    for _ in 0..ROUNDS {
        for (name, machine) in &mut machines {
            for watched in [Watched::Nothing, Watched::Stops, Watched::Callback] {
                let begin = Instant::now();
                let (instructions, _) = run(machine, watched);
                take(format!("{name} {watched:?}"), instructions, begin);
            }
        }
        let mut toy = toy::Toy::new(&toy::sieve());
        let begin = Instant::now();
        toy::run::<false>(&mut toy, u64::MAX);
        take("toy".to_string(), toy.instructions, begin);
    }
    best
}

/// The largest ratio of the three programs.
fn worst(times: &Times, cpu: &str, watched: Watched, to: impl Fn(&str) -> f64) -> f64 {
    let ratio = |row: &programs::Program| times[&format!("{cpu} {} {watched:?}", row.name)] / to(row.name);
    PROGRAMS.iter().map(ratio).fold(0.0, f64::max)
}

fn emulation(is_wanted: &dyn Fn(&str) -> bool) -> Vec<Goal> {
    let times = times(is_wanted);
    let toy = times["toy"];
    let mut goals = Vec::new();
    for cpu in CPUS.iter().copied().filter(|cpu| is_wanted(cpu)) {
        let own = |name: &str| times[&format!("{cpu} {name} Nothing")];
        if cpu == "puffin" {
            let bare = |name: &str| times[&format!("6502 {name} Nothing")];
            goals.push(Goal::most(
                "puffin, mapped chips",
                "x bare",
                worst(&times, cpu, Watched::Nothing, bare),
                1.15,
            ));
        } else {
            let wanted = match cpu {
                "ez80" => 2.0,
                "pdp10" => 1.5,
                "8086" => 1.8,
                _ => 1.25,
            };
            goals.push(Goal::most(cpu, "x the toy", worst(&times, cpu, Watched::Nothing, |_| toy), wanted));
        }
        goals.push(Goal::most(
            format!("{cpu}, stops set, none met"),
            "x unwatched",
            worst(&times, cpu, Watched::Stops, own),
            1.1,
        ));
        goals.push(Goal::most(
            format!("{cpu}, every instruction told"),
            "x unwatched",
            worst(&times, cpu, Watched::Callback, own),
            1.5,
        ));
    }
    goals
}

fn assembly() -> Vec<Goal> {
    let text = sources::source(sources::LINES);
    let blocks = sources::structured(sources::LINES);
    let project = sources::source(50_000);
    let mut best = [f64::MAX; 6];
    for _ in 0..5 {
        let jobs: [&dyn Fn() -> usize; 6] = [
            &|| sources::lex_generated(&text),
            &|| sources::lex_own(&text),
            &|| sources::whole(&text).lines.len(),
            &|| sources::whole(&text).listing().len(),
            &|| sources::whole(&blocks).lines.len(),
            &|| sources::whole(&project).lines.len(),
        ];
        for (least, job) in best.iter_mut().zip(jobs) {
            *least = least.min(seconds(|| _ = std::hint::black_box(job())));
        }
    }
    let [generated, own, plain, listing, blocks, project] = best;
    vec![
        Goal::most("lexing", "x generated", own / generated, 1.0),
        Goal::most("assembly", "x generated", plain / generated, 3.0),
        Goal::least("assembly with its listing", "of the rate", plain / listing, 0.7),
        Goal::least("macros, spaces and blocks", "of the rate", plain / blocks, 0.7),
        Goal::most("a project of 50,000 lines", "ms", project * 1e3, 20.0),
    ]
}

fn bare(cpu: &str, lines: &str) -> Session {
    let source = format!("        cpu {cpu}\n{lines}");
    let assembly = assemble("goal.asm", &mut Texts::one("goal.asm", source), &Options::default());
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let mut session =
        Session::bare(plain_byte::processor::find(cpu).expect("a processor")).expect("a machine");
    session.load_assembly(&assembly).expect("it fits");
    session
}

/// A hundred instructions, and a table of so many cases of them.
fn cases(count: usize) -> f64 {
    let session = bare(
        "8085",
        "        org 4000h\nstart:  mvi b, 32\n        xra a\nnext:   add b\n        dcr b\n        jnz next\n        sta sum\n        hlt\nsum:    ds 1\n",
    );
    let case = "[[case]]\nname = \"one\"\nexpect.memory = { sum = 16 }\nexpect.stop = \"halt\"\n";
    let table = format!("version = 1\nprogram = \"goal.asm\"\n{}", case.repeat(count));
    let cases = Cases::parse(&table).expect("a table");
    let mut passed = 0;
    let time =
        seconds(|| passed = cases.run(&session).expect("it runs").iter().filter(|one| one.passed).count());
    assert_eq!(passed, count);
    time
}

fn sessions() -> Vec<Goal> {
    const STEPS: u32 = 2000;
    let mut by_hand =
        bare("pdp10", "        org 1000\nstart:  aos 2000\n        jrst start\n        entry start\n");
    by_hand.step();
    let step = seconds(|| {
        for value in 0..STEPS {
            by_hand.put(0o2000, &[u64::from(value)]).expect("a cell");
            by_hand.step();
        }
    });
    let open =
        (0..5).map(|_| seconds(|| _ = Session::shipped("petrel").expect("a board"))).fold(f64::MAX, f64::min);
    let all = [(); 3].map(|()| cases(10_000)).into_iter().fold(f64::MAX, f64::min);
    let mut run = bare("8080", "        org 4000h\nstart:  inx h\n        mov a, l\n        jmp start\n");
    let mut tracer = plain_byte::report::Tracer::default();
    let (mut lines, mut length) = (0, 0);
    let trace = seconds(|| {
        run.trace(Limits::none().cycles(4_000_000), &mut |session, step| {
            length += tracer.line(session, step).to_string().len();
            lines += 1;
            true
        });
    });
    assert!(length > lines);
    vec![
        Goal::most("a cell put and a step, pdp10", "µs", step * 1e6 / f64::from(STEPS), 10.0),
        Goal::most("petrel opened, its firmware assembled before", "ms", open * 1e3, 2.0),
        Goal::most("10,000 cases of a hundred instructions", "s", all, 1.0),
        Goal::least("traced lines", "M a second", lines as f64 / trace / 1e6, 3.0),
    ]
}

fn main() {
    let words: Vec<String> = std::env::args().skip(1).filter(|one| !one.starts_with('-')).collect();
    let is_wanted = |name: &str| words.is_empty() || words.iter().any(|word| word == name);
    println!("{:46} {:>9} {:14}   {:9} of the goal", "", "now", "", "goal");
    if CPUS.iter().any(|cpu| is_wanted(cpu)) {
        emulation(&is_wanted).iter().for_each(Goal::print);
    }
    if is_wanted("assembly") {
        assembly().iter().for_each(Goal::print);
    }
    if is_wanted("sessions") {
        sessions().iter().for_each(Goal::print);
    }
}
