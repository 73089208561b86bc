//! How fast the assembler is: `cargo bench --bench assemble`.
//!
//! For counting host instructions: `PLAIN_BYTE_ONCE=NAME` does one job once; docs/performance.md has the commands.

use divan::counter::{BytesCount, ItemsCount};
use logos::Logos;
use plain_byte::assembler::lexer::{Kind, Lexer};
use plain_byte::assembler::{Assembly, Loaded, Loader, Options, assemble};
use plain_byte::diagnostic::Problem;
use plain_byte::image;
use plain_byte::report::{Follow, disassemble, disassembly_source};
use std::fmt::Write;
use std::sync::OnceLock;

const LINES: usize = 1_000_000;

/// Mixed 8085 source: a label in one line of four, a comment in one of three, data now and then. A space of 64K holds
/// some thirty thousand lines, so that the source is many programs, each over the one before; the only errors it may
/// have are those overlaps.
fn source(lines: usize) -> String {
    const BODY: [&str; 16] = [
        "mvi a, 12h",
        "lxi h, table",
        "mov b, m",
        "inx h",
        "cmp b",
        "jc LABEL",
        "adi 3",
        "sta 8000h + 20",
        "dcr c",
        "jnz LABEL",
        "call LABEL",
        "push psw",
        "ani ~7 & 0FFh",
        "db 1, 2, \"fog\", 0FFh",
        "dw table + 2, 1234h",
        "out 10h",
    ];
    let mut text = String::from("        cpu 8085\ntable   equ 4100h\n");
    let mut labels = 0;
    let mut seed = 12345u32;
    for line in 2..lines {
        if line % 25_000 == 2 {
            text.push_str("        org 0\n");
            continue;
        }
        seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        let random = (seed >> 16) as usize;
        if line % 4 == 0 {
            labels += 1;
            let _ = write!(text, "lab{labels}:");
        }
        text.push_str("        ");
        let body = BODY[random % 16];
        if let Some((head, _)) = body.split_once("LABEL") {
            // Mostly to a label just above, now and then to one further down.
            let target = if random.is_multiple_of(5) {
                labels + 1 + random % 3
            } else {
                labels - (random % 8).min(labels - 1)
            };
            let _ = write!(text, "{head}lab{}", target.max(1).min(lines / 4 - 1));
        } else {
            text.push_str(body);
        }
        if line % 3 == 0 {
            text.push_str("    ; what it is for");
        }
        text.push('\n');
    }
    text
}

/// A source full of macros, spaces, repetitions and blocks: five lines of twenty open, close or call something.
fn structured(lines: usize) -> String {
    let mut text = String::from(
        "        cpu 8085\nlamps   equ 10h\n        macro flash port, times = 3\n        mvi b, times\nagain:  out port\n        dcr b\n        jnz again\n        endm\n",
    );
    let mut written = 8;
    let mut number = 0;
    while written < lines {
        if number % 800 == 0 {
            text.push_str("        org 0\n");
            written += 1;
        }
        let _ = write!(
            text,
            "        space s{number}\nfirst:  flash lamps\n        mvi a, 12h              ; what it is for\n        cycle\n        sta value\n        dcr a\n        leave z\n        when c\n        inr b\n        otherwise\n        adi low first\n        endwhen\n        endcycle nz\n        copies 2, turn\n        db turn, turn * 2\n        endcopies\n        call first\n        lxi h, value + 1\nvalue:  db 1, 2, \"fog\"\n        endspace\n"
        );
        written += 20;
        number += 1;
    }
    text
}

fn long_source() -> &'static str {
    static TEXT: OnceLock<String> = OnceLock::new();
    TEXT.get_or_init(|| source(LINES))
}

/// Every line a label: a million names that differ in their last letters only.
fn labels(lines: usize) -> String {
    let mut text = String::from("        cpu 8085\n        org 100h\n");
    for label in 0..lines {
        let _ = writeln!(text, "lab{label}: equ_{label} equ {label}");
    }
    text.replace(": equ_", "_value_")
}

