//! Macros, repetitions, spaces, blocks, regions, parts, texts, embedded bytes, and layouts that settle in several walks.

use crate::common::{assembled, cells, error, told};
use plain_byte::assembler::{Assembly, Options, Symbols, Texts, assemble, line_map};
use plain_byte::processor::i8080;
use proptest::prelude::*;
use std::collections::{BTreeMap, HashMap};
use std::fmt::Write;

fn with_files(source: &str, files: &[(&str, &[u8])]) -> Assembly {
    let main = [("test.asm".to_string(), source.as_bytes().to_vec())];
    let files = files.iter().map(|(name, bytes)| ((*name).to_string(), bytes.to_vec()));
    let mut texts = Texts(main.into_iter().chain(files).collect::<HashMap<_, _>>());
    assemble("test.asm", &mut texts, &Options::default().set(&i8080::I8085))
}

#[test]
fn the_listing_shows_what_was_written_out() {
    let assembly = with_files(include_str!("../sources/blocks.asm"), &[("horn.bin", &[9, 8, 7, 6])]);
    assert!(assembly.succeeded(), "{}", told(&assembly));
    insta::assert_snapshot!(assembly.listing());
    let requests: Vec<_> = assembly.images.iter().map(|one| (one.format.name, one.file.as_str())).collect();
    assert_eq!(requests, [("hex", "blocks.hex"), ("roms", "chip.bin")]);
    assert_eq!(
        (assembly.images[0].settings.get("record"), assembly.images[1].settings.get("lanes")),
        (Some(8), Some(2))
    );
    // The line map speaks of lines of the file, also for what a macro wrote.
    let map = line_map(&assembly);
    assert!(map.iter().all(|line| line.file == "test.asm"));
    assert_eq!(map.iter().find(|line| line.address == 0x0F).map(|line| line.line), Some(5));
}

#[test]
fn mistakes_inside_macros_are_told_at_the_call_and_inside() {
    insta::assert_snapshot!(told(&assembled(
        "
        macro bad x
        mvi a, x
        mvo b, x
        endm
        macro outer y
        bad y
        endm
        macro deep n
        deep n + 1
        endm
        macro grow
        grow
        grow
        endm
        early 1
        macro early
        endm
        outer 300
        deep 1
        bad
        bad 1, 2
        bad z = 2
        db bad
bad:    nop
        macro other
"
    )));
    let error = error("        macro grow\n        grow\n        grow\n        endm\n        grow\n");
    assert!(error.contains("more than 100 deep"), "{error}");
}

