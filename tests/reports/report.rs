//! What people read: the chart, disassemblies, facts, notations, cells in every radix, toned text.

use crate::common::session;
use plain_byte::diagnostic::{Sources, Span, nearest};
use plain_byte::image::{Image, Segment};
use plain_byte::number::{
    Habit, Notations, digits, grouped, parse, push_blanks, push_decimal, push_digits, thousands,
};
use plain_byte::number::{clock_text, time_text};
use plain_byte::processor::{ALL, foreign, i8080};
use plain_byte::report::{Follow, chart, disassemble, inspect, notations};
use plain_byte::report::{Radix, memory_text};
use plain_byte::text::{Text, Tone};
use proptest::prelude::*;

#[test]
fn the_chart_has_every_opcode_with_every_column() {
    let counts: Vec<_> = ALL.iter().map(|set| (set.name(), chart::entries(set).len())).collect();
    assert_eq!(
        counts,
        [
            ("8080", 244),
            ("8085", 246),
            ("8085u", 256),
            ("6502", 151),
            ("65c02", 256),
            ("6502u", 256),
            ("pdp8", 114),
            ("pdp10", 375),
            ("z80", 698),
            ("z80u", 1446),
            ("ez80", 887),
            ("ez80adl", 887),
            ("8086", 438),
            ("8088", 438),
            ("8086u", 460)
        ]
    );
    for set in ALL {
        for entry in chart::entries(set) {
            // Byte by byte, but for the place of an operand between them.
            let read = |text: &str, radix| {
                let bytes = text.split(' ').filter(|byte| *byte != "d");
                let each = bytes.map(|byte| u64::from_str_radix(byte, radix).expect("a number"));
                each.reduce(|whole, byte| whole << 8 | byte)
            };
            // After a slash the operand byte, or the part of it that belongs to the opcode.
            if let Some((first, _)) = entry.hex.split_once(" /") {
                assert_eq!(read(first, 16), Some(entry.opcode));
            } else {
                assert_eq!(read(&entry.hex, 16), Some(entry.opcode));
                assert_eq!(read(&entry.octal, 8), Some(entry.opcode));
            }
            assert!((1..=5).contains(&entry.cells) && !entry.meaning.is_empty(), "{entry:?}");
            let times: Vec<u64> = entry
                .cycles
                .trim_end_matches(['p', 'd'])
                .split(['/', '+'])
                .filter(|time| *time != "ea" && !time.ends_with('n'))
                .map(|time| time.parse().expect("a number"))
                .collect();
            let range = match set.identity.cycle_name {
                "T-states" => 4..=23,
                "clocks" => 2..=185,
                "ticks" => 12..=174,
                _ => 1..=8,
            };
            assert!(times.iter().all(|time| range.contains(time)), "{entry:?}");
        }
    }
    let of_6502 = |asked: &str| {
        let set = plain_byte::processor::find("6502").expect("a processor");
        chart::table(set, &chart::select(set, asked).expect("an opcode")).to_string()
    };
    assert!(of_6502("adc").ends_with("cycles: p 1 more where a page is crossed\n"));
    assert!(!of_6502("inx").contains("page"));
    let of_8086 = plain_byte::processor::find("8086").expect("a processor");
    insta::assert_snapshot!("operand_byte", chart::operand_byte(of_8086).expect("its tables").to_string());
    assert!(chart::operand_byte(&i8080::I8085).is_none());
    // Opcodes that people know by heart.
    let heart = [
        (0x00, "NOP"),
        (0x3E, "MVI A, data8"),
        (0x21, "LXI H, data16"),
        (0x76, "HLT"),
        (0x78, "MOV A, B"),
        (0x86, "ADD M"),
        (0xC3, "JMP label"),
        (0xC9, "RET"),
        (0xCD, "CALL label"),
        (0xD3, "OUT port"),
        (0xDB, "IN port"),
        (0xE3, "XTHL"),
        (0xEB, "XCHG"),
        (0xF5, "PUSH PSW"),
        (0xFE, "CPI data8"),
        (0xFF, "RST 7"),
        (0x20, "RIM"),
        (0x30, "SIM"),
        (0x32, "STA addr"),
    ];
    let all = chart::entries(&i8080::I8085);
    for (opcode, written) in heart {
        let entry = all.iter().find(|entry| entry.opcode == opcode).expect("an entry");
        assert_eq!(entry.instruction, written);
    }
}

