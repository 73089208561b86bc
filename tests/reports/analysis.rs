//! What is computed about a program without running it, held against what it does when it runs: reached instructions,
//! blocks, loops and their times, positions; and the sheets and charts made of it.

use crate::common::{assembled, session, told};
use plain_byte::assembler::{Assembly, Options, Texts, assemble};
use plain_byte::image::{Image, Segment, hex};
use plain_byte::processor::{Decoded, Flow, find, i8080};
use plain_byte::report::flow::{Names, SourceNames, Words, flow_chart};
use plain_byte::report::{
    Exit, Follow, Ground, Grouping, LostTo, Measuring, NO_LABEL, NotMoved, PADDING, Policy, Runs, blocks,
    card, chart, disassemble, disassembly_source, inspect, position, reach, sizes, source_lines, starts,
    warn,
};
use plain_byte::session::{Limits, Session};
use proptest::prelude::*;
use std::collections::{HashMap, HashSet};

/// The demo programs, with what makes them short.
const DEMOS: &[(&str, &str)] = &[
    ("lamps", include_str!("../../demo/lamps.asm")),
    ("divide", include_str!("../../demo/divide.asm")),
    ("exchange", include_str!("../../demo/exchange.asm")),
    ("visibility", include_str!("../../demo/visibility.asm")),
    ("tides", include_str!("../../demo/tides.asm")),
    ("fog", include_str!("../../demo/fog.asm")),
];

fn demo(name: &str) -> Assembly {
    let (_, source) = DEMOS.iter().find(|one| one.0 == name).expect("a demo program");
    let options = Options::default().define("tenth", 1);
    let file = format!("{name}.asm");
    let assembly = assemble(&file, &mut Texts::one(&file, *source), &options);
    assert!(assembly.succeeded(), "{}", told(&assembly));
    assembly
}

/// Addresses of the instructions that a run of a demo program carries out in its own cells, with the cycles before each.
fn carried_out(name: &str, assembly: &Assembly) -> Vec<(u32, u64)> {
    let (_, source) = DEMOS.iter().find(|one| one.0 == name).expect("a demo program");
    let mut session = session("plover", &source.replace("equ 100  ", "equ 1  "));
    let mut steps = Vec::new();
    let mut cycles = 0;
    session.trace(Limits::none().cycles(3_000_000), &mut |_, step| {
        if assembly.image.cell(step.address).is_some() {
            steps.push((step.address, cycles));
        }
        cycles += step.cycles;
        true
    });
    assert!(!steps.is_empty());
    steps
}

#[test]
fn what_is_run_is_what_is_reached() {
    for (name, _) in DEMOS {
        let assembly = demo(name);
        let entries = starts(&i8080::I8085, &assembly.image);
        let reach = reach(&i8080::I8085, &assembly.image, &entries);
        let blocks = blocks(&i8080::I8085, &assembly.image, &entries);
        let mut previous: Option<u32> = None;
        for (address, _) in carried_out(name, &assembly) {
            assert!(reach.is_start(address), "{name}: {address:04X} is run and not reached");
            // Execution enters a block at its top, and goes through it in order.
            let (_, block) = blocks.range(..=address).next_back().expect("a block");
            let place = block.instructions.iter().position(|one| one.0 == address).expect("in the block");
            if place > 0
                && let Some(previous) = previous
            {
                let before = block.instructions[place - 1];
                let is_call = matches!(before.1.row.flow, Flow::Call | Flow::CallIf);
                assert!(before.0 == previous || is_call, "{name}: {address:04X} after {previous:04X}");
            }
            previous = Some(address);
        }
        // Every source line of an instruction is reached; the demos have no dead code.
        for line in &assembly.lines {
            if let Some((_, 1..)) = line.kind.cells() {
                assert!(reach.is_start(line.address), "{name}: {:04X}", line.address);
            }
        }
        assert!(reach.lost.iter().all(|lost| lost.what == LostTo::Outside), "{name}: {:?}", reach.lost);
    }
}

