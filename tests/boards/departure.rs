//! Programs that go out of themselves: where, to where, and what the registers were then.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::report::final_card;
use plain_byte::session::cases::Cases;
use plain_byte::session::{Limits, Session, Stop};

/// A board, a program, the instruction of it that comes last, whether that is a call that does not return, and a register then.
const LEAVING: &[(&str, &str, u32, bool, (&str, u64))] = &[
    // Back to the firmware: by a return, by running on, by the processor's break.
    ("plover", " cpu 8085\n org 4000h\n mvi a, 3Ch\n ret\n", 0x4002, false, ("A", 0x3C)),
    ("plover", " cpu 8085\n org 4000h\n mvi a, 3Ch\n mov b, a\n", 0x4002, false, ("B", 0x3C)),
    ("tern", " cpu 6502\n org $300\n lda #$3C\n ldx #7\n brk\n", 0x304, false, ("A", 0x3C)),
    ("tern", " cpu 6502\n org $300\n lda #$3C\n rts\n", 0x302, false, ("A", 0x3C)),
    ("fulmar", " cpu 6502\n org $1000\n lda #7\n rts\n", 0x1002, false, ("A", 7)),
    // Astray: a return after a push that was not taken back.
    ("plover", " cpu 8085\n org 4000h\n mvi a, 20h\n push psw\n ret\n", 0x4003, false, ("A", 0x20)),
    // Many services in between are not the end; the last one waits for a key.
    (
        "petrel",
        " cpu 8086\n org 7C00h\na: mov ax, 0E41h\n int 10h\n inc bx\n cmp bx, 9\n jne a\n mov ah, 0\n int 16h\n",
        0x7C0D,
        true,
        ("BX", 9),
    ),
];

#[test]
fn what_a_program_left_is_told_and_how() {
    for &(board, source, from, is_call, (register, value)) in LEAVING {
        let mut session = Session::shipped(board).expect("a board");
        let assembly = assemble("fog.asm", &mut Texts::one("fog.asm", source), &Options::default());
        session.load_assembly(&assembly).expect("it fits");
        let mut traced = session.clone();
        let limits = Limits::none().back().rest().cycles(5_000_000);
        let stop = session.run(limits);
        let (before, departure) = (session.machine().mark(), session.departure(&stop).expect("it left"));
        assert_eq!((departure.from, departure.is_call), (from, is_call), "{source}");
        assert_eq!(departure.machine.get(register), Some(value), "{source}");
        assert_eq!(session.machine().mark(), before, "whoever asks changes nothing");
        // A trace saw the same instruction last.
        let (first, end) = assembly.image.bounds().expect("cells");
        let mut last = None;
        traced.trace(limits.inside(), &mut |_, step| {
            if (first..=end).contains(&step.address) {
                last = Some((step.address, step.next));
            }
            true
        });
        assert_eq!(last, Some((departure.from, departure.to)), "{source}");
        let card = final_card(&session, &stop, &[]).to_string();
        let first = card.lines().next().unwrap_or_default();
        assert!(first.starts_with(if is_call { "inside " } else { "left " }), "{first}");
        let line = source.trim_end().lines().count();
        assert!(first.contains(&format!("(line {line} of fog.asm: ")), "{first}");
    }
}

#[test]
fn a_program_that_ends_in_itself_has_not_left_and_cases_see_what_it_left() {
    for (board, source) in [
        ("plover", " cpu 8085\n org 4000h\n mvi c, 1\n call 4Ch\n hlt\n"),
        ("puffin", " cpu 6502\n org $8000\nstart: jmp start\n org $FFFA\n dw start, start, start\n"),
    ] {
        let mut session = Session::shipped(board).expect("a board");
        let assembly = assemble("fog.asm", &mut Texts::one("fog.asm", source), &Options::default());
        session.load_assembly(&assembly).expect("it fits");
        let stop = session.run(Limits::none().back().cycles(5_000_000));
        assert!(matches!(stop, Stop::Halt | Stop::Endless) && session.departure(&stop).is_none(), "{board}");
    }
    let table = "version = 1\nprogram = \"fog.asm\"\n[[case]]\nname = \"left\"\nexpect.registers = { A = \"$3C\", X = 7, Z = 0 }\n";
    let mut session = Session::shipped("tern").expect("a board");
    let source = " cpu 6502\n org $300\n lda #$3C\n ldx #7\n brk\n";
    let assembly = assemble("fog.asm", &mut Texts::one("fog.asm", source), &Options::default());
    session.load_assembly(&assembly).expect("it fits");
    let outcomes = Cases::parse(table).expect("a table").run(&session).expect("it runs");
    assert!(outcomes[0].passed, "{:?}", outcomes[0]);
}
