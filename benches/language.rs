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

fn main() {
    let text = source();
    let mut texts = Texts::one("work.asm", text.as_str());
    let mut look =
        || Analysis::of("work.asm", &Target::default(), &Policy::default(), &mut texts).expect("a target");
    println!("{} lines", text.lines().count());
    print("mistakes after a key", || look().diagnostics());
    let program = look();
    let file = "work.asm";
    let at = text.find("lxi h, work3500").or(text.find("lxi h, work350")).expect("it is there") + 9;
    let mut texts = Texts::one(file, text.as_str());
    print("what may be typed", || program.complete(file, at));
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
