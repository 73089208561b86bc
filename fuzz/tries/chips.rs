//! Any text as a chip's file and as the file of a set: what is read comes back from what it is written as, and what is programmed is what
//! was planned.

use plain_byte::image::{Image, Segment};
use plain_byte::prom::{Chip, Programming, ReadBack, RomSet, image_of, landing};
use plain_byte::report::{rom_labels, rom_set};

/// Tries it: the first bytes are an image, the rest is the text.
pub fn run(bytes: &[u8]) {
    let Some((cells, text)) = super::two(bytes) else { return };
    let start = u32::from(cells.first().copied().unwrap_or(0)) << 7;
    let segment = Segment { start, cells: cells.iter().map(|&byte| byte.into()).collect() };
    let image = Image::from_pieces(8, vec![segment]).map(|row| row.0);
    if let Ok(mut chip) = Chip::from_file(&text) {
        let again = Chip::from_file(&chip.to_file());
        assert_eq!(again.as_ref(), Ok(&chip), "a chip comes back from its file");
        let _ = image_of(chip.to_file().as_bytes(), 0);
        let landed = image.as_ref().map(|image| landing(image, chip.part().bytes, None));
        if let Ok(Ok(landed)) = landed
            && let Ok(plan) = Programming::plan(&chip, &landed.bytes)
        {
            plan.run(&mut chip, &mut |_| true).expect("nobody breaks it off");
            assert!(Programming::differences(&chip, &landed.bytes).is_empty());
        }
    }
    let Ok(image) = image else { return };
    if let Ok(set) = RomSet::read(&text, &mut |_| Ok(image.clone())) {
        let _ = (rom_set(&set).to_string(), rom_labels(&set, "a day"));
        for chip in &set.chips {
            assert_eq!(set.compare(&chip.socket, &chip.cells), Some(ReadBack::Same));
            assert_eq!(chip.cells.len() as u32, chip.part.bytes);
        }
    }
}
