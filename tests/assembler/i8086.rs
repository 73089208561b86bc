//! The notation of the 8086: what is decoded assembles to the same cells, the maker's spelling, and its mistakes.

use plain_byte::assembler::{Assembly, Options, Texts, assemble};
use plain_byte::image::Cell;
use plain_byte::processor::i8086::{I8086, I8086U};
use plain_byte::processor::{LONGEST, Usage, decode};

fn assembled(source: &str) -> Assembly {
    assemble("lamp.asm", &mut Texts::one("lamp.asm", source), &Options::default().set(&I8086))
}

fn cells(source: &str) -> Vec<Cell> {
    let assembly = assembled(&format!("        org 100h\n{source}\n"));
    assert!(assembly.succeeded(), "{source}: {:?}", assembly.diagnostics);
    assembly.image.segments().iter().flat_map(|one| one.cells.clone()).collect()
}

/// What an instruction is written as is read as the same instruction, and mostly as the same cells.
#[test]
fn what_is_decoded_assembles_to_the_same() {
    let mut state = 1u64;
    let mut random = || {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        state
    };
    let (mut same, mut all) = (0, 0);
    for round in 0..60_000u64 {
        let mut bytes: Vec<Cell> = (0..LONGEST).map(|_| random() & 0xFF).collect();
        (bytes[0], bytes[1]) = (round & 0xFF, round >> 8 & 0xFF);
        let at = 0x4000;
        let Some(found) = decode(&I8086U, &bytes, at).expect("enough cells") else { continue };
        let text = found.text(&I8086U, &|_| None);
        let source = format!("        org {at}\n        {text}\n");
        let options = Options::default().set(&I8086U);
        let assembly = assemble("again.asm", &mut Texts::one("again.asm", source), &options);
        assert!(assembly.succeeded(), "{text}: {:?}", assembly.diagnostics.first());
        let out = assembly.image.segments()[0].cells.clone();
        all += 1;
        if out == bytes[..found.cells()] {
            same += 1;
            continue;
        }
        // There is a shorter or another way to say it; that says the same.
        let again = decode(&I8086U, &[&out[..], &[0; LONGEST]].concat(), at).expect("cells").expect("one");
        let is_other = found.row.usage == Usage::Found || again.row != found.row || out.len() < found.cells();
        // An exchange of AX with itself is what NOP is.
        assert!(again.row.mnemonic == found.row.mnemonic || text.ends_with("xchg ax, ax"), "{text}");
        if again.row.operands == found.row.operands && out.len() == found.cells() {
            assert_eq!(again.text(&I8086U, &|_| None), text, "{text}");
        }
        assert!(is_other || found.prefixes.count > 0, "{text}: {out:X?} of {:X?}", &bytes[..found.cells()]);
    }
    assert!(same * 10 > all * 7, "{same} of {all}");
}

#[test]
fn it_is_written_as_the_maker_writes_it() {
    let tries: &[(&str, &[Cell])] = &[
        ("mov ax, bx", &[0x89, 0xD8]),
        ("MOV AL, 7", &[0xB0, 7]),
        ("mov al, [1234h]", &[0xA0, 0x34, 0x12]),
        ("mov cl, [1234h]", &[0x8A, 0x0E, 0x34, 0x12]),
        ("mov word ptr [bx+si+4], 5", &[0xC7, 0x40, 4, 5, 0]),
        ("mov word [bx], 5", &[0xC7, 0x07, 5, 0]),
        ("mov byte ptr es:[di-2], 'A'", &[0x26, 0xC6, 0x45, 0xFE, 0x41]),
        ("mov es:[di], al", &[0x26, 0x88, 0x05]),
        ("mov ax, [bp]", &[0x8B, 0x46, 0]),
        ("mov ax, [si+bx]", &[0x8B, 0]),
        ("mov ax, [200h+bx-1]", &[0x8B, 0x87, 0xFF, 1]),
        ("mov ax, cs:[bp+di+1234h]", &[0x2E, 0x8B, 0x83, 0x34, 0x12]),
        ("mov ds, ax", &[0x8E, 0xD8]),
        ("mov [bx], es", &[0x8C, 0x07]),
        ("add ax, 5", &[0x83, 0xC0, 5]),
        ("add ax, word 5", &[5, 5, 0]),
        ("add ax, 0FFFFh", &[0x83, 0xC0, 0xFF]),
        ("add al, 5", &[4, 5]),
        ("sub bx, 300h", &[0x81, 0xEB, 0, 3]),
        ("cmp byte ptr [si], 0", &[0x80, 0x3C, 0]),
        ("xchg ax, bx", &[0x93]),
        ("inc cx", &[0x41]),
        ("inc word ptr [bx]", &[0xFF, 0x07]),
        ("push es", &[6]),
        ("push word ptr [bx]", &[0xFF, 0x37]),
        ("push [bx]", &[0xFF, 0x37]),
        ("shl ax, 1", &[0xD1, 0xE0]),
        ("ror byte ptr [bx], cl", &[0xD2, 0x0F]),
        ("rep movsb", &[0xF3, 0xA4]),
        ("repne scasw", &[0xF2, 0xAF]),
        ("lock xchg [bx], al", &[0xF0, 0x86, 0x07]),
        ("rep es lodsb", &[0xF3, 0x26, 0xAC]),
        ("cs xlat", &[0x2E, 0xD7]),
        ("lea si, [bx+10h]", &[0x8D, 0x77, 0x10]),
        ("les di, [bx]", &[0xC4, 0x3F]),
        ("in al, 60h", &[0xE4, 0x60]),
        ("out dx, ax", &[0xEF]),
        ("int 21h", &[0xCD, 0x21]),
        ("int 3", &[0xCC]),
        ("ret 4", &[0xC2, 4, 0]),
        ("jmp 0F000h:0FFF0h", &[0xEA, 0xF0, 0xFF, 0, 0xF0]),
        ("call dword ptr [bx]", &[0xFF, 0x1F]),
        ("call [bx]", &[0xFF, 0x17]),
        ("jmp bx", &[0xFF, 0xE3]),
        ("esc 9, [bx]", &[0xD9, 0x0F]),
        // Forward and back, near and far.
        ("jmp on\non: nop", &[0xEB, 0, 0x90]),
        ("jmp near on\non: nop", &[0xE9, 0, 0, 0x90]),
        ("back: jmp back", &[0xEB, 0xFE]),
        ("jz on\nnop\non: nop", &[0x74, 1, 0x90, 0x90]),
        ("call on\non: nop", &[0xE8, 0, 0, 0x90]),
        ("loop $", &[0xE2, 0xFE]),
        ("mov dx, offset lamp\nlamp: db 1", &[0xBA, 3, 1, 1]),
        ("mov dl, [lamp]\nlamp: db 1", &[0x8A, 0x16, 4, 1, 1]),
        ("mov al, [bx+lamp]\nlamp: db 1", &[0x8A, 0x87, 4, 1, 1]),
    ];
    for (source, expected) in tries {
        assert_eq!(cells(source), *expected, "{source}");
    }
    // A jump over more than a short one reaches.
    let far = cells("jmp on\nds 200, 0\non: nop");
    assert_eq!(far[..3], [0xE9, 200, 0]);
}