#[test]
fn the_time_of_a_pass_is_what_a_pass_takes() {
    let mut seen = 0;
    for (name, _) in DEMOS {
        let assembly = demo(name);
        let sizes = sizes(&assembly);
        let steps = carried_out(name, &assembly);
        for one in &sizes.loops {
            let holds = |other: &plain_byte::report::LoopSize| {
                (other.first, other.last) != (one.first, one.last)
                    && one.first <= other.first
                    && other.last <= one.last
            };
            // Loops inside are counted as one pass, and what is called is not counted.
            if one.calls || sizes.loops.iter().any(holds) {
                continue;
            }
            let mut last: Option<u64> = None;
            for &(address, cycles) in &steps {
                if !(one.first..=one.last).contains(&address) {
                    last = None;
                } else if address == one.first
                    && let Some(last) = last.replace(cycles)
                {
                    let took = cycles - last;
                    let expected = one.cycles.0..=one.cycles.1;
                    assert!(
                        expected.contains(&took),
                        "{name}: a pass of {} took {took}, not {expected:?}",
                        one.name
                    );
                    seen += 1;
                }
            }
        }
        let cells: u64 = sizes.labels.iter().map(|label| label.cells).sum();
        assert_eq!(
            cells,
            assembly
                .lines
                .iter()
                .filter_map(|line| line.kind.cells())
                .map(|one| u64::from(one.0))
                .sum::<u64>()
        );
    }
    assert!(seen > 20, "{seen} passes were compared");
}

#[test]
fn sizes_and_comparisons_read_well() {
    let own = sizes(&demo("tides"));
    insta::assert_snapshot!(own.text(Some(3_072_000)).to_string());
    let (_, source) = DEMOS.iter().find(|one| one.0 == "tides").expect("tides");
    let old =
        assembled(&source.replace("        dcx h\n", "").replace("next:   dcr c", "extra: nop\nnext: dcr c"));
    insta::assert_snapshot!(own.against(&sizes(&old)).to_string());
    assert!(
        own.against(&own).to_string().lines().all(|line| !line.contains("changed") && !line.contains('→'))
    );
}

#[test]
fn blocks_end_where_execution_may_go_elsewhere() {
    let assembly = assembled(
        "        org 100h
        mvi b, 3
loop:   dcr b
        call last
        jnz loop
        rz
        ei
        hlt
        pchl
last:   nop
        ret
",
    );
    assert!(assembly.succeeded(), "{}", told(&assembly));
    let found = blocks(&i8080::I8085, &assembly.image, &[0x100]);
    let exits: Vec<(u32, u32, Exit, bool)> =
        found.values().map(|block| (block.first, block.cells(), block.exit, block.called)).collect();
    assert_eq!(
        exits,
        [
            (0x100, 2, Exit::On(0x102), false),
            (
                0x102,
                7,
                Exit::Branch { taken: Some(0x102), next: 0x109, condition: "the result was not zero" },
                false
            ),
            (0x109, 1, Exit::Branch { taken: None, next: 0x10A, condition: "the result was zero" }, false),
            (0x10A, 2, Exit::Halt, false),
            (0x10C, 1, Exit::Away, false),
            (0x10D, 2, Exit::Return, true),
        ]
    );
    assert_eq!(found[&0x102].cycles(), (4 + 18 + 7, 4 + 18 + 10));
}

#[test]
fn ways_that_lead_astray_are_kept() {
    let astray = |source: &str| {
        let assembly = assembled(source);
        let reach = reach(&i8080::I8085, &assembly.image, &[0]);
        reach.lost.iter().map(|lost| (lost.from, lost.at, lost.what)).collect::<Vec<_>>()
    };
    assert_eq!(astray(" org 0\n jmp 1234h\n"), [(Some(0), 0x1234, LostTo::Outside)]);
    assert_eq!(astray(" org 0\n nop\n"), [(Some(0), 1, LostTo::Outside)]);
    assert_eq!(astray(" org 0\n nop\n db 8\n"), [(Some(0), 1, LostTo::NoInstruction)]);
    assert_eq!(astray(" org 0\n jmp 1\n"), [(Some(0), 1, LostTo::Middle)]);
    assert_eq!(astray(" org 0\n nop\n db 0C3h\n"), [(Some(0), 1, LostTo::NoInstruction)]);
    // HLT ends, until interrupts are allowed.
    assert_eq!(astray(" org 0\n hlt\n db 8\n"), []);
    assert_eq!(astray(" org 0\n ei\n hlt\n db 8\n"), [(Some(1), 2, LostTo::NoInstruction)]);
    assert_eq!(astray(" org 0\n rst 2\n hlt\n"), [(Some(0), 0x10, LostTo::Outside)]);
}

