//! Any file in any format: it is read whole or refused with a place, and what was read is written and read to the same.

use plain_byte::image::{FORMATS, Settings, roms};

/// Tries it.
pub fn run(bytes: &[u8]) {
    let Some((choice, file)) = bytes.split_first() else { return };
    let format = FORMATS[usize::from(*choice) % FORMATS.len()];
    let settings = Settings::default().first(u32::from(*choice) * 0x101_0101);
    match format.read(file, &settings) {
        Ok(image) => {
            let Ok(written) = format.write(&image, &Settings::default()) else { return };
            let again = format.read(&written[0].bytes, &settings);
            if written.len() == 1 && !["raw", "prefixed"].contains(&format.name) {
                assert_eq!(again.as_ref().map(|one| one.segments()), Ok(image.segments()), "{}", format.name);
            }
        }
        Err(errors) => assert!(!errors.is_empty() && errors.iter().all(|one| !one.help.is_empty())),
    }
    // The same bytes as chips.
    let chips: Vec<Vec<u8>> = file.chunks(64).map(<[u8]>::to_vec).collect();
    let lanes = 1 + usize::from(*choice) % 4;
    if let Ok(image) = roms::join(&chips, lanes, 0) {
        let mut settings = Settings::default();
        for (name, value) in [("size", 64), ("lanes", lanes as i64)] {
            settings.set(&roms::FORMAT, name, value).expect("it is in range");
        }
        let _ = roms::write(&image, &settings);
    }
}