#[test]
fn parts_of_the_chart_are_found() {
    let found = |asked: &str| match chart::select(&i8080::I8085, asked) {
        Ok(entries) => format!(
            "{} from {} to {}",
            entries.len(),
            entries[0].instruction,
            entries[entries.len() - 1].instruction
        ),
        Err(problem) => problem.to_string(),
    };
    let rows: &[(&str, &str)] = &[
        ("mov", "63 from MOV B, B to MOV A, A"),
        ("MVI", "8 from MVI B, data8 to MVI A, data8"),
        ("j", "9 from JNZ label to JM label"),
        ("jp", "1 from JP label to JP label"),
        ("push p", "1 from PUSH PSW to PUSH PSW"),
        ("76h", "1 from HLT to HLT"),
        ("118", "1 from HLT to HLT"),
        ("0x76", "1 from HLT to HLT"),
        ("40h..47h", "8 from MOV B, B to MOV B, A"),
        ("08h", "08h is not an opcode of the 8085"),
        ("300", "300 is not an opcode of the 8085"),
        ("dsub", "the 8085 has no instruction `dsub`; did you mean SUB?"),
        (
            "zzzz",
            "the 8085 has no instruction `zzzz`; ask for a mnemonic, an opcode such as 3Eh, or a range such as 40h..4Fh",
        ),
    ];
    for (asked, expected) in rows {
        assert_eq!(found(asked), *expected, "{asked}");
    }
}

#[test]
fn comma_separated_values_read_back() {
    let entries = chart::entries(&i8080::I8085);
    let csv = chart::csv(&i8080::I8085, &entries);
    let mut lines = csv.lines();
    assert_eq!(lines.next(), Some("hex,decimal,octal,instruction,cells,t-states,flags,meaning"));
    for (line, entry) in lines.zip(&entries) {
        let mut fields = Vec::new();
        let mut rest = line;
        while !rest.is_empty() {
            let (field, after) = match rest.strip_prefix('"') {
                Some(quoted) => quoted
                    .split_once('"')
                    .map(|(field, after)| (field, after.strip_prefix(',').unwrap_or(after))),
                None => Some(rest.split_once(',').unwrap_or((rest, ""))),
            }
            .expect("a closing quote");
            fields.push(field);
            rest = after;
        }
        assert_eq!(
            (fields[0], fields[3], fields[fields.len() - 1]),
            (entry.hex.as_str(), entry.instruction.as_str(), &*entry.meaning)
        );
        assert_eq!(fields.len(), 8, "{line}");
    }
}