/// A source and the cells it makes.
const PROGRAMS: &[(&str, &[u64])] = &[
    // Macros: by place, by name, by default; an expression stays whole; the caller's labels stay the caller's.
    (
        " macro mm p, q = 7\n db p, q\n endm\n mm 1\n mm 1, 2\n mm q = 3, p = 4\n mm 5,\n",
        &[1, 7, 1, 2, 4, 3, 5, 7],
    ),
    (
        " macro mm p\n db p * 2, -p, low p, 9 - p\n endm\n mm 1 + 2\n mm %11\n",
        &[6, 0xFD, 3, 6, 6, 0xFD, 3, 6],
    ),
    (" macro mm p\n db p, \"p\", 'p'\n endm\n mm (1 + 2) * 3\n mm \"x\"\n", &[9, 112, 112, 120, 112, 112]),
    (
        " macro mm to\nx: jmp to\n jmp x\n endm\nx: mm x\n mm x\n",
        &[0xC3, 0, 0, 0xC3, 0, 0, 0xC3, 0, 0, 0xC3, 6, 0],
    ),
    (" macro mm to\n.n: jmp to\n jmp .n\n endm\nx: nop\n.n: mm .n\n", &[0, 0xC3, 1, 0, 0xC3, 1, 0]),
    (" macro mm\nx: nop\n.n: jmp .n\n endm\n mm\n mm\nx: nop\n", &[0, 0xC3, 1, 0, 0, 0xC3, 5, 0, 0]),
    (" macro mm n\n if n\n db n\n mm n - 1\n endif\n endm\n mm 3\n", &[3, 2, 1]),
    (" macro mm name, v\nname: db v\n endm\n mm here, 5\n db here + 1\n", &[5, 1]),
    (" macro outer\n macro inner\n db 1\n endm\n endm\n outer\n inner\n", &[1]),
    ("n let 1\n macro mm\nn let n + 1\nk equ n\n db k\n endm\n mm\n mm\n db n\n", &[2, 3, 3]),
    // Repetitions, one in another; the count may come from further down.
    (
        " copies 3, i\n db i\n copies i, j\n db 10h + j\n endcopies\n endcopies\n",
        &[0, 1, 0x10, 2, 0x10, 0x11],
    ),
    (" copies 2\nx: jmp x\n endcopies\n", &[0xC3, 0, 0, 0xC3, 3, 0]),
    (" copies count\n db 1\n endcopies\ncount equ 2\n", &[1, 1]),
    (" copies 0, i\n junk\n endcopies\n db 1\n", &[1]),
    // Spaces: inside, outside, nested, the same name in and out, before and after.
    (
        " space sa\nx equ 1\n db x\n endspace\n space sb\nx equ 2\n db x, sa.x\n endspace\n db sa.x, sb.x\n",
        &[1, 2, 1, 1, 2],
    ),
    (
        "x equ 9\n space sa\n db x, y\n space sb\n db x, y, z\n endspace\ny equ 3\n endspace\nz equ 4\n",
        &[9, 3, 9, 3, 4],
    ),
    ("x equ 9\n space sa\n db x\nx equ 1\n endspace\n db x\n", &[1, 9]),
    (" space sa\n db x, sb.x\n space sb\nx equ 2\n endspace\n endspace\nx equ 1\n", &[1, 2]),
    (" space sa\nk: nop\n.m: jmp .m\n endspace\n jmp sa.k.m\n", &[0, 0xC3, 1, 0, 0xC3, 1, 0]),
    ("n let 1\n space sa\nn let 5\nmm let 6\n endspace\n db n, sa.mm\n", &[5, 6]),
    (" space sa\n macro mm\n db 7\n endm\n mm\n endspace\n sa.mm\n", &[7, 7]),
    (
        " space sa\nx equ 1\n endspace\n space sa\ny equ x + 1\n endspace\n db sa.y, defined(sa.x), defined(x)\n",
        &[2, 1, 0],
    ),
    (" space sa\n if defined(x)\n db x\n endif\n endspace\nx equ 1\n", &[]),
    // Blocks.
    (" when z\n inr a\n endwhen\n", &[0xC2, 4, 0, 0x3C]),
    (" when nc\n inr a\n otherwise\n inr b\n endwhen\n", &[0xDA, 7, 0, 0x3C, 0xC3, 8, 0, 0x04]),
    (
        " cycle\n dcr b\n leave z\n inr a\n leave\n endcycle\n",
        &[5, 0xCA, 0x0B, 0, 0x3C, 0xC3, 0x0B, 0, 0xC3, 0, 0],
    ),
    (
        " cycle\n when m\n leave\n endwhen\n dcr c\n endcycle NZ\n",
        &[0xF2, 6, 0, 0xC3, 0x0A, 0, 0x0D, 0xC2, 0, 0],
    ),
    (
        " when eq\n endwhen\n when ne\n endwhen\n when mi\n endwhen\n when pl\n endwhen\n when pe\n endwhen\n when po\n endwhen\n",
        &[0xC2, 3, 0, 0xCA, 6, 0, 0xF2, 9, 0, 0xFA, 12, 0, 0xE2, 15, 0, 0xEA, 18, 0],
    ),
    // Regions: going on in one, filling one, leaving one by `org`.
    (
        " region a, 0, 3, 0EEh\n db 1\n region b, 8, 9\n db 2\n region a\n db 3\n org 20h\n db 4\n",
        &[1, 3, 0xEE, 0xEE, 2, 4],
    ),
    (" region a, 0, 7, 0\n ds 2\n db 1\n org 6\n db 2\n", &[0, 0, 1, 0, 0, 0, 2, 0]),
    // Parts: joined in the order in which they are opened first, each address final.
    (" part code\n db 1, da\n part data\nda: db 2\n part code\n db 3, co\nco:\n", &[1, 4, 3, 4, 2]),
    (
        " org 10h\n part code\n db s\n part data\n part stack\n ds 2\ns: db 9\n part data\n db 8\n",
        &[0x14, 8, 9],
    ),
    (
        " part data a\n db 1\n part data b\n db 2\n part data a\n db 3\n org 20h\n db 4\n part data b\n db 5\n",
        &[1, 3, 2, 5, 4],
    ),
    // Local labels: data beside a routine is the routine's, and labels of data come between none of its own.
    (
        " part code\nra: lxi h, .t\n part data\n.t: db 9\nda: db 8\n part code\n.x: jmp .x\n jmp ra.x\n",
        &[0x21, 9, 0, 0xC3, 3, 0, 0xC3, 3, 0, 9, 8],
    ),
    // How long one is may depend on where another comes to stand.
    (
        " part code\n ds high da, 7\n part data\n db 1\n part code\n ds 0FFh\n db 6\n part data\nda: db 2\n",
        &[7, 6, 1, 2],
    ),
    // Texts.
    (
        " text zero, \"a\", 13, 'b'\n text ff, \"\"\n text marker('$'), \"a\"\n",
        &[97, 13, 98, 0, 0xFF, 97, 0x24],
    ),
    (" text high-bit, \"ab\"\n text COUNTED, \"ab\"\n", &[97, 0xE2, 2, 97, 98]),
    (" text six-bit, \"A_ !\"\n text seven-bit, \"ab\"\n", &[0x87, 0xF0, 1, 0xC3, 0x88]),
    // The layout may depend on what stands below, as long as it settles.
    (" ds size, 1\nsize equ 3\n", &[1, 1, 1]),
    (" org base\n jmp here\nbase equ 100h\nhere: nop\n", &[0xC3, 3, 1, 0]),
    (" if big\n db 1\n else\n db 2\n endif\nbig equ end > 0\nend: nop\n", &[1, 0]),
    (" pad end - start, 5\nstart: db 1, 2\nend:\n", &[5, 5, 1, 2]),
    ("v let later\n db v\nlater equ 4\n", &[4]),
    (" if defined(x)\n db 1\n endif\nx equ 1\n if defined(x)\n db 2\n endif\n", &[2]),
];

