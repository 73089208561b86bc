//! What an editor waits for: `cargo bench --bench language`.

use plain_byte::assembler::Texts;
use plain_byte::language::{Analysis, Range, columns};
use plain_byte::report::Policy;
use plain_byte::workspace::Target;
use std::time::Instant;

/// Routines of ten lines.
const ROUTINES: usize = 1000;
/// How often each is asked for; the least time counts.
const TIMES: usize = 20;

fn source() -> String {
    let mut text = "        cpu 8085\n        org 0\n".to_string();
    for number in 0..ROUTINES {
        let other = number * 7 % ROUTINES;
        text += &format!(
            "; routine {number}\nwork{number}: mvi a, {}\n        out 10h\n        lxi h, work{other}\n        dcr a\n        jnz work{number}\n        inx h\n        mov b, a\n        add m\n        ret\n",
            number % 200
        );
    }
    text
}

fn print<T>(what: &str, mut ask: impl FnMut() -> T) {
    let least = (0..TIMES).map(|_| {
        let begin = Instant::now();
        std::hint::black_box(ask());
        begin.elapsed()
    });
    println!("{what:40} {:8.2} ms", least.min().unwrap_or_default().as_secs_f64() * 1e3);
}

/// The memory of this process in bytes; 0 where the system does not tell.
fn memory() -> usize {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let row = status.lines().find_map(|line| line.strip_prefix("VmRSS:"));
    row.and_then(|row| row.split_whitespace().next()?.parse::<usize>().ok()).unwrap_or(0) * 1024
}

fn main() {
    let text = source();
    let mut texts = Texts::one("work.asm", text.as_str());
    let mut look =
        || Analysis::of("work.asm", &Target::default(), &Policy::default(), &mut texts).expect("a target");
    println!("{} lines", text.lines().count());
    print("mistakes after a key", || look().diagnostics());
    // Several, since the first may take what was free already.
    const KEPT: usize = 8;
    let before = memory();
    let mut kept: Vec<Analysis> = (0..KEPT).map(|_| look()).collect();
    let each = memory().saturating_sub(before) / KEPT;
    println!(
        "{:40} {:8.2} MB, {} bytes for each of the text",
        "memory of a program",
        each as f64 / 1e6,
        each / text.len()
    );
    let mut board = Texts::one("notice.asm", "        cpu 6502\n        org 1000h\n        rts\n");
    let target = Target { board: Some("fulmar".to_string()), ..Target::default() };
    print("mistakes, with a board's firmware", || {
        Analysis::of("notice.asm", &target, &Policy::default(), &mut board)
    });
    let program = kept.swap_remove(0);
    drop(kept);
    let file = "work.asm";
    let at = text.find("lxi h, work3500").or(text.find("lxi h, work350")).expect("it is there") + 9;
    let mut texts = Texts::one(file, text.as_str());
    print("what may be typed", || program.complete(file, at));
    let begun = text.find("mvi a").expect("it is there") + 2;
    print("what may begin a statement, with forms", || program.complete(file, begun));
    print("what stands under the pointer", || program.hover(file, at));
    print("the forms of an instruction", || program.forms(file, at));
    print("where a name is used", || program.references(file, at, true));
    print("the names as a tree", || program.outline(file));
    print("the words for their colours", || program.words(file));
    print("addresses and cycles of sixty lines", || program.line_hints(file, at..at + 1500));
    print("sizes of the routines", || program.routine_hints(file));
    print("columns of the whole text", || columns(file, &text, 0..text.len()));
    print("another name", || program.rename(file, at, "other", &mut texts));
    let here = Range { file: file.to_string(), start: at, end: at };
    print("what may be done here", || program.refactorings(&here, &mut texts));
}
