//! The carried routines: what they print, on the boards that people have.

use plain_byte::assembler::{Options, Texts, assemble, translate};
use plain_byte::session::{Limits, Session, find_board};
use proptest::prelude::*;

const PLOVER: &str = "
        cpu 8085
        org 4000h
start:  lxi sp, 7000h
BODY
        hlt
put_character: push b
        push psw
        mov c, a
        call 40h
        pop psw
        pop b
        ret
        include \"routines/8080/print.asm\"
        include \"routines/8080/dump.asm\"
";

const PUFFIN: &str = "
        cpu 6502
print_at equ $F0
        org $8000
start:  ldx #$FF
        txs
        lda #3
        sta $7F80
        lda #$14                ; no division: the fastest there is
        sta $7F80
BODY
done:   jmp done
put_character: pha
        cycle
        lda $7F80
        and #2
        endcycle eq
        pla
        sta $7F81
        rts
        include \"routines/6502/print.asm\"
        include \"routines/6502/dump.asm\"
        org $FFFA
        dw start, start, start
";

const CURLEW: &str = "
        cpu z80
        org 100h
start:  ld sp, 7000h
BODY
        halt
put_character: jp 0E003h
        include \"routines/z80/print.asm\"
        include \"routines/z80/dump.asm\"
";

const DUNLIN: &str = "
        cpu ez80
        org 100h
start:  ld sp, 7000h
        ld bc, 8103h            ; eight bits
        ld a, 3
        out (bc), a
BODY
        halt
put_character: push bc
        ld bc, 8105h
        push af
        cycle
        in a, (bc)
        bit 5, a
        endcycle z
        pop af
        ld bc, 8100h
        out (bc), a
        pop bc
        ret
        include \"routines/z80/print.asm\"
        include \"routines/z80/dump.asm\"
";

/// What the same program prints on the 8085, and in the Z80's words on that.
fn printed_by_both(body: &str, data: &str) -> String {
    let set = |name| plain_byte::processor::find(name).expect("a processor");
    let in_z80 = translate(body, set("8085"), set("z80"));
    assert_eq!((in_z80.left, in_z80.renamed), (vec![], vec![]));
    let (old, new) = (printed("plover", body, data), printed("curlew", &in_z80.text, data));
    for board in ["dunlin", "dunlin in ADL mode"] {
        let other = printed(board, &in_z80.text, data);
        assert_eq!(
            old.replace("\n4204", "\n42xx"),
            other.replace("\n4204", "\n42xx"),
            "{board}: {}",
            in_z80.text
        );
    }
    // The Z80 has two more flags in the byte after A.
    assert_eq!(old.replace("\n4204", "\n42xx"), new.replace("\n4204", "\n42xx"), "{}", in_z80.text);
    old
}

/// What a program prints whose middle is `body`, with `data` after it.
fn printed(board: &str, body: &str, data: &str) -> String {
    let in_adl_mode = board.ends_with("ADL mode");
    let board = board.split(' ').next().unwrap_or_default();
    let frame = match board {
        "plover" => PLOVER,
        "curlew" => CURLEW,
        "dunlin" => DUNLIN,
        _ => PUFFIN,
    };
    let data = match board {
        "plover" | "curlew" | "dunlin" => format!("{frame}\n        org 6000h\n{data}\n"),
        _ => format!("{frame}\n        org $9000\n{data}\n"),
    };
    let source = data.replace("BODY", body);
    let source = if in_adl_mode { source.replace("cpu ez80", "cpu ez80adl") } else { source };
    let found = find_board(board, None, &mut Texts::default()).expect("a board");
    let assembly = assemble("test", &mut Texts::one("test", source.as_str()), &Options::default());
    assert!(assembly.succeeded(), "{source}\n{:?}", assembly.diagnostics);
    let mut session = Session::open(&found, &mut Texts::default()).expect("it opens");
    session.load_assembly(&assembly).expect("it fits");
    let stop = session.run(Limits::none().cycles(400_000_000));
    assert!(stop.is_end(), "{stop:?}");
    // The last character is still on its way.
    session.run(Limits::none().cycles(100_000));
    String::from_utf8_lossy(session.machine().output()).into_owned()
}

