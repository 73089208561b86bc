//! Instructions of several processors in one source: it is whole, and everything that is computed about it ends.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::processor::{ALL, decode};
use plain_byte::report::flow::{SourceNames, flow_chart};
use plain_byte::report::{Follow, Policy, disassemble, inspect, sizes, source_lines, starts, warn};
use plain_byte::session::{Limits, Session};
use std::fmt::Write;

/// Tries it.
pub fn run(bytes: &[u8]) {
    let mut source = String::from("        org 100h\n");
    for piece in bytes.chunks(7).take(60) {
        let [choice, cells @ ..] = piece else { continue };
        let set = ALL[usize::from(choice & 15) % ALL.len()];
        let cells: Vec<u64> = cells.iter().map(|&byte| u64::from(byte)).collect();
        if choice & 0x10 != 0 {
            let _ = writeln!(source, "        cpu {}", set.name());
        }
        if let Ok(Some(decoded)) = decode(set, &cells, 0x100) {
            let _ = writeln!(source, "at{}: {}", source.len(), decoded.text(set, &|_| None));
        }
    }
    let mut assembly = assemble("several.asm", &mut Texts::one("several.asm", source), &Options::default());
    let _ = assembly.listing();
    let Some(set) = assembly.set.filter(|_| assembly.succeeded()) else { return };
    warn(&mut assembly, None, &Policy::default());
    let entries = starts(set, &assembly.image);
    let _ = (source_lines(&assembly), sizes(&assembly), inspect(&assembly.image, Some(set), &[]));
    let _ = flow_chart("several", set, &assembly.image, &entries, &SourceNames::new(&assembly)).text();
    let _ = disassemble(set, &assembly.image, Follow::From(&[]), &|_| None);
    let mut session = Session::bare(set).expect("a bare board");
    if session.load_assembly(&assembly).is_ok() {
        session.run(Limits::none().cycles(200));
    }
}