/// The same tokens by a generated lexer.
#[derive(Logos, Debug, PartialEq)]
#[logos(skip r"[ \t\r]+")]
#[logos(skip(r";[^\n]*", allow_greedy = true))]
enum Generated {
    #[regex(r"[A-Za-z_.?@][A-Za-z0-9_.?@]*")]
    Name,
    #[regex(r"[0-9][0-9A-Za-z_.]*|\$[0-9A-Fa-f]+")]
    Number,
    #[regex(r#""([^"\\\n]|\\[^\n])*"|'([^'\\\n]|\\[^\n])*'"#)]
    Text,
    #[token("\n")]
    Line,
    #[token("$")]
    Here,
    #[token(",")]
    Comma,
    #[token(":")]
    Colon,
    #[regex(r"<<|>>|<=|>=|==|!=|&&|\|\||[-+*/%~!&|^<>=()]")]
    Operator,
}

fn lex_own(text: &str) -> usize {
    let mut lexer = Lexer::new(text);
    let mut count = 0;
    while lexer.token().kind != Kind::End {
        count += 1;
    }
    count
}

fn lex_generated(text: &str) -> usize {
    Generated::lexer(text).filter(Result::is_ok).count()
}

/// Hands a text out as a file would be: read once.
struct Read<'a>(&'a str);

impl Loader for Read<'_> {
    fn resolve(&self, name: &str, _: Option<&str>) -> String {
        name.to_string()
    }

    fn load(&mut self, name: &str, _: Option<&str>) -> Result<Loaded, Problem> {
        Ok(Loaded { name: name.to_string(), bytes: self.0.into() })
    }
}

fn whole(text: &str) -> Assembly {
    let assembly = assemble("long.asm", &mut Read(text), &Options::default());
    assert!(
        assembly.diagnostics.iter().all(|one| one.code == "overlap"),
        "{:?}",
        assembly.diagnostics.first()
    );
    assembly
}

#[divan::bench]
fn anchor_lines(bencher: divan::Bencher) {
    let text = long_source();
    let counter = (ItemsCount::new(LINES), BytesCount::of_str(text));
    bencher
        .counter(counter.0)
        .counter(counter.1)
        .bench(|| memchr::memchr_iter(b'\n', text.as_bytes()).count());
}

#[divan::bench(sample_count = 10)]
fn anchor_generated_lexer(bencher: divan::Bencher) {
    let text = long_source();
    bencher.counter(ItemsCount::new(LINES)).counter(BytesCount::of_str(text)).bench(|| lex_generated(text));
}

#[divan::bench(sample_count = 10)]
fn lexer(bencher: divan::Bencher) {
    let text = long_source();
    assert_eq!(lex_own(text), lex_generated(text), "both lexers see the same tokens");
    bencher.counter(ItemsCount::new(LINES)).counter(BytesCount::of_str(text)).bench(|| lex_own(text));
}

#[divan::bench(sample_count = 10)]
fn assembly(bencher: divan::Bencher) {
    let text = long_source();
    bencher.counter(ItemsCount::new(LINES)).counter(BytesCount::of_str(text)).bench(|| whole(text));
}

#[divan::bench(sample_count = 5)]
fn assembly_and_listing(bencher: divan::Bencher) {
    let text = long_source();
    bencher
        .counter(ItemsCount::new(LINES))
        .counter(BytesCount::of_str(text))
        .bench(|| whole(text).listing().len());
}

#[divan::bench(sample_count = 5)]
fn macros_spaces_and_blocks(bencher: divan::Bencher) {
    let text = structured(LINES);
    bencher.counter(ItemsCount::new(LINES)).bench(|| whole(&text));
}

#[divan::bench(args = [100_000, 1_000_000], sample_count = 5)]
fn sequential_labels(bencher: divan::Bencher, lines: usize) {
    let text = labels(lines);
    bencher.counter(ItemsCount::new(lines)).bench(|| whole(&text));
}

#[divan::bench]
fn hex_written(bencher: divan::Bencher) {
    let program =
        image::Image::from_cells(8, 0, (0..1u64 << 20).map(|at| (at * 7) & 0xFF).collect()).expect("it fits");
    let settings = image::Settings::default();
    bencher.counter(BytesCount::new(1usize << 20)).bench(|| image::hex::write(&program, &settings));
}

#[divan::bench]
fn srec_written(bencher: divan::Bencher) {
    let program =
        image::Image::from_cells(8, 0, (0..1u64 << 20).map(|at| (at * 7) & 0xFF).collect()).expect("it fits");
    let settings = image::Settings::default();
    bencher.counter(BytesCount::new(1usize << 20)).bench(|| image::srec::write(&program, &settings));
}