/// The ending, the call on the 8085, the call on the 6502, the data.
fn calls(text: &str) -> [(&'static str, &'static str, String); 5] {
    let (rest, last) = text.split_at(text.len() - 1);
    let last = last.bytes().next().unwrap_or(0) | 0x80;
    [
        (
            "lxi h, t\n call print.zero",
            "lda #low t\n ldy #high t\n jsr print.zero",
            format!("t: db \"{text}\", 0\n db \"no\""),
        ),
        (
            "lxi h, t\n mvi b, '$'\n call print.marker",
            "lda #low t\n ldy #high t\n ldx #'$'\n jsr print.marker",
            format!("t: db \"{text}$no\""),
        ),
        (
            "lxi h, t\n call print.ff",
            "lda #low t\n ldy #high t\n jsr print.ff",
            format!("t: db \"{text}\", 0FFh\n db \"no\""),
        ),
        (
            "lxi h, t\n call print.high_bit",
            "lda #low t\n ldy #high t\n jsr print.high_bit",
            if rest.is_empty() {
                format!("t: db {last}\n db \"no\"")
            } else {
                format!("t: db \"{rest}\", {last}\n db \"no\"")
            },
        ),
        (
            "lxi h, t\n call print.counted",
            "lda #low t\n ldy #high t\n jsr print.counted",
            format!("t: db {}, \"{text}\"\n db \"no\"", text.len()),
        ),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    #[test]
    fn texts_end_where_they_should(text in "[a-zA-Z0-9 ,.]{1,40}") {
        for (on_8085, on_6502, data) in calls(&text) {
            prop_assert_eq!(printed_by_both(on_8085, &data), text.as_str());
            prop_assert_eq!(printed("puffin", on_6502, &data), text.as_str());
        }
    }

    #[test]
    fn numbers_are_what_they_are(word in prop_oneof![any::<u16>(), 0u16..12, Just(10_000), Just(65_535), Just(9_999), Just(1_000)]) {
        let (low, high) = (word & 0xFF, word >> 8);
        let expected = format!("{word} {low} {word:04X} {low:02X}");
        let on_8085 = format!(
            "lxi h, {word}\n call print.decimal_word\n mvi a, ' '\n call put_character\n mvi a, {low}\n call print.decimal\n mvi a, ' '\n call put_character\n call print.hex_word\n mvi a, ' '\n call put_character\n mov a, l\n call print.hex"
        );
        prop_assert_eq!(printed_by_both(&on_8085, ""), expected.clone());
        let space = "lda #' '\n jsr put_character\n";
        let on_6502 = format!(
            "lda #{low}\n ldy #{high}\n jsr print.decimal_word\n {space} lda #{low}\n jsr print.decimal\n {space} lda #{low}\n ldy #{high}\n jsr print.hex_word\n {space} lda #{low}\n jsr print.hex"
        );
        prop_assert_eq!(printed("puffin", &on_6502, ""), expected);
    }
}

#[test]
fn registers_and_memory_are_dumped_as_they_are() {
    let text = printed_by_both(
        "lxi b, 1234h\n lxi d, 5678h\n lxi h, 9ABCh\n mvi a, 42h\n ora a\n call dump.registers\n call dump.registers\n lxi h, t\n lxi b, 18\n call dump.memory",
        "t: db 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17, 18",
    );
    let line = "AF   BC   DE   HL   SP\r\n4204 1234 5678 9ABC 7000\r\n";
    let memory = "6000 01 02 03 04 05 06 07 08 09 0A 0B 0C 0D 0E 0F 10\r\n6010 11 12\r\n";
    assert_eq!(text, format!("{line}{line}{memory}"));
    let text = printed(
        "puffin",
        "clc\n ldx #$12\n ldy #$34\n lda #$56\n jsr dump.registers\n jsr dump.registers\n lda #low t\n ldy #high t\n ldx #18\n jsr dump.memory",
        "t: db 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17, 18",
    );
    let line = "A  X  Y  P  S\r\n56 12 34 34 FF\r\n";
    let memory = "9000 01 02 03 04 05 06 07 08 09 0A 0B 0C 0D 0E 0F 10\r\n9010 11 12\r\n";
    assert_eq!(text, format!("{line}{line}{memory}"));
}
