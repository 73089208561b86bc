//! Programs in segments: parts that are segments of their own, EXE files, and their disassembly.

use plain_byte::assembler::{Assembly, Options, Texts, assemble};
use plain_byte::image::{Settings, exe};
use plain_byte::report::{Follow, disassemble, disassembly_source};
use proptest::prelude::*;

fn assembled(source: &str) -> Assembly {
    let assembly = assemble("book", &mut Texts::one("book", source), &Options::default());
    assert!(assembly.succeeded(), "{source}\n{:?}", assembly.diagnostics);
    assembly
}

/// Cells of a part: numbers, a text, cells that are reserved, the number of another part's segment.
fn data() -> impl Strategy<Value = String> {
    prop_oneof![
        (1usize..40, any::<u8>()).prop_map(|(count, value)| format!("        ds {count}, {value}\n")),
        "[A-Z ]{1,30}".prop_map(|text| format!("        db \"{text}\", 0\n")),
        (0usize..4).prop_map(|part| format!("        dw seg part{part}\n")),
        any::<u16>().prop_map(|value| format!("        dw {value}\n")),
    ]
}

/// Lines of code of routine `part`, with a jump over some of it, calls and segments of other parts.
fn code(part: usize) -> impl Strategy<Value = String> {
    let line = prop_oneof![
        Just("        inc ax\n".to_string()),
        (0usize..4).prop_map(|part| format!("        mov ax, seg part{part}\n        mov es, ax\n")),
        any::<u16>().prop_map(|value| format!("        mov bx, {value}\n")),
        (0usize..4).prop_map(|part| format!("        call far part{part}\n")),
        (0usize..4).prop_map(|part| format!("        push word ptr [bx+{part}]\n")),
    ];
    (proptest::collection::vec(line, 0..8), 0usize..30).prop_map(move |(lines, over)| {
        let skipped = "        nop\n".repeat(over);
        format!("        je over{part}\n{skipped}over{part}: ret\n{}        retf\n", lines.concat())
    })
}

/// Four parts, each with its label, in any mix, with a stack or without, and the one to start with.
fn program() -> impl Strategy<Value = (String, usize)> {
    let parts = (0..4).map(|part| {
        let cells = prop_oneof![
            proptest::collection::vec(data(), 0..12).prop_map(|lines| (false, lines.concat())),
            code(part).prop_map(|lines| (true, lines)),
        ];
        cells
            .prop_map(move |(is_code, lines)| {
                let kind = if is_code { "code" } else { "data" };
                format!("        part {kind} named{part}\npart{part}:\n{lines}        db {part}\n")
            })
            .boxed()
    });
    (parts.collect::<Vec<_>>(), proptest::option::of(1usize..40), 0usize..4).prop_map(
        |(parts, stack, start)| {
            let stack = stack.map_or(String::new(), |pages| format!("        stack {}\n", pages * 16));
            (format!("        cpu 8086\n{stack}{}        entry part{start}\n", parts.concat()), start)
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// What a disassembly says of an EXE program assembles to the same file: header, relocations, segments and all.
    #[test]
    fn a_program_in_segments_comes_back_from_its_disassembly((source, _) in program()) {
        let settings = Settings::default();
        let assembly = assembled(&source);
        let file = exe::write(&assembly.image, &settings).expect("a program");
        let image = exe::read(&file).expect("the same program");
        let set = assembly.set.expect("the 8086");
        let lines = disassemble(set, &image, Follow::From(&[]), &|_| None);
        let text = disassembly_source(set, &image, &lines).to_string();
        let again = exe::write(&assembled(&text).image, &settings).expect("a program");
        prop_assert!(file == again, "{source}\n{text}");
    }

    /// A jump over some cells goes over so many, in whatever part it stands.
    #[test]
    fn distances_count_in_the_own_segment(before in 0usize..600, over in 0usize..100) {
        let source = format!(
            "        cpu 8086\n        part data\n        ds {before}, 7\n        part code\nstart:  je over\n        ds {over}, 90h\nover:   ret\n        entry start\n"
        );
        let image = assembled(&source).image;
        let start = image.start().expect("a start");
        prop_assert_eq!(image.cells_at(start, 2), [0x74, over as u64]);
    }
}