#[test]
fn disassembly_tells_code_from_data() {
    let source = "
        org 4000h
        jmp start
        db \"The fog lifts.\", 13, 10, 0
        db \"say \\\"ah\\\"\", 7
        ds 20, 0EEh
        db 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11
start:  lda cell
        cpi 'A'
        jz start
        call 48h
        sta cell + 1
        hlt
cell:   db 3Eh, 0C3h
        dw start
";
    let assembly = assembled(source);
    let lines = disassemble(&i8080::I8085, &assembly.image, Follow::From(&[]), &|_| None);
    let text = disassembly_source(&i8080::I8085, &assembly.image, &lines).to_string();
    insta::assert_snapshot!(text);
    assert_eq!(assembled(&text).image.segments(), assembly.image.segments());
    let known = |address: u32| (address == 0x4000).then(|| "cold_start".to_string());
    let lines = disassemble(&i8080::I8085, &assembly.image, Follow::From(&[0x4003]), &known);
    assert_eq!(lines[0].label.as_deref(), Some("cold_start"));
    assert!(
        lines.len() > 10 && lines[1].meaning.contains("register"),
        "the texts are taken for code: {lines:?}"
    );
}

/// A ROM of 64 cells with vectors, texts and fill, and RAM above.
fn rom() -> Assembly {
    assembled(
        "        region rom, 0, 7Fh, 0FFh
        region ram, 4000h, 40FFh
        region spare, 5000h, 500Fh
        region rom
        jmp start
        org 24h
        jmp start
        org 3Ch
        jmp start
        org 40h
start:  lxi h, greeting
        hlt
greeting: db \"fog\", 0
        region ram
        db 1, 2, 3
",
    )
}

#[test]
fn an_image_is_shown_to_scale_with_its_vectors_and_sums() {
    let assembly = rom();
    assert!(assembly.succeeded(), "{}", told(&assembly));
    let facts = inspect(&assembly.image, Some(&i8080::I8085), &assembly.regions);
    insta::assert_snapshot!(facts.text(Some(&i8080::I8085)).to_string());
    assert_eq!(facts.segments.iter().map(|one| one.code + one.data + one.fill).sum::<usize>(), facts.cells);
    let empty: Vec<&str> = facts.vectors.iter().filter(|one| one.empty).map(|one| one.name).collect();
    assert_eq!(empty, ["RST 1", "RST 2", "RST 3", "RST 4", "RST 5", "RST5.5", "RST 6", "RST6.5", "RST 7"]);
    // Without a processor there are no vectors, and everything is data or fill.
    let bare = inspect(&assembly.image, None, &[]);
    assert!(bare.vectors.is_empty() && bare.segments.iter().all(|one| one.code == 0));
    let chip = inspect(&Image::from_cells(8, 0x8000, vec![0xFF; 0x2000]).expect("it fits"), None, &[]);
    assert_eq!(chip.warnings, ["every cell from 8000 to 9FFF is 0FFh: an empty or unreadable chip?"]);
}

#[test]
fn a_map_stays_short_however_far_the_segments_lie_apart() {
    for pieces in [
        vec![(0u32, 0x1_0000usize)],
        vec![(0, 10), (0xFFF0, 16)],
        vec![(0x100, 300), (0x4000, 5000), (0xC000, 20)],
        (0..40).map(|at| (at * 0x600, 30)).collect(),
    ] {
        let segments = pieces
            .iter()
            .map(|&(start, count)| Segment { start, cells: (0..count as u64).map(|at| at % 251).collect() });
        let image = Image::from_pieces(8, segments.collect()).expect("it fits").0;
        let facts = inspect(&image, None, &[]);
        let text = facts.text(None).to_string();
        let rows = text.lines().filter(|line| line.contains('▒')).count();
        assert!((1..=2 * pieces.len() + 20).contains(&rows), "{rows} rows\n{text}");
        assert!(text.lines().all(|line| line.chars().count() <= 120), "{text}");
    }
}