#[divan::bench]
fn srec_read(bencher: divan::Bencher) {
    let program =
        image::Image::from_cells(8, 0, (0..1u64 << 20).map(|at| (at * 7) & 0xFF).collect()).expect("it fits");
    let file = image::srec::write(&program, &image::Settings::default()).expect("it can be written");
    bencher.counter(BytesCount::new(1usize << 20)).bench(|| image::srec::read(&file));
}

/// 64K of code in straight lines, subroutines and texts: following the flow and writing the source.
#[divan::bench]
fn disassemble_64k(bencher: divan::Bencher) {
    let mut source = String::from("        cpu 8085\n        org 0\n");
    for number in 0..2000 {
        let _ = write!(
            source,
            "at{number}: call at{}\n        lxi h, text{number}\n        mov a, m\n        ora a\n        jz next{number}\n        sta text{number}\n        inr b\n        jmp next{number}\ntext{number}: db \"fog at dawn\", 0\nnext{number}: dcr c\n",
            (number * 7 + 1) % 2000
        );
    }
    source.push_str("        hlt\n");
    let program = whole(&source).image;
    assert!(program.cells() > 60_000, "{}", program.cells());
    let set = plain_byte::processor::find("8085").expect("a known processor");
    bencher.counter(BytesCount::new(program.cells())).bench(|| {
        let lines = disassemble(set, &program, Follow::From(&[]), &|_| None);
        disassembly_source(set, &program, &lines)
    });
}

#[divan::bench]
fn hex_read(bencher: divan::Bencher) {
    let program =
        image::Image::from_cells(8, 0, (0..1u64 << 20).map(|at| (at * 7) & 0xFF).collect()).expect("it fits");
    let file = image::hex::write(&program, &image::Settings::default()).expect("it can be written");
    bencher.counter(BytesCount::new(1usize << 20)).bench(|| image::hex::read(&file));
}

/// The least times of several rounds in turn, as ratios.
fn ratios() {
    let text = long_source();
    let blocks = structured(LINES);
    let mut best = [f64::MAX; 5];
    for _ in 0..6 {
        let jobs: [&dyn Fn() -> usize; 5] = [
            &|| lex_generated(text),
            &|| lex_own(text),
            &|| whole(text).lines.len(),
            &|| whole(text).listing().len(),
            &|| whole(&blocks).lines.len(),
        ];
        for (least, job) in best.iter_mut().zip(jobs) {
            let begin = std::time::Instant::now();
            divan::black_box(job());
            *least = least.min(begin.elapsed().as_secs_f64());
        }
    }
    for (name, time) in ["generated lexer", "own lexer", "assembly", "assembly, listing", "macros, blocks"]
        .into_iter()
        .zip(best)
    {
        let rate = LINES as f64 / time / 1e6;
        println!("{name:18} {rate:6.2} M lines a second, {:.2} x the generated lexer", time / best[0]);
    }
}

/// Most memory this process has had, in KiB, where the system tells.
fn most_memory() -> Option<u64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find(|line| line.starts_with("VmHWM:"))?;
    line.split_whitespace().nth(1)?.parse().ok()
}

fn once(name: &str) {
    match name {
        "ratios" => ratios(),
        "lexer" => println!("{} tokens", lex_own(long_source())),
        "generated" => println!("{} tokens", lex_generated(long_source())),
        "assembly" => println!("{} line records", whole(long_source()).lines.len()),
        "blocks" => println!("{} line records", whole(&structured(LINES)).lines.len()),
        "blocks-source" => println!("{} bytes", structured(LINES).len()),
        "listing" => println!("{} bytes of listing", whole(long_source()).listing().len()),
        "labels" => println!("{} symbols", whole(&labels(1_000_000)).symbols.iter().count()),
        "labels-tenth" => println!("{} symbols", whole(&labels(100_000)).symbols.iter().count()),
        "labels-source" => println!("{} bytes", labels(1_000_000).len()),
        "labels-tenth-source" => println!("{} bytes", labels(100_000).len()),
        "memory" => {
            let text = long_source();
            let before = most_memory().unwrap_or(0);
            let assembly = whole(text);
            let most = most_memory().unwrap_or(0);
            let times = (most - before) as f64 * 1024.0 / text.len() as f64;
            println!(
                "{} bytes of source, {} KiB more for {} lines: {times:.1} x",
                text.len(),
                most - before,
                assembly.lines.len()
            );
        }
        _ => println!("{} bytes of source", long_source().len()),
    }
}

fn main() {
    match std::env::var("PLAIN_BYTE_ONCE") {
        Ok(name) => once(&name),
        Err(_) => divan::main(),
    }
}
