//! Long sources, what reads them, and the anchors that they are read against.

use logos::Logos;
use plain_byte::assembler::lexer::{Kind, Lexer};
use plain_byte::assembler::{Assembly, Loaded, Loader, Options, assemble};
use plain_byte::diagnostic::Problem;
use std::fmt::Write;

pub const LINES: usize = 1_000_000;

/// Mixed 8085 source: a label in one line of four, a comment in one of three, data now and then. A space of 64K holds
/// some thirty thousand lines, so that the source is many programs, each over the one before; the only errors it may
/// have are those overlaps.
pub fn source(lines: usize) -> String {
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
pub fn structured(lines: usize) -> String {
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

pub fn lex_own(text: &str) -> usize {
    let mut lexer = Lexer::new(text);
    let mut count = 0;
    while lexer.token().kind != Kind::End {
        count += 1;
    }
    count
}

pub fn lex_generated(text: &str) -> usize {
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

pub fn whole(text: &str) -> Assembly {
    let assembly = assemble("long.asm", &mut Read(text), &Options::default());
    assert!(
        assembly.diagnostics.iter().all(|one| one.code == "overlap"),
        "{:?}",
        assembly.diagnostics.first()
    );
    assembly
}