#[test]
fn mistakes_are_answered_with_what_to_write() {
    let tries = [
        ("mov [bx], 5", "MOV does not say how large its operand in memory is", "write `byte ptr [bx]`"),
        ("inc [count]\ncount: ds 1", "INC does not say how large", "`word ptr [bx]`"),
        ("mov al, bx", "MOV has no form with these operands", "its forms are"),
        ("mov ax, [bx+bp]", "the 8086 has no such sum of registers", "add BX or BP, and SI or DI"),
        ("mov ax, [bx-si]", "the 8086 has no such sum of registers", "a register is added by `+`"),
        ("mov ax, [ax]", "the 8086 has no such sum of registers", "`[bx+si+4]`"),
        ("mov ax, [bx", "a closing bracket is missing here", "add `]`"),
        ("mov ax, es:5", "a place in memory stands between brackets", "write `es:[di]`"),
        ("rep", "`rep` stands in front of an instruction", "`rep movsb`"),
        ("mov al, 300", "300 (12Ch) does not fit", "-128 to 255"),
        ("jz far_away\nds 300, 0\nfar_away: nop", "from the end of the branch", "opposite condition"),
        ("mov cs, ax", "MOV has no form with these operands", "its forms are"),
        ("push 5", "PUSH has no form with these operands", "`push r16`"),
    ];
    for (source, message, help) in tries {
        let assembly = assembled(&format!("        org 100h\n{source}\n"));
        let told = &assembly.diagnostics[0];
        assert!(told.message.contains(message) && told.help.contains(help), "{source}: {told:?}");
    }
}

/// Each jump reaches just so far as long as the next one is short, which it is not: one walk more for each.
#[test]
fn jumps_that_make_each_other_longer_settle() {
    // A jump, 62 or 63 cells, the next jump, 63 or 62 cells, its label: 127 from its end.
    let mut source = String::new();
    for at in 0..42 {
        let label = if at >= 2 { format!("e{}: ", at - 2) } else { String::new() };
        let jump = if at < 40 { format!("\nj{at}: jmp e{at}") } else { "nop".to_string() };
        source += &format!("{label}{jump}\n        ds {}, 90h\n", 62 + at % 2);
    }
    // The last one reaches too far in any case.
    source = source.replace("e39: nop", "        ds 9, 90h\ne39: nop");
    let assembly = assembled(&format!("        org 100h\n{source}"));
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics.first());
    for at in 0..40 {
        let value = |name: String| assembly.symbols.value(&name).expect("a label") as u32;
        let (from, to) = (value(format!("j{at}")), value(format!("e{at}")));
        let cell = |at: u32| assembly.image.cell(at).expect("a cell");
        let cells: Vec<Cell> = (0..3).map(|cell_at| cell(from + cell_at)).collect();
        let found =
            decode(&I8086, &[&cells[..], &[0; LONGEST]].concat(), from).expect("cells").expect("a jump");
        assert_eq!(found.goes_to(), Some(to), "jump {at}: {cells:X?}");
    }
}
