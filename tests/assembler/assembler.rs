//! The assembler: every error in a source with many, the language line by line, properties over random programs.

use crate::common::{assembled, cells, error, told};
use plain_byte::assembler::{
    Formula, ListingOptions, NoNames, Options, Texts, assemble, line_map, segment_totals,
};
use plain_byte::processor::{
    BASES, InstructionSet, Row, Shape, Suffix, Usage, ez80, i8080, mos6502, pdp8, pdp10, z80,
};
use plain_byte::report::{Follow, disassemble, disassembly_source};
use proptest::prelude::*;
use std::collections::HashMap;
use std::fmt::Write;

#[test]
fn every_mistake_is_told_once_with_what_to_do() {
    insta::assert_snapshot!(told(&assembled(include_str!("../sources/errors.asm"))));
}

#[test]
fn the_listing_shows_every_directive() {
    let source = include_str!("../sources/language.asm");
    let assembly = assembled(source);
    assert!(assembly.succeeded(), "{}", told(&assembly));
    insta::assert_snapshot!(assembly.listing());
    let mut bare = String::new();
    assembly
        .write_listing(ListingOptions::default().symbols(false), &mut bare)
        .expect("a string takes everything");
    assert!(assembly.listing().starts_with(&bare) && !bare.contains("cells in all"));
    assert_eq!(assembly.image.start(), Some(assembly.symbols.value("another").expect("a label") as u32));
}

#[test]
fn expressions_have_the_documented_values() {
    let cases: &[(&str, Result<i64, &str>)] = &[
        ("1 + 2 * 3 - 4 / 2", Ok(5)),
        ("2 + 3 << 1", Ok(10)),
        ("1 | 2 ^ 3 & 4", Ok(3)),
        ("1 == 1 && 2 != 2 || 3 < 4", Ok(1)),
        ("-7 / 2", Ok(-3)),
        ("-7 % 2", Ok(-1)),
        ("-8 >> 1", Ok(-4)),
        ("1 << 62", Ok(1 << 62)),
        ("~0", Ok(-1)),
        ("!0 + !1", Ok(1)),
        ("high 1234h + low 1234h", Ok(0x12 + 0x34)),
        ("low(1234h + 1)", Ok(0x35)),
        ("'A' - 'a'", Ok(-32)),
        ("0FFh + $FF + 0xFF + 255", Ok(1020)),
        ("9223372036854775807", Ok(i64::MAX)),
        ("-9223372036854775807 - 1", Ok(i64::MIN)),
        ("9223372036854775808", Err("the value does not fit in 64 bits")),
        ("9223372036854775807 + 1", Err("the value does not fit in 64 bits")),
        ("9223372036854775807 * 2", Err("the value does not fit in 64 bits")),
        ("(-9223372036854775807 - 1) / -1", Err("the value does not fit in 64 bits")),
        ("-(-9223372036854775807 - 1)", Err("the value does not fit in 64 bits")),
        ("2 << 62", Err("the value does not fit in 64 bits")),
        ("1 / 0", Err("this divides by zero")),
        ("1 % 0", Err("this divides by zero")),
        ("1 << 64", Err("a shift by 64 places")),
        ("1 >> -1", Err("a shift by -1 places")),
        ("(1", Err("a closing parenthesis is missing here")),
        ("1 +", Err("an operand is missing at the end of the line")),
        ("1 2", Err("`2` stands where the line should end")),
        ("", Err("an operand is missing at the end of the line")),
        ("tide", Err("there is no `tide`")),
        ("\"ab\"", Err("\"ab\" is 2 characters where one number is wanted")),
    ];
    for &(text, expected) in cases {
        let value = Formula::parse(text, None).and_then(|formula| formula.value(&NoNames));
        assert_eq!(value.map_err(|error| error.message), expected.map_err(String::from), "{text}");
        // A value that waits for a symbol further down is computed at the end to the same.
        if let Ok(value) = expected
            && let Ok(word) = i32::try_from(value)
        {
            let source = format!("        org 0\n        dd ({text}) + zero\nzero equ 0\n");
            assert_eq!(cells(&source), word.to_le_bytes().map(u64::from), "{text}");
        }
    }
}