#[test]
fn the_card_holds_every_cell_with_its_switches_and_checks() {
    let assembly = demo("lamps");
    let lines = source_lines(&assembly);
    let sheet = card("lamps.asm", &i8080::I8085, &lines, assembly.image.start(), Grouping::Fours);
    insta::assert_snapshot!(sheet.text().to_string());
    let octal = card("lamps.asm", &i8080::I8085, &lines, None, Grouping::Threes).text().to_string();
    assert!(octal.contains("4000   3E   62  076  ▽▽ ▲▲▲ ▲▲▽  start: mvi a"), "{octal}");
    for (name, _) in DEMOS {
        let assembly = demo(name);
        let sheet = card(name, &i8080::I8085, &source_lines(&assembly), None, Grouping::Fours);
        let (mut total, mut since) = (0u64, 0);
        for row in sheet.rows() {
            total += row.cell;
            since += 1;
            assert_eq!(Some(row.cell), assembly.image.cell(row.address), "{name}");
            if let Some((count, _, so_far)) = row.check {
                assert_eq!((count, so_far), (since, total & 0xFF), "{name} at {:04X}", row.address);
                since = 0;
            }
            assert!(since < 8);
        }
        assert_eq!(since, 0, "the last cells of {name} are checked too");
        let svg = sheet.svg(Ground::Print).expect("it fits on a page");
        assert!(svg.starts_with("<svg") && svg.trim_end().ends_with("</svg>"));
        assert!(svg.matches("<text").count() > sheet.rows().len() * 3);
    }
    let long = Image::from_cells(8, 0, vec![0; 3000]).expect("it fits");
    let lines = disassemble(&i8080::I8085, &long, Follow::All, &|_| None);
    let error =
        card("long", &i8080::I8085, &lines, None, Grouping::Fours).svg(Ground::Print).expect_err("too long");
    assert_eq!(error.cells, 3000);
    assert!((300..1500).contains(&error.room), "{error}");
}

#[test]
fn flow_charts_show_loops_questions_and_calls() {
    for name in ["tides", "fog"] {
        let assembly = demo(name);
        let entries = starts(&i8080::I8085, &assembly.image);
        let chart = flow_chart(name, &i8080::I8085, &assembly.image, &entries, &SourceNames::new(&assembly));
        insta::assert_snapshot!(format!("flow_{name}"), chart.text().to_string());
        let text = chart.text().to_string();
        let svg = chart.svg(Ground::Screen);
        // Every instruction that does something has its words in the chart.
        for (_, decoded) in reach(&i8080::I8085, &assembly.image, &entries).instructions() {
            if decoded.row.flow == Flow::On {
                let mnemonic = decoded.row.mnemonic.to_lowercase();
                assert!(text.contains(&mnemonic) && svg.contains(&mnemonic), "{mnemonic}");
            }
        }
        assert_eq!(
            text.matches("yes").count(),
            text.matches('?').count(),
            "every question has a way for yes"
        );
        assert!(text.lines().all(|line| line.chars().count() < 100), "{text}");
        let width: f64 = svg
            .split("width=\"")
            .nth(1)
            .and_then(|rest| rest.split('"').next()?.parse().ok())
            .expect("a width");
        assert!(width <= 1300.0, "{width}");
    }
}

/// Words that are only the address.
struct Numbers;

impl Names for Numbers {
    fn label(&self, _: u32) -> Option<String> {
        None
    }

    fn words(&self, address: u32, _: &Decoded) -> Words {
        Words { text: format!("at {address:04X}"), comment: String::new() }
    }
}

