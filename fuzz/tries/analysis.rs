//! Any cells as a program: everything that is computed about it ends, and every cell is accounted for.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::image::{Image, Segment};
use plain_byte::processor::{ALL, Decoded};
use plain_byte::report::flow::{Names, Words, flow_chart};
use plain_byte::report::{
    Follow, Ground, Grouping, blocks, card, disassemble, disassembly_source, inspect, starts,
};

struct NoNames;

impl Names for NoNames {
    fn label(&self, _: u32) -> Option<String> {
        None
    }

    fn words(&self, _: u32, decoded: &Decoded) -> Words {
        Words { text: decoded.row.mnemonic.to_string(), comment: String::new() }
    }
}

/// Tries it.
pub fn run(bytes: &[u8]) {
    let [choice, low, high, cells @ ..] = bytes else { return };
    let set = ALL[usize::from(*choice) % ALL.len()];
    let room = set.last_address() as usize + 1;
    let start = u32::from(u16::from_le_bytes([*low, *high])) & set.last_address();
    // Words of any width out of bytes: the next ones come into each.
    let word =
        |bytes: &[u8]| bytes.iter().fold(0u64, |word, &byte| word << 8 | u64::from(byte)) & set.last_cell();
    let wide = usize::from(set.cell_bits()).div_ceil(8);
    let cells: Vec<u64> = cells.windows(wide).take(room - start as usize).map(word).collect();
    // In two pieces where the choice says so.
    let (one, two) = cells.split_at(cells.len() / 2);
    let gap = u32::from(choice >> 4);
    let second = start + one.len() as u32 + gap;
    let mut pieces = vec![Segment { start, cells: one.to_vec() }];
    if second as usize + two.len() <= room {
        pieces.push(Segment { start: second, cells: two.to_vec() });
    }
    let image = Image::from_pieces(set.cell_bits(), pieces).expect("it fits").0;
    let entries = starts(set, &image);
    let found = blocks(set, &image, &entries);
    let in_blocks: usize = found.values().map(|block| block.cells() as usize).sum();
    assert!(in_blocks <= image.cells());
    let facts = inspect(&image, Some(set), &[]);
    assert_eq!(facts.segments.iter().map(|one| one.code + one.data + one.fill).sum::<usize>(), image.cells());
    let _ = facts.text(Some(set));
    let chart = flow_chart("any", set, &image, &entries, &NoNames);
    let _ = (chart.text(), chart.svg(Ground::Screen));
    let lines = disassemble(set, &image, Follow::From(&[start, second]), &|_| None);
    let _ = card("any", set, &lines, image.start(), Grouping::Threes).svg(Ground::Print);
    let text = disassembly_source(set, &image, &lines).to_string();
    let again = assemble("again.asm", &mut Texts::one("again.asm", text), &Options::default());
    assert_eq!(again.image.segments(), image.segments(), "{:?}", again.diagnostics.first());
}
