//! Any source text: it is read to its end, every place lies inside it, what assembles disassembles to the same, and all
//! reports about it can be made.

use plain_byte::assembler::{Options, Texts, assemble, line_map};
use plain_byte::report::flow::{SourceNames, flow_chart};
use plain_byte::report::{
    Follow, Policy, disassemble, disassembly_source, inspect, position, sizes, source_lines, starts, warn,
};

/// Tries it.
pub fn run(bytes: &[u8]) {
    let options = Options::default().cpu("8085u").expect("a known processor");
    let mut texts = Texts::one("fuzz.asm", bytes);
    texts.0.insert("part".to_string(), b" nop\nx: db 1\n macro part y\n db y\n endm\n".to_vec());
    let mut assembly = assemble("fuzz.asm", &mut texts, &options);
    for one in &assembly.diagnostics {
        assert!(one.span.start <= one.span.end);
        assert!(assembly.sources.get(one.span.source).is_none_or(|source| source.expansion.is_none()));
        let _ = assembly.sources.place(one.span);
    }
    // A few bytes can ask for very much to be written out; the reports on that are not what is tested here.
    if assembly.lines.len() > 20_000 || assembly.image.cells() > 0x1_0000 {
        return;
    }
    let _ = (assembly.listing(), line_map(&assembly));
    if assembly.succeeded()
        && let Some(set) = assembly.set
    {
        warn(&mut assembly, None, &Policy::default());
        for follow in [Follow::All, Follow::From(&[])] {
            let lines = disassemble(set, &assembly.image, follow, &|_| None);
            let text = disassembly_source(set, &assembly.image, &lines).to_string();
            let again = assemble("again.asm", &mut Texts::one("again.asm", text), &Options::default());
            assert_eq!(again.image.segments(), assembly.image.segments(), "{:?}", again.diagnostics.first());
        }
        let entries = starts(set, &assembly.image);
        let chart = flow_chart("fuzz", set, &assembly.image, &entries, &SourceNames::new(&assembly));
        let _ = (chart.text(), sizes(&assembly).text(Some(1)), source_lines(&assembly));
        let _ = inspect(&assembly.image, assembly.set, &assembly.regions).text(assembly.set);
        if let Ok(found) = position("fuzz.asm", &mut texts, &options, &assembly) {
            let _ = found.text(&|address| format!("{address:X}"));
        }
    }
}