#[test]
fn programs_make_the_cells_they_say() {
    for (source, expected) in PROGRAMS {
        assert_eq!(cells(source), *expected, "{source}");
    }
}

#[test]
fn embedded_bytes_are_put_in_whole_or_in_part() {
    let part = |operands: &str| {
        let assembly = with_files(&format!(" embed \"f\"{operands}\n"), &[("f", &[1, 2, 3, 4, 255])]);
        match assembly.succeeded() {
            true => Ok(assembly.image.cells_at(0, 99).to_vec()),
            false => Err(assembly.diagnostics[0].message.clone()),
        }
    };
    assert_eq!(part(""), Ok(vec![1, 2, 3, 4, 255]));
    assert_eq!(part(", 1"), Ok(vec![2, 3, 4, 255]));
    assert_eq!(part(", 1, 2"), Ok(vec![2, 3]));
    assert_eq!(part(", 5"), Ok(vec![]));
    assert_eq!(part(", 6"), Err("6 is not an offset in `f`, which has 5 bytes there".to_string()));
    assert_eq!(part(", 2, 4"), Err("4 is not a length in `f`, which has 3 bytes there".to_string()));
}

#[test]
fn regions_tell_both_sides() {
    let mut text = String::new();
    for source in [
        " region rom, 0, 7\n region work, 4, 9\n",
        " region rom, 0, 3\n db 1, 2, 3, 4\n db 5, 6\n db 7\n",
        " region rom, 0, 3\n region rom, 8, 9\n",
        " region rom, 0, 3\n region rum\n",
        " region a, 0, 3\n db 1\n org 0\n db 2\n",
        " region a, 0, 3\n db 1, 2, 3, 4\n region b, 4, 5\n db 1\n region a\n db 5\n",
    ] {
        let _ = writeln!(text, "{source}{}", told(&assembled(source)));
    }
    insta::assert_snapshot!(text);
}

#[test]
fn parts_tell_what_is_wrong() {
    let mut text = String::new();
    for source in [
        " part\n",
        " part dota\n",
        " part 5\n",
        " part code a, b\n",
        " org 0FFF0h\n part code\n ds 9\n part data\n ds 9\n",
        " part code\n db 1\n org 0\n db 2\n",
        " part code\n if da < 9\n ds 9\n endif\n db 1\n part data\nda: db 2\n",
    ] {
        let _ = writeln!(text, "{source}{}", told(&assembled(source)));
    }
    insta::assert_snapshot!(text);
}