#[test]
fn disassembly_names_what_is_gone_to_and_shows_the_rest_as_data() {
    let cells = vec![0xC3, 0x05, 0x01, 0x08, 0xFF, 0x3E, 0x2A, 0xC2, 0x05, 0x01, 0xCD, 0x34, 0x12, 0x3E];
    let image = Image::from_cells(8, 0x100, cells).expect("it fits");
    let known = |address: u32| (address == 0x100).then(|| "start".to_string());
    let lines = disassemble(&i8080::I8085, &image, Follow::All, &known);
    let told: Vec<String> = lines
        .iter()
        .map(|line| {
            format!(
                "{:04X} {}{} [{}]",
                line.address,
                line.label.as_ref().map(|label| format!("{label}: ")).unwrap_or_default(),
                line.text,
                line.cycles
            )
        })
        .collect();
    insta::assert_snapshot!(told.join("\n"), @r"
    0100 start: jmp at0105 [10]
    0103 db 08h []
    0104 rst 7 [12]
    0105 at0105: mvi a, 2Ah [7]
    0107 jnz at0105 [7/10]
    010A call 1234h [18]
    010D db 3Eh []
    ");
}

#[test]
fn images_are_looked_over() {
    let pieces = vec![
        Segment { start: 0x4000, cells: (0..20).collect() },
        Segment { start: 0x8000, cells: vec![0xFF; 300] },
    ];
    let mut image = Image::from_pieces(8, pieces).expect("it fits").0;
    image.set_entry(Some(0x4004));
    let facts = inspect(&image, Some(&i8080::I8085), &[]);
    insta::assert_snapshot!(facts.text(Some(&i8080::I8085)).to_string());
    let nothing = inspect(&Image::new(8).expect("it fits"), None, &[]).text(None).to_string();
    assert_eq!(nothing, "size     0 cells of 8 bits in 0 segments\n");
}

#[test]
fn cells_are_shown_in_every_radix() {
    let session = session(
        "plover",
        "        org 4005h\n        db 1, 20, 255, 'A', 10h\n        org 7FFEh\n        db 7, 8\n",
    );
    let show = |first, last, radix| memory_text(session.machine(), first, last, radix).to_string();
    let mut text = String::new();
    for radix in [Radix::Habit, Radix::Hex, Radix::Decimal, Radix::Octal, Radix::Binary, Radix::Character] {
        text.push_str(&show(0x4005, 0x4009, radix));
    }
    text.push_str(&show(0x3FFE, 0x4012, Radix::Habit));
    text.push_str(&show(0xFFFF, 0xFFFF, Radix::Habit));
    insta::assert_snapshot!(text, @r"
    4005  01 14 FF 41 10                                   ...A.
    4005  01 14 FF 41 10
    4005    1  20 255  65  16
    4005  001 024 377 101 020
    4005  00000001 00010100 11111111 01000001 00010000
    4005  . . . A .
    3FFE                                            -- --
    4000  00 00 00 00 00 01 14 FF 41 10 00 00 00 00 00 00  ........A.......
    4010  00 00 00                                         ...
    FFFF  00                                               .
    ");
    assert!(Radix::NAMES.iter().all(|(name, _)| name.len() > 2));
}

#[test]
fn values_are_shown_in_every_notation() {
    let rows: &[(i64, &str)] = &[
        (0, "hex 00h|decimal 0|octal 000|binary 0000 0000|character NUL|width 8 bits"),
        (65, "hex 41h|decimal 65|octal 101|binary 0100 0001|character 'A'|width 8 bits"),
        (200, "hex 0C8h|decimal 200|signed -56|octal 310|binary 1100 1000|width 8 bits"),
        (-1, "hex 0FFh|decimal 255|signed -1|octal 377|binary 1111 1111|width 8 bits"),
        (
            0x1234,
            "hex 1234h|decimal 4660|octal 011064|binary 0001 0010 0011 0100|high, low 12h 34h, decimal 18 52, octal 022 064|width 16 bits",
        ),
        (
            0x1_0000,
            "hex 00010000h|decimal 65536|octal 00000200000|binary 0000 0000 0000 0001 0000 0000 0000 0000|width 32 bits",
        ),
    ];
    for (value, expected) in rows {
        let text = notations(&Notations::of(*value)).to_string();
        let lines: Vec<String> = text
            .lines()
            .map(|line| {
                let (name, shown) = line.split_at(11);
                format!("{} {shown}", name.trim_end())
            })
            .collect();
        assert_eq!(lines.join("|"), *expected);
    }
}

#[test]
fn a_word_is_shown_as_the_people_of_word_machines_read_it() {
    let shown = |value: i64, bits: u8| {
        let word = Notations::of_word(value, bits).expect("it fits");
        let text = notations(&word).to_string();
        text.lines()
            .map(|line| line.split_whitespace().collect::<Vec<_>>().join(" "))
            .collect::<Vec<_>>()
            .join("|")
    };
    assert_eq!(
        shown(0o4142, 12),
        "hex 862h|decimal 2146|signed -1950|octal 4142|binary 100 001 100 010|halves 41 42|six-bit \"AB\"|width 12 bits"
    );
    assert_eq!(
        shown(-1, 12),
        "hex 0FFFh|decimal 4095|signed -1|octal 7777|binary 111 111 111 111|halves 77 77|six-bit \"__\"|width 12 bits"
    );
    // FOGGY in seven bits a letter, the last bit left over.
    let foggy = b"FOGGY".iter().fold(0, |word, &letter| word << 7 | i64::from(letter)) << 1;
    let text = shown(foggy, 36);
    assert!(text.contains("|halves 432370 743662|") && text.contains("seven-bit \"FOGGY\""), "{text}");
    assert!(Notations::of_word(4096, 12).is_none() && Notations::of_word(-2049, 12).is_none());
}

#[test]
fn times_and_clocks_have_units_that_fit() {
    let rows = [
        (0, "0 s"),
        (3, "0.98 µs"),
        (30, "9.77 µs"),
        (3_072, "1.00 ms"),
        (307_200, "100.0 ms"),
        (3_072_000, "1.00 s"),
        (61_440_000, "20.0 s"),
    ];
    for (cycles, expected) in rows {
        assert_eq!(time_text(cycles, 3_072_000), expected);
    }
    assert_eq!([1, 1_500, 3_072_000].map(clock_text), ["1 Hz", "1.5 kHz", "3.072 MHz"]);
    assert_eq!([0, 999, 1_000, 1_234_567].map(thousands), ["0", "999", "1 000", "1 234 567"]);
    assert_eq!((grouped("10110", 4), grouped("", 4)), ("1 0110".to_string(), String::new()));
}

#[test]
fn toned_text_reads_the_same_without_tones() {
    let mut text = Text::new();
    assert!(text.is_empty());
    text.tone(Tone::Strong, "lamp").put("  ").tone(Tone::Live, "lit").put("   ");
    text.line().line().tone(Tone::Wrong, "");
    text.append(Text::plain("two\nlines"));
    text.append(Text::toned(Tone::Faint, "end"));
    assert_eq!(text.to_string(), "lamp  lit\n\n\ntwo\nlines\nend\n");
    assert_eq!(text.lines().map(<[_]>::len).collect::<Vec<_>>(), [4, 0, 0, 1, 1, 1]);
}

#[test]
fn the_nearest_name_is_near_enough_to_be_meant() {
    let names = ["mov", "mvi", "lamps", "visibility", "a", "jnz", "hl"];
    let rows = [
        ("mvo", Some("mov")),
        ("MOVE", Some("mov")),
        ("lmaps", Some("lamps")),
        ("lamp", Some("lamps")),
        ("visability", Some("visibility")),
        ("vsiblty", Some("visibility")),
        ("A", Some("a")),
        ("b", None),
        ("jz", Some("jnz")),
        ("xyz", None),
        ("hm", Some("hl")),
        ("", None),
        ("quite another thing", None),
    ];
    for (name, expected) in rows {
        assert_eq!(nearest(name, names), expected, "{name}");
    }
    assert_eq!(nearest(&"x".repeat(1000), names), None);
}

#[test]
fn foreign_mnemonics_are_known_by_their_owners() {
    for (name, owner) in [
        ("ld", "Z80"),
        ("LDIR", "Z80"),
        ("jsr", "6502"),
        ("loop", "8086"),
        ("tad", "PDP-8"),
        ("move", "PDP-10"),
    ] {
        let found = foreign(&i8080::I8085, name).expect(name);
        assert_eq!(found.owner, owner);
        assert!(!found.instead.is_empty());
    }
    assert!(foreign(&i8080::I8085, "mov").is_none() && foreign(&i8080::I8085, "").is_none());
    for set in ALL {
        assert!(
            set.own_rows().all(|row| foreign(set, row.mnemonic).is_none_or(|one| one.owner == "65C02")),
            "no own mnemonic is called foreign"
        );
    }
}

proptest! {
    /// Every notation of a value reads back to it.
    #[test]
    fn notations_read_back(value in prop_oneof![-40_000i64..70_000, any::<i32>().prop_map(i64::from)]) {
        let all = Notations::of(value);
        let bits = u32::from(all.bits);
        let cut = if bits == 64 { value as u64 } else { value as u64 & ((1 << bits) - 1) };
        prop_assert_eq!(parse(&all.hex, 10), Ok(cut));
        prop_assert_eq!(parse(&all.octal, 8), Ok(cut));
        prop_assert_eq!(parse(&format!("0b{}", all.binary.replace(' ', "")), 10), Ok(cut));
        prop_assert_eq!(all.unsigned, cut);
        prop_assert!(all.signed == value || value > all.signed, "{:?}", all);
    }

    #[test]
    fn digits_read_back(value in any::<u64>(), bits in 1u8..=64) {
        for radix in [2, 8, 10, 16] {
            let text = digits(value, radix, bits);
            prop_assert_eq!(u64::from_str_radix(&text, radix), Ok(value));
        }
        prop_assert_eq!(parse(&Habit::IntelHex.literal(value, bits), 10), Ok(value));
    }

    /// Numbers put together by hand for listings are those that formatting makes.
    #[test]
    fn numbers_by_hand_are_numbers_by_format(value in any::<u64>(), small in 0u64..300, width in 0usize..40, bits in 1u8..=64) {
        for value in [value, small, value >> 32, value >> 48] {
            let mut text = String::from("x");
            push_decimal(&mut text, value, width);
            prop_assert_eq!(&text, &format!("x{value:>width$}"));
            text.clear();
            push_digits(&mut text, value, 16, bits);
            prop_assert_eq!(&text, &format!("{value:0width$X}", width = usize::from(bits).div_ceil(4)));
            text.clear();
            push_digits(&mut text, value, 8, bits);
            prop_assert_eq!(&text, &format!("{value:0width$o}", width = usize::from(bits).div_ceil(3)));
        }
        let mut blanks = String::new();
        push_blanks(&mut blanks, width * 5);
        prop_assert_eq!(blanks, " ".repeat(width * 5));
    }

    /// Line and column are those that a person would count.
    #[test]
    fn places_are_counted_as_people_count(lines in proptest::collection::vec("[a-zé ]{0,12}", 1..8), line in 0usize..8, column in 0usize..12) {
        let line = line.min(lines.len() - 1);
        let column = column.min(lines[line].chars().count());
        let text = lines.join("\n");
        let before: usize = lines[..line].iter().map(|line| line.len() + 1).sum();
        let inside: usize = lines[line].chars().take(column).map(char::len_utf8).sum();
        let mut sources = Sources::default();
        sources.add("s", text.as_str(), None);
        let at = (before + inside) as u32;
        let place = sources.place(Span { source: 0, start: at, end: at });
        prop_assert_eq!((place.line, place.column), (line + 1, column + 1));
        prop_assert_eq!(sources.text(Span { source: 0, start: 0, end: text.len() as u32 }), text);
    }
}

/// Every file of the demos travels inside the library, as it stands in the folder.
#[test]
fn the_library_has_every_demo() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("demo");
    let mut inside: Vec<String> = plain_byte::demos::TEXTS.iter().map(|row| row.0.to_string()).collect();
    inside.extend(plain_byte::demos::TAPES.iter().map(|row| row.0.to_string()));
    inside.sort();
    let endings = ["asm", "toml", "panel", "txt", "wav", "tape"];
    let mut there = Vec::new();
    for folder in [folder.clone(), folder.join("papers")] {
        let names = std::fs::read_dir(&folder).expect("the demos").flatten().map(|entry| entry.path());
        let files = names
            .filter(|path| path.extension().is_some_and(|ending| endings.iter().any(|one| *one == ending)));
        there.extend(files.filter_map(|path| {
            let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("demo");
            path.strip_prefix(root).ok().map(|name| name.to_string_lossy().replace('\\', "/"))
        }));
    }
    there.sort();
    assert_eq!(inside, there);
}