#[test]
fn where_a_program_can_run_is_found_by_assembling_it_elsewhere() {
    let found = |source: &str| {
        let options = Options::default().set(&i8080::I8085);
        let assembly = assembled(source);
        position("test.asm", &mut Texts::one("test.asm", source), &options, &assembly)
            .map(|one| (one.runs, one.dependent.iter().flat_map(|one| one.cells.clone()).collect::<Vec<_>>()))
    };
    assert_eq!(found(" org 100h\n mvi a, 1\n hlt\n"), Ok((Runs::Anywhere, vec![])));
    assert_eq!(found(" org 100h\n jmp 48h\n"), Ok((Runs::Anywhere, vec![])));
    assert_eq!(found(" org 100h\nx: jmp x\n"), Ok((Runs::Here, vec![0x101, 0x102])));
    assert_eq!(found(" org 100h\nx: mvi a, low x\n hlt\n"), Ok((Runs::Pages, vec![0x101])));
    assert_eq!(found("base equ 100h\n org base\n jmp base\n"), Ok((Runs::Anywhere, vec![])));
    // What is computed from labels moves by itself; what is a number is moved.
    assert_eq!(
        found(" org 100h\nx: nop\n org x + 8\n nop\n pad 110h\n pad x + 20h\n"),
        Ok((Runs::Anywhere, vec![]))
    );
    assert_eq!(
        found(" region r, 100h, 1FFh\nx: nop\n region s, x + 100h, x + 1FFh\n dw x\n"),
        Ok((Runs::Here, vec![0x200, 0x201]))
    );
    // Only whole pages keep the form.
    assert_eq!(found(" org 100h\nx: nop\n align 256\n dw x\n"), Ok((Runs::Here, vec![0x201])));
    assert_eq!(found(" org 0FFFEh\n nop\n hlt\n"), Ok((Runs::Anywhere, vec![])));
    assert_eq!(found("; nothing\n"), Err(NotMoved::Empty));
    assert!(
        matches!(found(" org 100h\nx: db x == 100h\n demand x == 100h, \"here\"\n"), Err(NotMoved::Changes(Some(why))) if why == "here")
    );
    let report = |name: &str| {
        let (_, source) = DEMOS.iter().find(|one| one.0 == name).expect("a demo");
        let assembly = demo(name);
        let found =
            position(name, &mut Texts::one(name, *source), &Options::default(), &assembly).expect("it moves");
        found.text(&|address| format!("{address:04X}")).to_string()
    };
    insta::assert_snapshot!(report("divide"));
    assert!(report("lamps").starts_with("the program can run anywhere: no cell depends on its address\n"));
}

proptest! {
    /// Any cells at all: every cell is accounted for once, every block lies inside, and everything can be drawn.
    #[test]
    fn any_image_can_be_analysed(
        cells in proptest::collection::vec(any::<u8>(), 1..200),
        jumps in proptest::collection::vec((0usize..200, 0usize..200, 0usize..6), 0..20),
        start in prop_oneof![Just(0u32), Just(0x4000), Just(0xFF80)],
    ) {
        let mut cells: Vec<u64> = cells.into_iter().map(u64::from).take(0x1_0000 - start as usize).collect();
        // Jumps, branches and calls inside the image, so that there is something to follow.
        for (at, to, kind) in jumps {
            if at + 3 <= cells.len() {
                let target = start as usize + to % cells.len();
                cells[at] = [0xC3, 0xC2, 0xDA, 0xCD, 0xC4, 0xCC][kind];
                (cells[at + 1], cells[at + 2]) = (target as u64 & 0xFF, target as u64 >> 8);
            }
        }
        let count = cells.len();
        let image = Image::from_cells(8, start, cells).expect("it fits");
        let entries = starts(&i8080::I8085U, &image);
        let found = blocks(&i8080::I8085U, &image, &entries);
        let mut seen = HashSet::new();
        for block in found.values() {
            prop_assert!(block.first < block.end && !block.instructions.is_empty());
            for (address, decoded) in &block.instructions {
                for at in *address..address + decoded.cells() as u32 {
                    prop_assert!(seen.insert(at), "{:04X} belongs to two instructions", at);
                    prop_assert!(image.cell(at).is_some());
                }
            }
        }
        let firsts: HashMap<u32, u32> = found.values().map(|block| (block.first, block.end)).collect();
        for block in found.values() {
            // A block never holds the beginning of another.
            prop_assert!(block.instructions.iter().skip(1).all(|(at, _)| !firsts.contains_key(at)));
        }
        let facts = inspect(&image, Some(&i8080::I8085U), &[]);
        prop_assert_eq!(facts.segments.iter().map(|one| one.code + one.data + one.fill).sum::<usize>(), count);
        let chart = flow_chart("any", &i8080::I8085U, &image, &entries, &Numbers);
        let (text, svg) = (chart.text().to_string(), chart.svg(Ground::Print));
        prop_assert!(svg.ends_with("</svg>\n"));
        for block in found.values() {
            for (address, decoded) in &block.instructions {
                if matches!(decoded.row.flow, Flow::On | Flow::Enable) {
                    let words = format!("at {address:04X}");
                    prop_assert!(text.contains(&words), "{} is missing in\n{}", words, text);
                }
            }
        }
    }
}