#[test]
fn deep_nesting_is_refused_not_followed() {
    for (open, close) in [("(", ")"), ("-", ""), ("~", ""), ("low ", "")] {
        let deep = |count: usize| format!("        db low({}1{})\n", open.repeat(count), close.repeat(count));
        assert_eq!(cells(&deep(100)).len(), 1);
        assert!(error(&deep(100_000)).contains("nested more than"), "{open}");
    }
}

#[test]
fn local_labels_belong_to_the_label_above() {
    let source = "        org 100h\none:\n.a:     jmp .a\ntwo:\n.a:     jmp .a\n        jmp one.a\n";
    assert_eq!(cells(source), [0xC3, 0x00, 0x01, 0xC3, 0x03, 0x01, 0xC3, 0x00, 0x01]);
    assert!(error(".a: nop\n").contains("the local label `.a` has no label above it"));
    insta::assert_snapshot!(error("one: nop\n jmp .b\ntwo: nop\n.b: nop\n"), @r"
    2:6 `.b` error[undefined-symbol]: the local label `.b` is not defined under `one`
            help: put `.b:` between `one:` and the next label without a point
    ");
}

#[test]
fn constants_may_wait_for_each_other_but_not_in_a_circle() {
    assert_eq!(cells("        db a1\na1 equ a2 + 1\na2 equ a3 + 1\na3 equ 5\n"), [7]);
    insta::assert_snapshot!(error("x1 equ x2\nx2 equ x3\nx3 equ x1\n"), @r"
    2:1 `x2` error[circular]: the value of `x2` depends on itself
            help: give one of the constants a value of its own
            3: through `x3`
            1: through `x1`
    ");
    let mut chain: String = (0..50_000).fold(String::new(), |mut text, at| {
        let _ = writeln!(text, "c{at} equ c{} + 1", at + 1);
        text
    });
    chain.push_str("c50000 equ 1\n        dd c0\n");
    assert_eq!(cells(&chain), 50_001u32.to_le_bytes().map(u64::from));
}

#[test]
fn values_and_their_limits() {
    let fits =
        ["mvi a, 255", "mvi a, -128", "lxi h, 65535", "lxi h, -32768", "rst 7", "out 255", "db -128, 255"];
    for line in fits {
        cells(&format!("        {line}\n"));
    }
    let too_far = [
        "mvi a, 256",
        "mvi a, -129",
        "lxi h, 65536",
        "lxi h, -32769",
        "rst 8",
        "rst -1",
        "out 256",
        "out -1",
        "jmp -1",
        "db 256",
        "dw 65536",
        "dd 100000000h",
    ];
    for line in too_far {
        assert!(error(&format!("        {line}\n")).contains("value-range"), "{line}");
        // The same where the value is known at the end only.
        let (head, value) = line.rsplit_once(' ').expect("an operand");
        assert!(
            error(&format!("        {head} later\nlater equ {value}\n")).contains("value-range"),
            "{line} later"
        );
    }
}

#[test]
fn includes_are_found_nested_and_refused_in_a_circle() {
    let texts = |list: &[(&str, &str)]| {
        Texts(
            list.iter()
                .map(|(name, text)| ((*name).to_string(), text.as_bytes().to_vec()))
                .collect::<HashMap<_, _>>(),
        )
    };
    let options = Options::default().cpu("8085").expect("known");
    let mut good = texts(&[
        ("main.asm", "        org 100h\n        include \"in.asm\"\n        jmp here\n"),
        ("in.asm", "here:   nop\n        include \"deep.asm\"\n"),
        ("deep.asm", "        hlt\n"),
    ]);
    let assembly = assemble("main.asm", &mut good, &options);
    assert!(assembly.succeeded(), "{}", told(&assembly));
    insta::assert_snapshot!(assembly.listing(), @r#"
    addr  cells        T-states   line  source
    0100                             1          org 100h
    0100                             2          include "in.asm"
    0100  00                  4      1+ here:   nop
    0101                             2+         include "deep.asm"
    0101  76                  5      1+         hlt
    0102  C3 00 01           10      3          jmp here

    symbol   value  kind      defined  used in lines
    here      0100  label           1  3

    0100..0104  5 cells: 5 of instructions, 0 of data
    5 cells in all
    "#);
    let mut circle =
        texts(&[("a.asm", "        include \"b.asm\"\n"), ("b.asm", "        include \"a.asm\"\n")]);
    insta::assert_snapshot!(told(&assemble("a.asm", &mut circle, &options)), @r#"
    1:17 `"a.asm"` error[include]: `a.asm` includes itself
            help: remove one of the includes
    "#);
    // A file that includes a second one twice, and that a third one twice, and so on.
    let fans: Vec<(String, String)> = (0..40)
        .map(|at| (format!("{at}"), format!("        include \"{0}\"\n        include \"{0}\"\n", at + 1)))
        .chain([("40".to_string(), "        nop\n".to_string())])
        .collect();
    let list: Vec<(&str, &str)> = fans.iter().map(|(name, text)| (name.as_str(), text.as_str())).collect();
    let assembly = assemble("0", &mut texts(&list), &options);
    assert!(told(&assembly).contains("there are more than 10000 includes"));
}

#[test]
fn conditions_leave_lines_out_whole() {
    let source = |value: i64| {
        format!(
            "x equ {value}\n        if x\n        db 1\n        if 0\n        broken line here\n        else\n        db 2\n        endif\n        else\n        db 3\n        endif\n"
        )
    };
    assert_eq!((cells(&source(1)), cells(&source(0))), (vec![1, 2], vec![3]));
    for (source, part) in [
        ("        if 1\n", "never closed"),
        ("        endif\n", "`endif` without `if`"),
        ("        else\n", "`else` without `if`"),
        ("        if 1\n        else\n        else\n        endif\n", "a second `else`"),
        ("        if later\n        endif\n", "`later` is not defined anywhere"),
    ] {
        assert!(error(source).contains(part), "{source}");
    }
}

#[test]
fn symbols_from_outside() {
    let options = Options::default().cpu("8085").expect("known").define("crew", 3).origin(0x4000);
    let text = "        if !defined(crew)\ncrew equ 1\n        endif\n        db crew, high $\n";
    let assembly = assemble("t", &mut Texts::one("t", text), &options);
    assert_eq!(assembly.image.segments()[0].cells, [3, 0x40]);
    let twice = assemble("t", &mut Texts::one("t", "crew equ 1\n"), &options);
    assert!(told(&twice).contains("it is defined from outside; put the line between `if !defined(crew)`"));
}

#[test]
fn what_is_past_the_end_of_memory_is_told_once() {
    let text = told(&assembled(
        "        org 0FFFEh\n        db 1, 2, 3, 4\n        db 5\n        ds 0FFFFFFFFh\n        ds 0FFFFFFFFh, 7\n",
    ));
    assert_eq!(text.matches("error[").count(), 1, "{text}");
    assert!(text.contains("past the last address FFFF"));
    assert_eq!(cells("        org 0FFFEh\n        db 1, 2\n"), [1, 2]);
}

#[test]
fn overlapping_pieces_are_told_with_both_places() {
    insta::assert_snapshot!(error("        org 100h\n        ds 8, 1\n        org 104h\n        db 2\n"), @r"
    4:9 `db` error[overlap]: the cells 0104 to 0104 are written twice
            help: move one of the two pieces with `org`
            2: the other piece begins here
    ");
}

#[test]
fn a_processor_must_be_chosen_before_instructions() {
    let assembly = assemble("t", &mut Texts::one("t", "        nop\n        hlt\n"), &Options::default());
    assert_eq!(told(&assembly).matches("no processor is chosen").count(), 1);
    let data = assemble("t", &mut Texts::one("t", "        org 10h\n        db 1\n"), &Options::default());
    assert!(data.succeeded() && data.set.is_none());
}

#[test]
fn odd_bytes_in_a_source_are_errors_not_panics() {
    for (bytes, part) in [
        (&b"        db 1\x00\n"[..], "character"),
        (&b"        db \xFF\xFE\n"[..], "not UTF-8"),
        (&b"\xEF\xBB\xBF        nop\n"[..], "a line cannot begin with"),
        (&b"        db 'AB\n"[..], "no closing '"),
        ("        mvi a, ５\n".as_bytes(), "character"),
    ] {
        let options = Options::default().cpu("8085").expect("known");
        let text = told(&assemble("t", &mut Texts::one("t", bytes), &options));
        assert!(text.contains(part), "{bytes:?}: {text}");
    }
    let long = format!("        db {}\n", "1, ".repeat(20_000));
    assert!(error(&long).contains("missing after the comma"));
    let wide = format!("        db 1 ; {}\n", "x".repeat(5_000_000));
    assert_eq!(cells(&wide), [1]);
    let many: String = "        mvo a\n".repeat(2_000);
    assert_eq!(assembled(&many).errors(), 2_000);
    assert!(assembled(&many).diagnostics.len() <= 500);
}

#[test]
fn maps_tell_which_line_made_which_cells() {
    let assembly = assembled(
        "        org 100h\nstart:  mvi a, 1\n        db 1, 2, 3\n        ds 4\n        org 200h\n        hlt\n",
    );
    let map: Vec<_> =
        line_map(&assembly).into_iter().map(|one| (one.address, one.cells, one.line, one.code)).collect();
    assert_eq!(map, [(0x100, 2, 2, true), (0x102, 3, 3, false), (0x200, 1, 6, true)]);
    let totals: Vec<_> =
        segment_totals(&assembly).iter().map(|one| (one.first, one.last, one.code, one.data)).collect();
    assert_eq!(totals, [(0x100, 0x104, 2, 3), (0x200, 0x200, 1, 0)]);
}

/// Every directive with what it cannot do anything with: a line that is wrong, and what it is answered.
#[test]
fn every_directive_refuses_what_makes_no_sense() {
    let lines = [
        "cpu",
        "cpu z",
        "cpu 8085 8080",
        "cpu \"8085\"",
        "org",
        "org later",
        "org 1, 2",
        "org \"x\"",
        "db 1,",
        "db ,1",
        "db \"\"",
        "db a",
        "db 1 2",
        "db 'ab' + 1",
        "dw",
        "dw \"ab\"",
        "dw 1 +",
        "dd 'ab'",
        "dd 1 << 40",
        "ds",
        "ds later",
        "ds 1, later",
        "ds 1, 256",
        "ds 1, 2, 3",
        "ds 100000h",
        "part",
        "part lamp",
        "part data 5",
        "pad",
        "pad later",
        "pad 0",
        "pad -9223372036854775807 - 1",
        "pad 40h, 256",
        "align",
        "align -1",
        "align 3, 300",
        "align later",
        "if",
        "if )",
        "include",
        "include x",
        "include \"a\", 1",
        "include \"\"",
        "entry",
        "entry nowhere",
        "entry 1, 2",
        "demand",
        "demand 0",
        "demand 1, 2",
        "demand 0, \"the tank must hold\"",
        "note",
        "note 5",
        "note \"a\" \"b\"",
        "equ 1",
        "let",
        "x equ",
        "x equ x",
        "x let",
        "x let later",
        "x equ 1 2",
        "mvi equ 1",
        "b let 1",
        "db equ 1",
        "1x equ 2",
        ".y equ 1",
        "x: equ 1",
        "x: let 1",
        "x: y: z: db 1 + ",
        ": nop",
        "x nop",
        "else 1",
        "endif 1",
        "defined(x)",
        "db defined",
        "db defined(",
        "db defined(1)",
        "db low",
        "db low()",
        "db ~",
        "db (",
        "db )",
        "db $$",
        "db 1 = 1",
        "macro",
        "macro m 1",
        "macro m a b",
        "macro m a, a",
        "macro mvi",
        "macro m",
        "endm",
        "copies",
        "copies 2",
        "copies -1",
        "endcopies",
        "space",
        "space a, b",
        "space .a",
        "space a",
        "endspace",
        "cycle 1",
        "cycle",
        "leave",
        "endcycle",
        "when",
        "when q",
        "when zz",
        "when 1",
        "when z",
        "otherwise",
        "endwhen",
        "embed",
        "embed nothing",
        "embed \"nothing\"",
        "region",
        "region a",
        "region a, 1",
        "region a, 2, 1",
        "region a, -1, 1",
        "region a, 0, 10000h",
        "region a, 0, 1, 256",
        "region a, 0, 1, 2, 3",
        "text",
        "text \"x\"",
        "text zero",
        "text zero \"x\"",
        "text zer, \"x\"",
        "text zero, \"a\\0b\"",
        "text marker, \"x\"",
        "text marker(256), \"x\"",
        "text marker('x'), \"axb\"",
        "text ff, \"\\xFF\"",
        "text high-bit, \"\"",
        "text high-bit, \"\\x80\"",
        "text six-bit, \"fog\"",
        "text seven-bit, \"\\x80\"",
        "text zero, 256",
        "image",
        "image hexx, \"f\"",
        "image hex",
        "image hex, f",
        "image hex, \"f\", 1",
        "image hex, \"f\", fill = 1",
        "image hex, \"f\", record = 0",
        "image raw, \"f\", lenght = 5",
    ];
    let mut text = String::new();
    for line in lines {
        let assembly = assembled(&format!("        org 20h\n        {line}\nlater:  nop\n"));
        let _ = writeln!(text, "{line}");
        for one in &assembly.diagnostics {
            let place = assembly.sources.place(one.span);
            let _ = writeln!(
                text,
                "    {}:{} {}: {} ({})",
                place.line, place.column, one.code, one.message, one.help
            );
        }
    }
    insta::assert_snapshot!(text);
}

#[test]
fn every_operand_of_every_instruction_refuses_what_it_cannot_take() {
    for row in i8080::I8085U.own_rows() {
        let good: Vec<String> = row
            .operands
            .iter()
            .map(|shape| match shape {
                Shape::Name { names, .. } => {
                    names.list.iter().find(|name| !name.is_empty()).expect("a name").to_string()
                }
                Shape::Fixed(name) => (*name).to_string(),
                _ => "1".to_string(),
            })
            .collect();
        let line = |operands: &[String]| {
            format!(
                "        cpu 8085u\n        {} {}\n        hlt\n",
                row.mnemonic.to_lowercase(),
                operands.join(", ")
            )
        };
        assert!(assembled(&line(&good)).succeeded(), "{}", row.form());
        for at in 0..good.len() {
            for wrong in ["(", "\"text\"", "qq", "999999", "-999999", "#1", "[hl]", ""] {
                let mut operands = good.clone();
                operands[at] = wrong.to_string();
                let source = line(&operands);
                let assembly = assembled(&source);
                assert_eq!(assembly.errors(), 1, "{source}{}", told(&assembly));
                let one = &assembly.diagnostics[0];
                assert_eq!(assembly.sources.place(one.span).line, 2, "{source}");
                assert!(!one.help.is_empty() && one.span.start < source.len() as u32, "{source}");
                // The line takes its cells all the same, so that what follows stands where it would.
                let hlt = assembly.lines.last().expect("two lines");
                assert_eq!(hlt.address as usize, row.cells(), "{source}");
            }
        }
        let extra = line(&[good.clone(), vec!["1".to_string()]].concat());
        assert_eq!(assembled(&extra).errors(), 1, "{extra}");
        if let Some((_, fewer)) = good.split_last() {
            let missing = line(fewer);
            assert_eq!(assembled(&missing).errors(), 1, "{missing}");
        }
    }
}

/// The sets whose instructions are put together at random, every family with all it has.
const SETS: [&InstructionSet; 9] = [
    &i8080::I8085U,
    &mos6502::MOS6502,
    &mos6502::C65C02,
    &mos6502::MOS6502U,
    &pdp8::PDP8,
    &pdp10::PDP10,
    &z80::Z80U,
    &ez80::EZ80,
    &ez80::EZ80_ADL,
];

fn operand(shape: Shape, number: u16) -> String {
    match shape {
        Shape::Name { names, .. } => {
            let list: Vec<_> = names.list.iter().filter(|name| !name.is_empty()).collect();
            list[usize::from(number) % list.len()].to_string()
        }
        Shape::Indexed { names, .. } => {
            format!("{}{:+}", names.list[usize::from(number) % names.list.len()], (number >> 1) as i8)
        }
        Shape::Vector => format!("{}", number & 0x38),
        Shape::Fixed(name) => name.to_string(),
        Shape::Digit { last, .. } => format!("{}.", number % (u16::from(last) + 1)),
        Shape::OptionalDigit { last, .. } => format!("{:o}", number % (u16::from(last) + 1)),
        Shape::NonZeroDigit { last, .. } => format!("{:o}", number % u16::from(last) + 1),
        Shape::Device(names) if number & 3 == 0 => names[usize::from(number) % names.len()].0.to_string(),
        Shape::Device(_) => format!("{:o}", number & 0o774),
        Shape::Effective(_) => {
            let index = [String::new(), format!("({:o})", number % 15 + 1)];
            let sign = if number & 0o10 != 0 && number & 4 != 0 { "-" } else { "" };
            let at = if number & 1 != 0 { "@" } else { "" };
            format!("{at}{sign}{number:o}{}", index[usize::from(number >> 1 & 1)])
        }
        Shape::ADDRESS if number & 7 == 0 => format!("absolute {}", number & 0xFF),
        Shape::Number(one) if one.bits == 32 => format!("{number}:{}", number >> 3),
        Shape::Number(one) => match one.cells * one.cell_bits {
            8 => format!("0{:X}h", number & 0xFF),
            12 => format!("{:o}", number & 0o7777),
            16 => number.to_string(),
            _ => (u32::from(number) * 251).to_string(),
        },
        Shape::Relative | Shape::Relative16 => format!("$ + {}", number & 0x7F),
        Shape::Direct(_) => format!("[0{number:X}h]"),
        Shape::Memory(size) => {
            let sum = BASES[usize::from(number & 7)];
            format!("{} [{sum}{:+}]", size.words().unwrap_or_default(), number as i16)
        }
        Shape::Escape => (number & 0x3F).to_string(),
        // In page zero; what lies elsewhere may need a link.
        Shape::Page => format!("{:o}", number & 0o177),
        Shape::Bits(mask) => format!("{:o}", u64::from(number) & mask),
        Shape::Micro(_) => String::new(),
        Shape::Within(within) => format!("{}{}{}", within.open, operand(within.inner, number), within.close),
    }
    .replace("(absolute ", "(")
}

/// One of the suffixes after the mnemonic, in some of the instructions of a set that has any.
fn with_suffix(set: &'static InstructionSet, row: &Row, text: &str, number: u16) -> String {
    let same_words = |suffix: &&Suffix| std::ptr::eq(suffix.set.rows(), set.rows());
    let suffixes: Vec<_> = set.modes.iter().flat_map(|modes| modes.suffixes).filter(same_words).collect();
    match suffixes.get(usize::from(number) % 8) {
        Some(suffix) => text.replacen(row.mnemonic, &format!("{}{}", row.mnemonic, suffix.names[0]), 1),
        None => text.to_string(),
    }
}

/// A random instruction as source text, with numbers that fit.
pub fn instruction(set: &'static InstructionSet) -> impl Strategy<Value = String> {
    let rows: Vec<_> =
        set.own_rows().filter(|row| !matches!(row.usage, Usage::Found | Usage::Combined)).collect();
    (proptest::sample::select(rows), any::<[u16; 3]>(), any::<bool>()).prop_map(
        move |(row, numbers, capitals)| {
            let operands: Vec<String> =
                row.operands.iter().zip(numbers).map(|(&shape, number)| operand(shape, number)).collect();
            let text = format!("{} {}", row.mnemonic, operands.join(", "));
            let text = with_suffix(set, row, &text, numbers[0]);
            let has_short = set.address_bits() == 16 && set.register("X").is_some();
            let text = if has_short { text } else { text.replace("absolute ", "") };
            if capitals { text } else { text.to_lowercase() }
        },
    )
}

fn program() -> impl Strategy<Value = (&'static InstructionSet, Vec<String>)> {
    proptest::sample::select(&SETS[..]).prop_flat_map(|set| {
        proptest::collection::vec(instruction(set), 1..60).prop_map(move |lines| (set, lines))
    })
}

proptest! {
    /// Source to image to disassembly to the same image.
    #[test]
    fn disassemblies_assemble_to_the_same_cells((set, lines) in program(), origin in 0u32..0xF000) {
        let source = lines.iter().fold(format!("        cpu {}\n        org {}.\n", set.name(), origin & (set.last_address() >> 1)), |text, line| format!("{text}        {line}\n"));
        let assembly = assembled(&source);
        prop_assert!(assembly.succeeded(), "{}", told(&assembly));
        for follow in [Follow::All, Follow::From(&[])] {
            let lines = disassemble(set, &assembly.image, follow, &|_| None);
            let again = assembled(&disassembly_source(set, &assembly.image, &lines).to_string());
            prop_assert!(again.succeeded(), "{}", told(&again));
            prop_assert_eq!(again.image.segments(), assembly.image.segments());
        }
    }

    /// Any cells at all come back from their disassembly.
    #[test]
    fn any_cells_come_back_from_their_disassembly(
        cells in proptest::collection::vec(prop_oneof![0u64..=255, 0u64..=255, 0x41u64..0x5B, Just(0u64), Just(0x22u64)], 1..300),
        start in prop_oneof![0u32..0xFE00, Just(0xFFF0u32)],
        entries in proptest::collection::vec(0u32..300, 0..4),
        long in 0usize..40,
    ) {
        for (set, entered) in plain_byte::processor::ALL.iter().flat_map(|set| [(set, false), (set, true)]) {
            let start = start & set.last_address();
            let room = (set.last_address() - start) as usize + 1;
            // A word machine's cells have more bits, and texts in them all the same.
            let wide = |cell: u64| if set.is_word_machine() && cell < 0x40 { cell * 0o101 } else { cell };
            let cells = std::iter::repeat_n(cells[0], long).chain(cells.iter().copied()).map(wide).take(room).collect();
            let image = plain_byte::image::Image::from_cells(set.cell_bits(), start, cells).expect("it fits");
            let entries: Vec<u32> = entries.iter().map(|entry| start + entry).collect();
            let follow = if entered { Follow::From(&entries) } else { Follow::All };
            let lines = disassemble(set, &image, follow, &|_| None);
            prop_assert!(lines.iter().flat_map(|line| &line.cells).eq(image.segments().iter().flat_map(|one| &one.cells)));
            let text = disassembly_source(set, &image, &lines).to_string();
            let again = assembled(&text);
            prop_assert!(again.succeeded(), "{}\n{text}", told(&again));
            prop_assert_eq!(again.image.segments(), image.segments());
        }
    }

    /// Whatever the text, the assembler ends and says where everything is.
    #[test]
    fn any_text_is_read_to_its_end(text in "[ -~\n\t;:.$%'\"\\\\(),é]{0,400}") {
        let assembly = assembled(&text);
        for one in &assembly.diagnostics {
            let source = assembly.sources.get(one.span.source).expect("a known source");
            prop_assert!(one.span.start <= one.span.end && one.span.end as usize <= source.text.len() + 3);
            prop_assert!(!one.message.is_empty());
        }
        let _ = assembly.listing();
    }

    /// Lines put together from words of the language find the odd corners more often than letters do.
    #[test]
    fn any_words_are_read_to_their_end(words in proptest::collection::vec(proptest::sample::select(vec![
        "mvi", "a", ",", "db", "dw", "ds", "org", "equ", "let", "x", "x:", ".y", ".y:", "if", "else", "endif", "0FFFFh", "1", "-", "(", ")",
        "\"t\"", "'c'", "$", "low", "high", "<<", "*", "/", "0", "\n", "\n", "\n", "pad", "align", "entry", "include", "demand", "note", "cpu", "8085", "6502", "lda", "bne", "#", ", x)", "zeropage", "when", "eq", "endwhen", "defined", "cell",
    ]), 0..120)) {
        let text = words.join(" ");
        let assembly = assembled(&text);
        let _ = assembly.listing();
        prop_assert!(assembly.image.cells() <= 0x1_0000);
    }
}

/// Lines of which some mean the same wherever they stand, and others something else each time.
const LINES: &[&str] = &[
    "mvi a, 12h",
    "inx h",
    "MOV B, M",
    "lxi h, table + 2",
    "lxi h, 1234h",
    "lxi h, $",
    "mvi c, low $",
    "jmp $ + 3",
    "jnz next",
    "mvi a, defined(late)",
    "mvi a, ';'",
    "ani ~7 & 0FFh",
    "adi count",
    "mvi q, 1",
    "mvi a, 300",
    "db 1, 2, \"fog\"",
    "dw $, 0",
    "nop    ; a comment",
    "hlt",
    "count let count + 1",
    "cpu 8080",
    "cpu 8085",
    "cpu z80",
    "ld a, 5",
    "ld (ix+3), 7",
    "jr $",
    "inc hl",
    "add a",
    "call next",
    "rst 8",
    "rim",
    "mova 5",
    "late equ 1",
    "space one",
    "own : inr a",
    "endspace",
];

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    /// A line that was read before comes to what it would come to were it read anew: no two lines of the other source are the same.
    #[test]
    fn a_line_read_before_means_what_it_says(lines in prop::collection::vec(0..LINES.len(), 1..90)) {
        let program = |same: bool| {
            let mut text = String::from("        cpu 8085\n        org 100h\ncount   let 0\nnext:\ntable   equ 4100h\n");
            let mut seen = HashMap::<usize, usize>::new();
            for &at in &lines {
                let blanks = seen.entry(at).or_default();
                *blanks += usize::from(!same);
                let (head, tail) = LINES[at].split_once(' ').unwrap_or((LINES[at], ""));
                // A short text that is never the same again, and one that is longer than any that is remembered.
                let gap = if *blanks > 8 { 30 + *blanks } else { 1 + *blanks };
                writeln!(text, "        {head}{:gap$}{tail}", "").expect("a text");
            }
            assembled(&text)
        };
        let (one, other) = (program(true), program(false));
        let cells = |assembly: &plain_byte::assembler::Assembly| {
            assembly.image.segments().iter().map(|one| (one.start, one.cells.clone())).collect::<Vec<_>>()
        };
        prop_assert_eq!(cells(&one), cells(&other));
        let kinds = |assembly: &plain_byte::assembler::Assembly| {
            assembly.lines.iter().map(|line| (line.address, line.kind)).collect::<Vec<_>>()
        };
        prop_assert_eq!(kinds(&one), kinds(&other));
        let told = |assembly: &plain_byte::assembler::Assembly| {
            assembly.diagnostics.iter().map(|one| (one.code, one.message.clone())).collect::<Vec<_>>()
        };
        prop_assert_eq!(told(&one), told(&other));
    }
}
