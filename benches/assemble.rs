//! How fast the assembler is: `cargo bench --bench assemble`.
//!
//! For counting host instructions: `PLAIN_BYTE_ONCE=NAME` does one job once; docs/performance.md has the commands.

#[path = "jobs/sources.rs"]
mod sources;

use divan::counter::{BytesCount, ItemsCount};
use plain_byte::image;
use plain_byte::report::{Follow, disassemble, disassembly_source};
use sources::{LINES, lex_generated, lex_own, source, structured, whole};
use std::fmt::Write;
use std::sync::OnceLock;

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

/// Most memory this process has had, in KiB, where the system tells.
fn most_memory() -> Option<u64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find(|line| line.starts_with("VmHWM:"))?;
    line.split_whitespace().nth(1)?.parse().ok()
}

fn once(name: &str) {
    match name {
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