#[test]
fn a_rom_starts_where_its_reset_vector_leads() {
    let rom = |entry: &str| {
        format!(
            "        cpu 6502\n        org 8000h\ntable:  db 1, 2, 3\nstart:  lda table\n        sta 200h
stay:   jmp stay\nother:  nop\n        jmp stay\nkey:    rti\n        org 0FFFAh\n        dw key, start, 1234h\n{entry}"
        )
    };
    let built = |source: &str| {
        let mut assembly = assemble("rom.asm", &mut Texts::one("rom.asm", source), &Options::default());
        warn(&mut assembly, None, &Policy::default());
        assembly
    };
    let assembly = built(&rom(""));
    assert_eq!((assembly.image.entry(), assembly.image.start()), (Some(0x8003), Some(0x8003)));
    let codes: Vec<&str> = assembly.diagnostics.iter().map(|one| one.code).collect();
    assert_eq!(codes, ["unreachable", "unused-label"], "the table in front is not run into");
    let hex =
        String::from_utf8(hex::write(&assembly.image, &Default::default()).expect("it fits")).expect("text");
    assert!(hex.contains(":0400000500008003"), "the start record: {hex}");
    // What `entry` says goes before.
    assert_eq!(built(&rom("        entry other\n")).image.start(), Some(0x800C));
    // A pointer that leads nowhere starts nothing.
    let empty = built(
        "        cpu 6502\n        org 0FF00h\nstart:  jmp start\n        org 0FFFCh\n        dw 0FFFFh\n",
    );
    assert_eq!((empty.image.entry(), empty.image.start()), (None, Some(0xFF00)));
    // The same image as a bare file: vectors are words, their labels stand where they lead.
    let set = find("6502").expect("a processor");
    let mut image = assembly.image.clone();
    image.set_entry(None);
    let lines = disassemble(set, &image, Follow::From(&[]), &|_| None);
    let text = disassembly_source(set, &image, &lines).to_string();
    insta::assert_snapshot!(text);
    let again = assemble("again", &mut Texts::one("again", text.as_str()), &Options::default());
    assert_eq!(again.image.segments(), image.segments());
    assert!(inspect(&image, Some(set), &[]).text(Some(set)).to_string().contains("where RESET leads"));
}

#[test]
fn sizes_count_for_a_label_what_follows_it_without_a_gap() {
    let source = "        org 4000h\n        mvi a, 1\n        call work\n        hlt\nwork:   inr a\n        ret
        org 4100h\ntable:  db 1, 2, 3\n        pad 4110h, 0\nafter:  db 5\nroom:   ds 4\n        db 6\n        align 16\nfull:   align 32
        org 4200h\n        db 9\n";
    let found = sizes(&assembled(source));
    let rows: Vec<(&str, u32, u64)> =
        found.labels.iter().map(|one| (one.name.as_str(), one.first, one.cells)).collect();
    assert_eq!(
        rows,
        [
            (NO_LABEL, 0x4000, 6),
            ("work", 0x4006, 2),
            ("table", 0x4100, 3),
            (PADDING, 0x4103, 13),
            ("after", 0x4110, 1),
            ("room", 0x4111, 1),
            (PADDING, 0x4116, 10),
            (NO_LABEL, 0x4200, 1)
        ]
    );
    assert_eq!(rows.iter().map(|row| row.2).sum::<u64>(), found.cells);
}

/// Where a branch stands and where it leads is known, and so what it takes.
#[test]
fn a_branch_has_the_time_of_its_place() {
    // Processor, origin, lines, and the times of the last line's instruction.
    let cases = [
        ("6502", 0x200, "x1: nop\n bne x1\n", "2/3"),
        ("6502", 0x2FD, "x1: nop\n bne x1\n", "2/4"),
        ("6502", 0x2FC, "x1: nop\n nop\n bne x1\n", "2/4"),
        ("6502", 0x2FB, "x1: nop\n bne x1\n", "2/3"),
        ("65c02", 0x200, "x1: nop\n bra x1\n", "3"),
        ("65c02", 0x2FD, "x1: nop\n bra x1\n", "4"),
        ("65c02", 0x2FD, "x1: nop\n bbs7 $10, x1\n", "5/7"),
        ("6502", 0x200, "x1: nop\n lda x1, x\n", "4p"),
        ("8080", 0x2FD, "x1: nop\n jnz x1\n", "10"),
    ];
    for (cpu, origin, lines, expected) in cases {
        let options = Options::default().cpu(cpu).expect("known").origin(origin);
        let assembly = assemble("fog.asm", &mut Texts::one("fog.asm", lines), &options);
        let listing = assembly.listing();
        let line = listing.lines().filter(|line| line.contains("x1")).nth(1).expect("the line");
        assert!(line.split_whitespace().any(|word| word == expected), "{cpu} {origin:X}: {line}");
    }
}