#[test]
fn a_layout_that_cannot_settle_is_told_with_its_values() {
    let error = error("        if end < 10h\n        ds 20h, 0\n        endif\nend:    hlt\n");
    assert!(
        error.contains("1:12 `end < 10h` error[unsettled]: `if` needs a value that depends on it"),
        "{error}"
    );
    // A reservation that grows with every walk runs far past the end of memory, and no further.
    let grows = assembled(" ds x\n ds x\n ds x\n db 1\n copies 2\n ds x\n nop\n endcopies\nx: align 8\n");
    assert!(!grows.succeeded() && grows.symbols.value("x").is_none_or(|x| x <= 1 << 41), "{}", told(&grows));
    // Names are looked at once more where a space defines one after its use.
    assert!(assembled(" space sa\n ds x\nx equ 1\n endspace\nx equ 2\n").succeeded());
}

proptest! {
    /// A macro writes what its lines would have been; a repetition what its lines are, so many times.
    #[test]
    fn writing_out_is_writing(values in proptest::collection::vec(0u8..=255, 1..20), count in 1usize..5) {
        let plain: String = values.iter().map(|value| format!("        db {value}, {value} ^ 1\n")).collect();
        let calls: String = values.iter().map(|value| format!("        mm {value}\n")).collect();
        let macros = format!("        macro mm v\n        db v, v ^ 1\n        endm\n{calls}");
        prop_assert_eq!(cells(&plain), cells(&macros));
        let copies = format!("        copies {count}\n{plain}        endcopies\n");
        prop_assert_eq!(cells(&plain).repeat(count), cells(&copies));
    }

    /// Parts are what their lines would have been, part after part; so are the addresses of their labels.
    #[test]
    fn parts_are_joined(pieces in proptest::collection::vec((0usize..3, 0usize..9), 1..20)) {
        const PARTS: [&str; 3] = ["code", "data", "data more"];
        let mut order: Vec<usize> = Vec::new();
        let mut joined = [const { String::new() }; 3];
        let mut parted = String::from(" org 1000h\n");
        for (number, &(part, other)) in pieces.iter().enumerate() {
            let lines = format!("l{number}: lxi h, l{}\n ds {other}, 7\n", other % pieces.len());
            parted += &format!(" part {}\n{lines}", PARTS[part]);
            joined[part] += &lines;
            if !order.contains(&part) {
                order.push(part);
            }
        }
        let one = order.iter().fold(String::from(" org 1000h\n"), |text, &part| text + &joined[part]);
        let (one, parted) = (assembled(&one), assembled(&parted));
        prop_assert_eq!(one.image, parted.image);
        let symbols = |of: &Symbols| of.iter().map(|one| (one.name.to_string(), one.value)).collect::<BTreeMap<_, _>>();
        prop_assert_eq!(symbols(&one.symbols), symbols(&parted.symbols));
    }

    /// Any lines of the language are read to their end, and every place lies in a file.
    #[test]
    fn any_mix_of_blocks_is_read(lines in proptest::collection::vec(0usize..LINES.len(), 0..40)) {
        let source: String = lines.iter().map(|&line| format!("        {}\n", LINES[line])).collect();
        let assembly = assembled(&source);
        for one in &assembly.diagnostics {
            prop_assert_eq!(one.span.source, 0, "{}", one.message);
        }
        let _ = (assembly.listing(), line_map(&assembly));
    }
}

const LINES: &[&str] = &[
    "part code",
    "part data lamps",
    "macro mm p, q = 2",
    "endm",
    "mm 1",
    "mm",
    "copies 2, i",
    "db i",
    "endcopies",
    "space s",
    "endspace",
    "x: nop",
    "db s.x",
    "jmp x",
    "cycle",
    "leave z",
    "endcycle",
    "endcycle nz",
    "when c",
    "otherwise",
    "endwhen",
    "region r, 10h, 20h, 1",
    "region r",
    "region q, 30h, 40h",
    "if x",
    "else",
    "endif",
    "ds x",
    "org x + 1",
    "y let y + 1",
    ".l: jmp .l",
    "text zero, \"a\"",
    "x equ y",
];
