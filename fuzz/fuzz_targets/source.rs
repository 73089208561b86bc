//! Any source text: it is read to its end, every place lies inside it, and what assembles disassembles to the same.
#![no_main]

use libfuzzer_sys::fuzz_target;
use plain_byte::assembler::{Options, Texts, assemble, line_map};
use plain_byte::report::{Follow, disassemble, disassembly_source};

fuzz_target!(|bytes: &[u8]| {
    let options = Options::default().cpu("8085u").expect("a known processor");
    let assembly = assemble("fuzz.asm", &mut Texts::one("fuzz.asm", bytes), &options);
    for one in &assembly.diagnostics {
        assert!(one.span.start <= one.span.end);
        let _ = assembly.sources.place(one.span);
    }
    let _ = (assembly.listing(), line_map(&assembly));
    if assembly.succeeded()
        && let Some(set) = assembly.set
    {
        for follow in [Follow::All, Follow::From(&[])] {
            let lines = disassemble(set, &assembly.image, follow, &|_| None);
            let text = disassembly_source(set, &assembly.image, &lines).to_string();
            let again = assemble("again.asm", &mut Texts::one("again.asm", text), &Options::default());
            assert_eq!(again.image.segments(), assembly.image.segments(), "{:?}", again.diagnostics.first());
        }
    }
});
