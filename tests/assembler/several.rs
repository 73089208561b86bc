//! Sources with several `cpu` lines: whole, each line read by its own set, or one clear error.

use crate::assembler::instruction;
use crate::common::{assembled, told};
use plain_byte::assembler::{Assembly, line_map};
use plain_byte::processor::{ALL, InstructionSet, Row, Usage};
use plain_byte::report::flow::{SourceNames, flow_chart};
use plain_byte::report::{
    Follow, Grouping, Policy, blocks, card, disassemble, inspect, sizes, source_lines, starts, warn,
};
use plain_byte::session::{Limits, Session};
use proptest::prelude::*;

/// An instruction as it is written, and its time: one without operands, or with one that may be 0.
fn plain(set: &'static InstructionSet) -> (String, String) {
    let is_plain = |most: usize| move |row: &&Row| row.operands.len() == most && row.usage == Usage::Whole;
    let row = set.own_rows().find(is_plain(0)).or_else(|| set.own_rows().find(is_plain(1)));
    let row = row.expect("every set has one");
    (
        format!("{}{}", row.mnemonic, [" 0", ""][usize::from(row.operands.is_empty())]),
        set.timing(row).to_string(),
    )
}

/// Everything that is computed about a program, and a few steps of it.
fn everything(assembly: &mut Assembly) {
    let set = assembly.set.expect("it has instructions");
    warn(assembly, None, &Policy::default());
    let entries = starts(set, &assembly.image);
    let lines = source_lines(assembly);
    let _ = (assembly.listing(), line_map(assembly), sizes(assembly).text(None));
    let _ = card("all", set, &lines, assembly.image.start(), Grouping::Threes).text();
    let _ = flow_chart("all", set, &assembly.image, &entries, &SourceNames::new(assembly)).text();
    let _ =
        (blocks(set, &assembly.image, &entries), inspect(&assembly.image, Some(set), &[]).text(Some(set)));
    let _ = disassemble(set, &assembly.image, Follow::From(&[]), &|_| None);
    let mut session = Session::bare(set).expect("every processor has a bare board");
    session.load_assembly(assembly).expect("it is for that processor");
    for address in (0..20).chain(assembly.image.start()) {
        session.instruction_at(address);
    }
    session.run(Limits::none().cycles(50));
}

#[test]
fn every_two_processors_are_whole_or_an_error() {
    for (one, two) in ALL.iter().flat_map(|one| ALL.iter().map(move |two| (*one, *two))) {
        let (first, second) = (one.name(), two.name());
        let source =
            format!(" cpu {first}\nfirst: {}\n cpu {second}\nlast: {}\n", plain(one).0, plain(two).0);
        let mut assembly = assembled(&source);
        if one.cell_bits() == two.cell_bits() {
            assert!(assembly.succeeded(), "{source}{}", told(&assembly));
            everything(&mut assembly);
            // Each line has the time of its own processor.
            let lines = source_lines(&assembly);
            let times: Vec<&str> = lines.iter().map(|line| line.cycles.as_str()).collect();
            assert_eq!(times, [plain(one).1, plain(two).1], "{source}");
        } else {
            assert_eq!(assembly.errors(), 1, "{source}{}", told(&assembly));
            assert!(told(&assembly).contains("what stands above has cells of"), "{}", told(&assembly));
        }
    }
    // In front of everything the later choice is the program's.
    assert_eq!(assembled(" cpu pdp8\n cpu z80\n nop\n").set.map(|set| set.name()), Some("z80"));
}

proptest! {
    /// Any instructions of any processors in turn.
    #[test]
    fn any_processors_in_turn_are_whole(
        parts in proptest::collection::vec(
            proptest::sample::select(ALL).prop_filter("bytes", |set| set.cell_bits() == 8).prop_flat_map(|set| {
                proptest::collection::vec(instruction(set), 1..6).prop_map(move |lines| (set, lines))
            }),
            1..6,
        ),
    ) {
        let mut source = String::from("        org 100h\n");
        for (set, lines) in &parts {
            source += &format!("        cpu {}\n", set.name());
            for line in lines {
                source += &format!("        {line}\n");
            }
        }
        let mut assembly = assembled(&source);
        prop_assert!(assembly.succeeded(), "{source}{}", told(&assembly));
        everything(&mut assembly);
    }
}