/// What a run took under all labels together is what it took, and a label's first instruction counts how often it was met.
#[test]
fn a_measured_run_has_all_of_its_time_under_labels() {
    let assembly = demo("tides");
    let mut session = Session::shipped("plover").expect("it opens");
    session.load_assembly(&assembly).expect("it fits");
    let before = session.machine().cycles();
    let mut run = Measuring::default();
    session.trace(Limits::none().cycles(100_000), &mut |_, step| {
        run.take(step);
        true
    });
    let found = sizes(&assembly).with(&run);
    let measured: Vec<_> =
        found.labels.iter().filter_map(|one| Some((&one.name[..], one.measured?))).collect();
    let whole: u64 = measured.iter().map(|row| row.1.cycles).sum();
    assert_eq!(whole, session.machine().cycles() - before);
    let times: Vec<_> = measured.iter().map(|row| (row.0, row.1.times)).collect();
    assert_eq!(times, [("start", 1), ("pass", 4), ("pair", 10), ("next", 10), ("done", 1)]);
    insta::assert_snapshot!(found.text(None).to_string());
}

/// What is typed at the chart, and what is found.
#[test]
fn the_chart_finds_what_is_typed() {
    let cases = [
        ("8085", "add b", "ADD B"),
        ("8085", "MOV A,B", "MOV A, B"),
        ("8085", "mvi a, count", "MVI A, data8"),
        ("8085", "rst 7", "RST 7"),
        ("8080", "jmp loop", "JMP label"),
        ("z80", "CBh 27h", "SLA A"),
        ("z80", "dd 21", "LD IX, data16"),
        ("z80", "ld a,(hl)", "LD A, (HL)"),
        ("z80", "ld a, (ix+5)", "LD A, (IX+d)"),
        ("6502", "lda table,x", "LDA addr, X"),
        ("6502", "lda #5", "LDA #data8"),
        ("6502", "asl", "ASL A"),
        ("65c02", "ina", "INC A"),
        ("8086", "mov ax, bx", "MOV r16, r16"),
        ("pdp8", "tad i x1", "TAD I addr"),
        ("pdp10", "movei 1, x1", "MOVEI ac, number"),
    ];
    for (cpu, typed, expected) in cases {
        let words: Vec<String> = typed.split(' ').map(String::from).collect();
        let found = chart::select_all(find(cpu).expect("known"), &words).expect(typed);
        let found: Vec<_> = found.iter().map(|entry| &entry.instruction[..]).collect();
        assert!(
            found.contains(&expected) && (found.len() == 1 || words.len() == 1),
            "{cpu} {typed}: {found:?}"
        );
    }
    // Each instruction of a chart that names no number is found by its own words, and by its cells.
    for cpu in ["8080", "8085", "z80", "6502", "65c02"] {
        let set = find(cpu).expect("known");
        for entry in chart::entries(set) {
            if entry.instruction.contains(|c: char| c.is_ascii_lowercase())
                || !entry.instruction.contains(' ')
            {
                continue;
            }
            let words: Vec<String> = entry.instruction.split(' ').map(String::from).collect();
            let found = chart::select_all(set, &words).expect("it is found");
            assert!(
                found.len() == 1 && found[0].instruction == entry.instruction,
                "{cpu} {}: {found:?}",
                entry.instruction
            );
            assert!(found[0].opcode == entry.opcode || cpu == "z80", "{cpu} {}", entry.instruction);
        }
    }
    let z80 = find("z80").expect("known");
    assert_eq!(
        (chart::prefix(z80, "0CBh"), chart::prefix(z80, "ddcb"), chart::prefix(z80, "27")),
        (Some(0xCB), Some(0xDDCB), None)
    );
    assert!(chart::map(z80, Some(0xCB)).to_string().contains("SLA (HL)"));
    let restarts = chart::select(z80, "rst").expect("there");
    assert_eq!(restarts[7].meaning, "calls the subroutine at 0038h");
}
